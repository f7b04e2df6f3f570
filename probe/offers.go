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
func (l *Laptop) discover(s *seat, since time.Duration) []byte {
	d, err := dhcpv4.New(
		dhcpv4.WithMessageType(dhcpv4.MessageTypeDiscover), dhcpv4.WithHwAddr(l.mac), dhcpv4.WithTransactionID(s.xid), dhcpv4.WithBroadcast(true),
		dhcpv4.WithRequestedOptions(dhcpv4.OptionSubnetMask, dhcpv4.OptionRouter, dhcpv4.OptionDomainNameServer, dhcpv4.OptionDomainName),
	)
	if err != nil {
		panic(err) // nothing of it comes from outside
	}
	d.NumSeconds = uint16(since / time.Second)
	return l.packet(s.Tag, everybody, nobody, all, 64, layers.IPProtocolUDP, &layers.UDP{SrcPort: 68, DstPort: 67}, gopacket.Payload(d.ToBytes()))
}

// solicit asks for an address of IPv6 (RFC 8415, 18.2.1).
func (l *Laptop) solicit(s *seat, since time.Duration) []byte {
	m, err := dhcpv6.NewSolicit(l.mac)
	if err != nil {
		panic(err)
	}
	copy(m.TransactionID[:], s.xid[1:])
	m.UpdateOption(dhcpv6.OptElapsedTime(since))
	servers := dhcpv6.AllDHCPRelayAgentsAndServers
	to, _ := netip.AddrFromSlice(servers)
	return l.packet(s.Tag, multicast(to), l.local, to, 1, layers.IPProtocolUDP, &layers.UDP{SrcPort: 546, DstPort: 547}, gopacket.Payload(m.ToBytes()))
}

// tookOffer takes what is offered.
func (l *Laptop) tookOffer(s *seat, p gopacket.Packet, from string, after time.Duration) bool {
	udp, ok := p.Layer(layers.LayerTypeUDP).(*layers.UDP)
	if !ok {
		return false
	}
	o := Offer{Offer: round.Offer{By: from}, After: after}
	switch {
	case udp.DstPort == 68 && udp.SrcPort == 67:
		d, err := dhcpv4.FromBytes(udp.Payload)
		if err != nil || d.OpCode != dhcpv4.OpcodeBootReply || d.MessageType() != dhcpv4.MessageTypeOffer || d.TransactionID != s.xid {
			return true
		}
		o.Addr, ok = addr(d.YourIPAddr)
		if !ok || o.Addr.IsUnspecified() {
			return true
		}
		o.Server, _ = addr(d.ServerIdentifier())
		if routers := d.Router(); len(routers) > 0 {
			o.Gateway, _ = addr(routers[0])
		}
		o.Bits, _ = d.SubnetMask().Size()
		for _, x := range d.DNS() {
			if a, ok := addr(x); ok {
				o.DNS = append(o.DNS, a)
			}
		}
		o.Lease = d.IPAddressLeaseTime(0)
	case udp.DstPort == 546 && udp.SrcPort == 547:
		m, err := dhcpv6.MessageFromBytes(udp.Payload)
		if err != nil || m.MessageType != dhcpv6.MessageTypeAdvertise || [3]byte(m.TransactionID) != [3]byte(s.xid[1:]) {
			return true
		}
		ia := m.Options.OneIANA()
		if ia == nil || ia.Options.OneAddress() == nil {
			return true
		}
		given := ia.Options.OneAddress()
		if o.Addr, ok = netip.AddrFromSlice(given.IPv6Addr); !ok {
			return true
		}
		for _, x := range m.Options.DNS() {
			if a, ok := netip.AddrFromSlice(x); ok {
				o.DNS = append(o.DNS, a)
			}
		}
		o.Lease = given.ValidLifetime
	default:
		return false
	}
	l.offered(s, o)
	return true
}

// addr is an address of IPv4 that a message has.
func addr(b []byte) (netip.Addr, bool) {
	a, ok := netip.AddrFromSlice(b)
	return a.Unmap(), ok && a.Unmap().Is4()
}

// xid16 is a number of a seat, for pings.
func (s *seat) xid16() uint16 { return binary.BigEndian.Uint16(s.xid[:]) }
