package command

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

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
