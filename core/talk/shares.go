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
func (t *Table) Shares(from, to office.VID) (out []Share) {
	var srcs, dsts []*Part
	ends := map[*Part][]*End{}
	for _, e := range t.m.ends {
		src, dst := e.area.vid == from && (e.own == nil || e.area.empty), e.area.vid == to
		if len(ends[e.Part]) == 0 && src {
			srcs = append(srcs, e.Part)
		}
		if len(ends[e.Part]) == 0 && dst {
			dsts = append(dsts, e.Part)
		}
		if src || dst {
			ends[e.Part] = append(ends[e.Part], e)
		}
	}
	open := func(src, dst *Part) Share {
		s := Share{From: src.Net, To: dst.Net, Open: None}
		first := true
		for i, a := range ends[src] {
			for _, b := range ends[dst] {
				is := t.m.judge(a, b)
				if !first && !is.Equal(s.Open) {
					s.Torn = to
					if i > 0 {
						s.Torn = from
					}
				}
				s.Open, first = s.Open.Or(is), false
			}
		}
		return s
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
		for k, x := range dsts[:i] {
			if contains(x.Net, dst.Net) {
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
	if !slices.ContainsFunc(all, func(s Share) bool { return !s.same(all[0]) }) {
		if len(all) == 0 || alone && all[0].Open == None {
			return nil
		}
		all[0].From = netip.Prefix{}
		return all[:1:1]
	}
	for i, s := range all {
		around := Share{Open: None}
		for _, x := range all[:i] {
			if contains(x.From, s.From) {
				around = x
			}
		}
		if !s.same(around) {
			out = append(out, s)
		}
	}
	return out
}

func (s Share) same(x Share) bool { return s.Torn == x.Torn && s.Open.Equal(x.Open) }

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

func place(p netip.Prefix) string {
	switch {
	case !p.IsValid() || p.Bits() == 0:
		return ""
	case p.IsSingleIP():
		return p.Addr().String()
	}
	return p.String()
}

// ShareTexts says which part of a pair is open, a text for each.
func (t *Table) ShareTexts(from, to office.VID) (texts []string) {
	for _, s := range t.Shares(from, to) {
		text := s.String()
		if s.Torn != 0 {
			text += ", but for where " + t.Net.Name(s.Torn) + " is cut off"
		}
		if !slices.Contains(texts, text) {
			texts = append(texts, text)
		}
	}
	return texts
}
