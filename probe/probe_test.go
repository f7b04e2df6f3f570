package probe

import (
	"context"
	"errors"
	"math/rand/v2"
	"net"
	"net/netip"
	"os"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/insomniacslk/dhcp/dhcpv4"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/proof/short"
)

type vid = office.VID

// lan is a network that answers as a round says that an office does: the wire of a test.
type lan struct {
	mu     sync.Mutex
	in     chan Frame
	closed chan struct{}
	saws   map[office.VID]round.Saw
	looks  map[office.VID]round.Look
	sent   [][]byte
	slow   time.Duration // offers come that late
	used   map[netip.Addr]bool
}

var testCard = net.HardwareAddr{2, 0, 0, 0, 0, 0x77}

// cardFor is the card that a name has in a lan.
func cardFor(name string) net.HardwareAddr {
	m := net.HardwareAddr{6, 1, 0, 0, 0, 0}
	for i, c := range []byte(name) {
		m[2+i%4] += c*31 + byte(i)
	}
	return m
}

func newLAN() *lan {
	return &lan{in: make(chan Frame, 1000), closed: make(chan struct{}), saws: map[office.VID]round.Saw{}, looks: map[office.VID]round.Look{}, used: map[netip.Addr]bool{}}
}

func (n *lan) Card() net.HardwareAddr { return testCard }
func (n *lan) Close() error           { close(n.closed); return nil }
func (n *lan) Receive() (Frame, error) {
	select {
	case f := <-n.in:
		return f, nil
	case <-n.closed:
		return Frame{}, errors.New("closed")
	}
}

// back sends something to the laptop, in the order of asking where it is not to be late;
// every other frame has its tag still in it.
func (n *lan) back(tag office.VID, from *Laptop, after time.Duration, make func(l *Laptop, tag office.VID) []byte) {
	f := Frame{Tag: tag}
	n.used[netip.Addr{}] = !n.used[netip.Addr{}]
	if n.used[netip.Addr{}] {
		f.Data = make(from, 0)
	} else {
		f.Tag, f.Data = 0, make(from, tag)
	}
	send := func() {
		f.At = time.Now()
		select {
		case n.in <- f:
		case <-n.closed:
		}
	}
	if after == 0 {
		send()
	} else {
		time.AfterFunc(after, send)
	}
}

func (n *lan) Send(frame []byte) error {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.sent = append(n.sent, frame)
	p := gopacket.NewPacket(frame, layers.LayerTypeEthernet, gopacket.Default)
	tag := office.VID(0)
	if q, ok := p.Layer(layers.LayerTypeDot1Q).(*layers.Dot1Q); ok {
		tag = office.VID(q.VLANIdentifier)
	}
	saw, look := n.saws[tag], n.looks[tag]
	if x, ok := p.Layer(layers.LayerTypeARP).(*layers.ARP); ok && x.Operation == layers.ARPRequest {
		who := netip.AddrFrom4([4]byte(x.DstProtAddress))
		for _, a := range saw.Answers {
			if a.Addr == who {
				at := &Laptop{mac: cardFor(a.By)}
				n.back(tag, at, 0, func(l *Laptop, tag office.VID) []byte {
					return l.frame(tag, testCard, layers.EthernetTypeARP, l.arp(layers.ARPReply, who, testCard, nobody))
				})
			}
		}
	}
	if x, ok := p.Layer(layers.LayerTypeICMPv6NeighborSolicitation).(*layers.ICMPv6NeighborSolicitation); ok {
		who, _ := netip.AddrFromSlice(x.TargetAddress)
		for _, a := range saw.Answers {
			if a.Addr == who {
				at := &Laptop{mac: cardFor(a.By)}
				n.back(tag, at, 0, func(l *Laptop, tag office.VID) []byte {
					return l.packet(tag, testCard, head{who, linkLocal(testCard), 255, layers.IPProtocolICMPv6},
						&layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborAdvertisement, 0)},
						&layers.ICMPv6NeighborAdvertisement{Flags: 0x60, TargetAddress: who.AsSlice()})
				})
			}
		}
	}
	if u, ok := p.Layer(layers.LayerTypeUDP).(*layers.UDP); ok && u.DstPort == 67 {
		d, err := dhcpv4.FromBytes(u.Payload)
		if err != nil {
			return err
		}
		for _, o := range saw.Offers {
			if !o.Addr.Is4() {
				continue
			}
			router := o.Server
			if look.Gateway.Is4() && look.From.IsValid() && !o.Addr.Less(look.From) && !look.To.Less(o.Addr) {
				router = look.Gateway
			}
			r, err := dhcpv4.NewReplyFromRequest(d, dhcpv4.WithMessageType(dhcpv4.MessageTypeOffer), dhcpv4.WithYourIP(o.Addr.AsSlice()),
				dhcpv4.WithServerIP(o.Server.AsSlice()), dhcpv4.WithOption(dhcpv4.OptServerIdentifier(o.Server.AsSlice())), dhcpv4.WithRouter(router.AsSlice()), dhcpv4.WithLeaseTime(600))
			if err != nil {
				return err
			}
			at := &Laptop{mac: cardFor(o.By)}
			n.back(tag, at, n.slow, func(l *Laptop, tag office.VID) []byte {
				return l.packet(tag, everybody, head{o.Server, all, 64, layers.IPProtocolUDP}, &layers.UDP{SrcPort: 67, DstPort: 68}, gopacket.Payload(r.ToBytes()))
			})
		}
	}
	n.tried(p, tag, saw, look)
	return nil
}

// tried answers what is tried, where that ends well.
func (n *lan) tried(p gopacket.Packet, tag office.VID, saw round.Saw, look round.Look) {
	src, dst, ok := ends(p)
	if !ok || dst.IsMulticast() || !dst.Is4() {
		return
	}
	at := &Laptop{mac: cardOfGate(saw)}
	for k, t := range look.Tries {
		if t.To != dst || k >= len(saw.Tried) || saw.Tried[k] != round.Answered {
			continue
		}
		var above []gopacket.SerializableLayer
		kind := layers.IPProtocolTCP
		switch x := p.TransportLayer().(type) {
		case *layers.TCP:
			if t.Service.Protocol != office.TCP || uint16(x.DstPort) != t.Service.First || !x.SYN {
				continue
			}
			above = append(above, &layers.TCP{SrcPort: x.DstPort, DstPort: x.SrcPort, SYN: true, ACK: true, Ack: x.Seq + 1})
		case *layers.UDP:
			if t.Service.Protocol != office.UDP || uint16(x.DstPort) != t.Service.First {
				continue
			}
			kind = layers.IPProtocolUDP
			above = append(above, &layers.UDP{SrcPort: x.DstPort, DstPort: x.SrcPort}, gopacket.Payload("yes"))
		default:
			e, ok := p.Layer(layers.LayerTypeICMPv4).(*layers.ICMPv4)
			if !ok || t.Service.Protocol != office.Ping {
				continue
			}
			kind = layers.IPProtocolICMPv4
			above = append(above, &layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(layers.ICMPv4TypeEchoReply, 0), Id: e.Id, Seq: e.Seq})
		}
		n.back(tag, at, 0, func(l *Laptop, tag office.VID) []byte {
			return l.packet(tag, testCard, head{dst, src, 64, kind}, above...)
		})
		return
	}
}

func cardOfGate(saw round.Saw) net.HardwareAddr {
	if len(saw.Offers) > 0 {
		return cardFor(saw.Offers[0].By)
	}
	return cardFor("gate")
}

func clinic(t testing.TB) *office.Office {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	return f.Office
}

// TestMeasured: a laptop that sends and hears frames in all VLANs at once measures what
// the round says of an office, with mistakes and without, and is judged as it is played.
//
// The wire is none, so the time is none either: no machine is too busy for it.
func TestMeasured(t *testing.T) {
	short.Skip(t)
	synctest.Test(t, measured)
}

func measured(t *testing.T) {
	r := round.Make(clinic(t))
	type trial struct {
		mistake int
		lan     *lan
		tests   []round.Test
		looks   []Look
		played  []round.Played
		saws    []Saw
	}
	var all []*trial
	draw := rand.New(rand.NewPCG(7, 1))
	for len(all) < 24 {
		x := &trial{mistake: draw.IntN(len(r.Mistakes)), lan: newLAN()}
		was := r.Mistakes[x.mistake].Made()
		if was == nil {
			continue
		}
		for i, k := range draw.Perm(len(r.Tests))[:20] { // as if each were a VLAN of one port
			tag, test := vid(100*min(i, 1)+i), r.Tests[k]
			look := Look{Tag: tag, Look: r.Look(test)}
			x.lan.looks[tag], x.lan.saws[tag] = look.Look, r.Measure(was, []round.Test{test})[0]
			x.looks, x.tests = append(x.looks, look), append(x.tests, test)
		}
		x.played = r.Play(was, x.tests)
		all = append(all, x)
	}
	var w sync.WaitGroup
	for _, x := range all {
		w.Go(func() {
			l := Plug(x.lan, Options{Wait: 300 * time.Millisecond})
			defer l.Close()
			var err error
			x.saws, err = l.Look(context.Background(), x.looks)
			assert.NoError(t, err)
		})
	}
	w.Wait()
	tried, failed := 0, 0
	for _, x := range all {
		for i, s := range x.saws {
			want, got, test := x.lan.saws[s.Tag], judged(&s), x.tests[i]
			require.Equal(t, addresses(want), addresses(got), "%s %d", test.Port, s.Tag)
			require.Len(t, got.Offers, len(want.Offers))
			for k, y := range s.Tried {
				if y.Ended != round.Untold && y.How != "the gateway does not answer" {
					require.Equal(t, want.Tried[k], y.Ended, "%s: %s %s: %s", test.Port, y.To, y.Service, y.How)
					tried++
				}
			}
			judged := r.Judge(test, got)
			require.Equal(t, x.played[i].Passed, judged.Passed, "%s at %s %d: played %s, judged %s", r.Mistakes[x.mistake].Text, test.Port, test.Wire, x.played[i].Wrong, judged.Wrong)
			if !judged.Passed {
				failed++
			}
		}
		for _, f := range x.lan.sent { // nothing that takes an address, nothing that a cache keeps
			p := gopacket.NewPacket(f, layers.LayerTypeEthernet, gopacket.Default)
			require.Nil(t, p.ErrorLayer())
			if u, ok := p.Layer(layers.LayerTypeUDP).(*layers.UDP); ok && u.DstPort == 67 {
				d, err := dhcpv4.FromBytes(u.Payload)
				require.NoError(t, err)
				require.Equal(t, dhcpv4.MessageTypeDiscover, d.MessageType())
			}
			if y, ok := p.Layer(layers.LayerTypeARP).(*layers.ARP); ok && y.Operation == layers.ARPRequest {
				require.Equal(t, []byte{0, 0, 0, 0}, y.SourceProtAddress)
			}
		}
	}
	t.Logf("%d looks, each judged as played, %d of them failed; %d tries", 20*len(all), failed, tried)
	require.Greater(t, tried, 100)
	require.Greater(t, failed, 10)
}

func addresses(s round.Saw) []string {
	out := []string{}
	for _, a := range s.Answers {
		out = append(out, a.Addr.String())
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// sayLLDP is what a switch says of itself (IEEE 802.1AB), and of the port's VLAN.
func sayLLDP(from net.HardwareAddr, name, port string, pvid byte) []byte {
	tlv := func(kind byte, b ...byte) []byte { return append([]byte{kind << 1, byte(len(b))}, b...) }
	f := slices.Concat([]byte{1, 0x80, 0xc2, 0, 0, 0x0e}, from, []byte{0x88, 0xcc},
		tlv(1, append([]byte{4}, from...)...), tlv(2, append([]byte{5}, port...)...), tlv(3, 0, 120), tlv(5, []byte(name)...),
		tlv(7, 0, 4, 0, 4), tlv(8, 5, 1, 10, 0, 190, 7, 2, 0, 0, 0, 1, 0), tlv(127, 0, 0x80, 0xc2, 1, 0, pvid), tlv(0))
	return f
}

// TestHeard: a neighbour is heard once, with what it says.
func TestHeard(t *testing.T) { synctest.Test(t, heardOnce) }

func heardOnce(t *testing.T) {
	n := newLAN()
	for range 3 {
		n.in <- Frame{Data: sayLLDP(cardFor("rack"), "rack\x1b[31m", "ge-0/0/5", 110)}
	}
	heard := 0
	l := Plug(n, Options{Heard: func(Neighbour) { heard++ }})
	defer l.Close()
	require.NoError(t, l.Listen(t.Context(), time.Second, func(x Neighbour) bool { return false }))
	require.Equal(t, 1, heard)
	require.Equal(t, []Neighbour{{
		Device: "rack[31m", Chassis: cardFor("rack").String(), Port: "ge-0/0/5", Management: []netip.Addr{netip.MustParseAddr("10.0.190.7")}, PVID: 110, Bridge: true,
	}}, l.Neighbours())
}

// TestServers: servers that are late, that are none, that are others, and an address that
// somebody has already.
func TestServers(t *testing.T) {
	o := clinic(t)
	r := round.Make(o)
	all, err := r.At(office.PortRef{Device: "rack", Port: "5"})
	require.NoError(t, err)
	test := all[0]
	look := func(t *testing.T, change func(n *lan, s *round.Saw)) (Saw, round.Played) {
		n := newLAN()
		saw := r.Measure(o, all[:1])[0]
		change(n, &saw)
		n.looks[0], n.saws[0] = r.Look(test), saw
		l := Plug(n, Options{Wait: 400 * time.Millisecond})
		defer l.Close()
		saws, err := l.Look(t.Context(), []Look{{0, r.Look(test)}})
		require.NoError(t, err)
		return saws[0], r.Judge(test, judged(&saws[0]))
	}
	own := netip.MustParseAddr("10.61.110.50")
	for _, x := range []struct {
		name   string
		change func(n *lan, s *round.Saw)
		wrong  []string
		taken  bool
		from   netip.Addr
	}{
		{"as planned", func(*lan, *round.Saw) {}, nil, false, own},
		{"late, and in time", func(n *lan, _ *round.Saw) { n.slow = 200 * time.Millisecond }, nil, false, own},
		{"none, so that the laptop takes what is planned for it", func(_ *lan, s *round.Saw) { s.Offers = nil }, []string{"gate is to hand out an address, and nobody does"}, false, own},
		{"a second one with addresses of its own", func(_ *lan, s *round.Saw) {
			s.Offers = append(s.Offers, round.Offer{Addr: netip.MustParseAddr("192.168.1.7"), Server: netip.MustParseAddr("192.168.1.1"), By: "stray"})
		}, []string{"192.168.1.1 hands out 192.168.1.7, and addresses from 10.61.110.50 to 10.61.110.220 are planned"}, false, own},
		{"a second one within the range", func(_ *lan, s *round.Saw) {
			s.Offers = append(s.Offers, round.Offer{Addr: netip.MustParseAddr("10.61.110.99"), Server: netip.MustParseAddr("10.61.110.240"), By: "stray"})
		}, []string{"10.61.110.240 (" + cardFor("stray").String() + ") hands out addresses, and only gate is to"}, false, own},
		{"one by a relay", func(_ *lan, s *round.Saw) { s.Offers[0].Server = netip.MustParseAddr("10.61.130.9") }, nil, false, own},
		{"an address that somebody has", func(_ *lan, s *round.Saw) { s.Answers = append(s.Answers, round.Answer{Addr: own, By: "squatter"}) }, nil, true, netip.Addr{}},
	} {
		t.Run(x.name, func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				saw, judged := look(t, x.change)
				require.Equal(t, x.wrong, judged.Wrong)
				require.Equal(t, x.taken, saw.Taken != "")
				require.Equal(t, x.from, saw.From)
			})
		})
	}
}

// FuzzFrames: whatever comes in, at most one frame goes out for it, and only an answer
// for the laptop's own address or the end of a connection.
func FuzzFrames(f *testing.F) {
	gate := &Laptop{mac: cardFor("gate"), local: linkLocal(cardFor("gate"))}
	own, to := netip.MustParseAddr("10.0.0.9"), netip.MustParseAddr("10.0.1.1")
	f.Add(sayLLDP(gate.mac, "rack", "5", 1))
	f.Add(gate.frame(0, everybody, layers.EthernetTypeARP, gate.arp(layers.ARPRequest, to, nil, own)))
	f.Add(gate.frame(7, testCard, layers.EthernetTypeARP, gate.arp(layers.ARPReply, to, testCard, own)))
	f.Add(gate.packet(0, testCard, head{to, own, 64, layers.IPProtocolTCP}, &layers.TCP{SrcPort: 443, DstPort: 40000, SYN: true, ACK: true}))
	f.Add(gate.packet(0, testCard, head{to, own, 64, layers.IPProtocolICMPv4}, &layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(3, 13)}, gopacket.Payload(make([]byte, 28))))
	f.Add(gate.packet(0, everybody, head{to, all, 64, layers.IPProtocolUDP}, &layers.UDP{SrcPort: 67, DstPort: 68}, gopacket.Payload(make([]byte, 300))))
	f.Add(gate.whoHas(&seat{}, linkLocal(testCard)))
	f.Add(gate.solicitRouters(&seat{}))
	f.Fuzz(func(t *testing.T, data []byte) {
		n := newLAN()
		l := &Laptop{wire: n, mac: testCard, local: linkLocal(testCard), seats: map[office.VID]*seat{}}
		for _, tag := range []office.VID{0, 7} {
			s := &seat{Look: Look{Tag: tag}, own: own, claimed: true, ports: 40000, six: linkLocal(testCard)}
			for _, p := range []office.Protocol{office.TCP, office.UDP, office.Ping} {
				s.saw.Tried = append(s.saw.Tried, Tried{Try: round.Try{To: to, Service: office.Service{Protocol: p, First: 443, Last: 443}}, open: true})
			}
			l.seats[tag] = s
		}
		l.take(Frame{Data: data, At: time.Now()})
		require.LessOrEqual(t, len(n.sent), 1)
		for _, x := range n.sent {
			p := gopacket.NewPacket(x, layers.LayerTypeEthernet, gopacket.Default)
			a, arp := p.Layer(layers.LayerTypeARP).(*layers.ARP)
			c, tcp := p.TransportLayer().(*layers.TCP)
			_, na := icmp6(p).(*layers.ICMPv6NeighborAdvertisement)
			require.True(t, arp && a.Operation == layers.ARPReply || tcp && c.RST && !c.SYN || na, "%v", p)
		}
	})
}

// judged is what of a look a round judges.
func judged(s *Saw) (x round.Saw) {
	for _, o := range s.Offers {
		x.Offers = append(x.Offers, o.Offer)
	}
	for _, a := range s.Answers {
		x.Answers = append(x.Answers, a.Answer)
	}
	for _, t := range s.Tried {
		x.Tried = append(x.Tried, t.Ended)
	}
	return x
}
