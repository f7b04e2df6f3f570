package talk

import (
	"fmt"
	"math/bits"
	"net/netip"

	"klammer/core/office"
)

// Reason is why a packet stops.
type Reason string

const (
	Cut         Reason = "cut"          // the span does not hold both
	NoGateway   Reason = "no-gateway"   // its VLAN has none
	NoRoute     Reason = "no-route"     // the device knows no way, or does not route
	Loop        Reason = "loop"         // it comes to a device a second time
	ByRule      Reason = "rule"         // a rule, or what is done where none fits
	NotAdmitted Reason = "not-admitted" // the device itself does not answer that
	NoHost      Reason = "no-host"      // nobody has the address
	NoState     Reason = "no-state"     // a device that keeps state did not see the question, or the answer
	Left        Reason = "left"         // it left over a line, and was for the inside
)

// Reasons lists them.
var Reasons = []Reason{Cut, NoGateway, NoRoute, Loop, ByRule, NotAdmitted, NoHost, NoState, Left}

// Enum is all of them, for descriptions of what holds one.
func (Reason) Enum() []any {
	out := make([]any, len(Reasons))
	for i, reason := range Reasons {
		out[i] = reason
	}
	return out
}

// Stop is where and why a packet does not go on.
type Stop struct {
	Device     string // "" where it does not come to one
	Reason     Reason
	Text       string     // a sentence without its full stop
	Unanswered bool       // the question arrives, and it is the answer that stops
	rule       int        // the rule that decides; -1 for none
	in         office.VID // where a rule decides: by which interface it came, and would leave; 0 is the outside
	out        office.VID
}

// way is the devices that a packet passes, whatever rules say.
type way struct {
	steps []step
	stop  *Stop  // nil where it arrives
	own   *stand // it is for this address of a device
	ownIn int    // the interface by which it came to that device; -1 where it was there
	flat  bool   // layer 2 alone
}

type step struct {
	router  *router
	in, out int    // interfaces
	at      *stand // the address to which it was sent; nil from outside
	to      *stand // the address by whose subnet it leaves; nil to the outside
}

// way follows a packet from one end to an address at another.
func (m *Map) way(src, dst *End) *way {
	switch {
	case src.area == m.outside:
		if m.door == nil {
			return &way{stop: &Stop{Reason: NoGateway, Text: "no device has a line to the outside", rule: -1}}
		}
		return m.onwards(m.door, m.door.outside(), nil, dst)
	case src.own != nil:
		return m.onwards(src.own.router, -1, nil, dst)
	case src.net.Contains(dst.Addr):
		one := &way{flat: true, own: dst.own}
		if dst.own != nil {
			one.ownIn = dst.own.at
		}
		if !m.hears(src.places, dst.places) {
			one.stop = m.cutOff(src, dst)
		}
		return one
	}
	gate := src.gateway()
	if m.tails != nil && (gate == nil || !src.gate && !m.hears(src.places, gate.places)) {
		return &unsaid // thousands of cells, of which nobody reads why
	}
	if gate == nil && src.exit != nil {
		return &way{stop: &Stop{Device: src.exit.device, Reason: NoGateway, Text: src.exit.why, rule: -1}}
	}
	if gate == nil {
		return &way{stop: &Stop{Reason: NoGateway, Text: fmt.Sprintf("%s has no gateway%s", m.Name(src.area.vid), m.family(src)), rule: -1}}
	}
	if !src.gate && !m.hears(src.places, gate.places) {
		return &way{stop: &Stop{Reason: Cut, Text: fmt.Sprintf("its gateway %s at %s is not in the same part of %s", gate.addr, gate.router.device.Name, m.Name(src.area.vid)), rule: -1}}
	}
	return m.onwards(gate.router, gate.at, gate, dst)
}

var unsaid = way{stop: &Stop{Reason: NoGateway, rule: -1}}

// family tells which IP a sentence is about; IPv4 is what is meant without a word.
func (m *Map) family(end *End) string {
	if end.Addr.Is4() {
		return ""
	}
	return " for IPv6"
}

// cutOff is the stop of two ends whom no frame joins. Three things do that: a mask that makes a
// host look for the other one beside itself instead of at its gateway, a port that lets neither in,
// and a VLAN that is in several parts.
//
//	> talk guests to 10.61.160.9 ping
//	yes: the same subnet: no rule applies
func (m *Map) cutOff(src, dst *End) *Stop {
	if src.area != dst.area && src.exit != nil {
		return &Stop{Device: src.exit.device, Reason: Cut, Text: fmt.Sprintf("with the prefix /%d it looks for %s in %s, and not by its gateway", src.net.Bits(), dst.Addr, m.Name(src.area.vid)), rule: -1}
	}
	if len(dst.places) == 0 || len(src.places) == 0 {
		return &Stop{Reason: Cut, Text: fmt.Sprintf("a port does not let it into %s", m.Name(dst.area.vid)), rule: -1}
	}
	return &Stop{Reason: Cut, Text: fmt.Sprintf("the two are in different parts of %s", m.Name(dst.area.vid)), rule: -1}
}

// onwards follows a packet from a router that it came to by an interface; by -1
// the router sends it itself.
func (m *Map) onwards(router *router, in int, at *stand, dst *End) *way {
	if m.tails != nil && in >= 0 && dst.at >= 0 {
		return m.tail(router, in, at, dst)
	}
	return m.follow(router, in, at, dst)
}

// follow leads a packet from router to router until it is at its end, outside, or stopped: by a
// route that leads nowhere, in a ring, or to somebody who is not there. Rules are not asked here.
func (m *Map) follow(one *router, in int, at *stand, dst *End) *way {
	w := &way{ownIn: -1}
	been := map[*router]bool{}
	for {
		if been[one] {
			w.stop = &Stop{Device: one.device.Name, Reason: Loop, Text: fmt.Sprintf("it comes to %s a second time: the routes send it in a ring", one.device.Name), rule: -1}
			return w
		}
		been[one] = true
		if own := one.owns(dst.Addr); own != nil {
			w.own, w.ownIn = own, in
			return w
		}
		if outside := one.line(dst.Addr); outside != nil {
			w.stop = &Stop{Device: one.device.Name, Reason: NotAdmitted, Text: fmt.Sprintf("%s is %s's own address on the line %s, which answers nothing", dst.Addr, one.device.Name, outside.Name), rule: -1}
			return w
		}
		if in >= 0 && !one.routes {
			w.stop = &Stop{Device: one.device.Name, Reason: NoRoute, Text: one.device.Name + " does not route", rule: -1}
			return w
		}
		entry := one.lookup(dst.Addr)
		switch {
		case entry == nil:
			w.stop = &Stop{Device: one.device.Name, Reason: NoRoute, Text: fmt.Sprintf("%s has no route to %s", one.device.Name, dst.Addr), rule: -1}
			return w
		case entry.stop != nil:
			stop := *entry.stop
			stop.rule = -1
			w.stop = &stop
			return w
		}
		out := one.outside()
		if !entry.line {
			out = entry.stand.at
		}
		switch {
		case entry.line:
			w.add(step{one, in, out, at, nil})
			if dst.area != m.outside {
				w.stop = &Stop{Device: one.device.Name, Reason: Left, Text: fmt.Sprintf("%s sends it to the outside, and %s is inside", one.device.Name, dst.Addr), rule: -1}
			}
			return w
		case entry.hop != nil:
			w.add(step{one, in, out, at, entry.stand})
			one, in, at = entry.hop.router, entry.hop.at, entry.hop
		default:
			w.add(step{one, in, out, at, entry.stand})
			if w.own = dst.own; dst.own != nil {
				w.ownIn = dst.own.at
			}
			if !m.hears(entry.stand.places, dst.places) {
				w.stop = &Stop{Device: one.device.Name, Reason: Cut, Text: fmt.Sprintf("%s sends it into %s, and %s is not in the same part of it", one.device.Name, m.Name(entry.stand.address.VID), dst.who()), rule: -1}
				if dst.area == m.outside || dst.area.vid != entry.stand.address.VID {
					w.stop.Reason, w.stop.Text = NoHost, fmt.Sprintf("%s sends it into %s, and nobody has the address %s there", one.device.Name, m.Name(entry.stand.address.VID), dst.Addr)
				}
			}
			return w
		}
	}
}

func (e *End) who() string {
	if e.single() {
		return e.Addr.String()
	}
	return "who it is for"
}

func (w *way) add(step step) {
	if step.in >= 0 { // what a device sends itself it does not pass
		w.steps = append(w.steps, step)
	}
}

// line is the router's line that has an address of its own, nil for none.
func (r *router) line(addr netip.Addr) *office.Outside {
	for i := range r.device.Outsides {
		if r.device.Outsides[i].Prefix.Addr() == addr {
			return &r.device.Outsides[i]
		}
	}
	return nil
}

// Name is a VLAN as people say it, or the outside.
func (m *Map) Name(vid office.VID) string {
	if vid == 0 {
		return "the outside"
	}
	return m.Net.Name(vid)
}

// passes is the rules' answer for all services: what a router lets through from
// an address at one interface to an address at another.
func (r *router) passes(in, out int, src, dst *Part) *Services {
	if len(r.rules) == 0 {
		if r.otherwise(in, out) == office.Allow {
			return All
		}
		return None
	}
	from, to := src.masks[r.dev].from, dst.masks[r.dev].to
	inIf, outIf := r.fromIf[in], r.toIf[out]
	left, passed := All, None
	for w := range from {
		for fits := (inIf[w] | from[w]) & (outIf[w] | to[w]); fits != 0; fits &= fits - 1 {
			rule := &r.rules[w*64+bits.TrailingZeros64(fits)]
			if rule.Do == office.Allow {
				passed = passed.Or(left.And(rule.services))
			}
			if left = left.Minus(rule.services); left == None {
				return passed
			}
		}
	}
	if r.otherwise(in, out) == office.Allow {
		passed = passed.Or(left)
	}
	return passed
}

// otherwise is what is done where no rule fits.
func (r *router) otherwise(in, out int) office.Action {
	iface, other := r.ifaces[in], r.ifaces[out]
	switch {
	case iface.vid == 0:
		return office.Deny
	case in == out || iface.zone != "" && iface.zone == other.zone:
		return r.device.WithinZones()
	}
	return r.device.BetweenZones()
}

// decides is what a router does with one service, by which rule (-1 for none),
// in words of notation.
func (r *router) decides(in, out int, src, dst *Part, probe probe) (do office.Action, rule int, text string) {
	from, to := src.masks[r.dev].from, dst.masks[r.dev].to
	for w := range from {
		for fits := (r.fromIf[in][w] | from[w]) & (r.toIf[out][w] | to[w]); fits != 0; fits &= fits - 1 {
			i := w*64 + bits.TrailingZeros64(fits)
			if probe.in(r.rules[i].services) {
				return r.rules[i].Do, i, r.rules[i].String()
			}
		}
	}
	iface, other := r.ifaces[in], r.ifaces[out]
	do = r.otherwise(in, out)
	switch {
	case iface.vid == 0:
		return do, -1, "no rule lets it in from the outside"
	case in == out || iface.zone != "" && iface.zone == other.zone:
		return do, -1, "within zones " + string(do)
	}
	return do, -1, "between zones " + string(do)
}

// keeps is the routers of a way that remember what they let pass.
func (w *way) keeps() (all []*router) {
	for _, step := range w.steps {
		if step.router.state {
			all = append(all, step.router)
		}
	}
	return all
}

// over says whether a way leads over a router.
func (w *way) over(router *router) bool {
	for _, step := range w.steps {
		if step.router == router {
			return true
		}
	}
	return false
}
