package command_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

func clinic(t *testing.T) *span.Net {
	t.Helper()
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic.klm", string(text))
	require.NoError(t, err)
	return span.Compile(f.Office)
}

func do(t *testing.T, n *span.Net, line string) *span.Net {
	t.Helper()
	r, err := command.Do(n, command.Line{Text: line})
	require.NoError(t, err, line)
	again, err := office.Apply(n.Office, r.Edit)
	require.NoError(t, err, line)
	require.Equal(t, notation.Print(r.Office), notation.Print(again), "the edit of %q leads to its office", line)
	back, err := office.Apply(r.Office, r.Edit.Inverse())
	require.NoError(t, err, line)
	require.Equal(t, notation.Print(n.Office), notation.Print(back), "%q can be taken back", line)
	return span.Compile(r.Office)
}

// TestThereAndBack: what a verb does, the same verb undoes, and in between the
// frames go the same ways.
func TestThereAndBack(t *testing.T) {
	for _, row := range [][2]string{
		{"renumber 110 to 115 with subnets", "renumber 115 to 110 with subnets"},
		{"renumber 190 to 90", "renumber 90 to 190"},
		{"rename device rack to core", "rename device core to rack"},
		{"rename vlan 110 front-desk", "rename vlan front-desk to reception"},
		{"rename plan ward-8 to wards", "rename plan wards to ward-8"},
		{"copy ward-east as ward-south", "-device ward-south"},
	} {
		n := clinic(t)
		there := do(t, n, row[0])
		require.NotEqual(t, notation.Print(n.Office), notation.Print(there.Office), row[0])
		require.Equal(t, notation.Print(n.Office), notation.Print(do(t, there, row[1]).Office), row[0])
		if strings.HasPrefix(row[0], "rename vlan") || strings.HasPrefix(row[0], "rename plan") {
			require.Empty(t, walk.Compare(n, there), row[0])
		}
		if from, to, ok := renumbered(row[0]); ok { // the same frames, under the other number
			was, is := walk.Flows(n), walk.Flows(there)
			for i := range was {
				was[i].Wire = under(was[i].Wire, from, to)
				for k := range was[i].Arrivals {
					was[i].Arrivals[k].Wire = under(was[i].Arrivals[k].Wire, from, to)
				}
			}
			require.ElementsMatch(t, told(was), told(is), row[0])
		}
	}
}

func renumbered(line string) (from, to int, ok bool) {
	n, _ := fmt.Sscanf(line, "renumber %d to %d", &from, &to)
	return from, to, n == 2
}

func under(w bridge.Wire, from, to int) bridge.Wire {
	if w == bridge.Wire(from) {
		return bridge.Wire(to)
	}
	return w
}

func told(flows []walk.Flow) (out []string) {
	for _, f := range flows {
		arrivals := []string{}
		for _, a := range f.Arrivals {
			arrivals = append(arrivals, fmt.Sprint(a.Port, " ", a.Wire))
		}
		slices.Sort(arrivals)
		out = append(out, fmt.Sprint(f.From, " ", f.Wire, " ", arrivals))
	}
	return out
}

// TestRenumberSubnets: the part of a subnet changes that shows the number by the
// habit of the others, and never the range that it is in, unasked.
func TestRenumberSubnets(t *testing.T) {
	for _, row := range []struct{ office, line, want, notes string }{
		{"vlan 20 a net 10.20.20.0/24\nvlan 30 b net 10.20.30.0/24", "renumber 20 to 45 with subnets", "net 10.20.45.0/24", "subnet 10.20.20.0/24 becomes 10.20.45.0/24"},
		{"vlan 20 a net 10.20.20.0/24\nvlan 30 b net 10.30.20.0/24", "renumber 20 to 45 with subnets", "net 10.45.20.0/24", ""},
		{"vlan 20 a net 10.20.20.0/24", "renumber 20 to 45 with subnets", "net 10.20.45.0/24", ""},
		{"vlan 10 a net 10.20.10.0/24", "renumber 10 to 150 with subnets", "net 10.20.150.0/24", ""},
		{"vlan 168 a net 192.168.0.0/16", "renumber 168 to 169 with subnets", "", "outside of 192.168.0.0/16"},
		{"vlan 168 a net 192.168.0.0/16", "renumber 168 to 169 with subnets anyway", "net 192.169.0.0/16", ""},
		{"vlan 20 a net fd00:20:0:20::/64", "renumber 20 to 45 with subnets", "net fd00:20:0:45::/64", ""},
		{"vlan 20 a net 10.0.20.0/24", "renumber 20 to 300 with subnets", "vlan 300 a net 10.0.20.0/24", "stays: 300 cannot stand in it"},
		{"vlan 20 a\ndevice h host\n  ports 1\n  inner m vm: [40-50]", "renumber 20 to 45", "vlan 45 a", "h m lets VLAN 45 in by its range"},
		{"vlan 20 a\ndevice h host\n  ports 1\n  1: 45", "renumber 20 to 45", "", "two VLANs would become one"},
	} {
		f, err := notation.Read("o", row.office)
		require.NoError(t, err)
		r, err := command.Do(span.Compile(f.Office), command.Line{Text: row.line})
		if row.want == "" {
			require.ErrorContains(t, err, row.notes, row.line)
			continue
		}
		require.NoError(t, err, row.line)
		require.Contains(t, notation.Print(r.Office), row.want)
		require.Contains(t, strings.Join(r.Notes, "\n"), row.notes)
	}
}

func TestLine(t *testing.T) {
	for _, row := range []struct{ line, has, lacks string }{
		{"renumber 110 to 115 with subnets", "vlan 115 reception \"front desk and offices\" net 10.61.115.0/24", "10.61.110."},
		{"renumber 110 to 115 with subnets", "address 115 10.61.115.1/24", "110"},
		{"renumber 110 to 115", "vlan 115 reception \"front desk and offices\" net 10.61.110.0/24", "vlan 110"},
		{"rename device rack to core", "cable core.19 ward-east.8", "rack."},
		{"rename device rack to core", `plug core.22 "administrator's laptop"`, "rack."},
		{"retire 170", "plug rack.", "vlan 170"},
		{"add den 8-port switch", "device den switch\n  ports 1-8", ""},
		{"add den switch 8 ports, by VLAN", "device den switch\n  ports 1-8\n  wording by-vlan", ""},
		{"add den unmanaged 5-port switch", "device den switch\n  forwarding unaware\n  ports 1-5", ""},
		{"copy ward-east to ward-south", "device ward-south switch follows ward-8", "ward-south.8"},
		{"plan desks from annex", "device annex switch follows desks", ""},
		{"bring 130 to annex.8", "8: 130", ""},
		{"bring 130 to annex.8 annex.9 tagged", "8-9: [130]\n  10: 190 [110 120 130 140]", ""},
		{`bring 130 to yard."Waiting room"`, `inner "Waiting room" ssid: 130`, ""},
		{"add den switch, 24 ports 1G and 2 10G, by VLAN, pvid-apart, managed in 190", "device den switch\n  ports 1-24 1G, 25-26 10G\n  wording by-vlan pvid-apart\n  manage 190", ""},
		{"add hall: access point, ports eth0", "device hall wap\n  ports eth0", ""},
		{"add edge firewall, ports wan, ports lan1-lan4", "device edge firewall\n  forwarding routed\n  ports wan, lan1-lan4", ""},
		{"device den switch; ports 1-8; 1-4: 110; cable den.8 rack.23; den 5: 120", "device den switch\n  ports 1-8\n  1-4: 110\n  5: 120", ""},
	} {
		n := clinic(t)
		r, err := command.Do(n, command.Line{Text: row.line})
		require.NoError(t, err, row.line)
		text := notation.Print(r.Office)
		require.Contains(t, text, row.has, row.line)
		if row.lacks != "" {
			require.NotContains(t, text, row.lacks, row.line)
		}
		do(t, n, row.line)
	}
}

// TestFollow: a device that follows a plan has nothing of its own where the
// plan speaks, but for exceptions that say why.
func TestFollow(t *testing.T) {
	n := do(t, do(t, clinic(t), "copy ward-west to ward-south"), `ward-south 3: 170 because "a camera"`)
	n = do(t, n, "ward-south 1: 170")
	r, err := command.Follow(n.Office, "ward-south", "ward-8")
	require.NoError(t, err)
	d := r.Office.Device("ward-south")
	require.Nil(t, d.Ports[0].Shape)
	require.NotNil(t, d.Ports[2].Shape)
	require.Equal(t, []string{"stays an exception, as it says why: 3,5"}, r.Notes)

	made, err := command.PlanFrom(n, "annex-10", "annex")
	require.NoError(t, err)
	after := span.Compile(made.Office)
	i := n.Topo.DeviceIndex("annex")
	for p := range n.Office.Devices[i].Ports {
		was, _ := n.Shape(i, p)
		is, _ := after.Shape(i, p)
		require.True(t, was.Equal(*is), "a plan made from a device leaves it as it is: port %d", p+1)
		require.Nil(t, made.Office.Device("annex").Ports[p].Shape)
	}
}

func TestLineRefuses(t *testing.T) {
	for _, row := range []struct {
		line   string
		column int
		says   string
	}{
		{"renumber 110 to 120", 10, "120 surgery is there already"},
		{"renumber 777 to 110", 10, "VLAN 777 is nowhere"},
		{"renumber 110 to 4095", 17, "not a VID"},
		{"renumber 110", 13, "something is missing: write renumber VLAN to VID"},
		{"rename device rack to gate", 15, "named gate already"},
		{"rename device rak to core", 15, "did you mean rack"},
		{"rename cable x to y", 8, "has no name to change"},
		{"retire 190", 8, "is managed in"},
		{"copy rack to lobby", 6, "named lobby already"},
		{"plan ward-8 from rack", 18, "follow rack ward-8"},
		{"bring 130 to rack.99", 14, "99"},
		{"bring 130 to rack.1 twice", 21, "twice is too much"},
		{"add den fridge, 8 ports", 5, `"fridge" says nothing`},
		{"add den switch", 5, "say which ports"},
		{"vlan 300 extra; rack 99: 300", 22, "99"},
		{"vlan 300 extra; retire 110", 17, "without other statements beside it"},
	} {
		_, err := command.Do(clinic(t), command.Line{Text: row.line})
		require.Error(t, err, row.line)
		var fault *command.Fault
		require.ErrorAs(t, err, &fault, row.line)
		require.Contains(t, fault.Mistakes[0].Text, row.says, row.line)
		require.Equal(t, row.column, fault.Mistakes[0].Column, "%s: %s", row.line, fault.Mistakes[0].Text)
	}
}

func TestNext(t *testing.T) {
	n := clinic(t)
	p, err := command.Next(n.Office, "laundry", 0)
	require.NoError(t, err)
	require.Equal(t, office.VID(180), p.VID)
	require.Equal(t, []string{"vlan 180 laundry net 10.61.180.0/24"}, p.Statements[:1])
	require.Contains(t, p.Statements[1], "gate address 180 10.61.180.1/24 on lan1 handout 10.61.180.20-10.61.180.120")
	_, err = notation.Read("x", notation.Print(do(t, n, strings.Join(p.Statements, "; ")).Office))
	require.NoError(t, err)

	_, err = command.Next(n.Office, "guests", 0)
	require.ErrorContains(t, err, "named guests already")
	_, err = command.Next(n.Office, "laundry", 110)
	require.ErrorContains(t, err, "the next free number is 180")
	p, err = command.Next(&office.Office{}, "first", 0)
	require.NoError(t, err)
	require.Equal(t, []string{"vlan 10 first"}, p.Statements)
}

// TestRenumberKeepsHosts: an address keeps its host part, in subnets of any
// length.
func TestRenumberKeepsHosts(t *testing.T) {
	for _, row := range [][2]string{
		{"net 10.0.16.0/24", "address 16 10.0.16.7/24"},
		{"net 10.0.16.0/20", "address 16 10.0.29.7/20"},
		{"net 10.16.0.0/16", "address 16 10.16.200.7/16"},
		{"net fd00:16::/64", "address 16 fd00:16::1:7/64"},
		{"net fd00:16::/44", "address 16 fd00:16:f:9::7/44"},
	} {
		f, err := notation.Read("t", "vlan 16 x "+row[0]+"\ndevice r router\n  ports lan\n  lan: 16\n  "+row[1]+" on lan\n")
		require.NoError(t, err)
		r, err := command.Do(span.Compile(f.Office), command.Line{Text: "renumber 16 to 32 with subnets"})
		require.NoError(t, err)
		want := strings.NewReplacer("10.0.16.0", "10.0.32.0", "10.0.29.7", "10.0.45.7", "10.0.16.7", "10.0.32.7", "10.16.", "10.32.", "fd00:16:", "fd00:32:", "address 16", "address 32").Replace(row[0] + "|" + row[1])
		net, address, _ := strings.Cut(want, "|")
		require.Contains(t, notation.Print(r.Office), net, row[1])
		require.Contains(t, notation.Print(r.Office), address, row[1])
	}
}

// TestNextUsual: the next VLAN has a subnet of a kind only where most have one.
func TestNextUsual(t *testing.T) {
	for text, want := range map[string]string{
		"vlan 10 a net 10.0.10.0/24\nvlan 20 b net 10.0.20.0/24\n":                                   "vlan 30 x net 10.0.30.0/24",
		"vlan 10 a net 10.0.10.0/24 net fd00:10::/64\nvlan 20 b net 10.0.20.0/24 net fd00:20::/64\n": "vlan 30 x net 10.0.30.0/24 net fd00:30::/64",
		"vlan 10 a net 10.0.10.0/24\nvlan 20 b net 10.0.20.0/24 net fd00:20::/64\n":                  "vlan 30 x net 10.0.30.0/24",
		"vlan 10 a\nvlan 20 b net 10.0.20.0/24\n":                                                    "vlan 30 x",
	} {
		f, err := notation.Read("t", text)
		require.NoError(t, err)
		p, err := command.Next(f.Office, "x", 0)
		require.NoError(t, err)
		require.Equal(t, want, p.Statements[0], text)
	}
}

// TestQuotedSemicolons: what stands in quotes parts nothing, whatever it is.
func TestQuotedSemicolons(t *testing.T) {
	f, err := notation.Read("office", "vlan 10 a\nvlan 20 b\ndevice s switch\n  ports 1-4\n")
	require.NoError(t, err)
	for _, name := range []string{`say "a; b"`, `a;b`, `back\slash; "`, `"`, `# no comment; none`} {
		quoted := `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(name) + `"`
		r, err := command.Do(span.Compile(f.Office), command.Line{Text: "s 1: 10; plug s.1 " + quoted + " wants 10; s 2: 20"})
		require.NoError(t, err, quoted)
		require.Equal(t, name, r.Office.Plugs[0].Name)
		require.Len(t, r.Edit, 3)
	}
}
