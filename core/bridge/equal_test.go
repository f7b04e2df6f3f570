package bridge_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/proof/equality"
)

// TestPortsEqual: two ports are the same only if they forward alike in every
// respect. The group and the single VLAN of a port follow from its shape.
func TestPortsEqual(t *testing.T) {
	require.Empty(t, equality.Uncounted(func(a, b bridge.Port) bool { return a.Equal(&b) }, "Group", "Access"))
	p := bridge.Compile(&office.Shape{Tagged: []office.VID{20, 30}, Rides: []office.Ride{{VLAN: 20, Wire: 222}, {VLAN: 30, Wire: 333}}}, nil)
	q := bridge.Compile(&office.Shape{Tagged: []office.VID{20, 30}, Rides: []office.Ride{{VLAN: 20, Wire: 222}, {VLAN: 30, Wire: 334}}}, nil)
	require.False(t, p.Equal(q), "another VID on the wire")
}

// TestParseWire: what a frame wears, as it is typed.
func TestParseWire(t *testing.T) {
	for text, want := range map[string]bridge.Wire{"untagged": bridge.Untagged, "priority": bridge.Priority, "0": bridge.Priority, "1": 1, "4094": 4094} {
		got, err := bridge.ParseWire(text)
		require.NoError(t, err)
		require.Equal(t, want, got, text)
	}
	require.NotEqual(t, bridge.Untagged, bridge.Priority)
	for _, text := range []string{"", "tagged", "4095", "-1", "x"} {
		_, err := bridge.ParseWire(text)
		require.ErrorContains(t, err, "untagged or priority", text)
	}
}

// TestPriorityFrames: a frame with the tag of VID 0 joins the PVID like one
// without a tag, but a device that keeps what frames wear sends it on as it is.
func TestPriorityFrames(t *testing.T) {
	d := &office.Device{Name: "u", Kind: office.Switch, Forwarding: office.Unaware}
	d.Grow(2)
	for _, name := range []string{"1", "2"} {
		require.NoError(t, d.AddPort(name, "", 0))
	}
	d.Seal()
	plain := bridge.Compile(&office.Shape{}, nil)
	table := bridge.NewTable(d, func(int) *bridge.Port { return plain })
	for _, w := range []bridge.Wire{bridge.Untagged, bridge.Priority, 7} {
		in, why := table.Ingress(0, w)
		require.Equal(t, bridge.Passed, why)
		out, ok := table.Egress(in, 1)
		require.True(t, ok)
		want := w
		if w == bridge.Priority {
			want = out // either is the same to whoever is there
		}
		require.Equal(t, want, out)
	}
}
