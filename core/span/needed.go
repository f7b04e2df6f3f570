package span

import (
	"klammer/core/office"
)

// terminals is what a hub has of each VLAN's terminals: uncabled untagged
// ports in it, inner ports, addresses, plugs that want it, management.
//
// place counts them all and says where VLANs are needed; it does not depend on
// what cables carry.
func (n *Net) places() []*office.Set {
	place := newSets(len(n.Topo.Hubs))
	for i := range n.Office.Devices {
		n.placesOf(i, place)
	}
	return place
}

// newSets gives empty sets that stand side by side.
func newSets(n int) []*office.Set {
	all, sets := make([]office.Set, n), make([]*office.Set, n)
	for i := range all {
		sets[i] = &all[i]
	}
	return sets
}

// placesOf fills in the places of device i's hubs.
func (n *Net) placesOf(i int, place []*office.Set) {
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
		hub := place[n.Topo.HubOf(i, p)]
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
