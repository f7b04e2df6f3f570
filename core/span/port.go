package span

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// Port is the compiled port at an end.
func (n *Net) Port(end graph.End) *bridge.Port { return n.Tables[end.Dev].Ports[end.Port] }

// Ref names the port at an end.
func (n *Net) Ref(end graph.End) office.PortRef { return n.RefAt(end.Dev, end.Port) }

// Aware says whether a device looks at tags.
func (n *Net) Aware(dev int) bool { return !n.Office.Devices[dev].Unaware() }

// Terminals lists the ports at which VLAN vid ends inside a span: uncabled ports
// that name it, inner ports, and the ports of devices that are users of it
// themselves.
func (n *Net) Terminals(part *Span, vid office.VID) []office.PortRef {
	var refs []office.PortRef
	for _, node := range part.Nodes {
		hub := n.Topo.Hubs[node.Hub]
		device, table := n.Office.Devices[hub.Dev], n.Tables[hub.Dev]
		if node.Label != Label(vid) || device.Unaware() {
			continue
		}
		itself := device.TalksItself()
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 || n.Topo.HubOf(hub.Dev, port) != node.Hub || table.Ports[port].Off {
				continue
			}
			switch {
			case device.Ports[port].Kind == office.Inner && table.Ports[port].Has(vid),
				(itself || len(n.Topo.LinksAt(hub.Dev, port)) == 0 && !n.IsParked(vid)) && n.shapes[hub.Dev][port].Of(vid) != office.NotMember:
				refs = append(refs, n.RefAt(hub.Dev, port))
			}
		}
	}
	return refs
}

// HasAddress says whether a VLAN has an address at a hub.
func (n *Net) HasAddress(hub int, vid office.VID) bool { return n.addr[hub].Has(vid) }

// AtGateway says whether a hub is where a VLAN's gateway stands; where it has none,
// whether an address of it does.
func (n *Net) AtGateway(hub int, vid office.VID) bool {
	gate := n.gates.First(vid)
	if !gate.Is() {
		return n.HasAddress(hub, vid)
	}
	return n.Topo.Hubs[hub].Dev == gate.Dev && slices.Contains(n.addressHubs(gate.Dev, vid, gate.Address.On), hub)
}

// Wants is what plugs want untagged at a hub of an unaware device.
func (n *Net) Wants(hub int) *office.Set { return n.wants[hub] }

// EndsAt says whether a VLAN has terminals at a hub.
func (n *Net) EndsAt(hub int, vid office.VID) bool {
	return n.term[hub].Has(vid) || n.wants[hub].Has(vid)
}

// AddressHubs is where an address, or the management, of a VLAN meets a
// device's ports; on names the port that an address is on.
func (n *Net) AddressHubs(dev int, vid office.VID, on string) []int {
	return n.addressHubs(dev, vid, on)
}

// With is the shape in force on a port with VLAN vid standing as membership. What all or
// needed stand for is written out where vid has to leave it.
func (n *Net) With(dev, port int, vid office.VID, membership office.Membership) office.Shape {
	shape := *n.shapes[dev][port]
	if shape.Off {
		shape = office.Shape{}
	}
	return n.Expand(dev, port, shape, vid, membership).With(vid, membership)
}

// Expand writes out what all or needed stand for on a port, where vid, standing
// as membership from now on, has to leave it.
func (n *Net) Expand(dev, port int, shape office.Shape, vid office.VID, membership office.Membership) office.Shape {
	compiled := n.Tables[dev].Ports[port]
	if shape.Rest != office.RestNone && membership == office.NotMember && shape.Of(vid) != office.Untagged && compiled.Tagged.Has(vid) {
		shape.Rest = office.RestNone
		shape.Tagged = compiled.Tagged.VIDs()
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
	for _, vid := range vs {
		shape = shape.With(vid, form)
		shape.Rides = slices.DeleteFunc(slices.Clone(shape.Rides), func(ride office.Ride) bool { return ride.VLAN == vid })
	}
	if form == office.Tagged && shape.Admit == office.AdmitUntagged || form == office.Untagged && shape.Admit == office.AdmitTagged {
		shape.Admit = office.AdmitAll
	}
	return shape.Normal()
}

// Hears says whether what comes back at a port, in the form in which it sends a
// VLAN, joins that VLAN.
func (n *Net) Hears(dev, port int, vid office.VID) bool {
	table := n.Tables[dev]
	wire := bridge.Untagged
	if table.Ports[port].Tagged.Has(vid) {
		wire = table.Ports[port].WireOf(vid)
	}
	domain, why := table.Ingress(port, wire)
	return why == bridge.Passed && !domain.Keep && domain.VID == vid
}

// Mismatch is where untagged frames leave one end of a link as one VLAN and
// join another at the other end; ok is false where they do not.
func (n *Net) Mismatch(link int) (from, to office.VID, fromA, ok bool) {
	one := &n.Topo.Links[link]
	if !n.Aware(one.A.Dev) || !n.Aware(one.B.Dev) {
		return
	}
	for _, dir := range []bool{true, false} {
		end, other := one.A, one.B
		if !dir {
			end, other = other, end
		}
		if n.Port(end).Off {
			continue
		}
		domain, why := n.Tables[other.Dev].Ingress(other.Port, bridge.Untagged)
		if why != bridge.Passed {
			continue
		}
		for vid := range n.Port(end).Untagged.All() {
			if vid != domain.VID {
				return vid, domain.VID, dir, true
			}
		}
	}
	return
}

// Served says whether a VLAN comes untagged into an unaware device's hub.
func (n *Net) Served(hub int, vid office.VID) bool {
	vlan := n.vlans.Get(vid)
	if vlan == nil {
		return false
	}
	want := Node{hub, untaggedAt | Label(hub)<<24}
	return slices.ContainsFunc(vlan.Spans, func(part *Span) bool { return slices.Contains(part.Nodes, want) })
}
