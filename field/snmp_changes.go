package field

import (
	"fmt"
	"slices"
	"strconv"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field/mib"
)

// none is a way in which a port takes no untagged frames: dot1qPvid is 1 to 4094, and
// never none (RFC 4363, dot1qPvid).
type none int

const (
	noneByAdmit  none = iota // the PVID stays, and tagged frames alone are accepted
	noneByMember             // as before, and the PVID is a VLAN of the port: where it has to be
	noneByAbsent             // the PVID is a VLAN that the port is not in, with ingress filtering (IEEE 802.1Q, 8.6.2)
)

// nones is the ways that may be tried on a device, the surest first.
func (s *snmp) nones(d *office.Device, m Match, from, to wording.State) []none {
	some := false
	for p := range d.Ports {
		some = some || d.Ports[p].Bundle == 0 && m[p] >= 0 && to.Ports[p].PVID == 0 && !from.Ports[p].Alike(&to.Ports[p])
	}
	switch {
	case !some:
		return []none{noneByAdmit}
	case keepsPVID(d):
		return []none{noneByMember}
	case rehearsing(s.g.Context) != nil:
		return []none{noneByAdmit}
	}
	return []none{noneByAdmit, noneByMember, noneByAbsent}
}

func keepsPVID(d *office.Device) bool {
	return slices.Contains(d.Wording.Habits, office.KeepsPVIDVLAN)
}

// frames is what of a setting is a row of dot1qPortVlanTable.
type frames struct {
	pvid   office.VID
	admit  office.Admit
	filter bool
}

// row is a setting as the table can have it, beside what it has.
func (s *snmp) row(port string, x *wording.Setting, now frames, known *office.Set, way none) (frames, error) {
	want := frames{x.PVID, x.Admit, x.Filter}
	if x.PVID != 0 || !s.r.Tells(TellsPVID) {
		return want, nil
	}
	in := x.Members()
	if want.pvid = now.pvid; !known.Has(now.pvid) { // it goes, and cannot as long as it is a PVID
		want.pvid = office.DefaultVID
	}
	absent := func() error {
		for _, v := range append([]office.VID{want.pvid, office.DefaultVID}, known.VIDs()...) {
			if v != 0 && x.Filter && !in.Has(v) {
				want.pvid = v
				return nil
			}
		}
		return &Refused{port, "a PVID is a number (RFC 4363), and this port takes no untagged frame only where the device accepts tagged frames alone, or filters and knows a VLAN that the port is not in"}
	}
	switch {
	case x.Admit == office.AdmitUntagged || !s.r.Tells(TellsAdmit):
		return want, absent()
	case way == noneByAbsent:
		want.admit = office.AdmitAll
		return want, absent()
	case way == noneByMember && !in.Has(want.pvid):
		if in.Empty() {
			return want, &Refused{port, "this device keeps a port in the VLAN of its PVID, which is a number: it cannot be in none. Shut it instead (off)"}
		}
		want.pvid = in.VIDs()[0]
	}
	want.admit = office.AdmitTagged
	return want, nil
}

// changing is the objects of one step while they are worked out.
type changing struct {
	s        *snmp
	d        *office.Device
	m        Match
	from, to wording.State
	ports    []int      // of the device that are ports of the bridge
	touched  office.Set // VLANs of which ports come or go
}

func (c *changing) base(p int) int {
	if c.m[p] < 0 {
		return 0
	}
	return c.s.r.Ports[c.m[p]].Number
}

// shutAsItIs is a state whose ports that are shut, and of which nothing else is said, are
// otherwise as before.
func shutAsItIs(from, to wording.State) wording.State {
	to.Ports = slices.Clone(to.Ports)
	for p := range to.Ports {
		if x := &to.Ports[p]; x.Off && x.Untagged.Empty() && x.Tagged.Empty() && x.PVID == 0 {
			*x = from.Ports[p]
			x.Off = true
			for _, in := range []*office.Set{&x.Untagged, &x.Tagged} {
				*in = in.And(&to.VLANs)
			}
		}
	}
	return to
}

// gone is the VLANs that go.
func (c *changing) gone() *office.Set {
	x := c.from.VLANs.Minus(&c.to.VLANs)
	return &x
}

// changes is the objects to set, in parts that come one after the other.
func (s *snmp) changes(d *office.Device, m Match, from, to wording.State, way none) ([][]object, error) {
	c := &changing{s: s, d: d, m: m, from: from, to: shutAsItIs(from, to)}
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 && c.base(p) > 0 {
			c.ports = append(c.ports, p)
		}
	}
	for _, p := range c.ports {
		a, b := &from.Ports[p], &to.Ports[p]
		for _, x := range []office.Set{a.Untagged.Xor(&b.Untagged), a.Tagged.Xor(&b.Tagged)} {
			c.touched.AddAll(&x)
		}
	}
	rows, err := c.rows(way)
	if err != nil {
		return nil, err
	}
	come, leave := c.members()
	parts := [][]object{c.created(), come, rows, c.opened(), leave, c.forgotten()}
	return slices.DeleteFunc(parts, func(x []object) bool { return len(x) == 0 }), nil
}

// lists is the ports of a VLAN as they should be; with those that go later, where keep says
// so. Untagged ports are among the others at every moment.
func (c *changing) lists(vid office.VID, what string, keep bool) []object {
	egress, untagged := c.s.list(mib.StaticEgress, vid), c.s.list(mib.StaticUntagged, vid)
	forbidden := c.s.lists[listKey(mib.StaticForbidden, vid)]
	free := slices.Clone(forbidden)
	for _, p := range c.ports {
		a, b, n := &c.from.Ports[p], &c.to.Ports[p], c.base(p)
		was, is := a.Untagged.Has(vid) || a.Tagged.Has(vid), b.Untagged.Has(vid) || b.Tagged.Has(vid)
		form, stays := b, keep && was && !is
		if joins := b.Untagged.Minus(&a.Untagged); slices.Contains(c.d.Wording.Habits, office.LeavesLast) && a.Untagged.Has(vid) && !joins.Empty() {
			stays = false // it goes by itself, and would come back
		}
		if stays { // it goes later
			form = a
		}
		egress, untagged = bit(egress, n, is || stays), bit(untagged, n, form.Untagged.Has(vid))
		if is && (n-1)/8 < len(free) { // one of both (RFC 4363, dot1qVlanForbiddenEgressPorts)
			free = bit(free, n, false)
		}
	}
	list := func(column, more string, value []byte) object {
		return object{gosnmp.SnmpPDU{Name: listKey(column, vid), Type: gosnmp.OctetString, Value: value}, what + more}
	}
	out := []object{list(mib.StaticEgress, ": ports", egress), list(mib.StaticUntagged, ": untagged ports", untagged)}
	if !keep && !slices.Equal(c.s.list(mib.StaticEgress, vid), egress) && c.from.VLANs.Has(vid) {
		slices.Reverse(out) // ports go: first from those that are untagged
	}
	if !slices.Equal(free, forbidden) {
		out = append([]object{list(mib.StaticForbidden, ": forbidden ports", free)}, out...)
	}
	return out
}

// created is the rows of VLANs that are new.
func (c *changing) created() (out []object) {
	news := c.to.VLANs.Minus(&c.from.VLANs)
	news.AddAll(&c.touched) // of which the device may have no row yet
	for vid := range news.All() {
		if c.s.static[vid] {
			continue
		}
		what := fmt.Sprintf("VLAN %d, new", vid)
		out = append(out, object{gosnmp.SnmpPDU{Name: listKey(mib.StaticRowStatus, vid), Type: gosnmp.Integer, Value: mib.RowCreateAndGo}, what})
		if c.touched.Has(vid) {
			out = append(out, c.lists(vid, what, false)...)
		}
	}
	return out
}

// members is the ports that come, and those that go.
func (c *changing) members() (come, leave []object) {
	for vid := range c.touched.All() {
		if !c.s.static[vid] {
			continue
		}
		what := fmt.Sprintf("VLAN %d", vid)
		first, then := c.lists(vid, what, true), c.lists(vid, what, false)
		if !c.there(first) {
			come = append(come, first...)
		}
		if !same(first, then) {
			leave = append(leave, then...)
		}
	}
	return come, leave
}

// there says whether the device has lists as they are already.
func (c *changing) there(all []object) bool {
	return !slices.ContainsFunc(all, func(x object) bool {
		return !slices.Equal(portList(c.s.lists[x.pdu.Name]), portList(x.pdu.Value.([]byte)))
	})
}

// rows is PVIDs, acceptable frames and ingress filtering.
func (c *changing) rows(way none) (out []object, err error) {
	var pvids, admits, filters []object
	for _, p := range c.ports {
		a, b, name := c.from.Ports[p], c.to.Ports[p], "port "+c.d.Ports[p].Name
		told := c.s.r.Ports[c.m[p]].Set
		a.Off, b.Off, told.Off = false, false, false // a shut port has rows like any other
		goes := c.gone().Has(told.PVID)
		if a.Alike(&b) && !goes {
			continue
		}
		is := frames{told.PVID, told.Admit, told.Filter}
		if !told.ForwardsAs(&a) { // it is not yet as it will be then
			if is, err = c.s.row(name, &a, is, &c.from.VLANs, way); err != nil {
				return nil, err
			}
		}
		want, err := c.s.row(name, &b, is, &c.to.VLANs, way)
		if c.to.Ports[p].Off && a.Alike(&b) { // a VLAN does not go as long as it is a PVID
			want, err = is, nil
			want.pvid = office.DefaultVID
		}
		if err != nil {
			return nil, err
		}
		index := func(column string) string { return column + "." + strconv.Itoa(c.base(p)) }
		if want.pvid != is.pvid && c.s.r.Tells(TellsPVID) {
			pvids = append(pvids, object{gosnmp.SnmpPDU{Name: index(mib.PVID), Type: gosnmp.Gauge32, Value: uint32(want.pvid)}, name + ": PVID"})
		}
		if want.admit != is.admit && c.s.r.Tells(TellsAdmit) {
			admits = append(admits, object{gosnmp.SnmpPDU{Name: index(mib.Acceptable), Type: gosnmp.Integer, Value: mib.AdmitOf(want.admit)}, name + ": acceptable frames"})
		}
		if want.filter != is.filter && c.s.r.Tells(TellsFilter) {
			filters = append(filters, object{gosnmp.SnmpPDU{Name: index(mib.IngressFiltering), Type: gosnmp.Integer, Value: mib.Truth(want.filter)}, name + ": ingress filtering"})
		}
	}
	return slices.Concat(pvids, admits, filters), nil
}

// opened is ports that are opened and shut.
func (c *changing) opened() (out []object) {
	for _, p := range c.ports {
		if a, b := &c.from.Ports[p], &c.to.Ports[p]; a.Off != b.Off {
			status := mib.StatusUp
			if b.Off {
				status = mib.StatusDown
			}
			name := fmt.Sprintf("%s.%d", mib.IfAdminStatus, c.s.r.Ports[c.m[p]].Index)
			out = append(out, object{gosnmp.SnmpPDU{Name: name, Type: gosnmp.Integer, Value: status}, "port " + c.d.Ports[p].Name + ": open or shut"})
		}
	}
	return out
}

// forgotten is the rows of VLANs that go.
func (c *changing) forgotten() (out []object) {
	for vid := range c.gone().All() {
		if c.s.static[vid] {
			out = append(out, object{gosnmp.SnmpPDU{Name: listKey(mib.StaticRowStatus, vid), Type: gosnmp.Integer, Value: mib.RowDestroy}, fmt.Sprintf("VLAN %d, no more", vid)})
		}
	}
	return out
}

// same says whether two lots set the same, in whatever order.
func same(a, b []object) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(x object) bool {
		return !slices.ContainsFunc(b, func(y object) bool {
			return x.pdu.Name == y.pdu.Name && slices.Equal(x.pdu.Value.([]byte), y.pdu.Value.([]byte))
		})
	})
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
