package found

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/talk"
)

// Part is something of a device's routing that can be read by itself.
type Part string

const (
	PartAddresses Part = "addresses"
	PartRoutes    Part = "routes"
	PartRules     Part = "rules"
	PartHandouts  Part = "handouts"
	PartAdmits    Part = "admits" // what it answers itself
)

// Routing is what a device that routes was found to have for that. What is as planned is said
// as it is planned.
type Routing struct {
	How       string           `json:"how"` // "read by ssh at …", "typed in", "by an order"
	At        string           `json:"at"`  // when (RFC 3339)
	Tells     []Part           `json:"tells"`
	Addresses []office.Address `json:"addresses,omitempty"`
	Outsides  []office.Outside `json:"outsides,omitempty"`
	Routes    []office.Route   `json:"routes,omitempty"`
	Rules     []office.Rule    `json:"rules,omitempty"`
	Between   office.Action    `json:"between,omitempty"`
	Within    office.Action    `json:"within,omitempty"`
	State     office.State     `json:"state,omitempty"`
	NoRouting bool             `json:"no_routing,omitempty"`
	Stateless bool             `json:"stateless,omitempty"` // it stops answers that it should let pass, as it remembers nothing
	Unsaid    []string         `json:"unsaid,omitempty"`    // what was found and cannot be said
}

// RoutingOf is what is planned, as if all of it had been found.
func RoutingOf(d *office.Device) *Routing {
	return &Routing{
		Tells: []Part{PartAddresses, PartRoutes, PartRules, PartHandouts, PartAdmits}, Addresses: slices.Clone(d.Addresses), Outsides: slices.Clone(d.Outsides), Routes: slices.Clone(d.Routes),
		Rules: slices.Clone(d.Rules), Between: d.Between, Within: d.Within, State: d.State, NoRouting: d.NoRouting,
	}
}

// Same says whether two findings of a device's routing say the same, whoever found it.
func (r *Routing) Same(s *Routing) bool {
	if r == nil || s == nil {
		return r == s
	}
	return slices.Equal(r.Tells, s.Tells) && office.SameAddresses(r.Addresses, s.Addresses) && slices.Equal(r.Outsides, s.Outsides) && slices.Equal(r.Routes, s.Routes) &&
		office.SameRules(r.Rules, s.Rules) && r.Between == s.Between && r.Within == s.Within && r.State == s.State && r.NoRouting == s.NoRouting && r.Stateless == s.Stateless && slices.Equal(r.Unsaid, s.Unsaid)
}

// Lines is what was found as statements of the device: what was not told is not among them.
func (r *Routing) Lines(d *office.Device) (out []string) {
	if r == nil {
		return nil
	}
	is := r.On(d)
	if r.Told(PartAddresses) {
		for _, a := range is.Addresses {
			out = append(out, notation.AddressText(a))
		}
	}
	if r.Told(PartRoutes) {
		for _, x := range is.Routes {
			out = append(out, "route "+x.String())
		}
		if is.NoRouting {
			out = append(out, "routing off")
		}
	}
	if r.Told(PartRules) {
		for i := range is.Rules {
			out = append(out, is.Rules[i].String())
		}
		out = append(out, fmt.Sprintf("between zones %s", is.BetweenZones()), fmt.Sprintf("within zones %s", is.WithinZones()))
	}
	return out
}

// Told says whether a part was found.
func (r *Routing) Told(p Part) bool { return r != nil && slices.Contains(r.Tells, p) }

// On is a device as its routing was found: what was not told is as planned, and so are zones
// and which address is the gateway, which a device does not know.
func (r *Routing) On(d *office.Device) *office.Device {
	x := d.Clone()
	if r == nil {
		return x
	}
	if r.Told(PartAddresses) {
		x.Addresses = nil
		for _, a := range r.Addresses {
			plan := planned(d, a)
			a.Zone, a.Gateway = d.ZoneOf(a.VID), plan != nil && plan.Gateway
			if a.On == "" || d.Port(a.On) < 0 {
				a.On = ""
				if plan != nil {
					a.On = plan.On
				}
			}
			if !r.Told(PartHandouts) {
				a.From, a.To = netip.Addr{}, netip.Addr{}
				if plan != nil {
					a.From, a.To = plan.From, plan.To
				}
			}
			if !r.Told(PartAdmits) {
				a.Admits = nil
				if plan != nil {
					a.Admits = plan.Admits
				}
			}
			x.Addresses = append(x.Addresses, a)
		}
		if len(r.Outsides) == len(d.Outsides) {
			x.Outsides = slices.Clone(r.Outsides)
		}
	}
	if r.Told(PartRoutes) {
		x.Routes, x.NoRouting = slices.Clone(r.Routes), r.NoRouting
	}
	if r.Told(PartRules) {
		x.Rules, x.Between, x.Within, x.State = slices.Clone(r.Rules), r.Between, r.Within, r.State
	}
	if r.Told(PartAddresses) {
		x.Rules = there(x)
	}
	return x
}

// there is a device's rules without the zones that none of its addresses is in any more: no
// packet can meet them.
func there(d *office.Device) (out []office.Rule) {
	some := func(sides []office.Side) []office.Side {
		return slices.DeleteFunc(slices.Clone(sides), func(s office.Side) bool { return s.Kind == office.SideZone && !d.HasZone(s.Zone) })
	}
	for _, r := range d.Rules {
		if r.From, r.To = some(r.From), some(r.To); len(r.From) > 0 && len(r.To) > 0 {
			out = append(out, r)
		}
	}
	return out
}

// planned is the address that a device should have there; nil for none.
func planned(d *office.Device, a office.Address) *office.Address {
	for i := range d.Addresses {
		if b := &d.Addresses[i]; b.VID == a.VID && b.Prefix == a.Prefix {
			return b
		}
	}
	return nil
}

// Mismatch is something of a device's routing that was found otherwise than it should be.
type Mismatch struct {
	Is     string // "gate lets tcp/80 pass from guests to staff"
	Should string // "should not"
}

func (m Mismatch) String() string { return m.Is + ", and " + m.Should }

// Differs is what of a device's routing was found otherwise than planned, in words.
func (r *Routing) Differs(o *office.Office, d *office.Device) (out []string) {
	for _, m := range r.Against(o, d) {
		out = append(out, m.String())
	}
	return out
}

// Against is what of a device's routing was found otherwise than a device has it.
func (r *Routing) Against(o *office.Office, d *office.Device) (out []Mismatch) {
	if r == nil {
		return nil
	}
	is := r.On(d)
	say := func(should, format string, args ...any) {
		out = append(out, Mismatch{d.Name + " " + fmt.Sprintf(format, args...), should})
	}
	name := func(v office.VID) string {
		if x := o.VLAN(v); x != nil {
			return x.Name
		}
		return fmt.Sprintf("VLAN %d", v)
	}
	if r.Told(PartAddresses) {
		for _, a := range d.Addresses {
			if b := planned(is, a); b == nil {
				say("should have", "has no address %s in %s", a.Prefix, name(a.VID))
			} else {
				handouts(say, a, *b, name(a.VID))
			}
		}
		for _, a := range is.Addresses {
			if planned(d, a) == nil {
				say("should not", "has the address %s in %s", a.Prefix, name(a.VID))
			}
		}
		for i, l := range is.Outsides {
			if i < len(d.Outsides) && l != d.Outsides[i] {
				say("should have "+notation.OutsideText(d.Outsides[i]), "has %s", notation.OutsideText(l))
			}
		}
	}
	if r.Told(PartRoutes) {
		for _, x := range d.Routes {
			if !slices.Contains(is.Routes, x) {
				say("should have", "has no route %s", x)
			}
		}
		for _, x := range is.Routes {
			if !slices.Contains(d.Routes, x) {
				say("should not", "has the route %s", x)
			}
		}
		switch {
		case is.NoRouting && !d.NoRouting:
			say("should", "does not route (forwarding is off)")
		case !is.NoRouting && d.NoRouting:
			say("should not", "routes (forwarding is on)")
		}
	}
	if r.Told(PartRules) {
		a, b := talk.BorderOf(o, d), talk.BorderOf(o, is)
		gaps, ok := Gaps(is, slices.Concat(a.Names(), b.Names()), a.Lets, b.Lets)
		out = append(out, Mismatches(o, d, gaps)...)
		if !ok {
			say("cannot be held against the plan", "has too many addresses in its rules")
		}
		if r.Stateless {
			say("should: it stops answers", "keeps no state")
		}
	}
	return out
}

// handouts says what an address hands out and answers otherwise than it should.
func handouts(say func(should, format string, args ...any), plan, is office.Address, vlan string) {
	text := func(a office.Address) string {
		if !a.From.IsValid() {
			return "no addresses"
		}
		return fmt.Sprintf("%s-%s", a.From, a.To)
	}
	if plan.From != is.From || plan.To != is.To {
		say("should hand out "+text(plan), "hands out %s in %s", text(is), vlan)
	}
	admits := func(a office.Address) string {
		if a.Admits == nil {
			return "everything"
		}
		return office.Services(a.Admits)
	}
	if admits(plan) != admits(is) {
		say("should answer "+admits(plan), "answers %s at %s", admits(is), plan.Prefix.Addr())
	}
}

// Routed is an office with what was found of its devices' routing. What an office cannot have
// is left as planned, and said.
func Routed(o *office.Office, found map[string]*Routing) (*office.Office, []string) {
	var wrong []string
	for _, d := range o.Devices {
		r := found[d.Name]
		if r == nil {
			continue
		}
		draft := office.NewDraft(o)
		if err := draft.PutDevice(r.On(d).Seal()); err != nil {
			wrong = append(wrong, fmt.Sprintf("what was found of %s's routing is left out: %s", d.Name, err))
			continue
		}
		o, _ = draft.Done()
	}
	return o, wrong
}
