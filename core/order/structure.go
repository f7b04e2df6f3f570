package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// What a device has for ports beside its front: bundles and inner ports, made, changed and taken away,
// with the addresses that are on them.

// structure is bundles, inner ports and the way to forward.
func (p *problem) structure(i int, a, b *office.Device) {
	name := a.Name
	if a.Forwarding != b.Forwarding {
		forwarding := b.Forwarding
		p.add(&task{dev: i, kind: Set, page: "Forwarding", text: "Forwarding: " + forwarding.String(), lines: []string{name + " forwarding " + forwarding.String()}, back: []string{name + " forwarding " + a.Forwarding.String()}, inner: true, risky: true,
			device: func(device *office.Device) { device.Forwarding = forwarding }})
	}
	quoted := func(text string) string { return notation.Ref(office.PortRef{Device: "x", Port: text})[2:] }
	bundle := func(device *office.Device, port *office.Port) string {
		return fmt.Sprintf("%s bundle %s %s %s", name, quoted(port.Name), port.Mode, notation.Ports(device, port.Members))
	}
	for port := range b.Ports {
		one := &b.Ports[port]
		was := a.Port(one.Name)
		switch {
		case one.Kind == office.Bundle && was < 0:
			p.makeBundle(i, b, one, bundle(b, one), quoted(one.Name))
		case one.Kind == office.Bundle && (a.Ports[was].Mode != one.Mode || !slices.Equal(a.Ports[was].Members, one.Members)):
			y := *one
			members := membersOf(b, one)
			p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Bundle %s: %s, mode %s", one.Name, notation.Ports(b, one.Members), one.Mode), lines: []string{bundle(b, one)}, back: []string{bundle(a, &a.Ports[was])}, joins: members, inner: true, risky: true,
				device: func(device *office.Device) {
					for _, m := range members {
						device.Ports[device.Port(m)].Shape = nil
					}
					_ = device.ChangeBundle(y.Name, y.Mode, members)
				}}).carries(a, members, one.Name)
		case one.Kind == office.Inner && was < 0:
			y := *one
			head := fmt.Sprintf("%s inner %s %s: ", name, quoted(one.Name), one.Flavour)
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: fmt.Sprintf("Add the inner port %s (%s): %s", one.Name, one.Flavour, notation.Shape(*one.Shape)), lines: []string{head + notation.Shape(*one.Shape)}, back: []string{fmt.Sprintf("-%s inner %s", name, quoted(one.Name))}, inner: true,
				makes: []string{y.Name}, device: func(device *office.Device) { _ = device.AddInner(y.Name, y.Flavour, y.Shape) }})
		case one.Kind == office.Inner && a.Ports[was].Flavour != one.Flavour:
			y, old := *one, a.Ports[was]
			say := func(port *office.Port) []string {
				return []string{fmt.Sprintf("-%s inner %s", name, quoted(port.Name)), fmt.Sprintf("%s inner %s %s: %s", name, quoted(port.Name), port.Flavour, notation.Shape(*port.Shape))}
			}
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: fmt.Sprintf("Remove the inner port %s (%s), and add it as %s: %s", old.Name, old.Flavour, y.Flavour, notation.Shape(*y.Shape)), lines: say(&y), back: say(&old), inner: true,
				device: func(device *office.Device) {
					_ = device.RemovePorts([]int{device.Port(y.Name)}, office.Inner)
					_ = device.AddInner(y.Name, y.Flavour, y.Shape)
				}}).carries(a, []string{y.Name}, y.Name)
		}
	}
	for port := range a.Ports {
		one := &a.Ports[port]
		if b.Port(one.Name) >= 0 {
			continue
		}
		switch one.Kind {
		case office.Bundle:
			p.unmakeBundle(i, a, one, bundle(a, one), quoted(one.Name))
		case office.Inner:
			gone := one.Name
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: "Remove the inner port " + gone, lines: []string{fmt.Sprintf("-%s inner %s", name, quoted(gone))}, back: []string{fmt.Sprintf("%s inner %s %s: %s", name, quoted(gone), one.Flavour, notation.Shape(*one.Shape))}, inner: true,
				device: func(device *office.Device) { _ = device.RemovePorts([]int{device.Port(gone)}, office.Inner) }})
		}
	}
}

// carries has a task take the addresses along that are on ports which it takes away, or takes into
// a bundle: those of one interface go to another in one act, as nobody can have an address on a
// port that is none.
func (t *task) carries(device *office.Device, from []string, to string) *task {
	t.makes, t.takes = append(t.makes, to), from
	var before, after, back []string
	for _, address := range device.Addresses {
		if !slices.Contains(from, address.On) {
			continue
		}
		loose, there := address, address
		loose.On, there.On = "", to
		before, after = append(before, addressLine(device.Name, loose)), append(after, addressLine(device.Name, there))
		back = append(back, addressLine(device.Name, address))
	}
	if before == nil {
		return t
	}
	t.text += ", with the addresses that are on " + strings.Join(from, " and ")
	t.lines, t.back = slices.Concat(before, t.lines, after), slices.Concat(before, t.back, back)
	t.risky = true
	one := t.device
	t.device = func(d *office.Device) {
		carried := map[int]bool{}
		for k := range d.Addresses {
			if slices.Contains(from, d.Addresses[k].On) {
				carried[k], d.Addresses[k].On = true, ""
			}
		}
		one(d)
		for k := range carried {
			d.Addresses[k].On = to
		}
	}
	return t
}

// membersOf is the names of a bundle's member ports.
func membersOf(device *office.Device, port *office.Port) (names []string) {
	for _, at := range port.Members {
		names = append(names, device.Ports[at].Name)
	}
	return names
}

// makeBundle makes a bundle; it starts with what the first of its ports that has a
// cable was set to.
//
//	> core 6: use uplink; -core 6,7; core bundle up lacp 6-7; core up: use uplink; -floor 7; floor bundle up lacp 7-8; floor up: use uplink; cable core.6 floor.7
//	1. floor, set: Make the bundle up of 7-8, mode lacp; it takes over what port 8 is set to
//	   Until step 2 the bundle waits for its partner: some devices hold its ports back, so that
//	       floor, and what is behind it, may be out of reach. Go on at once; it is not saved,
//	       so that pulling the plug brings the old state back.
//	2. core, set: Make the bundle up of 6-7, mode lacp; it takes over what port 7 is set to
//	3. core, cable: Plug a cable from core 6 to floor 7
//	4. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	5. core, save: Save, so that it stays after a power cut
//	6. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	7. floor, save: Save, so that it stays after a power cut
func (p *problem) makeBundle(i int, device *office.Device, port *office.Port, line, quoted string) {
	one, members := *port, membersOf(device, port)
	cabled := map[string]bool{}
	for _, cable := range p.was.net.Office.Cables {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			cabled[ref.Port] = cabled[ref.Port] || ref.Device == device.Name
		}
	}
	lead := members[0]
	for _, m := range members {
		if cabled[m] {
			lead = m
			break
		}
	}
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Make the bundle %s of %s, mode %s; it takes over what port %s is set to", port.Name, notation.Ports(device, port.Members), port.Mode, lead), lines: []string{line}, back: []string{fmt.Sprintf("-%s bundle %s", device.Name, quoted)}, joins: members, inner: true, risky: true,
		device: func(d *office.Device) {
			shape := d.Ports[d.Port(lead)].Shape
			for _, m := range members {
				d.Ports[d.Port(m)].Shape = nil
			}
			if d.AddBundle(one.Name, one.Mode, members) == nil {
				d.Ports[d.Port(one.Name)].Shape = shape
			}
		}}).carries(p.was.net.Office.Devices[i], members, one.Name)
}

// unmakeBundle takes a bundle apart; its ports stay set as it was.
func (p *problem) unmakeBundle(i int, device *office.Device, port *office.Port, line, quoted string) {
	gone, members := port.Name, membersOf(device, port)
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Take the bundle %s apart; its ports %s stay set as it was", gone, notation.Ports(device, port.Members)), lines: []string{fmt.Sprintf("-%s bundle %s", device.Name, quoted)}, back: []string{line}, inner: true, risky: true,
		device: func(one *office.Device) {
			shape := one.Ports[one.Port(gone)].Shape
			if one.RemovePorts([]int{one.Port(gone)}, office.Bundle) == nil {
				for _, m := range members {
					one.Ports[one.Port(m)].Shape = shape
				}
			}
		}}).carries(device, []string{gone}, members[0])
	p.tasks[len(p.tasks)-1].makes = members
}
