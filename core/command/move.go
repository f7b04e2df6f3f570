package command

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func doMove(n *span.Net, a *args) (*Result, error) {
	if a.accept("plug") {
		name, at := a.quoted(), a.list()
		if len(at) == 1 && a.i < len(a.words) { // from where, as several may have the name
			at = append(at, a.list()...)
		}
		if !a.done() {
			return nil, nil
		}
		if len(at) > 2 {
			return nil, fmt.Errorf("a plug goes to one port, and %d are named", len(at))
		}
		return MovePlug(n.Office, name, at[:len(at)-1], at[len(at)-1])
	}
	from, to := a.list(), a.list()
	if !a.done() {
		return nil, nil
	}
	return Move(n.Office, from, to)
}

// Move puts what hangs at ports to others, one by one: cables and plugs, the shape with its
// reason, what is noted of the port, addresses and lines to the outside that are on it. The
// others are free, or go elsewhere themselves.
func Move(o *office.Office, from, to []office.PortRef) (*Result, error) {
	if len(from) != len(to) {
		return nil, fmt.Errorf("name as many ports to go to as to come from: they are %d and %d", len(to), len(from))
	}
	way := map[office.PortRef]office.PortRef{}
	back := map[office.PortRef]bool{}
	for i, p := range from {
		if _, twice := way[p]; twice || back[to[i]] || p == to[i] {
			return nil, fmt.Errorf("%s and %s: each port is named once", p, to[i])
		}
		way[p], back[to[i]] = to[i], true
		for _, ref := range []office.PortRef{p, to[i]} {
			if device := o.Device(ref.Device); device.Ports[device.Port(ref.Port)].Kind != office.Physical {
				return nil, fmt.Errorf("%s is in the device's software: what is moved is what hangs at a port of its front", ref)
			}
		}
	}
	for _, q := range to {
		if _, goes := way[q]; !goes {
			if what := hangs(o, q); what != "" {
				return nil, fmt.Errorf("%s has %s already: move that first, or exchange the two with swap", q, what)
			}
		}
	}
	r, err := movedTo(o, way)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(from, func(p office.PortRef) bool {
		return hangs(o, p) != "" || !shapeAt(o, p).Equal(office.Shape{}) || factsAt(o, p) != nil
	}) {
		return nil, fmt.Errorf("nothing hangs at %s, and nothing is set on it", from[0])
	}
	for _, q := range to {
		was, is := shapeAt(o, q), shapeAt(r.Office, q)
		if _, goes := way[q]; !goes && !was.Equal(office.Shape{}) && !was.Equal(is) {
			r.Notes = append(r.Notes, fmt.Sprintf("%s was %s, and is %s from then on", q, notation.Shape(was), notation.Shape(is)))
		}
		if _, goes := way[q]; !goes {
			for w, text := range factsAt(o, q).Noted() {
				r.Notes = append(r.Notes, fmt.Sprintf("the %s of %s is gone: %s", w.Word, q, text))
			}
		}
	}
	return r, nil
}

// movedTo is an office with what hangs at ports, and what they are set to, at others.
func movedTo(o *office.Office, way map[office.PortRef]office.PortRef) (*Result, error) {
	out := *(&office.Refs{Port: along(way)}).Office(o)
	var notes []string
	touched := map[string]*office.Device{}
	open := func(ref office.PortRef) (*office.Device, int, error) {
		device := touched[ref.Device]
		if device == nil {
			device = out.Device(ref.Device).Clone()
			touched[ref.Device] = device
		}
		i := device.Port(ref.Port)
		if bundle := device.Ports[i].Bundle; bundle > 0 {
			return nil, 0, fmt.Errorf("%s is in bundle %s: change the bundle, or exchange cables with swap", ref, device.Ports[bundle-1].Name)
		}
		return device, i, nil
	}
	for p := range way { // all leave before any arrives
		device, i, err := open(p)
		if err != nil {
			return nil, err
		}
		x := &device.Ports[i]
		x.Shape, x.Because, x.Facts = nil, "", nil
	}
	for p, q := range way {
		device, i, err := open(q)
		if err != nil {
			return nil, err
		}
		was := o.Device(p.Device)
		k := was.Port(p.Port)
		x := &device.Ports[i]
		x.Facts, x.Shape, x.Because = was.Ports[k].Facts, nil, ""
		shape, source := o.Written(was, k)
		planned, covered := o.Planned(device, i)
		switch {
		case !covered && was.Ports[k].Shape == nil && source != office.FromPlan, covered && planned.Equal(*shape): // it is so by itself
		case device.Unaware() || was.Unaware():
			if !shape.Equal(office.Shape{}) {
				notes = append(notes, fmt.Sprintf("%s was %s, which finds no place: %s looks at no tag", p, notation.Shape(*shape), q.Device))
			}
		default:
			x.Shape, x.Because = shape, was.Ports[k].Because
		}
		if p.Device != q.Device {
			if on := onPort(was, p.Port); on != "" {
				return nil, fmt.Errorf("%s of %s is on %s: it cannot go to another device with the port, so move it first", on, p.Device, p)
			}
		}
		if slower(was.Ports[k].Speed, x.Speed) {
			notes = append(notes, fmt.Sprintf("%s runs at %s, and %s at %s", q, x.Speed, p, was.Ports[k].Speed))
		}
	}
	for i, d := range out.Devices {
		if y := touched[d.Name]; y != nil {
			out.Devices[i] = y.Seal()
		}
	}
	slices.Sort(notes)
	r, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	r.Notes = notes
	return r, nil
}

// along is where a port goes on the way, itself where it stays.
func along(way map[office.PortRef]office.PortRef) func(office.PortRef) office.PortRef {
	return func(p office.PortRef) office.PortRef {
		if q, ok := way[p]; ok {
			return q
		}
		return p
	}
}

func slower(was, is office.Speed) bool { return was > 0 && is > 0 && is < was }

// shapeAt is what a port is set to, its plan and its use looked at.
func shapeAt(o *office.Office, ref office.PortRef) office.Shape {
	device := o.Device(ref.Device)
	s, _ := o.Written(device, device.Port(ref.Port))
	return *s
}

// onPort is an address or a line of a device that is on one of its ports, "" for none.
func onPort(device *office.Device, port string) string {
	for _, a := range device.Addresses {
		if a.On == port {
			return "the address " + a.Prefix.String()
		}
	}
	for _, l := range device.Outsides {
		if l.On == port {
			return "the line " + l.Name
		}
	}
	return ""
}

// hangs is what is plugged into a port, or on it; "" for nothing.
func hangs(o *office.Office, ref office.PortRef) string {
	if _, far, ok := o.CableAt(ref); ok {
		return "a cable to " + far.String()
	}
	for _, p := range o.Plugs {
		if p.Port == ref {
			return office.Quote(p.Name)
		}
	}
	return onPort(o.Device(ref.Device), ref.Port)
}

// MovePlug plugs somebody in elsewhere; at is where he is, where several have the name.
// What the ports are set to stays; the notes say where that does not fit.
func MovePlug(o *office.Office, name string, at []office.PortRef, to office.PortRef) (*Result, error) {
	var found []office.Plug
	var names, places []string
	for _, p := range o.Plugs {
		names = append(names, p.Name)
		if p.Name == name && (len(at) == 0 || p.Port == at[0]) {
			found = append(found, p)
			places = append(places, notation.Ref(p.Port))
		}
	}
	switch {
	case len(found) == 0 && len(at) > 0:
		return nil, fmt.Errorf("%s is not plugged in at %s", office.Quote(name), at[0])
	case len(found) == 0:
		hint := ""
		if near := office.Nearest(name, names); near != "" {
			hint = ": " + office.Quote(near) + " is"
		}
		return nil, fmt.Errorf("%s is plugged in nowhere%s", office.Quote(name), hint)
	case len(found) > 1:
		return nil, fmt.Errorf("%s is plugged in at %s: say which, as in move plug %s from %s to %s", office.Quote(name), strings.Join(places, " and "), office.Quote(name), places[0], notation.Ref(to))
	case found[0].Port == to:
		return nil, fmt.Errorf("%s is at %s already", office.Quote(name), to)
	}
	out := *o
	out.Plugs = slices.Clone(o.Plugs)
	i := slices.Index(out.Plugs, found[0])
	out.Plugs[i].Port = to
	r, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	p := found[0]
	device := o.Device(to.Device)
	shape, _ := o.Effective(device, device.Port(to.Port))
	form, word := office.Untagged, "untagged"
	if p.Tagged {
		form, word = office.Tagged, "tagged"
	}
	if !device.Unaware() && shape.Of(p.Wants) != form && shape.Rest == 0 {
		r.Notes = append(r.Notes, fmt.Sprintf("%s wants %d %s, and %s is %s: bring %d to %s", p.Name, p.Wants, word, to, notation.Shape(*shape), p.Wants, notation.Ref(to)))
	}
	return r, nil
}

func doSwap(n *span.Net, a *args) (*Result, error) {
	first, second := a.list(), a.list()
	if !a.done() {
		return nil, nil
	}
	return Swap(n.Office, first, second)
}

// Swap exchanges what is plugged into ports: cables and plugs, with the wall socket that
// they lead to. What the ports are set to stays.
func Swap(o *office.Office, first, second []office.PortRef) (*Result, error) {
	if len(first) != len(second) {
		return nil, fmt.Errorf("name as many ports on both sides: they are %d and %d", len(first), len(second))
	}
	way := map[office.PortRef]office.PortRef{}
	for i, p := range first {
		q := second[i]
		if _, twice := way[p]; twice || p == q {
			return nil, fmt.Errorf("%s and %s: each port is named once", p, q)
		}
		if _, twice := way[q]; twice {
			return nil, fmt.Errorf("%s and %s: each port is named once", p, q)
		}
		if _, far, ok := o.CableAt(p); ok && far == q {
			return nil, fmt.Errorf("one cable leads from %s to %s: its ends are exchanged already", p, q)
		}
		if _, a, _ := o.CableAt(p); a == (office.PortRef{}) && !plugAt(o, p) {
			if _, b, _ := o.CableAt(q); b == (office.PortRef{}) && !plugAt(o, q) {
				return nil, fmt.Errorf("nothing is plugged into %s or %s", p, q)
			}
		}
		way[p], way[q] = q, p
	}
	goes, out := along(way), *o
	out.Cables, out.Plugs = slices.Clone(o.Cables), slices.Clone(o.Plugs)
	for i, c := range out.Cables {
		out.Cables[i] = office.Cable{A: goes(c.A), B: goes(c.B)}
	}
	for i, p := range out.Plugs {
		out.Plugs[i].Port = goes(p.Port)
	}
	out.Devices = slices.Clone(o.Devices)
	socket := office.FactNamed("socket", office.PortFact)
	for p, q := range way { // what hangs at q hangs at p now
		text := socket.In(factsAt(o, q))
		if text == socket.In(factsAt(o, p)) {
			continue
		}
		i := slices.IndexFunc(out.Devices, func(d *office.Device) bool { return d.Name == p.Device })
		y := out.Devices[i].Clone()
		x := &y.Ports[y.Port(p.Port)]
		facts, err := x.Facts.With(socket, text)
		if err != nil {
			return nil, err
		}
		x.Facts = facts
		out.Devices[i] = y.Seal()
	}
	return become(o, &out)
}

func plugAt(o *office.Office, ref office.PortRef) bool {
	return slices.ContainsFunc(o.Plugs, func(p office.Plug) bool { return p.Port == ref })
}

func factsAt(o *office.Office, ref office.PortRef) *office.Facts {
	device := o.Device(ref.Device)
	return device.Ports[device.Port(ref.Port)].Facts
}
