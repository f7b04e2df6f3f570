package standin

import (
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/field/mib"
)

// ifIndexes start here: no base port, no interface and no name of a port is the same
// number as another, as on real devices.
const firstIndex = 1001

// base is a port's number as a port of the bridge (dot1dBasePort); 0 of a bundle's
// member, which is none.
func base(d *office.Device, p int) int {
	if d.Ports[p].Bundle > 0 {
		return 0
	}
	return p + 1
}

// entries is all that a device tells, in order.
func (x *device) entries() []entry {
	x.net.learn()
	if x.view == nil {
		x.view = x.build()
	}
	ticks := uint32(time.Since(x.started).Milliseconds() / 10)
	if i, ok := at(x.view, parse(mib.SysUpTime)); ok {
		x.view[i].pdu.Value = ticks
	}
	return x.view
}

// maker collects entries.
type maker struct {
	out     []entry
	without map[string]bool
}

func (m *maker) add(kind gosnmp.Asn1BER, value any, oid string, index ...int) {
	for _, n := range index {
		oid += fmt.Sprintf(".%d", n)
	}
	for w := range m.without {
		if strings.HasPrefix(oid+".", w+".") {
			return
		}
	}
	m.out = append(m.out, entry{parse(oid), gosnmp.SnmpPDU{Name: "." + oid, Type: kind, Value: value}})
}

func (m *maker) text(value, oid string, index ...int) {
	m.add(gosnmp.OctetString, []byte(value), oid, index...)
}
func (m *maker) num(value int, oid string, index ...int) {
	m.add(gosnmp.Integer, value, oid, index...)
}
func (m *maker) gauge(value int, oid string, index ...int) {
	m.add(gosnmp.Gauge32, uint32(value), oid, index...)
}

func (x *device) build() []entry {
	d := x.net.n.Office.Devices[x.i]
	m := &maker{without: x.net.opt.Without}
	m.text("A stand-in for "+string(d.Kind)+" "+d.Name, mib.SysDescr)
	m.add(gosnmp.ObjectIdentifier, "."+mib.StandIn, mib.SysObjectID)
	m.add(gosnmp.TimeTicks, uint32(0), mib.SysUpTime)
	m.text(d.Name, mib.SysName)
	x.interfaces(m, d)
	if !d.Unaware() {
		x.bridge(m, d)
		x.lldp(m, d)
		m.num(0, SaveObject)
	}
	slices.SortFunc(m.out, func(a, b entry) int { return slices.Compare(a.oid, b.oid) })
	return m.out
}

func (x *device) interfaces(m *maker, d *office.Device) {
	o := x.net.n.Office
	used := map[string]bool{}
	for _, c := range o.Cables {
		for _, r := range []office.PortRef{c.A, c.B} {
			if r.Device == d.Name {
				used[r.Port] = true
			}
		}
	}
	for _, p := range o.Plugs {
		if p.Port.Device == d.Name {
			used[p.Port.Port] = true
		}
	}
	for p := range d.Ports {
		port, index := &d.Ports[p], firstIndex+p
		kind := mib.TypeEthernet
		up := used[port.Name]
		switch {
		case port.Kind == office.Bundle:
			kind = mib.TypeLAG
			up = slices.ContainsFunc(port.Members, func(k int) bool { return used[d.Ports[k].Name] })
		case port.Kind == office.Inner && port.Flavour == office.SSID:
			kind, up = mib.TypeWireless, true
		case port.Kind == office.Inner:
			kind, up = mib.TypeVirtual, true
		}
		admin := mib.StatusUp
		if !d.Unaware() && x.running.Ports[d.Logical(p)].Off {
			admin, up = mib.StatusDown, false
		}
		oper := mib.StatusDown
		if up {
			oper = mib.StatusUp
		}
		speed := int(port.Speed)
		if speed == 0 {
			speed = 1000
		}
		m.text("Port "+port.Name, mib.IfDescr, index)
		m.num(kind, mib.IfType, index)
		m.gauge(min(speed*1_000_000, 1<<32-1), mib.IfSpeed, index)
		m.add(gosnmp.OctetString, hardware(Card(d.Name+"."+port.Name)), mib.IfPhysAddress, index)
		m.num(admin, mib.IfAdminStatus, index)
		m.num(oper, mib.IfOperStatus, index)
		m.text(called(port), mib.IfName, index)
		m.gauge(speed, mib.IfHighSpeed, index)
		m.text("", mib.IfAlias, index)
		if port.Kind == office.Physical {
			attached := 0 // to none
			if b := port.Bundle; b > 0 {
				attached = firstIndex + b - 1
			}
			m.num(attached, mib.AttachedAggID, index)
		}
	}
}

func hardware(mac office.MAC) []byte {
	hw, _ := net.ParseMAC(string(mac))
	return hw
}

func (x *device) bridge(m *maker, d *office.Device) {
	count := 0
	for p := range d.Ports {
		if n := base(d, p); n > 0 {
			count++
			m.num(firstIndex+p, mib.BasePortIfIndex, n)
		}
	}
	m.num(count, mib.BaseNumPorts)
	length := (len(d.Ports) + 7) / 8
	list := func(in func(p int) bool) []byte {
		b := make([]byte, length)
		for p := range d.Ports {
			if n := base(d, p); n > 0 && in(p) {
				b[(n-1)/8] |= 0x80 >> ((n - 1) % 8)
			}
		}
		for x.net.opt.Short && len(b) > 0 && b[len(b)-1] == 0 {
			b = b[:len(b)-1]
		}
		return b
	}
	vlans := 0
	for v := range x.running.VLANs.All() {
		vlans++
		vid := int(v)
		untagged := list(func(p int) bool { return x.running.Ports[p].Untagged.Has(v) })
		egress := list(func(p int) bool { return x.running.Ports[p].Untagged.Has(v) || x.running.Ports[p].Tagged.Has(v) })
		m.gauge(vid, mib.CurrentFdbID, 0, vid)
		cards := 0
		for _, c := range x.net.learnt[x.i] {
			if c.vid == v {
				cards++
			}
		}
		m.add(gosnmp.Counter32, uint32(cards), mib.FdbCount, vid)
		m.add(gosnmp.OctetString, egress, mib.CurrentEgress, 0, vid)
		m.add(gosnmp.OctetString, untagged, mib.CurrentUntagged, 0, vid)
		m.num(2, mib.CurrentStatus, 0, vid) // permanent
		m.text(x.names[v], mib.StaticName, vid)
		m.add(gosnmp.OctetString, egress, mib.StaticEgress, vid)
		m.add(gosnmp.OctetString, list(func(int) bool { return false }), mib.StaticForbidden, vid)
		m.add(gosnmp.OctetString, untagged, mib.StaticUntagged, vid)
		m.num(mib.RowActive, mib.StaticRowStatus, vid)
	}
	m.gauge(vlans, mib.NumVLANs)
	for p := range d.Ports {
		n := base(d, p)
		if n == 0 {
			continue
		}
		s := &x.running.Ports[p]
		row := x.rows[p]
		m.gauge(int(row.pvid), mib.PVID, n)
		m.num(mib.AdmitOf(row.admit), mib.Acceptable, n)
		m.num(mib.Truth(s.Filter), mib.IngressFiltering, n)
	}
	for _, c := range x.net.learnt[x.i] {
		index := []int{int(c.vid)}
		for _, b := range hardware(c.mac) {
			index = append(index, int(b))
		}
		m.num(base(d, c.port), mib.FdbPort, index...)
		m.num(mib.FdbLearnt, mib.FdbStatus, index...)
	}
	m.out = unique(m.out)
}

// unique drops objects that are there already.
func unique(all []entry) []entry {
	seen := map[string]bool{}
	return slices.DeleteFunc(all, func(e entry) bool {
		twice := seen[e.pdu.Name]
		seen[e.pdu.Name] = true
		return twice
	})
}

func (x *device) lldp(m *maker, d *office.Device) {
	for p := range d.Ports {
		if d.Ports[p].Kind == office.Physical {
			m.num(mib.PortIDIfName, mib.LocPortIDSubtype, p+1)
			m.text(called(&d.Ports[p]), mib.LocPortID, p+1)
			m.text("Port "+d.Ports[p].Name, mib.LocPortDesc, p+1)
		}
	}
	for k, h := range x.neighbours() {
		index := []int{0, h.port + 1, k + 1}
		if h.voice != 0 {
			x.phone(m, h, index)
			continue
		}
		m.num(mib.ChassisIDMAC, mib.RemChassisSubtype, index...)
		m.add(gosnmp.OctetString, hardware(Card(h.device)), mib.RemChassisID, index...)
		m.num(mib.PortIDIfName, mib.RemPortIDSubtype, index...)
		m.text(h.name, mib.RemPortID, index...)
		m.text("Port "+h.name, mib.RemPortDesc, index...)
		m.text(h.device, mib.RemSysName, index...)
	}
}

// phone is one that is heard: it goes by its card, and says where it has its voice (LLDP-MED).
func (x *device) phone(m *maker, h neighbour, index []int) {
	card := Card(h.device)
	for _, p := range x.net.n.Office.Plugs {
		if p.Name == h.device && p.MAC != "" {
			card = p.MAC
		}
	}
	m.num(mib.ChassisIDMAC, mib.RemChassisSubtype, index...)
	m.add(gosnmp.OctetString, hardware(card), mib.RemChassisID, index...)
	m.num(mib.PortIDMAC, mib.RemPortIDSubtype, index...)
	m.add(gosnmp.OctetString, hardware(card), mib.RemPortID, index...)
	m.text("phone", mib.RemPortDesc, index...)
	m.text(h.device, mib.RemSysName, index...)
	m.add(gosnmp.OctetString, []byte{mib.CapTelephone}, mib.RemCapEnabled, index...)
	m.num(mib.MedClass3, mib.MedRemClass, index...)
	voice := append(index, mib.MedVoice)
	m.num(int(h.voice), mib.MedRemVLAN, voice...)
	m.num(mib.True, mib.MedRemTagged, voice...)
}
