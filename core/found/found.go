// Package found reads what a device is really set to, from what people can get
// out of it: lines in bracket notation, a table copied from a web page or a
// spreadsheet (by port, by VLAN, or a grid of T and U), or what Linux prints of
// a bridge.
//
//	1-8: 110 [140]                       notation, the device's name before it or not
//	VLAN,Untagged,Tagged                 a table by VLAN; ranges as in 1-8,24
//	110,1-8,24
//	Port;PVID;Untagged;Tagged            a table by port
//	1-8;110;110;140
//	VLAN  1  2  24                       a grid
//	110   U  U  T
//
// [OfDevice] also reads the device's own sheet, whatever its wording.
//
// What cannot be understood is listed with its row and column; nothing is
// guessed, and what the text does not mention stays as it was taken to be.
package found

import (
	"encoding/csv"
	"errors"
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
)

// Trouble is something that could not be understood.
type Trouble struct {
	Row, Column int // from 1; the column is 0 where the whole row is meant
	Text        string
}

// String is a trouble with its place, as it is told under the pasted text.
func (t Trouble) String() string {
	if t.Column == 0 {
		return fmt.Sprintf("row %d: %s", t.Row, t.Text)
	}
	return fmt.Sprintf("row %d, column %d: %s", t.Row, t.Column, t.Text)
}

// Result is what was read.
type Result struct {
	Form    string // "notation", "by VLAN", "by port", "grid", "Linux"
	State   wording.State
	Said    []int // ports that the text says something of, ascending
	Trouble []Trouble
	Routing *Routing // nil where the text says nothing of that
}

// reading is a text being read.
type reading struct {
	device *office.Device
	out    *Result
	said   map[int]bool
	// vlans is what the text lists as VLANs of the device, on a port or on none.
	vlans office.Set
}

func (r *reading) wrong(row, column int, format string, args ...any) {
	r.out.Trouble = append(r.out.Trouble, Trouble{row, column, fmt.Sprintf(format, args...)})
}

// start begins a port anew, once: what the text says of it replaces what it was
// taken to be.
func (r *reading) start(port int) *wording.Setting {
	if !r.said[port] {
		r.said[port] = true
		r.out.State.Ports[port] = wording.Setting{Filter: true}
	}
	return &r.out.State.Ports[port]
}

// Text reads a text of any of the forms, onto what the device was taken to be
// set to. The office says what its VLANs and uses are. The error is for a text
// of no form.
func Text(o *office.Office, device *office.Device, base wording.State, text string) (*Result, error) {
	trimmed := strings.TrimSpace(strings.TrimPrefix(text, "\ufeff"))
	switch {
	case trimmed == "":
		return nil, errors.New("there is nothing to read: paste lines such as 1-8: 110, a table, or what bridge vlan show prints")
	case trimmed[0] == '[' || trimmed[0] == '{':
		return fromLinux(device, base, trimmed)
	case bridgeHead.MatchString(strings.TrimSpace(firstLine(trimmed))):
		return fromBridge(device, base, trimmed)
	case strings.Contains(firstLine(trimmed), ":") && !strings.ContainsAny(firstLine(trimmed), ";\t|"):
		return fromNotation(o, device, base, text)
	}
	rows, err := cells(trimmed)
	if err != nil {
		return nil, err
	}
	return Rows(device, base, rows)
}

// firstLine is the first line that says something: neither blank nor a comment. What kind of text
// was pasted is told by it.
func firstLine(text string) string {
	for line := range strings.SplitSeq(text, "\n") {
		if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
			return line
		}
	}
	return ""
}

func begin(device *office.Device, base wording.State, form string) *reading {
	state := wording.State{Ports: slices.Clone(base.Ports)}
	return &reading{device, &Result{Form: form, State: state}, map[int]bool{}, office.Set{}}
}

// done is what was read. The device knows the VLANs of its ports and those that
// were listed, and no others: what the plan has besides has to be created.
func (r *reading) done() *Result {
	for p := range r.said {
		r.out.Said = append(r.out.Said, p)
	}
	slices.Sort(r.out.Said)
	if state := r.out.State; len(state.Ports) > 0 {
		r.out.State = state.With(0, state.Ports[0]).Knowing(r.vlans)
	}
	return r.out
}

// fromNotation reads lines of ports and shapes, each by itself, so that one
// that is wrong leaves the others.
//
//	> paste core
//	> 1: 110 [140]
//	> 2: 160
//	notation
//	2: planned 110 [140], found 160
func fromNotation(o *office.Office, device *office.Device, base wording.State, text string) (*Result, error) {
	reading := begin(device, base, "notation")
	registered := o.Registered()
	for i, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		line = strings.TrimPrefix(line, device.Name+" ")
		_, edit, err := notation.Line(o, device.Name+" "+line)
		var mistakes *notation.Mistakes
		if errors.As(err, &mistakes) {
			for _, mistake := range mistakes.List {
				reading.wrong(i+1, max(1, mistake.Column-len(device.Name)-1), "%s", mistake.Text)
			}
			continue
		}
		list, _, ok := cutShape(line)
		at, err := notation.PortList(device, list)
		if !ok || err != nil || len(at) == 0 {
			reading.wrong(i+1, 0, "this sets no port: write ports and a shape, such as 1-8: 110")
			continue
		}
		set := map[string]*office.Shape{}
		for _, change := range edit {
			if setting, ok := change.After.(office.Setting); ok {
				set[setting.Port.Port] = setting.Shape
			}
		}
		for _, port := range at {
			port = device.Logical(port)
			shape := set[device.Ports[port].Name]
			if shape == nil { // it is set to that already
				shape = device.Ports[port].Shape
			}
			if shape == nil {
				continue
			}
			shape = o.Resolve(shape)
			setting := wording.Of(shape)
			if shape.Rest == office.RestAll {
				all := registered.Minus(&setting.Untagged)
				setting.Tagged.AddAll(&all)
			} else if shape.Rest == office.RestNeeded {
				reading.wrong(i+1, 0, "needed says no VLANs: a found port names them")
				continue
			}
			*reading.start(port) = setting
		}
	}
	return reading.done(), nil
}

// cutShape parts ports and shape at the first colon outside of quotes.
func cutShape(line string) (ports, shape string, ok bool) {
	quoted := false
	for i := range len(line) {
		switch {
		case line[i] == '"' && (i == 0 || line[i-1] != '\\'):
			quoted = !quoted
		case line[i] == ':' && !quoted:
			return line[:i], line[i+1:], true
		}
	}
	return line, "", false
}

// cells cuts a text into rows of cells: separated by tabs, semicolons, commas,
// bars, or two and more spaces, whichever its first line has.
//
//	> paste core
//	> Port | PVID | Untagged | Tagged
//	> 1 | 110 | 110 | 140
//	> 9 | 110 | 110 |
//	by port
//	row 3, column 1: core has no port 9: its front has 1 to 8
func cells(text string) ([][]string, error) {
	head := firstLine(text)
	switch {
	case strings.Contains(head, "\t"):
		return separated(text, '\t')
	case strings.Contains(head, ";"):
		return separated(text, ';')
	case strings.Contains(head, "|"):
		var rows [][]string
		for line := range strings.SplitSeq(text, "\n") {
			if strings.Trim(line, " |-+:\r") == "" {
				rows = append(rows, nil)
				continue
			}
			rows = append(rows, strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|"))
		}
		return rows, nil
	case strings.Contains(head, ","):
		return separated(text, ',')
	}
	rows, wrong, ok := asRows(text)
	if !ok { // a cell that is empty cannot be told from none
		return nil, fmt.Errorf("%s: keep the table as it stood, or put tabs, semicolons or commas between its columns", wrong[0])
	}
	return rows, nil
}

// separated reads separated values (RFC 4180, any separator), rows of any length; what cannot be
// read is said with its row and column.
func separated(text string, comma rune) ([][]string, error) {
	reader := csv.NewReader(strings.NewReader(text))
	reader.Comma, reader.FieldsPerRecord, reader.TrimLeadingSpace = comma, -1, comma != '\t'
	rows, err := reader.ReadAll()
	if err != nil {
		var p *csv.ParseError
		if errors.As(err, &p) {
			return nil, fmt.Errorf("row %d, column %d: %s", p.Line, p.Column, p.Err)
		}
		return nil, err
	}
	return rows, nil
}
