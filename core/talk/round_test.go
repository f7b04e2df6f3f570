package talk_test

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/proof/short"
)

// TestRoundAcross: where a rule or a route that is missing changes what a laptop reaches
// of other VLANs, packet by packet, a round shows it; and what it shows, a laptop that is
// played there sees, and nowhere else.
func TestRoundAcross(t *testing.T) {
	shown, unshown := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		text, p := drawTalk(t)
		desks := ""
		for k, v := range []int{10, 20, 30, 40} {
			desks += fmt.Sprintf("  %d: %d\n", 7+k, v)
		}
		text = strings.Replace(text, "  1-6: [10 20 30 40]\n", "  1-6: [10 20 30 40]\n"+desks, 1)
		f, err := notation.Read("drawn", text)
		require.NoError(t, err)
		o := f.Office
		r := round.Make(o)
		var laptops []spot
		for k, v := range []office.VID{10, 20, 30, 40} {
			at, err := r.At(office.PortRef{Device: "floor", Port: fmt.Sprint(7 + k)})
			require.NoError(t, err)
			if slices.ContainsFunc(at[0].Reach, func(x round.Reach) bool { return x.Service == "ping" && x.OK }) { // the gateway
				laptops = append(laptops, spot{vid: v})
			}
		}
		differs := func(made *office.Office) bool {
			is := &plain{o: made, far: p.far, cut: p.cut}
			was := &plain{o: o, far: p.far, cut: p.cut}
			for _, l := range laptops {
				src := netip.AddrFrom4([4]byte{10, 0, byte(l.vid), 5})
				for _, k := range []packet{{proto: office.Ping}, {proto: office.TCP, port: 80}, {proto: office.TCP, port: 22}, {proto: office.TCP, port: 2000}, {proto: office.UDP, port: 53}, {proto: office.UDP, port: 5000}} {
					k.src = src
					try := func(a netip.Addr, at spot) bool {
						k.dst = a
						return at.vid != l.vid && a.Is4() && was.talks(k, l, at) != is.talks(k, l, at)
					}
					if try(netip.MustParseAddr("192.0.2.9"), spot{}) {
						return true
					}
					for _, d := range o.Devices {
						for _, a := range d.Addresses {
							if try(a.Prefix.Addr(), p.stand(d, a.VID)) {
								return true
							}
						}
					}
				}
			}
			return false
		}
		for i := range r.Mistakes {
			m := &r.Mistakes[i]
			if !m.Rules {
				continue
			}
			hidden := slices.Contains(r.Unshown, i)
			if differs(m.Made()) {
				shown++
				require.False(t, hidden, "%s\n%s", m.Text, text)
			} else if hidden {
				unshown++
			}
			for _, x := range r.Play(m.Made(), r.Tests) {
				require.Equal(t, slices.Contains(x.Test.Shows, i), !x.Passed, "%s at %s: %v\n%s", m.Text, x.Test.Port, x.Wrong, text)
			}
		}
	})
	t.Logf("%d change what a laptop reaches, %d do not", shown, unshown)
	short.Met(t, shown) // 30 to 60 of about 700
}
