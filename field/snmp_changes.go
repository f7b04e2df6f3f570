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
func (s *snmp) nones(device *office.Device, match Match, from, to wording.State) []none {
	some := false
	for port := range device.Ports {
		some = some || device.Ports[port].Bundle == 0 && match[port] >= 0 && to.Ports[port].PVID == 0 && !from.Ports[port].Alike(&to.Ports[port])
	}
	switch {
	case !some:
		return []none{noneByAdmit}
	case keepsPVID(device):
		return []none{noneByMember}
	case rehearsing(s.client.Context) != nil:
		return []none{noneByAdmit}
	}
	return []none{noneByAdmit, noneByMember, noneByAbsent}
}

func keepsPVID(device *office.Device) bool {
	return slices.Contains(device.Wording.Habits, office.KeepsPVIDVLAN)
}

// frames is what of a setting is a row of dot1qPortVlanTable.
type frames struct {
	pvid   office.VID
	admit  office.Admit
	filter bool
}

// row is a setting as the table can have it, beside what it has.
func (s *snmp) row(port string, setting *wording.Setting, now frames, known *office.Set, way none) (frames, error) {
	want := frames{setting.PVID, setting.Admit, setting.Filter}
	if setting.PVID != 0 || !s.reading.Tells(TellsPVID) {
		return want, nil
	}
	in := setting.Members()
	if want.pvid = now.pvid; !known.Has(now.pvid) { // it goes, and cannot as long as it is a PVID
		want.pvid = office.DefaultVID
	}
	absent := func() error {
		for _, vid := range append([]office.VID{want.pvid, office.DefaultVID}, known.VIDs()...) {
			if vid != 0 && setting.Filter && !in.Has(vid) {
				want.pvid = vid
				return nil
			}
		}
		return &Refused{port, "a PVID is a number (RFC 4363), and this port takes no untagged frame only where the device accepts tagged frames alone, or filters and knows a VLAN that the port is not in"}
	}
	switch {
	case setting.Admit == office.AdmitUntagged || !s.reading.Tells(TellsAdmit):
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
	snmp     *snmp
	device   *office.Device
	match    Match
	from, to wording.State
	ports    []int      // of the device that are ports of the bridge
	touched  office.Set // VLANs of which ports come or go
}

// base is a port's number in the bridge (dot1dBasePort), 0 where the device has no such port; it is
// not the interface's index (RFC 4188).
func (c *changing) base(p int) int {
	if c.match[p] < 0 {
		return 0
	}
	return c.snmp.reading.Ports[c.match[p]].Number
}

// shutAsItIs is a state whose ports that are shut, and of which nothing else is said, are
// otherwise as before.
func shutAsItIs(from, to wording.State) wording.State {
	to.Ports = slices.Clone(to.Ports)
	for port := range to.Ports {
		if setting := &to.Ports[port]; setting.Off && setting.Untagged.Empty() && setting.Tagged.Empty() && setting.PVID == 0 {
			*setting = from.Ports[port]
			setting.Off = true
			for _, in := range []*office.Set{&setting.Untagged, &setting.Tagged} {
				*in = in.And(&to.VLANs)
			}
		}
	}
	return to
}

// gone is the VLANs that go.
func (c *changing) gone() *office.Set {
	one := c.from.VLANs.Minus(&c.to.VLANs)
	return &one
}

// changes is the objects to set, in parts that come one after the other.
func (s *snmp) changes(device *office.Device, match Match, from, to wording.State, way none) ([][]object, error) {
	one := &changing{snmp: s, device: device, match: match, from: from, to: shutAsItIs(from, to)}
	for port := range device.Ports {
		if device.Ports[port].Bundle == 0 && one.base(port) > 0 {
			one.ports = append(one.ports, port)
		}
	}
	for _, port := range one.ports {
		setting, other := &from.Ports[port], &to.Ports[port]
		for _, x := range []office.Set{setting.Untagged.Xor(&other.Untagged), setting.Tagged.Xor(&other.Tagged)} {
			one.touched.AddAll(&x)
		}
	}
	rows, err := one.rows(way)
	if err != nil {
		return nil, err
	}
	come, leave := one.members()
	parts := [][]object{one.created(), come, rows, one.opened(), leave, one.forgotten()}
	return slices.DeleteFunc(parts, func(x []object) bool { return len(x) == 0 }), nil
}

// lists is the ports of a VLAN as they should be; with those that go later, where keep says
// so. Untagged ports are among the others at every moment.
func (c *changing) lists(vid office.VID, what string, keep bool) []object {
	egress, untagged := c.snmp.list(mib.StaticEgress, vid), c.snmp.list(mib.StaticUntagged, vid)
	forbidden := c.snmp.lists[listKey(mib.StaticForbidden, vid)]
	free := slices.Clone(forbidden)
	for _, port := range c.ports {
		setting, other, n := &c.from.Ports[port], &c.to.Ports[port], c.base(port)
		was, is := setting.Untagged.Has(vid) || setting.Tagged.Has(vid), other.Untagged.Has(vid) || other.Tagged.Has(vid)
		form, stays := other, keep && was && !is
		if joins := other.Untagged.Minus(&setting.Untagged); slices.Contains(c.device.Wording.Habits, office.LeavesLast) && setting.Untagged.Has(vid) && !joins.Empty() {
			stays = false // it goes by itself, and would come back
		}
		if stays { // it goes later
			form = setting
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
	if !keep && !slices.Equal(c.snmp.list(mib.StaticEgress, vid), egress) && c.from.VLANs.Has(vid) {
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
		if c.snmp.static[vid] {
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
		if !c.snmp.static[vid] {
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
	return !slices.ContainsFunc(all, func(object object) bool {
		return !slices.Equal(portList(c.snmp.lists[object.pdu.Name]), portList(object.pdu.Value.([]byte)))
	})
}

// rows is PVIDs, acceptable frames and ingress filtering.
func (c *changing) rows(way none) (out []object, err error) {
	var pvids, admits, filters []object
	for _, port := range c.ports {
		setting, other, name := c.from.Ports[port], c.to.Ports[port], "port "+c.device.Ports[port].Name
		told := c.snmp.reading.Ports[c.match[port]].Set
		setting.Off, other.Off, told.Off = false, false, false // a shut port has rows like any other
		goes := c.gone().Has(told.PVID)
		if setting.Alike(&other) && !goes {
			continue
		}
		is := frames{told.PVID, told.Admit, told.Filter}
		if !told.ForwardsAs(&setting) { // it is not yet as it will be then
			if is, err = c.snmp.row(name, &setting, is, &c.from.VLANs, way); err != nil {
				return nil, err
			}
		}
		want, err := c.snmp.row(name, &other, is, &c.to.VLANs, way)
		if c.to.Ports[port].Off && setting.Alike(&other) { // a VLAN does not go as long as it is a PVID
			want, err = is, nil
			want.pvid = office.DefaultVID
		}
		if err != nil {
			return nil, err
		}
		index := func(column string) string { return column + "." + strconv.Itoa(c.base(port)) }
		if want.pvid != is.pvid && c.snmp.reading.Tells(TellsPVID) {
			pvids = append(pvids, object{gosnmp.SnmpPDU{Name: index(mib.PVID), Type: gosnmp.Gauge32, Value: uint32(want.pvid)}, name + ": PVID"})
		}
		if want.admit != is.admit && c.snmp.reading.Tells(TellsAdmit) {
			admits = append(admits, object{gosnmp.SnmpPDU{Name: index(mib.Acceptable), Type: gosnmp.Integer, Value: mib.AdmitOf(want.admit)}, name + ": acceptable frames"})
		}
		if want.filter != is.filter && c.snmp.reading.Tells(TellsFilter) {
			filters = append(filters, object{gosnmp.SnmpPDU{Name: index(mib.IngressFiltering), Type: gosnmp.Integer, Value: mib.Truth(want.filter)}, name + ": ingress filtering"})
		}
	}
	return slices.Concat(pvids, admits, filters), nil
}

// opened is ports that are opened and shut.
func (c *changing) opened() (out []object) {
	for _, port := range c.ports {
		if setting, other := &c.from.Ports[port], &c.to.Ports[port]; setting.Off != other.Off {
			status := mib.StatusUp
			if other.Off {
				status = mib.StatusDown
			}
			name := fmt.Sprintf("%s.%d", mib.IfAdminStatus, c.snmp.reading.Ports[c.match[port]].Index)
			out = append(out, object{gosnmp.SnmpPDU{Name: name, Type: gosnmp.Integer, Value: status}, "port " + c.device.Ports[port].Name + ": open or shut"})
		}
	}
	return out
}

// forgotten is the rows of VLANs that go.
func (c *changing) forgotten() (out []object) {
	for vid := range c.gone().All() {
		if c.snmp.static[vid] {
			out = append(out, object{gosnmp.SnmpPDU{Name: listKey(mib.StaticRowStatus, vid), Type: gosnmp.Integer, Value: mib.RowDestroy}, fmt.Sprintf("VLAN %d, no more", vid)})
		}
	}
	return out
}

// same says whether two lots set the same, in whatever order.
func same(a, b []object) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(one object) bool {
		return !slices.ContainsFunc(b, func(object object) bool {
			return one.pdu.Name == object.pdu.Name && slices.Equal(one.pdu.Value.([]byte), object.pdu.Value.([]byte))
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
