package walk_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/span"
	"klammer/core/walk"
)

// TestWalk: what becomes of one frame, told hop by hop.
func TestWalk(t *testing.T) {
	for _, row := range []struct {
		says, office, from string
		wire               bridge.Wire
		want               string
	}{
		{"through a bundle as through one port", `
device a switch
  ports 1-4
  bundle up lacp 1-2
  up: [10]
  3: 10
device b switch
  ports 1-4
  bundle up lacp 3-4
  up: [10]
  1: 10
cable a.up b.up`, "a.3", bridge.Untagged, `it has no VLAN of its own, so at a port 3 it joins the PVID, VLAN 10 and leaves by 1 port
b takes it at port up into VLAN 10 and leaves by 1 port
out b.1 untagged`},
		{"a member of a bundle stands for it", `
device a switch
  ports 1-4
  bundle up lacp 1-2
  up: [10]
  3: 10`, "a.2", 10, `a takes it at port up into VLAN 10 and leaves by 1 port
out a.3 untagged`},
		{"round a ring once, and back to where it came from", `
device a switch
  ports 1-3
  1-3: 10
device b switch
  ports 1-3
  1-3: 10
cable a.1 b.1
cable a.2 b.2`, "a.3", bridge.Untagged, `it has no VLAN of its own, so at a port 3 it joins the PVID, VLAN 10 and leaves by 2 ports
it has no VLAN of its own, so at b port 1 it joins the PVID, VLAN 10 and leaves by 2 ports
it has no VLAN of its own, so at b port 2 it joins the PVID, VLAN 10 and leaves by 2 ports
it has no VLAN of its own, so at a port 2 it joins the PVID, VLAN 10 and leaves by 2 ports
it has no VLAN of its own, so at a port 1 it joins the PVID, VLAN 10 and leaves by 2 ports
out a.3 untagged
out b.3 untagged`},
		{"translated on the way, and dropped at the end", `
device a switch
  ports 1-2
  1: 22
  2: [22@222]
device b switch
  ports 1-2
  1: 22
  2: [22]
cable a.2 b.2`, "a.1", bridge.Untagged, `it has no VLAN of its own, so at a port 1 it joins the PVID, VLAN 22 and leaves by 1 port
drop b.2 [222] the port is not a member of the frame's VLAN, and ingress filtering drops it`},
		{"up to the gateway, where it ends", `
device gate firewall
  forwarding routed
  ports lan, dmz
  lan: [10]
  dmz: [10]
device a switch
  ports 1-2
  1: 10
  2: [10]
cable a.2 gate.lan`, "a.1", bridge.Priority, `it has no VLAN of its own, so at a port 1 it joins the PVID, VLAN 10 and leaves by 1 port
gate takes it at port lan into VLAN 10; it ends there, as the ports do not bridge to each other`},
		{"through a device that knows no tags", `
device u switch
  forwarding unaware
  ports 1-3`, "u.1", 77, `u does not look at tags: the frame ([77]) leaves every other port as it came and leaves by 2 ports
out u.2 [77]
out u.3 [77]`},
		{"a tag kept in a group", `
device g switch
  forwarding grouped
  ports 1-3
  1-2: 10
  3: 20 [10]`, "g.1", 77, `g keeps the tag [77] and the frame in the group of port 1 and leaves by 2 ports
out g.2 [77]
out g.3 [77]`},
	} {
		t.Run(row.says, func(t *testing.T) {
			f, err := notation.Read("t", strings.TrimPrefix(row.office, "\n")+"\n")
			require.NoError(t, err)
			w, err := walk.Broadcast(span.Compile(f.Office), ref(row.from), row.wire)
			require.NoError(t, err)
			var got []string
			for _, h := range w.Hops {
				got = append(got, h.Text)
			}
			for _, d := range w.Drops {
				got = append(got, fmt.Sprintf("drop %s %s %s", d.Port, d.Wire, d.Reason))
			}
			for _, a := range w.Arrivals {
				got = append(got, fmt.Sprintf("out %s %s", a.Port, a.Wire))
			}
			require.Equal(t, row.want, strings.Join(got, "\n"))
		})
	}
}

// TestKeptThroughUnaware: a tag that a grouped device keeps goes on through an
// unaware one and joins the span of what it comes to.
func TestKeptThroughUnaware(t *testing.T) {
	f, err := notation.Read("t", `vlan 30 staff
device a switch
  ports 1-2
  1: [30] filter off
  inner vm vm: 222 admit tagged
device hub switch
  forwarding unaware
  ports 1-3
device g switch
  forwarding grouped
  ports 1-3
  1: 30
  2: 30
device b switch
  ports 1-2
  1: [222]
  2: 222
cable a.1 hub.1
cable hub.2 g.1
cable g.2 b.1
`)
	require.NoError(t, err)
	o := f.Office
	n := span.Compile(o)
	r := n.VLAN(222)
	require.Len(t, r.Spans, 1)
	require.Equal(t, span.Whole, r.State)
	next, _, err := notation.Line(o, "g 2: -")
	require.NoError(t, err)
	require.Equal(t, span.Split, n.Update(next).VLAN(222).State)
	require.Equal(t, span.Whole, n.Update(next).Update(o).VLAN(222).State)
}

// TestJourney: the way to one port, also through a gateway.
func TestJourney(t *testing.T) {
	f, err := notation.Read("t", `vlan 10 staff net 10.0.10.0/24
vlan 20 guests net 10.0.20.0/24
vlan 30 lab
device gate router
  forwarding routed
  ports lan 1G
  lan: [10 20]
  address 10 10.0.10.1/24 on lan zone in
  address 20 10.0.20.1/24 on lan zone out
device a switch
  ports 1-5 1G
  1: 10
  2: 20
  3: [10 20]
  4: [10 20]
  5: [10]
device b switch
  ports 1-4 100M
  1: 10
  2: 20
  3: 30
  4: [10 20]
device c switch
  ports 1-2
  1: 10
  2: [10]
device d switch
  ports 1-4
  1: 30
  2: 30
  3: 10
  4: [10]
cable gate.lan a.3
cable a.4 b.4
cable c.2 b.3
cable d.4 e.1
device e switch
  ports 1-3
  1: [10]
  2: [10]
cable e.2 a.5
plug d.3 "pc" wants 10 tagged
`)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	for _, row := range []struct {
		from, to string
		wire     bridge.Wire
		want     string
	}{
		{"a.1", "b.1", bridge.Untagged, "a 1>4 b 4>1 | slowest  "},
		{"a.1", "b.2", bridge.Untagged, "a 1>3 gate lan>lan a 3>4 b 4>2 | slowest 100M a.4 b.4"},
		{"a.1", "a.2", bridge.Untagged, "a 1>3 gate lan>lan a 3>2 | slowest  "},
		{"c.1", "d.1", bridge.Untagged, "c.1 is in 10 staff and d.1 in 30 lab, and nothing leads from the one to the other: 30 lab has no subnet"},
		{"c.1", "b.1", bridge.Untagged, "b.3 drops it, as the port is not a member of the frame's VLAN"},
		{"c.1", "a.2", bridge.Untagged, "It does not reach gate, the gateway of 10 staff at 10.0.10.1: b.3 drops it"},
		{"a.2", "b.4", bridge.Untagged, "a 2>4 b 4> | "},
		{"a.1", "b.3", bridge.Untagged, "It does not pass b.3: b.3 is not in 10 staff"},
		{"a.1", "d.2", bridge.Untagged, "a.1 is in 10 staff and d.2 in 30 lab"},
		{"a.1", "d.3", bridge.Untagged, "it leaves d.3 untagged, and something else is wanted there"},
		{"a.1", "d.1", 77, "a.1 drops it on arrival: the port is not a member"},
	} {
		j, err := walk.To(n, ref(row.from), row.wire, ref(row.to))
		require.NoError(t, err)
		var got []string
		for _, s := range j.Steps {
			got = append(got, s.Device, s.In+">"+s.Out)
		}
		text := strings.Join(got, " ") + " | slowest " + j.Slowest.String() + " " + j.At
		if !j.Arrives {
			text = j.Why
		}
		require.Contains(t, text, row.want, "%s to %s", row.from, row.to)
	}
	// inside one VLAN the last step agrees with the walk
	w, err := walk.Broadcast(n, ref("a.1"), bridge.Untagged)
	require.NoError(t, err)
	for _, x := range w.Arrivals {
		if x.Port == ref("d.3") { // where a plug wants another form
			continue
		}
		j, err := walk.To(n, ref("a.1"), bridge.Untagged, x.Port)
		require.NoError(t, err)
		require.True(t, j.Arrives)
		require.Equal(t, x.Wire, j.Wire)
	}
	_, err = walk.To(n, ref("a.1"), bridge.Untagged, ref("a.9"))
	require.ErrorContains(t, err, "9")
}
