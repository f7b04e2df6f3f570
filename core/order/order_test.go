package order

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

const register = "vlan 1 default local\nvlan 10 staff\nvlan 20 guests\nvlan 30 staff-new\nvlan 190 devices\n"

// office writes an office: switches a, b, c … of some wordings in a row, cabled 8 to
// 7, with what body says of each; then what else there is.
func rowOf(words []string, body func(i int) string, rest string) string {
	var b strings.Builder
	b.WriteString(register)
	for i, w := range words {
		fmt.Fprintf(&b, "device %c switch\n  ports 1-8\n", 'a'+i)
		if w != "" {
			fmt.Fprintf(&b, "  wording %s\n", w)
		}
		b.WriteString(body(i))
	}
	for i := range words[1:] {
		fmt.Fprintf(&b, "cable %c.8 %c.7\n", 'a'+i, 'b'+i)
	}
	return b.String() + rest
}

func times(n int, w string) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = w
	}
	return out
}

// TestKnownWays: changes that lock people out in practice, and what they cost.
func TestKnownWays(t *testing.T) {
	moves := func(words []string) func(vid int) string { // management and the untagged VLAN of every trunk
		return func(vid int) string {
			return rowOf(words, func(i int) string {
				return fmt.Sprintf("  manage %d 10.0.%d.%d\n  1: %d\n  2-3: 10\n  7-8: %d [10]\n", vid, vid, i+2, vid, vid)
			}, fmt.Sprintf("plug a.1 \"laptop\" wants %d operator\n", vid))
		}
	}
	native := func(words []string) func(untagged int) string { // management stays, the trunks' untagged VLAN goes
		return func(untagged int) string {
			return rowOf(words, func(i int) string {
				return fmt.Sprintf("  manage 190 10.0.190.%d\n  1: 190\n  2-3: 10\n  7-8: %d [%d]\n", i+2, untagged, 200-untagged)
			}, "plug a.1 \"laptop\" wants 190 operator\n")
		}
	}
	trade := func(words []string) func(one int) string {
		return func(one int) string {
			return rowOf(words, func(i int) string {
				return fmt.Sprintf("  manage 190 10.0.190.%d\n  1: 190\n  2-3: %d\n  4-5: %d\n  7-8: 190 [10 20]\n", i+2, one, 30-one)
			}, "plug a.1 \"laptop\" wants 190 operator\n")
		}
	}
	renumbered := func(vid int) string {
		return rowOf([]string{"by-vlan pvid-apart", "by-port", "by-vlan pvid-follows leaves-last", "linux"}, func(i int) string {
			return fmt.Sprintf("  manage 190 10.0.190.%d\n  1: 190\n  2-5: %d\n  7-8: 190 [20 %d]\n", i+2, vid, vid)
		}, "plug a.1 \"laptop\" wants 190 operator\n")
	}
	grouped := func(edges string) string {
		return register + "device a switch\n  forwarding grouped\n  ports 1-8\n  wording by-group\n  manage 190 10.0.190.2\n  1: 190\n  " + strings.Replace(edges, "3-4: 10", "3-4: 10 [20]", 1) + "\n  5-8: 10\nplug a.1 \"laptop\" wants 190 operator\n"
	}
	gate := register + "device gate firewall\n  forwarding routed\n  ports wan, lan1-lan2\n  wording by-sub-interface\n  manage 190 10.0.190.1\n"
	legs := "device rack switch\n  ports 1-8\n  wording by-vlan keeps-pvid-vlan\n  manage 190 10.0.190.2\n  1: 190\n  2-3: 10\n  4-5: 20\n"
	laptop := "cable gate.lan1 rack.7\nplug rack.1 \"laptop\" wants 190 operator\n"
	apart := "by-vlan pvid-apart"
	for _, x := range []struct {
		says      string
		was, plan string
		price     Price // of what must not be passed; visits and steps are not looked at
	}{
		{"two trunks in a row, PVID apart", moves(times(3, apart))(1), moves(times(3, apart))(190), Price{Walks: 6}},
		{"two trunks in a row, one native VLAN a port", moves(times(3, "by-vlan pvid-follows leaves-last"))(1), moves(times(3, "by-vlan pvid-follows leaves-last"))(190), Price{Walks: 8}},
		{"two trunks in a row, by port", moves(times(3, "by-port"))(1), moves(times(3, "by-port"))(190), Price{Walks: 6}},
		{"two trunks in a row, Linux", moves(times(3, "linux"))(1), moves(times(3, "linux"))(190), Price{Walks: 6}},
		{"two trunks in a row, a port keeps the VLAN of its PVID", moves(times(3, "by-vlan keeps-pvid-vlan"))(1), moves(times(3, "by-vlan keeps-pvid-vlan"))(190), Price{Walks: 6}},
		{"two trunks in a row, by inner port", moves(times(3, "by-inner-port"))(1), moves(times(3, "by-inner-port"))(190), Price{Walks: 8}},
		{"a group that has a row on two ports of three", grouped("2: 10\n  3-4: 10"), grouped("2: 20\n  3-4: 20"), Price{}},
		{"what is untagged goes, nobody moves", native(times(3, apart))(190), native(times(3, apart))(10), Price{}},
		{"the same by port", native(times(3, "by-port"))(190), native(times(3, "by-port"))(10), Price{}},
		{"the same on Linux", native(times(3, "linux"))(190), native(times(3, "linux"))(10), Price{}},
		{"numbers that trade places", trade(times(2, apart))(10), trade(times(2, apart))(20), Price{}},
		{"the same by port", trade(times(2, "by-port"))(10), trade(times(2, "by-port"))(20), Price{}},
		{"the same with one native VLAN a port", trade(times(2, "by-vlan pvid-follows leaves-last"))(10), trade(times(2, "by-vlan pvid-follows leaves-last"))(20), Price{}},
		{"renumbered over four wordings", renumbered(10), renumbered(30), Price{}},
		{
			"two legs of a firewall become one, on a switch that keeps the VLAN of the PVID",
			gate + "  lan1: 190 [10]\n  lan2: 20\n  address 190 10.0.190.1/24 on lan1\n  address 10 10.0.10.1/24 on lan1\n  address 20 10.0.20.1/24 on lan2\n" + legs + "  7: 190 [10]\n  8: 20\ncable gate.lan2 rack.8\n" + laptop,
			gate + "  lan1: 190 [10 20]\n  lan2: -\n  address 190 10.0.190.1/24 on lan1\n  address 10 10.0.10.1/24 on lan1\n  address 20 10.0.20.1/24 on lan1\n" + legs + "  7: 190 [10 20]\n  8: 1\n" + laptop,
			Price{},
		},
		{
			"a laptop whose port was found in another VLAN than it wants",
			register + "device a switch\n  ports 1-8\n  wording by-vlan\n  manage 1 10.0.1.2\n  1-7: 1\n  8: 190\nplug a.1 \"laptop\" wants 190 operator\n",
			register + "device a switch\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.2\n  1: 190\n  2-7: 1\n  8: 190\nplug a.1 \"laptop\" wants 190 operator\n",
			Price{Walks: 2},
		},
		{
			"the operator's own port",
			register + "device a switch\n  ports 1-8\n  wording by-vlan\n  manage 1 10.0.1.2\n  1: 1\n  2-8: 10\nplug a.1 \"laptop\" wants 1 operator\n",
			register + "device a switch\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.2\n  1: 190\n  2-8: 10\nplug a.1 \"laptop\" wants 190 operator\n",
			Price{Walks: 2},
		},
		{
			"a cable becomes a bundle",
			rowOf([]string{apart, "by-port"}, func(i int) string {
				return fmt.Sprintf("  manage 190 10.0.190.%d\n  1: 190\n  2-3: 10\n  7-8: 190 [10]\n", i+2)
			}, "plug a.1 \"laptop\" wants 190 operator\n"),
			strings.Replace(rowOf([]string{apart, "by-port"}, func(i int) string {
				return fmt.Sprintf("  bundle up lacp 7-8\n  manage 190 10.0.190.%d\n  1: 190\n  2-3: 10\n  up: 190 [10]\n", i+2)
			}, "cable a.7 b.8\nplug a.1 \"laptop\" wants 190 operator\n"), "cable a.8 b.7\n", "cable a.8 b.7\n", 1),
			Price{},
		},
		{
			"a new switch behind a tagged cable",
			register + "device rack switch\n  ports 1-8\n  manage 190 10.0.190.2\n  1: 190\n  2-6: 10\n  8: -\nplug rack.1 \"laptop\" wants 190 operator\n",
			register + "device rack switch\n  ports 1-8\n  manage 190 10.0.190.2\n  1: 190\n  2-6: 10\n  8: [10 190]\ndevice attic switch\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.9\n  1-7: 10\n  8: [10 190]\ncable rack.8 attic.8\nplug rack.1 \"laptop\" wants 190 operator\n",
			Price{Walks: 2},
		},
		{
			"a new subnet and the rule that keeps it apart",
			register + "device core router\n  forwarding routed\n  ports lan\n  wording by-sub-interface\n  manage 190 10.0.190.1\n  lan: 190 [10 20]\n  address 190 10.0.190.1/24 on lan\n  address 10 10.0.10.1/24 on lan\ndevice a switch\n  ports 1-4\n  manage 190 10.0.190.2\n  1: 190\n  2: 10\n  3: 20\n  4: 190 [10 20]\ncable core.lan a.4\nplug a.1 \"laptop\" wants 190 operator\n",
			register + "device core router\n  forwarding routed\n  ports lan\n  wording by-sub-interface\n  manage 190 10.0.190.1\n  lan: 190 [10 20]\n  address 190 10.0.190.1/24 on lan\n  address 10 10.0.10.1/24 on lan\n  address 20 10.0.20.1/24 on lan\n  deny vlan 20 to any\ndevice a switch\n  ports 1-4\n  manage 190 10.0.190.2\n  1: 190\n  2: 10\n  3: 20\n  4: 190 [10 20]\ncable core.lan a.4\nplug a.1 \"laptop\" wants 190 operator\n",
			Price{},
		},
		{
			"a device with a console, and ports that follow a plan and a use",
			register + "use desk 10 [20]\nplan p\n  1-4: use desk\n  last: 190 [needed]\ndevice a switch\n  ports 1-8\n  wording by-vlan\n  console\n  manage 190 10.0.190.2\n  1: 190\n  8: 190 [10]\ndevice b switch follows p\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.3\ncable a.8 b.8\nplug a.1 \"laptop\" wants 190 operator\n",
			register + "use desk 20\nplan p\n  1-4: use desk\n  last: 190 [needed]\ndevice a switch\n  ports 1-8\n  wording by-vlan\n  console\n  manage 190 10.0.190.2\n  1: 190\n  2: 20 because \"a guest\"\n  8: 190 [needed]\ndevice b switch follows p\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.3\ncable a.8 b.8\nplug a.1 \"laptop\" wants 190 operator\n",
			Price{},
		},
		{
			"management moves into a VLAN that only a device behind the next has a port in",
			"vlan 10 a\nvlan 20 m\nvlan 30 b\ndevice s0 switch\n  ports 1-5\n  wording by-vlan leaves-last\n  manage 1 10.0.1.2\n  1-5: 1\ndevice s1 switch\n  ports 1-5\n  wording by-choice\n  manage 1 10.0.1.3\n  1-5: 1\ncable s1.5 s0.4\nplug s0.1 \"laptop\" wants 1 operator\n",
			"vlan 10 a\nvlan 20 m\nvlan 30 b\ndevice s0 switch\n  ports 1-5\n  wording by-vlan leaves-last\n  manage 20 10.0.20.2\n  1: 20\n  2: 10\n  3: 1\n  4: 30 [1 10 20]\n  5: 1\ndevice s1 switch\n  ports 1-5\n  wording by-choice\n  manage 20 10.0.20.3\n  1: 20\n  2-3: 1\n  4: 1 [10 20 30]\n  5: 30\ncable s1.5 s0.4\nplug s0.1 \"laptop\" wants 20 operator\n",
			Price{Walks: 5},
		},
	} {
		t.Run(x.says, func(t *testing.T) {
			was, plan := readOffice(t, x.was), readOffice(t, x.plan)
			o, err := Make(was, plan, Options{})
			require.NoError(t, err)
			got := o.Price
			got.Visits, got.Steps = 0, 0
			require.LessOrEqual(t, got.Compare(x.price), 0, "%+v", o.Price)
			now := was
			for _, s := range o.Steps {
				for _, l := range s.Lines {
					next, _, err := notation.Line(now, l)
					require.NoError(t, err, l)
					now = next
				}
			}
			require.Equal(t, notation.Print(plan), notation.Print(now))
			again, err := Make(was, plan, Options{})
			require.NoError(t, err)
			require.Equal(t, o.Steps, again.Steps, "the same offices give the same order")
			// From any point there is the way back, and nobody is locked out on it.
			for _, at := range []int{len(o.Steps) / 3, len(o.Steps) - 1} {
				_, err := Make(o.Steps[at].After, was, Options{})
				require.NoError(t, err, "back from step %d", at)
			}
		})
	}
}

// TestFewVisits: management moves over five switches in a row of which one is set by group. What
// takes a way is looked at and kept at once, so that it takes many visits; these are the most.
func TestFewVisits(t *testing.T) {
	for at, most := range []int{22, 24, 27, 25, 23} {
		words := times(5, "by-vlan pvid-apart")
		words[at] = "by-group"
		text := func(vid int) *office.Office {
			return readOffice(t, rowOf(words, func(i int) string {
				forwards := ""
				if i == at {
					forwards = "  forwarding grouped\n"
				}
				return forwards + fmt.Sprintf("  manage %d 10.0.%d.%d\n  1: %d\n  2-3: 10\n  7-8: %d [10]\n", vid, vid, i+2, vid, vid)
			}, fmt.Sprintf("plug a.1 \"laptop\" wants %d operator\n", vid)))
		}
		o, err := Make(text(1), text(190), Options{})
		require.NoError(t, err)
		require.LessOrEqual(t, o.Price.Visits, most, "at %d", at)
		require.True(t, o.Safe(), o.Summary())
		moved := "" // whose management moved, which is not kept yet
		for i, s := range o.Steps {
			require.Contains(t, []string{"", s.Device}, moved, "at %d, step %d: somebody goes elsewhere before it is kept", at, i)
			switch s.Kind {
			case Manage:
				moved = s.Device
			case Save:
				moved = ""
			}
		}
	}
}

// TestClinic: the clinic from the factory, as it comes out of its boxes and with its
// bundles, inner ports and addresses there already, and from how its demo is set.
func TestClinic(t *testing.T) {
	plan := clinic(t)
	n := span.Compile(plan)
	kept := fromFactory(plan)
	for i, d := range plan.Devices {
		if d.Unaware() {
			continue
		}
		x := d.Clone()
		x.Follows = ""
		state := wording.Factory(wording.For(n, i))
		for q := range x.Ports {
			x.Ports[q].Because, x.Ports[q].Shape = "", nil
			if x.Ports[q].Bundle > 0 {
				continue
			}
			shape := state.Ports[q].Shape()
			switch {
			case x.Ports[q].Flavour == office.Processor:
				shape = office.Shape{Untagged: []office.VID{1}}
			case x.Name == "gate" && x.Ports[q].Name == "lan1":
				shape = office.Shape{Untagged: []office.VID{1}, Tagged: []office.VID{110, 120, 130, 140, 150, 160, 170, 190}}
			}
			x.Ports[q].Shape = &shape
		}
		if x.Manage != nil {
			x.Manage = &office.Manage{VID: office.DefaultVID}
		}
		kept.Devices[i] = x.Seal()
	}
	text, err := os.ReadFile("../../demo/clinic-as-is.klm")
	require.NoError(t, err)
	for name, was := range map[string]*office.Office{"boxed": fromFactory(plan), "built": kept, "as the demo is": readOffice(t, string(text))} {
		o, err := Make(was, plan, Options{})
		require.NoError(t, err, name)
		require.True(t, o.Safe(), "%s: %s", name, o.Summary())
		lines := func(o *office.Office) []string { // whatever the order that things came in
			x := *o
			x.Cables = nil
			all := strings.Split(notation.Print(&x), "\n")
			for _, c := range o.Cables {
				all = append(all, string(c.Key()))
			}
			return all
		}
		require.ElementsMatch(t, lines(plan), lines(o.Steps[len(o.Steps)-1].After), name)
	}
}

// TestCutByThePlan: what takes the way to a device, as the plan wants it, is its last
// step, said and not saved.
func TestCutByThePlan(t *testing.T) {
	body := func(up int) func(int) string {
		return func(i int) string {
			return fmt.Sprintf("  manage 190 10.0.190.%d\n  1: %d\n  2-6: %d\n  7-8: %d\n", i+2, []int{190, 30}[i], up/10, []int{190, up}[i])
		}
	}
	seat := "plug a.1 \"laptop\" wants 190 operator\n"
	o, err := Make(readOffice(t, rowOf(times(2, "by-port"), body(190), seat)), readOffice(t, rowOf(times(2, "by-port"), body(300), seat)), Options{})
	require.NoError(t, err)
	b := slices.DeleteFunc(slices.Clone(o.Steps), func(s Step) bool { return s.Device != "b" })
	require.Contains(t, b[len(b)-1].Text, "nothing reaches it there")
	require.Equal(t, Save, b[len(b)-2].Kind, "what was done before is kept")
}

// TestImpossible: what stands against an order is said, with what would help.
func TestImpossible(t *testing.T) {
	a := register + "device a switch\n  ports 1-8\n  wording by-choice\n  manage 190 10.0.190.2\n  1: 190\n  2-8: 10\nplug a.1 \"laptop\" wants 190 operator\n"
	taken := func(manage, up int) func(int) string {
		return func(i int) string {
			return fmt.Sprintf("  manage %d 10.0.%d.%d\n  1: %d\n  2-6: 30\n  7-8: %d\n", []int{190, manage}[i], manage, i+2, []int{190, 30}[i], []int{190, up}[i])
		}
	}
	seat := "plug a.1 \"laptop\" wants 190 operator\n"
	far := "device far switch\n  ports 1-8\n  wording by-vlan\n  manage 190 10.0.190.7\n  1-8: 10\n"
	for _, x := range []struct{ says, was, plan, text string }{
		{"no operator", strings.Replace(a, " operator", "", 1), a, "no plug is the operator's"},
		{"nor as planned", a, strings.Replace(a, " operator", "", 1), "As planned, no plug"},
		{"a shape that the device cannot say", a, strings.Replace(a, "2-8: 10", "2-8: 10 [20]", 1), "What comes nearest is 10"},
		{"nothing reaches it", a + far, strings.Replace(a+far, "1-8: 10", "1-8: 20", 1), "Say that it has a console (far console), or free a port there. As planned nothing reaches it either (management-cut): bring that VLAN to it"},
		{"another name", a + far, a + strings.Replace(far, "far", "near", 1), "call it by one name in both"},
		{"tags that it does not know", a + "device b switch\n  forwarding unaware\n  ports 1-4\n", a + "device b switch\n  ports 1-4\n  wording by-vlan\n  1-4: 10\n", "b knows no tags as it is, and is to be set by VLANs as planned: if another device takes its place, say so (--new b)"},
		{"tags that it will not know", a + "device b switch\n  ports 1-4\n  wording by-vlan\n  1-4: 10\n", a + "device b switch\n  forwarding unaware\n  ports 1-4\n", "b is set by VLANs as it is, and knows no tags as planned"},
		{"another front", a, strings.Replace(a, "ports 1-8", "ports 1-9", 1), "if it is another device, give it another name"},
	} {
		t.Run(x.says, func(t *testing.T) {
			_, err := Make(readOffice(t, x.was), readOffice(t, x.plan), Options{})
			var no *Impossible
			require.True(t, errors.As(err, &no), "%v", err)
			require.ErrorContains(t, err, x.text)
		})
	}
	// Where the plan takes both a device's VLAN and its port, it stays as it is, and all others have their order.
	o, err := Make(readOffice(t, rowOf(times(2, "by-port"), taken(190, 190), seat)), readOffice(t, rowOf(times(2, "by-port"), taken(10, 20), seat)), Options{})
	require.NoError(t, err)
	require.Equal(t, []string{"b"}, o.Silent)
	require.Contains(t, strings.Join(o.Left, " "), "As planned nothing reaches b in VLAN 10 staff")
	require.Contains(t, o.Summary(), "1 device out of reach and left as it is")
	_, err = Make(readOffice(t, a), readOffice(t, strings.Replace(a, "2-8: 10", "2-8: 20", 1)), Options{Stop: func() bool { return true }})
	require.ErrorIs(t, err, ErrStopped)
	_, err = Make(readOffice(t, a), readOffice(t, strings.Replace(a, "2-8: 10", "2-8: 20", 1)), Options{Most: 1})
	require.ErrorIs(t, err, ErrTooMuch)
}

// TestLeaves: what the plan itself takes is said first, of whom, and the order is not called
// clean; what it gives, moves or never had is not.
func TestLeaves(t *testing.T) {
	text := "vlan 10 staff net 10.0.10.0/24\nvlan 30 far\nvlan 90 devices net 10.0.90.0/24\ndevice r router\n  forwarding routed\n  ports lan\n  manage 90 10.0.90.1\n  lan: 90 [10]\n  address 10 10.0.10.1/24 on lan\n  address 90 10.0.90.1/24 on lan\n" +
		"device a switch\n  ports 1-8\n  manage 90 10.0.90.2\n  1: 90\n  2-3: 10\n  7-8: 90 [10]\ndevice b switch\n  ports 1-8\n  manage 90 10.0.90.3\n  2: 10\n  3: 90\n  7: 90 [10]\n" +
		"cable r.lan a.7\ncable a.8 b.7\nplug a.1 \"laptop\" wants 90 operator\nplug a.2 \"one\" wants 10\nplug b.2 \"two\" wants 10\nplug b.3 \"never\" wants 10\n"
	for _, x := range []struct {
		old, now string
		says     []string
	}{
		{"  2-3: 10\n", "  2: 90\n  3: 10\n", []string{"The plan leaves one at a 2 without 10 staff: it works today."}},
		{"  7: 90 [10]\ncable", "  7: 90\ncable", []string{"The plan leaves two at b 2 without a way to its gateway in 10 staff: it has one today."}},
		{"  2-3: 10\n", "  2-4: 10\n", nil},
		{"  manage 90 10.0.90.3\n", "  manage 30 10.0.30.3\n", []string{"The plan takes the way to the management of b: it is reached today."}},
		{"  lan: 90 [10]\n", "  lan: 90 [10]\n  between zones deny\n", []string{"The plan takes from 10 staff the way to 90 devices: it is open today.", "The plan takes from 90 devices the way to 10 staff: it is open today."}},
		{"  lan: 90 [10]\n", "  lan: 90 [10]\n  deny vlan 10 to vlan 90 tcp/22\n", []string{"The plan takes from 10 staff a part of what it may do at 90 devices today."}},
		{"10.0.10.1/24", "10.7.10.1/24", []string{"The plan gives 10 staff another subnet: who has an address of 10.0.10.0/24 has no gateway any more until he asks for a new address."}},
		{"  address 10 10.0.10.1/24 on lan\n", "  address 10 10.0.10.1/24 on lan handout 10.0.10.50-10.0.10.90\n", nil},
	} {
		o, err := Make(readOffice(t, text), readOffice(t, strings.Replace(text, x.old, x.now, 1)), Options{})
		require.NoError(t, err)
		require.Equal(t, x.says, o.Leaves)
		require.Equal(t, x.says == nil, strings.Contains(o.Summary(), "Nobody is cut off"), o.Summary())
	}
}
