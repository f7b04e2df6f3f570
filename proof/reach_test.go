package proof

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/explain"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/proof/short"
)

// TestReach: the tree of a VLAN names every port that it ends at, once; what is
// said to be cut off is what the first span has not; and a device hangs by a
// cable of its own.
func TestReach(t *testing.T) {
	cut, broken := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 6)
		n := span.Compile(o)
		for v := range n.Used().All() {
			x := n.VLAN(v)
			if x == nil || len(x.Spans) == 0 {
				require.Empty(t, explain.Reach(n, v))
				continue
			}
			ends := map[office.PortRef]bool{} // true where it is cut off
			var visit func(bs []*explain.Branch, above string)
			visit = func(bs []*explain.Branch, above string) {
				for _, b := range bs {
					for _, e := range b.Ends {
						_, twice := ends[e]
						require.False(t, twice, "%d: %s twice\n%s", v, e, notation.Print(o))
						require.Equal(t, b.Device, e.Device)
						ends[e] = b.Cut
					}
					if b.Broken {
						broken++
					}
					if above != "" {
						require.True(t, slices.ContainsFunc(o.Cables, func(c office.Cable) bool {
							return cabled(o, c, b.Device, b.Port, above, b.Via)
						}), "%d: %s %s hangs by %s %s\n%s", v, b.Device, b.Port, above, b.Via, notation.Print(o))
					}
					visit(b.Branches, b.Device)
				}
			}
			visit(explain.Reach(n, v), "")
			for i, s := range x.Spans {
				for _, e := range n.Terminals(s, v) {
					if off, in := ends[e]; in && off {
						cut++
						require.NotZero(t, i, "%d: %s is in the first span\n%s", v, e, notation.Print(o))
					} else {
						require.True(t, in, "%d: %s is missing\n%s", v, e, notation.Print(o))
						require.Zero(t, i, "%d: %s is not in the first span\n%s", v, e, notation.Print(o))
					}
				}
			}
		}
	})
	short.Met(t, cut, broken)
}

// cabled says whether a cable joins two ports, by itself or as one of a bundle.
func cabled(o *office.Office, c office.Cable, d, p, e, q string) bool {
	is := func(r office.PortRef, d, p string) bool {
		if r.Device != d {
			return false
		}
		x := o.Device(d)
		return x.Ports[x.Logical(x.Port(r.Port))].Name == p
	}
	return is(c.A, d, p) && is(c.B, e, q) || is(c.B, d, p) && is(c.A, e, q)
}
