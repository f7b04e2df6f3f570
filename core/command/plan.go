package command

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// doPlan reads: plan NAME from DEVICE.
func doPlan(net *span.Net, args *args) (*Result, error) {
	name, from := args.next(), args.next()
	if !args.done() {
		return nil, nil
	}
	result, err := PlanFrom(net, name.text, from.text)
	if err != nil {
		return nil, mistake(1, from.at, err.Error())
	}
	return result, nil
}

// PlanFrom makes a port plan of what a device's front is set to; the device
// follows it from then on. Ports that nothing is set on are left out; a port
// that alone ends the front with a shape of its own becomes "last", so that the
// plan serves fronts of other lengths.
//
//	> plan hall from core
//	plan hall
//	  1-3: use desk
//	  4: 160
//	  5: 190
//	  6: -
//	  7: use uplink
//	  last: 190 [needed]
//	-core 1-8
//	core follows hall
func PlanFrom(net *span.Net, name, device string) (*Result, error) {
	o := net.Office
	draft := office.NewDraft(o)
	dev, err := draft.FindDevice(device)
	if err != nil {
		return nil, err
	}
	if o.Plan(name) != nil {
		return nil, fmt.Errorf("a port plan is named %s already: follow %s %s lets the device follow it", name, device, name)
	}
	if !plain(name) {
		return nil, fmt.Errorf("%q is no name of a plan: letters, digits, hyphens and underscores, with a letter or digit first", name)
	}
	front := dev.Front()
	shapes := make([]*office.Shape, front)
	for p := range front {
		l := dev.Logical(p)
		if shape, src := o.Written(dev, l); src != office.FromNothing {
			shapes[p] = shape
		}
	}
	plan := &office.Plan{Name: name}
	for port := range front {
		shape := shapes[port]
		if shape == nil {
			continue
		}
		place := office.PlanRange{From: port + 1, To: port + 1}
		last := port == front-1
		i := slices.IndexFunc(plan.Lines, func(line office.PlanLine) bool { return line.Shape.Equal(*shape) })
		if i < 0 {
			if last && front > 1 {
				place = office.PlanRange{}
			}
			plan.Lines = append(plan.Lines, office.PlanLine{Ports: []office.PlanRange{place}, Shape: *shape})
			continue
		}
		ranges := &plan.Lines[i].Ports
		if r := &(*ranges)[len(*ranges)-1]; r.To == port {
			r.To = port + 1
		} else {
			*ranges = append(*ranges, place)
		}
	}
	if len(plan.Lines) == 0 {
		return nil, fmt.Errorf("nothing is set on the front of %s: there is nothing to make a plan of", device)
	}
	if err := draft.PutPlan(plan); err != nil {
		return nil, err
	}
	if err := follow(draft, device, name); err != nil {
		return nil, err
	}
	next, edit := draft.Done()
	return &Result{Office: next, Edit: edit}, nil
}

// doFollow reads: follow DEVICE PLAN.
func doFollow(net *span.Net, args *args) (*Result, error) {
	dev, plan := args.next(), args.next()
	if !args.done() {
		return nil, nil
	}
	return Follow(net.Office, dev.text, plan.text)
}

// Follow lets a device follow a port plan and give up what is set on the ports
// that the plan covers. Exceptions that say their reason stay.
//
//	> follow core floor
//	-core 1-4,8
//	core follows floor
func Follow(o *office.Office, device, plan string) (*Result, error) {
	draft := office.NewDraft(o)
	if _, err := draft.FindDevice(device); err != nil {
		return nil, err
	}
	if _, err := draft.FindPlan(plan); err != nil {
		return nil, err
	}
	if err := follow(draft, device, plan); err != nil {
		return nil, err
	}
	next, edit := draft.Done()
	result := &Result{Office: next, Edit: edit}
	dev := next.Device(device)
	var kept []int
	for i := range dev.Ports {
		if dev.Ports[i].Shape != nil && dev.Ports[i].Because != "" {
			if _, ok := next.Planned(dev, i); ok {
				kept = append(kept, i)
			}
		}
	}
	if len(kept) > 0 {
		result.Notes = append(result.Notes, fmt.Sprintf("stays an exception, as it says why: %s", notation.Ports(dev, kept)))
	}
	return result, nil
}

// follow has a device follow a port plan: ports of which the plan says something lose the shape of
// their own, unless a reason is given for it.
func follow(draft *office.Draft, device, plan string) error {
	one, err := draft.FindDevice(device)
	if err != nil {
		return err
	}
	y := one.Clone()
	y.Follows = plan
	y.Seal() // which ports are in bundles counts
	for i := range y.Ports {
		if y.Ports[i].Shape == nil || y.Ports[i].Because != "" || y.Ports[i].Kind == office.Inner {
			continue
		}
		if _, ok := draft.Office().Planned(y, i); ok {
			y.Ports[i].Shape = nil
		}
	}
	return draft.PutDevice(y)
}
