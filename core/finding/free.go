package finding

import (
	"net/netip"

	"klammer/core/notation"
	"klammer/core/office"
)

// mostTried is how many addresses of a subnet are looked at for a free one.
const mostTried = 4096

// free is an address of a VLAN's subnet that nobody has and nobody hands out, in the prefix of that
// subnet: the same host as another one where that is free (10.61.110.9 for 10.61.99.9), else the
// lowest. Not valid where the register has no subnet of that family, or it is full.
func (c *check) free(vid office.VID, like netip.Addr) netip.Prefix {
	o := c.net.Office
	had := map[netip.Addr]bool{}
	for _, device := range o.Devices {
		if device.Manage != nil {
			had[device.Manage.Addr] = true
		}
		for _, address := range device.Addresses {
			had[address.Prefix.Addr()] = true
		}
	}
	for _, plug := range o.Plugs {
		had[plug.At] = true
	}
	in, same := c.subnets(vid, like)
	if !in.IsValid() {
		if len(same) == 0 {
			return netip.Prefix{}
		}
		in = same[0]
	}
	good := func(addr netip.Addr) bool {
		handing, _ := c.handsOut(vid, addr)
		return in.Contains(addr) && !had[addr] && handing == nil && addr != in.Masked().Addr() && notHost(addr, in) == ""
	}
	if addr := hostIn(in, like); good(addr) {
		return netip.PrefixFrom(addr, in.Bits())
	}
	addr := in.Masked().Addr()
	for range mostTried {
		if addr = addr.Next(); !in.Contains(addr) {
			break
		}
		if good(addr) {
			return netip.PrefixFrom(addr, in.Bits())
		}
	}
	return netip.Prefix{}
}

// hostIn is the host of an address in another subnet: the bits behind its prefix.
func hostIn(in netip.Prefix, like netip.Addr) netip.Addr {
	net, host := in.Masked().Addr().AsSlice(), like.AsSlice()
	for bit := in.Bits(); bit < len(net)*8; bit++ {
		net[bit/8] |= host[bit/8] & (0x80 >> (bit % 8))
	}
	addr, _ := netip.AddrFromSlice(net)
	return addr
}

// readdressed are ways out for a plug whose address cannot be: a free one, or, where its VLAN is
// handed addresses out, none of its own.
func (c *check) readdressed(plug office.Plug) (mends [][]string) {
	was := plug.At
	if to := c.free(plug.Wants, was); to.IsValid() {
		plug.At = to.Addr()
		mends = append(mends, []string{notation.Thing(plug)})
	}
	for _, device := range c.net.Office.Devices {
		for _, address := range device.Addresses {
			if address.VID == plug.Wants && address.From.IsValid() && address.From.Is4() == was.Is4() {
				plug.At = netip.Addr{}
				return append(mends, []string{notation.Thing(plug)})
			}
		}
	}
	return mends
}

// moved are ways out for an address of a device that cannot be: a free one of the VLAN's subnet, or
// the same with the subnet's prefix length.
func (c *check) moved(device *office.Device, vid office.VID, addr netip.Addr) [][]string {
	to, in := c.free(vid, addr), netip.Prefix{}
	if in, _ = c.subnets(vid, addr); in.IsValid() && notHost(addr, in) == "" {
		to = netip.PrefixFrom(addr, in.Bits())
	}
	if !to.IsValid() {
		return nil
	}
	for _, address := range device.Addresses {
		if address.VID == vid && address.Prefix.Addr() == addr {
			line := device.Name + " " + notation.AddressText(office.Address{VID: vid, Prefix: address.Prefix})
			address.Prefix = to
			if address.From.IsValid() && address.From.Is4() == addr.Is4() && !to.Contains(address.From) { // what it hands out goes along
				address.From, address.To = hostIn(to, address.From), hostIn(to, address.To)
			}
			return [][]string{{device.Name + " " + notation.AddressText(address), "-" + line}} // in this order, as rules may name its zone
		}
	}
	if manage := device.Manage; manage != nil && manage.Addr == addr {
		next := *manage
		next.Addr = to.Addr()
		if next.Bits != 0 {
			next.Bits = to.Bits()
		}
		return [][]string{{device.Name + " " + notation.ManageText(&next)}}
	}
	return nil
}
