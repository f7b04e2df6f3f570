// Package route finds ways from one VLAN into others, over the devices that have
// an address in each: which addresses a packet passes, and what it can reach. It
// is the one place that decides that; a walk across subnets, the way to a
// device's management and who has a gateway all ask here.
//
// What the devices' own routes and rules let pass is not known to it: it says
// where a way can be.
package route

import (
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// Family is a version of the Internet Protocol. A packet keeps its own on the
// way: no device makes one of the other.
type Family uint8

const (
	Either Family = 0
	IPv4   Family = 4
	IPv6   Family = 6
)

// FamilyOf is the family of an address, Either where there is none.
func FamilyOf(a netip.Addr) Family {
	switch {
	case !a.IsValid():
		return Either
	case a.Is4():
		return IPv4
	}
	return IPv6
}

// fits says whether two are the same, or one of them is open.
func (f Family) fits(g Family) bool { return f == g || f == Either || g == Either }

// Map is the addresses of an office and where each is heard.
type Map struct {
	n       *span.Net
	routers [][]stand                // addresses by device, of those that have them in several VLANs
	in      map[*span.Span][]standAt // in the order of devices and of their addresses
}

// stand is an address of a device that routes.
type stand struct {
	dev     int
	address office.Address
	places  []span.Place
}

// standAt names a place of a stand.
type standAt struct{ router, stand, place int }

// New draws the map of an office.
func New(n *span.Net) *Map {
	m := &Map{n: n, in: map[*span.Span][]standAt{}}
	for dev, device := range n.Office.Devices {
		several := false
		for _, a := range device.Addresses {
			several = several || a.VID != device.Addresses[0].VID
		}
		if !several {
			continue
		}
		var router []stand
		for i, a := range device.Addresses {
			s := stand{dev, a, n.Standing(dev, a.VID, a.On)}
			for k, p := range s.places {
				m.in[p.Span] = append(m.in[p.Span], standAt{len(m.routers), i, k})
			}
			router = append(router, s)
		}
		m.routers = append(m.routers, router)
	}
	return m
}

// HasGateway says whether any device has an address in a VLAN.
func HasGateway(o *office.Office, v office.VID) bool {
	return slices.ContainsFunc(o.Devices, func(d *office.Device) bool {
		return slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == v })
	})
}

// Crossing is a device that takes a packet at one of its addresses and sends it
// on from another.
type Crossing struct {
	Dev     int
	In, Out office.Address
}

// Reach is all that can be reached from a place, the nearest first.
type Reach struct {
	m     *Map
	areas []area
	at    map[*span.Span][]int // areas by span
}

// area is a part of the office that is reached by the same crossings.
type area struct {
	span   *span.Span
	nodes  map[span.Node]bool // nil: the whole of the span
	family Family
	last   Crossing // how it was come by
	before int      // from which area; -1 at the start
}

func (a *area) holds(p span.Place, f Family) bool {
	return a.span == p.Span && a.family.fits(f) && (a.nodes == nil || a.nodes[p.Node])
}

// From follows what is sent at a place, over as many devices as it takes. With
// answers, only so far as an answer comes back on each stretch. From a place that
// is in no span (a port that does not filter takes frames of VLANs that nobody is
// in) nothing is reached.
func (m *Map) From(start span.Place, answers bool) *Reach {
	r := &Reach{m: m, at: map[*span.Span][]int{}}
	if start.Span == nil {
		return r
	}
	heard := func(p span.Place) map[span.Node]bool {
		switch {
		case !p.Span.OneWay:
			return nil
		case answers:
			return m.n.Mutual(p.Span, p.Node)
		}
		return m.n.Hearing(p.Span, p.Node)
	}
	add := func(p span.Place, f Family, last Crossing, before int) {
		r.at[p.Span] = append(r.at[p.Span], len(r.areas))
		r.areas = append(r.areas, area{p.Span, heard(p), f, last, before})
	}
	add(start, Either, Crossing{}, -1)
	type entered struct {
		router int
		family Family
	}
	// Where a device was entered in two VLANs, all of its addresses have their turn.
	in := map[entered][]office.VID{}
	for i := 0; i < len(r.areas); i++ {
		here := r.areas[i]
		for _, x := range m.in[here.span] {
			from := &m.routers[x.router][x.stand]
			family := FamilyOf(from.address.Prefix.Addr())
			if !here.holds(from.places[x.place], family) {
				continue
			}
			key := entered{x.router, family}
			been := in[key]
			if len(been) > 1 || slices.Contains(been, from.address.VID) {
				continue
			}
			in[key] = append(been, from.address.VID)
			for k := range m.routers[x.router] {
				to := &m.routers[x.router][k]
				if to.address.VID == from.address.VID || FamilyOf(to.address.Prefix.Addr()) != family {
					continue
				}
				for _, p := range to.places {
					if _, reached := r.find(p, family); !reached {
						add(p, family, Crossing{from.dev, from.address, to.address}, i)
					}
				}
			}
		}
	}
	return r
}

// find is the first area that holds a place for a family.
func (r *Reach) find(p span.Place, f Family) (int, bool) {
	for _, i := range r.at[p.Span] {
		if r.areas[i].holds(p, f) {
			return i, true
		}
	}
	return 0, false
}

// Goal is a place to get to, and the family that is spoken there.
type Goal struct {
	span.Place
	Family Family
}

// Goals are where an address of a device stands, or its management.
func (m *Map) Goals(dev int, v office.VID, on string, a netip.Addr) (out []Goal) {
	for _, p := range m.n.Standing(dev, v, on) {
		out = append(out, Goal{p, FamilyOf(a)})
	}
	return out
}

// Way is the crossings to the nearest of some goals: the fewest, then by the
// order of devices and of their addresses. It is empty where no device has to
// route; ok is false where no way is.
func (r *Reach) Way(goals ...Goal) (way []Crossing, ok bool) {
	best := -1
	for _, g := range goals {
		if i, reached := r.find(g.Place, g.Family); reached && (best < 0 || i < best) {
			best = i
		}
	}
	if best < 0 {
		return nil, false
	}
	for i := best; r.areas[i].before >= 0; i = r.areas[i].before {
		way = append(way, r.areas[i].last)
	}
	slices.Reverse(way)
	return way, true
}
