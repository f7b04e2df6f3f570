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
	for _, reason := range e.Reasons {
		lines = append(lines, reason.Text)
	}
	return strings.Join(lines, "\n")
}

// origin is one of the two offices that an order leads between.
type origin struct {
	net  *span.Net // every shape written out, devices in the order of both offices
	from *span.Net // as it was given
	at   []int     // by device: its place in from; -1 where it is not in it
	has  map[terminal]bool
	// numbers is what VLANs are known by; none in the office as planned.
	numbers numbers
}

// stands says whether a terminal is one in this office.
func (x *origin) stands(terminal *terminal) bool {
	one := *terminal
	one.kind = 0
	return x.has[one]
}

// each lists the terminals at a device, by what is written there.
func (x *origin) each(dev int, add func(port string, wire bridge.Wire, vid office.VID)) {
	at := x.at[dev]
	if at < 0 {
		return
	}
	net := x.from
	device := net.Office.Devices[at]
	put := func(port string, wire bridge.Wire, vid office.VID) {
		one := terminal{dev: dev, port: port, wire: wire, vid: x.numbers.of(vid)}
		if port != "" {
			one.vid = 0
		}
		x.has[one] = true
		add(port, wire, one.vid)
	}
	for _, p := range net.Topo.PlugsAt(at) {
		plug := &net.Office.Plugs[p]
		wire := bridge.Untagged
		if plug.Tagged {
			wire = bridge.Wire(plug.Wants)
		}
		put(device.Ports[device.Logical(device.Port(plug.Port.Port))].Name, wire, 0)
	}
	for _, address := range device.Addresses {
		put("", 0, address.VID)
	}
	if device.Manage != nil {
		put("", 0, device.Manage.VID)
	}
	if device.Unaware() {
		return
	}
	host := device.TalksItself()
	for port := range device.Ports {
		shape, _ := net.Shape(at, port)
		if device.Ports[port].Bundle > 0 || shape.Off {
			continue
		}
		compiled := net.Tables[at].Ports[port]
		inner := device.Ports[port].Kind == office.Inner
		if !inner && !host && len(net.Topo.LinksAt(at, port)) > 0 {
			continue
		}
		for _, vid := range shape.Untagged {
			switch {
			case host:
				put("", 0, vid)
			case inner || !net.IsParked(vid):
				put(device.Ports[port].Name, bridge.Untagged, 0)
			}
		}
		tagged := office.SetOf(shape.Tagged...)
		if inner {
			tagged = compiled.Tagged.And(net.Registered())
		}
		for vid := range tagged.All() {
			switch {
			case host:
				put("", 0, vid)
			case inner || !net.IsParked(vid):
				put(device.Ports[port].Name, compiled.WireOf(vid), 0)
			}
		}
	}
}

// problem is what an order is to be found for.
type problem struct {
	was, plan *origin
	final     *office.Office // the plan, with the names of its own: see [besides]
	numbers   numbers
	judge     *judge
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
	one := &problem{numbers: renumbered}
	for _, side := range []struct {
		office *office.Office
		into   *office.Plug
	}{{was, &one.laptop}, {plan, &one.home}} {
		i := slices.IndexFunc(side.office.Plugs, func(plug office.Plug) bool { return plug.Operator })
		if i < 0 && side.office == plan {
			against("", "As planned, no plug is the operator's, so nobody knows from where devices are set: where will you sit? Say it, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		}
		if i < 0 && side.office == was && (len(was.Plugs) > 0 || slices.ContainsFunc(was.Devices, everSet)) { // where nothing is plugged in or set yet, nor is the laptop
			against("", "As it is, no plug is the operator's, so nobody knows from where devices are set: say where the laptop is, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		}
		if i >= 0 {
			*side.into = side.office.Plugs[i]
		}
	}
	for _, device := range was.Devices {
		if plan.Device(device.Name) != nil {
			continue
		}
		for _, y := range plan.Devices {
			if was.Device(y.Name) == nil && !slices.Contains(fresh, y.Name) && !strings.HasPrefix(device.Name, oldName(y.Name)) && renamed(was, plan, device, y) {
				against(y.Name, "%s is not planned, and %s is planned and not there, with the same front: if they are one device, call it by one name in both; if it is another, say so by another kind or front.", device.Name, y.Name)
			}
		}
	}
	for _, device := range plan.Devices {
		x := was.Device(device.Name)
		if x == nil {
			continue
		}
		if a, b := front(x), front(device); a != b {
			against(device.Name, "%s has the ports %s as it is and %s as planned: if it is another device, give it another name, or say that a new one takes its place (--new %s).", device.Name, a, b, device.Name)
		}
		for at := range device.Ports {
			if was := x.Port(device.Ports[at].Name); was >= 0 && x.Ports[was].Kind != device.Ports[at].Kind {
				against(device.Name, "%s %s is not the same kind of port as it is and as planned: give one of the two another name.", device.Name, device.Ports[at].Name)
			}
		}
		if x.Kind != device.Kind {
			against(device.Name, "%s is a %s as it is and a %s as planned: if another device takes its place, say so (--new %s); if it was written down wrong, put it right in both.", device.Name, x.Kind, device.Kind, device.Name)
		}
		if x.Unaware() != device.Unaware() {
			is, will := "knows no tags", "is to be set by VLANs"
			if device.Unaware() {
				is, will = "is set by VLANs", "knows no tags"
			}
			against(device.Name, "%s %s as it is, and %s as planned: if another device takes its place, say so (--new %s); if it was written down wrong, put it right in both.", device.Name, is, will, device.Name)
		}
	}
	if why != nil {
		return nil, &Impossible{Reasons: why}
	}
	if one.away = one.laptop.Name == ""; one.away { // nobody has plugged it in yet
		one.laptop = one.home
	}
	for _, plug := range Seated(was).Plugs { // where the laptop really is
		if plug.Operator {
			one.laptop = plug
		}
	}
	one.align(was, plan)
	one.goals = make([]wording.State, len(one.plan.net.Office.Devices))
	one.words = make([]*wording.Device, len(one.goals))
	for i, device := range one.plan.net.Office.Devices {
		one.words[i] = wording.For(one.plan.net, i)
		if one.words[i] == nil {
			continue
		}
		one.goals[i] = wording.Planned(one.plan.net, i)
		if same := one.was.net.Office.Devices[i]; one.was.at[i] >= 0 && sameSettings(same, device) {
			continue
		}
		for _, unsayable := range wording.Cannot(one.words[i], one.goals[i]) {
			near := unsayable.Nearest.Shape()
			shape := unsayable.Was.Shape()
			against(device.Name, "%s cannot be set as planned: %s %s is to be %s, and %s. What comes nearest is %s.", device.Name, "port", device.Ports[unsayable.Port].Name, notation.Shape(shape), unsayable.Why, notation.Shape(near))
		}
	}
	if why != nil {
		return nil, &Impossible{Reasons: why}
	}
	one.findTasks()
	one.lend()
	one.judge = newJudge(one.was, one.plan, one.lent, one.numbers, one.moves)
	return one, nil
}

func front(device *office.Device) string {
	at := make([]int, device.Front())
	for i := range at {
		at[i] = i
	}
	return notation.Ports(device, at)
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
	ends := func(o *office.Office, device *office.Device) map[office.PortRef]string {
		m := map[office.PortRef]string{}
		for _, cable := range o.Cables {
			if cable.A.Device == device.Name {
				m[cable.B] = cable.A.Port
			} else if cable.B.Device == device.Name {
				m[cable.A] = cable.B.Port
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
		shape, one := a.Ports[i].Shape, b.Ports[i].Shape
		if (shape == nil) != (one == nil) || shape != nil && !shape.Equal(*one) {
			return false
		}
	}
	return true
}

// align brings both offices to the same devices in the same order, every shape
// written out: new devices are there from the start, as they come out of their
// boxes, and those that go stay to the end, without a cable.
func (p *problem) align(was, plan *office.Office) {
	one, b := &origin{from: span.Compile(was), has: map[terminal]bool{}, numbers: p.numbers}, &origin{from: span.Compile(plan), has: map[terminal]bool{}}
	register := slices.Clone(plan.VLANs)
	for _, vlan := range was.VLANs {
		if plan.VLAN(vlan.VID) == nil {
			register = append(register, vlan)
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
	for i, device := range was.Devices {
		k := b.from.Topo.DeviceIndex(device.Name)
		x := concrete(one.from, i)
		y := x
		if k >= 0 {
			y = concrete(b.from, k)
			x = x.Clone()
			paper(x, y)
			x.Seal()
		} else {
			y = y.Clone().Seal()
		}
		one.at, b.at = append(one.at, i), append(b.at, k)
		before, after = append(before, x), append(after, y)
	}
	for dev, device := range plan.Devices {
		if was.Device(device.Name) == nil {
			one.at, b.at = append(one.at, -1), append(b.at, dev)
			before, after = append(before, boxed(b.from, dev)), append(after, concrete(b.from, dev))
		}
	}
	one.net = span.Compile(&office.Office{VLANs: register, Services: services, Devices: before, Cables: was.Cables})
	b.net = span.Compile(&office.Office{VLANs: register, Services: services, Devices: after, Cables: plan.Cables})
	p.was, p.plan = one, b
}

// concrete is a device with every shape written out as it is in force.
func concrete(net *span.Net, i int) *office.Device {
	device := net.Office.Devices[i].Clone()
	device.Follows = ""
	for port := range device.Ports {
		device.Ports[port].Because = ""
		if device.Ports[port].Bundle > 0 {
			device.Ports[port].Shape = nil
			continue
		}
		shape := settingOf(net, i, port).Shape()
		device.Ports[port].Shape = &shape
	}
	return device.Seal()
}

func settingOf(net *span.Net, dev, port int) wording.Setting {
	return wording.Compiled(net.Tables[dev].Ports[port])
}

// paper gives x what is only said about a device and not set on it.
func paper(x, y *office.Device) {
	x.Kind, x.Wording, x.Limits, x.Adjacent, x.Console, x.Factory = y.Kind, y.Wording, y.Limits, y.Adjacent, y.Console, y.Factory
	for i := 0; i < x.Front() && i < y.Front(); i++ {
		x.Ports[i].Speed, x.Ports[i].Inside = y.Ports[i].Speed, y.Ports[i].Inside
	}
}

// boxed is a planned device as it comes out of its box.
func boxed(net *span.Net, i int) *office.Device {
	device := net.Office.Devices[i].Clone()
	device.Follows, device.Addresses, device.Outsides, device.Routes, device.Rules, device.NoRouting = "", nil, nil, nil, nil, false
	device.State, device.Between, device.Within = "", "", ""
	device.Ports = device.Ports[:device.Front()]
	for port := range device.Ports {
		device.Ports[port].Shape, device.Ports[port].Because, device.Ports[port].Bundle = &office.Shape{}, "", 0
	}
	if device.Manage != nil {
		device.Manage = &office.Manage{VID: office.DefaultVID}
		if factory := device.Factory; factory != nil {
			device.Manage = &office.Manage{VID: factory.VID, Addr: factory.Prefix.Addr(), Bits: factory.Prefix.Bits()}
		}
	}
	device.Seal()
	alone := span.Compile(&office.Office{VLANs: net.Office.VLANs, Devices: []*office.Device{device}})
	one := wording.For(alone, 0)
	if one == nil {
		return device
	}
	state := wording.Factory(one)
	y := device.Clone()
	open := false
	for port := range y.Ports {
		shape := state.Ports[port].Shape()
		y.Ports[port].Shape = &shape
		open = open || y.Manage != nil && shape.Of(y.Manage.VID) == office.Untagged
	}
	if !open { // nothing of it answers before it is set
		y.Manage = nil
	}
	return y.Seal()
}

// cabled says whether a device has a cable, as it is.
func (p *problem) cabled(i int) bool {
	return slices.ContainsFunc(p.was.net.Topo.Links, func(link graph.Link) bool { return link.A.Dev == i || link.B.Dev == i })
}

// used says whether something is in a port, in either office: a cable, or a plug.
func (p *problem) used(ref office.PortRef) bool {
	for _, one := range []*origin{p.was, p.plan} {
		if _, _, ok := one.from.Office.CableAt(ref); ok || slices.ContainsFunc(one.from.Office.Plugs, func(plug office.Plug) bool { return plug.Port == ref }) {
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
	address netip.Prefix                // the address that is given
	gone    netip.Prefix                // the address that is taken away
	goes    bool                        // an interface goes to another port, with its addresses
	makes   []string                    // ports that can have addresses of their own from then on; the first gets those of the ports in takes
	takes   []string                    // ports that can have none any more
	vid     office.VID                  // in which VLAN
	zone    string                      // and zone
	routes  bool                        // it is on addresses, lines, routes or rules
	box     bool                        // the device comes out of its box
	away    bool                        // the device goes
	device  func(device *office.Device) // for those that change one device
	others  func(all []*office.Device)  // and what that takes from others; of a list that may be changed
	at      int                         // its place in problem.tasks
}

func (p *problem) add(task *task) *task {
	task.at = len(p.tasks)
	p.tasks = append(p.tasks, task)
	return task
}

// findTasks lists what is to be done beside the settings of ports.
func (p *problem) findTasks() {
	for i, device := range p.was.net.Office.Devices {
		one := p.plan.net.Office.Devices[i]
		if p.was.at[i] < 0 {
			p.unpack(i)
		}
		p.structure(i, device, one)
		p.routing(i, device, one)
		if p.plan.at[i] >= 0 && !sameManage(device.Manage, one.Manage) && (managedBy(one) == nil || hasAddress(device, managedBy(one))) {
			p.manages(i, device, one)
		}
	}
	p.handOver()
	p.cables()
	p.outsideLines()
	p.ends()
	for i, device := range p.was.net.Office.Devices {
		if p.plan.at[i] < 0 {
			p.add(&task{dev: i, kind: CableStep, page: "Rack", text: "Take " + device.Name + " away", undo: "Put " + device.Name + " back", lines: []string{"-device " + device.Name}, away: true, after: slices.Clone(p.tasks)})
		}
	}
}

// ends is what is plugged in that goes, comes or moves; the operator's laptop
// aside.
func (p *problem) ends() {
	a, b := p.was.from.Office, p.plan.from.Office
	at := func(list []office.Plug, plug office.Plug) bool {
		return slices.ContainsFunc(list, func(one office.Plug) bool { return plug.Port == one.Port && plug.Name == one.Name })
	}
	minus := func(plug office.Plug) string {
		return "-plug " + notation.Ref(plug.Port) + " " + office.Quote(plug.Name)
	}
	dev := func(plug office.Plug) int { return p.was.net.Topo.DeviceIndex(plug.Port.Device) }
	moved := map[string]bool{}
	type hop struct { // who hangs behind one another is plugged in and moved with it
		from, to office.PortRef
		names    []string
	}
	type wire struct { // one act: a hop, or those that change places
		task *task
		hops []*hop
	}
	var pairs [][2]office.Plug // of those that move: where each is, and where it goes
	for _, plug := range b.Plugs {
		if plug.Operator || at(a.Plugs, plug) {
			continue
		}
		k := slices.IndexFunc(a.Plugs, func(x office.Plug) bool {
			return x.Name == plug.Name && !x.Operator && !at(b.Plugs, x) && !moved[x.Name]
		})
		if k < 0 {
			pairs = append(pairs, [2]office.Plug{{}, plug})
			continue
		}
		moved[plug.Name] = true
		pairs = append(pairs, [2]office.Plug{a.Plugs[k], plug})
	}
	ring := changing(pairs)
	wires := map[[2]office.PortRef]*wire{}
	for _, pair := range pairs {
		was, plug := pair[0], pair[1]
		way := [2]office.PortRef{was.Port, plug.Port}
		one := wires[way]
		if one == nil && ring[was.Port] != (office.PortRef{}) {
			one = wires[[2]office.PortRef{ring[was.Port]}]
		}
		if one == nil {
			one = &wire{task: p.add(&task{dev: dev(plug), kind: CableStep, page: "Plugs"})}
			if first := ring[was.Port]; first != (office.PortRef{}) {
				wires[[2]office.PortRef{first}] = one
			}
		}
		if wires[way] == nil {
			wires[way] = one
			one.hops = append(one.hops, &hop{from: was.Port, to: plug.Port})
			one.task.refs = append(one.task.refs, plug.Port)
		}
		last := one.hops[slices.IndexFunc(one.hops, func(h *hop) bool { return h.from == was.Port && h.to == plug.Port })]
		last.names = append(last.names, plug.Name)
		var text, undo []string
		for _, h := range one.hops {
			who := strings.Join(h.names, " and ")
			if h.from == (office.PortRef{}) {
				text, undo = append(text, fmt.Sprintf("Plug %s into %s", who, portText(h.to))), append(undo, fmt.Sprintf("Unplug %s from %s", who, portText(h.to)))
				continue
			}
			text, undo = append(text, fmt.Sprintf("Move %s from %s to %s", who, portText(h.from), portText(h.to))), append(undo, fmt.Sprintf("Move %s from %s to %s", who, portText(h.to), portText(h.from)))
		}
		one.task.text, one.task.undo = strings.Join(text, "; "), strings.Join(undo, "; ")
		if was.Name != "" {
			one.task.lines, one.task.back = append(one.task.lines, minus(was)), append(one.task.back, notation.Thing(was))
			p.moves = append(p.moves, plugMove{one.task, p.terminalOf(a, was), p.terminalOf(b, plug)})
		}
		one.task.lines, one.task.back = append(one.task.lines, notation.Thing(plug)), append([]string{minus(plug)}, one.task.back...)
	}
	for _, plug := range a.Plugs {
		if !plug.Operator && !at(b.Plugs, plug) && !moved[plug.Name] && p.plan.at[dev(plug)] >= 0 {
			p.add(&task{dev: dev(plug), kind: CableStep, page: "Plugs", text: fmt.Sprintf("Unplug %s from %s", plug.Name, portText(plug.Port)), undo: fmt.Sprintf("Plug %s into %s", plug.Name, portText(plug.Port)), lines: []string{minus(plug)}, back: []string{notation.Thing(plug)}})
		}
	}
}

// changing finds the plugs that change places, two or more in a ring: by the port of each, the
// first port of its ring. They move in one act, as no port takes what comes before what is there
// has left.
func changing(pairs [][2]office.Plug) map[office.PortRef]office.PortRef {
	next := map[office.PortRef]office.PortRef{}
	for _, pair := range pairs {
		if pair[0].Name != "" {
			next[pair[0].Port] = pair[1].Port
		}
	}
	out := map[office.PortRef]office.PortRef{}
	for _, pair := range pairs {
		start := pair[0].Port
		if pair[0].Name == "" || out[start] != (office.PortRef{}) {
			continue
		}
		way := []office.PortRef{start}
		for at, ok := next[start]; ok && !slices.Contains(way, at); at, ok = next[at] {
			way = append(way, at)
		}
		if next[way[len(way)-1]] == start && len(way) > 1 {
			for _, port := range way {
				out[port] = start
			}
		}
	}
	return out
}

// plugMove is what is plugged in elsewhere on the way.
type plugMove struct {
	task     *task
	from, to terminal
}

// terminalOf is what is plugged in as somebody who talks.
func (p *problem) terminalOf(o *office.Office, plug office.Plug) terminal {
	device := o.Device(plug.Port.Device)
	one := terminal{dev: p.was.net.Topo.DeviceIndex(plug.Port.Device), port: device.Ports[device.Logical(device.Port(plug.Port.Port))].Name, wire: bridge.Untagged}
	if plug.Tagged {
		one.wire = bridge.Wire(plug.Wants)
	}
	return one
}

// routes says whether a cable that is plugged or pulled is at a device that routes, so that
// what passes between VLANs may change.
func (p *problem) routes(task *task) bool {
	for _, cable := range slices.Concat(task.plugs, task.pulls) {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			for _, one := range []*origin{p.was, p.plan} {
				if device := one.net.Office.Device(ref.Device); device != nil && device.Routing() {
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
	for i, device := range p.was.net.Office.Devices {
		for _, line := range device.Outsides {
			dev := slices.IndexFunc(p.plan.net.Office.Devices, func(one *office.Device) bool {
				return p.plan.from.Office.Device(one.Name) != nil && slices.ContainsFunc(one.Outsides, func(x office.Outside) bool { return x.Name == line.Name })
			})
			if dev < 0 {
				continue
			}
			y := p.plan.net.Office.Devices[dev]
			to := y.Outsides[slices.IndexFunc(y.Outsides, func(x office.Outside) bool { return x.Name == line.Name })]
			if dev == i && to.On == line.On {
				continue
			}
			t := &task{dev: dev, kind: CableStep, page: "Cables", routes: true,
				text: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", line.Name, device.Name, line.On, y.Name, to.On),
				undo: fmt.Sprintf("Move the line %s: out of %s %s, into %s %s", line.Name, y.Name, to.On, device.Name, line.On)}
			for _, task := range p.tasks { // the address, the rules and the line itself are there first
				if task.dev == dev && (task.routes || task.box) {
					t.after = append(t.after, task)
				}
			}
			routes := slices.DeleteFunc(slices.Clone(y.Routes), func(route office.Route) bool { return route.Line != line.Name })
			t.device = func(one *office.Device) { // from now on it leads out
				if !slices.Contains(one.Outsides, to) {
					one.Outsides = append(slices.Clone(one.Outsides), to)
					one.Routes = append(slices.Clone(one.Routes), routes...)
				}
			}
			if dev != i {
				t.others = func(all []*office.Device) { all[i] = without(all[i], line.Name) }
			}
			if p.plan.at[i] < 0 {
				t.gives(device, line)
			}
			p.lines = append(p.lines, lineMove{dev, line.Name})
			p.add(t)
		}
	}
}

// without is a device without a line to the outside and the routes by it.
func without(device *office.Device, line string) *office.Device {
	one := device.Clone()
	one.Outsides = slices.DeleteFunc(slices.Clone(one.Outsides), func(y office.Outside) bool { return y.Name == line })
	one.Routes = slices.DeleteFunc(slices.Clone(one.Routes), func(route office.Route) bool { return route.Line == line })
	return one.Seal()
}

// lineMove is a line to the outside that is plugged into another device.
type lineMove struct {
	to   int
	name string
}

// gives says that a device that goes has a line no more, nor the routes by it.
func (t *task) gives(device *office.Device, line office.Outside) {
	for _, route := range device.Routes {
		if route.Line == line.Name {
			t.lines = append(t.lines, fmt.Sprintf("-%s route %s", device.Name, route))
		}
	}
	t.lines = append(t.lines, fmt.Sprintf("-%s outside %s", device.Name, line.Name))
	t.back = append(t.back, device.Name+" "+notation.OutsideText(line))
}

func sameManage(a, b *office.Manage) bool {
	return a == b || a != nil && b != nil && *a == *b
}

// managedBy is the address of a device that is its management too, nil where that is a
// host of its own: one thing, and one step.
func managedBy(device *office.Device) *office.Address {
	if device.Manage == nil || !device.Manage.Addr.IsValid() {
		return nil
	}
	if address := device.Own(device.Manage.Addr); address != nil && address.VID == device.Manage.VID {
		return address
	}
	return nil
}

// hasAddress says whether a device has an address, whatever else is said of it.
func hasAddress(device *office.Device, address *office.Address) bool {
	return slices.ContainsFunc(device.Addresses, func(one office.Address) bool { return one.VID == address.VID && one.Prefix == address.Prefix })
}

// manageLine says on the line where a device is managed.
func manageLine(device *office.Device, manage *office.Manage) string {
	if manage == nil {
		return "-" + device.Name + " manage"
	}
	return device.Name + " " + notation.ManageText(manage)
}

// manages is the task that moves a device's management: its address, its gateway and, where the
// device has a port of its own processor, that port's shape, as one act; apart, each would lock it
// out.
func (p *problem) manages(i int, a, b *office.Device) {
	text := "Management is not said to be anywhere any more"
	if b.Manage != nil {
		text = wording.ManagedIn(p.plan.net, b.Manage).Text
	}
	to := b.Manage
	one := p.add(&task{dev: i, kind: Manage, page: "Management", text: text, lines: []string{manageLine(a, b.Manage)}, back: []string{manageLine(a, a.Manage)}, manage: true, to: to, risky: true})
	// Management stands behind the device's processor port, where it has one: both
	// move as one.
	behind := map[string]*office.Shape{}
	for port := range b.Ports {
		x := &b.Ports[port]
		if was := a.Port(x.Name); x.Flavour == office.Processor && was >= 0 && !a.Ports[was].Shape.Equal(*x.Shape) {
			behind[x.Name] = x.Shape
			one.inner = true
			one.text += fmt.Sprintf(", with the inner port %s: %s", x.Name, notation.Shape(*x.Shape))
		}
	}
	one.device = func(device *office.Device) {
		device.Manage = to
		for name, shape := range behind {
			device.Ports[device.Port(name)].Shape = shape
		}
	}
}

// unpack is the first act on a new device; it stands for the device's statement.
func (p *problem) unpack(i int) {
	device := p.was.net.Office.Devices[i]
	p.add(&task{dev: i, kind: CableStep, page: "Box", text: fmt.Sprintf("Unpack %s and power it; nothing is plugged into it yet", device.Name), undo: "Put " + device.Name + " back into its box", lines: deviceLines(device), back: []string{"-device " + device.Name}, box: true})
}

// structure is bundles, inner ports and the way to forward.
func (p *problem) structure(i int, a, b *office.Device) {
	name := a.Name
	if a.Forwarding != b.Forwarding {
		forwarding := b.Forwarding
		p.add(&task{dev: i, kind: Set, page: "Forwarding", text: "Forwarding: " + forwarding.String(), lines: []string{name + " forwarding " + forwarding.String()}, back: []string{name + " forwarding " + a.Forwarding.String()}, inner: true, risky: true,
			device: func(device *office.Device) { device.Forwarding = forwarding }})
	}
	quoted := func(text string) string { return notation.Ref(office.PortRef{Device: "x", Port: text})[2:] }
	bundle := func(device *office.Device, port *office.Port) string {
		return fmt.Sprintf("%s bundle %s %s %s", name, quoted(port.Name), port.Mode, notation.Ports(device, port.Members))
	}
	for port := range b.Ports {
		one := &b.Ports[port]
		was := a.Port(one.Name)
		switch {
		case one.Kind == office.Bundle && was < 0:
			p.makeBundle(i, b, one, bundle(b, one), quoted(one.Name))
		case one.Kind == office.Bundle && (a.Ports[was].Mode != one.Mode || !slices.Equal(a.Ports[was].Members, one.Members)):
			y := *one
			members := membersOf(b, one)
			p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Bundle %s: %s, mode %s", one.Name, notation.Ports(b, one.Members), one.Mode), lines: []string{bundle(b, one)}, back: []string{bundle(a, &a.Ports[was])}, joins: members, inner: true, risky: true,
				device: func(device *office.Device) {
					for _, m := range members {
						device.Ports[device.Port(m)].Shape = nil
					}
					_ = device.ChangeBundle(y.Name, y.Mode, members)
				}}).carries(a, members, one.Name)
		case one.Kind == office.Inner && was < 0:
			y := *one
			head := fmt.Sprintf("%s inner %s %s: ", name, quoted(one.Name), one.Flavour)
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: fmt.Sprintf("Add the inner port %s (%s): %s", one.Name, one.Flavour, notation.Shape(*one.Shape)), lines: []string{head + notation.Shape(*one.Shape)}, back: []string{fmt.Sprintf("-%s inner %s", name, quoted(one.Name))}, inner: true,
				makes: []string{y.Name}, device: func(device *office.Device) { _ = device.AddInner(y.Name, y.Flavour, y.Shape) }})
		case one.Kind == office.Inner && a.Ports[was].Flavour != one.Flavour:
			y, old := *one, a.Ports[was]
			say := func(port *office.Port) []string {
				return []string{fmt.Sprintf("-%s inner %s", name, quoted(port.Name)), fmt.Sprintf("%s inner %s %s: %s", name, quoted(port.Name), port.Flavour, notation.Shape(*port.Shape))}
			}
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: fmt.Sprintf("Remove the inner port %s (%s), and add it as %s: %s", old.Name, old.Flavour, y.Flavour, notation.Shape(*y.Shape)), lines: say(&y), back: say(&old), inner: true,
				device: func(device *office.Device) {
					_ = device.RemovePorts([]int{device.Port(y.Name)}, office.Inner)
					_ = device.AddInner(y.Name, y.Flavour, y.Shape)
				}}).carries(a, []string{y.Name}, y.Name)
		}
	}
	for port := range a.Ports {
		one := &a.Ports[port]
		if b.Port(one.Name) >= 0 {
			continue
		}
		switch one.Kind {
		case office.Bundle:
			p.unmakeBundle(i, a, one, bundle(a, one), quoted(one.Name))
		case office.Inner:
			gone := one.Name
			p.add(&task{dev: i, kind: Set, page: "Inner ports", text: "Remove the inner port " + gone, lines: []string{fmt.Sprintf("-%s inner %s", name, quoted(gone))}, back: []string{fmt.Sprintf("%s inner %s %s: %s", name, quoted(gone), one.Flavour, notation.Shape(*one.Shape))}, inner: true,
				device: func(device *office.Device) { _ = device.RemovePorts([]int{device.Port(gone)}, office.Inner) }})
		}
	}
}

// carries has a task take the addresses along that are on ports which it takes away, or takes into
// a bundle: those of one interface go to another in one act, as nobody can have an address on a
// port that is none.
func (t *task) carries(device *office.Device, from []string, to string) *task {
	t.makes, t.takes = append(t.makes, to), from
	var before, after, back []string
	for _, address := range device.Addresses {
		if !slices.Contains(from, address.On) {
			continue
		}
		loose, there := address, address
		loose.On, there.On = "", to
		before, after = append(before, addressLine(device.Name, loose)), append(after, addressLine(device.Name, there))
		back = append(back, addressLine(device.Name, address))
	}
	if before == nil {
		return t
	}
	t.text += ", with the addresses that are on " + strings.Join(from, " and ")
	t.lines, t.back = slices.Concat(before, t.lines, after), slices.Concat(before, t.back, back)
	t.risky = true
	one := t.device
	t.device = func(d *office.Device) {
		carried := map[int]bool{}
		for k := range d.Addresses {
			if slices.Contains(from, d.Addresses[k].On) {
				carried[k], d.Addresses[k].On = true, ""
			}
		}
		one(d)
		for k := range carried {
			d.Addresses[k].On = to
		}
	}
	return t
}

func membersOf(device *office.Device, port *office.Port) (names []string) {
	for _, at := range port.Members {
		names = append(names, device.Ports[at].Name)
	}
	return names
}

// makeBundle makes a bundle; it starts with what the first of its ports that has a
// cable was set to.
func (p *problem) makeBundle(i int, device *office.Device, port *office.Port, line, quoted string) {
	one, members := *port, membersOf(device, port)
	cabled := map[string]bool{}
	for _, cable := range p.was.net.Office.Cables {
		for _, ref := range []office.PortRef{cable.A, cable.B} {
			cabled[ref.Port] = cabled[ref.Port] || ref.Device == device.Name
		}
	}
	lead := members[0]
	for _, m := range members {
		if cabled[m] {
			lead = m
			break
		}
	}
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Make the bundle %s of %s, mode %s; it takes over what port %s is set to", port.Name, notation.Ports(device, port.Members), port.Mode, lead), lines: []string{line}, back: []string{fmt.Sprintf("-%s bundle %s", device.Name, quoted)}, joins: members, inner: true, risky: true,
		device: func(d *office.Device) {
			shape := d.Ports[d.Port(lead)].Shape
			for _, m := range members {
				d.Ports[d.Port(m)].Shape = nil
			}
			if d.AddBundle(one.Name, one.Mode, members) == nil {
				d.Ports[d.Port(one.Name)].Shape = shape
			}
		}}).carries(p.was.net.Office.Devices[i], members, one.Name)
}

// unmakeBundle takes a bundle apart; its ports stay set as it was.
func (p *problem) unmakeBundle(i int, device *office.Device, port *office.Port, line, quoted string) {
	gone, members := port.Name, membersOf(device, port)
	p.add(&task{dev: i, kind: Set, page: "Bundles", text: fmt.Sprintf("Take the bundle %s apart; its ports %s stay set as it was", gone, notation.Ports(device, port.Members)), lines: []string{fmt.Sprintf("-%s bundle %s", device.Name, quoted)}, back: []string{line}, inner: true, risky: true,
		device: func(one *office.Device) {
			shape := one.Ports[one.Port(gone)].Shape
			if one.RemovePorts([]int{one.Port(gone)}, office.Bundle) == nil {
				for _, m := range members {
					one.Ports[one.Port(m)].Shape = shape
				}
			}
		}}).carries(device, []string{gone}, members[0])
	p.tasks[len(p.tasks)-1].makes = members
}

// routing is addresses, lines to the outside, routes and rules.
func (p *problem) routing(i int, a, b *office.Device) {
	name := a.Name
	a = a.Clone()
	for k := range a.Addresses { // where bundles and inner ports leave them
		for _, task := range p.tasks {
			if task.dev == i && slices.Contains(task.takes, a.Addresses[k].On) {
				a.Addresses[k].On = task.makes[0]
				break
			}
		}
	}
	var first, second []*task
	moved := map[netip.Prefix]bool{} // addresses that go from one number of a VLAN to the other
	for _, address := range b.Addresses {
		was := sameAddress(a.Addresses, address)
		if was != nil && office.SameAddresses([]office.Address{*was}, []office.Address{address}) {
			continue
		}
		one := p.addressed(readdress{i, a, b}, address, was, moved)
		if was != nil && was.On != address.On { // an interface has all its addresses in one place
			if k := slices.IndexFunc(first, func(task *task) bool { return task.goes && task.vid == address.VID }); k >= 0 {
				first[k].with(one)
				continue
			}
			one.goes = true
		}
		for _, task := range p.tasks { // the port that it is on is there first
			if task.dev == i && task.inner && slices.Contains(task.makes, address.On) {
				one.after = append(one.after, task)
			}
		}
		first = append(first, p.add(one))
	}
	if one := p.policy(i, a, b); one != nil {
		// Rules come before the addresses that they are for, so that none stands open
		// meanwhile; but for those that bring the zones that rules name.
		for _, task := range first {
			if zone := task.zone; zone != "" && !slices.ContainsFunc(a.Addresses, func(address office.Address) bool { return address.Zone == zone }) && namesZone(b.Rules, zone) {
				one.after = append(one.after, task)
			}
		}
		for _, x := range first {
			if !slices.Contains(one.after, x) {
				x.after = append(x.after, one)
			}
		}
		second = append(second, p.add(one))
	}
	for _, address := range a.Addresses {
		if sameAddress(b.Addresses, address) != nil || moved[address.Prefix] && p.numbers.of(address.VID) != address.VID {
			continue
		}
		p.add(&task{dev: i, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: no address %s any more", p.plan.net.Name(address.VID), address.Prefix), lines: []string{noAddress(name, address)}, back: []string{addressLine(name, address)}, after: slices.Concat(first, second), risky: true, gone: address.Prefix, vid: address.VID,
			device: func(device *office.Device) {
				device.Addresses = slices.DeleteFunc(device.Addresses, func(one office.Address) bool { return one.VID == address.VID && one.Prefix == address.Prefix })
			}})
	}
}

// with has a task do another one of the same interface too.
func (t *task) with(other *task) {
	_, text, _ := strings.Cut(other.text, ": ")
	t.text += "; " + text
	t.lines, t.back = append(t.lines, other.lines...), append(other.back, t.back...)
	t.risky = t.risky || other.risky
	one := t.device
	t.device = func(device *office.Device) {
		one(device)
		other.device(device)
	}
}

// handOver has an address that one device gives up and another gets be at one of them at a time:
// two that answer for one address are worse than none, as who is heard changes from host to host.
// Who gives it up then waits for nothing but its rules and routes; two devices may exchange theirs.
func (p *problem) handOver() {
	for _, gives := range p.tasks {
		if !gives.gone.IsValid() {
			continue
		}
		for _, gets := range p.tasks {
			if gets.dev != gives.dev && gets.address.IsValid() && gets.address.Addr() == gives.gone.Addr() && gets.vid == gives.vid {
				gets.after = append(gets.after, gives)
				gives.after = slices.DeleteFunc(gives.after, func(task *task) bool { return task.address.IsValid() })
			}
		}
	}
	for _, gives := range p.tasks { // likewise the addresses that devices are managed at
		if !gives.manage {
			continue
		}
		was := p.was.net.Office.Devices[gives.dev].Manage
		for _, gets := range p.tasks {
			if gets.dev != gives.dev && gets.manage && was != nil && was.Addr.IsValid() && gets.to != nil && gets.to.Addr == was.Addr && gets.to.VID == was.VID && !gives.waits(gets) {
				gets.after = append(gets.after, gives)
			}
		}
	}
}

// waits says whether a task comes after another.
func (t *task) waits(other *task) bool {
	return slices.ContainsFunc(t.after, func(task *task) bool { return task == other || task.waits(other) })
}

// sameAddress is the entry of an address in a VLAN; nil for none.
func sameAddress(list []office.Address, address office.Address) *office.Address {
	for k := range list {
		if list[k].VID == address.VID && list[k].Prefix == address.Prefix {
			return &list[k]
		}
	}
	return nil
}

// addressLine and noAddress are the statements that give a device an address, and take it away.
func addressLine(device string, address office.Address) string {
	return device + " " + notation.AddressText(address)
}

func noAddress(device string, address office.Address) string {
	return fmt.Sprintf("-%s address %d %s", device, address.VID, address.Prefix)
}

// readdress is a device that is to have other addresses: as it is, and as planned.
type readdress struct {
	dev  int
	a, b *office.Device
}

// addressed is the task of giving a device an address, was where it has it otherwise. What
// goes over from one number of a VLAN to another is noted in moved.
func (p *problem) addressed(of readdress, address office.Address, was *office.Address, moved map[netip.Prefix]bool) *task {
	a, b := of.a, of.b
	one := &task{dev: of.dev, kind: Set, page: "Addresses", routes: true, text: fmt.Sprintf("VLAN %s: address %s", p.plan.net.Name(address.VID), address.Prefix), lines: []string{addressLine(a.Name, address)}, back: []string{noAddress(a.Name, address)}, address: address.Prefix, vid: address.VID}
	if address.From.IsValid() {
		one.text += fmt.Sprintf(", hands out %s-%s", address.From, address.To)
	}
	if address.Zone != "" {
		one.text += ", zone " + address.Zone
		one.zone = address.Zone
	}
	if was != nil { // said again, it is changed
		one.lines, one.back = []string{addressLine(a.Name, address)}, []string{addressLine(a.Name, *was)}
		if address.On != was.On && address.On != "" {
			one.text += ", on " + address.On
		}
	}
	own := managedBy(b)
	if own != nil && own.VID == address.VID && own.Prefix == address.Prefix && was == nil && !sameManage(a.Manage, b.Manage) {
		one.kind, one.manage, one.to, one.risky = Manage, true, b.Manage, true
		one.text += "; it is managed there"
	}
	// One number for another: no device has one subnet in two VLANs.
	if old := p.numbers.before(address.VID); was == nil && old != 0 {
		for k := range a.Addresses {
			if y := a.Addresses[k]; y.VID == old && y.Prefix == address.Prefix {
				was, moved[y.Prefix] = &a.Addresses[k], true
				one.text += ", and not in VLAN " + p.was.net.Name(old)
				one.lines, one.back, one.risky = []string{noAddress(a.Name, y), addressLine(a.Name, address)}, []string{noAddress(a.Name, address), addressLine(a.Name, y)}, true
			}
		}
	}
	if one.manage {
		one.lines, one.back = append(one.lines, manageLine(a, b.Manage)), append(one.back, manageLine(a, a.Manage))
	}
	one.device = func(device *office.Device) {
		if one.manage {
			device.Manage = one.to
		}
		if was != nil {
			if have := sameAddress(device.Addresses, *was); have != nil {
				*have = address
				return
			}
		}
		if have := sameAddress(device.Addresses, address); have != nil {
			*have = address
		} else {
			device.Addresses = append(device.Addresses, address)
		}
	}
	return one
}

// namesZone says whether some rule names a zone.
func namesZone(rules []office.Rule, zone string) bool {
	return slices.ContainsFunc(rules, func(rule office.Rule) bool {
		return slices.ContainsFunc(slices.Concat(rule.From, rule.To), func(side office.Side) bool { return side.Zone == zone })
	})
}

// policy is lines to the outside, routes and rules, entered as one.
func (p *problem) policy(i int, a, b *office.Device) *task {
	lines, pages := policyLines(a, b)
	back, _ := policyLines(b, a)
	if len(lines) == 0 && len(back) == 0 {
		return nil
	}
	device := b
	return &task{dev: i, kind: Set, routes: true, page: strings.Join(pages, ", "), text: strings.Join(pages, ", ") + ": " + typed(b.Name, lines), lines: lines, back: back, risky: true,
		device: func(one *office.Device) {
			one.Outsides, one.Routes, one.NoRouting, one.State, one.Between, one.Within, one.Rules = device.Outsides, device.Routes, device.NoRouting, device.State, device.Between, device.Within, device.Rules
			for _, move := range p.lines { // which is plugged in elsewhere still
				if move.to == i {
					left := without(one, move.name)
					one.Outsides, one.Routes = left.Outsides, left.Routes
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
	in := func(list []office.Cable, cable office.Cable) bool {
		return slices.ContainsFunc(list, func(one office.Cable) bool { return cable.Same(one) })
	}
	var gone, come []office.Cable
	for _, cable := range p.was.from.Office.Cables {
		if !in(p.plan.from.Office.Cables, cable) {
			gone = append(gone, cable)
		}
	}
	for _, cable := range p.plan.from.Office.Cables {
		if !in(p.was.from.Office.Cables, cable) {
			come = append(come, cable)
		}
	}
	line := func(cable office.Cable) string { return "cable " + notation.Ref(cable.A) + " " + notation.Ref(cable.B) }
	dev := func(cable office.Cable) int { return p.was.net.Topo.DeviceIndex(cable.A.Device) }
	name := func(ref office.PortRef) string { return strings.Replace(ref.String(), ".", " ", 1) }
	// A cable is moved where it keeps one end and the other one goes to a port that is free,
	// or that another one leaves which is pulled for good. What is plugged comes after what
	// was there before.
	ends := func(cable office.Cable) []office.PortRef { return []office.PortRef{cable.A, cable.B} }
	holds := func(ref office.PortRef) int { // the cable that goes and is in a port as it is
		return slices.IndexFunc(gone, func(cable office.Cable) bool { return cable.A == ref || cable.B == ref })
	}
	by := make([]*task, len(gone)) // what takes it out
	stay := make([]bool, len(gone))
	keeps := func(cable office.Cable, free bool) (k int, stays, from, to office.PortRef) {
		for k, one := range gone {
			for _, stays := range ends(cable) {
				from, to := other(one, stays), other(cable, stays)
				if by[k] != nil || stay[k] || (one.A != stays && one.B != stays) {
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
	plug := func(cable office.Cable, free bool) bool {
		k, stays, from, to := keeps(cable, free)
		if k < 0 {
			return false
		}
		one := gone[k]
		by[k] = &task{dev: p.was.net.Topo.DeviceIndex(to.Device), kind: CableStep, page: "Cables", text: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(from), name(to)), undo: fmt.Sprintf("Move the cable from %s: out of %s, into %s", name(stays), name(to), name(from)), lines: []string{"-" + line(one), line(cable)}, back: []string{"-" + line(cable), line(one)}, plugs: []office.Cable{cable}, refs: ends(cable), pulls: []office.Cable{one}}
		if h := holds(to); h >= 0 {
			stay[h] = true
		}
		tasks = append(tasks, by[k])
		return true
	}
	for _, free := range []bool{true, false} {
		come = slices.DeleteFunc(come, func(cable office.Cable) bool { return plug(cable, free) })
	}
	for k, cable := range gone {
		if by[k] == nil {
			by[k] = &task{dev: dev(cable), kind: CableStep, page: "Cables", text: fmt.Sprintf("Pull the cable from %s to %s", name(cable.A), name(cable.B)), undo: fmt.Sprintf("Plug a cable from %s to %s", name(cable.A), name(cable.B)), lines: []string{"-" + line(cable)}, back: []string{line(cable)}, pulls: []office.Cable{cable}}
			tasks = append(tasks, by[k])
		}
	}
	for _, cable := range come {
		tasks = append(tasks, &task{dev: dev(cable), kind: CableStep, page: "Cables", text: fmt.Sprintf("Plug a cable from %s to %s", name(cable.A), name(cable.B)), undo: fmt.Sprintf("Pull the cable from %s to %s", name(cable.A), name(cable.B)), lines: []string{line(cable)}, back: []string{"-" + line(cable)}, plugs: []office.Cable{cable}, refs: ends(cable)})
	}
	for _, task := range tasks {
		for _, cable := range task.plugs {
			for _, ref := range ends(cable) {
				if h := holds(ref); h >= 0 && by[h] != task && !slices.Contains(task.after, by[h]) {
					task.after = append(task.after, by[h])
				}
			}
		}
		p.add(task)
	}
}

// other is the end of a cable that is not a port.
func other(cable office.Cable, ref office.PortRef) office.PortRef {
	if cable.A == ref {
		return cable.B
	}
	return cable.A
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
	for _, route := range a.Routes {
		if !slices.Contains(b.Routes, route) {
			say("Routes", "-%s route %s", d, route)
		}
	}
	for _, line := range a.Outsides {
		if !slices.Contains(b.Outsides, line) {
			say("Lines to the outside", "-%s outside %s", d, line.Name)
		}
	}
	for _, line := range b.Outsides {
		if !slices.Contains(a.Outsides, line) {
			say("Lines to the outside", "%s %s", d, notation.OutsideText(line))
		}
	}
	for _, route := range b.Routes {
		if !slices.Contains(a.Routes, route) {
			say("Routes", "%s route %s", d, route)
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
