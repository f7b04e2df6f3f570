package finding

import (
	"fmt"
	"slices"

	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/span"
)

// cableFault is what a cable does to one VLAN. All that a cable does of a kind
// is one finding, whatever number of VLANs it hits.
type cableFault struct {
	code Code // not-carried, one-way or loop
	link int
	vlan office.VID
	kind string // how, where a cable that knows no tags has it apart; "" together
	// fromA is, of a one-way, the direction in which it passes.
	fromA bool
	// ring is, of a loop, its cables; link is the first.
	ring []int
}

// id is that of the finding that the fault becomes part of.
func (c *check) faultID(f cableFault) string {
	k := &c.n.Topo.Links[f.link]
	what := []any{c.n.Ref(k.A), c.n.Ref(k.B)}
	if f.code == OneWay {
		what = append([]any{map[bool]string{true: "to", false: "from"}[f.fromA]}, what...)
	}
	if f.code == "loop" {
		for _, l := range f.ring[1:] {
			what = append(what, c.n.Ref(c.n.Topo.Links[l].A))
		}
	}
	if f.kind != "" {
		what = append(what, f.kind)
	}
	return about(f.code, what...)
}

// cables makes findings of the faults of all VLANs.
func (c *check) cables() {
	byID := map[string][]cableFault{}
	var order []string
	for _, f := range c.faults {
		id := c.faultID(f)
		if byID[id] == nil {
			order = append(order, id)
		}
		byID[id] = append(byID[id], f)
	}
	lacks := map[[2]int]bool{} // link and VLAN
	for _, f := range c.faults {
		if f.code == NotCarried {
			lacks[[2]int{f.link, int(f.vlan)}] = true
		}
	}
	for _, id := range order {
		all := byID[id]
		if all[0].code == OneWay {
			all = slices.DeleteFunc(all, func(f cableFault) bool { return lacks[[2]int{f.link, int(f.vlan)}] })
		}
		if len(all) == 0 {
			continue
		}
		f := Finding{Code: all[0].code, ID: id}
		for _, x := range all {
			f.VLANs = append(f.VLANs, x.vlan)
		}
		slices.Sort(f.VLANs)
		f.VLANs = slices.Compact(f.VLANs)
		link := &c.n.Topo.Links[all[0].link]
		f.Ports = []office.PortRef{c.n.Ref(link.A), c.n.Ref(link.B)}
		switch f.Code {
		case Loop:
			c.sayRing(&f, all[0].ring)
			c.add(f)
			continue
		case NotCarried:
			if shut := c.shutEnds(all[0].link); shut != nil {
				c.sayShut(&f, link, shut)
				if m := c.openShut(all[0].link); m != nil {
					f.Mends = append(f.Mends, m)
				}
				c.add(f)
				continue
			}
			c.sayLacks(&f, all[0].link)
		default:
			c.sayOneWay(&f, link, all[0].fromA)
		}
		if m := c.untaggedToo(link, f.VLANs); m != nil {
			f.Mends = append(f.Mends, m)
		}
		if m := c.carryBoth(all[0].link, f.VLANs); m != nil {
			f.Mends = append(f.Mends, m)
		}
		c.add(f)
	}
}

// brackets is VLANs as a drawing has them: "[130]", or "12 VLANs".
func brackets(vs []office.VID) string {
	if len(vs) > 3 {
		return fmt.Sprintf("%d VLANs", len(vs))
	}
	text := "["
	for i, v := range vs {
		if i > 0 {
			text += " "
		}
		text += fmt.Sprint(v)
	}
	return text + "]"
}

func verb(vs []office.VID, one, many string) string {
	if len(vs) == 1 {
		return one
	}
	return many
}

// shutEnds is the ends of a cable that are shut.
func (c *check) shutEnds(link int) (ends []graph.End) {
	for _, e := range c.n.Topo.Links[link].Ends() {
		if c.n.Port(e).Off {
			ends = append(ends, e)
		}
	}
	return ends
}

func (c *check) sayShut(f *Finding, k *graph.Link, shut []graph.End) {
	where := portName(c.n.Ref(shut[0])) + " is shut"
	if len(shut) == 2 {
		where = portName(c.n.Ref(shut[0])) + " and " + portName(c.n.Ref(shut[1])) + " are shut"
	}
	f.Label = brackets(f.VLANs) + ": " + where
	f.Text = fmt.Sprintf("%s %s at the cable %s to %s: %s.", c.vlanNames(f.VLANs), verb(f.VLANs, "ends", "end"), portName(c.n.Ref(k.A)), portName(c.n.Ref(k.B)), where)
}

// openShut opens an end of a cable that is shut as the other end is; nothing where that
// one does not say as what.
func (c *check) openShut(link int) (lines []string) {
	shut := c.shutEnds(link)
	if len(shut) != 1 {
		return nil
	}
	other := c.n.Topo.Links[link].Opposite(shut[0])
	shape, _ := c.n.Shape(other.Dev, other.Port)
	return []string{set(c.n.Ref(shut[0]), *shape)}
}

// sayLacks says which end of a cable lacks which VLANs.
func (c *check) sayLacks(f *Finding, l int) {
	link := &c.n.Topo.Links[l]
	ends := portName(c.n.Ref(link.A)) + " to " + portName(c.n.Ref(link.B))
	by := map[string][]office.VID{}
	for _, vid := range f.VLANs {
		kind := ""
		for i, e := range link.Ends() {
			if c.n.Aware(e.Dev) && !c.n.Port(e).Has(vid) {
				kind += "ab"[i : i+1]
			}
		}
		by[kind] = append(by[kind], vid)
	}
	for _, kind := range []string{"a", "b", "ab", ""} {
		vs := by[kind]
		if vs == nil {
			continue
		}
		if f.Text != "" {
			f.Text += " "
		}
		lack, other := link.A, link.B
		if kind == "b" {
			lack, other = link.B, link.A
		}
		label := ""
		switch kind {
		case "a", "b":
			label = fmt.Sprintf("%s %s at %s", brackets(vs), verb(vs, "ends", "end"), portName(c.n.Ref(lack)))
			f.Text += fmt.Sprintf("%s %s at the cable %s: %s carries %s, %s does not, so the frames are dropped there.", c.vlanNames(vs), verb(vs, "ends", "end"), ends,
				portName(c.n.Ref(other)), verb(vs, "it", "them"), portName(c.n.Ref(lack)))
		case "ab":
			label = brackets(vs) + " at neither end"
			f.Text += fmt.Sprintf("%s %s at the cable %s: neither end carries %s.", c.vlanNames(vs), verb(vs, "ends", "end"), ends, verb(vs, "it", "them"))
		default:
			label = fmt.Sprintf("%s in two forms", brackets(vs))
			f.Text += fmt.Sprintf(
				"%s %s not pass the cable %s in both directions: its ends give and take %s in different forms.",
				c.vlanNames(vs),
				verb(vs, "does", "do"),
				ends,
				verb(vs, "it", "them"),
			)
		}
		if f.Label == "" {
			f.Label = label
		}
	}
}

func (c *check) sayOneWay(f *Finding, k *graph.Link, fromA bool) {
	a, b := c.n.Ref(k.A), c.n.Ref(k.B)
	if !fromA {
		a, b = b, a
	}
	f.Label = brackets(f.VLANs) + " one way"
	f.Text = fmt.Sprintf("%s %s from %s to %s and not back: nothing that is asked is answered.", c.vlanNames(f.VLANs), verb(f.VLANs, "goes", "go"), portName(a), portName(b))
}

// carryBoth is the statements that make a cable carry VLANs tagged, or one of
// them untagged towards a device that knows no tags.
func (c *check) carryBoth(l int, vs []office.VID) []string {
	link := &c.n.Topo.Links[l]
	as := office.Tagged
	if !c.n.Aware(link.A.Dev) || !c.n.Aware(link.B.Dev) {
		as = office.Untagged
	}
	var m []string
	for _, end := range link.Ends() {
		if !c.n.Aware(end.Dev) {
			continue
		}
		var set1 []office.VID
		for _, v := range vs {
			p := c.n.Port(end)
			if p.Of(v) != as || as == office.Tagged && p.WireOf(v).VID() != v || !c.n.Hears(end.Dev, end.Port, v) {
				set1 = append(set1, v)
			}
		}
		if set1 != nil {
			m = append(m, set(c.n.Ref(end), c.n.Carrying(end.Dev, end.Port, as, set1...)))
		}
	}
	return m
}

// untaggedToo is the statement that gives the end of a cable that has nothing
// untagged the VLAN that the other end has so.
func (c *check) untaggedToo(k *graph.Link, vs []office.VID) []string {
	for _, e := range k.Ends() {
		far := k.Opposite(e)
		if len(vs) == 1 && c.n.Aware(e.Dev) && c.n.Aware(far.Dev) && c.n.Port(far).Untagged.Has(vs[0]) && c.n.Hears(far.Dev, far.Port, vs[0]) && c.n.Port(e).Untagged.Empty() {
			return []string{set(c.n.Ref(e), c.n.Carrying(e.Dev, e.Port, office.Untagged, vs[0]))}
		}
	}
	return nil
}

// cause is a finding on a cable that parts a VLAN.
type cause struct {
	id    string
	cable string // its ends, as people say them
}

// notCarried: a VLAN is split, and a cable on the shortest way between two
// parts does not carry it both ways. Frames of the VLAN end at that cable.
//
// The VLANs of an untagged mismatch on the cable are left to that finding.
func (c *check) notCarried(vlan *span.VLAN) []cause {
	if vlan.State != span.Split {
		return nil
	}
	var causes []cause
	seen := map[int]bool{}
	main := map[int]bool{}
	for _, h := range hubsIn(vlan.Spans[0], vlan.VID) {
		main[h] = true
	}
	for _, s := range vlan.Spans[1:vlan.Parts] {
		way, ok := c.n.Route(vlan.VID, hubsIn(s, vlan.VID), func(h int) bool { return main[h] })
		if !ok { // only over devices that drop tags
			way, ok = c.n.RouteAnyhow(vlan.VID, hubsIn(s, vlan.VID), func(h int) bool { return main[h] })
		}
		if !ok { // only over a cable in a port that is shut
			way, _ = c.n.RouteShut(vlan.VID, hubsIn(s, vlan.VID), func(h int) bool { return main[h] })
			way = slices.DeleteFunc(way, func(l int) bool { return len(c.shutEnds(l)) == 0 })
		}
		for _, l := range way {
			if both, _ := c.n.Carries(l, vlan.VID); both || seen[l] {
				continue
			}
			seen[l] = true
			if x, ok := c.cableLacks(l, vlan.VID); ok {
				causes = append(causes, x)
			}
		}
	}
	return causes
}

// hubsIn is where a span is the VLAN itself, or what comes untagged into a
// device that knows no tags; not where it is another VLAN that it is mixed up
// with.
func hubsIn(s *span.Span, v office.VID) []int {
	var hubs []int
	for _, x := range s.Nodes {
		if x.Label == span.Label(v) || x.Label.VID() == 0 {
			hubs = append(hubs, x.Hub)
		}
	}
	return slices.Compact(hubs)
}

// cableLacks names the finding of a cable that a VLAN does not pass; a device
// behind it that drops tags may be the reason.
func (c *check) cableLacks(link int, vid office.VID) (cause, bool) {
	k := &c.n.Topo.Links[link]
	a, b := c.n.Ref(k.A), c.n.Ref(k.B)
	ends := portName(a) + " to " + portName(b)
	if from, to, _, ok := c.n.Mismatch(link); ok && (vid == from || vid == to) {
		return cause{about(UntaggedMismatch, a, b), ends}, true
	}
	for _, e := range k.Ends() {
		into := k.Opposite(e)
		if c.dropsTags(e, into) && c.n.Port(e).Tagged.Has(vid) {
			return cause{about(TagIntoUnaware, a, b), ends}, true
		}
	}
	f := cableFault{code: NotCarried, link: link, vlan: vid}
	if !c.n.Aware(k.A.Dev) || !c.n.Aware(k.B.Dev) {
		f.kind = fmt.Sprint(vid)
		if !c.n.Aware(k.A.Dev) && !c.n.Aware(k.B.Dev) {
			return cause{}, false // neither decides anything: another cable does
		}
	}
	c.faults = append(c.faults, f)
	return cause{c.faultID(f), ends}, true
}

// oneWay: a VLAN passes a cable in one direction only, and neither not-carried
// nor untagged-mismatch says so. Requests arrive, answers do not.
//
// Switch b takes the tagged frames of a; its own leave untagged, and a has no
// VLAN for them.
func (c *check) oneWay(vlan *span.VLAN) {
	for _, s := range vlan.Spans {
		for _, w := range c.n.OneWays(s) {
			if least(w) != vlan.VID {
				continue // said with the other VLAN
			}
			if from, to, _, ok := c.n.Mismatch(w.Link); ok &&
				(w.From.VID() == from && w.To.VID() == to || w.From.VID() == to && w.To.VID() == from || vlan.VID == from || vlan.VID == to) {
				continue
			}
			f := cableFault{code: OneWay, link: w.Link, vlan: vlan.VID, fromA: w.FromA}
			if k := &c.n.Topo.Links[w.Link]; !c.n.Aware(k.A.Dev) || !c.n.Aware(k.B.Dev) {
				f.kind = fmt.Sprint(vlan.VID)
			}
			c.faults = append(c.faults, f)
		}
	}
}

// least is the VLAN that an arc without its way back is told of.
func least(w span.OneWay) office.VID {
	a, b := w.From.VLAN(), w.To.VLAN()
	if a == 0 || b == 0 {
		return max(a, b)
	}
	return min(a, b)
}
