package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field/mib"
)

// Refused is a device that does not take what it was told.
type Refused struct {
	What string // "VLAN 110: egress ports"
	Why  string
}

func (r *Refused) Error() string { return fmt.Sprintf("refused (%s): %s", r.What, r.Why) }

// object is one that is set, with what it is in words.
type object struct {
	pdu  gosnmp.SnmpPDU
	what string
}

// Set leads the device from one state to another: one request where it fits into one
// (all of it is then done or nothing, RFC 3416, 4.2.5); where the device refuses
// that, the same in the order in which nobody loses what he keeps: new VLANs, ports
// that come, PVIDs and frames, ports that go, VLANs that go.
func (s *snmp) Set(ctx context.Context, d *office.Device, m Match, from, to wording.State) error {
	s.g.Context = ctx
	if s.r == nil {
		return fmt.Errorf("%s was not read before it is set", s.at)
	}
	parts := s.changes(d, m, from, to)
	var all []object
	for _, p := range parts {
		all = append(all, p...)
	}
	if len(all) == 0 {
		return nil
	}
	if len(all) <= mostVarbinds {
		err := s.put(s.once(all))
		var no *Refused
		if err == nil || !errors.As(err, &no) || len(all) == 1 {
			return err
		}
	}
	for _, part := range parts {
		for len(part) > 0 {
			n := 1
			for n < len(part) && n < mostVarbinds && sameRow(part[0], part[n]) {
				n++
			}
			if err := s.each(part[:n]); err != nil {
				return err
			}
			part = part[n:]
		}
	}
	return nil
}

// each sets objects of one row together, or where the device refuses that one by one.
func (s *snmp) each(all []object) error {
	err := s.put(all)
	var no *Refused
	if len(all) == 1 || !errors.As(err, &no) {
		return err
	}
	for _, x := range all {
		if err := s.put([]object{x}); err != nil {
			return err
		}
	}
	return nil
}

// once is objects without those that another sets later: a port list that grows and
// then shrinks is set to what it ends as.
func (s *snmp) once(all []object) (out []object) {
	last := map[string]int{}
	for i, x := range all {
		last[x.pdu.Name] = i
	}
	for i, x := range all {
		if last[x.pdu.Name] == i {
			out = append(out, x)
		}
	}
	return out
}

// sameRow says whether two objects are of one row, or of one column where it is one
// value a port.
func sameRow(a, b object) bool {
	cut := func(name string) (string, string) {
		i := strings.LastIndexByte(name, '.')
		return name[:i], name[i:]
	}
	ca, ia := cut(a.pdu.Name)
	cb, ib := cut(b.pdu.Name)
	static := mib.StaticTable
	if strings.HasPrefix(ca, static) && strings.HasPrefix(cb, static) {
		return ia == ib
	}
	return ca == cb
}

// changes is the objects to set, in parts that come one after the other.
func (s *snmp) changes(d *office.Device, m Match, from, to wording.State) [][]object {
	base := func(p int) int {
		if m[p] < 0 {
			return 0
		}
		return s.r.Ports[m[p]].Number
	}
	var ports []int
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 && base(p) > 0 {
			ports = append(ports, p)
		}
	}
	var touched office.Set
	for _, p := range ports {
		a, b := &from.Ports[p], &to.Ports[p]
		for _, x := range []office.Set{a.Untagged.Xor(&b.Untagged), a.Tagged.Xor(&b.Tagged)} {
			touched.AddAll(&x)
		}
	}
	var create, come, set, leave, gone []object
	lists := func(vid office.VID, what string, keep bool) []object {
		egress, untagged := s.list(mib.StaticEgress, vid), s.list(mib.StaticUntagged, vid)
		for _, p := range ports {
			a, b, n := &from.Ports[p], &to.Ports[p], base(p)
			was, is := a.Untagged.Has(vid) || a.Tagged.Has(vid), b.Untagged.Has(vid) || b.Tagged.Has(vid)
			form := b
			if keep && was && !is { // it goes later
				form = a
			}
			egress, untagged = bit(egress, n, is || keep && was), bit(untagged, n, form.Untagged.Has(vid))
		}
		return []object{
			{gosnmp.SnmpPDU{Name: listKey(mib.StaticEgress, vid), Type: gosnmp.OctetString, Value: egress}, what + ": ports"},
			{gosnmp.SnmpPDU{Name: listKey(mib.StaticUntagged, vid), Type: gosnmp.OctetString, Value: untagged}, what + ": untagged ports"},
		}
	}
	news := to.VLANs.Minus(&from.VLANs)
	for vid := range touched.All() { // a VLAN of which the device has no row yet
		if !s.static[vid] {
			news.Add(vid)
		}
	}
	names := map[office.VID]string{}
	for _, v := range s.r.VLANs {
		names[v.VID] = v.Name
	}
	for vid := range news.All() {
		if s.static[vid] {
			continue
		}
		what := fmt.Sprintf("VLAN %d, new", vid)
		create = append(create, object{gosnmp.SnmpPDU{Name: listKey(mib.StaticRowStatus, vid), Type: gosnmp.Integer, Value: mib.RowCreateAndGo}, what})
		if touched.Has(vid) {
			create = append(create, lists(vid, what, false)...)
		}
	}
	for vid := range touched.All() {
		if !s.static[vid] {
			continue
		}
		what := fmt.Sprintf("VLAN %d", vid)
		first, then := lists(vid, what, true), lists(vid, what, false)
		if same(first, then) {
			come = append(come, then...)
			continue
		}
		come, leave = append(come, first...), append(leave, then...)
	}
	index := func(column string, p int) string { return column + "." + strconv.Itoa(base(p)) }
	for _, p := range ports {
		a, b, name := &from.Ports[p], &to.Ports[p], "port "+d.Ports[p].Name
		if a.PVID != b.PVID && s.r.Tells(TellsPVID) {
			set = append(set, object{gosnmp.SnmpPDU{Name: index(mib.PVID, p), Type: gosnmp.Gauge32, Value: uint32(b.PVID)}, name + ": PVID"})
		}
	}
	for _, p := range ports {
		a, b, name := &from.Ports[p], &to.Ports[p], "port "+d.Ports[p].Name
		if a.Admit != b.Admit && s.r.Tells(TellsAdmit) {
			set = append(set, object{gosnmp.SnmpPDU{Name: index(mib.Acceptable, p), Type: gosnmp.Integer, Value: mib.AdmitOf(b.Admit)}, name + ": acceptable frames"})
		}
	}
	for _, p := range ports {
		a, b, name := &from.Ports[p], &to.Ports[p], "port "+d.Ports[p].Name
		if a.Filter != b.Filter && s.r.Tells(TellsFilter) {
			set = append(set, object{gosnmp.SnmpPDU{Name: index(mib.IngressFiltering, p), Type: gosnmp.Integer, Value: mib.Truth(b.Filter)}, name + ": ingress filtering"})
		}
	}
	for _, p := range ports {
		if a, b := &from.Ports[p], &to.Ports[p]; a.Off != b.Off {
			status := mib.StatusUp
			if b.Off {
				status = mib.StatusDown
			}
			name := fmt.Sprintf("%s.%d", mib.IfAdminStatus, s.r.Ports[m[p]].Index)
			set = append(set, object{gosnmp.SnmpPDU{Name: name, Type: gosnmp.Integer, Value: status}, "port " + d.Ports[p].Name + ": open or shut"})
		}
	}
	drop := from.VLANs.Minus(&to.VLANs)
	for vid := range drop.All() {
		if s.static[vid] {
			gone = append(gone, object{gosnmp.SnmpPDU{Name: listKey(mib.StaticRowStatus, vid), Type: gosnmp.Integer, Value: mib.RowDestroy}, fmt.Sprintf("VLAN %d, no more", vid)})
		}
	}
	return slices.DeleteFunc([][]object{create, come, set, leave, gone}, func(x []object) bool { return len(x) == 0 })
}

func same(a, b []object) bool {
	return slices.EqualFunc(a, b, func(x, y object) bool { return slices.Equal(x.pdu.Value.([]byte), y.pdu.Value.([]byte)) })
}

// list is a copy of a PortList as it was read, as long as the device's are.
func (s *snmp) list(column string, vid office.VID) []byte {
	out := slices.Clone(s.lists[listKey(column, vid)])
	for len(out) < s.length {
		out = append(out, 0)
	}
	return out
}

// bit puts a base port into a PortList or takes it out.
func bit(list []byte, n int, in bool) []byte {
	at, mask := (n-1)/8, byte(0x80>>((n-1)%8))
	for len(list) <= at {
		list = append(list, 0)
	}
	if in {
		list[at] |= mask
	} else {
		list[at] &^= mask
	}
	return list
}

// put sends one request that sets. A lost answer is asked for again by the library;
// setting the same twice comes to the same.
func (s *snmp) put(all []object) error {
	pdus := make([]gosnmp.SnmpPDU, len(all))
	for i, x := range all {
		pdus[i] = x.pdu
	}
	if list := rehearsing(s.g.Context); list != nil {
		for _, x := range all {
			*list = append(*list, pduText(x))
		}
		return nil
	}
	p, err := s.g.Set(pdus)
	if err != nil {
		return s.says("told to set "+all[0].what, err)
	}
	s.requests++
	if p.Error == gosnmp.NoError {
		for _, x := range pdus { // what is there now, for the next request
			if b, ok := x.Value.([]byte); ok {
				s.lists[x.Name] = b
			}
			if index, ok := below(x.Name, mib.StaticRowStatus); ok {
				s.static[office.VID(index[0])] = x.Value != mib.RowDestroy
			}
		}
		return nil
	}
	what := all[0].what
	if i := int(p.ErrorIndex); i >= 1 && i <= len(all) {
		what = all[i-1].what
	}
	return &Refused{what, errorName(p.Error)}
}

// Save sets the object that saves, where the office says that the device has one.
func (s *snmp) Save(ctx context.Context) error {
	s.g.Context = ctx
	oid, value, ok := strings.Cut(s.save, "=")
	if !ok {
		return ErrNoSave
	}
	n, err := strconv.Atoi(value)
	if err != nil {
		return fmt.Errorf("%q is no number", value)
	}
	return s.put([]object{{gosnmp.SnmpPDU{Name: strings.TrimSuffix(oid, ".0") + ".0", Type: gosnmp.Integer, Value: n}, "saving"}})
}
