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
//
// Many branches: each level takes a port a part of the way, and a port with a host behind
// it not as one with a cable.
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
		if set := now.Members(); !cabled && to.PVID != 0 && !set.Has(to.PVID) {
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
	for _, ride := range slices.Concat(a, b) {
		if tagged.Has(ride.VLAN) && !seen.Has(ride.VLAN) {
			seen.Add(ride.VLAN)
			out = append(out, ride)
		}
	}
	slices.SortFunc(out, func(x, y office.Ride) int { return int(x.VLAN) - int(y.VLAN) })
	return out
}

// goal is a device's state with some ports brought to a level; nil takes all. It
// holds until the next is asked for.
func (w *world) goal(i int, at level, only []int) wording.State {
	device, goal := w.office.Devices[i], w.problem.plan.net.Office.Devices[i]
	out := *w.states[i]
	w.problem.scratch = append(w.problem.scratch[:0], out.Ports...)
	out.Ports = w.problem.scratch
	if at == hush && !slices.Contains(device.Wording.Habits, office.KeepsPVIDVLAN) {
		return out
	}
	for port := range device.Ports {
		one := goal.Port(device.Ports[port].Name)
		if device.Ports[port].Bundle > 0 || one < 0 || goal.Ports[one].Bundle > 0 || only != nil && !slices.Contains(only, port) {
			continue
		}
		out.Ports[port] = toward(w.states[i].Ports[port], w.target(i, port), at, len(w.net.Topo.LinksAt(i, port)) > 0)
	}
	out.VLANs = w.problem.goals[i].VLANs
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
	after := w.state(i, st)
	if after.state == nil {
		return nil
	}
	return w.applied(i, st, after.state, after.text)
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
	key := pageKey{dev: i, state: w.known(i), step: st.Text, tasks: w.cabling()}
	if after, ok := w.problem.afters[key]; ok {
		return after
	}
	var one after
	if one.state, one.text = w.workOut(i, st); one.state != nil {
		one.hash = hashOf(one.state, true)
	}
	w.problem.afters[key] = one
	return one
}

// workOut is the state after a step on a page and the text of the step. VLANs that the step needs
// and that do not exist there are created before it, as part of it.
func (w *world) workOut(i int, st wording.Step) (*wording.State, string) {
	device, now := w.word(i), *w.states[i]
	text := st.Text
	if st.Op != wording.Create && st.Op != wording.Delete {
		var names string
		for vid := range needs(st).All() {
			if now.VLANs.Has(vid) {
				continue
			}
			next, err := wording.Apply(device, now, wording.Step{Op: wording.Create, VLAN: vid})
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
			names += w.problem.plan.net.Name(vid)
		}
		if names != "" && device.WordingName() != "by-inner-port" && device.WordingName() != "plain" {
			text = "Create VLAN " + names + "; " + lower(text)
		}
	}
	next, err := wording.Apply(device, now, st)
	if err != nil || next.Equal(*w.states[i]) && next.VLANs == w.states[i].VLANs {
		return nil, ""
	}
	if slices.Contains(device.Wording.Habits, office.KeepsPVIDVLAN) && w.empties(i, &next) {
		return nil, ""
	}
	return &next, text
}

// empties says whether a port leaves its last VLAN that is to be in one. A device that keeps
// a port in the VLAN of its PVID, which is a number, cannot have it in none on the way.
func (w *world) empties(i int, next *wording.State) bool {
	for port := range next.Ports {
		was, is := w.states[i].Ports[port].Members(), next.Ports[port].Members()
		if is.Empty() && !was.Empty() && !next.Ports[port].Off {
			to := w.target(i, port)
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
	if w.problem.cut[i] && to.left[i] == 0 && !to.console(i) && !to.reaches(i) && !to.walkable(i) {
		if w.dirty[i] {
			return nil // what was done before is saved first
		}
		to.dirty[i] = false // nobody can save it
		text += cutOff
	}
	one := act{kind: Set, dev: i, page: st.Where, text: text, step: st}
	one.risky = st.Op != wording.Create && touchesCable(w, i, next)
	to.risky[i] = to.risky[i] || one.risky
	return &trial{act: one, to: to}
}

// touchesCable says whether a state sets a port with a cable otherwise.
func touchesCable(world *world, i int, next *wording.State) bool {
	for port := range next.Ports {
		if len(world.net.Topo.LinksAt(i, port)) > 0 && !next.Ports[port].Alike(&world.states[i].Ports[port]) {
			return true
		}
	}
	return false
}

// needs is the VLANs that a step names.
//
//	> vlan 170 cameras; core 6: 170; floor 6: 170
//	1. floor, set: Create VLAN 170 cameras; VLAN 170 cameras: untagged 6, tagged 8
//	   floor 6 is now in 170 cameras.
//	2. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	3. floor, save: Save, so that it stays after a power cut
//	4. core, set: Create VLAN 170 cameras; VLAN 170 cameras: untagged 6, tagged 7
//	   170 cameras passes now both ways over core 7 – floor 8.
//	5. core, set: PVID of 6: 170
//	   core 6 is now in 170 cameras.
//	6. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	7. core, save: Save, so that it stays after a power cut
func needs(st wording.Step) *office.Set {
	var set office.Set
	switch st.Op {
	case wording.Page, wording.Join, wording.PVID:
		for vid := st.VLAN; vid <= max(st.VLAN, st.Last); vid++ {
			set.Add(vid)
		}
	case wording.Port:
		set = st.Set.Members()
		set.Add(st.Set.PVID)
	}
	set.Remove(0)
	return &set
}

// lower makes the start of a sentence the middle of one: "Unplug x" is "unplug x", and "VLAN 10"
// stays, as two capitals in a row are an abbreviation.
func lower(text string) string {
	if len(text) > 1 && text[0] >= 'A' && text[0] <= 'Z' && (text[1] < 'A' || text[1] > 'Z') {
		return string(text[0]+'a'-'A') + text[1:]
	}
	return text
}

// pages lists the steps that bring a device's ports to a level: those of which the
// VLANs are there or can be created without doing anything else.
func (w *world) pages(i int, at level, only []int) []wording.Step {
	key := pageKey{dev: i, state: w.known(i), at: at, tasks: w.cabling()}
	if only != nil {
		key.ports = fmt.Sprint(only)
	}
	out, ok := w.problem.pages[key]
	if !ok {
		out = w.findPages(i, at, only)
		w.problem.pages[key] = out
	}
	return out
}

// findPages are the steps on a device's pages toward its goal. Creating a VLAN is left out where it
// changes nothing: such a device keeps no list of VLANs, or has it already.
func (w *world) findPages(i int, at level, only []int) []wording.Step {
	device := w.word(i)
	goal := w.goal(i, at, only)
	now := *w.states[i]
	all := wording.Pages(device, now, goal)
	quiet, created := now, false
	for _, st := range all {
		if st.Op != wording.Create {
			continue
		}
		if next, err := wording.Apply(device, quiet, st); err == nil && next.Equal(quiet) {
			quiet, created = next, true
		}
	}
	if !created {
		return all
	}
	return wording.Pages(device, quiet, goal)
}

// classes parts ports into those that a step means the same for: without a cable,
// set to the same and to be set to the same. A port with a cable, and the one that
// the laptop is in, is one by itself.
func (w *world) classes(i int, ports []int) (out [][]int) {
	device := w.office.Devices[i]
	target := func(q int) wording.Setting { return w.target(i, q) }
	alone := func(port int) bool {
		return len(w.net.Topo.LinksAt(i, port)) > 0 || w.at.dev == i && w.at.port == device.Ports[port].Name
	}
	for _, port := range ports {
		k := -1
		if !alone(port) {
			k = slices.IndexFunc(out, func(at []int) bool {
				return !alone(at[0]) && w.states[i].Ports[at[0]].Alike(&w.states[i].Ports[port]) && target(at[0]).Equal(target(port))
			})
		}
		if k < 0 {
			out = append(out, []int{port})
		} else {
			out[k] = append(out[k], port)
		}
	}
	return out
}

// trials lists what can be done on a device: its tasks, and the steps that bring
// its ports to each level, the farthest first. Each leads to another world.
func (w *world) trials(i int, each func(*trial) bool) {
	more := true
	w.acts(i, func(trial *trial) bool {
		more = each(trial)
		return more
	})
	if more {
		w.settings(i, false, each)
	}
}

// acts lists the tasks that can be done on a device.
func (w *world) acts(i int, each func(*trial) bool) {
	for _, task := range w.problem.tasks {
		if task.dev != i || !w.due(task) {
			continue
		}
		if to := w.carry(task); to != nil && !each(&trial{act: act{kind: task.kind, dev: i, page: task.page, text: task.text, task: task, risky: task.risky}, to: to}) {
			return
		}
	}
}

// due says whether a task on a device can be done.
func (w *world) due(one *task) bool {
	if one.manage && w.problem.cut[one.dev] && (w.left[one.dev] > 1 || w.dirty[one.dev]) {
		return false // the last that can be done there
	}
	return !w.tasks[one.at] && one.kind != CableStep && !slices.ContainsFunc(one.after, func(task *task) bool { return !w.tasks[task.at] })
}

// settings lists the steps that bring a device's ports to each level; without those
// that are known to harm somebody here.
func (w *world) settings(i int, harmless bool, each func(*trial) bool) {
	if w.problem.words[i] == nil {
		return
	}
	seen := map[uint64]bool{}
	try := func(st wording.Step, after after) bool {
		if seen[after.hash] || harmless && w.harmful(badKey{i, after.hash}) {
			return true
		}
		seen[after.hash] = true
		trial := w.applied(i, st, after.state, after.text)
		if trial == nil {
			return true
		}
		trial.next = after.hash
		return each(trial)
	}
	for at := level(levels - 1); at >= park; at-- {
		for _, st := range w.pages(i, at, nil) {
			after := w.state(i, st)
			if after.state != nil {
				if !try(st, after) {
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
	for _, one := range w.problem.tasks {
		if one.kind != CableStep || !w.plugs(one) {
			continue
		}
		if to := w.carry(one); to != nil && !each(&trial{act: act{kind: CableStep, dev: one.dev, page: one.page, text: one.text, task: one}, to: to}) {
			return
		}
	}
}

// plugs says whether an act on cables and plugs can be done: its ends are ready, and the laptop
// sits at none of them. A device that is to be set is unpacked by who goes there, and none is
// taken away from the laptop.
func (w *world) plugs(one *task) bool {
	if w.tasks[one.at] || one.box && w.problem.words[one.dev] != nil || one.away && w.at.dev == one.dev {
		return false
	}
	if slices.ContainsFunc(one.refs, func(ref office.PortRef) bool { return !w.ready(ref) }) || slices.ContainsFunc(one.after, func(task *task) bool { return !w.tasks[task.at] }) {
		return false
	}
	return !slices.ContainsFunc(one.plugs, func(cable office.Cable) bool { return w.sitsAt(cable.A) || w.sitsAt(cable.B) })
}

// ready says whether a port is as planned, and free, and its device out of its box.
func (w *world) ready(ref office.PortRef) bool {
	i := w.net.Topo.DeviceIndex(ref.Device)
	if slices.ContainsFunc(w.problem.tasks, func(task *task) bool { return task.box && task.dev == i && !w.tasks[task.at] }) {
		return false
	}
	device, goal := w.office.Devices[i], w.problem.plan.net.Office.Devices[i]
	port, at := device.Port(ref.Port), goal.Port(ref.Port)
	if port < 0 || at < 0 {
		return false
	}
	if w.problem.words[i] == nil {
		return true
	}
	port, at = device.Logical(port), goal.Logical(at)
	return device.Ports[port].Name == goal.Ports[at].Name && w.states[i].Ports[port].Alike(&w.problem.goals[i].Ports[at])
}
