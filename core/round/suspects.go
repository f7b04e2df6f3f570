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
//
//	> floor 8: 190 [110 160]
//	at floor.1 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.2 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.3 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.4 [140]: 10.61.140.1 is to answer ping, and does not
//	so: core 7 lacks 140, or floor 8 lacks 140
//
// Many branches: what was seen instead names suspects by where it is, by what is heard,
// and by who answers.
func (r *Round) Suspects(results []Seen) []Suspect {
	if !slices.ContainsFunc(results, func(seen Seen) bool { return !seen.Passed }) {
		return nil
	}
	results = slices.DeleteFunc(slices.Clone(results), func(seen Seen) bool { return seen.Test.at >= r.own }) // with other tags: the untagged look tells of them
	for _, seen := range results {
		vid := r.elsewhere(&seen)
		if seen.Passed || vid == 0 || seen.Test.Wire != bridge.Untagged || vid == seen.Test.VLAN {
			continue
		}
		r.suspectIn(seen.Test.Port, vid, seen.Test.VLAN)
	}
	for _, seen := range results { // whose broadcasts are heard
		if seen.Passed || seen.Test.Wire != bridge.Untagged || seen.Test.VLAN == 0 {
			continue
		}
		for _, vlan := range r.world.net.Office.VLANs {
			if vlan.VID != seen.Test.VLAN && slices.Contains(seen.Instead, r.world.text(sign{isHeard, int(vlan.VID)})) {
				r.besideOthers(inBesides(r.world.net, seen.Test.Port, vlan.VID, seen.Test.VLAN))
			}
		}
	}
	for _, seen := range results { // who hangs somewhere and answers in another VLAN
		for k := range r.world.posts {
			if post := &r.world.posts[k]; !seen.Passed && post.plug != nil && seen.Test.VLAN != 0 && post.vid != seen.Test.VLAN && slices.Contains(seen.Instead, post.called()) {
				r.suspectIn(post.plug.Port, seen.Test.VLAN, post.vid)
			}
		}
	}
	var out []Suspect
	for i := range r.Mistakes {
		if score, ok := r.explains(results, i); ok {
			r.join(&out, Suspect{Mistakes: [][]int{{i}}, weight: score})
		}
	}
	out = slices.DeleteFunc(out, func(suspect Suspect) bool {
		return !slices.ContainsFunc(suspect.Mistakes, func(way []int) bool { return r.lets(results, way[0]) })
	})
	if len(out) == 0 {
		out = r.several(slices.DeleteFunc(slices.Clone(results), func(seen Seen) bool { return r.occupied(&seen) }))
	}
	slices.SortStableFunc(out, func(a, b Suspect) int { return cmp.Compare(a.weight, b.weight) })
	return out
}

// suspectIn adds a port in another VLAN to the mistakes, where it is not among them.
func (r *Round) suspectIn(port office.PortRef, is, planned office.VID) {
	r.besideOthers(inInstead(r.world.net, port, is, planned))
}

// besideOthers adds a mistake to the others, where it can be made and is not among them.
func (r *Round) besideOthers(mistake Mistake, ok bool) {
	if ok && !slices.ContainsFunc(r.Mistakes, func(other Mistake) bool { return other.Text == mistake.Text }) {
		r.Mistakes = append(r.Mistakes, mistake)
		r.world.seen = append(r.world.seen, r.world.under(&mistake))
	}
}

// explains says whether a mistake gives what was seen, and how well: the lower the
// better.
func (r *Round) explains(results []Seen, m int) (int, bool) {
	weight, hits := 10*r.Mistakes[m].weight, 0
	for _, seen := range results {
		a := seen.Test.at
		now, differs := r.world.seen[m][a]
		switch {
		case r.occupied(&seen) && (!differs || now < 0 || !slices.Contains(r.world.more[now], sign{occupied, 0})):
			continue // whoever is in it may be what is sought, and may be anybody
		case seen.Passed && differs && r.world.noticesAt(now, &seen), !seen.Passed && (!differs || now < 0 && !r.world.noticesAt(now, &seen)):
			return 0, false
		case seen.Passed:
			continue
		}
		silent, ok := r.agrees(r.answering(now, a), &seen)
		if !ok {
			return 0, false
		}
		hits++
		weight += 15 * silent
	}
	return weight, hits > 0
}

// occupied says whether somebody came to a port and found a cable in it that is not planned.
func (r *Round) occupied(seen *Seen) bool {
	return !seen.Passed && slices.Contains(seen.Instead, r.world.text(sign{occupied, 0}))
}

// agrees says whether a sight may be what was seen at a test that failed, and how many
// devices would have to be off.
func (r *Round) agrees(now sight, seen *Seen) (silent int, ok bool) {
	switch {
	case !r.gives(now, seen.Given, seen.Test.at), !r.ends(now, seen), !r.leased(now, seen):
		return 0, false
	case seen.Instead == nil:
		return 0, true
	case seen.How == ByProbe:
		silent, ok = r.fits(now, seen.Instead)
		return silent, ok && silent <= mostSilent
	}
	return 0, r.same(now, seen.Instead)
}

// Hands is the VLAN in which an address is handed out as planned; 0 where nobody does.
func (r *Round) Hands(addr netip.Addr) office.VID { return r.world.hands(addr) }

// hands is the VLAN whose hand-out an address is from, 0 where nobody hands it out.
func (w *world) hands(addr netip.Addr) office.VID {
	for k := range w.posts {
		if post := &w.posts[k]; post.hands && addr.IsValid() && post.from.Compare(addr) <= 0 && addr.Compare(post.to) <= 0 {
			return post.vid
		}
	}
	return 0
}

// gives says whether a laptop at an ask may be given an address where some
// answer; yes where nobody of the plan hands it out, as then it says nothing of the plan. A
// stranger hands out what may be handed out there.
func (r *Round) gives(sight sight, addr netip.Addr, at int) bool {
	vid := r.Hands(addr)
	k := r.world.expects(at, addr.Is4())
	return vid == 0 || slices.ContainsFunc(r.world.sets[sight], func(k int) bool { return r.world.posts[k].hands && r.world.posts[k].vid == vid }) ||
		k >= 0 && r.world.posts[k].vid == vid && slices.ContainsFunc(r.world.more[sight], func(sign sign) bool { return sign.kind == rival })
}

// answering is who answers at an ask: as planned where another VLAN is what is
// otherwise.
func (r *Round) answering(sight sight, a int) sight {
	if sight < 0 {
		return r.world.plan[a]
	}
	return sight
}

// called is who answers, by name or address, and the signs besides.
func (w *world) called(sight sight) []string {
	out := []string{}
	for _, p := range w.sets[sight] {
		if p < len(w.posts) {
			out = append(out, w.posts[p].called())
		}
	}
	for _, sign := range w.more[sight] {
		out = append(out, w.text(sign))
	}
	return out
}

// elsewhere is the VLAN that a port is in as somebody saw it who is not where he is to be: by
// the address that he was given, else by who answered, where all are of one; 0 for none.
func (r *Round) elsewhere(seen *Seen) office.VID {
	if vid := r.Hands(seen.Given); vid != 0 || seen.Given.IsValid() {
		return vid
	}
	var in office.VID
	for k := range r.world.posts {
		if post := &r.world.posts[k]; !post.rival && slices.Contains(seen.Instead, post.called()) {
			if in != 0 && in != post.vid {
				return 0
			}
			in = post.vid
		}
	}
	return in
}

// ends says whether each part that a person ticked may end so where some answer.
func (r *Round) ends(now sight, seen *Seen) bool {
	for i, ended := range seen.Parts {
		if i >= len(seen.Test.Reach) || ended == Untold {
			continue
		}
		to := &seen.Test.Reach[i]
		k := slices.IndexFunc(r.world.posts, func(post post) bool { return !post.rival && post.called() == to.To })
		if to.Service != string(office.Ping) || k < 0 || to.Routed || i >= len(seen.Test.Reach)-len(seen.Test.trials) {
			continue // across devices that route: see [Round.lets]
		}
		if slices.Contains(r.world.sets[now], k) != (ended == Answered) {
			return false
		}
	}
	return true
}

// same says whether a sight is what somebody wrote down.
func (r *Round) same(sight sight, instead []string) bool {
	is := r.world.called(sight)
	said := slices.Clone(instead)
	slices.Sort(is)
	slices.Sort(said)
	return slices.Equal(slices.Compact(is), slices.Compact(said))
}

// lets says whether, under a mistake, each try ends as it did.
func (r *Round) lets(results []Seen, m int) bool {
	var at *talk.Map
	for _, seen := range results {
		for k, ended := range seen.tried() {
			if ended == Untold || k >= len(seen.Test.trials) {
				continue
			}
			if at == nil {
				at = talk.New(r.world.net.Update(r.Mistakes[m].after))
			}
			if r.world.holds(at, r.world.posts, seen.Test.trials[k]) != (ended == Answered) {
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
func (r *Round) fits(sight sight, answered []string) (silent int, ok bool) {
	is := r.world.called(sight)
	if slices.ContainsFunc(answered, func(a string) bool { return !slices.Contains(is, a) }) {
		return 0, false
	}
	for _, sign := range r.world.more[sight] { // what he would have noticed
		if sign.kind.noticed(ByProbe) && sign.kind != occupied && !slices.Contains(answered, r.world.text(sign)) {
			return 0, false
		}
	}
	heard := map[string]bool{}
	for _, k := range r.world.sets[sight] {
		if k >= len(r.world.posts) {
			continue
		}
		if post := &r.world.posts[k]; post.plug == nil && post.addr.IsValid() {
			heard[post.device] = heard[post.device] || slices.Contains(answered, post.called())
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
func (r *Round) join(all *[]Suspect, suspect Suspect) {
	m := suspect.Mistakes[0][0]
	for i := range *all {
		if k := (*all)[i].Mistakes[0]; len(k) == 1 && (r.alike(k[0], m) || r.Mistakes[m].Port.Device != "" && r.Mistakes[k[0]].Port == r.Mistakes[m].Port) {
			if suspect.weight < (*all)[i].weight { // the likeliest first
				(*all)[i].Mistakes = slices.Insert((*all)[i].Mistakes, 0, suspect.Mistakes[0])
				(*all)[i].weight = suspect.weight
			} else {
				(*all)[i].Mistakes = append((*all)[i].Mistakes, suspect.Mistakes[0])
			}
			return
		}
	}
	*all = append(*all, suspect)
}

// alike says whether no laptop anywhere sees one mistake otherwise than another.
func (r *Round) alike(a, b int) bool {
	x, y := r.world.seen[a], r.world.seen[b]
	if len(x) != len(y) {
		return false
	}
	for k, sight := range x {
		if other, ok := y[k]; !ok || sight != other {
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
		if slices.ContainsFunc(results, func(seen Seen) bool { return seen.Test.at == a }) {
			return
		}
		kinds := map[sight]bool{}
		for _, suspect := range suspects {
			now := r.world.plan[a]
			for _, m := range suspect.Mistakes[0] {
				if sight, ok := r.world.seen[m][a]; ok {
					now = sight
				}
			}
			kinds[now] = true
		}
		if len(kinds) > parts {
			best, parts = a, len(kinds)
		}
	}
	for _, test := range r.Tests {
		try(test.at)
	}
	for a := range r.own {
		try(a)
	}
	if best < 0 {
		return Test{}, false
	}
	return r.world.test(best, true), true
}
