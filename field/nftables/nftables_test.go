package nftables

import (
	"net/netip"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/office"
	"klammer/core/talk"
)

// ruleset is what nft -j list ruleset printed of testdata/ruleset.nft. What a kernel does with
// packets is held against this package in proof (TestRealRules).
func ruleset(t testing.TB) *Ruleset {
	text, err := os.ReadFile("testdata/ruleset.json")
	require.NoError(t, err)
	rs, err := Parse(text)
	require.NoError(t, err)
	return rs
}

func TestDecide(t *testing.T) {
	rs := ruleset(t)
	for _, row := range []struct{ in, out, src, dst, open string }{
		{"lan7", "w1", "192.0.2.1", "192.0.2.9", "ping, tcp/53, tcp/80, tcp/443, udp/53"},
		{"a", "b", "192.0.2.1", "192.0.2.9", "everything"},
		{"x", "z", "192.0.2.1", "192.0.2.9", "ping, tcp/22, tcp/53, udp/53"},
		{"y", "z", "10.0.0.7", "10.0.1.20", "ping, tcp/53, udp/53, udp/1000-2000"},
		{"y", "z", "10.0.0.7", "10.0.1.5", "ping, tcp/53, udp/53"},
		{"y", "z", "10.0.0.1", "10.2.0.5", "ping, tcp/22, udp/53, udp/1000-2000"}, // goes to the other chain, and not back
		{"q", "z", "192.0.2.1", "192.0.2.9", "ping, tcp/53, tcp/9000-65535, udp/53"},
		{"y", "z", "2001:db8::1", "2001:db8::2", "ping, tcp/53, udp/53"},
		{"lo", "z", "192.0.2.1", "192.0.2.9", "ping, tcp/6-65535, udp/1-65535"},
	} {
		open := rs.Decide(Forward, Flow{In: row.in, Out: row.out, Src: netip.MustParseAddr(row.src), Dst: netip.MustParseAddr(row.dst)})
		require.Equal(t, row.open, open.String(), row)
	}
	answer := Flow{In: "z", Out: "y", Src: netip.MustParseAddr("192.0.2.9"), Dst: netip.MustParseAddr("192.0.2.1"), Answers: true}
	require.Equal(t, talk.All, rs.Decide(Forward, answer), "what was let pass is answered")
	require.Equal(t, talk.All, rs.Decide(Input, answer), "nothing decides what is for the host")
	var vague []string
	for _, r := range rs.Vague() {
		vague = append(vague, r.String())
	}
	require.Equal(t, []string{"rule 9 of chain inet filter forward", "rule 13 of chain inet filter forward", "rule 15 of chain inet filter forward", "rule 18 of chain inet filter forward"}, vague, "a limit, translated packets where some are, a mark and a group")
	require.Len(t, rs.Led, 1)
}

// TestWrite: what is written goes to the chain that is there, and to none of others.
func TestWrite(t *testing.T) {
	parse := func(chains ...string) *Ruleset {
		rs, err := Parse([]byte(`{"nftables":[` + strings.Join(chains, ",") + `]}`))
		require.NoError(t, err)
		return rs
	}
	const theirs = `{"chain":{"family":"inet","table":"filter","name":"fw","type":"filter","hook":"forward","prio":0,"policy":"drop"}}`
	p := Policy{Keeps: true, Links: []string{"v10", "v20"}, Forward: []Line{{In: []string{"v10"}, Out: []string{"v20"}, Services: []office.Service{{Protocol: office.TCP, First: 80, Last: 80}}, Accept: true}}, Families: []Family{IPv4}}
	text, err := parse().Write(p)
	require.NoError(t, err)
	require.Contains(t, text, "delete table inet klammer\n")
	require.Contains(t, text, `add rule inet klammer forward iifname { "v10" } oifname { "v20" } tcp dport { 80 } accept`)
	text, err = parse(theirs).Write(p)
	require.NoError(t, err)
	require.Contains(t, text, "flush chain inet filter fw\n")
	require.NotContains(t, text, "klammer")

	p.Foreign = []string{"wg0"}
	for why, rs := range map[string]*Ruleset{
		"both decide there":               parse(theirs, strings.Replace(theirs, `"fw"`, `"more"`, 1)),
		"is for wg0, which is in no VLAN": parse(theirs, `{"rule":{"family":"inet","table":"filter","chain":"fw","expr":[{"match":{"op":"==","left":{"meta":{"key":"iifname"}},"right":"wg0"}},{"accept":null}]}}`),
		"is for other packets":            parse(strings.Replace(theirs, `"inet"`, `"ip6"`, 1)),
	} {
		_, err = rs.Write(p)
		require.ErrorIs(t, err, ErrKept)
		require.ErrorContains(t, err, why)
	}
	vague := ruleset(t)
	vague.Decide(Forward, Flow{In: "y", Out: "z", Src: netip.MustParseAddr("192.0.2.1"), Dst: netip.MustParseAddr("192.0.2.9")})
	_, err = vague.Write(p)
	require.ErrorContains(t, err, "is not understood")
}

// FuzzRuleset: whatever a host prints, what it comes to is an answer or an error, soon.
func FuzzRuleset(f *testing.F) {
	text, err := os.ReadFile("testdata/ruleset.json")
	require.NoError(f, err)
	f.Add(text)
	// Chains that jump to one another often, and in a ring.
	loop := `{"chain":{"family":"inet","table":"t","name":"a","hook":"forward","type":"filter","prio":0,"policy":"drop"}},{"chain":{"family":"inet","table":"t","name":"b"}}`
	for range 60 {
		loop += `,{"rule":{"family":"inet","table":"t","chain":"a","expr":[{"jump":{"target":"b"}}]}},{"rule":{"family":"inet","table":"t","chain":"b","expr":[{"jump":{"target":"b"}}]}}`
	}
	f.Add([]byte(`{"nftables":[` + loop + `]}`))
	f.Add([]byte(`{"nftables":[{"rule":{"family":"inet","table":"t","chain":"a","expr":[{"accept":null,"drop":null}]}}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		rs, err := Parse(text)
		if err != nil {
			return
		}
		rs.asked = mostAsked - 20000 // so that who is asked without an end shows
		rs.Prefixes()
		for _, a := range []string{"192.0.2.1", "2001:db8::1"} {
			for _, hook := range []Hook{Forward, Input} {
				src := netip.MustParseAddr(a)
				open := rs.Decide(hook, Flow{In: "a", Out: "b", Src: src, Dst: src.Next()})
				require.NotNil(t, open)
				require.Equal(t, open, open.And(talk.All))
			}
		}
		_, _ = rs.Write(Policy{Foreign: []string{"wg0"}, Families: []Family{IPv4}})
	})
}
