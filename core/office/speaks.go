package office

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// Language is an open protocol by which a device is read and set.
type Language string

const (
	SNMP  Language = "snmp"  // RFC 3416 (v2c), RFC 3414 (v3); the device's tables by RFC 4363
	OVSDB Language = "ovsdb" // RFC 7047
	SSH   Language = "ssh"   // RFC 4253; a Linux host with iproute2
)

// Languages lists them.
var Languages = []Language{SNMP, OVSDB, SSH}

// Speaks is a way to speak to a device.
type Speaks struct {
	Protocol Language
	At       string // HOST or HOST:PORT; of OVSDB tcp:HOST:PORT, ssl:HOST:PORT or unix:PATH; "": at its management address
	With     string // the name of the credentials, "" for none
	Save     string // of SNMP: the object that saves what runs, OID=NUMBER, where the device has one
}

// String writes it as in notation: "snmp at 127.0.0.1:20161 with switches".
func (s Speaks) String() string {
	text := string(s.Protocol)
	if s.At != "" {
		text += " at " + s.At
	}
	if s.With != "" {
		text += " with " + s.With
	}
	if s.Save != "" {
		text += " save " + s.Save
	}
	return text
}

// PutSpeaks says a way to speak to a device; one by the same protocol goes.
func (d *Device) PutSpeaks(speaks Speaks) {
	if i := slices.IndexFunc(d.Speaks, func(other Speaks) bool { return other.Protocol == speaks.Protocol }); i >= 0 {
		d.Speaks[i] = speaks
		return
	}
	d.Speaks = append(d.Speaks, speaks)
}

// Check says what is wrong with it, nil where nothing is.
func (s Speaks) Check() error {
	if !slices.Contains(Languages, s.Protocol) {
		return fmt.Errorf("%q is no protocol: snmp, ovsdb or ssh", s.Protocol)
	}
	where := s.At
	if s.Protocol == OVSDB {
		scheme, rest, ok := strings.Cut(s.At, ":")
		if scheme == "unix" && strings.HasPrefix(rest, "/") {
			return nil
		}
		if !ok || scheme != "tcp" && scheme != "ssl" {
			return fmt.Errorf("%q is no address of an OVSDB server: tcp:HOST:PORT or unix:/PATH, or ssl:HOST:PORT", s.At)
		}
		where = rest
	}
	if where != "" {
		if _, _, err := HostPort(where, 0); err != nil {
			return err
		}
	}
	if s.With != "" && !PlainName(s.With) {
		return fmt.Errorf("%q cannot name credentials: letters, digits, - _ and .", s.With)
	}
	if s.Save == "" {
		return nil
	}
	oid, value, ok := strings.Cut(s.Save, "=")
	if s.Protocol != SNMP || !ok || strings.Trim(oid, "0123456789.") != "" || strings.Count(oid, ".") < 3 {
		return fmt.Errorf("%q does not say which object saves: of snmp an OID and a number, as in 1.3.6.1.4.1.99.1.0=1", s.Save)
	}
	if _, err := strconv.ParseInt(value, 10, 32); err != nil {
		return fmt.Errorf("%q is no number that an object is set to", value)
	}
	return nil
}

// HostPort is HOST, HOST:PORT or [IPV6]:PORT as its parts; the port is usual where
// none is said.
func HostPort(text string, usual uint16) (string, uint16, error) {
	if addr, err := netip.ParseAddr(text); err == nil {
		return addr.String(), usual, nil
	}
	host, port := text, ""
	if at := strings.LastIndexByte(text, ':'); at >= 0 {
		host, port = text[:at], text[at+1:]
		inner, bracketed := strings.CutPrefix(host, "[")
		if host = strings.TrimSuffix(inner, "]"); bracketed != (inner != host) || !bracketed && strings.Contains(host, ":") || port == "" {
			return "", 0, fmt.Errorf("%q is no address: HOST or HOST:PORT, IPv6 in brackets", text)
		}
	}
	if host == "" || len(host) > 253 || strings.Trim(strings.ToLower(host), "abcdefghijklmnopqrstuvwxyz0123456789-_.:%") != "" {
		return "", 0, fmt.Errorf("%q is no name or address of a host", host)
	}
	if port == "" {
		return host, usual, nil
	}
	n, err := strconv.ParseUint(port, 10, 16)
	if err != nil || n == 0 {
		return "", 0, fmt.Errorf("%q is no port: 1 to 65535", port)
	}
	return host, uint16(n), nil
}

// MAC is an address of a network card (IEEE 802), lower case with colons:
// "02:00:00:00:01:0a".
type MAC string

// ParseMAC reads one, with colons, hyphens or dots.
func ParseMAC(text string) (MAC, error) {
	digits := strings.NewReplacer(":", "", "-", "", ".", "").Replace(text)
	n, err := strconv.ParseUint(digits, 16, 64)
	if err != nil || len(digits) != 12 || len(text) != 12 && len(text) != 14 && len(text) != 17 {
		return "", fmt.Errorf("%q is no address of a network card: six bytes such as 02:00:00:00:01:0a", text)
	}
	var b [6]byte
	for i := range b {
		b[i] = byte(n >> (8 * (5 - i)))
	}
	return MACOf(b[:])
}

// MACOf is six bytes as one card's address.
func MACOf(b []byte) (MAC, error) {
	switch {
	case len(b) != 6:
		return "", fmt.Errorf("an address of a network card has six bytes, not %d", len(b))
	case b[0]&1 == 1:
		return "", fmt.Errorf("%x is an address of a group, not of one card", b)
	}
	return MAC(fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", b[0], b[1], b[2], b[3], b[4], b[5])), nil
}
