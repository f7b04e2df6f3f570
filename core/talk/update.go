package talk

import (
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// The table of all pairs is most of what an edit costs, and most edits touch none of it:
//
//	a port, a plug                    kept whole, if the hosts and addresses of the VLANs that the
//	                                  edit touched stand to each other as before (standsAlike)
//	rules, and nothing else           pairs that a changed rule can fit, and those whose VLANs its
//	                                  addresses cut into other parts (reruled)
//	addresses, lines, routes, VLANs   anew

// Update works out an office that was updated from the table's own. The result is
// what [NewTable] gives; what an edit cannot have touched is kept.
func (t *Table) Update(net *span.Net) *Table {
	_, _, vlans, fresh := net.Delta()
	was, is := t.Net.Office, net.Office
	if fresh || len(was.Devices) != len(is.Devices) || !slices.Equal(was.VLANs, is.VLANs) || !slices.Equal(was.Services, is.Services) || !slices.Equal(was.Wishes, is.Wishes) {
		return NewTable(net)
	}
	var ruled []int
	for i, device := range is.Devices {
		if other := was.Devices[i]; other != device {
			if !alike(other, device) {
				return NewTable(net)
			}
			if !office.SameRules(other.Rules, device.Rules) {
				ruled = append(ruled, i)
			}
		}
	}
	if !t.of.standsAlike(net, &vlans) {
		return NewTable(net)
	}
	if len(ruled) == 0 {
		next := *t
		next.Net = net
		return &next
	}
	return t.reruled(net, ruled)
}

// alike says whether two devices are the same for routing, but for their rules.
func alike(a, b *office.Device) bool {
	return a.Name == b.Name && a.Kind == b.Kind && a.Forwarding == b.Forwarding && a.NoRouting == b.NoRouting && a.State == b.State && a.Between == b.Between &&
		a.Within == b.Within && office.SameAddresses(a.Addresses, b.Addresses) && slices.Equal(a.Outsides, b.Outsides) && slices.Equal(a.Routes, b.Routes)
}

// standsAlike says whether the addresses and the hosts of some VLANs stand to each
// other in another office as they do in the map's.
func (m *Map) standsAlike(net *span.Net, vlans *office.Set) bool {
	other := &Map{Net: net}
	for vid := range vlans.All() {
		area := m.byVID[vid]
		if area == nil {
			continue
		}
		var was, is []span.Place
		add := func(a, b []span.Place) {
			was, is = append(append(was, a...), span.Place{}), append(append(is, b...), span.Place{})
		}
		add(area.places, other.placesOf(vid))
		for _, router := range m.routers {
			if router == nil {
				continue
			}
			for _, own := range router.stands {
				if own.address.VID == vid {
					add(own.places, reach.Address(net, router.dev, own.address))
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
func (t *Table) reruled(net *span.Net, devices []int) *Table {
	next := &Table{Net: net, of: New(net)}
	next.index() // as it was: addresses are the same
	size := next.size
	next.cells = slices.Clone(t.cells)
	todo := make([]bool, size*size)
	for _, dev := range devices {
		for _, rule := range changedRules(t.Net.Office.Devices[dev].Rules, net.Office.Devices[dev].Rules) {
			from, to := next.touches(dev, rule.From), next.touches(dev, rule.To)
			for _, a := range from {
				for _, b := range to {
					todo[a*size+b], todo[b*size+a] = true, true
				}
			}
		}
		shiftTroubles(next.cells, t.Net.Office.Devices[dev], net.Office.Devices[dev])
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
	next.before, next.anew = t.of, todo
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
		for k, trouble := range cells[i].troubles {
			if trouble.Device != was.Name || trouble.Rule < 0 || trouble.Rule >= len(kept) {
				continue
			}
			if at := kept[trouble.Rule]; at >= 0 && at != trouble.Rule {
				cells[i].troubles = slices.Clone(cells[i].troubles)
				cells[i].troubles[k].Rule = at
			}
		}
	}
}

// touches is the areas, by their cells, whose packets a side of a device's rule can
// fit. An interface where another router stands brings those of all.
//
// Many branches: one a kind of side that a rule may name.
func (t *Table) touches(dev int, sides []office.Side) (out []int) {
	talks := t.of
	one := talks.routers[dev]
	if one == nil {
		return nil
	}
	all := func() (all []int) {
		for i := range t.size {
			all = append(all, i)
		}
		return all
	}
	transit := func(vid office.VID) bool {
		return slices.ContainsFunc(talks.routers, func(router *router) bool { return router != nil && router != one && router.iface(vid) >= 0 })
	}
	in := make([]bool, len(t.live))
	outside := len(in) - 1
	for _, side := range sides {
		switch side.Kind {
		case office.SideAny:
			return all()
		case office.SideOutside:
			in[outside] = true
		case office.SideZone, office.SideVLAN:
			for _, iface := range one.ifaces {
				if iface.vid == 0 || side.Kind == office.SideVLAN && iface.vid != side.VID || side.Kind == office.SideZone && iface.zone != side.Zone {
					continue
				}
				if transit(iface.vid) {
					return all()
				}
				in[slices.Index(talks.vlans, talks.byVID[iface.vid])] = true
			}
		case office.SideNet:
			for i, area := range talks.vlans {
				in[i] = in[i] || slices.ContainsFunc(area.nets, side.Net.Overlaps)
			}
			in[outside] = in[outside] || !unroutable(side.Net)
		}
	}
	for i, yes := range in {
		if yes && t.live[i] >= 0 {
			out = append(out, t.live[i])
		}
	}
	return out
}
