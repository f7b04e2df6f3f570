package reach

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
)

// Stand is where somebody stands: the place that his frames get into, and those whose
// frames come out to him, each as [Whole] has it. The zero Stand is nowhere.
type Stand struct {
	Sends, Hears span.Place
	More         []span.Place // further places that he hears
	Also         []span.Place // further places that his frames get into
}

// With is who stands at two places at once, as a device does that has an address in each
// of two VLANs which are one thing to whoever asks.
func (s Stand) With(other Stand) Stand {
	if s.Sends.Span == nil {
		s.Sends = other.Sends
	} else if other.Sends.Span != nil && other.Sends != s.Sends {
		s.Also = append(slices.Clip(s.Also), other.Sends)
	}
	s.Also = append(slices.Clip(s.Also), other.Also...)
	s.More = slices.Clip(s.More)
	for _, p := range append([]span.Place{other.Hears}, other.More...) {
		s.hear(p)
	}
	return s
}

// There says whether somebody gets frames at all.
func (s *Stand) There() bool { return s.Hears.Span != nil || s.More != nil }

// hear adds a place that is heard.
func (s *Stand) hear(p span.Place) {
	switch p = Whole(p); {
	case p.Span == nil || p == s.Hears:
	case s.Hears.Span == nil:
		s.Hears = p
	default:
		s.More = append(s.More, p)
	}
}

// Reaches says whether frames of one come out to another.
func (h *Hearing) Reaches(a, b *Stand) bool {
	if h.into(a.Sends, b) {
		return true
	}
	for _, from := range a.Also {
		if h.into(from, b) {
			return true
		}
	}
	return false
}

// into says whether what is sent at a place comes out to somebody.
func (h *Hearing) into(from span.Place, b *Stand) bool {
	if h.Of(from, b.Hears) {
		return true
	}
	for _, p := range b.More {
		if h.Of(from, p) {
			return true
		}
	}
	return false
}

// Places finds where somebody stands. It keeps what it found of each VLAN, also for
// offices that were updated from one another and share it; one goroutine may ask it.
type Places struct {
	hubs map[*span.VLAN][]*span.Span
	at   *span.Net // that is looked at
	turn uint32
	by   [office.MaxVID + 1]struct {
		turn uint32
		hubs []*span.Span
	}
}

// NewPlaces gives places of which nothing is known yet.
func NewPlaces() *Places { return &Places{hubs: map[*span.VLAN][]*span.Span{}} }

// Device is where a device itself stands in a VLAN: by its address or management, or
// as a host behind its own ports.
func (x *Places) Device(n *span.Net, dev int, vid office.VID) (out Stand) {
	device := n.Office.Devices[dev]
	if !Itself(device, vid) {
		return out
	}
	talks := func(p span.Place) {
		if out.Sends.Span == nil {
			out.Sends = Whole(p)
		}
		out.hear(p)
	}
	if device.TalksItself() {
		for port := range device.Ports {
			if device.Ports[port].Bundle == 0 && n.Tables[dev].Ports[port].Has(vid) {
				node := span.Node{Hub: n.Topo.HubOf(dev, port), Label: span.Label(vid)}
				talks(span.Place{Span: x.spanAt(n, vid, node), Node: node})
			}
		}
		return out
	}
	on := ""
	for _, a := range device.Addresses {
		if a.VID == vid {
			on = a.On
		}
	}
	for _, p := range n.Standing(dev, vid, on) {
		talks(p)
	}
	return out
}

// Itself says whether a device talks in a VLAN itself.
func Itself(d *office.Device, v office.VID) bool {
	if d.Manage != nil && d.Manage.VID == v || d.TalksItself() {
		return true
	}
	for i := range d.Addresses {
		if d.Addresses[i].VID == v {
			return true
		}
	}
	return false
}

// Port is where somebody stands who is plugged into a port and sends in one form.
func (x *Places) Port(n *span.Net, dev, port int, wire bridge.Wire) (out Stand) {
	device, table := n.Office.Devices[dev], n.Tables[dev]
	hub := n.Topo.HubOf(dev, port)
	if domain, why := table.Ingress(port, wire); why == bridge.Passed {
		node := span.Node{Hub: hub, Label: span.LabelOf(hub, domain)}
		out.Sends = Whole(span.Place{Span: x.spanAt(n, node.Label.VID(), node), Node: node})
	}
	if device.Unaware() {
		out.Hears = out.Sends
		return out
	}
	compiled := table.Ports[port]
	if compiled.Off {
		return out
	}
	hear := func(v office.VID) {
		node := span.Node{Hub: hub, Label: span.Label(v)}
		out.hear(span.Place{Span: x.spanAt(n, v, node), Node: node})
	}
	if wire == bridge.Untagged {
		if v := compiled.Access; v != 0 {
			hear(v)
			return out
		}
		for v := range compiled.Untagged.All() {
			hear(v)
		}
		return out
	}
	if device.Forwarding == office.Grouped { // a tag that has no row stays on, inside a group
		members := compiled.Members()
		for v := range members.All() {
			node := span.Node{Hub: hub, Label: span.LabelOf(hub, bridge.Domain{VID: v, Keep: true, Kept: wire})}
			out.hear(span.Place{Span: n.SpanOf(node), Node: node})
		}
	}
	if len(compiled.Rides) == 0 {
		if compiled.Tagged.Has(wire.VID()) {
			hear(wire.VID())
		}
		return out
	}
	for v := range compiled.Tagged.All() {
		if compiled.WireOf(v) == wire {
			hear(v)
		}
	}
	return out
}

// spanAt is the span that has a node; kept by hub for each VLAN's result, which
// lives on where an update does not touch it, and by VLAN for the office that is
// looked at.
func (x *Places) spanAt(n *span.Net, v office.VID, node span.Node) *span.Span {
	if v == 0 {
		return n.SpanOf(node)
	}
	if n != x.at {
		x.at = n
		x.turn++
	}
	seen := &x.by[v]
	if seen.turn != x.turn {
		seen.turn, seen.hubs = x.turn, x.byHub(n, v)
	}
	if seen.hubs == nil {
		return nil
	}
	return seen.hubs[node.Hub]
}

// mostKept bounds the results of VLANs that are remembered.
const mostKept = 1 << 12

// byHub is the span of a VLAN at each hub, nil where it is not used at all.
func (x *Places) byHub(n *span.Net, v office.VID) []*span.Span {
	vlan := n.VLAN(v)
	if vlan == nil {
		return nil
	}
	by := x.hubs[vlan]
	if len(by) < len(n.Topo.Hubs) {
		by = make([]*span.Span, len(n.Topo.Hubs))
		for _, s := range vlan.Spans {
			for _, node := range s.Nodes {
				if node.Label == span.Label(v) {
					by[node.Hub] = s
				}
			}
		}
		if len(x.hubs) > mostKept {
			clear(x.hubs)
		}
		x.hubs[vlan] = by
	}
	return by
}

// Plug is where what is plugged in stands that is served both ways; none where its
// port, or the way into a device that knows no tags, does not serve it.
func Plug(n *span.Net, plug *office.Plug) []span.Place {
	if s, node := n.PlugAt(plug); s != nil {
		return []span.Place{{Span: s, Node: node}}
	}
	return nil
}

// Management is where a device's management is reached; none where it is managed
// nowhere, or no frame comes there.
func Management(n *span.Net, dev int) []span.Place {
	m := n.Office.Devices[dev].Manage
	if m == nil {
		return nil
	}
	return n.Standing(dev, m.VID, "")
}

// Address is where an address of a device is reached.
func Address(n *span.Net, dev int, a *office.Address) []span.Place {
	return n.Standing(dev, a.VID, a.On)
}

// AtPort is the place that frames of a port get into in one form.
func AtPort(n *span.Net, dev, port int, wire bridge.Wire) []span.Place {
	domain, why := n.Tables[dev].Ingress(port, wire)
	if why != bridge.Passed {
		return nil
	}
	hub := n.Topo.HubOf(dev, port)
	node := span.Node{Hub: hub, Label: span.LabelOf(hub, domain)}
	if s := n.SpanOf(node); s != nil {
		return []span.Place{{Span: s, Node: node}}
	}
	return nil
}
