package command_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

const square = `vlan 10 a net 10.0.10.0/24
vlan 20 b local
use uplink 190 [10]
plan eight
  8: use uplink
device gate firewall
  forwarding routed
  ports lan
  lan: 190 [10]
  address 10 10.0.10.1/24 on lan
device a switch
  ports 1-8
  7: 190 [10]
device b switch
  ports 1-8
device c switch
  ports 1-8
device d switch follows eight
  ports 1-8
  limit vlans 2
device u switch
  forwarding unaware
  ports 1-5
cable gate.lan a.7
cable a.1 b.1
cable b.2 d.1
cable a.2 c.1
cable c.2 d.2
cable d.3 u.1
`

func at(s string) office.PortRef {
	d, p, _ := strings.Cut(s, ".")
	return office.PortRef{Device: d, Port: p}
}

// TestBring: the lines that bringing a VLAN somewhere comes to.
func TestBring(t *testing.T) {
	for _, row := range []struct {
		says, to string
		vid      office.VID
		as       office.Membership
		more     string // said on the line before
		lines    string
		learn    string
		remark   string
	}{
		{"to the next switch", "b.5", 10, office.Untagged, "", "a 1: [10]|b 1: [10]|b 5: 10", "b", ""},
		{"of two ways of equal length, that of the lower names", "d.5", 10, office.Untagged, "", "a 1: [10]|b 1-2: [10]|d 1: [10]|d 5: 10", "b", ""},
		{"the way that has less to change", "d.5", 10, office.Untagged, "a 2: [10]\nc 1: [10]", "c 2: [10]|d 2: [10]|d 5: 10", "", ""},
		{"a way over a shut port is none", "d.5", 10, office.Untagged, "b 1: off", "a 2: [10]|c 1-2: [10]|d 2: [10]|d 5: 10", "c", ""},
		{"tagged on the port itself", "b.5", 10, office.Tagged, "b 5: 20", "a 1: [10]|b 1: [10]|b 5: 20 [10]", "b", ""},
		{"where a cable carries it, it is left alone", "b.5", 10, office.Untagged, "a 1: 190 [10]\nb 1: 190 [10]", "b 5: 10", "", ""},
		{"behind a device that knows no tags it comes untagged", "u.3", 10, office.Untagged, "", "a 1: [10]|b 1-2: [10]|d 1: [10]|d 3: 10", "b", ""},
		{
			"what an unaware device had so far is lost to it",
			"u.3", 10, office.Untagged, "d 3: 20\nplug u.2 \"x\" wants 20",
			"a 1: [10]|b 1-2: [10]|d 1: [10]|d 3: 10", "b",
			"d.3 gives 20 b untagged so far, and only a single VLAN can be: what is behind it loses 20 b",
		},
		{
			"an unaware device that comes first by its name",
			"aa.3", 10, office.Untagged, "device aa switch\n  forwarding unaware\n  ports 1-5\ncable aa.1 d.4",
			"a 1: [10]|b 1-2: [10]|d 1: [10]|d 4: 10", "b", "",
		},
		{"nobody is in it yet", "b.5", 20, office.Untagged, "", "b 5: 20", "b", ""},
		{"no way", "b.5", 10, office.Untagged, "-cable a.1 b.1\n-cable a.2 c.1", "b 5: 10", "b", "no cable leads from b to the rest of 10 a"},
		{"a port of a plan becomes an exception", "d.8", 10, office.Untagged, "d 1: [10]\nb 1-2: [10]\na 1: [10]", "d 8: 10", "", ""},
	} {
		t.Run(row.says, func(t *testing.T) {
			f, err := notation.Read("square", square)
			require.NoError(t, err)
			o := f.Office
			if row.more != "" {
				o, _, err = notation.Line(o, row.more)
				require.NoError(t, err)
			}
			a, err := command.Bring(span.Compile(o), row.vid, at(row.to), row.as)
			require.NoError(t, err)
			lines, _ := notation.Statements(a.Office, a.Edit)
			require.Equal(t, row.lines, strings.Join(lines, "|"))
			require.Equal(t, row.learn, strings.Join(a.Learn, " "))
			require.Equal(t, row.remark, strings.Join(a.Remarks, " "))
		})
	}
}

// TestBringSays: limits that would be passed, and followers that would depart.
func TestBringSays(t *testing.T) {
	f, err := notation.Read("square", square)
	require.NoError(t, err)
	o, _, err := notation.Line(f.Office, "d 5: 20")
	require.NoError(t, err)
	a, err := command.Bring(span.Compile(o), 10, at("d.8"), office.Untagged)
	require.NoError(t, err)
	require.Equal(t, []office.PortRef{at("d.8")}, a.Followers)
	o, _, err = notation.Line(o, "d 6: 190\nd 8: 190")
	require.NoError(t, err)
	a, err = command.Bring(span.Compile(o), 10, at("d.7"), office.Untagged)
	require.NoError(t, err)
	require.Equal(t, []string{"d would need 3 VLANs and takes 2."}, a.Limits)
	_, err = command.Bring(span.Compile(o), 4095, at("d.7"), office.Untagged)
	require.ErrorContains(t, err, "reserved")
	_, err = command.Withdraw(span.Compile(o), 10, at("b.5"))
	require.ErrorContains(t, err, "not in VLAN 10")
}

// TestBringThrough: over a device that passes tags, and does not look at them, a VLAN goes
// tagged where another one goes untagged already; nobody loses his.
func TestBringThrough(t *testing.T) {
	text := "vlan 110 desks local\nvlan 160 guests local\ndevice a switch\n  ports 1-8\n  1: 110\n  2: 160\n  8: 110\ndevice u switch\n  forwarding %s\n  ports 1-5\ndevice b switch\n  ports 1-8\n  1: 110\n  8: 110\n" +
		"cable a.8 u.1\ncable u.2 b.8\nplug a.1 \"one\" wants 110\nplug a.2 \"guest\" wants 160\nplug b.1 \"two\" wants 110\nplug u.3 \"three\" wants 110\n"
	f, err := notation.Read("t", fmt.Sprintf(text, "unaware"))
	require.NoError(t, err)
	n := span.Compile(f.Office)
	a, err := command.Bring(n, 160, office.PortRef{Device: "b", Port: "2"}, office.Untagged)
	require.NoError(t, err)
	require.Empty(t, a.Remarks)
	for _, v := range []office.VID{110, 160} {
		require.Equal(t, span.Whole, a.Net.VLAN(v).State, notation.Print(a.Office))
	}
	f, err = notation.Read("t", fmt.Sprintf(text, "unaware drops-tagged"))
	require.NoError(t, err)
	a, err = command.Bring(span.Compile(f.Office), 160, office.PortRef{Device: "b", Port: "2"}, office.Untagged)
	require.NoError(t, err)
	require.NotEmpty(t, a.Remarks, "where tags are dropped it cannot be without a loss, and that is said")
}
