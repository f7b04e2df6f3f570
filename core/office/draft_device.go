package office

import (
	"fmt"
	"slices"
)

// PutDevice adds a device, or replaces the one of its name, whose cables and
// plugs must still find their ports. The device is sealed and not to be
// changed afterwards.
func (d *Draft) PutDevice(device *Device) error { return d.putDevice(device, -1) }

// putDevice puts a device into the office, in the place of the one of its name or at a place of the
// list. What it refers to (plan, uses, services, zones) has to be there.
func (d *Draft) putDevice(device *Device, at int) error {
	if device.Follows != "" {
		if _, err := d.FindPlan(device.Follows); err != nil {
			return err
		}
	}
	for _, port := range device.Ports {
		if port.Shape != nil {
			if err := d.checkShape(port.Shape); err != nil {
				return err
			}
		}
	}
	if err := d.checkPolicy(device); err != nil {
		return err
	}
	device.Seal()
	ix := d.index()
	i, have := ix.devices[device.Name]
	if have {
		if err := d.keepsZones(d.o.Devices[i], device); err != nil {
			return err
		}
		for one := range ix.cabled {
			if one.Device == device.Name {
				if _, err := device.FrontPort(one.Port); err != nil {
					return fmt.Errorf("a cable is in %s, which would go: remove the cable first", one)
				}
			}
		}
		for _, plug := range d.o.Plugs {
			if plug.Port.Device == device.Name && device.Port(plug.Port.Port) < 0 {
				return fmt.Errorf("%q is plugged into %s, which would go: remove the plug first", plug.Name, plug.Port)
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

// PutDevices adds devices of which the rules of one may name the zones of another.
// They stay as they are.
func (d *Draft) PutDevices(devices []*Device) error {
	for _, device := range devices {
		device = device.Clone()
		device.Rules = nil
		if err := d.PutDevice(device); err != nil {
			return err
		}
	}
	for _, device := range devices {
		for i := range device.Rules {
			if err := d.PutRule(device.Name, &device.Rules[i], -1); err != nil {
				return err
			}
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
	if err := d.keepsZones(d.o.Devices[i], nil); err != nil {
		return err
	}
	for j := len(d.o.Plugs) - 1; j >= 0; j-- {
		if d.o.Plugs[j].Port.Device == name {
			d.unplug(j)
		}
	}
	for j := len(d.o.Cables) - 1; j >= 0; j-- {
		if cable := d.o.Cables[j]; cable.A.Device == name || cable.B.Device == name {
			d.disconnect(j)
		}
	}
	d.take()
	d.note(d.o.Devices[i], nil, i)
	d.o.Devices = slices.Delete(d.o.Devices, i, i+1)
	d.ix = draftIndex{}
	return nil
}

// findPort is the places of a port's device and of the port.
func (d *Draft) findPort(ref PortRef) (device, port int, err error) {
	if device, err = d.findDevice(ref.Device); err != nil {
		return 0, 0, err
	}
	port, err = d.o.Devices[device].FindPort(ref.Port)
	return device, port, err
}

// Set sets a port, a bundle or an inner port; a nil shape takes away what is
// set on it.
func (d *Draft) Set(ref PortRef, shape *Shape, because string) error {
	i, port, err := d.findPort(ref)
	if err != nil {
		return err
	}
	device := d.o.Devices[i]
	if b := device.Ports[port].Bundle; b > 0 {
		return device.settable(port)
	}
	if shape != nil {
		if err := d.checkShape(shape); err != nil {
			return err
		}
	}
	for _, line := range device.Outsides {
		if line.On == ref.Port {
			if err := device.carriesLine(line, shape); err != nil {
				return err
			}
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
	other := device.withPort(port, shape, because)
	if d.mine == nil {
		d.mine = map[*Device]bool{}
	}
	d.mine[other] = true
	d.o.Devices[i] = other
	return nil
}

// SetTo makes a port stand as a shape, and minds its plan: where it stands so
// already nothing is written, so that a use or a plan stays; where the plan says
// so an exception goes, with its reason; and a port that is in no VLAN says
// nothing, where no plan speaks.
func (d *Draft) SetTo(ref PortRef, shape Shape) error {
	i, port, err := d.findPort(ref)
	if err != nil {
		return err
	}
	device := d.o.Devices[i]
	if was, _ := d.o.Effective(device, port); was.Equal(shape) {
		return nil
	}
	planned, covered := d.o.Planned(device, port)
	if covered && d.o.Resolve(planned).Equal(shape) || !covered && shape.Equal(Shape{}) {
		return d.Set(ref, nil, "")
	}
	return d.Set(ref, &shape, device.Ports[port].Because)
}
