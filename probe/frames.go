package probe

import (
	"net"
	"net/netip"
	"slices"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"klammer/core/office"
	"klammer/core/round"
)

var (
	everybody  = net.HardwareAddr{0xff, 0xff, 0xff, 0xff, 0xff, 0xff}
	nobody     = netip.IPv4Unspecified()
	all        = netip.MustParseAddr("255.255.255.255")
	allNodes   = netip.MustParseAddr("ff02::1")
	allRouters = netip.MustParseAddr("ff02::2")
)

// frame is a whole frame with a tag, from the layers above Ethernet.
func (l *Laptop) frame(tag office.VID, to net.HardwareAddr, kind layers.EthernetType, above ...gopacket.SerializableLayer) []byte {
	eth := &layers.Ethernet{SrcMAC: l.mac, DstMAC: to, EthernetType: kind}
	parts := []gopacket.SerializableLayer{eth}
	if tag != 0 {
		eth.EthernetType = layers.EthernetTypeDot1Q
		parts = append(parts, &layers.Dot1Q{VLANIdentifier: uint16(tag), Type: kind})
	}
	buffer := gopacket.NewSerializeBuffer()
	if err := gopacket.SerializeLayers(buffer, gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}, append(parts, above...)...); err != nil {
		panic(err) // only what this package makes goes in
	}
	return buffer.Bytes()
}

// head is what stands in the header of a packet of IP (RFC 791, 3.1; RFC 8200, 3).
type head struct {
	from, dst netip.Addr
	hops      uint8 // time to live, hop limit
	kind      layers.IPProtocol
}

// packet is a whole frame with a packet of IP, from the layers above that.
func (l *Laptop) packet(tag office.VID, to net.HardwareAddr, head head, above ...gopacket.SerializableLayer) []byte {
	from, dst, hops, kind := head.from, head.dst, head.hops, head.kind
	var ip gopacket.NetworkLayer
	eth := layers.EthernetTypeIPv4
	if dst.Is4() {
		ip = &layers.IPv4{Version: 4, TTL: hops, Protocol: kind, SrcIP: from.AsSlice(), DstIP: dst.AsSlice()}
	} else {
		eth = layers.EthernetTypeIPv6
		ip = &layers.IPv6{Version: 6, HopLimit: hops, NextHeader: kind, SrcIP: from.AsSlice(), DstIP: dst.AsSlice()}
	}
	for _, layer := range above {
		if x, ok := layer.(interface {
			SetNetworkLayerForChecksum(gopacket.NetworkLayer) error
		}); ok {
			if err := x.SetNetworkLayerForChecksum(ip); err != nil {
				panic(err)
			}
		}
	}
	return l.frame(tag, to, eth, append([]gopacket.SerializableLayer{ip.(gopacket.SerializableLayer)}, above...)...)
}

// linkLocal is the address that a card has in every network by itself (RFC 4291, 2.5.6).
func linkLocal(mac net.HardwareAddr) netip.Addr {
	return within(netip.MustParsePrefix("fe80::/64"), mac)
}

// within is the address of a card in a prefix (RFC 4291, appendix A).
func within(prefix netip.Prefix, mac net.HardwareAddr) netip.Addr {
	a := prefix.Masked().Addr().As16()
	copy(a[8:], []byte{mac[0] ^ 2, mac[1], mac[2], 0xff, 0xfe, mac[3], mac[4], mac[5]})
	return netip.AddrFrom16(a)
}

// multicast is the card that a multicast address of IPv6 goes to (RFC 2464, 7).
func multicast(one netip.Addr) net.HardwareAddr {
	b := one.As16()
	return net.HardwareAddr{0x33, 0x33, b[12], b[13], b[14], b[15]}
}

// whoHas asks who has an address, by ARP from nobody, which no cache keeps (RFC 5227,
// 2.1.1), or by neighbour solicitation (RFC 4861, 4.3).
func (l *Laptop) whoHas(seat *seat, one netip.Addr) []byte {
	if one.Is4() {
		return l.frame(seat.Tag, everybody, layers.EthernetTypeARP, l.arp(layers.ARPRequest, nobody, nil, one))
	}
	b := one.As16()
	group := netip.AddrFrom16([16]byte{0xff, 2, 11: 1, 12: 0xff, 13: b[13], 14: b[14], 15: b[15]})
	return l.packet(seat.Tag, multicast(group), head{l.local, group, 255, layers.IPProtocolICMPv6},
		&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborSolicitation, 0)},
		&layers.ICMPv6NeighborSolicitation{TargetAddress: one.AsSlice(), Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptSourceAddress, Data: l.mac}}})
}

func (l *Laptop) arp(operation uint16, from netip.Addr, to net.HardwareAddr, dst netip.Addr) *layers.ARP {
	if to == nil {
		to = make(net.HardwareAddr, 6)
	}
	return &layers.ARP{
		AddrType: layers.LinkTypeEthernet, Protocol: layers.EthernetTypeIPv4, HwAddressSize: 6, ProtAddressSize: 4, Operation: operation,
		SourceHwAddress: l.mac, SourceProtAddress: from.AsSlice(), DstHwAddress: to, DstProtAddress: dst.AsSlice(),
	}
}

// tookARP takes ARP: answers are kept, and who asks for the laptop's address is answered.
func (l *Laptop) tookARP(seat *seat, packet gopacket.Packet, after time.Duration) bool {
	arp, ok := packet.Layer(layers.LayerTypeARP).(*layers.ARP)
	if !ok {
		return false
	}
	from, ok1 := netip.AddrFromSlice(arp.SourceProtAddress)
	to, ok2 := netip.AddrFromSlice(arp.DstProtAddress)
	if !ok1 || !ok2 || len(arp.SourceHwAddress) != 6 {
		return true
	}
	by := net.HardwareAddr(slices.Clone(arp.SourceHwAddress))
	if broadcast := arp.Operation == layers.ARPRequest; broadcast && !from.IsUnspecified() && len(seat.saw.Heard) < mostHeard && !slices.Contains(seat.saw.Heard, from) {
		seat.saw.Heard = append(seat.saw.Heard, from)
	}
	switch {
	case arp.Operation == layers.ARPReply:
		seat.note(from, by.String(), after)
	case seat.claimed && to == seat.own && seat.own.IsValid():
		_ = l.wire.Send(l.frame(seat.Tag, by, layers.EthernetTypeARP, l.arp(layers.ARPReply, seat.own, by, from)))
	}
	return true
}

// tookNeighbour takes neighbour discovery: routers, answers, and who asks for the laptop.
//
// Many branches: one a message of RFC 4861.
func (l *Laptop) tookNeighbour(seat *seat, packet gopacket.Packet, from string, after time.Duration) bool {
	ip, ok := packet.Layer(layers.LayerTypeIPv6).(*layers.IPv6)
	if !ok || ip.HopLimit != 255 { // from beyond the link (RFC 4861, 6.1)
		return false
	}
	src, _ := netip.AddrFromSlice(ip.SrcIP)
	switch x := icmp6(packet).(type) {
	case *layers.ICMPv6RouterAdvertisement:
		router := Router{Router: round.Router{Addr: src, By: from}, After: after}
		for _, option := range x.Options {
			if len(router.Prefixes) == mostHeard || option.Type != layers.ICMPv6OptPrefixInfo || len(option.Data) < 30 || option.Data[0] > 128 {
				continue
			}
			one, _ := netip.AddrFromSlice(option.Data[14:30])
			prefix := netip.PrefixFrom(one, int(option.Data[0]))
			router.Prefixes = append(router.Prefixes, prefix)
			if option.Data[1]&0x40 != 0 && option.Data[0] == 64 { // the A flag (RFC 4861, 4.6.2)
				router.own = append(router.own, prefix)
			}
		}
		if len(seat.saw.Routers) < mostOffers && !slices.ContainsFunc(seat.saw.Routers, func(other Router) bool { return other.Addr == router.Addr }) {
			seat.saw.Routers = append(seat.saw.Routers, router)
		}
	case *layers.ICMPv6NeighborAdvertisement:
		if one, ok := netip.AddrFromSlice(x.TargetAddress); ok {
			seat.note(one, from, after)
		}
	case *layers.ICMPv6NeighborSolicitation:
		one, _ := netip.AddrFromSlice(x.TargetAddress)
		if one != l.local && (!seat.claimed || one != seat.six) || !one.IsValid() {
			return true
		}
		to, dst, flags := multicast(allNodes), allNodes, uint8(0x20)
		if !src.IsUnspecified() {
			mac, err := net.ParseMAC(from)
			if err != nil {
				return true
			}
			to, dst, flags = mac, src, 0x60
		}
		_ = l.wire.Send(l.packet(seat.Tag, to, head{one, dst, 255, layers.IPProtocolICMPv6},
			&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborAdvertisement, 0)},
			&layers.ICMPv6NeighborAdvertisement{Flags: flags, TargetAddress: one.AsSlice(), Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptTargetAddress, Data: l.mac}}}))
	default:
		return false
	}
	return true
}

// icmp6 is the message of neighbour discovery in a packet; nil for none.
func icmp6(packet gopacket.Packet) gopacket.Layer {
	for _, t := range []gopacket.LayerType{layers.LayerTypeICMPv6RouterAdvertisement, layers.LayerTypeICMPv6NeighborAdvertisement, layers.LayerTypeICMPv6NeighborSolicitation} {
		if layer := packet.Layer(t); layer != nil {
			return layer
		}
	}
	return nil
}

// solicitRouters asks routers to say so (RFC 4861, 4.1).
func (l *Laptop) solicitRouters(seat *seat) []byte {
	return l.packet(seat.Tag, multicast(allRouters), head{l.local, allRouters, 255, layers.IPProtocolICMPv6},
		&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeRouterSolicitation, 0)},
		&layers.ICMPv6RouterSolicitation{Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptSourceAddress, Data: l.mac}}})
}
