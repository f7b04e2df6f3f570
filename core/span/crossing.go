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
func (n *Net) cross(link int) *Carry {
	l := &n.Topo.Links[link]
	c := &Carry{}
	n.half(l.A, l.B, &c.AB, func(from, to Label) { c.Cross = append(c.Cross, Arc{true, from, to}) })
	n.half(l.B, l.A, &c.BA, func(from, to Label) { c.Cross = append(c.Cross, Arc{false, from, to}) })
	return c
}

// half is the way from end a to end b. Whole sets go at once where no
// translation and no grouped device needs a look at each VID.
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
			w := bridge.Wire(vid)
			if !ta.Device.Unaware() {
				w = pa.WireOf(vid)
			}
			if d, why := tb.Ingress(b.Port, w); why == bridge.Passed {
				add(Label(vid), LabelOf(b.Hub, d))
			}
		}
	case fb == office.Unaware:
		*same = *tags
	case fb == office.UnawareDrops || pb.Admit == office.AdmitUntagged:
	case !pb.Filter:
		*same = *tags
	default:
		m := pb.Members()
		*same = tags.And(&m)
	}
	d, why := tb.Ingress(b.Port, bridge.Untagged)
	if why != bridge.Passed {
		return
	}
	to := LabelOf(b.Hub, d)
	if ta.Device.Unaware() {
		add(untaggedAt|Label(a.Hub)<<24, to)
		return
	}
	for v := range pa.Untagged.All() {
		add(Label(v), to)
	}
}

// keepTags follows frames that keep a tag inside grouped devices.
func (n *Net) keepTags() {
	n.kept = nil
	grouped := false
	for _, d := range n.Office.Devices {
		grouped = grouped || d.Forwarding == office.Grouped
	}
	if !grouped {
		return
	}
	seen := map[Label]bool{}
	var queue []Label
	reach := func(l Label) {
		if l&keptAt != 0 && !seen[l] {
			seen[l] = true
			queue = append(queue, l)
		}
	}
	for _, c := range n.carry {
		for _, a := range c.Cross {
			reach(a.To)
		}
	}
	for len(queue) > 0 {
		from := queue[0]
		queue = queue[1:]
		hub := int(from &^ keptAt >> 24)
		domain := bridge.Domain{VID: office.VID(from >> 12 & 0xfff), Keep: true, Kept: bridge.Wire(from & 0xfff)}
		for _, i := range n.Topo.At[hub] {
			l := &n.Topo.Links[i]
			for _, fromA := range []bool{true, false} {
				here, there := l.A, l.B
				if !fromA {
					here, there = there, here
				}
				if here.Hub != hub {
					continue
				}
				w, ok := n.Tables[here.Dev].Egress(domain, here.Port)
				if !ok {
					continue
				}
				if in, why := n.Tables[there.Dev].Ingress(there.Port, w); why == bridge.Passed {
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
	for _, a := range n.kept {
		if h := n.into(a); n.feeds(a) && !n.present[h].Has(a.To.VID()) {
			n.present[h].Add(a.To.VID())
			more = true
		}
	}
	return more
}

// feeds says whether an arc leads into an unaware device with a tag.
func (n *Net) feeds(a linkArc) bool {
	return a.To.VID() != 0 && n.Office.Devices[n.Topo.Hubs[n.into(a)].Dev].Forwarding == office.Unaware
}

// into is the hub that an arc leads to.
func (n *Net) into(a linkArc) int {
	if a.FromA {
		return n.Topo.Links[a.link].B.Hub
	}
	return n.Topo.Links[a.link].A.Hub
}
