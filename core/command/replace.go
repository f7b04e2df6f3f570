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

func doReplace(n *span.Net, a *args) (*Result, error) {
	old := a.next()
	rest := strings.TrimLeft(a.text[min(len(a.text), old.at+len(old.text)):], " :")
	words, ok := strings.CutPrefix(rest, "by ")
	if a.bad == nil && !ok {
		a.wrong(old.at, "by what")
	}
	if a.bad != nil {
		return nil, nil
	}
	a.i = len(a.words)
	return Replace(n.Office, old.text, words)
}

// Replace puts a new device of the same name in the place of one. What it is is said as
// [Describe] reads it, with where ports go that have neither the same name nor the same
// number. What hangs at a port and what it is set to goes over with it, bundles, inner
// ports, addresses, lines, routes, rules and management too. The notes say how ports go and
// what finds no place.
func Replace(o *office.Office, name, words string) (*Result, error) {
	old, err := office.NewDraft(o).FindDevice(name)
	if err != nil {
		return nil, err
	}
	var pairs [][2]string
	var parts []string
	for _, part := range commas.Split(strings.TrimSpace(words), -1) {
		if m := said.FindStringSubmatch(part); m != nil {
			if at, err := notation.PortList(old, m[1]); err == nil && len(at) > 0 {
				pairs = append(pairs, [2]string{m[1], m[2]})
				continue
			}
		}
		parts = append(parts, part)
	}
	fresh, err := described(o, old, strings.Join(parts, ", "))
	if err != nil {
		return nil, err
	}
	r := &replacing{o: o, old: old, to: fresh, way: map[int]int{}}
	if err := r.ports(pairs); err != nil {
		return nil, err
	}
	if err := r.carry(); err != nil {
		return nil, err
	}
	out := *o
	out.Devices = slices.Clone(o.Devices)
	out.Devices[slices.Index(o.Devices, old)] = r.to.Seal()
	r.hangs(&out)
	result, err := become(o, &out)
	if err != nil {
		return nil, err
	}
	result.Notes = r.notes
	return result, nil
}

// described is the device that words say, under the name of the one whose place it takes.
func described(o *office.Office, old *office.Device, words string) (*office.Device, error) {
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
	o       *office.Office
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
	for p := range front {
		if q := r.to.Port(r.old.Ports[p].Name); q >= 0 && !taken[q] && r.free(p) {
			r.way[p], taken[q] = q, true
		}
	}
	were, are := numbered(r.old), numbered(r.to)
	for p := range front {
		n := number(r.old.Ports[p].Name)
		if n != "" && r.free(p) && len(were[n]) == 1 && len(are[n]) == 1 && !taken[are[n][0]] {
			r.way[p], taken[are[n][0]] = are[n][0], true
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
func numbered(d *office.Device) map[string][]int {
	out := map[string][]int{}
	for p := range d.Front() {
		n := number(d.Ports[p].Name)
		out[n] = append(out[n], p)
	}
	return out
}

// tell notes how ports go.
func (r *replacing) tell() {
	var same []int
	var moved []string
	for p := range r.old.Front() {
		q, ok := r.way[p]
		switch {
		case !ok:
		case r.old.Ports[p].Name == r.to.Ports[q].Name:
			same = append(same, p)
		default:
			moved = append(moved, r.old.Ports[p].Name+" to "+r.to.Ports[q].Name)
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
	if q, ok := r.way[i]; ok {
		return r.to.Ports[q].Name
	}
	if r.old.Ports[i].Kind != office.Physical && r.to.Port(name) >= 0 {
		return name
	}
	return ""
}

// carry gives the new device what the old one is told.
func (r *replacing) carry() error {
	old, to := r.old, r.to
	for p, q := range r.way {
		to.Ports[q].Facts = old.Ports[p].Facts
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
	for _, x := range old.Addresses {
		if on := x.On; on != "" {
			if x.On = r.port(on); x.On == "" {
				r.lost("address %s, on %s", x.Prefix, on)
				continue
			}
		}
		to.Addresses = append(to.Addresses, x)
	}
	lines := map[string]bool{}
	for _, x := range old.Outsides {
		on := x.On
		if x.On = r.port(on); x.On == "" {
			r.lost("line %s to the outside, on %s", x.Name, on)
			continue
		}
		to.Outsides, lines[x.Name] = append(to.Outsides, x), true
	}
	for _, x := range old.Routes {
		if x.Line != "" && !lines[x.Line] {
			r.lost("route %s", x)
			continue
		}
		to.Routes = append(to.Routes, x)
	}
	to.NoRouting, to.State, to.Between, to.Within = old.NoRouting, old.State, old.Between, old.Within
	for _, x := range old.Rules {
		gone := func(s office.Side) bool { return s.Kind == office.SideZone && !to.HasZone(s.Zone) }
		if slices.ContainsFunc(x.From, gone) || slices.ContainsFunc(x.To, gone) {
			r.lost("%s", x.String())
			continue
		}
		to.Rules = append(to.Rules, x)
	}
	to.Facts.Place, to.Facts.Note = old.Facts.Place, old.Facts.Note
	if len(old.Speaks) > 0 || old.Factory != nil || old.Console && !to.Console {
		r.note("how it is read, where it answers fresh and whether it has a console is said of the old %s alone: say it of the new one", old.Name)
	}
	return nil
}

func (r *replacing) bundles() {
	for i := range r.old.Ports {
		b := &r.old.Ports[i]
		if b.Kind != office.Bundle {
			continue
		}
		var members []string
		for _, m := range b.Members {
			if q, ok := r.way[m]; ok {
				members = append(members, r.to.Ports[q].Name)
			}
		}
		if len(members) < len(b.Members) {
			r.lost("bundle %s of %s", b.Name, notation.Ports(r.old, b.Members))
			continue
		}
		if err := r.to.AddBundle(b.Name, b.Mode, members); err != nil {
			r.lost("bundle %s: %s", b.Name, err)
		}
	}
}

func (r *replacing) inner() {
	for i := range r.old.Ports {
		x := &r.old.Ports[i]
		if x.Kind != office.Inner {
			continue
		}
		if err := r.to.AddInner(x.Name, x.Flavour, nil); err != nil {
			r.lost("%s: %s", x.Name, err)
			continue
		}
		r.to.Ports[r.to.Port(x.Name)].Facts = x.Facts
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
		for p := range r.old.Ports {
			name := r.port(r.old.Ports[p].Name)
			if name == "" || r.old.Ports[p].Bundle > 0 {
				continue
			}
			q := r.to.Port(name)
			if r.to.Ports[q].Bundle > 0 {
				continue
			}
			shape, source := r.o.Written(r.old, p)
			planned, covered := r.o.Planned(r.to, q)
			switch {
			case covered && planned.Equal(*shape):
				alike++
			case !covered && source != office.FromPlan && r.old.Ports[p].Shape == nil: // nothing, or what a line to the outside makes of it
			default:
				if source == office.FromPlan {
					apart++
				}
				all = append(all, set{q, shape, r.old.Ports[p].Because})
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
	for _, x := range all {
		if r.to.Unaware() {
			if !x.shape.Equal(office.Shape{}) {
				r.lost("%s on port %s: the new %s looks at no tag", notation.Shape(*x.shape), r.to.Ports[x.at].Name, r.old.Name)
			}
			continue
		}
		if err := r.to.SetShape(x.at, x.shape, x.because); err != nil {
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
	for _, c := range r.o.Cables {
		a, ok := goes(c.A)
		b, too := goes(c.B)
		if !ok || !too {
			r.lost("%s", strings.TrimPrefix(notation.Thing(c), "cable "))
			continue
		}
		out.Cables = append(out.Cables, office.Cable{A: a, B: b})
	}
	for _, p := range r.o.Plugs {
		ref, ok := goes(p.Port)
		if !ok {
			r.lost("%s at %s", office.Quote(p.Name), notation.Ref(p.Port))
			continue
		}
		p.Port = ref
		out.Plugs = append(out.Plugs, p)
	}
}
