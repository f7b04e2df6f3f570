package order

import (
	"container/heap"
	"fmt"
	"maps"
	"slices"
	"strings"

	"klammer/core/office"
	"klammer/core/wording"
)

// node is a point of a way.
type node struct {
	prev  *node
	w     *world
	act   act
	price Price
	dev   int   // of the visit; -1 before the first
	blind []int // devices out of reach since a step took the way to them
	depth int
	h     uint64
	since int // acts since the search began that this node is of
}

// then is the point after an act.
func (n *node) then(a act, to *world) *node {
	m := &node{prev: n, w: to, act: a, price: n.price, dev: a.dev, depth: n.depth + 1, since: n.since + 1}
	m.price.Steps++
	if a.dev != n.dev || a.kind == Laptop { // one sitting, from one place
		m.price.Visits++
	}
	m.price.Rings += to.v.rings()
	m.price.Leaks += to.v.leaks
	m.price.Interrupted += to.v.cut
	if a.kind == Laptop {
		m.price.Walks++
		for _, i := range n.blind {
			if to.open(i) && !to.reaches(i) {
				m.blind = append(m.blind, i)
			}
		}
		return m
	}
	m.price.Blind += len(n.blind)
	for i := range to.left {
		if to.open(i) && !to.reaches(i) && (slices.Contains(n.blind, i) || n.w.open(i) && n.w.reaches(i)) {
			m.blind = append(m.blind, i)
		}
	}
	return m
}

// clean says whether nobody suffers at m who did not at n.
func (m *node) clean(n *node) bool {
	return len(m.blind) == 0 && !m.w.harms(n.w) && m.w.v.mixed <= n.w.v.mixed && m.w.alive()
}

// leave saves what runs on the device of the visit, after a look where a step was
// risky, if it can be reached.
func (n *node) leave() *node {
	i := n.dev
	if i < 0 || !n.w.dirty[i] || !n.w.reaches(i) || n.w.v.cut > 0 || n.w.oneSided(i) { // who is cut off does not wait for that
		return n
	}
	return n.save(i)
}

func (n *node) save(i int) *node {
	d := n.w.o.Devices[i]
	if n.w.risky[i] && d.Manage != nil && !n.w.at.console {
		text := "Reach the management of " + d.Name
		if d.Manage.Addr.IsValid() {
			text += " at " + d.Manage.Addr.String()
		}
		c := n.w.clone()
		n = n.then(act{kind: Check, dev: i, page: "Management", text: text + fmt.Sprintf(" (VLAN %s)", n.w.n.Name(d.Manage.VID))}, c)
	}
	c := n.w.clone()
	c.dirty[i], c.risky[i] = false, false
	return n.then(act{kind: Save, dev: i, page: "Device", text: "Save, so that it stays after a power cut"}, c)
}

// run does all on a device that harms nobody. It gives n itself where there is
// nothing.
func (n *node) run(i int) *node {
	p := n.w.p
	if i != n.dev {
		n = n.leave()
	}
	start := n
	if !n.w.reaches(i) {
		return start
	}
	for again := true; again && n.w.left[i] > 0; {
		again = false
		for _, t := range p.tasks {
			if t.dev != i || !n.w.due(t) || t.manage && t.to != nil && !p.cut[i] && !n.w.wouldReach(i, t.to.VID) {
				continue
			}
			key := badKey{i, ^uint64(t.at)}
			if n.w.spoilt(key) {
				continue
			}
			to := n.w.carry(t)
			if m := n.try(&trial{act: act{kind: t.kind, dev: i, page: t.page, text: t.text, task: t, risky: t.risky}, to: to}); m != nil {
				n, again = m, true
			} else {
				n.w.learn(key, to.harms(n.w) || to.v.mixed > n.w.v.mixed)
			}
		}
		if p.words[i] == nil || n.w.settled(i) {
			continue
		}
		for at := level(levels - 1); at >= 0; at-- {
			if m := n.page(i, at); m != n {
				n, again = m, true
			}
		}
	}
	if n != start && p.cut[i] && n.w.left[i] == 1 && n.w.dirty[i] { // its management comes last, and on its own
		return n.save(i)
	}
	return n
}

// page does the steps of a level on a device that harm nobody; where one would,
// for as many ports as it does not.
func (n *node) page(i int, at level) *node {
	for range 64 {
		before := n
		if !n.w.reaches(i) { // its last step took the way to it
			return n
		}
		for _, st := range n.w.pages(i, at, nil) {
			m, ports := n.step(i, st)
			if m != nil {
				n = m
				break
			}
			if len(ports) < 2 {
				continue
			}
			if m := n.part(i, at, st.Where, ports); m != nil {
				n = m
				break
			}
		}
		if n == before {
			return n
		}
	}
	return n
}

// part does a page for those of its ports that it harms nobody for.
func (n *node) part(i int, at level, page string, ports []int) *node {
	one := func(ports []int) *node {
		for _, st := range n.w.pages(i, at, ports) {
			if st.Where == page {
				if m, _ := n.step(i, st); m != nil {
					return m
				}
			}
		}
		return nil
	}
	var good []int
	var first *node
	for _, class := range n.w.classes(i, ports) {
		if m := one(class); m != nil {
			good = append(good, class...)
			if first == nil {
				first = m
			}
		}
	}
	if len(good) < len(ports) {
		slices.Sort(good)
		if m := one(good); m != nil && good != nil {
			return m
		}
	}
	return first
}

// step is the point after a step of a device's wording, if it harms nobody; else
// nil, with the ports that it would set. What harmed somebody before is not tried
// again as long as the device, its neighbours and the laptop are as they were: see
// [problem.bad].
func (n *node) step(i int, st wording.Step) (*node, []int) {
	a := n.w.state(i, st)
	switch {
	case n.w.early(i, st):
		return nil, nil
	case a.state == nil: // it may take it for some
		return nil, n.w.touches(i, st)
	}
	key := badKey{i, a.hash}
	if !n.w.severs(i, a.state) && !n.w.spoilt(key) {
		if t := n.w.applied(i, st, a.state, a.text); t != nil {
			n.w.p.tries++
			harms := t.to.harms(n.w) || t.to.v.mixed > n.w.v.mixed
			if !harms {
				if m := n.then(t.act, t.to); m.clean(n) && !n.been(m.hash()) {
					return m, nil
				}
			}
			n.w.learn(key, harms)
		}
	}
	var ports []int
	for q := range a.state.Ports {
		if !a.state.Ports[q].Alike(&n.w.states[i].Ports[q]) {
			ports = append(ports, q)
		}
	}
	return nil, ports
}

// touches lists the ports that a step would set otherwise.
func (w *world) touches(i int, st wording.Step) []int {
	if st.Op != wording.Page {
		return st.Ports
	}
	var ports []int
	for q := range w.states[i].Ports {
		x := &w.states[i].Ports[q]
		if x.Untagged.Has(st.VLAN) != slices.Contains(st.Untagged, q) || x.Tagged.Has(st.VLAN) != slices.Contains(st.Tagged, q) {
			ports = append(ports, q)
		}
	}
	return ports
}

// early says whether a step takes a VLAN off a port that is tagged there until it
// can be untagged: that is for when it can.
func (w *world) early(i int, st wording.Step) bool {
	return st.Op == wording.Leave && st.Then == nil && slices.ContainsFunc(st.Ports, func(q int) bool {
		to := w.target(i, q)
		return to.Untagged.Has(st.VLAN) && w.states[i].Ports[q].Tagged.Has(st.VLAN)
	})
}

type badKey struct {
	dev  int
	next uint64
}

// bad is why a state of a device was not gone to: somebody was harmed, with what
// was around then; or somebody was out of reach.
type bad struct {
	harms  bool
	around uint64
}

// spoilt says whether a state of a device is known to be bad here.
func (w *world) spoilt(key badKey) bool {
	x, ok := w.p.bad[key]
	return ok && x.around == w.around(key.dev, !x.harms)
}

// harmful says whether it is known to harm somebody here.
func (w *world) harmful(key badKey) bool {
	x, ok := w.p.bad[key]
	return ok && x.harms && x.around == w.around(key.dev, false)
}

func (w *world) learn(key badKey, harms bool) {
	w.p.bad[key] = bad{harms, w.around(key.dev, !harms)}
}

// harms says whether more is cut off or joined than in another office.
func (w *world) harms(than *world) bool {
	return w.v.cut > than.v.cut || w.v.leaks > than.v.leaks || w.v.rings() > than.v.rings()
}

// try is the point after a trial, if it harms nobody.
func (n *node) try(t *trial) *node {
	n.w.p.tries++
	if t.to == nil {
		return nil
	}
	if t.to.harms(n.w) || t.to.v.mixed > n.w.v.mixed {
		return nil
	}
	m := n.then(t.act, t.to)
	if !m.clean(n) || n.been(m.hash()) {
		return nil
	}
	return m
}

// been says whether the way to n passed a point before: what a device does of its
// own accord can lead round in a circle.
func (n *node) been(h uint64) bool {
	for k := n; k != nil; k = k.prev {
		if k.hash() == h {
			return true
		}
	}
	return false
}

func (n *node) hash() uint64 {
	if n.h == 0 {
		n.h = n.w.hash() | 1
	}
	return n.h
}

// flow goes on as long as something can be done that harms nobody: all on one
// device, then the next; the one first that is then ready, else the one where most
// is done.
func (n *node) flow() *node {
	p := n.w.p
	for !n.w.done() && !p.stop() {
		p.progress(n.w)
		if n.dev >= 0 && n.w.left[n.dev] > 0 {
			if m := n.run(n.dev); m != n {
				n = m
				continue
			}
		}
		if m := n.cable(); m != nil {
			n = m
			continue
		}
		var best *node
		gain := 0
		for _, i := range p.order {
			if i == n.dev || n.w.left[i] == 0 || !n.w.reaches(i) {
				continue
			}
			from := n.leave()
			m := n.run(i)
			if m == from || m.depth == from.depth {
				continue
			}
			if m.w.left[i] == 0 || len(p.order) > fewDevices {
				best = m
				break
			}
			if g := n.w.remaining() - m.w.remaining(); best == nil || g > gain {
				best, gain = m, g
			}
		}
		if best != nil {
			n = best
			continue
		}
		saved := n.leave()
		for _, i := range p.order {
			if saved.w.dirty[i] && saved.w.reaches(i) {
				saved = saved.save(i)
			}
		}
		if saved == n {
			return n
		}
		n = saved
	}
	return n
}

// anywhere is what can be done on any device, tried anew.
func (n *node) anywhere() *node {
	for _, i := range n.w.p.order {
		if n.w.left[i] > 0 && n.w.reaches(i) {
			if m := n.run(i); m.depth > n.leave().depth {
				return m
			}
		}
	}
	return nil
}

// cable is the point after an act on a cable that harms nobody.
func (n *node) cable() (out *node) {
	n.w.cables(func(t *trial) bool {
		from := n
		if t.act.dev != n.dev {
			from = n.leave()
			t.to = from.w.carry(t.act.task)
		}
		out = from.try(t)
		return out == nil
	})
	return out
}

// walks lists the points after the operator went elsewhere: to reach what has
// steps left and is out of reach, and home.
func (n *node) walks() (out []*node) {
	n = n.leave()
	seen := map[spot]bool{n.w.at: true}
	for _, i := range n.w.p.order {
		if !n.w.open(i) || n.w.reaches(i) {
			continue
		}
		for _, at := range n.w.spots(i) {
			if !seen[at] {
				seen[at] = true
				out = append(out, n.walk(at, i))
			}
		}
	}
	if home := n.w.homeSpot(); !seen[home] {
		out = append(out, n.walk(home, home.dev))
	}
	return out
}

func (w *world) homeSpot() spot {
	h := w.p.home
	return spot{dev: w.n.Topo.DeviceIndex(h.Port.Device), port: h.Port.Port, vid: h.Wants, tagged: h.Tagged}
}

// walk is the point after the operator went somewhere, to set a device.
func (n *node) walk(at spot, to int) *node {
	w := n.w
	d := w.o.Devices[at.dev]
	var text string
	switch {
	case at.console:
		text = "Go to the console of " + d.Name
		if !d.Console {
			text = fmt.Sprintf("Go to %s and set it where it stands", d.Name)
		}
	case at.dev == w.at.dev && at.port == w.at.port && !w.at.console && !w.at.away:
		text = fmt.Sprintf("The laptop stays at %s %s and takes an address in VLAN %s%s", d.Name, at.port, w.n.Name(at.vid), w.address(at, to))
	default:
		text = fmt.Sprintf("Plug the laptop into %s %s (VLAN %s)%s", d.Name, at.port, w.n.Name(at.vid), w.address(at, to))
	}
	for _, t := range w.p.tasks {
		if t.box && t.dev == at.dev && !w.tasks[t.at] {
			n = n.then(act{kind: CableStep, dev: at.dev, page: t.page, text: t.text, task: t}, w.carry(t))
			w = n.w
		}
	}
	return n.then(act{kind: Laptop, dev: to, page: "Laptop", text: text}, w.walk(at))
}

// onward finds how to go on where nothing can be done at once that harms nobody:
// elsewhere, by a step after which the operator has to go to a device, or with
// somebody cut off for as short as can be.
func (n *node) onward() *node {
	walks := n.walks()
	for _, m := range walks { // go elsewhere, and something can be done there
		if m.w.done() {
			return m
		}
		for _, i := range n.w.p.order {
			if m.w.left[i] > 0 && m.w.reaches(i) {
				if k := m.run(i); k.depth > m.depth && k.w.remaining() < n.w.remaining() {
					if i == m.dev { // that is what would be done there next
						return k
					}
					return m
				}
			}
			if m.w.left[i] == 0 && m.w.dirty[i] && m.w.reaches(i) {
				return m
			}
		}
	}
	if m := n.parting(); m != nil {
		return m
	}
	for _, m := range walks {
		if k := m.parting(); k != nil {
			return k
		}
	}
	if m := n.standing(); m != nil {
		return m
	}
	if len(n.w.p.bad) > 0 { // something far away may have changed
		clear(n.w.p.bad)
		if m := n.leave().anywhere(); m != nil {
			return m
		}
	}
	return n.force()
}

// standing is a step on a device that the operator goes to first, although he
// reaches it from where he is: it takes his way to others, to whom he then goes.
func (n *node) standing() *node {
	from := n.leave()
	for _, i := range n.w.p.order {
		if n.w.left[i] == 0 || !n.w.reaches(i) || n.w.at.dev == i || n.w.o.Devices[i].Manage == nil {
			continue
		}
		for _, at := range n.w.free(i) {
			m := from.walk(at, i)
			if !m.w.reaches(i) || !m.clean(n) {
				continue
			}
			if k := m.run(i); k.w.remaining() < n.w.remaining() {
				return m
			}
			if k := m.partingAt([]int{i}); k != nil {
				return k
			}
		}
	}
	return nil
}

// parting is a step after which the operator reaches a device no more and goes to
// where he does; nobody else is harmed. Management that moves comes first.
func (n *node) parting() *node { return n.partingAt(n.w.p.order) }

func (n *node) partingAt(devices []int) *node {
	if m := n.partingBy(devices, func(w *world, i int, each func(*trial) bool) { w.acts(i, each) }); m != nil {
		return m
	}
	return n.partingBy(devices, func(w *world, i int, each func(*trial) bool) { w.settings(i, true, each) })
}

func (n *node) partingBy(devices []int, trials func(w *world, i int, each func(*trial) bool)) (out *node) {
	for _, i := range devices {
		if n.w.left[i] == 0 || !n.w.reaches(i) {
			continue
		}
		from := n
		if i != n.dev {
			from = n.leave()
		}
		trials(from.w, i, func(t *trial) bool {
			n.w.p.tries++
			if t.to.harms(n.w) || t.to.v.mixed > n.w.v.mixed {
				if t.act.task == nil && t.to.harms(n.w) {
					from.w.learn(badKey{i, t.next}, true)
				}
				return true
			}
			m := from.then(t.act, t.to)
			if len(m.blind) == 0 || m.w.remaining() >= n.w.remaining() {
				return true
			}
			for _, at := range m.w.spots(m.blind[0]) {
				if k := m.walk(at, m.blind[0]); k.clean(n) {
					out = k
					return false
				}
			}
			return true
		})
		if out != nil {
			return out
		}
	}
	return nil
}

// queue is points by their price; of equals the one found first.
type queue []*queued

type queued struct {
	*node
	seq int
}

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	if c := q[i].price.Compare(q[j].price); c != 0 {
		return c < 0
	}
	return q[i].seq < q[j].seq
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(*queued)) }
func (q *queue) Pop() any {
	old := *q
	x := old[len(old)-1]
	*q = old[:len(old)-1]
	return x
}

// What a search for the least harm looks at before it takes the best that it has.
const (
	fewDevices = 8 // as many are all tried before one is chosen
	mostTries  = 1500
	mostDepth  = 6
	rootsMost  = 8
)

// force takes the cheapest few acts after which nobody suffers who does not now and
// something is done: the price of each point is what it cost to get there.
func (n *node) force() *node {
	p := n.w.p
	root := *n
	root.since = 0
	n = &root
	q := &queue{}
	seq := 0
	push := func(m *node) {
		seq++
		heap.Push(q, &queued{m, seq})
	}
	push(n)
	best := map[uint64]Price{n.w.hash(): n.price}
	left := n.w.remaining()
	var fall *node
	tries := p.tries
	for q.Len() > 0 && p.tries-tries < mostTries && !p.stop() {
		m := heap.Pop(q).(*queued).node
		if m.since > 0 && m.clean(n) && m.w.remaining() < left && !n.been(m.hash()) {
			return m
		}
		if m.since >= mostDepth {
			continue
		}
		add := func(k *node) {
			h := k.w.hash()
			for _, d := range k.w.dirty {
				h = h*2 + b2u(d)
			}
			for _, i := range k.blind {
				h = h*31 + uint64(i) + 1
			}
			if old, ok := best[h]; ok && old.Compare(k.price) <= 0 {
				return
			}
			best[h] = k.price
			// What is dear may not come to its turn, and is better than no way on.
			if k.since > 0 && (fall == nil || k.price.Compare(fall.price) < 0) && k.w.remaining() < left && k.w.alive() {
				fall = k
			}
			push(k)
		}
		roots := 0
		for _, i := range p.order {
			if m.w.left[i] == 0 || !m.w.reaches(i) || m.since > 0 && !m.near(n, i) {
				continue
			}
			if m.since == 0 {
				if roots++; roots > rootsMost {
					break
				}
			}
			from := m
			if i != m.dev && m.since == 0 {
				from = m.leave()
				from.since = 0
			}
			from.w.trials(i, func(t *trial) bool {
				p.tries++
				add(from.then(t.act, t.to))
				return true
			})
		}
		from := m
		if m.since == 0 {
			from = m.leave()
			from.since = 0
		}
		from.w.cables(func(t *trial) bool {
			p.tries++
			add(from.then(t.act, t.to))
			return true
		})
		for _, k := range m.walks() {
			k.since = m.since + 1
			add(k)
		}
		for _, i := range p.order { // to stand at a device that he reaches from afar
			if m.w.left[i] == 0 || m.w.at.dev == i || !m.w.reaches(i) || m.since > 0 && !m.near(n, i) || len(p.order) > fewDevices {
				continue
			}
			for _, at := range m.w.free(i) {
				k := m.leave().walk(at, i)
				if k.w.reaches(i) {
					k.since = m.since + 1
					add(k)
				}
			}
		}
		for i := range m.w.dirty { // a device that has its last look and saving left
			if m.since > 0 && m.w.dirty[i] && m.w.left[i] == 0 && m.w.reaches(i) {
				k := m.save(i)
				k.since = m.since + 1
				add(k)
			}
		}
	}
	return fall
}

// near says whether a device is where the acts since n were, or beside.
func (m *node) near(n *node, i int) bool {
	for k := m; k != nil && k.since > 0; k = k.prev {
		if k.act.dev == i || k.act.kind == Laptop || k.act.kind == CableStep {
			return true
		}
		for _, l := range m.w.n.Topo.Links {
			a, b := l.A.Dev, l.B.Dev
			if a == i && m.beside(b, k.act.dev) || b == i && m.beside(a, k.act.dev) {
				return true
			}
		}
	}
	return false
}

// beside says whether a device is another, or one that knows no tags in between.
func (m *node) beside(a, b int) bool {
	if a == b {
		return true
	}
	if !m.w.o.Devices[a].Unaware() {
		return false
	}
	for _, l := range m.w.n.Topo.Links {
		if l.A.Dev == a && l.B.Dev == b || l.B.Dev == a && l.A.Dev == b {
			return true
		}
	}
	return false
}

// solve finds the way.
func (p *problem) solve() (*node, error) {
	w := p.start()
	n := &node{w: w, dev: -1}
	for !p.stop() {
		n = n.flow()
		if n.w.done() {
			return n, nil
		}
		m := n.onward()
		if m == nil {
			return nil, p.against(n)
		}
		n = m
	}
	return nil, ErrStopped
}

// against says why there is no way on.
func (p *problem) against(n *node) error {
	var why []Reason
	for i := range n.w.left {
		if n.w.open(i) {
			p.stuck = append(p.stuck, i)
		}
	}
	for i, d := range n.w.o.Devices {
		if !n.w.open(i) || n.w.reaches(i) {
			continue
		}
		if len(n.w.spots(i)) == 0 {
			text := fmt.Sprintf("Nothing reaches %s: ", d.Name)
			if d.Manage != nil {
				text += fmt.Sprintf("it is managed in VLAN %s, where no way leads from %s, and no free port of it is in that VLAN. Say that it has a console (%s console), or free a port there.", n.w.n.Name(d.Manage.VID), portText(p.laptop.Port), d.Name)
				if p.cut[i] {
					text += " As planned nothing reaches it either (management-cut): bring that VLAN to it, and the way there can be taken first."
				}
			} else {
				text += fmt.Sprintf("nobody said where it is managed; say so, as in %s manage 190, or that it has a console.", d.Name)
			}
			why = append(why, Reason{d.Name, text})
		}
	}
	if why == nil {
		for i, d := range n.w.o.Devices {
			if n.w.left[i] > 0 && p.cut[i] {
				m := p.plan.n.Office.Devices[i].Manage
				why = append(why, Reason{d.Name, fmt.Sprintf("As planned nothing reaches %s in VLAN %s (management-cut), and on the way there %s is left to do. Bring that VLAN to it, or say that it has a console (%s console).", d.Name, n.w.n.Name(m.VID), n.w.differs(i), d.Name)})
				continue
			}
			if n.w.left[i] > 0 {
				why = append(why, Reason{d.Name, n.w.halts(i)})
			}
		}
		for _, t := range p.tasks {
			if t.kind == CableStep && !n.w.tasks[t.at] && why == nil {
				why = append(why, Reason{n.w.o.Devices[t.dev].Name, t.text + ": its ends do not get ready."})
			}
		}
	}
	if why == nil {
		why = []Reason{{"", "No way was found on."}}
	}
	return &Impossible{Reasons: why}
}

// halts says why no step on a device leads on: it accepts none; or those that it accepts
// take the way to a device that has steps left, and nobody can go there.
func (w *world) halts(i int) string {
	d, left := w.o.Devices[i].Name, w.remaining()
	accepted := false
	lost := map[string]bool{}
	w.trials(i, func(t *trial) bool {
		if t.to == nil || t.to.remaining() >= left {
			return true
		}
		accepted = true
		for k := range t.to.left {
			if t.to.open(k) && !t.to.reaches(k) && !t.to.console(k) && !t.to.walkable(k) {
				lost[w.o.Devices[k].Name] = true
			}
		}
		return true
	})
	switch {
	case !accepted:
		return fmt.Sprintf("%s accepts no step that leads on from %s.", d, w.differs(i))
	case len(lost) == 0:
		return fmt.Sprintf("On %s no step was found that leads on from %s and is safe.", d, w.differs(i))
	}
	names := slices.Sorted(maps.Keys(lost))
	return fmt.Sprintf("Whatever is set on %s next, from %s, takes the way to %s, and nobody can go there: say that it has a console (%s console), or free a port of it in its management's VLAN.", d, w.differs(i), strings.Join(names, " and "), names[0])
}

func portText(r office.PortRef) string { return r.Device + " " + r.Port }
