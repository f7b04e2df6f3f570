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
		q, err := coder.SnmpDecodePacket(slices.Clone(buf[:n]))
		if err != nil || q.Version != gosnmp.Version2c || !slices.Contains(x.net.opt.Communities, q.Community) {
			continue // who does not know the community hears nothing (RFC 3584, 5.2.1)
		}
		x.answer(q, from)
	}
}

func (x *device) answer(q *gosnmp.SnmpPacket, from net.Addr) {
	w := x.net
	w.mu.Lock()
	x.requests++
	a := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: q.Community, PDUType: gosnmp.GetResponse, RequestID: q.RequestID}
	switch q.PDUType {
	case gosnmp.GetRequest:
		view := x.entries()
		for _, v := range q.Variables {
			a.Variables = append(a.Variables, exact(view, v.Name))
		}
	case gosnmp.GetNextRequest:
		view := x.entries()
		for _, v := range q.Variables {
			a.Variables = append(a.Variables, next(view, v.Name))
		}
	case gosnmp.GetBulkRequest:
		a.Variables = bulk(x.entries(), q)
	case gosnmp.SetRequest:
		a.Variables = q.Variables
		a.Error, a.ErrorIndex = x.set(q.Variables)
	default:
		w.mu.Unlock()
		return
	}
	w.mu.Unlock()
	if w.opt.Spoil != nil && q.PDUType != gosnmp.SetRequest {
		a.Variables = w.opt.Spoil(w.plan.Devices[x.i].Name, a.Variables)
	}
	time.Sleep(max(w.opt.Delay, time.Duration(w.slow.Load())))
	out, err := a.MarshalMsg()
	if err == nil && len(out) > mostBytes && q.PDUType != gosnmp.GetBulkRequest {
		a.Variables, a.Error = nil, gosnmp.TooBig
		out, err = a.MarshalMsg()
	}
	for err == nil && len(out) > mostBytes { // a bulk answer is cut (RFC 3416, 4.2.3)
		a.Variables = a.Variables[:len(a.Variables)*3/4]
		out, err = a.MarshalMsg()
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
	return slices.BinarySearchFunc(view, oid, func(e entry, oid []int) int { return slices.Compare(e.oid, oid) })
}

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
func bulk(view []entry, q *gosnmp.SnmpPacket) (out []gosnmp.SnmpPDU) {
	single := min(int(q.NonRepeaters), len(q.Variables))
	for _, v := range q.Variables[:single] {
		out = append(out, next(view, v.Name))
	}
	rest := slices.Clone(q.Variables[single:])
	for range min(int(q.MaxRepetitions), mostRows) {
		ended := true
		for i := range rest {
			v := next(view, rest[i].Name)
			rest[i] = v
			ended = ended && v.Type == gosnmp.EndOfMibView
			out = append(out, v)
		}
		if ended || len(rest) == 0 {
			break
		}
	}
	return out
}
