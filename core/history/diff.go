package history

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
)

// Diff is the edit that leads from one office to another: what differs, and no
// more, with the order of things last where that differs. What goes, goes from the
// leaves to the roots, what comes or changes from the roots to the leaves:
//
//	plugs, wishes, rules, cables, devices, VLANs    go
//	VLANs, services, uses, plans, devices, rules    come
//	plans, uses, services                           go, that nothing names any more
//	cables, plugs, wishes                           come
func Diff(from, to *office.Office) (office.Edit, error) {
	d := &differ{from: from, to: to, draft: office.NewDraft(from), moving: movingZones(from, to)}
	d.draft.SetTitle(to.Title)
	for _, step := range []func(){d.leavesGo, d.rulesGo, d.rootsGo, d.rootsCome, d.devicesCome, d.rulesCome, d.unnamedGo, d.leavesCome, d.order} {
		if step(); d.err != nil {
			return nil, d.err
		}
	}
	_, e := d.draft.Done()
	return e, nil
}

// differ drafts what leads from one office to another; err is what stood against it
// first.
type differ struct {
	from, to *office.Office
	draft    *office.Draft
	moving   zones // what names one of these goes, and comes again
	err      error
}

func (d *differ) do(err error) {
	if err != nil && d.err == nil {
		d.err = fmt.Errorf("what differs cannot be one edit: %w", err)
	}
}

// come puts the things of a list that are not there, at their places.
func come[T office.Thing](d *differ, list []T, there func(T) bool) {
	for i, x := range list {
		if !there(x) {
			d.do(d.draft.Put(office.Change{After: x, At: i}))
		}
	}
}

// wished says whether an office has a wish.
func wished(o *office.Office, w *office.Wish) bool {
	return slices.ContainsFunc(o.Wishes, func(x *office.Wish) bool { return x.Key() == w.Key() })
}

// cabled is the cables of an office by their keys.
func cabled(o *office.Office) map[office.Key]office.Cable {
	out := make(map[office.Key]office.Cable, len(o.Cables))
	for _, c := range o.Cables {
		out[c.Key()] = c
	}
	return out
}

// plugged is the plugs of an office.
func plugged(o *office.Office) map[office.Plug]bool {
	out := make(map[office.Plug]bool, len(o.Plugs))
	for _, p := range o.Plugs {
		out[p] = true
	}
	return out
}

// leavesGo takes away plugs and wishes.
func (d *differ) leavesGo() {
	stays := plugged(d.to)
	for _, p := range d.from.Plugs {
		if !stays[p] {
			d.do(d.draft.Unplug(p.Port, p.Name))
		}
	}
	for _, w := range d.from.Wishes {
		if d.moving.named(w.From, w.To) || !wished(d.to, w) {
			d.do(d.draft.RemoveWish(w))
		}
	}
}

// rulesGo takes away rules, before the zones and the services that they name.
func (d *differ) rulesGo() {
	for _, was := range d.from.Devices {
		is := d.to.Device(was.Name)
		if is == nil {
			is = &office.Device{}
		}
		kept := office.KeptRules(was.Rules, is.Rules, func(a, b *office.Rule) bool { return a.Equal(b) && !d.moving.named(a.From, a.To) })
		for i, at := range slices.Backward(kept) {
			if at < 0 {
				d.do(d.draft.RemoveRule(was.Name, i))
			}
		}
	}
}

// rootsGo takes away cables, devices and VLANs.
func (d *differ) rootsGo() {
	stays := cabled(d.to)
	for _, c := range d.from.Cables {
		if stays[c.Key()] != c {
			d.do(d.draft.Disconnect(c))
		}
	}
	for _, x := range d.from.Devices {
		if d.to.Device(x.Name) == nil {
			d.do(d.draft.RemoveDevice(x.Name))
		}
	}
	for _, v := range d.from.VLANs {
		if w := d.to.VLAN(v.VID); w == nil || !same(v, w) {
			d.do(d.draft.RemoveVLAN(v.VID))
		}
	}
}

// rootsCome puts VLANs, services, uses and plans.
func (d *differ) rootsCome() {
	come(d, d.to.VLANs, func(v *office.VLAN) bool { return d.draft.Office().VLAN(v.VID) != nil })
	come(d, d.to.Services, func(s *office.NamedService) bool {
		was := d.from.Service(s.Name)
		return was != nil && same(was, s)
	})
	come(d, d.to.Uses, func(u *office.Use) bool {
		was := d.from.Use(u.Name)
		return was != nil && same(was, u)
	})
	come(d, d.to.Plans, func(p *office.Plan) bool {
		was := d.from.Plan(p.Name)
		return was != nil && same(was, p)
	})
}

// devicesCome puts devices, with the rules that both have: the others come last. Where
// nothing but settings differ it goes port by port, so that what others set meanwhile
// stays.
func (d *differ) devicesCome() {
	for i, device := range d.to.Devices {
		was := d.draft.Office().Device(device.Name)
		if len(device.Rules) > 0 {
			device = device.Clone()
			device.Rules = nil
			if was != nil {
				device.Rules = was.Rules
			}
			device.Seal()
		}
		switch {
		case was != nil && onlySet(was, device):
			for _, p := range device.Ports {
				if err := d.draft.Set(office.PortRef{Device: device.Name, Port: p.Name}, p.Shape, p.Because); p.Bundle == 0 {
					d.do(err)
				}
			}
		case was == nil || !same(was, device):
			d.do(d.draft.Put(office.Change{After: device, At: i}))
		}
	}
}

// rulesCome puts the rules that are not there, at their places.
func (d *differ) rulesCome() {
	for _, device := range d.to.Devices {
		for i := range device.Rules {
			now := d.draft.Office().Device(device.Name)
			if now == nil || i < len(now.Rules) && now.Rules[i].Equal(&device.Rules[i]) {
				continue
			}
			d.do(d.draft.PutRule(device.Name, &device.Rules[i], i))
		}
	}
}

// unnamedGo takes away plans, uses and services, which nothing names by now.
func (d *differ) unnamedGo() {
	for _, p := range d.from.Plans {
		if d.to.Plan(p.Name) == nil {
			d.do(d.draft.RemovePlan(p.Name))
		}
	}
	for _, u := range d.from.Uses {
		if d.to.Use(u.Name) == nil {
			d.do(d.draft.RemoveUse(u.Name))
		}
	}
	for _, s := range d.from.Services {
		if d.to.Service(s.Name) == nil {
			d.do(d.draft.RemoveService(s.Name))
		}
	}
}

// leavesCome puts cables, plugs and wishes.
func (d *differ) leavesCome() {
	cables, plugs := cabled(d.draft.Office()), plugged(d.draft.Office())
	come(d, d.to.Cables, func(c office.Cable) bool { return cables[c.Key()] == c })
	come(d, d.to.Plugs, func(p office.Plug) bool { return plugs[p] })
	come(d, d.to.Wishes, func(w *office.Wish) bool { return wished(d.draft.Office(), w) })
}

// order puts every list into its order.
func (d *differ) order() {
	for _, list := range office.Lists {
		d.do(d.draft.Put(office.Change{After: office.OrderOf(d.to, list)}))
	}
}

// onlySet says whether two devices differ in nothing but what their ports are
// set to.
func onlySet(a, b *office.Device) bool {
	if len(a.Ports) != len(b.Ports) {
		return false
	}
	c := a.Clone()
	for p := range c.Ports {
		if c.Ports[p].Name != b.Ports[p].Name {
			return false
		}
		c.Ports[p].Shape, c.Ports[p].Because = b.Ports[p].Shape, b.Ports[p].Because
	}
	return notation.Thing(c.Seal()) == notation.Thing(b)
}

// same says whether two things say the same.
func same[T interface {
	comparable
	office.Thing
}](a, b T) bool {
	return a == b || notation.Thing(a) == notation.Thing(b)
}

// zones is a set of zones.
type zones map[string]bool

// movingZones is the zones that other devices have in one office than in another.
func movingZones(from, to *office.Office) zones {
	holders := func(o *office.Office) map[string]string {
		out := map[string]string{}
		for _, d := range o.Devices {
			for i, a := range d.Addresses {
				if a.Zone != "" && !slices.ContainsFunc(d.Addresses[:i], func(b office.Address) bool { return b.Zone == a.Zone }) {
					out[a.Zone] += d.Name + " "
				}
			}
		}
		return out
	}
	was, is := holders(from), holders(to)
	moving := zones{}
	for z := range was {
		moving[z] = was[z] != is[z]
	}
	return moving
}

func (z zones) named(sides ...[]office.Side) bool {
	return slices.ContainsFunc(slices.Concat(sides...), func(s office.Side) bool { return s.Kind == office.SideZone && z[s.Zone] })
}
