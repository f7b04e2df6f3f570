package span

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Arrival is a port without a cable where a frame comes out, and what it wears
// there.
type Arrival struct {
	Port office.PortRef
	Wire bridge.Wire
}

// Drop is a port at which a frame is dropped on arrival.
type Drop struct {
	Port   office.PortRef
	Wire   bridge.Wire
	Reason bridge.Reason
}

// Hop is one step of a frame: into a device, through it, or out by a port.
type Hop struct {
	Device string
	In     office.PortRef // where it came into the device
	Wire   bridge.Wire    // what it wore there
	Domain bridge.Domain
	Out    []Exit
	Text   string // the step in a sentence
}

// Exit is a port by which a frame leaves a device.
type Exit struct {
	Port office.PortRef
	Wire bridge.Wire
	To   []office.PortRef // the ports at the other ends of its cables
}

// Walk is all that becomes of one frame.
type Walk struct {
	Arrivals []Arrival // by the names of their ports
	Drops    []Drop    // in the order in which they happen
	Hops     []Hop     // likewise
}

// Walk sends one frame to the broadcast address into a port and follows it.
// A member of a bundle stands for the bundle.
func (n *Net) Walk(from office.PortRef, w bridge.Wire) (*Walk, error) {
	i := n.Topo.DeviceIndex(from.Device)
	if i < 0 {
		return nil, fmt.Errorf("no device is named %s", from.Device)
	}
	d := n.Office.Devices[i]
	p, err := d.FindPort(from.Port)
	if err != nil {
		return nil, err
	}
	walk := &Walk{}
	n.follow(i, d.Logical(p), w, walk, true)
	return walk, nil
}

// step is a frame at a port of a device, about to go in.
type arriving struct {
	dev, port int
	wire      bridge.Wire
}

func (n *Net) ref(dev, port int) office.PortRef {
	d := n.Office.Devices[dev]
	return office.PortRef{Device: d.Name, Port: d.Ports[port].Name}
}

// follow is the walk; tell adds hops and drops with their sentences.
func (n *Net) follow(dev, port int, w bridge.Wire, walk *Walk, tell bool) {
	queue := []arriving{{dev, port, w}}
	seen := make(map[arriving]bool, 2*len(n.Topo.Links))
	seen[queue[0]] = true
	came := map[arriving]bool{}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		t := n.Tables[at.dev]
		dom, why := t.Ingress(at.port, at.wire)
		if why != bridge.Passed {
			if tell {
				walk.Drops = append(walk.Drops, Drop{n.ref(at.dev, at.port), at.wire, why})
			}
			continue
		}
		hop := Hop{Device: t.Device.Name, In: n.ref(at.dev, at.port), Wire: at.wire, Domain: dom}
		for p := range t.Ports {
			if p == at.port {
				continue
			}
			out, ok := t.Egress(dom, p)
			if !ok {
				continue
			}
			exit := Exit{Port: n.ref(at.dev, p), Wire: out}
			links := n.Topo.LinksAt(at.dev, p)
			if len(links) == 0 {
				if a := (arriving{at.dev, p, out}); !came[a] {
					came[a] = true
					walk.Arrivals = append(walk.Arrivals, Arrival{exit.Port, out})
				}
			}
			for _, l := range links {
				k := &n.Topo.Links[l]
				for _, to := range n.otherEnds(k, at.dev, p) {
					next := arriving{to.Dev, to.Port, out}
					if tell {
						exit.To = append(exit.To, n.ref(to.Dev, to.Port))
					}
					if !seen[next] {
						seen[next] = true
						queue = append(queue, next)
					}
				}
			}
			if tell {
				hop.Out = append(hop.Out, exit)
			}
		}
		if tell {
			hop.Text = n.tellHop(&hop, t)
			walk.Hops = append(walk.Hops, hop)
		}
	}
	slices.SortFunc(walk.Arrivals, func(a, b Arrival) int {
		if c := byName(a.Port, b.Port); c != 0 {
			return c
		}
		return cmp.Compare(a.Wire, b.Wire)
	})
}

// byName compares two ports' names as text, as device.port is written.
func byName(a, b office.PortRef) int {
	if a.Device == b.Device {
		return cmp.Compare(a.Port, b.Port)
	}
	return cmp.Compare(a.String(), b.String())
}

// otherEnds is where a link leads from a port.
func (n *Net) otherEnds(l *Link, dev, port int) []End {
	var es []End
	if l.A.Dev == dev && l.A.Port == port {
		es = append(es, l.B)
	}
	if l.B.Dev == dev && l.B.Port == port && l.A != l.B {
		es = append(es, l.A)
	}
	return es
}

// tellIn says how a frame gets into a device.
func (n *Net) tellIn(h *Hop, t *bridge.Table) (in string) {
	switch d := t.Device; {
	case isUnaware(d):
		in = d.Name + " does not look at tags: the frame (" + h.Wire.String() + ") leaves every other port as it came"
	case h.Domain.Keep:
		in = d.Name + " keeps the tag " + h.Wire.String() + " and the frame in the group of port " + h.In.Port
	case h.Wire > 0 && office.VID(h.Wire) != h.Domain.VID:
		in = d.Name + " takes " + h.Wire.String() + " at port " + h.In.Port + " for VLAN " + n.Name(h.Domain.VID)
	case h.Wire > 0:
		in = d.Name + " takes it at port " + h.In.Port + " into VLAN " + n.Name(h.Domain.VID)
	default:
		in = "it has no VLAN of its own, so at " + d.Name + " port " + h.In.Port + " it joins the PVID, VLAN " + n.Name(h.Domain.VID)
	}
	return in
}

func (n *Net) tellHop(h *Hop, t *bridge.Table) string {
	in := n.tellIn(h, t)
	switch {
	case t.Device.Forwarding == office.Routed:
		return in + "; it ends there, as the ports do not bridge to each other"
	case len(h.Out) == 0:
		return in + "; no other port lets it out"
	}
	return in + " and leaves by " + count(len(h.Out), "port")
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return strconv.Itoa(n) + " " + what + "s"
}

// Name is a VLAN as people say it: "130 imaging", or the number alone.
func (n *Net) Name(v office.VID) string {
	if x := n.Office.VLAN(v); x != nil {
		return strconv.Itoa(int(v)) + " " + x.Name
	}
	return strconv.Itoa(int(v))
}

// Flow is where one frame comes out.
type Flow struct {
	From     office.PortRef
	Wire     bridge.Wire
	Arrivals []Arrival
}

// Flows is the whole truth of an office: for every port without a cable, in
// the order of their names, and every wire (untagged, priority-tagged, each VID
// in use, one not in use) where a frame comes out.
func (n *Net) Flows() []Flow {
	wires := []bridge.Wire{bridge.Untagged, bridge.Priority}
	vids := n.OnWires()
	for v := range vids.All() {
		wires = append(wires, bridge.Wire(v))
	}
	for v := office.MaxVID; v > 0; v-- {
		if !vids.Has(v) {
			wires = append(wires, bridge.Wire(v))
			break
		}
	}
	type start struct {
		dev, port int
		ref       office.PortRef
	}
	var starts []start
	for i, d := range n.Office.Devices {
		for p := range d.Ports {
			if d.Ports[p].Bundle == 0 && len(n.Topo.LinksAt(i, p)) == 0 {
				starts = append(starts, start{i, p, n.ref(i, p)})
			}
		}
	}
	slices.SortFunc(starts, func(a, b start) int { return cmp.Compare(a.ref.String(), b.ref.String()) })
	var flows []Flow
	for _, s := range starts {
		for _, w := range wires {
			walk := Walk{}
			n.follow(s.dev, s.port, w, &walk, false)
			flows = append(flows, Flow{s.ref, w, walk.Arrivals})
		}
	}
	return flows
}

// OnWires is every VID that a frame may wear to some effect: registered, on a
// port, a PVID, or one that a VLAN rides.
func (n *Net) OnWires() office.Set {
	s := n.used
	for _, t := range n.Tables {
		for _, p := range t.Ports {
			s.Add(p.PVID)
			s.AddAll(&p.Untagged)
			s.AddAll(&p.Tagged)
			for _, r := range p.Rides {
				s.Add(r.Wire)
			}
		}
	}
	s.Remove(0)
	return s
}

// Reaches lists the ports of a span as the frames go: those that let its
// domains in or out, ordered by name.
func (n *Net) Reaches(s *Span) []office.PortRef {
	var refs []office.PortRef
	for _, x := range s.Nodes {
		h := n.Topo.Hubs[x.Hub]
		d, t := n.Office.Devices[h.Dev], n.Tables[h.Dev]
		if x.Label&deadAt != 0 {
			continue
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 || n.Topo.HubOf(h.Dev, p) != x.Hub {
				continue
			}
			if _, ok := t.Egress(domainOf(x, d, p), p); ok {
				refs = append(refs, n.ref(h.Dev, p))
			}
		}
	}
	slices.SortFunc(refs, func(a, b office.PortRef) int { return cmp.Compare(a.String(), b.String()) })
	return slices.Compact(refs)
}

// domainOf is the domain that a node is.
func domainOf(x Node, d *office.Device, port int) bridge.Domain {
	switch {
	case x.Label&untaggedAt != 0:
		return bridge.Domain{Keep: true, Kept: bridge.Untagged}
	case x.Label&keptAt != 0:
		return bridge.Domain{VID: office.VID(x.Label >> 12 & 0xfff), Keep: true, Kept: bridge.Wire(x.Label & 0xfff)}
	case isUnaware(d):
		return bridge.Domain{Keep: true, Kept: bridge.Wire(x.Label)}
	case d.Forwarding == office.Routed:
		return bridge.Domain{VID: x.Label.VID(), Port: int16(port + 1)}
	}
	return bridge.Domain{VID: x.Label.VID()}
}
