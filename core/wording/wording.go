// Package wording says how a device asks for memberships: the same shapes as
// values in the layout of its own pages, read back from there, what the device
// cannot say, and the steps that it accepts on the way from one state to
// another.
//
// A port with the shape 120 [140] is a line "1 | access …" on one device, a
// place in two lists on another, a group and a row on a third. [Write] makes
// the tables, [Read] reads them back, [Steps] leads from what is set to what
// should be, and [Apply] is a model of the device: it does one step, with the
// device's habits, or refuses it as the device would.
package wording

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/effort"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Setting is what one port is set to, in full: nothing is left to follow.
type Setting struct {
	Off      bool // the port is shut; nothing else counts
	Untagged office.Set
	Tagged   office.Set
	Rides    []office.Ride // translation, by VLAN
	PVID     office.VID    // 0: none
	Admit    office.Admit
	Filter   bool
}

// Members is untagged and tagged together.
func (s *Setting) Members() office.Set {
	m := s.Untagged
	m.AddAll(&s.Tagged)
	return m
}

// Equal says whether two settings forward alike.
func (s Setting) Equal(t Setting) bool { return s.Alike(&t) }

// Alike is [Setting.Equal] without a copy of two kilobytes.
func (s *Setting) Alike(t *Setting) bool {
	if s.Off || t.Off {
		return s.Off == t.Off
	}
	return s.PVID == t.PVID && s.Admit == t.Admit && s.Filter == t.Filter && s.Untagged == t.Untagged && s.Tagged == t.Tagged && slices.Equal(s.Rides, t.Rides)
}

// ForwardsAs says whether two settings do the same with every frame. They may be said
// otherwise: a PVID that no untagged frame gets to, as only tagged ones are accepted or
// the port is not in it and filters, is as none (IEEE 802.1Q, 6.9.1 and 8.6.2).
func (s *Setting) ForwardsAs(t *Setting) bool {
	if s.Off || t.Off {
		return s.Off == t.Off
	}
	return s.native() == t.native() && (s.Admit == office.AdmitUntagged) == (t.Admit == office.AdmitUntagged) && s.Filter == t.Filter &&
		s.Untagged == t.Untagged && s.Tagged == t.Tagged && slices.Equal(s.Rides, t.Rides)
}

// native is where untagged frames go: the PVID, or 0 where they are dropped.
func (s *Setting) native() office.VID {
	if m := s.Members(); s.Admit == office.AdmitTagged || s.PVID != 0 && s.Filter && !m.Has(s.PVID) {
		return 0
	}
	return s.PVID
}

// Shape is the setting as a shape.
func (s Setting) Shape() office.Shape {
	if s.Off {
		return office.Shape{Off: true}
	}
	return office.Shape{Untagged: s.Untagged.VIDs(), Tagged: s.Tagged.VIDs(), Rides: s.Rides, PVIDSet: true, PVID: s.PVID, Admit: s.Admit, FilterOff: !s.Filter}.Normal()
}

// Of is a shape in full.
func Of(s *office.Shape) Setting { return Compiled(bridge.Compile(s, nil)) }

// Compiled is a compiled port as a setting.
func Compiled(p *bridge.Port) Setting {
	if p.Off {
		return Setting{Off: true, Filter: true}
	}
	return Setting{Untagged: p.Untagged, Tagged: p.Tagged, Rides: p.Rides, PVID: p.PVID, Admit: p.Admit, Filter: p.Filter}
}

// State is what a device is set to: the VLANs that it knows, and its ports by
// their index in [office.Device.Ports]; members of bundles have none.
type State struct {
	VLANs office.Set
	Ports []Setting
	Apart []int // members of planned bundles that were found to be in none: they have settings of their own; ascending
}

func (s State) clone() State {
	s.Ports = slices.Clone(s.Ports)
	return s
}

// With is the state with one port set otherwise.
func (s State) With(p int, x Setting) State { return s.WithAll(map[int]Setting{p: x}) }

// WithAll is the state with some ports set otherwise.
func (s State) WithAll(ports map[int]Setting) State {
	s = s.clone()
	for p, x := range ports {
		s.Ports[p] = x
	}
	s.learn()
	return s
}

// Knowing is the state of a device that knows some VLANs beside those of its
// ports.
func (s State) Knowing(vs office.Set) State {
	s.VLANs.AddAll(&vs)
	return s
}

// Learnt is the VLANs that a state knows beside those of its ports.
func (s State) Learnt() office.Set {
	own := s.clone()
	own.learn()
	return s.VLANs.Minus(&own.VLANs)
}

// Equal says whether two states forward alike; VLANs without ports count only
// where the device keeps a list of VLANs.
func (s State) Equal(t State) bool {
	if !slices.Equal(s.Apart, t.Apart) {
		return false
	}
	if len(s.Ports) > 0 && len(s.Ports) == len(t.Ports) && &s.Ports[0] == &t.Ports[0] {
		return true
	}
	for p := range s.Ports {
		if p >= len(t.Ports) || !s.Ports[p].Alike(&t.Ports[p]) {
			return false
		}
	}
	return len(s.Ports) == len(t.Ports)
}

// Device is a device with its wording.
type Device struct {
	*office.Device
	name    func(office.VID) string
	kind    *kind
	effort  *effort.Effort
	managed Managed
}

// kind is one wording.
type kind struct {
	write   func(d *Device, s State) []Table
	read    func(d *Device, t []Table, s *State) error
	cannot  func(d *Device, s State, port int) (why string, nearest Setting)
	steps   func(d *Device, w *way)
	apply   func(d *Device, s *State, st Step) error
	factory func(d *Device, port int) Setting
	always  bool // a port is always in a VLAN
}

var kinds = map[office.WordingName]*kind{
	office.ByVLAN: &byVLAN, office.ByPort: &byPort, office.ByChoice: &byChoice, office.ByGroup: &byGroup,
	office.BySubInterface: &bySubInterface, office.ByInnerPort: &byInnerPort, office.Linux: &linux,
}

// For is device i of an office with its wording, the plain one where it says
// none; nil where it has nothing to set.
func For(n *span.Net, i int) *Device {
	device := n.Office.Devices[i]
	if !n.Aware(i) {
		return nil
	}
	k := kinds[device.Wording.Name]
	switch {
	case byDatabase(device):
		k = &database
	case k == nil:
		k = &plain
	}
	return &Device{device, n.Name, k, n.Effort(), ManagedIn(n, device.Manage)}
}

// WordingName is the name of a device's wording, "plain" where it says none.
func (d *Device) WordingName() string {
	if d.kind == &plain || d.kind == &database {
		return "plain"
	}
	return string(d.Wording.Name)
}

// Planned is what device i should be set to.
func Planned(n *span.Net, i int) State {
	d := n.Office.Devices[i]
	state := State{Ports: make([]Setting, len(d.Ports))}
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 {
			state.Ports[p] = Compiled(n.Tables[i].Ports[p])
		}
	}
	shutFree(n, i, &state)
	state.learn()
	return state
}

// shutFree: where a wording has every port in a VLAN, one in none into which nothing is
// plugged is shut. It comes to the same.
func shutFree(n *span.Net, i int, state *State) {
	kind := kinds[n.Office.Devices[i].Wording.Name]
	if kind == nil || !kind.always {
		return
	}
	for p := range state.Ports {
		s := &state.Ports[p]
		if s.Off || s.PVID != 0 || s.Members() != (office.Set{}) || len(n.Topo.LinksAt(i, p)) > 0 {
			continue
		}
		if !slices.ContainsFunc(n.Topo.PlugsAt(i), func(k int) bool { return n.Office.Plugs[k].Port.Port == n.Office.Devices[i].Ports[p].Name }) {
			*s = Setting{Off: true, Filter: true}
		}
	}
}

// learn is every VLAN that the ports need the device to know.
func (s *State) learn() {
	s.VLANs = office.Set{}
	s.VLANs.Add(office.DefaultVID)
	for p := range s.Ports {
		m := s.Ports[p].Members()
		s.VLANs.AddAll(&m)
		if v := s.Ports[p].PVID; v != 0 {
			s.VLANs.Add(v)
		}
	}
}

// Factory is how a device comes out of its box.
func Factory(d *Device) State {
	state := State{Ports: make([]Setting, len(d.Ports))}
	for _, p := range d.logical() {
		if d.kind.factory != nil {
			state.Ports[p] = d.kind.factory(d, p)
			continue
		}
		state.Ports[p] = only(office.DefaultVID)
	}
	state.learn()
	return state
}

// only is a port in one VLAN, untagged.
func only(v office.VID) Setting {
	s := Setting{PVID: v, Filter: true}
	s.Untagged.Add(v)
	return s
}

// Unsayable is what a wording cannot say of a port, and what comes nearest.
type Unsayable struct {
	Port    int
	Why     string
	Nearest Setting
	Was     Setting // that cannot be said
}

// Cannot lists what the device's wording cannot say of a state.
func Cannot(device *Device, state State) []Unsayable {
	var out []Unsayable
	for _, p := range device.logical() {
		if state.Ports[p].Off {
			continue
		}
		if why, nearest := device.kind.cannot(device, state, p); why != "" {
			out = append(out, Unsayable{p, why, nearest, state.Ports[p]})
		}
	}
	return out
}

// Sayable is what comes nearest to a state that the device's wording can say, and
// what of the state it cannot: one port after the other, as what one is set to
// may decide what another can be.
func Sayable(device *Device, state State) (State, []Unsayable) {
	var out []Unsayable
	for range 2 * len(state.Ports) {
		all := Cannot(device, state)
		if len(all) == 0 {
			break
		}
		u := all[0]
		out = append(out, u)
		state = state.With(u.Port, u.Nearest)
	}
	return state, out
}

// Unsaid is what device i's wording cannot say of what it should be set to.
func Unsaid(n *span.Net, i int) []Unsayable {
	plain := true // ports in one VLAN and nothing else can be said by every wording
	for p, t := range n.Tables[i].Ports {
		plain = plain && (t.Access != 0 || t.Off || n.Office.Devices[i].Ports[p].Bundle > 0)
	}
	if plain {
		return nil
	}
	d := For(n, i)
	if d == nil {
		return nil
	}
	return Cannot(d, Planned(n, i))
}

// Write makes the tables to enter, in the layout of the device's own pages.
func Write(d *Device, s State) []Table { return d.kind.write(d, s) }

// Read reads tables back. The error names the row and the column.
func Read(d *Device, t []Table) (State, error) {
	state := State{Ports: make([]Setting, len(d.Ports))}
	for _, p := range d.logical() {
		state.Ports[p] = Setting{Filter: true}
	}
	if err := d.kind.read(d, t, &state); err != nil {
		return state, err
	}
	state.learn()
	return state, nil
}

// logical lists the ports that have settings: bundles stand for their members.
func (d *Device) logical() []int {
	var out []int
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 {
			out = append(out, p)
		}
	}
	return out
}

func (d *Device) habit(h office.Habit) bool { return slices.Contains(d.Wording.Habits, h) }

func (d *Device) list(at []int) string { return notation.Ports(d.Device, at) }

// where lists the ports for which f holds.
func (d *Device) where(f func(p int) bool) []int {
	return slices.DeleteFunc(d.logical(), func(p int) bool { return !f(p) })
}

// vids prints a set of VLANs: 110,120-122.
func vids(s office.Set) string { return s.Ranges() }

// ParseVIDs reads a list of VIDs and ranges: 110,120-122.
func ParseVIDs(text string) (set office.Set, err error) {
	for _, part := range strings.FieldsFunc(text, func(c rune) bool { return c == ',' || c == ' ' }) {
		a, b, ranged := strings.Cut(part, "-")
		from, err := office.ParseVID(a)
		if err != nil {
			return set, err
		}
		to := from
		if ranged {
			if to, err = office.ParseVID(b); err != nil {
				return set, err
			}
		}
		if to < from {
			return set, fmt.Errorf("the range %s runs backwards", part)
		}
		for v := from; v <= to; v++ {
			set.Add(v)
		}
	}
	return set, nil
}

// plainOnly is what most wordings cannot say: translation, acceptable frames,
// filtering.
func plainOnly(s Setting) (why string, nearest Setting) {
	n := s
	switch {
	case len(s.Rides) > 0:
		n.Rides = nil
		return "it has no translation of VIDs", n
	case s.Admit != office.AdmitAll:
		n.Admit = office.AdmitAll
		return fmt.Sprintf("it cannot be told to admit only %s frames", s.Admit), n
	case !s.Filter:
		n.Filter = true
		return "ingress filtering is always on", n
	}
	return "", s
}

// oneNative is what wordings with at most one untagged VLAN cannot say.
func oneNative(s Setting) (why string, nearest Setting) {
	if why, n := plainOnly(s); why != "" {
		return why, n
	}
	n := s
	first := func() office.VID {
		if s.Untagged.Has(s.PVID) {
			return s.PVID
		}
		for v := range s.Untagged.All() {
			return v
		}
		return 0
	}
	switch vid := first(); {
	case s.Untagged.Len() > 1:
		rest := s.Untagged
		rest.Remove(vid)
		n.Untagged, n.PVID = office.Set{}, vid
		n.Untagged.Add(vid)
		n.Tagged.AddAll(&rest)
		return "a port has one untagged VLAN", n
	case s.PVID != vid:
		n.PVID = vid
		return "the PVID is always the untagged VLAN", n
	}
	return "", s
}
