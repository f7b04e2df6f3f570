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
//
//	> -plug floor.5 "tablet"; floor 5: -; vlan 160 visitors
//	-plug floor.5 "tablet"
//	floor 5: -
//	vlan 160 visitors
func Diff(from, to *office.Office) (office.Edit, error) {
	one := &differ{from: from, to: to, draft: office.NewDraft(from), moving: movingZones(from, to)}
	one.draft.SetTitle(to.Title)
	for _, step := range []func(){one.leavesGo, one.rulesGo, one.rootsGo, one.rootsCome, one.devicesCome, one.rulesCome, one.unnamedGo, one.leavesCome, one.order} {
		if step(); one.err != nil {
			return nil, one.err
		}
	}
	_, edit := one.draft.Done()
	return edit, nil
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
func come[T office.Thing](differ *differ, list []T, there func(T) bool) {
	for i, x := range list {
		if !there(x) {
			differ.do(differ.draft.Put(office.Change{After: x, At: i}))
		}
	}
}

// wished says whether an office has a wish.
func wished(o *office.Office, wish *office.Wish) bool {
	return slices.ContainsFunc(o.Wishes, func(other *office.Wish) bool { return other.Key() == wish.Key() })
}

// cabled is the cables of an office by their keys.
func cabled(o *office.Office) map[office.Key]office.Cable {
	out := make(map[office.Key]office.Cable, len(o.Cables))
	for _, cable := range o.Cables {
		out[cable.Key()] = cable
	}
	return out
}

// plugged is the plugs of an office.
func plugged(o *office.Office) map[office.Plug]bool {
	out := make(map[office.Plug]bool, len(o.Plugs))
	for _, plug := range o.Plugs {
		out[plug] = true
	}
	return out
}

// leavesGo takes away plugs and wishes.
func (d *differ) leavesGo() {
	stays := plugged(d.to)
	for _, plug := range d.from.Plugs {
		if !stays[plug] {
			d.do(d.draft.Unplug(plug.Port, plug.Name))
		}
	}
	for _, wish := range d.from.Wishes {
		if d.moving.named(wish.From, wish.To) || !wished(d.to, wish) {
			d.do(d.draft.RemoveWish(wish))
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
	for _, cable := range d.from.Cables {
		if stays[cable.Key()] != cable {
			d.do(d.draft.Disconnect(cable))
		}
	}
	for _, device := range d.from.Devices {
		if d.to.Device(device.Name) == nil {
			d.do(d.draft.RemoveDevice(device.Name))
		}
	}
	for _, vlan := range d.from.VLANs {
		if other := d.to.VLAN(vlan.VID); other == nil || !same(vlan, other) {
			d.do(d.draft.RemoveVLAN(vlan.VID))
		}
	}
}

// rootsCome puts VLANs, services, uses and plans.
func (d *differ) rootsCome() {
	come(d, d.to.VLANs, func(vlan *office.VLAN) bool { return d.draft.Office().VLAN(vlan.VID) != nil })
	come(d, d.to.Services, func(named *office.NamedService) bool {
		was := d.from.Service(named.Name)
		return was != nil && same(was, named)
	})
	come(d, d.to.Uses, func(use *office.Use) bool {
		was := d.from.Use(use.Name)
		return was != nil && same(was, use)
	})
	come(d, d.to.Plans, func(plan *office.Plan) bool {
		was := d.from.Plan(plan.Name)
		return was != nil && same(was, plan)
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
			for _, port := range device.Ports {
				if err := d.draft.Set(office.PortRef{Device: device.Name, Port: port.Name}, port.Shape, port.Because); port.Bundle == 0 {
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
	for _, plan := range d.from.Plans {
		if d.to.Plan(plan.Name) == nil {
			d.do(d.draft.RemovePlan(plan.Name))
		}
	}
	for _, use := range d.from.Uses {
		if d.to.Use(use.Name) == nil {
			d.do(d.draft.RemoveUse(use.Name))
		}
	}
	for _, named := range d.from.Services {
		if d.to.Service(named.Name) == nil {
			d.do(d.draft.RemoveService(named.Name))
		}
	}
}

// leavesCome puts cables, plugs and wishes.
func (d *differ) leavesCome() {
	cables, plugs := cabled(d.draft.Office()), plugged(d.draft.Office())
	come(d, d.to.Cables, func(cable office.Cable) bool { return cables[cable.Key()] == cable })
	come(d, d.to.Plugs, func(plug office.Plug) bool { return plugs[plug] })
	come(d, d.to.Wishes, func(wish *office.Wish) bool { return wished(d.draft.Office(), wish) })
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
	device := a.Clone()
	for port := range device.Ports {
		if device.Ports[port].Name != b.Ports[port].Name {
			return false
		}
		device.Ports[port].Shape, device.Ports[port].Because = b.Ports[port].Shape, b.Ports[port].Because
	}
	return notation.Thing(device.Seal()) == notation.Thing(b)
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
		for _, device := range o.Devices {
			for i, address := range device.Addresses {
				if address.Zone != "" && !slices.ContainsFunc(device.Addresses[:i], func(other office.Address) bool { return other.Zone == address.Zone }) {
					out[address.Zone] += device.Name + " "
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
	return slices.ContainsFunc(slices.Concat(sides...), func(side office.Side) bool { return side.Kind == office.SideZone && z[side.Zone] })
}
