package span

import (
	"klammer/core/office"
)

// terminals is what a hub has of each VLAN's terminals: uncabled untagged
// ports in it, inner ports, addresses, plugs that want it, management.
//
// place counts them all and says where VLANs are needed; it does not depend on
// what cables carry.
func (n *Net) places() []office.Set {
	place := make([]office.Set, len(n.Topo.Hubs))
	for i := range n.Office.Devices {
		n.placesOf(i, place)
	}
	return place
}

// placesOf fills in the places of device i's hubs.
func (n *Net) placesOf(i int, place []office.Set) {
	d := n.Office.Devices[i]
	for p := range d.Ports {
		x := &d.Ports[p]
		if x.Bundle > 0 {
			continue
		}
		s := n.shapes[i][p]
		if s.Off || isUnaware(d) {
			continue
		}
		hub := &place[n.Topo.HubOf(i, p)]
		switch {
		case x.Kind == office.Inner:
			for _, v := range s.Untagged {
				hub.Add(v)
			}
			for _, v := range s.Tagged { // a range lets VLANs in; those that exist end here
				if n.registered.Has(v) {
					hub.Add(v)
				}
			}
			if s.Rest == office.RestAll {
				hub.AddAll(&n.registered)
			}
		case len(n.Topo.LinksAt(i, p)) == 0:
			for _, v := range s.Untagged {
				hub.Add(v)
			}
		}
	}
	for _, a := range d.Addresses {
		for _, h := range n.addressHubs(i, a.VID, a.On) {
			place[h].Add(a.VID)
		}
	}
	if m := d.Manage; m != nil {
		for _, h := range n.addressHubs(i, m.VID, "") {
			place[h].Add(m.VID)
		}
	}
	for _, k := range n.Topo.plugs[i] {
		p := n.Office.Plugs[k]
		if at := d.Port(p.Port.Port); at >= 0 {
			place[n.Topo.HubOf(i, at)].Add(p.Wants)
		}
	}
}

func isUnaware(d *office.Device) bool {
	return d.Forwarding == office.Unaware || d.Forwarding == office.UnawareDrops
}

// addressHubs is where an address of a VLAN, or its management, meets the
// device's ports. On a routed device that is the port that it is on; where
// none was said, the port that another address of the VLAN is on, else the
// first port that names the VLAN.
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
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 && n.shapes[dev][p].Of(v) != office.NotMember {
			return []int{n.Topo.HubOf(dev, p)}
		}
	}
	return []int{n.Topo.HubOf(dev, 0)}
}

// forest is the tree of hubs and blocks, for going up and down it.
type forest struct {
	blocksAt [][]int32
	up       []int32 // the block above a hub, -1 at a root
	above    []int32 // the hub above a block
	order    []int32 // hubs, each after the one above it
}

func (t *Topology) newForest() forest {
	nh := len(t.Hubs)
	f := forest{make([][]int32, nh), make([]int32, nh), make([]int32, len(t.blocks)), nil}
	for b := range t.blocks {
		for _, v := range t.blocks[b].vertices {
			f.blocksAt[v] = append(f.blocksAt[v], int32(b))
		}
	}
	for i := range f.up {
		f.up[i] = -2
	}
	for r := range nh {
		if f.up[r] != -2 {
			continue
		}
		f.up[r] = -1
		i := len(f.order)
		f.order = append(f.order, int32(r))
		for ; i < len(f.order); i++ {
			h := f.order[i]
			for _, b := range f.blocksAt[h] {
				if b == f.up[h] {
					continue
				}
				f.above[b] = h
				for _, w := range t.blocks[b].vertices {
					if int32(w) != h {
						f.up[w] = b
						f.order = append(f.order, int32(w))
					}
				}
			}
		}
	}
	return f
}

// computeNeeded says for each block of the cable graph which VLANs it needs:
// those with terminals hanging from two or more of its hubs. For a single
// cable that is "terminals stand on both sides"; for a ring, "terminals hang
// from two or more of its devices".
func (t *Topology) computeNeeded(place []office.Set) []office.Set {
	f := &t.forest
	// below is what hangs from a hub, itself included, away from the block above
	below := make([]office.Set, len(place))
	copy(below, place)
	for i := len(f.order) - 1; i >= 0; i-- {
		h := f.order[i]
		for _, b := range f.blocksAt[h] {
			if b != f.up[h] {
				t.addOthers(&below[h], int(b), h, -1, below)
			}
		}
	}
	// rest is what hangs from the hub above a block, away from the block
	rest := make([]office.Set, len(t.blocks))
	need := make([]office.Set, len(t.blocks))
	for _, h := range f.order {
		mine := f.blocksAt[h]
		// With the unions from both ends, a hub of many cables stays linear.
		contrib := make([]office.Set, len(mine))
		for k, b := range mine {
			if b == f.up[h] {
				contrib[k] = rest[b]
				t.addOthers(&contrib[k], int(b), h, f.above[b], below)
			} else {
				t.addOthers(&contrib[k], int(b), h, -1, below)
			}
		}
		after := make([]office.Set, len(mine)+1)
		for k := len(mine) - 1; k >= 0; k-- {
			after[k] = after[k+1]
			after[k].AddAll(&contrib[k])
		}
		outer := place[h]
		for k, b := range mine {
			if b != f.up[h] {
				rest[b] = outer
				rest[b].AddAll(&after[k+1])
				need[b] = t.twice(int(b), h, &rest[b], below)
			}
			outer.AddAll(&contrib[k])
		}
	}
	return need
}

// addOthers adds what hangs below block b's hubs but h and top.
func (t *Topology) addOthers(s *office.Set, b int, h, top int32, below []office.Set) {
	for _, w := range t.blocks[b].vertices {
		if int32(w) != h && int32(w) != top {
			s.AddAll(&below[w])
		}
	}
}

// twice is what hangs from two or more of block b's hubs.
func (t *Topology) twice(b int, top int32, rest *office.Set, below []office.Set) (twice office.Set) {
	once := *rest
	for _, w := range t.blocks[b].vertices {
		if int32(w) == top {
			continue
		}
		for i := range once {
			twice[i] |= once[i] & below[w][i]
			once[i] |= below[w][i]
		}
	}
	return twice
}
