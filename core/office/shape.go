package office

import (
	"fmt"
	"slices"
	"sort"
)

// Rest says which further VLANs a shape takes tagged, beside those it names.
type Rest uint8

const (
	RestNone   Rest = iota
	RestAll         // every VLAN of the register that is not untagged here
	RestNeeded      // every VLAN that the port's cable needs
)

// Admit is a port's acceptable frame types (IEEE 802.1Q clause 6.9).
type Admit uint8

const (
	AdmitAll Admit = iota
	AdmitTagged
	AdmitUntagged // untagged and priority-tagged
)

func (a Admit) String() string { return [...]string{"all", "tagged", "untagged"}[a] }

// Ride is a member VLAN that is on the wire under another VID (IEEE 802.1Q
// clause 6.9, VID translation).
type Ride struct{ VLAN, Wire VID }

// Shape is all that one port is set to. The zero Shape is a port in no VLAN.
//
// Invariants, kept by [Shape.Normal]: Untagged and Tagged are ascending,
// without repeats and disjoint; Rides ascend by VLAN and each rides a VLAN of
// Tagged under another VID; PVIDSet only where the PVID is not the one that
// would follow from Untagged.
type Shape struct {
	Off       bool   // the port is shut; nothing else counts
	Use       string // the shape of the use of that name; nothing else counts
	Untagged  []VID
	Tagged    []VID
	Rides     []Ride
	Rest      Rest
	PVIDSet   bool // PVID below was said; otherwise it is the single untagged VLAN, or none
	PVID      VID  // 0: none
	Admit     Admit
	FilterOff bool // ingress filtering off (IEEE 802.1Q clause 8.6.2)
}

// PortVID is the VLAN that untagged frames join on arrival, 0 for none.
func (s *Shape) PortVID() VID {
	if s.PVIDSet {
		return s.PVID
	}
	if len(s.Untagged) == 1 {
		return s.Untagged[0]
	}
	return 0
}

// Normal brings a shape to the one form that its invariants describe.
func (s Shape) Normal() Shape {
	if s.Off {
		return Shape{Off: true}
	}
	if s.Use != "" {
		return Shape{Use: s.Use}
	}
	s.Untagged = sortedVIDs(s.Untagged)
	s.Tagged = sortedVIDs(s.Tagged)
	if slices.ContainsFunc(s.Untagged, func(vid VID) bool { _, ok := slices.BinarySearch(s.Tagged, vid); return ok }) {
		s.Tagged = slices.DeleteFunc(slices.Clone(s.Tagged), func(vid VID) bool { return slices.Contains(s.Untagged, vid) })
	}
	if len(s.Tagged) == 0 {
		s.Tagged = nil
	}
	rides := []Ride(nil)
	for _, ride := range s.Rides {
		if ride.Wire != ride.VLAN && slices.Contains(s.Tagged, ride.VLAN) {
			rides = append(rides, ride)
		}
	}
	sort.Slice(rides, func(i, j int) bool { return rides[i].VLAN < rides[j].VLAN })
	s.Rides = slices.CompactFunc(rides, func(a, b Ride) bool { return a.VLAN == b.VLAN })
	if s.PVIDSet {
		vid := s.PVID
		s.PVIDSet, s.PVID = false, 0
		if s.PortVID() != vid {
			s.PVIDSet, s.PVID = true, vid
		}
	}
	return s
}

// sortedVIDs are the VLANs in ascending order, each once; the same slice where they are that
// already.
func sortedVIDs(vs []VID) []VID {
	if len(vs) == 0 {
		return nil
	}
	ascending := true
	for i := 1; i < len(vs) && ascending; i++ {
		ascending = vs[i-1] < vs[i]
	}
	if ascending {
		return vs
	}
	vs = slices.Clone(vs)
	slices.Sort(vs)
	return slices.Compact(vs)
}

// Clash says whether two VLANs of the shape are on the wire as one VID, so that
// what arrives with it could be either.
func (s *Shape) Clash() error {
	for i, ride := range s.Rides {
		if slices.ContainsFunc(s.Rides[:i], func(other Ride) bool { return other.Wire == ride.Wire }) {
			return fmt.Errorf("two VLANs ride as VID %d on this port: give one of them another VID", ride.Wire)
		}
		_, taken := slices.BinarySearch(s.Tagged, ride.Wire)
		if taken && !slices.ContainsFunc(s.Rides, func(other Ride) bool { return other.VLAN == ride.Wire }) {
			return fmt.Errorf("VLAN %d rides as VID %d, which VLAN %d has on this port: give one of them another VID", ride.VLAN, ride.Wire, ride.Wire)
		}
	}
	return nil
}

// Equal says whether two normal shapes are the same.
func (s Shape) Equal(shape Shape) bool {
	return s.Off == shape.Off && s.Use == shape.Use && s.Rest == shape.Rest && s.PVIDSet == shape.PVIDSet && s.PVID == shape.PVID &&
		s.Admit == shape.Admit && s.FilterOff == shape.FilterOff &&
		slices.Equal(s.Untagged, shape.Untagged) && slices.Equal(s.Tagged, shape.Tagged) && slices.Equal(s.Rides, shape.Rides)
}

// Membership is how one VLAN stands on a port.
type Membership uint8

const (
	NotMember Membership = iota
	Tagged
	Untagged
)

// Of is how vid stands in the shape, not counting what Rest adds.
func (s *Shape) Of(vid VID) Membership {
	if slices.Contains(s.Untagged, vid) {
		return Untagged
	}
	if _, ok := slices.BinarySearch(s.Tagged, vid); ok {
		return Tagged
	}
	return NotMember
}

// With is the shape with VLAN vid standing as form.
//
// Untagged means "the untagged VLAN": it takes the place of the one before and
// brings the PVID with it, as a port has one untagged VLAN unless somebody
// said otherwise in notation. A shut port or a use becomes a shape of its own;
// the caller passes the shape that is in force.
func (s Shape) With(vid VID, form Membership) Shape {
	s.Off, s.Use = false, ""
	drop := func(vs []VID) []VID {
		return slices.DeleteFunc(slices.Clone(vs), func(other VID) bool { return other == vid })
	}
	was := s.PortVID()
	wasAlone := len(s.Untagged) <= 1
	switch form {
	case Untagged:
		s.Untagged, s.Tagged = []VID{vid}, drop(s.Tagged)
		s.PVIDSet, s.PVID = false, 0
	case Tagged:
		s.Untagged, s.Tagged = drop(s.Untagged), append(drop(s.Tagged), vid)
	case NotMember:
		s.Untagged, s.Tagged = drop(s.Untagged), drop(s.Tagged)
	}
	if form != Untagged {
		switch {
		case was == vid: // the PVID leaves with its VLAN
			s.PVIDSet, s.PVID = false, 0
			if len(s.Untagged) > 1 {
				s.PVIDSet = true
			}
		case !s.PVIDSet && !wasAlone:
			s.PVIDSet, s.PVID = true, was
		}
	}
	return s.Normal()
}

// Without is the shape with some VLANs taken off, and with them the PVID if it
// is one of them.
func (s Shape) Without(gone *Set) Shape {
	left := func(vs []VID) []VID {
		return slices.DeleteFunc(slices.Clone(vs), func(vid VID) bool { return gone.Has(vid) })
	}
	was, alone := s.PortVID(), len(s.Untagged) <= 1
	s.Untagged, s.Tagged = left(s.Untagged), left(s.Tagged)
	switch {
	case was != 0 && gone.Has(was):
		s.PVIDSet, s.PVID = len(s.Untagged) > 1, 0
	case !s.PVIDSet && !alone:
		s.PVIDSet, s.PVID = true, was
	}
	return s.Normal()
}

// WithPVID is the shape with its PVID set to vid, 0 for none.
func (s Shape) WithPVID(vid VID) Shape {
	s.Off, s.Use = false, ""
	s.PVIDSet, s.PVID = true, vid
	return s.Normal()
}
