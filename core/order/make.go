package order

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/core/wording"
)

// An order is made in five parts, each in its own files:
//
//	newProblem     what differs, device by device, as states of the devices' own words, and as
//	               tasks that no page sets: cables, plugs, addresses, bundles (problem.go)
//	best           the search: places are offices on the way, with where the laptop is; the way
//	               with the least [Price] over them (search.go, moves.go, judge.go)
//	shorten        steps that came out unneeded, and visits that can be one (shorten.go, gather.go)
//	together       what is one act for a person is one step (together.go)
//	write          lines of notation, what changes, who is interrupted, the way back (lines.go)
//
// The search does not look at all ways, of which there are too many. It goes through the devices in
// an order, mostly those farthest from the laptop first: what is set there while the way to it is
// still the old one cannot cut off what lies nearer. Where that gets stuck, the device that it got
// stuck at is looked at sooner.

// ErrStopped says that the search was stopped.
var ErrStopped = errors.New("the order was stopped before it was ready")

// Options are what goes on beside a search; the zero Options do without.
type Options struct {
	Stop     func() bool        // asked often; true stops the search
	Progress func(done, of int) // how far it is, in differences between the offices
	Most     int                // steps that are tried before it gives up; 0 for any number
	New      []string           // devices that new ones of the same name take the place of
	Only     []string           // devices that are set; none: all
}

// ErrTooMuch says that the search gave up: there is more to do than it looks at.
var ErrTooMuch = errors.New("this is more than one order is worked out for: change fewer devices at once")

// Make finds the order from one office to another. The same offices give the same
// order. The error is an [*Impossible] where something stands against one, and
// [ErrStopped] where it was stopped.
func Make(was, plan *office.Office, opt Options) (*Order, error) {
	if len(opt.Only) > 0 {
		cut, left, err := chosen(was, plan, opt.Only)
		if err != nil {
			return nil, err
		}
		return makeAll(was, cut, opt, left)
	}
	o, err := makeAll(was, plan, opt, nil)
	var no *Impossible
	if !errors.As(err, &no) || len(no.silent) == 0 {
		return o, err
	}
	// One silent device does not stop the evening for all others.
	cut, left, err2 := chosen(was, plan, but(was, plan, no.silent))
	if err2 != nil {
		return nil, err
	}
	var says []string
	for _, reason := range no.Reasons {
		if slices.Contains(no.silent, reason.Device) {
			says = append(says, reason.Text)
		}
	}
	if o, err2 = makeAll(was, cut, opt, append(says, left...)); err2 != nil || len(o.Steps) == 0 {
		return nil, err
	}
	o.Silent = no.silent
	return o, nil
}

// makeAll finds the order of all that differs; left is what does not, as somebody chose.
func makeAll(was, plan *office.Office, opt Options, left []string) (*Order, error) {
	from, opening, old, err := replaced(was, plan, opt.New)
	if err != nil {
		return nil, err
	}
	problem, err := newProblem(from, besides(from, plan), renumbered(from, plan), opt.New)
	if err != nil {
		return nil, err
	}
	problem.old = old
	problem.final, problem.opening, problem.original = plan, opening, was
	if problem.stop = opt.Stop; problem.stop == nil {
		problem.stop = func() bool { return false }
	}
	if stop := problem.stop; opt.Most > 0 {
		problem.stop = func() bool { return problem.tries > opt.Most || stop() }
	}
	problem.tell = opt.Progress
	node, err := problem.best()
	if errors.Is(err, ErrStopped) && opt.Most > 0 && problem.tries > opt.Most {
		return nil, ErrTooMuch
	}
	var no *Impossible
	if errors.As(err, &no) {
		if silent, some := problem.silent(); some {
			no.silent = silent
		}
	}
	if err != nil {
		return nil, err
	}
	o, err := problem.write(problem.together(problem.shorten(node)))
	if err != nil { // an order that cannot be said is none; whoever asked for it is told what stood against it
		return nil, &Impossible{Reasons: []Reason{{"", "A way was found, and it cannot be written down: " + err.Error()}}}
	}
	o.Left = left
	return o, nil
}

// best tries the devices from far to near and from near to far, and where neither
// gets there each device first.
func (p *problem) best() (*node, error) {
	p.beside = p.neighbours()
	p.findCut()
	p.across = newRouting(p.was.net, p.plan.net, p.numbers)
	far := p.fromFar()
	node, err := p.along(far)
	for _, more := range []bool{false, false, true} { // who stands at a device and needs a port of it is lent some
		if err == nil {
			break
		}
		lent := false
		for _, i := range p.stuck {
			lent = p.lendAt(i, more) || lent
		}
		if lent {
			p.judge = newJudge(p.was, p.plan, p.lent, p.numbers, p.moves)
			node, err = p.along(far)
		}
	}
	if errors.Is(err, ErrStopped) || err == nil && len(far) > fewDevices {
		return node, err
	}
	near := slices.Clone(far)
	slices.Reverse(near)
	one, err2 := p.along(near)
	switch {
	case errors.Is(err2, ErrStopped):
		return nil, err2
	case err2 == nil && (err != nil || one.price.Compare(node.price) < 0):
		return one, nil
	case err == nil:
		return node, nil
	}
	if len(far) > fewDevices {
		return nil, err
	}
	for k := range far {
		first := slices.Concat(far[k:k+1], far[:k], far[k+1:])
		if m, err2 := p.along(first); err2 == nil || errors.Is(err2, ErrStopped) {
			return m, err2
		}
	}
	return nil, err
}

// along finds a way that takes the devices in an order where it may.
func (p *problem) along(devices []int) (*node, error) {
	p.order = devices
	p.forget()
	return p.solve()
}

// forget empties what was worked out for one search.
func (p *problem) forget() {
	p.bad, p.pages, p.afters, p.stuck = map[badKey]bad{}, map[pageKey][]wording.Step{}, map[pageKey]after{}, nil
}

// cutOff says of a last step that the plan itself takes the way to its device.
const cutOff = ": nothing reaches it there, as the plan is (management-cut). It is not saved, so that pulling the plug brings it back"

// findCut finds the devices that the plan itself leaves out of reach: what
// takes the way to them comes last, and it is said.
func (p *problem) findCut() {
	net := p.plan.net
	one := &world{problem: p, office: net.Office, net: net, reach: map[int]bool{}, manage: talk.ManagementIn(net)}
	one.at = spot{dev: net.Topo.DeviceIndex(p.home.Port.Device), port: p.home.Port.Port, vid: p.home.Wants, tagged: p.home.Tagged}
	one.tasks = make([]bool, len(p.tasks))
	p.cut = make([]bool, len(net.Office.Devices))
	for i, device := range net.Office.Devices {
		p.cut[i] = p.plan.at[i] >= 0 && device.Manage != nil && !one.reachable(i) && !one.console(i) && !one.walkable(i)
	}
	for _, task := range p.tasks {
		if task.manage && p.cut[task.dev] {
			task.text += cutOff
		}
	}
}

// neighbours is, by device, those that a cable joins it to in either office, and
// those beyond devices that know no tags.
func (p *problem) neighbours() [][]int {
	out := make([][]int, len(p.was.net.Office.Devices))
	join := func(a, b int) bool {
		if a == b || slices.Contains(out[a], b) {
			return false
		}
		out[a] = append(out[a], b)
		return true
	}
	for _, net := range []*span.Net{p.was.net, p.plan.net} {
		for _, link := range net.Topo.Links {
			join(link.A.Dev, link.B.Dev)
			join(link.B.Dev, link.A.Dev)
		}
	}
	for more := true; more; {
		more = false
		for i, device := range p.was.net.Office.Devices {
			if !device.Unaware() {
				continue
			}
			for _, a := range out[i] {
				for _, b := range out[i] {
					more = join(a, b) || more
				}
			}
		}
	}
	return out
}

// fromFar is the devices by how many cables are between them and the laptop, the
// most first, then by name.
func (p *problem) fromFar() []int {
	topology := p.plan.net.Topo
	at := topology.DeviceIndex(p.laptop.Port.Device)
	hops := make([]int, len(p.plan.net.Office.Devices))
	for i := range hops {
		hops[i] = len(hops)
	}
	hops[at] = 0
	for queue := []int{at}; len(queue) > 0; queue = queue[1:] {
		for _, link := range topology.Links {
			for _, e := range [][2]int{{link.A.Dev, link.B.Dev}, {link.B.Dev, link.A.Dev}} {
				if e[0] == queue[0] && hops[e[1]] == len(hops) {
					hops[e[1]] = hops[e[0]] + 1
					queue = append(queue, e[1])
				}
			}
		}
	}
	order := make([]int, len(hops))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int {
		if hops[a] != hops[b] {
			return hops[b] - hops[a]
		}
		return office.NaturalCompare(p.plan.net.Office.Devices[a].Name, p.plan.net.Office.Devices[b].Name)
	})
	return order
}

// progress tells whoever waits how much differs no longer, of what differed at the start. It never
// tells less than nothing: on the way more may differ than did in the beginning.
func (p *problem) progress(world *world) {
	if p.tell == nil {
		return
	}
	if p.whole == 0 {
		p.whole = max(1, world.remaining())
	}
	p.tell(max(0, p.whole-world.remaining()), p.whole)
}

// blinded is the devices that cannot be set any more from where one sits once a step of a way
// is done, and could before; none where the laptop is taken elsewhere at once, and all can be
// set from there.
func blinded(acts []*node, i int) (out []string) {
	one := acts[i]
	if i+1 < len(acts) && acts[i+1].act.kind == Laptop && len(acts[i+1].blind) == 0 {
		return nil
	}
	for _, at := range one.blind {
		if i == 0 || !slices.Contains(acts[i-1].blind, at) {
			out = append(out, one.world.office.Devices[at].Name)
		}
	}
	return out
}

// write tells a way as an order.
//
// Many branches: what stands before the first step and after the last is written with
// them.
func (p *problem) write(end *node) (*Order, error) {
	acts := chain(end)
	out := &Order{Was: p.original, Planned: p.final, Price: end.price, Leaves: p.takes()}
	for _, loan := range p.lent {
		out.Lent = append(out.Lent, office.PortRef{Device: end.world.office.Devices[loan.dev].Name, Port: loan.port})
	}
	writer := p.writer()
	says := func(node *node) bool { return node.act.kind != Check && node.act.kind != Save }
	first, last := slices.IndexFunc(acts, says), -1
	lastOf := map[int]int{}
	for i, node := range acts {
		if says(node) {
			last, lastOf[node.act.dev] = i, i
		}
	}
	if first < 0 {
		if err := writer.open(&out.Paper); err != nil {
			return nil, err
		}
		return out, writer.close(&out.Paper)
	}
	dev := -1
	for i, node := range acts {
		before := writer.net
		st := Step{Device: node.world.office.Devices[node.act.dev].Name, Kind: node.act.kind, Page: node.act.page, Text: node.act.text}
		if i == first {
			if err := writer.open(&st.Lines); err != nil {
				return nil, err
			}
			if p.opening != nil {
				before = p.was.from
			}
		}
		if says(node) {
			if err := writer.step(&st.Lines, node); err != nil {
				return nil, err
			}
		}
		if device := p.plan.from.Office.Device(st.Device); i == lastOf[node.act.dev] && says(node) && device != nil {
			if err := writer.like(&st.Lines, device, false); err != nil {
				return nil, err
			}
		}
		if i == last {
			if err := writer.close(&st.Lines); err != nil {
				return nil, err
			}
			writer.net = writer.net.Update(writer.office)
		}
		if node.act.dev != dev || node.act.kind == Laptop {
			dev = node.act.dev
			by := node.world.by(dev)
			if node.act.kind == CableStep { // that is done by hand
				by = AtPort
			}
			out.Visits = append(out.Visits, Visit{Device: st.Device, At: node.world.where(), By: by})
		}
		st.Visit = len(out.Visits) - 1
		st.Blind = blinded(acts, i)
		st.After = writer.office
		st.Told = append(told(before, writer.net), node.sitting()...)
		st.Back = backLines(node, before, writer.net)
		st.Undo, st.Changes = node.undo(), node.changes()
		out.Steps = append(out.Steps, st)
	}
	p.suffer(out, acts)
	p.parked(out, acts)
	partners(out, acts)
	p.far(out, acts)
	p.route(out, acts)
	return out, nil
}

// sitting says which address the laptop has from a step on that sets the port that it is
// plugged into otherwise; nothing where that stays as it is.
func (n *node) sitting() []string {
	if n.prev == nil || n.act.kind == Laptop {
		return nil
	}
	at := n.world.at
	if at.console || at.away || at.vid == n.prev.world.at.vid {
		return nil
	}
	return []string{fmt.Sprintf("The laptop stays at %s %s, in VLAN %s from here%s.", n.world.office.Devices[at.dev].Name, at.port, n.world.net.Name(at.vid), n.world.address(at, n.act.dev))}
}

// where is where the operator is.
func (w *world) where() string {
	d := w.office.Devices[w.at.dev].Name
	if w.at.away {
		return "" // nowhere yet
	}
	if w.at.console {
		return d + " console"
	}
	return office.PortRef{Device: d, Port: w.at.port}.String()
}

// backLines undoes a step on the line: its task's own, and every port that it set.
//
// Many branches: the task, the plug of the operator and the ports each go back in their
// own way.
func backLines(node *node, before, after *span.Net) []string {
	if node.act.kind == Check || node.act.kind == Save {
		return nil
	}
	var lines []string
	one := &writer{office: after.Office, net: after, problem: node.world.problem, plan: before.Office}
	try := func(text string) {
		if o, _, err := notation.Line(one.office, text); err == nil {
			one.office = o
			lines = append(lines, text)
		}
	}
	if task := node.act.task; task != nil {
		for _, text := range task.back {
			try(text)
		}
	}
	for _, plug := range one.office.Plugs {
		if plug.Operator && !slices.Contains(before.Office.Plugs, plug) {
			try("-plug " + notation.Ref(plug.Port) + " " + office.Quote(plug.Name))
		}
	}
	for _, plug := range before.Office.Plugs {
		if plug.Operator && !slices.Contains(one.office.Plugs, plug) {
			try(notation.Thing(plug))
		}
	}
	for _, device := range before.Office.Devices {
		was := one.office.Device(device.Name)
		if was == nil || was == device {
			continue
		}
		set := map[int]string{}
		for port := range device.Ports {
			at := was.Port(device.Ports[port].Name)
			if at < 0 || was.Ports[at].Bundle > 0 || device.Ports[port].Bundle > 0 {
				continue
			}
			a, b := was.Ports[at], device.Ports[port]
			if a.Because != b.Because || (a.Shape == nil) != (b.Shape == nil) || a.Shape != nil && !a.Shape.Equal(*b.Shape) {
				set[at] = planText(&b)
			}
		}
		_ = one.sayPorts(&lines, was, set)
	}
	return lines
}

// suffer says who is cut off and which VLANs meet, from which step to which.
func (p *problem) suffer(out *Order, acts []*node) {
	cut, joined := make([]map[[2]int]bool, len(acts)), make([]map[[2]office.VID]bool, len(acts))
	for i, node := range acts {
		if i > 0 && node.world.net == acts[i-1].world.net {
			cut[i], joined[i] = cut[i-1], joined[i-1]
		} else if node.world.verdict.cut+node.world.verdict.leaks > 0 {
			cut[i], joined[i] = p.judge.who(node.world.net, node.world.ports)
		}
		out.Leaks += len(joined[i])
	}
	at := func(i int) map[[2]int]bool {
		if i < 0 {
			return nil
		}
		return cut[i]
	}
	for i := range acts {
		by := map[office.VID]map[int]bool{}
		until := map[office.VID]int{}
		for pair := range cut[i] {
			if at(i - 1)[pair] {
				continue
			}
			vid := p.judge.vlan(pair[0])
			if by[vid] == nil {
				by[vid] = map[int]bool{}
			}
			by[vid][pair[0]], by[vid][pair[1]] = true, true
			k := i + 1
			for k < len(acts) && cut[k][pair] {
				k++
			}
			until[vid] = max(until[vid], k)
		}
		for vid, terms := range by {
			interrupt := Interrupt{VLAN: vid, Until: min(until[vid], len(acts)-1)}
			for t := range terms {
				interrupt.Ports = append(interrupt.Ports, p.judge.name(p, t))
			}
			slices.SortFunc(interrupt.Ports, office.NaturalCompare)
			interrupt.Ports = slices.Compact(interrupt.Ports)
			out.Steps[i].Interrupts = append(out.Steps[i].Interrupts, interrupt)
		}
		slices.SortFunc(out.Steps[i].Interrupts, func(a, b Interrupt) int { return int(a.VLAN) - int(b.VLAN) })
		for pair := range joined[i] {
			if i > 0 && joined[i-1][pair] {
				continue
			}
			k := i + 1
			for k < len(acts) && joined[k][pair] {
				k++
			}
			out.Steps[i].Joins = append(out.Steps[i].Joins, Join{pair, min(k, len(acts)-1)})
		}
		slices.SortFunc(out.Steps[i].Joins, func(a, b Join) int {
			return int(a.VLANs[0])<<12 + int(a.VLANs[1]) - int(b.VLANs[0])<<12 - int(b.VLANs[1])
		})
	}
}

// differs says what of a device is not as planned.
func (w *world) differs(i int) string {
	var out []string
	device, goal := w.office.Devices[i], w.problem.plan.net.Office.Devices[i]
	for port := range device.Ports {
		if at := goal.Port(device.Ports[port].Name); at >= 0 && device.Ports[port].Bundle == 0 && w.problem.words[i] != nil && !w.states[i].Ports[port].Alike(&w.problem.goals[i].Ports[at]) {
			out = append(out, fmt.Sprintf("port %s (%s, to be %s)", device.Ports[port].Name, notation.Shape(w.states[i].Ports[port].Shape()), notation.Shape(w.problem.goals[i].Ports[at].Shape())))
		}
	}
	for _, task := range w.problem.tasks {
		if task.dev == i && !w.tasks[task.at] {
			out = append(out, lower(strings.TrimSuffix(task.text, cutOff)))
		}
	}
	if len(out) > 3 {
		out = append(out[:3], "…")
	}
	return strings.Join(out, ", ")
}

// Seated is an office in which the operator's laptop has an address in the VLAN that
// its port really gives it, where that is another than it wants: as somebody found
// it, not as it should be.
func Seated(o *office.Office) *office.Office {
	i := slices.IndexFunc(o.Plugs, func(one office.Plug) bool { return one.Operator })
	if i < 0 || o.Plugs[i].Tagged {
		return o
	}
	net := span.Compile(o)
	plug := o.Plugs[i]
	dev := net.Topo.DeviceIndex(plug.Port.Device)
	device := o.Devices[dev]
	port := device.Logical(device.Port(plug.Port.Port))
	vid := net.Tables[dev].Ports[port].PVID
	if device.Unaware() || net.Gives(dev, port, plug.Wants, false) || vid == 0 || !net.Gives(dev, port, vid, false) {
		return o
	}
	plug.Wants, plug.At = vid, netip.Addr{}
	out := *o
	out.Plugs = slices.Clone(o.Plugs)
	out.Plugs[i] = plug
	return &out
}
