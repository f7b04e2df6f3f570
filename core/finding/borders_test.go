package finding_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/span"
)

const (
	oneSwitch = "vlan 110 a local\nvlan 120 b local\nvlan 130 c local\ndevice a switch\n  ports 1-8 1G\n"
	twoCabled = "vlan 110 a\nvlan 120 b\nvlan 190 m\ndevice a switch\n  ports 1-8\n  1: 110\n  8: 190 [110]\n" +
		"device b switch\n  ports 1-8\n  1: 110\n  8: 190 [110]\ncable a.8 b.8\n"
	gate = "vlan 110 a net 10.61.110.0/24\nvlan 120 b net 10.61.120.0/24\ndevice gate router\n  ports lan\n  lan: [110 120]\n" +
		"  address 110 10.61.110.1/24 on lan\n  address 120 10.61.120.1/24 on lan\ndevice s switch\n  ports 1-8\n  1: 110\n  2: 120\n  8: [110 120]\n" +
		"cable gate.lan s.8\n"
)

// TestBorders: each finding at its border. The first text has it, and the same
// with one thing replaced does not, or the other way round where a row says so.
func TestBorders(t *testing.T) {
	for _, row := range []struct {
		says               string
		code               finding.Code
		text, thing, other string
	}{
		{"a cable carries it at one end", finding.NotCarried, strings.Replace(twoCabled, "8: 190 [110]\ncable", "8: 190\ncable", 1), "8: 190\ncable", "8: 190 [110]\ncable"},
		{"a cable in a shut port is a way that is shut", finding.NotCarried, strings.Replace(twoCabled, "8: 190 [110]\ncable", "8: off\ncable", 1), "8: off\ncable", "8: 190 [110]\ncable"},
		{"only parked ports on the other side need nothing", finding.NotCarried, twoCabled + "b 8: 190\n", "vlan 110 a\n", "vlan 110 a local\n"},
		{"untagged VLANs of two ends", finding.UntaggedMismatch, strings.Replace(twoCabled, "8: 190 [110]\ncable", "8: 120 [110]\ncable", 1), "8: 120 [110]", "8: 190 [110]"},
		{"an end that has no untagged VLAN", finding.UntaggedMismatch, strings.Replace(twoCabled, "8: 190 [110]\ncable", "8: 120 [110]\ncable", 1), "8: 120 [110]", "8: [110]"},
		{"a PVID outside of the port's VLANs", finding.PVIDNotMember, oneSwitch + "  1: 110 pvid 120\n", "pvid 120", "[120] pvid 120"},
		{"the same where nothing filters", finding.PVIDNotMember, oneSwitch + "  1: 110 pvid 120\n", "pvid 120", "pvid 120 filter off"},
		{"the same where only tagged frames come in", finding.PVIDNotMember, oneSwitch + "  1: 110 pvid 120\n", "pvid 120", "pvid 120 admit tagged"},
		{"in by one VLAN and out by another", finding.PVIDDiffers, oneSwitch + "  1: 110 [120] pvid 120\n", "pvid 120", "pvid 110"},
		{"two untagged VLANs", finding.ManyUntagged, oneSwitch + "  1: 110+120 pvid 110\n", "110+120", "110 [120]"},
		{"VLAN 1 beside another", finding.LeftInDefault, oneSwitch + "  1: 1+110 pvid 110\n", "1+110", "110"},
		{"VLAN 1 alone is where a port starts", finding.LeftInDefault, oneSwitch + "  1: 1+110 pvid 110\n", "1+110 pvid 110", "1"},
		{"a plug wants it tagged", finding.PlugUnserved, oneSwitch + "  1: [110]\nplug a.1 \"x\" wants 110\n", "wants 110", "wants 110 tagged"},
		{"a plug wants it untagged", finding.PlugUnserved, oneSwitch + "  1: 110\nplug a.1 \"x\" wants 110 tagged\n", " tagged", ""},
		{
			"a plug in a port with a cable",
			finding.PlugUnserved,
			twoCabled + "plug a.8 \"x\" wants 190\n",
			"plug a.8 \"x\" wants 190",
			"plug a.1 \"x\" wants 110",
		},
		{"a plug in a shut port", finding.PlugUnserved, oneSwitch + "  1: off\nplug a.1 \"x\" wants 110\n", "off", "110"},
		{"a plug's tag at a port that takes none", finding.PlugUnserved, oneSwitch + "  1: [110] admit untagged\nplug a.1 \"x\" wants 110 tagged\n", " admit untagged", ""},
		{"an open port takes a tag", finding.OpenEdge, oneSwitch + "  1: 110 [120]\n", " [120]", ""},
		{"that a plug wants there", finding.OpenEdge, oneSwitch + "  1: 110 [120]\nplug a.1 \"x\" wants 110\n", "wants 110", "wants 120 tagged"},
		{"one tag more than the plugs want", finding.OpenEdge, oneSwitch + "  1: 110 [120 130]\nplug a.1 \"x\" wants 120 tagged\n", "[120 130]", "[120]"},
		{"that the port does not let in", finding.OpenEdge, oneSwitch + "  1: 110 [120]\n", "[120]", "[120] admit untagged"},
		{"that a use says is meant", finding.OpenEdge, "use desk 110 [120]\n" + oneSwitch + "  1: 110 [120]\n", "1: 110 [120]", "1: use desk"},
		{"an open port without filtering, whatever is written", finding.OpenEdge, oneSwitch + "  1: 110 filter off\n", " filter off", ""},
		{"a VID that the register lacks", finding.Unregistered, oneSwitch + "  1: 777\n", "777", "110"},
		{"as many VLANs as the device takes", finding.LimitPassed, oneSwitch + "  limit vlans 2\n  1: 110 [120 130]\n", "limit vlans 2", "limit vlans 3"},
		{"as many rows as the device takes", finding.LimitPassed, oneSwitch + "  limit rows 3\n  1: 110 [120 130]\n  2: [110 120]\n", "limit rows 3", "limit rows 4"},
		{"as many addresses as the device takes", finding.LimitPassed, strings.Replace(gate, "  ports lan\n", "  ports lan\n  limit addresses 1\n", 1), "addresses 1", "addresses 2"},
		{"as many zones as the device takes", finding.LimitPassed, strings.NewReplacer("  ports lan\n", "  ports lan\n  limit zones 1\n", "110.1/24 on lan", "110.1/24 on lan zone x", "120.1/24 on lan", "120.1/24 on lan zone y").Replace(gate), "zones 1", "zones 2"},
		{"a shut port counts for no limit", finding.LimitPassed, oneSwitch + "  limit vlans 1\n  1: 110\n  2: 120\n", "  2: 120", "  2: off"},
		{"an address outside of its VLAN's subnet", finding.AddressOutside, strings.Replace(gate, "110.1/24", "111.1/24", 1), "address 110 10.61.111.1", "address 110 10.61.110.1"},
		{"the subnet's own address", finding.AddressOutside, strings.Replace(gate, "address 110 10.61.110.1", "address 110 10.61.110.0", 1), "110.0/24 on", "110.254/24 on"},
		{"the last of the subnet", finding.AddressOutside, strings.Replace(gate, "address 110 10.61.110.1", "address 110 10.61.110.255", 1), "110.255/24", "110.254/24"},
		{"another prefix length", finding.AddressOutside, strings.Replace(gate, "110.1/24", "110.1/25", 1), "110.1/25", "110.1/24"},
		{"a /31 has two hosts", finding.AddressOutside, strings.NewReplacer("110 a net 10.61.110.0/24", "110 a local", "110.1/24", "110.0/30").Replace(gate), "/30", "/31"},
		{"subnets that touch", finding.SubnetOverlap, strings.Replace(gate, "b net 10.61.120.0/24", "b net 10.61.110.128/25", 1), "b net 10.61.110.128/25", "b net 10.61.111.0/25"},
		{"a hand-out to the last address", finding.HandoutOutside, strings.Replace(gate, "110.1/24 on lan", "110.1/24 on lan handout 10.61.110.50-10.61.110.255", 1), "110.255", "110.254"},
		{"a hand-out from the first address", finding.HandoutOutside, strings.Replace(gate, "110.1/24 on lan", "110.1/24 on lan handout 10.61.110.1-10.61.110.99", 1), "10.61.110.1-", "10.61.110.2-"},
		{"a hand-out over the edge", finding.HandoutOutside, strings.Replace(gate, "110.1/24 on lan", "110.1/24 on lan handout 10.61.110.50-10.61.111.0", 1), "10.61.111.0", "10.61.110.99"},
		{"a hand-out up to a managed device", finding.HandoutOutside, strings.NewReplacer("110.1/24 on lan", "110.1/24 on lan handout 10.61.110.50-10.61.110.60", "  ports 1-8\n", "  ports 1-8\n  manage 110 10.61.110.60\n").Replace(gate), "manage 110 10.61.110.60", "manage 110 10.61.110.61"},
		{"a hand-out in another VLAN", finding.HandoutTwice, strings.NewReplacer("110.1/24 on lan", "110.1/24 on lan handout 10.61.110.50-10.61.110.60", "  ports 1-8\n", "  ports 1-8\n  address 110 10.61.110.2/24 handout 10.61.110.70-10.61.110.80\n").Replace(gate), " handout 10.61.110.70-10.61.110.80", ""},
		{"two gateways and a plug", finding.GatewayTwice, strings.Replace(gate, "  ports 1-8\n", "  ports 1-8\n  address 110 10.61.110.2/24\n", 1) + "plug s.1 \"pc\" wants 110\n", "plug s.1 \"pc\" wants 110\n", ""},
		{"one address on two devices", finding.GatewayTwice, strings.Replace(gate, "  ports 1-8\n", "  ports 1-8\n  manage 110 10.61.110.1\n", 1), "manage 110 10.61.110.1", "manage 110 10.61.110.2"},
		{"a VLAN that nothing routes", finding.NoGateway, strings.NewReplacer("  address 120 10.61.120.1/24 on lan\n", "", "lan: [", "forwarding routed\n  lan: [").Replace(gate), "vlan 120 b net 10.61.120.0/24", "vlan 120 b local"},
		{"a VLAN whose addresses are on what does not route", finding.NoGateway, strings.Replace(oneSwitch, "110 a local", "110 a net 10.61.110.0/24", 1) + "  1: 110\ndevice nas host\n  ports 1\n  1: 110\n  address 110 10.61.110.9/24\n", "nas host", "nas router\n  forwarding routed"},
		{"devices are managed where a plug is", finding.ManagementShared, twoCabled + "a manage 110\nplug b.1 \"pc\" wants 110\n", "\" wants 110", "\" wants 110 operator"},
		{"the operator's way to a device", finding.ManagementCut, twoCabled + "b manage 190\nplug a.1 \"me\" wants 110 operator\n", "b manage 190", "b manage 110"},
		{"a plug outside its VLAN's subnet", finding.PlugAddress, gate + "plug s.1 \"pc\" wants 110 at 10.61.111.7\n", "10.61.111.7", "10.61.110.7"},
		{"a plug in what is handed out", finding.PlugAddress, strings.Replace(gate, "110.1/24 on lan", "110.1/24 on lan handout 10.61.110.50-10.61.110.60", 1) + "plug s.1 \"pc\" wants 110 at 10.61.110.60\n", "at 10.61.110.60", "at 10.61.110.61"},
		{"a plug at the gateway's address", finding.PlugAddress, gate + "plug s.1 \"pc\" wants 110 at 10.61.110.1\n", "at 10.61.110.1", "at 10.61.110.2"},
		{"a management that answers its own subnet alone", finding.ManagementAlone, strings.Replace(gate, "  ports 1-8\n", "  ports 1-8\n  manage 120 10.61.120.2/24 via none\n", 1) + "plug s.1 \"me\" wants 110 operator\n", "via none", "via 10.61.120.1"},
		{"a management in a subnet that holds who asks", finding.ManagementAlone, strings.Replace(gate, "  ports 1-8\n", "  ports 1-8\n  manage 120 10.61.120.2/24 via none\n", 1) + "plug s.1 \"me\" wants 110 operator\n", "wants 110 operator", "wants 120 operator"},
		{"a port for a line, and no line", finding.NoOutside, strings.Replace(gate, "ports lan\n", "ports wan, lan\n", 1), "ports wan,", "ports spare,"},
		{"what is needed at one end and written at the other", finding.NeededDiffers, strings.Replace(twoCabled, "8: 190 [110]\ncable", "8: 190 [needed]\ncable", 1) + "a 8: 190 [110 120]\n", "[110 120]", "[110]"},
		{"a cable with a VLAN that ends before it", finding.CarriesUnneeded, strings.ReplaceAll(twoCabled, "190 [110]", "190 [110 120]") + "a manage 190\nb manage 190\na 2: 120\n", "8: 190 [110 120]\ncable", "2: 120\n  8: 190 [110 120]\ncable"},
		{"a second cable", finding.Loop, twoCabled + "a 7: [110]\nb 7: [110]\ncable a.7 b.7\n", "cable a.7 b.7\n", ""},
		{"a second cable without the VLAN", finding.Loop, twoCabled + "a 7: [110]\nb 7: [110]\ncable a.7 b.7\n", "b 7: [110]", "b 7: [120]"},
		{"a registered VLAN that nothing is in", finding.Unused, oneSwitch + "  1: 110\n  2: 120\n", "  2: 120", "  2: 130\n  3: 120"},
		{"one number in four that does not show", finding.NumberHabit, "vlan 110 a net 10.61.110.0/24\nvlan 120 b net 10.61.120.0/24\nvlan 130 c net 10.61.99.0/24\n", "10.61.99.0", "10.61.130.0"},
		{"an exception that says why", finding.ExceptionUnexplained, "plan p\n  1-4: 110\n" + strings.Replace(oneSwitch, "a switch", "a switch follows p", 1) + "  1: 120\n", "  1: 120\n", "  1: 120 because \"a camera\"\n"},
		{"an exception that its plan has caught up with", finding.ExceptionEqual, "plan p\n  1-4: 110\n" + strings.Replace(oneSwitch, "a switch", "a switch follows p", 1) + "  1: 110\n", "  1: 110\n", "  1: 120\n"},
		{"ports beside each other in a bundle", finding.BundleGap, oneSwitch + "  bundles adjacent\n  bundle up lacp 1,3\n", "1,3", "2,3"},
		{"ports of one speed in a bundle", finding.BundleUneven, strings.Replace(oneSwitch, "1-8 1G", "1-4 1G, 5-8 10G", 1) + "  bundle up lacp 4-5\n", "4-5", "5-6"},
		{"tags into a device that drops them", finding.TagIntoUnaware, oneSwitch + "  1: 110 [120]\ndevice u switch\n  forwarding unaware drops-tagged\n  ports 1-2\ncable a.1 u.1\n", "110 [120]", "110"},
	} {
		t.Run(row.says, func(t *testing.T) {
			has := func(text string) bool {
				var lines []string // what stands after a file of statements is typed on the line
				body := text
				for _, d := range []string{"a ", "b "} {
					var kept []string
					for l := range strings.SplitSeq(body, "\n") {
						if strings.HasPrefix(l, d) && !strings.HasPrefix(l, "  ") {
							lines = append(lines, l)
						} else {
							kept = append(kept, l)
						}
					}
					body = strings.Join(kept, "\n")
				}
				f, err := notation.Read("t", body)
				require.NoError(t, err, "%s\n%s", row.says, body)
				o := f.Office
				for _, l := range lines {
					o, _, err = notation.Line(o, l)
					require.NoError(t, err, "%s: %s", row.says, l)
				}
				return slices.ContainsFunc(finding.Check(span.Compile(o)).List(), func(f *finding.Finding) bool { return f.Code == row.code })
			}
			require.Contains(t, row.text, row.thing)
			text := row.text + "\n"
			require.True(t, has(text), "%s is not found in\n%s", row.code, text)
			i := strings.LastIndex(text, row.thing)
			without := text[:i] + row.other + text[i+len(row.thing):]
			require.False(t, has(without), "%s is found all the same in\n%s", row.code, without)
		})
	}
}
