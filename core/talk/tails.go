package talk

// tails remembers ways from each router on, which are the same by whatever
// interface a packet came in, while a table is made. What it gives is good until
// the next but one is asked for.
type tails struct {
	of   [][]*way // by device, by end
	pool [2]way
	turn int
}

// remember is the map for asking about many ends, one after the other; it is not
// to be shared.
func (m *Map) remember() *Map {
	own := *m
	own.tails = &tails{of: make([][]*way, len(m.routers))}
	return &own
}

// tail is the way from a router to an end as it goes whatever interface it came in by, worked out
// once for each router and end, with what the interface decides put on top. Of what it gives two
// are kept at a time: the way there and the way back.
func (m *Map) tail(router *router, in int, at *stand, dst *End) *way {
	tails := m.tails
	if tails.of[router.dev] == nil {
		tails.of[router.dev] = make([]*way, len(m.ends))
	}
	base := tails.of[router.dev][dst.at]
	if base == nil {
		base = m.follow(router, router.outside(), nil, dst)
		tails.of[router.dev][dst.at] = base
	}
	tails.turn ^= 1
	one := &tails.pool[tails.turn]
	steps := append(one.steps[:0], base.steps...)
	*one = *base
	one.steps = steps
	if len(steps) > 0 && steps[0].router == router {
		steps[0].in, steps[0].at = in, at
	} else if one.own != nil && one.own.router == router {
		one.ownIn = in
	}
	return one
}
