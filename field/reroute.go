package field

import (
	"context"
	"errors"
	"fmt"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
)

// untaggedIn is in which VLAN untagged frames of each port are.
func untaggedIn(state wording.State) wordingPorts {
	out := make(wordingPorts, len(state.Ports))
	for port := range state.Ports {
		if setting := &state.Ports[port]; setting.Untagged.Has(setting.PVID) {
			out[port] = setting.PVID
		}
	}
	return out
}

// rerouted says whether a device is to route otherwise, and is otherwise as it was but for
// what is set on its ports.
func rerouted(device, other *office.Device) (routes, ok bool) {
	if other == nil || len(other.Ports) != len(device.Ports) || structure(other) != structure(device) {
		return false, false
	}
	return routing(device) != routing(other), true
}

// routing is what a device routes by, in words.
func routing(device *office.Device) string {
	other := &office.Device{Name: device.Name, Kind: device.Kind, Addresses: device.Addresses, Outsides: device.Outsides, Routes: device.Routes, Rules: device.Rules, NoRouting: device.NoRouting, State: device.State, Between: device.Between, Within: device.Within}
	return notation.Thing(other.Seal())
}

// reroute has a device route otherwise, where what it routes by is as foretold. All of it is
// done, or what was done is taken back, or said where it stays.
func (c *Carrier) reroute(ctx context.Context, step turn, dev Device, reading *Reading) error {
	before, after, device, other := step.before, step.after, step.device, step.then
	one, ok := dev.(rerouter)
	if !ok {
		return &ByHand{byHandRouting}
	}
	look := func(o *office.Office, d *office.Device, r *Reading) []string {
		match := MatchPorts(d, r)
		return r.Routing(o, d, match, untaggedIn(r.Found(o, d, match, stateOf(o, d.Name)).State)).Differs(o, d)
	}
	m := MatchPorts(device, reading)
	ports := untaggedIn(reading.Found(before, device, m, stateOf(before, device.Name)).State)
	why := one.SetRouting(ctx, Rerouting{after, device, other, m, ports})
	if rehearsing(ctx) != nil {
		return why
	}
	var hand *ByHand
	if errors.As(why, &hand) { // nothing was sent
		return why
	}
	dev, reading, err := c.talk(ctx, before, device)
	switch {
	case err != nil && why == nil:
		return fmt.Errorf("%s took the step and does not answer any more: %w", device.Name, err)
	case err != nil:
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, device.Name, err)
	}
	differs := look(after, other, reading)
	switch {
	case len(differs) == 0:
		return nil
	case why == nil:
		return &Unforetold{Device: device.Name, Differs: differs, After: true}
	case len(look(before, device, reading)) == 0:
		return fmt.Errorf("%w: nothing of the step is done", why)
	}
	one, ok = dev.(rerouter)
	if !ok {
		return why
	}
	now := reading.Routing(before, device, MatchPorts(device, reading), ports).On(device)
	wrong := one.SetRouting(ctx, Rerouting{before, now, device, MatchPorts(device, reading), ports})
	if _, reading, err = c.talk(ctx, before, device); err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, device.Name, err)
	}
	if differs = look(before, device, reading); len(differs) > 0 {
		return &Unforetold{Device: device.Name, Differs: differs, After: true, Why: errors.Join(why, wrong)}
	}
	return fmt.Errorf("%w: what it had done of the step is taken back", why)
}

// RoutingOn is what was read of how a device routes, with its ports as they were read.
func (r *Reading) RoutingOn(o *office.Office, device *office.Device, match Match) *found.Routing {
	if r.Router == nil || o.Device(device.Name) != device { // it is none of the office yet
		return nil
	}
	return r.Routing(o, device, match, untaggedIn(r.Found(o, device, match, stateOf(o, device.Name)).State))
}
