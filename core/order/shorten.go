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
		act := acts[i].act
		if act.kind != Set || act.task != nil {
			continue
		}
		for j := i + 1; j < len(acts) && j <= i+farthest && acts[j].act.dev == act.dev && acts[j].act.kind != Laptop && anew < mostShortened; j++ {
			if one := acts[j].act; one.kind != Set || one.task != nil || one.page != act.page {
				continue
			}
			if node := p.without(acts, i, j, &anew); node != nil {
				acts = chain(node)
				i--
			}
			break
		}
	}
	acts = p.gather(p.spare(acts))
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
		act := acts[i].act
		if act.kind != Set || act.task != nil || act.given != nil {
			continue
		}
		_, to := sitting(acts, i)
		for j := to + 1; j < len(acts) && j <= i+far; j++ {
			if one := acts[j].act; one.kind != Set || one.task != nil || one.given != nil || one.dev != act.dev || one.page != act.page {
				continue
			}
			if node := p.spared(acts, i, j, &anew); node != nil {
				acts = chain(node)
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
	alone := !acts[from].prev.world.dirty[acts[i].act.dev] // on its visit, which keeps nothing else
	for k := from; k <= to; k++ {
		alone = alone && (k == i || acts[k].act.kind == Check || acts[k].act.kind == Save)
	}
	if !alone {
		from, to = i, i
	}
	node := acts[from].prev
	for k := from; k <= j; k++ {
		if k == i || alone && k >= from && k <= to {
			continue
		}
		*anew++
		act, then := node.again(acts[k])
		if then == nil || then.harms(node.world) && !acts[k].world.harms(acts[k].prev.world) {
			return nil
		}
		node = node.then(act, then)
	}
	if node.world.hash() != acts[j].world.hash() || !slices.Equal(node.world.dirty, acts[j].world.dirty) || !slices.Equal(node.world.risky, acts[j].world.risky) {
		return nil
	}
	return node.onto(acts[j+1:], acts[len(acts)-1].price)
}

// chain is a way as a list.
func chain(end *node) (acts []*node) {
	for node := end; node.prev != nil; node = node.prev {
		acts = append(acts, node)
	}
	slices.Reverse(acts)
	return acts
}

// without is the way without act i, done anew up to j, if what comes out there is
// the same; nil where it is not, or somebody suffers more.
func (p *problem) without(acts []*node, i, j int, anew *int) *node {
	node := acts[i].prev
	for _, one := range acts[i+1 : j+1] {
		*anew++
		act, to := node.again(one)
		if to == nil {
			return nil
		}
		node = node.then(act, to)
	}
	if node.world.hash() != acts[j].world.hash() || !slices.Equal(node.world.dirty, acts[j].world.dirty) {
		return nil
	}
	return node.onto(acts[j+1:], acts[len(acts)-1].price)
}

// onto is the way that goes on as it did; nil where that is no better than it was.
func (n *node) onto(rest []*node, was Price) *node {
	for _, node := range rest {
		n = n.then(node.act, node.world)
	}
	if n.price.Compare(was) >= 0 {
		return nil
	}
	return n
}

// may says whether a task can be done here.
func (w *world) may(one *task) bool {
	switch {
	case one.kind != CableStep:
		return w.due(one)
	case one.box: // who goes there unpacks it
		return !slices.ContainsFunc(one.after, func(task *task) bool { return !w.tasks[task.at] })
	}
	return w.plugs(one)
}

// again is an act and the world after it, done from another point; nil where it
// cannot be done there.
func (n *node) again(node *node) (act, *world) {
	act := node.act
	switch act.kind {
	case Set, Manage, Check, Save: // what leads there may be what was left out
		if !n.world.reaches(act.dev) {
			return act, nil
		}
	}
	switch {
	case act.given != nil:
		if one := n.asOne(act, act.given); one != nil {
			return one.act, one.world
		}
		return act, nil
	case act.task != nil:
		if !n.world.may(act.task) {
			return act, nil
		}
		return act, n.world.carry(act.task)
	case act.kind == Set:
		trial := n.world.apply(act.dev, act.step)
		if trial == nil {
			return act, nil
		}
		return trial.act, trial.to
	case act.kind == Save:
		world := n.world.clone()
		world.dirty[act.dev], world.risky[act.dev] = false, false
		return act, world
	case act.kind == Check:
		return act, n.world.clone()
	case act.kind == Laptop:
		return act, n.world.walk(node.world.at)
	}
	return act, nil
}
