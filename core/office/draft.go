package office

import (
	"fmt"
	"maps"
	"slices"
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
	ruled *Device // likewise, with a list of rules of its own
	quiet bool    // errors name no nearest name
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

// hint ends a fault with the nearest name. Drafts of searches, which make thousands of faults that
// nobody reads, do not look for one.
func (d *Draft) hint(text string, names func() []string, otherwise string) string {
	if d.quiet {
		return ": " + otherwise
	}
	return hint(text, names(), otherwise)
}

// NewDraft starts from o.
func NewDraft(o *Office) *Draft { return &Draft{o: *o} }

// Office is the office as drafted so far. It is good until the next change.
func (d *Draft) Office() *Office { return &d.o }

// Done gives the new office and the edit that leads to it.
func (d *Draft) Done() (*Office, Edit) {
	office := d.o
	d.own, d.mine, d.ruled = false, nil, nil
	return &office, d.edit
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
	o.Services, o.Wishes = slices.Clone(o.Services), slices.Clone(o.Wishes)
}

// index is made at the first need: an edit of a port or two never needs it.
func (d *Draft) index() *draftIndex {
	if d.ix.devices == nil {
		d.ix = draftIndex{map[string]int{}, map[PortRef]int{}, map[string]VID{}, map[plugID]int{}, 0}
		for i, device := range d.o.Devices {
			d.ix.devices[device.Name] = i
		}
		for i, cable := range d.o.Cables {
			d.ix.cabled[cable.A], d.ix.cabled[cable.B] = i, i
		}
		for _, vlan := range d.o.VLANs {
			d.ix.names[vlan.Name] = vlan.VID
		}
		for i, plug := range d.o.Plugs {
			d.ix.plugs[plugID{plug.Port, plug.Name}] = i
			if plug.Operator {
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

// findDevice is a device's place in the office; the error names those that are written nearly so.
func (d *Draft) findDevice(name string) (int, error) {
	if d.ix.devices != nil {
		if i, ok := d.ix.devices[name]; ok {
			return i, nil
		}
	} else {
		for i, device := range d.o.Devices {
			if device.Name == name {
				return i, nil
			}
		}
	}
	names := func() (names []string) {
		for _, device := range d.o.Devices {
			names = append(names, device.Name)
		}
		return names
	}
	return 0, fmt.Errorf("no device is named %s%s", name, d.hint(name, names, "declare it with device "+name+" switch"))
}

// FindVLAN is the VID of a registered VLAN's name.
func (d *Draft) FindVLAN(name string) (VID, error) {
	if vid, ok := d.index().names[name]; ok {
		return vid, nil
	}
	return 0, fmt.Errorf("no VLAN is named %s%s", name,
		d.hint(name, func() []string { return slices.Sorted(maps.Keys(d.ix.names)) }, "register it with vlan NUMBER "+name))
}

// FindUse and FindPlan give the nearest name in the error.
func (d *Draft) FindUse(name string) (*Use, error) {
	if use := d.o.Use(name); use != nil {
		return use, nil
	}
	names := func() (names []string) {
		for _, use := range d.o.Uses {
			names = append(names, use.Name)
		}
		return names
	}
	return nil, fmt.Errorf("no use is named %s%s", name, d.hint(name, names, "define it with use "+name+" SHAPE"))
}

// FindPlan is the port plan of that name; the error names those that are written nearly so.
func (d *Draft) FindPlan(name string) (*Plan, error) {
	if plan := d.o.Plan(name); plan != nil {
		return plan, nil
	}
	names := func() (names []string) {
		for _, plan := range d.o.Plans {
			names = append(names, plan.Name)
		}
		return names
	}
	return nil, fmt.Errorf("no port plan is named %s%s", name, d.hint(name, names, "define it with plan "+name))
}

// SetTitle names the office.
func (d *Draft) SetTitle(text string) {
	if text != d.o.Title {
		d.note(Title(d.o.Title), Title(text), 0)
		d.o.Title = text
	}
}

// PutAll puts all that another office has into this one, but for its title, in
// the order in which each thing finds what it names.
func (d *Draft) PutAll(o *Office) error {
	for _, vlan := range o.VLANs {
		if err := d.PutVLAN(vlan); err != nil {
			return err
		}
	}
	for _, use := range o.Uses {
		if err := d.PutUse(use); err != nil {
			return err
		}
	}
	for _, plan := range o.Plans {
		if err := d.PutPlan(plan); err != nil {
			return err
		}
	}
	for _, named := range o.Services {
		if err := d.PutService(named); err != nil {
			return err
		}
	}
	if err := d.PutDevices(o.Devices); err != nil {
		return err
	}
	for _, cable := range o.Cables {
		if err := d.Connect(cable); err != nil {
			return err
		}
	}
	for _, plug := range o.Plugs {
		if err := d.PutPlug(plug); err != nil {
			return err
		}
	}
	for _, wish := range o.Wishes {
		if err := d.PutWish(wish); err != nil {
			return err
		}
	}
	return nil
}

// Put makes one change that an edit describes. What stands there now must be
// what the change replaces, in kind; [Change.Before] is not compared.
//
// Many branches: two switches, a case a kind of thing that comes or goes.
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
	case *NamedService:
		return d.putService(t, change.At)
	case *Wish:
		return d.putWish(t, change.At)
	case RuleAt:
		return d.PutRule(t.Device, t.Rule, change.At)
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
	case *NamedService:
		return d.RemoveService(t.Name)
	case *Wish:
		return d.RemoveWish(t)
	case RuleAt:
		return d.RemoveRule(t.Device, change.At)
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
