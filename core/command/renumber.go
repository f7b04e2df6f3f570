package command

import (
	"fmt"
	"net/netip"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
)

func doRenumber(n *span.Net, a *args) (*Result, error) {
	from := a.vlan()
	t := a.next()
	subnets := a.accept("with")
	if subnets && !a.accept("subnets") {
		a.wrong(a.end, "with what")
	}
	anyway := subnets && a.accept("anyway")
	if !a.done() {
		return nil, nil
	}
	to, err := findVLAN(&office.Office{}, t.text)
	if err != nil {
		return nil, mistake(1, t.at, fmt.Sprintf("%q is not a VID: a whole number from 1 to 4094", t.text))
	}
	return Renumber(n, from, to, subnets, anyway)
}

// Renumber gives a VLAN another VID everywhere: in the register, on ports, in
// uses and plans, for addresses, management and plugs. With subnets, those that
// show the old VID show the new one, and the addresses in them move along; the
// notes say each. Where a subnet would leave the range of addresses that it is
// in (10.0.0.0/8 and the like), it is asked for anyway.
func Renumber(n *span.Net, from, to office.VID, subnets, anyway bool) (*Result, error) {
	o := n.Office
	var notes []string
	switch {
	case from == to:
		return nil, fmt.Errorf("VLAN %d has that number already", from)
	case o.VLAN(from) == nil && !n.Used().Has(from):
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to renumber", from)
	case o.VLAN(to) != nil:
		return nil, fmt.Errorf("%s is there already: two VLANs would become one", n.Name(to))
	}
	if sits := sitsBut(n, to, func(dev, port int) bool { return letsIn(n, dev, port, to) }); len(sits) > 0 {
		return nil, fmt.Errorf("VLAN %d is there already, %s: two VLANs would become one", to, sits[0])
	}
	for _, r := range letIn(n, to) {
		notes = append(notes, fmt.Sprintf("%s lets VLAN %d in by its range: it is in the VLAN from then on", r, to))
	}
	refs := &office.Refs{VID: func(v office.VID) office.VID {
		if v == from {
			return to
		}
		return v
	}}
	if vlan := o.VLAN(from); vlan != nil && subnets {
		told, err := moveSubnets(o, vlan, to, anyway, refs)
		if err != nil {
			return nil, err
		}
		notes = append(notes, told...)
	}
	result, err := refer(o, refs)
	if err != nil {
		return nil, err
	}
	result.Notes = notes
	if v := o.VLAN(from); v != nil && !subnets {
		for _, p := range v.Nets {
			if _, ok := showing(o, p, from, to); ok {
				result.Notes = append(result.Notes, fmt.Sprintf("%s shows the old number: add with subnets to move it along", p))
			}
		}
	}
	return result, nil
}

// moveSubnets has the subnets of a VLAN that show its number show another, with all
// that is in them.
func moveSubnets(o *office.Office, vlan *office.VLAN, to office.VID, anyway bool, refs *office.Refs) (notes []string, err error) {
	now := map[netip.Prefix]netip.Prefix{}
	for _, prefix := range vlan.Nets {
		q, ok := showing(o, prefix, vlan.VID, to)
		switch {
		case !ok && finding.ShowsVID(prefix, vlan.VID):
			notes = append(notes, fmt.Sprintf("subnet %s stays: %d cannot stand in it", prefix, to))
		case !ok:
		case block(prefix) != block(q) && !anyway:
			return nil, fmt.Errorf("%s would become %s, which is outside of %s, where it is now: say with subnets anyway if that is meant, or leave the subnets", prefix, q, block(prefix))
		default:
			now[prefix] = q
			notes = append(notes, fmt.Sprintf("subnet %s becomes %s", prefix, q))
		}
	}
	within := func(x netip.Prefix) netip.Prefix {
		for _, p := range vlan.Nets {
			if q, ok := now[p]; ok && x.IsValid() && x.Bits() >= p.Bits() && p.Contains(x.Addr()) {
				return netip.PrefixFrom(moved(x.Addr(), p, q), x.Bits())
			}
		}
		return x
	}
	refs.Net = within
	refs.Subnet = func(of office.VID, p netip.Prefix) netip.Prefix {
		if of != vlan.VID {
			return p
		}
		return within(p)
	}
	refs.Addr = func(in office.VID, a netip.Addr) netip.Addr {
		if in != 0 && in != vlan.VID {
			return a
		}
		return within(netip.PrefixFrom(a, a.BitLen())).Addr()
	}
	return notes, nil
}
