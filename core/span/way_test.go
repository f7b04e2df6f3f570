package span_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/span"
)

func compile(t *testing.T, text string) *span.Net {
	f, err := notation.Read("t", text)
	require.NoError(t, err)
	return span.Compile(f.Office)
}

// Between a and d there are two ways of two hops, over b and over c, and one of
// three hops that has all that it needs.
const ways = `vlan 10 x
device a switch
  ports 1-4
  1: [10]
device b switch
  ports 1-4
device c switch
  ports 1-4
  1: [10]
device d switch
  ports 1-4
device e switch
  ports 1-4
  1-2: [10]
device f switch
  ports 1-4
  1-2: [10]
cable a.1 e.1
cable e.2 f.1
cable f.2 d.3
cable a.2 b.1
cable b.2 d.1
cable a.3 c.1
cable c.2 d.2
`

// TestRoute: the fewest hops, then the fewest ports to change, then the names.
func TestRoute(t *testing.T) {
	for _, row := range []struct{ says, text, want string }{
		{"fewest hops, then fewest changes", ways, "a.3 c.1 c.2 d.2"},
		{"then by name", strings.Replace(ways, "  ports 1-4\n  1: [10]\ndevice d", "  ports 1-4\ndevice d", 1), "a.2 b.1 b.2 d.1"},
		{"a shut port is no way", strings.Replace(ways, "device d switch\n  ports 1-4\n", "device d switch\n  ports 1-4\n  1-2: off\n", 1), "a.1 e.1 e.2 f.1 d.3 f.2"},
		{"nor is a device that drops tags", strings.Replace(ways, "device c switch\n  ports 1-4\n  1: [10]\n", "device c switch\n  forwarding unaware drops-tagged\n  ports 1-4\n", 1), "a.2 b.1 b.2 d.1"},
		{"there is none", strings.Replace(ways, "device d switch\n  ports 1-4\n", "device d switch\n  ports 1-4\n  1-4: off\n", 1), "none"},
	} {
		n := compile(t, row.text)
		hub := func(name string) int { return n.Topo.HubOf(n.Topo.DeviceIndex(name), 0) }
		way, ok := n.Route(10, []int{hub("a")}, func(h int) bool { return h == hub("d") })
		got := "none"
		if ok {
			var ends []string
			for _, l := range way {
				for _, e := range n.Topo.Links[l].Ends() {
					ends = append(ends, n.Ref(e).String())
				}
			}
			got = strings.Join(ends, " ")
		}
		require.Equal(t, row.want, got, row.says)
	}
}

// TestRouteToSeveral: of goals that are equally near, the one that has the fewest
// ports to change, then the first by name.
func TestRouteToSeveral(t *testing.T) {
	for text, want := range map[string]string{ways: "c", strings.Replace(ways, "  ports 1-4\n  1: [10]\ndevice d", "  ports 1-4\ndevice d", 1): "b"} {
		n := compile(t, text)
		hub := func(name string) int { return n.Topo.HubOf(n.Topo.DeviceIndex(name), 0) }
		way, ok := n.Route(10, []int{hub("a")}, func(h int) bool { return h == hub("b") || h == hub("c") })
		require.True(t, ok)
		require.Len(t, way, 1)
		require.Equal(t, want, n.Office.Devices[n.Topo.Links[way[0]].B.Dev].Name)
	}
}

// TestNamedOrAll: a VLAN that a port named, and now has by "all", is carried as
// before; but nobody ends in it there any more, and that is told.
func TestNamedOrAll(t *testing.T) {
	n := compile(t, "vlan 1 x local\ndevice d switch\n  ports 1-4\n  4: [1 all]\n  address 1 10.0.1.1/24\n")
	require.Len(t, n.Terminals(n.VLAN(1).Spans[0], 1), 1)
	o, _, err := notation.Line(n.Office, "d 4: [all]")
	require.NoError(t, err)
	next := n.Update(o)
	require.Same(t, n.Tables[0].Ports[3], next.Tables[0].Ports[3], "it forwards as before")
	_, _, vlans, fresh := next.Delta()
	require.False(t, fresh)
	require.True(t, vlans.Has(1))
	require.Empty(t, next.Terminals(next.VLAN(1).Spans[0], 1))
}
