package span

import (
	"cmp"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Carries says whether a VLAN crosses a link: both ways, or at all.
func (n *Net) Carries(link int, v office.VID) (both, any bool) {
	c := n.carry[link]
	ab, ba := c.AB.Has(v), c.BA.Has(v)
	for _, a := range c.Cross { // as untagged frames into or out of an unaware device
		if a.From == Label(v) && a.To&untaggedAt != 0 || a.To == Label(v) && a.From&untaggedAt != 0 {
			if a.FromA {
				ab = true
			} else {
				ba = true
			}
		}
	}
	return ab && ba, ab || ba
}

// Port is the compiled port at an end.
func (n *Net) Port(e End) *bridge.Port { return n.Tables[e.Dev].Ports[e.Port] }

// Ref names the port at an end.
func (n *Net) Ref(e End) office.PortRef { return n.ref(e.Dev, e.Port) }

// Aware says whether a device looks at tags.
func (n *Net) Aware(dev int) bool { return !isUnaware(n.Office.Devices[dev]) }

// lacking is how many of a link's ends would have to be set for v to cross.
func (n *Net) lacking(link int, v office.VID) int {
	k := 0
	for _, e := range []End{n.Topo.Links[link].A, n.Topo.Links[link].B} {
		if n.Aware(e.Dev) && !n.Port(e).Has(v) {
			k++
		}
	}
	return k
}

// Route is the shortest way over cables from some hubs to a goal: fewest hops,
// then fewest ports to change for v, then by the names of the ports; so the
// answer is always the same. Cables in a port that is shut, and devices that
// drop tags on the way, are no way. It is nil, false where no way exists.
func (n *Net) Route(v office.VID, from []int, goal func(hub int) bool) ([]int, bool) {
	return n.route(v, from, goal, false)
}

// RouteAnyhow is [Net.Route] over devices that drop tags, too.
func (n *Net) RouteAnyhow(v office.VID, from []int, goal func(hub int) bool) ([]int, bool) {
	return n.route(v, from, goal, true)
}

func (n *Net) route(v office.VID, from []int, goal func(hub int) bool, anyhow bool) ([]int, bool) {
	type best struct {
		hops, changes int
		via           int // link, -1 at the start
		prev          int // hub
	}
	at := map[int]best{}
	var front []int
	for _, h := range from {
		if _, ok := at[h]; !ok {
			at[h] = best{via: -1, prev: -1}
			front = append(front, h)
		}
	}
	path := func(b best) []int {
		var p []int
		for b.via >= 0 {
			p = append(p, b.via)
			b = at[b.prev]
		}
		slices.Reverse(p)
		return p
	}
	for len(front) > 0 {
		var found []best
		for _, h := range front {
			if goal(h) {
				found = append(found, at[h])
			}
		}
		if len(found) > 0 {
			slices.SortFunc(found, func(a, b best) int {
				return cmp.Or(cmp.Compare(a.changes, b.changes), slices.Compare(path(a), path(b)))
			})
			return path(found[0]), true
		}
		next := map[int]best{}
		var order []int
		for _, h := range front {
			b := at[h]
			if !anyhow && b.via >= 0 && n.Office.Devices[n.Topo.Hubs[h].Dev].Forwarding == office.UnawareDrops {
				continue
			}
			for _, l := range n.Topo.At[h] {
				k := &n.Topo.Links[l]
				w := k.Other(h)
				if _, ok := at[w.Hub]; ok || n.Port(k.A).Off || n.Port(k.B).Off {
					continue
				}
				c := best{b.hops + 1, b.changes + n.lacking(l, v), l, h}
				old, ok := next[w.Hub]
				if !ok {
					order = append(order, w.Hub)
				}
				if !ok || cmp.Or(cmp.Compare(c.changes, old.changes), slices.Compare(path(c), path(old))) < 0 {
					next[w.Hub] = c
				}
			}
		}
		slices.Sort(order)
		for _, h := range order {
			at[h] = next[h]
		}
		front = order
	}
	return nil, false
}

// Terminals lists the ports at which VLAN v ends inside a span: uncabled ports
// that name it, inner ports, and the ports of devices that are users of it
// themselves.
func (n *Net) Terminals(s *Span, v office.VID) []office.PortRef {
	var refs []office.PortRef
	for _, x := range s.Nodes {
		h := n.Topo.Hubs[x.Hub]
		d, t := n.Office.Devices[h.Dev], n.Tables[h.Dev]
		if x.Label != Label(v) || isUnaware(d) {
			continue
		}
		itself := talksItself(d)
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 || n.Topo.HubOf(h.Dev, p) != x.Hub || t.Ports[p].Off {
				continue
			}
			switch {
			case d.Ports[p].Kind == office.Inner && t.Ports[p].Has(v),
				(itself || len(n.Topo.LinksAt(h.Dev, p)) == 0 && !n.IsParked(v)) && n.shapes[h.Dev][p].Of(v) != office.NotMember:
				refs = append(refs, n.ref(h.Dev, p))
			}
		}
	}
	return refs
}

// Dead says whether a part of a VLAN is only an address or the management of a
// device that no frame of it comes to, and of which device.
func (n *Net) Dead(s *Span) (dev int, dead bool) {
	if len(s.Nodes) == 1 && s.Nodes[0].Label&deadAt != 0 {
		return n.Topo.Hubs[s.Nodes[0].Hub].Dev, true
	}
	return 0, false
}

// HasAddress says whether a VLAN has an address at a hub.
func (n *Net) HasAddress(hub int, v office.VID) bool { return n.addr[hub].Has(v) }

// Wants is what plugs want untagged at a hub of an unaware device.
func (n *Net) Wants(hub int) *office.Set { return n.wants[hub] }

// EndsAt says whether a VLAN has terminals at a hub.
func (n *Net) EndsAt(hub int, v office.VID) bool { return n.term[hub].Has(v) || n.wants[hub].Has(v) }

// AddressHubs is where an address, or the management, of a VLAN meets a
// device's ports; on names the port that an address is on.
func (n *Net) AddressHubs(dev int, v office.VID, on string) []int { return n.addressHubs(dev, v, on) }

// With is the shape in force on a port with VLAN v standing as m. What all or
// needed stand for is written out where v has to leave it.
func (n *Net) With(dev, port int, v office.VID, m office.Membership) office.Shape {
	s := *n.shapes[dev][port]
	if s.Off {
		s = office.Shape{}
	}
	return n.Expand(dev, port, s, v, m).With(v, m)
}

// Expand writes out what all or needed stand for on a port, where v, standing
// as m from now on, has to leave it.
func (n *Net) Expand(dev, port int, s office.Shape, v office.VID, m office.Membership) office.Shape {
	c := n.Tables[dev].Ports[port]
	if s.Rest != office.RestNone && m == office.NotMember && s.Of(v) != office.Untagged && c.Tagged.Has(v) {
		s.Rest = office.RestNone
		s.Tagged = c.Tagged.VIDs()
	}
	return s
}

// Carrying is the shape in force on a port with VLANs standing as m, both ways:
// under their own VIDs, and with such frames admitted.
func (n *Net) Carrying(dev, port int, m office.Membership, vs ...office.VID) office.Shape {
	s := *n.shapes[dev][port]
	if s.Off {
		s = office.Shape{}
	}
	for _, v := range vs {
		s = s.With(v, m)
		s.Rides = slices.DeleteFunc(slices.Clone(s.Rides), func(r office.Ride) bool { return r.VLAN == v })
	}
	if m == office.Tagged && s.Admit == office.AdmitUntagged || m == office.Untagged && s.Admit == office.AdmitTagged {
		s.Admit = office.AdmitAll
	}
	return s.Normal()
}

// Hears says whether what comes back at a port, in the form in which it sends a
// VLAN, joins that VLAN.
func (n *Net) Hears(dev, port int, v office.VID) bool {
	t := n.Tables[dev]
	w := bridge.Untagged
	if t.Ports[port].Tagged.Has(v) {
		w = t.Ports[port].WireOf(v)
	}
	d, why := t.Ingress(port, w)
	return why == bridge.Passed && !d.Keep && d.VID == v
}

// Delta says what is new against the Net that this one was updated from:
// devices whose ports forward otherwise, links that carry otherwise or are
// needed otherwise, VLANs whose spans are new. fresh means everything.
func (n *Net) Delta() (devices, links []int, vlans office.Set, fresh bool) {
	if n.before == nil {
		return nil, nil, n.used, true
	}
	return n.before.devices, n.before.links, n.dirty, false
}

// SpanAt is the span of a VLAN's domain at a hub, nil where there is none.
func (n *Net) SpanAt(hub int, v office.VID) *Span {
	r := n.vlans.Get(v)
	if r == nil {
		return nil
	}
	for _, s := range r.Spans {
		if _, ok := slices.BinarySearchFunc(s.Nodes, Node{hub, Label(v)}, func(a, b Node) int {
			return cmp.Or(cmp.Compare(a.Hub, b.Hub), cmp.Compare(a.Label, b.Label))
		}); ok {
			return s
		}
	}
	return nil
}

// Mismatch is where untagged frames leave one end of a link as one VLAN and
// join another at the other end; ok is false where they do not.
func (n *Net) Mismatch(link int) (from, to office.VID, fromA, ok bool) {
	l := &n.Topo.Links[link]
	if !n.Aware(l.A.Dev) || !n.Aware(l.B.Dev) {
		return
	}
	for _, dir := range []bool{true, false} {
		a, b := l.A, l.B
		if !dir {
			a, b = b, a
		}
		if n.Port(a).Off {
			continue
		}
		d, why := n.Tables[b.Dev].Ingress(b.Port, bridge.Untagged)
		if why != bridge.Passed {
			continue
		}
		for v := range n.Port(a).Untagged.All() {
			if v != d.VID {
				return v, d.VID, dir, true
			}
		}
	}
	return
}

// Served says whether a VLAN comes untagged into an unaware device's hub.
func (n *Net) Served(hub int, v office.VID) bool {
	r := n.vlans.Get(v)
	if r == nil {
		return false
	}
	want := Node{hub, untaggedAt | Label(hub)<<24}
	return slices.ContainsFunc(r.Spans, func(s *Span) bool { return slices.Contains(s.Nodes, want) })
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
	for l, c := range n.carry {
		k := &n.Topo.Links[l]
		for lb := range labels {
			if v := lb.VID(); v != 0 {
				if c.AB.Has(v) {
					add(l, Node{k.A.Hub, lb}, Node{k.B.Hub, lb})
				}
				if c.BA.Has(v) {
					add(l, Node{k.B.Hub, lb}, Node{k.A.Hub, lb})
				}
			}
		}
		for _, a := range c.Cross {
			cross(l, a)
		}
	}
	for _, a := range n.kept {
		cross(a.link, a.Arc)
	}
	return arcs
}

// Mutual is the nodes of a span that one of its nodes hears and is heard by.
func (n *Net) Mutual(s *Span, from Node) map[Node]bool {
	out := map[Node]bool{}
	if !s.OneWay {
		for _, x := range s.Nodes {
			out[x] = true
		}
		return out
	}
	start := slices.Index(s.Nodes, from)
	if start < 0 {
		return out
	}
	reach := func(forth bool) []bool {
		next := make([][]int, len(s.Nodes))
		for _, a := range n.arcsOf(s) {
			if forth {
				next[a.from] = append(next[a.from], a.to)
			} else {
				next[a.to] = append(next[a.to], a.from)
			}
		}
		seen := make([]bool, len(s.Nodes))
		seen[start] = true
		for queue := []int{start}; len(queue) > 0; queue = queue[1:] {
			for _, y := range next[queue[0]] {
				if !seen[y] {
					seen[y] = true
					queue = append(queue, y)
				}
			}
		}
		return seen
	}
	there, back := reach(true), reach(false)
	for i, x := range s.Nodes {
		if there[i] && back[i] {
			out[x] = true
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

// VLAN is the VLAN of a label, or the tag that is kept in a group.
func (l Label) VLAN() office.VID {
	if l&keptAt != 0 {
		return office.VID(l & 0xfff)
	}
	return l.VID()
}

// OneWays lists the arcs of a span that have no way back, by link.
func (n *Net) OneWays(s *Span) (out []OneWay) {
	if !s.OneWay {
		return nil
	}
	arcs := n.arcsOf(s)
	have := make(map[nodeArc]bool, len(arcs))
	for _, a := range arcs {
		have[a] = true
	}
	for _, a := range arcs {
		if a.from == a.to || have[nodeArc{a.link, a.to, a.from}] {
			continue
		}
		out = append(out, OneWay{a.link, n.Topo.Links[a.link].A.Hub == s.Nodes[a.from].Hub, s.Nodes[a.from].Label, s.Nodes[a.to].Label})
	}
	slices.SortFunc(out, func(x, y OneWay) int {
		return cmp.Or(cmp.Compare(x.Link, y.Link), cmp.Compare(x.From, y.From), cmp.Compare(x.To, y.To))
	})
	return slices.Compact(out)
}

// Ring is the links on which frames of a span can go round, in order.
func (n *Net) Ring(s *Span) []int {
	type edge struct{ link, x, y int }
	var edges []edge
	seen := map[edge]bool{}
	for _, a := range n.arcsOf(s) {
		if k := (edge{a.link, min(a.from, a.to), max(a.from, a.to)}); !seen[k] {
			seen[k] = true
			edges = append(edges, k)
		}
	}
	// Leaves fall off until only rings, and what lies between them, are left.
	degree := make([]int, len(s.Nodes))
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
func (n *Net) PlugAt(p *office.Plug) (*Span, Node) {
	dev := n.Topo.DeviceIndex(p.Port.Device)
	d := n.Office.Devices[dev]
	port := d.Logical(d.Port(p.Port.Port))
	hub := n.Topo.HubOf(dev, port)
	if !isUnaware(d) {
		if !n.Gives(dev, port, p.Wants, p.Tagged) {
			return nil, Node{}
		}
		x := Node{hub, Label(p.Wants)}
		return n.spanOf(p.Wants, x), x
	}
	if n.Tables[dev].Ports[port].Off || p.Tagged && d.Forwarding == office.UnawareDrops {
		return nil, Node{}
	}
	x := Node{hub, untaggedAt | Label(hub)<<24}
	if p.Tagged {
		x.Label = Label(p.Wants)
	}
	return n.spanOf(p.Wants, x), x
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
// spans of its VLAN and the nodes there; none where no frame comes.
func (n *Net) Standing(dev int, v office.VID, on string) (spans []*Span, nodes []Node) {
	d := n.Office.Devices[dev]
	for _, h := range n.addressHubs(dev, v, on) {
		labels := []Label{Label(v)}
		if isUnaware(d) {
			labels = append(labels, untaggedAt|Label(h)<<24)
		} else if !n.lets(dev, v) {
			continue
		}
		for _, l := range labels {
			if s := n.spanOf(v, Node{h, l}); s != nil {
				spans, nodes = append(spans, s), append(nodes, Node{h, l})
			}
		}
	}
	return spans, nodes
}
