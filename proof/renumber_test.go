package proof

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/proof/short"
)

// drawNumbered draws an office in which a VLAN is to be renumbered: a gateway, switches of
// some wordings in a row or a star, desks and phones on them.
func drawNumbered(t *rapid.T) string {
	var b strings.Builder
	b.WriteString("vlan 10 desks net 10.0.10.0/24\nvlan 20 phones net 10.0.20.0/24\nvlan 90 devices net 10.0.90.0/24\n")
	fmt.Fprintf(&b, "device gate %s\n  forwarding routed\n  ports lan\n  manage 90 10.0.90.1\n  lan: 90 [10 20]\n  between zones allow\n", rapid.SampledFrom([]string{"router", "firewall"}).Draw(t, "gate"))
	zoned := rapid.Bool().Draw(t, "rules by zone")
	for _, v := range []int{10, 20, 90} {
		fmt.Fprintf(&b, "  address %d 10.0.%[1]d.1/24 on lan%s\n", v, map[bool]string{true: fmt.Sprintf(" zone z%d", v)}[zoned])
	}
	if zoned {
		b.WriteString("  allow zone z10,zone z20,zone z90 to any\n")
	}
	n := rapid.IntRange(1, 3).Draw(t, "switches")
	var rest strings.Builder
	for i := range n {
		words := rapid.SampledFrom([]string{"", "by-vlan pvid-apart", "by-vlan leaves-last", "by-vlan keeps-pvid-vlan", "by-port"}).Draw(t, "wording")
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-8\n  manage 90 10.0.90.%d\n", i, i+2)
		if words != "" {
			fmt.Fprintf(&b, "  wording %s\n", words)
		}
		fmt.Fprintf(&b, "  7-8: %s\n", rapid.SampledFrom([]string{"90 [10 20]", "90 [needed]"}).Draw(t, "trunk"))
		for p := 1; p <= 3; p++ {
			kind := rapid.SampledFrom([]string{"10", "10", "20"}).Draw(t, "desk")
			fmt.Fprintf(&b, "  %d: %s\n", p, kind)
			fmt.Fprintf(&rest, "plug s%d.%d \"d%d%d\" wants %s\n", i, p, i, p, kind)
		}
		if i == 0 {
			b.WriteString("  4: 90\n")
			rest.WriteString("cable gate.lan s0.8\nplug s0.4 \"laptop\" wants 90 operator\n")
		} else {
			fmt.Fprintf(&rest, "cable s%d.7 s%d.8\n", i-1, i)
		}
	}
	return b.String() + rest.String()
}

// TestRenumbered: a VLAN that gets another number by the product's own verb has an order; it
// ends at the plan; and whoever reaches his gateway before and after reaches it at every step,
// under the one number or the other, or the order says that he does not. The witness follows
// frames and rules from each desk, and knows nothing of the search.
func TestRenumbered(t *testing.T) {
	clean, cut, none := 0, 0, 0
	offices := rapid.Custom(drawNumbered)
	for seed := range number("KLAMMER_RENUMBER", 30) {
		text := offices.Example(seed)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err, text)
		subnets := seed%2 == 0
		done, err := command.Renumber(span.Compile(f.Office), 10, 110, subnets, false)
		require.NoError(t, err, text)
		o, err := order.Make(f.Office, done.Office, order.Options{})
		if err != nil {
			none++
			t.Logf("%d has no order: %s", seed, err)
			continue
		}
		reached := func(at *office.Office, plug office.Plug) bool {
			j, err := walk.ToDevice(span.Compile(at), plug.Port, bridge.Untagged, "gate")
			require.NoError(t, err)
			return j.Arrives && j.Back == ""
		}
		now, said := f.Office, 0
		for i, st := range o.Steps {
			for _, line := range st.Lines {
				if now, _, err = notation.Line(now, line); err != nil {
					require.NoError(t, err, "%d step %d: %s\n%s", seed, i+1, line, text)
				}
			}
			for _, plug := range f.Office.Plugs {
				if reached(now, plug) {
					continue
				}
				told := slices.ContainsFunc(o.Steps[:i+1], func(s order.Step) bool {
					return slices.ContainsFunc(s.Interrupts, func(x order.Interrupt) bool { return x.Until > i && slices.Contains(x.Ports, plug.Port.String()) })
				})
				require.True(t, told, "%d: after step %d %s does not reach its gateway, and nothing is said of it\n%s\n%s", seed, i+1, plug.Name, shownOrder(o), text)
				said++
			}
		}
		lines := func(o *office.Office) []string { return slices.Sorted(strings.SplitSeq(notation.Print(o), "\n")) } // the laptop may be plugged in last
		require.Equal(t, lines(done.Office), lines(now), "%d\n%s", seed, text)
		if said > 0 {
			cut++
		} else {
			clean++
		}
		if subnets && !strings.Contains(text, "leaves-last") { // whose ports are for a moment in neither
			require.Zero(t, said, "%d: the new number stands beside the old, and nobody need be cut off\n%s\n%s", seed, shownOrder(o), text)
		}
	}
	t.Logf("%d renumbered without a cut, %d with one that was said, %d without an order", clean, cut, none)
	short.Met(t, clean, cut)
	require.Zero(t, none)
}
