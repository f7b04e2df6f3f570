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
		for _, s := range sides {
			if s.Kind != office.SideNet {
				continue
			}
			k := slices.IndexFunc(r.nets, func(n net) bool { return n.bits == s.Net.Bits() && n.v4 == s.Net.Addr().Is4() })
			if k < 0 {
				k = len(r.nets)
				r.nets = append(r.nets, net{s.Net.Bits(), s.Net.Addr().Is4(), map[netip.Prefix]masks{}})
			}
			m, ok := r.nets[k].of[s.Net]
			if !ok {
				m = masks{r.bits(), r.bits()}
				r.nets[k].of[s.Net] = m
			}
			of(m)[i/64] |= 1 << (i % 64)
		}
	}
	for i := range r.rules {
		note(r.rules[i].From, i, func(m masks) []uint64 { return m.from })
		note(r.rules[i].To, i, func(m masks) []uint64 { return m.to })
	}
}

// maskOf is which rules of a router name an address.
func (r *router) maskOf(a netip.Addr) masks {
	out, own := r.none, false
	for _, n := range r.nets {
		if n.v4 != a.Is4() {
			continue
		}
		p, _ := a.Prefix(n.bits)
		m, ok := n.of[p]
		if !ok {
			continue
		}
		if !own {
			out, own = masks{slices.Clone(m.from), slices.Clone(m.to)}, true
			continue
		}
		for w := range m.from {
			out.from[w] |= m.from[w]
			out.to[w] |= m.to[w]
		}
	}
	return out
}

// mask makes the rules known that a part's address fits.
func (m *Map) mask(p *Part) {
	p.masks = make([]masks, len(m.routers))
	for i, r := range m.routers {
		if r != nil {
			p.masks[i] = r.maskOf(p.Addr)
		}
	}
}

// names is every prefix that something names.
func (m *Map) names() (all []netip.Prefix) {
	seen := map[netip.Prefix]bool{}
	add := func(p netip.Prefix) {
		if p.IsValid() && !seen[p] {
			seen[p] = true
			all = append(all, p)
		}
	}
	sides := func(sides []office.Side) {
		for _, s := range sides {
			add(s.Net)
		}
	}
	for _, d := range m.Net.Office.Devices { // those with no address route nothing, and name all the same
		for i := range d.Rules {
			sides(d.Rules[i].From)
			sides(d.Rules[i].To)
		}
		for _, x := range d.Routes {
			add(x.To)
		}
	}
	for _, w := range slices.Concat(m.Net.Office.Wishes, m.also) {
		sides(w.From)
		sides(w.To)
	}
	return all
}

// cut makes the parts of every VLAN and of the outside.
func (m *Map) cut() {
	own := map[netip.Addr]*stand{}
	for _, r := range m.routers {
		if r != nil {
			for _, s := range r.stands {
				if own[s.addr] == nil {
					own[s.addr] = s
				}
			}
		}
	}
	names := m.names()
	var inside []netip.Prefix
	for _, x := range m.vlans {
		for _, n := range x.nets {
			inside = append(inside, n)
			within := []netip.Prefix{n}
			for _, p := range names {
				if p.Bits() > n.Bits() && n.Overlaps(p) {
					within = append(within, p)
				}
			}
			if x.empty { // nobody is there but routers: each is a part of its own
				for a, s := range own {
					if s.a.VID == x.vid && n.Contains(a) {
						within = append(within, netip.PrefixFrom(a, a.BitLen()))
					}
				}
				slices.SortFunc(within, netip.Prefix.Compare)
				within = slices.Compact(within)
			}
			for _, p := range within {
				if s := own[p.Addr()]; !x.empty || p.IsSingleIP() && s != nil && s.a.VID == x.vid {
					m.part(x, n, p, within, own)
				}
			}
		}
	}
	for _, any := range []netip.Prefix{netip.PrefixFrom(netip.IPv4Unspecified(), 0), netip.PrefixFrom(netip.IPv6Unspecified(), 0)} {
		within := []netip.Prefix{any}
		for _, p := range names {
			if p.Addr().Is4() == any.Addr().Is4() && p.Bits() > 0 && !unroutable(p) && !slices.ContainsFunc(inside, func(n netip.Prefix) bool { return n.Bits() <= p.Bits() && n.Overlaps(p) }) {
				within = append(within, p)
			}
		}
		holes := append(slices.Clone(within), inside...)
		for _, p := range within {
			m.part(m.outside, netip.Prefix{}, p, holes, nil)
		}
	}
}

// unroutable are prefixes that nobody outside has: private ones (RFC 1918, RFC
// 4193), link-local, multicast and loopback.
func unroutable(p netip.Prefix) bool {
	return slices.ContainsFunc(notOutside, func(q netip.Prefix) bool { return q.Bits() <= p.Bits() && q.Overlaps(p) })
}

var notOutside = func() (all []netip.Prefix) {
	for _, text := range []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8", "224.0.0.0/3", "fc00::/7", "fe80::/10", "ff00::/8", "::1/128"} {
		all = append(all, netip.MustParsePrefix(text))
	}
	return all
}()

// part adds what is in a prefix and in none that is inside of it.
func (m *Map) part(x *area, subnet, p netip.Prefix, within []netip.Prefix, own map[netip.Addr]*stand) {
	var holes []netip.Prefix
	for _, q := range within {
		if q.Bits() > p.Bits() && p.Overlaps(q) {
			holes = append(holes, q)
		}
	}
	addr, ok := pick(subnet, p, holes, own)
	if !ok {
		return
	}
	part := &Part{area: x, Net: p, net: subnet, Addr: addr, Whole: len(within) == 1, own: own[addr]}
	m.mask(part)
	x.parts = append(x.parts, part)
	for _, e := range m.endsOf(part) {
		e.at = len(m.ends)
		m.ends = append(m.ends, e)
	}
}

// endsOf is a part wherever its hosts can be.
func (m *Map) endsOf(p *Part) (ends []*End) {
	switch {
	case p.own != nil:
		return []*End{{Part: p, places: p.own.places, at: -1}}
	case p.area == m.outside:
		return []*End{{Part: p, at: -1}}
	}
	for _, at := range p.area.places {
		ends = append(ends, m.end(p, []span.Place{at}))
	}
	if len(ends) == 0 { // nobody is there, and it can be asked for
		ends = append(ends, m.end(p, nil))
	}
	return ends
}

func (m *Map) end(p *Part, places []span.Place) *End {
	e := &End{Part: p, places: places, at: -1}
	if g := p.gateway(); g != nil {
		e.gate = m.hears(places, g.places)
	}
	return e
}

// gateway is where the hosts of a part send what is for other subnets.
func (p *Part) gateway() *stand {
	if p.exit != nil {
		return p.exit.gate
	}
	return p.area.gates[office.Family(p.Addr)]
}

// pick chooses an address that stands for a part: a host's, where it has any.
func pick(subnet, p netip.Prefix, holes []netip.Prefix, own map[netip.Addr]*stand) (netip.Addr, bool) {
	if !subnet.IsValid() && p.Bits() == 0 { // the outside at large: addresses that documents use (RFC 5737, RFC 3849)
		for _, text := range []string{"192.0.2.10", "198.51.100.10", "203.0.113.10", "2001:db8::10"} {
			if a := netip.MustParseAddr(text); p.Contains(a) && !slices.ContainsFunc(holes, func(h netip.Prefix) bool { return h.Contains(a) }) {
				return a, true
			}
		}
	}
	for _, choosy := range []bool{true, false} {
		for a := p.Addr(); a.IsValid() && p.Contains(a); a = a.Next() {
			if i := slices.IndexFunc(holes, func(h netip.Prefix) bool { return h.Contains(a) }); i >= 0 {
				a = office.LastOf(holes[i])
				continue
			}
			if choosy && (own[a] != nil || a == subnet.Addr() && !p.IsSingleIP()) {
				continue
			}
			return a, true
		}
	}
	return netip.Addr{}, false
}

// Usual is the first address from one to another that no rule, route and wish tells apart
// from the others there, and that is nobody's who is to be left out; the first of all
// where there is none.
func (m *Map) Usual(from, to netip.Addr, out func(netip.Addr) bool) netip.Addr {
	var named []netip.Prefix
	for _, p := range m.names() {
		if p.Contains(from) != p.Contains(to) || from.Less(p.Addr()) && p.Addr().Less(to) {
			named = append(named, p)
		}
	}
	for a := from; a.IsValid() && !to.Less(a); a = a.Next() {
		if i := slices.IndexFunc(named, func(p netip.Prefix) bool { return p.Contains(a) }); i >= 0 {
			a = office.LastOf(named[i])
		} else if !out(a) {
			return a
		}
	}
	return from
}
