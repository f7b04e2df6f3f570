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
	world := *r.world
	world.asks, world.plan, world.seen = slices.Clip(world.asks), slices.Clip(world.plan), slices.Clip(world.seen)
	world.sets, world.more, world.across, world.known = slices.Clip(world.sets), slices.Clip(world.more), slices.Clip(world.across), maps.Clone(world.known)
	out := *r
	out.Mistakes, out.world = slices.Clip(r.Mistakes), &world
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
	for _, test := range slices.Concat(r.Tests, all) {
		if test.Port == port && test.Wire == worn {
			return test, nil
		}
	}
	if extra && wire > 0 {
		if test, _, err := r.Tagged(port, office.VID(wire)); err == nil {
			return test, nil
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
func (r *Round) Then(test Test, was Planned) (Test, bool) {
	if test.VLAN != was.VLAN || test.Server != was.Server || test.From != was.From || test.To != was.To {
		return test, false
	}
	world := r.world
	planned := world.sets[world.plan[test.at]]
	from := slices.IndexFunc(world.who, func(laptop laptop) bool { return laptop.vlan == test.VLAN && test.VLAN != 0 })
	test.Reach, test.trials = slices.Clone(was.Reach), nil
	for i, reach := range was.Reach {
		holds := false
		if reach.Across {
			to := slices.IndexFunc(world.targets, func(target target) bool { return target.name == reach.To })
			if from < 0 || to < 0 {
				return test, false
			}
			open := world.passes[from][to]
			holds = open != nil && open.Meets(talk.Of(world.net.Office, []office.Service{reach.What}))
			test.trials = append(test.trials, trial{from: test.VLAN, to: world.targets[to].addr, what: reach.What, reach: reach})
		} else {
			if addr, err := netip.ParseAddr(reach.To); err == nil {
				test.Reach[i].Routed = !reach.OK && world.lets(test.VLAN, addr, pinging)
			}
			holds = slices.ContainsFunc(planned, func(k int) bool { return world.posts[k].called() == reach.To })
		}
		if holds != reach.OK {
			return test, false
		}
	}
	return test, true
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
	for _, test := range r.Tests {
		full[test.at] = true
		asks, tests[test.at] = append(asks, test.at), test
	}
	for _, test := range quick {
		if !full[test.at] {
			asks, tests[test.at] = append(asks, test.at), test
		}
	}
	r.world.walking(asks)
	nothing := Entry{Of: -1}
	for _, a := range asks {
		test := tests[a]
		at[place{test.Port, test.Wire}] = len(out.Lines)
		out.Lines = append(out.Lines, Line{Test: test, Extra: !full[a], Quick: slices.Contains(r.quick, a), Real: nothing, Played: nothing})
	}
	for k, one := range kept {
		test, err := r.Find(one.Port, one.Wire, one.Extra)
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
		if one.How == ByPlay {
			line = &out.Lines[i].Played
		}
		then, same := r.Then(test, one.Planned)
		line.Of, line.Old = k, !same
		if one.Given.IsValid() && !one.Passed && one.How == ByHand && r.Hands(one.Given) == 0 {
			line.Wrong = append(line.Wrong, fmt.Sprintf("nobody of the plan hands out %s: another server is there", one.Given))
		}
		if !line.Old {
			seen := one.Seen
			seen.Test = then
			if one.How == ByPlay {
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
	for i, line := range l.Lines {
		if line.Real.Of < 0 || line.Real.Old || kept[line.Real.Of].Passed {
			continue
		}
		if first < 0 {
			first = i
		}
		if !slices.Contains(at, line.Test.Port) {
			at = append(at, line.Test.Port)
		}
	}
	return at, first
}
