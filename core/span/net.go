// Package span says where frames can go in a whole office: which ports one
// VLAN really reaches (its spans), which cables need it, and the way of a
// single frame (a walk).
//
// [Compile] works an office out from nothing; [Net.Update] works out the office
// after an edit from the one before, touching only what the edit touched. Both
// give the same.
package span

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Net is an office worked out. It is not changed once made.
type Net struct {
	Office *office.Office
	Topo   *Topology
	Tables []*bridge.Table // by device

	// Needed is by link: the VLANs that need it.
	needed []office.Set // by block
	shapes [][]*office.Shape
	source [][]office.Source

	registered office.Set
	at         placing
	place      []*office.Set // by hub: VLANs with terminals, served or not
	term       []*office.Set // by hub: VLANs with terminals that the hub serves
	wants      []*office.Set // by hub, of unaware devices: what plugs and the device itself want untagged
	own        []*office.Set // by hub, of unaware devices: VLANs of its addresses and its management
	dead       []*office.Set // by hub: VLANs of addresses behind a processor port that is not in them
	addr       []*office.Set // by hub: VLANs with an address
	present    []*office.Set // by hub: VLANs that exist there
	carry      []*Carry      // by link
	kept       []linkArc     // arcs from and to domains that keep a tag
	groups     classes
	vlans      office.ByVID[*VLAN] // nil: neither registered nor in use
	used       office.Set          // VIDs with a result

	dirty  office.Set // VIDs whose result is new in this Net
	fresh  bool       // nothing was taken from a Net before
	before *delta
}

// delta is what an update touched, for those who work on from a Net.
type delta struct {
	devices []int
	links   []int
}

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

// Label names a domain at a hub: below 4096 the VLAN; else a domain that only
// that hub has.
type Label uint64

const (
	deadAt     Label = 1 << 61 // | hub<<24 | vlan: an address that no port lets out
	untaggedAt Label = 1 << 62 // | hub<<24: untagged frames inside an unaware device
	keptAt     Label = 1 << 63 // | hub<<24 | group<<12 | tag: a tag kept inside a group
)

// VID is the label's VLAN, 0 where it has none.
func (l Label) VID() office.VID {
	if l < 4096 {
		return office.VID(l)
	}
	return 0
}

func label(hub int, d bridge.Domain) Label {
	switch {
	case !d.Keep:
		return Label(d.VID)
	case d.VID != 0:
		return keptAt | Label(hub)<<24 | Label(d.VID)<<12 | Label(d.Kept)
	case d.Kept == bridge.Untagged:
		return untaggedAt | Label(hub)<<24
	}
	return Label(d.Kept)
}

// Compile works an office out from nothing.
func Compile(o *office.Office) *Net {
	n := &Net{Office: o, Topo: newTopology(o), registered: o.Registered(), fresh: true}
	n.all()
	return n
}

// Update works out o, an office that shares with n's all that an edit left.
// Edits of cables, of the register and of the ports that a device has are
// worked out from nothing.
func (n *Net) Update(o *office.Office) *Net {
	if !sameTopology(n.Office, o) || !slices.Equal(n.Office.VLANs, o.VLANs) {
		return Compile(o)
	}
	return n.step(o)
}

func (n *Net) all() {
	o := n.Office
	n.shapes = make([][]*office.Shape, len(o.Devices))
	n.source = make([][]office.Source, len(o.Devices))
	for i := range o.Devices {
		n.shapes[i], n.source[i] = n.effective(i)
	}
	n.places()
	n.needed = make([]office.Set, len(n.Topo.blocks))
	words := make([]int, len(office.Set{}))
	for i := range words {
		words[i] = i
	}
	n.Topo.needs(n.place, n.needed, words)
	cache := compileCache{}
	n.Tables = make([]*bridge.Table, len(o.Devices))
	for i := range o.Devices {
		n.Tables[i] = n.table(i, cache)
	}
	hubs := len(n.Topo.Hubs)
	n.term, n.wants, n.addr, n.present = newSets(hubs), newSets(hubs), newSets(hubs), newSets(hubs)
	n.own, n.dead = newSets(hubs), newSets(hubs)
	for i := range o.Devices {
		n.fillHubs(i)
	}
	n.carry = make([]*Carry, len(n.Topo.Links))
	for more := true; more; {
		n.throughUnaware()
		for i := range n.Topo.Links {
			n.carry[i] = n.cross(i)
		}
		n.keepTags()
		more = n.feed()
	}
	n.used = n.inUse()
	n.groups = n.couple()
	n.dirty = n.used
	n.solve()
}

// effective is the shapes in force on device i's ports.
func (n *Net) effective(i int) ([]*office.Shape, []office.Source) {
	d := n.Office.Devices[i]
	ss, src := make([]*office.Shape, len(d.Ports)), make([]office.Source, len(d.Ports))
	if d.Follows == "" { // the usual case, without asking a plan for every port
		for p := range d.Ports {
			x := &d.Ports[p]
			if x.Bundle > 0 || x.Shape == nil {
				ss[p] = noShape
				continue
			}
			ss[p], src[p] = n.Office.Resolve(x.Shape), office.FromPort
		}
		return ss, src
	}
	for p := range d.Ports {
		ss[p], src[p] = n.Office.Effective(d, p)
	}
	return ss, src
}

var noShape = &office.Shape{}

// Shape is the shape in force on a port, its use resolved, and where it comes
// from.
func (n *Net) Shape(dev, port int) (*office.Shape, office.Source) {
	return n.shapes[dev][port], n.source[dev][port]
}

// Needed is the VLANs that need a link.
func (n *Net) Needed(link int) *office.Set {
	if b := n.Topo.block[link]; b >= 0 {
		return &n.needed[b]
	}
	return &office.Set{}
}

// Registered is the set of the register's VIDs.
func (n *Net) Registered() *office.Set { return &n.registered }

// Carry is what crosses a link.
func (n *Net) Carry(link int) *Carry { return n.carry[link] }

type compileCache map[compileKey]*bridge.Port

type compileKey struct {
	s      *office.Shape
	block  int
	access office.VID // all access ports of a VLAN are one
}

// table compiles device i.
func (n *Net) table(i int, cache compileCache) *bridge.Table {
	d := n.Office.Devices[i]
	return bridge.NewTable(d, func(p int) *bridge.Port {
		s := n.shapes[i][p]
		k := compileKey{s: s, block: -1}
		if v := bridge.Access(s); v != 0 {
			k = compileKey{access: v}
		}
		var rest *office.Set
		switch s.Rest {
		case office.RestAll:
			rest = &n.registered
		case office.RestNeeded:
			links := n.Topo.LinksAt(i, p)
			switch len(links) {
			case 0:
			case 1:
				k.block = n.Topo.block[links[0]]
				rest = n.Needed(links[0])
			default:
				var all office.Set
				for _, l := range links {
					all.AddAll(n.Needed(l))
				}
				return bridge.Compile(s, &all)
			}
		}
		if c, ok := cache[k]; ok {
			return c
		}
		c := bridge.Compile(s, rest)
		cache[k] = c
		return c
	})
}

// fillHubs works out what stands at device i's hubs.
func (n *Net) fillHubs(i int) {
	d, t := n.Office.Devices[i], n.Tables[i]
	unaware := isUnaware(d)
	itself := talksItself(d)
	var last *bridge.Port // neighbours are often alike
	var lastShape *office.Shape
	var names office.Set
	lastHub := -1
	for p := range d.Ports {
		c := t.Ports[p]
		if d.Ports[p].Bundle > 0 || unaware || c.Off {
			continue
		}
		h := n.Topo.HubOf(i, p)
		if c != last || h != lastHub {
			n.present[h].AddAll(&c.Untagged)
			n.present[h].AddAll(&c.Tagged)
		}
		if inner := d.Ports[p].Kind == office.Inner; inner || itself || len(n.Topo.LinksAt(i, p)) == 0 {
			if s := n.shapes[i][p]; s != lastShape {
				lastShape, names = s, written(s)
			}
			ends := names
			switch {
			case inner:
				ends = c.Tagged.And(&n.registered)
				ends.AddAll(&c.Untagged)
			case !itself:
				ends = names.Minus(&n.at.parked)
			}
			n.term[h].AddAll(&ends)
		}
		last, lastHub = c, h
	}
	stand := func(v office.VID, on string, address bool) {
		for _, h := range n.addressHubs(i, v, on) {
			switch {
			case unaware:
				n.wants[h].Add(v)
				n.own[h].Add(v)
			case !n.lets(i, v):
				n.dead[h].Add(v)
				continue
			default:
				n.term[h].Add(v)
				n.present[h].Add(v)
			}
			if address {
				n.addr[h].Add(v)
			}
		}
	}
	for _, a := range d.Addresses {
		stand(a.VID, a.On, true)
	}
	if m := d.Manage; m != nil {
		stand(m.VID, "", false)
	}
	for _, k := range n.Topo.plugs[i] {
		p := &n.Office.Plugs[k]
		at := d.Logical(d.Port(p.Port.Port))
		h := n.Topo.HubOf(i, at)
		switch {
		case unaware && t.Ports[at].Off:
		case unaware && p.Tagged:
			if d.Forwarding == office.Unaware {
				n.present[h].Add(p.Wants)
				n.term[h].Add(p.Wants)
			}
		case unaware:
			n.wants[h].Add(p.Wants)
		case n.Gives(i, at, p.Wants, p.Tagged):
			n.term[h].Add(p.Wants)
		}
	}
}

// lets says whether a device's own addresses in a VLAN reach its ports: where
// it has a processor port they stand behind it.
func (n *Net) lets(dev int, v office.VID) bool {
	d := n.Office.Devices[dev]
	if d.Forwarding == office.Routed {
		return true
	}
	behind := false
	for p := range d.Ports {
		if d.Ports[p].Flavour == "cpu" {
			if n.Tables[dev].Ports[p].Has(v) {
				return true
			}
			behind = true
		}
	}
	return !behind
}

// Gives says whether a port of a device that knows VLANs gives a plug the VLAN
// that it wants, in that form, both ways.
func (n *Net) Gives(dev, port int, v office.VID, tagged bool) bool {
	w := bridge.Untagged
	if tagged {
		w = bridge.Wire(v)
	}
	t := n.Tables[dev]
	d, why := t.Ingress(port, w)
	if why != bridge.Passed || d.Keep || d.VID != v {
		return false
	}
	out, ok := t.Egress(d, port)
	return ok && out == w
}

// throughUnaware finds the tags that get into unaware devices: what a
// neighbour sends, through any number of them.
func (n *Net) throughUnaware() {
	for changed := true; changed; {
		changed = false
		for h := range n.Topo.Hubs {
			d := n.Office.Devices[n.Topo.Hubs[h].Dev]
			if d.Forwarding != office.Unaware {
				continue
			}
			for _, l := range n.Topo.At[h] {
				k := &n.Topo.Links[l]
				here, there := k.A, k.B
				if here.Hub != h {
					here, there = there, here
				}
				in := n.sends(there)
				if n.Tables[here.Dev].Ports[here.Port].Off {
					continue
				}
				if more := in.Minus(n.present[h]); !more.Empty() {
					n.present[h].AddAll(&more)
					changed = true
				}
			}
		}
	}
}

// sends is the VIDs on the wire that leave by an end.
func (n *Net) sends(e End) (s office.Set) {
	p := n.Tables[e.Dev].Ports[e.Port]
	switch d := n.Office.Devices[e.Dev]; {
	case p.Off || d.Forwarding == office.UnawareDrops:
	case d.Forwarding == office.Unaware:
		s = *n.present[e.Hub]
	case len(p.Rides) == 0:
		s = p.Tagged
	default:
		for v := range p.Tagged.All() {
			s.Add(p.WireOf(v).VID())
		}
	}
	return s
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
func (n *Net) half(a, b End, same *office.Set, cross func(from, to Label)) {
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
		for v := range tags.All() {
			w := bridge.Wire(v)
			if !isUnaware(ta.Device) {
				w = pa.WireOf(v)
			}
			if d, why := tb.Ingress(b.Port, w); why == bridge.Passed {
				add(Label(v), label(b.Hub, d))
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
	to := label(b.Hub, d)
	if isUnaware(ta.Device) {
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
		d := bridge.Domain{VID: office.VID(from >> 12 & 0xfff), Keep: true, Kept: bridge.Wire(from & 0xfff)}
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
				w, ok := n.Tables[here.Dev].Egress(d, here.Port)
				if !ok {
					continue
				}
				if in, why := n.Tables[there.Dev].Ingress(there.Port, w); why == bridge.Passed {
					to := label(there.Hub, in)
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

// inUse is every VID that has a result: registered, on a port, or wanted.
func (n *Net) inUse() office.Set {
	s := n.registered
	for h := range n.present {
		s.AddAll(n.present[h])
		s.AddAll(n.place[h])
		s.AddAll(n.wants[h])
	}
	for _, c := range n.carry { // a port without filtering lets in what it has not
		s.AddAll(&c.AB)
		s.AddAll(&c.BA)
		for _, a := range c.Cross {
			s.Add(a.From.VID())
			s.Add(a.To.VID())
		}
	}
	for _, a := range n.kept {
		s.Add(a.To.VID())
	}
	s.Remove(0)
	return s
}

// Used is every VID that is registered, on a port, or wanted by a plug.
func (n *Net) Used() *office.Set { return &n.used }
