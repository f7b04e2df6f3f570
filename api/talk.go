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
func TalkOf(talks *talk.Map, from, to, services string) (*TalkAnswer, error) {
	src, err := talks.Who(from)
	if err != nil {
		return nil, err
	}
	dst, err := talks.Who(to)
	if err != nil {
		return nil, err
	}
	list, err := notation.ReadServices(talks.Net.Office, services)
	if err != nil {
		return nil, err
	}
	answer := talks.Ask(src, dst, talk.Of(talks.Net.Office, list))
	return &TalkAnswer{From: from, To: to, FromVID: int(src.VID), ToVID: int(dst.VID), Service: office.Services(list), Verdict: answer.Verdict, Services: answer.Open.Words(), Told: answer.Service, ToldFrom: addrText(answer.From), ToldTo: addrText(answer.To), Why: answer.Why(),
		There: legOf(answer.There), Back: legOf(answer.Back), Slowest: slowestOf(talks, src, dst, answer)}, nil
}

func legOf(leg talk.Leg) TalkLeg {
	one := TalkLeg{Hops: []TalkHop{}}
	for _, hop := range leg.Hops {
		one.Hops = append(one.Hops, TalkHop{hop.Device, hop.Address, Area(hop.In), Area(hop.Out), hop.Decides, hop.Rule + 1})
	}
	if stop := leg.Stop; stop != nil {
		one.Stopped = &TalkStop{stop.Device, stop.Reason, stop.Text, stop.Rule() + 1}
	}
	return one
}

// slowestOf is the slowest cable between two ports, or on the way from a port to
// the last device that routes, where the rest is not known.
func slowestOf(talks *talk.Map, src, dst *talk.Who, answer *talk.Answer) *Slowest {
	if src.Port.Device == "" || answer.There.Stop != nil {
		return nil
	}
	wire := bridge.Untagged
	if src.Tagged {
		wire = bridge.Wire(src.VID)
	}
	var journey *walk.Journey
	var err error
	switch hops := answer.There.Hops; {
	case dst.Port.Device != "":
		journey, err = walk.To(talks.Net, src.Port, wire, dst.Port)
	case len(hops) > 0:
		journey, err = walk.ToDevice(talks.Net, src.Port, wire, hops[len(hops)-1].Device)
	}
	if err != nil || journey == nil || !journey.Arrives {
		return nil
	}
	speed, ref, other := journey.Narrowest()
	if speed == 0 {
		return nil
	}
	return &Slowest{int(speed), []string{ref.String(), other.String()}}
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

func partsOf(table *talk.Table, from, to office.VID) (out []TalkPart) {
	for _, share := range table.Shares(from, to) {
		src, dst := share.Sides()
		out = append(out, TalkPart{src, cmp.Or(dst, "outside"), share.Open.Words()})
	}
	return out
}

// TalkPairs is the whole table.
func TalkPairs(table *talk.Table) []TalkPair {
	out := []TalkPair{}
	why := table.Reasons()
	for _, pair := range table.Pairs() {
		one := TalkPair{From: Area(pair.From), To: Area(pair.To), Verdict: pair.Verdict, Services: pair.Open.Words(), Why: why(pair.From, pair.To)}
		if pair.Verdict == talk.Some {
			one.Parts = partsOf(table, pair.From, pair.To)
		}
		out = append(out, one)
	}
	return out
}

func servicesOf(o *office.Office) (out []ServiceView) {
	out = []ServiceView{}
	for _, named := range o.Services {
		out = append(out, ServiceView{named.Name, office.Services(named.Is)})
	}
	return out
}

func wishesOf(table *talk.Table) (out []WishView) {
	out = []WishView{}
	for _, judged := range table.Wishes() {
		out = append(out, WishView{judged.Wish.String(), judged.Wish.Must, judged.Holds})
	}
	return out
}

func addrText(one netip.Addr) string {
	if !one.IsValid() {
		return ""
	}
	return one.String()
}

// policy draws what a device has for routing.
func (v *DeviceView) policy(device *office.Device) {
	for _, route := range device.Routes {
		v.Routes = append(v.Routes, route.String())
	}
	for _, line := range device.Outsides {
		view := OutsideView{Name: line.Name, On: line.On, VID: int(line.VID), Via: addrText(line.Via)}
		if line.Prefix.IsValid() {
			view.Address = line.Prefix.String()
		}
		v.Outsides = append(v.Outsides, view)
	}
	for i := range device.Rules {
		rule := &device.Rules[i]
		v.Rules = append(v.Rules, RuleView{rule.String(), rule.Do, office.Sides(rule.From), office.Sides(rule.To), office.Services(rule.Services), rule.Note})
	}
	v.Routing, v.RoutingOff, v.State, v.Between, v.Within = device.Routing() && len(device.Addresses) > 0, device.NoRouting, device.State, device.Between, device.Within
	v.KeepsState = device.KeepsState()
	if v.Routing {
		v.Otherwise = fmt.Sprintf("between zones %s, within zones %s", device.BetweenZones(), device.WithinZones())
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
	for _, device := range o.Devices {
		if !device.Routing() {
			continue
		}
		router := TalkRouter{Device: device.Name, Known: KnownPlanned, Text: "as planned; nobody has looked", Differs: []string{}, Unsaid: []string{}}
		if routing := kept[device.Name].Routing; routing != nil {
			router.At = routing.At
			router.Differs, router.Unsaid = append(router.Differs, routing.Differs(o, device)...), append(router.Unsaid, routing.Unsaid...)
			as := "as planned"
			if len(router.Differs) > 0 {
				as = "otherwise than planned"
			}
			switch {
			case !routing.Told(found.PartRules):
				router.Text = routing.How + ", but for its rules: they are as planned; nobody has looked"
			case strings.HasPrefix(routing.How, "read by "):
				router.Known, router.Text = KnownRead, as+", "+routing.How
			case strings.Contains(routing.How, "order"):
				router.Known, router.Text = KnownOrder, as+", "+routing.How
			default:
				router.Known, router.Text = KnownTyped, as+", "+routing.How
			}
		}
		out = append(out, router)
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
func TalkViewOf(table *talk.Table) *TalkView {
	view := &TalkView{Areas: []int{}, Cells: []string{}, Some: []TalkSome{}, Wishes: []TalkWishView{}, Routers: []TalkRouter{}}
	areas := table.Areas()
	var shown []int // of thousands of VLANs, those that something leads into
	for i, vid := range areas {
		if len(areas) <= mostAreas || table.Live(i) {
			shown, view.Areas = append(shown, i), append(view.Areas, int(vid))
		}
	}
	for _, i := range shown {
		from := areas[i]
		row := make([]byte, len(view.Areas))
		for k, j := range shown {
			to, cell := areas[j], table.At(i, j)
			row[k] = string(cell.Verdict)[0]
			if cell.Verdict == talk.Some {
				some := TalkSome{From: int(from), To: int(to), Services: cell.Open.Words()}
				if len(view.Some) < mostTexts {
					some.Text = strings.Join(table.ShareTexts(from, to), "; ")
				}
				view.Some = append(view.Some, some)
			}
		}
		view.Cells = append(view.Cells, string(row))
	}
	cells := func(pairs [][2]office.VID) [][]int {
		out := [][]int{}
		for _, p := range pairs {
			out = append(out, []int{int(p[0]), int(p[1])})
		}
		return out
	}
	for i, one := range wishesOf(table) {
		judged := &table.Wishes()[i]
		x := TalkWishView{WishView: one, Covers: cells(judged.Covers), Bad: cells(judged.Bad)}
		if judged.Answer != nil {
			x.Why = judged.Answer.Why()
		}
		view.Wishes = append(view.Wishes, x)
	}
	return view
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
	for _, shift := range all[:min(len(all), mostShifts)] {
		out = append(out, TalkShift{int(shift.From), int(shift.To), shift.Gains.Words(), shift.Loses.Words(), strings.Join(was.Text(is, shift), "; ")})
	}
	return out, len(all) - len(out)
}
