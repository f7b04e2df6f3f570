package order

import "slices"

// What shortening looks at before it leaves an order as it is.
const (
	mostShortened = 600  // steps done anew
	farthest      = 14   // between a step and the one that does its work again
	mostSpared    = 2400 // steps done anew to spare visits
	far           = 48   // between a step and the one of a later visit that does its work again
)

// shorten leaves out steps whose page is filled in again at the same sitting, where
// nobody suffers more and the office comes out the same.
func (p *problem) shorten(end *node) *node {
	acts := chain(end)
	anew := 0
	for i := 0; i < len(acts); i++ {
		a := acts[i].act
		if a.kind != Set || a.task != nil {
			continue
		}
		for j := i + 1; j < len(acts) && j <= i+farthest && acts[j].act.dev == a.dev && acts[j].act.kind != Laptop && anew < mostShortened; j++ {
			if b := acts[j].act; b.kind != Set || b.task != nil || b.page != a.page {
				continue
			}
			if n := p.without(acts, i, j, &anew); n != nil {
				acts = chain(n)
				i--
			}
			break
		}
	}
	acts = p.spare(acts)
	if len(acts) == 0 {
		return end
	}
	return acts[len(acts)-1]
}

// spare leaves out steps whose page is filled in again on a later visit, with the visit where
// nothing else is done on it: what comes off one port after the other, visit by visit, comes
// off all of them on the last.
func (p *problem) spare(acts []*node) []*node {
	anew := 0
	for i := 0; i < len(acts) && anew < mostSpared; i++ {
		a := acts[i].act
		if a.kind != Set || a.task != nil || a.given != nil {
			continue
		}
		_, to := sitting(acts, i)
		for j := to + 1; j < len(acts) && j <= i+far; j++ {
			if b := acts[j].act; b.kind != Set || b.task != nil || b.given != nil || b.dev != a.dev || b.page != a.page {
				continue
			}
			if n := p.spared(acts, i, j, &anew); n != nil {
				acts = chain(n)
				i = max(-1, i-far)
			}
			break
		}
	}
	return acts
}

// spared is the way without act i and what is done only because of it, done anew up to j, if
// what comes out there is the same; nil where it is not, or somebody suffers more.
func (p *problem) spared(acts []*node, i, j int, anew *int) *node {
	from, to := sitting(acts, i)
	alone := true // on its visit
	for k := from; k <= to; k++ {
		alone = alone && (k == i || acts[k].act.kind == Check || acts[k].act.kind == Save)
	}
	if !alone {
		from, to = i, i
	}
	n := acts[from].prev
	for k := from; k <= j; k++ {
		if k == i || alone && k >= from && k <= to {
			continue
		}
		*anew++
		act, then := n.again(acts[k])
		if then == nil || then.harms(n.w) && !acts[k].w.harms(acts[k].prev.w) {
			return nil
		}
		n = n.then(act, then)
	}
	if n.w.hash() != acts[j].w.hash() || !slices.Equal(n.w.dirty, acts[j].w.dirty) || !slices.Equal(n.w.risky, acts[j].w.risky) {
		return nil
	}
	return n.onto(acts[j+1:], acts[len(acts)-1].price)
}

// chain is a way as a list.
func chain(end *node) (acts []*node) {
	for n := end; n.prev != nil; n = n.prev {
		acts = append(acts, n)
	}
	slices.Reverse(acts)
	return acts
}

// without is the way without act i, done anew up to j, if what comes out there is
// the same; nil where it is not, or somebody suffers more.
func (p *problem) without(acts []*node, i, j int, anew *int) *node {
	n := acts[i].prev
	for _, m := range acts[i+1 : j+1] {
		*anew++
		act, to := n.again(m)
		if to == nil {
			return nil
		}
		n = n.then(act, to)
	}
	if n.w.hash() != acts[j].w.hash() || !slices.Equal(n.w.dirty, acts[j].w.dirty) {
		return nil
	}
	return n.onto(acts[j+1:], acts[len(acts)-1].price)
}

// onto is the way that goes on as it did; nil where that is no better than it was.
func (n *node) onto(rest []*node, was Price) *node {
	for _, m := range rest {
		n = n.then(m.act, m.w)
	}
	if n.price.Compare(was) >= 0 {
		return nil
	}
	return n
}

// again is an act and the world after it, done from another point; nil where it
// cannot be done there.
func (n *node) again(m *node) (act, *world) {
	a := m.act
	switch {
	case a.given != nil:
		if m := n.asOne(a, a.given); m != nil {
			return m.act, m.w
		}
		return a, nil
	case a.task != nil:
		if slices.ContainsFunc(a.task.after, func(t *task) bool { return !n.w.tasks[t.at] }) {
			return a, nil
		}
		return a, n.w.carry(a.task)
	case a.kind == Set:
		if !n.w.reaches(a.dev) {
			return a, nil
		}
		t := n.w.apply(a.dev, a.step)
		if t == nil {
			return a, nil
		}
		return t.act, t.to
	case a.kind == Save:
		c := n.w.clone()
		c.dirty[a.dev], c.risky[a.dev] = false, false
		return a, c
	case a.kind == Check:
		return a, n.w.clone()
	case a.kind == Laptop:
		return a, n.w.walk(m.w.at)
	}
	return a, nil
}
