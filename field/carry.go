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
	for _, d := range c.open {
		_ = d.Close()
	}
	c.open = nil
}

// talk reads a device, by what is open to it where that still answers.
func (c *Carrier) talk(ctx context.Context, o *office.Office, d *office.Device) (Device, *Reading, error) {
	if dev := c.open[d.Name]; dev != nil {
		if r, err := dev.Read(ctx); err == nil {
			r.Device = d.Name
			return dev, r, nil
		}
		_ = dev.Close()
		delete(c.open, d.Name)
	}
	dev, r, err := c.Dialer.Talk(ctx, o, d)
	if err != nil {
		return nil, nil, err
	}
	if c.open == nil {
		c.open = map[string]Device{}
	}
	c.open[d.Name] = dev
	return dev, r, nil
}

// Step carries one step out: the state is read and must be the one before it, the
// step is set, and what is then read must be the one after. The error is a [ByHand]
// where a person has to, and an [Unforetold] where the device is set otherwise.
func (c *Carrier) Step(ctx context.Context, before, after *office.Office, device string, kind order.Kind) error {
	return mishap.Try(func() error { return c.step(ctx, before, after, device, kind) })
}

func (c *Carrier) step(ctx context.Context, before, after *office.Office, device string, kind order.Kind) error {
	d := before.Device(device)
	switch kind {
	case order.Set, order.Check, order.Save:
	default:
		return &ByHand{"this is done by hand"}
	}
	if d == nil {
		return &ByHand{"there is no " + device + " yet"}
	}
	dev, r, err := c.talk(ctx, before, d)
	if err != nil {
		return err
	}
	a := stateOf(before, d.Name)
	m := MatchPorts(d, r)
	now := r.Found(before, d, m, a).State
	grown := r.grown(d, m, now, a)
	if differs := unlike(d, now.WithAll(grown), a); len(differs) > 0 {
		return &Unforetold{Device: d.Name, Differs: differs}
	}
	routing := r.Routing(before, d, m, untaggedIn(now))
	if routing != nil {
		routing.Stateless = false // an office has no word for it, so that no order foretells it
	}
	if differs := routing.Differs(before, d); len(differs) > 0 {
		return &Unforetold{Device: d.Name, Differs: differs}
	}
	switch kind {
	case order.Check:
		return nil
	case order.Save:
		var how *kept
		if err := dev.Save(ctx); errors.As(err, &how) {
			return &ByHand{how.text}
		} else if errors.Is(err, ErrNoSave) {
			return &ByHand{err.Error()}
		} else if err != nil {
			return err
		}
		return nil
	}
	x := after.Device(device)
	if routes, ok := rerouted(d, x); !ok || routes && r.Router == nil {
		return &ByHand{byHandRouting}
	} else if routes {
		return c.reroute(ctx, before, after, d, x, dev, r)
	}
	b := stateOf(after, d.Name)
	to := now.WithAll(grown)
	changed := false
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 && !a.Ports[p].Alike(&b.Ports[p]) {
			to = to.With(p, b.Ports[p])
			changed = true
		}
	}
	if !changed && b.VLANs == a.VLANs {
		return &ByHand{"this is not set over this protocol"}
	}
	to = to.Knowing(now.VLANs).Knowing(b.VLANs)
	if err := dev.Set(ctx, d, m, now, to); err != nil {
		return c.whole(ctx, before, after, d, now, err)
	}
	if dev, r, err = c.talk(ctx, before, d); err != nil { // anew, where the connection was lost
		return fmt.Errorf("%s took the step and does not answer any more: %w", d.Name, err)
	}
	is := r.Found(after, x, MatchPorts(x, r), b).State
	if len(unlike(d, is, b)) > 0 && ofItself(is, a, b) {
		if err := dev.Set(ctx, d, MatchPorts(d, r), is, to); err != nil {
			return c.whole(ctx, before, after, d, now, err)
		}
		if _, r, err = c.talk(ctx, before, d); err != nil {
			return fmt.Errorf("%s took the step and does not answer any more: %w", d.Name, err)
		}
		is = r.Found(after, x, MatchPorts(x, r), b).State
	}
	if differs := unlike(d, is, b); len(differs) > 0 {
		return &Unforetold{Device: d.Name, Differs: differs, After: true}
	}
	return nil
}

// grown is the ports that carry all VLANs, and have come to carry more than was foretold, as
// the register grew since: what was foretold of them. A step says it in a list.
func (r *Reading) grown(d *office.Device, m Match, now, foretold wording.State) map[int]wording.Setting {
	out := map[int]wording.Setting{}
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 || m[p] < 0 || !r.Ports[m[p]].AllVLANs {
			continue
		}
		x, should := now.Ports[p], foretold.Ports[p]
		if less := should.Tagged.Minus(&x.Tagged); less.Empty() {
			x.Tagged = should.Tagged
		}
		if x.Alike(&should) {
			out[p] = should
		}
	}
	return out
}

// ofItself says whether a device can be otherwise than a step from a to b says because of
// habits that nobody told of: what differs is of the ports that it sets, or of the VLANs that
// it makes. Anything else is another person's doing.
func ofItself(is, a, b wording.State) bool {
	news := b.VLANs.Minus(&a.VLANs)
	for p := range is.Ports {
		x, y := is.Ports[p], &b.Ports[p]
		if !a.Ports[p].Alike(y) {
			continue
		}
		x.Untagged, x.Tagged = x.Untagged.Minus(&news), x.Tagged.Minus(&news)
		if !x.ForwardsAs(y) && !accessFor(&x, y) {
			return false
		}
	}
	return true
}

// whole leaves no step half done: where a device refused a step, or its answer was lost, what
// it is set to decides. All of it: it is done. A part: that is taken back, or said where it
// stays.
func (c *Carrier) whole(ctx context.Context, before, after *office.Office, d *office.Device, was wording.State, why error) error {
	ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), MostTime)
	defer stop()
	dev, r, err := c.talk(ctx, before, d)
	if err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, d.Name, err)
	}
	b := stateOf(after, d.Name)
	m := MatchPorts(d, r)
	is := r.Found(before, d, m, b).State
	if len(unlike(d, is, b)) == 0 {
		return nil
	}
	is = r.Found(before, d, m, was).State
	if len(unlike(d, is, was)) == 0 && is.VLANs == was.VLANs {
		return fmt.Errorf("%w: nothing of the step is done", why)
	}
	wrong := dev.Set(ctx, d, m, is, was)
	if _, r, err = c.talk(ctx, before, d); err != nil {
		return fmt.Errorf("%w; and then %s did not answer (%w): look at what of the step is done", why, d.Name, err)
	}
	if differs := unlike(d, r.Found(before, d, m, was).State, was); len(differs) > 0 {
		return &Unforetold{Device: d.Name, Differs: differs, After: true, Why: errors.Join(why, wrong)}
	}
	return fmt.Errorf("%w: what it had done of the step is taken back", why)
}

// Back sets a device as it was before a step.
func (c *Carrier) Back(ctx context.Context, before *office.Office, device string) error {
	return mishap.Try(func() error { return c.back(ctx, before, device) })
}

func (c *Carrier) back(ctx context.Context, before *office.Office, device string) error {
	d := before.Device(device)
	if d == nil {
		return fmt.Errorf("there was no %s before", device)
	}
	dev, r, err := c.talk(ctx, before, d)
	if err != nil {
		return err
	}
	want := stateOf(before, device)
	m := MatchPorts(d, r)
	is := r.Found(before, d, m, want).State
	now := r.Routing(before, d, m, untaggedIn(is))
	if err := dev.Set(ctx, d, m, is, want); err != nil {
		return err
	}
	if b, ok := dev.(rerouter); ok && len(now.Differs(before, d)) > 0 {
		return b.SetRouting(ctx, Rerouting{before, now.On(d), d, m, untaggedIn(is)})
	}
	return nil
}

func stateOf(o *office.Office, device string) wording.State {
	n := span.Compile(o)
	return wording.Planned(n, n.Topo.DeviceIndex(device))
}

// structure is what of a device is not set on ports, and not how it routes.
func structure(d *office.Device) string {
	c := d.Clone()
	for p := range c.Ports {
		c.Ports[p].Shape, c.Ports[p].Because = nil, ""
		if c.Ports[p].Kind == office.Inner { // which is never without
			c.Ports[p].Shape = &office.Shape{}
		}
	}
	c.Follows, c.Manage = "", nil
	c.Addresses, c.Outsides, c.Routes, c.Rules = nil, nil, nil, nil
	c.NoRouting, c.State, c.Between, c.Within = false, "", "", ""
	return notation.Thing(c.Seal())
}

// accessFor says whether a port is an access port where one with the same VLAN alone is
// foretold. That it refuses its own tag as well is told by reading, and stops no order: who
// wrote down what is there by hand said it like that.
func accessFor(is, should *wording.Setting) bool {
	x := *is
	x.Admit = should.Admit
	return is.Admit == office.AdmitUntagged && x.Tagged.Empty() && x.Untagged.Has(x.PVID) && x.Alike(should)
}

// unlike lists the ports that are set otherwise than they should be.
func unlike(d *office.Device, is, should wording.State) (out []string) {
	if !slices.Equal(is.Apart, should.Apart) {
		for _, name := range found.Unmade(d, is) {
			out = append(out, fmt.Sprintf("the bundle %s is not made as it should be", name))
		}
	}
	for p := range d.Ports {
		unmade := len(d.Ports[p].Members) > 0 && len(is.Apart) > 0
		if d.Ports[p].Bundle == 0 && !unmade && !is.Ports[p].Alike(&should.Ports[p]) && !accessFor(&is.Ports[p], &should.Ports[p]) {
			out = append(out, fmt.Sprintf("port %s is %s, and not %s", d.Ports[p].Name, notation.Shape(is.Ports[p].Shape()), notation.Shape(should.Ports[p].Shape())))
		}
	}
	return out
}

// AsFound is an office with the devices that were read set to what they told.
func AsFound(o *office.Office, readings map[string]*Reading) (*office.Office, error) {
	n, states, routing := span.Compile(o), map[int]wording.State{}, map[string]*found.Routing{}
	for i, d := range o.Devices {
		r := readings[d.Name]
		if r == nil {
			continue
		}
		m := MatchPorts(d, r)
		now := wording.Planned(n, i)
		if n.Aware(i) && r.Tells(TellsVLANs) {
			states[i] = r.Found(o, d, m, now).State
			now = states[i]
		}
		routing[d.Name] = r.Routing(o, d, m, untaggedIn(now))
	}
	o, err := found.As(n, states)
	if err != nil {
		return nil, err
	}
	o, wrong := found.Routed(o, routing)
	if len(wrong) > 0 {
		return nil, errors.New(strings.Join(wrong, "; "))
	}
	return o, nil
}
