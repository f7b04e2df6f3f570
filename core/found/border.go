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
func Gaps(device *office.Device, names []netip.Prefix, should, is Lets) (out []Gap, ok bool) {
	var vids []office.VID
	for _, address := range device.Addresses {
		if !slices.Contains(vids, address.VID) {
			vids = append(vids, address.VID)
		}
	}
	slices.Sort(vids)
	if len(device.Outsides) > 0 {
		vids = append(vids, 0)
	}
	places, asked := map[office.VID][]Place{}, 0
	for _, vid := range vids {
		places[vid] = placesOf(device, vid, names)
	}
	for _, in := range vids {
		for _, to := range vids {
			if in == to {
				continue
			}
			if asked += len(places[in]) * len(places[to]); asked > mostGaps {
				return out, false
			}
			out = append(out, gaps(crossing{in, to, places[in], places[to]}, should, is)...)
		}
	}
	return out, true
}

// crossing is a way over a router: by which interfaces, 0 for the outside, and the places on
// either side that are looked at apart.
type crossing struct {
	in, to     office.VID
	from, into []Place
}

// gaps is those of one crossing: the narrowest first, with those that are alike and inside of
// others which are not.
func gaps(over crossing, should, is Lets) (out []Gap) {
	var all []Gap
	differ := false
	for _, src := range over.from {
		for _, dst := range over.into {
			if src.addr.Is4() != dst.addr.Is4() {
				continue
			}
			open, b := should(over.in, over.to, src.addr, dst.addr), is(over.in, over.to, src.addr, dst.addr)
			gap := Gap{In: over.in, Out: over.to, Src: src, Dst: dst, Gains: b.Minus(open), Loses: open.Minus(b), Is: b}
			differ = differ || gap.Differs()
			all = append(all, gap)
		}
	}
	if !differ {
		return nil
	}
	if same := alike(all); same {
		gap := all[0]
		gap.Src, gap.Dst = Place{Whole: true}, Place{Whole: true}
		return []Gap{gap}
	}
	slices.SortStableFunc(all, func(a, b Gap) int {
		return cmp.Compare(b.Src.Net.Bits()+b.Dst.Net.Bits(), a.Src.Net.Bits()+a.Dst.Net.Bits())
	})
	for i := range all {
		gap := &all[i]
		gap.inside = slices.ContainsFunc(all[i+1:], func(other Gap) bool {
			return other.Differs() && holds(other.Src.Net, gap.Src.Net) && holds(other.Dst.Net, gap.Dst.Net)
		})
		if gap.Differs() || gap.inside {
			out = append(out, *gap)
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
func placesOf(device *office.Device, vid office.VID, names []netip.Prefix) (out []Place) {
	var nets, inside []netip.Prefix
	own := map[netip.Addr]bool{}
	for _, address := range device.Addresses {
		own[address.Prefix.Addr()] = true
		inside = append(inside, address.Prefix.Masked())
		if address.VID == vid {
			nets = append(nets, address.Prefix.Masked())
		}
	}
	if vid == 0 {
		for _, line := range device.Outsides {
			own[line.Prefix.Addr()] = true
		}
		return outsidePlaces(inside, names)
	}
	subnets := len(nets)
	for _, route := range device.Routes { // what is behind another router there
		if route.Line == "" && route.To.IsValid() && route.To.Bits() > 0 && slices.ContainsFunc(nets[:subnets], func(prefix netip.Prefix) bool { return prefix.Contains(route.Via) }) {
			nets = append(nets, route.To)
		}
	}
	seen := map[netip.Prefix]bool{}
	for k, prefix := range nets {
		within := []netip.Prefix{prefix}
		for _, other := range names {
			if other.Bits() > prefix.Bits() && prefix.Overlaps(other) {
				within = append(within, other)
			}
		}
		for i, other := range within {
			if seen[other] {
				continue
			}
			seen[other] = true
			if addr, ok := standsFor(other, within, own); ok {
				out = append(out, Place{other, i == 0 && k < subnets, i == 0 && len(nets) == 1, addr})
			}
		}
	}
	return out
}

// outsidePlaces is the addresses outside, cut by what rules name of them.
func outsidePlaces(inside, names []netip.Prefix) (out []Place) {
	for _, all := range []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("2000::/3")} {
		if !slices.ContainsFunc(inside, func(prefix netip.Prefix) bool { return prefix.Addr().Is4() == all.Addr().Is4() }) {
			continue
		}
		within := []netip.Prefix{all}
		for _, prefix := range names {
			if prefix.Bits() > all.Bits() && all.Overlaps(prefix) && !prefix.Addr().IsPrivate() && !prefix.Addr().IsLoopback() && !prefix.Addr().IsMulticast() && !prefix.Addr().IsLinkLocalUnicast() &&
				!slices.ContainsFunc(inside, func(other netip.Prefix) bool { return holds(other, prefix) }) {
				within = append(within, prefix)
			}
		}
		for i, prefix := range within {
			holes := slices.Concat(within, inside)
			if i > 0 {
				if addr, ok := standsFor(prefix, holes, nil); ok {
					out = append(out, Place{Net: prefix, addr: addr})
				}
				continue
			}
			for _, text := range []string{"198.51.100.77", "203.0.113.77", "192.0.2.77", "8.8.4.77", "2001:db8:77::77", "2a00:77::77"} {
				if addr := netip.MustParseAddr(text); all.Contains(addr) && !slices.ContainsFunc(holes[1:], func(other netip.Prefix) bool { return other.Bits() > 0 && other.Contains(addr) }) {
					out = append(out, Place{Net: all, Whole: true, addr: addr})
					break
				}
			}
		}
	}
	return out
}

// standsFor is an address of a prefix that is in none inside of it, and nobody's own.
func standsFor(prefix netip.Prefix, holes []netip.Prefix, own map[netip.Addr]bool) (netip.Addr, bool) {
	addr := prefix.Addr()
	if !prefix.IsSingleIP() && prefix.Bits() < addr.BitLen()-1 {
		addr = addr.Next() // the first is the subnet's own
	}
	for range 4096 {
		if !prefix.Contains(addr) {
			break
		}
		in := slices.IndexFunc(holes, func(other netip.Prefix) bool { return other.Bits() > prefix.Bits() && other.Contains(addr) })
		switch {
		case in >= 0:
			addr = office.LastOf(holes[in])
		case !own[addr] || prefix.IsSingleIP():
			return addr, true
		}
		addr = addr.Next()
	}
	return addr, false
}

// Mended is a device's rules with others before them, so that it lets pass what is there.
func Mended(device *office.Device, gaps []Gap) []office.Rule {
	var out []office.Rule
	for i := range gaps {
		gap := &gaps[i]
		from, to := gap.side(gap.In, gap.Src), gap.side(gap.Out, gap.Dst)
		put := func(do office.Action, open *talk.Services) {
			if open != talk.None {
				out = append(out, office.Rule{Do: do, From: from, To: to, Services: open.List()})
			}
		}
		if !gap.inside {
			put(office.Allow, gap.Gains)
			put(office.Deny, gap.Loses)
			continue
		}
		put(office.Allow, gap.Is)
		put(office.Deny, talk.All.Minus(gap.Is))
	}
	return append(out, device.Rules...)
}

// side is one side of a rule that would fill a gap: all of the outside, a VLAN, or a subnet where
// the gap is only some of the VLAN's addresses.
func (g *Gap) side(vid office.VID, place Place) []office.Side {
	switch {
	case place.Whole && vid == 0:
		return []office.Side{{Kind: office.SideOutside}}
	case place.Only || !place.Net.IsValid():
		return []office.Side{{Kind: office.SideVLAN, VID: vid}}
	}
	return []office.Side{{Kind: office.SideNet, Net: place.Net}}
}

// Mismatches says the gaps of a device in words.
func Mismatches(o *office.Office, device *office.Device, gaps []Gap) (out []Mismatch) {
	who := func(vid office.VID, place Place) string {
		name := "the outside"
		if vid != 0 {
			name = fmt.Sprintf("VLAN %d", vid)
			if vlan := o.VLAN(vid); vlan != nil {
				name = vlan.Name
			}
		}
		switch {
		case place.Whole:
			return name
		case place.Net.IsSingleIP():
			return fmt.Sprintf("%s (%s)", place.Net.Addr(), name)
		}
		return fmt.Sprintf("%s (%s)", place.Net, name)
	}
	at := map[string]int{} // of what is said to several alike
	say := func(what, from, to, should string) {
		key := what + from + should
		if k, ok := at[key]; ok {
			out[k].Is += ", " + to
			return
		}
		at[key] = len(out)
		out = append(out, Mismatch{fmt.Sprintf("%s %s from %s to %s", device.Name, what, from, to), should})
	}
	wider := func(gap *Gap, of func(*Gap) *talk.Services) bool { // it is said of more than that
		return slices.ContainsFunc(gaps, func(other Gap) bool {
			return other.In == gap.In && other.Out == gap.Out && of(&other).Equal(of(gap)) && (other.Src.Net != gap.Src.Net || other.Dst.Net != gap.Dst.Net) && holds(other.Src.Net, gap.Src.Net) && holds(other.Dst.Net, gap.Dst.Net)
		})
	}
	gains, loses := func(gap *Gap) *talk.Services { return gap.Gains }, func(gap *Gap) *talk.Services { return gap.Loses }
	for i := range gaps {
		gap := &gaps[i]
		if gap.Gains != talk.None && !wider(gap, gains) {
			say(fmt.Sprintf("lets %s pass", gap.Gains), who(gap.In, gap.Src), who(gap.Out, gap.Dst), "should not")
		}
		if gap.Loses != talk.None && !wider(gap, loses) {
			say(fmt.Sprintf("stops %s", gap.Loses), who(gap.In, gap.Src), who(gap.Out, gap.Dst), "should let it pass")
		}
	}
	return out
}

// Hosts is the places of hosts in the subnet of an address: all of it first, then what rules
// name of it.
func Hosts(device *office.Device, address office.Address, names []netip.Prefix) []Host {
	other := &office.Device{Addresses: slices.DeleteFunc(slices.Clone(device.Addresses), func(one office.Address) bool {
		return one.VID != address.VID || one.Prefix.Masked() != address.Prefix.Masked()
	})}
	var out []Host
	for _, place := range placesOf(other, address.VID, names) {
		out = append(out, Host{place.Net, place.addr})
	}
	return out
}

// Host is an address that stands for those of a prefix.
type Host struct {
	Net  netip.Prefix
	Addr netip.Addr
}
