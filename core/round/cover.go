package round

import "slices"

// findShows notes which mistakes show at each ask.
func (w *world) findShows() {
	w.shows = make([][]int, len(w.asks))
	for m, diff := range w.seen {
		for a := range diff {
			w.shows[a] = append(w.shows[a], m)
		}
	}
}

// showing is the mistakes that show at an ask; none at one that the plan has not.
func (w *world) showing(a int) []int {
	if a < len(w.shows) {
		return w.shows[a]
	}
	return nil
}

// smallest is a small set of places that together have every thing that some place has: the
// one first that has most of what is left; then without those that the others make needless,
// and with one in the place of two where that is enough. A thing is a number below things.
//
//	places 0: a b    1: b c    2: c    the first is 0 (or 1), then 1 for c
func smallest(shows [][]int, things int) []int {
	by := make([][]int, things) // places by thing
	for a := range shows {
		for _, m := range shows[a] {
			by[m] = append(by[m], a)
		}
	}
	count := make([]int, things) // chosen places that have it
	left := 0
	for m := range by {
		if len(by[m]) > 0 {
			left++
		}
	}
	gain := make([]int, len(shows)) // things that it has and no chosen one has
	for a := range shows {
		gain[a] = len(shows[a])
	}
	chosen := make([]bool, len(shows))
	take := func(a int) {
		chosen[a] = true
		for _, m := range shows[a] {
			if count[m]++; count[m] == 1 {
				left--
				for _, b := range by[m] {
					gain[b]--
				}
			}
		}
	}
	drop := func(a int) {
		chosen[a] = false
		for _, m := range shows[a] {
			if count[m]--; count[m] == 0 {
				left++
				for _, b := range by[m] {
					gain[b]++
				}
			}
		}
	}
	var order []int
	for left > 0 {
		best := 0
		for a := range gain {
			if gain[a] > gain[best] {
				best = a
			}
		}
		take(best)
		order = append(order, best)
	}
	for _, a := range slices.Backward(order) {
		if !slices.ContainsFunc(shows[a], func(m int) bool { return count[m] == 1 }) {
			drop(a)
		}
	}
	// One in the place of two: what only they show, it shows.
	needs := make([]int, len(shows)) // things that only it has, of those chosen
	owner := make([]int, things)
	tally := make([]int, len(shows))
	for more := true; more; {
		more = false
		clear(needs)
		for a := range chosen {
			for _, m := range shows[a] {
				if chosen[a] && count[m] == 1 {
					owner[m] = a
					needs[a]++
				}
			}
		}
		for z := 0; z < len(chosen) && !more; z++ {
			if chosen[z] {
				continue
			}
			var whole []int
			for _, m := range shows[z] {
				if count[m] == 1 {
					if tally[owner[m]]++; tally[owner[m]] == needs[owner[m]] {
						whole = append(whole, owner[m])
					}
				}
			}
			for _, m := range shows[z] {
				tally[owner[m]] = 0
			}
			for i := 0; i < len(whole) && !more; i++ {
				for _, y := range whole[:i] {
					drop(whole[i])
					drop(y)
					if gain[z] == left {
						take(z)
						more = true
						break
					}
					take(y)
					take(whole[i])
				}
			}
		}
	}
	var out []int
	for a := range chosen {
		if chosen[a] {
			out = append(out, a)
		}
	}
	return out
}
