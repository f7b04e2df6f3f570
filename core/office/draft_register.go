package office

import (
	"fmt"
	"slices"
)

// PutVLAN registers a VLAN, or replaces what the register says of its VID.
func (d *Draft) PutVLAN(vlan *VLAN) error {
	if _, err := VIDOf(int(vlan.VID)); err != nil {
		return err
	}
	if err := CheckVLANName(vlan.Name); err != nil {
		return err
	}
	if vid, ok := d.index().names[vlan.Name]; ok && vid != vlan.VID {
		return fmt.Errorf("VLAN %d is named %s already: names are unique", vid, vlan.Name)
	}
	d.take()
	i, have := slices.BinarySearchFunc(d.o.VLANs, vlan.VID, func(other *VLAN, vid VID) int { return int(other.VID) - int(vid) })
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
func (d *Draft) RemoveVLAN(vid VID) error {
	i := slices.IndexFunc(d.o.VLANs, func(vlan *VLAN) bool { return vlan.VID == vid })
	if i < 0 {
		return fmt.Errorf("VLAN %d is not in the register", vid)
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
func (d *Draft) PutUse(use *Use) error { return d.putUse(use, -1) }

// putUse names a shape. A use says a shape and no other use, so that none can lead to itself.
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
	for _, plan := range d.o.Plans {
		for _, line := range plan.Lines {
			if line.Shape.Use == name {
				return fmt.Errorf("plan %s has the use %s: change the plan first", plan.Name, name)
			}
		}
	}
	for _, device := range d.o.Devices {
		for _, port := range device.Ports {
			if port.Shape != nil && port.Shape.Use == name {
				return fmt.Errorf("%s.%s has the use %s: set that port first", device.Name, port.Name, name)
			}
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Uses, func(use *Use) bool { return use.Name == name })
	d.note(d.o.Uses[i], nil, i)
	d.o.Uses = slices.Delete(d.o.Uses, i, i+1)
	return nil
}

// PutPlan defines a port plan, or changes it for every device that follows it.
func (d *Draft) PutPlan(plan *Plan) error { return d.putPlan(plan, -1) }

// putPlan puts a port plan into the office; the uses in it have to be there.
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
	for _, device := range d.o.Devices {
		if device.Follows == name {
			return fmt.Errorf("%s follows %s: let it follow another or none first", device.Name, name)
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Plans, func(plan *Plan) bool { return plan.Name == name })
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
