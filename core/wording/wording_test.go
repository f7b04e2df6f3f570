package wording_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// device is a device d of a wording, with what it should be set to.
func device(t *testing.T, head, body string) (*wording.Device, wording.State) {
	t.Helper()
	f, err := notation.Read("d", "vlan 110 staff\nvlan 120 phones\nvlan 130 lab\ndevice d switch\n"+head+body)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	d := wording.For(n, 0)
	require.NotNil(t, d)
	return d, wording.Planned(n, 0)
}

func told(ts []wording.Table) string {
	var out []string
	for _, t := range ts {
		for _, r := range t.Rows {
			out = append(out, strings.TrimRight(t.Title+": "+strings.Join(r, " | "), " |"))
		}
	}
	return strings.Join(out, "\n")
}

// TestSheets: the same small plan in each wording, as values and as steps from
// the factory state.
func TestSheets(t *testing.T) {
	for _, row := range []struct{ says, head, body, values, steps string }{
		{"by VLAN", "  ports 1-3\n  wording by-vlan\n", "  1-2: 110\n  3: [110 120]\n",
			"VLANs: 1\nVLANs: 110 | staff | 1-2 | 3\nVLANs: 120 | phones |  | 3\nPorts: 1-2 | 110 | all | on | open\nPorts: 3 | none | all | on | open",
			"Create VLAN 110 staff\nCreate VLAN 120 phones\nVLAN 110 staff: untagged 1-2, tagged 3\nVLAN 120 phones: untagged none, tagged 3\nPVID of 1-2: 110\n" +
				"PVID of 3: none (where it has to be a number: a VLAN that the port is not in)\nVLAN 1: untagged none, tagged none\nSave, so that it stays after a power cut"},
		{"by VLAN, where a new one starts on every port and joining leaves the last", "  ports 1-2\n  wording by-vlan starts-tagged leaves-last pvid-follows\n", "  1: 110\n  2: 1\n",
			"VLANs: 1 |  | 2\nVLANs: 110 | staff | 1\nPorts: 1 | 110 | all | on | open\nPorts: 2 | 1 | all | on | open",
			"Create VLAN 110 staff\nVLAN 110 staff: untagged 1, tagged 2\nVLAN 110 staff: untagged 1, tagged none\nSave, so that it stays after a power cut"},
		{"by port", "  ports 1-3\n  wording by-port\n", "  1: 110\n  2: 110 [120]\n  3: 110+120 pvid 110\n",
			"VLANs: 1\nVLANs: 110 | staff\nVLANs: 120 | phones\nPorts: 1 | access | 110\nPorts: 2 | trunk | 110 | 110,120\nPorts: 3 | mixed |  | none | 110,120 | 110",
			"Create VLAN 110 staff\nCreate VLAN 120 phones\nPort 1: access, VLAN 110 staff\nPort 2: trunk, native VLAN 110, allowed VLANs 110,120\n" +
				"Port 3: mixed, untagged VLANs 110,120, tagged VLANs none, PVID 110\nSave, so that it stays after a power cut"},
		{"by port, the native VLAN outside the list", "  ports 1\n  wording by-port native-outside\n", "  1: 110 [120]\n",
			"VLANs: 1\nVLANs: 110 | staff\nVLANs: 120 | phones\nPorts: 1 | trunk | 110 | 120",
			"Create VLAN 110 staff\nCreate VLAN 120 phones\nPort 1: trunk, native VLAN 110, allowed VLANs 120\nSave, so that it stays after a power cut"},
		{"by choice", "  ports 1-3\n  wording by-choice\n", "  1: 110\n  2: 1 [110 120]\n  3: 120\n",
			"VLANs: 1\nVLANs: 110 | staff\nVLANs: 120 | phones\nPorts: 1 | only 110\nPorts: 2 | the default untagged, all others tagged\nPorts: 3 | only 120",
			"Create VLAN 110 staff\nCreate VLAN 120 phones\nPort 1: only 110\nPort 2: the default untagged, all others tagged\nPort 3: only 120\nSave, so that it stays after a power cut"},
		{"by group, with a VLAN under another VID", "  forwarding grouped\n  ports 1-2\n  wording by-group\n", "  1: 110 admit untagged\n  2: 110 [120@20]\n",
			"Groups: 1 | 1\nGroups: 2 | 110 | staff\nGroups: 3 | 120 | phones\nPorts: 1 | 2 | refused\nPorts: 2 | 2 | accepted\nRows: 2 | 3 | 20",
			"Add a group for VLAN 110 staff\nAdd a group for VLAN 120 phones\nPort 1: the group of 110 staff, tagged frames refused\nPort 2: the group of 110 staff, tagged frames accepted\n" +
				"Add a row: port 2, VID 20, group of 120 phones\nSave, so that it stays after a power cut"},
		{"by sub-interface, with addresses", "  forwarding routed\n  ports lan1\n  wording by-sub-interface\n", "  lan1: 110 [120]\n  address 120 10.0.120.1/24 on lan1 zone voice handout 10.0.120.50-10.0.120.99\n",
			"Interfaces: lan1 | untagged | 110 | staff\nInterfaces: lan1 | tagged | 120 | phones | 10.0.120.1/24 | 10.0.120.50-10.0.120.99 | voice",
			"lan1, untagged: VLAN 110 staff\nAdd the sub-interface lan1.120: VLAN 120 phones, address 10.0.120.1/24, hands out 10.0.120.50-10.0.120.99, zone voice\nSave, so that it stays after a power cut"},
		{"by inner port", "  ports eth0\n  wording by-inner-port\n", "  eth0: 110 [120 130]\n  inner vm vm: 120\n  inner lab vm: [120-130]\n",
			"Outer ports: eth0 | 110 | 120,130 | open\nInner ports: vm | 120\nInner ports: lab | 120-130",
			"eth0: untagged VLAN 110, let in tagged 120,130\nvm: VLAN 120\nlab: VLAN 120-130\nSave, so that it stays after a power cut"},
		{"Linux", "  ports eth0\n  wording linux\n", "  eth0: 110 [120]\n",
			"Bridge VLANs: eth0 | 110 | PVID Egress Untagged\nBridge VLANs: eth0 | 120",
			"bridge vlan add dev eth0 vid 110 pvid untagged\nbridge vlan add dev eth0 vid 120\nbridge vlan del dev eth0 vid 1\nSave, so that it stays after a power cut"},
	} {
		t.Run(row.says, func(t *testing.T) {
			d, plan := device(t, row.head, row.body)
			require.Empty(t, wording.Cannot(d, plan))
			require.Equal(t, row.values, told(wording.Write(d, plan)))
			steps, err := wording.Steps(d, wording.Factory(d), plan)
			require.NoError(t, err)
			var texts []string
			for _, s := range steps {
				texts = append(texts, s.Text)
			}
			require.Equal(t, row.steps, strings.Join(texts, "\n"))
		})
	}
}

// TestDevicesRefuse: what such devices refuse, the model refuses.
func TestDevicesRefuse(t *testing.T) {
	type step = wording.Step
	for _, row := range []struct {
		head string
		st   step
		says string
	}{
		{"  ports 1-2\n  wording by-vlan\n", step{Op: wording.Delete, VLAN: 1}, "VLAN 1 cannot be deleted"},
		{"  ports 1-2\n  wording by-vlan\n", step{Op: wording.Page, VLAN: 110, Untagged: []int{0}}, "VLAN 110 is not on the device"},
		{"  ports 1-2\n  wording by-vlan\n", step{Op: wording.Page, VLAN: 1, Untagged: []int{0}, Tagged: []int{0}}, "port 1 cannot be untagged and tagged in VLAN 1"},
		{"  ports 1-2\n  wording by-vlan\n", step{Op: wording.PVID, VLAN: 110, Ports: []int{0}}, "VLAN 110 is not on the device"},
		{"  ports 1-2\n  wording by-vlan keeps-pvid-vlan\n", step{Op: wording.Page, VLAN: 1, Untagged: []int{1}}, "port 1: a port cannot leave VLAN 1, which is its PVID"},
		{"  ports 1-2\n  wording by-vlan pvid-follows\n", step{Op: wording.PVID, VLAN: 1, Ports: []int{0}}, "knows no such step"},
		{"  ports 1-2\n  wording by-port\n", step{Op: wording.Port, Ports: []int{0}, Set: wording.Of(&office.Shape{Untagged: []office.VID{110}})}, "VLAN 110 is not on the device"},
		{"  ports 1-2\n  wording by-port modes access,trunk\n", step{Op: wording.Port, Ports: []int{0}, Set: wording.Of(&office.Shape{Untagged: []office.VID{1}, PVIDSet: true})}, "no mixed ones"},
		{"  ports 1-2\n  wording by-port\n", step{Op: wording.Page, VLAN: 1}, "knows no such step"},
		{"  ports 1-2\n  wording by-choice\n", step{Op: wording.Port, Ports: []int{0}, Set: wording.Of(&office.Shape{Untagged: []office.VID{110}})}, "VLAN 110 is not on the device"},
		{"  forwarding grouped\n  ports 1-2\n  limit vlans 1\n  wording by-group\n", step{Op: wording.Create, VLAN: 110}, "there are 1 groups"},
		{"  forwarding grouped\n  ports 1-2\n  wording by-group\n", step{Op: wording.Join, VLAN: 1, Ports: []int{0}, Set: wording.Setting{Rides: []office.Ride{{VLAN: 1, Wire: 1}}}}, "the port sits in that group"},
		{"  forwarding grouped\n  ports 1-2\n  wording by-group\n", step{Op: wording.Leave, VLAN: 1, Ports: []int{0}, Set: wording.Setting{Rides: []office.Ride{{VLAN: 120, Wire: 120}}}}, "there is no such row"},
		{"  ports 1-2\n  wording linux\n", step{Op: wording.Leave, VLAN: 110, Ports: []int{0}}, "there is no such entry"},
	} {
		d, _ := device(t, row.head, "")
		from := wording.Factory(d)
		_, err := wording.Apply(d, from, row.st)
		require.ErrorContains(t, err, row.says, row.head)
		require.True(t, from.Equal(wording.Factory(d)), "what is refused leaves the state that it was given")
	}
}

// TestReadMistakes: a table that says what cannot be is refused at its place.
func TestReadMistakes(t *testing.T) {
	for _, row := range []struct {
		head   string
		tables []wording.Table
		says   string
	}{
		{"  ports 1-2\n  wording by-vlan\n", []wording.Table{{Title: "VLANs", Head: []string{"VLAN", "Untagged ports", "Tagged ports"}, Rows: [][]string{{"110", "1", ""}, {"120", "1-2", "2"}}}},
			"VLANs, row 2, Tagged ports: port 2 is untagged in VLAN 120 too: one of both"},
		{"  ports 1-2\n  wording by-vlan\n", []wording.Table{{Title: "Ports", Head: []string{"Port", "PVID"}, Rows: [][]string{{"1-9", "110"}}}}, "Ports, row 1, Port: d has no port 9"},
		{"  ports 1-2\n  wording by-port\n", []wording.Table{{Title: "Ports", Head: []string{"Port", "Mode", "VLAN", "Allowed VLANs"}, Rows: [][]string{{"1", "trunk", "110", "120"}}}}, "the native VLAN 110 is not among them"},
		{"  ports 1-2\n  wording by-port\n", []wording.Table{{Title: "Ports", Head: []string{"Port", "Mode"}, Rows: [][]string{{"1", "hybrid"}}}}, `"hybrid" is none of access, trunk, mixed, shut`},
		{"  ports 1-2\n  wording by-choice\n", []wording.Table{{Title: "Ports", Head: []string{"Port", "Choice"}, Rows: [][]string{{"1", "all"}}}}, `"all" is none of`},
		{"  forwarding grouped\n  ports 1-2\n  wording by-group\n", []wording.Table{{Title: "Ports", Head: []string{"Port", "In group"}, Rows: [][]string{{"1", "7"}}}}, "not said which VLAN group 7 stands for"},
		{"  forwarding routed\n  ports lan1\n  wording by-sub-interface\n", []wording.Table{{Title: "Interfaces", Head: []string{"Port", "Frames", "VLAN"}, Rows: [][]string{{"lan1", "untagged", "110"}, {"lan1", "tagged", "110"}}}}, "Interfaces, row 2, Frames: VLAN 110 is untagged and tagged"},
		{"  ports 1-2\n  wording linux\n", []wording.Table{{Title: "Bridge VLANs", Head: []string{"Port", "VLAN"}, Rows: [][]string{{"1", "4095"}}}}, "reserved"},
	} {
		d, _ := device(t, row.head, "")
		_, err := wording.Read(d, row.tables)
		require.ErrorContains(t, err, row.says)
	}
}
