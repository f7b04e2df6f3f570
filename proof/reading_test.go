package proof

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/proof/short"
)

// drawText draws what people, and those who mean ill, write for a name or a reason.
func drawText(t *rapid.T, what string) string {
	if rapid.IntRange(0, 3).Draw(t, what+" odd") == 0 {
		return rapid.StringN(0, 12, 40).Draw(t, what)
	}
	return rapid.SampledFrom([]string{
		"a", "last", "off", "because", "use", "ports", "1-3", "a,b", "x y", `say "hi"`, `back\slash`, "#note", "up # down", "[20]", "-", "é ü", "日本", " lead", "trail ",
		"a;b", "a\nb", "a\tb", "d0.1", "--", "_x", "\"", "needed", "all", "vlan 3", "wants", "\u202ex", "9", "0x", "A.b", "",
	}).Draw(t, what)
}

// drawSaying draws a statement that sets one thing of any kind, with such texts.
func drawSaying(t *rapid.T, o *office.Office) string {
	d := rapid.SampledFrom(o.Devices).Draw(t, "device")
	p := notation.Name(rapid.SampledFrom(d.Ports).Draw(t, "port").Name)
	q := func(what string) string {
		s := drawText(t, what)
		if rapid.IntRange(0, 4).Draw(t, what+" bare") == 0 {
			return s
		}
		return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
	}
	v := rapid.SampledFrom(vids).Draw(t, "vid")
	shape := drawShape(t, true)
	switch rapid.IntRange(0, 18).Draw(t, "saying") {
	case 0:
		return "office " + q("title")
	case 1:
		return fmt.Sprintf("vlan %d v%d %s", v, v, q("note"))
	case 2:
		return fmt.Sprintf("vlan %d %s", v, q("vlan name"))
	case 3:
		return fmt.Sprintf("use %s %s", q("use"), drawShape(t, false))
	case 4:
		return fmt.Sprintf("plan %s\n  1, last: %s", q("plan"), shape)
	case 5:
		return fmt.Sprintf("device %s switch\n  ports 1-2, %s, %s as %s 10G\n  1: %s", q("new device"), q("new port"), q("other port"), q("inside"), shape)
	case 6:
		return fmt.Sprintf("%s inner %s %s: %s", d.Name, q("inner"), rapid.SampledFrom([]string{"vm", "ssid", "cpu"}).Draw(t, "flavour"), shape)
	case 7:
		return fmt.Sprintf("%s bundle %s static 3-4", d.Name, q("bundle"))
	case 8:
		return fmt.Sprintf("%s address %d 10.9.0.1/24 zone %s handout 10.9.0.5-10.9.0.9", d.Name, v, q("zone"))
	case 9:
		return fmt.Sprintf("plug %s.%s %s wants %d", d.Name, p, q("plug"), v)
	case 10:
		return fmt.Sprintf("rename device %s to %s", d.Name, q("renamed"))
	case 11:
		return fmt.Sprintf("%s limit vlans %d zones 3", d.Name, rapid.IntRange(0, 9).Draw(t, "limit"))
	case 12:
		return fmt.Sprintf(
			"%s wording %s",
			d.Name,
			rapid.SampledFrom([]string{"by-vlan pvid-apart", "by-port starts-all", "by-choice", "linux", "by-group leaves-last"}).Draw(t, "wording"),
		)
	case 14:
		return rapid.SampledFrom([]string{"-vlan 20", "-use desk", "-plan p", "rename plan p to " + q("plan renamed"), "rename use desk to " + q("use renamed"), "-" + d.Name + " follows"}).
			Draw(t, "away")
	case 15:
		return fmt.Sprintf("-%s %s %s", d.Name, rapid.SampledFrom([]string{"bundle", "inner", "ports"}).Draw(t, "what"), p)
	case 13:
		return fmt.Sprintf("%s ports %s 10G", d.Name, p)
	}
	return fmt.Sprintf("%s %s: %s because %s", d.Name, p, shape, q("reason"))
}

// TestWhatIsSetIsRead: whatever the line takes is printed so that it reads back
// as the same office, thing by thing.
func TestWhatIsSetIsRead(t *testing.T) {
	taken := 0
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 3)
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			text := drawSaying(t, o)
			is, _, err := notation.Line(o, text)
			if err != nil {
				require.NotEmpty(t, err.Error())
				continue
			}
			taken++
			o = is
			printed := notation.Print(o)
			back, err := notation.Read("printed", printed)
			require.NoError(t, err, "%s\n%s", text, printed)
			require.Equal(t, printed, notation.Print(back.Office), "%s", text)
			diff, err := history.Diff(o, back.Office)
			require.NoError(t, err)
			require.Empty(t, diff, "%s\n%s", text, printed)
			for _, d := range o.Devices { // what the history keeps is read one by one
				for _, x := range d.Ports {
					s := office.Setting{Port: office.PortRef{Device: d.Name, Port: x.Name}, Shape: x.Shape, Because: x.Because}
					if x.Shape == nil {
						continue
					}
					got, err := notation.ReadThing(o, notation.Thing(s))
					require.NoError(t, err, "%s", notation.Thing(s))
					require.Equal(t, notation.Thing(s), notation.Thing(got))
				}
			}
		}
	})
	short.Met(t, taken)
}
