package order

import "slices"

// What shortening looks at before it leaves an order as it is.
const (
	mostShortened = 600 // steps done anew
	farthest      = 14  // between a step and the one that does its work again
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
	if len(acts) == 0 {
		return end
	}
	return acts[len(acts)-1]
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
	for _, m := range acts[j+1:] {
		n = n.then(m.act, m.w)
	}
	if n.price.Compare(acts[len(acts)-1].price) >= 0 {
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
	}
	return a, nil
}
