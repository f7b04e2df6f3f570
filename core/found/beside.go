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
func Keep(d *office.Device, state wording.State) Kept {
	k := Kept{VLANs: []office.VID{}}
	for p := range d.Ports {
		here := d.Ports[p].Bundle == 0 && (len(d.Ports[p].Members) == 0 || !gone(d, p, state))
		if here || slices.Contains(state.Apart, p) {
			k.Ports, k.Shapes = append(k.Ports, d.Ports[p].Name), append(k.Shapes, state.Ports[p].Shape())
		}
	}
	learnt := state.Learnt()
	for v := range learnt.All() {
		k.VLANs = append(k.VLANs, v)
	}
	return k
}

// On is a kept state on the ports that device i has now: ports that were not
// there then are taken to be as planned. A port of which a setting of its own is kept is in
// no bundle, whatever is planned.
func (k Kept) On(n *span.Net, i int) wording.State {
	state := wording.Planned(n, i)
	d := n.Office.Devices[i]
	set := map[int]wording.Setting{}
	for at, name := range k.Ports {
		if p := d.Port(name); p >= 0 {
			set[p] = wording.Of(&k.Shapes[at])
			if d.Ports[p].Bundle > 0 {
				state.Apart = append(state.Apart, p)
			}
		}
	}
	slices.Sort(state.Apart)
	for p := range d.Ports {
		if len(d.Ports[p].Members) > 0 && gone(d, p, state) {
			set[p] = wording.Setting{Filter: true}
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
func Differences(n *span.Net, i int, state wording.State) (out []Difference) {
	plan, d := wording.Planned(n, i), n.Office.Devices[i]
	if len(state.Apart) > 0 {
		out = ofBundles(d, plan, state)
	}
	for port, x := range d.Ports {
		if x.Bundle > 0 || len(x.Members) > 0 && gone(d, port, state) || plan.Ports[port].Equal(state.Ports[port]) {
			continue
		}
		a, b := plan.Ports[port], state.Ports[port]
		planned, found := a.Members(), b.Members()
		both, turned := planned.And(&found), a.Tagged.Xor(&b.Tagged)
		out = append(out, Difference{port, a.Shape(), b.Shape(), planned.Minus(&found), found.Minus(&planned), both.And(&turned)})
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
func BesideOf(n *span.Net, kept map[string]Kept) Beside {
	all := make([]int, len(n.Office.Devices))
	for i := range all {
		all[i] = i
	}
	return Beside{}.Update(n, kept, all)
}

// Update holds some devices against the plan anew; what is known of the others
// stays.
func (b Beside) Update(n *span.Net, kept map[string]Kept, devices []int) Beside {
	out, cloned := b, false // a map of before is not written to
	for _, i := range devices {
		name := n.Office.Devices[i].Name
		k, ok := kept[name]
		if !ok || !n.Aware(i) && k.Routing == nil {
			continue
		}
		if !cloned {
			out, cloned = maps.Clone(b), true
		}
		differ := Apart{map[string]string{}, k.Routing.Differs(n.Office, n.Office.Devices[i])}
		if n.Aware(i) {
			for _, x := range Differences(n, i, k.On(n, i)) {
				differ.Ports[n.Office.Devices[i].Ports[x.Port].Name] = notation.Shape(x.Found)
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
	for i, d := range is.Devices {
		if kept[d.Name].Routing != nil && !slices.Contains(devices, i) {
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
func As(n *span.Net, states map[int]wording.State) (*office.Office, error) {
	states, n, err := bundled(n, states)
	if err != nil {
		return nil, err
	}
	type at struct{ dev, port int }
	written := map[at]bool{}
	for { // what is written out at one port may be needed otherwise at another
		draft, changed := office.NewDraft(n.Office), false
		for _, i := range slices.Sorted(maps.Keys(states)) {
			state, device := states[i], n.Office.Devices[i]
			now := wording.Planned(n, i)
			for p := range device.Ports {
				if device.Ports[p].Bundle > 0 || written[at{i, p}] || state.Ports[p].Alike(&now.Ports[p]) {
					continue
				}
				written[at{i, p}] = true
				shape := state.Ports[p].Shape()
				if err := draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[p].Name}, &shape, ""); err != nil {
					return nil, fmt.Errorf("what was found of %s: %w", device.Name, err)
				}
				changed = true
			}
		}
		if !changed {
			return n.Office, nil
		}
		o, _ := draft.Done()
		n = n.Update(o)
	}
}

// bundled is an office with its bundles as they were found.
func bundled(n *span.Net, states map[int]wording.State) (map[int]wording.State, *span.Net, error) {
	if !slices.ContainsFunc(slices.Collect(maps.Values(states)), func(s wording.State) bool { return len(s.Apart) > 0 }) {
		return states, n, nil
	}
	draft, out := office.NewDraft(n.Office), maps.Clone(states)
	for _, i := range slices.Sorted(maps.Keys(states)) {
		if len(states[i].Apart) == 0 {
			continue
		}
		var err error
		if out[i], err = torn(draft, n.Office.Devices[i], states[i]); err != nil {
			return nil, nil, err
		}
	}
	o, _ := draft.Done()
	return out, n.Update(o), nil
}

// AsFound is an office with every device set to what was found of it.
func AsFound(n *span.Net, kept map[string]Kept) (*office.Office, error) {
	states, routing := map[int]wording.State{}, map[string]*Routing{}
	for i, device := range n.Office.Devices {
		k, ok := kept[device.Name]
		if !ok {
			continue
		}
		if n.Aware(i) {
			states[i] = k.On(n, i)
		}
		routing[device.Name] = k.Routing
	}
	o, err := As(n, states)
	if err != nil {
		return nil, err
	}
	o, _ = Routed(o, routing) // what cannot be is as planned, and said where it was found
	return o, nil
}

// Meaning is what ports gain and lose when device i, found in a state, is set to
// the plan.
func Meaning(n *span.Net, i int, s wording.State) ([]walk.Change, error) {
	o, err := As(n, map[int]wording.State{i: s})
	if err != nil {
		return nil, err
	}
	return walk.Compare(n.Update(o), n), nil
}

// Steps leads device i from a state to the plan, with the state in the device's
// wording; problem says why there are no steps, or not all.
func Steps(n *span.Net, i int, state wording.State) (tables []wording.Table, steps []wording.Step, problem string) {
	w := wording.For(n, i)
	if w == nil {
		return nil, nil, ""
	}
	if some := Unmade(n.Office.Devices[i], state); len(some) > 0 {
		return nil, nil, fmt.Sprintf("%s is not made: an order makes it before its second cable is in.", strings.Join(some, ", "))
	}
	if len(wording.Cannot(w, state)) > 0 {
		return nil, nil, "What was found cannot be said in this device's wording: look at its ports again, or at its wording here."
	}
	tables = wording.Write(w, state)
	plan := wording.Planned(n, i)
	if len(wording.Cannot(w, plan)) > 0 {
		return tables, nil, "The plan cannot be said in this device's wording; see what comes nearest."
	}
	steps, err := wording.Steps(w, state, plan)
	if err != nil {
		problem = err.Error()
	}
	return tables, steps, problem
}
