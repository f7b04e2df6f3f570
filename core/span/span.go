package span

import (
	"klammer/core/office"
)

// State is what became of a VLAN.
type State uint8

const (
	Unused State = iota // it has no terminals
	Whole               // all its terminals are in one span
	Split               // they are in several
	Merged              // its span holds another VLAN's terminals too
)

func (s State) String() string { return [...]string{"unused", "whole", "split", "merged"}[s] }

// Node is a domain at a hub.
type Node struct {
	Hub   int
	Label Label
}

// Span is a connected part of the office, directions of arcs ignored.
type Span struct {
	Nodes []Node       // by hub, then by label
	Ends  []office.VID // VLANs with terminals in it, ascending
	Links int          // arcs or pairs of arcs that join its nodes; as many as nodes, or more, close a ring
	// OneWay says that an arc of it has no way back: some who are in it hear
	// others that do not hear them.
	OneWay bool
}

// Place is a node of a span.
type Place struct {
	Span *Span
	Node Node
}

// Ring says whether frames can go round in a circle inside the span.
func (s *Span) Ring() bool { return s.Links >= len(s.Nodes) }

// VLAN is where one VLAN reaches.
type VLAN struct {
	VID   office.VID
	State State
	// Spans are the parts that hold a domain of the VLAN: first those with
	// terminals of it, the one with its gateway before all (else the one with
	// the most nodes).
	Spans []*Span
	Parts int // how many of Spans hold terminals of the VLAN
}

// VLAN is the result for vid, nil where vid is neither registered nor in use.
//
//	> core 7: 190 [110 140]
//	160 guests, split: (core.4) (floor.5)
//
//	> floor 5: -
//	160 guests, whole: (core.4)
func (n *Net) VLAN(vid office.VID) *VLAN { return n.vlans.Get(vid) }
