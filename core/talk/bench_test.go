package talk_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"klammer/core/notation"
	"klammer/core/office"
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

func readLarge(b *testing.B, text string) *span.Net {
	f, err := notation.Read("large", text)
	if err != nil {
		b.Fatal(err)
	}
	return span.Compile(f.Office)
}

// BenchmarkTable: all pairs from nothing, and after one edit of a rule, beside the
// plain version, which asks one address of each VLAN by a few services.
func BenchmarkTable(b *testing.B) {
	for _, size := range []struct{ vlans, rules int }{{10, 20}, {100, 400}, {500, 2000}} {
		n := readLarge(b, large(size.vlans, size.rules))
		name := fmt.Sprintf("%d-vlans-%d-rules", size.vlans, size.rules)
		b.Run("nothing/"+name+"/core", func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				talk.NewTable(n)
			}
		})
		if size.vlans <= 100 {
			p := &plain{o: n.Office, far: map[string]bool{}, cut: map[office.VID]bool{}}
			for _, what := range []string{"nothing/", "rule/"} {
				b.Run(what+name+"/plain", func(b *testing.B) {
					for b.Loop() {
						p.table()
					}
				})
			}
		}
		t := talk.NewTable(n)
		for _, edit := range []struct{ name, line string }{{"rule", "gate rule 3 allow 110 to 111 tcp/22"}, {"moved", "gate rule 7 before 2"}, {"any-to-any", "gate rule 5 deny any to any tcp/445"}} {
			o, _, err := notation.Line(n.Office, edit.line)
			if err != nil {
				b.Fatal(err)
			}
			next := n.Update(o)
			b.Run(edit.name+"/"+name+"/core", func(b *testing.B) {
				for b.Loop() {
					t.Update(next)
				}
			})
		}
	}
}

// table asks for every pair of VLANs, one packet at a time.
func (p *plain) table() (open int) {
	for _, v := range p.o.VLANs {
		for _, w := range p.o.VLANs {
			for _, k := range probes[:6] {
				k.src, k.dst = v.Nets[0].Addr().Next().Next(), w.Nets[0].Addr().Next().Next()
				if v != w && p.talks(k, spot{vid: v.VID}, spot{vid: w.VID}) {
					open++
				}
			}
		}
	}
	return open
}

// BenchmarkClinic: the demo office, from nothing and after an edit of a rule.
func BenchmarkClinic(b *testing.B) {
	text, err := os.ReadFile("../../demo/clinic.klm")
	if err != nil {
		b.Fatal(err)
	}
	n := readLarge(b, string(text))
	b.Run("nothing", func(b *testing.B) {
		for b.Loop() {
			talk.NewTable(n)
		}
	})
	t := talk.NewTable(n)
	o, _, err := notation.Line(n.Office, "gate rule 3 deny phones to cameras")
	if err != nil {
		b.Fatal(err)
	}
	next := n.Update(o)
	b.Run("rule", func(b *testing.B) {
		for b.Loop() {
			t.Update(next)
		}
	})
}

// BenchmarkOdd: offices that nobody plans and somebody has.
func BenchmarkOdd(b *testing.B) {
	var hosts, ring, bare, wishes strings.Builder
	hosts.WriteString(large(10, 0))
	at := strings.Index(hosts.String(), "device rack")
	text := hosts.String()
	var rules strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&rules, "  allow 10.0.%d.%d to vlan %d tcp/%d\n", i%10, 2+i/10, 100+(i+1)%10, 1000+i%300)
	}
	one := text[:at] + rules.String() + text[at:]
	ring.WriteString("office \"ring\"\n")
	for i := range 100 {
		fmt.Fprintf(&ring, "vlan %d v%d net 10.0.%d.0/24\n", 100+i, i, i)
	}
	for i := range 100 {
		fmt.Fprintf(&ring, "device r%d router\n  forwarding routed\n  ports a, b\n  a: %d\n  b: %d\n  address %d 10.0.%d.1/24 on a gateway\n  address %d 10.0.%d.2/24 on b\n  route default via 10.0.%d.1\n",
			i, 100+i, 100+(i+1)%100, 100+i, i, 100+(i+1)%100, (i+1)%100, (i+1)%100)
	}
	for i := range 100 {
		fmt.Fprintf(&ring, "cable r%d.b r%d.a\n", i, (i+1)%100)
	}
	for i := range 2000 {
		fmt.Fprintf(&bare, "vlan %d v%d net 10.%d.%d.0/24\n", 2+i, i, i/250, i%250)
	}
	wishes.WriteString(large(200, 200))
	for i := range 200 {
		fmt.Fprintf(&wishes, "never %d to 10.0.%d.%d\n", 100+i, (i+1)%200, 7+i)
	}
	for _, x := range []struct{ name, text string }{
		{"2000 hosts named one by one", one}, {"100 routers in a ring", ring.String()}, {"2000 VLANs and no device", bare.String()}, {"200 wishes", wishes.String()},
	} {
		n := readLarge(b, x.text)
		b.Run(strings.ReplaceAll(x.name, " ", "-"), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				talk.NewTable(n)
			}
		})
	}
}

// BenchmarkUnused: which of 2,000 rules no packet can meet, of all kinds and where
// each fits everybody.
func BenchmarkUnused(b *testing.B) {
	text := large(500, 0)
	at := strings.Index(text, "device rack")
	var wide strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&wide, "  allow %s to any tcp/%d\n", []string{"any", fmt.Sprintf("zone z%d", i%20)}[i%2], 1+i)
	}
	for _, x := range []struct{ name, text string }{{"all-kinds", large(500, 2000)}, {"wide", text[:at] + wide.String() + text[at:]}} {
		n := readLarge(b, x.text)
		b.Run(x.name, func(b *testing.B) {
			for b.Loop() {
				talk.UnusedRules(n.Office, n.Office.Devices[0])
			}
		})
	}
}
