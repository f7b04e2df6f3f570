package span

import (
	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// fillHubs works out what stands at device i's hubs.
func (n *Net) fillHubs(i int) {
	d, t := n.Office.Devices[i], n.Tables[i]
	unaware := d.Unaware()
	itself := d.TalksItself()
	var last *bridge.Port // neighbours are often alike
	var lastShape *office.Shape
	var names office.Set
	lastHub := -1
	for p := range d.Ports {
		c := t.Ports[p]
		if d.Ports[p].Bundle > 0 || unaware || c.Off {
			continue
		}
		h := n.Topo.HubOf(i, p)
		if c != last || h != lastHub {
			n.present[h].AddAll(&c.Untagged)
			n.present[h].AddAll(&c.Tagged)
		}
		if inner := d.Ports[p].Kind == office.Inner; inner || itself || len(n.Topo.LinksAt(i, p)) == 0 {
			if s := n.shapes[i][p]; s != lastShape {
				lastShape, names = s, written(s)
			}
			ends := names
			switch {
			case inner:
				ends = c.Tagged.And(&n.registered)
				ends.AddAll(&c.Untagged)
			case !itself:
				ends = names.Minus(&n.at.parked)
			}
			n.term[h].AddAll(&ends)
		}
		last, lastHub = c, h
	}
	stand := func(v office.VID, on string, address bool) {
		for _, h := range n.addressHubs(i, v, on) {
			switch {
			case unaware:
				n.wants[h].Add(v)
				n.own[h].Add(v)
			case !n.Lets(i, v):
				n.dead[h].Add(v)
				continue
			default:
				n.term[h].Add(v)
				n.present[h].Add(v)
			}
			if address {
				n.addr[h].Add(v)
			}
		}
	}
	for _, a := range d.Addresses {
		stand(a.VID, a.On, true)
	}
	if m := d.Manage; m != nil {
		stand(m.VID, "", false)
	}
	for _, k := range n.Topo.PlugsAt(i) {
		p := &n.Office.Plugs[k]
		at := d.Logical(d.Port(p.Port.Port))
		h := n.Topo.HubOf(i, at)
		switch {
		case unaware && t.Ports[at].Off:
		case unaware && p.Tagged:
			if d.Forwarding == office.Unaware {
				n.present[h].Add(p.Wants)
				n.term[h].Add(p.Wants)
			}
		case unaware:
			n.wants[h].Add(p.Wants)
		case n.Gives(i, at, p.Wants, p.Tagged):
			n.term[h].Add(p.Wants)
		}
	}
}

// Lets says whether a device's own addresses in a VLAN reach its ports: where
// it has a processor port they stand behind it.
func (n *Net) Lets(dev int, v office.VID) bool {
	d := n.Office.Devices[dev]
	if d.Forwarding == office.Routed {
		return true
	}
	behind := false
	for p := range d.Ports {
		if d.Ports[p].Flavour == office.Processor {
			if n.Tables[dev].Ports[p].Has(v) {
				return true
			}
			behind = true
		}
	}
	return !behind
}

// Gives says whether a port of a device that knows VLANs gives a plug the VLAN
// that it wants, in that form, both ways.
func (n *Net) Gives(dev, port int, v office.VID, tagged bool) bool {
	w := bridge.Untagged
	if tagged {
		w = bridge.Wire(v)
	}
	t := n.Tables[dev]
	d, why := t.Ingress(port, w)
	if why != bridge.Passed || d.Keep || d.VID != v {
		return false
	}
	out, ok := t.Egress(d, port)
	return ok && out == w
}

// throughUnaware finds the tags that get into unaware devices: what a
// neighbour sends, through any number of them.
func (n *Net) throughUnaware() {
	for changed := true; changed; {
		changed = false
		for h := range n.Topo.Hubs {
			d := n.Office.Devices[n.Topo.Hubs[h].Dev]
			if d.Forwarding != office.Unaware {
				continue
			}
			for _, l := range n.Topo.At[h] {
				k := &n.Topo.Links[l]
				here, there := k.A, k.B
				if here.Hub != h {
					here, there = there, here
				}
				in := n.sends(there)
				if n.Tables[here.Dev].Ports[here.Port].Off {
					continue
				}
				if more := in.Minus(n.present[h]); !more.Empty() {
					n.present[h].AddAll(&more)
					changed = true
				}
			}
		}
	}
}

// sends is the VIDs on the wire that leave by an end.
func (n *Net) sends(e graph.End) (s office.Set) {
	p := n.Tables[e.Dev].Ports[e.Port]
	switch d := n.Office.Devices[e.Dev]; {
	case p.Off || d.Forwarding == office.UnawareDrops:
	case d.Forwarding == office.Unaware:
		s = *n.present[e.Hub]
	case len(p.Rides) == 0:
		s = p.Tagged
	default:
		for v := range p.Tagged.All() {
			s.Add(p.WireOf(v).VID())
		}
	}
	return s
}

// tagsOf is the VLANs that plugs in an unaware device want tagged, whatever its
// neighbours send.
func (m *Net) tagsOf(dev int) (s office.Set) {
	d := m.Office.Devices[dev]
	for _, k := range m.Topo.PlugsAt(dev) {
		if p := &m.Office.Plugs[k]; p.Tagged && !m.Tables[dev].Ports[d.Logical(d.Port(p.Port.Port))].Off {
			s.Add(p.Wants)
		}
	}
	return s
}
