package talk

import (
	"fmt"
	"iter"
	"math/bits"
	"net/netip"
	"slices"

	"klammer/core/office"
)

// Unused is a rule that no packet can meet, and why.
type Unused struct {
	Rule    int   // its place in the device's list
	Earlier []int // the rules before it that take all; none where a name leads nowhere
	Why     string
	Instead office.VID // the VLAN to name in place of an outside that is not here; 0 for none
}

// point is where packets of one kind come from, or go to: an interface and a
// subnet behind it. Behind one where another router stands, and behind a line, is
// everything.
type point struct {
	iface int
	net   netip.Prefix
}

// box is packets: from some points and addresses to others, with services. A
// prefix that is not valid is every address.
type box struct {
	in, out  []uint64
	src, dst netip.Prefix
	services *Services
}

// UnusedRules finds the rules of a device that no packet can meet: by its
// interfaces, what is behind them, and the rules before, exactly.
//
//	> gate rule 1 deny any to any
//	reception loses everything to the outside
//	guests lose everything to the outside
//	devices lose everything to reception
//	devices lose everything to phones
//	devices lose everything to guests
//	devices lose everything to the outside
func UnusedRules(o *office.Office, device *office.Device) (out []Unused) {
	if len(device.Rules) == 0 {
		return nil
	}
	router := alone(device)
	one := &shadow{router: router, known: map[string]*Services{}, terms: map[office.Side][2]term{}, points: router.points(o)}
	one.byIn.at, one.byOut.at = make([][]int, len(one.points)), make([][]int, len(one.points))
	for i := range device.Rules {
		boxes, why, instead := one.boxes(o, &device.Rules[i])
		switch {
		case len(boxes) == 0:
			out = append(out, Unused{Rule: i, Why: why, Instead: instead})
		default:
			if by, covered := one.covered(boxes); covered {
				out = append(out, Unused{Rule: i, Earlier: by})
			}
		}
		one.add(i, boxes)
	}
	return out
}

// points is what is behind the interfaces of a router.
func (r *router) points(o *office.Office) (all []point) {
	everything := func(k int) {
		all = append(all, point{k, netip.PrefixFrom(netip.IPv4Unspecified(), 0)}, point{k, netip.PrefixFrom(netip.IPv6Unspecified(), 0)})
	}
	for k, iface := range r.ifaces {
		if iface.vid == 0 {
			if len(r.device.Outsides) > 0 {
				everything(k)
			}
			continue
		}
		if slices.ContainsFunc(o.Devices, func(device *office.Device) bool {
			return device != r.device && device.Routing() && slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == iface.vid })
		}) {
			everything(k)
			continue
		}
		var nets []netip.Prefix
		if vlan := o.VLAN(iface.vid); vlan != nil {
			nets = append(nets, vlan.Nets...)
		}
		for _, address := range r.device.Addresses {
			if prefix := address.Prefix.Masked(); address.VID == iface.vid && !slices.ContainsFunc(nets, func(other netip.Prefix) bool { return other.Bits() <= prefix.Bits() && other.Overlaps(prefix) }) {
				nets = append(nets, prefix)
			}
		}
		for _, prefix := range nets {
			all = append(all, point{k, prefix})
		}
	}
	return all
}

// boxes is what a rule fits; none, and why, where nothing can be that.
func (u *shadow) boxes(o *office.Office, rule *office.Rule) (out []box, why string, instead office.VID) {
	router := u.router
	key := office.Services(rule.Services)
	if u.known[key] == nil {
		u.known[key] = Of(o, rule.Services)
	}
	terms := func(sides []office.Side, family int) (all []term) {
		for _, side := range sides {
			if term := u.term(side)[family]; term.some {
				all = append(all, term)
				continue
			}
			switch side.Kind {
			case office.SideOutside:
				why = fmt.Sprintf("%s has no line to the outside", router.device.Name)
				instead = router.towardsOutside()
			case office.SideZone:
				if !router.device.HasZone(side.Zone) {
					why = fmt.Sprintf("no address of %s is in the zone %s", router.device.Name, side.Zone)
				}
			case office.SideVLAN:
				if router.iface(side.VID) < 0 {
					why = fmt.Sprintf("%s has no address in VLAN %d", router.device.Name, side.VID)
				}
			case office.SideNet:
				if side.Net.Addr().Is4() == (family == 0) {
					why = fmt.Sprintf("nobody with an address in %s is behind %s", side.Net, router.device.Name)
				}
			}
		}
		return all
	}
	for family := range 2 {
		for _, term := range terms(rule.From, family) {
			for _, other := range terms(rule.To, family) {
				out = append(out, box{term.points, other.points, term.net, other.net, u.known[key]})
			}
		}
	}
	if why == "" {
		why = "no packet is of IPv4 and of IPv6"
	}
	return out, why, instead
}

// term is the points that a side of a rule can be, of one family, and the prefix
// that it names.
type term struct {
	points []uint64
	net    netip.Prefix
	some   bool
}

// term is a side's, of IPv4 and of IPv6. Rules name the same sides again and again.
func (u *shadow) term(side office.Side) [2]term {
	if t, ok := u.terms[side]; ok {
		return t
	}
	words := (len(u.points) + 63) / 64
	t := [2]term{{make([]uint64, words), side.Net, false}, {make([]uint64, words), side.Net, false}}
	for k, point := range u.points {
		iface, of := u.router.ifaces[point.iface], &t[0]
		if !point.net.Addr().Is4() {
			of = &t[1]
		}
		var is bool
		switch side.Kind {
		case office.SideAny:
			is = true
		case office.SideNet: // both are masked: one holds the other's address
			is = side.Net.Contains(point.net.Addr()) || point.net.Contains(side.Net.Addr())
		case office.SideOutside:
			is = iface.vid == 0
		case office.SideZone:
			is = iface.vid != 0 && iface.zone == side.Zone
		case office.SideVLAN:
			is = iface.vid == side.VID
		}
		if is {
			of.points[k/64] |= 1 << (k % 64)
			of.some = true
		}
	}
	u.terms[side] = t
	return t
}

// towardsOutside is the VLAN by which a device without a line sends what is for
// the outside, 0 for none.
func (r *router) towardsOutside() office.VID {
	for _, route := range r.device.Routes {
		if route.Default() && route.Via.IsValid() {
			for _, address := range r.device.Addresses {
				if address.Prefix.Contains(route.Via) {
					return address.VID
				}
			}
		}
	}
	return 0
}

// shadow tells what the rules before one take from it.
type shadow struct {
	router *router
	points []point
	known  map[string]*Services
	terms  map[office.Side][2]term

	before      []earlier // in the order of the rules
	every       []int     // the places in it
	byIn, byOut index     // by the points that they come from, and go to
	work        int
}

// earlier is a box of an earlier rule.
type earlier struct {
	rule int
	box
}

// add keeps what a rule fits for those after it.
func (u *shadow) add(rule int, boxes []box) {
	for _, box := range boxes {
		u.byIn.add(box.in, len(u.before))
		u.byOut.add(box.out, len(u.before))
		u.every = append(u.every, len(u.before))
		u.before = append(u.before, earlier{rule, box})
	}
}

// members is the bits that are set.
func members(set []uint64) iter.Seq[int] {
	return func(yield func(int) bool) {
		for w, word := range set {
			for ; word != 0; word &= word - 1 {
				if !yield(w*64 + bits.TrailingZeros64(word)) {
					return
				}
			}
		}
	}
}

// index finds boxes by the points of one side.
type index struct {
	at   [][]int // those of few points, at each of them
	wide []int   // those of many
}

// fewPoints bounds what a box costs in an index.
const fewPoints = 64

// add files a box under each of its points, or with those that are looked at every time where it
// has more points than that is worth.
func (x *index) add(set []uint64, box int) {
	if count(set) > fewPoints {
		x.wide = append(x.wide, box)
		return
	}
	for k := range members(set) {
		x.at[k] = append(x.at[k], box)
	}
}

// size is how many get finds, with those that it finds twice.
func (x *index) size(set []uint64) int {
	n := len(x.wide)
	for k := range members(set) {
		n += len(x.at[k])
	}
	return n
}

// get is the boxes that can share a point of a set, ascending.
func (x *index) get(set []uint64) []int {
	found := slices.Clone(x.wide)
	for k := range members(set) {
		found = append(found, x.at[k]...)
	}
	slices.Sort(found)
	return slices.Compact(found)
}

// count is how many points a set has.
func count(set []uint64) (n int) {
	for _, word := range set {
		n += bits.OnesCount64(word)
	}
	return n
}

// near is the earlier boxes that can have something in common with one, ascending.
func (u *shadow) near(box *box) []int {
	in, out := u.byIn.size(box.in), u.byOut.size(box.out)
	switch {
	case min(in, out) >= len(u.every): // as wide as they are
		return u.every
	case out < in:
		return u.byOut.get(box.out)
	}
	return u.byIn.get(box.in)
}

// mostPieces bounds the pieces that one rule is cut into: beyond that it counts
// as met.
const mostPieces = 20_000

// covered says whether earlier rules take all of some boxes, and which.
func (u *shadow) covered(boxes []box) (by []int, covered bool) {
	u.work = 0
	for _, box := range boxes {
		if !u.take(box, u.near(&box), &by) {
			return nil, false
		}
	}
	slices.Sort(by)
	return slices.Compact(by), true
}

// take cuts a box by some of the earlier rules' boxes; false where something of it
// is left.
func (u *shadow) take(box box, near []int, by *[]int) bool {
	for k, at := range near {
		earlier := &u.before[at]
		if !u.meets(&box, &earlier.box) {
			continue
		}
		if u.work++; u.work > mostPieces {
			return false
		}
		*by = append(*by, earlier.rule)
		for _, piece := range u.without(box, &earlier.box) {
			if !u.take(piece, near[k+1:], by) {
				return false
			}
		}
		return true
	}
	return false
}

// narrowed is the addresses at a point that are in a prefix; ok is false for none.
func narrowed(net, prefix netip.Prefix) (netip.Prefix, bool) {
	switch {
	case !prefix.IsValid() || prefix.Bits() <= net.Bits() && prefix.Overlaps(net):
		return net, true
	case net.Overlaps(prefix):
		return prefix, true
	}
	return netip.Prefix{}, false
}

// share says whether two sides have a point and an address at it in common.
func (u *shadow) share(a, b []uint64, p, q netip.Prefix) bool {
	if p.IsValid() && q.IsValid() && !p.Overlaps(q) {
		return false
	}
	for w := range a {
		for both := a[w] & b[w]; both != 0; both &= both - 1 {
			if !p.IsValid() && !q.IsValid() {
				return true
			}
			at, ok := narrowed(u.points[w*64+bits.TrailingZeros64(both)].net, p)
			if _, ok2 := narrowed(at, q); ok && ok2 {
				return true
			}
		}
	}
	return false
}

func (u *shadow) meets(box, other *box) bool {
	return box.services.Meets(other.services) && u.share(box.in, other.in, box.src, other.src) && u.share(box.out, other.out, box.dst, other.dst)
}

// without is what of a box is outside of another, in pieces that share nothing.
func (u *shadow) without(one box, c *box) (out []box) {
	left, both := u.split(one, c.in, c.src, func(box *box) (*[]uint64, *netip.Prefix) { return &box.in, &box.src })
	out = append(out, left...)
	for _, b := range both {
		left, both := u.split(b, c.out, c.dst, func(box *box) (*[]uint64, *netip.Prefix) { return &box.out, &box.dst })
		out = append(out, left...)
		for _, box := range both {
			if rest := box.services.Minus(c.services); rest != None {
				box.services = rest
				out = append(out, box)
			}
		}
	}
	return out
}

// split parts a box by one of its sides: what is outside of another's, and what is
// in it.
func (u *shadow) split(b box, points []uint64, prefix netip.Prefix, side func(*box) (*[]uint64, *netip.Prefix)) (left, both []box) {
	mine, mask := side(&b)
	beside, within := make([]uint64, len(*mine)), make([]uint64, len(*mine))
	add := func(to *[]box, set []uint64, other netip.Prefix) {
		for _, w := range set {
			if w != 0 {
				piece := b
				at, net := side(&piece)
				*at, *net = set, other
				*to = append(*to, piece)
				return
			}
		}
	}
	for w := range *mine {
		beside[w] = (*mine)[w] &^ points[w]
		for in := (*mine)[w] & points[w]; in != 0; in &= in - 1 {
			k := w*64 + bits.TrailingZeros64(in)
			bit := uint64(1) << (k % 64)
			at, ok := narrowed(u.points[k].net, *mask)
			if !ok {
				continue // nothing of it is there
			}
			switch in, ok := narrowed(at, prefix); {
			case !ok:
				beside[w] |= bit
			case in == at:
				within[w] |= bit
			default: // some of it: halved until it is one or the other
				one := make([]uint64, len(*mine))
				one[w] = bit
				for at != in {
					near, far := halves(at)
					if !near.Overlaps(in) {
						near, far = far, near
					}
					add(&left, one, far)
					at = near
				}
				add(&both, one, in)
			}
		}
	}
	add(&left, beside, *mask)
	add(&both, within, *mask)
	return left, both
}

// halves are the two prefixes of which one consists.
func halves(prefix netip.Prefix) (other, one netip.Prefix) {
	bytes := prefix.Addr().AsSlice()
	bytes[prefix.Bits()/8] |= 1 << (7 - prefix.Bits()%8)
	far, _ := netip.AddrFromSlice(bytes)
	return netip.PrefixFrom(prefix.Addr(), prefix.Bits()+1), netip.PrefixFrom(far, prefix.Bits()+1)
}
