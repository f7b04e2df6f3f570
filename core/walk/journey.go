package walk

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
)

// Step is one device on a journey: where the frame came in and left, and what
// it wore. In is "" where the device sends it by itself, Out where it ends.
type Step struct {
	Device       string
	In, Out      string
	WireIn, Wire bridge.Wire // Wire is what it wears as it leaves
	Domain       bridge.Domain
	Text         string
	Speed        office.Speed // of the cable that it leaves by: its slower end; 0 unknown
	Routed       bool         // it changes from one VLAN to another here
}

// Journey is the way of one frame from a port to another.
type Journey struct {
	Steps   []Step
	Arrives bool
	Wire    bridge.Wire // what it wears where it comes out
	Why     string      // where and why it does not arrive
	Back    string      // why its answer does not come back, "" where it does
	Slowest office.Speed
	At      string // the cable that is the slowest: "rack.19 ward-east.8"
}

// To follows a frame from a port to the port at: inside one VLAN by the
// shortest way; from one subnet into another up to the gateway, which routes
// it as its rules let it, and down again.
//
//	> walk floor.1 to core.1
//	it has no VLAN of its own, so at floor port 1 it joins the PVID, VLAN 110 reception and
//	    leaves by port 8 as [110]
//	core takes it at port 7 into VLAN 110 reception and leaves by port 1 untagged
//	there, untagged
//	> walk floor.1 to floor.5
//	not there: It does not get there: gate drops it, as no rule fits: between zones deny.
func To(net *span.Net, from office.PortRef, wire bridge.Wire, at office.PortRef) (*Journey, error) {
	var ends [2]graph.End
	for i, ref := range []office.PortRef{from, at} {
		dev := net.Topo.DeviceIndex(ref.Device)
		if dev < 0 {
			return nil, fmt.Errorf("no device is named %s", ref.Device)
		}
		p, err := net.Office.Devices[dev].FindPort(ref.Port)
		if err != nil {
			return nil, err
		}
		ends[i].Dev, ends[i].Port = dev, net.Office.Devices[dev].Logical(p)
	}
	journey := &Journey{}
	first := arriving{ends[0].Dev, ends[0].Port, wire}
	if _, why := net.Tables[first.dev].Ingress(first.port, wire); why != bridge.Passed {
		journey.Why = fmt.Sprintf("%s drops it on arrival: %s.", net.RefAt(first.dev, first.port), why)
		return journey, nil
	}
	up := spreadIn(net, first)
	aim := aimAt(net, ends[1])
	if end := up.out(ends[1], aim); end != nil {
		journey.add(net, up, end)
		journey.Arrives, journey.Wire, journey.Back = true, end.wire, unheard(net, ends, wire, end.wire)
		return journey.slow(net), nil
	}
	start := up.stops[0]
	if vid := start.dom.VID; vid == aim.vid && !start.dom.Keep || aim.vid == 0 {
		journey.Why = fmt.Sprintf("%s.", stopped(net, start, ends[1]))
		if aim.vid == 0 && up.passes(ends[1].Dev) { // it is in the device, and not in this port
			journey.Why = fmt.Sprintf("It does not pass %s: %s.", at, shut(net, start, ends[1]))
		}
		return journey, nil
	}
	talks := talk.New(net)
	src := talks.At(start.dom.VID, []span.Place{placeOf(net, start)}, plugAddr(net, from))
	told := talks.Way(src, talks.At(aim.vid, aim.places(net, ends[1]), plugAddr(net, at)))
	last := journey.cross(net, up, told.Way)
	if told.Stop == nil && last != nil {
		if end := last.out(ends[1], aim); end != nil {
			journey.add(net, last, end)
			journey.Arrives, journey.Wire, journey.Back = true, end.wire, unanswered(told)
			return journey.slow(net), nil
		}
	}
	journey.Steps = nil
	if !told.From.IsValid() {
		journey.Why = fmt.Sprintf("%s is in %s and %s in %s, and nothing leads from the one to the other: %s.", net.Ref(ends[0]), net.Name(start.dom.VID), at, net.Name(aim.vid), told.Stop.Text)
		return journey, nil
	}
	journey.Why = whyNotRouted(net, up, told, at, func(sent *spread) string { return stopped(net, sent.stops[0], ends[1]) })
	return journey, nil
}

// unheard says why what answers at a port, in the form in which the frame came out
// there, does not come back to where the frame was sent, in its form; "" where it does.
func unheard(net *span.Net, ends [2]graph.End, sent, came bridge.Wire) string {
	from, at := ends[0], ends[1]
	if len(net.Topo.LinksAt(at.Dev, at.Port)) > 0 && !net.Office.Devices[at.Dev].TalksItself() {
		return "" // a cable between devices, where nobody is
	}
	if _, why := net.Tables[at.Dev].Ingress(at.Port, came); why != bridge.Passed {
		return fmt.Sprintf("Its answer does not come back: %s drops it on arrival: %s.", net.RefAt(at.Dev, at.Port), why)
	}
	down := spreadIn(net, arriving{at.Dev, at.Port, came})
	for _, stop := range down.stops {
		if wire, ok := net.Tables[from.Dev].Egress(stop.dom, from.Port); stop.dev == from.Dev && stop.in != from.Port && ok && wire == sent {
			return ""
		}
	}
	return fmt.Sprintf("Its answer does not come back: %s.", stopped(net, down.stops[0], from))
}

// unanswered says why an answer does not come back over devices that route, "" where
// it does.
func unanswered(told *talk.Told) string {
	if told.Back == nil {
		return ""
	}
	return "Its answer does not come back: " + told.Back.Text + "."
}

// placeOf is where a frame inside a device is.
func placeOf(net *span.Net, at *stop) span.Place {
	hub := net.Topo.HubOf(at.dev, max(at.in, 0))
	node := span.Node{Hub: hub, Label: span.LabelOf(hub, at.dom)}
	return span.Place{Span: net.SpanOf(node), Node: node}
}

// places is where one is to get to, to be heard at a port.
func (a aim) places(net *span.Net, end graph.End) []span.Place {
	hub := net.Topo.HubOf(end.Dev, end.Port)
	node := span.Node{Hub: hub, Label: span.Label(a.vid)}
	if !net.Aware(end.Dev) && a.wire == bridge.Untagged {
		node.Label = span.LabelOf(hub, bridge.Domain{Keep: true, Kept: bridge.Untagged})
	}
	if part := net.SpanOf(node); part != nil {
		return []span.Place{{Span: part, Node: node}}
	}
	return nil
}

// plugAddr is the address of what is plugged into a port, where one is said.
func plugAddr(net *span.Net, ref office.PortRef) netip.Addr {
	for _, plug := range net.Office.Plugs {
		if plug.Port == ref && plug.At.IsValid() {
			return plug.At
		}
	}
	return netip.Addr{}
}

// cross goes over devices that route, one after the other, and gives what the
// last of them sends; nil where a frame does not get to one.
func (j *Journey) cross(net *span.Net, up *spread, way []talk.Crossing) *spread {
	for _, crossing := range way {
		at := up.answering(crossing.Dev, crossing.In)
		if at == nil {
			return nil
		}
		j.add(net, up, at)
		step := &j.Steps[len(j.Steps)-1]
		step.Routed = true
		step.Text = fmt.Sprintf("%s takes it at its address %s and routes it from %s to %s", step.Device, crossing.In.Prefix.Addr(), net.Name(crossing.In.VID), net.Name(crossing.Out.VID))
		if crossing.Decides != "" {
			step.Text += fmt.Sprintf(" (%s)", crossing.Decides)
		}
		up = spreadFrom(net, crossing.Dev, crossing.Out)
	}
	return up
}

// whyNotRouted says what stops a frame between VLANs, as package talk has it, and
// which port it is that a cut comes from: before is asked what stops a frame that the
// last device on the way sends.
//
//	> walk floor.5 to core.1
//	not there: It does not get there: gate drops it, as no rule fits: between zones deny.
func whyNotRouted(net *span.Net, up *spread, told *talk.Told, to fmt.Stringer, before func(sent *spread) string) string {
	start := up.stops[0]
	cut := told.Stop == nil || told.Stop.Reason == talk.Cut
	switch gate := net.Gateways().Of(start.dom.VID, office.Family(told.From)); {
	case cut && len(told.Way) == 0 && gate.Is() && up.answering(gate.Dev, *gate.Address) == nil:
		return fmt.Sprintf("It does not reach %s, the gateway of %s at %s: %s.", net.Office.Devices[gate.Dev].Name, net.Name(start.dom.VID), gate.Addr(), stoppedBefore(net, start, gate.Dev, *gate.Address))
	case cut && len(told.Way) > 0:
		last := told.Way[len(told.Way)-1]
		return fmt.Sprintf("%s routes it into %s, and from there it does not get to %s: %s.", net.Office.Devices[last.Dev].Name, net.Name(last.Out.VID), to, before(spreadFrom(net, last.Dev, last.Out)))
	case told.Stop == nil:
		return "It does not get there: a port on the way does not let it through."
	}
	return "It does not get there: " + told.Stop.Text + "."
}

// aim is what one talks to at a port: its own VLAN, in the form in which it is
// there. vid is 0 for a cable between devices, which a frame passes or does not.
type aim struct {
	vid  office.VID
	wire bridge.Wire
	only bool // in no other form: a plug wants it so
}

// aimAt is the frame that a port is walked to with: what the plug there wants, or else the VLAN
// that it has untagged, or the only one that it has tagged.
func aimAt(net *span.Net, end graph.End) aim {
	device, compiled := net.Office.Devices[end.Dev], net.Tables[end.Dev].Ports[end.Port]
	for _, k := range net.Topo.PlugsAt(end.Dev) {
		if plug := &net.Office.Plugs[k]; device.Logical(device.Port(plug.Port.Port)) == end.Port {
			if plug.Tagged {
				return aim{plug.Wants, bridge.Wire(plug.Wants), true}
			}
			return aim{plug.Wants, bridge.Untagged, true}
		}
	}
	if len(net.Topo.LinksAt(end.Dev, end.Port)) > 0 && !device.TalksItself() {
		return aim{}
	}
	for vid := range compiled.Untagged.All() {
		return aim{vid, bridge.Untagged, false}
	}
	if compiled.Tagged.Len() == 1 {
		vid := compiled.Tagged.VIDs()[0]
		return aim{vid, compiled.WireOf(vid), false}
	}
	return aim{}
}

// stopped says what stops a frame, first of all, on the shortest way from where
// it is inside a device to a port.
func stopped(net *span.Net, from *stop, to graph.End) string {
	return stoppedOn(net, from, net.Topo.HubOf(to.Dev, to.Port), func(dom bridge.Domain) string { return shut(net, &stop{dev: to.Dev, dom: dom}, to) })
}

// stoppedBefore is [Net.stopped] for an address of a device.
func stoppedBefore(net *span.Net, from *stop, dev int, address office.Address) string {
	hubs := net.AddressHubs(dev, address.VID, address.On)
	if len(hubs) == 0 {
		return "it has no ports"
	}
	return stoppedOn(net, from, hubs[0], func(bridge.Domain) string {
		return fmt.Sprintf("what comes in there does not get to its address in %s", net.Name(address.VID))
	})
}

// stoppedOn says where on the way to a device the frame is dropped, and why: it follows the way
// that the VLAN would have if every port let it through, and stops at the first that does not.
func stoppedOn(net *span.Net, from *stop, goal int, there func(bridge.Domain) string) string {
	at := net.Topo.HubOf(from.dev, max(from.in, 0))
	if from.in < 0 && from.dom.Port > 0 {
		at = net.Topo.HubOf(from.dev, int(from.dom.Port)-1)
	}
	way, ok := net.RouteAnyhow(from.dom.VID, []int{at}, func(h int) bool { return h == goal })
	if !ok {
		return fmt.Sprintf("no cable leads from %s to %s", net.Office.Devices[from.dev].Name, net.Office.Devices[net.Topo.Hubs[goal].Dev].Name)
	}
	dom, vid := from.dom, from.dom.VID
	for _, link := range way {
		one := &net.Topo.Links[link]
		near, far := one.A, one.B
		if near.Hub != at {
			near, far = far, near
		}
		wire, ok := net.Tables[near.Dev].Egress(dom, near.Port)
		if !ok {
			return fmt.Sprintf("%s does not let %s out towards %s", net.RefAt(near.Dev, near.Port), net.Name(vid), net.RefAt(far.Dev, far.Port))
		}
		in, why := net.Tables[far.Dev].Ingress(far.Port, wire)
		if why != bridge.Passed {
			return fmt.Sprintf("%s drops it, as %s", net.RefAt(far.Dev, far.Port), why)
		}
		if !in.Keep && in.VID != vid && vid != 0 {
			return fmt.Sprintf("at %s it joins %s", net.RefAt(far.Dev, far.Port), net.Name(in.VID))
		}
		dom, at = in, far.Hub
	}
	return there(dom)
}

// shut says why a frame in a device does not leave by a port.
func shut(net *span.Net, at *stop, end graph.End) string {
	ref, compiled := net.RefAt(end.Dev, end.Port), net.Tables[end.Dev].Ports[end.Port]
	wire, ok := net.Tables[end.Dev].Egress(at.dom, end.Port)
	switch {
	case compiled.Off:
		return fmt.Sprintf("%s is shut", ref)
	case !ok:
		return fmt.Sprintf("%s is not in %s", ref, net.Name(at.dom.VID))
	}
	return fmt.Sprintf("it leaves %s %s, and something else is wanted there", ref, wears(wire))
}

// stop is a frame inside a device, or leaving it by a port without a cable.
type stop struct {
	dev, in int // in is -1 where the device sends it
	wireIn  bridge.Wire
	dom     bridge.Domain
	via     *stop // the device before
	viaPort int   // by which it left that one
	viaWire bridge.Wire
	out     int
	wire    bridge.Wire
}

type spread struct {
	net   *span.Net
	stops []*stop
}

// spreadIn goes breadth first through the devices that a frame gets into.
func spreadIn(net *span.Net, one arriving) *spread {
	frames := &spread{net: net}
	seen := map[arriving]bool{one: true}
	if dom, why := net.Tables[one.dev].Ingress(one.port, one.wire); why == bridge.Passed {
		frames.stops = append(frames.stops, &stop{dev: one.dev, in: one.port, wireIn: one.wire, dom: dom, out: -1})
	}
	frames.grow(seen)
	return frames
}

// spreadFrom is a frame that a device sends from one of its addresses.
func spreadFrom(net *span.Net, dev int, address office.Address) *spread {
	frames := &spread{net: net}
	dom := bridge.Domain{VID: address.VID}
	for _, hub := range net.AddressHubs(dev, address.VID, address.On) {
		if p := net.Topo.Hubs[hub].Port; p >= 0 {
			dom.Port = int16(p + 1)
		}
	}
	frames.stops = append(frames.stops, &stop{dev: dev, in: -1, dom: dom, out: -1})
	frames.grow(map[arriving]bool{})
	return frames
}

// grow floods the frame from each stop to the next until no stop is new; seen holds where it has
// arrived and how, so that a ring of cables ends.
func (s *spread) grow(seen map[arriving]bool) {
	net := s.net
	for i := 0; i < len(s.stops); i++ {
		at := s.stops[i]
		table := net.Tables[at.dev]
		for port := range table.Ports {
			if port == at.in {
				continue
			}
			wire, ok := table.Egress(at.dom, port)
			if !ok {
				continue
			}
			for _, l := range net.Topo.LinksAt(at.dev, port) {
				for _, to := range net.Topo.Across(l, at.dev, port) {
					next := arriving{to.Dev, to.Port, wire}
					dom, why := net.Tables[to.Dev].Ingress(to.Port, wire)
					if seen[next] {
						continue
					}
					seen[next] = true
					if why != bridge.Passed {
						continue
					}
					s.stops = append(s.stops, &stop{dev: to.Dev, in: to.Port, wireIn: wire, dom: dom, via: at, viaPort: port, viaWire: wire, out: -1})
				}
			}
		}
	}
}

// out is the nearest stop from which the frame leaves by a port, as it is
// wanted there, or at which it comes in by it: the far end of a cable is reached
// as well. It is nil for none.
func (s *spread) out(one graph.End, aim aim) *stop {
	for _, at := range s.stops {
		if at.dev != one.Dev {
			continue
		}
		if at.in == one.Port && at.via != nil {
			end := *at
			end.wire = at.wireIn
			return &end
		}
		wire, ok := s.net.Tables[one.Dev].Egress(at.dom, one.Port)
		if !ok || at.in == one.Port || aim.only && (wire != aim.wire || !at.dom.Keep && at.dom.VID != aim.vid) {
			continue
		}
		end := *at
		end.out, end.wire = one.Port, wire
		return &end
	}
	return nil
}

// passes says whether the frame gets into a device.
func (s *spread) passes(dev int) bool {
	return slices.ContainsFunc(s.stops, func(at *stop) bool { return at.dev == dev })
}

// answering is the stop at which an address of a device takes the frame.
func (s *spread) answering(dev int, address office.Address) *stop {
	for _, at := range s.stops {
		if at.dev == dev && answers(s.net, at, address) {
			return at
		}
	}
	return nil
}

// answers says whether a device's address stands where a stop is.
func answers(net *span.Net, at *stop, address office.Address) bool {
	return slices.Contains(reach.Address(net, at.dev, &address), placeOf(net, at))
}

// add puts the way to a stop behind what the journey has.
func (j *Journey) add(net *span.Net, spread *spread, end *stop) {
	var way []*stop
	for at := end; at != nil; at = at.via {
		way = append(way, at)
	}
	for i := len(way) - 1; i >= 0; i-- {
		at := way[i]
		device := net.Office.Devices[at.dev]
		step := Step{Device: device.Name, WireIn: at.wireIn, Domain: at.dom}
		out, wire := at.out, at.wire
		if i > 0 {
			out, wire = way[i-1].viaPort, way[i-1].viaWire
			step.Speed = slower(net, at.dev, out)
		}
		if out >= 0 {
			step.Out, step.Wire = device.Ports[out].Name, wire
		}
		if at.in < 0 { // the gateway goes on with what it routed
			other := &j.Steps[len(j.Steps)-1]
			other.Out, other.Wire, other.Speed = step.Out, step.Wire, step.Speed
			if step.Out != "" {
				other.Text += fmt.Sprintf("; it leaves by port %s %s", step.Out, wears(step.Wire))
			}
			continue
		}
		step.In = device.Ports[at.in].Name
		hop := Hop{Device: device.Name, In: net.RefAt(at.dev, at.in), Wire: at.wireIn, Domain: at.dom}
		step.Text = tellIn(net, &hop, net.Tables[at.dev])
		if step.Out != "" {
			step.Text += fmt.Sprintf(" and leaves by port %s %s", step.Out, wears(wire))
		}
		j.Steps = append(j.Steps, step)
	}
}

// wears tells what a frame has on: "as [20]" with a tag, "untagged" without.
func wears(wire bridge.Wire) string {
	if wire > 0 {
		return "as " + wire.String()
	}
	return wire.String()
}

// slower is the speed of a port's cable: that of its slower end, 0 where one
// is not known. Where a bundle's cables end in several places, the first counts.
func slower(net *span.Net, dev, port int) office.Speed {
	links := net.Topo.LinksAt(dev, port)
	if len(links) == 0 {
		return 0
	}
	one := speed(net, dev, port)
	for _, to := range net.Topo.Across(links[0], dev, port) {
		one = min(one, speed(net, to.Dev, to.Port))
	}
	return one
}

// speed is a port's, or that of one member of a bundle: one flow takes one.
func speed(net *span.Net, dev, port int) office.Speed {
	device := net.Office.Devices[dev]
	if ms := device.Ports[port].Members; len(ms) > 0 {
		return device.Ports[ms[0]].Speed
	}
	return device.Ports[port].Speed
}

// slow finds the cable that holds the others up; none where all are alike.
func (j *Journey) slow(net *span.Net) *Journey {
	fastest := office.Speed(0)
	for i, step := range j.Steps {
		if i+1 == len(j.Steps) || step.Speed == 0 {
			continue
		}
		fastest = max(fastest, step.Speed)
		if j.Slowest == 0 || step.Speed < j.Slowest {
			j.Slowest = step.Speed
			j.At = step.Device + "." + step.Out + " " + j.Steps[i+1].Device + "." + j.Steps[i+1].In
		}
	}
	if j.Slowest == fastest {
		j.Slowest, j.At = 0, ""
	}
	return j
}

// Narrowest is the slowest cable of a journey, the first of equal ones; the speed
// is 0 where none is known.
//
//	> walk floor.2 to core.2
//	it has no VLAN of its own, so at floor port 2 it joins the PVID, VLAN 110 reception and
//	    leaves by port 8 as [110]
//	core takes it at port 7 into VLAN 110 reception and leaves by port 2 untagged
//	there, untagged
func (j *Journey) Narrowest() (speed office.Speed, ref, other office.PortRef) {
	for i, step := range j.Steps {
		if i+1 < len(j.Steps) && step.Speed > 0 && step.Out != "" && (speed == 0 || step.Speed < speed) {
			next := j.Steps[i+1]
			speed, ref, other = step.Speed, office.PortRef{Device: step.Device, Port: step.Out}, office.PortRef{Device: next.Device, Port: next.In}
		}
	}
	return speed, ref, other
}
