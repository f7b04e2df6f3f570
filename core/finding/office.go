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

// addresses is every address of the office with the device that it was given to.
func (c *check) addresses() (all []given) {
	for _, device := range c.net.Office.Devices {
		for _, address := range device.Addresses {
			all = append(all, given{device, address})
		}
	}
	return all
}

// addressOutside: an address, or a management address, is in none of its
// VLAN's subnets, or is not one that a host may have there, or has another
// prefix length: who shares the VLAN does not share the subnet.
//
//	> gate address 170 10.61.171.1/24 on lan1 zone cameras; vlan 170 cameras net 10.61.170.0/24
//	address-outside: The address 10.61.171.1 of gate is outside 10.61.170.0/24, the subnet of
//	    170 cameras.
//	  mend: gate address 170 10.61.170.1/24 on lan1 zone cameras; -gate address 170
//	      10.61.171.1/24
func (c *check) addressOutside(all []given) {
	subnet := c.subnets
	say := func(device *office.Device, vid office.VID, addr netip.Addr, format string, args ...any) {
		c.add(Finding{Code: AddressOutside, VLANs: []office.VID{vid}, ID: about(AddressOutside, device.Name, vid, addr), Devices: []string{device.Name}, Text: fmt.Sprintf(format, args...),
			propose: func() [][]string { return c.moved(device, vid, addr) }})
	}
	for _, given := range all {
		addr, name := given.a.Prefix.Addr(), c.net.Name(given.a.VID)
		if addr.IsLinkLocalUnicast() { // fe80::1 is good in every VLAN
			continue
		}
		in, same := subnet(given.a.VID, addr)
		switch what := notHost(addr, given.a.Prefix); {
		case !in.IsValid() && same != nil:
			say(given.dev, given.a.VID, addr, "The address %s of %s is outside %s, the subnet of %s.", addr, given.dev.Name, same[0], name)
		case what != "":
			say(given.dev, given.a.VID, addr, "The address %s of %s is the %s of %s: no device has it.", addr, given.dev.Name, what, given.a.Prefix.Masked())
		case in.IsValid() && in.Bits() != given.a.Prefix.Bits():
			say(
				given.dev,
				given.a.VID,
				addr,
				"%s has %s in %s, whose subnet is %s: with another prefix length it takes other hosts for neighbours than they do.",
				given.dev.Name,
				given.a.Prefix,
				name,
				in,
			)
		}
	}
	for _, device := range c.net.Office.Devices {
		manage := device.Manage
		if manage == nil || !manage.Addr.IsValid() || manage.Addr.IsLinkLocalUnicast() {
			continue
		}
		in, same := subnet(manage.VID, manage.Addr)
		if !in.IsValid() && same != nil {
			say(device, manage.VID, manage.Addr, "The management address %s of %s is outside %s, the subnet of %s.", manage.Addr, device.Name, same[0], c.net.Name(manage.VID))
		} else if what := notHost(manage.Addr, in); in.IsValid() && what != "" {
			say(device, manage.VID, manage.Addr, "The management address %s of %s is the %s of %s: no device has it.", manage.Addr, device.Name, what, in)
		}
	}
}

// notHost says what an address is that no host of a subnet has: the subnet's
// own, or the broadcast address (IPv4; not in /31 and /32, RFC 3021).
func notHost(addr netip.Addr, in netip.Prefix) string {
	switch {
	case !addr.Is4() || in.Bits() > 30:
	case addr == in.Masked().Addr():
		return "network address"
	case addr == office.LastOf(in):
		return "broadcast address"
	}
	return ""
}

// subnetOverlap: two VLANs have subnets that overlap, by the register or by the
// addresses in them, so that an address does not say which of them it is in.
//
//	> vlan 170 cameras net 10.61.110.128/25
//	subnet-overlap: The subnets 10.61.110.0/24 of 110 reception and 10.61.110.128/25 of 170
//	    cameras overlap: a router cannot tell them apart.
//	unused: 170 cameras is registered, and no port, address or plug is in it.
//	  mend: -vlan 170
//	number-habit: Most VLANs show their number in the subnet; 170 cameras has 10.61.110.128/25.
func (c *check) subnetOverlap(given []given) {
	type net struct {
		v office.VID
		p netip.Prefix
	}
	var all []net
	registered := map[office.VID]bool{}
	for _, vlan := range c.net.Office.VLANs {
		for _, prefix := range vlan.Nets {
			registered[vlan.VID] = true
			all = append(all, net{vlan.VID, prefix})
		}
	}
	for _, one := range given { // where the register says nothing, the addresses do
		x := net{one.a.VID, one.a.Prefix.Masked()}
		if !registered[one.a.VID] && !one.a.Prefix.Addr().IsLinkLocalUnicast() && !slices.Contains(all, x) {
			all = append(all, x)
		}
	}
	slices.SortFunc(all, func(a, b net) int {
		return cmp.Or(a.p.Addr().Compare(b.p.Addr()), cmp.Compare(a.p.Bits(), b.p.Bits()), cmp.Compare(a.v, b.v))
	})
	clash := map[[2]office.VID]*Finding{}
	var order [][2]office.VID
	var open []net // subnets that may still hold what comes
	for _, one := range all {
		open = slices.DeleteFunc(open, func(other net) bool { return !other.p.Overlaps(one.p) })
		for _, other := range open[:min(len(open), mostOverlaps)] {
			if one.v == other.v {
				continue
			}
			k := [2]office.VID{min(one.v, other.v), max(one.v, other.v)}
			if clash[k] == nil {
				order = append(order, k)
				clash[k] = &Finding{Code: SubnetOverlap, VLANs: k[:], ID: about(SubnetOverlap, k[:], one.p, other.p),
					Text: fmt.Sprintf("The subnets %s of %s and %s of %s overlap: a router cannot tell them apart.", other.p, c.net.Name(other.v), one.p, c.net.Name(one.v))}
			}
		}
		open = append(open, one)
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
//
//	> core address 110 10.61.110.254/24
//
// Many branches: two rules that share the pairs of addresses.
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
	for _, given := range all {
		if !given.a.Prefix.Addr().IsLinkLocalUnicast() {
			hs = append(hs, holder{given.dev, given.a.VID, given.a.Prefix.Addr(), given.a.Prefix.Masked(), given.a.From.IsValid(), given.a.Gateway})
		}
		if leads[given.dev] == nil {
			leads[given.dev] = map[office.VID]bool{}
		}
		leads[given.dev][given.a.VID] = true
	}
	for _, device := range c.net.Office.Devices {
		if manage := device.Manage; manage != nil && manage.Addr.IsValid() && !manage.Addr.IsLinkLocalUnicast() {
			hs = append(hs, holder{dev: device, v: manage.VID, addr: manage.Addr})
		}
	}
	plugged := wanted(c.net.Office)
	byAddr, byNet := map[netip.Addr]holder{}, map[string]holder{}
	for _, other := range hs {
		if one, ok := byAddr[other.addr]; ok && one.dev != other.dev {
			what := "whoever answers first is the gateway"
			if !one.net.IsValid() && !other.net.IsValid() {
				what = "whoever answers first is managed"
			} else if !one.net.IsValid() || !other.net.IsValid() {
				what = "one of the two is not reached at it"
			}
			c.add(Finding{Code: GatewayTwice, VLANs: vids(one.v, other.v), ID: about(GatewayTwice, other.addr, one.dev.Name, other.dev.Name), Devices: []string{one.dev.Name, other.dev.Name},
				Text: fmt.Sprintf("%s and %s both have the address %s: %s.", one.dev.Name, other.dev.Name, other.addr, what)})
			continue
		}
		byAddr[other.addr] = other
		if !other.net.IsValid() {
			continue
		}
		key := fmt.Sprint(other.v, other.net)
		if one, ok := byNet[key]; ok && one.dev != other.dev {
			if plugged.Has(other.v) && one.mark == other.mark && (one.mark || one.hand == other.hand) && !maps.Equal(leads[one.dev], leads[other.dev]) {
				c.add(Finding{Code: GatewayTwice, VLANs: []office.VID{other.v}, ID: about(GatewayTwice, other.v, one.dev.Name, other.dev.Name), Devices: []string{one.dev.Name, other.dev.Name},
					Text: fmt.Sprintf(
						"%s has two gateways, %s on %s and %s on %s, which lead to different VLANs: some hosts leave by the one and some by the other.",
						c.net.Name(other.v),
						one.addr,
						one.dev.Name,
						other.addr,
						other.dev.Name,
					)})
			}
			continue
		}
		byNet[key] = other
	}
}

// vids is one VLAN or two, ascending, as a finding lists them.
func vids(a, b office.VID) []office.VID {
	if a == b {
		return []office.VID{a}
	}
	return []office.VID{min(a, b), max(a, b)}
}

// handouts is handout-outside (a hand-out range leaves the address's subnet, so
// that some hosts get an address that reaches nobody) and handout-twice (two
// devices hand out addresses in one VLAN).
//
// Many branches: two rules that share the pairs of ranges.
func (c *check) handouts(all []given) {
	first := map[string]given{}
	for _, given := range all {
		if !given.a.From.IsValid() {
			continue
		}
		prefix := given.a.Prefix.Masked()
		say := func(format string, args ...any) {
			c.add(
				Finding{
					Code:    HandoutOutside,
					VLANs:   []office.VID{given.a.VID},
					ID:      about(HandoutOutside, given.dev.Name, given.a.VID, given.a.From),
					Devices: []string{given.dev.Name},
					Text:    fmt.Sprintf(format, args...),
				},
			)
		}
		holds := func(addr netip.Addr) bool { return given.a.From.Compare(addr) <= 0 && addr.Compare(given.a.To) <= 0 }
		taken, whose := netip.Addr{}, ""
		for _, other := range all {
			if addr := other.a.Prefix.Addr(); other.a.VID == given.a.VID && addr.Is4() == given.a.From.Is4() && holds(addr) {
				taken, whose = addr, other.dev.Name
			}
		}
		for _, device := range c.net.Office.Devices {
			if manage := device.Manage; manage != nil && manage.Addr.IsValid() && manage.Addr.Is4() == given.a.From.Is4() && holds(manage.Addr) && whose == "" {
				taken, whose = manage.Addr, device.Name
			}
		}
		switch what := func() string {
			if word := notHost(given.a.From, prefix); word != "" {
				return word
			}
			return notHost(given.a.To, prefix)
		}(); {
		case !prefix.Contains(given.a.From) || !prefix.Contains(given.a.To):
			say("%s hands out %s to %s in %s, which leaves the subnet %s.", given.dev.Name, given.a.From, given.a.To, c.net.Name(given.a.VID), prefix)
		case whose == given.dev.Name:
			say("%s hands out its own address %s in %s: the range %s to %s holds it.", given.dev.Name, taken, c.net.Name(given.a.VID), given.a.From, given.a.To)
		case whose != "":
			say("%s hands out %s in %s, which is the address of %s: the range %s to %s holds it.", given.dev.Name, taken, c.net.Name(given.a.VID), whose, given.a.From, given.a.To)
		case what != "":
			say("%s hands out the %s of %s in %s: the range %s to %s holds it.", given.dev.Name, what, prefix, c.net.Name(given.a.VID), given.a.From, given.a.To)
		}
		key := fmt.Sprint(given.a.VID, given.a.From.Is4())
		if other, ok := first[key]; ok {
			c.add(
				Finding{
					Code:    HandoutTwice,
					VLANs:   []office.VID{given.a.VID},
					ID:      about(HandoutTwice, given.a.VID, other.dev.Name, given.dev.Name, given.a.From),
					Devices: []string{other.dev.Name, given.dev.Name},
					Text:    fmt.Sprintf("Addresses of %s are handed out twice, by %s and by %s: a host gets the one or the other.", c.net.Name(given.a.VID), other.dev.Name, given.dev.Name),
				},
			)
			continue
		}
		first[key] = given
	}
}

// numberHabit: most VLANs show their VID in the subnet, and this one does not.
//
//	> vlan 170 cameras net 10.61.7.0/24
//	unused: 170 cameras is registered, and no port, address or plug is in it.
//	  mend: -vlan 170
//	number-habit: Most VLANs show their number in the subnet; 170 cameras has 10.61.7.0/24.
func (c *check) numberHabit() {
	var odd []*office.VLAN
	with := 0
	for _, vlan := range c.net.Office.VLANs {
		if len(vlan.Nets) == 0 || vlan.VID == office.DefaultVID {
			continue
		}
		with++
		if !slices.ContainsFunc(vlan.Nets, func(prefix netip.Prefix) bool { return showsOwn(prefix, vlan.VID) }) {
			odd = append(odd, vlan)
		}
	}
	if with < 3 || 2*(with-len(odd)) <= with {
		return
	}
	for _, vlan := range odd {
		c.add(Finding{Code: NumberHabit, VLANs: []office.VID{vlan.VID}, ID: about(NumberHabit, vlan.VID),
			Text: fmt.Sprintf("Most VLANs show their number in the subnet; %s has %s.", c.net.Name(vlan.VID), vlan.Nets[0])})
	}
}

// showsOwn is [ShowsVID] without the numbers that every subnet of private addresses begins
// with (RFC 1918): 10.0.1.0/24 does not show VLAN 10.
func showsOwn(prefix netip.Prefix, vid office.VID) bool {
	parts := Shown(prefix, vid)
	if prefix.Addr().Is4() && prefix.Addr().IsPrivate() {
		all := 1
		if prefix.Addr().As4()[0] == 192 {
			all = 2
		}
		parts = parts[min(all, len(parts)):]
	}
	return slices.Contains(parts, true)
}

// ShowsVID says whether a subnet has the VID in one of its numbers, or in two
// neighbouring ones read together (10.4.12.0/24 for 412).
func ShowsVID(prefix netip.Prefix, vid office.VID) bool {
	return slices.Contains(Shown(prefix, vid), true)
}

// Shown says of each part of a subnet's address (of four in IPv4, of eight in
// IPv6, as far as the prefix covers them) whether it is the VID, alone or read
// together with the part before it.
func Shown(prefix netip.Prefix, vid office.VID) []bool {
	want := strconv.Itoa(int(vid))
	parts := Parts(prefix)
	out := make([]bool, len(parts))
	for i, x := range parts {
		out[i] = x == want || i > 0 && x != "0" && strings.TrimLeft(parts[i-1]+x, "0") == want
	}
	return out
}

// Parts is the numbers of a subnet's address as they are written, as far as the
// prefix covers them.
func Parts(prefix netip.Prefix) []string {
	if prefix.Addr().Is4() {
		return strings.Split(prefix.Addr().String(), ".")[:(prefix.Bits()+7)/8]
	}
	parts := strings.Split(prefix.Addr().StringExpanded(), ":")[:(prefix.Bits()+15)/16]
	for i := range parts {
		if parts[i] = strings.TrimLeft(parts[i], "0"); parts[i] == "" {
			parts[i] = "0"
		}
	}
	return parts
}

// management finds who cannot reach what he manages, and who can that should
// not.
//
//	> core manage 190 10.61.110.2/24
//	address-outside: The management address 10.61.110.2 of core is outside 10.61.190.0/24, the
//	    subnet of 190 devices.
//	  mend: core manage 190 10.61.190.2/24
func (c *check) management() {
	c.managementCut()
	c.managementShared()
}

// managementCut: from the operator's plug no way, by span or through addresses,
// to a device's management address.
//
//	> core 7: 110 [140 160]
//	untagged-mismatch: Untagged frames leave core 7 as 110 reception and join 190 devices at
//	    floor 8.
//	  mend: core 7: 190 [110 140 160]
//	split: 190 devices is in 2 parts: floor is cut off from gate. The cause is the cable core 7
//	    to floor 8.
//	merged: 110 reception and 190 devices are one: what is sent in the one arrives in the
//	    other. They meet on the cable core 7 to floor 8.
//	management-cut: From admin laptop at core 5 there is no way to the management of floor in
//	    190 devices.
//	way-back: What goes from 110 reception to the outside arrives, and its answer does not:
//	    gate sends it into 110 reception, and who it is for is not in the same part of it
//	    (there over gate and back over gate).
//
// Many branches: what stands in the way is a rule, a cut or a missing gateway, and each
// names its cause.
func (c *check) managementCut() {
	net := c.net
	for _, plug := range net.Office.Plugs {
		if !plug.Operator {
			continue
		}
		here, management := reach.Plug(net, &plug), talk.ManagementIn(net)
		for dev, device := range net.Office.Devices {
			if device.Manage == nil {
				continue
			}
			var stop *talk.Stop
			if here != nil {
				if stop = management.Stops(plug.Wants, here, plug.At, dev); stop == nil {
					continue
				}
			}
			if stop != nil && stop.Unanswered {
				if why := management.Alone(dev); why != "" {
					c.managementAlone(&plug, device, why)
					continue
				}
			}
			finding := Finding{
				Code:    ManagementCut,
				VLANs:   []office.VID{device.Manage.VID},
				Ports:   []office.PortRef{plug.Port},
				ID:      about(ManagementCut, device.Name),
				Devices: []string{device.Name},
			}
			finding.Text = fmt.Sprintf("From %s at %s there is no way to the management of %s in %s.", plug.Name, portName(plug.Port), device.Name, net.Name(device.Manage.VID))
			if stop != nil && (stop.Reason == talk.ByRule || stop.Reason == talk.NoState || stop.Reason == talk.NoRoute || stop.Reason == talk.Loop || stop.Reason == talk.Left) {
				finding.Text = strings.TrimSuffix(finding.Text, ".") + ": " + stop.Text + "."
			}
			switch vlan := net.VLAN(device.Manage.VID); {
			case here == nil:
				finding.Cause = about(PlugUnserved, plug.Port, plug.Name)
				finding.Text = fmt.Sprintf("%s does not get into %s, so there is no way to the management of %s.", plug.Name, net.Name(plug.Wants), device.Name)
			case vlan != nil && vlan.State == span.Split:
				finding.Cause = about(Split, device.Manage.VID)
			case vlan != nil:
				finding.Cause = c.oneWayIn(vlan)
			}
			if finding.Cause == "" {
				if vlan := net.VLAN(plug.Wants); vlan != nil {
					finding.Cause = c.oneWayIn(vlan)
				}
			}
			c.add(finding)
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
		Text:    fmt.Sprintf("%s at %s asks the management of %s in %s, and no answer comes: %s.", plug.Name, portName(plug.Port), device.Name, c.net.Name(device.Manage.VID), why),
		Mends:   [][]string{{device.Name + " " + notation.ManageText(&told)}},
	})
}

// noOutside: a device routes and has a port for a line to the outside, by its name, and
// nothing leads out of the device.
//
//	> -gate outside fibre
//	no-outside: gate routes and has the port wan, and nothing leads out: no line to the outside
//	    and no default route. Say what is there, as in gate outside fibre on wan.
//	  mend: gate outside line on "wan"
//	rule-unused: No packet can meet rule 1 of gate, allow zone staff,zone guests to outside:
//	    gate has no line to the outside.
//	  mend: -gate rule 1
func (c *check) noOutside() {
	for _, device := range c.net.Office.Devices {
		if !device.Routing() || len(device.Outsides) > 0 || slices.ContainsFunc(device.Routes, func(route office.Route) bool { return route.To.Bits() == 0 }) {
			continue
		}
		for port := range device.Ports {
			one := &device.Ports[port]
			if one.Kind != office.Physical || !office.NamedOutside(one.Name) || one.Shape != nil && !one.Shape.Equal(office.Shape{}) {
				continue
			}
			ref := office.PortRef{Device: device.Name, Port: one.Name}
			c.add(Finding{
				Code: NoOutside, Ports: []office.PortRef{ref}, Devices: []string{device.Name}, ID: about(NoOutside, device.Name),
				Text:  fmt.Sprintf("%s routes and has the port %s, and nothing leads out: no line to the outside and no default route. Say what is there, as in %s outside fibre on %s.", device.Name, one.Name, device.Name, one.Name),
				Mends: [][]string{{fmt.Sprintf("%s outside line on %s", device.Name, office.Quote(one.Name))}},
			})
			break
		}
	}
}

// oneWayIn is the ID of the finding on a cable that a VLAN passes in one
// direction only, "" where there is none.
func (c *check) oneWayIn(vlan *span.VLAN) string {
	one := check{net: c.net}
	one.oneWay(vlan)
	if len(one.faults) == 0 {
		for _, part := range vlan.Spans {
			for _, way := range c.net.OneWays(part) {
				if link := &c.net.Topo.Links[way.Link]; func() bool { _, _, _, ok := c.net.Mismatch(way.Link); return ok }() {
					return about(UntaggedMismatch, c.net.Ref(link.A), c.net.Ref(link.B))
				}
			}
		}
		return ""
	}
	return c.faultID(one.faults[0])
}

// managementShared: a VLAN that devices are managed in also has ordinary plugs.
//
//	> floor manage 160
//	management-shared: Devices are managed in 160 guests, where tablet can reach them too.
//	carries-unneeded: The cable core 7 to floor 8 carries 190 devices, which nothing beyond it
//	    needs.
//	  mend: core 7: [needed]; floor 8: [needed]
func (c *check) managementShared() {
	managed := office.Set{}
	for _, device := range c.net.Office.Devices {
		if device.Manage != nil {
			managed.Add(device.Manage.VID)
		}
	}
	by := map[office.VID]*Finding{}
	var names = map[office.VID][]string{}
	for _, plug := range c.net.Office.Plugs {
		if plug.Operator || !managed.Has(plug.Wants) {
			continue
		}
		finding := by[plug.Wants]
		if finding == nil {
			finding = &Finding{Code: ManagementShared, VLANs: []office.VID{plug.Wants}, ID: about(ManagementShared, plug.Wants)}
			by[plug.Wants] = finding
		}
		finding.Ports = append(finding.Ports, plug.Port)
		names[plug.Wants] = append(names[plug.Wants], plug.Name)
	}
	for vid, finding := range by {
		finding.Text = fmt.Sprintf("Devices are managed in %s, where %s can reach them too.", c.net.Name(vid), some(names[vid], 3))
		c.add(*finding)
	}
}
