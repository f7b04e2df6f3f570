package round

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// handed is the signs of what a post hands out otherwise than planned.
func (w *world) handed(k int, now *post) (out []sign) {
	if k >= len(w.posts) {
		return nil // a stranger is told by himself
	}
	plan := &w.posts[k]
	switch {
	case now.rival && plan.rival:
		if now.routes {
			return []sign{{routesSix, 0}}
		}
		return []sign{{rival, 0}}
	case plan.hands && !now.hands:
		return []sign{{handsNot, k}}
	case !plan.hands && now.hands && w.handing():
		return []sign{{handsToo, k}}
	case !plan.hands || !now.hands:
		return nil
	}
	if plan.from != now.from || plan.to != now.to {
		out = append(out, sign{handsRange, k})
	}
	if plan.net.Bits() != now.net.Bits() {
		out = append(out, sign{handsMask, k})
	}
	if plan.router.IsValid() && plan.router != now.router {
		out = append(out, sign{handsRouter, k})
	}
	return out
}

// findRivals adds, for each VLAN with a gateway, somebody who may stand beside it and hand
// out addresses, or route IPv6, and is nowhere as planned.
func (w *world) findRivals() {
	gates := w.net.Gateways()
	for _, vlan := range w.net.Office.VLANs {
		gate := gates.First(vlan.VID)
		if !gate.Is() {
			continue
		}
		at := post{rival: true, dev: gate.Dev, vid: vlan.VID, on: gate.Address.On}
		w.posts = append(w.posts, at)
		at.routes = true
		w.posts = append(w.posts, at)
	}
}

// ofHandouts lists what may be handed out otherwise, by whom, and who else may.
//
//	> gate address 160 10.61.160.1/24 on lan1 zone guests handout 10.61.160.20-10.61.160.100
//	at core.4 untagged: 10.61.160.1 hands out addresses from 10.61.160.20 to 10.61.160.100, and
//	    from 10.61.160.20 to 10.61.160.250 are planned
//	at floor.5 untagged: 10.61.160.1 hands out addresses from 10.61.160.20 to 10.61.160.100,
//	    and from 10.61.160.20 to 10.61.160.250 are planned
//	so: gate hands out another range in 160
func (w *world) ofHandouts() (out []Mistake) {
	o := w.net.Office
	known := map[office.VID]bool{}
	for k := range w.posts {
		one := w.posts[k]
		in := fmt.Sprintf(" in %d", one.vid)
		add := func(kind Kind, text string, weight int, turn func(posts []post)) {
			out = append(out, Mistake{Text: text, Kind: kind, Device: one.device, weight: weight, stands: true, turn: turn, after: o})
		}
		appear := func(posts []post) { posts[k].present = true }
		switch {
		case one.rival && one.routes:
			add(RivalRouter, "somebody who is not of the plan routes IPv6"+in, seldom, appear)
		case one.rival:
			add(Rival, "another server hands out addresses"+in, elsewhere, appear)
		case one.hands:
			known[one.vid] = true
			entered := func(kind Kind, text string, change func(address *office.Address)) {
				mistake := onDevice(o, one.dev, kind, text, func(device *office.Device) {
					for i := range device.Addresses {
						if address := &device.Addresses[i]; address.Prefix.Addr() == one.addr && address.VID == one.vid {
							change(address)
						}
					}
				})
				mistake.stands, mistake.weight = true, elsewhere
				if kind == OtherAddress || kind == OtherMask {
					mistake.weight = seldom
				}
				out = append(out, mistake)
			}
			entered(NoHandout, "hands out no addresses"+in, func(address *office.Address) { address.From, address.To = netip.Addr{}, netip.Addr{} })
			if from, to, ok := otherRange(&one); ok {
				entered(OtherRange, "hands out another range"+in, func(address *office.Address) { address.From, address.To = from, to })
			}
			entered(OtherAddress, "has another address"+in, func(address *office.Address) {
				address.Prefix = netip.PrefixFrom(otherThan(&one), address.Prefix.Bits())
			})
			entered(OtherMask, "has its address"+in+" with another mask", func(address *office.Address) {
				address.Prefix = netip.PrefixFrom(address.Prefix.Addr(), max(1, address.Prefix.Bits()-8))
			})
			add(OtherMask, one.device+" hands out another mask"+in, elsewhere, func(posts []post) { posts[k].net = netip.PrefixFrom(one.addr, max(1, one.net.Bits()-8)).Masked() })
			if one.router.IsValid() {
				add(OtherGate, one.device+" hands out another gateway"+in, elsewhere, func(posts []post) { posts[k].router = otherThan(&one) })
			}
			if beside := slices.IndexFunc(w.posts, func(post post) bool { return post.rival && !post.routes && post.vid == one.vid }); beside >= 0 {
				add(RivalInstead, "another server hands out addresses"+in+" instead of "+one.device, notEntered, func(posts []post) {
					posts[beside].present, posts[k].hands = true, false
				})
			}
		}
	}
	return out
}

// otherThan is an address of a subnet that is not its gateway's: the last, or the one before.
func otherThan(post *post) netip.Addr {
	last := office.LastOf(post.net).Prev()
	if last == post.router {
		return last.Prev()
	}
	return last
}

// otherRange is a range of the same subnet that has nothing of the planned one.
func otherRange(post *post) (from, to netip.Addr, ok bool) {
	if last := office.LastOf(post.net).Prev(); post.to.Less(last) {
		return post.to.Next(), last, true
	}
	if first := post.net.Addr().Next(); first.Less(post.from) {
		return first, post.from.Prev(), true
	}
	return from, to, false
}

// postsIn is who answers in an office that has the same devices, at the numbers of the
// plan's posts, and those that the plan has not behind them.
func (w *world) postsIn(net *span.Net) []post {
	posts := slices.Clone(w.posts)
	for k := range posts {
		if !posts[k].rival {
			posts[k].dev, posts[k].plug, posts[k].hands = -1, nil, false // until it is found there
		}
	}
	its := &world{net: net}
	its.findPosts()
	for _, one := range its.posts {
		k := slices.IndexFunc(w.posts, func(post post) bool {
			return !post.rival && post.device == one.device && post.addr == one.addr && (post.addr.IsValid() || post.vid == one.vid)
		})
		if k >= 0 {
			posts[k] = one
		} else {
			posts = append(posts, one)
		}
	}
	return posts
}

// turned is who answers with mistakes made, in the office that has them.
func (w *world) turned(net *span.Net, mistakes ...*Mistake) []post {
	stand := false
	for _, mistake := range mistakes {
		stand = stand || mistake.stands
	}
	if !stand {
		return w.posts
	}
	posts := w.postsIn(net)
	for _, mistake := range mistakes {
		if mistake.turn != nil {
			mistake.turn(posts)
		}
	}
	return posts
}

// expects is who is to hand out addresses of a family at an ask; -1 for nobody.
func (w *world) expects(at int, four bool) int {
	for _, k := range w.sets[w.plan[at]] {
		if post := &w.posts[k]; post.hands && post.from.Is4() == four {
			return k
		}
	}
	return -1
}

// offers is the signs of what a laptop was offered, and the sentences of it; answered is
// whom it heard. whole says that it heard all that were made.
func (w *world) offers(test Test, saw Saw, answered []int, whole bool) (signs []sign, wrong []string) {
	said := &judged{}
	for _, offer := range saw.Offers {
		w.offer(test, offer, answered, said)
	}
	// Servers of one address with two cards are two (RFC 5227 has no say in what is offered).
	for i, offer := range saw.Offers {
		for _, other := range saw.Offers[:i] {
			if offer.Server.IsValid() && offer.Server == other.Server && offer.By != other.By {
				said.note(sign{rival, 0}, fmt.Sprintf("two cards, %s and %s, hand out as %s", other.By, offer.By, offer.Server))
			}
		}
	}
	if k := w.expects(test.at, true); whole && k >= 0 {
		w.missed(k, saw, answered, said)
	}
	return said.signs, said.wrong
}

// judged is what speaks against the plan: the signs, and the sentences, each once.
type judged struct {
	signs []sign
	wrong []string
}

// note adds a sentence, and its sign where it is one; the zero sign is none.
func (j *judged) note(sign sign, text string) {
	if !slices.Contains(j.signs, sign) && sign.kind != 0 {
		j.signs = append(j.signs, sign)
	}
	if !slices.Contains(j.wrong, text) {
		j.wrong = append(j.wrong, text)
	}
}

// missed judges that post k, which is to hand out addresses, offered none.
func (w *world) missed(k int, saw Saw, answered []int, said *judged) {
	some, none := false, true
	for _, offer := range saw.Offers {
		some = some || offer.Addr.Is4()
		if offer.Addr.Is4() && (!offer.Server.IsValid() || offer.Server == w.posts[k].addr || !slices.ContainsFunc(said.signs, func(sign sign) bool { return sign.kind == rival })) {
			none = false
		}
	}
	if none && slices.Contains(answered, k) {
		said.signs = append(said.signs, sign{handsNot, k})
	}
	if !some {
		said.wrong = append(said.wrong, w.posts[k].device+" is to hand out an address, and nobody does")
	} else if none {
		said.note(sign{}, w.posts[k].device+" is to hand out an address, and does not")
	}
}

// rival is what an offer is a sign of where nobody is to hand out: of somebody that the plan
// does not know, or of one of its own that answers here and hands out too much.
func (w *world) rival(offer Offer, server int, here bool) sign {
	switch {
	case w.subnetOf(offer.Addr) != 0 && offer.Addr.Is6():
		return sign{} // another VLAN's: who answers tells that
	case server < 0:
		return sign{rival, 0}
	case here && w.hands(offer.Addr) == 0:
		return sign{handsToo, server}
	}
	return sign{}
}

// outOfRange is what an offer is a sign of that the k-th server, which is to hand out here,
// would not make.
func (w *world) outOfRange(offer Offer, server, k int) sign {
	switch {
	case w.hands(offer.Addr) != 0:
		return sign{} // another VLAN's: who answers tells that
	case server == k || !offer.Server.IsValid():
		return sign{handsRange, k}
	case server >= 0:
		return sign{handsToo, server}
	}
	return sign{rival, 0}
}

// offer judges one offer. What another VLAN's server offers has no sign of its own: who
// answers tells that.
//
// Many branches: one a thing that can be wrong with an offer, the gravest alone.
func (w *world) offer(test Test, offer Offer, answered []int, said *judged) {
	by := offer.By
	server := -1
	if by == "" {
		by = "somebody"
	}
	if offer.Server.IsValid() {
		by = offer.Server.String()
		server = slices.IndexFunc(w.posts, func(post post) bool { return post.addr == offer.Server })
	}
	known := !offer.Server.IsValid() || server >= 0
	k := w.expects(test.at, offer.Addr.Is4())
	switch {
	case k < 0 && test.VLAN != 0 && !w.handing():
		return // the plan does not say who hands out
	case k < 0 && slices.ContainsFunc(w.sets[w.plan[test.at]], func(k int) bool {
		post := &w.posts[k]
		return post.net.IsValid() && post.addr.Is6() && post.net.Contains(offer.Addr)
	}):
		return // nor who gives addresses of IPv6 besides the router
	case k < 0:
		said.note(w.rival(offer, server, slices.Contains(answered, server)), fmt.Sprintf("%s hands out %s, and nobody is to", by, offer.Addr))
		return
	}
	plan := &w.posts[k]
	if offer.Addr.Less(plan.from) || plan.to.Less(offer.Addr) {
		said.note(w.outOfRange(offer, server, k), fmt.Sprintf("%s hands out %s, and addresses from %s to %s are planned", by, offer.Addr, plan.from, plan.to))
		return
	}
	if !known {
		if offer.By != "" {
			by += " (" + offer.By + ")"
		}
		said.note(sign{rival, 0}, fmt.Sprintf("%s hands out addresses, and only %s is to", by, plan.device))
		return
	}
	if offer.Bits > 0 && offer.Bits != plan.net.Bits() {
		said.note(sign{handsMask, k}, fmt.Sprintf("%s hands out the mask /%d, and /%d is planned", by, offer.Bits, plan.net.Bits()))
	}
	if offer.Gateway.IsValid() && plan.router.IsValid() && offer.Gateway != plan.router {
		said.note(sign{handsRouter, k}, fmt.Sprintf("%s hands out the gateway %s, and %s is planned", by, offer.Gateway, plan.router))
	}
}

// routers is the same of who says that he routes IPv6 (RFC 4861, 6.1.2): the plan's gateway
// by the card that answers for it, with the prefixes of its VLAN.
func (w *world) routers(test Test, saw Saw) (signs []sign, wrong []string) {
	if !slices.ContainsFunc(w.posts, func(post post) bool { return post.gateway }) {
		return nil, nil // the plan does not say who routes at all
	}
	card := ""
	var planned []netip.Prefix
	for _, k := range w.sets[w.plan[test.at]] {
		post := &w.posts[k]
		if !post.addr.Is6() || !post.gateway {
			continue
		}
		planned = append(planned, post.net)
		for _, answer := range saw.Answers {
			if answer.Addr == post.addr {
				card = answer.By
			}
		}
	}
	for _, router := range saw.Routers {
		who := fmt.Sprintf("%s (%s)", router.Addr, router.By)
		text := ""
		switch foreign := slices.IndexFunc(router.Prefixes, func(prefix netip.Prefix) bool { return !slices.Contains(planned, prefix.Masked()) }); {
		case len(planned) == 0:
			text = who + " says that it routes IPv6, and nobody is to"
		case foreign >= 0:
			text = fmt.Sprintf("%s says that it routes IPv6 for %s, which is not planned here", who, router.Prefixes[foreign])
		case card != "" && router.By != card:
			text = fmt.Sprintf("%s says that it routes IPv6, and only %s is to", who, card)
		default:
			continue
		}
		if !slices.Contains(wrong, text) {
			wrong = append(wrong, text)
		}
		if !slices.ContainsFunc(router.Prefixes, func(prefix netip.Prefix) bool { return w.subnetOf(prefix.Addr()) != 0 }) {
			signs = []sign{{routesSix, 0}} // else it is another VLAN's: who answers tells that
		}
	}
	return signs, wrong
}
