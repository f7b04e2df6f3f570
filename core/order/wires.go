package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
)

// What is plugged in otherwise: ends of plugs, lines to the outside, cables.

// ends is what is plugged in that goes, comes or moves; the operator's laptop
// aside.
//
// Many branches: a plug comes, goes, moves, changes places with others, or is moved with
// what it hangs behind.
func (p *problem) ends() {
	a, b := p.was.from.Office, p.plan.from.Office
	at := func(list []office.Plug, plug office.Plug) bool {
		return slices.ContainsFunc(list, func(one office.Plug) bool { return plug.Port == one.Port && plug.Name == one.Name })
	}
	minus := func(plug office.Plug) string {
		return "-plug " + notation.Ref(plug.Port) + " " + office.Quote(plug.Name)
	}
	dev := func(plug office.Plug) int { return p.was.net.Topo.DeviceIndex(plug.Port.Device) }
	moved := map[string]bool{}
	type hop struct { // who hangs behind one another is plugged in and moved with it
		from, to office.PortRef
		names    []string
	}
	type wire struct { // one act: a hop, or those that change places
		task *task
		hops []*hop
	}
	var pairs [][2]office.Plug // of those that move: where each is, and where it goes
	for _, plug := range b.Plugs {
		if plug.Operator || at(a.Plugs, plug) {
			continue
		}
		k := slices.IndexFunc(a.Plugs, func(x office.Plug) bool {
			return x.Name == plug.Name && !x.Operator && !at(b.Plugs, x) && !moved[x.Name]
		})
		if k < 0 {
			pairs = append(pairs, [2]office.Plug{{}, plug})
			continue
		}
		moved[plug.Name] = true
		pairs = append(pairs, [2]office.Plug{a.Plugs[k], plug})
	}
	ring := changing(pairs)
	wires := map[[2]office.PortRef]*wire{}
	for _, pair := range pairs {
		was, plug := pair[0], pair[1]
		way := [2]office.PortRef{was.Port, plug.Port}
		one := wires[way]
		if one == nil && ring[was.Port] != (office.PortRef{}) {
			one = wires[[2]office.PortRef{ring[was.Port]}]
		}
		if one == nil {
			one = &wire{task: p.add(&task{dev: dev(plug), kind: CableStep, page: "Plugs"})}
			if first := ring[was.Port]; first != (office.PortRef{}) {
				wires[[2]office.PortRef{first}] = one
			}
		}
		if wires[way] == nil {
			wires[way] = one
			one.hops = append(one.hops, &hop{from: was.Port, to: plug.Port})
			one.task.refs = append(one.task.refs, plug.Port)
		}
		last := one.hops[slices.IndexFunc(one.hops, func(h *hop) bool { return h.from == was.Port && h.to == plug.Port })]
		last.names = append(last.names, plug.Name)
		var text, undo []string
		for _, h := range one.hops {
			who := strings.Join(h.names, " and ")
			if h.from == (office.PortRef{}) {
				text, undo = append(text, fmt.Sprintf("Plug %s into %s", who, portText(h.to))), append(undo, fmt.Sprintf("Unplug %s from %s", who, portText(h.to)))
				continue
			}
			text, undo = append(text, fmt.Sprintf("Move %s from %s to %s", who, portText(h.from), portText(h.to))), append(undo, fmt.Sprintf("Move %s from %s to %s", who, portText(h.to), portText(h.from)))
		}
		one.task.text, one.task.undo = strings.Join(text, "; "), strings.Join(undo, "; ")
		if was.Name != "" {
			one.task.lines, one.task.back = append(one.task.lines, minus(was)), append(one.task.back, notation.Thing(was))
			p.moves = append(p.moves, plugMove{one.task, p.terminalOf(a, was), p.terminalOf(b, plug)})
		}
		one.task.lines, one.task.back = append(one.task.lines, notation.Thing(plug)), append([]string{minus(plug)}, one.task.back...)
	}
	for _, plug := range a.Plugs {
		if !plug.Operator && !at(b.Plugs, plug) && !moved[plug.Name] && p.plan.at[dev(plug)] >= 0 {
			p.add(&task{dev: dev(plug), kind: CableStep, page: "Plugs", text: fmt.Sprintf("Unplug %s from %s", plug.Name, portText(plug.Port)), undo: fmt.Sprintf("Plug %s into %s", plug.Name, portText(plug.Port)), lines: []string{minus(plug)}, back: []string{notation.Thing(plug)}})
		}
	}
}

// changing finds the plugs that change places, two or more in a ring: by the port of each, the
// first port of its ring. They move in one act, as no port takes what comes before what is there
// has left.
func changing(pairs [][2]office.Plug) map[office.PortRef]office.PortRef {
	next := map[office.PortRef]office.PortRef{}
	for _, pair := range pairs {
		if pair[0].Name != "" {
			next[pair[0].Port] = pair[1].Port
		}
	}
	out := map[office.PortRef]office.PortRef{}
	for _, pair := range pairs {
		start := pair[0].Port
		if pair[0].Name == "" || out[start] != (office.PortRef{}) {
			continue
		}
		way := []office.PortRef{start}
		for at, ok := next[start]; ok && !slices.Contains(way, at); at, ok = next[at] {
			way = append(way, at)
		}
		if next[way[len(way)-1]] == start && len(way) > 1 {
			for _, port := range way {
				out[port] = start
			}
		}
	}
	return out
}

// plugMove is what is plugged in elsewhere on the way.
type plugMove struct {
	task     *task
	from, to terminal
}

// terminalOf is what is plugged in as somebody who talks.
func (p *problem) terminalOf(o *office.Office, plug office.Plug) terminal {
	device := o.Device(plug.Port.Device)
	one := terminal{dev: p.was.net.Topo.DeviceIndex(plug.Port.Device), port: device.Ports[device.Logical(device.Port(plug.Port.Port))].Name, wire: bridge.Untagged}
	if plug.Tagged {
		one.wire = bridge.Wire(plug.Wants)
	}
	return one
}

// routes says whether a cable that is plugged or pulled is at a device that routes, so that
// what passes between VLANs may change.
//
//	> gate route 10.99.0.0/16 via 10.61.190.7
//	1. gate, set: Routes: route 10.99.0.0/16 via 10.61.190.7
//	2. gate, check: Reach the management of gate at 10.61.190.1 (VLAN 190 devices)
//	3. gate, save: Save, so that it stays after a power cut
func (p *problem) routes(task *task) bool {
	for _, cable := range slices.Concat(task.plugs, task.pulls) {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			for _, one := range []*origin{p.was, p.plan} {
				if device := one.net.Office.Device(ref.Device); device != nil && device.Routing() {
					return true
				}
			}
		}
	}
	return false
}

// outsideLines are the lines to the outside, by their names, that come to be at another
// port: somebody plugs them in there, once it is set for that. A device that goes gives its
// line up with that.
func (p *problem) outsideLines() {
	for i, device := range p.was.net.Office.Devices {
		for _, line := range device.Outsides {
			dev := slices.IndexFunc(p.plan.net.Office.Devices, func(one *office.Device) bool {
				return p.plan.from.Office.Device(one.Name) != nil && slices.ContainsFunc(one.Outsides, func(x office.Outside) bool { return x.Name == line.Name })
			})
			if dev < 0 {
				continue
			}
			y := p.plan.net.Office.Devices[dev]
			to := y.Outsides[slices.IndexFunc(y.Outsides, func(x office.Outside) bool { return x.Name == line.Name })]
			if dev == i && to.On == line.On {
				continue
			}
			t := &task{dev: dev, kind: CableStep, page: "Cables", routes: true,
				text: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", line.Name, device.Name, line.On, y.Name, to.On),
				undo: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", line.Name, y.Name, to.On, device.Name, line.On)}
			for _, task := range p.tasks { // the address, the rules and the line itself are there first
				if task.dev == dev && (task.routes || task.box) {
					t.after = append(t.after, task)
				}
			}
			routes := slices.DeleteFunc(slices.Clone(y.Routes), func(route office.Route) bool { return route.Line != line.Name })
			t.device = func(one *office.Device) { // from now on it leads out
				if !slices.Contains(one.Outsides, to) {
					one.Outsides = append(slices.Clone(one.Outsides), to)
					one.Routes = append(slices.Clone(one.Routes), routes...)
				}
			}
			if dev != i {
				t.others = func(all []*office.Device) { all[i] = without(all[i], line.Name) }
			}
			if p.plan.at[i] < 0 {
				t.gives(device, line)
			}
			p.lines = append(p.lines, lineMove{dev, line.Name})
			p.add(t)
		}
	}
}

// without is a device without a line to the outside and the routes by it.
func without(device *office.Device, line string) *office.Device {
	one := device.Clone()
	one.Outsides = slices.DeleteFunc(slices.Clone(one.Outsides), func(y office.Outside) bool { return y.Name == line })
	one.Routes = slices.DeleteFunc(slices.Clone(one.Routes), func(route office.Route) bool { return route.Line == line })
	return one.Seal()
}

// lineMove is a line to the outside that is plugged into another device.
type lineMove struct {
	to   int
	name string
}

// gives says that a device that goes has a line no more, nor the routes by it.
func (t *task) gives(device *office.Device, line office.Outside) {
	for _, route := range device.Routes {
		if route.Line == line.Name {
			t.lines = append(t.lines, fmt.Sprintf("-%s route %s", device.Name, route))
		}
	}
	t.lines = append(t.lines, fmt.Sprintf("-%s outside %s", device.Name, line.Name))
	t.back = append(t.back, device.Name+" "+notation.OutsideText(line))
}

// cables are those to plug, to pull, and to move, which is both with one end.
//
//	> -cable core.7 floor.8; core 7: -; core 6: use uplink; cable core.6 floor.8
//	1. core, set: VLAN 110 reception: untagged 1-3, tagged 6-8
//	2. core, set: VLAN 140 phones: untagged none, tagged 1-3,6-8
//	3. core, set: VLAN 160 guests: untagged 4, tagged 6-8
//	4. core, set: PVID of 6: 190
//	5. core, set: VLAN 190 devices: untagged 5-6,8, tagged 7
//	   core 6 is now in 190 devices.
//	6. core, cable: Move the cable from floor 8: out of core 7, into core 6
//	7. core, set: VLAN 110 reception: untagged 1-3, tagged 6,8
//	8. core, set: VLAN 140 phones: untagged none, tagged 1-3,6,8
//	9. core, set: VLAN 160 guests: untagged 4, tagged 6,8
//	10. core, set: VLAN 190 devices: untagged 5-6,8, tagged none
//	11. core, set: PVID of 7: none (where it has to be a number: a VLAN that the port is not in)
//	12. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	13. core, save: Save, so that it stays after a power cut
//
// Many branches: a move is looked for before pulling and plugging, as one act harms less
// than two.
func (p *problem) cables() {
	gone, come := cablesBut(p.was.from.Office.Cables, p.plan.from.Office.Cables), cablesBut(p.plan.from.Office.Cables, p.was.from.Office.Cables)
	line := func(cable office.Cable) string { return "cable " + notation.Ref(cable.A) + " " + notation.Ref(cable.B) }
	dev := func(cable office.Cable) int { return p.was.net.Topo.DeviceIndex(cable.A.Device) }
	name := func(ref office.PortRef) string { return strings.Replace(ref.String(), ".", " ", 1) }
	// A cable is moved where it keeps one end and the other one goes to a port that is free,
	// or that another one leaves which is pulled for good. What is plugged comes after what
	// was there before.
	ends := func(cable office.Cable) []office.PortRef { return []office.PortRef{cable.A, cable.B} }
	holds := func(ref office.PortRef) int { // the cable that goes and is in a port as it is
		return slices.IndexFunc(gone, func(cable office.Cable) bool { return cable.A == ref || cable.B == ref })
	}
	by := make([]*task, len(gone)) // what takes it out
	stay := make([]bool, len(gone))
	keeps := func(cable office.Cable, free bool) (k int, stays, from, to office.PortRef) {
		for k, one := range gone {
			for _, stays := range ends(cable) {
				from, to := other(one, stays), other(cable, stays)
				if by[k] != nil || stay[k] || (one.A != stays && one.B != stays) {
					continue
				}
				if h := holds(to); h < 0 || !free && h != k && by[h] == nil {
					return k, stays, from, to
				}
			}
		}
		return -1, stays, from, to
	}
	var tasks []*task
	plug := func(cable office.Cable, free bool) bool {
		k, stays, from, to := keeps(cable, free)
		if k < 0 {
			return false
		}
		one := gone[k]
		by[k] = &task{dev: p.was.net.Topo.DeviceIndex(to.Device), kind: CableStep, page: "Cables", text: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(from), name(to)), undo: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(to), name(from)), lines: []string{"-" + line(one), line(cable)}, back: []string{"-" + line(cable), line(one)}, plugs: []office.Cable{cable}, refs: ends(cable), pulls: []office.Cable{one}}
		if h := holds(to); h >= 0 {
			stay[h] = true
		}
		tasks = append(tasks, by[k])
		return true
	}
	for _, free := range []bool{true, false} {
		come = slices.DeleteFunc(come, func(cable office.Cable) bool { return plug(cable, free) })
	}
	for k, cable := range gone {
		if by[k] == nil {
			by[k] = &task{dev: dev(cable), kind: CableStep, page: "Cables", text: fmt.Sprintf("Pull the cable from %s to %s", name(cable.A), name(cable.B)), undo: fmt.Sprintf("Plug a cable from %s to %s", name(cable.A), name(cable.B)), lines: []string{"-" + line(cable)}, back: []string{line(cable)}, pulls: []office.Cable{cable}}
			tasks = append(tasks, by[k])
		}
	}
	for _, cable := range come {
		tasks = append(tasks, &task{dev: dev(cable), kind: CableStep, page: "Cables", text: fmt.Sprintf("Plug a cable from %s to %s", name(cable.A), name(cable.B)), undo: fmt.Sprintf("Pull the cable from %s to %s", name(cable.A), name(cable.B)), lines: []string{line(cable)}, back: []string{"-" + line(cable)}, plugs: []office.Cable{cable}, refs: ends(cable)})
	}
	for _, task := range tasks {
		for _, cable := range task.plugs {
			for _, ref := range ends(cable) {
				if h := holds(ref); h >= 0 && by[h] != task && !slices.Contains(task.after, by[h]) {
					task.after = append(task.after, by[h])
				}
			}
		}
		p.add(task)
	}
}

// other is the end of a cable that is not a port.
func other(cable office.Cable, ref office.PortRef) office.PortRef {
	if cable.A == ref {
		return cable.B
	}
	return cable.A
}

// cablesBut is the cables that are none of others.
func cablesBut(all, others []office.Cable) (out []office.Cable) {
	for _, cable := range all {
		if !slices.ContainsFunc(others, func(one office.Cable) bool { return cable.Same(one) }) {
			out = append(out, cable)
		}
	}
	return out
}
