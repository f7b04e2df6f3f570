package proof

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// wordings are each wording with each set of habits that makes a difference.
var wordings = []string{
	"by-vlan", "by-vlan pvid-follows", "by-vlan starts-tagged", "by-vlan leaves-last", "by-vlan keeps-pvid-vlan",
	"by-vlan pvid-follows starts-tagged leaves-last", "by-vlan leaves-last keeps-pvid-vlan", "by-vlan starts-tagged leaves-last keeps-pvid-vlan",
	"by-vlan pvid-follows keeps-pvid-vlan", "by-port", "by-port native-outside", "by-port starts-all", "by-port modes access,trunk", "by-choice", "by-group", "by-sub-interface", "by-inner-port", "linux", "plain",
}

// drawWorded is a device of a wording.
func drawWorded(t *rapid.T, words string) *wording.Device {
	n := rapid.IntRange(1, 6).Draw(t, "ports")
	text := fmt.Sprintf("vlan 10 staff\nvlan 20 till\ndevice d switch\n  ports 1-%d, eth0\n", n)
	if words != "plain" {
		text += "  wording " + words + "\n"
	}
	if strings.HasPrefix(words, "by-group") {
		text += "  forwarding grouped\n"
	}
	if n > 3 {
		text += "  bundle up lacp 2-3\n"
	}
	if strings.HasPrefix(words, "by-inner") {
		text += "  inner \"a room\" ssid: -\n  inner vm vm: -\n"
	}
	f, err := notation.Read("d", text)
	if err != nil {
		t.Fatal(err)
	}
	d := wording.For(span.Compile(f.Office), 0)
	require.NotNil(t, d)
	return d
}

// drawState is a state of a device, and the one nearest to it that its wording
// can say.
func drawState(t *rapid.T, d *wording.Device, what string) (drawn, said wording.State) {
	s := wording.Factory(d)
	vids := []int{1, 10, 20, 30, 40}
	for p := range d.Ports {
		if d.Ports[p].Bundle > 0 {
			continue
		}
		x := wording.Setting{Filter: true}
		switch rapid.IntRange(0, 9).Draw(t, what) {
		case 0:
			x.Off = true
		case 1: // as it is
			x = s.Ports[p]
		case 2, 3, 4:
			v := office.VID(rapid.SampledFrom(vids).Draw(t, "access"))
			x.Untagged.Add(v)
			x.PVID = v
		default:
			for _, v := range vids {
				switch rapid.IntRange(0, 4).Draw(t, "how") {
				case 0:
					x.Untagged.Add(office.VID(v))
				case 1, 2:
					x.Tagged.Add(office.VID(v))
				}
			}
			x.PVID = office.VID(rapid.SampledFrom(append([]int{0, 50}, vids...)).Draw(t, "pvid"))
			x.Admit = office.Admit(rapid.SampledFrom([]int{0, 0, 0, 1, 2}).Draw(t, "admit"))
			x.Filter = rapid.IntRange(0, 4).Draw(t, "filter") > 0
			if v := x.Tagged.VIDs(); len(v) > 0 && rapid.IntRange(0, 3).Draw(t, "ride") == 0 {
				x.Rides = []office.Ride{{VLAN: v[0], Wire: 222}}
			}
		}
		s.Ports[p] = x
	}
	said = again(s)
	for range 6 * (len(d.Ports) + 1) {
		all := wording.Cannot(d, said)
		if len(all) == 0 {
			return s, said
		}
		said.Ports[all[0].Port] = all[0].Nearest
		said = again(said)
	}
	t.Fatalf("what comes nearest cannot be said either: %v", wording.Cannot(d, said))
	return
}

// again is a state with the VLANs that its ports have, and the default.
func again(s wording.State) wording.State {
	out := wording.State{Ports: append([]wording.Setting{}, s.Ports...)}
	out.VLANs.Add(office.DefaultVID)
	for _, p := range out.Ports {
		m := p.Members()
		out.VLANs.AddAll(&m)
		if p.PVID != 0 {
			out.VLANs.Add(p.PVID)
		}
	}
	return out
}

// TestWordings: what is written is read back the same, and the steps, done one
// by one on the device, end in the plan: from the factory and from whatever was
// found there. None is refused.
func TestWordings(t *testing.T) {
	for _, words := range wordings {
		t.Run(words, func(t *testing.T) {
			t.Parallel()
			states, exact, carried, steps := 0, 0, 0, 0
			rapid.Check(t, func(t *rapid.T) {
				d := drawWorded(t, words)
				drawn, plan := drawState(t, d, "planned")
				_, found := drawState(t, d, "found")
				states++
				if drawn.Equal(plan) {
					exact++
				}
				for _, s := range []wording.State{plan, found} {
					tables := wording.Write(d, s)
					back, err := wording.Read(d, tables)
					require.NoError(t, err, "%v", tables)
					require.True(t, s.Equal(back), "%v", tables)
				}
				for _, from := range []wording.State{wording.Factory(d), found, plan} {
					list, err := wording.Steps(d, from, plan)
					require.NoError(t, err, "from %v\nto   %v\n%v", wording.Write(d, from), wording.Write(d, plan), texts(list))
					now := from
					for _, st := range list {
						now, err = wording.Apply(d, now, st)
						require.NoError(t, err, st.Text)
					}
					require.True(t, now.Equal(plan), "%v", texts(list))
					steps += len(list)
					carried++
				}
				none, _ := wording.Steps(d, plan, plan)
				require.Empty(t, none, "where all is as it should be, there is nothing to do: %v", texts(none))
			})
			t.Logf("%d states, %d of them said as drawn; %d carried to the plan by %d steps, none refused", states, exact, carried, steps)
		})
	}
}

func texts(list []wording.Step) string {
	var out []string
	for _, s := range list {
		out = append(out, s.Text)
	}
	return strings.Join(out, "\n")
}

// TestOwnSheet: whatever a device's sheet says, printed in columns or copied from its page,
// pasted it is what the device is set to; and a sheet in columns whose empty cells were lost
// is refused, not guessed at.
func TestOwnSheet(t *testing.T) {
	aligned := func(tables []wording.Table) string {
		var b strings.Builder
		for _, x := range tables {
			width := make([]int, len(x.Head))
			for _, r := range append([][]string{x.Head}, x.Rows...) {
				for k, c := range r {
					width[k] = max(width[k], len([]rune(c)))
				}
			}
			b.WriteString(x.Title + "\n")
			for _, r := range append([][]string{x.Head}, x.Rows...) {
				line := " "
				for k, c := range r {
					line += " " + c + strings.Repeat(" ", width[k]-len([]rune(c))+1)
				}
				b.WriteString(strings.TrimRight(line, " ") + "\n")
			}
			b.WriteString("\n")
		}
		return b.String()
	}
	copied := func(tables []wording.Table) string {
		var b strings.Builder
		for _, x := range tables {
			b.WriteString(x.Title + "\n")
			for _, r := range append([][]string{x.Head}, x.Rows...) {
				b.WriteString(strings.Join(r, "\t") + "\n")
			}
		}
		return b.String()
	}
	for _, words := range wordings {
		t.Run(words, func(t *testing.T) {
			t.Parallel()
			rapid.Check(t, func(t *rapid.T) {
				d := drawWorded(t, words)
				_, is := drawState(t, d, "found")
				n := span.Compile(&office.Office{Devices: []*office.Device{d.Device}})
				w := wording.For(n, 0)
				tables := append(wording.Write(w, is), wording.Fixed(w)...)
				for _, text := range []string{aligned(tables), copied(tables)} {
					back, err := found.OfDevice(n, 0, wording.Factory(w), text)
					require.NoError(t, err, text)
					require.Empty(t, back.Trouble, text)
					for p := range is.Ports {
						require.True(t, is.Ports[p].Alike(&back.State.Ports[p]), "port %d is %v and not %v\n%s", p, back.State.Ports[p], is.Ports[p], text)
					}
				}
			})
		})
	}
}
