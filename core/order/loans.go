package order

import (
	"slices"

	"klammer/core/office"
	"klammer/core/wording"
)

// loan is a port that the laptop needs as long as management moves.
type loan struct {
	dev   int
	port  string
	set   wording.Setting
	free  bool // nothing else is ever in it
	local bool // for somebody who stands at the device
}

// lend keeps ports for the laptop while management moves from one VLAN to another:
// the one that it is in stays as it is, and in each VLAN that management moves to
// there is one to go to, lent where none is planned.
//
//	> core 7: 110 [140 160 190]; floor 8: 110 [140 160 190]
//	1. core, set: VLAN 190 devices: untagged 5,8, tagged 7
//	2. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	3. core, save: Save, so that it stays after a power cut
//	4. floor, set: VLAN 190 devices: untagged none, tagged 8
//	5. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	6. floor, save: Save, so that it stays after a power cut
//	7. core, set: PVID of 7: 110
//	8. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	9. core, save: Save, so that it stays after a power cut
//	10. floor, set: VLAN 110 reception: untagged 1-4,8, tagged none
//	11. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	12. floor, save: Save, so that it stays after a power cut
//	13. core, set: VLAN 110 reception: untagged 1-3,7, tagged 8
//	14. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	15. core, save: Save, so that it stays after a power cut
func (p *problem) lend() {
	var to office.Set
	for _, task := range p.tasks {
		if manage, one := p.was.net.Office.Devices[task.dev].Manage, p.plan.net.Office.Devices[task.dev].Manage; task.manage && manage != nil && one != nil && manage.VID != one.VID {
			to.Add(one.VID)
		}
	}
	at := p.was.net.Topo.DeviceIndex(p.laptop.Port.Device)
	if to.Empty() || p.words[at] == nil || p.laptop.Tagged {
		return
	}
	device := p.was.net.Office.Devices[at]
	port := device.Logical(device.Port(p.laptop.Port.Port))
	now := settingOf(p.was.net, at, port)
	keeps := p.plan.at[at] >= 0 && p.plan.net.Office.Devices[at].Port(device.Ports[port].Name) >= 0
	if keeps && !to.Has(p.laptop.Wants) {
		p.lent = append(p.lent, loan{at, device.Ports[port].Name, now, true, false})
	}
	for vid := range to.All() {
		if vid != p.laptop.Wants {
			p.lendIn(vid, at)
		}
	}
	for _, task := range p.tasks { // devices that cannot send a VLAN tagged and take it untagged
		if one := p.plan.net.Office.Devices[task.dev]; task.manage && p.cabled(task.dev) && (one.Wording.Name == office.ByGroup || one.Wording.Name == office.ByChoice) {
			p.lendAt(task.dev, false)
		}
	}
}

// lendIn finds a port for the laptop in a VLAN: one that is planned so, else one on
// the laptop's own device or another that is reached there, and nobody is at.
func (p *problem) lendIn(vid office.VID, at int) {
	var fallback *loan
	devs := []int{at}
	for i := range p.was.net.Office.Devices {
		if i != at {
			devs = append(devs, i)
		}
	}
	for _, i := range devs {
		device, one := p.was.net.Office.Devices[i], p.plan.net.Office.Devices[i]
		if p.words[i] == nil || p.was.at[i] < 0 || p.plan.at[i] < 0 || device.Forwarding == office.Routed {
			continue
		}
		for port := range one.Ports {
			name := one.Ports[port].Name
			k := device.Port(name)
			if !p.lendable(i, port, k) {
				continue
			}
			if p.goals[i].Ports[port].PVID == vid && p.goals[i].Ports[port].Untagged.Has(vid) {
				return
			}
			state := p.goals[i].With(port, wording.Of(&office.Shape{Untagged: []office.VID{vid}}))
			if fallback == nil && len(wording.Cannot(p.words[i], state)) == 0 {
				fallback = &loan{i, name, state.Ports[port], true, false}
			}
		}
	}
	if fallback != nil {
		p.lent = append(p.lent, *fallback)
	}
}

// lendable says whether a port, by its number as planned and as it is (-1 where it is not
// there), can be lent: one of the front, that nobody is at and no bundle has.
func (p *problem) lendable(i, port, at int) bool {
	device, one := p.was.net.Office.Devices[i], p.plan.net.Office.Devices[i]
	return one.Ports[port].Kind == office.Physical && one.Ports[port].Bundle == 0 && at >= 0 && device.Ports[at].Bundle == 0 && !p.used(office.PortRef{Device: one.Name, Port: one.Ports[port].Name})
}

// lendAt lends two ports of a device to the laptop, for somebody who sets it where
// it stands: one that stays in the VLAN that it is managed in, one in the VLAN that
// it will be. A device of which a port is lent for others already is left, but where
// that is said to be not enough. It says whether there was something to lend.
func (p *problem) lendAt(i int, more bool) bool {
	device, one := p.was.net.Office.Devices[i], p.plan.net.Office.Devices[i]
	if p.words[i] == nil || p.plan.at[i] < 0 || device.Forwarding == office.Routed || device.Manage == nil || one.Manage == nil || slices.ContainsFunc(p.lent, func(loan loan) bool { return loan.dev == i && (loan.local || !more) }) {
		return false
	}
	want := []office.VID{one.Manage.VID, device.Manage.VID}
	lent := false
	for port := len(one.Ports) - 1; port >= 0 && len(want) > 0; port-- {
		name := one.Ports[port].Name
		k := device.Port(name)
		if !p.lendable(i, port, k) || slices.ContainsFunc(p.lent, func(loan loan) bool { return loan.dev == i && loan.port == name }) {
			continue
		}
		now := settingOf(p.was.net, i, k)
		if vid := want[len(want)-1]; now.PVID == vid && now.Untagged.Has(vid) { // it is in it, and stays
			p.lent = append(p.lent, loan{i, name, now, true, true})
			want, lent = want[:len(want)-1], true
			if len(want) == 1 && want[0] == vid {
				break
			}
			continue
		}
		state := p.goals[i].With(port, wording.Of(&office.Shape{Untagged: []office.VID{want[0]}}))
		if len(wording.Cannot(p.words[i], state)) == 0 {
			p.lent = append(p.lent, loan{i, name, state.Ports[port], true, true})
			want, lent = want[1:], true
		}
	}
	return lent
}

// target is what a port is to be set to: as planned, but for a port that is lent to
// the laptop as long as management moves.
func (w *world) target(i, port int) wording.Setting {
	name := w.office.Devices[i].Ports[port].Name
	for _, loan := range w.problem.lent {
		if loan.dev == i && loan.port == name && w.lends(loan) {
			return loan.set
		}
	}
	if at := w.problem.plan.net.Office.Devices[i].Port(name); at >= 0 {
		return w.problem.goals[i].Ports[at]
	}
	return wording.Setting{}
}

// lends says whether the laptop needs a port still: as long as management moves, or
// something else is to be set on the device that he stands at. Where the plan takes
// the way to a device, its own management waits for the port, and not the port for it.
func (w *world) lends(one loan) bool {
	last := w.problem.cut[one.dev] // its management moves when all else there is done
	moving := slices.ContainsFunc(w.problem.tasks, func(task *task) bool { return task.manage && !w.tasks[task.at] && !(last && task.dev == one.dev) })
	if moving || !one.local && !last {
		return moving
	}
	for _, task := range w.problem.tasks {
		if task.dev == one.dev && !w.tasks[task.at] && task.kind != CableStep && !(last && task.manage) {
			return true
		}
	}
	device, goal := w.office.Devices[one.dev], w.problem.plan.net.Office.Devices[one.dev]
	for port := range device.Ports {
		at := goal.Port(device.Ports[port].Name)
		own := slices.ContainsFunc(w.problem.lent, func(loan loan) bool { return loan.dev == one.dev && loan.port == device.Ports[port].Name })
		if !own && at >= 0 && device.Ports[port].Bundle == 0 && !w.states[one.dev].Ports[port].Alike(&w.problem.goals[one.dev].Ports[at]) {
			return true
		}
	}
	return false
}
