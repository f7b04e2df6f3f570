package finding

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
)

// addressing finds where the addresses of an office contradict each other.
func (c *check) addressing() {
	all := c.addresses()
	c.addressOutside(all)
	c.subnetOverlap(all)
	c.gatewayTwice(all)
	c.handouts(all)
	c.numberHabit()
}

// given is an address with the device that has it.
type given struct {
	dev *office.Device
	a   office.Address
}

func (c *check) addresses() (all []given) {
	for _, d := range c.n.Office.Devices {
		for _, a := range d.Addresses {
			all = append(all, given{d, a})
		}
	}
	return all
}

// addressOutside: an address, or a management address, is in none of its
// VLAN's subnets, or is not one that a host may have there, or has another
// prefix length: who shares the VLAN does not share the subnet.
func (c *check) addressOutside(all []given) {
	subnet := c.subnets
	say := func(d *office.Device, v office.VID, a netip.Addr, format string, args ...any) {
		c.add(Finding{Code: AddressOutside, VLANs: []office.VID{v}, ID: about(AddressOutside, d.Name, v, a), Devices: []string{d.Name}, Text: fmt.Sprintf(format, args...)})
	}
	for _, g := range all {
		addr, name := g.a.Prefix.Addr(), c.n.Name(g.a.VID)
		if addr.IsLinkLocalUnicast() { // fe80::1 is good in every VLAN
			continue
		}
		in, same := subnet(g.a.VID, addr)
		switch what := notHost(addr, g.a.Prefix); {
		case !in.IsValid() && same != nil:
			say(g.dev, g.a.VID, addr, "The address %s of %s is outside %s, the subnet of %s.", addr, g.dev.Name, same[0], name)
		case what != "":
			say(g.dev, g.a.VID, addr, "The address %s of %s is the %s of %s: no device has it.", addr, g.dev.Name, what, g.a.Prefix.Masked())
		case in.IsValid() && in.Bits() != g.a.Prefix.Bits():
			say(
				g.dev,
				g.a.VID,
				addr,
				"%s has %s in %s, whose subnet is %s: with another prefix length it takes other hosts for neighbours than they do.",
				g.dev.Name,
				g.a.Prefix,
				name,
				in,
			)
		}
	}
	for _, device := range c.n.Office.Devices {
		manage := device.Manage
		if manage == nil || !manage.Addr.IsValid() || manage.Addr.IsLinkLocalUnicast() {
			continue
		}
		in, same := subnet(manage.VID, manage.Addr)
		if !in.IsValid() && same != nil {
			say(device, manage.VID, manage.Addr, "The management address %s of %s is outside %s, the subnet of %s.", manage.Addr, device.Name, same[0], c.n.Name(manage.VID))
		} else if what := notHost(manage.Addr, in); in.IsValid() && what != "" {
			say(device, manage.VID, manage.Addr, "The management address %s of %s is the %s of %s: no device has it.", manage.Addr, device.Name, what, in)
		}
	}
}

// notHost says what an address is that no host of a subnet has: the subnet's
// own, or the broadcast address (IPv4; not in /31 and /32, RFC 3021).
func notHost(a netip.Addr, in netip.Prefix) string {
	switch {
	case !a.Is4() || in.Bits() > 30:
	case a == in.Masked().Addr():
		return "network address"
	case a == office.LastOf(in):
		return "broadcast address"
	}
	return ""
}

// subnetOverlap: two VLANs have subnets that overlap, by the register or by the
// addresses in them, so that an address does not say which of them it is in.
func (c *check) subnetOverlap(given []given) {
	type net struct {
		v office.VID
		p netip.Prefix
	}
	var all []net
	registered := map[office.VID]bool{}
	for _, v := range c.n.Office.VLANs {
		for _, p := range v.Nets {
			registered[v.VID] = true
			all = append(all, net{v.VID, p})
		}
	}
	for _, g := range given { // where the register says nothing, the addresses do
		x := net{g.a.VID, g.a.Prefix.Masked()}
		if !registered[g.a.VID] && !g.a.Prefix.Addr().IsLinkLocalUnicast() && !slices.Contains(all, x) {
			all = append(all, x)
		}
	}
	slices.SortFunc(all, func(a, b net) int {
		return cmp.Or(a.p.Addr().Compare(b.p.Addr()), cmp.Compare(a.p.Bits(), b.p.Bits()), cmp.Compare(a.v, b.v))
	})
	clash := map[[2]office.VID]*Finding{}
	var order [][2]office.VID
	var open []net // subnets that may still hold what comes
	for _, x := range all {
		open = slices.DeleteFunc(open, func(y net) bool { return !y.p.Overlaps(x.p) })
		for _, y := range open[:min(len(open), mostOverlaps)] {
			if x.v == y.v {
				continue
			}
			k := [2]office.VID{min(x.v, y.v), max(x.v, y.v)}
			if clash[k] == nil {
				order = append(order, k)
				clash[k] = &Finding{Code: SubnetOverlap, VLANs: k[:], ID: about(SubnetOverlap, k[:], x.p, y.p),
					Text: fmt.Sprintf("The subnets %s of %s and %s of %s overlap: a router cannot tell them apart.", y.p, c.n.Name(y.v), x.p, c.n.Name(x.v))}
			}
		}
		open = append(open, x)
	}
	for _, k := range order {
		c.add(*clash[k])
	}
}

// mostOverlaps bounds the subnets that one is said to overlap with: of a
// hundred VLANs with one subnet, each is told of a few.
const mostOverlaps = 3

// gatewayTwice: one IP address is on two devices; or two devices that lead to
// different VLANs each have an address of a VLAN in the same subnet, plugs are
// there, and nothing (a mark, or a hand-out by one of them) says which of the two is their
// way out.
func (c *check) gatewayTwice(all []given) {
	type holder struct {
		dev  *office.Device
		v    office.VID
		addr netip.Addr
		net  netip.Prefix // not valid for management
		hand bool
		mark bool // it is marked as the gateway
	}
	var hs []holder
	leads := map[*office.Device]map[office.VID]bool{} // the VLANs that a device has addresses in
	for _, g := range all {
		if !g.a.Prefix.Addr().IsLinkLocalUnicast() {
			hs = append(hs, holder{g.dev, g.a.VID, g.a.Prefix.Addr(), g.a.Prefix.Masked(), g.a.From.IsValid(), g.a.Gateway})
		}
		if leads[g.dev] == nil {
			leads[g.dev] = map[office.VID]bool{}
		}
		leads[g.dev][g.a.VID] = true
	}
	for _, d := range c.n.Office.Devices {
		if m := d.Manage; m != nil && m.Addr.IsValid() && !m.Addr.IsLinkLocalUnicast() {
			hs = append(hs, holder{dev: d, v: m.VID, addr: m.Addr})
		}
	}
	plugged := wanted(c.n.Office)
	byAddr, byNet := map[netip.Addr]holder{}, map[string]holder{}
	for _, h := range hs {
		if o, ok := byAddr[h.addr]; ok && o.dev != h.dev {
			what := "whoever answers first is the gateway"
			if !o.net.IsValid() && !h.net.IsValid() {
				what = "whoever answers first is managed"
			} else if !o.net.IsValid() || !h.net.IsValid() {
				what = "one of the two is not reached at it"
			}
			c.add(Finding{Code: GatewayTwice, VLANs: vids(o.v, h.v), ID: about(GatewayTwice, h.addr, o.dev.Name, h.dev.Name), Devices: []string{o.dev.Name, h.dev.Name},
				Text: fmt.Sprintf("%s and %s both have the address %s: %s.", o.dev.Name, h.dev.Name, h.addr, what)})
			continue
		}
		byAddr[h.addr] = h
		if !h.net.IsValid() {
			continue
		}
		k := fmt.Sprint(h.v, h.net)
		if o, ok := byNet[k]; ok && o.dev != h.dev {
			if plugged.Has(h.v) && o.mark == h.mark && (o.mark || o.hand == h.hand) && !maps.Equal(leads[o.dev], leads[h.dev]) {
				c.add(Finding{Code: GatewayTwice, VLANs: []office.VID{h.v}, ID: about(GatewayTwice, h.v, o.dev.Name, h.dev.Name), Devices: []string{o.dev.Name, h.dev.Name},
					Text: fmt.Sprintf(
						"%s has two gateways, %s on %s and %s on %s, which lead to different VLANs: some hosts leave by the one and some by the other.",
						c.n.Name(h.v),
						o.addr,
						o.dev.Name,
						h.addr,
						h.dev.Name,
					)})
			}
			continue
		}
		byNet[k] = h
	}
}

func vids(a, b office.VID) []office.VID {
	if a == b {
		return []office.VID{a}
	}
	return []office.VID{min(a, b), max(a, b)}
}

// handouts is handout-outside (a hand-out range leaves the address's subnet, so
// that some hosts get an address that reaches nobody) and handout-twice (two
// devices hand out addresses in one VLAN).
func (c *check) handouts(all []given) {
	first := map[string]given{}
	for _, g := range all {
		if !g.a.From.IsValid() {
			continue
		}
		n := g.a.Prefix.Masked()
		say := func(format string, args ...any) {
			c.add(
				Finding{
					Code:    HandoutOutside,
					VLANs:   []office.VID{g.a.VID},
					ID:      about(HandoutOutside, g.dev.Name, g.a.VID, g.a.From),
					Devices: []string{g.dev.Name},
					Text:    fmt.Sprintf(format, args...),
				},
			)
		}
		holds := func(a netip.Addr) bool { return g.a.From.Compare(a) <= 0 && a.Compare(g.a.To) <= 0 }
		taken, whose := netip.Addr{}, ""
		for _, h := range all {
			if a := h.a.Prefix.Addr(); h.a.VID == g.a.VID && a.Is4() == g.a.From.Is4() && holds(a) {
				taken, whose = a, h.dev.Name
			}
		}
		for _, d := range c.n.Office.Devices {
			if m := d.Manage; m != nil && m.Addr.IsValid() && m.Addr.Is4() == g.a.From.Is4() && holds(m.Addr) && whose == "" {
				taken, whose = m.Addr, d.Name
			}
		}
		switch what := func() string {
			if w := notHost(g.a.From, n); w != "" {
				return w
			}
			return notHost(g.a.To, n)
		}(); {
		case !n.Contains(g.a.From) || !n.Contains(g.a.To):
			say("%s hands out %s to %s in %s, which leaves the subnet %s.", g.dev.Name, g.a.From, g.a.To, c.n.Name(g.a.VID), n)
		case whose == g.dev.Name:
			say("%s hands out its own address %s in %s: the range %s to %s holds it.", g.dev.Name, taken, c.n.Name(g.a.VID), g.a.From, g.a.To)
		case whose != "":
			say("%s hands out %s in %s, which is the address of %s: the range %s to %s holds it.", g.dev.Name, taken, c.n.Name(g.a.VID), whose, g.a.From, g.a.To)
		case what != "":
			say("%s hands out the %s of %s in %s: the range %s to %s holds it.", g.dev.Name, what, n, c.n.Name(g.a.VID), g.a.From, g.a.To)
		}
		k := fmt.Sprint(g.a.VID, g.a.From.Is4())
		if o, ok := first[k]; ok {
			c.add(
				Finding{
					Code:    HandoutTwice,
					VLANs:   []office.VID{g.a.VID},
					ID:      about(HandoutTwice, g.a.VID, o.dev.Name, g.dev.Name, g.a.From),
					Devices: []string{o.dev.Name, g.dev.Name},
					Text:    fmt.Sprintf("Addresses of %s are handed out twice, by %s and by %s: a host gets the one or the other.", c.n.Name(g.a.VID), o.dev.Name, g.dev.Name),
				},
			)
			continue
		}
		first[k] = g
	}
}

// numberHabit: most VLANs show their VID in the subnet, and this one does not.
func (c *check) numberHabit() {
	var odd []*office.VLAN
	with := 0
	for _, vlan := range c.n.Office.VLANs {
		if len(vlan.Nets) == 0 || vlan.VID == office.DefaultVID {
			continue
		}
		with++
		if !slices.ContainsFunc(vlan.Nets, func(p netip.Prefix) bool { return showsOwn(p, vlan.VID) }) {
			odd = append(odd, vlan)
		}
	}
	if with < 3 || 2*(with-len(odd)) <= with {
		return
	}
	for _, v := range odd {
		c.add(Finding{Code: NumberHabit, VLANs: []office.VID{v.VID}, ID: about(NumberHabit, v.VID),
			Text: fmt.Sprintf("Most VLANs show their number in the subnet; %s has %s.", c.n.Name(v.VID), v.Nets[0])})
	}
}

// showsOwn is [ShowsVID] without the numbers that every subnet of private addresses begins
// with (RFC 1918): 10.0.1.0/24 does not show VLAN 10.
func showsOwn(p netip.Prefix, v office.VID) bool {
	parts := Shown(p, v)
	if p.Addr().Is4() && p.Addr().IsPrivate() {
		all := 1
		if p.Addr().As4()[0] == 192 {
			all = 2
		}
		parts = parts[min(all, len(parts)):]
	}
	return slices.Contains(parts, true)
}

// ShowsVID says whether a subnet has the VID in one of its numbers, or in two
// neighbouring ones read together (10.4.12.0/24 for 412).
func ShowsVID(p netip.Prefix, v office.VID) bool { return slices.Contains(Shown(p, v), true) }

// Shown says of each part of a subnet's address (of four in IPv4, of eight in
// IPv6, as far as the prefix covers them) whether it is the VID, alone or read
// together with the part before it.
func Shown(p netip.Prefix, v office.VID) []bool {
	want := strconv.Itoa(int(v))
	parts := Parts(p)
	out := make([]bool, len(parts))
	for i, x := range parts {
		out[i] = x == want || i > 0 && x != "0" && strings.TrimLeft(parts[i-1]+x, "0") == want
	}
	return out
}

// Parts is the numbers of a subnet's address as they are written, as far as the
// prefix covers them.
func Parts(p netip.Prefix) []string {
	if p.Addr().Is4() {
		return strings.Split(p.Addr().String(), ".")[:(p.Bits()+7)/8]
	}
	parts := strings.Split(p.Addr().StringExpanded(), ":")[:(p.Bits()+15)/16]
	for i := range parts {
		if parts[i] = strings.TrimLeft(parts[i], "0"); parts[i] == "" {
			parts[i] = "0"
		}
	}
	return parts
}

// management finds who cannot reach what he manages, and who can that should
// not.
func (c *check) management() {
	c.managementCut()
	c.managementShared()
}

// managementCut: from the operator's plug no way, by span or through addresses,
// to a device's management address.
func (c *check) managementCut() {
	n := c.n
	for _, plug := range n.Office.Plugs {
		if !plug.Operator {
			continue
		}
		here, management := reach.Plug(n, &plug), talk.ManagementIn(n)
		for k, device := range n.Office.Devices {
			if device.Manage == nil {
				continue
			}
			var stop *talk.Stop
			if here != nil {
				if stop = management.Stops(plug.Wants, here, plug.At, k); stop == nil {
					continue
				}
			}
			if stop != nil && stop.Unanswered {
				if why := management.Alone(k); why != "" {
					c.managementAlone(&plug, device, why)
					continue
				}
			}
			f := Finding{
				Code:    ManagementCut,
				VLANs:   []office.VID{device.Manage.VID},
				Ports:   []office.PortRef{plug.Port},
				ID:      about(ManagementCut, device.Name),
				Devices: []string{device.Name},
			}
			f.Text = fmt.Sprintf("From %s at %s there is no way to the management of %s in %s.", plug.Name, portName(plug.Port), device.Name, n.Name(device.Manage.VID))
			if stop != nil && (stop.Reason == talk.ByRule || stop.Reason == talk.NoState || stop.Reason == talk.NoRoute || stop.Reason == talk.Loop || stop.Reason == talk.Left) {
				f.Text = strings.TrimSuffix(f.Text, ".") + ": " + stop.Text + "."
			}
			switch vlan := n.VLAN(device.Manage.VID); {
			case here == nil:
				f.Cause = about(PlugUnserved, plug.Port, plug.Name)
				f.Text = fmt.Sprintf("%s does not get into %s, so there is no way to the management of %s.", plug.Name, n.Name(plug.Wants), device.Name)
			case vlan != nil && vlan.State == span.Split:
				f.Cause = about(Split, device.Manage.VID)
			case vlan != nil:
				f.Cause = c.oneWayIn(vlan)
			}
			if f.Cause == "" {
				if v := n.VLAN(plug.Wants); v != nil {
					f.Cause = c.oneWayIn(v)
				}
			}
			c.add(f)
		}
	}
}

// managementAlone: the operator's question comes to a device's management in another
// subnet, and no answer leaves it.
func (c *check) managementAlone(plug *office.Plug, device *office.Device, why string) {
	told := *device.Manage
	told.Via, told.Alone = netip.Addr{}, false // its VLAN's gateway
	c.add(Finding{
		Code:    ManagementAlone,
		VLANs:   []office.VID{device.Manage.VID},
		Ports:   []office.PortRef{plug.Port},
		ID:      about(ManagementAlone, device.Name),
		Devices: []string{device.Name},
		Text:    fmt.Sprintf("%s at %s asks the management of %s in %s, and no answer comes: %s.", plug.Name, portName(plug.Port), device.Name, c.n.Name(device.Manage.VID), why),
		Mends:   [][]string{{device.Name + " " + notation.ManageText(&told)}},
	})
}

// noOutside: a device routes and has a port for a line to the outside, by its name, and
// nothing leads out of the device.
func (c *check) noOutside() {
	for _, d := range c.n.Office.Devices {
		if !d.Routing() || len(d.Outsides) > 0 || slices.ContainsFunc(d.Routes, func(r office.Route) bool { return r.To.Bits() == 0 }) {
			continue
		}
		for k := range d.Ports {
			p := &d.Ports[k]
			if p.Kind != office.Physical || !office.NamedOutside(p.Name) || p.Shape != nil && !p.Shape.Equal(office.Shape{}) {
				continue
			}
			ref := office.PortRef{Device: d.Name, Port: p.Name}
			c.add(Finding{
				Code: NoOutside, Ports: []office.PortRef{ref}, Devices: []string{d.Name}, ID: about(NoOutside, d.Name),
				Text:  fmt.Sprintf("%s routes and has the port %s, and nothing leads out: no line to the outside and no default route. Say what is there, as in %s outside fibre on %s.", d.Name, p.Name, d.Name, p.Name),
				Mends: [][]string{{fmt.Sprintf("%s outside line on %s", d.Name, office.Quote(p.Name))}},
			})
			break
		}
	}
}

// oneWayIn is the ID of the finding on a cable that a VLAN passes in one
// direction only, "" where there is none.
func (c *check) oneWayIn(v *span.VLAN) string {
	t := check{n: c.n}
	t.oneWay(v)
	if len(t.faults) == 0 {
		for _, s := range v.Spans {
			for _, w := range c.n.OneWays(s) {
				if k := &c.n.Topo.Links[w.Link]; func() bool { _, _, _, ok := c.n.Mismatch(w.Link); return ok }() {
					return about(UntaggedMismatch, c.n.Ref(k.A), c.n.Ref(k.B))
				}
			}
		}
		return ""
	}
	return c.faultID(t.faults[0])
}

// managementShared: a VLAN that devices are managed in also has ordinary plugs.
func (c *check) managementShared() {
	managed := office.Set{}
	for _, d := range c.n.Office.Devices {
		if d.Manage != nil {
			managed.Add(d.Manage.VID)
		}
	}
	by := map[office.VID]*Finding{}
	var names = map[office.VID][]string{}
	for _, plug := range c.n.Office.Plugs {
		if plug.Operator || !managed.Has(plug.Wants) {
			continue
		}
		f := by[plug.Wants]
		if f == nil {
			f = &Finding{Code: ManagementShared, VLANs: []office.VID{plug.Wants}, ID: about(ManagementShared, plug.Wants)}
			by[plug.Wants] = f
		}
		f.Ports = append(f.Ports, plug.Port)
		names[plug.Wants] = append(names[plug.Wants], plug.Name)
	}
	for v, f := range by {
		f.Text = fmt.Sprintf("Devices are managed in %s, where %s can reach them too.", c.n.Name(v), some(names[v], 3))
		c.add(*f)
	}
}
