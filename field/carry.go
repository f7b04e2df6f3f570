package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/mishap"
)

// ByHand is a step that a person does: a device cannot be told it.
type ByHand struct{ Why string }

func (e *ByHand) Error() string { return e.Why }

// Unforetold is a device that is set otherwise than the order says: somebody else
// was there, or it did something of its own accord.
type Unforetold struct {
	Device  string
	Differs []string // "port 7 is 110, and not 120"
	After   bool     // it took the step; else it was so before
	Why     error    // it refused the step half way, and what it had done could not be taken back; nil: it took all
}

// Error tells what is not as the order said, and when: before the step nothing was touched, after
// it all was set, and with Why half of it was.
func (e *Unforetold) Error() string {
	when := "before the step"
	if e.Why != nil {
		return fmt.Sprintf("%s; half of it is done and stays: %s", e.Why, strings.Join(e.Differs, "; "))
	}
	if e.After {
		when = "after the step"
	}
	return fmt.Sprintf("%s is not as foretold %s: %s", e.Device, when, strings.Join(e.Differs, "; "))
}

func (e *Unforetold) Unwrap() error { return e.Why }

// Carrier carries the steps of an order out, by the devices themselves.
type Carrier struct {
	Dialer Dialer
	open   map[string]Device
}

// Close ends what was opened.
func (c *Carrier) Close() {
	for _, device := range c.open {
		_ = device.Close()
	}
	c.open = nil
}

// talk reads a device, by what is open to it where that still answers.
func (c *Carrier) talk(ctx context.Context, o *office.Office, device *office.Device) (Device, *Reading, error) {
	if dev := c.open[device.Name]; dev != nil {
		if reading, err := dev.Read(ctx); err == nil {
			reading.Device = device.Name
			return dev, reading, nil
		}
		_ = dev.Close()
		delete(c.open, device.Name)
	}
	dev, other, err := c.Dialer.Talk(ctx, o, device)
	if err != nil {
		return nil, nil, err
	}
	if c.open == nil {
		c.open = map[string]Device{}
	}
	c.open[device.Name] = dev
	return dev, other, nil
}

// Step carries one step out: the state is read and must be the one before it, the
// step is set, and what is then read must be the one after. The error is a [ByHand]
// where a person has to, and an [Unforetold] where the device is set otherwise.
func (c *Carrier) Step(ctx context.Context, before, after *office.Office, device string, kind order.Kind) error {
	return mishap.Try(func() error { return c.step(ctx, before, after, device, kind) })
}

// saved is what came of having a device keep what it is set to.
func saved(err error) error {
	var how *kept
	switch {
	case errors.As(err, &how):
		return &ByHand{how.text}
	case errors.Is(err, ErrNoSave):
		return &ByHand{err.Error()}
	}
	return err
}

// step does one step of an order on a real device: it is read and held against what the order says
// of it before anything is set, and read again afterwards. What cannot be done over the protocol is
// *ByHand, what is not as foretold *Unforetold; in both cases nothing is set.
//
// Many branches: a step is given up at each sign that a device is not as foretold, before
// anything is set.
func (c *Carrier) step(ctx context.Context, before, after *office.Office, device string, kind order.Kind) error {
	one := before.Device(device)
	switch kind {
	case order.Set, order.Check, order.Save:
	default:
		return &ByHand{"this is done by hand"}
	}
	if one == nil {
		return &ByHand{"there is no " + device + " yet"}
	}
	dev, reading, err := c.talk(ctx, before, one)
	if err != nil {
		return err
	}
	state := stateOf(before, one.Name)
	match := MatchPorts(one, reading)
	now := reading.Found(before, one, match, state).State
	grown := reading.grown(one, match, now, state)
	if differs := unlike(one, now.WithAll(grown), state); len(differs) > 0 {
		return &Unforetold{Device: one.Name, Differs: differs}
	}
	routing := reading.Routing(before, one, match, untaggedIn(now))
	if routing != nil {
		routing.Stateless = false // an office has no word for it, so that no order foretells it
	}
	if differs := routing.Differs(before, one); len(differs) > 0 {
		return &Unforetold{Device: one.Name, Differs: differs}
	}
	switch kind {
	case order.Check:
		return nil
	case order.Save:
		return saved(dev.Save(ctx))
	}
	x := after.Device(device)
	if routes, ok := rerouted(one, x); !ok || routes && reading.Router == nil {
		return &ByHand{byHandRouting}
	} else if routes {
		return c.reroute(ctx, turn{before, after, one, x}, dev, reading)
	}
	other := stateOf(after, one.Name)
	to := now.WithAll(grown)
	changed := false
	for port := range one.Ports {
		if one.Ports[port].Bundle == 0 && !state.Ports[port].Alike(&other.Ports[port]) {
			to = to.With(port, other.Ports[port])
			changed = true
		}
	}
	if !changed && other.VLANs == state.VLANs {
		return &ByHand{"this is not set over this protocol"}
	}
	to = to.Knowing(now.VLANs).Knowing(other.VLANs)
	set := func(from wording.State) (is wording.State, err error) {
		if err := dev.Set(ctx, one, MatchPorts(one, reading), from, to); err != nil {
			return is, c.whole(ctx, turn{before, after, one, x}, now, err)
		}
		if dev, reading, err = c.talk(ctx, before, one); err != nil { // anew, where the connection was lost
			return is, fmt.Errorf("%s took the step and does not answer any more: %w", one.Name, err)
		}
		return reading.Found(after, x, MatchPorts(x, reading), other).State, nil
	}
	is, err := set(now)
	if err == nil && len(unlike(one, is, other)) > 0 && ofItself(is, state, other) {
		is, err = set(is)
	}
	if err != nil {
		return err
	}
	if differs := unlike(one, is, other); len(differs) > 0 {
		return &Unforetold{Device: one.Name, Differs: differs, After: true}
	}
	return nil
}

// grown is the ports that carry all VLANs, and have come to carry more than was foretold, as
// the register grew since: what was foretold of them. A step says it in a list.
func (r *Reading) grown(device *office.Device, match Match, now, foretold wording.State) map[int]wording.Setting {
	out := map[int]wording.Setting{}
	for port := range device.Ports {
		if device.Ports[port].Bundle > 0 || match[port] < 0 || !r.Ports[match[port]].AllVLANs {
			continue
		}
		setting, should := now.Ports[port], foretold.Ports[port]
		if less := should.Tagged.Minus(&setting.Tagged); less.Empty() {
			setting.Tagged = should.Tagged
		}
		if setting.Alike(&should) {
			out[port] = should
		}
	}
	return out
}

// ofItself says whether a device can be otherwise than a step from a to other says because of
// habits that nobody told of: what differs is of the ports that it sets, or of the VLANs that
// it makes. Anything else is another person's doing.
func ofItself(is, state, other wording.State) bool {
	news := other.VLANs.Minus(&state.VLANs)
	for port := range is.Ports {
		setting, one := is.Ports[port], &other.Ports[port]
		if !state.Ports[port].Alike(one) {
			continue
		}
		setting.Untagged, setting.Tagged = setting.Untagged.Minus(&news), setting.Tagged.Minus(&news)
		if !setting.ForwardsAs(one) && !accessFor(&setting, one) {
			return false
		}
	}
	return true
}

// turn is what a step turns: the office before and after it, and its device in each.
type turn struct {
	before, after *office.Office
	device, then  *office.Device
}

// whole leaves no step half done: where a device refused a step, or its answer was lost, what
// it is set to decides. All of it: it is done. A part: that is taken back, or said where it
// stays.
func (c *Carrier) whole(ctx context.Context, step turn, was wording.State, why error) error {
	before, device := step.before, step.device
	ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), MostTime)
	defer stop()
	dev, reading, err := c.talk(ctx, before, device)
	if err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, device.Name, err)
	}
	state := stateOf(step.after, device.Name)
	match := MatchPorts(device, reading)
	is := reading.Found(before, device, match, state).State
	if len(unlike(device, is, state)) == 0 {
		return nil
	}
	is = reading.Found(before, device, match, was).State
	if len(unlike(device, is, was)) == 0 && is.VLANs == was.VLANs {
		return fmt.Errorf("%w: nothing of the step is done", why)
	}
	wrong := dev.Set(ctx, device, match, is, was)
	if _, reading, err = c.talk(ctx, before, device); err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, device.Name, err)
	}
	if differs := unlike(device, reading.Found(before, device, match, was).State, was); len(differs) > 0 {
		return &Unforetold{Device: device.Name, Differs: differs, After: true, Why: errors.Join(why, wrong)}
	}
	return fmt.Errorf("%w: what it had done of the step is taken back", why)
}

// Back sets a device as it was before a step.
func (c *Carrier) Back(ctx context.Context, before *office.Office, device string) error {
	return mishap.Try(func() error { return c.back(ctx, before, device) })
}

// back sets a device to what it was before a step, whatever it is set to now. What the protocol
// cannot set stays.
func (c *Carrier) back(ctx context.Context, before *office.Office, device string) error {
	one := before.Device(device)
	if one == nil {
		return fmt.Errorf("there was no %s before", device)
	}
	dev, reading, err := c.talk(ctx, before, one)
	if err != nil {
		return err
	}
	want := stateOf(before, device)
	match := MatchPorts(one, reading)
	is := reading.Found(before, one, match, want).State
	now := reading.Routing(before, one, match, untaggedIn(is))
	if err := dev.Set(ctx, one, match, is, want); err != nil {
		return err
	}
	if b, ok := dev.(rerouter); ok && len(now.Differs(before, one)) > 0 {
		return b.SetRouting(ctx, Rerouting{before, now.On(one), one, match, untaggedIn(is)})
	}
	return nil
}

func stateOf(o *office.Office, device string) wording.State {
	net := span.Compile(o)
	return wording.Planned(net, net.Topo.DeviceIndex(device))
}

// structure is what of a device is not set on ports, and not how it routes.
func structure(device *office.Device) string {
	other := device.Clone()
	for port := range other.Ports {
		other.Ports[port].Shape, other.Ports[port].Because = nil, ""
		if other.Ports[port].Kind == office.Inner { // which is never without
			other.Ports[port].Shape = &office.Shape{}
		}
	}
	other.Follows, other.Manage = "", nil
	other.Addresses, other.Outsides, other.Routes, other.Rules = nil, nil, nil, nil
	other.NoRouting, other.State, other.Between, other.Within = false, "", "", ""
	return notation.Thing(other.Seal())
}

// accessFor says whether a port is an access port where one with the same VLAN alone is
// foretold. That it refuses its own tag as well is told by reading, and stops no order: who
// wrote down what is there by hand said it like that.
func accessFor(is, should *wording.Setting) bool {
	setting := *is
	setting.Admit = should.Admit
	return is.Admit == office.AdmitUntagged && setting.Tagged.Empty() && setting.Untagged.Has(setting.PVID) && setting.Alike(should)
}

// unlike lists the ports that are set otherwise than they should be.
func unlike(device *office.Device, is, should wording.State) (out []string) {
	if !slices.Equal(is.Apart, should.Apart) {
		for _, name := range found.Unmade(device, is) {
			out = append(out, fmt.Sprintf("the bundle %s is not made as it should be", name))
		}
	}
	for port := range device.Ports {
		unmade := len(device.Ports[port].Members) > 0 && len(is.Apart) > 0
		if device.Ports[port].Bundle == 0 && !unmade && !is.Ports[port].Alike(&should.Ports[port]) && !accessFor(&is.Ports[port], &should.Ports[port]) {
			out = append(out, fmt.Sprintf("port %s is %s, and not %s", device.Ports[port].Name, notation.Shape(is.Ports[port].Shape()), notation.Shape(should.Ports[port].Shape())))
		}
	}
	return out
}

// AsFound is an office with the devices that were read set to what they told.
func AsFound(o *office.Office, readings map[string]*Reading) (*office.Office, error) {
	net, states, routing := span.Compile(o), map[int]wording.State{}, map[string]*found.Routing{}
	for i, device := range o.Devices {
		reading := readings[device.Name]
		if reading == nil {
			continue
		}
		match := MatchPorts(device, reading)
		now := wording.Planned(net, i)
		if net.Aware(i) && reading.Tells(TellsVLANs) {
			states[i] = reading.Found(o, device, match, now).State
			now = states[i]
		}
		routing[device.Name] = reading.Routing(o, device, match, untaggedIn(now))
	}
	o, err := found.As(net, states)
	if err != nil {
		return nil, err
	}
	o, wrong := found.Routed(o, routing)
	if len(wrong) > 0 {
		return nil, errors.New(strings.Join(wrong, "; "))
	}
	return o, nil
}
