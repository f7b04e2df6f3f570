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
			if shape := n.shapes[i][port]; shape != lastShape {
				lastShape, names = shape, written(shape)
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
	n.fillOwn(i)
	n.fillPlugs(i)
}

// fillOwn works out what of device i itself stands at its hubs: addresses, lines to the
// outside, and where it is managed.
func (n *Net) fillOwn(i int) {
	device := n.Office.Devices[i]
	unaware := device.Unaware()
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
	for _, address := range device.Addresses {
		stand(address.VID, address.On, true)
	}
	for _, line := range device.Outsides {
		if line.VID != 0 {
			stand(line.VID, line.On, false)
		}
	}
	if manage := device.Manage; manage != nil {
		stand(manage.VID, "", false)
	}
}

// fillPlugs works out what is plugged in at device i's hubs.
func (n *Net) fillPlugs(i int) {
	device, table := n.Office.Devices[i], n.Tables[i]
	unaware := device.Unaware()
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
	for port := range device.Ports {
		if device.Ports[port].Flavour == office.Processor {
			if n.Tables[dev].Ports[port].Has(vid) {
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
	table := n.Tables[dev]
	domain, why := table.Ingress(port, wire)
	if why != bridge.Passed || domain.Keep || domain.VID != vid {
		return false
	}
	out, ok := table.Egress(domain, port)
	return ok && out == wire
}

// throughUnaware finds the tags that get into unaware devices: what a
// neighbour sends, through any number of them.
//
//	> device desk switch; forwarding unaware; ports 1-5; cable core.6 desk.1; core 6: 160
func (n *Net) throughUnaware() {
	for changed := true; changed; {
		changed = false
		for hub := range n.Topo.Hubs {
			device := n.Office.Devices[n.Topo.Hubs[hub].Dev]
			if device.Forwarding != office.Unaware {
				continue
			}
			for _, link := range n.Topo.At[hub] {
				one := &n.Topo.Links[link]
				here, there := one.A, one.B
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
func (n *Net) sends(end graph.End) (set office.Set) {
	compiled := n.Tables[end.Dev].Ports[end.Port]
	switch device := n.Office.Devices[end.Dev]; {
	case compiled.Off || device.Forwarding == office.UnawareDrops:
	case device.Forwarding == office.Unaware:
		set = *n.present[end.Hub]
	case len(compiled.Rides) == 0:
		set = compiled.Tagged
	default:
		for vid := range compiled.Tagged.All() {
			set.Add(compiled.WireOf(vid).VID())
		}
	}
	return set
}

// tagsOf is the VLANs that plugs in an unaware device want tagged, whatever its
// neighbours send.
func (m *Net) tagsOf(dev int) (set office.Set) {
	device := m.Office.Devices[dev]
	for _, k := range m.Topo.PlugsAt(dev) {
		if plug := &m.Office.Plugs[k]; plug.Tagged && !m.Tables[dev].Ports[device.Logical(device.Port(plug.Port.Port))].Off {
			set.Add(plug.Wants)
		}
	}
	return set
}
