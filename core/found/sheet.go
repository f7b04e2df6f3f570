package found

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/span"
	"klammer/core/wording"
)

// OfDevice reads a text of any form onto what device i was taken to be set to: the
// device's own sheet, as it is printed or copied from its page, is read by its wording;
// all else as [Text] reads it. Statements about addresses, routes and rules (allow 10 to 20
// tcp/80) are all that it has of those.
//
//	> paste core
//	> Port,Mode,VLAN
//	> 1,access,110
//	by port
//	1: planned 110 [140], found 110
func OfDevice(net *span.Net, i int, base wording.State, text string) (*Result, error) {
	text, routing, wrong := typed(net.Office, net.Office.Devices[i], text)
	out, err := ofPorts(net, i, base, text, routing != nil)
	if err != nil {
		return nil, err
	}
	out.Routing, out.Trouble = routing, append(out.Trouble, wrong...)
	return out, nil
}

// ofPorts reads what a text says of ports; where it has other statements, that may be nothing.
func ofPorts(net *span.Net, i int, base wording.State, text string, others bool) (*Result, error) {
	if others && strings.TrimSpace(text) == "" {
		return &Result{Form: "notation", State: base}, nil
	}
	if device := wording.For(net, i); device != nil {
		if out := ofSheet(device, base, text); out != nil {
			return out, nil
		}
	}
	return Text(net.Office, net.Office.Devices[i], base, text)
}

// ofSheet reads the tables of a device's own sheet, known by their heads; nil where there
// is none. Tables that the text has not stay as base has them. What else stands on a sheet
// (speeds, management, steps) says nothing of memberships, and is passed over.
func ofSheet(device *wording.Device, base wording.State, text string) *Result {
	tables := wording.Write(device, base)
	passed := []string{"Steps"}
	for _, table := range wording.Fixed(device) {
		passed = append(passed, table.Title)
	}
	lines := strings.Split(strings.TrimPrefix(strings.ReplaceAll(text, "\r\n", "\n"), "\ufeff"), "\n")
	reading := begin(device.Device, base, "its own sheet")
	read := false
	over := false // below a title that is passed over
	for at := 0; at < len(lines); at++ {
		line := strings.TrimSpace(lines[at])
		k := slices.IndexFunc(tables, func(table wording.Table) bool { return headed(lines[at], table.Head) })
		switch {
		case k >= 0:
			rows, next := below(lines, at, len(tables[k].Head), func(line string) bool {
				l := strings.TrimSpace(line)
				return l == "" || slices.ContainsFunc(passed, func(t string) bool { return strings.HasPrefix(l, t) }) ||
					slices.ContainsFunc(tables, func(table wording.Table) bool { return strings.EqualFold(table.Title, l) || headed(line, table.Head) })
			}, reading)
			tables[k].Rows, read, over = rows, true, false
			at = next - 1
		case line == "" || slices.ContainsFunc(tables, func(table wording.Table) bool { return strings.EqualFold(table.Title, line) }):
			over = false
		case slices.ContainsFunc(passed, func(t string) bool { return strings.HasPrefix(line, t) }):
			over = true
		case !over && read:
			reading.wrong(at+1, 0, "this is no table of the device's sheet")
		}
	}
	if !read {
		return nil
	}
	state, err := wording.Read(device, tables)
	if err != nil {
		reading.wrong(1, 0, "%s", err)
		return reading.done()
	}
	for port := range device.Ports {
		if device.Ports[port].Bundle == 0 {
			*reading.start(port) = state.Ports[port]
		}
	}
	reading.vlans = state.Learnt()
	return reading.done()
}

// headed says whether a line is the head of a table.
func headed(line string, head []string) bool {
	return slices.EqualFunc(cut(line), head, func(a, b string) bool { return strings.EqualFold(strings.TrimSpace(a), b) })
}

// cut parts a line where it is separated: by tabs, bars, semicolons, or two and more
// spaces.
func cut(line string) []string {
	for _, by := range []string{"\t", "|", ";"} {
		if strings.Contains(line, by) {
			return strings.Split(strings.Trim(strings.TrimSpace(line), "|"), by)
		}
	}
	if cells := strings.Split(line, ","); len(cells) > 1 && !strings.Contains(line, "  ") {
		return cells
	}
	return strings.FieldsFunc(strings.ReplaceAll(strings.TrimSpace(line), "  ", "\t"), func(c rune) bool { return c == '\t' })
}

// below reads the rows below a head, up to where it ends.
func below(lines []string, at, columns int, ends func(line string) bool, reading *reading) (rows [][]string, next int) {
	head := lines[at]
	for next = at + 1; next < len(lines) && !ends(lines[next]); next++ {
		line := lines[next]
		cells, ok := aligned(head, line)
		if !ok {
			cells = cut(line)
		}
		if len(cells) > columns || !ok && len(cells) < columns && strings.Contains(line, "  ") && !strings.ContainsAny(line, "\t|;") {
			reading.wrong(next+1, 0, "this row does not stand below its head: %d columns, and there are %d", len(cells), columns)
			continue
		}
		rows = append(rows, cells)
	}
	return rows, next
}

// aligned cuts a line by the places at which the words of a head begin, as a table stands
// in text of one width; false where the two are separated otherwise, or a cell of the line
// reaches over such a place.
func aligned(head, line string) ([]string, bool) {
	if strings.ContainsAny(head, "\t|;") || !strings.Contains(strings.TrimSpace(head), "  ") {
		return nil, false
	}
	var starts []int
	letters, row := []rune(head), []rune(line)
	for i, c := range letters {
		if c != ' ' && (i < 2 && len(starts) == 0 || i >= 2 && letters[i-1] == ' ' && letters[i-2] == ' ' || len(starts) == 0) {
			starts = append(starts, i)
		}
	}
	var cells []string
	for k, from := range starts {
		to := len(row)
		if k+1 < len(starts) {
			to = min(to, starts[k+1])
		}
		if from > 0 && from <= len(row) && row[from-1] != ' ' {
			return nil, false
		}
		if from = min(from, len(row)); k == 0 {
			from = 0
		}
		cells = append(cells, strings.TrimSpace(string(row[from:max(from, to)])))
	}
	return cells, true
}

// asRows cuts a table of text of one width into rows, by the places of its head; false
// where it is separated otherwise.
func asRows(text string) (rows [][]string, wrong []string, ok bool) {
	head := ""
	for line := range strings.SplitSeq(text, "\n") {
		if head == "" && strings.TrimSpace(line) != "" && !strings.HasPrefix(strings.TrimSpace(line), "#") {
			head = line
		}
		if head == "" || strings.TrimSpace(line) == "" {
			rows = append(rows, nil)
			continue
		}
		cells, fits := aligned(head, line)
		if !fits {
			cells = cut(line)
			if len(cells) != len(cut(head)) {
				wrong = append(wrong, fmt.Sprintf("row %d does not stand below its head", len(rows)+1))
			}
		}
		rows = append(rows, cells)
	}
	return rows, wrong, len(wrong) == 0
}
