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
	gates := w.n.Gateways()
	for _, v := range w.n.Office.VLANs {
		gate := gates.First(v.VID)
		if !gate.Is() {
			continue
		}
		at := post{rival: true, dev: gate.Dev, vid: v.VID, on: gate.Address.On}
		w.posts = append(w.posts, at)
		at.routes = true
		w.posts = append(w.posts, at)
	}
}

// ofHandouts lists what may be handed out otherwise, by whom, and who else may.
func (w *world) ofHandouts() (out []Mistake) {
	o := w.n.Office
	known := map[office.VID]bool{}
	for k := range w.posts {
		p := w.posts[k]
		in := fmt.Sprintf(" in %d", p.vid)
		add := func(kind Kind, text string, weight int, turn func(posts []post)) {
			out = append(out, Mistake{Text: text, Kind: kind, Device: p.device, weight: weight, stands: true, turn: turn, after: o})
		}
		appear := func(posts []post) { posts[k].present = true }
		switch {
		case p.rival && p.routes:
			add(RivalRouter, "somebody who is not of the plan routes IPv6"+in, seldom, appear)
		case p.rival:
			add(Rival, "another server hands out addresses"+in, elsewhere, appear)
		case p.hands:
			known[p.vid] = true
			entered := func(kind Kind, text string, change func(a *office.Address)) {
				m := onDevice(o, p.dev, kind, text, func(x *office.Device) {
					for i := range x.Addresses {
						if a := &x.Addresses[i]; a.Prefix.Addr() == p.addr && a.VID == p.vid {
							change(a)
						}
					}
				})
				m.stands, m.weight = true, elsewhere
				if kind == OtherAddress || kind == OtherMask {
					m.weight = seldom
				}
				out = append(out, m)
			}
			entered(NoHandout, "hands out no addresses"+in, func(a *office.Address) { a.From, a.To = netip.Addr{}, netip.Addr{} })
			if from, to, ok := otherRange(&p); ok {
				entered(OtherRange, "hands out another range"+in, func(a *office.Address) { a.From, a.To = from, to })
			}
			entered(OtherAddress, "has another address"+in, func(a *office.Address) { a.Prefix = netip.PrefixFrom(otherThan(&p), a.Prefix.Bits()) })
			entered(OtherMask, "has its address"+in+" with another mask", func(a *office.Address) {
				a.Prefix = netip.PrefixFrom(a.Prefix.Addr(), max(1, a.Prefix.Bits()-8))
			})
			add(OtherMask, p.device+" hands out another mask"+in, elsewhere, func(posts []post) { posts[k].net = netip.PrefixFrom(p.addr, max(1, p.net.Bits()-8)).Masked() })
			if p.router.IsValid() {
				add(OtherGate, p.device+" hands out another gateway"+in, elsewhere, func(posts []post) { posts[k].router = otherThan(&p) })
			}
			if beside := slices.IndexFunc(w.posts, func(x post) bool { return x.rival && !x.routes && x.vid == p.vid }); beside >= 0 {
				add(RivalInstead, "another server hands out addresses"+in+" instead of "+p.device, notEntered, func(posts []post) {
					posts[beside].present, posts[k].hands = true, false
				})
			}
		}
	}
	return out
}

// otherThan is an address of a subnet that is not its gateway's: the last, or the one before.
func otherThan(p *post) netip.Addr {
	last := office.LastOf(p.net).Prev()
	if last == p.router {
		return last.Prev()
	}
	return last
}

// otherRange is a range of the same subnet that has nothing of the planned one.
func otherRange(p *post) (from, to netip.Addr, ok bool) {
	if last := office.LastOf(p.net).Prev(); p.to.Less(last) {
		return p.to.Next(), last, true
	}
	if first := p.net.Addr().Next(); first.Less(p.from) {
		return first, p.from.Prev(), true
	}
	return from, to, false
}

// postsIn is who answers in an office that has the same devices, at the numbers of the
// plan's posts, and those that the plan has not behind them.
func (w *world) postsIn(n *span.Net) []post {
	posts := slices.Clone(w.posts)
	for k := range posts {
		if !posts[k].rival {
			posts[k].dev, posts[k].plug, posts[k].hands = -1, nil, false // until it is found there
		}
	}
	its := &world{n: n}
	its.findPosts()
	for _, p := range its.posts {
		k := slices.IndexFunc(w.posts, func(x post) bool {
			return !x.rival && x.device == p.device && x.addr == p.addr && (x.addr.IsValid() || x.vid == p.vid)
		})
		if k >= 0 {
			posts[k] = p
		} else {
			posts = append(posts, p)
		}
	}
	return posts
}

// turned is who answers with mistakes made, in the office that has them.
func (w *world) turned(n *span.Net, mistakes ...*Mistake) []post {
	stand := false
	for _, m := range mistakes {
		stand = stand || m.stands
	}
	if !stand {
		return w.posts
	}
	posts := w.postsIn(n)
	for _, m := range mistakes {
		if m.turn != nil {
			m.turn(posts)
		}
	}
	return posts
}

// expects is who is to hand out addresses of a family at an ask; -1 for nobody.
func (w *world) expects(at int, four bool) int {
	for _, k := range w.sets[w.plan[at]] {
		if p := &w.posts[k]; p.hands && p.from.Is4() == four {
			return k
		}
	}
	return -1
}

// offers is the signs of what a laptop was offered, and the sentences of it; answered is
// whom it heard. whole says that it heard all that were made.
func (w *world) offers(t Test, saw Saw, answered []int, whole bool) (signs []sign, wrong []string) {
	note := func(x sign, text string) {
		if !slices.Contains(signs, x) && x.kind != 0 {
			signs = append(signs, x)
		}
		if !slices.Contains(wrong, text) {
			wrong = append(wrong, text)
		}
	}
	some := false
	for _, g := range saw.Offers {
		some = some || g.Addr.Is4()
		by := g.By
		server := -1
		if by == "" {
			by = "somebody"
		}
		if g.Server.IsValid() {
			by = g.Server.String()
			server = slices.IndexFunc(w.posts, func(p post) bool { return p.addr == g.Server })
		}
		known := !g.Server.IsValid() || server >= 0
		k := w.expects(t.at, g.Addr.Is4())
		switch {
		case k < 0 && t.VLAN != 0 && !w.handing():
			continue // the plan does not say who hands out
		case k < 0 && slices.ContainsFunc(w.sets[w.plan[t.at]], func(k int) bool {
			p := &w.posts[k]
			return p.net.IsValid() && p.addr.Is6() && p.net.Contains(g.Addr)
		}):
			continue // nor who gives addresses of IPv6 besides the router
		case k < 0:
			x := sign{rival, 0}
			if w.subnetOf(g.Addr) != 0 && g.Addr.Is6() {
				x = sign{} // another VLAN's: who answers tells that
			} else if server >= 0 {
				x = sign{}
				if slices.Contains(answered, server) && w.hands(g.Addr) == 0 {
					x = sign{handsToo, server}
				}
			}
			note(x, fmt.Sprintf("%s hands out %s, and nobody is to", by, g.Addr))
			continue
		}
		plan := &w.posts[k]
		if g.Addr.Less(plan.from) || plan.to.Less(g.Addr) {
			x := sign{rival, 0}
			switch {
			case w.hands(g.Addr) != 0:
				x = sign{} // another VLAN's: who answers tells that
			case server == k || !g.Server.IsValid():
				x = sign{handsRange, k}
			case server >= 0:
				x = sign{handsToo, server}
			}
			note(x, fmt.Sprintf("%s hands out %s, and addresses from %s to %s are planned", by, g.Addr, plan.from, plan.to))
			continue
		}
		if !known {
			if g.By != "" {
				by += " (" + g.By + ")"
			}
			note(sign{rival, 0}, fmt.Sprintf("%s hands out addresses, and only %s is to", by, plan.device))
			continue
		}
		if g.Bits > 0 && g.Bits != plan.net.Bits() {
			note(sign{handsMask, k}, fmt.Sprintf("%s hands out the mask /%d, and /%d is planned", by, g.Bits, plan.net.Bits()))
		}
		if g.Gateway.IsValid() && plan.router.IsValid() && g.Gateway != plan.router {
			note(sign{handsRouter, k}, fmt.Sprintf("%s hands out the gateway %s, and %s is planned", by, g.Gateway, plan.router))
		}
	}
	// Servers of one address with two cards are two (RFC 5227 has no say in what is offered).
	for i, g := range saw.Offers {
		for _, h := range saw.Offers[:i] {
			if g.Server.IsValid() && g.Server == h.Server && g.By != h.By {
				note(sign{rival, 0}, fmt.Sprintf("two cards, %s and %s, hand out as %s", h.By, g.By, g.Server))
			}
		}
	}
	if k := w.expects(t.at, true); whole && k >= 0 {
		none := true
		for _, g := range saw.Offers {
			if g.Addr.Is4() && (!g.Server.IsValid() || g.Server == w.posts[k].addr || !slices.ContainsFunc(signs, func(x sign) bool { return x.kind == rival })) {
				none = false
			}
		}
		if none && slices.Contains(answered, k) {
			signs = append(signs, sign{handsNot, k})
		}
		if !some {
			wrong = append(wrong, w.posts[k].device+" is to hand out an address, and nobody does")
		} else if none {
			note(sign{}, w.posts[k].device+" is to hand out an address, and does not")
		}
	}
	return signs, wrong
}

// routers is the same of who says that he routes IPv6 (RFC 4861, 6.1.2): the plan's gateway
// by the card that answers for it, with the prefixes of its VLAN.
func (w *world) routers(t Test, saw Saw) (signs []sign, wrong []string) {
	if !slices.ContainsFunc(w.posts, func(p post) bool { return p.gateway }) {
		return nil, nil // the plan does not say who routes at all
	}
	card := ""
	var planned []netip.Prefix
	for _, k := range w.sets[w.plan[t.at]] {
		p := &w.posts[k]
		if !p.addr.Is6() || !p.gateway {
			continue
		}
		planned = append(planned, p.net)
		for _, a := range saw.Answers {
			if a.Addr == p.addr {
				card = a.By
			}
		}
	}
	for _, r := range saw.Routers {
		who := fmt.Sprintf("%s (%s)", r.Addr, r.By)
		text := ""
		switch foreign := slices.IndexFunc(r.Prefixes, func(x netip.Prefix) bool { return !slices.Contains(planned, x.Masked()) }); {
		case len(planned) == 0:
			text = who + " says that it routes IPv6, and nobody is to"
		case foreign >= 0:
			text = fmt.Sprintf("%s says that it routes IPv6 for %s, which is not planned here", who, r.Prefixes[foreign])
		case card != "" && r.By != card:
			text = fmt.Sprintf("%s says that it routes IPv6, and only %s is to", who, card)
		default:
			continue
		}
		if !slices.Contains(wrong, text) {
			wrong = append(wrong, text)
		}
		if !slices.ContainsFunc(r.Prefixes, func(p netip.Prefix) bool { return w.subnetOf(p.Addr()) != 0 }) {
			signs = []sign{{routesSix, 0}} // else it is another VLAN's: who answers tells that
		}
	}
	return signs, wrong
}
