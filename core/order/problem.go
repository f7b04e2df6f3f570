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
//
// Many branches: one a thing that stands at a device.
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

// newProblem reads the two offices, and holds against them what no order could mend: it returns
// *Impossible with every reason found in one of its two halves. The first half is about what is
// compared at all (whose laptop, which device is which); only when that is clear are the offices
// brought to the same devices and each asked whether its own words can say what is planned.
func newProblem(was, plan *office.Office, renumbered numbers, fresh []string) (*problem, error) {
	var why []Reason
	against := func(device, format string, args ...any) {
		why = append(why, Reason{device, fmt.Sprintf(format, args...)})
	}
	one := &problem{numbers: renumbered}
	one.findLaptop(was, plan, against)
	holdNames(was, plan, fresh, against)
	holdBuild(was, plan, against)
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
	one.findGoals(plan, against)
	if why != nil {
		return nil, &Impossible{Reasons: why}
	}
	one.findTasks()
	one.lend()
	one.judge = newJudge(one.was, one.plan, one.lent, one.numbers, one.moves)
	return one, nil
}

// objector notes a reason why there is no order; device is "" where it is about none in particular.
type objector func(device, format string, args ...any)

// findLaptop finds the operator's plug in both offices. It must be in the plan; as things are it
// may be missing only where nothing is plugged in or set yet, as then the laptop is not there
// either.
func (p *problem) findLaptop(was, plan *office.Office, against objector) {
	for _, side := range []struct {
		office *office.Office
		into   *office.Plug
	}{{was, &p.laptop}, {plan, &p.home}} {
		i := slices.IndexFunc(side.office.Plugs, func(plug office.Plug) bool { return plug.Operator })
		switch {
		case i >= 0:
			*side.into = side.office.Plugs[i]
		case side.office == plan:
			against("", "As planned, no plug is the operator's, so nobody knows from where devices are set: where will you sit? Say it, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		case len(was.Plugs) > 0 || slices.ContainsFunc(was.Devices, everSet):
			against("", "As it is, no plug is the operator's, so nobody knows from where devices are set: say where the laptop is, as in plug rack.22 \"admin laptop\" wants 190 operator.")
		}
	}
}

// holdNames asks whether a device that goes and one that comes are one under two names: taken for
// two, the order would have somebody unplug a switch and unpack the same one. Those in fresh are
// new ones, whatever they look like.
func holdNames(was, plan *office.Office, fresh []string, against objector) {
	for _, device := range was.Devices {
		if plan.Device(device.Name) != nil {
			continue
		}
		for _, other := range plan.Devices {
			if was.Device(other.Name) == nil && !slices.Contains(fresh, other.Name) && !strings.HasPrefix(device.Name, oldName(other.Name)) && renamed(was, plan, device, other) {
				against(other.Name, "%s is not planned, and %s is planned and not there, with the same front: if they are one device, call it by one name in both; if it is another, say so by another kind or front.", device.Name, other.Name)
			}
		}
	}
}

// holdBuild asks whether a device of one name is the same piece of equipment in both: no statement
// gives one other ports, another kind, or the knowledge of tags.
func holdBuild(was, plan *office.Office, against objector) {
	for _, device := range plan.Devices {
		before := was.Device(device.Name)
		if before == nil {
			continue
		}
		if a, b := front(before), front(device); a != b {
			against(device.Name, "%s has the ports %s as it is and %s as planned: if it is another device, give it another name, or say that a new one takes its place (--new %s).", device.Name, a, b, device.Name)
		}
		for at := range device.Ports {
			if was := before.Port(device.Ports[at].Name); was >= 0 && before.Ports[was].Kind != device.Ports[at].Kind {
				against(device.Name, "%s %s is not the same kind of port as it is and as planned: give one of the two another name.", device.Name, device.Ports[at].Name)
			}
		}
		if before.Kind != device.Kind {
			against(device.Name, "%s is a %s as it is and a %s as planned: if another device takes its place, say so (--new %s); if it was written down wrong, put it right in both.", device.Name, before.Kind, device.Kind, device.Name)
		}
		if before.Unaware() != device.Unaware() {
			is, will := "knows no tags", "is to be set by VLANs"
			if device.Unaware() {
				is, will = "is set by VLANs", "knows no tags"
			}
			against(device.Name, "%s %s as it is, and %s as planned: if another device takes its place, say so (--new %s); if it was written down wrong, put it right in both.", device.Name, is, will, device.Name)
		}
	}
}

// findGoals works out in each device's own words what it is to be set to, nil words where it is
// not set at all (a host, a spare on the shelf). What its words cannot say stands against the
// order, unless the port is like that already.
func (p *problem) findGoals(plan *office.Office, against objector) {
	p.goals = make([]wording.State, len(p.plan.net.Office.Devices))
	p.words = make([]*wording.Device, len(p.goals))
	for i, device := range p.plan.net.Office.Devices {
		if p.was.at[i] < 0 && plan.Spare(plan.Devices[p.plan.at[i]]) {
			continue
		}
		p.words[i] = wording.For(p.plan.net, i)
		if p.words[i] == nil {
			continue
		}
		p.goals[i] = wording.Planned(p.plan.net, i)
		if same := p.was.net.Office.Devices[i]; p.was.at[i] >= 0 && sameSettings(same, device) {
			continue
		}
		for _, unsayable := range wording.Cannot(p.words[i], p.goals[i]) {
			near := unsayable.Nearest.Shape()
			shape := unsayable.Was.Shape()
			against(device.Name, "%s cannot be set as planned: port %s is to be %s, and %s. What comes nearest is %s.", device.Name, device.Ports[unsayable.Port].Name, notation.Shape(shape), unsayable.Why, notation.Shape(near))
		}
	}
}

// front is a device's ports as notation, inner ports aside: what one sees of it in a rack.
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

// sameSettings says whether two devices of the same ports are set alike, port by port.
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
			fresh := concrete(b.from, dev)
			if !plan.Spare(device) { // which nobody sets
				fresh = boxed(b.from, dev)
			}
			before, after = append(before, fresh), append(after, concrete(b.from, dev))
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
			text := "Take " + device.Name + " away"
			if p.was.from.Office.Spare(device) {
				text = "Take " + device.Name + " off the shelf"
			}
			p.add(&task{dev: i, kind: CableStep, page: "Rack", text: text, undo: "Put " + device.Name + " back", lines: []string{"-device " + device.Name}, away: true, after: slices.Clone(p.tasks)})
		}
	}
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
	text, undo := fmt.Sprintf("Unpack %s and power it; nothing is plugged into it yet", device.Name), "Put "+device.Name+" back into its box"
	if plan := p.plan.from.Office; plan.Spare(plan.Devices[p.plan.at[i]]) {
		text, undo = fmt.Sprintf("Put %s on the shelf: it is a spare, and is set when it is used", device.Name), "Take "+device.Name+" off the shelf"
	}
	p.add(&task{dev: i, kind: CableStep, page: "Box", text: text, undo: undo, lines: deviceLines(device), back: []string{"-device " + device.Name}, box: true})
}
