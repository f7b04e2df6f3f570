package found_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

const plan = `vlan 110 staff
vlan 120 phones
vlan 190 devices
use desk 110 [120]
device a switch
  ports 1-8
  bundle up lacp 7-8
  wording by-vlan
  1-4: use desk
  5: 120
  up: 190 [110 120]
device w wap
  ports eth0
  inner "Clinic staff" ssid: 110
  inner "Waiting room" ssid: 110
device h host
  ports nic0, nic1
  nic0: 190
`

func read(t testing.TB, device, text string) (*office.Device, *found.Result, error) {
	t.Helper()
	f, err := notation.Read("plan", plan)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	i := n.Topo.DeviceIndex(device)
	d := f.Office.Devices[i]
	r, err := found.Text(f.Office, d, wording.Planned(n, i), text)
	return d, r, err
}

// shapes are those of the ports that the text says something of.
func shapes(d *office.Device, r *found.Result) string {
	var out []string
	for _, p := range r.Said {
		out = append(out, d.Ports[p].Name+": "+notation.Shape(r.State.Ports[p].Shape()))
	}
	return strings.Join(out, " | ")
}

func TestText(t *testing.T) {
	for _, row := range []struct{ says, device, text, form, want, trouble string }{
		{"notation", "a", "1-2: 110\n# a comment\na 5: off\nup: 190 [all]", "notation", "1: 110 | 2: 110 | 5: off | up: 190 [110 120]", ""},
		{"notation with a use, set already", "a", "1: use desk", "notation", "1: 110 [120]", ""},
		{"notation, a line wrong, the rest read", "a", "1: 4095\n2: 120\n9: 110\n3: [needed]", "notation", "2: 120",
			"row 1, column 4: VID 4095 is reserved"},
		{"by VLAN, commas in quotes", "a", "VLAN,Name,Untagged,Tagged\n110,staff,\"1-2,4\",\n120,phones,5,\"1-2,7\"\n", "by VLAN", "1: 110 [120] | 2: 110 [120] | 3: - | 4: 110 | 5: 120 | up: [120]", ""},
		{"by VLAN, tabs, ranges with spaces", "a", "VLAN ID\tUntagged ports\tTagged ports\n110\t1, 2\t-\n", "by VLAN", "1: 110 | 2: 110 | 3: [120] | 4: [120] | up: 190 [120]", ""},
		{"by VLAN, both on a port", "a", "vid;untagged;tagged\n110;1-2;2-3", "by VLAN", "1: 110 | 2: 110 | 3: [110]", "row 2, column 3: port 2 is untagged and tagged in VLAN 110"},
		{"by port", "a", "Port;PVID;Untagged;Tagged;State\n1-2;110;110;120;\n3;1;110;;\n4;;;;shut", "by port", "1: 110 [120] | 2: 110 [120] | 3: 110 pvid 1 | 4: off", ""},
		{"by port, modes", "a", "Port | Mode | VLAN | Allowed VLANs\n--- | --- | --- | ---\n1 | access | 110 | \n2 | trunk | 190 | 110,120,190\n", "by port", "1: 110 | 2: 190 [110 120]", ""},
		{"by port, a port that is not there", "a", "Port,PVID,Untagged\n1,110,110\n12,110,110\n,5,5", "by port", "1: 110", "row 3, column 1"},
		{"a grid", "a", "VLAN\tname\t1\t2\t5\tup\n110\tstaff\tU\tT\t\tT\n120\tphones\tT\t\tP\t\n190\tdevices\t\t\t\tU\n", "grid", "1: 110 [120] | 2: [110] | 5: - pvid 120 | up: 190 [110]", ""},
		{"a grid by spaces", "a", "VLAN  1-2  5\n110   U    .\n120   x    U", "grid", "1: 110 | 2: 110 | 5: 120", `row 3, column 2: "X" is neither U nor T`},
		{"notation, all beside what is named", "a", "1: [11 110 all]", "notation", "1: [11 110 120 190]", ""},
		{"a name in quotes, as a sheet prints it", "w", "Port\tVLAN\n\"Clinic staff\"\t110\nWaiting room\t120", "by port", "Clinic staff: 110 | Waiting room: 120", ""},
		{"Linux", "h", `[{"ifname":"nic0","vlans":[{"vlan":1,"flags":["PVID","Egress Untagged"]},{"vlan":110,"vlanEnd":112}]},{"ifname":"br0","vlans":[{"vlan":1}]}]`,
			"Linux", "nic0: 1 [110-112]", "row 2: br0 is no port of h"},
		{"Linux with its links", "h", `[{"ifindex":2,"ifname":"nic1","flags":["BROADCAST"]},{"ifindex":9,"ifname":"br0","flags":["UP"],"linkinfo":{"info_kind":"bridge","info_data":{"vlan_filtering":0}}}] [{"ifname":"nic1","vlans":[{"vlan":5}]}]`,
			"Linux", "nic1: off", "the bridge br0 has VLAN filtering off"},
	} {
		t.Run(row.says, func(t *testing.T) {
			d, r, err := read(t, row.device, row.text)
			require.NoError(t, err)
			require.Equal(t, row.form, r.Form)
			require.Equal(t, row.want, shapes(d, r))
			var all []string
			for _, x := range r.Trouble {
				all = append(all, x.String())
			}
			if row.trouble == "" {
				require.Empty(t, all)
			} else {
				require.Contains(t, strings.Join(all, "\n"), row.trouble)
			}
		})
	}
}

func TestTextRefuses(t *testing.T) {
	for _, row := range []struct{ text, says string }{
		{"", "nothing to read"},
		{"hello world", "names no columns that are known"},
		{`[{"ifname":"nic0","vlans":[{"vl`, "cannot be read"},
		{`[{"ifindex":2,"ifname":"nic1"}]`, "no VLAN entries"},
		{"a,\"b\nc", "row 2, column 2"},
		{"VLAN" + strings.Repeat("\tx", 1000), "more columns"},
	} {
		_, _, err := read(t, "h", row.text)
		require.ErrorContains(t, err, row.says, row.text)
	}
}

// FuzzText: whatever is pasted, nothing breaks, and what is read can be said.
func FuzzText(f *testing.F) {
	for _, s := range []string{"1-2: 110", "VLAN,Untagged\n1,1-8", "Port;PVID\n1;1", "VLAN 1 2\n1 U T", "Port;1;2 desks;x\n1;U;T\n\n9;?;U", `[{"ifname":"1","vlans":[{"vlan":1}]}]`, "port vlan-id\n1 10 PVID Egress Untagged\n  20-30\n2 None"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		d, r, err := read(t, "a", text)
		if err != nil {
			return
		}
		for _, p := range r.Said {
			s := r.State.Ports[p].Shape()
			require.True(t, wording.Of(&s).Equal(r.State.Ports[p]), d.Ports[p].Name)
		}
	})
}

// TestKnows: a device knows the VLANs of its ports and those that were listed,
// whatever the plan has.
func TestKnows(t *testing.T) {
	_, r, err := read(t, "a", "VLAN,Untagged,Tagged\n1,\"1-6,up\",\n777,,\n")
	require.NoError(t, err)
	require.Equal(t, []office.VID{1, 777}, r.State.VLANs.VIDs())
	learnt := r.State.Learnt()
	require.Equal(t, []office.VID{777}, learnt.VIDs())
}

// TestAsFound: an office as it was found is each device set exactly to what was found of
// it, and what is as planned is said as the plan says it: no port becomes an exception
// that is none, and "needed" is written out only where it would say something else.
func TestAsFound(t *testing.T) {
	text, err := os.ReadFile("../../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	n := span.Compile(f.Office)
	kept := map[string]found.Kept{}
	for i, d := range n.Office.Devices {
		if n.Aware(i) {
			kept[d.Name] = found.Keep(d, wording.Planned(n, i))
		}
	}
	same, err := found.AsFound(n, kept)
	require.NoError(t, err)
	require.Equal(t, notation.Print(f.Office), notation.Print(same))

	// One trunk lacks a VLAN, and a desk is in none: all else is said as before, but for
	// cables whose "needed" would shrink with it.
	i := n.Topo.DeviceIndex("ward-east")
	kept["ward-east"] = found.Keep(n.Office.Devices[i], wording.Planned(n, i).
		With(7, wording.Of(&office.Shape{Untagged: []office.VID{190}, Tagged: []office.VID{120, 140}})).With(6, wording.Of(&office.Shape{})))
	is, err := found.AsFound(n, kept)
	require.NoError(t, err)
	m := span.Compile(is)
	written := 0
	for i, d := range n.Office.Devices {
		k, ok := kept[d.Name]
		if !ok {
			continue
		}
		want, now := k.On(n, i), wording.Planned(m, i)
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 {
				continue
			}
			require.True(t, want.Ports[p].Alike(&now.Ports[p]), "%s %s is %s, and was found as %s", d.Name, d.Ports[p].Name, notation.Shape(now.Ports[p].Shape()), notation.Shape(want.Ports[p].Shape()))
			if is.Devices[i].Ports[p].Shape != d.Ports[p].Shape {
				written++
			}
		}
	}
	require.LessOrEqual(t, written, 4)
	require.Len(t, found.BesideOf(n, kept)["ward-east"].Ports, 2)
}

// TestLostCells: of a table in columns whose empty cells were lost on the way nobody can
// tell which column a cell is of: it is said, and nothing is taken from the row.
func TestLostCells(t *testing.T) {
	f, err := notation.Read("plan", plan)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	base := wording.Planned(n, 0)
	r, err := found.OfDevice(n, 0, base, "VLAN  Name  Untagged ports  Tagged ports\n110   staff      1-4         5\n120  phones  1-5,7\n")
	require.NoError(t, err)
	require.Len(t, r.Trouble, 1)
	require.Equal(t, "row 3: this row does not stand below its head: 3 columns, and there are 4", r.Trouble[0].String())
	_, err = found.OfDevice(n, 0, base, "Port  Untagged  Tagged\n1     110       120\n2  120\n")
	require.ErrorContains(t, err, "row 3 does not stand below its head")
}
