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
			if b.via >= 0 && n.Office.Devices[n.Topo.Hubs[h].Dev].Forwarding == office.UnawareDrops {
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
// that it leaves untagged, and inner ports.
func (n *Net) Terminals(s *Span, v office.VID) []office.PortRef {
	var refs []office.PortRef
	for _, x := range s.Nodes {
		h := n.Topo.Hubs[x.Hub]
		d, t := n.Office.Devices[h.Dev], n.Tables[h.Dev]
		if x.Label != Label(v) || isUnaware(d) {
			continue
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 || n.Topo.HubOf(h.Dev, p) != x.Hub || t.Ports[p].Off {
				continue
			}
			inner := d.Ports[p].Kind == office.Inner
			if inner && t.Ports[p].Has(v) || len(n.Topo.LinksAt(h.Dev, p)) == 0 && t.Ports[p].Untagged.Has(v) {
				refs = append(refs, n.ref(h.Dev, p))
			}
		}
	}
	return refs
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

// Ring is the links on which frames of a span can go round, in order.
func (n *Net) Ring(s *Span) []int {
	type edge struct{ link, x, y int }
	at := map[Node]int{}
	for i, x := range s.Nodes {
		at[x] = i
	}
	var edges []edge
	seen := map[[3]int]bool{}
	add := func(l int, a, b Node) {
		x, ok := at[a]
		y, ok2 := at[b]
		if ok && ok2 {
			k := [3]int{l, min(x, y), max(x, y)}
			if !seen[k] {
				seen[k] = true
				edges = append(edges, edge{l, x, y})
			}
		}
	}
	labels := map[Label]bool{}
	for _, x := range s.Nodes {
		labels[x.Label] = true
	}
	arcs := func(l int, a Arc) {
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
			if v := lb.VID(); v != 0 && (c.AB.Has(v) || c.BA.Has(v)) {
				add(l, Node{k.A.Hub, lb}, Node{k.B.Hub, lb})
			}
		}
		for _, a := range c.Cross {
			arcs(l, a)
		}
	}
	for _, a := range n.kept {
		arcs(a.link, a.Arc)
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

// Joins is the span that frames of a VLAN join at a port, tagged or untagged;
// nil where they are dropped or join another.
func (n *Net) Joins(dev, port int, v office.VID, tagged bool) *Span {
	w := bridge.Untagged
	if tagged {
		w = bridge.Wire(v)
	}
	d, why := n.Tables[dev].Ingress(port, w)
	if why != bridge.Passed {
		return nil
	}
	hub := n.Topo.HubOf(dev, port)
	if l := label(hub, d); l&untaggedAt != 0 {
		if r := n.vlans.Get(v); r != nil {
			for _, s := range r.Spans {
				if slices.Contains(s.Nodes, Node{hub, l}) {
					return s
				}
			}
		}
		return nil
	} else if l.VID() != 0 {
		return n.SpanAt(hub, l.VID())
	}
	return nil
}
