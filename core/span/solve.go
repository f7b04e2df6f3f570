package span

import (
	"cmp"
	"slices"

	"klammer/core/graph"
	"klammer/core/office"
)

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
	know := func(l Label) int32 {
		k, ok := at[l]
		if !ok {
			k = int32(len(all))
			at[l] = k
			all = append(all, l)
		}
		return k
	}
	each := func(yield func(linkArc)) {
		for i, c := range n.carry {
			for _, a := range c.Cross {
				yield(linkArc{i, a})
			}
		}
		for _, a := range n.kept {
			yield(a)
		}
	}
	each(func(a linkArc) {
		know(a.From)
		know(a.To)
	})
	for h := range n.wants { // an unaware device that nothing enters
		if !n.wants[h].Empty() {
			know(untaggedAt | Label(h)<<24)
		}
	}
	joined := graph.NewUnion(len(all))
	each(func(a linkArc) { joined.Join(at[a.From], at[a.To]) })
	c := classes{of: map[Label]int{}, arcs: map[int][]linkArc{}}
	group := map[int32]int{}
	for _, l := range slices.Sorted(slices.Values(all)) {
		r := joined.Find(at[l])
		g, ok := group[r]
		if !ok {
			g = len(c.groups)
			c.groups = append(c.groups, nil)
			group[r] = g
		}
		c.of[l] = g
		c.groups[g] = append(c.groups[g], l)
	}
	each(func(a linkArc) {
		g := c.of[a.From]
		c.arcs[g] = append(c.arcs[g], a)
	})
	return c
}

// solve works out every VLAN of n.dirty, with those of its class.
func (n *Net) solve() {
	// a class is worked out as one, and so is dirty as one
	for g, ls := range n.groups.groups {
		hit := false
		for _, l := range ls {
			hit = hit || l.VID() != 0 && n.dirty.Has(l.VID())
		}
		if hit {
			for _, l := range ls {
				if l.VID() != 0 && n.used.Has(l.VID()) {
					n.dirty.Add(l.VID())
				}
			}
			n.coupled(g)
		}
	}
	w := newWork(n)
	for vid := range n.dirty.All() {
		if !n.used.Has(vid) {
			n.vlans.Set(vid, nil)
			continue
		}
		if _, ok := n.groups.of[Label(vid)]; !ok {
			n.finish(vid, w.alone(vid))
		}
	}
}

// work is the memory that the VLANs share while they are worked out in turn.
type work struct {
	n      *Net
	sets   graph.Union // -1 for a hub that the VLAN is not at
	links  []int32
	size   []int32
	comp   []int32
	here   []int32
	oneWay []int32
}

func newWork(n *Net) *work {
	h := len(n.Topo.Hubs)
	w := &work{n: n, sets: make(graph.Union, h), links: make([]int32, h), size: make([]int32, h), comp: make([]int32, h)}
	for i := range w.sets {
		w.sets[i] = -1
	}
	return w
}

// alone works out a VLAN that is a class of its own.
func (w *work) alone(vid office.VID) []*Span {
	n := w.n
	i, bit := vid>>6, uint64(1)<<(vid&63)
	here := w.here[:0]
	for h := range n.present {
		if n.present[h][i]&bit != 0 {
			w.sets[h], w.links[h], w.size[h] = int32(h), 0, 0
			here = append(here, int32(h))
		}
	}
	for k, c := range n.carry {
		if (c.AB[i]|c.BA[i])&bit == 0 {
			continue
		}
		link := &n.Topo.Links[k]
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
		if c.AB[i]&c.BA[i]&bit == 0 {
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
		s := spans[w.comp[w.sets.Find(h)]-1]
		s.Nodes = append(s.Nodes, Node{int(h), Label(vid)})
		if len(s.Ends) == 0 && (n.term[h][i]|n.own[h][i])&bit != 0 {
			s.Ends = []office.VID{vid}
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

// coupled works out a class of several labels.
func (n *Net) coupled(g int) {
	labels := n.groups.groups[g]
	id := map[Node]int{}
	var nodes []Node
	node := func(x Node) int {
		k, ok := id[x]
		if !ok {
			k = len(nodes)
			id[x] = k
			nodes = append(nodes, x)
		}
		return k
	}
	for _, l := range labels {
		if v := l.VID(); v != 0 {
			for h := range n.present {
				if n.present[h].Has(v) {
					node(Node{h, l})
				}
			}
		} else {
			node(Node{int(l &^ (untaggedAt | keptAt | deadAt) >> 24), l})
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
		k := pair{link, x<<32 | y}
		if joins[k] == nil {
			joins[k] = &[2]bool{}
			joined = append(joined, k)
		}
		joins[k][way] = true
		if both || x == y {
			joins[k][1-way] = true
		}
	}
	for k, c := range n.carry {
		l := &n.Topo.Links[k]
		for _, lb := range labels {
			v := lb.VID()
			if ab, ba := c.AB.Has(v), c.BA.Has(v); v != 0 && (ab || ba) {
				x, y := node(Node{l.A.Hub, lb}), node(Node{l.B.Hub, lb})
				if !ab {
					x, y = y, x
				}
				join(k, x, y, ab && ba)
			}
		}
	}
	for _, a := range n.groups.arcs[g] {
		l := &n.Topo.Links[a.link]
		from, to := l.A.Hub, l.B.Hub
		if !a.FromA {
			from, to = to, from
		}
		join(a.link, node(Node{from, a.From}), node(Node{to, a.To}), false)
	}
	ends := func(k pair) (x, y int) { return k.y >> 32, k.y & (1<<32 - 1) }
	sets := graph.NewUnion(len(nodes))
	for _, k := range joined {
		x, y := ends(k)
		sets.Join(int32(x), int32(y))
	}
	spans := map[int32]*Span{}
	var list []*Span
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
	for _, k := range joined {
		x, _ := ends(k)
		s := spans[sets.Find(int32(x))]
		s.Links++
		s.OneWay = s.OneWay || !joins[k][0] || !joins[k][1]
	}
	plain := map[int]*office.Set{} // by hub: what comes untagged into a device that knows no tags
	for _, part := range list {
		var has office.Set
		for _, x := range part.Nodes {
			if v := x.Label.VID(); v != 0 {
				has.Add(v)
			}
		}
		for _, x := range part.Nodes {
			if x.Label&untaggedAt != 0 {
				plain[x.Hub] = &has
			}
		}
	}
	byVLAN := map[office.VID][]*Span{}
	for _, part := range list {
		var has, ends office.Set
		for _, x := range part.Nodes {
			if v := x.Label.VID(); v != 0 {
				has.Add(v)
				if n.term[x.Hub].Has(v) || n.own[x.Hub].Has(v) && (plain[x.Hub] == nil || !plain[x.Hub].Has(v)) {
					ends.Add(v) // such a device is reached by tags where nothing comes untagged
				}
			}
		}
		for _, x := range part.Nodes { // behind an unaware device, a plug is served where its VLAN comes through
			if x.Label&untaggedAt != 0 {
				served := n.wants[x.Hub].And(&has)
				ends.AddAll(&served)
			}
		}
		part.Ends = ends.VIDs()
		for v := range has.All() {
			byVLAN[v] = append(byVLAN[v], part)
		}
	}
	for _, l := range labels {
		if v := l.VID(); v != 0 && n.used.Has(v) {
			n.finish(v, byVLAN[v])
		}
	}
}

// finish orders a VLAN's spans and names its state.
func (n *Net) finish(vid office.VID, spans []*Span) {
	vlan := &VLAN{VID: vid, Spans: spans}
	type rank struct {
		ends, gateway bool
	}
	of := func(s *Span) rank {
		k := rank{ends: slices.Contains(s.Ends, vid)}
		for _, x := range s.Nodes {
			k.gateway = k.gateway || (x.Label == Label(vid) || x.Label&untaggedAt != 0) && n.AtGateway(x.Hub, vid)
		}
		return k
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
			x, y := of(a), of(b)
			return cmp.Or(first(x.ends, y.ends), first(x.gateway, y.gateway), cmp.Compare(len(b.Nodes), len(a.Nodes)), n.firstNamed(a, b))
		})
	}
	others := false
	for _, s := range vlan.Spans {
		if slices.Contains(s.Ends, vid) {
			vlan.Parts++
			others = others || len(s.Ends) > 1
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

// firstNamed compares two spans by the least name of a device in them, so
// that equals stand in an order that does not hang on the order of a file.
func (n *Net) firstNamed(a, b *Span) int {
	least := func(s *Span) string {
		name := ""
		for i, x := range s.Nodes {
			if d := n.Office.Devices[n.Topo.Hubs[x.Hub].Dev].Name; i == 0 || office.NaturalCompare(d, name) < 0 {
				name = d
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
		case n.own[hub].Has(vid) && !slices.ContainsFunc(spans, func(s *Span) bool {
			return slices.Contains(s.Nodes, Node{hub, Label(vid)}) || slices.Contains(s.Nodes, Node{hub, untaggedAt | Label(hub)<<24})
		}):
			hubs = append(hubs, hub)
		}
	}
	return hubs
}
