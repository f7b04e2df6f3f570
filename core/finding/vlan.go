package finding

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// vlan finds what is wrong with one VLAN's spans.
func (c *check) vlan(vlan *span.VLAN) {
	c.behindUnaware(vlan)
	causes := c.notCarried(vlan)
	c.split(vlan, causes)
	c.merged(vlan)
	c.oneWay(vlan)
	c.loop(vlan)
	c.noGateway(vlan)
	c.unused(vlan)
}

// split: a VLAN's terminals are in several spans, so that some of them cannot
// reach the others. It names the cables that cause it; the smallest office is
// that of not-carried. An address that no port lets out is a part by itself:
//
//	device r router
//	  ports 1-2
//	  1: 3
//	  inner cpu cpu: 2
//	  address 3 10.0.3.1/24
func (c *check) split(vlan *span.VLAN, causes []cause) {
	if vlan.State != span.Split {
		return
	}
	f := Finding{Code: Split, VLANs: []office.VID{vlan.VID}, ID: about(Split, vlan.VID)}
	var refs []office.PortRef
	var parts, dead []string
	for _, part := range vlan.Spans[1:vlan.Parts] {
		if i, ok := c.n.Dead(part); ok {
			dead = append(dead, c.unheard(&f, i, vlan.VID))
			parts = append(parts, "the address of "+c.n.Office.Devices[i].Name)
			continue
		}
		here := c.n.Terminals(part, vlan.VID)
		refs = append(refs, here...)
		if len(here) == 0 {
			parts = append(parts, c.partName(part, nil))
		}
	}
	f.Ports = append(f.Ports, refs...)
	all := parts
	if len(refs) > 0 {
		all = append([]string{c.portList(refs, 3)}, parts...)
	}
	verb := "are"
	if len(refs)+len(parts) == 1 {
		verb = "is"
	}
	f.Text = fmt.Sprintf("%s is in %d parts: %s %s cut off from %s.", c.n.Name(vlan.VID), vlan.Parts, some(all, 3), verb, c.mainName(vlan))
	for _, why := range dead {
		f.Text += " " + why
	}
	if len(causes) > 0 {
		var cables []string
		for _, k := range causes {
			cables = append(cables, k.cable)
		}
		f.Cause = causes[0].id
		if len(causes) == 1 {
			f.Text += " The cause is the cable " + cables[0] + "."
		} else {
			f.Text += " The causes are the cables " + some(cables, 3) + "."
		}
	} else if len(dead) == 0 {
		f.Text += " No cable whose ports are open leads from the one to the other."
	}
	c.add(f)
}

// unheard says why no frame of a VLAN comes to an address of a device, or to
// its management, and mends it.
func (c *check) unheard(f *Finding, i int, vid office.VID) string {
	device := c.n.Office.Devices[i]
	if !c.n.Aware(i) {
		return fmt.Sprintf("%s knows no tags, and nothing comes into it that is %s.", device.Name, c.n.Name(vid))
	}
	for p := range device.Ports {
		if device.Ports[p].Flavour == office.Processor {
			r := office.PortRef{Device: device.Name, Port: device.Ports[p].Name}
			f.Ports = append(f.Ports, r)
			f.Mends = append(f.Mends, []string{set(r, c.n.Carrying(i, p, office.Tagged, vid))})
			return fmt.Sprintf("What %s itself says passes its inner port %s, which is not in %s.", device.Name, device.Ports[p].Name, c.n.Name(vid))
		}
	}
	return ""
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
func (c *check) mainName(vlan *span.VLAN) string {
	if i, ok := c.n.Dead(vlan.Spans[0]); ok {
		return "the address of " + c.n.Office.Devices[i].Name
	}
	for _, x := range vlan.Spans[0].Nodes {
		if x.Label == span.Label(vlan.VID) && c.n.AtGateway(x.Hub, vlan.VID) {
			return c.n.Office.Devices[c.n.Topo.Hubs[x.Hub].Dev].Name
		}
	}
	return c.partName(vlan.Spans[0], c.n.Terminals(vlan.Spans[0], vlan.VID))
}

// merged: a VLAN's span holds another VLAN's terminals too; frames of the one
// arrive in the other.
func (c *check) merged(v *span.VLAN) {
	said := map[string]bool{}
	for _, part := range v.Spans[:v.Parts] {
		if part.Ends[0] != v.VID || len(part.Ends) < 2 { // said once, by the lowest VLAN of the span
			continue
		}
		f := Finding{Code: Merged, VLANs: part.Ends, ID: about(Merged, part.Ends)}
		if said[f.ID] { // the same VLANs meet in another part, too
			f.ID = about(Merged, part.Ends, c.n.Office.Devices[c.n.Topo.Hubs[part.Nodes[0].Hub].Dev].Name, part.Nodes[0].Hub)
		}
		said[f.ID] = true
		for l, causes := 0, 0; l < len(c.n.Topo.Links); l++ {
			from, to, _, ok := c.n.Mismatch(l)
			if !ok || !slices.Contains(part.Ends, from) && !slices.Contains(part.Ends, to) || !c.inSpan(part, l) {
				continue
			}
			k := &c.n.Topo.Links[l]
			a, b := c.n.Ref(k.A), c.n.Ref(k.B)
			if causes == 0 {
				f.Cause = about(UntaggedMismatch, a, b)
				f.Text = fmt.Sprintf(" They meet on the cable %s to %s.", portName(a), portName(b))
			}
			causes++
			f.Ports = append(f.Ports, a, b)
		}
		f.Text = fmt.Sprintf("%s are one: what is sent in the one arrives in the other.", c.vlanNames(part.Ends)) + f.Text
		c.add(f)
	}
}

func (c *check) inSpan(s *span.Span, l int) bool {
	h := c.n.Topo.Links[l].A.Hub
	return slices.ContainsFunc(s.Nodes, func(x span.Node) bool { return x.Hub == h })
}

// loop: a VLAN forms a ring over cables; only spanning tree keeps it up.
func (c *check) loop(vlan *span.VLAN) {
	for _, s := range vlan.Spans {
		if !s.Ring() || lowest(s) != vlan.VID { // said once, by the lowest VLAN of the span
			continue
		}
		if ring := c.n.Ring(s); len(ring) > 0 {
			c.faults = append(c.faults, cableFault{code: Loop, link: ring[0], vlan: vlan.VID, ring: ring})
		}
	}
}

// sayRing says which VLANs go round over which cables, and where it may be opened.
func (c *check) sayRing(f *Finding, ring []int) {
	all := ring
	ring = ring[:min(len(ring), mostRing)] // of a mesh, its first cables say enough
	var names []string
	f.Ports = nil
	for _, l := range ring {
		k := &c.n.Topo.Links[l]
		f.Ports = append(f.Ports, c.n.Ref(k.A), c.n.Ref(k.B))
		if f.Cause == "" && c.at(k.A).Kind != c.at(k.B).Kind { // a bundle that the other end does not know
			f.Cause = about(BundleOneSided, c.n.Ref(k.A), c.n.Ref(k.B))
		}
		names = append(names, portName(c.n.Ref(k.A))+" to "+portName(c.n.Ref(k.B)))
	}
	f.Text = fmt.Sprintf(
		"%s %s round in a ring over the cables %s: without spanning tree one broadcast stays there for ever.",
		c.vlanNames(f.VLANs),
		verb(f.VLANs, "goes", "go"),
		some(names, 4),
	)
	f.Mends = c.open(all)
}

// mostRing bounds the cables that a loop names, and mostOpen the ways out of it
// that it proposes.
const (
	mostRing = 64
	mostOpen = 6
)

// open takes cables off, so that nothing goes round and all that the ring
// reached is reached: of a plain ring any one, the slowest first; of a mesh all
// but a tree of the fastest.
func (c *check) open(ring []int) (ways [][]string) {
	speed := func(l int) office.Speed { // of the slower end; what is not known counts as fast
		s := office.Speed(math.MaxInt32)
		for _, i := range c.n.Topo.Links[l].Cables {
			for _, p := range []office.PortRef{c.n.Office.Cables[i].A, c.n.Office.Cables[i].B} {
				d := c.n.Office.Device(p.Device)
				if x := d.Ports[d.Port(p.Port)].Speed; x != 0 {
					s = min(s, x)
				}
			}
		}
		return s
	}
	off := func(lines []string, l int) []string {
		for _, i := range c.n.Topo.Links[l].Cables {
			k := c.n.Office.Cables[i]
			lines = append(lines, "-cable "+notation.Ref(k.A)+" "+notation.Ref(k.B))
		}
		return lines
	}
	slowest := slices.Clone(ring)
	slices.SortStableFunc(slowest, func(x, y int) int { return cmp.Compare(speed(x), speed(y)) })
	root := map[int]int{}
	find := func(hub int) int {
		for root[hub] != hub {
			if _, known := root[hub]; !known {
				root[hub] = hub
			}
			hub = root[hub]
		}
		return hub
	}
	var spare []string
	left := 0
	for _, link := range slices.Backward(slowest) {
		k := &c.n.Topo.Links[link]
		if a, b := find(k.A.Hub), find(k.B.Hub); a != b {
			root[a] = b
			continue
		}
		left++
		spare = off(spare, link)
	}
	if left != 1 {
		return [][]string{spare}
	}
	for _, l := range slowest[:min(len(slowest), mostOpen)] {
		ways = append(ways, off(nil, l))
	}
	return ways
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

// noGateway: a VLAN has terminals, is not local, and no device that routes has an
// address in it: nothing in it reaches anything outside.
func (c *check) noGateway(vlan *span.VLAN) {
	x := c.n.Office.VLAN(vlan.VID)
	if vlan.State == span.Unused || x == nil || x.Local {
		return
	}
	text := c.n.Name(vlan.VID) + " has no address on any device"
	for _, d := range c.n.Office.Devices {
		switch {
		case slices.ContainsFunc(d.Outsides, func(l office.Outside) bool { return l.VID == vlan.VID }):
			return // the line rides in it
		case !slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == vlan.VID }):
		case d.Routing():
			return
		default:
			text = fmt.Sprintf("%s has an address on %s, which does not route, and on no device that does", c.n.Name(vlan.VID), d.Name)
		}
	}
	c.add(Finding{Code: NoGateway, VLANs: []office.VID{vlan.VID}, ID: about(NoGateway, vlan.VID),
		Text: text + ": nothing in it reaches another subnet. Give it a gateway, or call it local."})
}

// unused: a VLAN is registered and nothing is in it.
func (c *check) unused(vlan *span.VLAN) {
	x := c.n.Office.VLAN(vlan.VID)
	if vlan.State != span.Unused || x == nil || vlan.VID == office.DefaultVID || c.n.IsParked(vlan.VID) && c.members(vlan.VID) {
		return
	}
	f := Finding{Code: Unused, VLANs: []office.VID{vlan.VID}, ID: about(Unused, vlan.VID),
		Text: fmt.Sprintf("%s is registered, and no port, address or plug is in it.", c.n.Name(vlan.VID))}
	if c.members(vlan.VID) {
		f.Text = fmt.Sprintf("%s is registered and on ports, but nobody is in it: no plug, address, inner port or free port.", c.n.Name(vlan.VID))
	} else {
		f.Mends = [][]string{{fmt.Sprintf("-vlan %d", vlan.VID)}}
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
func (c *check) behindUnaware(vlan *span.VLAN) {
	for h, hub := range c.n.Topo.Hubs {
		if !c.n.Wants(h).Has(vlan.VID) || c.n.Served(h, vlan.VID) {
			continue
		}
		for _, k := range c.n.Topo.PlugsAt(hub.Dev) {
			plug := c.n.Office.Plugs[k]
			d := c.n.Office.Devices[hub.Dev]
			if _, _, cabled := c.n.Office.CableAt(plug.Port); plug.Wants != vlan.VID || plug.Tagged || cabled || c.n.Tables[hub.Dev].Ports[d.Logical(d.Port(plug.Port.Port))].Off {
				continue
			}
			c.add(Finding{Code: PlugUnserved, VLANs: []office.VID{vlan.VID}, Ports: []office.PortRef{plug.Port}, ID: about(PlugUnserved, plug.Port, plug.Name),
				Text: fmt.Sprintf(
					"%s at %s wants %s, which does not come untagged into %s: it knows no tags, so its cable decides.",
					plug.Name,
					portName(plug.Port),
					c.n.Name(vlan.VID),
					plug.Port.Device,
				)})
		}
	}
}
