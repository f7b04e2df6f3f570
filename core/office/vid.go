// Package office is the model of one network that is planned together: its
// register of VLANs, its devices with their ports and shapes, its cables and
// plugs, its uses and port plans.
//
// Values are immutable once they are part of an [Office]: an [Edit] makes a
// new office that shares everything that it does not touch, so that "did this
// device change?" is one comparison of pointers. The computation in the
// neighbouring packages relies on that.
package office

import (
	"fmt"
	"math/bits"
	"strconv"
)

// VID is a VLAN identifier, 1–4094. 0 (priority-tagged) and 4095 are reserved
// by IEEE 802.1Q clause 9.6; the zero VID stands for "none" in this package.
type VID uint16

// MaxVID is the highest VID that a VLAN may have (IEEE 802.1Q clause 9.6).
const MaxVID VID = 4094

// DefaultVID is the VLAN that a bridge's ports are in when nothing was set
// (the default PVID of IEEE 802.1Q table 9-2).
const DefaultVID VID = 1

// ParseVID reads a decimal VID and says what would be right where it is none.
func ParseVID(text string) (VID, error) {
	n, err := strconv.Atoi(text)
	if err != nil {
		return 0, fmt.Errorf("%q is not a VLAN number, which is 1 to 4094", text)
	}
	return VIDOf(n)
}

// VIDOf checks that n is a VID that a VLAN may have.
func VIDOf(n int) (VID, error) {
	switch {
	case n == 0:
		return 0, fmt.Errorf("VID 0 is reserved for priority-tagged frames: a VLAN is 1 to 4094")
	case n == 4095:
		return 0, fmt.Errorf("VID 4095 is reserved: a VLAN is 1 to 4094")
	case n < 0 || n > 4095:
		return 0, fmt.Errorf("%d is not a VID: a VLAN is 1 to 4094", n)
	}
	return VID(n), nil
}

// Set is a set of VIDs, one bit each; bits 0 and 4095 are free for the
// computation's own use.
type Set [64]uint64

// SetOf is the set of the given VIDs.
func SetOf(vs ...VID) Set {
	var set Set
	for _, vid := range vs {
		set.Add(vid)
	}
	return set
}

func (s *Set) Add(vid VID)      { s[vid>>6] |= 1 << (vid & 63) }
func (s *Set) Remove(vid VID)   { s[vid>>6] &^= 1 << (vid & 63) }
func (s *Set) Has(vid VID) bool { return s[vid>>6]&(1<<(vid&63)) != 0 }

// AddAll makes s the union of s and set.
func (s *Set) AddAll(set *Set) {
	for i := range s {
		s[i] |= set[i]
	}
}

// And is the intersection of s and set.
func (s *Set) And(set *Set) (other Set) {
	for i := range s {
		other[i] = s[i] & set[i]
	}
	return other
}

// Minus is what is in s and not in set.
func (s *Set) Minus(set *Set) (other Set) {
	for i := range s {
		other[i] = s[i] &^ set[i]
	}
	return other
}

// Xor is what is in one of s and set but not in both.
func (s *Set) Xor(set *Set) (other Set) {
	for i := range s {
		other[i] = s[i] ^ set[i]
	}
	return other
}

// Empty says whether nothing is in s.
func (s *Set) Empty() bool { return *s == Set{} }

// Len is the number of VIDs in s.
func (s *Set) Len() (n int) {
	for _, w := range s {
		n += bits.OnesCount64(w)
	}
	return n
}

// All yields the VIDs of s in ascending order.
func (s *Set) All() func(yield func(VID) bool) {
	return func(yield func(VID) bool) {
		for i, w := range s {
			for w != 0 {
				b := bits.TrailingZeros64(w)
				w &= w - 1
				if !yield(VID(i<<6 | b)) {
					return
				}
			}
		}
	}
}

// VIDs lists s in ascending order.
func (s *Set) VIDs() []VID {
	r := make([]VID, 0, s.Len())
	for vid := range s.All() {
		r = append(r, vid)
	}
	return r
}

// Ranges prints the set as numbers and ranges: 110,120-122.
func (s *Set) Ranges() string {
	var b []byte
	vs := s.VIDs()
	for i := 0; i < len(vs); {
		j := i
		for j+1 < len(vs) && vs[j+1] == vs[j]+1 {
			j++
		}
		if j == i+1 { // two are no range
			j = i
		}
		if len(b) > 0 {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, int64(vs[i]), 10)
		if j > i {
			b = append(b, '-')
			b = strconv.AppendInt(b, int64(vs[j]), 10)
		}
		i = j + 1
	}
	return string(b)
}

// ByVID holds a value for each VID. A copy of it shares all that neither side
// sets afterwards, so that an office worked out after an edit costs what the
// edit touched. The zero ByVID holds zero values.
type ByVID[T any] struct{ pages [64]*[64]T }

// Get is the value for vid.
func (m *ByVID[T]) Get(vid VID) (t T) {
	if p := m.pages[vid>>6]; p != nil {
		t = p[vid&63]
	}
	return t
}

// Set gives vid a value; copies that were made before keep theirs.
func (m *ByVID[T]) Set(vid VID, t T) {
	var page [64]T
	if p := m.pages[vid>>6]; p != nil {
		page = *p
	}
	page[vid&63] = t
	m.pages[vid>>6] = &page
}
