package command

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// doMove moves what hangs at a port, with its shape, note and reason, or one plug alone.
//
//	move rack.5-8 to rack.9-12
//	move plug "accounts pc" to rack.9
func doMove(net *span.Net, args *args) (*Result, error) {
	if args.accept("plug") {
		name, at := args.quoted(), args.list()
		if len(at) == 1 && args.at < len(args.words) { // from where, as several may have the name
			at = append(at, args.list()...)
		}
		if !args.done() {
			return nil, nil
		}
		if len(at) > 2 {
			return nil, fmt.Errorf("a plug goes to one port, and %d are named", len(at))
		}
		return MovePlug(net.Office, name, at[:len(at)-1], at[len(at)-1])
	}
	from, to := args.list(), args.list()
	if !args.done() {
		return nil, nil
	}
	return Move(net.Office, from, to)
}

// Move puts what hangs at ports to others, one by one: cables and plugs, the shape with its
// reason, what is noted of the port, addresses and lines to the outside that are on it. The
// others are free, or go elsewhere themselves.
//
//	> move core.1-2 to core.6-7
//	! column 6: core.7 has a cable to floor.8 already: move that first, or exchange the two
//	    with swap
//
// Many branches: everything is looked at before anything is moved, so that a mistake moves
// nothing.
func Move(o *office.Office, from, to []office.PortRef) (*Result, error) {
	if len(from) != len(to) {
		return nil, fmt.Errorf("name as many ports to go to as to come from: they are %d and %d", len(to), len(from))
	}
	way := map[office.PortRef]office.PortRef{}
	back := map[office.PortRef]bool{}
	for i, other := range from {
		if _, twice := way[other]; twice || back[to[i]] || other == to[i] {
			return nil, fmt.Errorf("%s and %s: each port is named once", other, to[i])
		}
		way[other], back[to[i]] = to[i], true
		for _, ref := range []office.PortRef{other, to[i]} {
			if device := o.Device(ref.Device); device.Ports[device.Port(ref.Port)].Kind != office.Physical {
				return nil, fmt.Errorf("%s is in the device's software: what is moved is what hangs at a port of its front", ref)
			}
		}
	}
	for _, ref := range to {
		if _, goes := way[ref]; !goes {
			if what := hangs(o, ref); what != "" {
				return nil, fmt.Errorf("%s has %s already: move that first, or exchange the two with swap", ref, what)
			}
		}
	}
	result, err := movedTo(o, way)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(from, func(ref office.PortRef) bool {
		return hangs(o, ref) != "" || !shapeAt(o, ref).Equal(office.Shape{}) || factsAt(o, ref) != nil
	}) {
		return nil, fmt.Errorf("nothing hangs at %s, and nothing is set on it", from[0])
	}
	for _, ref := range to {
		was, is := shapeAt(o, ref), shapeAt(result.Office, ref)
		if _, goes := way[ref]; !goes && !was.Equal(office.Shape{}) && !was.Equal(is) {
			result.Notes = append(result.Notes, fmt.Sprintf("%s was %s, and is %s from then on", ref, notation.Shape(was), notation.Shape(is)))
		}
		if _, goes := way[ref]; !goes {
			for fact, text := range factsAt(o, ref).Noted() {
				result.Notes = append(result.Notes, fmt.Sprintf("the %s of %s is gone: %s", fact.Word, ref, text))
			}
		}
	}
	return result, nil
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
	for ref := range way { // all leave before any arrives
		device, i, err := open(ref)
		if err != nil {
			return nil, err
		}
		port := &device.Ports[i]
		port.Shape, port.Because, port.Facts = nil, "", nil
	}
	for ref, other := range way {
		device, i, err := open(other)
		if err != nil {
			return nil, err
		}
		was := o.Device(ref.Device)
		port := was.Port(ref.Port)
		one := &device.Ports[i]
		one.Facts, one.Shape, one.Because = was.Ports[port].Facts, nil, ""
		shape, source := o.Written(was, port)
		planned, covered := o.Planned(device, i)
		switch {
		case !covered && was.Ports[port].Shape == nil && source != office.FromPlan, covered && planned.Equal(*shape): // it is so by itself
		case device.Unaware() || was.Unaware():
			if !shape.Equal(office.Shape{}) {
				notes = append(notes, fmt.Sprintf("%s was %s, which finds no place: %s looks at no tag", ref, notation.Shape(*shape), other.Device))
			}
		default:
			one.Shape, one.Because = shape, was.Ports[port].Because
		}
		if ref.Device != other.Device {
			if on := onPort(was, ref.Port); on != "" {
				return nil, fmt.Errorf("%s of %s is on %s: it cannot go to another device with the port, so move it first", on, ref.Device, ref)
			}
		}
		if slower(was.Ports[port].Speed, one.Speed) {
			notes = append(notes, fmt.Sprintf("%s runs at %s, and %s at %s", other, one.Speed, ref, was.Ports[port].Speed))
		}
	}
	for i, device := range out.Devices {
		if other := touched[device.Name]; other != nil {
			out.Devices[i] = other.Seal()
		}
	}
	slices.Sort(notes)
	result, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	result.Notes = notes
	return result, nil
}

// along is where a port goes on the way, itself where it stays.
func along(way map[office.PortRef]office.PortRef) func(office.PortRef) office.PortRef {
	return func(ref office.PortRef) office.PortRef {
		if other, ok := way[ref]; ok {
			return other
		}
		return ref
	}
}

func slower(was, is office.Speed) bool { return was > 0 && is > 0 && is < was }

// shapeAt is what a port is set to, its plan and its use looked at.
func shapeAt(o *office.Office, ref office.PortRef) office.Shape {
	device := o.Device(ref.Device)
	shape, _ := o.Written(device, device.Port(ref.Port))
	return *shape
}

// onPort is an address or a line of a device that is on one of its ports, "" for none.
func onPort(device *office.Device, port string) string {
	for _, address := range device.Addresses {
		if address.On == port {
			return "the address " + address.Prefix.String()
		}
	}
	for _, line := range device.Outsides {
		if line.On == port {
			return "the line " + line.Name
		}
	}
	return ""
}

// hangs is what is plugged into a port, or on it; "" for nothing.
func hangs(o *office.Office, ref office.PortRef) string {
	if _, far, ok := o.CableAt(ref); ok {
		return "a cable to " + far.String()
	}
	for _, plug := range o.Plugs {
		if plug.Port == ref {
			return office.Quote(plug.Name)
		}
	}
	return onPort(o.Device(ref.Device), ref.Port)
}

// MovePlug plugs somebody in elsewhere; at is where he is, where several have the name.
// What the ports are set to stays; the notes say where that does not fit.
//
//	> move plug tablet to core.4
//	-plug floor.5 "tablet"
//	plug core.4 "tablet" wants 160
func MovePlug(o *office.Office, name string, at []office.PortRef, to office.PortRef) (*Result, error) {
	var found []office.Plug
	var names, places []string
	for _, plug := range o.Plugs {
		names = append(names, plug.Name)
		if plug.Name == name && (len(at) == 0 || plug.Port == at[0]) {
			found = append(found, plug)
			places = append(places, notation.Ref(plug.Port))
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
	result, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	other := found[0]
	device := o.Device(to.Device)
	shape, _ := o.Effective(device, device.Port(to.Port))
	form, word := office.Untagged, "untagged"
	if other.Tagged {
		form, word = office.Tagged, "tagged"
	}
	if !device.Unaware() && shape.Of(other.Wants) != form && shape.Rest == 0 {
		result.Notes = append(result.Notes, fmt.Sprintf("%s wants %d %s, and %s is %s: bring %d to %s", other.Name, other.Wants, word, to, notation.Shape(*shape), other.Wants, notation.Ref(to)))
	}
	return result, nil
}

// doSwap reads: swap PORTS PORTS, as many in the one as in the other.
//
//	> swap core.1-2 core.6
//	! column 6: name as many ports on both sides: they are 2 and 1
func doSwap(net *span.Net, args *args) (*Result, error) {
	first, second := args.list(), args.list()
	if !args.done() {
		return nil, nil
	}
	return Swap(net.Office, first, second)
}

// Swap exchanges what is plugged into ports: cables and plugs, with the wall socket that
// they lead to. What the ports are set to stays.
//
//	> swap core.1 core.2
//	-plug core.1 "reception pc"
//	plug core.2 "reception pc" wants 110 at 10.61.110.20
func Swap(o *office.Office, first, second []office.PortRef) (*Result, error) {
	if len(first) != len(second) {
		return nil, fmt.Errorf("name as many ports on both sides: they are %d and %d", len(first), len(second))
	}
	way := map[office.PortRef]office.PortRef{}
	for i, ref := range first {
		other := second[i]
		if _, twice := way[ref]; twice || ref == other {
			return nil, fmt.Errorf("%s and %s: each port is named once", ref, other)
		}
		if _, twice := way[other]; twice {
			return nil, fmt.Errorf("%s and %s: each port is named once", ref, other)
		}
		if _, far, ok := o.CableAt(ref); ok && far == other {
			return nil, fmt.Errorf("one cable leads from %s to %s: its ends are exchanged already", ref, other)
		}
		if _, one, _ := o.CableAt(ref); one == (office.PortRef{}) && !plugAt(o, ref) {
			if _, b, _ := o.CableAt(other); b == (office.PortRef{}) && !plugAt(o, other) {
				return nil, fmt.Errorf("nothing is plugged into %s or %s", ref, other)
			}
		}
		way[ref], way[other] = other, ref
	}
	goes, out := along(way), *o
	out.Cables, out.Plugs = slices.Clone(o.Cables), slices.Clone(o.Plugs)
	for i, cable := range out.Cables {
		out.Cables[i] = office.Cable{A: goes(cable.A), B: goes(cable.B)}
	}
	for i, plug := range out.Plugs {
		out.Plugs[i].Port = goes(plug.Port)
	}
	out.Devices = slices.Clone(o.Devices)
	socket := office.FactNamed("socket", office.PortFact)
	for ref, other := range way { // what hangs at other hangs at ref now
		text := socket.In(factsAt(o, other))
		if text == socket.In(factsAt(o, ref)) {
			continue
		}
		i := slices.IndexFunc(out.Devices, func(device *office.Device) bool { return device.Name == ref.Device })
		one := out.Devices[i].Clone()
		port := &one.Ports[one.Port(ref.Port)]
		facts, err := port.Facts.With(socket, text)
		if err != nil {
			return nil, err
		}
		port.Facts = facts
		out.Devices[i] = one.Seal()
	}
	return become(o, &out)
}

func plugAt(o *office.Office, ref office.PortRef) bool {
	return slices.ContainsFunc(o.Plugs, func(plug office.Plug) bool { return plug.Port == ref })
}

func factsAt(o *office.Office, ref office.PortRef) *office.Facts {
	device := o.Device(ref.Device)
	return device.Ports[device.Port(ref.Port)].Facts
}
