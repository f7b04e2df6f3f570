package round

import (
	"cmp"
	"slices"

	"klammer/core/talk"
)

// What is looked at where no single mistake explains what was seen.
const (
	mostAtOnce = 6  // mistakes
	mostWays   = 50 // are told
)

// kind is mistakes that no laptop can tell apart, the likelier first.
type kind struct {
	of   []int
	seen map[int]sight // what is seen otherwise, by ask
	odd  int           // failed tests that it shows and where something else was seen
}

// weight is how rare the likeliest of a kind is.
func (r *Round) weight(kind *kind) int { return r.Mistakes[kind.of[0]].weight }

// kinds is mistakes that show some of what failed and nothing of what passed, those that no
// laptop can tell apart together or not; those that explain better what was seen, and the
// likelier, first.
func (r *Round) kinds(results []Seen, together bool) (out []kind) {
	by := map[int]*Seen{}
	for i := range results {
		by[results[i].Test.at] = &results[i]
	}
	for m := range r.Mistakes {
		hits, odd, against := 0, 0, false
		for a, now := range r.world.seen[m] {
			seen := by[a]
			switch {
			case seen == nil:
			case seen.Passed:
				against = against || r.world.noticesAt(now, seen)
			default:
				hits++
				if _, ok := r.agrees(r.answering(now, a), seen); !ok {
					odd++
				}
			}
		}
		if hits == 0 || against {
			continue
		}
		if i := slices.IndexFunc(out, func(kind kind) bool { return r.alike(kind.of[0], m) }); i >= 0 && together {
			out[i].of = append(out[i].of, m)
			continue
		}
		out = append(out, kind{[]int{m}, r.world.seen[m], odd})
	}
	for i := range out {
		slices.SortStableFunc(out[i].of, func(a, b int) int { return cmp.Compare(r.Mistakes[a].weight, r.Mistakes[b].weight) })
	}
	slices.SortStableFunc(out, func(a, b kind) int {
		return cmp.Or(cmp.Compare(a.odd, b.odd), cmp.Compare(r.weight(&a), r.weight(&b)))
	})
	return out
}

// several is mistakes that together explain what none does by itself, the fewest first. A
// set is made, in the office as planned, and what it gives is held against what was seen;
// where that differs at a test that failed, each kind that shows something there is tried
// besides. Sets that give all that was seen are told; else the one that differs least; where
// none was found that shows all that failed, the kinds that show most of what is left, one
// after the other.
//
//	> floor 8: 190 [110 160]; core 4: -
//	at core.4 untagged: 10.61.160.1 is to answer ping, and does not
//	at floor.1 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.2 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.3 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.4 [140]: 10.61.140.1 is to answer ping, and does not
//	so: core 4 lacks 160 and core 7 lacks 140
func (r *Round) several(results []Seen) []Suspect {
	together := r.search(results, r.kinds(results, true))
	if len(together.found) == 0 { // what is alike by itself may not be beside something else
		if apart := r.search(results, r.kinds(results, false)); len(apart.found) > 0 {
			together = apart
		}
	}
	return together.suspects()
}

// search looks for sets of some kinds.
func (r *Round) search(results []Seen, kinds []kind) *search {
	one := &search{round: r, results: results, kinds: kinds, known: map[[mostAtOnce]int]made{}, left: r.mostSets()}
	one.by = make([][]int, len(results))
	for i := range results {
		for k := range one.kinds {
			if _, ok := one.kinds[k].seen[results[i].Test.at]; ok && !results[i].Passed {
				one.by[i] = append(one.by[i], k)
			}
		}
		slices.SortStableFunc(one.by[i], func(a, b int) int { // what was seen there, by itself, first
			return cmp.Compare(one.odd(a, i), one.odd(b, i))
		})
	}
	for size := 2; size <= mostAtOnce && len(one.found) == 0; size++ {
		one.size = size
		one.find(nil)
	}
	return one
}

// suspects is what was found, the likeliest first.
func (s *search) suspects() (out []Suspect) {
	for _, set := range s.found {
		out = append(out, s.round.suspect(s.kinds, set, 0))
	}
	if len(out) == 0 && s.nearest != nil {
		out = append(out, s.round.suspect(s.kinds, s.nearest, s.least))
	}
	if len(out) == 0 {
		return s.round.greedy(s.kinds, s.results)
	}
	slices.SortStableFunc(out, func(a, b Suspect) int { return cmp.Compare(a.weight, b.weight) })
	return out[:min(len(out), mostWays)]
}

// mostSets is how many sets of mistakes are made in an office, so that it takes about a
// second at most.
func (r *Round) mostSets() int {
	ports := 0
	for _, device := range r.world.net.Office.Devices {
		ports += len(device.Ports)
	}
	return max(100, min(1500, 400_000/max(ports, 1)))
}

// search is the search of [Round.several].
type search struct {
	round   *Round
	results []Seen
	kinds   []kind
	by      [][]int // kinds that show something at a test that failed
	size    int
	left    int // sets that may still be made
	known   map[[mostAtOnce]int]made
	found   [][]int // sets that give all that was seen
	nearest []int   // else: that differs least, of those that show all that failed
	least   int
}

// odd counts one for a result that a kind of fault does not explain.
func (s *search) odd(k, i int) int {
	seen := &s.results[i]
	if _, ok := s.round.agrees(s.round.answering(s.kinds[k].seen[seen.Test.at], seen.Test.at), seen); ok {
		return 0
	}
	return 1
}

// find adds to a set until it has the size, or gives what was seen.
func (s *search) find(set []int) {
	differs, ok := s.differs(set)
	if !ok {
		return
	}
	at := -1
	for _, i := range differs {
		switch {
		case s.results[i].Passed: // one more does not make it good, as none shows there
			return
		case len(s.by[i]) > 0 && (at < 0 || len(s.by[i]) < len(s.by[at])):
			at = i
		}
	}
	if len(differs) == 0 {
		if len(set) == s.size {
			s.found = append(s.found, set)
		}
		return
	}
	if len(set) == s.size {
		if (s.nearest == nil || len(differs) < s.least) && !slices.ContainsFunc(s.results, func(seen Seen) bool { return !seen.Passed && !s.shows(set, seen.Test.at) }) {
			s.nearest, s.least = set, len(differs)
		}
		return
	}
	if at < 0 { // nothing shows there: whatever is left
		return
	}
	for _, k := range s.by[at] {
		if !slices.Contains(set, k) {
			next := append(slices.Clone(set), k)
			slices.Sort(next)
			s.find(next)
		}
	}
}

func (s *search) shows(set []int, a int) bool {
	return slices.ContainsFunc(set, func(k int) bool { _, ok := s.kinds[k].seen[a]; return ok })
}

// made is what became of a set that was made.
type made struct {
	size    int   // that was looked for when it was found last
	differs []int // tests
	can     bool  // it can be made
}

// differs is at which tests a set gives something else than was seen; false where it cannot
// be made, was found already while sets of the size were looked for, or no more may be made.
func (s *search) differs(set []int) ([]int, bool) {
	key := [mostAtOnce]int{}
	for i, k := range set {
		key[i] = k + 1
	}
	made, ok := s.known[key]
	if ok && made.size == s.size {
		return nil, false
	}
	if !ok {
		if s.left--; s.left < 0 {
			return nil, false
		}
		made.differs, made.can = s.round.differs(s.kinds, set, s.results)
	}
	made.size = s.size
	s.known[key] = made
	return made.differs, made.can
}

// wrong is what a test weighs at which a set of mistakes gives something else than was
// seen; more than any likelihood.
const wrong = 10_000

// suspect is a set of kinds: the likeliest of each, and the others that are alike.
func (r *Round) suspect(kinds []kind, set []int, differs int) Suspect {
	suspect := Suspect{Mistakes: [][]int{nil}, Near: differs > 0, weight: wrong*differs + 1000*len(set)}
	for _, k := range set {
		suspect.weight += 10 * r.weight(&kinds[k])
		suspect.Mistakes[0] = append(suspect.Mistakes[0], kinds[k].of[0])
		suspect.Or = append(suspect.Or, kinds[k].of[1:]...)
	}
	return suspect
}

// differs is at which tests a set of mistakes, made at once, gives something else than was
// seen; false where two at one place cannot be made at once.
//
// Many branches: what passed, failed, was tried and was not told is each held against what
// would be seen.
func (r *Round) differs(kinds []kind, set []int, results []Seen) (out []int, ok bool) {
	var all []int
	across := map[int]bool{} // asks at which one of them differs in what is tried alone
	for _, k := range set {
		all = append(all, kinds[k].of[0])
		for a, sight := range kinds[k].seen {
			if sight < 0 {
				across[a] = true
			}
		}
	}
	o := r.Made(all...)
	if o == nil {
		return nil, false
	}
	asks := make([]ask, 0, len(results))
	for _, seen := range results {
		asks = append(asks, r.world.asks[seen.Test.at])
	}
	net := r.world.net.Update(o)
	var at *talk.Map
	posts := r.turnedBy(net, all)
	for i, now := range r.world.lookAt(net, posts, asks) {
		seen := &results[i]
		how := ByPlay
		if seen.Passed {
			how = seen.How
		}
		fails := r.world.notices(now, r.world.plan[seen.Test.at], how)
		tells := false
		if !fails && across[seen.Test.at] {
			if at == nil {
				at = talk.New(net)
			}
			fails = slices.ContainsFunc(seen.Test.trials, func(trial trial) bool { return r.world.holds(at, r.world.posts, trial) != trial.reach.OK })
		}
		for k, ended := range seen.tried() { // what was tried ends as it did
			if ended != Untold && k < len(seen.Test.trials) && !seen.Passed {
				if at == nil {
					at = talk.New(net)
				}
				tells = tells || r.world.holds(at, r.world.posts, seen.Test.trials[k]) != (ended == Answered)
			}
		}
		_, same := r.agrees(now, seen)
		if fails == seen.Passed || tells || !seen.Passed && !same {
			out = append(out, i)
		}
	}
	return out, true
}

// greedy is the kind first that shows most of what is left, of equal ones the likelier;
// none where something is left that none shows.
func (r *Round) greedy(kinds []kind, results []Seen) []Suspect {
	left := map[int]bool{}
	for _, seen := range results {
		if !seen.Passed {
			left[seen.Test.at] = true
		}
	}
	by := map[int][]int{} // kinds, by what they show
	shows := make([]int, len(kinds))
	for k := range kinds {
		for a := range kinds[k].seen {
			if left[a] {
				by[a] = append(by[a], k)
				shows[k]++
			}
		}
	}
	var set []int
	for len(left) > 0 {
		best := -1
		for k, n := range shows {
			if n > 0 && (best < 0 || n > shows[best]) {
				best = k
			}
		}
		if best < 0 {
			return nil
		}
		set = append(set, best)
		for a := range kinds[best].seen {
			if left[a] {
				delete(left, a)
				for _, k := range by[a] {
					shows[k]--
				}
			}
		}
	}
	differs, ok := r.differs(kinds, set, results)
	if !ok {
		return []Suspect{r.suspect(kinds, set, len(results))}
	}
	if slices.ContainsFunc(differs, func(i int) bool { return results[i].Passed }) {
		return nil // a suspect speaks against nothing that is as planned
	}
	return []Suspect{r.suspect(kinds, set, len(differs))}
}
