package order

import (
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/core/wording"
)

// spot is where the operator is: a port that the laptop is plugged into, or a
// device's console.
type spot struct {
	dev     int
	port    string // "" at the console
	vid     office.VID
	tagged  bool
	console bool
	away    bool // he has not plugged it in yet
}

// world is the office at one point of an order. It is not changed once made.
type world struct {
	p      *problem
	o      *office.Office // every shape written out; the laptop is its one plug
	n      *span.Net
	states []*wording.State // by device; nil ports where there is nothing to set
	tasks  []bool           // done
	dirty  []bool           // by device: what runs is not saved
	risky  []bool           // by device: a step was taken after which it is looked at before it is saved
	at     spot
	left   []int   // by device: tasks not done, and 1 where ports differ
	ports  []int32 // of the judge's terminals
	v      verdict
	breaks []breach     // across devices that route
	reach  map[int]bool // by device, filled as it is asked for
	manage *talk.Management
	live   *office.Set
	beyond []bool   // by link
	hashes []uint64 // by device: of what its ports are set to
	knows  []uint64 // and of the VLANs that it knows too
}

// start is the office as it is.
func (p *problem) start() *world {
	n := p.was.n
	w := &world{p: p, o: n.Office, n: n, tasks: make([]bool, len(p.tasks)), dirty: make([]bool, len(n.Office.Devices)), risky: make([]bool, len(n.Office.Devices))}
	w.states = make([]*wording.State, len(n.Office.Devices))
	w.hashes, w.knows = make([]uint64, len(w.states)), make([]uint64, len(w.states))
	for i := range w.states {
		w.states[i] = &wording.State{}
		if p.words[i] != nil {
			*w.states[i] = wording.Planned(n, i)
		}
	}
	w.left = make([]int, len(w.states))
	for i := range w.left {
		w.count(i)
	}
	w.at = spot{dev: n.Topo.DeviceIndex(p.laptop.Port.Device), port: p.laptop.Port.Port, vid: p.laptop.Wants, tagged: p.laptop.Tagged, away: p.away}
	w.settle()
	return w
}

// settle works out what follows from the office.
func (w *world) settle() {
	w.ports = make([]int32, len(w.p.j.terms))
	for i := range w.p.j.terms {
		w.ports[i] = w.p.j.terms[i].place(w.n, w.tasks)
	}
	w.judge()
}

func (w *world) judge() {
	w.v = w.p.j.look(w.n, w.ports)
	for _, b := range w.breaks {
		if b.leak {
			w.v.leaks++
		} else {
			w.v.cut++
		}
	}
	w.reach, w.manage, w.live = map[int]bool{}, talk.ManagementIn(w.n), nil
}

// count is how much is left to do on a device.
func (w *world) count(i int) {
	k := 0
	for _, t := range w.p.tasks {
		if t.dev == i && !w.tasks[t.at] && t.kind != CableStep {
			k++
		}
	}
	if w.p.words[i] != nil && !w.settled(i) {
		k++
	}
	w.left[i] = k
}

// settled says whether a device's ports are all as planned.
func (w *world) settled(i int) bool {
	d, goal := w.o.Devices[i], w.p.plan.n.Office.Devices[i]
	if len(d.Ports) != len(goal.Ports) {
		return false
	}
	for q := range d.Ports {
		if d.Ports[q].Bundle > 0 {
			continue
		}
		g := goal.Port(d.Ports[q].Name)
		if g < 0 || !w.states[i].Ports[q].Alike(&w.p.goals[i].Ports[g]) {
			return false
		}
	}
	return true
}

// open says whether something is left on a device, its saving included.
func (w *world) open(i int) bool { return w.left[i] > 0 || w.dirty[i] }

// done says whether the office is as planned, and all of it saved.
func (w *world) done() bool {
	if slices.Contains(w.tasks, false) || !w.atHome() {
		return false
	}
	for i := range w.left {
		if w.open(i) {
			return false
		}
	}
	return true
}

func (w *world) atHome() bool {
	h := w.p.home
	return !w.at.console && !w.at.away && w.o.Devices[w.at.dev].Name == h.Port.Device && w.at.port == h.Port.Port && w.at.vid == h.Wants && w.at.tagged == h.Tagged
}

// remaining is how far the office is from the plan: settings of ports, and tasks;
// saving is not counted.
func (w *world) remaining() int {
	k := 0
	for i := range w.states {
		k += w.distance(i)
	}
	for _, done := range w.tasks {
		if !done {
			k += 4
		}
	}
	return k
}

// distance is how much of a device's ports differs from the plan.
func (w *world) distance(i int) (k int) {
	if w.p.words[i] == nil {
		return 0
	}
	d, goal := w.o.Devices[i], w.p.plan.n.Office.Devices[i]
	for q := range d.Ports {
		g := goal.Port(d.Ports[q].Name)
		if d.Ports[q].Bundle > 0 || g < 0 {
			continue
		}
		a, b := &w.states[i].Ports[q], &w.p.goals[i].Ports[g]
		if a.Alike(b) {
			continue
		}
		x, y := a.Members(), b.Members()
		out, forms := x.Xor(&y), a.Untagged.Xor(&b.Untagged)
		k += out.Len() + forms.Len() + 1 // a VLAN that is there in the other form is nearer than one that is not
		forms = a.Tagged.Xor(&b.Tagged)
		forms = forms.And(&out)
		k += forms.Len()
		if a.PVID != b.PVID {
			k++
		}
	}
	return k
}

// clone is a copy to be changed.
func (w *world) clone() *world {
	c := *w
	c.states, c.tasks = slices.Clone(w.states), slices.Clone(w.tasks)
	c.dirty, c.risky, c.left = slices.Clone(w.dirty), slices.Clone(w.risky), slices.Clone(w.left)
	c.hashes, c.knows = slices.Clone(w.hashes), slices.Clone(w.knows)
	c.beyond = nil
	return &c
}

// state hash of a device, kept.
func (w *world) hashAt(i int) uint64 {
	if w.hashes[i] == 0 {
		w.hashes[i] = hashOf(w.states[i], w.o.Devices[i].Wording.Name == office.ByChoice) | 1
	}
	return w.hashes[i]
}

// known is the hash of a device's ports and of the VLANs that it knows.
func (w *world) known(i int) uint64 {
	if w.knows[i] == 0 {
		w.knows[i] = hashOf(w.states[i], true) | 1
	}
	return w.knows[i]
}

// cabling tells apart which tasks are done that change ports or cables.
func (w *world) cabling() uint64 {
	h := newHash()
	for _, t := range w.p.tasks {
		if t.inner || t.kind == CableStep || t.manage {
			h.put(b2u(w.tasks[t.at]))
		}
	}
	for _, l := range w.p.lent {
		h.put(b2u(w.lends(l)))
	}
	return uint64(h)
}

// around tells apart what is around a device: its own state and its neighbours';
// far also the state of all, what tasks are done, and where the laptop is.
func (w *world) around(i int, far bool) uint64 {
	if far {
		return w.hash()
	}
	h := newHash()
	h.put(w.hashAt(i))
	for _, k := range w.p.beside[i] {
		h.put(w.hashAt(k))
	}
	for _, t := range w.p.tasks {
		if t.kind != Manage {
			h.put(b2u(w.tasks[t.at]))
		}
	}
	if w.live == nil { // who is in which VLAN decides where it may lead
		w.live = &office.Set{}
		for v := range w.n.Used().All() {
			if w.p.j.lives(w.n, v) {
				w.live.Add(v)
			}
		}
	}
	for _, x := range w.live {
		h.put(x)
	}
	return uint64(h)
}

// rest is tasks and the laptop.
func (w *world) rest(h *hash) {
	for _, t := range w.tasks {
		h.put(b2u(t))
	}
	h.put(uint64(w.at.dev)<<32 | uint64(w.at.vid)<<3 | b2u(w.at.away)<<2 | b2u(w.at.console)<<1 | b2u(w.at.tagged))
	for _, c := range []byte(w.at.port) {
		h.put(uint64(c))
	}
}

// hash tells worlds apart.
func (w *world) hash() uint64 {
	h := newHash()
	for i := range w.states {
		h.put(w.hashAt(i))
	}
	w.rest(&h)
	return uint64(h)
}

func b2u(b bool) uint64 {
	if b {
		return 1
	}
	return 0
}

// hash is 64 bits of what is put in (FNV-1a, by words).
type hash uint64

func newHash() hash { return 14695981039346656037 }

func (h *hash) put(v uint64) {
	*h = (*h ^ hash(v)) * 1099511628211
	*h ^= *h >> 29
}

// hashOf is of what a device forwards; and of what VLANs it knows where that decides
// what a port can be.
func hashOf(s *wording.State, known bool) uint64 {
	h := newHash()
	set := func(s *office.Set) {
		for i, x := range s {
			if x != 0 {
				h.put(uint64(i))
				h.put(x)
			}
		}
		h.put(1 << 63)
	}
	if known {
		set(&s.VLANs)
	}
	for i := range s.Ports {
		x := &s.Ports[i]
		set(&x.Untagged)
		set(&x.Tagged)
		h.put(uint64(x.PVID) | uint64(x.Admit)<<16 | b2u(x.Off)<<20 | b2u(x.Filter)<<21)
		for _, r := range x.Rides {
			h.put(uint64(r.VLAN)<<16 | uint64(r.Wire))
		}
	}
	return uint64(h)
}

// word is a device with its wording, on the ports that it has now.
func (w *world) word(i int) *wording.Device { return wording.For(w.n, i) }

// set is the world with a device's ports in another state; the laptop, if its port
// is among them, takes an address in the VLAN that it then is in.
func (w *world) set(i int, next *wording.State) *world {
	c := w.clone()
	c.states[i], c.hashes[i], c.knows[i] = next, 0, 0
	d := w.o.Devices[i]
	draft := office.NewDraft(w.o)
	changed := false
	for q := range d.Ports {
		if d.Ports[q].Bundle > 0 || next.Ports[q].Alike(&w.states[i].Ports[q]) {
			continue
		}
		shape := next.Ports[q].Shape()
		if err := draft.Set(office.PortRef{Device: d.Name, Port: d.Ports[q].Name}, &shape, ""); err != nil {
			return nil
		}
		changed = true
	}
	c.dirty[i] = true
	if !changed { // it knows another VLAN, or a shut port is set otherwise
		c.count(i)
		return c
	}
	c.o, _ = draft.Done()
	c.count(i)
	c.n = w.n.Update(c.o)
	c.follow(i)
	c.judge()
	return c
}

// follow gives the laptop an address where its port is, if a device that it is
// plugged into was set.
func (c *world) follow(i int) {
	if c.at.console || c.at.away || c.at.dev != i || c.at.tagged {
		return
	}
	d := c.o.Devices[i]
	q := d.Port(c.at.port)
	if q < 0 || d.Unaware() {
		return
	}
	q = d.Logical(q)
	if c.n.Gives(i, q, c.at.vid, false) {
		return
	}
	if v := c.n.Tables[i].Ports[q].PVID; v != 0 && c.n.Gives(i, q, v, false) {
		c.at.vid = v
	}
}

// plug is the laptop's, where it is now; false at a console.
func (w *world) plug() (x office.Plug, ok bool) {
	if w.at.console || w.at.away {
		return x, false
	}
	if w.atHome() {
		return w.p.home, true
	}
	x = w.p.laptop
	x.Port, x.Wants, x.Tagged = office.PortRef{Device: w.o.Devices[w.at.dev].Name, Port: w.at.port}, w.at.vid, w.at.tagged
	if x.Port != w.p.laptop.Port || x.Wants != w.p.laptop.Wants {
		x.At = netip.Addr{} // it is given one there
	}
	return x, true
}

// walk is the world with the operator elsewhere.
func (w *world) walk(at spot) *world {
	c := w.clone()
	c.at = at
	c.reach = map[int]bool{}
	return c
}

// carry is the world with a task done; nil where it cannot be.
func (w *world) carry(t *task) *world {
	c := w.clone()
	c.tasks[t.at] = true
	switch {
	case t.device != nil:
		d := w.o.Devices[t.dev].Clone()
		names := map[string]wording.Setting{}
		if t.inner && w.p.words[t.dev] != nil {
			for q := range d.Ports {
				if d.Ports[q].Bundle == 0 {
					names[d.Ports[q].Name] = w.states[t.dev].Ports[q]
				}
			}
		}
		t.device(d)
		d.Seal()
		o := *w.o
		o.Devices = slices.Clone(w.o.Devices)
		o.Devices[t.dev] = d
		if t.others != nil {
			t.others(o.Devices)
		}
		c.o = &o
		c.n = w.n.Update(&o)
		c.dirty[t.dev] = c.dirty[t.dev] || t.kind != CableStep
		c.risky[t.dev] = c.risky[t.dev] || t.risky
		if t.inner && w.p.words[t.dev] != nil {
			s := wording.State{Ports: make([]wording.Setting, len(d.Ports))}
			for q := range d.Ports {
				if d.Ports[q].Bundle > 0 {
					continue
				}
				x, ok := names[d.Ports[q].Name]
				if !ok || d.Ports[q].Shape != nil && !wording.Of(d.Ports[q].Shape).Equal(x) {
					x = wording.Of(d.Ports[q].Shape)
				}
				s.Ports[q] = x
			}
			s = s.With(0, s.Ports[0]).Knowing(w.states[t.dev].VLANs)
			c.states[t.dev] = &s
			c.hashes[t.dev], c.knows[t.dev] = 0, 0
		}
	case len(t.plugs)+len(t.pulls) > 0:
		o := *w.o
		o.Cables = nil
		for _, x := range w.o.Cables {
			if !slices.ContainsFunc(t.pulls, x.Same) {
				o.Cables = append(o.Cables, x)
			}
		}
		o.Cables = append(o.Cables, t.plugs...)
		w.p.unplugged(&o)
		c.o = &o
		c.n = w.n.Update(&o)
	}
	c.count(t.dev)
	if t.manage && w.p.cut[t.dev] {
		c.dirty[t.dev] = false // nobody can save it
	}
	if t.routes || len(t.plugs)+len(t.pulls) > 0 && w.p.routes(t) {
		c.breaks = w.p.across.look(c.n)
	}
	c.settle()
	return c
}

// unplugged has a device that another one takes the place of be at no address any more once
// it has no cable: the same addresses are the new one's.
func (p *problem) unplugged(o *office.Office) {
	if len(p.old) == 0 {
		return
	}
	o.Devices = slices.Clone(o.Devices)
	for i, d := range o.Devices {
		cabled := slices.ContainsFunc(o.Cables, func(c office.Cable) bool { return c.A.Device == d.Name || c.B.Device == d.Name })
		if p.old[d.Name] && !cabled && len(d.Addresses)+len(d.Outsides) > 0 {
			x := d.Clone()
			x.Addresses, x.Outsides, x.Routes, x.Rules = nil, nil, nil, nil
			o.Devices[i] = x.Seal()
		}
	}
}

// reaches says whether the operator reaches a device's management as things are,
// or stands at its console.
func (w *world) reaches(i int) bool {
	if ok, known := w.reach[i]; known {
		return ok
	}
	ok := w.reachable(i)
	w.reach[i] = ok
	return ok
}

func (w *world) reachable(i int) bool {
	switch {
	case w.at.away:
		return false
	case w.at.console:
		return w.at.dev == i
	}
	d := w.o.Devices[i]
	if d.Manage == nil {
		return false
	}
	plug, _ := w.plug()
	return w.reachedBy(&plug, i)
}

// reachedBy says whether a laptop plugged in somewhere reaches a device.
func (w *world) reachedBy(plug *office.Plug, i int) bool {
	here := reach.Plug(w.n, plug)
	return here != nil && w.manage.Stops(plug.Wants, here, plug.At, i) == nil
}

// routes says whether something leads out of a VLAN.
func (w *world) routes(v office.VID) bool { return w.n.Gateways().First(v).Is() }

// wouldReach says whether the operator could reach a device as things are if it were
// managed in another VLAN.
func (w *world) wouldReach(i int, v office.VID) bool {
	plug, ok := w.plug()
	if !ok || w.routes(plug.Wants) {
		return true // that is for a closer look
	}
	here := reach.Plug(w.n, &plug)
	return slices.ContainsFunc(w.n.Standing(i, v, ""), func(x span.Place) bool { return here != nil && x.Span == here[0].Span })
}

// by is how the operator reaches a device.
func (w *world) by(i int) By {
	switch {
	case w.at.console:
		return AtConsole
	case w.at.dev == i || w.at.away:
		return AtPort
	}
	return OverNetwork
}

// console says whether one may stand at a device without a way over the network:
// it has a console, or nobody said where it is managed.
func (w *world) console(i int) bool {
	d := w.o.Devices[i]
	return d.Console || d.Manage == nil || w.p.was.n.Office.Devices[i].Manage == nil
}

// severs says whether a state of a device takes the laptop's VLAN off a cable that
// alone leads to a device with steps left that is managed in it, or has one end of
// it say the VLAN otherwise than the other: that is seen without working anything
// out.
func (w *world) severs(i int, next *wording.State) bool {
	if w.at.console || w.at.away {
		return false
	}
	v := w.at.vid
	for q := range next.Ports {
		now, then := &w.states[i].Ports[q], &next.Ports[q]
		if now.Alike(then) {
			continue
		}
		for _, l := range w.n.Topo.LinksAt(i, q) {
			if w.crosses(now, v, i, q, l) && !w.crosses(then, v, i, q, l) && w.carries(l) {
				return true
			}
		}
	}
	return false
}

// crosses says whether a VLAN goes both ways over a link that a port set so is at.
func (w *world) crosses(x *wording.Setting, v office.VID, dev, port, link int) bool {
	untagged := x.Untagged.Has(v)
	switch {
	case x.Off || !untagged && !x.Tagged.Has(v):
		return false
	case len(x.Rides) > 0 || !w.plainly(dev):
		return true
	}
	wire := bridge.Wire(v)
	if untagged {
		wire = bridge.Untagged
	}
	for _, e := range w.n.Topo.Across(link, dev, port) {
		far := w.n.Tables[e.Dev]
		in, why := far.Ingress(e.Port, wire)
		if w.plainly(e.Dev) && (why != bridge.Passed || in.VID != v) {
			return false
		}
		back, out := far.Egress(in, e.Port)
		if w.plainly(e.Dev) && (!out || back == bridge.Untagged && (x.PVID != v || x.Admit == office.AdmitTagged) || back != bridge.Untagged && (back != bridge.Wire(v) || x.Admit == office.AdmitUntagged)) {
			return false
		}
	}
	return true
}

// plainly says whether a device takes a VLAN's tag for its VLAN, and for no group.
func (w *world) plainly(dev int) bool {
	d := w.o.Devices[dev]
	return !d.Unaware() && d.Forwarding != office.Grouped
}

// carries says whether a device with steps left that is managed in the laptop's VLAN
// is beyond a link, as seen from the laptop.
func (w *world) carries(link int) bool {
	if w.beyond == nil {
		w.beyond = w.findBeyond()
	}
	return w.beyond[link]
}

func (w *world) findBeyond() []bool {
	t := w.n.Topo
	out := make([]bool, len(t.Links))
	links := make([]int, len(t.Blocks)+1) // of each block; the last of those in none
	for l := range t.Links {
		links[blockOf(t, l)]++
	}
	// Each device by the link that leads to it.
	seen := make([]bool, len(w.o.Devices))
	by := make([]int, len(w.o.Devices))
	from := make([]int, len(w.o.Devices))
	seen[w.at.dev], by[w.at.dev] = true, -1
	order := []int{w.at.dev}
	for k := 0; k < len(order); k++ {
		for l := range t.Links {
			for _, e := range [][2]int{{t.Links[l].A.Dev, t.Links[l].B.Dev}, {t.Links[l].B.Dev, t.Links[l].A.Dev}} {
				if e[0] == order[k] && !seen[e[1]] {
					seen[e[1]], by[e[1]], from[e[1]] = true, l, e[0]
					order = append(order, e[1])
				}
			}
		}
	}
	for _, i := range order {
		m := w.o.Devices[i].Manage
		if m == nil || m.VID != w.at.vid || !w.open(i) || !w.reaches(i) {
			continue
		}
		for k := i; by[k] >= 0; k = from[k] {
			out[by[k]] = links[blockOf(t, by[k])] == 1 // no ring has another way
		}
	}
	return out
}

// blockOf is the block of a link, one more than there are for a link in none.
func blockOf(t *graph.Topology, link int) int {
	if b := t.BlockOf(link); b >= 0 {
		return b
	}
	return len(t.Blocks)
}

// spots lists where the operator could go to reach a device, the next best first:
// a port of a device that is near, one of its own, its console.
func (w *world) spots(i int) (out []spot) {
	w.eachSpot(i, func(at spot) bool {
		out = append(out, at)
		return true
	})
	if w.console(i) {
		out = append(out, spot{dev: i, console: true})
	}
	return out
}

// eachSpot yields the ports from which a device is reached, one a span.
func (w *world) eachSpot(i int, yield func(spot) bool) {
	if w.o.Devices[i].Manage == nil {
		return
	}
	seen := map[span.Place]bool{}
	there := *w
	for _, dev := range w.nearby(i) {
		for _, at := range w.free(dev) {
			x := span.Node{Hub: w.n.Topo.HubOf(dev, w.o.Devices[dev].Port(at.port)), Label: span.Label(at.vid)}
			here := reach.Whole(span.Place{Span: w.n.SpanOf(x), Node: x})
			if here.Span == nil || seen[here] {
				continue
			}
			seen[here] = true
			there.at = at
			plug, _ := there.plug()
			if there.reachedBy(&plug, i) && !yield(at) {
				return
			}
		}
	}
}

// alive says whether every device that has steps left is reached, or could be by
// going somewhere: nobody is locked out.
func (w *world) alive() bool {
	for i := range w.left {
		if w.open(i) && !w.reaches(i) && !w.console(i) && !w.walkable(i) {
			return false
		}
	}
	return true
}

func (w *world) walkable(i int) bool {
	ok := false
	w.eachSpot(i, func(spot) bool {
		ok = true
		return false
	})
	return ok
}

// nearby is the devices whose ports are tried: where the laptop is and is to be,
// the device itself, and all others.
func (w *world) nearby(i int) []int {
	list := []int{w.at.dev, w.n.Topo.DeviceIndex(w.p.home.Port.Device), i}
	for k := range w.o.Devices {
		list = append(list, k)
	}
	var out []int
	for _, k := range list {
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// free lists the ports of a device that the laptop could go to, one a VLAN: those
// that it is or was planned for first.
func (w *world) free(dev int) (out []spot) {
	d := w.o.Devices[dev]
	if d.Unaware() {
		return nil
	}
	taken := map[string]bool{}
	for _, x := range []*origin{w.p.was, w.p.plan} {
		for _, plug := range x.from.Office.Plugs {
			if plug.Port.Device == d.Name && !plug.Operator {
				taken[plug.Port.Port] = true
			}
		}
	}
	for _, c := range w.p.plan.n.Office.Cables { // what is to be cabled stays free for that
		for _, r := range []office.PortRef{c.A, c.B} {
			if r.Device == d.Name {
				taken[r.Port] = true
			}
		}
	}
	var at []int
	for q := range d.Ports {
		name := d.Ports[q].Name
		if d.Ports[q].Kind != office.Physical || d.Ports[q].Bundle > 0 || taken[name] || len(w.n.Topo.LinksAt(dev, q)) > 0 {
			continue
		}
		own := d.Name == w.p.home.Port.Device && name == w.p.home.Port.Port || d.Name == w.p.laptop.Port.Device && name == w.p.laptop.Port.Port
		if own {
			at = append([]int{q}, at...)
		} else {
			at = append(at, q)
		}
	}
	var vids office.Set
	for _, q := range at {
		v := w.n.Tables[dev].Ports[q].PVID
		if v == 0 || vids.Has(v) || !w.n.Gives(dev, q, v, false) {
			continue
		}
		vids.Add(v)
		out = append(out, spot{dev: dev, port: d.Ports[q].Name, vid: v})
	}
	return out
}
