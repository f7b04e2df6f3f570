package command

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func letsIn(n *span.Net, dev, port int, v office.VID) bool {
	s, _ := n.Shape(dev, port)
	return n.Office.Devices[dev].Ports[port].Kind == office.Inner && s.Of(v) == office.Tagged && len(s.Tagged) > 1
}

// letIn lists the inner ports whose range of tagged VLANs holds v among others:
// what is let in that may come one day.
func letIn(n *span.Net, v office.VID) (out []string) {
	for i, d := range n.Office.Devices {
		for p := range d.Ports {
			if letsIn(n, i, p, v) {
				out = append(out, d.Name+" "+notation.Ports(d, []int{p}))
			}
		}
	}
	return out
}

// everyShape replaces each shape that is written down: of uses, plans, ports.
func everyShape(draft *office.Draft, f func(office.Shape) office.Shape) error {
	change := func(s office.Shape) (office.Shape, bool) {
		t := f(s).Normal()
		return t, !t.Equal(s)
	}
	for _, u := range slices.Clone(draft.Office().Uses) {
		if s, ok := change(u.Shape); ok {
			if err := draft.PutUse(&office.Use{Name: u.Name, Shape: s}); err != nil {
				return err
			}
		}
	}
	for _, p := range slices.Clone(draft.Office().Plans) {
		q, touched := &office.Plan{Name: p.Name, Lines: slices.Clone(p.Lines)}, false
		for i := range q.Lines {
			s, ok := change(q.Lines[i].Shape)
			q.Lines[i].Shape = s
			touched = touched || ok
		}
		if touched {
			if err := draft.PutPlan(q); err != nil {
				return err
			}
		}
	}
	for _, device := range slices.Clone(draft.Office().Devices) {
		for _, p := range device.Ports {
			if p.Shape == nil {
				continue
			}
			if s, ok := change(*p.Shape); ok {
				if err := draft.Set(office.PortRef{Device: device.Name, Port: p.Name}, &s, p.Because); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sits says whether a VLAN stands anywhere: on a port, for an address or a
// device's management, or wanted by a plug.
func sits(n *span.Net, v office.VID) bool { return len(Sits(n, v)) > 0 }

// Sits says in sentences what a VLAN sits on; what [Retire] takes away comes
// first.
func Sits(n *span.Net, v office.VID) []string {
	return sitsBut(n, v, func(int, int) bool { return false })
}

// sitsBut is [Sits] without some ports.
func sitsBut(n *span.Net, vid office.VID, without func(dev, port int) bool) []string {
	o := n.Office
	var out []string
	for _, u := range o.Uses {
		if u.Shape.Of(vid) != office.NotMember || u.Shape.PortVID() == vid {
			out = append(out, fmt.Sprintf("the use %s", u.Name))
		}
	}
	for _, p := range o.Plans {
		if slices.ContainsFunc(p.Lines, func(l office.PlanLine) bool { return l.Shape.Of(vid) != office.NotMember || l.Shape.PortVID() == vid }) {
			out = append(out, fmt.Sprintf("the port plan %s", p.Name))
		}
	}
	for i, device := range o.Devices {
		var un, tg []int
		for port := range device.Ports {
			if without(i, port) {
				continue
			}
			shape, _ := n.Shape(i, port)
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
		for _, a := range device.Addresses {
			if a.VID == vid {
				out = append(out, fmt.Sprintf("the address %s of %s", a.Prefix, device.Name))
			}
		}
	}
	for _, x := range o.Devices {
		if x.Manage != nil && x.Manage.VID == vid {
			out = append(out, fmt.Sprintf("the management of %s", x.Name))
		}
	}
	for _, p := range o.Plugs {
		if p.Wants == vid {
			out = append(out, fmt.Sprintf("%s, plugged into %s, wants it", p.Name, p.Port))
		}
	}
	return out
}
