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
func (n *Net) Dead(s *Span) (dev int, dead bool) {
	if len(s.Nodes) == 1 && s.Nodes[0].Label&deadAt != 0 {
		return n.Topo.Hubs[s.Nodes[0].Hub].Dev, true
	}
	return 0, false
}

// SpanAt is the span of a VLAN's domain at a hub, nil where there is none.
func (n *Net) SpanAt(hub int, vid office.VID) *Span {
	r := n.vlans.Get(vid)
	if r == nil {
		return nil
	}
	for _, s := range r.Spans {
		if _, ok := slices.BinarySearchFunc(s.Nodes, Node{hub, Label(vid)}, func(a, b Node) int {
			return cmp.Or(cmp.Compare(a.Hub, b.Hub), cmp.Compare(a.Label, b.Label))
		}); ok {
			return s
		}
	}
	return nil
}

// nodeArc leads over a link from a node of a span to another, by their places
// in its list.
type nodeArc struct{ link, from, to int }

// arcsOf is all arcs of a span.
func (n *Net) arcsOf(s *Span) []nodeArc {
	at := make(map[Node]int, len(s.Nodes))
	labels := map[Label]bool{}
	for i, x := range s.Nodes {
		at[x] = i
		labels[x.Label] = true
	}
	var arcs []nodeArc
	add := func(l int, a, b Node) {
		x, ok := at[a]
		y, ok2 := at[b]
		if ok && ok2 {
			arcs = append(arcs, nodeArc{l, x, y})
		}
	}
	cross := func(l int, a Arc) {
		k := &n.Topo.Links[l]
		if a.FromA {
			add(l, Node{k.A.Hub, a.From}, Node{k.B.Hub, a.To})
		} else {
			add(l, Node{k.B.Hub, a.From}, Node{k.A.Hub, a.To})
		}
	}
	for link, c := range n.carry {
		k := &n.Topo.Links[link]
		for lb := range labels {
			if v := lb.VID(); v != 0 {
				if c.AB.Has(v) {
					add(link, Node{k.A.Hub, lb}, Node{k.B.Hub, lb})
				}
				if c.BA.Has(v) {
					add(link, Node{k.B.Hub, lb}, Node{k.A.Hub, lb})
				}
			}
		}
		for _, a := range c.Cross {
			cross(link, a)
		}
	}
	for _, a := range n.kept {
		cross(a.link, a.Arc)
	}
	return arcs
}

// Mutual is the nodes of a span that one of its nodes hears and is heard by, itself
// among them.
func (n *Net) Mutual(s *Span, from Node) map[Node]bool {
	if !s.OneWay {
		out := make(map[Node]bool, len(s.Nodes))
		for _, x := range s.Nodes {
			out[x] = true
		}
		return out
	}
	out, back := n.follow(s, from, true), n.follow(s, from, false)
	maps.DeleteFunc(out, func(x Node, _ bool) bool { return !back[x] })
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
	for _, a := range n.arcsOf(part) {
		if !forth {
			a.from, a.to = a.to, a.from
		}
		next[a.from] = append(next[a.from], a)
	}
	type at struct{ node, by int }
	seen := map[at]bool{{start, -1}: true}
	for queue := []at{{start, -1}}; len(queue) > 0; queue = queue[1:] {
		for _, a := range next[queue[0].node] {
			x := at{a.to, a.link}
			if a.link != queue[0].by && !seen[x] {
				seen[x] = true
				out[part.Nodes[a.to]] = true
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
	for _, a := range arcs {
		have[a] = true
	}
	for _, a := range arcs {
		if a.from == a.to || have[nodeArc{a.link, a.to, a.from}] {
			continue
		}
		out = append(out, OneWay{a.link, n.Topo.Links[a.link].A.Hub == part.Nodes[a.from].Hub, part.Nodes[a.from].Label, part.Nodes[a.to].Label})
	}
	slices.SortFunc(out, func(x, y OneWay) int {
		return cmp.Or(cmp.Compare(x.Link, y.Link), cmp.Compare(x.From, y.From), cmp.Compare(x.To, y.To))
	})
	return slices.Compact(out)
}

// Ring is the links on which frames of a span can go round, in order.
func (n *Net) Ring(part *Span) []int {
	type edge struct{ link, x, y int }
	var edges []edge
	seen := map[edge]bool{}
	for _, a := range n.arcsOf(part) {
		if k := (edge{a.link, min(a.from, a.to), max(a.from, a.to)}); !seen[k] {
			seen[k] = true
			edges = append(edges, k)
		}
	}
	// Leaves fall off until only rings, and what lies between them, are left.
	degree := make([]int, len(part.Nodes))
	for _, e := range edges {
		degree[e.x]++
		degree[e.y]++
	}
	for again := true; again; {
		again = false
		edges = slices.DeleteFunc(edges, func(e edge) bool {
			if e.x != e.y && (degree[e.x] == 1 || degree[e.y] == 1) {
				degree[e.x]--
				degree[e.y]--
				again = true
				return true
			}
			return false
		})
	}
	var ls []int
	for _, e := range edges {
		ls = append(ls, e.link)
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
		x := Node{hub, Label(plug.Wants)}
		return n.spanOf(plug.Wants, x), x
	}
	if n.Tables[dev].Ports[port].Off || plug.Tagged && device.Forwarding == office.UnawareDrops {
		return nil, Node{}
	}
	x := Node{hub, untaggedAt | Label(hub)<<24}
	if plug.Tagged {
		x.Label = Label(plug.Wants)
	}
	return n.spanOf(plug.Wants, x), x
}

// SpanOf is the span that has a node, nil where none has.
func (n *Net) SpanOf(node Node) *Span {
	if v := node.Label.VID(); v != 0 {
		return n.spanOf(v, node)
	}
	group, ok := n.groups.of[node.Label]
	if !ok {
		return nil
	}
	for _, l := range n.groups.groups[group] {
		if v := l.VID(); v != 0 {
			if s := n.spanOf(v, node); s != nil {
				return s
			}
		}
	}
	return nil
}

// spanOf is the span of a VLAN that has a node.
func (n *Net) spanOf(v office.VID, x Node) *Span {
	if r := n.vlans.Get(v); r != nil {
		for _, s := range r.Spans {
			if slices.Contains(s.Nodes, x) {
				return s
			}
		}
	}
	return nil
}

// Standing is where an address of a device, or its management, is reached: the
// places in its VLAN's spans; none where no frame comes.
func (n *Net) Standing(dev int, vid office.VID, on string) (places []Place) {
	d := n.Office.Devices[dev]
	for _, hub := range n.addressHubs(dev, vid, on) {
		labels := []Label{Label(vid)}
		if d.Unaware() {
			labels = append(labels, untaggedAt|Label(hub)<<24)
		} else if !n.Lets(dev, vid) {
			continue
		}
		for _, l := range labels {
			if s := n.spanOf(vid, Node{hub, l}); s != nil {
				places = append(places, Place{s, Node{hub, l}})
			}
		}
	}
	return places
}

// Reaches lists the ports of a span as the frames go: those that let its
// domains in or out, ordered by name.
func (n *Net) Reaches(s *Span) []office.PortRef {
	var refs []office.PortRef
	for _, node := range s.Nodes {
		h := n.Topo.Hubs[node.Hub]
		device, table := n.Office.Devices[h.Dev], n.Tables[h.Dev]
		if node.Label&deadAt != 0 {
			continue
		}
		for p := range device.Ports {
			if device.Ports[p].Bundle > 0 || n.Topo.HubOf(h.Dev, p) != node.Hub {
				continue
			}
			if _, ok := table.Egress(domainOf(node, device, p), p); ok {
				refs = append(refs, n.RefAt(h.Dev, p))
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
