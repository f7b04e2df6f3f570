package round

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
)

// Lease is what a laptop or phone was given, as its own system says; each zero where it was
// not told.
type Lease struct {
	Addr    netip.Addr
	Bits    int // of the mask
	Gateway netip.Addr
	Server  netip.Addr // that handed it out
}

// Looked is what somebody saw with any laptop or phone, who sends no frames of his own: what
// he was given, and how what the test lists ended.
type Looked struct {
	Lease Lease
	Parts []Ended // as long as [Test.Reach], or nil
}

// JudgeLooked puts what somebody saw with any laptop beside the plan. What he did not try says
// nothing.
func (r *Round) JudgeLooked(test Test, saw Looked) Played {
	world := r.world
	played := Played{Seen: Seen{Test: test, How: ByHand, Given: saw.Lease.Addr, Lease: saw.Lease}}
	if given := saw.Lease; given.Addr.IsValid() {
		offer := Offer{Addr: given.Addr, Server: given.Server, Bits: given.Bits, Gateway: given.Gateway}
		handed := world.expects(test.at, given.Addr.Is4()) >= 0 || given.Server.IsValid()
		if handed || world.hands(given.Addr) != 0 {
			played.Gives, _ = world.offered(test, []Offer{offer})
			_, played.Wrong = world.offers(test, Saw{Offers: []Offer{offer}}, nil, false)
		} else if vid := world.subnetOf(given.Addr); test.VLAN != 0 && vid != test.VLAN && world.hasSubnet(test.VLAN) {
			played.Wrong = append(played.Wrong, fmt.Sprintf("%s is no address of VLAN %d", given.Addr, test.VLAN))
		}
	}
	for i, reach := range test.Reach {
		if i >= len(saw.Parts) {
			break
		}
		ended := saw.Parts[i].as(reach.OK)
		played.Parts = append(played.Parts, ended)
		switch {
		case reach.Routed:
		case ended == Silent && reach.OK:
			played.Wrong = append(played.Wrong, fmt.Sprintf("%s is to answer %s, and does not", reach.To, reach.Service))
		case ended == Answered && !reach.OK:
			played.Wrong = append(played.Wrong, fmt.Sprintf("%s is not to answer %s, and does", reach.To, reach.Service))
		}
	}
	played.Passed = len(played.Wrong) == 0
	return played
}

// Where is the VLAN of whoever has an address: by the range that it is handed out from, else by
// the subnet; 0 for none of the office.
func (r *Round) Where(addr netip.Addr) office.VID {
	if vid := r.world.hands(addr); vid != 0 {
		return vid
	}
	return r.world.subnetOf(addr)
}

// subnetOf is the VLAN in whose subnet an address is; 0 for none.
func (w *world) subnetOf(addr netip.Addr) office.VID {
	best, bits := office.VID(0), -1
	for k := range w.posts {
		if post := &w.posts[k]; post.net.IsValid() && post.net.Contains(addr) && post.net.Bits() > bits {
			best, bits = post.vid, post.net.Bits()
		}
	}
	for _, vlan := range w.net.Office.VLANs {
		for _, net := range vlan.Nets {
			if net.Contains(addr) && net.Bits() > bits {
				best, bits = vlan.VID, net.Bits()
			}
		}
	}
	return best
}

func (w *world) hasSubnet(vid office.VID) bool {
	return slices.ContainsFunc(w.posts, func(post post) bool { return post.vid == vid && post.net.IsValid() })
}

// In is the tests of the round, untagged, in which a laptop is in a VLAN as planned.
func (r *Round) In(vid office.VID) (out []Test) {
	for _, test := range r.Tests {
		if test.VLAN == vid && test.Wire == bridge.Untagged {
			out = append(out, test)
		}
	}
	return out
}

// leased says whether a laptop may be given what it was where some answer.
func (r *Round) leased(now sight, seen *Seen) bool {
	world := r.world
	given := &seen.Lease
	more := world.more[now]
	stranger := slices.ContainsFunc(more, func(sign sign) bool { return sign.kind == rival })
	if given.Server.IsValid() {
		k := slices.IndexFunc(world.posts, func(post post) bool { return !post.rival && post.addr == given.Server })
		if k < 0 {
			return stranger
		}
		if slices.Contains(more, sign{handsNot, k}) || !world.posts[k].hands && !slices.Contains(more, sign{handsToo, k}) {
			return false
		}
	}
	k := world.expects(seen.Test.at, true)
	if k < 0 || !given.Addr.Is4() || world.hands(given.Addr) != world.posts[k].vid || stranger && !given.Server.IsValid() || !slices.Contains(world.sets[now], k) {
		return true // another's, of whom the plan says nothing
	}
	other := &world.posts[k]
	return (given.Bits == 0 || (given.Bits != other.net.Bits()) == slices.Contains(more, sign{handsMask, k})) &&
		(!given.Gateway.IsValid() || !other.router.IsValid() || (given.Gateway != other.router) == slices.Contains(more, sign{handsRouter, k}))
}
