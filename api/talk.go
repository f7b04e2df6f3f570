package api

import (
	"cmp"
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"klammer/core/bridge"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/talk"
	"klammer/core/walk"
)

// Area is a VLAN, or the outside, in JSON: its VID, or "outside".
type Area office.VID

// MarshalJSON writes the VID, or "outside" for 0.
func (a Area) MarshalJSON() ([]byte, error) {
	if a == 0 {
		return []byte(`"outside"`), nil
	}
	return strconv.AppendInt(nil, int64(a), 10), nil
}

// TalkHop is a device that a packet passes.
type TalkHop struct {
	Device  string `json:"device" required:"true"`
	Address string `json:"address" required:"true" description:"at which it came in, as a trace shows; empty from outside"`
	In      any    `json:"in" required:"true" description:"the VID, or \"outside\""`
	Out     any    `json:"out" required:"true" description:"the VID, or \"outside\""`
	Decides string `json:"decides" required:"true" description:"the rule, in words of notation"`
	Rule    int    `json:"rule,omitempty" description:"its number in the device's list, from 1"`
}

// TalkStop is where and why a packet does not go on.
type TalkStop struct {
	Device string      `json:"device" required:"true"`
	Reason talk.Reason `json:"reason" required:"true"`
	Text   string      `json:"text" required:"true"`
	Rule   int         `json:"rule,omitempty"`
}

// TalkLeg is the way of a question, or of its answer.
type TalkLeg struct {
	Hops    []TalkHop `json:"hops" required:"true" nullable:"false"`
	Stopped *TalkStop `json:"stopped" required:"true" nullable:"true"`
}

// Slowest is the slowest cable of a way.
type Slowest struct {
	Mbps  int      `json:"mbps" required:"true"`
	Cable []string `json:"cable" required:"true" nullable:"false"`
}

// TalkAnswer is the answer to one question.
type TalkAnswer struct {
	From     string       `json:"from" required:"true"`
	To       string       `json:"to" required:"true"`
	FromVID  int          `json:"fromVid" required:"true" description:"in which VLAN that is, 0 outside"`
	ToVID    int          `json:"toVid" required:"true" description:"likewise"`
	Service  string       `json:"service" required:"true"`
	Verdict  talk.Verdict `json:"verdict" required:"true"`
	Services []string     `json:"services" required:"true" nullable:"false" description:"what of it is open, to some part"`
	Told     string       `json:"told" required:"true" description:"the one service whose way is told"`
	ToldFrom string       `json:"toldFrom,omitempty" description:"and from which address"`
	ToldTo   string       `json:"toldTo,omitempty" description:"and to which"`
	Why      string       `json:"why" required:"true"`
	There    TalkLeg      `json:"there" required:"true"`
	Back     TalkLeg      `json:"back" required:"true"`
	Slowest  *Slowest     `json:"slowest" required:"true" nullable:"true"`
}

// TalkOf asks whether somebody reaches somebody with services ("" for any). The
// error names what is not known, with the nearest.
func TalkOf(m *talk.Map, from, to, services string) (*TalkAnswer, error) {
	src, err := m.Who(from)
	if err != nil {
		return nil, err
	}
	dst, err := m.Who(to)
	if err != nil {
		return nil, err
	}
	list, err := notation.ReadServices(m.Net.Office, services)
	if err != nil {
		return nil, err
	}
	a := m.Ask(src, dst, talk.Of(m.Net.Office, list))
	return &TalkAnswer{From: from, To: to, FromVID: int(src.VID), ToVID: int(dst.VID), Service: office.Services(list), Verdict: a.Verdict, Services: a.Open.Words(), Told: a.Service, ToldFrom: addrText(a.From), ToldTo: addrText(a.To), Why: a.Why(),
		There: legOf(a.There), Back: legOf(a.Back), Slowest: slowestOf(m, src, dst, a)}, nil
}

func legOf(l talk.Leg) TalkLeg {
	j := TalkLeg{Hops: []TalkHop{}}
	for _, h := range l.Hops {
		j.Hops = append(j.Hops, TalkHop{h.Device, h.Address, Area(h.In), Area(h.Out), h.Decides, h.Rule + 1})
	}
	if s := l.Stop; s != nil {
		j.Stopped = &TalkStop{s.Device, s.Reason, s.Text, s.Rule() + 1}
	}
	return j
}

// slowestOf is the slowest cable between two ports, or on the way from a port to
// the last device that routes, where the rest is not known.
func slowestOf(m *talk.Map, src, dst *talk.Who, a *talk.Answer) *Slowest {
	if src.Port.Device == "" || a.There.Stop != nil {
		return nil
	}
	wire := bridge.Untagged
	if src.Tagged {
		wire = bridge.Wire(src.VID)
	}
	var j *walk.Journey
	var err error
	switch hops := a.There.Hops; {
	case dst.Port.Device != "":
		j, err = walk.To(m.Net, src.Port, wire, dst.Port)
	case len(hops) > 0:
		j, err = walk.ToDevice(m.Net, src.Port, wire, hops[len(hops)-1].Device)
	}
	if err != nil || j == nil || !j.Arrives {
		return nil
	}
	speed, x, y := j.Narrowest()
	if speed == 0 {
		return nil
	}
	return &Slowest{int(speed), []string{x.String(), y.String()}}
}

// TalkPair is a cell of the table.
type TalkPair struct {
	From     any          `json:"from" required:"true" description:"the VID, or \"outside\""`
	To       any          `json:"to" required:"true" description:"the VID, or \"outside\""`
	Verdict  talk.Verdict `json:"verdict" required:"true"`
	Services []string     `json:"services" required:"true" nullable:"false" description:"what is open, to some part"`
	Why      string       `json:"why" required:"true"`
	Parts    []TalkPart   `json:"parts,omitempty" description:"of a pair that is open in part: which part"`
}

// TalkPart is what is open to some addresses of a pair.
type TalkPart struct {
	From     string   `json:"from,omitempty" description:"the addresses that may; not said where all of the VLAN may"`
	To       string   `json:"to" required:"true" description:"an address or a subnet, whose other addresses are said on their own where they differ; outside for all there"`
	Services []string `json:"services" required:"true" nullable:"false"`
}

func partsOf(t *talk.Table, from, to office.VID) (out []TalkPart) {
	for _, s := range t.Shares(from, to) {
		src, dst := s.Sides()
		out = append(out, TalkPart{src, cmp.Or(dst, "outside"), s.Open.Words()})
	}
	return out
}

// TalkPairs is the whole table.
func TalkPairs(t *talk.Table) []TalkPair {
	out := []TalkPair{}
	why := t.Reasons()
	for _, p := range t.Pairs() {
		x := TalkPair{From: Area(p.From), To: Area(p.To), Verdict: p.Verdict, Services: p.Open.Words(), Why: why(p.From, p.To)}
		if p.Verdict == talk.Some {
			x.Parts = partsOf(t, p.From, p.To)
		}
		out = append(out, x)
	}
	return out
}

func servicesOf(o *office.Office) (out []ServiceView) {
	out = []ServiceView{}
	for _, s := range o.Services {
		out = append(out, ServiceView{s.Name, office.Services(s.Is)})
	}
	return out
}

func wishesOf(t *talk.Table) (out []WishView) {
	out = []WishView{}
	for _, j := range t.Wishes() {
		out = append(out, WishView{j.Wish.String(), j.Wish.Must, j.Holds})
	}
	return out
}

func addrText(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

// policy draws what a device has for routing.
func (v *DeviceView) policy(d *office.Device) {
	for _, r := range d.Routes {
		v.Routes = append(v.Routes, r.String())
	}
	for _, l := range d.Outsides {
		x := OutsideView{Name: l.Name, On: l.On, VID: int(l.VID), Via: addrText(l.Via)}
		if l.Prefix.IsValid() {
			x.Address = l.Prefix.String()
		}
		v.Outsides = append(v.Outsides, x)
	}
	for i := range d.Rules {
		r := &d.Rules[i]
		v.Rules = append(v.Rules, RuleView{r.String(), r.Do, office.Sides(r.From), office.Sides(r.To), office.Services(r.Services), r.Note})
	}
	v.Routing, v.RoutingOff, v.State, v.Between, v.Within = d.Routing() && len(d.Addresses) > 0, d.NoRouting, d.State, d.Between, d.Within
	v.KeepsState = d.KeepsState()
	if v.Routing {
		v.Otherwise = fmt.Sprintf("between zones %s, within zones %s", d.BetweenZones(), d.WithinZones())
	}
}

// TalkView is the table as a page draws it.
type TalkView struct {
	Areas  []int          `json:"areas" required:"true" nullable:"false" description:"rows and columns: VIDs, and 0, the outside, last"`
	Cells  []string       `json:"cells" required:"true" nullable:"false" description:"a row each, a letter a cell: y for yes, n for no, p for part"`
	Some   []TalkSome     `json:"some" required:"true" nullable:"false" description:"what is open in cells that are part"`
	Wishes []TalkWishView `json:"wishes" required:"true" nullable:"false"`

	Routers []TalkRouter `json:"routers" required:"true" nullable:"false" description:"the devices that route, and who looked at what they let pass; empty for a former revision"`
}

// Known is how it is known what a device lets pass.
type Known string

const (
	KnownRead    Known = "read"    // by the device itself
	KnownTyped   Known = "typed"   // somebody looked it up
	KnownOrder   Known = "order"   // an order set it
	KnownPlanned Known = "planned" // nobody has looked
)

// Enum is all of them, for descriptions of what holds one.
func (Known) Enum() []any { return []any{KnownRead, KnownTyped, KnownOrder, KnownPlanned} }

// TalkRouter is a device that routes, and how what it lets pass is known.
type TalkRouter struct {
	Device  string   `json:"device" required:"true"`
	Known   Known    `json:"known" required:"true"`
	Text    string   `json:"text" required:"true" description:"in words: as planned; nobody has looked"`
	At      string   `json:"at,omitempty" format:"date-time"`
	Differs []string `json:"differs" required:"true" nullable:"false" description:"what was found otherwise than planned"`
	Unsaid  []string `json:"unsaid" required:"true" nullable:"false" description:"what was found and cannot be said"`
}

// TalkRouters is the devices that route, in their order, with what was found of them.
func TalkRouters(o *office.Office, kept map[string]found.Kept) []TalkRouter {
	out := []TalkRouter{}
	for _, d := range o.Devices {
		if !d.Routing() {
			continue
		}
		x := TalkRouter{Device: d.Name, Known: KnownPlanned, Text: "as planned; nobody has looked", Differs: []string{}, Unsaid: []string{}}
		if r := kept[d.Name].Routing; r != nil {
			x.At = r.At
			x.Differs, x.Unsaid = append(x.Differs, r.Differs(o, d)...), append(x.Unsaid, r.Unsaid...)
			as := "as planned"
			if len(x.Differs) > 0 {
				as = "otherwise than planned"
			}
			switch {
			case !r.Told(found.PartRules):
				x.Text = r.How + ", but for its rules: they are as planned; nobody has looked"
			case strings.HasPrefix(r.How, "read by "):
				x.Known, x.Text = KnownRead, as+", "+r.How
			case strings.Contains(r.How, "order"):
				x.Known, x.Text = KnownOrder, as+", "+r.How
			default:
				x.Known, x.Text = KnownTyped, as+", "+r.How
			}
		}
		out = append(out, x)
	}
	return out
}

// mostAreas is how many VLANs are all drawn, also those that no device has an
// address in.
const mostAreas = 200

// TalkSome is a cell that is open in part.
type TalkSome struct {
	From     int      `json:"from" required:"true"`
	To       int      `json:"to" required:"true"`
	Services []string `json:"services" required:"true" nullable:"false"`
	Text     string   `json:"text" required:"true" description:"which part, in words; not said in tables with very many such cells"`
}

// mostTexts is how many cells that are open in part say which part.
const mostTexts = 1000

// TalkWishView is a wish and the cells that it is about.
type TalkWishView struct {
	WishView
	Covers [][]int `json:"covers" required:"true" nullable:"false" description:"cells, from and to"`
	Bad    [][]int `json:"bad" required:"true" nullable:"false" description:"those that are not as they should be"`
	Why    string  `json:"why,omitempty"`
}

// TalkViewOf draws the table.
func TalkViewOf(t *talk.Table) *TalkView {
	v := &TalkView{Areas: []int{}, Cells: []string{}, Some: []TalkSome{}, Wishes: []TalkWishView{}, Routers: []TalkRouter{}}
	areas := t.Areas()
	var shown []int // of thousands of VLANs, those that something leads into
	for i, a := range areas {
		if len(areas) <= mostAreas || t.Live(i) {
			shown, v.Areas = append(shown, i), append(v.Areas, int(a))
		}
	}
	for _, i := range shown {
		from := areas[i]
		row := make([]byte, len(v.Areas))
		for k, j := range shown {
			to, c := areas[j], t.At(i, j)
			row[k] = string(c.Verdict)[0]
			if c.Verdict == talk.Some {
				x := TalkSome{From: int(from), To: int(to), Services: c.Open.Words()}
				if len(v.Some) < mostTexts {
					x.Text = strings.Join(t.ShareTexts(from, to), "; ")
				}
				v.Some = append(v.Some, x)
			}
		}
		v.Cells = append(v.Cells, string(row))
	}
	cells := func(pairs [][2]office.VID) [][]int {
		out := [][]int{}
		for _, p := range pairs {
			out = append(out, []int{int(p[0]), int(p[1])})
		}
		return out
	}
	for i, w := range wishesOf(t) {
		j := &t.Wishes()[i]
		x := TalkWishView{WishView: w, Covers: cells(j.Covers), Bad: cells(j.Bad)}
		if j.Answer != nil {
			x.Why = j.Answer.Why()
		}
		v.Wishes = append(v.Wishes, x)
	}
	return v
}

// TalkShift is what one gains and loses to another.
type TalkShift struct {
	From  int      `json:"from" required:"true" description:"the VID, 0 for the outside"`
	To    int      `json:"to" required:"true" description:"likewise"`
	Gains []string `json:"gains" required:"true" nullable:"false"`
	Loses []string `json:"loses" required:"true" nullable:"false"`
	Text  string   `json:"text" required:"true"`
}

// mostShifts is how many of them are told.
const mostShifts = 400

// TalkShifts is what becomes otherwise between two tables, and how many more there
// are.
func TalkShifts(was, is *talk.Table) (out []TalkShift, more int) {
	out = []TalkShift{}
	all := was.Shifts(is)
	for _, s := range all[:min(len(all), mostShifts)] {
		out = append(out, TalkShift{int(s.From), int(s.To), s.Gains.Words(), s.Loses.Words(), strings.Join(was.Text(is, s), "; ")})
	}
	return out, len(all) - len(out)
}
