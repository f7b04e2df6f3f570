package bridge

import (
	"cmp"
	"slices"

	"klammer/core/office"
)

// Port is one port's compiled shape. It is shared by all ports that have the
// same shape, and never changed.
type Port struct {
	Off      bool
	Filter   bool // ingress filtering (IEEE 802.1Q clause 8.6.2)
	Admit    office.Admit
	PVID     office.VID // 0: none
	Group    office.VID // where the device is grouped: the group that the port sits in, its untagged VLAN; 0: none
	Untagged office.Set
	Tagged   office.Set
	Rides    []office.Ride // translation, by VLAN
	riders   map[office.VID]office.VID
	// Access is the VLAN of a port that is in one VLAN untagged and nothing else
	// was said: most ports of most offices. 0 for any other.
	Access office.VID
}

// shut stands for the members of bundles, whose bundle forwards for them.
var shut = &Port{Off: true, Filter: true}

// Compile compiles a resolved shape; rest is what Rest stands for on this
// port: the register for all, the cable's needs for needed.
func Compile(shape *office.Shape, rest *office.Set) *Port {
	compiled := &Port{Off: shape.Off, Filter: !shape.FilterOff, Admit: shape.Admit, PVID: shape.PortVID(), Rides: shape.Rides}
	compiled.Access = Access(shape)
	for _, ride := range shape.Rides {
		if compiled.riders == nil {
			compiled.riders = make(map[office.VID]office.VID, len(shape.Rides))
		}
		compiled.riders[ride.Wire] = ride.VLAN
	}
	for _, vid := range shape.Untagged {
		compiled.Untagged.Add(vid)
	}
	for _, vid := range shape.Tagged {
		compiled.Tagged.Add(vid)
	}
	if len(shape.Untagged) > 0 {
		compiled.Group = shape.Untagged[0]
		if compiled.Untagged.Has(compiled.PVID) { // of several, the one that takes what arrives
			compiled.Group = compiled.PVID
		}
	}
	if shape.Rest != office.RestNone && rest != nil && !shape.Off {
		compiled.Tagged.AddAll(rest)
		compiled.Tagged = compiled.Tagged.Minus(&compiled.Untagged)
		for _, ride := range shape.Rides { // a wire VID that is taken stays with its ride
			if compiled.Tagged.Has(ride.Wire) && shape.Of(ride.Wire) == office.NotMember {
				compiled.Tagged.Remove(ride.Wire)
			}
		}
	}
	return compiled
}

// Access is the VLAN of a shape that is one VLAN untagged and nothing else, 0
// for any other shape.
func Access(shape *office.Shape) office.VID {
	if shape.Off || shape.PVIDSet || shape.FilterOff || shape.Admit != office.AdmitAll || shape.Rest != office.RestNone || len(shape.Untagged) != 1 || len(shape.Tagged) > 0 {
		return 0
	}
	return shape.Untagged[0]
}

// Has says whether the port is a member of vid.
func (p *Port) Has(vid office.VID) bool { return p.Untagged.Has(vid) || p.Tagged.Has(vid) }

// Members is untagged and tagged together.
func (p *Port) Members() office.Set {
	set := p.Untagged
	set.AddAll(&p.Tagged)
	return set
}

// Of is how vid stands on the port.
func (p *Port) Of(vid office.VID) office.Membership {
	switch {
	case p.Untagged.Has(vid):
		return office.Untagged
	case p.Tagged.Has(vid):
		return office.Tagged
	}
	return office.NotMember
}

// WireOf is the VID that tagged member vid has on the wire.
func (p *Port) WireOf(vid office.VID) Wire {
	if len(p.Rides) == 0 {
		return Wire(vid)
	}
	i, ok := slices.BinarySearchFunc(p.Rides, vid, func(ride office.Ride, other office.VID) int { return cmp.Compare(ride.VLAN, other) })
	if ok {
		return Wire(p.Rides[i].Wire)
	}
	return Wire(vid)
}

// vlanOf is the VLAN that a VID on the wire stands for (IEEE 802.1Q clause
// 6.9): the one that rides it, else the one of that number.
func (p *Port) vlanOf(wire Wire) office.VID {
	if vid, ok := p.riders[office.VID(wire)]; ok && wire > 0 {
		return vid
	}
	return office.VID(wire)
}

// Equal says whether two ports forward alike.
func (p *Port) Equal(compiled *Port) bool {
	if p == compiled {
		return true
	}
	if p.Off != compiled.Off || p.Filter != compiled.Filter || p.Admit != compiled.Admit || p.PVID != compiled.PVID || len(p.Rides) != len(compiled.Rides) {
		return false
	}
	for i := range p.Rides {
		if p.Rides[i] != compiled.Rides[i] {
			return false
		}
	}
	return p.Untagged == compiled.Untagged && p.Tagged == compiled.Tagged
}

// Table is how one device forwards.
type Table struct {
	Device *office.Device
	Ports  []*Port // by the index of Device.Ports; members of bundles are shut
}

// NewTable compiles a device. port gives the compiled shape of a port that is
// no member of a bundle.
func NewTable(device *office.Device, port func(i int) *Port) *Table {
	table := &Table{Device: device, Ports: make([]*Port, len(device.Ports))}
	for i := range device.Ports {
		if device.Ports[i].Bundle > 0 {
			table.Ports[i] = shut
		} else {
			table.Ports[i] = port(i)
		}
	}
	return table
}

// Ingress is what a frame that arrives at a port joins, or why it is dropped.
// The order of the checks is that of IEEE 802.1Q clauses 6.9 and 8.6.
func (t *Table) Ingress(port int, wire Wire) (Domain, Reason) {
	compiled := t.Ports[port]
	if compiled.Off {
		return Domain{}, PortOff
	}
	switch t.Device.Forwarding {
	case office.Unaware:
		return Domain{Keep: true, Kept: wire}, Passed
	case office.UnawareDrops:
		if wire > 0 {
			return Domain{}, DropsTags
		}
		return Domain{Keep: true, Kept: wire}, Passed
	}
	if compiled.Admit == office.AdmitTagged && wire <= 0 || compiled.Admit == office.AdmitUntagged && wire > 0 {
		return Domain{}, NotAdmit
	}
	if t.Device.Forwarding == office.Grouped {
		return compiled.intoGroup(wire)
	}
	vid := compiled.PVID
	if wire > 0 {
		vid = compiled.vlanOf(wire)
	} else if vid == 0 {
		return Domain{}, NoPVID
	}
	if compiled.Filter && !compiled.Has(vid) {
		return Domain{}, NotMember
	}
	domain := Domain{VID: vid}
	if t.Device.Forwarding == office.Routed {
		domain.Port = int16(port + 1)
	}
	return domain, Passed
}

// intoGroup is ingress of a grouped device: a tagged VID that is set on the
// port goes to its VLAN's group, any other frame to the port's own group, with
// its tag kept.
func (p *Port) intoGroup(wire Wire) (Domain, Reason) {
	if wire > 0 {
		if vid := p.vlanOf(wire); p.Tagged.Has(vid) && p.WireOf(vid) == wire {
			return Domain{VID: vid}, Passed
		}
	}
	if p.Group == 0 {
		return Domain{}, NoGroup
	}
	if wire > 0 {
		return Domain{VID: p.Group, Keep: true, Kept: wire}, Passed
	}
	return Domain{VID: p.Group}, Passed
}

// Egress is what a frame of a domain wears when it leaves by a port; false
// where it does not leave there. The caller keeps it from leaving by the port
// that it came in by.
func (t *Table) Egress(domain Domain, port int) (Wire, bool) {
	compiled := t.Ports[port]
	if compiled.Off {
		return 0, false
	}
	switch t.Device.Forwarding {
	case office.Unaware, office.UnawareDrops:
		return domain.Kept, true
	case office.Routed:
		if int(domain.Port) != port+1 {
			return 0, false
		}
	}
	switch compiled.Of(domain.VID) {
	case office.NotMember:
		return 0, false
	case office.Untagged:
		if !domain.Keep {
			return Untagged, true
		}
	}
	if domain.Keep { // a kept tag is not tagged over
		return domain.Kept, true
	}
	return compiled.WireOf(domain.VID), true
}
