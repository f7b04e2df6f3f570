package field

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"klammer/core/office"
	"klammer/core/wording"
)

// ovsdb is a session with a database server, about one bridge.
type ovsdb struct {
	line   *line
	enc    *json.Encoder
	dec    *json.Decoder
	at     string
	device string
	id     int
	ports  []switchPort
	read   *Reading // that was read last
	named  bool     // it is the bridge that is called so, and no other
}

// dialOVSDB opens the line to an OVSDB server (RFC 7047): unix:PATH, tcp:HOST:PORT or
// ssl:HOST:PORT.
func dialOVSDB(ctx context.Context, address, device string, cred *Credentials) (*ovsdb, error) {
	network, where, ok := strings.Cut(address, ":")
	if !ok || network != "unix" && network != "tcp" && network != "ssl" {
		return nil, fmt.Errorf("%q is no address of an OVSDB server: unix:PATH or tcp:HOST:PORT, or ssl:HOST:PORT", address)
	}
	dial := net.Dialer{Timeout: 5 * time.Second}
	var conn net.Conn
	var err error
	if network == "ssl" {
		conn, err = dialTLS(ctx, &dial, where, cred)
	} else {
		conn, err = dial.DialContext(ctx, network, where)
	}
	if err != nil {
		return nil, fmt.Errorf("no OVSDB server answers at %s: %w", address, err)
	}
	return overOVSDB(conn, address, device), nil
}

// ReadOVSDB reads one bridge over the Open vSwitch Database Management Protocol (RFC 7047).
// The address is unix:PATH or tcp:HOST:PORT; an empty bridge is the only one that is there.
func ReadOVSDB(ctx context.Context, address, bridge string) (*Reading, error) {
	db, err := dialOVSDB(ctx, address, bridge, nil)
	if err != nil {
		return nil, said(err)
	}
	defer db.Close()
	db.named = bridge != ""
	dev := &bounded{Device: db, line: db.line}
	return dev.Read(ctx)
}

// dialTLS connects with the certificate of the credentials (RFC 7047, 4: how a session is
// secured is left to TLS). The server's own is pinned like the key of a host: without it, or
// with another, nothing is sent.
func dialTLS(ctx context.Context, dial *net.Dialer, where string, cred *Credentials) (net.Conn, error) {
	if cred == nil || cred.Cert == "" || cred.Key == "" {
		return nil, errors.New("over TLS it wants a certificate (cert) with its private key (key): name credentials that have both")
	}
	own, err := tls.X509KeyPair([]byte(cred.Cert), []byte(cred.Key))
	if err != nil {
		return nil, errors.New("the certificate and the private key of the credentials do not belong together, or are no PEM")
	}
	config := &tls.Config{
		Certificates: []tls.Certificate{own}, MinVersion: tls.VersionTLS12,
		InsecureSkipVerify: true, // held against what was pinned instead: such servers sign their own
		VerifyPeerCertificate: func(raw [][]byte, _ [][]*x509.Certificate) error {
			sum := sha256.Sum256(raw[0])
			switch is := "SHA256:" + base64.RawStdEncoding.EncodeToString(sum[:]); cred.HostKey {
			case is:
				return nil
			case "":
				return fmt.Errorf("it shows the certificate %s: if that is its own, keep it as host_key of the credentials", is)
			default:
				return fmt.Errorf("it shows the certificate %s, and %s was kept: it is another server, or was set up anew. Nothing was sent to it", is, cred.HostKey)
			}
		},
	}
	return (&tls.Dialer{NetDialer: dial, Config: config}).DialContext(ctx, "tcp", where)
}

// overOVSDB is a session over a connection.
func overOVSDB(conn net.Conn, address, device string) *ovsdb {
	line := newLine(conn)
	return &ovsdb{line: line, enc: json.NewEncoder(line), dec: json.NewDecoder(line), at: address, device: device}
}

func (s *ovsdb) Close() error { return s.line.Close() }

func (s *ovsdb) wire() *line { return s.line }

// find reads the ports of a bridge; of the only one, where none is named.
func (s *ovsdb) find(ctx context.Context, bridge string) error {
	rows, err := s.transact(ctx, query("Bridge", "name", "ports"), query("Port", "_uuid", "name", "tag", "trunks", "vlan_mode", "interfaces"),
		query("Interface", "_uuid", "name", "link_state", "link_speed", "admin_state", "type", "options"))
	if err != nil {
		return err
	}
	var names []string
	var of map[string]bool
	for _, row := range rows[0] {
		name := word(row["name"])
		names = append(names, name)
		if name == bridge || bridge == "" && len(rows[0]) == 1 {
			of = map[string]bool{}
			for _, id := range uuids(row["ports"]) {
				of[id] = true
			}
		}
	}
	switch {
	case of == nil && bridge == "":
		return fmt.Errorf("%s has %d bridges (%s): say which", s.at, len(names), strings.Join(names, ", "))
	case of == nil:
		return &noBridge{s.at, bridge, names}
	}
	interfaces := map[string]dbRow{}
	for _, row := range rows[2] {
		if ids := uuids(row["_uuid"]); len(ids) == 1 {
			interfaces[ids[0]] = row
		}
	}
	s.ports = nil
	for _, row := range rows[1] {
		ids := uuids(row["_uuid"])
		if len(ids) != 1 || !of[ids[0]] {
			continue
		}
		port := switchPort{uuid: ids[0], row: row}
		port.Name, port.Mode = plain(word(row["name"])), word(row["vlan_mode"])
		port.told(ints(row["tag"]), ints(row["trunks"]))
		for _, id := range uuids(row["interfaces"]) {
			other := interfaces[id]
			one := member{name: plain(word(other["name"])), link: word(other["link_state"]), kind: word(other["type"]), to: options(other["options"])}
			if n := ints(other["link_speed"]); len(n) > 0 {
				one.mbps = n[0] / 1_000_000
			}
			port.members = append(port.members, one)
		}
		slices.SortFunc(port.members, func(a, b member) int { return office.NaturalCompare(a.name, b.name) })
		s.ports = append(s.ports, port)
	}
	slices.SortFunc(s.ports, func(a, b switchPort) int { return office.NaturalCompare(a.Name, b.Name) })
	return nil
}

type noBridge struct {
	at, bridge string
	names      []string
}

func (e *noBridge) Error() string {
	return fmt.Sprintf("%s has no bridge %s: %s", e.at, e.bridge, strings.Join(e.names, ", "))
}

// Read reads the bridge that is called as the device, or else the only one.
func (s *ovsdb) Read(ctx context.Context) (*Reading, error) {
	start, before := time.Now(), s.id
	err := s.find(ctx, s.device)
	var no *noBridge
	if errors.As(err, &no) && len(no.names) == 1 && !s.named {
		err = s.find(ctx, "")
	}
	if err != nil {
		return nil, err
	}
	reading := &Reading{Source: "ovsdb at " + s.at, Whole: true, NotTold: []Told{TellsLearnt, TellsNeighbours}}
	for _, port := range s.ports {
		one := Port{Name: port.Name, Bridged: true}
		for _, text := range port.wrong {
			reading.wrong("%s", text)
		}
		one.Set, one.AllVLANs, one.NoVLAN, one.Unsaid = port.setting()
		bond := len(port.members) > 1
		for _, member := range port.members {
			if bond {
				one.Members = append(one.Members, len(reading.Ports))
				reading.Ports = append(reading.Ports, Port{Name: member.name, Link: member.link, Mbps: member.mbps})
			} else {
				one.Link, one.Mbps, one.Inner = member.link, member.mbps, member.kind == "internal"
				if member.to != "" {
					reading.wrong("port %s is no plug: it leads %s", port.Name, member.to)
				}
			}
		}
		reading.Ports = append(reading.Ports, one)
	}
	var known office.Set
	for i := range reading.Ports {
		one := reading.Ports[i].Set.Members()
		known.AddAll(&one)
	}
	for vid := range known.All() {
		reading.VLANs = append(reading.VLANs, VLAN{VID: vid})
	}
	reading.Took, reading.Requests = time.Since(start), s.id-before
	s.read = reading
	return reading, nil
}

// Set sets ports in one transaction, and waits until the switch has acted: an answer
// of the database comes before that (ovs-vswitchd.conf.db, next_cfg and cur_cfg).
func (s *ovsdb) Set(ctx context.Context, device *office.Device, match Match, from, to wording.State) error {
	if s.read == nil {
		return errors.New("nothing was read of it yet")
	}
	var ops []any
	for port := range device.Ports {
		if device.Ports[port].Bundle > 0 || match[port] < 0 || from.Ports[port].Alike(&to.Ports[port]) {
			continue
		}
		name := s.read.Ports[match[port]].Name // which port is which was decided when it was read
		i := slices.IndexFunc(s.ports, func(one switchPort) bool { return one.Name == name })
		if i < 0 {
			return fmt.Errorf("%s has no port %s any more", s.at, name)
		}
		if why := s.read.Ports[match[port]].Unsaid; why != "" {
			return &Refused{"port " + device.Ports[port].Name, why + ": it is left as it is"}
		}
		row, err := columns(&to.Ports[port], s.read.none)
		if err != nil {
			return &Refused{"port " + device.Ports[port].Name, err.Error()}
		}
		ops = append(ops, unchanged(&s.ports[i])) // or else nothing of all this is done
		ops = append(ops, map[string]any{"op": "update", "table": "Port", "where": []any{[]any{"_uuid", "==", []any{"uuid", s.ports[i].uuid}}}, "row": row})
	}
	if len(ops) == 0 {
		return nil
	}
	ops = append(ops, map[string]any{"op": "mutate", "table": "Open_vSwitch", "where": []any{}, "mutations": []any{[]any{"next_cfg", "+=", 1}}},
		query("Open_vSwitch", "next_cfg", "cur_cfg"))
	if list := rehearsing(ctx); list != nil {
		for _, op := range ops[:len(ops)-1] {
			*list = append(*list, opText(op))
		}
		return nil
	}
	rows, err := s.transact(ctx, ops...)
	if err != nil && strings.Contains(err.Error(), "timed out") {
		return &Refused{"all of the step", "somebody set one of its ports otherwise since it was read"}
	}
	if err != nil {
		return err
	}
	last := rows[len(rows)-1]
	if len(last) != 1 {
		return fmt.Errorf("%s has %d rows of Open_vSwitch, not one", s.at, len(last))
	}
	return s.acted(ctx, last[0])
}

// acted waits until the switch has carried out what the database was told.
func (s *ovsdb) acted(ctx context.Context, row dbRow) error {
	want, now := first(row["next_cfg"]), first(row["cur_cfg"])
	if now >= want {
		return nil
	}
	s.id++
	err := s.send(ctx, map[string]any{"method": "monitor", "id": s.id, "params": []any{"Open_vSwitch", fmt.Sprint("cfg", s.id), map[string]any{"Open_vSwitch": map[string]any{"columns": []string{"cur_cfg"}}}}})
	for err == nil && now < want {
		var one message
		if one, err = s.receive(); err != nil {
			break
		}
		update := one.Update
		switch {
		case string(one.ID) == fmt.Sprint(s.id):
			if len(one.Error) > 0 && string(one.Error) != "null" {
				return fmt.Errorf("%s does not tell when it has acted: %s", s.at, one.Error)
			}
			update = one.Result
		case one.Method != "update":
			continue
		}
		var tables map[string]map[string]struct{ New dbRow }
		if json.Unmarshal(update, &tables) != nil {
			continue
		}
		for _, r := range tables["Open_vSwitch"] {
			now = max(now, first(r.New["cur_cfg"]))
		}
	}
	if err != nil {
		return fmt.Errorf("%s was told, and does not say that the switch has acted: is ovs-vswitchd running? %w", s.at, err)
	}
	_, err = s.call(ctx, "monitor_cancel", []any{fmt.Sprint("cfg", s.id)})
	return err
}

// first is the first number of a set, 0 of none: how OVSDB writes a column that may be empty (RFC
// 7047, 5.1).
func first(message json.RawMessage) int {
	if all := ints(message); len(all) > 0 {
		return all[0]
	}
	return 0
}

// Save has nothing to do: the database is on the disk when it has answered.
func (s *ovsdb) Save(context.Context) error { return nil }

func query(table string, columns ...string) map[string]any {
	return map[string]any{"op": "select", "table": table, "where": []any{}, "columns": columns}
}

type dbRow map[string]json.RawMessage

// message is what the server sends: an answer, or of its own accord.
type message struct {
	Method string          `json:"method"`
	Params json.RawMessage `json:"params"`
	ID     json.RawMessage `json:"id"`
	Error  json.RawMessage `json:"error"`
	Result json.RawMessage `json:"result"`
	Update json.RawMessage `json:"-"`
}

// send writes one JSON-RPC message, within the deadline of who asks or ten seconds.
func (s *ovsdb) send(ctx context.Context, m any) error {
	deadline, ok := ctx.Deadline()
	if !ok {
		deadline = time.Now().Add(10 * time.Second)
	}
	_ = s.line.SetDeadline(deadline)
	return s.enc.Encode(m)
}

// receive takes the next message. The server may ask for an echo in between, which
// has to be answered (RFC 7047, 4.1.11).
func (s *ovsdb) receive() (message, error) {
	for {
		var one message
		if err := s.dec.Decode(&one); err != nil {
			return one, err
		}
		if one.Method == "echo" {
			if err := s.enc.Encode(map[string]any{"result": one.Params, "error": nil, "id": one.ID}); err != nil {
				return one, err
			}
			continue
		}
		if one.Method == "update" {
			var pair []json.RawMessage
			if json.Unmarshal(one.Params, &pair) == nil && len(pair) == 2 {
				one.Update = pair[1]
			}
		}
		return one, nil
	}
}

// call sends a request and waits for its answer.
func (s *ovsdb) call(ctx context.Context, method string, params []any) (json.RawMessage, error) {
	s.id++
	if err := s.send(ctx, map[string]any{"method": method, "params": params, "id": s.id}); err != nil {
		return nil, fmt.Errorf("%s: %w", s.at, err)
	}
	for {
		message, err := s.receive()
		if err != nil {
			return nil, fmt.Errorf("%s: %w", s.at, err)
		}
		if err := believable(message.Result); err != nil {
			return nil, fmt.Errorf("%s: %w", s.at, err)
		}
		if string(message.ID) != fmt.Sprint(s.id) || message.Method != "" {
			continue
		}
		if len(message.Error) > 0 && string(message.Error) != "null" {
			return nil, fmt.Errorf("%s refuses: %s", s.at, message.Error)
		}
		return message.Result, nil
	}
}

// transact sends one transaction and gives the rows of each of its operations.
func (s *ovsdb) transact(ctx context.Context, ops ...any) ([][]dbRow, error) {
	answer, err := s.call(ctx, "transact", append([]any{"Open_vSwitch"}, ops...))
	if err != nil {
		return nil, err
	}
	var results []struct {
		Rows    []dbRow `json:"rows"`
		Error   string  `json:"error"`
		Details string  `json:"details"`
	}
	if err := json.Unmarshal(answer, &results); err != nil {
		return nil, fmt.Errorf("%s answers what cannot be read: %w", s.at, err)
	}
	var out [][]dbRow
	for _, r := range results {
		if r.Error != "" {
			return nil, fmt.Errorf("%s refuses: %s %s", s.at, r.Error, r.Details)
		}
		out = append(out, r.Rows)
	}
	if len(out) != len(ops) {
		return nil, fmt.Errorf("%s answered %d of %d questions", s.at, len(out), len(ops))
	}
	return out, nil
}

// set is a value of OVSDB as a list: ["set", […]] or the one value (RFC 7047, 5.1).
func set(message json.RawMessage) []json.RawMessage {
	var pair []json.RawMessage
	if json.Unmarshal(message, &pair) == nil && len(pair) == 2 && string(pair[0]) == `"set"` {
		var all []json.RawMessage
		if json.Unmarshal(pair[1], &all) != nil {
			return nil // it is no set
		}
		return all
	}
	if len(message) == 0 {
		return nil
	}
	return []json.RawMessage{message}
}

// word is a text of OVSDB; "" for an empty set, and for what is no text: that is not told.
func word(message json.RawMessage) string {
	var text string
	if all := set(message); len(all) != 1 || json.Unmarshal(all[0], &text) != nil {
		return ""
	}
	return text
}

// ints is the numbers of a column, one or a set of them; what is no number is left out.
func ints(message json.RawMessage) []int {
	var out []int
	for _, other := range set(message) {
		var n int
		if json.Unmarshal(other, &n) == nil {
			out = append(out, n)
		}
	}
	return out
}

// uuids is the references of a column to rows, ["uuid", …], one or a set of them.
func uuids(message json.RawMessage) []string {
	var out []string
	for _, other := range set(message) {
		var pair [2]string
		if json.Unmarshal(other, &pair) == nil && pair[0] == "uuid" {
			out = append(out, pair[1])
		}
	}
	return out
}
