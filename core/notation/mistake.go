package notation

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Mistake is one thing wrong in a text, and what would be right.
//
//	> core 1: 99; corr 2: off; vlan 4095 most
//	! column 13: corr starts no statement: office, vlan, service, use, plan, device, cable,
//	    plug, must, never, or a device's name; no device is named corr: did you mean core?
//	column 31: VID 4095 is reserved: a VLAN is 1 to 4094
type Mistake struct {
	Line, Column int // from 1; the column counts characters
	Text         string
}

func (m Mistake) String() string { return fmt.Sprintf("%d:%d: %s", m.Line, m.Column, m.Text) }

// Mistakes are all that is wrong in one text, in the order of their places.
type Mistakes struct {
	File string
	List []Mistake
}

// Error gives a line a mistake: file:line:column: what is wrong.
func (m *Mistakes) Error() string {
	var text strings.Builder
	for i, mistake := range m.List {
		if i > 0 {
			text.WriteByte('\n')
		}
		fmt.Fprintf(&text, "%s:%s", m.File, mistake)
	}
	return text.String()
}

// sorted puts mistakes into the order of the text, each once.
func (m *Mistakes) sorted() *Mistakes {
	slices.SortStableFunc(m.List, func(a, b Mistake) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	m.List = slices.Compact(m.List)
	return m
}
