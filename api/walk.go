package api

import (
	"klammer/core/walk"
)

// Arrival is a port without a cable where a frame comes out.
type Arrival struct {
	Port string `json:"port" required:"true"`
	Wire Wire   `json:"wire" required:"true" nullable:"true"`
}

// Drop is a port that drops a frame on arrival.
type Drop struct {
	Port   string `json:"port" required:"true"`
	Reason string `json:"reason" required:"true"`
	Wire   Wire   `json:"wire" required:"true" nullable:"true"`
}

// Exit is a port by which a frame leaves a device.
type Exit struct {
	Port string   `json:"port" required:"true"`
	Wire Wire     `json:"wire" required:"true" nullable:"true"`
	To   []string `json:"to" required:"true" nullable:"false"`
}

// Hop is one device that a frame gets into.
type Hop struct {
	Device string `json:"device" required:"true"`
	In     string `json:"in" required:"true"`
	Wire   Wire   `json:"wire" required:"true" nullable:"true"`
	VLAN   int    `json:"vlan,omitempty"`
	Out    []Exit `json:"out" required:"true" nullable:"false"`
	Text   string `json:"text" required:"true"`
}

// Walk is all that becomes of one frame.
type Walk struct {
	Arrivals []Arrival `json:"arrivals" required:"true" nullable:"false"`
	Drops    []Drop    `json:"drops" required:"true" nullable:"false"`
	Hops     []Hop     `json:"hops" required:"true" nullable:"false"`
}

// WalkOf is a walk as JSON.
func WalkOf(one *walk.Walk) Walk {
	j := Walk{Arrivals: Arrivals(one.Arrivals), Drops: []Drop{}, Hops: []Hop{}}
	for _, drop := range one.Drops {
		j.Drops = append(j.Drops, Drop{drop.Port.String(), drop.Reason.String(), Wire(drop.Wire)})
	}
	for _, hop := range one.Hops {
		k := Hop{Device: hop.Device, In: hop.In.String(), Wire: Wire(hop.Wire), VLAN: int(hop.Domain.VID), Out: []Exit{}, Text: hop.Text}
		for _, exit := range hop.Out {
			k.Out = append(k.Out, Exit{exit.Port.String(), Wire(exit.Wire), Refs(exit.To)})
		}
		j.Hops = append(j.Hops, k)
	}
	return j
}

// Arrivals are where a frame comes out, never null.
func Arrivals(as []walk.Arrival) []Arrival {
	out := []Arrival{}
	for _, arrival := range as {
		out = append(out, Arrival{arrival.Port.String(), Wire(arrival.Wire)})
	}
	return out
}

// Journey is the way of one frame to one port.
type Journey struct {
	Steps   []Step `json:"steps" required:"true" nullable:"false"`
	Arrives bool   `json:"arrives" required:"true"`
	Wire    Wire   `json:"wire" required:"true" nullable:"true"`
	Why     string `json:"why,omitempty"`
	Back    string `json:"back,omitempty" description:"why its answer does not come back"`
	Slowest string `json:"slowest,omitempty"`
	At      string `json:"at,omitempty"`
}

// Step is one device on a journey.
type Step struct {
	Device string `json:"device" required:"true"`
	In     string `json:"in" required:"true"`
	Out    string `json:"out" required:"true"`
	WireIn Wire   `json:"wireIn" required:"true" nullable:"true"`
	Wire   Wire   `json:"wire" required:"true" nullable:"true"`
	VLAN   int    `json:"vlan" required:"true"`
	Text   string `json:"text" required:"true"`
	Speed  string `json:"speed,omitempty"`
	Routed bool   `json:"routed,omitempty"`
}

// JourneyOf is a journey as JSON.
func JourneyOf(journey *walk.Journey) Journey {
	out := Journey{Steps: []Step{}, Arrives: journey.Arrives, Wire: Wire(journey.Wire), Why: journey.Why, Back: journey.Back, Slowest: journey.Slowest.String(), At: journey.At}
	for _, step := range journey.Steps {
		out.Steps = append(out.Steps, Step{step.Device, step.In, step.Out, Wire(step.WireIn), Wire(step.Wire), int(step.Domain.VID), step.Text, step.Speed.String(), step.Routed})
	}
	return out
}
