package found

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/talk"
)

// Lets says what passes a device from an address behind one interface to an address behind
// another; a VLAN that is 0 is the outside.
type Lets func(in, out office.VID, src, dst netip.Addr) *talk.Services

// Gap is addresses at two interfaces of a device between which other services pass than
// should, or that are inside of such.
type Gap struct {
	In, Out      office.VID // 0: the outside
	Src, Dst     Place
	Gains, Loses *talk.Services // of what should pass
	Is           *talk.Services // that passes
	inside       bool           // of a wider one: rules for that would be for it, too
}

// Place is addresses behind an interface that no rule tells apart.
type Place struct {
	Net   netip.Prefix // but for what is a place of its own
	Whole bool         // it is a subnet of its VLAN, or all of the outside
	Only  bool         // and nothing else is behind the interface
	addr  netip.Addr   // one that stands for all
}

// mostGaps bounds how many pairs of places are held against each other.
const mostGaps = 400_000

// Gaps is where a device lets other packets pass than it should, by two answers to the same
// question; names is the prefixes that either tells apart. ok is false where that are more than
// can be looked at.
func Gaps(d *office.Device, names []netip.Prefix, should, is Lets) (out []Gap, ok bool) {
	var vids []office.VID
	for _, a := range d.Addresses {
		if !slices.Contains(vids, a.VID) {
			vids = append(vids, a.VID)
		}
	}
	slices.Sort(vids)
	if len(d.Outsides) > 0 {
		vids = append(vids, 0)
	}
	places, asked := map[office.VID][]Place{}, 0
	for _, v := range vids {
		places[v] = placesOf(d, v, names)
	}
	for _, in := range vids {
		for _, to := range vids {
			if in == to {
				continue
			}
			if asked += len(places[in]) * len(places[to]); asked > mostGaps {
				return out, false
			}
			out = append(out, gaps(in, to, places[in], places[to], should, is)...)
		}
	}
	return out, true
}

// gaps is those from one interface to another: the narrowest first, with those that are alike
// and inside of others which are not.
func gaps(in, to office.VID, from, into []Place, should, is Lets) (out []Gap) {
	var all []Gap
	differ := false
	for _, src := range from {
		for _, dst := range into {
			if src.addr.Is4() != dst.addr.Is4() {
				continue
			}
			a, b := should(in, to, src.addr, dst.addr), is(in, to, src.addr, dst.addr)
			g := Gap{In: in, Out: to, Src: src, Dst: dst, Gains: b.Minus(a), Loses: a.Minus(b), Is: b}
			differ = differ || g.Differs()
			all = append(all, g)
		}
	}
	if !differ {
		return nil
	}
	if same := alike(all); same {
		g := all[0]
		g.Src, g.Dst = Place{Whole: true}, Place{Whole: true}
		return []Gap{g}
	}
	slices.SortStableFunc(all, func(a, b Gap) int {
		return cmp.Compare(b.Src.Net.Bits()+b.Dst.Net.Bits(), a.Src.Net.Bits()+a.Dst.Net.Bits())
	})
	for i := range all {
		g := &all[i]
		g.inside = slices.ContainsFunc(all[i+1:], func(w Gap) bool {
			return w.Differs() && holds(w.Src.Net, g.Src.Net) && holds(w.Dst.Net, g.Dst.Net)
		})
		if g.Differs() || g.inside {
			out = append(out, *g)
		}
	}
	return out
}

// alike says whether between all places the same is otherwise.
func alike(all []Gap) bool {
	for i := range all {
		if !all[i].Gains.Equal(all[0].Gains) || !all[i].Loses.Equal(all[0].Loses) {
			return false
		}
	}
	return true
}

// Differs says whether anything is otherwise there.
func (g *Gap) Differs() bool { return g.Gains != talk.None || g.Loses != talk.None }

func holds(p, q netip.Prefix) bool { return p.Bits() <= q.Bits() && p.Overlaps(q) }

// placesOf is the addresses behind an interface, cut by what rules name: its subnets, and what
// is reached over it.
func placesOf(d *office.Device, v office.VID, names []netip.Prefix) (out []Place) {
	var nets, inside []netip.Prefix
	own := map[netip.Addr]bool{}
	for _, a := range d.Addresses {
		own[a.Prefix.Addr()] = true
		inside = append(inside, a.Prefix.Masked())
		if a.VID == v {
			nets = append(nets, a.Prefix.Masked())
		}
	}
	if v == 0 {
		for _, l := range d.Outsides {
			own[l.Prefix.Addr()] = true
		}
		return outsidePlaces(inside, names)
	}
	subnets := len(nets)
	for _, r := range d.Routes { // what is behind another router there
		if r.Line == "" && r.To.IsValid() && r.To.Bits() > 0 && slices.ContainsFunc(nets[:subnets], func(n netip.Prefix) bool { return n.Contains(r.Via) }) {
			nets = append(nets, r.To)
		}
	}
	seen := map[netip.Prefix]bool{}
	for k, n := range nets {
		within := []netip.Prefix{n}
		for _, p := range names {
			if p.Bits() > n.Bits() && n.Overlaps(p) {
				within = append(within, p)
			}
		}
		for i, p := range within {
			if seen[p] {
				continue
			}
			seen[p] = true
			if a, ok := standsFor(p, within, own); ok {
				out = append(out, Place{p, i == 0 && k < subnets, i == 0 && len(nets) == 1, a})
			}
		}
	}
	return out
}

// outsidePlaces is the addresses outside, cut by what rules name of them.
func outsidePlaces(inside, names []netip.Prefix) (out []Place) {
	for _, all := range []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("2000::/3")} {
		if !slices.ContainsFunc(inside, func(n netip.Prefix) bool { return n.Addr().Is4() == all.Addr().Is4() }) {
			continue
		}
		within := []netip.Prefix{all}
		for _, p := range names {
			if p.Bits() > all.Bits() && all.Overlaps(p) && !p.Addr().IsPrivate() && !p.Addr().IsLoopback() && !p.Addr().IsMulticast() && !p.Addr().IsLinkLocalUnicast() &&
				!slices.ContainsFunc(inside, func(n netip.Prefix) bool { return holds(n, p) }) {
				within = append(within, p)
			}
		}
		for i, p := range within {
			holes := slices.Concat(within, inside)
			if i > 0 {
				if a, ok := standsFor(p, holes, nil); ok {
					out = append(out, Place{Net: p, addr: a})
				}
				continue
			}
			for _, text := range []string{"198.51.100.77", "203.0.113.77", "192.0.2.77", "8.8.4.77", "2001:db8:77::77", "2a00:77::77"} {
				if a := netip.MustParseAddr(text); all.Contains(a) && !slices.ContainsFunc(holes[1:], func(q netip.Prefix) bool { return q.Bits() > 0 && q.Contains(a) }) {
					out = append(out, Place{Net: all, Whole: true, addr: a})
					break
				}
			}
		}
	}
	return out
}

// standsFor is an address of a prefix that is in none inside of it, and nobody's own.
func standsFor(p netip.Prefix, holes []netip.Prefix, own map[netip.Addr]bool) (netip.Addr, bool) {
	a := p.Addr()
	if !p.IsSingleIP() && p.Bits() < a.BitLen()-1 {
		a = a.Next() // the first is the subnet's own
	}
	for range 4096 {
		if !p.Contains(a) {
			break
		}
		in := slices.IndexFunc(holes, func(q netip.Prefix) bool { return q.Bits() > p.Bits() && q.Contains(a) })
		switch {
		case in >= 0:
			a = office.LastOf(holes[in])
		case !own[a] || p.IsSingleIP():
			return a, true
		}
		a = a.Next()
	}
	return a, false
}

// Mended is a device's rules with others before them, so that it lets pass what is there.
func Mended(d *office.Device, gaps []Gap) []office.Rule {
	var out []office.Rule
	for i := range gaps {
		g := &gaps[i]
		from, to := g.side(g.In, g.Src), g.side(g.Out, g.Dst)
		put := func(do office.Action, s *talk.Services) {
			if s != talk.None {
				out = append(out, office.Rule{Do: do, From: from, To: to, Services: s.List()})
			}
		}
		if !g.inside {
			put(office.Allow, g.Gains)
			put(office.Deny, g.Loses)
			continue
		}
		put(office.Allow, g.Is)
		put(office.Deny, talk.All.Minus(g.Is))
	}
	return append(out, d.Rules...)
}

func (g *Gap) side(v office.VID, p Place) []office.Side {
	switch {
	case p.Whole && v == 0:
		return []office.Side{{Kind: office.SideOutside}}
	case p.Only || !p.Net.IsValid():
		return []office.Side{{Kind: office.SideVLAN, VID: v}}
	}
	return []office.Side{{Kind: office.SideNet, Net: p.Net}}
}

// Mismatches says the gaps of a device in words.
func Mismatches(o *office.Office, d *office.Device, gaps []Gap) (out []Mismatch) {
	who := func(v office.VID, p Place) string {
		name := "the outside"
		if v != 0 {
			name = fmt.Sprintf("VLAN %d", v)
			if x := o.VLAN(v); x != nil {
				name = x.Name
			}
		}
		switch {
		case p.Whole:
			return name
		case p.Net.IsSingleIP():
			return fmt.Sprintf("%s (%s)", p.Net.Addr(), name)
		}
		return fmt.Sprintf("%s (%s)", p.Net, name)
	}
	at := map[string]int{} // of what is said to several alike
	say := func(what, from, to, should string) {
		key := what + from + should
		if k, ok := at[key]; ok {
			out[k].Is += ", " + to
			return
		}
		at[key] = len(out)
		out = append(out, Mismatch{fmt.Sprintf("%s %s from %s to %s", d.Name, what, from, to), should})
	}
	wider := func(g *Gap, of func(*Gap) *talk.Services) bool { // it is said of more than that
		return slices.ContainsFunc(gaps, func(w Gap) bool {
			return w.In == g.In && w.Out == g.Out && of(&w).Equal(of(g)) && (w.Src.Net != g.Src.Net || w.Dst.Net != g.Dst.Net) && holds(w.Src.Net, g.Src.Net) && holds(w.Dst.Net, g.Dst.Net)
		})
	}
	gains, loses := func(g *Gap) *talk.Services { return g.Gains }, func(g *Gap) *talk.Services { return g.Loses }
	for i := range gaps {
		g := &gaps[i]
		if g.Gains != talk.None && !wider(g, gains) {
			say(fmt.Sprintf("lets %s pass", g.Gains), who(g.In, g.Src), who(g.Out, g.Dst), "should not")
		}
		if g.Loses != talk.None && !wider(g, loses) {
			say(fmt.Sprintf("stops %s", g.Loses), who(g.In, g.Src), who(g.Out, g.Dst), "should let it pass")
		}
	}
	return out
}

// Hosts is the places of hosts in the subnet of an address: all of it first, then what rules
// name of it.
func Hosts(d *office.Device, a office.Address, names []netip.Prefix) []Host {
	x := &office.Device{Addresses: slices.DeleteFunc(slices.Clone(d.Addresses), func(b office.Address) bool { return b.VID != a.VID || b.Prefix.Masked() != a.Prefix.Masked() })}
	var out []Host
	for _, p := range placesOf(x, a.VID, names) {
		out = append(out, Host{p.Net, p.addr})
	}
	return out
}

// Host is an address that stands for those of a prefix.
type Host struct {
	Net  netip.Prefix
	Addr netip.Addr
}
