package notation_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
)

// TestClinic: the demo office is in canonical form, comments and all.
func TestClinic(t *testing.T) {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic.klm", string(text))
	require.NoError(t, err)
	require.Equal(t, string(text), f.String())
}

const small = `vlan 110 reception
vlan 120 surgery
vlan 140 phones
use desk 110 [140]
plan eight
  1-4: use desk
device a switch
  ports 1-8, "x y"
  bundle up lacp 7-8
device b firewall
  ports wan, lan1-lan4
`

// TestShapes: each shape that docs/notation.md shows, in its canonical form.
func TestShapes(t *testing.T) {
	for _, row := range [][2]string{
		{"120", "120"},
		{"[120 140-142]", "[120 140-142]"},
		{"[142,120 141 140]", "[120 140-142]"},
		{"190 [160 110]", "190 [110 160]"},
		{"surgery [phones]", "120 [140]"},
		{"110+120 pvid 110", "110+120 pvid 110"},
		{"120+110 pvid none", "110+120 pvid none"},
		{"190 [all]", "190 [all]"},
		{"190 [130 needed]", "190 [130 needed]"},
		{"[22@222]", "[22@222]"},
		{"[22@22]", "[22]"},
		{"190 [110] admit tagged", "190 [110] admit tagged"},
		{"190 [110] filter off admit untagged", "190 [110] admit untagged filter off"},
		{"190 admit all filter on", "190"},
		{"-", "-"},
		{"- pvid 5", "- pvid 5"},
		{"off", "off"},
		{"use desk", "use desk"},
		{"120 pvid 120", "120"},
		{"120 pvid none", "120 pvid none"},
		{"[120] pvid none", "[120]"},
		{"[1 2 3 5 6 9-12]", "[1-3 5 6 9-12]"},
	} {
		f, err := notation.Read("t", small+"device z switch\n  ports 1\n  1: "+row[0]+"\n")
		require.NoError(t, err, row[0])
		s := *f.Office.Device("z").Ports[0].Shape
		require.Equal(t, row[1], notation.Shape(s))
		again, err := notation.Read("t", f.String())
		require.NoError(t, err, row[0])
		require.Equal(t, f.String(), again.String())
	}
}

// TestMistakes: each is found at its place, and the message says what would be
// right.
func TestMistakes(t *testing.T) {
	for _, row := range []struct{ text, at, says string }{
		{"vlan 0 zero", "1:6", "VID 0 is reserved"},
		{"vlan 4095 x", "1:6", "4095 is reserved"},
		{"vlan ten x", "1:6", "1 to 4094"},
		{"vlan 10 10", "1:9", "a small letter"},
		{"vlan 10 staff room", "1:15", "in quotes"},
		{"vlan 10 \"!!\"", "1:9", "a small letter"},
		{"vlan 10 Ten\nvlan 11 ten", "2:9", "VLAN 10 is named ten already"},
		{"device a box 8 ports", "1:10", "not a kind of device"},
		{"device a switch with a lid", "1:17", "does not belong here"},
		{"device Big Box", "1:12", "not a kind of device"},
		{"vlan 10 a\nvlan 11 a", "2:9", "VLAN 10 is named a already"},
		{"vlan 10 a\nvlan 10 b", "2:1", "stated already, in line 1"},
		{"vlan 10 a net 10.0.0.1/24", "1:15", "the subnet is 10.0.0.0/24"},
		{"vlan 10 a net 10.0.0", "1:15", "prefix length"},
		{"vlan 10 a here", "1:11", "note in quotes, net, local and guarded"},
		{`office "x`, "1:8", "no closing quote"},
		{"devise a switch", "1:1", "did you mean device?"},
		{"device a.b switch", "1:8", "no dot"},
		{"device a swich", "1:10", "did you mean switch?"},
		{"device vlan switch", "1:8", "word of the notation"},
		{"device a switch follows x", "1:25", "no port plan is named x"},
		{small + "device z switch follows eigth", "12:25", "did you mean eight?"},
		{small + "device z switch\n  ports 8-1", "13:9", "runs backwards: write 1-8"},
		{small + "device z switch\n  ports 1-2 3G", "13:13", "not a speed"},
		{small + "device z switch\n  ports 1-2, 2", "13:14", "has a port 2 already"},
		{small + "device z switch\n  ports 1-8\n  9: 110", "14:3", "its front has 1 to 8"},
		{small + "device z switch\n  ports 1-8\n  5-3: 110", "14:3", "runs backwards: write 3-5"},
		{small + "device z switch\n  ports 1-8\n  3: 110\n  1-4: 120", "15:3", "port 3 is set already"},
		{small + "device z switch\n  ports 1-8\n  3: 110 120", "14:10", "110+120 pvid 110"},
		{small + "device z switch\n  ports 1-8\n  3: 110+120", "14:6", "must say its PVID"},
		{small + "device z switch\n  ports 1-8\n  3: 110 [110]", "14:6", "both untagged and tagged"},
		{small + "device z switch\n  ports 1-8\n  3: [130-120]", "14:7", "runs backwards"},
		{small + "device z switch\n  ports 1-8\n  3: [120", "14:10", "closing ]"},
		{small + "device z switch\n  ports 1-8\n  3: []", "14:7", "empty"},
		{small + "device z switch\n  ports 1-8\n  3: surgrey", "14:6", "did you mean surgery?"},
		{small + "device z switch\n  ports 1-8\n  3: use dask", "14:10", "did you mean desk?"},
		{small + "device z switch\n  ports 1-8\n  3: [22@222 222]", "14:6", "rides as VID 222"},
		{small + "use x [22@222 222]", "12:7", "rides as VID 222"},
		{small + "plan x\n  1: [22@222 222]", "13:6", "rides as VID 222"},
		{small + "device z host\n  inner i vm: [22@222 222]", "13:15", "rides as VID 222"},
		{small + "device z switch\n  ports 1-8\n  3 110", "14:5", "colon"},
		{small + "device z switch\n  ports 1-8\n  3:", "14:5", "a shape is missing"},
		{small + "device z switch\n  ports 1-8\n  bundle q lacp 1", "14:17", "at least two ports"},
		{small + "device z switch\n  ports 1-8\n  bundle q lagg 1-2", "14:12", "lacp or static"},
		{small + "device z switch\n  ports 1-8\n  bundle q lacp 1-2\n  bundle r lacp 2-3", "15:17", "in one bundle"},
		{small + "device z switch\n  ports 1-8\n  bundle q lacp 1-2\n  1: 110", "15:3", "set the bundle"},
		{small + "device z switch\n  ports 1\n  wording by-vlans", "14:11", "did you mean by-vlan?"},
		{small + "device z switch\n  ports 1\n  wording by-vlan pvid", "14:19", "not a habit"},
		{small + "device z switch\n  ports 1\n  limit vlans many", "14:15", "a number from 1"},
		{small + "device z switch\n  ports 1\n  address 110 10.0.0.300/24", "14:15", "not an address"},
		{small + "device z switch\n  ports 1\n  address 110 10.0.0.1/24 handout 10.0.0.9-10.0.0.2", "14:15", "runs backwards"},
		{small + "device z switch\n  ports 1\n  manage 110 x", "14:14", "not an IP address"},
		{small + "device z switch\n  ports 1\n  forwarding fast", "14:14", "bridge, routed, unaware"},
		{small + "device z switch\n  ports 1\n  inner i foo: 110", "14:11", "not a flavour"},
		{small + "cable a.1 c.1", "12:11", "no device is named c"},
		{small + "cable a.1 b.lan9", "12:11", "has no port lan9"},
		{small + "cable a.1 a.1", "12:7", "both ends in a.1"},
		{small + "cable a.1 b.wan\ncable a.1 b.lan1", "13:7", "one cable a port"},
		{small + "cable a.up b.wan", "12:7", "a.up has 2 ports and b.wan has 1"},
		{small + `plug a.1 "pc" wants`, "12:20", "a VLAN is missing"},
		{small + `plug a.1 "pc" want 110`, "12:15", "wants and a VLAN"},
		{small + "plug a.1 x wants 110 operator\nplug a.2 y wants 110 operator", "13:6", "one plug is the operator's"},
		{small + "  9: 110", "12:3", "its front"},
		{"  ports 1", "1:3", "no statement stands above"},
		{"-vlan 10", "1:1", "a file has nothing to remove"},
		{"vlan 10 a\n\xff", "2:1", "not UTF-8"},
		{"office \"a\x00b\"", "1:10", "control character"},
		{"vlan 10 " + strings.Repeat("a", 300), "1:9", "more than 255"},
		{"office \"" + strings.Repeat("a", 3000) + "\"", "1:8", "more than 2000"},
	} {
		_, err := notation.Read("f.klm", row.text)
		require.Error(t, err, row.text)
		found := false
		for l := range strings.SplitSeq(err.Error(), "\n") {
			found = found || strings.HasPrefix(l, "f.klm:"+row.at+": ") && strings.Contains(l, row.says)
		}
		require.True(t, found, "%s\nwanted %s: %s\ngot %s", row.text, row.at, row.says, err)
	}
}

// TestEveryMistake: all mistakes of a file are reported, in order, and one does
// not bring others.
func TestEveryMistake(t *testing.T) {
	_, err := notation.Read("f.klm", `vlan 0 zero
use desk 110 [
device a switch
  ports 1-4
  1: use desk
  2: 9999
  9: 110
cable a.1 b.1
`)
	require.EqualError(t, err, strings.Join([]string{
		"f.klm:1:6: VID 0 is reserved for priority-tagged frames: a VLAN is 1 to 4094",
		"f.klm:2:15: a closing ] or a VLAN is missing here: the line ends",
		"f.klm:6:6: 9999 is not a VID: a VLAN is 1 to 4094",
		"f.klm:7:3: a has no port 9: its front has 1 to 4",
		"f.klm:8:11: no device is named b: declare it with device b switch",
	}, "\n"))
}

// TestLine: what is typed on the line, and that what it changes can be told.
func TestLine(t *testing.T) {
	f, err := notation.Read("small", small+"cable a.1 b.lan1\nplug a.2 \"pc\" wants 110\n")
	require.NoError(t, err)
	for _, row := range [][2]string{
		{"a 2-3: 120", "a 2-3: 120"},
		{"a last-1: 110", "bundle up"},
		{"a up: 190 [110]", "a up: 190 [110]"},
		{`a "x y": 110`, `a "x y": 110`},
		{"-cable b.lan1 a.1", "-cable a.1 b.lan1"},
		{"cable a.2 b.lan2", "cable a.2 b.lan2"},
		{"-plug a.2", `-plug a.2 "pc"`},
		{"vlan 150 payments", "vlan 150 payments"},
		{"-vlan surgery", "-vlan 120"},
		{"b lan2-4: -", "b lan2-lan4: -"},
		{"-use desk", "plan eight has the use desk"},
		{"a 3: 110\n-a 3\n-a ports 3", "-a ports 3"},
		{"a ports 1-2 10G", "a ports 1-2 10G"},
		{"a bundle up static 7-8", "a bundle up static 7-8"},
		{"a route 10.9.0.0/16 via 10.0.0.1", "a route 10.9.0.0/16 via 10.0.0.1"},
		{"a route default via 10.0.0.1\n-a route default", "a route default via 10.0.0.1|-a route default via 10.0.0.1"},
		{"a allow 110 to any tcp/80\na rule 1 deny any to 110\na rule 2 before 1", "a rule 1 allow vlan 110 to any tcp/80|a rule 1 deny any to vlan 110|-a rule 2|a rule 1 allow vlan 110 to any tcp/80"},
		{"a allow 110 to any\n-a allow surgery to any", "a has no rule allow vlan 120 to any"},
		{"a allow 110 to any \"why\"\n-a allow 110 to any", "a rule 1 allow vlan 110 to any \"why\"|-a rule 1"},
		{"a rule 3 last", "a has no rules"},
		{"a deny any to 110\na rule 3 before 1", "3 is not the number of a rule of a: 1 to 1"},
		{"never any to 120 ping\n-never any to surgery ping", "never any to vlan 120 ping|-never any to vlan 120 ping"},
		{"must any to 120\nmust any to surgery", "must any to vlan 120 is wished already"},
		{"service web tcp/80\nnever any to 120 web\n-service web", "the wish never any to vlan 120 web names the service web"},
		{"b address 110 10.0.0.1/24 zone in\na allow zone in to any\n-b address 110", "rule 1 of a names the zone in, which would be gone"},
		{"b outside up on lan1\nb outside up on lan2", "two lines of one name"},
		{"a 2-3: 120 because \"a \\\"reason\\\"\"", `a 2-3: 120 because "a \"reason\""`},
		{"a 4: use desk\n-a 4", "a 4: use desk|-a 4"},
		{"-cable a.2 b.lan2", "no cable joins"},
		{"device a switch", "is there already"},
		{"a 1: 4095", "4095 is reserved"},
		{"a", "what about a?"},
	} {
		n, e, err := notation.Line(f.Office, row[0])
		if err != nil {
			require.Contains(t, err.Error(), row[1], row[0])
			continue
		}
		lines, _ := notation.Statements(n, e)
		require.Equal(t, row[1], strings.Join(lines, "|"), row[0])
	}
	require.Equal(t, small+"cable a.1 b.lan1\nplug a.2 \"pc\" wants 110\n", strings.ReplaceAll(f.String(), "\n\n", "\n"), "the line leaves the office that it was made on alone")
}

// TestToldAgain: what a device lost is told by names that are read again, whatever is in them.
func TestToldAgain(t *testing.T) {
	f, err := notation.Read("told", "vlan 10 x\ndevice a wap\n  ports 1-4\n  bundle \"up one\" lacp 1-2\n  bundle \"up two\" lacp 3-4\n  inner \"clinic \\\"guests\\\"\" ssid: 10\n  inner \"clinic staff\" ssid: 10\n")
	require.NoError(t, err)
	for _, text := range []string{`-a bundle "up one"`, `-a inner "clinic \"guests\""`} {
		o, edit, err := notation.Line(f.Office, text)
		require.NoError(t, err)
		lines, _ := notation.Statements(o, edit)
		require.Equal(t, []string{text}, lines)
	}
}

// TestComments: fmt keeps every comment where it belongs.
func TestComments(t *testing.T) {
	text := `# about the office
office "x" # a name

# the first
vlan 10 a  # ten

device s switch
  # the ports
  ports 1-4 1G
  1: 10  # one
  # two and three
  2: [10]

# the end
`
	f, err := notation.Read("c", text)
	require.NoError(t, err)
	out := f.String()
	for l := range strings.SplitSeq(text, "\n") {
		if i := strings.IndexByte(l, '#'); i >= 0 {
			require.Contains(t, out, l[i:])
		}
	}
	again, err := notation.Read("c", out)
	require.NoError(t, err)
	require.Equal(t, out, again.String())
}

// FuzzRead: whatever is read and printed reads again as the same office, and
// nothing makes the reader fail.
func FuzzRead(f *testing.F) {
	clinic, err := os.ReadFile("../../demo/clinic.klm")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(clinic))
	f.Add(small)
	for _, s := range []string{
		"device d switch\n ports \"1-2\", lan1-lan3, \"last\", a as \"eth0.3\" 10G\n \"1-2\",lan1-3: [1-4094]\n",
		"device d wap\n ports 1\n inner \"a b\" ssid: 1+2 pvid none\nplug d.\"a b\" x wants 2 tagged\n",
		"device 0 router\n address 1 0::/0 handout ::2-::3",
		"plan p\n last-1-last,2: off\ndevice d other follows p\n ports 1-3\n bundle b static 1,3\ndevice e other\n ports 1-3\n bundle b static 2-3\ncable d.b e.b\n",
		"device d router\n ports 1\n 1: [22@222 30]\n address 22 fd00::1/64 on 1 zone \"z z\" handout fd00::2-fd00::9\n limit rows 4 zones 2\n",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		file, err := notation.Read("f", text)
		if err != nil {
			require.NotEmpty(t, err.(*notation.Mistakes).List)
			return
		}
		printed := file.String()
		again, err := notation.Read("f", printed)
		require.NoError(t, err, printed)
		require.Equal(t, printed, again.String())
		require.Equal(t, notation.Print(file.Office), notation.Print(again.Office))
		require.True(t, same(file.Office, again.Office), printed)
	})
}

// same compares what printing might hide: the ports of each device one by one.
func same(a, b *office.Office) bool {
	if len(a.Devices) != len(b.Devices) || len(a.Cables) != len(b.Cables) || len(a.Plugs) != len(b.Plugs) || len(a.VLANs) != len(b.VLANs) {
		return false
	}
	for i, d := range a.Devices {
		e := b.Devices[i]
		if d.Name != e.Name || len(d.Ports) != len(e.Ports) || len(d.Addresses) != len(e.Addresses) || d.Forwarding != e.Forwarding {
			return false
		}
		for p := range d.Ports {
			x, y := d.Ports[p], e.Ports[p]
			if x.Name != y.Name || x.Kind != y.Kind || x.Speed != y.Speed || x.Because != y.Because || (x.Shape == nil) != (y.Shape == nil) ||
				x.Shape != nil && !x.Shape.Equal(*y.Shape) {
				return false
			}
		}
	}
	for i := range a.Cables {
		if a.Cables[i] != b.Cables[i] {
			return false
		}
	}
	return true
}

// TestFacts: what is noted is read and printed as it was, on the line too, and a range of
// sockets goes to the ports in order.
func TestFacts(t *testing.T) {
	f, err := notation.Read("facts", "device old switch\n  ports socket, note\n  note: 10\n  socket note \"W1\"\n")
	require.ErrorContains(t, err, "colon is missing", "a port that had the name before it was a word keeps it")
	f, err = notation.Read("facts", "device old switch\n  ports 1, note\n  note: 10\n  socket note \"W1\"\n  port note note \"W2\"\n")
	require.NoError(t, err)
	require.Equal(t, &office.Facts{Socket: "W1", Note: "W2"}, f.Office.Devices[0].Ports[1].Facts)
	f, err = notation.Read("facts", `device rack switch
  ports 1-12
  place "harbour/server room"  model "24 ports, own brand"  serial "A1B2"  note "spare fan"
  socket 1-8 "2.01-2.08"
  socket 9 "B-1-B-2"
  socket 10,12 "B-3,B-7"
  port 9-10 note "was damaged in May"
  port 1 socket "X" note "here"
plug rack.5 "ultrasound" wants 130 at 10.61.130.31 card 02:00:5e:10:00:01 note "leased"
`)
	require.NoError(t, err)
	rack := f.Office.Devices[0]
	require.Equal(t, office.Facts{Place: "harbour/server room", Model: "24 ports, own brand", Serial: "A1B2", Note: "spare fan"}, rack.Facts)
	var sockets []string
	for _, p := range rack.Ports {
		if p.Facts != nil {
			sockets = append(sockets, p.Name+"="+p.Facts.Socket)
		}
	}
	require.Equal(t, "1=X 2=2.02 3=2.03 4=2.04 5=2.05 6=2.06 7=2.07 8=2.08 9=B-1-B-2 10=B-3 12=B-7", strings.Join(sockets, " "))
	text := notation.Print(f.Office)
	for _, line := range []string{"  note \"spare fan\"\n", "  socket 1 \"X\"\n", "  socket 2-8 \"2.02-2.08\"\n", "  port 9-10 note \"was damaged in May\"\n", " card 02:00:5e:10:00:01 note \"leased\"\n"} {
		require.Contains(t, text, line)
	}
	again, err := notation.Read("facts", text)
	require.NoError(t, err)
	require.Equal(t, text, notation.Print(again.Office))

	o := f.Office
	for _, line := range []string{`rack note "moved"`, `-rack place`, `rack socket 11 "C-1"`, `-rack socket 2-8`, `-rack port 9 note`, `-rack port 1`} {
		o, _, err = notation.Line(o, line)
		require.NoError(t, err, line)
	}
	text = notation.Print(o)
	require.Contains(t, text, "note \"moved\"")
	require.NotContains(t, text, "place")
	require.NotContains(t, text, "2.0")
	require.Contains(t, text, "  port 10 note")
	// The lines that lead from one to the other do so, and nothing else.
	back := o
	for _, line := range notation.FactLines(o.Devices[0], rack) {
		back, _, err = notation.Line(back, line)
		require.NoError(t, err, line)
	}
	require.Equal(t, notation.Print(f.Office), notation.Print(back))
	for line, why := range map[string]string{
		`rack socket 1-8 "2.01-2.07"`: "is 7, and there are 8 ports",
		`rack port 1 "x"`:             "what is noted of them: socket or note",
		`rack note`:                   "note, in quotes",
		`-rack port 1 place`:          "place is not noted of ports",
	} {
		_, _, err := notation.Line(o, line)
		require.ErrorContains(t, err, why, line)
	}
}

// TestAllOfAList: all names of a shape that nobody knows are told, each at its place, and of very
// many the first alone.
func TestAllOfAList(t *testing.T) {
	_, err := notation.Read("f", small+"device z switch\n  ports 1-4\n  1: [vone vtwo 110 vthree]\n  2: vone+110 pvid 110 [vtwo]\n")
	var mistakes *notation.Mistakes
	require.ErrorAs(t, err, &mistakes)
	var at []string
	for _, one := range mistakes.List {
		at = append(at, fmt.Sprintf("%d:%d", one.Line, one.Column))
	}
	require.Equal(t, []string{"14:7", "14:12", "14:21", "15:6"}, at, "%s", err)
	_, err = notation.Read("f", small+"device z switch\n  ports 1-4\n  1: ["+strings.Repeat("vone ", 400)+"]\n")
	require.ErrorAs(t, err, &mistakes)
	require.Less(t, len(mistakes.List), 60)
}

// TestNamesThatFit: names with capitals, spaces and umlauts are taken in the form that fits, and
// said; devices are understood as people write them. What is read so is what the same file says in
// the form that fits, and such a file is read without a word.
func TestNamesThatFit(t *testing.T) {
	loose := `office "Mill Lane"
vlan 10 Plot Room "where plans hang" net 10.0.10.0/24
vlan 20 Büro
vlan 30 "the Yard" local
vlan 40 guests
use desk Plot-Room [Büro]
device Main Switch 8-port switch
device gate firewall with wan and 4 lan ports
device nas Linux server
device "Loft 2" 24-port PoE switch by port
device ap1 access point, follows air
device ap2 wireless access point with 2 SSIDs
plan air
  1: guests
main-switch 1: use desk
Main Switch 2: Guests
LOFT 2 3: Guests
cable main-switch.8 gate.lan1
must Plot-Room to guests ping
`
	file, err := notation.Read("f", loose)
	require.NoError(t, err)
	var said []string
	for _, one := range file.Said {
		said = append(said, fmt.Sprintf("%d:%d %s", one.Line, one.Column, one.Text))
	}
	require.Equal(t, []string{"2:9 Plot Room is taken as plot-room", "3:9 Büro is taken as buero", "4:9 the Yard is taken as the-yard",
		"7:8 Main Switch is taken as main-switch", "10:8 Loft 2 is taken as loft-2", "16:1 Main Switch is taken as main-switch", "17:1 LOFT 2 is taken as loft-2"}, said)
	fits := file.String()
	for _, line := range []string{
		`vlan 10 plot-room "where plans hang" net 10.0.10.0/24`, "vlan 20 buero", "vlan 30 the-yard local", "use desk 10 [20]", "device main-switch switch\n  ports 1-8",
		"device gate firewall\n  forwarding routed\n  ports wan, lan1-lan4", "device nas host\n  ports eth0\n  wording linux",
		"device loft-2 switch\n  ports 1-24\n  wording by-port", "device ap1 wap follows air\n  ports eth0", "  ports eth0\n  inner \"SSID 1\" ssid: off\n  inner \"SSID 2\" ssid: off", "  1: use desk\n  2: 40", "  3: 40", "must vlan 10 to vlan 40 ping",
	} {
		require.Contains(t, fits, line)
	}
	again, err := notation.Read("f", fits)
	require.NoError(t, err)
	require.Empty(t, again.Said)
	require.Equal(t, fits, again.String())
	o, _, err := notation.Line(file.Office, "vlan 50 Späte Schicht\nplug main-switch.3 \"till\" wants Büro")
	require.NoError(t, err)
	require.Equal(t, "spaete-schicht", o.VLAN(50).Name)
}
