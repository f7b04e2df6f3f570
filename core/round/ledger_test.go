package round_test

import (
	"fmt"
	"net/netip"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
)

// TestLedger: what is asked of a round leaves it as it was made; what was kept counts as long
// as the same is to be seen there, is old where it is not, and is left out where nobody can
// plug in any more.
func TestLedger(t *testing.T) {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	r := round.Make(f.Office)
	told := func() string { return fmt.Sprint(r.Mistakes, r.Tests, r.Unshown) }
	was := told()
	port := func(device, name string) office.PortRef { return office.PortRef{Device: device, Port: name} }
	first, err := r.Find(port("rack", "5"), 0, false)
	require.NoError(t, err)
	kept := []round.Kept{
		{Port: port("rack", "5"), Planned: first.Planned(), Seen: round.Seen{Given: phones(t)}},
		{Port: port("rack", "5"), Planned: first.Planned(), Seen: round.Seen{Passed: true, How: round.ByPlay}},
		{Port: port("rack", "9"), Planned: round.Planned{VLAN: 999}},
		{Port: port("rack", "24"), Planned: round.Planned{VLAN: 190}},
		{Port: port("rack", "5"), Wire: 777, Extra: true, Planned: round.Planned{VLAN: 777}, Seen: round.Seen{How: round.ByProbe}},
	}
	outside := 0 // places of the quick round that the full one has not
	for _, q := range r.Quick() {
		if !slices.ContainsFunc(r.Tests, func(x round.Test) bool { return x.Port == q.Port && x.Wire == q.Wire }) {
			outside++
		}
	}
	for range 3 { // whoever asks, as often as he likes
		apart := r.Apart()
		_, err := apart.Find(port("rack", "5"), 777, false)
		require.ErrorContains(t, err, "nothing is planned at rack 5 tagged 777")
		ledger := apart.Ledger(kept)
		require.Len(t, ledger.Lines, len(r.Tests)+1+outside)
		require.Len(t, ledger.Seen, 1)
		states, played := map[string]string{}, 0
		for _, line := range ledger.Lines {
			if line.Real.Of >= 0 {
				states[fmt.Sprint(line.Test.Port, line.Test.Wire)] = fmt.Sprint(line.Real.Of, line.Extra, line.Real.Old, len(line.Real.Wrong))
			}
			if line.Played.Of >= 0 {
				played++
			}
		}
		require.Equal(t, map[string]string{
			fmt.Sprint(port("rack", "5"), bridge.Untagged):  "0 false false 0",
			fmt.Sprint(port("rack", "9"), bridge.Untagged):  "2 false true 0",
			fmt.Sprint(port("rack", "5"), bridge.Wire(777)): "4 true true 0",
		}, states)
		require.Equal(t, 1, played, "beside what was seen, and not in its place")
		at, of := ledger.Failed(kept)
		require.Equal(t, []office.PortRef{port("rack", "5")}, at)
		require.Equal(t, port("rack", "5"), ledger.Lines[of].Test.Port)
		require.NotEmpty(t, apart.Suspects(ledger.Seen))
		require.Equal(t, was, told())
	}
}

// phones is an address that the phones' VLAN hands out.
func phones(t *testing.T) netip.Addr {
	a, err := netip.ParseAddr("10.61.140.51")
	require.NoError(t, err)
	return a
}
