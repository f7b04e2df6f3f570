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
func (t *terminal) place(net *span.Net, done []bool) int32 {
	if t.alt != nil && done[t.task] {
		return int32(moved + 1 + portOf(net, t.alt))
	}
	return int32(portOf(net, t))
}

// vlanOf is a VLAN of a place, 0 for none.
func vlanOf(place span.Place) office.VID {
	if place.Span == nil {
		return 0
	}
	if vid := place.Node.Label.VID(); vid != 0 {
		return vid
	}
	for _, node := range place.Span.Nodes {
		if vid := node.Label.VID(); vid != 0 {
			return vid
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
	one := &judge{places: reach.NewPlaces(), numbers: renumbered}
	one.find(was, plan)
	one.terms = slices.DeleteFunc(one.terms, func(terminal terminal) bool { // nobody but the laptop is there
		return slices.ContainsFunc(lent, func(loan loan) bool { return loan.free && loan.dev == terminal.dev && loan.port == terminal.port })
	})
	for _, move := range moves {
		one.terms = append(one.terms, terminal{dev: move.from.dev, port: move.from.port, wire: move.from.wire, alt: &move.to, task: move.task.at})
	}
	one.compare(was, plan)
	one.merged, one.mixing = map[[2]office.VID]bool{}, map[mixing]bool{}
	for _, net := range []*span.Net{was.net, plan.net} {
		one.meets(net, func(v, u office.VID) { one.merged[[2]office.VID{v, u}] = true })
		mixes(net, func(mixing mixing) { one.mixing[mixing] = true })
	}
	for vid := range plan.net.Used().All() {
		if vlan := plan.net.VLAN(vid); vlan != nil && vlan.Parts > 0 {
			one.planned.Add(vid)
		}
	}
	one.ring = rings(was.net)
	more := rings(plan.net)
	one.ring.AddAll(&more)
	return one
}

// compare puts the terminals into kinds, of which all stand and hear alike before and after,
// and works out between which kinds there is to be something all the time, and between which
// nothing.
//
// Many branches: a terminal may be there before, after, or both, and be moved.
func (j *judge) compare(was, plan *origin) {
	before, after := make([]reach.Stand, len(j.terms)), make([]reach.Stand, len(j.terms))
	kinds := map[string]int{}
	var first []int // a terminal of each kind
	for i := range j.terms {
		terminal := &j.terms[i]
		then := terminal
		if terminal.alt != nil {
			then = terminal.alt
		}
		if terminal.alt != nil || was.stands(terminal) {
			before[i] = j.stand(was.net, terminal, portOf(was.net, terminal))
		}
		if terminal.alt != nil || plan.stands(terminal) {
			after[i] = j.stand(plan.net, then, portOf(plan.net, then))
		}
		vid, u := j.numbers.of(inVLAN(was.net, terminal, &before[i])), inVLAN(plan.net, then, &after[i])
		terminal.vlan, terminal.then = cmp.Or(vid, u), cmp.Or(u, vid)
		key := fmt.Sprintf("%p %v %p %v %v / %p %v %p %v %v / %d %d %d", before[i].Sends.Span, before[i].Sends.Node, before[i].Hears.Span, before[i].Hears.Node, append(before[i].More, before[i].Also...), after[i].Sends.Span, after[i].Sends.Node, after[i].Hears.Span, after[i].Hears.Node, after[i].More, terminal.vid, vid, u)
		k, ok := kinds[key]
		if !ok {
			k = len(first)
			kinds[key] = k
			first = append(first, i)
		}
		terminal.kind = k
	}
	hears, b := reach.In(was.net), reach.In(plan.net)
	j.keep, j.apart = make([][]bool, len(first)), make([][]bool, len(first))
	for x, s := range first {
		j.keep[x], j.apart[x] = make([]bool, len(first)), make([]bool, len(first))
		for y, t := range first {
			st, ts := hears.Reaches(&before[s], &before[t]), hears.Reaches(&before[t], &before[s])
			st2, ts2 := b.Reaches(&after[s], &after[t]), b.Reaches(&after[t], &after[s])
			in := j.terms[s].vlan
			same := in == j.terms[s].then && in == j.terms[t].vlan && in == j.terms[t].then
			j.keep[x][y] = st && ts && st2 && ts2 && same
			all := before[s].There() && before[t].There() && after[s].There() && after[t].There()
			j.apart[x][y] = !st && !ts && !st2 && !ts2 && all // who comes or goes is of its VLAN
		}
	}
}

// inVLAN is the VLAN that a terminal is in, 0 for none.
func inVLAN(net *span.Net, terminal *terminal, stand *reach.Stand) office.VID {
	switch port := portOf(net, terminal); {
	case stand.Sends.Span == nil && stand.Hears.Span == nil:
	case terminal.port == "":
		return terminal.vid
	case port >= 0:
		if domain, why := net.Tables[terminal.dev].Ingress(port, terminal.wire); why == bridge.Passed && domain.VID != 0 {
			return domain.VID
		}
	}
	return cmp.Or(vlanOf(stand.Sends), vlanOf(stand.Hears))
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
	for _, one := range []*origin{was, plan} {
		for dev := range one.net.Office.Devices {
			add := func(port string, wire bridge.Wire, vid office.VID) {
				k := key{dev, port, wire, 0}
				if port == "" {
					k.vid = vid
				}
				if _, ok := seen[k]; !ok {
					seen[k] = len(j.terms)
					j.terms = append(j.terms, terminal{dev: dev, port: port, wire: wire, vid: vid})
				}
			}
			one.each(dev, add)
		}
	}
	slices.SortStableFunc(j.terms, func(a, b terminal) int {
		return cmp.Or(cmp.Compare(a.dev, b.dev), cmp.Compare(a.wire, b.wire), cmp.Compare(a.vid, b.vid), office.NaturalCompare(a.port, b.port))
	})
}

// portOf is the place of a terminal's port, that of its bundle; -1 where it is the
// device itself, or its port is not there.
func portOf(net *span.Net, terminal *terminal) int {
	if terminal.port == "" {
		return -1
	}
	device := net.Office.Devices[terminal.dev]
	p := device.Port(terminal.port)
	if p < 0 {
		return -1
	}
	return device.Logical(p)
}

// stand is where a terminal stands; nowhere where its port is not there.
func (j *judge) stand(net *span.Net, terminal *terminal, port int) (out reach.Stand) {
	switch {
	case terminal.port == "":
		out = j.places.Device(net, terminal.dev, terminal.vid)
		if old := j.numbers.before(terminal.vid); old != 0 { // it may stand in both on the way
			out = out.With(j.places.Device(net, terminal.dev, old))
		}
		return out
	case port < 0:
		return out
	}
	return j.places.Port(net, terminal.dev, port, terminal.wire)
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
func (j *judge) groups(net *span.Net, at []int32, each func(i, g int)) []group {
	if j.plain == nil {
		j.plain = map[plainKey]int{}
	}
	clear(j.plain)
	all := grouping{plain: j.plain, groups: j.scratch[:0]}
	var last *bridge.Port
	var lastHub, lastGroup int
	for i := range j.terms {
		terminal, port := j.terms[i].at(at[i])
		kind := j.terms[i].kind
		g := -1
		var compiled *bridge.Port
		hub := -1
		if terminal.port != "" && port >= 0 {
			compiled, hub = net.Tables[terminal.dev].Ports[port], net.Topo.HubOf(terminal.dev, port)
			if x := i - 1; x >= 0 && terminal.alt == nil && at[i] < moved && at[x] < moved && compiled == last && hub == lastHub && terminal.wire == j.terms[x].wire && terminal.dev == j.terms[x].dev && kind == j.terms[x].kind && j.terms[x].port != "" {
				g = lastGroup
			}
		}
		if g < 0 {
			g = all.of(kind, j.stand(net, terminal, port))
		}
		all.groups[g].n++
		last, lastHub, lastGroup = compiled, hub, g
		if each != nil {
			each(i, g)
		}
	}
	j.scratch = all.groups
	return all.groups
}

// grouping is groups while they are found: by kind and place, where a terminal stands in one
// place as nearly all do, and else by all the places that it hears.
type grouping struct {
	groups []group
	plain  map[plainKey]int
	ids    map[span.Place]int
	by     map[groupKey]int
}

// of is the group of a kind that stands somewhere, a new one where none does.
func (a *grouping) of(kind int, stand reach.Stand) int {
	g := len(a.groups)
	if stand.More == nil && stand.Also == nil && stand.Sends.Node == (span.Node{}) && stand.Hears.Node == (span.Node{}) {
		key := plainKey{kind, stand.Sends.Span, stand.Hears.Span}
		if known, ok := a.plain[key]; ok {
			return known
		}
		a.plain[key] = g
	} else {
		if a.by == nil {
			a.ids, a.by = map[span.Place]int{}, map[groupKey]int{}
		}
		key := groupKey{kind: kind, send: stand.Sends, hears: stand.Hears}
		for _, place := range slices.Concat(stand.More, []span.Place{{}}, stand.Also) {
			id, ok := a.ids[place]
			if !ok {
				id = len(a.ids)
				a.ids[place] = id
			}
			key.more += strconv.Itoa(id) + " "
		}
		if known, ok := a.by[key]; ok {
			return known
		}
		a.by[key] = g
	}
	a.groups = append(a.groups, group{kind, stand, 0})
	return g
}

// look judges an office on the way; at is the places of the terminals' ports.
func (j *judge) look(net *span.Net, at []int32) (verdict verdict) {
	gs := j.groups(net, at, nil)
	j.pairs(reach.In(net), gs, func(x, y, pairs int, cut bool) {
		if cut {
			verdict.cut += pairs
		} else {
			verdict.leaks += pairs
		}
	})
	j.meets(net, func(a, b office.VID) {
		if !j.merged[[2]office.VID{a, b}] {
			verdict.leaks++
		}
	})
	verdict.mixed = j.mixed(net)
	now := rings(net)
	verdict.ringed = now.Minus(&j.ring)
	return verdict
}

// pairs calls f for each pair of groups that is cut, or joined and should not be.
func (j *judge) pairs(hears *reach.Hearing, gs []group, f func(x, y, pairs int, cut bool)) {
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
			stand, one := &gs[x].at, &gs[y].at
			switch k := gs[y].kind; {
			case keep[k]:
				if !hears.Reaches(stand, one) || !hears.Reaches(one, stand) {
					f(x, y, pairs, true)
				}
			case apart[k]: // somebody who gets no frames is not there
				if stand.There() && one.There() && (hears.Reaches(stand, one) || hears.Reaches(one, stand)) {
					f(x, y, pairs, false)
				}
			}
		}
	}
}

// meets lists VLANs of which terminals are in one span, the lower first; a VLAN under two
// numbers does not meet itself.
func (j *judge) meets(net *span.Net, f func(vid, one office.VID)) {
	var seen map[*span.Span]bool
	for vid := range net.Used().All() {
		for _, part := range net.VLAN(vid).Spans {
			if len(part.Ends) < 2 || seen[part] {
				continue
			}
			if seen == nil {
				seen = map[*span.Span]bool{}
			}
			seen[part] = true
			for i, one := range part.Ends {
				for _, b := range part.Ends[i+1:] {
					if a, b := j.numbers.of(one), j.numbers.of(b); a != b {
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
func mixes(net *span.Net, f func(mixing)) {
	for i := range net.Topo.Links {
		for _, arc := range net.Carry(i).Cross {
			if vid, one := arc.From.VID(), arc.To.VID(); vid != 0 && one != 0 && vid != one {
				link := &net.Topo.Links[i]
				f(mixing{net.Ref(link.A), net.Ref(link.B), arc.FromA, vid, one})
			}
		}
	}
}

// mixed counts the ways over cables from one VLAN into another that neither office
// has there. Nobody may be in one of the two yet; but then nobody can come.
func (j *judge) mixed(net *span.Net) (k int) {
	mixes(net, func(mixing mixing) {
		if !j.mixing[mixing] && j.numbers.of(mixing.from) != j.numbers.of(mixing.to) && j.lives(net, mixing.from) && j.lives(net, mixing.to) {
			k++
		}
	})
	return k
}

// lives says whether somebody is in a VLAN, now or when all is done.
func (j *judge) lives(net *span.Net, vid office.VID) bool {
	vlan := net.VLAN(vid)
	return vlan != nil && vlan.Parts > 0 || j.planned.Has(vid)
}

// rings is the VLANs that form a ring over cables.
func rings(net *span.Net) (set office.Set) {
	if len(net.Topo.Links) < len(net.Topo.Hubs) && !cyclic(net.Topo) {
		return set
	}
	for vid := range net.Used().All() {
		for _, part := range net.VLAN(vid).Spans {
			if part.Ring() {
				set.Add(vid)
			}
		}
	}
	return set
}

// cyclic says whether some cables close a circle.
func cyclic(topology *graph.Topology) bool {
	union := graph.NewUnion(len(topology.Hubs))
	for i := range topology.Links {
		if _, _, joined := union.Join(int32(topology.Links[i].A.Hub), int32(topology.Links[i].B.Hub)); !joined {
			return true
		}
	}
	return false
}

// who is the pairs of terminals that are cut, and the VLANs that are joined.
func (j *judge) who(net *span.Net, at []int32) (cut map[[2]int]bool, joined map[[2]office.VID]bool) {
	cut, joined = map[[2]int]bool{}, map[[2]office.VID]bool{}
	var in [][]int
	gs := j.groups(net, at, func(i, g int) {
		if g == len(in) {
			in = append(in, nil)
		}
		in[g] = append(in[g], i)
	})
	j.pairs(reach.In(net), gs, func(x, y, _ int, isCut bool) {
		for _, a := range in[x] {
			for _, b := range in[y] {
				if x == y && a >= b {
					continue
				}
				if isCut {
					cut[[2]int{min(a, b), max(a, b)}] = true
					continue
				}
				vid, one := j.vlan(a), j.vlan(b)
				if vid == one {
					vid, one = j.terms[a].then, j.terms[b].then
				}
				joined[[2]office.VID{min(vid, one), max(vid, one)}] = true
			}
		}
	})
	j.meets(net, func(a, b office.VID) {
		if !j.merged[[2]office.VID{a, b}] {
			joined[[2]office.VID{a, b}] = true
		}
	})
	return cut, joined
}

// vlan is the VLAN of a terminal, before, or else after.
func (j *judge) vlan(i int) office.VID { return j.terms[i].vlan }

// name is a terminal as people say it: its port, or the device itself.
func (j *judge) name(problem *problem, i int) string {
	terminal := &j.terms[i]
	d := problem.was.net.Office.Devices[terminal.dev].Name
	if terminal.port == "" {
		return d
	}
	return office.PortRef{Device: d, Port: terminal.port}.String()
}
