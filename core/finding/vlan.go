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
//
//	> vlan 170 cameras net 10.61.170.0/24; core 6: 170; floor 6: 170; core 7: 190 [110 140 160]
//	not-carried: 170 cameras ends at the cable core 7 to floor 8: floor 8 carries it, core 7
//	    does not, so the frames are dropped there.
//	  mend: core 7: 190 [110 140 160 170]
//	split: 170 cameras is in 2 parts: floor 6 is cut off from core 6. The cause is the cable
//	    core 7 to floor 8.
//	no-gateway: 170 cameras has no address on any device: nothing in it reaches another subnet.
//	    Give it a gateway, or call it local.
//	needed-differs: floor 8 takes what is needed on the cable, and core 7, written out, lacks
//	    170 cameras.
//	  mend: core 7: 190 [needed]
//	  mend: core 7: 190 [110 140 160 170]
func (c *check) split(vlan *span.VLAN, causes []cause) {
	if vlan.State != span.Split {
		return
	}
	finding := Finding{Code: Split, VLANs: []office.VID{vlan.VID}, ID: about(Split, vlan.VID)}
	from := c.mainName(vlan)
	var refs []office.PortRef
	var parts, dead []string
	for _, part := range vlan.Spans[1:vlan.Parts] {
		if i, ok := c.net.Dead(part); ok {
			dead = append(dead, c.unheard(&finding, i, vlan.VID))
			parts = append(parts, "the address of "+c.net.Office.Devices[i].Name)
			continue
		}
		here := c.net.Terminals(part, vlan.VID)
		refs = append(refs, here...)
		if len(here) == 0 {
			parts = append(parts, c.partName(part, vlan.VID, from))
		}
	}
	finding.Ports = append(finding.Ports, refs...)
	all := parts
	if len(refs) > 0 {
		all = append([]string{c.portList(refs, 3)}, parts...)
	}
	verb := "are"
	if len(refs)+len(parts) == 1 {
		verb = "is"
	}
	finding.Text = fmt.Sprintf("%s is in %d parts: %s %s cut off from %s.", c.net.Name(vlan.VID), vlan.Parts, some(all, 3), verb, from)
	for _, why := range dead {
		finding.Text += " " + why
	}
	if len(causes) > 0 {
		var cables []string
		for _, cause := range causes {
			cables = append(cables, cause.cable)
		}
		finding.Cause = causes[0].id
		if len(causes) == 1 {
			finding.Text += " The cause is the cable " + cables[0] + "."
		} else {
			finding.Text += " The causes are the cables " + some(cables, 3) + "."
		}
	} else if len(dead) == 0 {
		finding.Text += " No cable whose ports are open leads from the one to the other."
	}
	c.add(finding)
}

// unheard says why no frame of a VLAN comes to an address of a device, or to
// its management, and mends it.
func (c *check) unheard(finding *Finding, i int, vid office.VID) string {
	device := c.net.Office.Devices[i]
	if !c.net.Aware(i) {
		return fmt.Sprintf("%s knows no tags, and nothing comes into it that is %s.", device.Name, c.net.Name(vid))
	}
	for port := range device.Ports {
		if device.Ports[port].Flavour == office.Processor {
			ref := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
			finding.Ports = append(finding.Ports, ref)
			finding.Mends = append(finding.Mends, []string{set(ref, c.net.Carrying(i, port, office.Tagged, vid))})
			return fmt.Sprintf("What %s itself says passes its inner port %s, which is not in %s.", device.Name, device.Ports[port].Name, c.net.Name(vid))
		}
	}
	return ""
}

// partName says by its devices what of a VLAN is in a part. Where VLANs meet, a part is of both,
// and those that only have the other one are not meant. A device that routes may be in several
// parts: where it is from as well, its port is said.
func (c *check) partName(part *span.Span, vid office.VID, from string) string {
	var own, all []string
	for _, node := range part.Nodes {
		hub := c.net.Topo.Hubs[node.Hub]
		name := c.net.Office.Devices[hub.Dev].Name
		if name == from && hub.Port >= 0 {
			name = portName(c.net.RefAt(hub.Dev, hub.Port))
		}
		if !slices.Contains(all, name) {
			all = append(all, name)
		}
		if node.Label == span.Label(vid) && !slices.Contains(own, name) {
			own = append(own, name)
		}
	}
	if len(own) == 0 {
		own = all
	}
	return some(own, 2)
}

// mainName is what the others are cut off from: the gateway's device, or the
// part with the most in it.
func (c *check) mainName(vlan *span.VLAN) string {
	if i, ok := c.net.Dead(vlan.Spans[0]); ok {
		return "the address of " + c.net.Office.Devices[i].Name
	}
	for _, node := range vlan.Spans[0].Nodes {
		if node.Label == span.Label(vlan.VID) && c.net.AtGateway(node.Hub, vlan.VID) {
			return c.net.Office.Devices[c.net.Topo.Hubs[node.Hub].Dev].Name
		}
	}
	if refs := c.net.Terminals(vlan.Spans[0], vlan.VID); len(refs) > 0 {
		return c.portList(refs, 2)
	}
	return c.partName(vlan.Spans[0], vlan.VID, "")
}

// merged: a VLAN's span holds another VLAN's terminals too; frames of the one
// arrive in the other.
//
//	> core 6: 110; floor 6: 160; cable core.6 floor.6
//	untagged-mismatch: Untagged frames leave core 6 as 110 reception and join 160 guests at
//	    floor 6.
//	  mend: floor 6: 110
//	  mend: core 6: 160
//	merged: 110 reception and 160 guests are one: what is sent in the one arrives in the other.
//	    They meet on the cable core 6 to floor 6.
func (c *check) merged(vlan *span.VLAN) {
	said := map[string]bool{}
	for _, part := range vlan.Spans[:vlan.Parts] {
		if part.Ends[0] != vlan.VID || len(part.Ends) < 2 { // said once, by the lowest VLAN of the span
			continue
		}
		finding := Finding{Code: Merged, VLANs: part.Ends, ID: about(Merged, part.Ends)}
		if said[finding.ID] { // the same VLANs meet in another part, too
			finding.ID = about(Merged, part.Ends, c.net.Office.Devices[c.net.Topo.Hubs[part.Nodes[0].Hub].Dev].Name, part.Nodes[0].Hub)
		}
		said[finding.ID] = true
		for link, causes := 0, 0; link < len(c.net.Topo.Links); link++ {
			from, to, _, ok := c.net.Mismatch(link)
			if !ok || !slices.Contains(part.Ends, from) && !slices.Contains(part.Ends, to) || !c.inSpan(part, link) {
				continue
			}
			one := &c.net.Topo.Links[link]
			ref, other := c.net.Ref(one.A), c.net.Ref(one.B)
			if causes == 0 {
				finding.Cause = about(UntaggedMismatch, ref, other)
				finding.Text = fmt.Sprintf(" They meet on the cable %s to %s.", portName(ref), portName(other))
			}
			causes++
			finding.Ports = append(finding.Ports, ref, other)
		}
		finding.Text = fmt.Sprintf("%s are one: what is sent in the one arrives in the other.", c.vlanNames(part.Ends)) + finding.Text
		c.add(finding)
	}
}

func (c *check) inSpan(part *span.Span, link int) bool {
	h := c.net.Topo.Links[link].A.Hub
	return slices.ContainsFunc(part.Nodes, func(node span.Node) bool { return node.Hub == h })
}

// loop: a VLAN forms a ring over cables; only spanning tree keeps it up.
func (c *check) loop(vlan *span.VLAN) {
	for _, part := range vlan.Spans {
		if !part.Ring() || lowest(part) != vlan.VID { // said once, by the lowest VLAN of the span
			continue
		}
		if ring := c.net.Ring(part); len(ring) > 0 {
			c.faults = append(c.faults, cableFault{code: Loop, link: ring[0], vlan: vlan.VID, ring: ring})
		}
	}
}

// sayRing says which VLANs go round over which cables, and where it may be opened.
//
//	> core 6: use uplink; floor 7: use uplink; cable core.6 floor.7
//	loop: 110 reception, 140 phones, 160 guests and 190 devices go round in a ring over the
//	    cables core 6 to floor 7 and core 7 to floor 8: without spanning tree one broadcast
//	    stays there for ever.
//	  mend: -cable core.6 floor.7
//	  mend: -cable core.7 floor.8
func (c *check) sayRing(finding *Finding, ring []int) {
	all := ring
	ring = ring[:min(len(ring), mostRing)] // of a mesh, its first cables say enough
	var names []string
	finding.Ports = nil
	for _, link := range ring {
		one := &c.net.Topo.Links[link]
		finding.Ports = append(finding.Ports, c.net.Ref(one.A), c.net.Ref(one.B))
		if finding.Cause == "" && c.at(one.A).Kind != c.at(one.B).Kind { // a bundle that the other end does not know
			finding.Cause = about(BundleOneSided, c.net.Ref(one.A), c.net.Ref(one.B))
		}
		names = append(names, portName(c.net.Ref(one.A))+" to "+portName(c.net.Ref(one.B)))
	}
	finding.Text = fmt.Sprintf(
		"%s %s round in a ring over the cables %s: without spanning tree one broadcast stays there for ever.",
		c.vlanNames(finding.VLANs),
		verb(finding.VLANs, "goes", "go"),
		some(names, 4),
	)
	finding.Mends = c.open(all)
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
	speed := func(link int) office.Speed { // of the slower end; what is not known counts as fast
		one := office.Speed(math.MaxInt32)
		for _, i := range c.net.Topo.Links[link].Cables {
			for _, ref := range []office.PortRef{c.net.Office.Cables[i].A, c.net.Office.Cables[i].B} {
				device := c.net.Office.Device(ref.Device)
				if x := device.Ports[device.Port(ref.Port)].Speed; x != 0 {
					one = min(one, x)
				}
			}
		}
		return one
	}
	off := func(lines []string, link int) []string {
		for _, i := range c.net.Topo.Links[link].Cables {
			cable := c.net.Office.Cables[i]
			lines = append(lines, "-cable "+notation.Ref(cable.A)+" "+notation.Ref(cable.B))
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
		one := &c.net.Topo.Links[link]
		if a, b := find(one.A.Hub), find(one.B.Hub); a != b {
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

// lowest is the smallest VID among the labels of a part, by which parts without a gateway are put
// in order.
func lowest(part *span.Span) office.VID {
	low := office.VID(4095)
	for _, node := range part.Nodes {
		if vid := node.Label.VID(); vid != 0 {
			low = min(low, vid)
		}
	}
	return low
}

// noGateway: a VLAN has terminals, is not local, and no device that routes has an
// address in it: nothing in it reaches anything outside.
//
//	> vlan 170 cameras; core 6: 170; plug core.6 camera wants 170
//	no-gateway: 170 cameras has no address on any device: nothing in it reaches another subnet.
//	    Give it a gateway, or call it local.
func (c *check) noGateway(vlan *span.VLAN) {
	one := c.net.Office.VLAN(vlan.VID)
	if vlan.State == span.Unused || one == nil || one.Local {
		return
	}
	text := c.net.Name(vlan.VID) + " has no address on any device"
	for _, device := range c.net.Office.Devices {
		switch {
		case slices.ContainsFunc(device.Outsides, func(line office.Outside) bool { return line.VID == vlan.VID }):
			return // the line rides in it
		case !slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == vlan.VID }):
		case device.Routing():
			return
		default:
			text = fmt.Sprintf("%s has an address on %s, which does not route, and on no device that does", c.net.Name(vlan.VID), device.Name)
		}
	}
	c.add(Finding{Code: NoGateway, VLANs: []office.VID{vlan.VID}, ID: about(NoGateway, vlan.VID),
		Text: text + ": nothing in it reaches another subnet. Give it a gateway, or call it local."})
}

// unused: a VLAN is registered and nothing is in it.
//
//	> vlan 170 cameras
//	unused: 170 cameras is registered, and no port, address or plug is in it.
//	  mend: -vlan 170
func (c *check) unused(vlan *span.VLAN) {
	one := c.net.Office.VLAN(vlan.VID)
	if vlan.State != span.Unused || one == nil || vlan.VID == office.DefaultVID || c.net.IsParked(vlan.VID) && c.members(vlan.VID) {
		return
	}
	finding := Finding{Code: Unused, VLANs: []office.VID{vlan.VID}, ID: about(Unused, vlan.VID),
		Text: fmt.Sprintf("%s is registered, and no port, address or plug is in it.", c.net.Name(vlan.VID))}
	if c.members(vlan.VID) {
		finding.Text = fmt.Sprintf("%s is registered and on ports, but nobody is in it: no plug, address, inner port or free port.", c.net.Name(vlan.VID))
	} else {
		finding.Mends = [][]string{{fmt.Sprintf("-vlan %d", vlan.VID)}}
	}
	c.add(finding)
}

// members says whether any port has vid at all.
func (c *check) members(vid office.VID) bool {
	for _, table := range c.net.Tables {
		for _, compiled := range table.Ports {
			if compiled.Has(vid) {
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
//
//	> device desk switch; forwarding unaware; ports 1-5; cable core.1 desk.1; plug desk.2 "guest" wants 160
//	plug-unserved: reception pc at core 1 is plugged in where a cable to desk 1 is: a port
//	    takes one of the two.
//	plug-unserved: guest at desk 2 wants 160 guests, which does not come untagged into desk: it
//	    knows no tags, so its cable decides.
//	carries-unneeded: The cable core 1 to desk 1 carries 140 phones, which nothing beyond it
//	    needs.
//	  mend: core 1: 110
func (c *check) behindUnaware(vlan *span.VLAN) {
	for at, hub := range c.net.Topo.Hubs {
		if !c.net.Wants(at).Has(vlan.VID) || c.net.Served(at, vlan.VID) {
			continue
		}
		for _, k := range c.net.Topo.PlugsAt(hub.Dev) {
			plug := c.net.Office.Plugs[k]
			device := c.net.Office.Devices[hub.Dev]
			if _, _, cabled := c.net.Office.CableAt(plug.Port); plug.Wants != vlan.VID || plug.Tagged || cabled || c.net.Tables[hub.Dev].Ports[device.Logical(device.Port(plug.Port.Port))].Off {
				continue
			}
			c.add(Finding{Code: PlugUnserved, VLANs: []office.VID{vlan.VID}, Ports: []office.PortRef{plug.Port}, ID: about(PlugUnserved, plug.Port, plug.Name),
				Text: fmt.Sprintf(
					"%s at %s wants %s, which does not come untagged into %s: it knows no tags, so its cable decides.",
					plug.Name,
					portName(plug.Port),
					c.net.Name(vlan.VID),
					plug.Port.Device,
				)})
		}
	}
}
