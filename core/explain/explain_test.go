package explain_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/explain"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func clinic(t *testing.T) *span.Net {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	return span.Compile(f.Office)
}

// TestPort: ports of the demo office in plain words.
func TestPort(t *testing.T) {
	n := clinic(t)
	for _, row := range [][2]string{
		{"ward-east.5", "Untagged frames that arrive here join 130 imaging and leave tagged [130] by port 8 towards rack 19. Frames tagged for another VLAN are refused. Follows ward-8 (2 devices) as console."},
		{"ward-west.5", "Untagged frames that arrive here are dropped: the PVID is 1 default, and the port is not in it. Frames tagged for another VLAN are refused. 130 imaging leaves here untagged. An exception from ward-8, which says use console: portable X-ray since June."},
		{"rack.22", "Untagged frames that arrive here join 190 devices and leave untagged by port 17 towards lobby eth0, and by 8 more cables. Frames tagged for another VLAN are refused. Its note: the admin's desk: keep it free."},
		{"gate.lan1", "Untagged frames that arrive here join 190 devices and end here, at the router's own address. Tagged frames of [110] [120] [130] [140] [150] [160] [170] are taken. “needed” is every VLAN that somebody beyond its cable is in, worked out anew at each edit."},
		{"foyer.2", "foyer knows no tags: every frame leaves every other port as it came."},
		{"barn.nic0", "It is one of the ports of the bundle up, which acts as one port. Untagged frames that arrive here join 190 devices. Tagged frames of [110] [120] [130] [170] are taken."},
		{"annex.1", "Untagged frames that arrive here join 120 surgery and leave tagged [120] by port 10 towards rack 25. Tagged frames stay in the port's own group with their tag."},
	} {
		d, p, _ := strings.Cut(row[0], ".")
		require.Equal(t, row[1], strings.Join(explain.Port(n, office.PortRef{Device: d, Port: p}), " "), row[0])
	}
}

// TestReach: a VLAN's reach as a tree, what is cut off where it should hang.
func TestReach(t *testing.T) {
	n := clinic(t)
	var draw func(bs []*explain.Branch, deep int) string
	draw = func(bs []*explain.Branch, deep int) string {
		s := ""
		for _, b := range bs {
			mark := ""
			if b.Broken {
				mark = " broken"
			}
			if b.Cut {
				mark += " cut"
			}
			s += fmt.Sprintf("%s%s %d%s\n", strings.Repeat("  ", deep), b.Device, len(b.Ends), mark) + draw(b.Branches, deep+1)
		}
		return s
	}
	require.Equal(t, `gate 0
  rack 4
    archive 1
    barn 2
    ward-east 2 broken cut
    ward-west 1
`, draw(explain.Reach(n, 130), 0))
	require.Equal(t, "", draw(explain.Reach(n, 4000), 0))
}
