package finding_test

import (
	"cmp"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

func load(t testing.TB, file string) *office.Office {
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	f, err := notation.Read(file, string(text))
	require.NoError(t, err)
	return f.Office
}

// TestSituations: each office of testdata has just the findings that its first
// lines name, and each mend that is offered does what it says.
func TestSituations(t *testing.T) {
	files, err := filepath.Glob("testdata/*.klm")
	require.NoError(t, err)
	seen := map[finding.Code]bool{}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".klm"), func(t *testing.T) {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			want := []string{}
			for l := range strings.SplitSeq(string(text), "\n") {
				if f, ok := strings.CutPrefix(l, "# finds: "); ok {
					want = append(want, strings.TrimSpace(f))
				}
			}
			r := finding.Check(span.Compile(load(t, file)))
			got := []string{}
			ids := map[string]bool{}
			for _, f := range r.List() {
				seen[f.Code] = true
				s := string(f.Code)
				for _, p := range f.Ports {
					s += " " + p.String()
				}
				got = append(got, s)
				require.NotEmpty(t, f.Text)
				require.True(t, strings.HasSuffix(f.Text, "."), f.Text)
				require.False(t, ids[f.ID], "two findings are %s", f.ID)
				ids[f.ID] = true
			}
			slices.Sort(want)
			slices.Sort(got)
			require.Equal(t, want, got)
			for _, f := range r.List() {
				if f.Cause != "" {
					require.True(t, ids[f.Cause], "%s has the cause %s, which is not there", f.ID, f.Cause)
				}
				for _, m := range r.Mends(f) {
					mended(t, r, f, m)
				}
			}
		})
	}
	bySeen := []finding.Code{finding.CableDiffers, finding.PlugElsewhere, finding.PlugInOther, finding.PlugTest} // no office alone has them
	for _, c := range finding.Codes() {
		if slices.Contains(bySeen, c) {
			continue
		}
		require.True(t, seen[c], "no situation has %s", c)
	}
}

func mended(t *testing.T, r *finding.Report, f *finding.Finding, m []string) {
	o, _, err := notation.Line(r.Net.Office, strings.Join(m, "\n"))
	require.NoError(t, err)
	before := map[string]bool{}
	for _, g := range r.List() {
		before[g.ID] = true
	}
	for _, g := range finding.Check(span.Compile(o)).List() {
		require.NotEqual(t, f.ID, g.ID, "the mend %q leaves its finding", m)
		require.True(t, g.Severity != finding.Breaks || before[g.ID], "the mend %q breaks: %s", m, g.Text)
	}
}

// TestClinic: the faults that are planted in the demo office are found, each
// once, with a way out; and mending all of them leaves nothing that breaks.
func TestClinic(t *testing.T) {
	r := finding.Check(span.Compile(load(t, "../../demo/clinic.klm")))
	var roots []string
	for _, f := range r.List() {
		if f.Cause == "" {
			roots = append(roots, f.ID)
		}
	}
	require.Equal(t, []string{
		"not-carried rack.19 ward-east.8",
		"not-carried rack.18 yard.eth0",
		"untagged-mismatch front.8 rack.21",
		"pvid-not-member ward-west 1,130",
		"bundle-mode archive.bond rack.store",
		"way-back ward-west no-route",
		"never-fails never vlan 160 to 10.61.0.0/16",
		"carries-unneeded barn.up rack.herd",
		"left-in-default front 1,160",
		"exception-unexplained ward-west",
	}, roots)
	for range 20 {
		list := r.List()
		i := slices.IndexFunc(list, func(f *finding.Finding) bool { return len(r.Mends(f)) > 0 })
		if i < 0 {
			break
		}
		o, _, err := notation.Line(r.Net.Office, strings.Join(r.Mends(list[i])[0], "\n"))
		require.NoError(t, err)
		r = r.Update(r.Net.Update(o))
	}
	for _, f := range r.List() {
		require.NotEqual(t, finding.Breaks, f.Severity, f.Text)
	}
}

// TestOrder: the list is sorted by what breaks, risks, tidies.
func TestOrder(t *testing.T) {
	list := finding.Check(span.Compile(load(t, "../../demo/clinic.klm"))).List()
	require.True(t, slices.IsSortedFunc(list, func(a, b *finding.Finding) int { return cmp.Compare(a.Severity, b.Severity) }))
}
