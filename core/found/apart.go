package found

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/wording"
)

// Unmade is the bundles of a device of which a port that should be in it is not, as it was
// found.
func Unmade(d *office.Device, state wording.State) (out []string) {
	for p := range d.Ports {
		if slices.ContainsFunc(d.Ports[p].Members, func(q int) bool { return slices.Contains(state.Apart, q) }) {
			out = append(out, d.Ports[p].Name)
		}
	}
	return out
}

// gone says whether nothing is left of a bundle: one of a single port is none.
func gone(d *office.Device, bundle int, state wording.State) bool {
	return len(left(d, bundle, state)) < 2
}

// left is the ports that are in a bundle as it was found.
func left(d *office.Device, bundle int, state wording.State) (names []string) {
	for _, q := range d.Ports[bundle].Members {
		if !slices.Contains(state.Apart, q) {
			names = append(names, d.Ports[q].Name)
		}
	}
	return names
}

// torn is an office with a device's bundles as they were found, and the state on the ports
// that the device has then. What was said of a bundle that is not there, its first port has.
func torn(draft *office.Draft, device *office.Device, state wording.State) (wording.State, error) {
	d := device.Clone()
	var away []int
	for b := range device.Ports {
		rest := left(device, b, state)
		switch {
		case device.Ports[b].Kind != office.Bundle || len(rest) == len(device.Ports[b].Members):
			continue
		case len(rest) >= 2:
			if err := d.ChangeBundle(d.Ports[b].Name, d.Ports[b].Mode, rest); err != nil {
				return state, err
			}
			continue
		}
		first := device.Ports[device.Ports[b].Members[0]].Name
		for k := range d.Addresses {
			if d.Addresses[k].On == d.Ports[b].Name {
				d.Addresses[k].On = first
			}
		}
		for k := range d.Outsides {
			if d.Outsides[k].On == d.Ports[b].Name {
				d.Outsides[k].On = first
			}
		}
		away = append(away, b)
	}
	for _, b := range away {
		ref := office.PortRef{Device: d.Name, Port: d.Ports[b].Name}
		for _, plug := range slices.Clone(draft.Office().Plugs) {
			if plug.Port == ref {
				if err := draft.Unplug(ref, plug.Name); err != nil {
					return state, err
				}
				plug.Port.Port = device.Ports[device.Ports[b].Members[0]].Name
				if err := draft.PutPlug(plug); err != nil {
					return state, err
				}
			}
		}
	}
	if err := d.RemovePorts(away, office.Bundle); err != nil {
		return state, err
	}
	if err := draft.PutDevice(d.Seal()); err != nil {
		return state, fmt.Errorf("what was found of %s: %w", d.Name, err)
	}
	out := wording.State{VLANs: state.VLANs, Ports: make([]wording.Setting, len(d.Ports))}
	for p := range d.Ports {
		out.Ports[p] = state.Ports[device.Port(d.Ports[p].Name)]
	}
	return out, nil
}

// ofBundles is the differences of a device's bundles that are not as planned.
func ofBundles(d *office.Device, plan, state wording.State) (out []Difference) {
	for p := range d.Ports {
		if len(d.Ports[p].Members) > 0 && len(left(d, p, state)) < len(d.Ports[p].Members) {
			is := office.Shape{}
			if !gone(d, p, state) {
				is = state.Ports[p].Shape()
			}
			out = append(out, Difference{Port: p, Planned: plan.Ports[p].Shape(), Found: is, OnlyPlanned: plan.Ports[p].Members()})
		}
	}
	return out
}
