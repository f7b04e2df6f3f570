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
	Net    func(netip.Prefix) netip.Prefix           // a prefix that a rule, a wish or a route names
	Addr   func(in VID, a netip.Addr) netip.Addr     // an address of somebody in a VLAN; in 0, a next hop
	Subnet func(of VID, p netip.Prefix) netip.Prefix // of the register
}

func ref[T comparable](f func(T) T, x T) T {
	if f == nil {
		return x
	}
	return f(x)
}

func (r *Refs) addr(in VID, a netip.Addr) netip.Addr {
	if r.Addr == nil || !a.IsValid() {
		return a
	}
	return r.Addr(in, a)
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
	out.Cables = mapped(o.Cables, func(c Cable) Cable { return Cable{r.port(c.A), r.port(c.B)} })
	out.Plugs = mapped(o.Plugs, func(p Plug) Plug {
		p.Port, p.At, p.Wants = r.port(p.Port), r.addr(p.Wants, p.At), ref(r.VID, p.Wants)
		return p
	})
	return &out
}

func mapped[T any](list []T, f func(T) T) []T {
	out := make([]T, len(list))
	for i, x := range list {
		out[i] = f(x)
	}
	return out
}

func (r *Refs) port(p PortRef) PortRef {
	p = ref(r.Port, p)
	p.Device = ref(r.Device, p.Device)
	return p
}

// on is the port of a device that something of it is on, "" for none.
func (r *Refs) on(d *Device, port string) string {
	if port == "" {
		return ""
	}
	return ref(r.Port, PortRef{d.Name, port}).Port
}

func (r *Refs) vlan(v *VLAN) *VLAN {
	next := *v
	next.VID = ref(r.VID, v.VID)
	if r.Subnet != nil {
		next.Nets = mapped(v.Nets, func(p netip.Prefix) netip.Prefix { return r.Subnet(v.VID, p) })
	}
	if next.VID == v.VID && slices.Equal(next.Nets, v.Nets) {
		return v
	}
	return &next
}

func (r *Refs) use(u *Use) *Use {
	next := &Use{Name: ref(r.Use, u.Name), Shape: r.shape(u.Shape)}
	if next.Name == u.Name && next.Shape.Equal(u.Shape) {
		return u
	}
	return next
}

func (r *Refs) plan(p *Plan) *Plan {
	next := &Plan{Name: ref(r.Plan, p.Name), Lines: slices.Clone(p.Lines)}
	same := next.Name == p.Name
	for i := range next.Lines {
		next.Lines[i].Shape = r.shape(p.Lines[i].Shape)
		same = same && next.Lines[i].Shape.Equal(p.Lines[i].Shape)
	}
	if same {
		return p
	}
	return next
}

func (r *Refs) shape(s Shape) Shape {
	s.Use = ref(r.Use, s.Use)
	if r.VID == nil || len(s.Untagged)+len(s.Tagged)+len(s.Rides) == 0 && s.PVID == 0 {
		return s
	}
	s.Untagged, s.Tagged, s.PVID = mapped(s.Untagged, r.VID), mapped(s.Tagged, r.VID), r.VID(s.PVID)
	s.Rides = mapped(s.Rides, func(x Ride) Ride { return Ride{VLAN: r.VID(x.VLAN), Wire: x.Wire} })
	return s.Normal()
}

func (r *Refs) sides(sides []Side) []Side {
	return mapped(sides, func(s Side) Side {
		if s.Kind == SideVLAN {
			s.VID = ref(r.VID, s.VID)
		}
		s.Net = ref(r.Net, s.Net)
		return s
	})
}

func (r *Refs) wish(w *Wish) *Wish {
	next := *w
	next.From, next.To = r.sides(w.From), r.sides(w.To)
	if slices.Equal(next.From, w.From) && slices.Equal(next.To, w.To) {
		return w
	}
	return &next
}

// device is a device with its references given anew, itself where it has none.
func (r *Refs) device(d *Device) *Device {
	next := d.Clone()
	next.Name, next.Follows = ref(r.Device, d.Name), ref(r.Plan, d.Follows)
	same := next.Name == d.Name && next.Follows == d.Follows
	for i := range next.Ports {
		x := &next.Ports[i]
		if x.Shape == nil {
			continue
		}
		if s := r.shape(*x.Shape); !s.Equal(*x.Shape) {
			x.Shape, same = &s, false
		}
	}
	for i := range next.Addresses {
		a := &next.Addresses[i]
		if a.Prefix.IsValid() {
			a.Prefix = netip.PrefixFrom(r.addr(a.VID, a.Prefix.Addr()), a.Prefix.Bits())
		}
		a.On = r.on(d, a.On)
		a.From, a.To, a.VID = r.addr(a.VID, a.From), r.addr(a.VID, a.To), ref(r.VID, a.VID)
		same = same && a.Equal(&d.Addresses[i])
	}
	if m := d.Manage; m != nil {
		now := *m
		now.Addr, now.Via, now.VID = r.addr(m.VID, m.Addr), r.addr(m.VID, m.Via), ref(r.VID, m.VID)
		if now != *m {
			next.Manage, same = &now, false
		}
	}
	for i := range next.Outsides {
		next.Outsides[i].VID, next.Outsides[i].On = ref(r.VID, d.Outsides[i].VID), r.on(d, d.Outsides[i].On)
		same = same && next.Outsides[i] == d.Outsides[i]
	}
	for i := range next.Routes {
		x := &next.Routes[i]
		x.To, x.Via = ref(r.Net, x.To), r.addr(0, x.Via)
		same = same && *x == d.Routes[i]
	}
	for i := range next.Rules {
		x := &next.Rules[i]
		x.From, x.To = r.sides(x.From), r.sides(x.To)
		same = same && x.Equal(&d.Rules[i])
	}
	if same {
		return d
	}
	return next.Seal()
}
