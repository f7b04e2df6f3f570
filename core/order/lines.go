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
	p    *problem
	o    *office.Office
	n    *span.Net
	plan *office.Office
}

func (p *problem) writer() *writer {
	n := p.was.from
	if p.opening != nil {
		n = span.Compile(p.original)
	}
	return &writer{p: p, o: n.Office, n: n, plan: p.plan.from.Office}
}

// say takes a line; it is one that the notation reads, or the order is wrong.
func (w *writer) say(lines *[]string, text string) error {
	o, _, err := notation.Line(w.o, text)
	if err != nil {
		return fmt.Errorf("the order says %q, which cannot be: %w", text, err)
	}
	w.o = o
	*lines = append(*lines, text)
	return nil
}

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
	if err := w.sayAll(lines, w.p.opening); err != nil {
		return err
	}
	if w.plan.Title != w.o.Title {
		if err := w.say(lines, notation.Thing(office.Title(w.plan.Title))); err != nil {
			return err
		}
	}
	var texts []string
	have := map[string]bool{}
	for _, x := range named(w.o) {
		have[notation.Thing(x)] = true
	}
	for _, x := range named(w.plan) {
		if text := notation.Thing(x); !have[text] {
			texts = append(texts, text)
		}
	}
	for _, d := range w.plan.Devices {
		was := w.o.Device(d.Name)
		if was == nil {
			continue
		}
		texts = append(texts, paperLines(was, d)...)
	}
	return w.sayAll(lines, texts)
}

// named is what an office has a name for beside its devices, each after what it may
// name.
func named(o *office.Office) (out []office.Thing) {
	for _, x := range o.VLANs {
		out = append(out, x)
	}
	for _, x := range o.Services {
		out = append(out, x)
	}
	for _, x := range o.Uses {
		out = append(out, x)
	}
	for _, x := range o.Plans {
		out = append(out, x)
	}
	return out
}

// paperLines is what is said about a device and not set on it.
func paperLines(was, d *office.Device) (out []string) {
	say := func(differs, have bool, plus, minus string) {
		switch {
		case !differs:
		case have:
			out = append(out, d.Name+" "+plus)
		default:
			out = append(out, "-"+d.Name+" "+minus)
		}
	}
	say(was.Wording.String() != d.Wording.String(), d.Wording.Name != "", "wording "+d.Wording.String(), "wording")
	for _, l := range office.LimitNames {
		a, b := *was.Limits.Of(l), *d.Limits.Of(l)
		say(a != b, b > 0, fmt.Sprintf("limit %s %d", l, b), "limit "+string(l))
	}
	say(was.Adjacent != d.Adjacent, d.Adjacent, "bundles adjacent", "bundles adjacent")
	say(was.Console != d.Console, d.Console, "console", "console")
	if f := d.Factory; f == nil {
		say(was.Factory != nil, false, "", "factory")
	} else {
		say(was.Factory == nil || *was.Factory != *f, true, "factory "+notation.FactoryText(f), "")
	}
	for _, s := range d.Speaks {
		say(!slices.Contains(was.Speaks, s), true, "speaks "+s.String(), "")
	}
	for _, s := range was.Speaks {
		gone := !slices.ContainsFunc(d.Speaks, func(x office.Speaks) bool { return x.Protocol == s.Protocol })
		say(gone, false, "", "speaks "+string(s.Protocol))
	}
	out = append(out, notation.FactLines(was, d)...)
	return out
}

// close is what is left when all is done: how the plan says what ports are set to,
// and what the register has no more.
func (w *writer) close(lines *[]string) error {
	for _, d := range w.plan.Devices {
		if err := w.like(lines, d, true); err != nil {
			return err
		}
	}
	var texts []string
	for _, x := range w.o.Plugs {
		for _, y := range w.plan.Plugs {
			if x.Port == y.Port && x.Name == y.Name && x != y && !y.Operator {
				texts = append(texts, notation.Thing(y))
			}
		}
	}
	for _, x := range w.o.Wishes {
		if !slices.ContainsFunc(w.plan.Wishes, func(y *office.Wish) bool { return x.Key() == y.Key() }) {
			texts = append(texts, "-"+notation.Removal(x))
		}
	}
	for _, x := range w.plan.Wishes {
		if !slices.ContainsFunc(w.o.Wishes, func(y *office.Wish) bool { return notation.Thing(x) == notation.Thing(y) }) {
			texts = append(texts, notation.Thing(x))
		}
	}
	stays := map[office.Key]bool{}
	for _, x := range named(w.plan) {
		stays[x.Key()] = true
	}
	gone := named(w.o)
	slices.Reverse(gone) // what names others before those
	for _, x := range gone {
		if !stays[x.Key()] {
			texts = append(texts, "-"+notation.Removal(x))
		}
	}
	for _, d := range w.plan.Devices {
		texts = append(texts, w.readdressed(d)...)
	}
	for _, v := range w.p.final.VLANs { // which have their own names again
		if x := w.plan.VLAN(v.VID); x.Name != v.Name {
			texts = append(texts, notation.Thing(v))
		}
	}
	return w.sayAll(lines, texts)
}

// readdressed says a device's addresses again in the order of the plan, where only that
// differs, from the first on that stands elsewhere. It changes nothing on the device; where
// an address cannot be left out for a moment, as something names its zone, they stay as they
// stand.
func (w *writer) readdressed(d *office.Device) (texts []string) {
	was := w.o.Device(d.Name)
	if was == nil || len(was.Addresses) != len(d.Addresses) {
		return nil
	}
	for i, a := range d.Addresses {
		if len(texts) == 0 && a.Equal(&was.Addresses[i]) {
			continue
		}
		if !slices.ContainsFunc(was.Addresses, func(b office.Address) bool { return b.Equal(&a) }) {
			return nil
		}
		texts = append(texts, fmt.Sprintf("-%s address %d %s", d.Name, a.VID, a.Prefix), d.Name+" "+notation.AddressText(a))
	}
	if _, _, err := notation.Line(w.o, strings.Join(texts, "\n")); len(texts) > 0 && err != nil {
		return nil
	}
	return texts
}

// like writes a device's ports as the plan does, where they are set so already;
// those whose meaning hangs on other devices only where all is done.
func (w *writer) like(lines *[]string, d *office.Device, all bool) error {
	was := w.o.Device(d.Name)
	if was == nil {
		return nil
	}
	if was.Follows != d.Follows && all {
		text := d.Name + " follows " + d.Follows
		if d.Follows == "" {
			text = "-" + d.Name + " follows"
		}
		if err := w.say(lines, text); err != nil {
			return err
		}
		was = w.o.Device(d.Name)
	}
	if was.Follows != d.Follows {
		return nil
	}
	set := map[int]string{}
	for q := range d.Ports {
		k := was.Port(d.Ports[q].Name)
		if k < 0 || was.Ports[k].Bundle > 0 || d.Ports[q].Bundle > 0 {
			continue
		}
		a, b := was.Ports[k], d.Ports[q]
		if a.Because == b.Because && (a.Shape == nil) == (b.Shape == nil) && (a.Shape == nil || a.Shape.Equal(*b.Shape)) {
			continue
		}
		if s, _ := w.plan.Effective(d, q); !all && s.Rest != office.RestNone {
			continue
		}
		set[k] = planText(&b)
	}
	return w.sayPorts(lines, was, set)
}

// planText is what follows the ports in a statement that sets them; "" takes away
// what is set.
func planText(p *office.Port) string {
	if p.Shape == nil {
		return ""
	}
	text := notation.Shape(*p.Shape)
	if p.Because != "" {
		text += " because " + office.Quote(p.Because)
	}
	return text
}

// sayPorts sets ports, those with the same text in one line.
func (w *writer) sayPorts(lines *[]string, d *office.Device, set map[int]string) error {
	var texts []string
	by := map[string][]int{}
	for q := range d.Ports {
		text, ok := set[q]
		if !ok {
			continue
		}
		if by[text] == nil {
			texts = append(texts, text)
		}
		by[text] = append(by[text], q)
	}
	for _, text := range texts {
		line := d.Name + " " + notation.Ports(d, by[text]) + ": " + text
		if text == "" {
			line = "-" + d.Name + " " + notation.Ports(d, by[text])
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
		w.n = w.n.Update(w.o)
		agree := true
		for i, d := range at.o.Devices {
			k := w.n.Topo.DeviceIndex(d.Name)
			if at.p.words[i] == nil || k < 0 {
				continue
			}
			have := w.o.Devices[k]
			goal := w.plan.Device(d.Name)
			set := map[int]string{}
			for q := range d.Ports {
				if d.Ports[q].Bundle > 0 {
					continue
				}
				k2 := have.Port(d.Ports[q].Name)
				if k2 < 0 || wording.Compiled(w.n.Tables[k].Ports[k2]).Equal(at.states[i].Ports[q]) {
					continue
				}
				agree = false
				set[k2] = w.textFor(at, i, q, have, goal, strict == 0)
			}
			if err := w.sayPorts(lines, have, set); err != nil {
				return err
			}
		}
		if agree {
			return nil
		}
	}
	w.n = w.n.Update(w.o)
	return nil
}

// textFor is how a port's setting is written: as the plan does, where it is as
// planned and means the same by itself.
func (w *writer) textFor(at *world, i, q int, have, goal *office.Device, asPlanned bool) string {
	x := at.states[i].Ports[q]
	if asPlanned && goal != nil && have.Follows == goal.Follows {
		if g := goal.Port(at.o.Devices[i].Ports[q].Name); g >= 0 {
			if s, _ := w.plan.Effective(goal, g); s.Rest == office.RestNone && wording.Of(s).Equal(x) {
				return planText(&goal.Ports[g])
			}
		}
	}
	return notation.Shape(x.Shape())
}

// plug writes where the laptop is.
func (w *writer) plug(lines *[]string, at *world) error {
	var was, is *office.Plug
	for k := range w.o.Plugs {
		if w.o.Plugs[k].Operator {
			was = &w.o.Plugs[k]
		}
	}
	if x, ok := at.plug(); ok {
		is = &x
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
func (w *writer) step(lines *[]string, n *node) error {
	if t := n.act.task; t != nil {
		if d := w.o.Devices; t.joins != nil {
			x := d[w.indexOf(n.w.o.Devices[t.dev].Name)]
			var set []string
			for _, m := range t.joins {
				if q := x.Port(m); q >= 0 && x.Ports[q].Shape != nil {
					set = append(set, m)
				}
			}
			if len(set) > 0 {
				if err := w.say(lines, "-"+x.Name+" "+strings.Join(set, ",")); err != nil {
					return err
				}
			}
		}
		if err := w.sayAll(lines, t.lines); err != nil {
			return err
		}
	}
	return w.be(lines, n.w)
}

func (w *writer) indexOf(name string) int {
	return slices.IndexFunc(w.o.Devices, func(d *office.Device) bool { return d.Name == name })
}
