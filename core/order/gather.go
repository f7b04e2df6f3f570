package order

import "slices"

// The search takes what is possible next, and comes back to a device as soon as something more is:
// on the way to
//
//	b: PVIDs, check, save · a: PVIDs, check, save · b: VLAN 190, check, save
//
// it is at b twice. Where nobody suffers by it, b's first pages can wait for its second visit, or
// those of the second be filled in on the first; and the look at b that was put off until the
// laptop had been elsewhere is taken before it leaves.

// mostGathered is how many acts are done anew to bring visits together.
const mostGathered = 1500

// gather brings the visits of one device together, and leaves out ways of the laptop that lead
// nowhere. What comes out is the same, and nobody suffers more.
//
//	> core 1: 160; floor 1: 160; core 2: 160; floor 2: 160
//	1. floor, set: VLAN 110 reception: untagged 3-4, tagged 8
//	2. floor, set: VLAN 140 phones: untagged none, tagged 3-4,8
//	3. floor, set: VLAN 160 guests: untagged 1-2,5, tagged 8
//	   floor 1-2 are now in 160 guests.
//	4. floor, save: Save, so that it stays after a power cut
//	5. core, set: VLAN 110 reception: untagged 3, tagged 7-8
//	6. core, set: VLAN 140 phones: untagged none, tagged 3,7-8
//	7. core, set: VLAN 160 guests: untagged 1-2,4, tagged 7-8
//	8. core, set: PVID of 1-2: 160
//	   core 1-2 are now in 160 guests.
//	9. core, save: Save, so that it stays after a power cut
func (p *problem) gather(acts []*node) []*node {
	budget := mostGathered
	for again := true; again; {
		again = false
		for i := 0; i < len(acts) && budget > 0 && !p.stop(); i++ {
			next := p.stays(acts, i, &budget)
			if next == nil {
				next = p.joins(acts, i, &budget)
			}
			if next != nil {
				acts, again = next, true
				i = max(-1, i-far)
			}
		}
	}
	return acts
}

// stays leaves out way i of the laptop: all until its next is done from where it was. nil where
// that cannot be, or is no better.
func (p *problem) stays(acts []*node, i int, budget *int) []*node {
	if acts[i].act.kind != Laptop {
		return nil
	}
	return p.anew(acts, i, i, nil, budget)
}

// joins brings the sitting that starts with act i and the next one at the same device together,
// at the place of the first or of the second, with or without the way of the laptop to the
// other. nil where none of these is better.
func (p *problem) joins(acts []*node, i int, budget *int) []*node {
	from, to := sitting(acts, i)
	if from != i || acts[i].act.kind == Laptop {
		return nil
	}
	second := to + 1
	for second < len(acts) && second <= i+far && (acts[second].act.dev != acts[i].act.dev || acts[second].act.kind == Laptop) {
		second++
	}
	if second >= len(acts) || second > i+far {
		return nil
	}
	_, end := sitting(acts, second)
	both := slices.Concat(unsaved(acts[i:to+1]), acts[second:end+1])
	if acts[end].act.kind != Save { // the second sitting keeps nothing by itself
		both = slices.Concat(acts[i:to+1], acts[second:end+1])
		if tail := acts[to]; tail.act.kind == Save {
			both = slices.Concat(unsaved(acts[i:to+1]), acts[second:end+1], []*node{tail})
		}
	}
	between := acts[to+1 : second]
	came, went := i, len(between) // without the laptop's way to the first, and to the second
	if i > 0 && led(acts[i-1], acts[i]) {
		came = i - 1
	}
	if went > 0 && led(between[went-1], acts[second]) {
		went--
	}
	for k, way := range []struct {
		from int
		list []*node
	}{
		{i, slices.Concat(both, between[:went])},
		{i, slices.Concat(both, between)},
		{came, slices.Concat(between, both)},
		{i, slices.Concat(between, both)},
	} {
		if acts[i].prev.world.dirty[acts[i].act.dev] && k >= 2 {
			break // what was done before is not kept later than it was
		}
		if next := p.anew(acts, way.from, end, way.list, budget); next != nil {
			return next
		}
	}
	return nil
}

// led says whether an act is the laptop's way to the sitting that starts with another.
func led(way, first *node) bool {
	return way.act.kind == Laptop && way.act.dev == first.act.dev
}

// unsaved is a sitting without its last look and saving.
func unsaved(acts []*node) []*node {
	for len(acts) > 0 && (acts[len(acts)-1].act.kind == Save || acts[len(acts)-1].act.kind == Check) {
		acts = acts[:len(acts)-1]
	}
	return acts
}

// anew does others in the place of acts from to end, and on until the laptop is where it was; nil
// where an act of them cannot be done so, what comes out is something else, somebody suffers
// more, or it is no better.
func (p *problem) anew(acts []*node, from, end int, others []*node, budget *int) []*node {
	node := acts[from].prev
	for k := 0; k < len(others) || node.world.at != acts[end].world.at; k++ {
		if *budget--; *budget < 0 {
			return nil
		}
		if k >= len(others) {
			if end++; end >= len(acts) {
				return nil
			}
			others = append(slices.Clip(others), acts[end])
		}
		if node = node.repeat(others[k]); node == nil {
			return nil
		}
	}
	was := acts[end].world
	if node.world.hash() != was.hash() || !slices.Equal(node.world.dirty, was.dirty) || !slices.Equal(node.world.risky, was.risky) || !slices.Equal(node.blind, acts[end].blind) {
		return nil
	}
	if node = node.onto(acts[end+1:], acts[len(acts)-1].price); node == nil {
		return nil
	}
	return chain(node)
}

// repeat is the point after an act that was done elsewhere on the way; nil where it cannot be done
// here, or somebody suffers who did not there. A look belongs to the saving that follows.
func (n *node) repeat(one *node) *node {
	act, before := one.act, one.prev.world
	switch act.kind {
	case Check:
		return n
	case Save:
		switch {
		case !n.world.dirty[act.dev]:
			return n
		case !n.world.reaches(act.dev), n.world.verdict.cut > before.verdict.cut, n.world.oneSided(act.dev) && !before.oneSided(act.dev):
			return nil
		}
		return n.save(act.dev)
	case Laptop:
		return n.walk(one.world.at, act.dev)
	}
	act, to := n.again(one)
	switch {
	case to == nil:
		return nil
	case to.harms(n.world) && !one.world.harms(before):
		return nil
	case to.verdict.mixed > n.world.verdict.mixed && one.world.verdict.mixed <= before.verdict.mixed:
		return nil
	case !to.alive() && one.world.alive():
		return nil
	}
	return n.then(act, to)
}
