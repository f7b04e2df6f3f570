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
	here := reach.Plug(w.n, &plug)
	hears := reach.In(w.n)
	for dev, d := range w.o.Devices {
		for k := range d.Addresses {
			if a := &d.Addresses[k]; a.VID == at.vid && a.From.IsValid() && here != nil && hears.Both(here, reach.Address(w.n, dev, a)) {
				return fmt.Sprintf(", where %s hands out addresses", d.Name)
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
	switch m := w.o.Devices[to].Manage; {
	case m == nil || m.VID != at.vid:
	case m.Addr.IsValid():
		return fmt.Sprintf("; set it by hand to an address in the subnet of %s (how long its prefix is nobody said, as in %s manage %d %s/24)", m.Addr, w.o.Devices[to].Name, m.VID, m.Addr)
	default:
		return fmt.Sprintf("; set it by hand to an address in the subnet that %s answers in: its manual says which (say it, as in %s factory 192.168.1.1/24 in %d)", w.o.Devices[to].Name, w.o.Devices[to].Name, at.vid)
	}
	return ""
}

// subnet is the IPv4 subnet, else that of IPv6, in which the laptop reaches a device in a
// VLAN: the device's own, else the VLAN's, else that of any device managed there; the
// zero Prefix where nobody knows one.
func (w *world) subnet(v office.VID, to int) netip.Prefix {
	vlan := w.o.VLAN(v)
	if m := w.o.Devices[to].Manage; m != nil && m.VID == v {
		if net := m.Net(vlan); net.IsValid() {
			return net
		}
		if m.Addr.IsValid() { // it took its address along into another VLAN, as people do
			for _, x := range w.o.VLANs {
				for _, net := range x.Nets {
					if net.Contains(m.Addr) {
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
	for _, d := range w.o.Devices {
		for _, a := range d.Addresses {
			if a.VID == v {
				return a.Prefix.Masked()
			}
		}
	}
	return netip.Prefix{}
}

// unused is the first address of a subnet that nobody has and nobody hands out; the zero
// Addr where there is none among the first few thousand.
func (w *world) unused(net netip.Prefix) netip.Addr {
	if !net.IsValid() {
		return netip.Addr{}
	}
	taken := map[netip.Addr]bool{net.Masked().Addr(): true, office.LastOf(net): true}
	offices := []*office.Office{w.o, w.p.was.from.Office, w.p.plan.from.Office}
	for _, o := range offices {
		for _, d := range o.Devices {
			for _, a := range d.Addresses {
				taken[a.Prefix.Addr()] = true
			}
			if d.Manage != nil {
				taken[d.Manage.Addr], taken[d.Manage.Via] = true, true
			}
			if d.Factory != nil {
				taken[d.Factory.Prefix.Addr()] = true
			}
		}
		for _, p := range o.Plugs {
			taken[p.At] = true
		}
	}
	handed := func(a netip.Addr) bool {
		for _, o := range offices {
			for _, d := range o.Devices {
				for _, x := range d.Addresses {
					if x.From.IsValid() && x.From.Compare(a) <= 0 && a.Compare(x.To) <= 0 {
						return true
					}
				}
			}
		}
		return false
	}
	a := net.Masked().Addr()
	for range mostAddresses {
		if a = a.Next(); !net.Contains(a) {
			break
		}
		if !taken[a] && !handed(a) {
			return a
		}
	}
	return netip.Addr{}
}

// mostAddresses is how many addresses of a subnet are looked at.
const mostAddresses = 4096
