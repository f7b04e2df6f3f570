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
	w        *world
	own      int   // asks of the plan; others came with [Round.Tagged]
	quick    []int // asks of the quick round
}

// world is what every laptop sees under every mistake, as far as it is another.
type world struct {
	n       *span.Net
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
func Effort(n *span.Net) int {
	w := &world{n: n}
	w.findAsks()
	members := 0
	for i, d := range n.Office.Devices {
		for p := range d.Ports {
			members += n.Tables[i].Ports[p].Tagged.Len() + 3*n.Tables[i].Ports[p].Untagged.Len()
		}
	}
	return len(w.asks) * members
}

// Make finds the round of an office.
func Make(o *office.Office) *Round {
	r, _ := MakeWatched(o, func(int, int) error { return nil })
	return r
}

// MakeWatched is [Make] for somebody who waits: each is told how many of the mistakes were
// looked at, before the next is, and the error that it gives ends it.
func MakeWatched(o *office.Office, each func(done, of int) error) (*Round, error) {
	n := span.Compile(o)
	w := &world{n: n, known: map[string]sight{}}
	w.findAsks()
	w.findPosts()
	w.findRivals()
	w.plan = w.lookAt(n, w.posts, w.asks)
	r := &Round{w: w, Mistakes: append(mistakes(n), w.ofHandouts()...), own: len(w.asks)}
	m := talk.New(n)
	w.who = w.laptops(m)
	w.findTargets(m)
	w.passes = w.between(n, w.stirred(n))
	r.Mistakes = append(r.Mistakes, w.holes()...)
	w.signed, _ = w.signs(n)
	for i := range r.Mistakes {
		if err := each(i, len(r.Mistakes)); err != nil {
			return nil, err
		}
		w.seen = append(w.seen, w.under(&r.Mistakes[i]))
	}
	w.base = len(w.seen)
	for i := range w.seen {
		if len(w.seen[i]) == 0 {
			r.Unshown = append(r.Unshown, i)
		}
	}
	w.findShows()
	chosen := smallest(w.shows, len(w.seen))
	w.walking(chosen)
	w.shareTries(chosen)
	for _, a := range chosen {
		r.Tests = append(r.Tests, w.test(a, false))
	}
	r.quick = r.shortest()
	return r, nil
}

// under is what is seen otherwise under a mistake, by ask.
func (w *world) under(m *Mistake) map[int]sight {
	if m.after == nil {
		return nil
	}
	changed := w.n.Update(m.after)
	diff := map[int]sight{}
	var stirred []int
	switch {
	case m.Rules || m.recast != nil || m.drop != nil && m.stands:
		stirred = w.all()
	case m.turn == nil:
		stirred = w.stirred(changed)
	}
	if len(stirred) > 0 {
		diff = w.otherAcross(w.otherwise(w.passes, w.between(changed, stirred)))
	}
	if !m.Rules {
		moved := w.moved(changed, m)
		asks := make([]ask, 0, len(moved))
		for _, a := range moved {
			asks = append(asks, w.asks[a])
		}
		for i, s := range w.lookAt(changed, w.turned(changed, m), asks) {
			if a := moved[i]; w.notices(s, w.plan[a], ByPlay) {
				diff[a] = s // it is seen before anything across is tried
			}
		}
	}
	return diff
}

// moved is the asks at which something may be seen otherwise under a mistake: those of devices
// that are set otherwise, or that hear a VLAN that was worked out anew.
func (w *world) moved(n *span.Net, m *Mistake) (out []int) {
	devices, _, vlans, fresh := n.Delta()
	if fresh || m.stands {
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
	for v := range vlans.All() {
		take(w.hearers[v])
	}
	slices.Sort(out)
	return out
}

// findHearers notes which asks hear which VLANs.
func (w *world) findHearers() {
	w.hearers, w.ofDevice = map[office.VID][]int{}, map[int][]int{}
	for a := range w.asks {
		x := &w.asks[a]
		device, compiled := w.n.Office.Devices[x.dev], w.n.Tables[x.dev].Ports[x.port]
		if device.Unaware() || device.Forwarding == office.Grouped {
			w.always = append(w.always, a)
		}
		w.ofDevice[x.dev] = append(w.ofDevice[x.dev], a)
		w.hearers[x.vlan] = append(w.hearers[x.vlan], a)
		for v := range compiled.Untagged.All() {
			if v != x.vlan {
				w.hearers[v] = append(w.hearers[v], a)
			}
		}
	}
}

// test is an ask with what is expected there, and what is to be tried so that each
// mistake that it shows would be seen; whole says that what another place of the round tries
// is tried there too.
func (w *world) test(a int, whole bool) Test {
	x := &w.asks[a]
	t := Test{Port: x.ref, Wire: x.wire, VLAN: x.vlan, at: a}
	planned := w.sets[w.plan[a]]
	answers := map[int]bool{}
	for _, p := range planned {
		answers[p] = true
		if post := &w.posts[p]; post.hands && t.Server == "" {
			t.Server, t.From, t.To = post.device, post.from, post.to
		}
	}
	t.trials = w.trials(a, whole)
	try := map[int]bool{}       // posts to be tried
	for _, p := range planned { // the gateway, whoever it is
		if w.posts[p].gateway {
			try[p] = true
			break
		}
	}
	for _, i := range w.showing(a) {
		s := w.seen[i][a]
		if s < 0 && !w.tells(t.trials, s) {
			continue
		}
		t.Shows = append(t.Shows, i)
		if s < 0 {
			continue
		}
		told := false
		now := w.sets[s]
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
			x := Reach{To: w.posts[p].called(), Service: "ping", OK: answers[p]}
			x.Routed = !x.OK && w.lets(t.VLAN, w.posts[p].addr, pinging)
			t.Reach = append(t.Reach, x)
		}
	}
	for _, x := range t.trials {
		t.Reach = append(t.Reach, x.reach)
	}
	return t
}

// Facts is where the device of a test stands, and the wall socket of its port; "" where nobody
// said.
func (r *Round) Facts(t Test) (place, socket string) {
	x := &r.w.asks[t.at]
	return r.w.n.Office.Devices[x.dev].Facts.Place, r.w.socket(x)
}

// socket is the wall socket that a port leads to; "" for none.
func (w *world) socket(x *ask) string {
	if f := w.n.Office.Devices[x.dev].Ports[x.port].Facts; f != nil {
		return f.Socket
	}
	return ""
}

// walking puts asks in the order in which one walks: place by place and device by device from
// the gateway outwards; by wall socket where sockets have names, else port by port.
func (w *world) walking(asks []int) {
	rank := make([][2]int, len(w.n.Office.Devices)) // of its place, and of itself
	place := map[string]int{}
	for k, i := range w.n.Topo.Outwards(w.n.Office) {
		where := w.n.Office.Devices[i].Facts.Place
		if where == "" {
			where = "at " + w.n.Office.Devices[i].Name // nobody said: by itself
		}
		if _, ok := place[where]; !ok {
			place[where] = k
		}
		rank[i] = [2]int{place[where], k}
	}
	slices.SortFunc(asks, func(x, y int) int {
		a, b := &w.asks[x], &w.asks[y]
		return cmp.Or(
			cmp.Compare(rank[a.dev][0], rank[b.dev][0]), cmp.Compare(rank[a.dev][1], rank[b.dev][1]),
			office.NaturalCompare(w.socket(a), w.socket(b)), office.NaturalCompare(a.ref.Port, b.ref.Port), cmp.Compare(a.wire, b.wire),
		)
	})
}
