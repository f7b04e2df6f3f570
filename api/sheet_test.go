package api_test

import (
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/wording"
)

// TestSheetIsAnOrder: who goes by a sheet alone is not locked out. Where somebody sits, the
// last port leaves the VLAN that a device is managed in from the factory after management
// has; and each step has a text of its own, by which it is ticked.
func TestSheetIsAnOrder(t *testing.T) {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	n := span.Compile(f.Office)
	ordered := 0
	for i, d := range n.Office.Devices {
		s := api.SheetOf(n, i)
		if s == nil {
			continue
		}
		seen := map[string]bool{}
		at := func(part string) int {
			return slices.IndexFunc(s.Steps, func(x api.SheetStep) bool { return strings.Contains(x.Text, part) })
		}
		for _, x := range s.Steps {
			require.False(t, seen[x.Text], "%s: twice: %s", d.Name, x.Text)
			seen[x.Text] = true
			require.NotEmpty(t, x.Where)
		}
		if at("Unpack") < 0 {
			require.Contains(t, s.Caution, "By itself", d.Name)
			continue
		}
		ordered++
		manage, gone := at("Management in VLAN 190"), at("VLAN 1 default: untagged none")
		require.True(t, gone < 0 || manage >= 0 && manage < gone, "%s: management moves at %d, VLAN 1 goes at %d", d.Name, manage, gone)
	}
	require.Greater(t, ordered, 4)

	// From what was found, too.
	i := n.Topo.DeviceIndex("ward-east")
	was := wording.Planned(n, i)
	var one wording.Setting
	one.PVID, one.Filter = 1, true
	one.Untagged.Add(1)
	was = was.With(n.Office.Devices[i].Port("2"), one)
	x := api.FoundOf(n, i, was)
	require.NotEmpty(t, x.Steps)
	require.Contains(t, x.Steps[len(x.Steps)-1].Text, "Save")

	// Where nobody said where he sits, the steps are those that the device accepts.
	none, err := notation.Read("x", strings.Replace(string(text), "wants 190 operator", "wants 190", 1))
	require.NoError(t, err)
	m := span.Compile(none.Office)
	s := api.SheetOf(m, m.Topo.DeviceIndex("ward-east"))
	require.NotContains(t, s.Steps[0].Text, "Unpack")
	require.Empty(t, s.Caution)
}
