package order

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/wording"
)

// level is how far a port is brought at once. Each direction of a cable changes
// alone, the receiver first: a port takes in more than it sends.
type level int

const (
	hush   level = iota // its untagged frames join nothing, where it can join what it will only in the VLAN
	widen               // it takes in, tagged, what it will need, and keeps what it has
	mute                // what is to be untagged no more goes out tagged; a port for hosts sends both
	listen              // untagged frames join the VLAN that they will
	speak               // what is to be untagged goes out so
	finish              // what it no longer needs goes
	levels       = iota

	park level = -1 // in no VLAN, so that somebody else can leave or come
)

// toward is what a port is brought to at a level, from what it is set to now. A
// port without a cable has a host behind it, which hears every untagged VLAN.
func toward(now, to wording.Setting, at level, cabled bool) wording.Setting {
	if at == finish || now.Off && !to.Off {
		return to
	}
	if to.Off || now.Equal(to) {
		return now
	}
	if at == park {
		if cabled || now.Untagged.Empty() || now.PVID == to.PVID {
			return now
		}
		return wording.Setting{Filter: now.Filter, Tagged: now.Tagged.And(&to.Tagged)}
	}
	out := now
	if at == hush {
		if m := now.Members(); !cabled && to.PVID != 0 && !m.Has(to.PVID) {
			out.PVID = 0
		}
		return out
	}
	all := now.Members()
	more := to.Members()
	all.AddAll(&more)
	both := now.Untagged
	both.AddAll(&to.Untagged)
	switch {
	case at == widen:
	case at == speak:
		out.Untagged = to.Untagged
	case cabled:
		out.Untagged = now.Untagged.And(&to.Untagged)
	default:
		out.Untagged = both
	}
	if !cabled && at < speak { // nobody there knows tags that he did not know
		all = now.Tagged
		all.AddAll(&to.Tagged)
	}
	out.Tagged = all.Minus(&out.Untagged)
	if at >= listen {
		out.PVID = to.PVID
	}
	if now.Admit != to.Admit {
		out.Admit = office.AdmitAll
	}
	out.Rides = rides(now.Rides, to.Rides, &out.Tagged)
	return out
}

// rides is the translation of both, that of the first before; of VLANs that are
// tagged.
func rides(a, b []office.Ride, tagged *office.Set) (out []office.Ride) {
	if len(a)+len(b) == 0 {
		return nil
	}
	var seen office.Set
	for _, r := range slices.Concat(a, b) {
		if tagged.Has(r.VLAN) && !seen.Has(r.VLAN) {
			seen.Add(r.VLAN)
			out = append(out, r)
		}
	}
	slices.SortFunc(out, func(x, y office.Ride) int { return int(x.VLAN) - int(y.VLAN) })
	return out
}

// goal is a device's state with some ports brought to a level; nil takes all. It
// holds until the next is asked for.
func (w *world) goal(i int, at level, only []int) wording.State {
	d, goal := w.o.Devices[i], w.p.plan.n.Office.Devices[i]
	out := *w.states[i]
	w.p.scratch = append(w.p.scratch[:0], out.Ports...)
	out.Ports = w.p.scratch
	if at == hush && !slices.Contains(d.Wording.Habits, office.KeepsPVIDVLAN) {
		return out
	}
	for q := range d.Ports {
		g := goal.Port(d.Ports[q].Name)
		if d.Ports[q].Bundle > 0 || g < 0 || goal.Ports[g].Bundle > 0 || only != nil && !slices.Contains(only, q) {
			continue
		}
		out.Ports[q] = toward(w.states[i].Ports[q], w.target(i, q), at, len(w.n.Topo.LinksAt(i, q)) > 0)
	}
	out.VLANs = w.p.goals[i].VLANs
	return out
}

// trial is a step that a device accepts, and the world after it.
type trial struct {
	act  act
	to   *world
	next uint64 // of the device's state, where it is a setting of ports
}

// act is what is done in one step.
type act struct {
	kind  Kind
	dev   int
	page  string
	text  string
	task  *task
	step  wording.Step // of a setting of ports
	given []*task      // addresses that stand on the same page
	risky bool
}

// apply does a step of a wording on a device, and creates before it what VLANs it
// needs, where that changes nothing else. nil where the device refuses.
func (w *world) apply(i int, st wording.Step) *trial {
	a := w.state(i, st)
	if a.state == nil {
		return nil
	}
	return w.applied(i, st, a.state, a.text)
}

// after is a device after a step: what it is set to (nil where it refuses), what
// tells that apart, and the step in words.
type after struct {
	state *wording.State
	hash  uint64
	text  string
}

// pageKey tells apart what a device's pages are worked out from.
type pageKey struct {
	dev   int
	state uint64
	step  string // what one step is called; "" for the pages of a level
	at    level
	tasks uint64 // those that change what is cabled, and how long ports are lent
	ports string
}

// state is what a device is set to after a step, worked out once.
func (w *world) state(i int, st wording.Step) after {
	k := pageKey{dev: i, state: w.known(i), step: st.Text, tasks: w.cabling()}
	if a, ok := w.p.afters[k]; ok {
		return a
	}
	var a after
	if a.state, a.text = w.workOut(i, st); a.state != nil {
		a.hash = hashOf(a.state, true)
	}
	w.p.afters[k] = a
	return a
}

func (w *world) workOut(i int, st wording.Step) (*wording.State, string) {
	d, now := w.word(i), *w.states[i]
	text := st.Text
	if st.Op != wording.Create && st.Op != wording.Delete {
		var names string
		for v := range needs(st).All() {
			if now.VLANs.Has(v) {
				continue
			}
			next, err := wording.Apply(d, now, wording.Step{Op: wording.Create, VLAN: v})
			if err != nil {
				continue // devices that keep no list of VLANs
			}
			if !next.Equal(now) {
				return nil, ""
			}
			now = next
			if names != "" {
				names += ", "
			}
			names += w.p.plan.n.Name(v)
		}
		if names != "" && d.WordingName() != "by-inner-port" && d.WordingName() != "plain" {
			text = "Create VLAN " + names + "; " + lower(text)
		}
	}
	next, err := wording.Apply(d, now, st)
	if err != nil || next.Equal(*w.states[i]) && next.VLANs == w.states[i].VLANs {
		return nil, ""
	}
	if slices.Contains(d.Wording.Habits, office.KeepsPVIDVLAN) && w.empties(i, &next) {
		return nil, ""
	}
	return &next, text
}

// empties says whether a port leaves its last VLAN that is to be in one. A device that keeps
// a port in the VLAN of its PVID, which is a number, cannot have it in none on the way.
func (w *world) empties(i int, next *wording.State) bool {
	for q := range next.Ports {
		was, is := w.states[i].Ports[q].Members(), next.Ports[q].Members()
		if is.Empty() && !was.Empty() && !next.Ports[q].Off {
			to := w.target(i, q)
			if in := to.Members(); !in.Empty() {
				return true
			}
		}
	}
	return false
}

// applied is the world after a step.
func (w *world) applied(i int, st wording.Step, next *wording.State, text string) *trial {
	to := w.set(i, next)
	if to == nil {
		return nil
	}
	if w.p.cut[i] && to.left[i] == 0 && !to.console(i) && !to.reaches(i) && !to.walkable(i) {
		if w.dirty[i] {
			return nil // what was done before is saved first
		}
		to.dirty[i] = false // nobody can save it
		text += cutOff
	}
	a := act{kind: Set, dev: i, page: st.Where, text: text, step: st}
	a.risky = st.Op != wording.Create && touchesCable(w, i, next)
	to.risky[i] = to.risky[i] || a.risky
	return &trial{act: a, to: to}
}

// touchesCable says whether a state sets a port with a cable otherwise.
func touchesCable(w *world, i int, next *wording.State) bool {
	for q := range next.Ports {
		if len(w.n.Topo.LinksAt(i, q)) > 0 && !next.Ports[q].Alike(&w.states[i].Ports[q]) {
			return true
		}
	}
	return false
}

// needs is the VLANs that a step names.
func needs(st wording.Step) *office.Set {
	var s office.Set
	switch st.Op {
	case wording.Page, wording.Join, wording.PVID:
		for v := st.VLAN; v <= max(st.VLAN, st.Last); v++ {
			s.Add(v)
		}
	case wording.Port:
		s = st.Set.Members()
		s.Add(st.Set.PVID)
	}
	s.Remove(0)
	return &s
}

func lower(s string) string {
	if len(s) > 1 && s[0] >= 'A' && s[0] <= 'Z' && (s[1] < 'A' || s[1] > 'Z') {
		return string(s[0]+'a'-'A') + s[1:]
	}
	return s
}

// pages lists the steps that bring a device's ports to a level: those of which the
// VLANs are there or can be created without doing anything else.
func (w *world) pages(i int, at level, only []int) []wording.Step {
	k := pageKey{dev: i, state: w.known(i), at: at, tasks: w.cabling()}
	if only != nil {
		k.ports = fmt.Sprint(only)
	}
	out, ok := w.p.pages[k]
	if !ok {
		out = w.findPages(i, at, only)
		w.p.pages[k] = out
	}
	return out
}

func (w *world) findPages(i int, at level, only []int) []wording.Step {
	d := w.word(i)
	goal := w.goal(i, at, only)
	now := *w.states[i]
	all := wording.Pages(d, now, goal)
	quiet, created := now, false
	for _, st := range all {
		if st.Op != wording.Create {
			continue
		}
		if next, err := wording.Apply(d, quiet, st); err == nil && next.Equal(quiet) {
			quiet, created = next, true
		}
	}
	if !created {
		return all
	}
	return wording.Pages(d, quiet, goal)
}

// classes parts ports into those that a step means the same for: without a cable,
// set to the same and to be set to the same. A port with a cable, and the one that
// the laptop is in, is one by itself.
func (w *world) classes(i int, ports []int) (out [][]int) {
	d := w.o.Devices[i]
	target := func(q int) wording.Setting { return w.target(i, q) }
	alone := func(q int) bool {
		return len(w.n.Topo.LinksAt(i, q)) > 0 || w.at.dev == i && w.at.port == d.Ports[q].Name
	}
	for _, q := range ports {
		k := -1
		if !alone(q) {
			k = slices.IndexFunc(out, func(at []int) bool {
				return !alone(at[0]) && w.states[i].Ports[at[0]].Alike(&w.states[i].Ports[q]) && target(at[0]).Equal(target(q))
			})
		}
		if k < 0 {
			out = append(out, []int{q})
		} else {
			out[k] = append(out[k], q)
		}
	}
	return out
}

// trials lists what can be done on a device: its tasks, and the steps that bring
// its ports to each level, the farthest first. Each leads to another world.
func (w *world) trials(i int, each func(*trial) bool) {
	more := true
	w.acts(i, func(t *trial) bool {
		more = each(t)
		return more
	})
	if more {
		w.settings(i, false, each)
	}
}

// acts lists the tasks that can be done on a device.
func (w *world) acts(i int, each func(*trial) bool) {
	for _, t := range w.p.tasks {
		if t.dev != i || !w.due(t) {
			continue
		}
		if to := w.carry(t); to != nil && !each(&trial{act: act{kind: t.kind, dev: i, page: t.page, text: t.text, task: t, risky: t.risky}, to: to}) {
			return
		}
	}
}

// due says whether a task on a device can be done.
func (w *world) due(t *task) bool {
	if t.manage && w.p.cut[t.dev] && (w.left[t.dev] > 1 || w.dirty[t.dev]) {
		return false // the last that can be done there
	}
	return !w.tasks[t.at] && t.kind != CableStep && !slices.ContainsFunc(t.after, func(x *task) bool { return !w.tasks[x.at] })
}

// settings lists the steps that bring a device's ports to each level; without those
// that are known to harm somebody here.
func (w *world) settings(i int, harmless bool, each func(*trial) bool) {
	if w.p.words[i] == nil {
		return
	}
	seen := map[uint64]bool{}
	try := func(st wording.Step, a after) bool {
		if seen[a.hash] || harmless && w.harmful(badKey{i, a.hash}) {
			return true
		}
		seen[a.hash] = true
		t := w.applied(i, st, a.state, a.text)
		if t == nil {
			return true
		}
		t.next = a.hash
		return each(t)
	}
	for at := level(levels - 1); at >= park; at-- {
		for _, st := range w.pages(i, at, nil) {
			a := w.state(i, st)
			if a.state != nil {
				if !try(st, a) {
					return
				}
				continue
			}
			ports := w.touches(i, st)
			if len(ports) < 2 {
				continue
			}
			for _, class := range w.classes(i, ports) { // what it takes for some
				for _, one := range w.pages(i, at, class) {
					if a := w.state(i, one); one.Where == st.Where && a.state != nil && !try(one, a) {
						return
					}
				}
			}
		}
	}
}

// cables lists the acts on cables and plugs that can be done: what is plugged in
// has both its ends as planned.
func (w *world) cables(each func(*trial) bool) {
	for _, t := range w.p.tasks {
		if t.kind != CableStep || w.tasks[t.at] || t.box && w.p.words[t.dev] != nil || t.away && w.at.dev == t.dev {
			continue // a device that is to be set is unpacked by who goes there, and none is taken away from the laptop
		}
		if slices.ContainsFunc(t.refs, func(r office.PortRef) bool { return !w.ready(r) }) || slices.ContainsFunc(t.after, func(x *task) bool { return !w.tasks[x.at] }) {
			continue
		}
		if to := w.carry(t); to != nil && !each(&trial{act: act{kind: CableStep, dev: t.dev, page: t.page, text: t.text, task: t}, to: to}) {
			return
		}
	}
}

// ready says whether a port is as planned, and free.
func (w *world) ready(r office.PortRef) bool {
	i := w.n.Topo.DeviceIndex(r.Device)
	d, goal := w.o.Devices[i], w.p.plan.n.Office.Devices[i]
	q, g := d.Port(r.Port), goal.Port(r.Port)
	if q < 0 || g < 0 {
		return false
	}
	if w.p.words[i] == nil {
		return true
	}
	q, g = d.Logical(q), goal.Logical(g)
	return d.Ports[q].Name == goal.Ports[g].Name && w.states[i].Ports[q].Alike(&w.p.goals[i].Ports[g])
}
