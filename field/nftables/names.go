package nftables

import (
	"encoding/json"
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Prefixes is every address, and every run of addresses as prefixes, that the rules and sets
// name: what is alike by all of them is alike to the filter.
//
// Many branches: what names addresses stands at any depth of what is told.
func (rs *Ruleset) Prefixes() (out []netip.Prefix) {
	seen := map[netip.Prefix]bool{}
	put := func(prefix netip.Prefix) {
		if !seen[prefix] && len(seen) < mostNames {
			seen[prefix] = true
			out = append(out, prefix)
		}
	}
	var look func(x any)
	look = func(x any) {
		switch x := x.(type) {
		case string:
			if addr, err := netip.ParseAddr(x); err == nil {
				put(netip.PrefixFrom(addr, addr.BitLen()))
			}
		case []any:
			for _, y := range x {
				look(y)
			}
		case map[string]any:
			if p, ok := x["prefix"].(map[string]any); ok {
				text, _ := p["addr"].(string)
				bits, _ := p["len"].(float64)
				if addr, err := netip.ParseAddr(text); err == nil {
					if prefix, err := addr.Prefix(int(bits)); err == nil {
						put(prefix)
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
					for _, prefix := range between(from, to) {
						put(prefix)
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
	for _, chain := range rs.Chains {
		if seenTable[chain.within] {
			continue
		}
		seenTable[chain.within] = true
		for _, list := range chain.within.sets {
			for _, message := range list {
				look(parsed(message))
			}
		}
		for _, other := range chain.within.chains {
			for _, rule := range other.Rules {
				for _, expression := range rule.expr {
					if expression.word == "match" || expression.word == "vmap" {
						look(parsed(expression.body))
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
			prefix, _ := from.Prefix(bits - 1)
			if prefix.Addr() != from || office.LastOf(prefix).Compare(to) > 0 {
				break
			}
			bits--
		}
		other := netip.PrefixFrom(from, bits)
		out = append(out, other)
		from = office.LastOf(other).Next()
	}
	return out
}
