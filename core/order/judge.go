package order

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/reach"
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
	alt  *terminal  // what is plugged in elsewhere on the way: there it is then
	task int        // and the task after which it is
	vlan office.VID // where it is, before, or else after
	then office.VID // and after, or else before
}

// moved marks the place of a terminal that was plugged in elsewhere.
const moved = 1 << 20

// at is a terminal where it is, and its port there, by its place as [terminal.place] gives it.
func (t *terminal) at(place int32) (*terminal, int) {
	if place >= moved {
		return t.alt, int(place) - moved - 1
	}
	return t, int(place)
}

// place is where a terminal is in an office, as a number; tasks that are done say where it
// is plugged in.
func (t *terminal) place(n *span.Net, done []bool) int32 {
	if t.alt != nil && done[t.task] {
		return int32(moved + 1 + portOf(n, t.alt))
	}
	return int32(portOf(n, t))
}

// vlanOf is a VLAN of a place, 0 for none.
func vlanOf(p span.Place) office.VID {
	if p.Span == nil {
		return 0
	}
	if v := p.Node.Label.VID(); v != 0 {
		return v
	}
	for _, x := range p.Span.Nodes {
		if v := x.Label.VID(); v != 0 {
			return v
		}
	}
	return 0
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
	numbers     numbers
	places      *reach.Places
	scratch     []group
	plain       map[plainKey]int
}

// newJudge compares the office before with the one after; both have the same
// devices in the same order.
func newJudge(was, plan *origin, lent []loan, renumbered numbers, moves []plugMove) *judge {
	j := &judge{places: reach.NewPlaces(), numbers: renumbered}
	j.find(was, plan)
	j.terms = slices.DeleteFunc(j.terms, func(t terminal) bool { // nobody but the laptop is there
		return slices.ContainsFunc(lent, func(l loan) bool { return l.free && l.dev == t.dev && l.port == t.port })
	})
	for _, m := range moves {
		j.terms = append(j.terms, terminal{dev: m.from.dev, port: m.from.port, wire: m.from.wire, alt: &m.to, task: m.task.at})
	}
	a, b := reach.In(was.n), reach.In(plan.n)
	before, after := make([]reach.Stand, len(j.terms)), make([]reach.Stand, len(j.terms))
	kinds := map[string]int{}
	var first []int // a terminal of each kind
	for i := range j.terms {
		t := &j.terms[i]
		then := t
		if t.alt != nil {
			then = t.alt
		}
		if t.alt != nil || was.stands(t) {
			before[i] = j.stand(was.n, t, portOf(was.n, t))
		}
		if t.alt != nil || plan.stands(t) {
			after[i] = j.stand(plan.n, then, portOf(plan.n, then))
		}
		v, u := j.numbers.of(inVLAN(was.n, t, &before[i])), inVLAN(plan.n, then, &after[i])
		t.vlan, t.then = cmp.Or(v, u), cmp.Or(u, v)
		key := fmt.Sprintf("%p %v %p %v %v / %p %v %p %v %v / %d %d %d", before[i].Sends.Span, before[i].Sends.Node, before[i].Hears.Span, before[i].Hears.Node, append(before[i].More, before[i].Also...), after[i].Sends.Span, after[i].Sends.Node, after[i].Hears.Span, after[i].Hears.Node, after[i].More, t.vid, v, u)
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
			st, ts := a.Reaches(&before[s], &before[t]), a.Reaches(&before[t], &before[s])
			st2, ts2 := b.Reaches(&after[s], &after[t]), b.Reaches(&after[t], &after[s])
			in := j.terms[s].vlan
			same := in == j.terms[s].then && in == j.terms[t].vlan && in == j.terms[t].then
			j.keep[x][y] = st && ts && st2 && ts2 && same
			all := before[s].There() && before[t].There() && after[s].There() && after[t].There()
			j.apart[x][y] = !st && !ts && !st2 && !ts2 && all // who comes or goes is of its VLAN
		}
	}
	j.merged, j.mixing = map[[2]office.VID]bool{}, map[mixing]bool{}
	for _, n := range []*span.Net{was.n, plan.n} {
		j.meets(n, func(v, u office.VID) { j.merged[[2]office.VID{v, u}] = true })
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
func inVLAN(n *span.Net, t *terminal, s *reach.Stand) office.VID {
	switch port := portOf(n, t); {
	case s.Sends.Span == nil && s.Hears.Span == nil:
	case t.port == "":
		return t.vid
	case port >= 0:
		if d, why := n.Tables[t.dev].Ingress(port, t.wire); why == bridge.Passed && d.VID != 0 {
			return d.VID
		}
	}
	return cmp.Or(vlanOf(s.Sends), vlanOf(s.Hears))
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

// stand is where a terminal stands; nowhere where its port is not there.
func (j *judge) stand(n *span.Net, t *terminal, port int) (out reach.Stand) {
	switch {
	case t.port == "":
		out = j.places.Device(n, t.dev, t.vid)
		if old := j.numbers.before(t.vid); old != 0 { // it may stand in both on the way
			out = out.With(j.places.Device(n, t.dev, old))
		}
		return out
	case port < 0:
		return out
	}
	return j.places.Port(n, t.dev, port, t.wire)
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
	send, hears span.Place
	more        string
}

type plainKey struct {
	kind        int
	send, hears *span.Span
}

// group is terminals of one kind that stand at one place.
type group struct {
	kind int
	at   reach.Stand
	n    int
}

// groups parts the terminals by kind and by where they stand. Neighbours in the
// list are often alike: of one device, with ports that forward alike. What it gives
// holds until it is asked again.
func (j *judge) groups(n *span.Net, at []int32, each func(i, g int)) []group {
	out := j.scratch[:0]
	var ids map[span.Place]int
	var by map[groupKey]int
	if j.plain == nil {
		j.plain = map[plainKey]int{}
	}
	clear(j.plain)
	plain := j.plain
	var last *bridge.Port
	var lastHub, lastGroup int
	for i := range j.terms {
		t, port := j.terms[i].at(at[i])
		kind := j.terms[i].kind
		g := -1
		var compiled *bridge.Port
		hub := -1
		if t.port != "" && port >= 0 {
			compiled, hub = n.Tables[t.dev].Ports[port], n.Topo.HubOf(t.dev, port)
			if x := i - 1; x >= 0 && t.alt == nil && at[i] < moved && at[x] < moved && compiled == last && hub == lastHub && t.wire == j.terms[x].wire && t.dev == j.terms[x].dev && kind == j.terms[x].kind && j.terms[x].port != "" {
				g = lastGroup
			}
		}
		if g < 0 {
			s := j.stand(n, t, port)
			known := false
			if s.More == nil && s.Also == nil && s.Sends.Node == (span.Node{}) && s.Hears.Node == (span.Node{}) {
				k := plainKey{kind, s.Sends.Span, s.Hears.Span}
				if g, known = plain[k]; !known {
					g = len(out)
					plain[k] = g
				}
			} else {
				k := groupKey{kind: kind, send: s.Sends, hears: s.Hears}
				for _, p := range slices.Concat(s.More, []span.Place{{}}, s.Also) {
					id, ok := ids[p]
					if !ok {
						if ids == nil {
							ids, by = map[span.Place]int{}, map[groupKey]int{}
						}
						id = len(ids)
						ids[p] = id
					}
					k.more += strconv.Itoa(id) + " "
				}
				if g, known = by[k]; !known {
					g = len(out)
					if by == nil {
						ids, by = map[span.Place]int{}, map[groupKey]int{}
					}
					by[k] = g
				}
			}
			if !known {
				out = append(out, group{kind, s, 0})
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
func (j *judge) look(n *span.Net, at []int32) (v verdict) {
	gs := j.groups(n, at, nil)
	j.pairs(reach.In(n), gs, func(x, y, pairs int, cut bool) {
		if cut {
			v.cut += pairs
		} else {
			v.leaks += pairs
		}
	})
	j.meets(n, func(a, b office.VID) {
		if !j.merged[[2]office.VID{a, b}] {
			v.leaks++
		}
	})
	v.mixed = j.mixed(n)
	now := rings(n)
	v.ringed = now.Minus(&j.ring)
	return v
}

// pairs calls f for each pair of groups that is cut, or joined and should not be.
func (j *judge) pairs(h *reach.Hearing, gs []group, f func(x, y, pairs int, cut bool)) {
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
			a, b := &gs[x].at, &gs[y].at
			switch k := gs[y].kind; {
			case keep[k]:
				if !h.Reaches(a, b) || !h.Reaches(b, a) {
					f(x, y, pairs, true)
				}
			case apart[k]: // somebody who gets no frames is not there
				if a.There() && b.There() && (h.Reaches(a, b) || h.Reaches(b, a)) {
					f(x, y, pairs, false)
				}
			}
		}
	}
}

// meets lists VLANs of which terminals are in one span, the lower first; a VLAN under two
// numbers does not meet itself.
func (j *judge) meets(n *span.Net, f func(v, u office.VID)) {
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
					if a, b := j.numbers.of(a), j.numbers.of(b); a != b {
						f(min(a, b), max(a, b))
					}
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
		if !j.mixing[x] && j.numbers.of(x.from) != j.numbers.of(x.to) && j.lives(n, x.from) && j.lives(n, x.to) {
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
	var in [][]int
	gs := j.groups(n, at, func(i, g int) {
		if g == len(in) {
			in = append(in, nil)
		}
		in[g] = append(in[g], i)
	})
	j.pairs(reach.In(n), gs, func(x, y, _ int, isCut bool) {
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
	j.meets(n, func(a, b office.VID) {
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
