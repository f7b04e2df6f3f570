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
	was, plan map[way]families
	numbers   numbers
}

// families is what is open by IPv4 and by IPv6; nil where nobody there has that family.
type families [2]*talk.Services

// open is what is open in a family, nothing where nobody has it.
func (f families) open(family int) *talk.Services {
	if f[family] == nil {
		return talk.None
	}
	return f[family]
}

// opens is what is open between VLANs, and to and from the outside.
func opens(net *span.Net, known numbers) map[way]families {
	out := map[way]families{}
	for _, pair := range talk.NewTable(net).Pairs() {
		one := way{known.of(pair.From), known.of(pair.To)}
		if pair.Open == talk.None || one.from == one.to {
			continue
		}
		both := out[one]
		for family, open := range pair.Over {
			if open != nil {
				both[family] = both.open(family).Or(open)
			}
		}
		out[one] = both
	}
	return out
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

// look lists what an office on the way breaks. Hosts with both families lose something when
// they lose one: which of the two is said where the other stays.
func (r *routing) look(net *span.Net) (out []breach) {
	now := opens(net, r.numbers)
	ways := map[way]bool{}
	for _, m := range []map[way]families{r.was, r.plan, now} {
		for way := range m {
			ways[way] = true
		}
	}
	for way := range ways {
		was, plan, is := r.was[way], r.plan[way], now[way]
		var lost, open [2]*talk.Services
		shared := 0 // families in which something may pass before and after
		for family := range was {
			before, after := was.open(family), plan.open(family)
			lost[family], open[family] = before.And(after).Minus(is.open(family)), is.open(family).Minus(before).Minus(after)
			if before.And(after) != talk.None {
				shared++
			}
		}
		title := nameOf(net, way.from) + " to " + nameOf(net, way.to) + ": "
		if text := byFamily(lost, shared > 1); text != "" {
			out = append(out, breach{way, false, title + text})
		}
		if text := byFamily(open, false); text != "" {
			out = append(out, breach{way, true, title + text})
		}
	}
	slices.SortFunc(out, func(a, b breach) int {
		return int(a.from)<<13 + int(a.to)<<1 - int(b.from)<<13 - int(b.to)<<1
	})
	return out
}

// nameOf is a VLAN, or the outside, as sentences have it.
func nameOf(net *span.Net, vid office.VID) string {
	if vid == 0 {
		return "the outside"
	}
	return net.Name(vid)
}

// byFamily says services of both families as one where they are the same or where there is only
// one to be told apart: "everything", "everything over IPv4"; "" for none.
func byFamily(services [2]*talk.Services, apart bool) string {
	four, six := services[0], services[1]
	switch {
	case four == talk.None && six == talk.None:
		return ""
	case !apart || four.Equal(six):
		return four.Or(six).String()
	case six == talk.None:
		return four.String() + " over IPv4"
	case four == talk.None:
		return six.String() + " over IPv6"
	}
	return fmt.Sprintf("%s over IPv4, %s over IPv6", four, six)
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
