package talk_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/talk"
)

// TestToldByAddress: what opens for some addresses is told with them, and so is what stays the same
// between a VLAN and another and moves to other addresses.
func TestToldByAddress(t *testing.T) {
	text, err := os.ReadFile("../../proof/testdata/shown.klm")
	require.NoError(t, err)
	file, err := notation.Read("shown.klm", string(text))
	require.NoError(t, err)
	table := func(lines string) *talk.Table {
		o, _, err := notation.Line(file.Office, lines)
		require.NoError(t, err)
		return talk.NewTable(span.Compile(o))
	}
	none := talk.NewTable(span.Compile(file.Office))
	one, other := table("gate allow zone guests to 10.61.110.20 printing"), table("gate allow zone guests to 10.61.110.21 printing")
	all := table("gate allow zone guests to vlan 110 printing")
	require.Equal(t, []string{"guests gain tcp/631, tcp/9100 to reception (only to 10.61.110.20)"}, none.Told(one))
	require.Equal(t, []string{"guests lose tcp/631, tcp/9100 to reception (only to 10.61.110.20)"}, one.Told(none))
	require.Equal(t, []string{"guests gain tcp/631, tcp/9100 to reception"}, none.Told(all))
	require.Equal(t, []string{"guests reach others in reception: tcp/631, tcp/9100 to 10.61.110.21; before: tcp/631, tcp/9100 to 10.61.110.20"}, one.Told(other))
	require.Len(t, one.Told(all), 1, "who else is reached now is told")
	require.Empty(t, one.Told(one))
}
