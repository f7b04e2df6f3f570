package probe

import (
	"encoding/binary"
	"net/netip"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/insomniacslk/dhcp/dhcpv4"
	"github.com/insomniacslk/dhcp/dhcpv6"

	"klammer/core/round"
)

// discover asks for an address (RFC 2131, 4.4.1).
func (l *Laptop) discover(seat *seat, since time.Duration) []byte {
	one, err := dhcpv4.New(
		dhcpv4.WithMessageType(dhcpv4.MessageTypeDiscover), dhcpv4.WithHwAddr(l.mac), dhcpv4.WithTransactionID(seat.xid), dhcpv4.WithBroadcast(true),
		dhcpv4.WithRequestedOptions(dhcpv4.OptionSubnetMask, dhcpv4.OptionRouter, dhcpv4.OptionDomainNameServer, dhcpv4.OptionDomainName),
	)
	if err != nil {
		panic(err) // nothing of it comes from outside
	}
	one.NumSeconds = uint16(since / time.Second)
	return l.packet(seat.Tag, everybody, head{nobody, all, 64, layers.IPProtocolUDP}, &layers.UDP{SrcPort: 68, DstPort: 67}, gopacket.Payload(one.ToBytes()))
}

// solicit asks for an address of IPv6 (RFC 8415, 18.2.1).
func (l *Laptop) solicit(seat *seat, since time.Duration) []byte {
	message, err := dhcpv6.NewSolicit(l.mac)
	if err != nil {
		panic(err)
	}
	copy(message.TransactionID[:], seat.xid[1:])
	message.UpdateOption(dhcpv6.OptElapsedTime(since))
	servers := dhcpv6.AllDHCPRelayAgentsAndServers
	to, _ := netip.AddrFromSlice(servers)
	return l.packet(seat.Tag, multicast(to), head{l.local, to, 1, layers.IPProtocolUDP}, &layers.UDP{SrcPort: 546, DstPort: 547}, gopacket.Payload(message.ToBytes()))
}

// tookOffer takes what is offered.
//
// Many branches: one a field that an offer may leave out.
func (l *Laptop) tookOffer(seat *seat, packet gopacket.Packet, from string, after time.Duration) bool {
	udp, ok := packet.Layer(layers.LayerTypeUDP).(*layers.UDP)
	if !ok {
		return false
	}
	offer := Offer{Offer: round.Offer{By: from}, After: after}
	switch {
	case udp.DstPort == 68 && udp.SrcPort == 67:
		one, err := dhcpv4.FromBytes(udp.Payload)
		if err != nil || one.OpCode != dhcpv4.OpcodeBootReply || one.MessageType() != dhcpv4.MessageTypeOffer || one.TransactionID != seat.xid {
			return true
		}
		offer.Addr, ok = addr(one.YourIPAddr)
		if !ok || offer.Addr.IsUnspecified() {
			return true
		}
		offer.Server, _ = addr(one.ServerIdentifier())
		if routers := one.Router(); len(routers) > 0 {
			offer.Gateway, _ = addr(routers[0])
		}
		offer.Bits, _ = one.SubnetMask().Size()
		for _, x := range one.DNS() {
			if a, ok := addr(x); ok {
				offer.DNS = append(offer.DNS, a)
			}
		}
		offer.Lease = one.IPAddressLeaseTime(0)
	case udp.DstPort == 546 && udp.SrcPort == 547:
		message, err := dhcpv6.MessageFromBytes(udp.Payload)
		if err != nil || message.MessageType != dhcpv6.MessageTypeAdvertise || [3]byte(message.TransactionID) != [3]byte(seat.xid[1:]) {
			return true
		}
		ia := message.Options.OneIANA()
		if ia == nil || ia.Options.OneAddress() == nil {
			return true
		}
		given := ia.Options.OneAddress()
		if offer.Addr, ok = netip.AddrFromSlice(given.IPv6Addr); !ok {
			return true
		}
		for _, x := range message.Options.DNS() {
			if one, ok := netip.AddrFromSlice(x); ok {
				offer.DNS = append(offer.DNS, one)
			}
		}
		offer.Lease = given.ValidLifetime
	default:
		return false
	}
	l.offered(seat, offer)
	return true
}

// addr is an address of IPv4 that a message has.
func addr(b []byte) (netip.Addr, bool) {
	one, ok := netip.AddrFromSlice(b)
	return one.Unmap(), ok && one.Unmap().Is4()
}

// xid16 is a number of a seat, for pings.
func (s *seat) xid16() uint16 { return binary.BigEndian.Uint16(s.xid[:]) }
