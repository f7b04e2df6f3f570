package reach_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/proof"
	"klammer/proof/short"
)

// TestOneWay: the example of the package: a.1 is heard at b.1, and b.1 is not heard at a.1;
// and who has an address in two VLANs stands in both.
func TestOneWay(t *testing.T) {
	f, err := notation.Read("one way", `vlan 10 a
vlan 20 b
device a switch
  ports 1-2
  1: 10
  2: 10
device b switch
  ports 1-2
  address 20 10.0.20.1/24
  address 10 10.0.10.1/24
  1: 20
  2: [20] pvid 20
cable a.2 b.2
plug a.1 "pc" wants 10
plug b.1 "camera" wants 20
`)
	require.NoError(t, err)
	n := span.Compile(f.Office)
	hearing, places := reach.In(n), reach.NewPlaces()
	one, other := places.Port(n, 0, 0, bridge.Untagged), places.Port(n, 1, 0, bridge.Untagged)
	require.True(t, hearing.Reaches(&one, &other))
	require.False(t, hearing.Reaches(&other, &one))
	require.False(t, hearing.Both(reach.Plug(n, &n.Office.Plugs[0]), reach.Plug(n, &n.Office.Plugs[1])))
	require.True(t, hearing.Any(reach.Plug(n, &n.Office.Plugs[0]), reach.Plug(n, &n.Office.Plugs[1])))

	twenty, ten := places.Device(n, 1, 20), places.Device(n, 1, 10)
	both := ten.With(twenty)
	for _, x := range []*reach.Stand{&twenty, &both} {
		require.True(t, hearing.Reaches(x, &other) && hearing.Reaches(&other, x))
	}
	require.False(t, hearing.Reaches(&ten, &other))
	nowhere := places.Device(n, 0, 10)
	require.False(t, nowhere.There(), "a switch without an address there talks to nobody itself")
	require.Nil(t, reach.Management(n, 0))
}

// rides says whether a VLAN rides another VID somewhere, so that what a device sends tells not
// all that it takes.
func rides(o *office.Office) bool {
	return slices.ContainsFunc(o.Devices, func(d *office.Device) bool {
		return slices.ContainsFunc(d.Ports, func(p office.Port) bool {
			shape, _ := o.Effective(d, d.Port(p.Name))
			return shape != nil && len(shape.Rides) > 0
		})
	})
}

// TestAsFramesGo: whoever is said to reach somebody does so by the frames that a walk follows,
// in drawn offices of every kind; and nobody else.
func TestAsFramesGo(t *testing.T) {
	yes, no := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		n := span.Compile(proof.Draw(t, 4))
		hearing, places := reach.In(n), reach.NewPlaces()
		var free []office.PortRef
		for i, d := range n.Office.Devices {
			for p := range d.Ports {
				if d.Ports[p].Bundle == 0 && len(n.Topo.LinksAt(i, p)) == 0 && !d.TalksItself() {
					free = append(free, office.PortRef{Device: d.Name, Port: d.Ports[p].Name})
				}
			}
		}
		if len(free) < 2 {
			return
		}
		from := rapid.SampledFrom(free).Draw(t, "from")
		wire := bridge.Wire(rapid.SampledFrom([]int{0, 10, 20}).Draw(t, "wire"))
		if wire == 0 {
			wire = bridge.Untagged
		}
		if n.Office.Device(from.Device).Unaware() && wire != bridge.Untagged && rides(n.Office) {
			return // a tag that nobody sends there: no span is worked out for what nobody asked for
		}
		out, err := walk.Broadcast(n, from, wire)
		require.NoError(t, err)
		arrives := map[walk.Arrival]bool{}
		for _, a := range out.Arrivals {
			arrives[a] = true
		}
		at := func(r office.PortRef) (int, int) {
			dev := n.Topo.DeviceIndex(r.Device)
			return dev, n.Office.Devices[dev].Port(r.Port)
		}
		dev, port := at(from)
		me := places.Port(n, dev, port, wire)
		for _, to := range free {
			if to == from {
				continue
			}
			dev, port := at(to)
			you := places.Port(n, dev, port, bridge.Untagged)
			if n.Office.Devices[dev].Unaware() {
				continue // what comes out there wears what it came in with
			}
			heard := hearing.Reaches(&me, &you)
			require.Equal(t, arrives[walk.Arrival{Port: to, Wire: bridge.Untagged}], heard, "%s %s to %s\n%s", from, wire, to, notation.Print(n.Office))
			if heard {
				yes++
			} else {
				no++
			}
		}
	})
	short.Met(t, yes, no)
}
