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
func untaggedIn(s wording.State) wordingPorts {
	out := make(wordingPorts, len(s.Ports))
	for p := range s.Ports {
		if x := &s.Ports[p]; x.Untagged.Has(x.PVID) {
			out[p] = x.PVID
		}
	}
	return out
}

// rerouted says whether a device is to route otherwise, and is otherwise as it was but for
// what is set on its ports.
func rerouted(d, x *office.Device) (routes, ok bool) {
	if x == nil || len(x.Ports) != len(d.Ports) || structure(x) != structure(d) {
		return false, false
	}
	return routing(d) != routing(x), true
}

// routing is what a device routes by, in words.
func routing(d *office.Device) string {
	c := &office.Device{Name: d.Name, Kind: d.Kind, Addresses: d.Addresses, Outsides: d.Outsides, Routes: d.Routes, Rules: d.Rules, NoRouting: d.NoRouting, State: d.State, Between: d.Between, Within: d.Within}
	return notation.Thing(c.Seal())
}

// reroute has a device route otherwise, where what it routes by is as foretold. All of it is
// done, or what was done is taken back, or said where it stays.
func (c *Carrier) reroute(ctx context.Context, before, after *office.Office, d, x *office.Device, dev Device, r *Reading) error {
	b, ok := dev.(rerouter)
	if !ok {
		return &ByHand{byHandRouting}
	}
	look := func(o *office.Office, d *office.Device, r *Reading) []string {
		m := MatchPorts(d, r)
		return r.Routing(o, d, m, untaggedIn(r.Found(o, d, m, stateOf(o, d.Name)).State)).Differs(o, d)
	}
	m := MatchPorts(d, r)
	ports := untaggedIn(r.Found(before, d, m, stateOf(before, d.Name)).State)
	why := b.SetRouting(ctx, Rerouting{after, d, x, m, ports})
	if rehearsing(ctx) != nil {
		return why
	}
	var hand *ByHand
	if errors.As(why, &hand) { // nothing was sent
		return why
	}
	dev, r, err := c.talk(ctx, before, d)
	switch {
	case err != nil && why == nil:
		return fmt.Errorf("%s took the step and does not answer any more: %w", d.Name, err)
	case err != nil:
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, d.Name, err)
	}
	differs := look(after, x, r)
	switch {
	case len(differs) == 0:
		return nil
	case why == nil:
		return &Unforetold{Device: d.Name, Differs: differs, After: true}
	case len(look(before, d, r)) == 0:
		return fmt.Errorf("%w: nothing of the step is done", why)
	}
	b, ok = dev.(rerouter)
	if !ok {
		return why
	}
	now := r.Routing(before, d, MatchPorts(d, r), ports).On(d)
	wrong := b.SetRouting(ctx, Rerouting{before, now, d, MatchPorts(d, r), ports})
	if _, r, err = c.talk(ctx, before, d); err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, d.Name, err)
	}
	if differs = look(before, d, r); len(differs) > 0 {
		return &Unforetold{Device: d.Name, Differs: differs, After: true, Why: errors.Join(why, wrong)}
	}
	return fmt.Errorf("%w: what it had done of the step is taken back", why)
}

// RoutingOn is what was read of how a device routes, with its ports as they were read.
func (r *Reading) RoutingOn(o *office.Office, d *office.Device, m Match) *found.Routing {
	if r.Router == nil || o.Device(d.Name) != d { // it is none of the office yet
		return nil
	}
	return r.Routing(o, d, m, untaggedIn(r.Found(o, d, m, stateOf(o, d.Name)).State))
}
