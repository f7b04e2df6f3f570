package found

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/wording"
)

// Unmade is the bundles of a device of which a port that should be in it is not, as it was
// found.
func Unmade(device *office.Device, state wording.State) (out []string) {
	for port := range device.Ports {
		if slices.ContainsFunc(device.Ports[port].Members, func(q int) bool { return slices.Contains(state.Apart, q) }) {
			out = append(out, device.Ports[port].Name)
		}
	}
	return out
}

// gone says whether nothing is left of a bundle: one of a single port is none.
func gone(device *office.Device, bundle int, state wording.State) bool {
	return len(left(device, bundle, state)) < 2
}

// left is the ports that are in a bundle as it was found.
func left(device *office.Device, bundle int, state wording.State) (names []string) {
	for _, port := range device.Ports[bundle].Members {
		if !slices.Contains(state.Apart, port) {
			names = append(names, device.Ports[port].Name)
		}
	}
	return names
}

// torn is an office with a device's bundles as they were found, and the state on the ports
// that the device has then. What was said of a bundle that is not there, its first port has.
func torn(draft *office.Draft, device *office.Device, state wording.State) (wording.State, error) {
	other := device.Clone()
	var away []int
	for port := range device.Ports {
		rest := left(device, port, state)
		switch {
		case device.Ports[port].Kind != office.Bundle || len(rest) == len(device.Ports[port].Members):
			continue
		case len(rest) >= 2:
			if err := other.ChangeBundle(other.Ports[port].Name, other.Ports[port].Mode, rest); err != nil {
				return state, err
			}
			continue
		}
		first := device.Ports[device.Ports[port].Members[0]].Name
		for k := range other.Addresses {
			if other.Addresses[k].On == other.Ports[port].Name {
				other.Addresses[k].On = first
			}
		}
		for k := range other.Outsides {
			if other.Outsides[k].On == other.Ports[port].Name {
				other.Outsides[k].On = first
			}
		}
		away = append(away, port)
	}
	for _, port := range away {
		ref := office.PortRef{Device: other.Name, Port: other.Ports[port].Name}
		for _, plug := range slices.Clone(draft.Office().Plugs) {
			if plug.Port == ref {
				if err := draft.Unplug(ref, plug.Name); err != nil {
					return state, err
				}
				plug.Port.Port = device.Ports[device.Ports[port].Members[0]].Name
				if err := draft.PutPlug(plug); err != nil {
					return state, err
				}
			}
		}
	}
	if err := other.RemovePorts(away, office.Bundle); err != nil {
		return state, err
	}
	if err := draft.PutDevice(other.Seal()); err != nil {
		return state, fmt.Errorf("what was found of %s: %w", other.Name, err)
	}
	out := wording.State{VLANs: state.VLANs, Ports: make([]wording.Setting, len(other.Ports))}
	for port := range other.Ports {
		out.Ports[port] = state.Ports[device.Port(other.Ports[port].Name)]
	}
	return out, nil
}

// ofBundles is the differences of a device's bundles that are not as planned.
func ofBundles(device *office.Device, plan, state wording.State) (out []Difference) {
	for port := range device.Ports {
		if len(device.Ports[port].Members) > 0 && len(left(device, port, state)) < len(device.Ports[port].Members) {
			is := office.Shape{}
			if !gone(device, port, state) {
				is = state.Ports[port].Shape()
			}
			out = append(out, Difference{Port: port, Planned: plan.Ports[port].Shape(), Found: is, OnlyPlanned: plan.Ports[port].Members()})
		}
	}
	return out
}
