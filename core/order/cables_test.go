package order

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
)

// TestCablesMoved: a switch put into an uplink or taken out of it, two cables that change
// places, and three: each has an order that ends at the plan, and no port has two cables.
func TestCablesMoved(t *testing.T) {
	device := func(name string, manage int) string {
		return fmt.Sprintf("device %s switch\n  ports 1-8\n  manage 90 10.0.90.%d\n  1: 90\n  2: 10\n  5-8: 90 [10]\n", name, manage)
	}
	office := func(devices string, cables ...string) string {
		text := "vlan 10 desks net 10.0.10.0/24\nvlan 90 devices net 10.0.90.0/24\n"
		for i, d := range strings.Fields(devices) {
			text += device(d, i+2)
		}
		for _, c := range cables {
			text += "cable " + c + "\n"
		}
		return text + "plug a.1 \"laptop\" wants 90 operator\nplug a.2 \"one\" wants 10\nplug b.2 \"two\" wants 10\n"
	}
	for _, x := range []struct {
		name, was, plan string
		moved           int // cables that keep an end
	}{
		{"put in", office("a b", "a.8 b.8"), office("a b mid", "a.8 mid.5", "mid.6 b.8"), 1},
		{"taken out", office("a b mid", "a.8 mid.5", "mid.6 b.8"), office("a b", "a.8 b.8"), 1},
		{"two change places", office("a b c", "a.8 b.8", "a.7 c.8"), office("a b c", "a.7 b.8", "a.8 c.8"), 0},
		{"three go round", office("a b c d", "a.8 b.8", "a.7 c.8", "a.6 d.8"), office("a b c d", "a.7 b.8", "a.6 c.8", "a.8 d.8"), 0},
		{"one to a free port", office("a b", "a.8 b.8"), office("a b", "a.8 b.7"), 1},
	} {
		t.Run(x.name, func(t *testing.T) {
			was, plan := readOffice(t, x.was), readOffice(t, x.plan)
			o, err := Make(was, plan, Options{})
			require.NoError(t, err)
			at, moved := was, 0
			for _, st := range o.Steps {
				if strings.HasPrefix(st.Text, "Move the cable") {
					moved++
				}
				for _, line := range st.Lines {
					at, _, err = notation.Line(at, line)
					require.NoError(t, err, line)
				}
			}
			require.GreaterOrEqual(t, moved, x.moved)
			lines := func(text string) []string { return slices.Sorted(strings.SplitSeq(text, "\n")) }
			require.Equal(t, lines(notation.Print(plan)), lines(notation.Print(at)))
		})
	}
}

// TestPlugsChangePlaces: no port takes what comes before what is there has left, so two that
// change places, and three that go round, move in one act, with who hangs behind them; a row
// of them that ends at a free port moves one by one.
func TestPlugsChangePlaces(t *testing.T) {
	office := func(pc, camera, till int) string {
		return fmt.Sprintf(`vlan 10 desks net 10.0.10.0/24
vlan 20 cameras net 10.0.20.0/24
vlan 90 devices net 10.0.90.0/24
device a switch
  ports 1-8
  manage 90 10.0.90.2
  1: 90
  2: 10 [20]
  3: 20
  4: 10
  5: 10
plug a.1 "laptop" wants 90 operator
plug a.%d "pc" wants 10
plug a.%d "phone" wants 20 tagged
plug a.%d "camera" wants 20
plug a.%d "till" wants 10
`, pc, pc, camera, till)
	}
	for _, x := range []struct {
		says      string
		was, plan string
		moves     int // acts
	}{
		{"two change places", office(2, 3, 4), office(3, 2, 4), 1},
		{"three go round", office(2, 3, 4), office(3, 4, 2), 1},
		{"one after the other", office(2, 3, 4), office(4, 3, 5), 2},
	} {
		was, plan := readOffice(t, x.was), readOffice(t, x.plan)
		o, err := Make(was, plan, Options{})
		require.NoError(t, err, x.says)
		alike(t, plan, carried(t, was, o))
		require.Len(t, o.Steps, x.moves, x.says)
		require.Zero(t, o.Leaks, x.says)
		require.Zero(t, o.Price.Interrupted, x.says)
	}
}

// TestAccessPoint: one with a single port comes out of its box in VLAN 1 and is to be managed
// in another. It is set at that port, its way and its management together, before its cable
// is plugged in; nobody has to say that it has a console. The laptop is told which address it
// has from there.
func TestAccessPoint(t *testing.T) {
	rack := `vlan 60 guests net 10.0.60.0/24
vlan 90 devices net 10.0.90.0/24
device a switch
  ports 1-8
  manage 90 10.0.90.2
  1: 90
  8: 90 [60]
plug a.1 "laptop" wants 90 operator
`
	for _, words := range []string{"  wording by-inner-port\n", ""} {
		was := readOffice(t, rack)
		plan := readOffice(t, rack+"device porch wap\n  ports eth0\n"+words+"  factory 192.168.1.1/24 in 1\n  eth0: 90 [60]\n  inner \"Guests\" ssid: 60\n  manage 90 10.0.90.9/24\ncable a.8 porch.eth0\n")
		o, err := Make(was, plan, Options{})
		require.NoError(t, err, words)
		alike(t, plan, carried(t, was, o))
		require.Nil(t, o.Harm(), words)
		at := func(text string) int {
			return slices.IndexFunc(o.Steps, func(st Step) bool { return strings.Contains(st.Text, text) })
		}
		both, leaves, cable := at("Fill in both"), at("Plug the laptop into a 1"), at("Plug a cable")
		require.True(t, 0 < both && both < leaves && leaves < cable, "%d %d %d", both, leaves, cable)
		require.Contains(t, strings.Join(o.Steps[both].Told, " "), "in VLAN 90 devices from here; set it to 10.0.90.1/24 by hand")
		back, err := Make(plan, was, Options{})
		require.NoError(t, err, words)
		alike(t, was, carried(t, plan, back))
	}
	// A switch without a port to spare asks for its untagged VLAN on a page of its own.
	plan := readOffice(t, rack+"device porch switch\n  ports 1\n  wording by-vlan pvid-apart\n  1: 90 [60]\n  manage 90 10.0.90.9/24\ncable a.8 porch.1\n")
	_, err := Make(readOffice(t, rack), plan, Options{})
	require.ErrorContains(t, err, "console")
}
