package probe

import (
	"net"
	"net/netip"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"klammer/core/office"
	"klammer/core/round"
)

// try is the frame of a try, by the gateway; nil where there is nothing to send, which
// is noted.
func (l *Laptop) try(seat *seat, k int) []byte {
	tried := &seat.saw.Tried[k]
	if !tried.open {
		return nil
	}
	from, gate := seat.own, seat.card(seat.gate())
	if tried.To.Is6() {
		from, gate = seat.six, ""
		if len(seat.saw.Routers) > 0 {
			gate = seat.saw.Routers[0].By
		} else if seat.Gateway.Is6() {
			gate = seat.card(seat.Gateway)
		}
	}
	mac, err := net.ParseMAC(gate)
	switch {
	case !from.IsValid():
		tried.end(round.Untold, "there is no address to try it from")
		return nil
	case err != nil:
		if seat.tries == len(tryAgain)-1 {
			tried.end(round.Silent, "the gateway does not answer")
		}
		return nil
	}
	source := seat.ports + uint16(k)
	switch tried.Service.Protocol {
	case office.Ping:
		if tried.To.Is6() {
			return l.packet(seat.Tag, mac, head{from, tried.To, 64, layers.IPProtocolICMPv6},
				&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeEchoRequest, 0)},
				&layers.ICMPv6Echo{Identifier: seat.xid16(), SeqNumber: uint16(k)})
		}
		return l.packet(seat.Tag, mac, head{from, tried.To, 64, layers.IPProtocolICMPv4},
			&layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(layers.ICMPv4TypeEchoRequest, 0), Id: seat.xid16(), Seq: uint16(k)})
	case office.TCP:
		return l.packet(seat.Tag, mac, head{from, tried.To, 64, layers.IPProtocolTCP}, &layers.TCP{
			SrcPort: layers.TCPPort(source), DstPort: layers.TCPPort(tried.Service.First), Seq: uint32(seat.xid16()), SYN: true, Window: 1024,
			Options: []layers.TCPOption{{OptionType: layers.TCPOptionKindMSS, OptionLength: 4, OptionData: []byte{5, 0xb4}}},
		})
	case office.UDP:
		return l.packet(seat.Tag, mac, head{from, tried.To, 64, layers.IPProtocolUDP}, &layers.UDP{SrcPort: layers.UDPPort(source), DstPort: layers.UDPPort(tried.Service.First)}, gopacket.Payload(Question(tried.Service.First)))
	}
	tried.end(round.Untold, "a laptop cannot try it")
	return nil
}

// Question is what a service of UDP answers to, if it answers anybody: of names (RFC 1035),
// of time (RFC 5905); nothing for others.
func Question(port uint16) []byte {
	switch port {
	case 53: // the servers of the root
		return []byte{0x4b, 0x6c, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1}
	case 123:
		return append([]byte{0x23}, make([]byte, 47)...)
	}
	return nil
}

// tookReply takes what comes back of tries.
func (l *Laptop) tookReply(seat *seat, packet gopacket.Packet) {
	src, dst, ok := ends(packet)
	if !ok || !seat.claimed || dst != seat.own && dst != seat.six {
		return
	}
	for k := range seat.saw.Tried {
		tried := &seat.saw.Tried[k]
		source := seat.ports + uint16(k)
		if !tried.open || tried.undelivered(packet, src, source) || src != tried.To {
			continue
		}
		switch x := packet.TransportLayer().(type) {
		case *layers.TCP:
			if tried.answers(office.TCP, uint16(x.SrcPort), uint16(x.DstPort), source) {
				l.tookSegment(seat, tried, packet, x)
			}
			continue
		case *layers.UDP:
			if tried.answers(office.UDP, uint16(x.SrcPort), uint16(x.DstPort), source) {
				tried.end(round.Answered, "it answers")
			}
			continue
		}
		if id, seq, ok := echoed(packet); ok && tried.Service.Protocol == office.Ping && id == seat.xid16() && int(seq) == k {
			tried.end(round.Answered, "it answers")
		}
	}
}

// answers says whether a packet between two ports answers a try that was sent from a source
// port.
func (t *Tried) answers(protocol office.Protocol, from, to, source uint16) bool {
	return t.Service.Protocol == protocol && to == source && from == t.Service.First
}

// undelivered takes what is told of a packet that was not delivered, and says whether it is
// that: whose port nobody listens at was reached.
func (t *Tried) undelivered(packet gopacket.Packet, src netip.Addr, source uint16) bool {
	to, port, code, is := unreachable(packet)
	if !is || to != t.To || port != source && port != 0 || code == "" {
		return is
	}
	if t.Service.Protocol == office.UDP && code == "port" && src == t.To {
		t.end(round.Answered, "it is reached; nobody listens")
	} else {
		t.end(round.Silent, src.String()+" refuses it")
	}
	return true
}

// tookSegment takes what answers a try to open a connection; nobody is kept waiting by one
// that opens.
func (l *Laptop) tookSegment(seat *seat, tried *Tried, packet gopacket.Packet, x *layers.TCP) {
	src, dst, _ := ends(packet)
	switch {
	case x.SYN && x.ACK:
		if mac, err := net.ParseMAC(cardOf(packet)); err == nil {
			_ = l.wire.Send(l.packet(seat.Tag, mac, head{dst, src, 64, layers.IPProtocolTCP}, &layers.TCP{SrcPort: x.DstPort, DstPort: x.SrcPort, Seq: x.Ack, RST: true}))
		}
		tried.end(round.Answered, "it opens")
	case x.RST && hops(packet) > 0: // it came over a router: the target says so itself
		tried.end(round.Answered, "it is reached; nobody listens")
	case x.RST:
		tried.end(round.Refused, "it is refused, by "+src.String()+" or in its name")
	}
}

// hops is over how many routers a packet came, as far as that shows: who sends sets the time
// to live to 64, 128 or 255.
func hops(packet gopacket.Packet) int {
	left := 0
	switch ip := packet.NetworkLayer().(type) {
	case *layers.IPv4:
		left = int(ip.TTL)
	case *layers.IPv6:
		left = int(ip.HopLimit)
	}
	for _, begun := range []int{64, 128, 255} {
		if left <= begun {
			return begun - left
		}
	}
	return 0
}

// cardOf is the card that sent a frame.
func cardOf(packet gopacket.Packet) string {
	if ethernet, ok := packet.Layer(layers.LayerTypeEthernet).(*layers.Ethernet); ok {
		return ethernet.SrcMAC.String()
	}
	return ""
}

// ends is from whom to whom a packet is.
func ends(packet gopacket.Packet) (src, dst netip.Addr, ok bool) {
	switch ip := packet.NetworkLayer().(type) {
	case *layers.IPv4:
		src, _ = addr(ip.SrcIP)
		dst, ok = addr(ip.DstIP)
	case *layers.IPv6:
		src, _ = netip.AddrFromSlice(ip.SrcIP)
		dst, ok = netip.AddrFromSlice(ip.DstIP)
	}
	return src, dst, ok && src.IsValid()
}

// echoed is which ping a packet answers.
func echoed(packet gopacket.Packet) (id, seq uint16, ok bool) {
	if icmpv4, ok := packet.Layer(layers.LayerTypeICMPv4).(*layers.ICMPv4); ok && icmpv4.TypeCode.Type() == layers.ICMPv4TypeEchoReply {
		return icmpv4.Id, icmpv4.Seq, true
	}
	icmpv6, ok6 := packet.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6)
	echo, ok := packet.Layer(layers.LayerTypeICMPv6Echo).(*layers.ICMPv6Echo)
	if ok && ok6 && icmpv6.TypeCode.Type() == layers.ICMPv6TypeEchoReply {
		return echo.Identifier, echo.SeqNumber, true
	}
	return 0, 0, false
}

// unreachable is what was not delivered (RFC 792, RFC 4443): to whom, from which source
// port (0 for what has none), and whether it is only that nobody listens ("port").
func unreachable(packet gopacket.Packet) (to netip.Addr, port uint16, code string, ok bool) {
	if icmpv4, is := packet.Layer(layers.LayerTypeICMPv4).(*layers.ICMPv4); is && icmpv4.TypeCode.Type() == layers.ICMPv4TypeDestinationUnreachable {
		b := icmpv4.Payload
		if len(b) < 20 || b[0]>>4 != 4 {
			return to, 0, "", true
		}
		code = "other"
		if icmpv4.TypeCode.Code() == layers.ICMPv4CodePort {
			code = "port"
		}
		to = netip.AddrFrom4([4]byte(b[16:20]))
		if at := int(b[0]&15) * 4; (b[9] == 6 || b[9] == 17) && len(b) >= at+2 {
			port = uint16(b[at])<<8 | uint16(b[at+1])
		}
		return to, port, code, true
	}
	if icmpv6, is := packet.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6); is && icmpv6.TypeCode.Type() == layers.ICMPv6TypeDestinationUnreachable {
		b := icmpv6.Payload
		if len(b) < 4+40 {
			return to, 0, "", true
		}
		b = b[4:]
		code = "other"
		if icmpv6.TypeCode.Code() == layers.ICMPv6CodePortUnreachable {
			code = "port"
		}
		to = netip.AddrFrom16([16]byte(b[24:40]))
		if (b[6] == 6 || b[6] == 17) && len(b) >= 42 {
			port = uint16(b[40])<<8 | uint16(b[41])
		}
		return to, port, code, true
	}
	return to, 0, "", false
}
