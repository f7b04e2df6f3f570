package history

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
)

// Diff is the edit that leads from one office to another: what differs, and no
// more, with the order of things last where that differs.
func Diff(from, to *office.Office) (office.Edit, error) {
	draft := office.NewDraft(from)
	do := func(err error) error {
		if err != nil {
			return fmt.Errorf("what differs cannot be one edit: %w", err)
		}
		return nil
	}
	draft.SetTitle(to.Title)
	// What goes, from the leaves to the roots.
	plugs, cables := map[office.Plug]bool{}, map[office.Key]office.Cable{}
	for _, p := range to.Plugs {
		plugs[p] = true
	}
	for _, c := range to.Cables {
		cables[c.Key()] = c
	}
	for _, p := range from.Plugs {
		if !plugs[p] {
			if err := do(draft.Unplug(p.Port, p.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, c := range from.Cables {
		if cables[c.Key()] != c {
			if err := do(draft.Disconnect(c)); err != nil {
				return nil, err
			}
		}
	}
	for _, x := range from.Devices {
		if to.Device(x.Name) == nil {
			if err := do(draft.RemoveDevice(x.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, v := range from.VLANs {
		if w := to.VLAN(v.VID); w == nil || !same(v, w) {
			if err := do(draft.RemoveVLAN(v.VID)); err != nil {
				return nil, err
			}
		}
	}
	// What comes or changes, from the roots to the leaves.
	for _, v := range to.VLANs {
		if draft.Office().VLAN(v.VID) == nil {
			if err := do(draft.PutVLAN(v)); err != nil {
				return nil, err
			}
		}
	}
	for i, u := range to.Uses {
		if was := from.Use(u.Name); was == nil || !same(was, u) {
			if err := do(draft.Put(office.Change{After: u, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, p := range to.Plans {
		if was := from.Plan(p.Name); was == nil || !same(was, p) {
			if err := do(draft.Put(office.Change{After: p, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for i, device := range to.Devices {
		was := from.Device(device.Name)
		if was != nil && onlySet(was, device) {
			for p := range device.Ports { // port by port, so that what others set meanwhile stays
				if err := do(draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[p].Name}, device.Ports[p].Shape, device.Ports[p].Because)); err != nil &&
					device.Ports[p].Bundle == 0 {
					return nil, err
				}
			}
			continue
		}
		if was == nil || !same(was, device) {
			if err := do(draft.Put(office.Change{After: device, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for _, p := range from.Plans {
		if to.Plan(p.Name) == nil {
			if err := do(draft.RemovePlan(p.Name)); err != nil {
				return nil, err
			}
		}
	}
	for _, u := range from.Uses {
		if to.Use(u.Name) == nil {
			if err := do(draft.RemoveUse(u.Name)); err != nil {
				return nil, err
			}
		}
	}
	for i, c := range to.Cables {
		if !slices.Contains(draft.Office().Cables, c) {
			if err := do(draft.Put(office.Change{After: c, At: i})); err != nil {
				return nil, err
			}
		}
	}
	here := map[office.Plug]bool{}
	for _, p := range draft.Office().Plugs {
		here[p] = true
	}
	for i, p := range to.Plugs {
		if !here[p] {
			if err := do(draft.Put(office.Change{After: p, At: i})); err != nil {
				return nil, err
			}
		}
	}
	for _, list := range office.Lists {
		if err := do(draft.Put(office.Change{After: office.OrderOf(to, list)})); err != nil {
			return nil, err
		}
	}
	_, e := draft.Done()
	return e, nil
}

// onlySet says whether two devices differ in nothing but what their ports are
// set to.
func onlySet(a, b *office.Device) bool {
	if len(a.Ports) != len(b.Ports) {
		return false
	}
	c := a.Clone()
	for p := range c.Ports {
		if c.Ports[p].Name != b.Ports[p].Name {
			return false
		}
		c.Ports[p].Shape, c.Ports[p].Because = b.Ports[p].Shape, b.Ports[p].Because
	}
	return notation.Thing(c.Seal()) == notation.Thing(b)
}

// same says whether two things say the same.
func same[T interface {
	comparable
	office.Thing
}](a, b T) bool {
	return a == b || notation.Thing(a) == notation.Thing(b)
}
