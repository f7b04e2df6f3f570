package talk

import (
	"fmt"

	"klammer/core/office"
)

// back is the way of the answer. What left by a line comes back from that line:
// addresses are translated there; and what came by one is answered by that one alone.
func (m *Map) back(there *way, src, dst *End) *way {
	if dst.area == m.outside && len(there.steps) > 0 {
		router := there.steps[len(there.steps)-1].router
		return m.onwards(router, router.outside(), nil, src)
	}
	if dst.area == m.outside { // a device asked the outside over its own line
		return &way{ownIn: -1, own: src.own}
	}
	one := m.way(dst, src)
	if src.area != m.outside || one.stop != nil || len(one.steps) == 0 { // a device itself answers by its own line, as was measured
		return one
	}
	last := one.steps[len(one.steps)-1].router
	if last == m.door {
		return one
	}
	other := *one
	other.stop = &otherLine
	if m.tails == nil {
		other.stop = &Stop{Device: last.device.Name, Reason: Left, Text: fmt.Sprintf("it leaves by the line of %s, and the question came by the one of %s", last.device.Name, m.door.device.Name), rule: -1}
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
	for _, step := range there.steps {
		if open = open.And(step.router.passes(step.in, step.out, src.Part, dst.Part)); open == None {
			return None
		}
	}
	if own := there.own; own != nil && there.ownIn >= 0 {
		if there.ownIn != own.at {
			open = open.And(own.router.passes(there.ownIn, own.at, src.Part, dst.Part))
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
	for _, step := range back.steps {
		switch {
		case !step.router.state:
			open = open.And(step.router.passes(step.in, step.out, dst.Part, src.Part).answered())
		case !there.over(step.router): // it has not seen the question
			open = open.And(step.router.passes(step.in, step.out, dst.Part, src.Part).answered()).And(onlyUDP)
		}
		if open == None {
			return None
		}
	}
	if own := back.own; own != nil && back.ownIn >= 0 && back.ownIn != own.at && !own.router.state {
		open = open.And(own.router.passes(back.ownIn, own.at, dst.Part, src.Part).answered())
	}
	for _, router := range there.keeps() {
		if !back.over(router) { // it saw the question and not the answer
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
//
// Many branches: there, back and the device itself may each stop it, and the first is
// told.
func (m *Map) tell(src, dst *End, probe probe) (there, back Leg) {
	if m.tails != nil { // who remembers ways does not say why one stops
		plain := *m
		plain.tails = nil
		m = &plain
	}
	way := m.way(src, dst)
	there = m.leg(way, src, dst, probe, byState{})
	if there.Stop != nil {
		return there, back
	}
	if own := way.own; own != nil && way.ownIn >= 0 {
		if way.ownIn != own.at {
			do, i, text := own.router.decides(way.ownIn, own.at, src.Part, dst.Part, probe)
			if do == office.Deny {
				there.Stop = m.denied(own.router, i, text, way.ownIn, own.at)
				return there, back
			}
			there.Own = fmt.Sprintf("%s is %s's own address: %s", own.addr, own.router.device.Name, text)
		}
		if !probe.in(own.admits) {
			there.Stop = &Stop{Device: own.router.device.Name, Reason: NotAdmitted, Text: own.router.device.Name + " itself admits " + own.admits.String() + " at " + own.addr.String(), rule: -1}
			return there, back
		}
	}
	if way.flat && dst.own == nil {
		if !m.hears(dst.places, src.places) {
			back.Stop = m.cutOff(dst, src)
		}
		return there, back
	}
	other := m.back(way, src, dst)
	back = m.leg(other, dst, src, probe.answer(), byState{asked: way, drops: probe.protocol != office.UDP})
	if own := other.own; back.Stop == nil && own != nil && other.ownIn >= 0 && other.ownIn != own.at && !own.router.state {
		if do, i, text := own.router.decides(other.ownIn, own.at, dst.Part, src.Part, probe.answer()); do == office.Deny {
			back.Stop = m.denied(own.router, i, text, other.ownIn, own.at)
		}
	}
	if probe.protocol == office.TCP && back.Stop == nil {
		for _, router := range way.keeps() {
			if !other.over(router) {
				there.Stop = &Stop{Device: router.device.Name, Reason: NoState, Text: router.device.Name + " keeps state and does not see the answer, which takes another way: it stops what follows", rule: -1}
				break
			}
		}
	}
	return there, back
}

// byState is what routers that keep state do with an answer: pass it where they saw the
// question, and drop it, where it is not of UDP, where they did not. Zero for a question.
type byState struct {
	asked *way // of the question; nil where there was none
	drops bool
}

// leg tells the hops of a way up to where it stops.
func (m *Map) leg(way *way, src, dst *End, probe probe, state byState) (leg Leg) {
	leg.Hops = []Hop{}
	for _, step := range way.steps {
		text, rule := "state: it let the question pass", -1
		if state.asked == nil || !step.router.state || !state.asked.over(step.router) {
			if state.drops && step.router.state {
				leg.Stop = &Stop{Device: step.router.device.Name, Reason: NoState, Text: step.router.device.Name + " keeps state and has not seen the question, so it drops the answer", rule: -1}
				return leg
			}
			var do office.Action
			if do, rule, text = step.router.decides(step.in, step.out, src.Part, dst.Part, probe); do == office.Deny {
				leg.Stop = m.denied(step.router, rule, text, step.in, step.out)
				return leg
			}
		}
		hop := Hop{Device: step.router.device.Name, In: step.router.ifaces[step.in].vid, Out: step.router.ifaces[step.out].vid, Decides: text, Rule: rule}
		if step.at != nil {
			hop.Address = step.at.addr.String()
		} else if line := step.router.device.Outsides[0]; line.Prefix.IsValid() {
			hop.Address = line.Prefix.Addr().String()
		}
		leg.Hops = append(leg.Hops, hop)
	}
	leg.Stop = way.stop
	return leg
}

// denied is a stop by a rule, or where rule is below 0 by there being none that fits. From the
// outside nothing passes without a rule, so that a want of one there is told as what the router
// does.
func (m *Map) denied(router *router, rule int, text string, in, out int) *Stop {
	stop := &Stop{Device: router.device.Name, Reason: ByRule, rule: rule, in: router.ifaces[in].vid, out: router.ifaces[out].vid}
	stop.Text = router.device.Name + " drops it, as no rule fits: " + text
	if rule >= 0 || stop.in == 0 { // from the outside nothing passes without one
		stop.Text = router.device.Name + " drops it: " + text
	}
	return stop
}

// Rule is the place of the rule that stops it, -1 where none does.
func (s *Stop) Rule() int { return s.rule }
