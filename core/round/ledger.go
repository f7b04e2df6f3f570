package round

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/talk"
)

// Apart is the round for one who asks: tests with other tags and suspects may add to it
// what is then known of them, and the round itself stays as it was made.
func (r *Round) Apart() *Round {
	w := *r.w
	w.asks, w.plan, w.seen = slices.Clip(w.asks), slices.Clip(w.plan), slices.Clip(w.seen)
	w.sets, w.more, w.across, w.known = slices.Clip(w.sets), slices.Clip(w.more), slices.Clip(w.across), maps.Clone(w.known)
	out := *r
	out.Mistakes, out.w = slices.Clip(r.Mistakes), &w
	return &out
}

// Find is the test of a port and a tag, 0 for none: one of the round, or another place
// where one can plug in; extra allows tags that the plan has not there.
func (r *Round) Find(port office.PortRef, wire int, extra bool) (Test, error) {
	worn := bridge.Untagged
	if wire > 0 {
		worn = bridge.Wire(wire)
	}
	all, err := r.At(port)
	if err != nil {
		return Test{}, err
	}
	for _, t := range slices.Concat(r.Tests, all) {
		if t.Port == port && t.Wire == worn {
			return t, nil
		}
	}
	if extra && wire > 0 {
		if t, _, err := r.Tagged(port, office.VID(wire)); err == nil {
			return t, nil
		}
	}
	return Test{}, fmt.Errorf("nothing is planned at %s %s tagged %d", port.Device, port.Port, wire)
}

// Kept is what became of a test, as it is kept.
type Kept struct {
	Port    office.PortRef
	Wire    int // 0 for untagged
	Planned Planned
	Seen         // its Test is found anew
	Extra   bool // tags that the plan has not count too
}

// Planned is what was to be seen at a test when somebody looked.
type Planned struct {
	VLAN     office.VID
	Server   string
	From, To netip.Addr
	Reach    []Reach
}

// Planned is what is to be seen at a test.
func (t *Test) Planned() Planned { return Planned{t.VLAN, t.Server, t.From, t.To, t.Reach} }

// Then is a test with what somebody tried there who looked when something was planned; false
// where that is to be seen no more. Which of it is tried may change with every edit; what it
// says stands as long as the plan says so.
func (r *Round) Then(t Test, was Planned) (Test, bool) {
	if t.VLAN != was.VLAN || t.Server != was.Server || t.From != was.From || t.To != was.To {
		return t, false
	}
	w := r.w
	planned := w.sets[w.plan[t.at]]
	from := slices.IndexFunc(w.who, func(l laptop) bool { return l.vlan == t.VLAN && t.VLAN != 0 })
	t.Reach, t.trials = slices.Clone(was.Reach), nil
	for i, x := range was.Reach {
		holds := false
		if x.Across {
			to := slices.IndexFunc(w.targets, func(y target) bool { return y.name == x.To })
			if from < 0 || to < 0 {
				return t, false
			}
			open := w.passes[from][to]
			holds = open != nil && open.Meets(talk.Of(w.n.Office, []office.Service{x.What}))
			t.trials = append(t.trials, trial{from: t.VLAN, to: w.targets[to].addr, what: x.What, reach: x})
		} else {
			if a, err := netip.ParseAddr(x.To); err == nil {
				t.Reach[i].Routed = !x.OK && w.lets(t.VLAN, a, pinging)
			}
			holds = slices.ContainsFunc(planned, func(k int) bool { return w.posts[k].called() == x.To })
		}
		if holds != x.OK {
			return t, false
		}
	}
	return t, true
}

// Line is a test of a ledger.
type Line struct {
	Test   Test
	Extra  bool // it is not one of the full round
	Quick  bool // it is one of the quick round
	Real   Entry
	Played Entry // what was played stands apart, and never replaces what somebody saw
}

// Entry is what became of a test.
type Entry struct {
	Of    int      // index of what was kept; -1 where nothing was yet
	Old   bool     // another thing is to be seen there now, and what became of it counts no more
	Wrong []string // what is to be said of it beside what was written down
}

// Ledger is a round with what became of its tests: those of the full and of the quick round in
// walking order, then others.
type Ledger struct {
	Lines  []Line
	Seen   []Seen // what counts, for [Round.Suspects]
	Played []Seen // the same of what was played
}

// Ledger holds what was kept against the round of the plan as it is now: places that are
// gone are left out, what is to be seen otherwise is old.
func (r *Round) Ledger(kept []Kept) *Ledger {
	type place struct {
		port office.PortRef
		wire bridge.Wire
	}
	out, at := &Ledger{}, map[place]int{}
	quick := r.Quick()
	full := map[int]bool{}
	var asks []int
	tests := map[int]Test{}
	for _, t := range r.Tests {
		full[t.at] = true
		asks, tests[t.at] = append(asks, t.at), t
	}
	for _, t := range quick {
		if !full[t.at] {
			asks, tests[t.at] = append(asks, t.at), t
		}
	}
	r.w.walking(asks)
	nothing := Entry{Of: -1}
	for _, a := range asks {
		t := tests[a]
		at[place{t.Port, t.Wire}] = len(out.Lines)
		out.Lines = append(out.Lines, Line{Test: t, Extra: !full[a], Quick: slices.Contains(r.quick, a), Real: nothing, Played: nothing})
	}
	for k, x := range kept {
		test, err := r.Find(x.Port, x.Wire, x.Extra)
		if err != nil {
			continue // nobody can plug in there any more
		}
		i, ok := at[place{test.Port, test.Wire}]
		if !ok {
			i = len(out.Lines)
			at[place{test.Port, test.Wire}] = i
			out.Lines = append(out.Lines, Line{Test: test, Extra: true, Real: nothing, Played: nothing})
		}
		line := &out.Lines[i].Real
		if x.How == ByPlay {
			line = &out.Lines[i].Played
		}
		then, same := r.Then(test, x.Planned)
		line.Of, line.Old = k, !same
		if x.Given.IsValid() && !x.Passed && x.How == ByHand && r.Hands(x.Given) == 0 {
			line.Wrong = append(line.Wrong, fmt.Sprintf("nobody of the plan hands out %s: another server is there", x.Given))
		}
		if !line.Old {
			seen := x.Seen
			seen.Test = then
			if x.How == ByPlay {
				out.Played = append(out.Played, seen)
			} else {
				out.Seen = append(out.Seen, seen)
			}
		}
	}
	return out
}

// Failed is the places at which a test that somebody made, and that counts, failed, each once, in the order of the
// ledger, and the line of the first; -1 for none.
func (l *Ledger) Failed(kept []Kept) (at []office.PortRef, first int) {
	first = -1
	for i, x := range l.Lines {
		if x.Real.Of < 0 || x.Real.Old || kept[x.Real.Of].Passed {
			continue
		}
		if first < 0 {
			first = i
		}
		if !slices.Contains(at, x.Test.Port) {
			at = append(at, x.Test.Port)
		}
	}
	return at, first
}
