package order

import (
	"cmp"
	"fmt"
	"slices"

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

// sig is where a terminal stands in one office worked out: the place that its
// frames get into, and the places whose frames come out to it; -1 for none.
type sig struct {
	send  int32
	hears int32
	more  []int32 // further places that it hears
}

// there says whether somebody gets frames at all.
func (s *sig) there() bool { return s.hears >= 0 || s.more != nil }

// places numbers the places of one office worked out. Where every arc has its way
// back a whole span is one place.
type places struct {
	n     *span.Net
	ids   map[placeKey]int32
	all   []placeKey
	heard frames
}

// frames is where frames of a node get to, of spans that some arc leads one way.
type frames map[span.Node]map[span.Node]bool

func (f frames) of(n *span.Net, s *span.Span, x span.Node) map[span.Node]bool {
	out, ok := f[x]
	if !ok {
		out = n.Frames(s, x)
		f[x] = out
	}
	return out
}

type placeKey struct {
	span *span.Span
	node span.Node // zero where the span is one place
}

func newPlaces(n *span.Net) *places {
	return &places{n: n, ids: map[placeKey]int32{}, heard: frames{}}
}

func (p *places) id(s *span.Span, x span.Node) int32 {
	if s == nil {
		return -1
	}
	k := placeKey{span: s}
	if s.OneWay {
		k.node = x
	}
	id, ok := p.ids[k]
	if !ok {
		id = int32(len(p.all))
		p.ids[k] = id
		p.all = append(p.all, k)
	}
	return id
}

// vlan is a VLAN of a place, 0 for none.
func (p *places) vlan(id int32) office.VID {
	if id < 0 {
		return 0
	}
	if v := p.all[id].node.Label.VID(); v != 0 {
		return v
	}
	for _, x := range p.all[id].span.Nodes {
		if v := x.Label.VID(); v != 0 {
			return v
		}
	}
	return 0
}

// hears says whether what gets into one place comes out at another.
func (p *places) hears(from, to int32) bool {
	switch {
	case from < 0 || to < 0:
		return false
	case from == to:
		return true
	}
	a, b := p.all[from], p.all[to]
	if a.span != b.span {
		return false
	}
	return p.heard.of(p.n, a.span, a.node)[b.node]
}

// reaches says whether frames of one come out to another.
func (p *places) reaches(a, b *sig) bool {
	if a.send < 0 {
		return false
	}
	if p.hears(a.send, b.hears) {
		return true
	}
	for _, h := range b.more {
		if p.hears(a.send, h) {
			return true
		}
	}
	return false
}

// judge holds what an order promises: who keeps reaching whom, and who never
// does.
type judge struct {
	terms []terminal
	// by kind and kind: they reach each other before and after; they do in no
	// direction, before and after.
	keep, apart [][]bool
	ring        office.Set             // VLANs that form a ring before or after
	merged      map[[2]office.VID]bool // VLANs that meet before or after
	hubs        map[*span.VLAN][]*span.Span
}

// newJudge compares the office before with the one after; both have the same
// devices in the same order.
func newJudge(was, plan *origin) *judge {
	j := &judge{hubs: map[*span.VLAN][]*span.Span{}}
	j.find(was, plan)
	a, b := newPlaces(was.n), newPlaces(plan.n)
	before, after := make([]sig, len(j.terms)), make([]sig, len(j.terms))
	kinds := map[string]int{}
	var first []int // a terminal of each kind
	for i := range j.terms {
		t := &j.terms[i]
		before[i], after[i] = sig{send: -1, hears: -1}, sig{send: -1, hears: -1}
		if was.stands(t) {
			before[i] = j.sig(a, t, portOf(was.n, t))
		}
		if plan.stands(t) {
			after[i] = j.sig(b, t, portOf(plan.n, t))
		}
		key := fmt.Sprint(before[i], after[i], t.vid)
		k, ok := kinds[key]
		if !ok {
			k = len(first)
			kinds[key] = k
			first = append(first, i)
		}
		t.kind = k
		for _, x := range []struct {
			p *places
			s *sig
		}{{a, &before[i]}, {b, &after[i]}} {
			v := cmp.Or(t.vid, x.p.vlan(x.s.send), x.p.vlan(x.s.hears))
			t.vlan, t.then = cmp.Or(t.vlan, v), cmp.Or(v, t.then)
		}
	}
	j.keep, j.apart = make([][]bool, len(first)), make([][]bool, len(first))
	for x, s := range first {
		j.keep[x], j.apart[x] = make([]bool, len(first)), make([]bool, len(first))
		for y, t := range first {
			st, ts := a.reaches(&before[s], &before[t]), a.reaches(&before[t], &before[s])
			st2, ts2 := b.reaches(&after[s], &after[t]), b.reaches(&after[t], &after[s])
			j.keep[x][y] = st && ts && st2 && ts2
			j.apart[x][y] = !st && !ts && !st2 && !ts2
		}
	}
	j.merged = map[[2]office.VID]bool{}
	for _, n := range []*span.Net{was.n, plan.n} {
		meets(n, func(v, u office.VID) { j.merged[[2]office.VID{v, u}] = true })
	}
	j.ring = rings(was.n)
	more := rings(plan.n)
	j.ring.AddAll(&more)
	return j
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
		for dev, d := range x.n.Office.Devices {
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
			x.each(dev, d, add)
		}
	}
	slices.SortStableFunc(j.terms, func(a, b terminal) int {
		return cmp.Or(cmp.Compare(a.dev, b.dev), office.NaturalCompare(a.port, b.port), cmp.Compare(a.wire, b.wire), cmp.Compare(a.vid, b.vid))
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
func (j *judge) sig(p *places, t *terminal, port int) sig {
	n := p.n
	out := sig{send: -1, hears: -1}
	d := n.Office.Devices[t.dev]
	if t.port == "" {
		if !itself(n, t.dev, t.vid) {
			return out
		}
		hears := func(s *span.Span, x span.Node) {
			id := p.id(s, x)
			switch {
			case id < 0:
			case out.send < 0:
				out.send, out.hears = id, id
			case id != out.hears:
				out.more = append(out.more, id)
			}
		}
		if d.TalksItself() {
			for port := range d.Ports {
				if d.Ports[port].Bundle == 0 && n.Tables[t.dev].Ports[port].Has(t.vid) {
					x := span.Node{Hub: n.Topo.HubOf(t.dev, port), Label: span.Label(t.vid)}
					hears(j.spanAt(n, t.vid, x), x)
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
			hears(x.Span, x.Node)
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
		out.send = p.id(j.spanAt(n, x.Label.VID(), x), x)
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
		id := p.id(j.spanAt(n, v, x), x)
		switch {
		case id < 0 || id == out.hears:
		case out.hears < 0:
			out.hears = id
		default:
			out.more = append(out.more, id)
		}
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
			label := span.LabelOf(hub, bridge.Domain{VID: v, Keep: true, Kept: t.wire})
			x := span.Node{Hub: hub, Label: label}
			if id := p.id(n.SpanOf(x), x); id >= 0 {
				out.more = append(out.more, id)
			}
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
// lives on where an update does not touch it.
func (j *judge) spanAt(n *span.Net, v office.VID, x span.Node) *span.Span {
	if v == 0 {
		return n.SpanOf(x)
	}
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
		if len(j.hubs) > 1<<13 {
			clear(j.hubs)
		}
		j.hubs[r] = by
	}
	return by[x.Hub]
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
	ringed office.Set // VLANs that form a ring now, and neither before nor after
}

func (v verdict) rings() int { return v.ringed.Len() }

type groupKey struct {
	kind        int
	send, hears int32
	more        string
}

type group struct {
	kind int
	sig  sig
	n    int
}

// groups parts the terminals by kind and by where they stand.
func (j *judge) groups(p *places, at []int32, each func(i, g int)) []group {
	var out []group
	by := map[groupKey]int{}
	for i := range j.terms {
		s := j.sig(p, &j.terms[i], int(at[i]))
		k := groupKey{j.terms[i].kind, s.send, s.hears, ""}
		if s.more != nil {
			k.more = fmt.Sprint(s.more)
		}
		g, ok := by[k]
		if !ok {
			g = len(out)
			by[k] = g
			out = append(out, group{j.terms[i].kind, s, 0})
		}
		out[g].n++
		if each != nil {
			each(i, g)
		}
	}
	return out
}

// look judges an office on the way; at is the places of the terminals' ports.
func (j *judge) look(n *span.Net, at []int32) (v verdict, heard frames) {
	p := newPlaces(n)
	gs := j.groups(p, at, nil)
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
	now := rings(n)
	v.ringed = now.Minus(&j.ring)
	return v, p.heard
}

// pairs calls f for each pair of groups that is cut, or joined and should not be.
func (j *judge) pairs(p *places, gs []group, f func(x, y, pairs int, cut bool)) {
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
	p := newPlaces(n)
	var in [][]int
	gs := j.groups(p, at, func(i, g int) {
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
