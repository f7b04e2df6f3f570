package span_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/graph"
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

// TestOutwards: the gateway first, then what is cabled to it in the order of its
// ports; of those that hang on nothing, what usually stands nearer comes first.
func TestOutwards(t *testing.T) {
	n := compile(t, `vlan 10 x
device box host
  ports 1
device far switch
  ports 1-2
device near switch
  ports 1-3
device two router
  ports 1
  1: 10
device gate router
  ports 1-2
  1: [10 20]
  address 10 10.0.10.1/24
  address 20 10.0.20.1/24
device one host
  ports 1
  address 10 10.0.10.2/24
cable near.3 far.1
cable near.2 one.1
cable gate.2 near.1
`)
	var names []string
	for _, i := range n.Topo.Outwards(n.Office) {
		names = append(names, n.Office.Devices[i].Name)
	}
	require.Equal(t, "gate near one far two box", strings.Join(names, " "))
}

// TestUnion: sets that are joined are one, and say whether they were.
func TestUnion(t *testing.T) {
	u := graph.NewUnion(5)
	_, _, ok := u.Join(0, 1)
	require.True(t, ok)
	stays, gone, ok := u.Join(3, 4)
	require.True(t, ok)
	require.Equal(t, []int32{3, 4}, []int32{stays, gone})
	_, _, ok = u.Join(1, 0)
	require.False(t, ok, "they are one already")
	stays, _, _ = u.Join(4, 1)
	require.EqualValues(t, 3, stays, "the first's stands for both")
	require.Equal(t, u.Find(0), u.Find(3))
	require.NotEqual(t, u.Find(0), u.Find(2))
}

// TestBlocks: a ring is one block, a cable by itself another, and a cable from a
// device to itself none.
func TestBlocks(t *testing.T) {
	n := compile(t, "device a switch\n  ports 1-6\ndevice b switch\n  ports 1-6\ndevice c switch\n  ports 1-6\ndevice d switch\n  ports 1-6\n"+
		"cable a.1 b.1\ncable b.2 c.1\ncable c.2 a.2\ncable c.3 d.1\ncable d.5 d.6\n")
	of := map[string]int{}
	for l := range n.Topo.Links {
		of[n.Ref(n.Topo.Links[l].A).String()] = n.Topo.BlockOf(l)
	}
	require.Equal(t, of["a.1"], of["b.2"])
	require.Equal(t, of["a.1"], of["a.2"])
	require.NotEqual(t, of["a.1"], of["c.3"])
	require.Equal(t, -1, of["d.5"])
	require.Len(t, n.Topo.Blocks, 2)
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
