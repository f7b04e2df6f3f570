package command

import (
	"fmt"
	"slices"

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
	draft := office.NewDraft(o)
	if old == name {
		return nil, fmt.Errorf("it is named %s already", name)
	}
	if kind != "vlan" && !plain(name) {
		return nil, fmt.Errorf("%q is no name: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	var err error
	switch kind {
	case "vlan":
		vid, e := findVLAN(o, old)
		if e != nil {
			return nil, e
		}
		was := o.VLAN(vid)
		if was == nil {
			return nil, fmt.Errorf("VLAN %d is not in the register: register it with vlan %d %s", vid, vid, name)
		}
		w := *was
		w.Name = name
		err = draft.PutVLAN(&w)
	case "device":
		if _, err = draft.FindDevice(old); err == nil {
			err = renameDevice(draft, o, old, name)
		}
	case "use":
		if _, err = draft.FindUse(old); err == nil {
			err = renameUse(draft, o, old, name)
		}
	case "plan":
		if _, err = draft.FindPlan(old); err == nil {
			err = renamePlan(draft, o, old, name)
		}
	}
	if err != nil {
		return nil, err
	}
	next, e := draft.Done()
	return &Result{Office: next, Edit: e}, nil
}

func plain(text string) bool {
	for i, c := range text {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
		if !letter && (i == 0 || c != '-' && c != '_') {
			return false
		}
	}
	return text != ""
}

func renameDevice(draft *office.Draft, o *office.Office, old, name string) error {
	if draft.HasDevice(name) {
		return fmt.Errorf("a device is named %s already", name)
	}
	at := slices.IndexFunc(o.Devices, func(x *office.Device) bool { return x.Name == old })
	x := o.Devices[at].Clone()
	x.Name = name
	if err := draft.RemoveDevice(old); err != nil {
		return err
	}
	if err := draft.Put(office.Change{After: x, At: at}); err != nil {
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
			if err := draft.Put(office.Change{After: office.Cable{A: now(c.A), B: now(c.B)}, At: i}); err != nil {
				return err
			}
		}
	}
	for i, p := range o.Plugs {
		if p.Port.Device == old {
			p.Port = now(p.Port)
			if err := draft.Put(office.Change{After: p, At: i}); err != nil {
				return err
			}
		}
	}
	return nil
}

func renameUse(draft *office.Draft, o *office.Office, old, name string) error {
	if o.Use(name) != nil {
		return fmt.Errorf("a use is named %s already", name)
	}
	i := slices.Index(o.Uses, o.Use(old))
	if err := draft.Put(office.Change{After: &office.Use{Name: name, Shape: o.Uses[i].Shape}, At: i + 1}); err != nil {
		return err
	}
	// a use is no use of another, so only ports and plans name it
	if err := everyShape(draft, func(s office.Shape) office.Shape {
		if s.Use == old {
			s.Use = name
		}
		return s
	}); err != nil {
		return err
	}
	return draft.RemoveUse(old)
}

func renamePlan(draft *office.Draft, o *office.Office, old, name string) error {
	if o.Plan(name) != nil {
		return fmt.Errorf("a port plan is named %s already", name)
	}
	i := slices.Index(o.Plans, o.Plan(old))
	if err := draft.Put(office.Change{After: &office.Plan{Name: name, Lines: o.Plans[i].Lines}, At: i + 1}); err != nil {
		return err
	}
	for _, x := range o.Devices {
		if x.Follows == old {
			y := x.Clone()
			y.Follows = name
			if err := draft.PutDevice(y); err != nil {
				return err
			}
		}
	}
	return draft.RemovePlan(old)
}
