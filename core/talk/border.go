package talk

import (
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Border is what one device lets pass between its interfaces, wherever packets come from
// and whatever becomes of them behind it.
type Border struct {
	r     *router
	names []netip.Prefix
}

// BorderOf is a device's, by its rules.
func BorderOf(o *office.Office, d *office.Device) *Border {
	b := &Border{r: alone(d)}
	b.r.take(o)
	for _, n := range b.r.nets {
		for p := range n.of {
			b.names = append(b.names, p)
		}
	}
	slices.SortFunc(b.names, netip.Prefix.Compare)
	return b
}

// alone is a device's interfaces without the office around it.
func alone(d *office.Device) *router {
	r := &router{d: d}
	for _, a := range d.Addresses {
		if r.iface(a.VID) < 0 {
			r.ifaces = append(r.ifaces, iface{a.VID, d.ZoneOf(a.VID)})
		}
	}
	r.ifaces = append(r.ifaces, iface{})
	return r
}

// Names is the prefixes that the rules tell apart, ascending.
func (b *Border) Names() []netip.Prefix { return b.names }

// Lets is the services that pass from an address behind one interface to an address behind
// another; a VLAN that is 0 is the outside. A device that has no address in a VLAN lets
// nothing pass there.
func (b *Border) Lets(in, out office.VID, src, dst netip.Addr) *Services {
	i, j := b.at(in), b.at(out)
	if i < 0 || j < 0 {
		return None
	}
	return b.r.passes(i, j, &Part{masks: []masks{b.r.maskOf(src)}}, &Part{masks: []masks{b.r.maskOf(dst)}})
}

func (b *Border) at(v office.VID) int {
	if v == 0 {
		return b.r.outside()
	}
	return b.r.iface(v)
}
