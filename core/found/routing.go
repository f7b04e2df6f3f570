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
func RoutingOf(device *office.Device) *Routing {
	return &Routing{
		Tells: []Part{PartAddresses, PartRoutes, PartRules, PartHandouts, PartAdmits}, Addresses: slices.Clone(device.Addresses), Outsides: slices.Clone(device.Outsides), Routes: slices.Clone(device.Routes),
		Rules: slices.Clone(device.Rules), Between: device.Between, Within: device.Within, State: device.State, NoRouting: device.NoRouting,
	}
}

// Same says whether two findings of a device's routing say the same, whoever found it.
func (r *Routing) Same(routing *Routing) bool {
	if r == nil || routing == nil {
		return r == routing
	}
	return slices.Equal(r.Tells, routing.Tells) && office.SameAddresses(r.Addresses, routing.Addresses) && slices.Equal(r.Outsides, routing.Outsides) && slices.Equal(r.Routes, routing.Routes) &&
		office.SameRules(r.Rules, routing.Rules) && r.Between == routing.Between && r.Within == routing.Within && r.State == routing.State && r.NoRouting == routing.NoRouting && r.Stateless == routing.Stateless && slices.Equal(r.Unsaid, routing.Unsaid)
}

// Lines is what was found as statements of the device: what was not told is not among them.
func (r *Routing) Lines(device *office.Device) (out []string) {
	if r == nil {
		return nil
	}
	is := r.On(device)
	if r.Told(PartAddresses) {
		for _, address := range is.Addresses {
			out = append(out, notation.AddressText(address))
		}
	}
	if r.Told(PartRoutes) {
		for _, route := range is.Routes {
			out = append(out, "route "+route.String())
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
func (r *Routing) Told(part Part) bool { return r != nil && slices.Contains(r.Tells, part) }

// On is a device as its routing was found: what was not told is as planned, and so are zones
// and which address is the gateway, which a device does not know.
func (r *Routing) On(device *office.Device) *office.Device {
	other := device.Clone()
	if r == nil {
		return other
	}
	if r.Told(PartAddresses) {
		other.Addresses = nil
		for _, address := range r.Addresses {
			plan := planned(device, address)
			address.Zone, address.Gateway = device.ZoneOf(address.VID), plan != nil && plan.Gateway
			if address.On == "" || device.Port(address.On) < 0 {
				address.On = ""
				if plan != nil {
					address.On = plan.On
				}
			}
			if !r.Told(PartHandouts) {
				address.From, address.To = netip.Addr{}, netip.Addr{}
				if plan != nil {
					address.From, address.To = plan.From, plan.To
				}
			}
			if !r.Told(PartAdmits) {
				address.Admits = nil
				if plan != nil {
					address.Admits = plan.Admits
				}
			}
			other.Addresses = append(other.Addresses, address)
		}
		if len(r.Outsides) == len(device.Outsides) {
			other.Outsides = slices.Clone(r.Outsides)
		}
	}
	if r.Told(PartRoutes) {
		other.Routes, other.NoRouting = slices.Clone(r.Routes), r.NoRouting
	}
	if r.Told(PartRules) {
		other.Rules, other.Between, other.Within, other.State = slices.Clone(r.Rules), r.Between, r.Within, r.State
	}
	if r.Told(PartAddresses) {
		other.Rules = there(other)
	}
	return other
}

// there is a device's rules without the zones that none of its addresses is in any more: no
// packet can meet them.
func there(device *office.Device) (out []office.Rule) {
	some := func(sides []office.Side) []office.Side {
		return slices.DeleteFunc(slices.Clone(sides), func(side office.Side) bool { return side.Kind == office.SideZone && !device.HasZone(side.Zone) })
	}
	for _, rule := range device.Rules {
		if rule.From, rule.To = some(rule.From), some(rule.To); len(rule.From) > 0 && len(rule.To) > 0 {
			out = append(out, rule)
		}
	}
	return out
}

// planned is the address that a device should have there; nil for none.
func planned(device *office.Device, address office.Address) *office.Address {
	for i := range device.Addresses {
		if other := &device.Addresses[i]; other.VID == address.VID && other.Prefix == address.Prefix {
			return other
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
func (r *Routing) Differs(o *office.Office, device *office.Device) (out []string) {
	for _, mismatch := range r.Against(o, device) {
		out = append(out, mismatch.String())
	}
	return out
}

// Against is what of a device's routing was found otherwise than a device has it.
//
// Many branches: one a part of routing, each held in both directions, and each may not
// have been told.
func (r *Routing) Against(o *office.Office, device *office.Device) (out []Mismatch) {
	if r == nil {
		return nil
	}
	is := r.On(device)
	say := func(should, format string, args ...any) {
		out = append(out, Mismatch{device.Name + " " + fmt.Sprintf(format, args...), should})
	}
	name := func(vid office.VID) string {
		if vlan := o.VLAN(vid); vlan != nil {
			return vlan.Name
		}
		return fmt.Sprintf("VLAN %d", vid)
	}
	if r.Told(PartAddresses) {
		for _, address := range device.Addresses {
			if other := planned(is, address); other == nil {
				say("should have", "has no address %s in %s", address.Prefix, name(address.VID))
			} else {
				handouts(say, address, *other, name(address.VID))
			}
		}
		for _, address := range is.Addresses {
			if planned(device, address) == nil {
				say("should not", "has the address %s in %s", address.Prefix, name(address.VID))
			}
		}
		for i, line := range is.Outsides {
			if i < len(device.Outsides) && line != device.Outsides[i] {
				say("should have "+notation.OutsideText(device.Outsides[i]), "has %s", notation.OutsideText(line))
			}
		}
	}
	if r.Told(PartRoutes) {
		for _, route := range device.Routes {
			if !slices.Contains(is.Routes, route) {
				say("should have", "has no route %s", route)
			}
		}
		for _, route := range is.Routes {
			if !slices.Contains(device.Routes, route) {
				say("should not", "has the route %s", route)
			}
		}
		switch {
		case is.NoRouting && !device.NoRouting:
			say("should", "does not route (forwarding is off)")
		case !is.NoRouting && device.NoRouting:
			say("should not", "routes (forwarding is on)")
		}
	}
	if r.Told(PartRules) {
		border, other := talk.BorderOf(o, device), talk.BorderOf(o, is)
		gaps, ok := Gaps(is, slices.Concat(border.Names(), other.Names()), border.Lets, other.Lets)
		out = append(out, Mismatches(o, device, gaps)...)
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
	text := func(address office.Address) string {
		if !address.From.IsValid() {
			return "no addresses"
		}
		return fmt.Sprintf("%s-%s", address.From, address.To)
	}
	if plan.From != is.From || plan.To != is.To {
		say("should hand out "+text(plan), "hands out %s in %s", text(is), vlan)
	}
	admits := func(address office.Address) string {
		if address.Admits == nil {
			return "everything"
		}
		return office.Services(address.Admits)
	}
	if admits(plan) != admits(is) {
		say("should answer "+admits(plan), "answers %s at %s", admits(is), plan.Prefix.Addr())
	}
}

// Routed is an office with what was found of its devices' routing. What an office cannot have
// is left as planned, and said.
func Routed(o *office.Office, found map[string]*Routing) (*office.Office, []string) {
	var wrong []string
	for _, device := range o.Devices {
		routing := found[device.Name]
		if routing == nil {
			continue
		}
		draft := office.NewDraft(o)
		if err := draft.PutDevice(routing.On(device).Seal()); err != nil {
			wrong = append(wrong, fmt.Sprintf("what was found of %s's routing is left out: %s", device.Name, err))
			continue
		}
		o, _ = draft.Done()
	}
	return o, wrong
}
