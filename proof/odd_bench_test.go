package proof

import (
	"fmt"
	"strings"
	"testing"

	"klammer/core/finding"
	"klammer/core/span"
)

// odd are offices that nobody plans and somebody has: what is slow shows there.
var odd = map[string]func() string{
	// every switch cabled to every other, everything allowed: rings of all VLANs
	"mesh-40": func() string {
		var b strings.Builder
		vlansFor(&b, 10, 59)
		for i := range 40 {
			fmt.Fprintf(&b, "device d%d switch\n  ports 1-40\n  1-40: [all]\n", i)
		}
		for i := range 40 {
			for j := range i {
				fmt.Fprintf(&b, "cable d%d.%d d%d.%d\n", i, j+1, j, i+1)
			}
		}
		return b.String()
	},
	"chain-1500": func() string {
		var b strings.Builder
		vlansFor(&b, 10, 59)
		for i := range 1500 {
			fmt.Fprintf(&b, "device d%d switch\n  ports 1-8\n  1-6: %d\n  7-8: [needed]\n", i, 10+i%50)
			if i > 0 {
				fmt.Fprintf(&b, "cable d%d.8 d%d.7\n", i-1, i)
			}
		}
		return b.String()
	},
	// what many call a trunk, with nothing registered
	"trunks-unregistered": func() string {
		return "device x switch\n  ports 1-64\n  1-64: [1-4094]\ndevice y switch\n  ports 1-64\n  1-64: [1-4094]\n" + parallel(64)
	},
	"trunks-4000-vlans": func() string {
		var b strings.Builder
		vlansFor(&b, 2, 3999)
		return b.String() + "device x switch\n  ports 1-64\n  1-64: [all]\ndevice y switch\n  ports 1-64\n  1-64: [all]\n" + parallel(64)
	},
	"half-built-2000": func() string {
		var b strings.Builder
		vlansFor(&b, 10, 59)
		for i := range 2000 {
			fmt.Fprintf(&b, "device h%d host\n  ports 1-4\n  1-4: 10 [20-30]\n", i)
		}
		return b.String()
	},
	"one-subnet-3000": func() string {
		var b strings.Builder
		for v := 2; v < 3002; v++ {
			fmt.Fprintf(&b, "vlan %d v%d net 10.0.0.0/16\n", v, v)
		}
		return b.String()
	},
	"translation-64": func() string {
		var b strings.Builder
		vlansFor(&b, 10, 199)
		b.WriteString("device t switch\n  ports 1-64\n")
		for p := range 64 {
			fmt.Fprintf(&b, "  %d: [", p+1)
			for k := range 60 {
				fmt.Fprintf(&b, " %d@%d", 10+(p+k)%190, 300+k)
			}
			b.WriteString("]\n")
		}
		return b.String()
	},
}

func vlansFor(b *strings.Builder, from, to int) {
	for v := from; v <= to; v++ {
		fmt.Fprintf(b, "vlan %d v%d\n", v, v)
	}
}

func parallel(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "cable x.%d y.%d\n", i+1, i+1)
	}
	return b.String()
}

// BenchmarkOdd finds everything in them from nothing, and tries the mends of
// one finding of each code.
func BenchmarkOdd(b *testing.B) {
	for name, write := range odd {
		o := read(b, write())
		b.Run("findings/"+name, func(b *testing.B) {
			for b.Loop() {
				finding.Check(span.Compile(o))
			}
		})
		b.Run("mend/"+name, func(b *testing.B) {
			r := finding.Check(span.Compile(o))
			seen := map[finding.Code]bool{}
			var some []*finding.Finding
			for _, f := range r.List() {
				if len(f.Mends) > 0 && !seen[f.Code] {
					seen[f.Code] = true
					some = append(some, f)
				}
			}
			if some == nil {
				b.Skip("nothing to mend")
			}
			b.ResetTimer()
			for b.Loop() {
				for _, f := range some {
					r.Mends(f)
				}
			}
			b.ReportMetric(float64(len(some)), "findings")
		})
	}
}
