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
	for _, r := range no.Reasons {
		if slices.Contains(no.silent, r.Device) {
			says = append(says, r.Text)
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
	p, err := newProblem(from, besides(from, plan), renumbered(from, plan), opt.New)
	if err != nil {
		return nil, err
	}
	p.old = old
	p.final, p.opening, p.original = plan, opening, was
	if p.stop = opt.Stop; p.stop == nil {
		p.stop = func() bool { return false }
	}
	if stop := p.stop; opt.Most > 0 {
		p.stop = func() bool { return p.tries > opt.Most || stop() }
	}
	p.tell = opt.Progress
	n, err := p.best()
	if errors.Is(err, ErrStopped) && opt.Most > 0 && p.tries > opt.Most {
		return nil, ErrTooMuch
	}
	var no *Impossible
	if errors.As(err, &no) {
		if silent, some := p.silent(); some {
			no.silent = silent
		}
	}
	if err != nil {
		return nil, err
	}
	o, err := p.write(p.together(p.shorten(n)))
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
	p.across = newRouting(p.was.n, p.plan.n, p.numbers)
	far := p.fromFar()
	n, err := p.along(far)
	for _, more := range []bool{false, false, true} { // who stands at a device and needs a port of it is lent some
		if err == nil {
			break
		}
		lent := false
		for _, i := range p.stuck {
			lent = p.lendAt(i, more) || lent
		}
		if lent {
			p.j = newJudge(p.was, p.plan, p.lent, p.numbers, p.moves)
			n, err = p.along(far)
		}
	}
	if errors.Is(err, ErrStopped) || err == nil && len(far) > fewDevices {
		return n, err
	}
	near := slices.Clone(far)
	slices.Reverse(near)
	m, err2 := p.along(near)
	switch {
	case errors.Is(err2, ErrStopped):
		return nil, err2
	case err2 == nil && (err != nil || m.price.Compare(n.price) < 0):
		return m, nil
	case err == nil:
		return n, nil
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
	n := p.plan.n
	w := &world{p: p, o: n.Office, n: n, reach: map[int]bool{}, manage: talk.ManagementIn(n)}
	w.at = spot{dev: n.Topo.DeviceIndex(p.home.Port.Device), port: p.home.Port.Port, vid: p.home.Wants, tagged: p.home.Tagged}
	w.tasks = make([]bool, len(p.tasks))
	p.cut = make([]bool, len(n.Office.Devices))
	for i, d := range n.Office.Devices {
		p.cut[i] = p.plan.at[i] >= 0 && d.Manage != nil && !w.reachable(i) && !w.console(i) && !w.walkable(i)
	}
	for _, t := range p.tasks {
		if t.manage && p.cut[t.dev] {
			t.text += cutOff
		}
	}
}

// neighbours is, by device, those that a cable joins it to in either office, and
// those beyond devices that know no tags.
func (p *problem) neighbours() [][]int {
	out := make([][]int, len(p.was.n.Office.Devices))
	join := func(a, b int) bool {
		if a == b || slices.Contains(out[a], b) {
			return false
		}
		out[a] = append(out[a], b)
		return true
	}
	for _, n := range []*span.Net{p.was.n, p.plan.n} {
		for _, l := range n.Topo.Links {
			join(l.A.Dev, l.B.Dev)
			join(l.B.Dev, l.A.Dev)
		}
	}
	for more := true; more; {
		more = false
		for i, d := range p.was.n.Office.Devices {
			if !d.Unaware() {
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
	t := p.plan.n.Topo
	at := t.DeviceIndex(p.laptop.Port.Device)
	hops := make([]int, len(p.plan.n.Office.Devices))
	for i := range hops {
		hops[i] = len(hops)
	}
	hops[at] = 0
	for queue := []int{at}; len(queue) > 0; queue = queue[1:] {
		for _, l := range t.Links {
			for _, e := range [][2]int{{l.A.Dev, l.B.Dev}, {l.B.Dev, l.A.Dev}} {
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
		return office.NaturalCompare(p.plan.n.Office.Devices[a].Name, p.plan.n.Office.Devices[b].Name)
	})
	return order
}

func (p *problem) progress(w *world) {
	if p.tell == nil {
		return
	}
	if p.whole == 0 {
		p.whole = max(1, w.remaining())
	}
	p.tell(max(0, p.whole-w.remaining()), p.whole)
}

// write tells a way as an order.
func (p *problem) write(end *node) (*Order, error) {
	acts := chain(end)
	out := &Order{Was: p.original, Planned: p.final, Price: end.price, Leaves: leaves(p.was.from, p.plan.from)}
	for _, l := range p.lent {
		out.Lent = append(out.Lent, office.PortRef{Device: end.w.o.Devices[l.dev].Name, Port: l.port})
	}
	w := p.writer()
	says := func(n *node) bool { return n.act.kind != Check && n.act.kind != Save }
	first, last := -1, -1
	lastOf := map[int]int{}
	for i, n := range acts {
		if says(n) {
			if first < 0 {
				first = i
			}
			last = i
			lastOf[n.act.dev] = i
		}
	}
	if first < 0 {
		if err := w.open(&out.Paper); err != nil {
			return nil, err
		}
		return out, w.close(&out.Paper)
	}
	dev := -1
	for i, n := range acts {
		before := w.n
		st := Step{Device: n.w.o.Devices[n.act.dev].Name, Kind: n.act.kind, Page: n.act.page, Text: n.act.text}
		if i == first {
			if err := w.open(&st.Lines); err != nil {
				return nil, err
			}
			if p.opening != nil {
				before = p.was.from
			}
		}
		if says(n) {
			if err := w.step(&st.Lines, n); err != nil {
				return nil, err
			}
		}
		if d := p.plan.from.Office.Device(st.Device); i == lastOf[n.act.dev] && says(n) && d != nil {
			if err := w.like(&st.Lines, d, false); err != nil {
				return nil, err
			}
		}
		if i == last {
			if err := w.close(&st.Lines); err != nil {
				return nil, err
			}
			w.n = w.n.Update(w.o)
		}
		if n.act.dev != dev || n.act.kind == Laptop {
			dev = n.act.dev
			by := n.w.by(dev)
			if n.act.kind == CableStep { // that is done by hand
				by = AtPort
			}
			out.Visits = append(out.Visits, Visit{Device: st.Device, At: n.w.where(), By: by})
		}
		st.Visit = len(out.Visits) - 1
		if len(n.blind) > 0 && !(i+1 < len(acts) && acts[i+1].act.kind == Laptop && len(acts[i+1].blind) == 0) {
			for _, k := range n.blind {
				if i == 0 || !slices.Contains(acts[i-1].blind, k) {
					st.Blind = append(st.Blind, n.w.o.Devices[k].Name)
				}
			}
		}
		st.After = w.o
		st.Told = told(before, w.n)
		st.Back = backLines(n, before, w.n)
		st.Undo, st.Changes = n.undo(), n.changes()
		out.Steps = append(out.Steps, st)
	}
	p.suffer(out, acts)
	p.parked(out, acts)
	partners(out, acts)
	p.far(out, acts)
	p.route(out, acts)
	return out, nil
}

// where is where the operator is.
func (w *world) where() string {
	d := w.o.Devices[w.at.dev].Name
	if w.at.away {
		return "" // nowhere yet
	}
	if w.at.console {
		return d + " console"
	}
	return office.PortRef{Device: d, Port: w.at.port}.String()
}

// backLines undoes a step on the line: its task's own, and every port that it set.
func backLines(n *node, before, after *span.Net) []string {
	if n.act.kind == Check || n.act.kind == Save {
		return nil
	}
	var lines []string
	w := &writer{o: after.Office, n: after, p: n.w.p, plan: before.Office}
	try := func(text string) {
		if o, _, err := notation.Line(w.o, text); err == nil {
			w.o = o
			lines = append(lines, text)
		}
	}
	if t := n.act.task; t != nil {
		for _, text := range t.back {
			try(text)
		}
	}
	for _, x := range w.o.Plugs {
		if x.Operator && !slices.Contains(before.Office.Plugs, x) {
			try("-plug " + notation.Ref(x.Port) + " " + office.Quote(x.Name))
		}
	}
	for _, x := range before.Office.Plugs {
		if x.Operator && !slices.Contains(w.o.Plugs, x) {
			try(notation.Thing(x))
		}
	}
	for _, d := range before.Office.Devices {
		was := w.o.Device(d.Name)
		if was == nil || was == d {
			continue
		}
		set := map[int]string{}
		for q := range d.Ports {
			k := was.Port(d.Ports[q].Name)
			if k < 0 || was.Ports[k].Bundle > 0 || d.Ports[q].Bundle > 0 {
				continue
			}
			a, b := was.Ports[k], d.Ports[q]
			if a.Because != b.Because || (a.Shape == nil) != (b.Shape == nil) || a.Shape != nil && !a.Shape.Equal(*b.Shape) {
				set[k] = planText(&b)
			}
		}
		_ = w.sayPorts(&lines, was, set)
	}
	return lines
}

// suffer says who is cut off and which VLANs meet, from which step to which.
func (p *problem) suffer(out *Order, acts []*node) {
	cut, joined := make([]map[[2]int]bool, len(acts)), make([]map[[2]office.VID]bool, len(acts))
	for i, n := range acts {
		if i > 0 && n.w.n == acts[i-1].w.n {
			cut[i], joined[i] = cut[i-1], joined[i-1]
		} else if n.w.v.cut+n.w.v.leaks > 0 {
			cut[i], joined[i] = p.j.who(n.w.n, n.w.ports)
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
			v := p.j.vlan(pair[0])
			if by[v] == nil {
				by[v] = map[int]bool{}
			}
			by[v][pair[0]], by[v][pair[1]] = true, true
			k := i + 1
			for k < len(acts) && cut[k][pair] {
				k++
			}
			until[v] = max(until[v], k)
		}
		for v, terms := range by {
			x := Interrupt{VLAN: v, Until: min(until[v], len(acts)-1)}
			for t := range terms {
				x.Ports = append(x.Ports, p.j.name(p, t))
			}
			slices.SortFunc(x.Ports, office.NaturalCompare)
			x.Ports = slices.Compact(x.Ports)
			out.Steps[i].Interrupts = append(out.Steps[i].Interrupts, x)
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
	d, goal := w.o.Devices[i], w.p.plan.n.Office.Devices[i]
	for q := range d.Ports {
		if g := goal.Port(d.Ports[q].Name); g >= 0 && d.Ports[q].Bundle == 0 && w.p.words[i] != nil && !w.states[i].Ports[q].Alike(&w.p.goals[i].Ports[g]) {
			out = append(out, fmt.Sprintf("port %s (%s, to be %s)", d.Ports[q].Name, notation.Shape(w.states[i].Ports[q].Shape()), notation.Shape(w.p.goals[i].Ports[g].Shape())))
		}
	}
	for _, t := range w.p.tasks {
		if t.dev == i && !w.tasks[t.at] {
			out = append(out, t.text)
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
	i := slices.IndexFunc(o.Plugs, func(p office.Plug) bool { return p.Operator })
	if i < 0 || o.Plugs[i].Tagged {
		return o
	}
	n := span.Compile(o)
	plug := o.Plugs[i]
	dev := n.Topo.DeviceIndex(plug.Port.Device)
	d := o.Devices[dev]
	port := d.Logical(d.Port(plug.Port.Port))
	v := n.Tables[dev].Ports[port].PVID
	if d.Unaware() || n.Gives(dev, port, plug.Wants, false) || v == 0 || !n.Gives(dev, port, v, false) {
		return o
	}
	plug.Wants, plug.At = v, netip.Addr{}
	out := *o
	out.Plugs = slices.Clone(o.Plugs)
	out.Plugs[i] = plug
	return &out
}
