package order

import (
	"slices"
	"strings"

	"klammer/core/wording"
)

// A device that has a sub-interface for each VLAN asks for its address on the same page:
// what the search does in two acts is one step.

// together joins the acts on a page with those that give the addresses which stand on it,
// where they are of one sitting and nobody suffers more.
func (p *problem) together(end *node) *node {
	acts := chain(end)
	for j := 0; j < len(acts); j++ {
		a := acts[j].act
		if a.kind != Set || a.task != nil || a.step.Op != wording.Join && a.step.Op != wording.PVID {
			continue
		}
		from, to := sitting(acts, j)
		var given []int
		for i := from; i <= to; i++ {
			if t := acts[i].act.task; t != nil && t.address.IsValid() && t.vid == a.step.VLAN && strings.Contains(a.text, " "+t.address.String()) {
				given = append(given, i)
			}
		}
		if len(given) == 0 {
			continue
		}
		all := append([]int{j}, given...)
		for _, at := range []int{slices.Max(all), j, slices.Min(all)} {
			if next := p.joined(acts, j, given, at); next != nil {
				acts = next
				j = slices.Min(all)
				break
			}
		}
	}
	if len(acts) == 0 {
		return end
	}
	return acts[len(acts)-1]
}

// sitting is the first and the last act that is done where act j is, without going
// elsewhere.
func sitting(acts []*node, j int) (from, to int) {
	same := func(i int) bool { return acts[i].act.dev == acts[j].act.dev && acts[i].act.kind != Laptop }
	for from = j; from > 0 && same(from-1); from-- {
	}
	for to = j; to+1 < len(acts) && same(to+1); to++ {
	}
	return from, to
}

// joined is a way on which a page and the addresses that stand on it are one act, at the
// place of one of them; nil where that cannot be.
func (p *problem) joined(acts []*node, page int, given []int, at int) []*node {
	one := append([]int{page}, given...)
	first, last := slices.Min(one), slices.Max(one)
	n := acts[first].prev
	for i := first; i <= last; i++ {
		if i == at {
			var tasks []*task
			for _, k := range given {
				tasks = append(tasks, acts[k].act.task)
			}
			if n = n.asOne(acts[page].act, tasks); n == nil {
				return nil
			}
			continue
		}
		if slices.Contains(one, i) {
			continue
		}
		act, to := n.again(acts[i])
		if to == nil || to.harms(n.w) && !acts[i].w.harms(acts[i].prev.w) {
			return nil
		}
		n = n.then(act, to)
	}
	if n.w.hash() != acts[last].w.hash() || !slices.Equal(n.w.dirty, acts[last].w.dirty) {
		return nil
	}
	for _, m := range acts[last+1:] {
		n = n.then(m.act, m.w)
	}
	if n.price.Compare(acts[len(acts)-1].price) >= 0 {
		return nil
	}
	return chain(n)
}

// asOne does a page with the addresses on it; nil where the device does not take it.
func (n *node) asOne(m act, given []*task) *node {
	if !n.w.reaches(m.dev) {
		return nil
	}
	t := n.w.apply(m.dev, m.step)
	if t == nil {
		return nil
	}
	a, w := t.act, t.to
	both := &task{dev: m.dev}
	for _, x := range given {
		if slices.ContainsFunc(x.after, func(y *task) bool { return !w.tasks[y.at] }) {
			return nil
		}
		if w = w.carry(x); w == nil {
			return nil
		}
		both.lines, both.back = append(both.lines, x.lines...), append(both.back, x.back...)
		a.risky = a.risky || x.risky
		if x.manage {
			a.kind = Manage
			a.text += "; it is managed there"
		}
	}
	a.task, a.given = both, given
	return n.then(a, w)
}
