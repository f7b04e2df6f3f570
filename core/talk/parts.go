package talk

import (
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// Part is addresses that no rule, route and wish tells apart: of one subnet, or
// of the outside.
type Part struct {
	area  *area
	Net   netip.Prefix // of which it is all, but for what is a part of its own
	net   netip.Prefix // the subnet; zero outside
	Addr  netip.Addr   // one of its addresses, which stands for all
	Whole bool         // it is all of its subnet, or of the outside
	own   *stand       // it is this device's own address, and nothing else
	exit  *exit        // it is a management that was told by whom it answers others
	masks []masks      // by device: the rules that its address fits
}

// VID is the VLAN that it is in, 0 outside.
func (p *Part) VID() office.VID { return p.area.vid }

// single says whether it is one address.
func (p *Part) single() bool { return p.Net.IsSingleIP() }

// End is a part where its hosts can be: in a VLAN that is in several pieces, in
// each of them.
type End struct {
	*Part
	places []span.Place
	at     int  // among the ends of a map; -1 for one that was asked for by itself
	gate   bool // the gateway hears them
}

// masks is which rules of a router an address fits, as from and as to.
type masks struct{ from, to []uint64 }

// net is the prefixes of one length that rules name, and which rules.
type net struct {
	bits int
	v4   bool
	of   map[netip.Prefix]masks
}

// name notes the prefixes that the rules of a router name.
func (r *router) name() {
	r.none = masks{r.bits(), r.bits()}
	note := func(sides []office.Side, i int, of func(masks) []uint64) {
		for _, side := range sides {
			if side.Kind != office.SideNet {
				continue
			}
			k := slices.IndexFunc(r.nets, func(net net) bool { return net.bits == side.Net.Bits() && net.v4 == side.Net.Addr().Is4() })
			if k < 0 {
				k = len(r.nets)
				r.nets = append(r.nets, net{side.Net.Bits(), side.Net.Addr().Is4(), map[netip.Prefix]masks{}})
			}
			one, ok := r.nets[k].of[side.Net]
			if !ok {
				one = masks{r.bits(), r.bits()}
				r.nets[k].of[side.Net] = one
			}
			of(one)[i/64] |= 1 << (i % 64)
		}
	}
	for i := range r.rules {
		note(r.rules[i].From, i, func(masks masks) []uint64 { return masks.from })
		note(r.rules[i].To, i, func(masks masks) []uint64 { return masks.to })
	}
}

// maskOf is which rules of a router name an address.
func (r *router) maskOf(addr netip.Addr) masks {
	out, own := r.none, false
	for _, net := range r.nets {
		if net.v4 != addr.Is4() {
			continue
		}
		prefix, _ := addr.Prefix(net.bits)
		one, ok := net.of[prefix]
		if !ok {
			continue
		}
		if !own {
			out, own = masks{slices.Clone(one.from), slices.Clone(one.to)}, true
			continue
		}
		for w := range one.from {
			out.from[w] |= one.from[w]
			out.to[w] |= one.to[w]
		}
	}
	return out
}

// mask makes the rules known that a part's address fits.
//
//	> gate allow 10.61.160.9 to zone staff tcp/80
//	guests gain tcp/80 to reception (only from 10.61.160.9)
func (m *Map) mask(part *Part) {
	part.masks = make([]masks, len(m.routers))
	for i, router := range m.routers {
		if router != nil {
			part.masks[i] = router.maskOf(part.Addr)
		}
	}
}

// names is every prefix that something names.
func (m *Map) names() (all []netip.Prefix) {
	seen := map[netip.Prefix]bool{}
	add := func(prefix netip.Prefix) {
		if prefix.IsValid() && !seen[prefix] {
			seen[prefix] = true
			all = append(all, prefix)
		}
	}
	sides := func(sides []office.Side) {
		for _, side := range sides {
			add(side.Net)
		}
	}
	for _, device := range m.Net.Office.Devices { // those with no address route nothing, and name all the same
		for i := range device.Rules {
			sides(device.Rules[i].From)
			sides(device.Rules[i].To)
		}
		for _, route := range device.Routes {
			add(route.To)
		}
	}
	for _, wish := range slices.Concat(m.Net.Office.Wishes, m.also) {
		sides(wish.From)
		sides(wish.To)
	}
	return all
}

// cut makes the parts of every VLAN and of the outside.
//
// Many branches: VLANs and the outside are cut by the same names, the outside without what
// is inside.
func (m *Map) cut() {
	own := map[netip.Addr]*stand{}
	for _, router := range m.routers {
		if router != nil {
			for _, s := range router.stands {
				if own[s.addr] == nil {
					own[s.addr] = s
				}
			}
		}
	}
	names := m.names()
	var inside []netip.Prefix
	for _, area := range m.vlans {
		for _, prefix := range area.nets {
			inside = append(inside, prefix)
			within := []netip.Prefix{prefix}
			for _, other := range names {
				if other.Bits() > prefix.Bits() && prefix.Overlaps(other) {
					within = append(within, other)
				}
			}
			if area.empty { // nobody is there but routers: each is a part of its own
				for addr, s := range own {
					if s.address.VID == area.vid && prefix.Contains(addr) {
						within = append(within, netip.PrefixFrom(addr, addr.BitLen()))
					}
				}
				slices.SortFunc(within, netip.Prefix.Compare)
				within = slices.Compact(within)
			}
			for _, other := range within {
				if s := own[other.Addr()]; !area.empty || other.IsSingleIP() && s != nil && s.address.VID == area.vid {
					m.part(area, prefix, other, within, own)
				}
			}
		}
	}
	for _, any := range []netip.Prefix{netip.PrefixFrom(netip.IPv4Unspecified(), 0), netip.PrefixFrom(netip.IPv6Unspecified(), 0)} {
		within := []netip.Prefix{any}
		for _, prefix := range names {
			if prefix.Addr().Is4() == any.Addr().Is4() && prefix.Bits() > 0 && !unroutable(prefix) && !slices.ContainsFunc(inside, func(other netip.Prefix) bool { return other.Bits() <= prefix.Bits() && other.Overlaps(prefix) }) {
				within = append(within, prefix)
			}
		}
		holes := append(slices.Clone(within), inside...)
		for _, prefix := range within {
			m.part(m.outside, netip.Prefix{}, prefix, holes, nil)
		}
	}
}

// unroutable are prefixes that nobody outside has: private ones (RFC 1918, RFC
// 4193), link-local, multicast and loopback.
func unroutable(prefix netip.Prefix) bool {
	return slices.ContainsFunc(notOutside, func(other netip.Prefix) bool { return other.Bits() <= prefix.Bits() && other.Overlaps(prefix) })
}

var notOutside = func() (all []netip.Prefix) {
	for _, text := range []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8", "224.0.0.0/3", "fc00::/7", "fe80::/10", "ff00::/8", "::1/128"} {
		all = append(all, netip.MustParsePrefix(text))
	}
	return all
}()

// part adds what is in a prefix and in none that is inside of it.
func (m *Map) part(area *area, subnet, prefix netip.Prefix, within []netip.Prefix, own map[netip.Addr]*stand) {
	var holes []netip.Prefix
	for _, other := range within {
		if other.Bits() > prefix.Bits() && prefix.Overlaps(other) {
			holes = append(holes, other)
		}
	}
	addr, ok := pick(subnet, prefix, holes, own)
	if !ok {
		return
	}
	part := &Part{area: area, Net: prefix, net: subnet, Addr: addr, Whole: len(within) == 1, own: own[addr]}
	m.mask(part)
	area.parts = append(area.parts, part)
	for _, end := range m.endsOf(part) {
		end.at = len(m.ends)
		m.ends = append(m.ends, end)
	}
}

// endsOf is a part wherever its hosts can be.
func (m *Map) endsOf(part *Part) (ends []*End) {
	switch {
	case part.own != nil:
		return []*End{{Part: part, places: part.own.places, at: -1}}
	case part.area == m.outside:
		return []*End{{Part: part, at: -1}}
	}
	for _, at := range part.area.places {
		ends = append(ends, m.end(part, []span.Place{at}))
	}
	if len(ends) == 0 { // nobody is there, and it can be asked for
		ends = append(ends, m.end(part, nil))
	}
	return ends
}

// end is somebody in a part of a VLAN, whoever it is, with the gateway that hears them there.
func (m *Map) end(part *Part, places []span.Place) *End {
	end := &End{Part: part, places: places, at: -1}
	if own := part.gateway(); own != nil {
		end.gate = m.hears(places, own.places)
	}
	return end
}

// gateway is where the hosts of a part send what is for other subnets.
func (p *Part) gateway() *stand {
	if p.exit != nil {
		return p.exit.gate
	}
	return p.area.gates[office.Family(p.Addr)]
}

// pick chooses an address that stands for a part: a host's, where it has any.
func pick(subnet, prefix netip.Prefix, holes []netip.Prefix, own map[netip.Addr]*stand) (netip.Addr, bool) {
	if !subnet.IsValid() && prefix.Bits() == 0 { // the outside at large: addresses that documents use (RFC 5737, RFC 3849)
		for _, text := range []string{"192.0.2.10", "198.51.100.10", "203.0.113.10", "2001:db8::10"} {
			if addr := netip.MustParseAddr(text); prefix.Contains(addr) && !slices.ContainsFunc(holes, func(other netip.Prefix) bool { return other.Contains(addr) }) {
				return addr, true
			}
		}
	}
	for _, choosy := range []bool{true, false} {
		for addr := prefix.Addr(); addr.IsValid() && prefix.Contains(addr); addr = addr.Next() {
			if i := slices.IndexFunc(holes, func(other netip.Prefix) bool { return other.Contains(addr) }); i >= 0 {
				addr = office.LastOf(holes[i])
				continue
			}
			if choosy && (own[addr] != nil || addr == subnet.Addr() && !prefix.IsSingleIP()) {
				continue
			}
			return addr, true
		}
	}
	return netip.Addr{}, false
}

// Usual is the first address from one to another that no rule, route and wish tells apart
// from the others there, and that is nobody's who is to be left out; the first of all
// where there is none.
func (m *Map) Usual(from, to netip.Addr, out func(netip.Addr) bool) netip.Addr {
	var named []netip.Prefix
	for _, prefix := range m.names() {
		if prefix.Contains(from) != prefix.Contains(to) || from.Less(prefix.Addr()) && prefix.Addr().Less(to) {
			named = append(named, prefix)
		}
	}
	for addr := from; addr.IsValid() && !to.Less(addr); addr = addr.Next() {
		if i := slices.IndexFunc(named, func(prefix netip.Prefix) bool { return prefix.Contains(addr) }); i >= 0 {
			addr = office.LastOf(named[i])
		} else if !out(addr) {
			return addr
		}
	}
	return from
}
