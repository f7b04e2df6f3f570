package span

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// Port is the compiled port at an end.
func (n *Net) Port(e graph.End) *bridge.Port { return n.Tables[e.Dev].Ports[e.Port] }

// Ref names the port at an end.
func (n *Net) Ref(e graph.End) office.PortRef { return n.RefAt(e.Dev, e.Port) }

// Aware says whether a device looks at tags.
func (n *Net) Aware(dev int) bool { return !n.Office.Devices[dev].Unaware() }

// Terminals lists the ports at which VLAN vid ends inside a span: uncabled ports
// that name it, inner ports, and the ports of devices that are users of it
// themselves.
func (n *Net) Terminals(s *Span, vid office.VID) []office.PortRef {
	var refs []office.PortRef
	for _, node := range s.Nodes {
		h := n.Topo.Hubs[node.Hub]
		device, table := n.Office.Devices[h.Dev], n.Tables[h.Dev]
		if node.Label != Label(vid) || device.Unaware() {
			continue
		}
		itself := device.TalksItself()
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 || n.Topo.HubOf(h.Dev, port) != node.Hub || table.Ports[port].Off {
				continue
			}
			switch {
			case device.Ports[port].Kind == office.Inner && table.Ports[port].Has(vid),
				(itself || len(n.Topo.LinksAt(h.Dev, port)) == 0 && !n.IsParked(vid)) && n.shapes[h.Dev][port].Of(vid) != office.NotMember:
				refs = append(refs, n.RefAt(h.Dev, port))
			}
		}
	}
	return refs
}

// HasAddress says whether a VLAN has an address at a hub.
func (n *Net) HasAddress(hub int, v office.VID) bool { return n.addr[hub].Has(v) }

// AtGateway says whether a hub is where a VLAN's gateway stands; where it has none,
// whether an address of it does.
func (n *Net) AtGateway(hub int, v office.VID) bool {
	gate := n.gates.First(v)
	if !gate.Is() {
		return n.HasAddress(hub, v)
	}
	return n.Topo.Hubs[hub].Dev == gate.Dev && slices.Contains(n.addressHubs(gate.Dev, v, gate.Address.On), hub)
}

// Wants is what plugs want untagged at a hub of an unaware device.
func (n *Net) Wants(hub int) *office.Set { return n.wants[hub] }

// EndsAt says whether a VLAN has terminals at a hub.
func (n *Net) EndsAt(hub int, v office.VID) bool { return n.term[hub].Has(v) || n.wants[hub].Has(v) }

// AddressHubs is where an address, or the management, of a VLAN meets a
// device's ports; on names the port that an address is on.
func (n *Net) AddressHubs(dev int, v office.VID, on string) []int { return n.addressHubs(dev, v, on) }

// With is the shape in force on a port with VLAN v standing as m. What all or
// needed stand for is written out where v has to leave it.
func (n *Net) With(dev, port int, v office.VID, m office.Membership) office.Shape {
	s := *n.shapes[dev][port]
	if s.Off {
		s = office.Shape{}
	}
	return n.Expand(dev, port, s, v, m).With(v, m)
}

// Expand writes out what all or needed stand for on a port, where v, standing
// as m from now on, has to leave it.
func (n *Net) Expand(dev, port int, shape office.Shape, v office.VID, m office.Membership) office.Shape {
	c := n.Tables[dev].Ports[port]
	if shape.Rest != office.RestNone && m == office.NotMember && shape.Of(v) != office.Untagged && c.Tagged.Has(v) {
		shape.Rest = office.RestNone
		shape.Tagged = c.Tagged.VIDs()
	}
	return shape
}

// Carrying is the shape in force on a port with VLANs standing as form, both ways:
// under their own VIDs, and with such frames admitted.
func (n *Net) Carrying(dev, port int, form office.Membership, vs ...office.VID) office.Shape {
	shape := *n.shapes[dev][port]
	if shape.Off {
		shape = office.Shape{}
	}
	for _, v := range vs {
		shape = shape.With(v, form)
		shape.Rides = slices.DeleteFunc(slices.Clone(shape.Rides), func(r office.Ride) bool { return r.VLAN == v })
	}
	if form == office.Tagged && shape.Admit == office.AdmitUntagged || form == office.Untagged && shape.Admit == office.AdmitTagged {
		shape.Admit = office.AdmitAll
	}
	return shape.Normal()
}

// Hears says whether what comes back at a port, in the form in which it sends a
// VLAN, joins that VLAN.
func (n *Net) Hears(dev, port int, vid office.VID) bool {
	t := n.Tables[dev]
	w := bridge.Untagged
	if t.Ports[port].Tagged.Has(vid) {
		w = t.Ports[port].WireOf(vid)
	}
	d, why := t.Ingress(port, w)
	return why == bridge.Passed && !d.Keep && d.VID == vid
}

// Mismatch is where untagged frames leave one end of a link as one VLAN and
// join another at the other end; ok is false where they do not.
func (n *Net) Mismatch(link int) (from, to office.VID, fromA, ok bool) {
	l := &n.Topo.Links[link]
	if !n.Aware(l.A.Dev) || !n.Aware(l.B.Dev) {
		return
	}
	for _, dir := range []bool{true, false} {
		a, b := l.A, l.B
		if !dir {
			a, b = b, a
		}
		if n.Port(a).Off {
			continue
		}
		domain, why := n.Tables[b.Dev].Ingress(b.Port, bridge.Untagged)
		if why != bridge.Passed {
			continue
		}
		for v := range n.Port(a).Untagged.All() {
			if v != domain.VID {
				return v, domain.VID, dir, true
			}
		}
	}
	return
}

// Served says whether a VLAN comes untagged into an unaware device's hub.
func (n *Net) Served(hub int, v office.VID) bool {
	r := n.vlans.Get(v)
	if r == nil {
		return false
	}
	want := Node{hub, untaggedAt | Label(hub)<<24}
	return slices.ContainsFunc(r.Spans, func(s *Span) bool { return slices.Contains(s.Nodes, want) })
}
