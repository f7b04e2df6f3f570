package proof

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/proof/short"
)

// TestJourneys: whatever is put on a wire, the way to a port and to a device is
// told: it comes out where the plain version says that it does, or says why not;
// and where the plain version lets it out at an uncabled port of which nothing
// is wanted, it is not said to stop, other than for being of another VLAN.
func TestJourneys(t *testing.T) {
	arrived, routed := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 5)
		n, plain := span.Compile(o), NewPlain(o)
		i := rapid.IntRange(0, len(o.Devices)-1).Draw(t, "from device")
		port := rapid.SampledFrom(plain.devs[i].order).Draw(t, "from port")
		from := office.PortRef{Device: o.Devices[i].Name, Port: port}
		// VLAN 777 is nobody's: only a port that does not filter takes it
		wire := bridge.Wire(rapid.SampledFrom([]int{0, 1, 10, 20, 30, 222, 777}).Draw(t, "wire"))
		outs := map[string]bool{}
		for _, x := range plain.Arrivals(i, port, int(wire)) {
			outs[x] = true
		}
		for k, d := range o.Devices {
			j, err := walk.ToDevice(n, from, wire, d.Name)
			require.NoError(t, err)
			require.Equal(t, j.Arrives, j.Why == "", "%s %s to %s: %q\n%s", from, wire, d.Name, j.Why, notation.Print(o))
			for _, port := range plain.devs[k].order {
				at := office.PortRef{Device: d.Name, Port: port}
				if at == from {
					continue
				}
				j, err := walk.To(n, from, wire, at)
				require.NoError(t, err)
				require.Equal(t, j.Arrives, j.Why == "", "%s %s to %s: %q\n%s", from, wire, at, j.Why, notation.Print(o))
				crosses := false
				for _, s := range j.Steps {
					crosses = crosses || s.Routed
				}
				if crosses {
					routed++
				}
				if !j.Arrives || crosses || len(plain.port(plainEnd{k, port}).cables) > 0 {
					continue
				}
				arrived++
				require.True(t, outs[fmt.Sprintf("%s %d", at, j.Wire)], "%s %s to %s as %s\n%s", from, wire, at, j.Wire, notation.Print(o))
			}
		}
	})
	short.Met(t, arrived, routed)
}
