package span

import (
	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// fillHubs works out what stands at device i's hubs.
func (n *Net) fillHubs(i int) {
	device, table := n.Office.Devices[i], n.Tables[i]
	unaware := device.Unaware()
	itself := device.TalksItself()
	var last *bridge.Port // neighbours are often alike
	var lastShape *office.Shape
	var names office.Set
	lastHub := -1
	for port := range device.Ports {
		compiled := table.Ports[port]
		if device.Ports[port].Bundle > 0 || unaware || compiled.Off {
			continue
		}
		hub := n.Topo.HubOf(i, port)
		if compiled != last || hub != lastHub {
			n.present[hub].AddAll(&compiled.Untagged)
			n.present[hub].AddAll(&compiled.Tagged)
		}
		if inner := device.Ports[port].Kind == office.Inner; inner || itself || len(n.Topo.LinksAt(i, port)) == 0 {
			if s := n.shapes[i][port]; s != lastShape {
				lastShape, names = s, written(s)
			}
			ends := names
			switch {
			case inner:
				ends = compiled.Tagged.And(&n.registered)
				ends.AddAll(&compiled.Untagged)
			case !itself:
				ends = names.Minus(&n.at.parked)
			}
			n.term[hub].AddAll(&ends)
		}
		last, lastHub = compiled, hub
	}
	stand := func(vid office.VID, on string, address bool) {
		for _, hub := range n.addressHubs(i, vid, on) {
			switch {
			case unaware:
				n.wants[hub].Add(vid)
				n.own[hub].Add(vid)
			case !n.Lets(i, vid):
				n.dead[hub].Add(vid)
				continue
			default:
				n.term[hub].Add(vid)
				n.present[hub].Add(vid)
			}
			if address {
				n.addr[hub].Add(vid)
			}
		}
	}
	for _, a := range device.Addresses {
		stand(a.VID, a.On, true)
	}
	for _, l := range device.Outsides {
		if l.VID != 0 {
			stand(l.VID, l.On, false)
		}
	}
	if m := device.Manage; m != nil {
		stand(m.VID, "", false)
	}
	for _, k := range n.Topo.PlugsAt(i) {
		plug := &n.Office.Plugs[k]
		at := device.Logical(device.Port(plug.Port.Port))
		hub := n.Topo.HubOf(i, at)
		switch {
		case unaware && table.Ports[at].Off:
		case unaware && plug.Tagged:
			if device.Forwarding == office.Unaware {
				n.present[hub].Add(plug.Wants)
				n.term[hub].Add(plug.Wants)
			}
		case unaware:
			n.wants[hub].Add(plug.Wants)
		case n.Gives(i, at, plug.Wants, plug.Tagged):
			n.term[hub].Add(plug.Wants)
		}
	}
}

// Lets says whether a device's own addresses in a VLAN reach its ports: where
// it has a processor port they stand behind it.
func (n *Net) Lets(dev int, vid office.VID) bool {
	device := n.Office.Devices[dev]
	if device.Forwarding == office.Routed {
		return true
	}
	behind := false
	for p := range device.Ports {
		if device.Ports[p].Flavour == office.Processor {
			if n.Tables[dev].Ports[p].Has(vid) {
				return true
			}
			behind = true
		}
	}
	return !behind
}

// Gives says whether a port of a device that knows VLANs gives a plug the VLAN
// that it wants, in that form, both ways.
func (n *Net) Gives(dev, port int, vid office.VID, tagged bool) bool {
	wire := bridge.Untagged
	if tagged {
		wire = bridge.Wire(vid)
	}
	t := n.Tables[dev]
	d, why := t.Ingress(port, wire)
	if why != bridge.Passed || d.Keep || d.VID != vid {
		return false
	}
	out, ok := t.Egress(d, port)
	return ok && out == wire
}

// throughUnaware finds the tags that get into unaware devices: what a
// neighbour sends, through any number of them.
func (n *Net) throughUnaware() {
	for changed := true; changed; {
		changed = false
		for hub := range n.Topo.Hubs {
			d := n.Office.Devices[n.Topo.Hubs[hub].Dev]
			if d.Forwarding != office.Unaware {
				continue
			}
			for _, l := range n.Topo.At[hub] {
				k := &n.Topo.Links[l]
				here, there := k.A, k.B
				if here.Hub != hub {
					here, there = there, here
				}
				in := n.sends(there)
				if n.Tables[here.Dev].Ports[here.Port].Off {
					continue
				}
				if more := in.Minus(n.present[hub]); !more.Empty() {
					n.present[hub].AddAll(&more)
					changed = true
				}
			}
		}
	}
}

// sends is the VIDs on the wire that leave by an end.
func (n *Net) sends(e graph.End) (set office.Set) {
	compiled := n.Tables[e.Dev].Ports[e.Port]
	switch d := n.Office.Devices[e.Dev]; {
	case compiled.Off || d.Forwarding == office.UnawareDrops:
	case d.Forwarding == office.Unaware:
		set = *n.present[e.Hub]
	case len(compiled.Rides) == 0:
		set = compiled.Tagged
	default:
		for v := range compiled.Tagged.All() {
			set.Add(compiled.WireOf(v).VID())
		}
	}
	return set
}

// tagsOf is the VLANs that plugs in an unaware device want tagged, whatever its
// neighbours send.
func (m *Net) tagsOf(dev int) (set office.Set) {
	d := m.Office.Devices[dev]
	for _, k := range m.Topo.PlugsAt(dev) {
		if p := &m.Office.Plugs[k]; p.Tagged && !m.Tables[dev].Ports[d.Logical(d.Port(p.Port.Port))].Off {
			set.Add(p.Wants)
		}
	}
	return set
}
