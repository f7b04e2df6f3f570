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
	problem *problem
	office  *office.Office // every shape written out; the laptop is its one plug
	net     *span.Net
	states  []*wording.State // by device; nil ports where there is nothing to set
	tasks   []bool           // done
	dirty   []bool           // by device: what runs is not saved
	risky   []bool           // by device: a step was taken after which it is looked at before it is saved
	at      spot
	left    []int   // by device: tasks not done, and 1 where ports differ
	ports   []int32 // of the judge's terminals
	verdict verdict
	breaks  []breach     // across devices that route
	reach   map[int]bool // by device, filled as it is asked for
	manage  *talk.Management
	live    *office.Set
	beyond  []bool   // by link
	hashes  []uint64 // by device: of what its ports are set to
	knows   []uint64 // and of the VLANs that it knows too
}

// start is the office as it is.
func (p *problem) start() *world {
	net := p.was.net
	one := &world{problem: p, office: net.Office, net: net, tasks: make([]bool, len(p.tasks)), dirty: make([]bool, len(net.Office.Devices)), risky: make([]bool, len(net.Office.Devices))}
	one.states = make([]*wording.State, len(net.Office.Devices))
	one.hashes, one.knows = make([]uint64, len(one.states)), make([]uint64, len(one.states))
	for i := range one.states {
		one.states[i] = &wording.State{}
		if p.words[i] != nil {
			*one.states[i] = wording.Planned(net, i)
		}
	}
	one.left = make([]int, len(one.states))
	for i := range one.left {
		one.count(i)
	}
	one.at = spot{dev: net.Topo.DeviceIndex(p.laptop.Port.Device), port: p.laptop.Port.Port, vid: p.laptop.Wants, tagged: p.laptop.Tagged, away: p.away}
	one.settle()
	return one
}

// settle works out what follows from the office.
func (w *world) settle() {
	w.ports = make([]int32, len(w.problem.judge.terms))
	for i := range w.problem.judge.terms {
		w.ports[i] = w.problem.judge.terms[i].place(w.net, w.tasks)
	}
	w.judge()
}

// judge looks at what a world does to everybody, and counts what is broken in it. What is reached,
// what can be managed and who is alive are worked out when somebody asks.
func (w *world) judge() {
	w.verdict = w.problem.judge.look(w.net, w.ports)
	for _, breach := range w.breaks {
		if breach.leak {
			w.verdict.leaks++
		} else {
			w.verdict.cut++
		}
	}
	w.reach, w.manage, w.live = map[int]bool{}, talk.ManagementIn(w.net), nil
}

// count is how much is left to do on a device.
func (w *world) count(i int) {
	k := 0
	for _, task := range w.problem.tasks {
		if task.dev == i && !w.tasks[task.at] && task.kind != CableStep {
			k++
		}
	}
	if w.problem.words[i] != nil && !w.settled(i) {
		k++
	}
	w.left[i] = k
}

// settled says whether a device's ports are all as planned.
func (w *world) settled(i int) bool {
	device, goal := w.office.Devices[i], w.problem.plan.net.Office.Devices[i]
	if len(device.Ports) != len(goal.Ports) {
		return false
	}
	for port := range device.Ports {
		if device.Ports[port].Bundle > 0 {
			continue
		}
		at := goal.Port(device.Ports[port].Name)
		if at < 0 || !w.states[i].Ports[port].Alike(&w.problem.goals[i].Ports[at]) {
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
	plug := w.problem.home
	return !w.at.console && !w.at.away && w.office.Devices[w.at.dev].Name == plug.Port.Device && w.at.port == plug.Port.Port && w.at.vid == plug.Wants && w.at.tagged == plug.Tagged
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
	if w.problem.words[i] == nil {
		return 0
	}
	device, goal := w.office.Devices[i], w.problem.plan.net.Office.Devices[i]
	for port := range device.Ports {
		at := goal.Port(device.Ports[port].Name)
		if device.Ports[port].Bundle > 0 || at < 0 {
			continue
		}
		setting, one := &w.states[i].Ports[port], &w.problem.goals[i].Ports[at]
		if setting.Alike(one) {
			continue
		}
		set, y := setting.Members(), one.Members()
		out, forms := set.Xor(&y), setting.Untagged.Xor(&one.Untagged)
		k += out.Len() + forms.Len() + 1 // a VLAN that is there in the other form is nearer than one that is not
		forms = setting.Tagged.Xor(&one.Tagged)
		forms = forms.And(&out)
		k += forms.Len()
		if setting.PVID != one.PVID {
			k++
		}
	}
	return k
}

// clone is a copy to be changed.
func (w *world) clone() *world {
	world := *w
	world.states, world.tasks = slices.Clone(w.states), slices.Clone(w.tasks)
	world.dirty, world.risky, world.left = slices.Clone(w.dirty), slices.Clone(w.risky), slices.Clone(w.left)
	world.hashes, world.knows = slices.Clone(w.hashes), slices.Clone(w.knows)
	world.beyond = nil
	return &world
}

// state hash of a device, kept.
func (w *world) hashAt(i int) uint64 {
	if w.hashes[i] == 0 {
		w.hashes[i] = hashOf(w.states[i], w.office.Devices[i].Wording.Name == office.ByChoice) | 1
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
	hash := newHash()
	for _, task := range w.problem.tasks {
		if task.inner || task.kind == CableStep || task.manage {
			hash.put(b2u(w.tasks[task.at]))
		}
	}
	for _, loan := range w.problem.lent {
		hash.put(b2u(w.lends(loan)))
	}
	return uint64(hash)
}

// around tells apart what is around a device: its own state and its neighbours';
// far also the state of all, what tasks are done, and where the laptop is.
func (w *world) around(i int, far bool) uint64 {
	if far {
		return w.hash()
	}
	hash := newHash()
	hash.put(w.hashAt(i))
	for _, k := range w.problem.beside[i] {
		hash.put(w.hashAt(k))
	}
	for _, task := range w.problem.tasks {
		if task.kind != Manage {
			hash.put(b2u(w.tasks[task.at]))
		}
	}
	if w.live == nil { // who is in which VLAN decides where it may lead
		w.live = &office.Set{}
		for vid := range w.net.Used().All() {
			if w.problem.judge.lives(w.net, vid) {
				w.live.Add(vid)
			}
		}
	}
	for _, x := range w.live {
		hash.put(x)
	}
	return uint64(hash)
}

// rest is tasks and the laptop.
func (w *world) rest(hash *hash) {
	for _, t := range w.tasks {
		hash.put(b2u(t))
	}
	hash.put(uint64(w.at.dev)<<32 | uint64(w.at.vid)<<3 | b2u(w.at.away)<<2 | b2u(w.at.console)<<1 | b2u(w.at.tagged))
	for _, c := range []byte(w.at.port) {
		hash.put(uint64(c))
	}
}

// hash tells worlds apart.
func (w *world) hash() uint64 {
	hash := newHash()
	for i := range w.states {
		hash.put(w.hashAt(i))
	}
	w.rest(&hash)
	return uint64(hash)
}

// b2u is a bit, for hashing.
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
func hashOf(state *wording.State, known bool) uint64 {
	hash := newHash()
	set := func(one *office.Set) {
		for i, x := range one {
			if x != 0 {
				hash.put(uint64(i))
				hash.put(x)
			}
		}
		hash.put(1 << 63)
	}
	if known {
		set(&state.VLANs)
	}
	for i := range state.Ports {
		setting := &state.Ports[i]
		set(&setting.Untagged)
		set(&setting.Tagged)
		hash.put(uint64(setting.PVID) | uint64(setting.Admit)<<16 | b2u(setting.Off)<<20 | b2u(setting.Filter)<<21)
		for _, ride := range setting.Rides {
			hash.put(uint64(ride.VLAN)<<16 | uint64(ride.Wire))
		}
	}
	return uint64(hash)
}

// word is a device with its wording, on the ports that it has now.
func (w *world) word(i int) *wording.Device { return wording.For(w.net, i) }

// set is the world with a device's ports in another state; the laptop, if its port
// is among them, takes an address in the VLAN that it then is in.
func (w *world) set(i int, next *wording.State) *world {
	world := w.clone()
	world.states[i], world.hashes[i], world.knows[i] = next, 0, 0
	device := w.office.Devices[i]
	draft := office.NewDraft(w.office)
	changed := false
	for port := range device.Ports {
		if device.Ports[port].Bundle > 0 || next.Ports[port].Alike(&w.states[i].Ports[port]) {
			continue
		}
		shape := next.Ports[port].Shape()
		if err := draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, &shape, ""); err != nil {
			return nil
		}
		changed = true
	}
	world.dirty[i] = true
	if !changed { // it knows another VLAN, or a shut port is set otherwise
		world.count(i)
		return world
	}
	world.office, _ = draft.Done()
	world.count(i)
	world.net = w.net.Update(world.office)
	world.follow(i)
	if len(device.Addresses) > 0 { // which of its addresses are heard where
		world.breaks = w.problem.across.look(world.net)
	}
	world.judge()
	return world
}

// follow gives the laptop an address where its port is, if a device that it is
// plugged into was set.
func (c *world) follow(i int) {
	if c.at.console || c.at.away || c.at.dev != i || c.at.tagged {
		return
	}
	device := c.office.Devices[i]
	port := device.Port(c.at.port)
	if port < 0 || device.Unaware() {
		return
	}
	port = device.Logical(port)
	if c.net.Gives(i, port, c.at.vid, false) {
		return
	}
	if vid := c.net.Tables[i].Ports[port].PVID; vid != 0 && c.net.Gives(i, port, vid, false) {
		c.at.vid = vid
	}
}

// plug is the laptop's, where it is now; false at a console.
func (w *world) plug() (plug office.Plug, ok bool) {
	if w.at.console || w.at.away {
		return plug, false
	}
	if w.atHome() {
		return w.problem.home, true
	}
	plug = w.problem.laptop
	plug.Port, plug.Wants, plug.Tagged = office.PortRef{Device: w.office.Devices[w.at.dev].Name, Port: w.at.port}, w.at.vid, w.at.tagged
	if plug.Port != w.problem.laptop.Port || plug.Wants != w.problem.laptop.Wants {
		plug.At = netip.Addr{} // it is given one there
	}
	return plug, true
}

// sitsAt says whether the laptop is plugged into a port.
func (w *world) sitsAt(ref office.PortRef) bool {
	return !w.at.console && !w.at.away && w.office.Devices[w.at.dev].Name == ref.Device && w.at.port == ref.Port
}

// walk is the world with the operator elsewhere.
func (w *world) walk(at spot) *world {
	world := w.clone()
	world.at = at
	world.reach = map[int]bool{}
	return world
}

// carry is the world with a task done; nil where it cannot be.
//
// Many branches: a task changes a device, with its inner ports, or cables, and saving and
// routing follow from it.
func (w *world) carry(task *task) *world {
	world := w.clone()
	world.tasks[task.at] = true
	switch {
	case task.device != nil:
		device := w.office.Devices[task.dev].Clone()
		names := map[string]wording.Setting{}
		if task.inner && w.problem.words[task.dev] != nil {
			for port := range device.Ports {
				if device.Ports[port].Bundle == 0 {
					names[device.Ports[port].Name] = w.states[task.dev].Ports[port]
				}
			}
		}
		task.device(device)
		device.Seal()
		one := *w.office
		one.Devices = slices.Clone(w.office.Devices)
		one.Devices[task.dev] = device
		if task.others != nil {
			task.others(one.Devices)
		}
		world.office = &one
		world.net = w.net.Update(&one)
		world.dirty[task.dev] = world.dirty[task.dev] || task.kind != CableStep
		world.risky[task.dev] = world.risky[task.dev] || task.risky
		if task.inner && w.problem.words[task.dev] != nil {
			state := wording.State{Ports: make([]wording.Setting, len(device.Ports))}
			for port := range device.Ports {
				if device.Ports[port].Bundle > 0 {
					continue
				}
				setting, ok := names[device.Ports[port].Name]
				if !ok || device.Ports[port].Shape != nil && !wording.Of(device.Ports[port].Shape).Equal(setting) {
					setting = wording.Of(device.Ports[port].Shape)
				}
				state.Ports[port] = setting
			}
			state = state.With(0, state.Ports[0]).Knowing(w.states[task.dev].VLANs)
			world.states[task.dev] = &state
			world.hashes[task.dev], world.knows[task.dev] = 0, 0
		}
	case len(task.plugs)+len(task.pulls) > 0:
		one := *w.office
		one.Cables = nil
		for _, cable := range w.office.Cables {
			if !slices.ContainsFunc(task.pulls, cable.Same) {
				one.Cables = append(one.Cables, cable)
			}
		}
		one.Cables = append(one.Cables, task.plugs...)
		w.problem.unplugged(&one)
		world.office = &one
		world.net = w.net.Update(&one)
	}
	world.count(task.dev)
	if task.manage && w.problem.cut[task.dev] {
		world.dirty[task.dev] = false // nobody can save it
	}
	if task.routes || len(task.plugs)+len(task.pulls) > 0 && w.problem.routes(task) {
		world.breaks = w.problem.across.look(world.net)
	}
	world.settle()
	return world
}

// unplugged has a device that another one takes the place of be at no address any more once
// it has no cable: the same addresses are the new one's.
func (p *problem) unplugged(o *office.Office) {
	if len(p.old) == 0 {
		return
	}
	o.Devices = slices.Clone(o.Devices)
	for i, device := range o.Devices {
		cabled := slices.ContainsFunc(o.Cables, func(cable office.Cable) bool { return cable.A.Device == device.Name || cable.B.Device == device.Name })
		if p.old[device.Name] && !cabled && len(device.Addresses)+len(device.Outsides) > 0 {
			one := device.Clone()
			one.Addresses, one.Outsides, one.Routes, one.Rules = nil, nil, nil, nil
			o.Devices[i] = one.Seal()
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

// reachable says whether the laptop, where it is now, can set device i: over its cable at the
// console, nothing else then; otherwise over the network, as Talk says. Somebody on the way reaches
// nothing.
func (w *world) reachable(i int) bool {
	switch {
	case w.at.away:
		return false
	case w.at.console:
		return w.at.dev == i
	}
	device := w.office.Devices[i]
	if device.Manage == nil {
		return false
	}
	plug, _ := w.plug()
	return w.reachedBy(&plug, i)
}

// reachedBy says whether a laptop plugged in somewhere reaches a device.
func (w *world) reachedBy(plug *office.Plug, i int) bool {
	here := reach.Plug(w.net, plug)
	return here != nil && w.manage.Stops(plug.Wants, here, plug.At, i) == nil
}

// routes says whether something leads out of a VLAN.
func (w *world) routes(vid office.VID) bool { return w.net.Gateways().First(vid).Is() }

// wouldReach says whether the operator could reach a device as things are if it were
// managed in another VLAN.
func (w *world) wouldReach(i int, vid office.VID) bool {
	plug, ok := w.plug()
	if !ok || w.routes(plug.Wants) {
		return true // that is for a closer look
	}
	here := reach.Plug(w.net, &plug)
	return slices.ContainsFunc(w.net.Standing(i, vid, ""), func(place span.Place) bool { return here != nil && place.Span == here[0].Span })
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
	device := w.office.Devices[i]
	return device.Console || device.Manage == nil || w.problem.was.net.Office.Devices[i].Manage == nil
}

// severs says whether a state of a device takes the laptop's VLAN off a cable that
// alone leads to a device with steps left that is managed in it, or has one end of
// it say the VLAN otherwise than the other: that is seen without working anything
// out.
func (w *world) severs(i int, next *wording.State) bool {
	if w.at.console || w.at.away {
		return false
	}
	vid := w.at.vid
	for port := range next.Ports {
		now, then := &w.states[i].Ports[port], &next.Ports[port]
		if now.Alike(then) {
			continue
		}
		for _, l := range w.net.Topo.LinksAt(i, port) {
			if w.crosses(now, vid, i, port, l) && !w.crosses(then, vid, i, port, l) && w.carries(l) {
				return true
			}
		}
	}
	return false
}

// crosses says whether a VLAN goes both ways over a link that a port set so is at.
func (w *world) crosses(setting *wording.Setting, vid office.VID, dev, port, link int) bool {
	untagged := setting.Untagged.Has(vid)
	switch {
	case setting.Off || !untagged && !setting.Tagged.Has(vid):
		return false
	case len(setting.Rides) > 0 || !w.plainly(dev):
		return true
	}
	wire := bridge.Wire(vid)
	if untagged {
		wire = bridge.Untagged
	}
	for _, end := range w.net.Topo.Across(link, dev, port) {
		far := w.net.Tables[end.Dev]
		in, why := far.Ingress(end.Port, wire)
		if w.plainly(end.Dev) && (why != bridge.Passed || in.VID != vid) {
			return false
		}
		back, out := far.Egress(in, end.Port)
		if w.plainly(end.Dev) && (!out || back == bridge.Untagged && (setting.PVID != vid || setting.Admit == office.AdmitTagged) || back != bridge.Untagged && (back != bridge.Wire(vid) || setting.Admit == office.AdmitUntagged)) {
			return false
		}
	}
	return true
}

// plainly says whether a device takes a VLAN's tag for its VLAN, and for no group.
func (w *world) plainly(dev int) bool {
	device := w.office.Devices[dev]
	return !device.Unaware() && device.Forwarding != office.Grouped
}

// carries says whether a device with steps left that is managed in the laptop's VLAN
// is beyond a link, as seen from the laptop.
func (w *world) carries(link int) bool {
	if w.beyond == nil {
		w.beyond = w.findBeyond()
	}
	return w.beyond[link]
}

// findBeyond says of each link whether some management that the laptop reaches is behind it, with
// no ring of cables that has another way there: whoever changes it may lose that device.
func (w *world) findBeyond() []bool {
	topology := w.net.Topo
	out := make([]bool, len(topology.Links))
	links := make([]int, len(topology.Blocks)+1) // of each block; the last of those in none
	for link := range topology.Links {
		links[blockOf(topology, link)]++
	}
	// Each device by the link that leads to it.
	seen := make([]bool, len(w.office.Devices))
	by := make([]int, len(w.office.Devices))
	from := make([]int, len(w.office.Devices))
	seen[w.at.dev], by[w.at.dev] = true, -1
	order := []int{w.at.dev}
	for k := 0; k < len(order); k++ {
		for link := range topology.Links {
			for _, e := range [][2]int{{topology.Links[link].A.Dev, topology.Links[link].B.Dev}, {topology.Links[link].B.Dev, topology.Links[link].A.Dev}} {
				if e[0] == order[k] && !seen[e[1]] {
					seen[e[1]], by[e[1]], from[e[1]] = true, link, e[0]
					order = append(order, e[1])
				}
			}
		}
	}
	for _, i := range order {
		manage := w.office.Devices[i].Manage
		if manage == nil || manage.VID != w.at.vid || !w.open(i) || !w.reaches(i) {
			continue
		}
		for k := i; by[k] >= 0; k = from[k] {
			out[by[k]] = links[blockOf(topology, by[k])] == 1 // no ring has another way
		}
	}
	return out
}

// blockOf is the block of a link, one more than there are for a link in none.
func blockOf(topology *graph.Topology, link int) int {
	if b := topology.BlockOf(link); b >= 0 {
		return b
	}
	return len(topology.Blocks)
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

// gone says whether a device was taken away.
func (w *world) gone(dev int) bool {
	return slices.ContainsFunc(w.problem.tasks, func(task *task) bool { return task.away && task.dev == dev && w.tasks[task.at] })
}

// eachSpot yields the ports from which a device is reached, one a span.
func (w *world) eachSpot(i int, yield func(spot) bool) {
	if w.office.Devices[i].Manage == nil {
		return
	}
	seen := map[span.Place]bool{}
	there := *w
	for _, dev := range w.nearby(i) {
		for _, at := range w.free(dev) {
			node := span.Node{Hub: w.net.Topo.HubOf(dev, w.office.Devices[dev].Port(at.port)), Label: span.Label(at.vid)}
			here := reach.Whole(span.Place{Span: w.net.SpanOf(node), Node: node})
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

// walkable says whether there is any port at which one could sit down and set device i.
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
	list := []int{w.at.dev, w.net.Topo.DeviceIndex(w.problem.home.Port.Device), i}
	for dev := range w.office.Devices {
		list = append(list, dev)
	}
	var out []int
	for _, k := range list {
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// promised is the ports of a device that are somebody's: taken by what is or will be plugged
// in, or to be cabled, which stays free for that.
func (p *problem) promised(device string) (taken, cabled map[string]bool) {
	taken, cabled = map[string]bool{}, map[string]bool{}
	for _, one := range []*origin{p.was, p.plan} {
		for _, plug := range one.from.Office.Plugs {
			if plug.Port.Device == device && !plug.Operator {
				taken[plug.Port.Port] = true
			}
		}
	}
	for _, cable := range p.plan.net.Office.Cables {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			if ref.Device == device {
				cabled[ref.Port] = true
			}
		}
	}
	return taken, cabled
}

// free lists the ports of a device that the laptop could go to, one a VLAN: those
// that it is or was planned for first. A device that has no port to spare, as an access
// point with one, is set at that before its cable is plugged in.
//
// Many branches: a port is left out for each reason for which it is somebody else's.
func (w *world) free(dev int) (out []spot) {
	device := w.office.Devices[dev]
	if device.Unaware() || w.gone(dev) {
		return nil
	}
	taken, cabled := w.problem.promised(device.Name)
	var at, later []int // later: of a device with no cable yet, on the table, before it gets them
	alone := true
	for port := range device.Ports {
		name := device.Ports[port].Name
		if len(w.net.Topo.LinksAt(dev, port)) > 0 {
			alone = false
			continue
		}
		if device.Ports[port].Kind != office.Physical || device.Ports[port].Bundle > 0 || taken[name] {
			continue
		}
		if cabled[name] {
			// A member of a bundle may be held back as long as nobody answers it.
			goal := w.problem.plan.net.Office.Devices[dev]
			if to := goal.Port(name); to < 0 || goal.Ports[to].Bundle == 0 {
				later = append(later, port)
			}
			continue
		}
		own := device.Name == w.problem.home.Port.Device && name == w.problem.home.Port.Port || device.Name == w.problem.laptop.Port.Device && name == w.problem.laptop.Port.Port
		if own {
			at = append([]int{port}, at...)
		} else {
			at = append(at, port)
		}
	}
	if alone && len(at) == 0 {
		at = later
	}
	var vids office.Set
	for _, port := range at {
		vid := w.net.Tables[dev].Ports[port].PVID
		if vid == 0 || vids.Has(vid) || !w.net.Gives(dev, port, vid, false) {
			continue
		}
		vids.Add(vid)
		out = append(out, spot{dev: dev, port: device.Ports[port].Name, vid: vid})
	}
	return out
}
