package order

import (
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
)

// parked says who is plugged in at a port that is in no VLAN for a while, on its way from
// one to another: where two ports exchange their VLANs, one has to wait for the other.
//
//	> gate lan1: 110 [needed]
//	! As planned nothing reaches gate in VLAN 190 devices (management-cut), and on the way
//	    there port lan1 (190 [110 140 160], to be 110 [140 160 190]) is left to do. Bring that
//	    VLAN to it, or say that it has a console (gate console).
func (p *problem) parked(out *Order, acts []*node) {
	type seat struct {
		plug office.Plug
		then office.VID
	}
	var seats []seat
	for _, plug := range p.was.from.Office.Plugs {
		for _, one := range p.plan.from.Office.Plugs {
			if plug.Name != one.Name || plug.Port != one.Port || plug.Operator || p.numbers.of(plug.Wants) == p.numbers.of(one.Wants) {
				continue
			}
			if len(reach.Plug(p.was.net, &plug)) > 0 && len(reach.Plug(p.plan.net, &one)) > 0 {
				seats = append(seats, seat{plug, one.Wants})
			}
		}
	}
	for _, one := range seats {
		begun := -1
		for i, node := range acts {
			none := p.nowhere(node, one.plug)
			switch {
			case none && begun < 0:
				begun = i
			case !none && begun >= 0:
				out.park(begun, i, one.then, one.plug.Port)
				begun = -1
			}
			if none {
				out.Parked++
			}
		}
	}
	for i := range out.Steps {
		slices.SortStableFunc(out.Steps[i].Interrupts, func(a, b Interrupt) int { return int(a.VLAN) - int(b.VLAN) })
	}
}

// park tells that a port is interrupted from one step to another; with whom the same step
// interrupts in the same VLAN as long.
func (o *Order) park(from, until int, vid office.VID, port office.PortRef) {
	name := port.String()
	st := &o.Steps[from]
	for k := range st.Interrupts {
		if interrupt := &st.Interrupts[k]; interrupt.VLAN == vid && interrupt.Until == until && interrupt.Way == "" {
			if !slices.Contains(interrupt.Ports, name) {
				interrupt.Ports = append(slices.Clone(interrupt.Ports), name)
				slices.SortFunc(interrupt.Ports, office.NaturalCompare)
			}
			return
		}
	}
	st.Interrupts = append(st.Interrupts, Interrupt{VLAN: vid, Ports: []string{name}, Until: until})
}

// nowhere says whether a port that somebody is plugged into is in no VLAN at a point of the
// way.
func (p *problem) nowhere(node *node, plug office.Plug) bool {
	dev := node.world.net.Topo.DeviceIndex(plug.Port.Device)
	if dev < 0 {
		return false
	}
	q := node.world.office.Devices[dev].Port(plug.Port.Port)
	if q < 0 || node.world.office.Devices[dev].Unaware() {
		return false
	}
	compiled := node.world.net.Tables[dev].Ports[node.world.office.Devices[dev].Logical(q)]
	return compiled.Off || compiled.Untagged == (office.Set{}) && compiled.Tagged == (office.Set{}) && len(compiled.Rides) == 0
}
