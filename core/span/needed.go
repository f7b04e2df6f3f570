package span

import (
	"slices"

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

// talksItself says whether a device is where its VLANs end, whatever is cabled:
// a host or the like without ports inside it.
func talksItself(d *office.Device) bool {
	return (d.Kind == "host" || d.Kind == "other") && !isUnaware(d) && !slices.ContainsFunc(d.Ports, func(p office.Port) bool { return p.Kind == office.Inner })
}

// placesOf fills in the places of device i's hubs.
func (n *Net) placesOf(i int) {
	d := n.Office.Devices[i]
	itself := talksItself(d)
	var last *office.Shape // neighbours are often alike
	var names office.Set
	for p := range d.Ports {
		x := &d.Ports[p]
		s := n.shapes[i][p]
		if x.Bundle > 0 || s.Off || isUnaware(d) || s == noShape {
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
	for _, k := range n.Topo.plugs[i] {
		p := n.Office.Plugs[k]
		if at := d.Port(p.Port.Port); at >= 0 {
			n.at.solid[n.Topo.HubOf(i, at)].Add(p.Wants)
		}
	}
}

func isUnaware(d *office.Device) bool {
	return d.Forwarding == office.Unaware || d.Forwarding == office.UnawareDrops
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

// needs says for each block of the cable graph which VLANs it needs: those with
// terminals hanging from two or more of its hubs. For a single cable that is
// "terminals stand on both sides"; for a ring, "terminals hang from two or more
// of its devices". It works on 64 VLANs at a time, those of a word of the sets;
// need is filled in for the words given.
func (t *Topology) needs(place []*office.Set, need []office.Set, words []int) {
	f := &t.forest
	below := make([]uint64, len(place))   // what hangs from a hub, itself included, away from the block above
	rest := make([]uint64, len(t.blocks)) // what hangs from the hub above a block, away from the block
	var contrib, after []uint64
	for _, w := range words {
		for h := range below {
			below[h] = place[h][w]
		}
		for i := len(f.order) - 1; i >= 0; i-- {
			h := f.order[i]
			for _, b := range f.blocksAt[h] {
				if b != f.up[h] {
					below[h] |= t.others(int(b), h, -1, below)
				}
			}
		}
		for _, h := range f.order {
			// With the unions from both ends, a hub of many cables stays linear.
			mine := f.blocksAt[h]
			contrib, after = contrib[:0], append(after[:0], make([]uint64, len(mine)+1)...)
			for _, b := range mine {
				if b == f.up[h] {
					contrib = append(contrib, rest[b]|t.others(int(b), h, f.above[b], below))
				} else {
					contrib = append(contrib, t.others(int(b), h, -1, below))
				}
			}
			for k := len(mine) - 1; k >= 0; k-- {
				after[k] = after[k+1] | contrib[k]
			}
			outer := place[h][w]
			for k, b := range mine {
				if b != f.up[h] {
					rest[b] = outer | after[k+1]
					need[b][w] = t.twice(int(b), h, rest[b], below)
				}
				outer |= contrib[k]
			}
		}
	}
}

// others is what hangs below block b's hubs but h and top.
func (t *Topology) others(b int, h, top int32, below []uint64) (s uint64) {
	for _, w := range t.blocks[b].vertices {
		if int32(w) != h && int32(w) != top {
			s |= below[w]
		}
	}
	return s
}

// twice is what hangs from two or more of block b's hubs.
func (t *Topology) twice(b int, top int32, rest uint64, below []uint64) (twice uint64) {
	once := rest
	for _, w := range t.blocks[b].vertices {
		if int32(w) != top {
			twice |= once & below[w]
			once |= below[w]
		}
	}
	return twice
}
