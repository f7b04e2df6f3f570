package order_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/order"
)

// TestRun: the offices of a run are those that its lines lead to, whatever is asked first;
// the next step alone is ticked, the last alone taken back.
func TestRun(t *testing.T) {
	asIs := "vlan 10 a\nvlan 20 b\ndevice s switch\n  ports 1-4\n  1-4: 10\n"
	var steps []order.Taken
	for p := 1; p <= 4; p++ {
		steps = append(steps, order.Taken{Visit: (p - 1) / 2, Device: "s", Kind: order.Kinds[(p-1)%2*5], Lines: []string{fmt.Sprintf("s %d: 20", p)}})
	}
	for _, asked := range [][]int{{4, 0, 2, 9, -1}, {0, 1, 2, 3, 4}, {2, 4}} {
		r := order.NewRun(asIs, steps)
		for _, done := range asked {
			o, err := r.After(done)
			require.NoError(t, err)
			for p := range 4 {
				want := map[bool]string{true: "20", false: "10"}[p < done]
				require.Equal(t, want, notation.Shape(*o.Devices[0].Ports[p].Shape), "after %d", done)
			}
			again, err := r.After(done)
			require.NoError(t, err)
			require.Same(t, o, again)
		}
	}
	r := order.NewRun(asIs, steps)
	for done := range 5 {
		for step := -1; step < 6; step++ {
			for _, on := range []bool{true, false} {
				next, err := r.Tick(done, step, on)
				switch {
				case step < 0 || step > 3:
					require.ErrorContains(t, err, "the order has 4 steps")
				case on && step == done:
					require.NoError(t, err)
					require.Equal(t, done+1, next)
				case !on && step == done-1:
					require.NoError(t, err)
					require.Equal(t, done-1, next)
				default:
					require.ErrorIs(t, err, order.ErrMoved)
					require.Equal(t, done, next)
				}
			}
		}
	}
	require.True(t, r.VisitAt(2, 1))
	require.False(t, r.VisitAt(4, 1))
	require.True(t, r.Sets(0))
	require.False(t, r.Sets(1))
	_, err := order.NewRun(asIs, []order.Taken{{Lines: []string{"s 9: 20"}}}).After(1)
	require.ErrorContains(t, err, "a step of the order cannot be taken")
}
