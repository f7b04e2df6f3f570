package span

import (
	"cmp"
	"maps"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Dead says whether a part of a VLAN is only an address or the management of a
// device that no frame of it comes to, and of which device.
func (n *Net) Dead(part *Span) (dev int, dead bool) {
	if len(part.Nodes) == 1 && part.Nodes[0].Label&deadAt != 0 {
		return n.Topo.Hubs[part.Nodes[0].Hub].Dev, true
	}
	return 0, false
}

// SpanAt is the span of a VLAN's domain at a hub, nil where there is none.
func (n *Net) SpanAt(hub int, vid office.VID) *Span {
	vlan := n.vlans.Get(vid)
	if vlan == nil {
		return nil
	}
	for _, part := range vlan.Spans {
		if _, ok := slices.BinarySearchFunc(part.Nodes, Node{hub, Label(vid)}, func(a, b Node) int {
			return cmp.Or(cmp.Compare(a.Hub, b.Hub), cmp.Compare(a.Label, b.Label))
		}); ok {
			return part
		}
	}
	return nil
}

// nodeArc leads over a link from a node of a span to another, by their places
// in its list.
type nodeArc struct{ link, from, to int }

// arcsOf is all arcs of a span.
func (n *Net) arcsOf(part *Span) []nodeArc {
	at := make(map[Node]int, len(part.Nodes))
	labels := map[Label]bool{}
	for i, node := range part.Nodes {
		at[node] = i
		labels[node.Label] = true
	}
	var arcs []nodeArc
	add := func(l int, a, b Node) {
		x, ok := at[a]
		y, ok2 := at[b]
		if ok && ok2 {
			arcs = append(arcs, nodeArc{l, x, y})
		}
	}
	cross := func(link int, arc Arc) {
		one := &n.Topo.Links[link]
		if arc.FromA {
			add(link, Node{one.A.Hub, arc.From}, Node{one.B.Hub, arc.To})
		} else {
			add(link, Node{one.B.Hub, arc.From}, Node{one.A.Hub, arc.To})
		}
	}
	for link, carry := range n.carry {
		one := &n.Topo.Links[link]
		for lb := range labels {
			if vid := lb.VID(); vid != 0 {
				if carry.AB.Has(vid) {
					add(link, Node{one.A.Hub, lb}, Node{one.B.Hub, lb})
				}
				if carry.BA.Has(vid) {
					add(link, Node{one.B.Hub, lb}, Node{one.A.Hub, lb})
				}
			}
		}
		for _, arc := range carry.Cross {
			cross(link, arc)
		}
	}
	for _, arc := range n.kept {
		cross(arc.link, arc.Arc)
	}
	return arcs
}

// Mutual is the nodes of a span that one of its nodes hears and is heard by, itself
// among them.
func (n *Net) Mutual(part *Span, from Node) map[Node]bool {
	if !part.OneWay {
		out := make(map[Node]bool, len(part.Nodes))
		for _, node := range part.Nodes {
			out[node] = true
		}
		return out
	}
	out, back := n.follow(part, from, true), n.follow(part, from, false)
	maps.DeleteFunc(out, func(node Node, _ bool) bool { return !back[node] })
	return out
}

// Frames is the nodes of a span that frames of one of its nodes get to, itself
// included. A device does not send a frame back over the link that it came by (IEEE
// 802.1Q clause 8.6.1), which tells: a VLAN may leave by a link as one and come back
// over it as another.
func (n *Net) Frames(part *Span, from Node) map[Node]bool { return n.follow(part, from, true) }

// follow follows frames over the arcs of a span from a node, or back to where frames
// come from that get to it.
func (n *Net) follow(part *Span, from Node, forth bool) map[Node]bool {
	out := map[Node]bool{from: true}
	start := slices.Index(part.Nodes, from)
	if start < 0 {
		return out
	}
	next := make([][]nodeArc, len(part.Nodes))
	for _, arc := range n.arcsOf(part) {
		if !forth {
			arc.from, arc.to = arc.to, arc.from
		}
		next[arc.from] = append(next[arc.from], arc)
	}
	type at struct{ node, by int }
	seen := map[at]bool{{start, -1}: true}
	for queue := []at{{start, -1}}; len(queue) > 0; queue = queue[1:] {
		for _, arc := range next[queue[0].node] {
			x := at{arc.to, arc.link}
			if arc.link != queue[0].by && !seen[x] {
				seen[x] = true
				out[part.Nodes[arc.to]] = true
				queue = append(queue, x)
			}
		}
	}
	return out
}

// OneWay is an arc of a span that has no way back over its link.
type OneWay struct {
	Link     int
	FromA    bool
	From, To Label
}

// OneWays lists the arcs of a span that have no way back, by link.
func (n *Net) OneWays(part *Span) (out []OneWay) {
	if !part.OneWay {
		return nil
	}
	arcs := n.arcsOf(part)
	have := make(map[nodeArc]bool, len(arcs))
	for _, arc := range arcs {
		have[arc] = true
	}
	for _, arc := range arcs {
		if arc.from == arc.to || have[nodeArc{arc.link, arc.to, arc.from}] {
			continue
		}
		out = append(out, OneWay{arc.link, n.Topo.Links[arc.link].A.Hub == part.Nodes[arc.from].Hub, part.Nodes[arc.from].Label, part.Nodes[arc.to].Label})
	}
	slices.SortFunc(out, func(x, y OneWay) int {
		return cmp.Or(cmp.Compare(x.Link, y.Link), cmp.Compare(x.From, y.From), cmp.Compare(x.To, y.To))
	})
	return slices.Compact(out)
}

// Ring is the links on which frames of a span can go round, in order.
//
//	> core 6: use uplink; floor 7: use uplink; cable core.6 floor.7
func (n *Net) Ring(part *Span) []int {
	type edge struct{ link, x, y int }
	var edges []edge
	seen := map[edge]bool{}
	for _, arc := range n.arcsOf(part) {
		if one := (edge{arc.link, min(arc.from, arc.to), max(arc.from, arc.to)}); !seen[one] {
			seen[one] = true
			edges = append(edges, one)
		}
	}
	// Leaves fall off until only rings, and what lies between them, are left.
	degree := make([]int, len(part.Nodes))
	for _, other := range edges {
		degree[other.x]++
		degree[other.y]++
	}
	for again := true; again; {
		again = false
		edges = slices.DeleteFunc(edges, func(other edge) bool {
			if other.x != other.y && (degree[other.x] == 1 || degree[other.y] == 1) {
				degree[other.x]--
				degree[other.y]--
				again = true
				return true
			}
			return false
		})
	}
	var ls []int
	for _, other := range edges {
		ls = append(ls, other.link)
	}
	slices.Sort(ls)
	return slices.Compact(ls)
}

// PlugAt is where a plug's VLAN is: the span, and the plug's node of it, that
// serves it both ways. It is nil where the plug's port, or the way into the
// device that knows no tags, does not.
func (n *Net) PlugAt(plug *office.Plug) (*Span, Node) {
	dev := n.Topo.DeviceIndex(plug.Port.Device)
	device := n.Office.Devices[dev]
	port := device.Logical(device.Port(plug.Port.Port))
	hub := n.Topo.HubOf(dev, port)
	if !device.Unaware() {
		if !n.Gives(dev, port, plug.Wants, plug.Tagged) {
			return nil, Node{}
		}
		node := Node{hub, Label(plug.Wants)}
		return n.spanOf(plug.Wants, node), node
	}
	if n.Tables[dev].Ports[port].Off || plug.Tagged && device.Forwarding == office.UnawareDrops {
		return nil, Node{}
	}
	other := Node{hub, untaggedAt | Label(hub)<<24}
	if plug.Tagged {
		other.Label = Label(plug.Wants)
	}
	return n.spanOf(plug.Wants, other), other
}

// SpanOf is the span that has a node, nil where none has.
func (n *Net) SpanOf(node Node) *Span {
	if vid := node.Label.VID(); vid != 0 {
		return n.spanOf(vid, node)
	}
	group, ok := n.groups.of[node.Label]
	if !ok {
		return nil
	}
	for _, label := range n.groups.groups[group] {
		if vid := label.VID(); vid != 0 {
			if part := n.spanOf(vid, node); part != nil {
				return part
			}
		}
	}
	return nil
}

// spanOf is the span of a VLAN that has a node.
func (n *Net) spanOf(vid office.VID, node Node) *Span {
	if vlan := n.vlans.Get(vid); vlan != nil {
		for _, part := range vlan.Spans {
			if slices.Contains(part.Nodes, node) {
				return part
			}
		}
	}
	return nil
}

// Standing is where an address of a device, or its management, is reached: the
// places in its VLAN's spans; none where no frame comes.
func (n *Net) Standing(dev int, vid office.VID, on string) (places []Place) {
	device := n.Office.Devices[dev]
	for _, hub := range n.addressHubs(dev, vid, on) {
		labels := []Label{Label(vid)}
		if device.Unaware() {
			labels = append(labels, untaggedAt|Label(hub)<<24)
		} else if !n.Lets(dev, vid) {
			continue
		}
		for _, label := range labels {
			if part := n.spanOf(vid, Node{hub, label}); part != nil {
				places = append(places, Place{part, Node{hub, label}})
			}
		}
	}
	return places
}

// Reaches lists the ports of a span as the frames go: those that let its
// domains in or out, ordered by name.
func (n *Net) Reaches(part *Span) []office.PortRef {
	var refs []office.PortRef
	for _, node := range part.Nodes {
		hub := n.Topo.Hubs[node.Hub]
		device, table := n.Office.Devices[hub.Dev], n.Tables[hub.Dev]
		if node.Label&deadAt != 0 {
			continue
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 || n.Topo.HubOf(hub.Dev, port) != node.Hub {
				continue
			}
			if _, ok := table.Egress(domainOf(node, device, port), port); ok {
				refs = append(refs, n.RefAt(hub.Dev, port))
			}
		}
	}
	slices.SortFunc(refs, func(a, b office.PortRef) int { return cmp.Compare(a.String(), b.String()) })
	return slices.Compact(refs)
}

// domainOf is the domain that a node is.
func domainOf(node Node, device *office.Device, port int) bridge.Domain {
	switch {
	case node.Label&untaggedAt != 0:
		return bridge.Domain{Keep: true, Kept: bridge.Untagged}
	case node.Label&keptAt != 0:
		return bridge.Domain{VID: office.VID(node.Label >> 12 & 0xfff), Keep: true, Kept: bridge.Wire(node.Label & 0xfff)}
	case device.Unaware():
		return bridge.Domain{Keep: true, Kept: bridge.Wire(node.Label)}
	case device.Forwarding == office.Routed:
		return bridge.Domain{VID: node.Label.VID(), Port: int16(port + 1)}
	}
	return bridge.Domain{VID: node.Label.VID()}
}
