package finding

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// vlan finds what is wrong with one VLAN's spans.
func (c *check) vlan(v *span.VLAN) {
	c.behindUnaware(v)
	causes := c.notCarried(v)
	c.split(v, causes)
	c.merged(v)
	c.oneWay(v)
	c.loop(v)
	c.noGateway(v)
	c.unused(v)
}

// parked says whether a VLAN is only where ports without anything behind them
// are put away: nobody there can be cut off from anybody.
func (c *check) parked(v *span.VLAN) bool {
	x := c.n.Office.VLAN(v.VID)
	if x == nil || !x.Local {
		return false
	}
	for _, p := range c.n.Office.Plugs {
		if p.Wants == v.VID {
			return false
		}
	}
	for _, d := range c.n.Office.Devices {
		if d.Manage != nil && d.Manage.VID == v.VID {
			return false
		}
		for _, a := range d.Addresses {
			if a.VID == v.VID {
				return false
			}
		}
	}
	for _, s := range v.Spans {
		for _, r := range c.n.Terminals(s, v.VID) {
			d := c.n.Office.Devices[c.n.Topo.DeviceIndex(r.Device)]
			if d.Ports[d.Port(r.Port)].Kind == office.Inner {
				return false
			}
		}
	}
	return true
}

// cause is a finding on a cable that parts a VLAN.
type cause struct {
	id    string
	cable string // its ends, as people say them
}

// notCarried: a VLAN is split, and a cable on the shortest way between two
// parts does not carry it both ways. Frames of the VLAN end at that cable.
//
//	vlan 130 imaging
//	device a switch
//	  ports 1-2
//	  1: 130
//	  2: -
//	device b switch
//	  ports 1-2
//	  1: 130
//	  2: [130]
//	cable a.2 b.2
//
// The VLANs of an untagged mismatch on the cable are left to that finding.
func (c *check) notCarried(v *span.VLAN) []cause {
	if v.State != span.Split || c.parked(v) {
		return nil
	}
	var causes []cause
	seen := map[int]bool{}
	main := map[int]bool{}
	for _, h := range hubsIn(v.Spans[0], v.VID) {
		main[h] = true
	}
	for _, s := range v.Spans[1:v.Parts] {
		way, ok := c.n.Route(v.VID, hubsIn(s, v.VID), func(h int) bool { return main[h] })
		if !ok {
			continue
		}
		for _, l := range way {
			if both, _ := c.n.Carries(l, v.VID); both || seen[l] {
				continue
			}
			seen[l] = true
			causes = append(causes, c.cableLacks(l, v.VID))
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

func (c *check) cableLacks(l int, v office.VID) cause {
	k := &c.n.Topo.Links[l]
	a, b := c.n.Ref(k.A), c.n.Ref(k.B)
	ends := portName(a) + " to " + portName(b)
	if from, to, _, ok := c.n.Mismatch(l); ok && (v == from || v == to) {
		return cause{about("untagged-mismatch", a, b), ends}
	}
	for _, e := range []span.End{k.A, k.B} {
		if into := otherEnd(k, e); c.dropsTags(e, into) && c.n.Port(e).Tagged.Has(v) {
			return cause{about("tag-into-unaware", a, b), ends}
		}
	}
	var lack []span.End
	for _, e := range []span.End{k.A, k.B} {
		if c.n.Aware(e.Dev) && !c.n.Port(e).Has(v) {
			lack = append(lack, e)
		}
	}
	f := Finding{Code: "not-carried", VLANs: []office.VID{v}, Ports: []office.PortRef{a, b}, ID: about("not-carried", v, a, b)}
	name := c.n.Name(v)
	switch len(lack) {
	case 0:
		f.Label = fmt.Sprintf("%d in two forms", v)
		f.Text = fmt.Sprintf("%s does not pass the cable %s in both directions: its ends give and take it in different forms.", name, ends)
	case 1:
		f.Label = fmt.Sprintf("[%d] ends at %s", v, portName(c.n.Ref(lack[0])))
		other := otherEnd(k, lack[0])
		f.Text = fmt.Sprintf("%s ends at the cable %s: %s carries it, %s does not, so its frames are dropped there.", name, ends, portName(c.n.Ref(other)), portName(c.n.Ref(lack[0])))
	default:
		f.Label = fmt.Sprintf("[%d] at neither end", v)
		f.Text = fmt.Sprintf("%s ends at the cable %s: neither end carries it.", name, ends)
	}
	if m := c.tagBoth(l, v); m != nil {
		f.Mends = append(f.Mends, m)
	}
	c.add(f)
	return cause{f.ID, ends}
}

// tagBoth is the statements that make a cable carry a VLAN tagged, or untagged
// towards a device that knows no tags.
func (c *check) tagBoth(l int, v office.VID) []string {
	k := &c.n.Topo.Links[l]
	as := office.Tagged
	if !c.n.Aware(k.A.Dev) || !c.n.Aware(k.B.Dev) {
		as = office.Untagged
	}
	var m []string
	if as == office.Tagged && c.n.Port(k.A).Untagged.Has(v) && c.n.Port(k.B).Untagged.Has(v) {
		return nil // untagged at both ends already: another fault
	}
	for _, e := range []span.End{k.A, k.B} {
		if c.n.Aware(e.Dev) && c.n.Port(e).Of(v) != as {
			m = append(m, set(c.n.Ref(e), c.n.With(e.Dev, e.Port, v, as)))
		}
	}
	return m
}

// split: a VLAN's terminals are in several spans, so that some of them cannot
// reach the others. It names the cables that cause it; the smallest office is
// that of not-carried.
func (c *check) split(v *span.VLAN, causes []cause) {
	if v.State != span.Split || c.parked(v) {
		return
	}
	f := Finding{Code: "split", VLANs: []office.VID{v.VID}, ID: about("split", v.VID)}
	var parts []string
	for _, s := range v.Spans[1:v.Parts] {
		refs := c.n.Terminals(s, v.VID)
		f.Ports = append(f.Ports, refs...)
		parts = append(parts, c.partName(s, refs))
	}
	from := c.mainName(v)
	verb := "are"
	if len(parts) == 1 && len(f.Ports) < 2 {
		verb = "is"
	}
	f.Text = fmt.Sprintf("%s is in %d parts: %s %s cut off from %s.", c.n.Name(v.VID), v.Parts, some(parts, 3), verb, from)
	if len(causes) > 0 {
		var cables []string
		for _, k := range causes {
			cables = append(cables, k.cable)
		}
		f.Cause = causes[0].id
		f.Text += " The cause is the cable " + some(cables, 3) + "."
		if len(causes) > 1 {
			f.Text = f.Text[:len(f.Text)-len(" The cause is the cable "+some(cables, 3)+".")] + " The causes are the cables " + some(cables, 3) + "."
		}
	} else {
		f.Text += " No cable leads from the one to the other."
	}
	c.add(f)
}

// partName says what is in a part: its ports, or its devices.
func (c *check) partName(s *span.Span, refs []office.PortRef) string {
	if len(refs) > 0 {
		return c.portList(refs, 2)
	}
	var names []string
	for _, x := range s.Nodes {
		d := c.n.Office.Devices[c.n.Topo.Hubs[x.Hub].Dev].Name
		if !slices.Contains(names, d) {
			names = append(names, d)
		}
	}
	return some(names, 2)
}

// mainName is what the others are cut off from: the gateway's device, or the
// part with the most in it.
func (c *check) mainName(v *span.VLAN) string {
	for _, x := range v.Spans[0].Nodes {
		if x.Label == span.Label(v.VID) && c.n.HasAddress(x.Hub, v.VID) {
			return c.n.Office.Devices[c.n.Topo.Hubs[x.Hub].Dev].Name
		}
	}
	return c.partName(v.Spans[0], c.n.Terminals(v.Spans[0], v.VID))
}

// merged: a VLAN's span holds another VLAN's terminals too; frames of the one
// arrive in the other.
//
//	device a switch
//	  ports 1-2
//	  1-2: 110
//	device b switch
//	  ports 1-2
//	  1-2: 120
//	cable a.2 b.2
func (c *check) merged(v *span.VLAN) {
	for _, s := range v.Spans[:v.Parts] {
		if s.Ends[0] != v.VID || len(s.Ends) < 2 { // said once, by the lowest VLAN of the span
			continue
		}
		f := Finding{Code: "merged", VLANs: s.Ends, ID: about("merged", s.Ends)}
		for l, causes := 0, 0; l < len(c.n.Topo.Links); l++ {
			from, to, _, ok := c.n.Mismatch(l)
			if !ok || !slices.Contains(s.Ends, from) && !slices.Contains(s.Ends, to) || !c.inSpan(s, l) {
				continue
			}
			k := &c.n.Topo.Links[l]
			a, b := c.n.Ref(k.A), c.n.Ref(k.B)
			if causes == 0 {
				f.Cause = about("untagged-mismatch", a, b)
				f.Text = fmt.Sprintf(" They meet on the cable %s to %s.", portName(a), portName(b))
			}
			causes++
			f.Ports = append(f.Ports, a, b)
		}
		f.Text = fmt.Sprintf("%s are one: what is sent in the one arrives in the other.", c.vlanNames(s.Ends)) + f.Text
		c.add(f)
	}
}

func (c *check) inSpan(s *span.Span, l int) bool {
	h := c.n.Topo.Links[l].A.Hub
	return slices.ContainsFunc(s.Nodes, func(x span.Node) bool { return x.Hub == h })
}

// oneWay: a VLAN passes a cable in one direction only, and neither not-carried
// nor untagged-mismatch says so. Requests arrive, answers do not.
//
//	device a switch
//	  ports 1-2
//	  2: [110]
//	device b switch
//	  ports 1-2
//	  2: 110
//	cable a.2 b.2
//
// Switch b takes the tagged frames of a; its own leave untagged, and a has no
// VLAN for them.
func (c *check) oneWay(v *span.VLAN) {
	for l := range c.n.Topo.Links {
		both, any := c.n.Carries(l, v.VID)
		if both || !any {
			continue
		}
		if from, to, _, ok := c.n.Mismatch(l); ok && (from == v.VID || to == v.VID) {
			continue
		}
		k := &c.n.Topo.Links[l]
		a, b := c.n.Ref(k.A), c.n.Ref(k.B)
		id := about("not-carried", v.VID, a, b)
		if slices.ContainsFunc(c.out, func(f Finding) bool { return f.ID == id }) {
			continue
		}
		if !c.n.Carry(l).AB.Has(v.VID) {
			a, b = b, a
		}
		f := Finding{Code: "one-way", VLANs: []office.VID{v.VID}, Ports: []office.PortRef{c.n.Ref(k.A), c.n.Ref(k.B)}, ID: about("one-way", v.VID, c.n.Ref(k.A), c.n.Ref(k.B))}
		f.Label = fmt.Sprintf("%d one way", v.VID)
		f.Text = fmt.Sprintf("%s goes from %s to %s and not back: nothing that is asked is answered.", c.n.Name(v.VID), portName(a), portName(b))
		if m := c.tagBoth(l, v.VID); m != nil {
			f.Mends = append(f.Mends, m)
		}
		c.add(f)
	}
}

// loop: a VLAN forms a ring over cables; only spanning tree keeps it up.
//
//	device a switch
//	  ports 1-3
//	  1-3: 110
//	device b switch
//	  ports 1-3
//	  1-3: 110
//	cable a.1 b.1
//	cable a.2 b.2
func (c *check) loop(v *span.VLAN) {
	for _, s := range v.Spans {
		if !s.Ring() || lowest(s) != v.VID { // said once, by the lowest VLAN of the span
			continue
		}
		ring := c.n.Ring(s)
		if len(ring) == 0 {
			continue
		}
		f := Finding{Code: "loop", VLANs: []office.VID{v.VID}, ID: about("loop", v.VID, c.n.Ref(c.n.Topo.Links[ring[0]].A))}
		if slices.ContainsFunc(c.out, func(g Finding) bool { return g.ID == f.ID }) {
			continue // the same cables, with tags that a grouped device keeps
		}
		var names []string
		for _, l := range ring {
			k := &c.n.Topo.Links[l]
			f.Ports = append(f.Ports, c.n.Ref(k.A), c.n.Ref(k.B))
			if f.Cause == "" && c.at(k.A).Kind != c.at(k.B).Kind { // a bundle that the other end does not know
				f.Cause = about("bundle-one-sided", c.n.Ref(k.A), c.n.Ref(k.B))
			}
			names = append(names, portName(c.n.Ref(k.A))+" to "+portName(c.n.Ref(k.B)))
		}
		f.Text = fmt.Sprintf("%s goes round in a ring over the cables %s: without spanning tree one broadcast stays there for ever.", c.n.Name(v.VID), some(names, 4))
		c.add(f)
	}
}

func lowest(s *span.Span) office.VID {
	low := office.VID(4095)
	for _, x := range s.Nodes {
		if v := x.Label.VID(); v != 0 {
			low = min(low, v)
		}
	}
	return low
}

// noGateway: a VLAN has terminals, is not local, and has no address anywhere:
// nothing in it reaches anything outside.
//
//	vlan 110 reception
//	device a switch
//	  ports 1-2
//	  1: 110
func (c *check) noGateway(v *span.VLAN) {
	x := c.n.Office.VLAN(v.VID)
	if v.State == span.Unused || x == nil || x.Local {
		return
	}
	for h := range c.n.Topo.Hubs {
		if c.n.HasAddress(h, v.VID) {
			return
		}
	}
	c.add(Finding{Code: "no-gateway", VLANs: []office.VID{v.VID}, ID: about("no-gateway", v.VID),
		Text: fmt.Sprintf("%s has no address on any device: nothing in it reaches another subnet. Give it a gateway, or call it local.", c.n.Name(v.VID))})
}

// unused: a VLAN is registered and nothing is in it.
//
//	vlan 110 reception
func (c *check) unused(v *span.VLAN) {
	x := c.n.Office.VLAN(v.VID)
	if v.State != span.Unused || x == nil || v.VID == office.DefaultVID {
		return
	}
	f := Finding{Code: "unused", VLANs: []office.VID{v.VID}, ID: about("unused", v.VID),
		Text: fmt.Sprintf("%s is registered, and no port, address or plug is in it.", c.n.Name(v.VID))}
	if !c.members(v.VID) {
		f.Mends = [][]string{{fmt.Sprintf("-vlan %d", v.VID)}}
	}
	c.add(f)
}

// members says whether any port has v at all.
func (c *check) members(v office.VID) bool {
	for _, t := range c.n.Tables {
		for _, p := range t.Ports {
			if p.Has(v) {
				return true
			}
		}
	}
	return false
}

// behindUnaware is plug-unserved for plugs in devices that know no tags: they
// get what comes in untagged, and that is another VLAN or none.
//
//	device a switch
//	  ports 1-2
//	  2: 120
//	device u switch
//	  forwarding unaware
//	  ports 1-2
//	cable a.2 u.2
//	plug u.1 "pc" wants 110
func (c *check) behindUnaware(v *span.VLAN) {
	for h, hub := range c.n.Topo.Hubs {
		if !c.n.Wants(h).Has(v.VID) || c.n.Served(h, v.VID) {
			continue
		}
		for _, k := range c.n.Topo.PlugsAt(hub.Dev) {
			p := c.n.Office.Plugs[k]
			if p.Wants != v.VID || p.Tagged {
				continue
			}
			c.add(Finding{Code: "plug-unserved", VLANs: []office.VID{v.VID}, Ports: []office.PortRef{p.Port}, ID: about("plug-unserved", p.Port, p.Name),
				Text: fmt.Sprintf("%s at %s wants %s, which does not come untagged into %s: it knows no tags, so its cable decides.", p.Name, portName(p.Port), c.n.Name(v.VID), p.Port.Device)})
		}
	}
}
