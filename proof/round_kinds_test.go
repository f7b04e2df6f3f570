package proof

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/round"
)

// practiceOf is a drawn office as small ones are: a firewall with a zone or two a VLAN, that
// hands addresses out and lets some through; switches in a tree, each by another wording; hosts
// with addresses, managements, free ports and a wireless network.
func practiceOf(seed uint64) string {
	rng := rand.New(rand.NewPCG(seed, 26))
	var b strings.Builder
	vlans := 3 + rng.IntN(4)
	vid := func(k int) int { return 110 + 10*k }
	b.WriteString("vlan 1 default local\nvlan 190 devices\n")
	var tagged []string
	for k := range vlans {
		fmt.Fprintf(&b, "vlan %d v%d\n", vid(k), k)
		tagged = append(tagged, fmt.Sprint(vid(k)))
	}
	all := strings.Join(tagged, " ")
	b.WriteString("device gate firewall\n  forwarding routed\n  ports wan, lan\n")
	fmt.Fprintf(&b, "  lan: 190 [%s]\n  outside line on wan\n  address 190 10.9.190.1/24 on lan zone devices handout 10.9.190.200-10.9.190.240\n", all)
	for k := range vlans {
		fmt.Fprintf(&b, "  address %d 10.9.%[1]d.1/24 on lan zone z%d handout 10.9.%[1]d.50-10.9.%[1]d.199\n", vid(k), k)
	}
	// One that only its place makes count.
	fmt.Fprintf(&b, "  deny zone z0 to 10.9.%d.9 tcp/445\n  allow zone z0 to zone z1\n", vid(1))
	services := []string{"tcp/443", "tcp/9100", "udp/5060", "ping", "tcp/445", "any"}
	for range 2 + rng.IntN(5) {
		from, to := rng.IntN(vlans), rng.IntN(vlans)
		target := fmt.Sprintf("10.9.%d.9", vid(to))
		if rng.IntN(3) == 0 {
			target = fmt.Sprintf("zone z%d", to)
		}
		service := services[rng.IntN(len(services))]
		if service == "any" {
			service = ""
		}
		fmt.Fprintf(&b, "  %s zone z%d to %s %s\n", []string{"allow", "allow", "allow", "deny"}[rng.IntN(4)], from, target, service)
	}
	fmt.Fprintf(&b, "  allow zone z0 to outside\n  allow zone devices to any\n")
	switches := 2 + rng.IntN(3)
	in := make([][9]int, switches) // the VLAN of each desk's port
	for i := range in {
		for p := 1; p <= 8; p++ {
			in[i][p] = vid(rng.IntN(vlans))
		}
	}
	for k := range vlans { // of the hosts that rules name
		in[k%switches][1+k] = vid(k)
	}
	in[switches-1][8] = vid(0)
	for i := range switches {
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-12\n", i)
		if w := []string{"by-vlan pvid-apart", "by-port", "by-vlan", ""}[rng.IntN(4)]; w != "" {
			fmt.Fprintf(&b, "  wording %s\n", w)
		}
		fmt.Fprintf(&b, "  manage 190 10.9.190.%d\n", 2+i)
		for p := 1; p <= 8; p++ {
			fmt.Fprintf(&b, "  %d: %d\n", p, in[i][p])
		}
		fmt.Fprintf(&b, "  9: 190\n  10-12: 190 [%s]\n", all)
	}
	b.WriteString("cable gate.lan s0.10\n")
	for i := 1; i < switches; i++ {
		fmt.Fprintf(&b, "cable s%d.11 s%d.12\n", i-1, i)
	}
	for k := range vlans {
		fmt.Fprintf(&b, "device h%[1]d host\n  ports e0\n  e0: %[2]d\n  address %[2]d 10.9.%[2]d.9/24\n  route default via 10.9.%[2]d.1\ncable h%[1]d.e0 s%[3]d.%[4]d\n", k, vid(k), k%switches, 1+k)
	}
	fmt.Fprintf(&b, "device ap wap\n  ports eth0\n  wording by-inner-port\n  manage 190 10.9.190.60\n  eth0: 190 [%d %d]\n  inner \"Staff\" ssid: %[1]d\n  inner \"Guests\" ssid: %[2]d\ncable ap.eth0 s0.12\n", vid(0), vid(1))
	fmt.Fprintf(&b, "plug s%d.8 \"recorder\" wants %d at 10.9.%[2]d.8\n", switches-1, vid(0))
	return b.String()
}

// TestRoundKinds: of each kind of mistakes, how many were made, seen and named: in drawn offices,
// one at a time, by a laptop that is played and by one that measures. None is seen that is said
// to be unseen, and no suspect speaks against a test that passed.
func TestRoundKinds(t *testing.T) {
	type tally struct{ made, unseen, first, listed, measured int }
	kinds, order := map[round.Kind]*tally{}, []round.Kind{}
	rng := rand.New(rand.NewPCG(9, 9))
	most := number("KLAMMER_KINDS", 2) // of a kind in an office
	suspects := 0
	for seed := range uint64(30) {
		f, err := notation.Read("practice", practiceOf(seed))
		require.NoError(t, err)
		r := round.Make(f.Office)
		by := map[round.Kind][]int{}
		for _, m := range rng.Perm(len(r.Mistakes)) {
			kind := r.Mistakes[m].Kind
			if r.Mistakes[m].Made() != nil && len(by[kind]) < most {
				by[kind] = append(by[kind], m)
			}
		}
		for kind, all := range by {
			if kinds[kind] == nil {
				kinds[kind] = &tally{}
				order = append(order, kind)
			}
			x := kinds[kind]
			for _, m := range all {
				x.made++
				var played, measured []round.Seen
				failed := 0
				saws := r.MeasureMade(r.Tests, m)
				for k, p := range r.PlayMade(r.Tests, m) {
					if !p.Passed {
						failed++
					}
					played = append(played, p.Seen)
					j := r.Judge(r.Tests[k], saws[k])
					if slices.Contains(p.Instead, "a cable is in it already") {
						j.Seen = p.Seen // whoever comes there sees that
					}
					measured = append(measured, j.Seen)
				}
				require.Equal(t, slices.Contains(r.Unshown, m), failed == 0, "%d: %s", seed, r.Mistakes[m].Text)
				if failed == 0 {
					x.unseen++
					continue
				}
				place := func(results []round.Seen) int {
					all := r.Suspects(results)
					for _, s := range all[:min(len(all), 5)] {
						if s.Near {
							continue
						}
						suspects++
						for _, way := range s.Mistakes[:1] {
							for i, p := range r.PlayMade(r.Tests, way...) {
								byChance := !slices.ContainsFunc(p.Wrong, func(text string) bool { return !strings.Contains(text, "is heard") })
								require.True(t, p.Passed || !results[i].Passed || byChance, "%d: %s was made; %s is suspected, and would fail %s, which passed: %v", seed, r.Mistakes[m].Text, r.Mistakes[way[0]].Text, p.Test.Port, p.Wrong)
							}
						}
					}
					return slices.IndexFunc(all, func(s round.Suspect) bool {
						return slices.ContainsFunc(s.Mistakes, func(way []int) bool { return len(way) == 1 && way[0] == m })
					})
				}
				at := place(played)
				if at == 0 {
					x.first++
				}
				if at >= 0 {
					x.listed++
				}
				if place(measured) == 0 {
					x.measured++
				}
			}
		}
	}
	slices.Sort(order)
	sum := tally{}
	t.Logf("| kind | made | unseen | named first | among the suspects | measured: named first |")
	for _, kind := range order {
		x := kinds[kind]
		t.Logf("| %s | %d | %d | %d | %d | %d |", kind, x.made, x.unseen, x.first, x.listed, x.measured)
		sum.made, sum.unseen, sum.first, sum.listed, sum.measured = sum.made+x.made, sum.unseen+x.unseen, sum.first+x.first, sum.listed+x.listed, sum.measured+x.measured
	}
	t.Logf("| all | %d | %d | %d | %d | %d |", sum.made, sum.unseen, sum.first, sum.listed, sum.measured)
	shown := sum.made - sum.unseen
	t.Logf("%d kinds; %d suspects looked at, none against a test that passed", len(order), suspects)
	require.GreaterOrEqual(t, len(order), 22)
	require.GreaterOrEqual(t, sum.first*100, shown*93)
	require.GreaterOrEqual(t, sum.listed*100, shown*97)
	require.GreaterOrEqual(t, sum.measured*100, shown*88)
}
