package round_test

import (
	"fmt"
	"net/netip"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/core/span"
)

func read(t testing.TB, text string) *office.Office {
	f, err := notation.Read("office", text)
	require.NoError(t, err)
	return f.Office
}

func clinic(t testing.TB) *office.Office {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	return read(t, string(text))
}

// results is what becomes of a round's tests where a mistake was made: with what was
// seen instead, or without.
func results(r *round.Round, m int, instead bool) (out []round.Seen, failed int) {
	for k, x := range r.Tests {
		s := round.Seen{Test: r.Tests[k], Passed: !slices.Contains(x.Shows, m)}
		if !s.Passed {
			failed++
			if instead {
				s.Instead = r.Sees(m, r.Tests[k])
			}
		}
		out = append(out, s)
	}
	return out, failed
}

// parts is the same as a person ticks it who knows no more than the round's own list: which
// of those that are to answer did.
func parts(r *round.Round, all []round.Seen) (out []round.Seen) {
	for _, s := range all {
		x := round.Seen{Test: s.Test, Passed: s.Passed, Given: s.Given}
		tried := len(s.Test.Reach) - len(r.Look(s.Test).Tries)
		for i, y := range s.Test.Reach {
			switch {
			case s.Passed:
			case len(s.Tried) > 0 && i >= tried:
				x.Parts = append(x.Parts, s.Tried[i-tried])
			case i < tried:
				x.Parts = append(x.Parts, map[bool]round.Ended{true: round.Answered, false: round.Silent}[slices.Contains(s.Instead, y.To)])
			default:
				x.Parts = append(x.Parts, round.Untold)
			}
		}
		out = append(out, x)
	}
	return out
}

// first says whether a mistake is in the first suspect.
func first(all []round.Suspect, m int) bool {
	return len(all) > 0 && slices.ContainsFunc(all[0].Mistakes, func(way []int) bool { return len(way) == 1 && way[0] == m })
}

// TestClinic: the clinic's round shows every mistake that a laptop could see, and names
// it; the office's own mends lead to the plan.
func TestClinic(t *testing.T) {
	r := round.Make(clinic(t))
	shown, named, byParts, ticked := 0, 0, 0, 0
	for m := range r.Mistakes {
		res, failed := results(r, m, true)
		require.Equal(t, slices.Contains(r.Unshown, m), failed == 0, r.Mistakes[m].Text)
		if failed == 0 {
			continue
		}
		shown++
		for k, x := range r.PlayMade(r.Tests, m) {
			require.Equal(t, res[k].Passed, x.Passed, "%s at %s: %s", r.Mistakes[m].Text, x.Test.Port, x.Wrong)
			if !x.Passed {
				require.Equal(t, res[k].Instead, x.Instead)
			}
			res[k] = x.Seen
		}
		all := r.Suspects(res)
		require.True(t, slices.ContainsFunc(all, func(s round.Suspect) bool { return first([]round.Suspect{s}, m) }), "%s is not among the suspects: %s", r.Mistakes[m].Text, r.Against(res, m))
		if first(all, m) {
			named++
		}
		if first(r.Suspects(parts(r, res)), m) {
			byParts++
		}
		res, _ = results(r, m, false)
		if first(r.Suspects(res), m) {
			ticked++
		}
	}
	t.Logf("%d mistakes, %d shown by %d tests; named first %d with what was seen, %d by the parts that a person ticks, %d with ticks alone", len(r.Mistakes), shown, len(r.Tests), named, byParts, ticked)
	require.GreaterOrEqual(t, named*100, shown*97)
	require.GreaterOrEqual(t, byParts*100, shown*70)
	require.GreaterOrEqual(t, ticked*100, shown*50)
}

// thirty is a gateway and 30 switches of 24 ports in a tree, with ten VLANs that each
// hand out addresses, and twenty rules.
func thirty(t testing.TB, hosts int) *office.Office {
	var b strings.Builder
	b.WriteString("vlan 190 devices\n")
	gate := "device gate firewall\n  forwarding routed\n  ports wan, lan\n  lan: 190 [10-19]\n  address 190 10.0.190.1/24 on lan zone devices\n  outside line on wan\n"
	for v := 10; v < 20; v++ {
		fmt.Fprintf(&b, "vlan %d staff-%d\n", v, v)
		gate += fmt.Sprintf("  address %d 10.0.%d.1/24 on lan zone z%d handout 10.0.%d.50-10.0.%d.99\n", v, v, v, v, v)
	}
	for v := 10; v < 20; v++ {
		gate += fmt.Sprintf("  allow vlan %d to 10.0.%d.1 tcp/443\n  allow zone z%d to outside\n", v, 10+(v+1)%10, v)
	}
	b.WriteString(gate)
	for i := range 30 {
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-24\n  wording by-vlan pvid-apart\n  manage 190 10.0.190.%d\n", i, i+2)
		for p := 1; p <= 16; p++ {
			fmt.Fprintf(&b, "  %d: %d\n", p, 10+p%10)
		}
		b.WriteString("  17: 190\n  18-24: 190 [10-19]\n")
	}
	b.WriteString("cable gate.lan s0.23\n")
	for i := 1; i < 30; i++ {
		fmt.Fprintf(&b, "cable s%d.24 s%d.%d\n", i, (i-1)/4, 18+(i-1)%4)
	}
	for h := range hosts { // with addresses of their own
		v := 10 + (1+h/30)%10
		fmt.Fprintf(&b, "plug s%d.%d \"host %d\" wants %d at 10.0.%d.%d\n", h%30, 1+h/30, h, v, v, 100+h%30)
	}
	return read(t, b.String())
}

// TestGiven: an address from another VLAN's range says which VLAN the port is in, or
// which cable joins them.
func TestGiven(t *testing.T) {
	o := clinic(t)
	r := round.Make(o)
	k := slices.IndexFunc(r.Tests, func(x round.Test) bool {
		return x.Port == office.PortRef{Device: "rack", Port: "5"} && x.Wire == bridge.Untagged
	})
	require.GreaterOrEqual(t, k, 0)
	before, err := r.At(r.Tests[k].Port)
	require.NoError(t, err)
	res := []round.Seen{{Test: r.Tests[k], Given: netip.MustParseAddr("10.61.140.51")}}
	all := r.Suspects(res)
	require.Len(t, all, 1)
	require.Equal(t, "rack 5 is in 140, and is to be in 110", r.Mistakes[all[0].Mistakes[0][0]].Text)
	require.Equal(t, r.Mistakes[all[0].Mistakes[0][0]].Text, r.Mistakes[r.Suspects(res)[0].Mistakes[0][0]].Text, "asked again")
	after, err := r.At(r.Tests[k].Port)
	require.NoError(t, err)
	require.Equal(t, before, after, "what is to be seen there is as it was")
	res[0].Given = netip.MustParseAddr("192.168.1.7") // a stranger's
	require.Greater(t, len(r.Suspects(res)), 3)
	require.Zero(t, r.Hands(res[0].Given))
	require.Empty(t, r.Suspects([]round.Seen{{Test: r.Tests[k], Passed: true}}))
}

// TestSeveral: mistakes that nobody would look for together, made at once, are named.
func TestSeveral(t *testing.T) {
	o := clinic(t)
	for _, x := range []string{"rack 5: 130", "rack 12: 999", "ward-west 2: 110"} {
		next, _, err := notation.Line(o, x)
		require.NoError(t, err)
		o = next
	}
	r := round.Make(clinic(t))
	var res []round.Seen
	for _, x := range r.Play(o, r.Tests) {
		res = append(res, x.Seen)
	}
	all := r.Suspects(res)
	require.NotEmpty(t, all)
	at := map[string]bool{}
	for _, m := range all[0].Mistakes[0] {
		at[r.Mistakes[m].Port.String()] = true
	}
	for _, x := range []string{"rack.5", "rack.12", "ward-west.2"} {
		require.True(t, at[x], "%s is not named: %v", x, at)
	}
	require.Len(t, at, 3)
	require.False(t, all[0].Near)
	for i := range res { // somebody who is in no plan answers
		if !res[i].Passed {
			res[i].Instead = []string{"a stranger"}
		}
	}
	require.True(t, r.Suspects(res)[0].Near, "nothing gives that, and it is said")
}

func BenchmarkRound(b *testing.B) {
	for _, x := range []struct {
		name string
		o    *office.Office
	}{{"clinic", clinic(b)}, {"thirty", thirty(b, 0)}, {"hosts", thirty(b, 300)}} {
		b.Run(x.name, func(b *testing.B) {
			for b.Loop() {
				r := round.Make(x.o)
				b.ReportMetric(float64(len(r.Mistakes)), "mistakes")
				b.ReportMetric(float64(len(r.Tests)), "tests")
				b.ReportMetric(float64(round.Effort(span.Compile(x.o))), "effort")
			}
		})
	}
}

// loosen lets each device answer for all of its addresses wherever it answers for one (RFC
// 1122, 3.3.4.2).
func loosen(o *office.Office, saw *round.Saw) {
	for _, a := range saw.Answers {
		if d := o.Device(a.By); d != nil {
			for _, x := range d.Addresses {
				saw.Answers = append(saw.Answers, round.Answer{Addr: x.Prefix.Addr(), By: a.By})
			}
		}
	}
}

// TestJudge: what a laptop measures is judged as it is played, however loosely devices
// answer, and leads to the same mistakes, though hosts may be off.
func TestJudge(t *testing.T) {
	o := clinic(t)
	r := round.Make(o)
	asked := map[string]bool{}
	for _, x := range r.Tests {
		for _, y := range x.Reach {
			asked[y.To] = true
		}
	}
	shown, named := 0, map[string]int{}
	for m := range r.Mistakes {
		if slices.Contains(r.Unshown, m) {
			continue
		}
		made := r.Mistakes[m].Made()
		saws, played := r.MeasureMade(r.Tests, m), r.PlayMade(r.Tests, m)
		shown++
		for _, kind := range []string{"strict", "loose", "off", "one device off"} {
			var res []round.Seen
			for k, saw := range saws {
				saw.Answers = slices.Clone(saw.Answers)
				switch kind {
				case "loose":
					loosen(made, &saw)
				case "off": // hosts that the test does not ask for
					saw.Answers = slices.DeleteFunc(saw.Answers, func(a round.Answer) bool {
						return o.Device(a.By) == nil && !slices.ContainsFunc(r.Tests[k].Reach, func(x round.Reach) bool { return x.To == a.Addr.String() })
					})
				}
				if kind == "one device off" { // that is not asked for anywhere, and hands nothing out
					saw.Answers = slices.DeleteFunc(saw.Answers, func(a round.Answer) bool { return a.By == "ward-west" && !asked[a.Addr.String()] })
				}
				got := r.Judge(r.Tests[k], saw)
				if slices.Contains(played[k].Wrong, "a cable is in it already") {
					got.Seen = played[k].Seen // whoever comes there sees that
				}
				byChance := !slices.ContainsFunc(played[k].Wrong, func(text string) bool { return !strings.Contains(text, "is heard") })
				require.True(t, played[k].Passed == got.Passed || byChance, "%s, %s at %s %d: played %s, judged %s", kind, r.Mistakes[m].Text, got.Test.Port, got.Test.Wire, played[k].Wrong, got.Wrong)
				res = append(res, got.Seen)
			}
			if first(r.Suspects(res), m) {
				named[kind]++
			}
		}
	}
	t.Logf("of %d mistakes that were made, named first: %v", shown, named)
	for kind, n := range named {
		require.GreaterOrEqual(t, n*100, shown*95, kind)
	}
	require.Len(t, named, 4)
}

// BenchmarkSeveral is naming three mistakes that were made at once.
func BenchmarkSeveral(b *testing.B) {
	for _, x := range []struct {
		name  string
		o     *office.Office
		lines []string
	}{
		{"clinic", clinic(b), []string{"rack 5: 130", "rack 12: 999", "ward-west 2: 110"}},
		{"clinic-trunks", clinic(b), []string{"rack 19: 190 [120 140 170]", "ward-west 8: 190 [130 140 170]", "front 2: 1"}},
		{"thirty", thirty(b, 0), nil},
		{"hosts", thirty(b, 300), nil},
	} {
		b.Run(x.name, func(b *testing.B) {
			r := round.Make(x.o)
			was := x.o
			for _, l := range x.lines {
				next, _, err := notation.Line(was, l)
				require.NoError(b, err)
				was = next
			}
			for k := range 3 {
				if len(x.lines) > 0 {
					break
				}
				e, err := history.Diff(x.o, r.Mistakes[(k+1)*len(r.Mistakes)/4].Made())
				require.NoError(b, err)
				was, err = office.Apply(was, e)
				require.NoError(b, err)
			}
			var res []round.Seen
			for _, p := range r.Play(was, r.Tests) {
				res = append(res, p.Seen)
			}
			for b.Loop() {
				all := r.Suspects(res)
				b.ReportMetric(float64(len(all)), "suspects")
				if len(all) > 0 {
					b.ReportMetric(float64(len(all[0].Mistakes[0])), "at-once")
				}
			}
		})
	}
}

// TestNamedAddress: a laptop is nobody whom a rule names, even where the first address of
// a subnet is his, and so it sees what most there would.
func TestNamedAddress(t *testing.T) {
	f, err := notation.Read("named", `vlan 40 guests net 10.0.40.0/24
device fw firewall
  forwarding routed
  ports lan, wan, spare
  lan: 40
  spare: 40
  address 40 10.0.40.3/24 gateway
  outside fibre on wan
  deny 10.0.40.1 to outside
  deny 10.0.40.2 to outside
  allow vlan 40 to outside
`)
	require.NoError(t, err)
	r := round.Make(f.Office)
	m := slices.IndexFunc(r.Mistakes, func(x round.Mistake) bool { return x.Text == "fw lacks the rule allow vlan 40 to outside" })
	require.GreaterOrEqual(t, m, 0)
	require.NotContains(t, r.Unshown, m)
	res, failed := results(r, m, true)
	require.Equal(t, 1, failed)
	require.Contains(t, r.Suspects(res)[0].Mistakes[0], m, r.Mistakes[r.Suspects(res)[0].Mistakes[0][0]].Text)
}

// TestOffers: which offers speak against the plan, and which address tells most of where
// one is.
func TestOffers(t *testing.T) {
	r := round.Make(clinic(t))
	silent := round.Make(read(t, "vlan 110 x net 10.61.110.0/24\ndevice gate firewall\n  forwarding routed\n  ports lan, a\n  lan: 110\n  a: 110\n  address 110 10.61.110.1/24\n"))
	test := func(r *round.Round, device, port string) round.Test {
		all, err := r.At(office.PortRef{Device: device, Port: port})
		require.NoError(t, err)
		return all[0]
	}
	desk, parked := test(r, "rack", "5"), test(r, "rack", "23")
	offer := func(addr, server string) round.Offer {
		o := round.Offer{Addr: netip.MustParseAddr(addr), By: "06:01:02:03:04:05"}
		if server != "" {
			o.Server = netip.MustParseAddr(server)
		}
		return o
	}
	const gate, range1 = "10.61.110.1", " and addresses from 10.61.110.50 to 10.61.110.220 are planned"
	for _, x := range []struct {
		says  string
		r     *round.Round
		at    round.Test
		all   []round.Offer
		wrong []string
		given string
	}{
		{"the first of the range", r, desk, []round.Offer{offer("10.61.110.50", gate)}, nil, "10.61.110.50"},
		{"the last of it, without a server's name", r, desk, []round.Offer{offer("10.61.110.220", "")}, nil, "10.61.110.220"},
		{"before it", r, desk, []round.Offer{offer("10.61.110.49", gate)}, []string{gate + " hands out 10.61.110.49," + range1}, "10.61.110.49"},
		{"after it", r, desk, []round.Offer{offer("10.61.110.221", gate)}, []string{gate + " hands out 10.61.110.221," + range1}, "10.61.110.221"},
		{"of the other kind, by somebody else", r, desk, []round.Offer{offer("10.61.110.60", gate), offer("2001:db8::7", "2001:db8::1")}, []string{"2001:db8::1 hands out 2001:db8::7, and nobody is to"}, "10.61.110.60"},
		{"a stranger's, twice", r, desk, []round.Offer{offer("10.61.110.60", "10.61.110.9"), offer("10.61.110.61", "10.61.110.9")}, []string{"10.61.110.9 (06:01:02:03:04:05) hands out addresses, and only gate is to", "gate is to hand out an address, and does not"}, "10.61.110.60"},
		{"a stranger's before its own", r, desk, []round.Offer{offer("192.168.1.7", "192.168.1.1"), offer("10.61.110.60", gate)}, []string{"192.168.1.1 hands out 192.168.1.7," + range1}, "10.61.110.60"},
		{"another VLAN's after its own", r, desk, []round.Offer{offer("10.61.110.60", gate), offer("10.61.140.21", "10.61.140.1")}, []string{"10.61.140.1 hands out 10.61.140.21," + range1}, "10.61.140.21"},
		{"another VLAN's before its own", r, desk, []round.Offer{offer("10.61.140.21", "10.61.140.1"), offer("10.61.110.60", gate)}, []string{"10.61.140.1 hands out 10.61.140.21," + range1}, "10.61.140.21"},
		{"where nobody is to", r, parked, []round.Offer{offer("10.61.110.60", gate)}, []string{gate + " hands out 10.61.110.60, and nobody is to"}, "10.61.110.60"},
		{"where nobody is to, by a card alone", r, parked, []round.Offer{offer("192.168.1.7", "")}, []string{"06:01:02:03:04:05 hands out 192.168.1.7, and nobody is to"}, "192.168.1.7"},
		{"where the plan says nothing of that", silent, test(silent, "gate", "a"), []round.Offer{offer("10.61.110.60", "10.61.110.9")}, nil, "10.61.110.60"},
	} {
		saw := round.Saw{Offers: x.all}
		for _, p := range x.at.Reach { // all else is as it is to be
			if a, err := netip.ParseAddr(p.To); err == nil && p.OK && p.Service == string(office.Ping) {
				saw.Answers = append(saw.Answers, round.Answer{Addr: a, By: p.To})
			}
		}
		got := x.r.Judge(x.at, saw)
		require.Equal(t, x.wrong, got.Wrong, x.says)
		require.Equal(t, x.given, got.Given.String(), x.says)
		require.Len(t, got.Gives, len(x.all), x.says)
	}
	require.Equal(t, []string{"gate is to hand out an address, and nobody does", "10.61.110.1 is to answer ping, and does not"}, r.Judge(desk, round.Saw{}).Wrong[:2])
}

// TestPlayedServer: who hands out addresses where another is to is seen, whether the plan
// knows it or not, and its address is the one that tells.
func TestPlayedServer(t *testing.T) {
	const plan = "vlan 110 x net 10.61.110.0/24\ndevice gate switch\n  ports p1-p3\n  p1-p3: 110\n  address 110 10.61.110.1/24%s\ndevice store host\n  ports e0\n  e0: 110\n  address 110 10.61.110.7/24%s\ncable store.e0 gate.p1\n"
	const hands, others = " handout 10.61.110.50-10.61.110.99", " handout 10.61.110.100-10.61.110.120"
	box := "device box router\n  forwarding routed\n  ports lan\n  lan: 110\n  address 110 10.61.110.240/24" + others + "\ncable box.lan gate.p2\n"
	for _, x := range []struct{ plan, was, wrong, given string }{
		{fmt.Sprintf(plan, hands, ""), fmt.Sprintf(plan, hands, ""), "", "10.61.110.50"},
		{fmt.Sprintf(plan, hands, ""), fmt.Sprintf(plan, hands, others), "10.61.110.7 hands out addresses from 10.61.110.100 to 10.61.110.120, and is not to", "10.61.110.100"},
		{fmt.Sprintf(plan, hands, ""), fmt.Sprintf(plan, hands, "") + box, "10.61.110.240 hands out addresses from 10.61.110.100 to 10.61.110.120, and is not to", "10.61.110.100"},
		{fmt.Sprintf(plan, "", ""), fmt.Sprintf(plan, "", others), "", "10.61.110.100"}, // the plan says nothing of that
		{fmt.Sprintf(plan, "", ""), fmt.Sprintf(plan, "", "") + box, "10.61.110.240 hands out addresses from 10.61.110.100 to 10.61.110.120, and is not to", "10.61.110.100"},
	} {
		r := round.Make(read(t, x.plan))
		all, err := r.At(office.PortRef{Device: "gate", Port: "p3"})
		require.NoError(t, err)
		got := r.Play(read(t, x.was), all)[0]
		require.Equal(t, x.wrong, strings.Join(got.Wrong, "; "), x.was)
		require.Equal(t, x.given, got.Given.String(), x.was)
	}
}

// TestLengths: the quick round is short enough to be walked, goes to each device in each of its
// VLANs, and shows each mistake of cables, rules, hand-outs and managements that the full one
// shows; that of an order shows what the order could leave wrong.
func TestLengths(t *testing.T) {
	for _, x := range []struct {
		name string
		o    *office.Office
		most int // places
	}{{"clinic", clinic(t), 20}, {"thirty", thirty(t, 0), 120}} {
		r := round.Make(x.o)
		quick := r.Quick()
		full, short := r.Shown(r.Tests), r.Shown(quick)
		t.Logf("%s: quick %d places, %d tests, %d of %d mistakes; full %d places, %d tests", x.name, round.Places(quick), len(quick), short, full, round.Places(r.Tests), len(r.Tests))
		require.LessOrEqual(t, round.Places(quick), x.most)
		n := span.Compile(x.o)
		shown := map[int]bool{}
		been := map[string]bool{}
		for _, q := range quick {
			been[fmt.Sprint(q.Port.Device, q.VLAN)] = true
			for _, m := range q.Shows {
				shown[m] = true
			}
		}
		for _, q := range r.Tests {
			require.True(t, q.VLAN == 0 || been[fmt.Sprint(q.Port.Device, q.VLAN)], "%s in %d", q.Port.Device, q.VLAN)
			for _, m := range q.Shows {
				p := r.Mistakes[m].Port
				cabled := p.Device == "" || len(n.Topo.LinksAt(n.Topo.DeviceIndex(p.Device), x.o.Device(p.Device).Port(p.Port))) > 0
				require.True(t, shown[m] || !cabled, r.Mistakes[m].Text)
			}
		}
	}
	was, _, err := notation.Line(clinic(t), "rack 5: 130")
	require.NoError(t, err)
	r := round.Make(clinic(t))
	after := r.Touched(was)
	require.Equal(t, 1, round.Places(after))
	require.Equal(t, "rack.5", after[0].Port.String())
	require.Empty(t, r.Touched(clinic(t)))
}
