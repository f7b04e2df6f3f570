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
func (r *Round) JudgeLooked(t Test, saw Looked) Played {
	w := r.w
	x := Played{Seen: Seen{Test: t, How: ByHand, Given: saw.Lease.Addr, Lease: saw.Lease}}
	if given := saw.Lease; given.Addr.IsValid() {
		g := Offer{Addr: given.Addr, Server: given.Server, Bits: given.Bits, Gateway: given.Gateway}
		handed := w.expects(t.at, given.Addr.Is4()) >= 0 || given.Server.IsValid()
		if handed || w.hands(given.Addr) != 0 {
			x.Gives, _ = w.offered(t, []Offer{g})
			_, x.Wrong = w.offers(t, Saw{Offers: []Offer{g}}, nil, false)
		} else if v := w.subnetOf(given.Addr); t.VLAN != 0 && v != t.VLAN && w.hasSubnet(t.VLAN) {
			x.Wrong = append(x.Wrong, fmt.Sprintf("%s is no address of VLAN %d", given.Addr, t.VLAN))
		}
	}
	for i, y := range t.Reach {
		if i >= len(saw.Parts) {
			break
		}
		ended := saw.Parts[i].as(y.OK)
		x.Parts = append(x.Parts, ended)
		switch {
		case y.Routed:
		case ended == Silent && y.OK:
			x.Wrong = append(x.Wrong, fmt.Sprintf("%s is to answer %s, and does not", y.To, y.Service))
		case ended == Answered && !y.OK:
			x.Wrong = append(x.Wrong, fmt.Sprintf("%s is not to answer %s, and does", y.To, y.Service))
		}
	}
	x.Passed = len(x.Wrong) == 0
	return x
}

// Where is the VLAN of whoever has an address: by the range that it is handed out from, else by
// the subnet; 0 for none of the office.
func (r *Round) Where(a netip.Addr) office.VID {
	if v := r.w.hands(a); v != 0 {
		return v
	}
	return r.w.subnetOf(a)
}

// subnetOf is the VLAN in whose subnet an address is; 0 for none.
func (w *world) subnetOf(a netip.Addr) office.VID {
	best, bits := office.VID(0), -1
	for k := range w.posts {
		if p := &w.posts[k]; p.net.IsValid() && p.net.Contains(a) && p.net.Bits() > bits {
			best, bits = p.vid, p.net.Bits()
		}
	}
	for _, v := range w.n.Office.VLANs {
		for _, net := range v.Nets {
			if net.Contains(a) && net.Bits() > bits {
				best, bits = v.VID, net.Bits()
			}
		}
	}
	return best
}

func (w *world) hasSubnet(v office.VID) bool {
	return slices.ContainsFunc(w.posts, func(p post) bool { return p.vid == v && p.net.IsValid() })
}

// In is the tests of the round, untagged, in which a laptop is in a VLAN as planned.
func (r *Round) In(v office.VID) (out []Test) {
	for _, t := range r.Tests {
		if t.VLAN == v && t.Wire == bridge.Untagged {
			out = append(out, t)
		}
	}
	return out
}

// leased says whether a laptop may be given what it was where some answer.
func (r *Round) leased(now sight, s *Seen) bool {
	w := r.w
	given := &s.Lease
	more := w.more[now]
	stranger := slices.ContainsFunc(more, func(x sign) bool { return x.kind == rival })
	if given.Server.IsValid() {
		k := slices.IndexFunc(w.posts, func(p post) bool { return !p.rival && p.addr == given.Server })
		if k < 0 {
			return stranger
		}
		if slices.Contains(more, sign{handsNot, k}) || !w.posts[k].hands && !slices.Contains(more, sign{handsToo, k}) {
			return false
		}
	}
	k := w.expects(s.Test.at, true)
	if k < 0 || !given.Addr.Is4() || w.hands(given.Addr) != w.posts[k].vid || stranger && !given.Server.IsValid() || !slices.Contains(w.sets[now], k) {
		return true // another's, of whom the plan says nothing
	}
	p := &w.posts[k]
	return (given.Bits == 0 || (given.Bits != p.net.Bits()) == slices.Contains(more, sign{handsMask, k})) &&
		(!given.Gateway.IsValid() || !p.router.IsValid() || (given.Gateway != p.router) == slices.Contains(more, sign{handsRouter, k}))
}
