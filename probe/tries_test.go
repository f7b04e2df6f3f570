package probe

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/stretchr/testify/require"

	"klammer/core/office"
	"klammer/core/round"
)

// TestEnds: what ends a try, and how: an answer, a refusal by whoever refuses, and that
// the packet got there and nobody listens; and nothing that is not about it.
func TestEnds(t *testing.T) {
	type kind struct {
		own, to, gate, other netip.Addr
		ping                 func(id, seq uint16) []gopacket.SerializableLayer
		not                  func(port bool, about []byte) []gopacket.SerializableLayer // delivered
		proto                layers.IPProtocol
	}
	v4 := kind{
		own: netip.MustParseAddr("10.61.110.50"), to: netip.MustParseAddr("10.61.130.9"), gate: netip.MustParseAddr("10.61.110.1"), other: netip.MustParseAddr("10.61.130.8"),
		ping: func(id, seq uint16) []gopacket.SerializableLayer {
			return []gopacket.SerializableLayer{&layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(layers.ICMPv4TypeEchoReply, 0), Id: id, Seq: seq}}
		},
		not: func(port bool, about []byte) []gopacket.SerializableLayer {
			code := uint8(layers.ICMPv4CodeCommAdminProhibited)
			if port {
				code = layers.ICMPv4CodePort
			}
			return []gopacket.SerializableLayer{&layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(layers.ICMPv4TypeDestinationUnreachable, code)}, gopacket.Payload(about)}
		},
		proto: layers.IPProtocolICMPv4,
	}
	v6 := kind{
		own: netip.MustParseAddr("fd61:0:0:110::50"), to: netip.MustParseAddr("fd61:0:0:160::9"), gate: netip.MustParseAddr("fd61:0:0:110::1"), other: netip.MustParseAddr("fd61:0:0:160::8"),
		ping: func(id, seq uint16) []gopacket.SerializableLayer {
			return []gopacket.SerializableLayer{&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeEchoReply, 0)}, &layers.ICMPv6Echo{Identifier: id, SeqNumber: seq}}
		},
		not: func(port bool, about []byte) []gopacket.SerializableLayer {
			code := uint8(layers.ICMPv6CodeAdminProhibited)
			if port {
				code = layers.ICMPv6CodePortUnreachable
			}
			return []gopacket.SerializableLayer{&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeDestinationUnreachable, code)}, gopacket.Payload(append(make([]byte, 4), about...))}
		},
		proto: layers.IPProtocolICMPv6,
	}
	const ports, xid = 41000, 0x4b6c
	service := map[string]office.Service{
		"ping": {Protocol: office.Ping}, "tcp": {Protocol: office.TCP, First: 443, Last: 443}, "udp": {Protocol: office.UDP, First: 53, Last: 53},
	}
	for family, v := range map[string]kind{"IPv4": v4, "IPv6": v6} {
		gate := &Laptop{mac: cardFor("gate")}
		header := map[string]int{"IPv4": 20, "IPv6": 40}[family]
		// sent is the laptop's own packet, as whoever refuses it sends it back.
		sent := func(what string, to netip.Addr, port uint16) []byte {
			var above gopacket.SerializableLayer = &layers.UDP{SrcPort: layers.UDPPort(port), DstPort: 53}
			proto := layers.IPProtocolUDP
			if what == "tcp" {
				above, proto = &layers.TCP{SrcPort: layers.TCPPort(port), DstPort: 443, SYN: true}, layers.IPProtocolTCP
			}
			return gate.packet(0, cardFor("gate"), head{v.own, to, 64, proto}, above)[14:][:header+8]
		}
		tcp := func(port, back uint16, flags string) []gopacket.SerializableLayer {
			return []gopacket.SerializableLayer{&layers.TCP{SrcPort: layers.TCPPort(port), DstPort: layers.TCPPort(back), SYN: flags == "syn ack", ACK: flags != "syn", RST: flags == "rst"}}
		}
		udp := func(port, back uint16) []gopacket.SerializableLayer {
			return []gopacket.SerializableLayer{&layers.UDP{SrcPort: layers.UDPPort(port), DstPort: layers.UDPPort(back)}, gopacket.Payload("yes")}
		}
		for _, x := range []struct {
			says, what string
			from       netip.Addr
			proto      layers.IPProtocol
			back       []gopacket.SerializableLayer
			ended      round.Ended
			how        string // "" where it is still open
		}{
			{"its answer", "ping", v.to, v.proto, v.ping(xid, 1), round.Answered, "it answers"},
			{"that of another ping", "ping", v.to, v.proto, v.ping(xid, 0), 0, ""},
			{"that of another laptop's", "ping", v.to, v.proto, v.ping(xid+1, 1), 0, ""},
			{"that of somebody else", "ping", v.other, v.proto, v.ping(xid, 1), 0, ""},
			{"a ping for another service", "tcp", v.to, v.proto, v.ping(xid, 1), 0, ""},
			{"it opens", "tcp", v.to, layers.IPProtocolTCP, tcp(443, ports+1, "syn ack"), round.Answered, "it opens"},
			{"it is refused", "tcp", v.to, layers.IPProtocolTCP, tcp(443, ports+1, "rst"), round.Refused, fmt.Sprintf("it is refused, by %s or in its name", v.to)},
			{"nobody listens there", "tcp", v.to, layers.IPProtocolTCP, tcp(443, ports+1, "rst"), round.Answered, "it is reached; nobody listens"},
			{"it asks itself", "tcp", v.to, layers.IPProtocolTCP, tcp(443, ports+1, "syn"), 0, ""},
			{"another connection", "tcp", v.to, layers.IPProtocolTCP, tcp(443, ports, "syn ack"), 0, ""},
			{"from another port", "tcp", v.to, layers.IPProtocolTCP, tcp(80, ports+1, "rst"), 0, ""},
			{"from somebody else", "tcp", v.other, layers.IPProtocolTCP, tcp(443, ports+1, "rst"), 0, ""},
			{"an answer", "udp", v.to, layers.IPProtocolUDP, udp(53, ports+1), round.Answered, "it answers"},
			{"one to another question", "udp", v.to, layers.IPProtocolUDP, udp(53, ports), 0, ""},
			{"one from another port", "udp", v.to, layers.IPProtocolUDP, udp(54, ports+1), 0, ""},
			{"nobody listens", "udp", v.to, v.proto, v.not(true, sent("udp", v.to, ports+1)), round.Answered, "it is reached; nobody listens"},
			{"the gateway says so", "udp", v.gate, v.proto, v.not(true, sent("udp", v.to, ports+1)), round.Silent, v.gate.String() + " refuses it"},
			{"it is forbidden there", "udp", v.to, v.proto, v.not(false, sent("udp", v.to, ports+1)), round.Silent, v.to.String() + " refuses it"},
			{"it is forbidden on the way", "tcp", v.gate, v.proto, v.not(false, sent("tcp", v.to, ports+1)), round.Silent, v.gate.String() + " refuses it"},
			{"no port, of a connection", "tcp", v.to, v.proto, v.not(true, sent("tcp", v.to, ports+1)), round.Silent, v.to.String() + " refuses it"},
			{"about another question", "udp", v.to, v.proto, v.not(true, sent("udp", v.to, ports)), 0, ""},
			{"about somebody else", "udp", v.gate, v.proto, v.not(false, sent("udp", v.other, ports+1)), 0, ""},
			{"about what was cut", "udp", v.gate, v.proto, v.not(false, sent("udp", v.to, ports+1)[:header-1]), 0, ""},
			{"about what was cut after its head", "udp", v.to, v.proto, v.not(true, sent("udp", v.to, ports+1)[:header+1]), round.Answered, "it is reached; nobody listens"},
		} {
			says := fmt.Sprintf("%s, %s: %s", family, x.what, x.says)
			n := newLAN()
			l := &Laptop{mac: testCard, wire: n}
			s := &seat{own: v.own, six: v.own, claimed: true, ports: ports, xid: [4]byte{xid >> 8, xid & 0xff}}
			done := Tried{Try: round.Try{To: v.to, Service: service[x.what]}, Ended: round.Untold}
			s.saw.Tried = []Tried{done, {Try: done.Try, open: true}}
			hops := uint8(64)
			if x.says == "nobody listens there" {
				hops = 62
			}
			frame := gate.packet(0, testCard, head{x.from, v.own, hops, x.proto}, x.back...)
			l.tookReply(s, gopacket.NewPacket(frame, layers.LayerTypeEthernet, gopacket.Default))
			require.Equal(t, done, s.saw.Tried[0], says)
			require.Equal(t, x.ended, s.saw.Tried[1].Ended, says)
			require.Equal(t, x.how, s.saw.Tried[1].How, says)
			require.Equal(t, x.how == "", s.saw.Tried[1].open, says)
			require.Len(t, n.sent, map[bool]int{true: 1}[x.how == "it opens"], says) // nobody is kept waiting
			// The same for somebody else is nobody's.
			s.saw.Tried[1] = Tried{Try: done.Try, open: true}
			l.tookReply(s, gopacket.NewPacket(gate.packet(0, testCard, head{x.from, v.other, 64, x.proto}, x.back...), layers.LayerTypeEthernet, gopacket.Default))
			require.True(t, s.saw.Tried[1].open, says)
		}
	}
}
