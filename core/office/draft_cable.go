package office

import (
	"fmt"
	"slices"
	"strings"
)

// Connect puts a cable between two ports of fronts.
func (d *Draft) Connect(cable Cable) error { return d.connect(cable, -1) }

// connect joins two ports at a place of the list (-1 for the end). Each end is a free port of a
// front: a cable that stands there already is told with what it joins.
func (d *Draft) connect(cable Cable, at int) error {
	if cable.A == cable.B {
		return fmt.Errorf("the cable has both ends in %s: it joins two ports", cable.A)
	}
	ix := d.index()
	for _, ref := range []PortRef{cable.A, cable.B} {
		device, err := d.FindDevice(ref.Device)
		if err != nil {
			return err
		}
		if _, err := device.FrontPort(ref.Port); err != nil {
			return err
		}
		if i, ok := ix.cabled[ref]; ok {
			other, part := d.o.Cables[i], Part("")
			if ref == cable.B {
				part = OfSecond
			}
			return FaultOf(part, "%s has a cable already, %s to %s: one cable a port", ref, other.A, other.B)
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
func (d *Draft) Disconnect(cable Cable) error {
	i := slices.IndexFunc(d.o.Cables, cable.Same)
	if i < 0 {
		return fmt.Errorf("no cable joins %s and %s", cable.A, cable.B)
	}
	d.disconnect(i)
	return nil
}

// disconnect takes a cable out by its index.
func (d *Draft) disconnect(i int) {
	d.take()
	d.note(d.o.Cables[i], nil, i)
	d.o.Cables = slices.Delete(d.o.Cables, i, i+1)
	d.ix = draftIndex{}
}

// PutPlug plugs something in, or replaces what has that name on that port.
func (d *Draft) PutPlug(plug Plug) error { return d.putPlug(plug, -1) }

// putPlug plugs something in, or changes what is said of it, at a place of the list (-1 for the
// end). Port and name together are its key; one plug of an office is the operator's.
func (d *Draft) putPlug(plug Plug, at int) error {
	device, err := d.FindDevice(plug.Port.Device)
	if err != nil {
		return err
	}
	if _, err := device.FindPort(plug.Port.Port); err != nil {
		return err
	}
	if _, err := VIDOf(int(plug.Wants)); err != nil {
		return err
	}
	ix := d.index()
	i, have := ix.plugs[plugID{plug.Port, plug.Name}]
	if plug.Operator && ix.at > 0 && (!have || ix.at != i+1) {
		other := d.o.Plugs[ix.at-1]
		return fmt.Errorf("the operator is at %s already, with %q: one plug is the operator's", other.Port, other.Name)
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
	for i, plug := range d.o.Plugs {
		if plug.Port == ref {
			there = append(there, fmt.Sprintf("%q", plug.Name))
			if plug.Name == name || name == "" {
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

// unplug takes a plug out by its index.
func (d *Draft) unplug(i int) {
	d.take()
	d.note(d.o.Plugs[i], nil, i)
	d.o.Plugs = slices.Delete(d.o.Plugs, i, i+1)
	d.ix = draftIndex{}
}
