package office

import (
	"net/netip"
	"slices"
)

// Refs gives what an office refers to other names and numbers; nil leaves them as they
// are. It is the one place that knows where a thing is named: rename and renumber go by
// it, and a new field that names something is added here.
type Refs struct {
	VID    func(VID) VID         // of a VLAN
	Device func(string) string   // a device's name
	Port   func(PortRef) PortRef // a port's, before its device's is given anew
	Use    func(string) string
	Plan   func(string) string
	Net    func(netip.Prefix) netip.Prefix                // a prefix that a rule, a wish or a route names
	Addr   func(in VID, addr netip.Addr) netip.Addr       // an address of somebody in a VLAN; in 0, a next hop
	Subnet func(of VID, prefix netip.Prefix) netip.Prefix // of the register
}

// ref is a reference after f, or as it was where f is nil.
func ref[T comparable](f func(T) T, x T) T {
	if f == nil {
		return x
	}
	return f(x)
}

// addr is an address of a VLAN after the change of addresses, if there is one.
func (r *Refs) addr(in VID, addr netip.Addr) netip.Addr {
	if r.Addr == nil || !addr.IsValid() {
		return addr
	}
	return r.Addr(in, addr)
}

// Office is an office with every reference given as they say. What names nothing of it
// is shared with the office before.
func (r *Refs) Office(o *Office) *Office {
	out := *o
	out.VLANs = mapped(o.VLANs, r.vlan)
	slices.SortFunc(out.VLANs, func(a, b *VLAN) int { return int(a.VID) - int(b.VID) })
	out.Uses = mapped(o.Uses, r.use)
	out.Plans = mapped(o.Plans, r.plan)
	out.Devices = mapped(o.Devices, r.device)
	out.Wishes = mapped(o.Wishes, r.wish)
	out.Cables = mapped(o.Cables, func(cable Cable) Cable { return Cable{r.port(cable.A), r.port(cable.B)} })
	out.Plugs = mapped(o.Plugs, func(plug Plug) Plug {
		plug.Port, plug.At, plug.Wants = r.port(plug.Port), r.addr(plug.Wants, plug.At), ref(r.VID, plug.Wants)
		return plug
	})
	return &out
}

// mapped is a list with each thing changed; a new list always, as the old one is shared.
func mapped[T any](list []T, f func(T) T) []T {
	out := make([]T, len(list))
	for i, x := range list {
		out[i] = f(x)
	}
	return out
}

func (r *Refs) port(one PortRef) PortRef {
	one = ref(r.Port, one)
	one.Device = ref(r.Device, one.Device)
	return one
}

// on is the port of a device that something of it is on, "" for none.
func (r *Refs) on(device *Device, port string) string {
	if port == "" {
		return ""
	}
	return ref(r.Port, PortRef{device.Name, port}).Port
}

// vlan is the VLAN under its new number and with its new subnets, itself where both stay.
func (r *Refs) vlan(vlan *VLAN) *VLAN {
	next := *vlan
	next.VID = ref(r.VID, vlan.VID)
	if r.Subnet != nil {
		next.Nets = mapped(vlan.Nets, func(prefix netip.Prefix) netip.Prefix { return r.Subnet(vlan.VID, prefix) })
	}
	if next.VID == vlan.VID && slices.Equal(next.Nets, vlan.Nets) {
		return vlan
	}
	return &next
}

// use is a port use with its references changed, the same pointer where nothing changed: what is
// shared stays so, and what is the same by pointer is not compared again.
func (r *Refs) use(use *Use) *Use {
	next := &Use{Name: ref(r.Use, use.Name), Shape: r.shape(use.Shape)}
	if next.Name == use.Name && next.Shape.Equal(use.Shape) {
		return use
	}
	return next
}

// plan is the port plan with what it refers to renamed, itself where nothing is.
func (r *Refs) plan(plan *Plan) *Plan {
	next := &Plan{Name: ref(r.Plan, plan.Name), Lines: slices.Clone(plan.Lines)}
	same := next.Name == plan.Name
	for i := range next.Lines {
		next.Lines[i].Shape = r.shape(plan.Lines[i].Shape)
		same = same && next.Lines[i].Shape.Equal(plan.Lines[i].Shape)
	}
	if same {
		return plan
	}
	return next
}

// shape is the shape with its use and VLANs renamed; the VID of a ride on the wire stays, as the
// far side speaks it.
func (r *Refs) shape(shape Shape) Shape {
	shape.Use = ref(r.Use, shape.Use)
	if r.VID == nil || len(shape.Untagged)+len(shape.Tagged)+len(shape.Rides) == 0 && shape.PVID == 0 {
		return shape
	}
	shape.Untagged, shape.Tagged, shape.PVID = mapped(shape.Untagged, r.VID), mapped(shape.Tagged, r.VID), r.VID(shape.PVID)
	shape.Rides = mapped(shape.Rides, func(ride Ride) Ride { return Ride{VLAN: r.VID(ride.VLAN), Wire: ride.Wire} })
	return shape.Normal()
}

// sides are those of a rule or wish, their VLANs and subnets renamed.
func (r *Refs) sides(sides []Side) []Side {
	return mapped(sides, func(side Side) Side {
		if side.Kind == SideVLAN {
			side.VID = ref(r.VID, side.VID)
		}
		side.Net = ref(r.Net, side.Net)
		return side
	})
}

// wish is the wish with its sides renamed, itself where nothing is.
func (r *Refs) wish(wish *Wish) *Wish {
	next := *wish
	next.From, next.To = r.sides(wish.From), r.sides(wish.To)
	if slices.Equal(next.From, wish.From) && slices.Equal(next.To, wish.To) {
		return wish
	}
	return &next
}

// device is a device with its references given anew, itself where it has none.
func (r *Refs) device(device *Device) *Device {
	next := device.Clone()
	next.Name, next.Follows = ref(r.Device, device.Name), ref(r.Plan, device.Follows)
	same := next.Name == device.Name && next.Follows == device.Follows
	for i := range next.Ports {
		port := &next.Ports[i]
		if port.Shape == nil {
			continue
		}
		if shape := r.shape(*port.Shape); !shape.Equal(*port.Shape) {
			port.Shape, same = &shape, false
		}
	}
	for i := range next.Addresses {
		address := &next.Addresses[i]
		if address.Prefix.IsValid() {
			address.Prefix = netip.PrefixFrom(r.addr(address.VID, address.Prefix.Addr()), address.Prefix.Bits())
		}
		address.On = r.on(device, address.On)
		address.From, address.To, address.VID = r.addr(address.VID, address.From), r.addr(address.VID, address.To), ref(r.VID, address.VID)
		same = same && address.Equal(&device.Addresses[i])
	}
	if manage := device.Manage; manage != nil {
		now := *manage
		now.Addr, now.Via, now.VID = r.addr(manage.VID, manage.Addr), r.addr(manage.VID, manage.Via), ref(r.VID, manage.VID)
		if now != *manage {
			next.Manage, same = &now, false
		}
	}
	for i := range next.Outsides {
		next.Outsides[i].VID, next.Outsides[i].On = ref(r.VID, device.Outsides[i].VID), r.on(device, device.Outsides[i].On)
		same = same && next.Outsides[i] == device.Outsides[i]
	}
	for i := range next.Routes {
		route := &next.Routes[i]
		route.To, route.Via = ref(r.Net, route.To), r.addr(0, route.Via)
		same = same && *route == device.Routes[i]
	}
	for i := range next.Rules {
		rule := &next.Rules[i]
		rule.From, rule.To = r.sides(rule.From), r.sides(rule.To)
		same = same && rule.Equal(&device.Rules[i])
	}
	if same {
		return device
	}
	return next.Seal()
}
