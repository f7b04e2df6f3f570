// Package intake reads a whole office from tables as people keep them: a grid a
// device, ports against VLANs either way round, with titles above and U, T and P
// or words in the cells; a list of VLANs; cables and plugs. It says what it
// understood and what not, with row and column, and gives statements in bracket
// notation that somebody looks at before they are taken.
//
//	ward east            |      |   |   |            a title: the device
//	VLAN | Name    | 1-4 | 5-6 | 7 | 8              the head: ports, or VLANs
//	110  | office  | U   |     |   | T
//	130  | imaging |     | u   |   | tagged
package intake

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Table is one sheet of a workbook, or one CSV file.
type Table struct {
	Name   string
	Rows   [][]string
	number []int  // of the rows in the file, see [Table.row]; nil: as they stand
	out    []left // rows that somebody left out
}

// Trouble is a cell that was not understood; Row and Column count from 1, the
// column is 0 where the whole row is meant.
type Trouble struct {
	Kind        Kind
	Sheet       string
	Row, Column int
	Text        string
}

// Grid is a grid of a device that was found.
type Grid struct {
	Sheet  string
	Row    int    // of its head, from 1
	Device string // its name as it will be
	Title  string // the name as it stands there
	Kind   office.Kind
	Down   bool // VLANs run down and ports across; else the other way round
	Ports  []string
	Skip   bool
	Note   string // what else its title says
	cells  []cell
	all    []string // ports that carry all VLANs
	extras []extra
	said   []said // of VLANs
}

// said is a cell that says something of a VLAN.
type said struct {
	vid office.VID
	extra
}

// Understood is what tables say.
type Understood struct {
	Grids   []*Grid
	VLANs   []*office.VLAN
	Trouble []Trouble
	Counts  map[Kind]int // of complaints, those among them that are too many to be listed
	used    map[spot]bool
	left    map[spot]bool     // cells that became nothing
	told    map[spot]bool     // rows that are told of as a whole
	marks   map[string]string // what a legend says of marks that are not known
	cables  []cable           // of the sheet of cables
	plugs   []plug            // of the sheet of plugs
	Regions []Region          // blocks that were read as one thing, in the order in which they were found
	names   map[string]string // devices as they stand there, by what they are called here
	// Exact is a whole office that the workbook has in notation, beside its
	// grids; nil for a workbook of somebody's own.
	Exact *office.Office
	// Resolve gives a port's shape in full, what all and needed stand for written
	// out; nil where that is not asked for.
	Resolve func(o *office.Office, device string, port int) office.Shape
}

// Most that is read of one workbook: what is beyond is no plan of an office.
const (
	mostGrids   = 500
	mostTrouble = 60 // of a kind
)

// where is a place as a person counts it: row and column from 1, column 0 for the whole row.
type where struct {
	sheet       string
	row, column int
}

// at is the place of a cell whose row and column are counted from 0; column -1 is the whole row.
func (t Table) at(row, column int) where { return where{t.Name, t.row(row), column + 1} }

// wrong complains of what stands there. A cell that is complained of is not also told of as left
// over, and of a kind only the first mostTrouble are listed: the rest are counted.
func (u *Understood) wrong(kind Kind, at where, format string, args ...any) {
	u.Counts[kind]++
	row := spot{at.sheet, at.row - 1, 0}
	if at.column > 0 {
		u.used[spot{at.sheet, at.row - 1, at.column - 1}] = true
	} else {
		u.told[row] = true
	}
	if kind == AboutLeft && u.told[row] || u.Counts[kind] > mostTrouble {
		return // the row is told of as a whole, or many are
	}
	u.Trouble = append(u.Trouble, Trouble{kind, at.sheet, at.row, at.column, fmt.Sprintf(format, args...)})
}

// firstRoles is the first head of a list within the first rows.
func firstRoles(rows [][]string) roles {
	for i, cells := range rows[:min(len(rows), 8)] {
		if head := rolesOf(cells, i); head.lists() || head.members() {
			return head
		}
	}
	return roles{}
}

// Read looks through tables for what an office is made of.
func Read(tables []Table, choices []Choice) *Understood {
	understood := &Understood{names: map[string]string{}, Counts: map[Kind]int{}, used: map[spot]bool{}, left: map[spot]bool{}, told: map[spot]bool{}, marks: map[string]string{}}
	for _, table := range tables {
		if strings.EqualFold(table.Name, "Notation") {
			if file, err := notation.ReadWithin("workbook", column(table.Rows)); err == nil {
				understood.Exact = file.Office
			}
		}
	}
	vlans := map[office.VID]*office.VLAN{}
	for _, table := range tables {
		understood.readTable(table, vlans)
		if understood.Exact == nil {
			understood.leave(table)
		}
		understood.leaveOut(table)
	}
	understood.choose(choices)
	for _, grid := range understood.Grids {
		for _, cell := range grid.cells {
			if vlans[cell.vid] == nil && understood.Exact == nil {
				vlans[cell.vid] = &office.VLAN{VID: cell.vid}
			}
		}
	}
	used := map[string]bool{}
	for vid := office.VID(1); vid <= office.MaxVID; vid++ {
		vlan := vlans[vid]
		if vlan == nil {
			continue
		}
		vlan.Name = vlanName(vlan.Name, vid, used)
		understood.VLANs = append(understood.VLANs, vlan)
	}
	understood.Sort()
	return understood
}

// readTable takes a table for what its heads say that it is; what says nothing is looked through
// for grids. The sheets of a workbook of ours are known by their names.
func (u *Understood) readTable(table Table, vlans map[office.VID]*office.VLAN) {
	head, first := headOf(table.Rows), firstRoles(table.Rows)
	device := u.Exact != nil && !slices.Contains([]string{"Register", "Cables", "Plugs", "Findings", "Notation"}, table.Name)
	switch {
	case device: // its ports may be called as the columns of a list
		u.readGrids(table, vlans)
	case first.lists() || first.members():
		u.readGrids(table, vlans)
	case strings.EqualFold(table.Name, "Notation") && u.Exact != nil:
	case head.has("from") && head.has("to") && !head.has("vlan"):
		u.readCables(table, head)
	case head.has("port") && head.has("wants"):
		u.readPlugs(table, head)
	case head.has("vlan") && (head.has("subnet") || head.has("note") || head.has("local")):
		u.readRegister(table, head, vlans)
	case strings.EqualFold(table.Name, "Findings"):
	default:
		u.readGrids(table, vlans)
	}
}

// choose gives every grid the name and kind that were chosen for it, and no two the same name.
func (u *Understood) choose(choices []Choice) {
	taken := map[string]bool{}
	for _, grid := range u.Grids {
		for _, choice := range choices {
			if choice.Sheet == grid.Sheet && choice.Row == grid.Row {
				grid.Skip = choice.Skip
				grid.Device = cmp.Or(choice.Device, grid.Device)
				grid.Kind = cmp.Or(choice.Kind, grid.Kind)
			}
		}
		for base, k := grid.Device, 2; taken[grid.Device]; k++ {
			grid.Device = fmt.Sprintf("%s-%d", base, k)
		}
		if !grid.Skip {
			taken[grid.Device] = true
		}
		u.names[strings.ToLower(grid.Title)] = grid.Device
	}
}

var vlanText = regexp.MustCompile(`(?i)^(?:vlan|vid)?\s*#?(\d{1,4})(?:[\s:–-]+(.+)|\s*\((.+)\))?$`)

var portText = regexp.MustCompile(`(?i)^(?:port\s*|p(?:ort)?\.?\s*)?([a-z][a-z0-9_./-]*|\d{1,4}|\d{1,4}\s*[-–]\s*\d{1,4}|[a-z]+\d+\s*[-–]\s*(?:[a-z]+)?\d+|"[^"]+")$`)

// marks are what cells say, in letters and in words.
var marks = map[string]string{
	"u": "U", "untagged": "U", "untag": "U", "access": "U", "native": "U",
	"t": "T", "tagged": "T", "tag": "T", "trunk": "T",
	"p": "P", "pvid": "P", "up": "UP", "u/p": "UP", "u+p": "UP", "u, p": "UP", "tp": "TP", "t/p": "TP", "t+p": "TP",
	"": "-", ".": "-", "-": "-", "–": "-", "no": "-", "none": "-", "0": "-", "n": "-", "not a member": "-", "excluded": "-",
}

var kindWords = []struct {
	word string
	kind office.Kind
}{{"firewall", "firewall"}, {"router", "router"}, {"gateway", "router"}, {"access point", "wap"}, {"wap", "wap"}, {"wifi", "wap"}, {"server", "host"}, {"host", "host"}, {"nas", "other"}, {"storage", "other"}}
