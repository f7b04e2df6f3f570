package office_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
)

// TestDraftRefuses: what means nothing is refused with what would be right, and
// leaves the draft as it was.
func TestDraftRefuses(t *testing.T) {
	f, err := notation.Read("t", `vlan 110 reception
use desk 110
plan eight
  1: use desk
device a switch follows eight
  ports 1-8
  bundle up lacp 7-8
  2: use desk
device b switch
  ports 1-8
  address 110 10.0.0.1/24 on 3
cable a.1 b.1
plug a.3 "pc" wants 110 operator
plug a.3 "phone" wants 110
`)
	require.NoError(t, err)
	port := func(d, p string) office.PortRef { return office.PortRef{Device: d, Port: p} }
	bare := func(d *office.Draft, name string) *office.Device {
		x, err := d.FindDevice(name)
		require.NoError(t, err)
		return x.Clone()
	}
	for _, row := range []struct {
		says string
		do   func(d *office.Draft) error
	}{
		{"VID 4095 is reserved: a VLAN is 1 to 4094", func(d *office.Draft) error { return d.PutVLAN(&office.VLAN{VID: 4095, Name: "x"}) }},
		{"VLAN 110 is named reception already: names are unique", func(d *office.Draft) error { return d.PutVLAN(&office.VLAN{VID: 111, Name: "reception"}) }},
		{"VLAN 120 is not in the register", func(d *office.Draft) error { return d.RemoveVLAN(120) }},
		{"plan eight has the use desk: change the plan first", func(d *office.Draft) error { return d.RemoveUse("desk") }},
		{"no use is named dask: did you mean desk?", func(d *office.Draft) error { return d.RemoveUse("dask") }},
		{"use x names another use: a use says a shape", func(d *office.Draft) error {
			return d.PutUse(&office.Use{Name: "x", Shape: office.Shape{Use: "desk"}})
		}},
		{"a follows eight: let it follow another or none first", func(d *office.Draft) error { return d.RemovePlan("eight") }},
		{"no device is named c: declare it with device c switch", func(d *office.Draft) error { return d.RemoveDevice("c") }},
		{"a has no port 9: its front has 1 to 8", func(d *office.Draft) error { return d.Set(port("a", "9"), &office.Shape{}, "") }},
		{"port 7 of a is in bundle up: set the bundle, a up: …", func(d *office.Draft) error { return d.Set(port("a", "7"), &office.Shape{}, "") }},
		{"a.1 has a cable already, a.1 to b.1: one cable a port", func(d *office.Draft) error {
			return d.Connect(office.Cable{A: port("b", "2"), B: port("a", "1")})
		}},
		{"the cable has both ends in b.2: it joins two ports", func(d *office.Draft) error {
			return d.Connect(office.Cable{A: port("b", "2"), B: port("b", "2")})
		}},
		{"a.up is not a port of the front", func(d *office.Draft) error {
			return d.Connect(office.Cable{A: port("a", "up"), B: port("b", "2")})
		}},
		{"VLAN 22 rides as VID 222, which VLAN 222 has on this port: give one of them another VID", func(d *office.Draft) error {
			return d.Set(port("b", "4"), &office.Shape{Tagged: []office.VID{22, 222}, Rides: []office.Ride{{VLAN: 22, Wire: 222}}}, "")
		}},
		{"no cable joins a.2 and b.2", func(d *office.Draft) error {
			return d.Disconnect(office.Cable{A: port("a", "2"), B: port("b", "2")})
		}},
		{`the operator is at a.3 already, with "pc": one plug is the operator's`, func(d *office.Draft) error {
			return d.PutPlug(office.Plug{Port: port("b", "2"), Name: "x", Wants: 110, Operator: true})
		}},
		{"nothing is plugged into b.2", func(d *office.Draft) error { return d.Unplug(port("b", "2"), "") }},
		{`2 things are plugged into a.3: say which, "pc", "phone"`, func(d *office.Draft) error { return d.Unplug(port("a", "3"), "") }},
		{`"tv" is not plugged into a.3: there "pc", "phone"`, func(d *office.Draft) error { return d.Unplug(port("a", "3"), "tv") }},
		{"a cable is in b.1, which would go: remove the cable first", func(d *office.Draft) error {
			x := bare(d, "b")
			if err := x.RemovePorts([]int{0}, office.Physical); err != nil {
				return err
			}
			return d.PutDevice(x)
		}},
		{"the address 10.0.0.1/24 is on 3: remove the address first", func(d *office.Draft) error {
			return bare(d, "b").RemovePorts([]int{2}, office.Physical)
		}},
		{"port 7 is in bundle up: remove the bundle first", func(d *office.Draft) error {
			return bare(d, "a").RemovePorts([]int{6}, office.Physical)
		}},
		{"b has the address 10.0.0.1/24 for VLAN 110 already", func(d *office.Draft) error {
			return bare(d, "b").AddAddress(office.Address{VID: 110, Prefix: netip.MustParsePrefix("10.0.0.1/24")})
		}},
		{"no port plan is named nine: define it with plan nine", func(d *office.Draft) error {
			x := bare(d, "b")
			x.Follows = "nine"
			return d.PutDevice(x)
		}},
	} {
		d := office.NewDraft(f.Office)
		require.EqualError(t, row.do(d), row.says)
		o, e := d.Done()
		require.Empty(t, e, row.says)
		require.Equal(t, f.String(), notation.Print(o), row.says)
	}
}

// TestEffective: exception, else plan, else what is set, else nothing; a plan
// counts places, from the end too.
func TestEffective(t *testing.T) {
	f, err := notation.Read("t", `use desk 110
plan p
  1-4: use desk
  last-1-last: 190 [needed]
device w switch follows p
  ports 1-8
  2: 120 because "second pc"
  5: 130
device x switch follows p
  ports 1-5
  bundle up lacp 4-5
device y switch
  ports 1-2
  1: use desk
`)
	require.NoError(t, err)
	for _, row := range []struct {
		device, port, shape string
		source              office.Source
	}{
		{"w", "1", "110", office.FromPlan},
		{"w", "2", "120", office.FromException},
		{"w", "5", "130", office.FromPort},
		{"w", "6", "-", office.FromNothing},
		{"w", "7", "190 [needed]", office.FromPlan},
		{"x", "3", "110", office.FromPlan},
		{"x", "up", "190 [needed]", office.FromPlan},
		{"x", "5", "-", office.FromNothing}, // its bundle has the shape
		{"y", "1", "110", office.FromPort},
		{"y", "2", "-", office.FromNothing},
	} {
		d := f.Office.Device(row.device)
		s, src := f.Office.Effective(d, d.Port(row.port))
		require.Equal(t, row.shape, notation.Shape(*s), row.device+"."+row.port)
		require.Equal(t, row.source, src, row.device+"."+row.port)
	}
}
