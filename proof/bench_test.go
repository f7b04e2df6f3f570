package proof

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

// written makes an office of a core, distribution and access tree: devices
// of ports, VLANs in all of them, every uplink carrying all.
func written(devices, ports, vlans int) string {
	var b strings.Builder
	for v := range vlans {
		fmt.Fprintf(&b, "vlan %d v%d net 10.%d.%d.0/24\n", 100+v, 100+v, (100+v)/256, (100+v)%256)
	}
	fmt.Fprintf(&b, "use uplink %d [%d-%d]\n", 100, 101, 99+vlans)
	b.WriteString("device gate firewall\n  forwarding routed\n  ports lan1\n  lan1: use uplink\n  manage 100 10.0.100.1\n")
	for v := range vlans {
		fmt.Fprintf(&b, "  address %d 10.%d.%d.1/24 on lan1\n", 100+v, (100+v)/256, (100+v)%256)
	}
	fan := min(24, ports-4)
	for i := range devices {
		fmt.Fprintf(&b, "device s%d switch\n  ports 1-%d 1G\n  manage 100 10.%d.%d.9\n", i, ports, 200+i/256, i%256)
		first := ports - fan + 1
		for p := 1; p < first; p++ {
			if p == 1 {
				fmt.Fprintf(&b, "  1: use uplink\n")
			} else {
				fmt.Fprintf(&b, "  %d: %d\n", p, 100+(i*7+p)%vlans)
			}
		}
		children := max(0, min(fan, devices-1-i*fan))
		if children > 0 {
			fmt.Fprintf(&b, "  %d-%d: use uplink\n", first, first+children-1)
		}
		for c := range children {
			fmt.Fprintf(&b, "cable s%d.%d s%d.1\n", i, first+c, i*fan+1+c)
		}
	}
	b.WriteString("cable gate.lan1 s0.1\n")
	return b.String()
}

// sizes are the offices that are measured; the large one is made only when
// asked for by name.
var sizes = []struct {
	name                  string
	devices, ports, vlans int
	plain                 bool // the plain version finishes in time
}{{"small-30x24x10", 30, 24, 10, true}, {"large-1000x52x500", 1000, 52, 500, false}}

func read(t testing.TB, text string) *office.Office {
	f, err := notation.Read("bench", text)
	require.NoError(t, err)
	return f.Office
}

func BenchmarkFindings(b *testing.B) {
	for _, s := range sizes {
		o := read(b, written(s.devices, s.ports, s.vlans))
		b.Run("nothing/"+s.name+"/core", func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				finding.Check(span.Compile(o))
			}
		})
		for _, what := range []string{"nothing/", "edit/"} {
			if s.plain { // it has no findings and no increments: spans, needs and states, from nothing
				b.Run(what+s.name+"/plain", func(b *testing.B) {
					for b.Loop() {
						NewPlain(o).Spans()
					}
				})
			}
		}
		r := finding.Check(span.Compile(o))
		text := fmt.Sprintf("s%d 3: %d", s.devices/2, 100+s.vlans/2)
		other, _, err := notation.Line(o, text)
		require.NoError(b, err)
		b.Run("edit/"+s.name+"/core", func(b *testing.B) {
			b.ReportAllocs()
			at, to := r, other
			for b.Loop() {
				at = at.Update(at.Net.Update(to))
				if to == other {
					to = o
				} else {
					to = other
				}
			}
		})
	}
}

// BenchmarkSpans is the same computation both ways: everything that the plain
// version does too, needs, spans and states.
func BenchmarkSpans(b *testing.B) {
	o := read(b, written(12, 8, 6))
	b.Run("core", func(b *testing.B) {
		for b.Loop() {
			states(span.Compile(o))
		}
	})
	b.Run("plain", func(b *testing.B) {
		for b.Loop() {
			NewPlain(o).Spans()
		}
	})
}

func BenchmarkWalk(b *testing.B) {
	for _, s := range sizes {
		o := read(b, written(s.devices, s.ports, s.vlans))
		n := span.Compile(o)
		from := office.PortRef{Device: fmt.Sprintf("s%d", s.devices-1), Port: "3"}
		b.Run(s.name+"/core", func(b *testing.B) {
			for b.Loop() {
				_, err := walk.Broadcast(n, from, bridge.Untagged)
				require.NoError(b, err)
			}
		})
		if s.plain {
			p := NewPlain(o)
			b.Run(s.name+"/plain", func(b *testing.B) {
				for b.Loop() {
					p.Arrivals(s.devices, "3", -1)
				}
			})
		}
	}
}

func BenchmarkBring(b *testing.B) {
	for _, s := range sizes {
		o := read(b, written(s.devices, s.ports, s.vlans)+"vlan 50 new\ndevice end switch\n  ports 1-4\ncable end.1 s"+fmt.Sprint(s.devices-1)+".20\ns0 2: 50\n")
		n := span.Compile(o)
		b.Run(s.name, func(b *testing.B) {
			for b.Loop() {
				_, err := command.Bring(n, 50, office.PortRef{Device: "end", Port: "2"}, office.Untagged)
				require.NoError(b, err)
			}
		})
	}
}

// BenchmarkBringMany brings a VLAN to forty ports of a switch at once, as one
// edit.
func BenchmarkBringMany(b *testing.B) {
	n := span.Compile(read(b, written(30, 52, 10)))
	line := "bring 105 to"
	for p := 2; p <= 28; p++ {
		line += fmt.Sprintf(" s7.%d", p)
	}
	for p := 2; p <= 14; p++ {
		line += fmt.Sprintf(" s8.%d", p)
	}
	for b.Loop() {
		_, err := command.Do(n, command.Line{Text: line})
		require.NoError(b, err)
	}
}

func BenchmarkNotation(b *testing.B) {
	clinic, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(b, err)
	for _, s := range []struct{ name, text string }{{"clinic", string(clinic)}, {"large", written(1000, 52, 500)}} {
		b.Run("read/"+s.name, func(b *testing.B) {
			b.SetBytes(int64(len(s.text)))
			for b.Loop() {
				_, err := notation.Read("x", s.text)
				require.NoError(b, err)
			}
		})
		o := read(b, s.text)
		b.Run("print/"+s.name, func(b *testing.B) {
			b.SetBytes(int64(len(s.text)))
			for b.Loop() {
				notation.Print(o)
			}
		})
	}
}

// BenchmarkSheet is a sheet for a device of 52 ports, with its steps from the
// factory state.
func BenchmarkSheet(b *testing.B) {
	var text strings.Builder
	for v := range 40 {
		fmt.Fprintf(&text, "vlan %d v%d\n", 100+v, 100+v)
	}
	text.WriteString("device d switch\n  ports 1-52 1G\n  wording by-vlan pvid-apart starts-tagged keeps-pvid-vlan\n")
	for p := 1; p <= 52; p++ {
		fmt.Fprintf(&text, "  %d: %d [%d %d]\n", p, 100+p%40, 100+(p+1)%40, 100+(p+2)%40)
	}
	f, err := notation.Read("d", text.String())
	require.NoError(b, err)
	n := span.Compile(f.Office)
	for b.Loop() {
		if s := api.SheetOf(n, 0); s.Problem != "" || len(s.Steps) == 0 {
			b.Fatal(s.Problem)
		}
	}
}
