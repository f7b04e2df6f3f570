package talk_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/bridge"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
	"klammer/core/walk"
	"klammer/proof/short"
)

// TestOneAnswer: what Talk says of two that are plugged in, a walk says too, and of a
// device, and the findings of its management; and a VLAN's gateway is the plain
// version's, on every screen.
func TestOneAnswer(t *testing.T) {
	met := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		text, p := drawTalk(t)
		var plugs strings.Builder
		for i, at := range []string{"floor.4", "floor.5", "floor.6", "annex.4", "annex.5", "annex.6"} {
			vid := []int{10, 20, 30, 20, 30, 40}[i]
			fmt.Fprintf(&plugs, "plug %s \"p%d\" wants %d tagged%s\n", at, i, vid, map[bool]string{true: " operator"}[i == 0])
		}
		manage := rapid.SampledFrom([]int{10, 20, 40}).Draw(t, "managed")
		text = strings.Replace(text, "device annex switch\n  ports 1-20\n", fmt.Sprintf("device annex switch\n  ports 1-20\n  manage %d 10.0.%d.99\n", manage, manage), 1) + plugs.String()
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		n := span.Compile(f.Office)
		p.o = f.Office
		m := talk.New(n)
		who := func(name string) *talk.Who {
			w, err := m.Who(name)
			require.NoError(t, err)
			return w
		}
		for i, a := range f.Office.Plugs {
			src := who(a.Name)
			for k, b := range f.Office.Plugs {
				if i == k {
					continue
				}
				answer := m.Ask(src, who(b.Name), talk.All)
				j, err := walk.To(n, a.Port, bridge.Wire(a.Wants), b.Port)
				require.NoError(t, err)
				require.Equal(t, answer.Open != talk.None, j.Arrives && j.Back == "", "%s to %s: %s, but the walk: %s%s\n%s", a.Name, b.Name, answer.Why(), j.Why, j.Back, text)
				met[fmt.Sprintf("plug %t %t", j.Arrives, j.Back == "")]++
			}
			for _, d := range f.Office.Devices {
				open := talk.None
				for _, x := range d.Addresses {
					open = open.Or(m.Ask(src, m.Own(x.Prefix.Addr()), talk.All).Open)
				}
				if d.Manage != nil {
					open = open.Or(m.Ask(src, who(d.Name), talk.All).Open)
				}
				j, err := walk.ToDevice(n, a.Port, bridge.Wire(a.Wants), d.Name)
				require.NoError(t, err)
				require.Equal(t, open != talk.None, j.Arrives && j.Back == "", "%s to %s: the walk says %s%s\n%s", a.Name, d.Name, j.Why, j.Back, text)
				met[fmt.Sprintf("device %t", j.Arrives)]++
			}
		}
		report := finding.Check(n)
		has := func(code finding.Code, v office.VID) bool {
			return slices.ContainsFunc(report.List(), func(f *finding.Finding) bool { return f.Code == code && slices.Contains(f.VLANs, v) })
		}
		cut := m.Ask(who("p0"), who("annex"), talk.All).Open == talk.None
		require.Equal(t, cut, has(finding.ManagementCut, office.VID(manage)), text)
		met[fmt.Sprintf("managed %t", !cut)]++
		for _, v := range f.Office.VLANs {
			for family, v4 := range []bool{true, false} {
				_, want := p.gateway(v.VID, v4)
				gate := n.Gateways().Of(v.VID, family)
				require.Equal(t, want != nil, gate.Is(), text)
				if want != nil {
					require.Equal(t, want.Prefix.Addr(), gate.Addr(), text)
				}
			}
			routed := slices.ContainsFunc(f.Office.Devices, func(d *office.Device) bool {
				return p.routes(d) && slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == v.VID })
			})
			require.Equal(t, !routed, has(finding.NoGateway, v.VID), "%d\n%s", v.VID, text)
		}
	})
	for _, what := range []string{"plug true true", "plug true false", "plug false true", "device true", "device false", "managed true", "managed false"} {
		short.Met(t, met[what])
	}
	t.Log(met)
}

// TestSeenApart: offices of which rooms said different things, each by its own rule.
func TestSeenApart(t *testing.T) {
	read := func(text string) (*span.Net, *talk.Map, *finding.Report) {
		f, err := notation.Read("seen", text)
		require.NoError(t, err)
		n := span.Compile(f.Office)
		return n, talk.New(n), finding.Check(n)
	}
	codes := func(r *finding.Report) (all []string) {
		for _, f := range r.List() {
			all = append(all, string(f.Code))
		}
		return all
	}
	to := func(n *span.Net, from, to string) *walk.Journey {
		a, err := notation.PlaceOf(n.Office, from)
		require.NoError(t, err)
		b, err := notation.PlaceOf(n.Office, to)
		require.NoError(t, err)
		j, err := walk.To(n, a.Port, bridge.Untagged, b.Port)
		require.NoError(t, err)
		return j
	}

	// A host with an address is no gateway, with a router beside it or without.
	beside := "vlan 10 staff net 10.0.10.0/24\ndevice nas host\n  ports 1\n  1: 10\n  address 10 10.0.10.9/24\ndevice r1 router\n  forwarding routed\n  ports lan\n  lan: 10\n  address 10 10.0.10.1/24 on lan gateway\n" +
		"device s switch\n  ports 1-4\n  1-4: 10\ncable nas.1 s.3\ncable r1.lan s.4\nplug s.1 \"pc\" wants 10\n"
	n, _, report := read(beside)
	require.Equal(t, "10.0.10.1", n.Gateways().First(10).Addr().String())
	j, err := walk.ToDevice(n, office.PortRef{Device: "s", Port: "1"}, bridge.Untagged, "")
	require.NoError(t, err)
	require.Equal(t, "r1", j.Steps[len(j.Steps)-1].Device)
	require.NotContains(t, codes(report), "no-gateway")
	n, m, report := read(strings.Replace(beside, "  address 10 10.0.10.1/24 on lan gateway\n", "", 1))
	require.False(t, n.Gateways().First(10).Is())
	require.Contains(t, codes(report), "no-gateway")
	pc, err := m.Who("pc")
	require.NoError(t, err)
	require.Equal(t, talk.NoGateway, m.Ask(pc, m.Outside(), talk.All).There.Stop.Reason)

	// Over two routers, the last uplink wrong: where it stops is said as it is.
	n, m, _ = read("vlan 10 a net 10.0.10.0/24\nvlan 20 b net 10.0.20.0/24\nvlan 30 c net 10.0.30.0/24\n" +
		"device r1 router\n  forwarding routed\n  ports 1\n  1: [10 20]\n  address 10 10.0.10.1/24 on 1\n  address 20 10.0.20.1/24 on 1\n  route default via 10.0.20.2\n" +
		"device r2 router\n  forwarding routed\n  ports 1\n  1: [20 30]\n  address 20 10.0.20.2/24 on 1\n  address 30 10.0.30.1/24 on 1\n  route default via 10.0.20.1\n" +
		"device s switch\n  ports 1-8\n  1: 10\n  2: [10 20]\n  3: [20 30]\n  8: [10]\ndevice far switch\n  ports 1-8\n  1: 30\n  8: [30]\ncable r1.1 s.2\ncable r2.1 s.3\ncable s.8 far.8\nplug s.1 \"pc\" wants 10\nplug far.1 \"printer\" wants 30\n")
	ask := func(from, to string) *talk.Answer {
		a, err := m.Who(from)
		require.NoError(t, err)
		b, err := m.Who(to)
		require.NoError(t, err)
		return m.Ask(a, b, talk.All)
	}
	require.Equal(t, "r2 sends it into 30 c, and who it is for is not in the same part of it", ask("pc", "printer").There.Stop.Text)
	require.Equal(t, "r2 routes it into 30 c, and from there it does not get to far.1: s.8 does not let 30 c out towards far.8.", to(n, "s.1", "far.1").Why)

	// A firewall of which no rule is written lets nothing pass, for a laptop too.
	n, m, report = read("vlan 20 staff net 10.0.20.0/24\nvlan 30 guests net 10.0.30.0/24\nvlan 90 devices net 10.0.90.0/24\n" +
		"device gate firewall\n  ports wan, lan1-lan4\n  forwarding routed\n  lan1: 90 [needed]\n  address 20 10.0.20.1/24 on lan1\n  address 30 10.0.30.1/24 on lan1\n  address 90 10.0.90.1/24 on lan1\n" +
		"device first switch\n  ports 1-8\n  manage 90 10.0.90.2\n  1: 20\n  2: 30\n  8: 90 [needed]\ncable gate.lan1 first.8\nplug first.1 \"laptop\" wants 20 operator\nplug first.2 \"guest\" wants 30\n")
	require.Equal(t, talk.No, ask("guest", "laptop").Verdict)
	require.Equal(t, "It does not get there: gate drops it, as no rule fits: between zones deny.", to(n, "first.2", "first.1").Why)
	require.Contains(t, codes(report), "management-cut")
	require.NotNil(t, talk.ManagementIn(n).Stops(20, reach.Plug(n, &n.Office.Plugs[0]), n.Office.Plugs[0].At, n.Topo.DeviceIndex("first")))
}

// TestWishesWithin: what is never to be within a VLAN is judged by layer 2, and a device's own
// address in another VLAN by what lets it pass; both say why.
func TestWishesWithin(t *testing.T) {
	f, err := notation.Read("wishes", "vlan 20 guests net 10.20.20.0/24\nvlan 40 cameras net 10.20.40.0/24\n"+
		"device fw firewall\n  forwarding routed\n  ports lan, wan\n  lan: [20 40]\n  address 20 10.20.20.1/24 on lan\n  address 40 10.20.40.1/24 on lan\n  outside fibre on wan\n  between zones allow\n"+
		"device s switch\n  ports 1-4\n  1: 20\n  2-3: 40\n  4: [20 40]\ncable fw.lan s.4\nplug s.1 \"guest\" wants 20\nplug s.2 \"camera\" wants 40\n"+
		"never guests to 10.20.40.1 tcp/443\nnever cameras to cameras\nmust guests to 10.20.40.1 tcp/443\nmust cameras to cameras\nnever guests to guests tcp/22\n")
	require.NoError(t, err)
	var got []string
	for _, j := range talk.NewTable(span.Compile(f.Office)).Wishes() {
		why := ""
		if !j.Holds {
			why = j.Answer.Why()
		}
		got = append(got, fmt.Sprintf("%s: %t %s", j.Wish, j.Holds, why))
	}
	require.Equal(t, []string{
		"never vlan 20 to 10.20.40.1 tcp/443: false 10.20.40.1 is fw's own address: between zones allow",
		"never vlan 40 to vlan 40: false the same subnet: no rule applies",
		"must vlan 20 to 10.20.40.1 tcp/443: true ",
		"must vlan 40 to vlan 40: true ",
		"never vlan 20 to vlan 20 tcp/22: false the same subnet: no rule applies",
	}, got)
}
