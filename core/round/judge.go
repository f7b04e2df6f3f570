package round

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Look is what a laptop tries at a test to see all that a round tells apart.
type Look struct {
	Ask     []netip.Addr // each of the office's addresses: who answers in this VLAN?
	Own     netip.Addr   // that it may use where nobody gives it one; the zero one for none
	Gateway netip.Addr   // that it sends by then
	From    netip.Addr   // of the range that it is given one from; the zero one for none
	To      netip.Addr
	Tries   []Try        // across devices that route
	Tags    []office.VID // with which nothing is to come out, tried besides an untagged look
}

// Try is a service that is tried across devices that route.
type Try struct {
	To      netip.Addr
	Service office.Service
}

// Look is what to try at a test.
func (r *Round) Look(t Test) Look {
	l := Look{From: t.From, To: t.To}
	for k := range r.w.posts {
		if a := r.w.posts[k].addr; a.IsValid() && !slices.Contains(l.Ask, a) {
			l.Ask = append(l.Ask, a)
		}
	}
	for _, x := range r.w.who {
		if x.vlan == t.VLAN && t.VLAN != 0 {
			l.Own, l.Gateway = x.addr, r.w.posts[x.gate].addr
		}
	}
	for _, x := range t.trials {
		l.Tries = append(l.Tries, Try{x.to, x.what})
	}
	x := &r.w.asks[t.at]
	if t.Wire != bridge.Untagged || r.w.n.Office.Devices[x.dev].Unaware() {
		return l
	}
	compiled := r.w.n.Tables[x.dev].Ports[x.port]
	for _, v := range r.w.n.Office.VLANs {
		if len(l.Tags) < mostTags && v.VID != t.VLAN && !compiled.Tagged.Has(v.VID) && compiled.WireOf(v.VID) != bridge.Untagged {
			l.Tags = append(l.Tags, v.VID)
		}
	}
	return l
}

// mostTags is how many tags are tried that are not planned at a port.
const mostTags = 64

// Offer is an address that a laptop was offered (RFC 2131, RFC 8415).
type Offer struct {
	Addr    netip.Addr
	Server  netip.Addr // that says so; the zero one where it does not tell
	By      string     // its network card
	Bits    int        // of the mask; 0 where none was told
	Gateway netip.Addr // the zero one where none was told
}

// Router says of itself that it routes IPv6 (RFC 4861).
type Router struct {
	Addr     netip.Addr
	By       string // its network card
	Prefixes []netip.Prefix
}

// Answer is an address that answered in the VLAN itself, by ARP or neighbour discovery.
type Answer struct {
	Addr netip.Addr
	By   string // the network card that answered
}

// Ended is how a try ended.
type Ended int

const (
	Untold Ended = iota // nothing came back where nothing has to
	Answered
	Silent
	Refused // by whom it is for, or by somebody on the way in his name
)

// as is how a try ended as far as it says something of the network: what is to be let through
// and is refused is not let through; what is not to be may have been refused by whom it is for.
func (e Ended) as(ok bool) Ended {
	switch {
	case e != Refused:
		return e
	case ok:
		return Silent
	}
	return Untold
}

// Saw is what a laptop saw at a test. Tried is as long as [Look.Tries], or nil where
// nothing was tried.
type Saw struct {
	Offers  []Offer
	Answers []Answer
	Tried   []Ended
	Routers []Router
	Tagged  []office.VID // that somebody answered tagged with, of [Look.Tags]
	Heard   []netip.Addr // who broadcast, and does not answer
}

// Judge puts what a laptop saw at a test beside the plan. What the test is to reach
// decides, and who hands out addresses; that somebody who is not asked for is silent does
// not, as he may be off.
func (r *Round) Judge(t Test, saw Saw) Played {
	w := r.w
	x := Played{Seen: Seen{Test: t, Instead: []string{}, How: ByProbe}}
	planned := w.sets[w.plan[t.at]]
	now := w.answered(t, saw)
	for _, k := range now {
		x.Instead = append(x.Instead, w.posts[k].called())
	}
	x.Gives, x.Given = w.offered(t, saw.Offers)
	var signs []sign
	signs, x.Wrong = w.offers(t, saw, now, true)
	more, wrong := w.routers(t, saw)
	signs, x.Wrong = append(signs, more...), append(x.Wrong, wrong...)
	for _, v := range saw.Tagged {
		signs = append(signs, sign{comesTagged, int(v)})
		x.Wrong = append(x.Wrong, w.wrong(sign{comesTagged, int(v)}, nil))
	}
	for _, v := range w.speaking(saw.Heard, now) {
		if slices.Contains(w.more[w.plan[t.at]], sign{isHeard, int(v)}) {
			continue
		}
		signs = append(signs, sign{isHeard, int(v)})
		x.Wrong = append(x.Wrong, w.wrong(sign{isHeard, int(v)}, nil))
	}
	for _, s := range signs {
		if text := w.text(s); text != "" {
			x.Instead = append(x.Instead, text)
		}
	}
	for _, k := range now {
		if !slices.Contains(planned, k) {
			x.Wrong = append(x.Wrong, w.posts[k].called()+" answers, and is not to")
		}
	}
	for _, y := range t.Reach {
		if y.Service != string(office.Ping) || !y.OK {
			continue // those that are not to answer are among the above
		}
		k := slices.IndexFunc(planned, func(k int) bool { return w.posts[k].called() == y.To && w.posts[k].addr.IsValid() })
		if k >= 0 && !slices.Contains(now, planned[k]) {
			x.Wrong = append(x.Wrong, y.To+" is to answer ping, and does not")
		}
	}
	if len(x.Wrong) == 0 && len(saw.Tried) == len(t.trials) {
		for i, y := range t.trials {
			ended := saw.Tried[i].as(y.reach.OK)
			x.Tried = append(x.Tried, ended)
			switch {
			case ended == Silent && y.reach.OK:
				x.Wrong = append(x.Wrong, fmt.Sprintf("%s is to answer %s, and does not", y.reach.To, y.reach.Service))
			case ended == Answered && !y.reach.OK:
				x.Wrong = append(x.Wrong, fmt.Sprintf("%s is not to answer %s, and does", y.reach.To, y.reach.Service))
			}
		}
	}
	if x.Passed = len(x.Wrong) == 0; x.Passed {
		x.Instead = nil
	}
	return x
}

// answered is the posts that answered. A device with addresses in several VLANs may
// answer for each of them in any (a host of RFC 1122, 3.3.4.2, weak model): of those that
// one network card answers for, the ones count in whose VLAN the laptop was given an
// address, and where it was given none, those that are planned there.
func (w *world) answered(t Test, saw Saw) []int {
	given := map[office.VID]bool{}
	for _, g := range saw.Offers {
		if v := w.hands(g.Addr); v != 0 {
			given[v] = true
		}
	}
	planned := w.sets[w.plan[t.at]]
	type who struct{ device, card string }
	by := map[who][]int{}
	for k := range w.posts {
		for _, a := range saw.Answers {
			if p := &w.posts[k]; p.addr.IsValid() && p.addr == a.Addr {
				by[who{p.device, a.By}] = append(by[who{p.device, a.By}], k)
			}
		}
	}
	var out []int
	for _, all := range by {
		some := slices.DeleteFunc(slices.Clone(all), func(k int) bool { return !given[w.posts[k].vid] })
		if len(some) == 0 {
			some = slices.DeleteFunc(slices.Clone(all), func(k int) bool { return !slices.Contains(planned, k) })
		}
		if len(some) == 0 {
			some = all
		}
		out = append(out, some...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// offered is who handed out addresses, and which of them tells most: one that the plan
// hands out, before any.
func (w *world) offered(t Test, offers []Offer) (gives []Given, given netip.Addr) {
	for _, g := range offers {
		x := Given{By: g.By, From: g.Addr.String(), To: g.Addr.String()}
		if g.Server.IsValid() {
			x.By = g.Server.String()
		}
		for k := range w.posts {
			if g.Server.IsValid() && w.posts[k].addr == g.Server {
				x.Server = w.posts[k].device
			}
		}
		gives = append(gives, x)
		better := w.hands(g.Addr) != 0 && (w.hands(given) == 0 || w.hands(given) == t.VLAN && w.hands(g.Addr) != t.VLAN)
		if !given.IsValid() || better {
			given = g.Addr
		}
	}
	return gives, given
}

// handing says whether the plan says who hands out addresses.
func (w *world) handing() bool {
	return slices.ContainsFunc(w.posts, func(p post) bool { return p.hands })
}

// speaking is the VLANs of whose subnets somebody was heard, while nobody of them answers.
func (w *world) speaking(heard []netip.Addr, answered []int) (out []office.VID) {
	for _, a := range heard {
		// A device with addresses in several VLANs may ask in each for each of them (RFC 1122,
		// 3.3.4.2, weak model): that says nothing of where it is.
		if slices.ContainsFunc(w.posts, func(p post) bool {
			return p.addr == a && slices.ContainsFunc(w.posts, func(q post) bool { return q.device == p.device && q.vid != p.vid })
		}) {
			continue
		}
		for k := range w.posts {
			p := &w.posts[k]
			if !p.net.IsValid() || !p.net.Contains(a) {
				continue
			}
			if !slices.Contains(out, p.vid) && !slices.ContainsFunc(answered, func(k int) bool { return w.posts[k].vid == p.vid }) {
				out = append(out, p.vid)
			}
			break
		}
	}
	return out
}
