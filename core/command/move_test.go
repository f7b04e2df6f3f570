package command_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

// TestMoves: what moves or changes places and comes back is as it was, in every line; and on
// the way the frames of all who moved go where they went, from the other port.
func TestMoves(t *testing.T) {
	base := clinic(t)
	base = do(t, base, `rack 5: 110 because "a lender" `)
	base = do(t, base, `rack socket 5 "W-5"`)
	for _, line := range []string{"-rack 23", "-rack 26", "-rack socket 7-8", "-rack 7-8", "-gate lan4"} {
		base = do(t, base, line)
	}
	for _, row := range [][2]string{
		{"move rack.1-2 to rack.7-8", "move rack.7-8 to rack.1-2"},
		{"move rack.1-3,23 to rack.2-3,23,26", "move rack.2-3,23,26 to rack.1-3,23"},
		{"move rack.5 to annex.8", "move annex.8 to rack.5"},
		{"move rack.19 to rack.23", "move rack.23 to rack.19"},
		{"move gate.lan1 to gate.lan4", "move gate.lan4 to gate.lan1"},
		{"move gate.wan to gate.lan4", "move gate.lan4 to gate.wan"},
		{"swap rack.18 rack.19", "swap rack.19 rack.18"},
		{"swap rack.1-3 ward-east.1-3", "swap ward-east.1-3 rack.1-3"},
		{"swap rack.5 rack.6", "swap rack.5 rack.6"},
		{`move plug "accounts pc" to rack.9`, `move plug "accounts pc" from rack.9 to rack.2`},
		{`move plug "label printer" to foyer.4`, `move plug "label printer" to foyer.3`},
	} {
		if strings.HasPrefix(row[0], "swap rack.5") {
			base = do(t, base, `plug rack.5 "lender" wants 110`)
		}
		there := do(t, base, row[0])
		back := do(t, there, row[1])
		require.Equal(t, sorted(base), sorted(back), row[0])
		require.Empty(t, walk.Compare(base, back), row[0])
		if strings.HasPrefix(row[0], "move rack.19") || strings.HasPrefix(row[0], "move gate") {
			require.Empty(t, walk.Compare(base, there), "whoever is behind the cable notices nothing: %s", row[0])
		}
	}
	there := do(t, base, "move rack.5 to annex.8")
	x := there.Office.Device("annex").Ports[7]
	require.Equal(t, "a lender", x.Because)
	require.Equal(t, "W-5", x.Facts.Socket)
	require.Equal(t, `110`, notation.Shape(*x.Shape))
	require.Nil(t, there.Office.Device("rack").Ports[4].Shape)
}

// sorted is an office's lines without their order, as what comes back comes at the end.
func sorted(n *span.Net) map[string]int {
	out := map[string]int{}
	for line := range strings.Lines(notation.Print(n.Office)) {
		out[strings.TrimSpace(line)]++
	}
	return out
}

// TestReplaceLikeForLike: each device of the clinic, replaced by one of the same front, is
// what it was in every frame; and so it is where its ports have other names and the same
// numbers.
func TestReplaceLikeForLike(t *testing.T) {
	n := clinic(t)
	for _, d := range n.Office.Devices {
		for _, other := range []bool{false, true} {
			var ports, said []string
			for p := range d.Front() {
				name := d.Ports[p].Name
				if other {
					name = fmt.Sprint("x", p+1)
					said = append(said, d.Ports[p].Name+" to "+name)
				}
				ports = append(ports, "ports "+name)
			}
			words := string(d.Kind) + ", " + strings.Join(append(ports, said...), ", ")
			if d.Unaware() {
				words += ", unmanaged"
			}
			if d.Forwarding == office.Grouped {
				words += ", by group"
			} else if d.Forwarding == office.Routed {
				words += ", routed"
			}
			r, err := command.Do(n, command.Line{Text: "replace " + d.Name + " by " + words})
			require.NoError(t, err, words)
			require.NotContains(t, strings.Join(r.Notes, "\n"), "no place", words)
			there := do(t, n, "replace "+d.Name+" by "+words)
			require.Len(t, there.Office.Plugs, len(n.Office.Plugs))
			require.Len(t, there.Office.Cables, len(n.Office.Cables))
			if !other {
				require.Empty(t, walk.Compare(n, there), words)
			}
			names := func(ref office.PortRef) string { // a port by its place, whatever its name
				device := n.Office.Device(ref.Device)
				if i := device.Port(ref.Port); i >= 0 && ref.Device == d.Name && device.Ports[i].Kind == office.Physical {
					return fmt.Sprint(ref.Device, " ", i)
				}
				return ref.Device + " " + ref.Port
			}
			for _, p := range n.Office.Plugs {
				found := false
				for _, q := range there.Office.Plugs {
					if q.Name == p.Name {
						device := there.Office.Device(q.Port.Device)
						at := fmt.Sprint(q.Port.Device, " ", q.Port.Port)
						if q.Port.Device == d.Name {
							at = fmt.Sprint(q.Port.Device, " ", device.Port(q.Port.Port))
						}
						found = names(p.Port) == at
					}
				}
				require.True(t, found, p.Name)
			}
		}
	}
}

// TestReplace: another model; what has neither the same name nor number goes where it is
// said, and what finds no place is told.
func TestReplace(t *testing.T) {
	for _, row := range []struct {
		line       string
		has, lacks []string
		notes      []string
	}{
		{
			"replace rack by switch, 48 ports 1G and 2 10G, by port, 25-26 to 49-50",
			[]string{"cable rack.49 annex.10", "wording by-port", "bundle store"}, []string{"rack.25 "},
			[]string{"ports that keep their names: 1-24", "25 to 49, 26 to 50"},
		},
		{
			"replace ward-east by switch, 5 ports, by VLAN",
			[]string{`plug ward-east.5 "ultrasound"`}, []string{"dental", "kennel", "cable rack.19"},
			[]string{"finds no place: rack.19 ward-east.8", `finds no place: "dental X-ray" at ward-east.6`},
		},
		{
			"replace ward-east by switch, 5 ports, by VLAN, 8 to 4",
			[]string{"cable rack.19 ward-east.4", "ward-8\n  ports 1-5", "  4: use uplink\n  5: use console"}, nil,
			[]string{"8 to 4"},
		},
		{
			"replace ward-east by switch, ports x1-x8, by VLAN, 1 to x8, 2 to x7, 3 to x6, 4 to x5, 5 to x4, 6 to x3, 7 to x2, 8 to x1",
			[]string{"cable rack.19 ward-east.x1", "device ward-east switch\n"}, nil,
			[]string{"follows ward-8 no more"},
		},
		{
			"replace gate by router, ports wan1, ports eth1-eth4, routed",
			[]string{"on wan1", "on eth1", "cable gate.eth1 rack.24"}, []string{"lan1"},
			[]string{"lan1 to eth1"},
		},
		{
			"replace gate by router, ports eth1-eth5",
			[]string{"cable gate.eth1 rack.24"}, []string{"outside fibre"},
			[]string{"finds no place: line", "to the outside, on wan"},
		},
		{
			"replace rack by switch, 48 ports 1G and 2 10G, by port, 25-26 to 49-50, old as rack-2",
			[]string{"device rack-2 switch\n  ports 1-24 1G, 25-26 10G\n  wording by-vlan pvid-apart\n  limit vlans 64\n  place \"shelf\"", "cable rack.49 annex.10"}, []string{"rack-2."},
			[]string{"the old rack stays as a spare: rack-2"},
		},
		{
			"replace front by unmanaged 8-port switch",
			[]string{"forwarding unaware", `plug front.7 "waiting room kiosk"`}, nil,
			[]string{"looks at no tag"},
		},
	} {
		n := clinic(t)
		r, err := command.Do(n, command.Line{Text: row.line})
		require.NoError(t, err, row.line)
		text, notes := notation.Print(r.Office), strings.Join(r.Notes, "\n")
		for _, x := range row.has {
			require.True(t, strings.Contains(text, x), "%s: %s is not there", row.line, x)
		}
		for _, x := range row.lacks {
			require.False(t, strings.Contains(text, x), "%s: %s is there", row.line, x)
		}
		for _, x := range row.notes {
			require.Contains(t, notes, x, row.line)
		}
		do(t, n, row.line)
	}
}

// TestMoveRefuses says what would be right.
func TestMoveRefuses(t *testing.T) {
	for _, row := range [][2]string{
		{"move rack.1 to rack.2", "has \"accounts pc\" already: move that first, or exchange the two with swap"},
		{"move rack.1-2 to rack.7", "as many ports to go to"},
		{"move rack.13 to rack.7", "rack.13 is in bundle"},
		{"move rack.1 to rack.1", "named once"},
		{"move annex.8 to rack.23", "nothing hangs at annex.8"},
		{"move rack.99 to rack.7", "99"},
		{"move rak.9 to rack.7", "did you mean rack"},
		{"move gate.wan to rack.7", "cannot go to another device"},
		{"move plug \"nobody\" to rack.9", "is plugged in nowhere"},
		{"move plug \"acounts pc\" to rack.9", `"accounts pc" is`},
		{"move plug \"accounts pc\" to rack.2", "is at rack.2 already"},
		{"move plug \"accounts pc\"", "something is missing"},
		{"move rack.7", "something is missing: write move"},
		{"swap rack.5 rack.7", "nothing is plugged into"},
		{"swap rack.24 gate.lan1", "one cable leads"},
		{"swap rack.1 rack.1", "named once"},
		{"replace rak by switch, 8 ports", "did you mean rack"},
		{"replace rack switch, 8 ports", "by what: write replace"},
		{"replace rack by fridge", "says nothing that is known"},
		{"replace rack by switch, 8 ports, 1-2 to 8", "as many ports of the new rack"},
		{"replace rack by switch, 8 ports, 1 to 9", "9"},
	} {
		_, err := command.Do(clinic(t), command.Line{Text: row[0]})
		require.Error(t, err, row[0])
		require.ErrorContains(t, err, row[1], row[0])
	}
	n := clinic(t)
	n = do(t, n, `plug rack.7 "twin" wants 110`)
	n = do(t, n, `plug rack.8 "twin" wants 110`)
	_, err := command.Do(n, command.Line{Text: `move plug twin to annex.9`})
	require.ErrorContains(t, err, "say which, as in")
	r, err := command.Do(n, command.Line{Text: `move plug twin from rack.8 to annex.9`})
	require.NoError(t, err)
	require.Contains(t, strings.Join(r.Notes, "\n"), "bring 110 to annex.9")
}

// TestSpare: what is kept on the shelf is no fault, and takes over by its name.
func TestSpare(t *testing.T) {
	n := clinic(t)
	kept := do(t, n, "replace ward-east by switch, 8 ports 1G, by port, old as shelved")
	require.Equal(t, len(finding.Check(n).List()), len(finding.Check(kept).List()))
	back := do(t, kept, "replace ward-east by shelved").Office
	require.Nil(t, back.Device("shelved"))
	require.Equal(t, notation.Print(n.Office), strings.Replace(notation.Print(back), "\n  place \"shelf\"", "", 1))
	_, err := command.Do(n, command.Line{Text: "replace ward-east by switch, 8 ports, old as rack"})
	require.ErrorContains(t, err, "rack is a device already: give the old ward-east another name")
	// A device that has the name of a word, and is in use, is no spare.
	named := do(t, n, "rename device foyer to switch")
	require.NotNil(t, do(t, named, "replace annex by switch, 12 ports").Office.Device("switch"))
	_, err = command.Do(named, command.Line{Text: "replace annex by switch"})
	require.ErrorContains(t, err, "say which ports")
	for _, odd := range []string{"a.b", "x:", "vlan", "5", "-x"} { // refused, or written so that it is read again
		r, err := command.Do(n, command.Line{Text: "replace ward-east by switch, 8 ports, old as " + odd})
		if err != nil {
			continue
		}
		f, err := notation.Read("again", notation.Print(r.Office))
		require.NoError(t, err, odd)
		require.NotNil(t, f.Office.Device(odd), odd)
	}
}
