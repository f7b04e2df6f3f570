package office_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
)

func TestWith(t *testing.T) {
	for _, row := range []struct {
		says, shape string
		vid         office.VID
		as          office.Membership
		want        string
	}{
		{"a tag beside the untagged VLAN", "190", 130, office.Tagged, "190 [130]"},
		{"untagged takes the place of the one before, and the PVID with it", "110 pvid 1", 120, office.Untagged, "120"},
		{"what was tagged becomes untagged", "190 [120 130]", 130, office.Untagged, "130 [120]"},
		{"tagging the untagged VLAN leaves untagged frames without one", "190 [130]", 190, office.Tagged, "[130 190]"},
		{"the PVID leaves with its VLAN", "110", 110, office.NotMember, "-"},
		{"a PVID elsewhere stays", "110 [120] pvid 130", 120, office.NotMember, "110 pvid 130"},
		{"one of two untagged VLANs goes, the PVID stays", "1+160 pvid 160", 1, office.NotMember, "160"},
		{"the one with the PVID goes", "1+160 pvid 160", 160, office.NotMember, "1"},
		{"acceptable frames and filtering stay", "110 admit tagged filter off", 120, office.Tagged, "110 [120] admit tagged filter off"},
		{"a VLAN that rides another VID leaves with it", "[22@222 30]", 22, office.NotMember, "[30]"},
		{"needed stays beside a tag of its own", "190 [needed]", 130, office.Tagged, "190 [130 needed]"},
	} {
		t.Run(row.says, func(t *testing.T) {
			require.Equal(t, row.want, notation.Shape(shape(t, row.shape).With(row.vid, row.as)))
		})
	}
}

// shape reads a shape.
func shape(t require.TestingT, text string) office.Shape {
	f, err := notation.Read("test", "device a switch\n  ports 1\n  1: "+text+"\n")
	require.NoError(t, err)
	return *f.Office.Devices[0].Ports[0].Shape
}

func TestNaturalOrder(t *testing.T) {
	names := []string{"lan10", "2", "lan2", "10", "b.p10", "eth0", "b.p9", "1"}
	slices.SortFunc(names, office.NaturalCompare)
	require.Equal(t, []string{"1", "2", "10", "b.p9", "b.p10", "eth0", "lan2", "lan10"}, names)
}

func TestNearest(t *testing.T) {
	names := []string{"reception", "surgery", "imaging"}
	require.Equal(t, "surgery", office.Nearest("surgrey", names))
	require.Equal(t, "imaging", office.Nearest("imagin", names))
	require.Empty(t, office.Nearest("payments", names))
}

// TestInverse: whatever is done to an office, its inverse gives the office
// back, order and all.
func TestInverse(t *testing.T) {
	before := `office "x"
vlan 110 reception
vlan 120 surgery
use desk 110 [120]
plan eight
  1-4: use desk
  last: 120
device a switch follows eight
  ports 1-8
  6: 120 because "why not"
device b host
  ports 1-4
  bundle up lacp 1-2
  up: 110
  inner vm vm: 120
device c switch
  ports 1-8
cable a.8 c.8
cable b.1 c.1
plug a.1 "pc" wants 110
plug a.2 "phone" wants 120 tagged
`
	f, err := notation.Read("before", before)
	require.NoError(t, err)
	moves := []string{
		"a 1-3: 120", "-a 6", "a 6: -", "-cable a.8 c.8", "cable a.7 c.7", "-plug a.1", `plug a.2 "phone" wants 110`, "-device b", "-device a",
		"vlan 110 front", "-vlan 120", "vlan 130 imaging", "use desk 120", "use other 110", "plan nine\n  1: 120", "plan eight\n  1: 110",
		"a bundle z static 4-5", "-b inner vm", "b up: 120", "c manage 110 10.0.0.1", "device d wap\n  ports 1\n  1: use desk", `office "y"`, "-a follows",
		"c address 110 10.0.0.1/24", "c ports 9-10 10G", "-c ports 5",
	}
	rapid.Check(t, func(t *rapid.T) {
		o := f.Office
		var all office.Edit
		for range rapid.IntRange(1, 8).Draw(t, "moves") {
			n, e, err := notation.Line(o, rapid.SampledFrom(moves).Draw(t, "move"))
			if err != nil {
				continue // it means nothing any more: a device is gone
			}
			again, err := office.Apply(o, e)
			require.NoError(t, err)
			require.Equal(t, notation.Print(n), notation.Print(again), "an edit leads where it was made to lead")
			o, all = n, append(all, e...)
		}
		back, err := office.Apply(o, all.Inverse())
		require.NoError(t, err)
		require.Equal(t, notation.Print(f.Office), notation.Print(back))
		// and each change can be told and read back
		for _, c := range all {
			for _, thing := range []office.Thing{c.Before, c.After} {
				if thing == nil {
					continue
				}
				if s, ok := thing.(office.Setting); ok && o.Device(s.Port.Device) == nil {
					continue
				}
				text := notation.Thing(thing)
				if read, err := notation.ReadThing(o, text); err == nil { // what it names may be gone by now
					require.Equal(t, text, notation.Thing(read))
				}
			}
		}
	})
}

func TestClashes(t *testing.T) {
	require.True(t, office.Key("port:rack.1").Clashes("port:rack.1"))
	require.False(t, office.Key("port:rack.1").Clashes("port:rack.11"))
	require.True(t, office.Key("device:rack").Clashes("port:rack.1"))
	require.False(t, office.Key("device:rack").Clashes("port:racks.1"))
	require.False(t, office.Key("plug:rack.1 pc").Clashes("port:rack.1"))
}

// TestShapesStaySayable: whatever is done to a shape that means something, it
// can be printed and reads back as the same, or is refused as a clash.
func TestShapesStaySayable(t *testing.T) {
	vid := rapid.SampledFrom([]office.VID{1, 20, 22, 222})
	rapid.Check(t, func(t *rapid.T) {
		s := shape(
			t,
			rapid.SampledFrom([]string{"-", "20", "20 [22]", "[22@222]", "1 [22@222 20@1]", "1+20 pvid none", "1+20+22 pvid 20", "20 pvid 1", "[20 needed]", "off"}).
				Draw(t, "shape"),
		)
		for range rapid.IntRange(1, 5).Draw(t, "changes") {
			v := vid.Draw(t, "vlan")
			switch rapid.IntRange(0, 2).Draw(t, "change") {
			case 0:
				s = s.With(v, office.Membership(rapid.IntRange(0, 2).Draw(t, "as")))
			case 1:
				s = s.WithPVID(v)
			case 2:
				gone := office.SetOf(v, vid.Draw(t, "and"))
				s = s.Without(&gone)
			}
		}
		if s.Clash() != nil {
			return
		}
		require.True(t, s.Equal(shape(t, notation.Shape(s))), "%s is read as %s", notation.Shape(s), notation.Shape(shape(t, notation.Shape(s))))
	})
}

// TestTextsAtTheLimit: names and notes of just the length that is let in, and of
// one letter more.
func TestTextsAtTheLimit(t *testing.T) {
	require.NoError(t, office.CheckVLANName(strings.Repeat("a", 32)))
	require.Error(t, office.CheckVLANName(strings.Repeat("a", 33)))
	require.NoError(t, office.CheckText("the note", strings.Repeat("ü", office.MostText), office.MostText, false))
	require.Error(t, office.CheckText("the note", strings.Repeat("ü", office.MostText+1), office.MostText, false))
	require.NoError(t, office.CheckText("the note", "", 5, true))
	require.Error(t, office.CheckText("the note", "", 5, false))
	for _, s := range []string{"a\x00", "a\nb", "a\u202eb", "a\u200bb", "a\ufeff"} {
		require.Error(t, office.CheckText("the note", s, 50, true), "%q", s)
	}
	for _, name := range []string{"", "1a", "-a", "A", "a b", "ä"} {
		require.Error(t, office.CheckVLANName(name), name)
	}
	for _, vid := range []int{1, 4094} {
		_, err := office.VIDOf(vid)
		require.NoError(t, err)
	}
	for _, vid := range []int{-1, 0, 4095, 4096} {
		_, err := office.VIDOf(vid)
		require.Error(t, err, vid)
	}
}
