package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// An order may be for some devices alone: those that were chosen, or all but those that
// nobody reaches. All else then stays as it is, with what hangs on it: the plan is cut down
// to what is done of it.

// chosen is a plan in which only some devices are as planned and all others are as they
// are; left says what so stays as it is.
func chosen(was, plan *office.Office, names []string) (out *office.Office, left []string, err error) {
	is := map[string]bool{}
	for _, name := range names {
		if was.Device(name) == nil && plan.Device(name) == nil {
			return nil, nil, &Impossible{Reasons: []Reason{{name, fmt.Sprintf("Nobody is called %s, as it is or as planned: name devices that are to be set.", name)}}}
		}
		is[name] = true
	}
	one := *plan
	one.VLANs, one.Services = slices.Clone(plan.VLANs), slices.Clone(plan.Services)
	taken := map[string]bool{}
	for _, vlan := range plan.VLANs {
		taken[vlan.Name] = true
	}
	for _, vlan := range was.VLANs {
		if plan.VLAN(vlan.VID) != nil {
			continue
		}
		if taken[vlan.Name] {
			next := *vlan
			next.Name = ownName(vlan, taken)
			vlan = &next
		}
		taken[vlan.Name] = true
		one.VLANs = append(one.VLANs, vlan)
	}
	slices.SortFunc(one.VLANs, func(a, b *office.VLAN) int { return int(a.VID) - int(b.VID) })
	for _, s := range was.Services {
		if plan.Service(s.Name) == nil {
			one.Services = append(one.Services, s)
		}
	}
	one.Devices = nil
	for _, device := range plan.Devices {
		if is[device.Name] {
			one.Devices = append(one.Devices, device)
		} else if x := was.Device(device.Name); x != nil {
			one.Devices = append(one.Devices, x)
		}
	}
	for _, device := range was.Devices {
		if plan.Device(device.Name) == nil && !is[device.Name] {
			one.Devices = append(one.Devices, device)
		}
	}
	one.Cables = chosenCables(was, plan, &one, is)
	one.Plugs = chosenPlugs(was, plan, &one, is)
	left = stays(was, plan, is)
	out, more := settled(was, &one, is)
	return out, append(left, more...), nil
}

// chosenCables are the cables of an office in which only the chosen devices have become as planned:
// those of the others stay, and a planned one that needs a port of theirs has to wait.
func chosenCables(was, plan, o *office.Office, is map[string]bool) (out []office.Cable) {
	mine := func(cable office.Cable) bool { return is[cable.A.Device] || is[cable.B.Device] }
	busy := map[office.PortRef]bool{}
	for _, cable := range was.Cables {
		if !mine(cable) {
			out = append(out, cable)
			busy[cable.A], busy[cable.B] = true, true
		}
	}
	for _, cable := range plan.Cables {
		if mine(cable) && o.Device(cable.A.Device) != nil && o.Device(cable.B.Device) != nil && !busy[cable.A] && !busy[cable.B] &&
			o.Device(cable.A.Device).Port(cable.A.Port) >= 0 && o.Device(cable.B.Device).Port(cable.B.Port) >= 0 {
			out = append(out, cable)
		}
	}
	return out
}

// chosenPlugs are the plugs of such an office. What moves between a chosen device and another is
// where the chosen one says, so that it is not in two places.
func chosenPlugs(was, plan, o *office.Office, is map[string]bool) (out []office.Plug) {
	came := map[string]bool{} // to a device that was chosen
	for _, plug := range plan.Plugs {
		if is[plug.Port.Device] {
			out = append(out, plug)
			came[plug.Name] = true
		}
	}
	for _, plug := range was.Plugs {
		stays := slices.ContainsFunc(plan.Plugs, func(one office.Plug) bool { return one.Name == plug.Name && one.Port == plug.Port })
		if !is[plug.Port.Device] && (stays || !came[plug.Name]) {
			out = append(out, plug)
		}
	}
	if slices.ContainsFunc(out, func(plug office.Plug) bool { return plug.Operator }) {
		return out
	}
	for _, from := range [][]office.Plug{was.Plugs, plan.Plugs} { // whoever sets devices has to be somewhere
		for _, plug := range from {
			if device := o.Device(plug.Port.Device); plug.Operator && device != nil && device.Port(plug.Port.Port) >= 0 {
				return append(out, plug)
			}
		}
	}
	return out
}

// stays says which devices that were not chosen are not as planned.
func stays(was, plan *office.Office, is map[string]bool) []string {
	var names []string
	for _, device := range plan.Devices {
		if one := was.Device(device.Name); !is[device.Name] && (one == nil || notation.Thing(one) != notation.Thing(device)) {
			names = append(names, device.Name)
		}
	}
	for _, device := range was.Devices {
		if plan.Device(device.Name) == nil && !is[device.Name] {
			names = append(names, device.Name)
		}
	}
	if names == nil {
		return nil
	}
	verb := "stay as they are"
	if len(names) == 1 {
		verb = "stays as it is"
	}
	return []string{fmt.Sprintf("Not in this order: %s %s.", strings.Join(names, ", "), verb)}
}

// settled writes out what ports of devices that were not chosen are set to, where uses, port
// plans or what is needed would have them otherwise; and keeps a port of a chosen one as it
// is whose other end is not set, where untagged frames would be in one VLAN here and in
// another there.
func settled(was, o *office.Office, is map[string]bool) (*office.Office, []string) {
	net := span.Compile(was)
	var left []string
	for range 4 { // what is needed may change with what is written out
		one := span.Compile(o)
		next := *o
		next.Devices = slices.Clone(o.Devices)
		changed := false
		for i, device := range o.Devices {
			dev := net.Topo.DeviceIndex(device.Name)
			if dev < 0 || device.Unaware() {
				continue
			}
			var y *office.Device
			for port := range device.Ports {
				at := net.Office.Devices[dev].Port(device.Ports[port].Name)
				if at < 0 || device.Ports[port].Bundle > 0 || net.Office.Devices[dev].Ports[at].Bundle > 0 {
					continue
				}
				have, want := settingOf(one, i, port), settingOf(net, dev, at)
				if have.Alike(&want) {
					continue
				}
				if is[device.Name] {
					far := farDevices(one, i, port)
					if have.Untagged == want.Untagged && have.PVID == want.PVID || !slices.ContainsFunc(far, func(name string) bool { return !is[name] }) {
						continue
					}
					left = append(left, fmt.Sprintf("%s %s stays %s: its other end, at %s, is not in this order.", device.Name, device.Ports[port].Name, notation.Shape(want.Shape()), strings.Join(far, " and ")))
				}
				if y == nil {
					y = device.Clone()
				}
				shape := want.Shape()
				y.Ports[port].Shape, changed = &shape, true
			}
			if y != nil {
				next.Devices[i] = y.Seal()
			}
		}
		if !changed {
			break
		}
		o = &next
	}
	return o, left
}

// farDevices is the devices at the other ends of what is cabled to a port.
func farDevices(net *span.Net, dev, port int) (names []string) {
	for _, l := range net.Topo.LinksAt(dev, port) {
		for _, end := range net.Topo.Across(l, dev, port) {
			names = append(names, net.Office.Devices[end.Dev].Name)
		}
	}
	return names
}

// silent is the devices with something to do that nobody reaches as things are, over the
// network, at a port or at a console; and those that the plan itself puts out of reach where
// something is left to do that cannot be done before.
func (p *problem) silent() (names []string, some bool) {
	world := p.start()
	for i, device := range world.office.Devices {
		switch {
		case !world.open(i):
		case p.was.at[i] >= 0 && !world.reaches(i) && !world.console(i) && !world.walkable(i):
			names = append(names, device.Name)
		case p.cut[i] && slices.Contains(p.stuck, i):
			names = append(names, device.Name)
		default:
			some = true
		}
	}
	return names, some
}

// but is the names of all devices of two offices but some.
func but(was, plan *office.Office, names []string) (out []string) {
	for _, o := range []*office.Office{plan, was} {
		for _, device := range o.Devices {
			if !slices.Contains(names, device.Name) && !slices.Contains(out, device.Name) {
				out = append(out, device.Name)
			}
		}
	}
	return out
}

// replaced is an office in which devices that others take the place of have names of their
// own, with the statements that lead there: until the new one is there and set, the old one
// stands beside it.
//
//	device rack switch       with --new rack:       device rack-old switch
//	cable rack.24 gate.lan                          cable rack-old.24 gate.lan
//
//	> replace floor by switch, 8 ports 1G, by port
func replaced(was, plan *office.Office, names []string) (out *office.Office, lines []string, olds map[string]bool, err error) {
	out, olds = was, map[string]bool{}
	for _, name := range names {
		old := was.Device(name)
		if old == nil || plan.Device(name) == nil {
			return nil, nil, nil, &Impossible{Reasons: []Reason{{name, fmt.Sprintf("%s is not there both as it is and as planned, so no new one can take its place.", name)}}}
		}
		next := oldName(name)
		for k := 2; out.Device(next) != nil || plan.Device(next) != nil; k++ {
			next = fmt.Sprintf("%s-%d", oldName(name), k)
		}
		refs := office.Refs{Device: func(x string) string {
			if x == name {
				return next
			}
			return x
		}}
		to := refs.Office(out)
		texts := []string{}
		for _, cable := range out.Cables {
			if cable.A.Device == name || cable.B.Device == name {
				texts = append(texts, "-"+notation.Removal(cable))
			}
		}
		for _, plug := range out.Plugs {
			if plug.Port.Device == name {
				texts = append(texts, "-"+notation.Removal(plug))
			}
		}
		texts = append(texts, "-device "+name)
		texts = append(texts, deviceLines(to.Device(next))...)
		for _, cable := range to.Cables {
			if cable.A.Device == next || cable.B.Device == next {
				texts = append(texts, notation.Thing(cable))
			}
		}
		for _, plug := range to.Plugs {
			if plug.Port.Device == next {
				texts = append(texts, notation.Thing(plug))
			}
		}
		for _, text := range texts {
			if out, _, err = notation.Line(out, text); err != nil {
				return nil, nil, nil, fmt.Errorf("the order says %q, which cannot be: %w", text, err)
			}
		}
		lines, olds[next] = append(lines, texts...), true
	}
	return out, lines, olds, nil
}

// everSet is whether somebody has set a port of a device already, who sat somewhere then.
func everSet(device *office.Device) bool {
	fresh := office.Shape{Untagged: []office.VID{office.DefaultVID}}
	return slices.ContainsFunc(device.Ports, func(port office.Port) bool {
		return port.Shape != nil && !port.Shape.Normal().Equal(fresh.Normal())
	})
}

// oldName is what a device is called that another one takes the place of.
func oldName(name string) string { return name + "-old" }

// deviceLines says a device on the line, statement by statement.
func deviceLines(device *office.Device) []string {
	lines := strings.Split(notation.Thing(device), "\n")
	for k := range lines[1:] {
		lines[k+1] = device.Name + " " + strings.TrimSpace(lines[k+1])
	}
	return lines
}
