// Package order leads from what devices are set to to what they should be, as
// single acts over all devices, cables and the administrator's own laptop, in an
// order that is safe wherever one is called away.
//
// [Make] searches over the states of devices, not over permutations of a list: a
// state on the way may be neither found nor planned (a VLAN tagged for a while, a
// PVID early). Every step is one that the device's wording accepts in the state
// that it is in; every state is judged on the real spans: whether each device that
// still has steps is reached, who is cut off, who is joined that should not be.
package order

import (
	"klammer/core/office"
)

// Kind is what is done in a step.
type Kind string

const (
	Set       Kind = "set"    // one page of a device filled in and applied
	Manage    Kind = "manage" // the device's management moves
	CableStep Kind = "cable"  // a cable is plugged, pulled or moved
	Laptop    Kind = "laptop" // the operator goes elsewhere
	Check     Kind = "check"  // something is looked at before going on
	Save      Kind = "save"   // what runs is kept over a power cut
)

// Kinds lists them.
var Kinds = []Kind{Set, Manage, CableStep, Laptop, Check, Save}

// Enum is all of them, for descriptions of what holds one.
func (Kind) Enum() []any {
	out := make([]any, len(Kinds))
	for i, kind := range Kinds {
		out[i] = kind
	}
	return out
}

// By is how the operator reaches a device.
type By string

const (
	OverNetwork By = "network"
	AtPort      By = "port"    // the laptop is plugged into it, or it is done by hand
	AtConsole   By = "console" // he stands at it
)

// Enum is all of them, for descriptions of what holds one.
func (By) Enum() []any { return []any{OverNetwork, AtPort, AtConsole} }

// Price is what an order costs: less of what comes first is better, whatever comes
// after.
type Price struct {
	Rings       int // VLANs that form a ring, times steps
	Leaks       int // pairs of terminals that should never reach each other, times steps
	Blind       int // devices out of reach that still have steps, times the steps done meanwhile
	Interrupted int // pairs of terminals that should reach each other all along and do not, times steps
	Walks       int // the laptop plugged in elsewhere
	Visits      int
	Steps       int
}

// Compare is negative where p is the better.
func (p Price) Compare(price Price) int {
	for _, x := range [][2]int{{p.Rings, price.Rings}, {p.Leaks, price.Leaks}, {p.Blind, price.Blind}, {p.Interrupted, price.Interrupted}, {p.Walks, price.Walks}, {p.Visits, price.Visits}, {p.Steps, price.Steps}} {
		if x[0] != x[1] {
			return x[0] - x[1]
		}
	}
	return 0
}

// Order is the whole way.
type Order struct {
	Was, Planned *office.Office
	Visits       []Visit
	Steps        []Step
	Price        Price
	Leaks        int              // pairs of VLANs joined, times steps
	Parked       int              // who is plugged in at a port that is in no VLAN on its way from one to another, times steps
	Lent         []office.PortRef // ports that the laptop needs meanwhile, and that are not set as planned until then
	Paper        []string         // what differs and is nothing to do, where there are no steps
	Silent       []string         // devices that nobody reaches, and that therefore stay as they are
	Left         []string         // what stays as it is, as it was not chosen or nobody reaches it
	Far          []string         // devices that stand elsewhere than the laptop, and may be lost on the way
	Leaves       []string         // what the plan itself takes from who has it today, for good
}

// Visit is what is done at one device at one sitting.
type Visit struct {
	Device string
	At     string // where the laptop is: a port, or a device's console
	By     By
}

// Step is a single act.
type Step struct {
	Visit      int
	Device     string
	Kind       Kind
	Page       string // of the device's interface
	Text       string // what to do, in the device's wording
	Told       []string
	Lines      []string // statements of the line from the office before to the one after
	Back       []string // and back
	Undo       []string // the way back, as somebody does it
	Changes    []string // what is otherwise on the device's ports
	Interrupts []Interrupt
	Joins      []Join
	Blind      []string
	After      *office.Office // as it is then, as the lines leave it
}

// Interrupt is who is cut off by a step from whom he reaches before and after.
type Interrupt struct {
	VLAN  office.VID
	Ports []string // ports; a device's name where it is the device itself
	Until int      // the step that ends it
	Way   string   // across devices that route: from whom to whom, and what
}

// Join is two VLANs that meet for a while.
type Join struct {
	VLANs [2]office.VID
	Until int
}
