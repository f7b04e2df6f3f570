package proof

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// shuffled is the same office with its devices written in another order.
func shuffled(t *rapid.T, o *office.Office) *office.Office {
	parts := strings.Split(notation.Print(o), "\n\n")
	var at []int
	for i, part := range parts {
		if strings.HasPrefix(part, "device ") {
			at = append(at, i)
		}
	}
	out := slices.Clone(parts)
	for k, i := range rapid.Permutation(at).Draw(t, "order") {
		out[at[k]] = parts[i]
	}
	f, err := notation.Read("shuffled", strings.Join(out, "\n\n"))
	if err != nil {
		t.Fatalf("%s\n%s", err, strings.Join(out, "\n\n"))
	}
	return f.Office
}

// TestBringWhateverTheOrder: what bring sets does not depend on which device stands first in a
// file, with a gateway and without.
func TestBringWhateverTheOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 5)
		other := shuffled(t, o)
		require.Equal(t, things(o), things(other))
		one, two := span.Compile(o), span.Compile(other)
		d := rapid.SampledFrom(o.Devices).Draw(t, "device")
		if len(d.Ports) == 0 {
			return
		}
		ref := office.PortRef{Device: d.Name, Port: d.Ports[rapid.IntRange(0, len(d.Ports)-1).Draw(t, "port")].Name}
		vid := rapid.SampledFrom([]office.VID{10, 20, 30, 40, 50}).Draw(t, "vid")
		as := rapid.SampledFrom([]office.Membership{office.Tagged, office.Untagged}).Draw(t, "as")
		if v := one.VLAN(vid); v == nil || slices.ContainsFunc(v.Spans, func(s *span.Span) bool { return s.OneWay }) {
			return // who hears and does not answer has no part that is the VLAN's
		}
		a, errA := command.Bring(one, vid, ref, as)
		b, errB := command.Bring(two, vid, ref, as)
		require.Equal(t, errA == nil, errB == nil)
		if errA == nil {
			require.Equal(t, things(a.Office), things(b.Office), "bring %d %s %v\n%s", vid, ref, as, notation.Print(o))
		}
	})
}

// TestFoundWhateverTheOrder: what is found, and of what, does not depend on which device stands
// first in a file; only which of several is named in a sentence may.
func TestFoundWhateverTheOrder(t *testing.T) {
	found := func(o *office.Office) (all []string) {
		for _, f := range finding.Check(span.Compile(o)).List() {
			all = append(all, fmt.Sprint(f.Code, f.Severity, f.VLANs))
		}
		slices.Sort(all)
		return slices.Compact(all) // of several gateways the first is taken, and the others are told
	}
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 5)
		net := span.Compile(o)
		for vid := range net.Used().All() {
			if v := net.VLAN(vid); v != nil && slices.ContainsFunc(v.Spans, func(s *span.Span) bool { return s.OneWay }) {
				return // of what hears and does not answer, which cable is to blame is told by the first
			}
		}
		require.Equal(t, found(o), found(shuffled(t, o)), notation.Print(o))
	})
}
