package office

import (
	"net/netip"
	"slices"
)

// Gate is where the hosts of a VLAN send what is for other subnets, in one family
// of addresses. The zero Gate is none.
type Gate struct {
	Dev     int // place in [Office.Devices]
	Address *Address
	// Rivals are the addresses that may be the gateway just as well, this one among
	// them, ascending, where nothing says which; empty where something does.
	Rivals []Rival
}

// Rival is an address that may be a VLAN's gateway.
type Rival struct {
	Dev  int
	Addr netip.Addr
}

// Is says whether there is a gateway.
func (g Gate) Is() bool { return g.Address != nil }

// Addr is the gateway's address, invalid where there is none.
func (g Gate) Addr() netip.Addr {
	if g.Address == nil {
		return netip.Addr{}
	}
	return g.Address.Prefix.Addr()
}

// Gateways is the gateway of every VLAN that has one, by family: [IPv4] and [IPv6].
type Gateways map[VID]*[2]Gate

// The families of addresses, as places in lists of two.
const (
	IPv4 = 0
	IPv6 = 1
)

// Family is that of an address.
func Family(addr netip.Addr) int {
	if addr.Is4() {
		return IPv4
	}
	return IPv6
}

// Of is the gateway of a VLAN in a family, the zero Gate for none.
func (g Gateways) Of(vid VID, family int) Gate {
	if x := g[vid]; x != nil {
		return x[family]
	}
	return Gate{}
}

// First is the gateway of a VLAN as people say it: of IPv4, else of IPv6.
func (g Gateways) First(vid VID) Gate {
	for family := range 2 {
		if gate := g.Of(vid, family); gate.Is() {
			return gate
		}
	}
	return Gate{}
}

// The claims of an address to be the gateway, the stronger the higher.
const (
	claimNone  = iota
	claimOnly  // it is there
	claimHands // its device hands out addresses there
	claimMark  // it is marked
)

// claim is how strongly an address claims to be its VLAN's gateway.
func (d *Device) claim(address *Address) int {
	switch {
	case address.Gateway:
		return claimMark
	case !d.Routing():
		return claimNone
	case address.From.IsValid():
		return claimHands
	}
	return claimOnly
}

// GatewaysOf decides, for all rooms, which address the hosts of each VLAN send to
// what is for other subnets: the one that is marked; else the one that hands out;
// else the only one; else the lowest by number, and its Rivals say that this is
// unclear. But for one that is marked, it is an address of a device that routes.
//
//	host nas            address 10 10.0.10.9/24            none: it does not route
//	router r1           address 10 10.0.10.1/24            the gateway of 10
//	router r2           address 10 10.0.10.2/24 gateway    now this is
func GatewaysOf(o *Office) Gateways {
	out := Gateways{}
	type best struct {
		claim int
		all   []Rival
	}
	claims := map[VID]*[2]best{}
	for dev, device := range o.Devices {
		for i := range device.Addresses {
			address := &device.Addresses[i]
			claim := device.claim(address)
			if claim == claimNone {
				continue
			}
			if claims[address.VID] == nil {
				claims[address.VID], out[address.VID] = &[2]best{}, &[2]Gate{}
			}
			addr := address.Prefix.Addr()
			family := Family(addr)
			one, gate := &claims[address.VID][family], &out[address.VID][family]
			switch {
			case claim < one.claim:
				continue
			case claim > one.claim:
				one.claim, one.all = claim, nil
				*gate = Gate{Dev: dev, Address: address}
			case addr.Less(gate.Addr()):
				gate.Dev, gate.Address = dev, address
			}
			one.all = append(one.all, Rival{dev, addr})
		}
	}
	for vid, families := range claims {
		for family := range families {
			if other := &families[family]; other.claim == claimOnly && len(other.all) > 1 {
				slices.SortStableFunc(other.all, func(a, b Rival) int { return a.Addr.Compare(b.Addr) })
				out[vid][family].Rivals = other.all
			}
		}
	}
	return out
}

// Differ lists the VLANs whose gateway two offices of the same devices put
// elsewhere.
func (g Gateways) Differ(gateways Gateways) (set Set) {
	for _, pair := range [][2]Gateways{{g, gateways}, {gateways, g}} {
		for vid := range pair[0] {
			for family := range 2 {
				gate, other := pair[0].Of(vid, family), pair[1].Of(vid, family)
				if gate.Is() != other.Is() || gate.Dev != other.Dev || gate.Is() && (gate.Addr() != other.Addr() || gate.Address.On != other.Address.On) {
					set.Add(vid)
				}
			}
		}
	}
	return set
}

// SameGates says whether a device offers itself as a gateway as another does.
func SameGates(a, b *Device) bool {
	return a == b || a.Routing() == b.Routing() && SameAddresses(a.Addresses, b.Addresses)
}
