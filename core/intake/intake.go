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
	"fmt"
	"regexp"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Table is one sheet of a workbook, or one CSV file.
type Table struct {
	Name string
	Rows [][]string
}

// Trouble is a cell that was not understood; Row and Column count from 1, the
// column is 0 where the whole row is meant.
type Trouble struct {
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
	cells  []cell
}

// Understood is what tables say.
type Understood struct {
	Grids   []*Grid
	VLANs   []*office.VLAN
	Trouble []Trouble
	cables  []cable           // of the sheet of cables
	plugs   []plug            // of the sheet of plugs
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
	mostTrouble = 200
)

func (u *Understood) wrong(sheet string, row, column int, format string, args ...any) {
	if len(u.Trouble) < mostTrouble {
		u.Trouble = append(u.Trouble, Trouble{sheet, row, column, fmt.Sprintf(format, args...)})
	}
}

// Read looks through tables for what an office is made of.
func Read(tables []Table, choices []Choice) *Understood {
	understood := &Understood{names: map[string]string{}}
	for _, table := range tables {
		if strings.EqualFold(table.Name, "Notation") {
			if file, err := notation.ReadWithin("workbook", column(table.Rows)); err == nil {
				understood.Exact = file.Office
			}
		}
	}
	vlans := map[office.VID]*office.VLAN{}
	for _, table := range tables {
		switch head := headOf(table.Rows); {
		case strings.EqualFold(table.Name, "Notation") && understood.Exact != nil:
		case head.has("from") && head.has("to") && !head.has("vlan"):
			understood.readCables(table, head)
		case head.has("port") && head.has("wants"):
			understood.readPlugs(table, head)
		case head.has("vlan") && (head.has("subnet") || head.has("note") || head.has("local")):
			understood.readRegister(table, head, vlans)
		case strings.EqualFold(table.Name, "Findings"):
		default:
			understood.readGrids(table, vlans)
		}
	}
	taken := map[string]bool{}
	for _, grid := range understood.Grids {
		for _, choice := range choices {
			if choice.Sheet == grid.Sheet && choice.Row == grid.Row {
				grid.Skip = choice.Skip
				if choice.Device != "" {
					grid.Device = choice.Device
				}
				if choice.Kind != "" {
					grid.Kind = choice.Kind
				}
			}
		}
		for base, k := grid.Device, 2; taken[grid.Device]; k++ {
			grid.Device = fmt.Sprintf("%s-%d", base, k)
		}
		if !grid.Skip {
			taken[grid.Device] = true
		}
		understood.names[strings.ToLower(grid.Title)] = grid.Device
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
	return understood
}

var columns = map[string]string{
	"vlan": "vlan", "vid": "vlan", "vlan id": "vlan", "vlan-id": "vlan", "id": "vlan", "name": "name", "vlan name": "name",
	"note": "note", "notes": "note", "description": "note", "comment": "note", "subnet": "subnet", "subnets": "subnet", "network": "subnet", "net": "subnet", "local": "local",
	"from": "from", "to": "to", "port": "port", "what": "what", "wants": "wants", "how": "how",
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
