package finding

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
)

// plugAddresses is plug-address: the addresses that plugs have of their own, held against
// their VLAN's subnets, what is handed out there, and everybody else's addresses.
func (c *check) plugAddresses() {
	o := c.n.Office
	if !slices.ContainsFunc(o.Plugs, func(p office.Plug) bool { return p.At.IsValid() }) {
		return
	}
	whose := map[netip.Addr]string{}
	for _, d := range o.Devices {
		if d.Manage != nil && d.Manage.Addr.IsValid() {
			whose[d.Manage.Addr] = "the management of " + d.Name
		}
		for _, a := range d.Addresses {
			whose[a.Prefix.Addr()] = d.Name
		}
	}
	for v := range c.n.Used().All() {
		for family := range 2 {
			if g := c.n.Gateways().Of(v, family); g.Is() {
				whose[g.Addr()] = "the gateway of " + c.n.Name(v)
			}
		}
	}
	first := map[netip.Addr]*office.Plug{}
	for i := range o.Plugs {
		p := &o.Plugs[i]
		if !p.At.IsValid() {
			continue
		}
		say := func(risk bool, format string, args ...any) {
			c.add(Finding{
				Code: PlugAddress, VLANs: []office.VID{p.Wants}, Ports: []office.PortRef{p.Port}, ID: about(PlugAddress, p.Port, p.Name),
				Text: fmt.Sprintf("%s at %s has the address %s, ", p.Name, portName(p.Port), p.At) + fmt.Sprintf(format, args...),
			})
			if risk {
				c.out[len(c.out)-1].Severity = Risk
			}
		}
		in, others := c.subnets(p.Wants, p.At)
		switch other, what := first[p.At], notHost(p.At, in); {
		case !in.IsValid() && others != nil:
			say(false, "which is outside %s, the subnet of %s.", others[0], c.n.Name(p.Wants))
		case in.IsValid() && what != "":
			say(false, "the %s of %s: nobody has it.", what, in)
		case whose[p.At] != "":
			say(false, "and so has %s: whoever answers first is asked.", whose[p.At])
		case other != nil && other.Name != p.Name: // one thing may be plugged in twice
			say(false, "and so has %s at %s: whoever answers first is asked.", other.Name, portName(other.Port))
		default:
			if d, a := c.handsOut(p.Wants, p.At); d != nil {
				say(true, "which %s hands out in %s, from %s to %s: somebody else may be given it.", d.Name, c.n.Name(p.Wants), a.From, a.To)
			}
		}
		if first[p.At] == nil {
			first[p.At] = p
		}
	}
}

// subnets is the subnet of a VLAN, by the register, that an address is in, and those of
// its family.
func (c *check) subnets(v office.VID, addr netip.Addr) (in netip.Prefix, same []netip.Prefix) {
	if x := c.n.Office.VLAN(v); x != nil {
		for _, n := range x.Nets {
			if n.Addr().Is4() == addr.Is4() {
				same = append(same, n)
			}
			if n.Contains(addr) {
				in = n
			}
		}
	}
	return in, same
}

// handsOut is the device that hands out an address in a VLAN, and by which address; nil
// where none does.
func (c *check) handsOut(v office.VID, addr netip.Addr) (*office.Device, *office.Address) {
	for _, d := range c.n.Office.Devices {
		for i := range d.Addresses {
			if a := &d.Addresses[i]; a.VID == v && a.From.IsValid() && a.From.Is4() == addr.Is4() && a.From.Compare(addr) <= 0 && addr.Compare(a.To) <= 0 {
				return d, a
			}
		}
	}
	return nil, nil
}
