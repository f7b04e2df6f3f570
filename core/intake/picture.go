package intake

import (
	"slices"
	"strings"
)

// Region is a block of a sheet that was read as one thing, and what each of its
// columns was taken for.
type Region struct {
	Sheet         string
	Row, Column   int // its first cell, from 1: of its head, if it has one
	Rows, Columns int // how many, its head among them
	Is            string
	Grid          *Grid // of one device; nil where it is of several, or of none
	Heads         []Head
	Bare          bool // it has no head of its own: what its columns are was said beside it, or told by what is in them
}

// Head is a column of a region: what stands above it, and what that was taken for.
type Head struct {
	Column int // from 1
	Text   string
	Is     string // a role, or Member for a port or VLAN whose marks stand below
}

// Member is a column of marks: that of a port or a VLAN.
const Member = "member"

// What a region is.
const (
	IsGrid     = "ports against VLANs"
	IsList     = "a port in each row"
	IsMembers  = "a VLAN in each row, with its ports"
	IsRegister = "the register"
	IsCables   = "cables"
	IsPlugs    = "what hangs at ports"
)

// Roles are what a column can be taken for, each with the word that says so as a head: whoever
// takes a column for something else corrects its head to that word.
var Roles = []struct{ Role, Says, Word string }{
	{string(aPort), "port", "Port"},
	{string(aDevice), "device", "Device"},
	{string(aVLAN), "VLAN", "VLAN"},
	{string(untaggeds), "untagged", "Untagged"},
	{string(taggeds), "tagged", "Tagged"},
	{string(aPVID), "PVID", "PVID"},
	{string(hangs), "what hangs there", "What hangs there"},
	{string(aSocket), "wall socket", "Socket"},
	{string(aSpeed), "speed", "Speed"},
	{string(aName), "name", "Name"},
	{string(aSubnet), "subnet", "Subnet"},
	{string(aNote), "note", "Note"},
	{string(aNothing), "nothing", "Nothing"},
}

// region notes a block from row top to before row ends, both from 0; of it is known what it is, its
// grid and its columns.
func (u *Understood) region(table Table, top, ends int, of Region) {
	heads := of.Heads
	if len(heads) == 0 {
		return
	}
	slices.SortFunc(heads, func(a, b Head) int { return a.Column - b.Column })
	for i, head := range heads {
		if row := table.Rows[top]; table.row(top) > 0 && head.Column <= len(row) {
			heads[i].Text = strings.TrimSpace(row[head.Column-1])
		}
	}
	first, last := heads[0].Column, heads[len(heads)-1].Column
	for ends > top+1 && blank(table.Rows[ends-1]) {
		ends--
	}
	of.Sheet, of.Row, of.Column, of.Columns = table.Name, table.below(top), first, last-first+1
	of.Rows, of.Bare = table.row(ends-1)-of.Row+1, table.row(top) == 0
	u.Regions = append(u.Regions, of)
}

// headsOf are the columns of a list by its head; one that the head does not name is a note.
func headsOf(cells []string, head roles) (out []Head) {
	for k, text := range cells {
		if strings.TrimSpace(text) == "" {
			continue
		}
		is := head.of[k]
		if is == "" {
			is = aNote
		}
		out = append(out, Head{Column: k + 1, Is: string(is)})
	}
	return out
}

// columns are those of a grid: of the rows' names, of the marks, and the free ones.
func (h gridHead) columns(top []string, down bool) (out []Head) {
	first := aPort
	if down {
		first = aVLAN
	}
	out = append(out, Head{Column: h.first + 1, Is: string(first)})
	if h.name >= 0 {
		out = append(out, Head{Column: h.name + 1, Is: string(aName)})
	}
	for _, k := range h.heads {
		out = append(out, Head{Column: k + 1, Is: Member})
	}
	for _, k := range h.more {
		is := roleOf(top[k])
		if is == "" {
			is = aNote
		}
		out = append(out, Head{Column: k + 1, Is: string(is)})
	}
	return out
}

// Cell classes of a picture.
const (
	Taken = "taken" // it became something of the office
	Wrong = "wrong" // it was not understood, and that may change who hears whom
	Left  = "left"  // it is nothing of an office
)

// Sheet is a picture of a sheet: its cells as they stand there, and what became of each.
type Sheet struct {
	Name    string
	Cells   [][]Seen // as many rows and columns as are drawn
	Rows    int      // that there are
	Columns int
}

// Seen is a cell of a picture.
type Seen struct {
	Text string // its beginning
	Is   string // Taken, Wrong, Left; "" for an empty one
}

// How much of a workbook is drawn: enough for a person to recognize it.
const (
	drawnRows    = 150 // of a sheet
	drawnColumns = 40
	drawnCells   = 20_000 // of a workbook
)

// Picture draws the sheets that something of an office was looked for in.
func (u *Understood) Picture(tables []Table) (out []Sheet) {
	wrong := map[spot]bool{}
	for _, trouble := range u.Trouble {
		if trouble.Kind != AboutLeft {
			wrong[spot{trouble.Sheet, trouble.Row - 1, trouble.Column - 1}] = true
		}
	}
	room := drawnCells
	for _, table := range tables {
		if blankTable(table) {
			continue
		}
		sheet := Sheet{Name: table.Name, Rows: len(table.Rows)}
		for _, cells := range table.Rows {
			sheet.Columns = max(sheet.Columns, len(cells))
		}
		for row, cells := range table.Rows[:min(len(table.Rows), drawnRows)] {
			cells = cells[:min(len(cells), drawnColumns)]
			if room -= len(cells); room < 0 {
				break
			}
			line := make([]Seen, len(cells))
			for k, text := range cells {
				at := spot{table.Name, row, k}
				text = short(strings.TrimSpace(text))
				switch {
				case text == "":
				case wrong[at]:
					line[k] = Seen{text, Wrong}
				case u.left[at]:
					line[k] = Seen{text, Left}
				default:
					line[k] = Seen{text, Taken}
				}
			}
			sheet.Cells = append(sheet.Cells, line)
		}
		out = append(out, sheet)
	}
	return out
}
