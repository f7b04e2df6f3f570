package span

import (
	"fmt"
	"strings"

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
	if end := up.out(ends[1]); end != nil {
		j.add(n, up, end)
		j.Arrives, j.Wire = true, end.wire
		return j.slow(n), nil
	}
	// Between subnets: a gateway with addresses in the VLAN that the frame is
	// in and in the one of the other port.
	wants := n.wanted(ends[1])
	if wants == 0 {
		j.Why = fmt.Sprintf("It does not come out of %s, and that port is in no VLAN of its own that a gateway could route to.", at)
		return j, nil
	}
	if up.stops[0].dom.VID == wants && !up.stops[0].dom.Keep {
		j.Why = fmt.Sprintf("Both ends are in %s, but it does not get there%s.", n.Name(wants), up.lost())
		return j, nil
	}
	for _, stop := range up.stops {
		for _, a := range n.Office.Devices[stop.dev].Addresses {
			if !n.answers(stop, a) {
				continue
			}
			for _, b := range n.Office.Devices[stop.dev].Addresses {
				if b.VID != wants || b.VID == a.VID || b.Prefix.Addr().Is4() != a.Prefix.Addr().Is4() {
					continue
				}
				down := n.spreadFrom(stop.dev, b)
				end := down.out(ends[1])
				if end == nil {
					j.Why = fmt.Sprintf("%s routes it into %s, but from there it does not come out of %s%s.", n.Office.Devices[stop.dev].Name, n.Name(wants), at, down.lost())
					continue
				}
				j.Why = ""
				j.add(n, up, stop)
				g := &j.Steps[len(j.Steps)-1]
				g.Routed = true
				g.Text = fmt.Sprintf("%s takes it at its address %s and routes it from %s to %s", g.Device, a.Prefix.Addr(), n.Name(a.VID), n.Name(b.VID))
				if a.Zone != "" && b.Zone != "" && a.Zone != b.Zone {
					g.Text += fmt.Sprintf(", where its rules let zone %s talk to zone %s", a.Zone, b.Zone)
				}
				j.add(n, down, end)
				j.Arrives, j.Wire = true, end.wire
				return j.slow(n), nil
			}
		}
	}
	if j.Why == "" {
		j.Why = fmt.Sprintf("It does not come out of %s: no gateway that it reaches has an address in %s too%s.", at, n.Name(wants), up.lost())
	}
	return j, nil
}

// wanted is the VLAN that one talks to at a port: what is plugged in, else the
// untagged VLAN.
func (n *Net) wanted(e End) office.VID {
	for _, k := range n.Topo.PlugsAt(e.Dev) {
		p := &n.Office.Plugs[k]
		if d := n.Office.Devices[e.Dev]; d.Logical(d.Port(p.Port.Port)) == e.Port {
			return p.Wants
		}
	}
	for v := range n.Tables[e.Dev].Ports[e.Port].Untagged.All() {
		return v
	}
	return n.Tables[e.Dev].Ports[e.Port].PVID
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
	drops []Drop
}

// lost says where on the way frames of a spread are dropped, after a colon;
// "" where they are not.
func (s *spread) lost() string {
	if len(s.drops) == 0 {
		return ""
	}
	var all []string
	for _, d := range s.drops[:min(3, len(s.drops))] {
		all = append(all, fmt.Sprintf("%s drops it, as %s", d.Port, d.Reason))
	}
	return ": " + strings.Join(all, "; ")
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
						s.drops = append(s.drops, Drop{n.ref(to.Dev, to.Port), w, why})
						continue
					}
					s.stops = append(s.stops, &stop{dev: to.Dev, in: to.Port, wireIn: w, dom: dom, via: at, viaPort: p, viaWire: w, out: -1})
				}
			}
		}
	}
}

// out is the nearest stop from which the frame leaves by a port; nil for none.
func (s *spread) out(e End) *stop {
	for _, at := range s.stops {
		if at.dev != e.Dev || at.in == e.Port {
			continue
		}
		if w, ok := s.n.Tables[e.Dev].Egress(at.dom, e.Port); ok {
			end := *at
			end.out, end.wire = e.Port, w
			return &end
		}
	}
	return nil
}

// answers says whether a device's address is in the domain of a stop.
func (n *Net) answers(at *stop, a office.Address) bool {
	if a.VID != at.dom.VID || at.dom.Keep {
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

func (j *Journey) slow(n *Net) *Journey {
	for i, s := range j.Steps {
		if i+1 < len(j.Steps) && s.Speed > 0 && (j.Slowest == 0 || s.Speed < j.Slowest) {
			j.Slowest = s.Speed
			j.At = s.Device + "." + s.Out + " " + j.Steps[i+1].Device + "." + j.Steps[i+1].In
		}
	}
	return j
}
