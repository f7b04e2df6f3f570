package order

import (
	"fmt"
	"net/netip"

	"klammer/core/office"
	"klammer/core/reach"
)

// address says which address the laptop has where it goes, to set a device: what is
// handed out there, its own, or one to be set by hand that nobody has.
//
//	, where gate hands out addresses
//	; set it to 192.168.1.2/24 by hand
func (w *world) address(at spot, to int) string {
	if at.console {
		return ""
	}
	there := *w
	there.at = at
	plug, _ := there.plug()
	here := reach.Plug(w.net, &plug)
	hears := reach.In(w.net)
	for dev, device := range w.office.Devices {
		for k := range device.Addresses {
			if address := &device.Addresses[k]; address.VID == at.vid && address.From.IsValid() && here != nil && hears.Both(here, reach.Address(w.net, dev, address)) {
				return fmt.Sprintf(", where %s hands out addresses", device.Name)
			}
		}
	}
	net := w.subnet(at.vid, to)
	if plug.At.IsValid() && (!net.IsValid() || net.Contains(plug.At)) {
		return fmt.Sprintf(", with its address %s", plug.At)
	}
	if free := w.unused(net); free.IsValid() {
		return fmt.Sprintf("; set it to %s/%d by hand", free, net.Bits())
	}
	switch manage := w.office.Devices[to].Manage; {
	case manage == nil || manage.VID != at.vid:
	case manage.Addr.IsValid():
		return fmt.Sprintf("; set it by hand to an address in the subnet of %s (how long its prefix is nobody said, as in %s manage %d %s/24)", manage.Addr, w.office.Devices[to].Name, manage.VID, manage.Addr)
	default:
		return fmt.Sprintf("; set it by hand to an address in the subnet that %s answers in: its manual says which (say it, as in %s factory 192.168.1.1/24 in %d)", w.office.Devices[to].Name, w.office.Devices[to].Name, at.vid)
	}
	return ""
}

// subnet is the IPv4 subnet, else that of IPv6, in which the laptop reaches a device in a
// VLAN: the device's own, else the VLAN's, else that of any device managed there; the
// zero Prefix where nobody knows one.
func (w *world) subnet(vid office.VID, to int) netip.Prefix {
	vlan := w.office.VLAN(vid)
	if manage := w.office.Devices[to].Manage; manage != nil && manage.VID == vid {
		if net := manage.Net(vlan); net.IsValid() {
			return net
		}
		if manage.Addr.IsValid() { // it took its address along into another VLAN, as people do
			for _, one := range w.office.VLANs {
				for _, net := range one.Nets {
					if net.Contains(manage.Addr) {
						return net
					}
				}
			}
			return netip.Prefix{}
		}
	}
	if vlan != nil && len(vlan.Nets) > 0 {
		return vlan.Nets[0]
	}
	for _, device := range w.office.Devices {
		for _, address := range device.Addresses {
			if address.VID == vid {
				return address.Prefix.Masked()
			}
		}
	}
	return netip.Prefix{}
}

// unused is the first address of a subnet that nobody has and nobody hands out; the zero
// Addr where there is none among the first few thousand.
//
//	> floor 8: 110 [140 160 190]; core 7: 110 [140 160 190]
//	1. core, set: VLAN 190 devices: untagged 5,8, tagged 7
//	2. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	3. core, save: Save, so that it stays after a power cut
//	4. floor, set: VLAN 190 devices: untagged none, tagged 8
//	5. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	6. floor, save: Save, so that it stays after a power cut
//	7. core, set: PVID of 7: 110
//	8. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	9. core, save: Save, so that it stays after a power cut
//	10. floor, set: VLAN 110 reception: untagged 1-4,8, tagged none
//	11. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	12. floor, save: Save, so that it stays after a power cut
//	13. core, set: VLAN 110 reception: untagged 1-3,7, tagged 8
//	14. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	15. core, save: Save, so that it stays after a power cut
func (w *world) unused(net netip.Prefix) netip.Addr {
	if !net.IsValid() {
		return netip.Addr{}
	}
	taken := map[netip.Addr]bool{net.Masked().Addr(): true, office.LastOf(net): true}
	offices := []*office.Office{w.office, w.problem.was.from.Office, w.problem.plan.from.Office}
	for _, o := range offices {
		for _, device := range o.Devices {
			for _, address := range device.Addresses {
				taken[address.Prefix.Addr()] = true
			}
			if device.Manage != nil {
				taken[device.Manage.Addr], taken[device.Manage.Via] = true, true
			}
			if device.Factory != nil {
				taken[device.Factory.Prefix.Addr()] = true
			}
		}
		for _, plug := range o.Plugs {
			taken[plug.At] = true
		}
	}
	handed := func(addr netip.Addr) bool {
		for _, o := range offices {
			for _, device := range o.Devices {
				for _, address := range device.Addresses {
					if address.From.IsValid() && address.From.Compare(addr) <= 0 && addr.Compare(address.To) <= 0 {
						return true
					}
				}
			}
		}
		return false
	}
	one := net.Masked().Addr()
	for range mostAddresses {
		if one = one.Next(); !net.Contains(one) {
			break
		}
		if !taken[one] && !handed(one) {
			return one
		}
	}
	return netip.Addr{}
}

// mostAddresses is how many addresses of a subnet are looked at.
const mostAddresses = 4096
