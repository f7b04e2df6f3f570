package talk_test

import (
	"fmt"
	"strings"
	"testing"

	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/talk"
)

// large is a firewall with VLANs and rules of all kinds, and a router behind it.
func large(vlans, rules int) string {
	var b strings.Builder
	b.WriteString("office \"large\"\n")
	for i := range vlans {
		fmt.Fprintf(&b, "vlan %d v%d net 10.%d.%d.0/24\n", 100+i, i, i/250, i%250)
	}
	b.WriteString("device gate firewall\n  forwarding routed\n  ports wan, lan\n  lan: [all]\n  outside fibre on wan\n")
	for i := range vlans {
		fmt.Fprintf(&b, "  address %d 10.%d.%d.1/24 on lan zone z%d\n", 100+i, i/250, i%250, i%20)
	}
	for i := range rules {
		v, w := i*7%vlans, i*13%vlans
		switch i % 5 {
		case 0:
			fmt.Fprintf(&b, "  allow zone z%d to vlan %d tcp/%d,ping\n", i%min(20, vlans), 100+w, 1000+i%50)
		case 1:
			fmt.Fprintf(&b, "  deny %d to %d tcp/80-90\n", 100+v, 100+w)
		case 2:
			fmt.Fprintf(&b, "  allow 10.%d.%d.%d to vlan %d udp/53\n", v/250, v%250, 10+i%200, 100+w)
		case 3:
			fmt.Fprintf(&b, "  allow %d to 10.%d.%d.%d tcp/443\n", 100+v, w/250, w%250, 10+i%200)
		case 4:
			fmt.Fprintf(&b, "  allow vlan %d to outside tcp/443,udp/443\n", 100+v)
		}
	}
	b.WriteString("device rack switch\n  ports 1-2\n  1: [all]\n  2: [all]\ncable gate.lan rack.1\n")
	return b.String()
}

func BenchmarkTable(b *testing.B) {
	for _, size := range []struct{ vlans, rules int }{{10, 20}, {100, 400}, {500, 2000}} {
		f, err := notation.Read("large", large(size.vlans, size.rules))
		if err != nil {
			b.Fatal(err)
		}
		n := span.Compile(f.Office)
		b.Run(fmt.Sprintf("%d-vlans-%d-rules", size.vlans, size.rules), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				talk.NewTable(n)
			}
		})
		t := talk.NewTable(n)
		for _, line := range []string{"gate rule 3 allow 110 to 111 tcp/22", "gate rule 7 before 2", "gate rule 5 deny any to any tcp/445"} {
			o, _, err := notation.Line(f.Office, line)
			if err != nil {
				b.Fatal(err)
			}
			next := n.Update(o)
			b.Run(fmt.Sprintf("%d-vlans-%d-rules/%s", size.vlans, size.rules, strings.ReplaceAll(line, " ", "_")), func(b *testing.B) {
				for b.Loop() {
					t.Update(next)
				}
			})
		}
	}
}
