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
func (c *check) faultID(fault cableFault) string {
	link := &c.net.Topo.Links[fault.link]
	what := []any{c.net.Ref(link.A), c.net.Ref(link.B)}
	if fault.code == OneWay {
		what = append([]any{map[bool]string{true: "to", false: "from"}[fault.fromA]}, what...)
	}
	if fault.code == "loop" {
		for _, at := range fault.ring[1:] {
			what = append(what, c.net.Ref(c.net.Topo.Links[at].A))
		}
	}
	if fault.kind != "" {
		what = append(what, fault.kind)
	}
	return about(fault.code, what...)
}

// cables makes findings of the faults of all VLANs.
func (c *check) cables() {
	byID := map[string][]cableFault{}
	var order []string
	for _, fault := range c.faults {
		id := c.faultID(fault)
		if byID[id] == nil {
			order = append(order, id)
		}
		byID[id] = append(byID[id], fault)
	}
	lacks := map[[2]int]bool{} // link and VLAN
	for _, fault := range c.faults {
		if fault.code == NotCarried {
			lacks[[2]int{fault.link, int(fault.vlan)}] = true
		}
	}
	for _, id := range order {
		all := byID[id]
		if all[0].code == OneWay {
			all = slices.DeleteFunc(all, func(fault cableFault) bool { return lacks[[2]int{fault.link, int(fault.vlan)}] })
		}
		if len(all) == 0 {
			continue
		}
		finding := Finding{Code: all[0].code, ID: id}
		for _, fault := range all {
			finding.VLANs = append(finding.VLANs, fault.vlan)
		}
		slices.Sort(finding.VLANs)
		finding.VLANs = slices.Compact(finding.VLANs)
		link := &c.net.Topo.Links[all[0].link]
		finding.Ports = []office.PortRef{c.net.Ref(link.A), c.net.Ref(link.B)}
		switch finding.Code {
		case Loop:
			c.sayRing(&finding, all[0].ring)
			c.add(finding)
			continue
		case NotCarried:
			if shut := c.shutEnds(all[0].link); shut != nil {
				c.sayShut(&finding, link, shut)
				if m := c.openShut(all[0].link); m != nil {
					finding.Mends = append(finding.Mends, m)
				}
				c.add(finding)
				continue
			}
			c.sayLacks(&finding, all[0].link)
		default:
			c.sayOneWay(&finding, link, all[0].fromA)
		}
		if m := c.untaggedToo(link, finding.VLANs); m != nil {
			finding.Mends = append(finding.Mends, m)
		}
		if m := c.carryBoth(all[0].link, finding.VLANs); m != nil {
			finding.Mends = append(finding.Mends, m)
		}
		c.add(finding)
	}
}

// brackets is VLANs as a drawing has them: "[130]", or "12 VLANs".
func brackets(vs []office.VID) string {
	if len(vs) > 3 {
		return fmt.Sprintf("%d VLANs", len(vs))
	}
	text := "["
	for i, vid := range vs {
		if i > 0 {
			text += " "
		}
		text += fmt.Sprint(vid)
	}
	return text + "]"
}

// verb puts a verb behind VLANs: one ends, two end.
func verb(vs []office.VID, one, many string) string {
	if len(vs) == 1 {
		return one
	}
	return many
}

// shutEnds is the ends of a cable that are shut.
func (c *check) shutEnds(link int) (ends []graph.End) {
	for _, end := range c.net.Topo.Links[link].Ends() {
		if c.net.Port(end).Off {
			ends = append(ends, end)
		}
	}
	return ends
}

// sayShut words the finding of VLANs that end at a cable because one end of it is shut, or both.
//
//	> core 7: off
//	not-carried: 110 reception, 140 phones, 160 guests and 190 devices end at the cable core 7
//	    to floor 8: core 7 is shut.
//	  mend: core 7: 190 [needed]
//	split: 110 reception is in 2 parts: floor 1-4 are cut off from gate. The cause is the cable
//	    core 7 to floor 8.
//	split: 140 phones is in 2 parts: floor 1-4 are cut off from gate. The cause is the cable
//	    core 7 to floor 8.
//	split: 160 guests is in 2 parts: floor 5 is cut off from gate. The cause is the cable core
//	    7 to floor 8.
//	split: 190 devices is in 2 parts: floor is cut off from gate. The cause is the cable core 7
//	    to floor 8.
//	management-cut: From admin laptop at core 5 there is no way to the management of floor in
//	    190 devices.
func (c *check) sayShut(finding *Finding, link *graph.Link, shut []graph.End) {
	where := portName(c.net.Ref(shut[0])) + " is shut"
	if len(shut) == 2 {
		where = portName(c.net.Ref(shut[0])) + " and " + portName(c.net.Ref(shut[1])) + " are shut"
	}
	finding.Label = brackets(finding.VLANs) + ": " + where
	finding.Text = fmt.Sprintf("%s %s at the cable %s to %s: %s.", c.vlanNames(finding.VLANs), verb(finding.VLANs, "ends", "end"), portName(c.net.Ref(link.A)), portName(c.net.Ref(link.B)), where)
}

// openShut opens an end of a cable that is shut as the other end is; nothing where that
// one does not say as what.
func (c *check) openShut(link int) (lines []string) {
	shut := c.shutEnds(link)
	if len(shut) != 1 {
		return nil
	}
	other := c.net.Topo.Links[link].Opposite(shut[0])
	shape, _ := c.net.Shape(other.Dev, other.Port)
	return []string{set(c.net.Ref(shut[0]), *shape)}
}

// sayLacks says which end of a cable lacks which VLANs.
//
//	> core 7: 190 [110]
//	not-carried: 140 phones and 160 guests end at the cable core 7 to floor 8: floor 8 carries
//	    them, core 7 does not, so the frames are dropped there.
//	  mend: core 7: 190 [110 140 160]
//	split: 140 phones is in 2 parts: floor 1-4 are cut off from gate. The cause is the cable
//	    core 7 to floor 8.
//	split: 160 guests is in 2 parts: floor 5 is cut off from gate. The cause is the cable core
//	    7 to floor 8.
//	needed-differs: floor 8 takes what is needed on the cable, and core 7, written out, lacks
//	    140 phones and 160 guests.
//	  mend: core 7: 190 [needed]
//	  mend: core 7: 190 [110 140 160]
func (c *check) sayLacks(finding *Finding, at int) {
	link := &c.net.Topo.Links[at]
	ends := portName(c.net.Ref(link.A)) + " to " + portName(c.net.Ref(link.B))
	by := map[string][]office.VID{}
	for _, vid := range finding.VLANs {
		kind := ""
		for i, end := range link.Ends() {
			if c.net.Aware(end.Dev) && !c.net.Port(end).Has(vid) {
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
		if finding.Text != "" {
			finding.Text += " "
		}
		lack, other := link.A, link.B
		if kind == "b" {
			lack, other = link.B, link.A
		}
		label := ""
		switch kind {
		case "a", "b":
			label = fmt.Sprintf("%s %s at %s", brackets(vs), verb(vs, "ends", "end"), portName(c.net.Ref(lack)))
			finding.Text += fmt.Sprintf("%s %s at the cable %s: %s carries %s, %s does not, so the frames are dropped there.", c.vlanNames(vs), verb(vs, "ends", "end"), ends,
				portName(c.net.Ref(other)), verb(vs, "it", "them"), portName(c.net.Ref(lack)))
		case "ab":
			label = brackets(vs) + " at neither end"
			finding.Text += fmt.Sprintf("%s %s at the cable %s: neither end carries %s.", c.vlanNames(vs), verb(vs, "ends", "end"), ends, verb(vs, "it", "them"))
		default:
			label = fmt.Sprintf("%s in two forms", brackets(vs))
			finding.Text += fmt.Sprintf(
				"%s %s not pass the cable %s in both directions: its ends give and take %s in different forms.",
				c.vlanNames(vs),
				verb(vs, "does", "do"),
				ends,
				verb(vs, "it", "them"),
			)
		}
		if finding.Label == "" {
			finding.Label = label
		}
	}
}

// sayOneWay words the finding of VLANs that pass a cable in one direction only: from A to B if
// fromA.
func (c *check) sayOneWay(finding *Finding, link *graph.Link, fromA bool) {
	ref, other := c.net.Ref(link.A), c.net.Ref(link.B)
	if !fromA {
		ref, other = other, ref
	}
	finding.Label = brackets(finding.VLANs) + " one way"
	finding.Text = fmt.Sprintf("%s %s from %s to %s and not back: nothing that is asked is answered.", c.vlanNames(finding.VLANs), verb(finding.VLANs, "goes", "go"), portName(ref), portName(other))
}

// carryBoth is the statements that make a cable carry VLANs tagged, or one of
// them untagged towards a device that knows no tags.
//
//	> floor 8: 190 [110 140]
//	not-carried: 160 guests ends at the cable core 7 to floor 8: core 7 carries it, floor 8
//	    does not, so the frames are dropped there.
//	  mend: floor 8: 190 [110 140 160]
//	split: 160 guests is in 2 parts: floor 5 is cut off from gate. The cause is the cable core
//	    7 to floor 8.
//	needed-differs: core 7 takes what is needed on the cable, and floor 8, written out, lacks
//	    160 guests.
//	  mend: floor 8: 190 [needed]
//	  mend: floor 8: 190 [110 140 160]
//	exception-unexplained: floor 8 is set otherwise than the port plan floor says, and nobody
//	    said why.
//	  mend: -floor 8
func (c *check) carryBoth(at int, vs []office.VID) []string {
	link := &c.net.Topo.Links[at]
	as := office.Tagged
	if !c.net.Aware(link.A.Dev) || !c.net.Aware(link.B.Dev) {
		as = office.Untagged
	}
	var m []string
	for _, end := range link.Ends() {
		if !c.net.Aware(end.Dev) {
			continue
		}
		var set1 []office.VID
		for _, vid := range vs {
			compiled := c.net.Port(end)
			if compiled.Of(vid) != as || as == office.Tagged && compiled.WireOf(vid).VID() != vid || !c.net.Hears(end.Dev, end.Port, vid) {
				set1 = append(set1, vid)
			}
		}
		if set1 != nil {
			m = append(m, set(c.net.Ref(end), c.net.Carrying(end.Dev, end.Port, as, set1...)))
		}
	}
	return m
}

// untaggedToo is the statement that gives the end of a cable that has nothing
// untagged the VLAN that the other end has so.
//
//	> core 7: 110 [needed]
//	untagged-mismatch: Untagged frames leave core 7 as 110 reception and join 190 devices at
//	    floor 8.
//	  mend: core 7: 190 [needed]
//	  mend: floor 8: 110 [needed]
//	merged: 110 reception and 190 devices are one: what is sent in the one arrives in the
//	    other. They meet on the cable core 7 to floor 8.
//	management-cut: From admin laptop at core 5 there is no way to the management of floor in
//	    190 devices.
//	way-back: What goes from 110 reception to the outside arrives, and its answer does not:
//	    gate sends it into 110 reception, and who it is for is not in the same part of it
//	    (there over gate and back over gate).
func (c *check) untaggedToo(link *graph.Link, vs []office.VID) []string {
	for _, end := range link.Ends() {
		far := link.Opposite(end)
		if len(vs) == 1 && c.net.Aware(end.Dev) && c.net.Aware(far.Dev) && c.net.Port(far).Untagged.Has(vs[0]) && c.net.Hears(far.Dev, far.Port, vs[0]) && c.net.Port(end).Untagged.Empty() {
			return []string{set(c.net.Ref(end), c.net.Carrying(end.Dev, end.Port, office.Untagged, vs[0]))}
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
	for _, part := range vlan.Spans[1:vlan.Parts] {
		way, ok := c.net.Route(vlan.VID, hubsIn(part, vlan.VID), func(h int) bool { return main[h] })
		if !ok { // only over devices that drop tags
			way, ok = c.net.RouteAnyhow(vlan.VID, hubsIn(part, vlan.VID), func(h int) bool { return main[h] })
		}
		if !ok { // only over a cable in a port that is shut
			way, _ = c.net.RouteShut(vlan.VID, hubsIn(part, vlan.VID), func(h int) bool { return main[h] })
			way = slices.DeleteFunc(way, func(l int) bool { return len(c.shutEnds(l)) == 0 })
		}
		for _, l := range way {
			if both, _ := c.net.Carries(l, vlan.VID); both || seen[l] {
				continue
			}
			seen[l] = true
			if cause, ok := c.cableLacks(l, vlan.VID); ok {
				causes = append(causes, cause)
			}
		}
	}
	return causes
}

// hubsIn is where a span is the VLAN itself, or what comes untagged into a
// device that knows no tags; not where it is another VLAN that it is mixed up
// with.
func hubsIn(part *span.Span, vid office.VID) []int {
	var hubs []int
	for _, node := range part.Nodes {
		if node.Label == span.Label(vid) || node.Label.VID() == 0 {
			hubs = append(hubs, node.Hub)
		}
	}
	return slices.Compact(hubs)
}

// cableLacks names the finding of a cable that a VLAN does not pass; a device
// behind it that drops tags may be the reason.
func (c *check) cableLacks(link int, vid office.VID) (cause, bool) {
	one := &c.net.Topo.Links[link]
	ref, other := c.net.Ref(one.A), c.net.Ref(one.B)
	ends := portName(ref) + " to " + portName(other)
	if from, to, _, ok := c.net.Mismatch(link); ok && (vid == from || vid == to) {
		return cause{about(UntaggedMismatch, ref, other), ends}, true
	}
	for _, end := range one.Ends() {
		into := one.Opposite(end)
		if c.dropsTags(end, into) && c.net.Port(end).Tagged.Has(vid) {
			return cause{about(TagIntoUnaware, ref, other), ends}, true
		}
	}
	fault := cableFault{code: NotCarried, link: link, vlan: vid}
	if !c.net.Aware(one.A.Dev) || !c.net.Aware(one.B.Dev) {
		fault.kind = fmt.Sprint(vid)
		if !c.net.Aware(one.A.Dev) && !c.net.Aware(one.B.Dev) {
			return cause{}, false // neither decides anything: another cable does
		}
	}
	c.faults = append(c.faults, fault)
	return cause{c.faultID(fault), ends}, true
}

// oneWay: a VLAN passes a cable in one direction only, and neither not-carried
// nor untagged-mismatch says so. Requests arrive, answers do not.
//
// Switch b takes the tagged frames of a; its own leave untagged, and a has no
// VLAN for them.
func (c *check) oneWay(vlan *span.VLAN) {
	for _, part := range vlan.Spans {
		for _, way := range c.net.OneWays(part) {
			if least(way) != vlan.VID {
				continue // said with the other VLAN
			}
			if from, to, _, ok := c.net.Mismatch(way.Link); ok &&
				(way.From.VID() == from && way.To.VID() == to || way.From.VID() == to && way.To.VID() == from || vlan.VID == from || vlan.VID == to) {
				continue
			}
			fault := cableFault{code: OneWay, link: way.Link, vlan: vlan.VID, fromA: way.FromA}
			if link := &c.net.Topo.Links[way.Link]; !c.net.Aware(link.A.Dev) || !c.net.Aware(link.B.Dev) {
				fault.kind = fmt.Sprint(vlan.VID)
			}
			c.faults = append(c.faults, fault)
		}
	}
}

// least is the VLAN that an arc without its way back is told of.
func least(way span.OneWay) office.VID {
	vid, other := way.From.VLAN(), way.To.VLAN()
	if vid == 0 || other == 0 {
		return max(vid, other)
	}
	return min(vid, other)
}
