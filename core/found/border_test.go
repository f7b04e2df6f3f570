package found_test

import (
	"fmt"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/talk"
)

// drawnRouter is an office with a firewall of drawn rules.
func drawnRouter(t *rapid.T, name string) *office.Office {
	text := "vlan 10 staff net 10.9.10.0/24\nvlan 20 lab net 10.9.20.0/24\nvlan 30 guests net 10.9.30.0/24\ndevice gate firewall\n  forwarding routed\n  ports out, lan\n  lan: [10 20 30]\n" +
		"  address 10 10.9.10.1/24 on lan zone inner\n  address 20 10.9.20.1/24 on lan zone inner\n  address 30 10.9.30.1/24 on lan zone guests\n" +
		"  route 10.77.0.0/16 via 10.9.20.9\n  outside fibre on out 203.0.113.2/29 via 203.0.113.1\n"
	side := rapid.SampledFrom([]string{"any", "10", "20", "30", "zone inner", "outside", "10.9.10.0/25", "10.9.10.9", "10.9.20.0/28", "10.9.0.0/16", "10.77.3.0/24", "198.51.100.0/24"})
	services := rapid.SampledFrom([]string{"", "ping", "tcp/80", "tcp/80-90,udp/53", "udp/1-1000"})
	text += fmt.Sprintf("  between zones %s\n  within zones %s\n", rapid.SampledFrom([]string{"allow", "deny"}).Draw(t, name+" between"), rapid.SampledFrom([]string{"allow", "deny"}).Draw(t, name+" within"))
	for i := range rapid.IntRange(0, 5).Draw(t, name+" rules") {
		n := fmt.Sprint(name, i)
		text += fmt.Sprintf("  %s %s to %s %s\n", rapid.SampledFrom([]string{"allow", "deny"}).Draw(t, n+" do"), side.Draw(t, n+" from"), side.Draw(t, n+" to"), services.Draw(t, n+" services"))
	}
	f, err := notation.Read(name, text)
	if err != nil {
		t.Fatalf("%s\n%s", err, text)
	}
	return f.Office
}

// TestMended: of any two lists of rules, the one with what differs before it lets pass what the
// other does, between whatever addresses; and what is alike has no gap.
func TestMended(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		plan, other := drawnRouter(t, "plan"), drawnRouter(t, "other")
		d := plan.Device("gate")
		should, is := talk.BorderOf(plan, d), talk.BorderOf(other, other.Device("gate"))
		names := slices.Concat(should.Names(), is.Names())
		gaps, ok := found.Gaps(d, names, should.Lets, is.Lets)
		require.True(t, ok)
		x := d.Clone()
		x.Rules = found.Mended(d, gaps)
		now := talk.BorderOf(plan, x.Seal())
		rest, _ := found.Gaps(d, names, is.Lets, now.Lets)
		require.Empty(t, found.Mismatches(plan, d, rest))
		require.Equal(t, len(gaps) == 0, len(found.Mismatches(plan, d, gaps)) == 0)
		behind := map[office.VID][]string{10: {"10.9.10.7", "10.9.10.9", "10.9.10.200"}, 20: {"10.9.20.3", "10.9.20.100", "10.77.3.4", "10.77.200.1"}, 30: {"10.9.30.4"}, 0: {"198.51.100.4", "192.0.2.55"}}
		for in, from := range behind {
			for out, to := range behind {
				for _, a := range from {
					for _, b := range to {
						src, dst := netip.MustParseAddr(a), netip.MustParseAddr(b)
						if want, got := is.Lets(in, out, src, dst), now.Lets(in, out, src, dst); in != out && !want.Equal(got) {
							t.Fatalf("%d %s to %d %s: %s passes, and %s should\n%s\n%s", in, a, out, b, got, want, notation.Thing(x), notation.Thing(other.Device("gate")))
						}
					}
				}
			}
		}
	})
}
