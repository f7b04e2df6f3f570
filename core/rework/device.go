package rework

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func doRename(n *span.Net, a *args) (*Result, error) {
	kind := a.next()
	old := a.next()
	name := a.next()
	if !a.done() {
		return nil, nil
	}
	if kind.text != "device" && kind.text != "vlan" && kind.text != "use" && kind.text != "plan" {
		a.wrong(kind.at, kind.text+" has no name to change")
		return nil, nil
	}
	r, err := Rename(n.Office, kind.text, old.text, name.text)
	if err != nil {
		return nil, mistake(1, old.at, err.Error())
	}
	return r, nil
}

// Rename gives a device, a VLAN, a use or a port plan another name, wherever it
// is named. kind is "device", "vlan", "use" or "plan".
func Rename(o *office.Office, kind, old, name string) (*Result, error) {
	d := office.NewDraft(o)
	if old == name {
		return nil, fmt.Errorf("it is named %s already", name)
	}
	if kind != "vlan" && !plain(name) {
		return nil, fmt.Errorf("%q is no name: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	var err error
	switch kind {
	case "vlan":
		v, e := findVLAN(o, old)
		if e != nil {
			return nil, e
		}
		was := o.VLAN(v)
		if was == nil {
			return nil, fmt.Errorf("VLAN %d is not in the register: register it with vlan %d %s", v, v, name)
		}
		w := *was
		w.Name = name
		err = d.PutVLAN(&w)
	case "device":
		if _, err = d.FindDevice(old); err == nil {
			err = renameDevice(d, o, old, name)
		}
	case "use":
		if _, err = d.FindUse(old); err == nil {
			err = renameUse(d, o, old, name)
		}
	case "plan":
		if _, err = d.FindPlan(old); err == nil {
			err = renamePlan(d, o, old, name)
		}
	}
	if err != nil {
		return nil, err
	}
	next, e := d.Done()
	return &Result{Office: next, Edit: e}, nil
}

func plain(s string) bool {
	for i, c := range s {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
		if !letter && (i == 0 || c != '-' && c != '_') {
			return false
		}
	}
	return s != ""
}

func renameDevice(d *office.Draft, o *office.Office, old, name string) error {
	if d.HasDevice(name) {
		return fmt.Errorf("a device is named %s already", name)
	}
	at := slices.IndexFunc(o.Devices, func(x *office.Device) bool { return x.Name == old })
	x := o.Devices[at].Clone()
	x.Name = name
	if err := d.RemoveDevice(old); err != nil {
		return err
	}
	if err := d.Put(office.Change{After: x, At: at}); err != nil {
		return err
	}
	now := func(r office.PortRef) office.PortRef {
		if r.Device == old {
			r.Device = name
		}
		return r
	}
	for i, c := range o.Cables {
		if c.A.Device == old || c.B.Device == old {
			if err := d.Put(office.Change{After: office.Cable{A: now(c.A), B: now(c.B)}, At: i}); err != nil {
				return err
			}
		}
	}
	for i, p := range o.Plugs {
		if p.Port.Device == old {
			p.Port = now(p.Port)
			if err := d.Put(office.Change{After: p, At: i}); err != nil {
				return err
			}
		}
	}
	return nil
}

func renameUse(d *office.Draft, o *office.Office, old, name string) error {
	if o.Use(name) != nil {
		return fmt.Errorf("a use is named %s already", name)
	}
	i := slices.Index(o.Uses, o.Use(old))
	if err := d.Put(office.Change{After: &office.Use{Name: name, Shape: o.Uses[i].Shape}, At: i + 1}); err != nil {
		return err
	}
	// a use is no use of another, so only ports and plans name it
	if err := everyShape(d, func(s office.Shape) office.Shape {
		if s.Use == old {
			s.Use = name
		}
		return s
	}); err != nil {
		return err
	}
	return d.RemoveUse(old)
}

func renamePlan(d *office.Draft, o *office.Office, old, name string) error {
	if o.Plan(name) != nil {
		return fmt.Errorf("a port plan is named %s already", name)
	}
	i := slices.Index(o.Plans, o.Plan(old))
	if err := d.Put(office.Change{After: &office.Plan{Name: name, Lines: o.Plans[i].Lines}, At: i + 1}); err != nil {
		return err
	}
	for _, x := range o.Devices {
		if x.Follows == old {
			y := x.Clone()
			y.Follows = name
			if err := d.PutDevice(y); err != nil {
				return err
			}
		}
	}
	return d.RemovePlan(old)
}

func doCopy(n *span.Net, a *args) (*Result, error) {
	old, name := a.next(), a.next()
	if !a.done() {
		return nil, nil
	}
	r, err := Copy(n.Office, old.text, name.text)
	if err != nil {
		return nil, mistake(1, old.at, err.Error())
	}
	return r, nil
}

// Copy starts a device as another is: its front, bundles, inner ports, shapes,
// wording, limits. Cables, plugs and addresses stay with the first.
func Copy(o *office.Office, old, name string) (*Result, error) {
	d := office.NewDraft(o)
	x, err := d.FindDevice(old)
	if err != nil {
		return nil, err
	}
	if d.HasDevice(name) {
		return nil, fmt.Errorf("a device is named %s already", name)
	}
	if !plain(name) {
		return nil, fmt.Errorf("%q is no name of a device: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	y := x.Clone()
	y.Name, y.Addresses = name, nil
	if x.Manage != nil {
		y.Manage = &office.Manage{VID: x.Manage.VID}
	}
	at := slices.Index(o.Devices, x) + 1
	if err := d.Put(office.Change{After: y, At: at}); err != nil {
		return nil, err
	}
	next, e := d.Done()
	r := &Result{Office: next, Edit: e}
	if len(x.Addresses) > 0 || x.Manage != nil && x.Manage.Addr.IsValid() {
		r.Notes = append(r.Notes, "addresses stay with "+old)
	}
	return r, nil
}

func doPlan(n *span.Net, a *args) (*Result, error) {
	name, from := a.next(), a.next()
	if !a.done() {
		return nil, nil
	}
	r, err := PlanFrom(n, name.text, from.text)
	if err != nil {
		return nil, mistake(1, from.at, err.Error())
	}
	return r, nil
}

// PlanFrom makes a port plan of what a device's front is set to; the device
// follows it from then on. Ports that nothing is set on are left out; a port
// that alone ends the front with a shape of its own becomes "last", so that the
// plan serves fronts of other lengths.
func PlanFrom(n *span.Net, name, device string) (*Result, error) {
	o := n.Office
	d := office.NewDraft(o)
	x, err := d.FindDevice(device)
	if err != nil {
		return nil, err
	}
	if o.Plan(name) != nil {
		return nil, fmt.Errorf("a port plan is named %s already: follow %s %s lets the device follow it", name, device, name)
	}
	if !plain(name) {
		return nil, fmt.Errorf("%q is no name of a plan: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	front := x.Front()
	shapes := make([]*office.Shape, front)
	for p := range front {
		l := x.Logical(p)
		if s, src := o.Written(x, l); src != office.FromNothing {
			shapes[p] = s
		}
	}
	plan := &office.Plan{Name: name}
	for p := range front {
		s := shapes[p]
		if s == nil {
			continue
		}
		place := office.PlanRange{From: p + 1, To: p + 1}
		last := p == front-1
		i := slices.IndexFunc(plan.Lines, func(l office.PlanLine) bool { return l.Shape.Equal(*s) })
		if i < 0 {
			if last && front > 1 {
				place = office.PlanRange{}
			}
			plan.Lines = append(plan.Lines, office.PlanLine{Ports: []office.PlanRange{place}, Shape: *s})
			continue
		}
		ranges := &plan.Lines[i].Ports
		if r := &(*ranges)[len(*ranges)-1]; r.To == p {
			r.To = p + 1
		} else {
			*ranges = append(*ranges, place)
		}
	}
	if len(plan.Lines) == 0 {
		return nil, fmt.Errorf("nothing is set on the front of %s: there is nothing to make a plan of", device)
	}
	if err := d.PutPlan(plan); err != nil {
		return nil, err
	}
	if err := follow(d, device, name); err != nil {
		return nil, err
	}
	next, e := d.Done()
	return &Result{Office: next, Edit: e}, nil
}

func doFollow(n *span.Net, a *args) (*Result, error) {
	dev, plan := a.next(), a.next()
	if !a.done() {
		return nil, nil
	}
	return Follow(n.Office, dev.text, plan.text)
}

// Follow lets a device follow a port plan and give up what is set on the ports
// that the plan covers. Exceptions that say their reason stay.
func Follow(o *office.Office, device, plan string) (*Result, error) {
	d := office.NewDraft(o)
	if _, err := d.FindDevice(device); err != nil {
		return nil, err
	}
	if _, err := d.FindPlan(plan); err != nil {
		return nil, err
	}
	if err := follow(d, device, plan); err != nil {
		return nil, err
	}
	next, e := d.Done()
	r := &Result{Office: next, Edit: e}
	x := next.Device(device)
	var kept []int
	for i := range x.Ports {
		if x.Ports[i].Shape != nil && x.Ports[i].Because != "" {
			if _, ok := next.Planned(x, i); ok {
				kept = append(kept, i)
			}
		}
	}
	if len(kept) > 0 {
		r.Notes = append(r.Notes, fmt.Sprintf("stays an exception, as it says why: %s", notation.Ports(x, kept)))
	}
	return r, nil
}

func follow(d *office.Draft, device, plan string) error {
	x, err := d.FindDevice(device)
	if err != nil {
		return err
	}
	y := x.Clone()
	y.Follows = plan
	y.Seal() // which ports are in bundles counts
	for i := range y.Ports {
		if y.Ports[i].Shape == nil || y.Ports[i].Because != "" || y.Ports[i].Kind == office.Inner {
			continue
		}
		if _, ok := d.Office().Planned(y, i); ok {
			y.Ports[i].Shape = nil
		}
	}
	return d.PutDevice(y)
}
