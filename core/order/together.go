package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
	"klammer/core/wording"
)

// A device that has a sub-interface for each VLAN asks for its address on the same page:
// what the search does in two acts is one step.

// together joins the acts on a page with those that give the addresses which stand on it,
// where they are of one sitting and nobody suffers more.
//
//	> core 1-2: 160; floor 1-2: 160
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
func (p *problem) together(end *node) *node {
	acts := chain(end)
	for j := 0; j < len(acts); j++ {
		act := acts[j].act
		if act.kind != Set || act.task != nil || act.step.Op != wording.Join && act.step.Op != wording.PVID {
			continue
		}
		from, to := sitting(acts, j)
		var given []int
		for i := from; i <= to; i++ {
			if task := acts[i].act.task; task != nil && task.address.IsValid() && task.vid == act.step.VLAN && strings.Contains(act.text, " "+task.address.String()) {
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
	node := acts[first].prev
	for i := first; i <= last; i++ {
		if i == at {
			var tasks []*task
			for _, k := range given {
				tasks = append(tasks, acts[k].act.task)
			}
			if node = node.asOne(acts[page].act, tasks); node == nil {
				return nil
			}
			continue
		}
		if slices.Contains(one, i) {
			continue
		}
		act, to := node.again(acts[i])
		if to == nil || to.harms(node.world) && !acts[i].world.harms(acts[i].prev.world) {
			return nil
		}
		node = node.then(act, to)
	}
	if node.world.hash() != acts[last].world.hash() || !slices.Equal(node.world.dirty, acts[last].world.dirty) {
		return nil
	}
	for _, m := range acts[last+1:] {
		node = node.then(m.act, m.world)
	}
	if node.price.Compare(acts[len(acts)-1].price) >= 0 {
		return nil
	}
	return chain(node)
}

// asOne does a page with the addresses on it; nil where the device does not take it.
func (n *node) asOne(act act, given []*task) *node {
	if !n.world.reaches(act.dev) {
		return nil
	}
	trial := n.world.apply(act.dev, act.step)
	if trial == nil {
		return nil
	}
	one, world := trial.act, trial.to
	both := &task{dev: act.dev}
	for _, x := range given {
		if slices.ContainsFunc(x.after, func(task *task) bool { return !world.tasks[task.at] }) {
			return nil
		}
		if world = world.carry(x); world == nil {
			return nil
		}
		both.lines, both.back = append(both.lines, x.lines...), append(both.back, x.back...)
		one.risky = one.risky || x.risky
		if x.manage {
			one.kind = Manage
			one.text += "; it is managed there"
		}
	}
	one.task, one.given = both, given
	return n.then(one, world)
}

// renamed is a page of ports and the device's management as one act, where the laptop sits at
// the device's only way: an access point with one port, which is taken from VLAN 1 into that
// of management. Its frames are untagged before and after, and what changes is the number by
// which the device calls them; between the two pages it would answer nobody. Only a device set
// by its inner ports, or an access point or host of which nobody said how it is set, is taken to
// have them applied at once: on others the untagged VLAN of a port is a page of its own.
func (n *node) renamed() *node {
	world := n.world
	i := world.at.dev
	if world.at.console || world.at.away || world.left[i] == 0 || !world.reaches(i) {
		return nil
	}
	device := world.office.Devices[i]
	unsaid := device.Wording.Name == "" && (device.Kind == office.AccessPoint || device.Kind == office.Host)
	if device.Wording.Name != office.ByInnerPort && !unsaid {
		return nil
	}
	var manage *task
	for _, task := range world.problem.tasks {
		if task.dev == i && task.manage && world.due(task) {
			manage = task
		}
	}
	if manage == nil {
		return nil
	}
	for at := level(levels - 1); at >= hush; at-- {
		for _, st := range world.pages(i, at, nil) {
			world.problem.tries++
			one := n.asOne(act{dev: i, step: st}, []*task{manage})
			if one == nil || !one.world.reaches(i) || !one.clean(n) || one.world.remaining() >= world.remaining() {
				continue
			}
			one.act.text = fmt.Sprintf("%s; %s. Fill in both before they are applied: they are one way", st.Text, manage.text)
			return one
		}
	}
	return nil
}
