package field

import (
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
)

// Limits of one reading by SNMP.
const (
	snmpTimeout  = 2 * time.Second // for an answer; asked again twice
	snmpRetries  = 2
	bulkRows     = 25  // asked for at once, of each column
	mostVarbinds = 500 // in one request that sets
)

// snmp is a device that is spoken to by SNMP.
type snmp struct {
	client   *gosnmp.GoSNMP
	line     *line
	at       string
	save     string
	cred     *Credentials
	requests int
	rows     int                 // that were told in this reading
	reading  *Reading            // the last, for what its tables are keyed by
	lists    map[string][]byte   // PortLists as they were read, by column and VID
	length   int                 // bytes of a PortList
	static   map[office.VID]bool // rows that there are
}

// dialSNMP readies a session. Nothing is sent yet.
func dialSNMP(ctx context.Context, at string, save string, cred *Credentials) (*snmp, error) {
	host, port, err := office.HostPort(at, 161)
	if err != nil {
		return nil, err
	}
	timeout, retries, err := cred.patience()
	if err != nil {
		return nil, err
	}
	one := &gosnmp.GoSNMP{
		Target: host, Port: port, Transport: "udp", Timeout: timeout, Retries: retries, MaxOids: 128, MaxRepetitions: bulkRows,
		Version: gosnmp.Version2c, Community: "public", Context: ctx,
	}
	if cred != nil {
		if err := cred.Check(); err != nil {
			return nil, err
		}
		one.Community = cred.Community
		if cred.User != "" {
			flags := gosnmp.NoAuthNoPriv
			usm := &gosnmp.UsmSecurityParameters{UserName: cred.User, AuthenticationProtocol: gosnmp.NoAuth, PrivacyProtocol: gosnmp.NoPriv}
			if cred.Auth != "" {
				flags, usm.AuthenticationProtocol, usm.AuthenticationPassphrase = gosnmp.AuthNoPriv, authProtocols[cred.Auth], cred.AuthKey
			}
			if cred.Privacy != "" {
				flags, usm.PrivacyProtocol, usm.PrivacyPassphrase = gosnmp.AuthPriv, privProtocols[cred.Privacy], cred.PrivKey
			}
			one.Version, one.SecurityModel, one.MsgFlags, one.SecurityParameters = gosnmp.Version3, gosnmp.UserSecurityModel, flags, usm
		}
	}
	if err := one.Connect(); err != nil {
		return nil, fmt.Errorf("snmp at %s: %w", at, err)
	}
	line := newLine(one.Conn)
	one.Conn = line
	return &snmp{client: one, line: line, at: net.JoinHostPort(host, strconv.Itoa(int(port))), save: save, cred: cred}, nil
}

// anew begins a session of v3 anew: a device that was started again, or another one at
// its place, has another clock, and maybe another name for itself (RFC 3414, 2.2).
func (s *snmp) anew() error {
	usm, ok := s.client.SecurityParameters.(*gosnmp.UsmSecurityParameters)
	if !ok {
		return nil
	}
	_ = s.client.Conn.Close()
	s.client.SecurityParameters = &gosnmp.UsmSecurityParameters{
		UserName: usm.UserName, AuthenticationProtocol: usm.AuthenticationProtocol, AuthenticationPassphrase: usm.AuthenticationPassphrase,
		PrivacyProtocol: usm.PrivacyProtocol, PrivacyPassphrase: usm.PrivacyPassphrase,
	}
	s.client.ContextEngineID = ""
	if err := s.client.Connect(); err != nil {
		return err
	}
	s.client.Conn = s.line.again(s.client.Conn)
	return nil
}

func (s *snmp) Close() error { return s.line.Close() }

func (s *snmp) wire() *line { return s.line }

// says is an error of a request in words, with what would help.
func (s *snmp) says(what string, err error) error {
	text := s.cred.Hide(err.Error())
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	case strings.Contains(text, "timeout"), errors.Is(err, gosnmp.ErrUnknownUsername) && s.client.Version == gosnmp.Version2c:
		why := "is it on, is SNMP on there, and is its community right"
		if s.client.Version == gosnmp.Version3 {
			if usm, ok := s.client.SecurityParameters.(*gosnmp.UsmSecurityParameters); ok && usm.AuthoritativeEngineID != "" && s.reading == nil {
				return fmt.Errorf("%s says who it is, and answers nothing that %s asks (%s): is the key of privacy another there, or is it slower than %s (timeout of the credentials)?", s.at, s.cred.User, what, s.client.Timeout)
			}
			why = "is it on, is SNMP v3 on there, and are its user and keys right"
		}
		return fmt.Errorf("nothing answers at %s (%s) in %s, asked %d times: %s? Where it is slow, its credentials say how long it has (timeout)", s.at, what, s.client.Timeout, s.client.Retries+1, why)
	case strings.Contains(text, "connection refused"):
		return fmt.Errorf("nothing listens at %s: is SNMP on there?", s.at)
	case errors.Is(err, gosnmp.ErrUnknownUsername):
		return fmt.Errorf("%s knows no user %s", s.at, s.cred.User)
	case errors.Is(err, gosnmp.ErrWrongDigest):
		return fmt.Errorf("%s refuses the key of authentication of %s", s.at, s.cred.User)
	case errors.Is(err, gosnmp.ErrDecryption):
		return fmt.Errorf("%s cannot decrypt: the key of privacy of %s is another there", s.at, s.cred.User)
	case strings.Contains(text, "not authentic"): // it says why without a signature, which nobody believes
		return fmt.Errorf("%s does not take the user %s with this key of authentication", s.at, s.cred.User)
	case errors.Is(err, gosnmp.ErrNotInTimeWindow):
		return fmt.Errorf("the clock of SNMP at %s and ours do not agree (RFC 3414, time window)", s.at)
	}
	return fmt.Errorf("%s, %s: %s", s.at, what, text)
}

// pace gives a device that answers slowly the time that it needs: what it was asked again is
// on its way still, and it answers one after the other.
func (s *snmp) pace(took time.Duration) {
	if took > s.client.Timeout/2 {
		s.client.Timeout = min(4*took, mostTimeout)
	}
}

// get reads single objects; those that are not there are nil.
func (s *snmp) get(oids ...string) ([]gosnmp.SnmpPDU, error) {
	start := time.Now()
	packet, err := s.client.Get(oids)
	if err != nil {
		return nil, s.says("asked for its name", err)
	}
	s.pace(time.Since(start))
	s.requests++
	if packet.Error != gosnmp.NoError {
		return nil, fmt.Errorf("%s refuses to be read: %s", s.at, errorName(packet.Error))
	}
	return packet.Variables, nil
}

// row is a value of a table by its index.
type row struct {
	index []int // what comes after the column
	pdu   gosnmp.SnmpPDU
}

// table reads columns of one table side by side with GETBULK (RFC 3416, 4.2.3). A
// column that the device does not have is empty. An answer that does not go on ends
// the walk with an error.
func (s *snmp) table(ctx context.Context, what string, columns ...string) (map[string][]row, error) {
	out := map[string][]row{}
	type walk struct {
		column, next string
		last         []int
	}
	var left []*walk
	for _, c := range columns {
		left = append(left, &walk{column: c, next: c})
	}
	for len(left) > 0 {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		oids := make([]string, len(left))
		for i, other := range left {
			oids[i] = other.next
		}
		packet, err := s.client.GetBulk(oids, 0, uint32(max(2, bulkRows*3/(len(left)+1))))
		if err != nil {
			return nil, s.says(what, err)
		}
		s.requests++
		if packet.Error != gosnmp.NoError {
			if packet.Error == gosnmp.NoSuchName { // there is nothing behind
				return out, nil
			}
			return nil, fmt.Errorf("%s refuses to tell of %s: %s", s.at, what, errorName(packet.Error))
		}
		if len(packet.Variables) == 0 {
			return nil, fmt.Errorf("%s answers with nothing when asked for %s", s.at, what)
		}
		done := map[*walk]bool{}
		for k, pdu := range packet.Variables {
			other := left[k%len(left)]
			if done[other] {
				continue
			}
			index, in := below(pdu.Name, other.column)
			if !in || pdu.Type == gosnmp.EndOfMibView || pdu.Type == gosnmp.NoSuchObject || pdu.Type == gosnmp.NoSuchInstance {
				done[other] = true
				continue
			}
			if other.last != nil && slices.Compare(index, other.last) <= 0 {
				return nil, fmt.Errorf("%s answers in a circle when asked for %s (after %s it says %s): its SNMP is broken", s.at, what, other.next, pdu.Name)
			}
			other.last, other.next = index, pdu.Name
			out[other.column] = append(out[other.column], row{index, pdu})
			if s.rows++; s.rows > mostRows {
				return nil, fmt.Errorf("%s has more than %d rows, of which it tells when asked for %s: that is not believed", s.at, mostRows, what)
			}
		}
		left = slices.DeleteFunc(left, func(other *walk) bool { return done[other] })
	}
	return out, nil
}

// below is the index of an object below a column.
func below(oid, column string) ([]int, bool) {
	rest, ok := strings.CutPrefix(strings.TrimPrefix(oid, "."), column+".")
	if !ok {
		return nil, false
	}
	var out []int
	for part := range strings.SplitSeq(rest, ".") {
		n, err := strconv.Atoi(part)
		if err != nil {
			return nil, false
		}
		out = append(out, n)
	}
	return out, true
}

// number is the value of an integer type (RFC 2578, 7.1), 0 of anything else.
func number(pdu gosnmp.SnmpPDU) int {
	switch pdu.Type {
	case gosnmp.Integer, gosnmp.Gauge32, gosnmp.Counter32, gosnmp.Counter64, gosnmp.Uinteger32, gosnmp.TimeTicks:
		return int(gosnmp.ToBigInt(pdu.Value).Int64())
	}
	return 0
}

func octets(pdu gosnmp.SnmpPDU) []byte {
	b, _ := pdu.Value.([]byte)
	return b
}

// errorName is an error status (RFC 3416, 3).
func errorName(snmperror gosnmp.SNMPError) string {
	names := map[gosnmp.SNMPError]string{
		gosnmp.TooBig: "tooBig", gosnmp.NoSuchName: "noSuchName", gosnmp.BadValue: "badValue", gosnmp.ReadOnly: "readOnly", gosnmp.GenErr: "genErr",
		gosnmp.NoAccess: "noAccess (it may only be read)", gosnmp.WrongType: "wrongType", gosnmp.WrongLength: "wrongLength", gosnmp.WrongEncoding: "wrongEncoding",
		gosnmp.WrongValue: "wrongValue", gosnmp.NoCreation: "noCreation", gosnmp.InconsistentValue: "inconsistentValue", gosnmp.ResourceUnavailable: "resourceUnavailable (it is full)",
		gosnmp.CommitFailed: "commitFailed", gosnmp.UndoFailed: "undoFailed", gosnmp.AuthorizationError: "authorizationError (these credentials may only read)",
		gosnmp.NotWritable: "notWritable (it may only be read)", gosnmp.InconsistentName: "inconsistentName",
	}
	if name, ok := names[snmperror]; ok {
		return name
	}
	return fmt.Sprintf("error %d", snmperror)
}
