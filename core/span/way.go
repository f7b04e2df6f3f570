package span

import (
	"cmp"
	"slices"

	"klammer/core/office"
)

// Carries says whether a VLAN crosses a link: both ways, or at all.
func (n *Net) Carries(link int, vid office.VID) (both, any bool) {
	carry := n.carry[link]
	ab, ba := carry.AB.Has(vid), carry.BA.Has(vid)
	for _, arc := range carry.Cross { // as untagged frames into or out of an unaware device
		if arc.From == Label(vid) && arc.To&untaggedAt != 0 || arc.To == Label(vid) && arc.From&untaggedAt != 0 {
			if arc.FromA {
				ab = true
			} else {
				ba = true
			}
		}
	}
	return ab && ba, ab || ba
}

// lacking is how many of a link's ends would have to be set for vid to cross.
func (n *Net) lacking(link int, vid office.VID) int {
	k := 0
	for _, end := range n.Topo.Links[link].Ends() {
		if n.Aware(end.Dev) && !n.Port(end).Has(vid) {
			k++
		}
	}
	return k
}

// Route is the shortest way over cables from some hubs to a goal: fewest hops,
// then fewest ports to change for vid, then by the names of the ports; so the
// answer is always the same. Cables in a port that is shut, and devices that
// drop tags on the way, are no way. It is nil, false where no way exists.
//
//	> device loft switch; ports 1-4; 1: -; 2: 160; cable core.6 loft.1
//	160 guests, split: (core.4 floor.5) (loft.2)
func (n *Net) Route(vid office.VID, from []int, goal func(hub int) bool) ([]int, bool) {
	return n.route(vid, from, goal, false, false)
}

// RouteAnyhow is [Net.Route] over devices that drop tags, too.
func (n *Net) RouteAnyhow(vid office.VID, from []int, goal func(hub int) bool) ([]int, bool) {
	return n.route(vid, from, goal, true, false)
}

// RouteShut is [Net.RouteAnyhow] over cables in ports that are shut, too.
func (n *Net) RouteShut(vid office.VID, from []int, goal func(hub int) bool) ([]int, bool) {
	return n.route(vid, from, goal, true, true)
}

// route is a way of a VLAN over cables from any of some hubs to the first that is a goal: over the
// fewest cables, of those with the fewest that do not carry it yet, of those the first in the order
// of the file. With anyhow it goes through devices that drop tags as well, with shut over ports
// that are off.
//
// Many branches: a search in rounds, with what may not be passed and two prices to tell
// equal ways apart.
func (n *Net) route(vid office.VID, from []int, goal func(hub int) bool, anyhow, shut bool) ([]int, bool) {
	type best struct {
		hops, changes int
		via           int // link, -1 at the start
		prev          int // hub
	}
	at := map[int]best{}
	var front []int
	for _, h := range from {
		if _, ok := at[h]; !ok {
			at[h] = best{via: -1, prev: -1}
			front = append(front, h)
		}
	}
	path := func(other best) []int {
		var p []int
		for other.via >= 0 {
			p = append(p, other.via)
			other = at[other.prev]
		}
		slices.Reverse(p)
		return p
	}
	for len(front) > 0 {
		var found []best
		for _, h := range front {
			if goal(h) {
				found = append(found, at[h])
			}
		}
		if len(found) > 0 {
			slices.SortFunc(found, func(a, b best) int {
				return cmp.Or(cmp.Compare(a.changes, b.changes), slices.Compare(path(a), path(b)))
			})
			return path(found[0]), true
		}
		next := map[int]best{}
		var order []int
		for _, hub := range front {
			one := at[hub]
			if !anyhow && one.via >= 0 && n.Office.Devices[n.Topo.Hubs[hub].Dev].Forwarding == office.UnawareDrops {
				continue
			}
			for _, link := range n.Topo.At[hub] {
				k := &n.Topo.Links[link]
				end := k.Other(hub)
				if _, ok := at[end.Hub]; ok || !shut && (n.Port(k.A).Off || n.Port(k.B).Off) {
					continue
				}
				c := best{one.hops + 1, one.changes + n.lacking(link, vid), link, hub}
				old, ok := next[end.Hub]
				if !ok {
					order = append(order, end.Hub)
				}
				if !ok || cmp.Or(cmp.Compare(c.changes, old.changes), slices.Compare(path(c), path(old))) < 0 {
					next[end.Hub] = c
				}
			}
		}
		slices.Sort(order)
		for _, h := range order {
			at[h] = next[h]
		}
		front = order
	}
	return nil, false
}
