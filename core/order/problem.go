package order

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// Reason is what stands against an order, and what would help.
type Reason struct {
	Device string // "" for the whole office
	Text   string
}

// Impossible says why there is no order.
type Impossible struct {
	Reasons []Reason
	silent  []string // devices that nobody reaches, where others have something to do
}

func (e *Impossible) Error() string {
	var lines []string
	for _, r := range e.Reasons {
		lines = append(lines, r.Text)
	}
	return strings.Join(lines, "\n")
}

// origin is one of the two offices that an order leads between.
type origin struct {
	n    *span.Net // every shape written out, devices in the order of both offices
	from *span.Net // as it was given
	at   []int     // by device: its place in from; -1 where it is not in it
	has  map[terminal]bool
	// numbers is what VLANs are known by; none in the office as planned.
	numbers numbers
}

// stands says whether a terminal is one in this office.
func (x *origin) stands(t *terminal) bool {
	k := *t
	k.kind = 0
	return x.has[k]
}

// each lists the terminals at a device, by what is written there.
func (x *origin) each(dev int, add func(port string, wire bridge.Wire, v office.VID)) {
	k := x.at[dev]
	if k < 0 {
		return
	}
	n := x.from
	d := n.Office.Devices[k]
	put := func(port string, wire bridge.Wire, v office.VID) {
		t := terminal{dev: dev, port: port, wire: wire, vid: x.numbers.of(v)}
		if port != "" {
			t.vid = 0
		}
		x.has[t] = true
		add(port, wire, t.vid)
	}
	for _, p := range n.Topo.PlugsAt(k) {
		plug := &n.Office.Plugs[p]
		wire := bridge.Untagged
		if plug.Tagged {
			wire = bridge.Wire(plug.Wants)
		}
		put(d.Ports[d.Logical(d.Port(plug.Port.Port))].Name, wire, 0)
	}
	for _, a := range d.Addresses {
		put("", 0, a.VID)
	}
	if d.Manage != nil {
		put("", 0, d.Manage.VID)
	}
	if d.Unaware() {
		return
	}
	host := d.TalksItself()
	for p := range d.Ports {
		shape, _ := n.Shape(k, p)
		if d.Ports[p].Bundle > 0 || shape.Off {
			continue
		}
		compiled := n.Tables[k].Ports[p]
		inner := d.Ports[p].Kind == office.Inner
		if !inner && !host && len(n.Topo.LinksAt(k, p)) > 0 {
			continue
		}
		for _, v := range shape.Untagged {
			switch {
			case host:
				put("", 0, v)
			case inner || !n.IsParked(v):
				put(d.Ports[p].Name, bridge.Untagged, 0)
			}
		}
		tagged := office.SetOf(shape.Tagged...)
		if inner {
			tagged = compiled.Tagged.And(n.Registered())
		}
		for v := range tagged.All() {
			switch {
			case host:
				put("", 0, v)
			case inner || !n.IsParked(v):
				put(d.Ports[p].Name, compiled.WireOf(v), 0)
			}
		}
	}
}

// problem is what an order is to be found for.
type problem struct {
	was, plan *origin
	final     *office.Office // the plan, with the names of its own: see [besides]
	numbers   numbers
	j         *judge
	goals     []wording.State // by device
	words     []*wording.Device
	tasks     []*task
	original  *office.Office // as it is, before them
	moves     []plugMove
	lines     []lineMove
	old       map[string]bool // devices that new ones take the place of
	opening   []string        // statements that come before all others: see [replaced]
	away      bool            // the operator's laptop is nowhere yet
	laptop    office.Plug     // the operator's, before
	home      office.Plug     // and after
	lent      []loan
	stuck     []int  // devices that a search could not finish
	cut       []bool // by device: as planned, nothing reaches its management
	order     []int  // devices as they are tried: farthest from the laptop first
	stop      func() bool
	tell      func(done, of int)
	tries     int
	pages     map[pageKey][]wording.Step
	afters    map[pageKey]after
	scratch   []wording.Setting // of the goal that was asked for last
	across    *routing
	// bad is states of devices that harmed somebody, with what was around then.
	bad    map[badKey]bad
	beside [][]int // by device: those that it is cabled to, and those beyond what knows no tags
	whole  int     // what differed at the start
}

// newProblem reads the two offices.
func newProblem(was, plan *office.Office, renumbered numbers, fresh []string) (*problem, error) {
	var why []Reason
	against := func(device, format string, args ...any) {
		why = append(why, Reason{device, fmt.Sprintf(format, args...)})
	}
	p := &problem{numbers: renumbered}
	for _, side := range []struct {
		o    *office.Office
		into *office.Plug
	}{{was, &p.laptop}, {plan, &p.home}} {
		i := slices.IndexFunc(side.o.Plugs, func(x office.Plug) bool { return x.Operator })
		if i < 0 && side.o == plan {
			against("", "As planned, no plug is the operator's, so nobody knows from where devices are set: where will you sit? Say it, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		}
		if i < 0 && side.o == was && (len(was.Plugs) > 0 || slices.ContainsFunc(was.Devices, everSet)) { // where nothing is plugged in or set yet, nor is the laptop
			against("", "As it is, no plug is the operator's, so nobody knows from where devices are set: say where the laptop is, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		}
		if i >= 0 {
			*side.into = side.o.Plugs[i]
		}
	}
	for _, x := range was.Devices {
		if plan.Device(x.Name) != nil {
			continue
		}
		for _, y := range plan.Devices {
			if was.Device(y.Name) == nil && !slices.Contains(fresh, y.Name) && !strings.HasPrefix(x.Name, oldName(y.Name)) && renamed(was, plan, x, y) {
				against(y.Name, "%s is not planned, and %s is planned and not there, with the same front: if they are one device, call it by one name in both; if it is another, say so by another kind or front.", x.Name, y.Name)
			}
		}
	}
	for _, y := range plan.Devices {
		x := was.Device(y.Name)
		if x == nil {
			continue
		}
		if a, b := front(x), front(y); a != b {
			against(y.Name, "%s has the ports %s as it is and %s as planned: if it is another device, give it another name, or say that a new one takes its place (--new %s).", y.Name, a, b, y.Name)
		}
	}
	if why != nil {
		return nil, &Impossible{Reasons: why}
	}
	if p.away = p.laptop.Name == ""; p.away { // nobody has plugged it in yet
		p.laptop = p.home
	}
	for _, x := range Seated(was).Plugs { // where the laptop really is
		if x.Operator {
			p.laptop = x
		}
	}
	p.align(was, plan)
	p.goals = make([]wording.State, len(p.plan.n.Office.Devices))
	p.words = make([]*wording.Device, len(p.goals))
	for i, d := range p.plan.n.Office.Devices {
		p.words[i] = wording.For(p.plan.n, i)
		if p.words[i] == nil {
			continue
		}
		p.goals[i] = wording.Planned(p.plan.n, i)
		if same := p.was.n.Office.Devices[i]; p.was.at[i] >= 0 && sameSettings(same, d) {
			continue
		}
		for _, u := range wording.Cannot(p.words[i], p.goals[i]) {
			near := u.Nearest.Shape()
			shape := u.Was.Shape()
			against(d.Name, "%s cannot be set as planned: %s %s is to be %s, and %s. What comes nearest is %s.", d.Name, "port", d.Ports[u.Port].Name, notation.Shape(shape), u.Why, notation.Shape(near))
		}
	}
	if why != nil {
		return nil, &Impossible{Reasons: why}
	}
	p.findTasks()
	p.lend()
	p.j = newJudge(p.was, p.plan, p.lent, p.numbers, p.moves)
	return p, nil
}

func front(d *office.Device) string {
	at := make([]int, d.Front())
	for i := range at {
		at[i] = i
	}
	return notation.Ports(d, at)
}

// renamed says whether two devices look like one under two names: what they are,
// what they have, and where they are managed or cabled.
func renamed(was, plan *office.Office, a, b *office.Device) bool {
	if a.Kind != b.Kind || front(a) != front(b) {
		return false
	}
	if a.Manage != nil && b.Manage != nil && a.Manage.Addr.IsValid() && a.Manage.Addr == b.Manage.Addr {
		return true
	}
	ends := func(o *office.Office, d *office.Device) map[office.PortRef]string {
		m := map[office.PortRef]string{}
		for _, c := range o.Cables {
			if c.A.Device == d.Name {
				m[c.B] = c.A.Port
			} else if c.B.Device == d.Name {
				m[c.A] = c.B.Port
			}
		}
		return m
	}
	x, y := ends(was, a), ends(plan, b)
	if len(x) == 0 || len(x) != len(y) {
		return false
	}
	for far, port := range x {
		if y[far] != port {
			return false
		}
	}
	return true
}

func sameSettings(a, b *office.Device) bool {
	if len(a.Ports) != len(b.Ports) {
		return false
	}
	for i := range a.Ports {
		x, y := a.Ports[i].Shape, b.Ports[i].Shape
		if (x == nil) != (y == nil) || x != nil && !x.Equal(*y) {
			return false
		}
	}
	return true
}

// align brings both offices to the same devices in the same order, every shape
// written out: new devices are there from the start, as they come out of their
// boxes, and those that go stay to the end, without a cable.
func (p *problem) align(was, plan *office.Office) {
	a, b := &origin{from: span.Compile(was), has: map[terminal]bool{}, numbers: p.numbers}, &origin{from: span.Compile(plan), has: map[terminal]bool{}}
	register := slices.Clone(plan.VLANs)
	for _, v := range was.VLANs {
		if plan.VLAN(v.VID) == nil {
			register = append(register, v)
		}
	}
	slices.SortFunc(register, func(x, y *office.VLAN) int { return int(x.VID) - int(y.VID) })
	services := slices.Clone(plan.Services)
	for _, s := range was.Services {
		if plan.Service(s.Name) == nil {
			services = append(services, s)
		}
	}
	var before, after []*office.Device
	for i, d := range was.Devices {
		k := b.from.Topo.DeviceIndex(d.Name)
		x := concrete(a.from, i)
		y := x
		if k >= 0 {
			y = concrete(b.from, k)
			x = x.Clone()
			paper(x, y)
			x.Seal()
		} else {
			y = y.Clone().Seal()
		}
		a.at, b.at = append(a.at, i), append(b.at, k)
		before, after = append(before, x), append(after, y)
	}
	for k, d := range plan.Devices {
		if was.Device(d.Name) == nil {
			a.at, b.at = append(a.at, -1), append(b.at, k)
			before, after = append(before, boxed(b.from, k)), append(after, concrete(b.from, k))
		}
	}
	a.n = span.Compile(&office.Office{VLANs: register, Services: services, Devices: before, Cables: was.Cables})
	b.n = span.Compile(&office.Office{VLANs: register, Services: services, Devices: after, Cables: plan.Cables})
	p.was, p.plan = a, b
}

// concrete is a device with every shape written out as it is in force.
func concrete(n *span.Net, i int) *office.Device {
	d := n.Office.Devices[i].Clone()
	d.Follows = ""
	for q := range d.Ports {
		d.Ports[q].Because = ""
		if d.Ports[q].Bundle > 0 {
			d.Ports[q].Shape = nil
			continue
		}
		shape := settingOf(n, i, q).Shape()
		d.Ports[q].Shape = &shape
	}
	return d.Seal()
}

func settingOf(n *span.Net, dev, port int) wording.Setting {
	return wording.Compiled(n.Tables[dev].Ports[port])
}

// paper gives x what is only said about a device and not set on it.
func paper(x, y *office.Device) {
	x.Kind, x.Wording, x.Limits, x.Adjacent, x.Console, x.Factory = y.Kind, y.Wording, y.Limits, y.Adjacent, y.Console, y.Factory
	for i := 0; i < x.Front() && i < y.Front(); i++ {
		x.Ports[i].Speed, x.Ports[i].Inside = y.Ports[i].Speed, y.Ports[i].Inside
	}
}

// boxed is a planned device as it comes out of its box.
func boxed(n *span.Net, i int) *office.Device {
	x := n.Office.Devices[i].Clone()
	x.Follows, x.Addresses, x.Outsides, x.Routes, x.Rules, x.NoRouting = "", nil, nil, nil, nil, false
	x.State, x.Between, x.Within = "", "", ""
	x.Ports = x.Ports[:x.Front()]
	for p := range x.Ports {
		x.Ports[p].Shape, x.Ports[p].Because, x.Ports[p].Bundle = &office.Shape{}, "", 0
	}
	if x.Manage != nil {
		x.Manage = &office.Manage{VID: office.DefaultVID}
		if f := x.Factory; f != nil {
			x.Manage = &office.Manage{VID: f.VID, Addr: f.Prefix.Addr(), Bits: f.Prefix.Bits()}
		}
	}
	x.Seal()
	alone := span.Compile(&office.Office{VLANs: n.Office.VLANs, Devices: []*office.Device{x}})
	w := wording.For(alone, 0)
	if w == nil {
		return x
	}
	state := wording.Factory(w)
	y := x.Clone()
	open := false
	for p := range y.Ports {
		shape := state.Ports[p].Shape()
		y.Ports[p].Shape = &shape
		open = open || y.Manage != nil && shape.Of(y.Manage.VID) == office.Untagged
	}
	if !open { // nothing of it answers before it is set
		y.Manage = nil
	}
	return y.Seal()
}

// cabled says whether a device has a cable, as it is.
func (p *problem) cabled(i int) bool {
	return slices.ContainsFunc(p.was.n.Topo.Links, func(l graph.Link) bool { return l.A.Dev == i || l.B.Dev == i })
}

// used says whether something is in a port, in either office: a cable, or a plug.
func (p *problem) used(r office.PortRef) bool {
	for _, x := range []*origin{p.was, p.plan} {
		if _, _, ok := x.from.Office.CableAt(r); ok || slices.ContainsFunc(x.from.Office.Plugs, func(q office.Plug) bool { return q.Port == r }) {
			return true
		}
	}
	return false
}

// task is an act that is no setting of ports: a bundle made, an address given, a
// cable plugged.
type task struct {
	dev     int // where it is done
	kind    Kind
	page    string
	text    string
	lines   []string // statements on the line; those of ports come by themselves
	back    []string
	undo    string  // what somebody does to take a cable step back
	after   []*task // that are done before
	inner   bool    // it changes which ports there are
	plugs   []office.Cable
	pulls   []office.Cable
	refs    []office.PortRef // ports that are as planned before
	joins   []string         // ports of a bundle, whose own settings go
	manage  bool
	to      *office.Manage // of management
	risky   bool
	address netip.Prefix               // the address that is given
	vid     office.VID                 // in which VLAN
	zone    string                     // and zone
	routes  bool                       // it is on addresses, lines, routes or rules
	box     bool                       // the device comes out of its box
	away    bool                       // the device goes
	device  func(d *office.Device)     // for those that change one device
	others  func(all []*office.Device) // and what that takes from others; of a list that may be changed
	at      int                        // its place in problem.tasks
}

func (p *problem) add(t *task) *task {
	t.at = len(p.tasks)
	p.tasks = append(p.tasks, t)
	return t
}

// findTasks lists what is to be done beside the settings of ports.
func (p *problem) findTasks() {
	for i, a := range p.was.n.Office.Devices {
		b := p.plan.n.Office.Devices[i]
		if p.was.at[i] < 0 {
			p.unpack(i)
		}
		p.structure(i, a, b)
		p.routing(i, a, b)
		if p.plan.at[i] >= 0 && !sameManage(a.Manage, b.Manage) && (managedBy(b) == nil || hasAddress(a, managedBy(b))) {
			p.manages(i, a, b)
		}
	}
	p.cables()
	p.outsideLines()
	p.ends()
	for i, d := range p.was.n.Office.Devices {
		if p.plan.at[i] < 0 {
			p.add(&task{dev: i, kind: CableStep, page: "Rack", text: "Take " + d.Name + " away", undo: "Put " + d.Name + " back", lines: []string{"-device " + d.Name}, away: true, after: slices.Clone(p.tasks)})
		}
	}
}

// ends is what is plugged in that goes, comes or moves; the operator's laptop
// aside.
func (p *problem) ends() {
	a, b := p.was.from.Office, p.plan.from.Office
	at := func(list []office.Plug, x office.Plug) bool {
		return slices.ContainsFunc(list, func(y office.Plug) bool { return x.Port == y.Port && x.Name == y.Name })
	}
	minus := func(x office.Plug) string { return "-plug " + notation.Ref(x.Port) + " " + office.Quote(x.Name) }
	dev := func(x office.Plug) int { return p.was.n.Topo.DeviceIndex(x.Port.Device) }
	moved := map[string]bool{}
	type wire struct { // who hangs behind one another is plugged in and moved with it
		t     *task
		names []string
	}
	wires := map[[2]office.PortRef]*wire{}
	wireOf := func(from office.PortRef, y office.Plug) *wire {
		way := [2]office.PortRef{from, y.Port}
		if wires[way] == nil {
			wires[way] = &wire{t: p.add(&task{dev: dev(y), kind: CableStep, page: "Plugs", refs: []office.PortRef{y.Port}})}
		}
		wires[way].names = append(wires[way].names, y.Name)
		return wires[way]
	}
	for _, y := range b.Plugs {
		if y.Operator || at(a.Plugs, y) {
			continue
		}
		k := slices.IndexFunc(a.Plugs, func(x office.Plug) bool { return x.Name == y.Name && !x.Operator && !at(b.Plugs, x) && !moved[x.Name] })
		if k < 0 {
			one := wireOf(office.PortRef{}, y)
			who := strings.Join(one.names, " and ")
			one.t.text, one.t.undo = fmt.Sprintf("Plug %s into %s", who, portText(y.Port)), fmt.Sprintf("Unplug %s from %s", who, portText(y.Port))
			one.t.lines, one.t.back = append(one.t.lines, notation.Thing(y)), append(one.t.back, minus(y))
			continue
		}
		x := a.Plugs[k]
		moved[x.Name] = true
		one := wireOf(x.Port, y)
		who := strings.Join(one.names, " and ")
		one.t.text = fmt.Sprintf("Move %s from %s to %s", who, portText(x.Port), portText(y.Port))
		one.t.undo = fmt.Sprintf("Move %s from %s to %s", who, portText(y.Port), portText(x.Port))
		one.t.lines, one.t.back = append(one.t.lines, minus(x), notation.Thing(y)), append(one.t.back, minus(y), notation.Thing(x))
		p.moves = append(p.moves, plugMove{one.t, p.terminalOf(a, x), p.terminalOf(b, y)})
	}
	for _, x := range a.Plugs {
		if !x.Operator && !at(b.Plugs, x) && !moved[x.Name] && p.plan.at[dev(x)] >= 0 {
			p.add(&task{dev: dev(x), kind: CableStep, page: "Plugs", text: fmt.Sprintf("Unplug %s from %s", x.Name, portText(x.Port)), undo: fmt.Sprintf("Plug %s into %s", x.Name, portText(x.Port)), lines: []string{minus(x)}, back: []string{notation.Thing(x)}})
		}
	}
}

// plugMove is what is plugged in elsewhere on the way.
type plugMove struct {
	task     *task
	from, to terminal
}

// terminalOf is what is plugged in as somebody who talks.
func (p *problem) terminalOf(o *office.Office, x office.Plug) terminal {
	d := o.Device(x.Port.Device)
	t := terminal{dev: p.was.n.Topo.DeviceIndex(x.Port.Device), port: d.Ports[d.Logical(d.Port(x.Port.Port))].Name, wire: bridge.Untagged}
	if x.Tagged {
		t.wire = bridge.Wire(x.Wants)
	}
	return t
}

// routes says whether a cable that is plugged or pulled is at a device that routes, so that
// what passes between VLANs may change.
func (p *problem) routes(t *task) bool {
	for _, c := range slices.Concat(t.plugs, t.pulls) {
		for _, r := range []office.PortRef{c.A, c.B} {
			for _, x := range []*origin{p.was, p.plan} {
				if d := x.n.Office.Device(r.Device); d != nil && d.Routing() {
					return true
				}
			}
		}
	}
	return false
}

// outsideLines are the lines to the outside, by their names, that come to be at another
// port: somebody plugs them in there, once it is set for that. A device that goes gives its
// line up with that.
func (p *problem) outsideLines() {
	for i, d := range p.was.n.Office.Devices {
		for _, l := range d.Outsides {
			k := slices.IndexFunc(p.plan.n.Office.Devices, func(y *office.Device) bool {
				return p.plan.from.Office.Device(y.Name) != nil && slices.ContainsFunc(y.Outsides, func(x office.Outside) bool { return x.Name == l.Name })
			})
			if k < 0 {
				continue
			}
			y := p.plan.n.Office.Devices[k]
			to := y.Outsides[slices.IndexFunc(y.Outsides, func(x office.Outside) bool { return x.Name == l.Name })]
			if k == i && to.On == l.On {
				continue
			}
			t := &task{dev: k, kind: CableStep, page: "Cables", routes: true,
				text: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", l.Name, d.Name, l.On, y.Name, to.On),
				undo: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", l.Name, y.Name, to.On, d.Name, l.On)}
			for _, x := range p.tasks { // the address, the rules and the line itself are there first
				if x.dev == k && (x.routes || x.box) {
					t.after = append(t.after, x)
				}
			}
			routes := slices.DeleteFunc(slices.Clone(y.Routes), func(r office.Route) bool { return r.Line != l.Name })
			t.device = func(x *office.Device) { // from now on it leads out
				if !slices.Contains(x.Outsides, to) {
					x.Outsides = append(slices.Clone(x.Outsides), to)
					x.Routes = append(slices.Clone(x.Routes), routes...)
				}
			}
			t.others = func(all []*office.Device) { all[i] = without(all[i], l.Name) }
			if p.plan.at[i] < 0 {
				t.gives(d, l)
			}
			p.lines = append(p.lines, lineMove{k, l.Name})
			p.add(t)
		}
	}
}

// without is a device without a line to the outside and the routes by it.
func without(d *office.Device, line string) *office.Device {
	x := d.Clone()
	x.Outsides = slices.DeleteFunc(slices.Clone(x.Outsides), func(y office.Outside) bool { return y.Name == line })
	x.Routes = slices.DeleteFunc(slices.Clone(x.Routes), func(r office.Route) bool { return r.Line == line })
	return x.Seal()
}

// lineMove is a line to the outside that is plugged into another device.
type lineMove struct {
	to   int
	name string
}

// gives says that a device that goes has a line no more, nor the routes by it.
func (t *task) gives(d *office.Device, l office.Outside) {
	for _, r := range d.Routes {
		if r.Line == l.Name {
			t.lines = append(t.lines, fmt.Sprintf("-%s route %s", d.Name, r))
		}
	}
	t.lines = append(t.lines, fmt.Sprintf("-%s outside %s", d.Name, l.Name))
	t.back = append(t.back, d.Name+" "+notation.OutsideText(l))
}

func sameManage(a, b *office.Manage) bool {
	return a == b || a != nil && b != nil && *a == *b
}

// managedBy is the address of a device that is its management too, nil where that is a
// host of its own: one thing, and one step.
func managedBy(d *office.Device) *office.Address {
	if d.Manage == nil || !d.Manage.Addr.IsValid() {
		return nil
	}
	if a := d.Own(d.Manage.Addr); a != nil && a.VID == d.Manage.VID {
		return a
	}
	return nil
}

// hasAddress says whether a device has an address, whatever else is said of it.
func hasAddress(d *office.Device, a *office.Address) bool {
	return slices.ContainsFunc(d.Addresses, func(b office.Address) bool { return b.VID == a.VID && b.Prefix == a.Prefix })
}

// manageLine says on the line where a device is managed.
func manageLine(d *office.Device, m *office.Manage) string {
	if m == nil {
		return "-" + d.Name + " manage"
	}
	return d.Name + " " + notation.ManageText(m)
}

func (p *problem) manages(i int, a, b *office.Device) {
	text := "Management is not said to be anywhere any more"
	if b.Manage != nil {
		text = wording.ManagedIn(p.plan.n, b.Manage).Text
	}
	to := b.Manage
	t := p.add(&task{dev: i, kind: Manage, page: "Management", text: text, lines: []string{manageLine(a, b.Manage)}, back: []string{manageLine(a, a.Manage)}, manage: true, to: to, risky: true})
	// Management stands behind the device's processor port, where it has one: both
	// move as one.
	behind := map[string]*office.Shape{}
	for k := range b.Ports {
		x := &b.Ports[k]
		if was := a.Port(x.Name); x.Flavour == office.Processor && was >= 0 && !a.Ports[was].Shape.Equal(*x.Shape) {
			behind[x.Name] = x.Shape
			t.inner = true
			t.text += fmt.Sprintf(", with the inner port %s: %s", x.Name, notation.Shape(*x.Shape))
		}
	}
	t.device = func(d *office.Device) {
		d.Manage = to
		for name, shape := range behind {
			d.Ports[d.Port(name)].Shape = shape
		}
	}
}

// unpack is the first act on a new device; it stands for the device's statement.
func (p *problem) unpack(i int) {
	d := p.was.n.Office.Devices[i]
	p.add(&task{dev: i, kind: CableStep, page: "Box", text: fmt.Sprintf("Unpack %s and power it; nothing is plugged into it yet", d.Name), undo: "Put " + d.Name + " back into its box", lines: deviceLines(d), back: []string{"-device " + d.Name}, box: true})
}

// structure is bundles, inner ports and the way to forward.
func (p *problem) structure(i int, a, b *office.Device) {
	name := a.Name
	if a.Forwarding != b.Forwarding {
		f := b.Forwarding
		p.add(&task{dev: i, kind: Set, page: "Forwarding", text: "Forwarding: " + f.String(), lines: []string{name + " forwarding " + f.String()}, back: []string{name + " forwarding " + a.Forwarding.String()}, inner: true, risky: true,
			device: func(d *office.Device) { d.Forwarding = f }})
	}
	quoted := func(s string) string { return notation.Ref(office.PortRef{Device: "x", Port: s})[2:] }
	bundle := func(d *office.Device, x *office.Port) string {
		return fmt.Sprintf("%s bundle %s %s %s", name, quoted(x.Name), x.Mode, notation.Ports(d, x.Members))
	}
	for k := range b.Ports {
		x := &b.Ports[k]
		was := a.Port(x.Name)
		switch {
		case x.Kind == office.Bundle && was < 0:
			p.makeBundle(i, b, x, bundle(b, x), quoted(x.Name))
		case x.Kind == office.Bundle && (a.Ports[was].Mode != x.Mode || !slices.Equal(a.Ports[was].Members, x.Members)):
			y := *x
			members := membersOf(b, x)
			p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Bundle %s: %s, mode %s", x.Name, notation.Ports(b, x.Members), x.Mode), lines: []string{bundle(b, x)}, back: []string{bundle(a, &a.Ports[was])}, joins: members, inner: true, risky: true,
				device: func(d *office.Device) {
					for _, m := range members {
						d.Ports[d.Port(m)].Shape = nil
					}
					_ = d.ChangeBundle(y.Name, y.Mode, members)
				}})
		case x.Kind == office.Inner && was < 0:
			y := *x
			head := fmt.Sprintf("%s inner %s %s: ", name, quoted(x.Name), x.Flavour)
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: fmt.Sprintf("Add the inner port %s (%s): %s", x.Name, x.Flavour, notation.Shape(*x.Shape)), lines: []string{head + notation.Shape(*x.Shape)}, back: []string{fmt.Sprintf("-%s inner %s", name, quoted(x.Name))}, inner: true,
				device: func(d *office.Device) { _ = d.AddInner(y.Name, y.Flavour, y.Shape) }})
		}
	}
	for k := range a.Ports {
		x := &a.Ports[k]
		if b.Port(x.Name) >= 0 {
			continue
		}
		switch x.Kind {
		case office.Bundle:
			p.unmakeBundle(i, a, x, bundle(a, x), quoted(x.Name))
		case office.Inner:
			gone := x.Name
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: "Remove the inner port " + gone, lines: []string{fmt.Sprintf("-%s inner %s", name, quoted(gone))}, back: []string{fmt.Sprintf("%s inner %s %s: %s", name, quoted(gone), x.Flavour, notation.Shape(*x.Shape))}, inner: true,
				device: func(d *office.Device) { _ = d.RemovePorts([]int{d.Port(gone)}, office.Inner) }})
		}
	}
}

func membersOf(d *office.Device, x *office.Port) (names []string) {
	for _, m := range x.Members {
		names = append(names, d.Ports[m].Name)
	}
	return names
}

// makeBundle makes a bundle; it starts with what the first of its ports that has a
// cable was set to.
func (p *problem) makeBundle(i int, b *office.Device, x *office.Port, line, quoted string) {
	y, members := *x, membersOf(b, x)
	cabled := map[string]bool{}
	for _, c := range p.was.n.Office.Cables {
		for _, r := range []office.PortRef{c.A, c.B} {
			cabled[r.Port] = cabled[r.Port] || r.Device == b.Name
		}
	}
	lead := members[0]
	for _, m := range members {
		if cabled[m] {
			lead = m
			break
		}
	}
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Make the bundle %s of %s, mode %s, set as port %s is", x.Name, notation.Ports(b, x.Members), x.Mode, lead), lines: []string{line}, back: []string{fmt.Sprintf("-%s bundle %s", b.Name, quoted)}, joins: members, inner: true, risky: true,
		device: func(d *office.Device) {
			shape := d.Ports[d.Port(lead)].Shape
			for _, m := range members {
				d.Ports[d.Port(m)].Shape = nil
			}
			if d.AddBundle(y.Name, y.Mode, members) == nil {
				d.Ports[d.Port(y.Name)].Shape = shape
			}
		}})
}

// unmakeBundle takes a bundle apart; its ports stay set as it was.
func (p *problem) unmakeBundle(i int, a *office.Device, x *office.Port, line, quoted string) {
	gone, members := x.Name, membersOf(a, x)
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Take the bundle %s apart; its ports %s stay set as it was", gone, notation.Ports(a, x.Members)), lines: []string{fmt.Sprintf("-%s bundle %s", a.Name, quoted)}, back: []string{line}, inner: true, risky: true,
		device: func(d *office.Device) {
			shape := d.Ports[d.Port(gone)].Shape
			if d.RemovePorts([]int{d.Port(gone)}, office.Bundle) == nil {
				for _, m := range members {
					d.Ports[d.Port(m)].Shape = shape
				}
			}
		}})
}

// routing is addresses, lines to the outside, routes and rules.
func (p *problem) routing(i int, a, b *office.Device) {
	name := a.Name
	var first, second []*task
	moved := map[netip.Prefix]bool{} // addresses that go from one number of a VLAN to the other
	find := func(xs []office.Address, x office.Address) *office.Address {
		for k := range xs {
			if xs[k].VID == x.VID && xs[k].Prefix == x.Prefix {
				return &xs[k]
			}
		}
		return nil
	}
	minus := func(x office.Address) string { return fmt.Sprintf("-%s address %d %s", name, x.VID, x.Prefix) }
	plus := func(x office.Address) string { return name + " " + notation.AddressText(x) }
	for _, x := range b.Addresses {
		was := find(a.Addresses, x)
		if was != nil && office.SameAddresses([]office.Address{*was}, []office.Address{x}) {
			continue
		}
		t := &task{dev: i, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: address %s", p.plan.n.Name(x.VID), x.Prefix), lines: []string{plus(x)}, back: []string{minus(x)}, address: x.Prefix, vid: x.VID}
		if x.From.IsValid() {
			t.text += fmt.Sprintf(", hands out %s-%s", x.From, x.To)
		}
		if x.Zone != "" {
			t.text += ", zone " + x.Zone
			t.zone = x.Zone
		}
		if was != nil {
			t.lines, t.back = []string{minus(x), plus(x)}, []string{minus(x), plus(*was)}
		}
		own := managedBy(b)
		if own != nil && own.VID == x.VID && own.Prefix == x.Prefix && was == nil && !sameManage(a.Manage, b.Manage) {
			t.kind, t.manage, t.to, t.risky = Manage, true, b.Manage, true
			t.text += "; it is managed there"
		}
		// One number for another: no device has one subnet in two VLANs.
		if old := p.numbers.before(x.VID); was == nil && old != 0 {
			for k := range a.Addresses {
				if y := a.Addresses[k]; y.VID == old && y.Prefix == x.Prefix {
					was, moved[y.Prefix] = &a.Addresses[k], true
					t.text += ", and not in VLAN " + p.was.n.Name(old)
					t.lines, t.back, t.risky = []string{minus(y), plus(x)}, []string{minus(x), plus(y)}, true
				}
			}
		}
		if t.manage {
			t.lines, t.back = append(t.lines, manageLine(a, b.Manage)), append(t.back, manageLine(a, a.Manage))
		}
		t.device = func(d *office.Device) {
			if t.manage {
				d.Manage = t.to
			}
			if was != nil {
				if have := find(d.Addresses, *was); have != nil {
					*have = x
					return
				}
			}
			if have := find(d.Addresses, x); have != nil {
				*have = x
			} else {
				d.Addresses = append(d.Addresses, x)
			}
		}
		first = append(first, p.add(t))
	}
	if t := p.policy(i, a, b); t != nil {
		// Rules come before the addresses that they are for, so that none stands open
		// meanwhile; but for those that bring the zones that rules name.
		for _, x := range first {
			if zone := x.zone; zone != "" && !slices.ContainsFunc(a.Addresses, func(y office.Address) bool { return y.Zone == zone }) && namesZone(b.Rules, zone) {
				t.after = append(t.after, x)
			}
		}
		for _, x := range first {
			if !slices.Contains(t.after, x) {
				x.after = []*task{t}
			}
		}
		second = append(second, p.add(t))
	}
	for _, x := range a.Addresses {
		if find(b.Addresses, x) != nil || moved[x.Prefix] && p.numbers.of(x.VID) != x.VID {
			continue
		}
		p.add(&task{dev: i, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: no address %s any more", p.plan.n.Name(x.VID), x.Prefix), lines: []string{minus(x)}, back: []string{plus(x)}, after: slices.Concat(first, second), risky: true,
			device: func(d *office.Device) {
				d.Addresses = slices.DeleteFunc(d.Addresses, func(y office.Address) bool { return y.VID == x.VID && y.Prefix == x.Prefix })
			}})
	}
}

// namesZone says whether some rule names a zone.
func namesZone(rules []office.Rule, zone string) bool {
	return slices.ContainsFunc(rules, func(r office.Rule) bool {
		return slices.ContainsFunc(slices.Concat(r.From, r.To), func(s office.Side) bool { return s.Zone == zone })
	})
}

// policy is lines to the outside, routes and rules, entered as one.
func (p *problem) policy(i int, a, b *office.Device) *task {
	lines, pages := policyLines(a, b)
	back, _ := policyLines(b, a)
	if len(lines) == 0 && len(back) == 0 {
		return nil
	}
	y := b
	return &task{dev: i, kind: Set, routes: true, page: strings.Join(pages, ", "), text: strings.Join(pages, ", ") + ": " + typed(b.Name, lines), lines: lines, back: back, risky: true,
		device: func(d *office.Device) {
			d.Outsides, d.Routes, d.NoRouting, d.State, d.Between, d.Within, d.Rules = y.Outsides, y.Routes, y.NoRouting, y.State, y.Between, y.Within, y.Rules
			for _, m := range p.lines { // which is plugged in elsewhere still
				if m.to == i {
					left := without(d, m.name)
					d.Outsides, d.Routes = left.Outsides, left.Routes
				}
			}
		}}
}

// typed is what statements about a device have somebody type, in words: without the
// device's name, what goes first.
//
//	-gate rule 3, gate rule 1 allow any to outside    take away rule 3; rule 1 allow any to outside
func typed(device string, lines []string) string {
	words := make([]string, len(lines))
	for i, line := range lines {
		if gone, ok := strings.CutPrefix(line, "-"+device+" "); ok {
			words[i] = "take away " + gone
		} else {
			words[i] = strings.TrimPrefix(line, device+" ")
		}
	}
	return strings.Join(words, "; ")
}

// cables are those to plug, to pull, and to move, which is both with one end.
func (p *problem) cables() {
	in := func(list []office.Cable, c office.Cable) bool {
		return slices.ContainsFunc(list, func(d office.Cable) bool { return c.Same(d) })
	}
	var gone, come []office.Cable
	for _, c := range p.was.from.Office.Cables {
		if !in(p.plan.from.Office.Cables, c) {
			gone = append(gone, c)
		}
	}
	for _, c := range p.plan.from.Office.Cables {
		if !in(p.was.from.Office.Cables, c) {
			come = append(come, c)
		}
	}
	line := func(c office.Cable) string { return "cable " + notation.Ref(c.A) + " " + notation.Ref(c.B) }
	dev := func(c office.Cable) int { return p.was.n.Topo.DeviceIndex(c.A.Device) }
	name := func(r office.PortRef) string { return strings.Replace(r.String(), ".", " ", 1) }
	// A cable is moved where it keeps one end and the other one goes to a port that is free,
	// or that another one leaves which is pulled for good. What is plugged comes after what
	// was there before.
	ends := func(c office.Cable) []office.PortRef { return []office.PortRef{c.A, c.B} }
	holds := func(r office.PortRef) int { // the cable that goes and is in a port as it is
		return slices.IndexFunc(gone, func(g office.Cable) bool { return g.A == r || g.B == r })
	}
	by := make([]*task, len(gone)) // what takes it out
	stay := make([]bool, len(gone))
	keeps := func(c office.Cable, free bool) (k int, stays, from, to office.PortRef) {
		for k, g := range gone {
			for _, stays := range ends(c) {
				from, to := other(g, stays), other(c, stays)
				if by[k] != nil || stay[k] || (g.A != stays && g.B != stays) {
					continue
				}
				if h := holds(to); h < 0 || !free && h != k && by[h] == nil {
					return k, stays, from, to
				}
			}
		}
		return -1, stays, from, to
	}
	var tasks []*task
	plug := func(c office.Cable, free bool) bool {
		k, stays, from, to := keeps(c, free)
		if k < 0 {
			return false
		}
		g := gone[k]
		by[k] = &task{dev: p.was.n.Topo.DeviceIndex(to.Device), kind: CableStep, page: "Cables", text: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(from), name(to)), undo: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(to), name(from)), lines: []string{"-" + line(g), line(c)}, back: []string{"-" + line(c), line(g)}, plugs: []office.Cable{c}, refs: ends(c), pulls: []office.Cable{g}}
		if h := holds(to); h >= 0 {
			stay[h] = true
		}
		tasks = append(tasks, by[k])
		return true
	}
	for _, free := range []bool{true, false} {
		come = slices.DeleteFunc(come, func(c office.Cable) bool { return plug(c, free) })
	}
	for k, g := range gone {
		if by[k] == nil {
			by[k] = &task{dev: dev(g), kind: CableStep, page: "Cables", text: fmt.Sprintf("Pull the cable from %s to %s", name(g.A), name(g.B)), undo: fmt.Sprintf("Plug a cable from %s to %s", name(g.A), name(g.B)), lines: []string{"-" + line(g)}, back: []string{line(g)}, pulls: []office.Cable{g}}
			tasks = append(tasks, by[k])
		}
	}
	for _, c := range come {
		tasks = append(tasks, &task{dev: dev(c), kind: CableStep, page: "Cables", text: fmt.Sprintf("Plug a cable from %s to %s", name(c.A), name(c.B)), undo: fmt.Sprintf("Pull the cable from %s to %s", name(c.A), name(c.B)), lines: []string{line(c)}, back: []string{"-" + line(c)}, plugs: []office.Cable{c}, refs: ends(c)})
	}
	for _, t := range tasks {
		for _, c := range t.plugs {
			for _, r := range ends(c) {
				if h := holds(r); h >= 0 && by[h] != t && !slices.Contains(t.after, by[h]) {
					t.after = append(t.after, by[h])
				}
			}
		}
		p.add(t)
	}
}

// other is the end of a cable that is not a port.
func other(c office.Cable, r office.PortRef) office.PortRef {
	if c.A == r {
		return c.B
	}
	return c.A
}

// policyLines leads from one device's lines to the outside, routes and rules to
// another's, with the pages that it fills in.
func policyLines(a, b *office.Device) (lines, pages []string) {
	page := func(name string) {
		if !slices.Contains(pages, name) {
			pages = append(pages, name)
		}
	}
	say := func(on, format string, args ...any) {
		page(on)
		lines = append(lines, fmt.Sprintf(format, args...))
	}
	d := b.Name
	// Rules that go come first, as they may name a zone or a line.
	gone, come := office.RulesApart(a.Rules, b.Rules)
	for _, i := range slices.Backward(gone) {
		say("Rules", "-%s rule %d", d, i+1)
	}
	for _, r := range a.Routes {
		if !slices.Contains(b.Routes, r) {
			say("Routes", "-%s route %s", d, r)
		}
	}
	for _, l := range a.Outsides {
		if !slices.Contains(b.Outsides, l) {
			say("Lines to the outside", "-%s outside %s", d, l.Name)
		}
	}
	for _, l := range b.Outsides {
		if !slices.Contains(a.Outsides, l) {
			say("Lines to the outside", "%s %s", d, notation.OutsideText(l))
		}
	}
	for _, r := range b.Routes {
		if !slices.Contains(a.Routes, r) {
			say("Routes", "%s route %s", d, r)
		}
	}
	if a.NoRouting != b.NoRouting {
		say("Routes", "%s%s routing off", map[bool]string{false: "-"}[b.NoRouting], d)
	}
	if a.State != b.State {
		if b.State == "" {
			say("Rules", "-%s %s", d, a.State)
		} else {
			say("Rules", "%s %s", d, b.State)
		}
	}
	for _, x := range []struct {
		word     string
		was, now office.Action
	}{{"between", a.Between, b.Between}, {"within", a.Within, b.Within}} {
		switch {
		case x.was == x.now:
		case x.now == "":
			say("Rules", "-%s %s zones", d, x.word)
		default:
			say("Rules", "%s %s zones %s", d, x.word, x.now)
		}
	}
	for _, i := range come {
		say("Rules", "%s rule %d %s", d, i+1, b.Rules[i].String())
	}
	return lines, pages
}
