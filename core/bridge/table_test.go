package bridge_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
)

// device compiles a device of two ports, the first of the shape given.
func device(t *testing.T, forwarding, shape string) *bridge.Table {
	f, err := notation.Read("t", "device d switch\n  forwarding "+forwarding+"\n  ports 1-2\n  1: "+shape+"\n  2: 10 [20 30]\n")
	require.NoError(t, err)
	d := f.Office.Devices[0]
	return bridge.NewTable(d, func(i int) *bridge.Port { return bridge.Compile(d.Ports[i].Shape, nil) })
}

// TestIngress: what a frame joins at port 1, or why it is dropped, in the order
// of the checks.
func TestIngress(t *testing.T) {
	in := func(v office.VID) bridge.Domain { return bridge.Domain{VID: v} }
	for _, row := range []struct {
		says, forwarding, shape string
		wire                    bridge.Wire
		domain                  bridge.Domain
		why                     bridge.Reason
	}{
		{"untagged joins the PVID", "bridge", "10", bridge.Untagged, in(10), 0},
		{"priority-tagged joins the PVID", "bridge", "10", bridge.Priority, in(10), 0},
		{"a tag joins its VLAN", "bridge", "10 [20]", 20, in(20), 0},
		{"a tag of the untagged VLAN is a member's", "bridge", "10", 10, in(10), 0},
		{"a tag of another VLAN is filtered", "bridge", "10", 20, bridge.Domain{}, bridge.NotMember},
		{"without filtering it gets in", "bridge", "10 filter off", 20, in(20), 0},
		{"no PVID", "bridge", "[20]", bridge.Untagged, bridge.Domain{}, bridge.NoPVID},
		{"a PVID that the port is not in is filtered, untagged or not", "bridge", "10 pvid 1", bridge.Untagged, bridge.Domain{}, bridge.NotMember},
		{"a tagged PVID is a member's", "bridge", "[20] pvid 20", bridge.Untagged, in(20), 0},
		{"tagged only refuses untagged", "bridge", "10 [20] admit tagged", bridge.Untagged, bridge.Domain{}, bridge.NotAdmit},
		{"tagged only refuses priority-tagged", "bridge", "10 [20] admit tagged", bridge.Priority, bridge.Domain{}, bridge.NotAdmit},
		{"untagged only takes priority-tagged", "bridge", "10 admit untagged", bridge.Priority, in(10), 0},
		{"untagged only refuses its own VLAN's tag", "bridge", "10 admit untagged", 10, bridge.Domain{}, bridge.NotAdmit},
		{"off comes before all", "bridge", "off", 10, bridge.Domain{}, bridge.PortOff},
		{"a VLAN rides another VID", "bridge", "[22@222]", 222, in(22), 0},
		{"and its own number is its own still", "bridge", "[22@222]", 22, in(22), 0},
		{"a router's port is a domain of its own", "routed", "10", bridge.Untagged, bridge.Domain{VID: 10, Port: 1}, 0},
		{"unaware keeps all", "unaware", "-", 77, bridge.Domain{Keep: true, Kept: 77}, 0},
		{"unaware keeps untagged", "unaware", "-", bridge.Untagged, bridge.Domain{Keep: true, Kept: bridge.Untagged}, 0},
		{"unaware drops tags where it does", "unaware drops-tagged", "-", 77, bridge.Domain{}, bridge.DropsTags},
		{"but not those without a VID", "unaware drops-tagged", "-", bridge.Priority, bridge.Domain{Keep: true, Kept: bridge.Priority}, 0},
		{"a group takes untagged", "grouped", "10", bridge.Untagged, in(10), 0},
		{"a row takes its tag to its group", "grouped", "10 [20]", 20, in(20), 0},
		{"any other tag stays in the port's group", "grouped", "10 [20]", 77, bridge.Domain{VID: 10, Keep: true, Kept: 77}, 0},
		{"unless the port refuses tags", "grouped", "10 admit untagged", 77, bridge.Domain{}, bridge.NotAdmit},
		{"no group", "grouped", "[20]", 77, bridge.Domain{}, bridge.NoGroup},
	} {
		t.Run(row.says, func(t *testing.T) {
			d, why := device(t, row.forwarding, row.shape).Ingress(0, row.wire)
			require.Equal(t, row.why, why, why.String())
			require.Equal(t, row.domain, d)
		})
	}
}

// TestEgress: what a frame of a domain wears when it leaves by port 1.
func TestEgress(t *testing.T) {
	for _, row := range []struct {
		says, forwarding, shape string
		domain                  bridge.Domain
		wire                    bridge.Wire
		leaves                  bool
	}{
		{"untagged", "bridge", "10 [20]", bridge.Domain{VID: 10}, bridge.Untagged, true},
		{"tagged", "bridge", "10 [20]", bridge.Domain{VID: 20}, 20, true},
		{"not a member", "bridge", "10 [20]", bridge.Domain{VID: 30}, 0, false},
		{"under another VID", "bridge", "[22@222]", bridge.Domain{VID: 22}, 222, true},
		{"several untagged", "bridge", "10+20 pvid none", bridge.Domain{VID: 20}, bridge.Untagged, true},
		{"off", "bridge", "off", bridge.Domain{VID: 10}, 0, false},
		{"a router's own port", "routed", "10", bridge.Domain{VID: 10, Port: 1}, bridge.Untagged, true},
		{"a router's other port", "routed", "10", bridge.Domain{VID: 10, Port: 2}, 0, false},
		{"as it came", "unaware", "-", bridge.Domain{Keep: true, Kept: 77}, 77, true},
		{"a kept tag leaves an untagged port", "grouped", "10", bridge.Domain{VID: 10, Keep: true, Kept: 77}, 77, true},
		{"and is not tagged over", "grouped", "20 [10]", bridge.Domain{VID: 10, Keep: true, Kept: 77}, 77, true},
		{"a kept tag stays in its group", "grouped", "20", bridge.Domain{VID: 10, Keep: true, Kept: 77}, 0, false},
	} {
		t.Run(row.says, func(t *testing.T) {
			w, ok := device(t, row.forwarding, row.shape).Egress(row.domain, 0)
			require.Equal(t, row.leaves, ok)
			if ok {
				require.Equal(t, row.wire, w)
			}
		})
	}
}

// TestRest: all and needed stand for what they are given, beside what is said.
func TestRest(t *testing.T) {
	all := office.SetOf(10, 20, 30, 222)
	for _, row := range []struct {
		shape  string
		tagged []office.VID
	}{
		{"10 [all]", []office.VID{20, 30, 222}},
		{"[40 needed]", []office.VID{10, 20, 30, 40, 222}},
		{"[22@222 all]", []office.VID{10, 20, 22, 30}}, // 222 is taken on the wire
	} {
		f, err := notation.Read("t", "device d switch\n  ports 1\n  1: "+row.shape+"\n")
		require.NoError(t, err)
		p := bridge.Compile(f.Office.Devices[0].Ports[0].Shape, &all)
		require.Equal(t, row.tagged, p.Tagged.VIDs(), row.shape)
	}
}
