package round

import (
	"cmp"
	"fmt"
	"slices"

	"klammer/core/office"
)

// sign is something besides who answers that a laptop notices, and that is not planned
// anywhere: of a post (a number of [world.posts]), or of a VLAN.
type sign struct {
	kind signKind
	of   int // a post, a VLAN ID; 0 for none
}

// signKind is what is noticed.
type signKind uint8

const (
	handsNot    signKind = iota + 1 // a post that is to hand out addresses, and does not
	handsToo                        // one that hands out, and is not to
	handsRange                      // one that hands out from another range
	handsMask                       // with another mask
	handsRouter                     // with another gateway
	rival                           // somebody whom the plan does not know hands out
	routesSix                       // somebody whom the plan does not know routes IPv6
	comesTagged                     // frames of a VLAN come out tagged that is not planned there
	isHeard                         // broadcasts of a VLAN are heard, whose addresses do not answer
	strange                         // somebody whom the plan does not know answers
	occupied                        // a cable is in the port already
)

// noticed says whether a laptop that looked in one way would notice a sign; chance that it
// may, if somebody speaks meanwhile.
func (k signKind) noticed(how How) bool {
	switch k {
	case isHeard:
		return how == ByPlay
	case comesTagged, handsMask, handsRouter, rival, routesSix:
		return how != ByHand
	case strange: // who asks for the plan's addresses alone does not hear him
		return how == ByPlay
	}
	return true
}

// text is a sign in words: what is kept of it, and compared.
func (w *world) text(sign sign) string {
	who := func() string {
		if sign.of < len(w.posts) {
			return w.posts[sign.of].called()
		}
		return "somebody"
	}
	switch sign.kind {
	case handsNot:
		return who() + " hands out nothing"
	case handsToo:
		return who() + " hands out addresses"
	case handsRange:
		return who() + " hands out another range"
	case handsMask:
		return who() + " hands out another mask"
	case handsRouter:
		return who() + " hands out another gateway"
	case rival:
		return "somebody who is not of the plan hands out addresses"
	case routesSix:
		return "somebody who is not of the plan routes IPv6"
	case strange:
		return "somebody who is not of the plan answers"
	case comesTagged:
		return fmt.Sprintf("%d comes out tagged", sign.of)
	case isHeard:
		return fmt.Sprintf("%d is heard, and does not answer", sign.of)
	case occupied:
		return "a cable is in it already"
	}
	return ""
}

// wrong is a sign as what is otherwise than planned, in a sentence.
func (w *world) wrong(sign sign, now []post) string {
	named := func(v int) string {
		if vlan := w.net.Office.VLAN(office.VID(v)); vlan != nil && vlan.Name != "" {
			return fmt.Sprintf("%d %s", v, vlan.Name)
		}
		return fmt.Sprint(v)
	}
	if sign.of >= len(w.posts) && sign.of < len(now) && sign.kind != comesTagged && sign.kind != isHeard { // a stranger
		if post := &now[sign.of]; post.hands {
			return fmt.Sprintf("%s hands out addresses from %s to %s, and is not to", post.called(), post.from, post.to)
		}
		return now[sign.of].called() + " answers, and is not to"
	}
	switch sign.kind {
	case handsNot:
		return w.posts[sign.of].called() + " is to hand out an address, and does not"
	case handsToo:
		return fmt.Sprintf("%s hands out addresses from %s to %s, and is not to", now[sign.of].called(), now[sign.of].from, now[sign.of].to)
	case handsRange:
		return fmt.Sprintf("%s hands out addresses from %s to %s, and from %s to %s are planned", w.posts[sign.of].called(), now[sign.of].from, now[sign.of].to, w.posts[sign.of].from, w.posts[sign.of].to)
	case handsMask:
		return fmt.Sprintf("%s hands out the mask /%d, and /%d is planned", w.posts[sign.of].called(), now[sign.of].net.Bits(), w.posts[sign.of].net.Bits())
	case handsRouter:
		return fmt.Sprintf("%s hands out another gateway than %s", w.posts[sign.of].called(), w.posts[sign.of].router)
	case comesTagged:
		return fmt.Sprintf("frames of %s come out tagged, and are not to", named(sign.of))
	case isHeard:
		return fmt.Sprintf("somebody of %s is heard, and nobody of it answers: the port lets %s out untagged", named(sign.of), named(sign.of))
	}
	return w.text(sign)
}

// stranger is the sign of somebody whom the plan does not know, by his number.
func stranger(k int, post *post) sign {
	switch {
	case post.hands:
		return sign{rival, k}
	case post.addr.Is6() && post.gateway:
		return sign{routesSix, k}
	}
	return sign{strange, k}
}

// notices says whether a laptop that looked in one way would see that something is otherwise
// than planned. That nobody is heard is no sign: he may be silent.
func (w *world) notices(now, plan sight, how How) bool {
	if now == plan {
		return false
	}
	if now < 0 || !slices.Equal(w.sets[now], w.sets[plan]) {
		return true
	}
	return slices.ContainsFunc(w.more[now], func(sign sign) bool { return sign.kind.noticed(how) && !slices.Contains(w.more[plan], sign) }) ||
		slices.ContainsFunc(w.more[plan], func(sign sign) bool {
			return sign.kind != isHeard && sign.kind.noticed(how) && !slices.Contains(w.more[now], sign)
		})
}

// noticesAt is [world.notices] at a test: what is otherwise between VLANs is noticed where one
// of what is tried there ends otherwise.
func (w *world) noticesAt(now sight, seen *Seen) bool {
	if now < 0 {
		return w.tells(seen.Test.trials, now)
	}
	return w.notices(now, w.plan[seen.Test.at], seen.How)
}

// bySign puts signs in order.
func bySign(a, b sign) int { return cmp.Or(cmp.Compare(a.kind, b.kind), cmp.Compare(a.of, b.of)) }
