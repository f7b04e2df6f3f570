package field

import (
	"context"
	"errors"
	"fmt"
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
}

func (e *Unforetold) Error() string {
	when := "before the step"
	if e.After {
		when = "after the step"
	}
	return fmt.Sprintf("%s is not as foretold %s: %s", e.Device, when, strings.Join(e.Differs, "; "))
}

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
	if differs := unlike(d, now, a); len(differs) > 0 {
		return &Unforetold{d.Name, differs, false}
	}
	switch kind {
	case order.Check:
		return nil
	case order.Save:
		if err := dev.Save(ctx); errors.Is(err, ErrNoSave) {
			return &ByHand{err.Error()}
		} else if err != nil {
			return err
		}
		return nil
	}
	x := after.Device(device)
	if x == nil || len(x.Ports) != len(d.Ports) || structure(x) != structure(d) {
		return &ByHand{"bundles, inner ports, addresses and rules are not set over this protocol"}
	}
	b := stateOf(after, d.Name)
	to := now
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
		return err
	}
	if r, err = dev.Read(ctx); err != nil {
		return fmt.Errorf("%s took the step and does not answer any more: %w", d.Name, err)
	}
	if differs := unlike(d, r.Found(after, x, MatchPorts(x, r), b).State, b); len(differs) > 0 {
		return &Unforetold{d.Name, differs, true}
	}
	return nil
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
	return dev.Set(ctx, d, m, r.Found(before, d, m, want).State, want)
}

func stateOf(o *office.Office, device string) wording.State {
	n := span.Compile(o)
	return wording.Planned(n, n.Topo.DeviceIndex(device))
}

// structure is what of a device is not set on ports.
func structure(d *office.Device) string {
	c := d.Clone()
	for p := range c.Ports {
		c.Ports[p].Shape, c.Ports[p].Because = nil, ""
		if c.Ports[p].Kind == office.Inner { // which is never without
			c.Ports[p].Shape = &office.Shape{}
		}
	}
	c.Follows, c.Manage = "", nil
	return notation.Thing(c.Seal())
}

// unlike lists the ports that are set otherwise than they should be.
func unlike(d *office.Device, is, should wording.State) (out []string) {
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 && !is.Ports[p].Alike(&should.Ports[p]) {
			out = append(out, fmt.Sprintf("port %s is %s, and not %s", d.Ports[p].Name, notation.Shape(is.Ports[p].Shape()), notation.Shape(should.Ports[p].Shape())))
		}
	}
	return out
}

// AsFound is an office with the devices that were read set to what they told.
func AsFound(o *office.Office, readings map[string]*Reading) (*office.Office, error) {
	n, states := span.Compile(o), map[int]wording.State{}
	for i, d := range o.Devices {
		if r := readings[d.Name]; r != nil && n.Aware(i) && r.Tells(TellsVLANs) {
			states[i] = r.Found(o, d, MatchPorts(d, r), wording.Planned(n, i)).State
		}
	}
	return found.As(n, states)
}
