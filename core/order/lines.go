package order

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// writer writes the lines of an order: it keeps the office as the lines have left
// it, and says whatever is needed for it to be as the devices are.
type writer struct {
	problem *problem
	office  *office.Office
	net     *span.Net
	plan    *office.Office
}

// writer makes what writes a place of the order as lines of notation. Lines are said on top of the
// office as it was before the order's opening (a device replaced by another of the same name is
// renamed there first, see [replaced]); without one that is where the order starts.
func (p *problem) writer() *writer {
	net := p.was.from
	if p.opening != nil {
		net = span.Compile(p.original)
	}
	return &writer{problem: p, office: net.Office, net: net, plan: p.plan.from.Office}
}

// say takes a line; it is one that the notation reads, or the order is wrong.
func (w *writer) say(lines *[]string, text string) error {
	o, _, err := notation.Line(w.office, text)
	if err != nil {
		return fmt.Errorf("the order says %q, which cannot be: %w", text, err)
	}
	w.office = o
	*lines = append(*lines, text)
	return nil
}

// sayAll says several statements, up to the first that the office would not take.
func (w *writer) sayAll(lines *[]string, texts []string) error {
	for _, text := range texts {
		if err := w.say(lines, text); err != nil {
			return err
		}
	}
	return nil
}

// open is what the plan says of the register and of devices beside what they are
// set to: it comes before the first step.
func (w *writer) open(lines *[]string) error {
	if err := w.sayAll(lines, w.problem.opening); err != nil {
		return err
	}
	if w.plan.Title != w.office.Title {
		if err := w.say(lines, notation.Thing(office.Title(w.plan.Title))); err != nil {
			return err
		}
	}
	var texts []string
	have := map[string]bool{}
	for _, thing := range named(w.office) {
		have[notation.Thing(thing)] = true
	}
	for _, thing := range named(w.plan) {
		if text := notation.Thing(thing); !have[text] {
			texts = append(texts, text)
		}
	}
	for _, device := range w.plan.Devices {
		was := w.office.Device(device.Name)
		if was == nil {
			continue
		}
		texts = append(texts, notation.PaperLines(was, device)...)
	}
	return w.sayAll(lines, texts)
}

// named is what an office has a name for beside its devices, each after what it may
// name.
func named(o *office.Office) (out []office.Thing) {
	for _, vlan := range o.VLANs {
		out = append(out, vlan)
	}
	for _, x := range o.Services {
		out = append(out, x)
	}
	for _, use := range o.Uses {
		out = append(out, use)
	}
	for _, plan := range o.Plans {
		out = append(out, plan)
	}
	return out
}

// close is what is left when all is done: how the plan says what ports are set to,
// and what the register has no more.
func (w *writer) close(lines *[]string) error {
	for _, device := range w.plan.Devices {
		if err := w.like(lines, device, true); err != nil {
			return err
		}
	}
	var texts []string
	for _, plug := range w.office.Plugs {
		for _, one := range w.plan.Plugs {
			if plug.Port == one.Port && plug.Name == one.Name && plug != one && !one.Operator {
				texts = append(texts, notation.Thing(one))
			}
		}
	}
	for _, wish := range w.office.Wishes {
		if !slices.ContainsFunc(w.plan.Wishes, func(one *office.Wish) bool { return wish.Key() == one.Key() }) {
			texts = append(texts, "-"+notation.Removal(wish))
		}
	}
	for _, wish := range w.plan.Wishes {
		if !slices.ContainsFunc(w.office.Wishes, func(one *office.Wish) bool { return notation.Thing(wish) == notation.Thing(one) }) {
			texts = append(texts, notation.Thing(wish))
		}
	}
	stays := map[office.Key]bool{}
	for _, thing := range named(w.plan) {
		stays[thing.Key()] = true
	}
	gone := named(w.office)
	slices.Reverse(gone) // what names others before those
	for _, thing := range gone {
		if !stays[thing.Key()] {
			texts = append(texts, "-"+notation.Removal(thing))
		}
	}
	for _, device := range w.plan.Devices {
		texts = append(texts, w.readdressed(device)...)
	}
	for _, vlan := range w.problem.final.VLANs { // which have their own names again
		if one := w.plan.VLAN(vlan.VID); one.Name != vlan.Name {
			texts = append(texts, notation.Thing(vlan))
		}
	}
	return w.sayAll(lines, texts)
}

// readdressed says a device's addresses again in the order of the plan, where only that
// differs, from the first on that stands elsewhere. It changes nothing on the device; where
// an address cannot be left out for a moment, as something names its zone, they stay as they
// stand.
func (w *writer) readdressed(device *office.Device) (texts []string) {
	was := w.office.Device(device.Name)
	if was == nil || len(was.Addresses) != len(device.Addresses) {
		return nil
	}
	for i, address := range device.Addresses {
		if len(texts) == 0 && address.Equal(&was.Addresses[i]) {
			continue
		}
		if !slices.ContainsFunc(was.Addresses, func(one office.Address) bool { return one.Equal(&address) }) {
			return nil
		}
		texts = append(texts, fmt.Sprintf("-%s address %d %s", device.Name, address.VID, address.Prefix), device.Name+" "+notation.AddressText(address))
	}
	if _, _, err := notation.Line(w.office, strings.Join(texts, "\n")); len(texts) > 0 && err != nil {
		return nil
	}
	return texts
}

// like writes a device's ports as the plan does, where they are set so already;
// those whose meaning hangs on other devices only where all is done.
func (w *writer) like(lines *[]string, device *office.Device, all bool) error {
	was := w.office.Device(device.Name)
	if was == nil {
		return nil
	}
	if was.Follows != device.Follows && all {
		text := device.Name + " follows " + device.Follows
		if device.Follows == "" {
			text = "-" + device.Name + " follows"
		}
		if err := w.say(lines, text); err != nil {
			return err
		}
		was = w.office.Device(device.Name)
	}
	if was.Follows != device.Follows {
		return nil
	}
	set := map[int]string{}
	for port := range device.Ports {
		at := was.Port(device.Ports[port].Name)
		if at < 0 || was.Ports[at].Bundle > 0 || device.Ports[port].Bundle > 0 {
			continue
		}
		one, b := was.Ports[at], device.Ports[port]
		if one.Because == b.Because && (one.Shape == nil) == (b.Shape == nil) && (one.Shape == nil || one.Shape.Equal(*b.Shape)) {
			continue
		}
		if shape, _ := w.plan.Effective(device, port); !all && shape.Rest != office.RestNone {
			continue
		}
		set[at] = planText(&b)
	}
	return w.sayPorts(lines, was, set)
}

// planText is what follows the ports in a statement that sets them; "" takes away
// what is set.
func planText(port *office.Port) string {
	if port.Shape == nil {
		return ""
	}
	text := notation.Shape(*port.Shape)
	if port.Because != "" {
		text += " because " + office.Quote(port.Because)
	}
	return text
}

// sayPorts sets ports, those with the same text in one line.
func (w *writer) sayPorts(lines *[]string, device *office.Device, set map[int]string) error {
	var texts []string
	by := map[string][]int{}
	for port := range device.Ports {
		text, ok := set[port]
		if !ok {
			continue
		}
		if by[text] == nil {
			texts = append(texts, text)
		}
		by[text] = append(by[text], port)
	}
	for _, text := range texts {
		line := device.Name + " " + notation.Ports(device, by[text]) + ": " + text
		if text == "" {
			line = "-" + device.Name + " " + notation.Ports(device, by[text])
		}
		if err := w.say(lines, line); err != nil {
			return err
		}
	}
	return nil
}

// be writes what is needed for the office to be as a point of the way has it: the
// laptop's place and every port's setting. What would drift by itself ([needed],
// a use) is said in full.
func (w *writer) be(lines *[]string, at *world) error {
	if err := w.plug(lines, at); err != nil {
		return err
	}
	for strict := range 2 {
		w.net = w.net.Update(w.office)
		agree := true
		for i, device := range at.office.Devices {
			dev := w.net.Topo.DeviceIndex(device.Name)
			if at.problem.words[i] == nil || dev < 0 {
				continue
			}
			have := w.office.Devices[dev]
			goal := w.plan.Device(device.Name)
			set := map[int]string{}
			for port := range device.Ports {
				if device.Ports[port].Bundle > 0 {
					continue
				}
				k2 := have.Port(device.Ports[port].Name)
				if k2 < 0 || wording.Compiled(w.net.Tables[dev].Ports[k2]).Equal(at.states[i].Ports[port]) {
					continue
				}
				agree = false
				if strict > 0 { // what the plan writes did not mean the same
					goal = nil
				}
				set[k2] = w.textFor(at, i, port, have, goal)
			}
			if err := w.sayPorts(lines, have, set); err != nil {
				return err
			}
		}
		if agree {
			return nil
		}
	}
	w.net = w.net.Update(w.office)
	return nil
}

// textFor is how a port's setting is written: as the plan does, where its device, nil where
// that is not asked, has it so and it means the same by itself.
func (w *writer) textFor(at *world, i, port int, have, goal *office.Device) string {
	setting := at.states[i].Ports[port]
	if goal != nil && have.Follows == goal.Follows {
		if one := goal.Port(at.office.Devices[i].Ports[port].Name); one >= 0 {
			if shape, _ := w.plan.Effective(goal, one); shape.Rest == office.RestNone && wording.Of(shape).Equal(setting) {
				return planText(&goal.Ports[one])
			}
		}
	}
	return notation.Shape(setting.Shape())
}

// plug writes where the laptop is.
func (w *writer) plug(lines *[]string, at *world) error {
	var was, is *office.Plug
	for k := range w.office.Plugs {
		if w.office.Plugs[k].Operator {
			was = &w.office.Plugs[k]
		}
	}
	if plug, ok := at.plug(); ok {
		is = &plug
	}
	if was != nil && is != nil && *was == *is {
		return nil
	}
	if was != nil {
		if err := w.say(lines, "-plug "+notation.Ref(was.Port)+" "+office.Quote(was.Name)); err != nil {
			return err
		}
	}
	if is != nil {
		return w.say(lines, notation.Thing(*is))
	}
	return nil
}

// step writes the lines of an act.
func (w *writer) step(lines *[]string, node *node) error {
	if task := node.act.task; task != nil {
		if d := w.office.Devices; task.joins != nil {
			device := d[w.indexOf(node.world.office.Devices[task.dev].Name)]
			var set []string
			for _, m := range task.joins {
				if port := device.Port(m); port >= 0 && device.Ports[port].Shape != nil {
					set = append(set, m)
				}
			}
			if len(set) > 0 {
				if err := w.say(lines, "-"+device.Name+" "+strings.Join(set, ",")); err != nil {
					return err
				}
			}
		}
		if err := w.sayAll(lines, task.lines); err != nil {
			return err
		}
	}
	return w.be(lines, node.world)
}

func (w *writer) indexOf(name string) int {
	return slices.IndexFunc(w.office.Devices, func(device *office.Device) bool { return device.Name == name })
}
