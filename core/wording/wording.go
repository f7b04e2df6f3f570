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
	set := s.Untagged
	set.AddAll(&s.Tagged)
	return set
}

// Equal says whether two settings forward alike.
func (s Setting) Equal(setting Setting) bool { return s.Alike(&setting) }

// Alike is [Setting.Equal] without a copy of two kilobytes.
func (s *Setting) Alike(setting *Setting) bool {
	if s.Off || setting.Off {
		return s.Off == setting.Off
	}
	return s.PVID == setting.PVID && s.Admit == setting.Admit && s.Filter == setting.Filter && s.Untagged == setting.Untagged && s.Tagged == setting.Tagged && slices.Equal(s.Rides, setting.Rides)
}

// ForwardsAs says whether two settings do the same with every frame. They may be said
// otherwise: a PVID that no untagged frame gets to, as only tagged ones are accepted or
// the port is not in it and filters, is as none (IEEE 802.1Q, 6.9.1 and 8.6.2).
func (s *Setting) ForwardsAs(setting *Setting) bool {
	if s.Off || setting.Off {
		return s.Off == setting.Off
	}
	return s.native() == setting.native() && (s.Admit == office.AdmitUntagged) == (setting.Admit == office.AdmitUntagged) && s.Filter == setting.Filter &&
		s.Untagged == setting.Untagged && s.Tagged == setting.Tagged && slices.Equal(s.Rides, setting.Rides)
}

// native is where untagged frames go: the PVID, or 0 where they are dropped.
func (s *Setting) native() office.VID {
	if set := s.Members(); s.Admit == office.AdmitTagged || s.PVID != 0 && s.Filter && !set.Has(s.PVID) {
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
func Of(shape *office.Shape) Setting { return Compiled(bridge.Compile(shape, nil)) }

// Compiled is a compiled port as a setting.
func Compiled(compiled *bridge.Port) Setting {
	if compiled.Off {
		return Setting{Off: true, Filter: true}
	}
	return Setting{Untagged: compiled.Untagged, Tagged: compiled.Tagged, Rides: compiled.Rides, PVID: compiled.PVID, Admit: compiled.Admit, Filter: compiled.Filter}
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
func (s State) With(p int, setting Setting) State { return s.WithAll(map[int]Setting{p: setting}) }

// WithAll is the state with some ports set otherwise.
func (s State) WithAll(ports map[int]Setting) State {
	s = s.clone()
	for port, setting := range ports {
		s.Ports[port] = setting
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
func (s State) Equal(state State) bool {
	if !slices.Equal(s.Apart, state.Apart) {
		return false
	}
	if len(s.Ports) > 0 && len(s.Ports) == len(state.Ports) && &s.Ports[0] == &state.Ports[0] {
		return true
	}
	for port := range s.Ports {
		if port >= len(state.Ports) || !s.Ports[port].Alike(&state.Ports[port]) {
			return false
		}
	}
	return len(s.Ports) == len(state.Ports)
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
	write   func(device *Device, state State) []Table
	read    func(device *Device, t []Table, state *State) error
	cannot  func(device *Device, state State, port int) (why string, nearest Setting)
	steps   func(device *Device, one *way)
	apply   func(device *Device, state *State, st Step) error
	factory func(device *Device, port int) Setting
	always  bool // a port is always in a VLAN
}

var kinds = map[office.WordingName]*kind{
	office.ByVLAN: &byVLAN, office.ByPort: &byPort, office.ByChoice: &byChoice, office.ByGroup: &byGroup,
	office.BySubInterface: &bySubInterface, office.ByInnerPort: &byInnerPort, office.Linux: &linux,
}

// For is device i of an office with its wording, the plain one where it says
// none; nil where it has nothing to set.
func For(net *span.Net, i int) *Device {
	device := net.Office.Devices[i]
	if !net.Aware(i) {
		return nil
	}
	kind := kinds[device.Wording.Name]
	switch {
	case byDatabase(device):
		kind = &database
	case kind == nil:
		kind = &plain
	}
	return &Device{device, net.Name, kind, net.Effort(), ManagedIn(net, device.Manage)}
}

// WordingName is the name of a device's wording, "plain" where it says none.
func (d *Device) WordingName() string {
	if d.kind == &plain || d.kind == &database {
		return "plain"
	}
	return string(d.Wording.Name)
}

// Planned is what device i should be set to.
func Planned(net *span.Net, i int) State {
	device := net.Office.Devices[i]
	state := State{Ports: make([]Setting, len(device.Ports))}
	for port := range device.Ports {
		if device.Ports[port].Bundle == 0 {
			state.Ports[port] = Compiled(net.Tables[i].Ports[port])
		}
	}
	shutFree(net, i, &state)
	state.learn()
	return state
}

// shutFree: where a wording has every port in a VLAN, one in none into which nothing is
// plugged is shut. It comes to the same.
func shutFree(net *span.Net, i int, state *State) {
	kind := kinds[net.Office.Devices[i].Wording.Name]
	if kind == nil || !kind.always {
		return
	}
	for port := range state.Ports {
		setting := &state.Ports[port]
		if setting.Off || setting.PVID != 0 || setting.Members() != (office.Set{}) || len(net.Topo.LinksAt(i, port)) > 0 {
			continue
		}
		if !slices.ContainsFunc(net.Topo.PlugsAt(i), func(k int) bool { return net.Office.Plugs[k].Port.Port == net.Office.Devices[i].Ports[port].Name }) {
			*setting = Setting{Off: true, Filter: true}
		}
	}
}

// learn is every VLAN that the ports need the device to know.
func (s *State) learn() {
	s.VLANs = office.Set{}
	s.VLANs.Add(office.DefaultVID)
	for port := range s.Ports {
		set := s.Ports[port].Members()
		s.VLANs.AddAll(&set)
		if vid := s.Ports[port].PVID; vid != 0 {
			s.VLANs.Add(vid)
		}
	}
}

// Factory is how a device comes out of its box.
func Factory(device *Device) State {
	state := State{Ports: make([]Setting, len(device.Ports))}
	for _, port := range device.logical() {
		if device.kind.factory != nil {
			state.Ports[port] = device.kind.factory(device, port)
			continue
		}
		state.Ports[port] = only(office.DefaultVID)
	}
	state.learn()
	return state
}

// only is a port in one VLAN, untagged.
func only(vid office.VID) Setting {
	setting := Setting{PVID: vid, Filter: true}
	setting.Untagged.Add(vid)
	return setting
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
	for _, port := range device.logical() {
		if state.Ports[port].Off {
			continue
		}
		if why, nearest := device.kind.cannot(device, state, port); why != "" {
			out = append(out, Unsayable{port, why, nearest, state.Ports[port]})
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
		unsayable := all[0]
		out = append(out, unsayable)
		state = state.With(unsayable.Port, unsayable.Nearest)
	}
	return state, out
}

// Unsaid is what device i's wording cannot say of what it should be set to.
func Unsaid(net *span.Net, i int) []Unsayable {
	plain := true // ports in one VLAN and nothing else can be said by every wording
	for port, compiled := range net.Tables[i].Ports {
		plain = plain && (compiled.Access != 0 || compiled.Off || net.Office.Devices[i].Ports[port].Bundle > 0)
	}
	if plain {
		return nil
	}
	device := For(net, i)
	if device == nil {
		return nil
	}
	return Cannot(device, Planned(net, i))
}

// Write makes the tables to enter, in the layout of the device's own pages.
//
//	> sheet floor by-vlan
//	VLANs: VLAN | Name | Untagged ports | Tagged ports
//	  1 | default |  |
//	  110 | reception | 1-4 | 8
//	  140 | phones |  | 1-4,8
//	  160 | guests | 5 | 8
//	  190 | devices | 8 |
//	Ports: Port | PVID | Acceptable frames | Ingress filtering | State
//	  1-4 | 110 | all | on | open
//	  5 | 160 | all | on | open
//	  6-7 | none | all | on | open
//	  8 | 190 | all | on | open
func Write(device *Device, state State) []Table { return device.kind.write(device, state) }

// Read reads tables back. The error names the row and the column.
func Read(device *Device, t []Table) (State, error) {
	state := State{Ports: make([]Setting, len(device.Ports))}
	for _, port := range device.logical() {
		state.Ports[port] = Setting{Filter: true}
	}
	if err := device.kind.read(device, t, &state); err != nil {
		return state, err
	}
	state.learn()
	return state, nil
}

// logical lists the ports that have settings: bundles stand for their members.
func (d *Device) logical() []int {
	var out []int
	for port := range d.Ports {
		if d.Ports[port].Bundle == 0 {
			out = append(out, port)
		}
	}
	return out
}

func (d *Device) habit(habit office.Habit) bool { return slices.Contains(d.Wording.Habits, habit) }

func (d *Device) list(at []int) string { return notation.Ports(d.Device, at) }

// where lists the ports for which f holds.
func (d *Device) where(f func(p int) bool) []int {
	return slices.DeleteFunc(d.logical(), func(p int) bool { return !f(p) })
}

// vids prints a set of VLANs: 110,120-122.
func vids(set office.Set) string { return set.Ranges() }

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
		for vid := from; vid <= to; vid++ {
			set.Add(vid)
		}
	}
	return set, nil
}

// plainOnly is what most wordings cannot say: translation, acceptable frames,
// filtering.
func plainOnly(setting Setting) (why string, nearest Setting) {
	other := setting
	switch {
	case len(setting.Rides) > 0:
		other.Rides = nil
		return "it has no translation of VIDs", other
	case setting.Admit != office.AdmitAll:
		other.Admit = office.AdmitAll
		return fmt.Sprintf("it cannot be told to admit only %s frames", setting.Admit), other
	case !setting.Filter:
		other.Filter = true
		return "ingress filtering is always on", other
	}
	return "", setting
}

// oneNative is what wordings with at most one untagged VLAN cannot say.
func oneNative(setting Setting) (why string, nearest Setting) {
	if why, other := plainOnly(setting); why != "" {
		return why, other
	}
	one := setting
	first := func() office.VID {
		if setting.Untagged.Has(setting.PVID) {
			return setting.PVID
		}
		for vid := range setting.Untagged.All() {
			return vid
		}
		return 0
	}
	switch vid := first(); {
	case setting.Untagged.Len() > 1:
		rest := setting.Untagged
		rest.Remove(vid)
		one.Untagged, one.PVID = office.Set{}, vid
		one.Untagged.Add(vid)
		one.Tagged.AddAll(&rest)
		return "a port has one untagged VLAN", one
	case setting.PVID != vid:
		one.PVID = vid
		return "the PVID is always the untagged VLAN", one
	}
	return "", setting
}
