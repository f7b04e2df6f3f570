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
func Pages(device *Device, now, goal State) []Step {
	one := &pages{device: device, now: now, goal: goal}
	var shut, open []int
	for _, port := range device.logical() {
		setting, other := &now.Ports[port], &goal.Ports[port]
		switch {
		case other.Off && !setting.Off:
			shut = append(shut, port)
		case !other.Off && setting.Off && setting.same(*other):
			open = append(open, port)
		}
		if !other.Off && !setting.same(*other) {
			one.at = append(one.at, port)
		}
	}
	if len(shut) > 0 {
		one.add(Step{Op: Shut, Ports: shut, Where: "Ports", Text: "Shut " + device.list(shut)})
	}
	if len(open) > 0 {
		one.add(Step{Op: Open, Ports: open, Where: "Ports", Text: "Open " + device.list(open)})
	}
	switch device.kind {
	case &byVLAN:
		one.byVLAN()
	case &byGroup:
		one.byGroup()
	case &bySubInterface:
		one.bySubInterface()
	case &linux:
		one.linux()
	case &byPort, &byChoice:
		one.create("VLANs", "Create VLAN %s")
		one.whole()
		if device.kind == &byChoice { // what else there is decides what a trunk carries
			one.forget()
		}
	default:
		one.whole()
	}
	return one.out
}

type pages struct {
	device    *Device
	now, goal State
	at        []int // ports whose settings differ
	out       []Step
}

func (g *pages) add(st Step) { g.out = append(g.out, st) }

// create makes the VLANs that ports need and the device does not know: a port is never put into one
// that is not there. text has one %s, for the VLAN.
//
//	> steps floor by-vlan 6: 999
//	[VLANs] Create VLAN 999
//	[VLAN 999] VLAN 999: untagged 6, tagged none
//	[PVIDs] PVID of 6: 999
//	[Device] Save, so that it stays after a power cut
func (g *pages) create(where, text string) {
	var needed office.Set
	for _, port := range g.at {
		set := g.goal.Ports[port].Members()
		needed.AddAll(&set)
		needed.Add(g.goal.Ports[port].PVID)
	}
	needed.Remove(0)
	missing := needed.Minus(&g.now.VLANs)
	for vid := range missing.All() {
		g.add(Step{Op: Create, VLAN: vid, Where: where, Text: fmt.Sprintf(text, g.device.name(vid))})
	}
}

// forget takes away the VLANs that nothing needs any more. VLAN 1 stays, as devices keep it
// (802.1Q, table 9-2).
func (g *pages) forget() {
	gone := g.now.VLANs.Minus(&g.goal.VLANs)
	gone.Remove(office.DefaultVID)
	for vid := range gone.All() {
		g.add(Step{Op: Delete, VLAN: vid, Where: "VLANs", Text: "Delete VLAN " + g.device.name(vid)})
	}
}

// alike parts ports into those with the same goal, in order.
func (g *pages) alike(same func(setting, other Setting) bool) [][]int {
	var out [][]int
	for _, port := range g.at {
		i := slices.IndexFunc(out, func(at []int) bool { return same(g.goal.Ports[at[0]], g.goal.Ports[port]) })
		if i < 0 {
			out = append(out, []int{port})
		} else {
			out[i] = append(out[i], port)
		}
	}
	return out
}

// whole is for devices that set a port at once. Their own [kind.steps] has the
// words, and does one step for the ports of one goal.
func (g *pages) whole() {
	for _, at := range g.alike(Setting.same) {
		to := g.goal.Ports[at[0]]
		set := to.Members()
		if to.PVID != 0 {
			set.Add(to.PVID)
		}
		if gone := set.Minus(&g.now.VLANs); !gone.Empty() && (g.device.kind == &byPort || g.device.kind == &byChoice) {
			continue // its VLANs come first
		}
		next := g.now.clone()
		for _, port := range at {
			to.Off = g.now.Ports[port].Off
			next.Ports[port] = to
		}
		next.VLANs.AddAll(&set)
		if why, _ := g.device.kind.cannot(g.device, next, at[0]); why != "" {
			continue
		}
		one := &way{device: g.device, now: g.now.clone(), to: next}
		one.to.VLANs = one.now.VLANs // nothing is created or forgotten by it
		g.device.kind.steps(g.device, one)
		for _, st := range one.steps {
			if st.Op == Port {
				st.Ports = slices.DeleteFunc(slices.Clone(st.Ports), func(p int) bool { return !slices.Contains(at, p) })
				g.add(st)
				break
			}
		}
	}
}

// byVLAN are the steps on a page a VLAN, with all ports that are in it (those not at hand as they
// are); then the PVIDs where they are set apart, then admitted frames and filters.
func (g *pages) byVLAN() {
	device, apart := g.device, !g.device.habit(office.PVIDFollows)
	g.create("VLANs", "Create VLAN %s")
	var touched office.Set
	for _, port := range g.at {
		setting, other := &g.now.Ports[port], &g.goal.Ports[port]
		for _, set := range []office.Set{setting.Untagged.Xor(&other.Untagged), setting.Tagged.Xor(&other.Tagged)} {
			touched.AddAll(&set)
		}
	}
	differs := make([]bool, len(device.Ports))
	for _, p := range g.at {
		differs[p] = true
	}
	for vid := range touched.All() {
		if !g.now.VLANs.Has(vid) {
			continue
		}
		var un, tg []int
		for _, port := range device.logical() {
			setting := &g.now.Ports[port]
			if differs[port] {
				setting = &g.goal.Ports[port]
			}
			switch {
			case setting.Untagged.Has(vid):
				un = append(un, port)
			case setting.Tagged.Has(vid):
				tg = append(tg, port)
			}
		}
		g.add(pageOf(device, vid, un, tg))
	}
	for _, at := range g.alike(func(a, b Setting) bool { return a.PVID == b.PVID }) {
		vid := g.goal.Ports[at[0]].PVID
		at = slices.DeleteFunc(at, func(port int) bool { return g.now.Ports[port].PVID == vid })
		if len(at) > 0 && apart && (vid == 0 || g.now.VLANs.Has(vid)) {
			g.add(pvidOf(device, vid, at))
		}
	}
	for _, at := range g.alike(func(a, b Setting) bool { return a.Admit == b.Admit && a.Filter == b.Filter }) {
		to := g.goal.Ports[at[0]]
		at = slices.DeleteFunc(at, func(port int) bool {
			return g.now.Ports[port].Admit == to.Admit && g.now.Ports[port].Filter == to.Filter
		})
		if len(at) > 0 {
			g.add(framesOf(device, at, to))
		}
	}
}

// byGroup are the steps on tables of groups: rows that leave, then rows that come.
func (g *pages) byGroup() {
	g.create("Groups", "Add a group for VLAN %s")
	for _, port := range g.at {
		setting, other := &g.now.Ports[port], &g.goal.Ports[port]
		for vid := range setting.Tagged.All() {
			if !other.Tagged.Has(vid) || wireOf(*setting, vid) != wireOf(*other, vid) {
				g.add(rowOf(g.device, Leave, port, vid, *setting))
			}
		}
		for vid := range other.Tagged.All() {
			if !setting.Tagged.Has(vid) && g.now.VLANs.Has(vid) {
				g.add(rowOf(g.device, Join, port, vid, *other))
			}
		}
	}
	for _, at := range g.alike(sameGroup) {
		to := g.goal.Ports[at[0]]
		at = slices.DeleteFunc(at, func(port int) bool { return sameGroup(g.now.Ports[port], to) })
		if why, _ := oneNative(Setting{Untagged: to.Untagged, PVID: to.PVID, Filter: true}); len(at) > 0 && why == "" {
			g.add(groupOf(g.device, at, to))
		}
	}
	if g.device.Limits.VLANs > 0 {
		g.forget()
	}
}

// bySubInterface are the steps of a router whose tagged VLANs are interfaces of their own.
func (g *pages) bySubInterface() {
	for _, port := range g.at {
		setting, other := &g.now.Ports[port], &g.goal.Ports[port]
		gone, come := setting.Tagged.Minus(&other.Tagged), other.Tagged.Minus(&setting.Tagged)
		for vid := range gone.All() {
			g.add(leaveOf(g.device, port, vid))
		}
		if setting.PVID != other.PVID {
			plain := plainOf(g.device, port, other.PVID)
			if vid := other.PVID; vid != 0 && setting.Tagged.Has(vid) { // its sub-interface goes with it: it is one page
				st := leaveOf(g.device, port, vid)
				st.Text, st.Then = fmt.Sprintf("%s, in place of the sub-interface %d", plain.Text, vid), []Step{plain}
				g.add(st)
			} else {
				g.add(plain)
			}
		}
		for vid := range come.All() {
			if !setting.Untagged.Has(vid) {
				g.add(joinOf(g.device, port, vid))
			}
		}
	}
}

// linux sets ports entry by entry: entries are added before those that go are dropped, as a port in
// no VLAN at all would be out of reach.
func (g *pages) linux() {
	for _, port := range g.at {
		setting, other := &g.now.Ports[port], &g.goal.Ports[port]
		set, one := setting.Members(), other.Members()
		for _, st := range entriesOf(g.device, port, *setting, *other) {
			g.add(st)
		}
		for _, run := range ranges(set.Minus(&one)) {
			g.add(dropOf(g.device, port, run))
		}
	}
}
