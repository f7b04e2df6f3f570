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
func To(n *span.Net, from office.PortRef, wire bridge.Wire, at office.PortRef) (*Journey, error) {
	var ends [2]graph.End
	for i, r := range []office.PortRef{from, at} {
		dev := n.Topo.DeviceIndex(r.Device)
		if dev < 0 {
			return nil, fmt.Errorf("no device is named %s", r.Device)
		}
		p, err := n.Office.Devices[dev].FindPort(r.Port)
		if err != nil {
			return nil, err
		}
		ends[i].Dev, ends[i].Port = dev, n.Office.Devices[dev].Logical(p)
	}
	journey := &Journey{}
	first := arriving{ends[0].Dev, ends[0].Port, wire}
	if _, why := n.Tables[first.dev].Ingress(first.port, wire); why != bridge.Passed {
		journey.Why = fmt.Sprintf("%s drops it on arrival: %s.", n.RefAt(first.dev, first.port), why)
		return journey, nil
	}
	up := spreadIn(n, first)
	aim := aimAt(n, ends[1])
	if end := up.out(ends[1], aim); end != nil {
		journey.add(n, up, end)
		journey.Arrives, journey.Wire, journey.Back = true, end.wire, unheard(n, ends, wire, end.wire)
		return journey.slow(n), nil
	}
	start := up.stops[0]
	if v := start.dom.VID; v == aim.vid && !start.dom.Keep || aim.vid == 0 {
		journey.Why = fmt.Sprintf("%s.", stopped(n, start, ends[1]))
		if aim.vid == 0 && up.passes(ends[1].Dev) { // it is in the device, and not in this port
			journey.Why = fmt.Sprintf("It does not pass %s: %s.", at, shut(n, start, ends[1]))
		}
		return journey, nil
	}
	m := talk.New(n)
	src := m.At(start.dom.VID, []span.Place{placeOf(n, start)}, plugAddr(n, from))
	told := m.Way(src, m.At(aim.vid, aim.places(n, ends[1]), plugAddr(n, at)))
	last := journey.cross(n, up, told.Way)
	if told.Stop == nil && last != nil {
		if end := last.out(ends[1], aim); end != nil {
			journey.add(n, last, end)
			journey.Arrives, journey.Wire, journey.Back = true, end.wire, unanswered(told)
			return journey.slow(n), nil
		}
	}
	journey.Steps = nil
	if !told.From.IsValid() {
		journey.Why = fmt.Sprintf("%s is in %s and %s in %s, and nothing leads from the one to the other: %s.", n.Ref(ends[0]), n.Name(start.dom.VID), at, n.Name(aim.vid), told.Stop.Text)
		return journey, nil
	}
	journey.Why = whyNotRouted(n, up, told, at, func(sent *spread) string { return stopped(n, sent.stops[0], ends[1]) })
	return journey, nil
}

// unheard says why what answers at a port, in the form in which the frame came out
// there, does not come back to where the frame was sent, in its form; "" where it does.
func unheard(n *span.Net, ends [2]graph.End, sent, came bridge.Wire) string {
	from, at := ends[0], ends[1]
	if len(n.Topo.LinksAt(at.Dev, at.Port)) > 0 && !n.Office.Devices[at.Dev].TalksItself() {
		return "" // a cable between devices, where nobody is
	}
	if _, why := n.Tables[at.Dev].Ingress(at.Port, came); why != bridge.Passed {
		return fmt.Sprintf("Its answer does not come back: %s drops it on arrival: %s.", n.RefAt(at.Dev, at.Port), why)
	}
	down := spreadIn(n, arriving{at.Dev, at.Port, came})
	for _, x := range down.stops {
		if w, ok := n.Tables[from.Dev].Egress(x.dom, from.Port); x.dev == from.Dev && x.in != from.Port && ok && w == sent {
			return ""
		}
	}
	return fmt.Sprintf("Its answer does not come back: %s.", stopped(n, down.stops[0], from))
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
func placeOf(n *span.Net, at *stop) span.Place {
	hub := n.Topo.HubOf(at.dev, max(at.in, 0))
	x := span.Node{Hub: hub, Label: span.LabelOf(hub, at.dom)}
	return span.Place{Span: n.SpanOf(x), Node: x}
}

// places is where one is to get to, to be heard at a port.
func (a aim) places(n *span.Net, e graph.End) []span.Place {
	hub := n.Topo.HubOf(e.Dev, e.Port)
	x := span.Node{Hub: hub, Label: span.Label(a.vid)}
	if !n.Aware(e.Dev) && a.wire == bridge.Untagged {
		x.Label = span.LabelOf(hub, bridge.Domain{Keep: true, Kept: bridge.Untagged})
	}
	if s := n.SpanOf(x); s != nil {
		return []span.Place{{Span: s, Node: x}}
	}
	return nil
}

// plugAddr is the address of what is plugged into a port, where one is said.
func plugAddr(n *span.Net, r office.PortRef) netip.Addr {
	for _, p := range n.Office.Plugs {
		if p.Port == r && p.At.IsValid() {
			return p.At
		}
	}
	return netip.Addr{}
}

// cross goes over devices that route, one after the other, and gives what the
// last of them sends; nil where a frame does not get to one.
func (j *Journey) cross(n *span.Net, up *spread, way []talk.Crossing) *spread {
	for _, c := range way {
		at := up.answering(c.Dev, c.In)
		if at == nil {
			return nil
		}
		j.add(n, up, at)
		g := &j.Steps[len(j.Steps)-1]
		g.Routed = true
		g.Text = fmt.Sprintf("%s takes it at its address %s and routes it from %s to %s", g.Device, c.In.Prefix.Addr(), n.Name(c.In.VID), n.Name(c.Out.VID))
		if c.Decides != "" {
			g.Text += fmt.Sprintf(" (%s)", c.Decides)
		}
		up = spreadFrom(n, c.Dev, c.Out)
	}
	return up
}

// whyNotRouted says what stops a frame between VLANs, as package talk has it, and
// which port it is that a cut comes from: before is asked what stops a frame that the
// last device on the way sends.
func whyNotRouted(n *span.Net, up *spread, told *talk.Told, to fmt.Stringer, before func(sent *spread) string) string {
	start := up.stops[0]
	cut := told.Stop == nil || told.Stop.Reason == talk.Cut
	switch gate := n.Gateways().Of(start.dom.VID, office.Family(told.From)); {
	case cut && len(told.Way) == 0 && gate.Is() && up.answering(gate.Dev, *gate.Address) == nil:
		return fmt.Sprintf("It does not reach %s, the gateway of %s at %s: %s.", n.Office.Devices[gate.Dev].Name, n.Name(start.dom.VID), gate.Addr(), stoppedBefore(n, start, gate.Dev, *gate.Address))
	case cut && len(told.Way) > 0:
		last := told.Way[len(told.Way)-1]
		return fmt.Sprintf("%s routes it into %s, and from there it does not get to %s: %s.", n.Office.Devices[last.Dev].Name, n.Name(last.Out.VID), to, before(spreadFrom(n, last.Dev, last.Out)))
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

func aimAt(n *span.Net, end graph.End) aim {
	device, compiled := n.Office.Devices[end.Dev], n.Tables[end.Dev].Ports[end.Port]
	for _, k := range n.Topo.PlugsAt(end.Dev) {
		if p := &n.Office.Plugs[k]; device.Logical(device.Port(p.Port.Port)) == end.Port {
			if p.Tagged {
				return aim{p.Wants, bridge.Wire(p.Wants), true}
			}
			return aim{p.Wants, bridge.Untagged, true}
		}
	}
	if len(n.Topo.LinksAt(end.Dev, end.Port)) > 0 && !device.TalksItself() {
		return aim{}
	}
	for v := range compiled.Untagged.All() {
		return aim{v, bridge.Untagged, false}
	}
	if compiled.Tagged.Len() == 1 {
		v := compiled.Tagged.VIDs()[0]
		return aim{v, compiled.WireOf(v), false}
	}
	return aim{}
}

// stopped says what stops a frame, first of all, on the shortest way from where
// it is inside a device to a port.
func stopped(n *span.Net, from *stop, to graph.End) string {
	return stoppedOn(n, from, n.Topo.HubOf(to.Dev, to.Port), func(dom bridge.Domain) string { return shut(n, &stop{dev: to.Dev, dom: dom}, to) })
}

// stoppedBefore is [Net.stopped] for an address of a device.
func stoppedBefore(n *span.Net, from *stop, dev int, address office.Address) string {
	hubs := n.AddressHubs(dev, address.VID, address.On)
	if len(hubs) == 0 {
		return "it has no ports"
	}
	return stoppedOn(n, from, hubs[0], func(bridge.Domain) string {
		return fmt.Sprintf("what comes in there does not get to its address in %s", n.Name(address.VID))
	})
}

func stoppedOn(n *span.Net, from *stop, goal int, there func(bridge.Domain) string) string {
	at := n.Topo.HubOf(from.dev, max(from.in, 0))
	if from.in < 0 && from.dom.Port > 0 {
		at = n.Topo.HubOf(from.dev, int(from.dom.Port)-1)
	}
	way, ok := n.RouteAnyhow(from.dom.VID, []int{at}, func(h int) bool { return h == goal })
	if !ok {
		return fmt.Sprintf("no cable leads from %s to %s", n.Office.Devices[from.dev].Name, n.Office.Devices[n.Topo.Hubs[goal].Dev].Name)
	}
	dom, vid := from.dom, from.dom.VID
	for _, l := range way {
		k := &n.Topo.Links[l]
		near, far := k.A, k.B
		if near.Hub != at {
			near, far = far, near
		}
		w, ok := n.Tables[near.Dev].Egress(dom, near.Port)
		if !ok {
			return fmt.Sprintf("%s does not let %s out towards %s", n.RefAt(near.Dev, near.Port), n.Name(vid), n.RefAt(far.Dev, far.Port))
		}
		in, why := n.Tables[far.Dev].Ingress(far.Port, w)
		if why != bridge.Passed {
			return fmt.Sprintf("%s drops it, as %s", n.RefAt(far.Dev, far.Port), why)
		}
		if !in.Keep && in.VID != vid && vid != 0 {
			return fmt.Sprintf("at %s it joins %s", n.RefAt(far.Dev, far.Port), n.Name(in.VID))
		}
		dom, at = in, far.Hub
	}
	return there(dom)
}

// shut says why a frame in a device does not leave by a port.
func shut(n *span.Net, at *stop, e graph.End) string {
	ref, t := n.RefAt(e.Dev, e.Port), n.Tables[e.Dev].Ports[e.Port]
	wire, ok := n.Tables[e.Dev].Egress(at.dom, e.Port)
	switch {
	case t.Off:
		return fmt.Sprintf("%s is shut", ref)
	case !ok:
		return fmt.Sprintf("%s is not in %s", ref, n.Name(at.dom.VID))
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
	n     *span.Net
	stops []*stop
}

// spreadIn goes breadth first through the devices that a frame gets into.
func spreadIn(n *span.Net, a arriving) *spread {
	frames := &spread{n: n}
	seen := map[arriving]bool{a: true}
	if dom, why := n.Tables[a.dev].Ingress(a.port, a.wire); why == bridge.Passed {
		frames.stops = append(frames.stops, &stop{dev: a.dev, in: a.port, wireIn: a.wire, dom: dom, out: -1})
	}
	frames.grow(seen)
	return frames
}

// spreadFrom is a frame that a device sends from one of its addresses.
func spreadFrom(n *span.Net, dev int, a office.Address) *spread {
	frames := &spread{n: n}
	dom := bridge.Domain{VID: a.VID}
	for _, h := range n.AddressHubs(dev, a.VID, a.On) {
		if p := n.Topo.Hubs[h].Port; p >= 0 {
			dom.Port = int16(p + 1)
		}
	}
	frames.stops = append(frames.stops, &stop{dev: dev, in: -1, dom: dom, out: -1})
	frames.grow(map[arriving]bool{})
	return frames
}

func (s *spread) grow(seen map[arriving]bool) {
	n := s.n
	for i := 0; i < len(s.stops); i++ {
		at := s.stops[i]
		t := n.Tables[at.dev]
		for port := range t.Ports {
			if port == at.in {
				continue
			}
			wire, ok := t.Egress(at.dom, port)
			if !ok {
				continue
			}
			for _, l := range n.Topo.LinksAt(at.dev, port) {
				for _, to := range n.Topo.Across(l, at.dev, port) {
					next := arriving{to.Dev, to.Port, wire}
					dom, why := n.Tables[to.Dev].Ingress(to.Port, wire)
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
func (s *spread) out(e graph.End, a aim) *stop {
	for _, at := range s.stops {
		if at.dev != e.Dev {
			continue
		}
		if at.in == e.Port && at.via != nil {
			end := *at
			end.wire = at.wireIn
			return &end
		}
		w, ok := s.n.Tables[e.Dev].Egress(at.dom, e.Port)
		if !ok || at.in == e.Port || a.only && (w != a.wire || !at.dom.Keep && at.dom.VID != a.vid) {
			continue
		}
		end := *at
		end.out, end.wire = e.Port, w
		return &end
	}
	return nil
}

// passes says whether the frame gets into a device.
func (s *spread) passes(dev int) bool {
	return slices.ContainsFunc(s.stops, func(at *stop) bool { return at.dev == dev })
}

// answering is the stop at which an address of a device takes the frame.
func (s *spread) answering(dev int, a office.Address) *stop {
	for _, at := range s.stops {
		if at.dev == dev && answers(s.n, at, a) {
			return at
		}
	}
	return nil
}

// answers says whether a device's address stands where a stop is.
func answers(n *span.Net, at *stop, address office.Address) bool {
	return slices.Contains(reach.Address(n, at.dev, &address), placeOf(n, at))
}

// add puts the way to a stop behind what the journey has.
func (j *Journey) add(n *span.Net, s *spread, end *stop) {
	var way []*stop
	for at := end; at != nil; at = at.via {
		way = append(way, at)
	}
	for i := len(way) - 1; i >= 0; i-- {
		at := way[i]
		device := n.Office.Devices[at.dev]
		x := Step{Device: device.Name, WireIn: at.wireIn, Domain: at.dom}
		out, wire := at.out, at.wire
		if i > 0 {
			out, wire = way[i-1].viaPort, way[i-1].viaWire
			x.Speed = slower(n, at.dev, out)
		}
		if out >= 0 {
			x.Out, x.Wire = device.Ports[out].Name, wire
		}
		if at.in < 0 { // the gateway goes on with what it routed
			g := &j.Steps[len(j.Steps)-1]
			g.Out, g.Wire, g.Speed = x.Out, x.Wire, x.Speed
			if x.Out != "" {
				g.Text += fmt.Sprintf("; it leaves by port %s %s", x.Out, wears(x.Wire))
			}
			continue
		}
		x.In = device.Ports[at.in].Name
		h := Hop{Device: device.Name, In: n.RefAt(at.dev, at.in), Wire: at.wireIn, Domain: at.dom}
		x.Text = tellIn(n, &h, n.Tables[at.dev])
		if x.Out != "" {
			x.Text += fmt.Sprintf(" and leaves by port %s %s", x.Out, wears(wire))
		}
		j.Steps = append(j.Steps, x)
	}
}

func wears(w bridge.Wire) string {
	if w > 0 {
		return "as " + w.String()
	}
	return w.String()
}

// slower is the speed of a port's cable: that of its slower end, 0 where one
// is not known. Where a bundle's cables end in several places, the first counts.
func slower(n *span.Net, dev, port int) office.Speed {
	links := n.Topo.LinksAt(dev, port)
	if len(links) == 0 {
		return 0
	}
	a := speed(n, dev, port)
	for _, to := range n.Topo.Across(links[0], dev, port) {
		a = min(a, speed(n, to.Dev, to.Port))
	}
	return a
}

// speed is a port's, or that of one member of a bundle: one flow takes one.
func speed(n *span.Net, dev, port int) office.Speed {
	d := n.Office.Devices[dev]
	if ms := d.Ports[port].Members; len(ms) > 0 {
		return d.Ports[ms[0]].Speed
	}
	return d.Ports[port].Speed
}

// slow finds the cable that holds the others up; none where all are alike.
func (j *Journey) slow(n *span.Net) *Journey {
	fastest := office.Speed(0)
	for i, s := range j.Steps {
		if i+1 == len(j.Steps) || s.Speed == 0 {
			continue
		}
		fastest = max(fastest, s.Speed)
		if j.Slowest == 0 || s.Speed < j.Slowest {
			j.Slowest = s.Speed
			j.At = s.Device + "." + s.Out + " " + j.Steps[i+1].Device + "." + j.Steps[i+1].In
		}
	}
	if j.Slowest == fastest {
		j.Slowest, j.At = 0, ""
	}
	return j
}

// Narrowest is the slowest cable of a journey, the first of equal ones; the speed
// is 0 where none is known.
func (j *Journey) Narrowest() (speed office.Speed, a, b office.PortRef) {
	for i, s := range j.Steps {
		if i+1 < len(j.Steps) && s.Speed > 0 && s.Out != "" && (speed == 0 || s.Speed < speed) {
			next := j.Steps[i+1]
			speed, a, b = s.Speed, office.PortRef{Device: s.Device, Port: s.Out}, office.PortRef{Device: next.Device, Port: next.In}
		}
	}
	return speed, a, b
}
