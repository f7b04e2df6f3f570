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
func base(device *office.Device, port int) int {
	if device.Ports[port].Bundle > 0 {
		return 0
	}
	return port + 1
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

// add writes an object, unless the stand-in is to be without that part of the tree.
func (m *maker) add(kind gosnmp.Asn1BER, value any, oid string, index ...int) {
	for _, n := range index {
		oid += fmt.Sprintf(".%d", n)
	}
	for word := range m.without {
		if strings.HasPrefix(oid+".", word+".") {
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

// build is all that the agent has to show now, in the order of the tree. A device that knows no
// tags has interfaces and no bridge to look into.
func (x *device) build() []entry {
	device := x.net.net.Office.Devices[x.dev]
	one := &maker{without: x.net.opt.Without}
	one.text("A stand-in for "+string(device.Kind)+" "+device.Name, mib.SysDescr)
	one.add(gosnmp.ObjectIdentifier, "."+mib.StandIn, mib.SysObjectID)
	one.add(gosnmp.TimeTicks, uint32(0), mib.SysUpTime)
	one.text(device.Name, mib.SysName)
	x.interfaces(one, device)
	if !device.Unaware() {
		x.bridge(one, device)
		x.lldp(one, device)
		one.num(0, SaveObject)
	}
	slices.SortFunc(one.out, func(a, b entry) int { return slices.Compare(a.oid, b.oid) })
	return one.out
}

// interfaces writes the IF-MIB (RFC 2863): a port is up where something hangs at it.
func (x *device) interfaces(maker *maker, device *office.Device) {
	o := x.net.net.Office
	used := map[string]bool{}
	for _, cable := range o.Cables {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			if ref.Device == device.Name {
				used[ref.Port] = true
			}
		}
	}
	for _, plug := range o.Plugs {
		if plug.Port.Device == device.Name {
			used[plug.Port.Port] = true
		}
	}
	for one := range device.Ports {
		port, index := &device.Ports[one], firstIndex+one
		kind := mib.TypeEthernet
		up := used[port.Name]
		switch {
		case port.Kind == office.Bundle:
			kind = mib.TypeLAG
			up = slices.ContainsFunc(port.Members, func(k int) bool { return used[device.Ports[k].Name] })
		case port.Kind == office.Inner && port.Flavour == office.SSID:
			kind, up = mib.TypeWireless, true
		case port.Kind == office.Inner:
			kind, up = mib.TypeVirtual, true
		}
		admin := mib.StatusUp
		if !device.Unaware() && x.running.Ports[device.Logical(one)].Off {
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
		maker.text("Port "+port.Name, mib.IfDescr, index)
		maker.num(kind, mib.IfType, index)
		maker.gauge(min(speed*1_000_000, 1<<32-1), mib.IfSpeed, index)
		maker.add(gosnmp.OctetString, hardware(Card(device.Name+"."+port.Name)), mib.IfPhysAddress, index)
		maker.num(admin, mib.IfAdminStatus, index)
		maker.num(oper, mib.IfOperStatus, index)
		maker.text(called(port), mib.IfName, index)
		maker.gauge(speed, mib.IfHighSpeed, index)
		maker.text("", mib.IfAlias, index)
		if port.Kind == office.Physical {
			attached := 0 // to none
			if b := port.Bundle; b > 0 {
				attached = firstIndex + b - 1
			}
			maker.num(attached, mib.AttachedAggID, index)
		}
	}
}

func hardware(mac office.MAC) []byte {
	hw, _ := net.ParseMAC(string(mac))
	return hw
}

// bridge writes BRIDGE-MIB and Q-BRIDGE-MIB (RFC 4188, 4363) of what runs. Sets of ports are
// strings of bits, the first port's the highest of the first byte (PortList).
func (x *device) bridge(maker *maker, device *office.Device) {
	count := 0
	for port := range device.Ports {
		if n := base(device, port); n > 0 {
			count++
			maker.num(firstIndex+port, mib.BasePortIfIndex, n)
		}
	}
	maker.num(count, mib.BaseNumPorts)
	length := (len(device.Ports) + 7) / 8
	list := func(in func(p int) bool) []byte {
		b := make([]byte, length)
		for port := range device.Ports {
			if n := base(device, port); n > 0 && in(port) {
				b[(n-1)/8] |= 0x80 >> ((n - 1) % 8)
			}
		}
		for x.net.opt.Short && len(b) > 0 && b[len(b)-1] == 0 {
			b = b[:len(b)-1]
		}
		return b
	}
	vlans := 0
	for one := range x.running.VLANs.All() {
		vlans++
		vid := int(one)
		untagged := list(func(port int) bool { return x.running.Ports[port].Untagged.Has(one) })
		egress := list(func(port int) bool {
			return x.running.Ports[port].Untagged.Has(one) || x.running.Ports[port].Tagged.Has(one)
		})
		maker.gauge(vid, mib.CurrentFdbID, 0, vid)
		cards := 0
		for _, card := range x.net.learnt[x.dev] {
			if card.vid == one {
				cards++
			}
		}
		maker.add(gosnmp.Counter32, uint32(cards), mib.FdbCount, vid)
		maker.add(gosnmp.OctetString, egress, mib.CurrentEgress, 0, vid)
		maker.add(gosnmp.OctetString, untagged, mib.CurrentUntagged, 0, vid)
		maker.num(2, mib.CurrentStatus, 0, vid) // permanent
		maker.text(x.names[one], mib.StaticName, vid)
		maker.add(gosnmp.OctetString, egress, mib.StaticEgress, vid)
		maker.add(gosnmp.OctetString, list(func(int) bool { return false }), mib.StaticForbidden, vid)
		maker.add(gosnmp.OctetString, untagged, mib.StaticUntagged, vid)
		maker.num(mib.RowActive, mib.StaticRowStatus, vid)
	}
	maker.gauge(vlans, mib.NumVLANs)
	for port := range device.Ports {
		n := base(device, port)
		if n == 0 {
			continue
		}
		setting := &x.running.Ports[port]
		row := x.rows[port]
		maker.gauge(int(row.pvid), mib.PVID, n)
		maker.num(mib.AdmitOf(row.admit), mib.Acceptable, n)
		maker.num(mib.Truth(setting.Filter), mib.IngressFiltering, n)
	}
	for _, card := range x.net.learnt[x.dev] {
		index := []int{int(card.vid)}
		for _, b := range hardware(card.mac) {
			index = append(index, int(b))
		}
		maker.num(base(device, card.port), mib.FdbPort, index...)
		maker.num(mib.FdbLearnt, mib.FdbStatus, index...)
	}
	maker.out = unique(maker.out)
}

// unique drops objects that are there already.
func unique(all []entry) []entry {
	seen := map[string]bool{}
	return slices.DeleteFunc(all, func(entry entry) bool {
		twice := seen[entry.pdu.Name]
		seen[entry.pdu.Name] = true
		return twice
	})
}

// lldp writes who the neighbours say they are (IEEE 802.1AB, LLDP-MIB), phones with LLDP-MED beside
// it.
func (x *device) lldp(maker *maker, device *office.Device) {
	for port := range device.Ports {
		if device.Ports[port].Kind == office.Physical {
			maker.num(mib.PortIDIfName, mib.LocPortIDSubtype, port+1)
			maker.text(called(&device.Ports[port]), mib.LocPortID, port+1)
			maker.text("Port "+device.Ports[port].Name, mib.LocPortDesc, port+1)
		}
	}
	for k, neighbour := range x.neighbours() {
		index := []int{0, neighbour.port + 1, k + 1}
		if neighbour.voice != 0 {
			x.phone(maker, neighbour, index)
			continue
		}
		maker.num(mib.ChassisIDMAC, mib.RemChassisSubtype, index...)
		maker.add(gosnmp.OctetString, hardware(Card(neighbour.device)), mib.RemChassisID, index...)
		maker.num(mib.PortIDIfName, mib.RemPortIDSubtype, index...)
		maker.text(neighbour.name, mib.RemPortID, index...)
		maker.text("Port "+neighbour.name, mib.RemPortDesc, index...)
		maker.text(neighbour.device, mib.RemSysName, index...)
	}
}

// phone is one that is heard: it goes by its card, and says where it has its voice (LLDP-MED).
func (x *device) phone(maker *maker, neighbour neighbour, index []int) {
	card := Card(neighbour.device)
	for _, plug := range x.net.net.Office.Plugs {
		if plug.Name == neighbour.device && plug.MAC != "" {
			card = plug.MAC
		}
	}
	maker.num(mib.ChassisIDMAC, mib.RemChassisSubtype, index...)
	maker.add(gosnmp.OctetString, hardware(card), mib.RemChassisID, index...)
	maker.num(mib.PortIDMAC, mib.RemPortIDSubtype, index...)
	maker.add(gosnmp.OctetString, hardware(card), mib.RemPortID, index...)
	maker.text("phone", mib.RemPortDesc, index...)
	maker.text(neighbour.device, mib.RemSysName, index...)
	maker.add(gosnmp.OctetString, []byte{mib.CapTelephone}, mib.RemCapEnabled, index...)
	maker.num(mib.MedClass3, mib.MedRemClass, index...)
	voice := append(index, mib.MedVoice)
	maker.num(int(neighbour.voice), mib.MedRemVLAN, voice...)
	maker.num(mib.True, mib.MedRemTagged, voice...)
}
