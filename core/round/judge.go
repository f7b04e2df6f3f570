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
func (r *Round) Look(test Test) Look {
	look := Look{From: test.From, To: test.To}
	for k := range r.world.posts {
		if addr := r.world.posts[k].addr; addr.IsValid() && !slices.Contains(look.Ask, addr) {
			look.Ask = append(look.Ask, addr)
		}
	}
	for _, laptop := range r.world.who {
		if laptop.vlan == test.VLAN && test.VLAN != 0 {
			look.Own, look.Gateway = laptop.addr, r.world.posts[laptop.gate].addr
		}
	}
	for _, trial := range test.trials {
		look.Tries = append(look.Tries, Try{trial.to, trial.what})
	}
	ask := &r.world.asks[test.at]
	if test.Wire != bridge.Untagged || r.world.net.Office.Devices[ask.dev].Unaware() {
		return look
	}
	compiled := r.world.net.Tables[ask.dev].Ports[ask.port]
	for _, vlan := range r.world.net.Office.VLANs {
		if len(look.Tags) < mostTags && vlan.VID != test.VLAN && !compiled.Tagged.Has(vlan.VID) && compiled.WireOf(vlan.VID) != bridge.Untagged {
			look.Tags = append(look.Tags, vlan.VID)
		}
	}
	return look
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
//
// Many branches: who answers, who hands out, what is heard and what was tried are each
// held against the plan.
func (r *Round) Judge(test Test, saw Saw) Played {
	world := r.world
	played := Played{Seen: Seen{Test: test, Instead: []string{}, How: ByProbe}}
	planned := world.sets[world.plan[test.at]]
	now := world.answered(test, saw)
	for _, k := range now {
		played.Instead = append(played.Instead, world.posts[k].called())
	}
	played.Gives, played.Given = world.offered(test, saw.Offers)
	var signs []sign
	signs, played.Wrong = world.offers(test, saw, now, true)
	more, wrong := world.routers(test, saw)
	signs, played.Wrong = append(signs, more...), append(played.Wrong, wrong...)
	for _, vid := range saw.Tagged {
		signs = append(signs, sign{comesTagged, int(vid)})
		played.Wrong = append(played.Wrong, world.wrong(sign{comesTagged, int(vid)}, nil))
	}
	for _, vid := range world.speaking(saw.Heard, now) {
		if slices.Contains(world.more[world.plan[test.at]], sign{isHeard, int(vid)}) {
			continue
		}
		signs = append(signs, sign{isHeard, int(vid)})
		played.Wrong = append(played.Wrong, world.wrong(sign{isHeard, int(vid)}, nil))
	}
	for _, sign := range signs {
		if text := world.text(sign); text != "" {
			played.Instead = append(played.Instead, text)
		}
	}
	for _, k := range now {
		if !slices.Contains(planned, k) {
			played.Wrong = append(played.Wrong, world.posts[k].called()+" answers, and is not to")
		}
	}
	for _, reach := range test.Reach {
		if reach.Service != string(office.Ping) || !reach.OK {
			continue // those that are not to answer are among the above
		}
		k := slices.IndexFunc(planned, func(k int) bool { return world.posts[k].called() == reach.To && world.posts[k].addr.IsValid() })
		if k >= 0 && !slices.Contains(now, planned[k]) {
			played.Wrong = append(played.Wrong, reach.To+" is to answer ping, and does not")
		}
	}
	if len(played.Wrong) == 0 && len(saw.Tried) == len(test.trials) {
		for i, trial := range test.trials {
			ended := saw.Tried[i].as(trial.reach.OK)
			played.Tried = append(played.Tried, ended)
			switch {
			case ended == Silent && trial.reach.OK:
				played.Wrong = append(played.Wrong, fmt.Sprintf("%s is to answer %s, and does not", trial.reach.To, trial.reach.Service))
			case ended == Answered && !trial.reach.OK:
				played.Wrong = append(played.Wrong, fmt.Sprintf("%s is not to answer %s, and does", trial.reach.To, trial.reach.Service))
			}
		}
	}
	if played.Passed = len(played.Wrong) == 0; played.Passed {
		played.Instead = nil
	}
	return played
}

// answered is the posts that answered. A device with addresses in several VLANs may
// answer for each of them in any (a host of RFC 1122, 3.3.4.2, weak model): of those that
// one network card answers for, the ones count in whose VLAN the laptop was given an
// address, and where it was given none, those that are planned there.
func (w *world) answered(test Test, saw Saw) []int {
	given := map[office.VID]bool{}
	for _, offer := range saw.Offers {
		if vid := w.hands(offer.Addr); vid != 0 {
			given[vid] = true
		}
	}
	planned := w.sets[w.plan[test.at]]
	type who struct{ device, card string }
	by := map[who][]int{}
	for k := range w.posts {
		for _, answer := range saw.Answers {
			if post := &w.posts[k]; post.addr.IsValid() && post.addr == answer.Addr {
				by[who{post.device, answer.By}] = append(by[who{post.device, answer.By}], k)
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
func (w *world) offered(test Test, offers []Offer) (gives []Given, given netip.Addr) {
	for _, offer := range offers {
		one := Given{By: offer.By, From: offer.Addr.String(), To: offer.Addr.String()}
		if offer.Server.IsValid() {
			one.By = offer.Server.String()
		}
		for k := range w.posts {
			if offer.Server.IsValid() && w.posts[k].addr == offer.Server {
				one.Server = w.posts[k].device
			}
		}
		gives = append(gives, one)
		better := w.hands(offer.Addr) != 0 && (w.hands(given) == 0 || w.hands(given) == test.VLAN && w.hands(offer.Addr) != test.VLAN)
		if !given.IsValid() || better {
			given = offer.Addr
		}
	}
	return gives, given
}

// handing says whether the plan says who hands out addresses.
func (w *world) handing() bool {
	return slices.ContainsFunc(w.posts, func(post post) bool { return post.hands })
}

// speaking is the VLANs of whose subnets somebody was heard, while nobody of them answers.
func (w *world) speaking(heard []netip.Addr, answered []int) (out []office.VID) {
	for _, addr := range heard {
		// A device with addresses in several VLANs may ask in each for each of them (RFC 1122,
		// 3.3.4.2, weak model): that says nothing of where it is.
		if slices.ContainsFunc(w.posts, func(one post) bool {
			return one.addr == addr && slices.ContainsFunc(w.posts, func(post post) bool { return post.device == one.device && post.vid != one.vid })
		}) {
			continue
		}
		for k := range w.posts {
			post := &w.posts[k]
			if !post.net.IsValid() || !post.net.Contains(addr) {
				continue
			}
			if !slices.Contains(out, post.vid) && !slices.ContainsFunc(answered, func(k int) bool { return w.posts[k].vid == post.vid }) {
				out = append(out, post.vid)
			}
			break
		}
	}
	return out
}
