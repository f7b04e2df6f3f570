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
	of     *Map   // of this office, or of one that is the same to it
	told   *Map   // for telling a way: it remembers nothing
	live   []int  // by area: its place among those that devices have addresses in, and the outside; -1 for others
	size   int    // how many of them there are
	cells  []Cell // of those, row by row
	wishes []Judged
	before *Map   // of the table that this one was updated from; nil where it was worked out from nothing
	anew   []bool // by cell: worked out anew then; all others are as they were

	Nowhere []Nowhere // routes whose next hop takes nothing
}

// Cell is the answer for a pair.
type Cell struct {
	Verdict  Verdict
	Open     *Services    // what some part of the one can use at some part of the other
	Over     [2]*Services // of that, what by IPv4 and what by IPv6; nil where nobody has it
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
func NewTable(net *span.Net) *Table {
	table := &Table{Net: net, of: New(net)}
	table.index()
	table.cells = make([]Cell, table.size*table.size)
	table.fill(nil)
	return table
}

// index gives the areas their places among the cells: an office may have thousands
// of VLANs that no device has an address in, between which nothing is to be said.
func (t *Table) index() {
	t.live, t.size = make([]int, len(t.of.vlans)+1), 0
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
	if i < len(t.of.vlans) {
		return t.of.vlans[i]
	}
	return t.of.outside
}

// fill works out cells, all or those marked, and the wishes.
func (t *Table) fill(marked []bool) {
	by := t.byArea()
	size := t.size
	rows := func(from, step int) {
		own := Table{Net: t.Net, of: t.of.remember(), told: t.of} // what is remembered is not shared
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
	t.Nowhere = t.of.nowhere()
}

// Kept says whether another table's answers are these, unchanged.
func (t *Table) Kept(from *Table) bool { return from != nil && t.of == from.of }

// Map is the map of the table's office.
func (t *Table) Map() *Map {
	if t.of.Net == t.Net {
		return t.of
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
	for _, end := range t.of.ends {
		if i, ok := at[end.area]; ok {
			by[i] = append(by[i], end)
		}
	}
	return by
}

// cell is the answer for the ends of two areas.
func (t *Table) cell(from, to []*End) Cell {
	cell := Cell{Verdict: No, Open: None}
	if len(from) == 0 || len(to) == 0 || from[0].area == to[0].area {
		return cell
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
			open := t.pair(src, dst, &cell)
			cell.Open, all = cell.Open.Or(open), all && open == All
			family := 0
			if src.Addr.Is6() {
				family = 1
			}
			if cell.Over[family] == nil {
				cell.Over[family] = None
			}
			cell.Over[family] = cell.Over[family].Or(open)
		}
	}
	switch {
	case !tried || cell.Open == None:
	case all:
		cell.Verdict = Yes
	default:
		cell.Verdict = Some
	}
	return cell
}

// pair judges two ends, and notes what is wrong between them.
func (t *Table) pair(src, dst *End, cell *Cell) *Services {
	talks := t.of
	if src.area.empty || dst.area.empty { // what goes wrong there concerns nobody
		return talks.judge(src, dst)
	}
	there := talks.way(src, dst)
	if stop := there.stop; stop != nil && stop.Reason == Loop {
		ring := names(there)
		ring = sorted(ring[slices.Index(ring, stop.Device):])
		cell.trouble(Trouble{Kind: RoutesInRing, Device: ring[0], Over: strings.Join(ring, ", "), Rule: -1})
	}
	asked := talks.asked(there, src, dst)
	if asked == None {
		return None
	}
	if there.flat {
		return talks.judge(src, dst)
	}
	back := talks.back(there, src, dst)
	open := talks.answered(asked, there, back, src, dst)
	if missing := asked.Minus(open); missing != None {
		t.missed(src, dst, waysOf{there, back}, missing, cell)
	} else if !sameWay(there, back) {
		cell.trouble(Trouble{Kind: BackDiffers, Rule: -1, Over: over(there, back)})
	}
	if src.area == talks.outside && open != None && !dst.single() && len(there.steps) > 0 {
		step := there.steps[0]
		if _, i, _ := step.router.decides(step.in, step.out, src.Part, dst.Part, open.first()); i >= 0 {
			cell.trouble(Trouble{Kind: FromOutside, Device: step.router.device.Name, Rule: i})
		}
	}
	return open
}

// waysOf is the way of a question and the way of its answer.
type waysOf struct{ there, back *way }

// missed says why an answer does not come back.
func (t *Table) missed(src, dst *End, ways waysOf, missing *Services, cell *Cell) {
	there, back := ways.there, ways.back
	probe := missing.first()
	leg, other := t.told.tell(src, dst, probe)
	switch stop := other.Stop; {
	case stop == nil && leg.Stop != nil: // tcp, which misses the answer
		cell.trouble(Trouble{Kind: BackDiffers, Rule: -1, Device: leg.Stop.Device, Over: over(there, back), Text: leg.Stop.Text})
	case stop == nil:
	case stop.Reason == ByRule && there.over(t.of.byName(stop.Device)):
		router := t.of.byName(stop.Device)
		for _, step := range there.steps {
			if step.router == router {
				if _, i, _ := router.decides(step.in, step.out, src.Part, dst.Part, probe); i >= 0 {
					cell.trouble(Trouble{Kind: OneWayRule, Device: router.device.Name, Rule: i, Text: stop.Text})
				}
			}
		}
	case stop.Reason == ByRule:
		cell.trouble(Trouble{Kind: BackStops, Device: stop.Device, Text: stop.Text, Reason: stop.Reason, Rule: stop.rule, Over: over(there, back)})
	default:
		cell.trouble(Trouble{Kind: BackStops, Device: stop.Device, Text: stop.Text, Reason: stop.Reason, Rule: -1, Over: over(there, back), Mend: mend(there, src, dst, stop)})
	}
}

// mend is lines that may let an answer come back: the device that the question came
// by as the gateway of who is asked, or a route on the device that knows no way.
func mend(there *way, src, dst *End, stop *Stop) string {
	if len(there.steps) == 0 {
		return ""
	}
	last := there.steps[len(there.steps)-1]
	if gate := dst.gateway(); dst.own == nil && dst.area.vid != 0 && gate != nil && last.to != nil && gate.router != last.router && last.to.address.VID == dst.area.vid {
		marked := *last.to.address
		marked.Gateway = true
		line := last.router.device.Name + " " + notation.AddressText(marked)
		if gate.address.Gateway {
			plain := *gate.address
			plain.Gateway = false
			line += "\n" + gate.router.device.Name + " " + notation.AddressText(plain)
		}
		return line
	}
	for i := 1; i < len(there.steps) && stop.Reason == NoRoute; i++ {
		if before := there.steps[i-1]; there.steps[i].router.device.Name == stop.Device && before.to != nil && src.net.IsValid() {
			return fmt.Sprintf("%s route %s via %s", stop.Device, src.net, before.to.addr)
		}
	}
	return ""
}

// byName finds the router of a device, nil where it routes nothing.
func (m *Map) byName(device string) *router {
	for _, router := range m.routers {
		if router != nil && router.device.Name == device {
			return router
		}
	}
	return nil
}

// over tells the routers of a way and of the way back where the two differ (asymmetric routing): a
// firewall on only one of them never sees the answer.
func over(there, back *way) string {
	way := func(one *way) string {
		if len(one.steps) == 0 {
			return "no device"
		}
		return strings.Join(names(one), ", ")
	}
	return way(there) + " and back over " + way(back)
}

func sorted(all []string) []string {
	slices.Sort(all)
	return all
}

func (c *Cell) trouble(trouble Trouble) {
	if !slices.ContainsFunc(c.troubles, func(other Trouble) bool { return other.same() == trouble.same() }) {
		c.troubles = append(c.troubles, trouble)
	}
}

// Areas is the VLANs of the table in its order, the outside, 0, last.
func (t *Table) Areas() (out []office.VID) {
	for _, area := range t.of.vlans {
		out = append(out, area.vid)
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
		for _, trouble := range t.cells[i].troubles {
			troubled := by[trouble.same()]
			if troubled == nil {
				troubled = &Troubled{Trouble: trouble}
				by[trouble.same()] = troubled
				out = append(out, troubled)
			}
			if trouble.Mend != "" && !slices.Contains(troubled.Mends, trouble.Mend) {
				troubled.Mends = append(troubled.Mends, trouble.Mend)
			}
			troubled.Pairs = append(troubled.Pairs, [2]office.VID{areas[i/len(areas)], areas[i%len(areas)]})
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

// wish judges every wish of the office against the table's own verdicts, so that the matrix and the
// wishes cannot say two things.
func (t *Table) wish() {
	t.wishes = make([]Judged, len(t.Net.Office.Wishes))
	talks := t.of.remember()
	at := make(map[*area]int, len(t.live))
	for i := range t.live {
		at[t.area(i)] = i
	}
	for i, wish := range t.Net.Office.Wishes {
		t.wishes[i] = talks.judgeWish(wish, func(src, dst *area) Verdict { return t.At(at[src], at[dst]).Verdict })
	}
}

// Judge says whether a wish is so. What is within one subnet no rule can stop;
// it counts where both sides name that VLAN, or less.
func (m *Map) Judge(wish *office.Wish) Judged {
	return m.judgeWish(wish, func(*area, *area) Verdict { return Some })
}

// judgeWish is [Map.Judge], told what is known of all hosts of two areas already.
//
// Many branches: a pair is left as early as it can no longer break the wish.
func (m *Map) judgeWish(wish *office.Wish, known func(src, dst *area) Verdict) Judged {
	judged := Judged{Wish: wish, Holds: true}
	want := Of(m.Net.Office, wish.Services)
	from, exactFrom := m.sides(wish.From)
	to, exactTo := m.sides(wish.To)
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
				judged.Covers = append(judged.Covers, pair)
			}
			if bad[pair] {
				continue
			}
			if (src.own == nil || src.area.empty) && src.area != dst.area {
				if verdict := known(src.area, dst.area); wish.Must && verdict == Yes || !wish.Must && verdict == No {
					continue
				}
			}
			open := m.judge(src, dst).And(want)
			wrong := open
			if wish.Must {
				wrong = want.Minus(open)
			}
			if wrong == None {
				continue
			}
			if judged.Holds {
				judged.Holds, judged.From, judged.To = false, pair[0], pair[1]
				probe := wrong.first()
				judged.Answer = &Answer{Open: open, Service: probe.String(), From: src.Addr, To: dst.Addr, src: src, dst: dst}
				judged.Answer.There, judged.Answer.Back = m.tell(src, dst, probe)
			}
			bad[pair] = true
			judged.Bad = append(judged.Bad, pair)
		}
	}
	if wish.Must && !tried {
		why := &Stop{Reason: NoRoute, Text: "they have no kind of address in common", rule: -1}
		if len(from) == 0 || len(to) == 0 {
			why = &Stop{Reason: NoHost, Text: "nobody is there: no VLAN has such an address", rule: -1}
		}
		judged.Holds, judged.Answer = false, &Answer{Open: None, There: Leg{Stop: why}}
	}
	return judged
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
	for _, hop := range a.There.Hops {
		text = append(text, hop.Device+": "+hop.Decides)
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
	for _, router := range m.routers {
		if router == nil {
			continue
		}
		for _, route := range router.device.Routes {
			if route.Line != "" {
				continue
			}
			one := entry{text: "route " + route.String()}
			switch {
			case !m.hop(router, router.connected(route.Via), route.Via, &one):
				out = append(out, Nowhere{router.device.Name, route, fmt.Sprintf("%s is in none of its subnets", route.Via)})
			case one.stop != nil:
				out = append(out, Nowhere{router.device.Name, route, one.why})
			}
		}
	}
	return out
}

// Answers is the services that let the answers to some services pass where no
// state is kept.
func Answers(o *office.Office, list []office.Service) []office.Service { return answers(Of(o, list)) }
