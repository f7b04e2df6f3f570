package order

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// way is who asks and who is asked; 0 is the outside.
type way struct{ from, to office.VID }

// routing holds what an order promises across devices that route: what may pass
// before and after passes at every step, and what may in neither does not.
type routing struct {
	was, plan map[way]*talk.Services
	numbers   numbers
}

// opens is what is open between VLANs, and to and from the outside.
func opens(n *span.Net, known numbers) map[way]*talk.Services {
	out := map[way]*talk.Services{}
	for _, p := range talk.NewTable(n).Pairs() {
		w := way{known.of(p.From), known.of(p.To)}
		if p.Open == talk.None || w.from == w.to {
			continue
		}
		out[w] = of(out, w).Or(p.Open)
	}
	return out
}

func of(m map[way]*talk.Services, w way) *talk.Services {
	if s := m[w]; s != nil {
		return s
	}
	return talk.None
}

// breach is what does not pass although it should, or passes although it should not.
type breach struct {
	way
	leak bool
	text string
}

// newRouting compares the office before with the one after.
func newRouting(was, plan *span.Net, renumbered numbers) *routing {
	return &routing{opens(was, renumbered), opens(plan, nil), renumbered}
}

// look lists what an office on the way breaks.
func (r *routing) look(n *span.Net) (out []breach) {
	now := opens(n, r.numbers)
	ways := map[way]bool{}
	for _, m := range []map[way]*talk.Services{r.was, r.plan, now} {
		for w := range m {
			ways[w] = true
		}
	}
	for w := range ways {
		was, plan, is := of(r.was, w), of(r.plan, w), of(now, w)
		name := func(v office.VID) string {
			if v == 0 {
				return "the outside"
			}
			return n.Name(v)
		}
		if lost := was.And(plan).Minus(is); lost != talk.None {
			out = append(out, breach{w, false, fmt.Sprintf("%s to %s: %s", name(w.from), name(w.to), lost)})
		}
		if open := is.Minus(was).Minus(plan); open != talk.None {
			out = append(out, breach{w, true, fmt.Sprintf("%s to %s: %s", name(w.from), name(w.to), open)})
		}
	}
	slices.SortFunc(out, func(a, b breach) int {
		return int(a.from)<<13 + int(a.to)<<1 - int(b.from)<<13 - int(b.to)<<1
	})
	return out
}

// route adds to an order what its steps on addresses, routes and rules open and shut
// for a while.
func (p *problem) route(out *Order, acts []*node) {
	at := func(i int) []breach {
		if i < 0 || i >= len(acts) {
			return nil
		}
		return acts[i].w.breaks
	}
	for i := range acts {
		for _, b := range at(i) {
			if b.leak {
				out.Leaks++
			}
			if slices.Contains(at(i-1), b) {
				continue
			}
			until := i + 1
			for slices.Contains(at(until), b) {
				until++
			}
			until = min(until, len(acts)-1)
			st := &out.Steps[i]
			if b.leak {
				pair := [2]office.VID{min(b.from, b.to), max(b.from, b.to)}
				if k := slices.IndexFunc(st.Joins, func(x Join) bool { return x.VLANs == pair }); k >= 0 { // there and back are one
					st.Joins[k].Until = max(st.Joins[k].Until, until)
				} else {
					st.Joins = append(st.Joins, Join{pair, until})
				}
				st.Told = append(st.Told, fmt.Sprintf("LEAK until step %d: %s passes.", until+1, b.text))
				continue
			}
			st.Interrupts = append(st.Interrupts, Interrupt{b.from, []string{st.Device}, until, b.text})
		}
	}
}
