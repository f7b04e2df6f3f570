package command

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// said is a part of what is said of a new device that says where ports go: 25 to 49,
// lan1-lan4 to 1-4.
var said = regexp.MustCompile(`^(\S+) (?:to|as|->) (\S+)$`)

// spared is the part that says what the old device is called, which is kept as a spare: old as rack-2.
var spared = regexp.MustCompile(`^old as (\S+)$`)

// doReplace reads: replace DEVICE by WORDS. What follows "by" is either the name of a spare or a
// device as one describes it ("switch 24 ports 1-24 gigabit, old as rack-2"), so it is read there
// and not word by word here.
func doReplace(net *span.Net, args *args) (*Result, error) {
	old := args.next()
	rest := strings.TrimLeft(args.text[min(len(args.text), old.at+len(old.text)):], " :")
	words, ok := strings.CutPrefix(rest, "by ")
	if args.bad == nil && !ok {
		args.wrong(old.at, "by what")
	}
	if args.bad != nil {
		return nil, nil
	}
	args.at = len(args.words)
	return Replace(net.Office, old.text, words)
}

// Replace puts a new device of the same name in the place of one. What it is is said as
// [Describe] reads it, with where ports go that have neither the same name nor the same
// number. What hangs at a port and what it is set to goes over with it, bundles, inner
// ports, addresses, lines, routes, rules and management too. The notes say how ports go and
// what finds no place.
//
//	> replace floor by switch, 8 ports 1G, by group
//	floor wording by-group
//	floor forwarding grouped
//	# ports that keep their names: 1-8
func Replace(o *office.Office, name, words string) (*Result, error) {
	old, err := office.NewDraft(o).FindDevice(name)
	if err != nil {
		return nil, err
	}
	var pairs [][2]string
	var parts []string
	spare := ""
	for _, part := range notation.Parts(words) {
		if m := spared.FindStringSubmatch(part); m != nil {
			spare = m[1]
			continue
		}
		if m := said.FindStringSubmatch(part); m != nil {
			if at, err := notation.PortList(old, m[1]); err == nil && len(at) > 0 {
				pairs = append(pairs, [2]string{m[1], m[2]})
				continue
			}
		}
		parts = append(parts, part)
	}
	off := o.Device(strings.Join(parts, ", ")) // of the shelf
	if off != nil && !o.Spare(off) {
		off = nil
	}
	fresh, err := described(o, old, off, strings.Join(parts, ", "))
	if err != nil {
		return nil, err
	}
	one := &replacing{office: o, old: old, to: fresh, way: map[int]int{}}
	if err := one.ports(pairs); err != nil {
		return nil, err
	}
	if err := one.carry(); err != nil {
		return nil, err
	}
	out := *o
	out.Devices = slices.Clone(o.Devices)
	out.Devices[slices.Index(o.Devices, old)] = one.to.Seal()
	one.hangs(&out)
	if off != nil {
		out.Devices = slices.DeleteFunc(out.Devices, func(device *office.Device) bool { return device == off })
		one.note("%s comes off the shelf and is %s from now on", off.Name, name)
	}
	if spare != "" {
		if err := one.keep(&out, spare); err != nil {
			return nil, err
		}
	}
	result, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	result.Notes = one.notes
	return result, nil
}

// keep puts the old device on the shelf, under a name of its own: what it is stays, and what it was
// told goes, as somebody else has it now.
func (r *replacing) keep(out *office.Office, name string) error {
	if o := r.office; o.Device(name) != nil {
		return fmt.Errorf("%s is a device already: give the old %s another name", name, r.old.Name)
	}
	if with, _, err := notation.Line(r.office, fmt.Sprintf("device %s %s\n  ports 1", name, r.old.Kind)); err != nil || with.Device(name) == nil {
		return fmt.Errorf("%q is no name for a device: one word without a dot, as in old as %s-spare", name, r.old.Name)
	}
	old := r.old.Clone()
	old.Name, old.Follows, old.Manage = name, "", nil
	old.Addresses, old.Outsides, old.Routes, old.Rules = nil, nil, nil, nil
	old.NoRouting, old.State, old.Between, old.Within = false, "", "", ""
	old.Ports = old.Ports[:old.Front()]
	for i := range old.Ports {
		old.Ports[i].Shape, old.Ports[i].Because, old.Ports[i].Bundle, old.Ports[i].Facts = nil, "", 0, nil
	}
	old.Facts.Place = "shelf"
	out.Devices = append(out.Devices, old.Seal())
	r.note("the old %s stays as a spare: %s, on the shelf", r.old.Name, name)
	return nil
}

// described is the device that words say, under the name of the one whose place it takes: of what
// kind it is, or the spare.
func described(o *office.Office, old, spare *office.Device, words string) (*office.Device, error) {
	if spare != nil {
		fresh := spare.Clone()
		fresh.Name = old.Name
		return fresh, nil
	}
	name := old.Name + "-new"
	for k := 2; o.Device(name) != nil; k++ {
		name = fmt.Sprintf("%s-new-%d", old.Name, k)
	}
	lines, err := Describe(o, name, words)
	if err != nil {
		return nil, err
	}
	with, _, err := notation.Line(o, strings.Join(lines, "\n"))
	if err != nil {
		return nil, err
	}
	fresh := with.Device(name).Clone()
	fresh.Name = old.Name
	return fresh, nil
}

type replacing struct {
	office  *office.Office
	old, to *office.Device
	way     map[int]int // ports of the front: of the old one to the new one's
	notes   []string
}

func (r *replacing) note(format string, args ...any) {
	r.notes = append(r.notes, fmt.Sprintf(format, args...))
}

// lost notes something that finds no place.
func (r *replacing) lost(format string, args ...any) {
	r.note("finds no place: "+format, args...)
}

// ports works out where each port of the front goes: as is said, else to the one of its
// name, else to the only one of its number, where that is no line to the outside for one
// that is.
//
//	> replace floor by switch, ports lan1-lan9 1G, by port, 8 to lan9
//	-plug floor.1 "desk pc"
//	-plug floor.1 "phone"
//	-plug floor.5 "tablet"
//	-cable core.7 floor.8
//	floor wording by-port
//	-floor ports 1-8
//	floor ports lan1-lan9 1G
//	floor lan5: 160
//	floor lan6-lan7: -
//	cable core.7 floor.lan9
//	plug floor.lan1 "desk pc" wants 110
//	plug floor.lan1 "phone" wants 140 tagged
//	plug floor.lan5 "tablet" wants 160
//	# ports that go elsewhere: 1 to lan1, 2 to lan2, 3 to lan3, 4 to lan4, 5 to lan5, 6 to
//	    lan6, 7 to lan7, 8 to lan9
func (r *replacing) ports(pairs [][2]string) error {
	taken := map[int]bool{}
	for _, pair := range pairs {
		from, err := notation.PortList(r.old, pair[0])
		if err != nil {
			return err
		}
		to, err := notation.PortList(r.to, pair[1])
		if err != nil {
			return err
		}
		if len(from) != len(to) {
			return fmt.Errorf("%s to %s: name as many ports of the new %s as of the old one: they are %d and %d", pair[0], pair[1], r.old.Name, len(to), len(from))
		}
		for i, p := range from {
			_, twice := r.way[p]
			if twice || taken[to[i]] || r.old.Ports[p].Kind != office.Physical || r.to.Ports[to[i]].Kind != office.Physical {
				return fmt.Errorf("%s to %s: each port of the front is named once", pair[0], pair[1])
			}
			r.way[p], taken[to[i]] = to[i], true
		}
	}
	front := r.old.Front()
	for port := range front {
		if q := r.to.Port(r.old.Ports[port].Name); q >= 0 && !taken[q] && r.free(port) {
			r.way[port], taken[q] = q, true
		}
	}
	were, are := numbered(r.old), numbered(r.to)
	for port := range front {
		name := number(r.old.Ports[port].Name)
		if name != "" && r.free(port) && len(were[name]) == 1 && len(are[name]) == 1 && !taken[are[name][0]] {
			r.way[port], taken[are[name][0]] = are[name][0], true
		}
	}
	r.tell()
	return nil
}

func (r *replacing) free(p int) bool { _, ok := r.way[p]; return !ok }

// number is the number that a port's name ends with; a line to the outside is apart, by
// its name, and needs none.
func number(name string) string {
	n := strings.TrimLeft(name[len(strings.TrimRight(name, "0123456789")):], "0")
	if office.NamedOutside(name) {
		return "outside " + cmp.Or(n, "1")
	}
	return n
}

// numbered is the ports of a front by their numbers.
func numbered(device *office.Device) map[string][]int {
	out := map[string][]int{}
	for port := range device.Front() {
		name := number(device.Ports[port].Name)
		out[name] = append(out[name], port)
	}
	return out
}

// tell notes how ports go.
func (r *replacing) tell() {
	var same []int
	var moved []string
	for port := range r.old.Front() {
		at, ok := r.way[port]
		switch {
		case !ok:
		case r.old.Ports[port].Name == r.to.Ports[at].Name:
			same = append(same, port)
		default:
			moved = append(moved, r.old.Ports[port].Name+" to "+r.to.Ports[at].Name)
		}
	}
	if len(same) > 0 {
		r.note("ports that keep their names: %s", notation.Ports(r.old, same))
	}
	if len(moved) > 0 {
		r.note("ports that go elsewhere: %s", strings.Join(moved, ", "))
	}
}

// port is where a port of the old one is on the new one, by its name; "" for nowhere.
func (r *replacing) port(name string) string {
	i := r.old.Port(name)
	if port, ok := r.way[i]; ok {
		return r.to.Ports[port].Name
	}
	if r.old.Ports[i].Kind != office.Physical && r.to.Port(name) >= 0 {
		return name
	}
	return ""
}

// carry gives the new device what the old one is told.
//
// Many branches: one a part of a device that the new one may lack.
func (r *replacing) carry() error {
	old, to := r.old, r.to
	for port, at := range r.way {
		to.Ports[at].Facts = old.Ports[port].Facts
	}
	r.bundles()
	r.inner()
	if to.Follows == "" {
		to.Follows = old.Follows
	}
	if err := r.shapes(); err != nil {
		return err
	}
	if to.Manage == nil {
		to.Manage = old.Manage
	}
	for _, address := range old.Addresses {
		if on := address.On; on != "" {
			if address.On = r.port(on); address.On == "" {
				r.lost("address %s, on %s", address.Prefix, on)
				continue
			}
		}
		to.Addresses = append(to.Addresses, address)
	}
	lines := map[string]bool{}
	for _, line := range old.Outsides {
		on := line.On
		if line.On = r.port(on); line.On == "" {
			r.lost("line %s to the outside, on %s", line.Name, on)
			continue
		}
		to.Outsides, lines[line.Name] = append(to.Outsides, line), true
	}
	for _, route := range old.Routes {
		if route.Line != "" && !lines[route.Line] {
			r.lost("route %s", route)
			continue
		}
		to.Routes = append(to.Routes, route)
	}
	to.NoRouting, to.State, to.Between, to.Within = old.NoRouting, old.State, old.Between, old.Within
	for _, rule := range old.Rules {
		gone := func(side office.Side) bool { return side.Kind == office.SideZone && !to.HasZone(side.Zone) }
		if slices.ContainsFunc(rule.From, gone) || slices.ContainsFunc(rule.To, gone) {
			r.lost("%s", rule.String())
			continue
		}
		to.Rules = append(to.Rules, rule)
	}
	to.Facts.Place, to.Facts.Note = old.Facts.Place, old.Facts.Note
	if len(old.Speaks) > 0 || old.Factory != nil || old.Console && !to.Console {
		r.note("how it is read, where it answers fresh and whether it has a console is said of the old %s alone: say it of the new one", old.Name)
	}
	return nil
}

// bundles makes the old device's bundles of the ports that its members became; with fewer than two
// left there is none.
func (r *replacing) bundles() {
	for i := range r.old.Ports {
		port := &r.old.Ports[i]
		if port.Kind != office.Bundle {
			continue
		}
		var members []string
		for _, m := range port.Members {
			if at, ok := r.way[m]; ok {
				members = append(members, r.to.Ports[at].Name)
			}
		}
		if len(members) < len(port.Members) {
			r.lost("bundle %s of %s", port.Name, notation.Ports(r.old, port.Members))
			continue
		}
		if err := r.to.AddBundle(port.Name, port.Mode, members); err != nil {
			r.lost("bundle %s: %s", port.Name, err)
		}
	}
}

// inner gives the new device the inner ports of the old one (SSIDs, bridges of hosts), which no
// front shows. One that the new one cannot have is noted as lost.
func (r *replacing) inner() {
	for i := range r.old.Ports {
		port := &r.old.Ports[i]
		if port.Kind != office.Inner {
			continue
		}
		if err := r.to.AddInner(port.Name, port.Flavour, nil); err != nil {
			r.lost("%s: %s", port.Name, err)
			continue
		}
		r.to.Ports[r.to.Port(port.Name)].Facts = port.Facts
	}
	r.to.Seal()
}

// shapes sets each port as the one that it takes the place of; where the port plan says so
// already, nothing is set. A plan that says otherwise at more ports than not is followed no
// more.
func (r *replacing) shapes() error {
	type set struct {
		at      int
		shape   *office.Shape
		because string
	}
	work := func() (all []set, apart, alike int) {
		for port := range r.old.Ports {
			name := r.port(r.old.Ports[port].Name)
			if name == "" || r.old.Ports[port].Bundle > 0 {
				continue
			}
			at := r.to.Port(name)
			if r.to.Ports[at].Bundle > 0 {
				continue
			}
			shape, source := r.office.Written(r.old, port)
			planned, covered := r.office.Planned(r.to, at)
			switch {
			case covered && planned.Equal(*shape):
				alike++
			case !covered && source != office.FromPlan && r.old.Ports[port].Shape == nil: // nothing, or what a line to the outside makes of it
			default:
				if source == office.FromPlan {
					apart++
				}
				all = append(all, set{at, shape, r.old.Ports[port].Because})
			}
		}
		return all, apart, alike
	}
	all, apart, alike := work()
	if apart > alike {
		r.note("%s follows %s no more: its ports are not at the places of that plan, and are set one by one", r.old.Name, r.to.Follows)
		r.to.Follows = ""
		all, _, _ = work()
	}
	for _, other := range all {
		if r.to.Unaware() {
			if !other.shape.Equal(office.Shape{}) {
				r.lost("%s on port %s: the new %s looks at no tag", notation.Shape(*other.shape), r.to.Ports[other.at].Name, r.old.Name)
			}
			continue
		}
		if err := r.to.SetShape(other.at, other.shape, other.because); err != nil {
			return err
		}
	}
	return nil
}

// hangs puts cables and plugs to the ports of the new device.
func (r *replacing) hangs(out *office.Office) {
	goes := func(ref office.PortRef) (office.PortRef, bool) {
		if ref.Device != r.old.Name {
			return ref, true
		}
		ref.Port = r.port(ref.Port)
		return ref, ref.Port != ""
	}
	out.Cables, out.Plugs = nil, nil
	for _, cable := range r.office.Cables {
		ref, ok := goes(cable.A)
		other, too := goes(cable.B)
		if !ok || !too {
			r.lost("%s", strings.TrimPrefix(notation.Thing(cable), "cable "))
			continue
		}
		out.Cables = append(out.Cables, office.Cable{A: ref, B: other})
	}
	for _, plug := range r.office.Plugs {
		ref, ok := goes(plug.Port)
		if !ok {
			r.lost("%s at %s", office.Quote(plug.Name), notation.Ref(plug.Port))
			continue
		}
		plug.Port = ref
		out.Plugs = append(out.Plugs, plug)
	}
}
