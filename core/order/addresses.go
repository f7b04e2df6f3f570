package order

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Addresses, and what routes by them: who gets one, who gives one up, and in which order; rules and
// routes, entered as one.

// leftOn is a device with its addresses where bundles and inner ports leave them.
func (p *problem) leftOn(i int, device *office.Device) *office.Device {
	device = device.Clone()
	for k := range device.Addresses {
		for _, task := range p.tasks {
			if task.dev == i && slices.Contains(task.takes, device.Addresses[k].On) {
				device.Addresses[k].On = task.makes[0]
				break
			}
		}
	}
	return device
}

// routing is addresses, lines to the outside, routes and rules.
//
// Many branches: which task waits for which is decided where both are known.
func (p *problem) routing(i int, a, b *office.Device) {
	name := a.Name
	a = p.leftOn(i, a)
	var first, second []*task
	moved := map[netip.Prefix]bool{} // addresses that go from one number of a VLAN to the other
	for _, address := range b.Addresses {
		was := sameAddress(a.Addresses, address)
		if was != nil && office.SameAddresses([]office.Address{*was}, []office.Address{address}) {
			continue
		}
		one := p.addressed(readdress{i, a, b}, address, was, moved)
		if was != nil && was.On != address.On { // an interface has all its addresses in one place
			if k := slices.IndexFunc(first, func(task *task) bool { return task.goes && task.vid == address.VID }); k >= 0 {
				first[k].with(one)
				continue
			}
			one.goes = true
		}
		for _, task := range p.tasks { // the port that it is on is there first
			if task.dev == i && task.inner && slices.Contains(task.makes, address.On) {
				one.after = append(one.after, task)
			}
		}
		first = append(first, p.add(one))
	}
	if one := p.policy(i, a, b); one != nil {
		// Rules come before the addresses that they are for, so that none stands open
		// meanwhile; but for those that bring the zones that rules name.
		for _, task := range first {
			if zone := task.zone; zone != "" && !slices.ContainsFunc(a.Addresses, func(address office.Address) bool { return address.Zone == zone }) && namesZone(b.Rules, zone) {
				one.after = append(one.after, task)
			}
		}
		for _, x := range first {
			if !slices.Contains(one.after, x) {
				x.after = append(x.after, one)
			}
		}
		second = append(second, p.add(one))
	}
	for _, address := range a.Addresses {
		if sameAddress(b.Addresses, address) != nil || moved[address.Prefix] && p.numbers.of(address.VID) != address.VID {
			continue
		}
		p.add(&task{dev: i, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: no address %s any more", p.plan.net.Name(address.VID), address.Prefix), lines: []string{noAddress(name, address)}, back: []string{addressLine(name, address)}, after: slices.Concat(first, second), risky: true, gone: address.Prefix, vid: address.VID,
			device: func(device *office.Device) {
				device.Addresses = slices.DeleteFunc(device.Addresses, func(one office.Address) bool { return one.VID == address.VID && one.Prefix == address.Prefix })
			}})
	}
}

// with has a task do another one of the same interface too.
func (t *task) with(other *task) {
	_, text, _ := strings.Cut(other.text, ": ")
	t.text += "; " + text
	t.lines, t.back = append(t.lines, other.lines...), append(other.back, t.back...)
	t.risky = t.risky || other.risky
	one := t.device
	t.device = func(device *office.Device) {
		one(device)
		other.device(device)
	}
}

// handOver has an address that one device gives up and another gets be at one of them at a time:
// two that answer for one address are worse than none, as who is heard changes from host to host.
// Who gives it up then waits for nothing but its rules and routes; two devices may exchange theirs.
//
//	> -gate rule 1; -gate address 160 10.61.160.1/24; core address 160 10.61.160.1/24
//	1. gate, set: Rules: take away rule 1
//	2. gate, set: VLAN 160 guests: no address 10.61.160.1/24 any more
//	3. gate, set: Remove the sub-interface lan1.160
//	   160 guests no longer passes both ways over core 8 – gate lan1.
//	4. gate, check: Reach the management of gate at 10.61.190.1 (VLAN 190 devices)
//	5. gate, save: Save, so that it stays after a power cut
//	6. core, set: VLAN 160 guests: address 10.61.160.1/24
//	7. core, set: VLAN 160 guests: untagged 4, tagged 7
//	8. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	9. core, save: Save, so that it stays after a power cut
func (p *problem) handOver() {
	for _, gives := range p.tasks {
		if !gives.gone.IsValid() {
			continue
		}
		for _, gets := range p.tasks {
			if gets.dev != gives.dev && gets.address.IsValid() && gets.address.Addr() == gives.gone.Addr() && gets.vid == gives.vid {
				gets.after = append(gets.after, gives)
				gives.after = slices.DeleteFunc(gives.after, func(task *task) bool { return task.address.IsValid() })
			}
		}
	}
	for _, gives := range p.tasks { // likewise the addresses that devices are managed at
		if !gives.manage {
			continue
		}
		was := p.was.net.Office.Devices[gives.dev].Manage
		for _, gets := range p.tasks {
			if gets.dev != gives.dev && gets.manage && was != nil && was.Addr.IsValid() && gets.to != nil && gets.to.Addr == was.Addr && gets.to.VID == was.VID && !gives.waits(gets) {
				gets.after = append(gets.after, gives)
			}
		}
	}
}

// waits says whether a task comes after another.
func (t *task) waits(other *task) bool {
	return slices.ContainsFunc(t.after, func(task *task) bool { return task == other || task.waits(other) })
}

// sameAddress is the entry of an address in a VLAN; nil for none.
func sameAddress(list []office.Address, address office.Address) *office.Address {
	for k := range list {
		if list[k].VID == address.VID && list[k].Prefix == address.Prefix {
			return &list[k]
		}
	}
	return nil
}

// addressLine and noAddress are the statements that give a device an address, and take it away.
func addressLine(device string, address office.Address) string {
	return device + " " + notation.AddressText(address)
}

func noAddress(device string, address office.Address) string {
	return fmt.Sprintf("-%s address %d %s", device, address.VID, address.Prefix)
}

// readdress is a device that is to have other addresses: as it is, and as planned.
type readdress struct {
	dev  int
	a, b *office.Device
}

// addressed is the task of giving a device an address, was where it has it otherwise. What
// goes over from one number of a VLAN to another is noted in moved.
//
// Many branches: an address comes, changes, or goes over from another number, each with
// its way back.
func (p *problem) addressed(of readdress, address office.Address, was *office.Address, moved map[netip.Prefix]bool) *task {
	a, b := of.a, of.b
	one := &task{dev: of.dev, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: address %s", p.plan.net.Name(address.VID), address.Prefix), lines: []string{addressLine(a.Name, address)}, back: []string{noAddress(a.Name, address)}, address: address.Prefix, vid: address.VID}
	if address.From.IsValid() {
		one.text += fmt.Sprintf(", hands out %s-%s", address.From, address.To)
	}
	if address.Zone != "" {
		one.text += ", zone " + address.Zone
		one.zone = address.Zone
	}
	if was != nil { // said again, it is changed
		one.lines, one.back = []string{addressLine(a.Name, address)}, []string{addressLine(a.Name, *was)}
		if address.On != was.On && address.On != "" {
			one.text += ", on " + address.On
		}
	}
	own := managedBy(b)
	if own != nil && own.VID == address.VID && own.Prefix == address.Prefix && was == nil && !sameManage(a.Manage, b.Manage) {
		one.kind, one.manage, one.to, one.risky = Manage, true, b.Manage, true
		one.text += "; it is managed there"
	}
	// One number for another: no device has one subnet in two VLANs.
	if old := p.numbers.before(address.VID); was == nil && old != 0 {
		for k := range a.Addresses {
			if y := a.Addresses[k]; y.VID == old && y.Prefix == address.Prefix {
				was, moved[y.Prefix] = &a.Addresses[k], true
				one.text += ", and not in VLAN " + p.was.net.Name(old)
				// said before the old one goes, as rules may name a zone that has no other
				one.lines, one.back, one.risky = []string{addressLine(a.Name, address), noAddress(a.Name, y)}, []string{addressLine(a.Name, y), noAddress(a.Name, address)}, true
			}
		}
	}
	if one.manage {
		one.lines, one.back = append(one.lines, manageLine(a, b.Manage)), append(one.back, manageLine(a, a.Manage))
	}
	one.device = func(device *office.Device) {
		if one.manage {
			device.Manage = one.to
		}
		if was != nil {
			if have := sameAddress(device.Addresses, *was); have != nil {
				*have = address
				return
			}
		}
		if have := sameAddress(device.Addresses, address); have != nil {
			*have = address
		} else {
			device.Addresses = append(device.Addresses, address)
		}
	}
	return one
}

// namesZone says whether some rule names a zone.
func namesZone(rules []office.Rule, zone string) bool {
	return slices.ContainsFunc(rules, func(rule office.Rule) bool {
		return slices.ContainsFunc(slices.Concat(rule.From, rule.To), func(side office.Side) bool { return side.Zone == zone })
	})
}

// policy is lines to the outside, routes and rules, entered as one.
//
//	> gate allow zone guests to 10.61.110.20 printing
//	1. gate, set: Rules: rule 3 allow zone guests to 10.61.110.20 printing
//	2. gate, check: Reach the management of gate at 10.61.190.1 (VLAN 190 devices)
//	3. gate, save: Save, so that it stays after a power cut
func (p *problem) policy(i int, a, b *office.Device) *task {
	lines, pages := policyLines(a, b)
	back, _ := policyLines(b, a)
	if len(lines) == 0 && len(back) == 0 {
		return nil
	}
	device := b
	return &task{dev: i, kind: Set, routes: true, page: strings.Join(pages, ", "), text: strings.Join(pages, ", ") + ": " + typed(b.Name, lines), lines: lines, back: back, risky: true,
		device: func(one *office.Device) {
			one.Outsides, one.Routes, one.NoRouting, one.State, one.Between, one.Within, one.Rules = device.Outsides, device.Routes, device.NoRouting, device.State, device.Between, device.Within, device.Rules
			for _, move := range p.lines { // which is plugged in elsewhere still
				if move.to == i {
					left := without(one, move.name)
					one.Outsides, one.Routes = left.Outsides, left.Routes
				}
			}
		}}
}

// typed is what statements about a device have somebody type, in words: without the
// device's name, what goes first.
//
//	-gate rule 3, gate rule 1 allow any to outside    take away rule 3; rule 1 allow any to outside
func typed(device string, lines []string) string {
	words := make([]string, len(lines))
	for i, line := range lines {
		if gone, ok := strings.CutPrefix(line, "-"+device+" "); ok {
			words[i] = "take away " + gone
		} else {
			words[i] = strings.TrimPrefix(line, device+" ")
		}
	}
	return strings.Join(words, "; ")
}

// policyLines leads from one device's lines to the outside, routes and rules to
// another's, with the pages that it fills in.
func policyLines(a, b *office.Device) (lines, pages []string) {
	page := func(name string) {
		if !slices.Contains(pages, name) {
			pages = append(pages, name)
		}
	}
	say := func(on, format string, args ...any) {
		page(on)
		lines = append(lines, fmt.Sprintf(format, args...))
	}
	d := b.Name
	// Rules that go come first, as they may name a zone or a line.
	gone, come := office.RulesApart(a.Rules, b.Rules)
	for _, i := range slices.Backward(gone) {
		say("Rules", "-%s rule %d", d, i+1)
	}
	for _, route := range a.Routes {
		if !slices.Contains(b.Routes, route) {
			say("Routes", "-%s route %s", d, route)
		}
	}
	for _, line := range a.Outsides {
		if !slices.Contains(b.Outsides, line) {
			say("Lines to the outside", "-%s outside %s", d, line.Name)
		}
	}
	for _, line := range b.Outsides {
		if !slices.Contains(a.Outsides, line) {
			say("Lines to the outside", "%s %s", d, notation.OutsideText(line))
		}
	}
	for _, route := range b.Routes {
		if !slices.Contains(a.Routes, route) {
			say("Routes", "%s route %s", d, route)
		}
	}
	if a.NoRouting != b.NoRouting {
		say("Routes", "%s%s routing off", map[bool]string{false: "-"}[b.NoRouting], d)
	}
	if a.State != b.State {
		if b.State == "" {
			say("Rules", "-%s %s", d, a.State)
		} else {
			say("Rules", "%s %s", d, b.State)
		}
	}
	for _, x := range []struct {
		word     string
		was, now office.Action
	}{{"between", a.Between, b.Between}, {"within", a.Within, b.Within}} {
		switch {
		case x.was == x.now:
		case x.now == "":
			say("Rules", "-%s %s zones", d, x.word)
		default:
			say("Rules", "%s %s zones %s", d, x.word, x.now)
		}
	}
	for _, i := range come {
		say("Rules", "%s rule %d %s", d, i+1, b.Rules[i].String())
	}
	return lines, pages
}
