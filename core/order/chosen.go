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
	o := *plan
	o.VLANs, o.Services = slices.Clone(plan.VLANs), slices.Clone(plan.Services)
	taken := map[string]bool{}
	for _, v := range plan.VLANs {
		taken[v.Name] = true
	}
	for _, v := range was.VLANs {
		if plan.VLAN(v.VID) != nil {
			continue
		}
		if taken[v.Name] {
			next := *v
			next.Name = ownName(v, taken)
			v = &next
		}
		taken[v.Name] = true
		o.VLANs = append(o.VLANs, v)
	}
	slices.SortFunc(o.VLANs, func(a, b *office.VLAN) int { return int(a.VID) - int(b.VID) })
	for _, s := range was.Services {
		if plan.Service(s.Name) == nil {
			o.Services = append(o.Services, s)
		}
	}
	o.Devices = nil
	for _, d := range plan.Devices {
		if is[d.Name] {
			o.Devices = append(o.Devices, d)
		} else if x := was.Device(d.Name); x != nil {
			o.Devices = append(o.Devices, x)
		}
	}
	for _, d := range was.Devices {
		if plan.Device(d.Name) == nil && !is[d.Name] {
			o.Devices = append(o.Devices, d)
		}
	}
	o.Cables = chosenCables(was, plan, &o, is)
	o.Plugs = chosenPlugs(was, plan, &o, is)
	left = stays(was, plan, is)
	out, more := settled(was, &o, is)
	return out, append(left, more...), nil
}

func chosenCables(was, plan, o *office.Office, is map[string]bool) (out []office.Cable) {
	mine := func(c office.Cable) bool { return is[c.A.Device] || is[c.B.Device] }
	busy := map[office.PortRef]bool{}
	for _, c := range was.Cables {
		if !mine(c) {
			out = append(out, c)
			busy[c.A], busy[c.B] = true, true
		}
	}
	for _, c := range plan.Cables {
		if mine(c) && o.Device(c.A.Device) != nil && o.Device(c.B.Device) != nil && !busy[c.A] && !busy[c.B] &&
			o.Device(c.A.Device).Port(c.A.Port) >= 0 && o.Device(c.B.Device).Port(c.B.Port) >= 0 {
			out = append(out, c)
		}
	}
	return out
}

func chosenPlugs(was, plan, o *office.Office, is map[string]bool) (out []office.Plug) {
	came := map[string]bool{} // to a device that was chosen
	for _, p := range plan.Plugs {
		if is[p.Port.Device] {
			out = append(out, p)
			came[p.Name] = true
		}
	}
	for _, p := range was.Plugs {
		stays := slices.ContainsFunc(plan.Plugs, func(x office.Plug) bool { return x.Name == p.Name && x.Port == p.Port })
		if !is[p.Port.Device] && (stays || !came[p.Name]) {
			out = append(out, p)
		}
	}
	if slices.ContainsFunc(out, func(p office.Plug) bool { return p.Operator }) {
		return out
	}
	for _, from := range [][]office.Plug{was.Plugs, plan.Plugs} { // whoever sets devices has to be somewhere
		for _, p := range from {
			if d := o.Device(p.Port.Device); p.Operator && d != nil && d.Port(p.Port.Port) >= 0 {
				return append(out, p)
			}
		}
	}
	return out
}

// stays says which devices that were not chosen are not as planned.
func stays(was, plan *office.Office, is map[string]bool) []string {
	var names []string
	for _, d := range plan.Devices {
		if x := was.Device(d.Name); !is[d.Name] && (x == nil || notation.Thing(x) != notation.Thing(d)) {
			names = append(names, d.Name)
		}
	}
	for _, d := range was.Devices {
		if plan.Device(d.Name) == nil && !is[d.Name] {
			names = append(names, d.Name)
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
	a := span.Compile(was)
	var left []string
	for range 4 { // what is needed may change with what is written out
		b := span.Compile(o)
		next := *o
		next.Devices = slices.Clone(o.Devices)
		changed := false
		for i, d := range o.Devices {
			k := a.Topo.DeviceIndex(d.Name)
			if k < 0 || d.Unaware() {
				continue
			}
			var y *office.Device
			for q := range d.Ports {
				p := a.Office.Devices[k].Port(d.Ports[q].Name)
				if p < 0 || d.Ports[q].Bundle > 0 || a.Office.Devices[k].Ports[p].Bundle > 0 {
					continue
				}
				have, want := settingOf(b, i, q), settingOf(a, k, p)
				if have.Alike(&want) {
					continue
				}
				if is[d.Name] {
					far := farDevices(b, i, q)
					if have.Untagged == want.Untagged && have.PVID == want.PVID || !slices.ContainsFunc(far, func(name string) bool { return !is[name] }) {
						continue
					}
					left = append(left, fmt.Sprintf("%s %s stays %s: its other end, at %s, is not in this order.", d.Name, d.Ports[q].Name, notation.Shape(want.Shape()), strings.Join(far, " and ")))
				}
				if y == nil {
					y = d.Clone()
				}
				shape := want.Shape()
				y.Ports[q].Shape, changed = &shape, true
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
func farDevices(n *span.Net, dev, port int) (names []string) {
	for _, l := range n.Topo.LinksAt(dev, port) {
		for _, e := range n.Topo.Across(l, dev, port) {
			names = append(names, n.Office.Devices[e.Dev].Name)
		}
	}
	return names
}

// silent is the devices with something to do that nobody reaches as things are, over the
// network, at a port or at a console.
func (p *problem) silent() (names []string, some bool) {
	w := p.start()
	for i, d := range w.o.Devices {
		switch {
		case !w.open(i):
		case p.was.at[i] >= 0 && !w.reaches(i) && !w.console(i) && !w.walkable(i):
			names = append(names, d.Name)
		default:
			some = true
		}
	}
	return names, some
}

// but is the names of all devices of two offices but some.
func but(was, plan *office.Office, names []string) (out []string) {
	for _, o := range []*office.Office{plan, was} {
		for _, d := range o.Devices {
			if !slices.Contains(names, d.Name) && !slices.Contains(out, d.Name) {
				out = append(out, d.Name)
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
		for _, c := range out.Cables {
			if c.A.Device == name || c.B.Device == name {
				texts = append(texts, "-"+notation.Removal(c))
			}
		}
		for _, p := range out.Plugs {
			if p.Port.Device == name {
				texts = append(texts, "-"+notation.Removal(p))
			}
		}
		texts = append(texts, "-device "+name)
		texts = append(texts, deviceLines(to.Device(next))...)
		for _, c := range to.Cables {
			if c.A.Device == next || c.B.Device == next {
				texts = append(texts, notation.Thing(c))
			}
		}
		for _, p := range to.Plugs {
			if p.Port.Device == next {
				texts = append(texts, notation.Thing(p))
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
func everSet(d *office.Device) bool {
	fresh := office.Shape{Untagged: []office.VID{office.DefaultVID}}
	return slices.ContainsFunc(d.Ports, func(p office.Port) bool {
		return p.Shape != nil && !p.Shape.Normal().Equal(fresh.Normal())
	})
}

// oldName is what a device is called that another one takes the place of.
func oldName(name string) string { return name + "-old" }

// deviceLines says a device on the line, statement by statement.
func deviceLines(d *office.Device) []string {
	lines := strings.Split(notation.Thing(d), "\n")
	for k := range lines[1:] {
		lines[k+1] = d.Name + " " + strings.TrimSpace(lines[k+1])
	}
	return lines
}
