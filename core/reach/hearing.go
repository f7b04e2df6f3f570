// Package reach says who hears whom: where somebody stands in an office that is worked
// out, which frames he hears there, and whom his reach. Findings, walks, talk, orders
// and rounds ask here, so that what one of them says of two ports the others say too.
//
// Somebody sends into one [span.Place] and hears what comes to one or more: mostly the
// same, but a port whose PVID is not its untagged VLAN sends into one VLAN and hears
// another. Inside a span where every arc has its way back all hear each other; where
// some arc leads one way only, each frame is followed:
//
//	device a switch             a.1 sends into 10, which leaves by a.2 untagged;
//	  1: 10                     b.2 takes it into 20 and lets 20 out tagged, which
//	  2: 10                     a.2 does not take: so a.1 is heard at b.1, and b.1
//	device b switch             is not heard at a.1.
//	  1: 20
//	  2: [20] pvid 20
//	cable a.2 b.2
//
// Which address is a VLAN's gateway is a matter of the office alone
// ([office.GatewaysOf]); what devices let pass between VLANs is decided by package talk.
package reach

import (
	"sync"

	"klammer/core/span"
)

// Hearing says, in one office that is worked out, which places hear which. What it
// followed it remembers; it may be asked from several goroutines.
type Hearing struct {
	net  *span.Net
	lock sync.Mutex
	// to is where frames of a node get to, of spans that some arc leads one way.
	to map[span.Place]map[span.Node]bool
}

// In gives the hearing of an office.
func In(net *span.Net) *Hearing { return &Hearing{net: net} }

// Of says whether what is sent at one place is heard at another.
func (h *Hearing) Of(from, to span.Place) bool {
	switch {
	case from.Span == nil || from.Span != to.Span:
		return false
	case !from.Span.OneWay || from.Node == to.Node:
		return true
	}
	h.lock.Lock()
	defer h.lock.Unlock()
	frames, ok := h.to[from]
	if !ok {
		if h.to == nil {
			h.to = map[span.Place]map[span.Node]bool{}
		}
		frames = h.net.Frames(from.Span, from.Node)
		h.to[from] = frames
	}
	return frames[to.Node]
}

// Any says whether what is sent at one of some places is heard at one of others.
func (h *Hearing) Any(from, to []span.Place) bool {
	for _, place := range from {
		for _, b := range to {
			if h.Of(place, b) {
				return true
			}
		}
	}
	return false
}

// Both says whether some places hear others, and are heard there.
func (h *Hearing) Both(a, b []span.Place) bool { return h.Any(a, b) && h.Any(b, a) }

// Whole is a place as far as it matters who is where: a whole span, where every arc
// has its way back; else one of its nodes. The zero place is nowhere.
func Whole(place span.Place) span.Place {
	if place.Span == nil || !place.Span.OneWay {
		place.Node = span.Node{}
	}
	return place
}
