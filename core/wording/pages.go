package wording

import (
	"fmt"
	"slices"

	"klammer/core/office"
)

// Pages lists the single steps by which a device comes nearer from what it is
// set to now to what its ports should be: each fills in one page, for all ports
// that differ there, and leads nowhere else. Nothing is said of their order, and
// what the device makes of one is what [Apply] says. A VLAN that a page needs and
// the device does not know is created in a step of its own.
//
// Unlike [Steps], the goal need not be one that the wording can say; what cannot
// be asked for is left out.
func Pages(d *Device, now, goal State) []Step {
	g := &pages{d: d, now: now, goal: goal}
	var shut, open []int
	for _, p := range d.logical() {
		a, b := &now.Ports[p], &goal.Ports[p]
		switch {
		case b.Off && !a.Off:
			shut = append(shut, p)
		case !b.Off && a.Off && a.same(*b):
			open = append(open, p)
		}
		if !b.Off && !a.same(*b) {
			g.at = append(g.at, p)
		}
	}
	if len(shut) > 0 {
		g.add(Step{Op: Shut, Ports: shut, Where: "Ports", Text: "Shut " + d.list(shut)})
	}
	if len(open) > 0 {
		g.add(Step{Op: Open, Ports: open, Where: "Ports", Text: "Open " + d.list(open)})
	}
	switch d.kind {
	case &byVLAN:
		g.byVLAN()
	case &byGroup:
		g.byGroup()
	case &bySubInterface:
		g.bySubInterface()
	case &linux:
		g.linux()
	case &byPort, &byChoice:
		g.create("VLANs", "Create VLAN %s")
		g.whole()
		if d.kind == &byChoice { // what else there is decides what a trunk carries
			g.forget()
		}
	default:
		g.whole()
	}
	return g.out
}

type pages struct {
	d         *Device
	now, goal State
	at        []int // ports whose settings differ
	out       []Step
}

func (g *pages) add(st Step) { g.out = append(g.out, st) }

func (g *pages) create(where, text string) {
	var needed office.Set
	for _, p := range g.at {
		m := g.goal.Ports[p].Members()
		needed.AddAll(&m)
		needed.Add(g.goal.Ports[p].PVID)
	}
	needed.Remove(0)
	missing := needed.Minus(&g.now.VLANs)
	for v := range missing.All() {
		g.add(Step{Op: Create, VLAN: v, Where: where, Text: fmt.Sprintf(text, g.d.name(v))})
	}
}

func (g *pages) forget() {
	gone := g.now.VLANs.Minus(&g.goal.VLANs)
	gone.Remove(office.DefaultVID)
	for v := range gone.All() {
		g.add(Step{Op: Delete, VLAN: v, Where: "VLANs", Text: "Delete VLAN " + g.d.name(v)})
	}
}

// alike parts ports into those with the same goal, in order.
func (g *pages) alike(same func(a, b Setting) bool) [][]int {
	var out [][]int
	for _, p := range g.at {
		i := slices.IndexFunc(out, func(at []int) bool { return same(g.goal.Ports[at[0]], g.goal.Ports[p]) })
		if i < 0 {
			out = append(out, []int{p})
		} else {
			out[i] = append(out[i], p)
		}
	}
	return out
}

// whole is for devices that set a port at once. Their own [kind.steps] has the
// words, and does one step for the ports of one goal.
func (g *pages) whole() {
	for _, at := range g.alike(Setting.same) {
		to := g.goal.Ports[at[0]]
		m := to.Members()
		if to.PVID != 0 {
			m.Add(to.PVID)
		}
		if gone := m.Minus(&g.now.VLANs); !gone.Empty() && (g.d.kind == &byPort || g.d.kind == &byChoice) {
			continue // its VLANs come first
		}
		next := g.now.clone()
		for _, p := range at {
			to.Off = g.now.Ports[p].Off
			next.Ports[p] = to
		}
		next.VLANs.AddAll(&m)
		if why, _ := g.d.kind.cannot(g.d, next, at[0]); why != "" {
			continue
		}
		w := &way{d: g.d, now: g.now.clone(), to: next}
		w.to.VLANs = w.now.VLANs // nothing is created or forgotten by it
		g.d.kind.steps(g.d, w)
		for _, st := range w.steps {
			if st.Op == Port {
				st.Ports = slices.DeleteFunc(slices.Clone(st.Ports), func(p int) bool { return !slices.Contains(at, p) })
				g.add(st)
				break
			}
		}
	}
}

func (g *pages) byVLAN() {
	d, apart := g.d, !g.d.habit(office.PVIDFollows)
	g.create("VLANs", "Create VLAN %s")
	var touched office.Set
	for _, p := range g.at {
		a, b := &g.now.Ports[p], &g.goal.Ports[p]
		for _, x := range []office.Set{a.Untagged.Xor(&b.Untagged), a.Tagged.Xor(&b.Tagged)} {
			touched.AddAll(&x)
		}
	}
	differs := make([]bool, len(d.Ports))
	for _, p := range g.at {
		differs[p] = true
	}
	for v := range touched.All() {
		if !g.now.VLANs.Has(v) {
			continue
		}
		var un, tg []int
		for _, p := range d.logical() {
			x := &g.now.Ports[p]
			if differs[p] {
				x = &g.goal.Ports[p]
			}
			switch {
			case x.Untagged.Has(v):
				un = append(un, p)
			case x.Tagged.Has(v):
				tg = append(tg, p)
			}
		}
		g.add(pageOf(d, v, un, tg))
	}
	for _, at := range g.alike(func(a, b Setting) bool { return a.PVID == b.PVID }) {
		v := g.goal.Ports[at[0]].PVID
		at = slices.DeleteFunc(at, func(p int) bool { return g.now.Ports[p].PVID == v })
		if len(at) > 0 && apart && (v == 0 || g.now.VLANs.Has(v)) {
			g.add(pvidOf(d, v, at))
		}
	}
	for _, at := range g.alike(func(a, b Setting) bool { return a.Admit == b.Admit && a.Filter == b.Filter }) {
		to := g.goal.Ports[at[0]]
		at = slices.DeleteFunc(at, func(p int) bool { return g.now.Ports[p].Admit == to.Admit && g.now.Ports[p].Filter == to.Filter })
		if len(at) > 0 {
			g.add(framesOf(d, at, to))
		}
	}
}

func (g *pages) byGroup() {
	g.create("Groups", "Add a group for VLAN %s")
	for _, p := range g.at {
		a, b := &g.now.Ports[p], &g.goal.Ports[p]
		for v := range a.Tagged.All() {
			if !b.Tagged.Has(v) || wireOf(*a, v) != wireOf(*b, v) {
				g.add(rowOf(g.d, Leave, p, v, *a))
			}
		}
		for v := range b.Tagged.All() {
			if !a.Tagged.Has(v) && g.now.VLANs.Has(v) {
				g.add(rowOf(g.d, Join, p, v, *b))
			}
		}
	}
	for _, at := range g.alike(sameGroup) {
		to := g.goal.Ports[at[0]]
		at = slices.DeleteFunc(at, func(p int) bool { return sameGroup(g.now.Ports[p], to) })
		if why, _ := oneNative(Setting{Untagged: to.Untagged, PVID: to.PVID, Filter: true}); len(at) > 0 && why == "" {
			g.add(groupOf(g.d, at, to))
		}
	}
	if g.d.Limits.VLANs > 0 {
		g.forget()
	}
}

func (g *pages) bySubInterface() {
	for _, p := range g.at {
		a, b := &g.now.Ports[p], &g.goal.Ports[p]
		gone, come := a.Tagged.Minus(&b.Tagged), b.Tagged.Minus(&a.Tagged)
		for v := range gone.All() {
			g.add(leaveOf(g.d, p, v))
		}
		if a.PVID != b.PVID {
			plain := plainOf(g.d, p, b.PVID)
			if v := b.PVID; v != 0 && a.Tagged.Has(v) { // its sub-interface goes with it: it is one page
				st := leaveOf(g.d, p, v)
				st.Text, st.Then = fmt.Sprintf("%s, in place of the sub-interface %d", plain.Text, v), []Step{plain}
				g.add(st)
			} else {
				g.add(plain)
			}
		}
		for v := range come.All() {
			if !a.Untagged.Has(v) {
				g.add(joinOf(g.d, p, v))
			}
		}
	}
}

func (g *pages) linux() {
	for _, p := range g.at {
		a, b := &g.now.Ports[p], &g.goal.Ports[p]
		m, n := a.Members(), b.Members()
		for _, st := range entriesOf(g.d, p, *a, *b) {
			g.add(st)
		}
		for _, c := range ranges(m.Minus(&n)) {
			g.add(dropOf(g.d, p, c))
		}
	}
}
