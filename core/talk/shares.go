package talk

import (
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Share is what is open in a pair of VLANs that is open in part: from which addresses, to
// which, with which services. An address that rules tell apart from its subnet is told
// apart here where what is open differs.
type Share struct {
	From netip.Prefix // zero: from all of them
	To   netip.Prefix // zero: to all outside
	Open *Services
	Torn office.VID // a VLAN that is in several parts, so that not everybody has it; 0 for none
}

// Shares is what is open in a pair of areas, 0 for the outside: the widest addresses first.
//
//	> gate allow zone guests to 10.61.110.20 printing; gate allow zone guests to 10.61.190.9 ping
//	guests gain tcp/631, tcp/9100 to reception (only to 10.61.110.20)
//	guests gain ping to devices (only to 10.61.190.9)
//
// Many branches: pairs of parts are put together as long as the same is open, and left out
// where their surroundings say it.
func (t *Table) Shares(from, to office.VID) (out []Share) {
	var srcs, dsts []*Part
	ends := map[*Part][]*End{}
	for _, end := range t.of.ends {
		src, dst := end.area.vid == from && (end.own == nil || end.area.empty), end.area.vid == to
		if len(ends[end.Part]) == 0 && src {
			srcs = append(srcs, end.Part)
		}
		if len(ends[end.Part]) == 0 && dst {
			dsts = append(dsts, end.Part)
		}
		if src || dst {
			ends[end.Part] = append(ends[end.Part], end)
		}
	}
	open := func(src, dst *Part) Share {
		share := Share{From: src.Net, To: dst.Net, Open: None}
		first := true
		for i, end := range ends[src] {
			for _, other := range ends[dst] {
				is := t.of.judge(end, other)
				if !first && !is.Equal(share.Open) {
					share.Torn = to
					if i > 0 {
						share.Torn = from
					}
				}
				share.Open, first = share.Open.Or(is), false
			}
		}
		return share
	}
	slices.SortStableFunc(dsts, wider)
	slices.SortStableFunc(srcs, wider)
	groups := make([][]Share, len(dsts))
	for i, dst := range dsts {
		for _, src := range srcs {
			if src.Addr.Is4() == dst.Addr.Is4() {
				groups[i] = append(groups[i], open(src, dst))
			}
		}
		around := -1
		for k, part := range dsts[:i] {
			if contains(part.Net, dst.Net) {
				around = k
			}
		}
		if around < 0 || !slices.EqualFunc(groups[i], groups[around], Share.same) { // else it is said with its surroundings
			out = append(out, told(groups[i], around < 0)...)
		}
	}
	return out
}

func wider(a, b *Part) int { return a.Net.Bits() - b.Net.Bits() }

// told is what is said of one target, by who asks: of those that what is around them has
// not too. Where nobody has anything that is not said, unless its surroundings have.
func told(all []Share, alone bool) (out []Share) {
	if !slices.ContainsFunc(all, func(share Share) bool { return !share.same(all[0]) }) {
		if len(all) == 0 || alone && all[0].Open == None {
			return nil
		}
		all[0].From = netip.Prefix{}
		return all[:1:1]
	}
	for i, share := range all {
		around := Share{Open: None}
		for _, other := range all[:i] {
			if contains(other.From, share.From) {
				around = other
			}
		}
		if !share.same(around) {
			out = append(out, share)
		}
	}
	return out
}

func (s Share) same(share Share) bool { return s.Torn == share.Torn && s.Open.Equal(share.Open) }

func contains(p, q netip.Prefix) bool {
	return p.IsValid() && q.IsValid() && p.Bits() < q.Bits() && p.Overlaps(q)
}

// Sides is from whom and to whom in words, "" for all of them.
func (s Share) Sides() (from, to string) { return place(s.From), place(s.To) }

// String says it in words: tcp/443 to 10.61.130.9.
func (s Share) String() string {
	text := s.Open.String()
	from, to := s.Sides()
	if from != "" {
		text += " from " + from
	}
	if to != "" {
		text += " to " + to
	}
	return text
}

// place is a prefix as a row of the matrix calls it: one address without its /32, and nothing for
// all.
func place(prefix netip.Prefix) string {
	switch {
	case !prefix.IsValid() || prefix.Bits() == 0:
		return ""
	case prefix.IsSingleIP():
		return prefix.Addr().String()
	}
	return prefix.String()
}

// ShareTexts says which part of a pair is open, a text for each.
func (t *Table) ShareTexts(from, to office.VID) (texts []string) {
	for _, share := range t.Shares(from, to) {
		text := share.String()
		if share.Torn != 0 {
			text += ", but for where " + t.Net.Name(share.Torn) + " is cut off"
		}
		if !slices.Contains(texts, text) {
			texts = append(texts, text)
		}
	}
	return texts
}
