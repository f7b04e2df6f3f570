package wording

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// Fixed is what stands on a device's sheet beside its memberships, in any
// wording: its bundles, its speeds where some are said, its addresses with what
// they hand out, and where it is managed.
func Fixed(device *Device) []Table {
	var out []Table
	bundles := Table{Title: "Bundles", Head: []string{"Bundle", "Mode", "Ports"}}
	speeds := Table{Title: "Speeds", Head: []string{"Port", "Speed"}}
	for i := range device.Ports {
		if port := &device.Ports[i]; port.Kind == office.Bundle {
			bundles.Rows = append(bundles.Rows, []string{device.list([]int{i}), string(port.Mode), device.list(port.Members)})
		}
	}
	for i := 0; i < device.Front(); {
		j := i
		for j < device.Front() && device.Ports[j].Speed == device.Ports[i].Speed {
			j++
		}
		if speed := device.Ports[i].Speed; speed != 0 {
			at := make([]int, 0, j-i)
			for k := i; k < j; k++ {
				at = append(at, k)
			}
			speeds.Rows = append(speeds.Rows, []string{device.list(at), speed.String()})
		}
		i = j
	}
	addresses := Table{Title: "Addresses", Head: []string{"VLAN", "Name", "Address", "On port", "Hands out", "Zone"}}
	if device.Wording.Name != office.BySubInterface { // there they are part of the interfaces
		for _, address := range device.Addresses {
			addresses.Rows = append(addresses.Rows, []string{fmt.Sprint(address.VID), nameOnly(device, address.VID), address.Prefix.String(), address.On, handout(address), address.Zone})
		}
	}
	manage := Table{Title: "Management", Head: []string{"VLAN", "Name", "Address", "Default gateway"}}
	if one := device.Manage; one != nil {
		manage.Rows = append(manage.Rows, []string{fmt.Sprint(one.VID), nameOnly(device, one.VID), device.managed.Address, device.managed.Gateway})
	}
	for _, table := range append([]Table{bundles, speeds, addresses, manage}, policy(device)...) {
		if table.Rows != nil {
			out = append(out, table)
		}
	}
	return out
}

// policy is the pages of routing: lines to the outside, routes, what the device
// itself answers, and the rules in their order, with what is done where none fits.
func policy(device *Device) []Table {
	lines := Table{Title: "Lines to the outside", Head: []string{"Line", "Port", "VLAN", "Address", "Next hop"}}
	for _, line := range device.Outsides {
		row := []string{line.Name, line.On, "", "comes from there", ""}
		if line.VID != 0 {
			row[2] = fmt.Sprint(line.VID)
		}
		if line.Prefix.IsValid() {
			row[3], row[4] = line.Prefix.String(), line.Via.String()
		}
		lines.Rows = append(lines.Rows, row)
	}
	routes := Table{Title: "Routes", Head: []string{"Destination", "By"}}
	for _, route := range device.Routes {
		to, by, _ := strings.Cut(route.String(), " via ")
		routes.Rows = append(routes.Rows, []string{to, by})
	}
	admits := Table{Title: "Answers itself", Head: []string{"Address", "Services"}}
	for _, address := range device.Addresses {
		if address.Admits != nil {
			admits.Rows = append(admits.Rows, []string{address.Prefix.Addr().String(), strings.Replace(office.Services(address.Admits), "-", "nothing", map[bool]int{true: 1}[len(address.Admits) == 0])})
		}
	}
	rules := Table{Title: "Rules", Head: []string{"Nr", "Do", "From", "To", "Services", "Note"}}
	for i, rule := range device.Rules {
		rules.Rows = append(rules.Rows, []string{fmt.Sprint(i + 1), string(rule.Do), office.Sides(rule.From), office.Sides(rule.To), office.Services(rule.Services), rule.Note})
	}
	if rules.Rows != nil || device.Between != "" || device.Within != "" {
		state := "answers pass by themselves"
		if !device.KeepsState() {
			state = "no state: answers need their rule"
		}
		rules.Rows = append(rules.Rows, []string{"else", string(device.BetweenZones()), "any", "any", "any", fmt.Sprintf("within a zone %s; %s", device.WithinZones(), state)})
	}
	return []Table{lines, routes, admits, rules}
}

// handout is the range of addresses that a device hands out, FROM-TO.
func handout(address office.Address) string {
	if !address.From.IsValid() {
		return ""
	}
	return address.From.String() + "-" + address.To.String()
}

// FromFactory is the steps from a device's factory state to what it should be,
// with what [Fixed] says of it: bundles and speeds come first, as ports are set
// by them; then the memberships; then addresses; and where it is managed last,
// the old way staying until the new one answers.
//
// Many branches: one a table of what does not change, and each may be empty.
func FromFactory(device *Device, to State) ([]Step, error) {
	var first, last []Step
	for i := range device.Ports {
		if port := &device.Ports[i]; port.Kind == office.Bundle {
			text := fmt.Sprintf("Make the bundle %s of %s, mode %s; its cables come after both ends are set", port.Name, device.list(port.Members), port.Mode)
			first = append(first, Step{Op: Fix, Where: "Bundles", Text: text})
		}
	}
	for _, table := range Fixed(device) {
		if table.Title == "Speeds" {
			for _, r := range table.Rows {
				first = append(first, Step{Op: Fix, Where: "Ports", Text: fmt.Sprintf("Speed of %s: %s, or found by the two ends themselves", r[0], r[1])})
			}
		}
	}
	if device.Wording.Name != office.BySubInterface {
		for _, address := range device.Addresses {
			text := fmt.Sprintf("VLAN %s: address %s", device.name(address.VID), address.Prefix)
			if address.On != "" {
				text += " on " + address.On
			}
			if h := handout(address); h != "" {
				text += ", hand out " + h
			}
			if address.Zone != "" {
				text += ", zone " + address.Zone
			}
			last = append(last, Step{Op: Fix, Where: "Addresses", Text: text})
		}
	}
	for _, table := range policy(device) {
		for _, r := range table.Rows {
			if r[0] == "else" {
				last = append(last, Step{Op: Fix, Where: table.Title, Text: fmt.Sprintf("Where no rule fits: %s; %s", r[1], r[5])})
				continue
			}
			if table.Title == "Rules" {
				last = append(last, Step{Op: Fix, Where: table.Title, Text: strings.TrimSpace(fmt.Sprintf("Rule %s: %s %s to %s, %s. %s", r[0], r[1], r[2], r[3], r[4], r[5]))})
				continue
			}
			last = append(last, Step{Op: Fix, Where: table.Title, Text: strings.Join(slices.DeleteFunc(slices.Clone(r), func(text string) bool { return text == "" }), ", ")})
		}
	}
	if manage := device.Manage; manage != nil && (manage.VID != office.DefaultVID || manage.Addr.IsValid()) && device.Own(manage.Addr) == nil { // one of its own addresses is the step already
		last = append(last, Step{Op: Fix, Where: "Management", Text: device.managed.Text + ": go there from a port of that VLAN, and take the old address and VLAN away only when it answers"})
	}
	steps, err := Steps(device, Factory(device), to)
	save := Step{Op: Save, Where: "Device", Text: "Save, so that it stays after a power cut"}
	if n := len(steps); n > 0 && steps[n-1].Op == Save {
		steps = steps[:n-1]
	}
	all := append(append(first, steps...), last...)
	if len(all) > 0 {
		all = append(all, save)
	}
	return all, err
}

// Spaced is a wording's name as people say it: "by VLAN", "by sub-interface".
func Spaced(name string) string {
	return strings.NewReplacer("by-vlan", "by VLAN", "by-inner-port", "by inner port", "by-sub-interface", "by sub-interface", "by-", "by ", "linux", "by Linux's own commands").Replace(name)
}
