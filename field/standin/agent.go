package standin

import (
	"net"
	"slices"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"
)

// Most of an answer, as of a datagram that no network cuts up much.
const (
	mostBytes = 16000
	mostRows  = 200
)

// serve answers until the connection is closed.
func (x *device) serve() {
	buf := make([]byte, 1<<16)
	coder := &gosnmp.GoSNMP{Version: gosnmp.Version2c, MaxOids: gosnmp.MaxOids}
	for {
		n, from, err := x.conn.ReadFrom(buf)
		if err != nil {
			return
		}
		x.net.mu.Lock()
		lost := x.net.opt.Loss > 0 && x.net.rand.Float64() < x.net.opt.Loss
		x.net.mu.Unlock()
		if lost {
			continue
		}
		packet, err := coder.SnmpDecodePacket(slices.Clone(buf[:n]))
		if err != nil || packet.Version != gosnmp.Version2c || !slices.Contains(x.net.opt.Communities, packet.Community) {
			continue // who does not know the community hears nothing (RFC 3584, 5.2.1)
		}
		x.answer(packet, from)
	}
}

// answer answers one SNMP request (RFC 3416, 4.2), as kindly or unkindly as the options say.
func (x *device) answer(packet *gosnmp.SnmpPacket, from net.Addr) {
	network := x.net
	network.mu.Lock()
	x.requests++
	other := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: packet.Community, PDUType: gosnmp.GetResponse, RequestID: packet.RequestID}
	switch packet.PDUType {
	case gosnmp.GetRequest:
		view := x.entries()
		for _, pdu := range packet.Variables {
			other.Variables = append(other.Variables, exact(view, pdu.Name))
		}
	case gosnmp.GetNextRequest:
		view := x.entries()
		for _, pdu := range packet.Variables {
			other.Variables = append(other.Variables, next(view, pdu.Name))
		}
	case gosnmp.GetBulkRequest:
		other.Variables = bulk(x.entries(), packet)
	case gosnmp.SetRequest:
		other.Variables = packet.Variables
		other.Error, other.ErrorIndex = x.set(packet.Variables)
	default:
		network.mu.Unlock()
		return
	}
	network.mu.Unlock()
	if network.opt.Spoil != nil && packet.PDUType != gosnmp.SetRequest {
		other.Variables = network.opt.Spoil(network.plan.Devices[x.dev].Name, other.Variables)
	}
	time.Sleep(max(network.opt.Delay, time.Duration(network.slow.Load())))
	out, err := other.MarshalMsg()
	if err == nil && len(out) > mostBytes && packet.PDUType != gosnmp.GetBulkRequest {
		other.Variables, other.Error = nil, gosnmp.TooBig
		out, err = other.MarshalMsg()
	}
	for err == nil && len(out) > mostBytes { // a bulk answer is cut (RFC 3416, 4.2.3)
		other.Variables = other.Variables[:len(other.Variables)*3/4]
		out, err = other.MarshalMsg()
	}
	if err == nil {
		_, _ = x.conn.WriteTo(out, from)
	}
}

// entry is an object with its value.
type entry struct {
	oid []int
	pdu gosnmp.SnmpPDU
}

// parse reads an OID.
func parse(text string) []int {
	out := make([]int, 0, 16)
	n, in := 0, false
	for _, c := range strings.TrimPrefix(text, ".") + "." {
		if c == '.' {
			if in {
				out = append(out, n)
			}
			n, in = 0, false
			continue
		}
		n, in = 10*n+int(c-'0'), true
	}
	return out
}

func at(view []entry, oid []int) (int, bool) {
	return slices.BinarySearchFunc(view, oid, func(entry entry, oid []int) int { return slices.Compare(entry.oid, oid) })
}

// exact is the answer to Get (RFC 3416, 4.2.1).
func exact(view []entry, name string) gosnmp.SnmpPDU {
	oid := parse(name)
	if i, ok := at(view, oid); ok {
		return view[i].pdu
	}
	// There is the column, and not this row of it; or not even the column.
	missing := gosnmp.SnmpPDU{Name: name, Type: gosnmp.NoSuchObject}
	if len(oid) > 1 {
		if i, _ := at(view, oid[:len(oid)-1]); i < len(view) && len(view[i].oid) >= len(oid) && slices.Equal(view[i].oid[:len(oid)-1], oid[:len(oid)-1]) {
			missing.Type = gosnmp.NoSuchInstance
		}
	}
	return missing
}

// next is the answer to GetNext: the first object behind the name (RFC 3416, 4.2.2).
func next(view []entry, name string) gosnmp.SnmpPDU {
	i, ok := at(view, parse(name))
	if ok {
		i++
	}
	if i >= len(view) {
		return gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView}
	}
	return view[i].pdu
}

// bulk is RFC 3416, 4.2.3.
func bulk(view []entry, packet *gosnmp.SnmpPacket) (out []gosnmp.SnmpPDU) {
	single := min(int(packet.NonRepeaters), len(packet.Variables))
	for _, pdu := range packet.Variables[:single] {
		out = append(out, next(view, pdu.Name))
	}
	rest := slices.Clone(packet.Variables[single:])
	for range min(int(packet.MaxRepetitions), mostRows) {
		ended := true
		for i := range rest {
			pdu := next(view, rest[i].Name)
			rest[i] = pdu
			ended = ended && pdu.Type == gosnmp.EndOfMibView
			out = append(out, pdu)
		}
		if ended || len(rest) == 0 {
			break
		}
	}
	return out
}
