package order

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
)

// harbour is a small office: a gate with a line, a rack with desks and the operator, a barn.
const harbour = `vlan 10 desks net 10.0.10.0/24
vlan 20 lab net 10.0.20.0/24
vlan 90 mgmt net 10.0.90.0/24
device gate firewall
  forwarding routed
  ports wan, lan
  manage 90 10.0.90.1
  lan: [10 20 90]
  address 10 10.0.10.1/24 on lan zone in
  address 20 10.0.20.1/24 on lan zone in
  address 90 10.0.90.1/24 on lan zone in
  outside fibre on wan
  allow zone in to outside
device rack switch
  ports 1-8
  wording by-vlan pvid-apart
  manage 90 10.0.90.2
  factory 192.168.1.1/24 in 1
  1-2: 10
  3: 20
  6: [10 20 90]
  7: 90
  8: [10 20 90]
device barn switch
  ports 1-4
  manage 90 10.0.90.3
  1: 10
  3: 20
  4: [10 20 90]
cable gate.lan rack.8
cable rack.6 barn.4
plug rack.1 "pc" wants 10
plug rack.2 "till" wants 10
plug rack.3 "probe" wants 20
plug rack.7 "laptop" wants 90 operator
`

// carried is what the lines of an order make of the office that it begins at.
func carried(t *testing.T, was *office.Office, o *Order) *office.Office {
	t.Helper()
	now := was
	for i, s := range o.Steps {
		for _, l := range s.Lines {
			next, _, err := notation.Line(now, l)
			require.NoError(t, err, "step %d: %s", i+1, l)
			now = next
		}
	}
	return now
}

// alike holds two offices to be the same but for the order of what is in them.
func alike(t *testing.T, want, got *office.Office) {
	t.Helper()
	sorted := func(o *office.Office) []string {
		all := strings.Split(notation.Print(o), "\n")
		slices.Sort(all)
		return all
	}
	require.Equal(t, sorted(want), sorted(got))
}

// TestNew: a new device takes the place of one of its name, of its kind or another, with
// other ports or the same: the old one stands until its cables, its plugs and its line have
// moved, the new one begins where its factory has it answer, and whoever is cut off
// meanwhile is told.
func TestNew(t *testing.T) {
	for _, x := range []struct{ says, was, plan, name, first string }{
		{"a switch of its own model", harbour, harbour, "rack", "set it to 192.168.1.2/24 by hand"},
		{"a firewall of its own model, with its line", harbour, harbour, "gate", "set it where it stands"},
		{"a switch with more ports, of another make", harbour, strings.NewReplacer("  ports 1-8\n  wording by-vlan pvid-apart", "  ports 1-12\n  wording by-port", "  8: [10 20 90]\ndevice barn", "  12: [10 20 90]\ndevice barn", "gate.lan rack.8", "gate.lan rack.12").Replace(harbour), "rack", "set it to 192.168.1.2/24 by hand"},
		{"a router in the place of a firewall", harbour, strings.NewReplacer("gate firewall", "gate router", "  allow zone in to outside\n", "").Replace(harbour), "gate", "set it where it stands"},
	} {
		t.Run(x.says, func(t *testing.T) {
			was, plan := readOffice(t, x.was), readOffice(t, x.plan)
			o, err := Make(was, plan, Options{New: []string{x.name}})
			require.NoError(t, err)
			alike(t, plan, carried(t, was, o))
			text, line := "", -1
			for i, s := range o.Steps {
				text += s.Text + "\n"
				if strings.Contains(s.Text, "Move the line fibre") {
					line = i
				}
			}
			require.Contains(t, text, x.first)
			require.Contains(t, text, "Take "+x.name+"-old away")
			require.Equal(t, x.name == "gate", line >= 0, text)
			require.NotZero(t, o.Price.Interrupted, "between two moves somebody waits")
			require.Zero(t, o.Leaks, "%v", o.Summary())
			for i, s := range o.Steps {
				for _, cut := range s.Interrupts {
					require.Greater(t, cut.Until, i)
				}
			}
			back, err := Make(plan, was, Options{New: []string{x.name}})
			require.NoError(t, err, "and the old one back in its place")
			alike(t, was, carried(t, plan, back))
		})
	}
	_, err := Make(readOffice(t, harbour), readOffice(t, harbour), Options{New: []string{"attic"}})
	require.ErrorContains(t, err, "attic is not there both")
}

// TestFromNothing: an office that is not there yet is built from where its operator will
// sit, each device at its factory's address or where it stands; without an operator it is
// asked where he will sit.
func TestFromNothing(t *testing.T) {
	none, plan := readOffice(t, "office \"x\"\n"), readOffice(t, "office \"x\"\n"+harbour)
	o, err := Make(none, plan, Options{})
	require.NoError(t, err)
	require.True(t, o.Safe(), o.Summary())
	alike(t, plan, carried(t, none, o))
	require.Empty(t, o.Visits[0].At, "nothing is plugged in yet")
	_, err = Make(none, readOffice(t, strings.Replace(harbour, " operator", "", 1)), Options{})
	require.ErrorContains(t, err, "where will you sit?")
}

// TestSome: an order may be for some devices alone; one that nobody reaches stops it for
// no other; and a cable of which one end alone is set does not join two VLANs.
func TestSome(t *testing.T) {
	was := readOffice(t, harbour)
	moved := strings.NewReplacer("  1-2: 10\n", "  1: 10\n  2: 20\n", "\"till\" wants 10", "\"till\" wants 20", "  1: 10\n  3: 20\n  4", "  1: 20\n  3: 20\n  4").Replace(harbour)
	plan := readOffice(t, moved)
	devices := func(o *Order) (names []string) {
		for _, s := range o.Steps {
			if !slices.Contains(names, s.Device) {
				names = append(names, s.Device)
			}
		}
		return names
	}
	for _, only := range []string{"barn", "rack"} {
		o, err := Make(was, plan, Options{Only: []string{only}})
		require.NoError(t, err)
		require.Equal(t, []string{only}, devices(o))
		require.Len(t, o.Left, 1)
		now := carried(t, was, o)
		require.Equal(t, notation.Thing(plan.Device(only)), notation.Thing(now.Device(only)))
		for _, d := range was.Devices {
			if d.Name != only {
				require.Equal(t, notation.Thing(d), notation.Thing(now.Device(d.Name)))
			}
		}
	}
	_, err := Make(was, plan, Options{Only: []string{"attic"}})
	require.ErrorContains(t, err, "Nobody is called attic")

	cut := func(text string) *office.Office {
		return readOffice(t, strings.Replace(text, "cable rack.6 barn.4\n", "", 1))
	}
	o, err := Make(cut(harbour), cut(moved), Options{})
	require.NoError(t, err)
	require.Equal(t, []string{"barn"}, o.Silent)
	require.Equal(t, []string{"rack"}, devices(o))
	require.False(t, o.Safe())
	require.Contains(t, o.Summary(), "1 device out of reach and left as it is")
	alone := func(text string) string {
		return strings.NewReplacer("cable rack.6 barn.4\n", "", "  1: 10\n  3: 20\n  4", "  1: 20\n  3: 20\n  4").Replace(text)
	}
	_, err = Make(cut(harbour), readOffice(t, alone(harbour)), Options{})
	var no *Impossible
	require.True(t, errors.As(err, &no), "where nothing else is to be done, nothing is: %v", err)

	// An untagged VLAN that changes at both ends of a cable does not change at one.
	native := strings.NewReplacer("  6: [10 20 90]\n", "  6: 20 [10 90]\n", "  4: [10 20 90]\n", "  4: 20 [10 90]\n").Replace(harbour)
	other := strings.NewReplacer("  6: [10 20 90]\n", "  6: 10 [20 90]\n", "  4: [10 20 90]\n", "  4: 10 [20 90]\n").Replace(moved)
	o, err = Make(readOffice(t, native), readOffice(t, other), Options{Only: []string{"rack"}})
	require.NoError(t, err)
	require.Contains(t, strings.Join(o.Left, "\n"), "rack 6 stays 20 [10 90]")
	require.Zero(t, o.Leaks)
}

// TestParked: two who exchange their VLANs do not meet; who waits in no VLAN meanwhile is
// told, and counted.
func TestParked(t *testing.T) {
	text := "vlan 10 a\nvlan 20 b\nvlan 190 m\n"
	for _, d := range []string{"s", "t"} {
		text += "device " + d + " switch\n  ports 1-8\n  wording by-port\n  manage 190\n  1: 190\n  2: " + map[string]string{"s": "10", "t": "20"}[d] + "\n  8: 190 [10 20]\n"
	}
	text += "cable s.8 t.8\nplug s.1 \"laptop\" wants 190 operator\nplug s.2 \"one\" wants 10\nplug t.2 \"two\" wants 20\n"
	was, plan := readOffice(t, text), readOffice(t, strings.NewReplacer("  2: 10", "  2: 20", "  2: 20", "  2: 10", "\"one\" wants 10", "\"one\" wants 20", "\"two\" wants 20", "\"two\" wants 10").Replace(text))
	o, err := Make(was, plan, Options{})
	require.NoError(t, err)
	alike(t, plan, carried(t, was, o))
	require.Zero(t, o.Leaks)
	waits := 0
	at := was
	for i, s := range o.Steps {
		at = s.After
		for _, ref := range []office.PortRef{{Device: "s", Port: "2"}, {Device: "t", Port: "2"}} {
			d := at.Device(ref.Device)
			if shape, _ := at.Effective(d, d.Port(ref.Port)); shape.Equal(office.Shape{}) {
				waits++
				said := slices.ContainsFunc(o.Steps[:i+1], func(s Step) bool {
					return slices.ContainsFunc(s.Interrupts, func(x Interrupt) bool { return slices.Contains(x.Ports, ref.String()) && x.Until > i })
				})
				require.True(t, said, "step %d: %s waits, and nobody says so", i, ref)
			}
		}
	}
	require.Equal(t, waits, o.Interrupted())
	require.NotZero(t, waits)
	require.False(t, o.Safe())
	require.Contains(t, o.Summary(), "somebody is cut off")
}
