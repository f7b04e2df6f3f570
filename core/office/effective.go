package office

// Source says where a port's effective shape comes from.
type Source uint8

const (
	FromNothing   Source = iota // nothing is set: the port is in no VLAN
	FromPort                    // set on the port itself
	FromPlan                    // its plan's line
	FromException               // set on the port, where its plan says something too
)

// Covers is the plan's shape for place (1-based) on a front of n ports.
func (p *Plan) Covers(place, n int) (*Shape, bool) {
	for i := len(p.Lines) - 1; i >= 0; i-- {
		for _, r := range p.Lines[i].Ports {
			from, to := r.From, r.To
			if from <= 0 {
				from += n
			}
			if to <= 0 {
				to += n
			}
			if from <= place && place <= to {
				return &p.Lines[i].Shape, true
			}
		}
	}
	return nil, false
}

// Planned is what the device's plan says of port i: for a bundle, what it says
// of all its members where it says the same of each.
func (o *Office) Planned(device *Device, i int) (*Shape, bool) {
	if device.Follows == "" {
		return nil, false
	}
	plan := o.Plan(device.Follows)
	if plan == nil {
		return nil, false
	}
	return plan.planned(device, i, device.Front())
}

// planned is the shape that the plan has for port i of a device with that many ports in front. A
// bundle has one where the plan says the same for all its ports; ports inside a device have none.
func (p *Plan) planned(device *Device, i, front int) (*Shape, bool) {
	port := &device.Ports[i]
	switch port.Kind {
	case Physical:
		return p.Covers(i+1, front)
	case Bundle:
		var all *Shape
		for _, m := range port.Members {
			shape, ok := p.Covers(m+1, front)
			if !ok || all != nil && !all.Equal(*shape) {
				return nil, false
			}
			all = shape
		}
		return all, all != nil
	}
	return nil, false
}

var noShape = &Shape{}

// Effective is the shape in force on port i of device, its use resolved: its
// exception, else its plan's, else what is set on it, else nothing. Rest is
// left as it is. Members of a bundle have none of their own.
func (o *Office) Effective(device *Device, i int) (*Shape, Source) {
	shape, src := o.Written(device, i)
	return o.Resolve(shape), src
}

// Written is as [Office.Effective] with a use left as a use.
func (o *Office) Written(device *Device, i int) (*Shape, Source) {
	port := &device.Ports[i]
	if port.Bundle > 0 {
		return noShape, FromNothing
	}
	planned, covered := o.Planned(device, i)
	if len(device.Outsides) > 0 && !covered && (port.Shape == nil || port.Shape.Equal(Shape{})) {
		if shape := device.lineShape(port.Name); shape != nil {
			return shape, FromPort
		}
	}
	switch {
	case port.Shape != nil && covered:
		return port.Shape, FromException
	case port.Shape != nil:
		return port.Shape, FromPort
	case covered:
		return planned, FromPlan
	}
	return noShape, FromNothing
}

// Resolve replaces a use by its shape.
func (o *Office) Resolve(shape *Shape) *Shape {
	if shape.Use == "" {
		return shape
	}
	if use := o.Use(shape.Use); use != nil {
		return &use.Shape
	}
	return noShape
}
