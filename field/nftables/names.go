package nftables

import (
	"encoding/json"
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Prefixes is every address, and every run of addresses as prefixes, that the rules and sets
// name: what is alike by all of them is alike to the filter.
func (rs *Ruleset) Prefixes() (out []netip.Prefix) {
	seen := map[netip.Prefix]bool{}
	put := func(p netip.Prefix) {
		if !seen[p] && len(seen) < mostNames {
			seen[p] = true
			out = append(out, p)
		}
	}
	var look func(x any)
	look = func(x any) {
		switch x := x.(type) {
		case string:
			if a, err := netip.ParseAddr(x); err == nil {
				put(netip.PrefixFrom(a, a.BitLen()))
			}
		case []any:
			for _, y := range x {
				look(y)
			}
		case map[string]any:
			if p, ok := x["prefix"].(map[string]any); ok {
				text, _ := p["addr"].(string)
				bits, _ := p["len"].(float64)
				if a, err := netip.ParseAddr(text); err == nil {
					if q, err := a.Prefix(int(bits)); err == nil {
						put(q)
					}
				}
				return
			}
			if r, ok := x["range"].([]any); ok && len(r) == 2 {
				a, _ := r[0].(string)
				b, _ := r[1].(string)
				from, err1 := netip.ParseAddr(a)
				to, err2 := netip.ParseAddr(b)
				if err1 == nil && err2 == nil {
					for _, p := range between(from, to) {
						put(p)
					}
					return
				}
			}
			for _, y := range x {
				look(y)
			}
		}
	}
	seenTable := map[*table]bool{}
	for _, c := range rs.Chains {
		if seenTable[c.within] {
			continue
		}
		seenTable[c.within] = true
		for _, list := range c.within.sets {
			for _, e := range list {
				look(parsed(e))
			}
		}
		for _, d := range c.within.chains {
			for _, r := range d.Rules {
				for _, e := range r.expr {
					if e.word == "match" || e.word == "vmap" {
						look(parsed(e.body))
					}
				}
			}
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return out
}

// mostNames bounds the prefixes that are told apart.
const mostNames = 2000

func parsed(text json.RawMessage) (x any) {
	_ = json.Unmarshal(text, &x) // it was read before
	return x
}

// between is a run of addresses as prefixes.
func between(from, to netip.Addr) (out []netip.Prefix) {
	for from.IsValid() && from.BitLen() == to.BitLen() && from.Compare(to) <= 0 && len(out) < 256 {
		bits := from.BitLen()
		for bits > 0 { // the widest that starts here and goes no further
			p, _ := from.Prefix(bits - 1)
			if p.Addr() != from || office.LastOf(p).Compare(to) > 0 {
				break
			}
			bits--
		}
		p := netip.PrefixFrom(from, bits)
		out = append(out, p)
		from = office.LastOf(p).Next()
	}
	return out
}
