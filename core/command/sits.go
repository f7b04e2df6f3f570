package command

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func letsIn(net *span.Net, dev, port int, vid office.VID) bool {
	shape, _ := net.Shape(dev, port)
	return net.Office.Devices[dev].Ports[port].Kind == office.Inner && shape.Of(vid) == office.Tagged && len(shape.Tagged) > 1
}

// letIn lists the inner ports whose range of tagged VLANs holds vid among others:
// what is let in that may come one day.
func letIn(net *span.Net, vid office.VID) (out []string) {
	for i, device := range net.Office.Devices {
		for port := range device.Ports {
			if letsIn(net, i, port, vid) {
				out = append(out, device.Name+" "+notation.Ports(device, []int{port}))
			}
		}
	}
	return out
}

// everyShape replaces each shape that is written down: of uses, plans, ports.
func everyShape(draft *office.Draft, f func(office.Shape) office.Shape) error {
	change := func(shape office.Shape) (office.Shape, bool) {
		other := f(shape).Normal()
		return other, !other.Equal(shape)
	}
	for _, use := range slices.Clone(draft.Office().Uses) {
		if shape, ok := change(use.Shape); ok {
			if err := draft.PutUse(&office.Use{Name: use.Name, Shape: shape}); err != nil {
				return err
			}
		}
	}
	for _, plan := range slices.Clone(draft.Office().Plans) {
		other, touched := &office.Plan{Name: plan.Name, Lines: slices.Clone(plan.Lines)}, false
		for i := range other.Lines {
			shape, ok := change(other.Lines[i].Shape)
			other.Lines[i].Shape = shape
			touched = touched || ok
		}
		if touched {
			if err := draft.PutPlan(other); err != nil {
				return err
			}
		}
	}
	for _, device := range slices.Clone(draft.Office().Devices) {
		for _, port := range device.Ports {
			if port.Shape == nil {
				continue
			}
			if shape, ok := change(*port.Shape); ok {
				if err := draft.Set(office.PortRef{Device: device.Name, Port: port.Name}, &shape, port.Because); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sits says whether a VLAN stands anywhere: on a port, for an address or a
// device's management, or wanted by a plug.
func sits(net *span.Net, vid office.VID) bool { return len(Sits(net, vid)) > 0 }

// Sits says in sentences what a VLAN sits on; what [Retire] takes away comes
// first.
//
//	> retire 190
//	! column 8: gate is managed in 190 devices: move its management to another VLAN first
func Sits(net *span.Net, vid office.VID) []string {
	return sitsBut(net, vid, func(int, int) bool { return false })
}

// sitsBut is [Sits] without some ports.
//
// Many branches: one a thing that names a VLAN.
func sitsBut(net *span.Net, vid office.VID, without func(dev, port int) bool) []string {
	o := net.Office
	var out []string
	for _, use := range o.Uses {
		if use.Shape.Of(vid) != office.NotMember || use.Shape.PortVID() == vid {
			out = append(out, fmt.Sprintf("the use %s", use.Name))
		}
	}
	for _, plan := range o.Plans {
		if slices.ContainsFunc(plan.Lines, func(line office.PlanLine) bool {
			return line.Shape.Of(vid) != office.NotMember || line.Shape.PortVID() == vid
		}) {
			out = append(out, fmt.Sprintf("the port plan %s", plan.Name))
		}
	}
	for i, device := range o.Devices {
		var un, tg []int
		for port := range device.Ports {
			if without(i, port) {
				continue
			}
			shape, _ := net.Shape(i, port)
			switch shape.Of(vid) {
			case office.Untagged:
				un = append(un, port)
			case office.Tagged:
				tg = append(tg, port)
			default:
				if shape.PortVID() == vid {
					un = append(un, port)
				}
			}
		}
		for _, l := range []struct {
			at  []int
			how string
		}{{un, "untagged"}, {tg, "tagged"}} {
			if len(l.at) > 0 {
				out = append(out, fmt.Sprintf("%s on %s %s", l.how, device.Name, notation.Ports(device, l.at)))
			}
		}
		for _, address := range device.Addresses {
			if address.VID == vid {
				out = append(out, fmt.Sprintf("the address %s of %s", address.Prefix, device.Name))
			}
		}
	}
	for _, device := range o.Devices {
		if device.Manage != nil && device.Manage.VID == vid {
			out = append(out, fmt.Sprintf("the management of %s", device.Name))
		}
	}
	for _, plug := range o.Plugs {
		if plug.Wants == vid {
			out = append(out, fmt.Sprintf("%s, plugged into %s, wants it", plug.Name, plug.Port))
		}
	}
	return out
}
