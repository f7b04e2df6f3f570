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
	for _, place := range append([]span.Place{other.Hears}, other.More...) {
		s.hear(place)
	}
	return s
}

// There says whether somebody gets frames at all.
func (s *Stand) There() bool { return s.Hears.Span != nil || s.More != nil }

// hear adds a place that is heard.
func (s *Stand) hear(place span.Place) {
	switch place = Whole(place); {
	case place.Span == nil || place == s.Hears:
	case s.Hears.Span == nil:
		s.Hears = place
	default:
		s.More = append(s.More, place)
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
func (h *Hearing) into(from span.Place, stand *Stand) bool {
	if h.Of(from, stand.Hears) {
		return true
	}
	for _, place := range stand.More {
		if h.Of(from, place) {
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
func (x *Places) Device(net *span.Net, dev int, vid office.VID) (out Stand) {
	device := net.Office.Devices[dev]
	if !Itself(device, vid) {
		return out
	}
	talks := func(place span.Place) {
		if out.Sends.Span == nil {
			out.Sends = Whole(place)
		}
		out.hear(place)
	}
	if device.TalksItself() {
		for port := range device.Ports {
			if device.Ports[port].Bundle == 0 && net.Tables[dev].Ports[port].Has(vid) {
				node := span.Node{Hub: net.Topo.HubOf(dev, port), Label: span.Label(vid)}
				talks(span.Place{Span: x.spanAt(net, vid, node), Node: node})
			}
		}
		return out
	}
	on := ""
	for _, address := range device.Addresses {
		if address.VID == vid {
			on = address.On
		}
	}
	for _, place := range net.Standing(dev, vid, on) {
		talks(place)
	}
	return out
}

// Itself says whether a device talks in a VLAN itself.
func Itself(device *office.Device, vid office.VID) bool {
	if device.Manage != nil && device.Manage.VID == vid || device.TalksItself() {
		return true
	}
	for i := range device.Addresses {
		if device.Addresses[i].VID == vid {
			return true
		}
	}
	return false
}

// Port is where somebody stands who is plugged into a port and sends in one form.
func (x *Places) Port(net *span.Net, dev, port int, wire bridge.Wire) (out Stand) {
	device, table := net.Office.Devices[dev], net.Tables[dev]
	hub := net.Topo.HubOf(dev, port)
	if domain, why := table.Ingress(port, wire); why == bridge.Passed {
		node := span.Node{Hub: hub, Label: span.LabelOf(hub, domain)}
		out.Sends = Whole(span.Place{Span: x.spanAt(net, node.Label.VID(), node), Node: node})
	}
	if device.Unaware() {
		out.Hears = out.Sends
		return out
	}
	compiled := table.Ports[port]
	if compiled.Off {
		return out
	}
	hear := func(vid office.VID) {
		node := span.Node{Hub: hub, Label: span.Label(vid)}
		out.hear(span.Place{Span: x.spanAt(net, vid, node), Node: node})
	}
	if wire == bridge.Untagged {
		if vid := compiled.Access; vid != 0 {
			hear(vid)
			return out
		}
		for vid := range compiled.Untagged.All() {
			hear(vid)
		}
		return out
	}
	if device.Forwarding == office.Grouped { // a tag that has no row stays on, inside a group
		members := compiled.Members()
		for vid := range members.All() {
			node := span.Node{Hub: hub, Label: span.LabelOf(hub, bridge.Domain{VID: vid, Keep: true, Kept: wire})}
			out.hear(span.Place{Span: net.SpanOf(node), Node: node})
		}
	}
	if len(compiled.Rides) == 0 {
		if compiled.Tagged.Has(wire.VID()) {
			hear(wire.VID())
		}
		return out
	}
	for vid := range compiled.Tagged.All() {
		if compiled.WireOf(vid) == wire {
			hear(vid)
		}
	}
	return out
}

// spanAt is the span that has a node; kept by hub for each VLAN's result, which
// lives on where an update does not touch it, and by VLAN for the office that is
// looked at.
func (x *Places) spanAt(net *span.Net, vid office.VID, node span.Node) *span.Span {
	if vid == 0 {
		return net.SpanOf(node)
	}
	if net != x.at {
		x.at = net
		x.turn++
	}
	seen := &x.by[vid]
	if seen.turn != x.turn {
		seen.turn, seen.hubs = x.turn, x.byHub(net, vid)
	}
	if seen.hubs == nil {
		return nil
	}
	return seen.hubs[node.Hub]
}

// mostKept bounds the results of VLANs that are remembered.
const mostKept = 1 << 12

// byHub is the span of a VLAN at each hub, nil where it is not used at all.
func (x *Places) byHub(net *span.Net, vid office.VID) []*span.Span {
	vlan := net.VLAN(vid)
	if vlan == nil {
		return nil
	}
	by := x.hubs[vlan]
	if len(by) < len(net.Topo.Hubs) {
		by = make([]*span.Span, len(net.Topo.Hubs))
		for _, part := range vlan.Spans {
			for _, node := range part.Nodes {
				if node.Label == span.Label(vid) {
					by[node.Hub] = part
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
func Plug(net *span.Net, plug *office.Plug) []span.Place {
	if part, node := net.PlugAt(plug); part != nil {
		return []span.Place{{Span: part, Node: node}}
	}
	return nil
}

// Management is where a device's management is reached; none where it is managed
// nowhere, or no frame comes there.
func Management(net *span.Net, dev int) []span.Place {
	manage := net.Office.Devices[dev].Manage
	if manage == nil {
		return nil
	}
	return net.Standing(dev, manage.VID, "")
}

// Address is where an address of a device is reached.
func Address(net *span.Net, dev int, address *office.Address) []span.Place {
	return net.Standing(dev, address.VID, address.On)
}

// AtPort is the place that frames of a port get into in one form.
func AtPort(net *span.Net, dev, port int, wire bridge.Wire) []span.Place {
	domain, why := net.Tables[dev].Ingress(port, wire)
	if why != bridge.Passed {
		return nil
	}
	hub := net.Topo.HubOf(dev, port)
	node := span.Node{Hub: hub, Label: span.LabelOf(hub, domain)}
	if part := net.SpanOf(node); part != nil {
		return []span.Place{{Span: part, Node: node}}
	}
	return nil
}
