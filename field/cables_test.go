package field_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/field"
)

// TestCablesAsCalled: one cable is one, whatever its ends call each other: with a domain, in
// capitals, by the name that a port has inside, or by the one that only its own reading tells.
func TestCablesAsCalled(t *testing.T) {
	f, err := notation.Read("office", "device rack switch\n  ports 1-8\ndevice far switch\n  ports 1-4, up as eth9\ncable rack.7 far.up\ncable rack.8 far.4\n")
	require.NoError(t, err)
	told := func(device string, ports []field.ToldPort, heard ...field.ToldNeighbour) *field.Telling {
		return &field.Telling{Device: device, Ports: ports, Neighbours: heard}
	}
	all := []*field.Telling{
		told("rack", []field.ToldPort{{Port: "7", Called: "ge-0/0/7"}, {Port: "8", Called: "ge-0/0/8"}},
			field.ToldNeighbour{Port: "7", Device: "FAR.clinic.example", RemotePort: "ETH9"}, field.ToldNeighbour{Port: "8", Device: "far", RemotePort: "port 4"}),
		told("far", []field.ToldPort{{Port: "up", Called: "eth9"}, {Port: "4"}},
			field.ToldNeighbour{Port: "up", Device: "Rack", RemotePort: "ge-0/0/7"}, field.ToldNeighbour{Port: "4", Device: "rack.clinic.example", RemotePort: "GE-0/0/8"}),
	}
	for _, c := range field.Cables(f.Office, all) {
		require.True(t, c.Planned, "%+v", c)
		require.Equal(t, field.HeardBoth, c.Heard, "%+v", c)
	}
	seen := field.Seen(f.Office, all)
	require.Len(t, seen.Heard, 4)
	for _, h := range seen.Heard {
		_, far, ok := f.Office.CableAt(h.At)
		require.True(t, ok)
		require.Equal(t, far, h.By)
	}
}

// TestSaysOtherwise: what the end of a cable says of its port, and is planned otherwise, stands
// with the cable.
func TestSaysOtherwise(t *testing.T) {
	f, err := notation.Read("office", "vlan 10 staff\nvlan 190 devices\ndevice rack switch\n  ports 1-8\n  7-8: 190 [10]\ndevice far switch\n  ports 1-4\n  3: 190 [10]\n  4: [10]\ncable rack.7 far.3\ncable rack.8 far.4\n")
	require.NoError(t, err)
	says := func(a, b field.ToldNeighbour) (out []string) {
		for _, c := range field.Cables(f.Office, []*field.Telling{{Device: "rack", Neighbours: []field.ToldNeighbour{a, b}}}) {
			out = append(out, c.Says...)
		}
		return out
	}
	three, four := field.ToldNeighbour{Port: "7", Device: "far", RemotePort: "3"}, field.ToldNeighbour{Port: "8", Device: "far", RemotePort: "4"}
	require.Empty(t, says(three, four), "they say nothing of it")
	three.PVID, four.PVID = 190, 1
	require.Empty(t, says(three, four), "a port that takes no untagged frames has some number, too")
	three.PVID, four.Bundled = 1, true
	require.Equal(t, []string{"far 3 says that its PVID is 1, and 190 is planned", "far 4 says that it is in a bundle, and none is planned"}, says(three, four))
}
