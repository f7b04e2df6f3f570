package talk

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Table is who may talk to whom: every pair of VLANs and the outside, and what is
// wished.
type Table struct {
	Net    *span.Net
	m      *Map   // of this office, or of one that is the same to it
	told   *Map   // for telling a way: it remembers nothing
	live   []int  // by area: its place among those that devices have addresses in, and the outside; -1 for others
	size   int    // how many of them there are
	cells  []Cell // of those, row by row
	wishes []Judged

	Nowhere []Nowhere // routes whose next hop takes nothing
}

// Cell is the answer for a pair.
type Cell struct {
	Verdict  Verdict
	Open     *Services // what some part of the one can use at some part of the other
	troubles []Trouble
}

// Trouble is something that goes wrong, or may, between two of the table,
// although rules let the question pass.
type Trouble struct {
	Kind   TroubleKind
	Device string // where the answer stops; the stateless device of a one-way rule
	Rule   int    // of a one-way rule, and of one that lets the outside in
	Reason Reason
	Over   string // the devices there, and back, where they differ
	Text   string // of one packet that has it
	Mend   string // lines that would let its answer come back; "" where none is known
}

// same says whether two are one fault. Where an answer stops, it does so whatever
// way it took there.
func (t Trouble) same() Trouble {
	t.Text, t.Mend = "", ""
	if t.Kind == BackStops {
		t.Over = ""
	}
	return t
}

// TroubleKind tells troubles apart.
type TroubleKind uint8

const (
	BackStops    TroubleKind = iota // the question arrives and the answer does not
	BackDiffers                     // the answer takes another way
	OneWayRule                      // a stateless device has a rule for the question and none for the answer
	FromOutside                     // the outside may start connections to more than one address
	RoutesInRing                    // a destination is sent in a ring
)

// NewTable works out an office from nothing.
func NewTable(n *span.Net) *Table {
	t := &Table{Net: n, m: New(n)}
	t.index()
	t.cells = make([]Cell, t.size*t.size)
	t.fill(nil)
	return t
}

// index gives the areas their places among the cells: an office may have thousands
// of VLANs that no device has an address in, between which nothing is to be said.
func (t *Table) index() {
	t.live, t.size = make([]int, len(t.m.vlans)+1), 0
	for i := range t.live {
		t.live[i] = -1
		if t.area(i).live {
			t.live[i] = t.size
			t.size++
		}
	}
}

// area is that at a place in [Table.Areas].
func (t *Table) area(i int) *area {
	if i < len(t.m.vlans) {
		return t.m.vlans[i]
	}
	return t.m.outside
}

// fill works out cells, all or those marked, and the wishes.
func (t *Table) fill(marked []bool) {
	by := t.byArea()
	size := t.size
	rows := func(from, step int) {
		own := Table{Net: t.Net, m: t.m.remember(), told: t.m} // what is remembered is not shared
		for ; from < size; from += step {
			for to := range size {
				if i := from*size + to; marked == nil || marked[i] {
					t.cells[i] = own.cell(by[from], by[to])
				}
			}
		}
	}
	workers := 1
	if size > 64 {
		workers = 4
	}
	var all sync.WaitGroup
	faults := make([]any, workers)
	for k := range workers {
		all.Go(func() {
			defer func() { faults[k] = recover() }() // it is one of whoever asked, not of the process
			rows(k, workers)
		})
	}
	all.Wait()
	for _, fault := range faults {
		if fault != nil {
			panic(fault)
		}
	}
	t.wish()
	t.Nowhere = t.m.nowhere()
}

// Kept says whether another table's answers are these, unchanged.
func (t *Table) Kept(from *Table) bool { return from != nil && t.m == from.m }

// Map is the map of the table's office.
func (t *Table) Map() *Map {
	if t.m.Net == t.Net {
		return t.m
	}
	return New(t.Net)
}

// byArea is the ends of each area that has cells, in their order.
func (t *Table) byArea() [][]*End {
	at := make(map[*area]int, t.size)
	for i, k := range t.live {
		if k >= 0 {
			at[t.area(i)] = k
		}
	}
	by := make([][]*End, t.size)
	for _, e := range t.m.ends {
		if i, ok := at[e.area]; ok {
			by[i] = append(by[i], e)
		}
	}
	return by
}

// cell is the answer for the ends of two areas.
func (t *Table) cell(from, to []*End) Cell {
	c := Cell{Verdict: No, Open: None}
	if len(from) == 0 || len(to) == 0 || from[0].area == to[0].area {
		return c
	}
	all, tried := true, false
	for _, src := range from {
		if src.own != nil && !src.area.empty {
			continue // what a device sends itself is not what its VLAN may
		}
		for _, dst := range to {
			if src.Addr.Is4() != dst.Addr.Is4() {
				continue
			}
			tried = true
			open := t.pair(src, dst, &c)
			c.Open, all = c.Open.Or(open), all && open == All
		}
	}
	switch {
	case !tried || c.Open == None:
	case all:
		c.Verdict = Yes
	default:
		c.Verdict = Some
	}
	return c
}

// pair judges two ends, and notes what is wrong between them.
func (t *Table) pair(src, dst *End, c *Cell) *Services {
	m := t.m
	if src.area.empty || dst.area.empty { // what goes wrong there concerns nobody
		return m.judge(src, dst)
	}
	there := m.way(src, dst)
	if s := there.stop; s != nil && s.Reason == Loop {
		ring := names(there)
		ring = sorted(ring[slices.Index(ring, s.Device):])
		c.trouble(Trouble{Kind: RoutesInRing, Device: ring[0], Over: strings.Join(ring, ", "), Rule: -1})
	}
	asked := m.asked(there, src, dst)
	if asked == None {
		return None
	}
	if there.flat {
		return m.judge(src, dst)
	}
	back := m.back(there, src, dst)
	open := m.answered(asked, there, back, src, dst)
	if missing := asked.Minus(open); missing != None {
		t.missed(src, dst, there, back, missing, c)
	} else if !sameWay(there, back) {
		c.trouble(Trouble{Kind: BackDiffers, Rule: -1, Over: over(there, back)})
	}
	if src.area == m.outside && open != None && !dst.single() && len(there.steps) > 0 {
		s := there.steps[0]
		if _, i, _ := s.r.decides(s.in, s.out, src.Part, dst.Part, open.first()); i >= 0 {
			c.trouble(Trouble{Kind: FromOutside, Device: s.r.d.Name, Rule: i})
		}
	}
	return open
}

// missed says why an answer does not come back.
func (t *Table) missed(src, dst *End, there, back *way, missing *Services, c *Cell) {
	p := missing.first()
	a, b := t.told.tell(src, dst, p)
	switch s := b.Stop; {
	case s == nil && a.Stop != nil: // tcp, which misses the answer
		c.trouble(Trouble{Kind: BackDiffers, Rule: -1, Device: a.Stop.Device, Over: over(there, back), Text: a.Stop.Text})
	case s == nil:
	case s.Reason == ByRule && there.over(t.m.byName(s.Device)):
		r := t.m.byName(s.Device)
		for _, x := range there.steps {
			if x.r == r {
				if _, i, _ := r.decides(x.in, x.out, src.Part, dst.Part, p); i >= 0 {
					c.trouble(Trouble{Kind: OneWayRule, Device: r.d.Name, Rule: i, Text: s.Text})
				}
			}
		}
	case s.Reason == ByRule:
		c.trouble(Trouble{Kind: BackStops, Device: s.Device, Text: s.Text, Reason: s.Reason, Rule: s.rule, Over: over(there, back)})
	default:
		c.trouble(Trouble{Kind: BackStops, Device: s.Device, Text: s.Text, Reason: s.Reason, Rule: -1, Over: over(there, back), Mend: mend(there, src, dst, s)})
	}
}

// mend is lines that may let an answer come back: the device that the question came
// by as the gateway of who is asked, or a route on the device that knows no way.
func mend(there *way, src, dst *End, s *Stop) string {
	if len(there.steps) == 0 {
		return ""
	}
	last := there.steps[len(there.steps)-1]
	if gate := dst.gateway(); dst.own == nil && dst.area.vid != 0 && gate != nil && last.to != nil && gate.r != last.r && last.to.a.VID == dst.area.vid {
		marked := *last.to.a
		marked.Gateway = true
		line := last.r.d.Name + " " + notation.AddressText(marked)
		if gate.a.Gateway {
			plain := *gate.a
			plain.Gateway = false
			line += "\n" + gate.r.d.Name + " " + notation.AddressText(plain)
		}
		return line
	}
	for i := 1; i < len(there.steps) && s.Reason == NoRoute; i++ {
		if before := there.steps[i-1]; there.steps[i].r.d.Name == s.Device && before.to != nil && src.net.IsValid() {
			return fmt.Sprintf("%s route %s via %s", s.Device, src.net, before.to.addr)
		}
	}
	return ""
}

func (m *Map) byName(device string) *router {
	for _, r := range m.routers {
		if r != nil && r.d.Name == device {
			return r
		}
	}
	return nil
}

func over(there, back *way) string {
	way := func(w *way) string {
		if len(w.steps) == 0 {
			return "no device"
		}
		return strings.Join(names(w), ", ")
	}
	return way(there) + " and back over " + way(back)
}

func sorted(all []string) []string {
	slices.Sort(all)
	return all
}

func (c *Cell) trouble(t Trouble) {
	if !slices.ContainsFunc(c.troubles, func(x Trouble) bool { return x.same() == t.same() }) {
		c.troubles = append(c.troubles, t)
	}
}

// Areas is the VLANs of the table in its order, the outside, 0, last.
func (t *Table) Areas() (out []office.VID) {
	for _, x := range t.m.vlans {
		out = append(out, x.vid)
	}
	return append(out, 0)
}

// At is the answer for a pair, by places in [Table.Areas].
func (t *Table) At(from, to int) *Cell {
	i, k := t.live[from], t.live[to]
	if i < 0 || k < 0 {
		return &nothing
	}
	return &t.cells[i*t.size+k]
}

// Live says whether anything leads into an area, by its place in [Table.Areas]:
// a device has an address there, or it is the outside.
func (t *Table) Live(i int) bool { return t.live[i] >= 0 }

// nothing is between two of which one is not live.
var nothing = Cell{Verdict: No, Open: None}

// Troubled is one trouble and all pairs that have it.
type Troubled struct {
	Trouble
	Pairs [][2]office.VID
	Mends []string // what would mend each, without repeats
}

// Troubles is what goes wrong although rules let it pass, each with the pairs
// that it concerns, in a stable order.
func (t *Table) Troubles() (out []*Troubled) {
	by := map[Trouble]*Troubled{}
	areas := make([]office.VID, t.size)
	for i, k := range t.live {
		if k >= 0 {
			areas[k] = t.area(i).vid
		}
	}
	for i := range t.cells {
		for _, x := range t.cells[i].troubles {
			y := by[x.same()]
			if y == nil {
				y = &Troubled{Trouble: x}
				by[x.same()] = y
				out = append(out, y)
			}
			if x.Mend != "" && !slices.Contains(y.Mends, x.Mend) {
				y.Mends = append(y.Mends, x.Mend)
			}
			y.Pairs = append(y.Pairs, [2]office.VID{areas[i/len(areas)], areas[i%len(areas)]})
		}
	}
	slices.SortStableFunc(out, func(a, b *Troubled) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Device, b.Device), cmp.Compare(a.Rule, b.Rule), cmp.Compare(a.Over, b.Over), cmp.Compare(a.Text, b.Text))
	})
	return out
}

// Judged is a wish and whether it is so.
type Judged struct {
	Wish   *office.Wish
	Holds  bool
	From   office.VID // the first pair that is not as it should be
	To     office.VID
	Answer *Answer         // its way: of a service that should pass and does not, or that should not and does
	Covers [][2]office.VID // the pairs of VLANs that it is about, 0 for the outside
	Bad    [][2]office.VID // those of them that are not as they should be
}

// Wishes are what is wished, in the order of the office.
func (t *Table) Wishes() []Judged { return t.wishes }

func (t *Table) wish() {
	t.wishes = make([]Judged, len(t.Net.Office.Wishes))
	m := t.m.remember()
	at := make(map[*area]int, len(t.live))
	for i := range t.live {
		at[t.area(i)] = i
	}
	for i, w := range t.Net.Office.Wishes {
		t.wishes[i] = m.judgeWish(w, func(src, dst *area) Verdict { return t.At(at[src], at[dst]).Verdict })
	}
}

// Judge says whether a wish is so. What is within one subnet no rule can stop;
// it counts where both sides name that VLAN, or less.
func (m *Map) Judge(w *office.Wish) Judged {
	return m.judgeWish(w, func(*area, *area) Verdict { return Some })
}

// judgeWish is [Map.Judge], told what is known of all hosts of two areas already.
func (m *Map) judgeWish(w *office.Wish, known func(src, dst *area) Verdict) Judged {
	j := Judged{Wish: w, Holds: true}
	want := Of(m.Net.Office, w.Services)
	from, exactFrom := m.sides(w.From)
	to, exactTo := m.sides(w.To)
	tried := false
	covers, bad := map[[2]office.VID]bool{}, map[[2]office.VID]bool{}
	for _, src := range from {
		if src.own != nil && !src.area.empty && !exactFrom[src] {
			continue
		}
		for _, dst := range to {
			if src.Addr.Is4() != dst.Addr.Is4() || src.area == dst.area && (src.area == m.outside || !exactFrom[src] || !exactTo[dst]) {
				continue
			}
			tried = true
			pair := [2]office.VID{src.area.vid, dst.area.vid}
			if !covers[pair] {
				covers[pair] = true
				j.Covers = append(j.Covers, pair)
			}
			if bad[pair] {
				continue
			}
			if (src.own == nil || src.area.empty) && src.area != dst.area {
				if v := known(src.area, dst.area); w.Must && v == Yes || !w.Must && v == No {
					continue
				}
			}
			open := m.judge(src, dst).And(want)
			wrong := open
			if w.Must {
				wrong = want.Minus(open)
			}
			if wrong == None {
				continue
			}
			if j.Holds {
				j.Holds, j.From, j.To = false, pair[0], pair[1]
				p := wrong.first()
				j.Answer = &Answer{Open: open, Service: p.String(), From: src.Addr, To: dst.Addr, src: src, dst: dst}
				j.Answer.There, j.Answer.Back = m.tell(src, dst, p)
			}
			bad[pair] = true
			j.Bad = append(j.Bad, pair)
		}
	}
	if w.Must && !tried {
		j.Holds = false
		for _, s := range [][]*End{from, to} {
			if len(s) == 0 {
				j.Answer = &Answer{Open: None, There: Leg{Stop: &Stop{Reason: NoHost, Text: "nobody is there: no VLAN has such an address", rule: -1}}}
			}
		}
		if j.Answer == nil {
			j.Answer = &Answer{Open: None, There: Leg{Stop: &Stop{Reason: NoRoute, Text: "they have no kind of address in common", rule: -1}}}
		}
	}
	return j
}

// Why is a sentence on an answer: what lets it pass, or stops it.
func (a *Answer) Why() string {
	for i, leg := range []Leg{a.There, a.Back} {
		if leg.Stop == nil {
			continue
		}
		text := leg.Stop.Text
		if i == 1 {
			text = "the answer does not come back: " + text
		}
		if a.Verdict == Some && a.To.IsValid() {
			return fmt.Sprintf("%s from %s to %s: %s", a.Service, a.From, a.To, text)
		}
		return text
	}
	if len(a.There.Hops) == 0 && a.There.Own == "" {
		return "the same subnet: no rule applies"
	}
	var text []string
	for _, h := range a.There.Hops {
		text = append(text, h.Device+": "+h.Decides)
	}
	if a.There.Own != "" {
		text = append(text, a.There.Own)
	}
	return strings.Join(text, "; ")
}

// Span is a part of a VLAN.
type Span = span.Span

// Nowhere is a route whose next hop takes nothing.
type Nowhere struct {
	Device string
	Route  office.Route
	Why    string
}

// nowhere finds the routes whose next hop is in no connected subnet, on no device,
// on one that does not route, or out of the span.
func (m *Map) nowhere() (out []Nowhere) {
	for _, r := range m.routers {
		if r == nil {
			continue
		}
		for _, x := range r.d.Routes {
			if x.Line != "" {
				continue
			}
			e := entry{text: "route " + x.String()}
			switch {
			case !m.hop(r, r.connected(x.Via), x.Via, &e):
				out = append(out, Nowhere{r.d.Name, x, fmt.Sprintf("%s is in none of its subnets", x.Via)})
			case e.stop != nil:
				out = append(out, Nowhere{r.d.Name, x, e.why})
			}
		}
	}
	return out
}

// Answers is the services that let the answers to some services pass where no
// state is kept.
func Answers(o *office.Office, list []office.Service) []office.Service { return answers(Of(o, list)) }
