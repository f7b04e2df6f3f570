package round

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// Played is what a laptop sees at a test in an office as it is.
type Played struct {
	Seen
	Gives []Given  // who hands out an address there
	Wrong []string // what is otherwise than planned, in sentences
}

// Given is an address that somebody hands out.
type Given struct {
	Server string `json:"server"` // a device
	By     string `json:"by"`     // its address
	From   string `json:"from"`
	To     string `json:"to"`
}

// At lists the tests that a port allows: untagged, and in each VLAN that is tagged
// there, with all that a laptop that is there anyway can try. The error says what stands
// there instead.
func (r *Round) At(ref office.PortRef) (out []Test, err error) {
	for a := range r.own {
		if r.w.asks[a].ref == ref {
			out = append(out, r.w.test(a, true))
		}
	}
	if len(out) > 0 {
		return out, nil
	}
	d := r.w.n.Office.Device(ref.Device)
	if d == nil {
		return nil, fmt.Errorf("there is no device %s", ref.Device)
	}
	switch p := d.Port(ref.Port); {
	case p < 0:
		return nil, fmt.Errorf("%s has no port %s", ref.Device, ref.Port)
	case len(r.w.n.Topo.LinksAt(r.w.n.Topo.DeviceIndex(d.Name), p)) > 0:
		return nil, fmt.Errorf("%s %s has a cable of the plan: nobody can plug in there", ref.Device, ref.Port)
	default:
		return nil, fmt.Errorf("%s %s is closed, or no port that one can plug in at", ref.Device, ref.Port)
	}
}

// Tagged is the test of a port with frames that carry a VLAN ID that the plan has not
// there, so that nothing is to be heard; false where [Round.At] has it. The round knows it
// from then on: see [Round.Apart].
func (r *Round) Tagged(ref office.PortRef, v office.VID) (Test, bool, error) {
	all, err := r.At(ref)
	if err != nil || slices.ContainsFunc(all, func(t Test) bool { return t.Wire == bridge.Wire(v) }) {
		return Test{}, false, err
	}
	for a := r.own; a < len(r.w.asks); a++ {
		if r.w.asks[a].ref == ref && r.w.asks[a].wire == bridge.Wire(v) {
			return r.w.test(a, true), true, nil
		}
	}
	x := r.w.asks[all[0].at]
	x.wire, x.vlan = bridge.Wire(v), 0
	r.w.asks = append(r.w.asks, x)
	a := len(r.w.asks) - 1
	r.w.plan = append(r.w.plan, r.w.lookAt(r.w.n, r.w.posts, r.w.asks[a:])...)
	return r.w.test(a, true), true, nil
}

// Play plugs a laptop into an office as it is, at tests of the round.
func (r *Round) Play(asIs *office.Office, tests []Test) []Played {
	n := span.Compile(asIs)
	posts, asks := r.w.in(n, tests)
	return r.play(n, posts, asks, tests)
}

// PlayMade plugs a laptop into the office as planned with mistakes made in it; nil where they
// cannot be made together.
func (r *Round) PlayMade(tests []Test, mistakes ...int) []Played {
	n, posts, asks := r.madeOf(tests, mistakes)
	if n == nil {
		return nil
	}
	return r.play(n, posts, asks, tests)
}

// madeOf is the office as planned with mistakes made in it, who answers there, and where one
// plugs in; nil where they cannot be made together.
func (r *Round) madeOf(tests []Test, mistakes []int) (*span.Net, []post, []ask) {
	made := r.Made(mistakes...)
	if made == nil {
		return nil, nil, nil
	}
	n := r.w.n.Update(made)
	asks := make([]ask, 0, len(tests))
	for _, t := range tests {
		asks = append(asks, r.w.asks[t.at])
	}
	return n, r.turnedBy(n, mistakes), asks
}

// turnedBy is [world.turned] for mistakes by number.
func (r *Round) turnedBy(n *span.Net, mistakes []int) []post {
	var all []*Mistake
	for _, k := range mistakes {
		all = append(all, &r.Mistakes[k])
	}
	return r.w.turned(n, all...)
}

// play plugs a laptop in at asks of an office.
func (r *Round) play(n *span.Net, posts []post, asks []ask, tests []Test) []Played {
	w := r.w
	m := talk.New(n)
	sights := w.lookAt(n, posts, asks)
	var out []Played
	for i, t := range tests {
		planned, now := w.sets[w.plan[t.at]], w.sets[sights[i]]
		x := Played{Seen: Seen{Test: t, Instead: []string{}, How: ByPlay}}
		for _, k := range now {
			p := &posts[k]
			x.Instead = append(x.Instead, p.called())
			stray := !slices.Contains(planned, k)
			if p.hands {
				x.Gives = append(x.Gives, Given{p.device, p.called(), p.from.String(), p.to.String()})
				if !x.Given.IsValid() || stray || !w.posts[k].hands {
					x.Given = p.from
				}
			}
			switch {
			case p.hands && stray:
				x.Wrong = append(x.Wrong, fmt.Sprintf("%s hands out addresses from %s to %s, and is not to", p.called(), p.from, p.to))
			case stray:
				x.Wrong = append(x.Wrong, p.called()+" answers, and is not to")
			}
		}
		for _, s := range w.more[sights[i]] {
			if s.kind == rival && s.of >= len(w.posts) {
				p := &posts[s.of]
				x.Gives = append(x.Gives, Given{p.device, p.called(), p.from.String(), p.to.String()})
				x.Given = p.from
			}
		}
		for _, s := range w.more[sights[i]] {
			x.Instead = append(x.Instead, w.text(s))
			if !slices.Contains(w.more[w.plan[t.at]], s) {
				x.Wrong = append(x.Wrong, w.wrong(s, posts))
			}
		}
		for _, s := range w.more[w.plan[t.at]] {
			if s.kind != isHeard && !slices.Contains(w.more[sights[i]], s) {
				x.Wrong = append(x.Wrong, "as planned "+w.wrong(s, w.posts)+", and it is not so")
			}
		}
		for _, k := range planned {
			if !slices.Contains(now, k) {
				x.Wrong = append(x.Wrong, posts[k].called()+" is to answer ping, and does not")
			}
		}
		if len(x.Wrong) == 0 { // across VLANs it counts only where one is in the right one
			for _, y := range t.trials {
				holds := w.holds(m, posts, y)
				x.Tried = append(x.Tried, map[bool]Ended{true: Answered, false: Silent}[holds])
				if holds != y.reach.OK {
					verb := "is to answer"
					if !y.reach.OK {
						verb = "is not to answer"
					}
					x.Wrong = append(x.Wrong, fmt.Sprintf("%s %s %s", y.reach.To, verb, y.reach.Service))
				}
			}
		}
		if x.Passed = len(x.Wrong) == 0; x.Passed {
			x.Instead = nil
		}
		out = append(out, x)
	}
	return out
}

// holds says whether a trial ends well in another office.
func (w *world) holds(m *talk.Map, posts []post, t trial) bool {
	for _, l := range w.who {
		if l.vlan == t.from {
			from := m.At(l.vlan, w.nodes(m.Net, &posts[l.gate]), l.addr)
			return m.Open(from, m.Own(t.to)).Meets(talk.Of(m.Net.Office, []office.Service{t.what}))
		}
	}
	return false
}

// in is who answers, and where one plugs in, in another office: the posts of the plan
// first, at their numbers, then those that the plan has not.
func (w *world) in(n *span.Net, tests []Test) (posts []post, asks []ask) {
	posts = w.postsIn(n)
	for _, t := range tests {
		x := w.asks[t.at]
		x.dev, x.port = n.Topo.DeviceIndex(x.ref.Device), -1
		if x.dev >= 0 {
			x.port = n.Office.Devices[x.dev].Port(x.ref.Port)
		}
		asks = append(asks, x)
	}
	return posts, asks
}

// Measure is what a laptop that tries all of [Round.Look] measures in an office as it is,
// where everybody answers for his own addresses alone; a card is called as its device.
func (r *Round) Measure(asIs *office.Office, tests []Test) []Saw {
	n := span.Compile(asIs)
	posts, asks := r.w.in(n, tests)
	return r.measure(n, posts, asks, tests)
}

// MeasureMade is [Round.Measure] in the office as planned with mistakes made in it; nil where
// they cannot be made together.
func (r *Round) MeasureMade(tests []Test, mistakes ...int) []Saw {
	n, posts, asks := r.madeOf(tests, mistakes)
	if n == nil {
		return nil
	}
	return r.measure(n, posts, asks, tests)
}

func (r *Round) measure(n *span.Net, posts []post, asks []ask, tests []Test) []Saw {
	m := talk.New(n)
	sights := r.w.lookAt(n, posts, asks)
	var out []Saw
	for i, t := range tests {
		var saw Saw
		for _, k := range r.w.sets[sights[i]] {
			p := &posts[k]
			if p.addr.IsValid() {
				saw.Answers = append(saw.Answers, Answer{p.addr, p.device})
			}
			if p.hands {
				saw.Offers = append(saw.Offers, Offer{Addr: p.from, Server: p.addr, By: p.device, Bits: p.net.Bits(), Gateway: p.router})
			}
		}
		for _, s := range r.w.more[sights[i]] {
			switch s.kind {
			case strange: // nobody asks for him
			case rival: // of a subnet that no plan has (RFC 5737)
				if s.of >= len(r.w.posts) {
					p := &posts[s.of]
					saw.Offers = append(saw.Offers, Offer{Addr: p.from, Server: p.addr, By: p.device, Bits: p.net.Bits(), Gateway: p.router})
					continue
				}
				saw.Offers = append(saw.Offers, Offer{Addr: netip.MustParseAddr("192.0.2.10"), Server: netip.MustParseAddr("192.0.2.1"), By: "a stranger"})
			case routesSix:
				saw.Routers = append(saw.Routers, Router{Addr: netip.MustParseAddr("fe80::1"), By: "a stranger", Prefixes: []netip.Prefix{netip.MustParsePrefix("2001:db8::/64")}})
			case handsMask, handsRouter, handsToo, handsRange, handsNot: // among the offers
			case comesTagged:
				saw.Tagged = append(saw.Tagged, office.VID(s.of))
			case isHeard: // somebody speaks meanwhile
				if k := slices.IndexFunc(posts, func(p post) bool { return int(p.vid) == s.of && p.net.IsValid() }); k >= 0 {
					saw.Heard = append(saw.Heard, office.LastOf(posts[k].net).Prev())
				}
			}
		}
		for _, y := range t.trials {
			ended := Silent
			if r.w.holds(m, posts, y) {
				ended = Answered
			}
			saw.Tried = append(saw.Tried, ended)
		}
		out = append(out, saw)
	}
	return out
}
