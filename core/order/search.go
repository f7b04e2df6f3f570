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
	world *world
	act   act
	price Price
	dev   int   // of the visit; -1 before the first
	blind []int // devices out of reach since a step took the way to them
	depth int
	h     uint64
	since int // acts since the search began that this node is of
}

// then is the point after an act.
func (n *node) then(act act, to *world) *node {
	one := &node{prev: n, world: to, act: act, price: n.price, dev: act.dev, depth: n.depth + 1, since: n.since + 1}
	one.price.Steps++
	if act.dev != n.dev || act.kind == Laptop { // one sitting, from one place
		one.price.Visits++
	}
	one.price.Rings += to.verdict.rings()
	one.price.Leaks += to.verdict.leaks
	one.price.Interrupted += to.verdict.cut
	if act.kind == Laptop {
		one.price.Walks++
		for _, i := range n.blind {
			if to.open(i) && !to.reaches(i) {
				one.blind = append(one.blind, i)
			}
		}
		return one
	}
	one.price.Blind += len(n.blind)
	for i := range to.left {
		if to.open(i) && !to.reaches(i) && (slices.Contains(n.blind, i) || n.world.open(i) && n.world.reaches(i)) {
			one.blind = append(one.blind, i)
		}
	}
	return one
}

// clean says whether nobody suffers at m who did not at node.
func (m *node) clean(node *node) bool {
	return len(m.blind) == 0 && !m.world.harms(node.world) && m.world.verdict.mixed <= node.world.verdict.mixed && m.world.alive()
}

// leave saves what runs on the device of the visit, after a look where a step was
// risky, if it can be reached.
func (n *node) leave() *node {
	i := n.dev
	if i < 0 || !n.world.dirty[i] || !n.world.reaches(i) || n.world.verdict.cut > 0 || n.world.oneSided(i) { // who is cut off does not wait for that
		return n
	}
	return n.save(i)
}

// save is a place after device i was saved. Where the last thing done there could have cut its
// management off and one sits elsewhere, its management is looked at first: what is saved survives
// a power cut, and a mistake that is not saved is undone by one.
func (n *node) save(i int) *node {
	device := n.world.office.Devices[i]
	if n.world.risky[i] && device.Manage != nil && !n.world.at.console {
		text := "Reach the management of " + device.Name
		if device.Manage.Addr.IsValid() {
			text += " at " + device.Manage.Addr.String()
		}
		world := n.world.clone()
		n = n.then(act{kind: Check, dev: i, page: "Management", text: text + fmt.Sprintf(" (VLAN %s)", n.world.net.Name(device.Manage.VID))}, world)
	}
	one := n.world.clone()
	one.dirty[i], one.risky[i] = false, false
	return n.then(act{kind: Save, dev: i, page: "Device", text: "Save, so that it stays after a power cut"}, one)
}

// run does all on a device that harms nobody. It gives n itself where there is
// nothing.
//
// Many branches: tasks and pages are tried again as long as one of them brings something.
func (n *node) run(i int) *node {
	problem := n.world.problem
	if i != n.dev {
		n = n.leave()
	}
	start := n
	if !n.world.reaches(i) {
		return start
	}
	for again := true; again && n.world.left[i] > 0; {
		again = false
		for _, task := range problem.tasks {
			if task.dev != i || !n.world.due(task) || task.manage && task.to != nil && !problem.cut[i] && !n.world.wouldReach(i, task.to.VID) {
				continue
			}
			key := badKey{i, ^uint64(task.at)}
			if n.world.spoilt(key) {
				continue
			}
			to := n.world.carry(task)
			if node := n.try(&trial{act: act{kind: task.kind, dev: i, page: task.page, text: task.text, task: task, risky: task.risky}, to: to}); node != nil {
				n, again = node, true
			} else {
				n.world.learn(key, to.harms(n.world) || to.verdict.mixed > n.world.verdict.mixed)
			}
		}
		if problem.words[i] == nil || n.world.settled(i) {
			continue
		}
		for at := level(levels - 1); at >= 0; at-- {
			if node := n.page(i, at); node != n {
				n, again = node, true
			}
		}
	}
	if n != start && problem.cut[i] && n.world.left[i] == 1 && n.world.dirty[i] { // its management comes last, and on its own
		return n.save(i)
	}
	return n
}

// page does the steps of a level on a device that harm nobody; where one would,
// for as many ports as it does not.
func (n *node) page(i int, at level) *node {
	for range 64 {
		before := n
		if !n.world.reaches(i) { // its last step took the way to it
			return n
		}
		for _, st := range n.world.pages(i, at, nil) {
			node, ports := n.step(i, st)
			if node != nil {
				n = node
				break
			}
			if len(ports) < 2 {
				continue
			}
			if one := n.part(i, at, st.Where, ports); one != nil {
				n = one
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
		for _, st := range n.world.pages(i, at, ports) {
			if st.Where == page {
				if node, _ := n.step(i, st); node != nil {
					return node
				}
			}
		}
		return nil
	}
	var good []int
	var first *node
	for _, class := range n.world.classes(i, ports) {
		if node := one(class); node != nil {
			good = append(good, class...)
			if first == nil {
				first = node
			}
		}
	}
	if len(good) < len(ports) {
		slices.Sort(good)
		if node := one(good); node != nil && good != nil {
			return node
		}
	}
	return first
}

// step is the point after a step of a device's wording, if it harms nobody; else
// nil, with the ports that it would set. What harmed somebody before is not tried
// again as long as the device, its neighbours and the laptop are as they were: see
// [problem.bad].
func (n *node) step(i int, st wording.Step) (*node, []int) {
	after := n.world.state(i, st)
	switch {
	case n.world.early(i, st):
		return nil, nil
	case after.state == nil: // it may take it for some
		return nil, n.world.touches(i, st)
	}
	key := badKey{i, after.hash}
	if !n.world.severs(i, after.state) && !n.world.spoilt(key) {
		if trial := n.world.applied(i, st, after.state, after.text); trial != nil {
			n.world.problem.tries++
			harms := trial.to.harms(n.world) || trial.to.verdict.mixed > n.world.verdict.mixed
			if !harms {
				if node := n.then(trial.act, trial.to); node.clean(n) && !n.been(node.hash()) {
					return node, nil
				}
			}
			n.world.learn(key, harms)
		}
	}
	var ports []int
	for port := range after.state.Ports {
		if !after.state.Ports[port].Alike(&n.world.states[i].Ports[port]) {
			ports = append(ports, port)
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
	for port := range w.states[i].Ports {
		setting := &w.states[i].Ports[port]
		if setting.Untagged.Has(st.VLAN) != slices.Contains(st.Untagged, port) || setting.Tagged.Has(st.VLAN) != slices.Contains(st.Tagged, port) {
			ports = append(ports, port)
		}
	}
	return ports
}

// early says whether a step takes a VLAN off a port that is tagged there until it
// can be untagged: that is for when it can.
func (w *world) early(i int, st wording.Step) bool {
	return st.Op == wording.Leave && st.Then == nil && slices.ContainsFunc(st.Ports, func(port int) bool {
		to := w.target(i, port)
		return to.Untagged.Has(st.VLAN) && w.states[i].Ports[port].Tagged.Has(st.VLAN)
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
	bad, ok := w.problem.bad[key]
	return ok && bad.around == w.around(key.dev, !bad.harms)
}

// harmful says whether it is known to harm somebody here.
func (w *world) harmful(key badKey) bool {
	bad, ok := w.problem.bad[key]
	return ok && bad.harms && bad.around == w.around(key.dev, false)
}

func (w *world) learn(key badKey, harms bool) {
	w.problem.bad[key] = bad{harms, w.around(key.dev, !harms)}
}

// harms says whether more is cut off or joined than in another office.
func (w *world) harms(than *world) bool {
	return w.verdict.cut > than.verdict.cut || w.verdict.leaks > than.verdict.leaks || w.verdict.rings() > than.verdict.rings()
}

// try is the point after a trial, if it harms nobody.
func (n *node) try(trial *trial) *node {
	n.world.problem.tries++
	if trial.to == nil {
		return nil
	}
	if trial.to.harms(n.world) || trial.to.verdict.mixed > n.world.verdict.mixed {
		return nil
	}
	node := n.then(trial.act, trial.to)
	if !node.clean(n) || n.been(node.hash()) {
		return nil
	}
	return node
}

// been says whether the way to n passed a point before: what a device does of its
// own accord can lead round in a circle.
func (n *node) been(h uint64) bool {
	for node := n; node != nil; node = node.prev {
		if node.hash() == h {
			return true
		}
	}
	return false
}

// hash is that of the place's world, worked out once; never 0, which says that it is not known yet.
func (n *node) hash() uint64 {
	if n.h == 0 {
		n.h = n.world.hash() | 1
	}
	return n.h
}

// flow goes on as long as something can be done that harms nobody: all on one
// device, then the next; the one first that is then ready, else the one where most
// is done.
//
// Many branches: the same device goes on, then a cable, then the device where most is
// done, then what is unsaved.
func (n *node) flow() *node {
	problem := n.world.problem
	for !n.world.done() && !problem.stop() {
		problem.progress(n.world)
		if n.dev >= 0 && n.world.left[n.dev] > 0 {
			if node := n.run(n.dev); node != n {
				n = node
				continue
			}
		}
		if node := n.cable(); node != nil {
			n = node
			continue
		}
		var best *node
		gain := 0
		for _, i := range problem.order {
			if i == n.dev || n.world.left[i] == 0 || !n.world.reaches(i) {
				continue
			}
			from := n.leave()
			node := n.run(i)
			if node == from || node.depth == from.depth {
				continue
			}
			if node.world.left[i] == 0 || len(problem.order) > fewDevices {
				best = node
				break
			}
			if g := n.world.remaining() - node.world.remaining(); best == nil || g > gain {
				best, gain = node, g
			}
		}
		if best != nil {
			n = best
			continue
		}
		saved := n.leave()
		for _, i := range problem.order {
			if saved.world.dirty[i] && saved.world.reaches(i) && (saved.world.verdict.cut == 0 || saved.world.left[i] == 0) {
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
	for _, i := range n.world.problem.order {
		if n.world.left[i] > 0 && n.world.reaches(i) {
			if node := n.run(i); node.depth > n.leave().depth {
				return node
			}
		}
	}
	return nil
}

// cable is the point after an act on a cable that harms nobody.
func (n *node) cable() (out *node) {
	n.world.cables(func(trial *trial) bool {
		from := n
		if trial.act.dev != n.dev {
			from = n.leave()
			trial.to = from.world.carry(trial.act.task)
		}
		out = from.try(trial)
		return out == nil
	})
	return out
}

// walks lists the points after the operator went elsewhere: to reach what has
// steps left and is out of reach, and home.
func (n *node) walks() (out []*node) {
	n = n.leave()
	seen := map[spot]bool{n.world.at: true}
	for _, i := range n.world.problem.order {
		if !n.world.open(i) || n.world.reaches(i) {
			continue
		}
		for _, at := range n.world.spots(i) {
			if !seen[at] {
				seen[at] = true
				out = append(out, n.walk(at, i))
			}
		}
	}
	if home := n.world.homeSpot(); !seen[home] {
		out = append(out, n.walk(home, home.dev))
	}
	return out
}

func (w *world) homeSpot() spot {
	plug := w.problem.home
	return spot{dev: w.net.Topo.DeviceIndex(plug.Port.Device), port: plug.Port.Port, vid: plug.Wants, tagged: plug.Tagged}
}

// walk is the point after the operator went somewhere, to set a device.
func (n *node) walk(at spot, to int) *node {
	world := n.world
	device := world.office.Devices[at.dev]
	var text string
	switch {
	case at.console:
		text = "Go to the console of " + device.Name
		if !device.Console {
			text = fmt.Sprintf("Go to %s and set it where it stands", device.Name)
		}
	case at.dev == world.at.dev && at.port == world.at.port && !world.at.console && !world.at.away:
		text = fmt.Sprintf("The laptop stays at %s %s and takes an address in VLAN %s%s", device.Name, at.port, world.net.Name(at.vid), world.address(at, to))
	default:
		text = fmt.Sprintf("Plug the laptop into %s %s (VLAN %s)%s", device.Name, at.port, world.net.Name(at.vid), world.address(at, to))
	}
	for _, task := range world.problem.tasks {
		if task.box && task.dev == at.dev && !world.tasks[task.at] {
			n = n.then(act{kind: CableStep, dev: at.dev, page: task.page, text: task.text, task: task}, world.carry(task))
			world = n.world
		}
	}
	return n.then(act{kind: Laptop, dev: to, page: "Laptop", text: text}, world.walk(at))
}

// onward finds how to go on where nothing can be done at once that harms nobody:
// elsewhere, by a step after which the operator has to go to a device, or with
// somebody cut off for as short as can be.
func (n *node) onward() *node {
	walks := n.walks()
	for _, node := range walks { // go elsewhere, and something can be done there
		if node.world.done() {
			return node
		}
		for _, i := range n.world.problem.order {
			if node.world.left[i] > 0 && node.world.reaches(i) {
				if one := node.run(i); one.depth > node.depth && one.world.remaining() < n.world.remaining() {
					if i == node.dev { // that is what would be done there next
						return one
					}
					return node
				}
			}
			if node.world.left[i] == 0 && node.world.dirty[i] && node.world.reaches(i) {
				return node
			}
		}
	}
	if node := n.parting(); node != nil {
		return node
	}
	for _, node := range walks {
		if one := node.parting(); one != nil {
			return one
		}
	}
	if node := n.standing(); node != nil {
		return node
	}
	for _, from := range append([]*node{n}, walks...) {
		if node := from.renamed(); node != nil {
			return node
		}
	}
	if len(n.world.problem.bad) > 0 { // something far away may have changed
		clear(n.world.problem.bad)
		if node := n.leave().anywhere(); node != nil {
			return node
		}
	}
	return n.force()
}

// standing is a step on a device that the operator goes to first, although he
// reaches it from where he is: it takes his way to others, to whom he then goes.
func (n *node) standing() *node {
	from := n.leave()
	for _, i := range n.world.problem.order {
		if n.world.left[i] == 0 || !n.world.reaches(i) || n.world.at.dev == i || n.world.office.Devices[i].Manage == nil {
			continue
		}
		for _, at := range n.world.free(i) {
			node := from.walk(at, i)
			if !node.world.reaches(i) || !node.clean(n) {
				continue
			}
			if one := node.run(i); one.world.remaining() < n.world.remaining() {
				return node
			}
			if one := node.partingAt([]int{i}); one != nil {
				return one
			}
		}
	}
	return nil
}

// parting is a step after which the operator reaches a device no more and goes to
// where he does; nobody else is harmed. Management that moves comes first.
func (n *node) parting() *node { return n.partingAt(n.world.problem.order) }

// partingAt takes one step at one of these devices although it cuts somebody off for a while, the
// one that cuts off fewest: first of what a device's pages set by themselves, then of settings
// taken apart into their smallest parts. nil where even those lead nowhere.
func (n *node) partingAt(devices []int) *node {
	if node := n.partingBy(devices, func(world *world, i int, each func(*trial) bool) { world.acts(i, each) }); node != nil {
		return node
	}
	return n.partingBy(devices, func(world *world, i int, each func(*trial) bool) { world.settings(i, true, each) })
}

// partingBy tries steps at some devices that the laptop reaches now; it takes the first that harms
// nobody, after which a device is out of reach that it reaches again by walking to another spot.
func (n *node) partingBy(devices []int, trials func(one *world, i int, each func(*trial) bool)) (out *node) {
	for _, i := range devices {
		if n.world.left[i] == 0 || !n.world.reaches(i) {
			continue
		}
		from := n
		if i != n.dev {
			from = n.leave()
		}
		trials(from.world, i, func(trial *trial) bool {
			n.world.problem.tries++
			if trial.to.harms(n.world) || trial.to.verdict.mixed > n.world.verdict.mixed {
				if trial.act.task == nil && trial.to.harms(n.world) {
					from.world.learn(badKey{i, trial.next}, true)
				}
				return true
			}
			node := from.then(trial.act, trial.to)
			if len(node.blind) == 0 || node.world.remaining() >= n.world.remaining() {
				return true
			}
			for _, at := range node.world.spots(node.blind[0]) {
				if one := node.walk(at, node.blind[0]); one.clean(n) {
					out = one
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

// Less puts the cheaper place first, and of two that cost the same the one that was found first, so
// that an order comes out the same each time.
func (q queue) Less(i, j int) bool {
	if c := q[i].price.Compare(q[j].price); c != 0 {
		return c < 0
	}
	return q[i].seq < q[j].seq
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(*queued)) }

// Pop is heap.Interface's: it takes the last one away, to which the heap has moved the least.
func (q *queue) Pop() any {
	old := *q
	queued := old[len(old)-1]
	*q = old[:len(old)-1]
	return queued
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
	problem := n.world.problem
	root := *n
	root.since = 0
	n = &root
	one := &queue{}
	seq := 0
	push := func(node *node) {
		seq++
		heap.Push(one, &queued{node, seq})
	}
	push(n)
	best := map[uint64]Price{n.world.hash(): n.price}
	left := n.world.remaining()
	var fall *node
	tries := problem.tries
	for one.Len() > 0 && problem.tries-tries < mostTries && !problem.stop() {
		m := heap.Pop(one).(*queued).node
		if m.since > 0 && m.clean(n) && m.world.remaining() < left && !n.been(m.hash()) {
			return m
		}
		if m.since >= mostDepth {
			continue
		}
		add := func(node *node) {
			h := node.world.hash()
			for _, d := range node.world.dirty {
				h = h*2 + b2u(d)
			}
			for _, i := range node.blind {
				h = h*31 + uint64(i) + 1
			}
			if old, ok := best[h]; ok && old.Compare(node.price) <= 0 {
				return
			}
			best[h] = node.price
			// What is dear may not come to its turn, and is better than no way on.
			if node.since > 0 && (fall == nil || node.price.Compare(fall.price) < 0) && node.world.remaining() < left && node.world.alive() {
				fall = node
			}
			push(node)
		}
		m.branch(n, add)
	}
	return fall
}

// branch gives every point that is one act or walk from m; n is where the search began. The
// first act may be anywhere, later ones only where acts were, or beside.
//
// Many branches: acts, cables, walks and saving are each a way on, and later ones stay
// near the first.
func (m *node) branch(n *node, add func(*node)) {
	problem := n.world.problem
	roots := 0
	for _, i := range problem.order {
		if m.world.left[i] == 0 || !m.world.reaches(i) || m.since > 0 && !m.near(n, i) {
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
		from.world.trials(i, func(trial *trial) bool {
			problem.tries++
			add(from.then(trial.act, trial.to))
			return true
		})
	}
	from := m
	if m.since == 0 {
		from = m.leave()
		from.since = 0
	}
	from.world.cables(func(trial *trial) bool {
		problem.tries++
		add(from.then(trial.act, trial.to))
		return true
	})
	for _, node := range m.walks() {
		node.since = m.since + 1
		add(node)
	}
	for _, i := range problem.order { // to stand at a device that he reaches from afar
		if m.world.left[i] == 0 || m.world.at.dev == i || !m.world.reaches(i) || m.since > 0 && !m.near(n, i) || len(problem.order) > fewDevices {
			continue
		}
		for _, at := range m.world.free(i) {
			node := m.leave().walk(at, i)
			if node.world.reaches(i) {
				node.since = m.since + 1
				add(node)
			}
		}
	}
	for i := range m.world.dirty { // a device that has its last look and saving left
		if m.since > 0 && m.world.dirty[i] && m.world.left[i] == 0 && m.world.reaches(i) {
			node := m.save(i)
			node.since = m.since + 1
			add(node)
		}
	}
}

// near says whether a device is where the acts since node were, or beside.
func (m *node) near(node *node, i int) bool {
	for one := m; one != nil && one.since > 0; one = one.prev {
		if one.act.dev == i || one.act.kind == Laptop || one.act.kind == CableStep {
			return true
		}
		for _, link := range m.world.net.Topo.Links {
			a, b := link.A.Dev, link.B.Dev
			if a == i && m.beside(b, one.act.dev) || b == i && m.beside(a, one.act.dev) {
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
	if !m.world.office.Devices[a].Unaware() {
		return false
	}
	for _, link := range m.world.net.Topo.Links {
		if link.A.Dev == a && link.B.Dev == b || link.B.Dev == a && link.A.Dev == b {
			return true
		}
	}
	return false
}

// solve finds the way.
func (p *problem) solve() (*node, error) {
	world := p.start()
	one := &node{world: world, dev: -1}
	for !p.stop() {
		one = one.flow()
		if one.world.done() {
			return one, nil
		}
		node := one.onward()
		if node == nil {
			return nil, p.against(one)
		}
		one = node
	}
	return nil, ErrStopped
}

// against says why there is no way on.
func (p *problem) against(node *node) error {
	var why []Reason
	for i := range node.world.left {
		if node.world.open(i) {
			p.stuck = append(p.stuck, i)
		}
	}
	for i, device := range node.world.office.Devices {
		if !node.world.open(i) || node.world.reaches(i) {
			continue
		}
		if len(node.world.spots(i)) == 0 {
			text := fmt.Sprintf("Nothing reaches %s: ", device.Name)
			if device.Manage != nil {
				text += fmt.Sprintf("it is managed in VLAN %s, where no way leads from %s, and no free port of it is in that VLAN. Say that it has a console (%s console), or free a port there.", node.world.net.Name(device.Manage.VID), portText(p.laptop.Port), device.Name)
				if p.cut[i] {
					text += " As planned nothing reaches it either (management-cut): bring that VLAN to it, and the way there can be taken first."
				}
			} else {
				text += fmt.Sprintf("nobody said where it is managed; say so, as in %s manage 190, or that it has a console.", device.Name)
			}
			why = append(why, Reason{device.Name, text})
		}
	}
	if why == nil {
		for i, device := range node.world.office.Devices {
			if node.world.left[i] > 0 && p.cut[i] {
				manage := p.plan.net.Office.Devices[i].Manage
				why = append(why, Reason{device.Name, fmt.Sprintf("As planned nothing reaches %s in VLAN %s (management-cut), and on the way there %s is left to do. Bring that VLAN to it, or say that it has a console (%s console).", device.Name, node.world.net.Name(manage.VID), node.world.differs(i), device.Name)})
				continue
			}
			if node.world.left[i] > 0 {
				why = append(why, Reason{device.Name, node.world.halts(i)})
			}
		}
		for _, task := range p.tasks {
			if task.kind == CableStep && !node.world.tasks[task.at] && why == nil {
				why = append(why, Reason{node.world.office.Devices[task.dev].Name, task.text + ": its ends do not get ready."})
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
	d, left := w.office.Devices[i].Name, w.remaining()
	accepted := false
	lost := map[string]bool{}
	w.trials(i, func(trial *trial) bool {
		if trial.to == nil || trial.to.remaining() >= left {
			return true
		}
		accepted = true
		for dev := range trial.to.left {
			if trial.to.open(dev) && !trial.to.reaches(dev) && !trial.to.console(dev) && !trial.to.walkable(dev) {
				lost[w.office.Devices[dev].Name] = true
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

func portText(ref office.PortRef) string { return ref.Device + " " + ref.Port }
