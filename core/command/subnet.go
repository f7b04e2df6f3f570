package command

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/finding"
	"klammer/core/office"
)

// showing is a subnet with the VID that it shows replaced by another, where
// that can be: 10.61.110.0/24 for 110 becomes 10.61.115.0/24 for 115. Of several
// parts that are the number, the one changes in which the office's other VLANs
// show theirs, else the last that the prefix covers.
func showing(o *office.Office, prefix netip.Prefix, from, to office.VID) (netip.Prefix, bool) {
	want := strconv.Itoa(int(from))
	parts := finding.Parts(prefix)
	votes := make([]int, len(parts))
	for _, vlan := range o.VLANs {
		for _, other := range vlan.Nets {
			if vlan.VID == from || other.Addr().Is4() != prefix.Addr().Is4() {
				continue
			}
			for i, x := range finding.Parts(other) {
				if i < len(votes) && x == strconv.Itoa(int(vlan.VID)) {
					votes[i]++
				}
			}
		}
	}
	at := -1
	for i, x := range parts {
		if x == want && (at < 0 || votes[i] >= votes[at]) {
			at = i
		}
	}
	if at < 0 {
		return prefix, false
	}
	all, sep := strings.Split(prefix.Addr().String(), "."), "."
	if !prefix.Addr().Is4() {
		all, sep = strings.Split(prefix.Addr().StringExpanded(), ":"), ":"
	}
	all[at] = strconv.Itoa(int(to))
	addr, err := netip.ParseAddr(strings.Join(all, sep))
	if err != nil {
		return prefix, false // 300 is no number of an IPv4 address
	}
	one := netip.PrefixFrom(addr, prefix.Bits())
	return one, one.Masked() == one
}

// ShowsNumber says whether a subnet of a VLAN shows its number, so that renumbering it
// with its subnets would move one along.
//
//	> renumber 110 to 300 with subnets
//	-plug core.1 "reception pc"
//	-plug floor.1 "desk pc"
//	-vlan 110
//	vlan 300 reception net 10.61.110.0/24
//	use desk 300 [140]
//	-gate address 110 10.61.110.1/24
//	gate address 300 10.61.110.1/24 on lan1 zone staff handout 10.61.110.50-10.61.110.220
//	plug core.1 "reception pc" wants 300 at 10.61.110.20
//	plug floor.1 "desk pc" wants 300
//	# subnet 10.61.110.0/24 stays: 300 cannot stand in it
func ShowsNumber(o *office.Office, vlan *office.VLAN) bool {
	return slices.ContainsFunc(vlan.Nets, func(prefix netip.Prefix) bool {
		_, ok := showing(o, prefix, vlan.VID, vlan.VID)
		return ok
	})
}

// blocks are the ranges that subnets of an office lie in (RFC 1918, RFC 4193,
// RFC 6598, RFC 3927, RFC 4291).
var blocks = func() (out []netip.Prefix) {
	for _, text := range []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "169.254.0.0/16", "127.0.0.0/8", "224.0.0.0/4", "fc00::/7", "fe80::/10", "ff00::/8"} {
		out = append(out, netip.MustParsePrefix(text))
	}
	return out
}()

// block is the range that a subnet lies in, in words where it is a public one.
func block(prefix netip.Prefix) string {
	for _, other := range blocks {
		if other.Overlaps(prefix) {
			return other.String()
		}
	}
	return "the public addresses"
}

// moved is an address with the host part it has in one subnet, in another of
// the same length.
func moved(addr netip.Addr, from, to netip.Prefix) netip.Addr {
	b, net := addr.AsSlice(), to.Masked().Addr().AsSlice()
	for i := range b {
		keep := byte(0xff)
		switch bits := to.Bits() - 8*i; {
		case bits >= 8:
			keep = 0
		case bits > 0:
			keep = 0xff >> bits
		}
		b[i] = b[i]&keep | net[i]&^keep
	}
	other, _ := netip.AddrFromSlice(b)
	return other
}
