package order

import (
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
)

// parked says who is plugged in at a port that is in no VLAN for a while, on its way from
// one to another: where two ports exchange their VLANs, one has to wait for the other.
func (p *problem) parked(out *Order, acts []*node) {
	type seat struct {
		plug office.Plug
		then office.VID
	}
	var seats []seat
	for _, x := range p.was.from.Office.Plugs {
		for _, y := range p.plan.from.Office.Plugs {
			if x.Name != y.Name || x.Port != y.Port || x.Operator || p.numbers.of(x.Wants) == p.numbers.of(y.Wants) {
				continue
			}
			if len(reach.Plug(p.was.n, &x)) > 0 && len(reach.Plug(p.plan.n, &y)) > 0 {
				seats = append(seats, seat{x, y.Wants})
			}
		}
	}
	for _, s := range seats {
		begun := -1
		for i, n := range acts {
			none := p.nowhere(n, s.plug)
			switch {
			case none && begun < 0:
				begun = i
			case !none && begun >= 0:
				out.park(begun, i, s.then, s.plug.Port)
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
func (o *Order) park(from, until int, v office.VID, port office.PortRef) {
	name := port.String()
	st := &o.Steps[from]
	for k := range st.Interrupts {
		if x := &st.Interrupts[k]; x.VLAN == v && x.Until == until && x.Way == "" {
			if !slices.Contains(x.Ports, name) {
				x.Ports = append(slices.Clone(x.Ports), name)
				slices.SortFunc(x.Ports, office.NaturalCompare)
			}
			return
		}
	}
	st.Interrupts = append(st.Interrupts, Interrupt{VLAN: v, Ports: []string{name}, Until: until})
}

// nowhere says whether a port that somebody is plugged into is in no VLAN at a point of the
// way.
func (p *problem) nowhere(n *node, plug office.Plug) bool {
	dev := n.w.n.Topo.DeviceIndex(plug.Port.Device)
	if dev < 0 {
		return false
	}
	q := n.w.o.Devices[dev].Port(plug.Port.Port)
	if q < 0 || n.w.o.Devices[dev].Unaware() {
		return false
	}
	t := n.w.n.Tables[dev].Ports[n.w.o.Devices[dev].Logical(q)]
	return t.Off || t.Untagged == (office.Set{}) && t.Tagged == (office.Set{}) && len(t.Rides) == 0
}
