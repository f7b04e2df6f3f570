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
	b := gopacket.NewSerializeBuffer()
	if err := gopacket.SerializeLayers(b, gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}, append(parts, above...)...); err != nil {
		panic(err) // only what this package makes goes in
	}
	return b.Bytes()
}

// packet is a whole frame with a packet of IP, from the layers above that.
func (l *Laptop) packet(tag office.VID, to net.HardwareAddr, from, dst netip.Addr, hops uint8, kind layers.IPProtocol, above ...gopacket.SerializableLayer) []byte {
	var ip gopacket.NetworkLayer
	eth := layers.EthernetTypeIPv4
	if dst.Is4() {
		ip = &layers.IPv4{Version: 4, TTL: hops, Protocol: kind, SrcIP: from.AsSlice(), DstIP: dst.AsSlice()}
	} else {
		eth = layers.EthernetTypeIPv6
		ip = &layers.IPv6{Version: 6, HopLimit: hops, NextHeader: kind, SrcIP: from.AsSlice(), DstIP: dst.AsSlice()}
	}
	for _, x := range above {
		if x, ok := x.(interface {
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
func within(p netip.Prefix, mac net.HardwareAddr) netip.Addr {
	a := p.Masked().Addr().As16()
	copy(a[8:], []byte{mac[0] ^ 2, mac[1], mac[2], 0xff, 0xfe, mac[3], mac[4], mac[5]})
	return netip.AddrFrom16(a)
}

// multicast is the card that a multicast address of IPv6 goes to (RFC 2464, 7).
func multicast(a netip.Addr) net.HardwareAddr {
	b := a.As16()
	return net.HardwareAddr{0x33, 0x33, b[12], b[13], b[14], b[15]}
}

// whoHas asks who has an address, by ARP from nobody, which no cache keeps (RFC 5227,
// 2.1.1), or by neighbour solicitation (RFC 4861, 4.3).
func (l *Laptop) whoHas(s *seat, a netip.Addr) []byte {
	if a.Is4() {
		return l.frame(s.Tag, everybody, layers.EthernetTypeARP, l.arp(layers.ARPRequest, nobody, nil, a))
	}
	b := a.As16()
	group := netip.AddrFrom16([16]byte{0xff, 2, 11: 1, 12: 0xff, 13: b[13], 14: b[14], 15: b[15]})
	return l.packet(s.Tag, multicast(group), l.local, group, 255, layers.IPProtocolICMPv6,
		&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborSolicitation, 0)},
		&layers.ICMPv6NeighborSolicitation{TargetAddress: a.AsSlice(), Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptSourceAddress, Data: l.mac}}})
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
func (l *Laptop) tookARP(s *seat, p gopacket.Packet, after time.Duration) bool {
	x, ok := p.Layer(layers.LayerTypeARP).(*layers.ARP)
	if !ok {
		return false
	}
	from, ok1 := netip.AddrFromSlice(x.SourceProtAddress)
	to, ok2 := netip.AddrFromSlice(x.DstProtAddress)
	if !ok1 || !ok2 || len(x.SourceHwAddress) != 6 {
		return true
	}
	by := net.HardwareAddr(slices.Clone(x.SourceHwAddress))
	if broadcast := x.Operation == layers.ARPRequest; broadcast && !from.IsUnspecified() && len(s.saw.Heard) < mostHeard && !slices.Contains(s.saw.Heard, from) {
		s.saw.Heard = append(s.saw.Heard, from)
	}
	switch {
	case x.Operation == layers.ARPReply:
		s.note(from, by.String(), after)
	case s.claimed && to == s.own && s.own.IsValid():
		_ = l.wire.Send(l.frame(s.Tag, by, layers.EthernetTypeARP, l.arp(layers.ARPReply, s.own, by, from)))
	}
	return true
}

// tookNeighbour takes neighbour discovery: routers, answers, and who asks for the laptop.
func (l *Laptop) tookNeighbour(s *seat, p gopacket.Packet, from string, after time.Duration) bool {
	ip, ok := p.Layer(layers.LayerTypeIPv6).(*layers.IPv6)
	if !ok || ip.HopLimit != 255 { // from beyond the link (RFC 4861, 6.1)
		return false
	}
	src, _ := netip.AddrFromSlice(ip.SrcIP)
	switch x := icmp6(p).(type) {
	case *layers.ICMPv6RouterAdvertisement:
		r := Router{Router: round.Router{Addr: src, By: from}, After: after}
		for _, o := range x.Options {
			if len(r.Prefixes) == mostHeard || o.Type != layers.ICMPv6OptPrefixInfo || len(o.Data) < 30 || o.Data[0] > 128 {
				continue
			}
			a, _ := netip.AddrFromSlice(o.Data[14:30])
			prefix := netip.PrefixFrom(a, int(o.Data[0]))
			r.Prefixes = append(r.Prefixes, prefix)
			if o.Data[1]&0x40 != 0 && o.Data[0] == 64 { // the A flag (RFC 4861, 4.6.2)
				r.own = append(r.own, prefix)
			}
		}
		if len(s.saw.Routers) < mostOffers && !slices.ContainsFunc(s.saw.Routers, func(y Router) bool { return y.Addr == r.Addr }) {
			s.saw.Routers = append(s.saw.Routers, r)
		}
	case *layers.ICMPv6NeighborAdvertisement:
		if a, ok := netip.AddrFromSlice(x.TargetAddress); ok {
			s.note(a, from, after)
		}
	case *layers.ICMPv6NeighborSolicitation:
		a, _ := netip.AddrFromSlice(x.TargetAddress)
		if a != l.local && (!s.claimed || a != s.six) || !a.IsValid() {
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
		_ = l.wire.Send(l.packet(s.Tag, to, a, dst, 255, layers.IPProtocolICMPv6,
			&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborAdvertisement, 0)},
			&layers.ICMPv6NeighborAdvertisement{Flags: flags, TargetAddress: a.AsSlice(), Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptTargetAddress, Data: l.mac}}}))
	default:
		return false
	}
	return true
}

// icmp6 is the message of neighbour discovery in a packet; nil for none.
func icmp6(p gopacket.Packet) gopacket.Layer {
	for _, t := range []gopacket.LayerType{layers.LayerTypeICMPv6RouterAdvertisement, layers.LayerTypeICMPv6NeighborAdvertisement, layers.LayerTypeICMPv6NeighborSolicitation} {
		if x := p.Layer(t); x != nil {
			return x
		}
	}
	return nil
}

// solicitRouters asks routers to say so (RFC 4861, 4.1).
func (l *Laptop) solicitRouters(s *seat) []byte {
	return l.packet(s.Tag, multicast(allRouters), l.local, allRouters, 255, layers.IPProtocolICMPv6,
		&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeRouterSolicitation, 0)},
		&layers.ICMPv6RouterSolicitation{Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptSourceAddress, Data: l.mac}}})
}
