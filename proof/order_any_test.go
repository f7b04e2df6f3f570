package proof

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/proof/short"
)

// TestOrderOfAny: from any office to any other there is an order whose lines lead there, or it is
// said what stands against it; never anything else, whatever the two are.
func TestOrderOfAny(t *testing.T) {
	made, not := 0, 0
	seated := func(t *rapid.T, o *office.Office) *office.Office {
		d := o.Devices[0]
		if len(d.Ports) == 0 {
			return o
		}
		next, _, err := notation.Line(o, "plug "+notation.Ref(office.PortRef{Device: d.Name, Port: d.Ports[0].Name})+` "laptop" wants 10 operator`)
		if err != nil {
			return o
		}
		return next
	}
	rapid.Check(t, func(t *rapid.T) {
		was, plan := seated(t, Draw(t, 3)), seated(t, Draw(t, 3))
		if rapid.Bool().Draw(t, "one part otherwise") { // else nothing is the same
			plan = was
			for range rapid.IntRange(1, 3).Draw(t, "how many") {
				other := Draw(t, 3)
				from := rapid.SampledFrom(other.Devices).Draw(t, "device")
				next := *plan
				next.Devices = nil
				for _, d := range plan.Devices {
					if d.Name == from.Name {
						d = from
					}
					next.Devices = append(next.Devices, d)
				}
				if f, err := notation.Read("drawn", notation.Print(&next)); err == nil {
					plan = f.Office
				}
			}
		}
		var fresh []string
		for _, d := range plan.Devices {
			if rapid.IntRange(0, 4).Draw(t, "new") == 0 {
				fresh = append(fresh, d.Name)
			}
		}
		o, err := order.Make(was, plan, order.Options{New: fresh, Most: 400})
		var no *order.Impossible
		switch {
		case errors.Is(err, order.ErrTooMuch):
			return
		case errors.As(err, &no):
			not++
			require.NotEmpty(t, no.Reasons)
			for _, reason := range no.Reasons {
				require.NotEmpty(t, reason.Text)
				require.NotContains(t, reason.Text, "cannot be written down", "%s\n====\n%s", notation.Print(was), notation.Print(plan))
			}
			return
		}
		require.NoError(t, err)
		made++
		now := was
		for i, st := range o.Steps {
			for _, line := range st.Lines {
				if now, _, err = notation.Line(now, line); err != nil {
					require.NoError(t, err, "step %d: %s\n%s", i, line, shownOrder(o))
				}
			}
		}
		if len(o.Left) == 0 && len(o.Paper) == 0 {
			require.Equal(t, things(plan), things(now), shownOrder(o))
		}
	})
	t.Logf("%d orders, %d times it is said what stands against one", made, not)
	short.Met(t, made, not)
}
