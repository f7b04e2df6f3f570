package proof

import (
	"context"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/field"
	"klammer/field/standin"
)

// drawnPlan is a device, what it is set to and what it should be.
type drawnPlan struct {
	d         *wording.Device
	was, plan wording.State
}

// numbered says whether a state can be said where a PVID is a number (RFC 4363): a port
// takes no untagged frame where it accepts tagged ones alone, or filters.
func numbered(d *wording.Device, s wording.State) bool {
	for p := range s.Ports {
		x := &s.Ports[p]
		in := x.Members()
		keeps := slices.Contains(d.Wording.Habits, office.KeepsPVIDVLAN)
		if d.Ports[p].Bundle == 0 && x.PVID == 0 && (x.Admit == office.AdmitUntagged && (!x.Filter || keeps) || keeps && in.Empty() && !x.Off) {
			return false
		}
	}
	return true
}

// TestSetIsRead: whatever a wording can say, put on a stand-in, is read back; the
// steps to another state are each taken and read back; a power cut before saving
// gives the old state, and after it the new one.
func TestSetIsRead(t *testing.T) {
	for _, words := range wordings {
		t.Run(words, func(t *testing.T) {
			t.Parallel()
			steps := 0
			draws := rapid.Custom(func(t *rapid.T) drawnPlan {
				d := drawWorded(t, words)
				_, plan := drawState(t, d, "planned")
				_, was := drawState(t, d, "found")
				for p := range plan.Ports { // nothing here tells of translation
					plan.Ports[p].Rides, was.Ports[p].Rides = nil, nil
				}
				return drawnPlan{d, was, plan}
			})
			for seed := range number("KLAMMER_SETS", 6) {
				x := draws.Example(seed)
				d, was, plan := x.d, x.was, x.plan
				if len(wording.Cannot(d, plan))+len(wording.Cannot(d, was)) > 0 {
					continue // it cannot be said without translation
				}
				if !numbered(d, was) || !numbered(d, plan) {
					continue
				}
				o := office.Office{Devices: []*office.Device{d.Device}}
				set, err := found.As(span.Compile(&o), map[int]wording.State{0: was})
				require.NoError(t, err)
				d = wording.For(span.Compile(set), 0)
				ctx, stop := context.WithTimeout(t.Context(), 2*time.Minute)
				defer stop()
				net, at, err := standin.Start(ctx, set, nil, 0, standin.Options{})
				require.NoError(t, err)
				dial := field.Dialer{At: map[string]string{d.Name: at[0].At}}
				dev, r, err := dial.Talk(ctx, set, d.Device)
				require.NoError(t, err)
				read := func(base wording.State) wording.State {
					r, err = dev.Read(ctx)
					require.NoError(t, err)
					require.Empty(t, r.NotTold)
					f := r.Found(set, d.Device, field.MatchPorts(d.Device, r), base)
					require.Empty(t, f.Trouble)
					return f.State
				}
				now := read(was)
				require.True(t, now.Equal(was), "%v", now)
				carry := func(base wording.State) {
					now := read(base)
					all, err := wording.Steps(d, now, plan)
					require.NoError(t, err)
					for _, st := range all {
						if st.Op == wording.Save {
							continue
						}
						next, err := wording.Apply(d, now, st)
						require.NoError(t, err)
						m := field.MatchPorts(d.Device, r)
						require.False(t, slices.Contains(m, -1))
						require.NoError(t, dev.Set(ctx, d.Device, m, now, next), st.Text)
						is := read(next)
						require.True(t, is.Equal(next), "%s: %v, not %v", st.Text, is, next)
						now = is
						steps++
					}
				}
				carry(was)
				require.NoError(t, net.PowerCut(d.Name))
				require.True(t, read(was).Equal(was), "nothing was saved")
				carry(was)
				require.NoError(t, dev.Save(ctx))
				require.NoError(t, net.PowerCut(d.Name))
				require.True(t, read(plan).Equal(plan), "it was saved")
				dev.Close() // whoever stands at its address next is another
				stop()
				net.Wait()
			}
			require.Positive(t, steps)
			t.Logf("%d steps", steps)
		})
	}
}
