package round

import (
	"cmp"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/talk"
)

// Seen is what became of a test.
type Seen struct {
	Test   Test
	Passed bool
	// Instead is who answered, by name or address, where that was written down; nil where
	// it was not.
	Instead []string
	// Given is the address that the laptop was given; the zero one where it was none, or
	// that was not written down.
	Given netip.Addr
	// Lease is what else it was given; zero where that was not written down.
	Lease Lease
	// How it was seen. By a probe, Instead is what answered somebody who asked for every
	// address: who has none is not in it, and a host may be off.
	How How
	// Tried is how what was tried across devices that route ended, as in [Saw]; nil where
	// that is not known, or a laptop in another VLAN tried.
	Tried []Ended
	// Parts is how each of [Test.Reach] ended, as a person ticked it; nil where he did not.
	Parts []Ended
}

// How something was seen.
type How int

const (
	ByHand  How = iota // by a person with any laptop or phone
	ByProbe            // measured, by somebody who asks for every address
	ByPlay             // on what devices are set to; nobody was there
)

// Suspect is mistakes of which each, by itself or with others, would explain all that was
// seen; those that no laptop can tell apart are one suspect.
type Suspect struct {
	Mistakes [][]int // each a way to explain it: one mistake, two, or a few at once
	Or       []int   // of a few at once: mistakes that are, by themselves, like one of them to every laptop
	Near     bool    // it does not give all that was seen: something else is otherwise, too
	weight   int
}

// Suspects names what would explain results, the likeliest first: single mistakes,
// those that explain what was seen instead too, the commoner ones; where none does, the
// smallest sets of them that do.
func (r *Round) Suspects(results []Seen) []Suspect {
	if !slices.ContainsFunc(results, func(s Seen) bool { return !s.Passed }) {
		return nil
	}
	results = slices.DeleteFunc(slices.Clone(results), func(s Seen) bool { return s.Test.at >= r.own }) // with other tags: the untagged look tells of them
	for _, s := range results {
		v := r.elsewhere(&s)
		if s.Passed || v == 0 || s.Test.Wire != bridge.Untagged || v == s.Test.VLAN {
			continue
		}
		r.suspectIn(s.Test.Port, v, s.Test.VLAN)
	}
	for _, s := range results { // whose broadcasts are heard
		if s.Passed || s.Test.Wire != bridge.Untagged || s.Test.VLAN == 0 {
			continue
		}
		for _, v := range r.w.n.Office.VLANs {
			if v.VID != s.Test.VLAN && slices.Contains(s.Instead, r.w.text(sign{isHeard, int(v.VID)})) {
				r.besideOthers(inBesides(r.w.n, s.Test.Port, v.VID, s.Test.VLAN))
			}
		}
	}
	for _, s := range results { // who hangs somewhere and answers in another VLAN
		for k := range r.w.posts {
			if p := &r.w.posts[k]; !s.Passed && p.plug != nil && s.Test.VLAN != 0 && p.vid != s.Test.VLAN && slices.Contains(s.Instead, p.called()) {
				r.suspectIn(p.plug.Port, s.Test.VLAN, p.vid)
			}
		}
	}
	var out []Suspect
	for i := range r.Mistakes {
		if score, ok := r.explains(results, i); ok {
			r.join(&out, Suspect{Mistakes: [][]int{{i}}, weight: score})
		}
	}
	out = slices.DeleteFunc(out, func(s Suspect) bool {
		return !slices.ContainsFunc(s.Mistakes, func(way []int) bool { return r.lets(results, way[0]) })
	})
	if len(out) == 0 {
		out = r.several(slices.DeleteFunc(slices.Clone(results), func(s Seen) bool { return r.occupied(&s) }))
	}
	slices.SortStableFunc(out, func(a, b Suspect) int { return cmp.Compare(a.weight, b.weight) })
	return out
}

// suspectIn adds a port in another VLAN to the mistakes, where it is not among them.
func (r *Round) suspectIn(port office.PortRef, is, planned office.VID) {
	r.besideOthers(inInstead(r.w.n, port, is, planned))
}

// besideOthers adds a mistake to the others, where it can be made and is not among them.
func (r *Round) besideOthers(m Mistake, ok bool) {
	if ok && !slices.ContainsFunc(r.Mistakes, func(x Mistake) bool { return x.Text == m.Text }) {
		r.Mistakes = append(r.Mistakes, m)
		r.w.seen = append(r.w.seen, r.w.under(&m))
	}
}

// explains says whether a mistake gives what was seen, and how well: the lower the
// better.
func (r *Round) explains(results []Seen, m int) (int, bool) {
	weight, hits := 10*r.Mistakes[m].weight, 0
	for _, s := range results {
		a := s.Test.at
		now, differs := r.w.seen[m][a]
		switch {
		case r.occupied(&s) && (!differs || now < 0 || !slices.Contains(r.w.more[now], sign{occupied, 0})):
			continue // whoever is in it may be what is sought, and may be anybody
		case s.Passed && differs && r.w.noticesAt(now, &s), !s.Passed && (!differs || now < 0 && !r.w.noticesAt(now, &s)):
			return 0, false
		case s.Passed:
			continue
		}
		silent, ok := r.agrees(r.answering(now, a), &s)
		if !ok {
			return 0, false
		}
		hits++
		weight += 15 * silent
	}
	return weight, hits > 0
}

// occupied says whether somebody came to a port and found a cable in it that is not planned.
func (r *Round) occupied(s *Seen) bool {
	return !s.Passed && slices.Contains(s.Instead, r.w.text(sign{occupied, 0}))
}

// agrees says whether a sight may be what was seen at a test that failed, and how many
// devices would have to be off.
func (r *Round) agrees(now sight, s *Seen) (silent int, ok bool) {
	switch {
	case !r.gives(now, s.Given, s.Test.at), !r.ends(now, s), !r.leased(now, s):
		return 0, false
	case s.Instead == nil:
		return 0, true
	case s.How == ByProbe:
		silent, ok = r.fits(now, s.Instead)
		return silent, ok && silent <= mostSilent
	}
	return 0, r.same(now, s.Instead)
}

// Hands is the VLAN in which an address is handed out as planned; 0 where nobody does.
func (r *Round) Hands(a netip.Addr) office.VID { return r.w.hands(a) }

func (w *world) hands(a netip.Addr) office.VID {
	for k := range w.posts {
		if p := &w.posts[k]; p.hands && a.IsValid() && p.from.Compare(a) <= 0 && a.Compare(p.to) <= 0 {
			return p.vid
		}
	}
	return 0
}

// gives says whether a laptop at an ask may be given an address where some
// answer; yes where nobody of the plan hands it out, as then it says nothing of the plan. A
// stranger hands out what may be handed out there.
func (r *Round) gives(s sight, a netip.Addr, at int) bool {
	v := r.Hands(a)
	k := r.w.expects(at, a.Is4())
	return v == 0 || slices.ContainsFunc(r.w.sets[s], func(k int) bool { return r.w.posts[k].hands && r.w.posts[k].vid == v }) ||
		k >= 0 && r.w.posts[k].vid == v && slices.ContainsFunc(r.w.more[s], func(x sign) bool { return x.kind == rival })
}

// answering is who answers at an ask: as planned where another VLAN is what is
// otherwise.
func (r *Round) answering(s sight, a int) sight {
	if s < 0 {
		return r.w.plan[a]
	}
	return s
}

// called is who answers, by name or address, and the signs besides.
func (w *world) called(s sight) []string {
	out := []string{}
	for _, p := range w.sets[s] {
		if p < len(w.posts) {
			out = append(out, w.posts[p].called())
		}
	}
	for _, x := range w.more[s] {
		out = append(out, w.text(x))
	}
	return out
}

// elsewhere is the VLAN that a port is in as somebody saw it who is not where he is to be: by
// the address that he was given, else by who answered, where all are of one; 0 for none.
func (r *Round) elsewhere(s *Seen) office.VID {
	if v := r.Hands(s.Given); v != 0 || s.Given.IsValid() {
		return v
	}
	var in office.VID
	for k := range r.w.posts {
		if p := &r.w.posts[k]; !p.rival && slices.Contains(s.Instead, p.called()) {
			if in != 0 && in != p.vid {
				return 0
			}
			in = p.vid
		}
	}
	return in
}

// ends says whether each part that a person ticked may end so where some answer.
func (r *Round) ends(now sight, s *Seen) bool {
	for i, ended := range s.Parts {
		if i >= len(s.Test.Reach) || ended == Untold {
			continue
		}
		to := &s.Test.Reach[i]
		k := slices.IndexFunc(r.w.posts, func(p post) bool { return !p.rival && p.called() == to.To })
		if to.Service != string(office.Ping) || k < 0 || to.Routed || i >= len(s.Test.Reach)-len(s.Test.trials) {
			continue // across devices that route: see [Round.lets]
		}
		if slices.Contains(r.w.sets[now], k) != (ended == Answered) {
			return false
		}
	}
	return true
}

// same says whether a sight is what somebody wrote down.
func (r *Round) same(s sight, instead []string) bool {
	is := r.w.called(s)
	said := slices.Clone(instead)
	slices.Sort(is)
	slices.Sort(said)
	return slices.Equal(slices.Compact(is), slices.Compact(said))
}

// lets says whether, under a mistake, each try ends as it did.
func (r *Round) lets(results []Seen, m int) bool {
	var at *talk.Map
	for _, s := range results {
		for k, ended := range s.tried() {
			if ended == Untold || k >= len(s.Test.trials) {
				continue
			}
			if at == nil {
				at = talk.New(r.w.n.Update(r.Mistakes[m].after))
			}
			if r.w.holds(at, r.w.posts, s.Test.trials[k]) != (ended == Answered) {
				return false
			}
		}
	}
	return true
}

// tried is how what was tried across devices that route ended, as a laptop or a person told;
// nil where he was not where he was to be.
func (s *Seen) tried() []Ended {
	if s.Tried != nil || len(s.Parts) != len(s.Test.Reach) {
		return s.Tried
	}
	own := len(s.Test.Reach) - len(s.Test.trials)
	for i, ended := range s.Parts[:own] {
		if ended != Untold && !s.Test.Reach[i].Routed && (ended == Answered) != s.Test.Reach[i].OK {
			return nil
		}
	}
	return s.Parts[own:]
}

// mostSilent is how many devices may be off where one measures.
const mostSilent = 2

// fits says whether a sight may be what was measured: all that answered are in it; and of
// how many devices in it nothing answered, neither by one kind of address nor the other.
// Hosts may be off, and who has no address is not heard.
func (r *Round) fits(s sight, answered []string) (silent int, ok bool) {
	is := r.w.called(s)
	if slices.ContainsFunc(answered, func(a string) bool { return !slices.Contains(is, a) }) {
		return 0, false
	}
	for _, x := range r.w.more[s] { // what he would have noticed
		if x.kind.noticed(ByProbe) && x.kind != occupied && !slices.Contains(answered, r.w.text(x)) {
			return 0, false
		}
	}
	heard := map[string]bool{}
	for _, k := range r.w.sets[s] {
		if k >= len(r.w.posts) {
			continue
		}
		if p := &r.w.posts[k]; p.plug == nil && p.addr.IsValid() {
			heard[p.device] = heard[p.device] || slices.Contains(answered, p.called())
		}
	}
	for _, h := range heard {
		if !h {
			silent++
		}
	}
	return silent, true
}

// join adds a suspect to those that no laptop can tell it from, or that one way mends:
// the port is set as planned.
func (r *Round) join(all *[]Suspect, s Suspect) {
	m := s.Mistakes[0][0]
	for i := range *all {
		if k := (*all)[i].Mistakes[0]; len(k) == 1 && (r.alike(k[0], m) || r.Mistakes[m].Port.Device != "" && r.Mistakes[k[0]].Port == r.Mistakes[m].Port) {
			if s.weight < (*all)[i].weight { // the likeliest first
				(*all)[i].Mistakes = slices.Insert((*all)[i].Mistakes, 0, s.Mistakes[0])
				(*all)[i].weight = s.weight
			} else {
				(*all)[i].Mistakes = append((*all)[i].Mistakes, s.Mistakes[0])
			}
			return
		}
	}
	*all = append(*all, s)
}

// alike says whether no laptop anywhere sees one mistake otherwise than another.
func (r *Round) alike(a, b int) bool {
	x, y := r.w.seen[a], r.w.seen[b]
	if len(x) != len(y) {
		return false
	}
	for k, s := range x {
		if t, ok := y[k]; !ok || s != t {
			return false
		}
	}
	return true
}

// Next is the place that tells suspects apart best where nobody was yet, and what is
// seen there as planned; one of the round before others; false where none does.
func (r *Round) Next(results []Seen, suspects []Suspect) (Test, bool) {
	best, parts := -1, 1
	try := func(a int) {
		if slices.ContainsFunc(results, func(s Seen) bool { return s.Test.at == a }) {
			return
		}
		kinds := map[sight]bool{}
		for _, s := range suspects {
			now := r.w.plan[a]
			for _, m := range s.Mistakes[0] {
				if x, ok := r.w.seen[m][a]; ok {
					now = x
				}
			}
			kinds[now] = true
		}
		if len(kinds) > parts {
			best, parts = a, len(kinds)
		}
	}
	for _, t := range r.Tests {
		try(t.at)
	}
	for a := range r.own {
		try(a)
	}
	if best < 0 {
		return Test{}, false
	}
	return r.w.test(best, true), true
}
