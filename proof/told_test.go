package proof

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/explain"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/core/wording"
)

var update = flag.Bool("update", false, "write what is told to testdata/told, to be read before it is kept")

// TestAsTold: all that is said of the demo office and of each small office with a
// fault stands in testdata/told: findings with their mends, ports in plain words,
// reach, walks and journeys, who hands out addresses, sheets and steps. Whoever
// changes a sentence or a decision sees where it shows (-update).
func TestAsTold(t *testing.T) {
	files, err := filepath.Glob("../core/finding/testdata/*.klm")
	require.NoError(t, err)
	more, err := filepath.Glob("testdata/offices/*.klm")
	require.NoError(t, err)
	for _, file := range append(slices.Concat(files, more), "../demo/clinic.klm") {
		name := strings.TrimSuffix(filepath.Base(file), ".klm")
		t.Run(name, func(t *testing.T) {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			f, err := notation.Read(name, string(text))
			require.NoError(t, err)
			got := tell(t, f.Office)
			golden := filepath.Join("testdata", "told", name+".txt")
			if *update {
				require.NoError(t, os.MkdirAll(filepath.Dir(golden), 0o755))
				require.NoError(t, os.WriteFile(golden, []byte(got), 0o644))
			}
			want, err := os.ReadFile(golden)
			require.NoError(t, err, "there is nothing to compare with: -update")
			require.Equal(t, string(want), got)
		})
	}
}

// TestJSONAsTold: what the server and the command line make of the demo office,
// as JSON, stands in testdata/told/clinic.json: the office as a page draws it,
// sheets, explanations, walks, journeys, what was found.
func TestJSONAsTold(t *testing.T) {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	n := span.Compile(f.Office)
	report := finding.Check(n)
	east := n.Topo.DeviceIndex("ward-east")
	state := wording.Planned(n, east).With(4, wording.Of(&office.Shape{Untagged: []office.VID{110}, Tagged: []office.VID{130}}))
	kept := map[string]found.Kept{"ward-east": found.Keep(f.Office.Devices[east], state)}
	meaning, err := found.Meaning(n, east, state)
	require.NoError(t, err)
	all := map[string]any{
		"office":  api.View(1, 7, report, found.BesideOf(n, kept)),
		"mends":   api.Findings(report, report.List(), 100),
		"found":   api.FoundOf(n, east, state),
		"meaning": api.PortChanges(meaning),
	}
	sheets, reach, walks := map[string]any{}, map[string]any{}, map[string]any{}
	for i, d := range f.Office.Devices {
		sheets[d.Name] = api.SheetOf(n, i)
	}
	for v := range n.Used().All() {
		reach[fmt.Sprint(v)] = api.ExplanationOf(n, nil, v)
	}
	for _, p := range f.Office.Plugs[:6] {
		w, err := walk.Broadcast(n, p.Port, bridge.Untagged)
		require.NoError(t, err)
		j, err := walk.To(n, p.Port, bridge.Untagged, office.PortRef{Device: "ward-west", Port: "1"})
		require.NoError(t, err)
		walks[p.Port.String()] = []any{api.WalkOf(w), api.JourneyOf(j), api.ExplanationOf(n, []office.PortRef{p.Port}, p.Wants)}
	}
	two := []office.PortRef{{Device: "rack", Port: "1"}, {Device: "rack", Port: "9"}}
	all["sheets"], all["reach"], all["walks"], all["two"] = sheets, reach, walks, api.ExplanationOf(n, two, 0)
	got, err := json.MarshalIndent(all, "", " ")
	require.NoError(t, err)
	golden := filepath.Join("testdata", "told", "clinic.json")
	if *update {
		require.NoError(t, os.WriteFile(golden, got, 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err, "there is nothing to compare with: -update")
	require.Equal(t, string(want), string(got))
}

// tell is all that is said of an office.
func tell(t *testing.T, o *office.Office) string {
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	n := span.Compile(o)
	report := finding.Check(n)
	for _, f := range report.List() {
		say("%s: %s [%s] %v %v %v <- %s", f.ID, f.Text, f.Label, f.VLANs, f.Ports, f.Devices, f.Cause)
		for _, m := range report.Mends(f) {
			say("  mend: %s", strings.Join(m, "; "))
		}
	}
	for v := range n.Used().All() {
		x := n.VLAN(v)
		say("VLAN %d: %s in %d", v, x.State, x.Parts)
		var draw func(bs []*explain.Branch, deep string)
		draw = func(bs []*explain.Branch, deep string) {
			for _, branch := range bs {
				say("%s%s %s/%s %v broken %t cut %t", deep, branch.Device, branch.Port, branch.Via, branch.Ends, branch.Broken, branch.Cut)
				draw(branch.Branches, deep+"  ")
			}
		}
		draw(explain.Reach(n, v), "  ")
	}
	starts := map[office.PortRef]bridge.Wire{}
	for _, p := range o.Plugs {
		starts[p.Port] = bridge.Untagged
		if p.Tagged {
			starts[p.Port] = bridge.Wire(p.Wants)
		}
	}
	for i, d := range o.Devices {
		for p := range d.Ports {
			ref := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
			say("%s: %s", ref, strings.Join(explain.Port(n, ref), " "))
			wire, plugged := starts[ref]
			if !plugged {
				continue
			}
			w, err := walk.Broadcast(n, ref, wire)
			require.NoError(t, err)
			for _, h := range w.Hops {
				say("  %s", h.Text)
			}
			for _, x := range w.Drops {
				say("  %s %s: %s", x.Port, x.Wire, x.Reason)
			}
			hand, err := walk.HandsOut(n, ref, wire)
			require.NoError(t, err)
			say("  %s", hand.Text)
			for _, device := range append([]*office.Device{{}}, o.Devices...) {
				j, err := walk.ToDevice(n, ref, wire, device.Name)
				require.NoError(t, err)
				say("  to %q: %s", device.Name, way(j))
			}
			for _, q := range o.Plugs {
				j, err := walk.To(n, ref, wire, q.Port)
				require.NoError(t, err)
				say("  to %s: %s", q.Port, way(j))
			}
		}
		device := wording.For(n, i)
		if device == nil {
			continue
		}
		plan, unsaid := wording.Sayable(device, wording.Planned(n, i))
		for _, u := range unsaid {
			say("%s cannot say port %d: %s; nearest %s", d.Name, u.Port, u.Why, notation.Shape(u.Nearest.Shape()))
		}
		for _, table := range append(wording.Write(device, plan), wording.Fixed(device)...) {
			say("%s: %s: %s", d.Name, table.Title, strings.Join(table.Head, " | "))
			for _, r := range table.Rows {
				say("  %s", strings.Join(r, " | "))
			}
		}
		steps, err := wording.FromFactory(device, plan)
		for _, s := range steps {
			say("%s: [%s] %s", d.Name, s.Where, s.Text)
		}
		if err != nil {
			say("%s: %s", d.Name, err)
		}
	}
	return b.String()
}

func way(j *walk.Journey) string {
	if !j.Arrives {
		return j.Why
	}
	var steps []string
	for _, s := range j.Steps {
		steps = append(steps, fmt.Sprintf("%s %s>%s", s.Device, s.In, s.Out))
	}
	return fmt.Sprintf("%s as %s, slowest %s %s", strings.Join(steps, ", "), j.Wire, j.Slowest, j.At)
}
