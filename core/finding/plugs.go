package finding

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
)

// plugAddresses is plug-address: the addresses that plugs have of their own, held against
// their VLAN's subnets, what is handed out there, and everybody else's addresses.
//
//	> plug core.2 printer wants 110 at 10.61.110.20
//	plug-address: printer at core 2 has the address 10.61.110.20, and so has reception pc at
//	    core 1: whoever answers first is asked.
//	  mend: plug core.2 "printer" wants 110 at 10.61.110.2
//	  mend: plug core.2 "printer" wants 110
//
// Many branches: one a thing that an address can clash with.
func (c *check) plugAddresses() {
	o := c.net.Office
	if !slices.ContainsFunc(o.Plugs, func(plug office.Plug) bool { return plug.At.IsValid() }) {
		return
	}
	whose := map[netip.Addr]string{}
	for _, device := range o.Devices {
		if device.Manage != nil && device.Manage.Addr.IsValid() {
			whose[device.Manage.Addr] = "the management of " + device.Name
		}
		for _, address := range device.Addresses {
			whose[address.Prefix.Addr()] = device.Name
		}
	}
	for vid := range c.net.Used().All() {
		for family := range 2 {
			if gate := c.net.Gateways().Of(vid, family); gate.Is() {
				whose[gate.Addr()] = "the gateway of " + c.net.Name(vid)
			}
		}
	}
	first := map[netip.Addr]*office.Plug{}
	for i := range o.Plugs {
		plug := &o.Plugs[i]
		if !plug.At.IsValid() {
			continue
		}
		say := func(risk bool, format string, args ...any) {
			c.add(Finding{
				Code: PlugAddress, VLANs: []office.VID{plug.Wants}, Ports: []office.PortRef{plug.Port}, ID: about(PlugAddress, plug.Port, plug.Name),
				Text:    fmt.Sprintf("%s at %s has the address %s, ", plug.Name, portName(plug.Port), plug.At) + fmt.Sprintf(format, args...),
				propose: func() [][]string { return c.readdressed(*plug) },
			})
			if risk {
				c.out[len(c.out)-1].Severity = Risk
			}
		}
		in, others := c.subnets(plug.Wants, plug.At)
		switch other, what := first[plug.At], notHost(plug.At, in); {
		case !in.IsValid() && others != nil:
			say(false, "which is outside %s, the subnet of %s.", others[0], c.net.Name(plug.Wants))
		case in.IsValid() && what != "":
			say(false, "the %s of %s: nobody has it.", what, in)
		case whose[plug.At] != "":
			say(false, "and so has %s: whoever answers first is asked.", whose[plug.At])
		case other != nil && other.Name != plug.Name: // one thing may be plugged in twice
			say(false, "and so has %s at %s: whoever answers first is asked.", other.Name, portName(other.Port))
		default:
			if device, address := c.handsOut(plug.Wants, plug.At); device != nil {
				say(true, "which %s hands out in %s, from %s to %s: somebody else may be given it.", device.Name, c.net.Name(plug.Wants), address.From, address.To)
			}
		}
		if first[plug.At] == nil {
			first[plug.At] = plug
		}
	}
}

// subnets is the subnet of a VLAN, by the register, that an address is in, and those of
// its family.
func (c *check) subnets(vid office.VID, addr netip.Addr) (in netip.Prefix, same []netip.Prefix) {
	if vlan := c.net.Office.VLAN(vid); vlan != nil {
		for _, prefix := range vlan.Nets {
			if prefix.Addr().Is4() == addr.Is4() {
				same = append(same, prefix)
			}
			if prefix.Contains(addr) {
				in = prefix
			}
		}
	}
	return in, same
}

// handsOut is the device that hands out an address in a VLAN, and by which address; nil
// where none does.
//
//	> plug core.2 printer wants 110 at 10.61.110.60
//	plug-address: printer at core 2 has the address 10.61.110.60, which gate hands out in 110
//	    reception, from 10.61.110.50 to 10.61.110.220: somebody else may be given it.
//	  mend: plug core.2 "printer" wants 110 at 10.61.110.2
//	  mend: plug core.2 "printer" wants 110
func (c *check) handsOut(vid office.VID, addr netip.Addr) (*office.Device, *office.Address) {
	for _, device := range c.net.Office.Devices {
		for i := range device.Addresses {
			if address := &device.Addresses[i]; address.VID == vid && address.From.IsValid() && address.From.Is4() == addr.Is4() && address.From.Compare(addr) <= 0 && addr.Compare(address.To) <= 0 {
				return device, address
			}
		}
	}
	return nil, nil
}
