package office

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Draft is an office being changed. Each method checks that the result means
// something, changes nothing where it does not, and notes the change, so that
// [Draft.Done] gives the new office together with the edit that leads to it.
// The office that the draft was made from stays as it is.
type Draft struct {
	o    Office
	edit Edit
	ix   draftIndex
	own  bool // the slices and maps above are the draft's own
	// mine is the devices that Set cloned: nobody else has them yet, so that
	// setting a thousand ports clones a device once.
	mine  map[*Device]bool
	quiet bool // errors name no nearest name
}

type draftIndex struct {
	devices map[string]int
	cabled  map[PortRef]int
	names   map[string]VID
	plugs   map[plugID]int
	at      int // 1 + the operator's plug; 0 where there is none
}

// plugID tells plugs apart: two of one name are in two ports.
type plugID struct {
	port PortRef
	name string
}

// Quiet keeps the nearest names out of errors: they cost time, and after many
// mistakes nobody reads them.
func (d *Draft) Quiet() { d.quiet = true }

func (d *Draft) hint(s string, names func() []string, otherwise string) string {
	if d.quiet {
		return ": " + otherwise
	}
	return hint(s, names(), otherwise)
}

// NewDraft starts from o.
func NewDraft(o *Office) *Draft { return &Draft{o: *o} }

// Office is the office as drafted so far. It is good until the next change.
func (d *Draft) Office() *Office { return &d.o }

// Done gives the new office and the edit that leads to it.
func (d *Draft) Done() (*Office, Edit) {
	o := d.o
	d.own, d.mine = false, nil
	return &o, d.edit
}

// take makes the lists the draft's own before the first change.
func (d *Draft) take() {
	if d.own {
		return
	}
	d.own = true
	o := &d.o
	o.VLANs, o.Uses, o.Plans = slices.Clone(o.VLANs), slices.Clone(o.Uses), slices.Clone(o.Plans)
	o.Devices, o.Cables, o.Plugs = slices.Clone(o.Devices), slices.Clone(o.Cables), slices.Clone(o.Plugs)
}

// index is made at the first need: an edit of a port or two never needs it.
func (d *Draft) index() *draftIndex {
	if d.ix.devices == nil {
		d.ix = draftIndex{map[string]int{}, map[PortRef]int{}, map[string]VID{}, map[plugID]int{}, 0}
		for i, x := range d.o.Devices {
			d.ix.devices[x.Name] = i
		}
		for i, c := range d.o.Cables {
			d.ix.cabled[c.A], d.ix.cabled[c.B] = i, i
		}
		for _, v := range d.o.VLANs {
			d.ix.names[v.Name] = v.VID
		}
		for i, p := range d.o.Plugs {
			d.ix.plugs[plugID{p.Port, p.Name}] = i
			if p.Operator {
				d.ix.at = i + 1
			}
		}
	}
	return &d.ix
}

func (d *Draft) note(before, after Thing, at int) {
	d.edit = append(d.edit, Change{before, after, at})
}

// FindDevice finds a device, with the nearest name in the error.
func (d *Draft) FindDevice(name string) (*Device, error) {
	i, err := d.findDevice(name)
	if err != nil {
		return nil, err
	}
	return d.o.Devices[i], nil
}

// HasDevice says whether a device of that name is there.
func (d *Draft) HasDevice(name string) bool {
	_, ok := d.index().devices[name]
	return ok
}

func (d *Draft) findDevice(name string) (int, error) {
	if d.ix.devices != nil {
		if i, ok := d.ix.devices[name]; ok {
			return i, nil
		}
	} else {
		for i, x := range d.o.Devices {
			if x.Name == name {
				return i, nil
			}
		}
	}
	names := func() (names []string) {
		for _, x := range d.o.Devices {
			names = append(names, x.Name)
		}
		return names
	}
	return 0, fmt.Errorf("no device is named %s%s", name, d.hint(name, names, "declare it with device "+name+" switch"))
}

// FindVLAN is the VID of a registered VLAN's name.
func (d *Draft) FindVLAN(name string) (VID, error) {
	if v, ok := d.index().names[name]; ok {
		return v, nil
	}
	return 0, fmt.Errorf("no VLAN is named %s%s", name,
		d.hint(name, func() []string { return slices.Sorted(maps.Keys(d.ix.names)) }, "register it with vlan NUMBER "+name))
}

// FindUse and FindPlan give the nearest name in the error.
func (d *Draft) FindUse(name string) (*Use, error) {
	if u := d.o.Use(name); u != nil {
		return u, nil
	}
	names := func() (names []string) {
		for _, u := range d.o.Uses {
			names = append(names, u.Name)
		}
		return names
	}
	return nil, fmt.Errorf("no use is named %s%s", name, d.hint(name, names, "define it with use "+name+" SHAPE"))
}

func (d *Draft) FindPlan(name string) (*Plan, error) {
	if p := d.o.Plan(name); p != nil {
		return p, nil
	}
	names := func() (names []string) {
		for _, p := range d.o.Plans {
			names = append(names, p.Name)
		}
		return names
	}
	return nil, fmt.Errorf("no port plan is named %s%s", name, d.hint(name, names, "define it with plan "+name))
}

// SetTitle names the office.
func (d *Draft) SetTitle(t string) {
	if t != d.o.Title {
		d.note(Title(d.o.Title), Title(t), 0)
		d.o.Title = t
	}
}

// PutVLAN registers a VLAN, or replaces what the register says of its VID.
func (d *Draft) PutVLAN(vlan *VLAN) error {
	if _, err := VIDOf(int(vlan.VID)); err != nil {
		return err
	}
	if err := CheckVLANName(vlan.Name); err != nil {
		return err
	}
	if w, ok := d.index().names[vlan.Name]; ok && w != vlan.VID {
		return fmt.Errorf("VLAN %d is named %s already: names are unique", w, vlan.Name)
	}
	d.take()
	i, have := slices.BinarySearchFunc(d.o.VLANs, vlan.VID, func(a *VLAN, v VID) int { return int(a.VID) - int(v) })
	if have {
		old := d.o.VLANs[i]
		delete(d.ix.names, old.Name)
		d.note(old, vlan, i)
		d.o.VLANs[i] = vlan
	} else {
		d.note(nil, vlan, i)
		d.o.VLANs = slices.Insert(d.o.VLANs, i, vlan)
	}
	d.ix.names[vlan.Name] = vlan.VID
	return nil
}

// RemoveVLAN takes a VLAN out of the register. Ports keep it: a finding says so.
func (d *Draft) RemoveVLAN(v VID) error {
	i := slices.IndexFunc(d.o.VLANs, func(x *VLAN) bool { return x.VID == v })
	if i < 0 {
		return fmt.Errorf("VLAN %d is not in the register", v)
	}
	d.take()
	d.note(d.o.VLANs[i], nil, i)
	delete(d.index().names, d.o.VLANs[i].Name)
	d.o.VLANs = slices.Delete(d.o.VLANs, i, i+1)
	return nil
}

// putNamed adds x to xs or replaces the one of its name; at -1 is the end.
func putNamed[T any](xs []*T, x *T, at int, same func(a, b *T) bool) (out []*T, old *T, place int) {
	if i := slices.IndexFunc(xs, func(a *T) bool { return same(a, x) }); i >= 0 {
		old, xs[i] = xs[i], x
		return xs, old, i
	}
	if at < 0 || at > len(xs) {
		at = len(xs)
	}
	return slices.Insert(xs, at, x), nil, at
}

// PutUse defines a use, or changes it for every port that has it.
func (d *Draft) PutUse(u *Use) error { return d.putUse(u, -1) }

func (d *Draft) putUse(use *Use, at int) error {
	if use.Shape.Use != "" {
		return fmt.Errorf("use %s names another use: a use says a shape", use.Name)
	}
	if err := use.Shape.Clash(); err != nil {
		return err
	}
	d.take()
	uses, old, i := putNamed(d.o.Uses, use, at, func(a, b *Use) bool { return a.Name == b.Name })
	d.o.Uses = uses
	d.note(orNil(old), use, i)
	return nil
}

// RemoveUse removes a use that no port and no plan has.
func (d *Draft) RemoveUse(name string) error {
	if _, err := d.FindUse(name); err != nil {
		return err
	}
	for _, p := range d.o.Plans {
		for _, l := range p.Lines {
			if l.Shape.Use == name {
				return fmt.Errorf("plan %s has the use %s: change the plan first", p.Name, name)
			}
		}
	}
	for _, x := range d.o.Devices {
		for _, p := range x.Ports {
			if p.Shape != nil && p.Shape.Use == name {
				return fmt.Errorf("%s.%s has the use %s: set that port first", x.Name, p.Name, name)
			}
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Uses, func(u *Use) bool { return u.Name == name })
	d.note(d.o.Uses[i], nil, i)
	d.o.Uses = slices.Delete(d.o.Uses, i, i+1)
	return nil
}

// PutPlan defines a port plan, or changes it for every device that follows it.
func (d *Draft) PutPlan(p *Plan) error { return d.putPlan(p, -1) }

func (d *Draft) putPlan(plan *Plan, at int) error {
	for i := range plan.Lines {
		if err := d.checkShape(&plan.Lines[i].Shape); err != nil {
			return err
		}
	}
	d.take()
	plans, old, i := putNamed(d.o.Plans, plan, at, func(a, b *Plan) bool { return a.Name == b.Name })
	d.o.Plans = plans
	d.note(orNil(old), plan, i)
	return nil
}

// RemovePlan removes a plan that no device follows.
func (d *Draft) RemovePlan(name string) error {
	if _, err := d.FindPlan(name); err != nil {
		return err
	}
	for _, x := range d.o.Devices {
		if x.Follows == name {
			return fmt.Errorf("%s follows %s: let it follow another or none first", x.Name, name)
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Plans, func(p *Plan) bool { return p.Name == name })
	d.note(d.o.Plans[i], nil, i)
	d.o.Plans = slices.Delete(d.o.Plans, i, i+1)
	return nil
}

// checkShape says whether a shape means something in this office.
func (d *Draft) checkShape(shape *Shape) error {
	if shape.Use != "" {
		_, err := d.FindUse(shape.Use)
		return err
	}
	if len(shape.Rides) > 0 {
		return shape.Clash()
	}
	return nil
}

// PutDevice adds a device, or replaces the one of its name, whose cables and
// plugs must still find their ports. The device is sealed and not to be
// changed afterwards.
func (d *Draft) PutDevice(x *Device) error { return d.putDevice(x, -1) }

func (d *Draft) putDevice(device *Device, at int) error {
	if device.Follows != "" {
		if _, err := d.FindPlan(device.Follows); err != nil {
			return err
		}
	}
	for _, p := range device.Ports {
		if p.Shape != nil {
			if err := d.checkShape(p.Shape); err != nil {
				return err
			}
		}
	}
	device.Seal()
	ix := d.index()
	i, have := ix.devices[device.Name]
	if have {
		for r := range ix.cabled {
			if r.Device == device.Name {
				if _, err := device.FrontPort(r.Port); err != nil {
					return fmt.Errorf("a cable is in %s, which would go: remove the cable first", r)
				}
			}
		}
		for _, p := range d.o.Plugs {
			if p.Port.Device == device.Name && device.Port(p.Port.Port) < 0 {
				return fmt.Errorf("%q is plugged into %s, which would go: remove the plug first", p.Name, p.Port)
			}
		}
	}
	d.take()
	if have {
		delete(d.mine, d.o.Devices[i])
		d.note(d.o.Devices[i], device, i)
		d.o.Devices[i] = device
		return nil
	}
	if at < 0 || at >= len(d.o.Devices) {
		at = len(d.o.Devices)
		ix.devices[device.Name] = at
	} else {
		d.ix = draftIndex{} // places move
	}
	d.note(nil, device, at)
	d.o.Devices = slices.Insert(d.o.Devices, at, device)
	return nil
}

// PutAll puts all that another office has into this one, but for its title, in
// the order in which each thing finds what it names.
func (d *Draft) PutAll(o *Office) error {
	for _, v := range o.VLANs {
		if err := d.PutVLAN(v); err != nil {
			return err
		}
	}
	for _, x := range o.Uses {
		if err := d.PutUse(x); err != nil {
			return err
		}
	}
	for _, x := range o.Plans {
		if err := d.PutPlan(x); err != nil {
			return err
		}
	}
	for _, x := range o.Devices {
		if err := d.PutDevice(x.Clone()); err != nil {
			return err
		}
	}
	for _, c := range o.Cables {
		if err := d.Connect(c); err != nil {
			return err
		}
	}
	for _, p := range o.Plugs {
		if err := d.PutPlug(p); err != nil {
			return err
		}
	}
	return nil
}

// RemoveDevice removes a device with its cables and plugs.
func (d *Draft) RemoveDevice(name string) error {
	i, err := d.findDevice(name)
	if err != nil {
		return err
	}
	for j := len(d.o.Plugs) - 1; j >= 0; j-- {
		if d.o.Plugs[j].Port.Device == name {
			d.unplug(j)
		}
	}
	for j := len(d.o.Cables) - 1; j >= 0; j-- {
		if c := d.o.Cables[j]; c.A.Device == name || c.B.Device == name {
			d.disconnect(j)
		}
	}
	d.take()
	d.note(d.o.Devices[i], nil, i)
	d.o.Devices = slices.Delete(d.o.Devices, i, i+1)
	d.ix = draftIndex{}
	return nil
}

// Set sets a port, a bundle or an inner port; a nil shape takes away what is
// set on it.
func (d *Draft) Set(ref PortRef, shape *Shape, because string) error {
	i, err := d.findDevice(ref.Device)
	if err != nil {
		return err
	}
	device := d.o.Devices[i]
	port, err := device.FindPort(ref.Port)
	if err != nil {
		return err
	}
	if b := device.Ports[port].Bundle; b > 0 {
		return device.settable(port)
	}
	if shape != nil {
		if err := d.checkShape(shape); err != nil {
			return err
		}
	}
	if device.Ports[port].Kind == Inner && shape == nil {
		shape = noShape
	}
	old := device.Ports[port]
	if old.Because == because && (old.Shape == nil) == (shape == nil) && (shape == nil || old.Shape.Equal(*shape)) {
		return nil
	}
	if !d.own { // one port: only the devices' list is ours
		d.o.Devices = slices.Clone(d.o.Devices)
	}
	d.note(Setting{ref, old.Shape, old.Because}, Setting{ref, shape, because}, 0)
	if d.mine[device] {
		device.Ports[port].Shape, device.Ports[port].Because = shape, because
		return nil
	}
	y := device.withPort(port, shape, because)
	if d.mine == nil {
		d.mine = map[*Device]bool{}
	}
	d.mine[y] = true
	d.o.Devices[i] = y
	return nil
}

// SetTo makes a port stand as a shape, and minds its plan: where it stands so
// already nothing is written, so that a use or a plan stays; where the plan says
// so an exception goes, with its reason; and a port that is in no VLAN says
// nothing, where no plan speaks.
func (d *Draft) SetTo(ref PortRef, shape Shape) error {
	i, err := d.findDevice(ref.Device)
	if err != nil {
		return err
	}
	device := d.o.Devices[i]
	port, err := device.FindPort(ref.Port)
	if err != nil {
		return err
	}
	if was, _ := d.o.Effective(device, port); was.Equal(shape) {
		return nil
	}
	planned, covered := d.o.Planned(device, port)
	if covered && d.o.Resolve(planned).Equal(shape) || !covered && shape.Equal(Shape{}) {
		return d.Set(ref, nil, "")
	}
	return d.Set(ref, &shape, device.Ports[port].Because)
}

// Connect puts a cable between two ports of fronts.
func (d *Draft) Connect(c Cable) error { return d.connect(c, -1) }

func (d *Draft) connect(cable Cable, at int) error {
	if cable.A == cable.B {
		return fmt.Errorf("the cable has both ends in %s: it joins two ports", cable.A)
	}
	ix := d.index()
	for _, ref := range []PortRef{cable.A, cable.B} {
		x, err := d.FindDevice(ref.Device)
		if err != nil {
			return err
		}
		if _, err := x.FrontPort(ref.Port); err != nil {
			return err
		}
		if i, ok := ix.cabled[ref]; ok {
			o, part := d.o.Cables[i], Part("")
			if ref == cable.B {
				part = OfSecond
			}
			return FaultOf(part, "%s has a cable already, %s to %s: one cable a port", ref, o.A, o.B)
		}
	}
	d.take()
	if at < 0 || at >= len(d.o.Cables) {
		at = len(d.o.Cables)
		ix.cabled[cable.A], ix.cabled[cable.B] = at, at
	} else {
		d.ix = draftIndex{}
	}
	d.note(nil, cable, at)
	d.o.Cables = slices.Insert(d.o.Cables, at, cable)
	return nil
}

// Disconnect takes a cable away; either end may be named first.
func (d *Draft) Disconnect(c Cable) error {
	i := slices.IndexFunc(d.o.Cables, c.Same)
	if i < 0 {
		return fmt.Errorf("no cable joins %s and %s", c.A, c.B)
	}
	d.disconnect(i)
	return nil
}

func (d *Draft) disconnect(i int) {
	d.take()
	d.note(d.o.Cables[i], nil, i)
	d.o.Cables = slices.Delete(d.o.Cables, i, i+1)
	d.ix = draftIndex{}
}

// PutPlug plugs something in, or replaces what has that name on that port.
func (d *Draft) PutPlug(p Plug) error { return d.putPlug(p, -1) }

func (d *Draft) putPlug(plug Plug, at int) error {
	x, err := d.FindDevice(plug.Port.Device)
	if err != nil {
		return err
	}
	if _, err := x.FindPort(plug.Port.Port); err != nil {
		return err
	}
	if _, err := VIDOf(int(plug.Wants)); err != nil {
		return err
	}
	ix := d.index()
	i, have := ix.plugs[plugID{plug.Port, plug.Name}]
	if plug.Operator && ix.at > 0 && (!have || ix.at != i+1) {
		q := d.o.Plugs[ix.at-1]
		return fmt.Errorf("the operator is at %s already, with %q: one plug is the operator's", q.Port, q.Name)
	}
	d.take()
	switch {
	case have:
		d.note(d.o.Plugs[i], plug, i)
		d.o.Plugs[i] = plug
		if ix.at == i+1 {
			ix.at = 0
		}
	case at < 0 || at >= len(d.o.Plugs):
		i = len(d.o.Plugs)
		d.note(nil, plug, i)
		d.o.Plugs = append(d.o.Plugs, plug)
		ix.plugs[plugID{plug.Port, plug.Name}] = i
	default:
		d.note(nil, plug, at)
		d.o.Plugs = slices.Insert(d.o.Plugs, at, plug)
		d.ix = draftIndex{} // places move
		return nil
	}
	if plug.Operator {
		ix.at = i + 1
	}
	return nil
}

// Unplug removes a plug by its port and name; with name "" the only one there.
func (d *Draft) Unplug(ref PortRef, name string) error {
	found, there := -1, []string(nil)
	for i, q := range d.o.Plugs {
		if q.Port == ref {
			there = append(there, fmt.Sprintf("%q", q.Name))
			if q.Name == name || name == "" {
				found = i
			}
		}
	}
	switch {
	case found < 0 && len(there) == 0:
		return fmt.Errorf("nothing is plugged into %s", ref)
	case found < 0:
		return fmt.Errorf("%q is not plugged into %s: there %s", name, ref, strings.Join(there, ", "))
	case name == "" && len(there) > 1:
		return fmt.Errorf("%d things are plugged into %s: say which, %s", len(there), ref, strings.Join(there, ", "))
	}
	d.unplug(found)
	return nil
}

func (d *Draft) unplug(i int) {
	d.take()
	d.note(d.o.Plugs[i], nil, i)
	d.o.Plugs = slices.Delete(d.o.Plugs, i, i+1)
	d.ix = draftIndex{}
}

// Put makes one change that an edit describes. What stands there now must be
// what the change replaces, in kind; [Change.Before] is not compared.
func (d *Draft) Put(change Change) error {
	switch t := change.After.(type) {
	case Title:
		d.SetTitle(string(t))
		return nil
	case *VLAN:
		return d.PutVLAN(t)
	case *Use:
		return d.putUse(t, change.At)
	case *Plan:
		return d.putPlan(t, change.At)
	case *Device:
		return d.putDevice(t, change.At)
	case Setting:
		return d.Set(t.Port, t.Shape, t.Because)
	case Cable:
		return d.connect(t, change.At)
	case Plug:
		return d.putPlug(t, change.At)
	case Order:
		return d.arrange(t)
	}
	switch t := change.Before.(type) {
	case *VLAN:
		return d.RemoveVLAN(t.VID)
	case *Use:
		return d.RemoveUse(t.Name)
	case *Plan:
		return d.RemovePlan(t.Name)
	case *Device:
		return d.RemoveDevice(t.Name)
	case Cable:
		return d.Disconnect(t)
	case Plug:
		return d.Unplug(t.Port, t.Name)
	}
	return fmt.Errorf("a change changes nothing")
}

// orNil keeps a nil pointer from becoming a Thing that is not nil.
func orNil[T interface {
	*E
	Thing
}, E any](p T) Thing {
	if p == nil {
		return nil
	}
	return p
}
