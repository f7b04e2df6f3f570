package field_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/field"
	"klammer/field/standin"
	"klammer/mishap"
)

// TestEveryKind carries an order out on a device of each kind that there is, with each kind of
// port that it may have, of which each changes: the order is done, or a person has to do a
// step and it says so. A fault of the program is neither.
func TestEveryKind(t *testing.T) {
	const rest = `vlan 10 staff
vlan 20 guests
vlan 190 devices
device sw switch
  ports 1-8
  manage 190 10.0.0.2
  1: 190 [10 20]
  bundle pair lacp 2-3
  pair: 190 [10 20]
  8: 190
plug sw.8 "laptop" wants 190 operator
cable sw.1 x.1
`
	carried := 0
	for _, kind := range office.Kinds {
		for _, flavour := range append([]office.Flavour{""}, office.Flavours...) {
			for _, bundle := range []bool{false, true} {
				for _, wording := range append([]office.WordingName{""}, office.Wordings...) {
					of := func(vid, other int) string {
						var b strings.Builder
						fmt.Fprintf(&b, "%sdevice x %s\n  ports 1-6\n  manage 190 10.0.0.3\n", rest, kind)
						if wording != "" {
							fmt.Fprintf(&b, "  wording %s\n", wording)
						}
						fmt.Fprintf(&b, "  1: 190 [10 20]\n  4: %d\n  5: %d [%d]\n", vid, vid, other)
						if bundle {
							fmt.Fprintf(&b, "  bundle both lacp 2-3\n  both: 190 [%d]\n", vid)
						} else {
							fmt.Fprintf(&b, "  2: %d\n", other)
						}
						if flavour != "" {
							fmt.Fprintf(&b, "  inner within %s: %d\n", flavour, vid)
						}
						return b.String()
					}
					f, err := notation.Read("office", of(20, 10))
					if err != nil || bundle && wording != "" { // not a device that there may be; and enough of them
						continue
					}
					was := f.Office
					plan := readText(t, of(10, 20))
					o, err := order.Make(was, plan, order.Options{})
					var no *order.Impossible
					if errors.As(err, &no) {
						continue
					}
					require.NoError(t, err, of(10, 20))
					carryAll(t, of(10, 20), was, plan, o)
					carried++
				}
			}
		}
	}
	require.Greater(t, carried, 100)
	t.Logf("%d devices", carried)
}

// carryAll carries out what devices can do themselves, on stand-ins.
func carryAll(t *testing.T, text string, was, plan *office.Office, o *order.Order) {
	ctx, stop := context.WithCancel(t.Context())
	w, where, err := standin.Start(ctx, plan, was, 0, standin.Options{})
	require.NoError(t, err, text)
	defer w.Wait()
	defer stop()
	c := field.Carrier{Dialer: field.Dialer{At: map[string]string{}}}
	defer c.Close()
	for _, l := range where {
		c.Dialer.At[l.Device] = l.At
	}
	now := was
	for _, s := range o.Steps {
		err := c.Step(ctx, now, s.After, s.Device, s.Kind)
		var fault *mishap.Fault
		require.False(t, errors.As(err, &fault), "%s\n%s: %v", text, s.Text, fault)
		var hand *field.ByHand
		if errors.As(err, &hand) { // stand-ins do what a person does, too
			return
		}
		require.NoError(t, err, "%s\n%s", text, s.Text)

		now = s.After
	}
}
