// Package probe is a laptop that plugs in and looks: who hands out addresses, untagged and
// in each VLAN tagged, who answers, what is let through, which switch it hears.
//
// It sends and hears whole frames at a network interface and leaves the laptop as it is:
// addresses are asked for and never taken (RFC 2131, 4.4.1: a DISCOVER is sent, the OFFER
// is not answered), and what is sent from one that was offered is sent for the seconds of
// the look, after nobody else answered for it (RFC 5227).
package probe

import (
	"context"
	"encoding/binary"
	"math/rand/v2"
	"net"
	"net/netip"
	"slices"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"klammer/core/office"
	"klammer/core/round"
)

// Wire is where frames go out and come in.
type Wire interface {
	// Card is the address that frames are sent from.
	Card() net.HardwareAddr
	// Send sends a frame, with its tag in it.
	Send(frame []byte) error
	// Receive waits for the next frame; the error says that there are no more.
	Receive() (Frame, error)
	Close() error
}

// Frame is a frame that came in. Tag is the VLAN ID of the outer 802.1Q tag where the
// receiver took it off, 0 where it wore none or only a priority (IEEE 802.1Q, 9.6).
type Frame struct {
	At   time.Time
	Tag  office.VID
	Data []byte
}

// Look is what to look for with one tag, 0 for none.
type Look struct {
	Tag office.VID
	round.Look
}

// Offer is an address that somebody hands out.
type Offer struct {
	round.Offer
	DNS   []netip.Addr  // nil for none
	Lease time.Duration // 0 where not told
	After time.Duration // since it was asked for
}

// Router is a router that says so itself (RFC 4861, 4.2).
type Router struct {
	round.Router // by its link-local address
	After        time.Duration
	own          []netip.Prefix // that one makes addresses in by oneself (RFC 4862)
}

// Answer is an address that answered.
type Answer struct {
	round.Answer
	After time.Duration
}

// Tried is how a try ended, and how that was told.
type Tried struct {
	round.Try
	Ended round.Ended
	How   string
	open  bool // something may yet come back
}

// Saw is what was seen with one tag.
type Saw struct {
	Tag     office.VID
	Offers  []Offer
	Routers []Router
	Answers []Answer
	Tried   []Tried // as long as [round.Look.Tries], or empty where there was no address to try from
	From    netip.Addr
	Heard   []netip.Addr // whose broadcasts were heard, of IPv4
	Taken   string       // the card of somebody who has the address that was offered; "" for nobody
}

// Options say how long to look, and whom to tell meanwhile.
type Options struct {
	Wait  time.Duration // for offers; [Patience] where it is 0
	Six   bool          // ask for routers and addresses of IPv6 too
	Greet bool          // ping the gateway that is offered
	Heard func(Neighbour)
	Offer func(tag office.VID, offer Offer)
}

// Patience is how long a laptop waits for offers: servers that try an address first
// (RFC 2131, 3.1, step 2) take up to 3 s for each, one after another. So it waits on where
// nobody offered anything, as long as offers elsewhere are not further apart than that.
const Patience = 6 * time.Second

// Whoever floods a laptop is not kept whole.
const (
	mostHeard  = 50
	mostOffers = 100 // in a VLAN; and as many routers
)

const apart = 4 * time.Second

// Times of a look, after its start or after the step before.
var (
	askAgain   = []time.Duration{0, 300 * time.Millisecond, time.Second, 2500 * time.Millisecond}
	offerAgain = []time.Duration{0, 2 * time.Second, 4 * time.Second, 8 * time.Second, 16 * time.Second, 32 * time.Second}
	tryAgain   = []time.Duration{0, 500 * time.Millisecond, time.Second, 2 * time.Second}
)

const (
	claimFor = 500 * time.Millisecond // for somebody who has an address to say so
	tryFor   = 3 * time.Second
)

// Laptop is a laptop at a wire.
type Laptop struct {
	wire      Wire
	opt       Options
	mac       net.HardwareAddr
	local     netip.Addr // link-local
	frames    chan Frame
	ended     chan error
	done      chan struct{}
	heard     []Neighbour
	offeredAt time.Time // when the last offer came; zero before
	seats     map[office.VID]*seat
}

// seat is the laptop in one VLAN.
type seat struct {
	Look
	saw     Saw
	began   time.Time
	xid     [4]byte
	offers  int // sent
	asks    int
	claim   time.Time // since when an address is being claimed; zero before
	own     netip.Addr
	six     netip.Addr
	claimed bool
	trying  time.Time
	tries   int
	ports   uint16 // of the first try
	over    bool
}

// Plug puts a laptop at a wire. It hears until [Laptop.Close].
func Plug(wire Wire, opt Options) *Laptop {
	if opt.Wait == 0 {
		opt.Wait = Patience
	}
	laptop := &Laptop{wire: wire, opt: opt, mac: wire.Card(), local: linkLocal(wire.Card()), frames: make(chan Frame, 256), ended: make(chan error, 1), done: make(chan struct{}), seats: map[office.VID]*seat{}}
	go func() {
		for {
			frame, err := wire.Receive()
			if err != nil {
				laptop.ended <- err
				return
			}
			select {
			case laptop.frames <- frame:
			case <-laptop.done:
				return
			}
		}
	}()
	return laptop
}

// Close lets go of the wire.
func (l *Laptop) Close() error {
	close(l.done)
	return l.wire.Close()
}

// Neighbours is who was heard so far (IEEE 802.1AB).
func (l *Laptop) Neighbours() []Neighbour { return l.heard }

// Listen waits until a neighbour was heard that enough says of, which is asked once of
// each, or the time is over.
func (l *Laptop) Listen(ctx context.Context, most time.Duration, enough func(Neighbour) bool) error {
	over := time.After(most)
	for asked := 0; ; {
		for ; asked < len(l.heard); asked++ {
			if enough(l.heard[asked]) {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case err := <-l.ended:
			return err
		case <-over:
			return nil
		case frame := <-l.frames:
			l.take(frame)
		}
	}
}

// Look looks with all tags at once; each is looked for once.
func (l *Laptop) Look(ctx context.Context, looks []Look) ([]Saw, error) {
	var all []*seat
	for _, look := range looks {
		one := &seat{Look: look, saw: Saw{Tag: look.Tag}, began: time.Now(), ports: uint16(40000 + rand.IntN(20000))}
		binary.BigEndian.PutUint32(one.xid[:], rand.Uint32())
		l.seats[look.Tag] = one
		all = append(all, one)
	}
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		var err error
		over := true
		for _, seat := range all {
			if !seat.over && err == nil {
				err = l.step(seat, time.Now())
			}
			over = over && seat.over
		}
		if err != nil {
			return nil, err
		}
		if over {
			out := []Saw{}
			for _, seat := range all {
				delete(l.seats, seat.Tag)
				out = append(out, seat.saw)
			}
			return out, nil
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case err := <-l.ended:
			return nil, err
		case frame := <-l.frames:
			l.take(frame)
			for len(l.frames) > 0 {
				l.take(<-l.frames)
			}
		case <-tick.C:
		}
	}
}

// step sends what is due in a VLAN.
//
// Many branches: one a thing that may be due.
func (l *Laptop) step(seat *seat, now time.Time) error {
	since := now.Sub(seat.began)
	var due [][]byte
	if seat.offers < len(offerAgain) && since >= offerAgain[seat.offers] && !l.waited(seat, now) {
		seat.offers++
		if due = append(due, l.discover(seat, since)); l.opt.Six {
			due = append(due, l.solicitRouters(seat), l.solicit(seat, since))
		}
	}
	if seat.asks < len(askAgain) && since >= askAgain[seat.asks] {
		seat.asks++
		due = append(due, l.asking(seat, seat.Ask...)...)
	}
	waited := l.waited(seat, now)
	if own, sure := seat.best(); seat.claim.IsZero() && (sure || waited) {
		seat.own, seat.claim = own, now
		due = append(due, l.asking(seat, seat.own, seat.gate())...)
	}
	if !seat.claim.IsZero() && !seat.claimed && now.Sub(seat.claim) >= claimFor {
		l.claimed(seat, now)
	}
	if seat.claimed && seat.tries < len(tryAgain) && now.Sub(seat.trying) >= tryAgain[seat.tries] {
		seat.tries++
		for k := range seat.saw.Tried {
			due = append(due, l.try(seat, k))
		}
	}
	for _, frame := range due {
		if frame == nil { // there is no more to try
			continue
		}
		if err := l.wire.Send(frame); err != nil {
			return err
		}
	}
	tried := seat.claimed && (now.Sub(seat.trying) >= tryFor || !slices.ContainsFunc(seat.saw.Tried, func(one Tried) bool { return one.open }))
	seat.over = waited && tried
	return nil
}

// asking is the questions who has addresses, of those that nobody answered for yet.
func (l *Laptop) asking(seat *seat, all ...netip.Addr) (out [][]byte) {
	for _, one := range all {
		if one.IsValid() && !seat.answered(one) {
			out = append(out, l.whoHas(seat, one))
		}
	}
	return out
}

// claimed ends the claiming of an address, which nobody else had, and begins the tries from it.
func (l *Laptop) claimed(seat *seat, now time.Time) {
	seat.claimed = true
	if by := seat.card(seat.own); by != "" && by != l.mac.String() {
		seat.saw.Taken, seat.own = by, netip.Addr{}
	}
	seat.saw.From = seat.own
	seat.six = seat.made(l.mac)
	seat.trying = now
	if l.opt.Greet && seat.gate().IsValid() {
		seat.Tries = append(slices.Clip(seat.Tries), round.Try{To: seat.gate(), Service: office.Service{Protocol: office.Ping}})
	}
	for _, try := range seat.Tries {
		one := Tried{Try: try, Ended: round.Silent, How: "nothing comes back", open: true}
		if try.Service.Protocol == office.UDP { // who takes it need not say so
			one.Ended = round.Untold
		}
		seat.saw.Tried = append(seat.saw.Tried, one)
	}
}

// end ends a try.
func (t *Tried) end(ended round.Ended, how string) { t.Ended, t.How, t.open = ended, how, false }

// waited says whether a laptop waited for offers in a VLAN as long as it does.
func (l *Laptop) waited(seat *seat, now time.Time) bool {
	since := now.Sub(seat.began)
	slow := len(seat.saw.Offers) == 0 && !l.offeredAt.IsZero() && now.Sub(l.offeredAt) < apart
	return since >= l.opt.Wait && (!slow || since >= l.opt.Wait+time.Duration(len(l.seats))*apart)
}

// answered says whether an address answered.
func (s *seat) answered(one netip.Addr) bool { return s.card(one) != "" }

// card is the network card that answered for an address; "" for none.
func (s *seat) card(one netip.Addr) string {
	for _, answer := range s.saw.Answers {
		if answer.Addr == one {
			return answer.By
		}
	}
	return ""
}

// best is the address to try from: one that was offered, out of the range that is planned
// where there is one; the planned one where none was. Sure says that no better one comes.
func (s *seat) best() (own netip.Addr, sure bool) {
	for _, offer := range s.saw.Offers {
		planned := s.From.IsValid() && !offer.Addr.Less(s.From) && !s.To.Less(offer.Addr)
		if offer.Addr.Is4() && (planned || !own.IsValid()) {
			own, sure = offer.Addr, planned || !s.From.IsValid()
			if planned {
				break
			}
		}
	}
	if !own.IsValid() {
		own = s.Own
	}
	return own, sure
}

// gate is who sends on what the laptop sends: as offered, or as planned.
func (s *seat) gate() netip.Addr {
	for _, offer := range s.saw.Offers {
		if offer.Addr == s.own && offer.Gateway.IsValid() {
			return offer.Gateway
		}
	}
	return s.Gateway
}

// made is the address of IPv6 that the laptop has where a router says how (RFC 4862), or
// it was offered.
func (s *seat) made(mac net.HardwareAddr) netip.Addr {
	for _, offer := range s.saw.Offers {
		if offer.Addr.Is6() {
			return offer.Addr
		}
	}
	for _, router := range s.saw.Routers {
		for _, prefix := range router.own {
			return within(prefix, mac)
		}
	}
	if s.Own.Is6() {
		return s.Own
	}
	return netip.Addr{}
}

// take takes a frame that came in.
func (l *Laptop) take(frame Frame) {
	if len(frame.Data) < 14 || slices.Equal(frame.Data[6:12], l.mac) {
		return
	}
	if frame.Data[0]&1 == 0 && !slices.Equal(frame.Data[0:6], l.mac) {
		return // for somebody else
	}
	packet := gopacket.NewPacket(frame.Data, layers.LayerTypeEthernet, gopacket.NoCopy)
	if q, ok := packet.Layer(layers.LayerTypeDot1Q).(*layers.Dot1Q); ok {
		if frame.Tag != 0 {
			return // a tag in a tag
		}
		frame.Tag = office.VID(q.VLANIdentifier)
	}
	if one, ok := neighbour(packet); ok {
		l.hear(one)
		return
	}
	seat := l.seats[frame.Tag]
	if seat == nil {
		return
	}
	after := frame.At.Sub(seat.began)
	from := net.HardwareAddr(slices.Clone(frame.Data[6:12])).String()
	switch {
	case l.tookARP(seat, packet, after), l.tookNeighbour(seat, packet, from, after), l.tookOffer(seat, packet, from, after):
	default:
		l.tookReply(seat, packet)
	}
}

func (l *Laptop) hear(one Neighbour) {
	if len(l.heard) == mostHeard || slices.ContainsFunc(l.heard, func(x Neighbour) bool { return x.Chassis == one.Chassis && x.Port == one.Port }) {
		return
	}
	l.heard = append(l.heard, one)
	if l.opt.Heard != nil {
		l.opt.Heard(one)
	}
}

// note keeps an answer to what was asked, once.
func (s *seat) note(one netip.Addr, by string, after time.Duration) {
	if !s.answered(one) && (slices.Contains(s.Ask, one) || one == s.own || one == s.gate()) {
		s.saw.Answers = append(s.saw.Answers, Answer{round.Answer{Addr: one, By: by}, after})
	}
}

// offered keeps an offer, once of each server and address.
func (l *Laptop) offered(seat *seat, offer Offer) {
	if len(seat.saw.Offers) == mostOffers || slices.ContainsFunc(seat.saw.Offers, func(other Offer) bool { return other.Offer == offer.Offer }) {
		return
	}
	seat.saw.Offers = append(seat.saw.Offers, offer)
	l.offeredAt = time.Now()
	if l.opt.Offer != nil {
		l.opt.Offer(seat.Tag, offer)
	}
}
