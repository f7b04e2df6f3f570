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
func opens(net *span.Net, known numbers) map[way]*talk.Services {
	out := map[way]*talk.Services{}
	for _, pair := range talk.NewTable(net).Pairs() {
		one := way{known.of(pair.From), known.of(pair.To)}
		if pair.Open == talk.None || one.from == one.to {
			continue
		}
		out[one] = of(out, one).Or(pair.Open)
	}
	return out
}

func of(m map[way]*talk.Services, way way) *talk.Services {
	if open := m[way]; open != nil {
		return open
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
func (r *routing) look(net *span.Net) (out []breach) {
	now := opens(net, r.numbers)
	ways := map[way]bool{}
	for _, m := range []map[way]*talk.Services{r.was, r.plan, now} {
		for way := range m {
			ways[way] = true
		}
	}
	for way := range ways {
		was, plan, is := of(r.was, way), of(r.plan, way), of(now, way)
		name := func(vid office.VID) string {
			if vid == 0 {
				return "the outside"
			}
			return net.Name(vid)
		}
		if lost := was.And(plan).Minus(is); lost != talk.None {
			out = append(out, breach{way, false, fmt.Sprintf("%s to %s: %s", name(way.from), name(way.to), lost)})
		}
		if open := is.Minus(was).Minus(plan); open != talk.None {
			out = append(out, breach{way, true, fmt.Sprintf("%s to %s: %s", name(way.from), name(way.to), open)})
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
		return acts[i].world.breaks
	}
	for i := range acts {
		for _, breach := range at(i) {
			if breach.leak {
				out.Leaks++
			}
			if slices.Contains(at(i-1), breach) {
				continue
			}
			until := i + 1
			for slices.Contains(at(until), breach) {
				until++
			}
			until = min(until, len(acts)-1)
			st := &out.Steps[i]
			if breach.leak {
				pair := [2]office.VID{min(breach.from, breach.to), max(breach.from, breach.to)}
				if k := slices.IndexFunc(st.Joins, func(join Join) bool { return join.VLANs == pair }); k >= 0 { // there and back are one
					st.Joins[k].Until = max(st.Joins[k].Until, until)
				} else {
					st.Joins = append(st.Joins, Join{pair, until})
				}
				st.Told = append(st.Told, fmt.Sprintf("LEAK until step %d: %s passes.", until+1, breach.text))
				continue
			}
			st.Interrupts = append(st.Interrupts, Interrupt{breach.from, []string{st.Device}, until, breach.text})
		}
	}
}
