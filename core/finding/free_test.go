package finding_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/span"
)

// TestAddressesMended: whoever has an address that cannot be is offered one that nobody has, that is
// not handed out and that a host may have, as long as the subnet has one; and taken, the fault is gone.
func TestAddressesMended(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		bits := rapid.IntRange(27, 30).Draw(t, "bits")
		net := netip.MustParsePrefix(fmt.Sprintf("10.61.110.0/%d", bits))
		size := 1 << (32 - bits)
		var b strings.Builder
		fmt.Fprintf(&b, "vlan 110 a net %s\ndevice gate router\n  ports lan\n  lan: 110\n  address 110 10.61.110.1/%d on lan", net, bits)
		taken := map[int]bool{0: true, 1: true, size - 1: true}
		if size > 8 && rapid.Bool().Draw(t, "handed out") {
			b.WriteString(" handout 10.61.110.8-10.61.110.11")
			for host := 8; host < 12; host++ {
				taken[host] = true
			}
		}
		b.WriteString("\ndevice s switch\n  ports 1-40\n  1-40: 110\ncable gate.lan s.40\n")
		for i := range rapid.IntRange(1, 20).Draw(t, "plugs") {
			host := rapid.IntRange(0, size+1).Draw(t, "host") // beyond it, too
			fmt.Fprintf(&b, "plug s.%d \"pc %d\" wants 110 at 10.61.110.%d\n", i+1, i, host)
			taken[host] = true
		}
		file, err := notation.Read("t", b.String())
		require.NoError(t, err)
		report := finding.Check(span.Compile(file.Office))
		full := true
		for host := range size {
			full = full && taken[host]
		}
		for _, one := range report.List() {
			if one.Code != finding.PlugAddress {
				continue
			}
			mends := report.Mends(one)
			if !full {
				require.NotEmpty(t, mends, "%s\n%s", one.Text, b.String())
			}
			for _, lines := range mends {
				o, _, err := notation.Line(file.Office, strings.Join(lines, "\n"))
				require.NoError(t, err)
				for _, after := range finding.Check(span.Compile(o)).List() {
					require.NotEqual(t, one.ID, after.ID, "%v\n%s", lines, b.String())
				}
			}
		}
	})
}
