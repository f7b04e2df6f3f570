package api

import (
	"math"
	"net/netip"
	"slices"
	"time"

	"klammer/core/bridge"
	"klammer/core/found"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/core/span"
	"klammer/core/wording"
)

// Round is the fewest places to plug a laptop in that show any single mistake in a
// plan's carrying-out: what `klammer round --json` prints.
type Round struct {
	Tests   []PlugTest `json:"tests" required:"true" nullable:"false" description:"in walking order"`
	Unshown []string   `json:"unshown" required:"true" nullable:"false" description:"mistakes that no laptop sees anywhere"`
	Lengths []Length   `json:"lengths" required:"true" nullable:"false" description:"how long the round is, by what it is to show"`
}

// Length is one of the lengths of a round.
type Length struct {
	Name   string `json:"name" required:"true" enum:"quick,full,order" description:"quick: each VLAN on each device once, each rule once; full: any single mistake; order: what the last order touched"`
	Places int    `json:"places" required:"true" description:"ports at which one plugs in"`
	Tests  int    `json:"tests" required:"true"`
	Shows  int    `json:"shows" required:"true" description:"mistakes"`
}

// PlugTest is one place, what is seen there as planned, and what it would show.
type PlugTest struct {
	Port   string     `json:"port" required:"true"`
	Wire   *int       `json:"wire" required:"true" nullable:"true" description:"the VLAN ID that the laptop tags with; null for untagged"`
	Expect Expect     `json:"expect" required:"true"`
	Reach  []PlugSees `json:"reach" required:"true" nullable:"false"`
	Shows  []string   `json:"shows" required:"true" nullable:"false" description:"mistakes"`
	Socket string     `json:"socket,omitempty" description:"the wall socket that the port leads to"`
	Place  string     `json:"place,omitempty" description:"where its device stands"`
}

// Expect is what a laptop is given.
type Expect struct {
	VLAN   *office.VID `json:"vlan" required:"true" nullable:"true" description:"that its frames join; null for none: nothing answers"`
	From   *string     `json:"from" required:"true" nullable:"true" description:"the first address that it may be given; null where nobody hands any out"`
	To     *string     `json:"to" required:"true" nullable:"true" description:"the last"`
	Server *string     `json:"server" required:"true" nullable:"true" description:"who hands it out"`
}

// PlugSees is what answers a laptop, or does not.
type PlugSees struct {
	To      string `json:"to" required:"true" description:"an address, or a name, a zone or a VLAN of a wish"`
	Service string `json:"service" required:"true"`
	OK      bool   `json:"ok" required:"true"`
	Routed  bool   `json:"routed,omitempty" description:"a ping across devices that route is answered all the same: only who asks in the VLAN itself can tell"`
	Across  bool   `json:"across,omitempty" description:"it is tried across devices that route, where all else is as planned"`
}

// RoundOf tells a round: some of its tests.
func RoundOf(r *round.Round, tests []round.Test) *Round {
	out := &Round{Tests: []PlugTest{}, Unshown: []string{}, Lengths: LengthsOf(r)}
	for _, test := range tests {
		out.Tests = append(out.Tests, PlugTestOf(r, test))
	}
	for _, m := range r.Unshown {
		out.Unshown = append(out.Unshown, r.Mistakes[m].Text)
	}
	return out
}

// Planned is what was planned at a test, as it was told.
func (e *Expect) Planned(reach []PlugSees) round.Planned {
	planned := round.Planned{}
	if e.VLAN != nil {
		planned.VLAN = *e.VLAN
	}
	if e.Server != nil && e.From != nil && e.To != nil {
		planned.Server, planned.From, planned.To = *e.Server, parsed(*e.From), parsed(*e.To)
	}
	for _, sees := range reach {
		one := round.Reach{To: sees.To, Service: sees.Service, OK: sees.OK, Across: sees.Across}
		if sees.Across {
			one.What = service(sees.Service)
		}
		planned.Reach = append(planned.Reach, one)
	}
	return planned
}

// LengthsOf tells how long a round is.
func LengthsOf(r *round.Round) []Length {
	quick := r.Quick()
	return []Length{lengthOf(r, "quick", quick), lengthOf(r, "full", r.Tests)}
}

func lengthOf(r *round.Round, name string, tests []round.Test) Length {
	return Length{name, round.Places(tests), len(tests), r.Shown(tests)}
}

// OrderLengthOf is how long the round of an order is.
func OrderLengthOf(r *round.Round, tests []round.Test) Length { return lengthOf(r, "order", tests) }

// PlugTestOf tells a test of a round.
func PlugTestOf(r *round.Round, test round.Test) PlugTest {
	one := PlugTest{Port: test.Port.String(), Reach: []PlugSees{}, Shows: []string{}}
	one.Place, one.Socket = r.Facts(test)
	if test.Wire != bridge.Untagged {
		wire := int(test.Wire.VID())
		one.Wire = &wire
	}
	if test.VLAN != 0 {
		one.Expect.VLAN = &test.VLAN
	}
	if test.Server != "" {
		from, to := test.From.String(), test.To.String()
		one.Expect.From, one.Expect.To, one.Expect.Server = &from, &to, &test.Server
	}
	for _, s := range test.Reach {
		one.Reach = append(one.Reach, PlugSees{s.To, s.Service, s.OK, s.Routed, s.Across})
	}
	for _, m := range test.Shows {
		one.Shows = append(one.Shows, r.Mistakes[m].Text)
	}
	return one
}

// Probed is what a laptop saw, what explains it, and where to go next: what
// `klammer probe --json` prints.
type Probed struct {
	Tests    []ProbedTest `json:"tests" required:"true" nullable:"false"`
	Suspects []Suspect    `json:"suspects" required:"true" nullable:"false" description:"the likeliest first"`
	Next     *PlugTest    `json:"next" required:"true" nullable:"true" description:"the place that tells the suspects apart best"`
}

// ProbedTest is a place, and what was seen there.
type ProbedTest struct {
	Port   string        `json:"port" required:"true"`
	Wire   *int          `json:"wire" required:"true" nullable:"true" description:"the VLAN ID that was tagged with; null for untagged"`
	Expect Expect        `json:"expect" required:"true"`
	Passed bool          `json:"passed" required:"true"`
	Seen   []string      `json:"seen" required:"true" nullable:"false" description:"who answered, where it was not as planned"`
	Given  []round.Given `json:"given" required:"true" nullable:"false" description:"addresses that were offered"`
	Wrong  []string      `json:"wrong" required:"true" nullable:"false" description:"what was otherwise than planned, in sentences"`
}

// Suspect is what would explain all that was seen.
type Suspect struct {
	Ways []SuspectWay `json:"ways" required:"true" nullable:"false" description:"that no laptop tells apart"`
	Or   []string     `json:"or,omitempty" description:"mistakes that look like one of a few at once, wherever one plugs in"`
	Near bool         `json:"near,omitempty" description:"it does not give all that was seen: something else is otherwise, too"`
}

// SuspectWay is one mistake, or a few at once.
type SuspectWay struct {
	Mistakes []string   `json:"mistakes" required:"true" nullable:"false"`
	Mend     []string   `json:"mend" required:"true" nullable:"false" description:"statements that set it as planned"`
	Devices  []string   `json:"devices" required:"true" nullable:"false" description:"that are set otherwise then"`
	Steps    []MendStep `json:"steps" required:"true" nullable:"false" description:"the same as each device's own pages have it"`
}

// MendStep is one thing to enter on a device.
type MendStep struct {
	Device string `json:"device" required:"true"`
	SheetStep
}

// ProbedOf tells what was seen.
func ProbedOf(plan *office.Office, r *round.Round, seen []round.Played) *Probed {
	out := &Probed{Tests: []ProbedTest{}}
	var results []round.Seen
	for _, played := range seen {
		results = append(results, played.Seen)
		out.Tests = append(out.Tests, ProbedTestOf(r, played))
	}
	out.Suspects, _, out.Next = SuspectsOf(plan, r, results, math.MaxInt)
	return out
}

// ProbedTestOf tells what was seen at a test.
func ProbedTestOf(r *round.Round, played round.Played) ProbedTest {
	test := PlugTestOf(r, played.Test)
	return ProbedTest{test.Port, test.Wire, test.Expect, played.Passed, filled(played.Instead), filled(played.Gives), filled(played.Wrong)}
}

// SuspectsOf tells what explains results, the first of it, how many more there are, and
// where to go next.
func SuspectsOf(plan *office.Office, r *round.Round, results []round.Seen, most int) (out []Suspect, more int, next *PlugTest) {
	out = []Suspect{}
	suspects := r.Suspects(results)
	one := mender{span.Compile(plan), r, map[int]*SuspectWay{}, map[int][]MendStep{}}
	for k, suspect := range suspects {
		if k == most {
			more = len(suspects) - most
			break
		}
		x := Suspect{Near: suspect.Near}
		for _, k := range suspect.Or {
			x.Or = append(x.Or, r.Mistakes[k].Text)
		}
		for _, way := range suspect.Mistakes {
			x.Ways = append(x.Ways, one.way(way))
		}
		out = append(out, x)
	}
	if len(suspects) > 1 {
		if test, ok := r.Next(results, suspects); ok {
			x := PlugTestOf(r, test)
			next = &x
		}
	}
	return out, more, next
}

// mender says how mistakes are put right.
type mender struct {
	plan  *span.Net
	round *round.Round
	done  map[int]*SuspectWay // by mistake
	saves map[int][]MendStep
}

// way is a few mistakes at once.
func (m *mender) way(all []int) SuspectWay {
	way := SuspectWay{[]string{}, []string{}, []string{}, []MendStep{}}
	for _, k := range all {
		other := m.one(k)
		way.Mistakes = append(way.Mistakes, other.Mistakes...)
		for _, d := range other.Devices {
			if !slices.Contains(way.Devices, d) {
				way.Devices = append(way.Devices, d)
			}
		}
		for _, line := range other.Mend {
			if !slices.Contains(way.Mend, line) {
				way.Mend = append(way.Mend, line)
			}
		}
		for _, step := range other.Steps {
			if !slices.Contains(way.Steps, step) {
				way.Steps = append(way.Steps, step)
			}
		}
	}
	for _, k := range all { // each device saves when all is entered
		for _, step := range m.saves[k] {
			if !slices.Contains(way.Steps, step) {
				way.Steps = append(way.Steps, step)
			}
		}
	}
	return way
}

// one is a mistake: the statements that set it as planned, and the steps.
func (m *mender) one(k int) *SuspectWay {
	if way := m.done[k]; way != nil {
		return way
	}
	at := &m.round.Mistakes[k]
	other := &SuspectWay{Mistakes: []string{at.Text}, Devices: []string{at.Device}}
	if made := at.Made(); made != nil {
		if edit, err := history.Diff(made, m.plan.Office); err == nil {
			other.Mend, _ = notation.Statements(made, edit)
		}
		i := slices.IndexFunc(made.Devices, func(device *office.Device) bool { return device.Name == at.Device })
		if i >= 0 && !at.Rules {
			_, steps, _ := found.Steps(m.plan, i, wording.Planned(m.plan.Update(made), i))
			for _, one := range steps {
				step := MendStep{at.Device, SheetStep{one.Where, one.Text}}
				if one.Op == wording.Save {
					m.saves[k] = append(m.saves[k], step)
				} else {
					other.Steps = append(other.Steps, step)
				}
			}
		}
	}
	m.done[k] = other
	return other
}

// filled is a list that is never null.
func filled[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// RoundView is a round with what became of its tests, and what explains it.
type RoundView struct {
	Revision int64       `json:"revision" required:"true" description:"of the plan that it is of"`
	Tests    []RoundTest `json:"tests" required:"true" nullable:"false" description:"in walking order; those that were made elsewhere last"`
	Unshown  []string    `json:"unshown" required:"true" nullable:"false"`
	Lengths  []Length    `json:"lengths" required:"true" nullable:"false" description:"quick, full, and that of the last order where there was one"`
	Suspects []Suspect   `json:"suspects" required:"true" nullable:"false" description:"the likeliest first, 20 at most"`
	Playing  []Suspect   `json:"playing" required:"true" nullable:"false" description:"the same of what was played on what devices were found set to"`
	More     int         `json:"more" required:"true" description:"suspects that are less likely"`
	Next     *PlugTest   `json:"next" required:"true" nullable:"true" description:"the place that tells the suspects apart best"`
	Known    bool        `json:"known" required:"true" description:"something was found of what devices are set to: a laptop can be played"`
}

// RoundWorking is how far a round is that is worked out just now.
type RoundWorking struct {
	Working int `json:"working" required:"true" description:"hundredths; 0 where none is worked out"`
}

// RoundTest is a test with what became of it.
type RoundTest struct {
	PlugTest
	Extra  bool        `json:"extra" required:"true" description:"it is not in the full round"`
	Quick  bool        `json:"quick" required:"true" description:"it is in the quick one"`
	Order  bool        `json:"order" required:"true" description:"it is in that of the last order"`
	Result *RoundEnded `json:"result,omitempty"`
	Played *RoundEnded `json:"played,omitempty" description:"what was played there, beside what somebody saw"`
}

// RoundEnded is what became of a test.
type RoundEnded struct {
	Passed   bool      `json:"passed" required:"true"`
	Given    string    `json:"given,omitempty" description:"the address that the laptop was given"`
	Wrong    []string  `json:"wrong" required:"true" nullable:"false" description:"what was otherwise than planned, in sentences"`
	Note     string    `json:"note,omitempty"`
	Played   bool      `json:"played" required:"true" description:"nobody was there: it was played on what devices were found set to"`
	Measured bool      `json:"measured" required:"true" description:"klammer probe looked from there"`
	Looked   bool      `json:"looked" required:"true" description:"klammer look, or the page that tells a browser where it is, looked from there"`
	Old      bool      `json:"old" required:"true" description:"something else is planned there since: it explains nothing"`
	Revision int64     `json:"revision" required:"true"`
	Author   string    `json:"author" required:"true"`
	At       time.Time `json:"at" required:"true"`
}

// RoundResult is what somebody saw at a test.
type RoundResult struct {
	Port   string `json:"port" required:"true" maxLength:"200"`
	Wire   int    `json:"wire,omitempty" minimum:"0" maximum:"4094" description:"the VLAN ID that was tagged with; 0 for untagged"`
	Became string `json:"became" required:"true" enum:"passed,failed,open" description:"open takes back what was said"`
	Given  string `json:"given,omitempty" maxLength:"60" description:"the address that the laptop was given"`
	Lease
	Parts    []string `json:"parts,omitempty" maxItems:"1000" description:"how each of reach ended: answered, silent, untold"`
	Note     string   `json:"note,omitempty" maxLength:"500"`
	Here     bool     `json:"here,omitempty" description:"the page that tells a browser where it is tried it"`
	Played   bool     `json:"played,omitempty" description:"with open: take back what was played"`
	Revision int64    `json:"revision" required:"true" description:"of the plan that was looked at"`
}

// Lease is what a laptop was given besides its address, as its system says it.
type Lease struct {
	Bits    int    `json:"bits,omitempty" minimum:"0" maximum:"128" description:"of the mask"`
	Gateway string `json:"gateway,omitempty" maxLength:"60"`
	Server  string `json:"server,omitempty" maxLength:"60" description:"who handed it out"`
}

// Round is the same with the address, as the core has it.
func (l *Lease) Round(given netip.Addr) round.Lease {
	return round.Lease{Addr: given, Bits: l.Bits, Gateway: parsed(l.Gateway), Server: parsed(l.Server)}
}

// RoundHere is where somebody is who asks with a browser, and what he can try there.
type RoundHere struct {
	Address  string      `json:"address" required:"true" description:"from which he asks"`
	Own      bool        `json:"own" required:"true" description:"it is the server's own machine"`
	VLAN     *office.VID `json:"vlan" required:"true" nullable:"true" description:"that hands the address out, or has it in its subnet; null for none of the office"`
	Revision int64       `json:"revision" required:"true"`
	Test     *PlugTest   `json:"test" required:"true" nullable:"true" description:"untagged at the port that he asked for; null where he asked for none"`
	Tests    []PlugTest  `json:"tests" required:"true" nullable:"false" description:"of the round, untagged, in that VLAN"`
	Ports    []string    `json:"ports" required:"true" nullable:"false" description:"where one can plug in"`
}

// RoundPlay asks for a laptop to be played on what devices were found set to.
type RoundPlay struct {
	Port string `json:"port,omitempty" maxLength:"200" description:"one port; the whole round without it"`
}
