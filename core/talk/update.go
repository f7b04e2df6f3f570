package talk

import (
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// Update works out an office that was updated from the table's own. The result is
// what [NewTable] gives; what an edit cannot have touched is kept.
func (t *Table) Update(n *span.Net) *Table {
	_, _, vlans, fresh := n.Delta()
	was, is := t.Net.Office, n.Office
	if fresh || len(was.Devices) != len(is.Devices) || !slices.Equal(was.VLANs, is.VLANs) || !slices.Equal(was.Services, is.Services) || !slices.Equal(was.Wishes, is.Wishes) {
		return NewTable(n)
	}
	var ruled []int
	for i, d := range is.Devices {
		if b := was.Devices[i]; b != d {
			if !alike(b, d) {
				return NewTable(n)
			}
			if !office.SameRules(b.Rules, d.Rules) {
				ruled = append(ruled, i)
			}
		}
	}
	if !t.m.standsAlike(n, &vlans) {
		return NewTable(n)
	}
	if len(ruled) == 0 {
		next := *t
		next.Net = n
		return &next
	}
	return t.reruled(n, ruled)
}

// alike says whether two devices are the same for routing, but for their rules.
func alike(a, b *office.Device) bool {
	return a.Name == b.Name && a.Kind == b.Kind && a.Forwarding == b.Forwarding && a.NoRouting == b.NoRouting && a.State == b.State && a.Between == b.Between &&
		a.Within == b.Within && office.SameAddresses(a.Addresses, b.Addresses) && slices.Equal(a.Outsides, b.Outsides) && slices.Equal(a.Routes, b.Routes)
}

// standsAlike says whether the addresses and the hosts of some VLANs stand to each
// other in another office as they do in the map's.
func (m *Map) standsAlike(n *span.Net, vlans *office.Set) bool {
	other := &Map{Net: n}
	for v := range vlans.All() {
		x := m.byVID[v]
		if x == nil {
			continue
		}
		var was, is []span.Place
		add := func(a, b []span.Place) {
			was, is = append(append(was, a...), span.Place{}), append(append(is, b...), span.Place{})
		}
		add(x.places, other.placesOf(v))
		for _, r := range m.routers {
			if r == nil {
				continue
			}
			for _, s := range r.stands {
				if s.a.VID == v {
					add(s.places, reach.Address(n, r.dev, s.a))
				}
			}
		}
		if !slices.Equal(pieces(was), pieces(is)) || slices.ContainsFunc(slices.Concat(was, is), func(p span.Place) bool { return p.Span != nil && p.Span.OneWay }) {
			return false
		}
	}
	return true
}

// pieces numbers the spans of places in the order in which they come.
func pieces(places []span.Place) []int {
	at, out := map[*span.Span]int{nil: 0}, make([]int, len(places))
	for i, p := range places {
		if _, ok := at[p.Span]; !ok {
			at[p.Span] = len(at)
		}
		out[i] = at[p.Span]
	}
	return out
}

// reruled works out anew what changed rules can touch: packets that one of them
// fits, and their answers; and VLANs that the prefixes of the rules now cut into
// other parts. Where rules were put in, taken out or moved, all other packets meet
// the same rules in the same order.
func (t *Table) reruled(n *span.Net, devices []int) *Table {
	next := &Table{Net: n, m: New(n)}
	next.index() // as it was: addresses are the same
	size := next.size
	next.cells = slices.Clone(t.cells)
	todo := make([]bool, size*size)
	for _, dev := range devices {
		for _, r := range changedRules(t.Net.Office.Devices[dev].Rules, n.Office.Devices[dev].Rules) {
			from, to := next.touches(dev, r.From), next.touches(dev, r.To)
			for _, a := range from {
				for _, b := range to {
					todo[a*size+b], todo[b*size+a] = true, true
				}
			}
		}
		shiftTroubles(next.cells, t.Net.Office.Devices[dev], n.Office.Devices[dev])
	}
	for k, i := range next.live {
		was, is := t.area(k), next.area(k)
		if i < 0 || slices.EqualFunc(was.parts, is.parts, func(a, b *Part) bool { return a.Net == b.Net && a.Addr == b.Addr && (a.own == nil) == (b.own == nil) }) {
			continue
		}
		for k := range size {
			todo[i*size+k], todo[k*size+i] = true, true
		}
	}
	next.fill(todo)
	return next
}

// changedRules is the rules that one list has and another has not, or has elsewhere:
// of a rule that was moved, itself alone.
func changedRules(was, is []office.Rule) (changed []office.Rule) {
	gone, come := office.RulesApart(was, is)
	for _, i := range gone {
		changed = append(changed, was[i])
	}
	for _, i := range come {
		changed = append(changed, is[i])
	}
	return changed
}

// shiftTroubles gives rules that troubles name their places in another list. Of those
// that it has not the cells are made anew.
func shiftTroubles(cells []Cell, was, is *office.Device) {
	kept := office.KeptRules(was.Rules, is.Rules, (*office.Rule).Equal)
	for i := range cells {
		for k, x := range cells[i].troubles {
			if x.Device != was.Name || x.Rule < 0 || x.Rule >= len(kept) {
				continue
			}
			if at := kept[x.Rule]; at >= 0 && at != x.Rule {
				cells[i].troubles = slices.Clone(cells[i].troubles)
				cells[i].troubles[k].Rule = at
			}
		}
	}
}

// touches is the areas, by their cells, whose packets a side of a device's rule can
// fit. An interface where another router stands brings those of all.
func (t *Table) touches(dev int, sides []office.Side) (out []int) {
	m := t.m
	r := m.routers[dev]
	if r == nil {
		return nil
	}
	all := func() (all []int) {
		for i := range t.size {
			all = append(all, i)
		}
		return all
	}
	transit := func(v office.VID) bool {
		return slices.ContainsFunc(m.routers, func(x *router) bool { return x != nil && x != r && x.iface(v) >= 0 })
	}
	in := make([]bool, len(t.live))
	outside := len(in) - 1
	for _, s := range sides {
		switch s.Kind {
		case office.SideAny:
			return all()
		case office.SideOutside:
			in[outside] = true
		case office.SideZone, office.SideVLAN:
			for _, f := range r.ifaces {
				if f.vid == 0 || s.Kind == office.SideVLAN && f.vid != s.VID || s.Kind == office.SideZone && f.zone != s.Zone {
					continue
				}
				if transit(f.vid) {
					return all()
				}
				in[slices.Index(m.vlans, m.byVID[f.vid])] = true
			}
		case office.SideNet:
			for i, x := range m.vlans {
				in[i] = in[i] || slices.ContainsFunc(x.nets, s.Net.Overlaps)
			}
			in[outside] = in[outside] || !unroutable(s.Net)
		}
	}
	for i, yes := range in {
		if yes && t.live[i] >= 0 {
			out = append(out, t.live[i])
		}
	}
	return out
}
