package span

import (
	"cmp"
	"slices"

	"klammer/core/graph"
	"klammer/core/office"
)

// A VLAN's spans are the connected parts of a graph: its nodes are hubs that the VLAN is at, its
// arcs the links that carry it, each in one direction or in both. Nearly every VLAN is alone: what
// carries it carries it as itself, and one pass over hubs and links with disjoint sets finds the
// parts ([work.alone]). Where a cable leads from one VLAN into another (an untagged mismatch, a
// ride, a device that knows no tags), nodes are pairs of a hub and a [Label], and the VLANs that
// such arcs join are a class that is worked out as one ([Net.coupled]):
//
//	core 7: 110 ──── floor 8: 190        untagged, so 110 at core is 190 at floor
//
//	nodes   (core 110) (floor 190) (core 190) (floor 110)
//	arcs    (core 110) ↔ (floor 190)       one span for both VLANs: "merged"
//	        (core 190)   (floor 110)       each alone on its side: "split"
//
// An arc in one direction joins two nodes to one span all the same, as frames get there; who is
// not heard back is told from inside the span (inside.go). The cost of a VLAN alone is the number
// of hubs and links, of a class that times its labels.

// classes are VLANs that are worked out together, as an arc leads from one
// into the other.
type classes struct {
	groups [][]Label
	of     map[Label]int
	arcs   map[int][]linkArc // by group
}

// couple finds the classes. A VLAN that no arc leads out of is alone.
func (n *Net) couple() classes {
	var all []Label
	at := map[Label]int32{}
	know := func(label Label) int32 {
		k, ok := at[label]
		if !ok {
			k = int32(len(all))
			at[label] = k
			all = append(all, label)
		}
		return k
	}
	each := func(yield func(linkArc)) {
		for i, carry := range n.carry {
			for _, arc := range carry.Cross {
				yield(linkArc{i, arc})
			}
		}
		for _, arc := range n.kept {
			yield(arc)
		}
	}
	each(func(arc linkArc) {
		know(arc.From)
		know(arc.To)
	})
	for h := range n.wants { // an unaware device that nothing enters
		if !n.wants[h].Empty() {
			know(untaggedAt | Label(h)<<24)
		}
	}
	joined := graph.NewUnion(len(all))
	each(func(arc linkArc) { joined.Join(at[arc.From], at[arc.To]) })
	one := classes{of: map[Label]int{}, arcs: map[int][]linkArc{}}
	group := map[int32]int{}
	for _, label := range slices.Sorted(slices.Values(all)) {
		r := joined.Find(at[label])
		g, ok := group[r]
		if !ok {
			g = len(one.groups)
			one.groups = append(one.groups, nil)
			group[r] = g
		}
		one.of[label] = g
		one.groups[g] = append(one.groups[g], label)
	}
	each(func(arc linkArc) {
		g := one.of[arc.From]
		one.arcs[g] = append(one.arcs[g], arc)
	})
	return one
}

// solve works out every VLAN of n.dirty, with those of its class.
//
//	> core 6: [110]; floor 7: [110]; cable core.6 floor.7; floor 8: 190 [140 160]
func (n *Net) solve() {
	// a class is worked out as one, and so is dirty as one
	for g, ls := range n.groups.groups {
		hit := false
		for _, label := range ls {
			hit = hit || label.VID() != 0 && n.dirty.Has(label.VID())
		}
		if hit {
			for _, label := range ls {
				if label.VID() != 0 && n.used.Has(label.VID()) {
					n.dirty.Add(label.VID())
				}
			}
			n.coupled(g)
		}
	}
	work := newWork(n)
	for vid := range n.dirty.All() {
		if !n.used.Has(vid) {
			n.vlans.Set(vid, nil)
			continue
		}
		if _, ok := n.groups.of[Label(vid)]; !ok {
			n.finish(vid, work.alone(vid))
		}
	}
}

// work is the memory that the VLANs share while they are worked out in turn.
type work struct {
	net    *Net
	sets   graph.Union // -1 for a hub that the VLAN is not at
	links  []int32
	size   []int32
	comp   []int32
	here   []int32
	oneWay []int32
}

// newWork is the scratch of one solving, sized for the graph: made once and used for every VLAN, as
// sets of -1 mean that a hub is not in it.
func newWork(net *Net) *work {
	h := len(net.Topo.Hubs)
	one := &work{net: net, sets: make(graph.Union, h), links: make([]int32, h), size: make([]int32, h), comp: make([]int32, h)}
	for i := range one.sets {
		one.sets[i] = -1
	}
	return one
}

// alone works out a VLAN that is a class of its own.
func (w *work) alone(vid office.VID) []*Span {
	net := w.net
	other, bit := vid>>6, uint64(1)<<(vid&63)
	here := w.here[:0]
	for h := range net.present {
		if net.present[h][other]&bit != 0 {
			w.sets[h], w.links[h], w.size[h] = int32(h), 0, 0
			here = append(here, int32(h))
		}
	}
	for at, carry := range net.carry {
		if (carry.AB[other]|carry.BA[other])&bit == 0 {
			continue
		}
		link := &net.Topo.Links[at]
		for _, h := range [2]int{link.A.Hub, link.B.Hub} {
			if w.sets[h] < 0 {
				w.sets[h], w.links[h], w.size[h] = int32(h), 0, 0
				here = append(here, int32(h))
			}
		}
		a, b, ok := w.sets.Join(int32(link.A.Hub), int32(link.B.Hub))
		if ok {
			w.links[a] += w.links[b]
		}
		w.links[a]++
		if carry.AB[other]&carry.BA[other]&bit == 0 {
			w.oneWay = append(w.oneWay, a)
		}
	}
	w.here = here
	if !slices.IsSorted(here) {
		slices.Sort(here)
	}
	for _, h := range here {
		w.size[w.sets.Find(h)]++
	}
	nodes := make([]Node, 0, len(here))
	var spans []*Span
	for _, h := range here {
		r := w.sets.Find(h)
		if w.comp[r] > 0 {
			continue
		}
		from := len(nodes)
		nodes = nodes[:from+int(w.size[r])]
		spans = append(spans, &Span{Nodes: nodes[from:from:len(nodes)], Links: int(w.links[r])})
		w.comp[r] = int32(len(spans))
	}
	for _, h := range here {
		part := spans[w.comp[w.sets.Find(h)]-1]
		part.Nodes = append(part.Nodes, Node{int(h), Label(vid)})
		if len(part.Ends) == 0 && (net.term[h][other]|net.own[h][other])&bit != 0 {
			part.Ends = []office.VID{vid}
		}
	}
	for _, h := range w.oneWay {
		spans[w.comp[w.sets.Find(h)]-1].OneWay = true
	}
	w.oneWay = w.oneWay[:0]
	for _, h := range here {
		w.comp[h] = 0
	}
	for _, h := range here {
		w.sets[h] = -1
	}
	return spans
}

// partsOf is the spans of nodes that are joined, by what the union finds of each, and as a
// list: by hub and label, so that it is the same each time.
func partsOf(nodes []Node, sets graph.Union) (spans map[int32]*Span, list []*Span) {
	spans = map[int32]*Span{}
	order := make([]int, len(nodes))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int {
		return cmp.Or(cmp.Compare(nodes[a].Hub, nodes[b].Hub), cmp.Compare(nodes[a].Label, nodes[b].Label))
	})
	for _, i := range order {
		r := sets.Find(int32(i))
		part := spans[r]
		if part == nil {
			part = &Span{}
			spans[r] = part
			list = append(list, part)
		}
		part.Nodes = append(part.Nodes, nodes[i])
	}
	return spans, list
}

// coupled works out a class of several labels.
//
// Many branches: labels of one class are joined by cables and by arcs, and each in one
// direction or both.
func (n *Net) coupled(g int) {
	labels := n.groups.groups[g]
	id := map[Node]int{}
	var nodes []Node
	node := func(one Node) int {
		k, ok := id[one]
		if !ok {
			k = len(nodes)
			id[one] = k
			nodes = append(nodes, one)
		}
		return k
	}
	for _, label := range labels {
		if vid := label.VID(); vid != 0 {
			for h := range n.present {
				if n.present[h].Has(vid) {
					node(Node{h, label})
				}
			}
		} else {
			node(Node{int(label &^ (untaggedAt | keptAt | deadAt) >> 24), label})
		}
	}
	type pair struct{ x, y int }
	joins := map[pair]*[2]bool{} // one a link and pair of nodes: the directions in which it is joined
	var joined []pair
	join := func(link, x, y int, both bool) {
		way := 0
		if x > y {
			x, y, way = y, x, 1
		}
		one := pair{link, x<<32 | y}
		if joins[one] == nil {
			joins[one] = &[2]bool{}
			joined = append(joined, one)
		}
		joins[one][way] = true
		if both || x == y {
			joins[one][1-way] = true
		}
	}
	for link, carry := range n.carry {
		one := &n.Topo.Links[link]
		for _, lb := range labels {
			vid := lb.VID()
			if ab, ba := carry.AB.Has(vid), carry.BA.Has(vid); vid != 0 && (ab || ba) {
				x, y := node(Node{one.A.Hub, lb}), node(Node{one.B.Hub, lb})
				if !ab {
					x, y = y, x
				}
				join(link, x, y, ab && ba)
			}
		}
	}
	for _, arc := range n.groups.arcs[g] {
		link := &n.Topo.Links[arc.link]
		from, to := link.A.Hub, link.B.Hub
		if !arc.FromA {
			from, to = to, from
		}
		join(arc.link, node(Node{from, arc.From}), node(Node{to, arc.To}), false)
	}
	ends := func(other pair) (x, y int) { return other.y >> 32, other.y & (1<<32 - 1) }
	sets := graph.NewUnion(len(nodes))
	for _, other := range joined {
		x, y := ends(other)
		sets.Join(int32(x), int32(y))
	}
	spans, list := partsOf(nodes, sets)
	for _, other := range joined {
		x, _ := ends(other)
		part := spans[sets.Find(int32(x))]
		part.Links++
		part.OneWay = part.OneWay || !joins[other][0] || !joins[other][1]
	}
	byVLAN := n.endsOf(list)
	for _, label := range labels {
		if vid := label.VID(); vid != 0 && n.used.Has(vid) {
			n.finish(vid, byVLAN[vid])
		}
	}
}

// endsOf says of each span of a class in which VLANs frames end there, and gives the spans by
// VLAN.
func (n *Net) endsOf(list []*Span) map[office.VID][]*Span {
	plain := map[int]*office.Set{} // by hub: what comes untagged into a device that knows no tags
	for _, part := range list {
		var has office.Set
		for _, one := range part.Nodes {
			if vid := one.Label.VID(); vid != 0 {
				has.Add(vid)
			}
		}
		for _, one := range part.Nodes {
			if one.Label&untaggedAt != 0 {
				plain[one.Hub] = &has
			}
		}
	}
	byVLAN := map[office.VID][]*Span{}
	for _, part := range list {
		var has, ends office.Set
		for _, one := range part.Nodes {
			if vid := one.Label.VID(); vid != 0 {
				has.Add(vid)
				if n.term[one.Hub].Has(vid) || n.own[one.Hub].Has(vid) && (plain[one.Hub] == nil || !plain[one.Hub].Has(vid)) {
					ends.Add(vid) // such a device is reached by tags where nothing comes untagged
				}
			}
		}
		for _, one := range part.Nodes { // behind an unaware device, a plug is served where its VLAN comes through
			if one.Label&untaggedAt != 0 {
				served := n.wants[one.Hub].And(&has)
				ends.AddAll(&served)
			}
		}
		part.Ends = ends.VIDs()
		for vid := range has.All() {
			byVLAN[vid] = append(byVLAN[vid], part)
		}
	}
	return byVLAN
}

// finish orders a VLAN's spans and names its state.
func (n *Net) finish(vid office.VID, spans []*Span) {
	vlan := &VLAN{VID: vid, Spans: spans}
	type rank struct {
		ends, gateway bool
	}
	of := func(part *Span) rank {
		one := rank{ends: slices.Contains(part.Ends, vid)}
		for _, node := range part.Nodes {
			one.gateway = one.gateway || (node.Label == Label(vid) || node.Label&untaggedAt != 0) && n.AtGateway(node.Hub, vid)
		}
		return one
	}
	for _, h := range n.unreached(vid, spans) {
		vlan.Spans = append(vlan.Spans, &Span{Nodes: []Node{{h, deadAt | Label(h)<<24 | Label(vid)}}, Ends: []office.VID{vid}})
	}
	spans = vlan.Spans
	first := func(a, b bool) int {
		switch {
		case a == b:
			return 0
		case a:
			return -1
		}
		return 1
	}
	if len(spans) > 1 {
		slices.SortStableFunc(vlan.Spans, func(a, b *Span) int {
			other, one := of(a), of(b)
			return cmp.Or(first(other.ends, one.ends), first(other.gateway, one.gateway), cmp.Compare(len(b.Nodes), len(a.Nodes)), n.firstNamed(a, b))
		})
	}
	others := false
	for _, part := range vlan.Spans {
		if slices.Contains(part.Ends, vid) {
			vlan.Parts++
			others = others || len(part.Ends) > 1
		}
	}
	switch {
	case vlan.Parts == 0:
		vlan.State = Unused
	case vlan.Parts > 1:
		vlan.State = Split
	case others:
		vlan.State = Merged
	default:
		vlan.State = Whole
	}
	n.vlans.Set(vid, vlan)
}

// HubName is the device of a hub, with its port where it is one of a device that routes.
func (n *Net) HubName(hub int) string {
	at := n.Topo.Hubs[hub]
	device := n.Office.Devices[at.Dev]
	if at.Port < 0 {
		return device.Name
	}
	return device.Name + "." + device.Ports[at.Port].Name
}

// firstNamed compares two spans by the least name of a hub in them, so
// that equals stand in an order that does not hang on the order of a file.
func (n *Net) firstNamed(a, b *Span) int {
	least := func(part *Span) string {
		name := ""
		for i, node := range part.Nodes {
			if one := n.HubName(node.Hub); i == 0 || office.NaturalCompare(one, name) < 0 {
				name = one
			}
		}
		return name
	}
	return office.NaturalCompare(least(a), least(b))
}

// unreached is the hubs where an address or the management of a VLAN stands and
// no frame of the VLAN comes: behind a processor port that is not in it, or in
// a device that knows no tags and gets another VLAN, or none.
func (n *Net) unreached(vid office.VID, spans []*Span) (hubs []int) {
	for hub := range n.dead {
		switch {
		case n.dead[hub].Has(vid):
			hubs = append(hubs, hub)
		case n.own[hub].Has(vid) && !slices.ContainsFunc(spans, func(part *Span) bool {
			return slices.Contains(part.Nodes, Node{hub, Label(vid)}) || slices.Contains(part.Nodes, Node{hub, untaggedAt | Label(hub)<<24})
		}):
			hubs = append(hubs, hub)
		}
	}
	return hubs
}
