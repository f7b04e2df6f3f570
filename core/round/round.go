// Package round finds the fewest places to plug a laptop in that together would show
// any single mistake in a plan's carrying-out, and from what failed there names the
// mistake.
//
// A laptop at a port, untagged or with a tag, sees which devices answer it: who hands
// out addresses, the gateway, every address of its VLAN that comes back to it. What it
// sees as planned is compared with what it would see under each mistake: a VLAN that a
// cable's end lacks, a port left in VLAN 1, an inner port in another VLAN, a rule that
// was not entered. Mistakes that no laptop can tell apart anywhere are one suspect.
package round

import (
	"cmp"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// Test is a place where a laptop is plugged in, and what it sees as planned.
type Test struct {
	Port   office.PortRef
	Wire   bridge.Wire
	VLAN   office.VID // that its frames join
	Server string     // that hands out an address there; "" for none
	From   netip.Addr // of the range that the address is from
	To     netip.Addr
	Reach  []Reach
	Shows  []int // mistakes, indexes into Round.Mistakes
	at     int   // of the ask
	trials []trial
}

// Reach is something that answers there, or does not.
type Reach struct {
	To      string // an address; a device's name where it has none
	Service string // "ping", "tcp/104"
	OK      bool
	Across  bool           // it is tried across devices that route, where all else is as planned
	What    office.Service // that is tried across; the zero one for others
	// Routed says of a ping that is not to be answered in the VLAN itself that one across
	// devices that route is, as planned: only who asks in the VLAN itself (ARP) can tell.
	Routed bool
}

// Round is tests in walking order, and what they are for. What was seen, and tags that
// the plan has not, may add to it: whoever keeps one gives [Round.Apart] to who asks.
type Round struct {
	Mistakes []Mistake
	Tests    []Test
	Unshown  []int // mistakes that no laptop shows anywhere
	world    *world
	own      int   // asks of the plan; others came with [Round.Tagged]
	quick    []int // asks of the quick round
}

// world is what every laptop sees under every mistake, as far as it is another.
type world struct {
	net     *span.Net
	asks    []ask
	posts   []post
	plan    []sight         // by ask
	base    int             // mistakes of the round itself; what was seen may add others
	seen    []map[int]sight // by mistake, then by ask: what is another than planned
	sets    [][]int         // of posts, by sight
	more    [][]sign        // what else is noticed, by sight
	who     []laptop
	targets []target           // whom laptops try across VLANs
	passes  [][]*talk.Services // as planned, by laptop and target
	signed  []string           // by post, as planned; nil where that is not plain
	across  [][]difference     // what is otherwise between VLANs
	shows   [][]int            // by ask: mistakes that show there
	tried   map[int][]int      // by ask of the round: mistakes that are tried across VLANs there; all that show at other asks
	known   map[string]sight
	// Which asks may see a change: of a device, of a VLAN, of any.
	ofDevice map[int][]int
	hearers  map[office.VID][]int
	always   []int
}

// Effort is how much there is to look at in an office: places times memberships. [Make]
// takes about 150 ms for a million.
func Effort(net *span.Net) int {
	one := &world{net: net}
	one.findAsks()
	members := 0
	for i, device := range net.Office.Devices {
		for port := range device.Ports {
			members += net.Tables[i].Ports[port].Tagged.Len() + 3*net.Tables[i].Ports[port].Untagged.Len()
		}
	}
	return len(one.asks) * members
}

// Make finds the round of an office.
//
//	> core 7: 190 [110 140]
//	at floor.5 untagged: 10.61.160.1 is to answer ping, and does not
//	so: core 7 lacks 160, or floor 5 was left in 1, and is to be in 160, or floor 5 lacks 160,
//	    or floor 8 lacks 160
func Make(o *office.Office) *Round {
	r, _ := MakeWatched(o, func(int, int) error { return nil })
	return r
}

// MakeWatched is [Make] for somebody who waits: each is told how many of the mistakes were
// looked at, before the next is, and the error that it gives ends it.
func MakeWatched(o *office.Office, each func(done, of int) error) (*Round, error) {
	net := span.Compile(o)
	one := &world{net: net, known: map[string]sight{}}
	one.findAsks()
	one.findPosts()
	one.findRivals()
	one.plan = one.lookAt(net, one.posts, one.asks)
	r := &Round{world: one, Mistakes: append(mistakes(net), one.ofHandouts()...), own: len(one.asks)}
	talks := talk.New(net)
	one.who = one.laptops(talks)
	one.findTargets(talks)
	one.passes = one.between(net, one.stirred(net))
	r.Mistakes = append(r.Mistakes, one.holes()...)
	one.signed, _ = one.signs(net)
	for i := range r.Mistakes {
		if err := each(i, len(r.Mistakes)); err != nil {
			return nil, err
		}
		one.seen = append(one.seen, one.under(&r.Mistakes[i]))
	}
	one.base = len(one.seen)
	for i := range one.seen {
		if len(one.seen[i]) == 0 {
			r.Unshown = append(r.Unshown, i)
		}
	}
	one.findShows()
	chosen := smallest(one.shows, len(one.seen))
	one.walking(chosen)
	one.shareTries(chosen)
	for _, a := range chosen {
		r.Tests = append(r.Tests, one.test(a, false))
	}
	r.quick = r.shortest()
	return r, nil
}

// under is what is seen otherwise under a mistake, by ask.
func (w *world) under(mistake *Mistake) map[int]sight {
	if mistake.after == nil {
		return nil
	}
	changed := w.net.Update(mistake.after)
	diff := map[int]sight{}
	var stirred []int
	switch {
	case mistake.Rules || mistake.recast != nil || mistake.drop != nil && mistake.stands:
		stirred = w.all()
	case mistake.turn == nil:
		stirred = w.stirred(changed)
	}
	if len(stirred) > 0 {
		diff = w.otherAcross(w.otherwise(w.passes, w.between(changed, stirred)))
	}
	if !mistake.Rules {
		moved := w.moved(changed, mistake)
		asks := make([]ask, 0, len(moved))
		for _, a := range moved {
			asks = append(asks, w.asks[a])
		}
		for i, sight := range w.lookAt(changed, w.turned(changed, mistake), asks) {
			if a := moved[i]; w.notices(sight, w.plan[a], ByPlay) {
				diff[a] = sight // it is seen before anything across is tried
			}
		}
	}
	return diff
}

// moved is the asks at which something may be seen otherwise under a mistake: those of devices
// that are set otherwise, or that hear a VLAN that was worked out anew.
func (w *world) moved(net *span.Net, mistake *Mistake) (out []int) {
	devices, _, vlans, fresh := net.Delta()
	if fresh || mistake.stands {
		for a := range w.asks {
			out = append(out, a)
		}
		return out
	}
	if w.hearers == nil {
		w.findHearers()
	}
	taken := make([]bool, len(w.asks))
	take := func(asks []int) {
		for _, a := range asks {
			if !taken[a] {
				taken[a] = true
				out = append(out, a)
			}
		}
	}
	take(w.always)
	for _, i := range devices {
		take(w.ofDevice[i])
	}
	for vid := range vlans.All() {
		take(w.hearers[vid])
	}
	slices.Sort(out)
	return out
}

// findHearers notes which asks hear which VLANs.
func (w *world) findHearers() {
	w.hearers, w.ofDevice = map[office.VID][]int{}, map[int][]int{}
	for a := range w.asks {
		ask := &w.asks[a]
		device, compiled := w.net.Office.Devices[ask.dev], w.net.Tables[ask.dev].Ports[ask.port]
		if device.Unaware() || device.Forwarding == office.Grouped {
			w.always = append(w.always, a)
		}
		w.ofDevice[ask.dev] = append(w.ofDevice[ask.dev], a)
		w.hearers[ask.vlan] = append(w.hearers[ask.vlan], a)
		for vid := range compiled.Untagged.All() {
			if vid != ask.vlan {
				w.hearers[vid] = append(w.hearers[vid], a)
			}
		}
	}
}

// test is an ask with what is expected there, and what is to be tried so that each
// mistake that it shows would be seen; whole says that what another place of the round tries
// is tried there too.
func (w *world) test(a int, whole bool) Test {
	ask := &w.asks[a]
	test := Test{Port: ask.ref, Wire: ask.wire, VLAN: ask.vlan, at: a}
	planned := w.sets[w.plan[a]]
	answers := map[int]bool{}
	for _, p := range planned {
		answers[p] = true
		if post := &w.posts[p]; post.hands && test.Server == "" {
			test.Server, test.From, test.To = post.device, post.from, post.to
		}
	}
	test.trials = w.trials(a, whole)
	try := map[int]bool{}       // posts to be tried
	for _, p := range planned { // the gateway, whoever it is
		if w.posts[p].gateway {
			try[p] = true
			break
		}
	}
	for _, i := range w.showing(a) {
		sight := w.seen[i][a]
		if sight < 0 && !w.tells(test.trials, sight) {
			continue
		}
		test.Shows = append(test.Shows, i)
		if sight < 0 {
			continue
		}
		told := false
		now := w.sets[sight]
		for p := range try {
			told = told || answers[p] != slices.Contains(now, p)
		}
		if told {
			continue
		}
		for p := range w.posts { // one that answers otherwise
			if answers[p] != slices.Contains(now, p) {
				try[p] = true
				break
			}
		}
	}
	for p := range w.posts {
		if try[p] {
			reach := Reach{To: w.posts[p].called(), Service: "ping", OK: answers[p]}
			reach.Routed = !reach.OK && w.lets(test.VLAN, w.posts[p].addr, pinging)
			test.Reach = append(test.Reach, reach)
		}
	}
	for _, trial := range test.trials {
		test.Reach = append(test.Reach, trial.reach)
	}
	return test
}

// Facts is where the device of a test stands, and the wall socket of its port; "" where nobody
// said.
func (r *Round) Facts(test Test) (place, socket string) {
	ask := &r.world.asks[test.at]
	return r.world.net.Office.Devices[ask.dev].Facts.Place, r.world.socket(ask)
}

// socket is the wall socket that a port leads to; "" for none.
func (w *world) socket(ask *ask) string {
	if facts := w.net.Office.Devices[ask.dev].Ports[ask.port].Facts; facts != nil {
		return facts.Socket
	}
	return ""
}

// walking puts asks in the order in which one walks: place by place and device by device from
// the gateway outwards; by wall socket where sockets have names, else port by port.
func (w *world) walking(asks []int) {
	rank := make([][2]int, len(w.net.Office.Devices)) // of its place, and of itself
	place := map[string]int{}
	for k, i := range w.net.Topo.Outwards(w.net.Office) {
		where := w.net.Office.Devices[i].Facts.Place
		if where == "" {
			where = "at " + w.net.Office.Devices[i].Name // nobody said: by itself
		}
		if _, ok := place[where]; !ok {
			place[where] = k
		}
		rank[i] = [2]int{place[where], k}
	}
	slices.SortFunc(asks, func(x, y int) int {
		ask, other := &w.asks[x], &w.asks[y]
		return cmp.Or(
			cmp.Compare(rank[ask.dev][0], rank[other.dev][0]), cmp.Compare(rank[ask.dev][1], rank[other.dev][1]),
			office.NaturalCompare(w.socket(ask), w.socket(other)), office.NaturalCompare(ask.ref.Port, other.ref.Port), cmp.Compare(ask.wire, other.wire),
		)
	})
}
