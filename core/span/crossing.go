package span

import (
	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// Carry is what crosses a link: VLANs that go from a domain of the one hub
// into the same domain of the other, and arcs between unlike domains.
type Carry struct {
	AB, BA office.Set
	Cross  []Arc
}

// Arc leads from a domain at one end of a link into another at its other end.
type Arc struct {
	FromA    bool
	From, To Label
}

type linkArc struct {
	link int
	Arc
}

// cross works out what crosses a link.
//
//	> core 7: 110 [140 160]
//	110 reception, merged: (core.1 core.2 core.3 floor.1 floor.2 floor.3 floor.4)
//	190 devices, split: (core.5) ()
func (n *Net) cross(link int) *Carry {
	one := &n.Topo.Links[link]
	carry := &Carry{}
	n.half(one.A, one.B, &carry.AB, func(from, to Label) { carry.Cross = append(carry.Cross, Arc{true, from, to}) })
	n.half(one.B, one.A, &carry.BA, func(from, to Label) { carry.Cross = append(carry.Cross, Arc{false, from, to}) })
	return carry
}

// half is the way from end a to end b. Whole sets go at once where no
// translation and no grouped device needs a look at each VID.
//
//	> core 7: 110 [140 160 190]
//	110 reception, merged: (core.1 core.2 core.3 floor.1 floor.2 floor.3 floor.4)
//	190 devices, merged: (core.5)
func (n *Net) half(a, b graph.End, same *office.Set, cross func(from, to Label)) {
	ta, tb := n.Tables[a.Dev], n.Tables[b.Dev]
	pa, pb := ta.Ports[a.Port], tb.Ports[b.Port]
	if pa.Off || pb.Off {
		return
	}
	fa, fb := ta.Device.Forwarding, tb.Device.Forwarding
	tags := &pa.Tagged
	if fa == office.Unaware {
		tags = n.present[a.Hub]
	} else if fa == office.UnawareDrops {
		tags = &office.Set{}
	}
	add := func(from, to Label) {
		if from == to {
			same.Add(office.VID(from))
		} else {
			cross(from, to)
		}
	}
	switch {
	case len(pa.Rides) > 0 || len(pb.Rides) > 0 || fb == office.Grouped:
		for vid := range tags.All() {
			wire := bridge.Wire(vid)
			if !ta.Device.Unaware() {
				wire = pa.WireOf(vid)
			}
			if domain, why := tb.Ingress(b.Port, wire); why == bridge.Passed {
				add(Label(vid), LabelOf(b.Hub, domain))
			}
		}
	case fb == office.Unaware:
		*same = *tags
	case fb == office.UnawareDrops || pb.Admit == office.AdmitUntagged:
	case !pb.Filter:
		*same = *tags
	default:
		set := pb.Members()
		*same = tags.And(&set)
	}
	other, why := tb.Ingress(b.Port, bridge.Untagged)
	if why != bridge.Passed {
		return
	}
	to := LabelOf(b.Hub, other)
	if ta.Device.Unaware() {
		add(untaggedAt|Label(a.Hub)<<24, to)
		return
	}
	for vid := range pa.Untagged.All() {
		add(Label(vid), to)
	}
}

// keepTags follows frames that keep a tag inside grouped devices.
func (n *Net) keepTags() {
	n.kept = nil
	grouped := false
	for _, device := range n.Office.Devices {
		grouped = grouped || device.Forwarding == office.Grouped
	}
	if !grouped {
		return
	}
	seen := map[Label]bool{}
	var queue []Label
	reach := func(label Label) {
		if label&keptAt != 0 && !seen[label] {
			seen[label] = true
			queue = append(queue, label)
		}
	}
	for _, carry := range n.carry {
		for _, arc := range carry.Cross {
			reach(arc.To)
		}
	}
	for len(queue) > 0 {
		from := queue[0]
		queue = queue[1:]
		hub := int(from &^ keptAt >> 24)
		domain := bridge.Domain{VID: office.VID(from >> 12 & 0xfff), Keep: true, Kept: bridge.Wire(from & 0xfff)}
		for _, i := range n.Topo.At[hub] {
			link := &n.Topo.Links[i]
			for _, fromA := range []bool{true, false} {
				here, there := link.A, link.B
				if !fromA {
					here, there = there, here
				}
				if here.Hub != hub {
					continue
				}
				wire, ok := n.Tables[here.Dev].Egress(domain, here.Port)
				if !ok {
					continue
				}
				if in, why := n.Tables[there.Dev].Ingress(there.Port, wire); why == bridge.Passed {
					to := LabelOf(there.Hub, in)
					n.kept = append(n.kept, linkArc{i, Arc{fromA, from, to}})
					reach(to)
				}
			}
		}
	}
}

// feed adds the tags that grouped devices keep and send into unaware devices
// to what those pass on, and says whether any was new to one.
func (n *Net) feed() (more bool) {
	for _, arc := range n.kept {
		if h := n.into(arc); n.feeds(arc) && !n.present[h].Has(arc.To.VID()) {
			n.present[h].Add(arc.To.VID())
			more = true
		}
	}
	return more
}

// feeds says whether an arc leads into an unaware device with a tag.
func (n *Net) feeds(arc linkArc) bool {
	return arc.To.VID() != 0 && n.Office.Devices[n.Topo.Hubs[n.into(arc)].Dev].Forwarding == office.Unaware
}

// into is the hub that an arc leads to.
func (n *Net) into(arc linkArc) int {
	if arc.FromA {
		return n.Topo.Links[arc.link].B.Hub
	}
	return n.Topo.Links[arc.link].A.Hub
}
