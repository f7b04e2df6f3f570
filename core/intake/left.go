package intake

import (
	"cmp"
	"slices"
	"strings"
)

// Kind is what kind of a complaint one is; those that change frames come first.
type Kind string

// The kinds, with what is said of all of one.
const (
	AboutHead   Kind = "head"   // what columns are was guessed
	AboutMark   Kind = "mark"   // a cell of a grid that says neither U nor T
	AboutVLAN   Kind = "vlan"   // no VLAN
	AboutPort   Kind = "port"   // no port
	AboutPVID   Kind = "pvid"   // a PVID that was not said
	AboutCable  Kind = "cable"  // a cable that leads nowhere
	AboutPlug   Kind = "plug"   // what hangs somewhere
	AboutSubnet Kind = "subnet" // no subnet
	AboutSheet  Kind = "sheet"  // nothing was found in a sheet
	AboutLeft   Kind = "left"   // a cell that is nothing of an office
)

// Kinds are all of them in the order in which they are told.
var Kinds = []struct {
	Kind   Kind
	Says   string
	Frames bool // it changes who hears what
}{
	{AboutHead, "no heads: what each column is was guessed from what stands in it", true},
	{AboutMark, "neither U nor T", true},
	{AboutVLAN, "no VLAN", true},
	{AboutPort, "no port", true},
	{AboutPVID, "the PVID is not said", true},
	{AboutCable, "a cable that leads nowhere", true},
	{AboutPlug, "what hangs there finds no place", false},
	{AboutSubnet, "no subnet", false},
	{AboutSheet, "nothing found in it", false},
	{AboutLeft, "nothing of an office: left where it is", false},
}

// rank is where a kind of complaint stands among all: those that change frames come first.
func rank(kind Kind) int {
	return slices.IndexFunc(Kinds, func(one struct {
		Kind   Kind
		Says   string
		Frames bool
	}) bool {
		return one.Kind == kind
	})
}

// spot is a cell of a workbook, counted from 0.
type spot struct {
	sheet       string
	row, column int
}

// took notes that a cell became something, or is told of already.
func (u *Understood) took(table Table, row int, columns ...int) {
	for _, k := range columns {
		u.used[table.spot(row, k)] = true
	}
}

// leave lists what is left of a table: each cell that became nothing and was not told of.
func (u *Understood) leave(table Table) {
	for row, cells := range table.Rows {
		for k, text := range cells {
			if text = strings.TrimSpace(text); text != "" && table.row(row) > 0 && !u.used[table.spot(row, k)] {
				u.left[table.spot(row, k)] = true
				u.wrong(AboutLeft, table.at(row, k), "%q is nothing of an office that is known here", short(text))
			}
		}
	}
}

// short is the beginning of a text.
func short(text string) string {
	if r := []rune(text); len(r) > 60 {
		return string(r[:59]) + "…"
	}
	return text
}

// Sort puts complaints that change frames first; equals stay as they were read.
func (u *Understood) Sort() {
	slices.SortStableFunc(u.Trouble, func(a, b Trouble) int { return cmp.Compare(rank(a.Kind), rank(b.Kind)) })
}
