package walk_test

import (
	"encoding/json"
	"fmt"
	"os"
	"sort"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
)

// TestMeasuredFrames sends the frames that a real kernel bridge forwarded (see
// testdata/README.md): each must come out as it was measured.
func TestMeasuredFrames(t *testing.T) {
	text, err := os.ReadFile("testdata/measured.json")
	require.NoError(t, err)
	type port struct {
		Name     string
		PVID     *office.VID
		Untagged []office.VID
		Tagged   []office.VID
	}
	type arrival struct {
		Port string
		Tag  *int
	}
	var file struct {
		Cases []struct {
			ID      int
			Bridges []struct {
				Name  string
				Ports []port
			}
			Links  [][2]string
			Frames []struct {
				In  string
				Tag *int
				Out []arrival
			}
		}
	}
	require.NoError(t, json.Unmarshal(text, &file))
	frames := 0
	for _, c := range file.Cases {
		draft := office.NewDraft(&office.Office{})
		for _, b := range c.Bridges {
			d, err := office.NewDevice(b.Name, "switch")
			require.NoError(t, err)
			for i, p := range b.Ports {
				require.NoError(t, d.AddPort(p.Name, "", 0))
				s := office.Shape{Untagged: p.Untagged, Tagged: p.Tagged, PVIDSet: true}
				if p.PVID != nil {
					s.PVID = *p.PVID
				}
				s = s.Normal()
				require.NoError(t, d.SetShape(i, &s, ""))
			}
			require.NoError(t, draft.PutDevice(d))
		}
		for _, l := range c.Links {
			require.NoError(t, draft.Connect(office.Cable{A: ref(l[0]), B: ref(l[1])}))
		}
		o, _ := draft.Done()
		n := span.Compile(o)
		for _, f := range c.Frames {
			w := bridge.Untagged
			if f.Tag != nil {
				w = bridge.Wire(*f.Tag)
			}
			way, err := walk.Broadcast(n, ref(f.In), w)
			require.NoError(t, err)
			want := []string{}
			for _, a := range f.Out {
				x := bridge.Untagged
				if a.Tag != nil {
					x = bridge.Wire(*a.Tag)
				}
				want = append(want, fmt.Sprint(a.Port, " ", x))
			}
			got := []string{}
			for _, a := range way.Arrivals {
				got = append(got, fmt.Sprint(a.Port, " ", a.Wire))
			}
			sort.Strings(want)
			sort.Strings(got)
			require.Equal(t, want, got, "case %d: %s %s", c.ID, f.In, w)
			frames++
		}
	}
	require.Greater(t, frames, 5000)
}

func ref(s string) office.PortRef {
	for i := range s {
		if s[i] == '.' {
			return office.PortRef{Device: s[:i], Port: s[i+1:]}
		}
	}
	return office.PortRef{Device: s}
}
