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
