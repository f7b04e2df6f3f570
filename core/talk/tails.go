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

func (m *Map) tail(r *router, in int, at *stand, dst *End) *way {
	t := m.tails
	if t.of[r.dev] == nil {
		t.of[r.dev] = make([]*way, len(m.ends))
	}
	base := t.of[r.dev][dst.at]
	if base == nil {
		base = m.follow(r, r.outside(), nil, dst)
		t.of[r.dev][dst.at] = base
	}
	t.turn ^= 1
	w := &t.pool[t.turn]
	steps := append(w.steps[:0], base.steps...)
	*w = *base
	w.steps = steps
	if len(steps) > 0 && steps[0].r == r {
		steps[0].in, steps[0].at = in, at
	} else if w.own != nil && w.own.r == r {
		w.ownIn = in
	}
	return w
}
