package found

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/core/wording"
)

// Kept is what is kept of a state: ports by their names, so that it outlives a
// change of the device.
type Kept struct {
	Ports  []string
	Shapes []office.Shape // one a port
	VLANs  []office.VID

	Routing *Routing // nil where nobody looked
}

// Keep is what is to be kept of a device's state.
func Keep(device *office.Device, state wording.State) Kept {
	kept := Kept{VLANs: []office.VID{}}
	for port := range device.Ports {
		here := device.Ports[port].Bundle == 0 && (len(device.Ports[port].Members) == 0 || !gone(device, port, state))
		if here || slices.Contains(state.Apart, port) {
			kept.Ports, kept.Shapes = append(kept.Ports, device.Ports[port].Name), append(kept.Shapes, state.Ports[port].Shape())
		}
	}
	learnt := state.Learnt()
	for vid := range learnt.All() {
		kept.VLANs = append(kept.VLANs, vid)
	}
	return kept
}

// On is a kept state on the ports that device i has now: ports that were not
// there then are taken to be as planned. A port of which a setting of its own is kept is in
// no bundle, whatever is planned.
func (k Kept) On(net *span.Net, i int) wording.State {
	state := wording.Planned(net, i)
	device := net.Office.Devices[i]
	set := map[int]wording.Setting{}
	for at, name := range k.Ports {
		if port := device.Port(name); port >= 0 {
			set[port] = wording.Of(&k.Shapes[at])
			if device.Ports[port].Bundle > 0 {
				state.Apart = append(state.Apart, port)
			}
		}
	}
	slices.Sort(state.Apart)
	for port := range device.Ports {
		if len(device.Ports[port].Members) > 0 && gone(device, port, state) {
			set[port] = wording.Setting{Filter: true}
		}
	}
	return state.WithAll(set).Knowing(office.SetOf(k.VLANs...))
}

// Difference is a port that is set otherwise than it should be.
type Difference struct {
	Port           int
	Planned, Found office.Shape
	// VLANs that one side alone has, and those that both have, tagged here and
	// untagged there.
	OnlyPlanned, OnlyFound, Otherwise office.Set
}

// Differences lists the ports of device i that a state has otherwise than the
// plan.
func Differences(net *span.Net, i int, state wording.State) (out []Difference) {
	plan, device := wording.Planned(net, i), net.Office.Devices[i]
	if len(state.Apart) > 0 {
		out = ofBundles(device, plan, state)
	}
	for port, one := range device.Ports {
		if one.Bundle > 0 || len(one.Members) > 0 && gone(device, port, state) || plan.Ports[port].Equal(state.Ports[port]) {
			continue
		}
		setting, other := plan.Ports[port], state.Ports[port]
		planned, found := setting.Members(), other.Members()
		both, turned := planned.And(&found), setting.Tagged.Xor(&other.Tagged)
		out = append(out, Difference{port, setting.Shape(), other.Shape(), planned.Minus(&found), found.Minus(&planned), both.And(&turned)})
	}
	return out
}

// Beside is, by device of which something was found, what is otherwise than planned.
type Beside map[string]Apart

// Apart is what of a device was found otherwise than planned.
type Apart struct {
	Ports   map[string]string // with the shapes that were found
	Routing []string          // of its addresses, routes and rules, in words
}

// BesideOf holds all that was found against the plan.
func BesideOf(net *span.Net, kept map[string]Kept) Beside {
	all := make([]int, len(net.Office.Devices))
	for i := range all {
		all[i] = i
	}
	return Beside{}.Update(net, kept, all)
}

// Update holds some devices against the plan anew; what is known of the others
// stays.
func (b Beside) Update(net *span.Net, kept map[string]Kept, devices []int) Beside {
	out, cloned := b, false // a map of before is not written to
	for _, i := range devices {
		name := net.Office.Devices[i].Name
		one, ok := kept[name]
		if !ok || !net.Aware(i) && one.Routing == nil {
			continue
		}
		if !cloned {
			out, cloned = maps.Clone(b), true
		}
		differ := Apart{map[string]string{}, one.Routing.Differs(net.Office, net.Office.Devices[i])}
		if net.Aware(i) {
			for _, difference := range Differences(net, i, one.On(net, i)) {
				differ.Ports[net.Office.Devices[i].Ports[difference.Port].Name] = notation.Shape(difference.Found)
			}
		}
		out[name] = differ
	}
	return out
}

// Touched is devices that an edit touched, and those besides of which what was found is said by
// names that it changed: of VLANs, and of services.
func Touched(was, is *office.Office, kept map[string]Kept, devices []int) []int {
	if slices.Equal(was.VLANs, is.VLANs) && slices.Equal(was.Services, is.Services) {
		return devices
	}
	for i, device := range is.Devices {
		if kept[device.Name].Routing != nil && !slices.Contains(devices, i) {
			devices = append(slices.Clone(devices), i)
		}
	}
	slices.Sort(devices)
	return devices
}

// As is an office with devices, by their places, set to states: what it is, where the
// plan says what it should be. What is as planned stays said as it is: by its plan, its
// use, or by what is needed there. Where "needed" and "all" would now say something else
// than what was found, it is written out.
func As(net *span.Net, states map[int]wording.State) (*office.Office, error) {
	states, net, err := bundled(net, states)
	if err != nil {
		return nil, err
	}
	type at struct{ dev, port int }
	written := map[at]bool{}
	for { // what is written out at one port may be needed otherwise at another
		draft, changed := office.NewDraft(net.Office), false
		for _, i := range slices.Sorted(maps.Keys(states)) {
			state, device := states[i], net.Office.Devices[i]
			now := wording.Planned(net, i)
			for port := range device.Ports {
				if device.Ports[port].Bundle > 0 || written[at{i, port}] || state.Ports[port].Alike(&now.Ports[port]) {
					continue
				}
				written[at{i, port}] = true
				shape := state.Ports[port].Shape()
				if err := draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, &shape, ""); err != nil {
					return nil, fmt.Errorf("what was found of %s: %w", device.Name, err)
				}
				changed = true
			}
		}
		if !changed {
			return net.Office, nil
		}
		o, _ := draft.Done()
		net = net.Update(o)
	}
}

// bundled is an office with its bundles as they were found.
func bundled(net *span.Net, states map[int]wording.State) (map[int]wording.State, *span.Net, error) {
	if !slices.ContainsFunc(slices.Collect(maps.Values(states)), func(state wording.State) bool { return len(state.Apart) > 0 }) {
		return states, net, nil
	}
	draft, out := office.NewDraft(net.Office), maps.Clone(states)
	for _, i := range slices.Sorted(maps.Keys(states)) {
		if len(states[i].Apart) == 0 {
			continue
		}
		var err error
		if out[i], err = torn(draft, net.Office.Devices[i], states[i]); err != nil {
			return nil, nil, err
		}
	}
	o, _ := draft.Done()
	return out, net.Update(o), nil
}

// AsFound is an office with every device set to what was found of it.
func AsFound(net *span.Net, kept map[string]Kept) (*office.Office, error) {
	states, routing := map[int]wording.State{}, map[string]*Routing{}
	for i, device := range net.Office.Devices {
		one, ok := kept[device.Name]
		if !ok {
			continue
		}
		if net.Aware(i) {
			states[i] = one.On(net, i)
		}
		routing[device.Name] = one.Routing
	}
	o, err := As(net, states)
	if err != nil {
		return nil, err
	}
	o, _ = Routed(o, routing) // what cannot be is as planned, and said where it was found
	return o, nil
}

// Meaning is what ports gain and lose when device i, found in a state, is set to
// the plan.
func Meaning(net *span.Net, i int, state wording.State) ([]walk.Change, error) {
	o, err := As(net, map[int]wording.State{i: state})
	if err != nil {
		return nil, err
	}
	return walk.Compare(net.Update(o), net), nil
}

// Steps leads device i from a state to the plan, with the state in the device's
// wording; problem says why there are no steps, or not all.
func Steps(net *span.Net, i int, state wording.State) (tables []wording.Table, steps []wording.Step, problem string) {
	device := wording.For(net, i)
	if device == nil {
		return nil, nil, ""
	}
	if some := Unmade(net.Office.Devices[i], state); len(some) > 0 {
		return nil, nil, fmt.Sprintf("%s is not made: an order makes it before its second cable is in.", strings.Join(some, ", "))
	}
	if len(wording.Cannot(device, state)) > 0 {
		return nil, nil, "What was found cannot be said in this device's wording: look at its ports again, or at its wording here."
	}
	tables = wording.Write(device, state)
	plan := wording.Planned(net, i)
	if len(wording.Cannot(device, plan)) > 0 {
		return tables, nil, "The plan cannot be said in this device's wording; see what comes nearest."
	}
	steps, err := wording.Steps(device, state, plan)
	if err != nil {
		problem = err.Error()
	}
	return tables, steps, problem
}
