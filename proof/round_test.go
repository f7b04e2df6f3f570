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

// sights is, by port without a cable and wire, the devices whose management answers a
// laptop there: by single frames, one way and back.
func sights(o *office.Office, asks []round.Test) []string {
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
	var out []string
	for _, x := range asks {
		i := slices.IndexFunc(o.Devices, func(d *office.Device) bool { return d.Name == x.Port.Device })
		wire := -1
		if x.Wire != bridge.Untagged {
			wire = int(x.Wire)
		}
		text := ""
		for k, d := range o.Devices {
			if d.Manage != nil && from(i, x.Port.Port, wire)[fmt.Sprintf("%s.%s -1", d.Name, inside)] && from(k, inside, -1)[fmt.Sprintf("%s.%s %d", x.Port.Device, x.Port.Port, wire)] {
				text += d.Name + " "
			}
		}
		out = append(out, text)
	}
	return out
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
	mistakes, shown, first, tests, needed := 0, 0, 0, 0, 0
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
		plan := sights(o, asks)
		tests += len(r.Tests)
		least := map[string]bool{} // ports that some mistake shows at, and at no other
		for m := range r.Mistakes {
			mistakes++
			var differs []int
			if made := r.Mistakes[m].Made(); made != nil {
				for k, s := range sights(made, asks) {
					if s != plan[k] {
						differs = append(differs, k)
					}
				}
			}
			unshown := slices.Contains(r.Unshown, m)
			require.Equal(t, len(differs) == 0, unshown, "%d: %s\n%s", seed, r.Mistakes[m].Text, notation.Print(o))
			if unshown {
				continue
			}
			if len(differs) == 1 {
				least[fmt.Sprint(asks[differs[0]])] = true
			}
			shown++
			var res []round.Seen
			failed := 0
			for k := range r.Tests {
				s := round.Seen{Test: r.Tests[k], Passed: !slices.Contains(r.Tests[k].Shows, m)}
				if !s.Passed {
					s.Instead = r.Sees(m, r.Tests[k])
					failed++
				}
				res = append(res, s)
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
		needed += len(least)
	}
	t.Logf("%d mistakes, %d shown, named first %d; %d tests, of which %d cannot be done without", mistakes, shown, first, tests, needed)
	require.GreaterOrEqual(t, first*100, shown*95)
}
