package proof

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/core/span"
)

// seen is what a laptop sees at a port in one form: whose management answers it, in this form
// and with tags besides, by single frames, one way and back; and of which VLANs somebody is
// heard who does not answer.
type seen struct {
	answers string
	heard   map[office.VID]bool
}

// otherThan says whether a laptop sees that something is otherwise than planned: that nobody
// is heard is no sign.
func (s seen) otherThan(plan seen) bool {
	for v := range s.heard {
		if !plan.heard[v] {
			return true
		}
	}
	return s.answers != plan.answers
}

// sights is what a laptop sees at each port without a cable, in each form. tags is with which
// tags it tries an untagged port besides.
func sights(o *office.Office, asks []round.Test, tags func(round.Test) []office.VID) []seen {
	cabled := map[office.PortRef]bool{}
	for _, c := range o.Cables {
		cabled[c.A], cabled[c.B] = true, true
	}
	o = withInside(o)
	p := NewPlain(o)
	hears := map[string]map[string]bool{} // by port and wire
	from := func(dev int, port string, wire int) map[string]bool {
		key := fmt.Sprint(dev, port, wire)
		if hears[key] == nil {
			hears[key] = map[string]bool{}
			for _, a := range p.Arrivals(dev, port, wire) {
				hears[key][a] = true
			}
		}
		return hears[key]
	}
	var out []seen
	for _, x := range asks {
		if cabled[x.Port] {
			out = append(out, seen{answers: "a cable"})
			continue
		}
		i := slices.IndexFunc(o.Devices, func(d *office.Device) bool { return d.Name == x.Port.Device })
		wire := -1
		if x.Wire != bridge.Untagged {
			wire = int(x.Wire)
		}
		s := seen{heard: map[office.VID]bool{}}
		answers := map[office.VID]bool{}
		look := func(wire int, heard bool) (some bool) {
			for k, d := range o.Devices {
				if d.Manage == nil || !from(k, inside, -1)[fmt.Sprintf("%s.%s %d", x.Port.Device, x.Port.Port, wire)] {
					continue
				}
				switch {
				case from(i, x.Port.Port, wire)[fmt.Sprintf("%s.%s -1", d.Name, inside)]:
					some = true
					if heard {
						answers[d.Manage.VID] = true
						s.answers += d.Name + " "
					}
				case heard:
					s.heard[d.Manage.VID] = true
				}
			}
			return some
		}
		look(wire, true)
		for v := range answers {
			delete(s.heard, v)
		}
		for _, v := range tags(x) {
			if look(int(v), false) {
				s.answers += fmt.Sprintf("tagged %d ", v)
			}
		}
		out = append(out, s)
	}
	return out
}

// fewest is the size of the smallest set that has one of each case, by trying all: for
// each size, every member of the shortest case that has none yet.
func fewest(cases [][]int) int {
	slices.SortStableFunc(cases, func(a, b []int) int { return len(a) - len(b) })
	chosen := map[int]bool{}
	var can func(more int) bool
	can = func(more int) bool {
		at := slices.IndexFunc(cases, func(c []int) bool { return !slices.ContainsFunc(c, func(x int) bool { return chosen[x] }) })
		if at < 0 || more == 0 {
			return at < 0
		}
		for _, x := range cases[at] {
			chosen[x] = true
			if can(more - 1) {
				return true
			}
			delete(chosen, x)
		}
		return false
	}
	for size := 0; ; size++ {
		if clear(chosen); can(size) {
			return size
		}
	}
}

// TestRound: in drawn offices without a fault, every mistake that changes whom any
// laptop at any port sees is shown by the round, and none else is said to be; and the
// true one is among the suspects, first in at least 95 of 100. What a laptop sees is
// worked out anew, frame by frame.
func TestRound(t *testing.T) {
	offices := rapid.Custom(func(t *rapid.T) *office.Office {
		_, plan := drawnPair(t, 4)
		return plan
	})
	mistakes, shown, first, tests, smallest := 0, 0, 0, 0, 0
	for seed := range number("KLAMMER_ROUNDS", 25) {
		o := offices.Example(seed)
		r := round.Make(o)
		var asks []round.Test // every port in every form
		n := span.Compile(o)
		for i, d := range o.Devices {
			for p := range d.Ports {
				if len(n.Topo.LinksAt(i, p)) > 0 || n.Tables[i].Ports[p].Off {
					continue
				}
				ref := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
				asks = append(asks, round.Test{Port: ref, Wire: bridge.Untagged})
				for v := range n.Tables[i].Ports[p].Tagged.All() {
					asks = append(asks, round.Test{Port: ref, Wire: bridge.Wire(v)})
				}
			}
		}
		tags := func(x round.Test) (out []office.VID) {
			i := n.Topo.DeviceIndex(x.Port.Device)
			d := o.Devices[i]
			for _, v := range o.VLANs {
				if x.Wire == bridge.Untagged && !d.Unaware() && !n.Tables[i].Ports[d.Port(x.Port.Port)].Tagged.Has(v.VID) {
					out = append(out, v.VID)
				}
			}
			return out
		}
		plan := sights(o, asks, tags)
		tests += len(r.Tests)
		var cases [][]int // by mistake, the asks that show it
		for m := range r.Mistakes {
			mistakes++
			var differs []int
			if made := r.Mistakes[m].Made(); made != nil {
				for k, s := range sights(made, asks, tags) {
					if s.otherThan(plan[k]) {
						differs = append(differs, k)
					}
				}
			}
			unshown := slices.Contains(r.Unshown, m)
			require.Equal(t, len(differs) == 0, unshown, "%d: %s\n%s", seed, r.Mistakes[m].Text, notation.Print(o))
			if unshown {
				continue
			}
			cases = append(cases, differs)
			shown++
			var res []round.Seen
			failed := 0
			for k, x := range r.PlayMade(r.Tests, m) {
				require.Equal(t, x.Passed, !slices.Contains(r.Tests[k].Shows, m), "%d: %s at %s", seed, r.Mistakes[m].Text, x.Test.Port)
				if !x.Passed {
					failed++
				}
				res = append(res, x.Seen)
			}
			require.Positive(t, failed, "%d: %s is not shown by the round", seed, r.Mistakes[m].Text)
			all := r.Suspects(res)
			at := slices.IndexFunc(all, func(s round.Suspect) bool {
				return slices.ContainsFunc(s.Mistakes, func(way []int) bool { return len(way) == 1 && way[0] == m })
			})
			require.GreaterOrEqual(t, at, 0, "%d: %s is no suspect", seed, r.Mistakes[m].Text)
			if at == 0 {
				first++
			}
		}
		smallest += fewest(cases)
	}
	t.Logf("%d mistakes, %d shown, named first %d; %d tests, where the smallest sets have %d", mistakes, shown, first, tests, smallest)
	require.LessOrEqual(t, tests*100, smallest*105)
	require.GreaterOrEqual(t, first*100, shown*95)
}
