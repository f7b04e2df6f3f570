package api

import (
	"strconv"

	"klammer/core/bridge"
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
	Service  string       `json:"service" required:"true"`
	Verdict  talk.Verdict `json:"verdict" required:"true"`
	Services []string     `json:"services" required:"true" nullable:"false" description:"what of it is open, to some part"`
	Told     string       `json:"told" required:"true" description:"the one service whose way is told"`
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
	return &TalkAnswer{From: from, To: to, Service: office.Services(list), Verdict: a.Verdict, Services: a.Open.Words(), Told: a.Service, Why: a.Why(),
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
}

// TalkPairs is the whole table.
func TalkPairs(t *talk.Table) []TalkPair {
	out := []TalkPair{}
	why := t.Reasons()
	for _, p := range t.Pairs() {
		out = append(out, TalkPair{Area(p.From), Area(p.To), p.Verdict, p.Open.Words(), why(p.From, p.To)})
	}
	return out
}
