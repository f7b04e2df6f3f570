package order

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func readOffice(t testing.TB, text string) *office.Office {
	f, err := notation.Read("office", text)
	require.NoError(t, err)
	return f.Office
}

func clinic(t testing.TB) *office.Office {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	return readOffice(t, string(text))
}

// fromFactory is an office with every device as it came out of its box, all of it
// cabled, and the laptop in VLAN 1.
func fromFactory(plan *office.Office) *office.Office {
	o := *plan
	n := span.Compile(plan)
	o.Devices, o.Plugs, o.Wishes = nil, nil, nil
	for i, d := range plan.Devices {
		if d.Unaware() {
			o.Devices = append(o.Devices, d)
			continue
		}
		o.Devices = append(o.Devices, boxed(n, i))
	}
	for _, p := range plan.Plugs {
		if p.Operator {
			p.Wants = office.DefaultVID
		}
		o.Plugs = append(o.Plugs, p)
	}
	return &o
}

// chain is an office of switches in a tree whose management moves from VLAN 1 to
// VLAN 190, untagged on every trunk.
func moving(t testing.TB, switches int) (was, plan *office.Office) {
	text := func(vid int) string {
		var b strings.Builder
		b.WriteString("vlan 1 default local\nvlan 190 devices\n")
		for v := 10; v < 20; v++ {
			fmt.Fprintf(&b, "vlan %d staff-%d\n", v, v)
		}
		for i := range switches {
			fmt.Fprintf(&b, "device s%d switch\n  ports 1-24\n  wording by-vlan pvid-apart\n  manage %d 10.0.%d.%d\n", i, vid, vid%256, i+2)
			for p := 1; p <= 16; p++ {
				fmt.Fprintf(&b, "  %d: %d\n", p, 10+p%10)
			}
			fmt.Fprintf(&b, "  17-24: %d [10-19]\n", vid)
		}
		for i := 1; i < switches; i++ {
			fmt.Fprintf(&b, "cable s%d.24 s%d.%d\n", i, (i-1)/4, 18+(i-1)%4)
		}
		fmt.Fprintf(&b, "plug s0.17 \"laptop\" wants %d operator\n", vid)
		return b.String()
	}
	return readOffice(t, text(1)), readOffice(t, text(190))
}

func BenchmarkFactory(b *testing.B) {
	plan := clinic(b)
	was := fromFactory(plan)
	for b.Loop() {
		o, err := Make(was, plan, Options{})
		require.NoError(b, err)
		b.ReportMetric(float64(len(o.Steps)), "steps")
	}
}

func BenchmarkManagementMoves(b *testing.B) {
	for _, n := range []int{3, 10, 30} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			was, plan := moving(b, n)
			for b.Loop() {
				o, err := Make(was, plan, Options{})
				require.NoError(b, err)
				b.ReportMetric(float64(len(o.Steps)), "steps")
				b.ReportMetric(float64(o.Price.Walks), "walks")
				require.True(b, o.Safe(), o.Summary())
			}
		})
	}
}
