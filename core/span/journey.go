package span

import (
	"fmt"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
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
	Slowest office.Speed
	At      string // the cable that is the slowest: "rack.19 ward-east.8"
}

// Journey follows a frame from a port to the port at: inside one VLAN by the
// shortest way; from one subnet into another up to the gateway, which routes
// it, and down again. What a gateway's rules let pass between its zones is not
// known here.
func (n *Net) Journey(from office.PortRef, w bridge.Wire, at office.PortRef) (*Journey, error) {
	var ends [2]End
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
	j := &Journey{}
	first := arriving{ends[0].Dev, ends[0].Port, w}
	if _, why := n.Tables[first.dev].Ingress(first.port, w); why != bridge.Passed {
		j.Why = fmt.Sprintf("%s drops it on arrival: %s.", n.ref(first.dev, first.port), why)
		return j, nil
	}
	up := n.spread(first)
	aim := n.aimAt(ends[1])
	if end := up.out(ends[1], aim); end != nil {
		j.add(n, up, end)
		j.Arrives, j.Wire = true, end.wire
		return j.slow(n), nil
	}
	start := up.stops[0]
	if v := start.dom.VID; v == aim.vid && !start.dom.Keep || aim.vid == 0 {
		j.Why = fmt.Sprintf("%s.", n.stopped(start, ends[1]))
		if aim.vid == 0 && up.passes(ends[1].Dev) { // it is in the device, and not in this port
			j.Why = fmt.Sprintf("It does not pass %s: %s.", at, n.shut(start, ends[1]))
		}
		return j, nil
	}
	// Between subnets: a gateway with addresses in the VLAN that the frame is
	// in and in the one of the other port.
	here, there := n.Name(start.dom.VID), n.Name(aim.vid)
	var lost string
	gateways := 0
	for i, d := range n.Office.Devices {
		for _, a := range d.Addresses {
			for _, b := range d.Addresses {
				if a.VID != start.dom.VID || b.VID != aim.vid || b.Prefix.Addr().Is4() != a.Prefix.Addr().Is4() || start.dom.Keep {
					continue
				}
				gateways++
				stop := up.answering(i, a)
				if stop == nil {
					if lost == "" {
						lost = fmt.Sprintf("It does not reach %s, which routes from %s to %s: %s.", d.Name, here, there, n.stoppedBefore(start, i, a))
					}
					continue
				}
				down := n.spreadFrom(i, b)
				end := down.out(ends[1], aim)
				if end == nil {
					lost = fmt.Sprintf("%s routes it into %s, and from there it does not get to %s: %s.", d.Name, there, at, n.stopped(down.stops[0], ends[1]))
					continue
				}
				j.add(n, up, stop)
				g := &j.Steps[len(j.Steps)-1]
				g.Routed = true
				g.Text = fmt.Sprintf("%s takes it at its address %s and routes it from %s to %s", g.Device, a.Prefix.Addr(), here, there)
				if a.Zone != "" && b.Zone != "" && a.Zone != b.Zone {
					g.Text += fmt.Sprintf(", where its rules let zone %s talk to zone %s", a.Zone, b.Zone)
				}
				j.add(n, down, end)
				j.Arrives, j.Wire = true, end.wire
				return j.slow(n), nil
			}
		}
	}
	j.Why = lost
	if gateways == 0 {
		j.Why = fmt.Sprintf("%s is in %s and %s in %s, and no device has an address in both, so nothing routes from the one to the other.", n.ref(first.dev, first.port), here, at, there)
	}
	return j, nil
}

// aim is what one talks to at a port: its own VLAN, in the form in which it is
// there. vid is 0 for a cable between devices, which a frame passes or does not.
type aim struct {
	vid  office.VID
	wire bridge.Wire
	only bool // in no other form: a plug wants it so
}

func (n *Net) aimAt(e End) aim {
	d, t := n.Office.Devices[e.Dev], n.Tables[e.Dev].Ports[e.Port]
	for _, k := range n.Topo.PlugsAt(e.Dev) {
		if p := &n.Office.Plugs[k]; d.Logical(d.Port(p.Port.Port)) == e.Port {
			if p.Tagged {
				return aim{p.Wants, bridge.Wire(p.Wants), true}
			}
			return aim{p.Wants, bridge.Untagged, true}
		}
	}
	if len(n.Topo.LinksAt(e.Dev, e.Port)) > 0 && !talksItself(d) {
		return aim{}
	}
	for v := range t.Untagged.All() {
		return aim{v, bridge.Untagged, false}
	}
	if t.Tagged.Len() == 1 {
		v := t.Tagged.VIDs()[0]
		return aim{v, t.WireOf(v), false}
	}
	return aim{}
}

// stopped says what stops a frame, first of all, on the shortest way from where
// it is inside a device to a port.
func (n *Net) stopped(from *stop, to End) string {
	return n.stoppedOn(from, n.Topo.HubOf(to.Dev, to.Port), func(dom bridge.Domain) string { return n.shut(&stop{dev: to.Dev, dom: dom}, to) })
}

// stoppedBefore is [Net.stopped] for an address of a device.
func (n *Net) stoppedBefore(from *stop, dev int, a office.Address) string {
	hubs := n.addressHubs(dev, a.VID, a.On)
	if len(hubs) == 0 {
		return "it has no ports"
	}
	return n.stoppedOn(from, hubs[0], func(bridge.Domain) string {
		return fmt.Sprintf("what comes in there does not get to its address in %s", n.Name(a.VID))
	})
}

func (n *Net) stoppedOn(from *stop, goal int, there func(bridge.Domain) string) string {
	at := n.Topo.HubOf(from.dev, max(from.in, 0))
	if from.in < 0 && from.dom.Port > 0 {
		at = n.Topo.HubOf(from.dev, int(from.dom.Port)-1)
	}
	way, ok := n.RouteAnyhow(from.dom.VID, []int{at}, func(h int) bool { return h == goal })
	if !ok {
		return fmt.Sprintf("no cable leads from %s to %s", n.Office.Devices[from.dev].Name, n.Office.Devices[n.Topo.Hubs[goal].Dev].Name)
	}
	dom, v := from.dom, from.dom.VID
	for _, l := range way {
		k := &n.Topo.Links[l]
		near, far := k.A, k.B
		if near.Hub != at {
			near, far = far, near
		}
		w, ok := n.Tables[near.Dev].Egress(dom, near.Port)
		if !ok {
			return fmt.Sprintf("%s does not let %s out towards %s", n.ref(near.Dev, near.Port), n.Name(v), n.ref(far.Dev, far.Port))
		}
		in, why := n.Tables[far.Dev].Ingress(far.Port, w)
		if why != bridge.Passed {
			return fmt.Sprintf("%s drops it, as %s", n.ref(far.Dev, far.Port), why)
		}
		if !in.Keep && in.VID != v && v != 0 {
			return fmt.Sprintf("at %s it joins %s", n.ref(far.Dev, far.Port), n.Name(in.VID))
		}
		dom, at = in, far.Hub
	}
	return there(dom)
}

// shut says why a frame in a device does not leave by a port.
func (n *Net) shut(at *stop, e End) string {
	r, t := n.ref(e.Dev, e.Port), n.Tables[e.Dev].Ports[e.Port]
	w, ok := n.Tables[e.Dev].Egress(at.dom, e.Port)
	switch {
	case t.Off:
		return fmt.Sprintf("%s is shut", r)
	case !ok:
		return fmt.Sprintf("%s is not in %s", r, n.Name(at.dom.VID))
	}
	return fmt.Sprintf("it leaves %s %s, and something else is wanted there", r, wears(w))
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
	n     *Net
	stops []*stop
}

// spread goes breadth first through the devices that a frame gets into.
func (n *Net) spread(a arriving) *spread {
	s := &spread{n: n}
	seen := map[arriving]bool{a: true}
	if dom, why := n.Tables[a.dev].Ingress(a.port, a.wire); why == bridge.Passed {
		s.stops = append(s.stops, &stop{dev: a.dev, in: a.port, wireIn: a.wire, dom: dom, out: -1})
	}
	s.grow(seen)
	return s
}

// spreadFrom is a frame that a device sends from one of its addresses.
func (n *Net) spreadFrom(dev int, a office.Address) *spread {
	s := &spread{n: n}
	dom := bridge.Domain{VID: a.VID}
	for _, h := range n.addressHubs(dev, a.VID, a.On) {
		if p := n.Topo.Hubs[h].Port; p >= 0 {
			dom.Port = int16(p + 1)
		}
	}
	s.stops = append(s.stops, &stop{dev: dev, in: -1, dom: dom, out: -1})
	s.grow(map[arriving]bool{})
	return s
}

func (s *spread) grow(seen map[arriving]bool) {
	n := s.n
	for i := 0; i < len(s.stops); i++ {
		at := s.stops[i]
		t := n.Tables[at.dev]
		for p := range t.Ports {
			if p == at.in {
				continue
			}
			w, ok := t.Egress(at.dom, p)
			if !ok {
				continue
			}
			for _, l := range n.Topo.LinksAt(at.dev, p) {
				for _, to := range n.otherEnds(&n.Topo.Links[l], at.dev, p) {
					next := arriving{to.Dev, to.Port, w}
					dom, why := n.Tables[to.Dev].Ingress(to.Port, w)
					if seen[next] {
						continue
					}
					seen[next] = true
					if why != bridge.Passed {
						continue
					}
					s.stops = append(s.stops, &stop{dev: to.Dev, in: to.Port, wireIn: w, dom: dom, via: at, viaPort: p, viaWire: w, out: -1})
				}
			}
		}
	}
}

// out is the nearest stop from which the frame leaves by a port, as it is
// wanted there, or at which it comes in by it: the far end of a cable is reached
// as well. It is nil for none.
func (s *spread) out(e End, a aim) *stop {
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
		if at.dev == dev && s.n.answers(at, a) {
			return at
		}
	}
	return nil
}

// answers says whether a device's address is in the domain of a stop.
func (n *Net) answers(at *stop, a office.Address) bool {
	if d := n.Office.Devices[at.dev]; isUnaware(d) {
		return at.dom.Kept == bridge.Untagged || at.dom.Kept == bridge.Wire(a.VID)
	}
	if a.VID != at.dom.VID || at.dom.Keep || !n.lets(at.dev, a.VID) {
		return false
	}
	if at.dom.Port == 0 {
		return true
	}
	for _, h := range n.addressHubs(at.dev, a.VID, a.On) {
		if n.Topo.Hubs[h].Port == int(at.dom.Port)-1 {
			return true
		}
	}
	return false
}

// add puts the way to a stop behind what the journey has.
func (j *Journey) add(n *Net, s *spread, end *stop) {
	var way []*stop
	for at := end; at != nil; at = at.via {
		way = append(way, at)
	}
	for i := len(way) - 1; i >= 0; i-- {
		at := way[i]
		d := n.Office.Devices[at.dev]
		x := Step{Device: d.Name, WireIn: at.wireIn, Domain: at.dom}
		out, wire := at.out, at.wire
		if i > 0 {
			out, wire = way[i-1].viaPort, way[i-1].viaWire
			x.Speed = n.slower(at.dev, out)
		}
		if out >= 0 {
			x.Out, x.Wire = d.Ports[out].Name, wire
		}
		if at.in < 0 { // the gateway goes on with what it routed
			g := &j.Steps[len(j.Steps)-1]
			g.Out, g.Wire, g.Speed = x.Out, x.Wire, x.Speed
			if x.Out != "" {
				g.Text += fmt.Sprintf("; it leaves by port %s %s", x.Out, wears(x.Wire))
			}
			continue
		}
		x.In = d.Ports[at.in].Name
		h := Hop{Device: d.Name, In: n.ref(at.dev, at.in), Wire: at.wireIn, Domain: at.dom}
		x.Text = n.tellIn(&h, n.Tables[at.dev])
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
func (n *Net) slower(dev, port int) office.Speed {
	links := n.Topo.LinksAt(dev, port)
	if len(links) == 0 {
		return 0
	}
	a := n.speed(dev, port)
	for _, to := range n.otherEnds(&n.Topo.Links[links[0]], dev, port) {
		a = min(a, n.speed(to.Dev, to.Port))
	}
	return a
}

// speed is a port's, or that of one member of a bundle: one flow takes one.
func (n *Net) speed(dev, port int) office.Speed {
	d := n.Office.Devices[dev]
	if ms := d.Ports[port].Members; len(ms) > 0 {
		return d.Ports[ms[0]].Speed
	}
	return d.Ports[port].Speed
}

// slow finds the cable that holds the others up; none where all are alike.
func (j *Journey) slow(n *Net) *Journey {
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
