package proof

import (
	"encoding/json"
	"flag"
	"fmt"
	"maps"
	"net/netip"
	"os"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/api"
	"klammer/core/bridge"
	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/proof/short"
)

// TestFlows: every frame from every port comes out where the plain version says.
func TestFlows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 8)
		plain := NewPlain(o)
		for _, f := range walk.Flows(span.Compile(o)) {
			got := []string{}
			for _, a := range f.Arrivals {
				got = append(got, fmt.Sprintf("%s %d", a.Port, a.Wire))
			}
			sort.Strings(got)
			dev := -1
			for i, d := range o.Devices {
				if d.Name == f.From.Device {
					dev = i
				}
			}
			require.Equal(t, plain.Arrivals(dev, f.From.Port, int(f.Wire)), got, "%s %s\n%s", f.From, f.Wire, notation.Print(o))
		}
	})
}

// states is each VLAN's state and spans, as the plain version says them.
func states(n *span.Net) map[office.VID]string {
	out := map[office.VID]string{}
	for v := range n.Used().All() {
		r := n.VLAN(v)
		var lists []string
		for _, s := range r.Spans {
			var ps []string
			for _, p := range n.Reaches(s) {
				ps = append(ps, p.String())
			}
			lists = append(lists, strings.Join(ps, ","))
		}
		if len(lists) == 0 {
			continue
		}
		sort.Strings(lists)
		out[v] = r.State.String() + " " + strings.Join(lists, " | ")
	}
	return out
}

// TestSpans: the same spans and states, and the same needs.
func TestSpans(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 8)
		n, plain := span.Compile(o), NewPlain(o)
		for i, l := range n.Topo.Links {
			e := edge{plainEnd{l.A.Dev, o.Devices[l.A.Dev].Ports[l.A.Port].Name}, plainEnd{l.B.Dev, o.Devices[l.B.Dev].Ports[l.B.Port].Name}}
			for _, x := range plain.edges() {
				if x.a == e.b && x.b == e.a {
					e = x
				}
			}
			for _, v := range vids {
				require.Equal(t, plain.Needed(office.VID(v), e), n.Needed(i).Has(office.VID(v)), "is %d needed on %v\n%s", v, e, notation.Print(o))
			}
		}
		require.Equal(t, plain.Spans(), states(n), "%s", notation.Print(o))
	})
}

// told is everything that a report says, for comparing.
func told(r *finding.Report) []string {
	var out []string
	for _, f := range r.List() {
		out = append(out, fmt.Sprint(f.ID, " ", f.Severity, f.VLANs, f.Ports, f.Cause, f.Text, f.Mends))
	}
	return out
}

// TestIncremental: after any edits the office worked out step by step is the
// same as from nothing, and what a page is told of each makes of its old picture
// the new one. Every kind of edit has to have been made.
func TestIncremental(t *testing.T) {
	made := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 6)
		r := finding.Check(span.Compile(o))
		kept := map[string]found.Kept{o.Devices[0].Name: {Routing: foundRouting(o), Ports: []string{"1", "2"}, Shapes: []office.Shape{{Untagged: []office.VID{10}, Tagged: []office.VID{20}}, {}}}}
		seen := found.BesideOf(r.Net, kept)
		view := api.View(1, 1, r, seen)
		page := redrawn(t, view)
		for k := range rapid.IntRange(1, 6).Draw(t, "edits") {
			kind, text := DrawEdit(t, o)
			next, _, err := notation.Line(o, text)
			if err != nil || text == "" {
				continue
			}
			made[kind]++
			o = next
			old := r
			r = r.Update(r.Net.Update(o))
			fresh := finding.Check(span.Compile(o))
			require.Equal(t, states(fresh.Net), states(r.Net), "%s\n%s", text, notation.Print(o))
			require.Equal(t, told(fresh), told(r), "%s\n%s", text, notation.Print(o))

			delta := r.Since(old)
			delta.Devices = found.Touched(old.Net.Office, r.Net.Office, kept, delta.Devices)
			seen = seen.Update(r.Net, kept, delta.Devices)
			if delta.Whole {
				seen = found.BesideOf(r.Net, kept)
			}
			var change *api.OfficeView
			view, change = api.Change(view, int64(k+2), r, delta, seen)
			want := redrawn(t, api.View(1, int64(k+2), fresh, found.BesideOf(fresh.Net, kept)))
			require.Equal(t, want, redrawn(t, view), "what is drawn\n%s\n%s", text, notation.Print(o))
			page = pasted(page, redrawn(t, change))
			require.Equal(t, want, page, "what a page makes of what it is told\n%s\n%s", text, notation.Print(o))
		}
	})
	for _, e := range edits {
		if made[e.kind] == 0 && !testing.Short() {
			t.Errorf("no edit of the kind %q was ever made", e.kind)
		}
	}
}

// redrawn is a view as a page has it, from its JSON.
func redrawn(t require.TestingT, v *api.OfficeView) map[string]any {
	text, err := json.Marshal(v)
	require.NoError(t, err)
	var out map[string]any
	require.NoError(t, json.Unmarshal(text, &out))
	return out
}

// pasted puts what was told of an edit into what a page has: a plain version of
// what ui/src/state/merge.ts does.
func pasted(old, change map[string]any) map[string]any {
	if change["whole"] == true {
		return change
	}
	out := maps.Clone(old)
	for _, k := range []string{"title", "revision", "order", "more", "unlisted", "uses", "plans", "services", "wishes"} {
		if v, ok := change[k]; ok {
			out[k] = v
		} else if k == "more" || k == "unlisted" {
			delete(out, k)
		}
	}
	list := func(of map[string]any, key string) []any { l, _ := of[key].([]any); return l }
	name := func(x any, keys ...string) (s string) {
		for _, k := range keys {
			s += fmt.Sprint(x.(map[string]any)[k], " ")
		}
		return s
	}
	over := func(was, is []any, keys ...string) []any {
		byName := map[string]any{}
		for _, x := range is {
			byName[name(x, keys...)] = x
		}
		now := []any{}
		for _, x := range was {
			if y, ok := byName[name(x, keys...)]; ok {
				x = y
			}
			now = append(now, x)
		}
		return now
	}
	devices := []any{}
	for _, x := range list(change, "devices") {
		d := maps.Clone(x.(map[string]any))
		if d["some"] == true {
			delete(d, "some")
			sameRules := d["sameRules"] == true
			delete(d, "sameRules")
			for _, y := range list(old, "devices") {
				if name(y, "name") == name(d, "name") {
					if rules, ok := y.(map[string]any)["rules"]; ok && sameRules {
						d["rules"] = rules
					}
					d["ports"] = over(list(y.(map[string]any), "ports"), list(d, "ports"), "name")
				}
			}
		}
		devices = append(devices, d)
	}
	out["devices"] = over(list(old, "devices"), devices, "name")
	out["links"] = over(list(old, "links"), list(change, "links"), "a", "b")

	gone := map[string]bool{}
	for _, v := range list(change, "goneVlans") {
		gone[fmt.Sprint(v)] = true
	}
	for _, v := range list(change, "vlans") {
		gone[strings.TrimSpace(name(v, "vid"))] = true
	}
	rows := append([]any{}, list(change, "vlans")...)
	for _, v := range list(old, "vlans") {
		if !gone[strings.TrimSpace(name(v, "vid"))] {
			rows = append(rows, v)
		}
	}
	sort.Slice(rows, func(i, j int) bool {
		return rows[i].(map[string]any)["vid"].(float64) < rows[j].(map[string]any)["vid"].(float64)
	})
	out["vlans"] = rows

	clear(gone)
	for _, id := range list(change, "gone") {
		gone[id.(string)] = true
	}
	for _, f := range list(change, "findings") {
		gone[f.(map[string]any)["id"].(string)] = true
	}
	findings := []any{}
	for _, f := range list(old, "findings") {
		if !gone[f.(map[string]any)["id"].(string)] {
			findings = append(findings, f)
		}
	}
	for _, x := range list(change, "findings") {
		f := maps.Clone(x.(map[string]any))
		at := 0
		for i, g := range findings {
			if g.(map[string]any)["id"] == f["after"] {
				at = i + 1
			}
		}
		delete(f, "after")
		findings = slices.Insert(findings, at, any(f))
	}
	out["findings"] = findings

	if told, ok := change["found"].(map[string]any); ok {
		was := old["found"].(map[string]any)
		ports := map[string]any{}
		for port, shape := range was["ports"].(map[string]any) {
			device, _, _ := strings.Cut(port, ".")
			if !slices.Contains(list(told, "devices"), any(device)) {
				ports[port] = shape
			}
		}
		maps.Copy(ports, told["ports"].(map[string]any))
		routing := maps.Clone(was["routing"].(map[string]any))
		for _, device := range list(told, "devices") {
			delete(routing, device.(string))
		}
		maps.Copy(routing, told["routing"].(map[string]any))
		out["found"] = map[string]any{"devices": was["devices"], "ports": ports, "routing": routing}
	}
	return out
}

// foundRouting is addresses in the VLANs of an office that somebody found on a device, with a
// rule between the first two.
func foundRouting(o *office.Office) *found.Routing {
	r := &found.Routing{Tells: []found.Part{found.PartAddresses, found.PartRules}}
	for i, v := range o.VLANs {
		r.Addresses = append(r.Addresses, office.Address{VID: v.VID, Prefix: netip.MustParsePrefix(fmt.Sprintf("10.9.%d.1/24", i))})
	}
	if len(r.Addresses) > 1 {
		side := func(i int) []office.Side { return []office.Side{{Kind: office.SideVLAN, VID: r.Addresses[i].VID}} }
		r.Rules = []office.Rule{{Do: office.Deny, From: side(0), To: side(1), Services: []office.Service{{Protocol: office.Ping}}}}
	}
	return r
}

// TestMends: what is offered as a mend removes its finding and brings nothing
// that breaks, and IDs are unique.
func TestMends(t *testing.T) {
	short.Skip(t)
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		r := finding.Check(span.Compile(Draw(t, 5)))
		before := map[string]bool{}
		for _, f := range r.List() {
			require.False(t, before[f.ID], "twice: %s\n%s", f.ID, notation.Print(r.Net.Office))
			before[f.ID] = true
		}
		talking := bothWays(r.Net.Office)
		for _, f := range r.List() {
			if f.Cause != "" {
				require.True(t, before[f.Cause], "%s has the cause %s, which is not there\n%s", f.ID, f.Cause, notation.Print(r.Net.Office))
			}
			for _, m := range r.Mends(f) {
				o, _, err := notation.Line(r.Net.Office, strings.Join(m, "\n"))
				require.NoError(t, err)
				still := bothWays(o)
				for who := range talking {
					require.True(t, still[who], "%q for %s takes %s\n%s", m, f.ID, who, notation.Print(r.Net.Office))
				}
				for _, g := range finding.Check(span.Compile(o)).List() {
					require.NotEqual(t, f.ID, g.ID, "%q for %s\n%s", m, f.Text, notation.Print(r.Net.Office))
					require.True(t, g.Severity != finding.Breaks || before[g.ID], "%q for %s brings %s\n%s", m, f.ID, g.ID, notation.Print(r.Net.Office))
				}
			}
		}
	})
}

// TestMendsInRings: who talks on a ring, of which parts pass one way only, talks after each
// mend that is offered.
func TestMendsInRings(t *testing.T) {
	tried := 0
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		b.WriteString("vlan 10 a local\nvlan 20 b local\n")
		n := rapid.IntRange(3, 5).Draw(t, "switches")
		ends := []string{"10", "10", "10", "[10]", "[10] pvid 10", "10 admit untagged", "10 [20]", "20 [10]", "-", "off"}
		for i := range n {
			fmt.Fprintf(&b, "device d%d switch\n  ports 1-6\n  1: %s\n  2: %s\n  3: %s\n  5: 10\n", i,
				rapid.SampledFrom(ends).Draw(t, "end"), rapid.SampledFrom(ends).Draw(t, "end"), rapid.SampledFrom(ends).Draw(t, "end"))
		}
		for i := range n {
			fmt.Fprintf(&b, "cable d%d.1 d%d.2\n", i, (i+1)%n)
			fmt.Fprintf(&b, "plug d%d.5 \"p%d\" wants 10\n", i, i)
		}
		if n > 3 {
			b.WriteString("cable d0.3 d2.3\n")
		}
		f, err := notation.Read("ring", b.String())
		require.NoError(t, err)
		r := finding.Check(span.Compile(f.Office))
		talking := bothWays(f.Office)
		for _, x := range r.List() {
			for _, m := range r.Mends(x) {
				o, _, err := notation.Line(f.Office, strings.Join(m, "\n"))
				require.NoError(t, err)
				still := bothWays(o)
				for who := range talking {
					tried++
					require.True(t, still[who], "%q for %s takes %s\n%s", m, x.ID, who, b.String())
				}
			}
		}
	})
	short.Met(t, tried)
}

// bothWays is the pairs of plugs of one VLAN of which each hears the other, by the frames
// themselves.
func bothWays(o *office.Office) map[string]bool {
	n := span.Compile(o)
	wire := func(p office.Plug) bridge.Wire {
		if p.Tagged {
			return bridge.Wire(p.Wants)
		}
		return bridge.Untagged
	}
	type from struct {
		port office.PortRef
		wire bridge.Wire
	}
	heard := map[from]map[from]bool{}
	for _, f := range walk.Flows(n) {
		x := map[from]bool{}
		for _, a := range f.Arrivals {
			x[from{a.Port, a.Wire}] = true
		}
		heard[from{f.From, f.Wire}] = x
	}
	out := map[string]bool{}
	for i, a := range o.Plugs {
		for _, b := range o.Plugs[:i] {
			x, y := from{a.Port, wire(a)}, from{b.Port, wire(b)}
			if a.Wants == b.Wants && a.Port != b.Port && heard[x][y] && heard[y][x] {
				out[a.Name+" and "+b.Name] = true
			}
		}
	}
	return out
}

// TestBring: a VLAN that was whole is whole after it was brought somewhere,
// wherever a way exists; and taking it away again gives the office back.
func TestBring(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := drawTidy(t)
		n := span.Compile(o)
		v := office.VID(rapid.SampledFrom([]int{10, 20}).Draw(t, "vlan"))
		d := rapid.SampledFrom(o.Devices).Draw(t, "to device")
		port := office.PortRef{Device: d.Name, Port: "9"}
		as := rapid.SampledFrom([]office.Membership{office.Untagged, office.Tagged}).Draw(t, "as")
		a, err := command.Bring(n, v, port, as)
		require.NoError(t, err)
		if n.VLAN(v).State == span.Whole && as == office.Untagged && len(a.Remarks) == 0 {
			require.Equal(t, span.Whole, a.Net.VLAN(v).State, "%s to %s\n%s\n%s", n.Name(v), port, notation.Print(o), notation.Print(a.Office))
		}
		back, err := command.Withdraw(a.Net, v, port)
		require.NoError(t, err)
		if n.VLAN(v).State == span.Whole {
			require.Equal(t, notation.Print(o), notation.Print(back.Office), "%s to %s and off again\n%s", n.Name(v), port, notation.Print(a.Office))
		}
	})
}

// drawTidy draws bridges that are cabled anyhow, rings and bundles among them,
// and carry what they need; port 9 of each is free, and nothing is translated.
func drawTidy(t *rapid.T) *office.Office {
	var b strings.Builder
	b.WriteString("vlan 10 a\nvlan 20 b\nvlan 190 m\n")
	n := rapid.IntRange(1, 8).Draw(t, "devices")
	bundled := make([]bool, n)
	for i := range n {
		fmt.Fprintf(&b, "device d%d switch\n  ports 1-9\n", i)
		if bundled[i] = rapid.Bool().Draw(t, "bundle"); bundled[i] {
			b.WriteString("  bundle up lacp 1-2\n")
		}
		if i == 0 || rapid.IntRange(0, 2).Draw(t, "has") == 0 {
			fmt.Fprintf(&b, "  8: %d\n", rapid.SampledFrom([]int{10, 20}).Draw(t, "in"))
		}
	}
	next := make([]int, n) // the next free port of each
	for i := range next {
		next[i] = 3
	}
	join := func(x, y int) {
		switch {
		case x == y || next[x] > 7 || next[y] > 7:
		case bundled[x] && bundled[y] && rapid.Bool().Draw(t, "as a bundle"):
			fmt.Fprintf(&b, "cable d%d.up d%d.up\n", x, y)
			bundled[x], bundled[y] = false, false
		default:
			fmt.Fprintf(&b, "cable d%d.%d d%d.%d\n", x, next[x], y, next[y])
			next[x]++
			next[y]++
		}
	}
	for i := 1; i < n; i++ {
		join(rapid.IntRange(0, i-1).Draw(t, "up"), i)
	}
	for range rapid.IntRange(0, 3).Draw(t, "rings") {
		join(rapid.IntRange(0, n-1).Draw(t, "ring from"), rapid.IntRange(0, n-1).Draw(t, "ring to"))
	}
	f, err := notation.Read("tidy", b.String())
	if err != nil {
		t.Fatal(err)
	}
	o := f.Office
	// every cable carries what it needs, in so many words
	net := span.Compile(o)
	draft := office.NewDraft(o)
	for i, l := range net.Topo.Links {
		s := office.Shape{Untagged: []office.VID{190}, Tagged: net.Needed(i).VIDs()}.Normal()
		for _, e := range l.Ends() {
			require.NoError(t, draft.Set(net.Ref(e), &s, ""))
		}
	}
	o, _ = draft.Done()
	return o
}

// TestMain makes more offices than the hundred that are usual, and the same at
// every run, so that a run's outcome says something about the code and not
// about luck. ./run prove makes others, and more of them: what that finds
// becomes a test beside the code.
func TestMain(m *testing.M) {
	flag.Parse()
	unless := func(name, value string) {
		if f := flag.Lookup(name); f.Value.String() == f.DefValue {
			_ = f.Value.Set(value)
		}
	}
	unless("rapid.checks", "400")
	if os.Getenv("KLAMMER_PROVE") == "" {
		unless("rapid.seed", "802")
	}
	os.Exit(m.Run())
}
