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
		if r.world.asks[a].ref == ref {
			out = append(out, r.world.test(a, true))
		}
	}
	if len(out) > 0 {
		return out, nil
	}
	device := r.world.net.Office.Device(ref.Device)
	if device == nil {
		return nil, fmt.Errorf("there is no device %s", ref.Device)
	}
	switch p := device.Port(ref.Port); {
	case p < 0:
		return nil, fmt.Errorf("%s has no port %s", ref.Device, ref.Port)
	case len(r.world.net.Topo.LinksAt(r.world.net.Topo.DeviceIndex(device.Name), p)) > 0:
		return nil, fmt.Errorf("%s %s has a cable of the plan: nobody can plug in there", ref.Device, ref.Port)
	default:
		return nil, fmt.Errorf("%s %s is closed, or no port that one can plug in at", ref.Device, ref.Port)
	}
}

// Tagged is the test of a port with frames that carry a VLAN ID that the plan has not
// there, so that nothing is to be heard; false where [Round.At] has it. The round knows it
// from then on: see [Round.Apart].
func (r *Round) Tagged(ref office.PortRef, vid office.VID) (Test, bool, error) {
	all, err := r.At(ref)
	if err != nil || slices.ContainsFunc(all, func(test Test) bool { return test.Wire == bridge.Wire(vid) }) {
		return Test{}, false, err
	}
	for a := r.own; a < len(r.world.asks); a++ {
		if r.world.asks[a].ref == ref && r.world.asks[a].wire == bridge.Wire(vid) {
			return r.world.test(a, true), true, nil
		}
	}
	ask := r.world.asks[all[0].at]
	ask.wire, ask.vlan = bridge.Wire(vid), 0
	r.world.asks = append(r.world.asks, ask)
	a := len(r.world.asks) - 1
	r.world.plan = append(r.world.plan, r.world.lookAt(r.world.net, r.world.posts, r.world.asks[a:])...)
	return r.world.test(a, true), true, nil
}

// Play plugs a laptop into an office as it is, at tests of the round.
func (r *Round) Play(asIs *office.Office, tests []Test) []Played {
	net := span.Compile(asIs)
	posts, asks := r.world.in(net, tests)
	return r.play(net, posts, asks, tests)
}

// PlayMade plugs a laptop into the office as planned with mistakes made in it; nil where they
// cannot be made together.
func (r *Round) PlayMade(tests []Test, mistakes ...int) []Played {
	net, posts, asks := r.madeOf(tests, mistakes)
	if net == nil {
		return nil
	}
	return r.play(net, posts, asks, tests)
}

// madeOf is the office as planned with mistakes made in it, who answers there, and where one
// plugs in; nil where they cannot be made together.
func (r *Round) madeOf(tests []Test, mistakes []int) (*span.Net, []post, []ask) {
	made := r.Made(mistakes...)
	if made == nil {
		return nil, nil, nil
	}
	net := r.world.net.Update(made)
	asks := make([]ask, 0, len(tests))
	for _, test := range tests {
		asks = append(asks, r.world.asks[test.at])
	}
	return net, r.turnedBy(net, mistakes), asks
}

// turnedBy is [world.turned] for mistakes by number.
func (r *Round) turnedBy(net *span.Net, mistakes []int) []post {
	var all []*Mistake
	for _, k := range mistakes {
		all = append(all, &r.Mistakes[k])
	}
	return r.world.turned(net, all...)
}

// play plugs a laptop in at asks of an office.
//
// Many branches: who answers, who hands out, what is heard and what was tried are each
// told for what it is.
func (r *Round) play(net *span.Net, posts []post, asks []ask, tests []Test) []Played {
	world := r.world
	talks := talk.New(net)
	sights := world.lookAt(net, posts, asks)
	var out []Played
	for i, test := range tests {
		planned, now := world.sets[world.plan[test.at]], world.sets[sights[i]]
		played := Played{Seen: Seen{Test: test, Instead: []string{}, How: ByPlay}}
		for _, k := range now {
			post := &posts[k]
			played.Instead = append(played.Instead, post.called())
			stray := !slices.Contains(planned, k)
			if post.hands {
				played.Gives = append(played.Gives, Given{post.device, post.called(), post.from.String(), post.to.String()})
				if !played.Given.IsValid() || stray || !world.posts[k].hands {
					played.Given = post.from
				}
			}
			switch {
			case post.hands && stray:
				played.Wrong = append(played.Wrong, fmt.Sprintf("%s hands out addresses from %s to %s, and is not to", post.called(), post.from, post.to))
			case stray:
				played.Wrong = append(played.Wrong, post.called()+" answers, and is not to")
			}
		}
		for _, sign := range world.more[sights[i]] {
			if sign.kind == rival && sign.of >= len(world.posts) {
				post := &posts[sign.of]
				played.Gives = append(played.Gives, Given{post.device, post.called(), post.from.String(), post.to.String()})
				played.Given = post.from
			}
		}
		for _, sign := range world.more[sights[i]] {
			played.Instead = append(played.Instead, world.text(sign))
			if !slices.Contains(world.more[world.plan[test.at]], sign) {
				played.Wrong = append(played.Wrong, world.wrong(sign, posts))
			}
		}
		for _, sign := range world.more[world.plan[test.at]] {
			if sign.kind != isHeard && !slices.Contains(world.more[sights[i]], sign) {
				played.Wrong = append(played.Wrong, "as planned "+world.wrong(sign, world.posts)+", and it is not so")
			}
		}
		for _, k := range planned {
			if !slices.Contains(now, k) {
				played.Wrong = append(played.Wrong, posts[k].called()+" is to answer ping, and does not")
			}
		}
		if len(played.Wrong) == 0 { // across VLANs it counts only where one is in the right one
			for _, trial := range test.trials {
				holds := world.holds(talks, posts, trial)
				played.Tried = append(played.Tried, map[bool]Ended{true: Answered, false: Silent}[holds])
				if holds != trial.reach.OK {
					verb := "is to answer"
					if !trial.reach.OK {
						verb = "is not to answer"
					}
					played.Wrong = append(played.Wrong, fmt.Sprintf("%s %s %s", trial.reach.To, verb, trial.reach.Service))
				}
			}
		}
		if played.Passed = len(played.Wrong) == 0; played.Passed {
			played.Instead = nil
		}
		out = append(out, played)
	}
	return out
}

// holds says whether a trial ends well in another office.
func (w *world) holds(talks *talk.Map, posts []post, trial trial) bool {
	for _, laptop := range w.who {
		if laptop.vlan == trial.from {
			from := talks.At(laptop.vlan, w.nodes(talks.Net, &posts[laptop.gate]), laptop.addr)
			return talks.Open(from, talks.Own(trial.to)).Meets(talk.Of(talks.Net.Office, []office.Service{trial.what}))
		}
	}
	return false
}

// in is who answers, and where one plugs in, in another office: the posts of the plan
// first, at their numbers, then those that the plan has not.
func (w *world) in(net *span.Net, tests []Test) (posts []post, asks []ask) {
	posts = w.postsIn(net)
	for _, test := range tests {
		ask := w.asks[test.at]
		ask.dev, ask.port = net.Topo.DeviceIndex(ask.ref.Device), -1
		if ask.dev >= 0 {
			ask.port = net.Office.Devices[ask.dev].Port(ask.ref.Port)
		}
		asks = append(asks, ask)
	}
	return posts, asks
}

// Measure is what a laptop that tries all of [Round.Look] measures in an office as it is,
// where everybody answers for his own addresses alone; a card is called as its device.
func (r *Round) Measure(asIs *office.Office, tests []Test) []Saw {
	net := span.Compile(asIs)
	posts, asks := r.world.in(net, tests)
	return r.measure(net, posts, asks, tests)
}

// MeasureMade is [Round.Measure] in the office as planned with mistakes made in it; nil where
// they cannot be made together.
func (r *Round) MeasureMade(tests []Test, mistakes ...int) []Saw {
	net, posts, asks := r.madeOf(tests, mistakes)
	if net == nil {
		return nil
	}
	return r.measure(net, posts, asks, tests)
}

// measure plays the tests in an office: what a laptop would be given and reach at each place.
func (r *Round) measure(net *span.Net, posts []post, asks []ask, tests []Test) []Saw {
	talks := talk.New(net)
	sights := r.world.lookAt(net, posts, asks)
	var out []Saw
	for i, test := range tests {
		var saw Saw
		for _, k := range r.world.sets[sights[i]] {
			post := &posts[k]
			if post.addr.IsValid() {
				saw.Answers = append(saw.Answers, Answer{post.addr, post.device})
			}
			if post.hands {
				saw.Offers = append(saw.Offers, Offer{Addr: post.from, Server: post.addr, By: post.device, Bits: post.net.Bits(), Gateway: post.router})
			}
		}
		for _, sign := range r.world.more[sights[i]] {
			switch sign.kind {
			case strange: // nobody asks for him
			case rival: // of a subnet that no plan has (RFC 5737)
				if sign.of >= len(r.world.posts) {
					post := &posts[sign.of]
					saw.Offers = append(saw.Offers, Offer{Addr: post.from, Server: post.addr, By: post.device, Bits: post.net.Bits(), Gateway: post.router})
					continue
				}
				saw.Offers = append(saw.Offers, Offer{Addr: netip.MustParseAddr("192.0.2.10"), Server: netip.MustParseAddr("192.0.2.1"), By: "a stranger"})
			case routesSix:
				saw.Routers = append(saw.Routers, Router{Addr: netip.MustParseAddr("fe80::1"), By: "a stranger", Prefixes: []netip.Prefix{netip.MustParsePrefix("2001:db8::/64")}})
			case handsMask, handsRouter, handsToo, handsRange, handsNot: // among the offers
			case comesTagged:
				saw.Tagged = append(saw.Tagged, office.VID(sign.of))
			case isHeard: // somebody speaks meanwhile
				if k := slices.IndexFunc(posts, func(post post) bool { return int(post.vid) == sign.of && post.net.IsValid() }); k >= 0 {
					saw.Heard = append(saw.Heard, office.LastOf(posts[k].net).Prev())
				}
			}
		}
		for _, trial := range test.trials {
			ended := Silent
			if r.world.holds(talks, posts, trial) {
				ended = Answered
			}
			saw.Tried = append(saw.Tried, ended)
		}
		out = append(out, saw)
	}
	return out
}
