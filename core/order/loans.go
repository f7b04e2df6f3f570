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
func (p *problem) lend() {
	var to office.Set
	for _, t := range p.tasks {
		if a, b := p.was.n.Office.Devices[t.dev].Manage, p.plan.n.Office.Devices[t.dev].Manage; t.manage && a != nil && b != nil && a.VID != b.VID {
			to.Add(b.VID)
		}
	}
	at := p.was.n.Topo.DeviceIndex(p.laptop.Port.Device)
	if to.Empty() || p.words[at] == nil || p.laptop.Tagged {
		return
	}
	d := p.was.n.Office.Devices[at]
	q := d.Logical(d.Port(p.laptop.Port.Port))
	now := settingOf(p.was.n, at, q)
	keeps := p.plan.at[at] >= 0 && p.plan.n.Office.Devices[at].Port(d.Ports[q].Name) >= 0
	if keeps && !to.Has(p.laptop.Wants) {
		p.lent = append(p.lent, loan{at, d.Ports[q].Name, now, true, false})
	}
	for v := range to.All() {
		if v != p.laptop.Wants {
			p.lendIn(v, at)
		}
	}
	for _, t := range p.tasks { // devices that cannot send a VLAN tagged and take it untagged
		if d := p.plan.n.Office.Devices[t.dev]; t.manage && p.cabled(t.dev) && (d.Wording.Name == office.ByGroup || d.Wording.Name == office.ByChoice) {
			p.lendAt(t.dev, false)
		}
	}
}

// lendIn finds a port for the laptop in a VLAN: one that is planned so, else one on
// the laptop's own device or another that is reached there, and nobody is at.
func (p *problem) lendIn(v office.VID, at int) {
	var fallback *loan
	devs := []int{at}
	for i := range p.was.n.Office.Devices {
		if i != at {
			devs = append(devs, i)
		}
	}
	for _, i := range devs {
		a, b := p.was.n.Office.Devices[i], p.plan.n.Office.Devices[i]
		if p.words[i] == nil || p.was.at[i] < 0 || p.plan.at[i] < 0 || a.Forwarding == office.Routed {
			continue
		}
		for q := range b.Ports {
			name := b.Ports[q].Name
			k := a.Port(name)
			if !p.lendable(i, q, k) {
				continue
			}
			if p.goals[i].Ports[q].PVID == v && p.goals[i].Ports[q].Untagged.Has(v) {
				return
			}
			state := p.goals[i].With(q, wording.Of(&office.Shape{Untagged: []office.VID{v}}))
			if fallback == nil && len(wording.Cannot(p.words[i], state)) == 0 {
				fallback = &loan{i, name, state.Ports[q], true, false}
			}
		}
	}
	if fallback != nil {
		p.lent = append(p.lent, *fallback)
	}
}

// lendable says whether a port, by its number as planned and as it is (-1 where it is not
// there), can be lent: one of the front, that nobody is at and no bundle has.
func (p *problem) lendable(i, q, k int) bool {
	a, b := p.was.n.Office.Devices[i], p.plan.n.Office.Devices[i]
	return b.Ports[q].Kind == office.Physical && b.Ports[q].Bundle == 0 && k >= 0 && a.Ports[k].Bundle == 0 && !p.used(office.PortRef{Device: b.Name, Port: b.Ports[q].Name})
}

// lendAt lends two ports of a device to the laptop, for somebody who sets it where
// it stands: one that stays in the VLAN that it is managed in, one in the VLAN that
// it will be. A device of which a port is lent for others already is left, but where
// that is said to be not enough. It says whether there was something to lend.
func (p *problem) lendAt(i int, more bool) bool {
	a, b := p.was.n.Office.Devices[i], p.plan.n.Office.Devices[i]
	if p.words[i] == nil || p.plan.at[i] < 0 || a.Forwarding == office.Routed || a.Manage == nil || b.Manage == nil || slices.ContainsFunc(p.lent, func(l loan) bool { return l.dev == i && (l.local || !more) }) {
		return false
	}
	want := []office.VID{b.Manage.VID, a.Manage.VID}
	lent := false
	for q := len(b.Ports) - 1; q >= 0 && len(want) > 0; q-- {
		name := b.Ports[q].Name
		k := a.Port(name)
		if !p.lendable(i, q, k) || slices.ContainsFunc(p.lent, func(l loan) bool { return l.dev == i && l.port == name }) {
			continue
		}
		now := settingOf(p.was.n, i, k)
		if v := want[len(want)-1]; now.PVID == v && now.Untagged.Has(v) { // it is in it, and stays
			p.lent = append(p.lent, loan{i, name, now, true, true})
			want, lent = want[:len(want)-1], true
			if len(want) == 1 && want[0] == v {
				break
			}
			continue
		}
		state := p.goals[i].With(q, wording.Of(&office.Shape{Untagged: []office.VID{want[0]}}))
		if len(wording.Cannot(p.words[i], state)) == 0 {
			p.lent = append(p.lent, loan{i, name, state.Ports[q], true, true})
			want, lent = want[1:], true
		}
	}
	return lent
}

// target is what a port is to be set to: as planned, but for a port that is lent to
// the laptop as long as management moves.
func (w *world) target(i, q int) wording.Setting {
	name := w.o.Devices[i].Ports[q].Name
	for _, l := range w.p.lent {
		if l.dev == i && l.port == name && w.lends(l) {
			return l.set
		}
	}
	if g := w.p.plan.n.Office.Devices[i].Port(name); g >= 0 {
		return w.p.goals[i].Ports[g]
	}
	return wording.Setting{}
}

// lends says whether the laptop needs a port still: as long as management moves, or
// something else is to be set on the device that he stands at. Where the plan takes
// the way to a device, its own management waits for the port, and not the port for it.
func (w *world) lends(l loan) bool {
	last := w.p.cut[l.dev] // its management moves when all else there is done
	moving := slices.ContainsFunc(w.p.tasks, func(t *task) bool { return t.manage && !w.tasks[t.at] && !(last && t.dev == l.dev) })
	if moving || !l.local && !last {
		return moving
	}
	for _, t := range w.p.tasks {
		if t.dev == l.dev && !w.tasks[t.at] && t.kind != CableStep && !(last && t.manage) {
			return true
		}
	}
	d, goal := w.o.Devices[l.dev], w.p.plan.n.Office.Devices[l.dev]
	for q := range d.Ports {
		g := goal.Port(d.Ports[q].Name)
		own := slices.ContainsFunc(w.p.lent, func(x loan) bool { return x.dev == l.dev && x.port == d.Ports[q].Name })
		if !own && g >= 0 && d.Ports[q].Bundle == 0 && !w.states[l.dev].Ports[q].Alike(&w.p.goals[l.dev].Ports[g]) {
			return true
		}
	}
	return false
}
