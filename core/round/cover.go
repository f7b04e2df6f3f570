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
	c := newCovering(shows, things)
	var order []int
	for c.left > 0 {
		best := 0
		for a := range c.gain {
			if c.gain[a] > c.gain[best] {
				best = a
			}
		}
		c.take(best)
		order = append(order, best)
	}
	for _, a := range slices.Backward(order) {
		if !slices.ContainsFunc(shows[a], func(m int) bool { return c.count[m] == 1 }) {
			c.drop(a)
		}
	}
	for c.exchange() {
	}
	var out []int
	for a, is := range c.chosen {
		if is {
			out = append(out, a)
		}
	}
	return out
}

// covering is a set of places while it is chosen, and how often each thing is had by it.
type covering struct {
	shows  [][]int // things by place
	by     [][]int // places by thing
	count  []int   // chosen places that have a thing
	left   int     // things that some place has and no chosen one
	gain   []int   // things that a place has and no chosen one
	chosen []bool
}

func newCovering(shows [][]int, things int) *covering {
	c := &covering{shows: shows, by: make([][]int, things), count: make([]int, things), gain: make([]int, len(shows)), chosen: make([]bool, len(shows))}
	for a := range shows {
		c.gain[a] = len(shows[a])
		for _, m := range shows[a] {
			c.by[m] = append(c.by[m], a)
		}
	}
	for m := range c.by {
		if len(c.by[m]) > 0 {
			c.left++
		}
	}
	return c
}

func (c *covering) take(a int) {
	c.chosen[a] = true
	for _, m := range c.shows[a] {
		if c.count[m]++; c.count[m] == 1 {
			c.left--
			for _, b := range c.by[m] {
				c.gain[b]--
			}
		}
	}
}

func (c *covering) drop(a int) {
	c.chosen[a] = false
	for _, m := range c.shows[a] {
		if c.count[m]--; c.count[m] == 0 {
			c.left++
			for _, b := range c.by[m] {
				c.gain[b]++
			}
		}
	}
}

// owners tells of each thing that one chosen place alone has which it is, and of each place how
// many such things it has.
func (c *covering) owners() (owner, needs []int) {
	owner, needs = make([]int, len(c.by)), make([]int, len(c.shows))
	for a, is := range c.chosen {
		for _, m := range c.shows[a] {
			if is && c.count[m] == 1 {
				owner[m] = a
				needs[a]++
			}
		}
	}
	return owner, needs
}

// exchange puts one place in the stead of two whose own things it has all, and says whether there was one.
func (c *covering) exchange() bool {
	owner, needs := c.owners()
	tally := make([]int, len(c.shows))
	for z, is := range c.chosen {
		if is {
			continue
		}
		var whole []int // chosen places that z could stand for, if it were for what they alone have
		for _, m := range c.shows[z] {
			if c.count[m] == 1 {
				if tally[owner[m]]++; tally[owner[m]] == needs[owner[m]] {
					whole = append(whole, owner[m])
				}
			}
		}
		for _, m := range c.shows[z] {
			tally[owner[m]] = 0
		}
		for i, x := range whole {
			for _, y := range whole[:i] {
				c.drop(x)
				c.drop(y)
				if c.gain[z] == c.left {
					c.take(z)
					return true
				}
				c.take(y)
				c.take(x)
			}
		}
	}
	return false
}
