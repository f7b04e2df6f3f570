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
	s := n.at.bare[h].Minus(&n.at.parked)
	s.AddAll(n.at.solid[h])
	n.place[h] = &s
}

// parking is [placing.parked].
func (n *Net) parking() (s office.Set) {
	for _, v := range n.Office.VLANs {
		if v.Local {
			s.Add(v.VID)
		}
	}
	if s.Empty() {
		return s
	}
	var put office.Set
	for h, x := range n.at.solid {
		for w := range s {
			s[w] &^= x[w]
			put[w] |= n.at.bare[h][w]
		}
	}
	return s.And(&put)
}

// Parked is the VLANs in which only ports are that are put away.
func (n *Net) Parked() *office.Set { return &n.at.parked }

// IsParked says whether only ports that are put away are in a VLAN.
func (n *Net) IsParked(v office.VID) bool { return n.at.parked.Has(v) }

// written is the VLANs that a shape names.
func written(s *office.Shape) (w office.Set) {
	for _, v := range s.Untagged {
		w.Add(v)
	}
	for _, v := range s.Tagged {
		w.Add(v)
	}
	return w
}

// placesOf fills in the places of device i's hubs.
func (n *Net) placesOf(i int) {
	d := n.Office.Devices[i]
	itself := d.TalksItself()
	var last *office.Shape // neighbours are often alike
	var names office.Set
	for p := range d.Ports {
		x := &d.Ports[p]
		s := n.shapes[i][p]
		if x.Bundle > 0 || s.Off || d.Unaware() || s == noShape {
			continue
		}
		if s != last {
			last, names = s, written(s)
		}
		hub := n.Topo.HubOf(i, p)
		switch {
		case x.Kind == office.Inner:
			in := names
			for w := range in { // a range lets VLANs in; those that exist end here
				in[w] &= n.registered[w]
			}
			for _, v := range s.Untagged {
				in.Add(v)
			}
			n.at.solid[hub].AddAll(&in)
			if s.Rest == office.RestAll {
				n.at.solid[hub].AddAll(&n.registered)
			}
		case itself:
			n.at.solid[hub].AddAll(&names)
		case len(n.Topo.LinksAt(i, p)) == 0:
			n.at.bare[hub].AddAll(&names)
		}
	}
	for _, a := range d.Addresses {
		for _, h := range n.addressHubs(i, a.VID, a.On) {
			n.at.solid[h].Add(a.VID)
		}
	}
	if m := d.Manage; m != nil {
		for _, h := range n.addressHubs(i, m.VID, "") {
			n.at.solid[h].Add(m.VID)
		}
	}
	for _, k := range n.Topo.PlugsAt(i) {
		p := n.Office.Plugs[k]
		if at := d.Port(p.Port.Port); at >= 0 {
			n.at.solid[n.Topo.HubOf(i, at)].Add(p.Wants)
		}
	}
}

// addressHubs is where an address of a VLAN, or its management, meets the
// device's ports. On a routed device that is the port that it is on; where
// none was said, the port that another address of the VLAN is on, else the
// first port that names the VLAN, else the first that takes it with all, else
// the first that takes what is needed there.
func (n *Net) addressHubs(dev int, v office.VID, on string) []int {
	d := n.Office.Devices[dev]
	if len(d.Ports) == 0 {
		return nil
	}
	if d.Forwarding != office.Routed {
		return []int{n.Topo.HubOf(dev, 0)}
	}
	if on == "" {
		for _, a := range d.Addresses {
			if a.VID == v && a.On != "" {
				on = a.On
				break
			}
		}
	}
	if on != "" {
		if p := d.Port(on); p >= 0 {
			return []int{n.Topo.HubOf(dev, p)}
		}
	}
	best, at := 3, 0
	for p := range d.Ports {
		rank := 3
		switch s := n.shapes[dev][p]; {
		case d.Ports[p].Bundle > 0:
		case s.Of(v) != office.NotMember:
			rank = 0
		case s.Rest == office.RestAll && n.registered.Has(v):
			rank = 1
		case s.Rest == office.RestNeeded && len(n.Topo.LinksAt(dev, p)) > 0:
			rank = 2
		}
		if rank < best {
			best, at = rank, p
		}
	}
	return []int{n.Topo.HubOf(dev, at)}
}
