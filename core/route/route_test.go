package route_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/route"
	"klammer/core/span"
	"klammer/core/walk"
)

// Two routers in a row, and beside the first another that leads to 20 as well;
// v6 has a way of its own.
const rows = `vlan 10 staff
vlan 20 between
vlan 30 lab
vlan 40 six
device one router
  ports a, b
  a: 10
  b: 20
  address 10 10.0.10.1/24 on a
  address 10 fd00:10::1/64 on a
  address 20 10.0.20.1/24 on b
device also router
  ports a, b
  a: 10
  b: 20
  address 10 10.0.10.2/24 on a
  address 20 10.0.20.2/24 on b
device two router
  ports a, b
  a: 20
  b: 30
  address 20 10.0.20.3/24 on a
  address 30 10.0.30.1/24 on b
  address 30 fd00:30::1/64 on b
device six router
  ports a, b
  a: 30
  b: 40
  address 30 fd00:30::2/64 on a
  address 40 fd00:40::1/64 on b
device s switch
  ports 1-12
  1-3: 10
  4-6: 20
  7-9: 30
  10-11: 40
  manage 30 10.0.30.9
cable one.a s.1
cable also.a s.2
cable one.b s.4
cable also.b s.5
cable two.a s.6
cable two.b s.7
cable six.a s.8
cable six.b s.10
plug s.3 "admin laptop" wants 10 operator
`

func read(t *testing.T, text string) *span.Net {
	f, err := notation.Read("t", text)
	require.NoError(t, err)
	return span.Compile(f.Office)
}

// TestWay: the fewest crossings, then the first device; each family for itself.
func TestWay(t *testing.T) {
	n := read(t, rows)
	m := route.New(n)
	at := func(v office.VID) []route.Goal {
		return m.Goals(n.Topo.DeviceIndex("s"), v, "", n.Office.Devices[0].Addresses[0].Prefix.Addr())
	}
	start := at(10)[0].Place
	for _, row := range []struct {
		to   office.VID
		want string
	}{
		{10, "[]"},
		{20, "[one 10>20]"},
		{30, "[one 10>20 two 20>30]"},
		{40, "none"}, // of v4 there is no way, and nothing makes v6 of it
	} {
		way, ok := m.From(start, true).Way(at(row.to)...)
		got := "none"
		if ok {
			var steps []string
			for _, c := range way {
				steps = append(steps, fmt.Sprintf("%s %d>%d", n.Office.Devices[c.Dev].Name, c.In.VID, c.Out.VID))
			}
			got = fmt.Sprint(steps)
		}
		require.Equal(t, row.want, got, "to %d", row.to)
	}
}

// TestOneAnswer: the walk and the finding agree on whether a device is reached,
// over one router, over two, and where the second is gone.
func TestOneAnswer(t *testing.T) {
	for _, row := range []struct {
		says, without string
		reached       bool
	}{
		{"over two routers", "", true},
		{"by the other first router", "cable one.a s.1\n", true},
		{"the second is gone", "cable two.a s.6\n", false},
		{"both first ones are gone", "cable one.b s.4\ncable also.b s.5\n", false},
	} {
		text := rows
		for _, line := range strings.SplitAfter(row.without, "\n") {
			text = strings.Replace(text, line, "", 1)
		}
		n := read(t, text)
		cut := false
		for _, f := range finding.Check(n).List() {
			cut = cut || f.Code == "management-cut"
		}
		require.Equal(t, row.reached, !cut, "%s: the finding", row.says)
		j, err := walk.ToDevice(n, office.PortRef{Device: "s", Port: "3"}, bridge.Untagged, "s")
		require.NoError(t, err)
		require.Equal(t, row.reached, j.Arrives, "%s: the walk to the device: %s", row.says, j.Why)
		j, err = walk.To(n, office.PortRef{Device: "s", Port: "3"}, bridge.Untagged, office.PortRef{Device: "s", Port: "9"})
		require.NoError(t, err)
		require.Equal(t, row.reached, j.Arrives, "%s: the walk to a port: %s", row.says, j.Why)
	}
}
