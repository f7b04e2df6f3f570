package command

import (
	"fmt"
	"net/netip"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
)

// doRenumber gives a VLAN another number wherever it is named; with subnets, the subnets and
// addresses that show the old number as well.
func doRenumber(net *span.Net, args *args) (*Result, error) {
	from := args.vlan()
	token := args.next()
	subnets := args.accept("with")
	if subnets && !args.accept("subnets") {
		args.wrong(args.end, "with what")
	}
	anyway := subnets && args.accept("anyway")
	if !args.done() {
		return nil, nil
	}
	to, err := findVLAN(&office.Office{}, token.text)
	if err != nil {
		return nil, mistake(1, token.at, fmt.Sprintf("%q is not a VID: a whole number from 1 to 4094", token.text))
	}
	return Renumber(net, from, to, subnets, anyway)
}

// Renumber gives a VLAN another VID everywhere: in the register, on ports, in
// uses and plans, for addresses, management and plugs. With subnets, those that
// show the old VID show the new one, and the addresses in them move along; the
// notes say each. Where a subnet would leave the range of addresses that it is
// in (10.0.0.0/8 and the like), it is asked for anyway.
//
//	> renumber 160 to 165 with subnets
//	-plug floor.5 "tablet"
//	-vlan 160
//	vlan 165 guests net 10.61.165.0/24
//	-gate address 160 10.61.160.1/24
//	gate address 165 10.61.165.1/24 on lan1 zone guests handout 10.61.165.20-10.61.165.250
//	core 4: 165
//	floor 5: 165
//	plug floor.5 "tablet" wants 165
//	# subnet 10.61.160.0/24 becomes 10.61.165.0/24
func Renumber(net *span.Net, from, to office.VID, subnets, anyway bool) (*Result, error) {
	o := net.Office
	var notes []string
	switch {
	case from == to:
		return nil, fmt.Errorf("VLAN %d has that number already", from)
	case o.VLAN(from) == nil && !net.Used().Has(from):
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to renumber", from)
	case o.VLAN(to) != nil:
		return nil, fmt.Errorf("%s is there already: two VLANs would become one", net.Name(to))
	}
	if sits := sitsBut(net, to, func(dev, port int) bool { return letsIn(net, dev, port, to) }); len(sits) > 0 {
		return nil, fmt.Errorf("VLAN %d is there already, %s: two VLANs would become one", to, sits[0])
	}
	for _, r := range letIn(net, to) {
		notes = append(notes, fmt.Sprintf("%s lets VLAN %d in by its range: it is in the VLAN from then on", r, to))
	}
	refs := &office.Refs{VID: func(vid office.VID) office.VID {
		if vid == from {
			return to
		}
		return vid
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
	if vlan := o.VLAN(from); vlan != nil && !subnets {
		for _, prefix := range vlan.Nets {
			if _, ok := showing(o, prefix, from, to); ok {
				result.Notes = append(result.Notes, fmt.Sprintf("%s shows the old number: add with subnets to move it along", prefix))
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
		other, ok := showing(o, prefix, vlan.VID, to)
		switch {
		case !ok && finding.ShowsVID(prefix, vlan.VID):
			notes = append(notes, fmt.Sprintf("subnet %s stays: %d cannot stand in it", prefix, to))
		case !ok:
		case block(prefix) != block(other) && !anyway:
			return nil, fmt.Errorf("%s would become %s, which is outside of %s, where it is now: say with subnets anyway if that is meant, or leave the subnets", prefix, other, block(prefix))
		default:
			now[prefix] = other
			notes = append(notes, fmt.Sprintf("subnet %s becomes %s", prefix, other))
		}
	}
	within := func(prefix netip.Prefix) netip.Prefix {
		for _, other := range vlan.Nets {
			if one, ok := now[other]; ok && prefix.IsValid() && prefix.Bits() >= other.Bits() && other.Contains(prefix.Addr()) {
				return netip.PrefixFrom(moved(prefix.Addr(), other, one), prefix.Bits())
			}
		}
		return prefix
	}
	refs.Net = within
	refs.Subnet = func(of office.VID, prefix netip.Prefix) netip.Prefix {
		if of != vlan.VID {
			return prefix
		}
		return within(prefix)
	}
	refs.Addr = func(in office.VID, addr netip.Addr) netip.Addr {
		if in != 0 && in != vlan.VID {
			return addr
		}
		return within(netip.PrefixFrom(addr, addr.BitLen())).Addr()
	}
	return notes, nil
}
