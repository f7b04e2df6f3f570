package talk

import (
	"fmt"

	"klammer/core/office"
)

// back is the way of the answer. What left by a line comes back from that line:
// addresses are translated there; and what came by one is answered by that one alone.
func (m *Map) back(there *way, src, dst *End) *way {
	if dst.area == m.outside && len(there.steps) > 0 {
		r := there.steps[len(there.steps)-1].r
		return m.onwards(r, r.outside(), nil, src)
	}
	if dst.area == m.outside { // a device asked the outside over its own line
		return &way{ownIn: -1, own: src.own}
	}
	w := m.way(dst, src)
	if src.area != m.outside || w.stop != nil || len(w.steps) == 0 { // a device itself answers by its own line, as was measured
		return w
	}
	last := w.steps[len(w.steps)-1].r
	if last == m.door {
		return w
	}
	other := *w
	other.stop = &otherLine
	if m.tails == nil {
		other.stop = &Stop{Device: last.d.Name, Reason: Left, Text: fmt.Sprintf("it leaves by the line of %s, and the question came by the one of %s", last.d.Name, m.door.d.Name), rule: -1}
	}
	return &other
}

var otherLine = Stop{Reason: Left, rule: -1}

// asked is the services with which a question arrives.
func (m *Map) asked(there *way, src, dst *End) *Services {
	if there.stop != nil {
		return None
	}
	open := All
	for _, s := range there.steps {
		if open = open.And(s.r.passes(s.in, s.out, src.Part, dst.Part)); open == None {
			return None
		}
	}
	if own := there.own; own != nil && there.ownIn >= 0 {
		if there.ownIn != own.at {
			open = open.And(own.r.passes(there.ownIn, own.at, src.Part, dst.Part))
		}
		open = open.And(own.admits)
	}
	return open
}

// answered is those of some services whose answer comes back.
func (m *Map) answered(open *Services, there, back *way, src, dst *End) *Services {
	if back.stop != nil {
		return None
	}
	for _, s := range back.steps {
		switch {
		case !s.r.state:
			open = open.And(s.r.passes(s.in, s.out, dst.Part, src.Part).answered())
		case !there.over(s.r): // it has not seen the question
			open = open.And(s.r.passes(s.in, s.out, dst.Part, src.Part).answered()).And(onlyUDP)
		}
		if open == None {
			return None
		}
	}
	if own := back.own; own != nil && back.ownIn >= 0 && back.ownIn != own.at && !own.r.state {
		open = open.And(own.r.passes(back.ownIn, own.at, dst.Part, src.Part).answered())
	}
	for _, r := range there.keeps() {
		if !back.over(r) { // it saw the question and not the answer
			return open.Minus(onlyTCP)
		}
	}
	return open
}

// judge is the services that an end can use at another: exactly those whose
// question arrives and whose answer comes back.
func (m *Map) judge(src, dst *End) *Services {
	if src.area != dst.area && !(src.area.live && dst.area.live) && !src.net.Contains(dst.Addr) {
		return None
	}
	there := m.way(src, dst)
	open := m.asked(there, src, dst)
	if open == None {
		return None
	}
	if there.flat && dst.own == nil {
		if !m.hears(dst.places, src.places) {
			return None
		}
		return open
	}
	return m.answered(open, there, m.back(there, src, dst), src, dst)
}

// Hop is a device that a packet passes.
type Hop struct {
	Device  string
	Address string     // at which it came in: what a trace shows; "" from outside
	In, Out office.VID // 0: the outside
	Decides string     // the rule, in words of notation
	Rule    int        // its place in the device's list; -1 where none decides
}

// Leg is the way of a question, or of its answer.
type Leg struct {
	Hops []Hop
	Stop *Stop  // nil where it arrives
	Own  string // what lets it get to a device's own address in another VLAN, in words
}

// tell follows one service there and back.
func (m *Map) tell(src, dst *End, p probe) (there, back Leg) {
	if m.tails != nil { // who remembers ways does not say why one stops
		plain := *m
		plain.tails = nil
		m = &plain
	}
	w := m.way(src, dst)
	there = m.leg(w, src, dst, p, func(*router) (string, bool) { return "", false }, nil)
	if there.Stop != nil {
		return there, back
	}
	if own := w.own; own != nil && w.ownIn >= 0 {
		if w.ownIn != own.at {
			do, i, text := own.r.decides(w.ownIn, own.at, src.Part, dst.Part, p)
			if do == office.Deny {
				there.Stop = m.denied(own.r, i, text, w.ownIn, own.at)
				return there, back
			}
			there.Own = fmt.Sprintf("%s is %s's own address: %s", own.addr, own.r.d.Name, text)
		}
		if !p.in(own.admits) {
			there.Stop = &Stop{Device: own.r.d.Name, Reason: NotAdmitted, Text: own.r.d.Name + " itself admits " + own.admits.String() + " at " + own.addr.String(), rule: -1}
			return there, back
		}
	}
	if w.flat && dst.own == nil {
		if !m.hears(dst.places, src.places) {
			back.Stop = m.cutOff(dst, src)
		}
		return there, back
	}
	b := m.back(w, src, dst)
	back = m.leg(b, dst, src, p.answer(), func(r *router) (string, bool) {
		return "state: it let the question pass", r.state && w.over(r)
	}, func(r *router) bool { return r.state && p.protocol != office.UDP })
	if own := b.own; back.Stop == nil && own != nil && b.ownIn >= 0 && b.ownIn != own.at && !own.r.state {
		if do, i, text := own.r.decides(b.ownIn, own.at, dst.Part, src.Part, p.answer()); do == office.Deny {
			back.Stop = m.denied(own.r, i, text, b.ownIn, own.at)
		}
	}
	if p.protocol == office.TCP && back.Stop == nil {
		for _, r := range w.keeps() {
			if !b.over(r) {
				there.Stop = &Stop{Device: r.d.Name, Reason: NoState, Text: r.d.Name + " keeps state and does not see the answer, which takes another way: it stops what follows", rule: -1}
				break
			}
		}
	}
	return there, back
}

// leg tells the hops of a way up to where it stops. passed says what lets a
// packet pass a router by itself; drops says which do not take one that belongs to
// no connection.
func (m *Map) leg(w *way, src, dst *End, p probe, passed func(*router) (string, bool), drops func(*router) bool) (leg Leg) {
	leg.Hops = []Hop{}
	for _, s := range w.steps {
		text, ok := passed(s.r)
		rule := -1
		if !ok {
			if drops != nil && drops(s.r) {
				leg.Stop = &Stop{Device: s.r.d.Name, Reason: NoState, Text: s.r.d.Name + " keeps state and has not seen the question, so it drops the answer", rule: -1}
				return leg
			}
			var do office.Action
			if do, rule, text = s.r.decides(s.in, s.out, src.Part, dst.Part, p); do == office.Deny {
				leg.Stop = m.denied(s.r, rule, text, s.in, s.out)
				return leg
			}
		}
		hop := Hop{Device: s.r.d.Name, In: s.r.ifaces[s.in].vid, Out: s.r.ifaces[s.out].vid, Decides: text, Rule: rule}
		if s.at != nil {
			hop.Address = s.at.addr.String()
		} else if l := s.r.d.Outsides[0]; l.Prefix.IsValid() {
			hop.Address = l.Prefix.Addr().String()
		}
		leg.Hops = append(leg.Hops, hop)
	}
	leg.Stop = w.stop
	return leg
}

func (m *Map) denied(r *router, rule int, text string, in, out int) *Stop {
	s := &Stop{Device: r.d.Name, Reason: ByRule, rule: rule, in: r.ifaces[in].vid, out: r.ifaces[out].vid}
	s.Text = r.d.Name + " drops it, as no rule fits: " + text
	if rule >= 0 || s.in == 0 { // from the outside nothing passes without one
		s.Text = r.d.Name + " drops it: " + text
	}
	return s
}

// Rule is the place of the rule that stops it, -1 where none does.
func (s *Stop) Rule() int { return s.rule }
