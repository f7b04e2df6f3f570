package order

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/span"
)

// terminal is somebody who talks: at a port in one form, or a device itself in a
// VLAN (its address, its management, or a host behind its own port).
type terminal struct {
	dev  int
	port string // "" for the device itself
	wire bridge.Wire
	vid  office.VID // of the device itself; else the VLAN that it is in, before or after
	kind int        // those that nobody before, after or now tells apart
	vlan office.VID // where it is, before, or else after
	then office.VID // and after, or else before
}

// place is where frames of a VLAN are: a whole span, where every arc has its way
// back; else one of its nodes. The zero place is nowhere.
type place struct {
	span *span.Span
	node span.Node
}

func placeOf(s *span.Span, x span.Node) place {
	switch {
	case s == nil:
		return place{}
	case s.OneWay:
		return place{s, x}
	}
	return place{span: s}
}

// vlan is a VLAN of a place, 0 for none.
func (p place) vlan() office.VID {
	if p.span == nil {
		return 0
	}
	if v := p.node.Label.VID(); v != 0 {
		return v
	}
	for _, x := range p.span.Nodes {
		if v := x.Label.VID(); v != 0 {
			return v
		}
	}
	return 0
}

// sig is where a terminal stands in one office worked out: the place that its
// frames get into, and the places whose frames come out to it.
type sig struct {
	send, hears place
	more        []place // further places that it hears
}

// there says whether somebody gets frames at all.
func (s *sig) there() bool { return s.hears.span != nil || s.more != nil }

// hear adds a place that a terminal hears.
func (s *sig) hear(p place) {
	switch {
	case p.span == nil || p == s.hears:
	case s.hears.span == nil:
		s.hears = p
	default:
		s.more = append(s.more, p)
	}
}

// frames is where frames of a node get to, of spans that some arc leads one way.
type frames struct {
	n  *span.Net
	to map[span.Node]map[span.Node]bool
}

func (f *frames) of(s *span.Span, x span.Node) map[span.Node]bool {
	out, ok := f.to[x]
	if !ok {
		out = f.n.Frames(s, x)
		if f.to == nil {
			f.to = map[span.Node]map[span.Node]bool{}
		}
		f.to[x] = out
	}
	return out
}

// hears says whether what gets into one place comes out at another.
func (f *frames) hears(from, to place) bool {
	switch {
	case from.span == nil || from.span != to.span:
		return false
	case from == to:
		return true
	}
	return f.of(from.span, from.node)[to.node]
}

// reaches says whether frames of one come out to another.
func (f *frames) reaches(a, b *sig) bool {
	if f.hears(a.send, b.hears) {
		return true
	}
	for _, h := range b.more {
		if f.hears(a.send, h) {
			return true
		}
	}
	return false
}

// judge holds what an order promises: who keeps reaching whom, and who never
// does.
type judge struct {
	terms []terminal
	// by kind and kind: they reach each other in one VLAN before and after; they do
	// in no direction, before and after.
	keep, apart [][]bool
	planned     office.Set             // VLANs that somebody is in when all is done
	ring        office.Set             // VLANs that form a ring before or after
	merged      map[[2]office.VID]bool // VLANs that meet before or after
	mixing      map[mixing]bool        // what leads from one VLAN into another before or after
	hubs        map[*span.VLAN][]*span.Span
	at          *span.Net // that is looked at
	scratch     []group
	plain       map[plainKey]int
	turn        uint32
	by          [4096]struct {
		turn uint32
		hubs []*span.Span
	}
}

// newJudge compares the office before with the one after; both have the same
// devices in the same order.
func newJudge(was, plan *origin, lent []loan) *judge {
	j := &judge{hubs: map[*span.VLAN][]*span.Span{}}
	j.find(was, plan)
	j.terms = slices.DeleteFunc(j.terms, func(t terminal) bool { // nobody but the laptop is there
		return slices.ContainsFunc(lent, func(l loan) bool { return l.free && l.dev == t.dev && l.port == t.port })
	})
	a, b := &frames{n: was.n}, &frames{n: plan.n}
	before, after := make([]sig, len(j.terms)), make([]sig, len(j.terms))
	kinds := map[string]int{}
	var first []int // a terminal of each kind
	for i := range j.terms {
		t := &j.terms[i]
		if was.stands(t) {
			before[i] = j.sig(a.n, t, portOf(was.n, t))
		}
		if plan.stands(t) {
			after[i] = j.sig(b.n, t, portOf(plan.n, t))
		}
		v, u := inVLAN(was.n, t, &before[i]), inVLAN(plan.n, t, &after[i])
		t.vlan, t.then = cmp.Or(v, u), cmp.Or(u, v)
		key := fmt.Sprintf("%p %v %p %v %v / %p %v %p %v %v / %d %d %d", before[i].send.span, before[i].send.node, before[i].hears.span, before[i].hears.node, before[i].more, after[i].send.span, after[i].send.node, after[i].hears.span, after[i].hears.node, after[i].more, t.vid, v, u)
		k, ok := kinds[key]
		if !ok {
			k = len(first)
			kinds[key] = k
			first = append(first, i)
		}
		t.kind = k
	}
	j.keep, j.apart = make([][]bool, len(first)), make([][]bool, len(first))
	for x, s := range first {
		j.keep[x], j.apart[x] = make([]bool, len(first)), make([]bool, len(first))
		for y, t := range first {
			st, ts := a.reaches(&before[s], &before[t]), a.reaches(&before[t], &before[s])
			st2, ts2 := b.reaches(&after[s], &after[t]), b.reaches(&after[t], &after[s])
			in := j.terms[s].vlan
			same := in == j.terms[s].then && in == j.terms[t].vlan && in == j.terms[t].then
			j.keep[x][y] = st && ts && st2 && ts2 && same
			all := before[s].there() && before[t].there() && after[s].there() && after[t].there()
			j.apart[x][y] = !st && !ts && !st2 && !ts2 && all // who comes or goes is of its VLAN
		}
	}
	j.merged, j.mixing = map[[2]office.VID]bool{}, map[mixing]bool{}
	for _, n := range []*span.Net{was.n, plan.n} {
		meets(n, func(v, u office.VID) { j.merged[[2]office.VID{v, u}] = true })
		mixes(n, func(x mixing) { j.mixing[x] = true })
	}
	for v := range plan.n.Used().All() {
		if r := plan.n.VLAN(v); r != nil && r.Parts > 0 {
			j.planned.Add(v)
		}
	}
	j.ring = rings(was.n)
	more := rings(plan.n)
	j.ring.AddAll(&more)
	return j
}

// inVLAN is the VLAN that a terminal is in, 0 for none.
func inVLAN(n *span.Net, t *terminal, s *sig) office.VID {
	switch port := portOf(n, t); {
	case s.send.span == nil && s.hears.span == nil:
	case t.port == "":
		return t.vid
	case port >= 0:
		if d, why := n.Tables[t.dev].Ingress(port, t.wire); why == bridge.Passed && d.VID != 0 {
			return d.VID
		}
	}
	return cmp.Or(s.send.vlan(), s.hears.vlan())
}

// find lists the terminals of both offices: where a VLAN ends by what is written
// there (docs of package span), each once.
func (j *judge) find(was, plan *origin) {
	type key struct {
		dev  int
		port string
		wire bridge.Wire
		vid  office.VID
	}
	seen := map[key]int{}
	for _, x := range []*origin{was, plan} {
		for dev := range x.n.Office.Devices {
			add := func(port string, wire bridge.Wire, v office.VID) {
				k := key{dev, port, wire, 0}
				if port == "" {
					k.vid = v
				}
				if _, ok := seen[k]; !ok {
					seen[k] = len(j.terms)
					j.terms = append(j.terms, terminal{dev: dev, port: port, wire: wire, vid: v})
				}
			}
			x.each(dev, add)
		}
	}
	slices.SortStableFunc(j.terms, func(a, b terminal) int {
		return cmp.Or(cmp.Compare(a.dev, b.dev), cmp.Compare(a.wire, b.wire), cmp.Compare(a.vid, b.vid), office.NaturalCompare(a.port, b.port))
	})
}

// portOf is the place of a terminal's port, that of its bundle; -1 where it is the
// device itself, or its port is not there.
func portOf(n *span.Net, t *terminal) int {
	if t.port == "" {
		return -1
	}
	d := n.Office.Devices[t.dev]
	p := d.Port(t.port)
	if p < 0 {
		return -1
	}
	return d.Logical(p)
}

// sig is where a terminal stands.
func (j *judge) sig(n *span.Net, t *terminal, port int) (out sig) {
	d := n.Office.Devices[t.dev]
	if t.port == "" {
		if !itself(n, t.dev, t.vid) {
			return out
		}
		talks := func(p place) {
			if out.send.span == nil {
				out.send = p
			}
			out.hear(p)
		}
		if d.TalksItself() {
			for port := range d.Ports {
				if d.Ports[port].Bundle == 0 && n.Tables[t.dev].Ports[port].Has(t.vid) {
					x := span.Node{Hub: n.Topo.HubOf(t.dev, port), Label: span.Label(t.vid)}
					talks(placeOf(j.spanAt(n, t.vid, x), x))
				}
			}
			return out
		}
		on := ""
		for _, a := range d.Addresses {
			if a.VID == t.vid {
				on = a.On
			}
		}
		for _, x := range n.Standing(t.dev, t.vid, on) {
			talks(placeOf(x.Span, x.Node))
		}
		return out
	}
	if port < 0 {
		return out
	}
	table := n.Tables[t.dev]
	hub := n.Topo.HubOf(t.dev, port)
	if domain, why := table.Ingress(port, t.wire); why == bridge.Passed {
		x := span.Node{Hub: hub, Label: span.LabelOf(hub, domain)}
		out.send = placeOf(j.spanAt(n, x.Label.VID(), x), x)
	}
	if d.Unaware() {
		out.hears = out.send
		return out
	}
	compiled := table.Ports[port]
	if compiled.Off {
		return out
	}
	hear := func(v office.VID) {
		x := span.Node{Hub: hub, Label: span.Label(v)}
		out.hear(placeOf(j.spanAt(n, v, x), x))
	}
	if t.wire == bridge.Untagged {
		if v := compiled.Access; v != 0 {
			hear(v)
			return out
		}
		for v := range compiled.Untagged.All() {
			hear(v)
		}
		return out
	}
	if d.Forwarding == office.Grouped { // a tag that has no row stays on, inside a group
		members := compiled.Members()
		for v := range members.All() {
			x := span.Node{Hub: hub, Label: span.LabelOf(hub, bridge.Domain{VID: v, Keep: true, Kept: t.wire})}
			out.hear(placeOf(n.SpanOf(x), x))
		}
	}
	if len(compiled.Rides) == 0 {
		if compiled.Tagged.Has(t.wire.VID()) {
			hear(t.wire.VID())
		}
		return out
	}
	for v := range compiled.Tagged.All() {
		if compiled.WireOf(v) == t.wire {
			hear(v)
		}
	}
	return out
}

// spanAt is the span that has a node; kept by hub for each VLAN's result, which
// lives on where an update does not touch it, and by VLAN for the office that is
// looked at.
func (j *judge) spanAt(n *span.Net, v office.VID, x span.Node) *span.Span {
	if v == 0 {
		return n.SpanOf(x)
	}
	if n != j.at {
		j.at = n
		j.turn++
	}
	seen := &j.by[v]
	if seen.turn != j.turn {
		seen.turn, seen.hubs = j.turn, j.byHub(n, v)
	}
	if seen.hubs == nil {
		return nil
	}
	return seen.hubs[x.Hub]
}

func (j *judge) byHub(n *span.Net, v office.VID) []*span.Span {
	r := n.VLAN(v)
	if r == nil {
		return nil
	}
	by := j.hubs[r]
	if len(by) < len(n.Topo.Hubs) {
		by = make([]*span.Span, len(n.Topo.Hubs))
		for _, s := range r.Spans {
			for _, y := range s.Nodes {
				if y.Label == span.Label(v) {
					by[y.Hub] = s
				}
			}
		}
		if len(j.hubs) > 1<<12 {
			clear(j.hubs)
		}
		j.hubs[r] = by
	}
	return by
}

// itself says whether a device talks in a VLAN itself.
func itself(n *span.Net, dev int, v office.VID) bool {
	d := n.Office.Devices[dev]
	if d.Manage != nil && d.Manage.VID == v || slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == v }) {
		return true
	}
	return d.TalksItself()
}

// verdict is what an office on the way costs.
type verdict struct {
	cut    int        // pairs that reach each other before and after, and not now
	leaks  int        // pairs that never reach each other, and do now; and VLANs that never meet
	mixed  int        // cables over which one VLAN leads into another, and should not
	ringed office.Set // VLANs that form a ring now, and neither before nor after
}

func (v verdict) rings() int { return v.ringed.Len() }

type groupKey struct {
	kind        int
	send, hears place
	more        string
}

type plainKey struct {
	kind        int
	send, hears *span.Span
}

// group is terminals of one kind that stand at one place.
type group struct {
	kind int
	sig  sig
	n    int
}

// groups parts the terminals by kind and by where they stand. Neighbours in the
// list are often alike: of one device, with ports that forward alike. What it gives
// holds until it is asked again.
func (j *judge) groups(n *span.Net, at []int32, each func(i, g int)) []group {
	out := j.scratch[:0]
	var ids map[place]int
	var by map[groupKey]int
	if j.plain == nil {
		j.plain = map[plainKey]int{}
	}
	clear(j.plain)
	plain := j.plain
	var last *bridge.Port
	var lastHub, lastGroup int
	for i := range j.terms {
		t := &j.terms[i]
		g := -1
		var compiled *bridge.Port
		hub := -1
		if t.port != "" && at[i] >= 0 {
			compiled, hub = n.Tables[t.dev].Ports[at[i]], n.Topo.HubOf(t.dev, int(at[i]))
			if x := i - 1; x >= 0 && compiled == last && hub == lastHub && t.wire == j.terms[x].wire && t.dev == j.terms[x].dev && t.kind == j.terms[x].kind && j.terms[x].port != "" {
				g = lastGroup
			}
		}
		if g < 0 {
			s := j.sig(n, t, int(at[i]))
			known := false
			if s.more == nil && s.send.node == (span.Node{}) && s.hears.node == (span.Node{}) {
				k := plainKey{t.kind, s.send.span, s.hears.span}
				if g, known = plain[k]; !known {
					g = len(out)
					plain[k] = g
				}
			} else {
				k := groupKey{kind: t.kind, send: s.send, hears: s.hears}
				for _, p := range s.more {
					id, ok := ids[p]
					if !ok {
						if ids == nil {
							ids, by = map[place]int{}, map[groupKey]int{}
						}
						id = len(ids)
						ids[p] = id
					}
					k.more += strconv.Itoa(id) + " "
				}
				if g, known = by[k]; !known {
					g = len(out)
					if by == nil {
						ids, by = map[place]int{}, map[groupKey]int{}
					}
					by[k] = g
				}
			}
			if !known {
				out = append(out, group{t.kind, s, 0})
			}
		}
		out[g].n++
		last, lastHub, lastGroup = compiled, hub, g
		if each != nil {
			each(i, g)
		}
	}
	j.scratch = out
	return out
}

// look judges an office on the way; at is the places of the terminals' ports.
func (j *judge) look(n *span.Net, at []int32) (v verdict, p *frames) {
	p = &frames{n: n}
	gs := j.groups(n, at, nil)
	j.pairs(p, gs, func(x, y, pairs int, cut bool) {
		if cut {
			v.cut += pairs
		} else {
			v.leaks += pairs
		}
	})
	meets(n, func(a, b office.VID) {
		if !j.merged[[2]office.VID{a, b}] {
			v.leaks++
		}
	})
	v.mixed = j.mixed(n)
	now := rings(n)
	v.ringed = now.Minus(&j.ring)
	return v, p
}

// pairs calls f for each pair of groups that is cut, or joined and should not be.
func (j *judge) pairs(p *frames, gs []group, f func(x, y, pairs int, cut bool)) {
	for x := range gs {
		keep, apart := j.keep[gs[x].kind], j.apart[gs[x].kind]
		for y := x; y < len(gs); y++ {
			pairs := gs[x].n * gs[y].n
			if x == y {
				pairs = gs[x].n * (gs[x].n - 1) / 2
			}
			if pairs == 0 {
				continue
			}
			a, b := &gs[x].sig, &gs[y].sig
			switch k := gs[y].kind; {
			case keep[k]:
				if !p.reaches(a, b) || !p.reaches(b, a) {
					f(x, y, pairs, true)
				}
			case apart[k]: // somebody who gets no frames is not there
				if a.there() && b.there() && (p.reaches(a, b) || p.reaches(b, a)) {
					f(x, y, pairs, false)
				}
			}
		}
	}
}

// meets lists VLANs of which terminals are in one span, the lower first.
func meets(n *span.Net, f func(v, u office.VID)) {
	var seen map[*span.Span]bool
	for v := range n.Used().All() {
		for _, s := range n.VLAN(v).Spans {
			if len(s.Ends) < 2 || seen[s] {
				continue
			}
			if seen == nil {
				seen = map[*span.Span]bool{}
			}
			seen[s] = true
			for i, a := range s.Ends {
				for _, b := range s.Ends[i+1:] {
					f(a, b)
				}
			}
		}
	}
}

// mixing is a cable over which one VLAN leads into another.
type mixing struct {
	a, b     office.PortRef
	fromA    bool
	from, to office.VID
}

// mixes lists them.
func mixes(n *span.Net, f func(mixing)) {
	for i := range n.Topo.Links {
		for _, x := range n.Carry(i).Cross {
			if v, u := x.From.VID(), x.To.VID(); v != 0 && u != 0 && v != u {
				l := &n.Topo.Links[i]
				f(mixing{n.Ref(l.A), n.Ref(l.B), x.FromA, v, u})
			}
		}
	}
}

// mixed counts the ways over cables from one VLAN into another that neither office
// has there. Nobody may be in one of the two yet; but then nobody can come.
func (j *judge) mixed(n *span.Net) (k int) {
	mixes(n, func(x mixing) {
		if !j.mixing[x] && j.lives(n, x.from) && j.lives(n, x.to) {
			k++
		}
	})
	return k
}

// lives says whether somebody is in a VLAN, now or when all is done.
func (j *judge) lives(n *span.Net, v office.VID) bool {
	r := n.VLAN(v)
	return r != nil && r.Parts > 0 || j.planned.Has(v)
}

// rings is the VLANs that form a ring over cables.
func rings(n *span.Net) (set office.Set) {
	if len(n.Topo.Links) < len(n.Topo.Hubs) && !cyclic(n.Topo) {
		return set
	}
	for v := range n.Used().All() {
		for _, s := range n.VLAN(v).Spans {
			if s.Ring() {
				set.Add(v)
			}
		}
	}
	return set
}

// cyclic says whether some cables close a circle.
func cyclic(t *graph.Topology) bool {
	u := graph.NewUnion(len(t.Hubs))
	for i := range t.Links {
		if _, _, joined := u.Join(int32(t.Links[i].A.Hub), int32(t.Links[i].B.Hub)); !joined {
			return true
		}
	}
	return false
}

// who is the pairs of terminals that are cut, and the VLANs that are joined.
func (j *judge) who(n *span.Net, at []int32) (cut map[[2]int]bool, joined map[[2]office.VID]bool) {
	cut, joined = map[[2]int]bool{}, map[[2]office.VID]bool{}
	p := &frames{n: n}
	var in [][]int
	gs := j.groups(n, at, func(i, g int) {
		if g == len(in) {
			in = append(in, nil)
		}
		in[g] = append(in[g], i)
	})
	j.pairs(p, gs, func(x, y, _ int, isCut bool) {
		for _, a := range in[x] {
			for _, b := range in[y] {
				if x == y && a >= b {
					continue
				}
				if isCut {
					cut[[2]int{min(a, b), max(a, b)}] = true
					continue
				}
				v, u := j.vlan(a), j.vlan(b)
				if v == u {
					v, u = j.terms[a].then, j.terms[b].then
				}
				joined[[2]office.VID{min(v, u), max(v, u)}] = true
			}
		}
	})
	meets(n, func(a, b office.VID) {
		if !j.merged[[2]office.VID{a, b}] {
			joined[[2]office.VID{a, b}] = true
		}
	})
	return cut, joined
}

// vlan is the VLAN of a terminal, before, or else after.
func (j *judge) vlan(i int) office.VID { return j.terms[i].vlan }

// name is a terminal as people say it: its port, or the device itself.
func (j *judge) name(p *problem, i int) string {
	t := &j.terms[i]
	d := p.was.n.Office.Devices[t.dev].Name
	if t.port == "" {
		return d
	}
	return office.PortRef{Device: d, Port: t.port}.String()
}
