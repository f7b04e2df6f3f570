package span

import (
	"klammer/core/office"
)

// placing is where a VLAN's terminals stand by what is written, whatever cables
// carry. A port that nothing is known to be plugged into is bare: its VLANs,
// untagged or tagged, are for somebody there as far as they are written out.
// Everything else is solid: inner ports, addresses, plugs, management, and the
// ports of an end device without inner ports, as the device itself talks there.
type placing struct {
	solid, bare []*office.Set // by hub
	// parked is the local VLANs in which only bare ports stand: nobody is there.
	parked office.Set
}

// newSets gives empty sets that stand side by side.
func newSets(n int) []*office.Set {
	all, sets := make([]office.Set, n), make([]*office.Set, n)
	for i := range all {
		sets[i] = &all[i]
	}
	return sets
}

// places works out where frames of each VLAN can be, hub by hub: in a port that is a member, at a
// plug, or nowhere but in a table.
func (n *Net) places() {
	hubs := len(n.Topo.Hubs)
	n.at = placing{solid: newSets(hubs), bare: newSets(hubs)}
	for i := range n.Office.Devices {
		n.placesOf(i)
	}
	n.at.parked = n.parking()
	n.place = newSets(hubs)
	for h := range n.place {
		n.placeAt(h)
	}
}

// placeAt works out what a hub has of each VLAN's terminals.
func (n *Net) placeAt(h int) {
	set := n.at.bare[h].Minus(&n.at.parked)
	set.AddAll(n.at.solid[h])
	n.place[h] = &set
}

// parking is [placing.parked].
//
//	> core 6: 1
//	1 default, unused: ()
func (n *Net) parking() (set office.Set) {
	for _, vlan := range n.Office.VLANs {
		if vlan.Local {
			set.Add(vlan.VID)
		}
	}
	if set.Empty() {
		return set
	}
	var put office.Set
	for h, other := range n.at.solid {
		for w := range set {
			set[w] &^= other[w]
			put[w] |= n.at.bare[h][w]
		}
	}
	return set.And(&put)
}

// Parked is the VLANs in which only ports are that are put away.
func (n *Net) Parked() *office.Set { return &n.at.parked }

// IsParked says whether only ports that are put away are in a VLAN.
func (n *Net) IsParked(vid office.VID) bool { return n.at.parked.Has(vid) }

// written is the VLANs that a shape names.
func written(shape *office.Shape) (set office.Set) {
	for _, vid := range shape.Untagged {
		set.Add(vid)
	}
	for _, vid := range shape.Tagged {
		set.Add(vid)
	}
	return set
}

// placesOf fills in the places of device i's hubs.
//
// Many branches: ports, addresses, lines to the outside, the management and plugs are each
// a place.
func (n *Net) placesOf(i int) {
	device := n.Office.Devices[i]
	itself := device.TalksItself()
	var last *office.Shape // neighbours are often alike
	var names office.Set
	for port := range device.Ports {
		one := &device.Ports[port]
		shape := n.shapes[i][port]
		if one.Bundle > 0 || shape.Off || device.Unaware() || shape == noShape {
			continue
		}
		if shape != last {
			last, names = shape, written(shape)
		}
		hub := n.Topo.HubOf(i, port)
		switch {
		case one.Kind == office.Inner:
			in := names
			for w := range in { // a range lets VLANs in; those that exist end here
				in[w] &= n.registered[w]
			}
			for _, vid := range shape.Untagged {
				in.Add(vid)
			}
			n.at.solid[hub].AddAll(&in)
			if shape.Rest == office.RestAll {
				n.at.solid[hub].AddAll(&n.registered)
			}
		case itself:
			n.at.solid[hub].AddAll(&names)
		case len(n.Topo.LinksAt(i, port)) == 0:
			n.at.bare[hub].AddAll(&names)
		}
	}
	for _, address := range device.Addresses {
		for _, h := range n.addressHubs(i, address.VID, address.On) {
			n.at.solid[h].Add(address.VID)
		}
	}
	for _, line := range device.Outsides {
		if line.VID != 0 {
			n.at.solid[n.Topo.HubOf(i, device.Logical(device.Port(line.On)))].Add(line.VID)
		}
	}
	if manage := device.Manage; manage != nil {
		for _, h := range n.addressHubs(i, manage.VID, "") {
			n.at.solid[h].Add(manage.VID)
		}
	}
	for _, k := range n.Topo.PlugsAt(i) {
		plug := n.Office.Plugs[k]
		if at := device.Port(plug.Port.Port); at >= 0 {
			n.at.solid[n.Topo.HubOf(i, at)].Add(plug.Wants)
		}
	}
}

// addressHubs is where an address of a VLAN, or its management, meets the
// device's ports. On a routed device that is the port that it is on; where
// none was said, the port that another address of the VLAN is on, else the
// first port that names the VLAN, else the first that takes it with all, else
// the first that takes what is needed there.
func (n *Net) addressHubs(dev int, vid office.VID, on string) []int {
	device := n.Office.Devices[dev]
	if len(device.Ports) == 0 {
		return nil
	}
	if device.Forwarding != office.Routed {
		return []int{n.Topo.HubOf(dev, 0)}
	}
	if on == "" {
		for _, address := range device.Addresses {
			if address.VID == vid && address.On != "" {
				on = address.On
				break
			}
		}
	}
	if on != "" {
		if p := device.Port(on); p >= 0 {
			return []int{n.Topo.HubOf(dev, p)}
		}
	}
	best, at := 3, 0
	for port := range device.Ports {
		rank := 3
		switch shape := n.shapes[dev][port]; {
		case device.Ports[port].Bundle > 0:
		case shape.Of(vid) != office.NotMember:
			rank = 0
		case shape.Rest == office.RestAll && n.registered.Has(vid):
			rank = 1
		case shape.Rest == office.RestNeeded && len(n.Topo.LinksAt(dev, port)) > 0:
			rank = 2
		}
		if rank < best {
			best, at = rank, port
		}
	}
	return []int{n.Topo.HubOf(dev, at)}
}
