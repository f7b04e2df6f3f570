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
func (r *Round) weight(k *kind) int { return r.Mistakes[k.of[0]].weight }

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
		for a, now := range r.w.seen[m] {
			s := by[a]
			switch {
			case s == nil:
			case s.Passed:
				against = against || r.w.noticesAt(now, s)
			default:
				hits++
				if _, ok := r.agrees(r.answering(now, a), s); !ok {
					odd++
				}
			}
		}
		if hits == 0 || against {
			continue
		}
		if i := slices.IndexFunc(out, func(k kind) bool { return r.alike(k.of[0], m) }); i >= 0 && together {
			out[i].of = append(out[i].of, m)
			continue
		}
		out = append(out, kind{[]int{m}, r.w.seen[m], odd})
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
	s := &search{r: r, results: results, kinds: kinds, known: map[[mostAtOnce]int]made{}, left: r.mostSets()}
	s.by = make([][]int, len(results))
	for i := range results {
		for k := range s.kinds {
			if _, ok := s.kinds[k].seen[results[i].Test.at]; ok && !results[i].Passed {
				s.by[i] = append(s.by[i], k)
			}
		}
		slices.SortStableFunc(s.by[i], func(a, b int) int { // what was seen there, by itself, first
			return cmp.Compare(s.odd(a, i), s.odd(b, i))
		})
	}
	for size := 2; size <= mostAtOnce && len(s.found) == 0; size++ {
		s.size = size
		s.find(nil)
	}
	return s
}

// suspects is what was found, the likeliest first.
func (s *search) suspects() (out []Suspect) {
	for _, set := range s.found {
		out = append(out, s.r.suspect(s.kinds, set, 0))
	}
	if len(out) == 0 && s.nearest != nil {
		out = append(out, s.r.suspect(s.kinds, s.nearest, s.least))
	}
	if len(out) == 0 {
		return s.r.greedy(s.kinds, s.results)
	}
	slices.SortStableFunc(out, func(a, b Suspect) int { return cmp.Compare(a.weight, b.weight) })
	return out[:min(len(out), mostWays)]
}

// mostSets is how many sets of mistakes are made in an office, so that it takes about a
// second at most.
func (r *Round) mostSets() int {
	ports := 0
	for _, d := range r.w.n.Office.Devices {
		ports += len(d.Ports)
	}
	return max(100, min(1500, 400_000/max(ports, 1)))
}

// search is the search of [Round.several].
type search struct {
	r       *Round
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

func (s *search) odd(k, i int) int {
	x := &s.results[i]
	if _, ok := s.r.agrees(s.r.answering(s.kinds[k].seen[x.Test.at], x.Test.at), x); ok {
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
		if (s.nearest == nil || len(differs) < s.least) && !slices.ContainsFunc(s.results, func(x Seen) bool { return !x.Passed && !s.shows(set, x.Test.at) }) {
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
	m, ok := s.known[key]
	if ok && m.size == s.size {
		return nil, false
	}
	if !ok {
		if s.left--; s.left < 0 {
			return nil, false
		}
		m.differs, m.can = s.r.differs(s.kinds, set, s.results)
	}
	m.size = s.size
	s.known[key] = m
	return m.differs, m.can
}

// wrong is what a test weighs at which a set of mistakes gives something else than was
// seen; more than any likelihood.
const wrong = 10_000

// suspect is a set of kinds: the likeliest of each, and the others that are alike.
func (r *Round) suspect(kinds []kind, set []int, differs int) Suspect {
	s := Suspect{Mistakes: [][]int{nil}, Near: differs > 0, weight: wrong*differs + 1000*len(set)}
	for _, k := range set {
		s.weight += 10 * r.weight(&kinds[k])
		s.Mistakes[0] = append(s.Mistakes[0], kinds[k].of[0])
		s.Or = append(s.Or, kinds[k].of[1:]...)
	}
	return s
}

// differs is at which tests a set of mistakes, made at once, gives something else than was
// seen; false where two at one place cannot be made at once.
func (r *Round) differs(kinds []kind, set []int, results []Seen) (out []int, ok bool) {
	var all []int
	across := map[int]bool{} // asks at which one of them differs in what is tried alone
	for _, k := range set {
		all = append(all, kinds[k].of[0])
		for a, s := range kinds[k].seen {
			if s < 0 {
				across[a] = true
			}
		}
	}
	o := r.Made(all...)
	if o == nil {
		return nil, false
	}
	asks := make([]ask, 0, len(results))
	for _, s := range results {
		asks = append(asks, r.w.asks[s.Test.at])
	}
	net := r.w.n.Update(o)
	var at *talk.Map
	posts := r.turnedBy(net, all)
	for i, now := range r.w.lookAt(net, posts, asks) {
		s := &results[i]
		how := ByPlay
		if s.Passed {
			how = s.How
		}
		fails := r.w.notices(now, r.w.plan[s.Test.at], how)
		tells := false
		if !fails && across[s.Test.at] {
			if at == nil {
				at = talk.New(net)
			}
			fails = slices.ContainsFunc(s.Test.trials, func(t trial) bool { return r.w.holds(at, r.w.posts, t) != t.reach.OK })
		}
		for k, ended := range s.tried() { // what was tried ends as it did
			if ended != Untold && k < len(s.Test.trials) && !s.Passed {
				if at == nil {
					at = talk.New(net)
				}
				tells = tells || r.w.holds(at, r.w.posts, s.Test.trials[k]) != (ended == Answered)
			}
		}
		_, same := r.agrees(now, s)
		if fails == s.Passed || tells || !s.Passed && !same {
			out = append(out, i)
		}
	}
	return out, true
}

// greedy is the kind first that shows most of what is left, of equal ones the likelier;
// none where something is left that none shows.
func (r *Round) greedy(kinds []kind, results []Seen) []Suspect {
	left := map[int]bool{}
	for _, s := range results {
		if !s.Passed {
			left[s.Test.at] = true
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
