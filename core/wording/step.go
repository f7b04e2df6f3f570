package wording

import (
	"fmt"
	"slices"

	"klammer/core/office"
)

// Op is what a step does.
type Op string

const (
	Create Op = "create" // VLAN: the device learns it
	Delete Op = "delete" // VLAN: the device forgets it
	Page   Op = "page"   // VLAN: its untagged and tagged ports
	PVID   Op = "pvid"   // Ports get the PVID VLAN, 0 for none
	Frames Op = "frames" // Ports get Set's acceptable frames and filtering
	Port   Op = "port"   // Ports are set to Set
	Join   Op = "join"   // Ports get VLAN, as Set has it
	Leave  Op = "leave"  // Ports lose VLAN
	Shut   Op = "shut"   // Ports are shut
	Open   Op = "open"   // Ports are opened
	Save   Op = "save"   // what works is kept over a power cut
	Fix    Op = "fix"    // something beside the memberships: a bundle, an address
)

// Step is one thing to do on a device.
type Step struct {
	Op               Op
	VLAN             office.VID
	Last             office.VID // of a range from VLAN; 0 where it is one
	Ports            []int
	Untagged, Tagged []int // of a page
	Set              Setting
	Where            string // the page of the device's interface
	Text             string
	Then             []Step // what is entered on the same page with it, after it
}

// Apply does one step on a state, as the device does it, with its habits. The
// error is the device's refusal.
func Apply(device *Device, state State, st Step) (State, error) {
	if st.Op != Create || !device.quiet() {
		state = state.clone()
	}
	err := apply(device, &state, st)
	return state, err
}

// apply is [Apply] on a state that is the caller's own.
func apply(device *Device, state *State, st Step) error {
	switch st.Op {
	case Save, Fix:
		return nil
	case Shut, Open:
		for _, port := range st.Ports {
			state.Ports[port].Off = st.Op == Shut
		}
		return nil
	}
	err := device.kind.apply(device, state, st)
	for _, more := range st.Then {
		if err == nil {
			err = device.kind.apply(device, state, more)
		}
	}
	return err
}

// quiet says whether a VLAN that is created changes no port: no habit has it start
// anywhere, and no port has all there are.
func (d *Device) quiet() bool {
	return d.Wording.Name != office.ByChoice && !d.habit(office.StartsTagged)
}

// way is steps being worked out: each is done on the model as it is added, so
// that what follows is worked out from what the device is then set to.
type way struct {
	device *Device
	now    State
	to     State
	steps  []Step
	err    error
}

// do takes a step: what the device does with it is worked out at once, so that the next step starts
// from what really became of it. The first failure is kept, and the steps told go on.
func (w *way) do(st Step) {
	w.device.effort.Spend(50 + len(st.Ports) + len(w.now.Ports)/4)
	if err := apply(w.device, &w.now, st); err != nil && w.err == nil { // now is ours
		w.err = fmt.Errorf("%s: %w", st.Text, err)
	}
	w.steps = append(w.steps, st)
}

// Steps leads from what a device is set to to what it should be, in an order
// that the device accepts. Both states are ones that the wording can say; the
// error says what is in the way where they are not.
//
//	> steps floor by-port 1-4: 160
//	[Ports] Port 1-4: access, VLAN 160 guests
//	[Device] Save, so that it stays after a power cut
func Steps(device *Device, from, to State) ([]Step, error) {
	to = to.clone()
	for _, port := range device.logical() {
		if to.Ports[port].Off { // what a shut port is set to counts for nothing: as it is, if that can be
			keep := from.Ports[port]
			keep.Off = false
			set := keep.Members()
			set.Add(office.DefaultVID)
			if gone := set.Minus(&to.VLANs); !gone.Empty() || keep.PVID != 0 && !to.VLANs.Has(keep.PVID) {
				keep = Factory(device).Ports[port]
			}
			keep.Off = true
			to.Ports[port] = keep
		}
	}
	to.VLANs.Add(office.DefaultVID)
	one := &way{device: device, now: from.clone(), to: to}
	if shut := device.where(func(port int) bool { return to.Ports[port].Off && !from.Ports[port].Off }); len(shut) > 0 {
		one.do(Step{Op: Shut, Ports: shut, Where: "Ports", Text: "Shut " + device.list(shut)})
	}
	device.kind.steps(device, one)
	if open := device.where(func(port int) bool { return !to.Ports[port].Off && from.Ports[port].Off }); len(open) > 0 {
		one.do(Step{Op: Open, Ports: open, Where: "Ports", Text: "Open " + device.list(open)})
	}
	if len(one.steps) > 0 {
		one.do(Step{Op: Save, Where: "Device", Text: "Save, so that it stays after a power cut"})
	}
	if one.err == nil && !one.now.Equal(to) {
		one.err = fmt.Errorf("the steps end elsewhere than they should")
	}
	return one.steps, one.err
}

// differ is a port whose settings are to change, shut or not.
func (w *way) differ(port int) bool {
	setting, other := w.now.Ports[port], w.to.Ports[port]
	setting.Off, other.Off = false, false
	return !setting.Equal(other)
}

// create lets the device learn what it does not know yet, where.
func (w *way) create(where, text string) {
	missing := w.to.VLANs.Minus(&w.now.VLANs)
	for vid := range missing.All() {
		w.do(Step{Op: Create, VLAN: vid, Where: where, Text: fmt.Sprintf(text, w.device.name(vid))})
	}
}

// forget lets the device forget what it no longer needs; never the default.
func (w *way) forget(where, text string) {
	extra := w.now.VLANs.Minus(&w.to.VLANs)
	extra.Remove(office.DefaultVID)
	for vid := range extra.All() {
		w.do(Step{Op: Delete, VLAN: vid, Where: where, Text: fmt.Sprintf(text, w.device.name(vid))})
	}
}

// each does a step for the ports that differ, those with the same target at
// once.
func (w *way) each(same func(setting, other Setting) bool, f func(ports []int, to Setting) Step) {
	w.eachOf(func(int) bool { return true }, same, f)
}

// eachOf is each for some of the ports.
func (w *way) eachOf(of func(p int) bool, same func(setting, other Setting) bool, f func(ports []int, to Setting) Step) {
	left := w.device.where(func(p int) bool { return of(p) && w.differ(p) })
	for len(left) > 0 {
		to := w.to.Ports[left[0]]
		var now []int
		left = slices.DeleteFunc(left, func(port int) bool {
			if same(to, w.to.Ports[port]) {
				now = append(now, port)
				return true
			}
			return false
		})
		w.do(f(now, to))
	}
}

// known refuses a VLAN that the device does not know.
func known(state *State, vs ...office.VID) error {
	for _, vid := range vs {
		if vid != 0 && !state.VLANs.Has(vid) {
			return fmt.Errorf("VLAN %d is not on the device", vid)
		}
	}
	return nil
}

// allKnown says which VLAN of a setting the device does not know yet; ports cannot be put into
// that.
func allKnown(state *State, set Setting) error {
	one := set.Members()
	if set.PVID != 0 {
		one.Add(set.PVID)
	}
	if gone := one.Minus(&state.VLANs); !gone.Empty() {
		return known(state, single(&gone))
	}
	return nil
}

// put replaces a port's setting and leaves it open or shut as it is.
func (s *State) put(port int, set Setting) {
	set.Off = s.Ports[port].Off
	s.Ports[port] = set
}

// delete takes a VLAN off the device's list, which it refuses while a port uses it.
func (s *State) delete(vid office.VID, inUse func(setting *Setting) bool) error {
	if vid == office.DefaultVID {
		return fmt.Errorf("VLAN %d cannot be deleted", vid)
	}
	for port := range s.Ports {
		if inUse(&s.Ports[port]) {
			return fmt.Errorf("VLAN %d is in use", vid)
		}
	}
	s.VLANs.Remove(vid)
	for port := range s.Ports {
		s.Ports[port].Untagged.Remove(vid)
		s.Ports[port].Tagged.Remove(vid)
	}
	return nil
}

var errStep = fmt.Errorf("this device knows no such step")
