package talk

import (
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Border is what one device lets pass between its interfaces, wherever packets come from
// and whatever becomes of them behind it.
type Border struct {
	router *router
	names  []netip.Prefix
}

// BorderOf is a device's, by its rules.
func BorderOf(o *office.Office, device *office.Device) *Border {
	border := &Border{router: alone(device)}
	border.router.take(o)
	for _, net := range border.router.nets {
		for prefix := range net.of {
			border.names = append(border.names, prefix)
		}
	}
	slices.SortFunc(border.names, netip.Prefix.Compare)
	return border
}

// alone is a device's interfaces without the office around it.
func alone(device *office.Device) *router {
	one := &router{device: device}
	for _, address := range device.Addresses {
		if one.iface(address.VID) < 0 {
			one.ifaces = append(one.ifaces, iface{address.VID, device.ZoneOf(address.VID)})
		}
	}
	one.ifaces = append(one.ifaces, iface{})
	return one
}

// Names is the prefixes that the rules tell apart, ascending.
func (b *Border) Names() []netip.Prefix { return b.names }

// Lets is the services that pass from an address behind one interface to an address behind
// another; a VLAN that is 0 is the outside. A device that has no address in a VLAN lets
// nothing pass there.
//
//	> -gate outside fibre
//	reception loses everything to the outside
//	guests lose everything to the outside
//	devices lose everything to the outside
func (b *Border) Lets(in, out office.VID, src, dst netip.Addr) *Services {
	i, j := b.at(in), b.at(out)
	if i < 0 || j < 0 {
		return None
	}
	return b.router.passes(i, j, &Part{masks: []masks{b.router.maskOf(src)}}, &Part{masks: []masks{b.router.maskOf(dst)}})
}

// at is the interface of the border's router that a side of it is: 0 stands for the outside.
func (b *Border) at(vid office.VID) int {
	if vid == 0 {
		return b.router.outside()
	}
	return b.router.iface(vid)
}
