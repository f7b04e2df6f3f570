package server

import (
	"net"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/office"
)

// TestWithinLimits: just as much as a limit says is within it, one more is not,
// and the refusal names it.
func TestWithinLimits(t *testing.T) {
	devices := func(n, ports, addresses int) (all []*office.Device) {
		for range n {
			all = append(all, &office.Device{Ports: make([]office.Port, ports), Addresses: make([]office.Address, addresses)})
		}
		return all
	}
	list := func(n int) (out []office.VID) { // none beside another, so that none is a range
		for i := range n {
			out = append(out, office.VID(1+2*i%4000))
		}
		return out
	}
	for _, row := range []struct {
		says string
		most int
		make func(n int) *office.Office
	}{
		{"devices", 2000, func(n int) *office.Office { return &office.Office{Devices: devices(n, 0, 0)} }},
		{"ports", 65_536, func(n int) *office.Office { return &office.Office{Devices: devices(1, n, 0)} }},
		{"cables", 20_000, func(n int) *office.Office { return &office.Office{Cables: make([]office.Cable, n)} }},
		{"plugs", 20_000, func(n int) *office.Office { return &office.Office{Plugs: make([]office.Plug, n)} }},
		{"uses", 20_000, func(n int) *office.Office {
			o := &office.Office{}
			for range n {
				o.Uses = append(o.Uses, &office.Use{})
			}
			return o
		}},
		{"lines of port plans", 20_000, func(n int) *office.Office {
			return &office.Office{Plans: []*office.Plan{{Lines: make([]office.PlanLine, n-1)}, {Lines: make([]office.PlanLine, 1)}}}
		}},
		{"VLANs", 4094, func(n int) *office.Office {
			o := &office.Office{}
			for range n {
				o.VLANs = append(o.VLANs, &office.VLAN{})
			}
			return o
		}},
		{"subnets and addresses", 8192, func(n int) *office.Office {
			return &office.Office{Devices: devices(1, 0, n-1), VLANs: []*office.VLAN{{Nets: make([]netip.Prefix, 1)}}}
		}},
		{"VLANs that devices have addresses in", 1000, func(n int) *office.Office {
			d := &office.Device{}
			for i := range n {
				d.Addresses = append(d.Addresses, office.Address{VID: office.VID(i + 1)})
			}
			return &office.Office{Devices: []*office.Device{d}}
		}},
		{"rules", 5000, func(n int) *office.Office {
			return &office.Office{Devices: []*office.Device{{Rules: make([]office.Rule, n-1)}, {Rules: make([]office.Rule, 1)}}}
		}},
		{"routes", 5000, func(n int) *office.Office {
			return &office.Office{Devices: []*office.Device{{Routes: make([]office.Route, n)}}}
		}},
		{"addresses and prefixes named", 2000, func(n int) *office.Office {
			r := office.Rule{}
			for i := range n {
				r.From = append(r.From, office.Side{Kind: office.SideNet, Net: netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(i >> 8), byte(i), 1}), 32)})
			}
			return &office.Office{Devices: []*office.Device{{Rules: []office.Rule{r}}}}
		}},
		{"wishes", 200, func(n int) *office.Office {
			o := &office.Office{}
			for range n {
				o.Wishes = append(o.Wishes, &office.Wish{})
			}
			return o
		}},
		{"VLANs named on ports", 100_000, func(n int) *office.Office {
			x := devices(1, 2, 0)
			first, second := office.Shape{Untagged: list(n / 2)}, office.Shape{Tagged: list(n - n/2)}
			x[0].Ports[0].Shape, x[0].Ports[1].Shape = &first, &second
			return &office.Office{Devices: x}
		}},
	} {
		require.NoError(t, withinLimits(row.make(row.most)), row.says)
		err := withinLimits(row.make(row.most + 1))
		require.ErrorContains(t, err, row.says)
	}
	all := office.Shape{Tagged: make([]office.VID, 0, 4094)}
	for v := office.VID(1); v <= 4094; v++ {
		all.Tagged = append(all.Tagged, v)
	}
	x := devices(1, 60_000, 0)
	for p := range x[0].Ports {
		s := all
		x[0].Ports[p].Shape = &s
	}
	require.NoError(t, withinLimits(&office.Office{Devices: x}), "a range counts as one")
}

// from is a connection from an address, and a listener that has but those.
type from struct {
	net.Conn
	at     string
	closed bool
}

func (f *from) RemoteAddr() net.Addr { return net.TCPAddrFromAddrPort(netip.MustParseAddrPort(f.at)) }
func (f *from) Close() error         { f.closed = true; return nil }

type queue struct {
	net.Listener
	all []net.Conn
}

func (q *queue) Accept() (net.Conn, error) {
	if len(q.all) == 0 {
		return nil, net.ErrClosed
	}
	first := q.all[0]
	q.all = q.all[1:]
	return first, nil
}

// TestDoors: one address, or one network of IPv6, has so many connections and no more;
// others, and this machine, find room; what is closed makes room, once.
func TestDoors(t *testing.T) {
	q := &queue{}
	come := func(n int, at string) (all []*from) {
		for range n {
			f := &from{at: at}
			all, q.all = append(all, f), append(q.all, f)
		}
		return all
	}
	d := Doors(q)
	in := func() (all []net.Conn) {
		for {
			c, err := d.Accept()
			if err != nil {
				return all
			}
			all = append(all, c)
		}
	}
	first := come(mostOfAddress+5, "192.0.2.1:1000")
	inside := in()
	require.Len(t, inside, mostOfAddress)
	require.False(t, first[mostOfAddress-1].closed)
	for _, f := range first[mostOfAddress:] {
		require.True(t, f.closed)
	}
	come(1, "192.0.2.2:1000")
	come(2, "[::ffff:192.0.2.1]:1000") // the first, written otherwise
	come(2*mostOfAddress, "127.0.0.1:1000")
	come(1, "[2001:db8::1]:1000")
	require.Len(t, in(), 1+2*mostOfAddress+1)
	come(mostOfAddress, "[2001:db8:0:0:ffff::7]:1000") // one is there
	require.Len(t, in(), mostOfAddress-1)
	come(1, "[2001:db8:0:1::7]:1000")
	require.Len(t, in(), 1)

	require.NoError(t, inside[0].Close())
	_ = inside[0].Close() // twice, as servers do
	require.True(t, first[0].closed)
	come(3, "192.0.2.1:1001")
	require.Len(t, in(), 1)
}
