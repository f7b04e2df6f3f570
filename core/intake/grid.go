package intake

import (
	"slices"
	"strings"

	"klammer/core/office"
)

// readGrids finds the grids of a sheet: a row that is a head, followed by rows
// that belong to it, again and again.
func (u *Understood) readGrids(table Table, vlans map[office.VID]*office.VLAN) {
	found := false
	for i := 0; i < len(table.Rows) && len(u.Grids) < mostGrids; i++ {
		grid, names, next := u.grid(table, i)
		if grid == nil {
			continue
		}
		found = true
		title := table.Name
		for k := i - 1; k >= max(0, i-3); k-- {
			if text := only(table.Rows[k]); text != "" {
				title = text
				break
			}
		}
		if single := !hasMore(table, next); single && title == table.Name && generic(table.Name) {
			title = "switch-1"
		}
		grid.Title = title
		grid.Device = DeviceName(title)
		grid.Kind = kindOf(title)
		u.Grids = append(u.Grids, grid)
		for vid, name := range names {
			if vlans[vid] == nil {
				if u.Exact != nil { // what it registers stands there
					continue
				}
				vlans[vid] = &office.VLAN{VID: vid}
			}
			if vlans[vid].Name == "" {
				vlans[vid].Name = name
			}
		}
		i = next - 1
	}
	if !found && !blankTable(table) {
		u.wrong(table.Name, 1, 0, "no grid was found in it: a row of ports, and a column of VLANs, or the other way round")
	}
}

func blankTable(table Table) bool {
	return !slices.ContainsFunc(table.Rows, func(r []string) bool { return !blank(r) })
}

func hasMore(table Table, from int) bool {
	return from < len(table.Rows) && slices.ContainsFunc(table.Rows[from:], func(r []string) bool { return !blank(r) })
}

// only is the text of a row that has one cell, "" for any other.
func only(r []string) string {
	text := ""
	for _, c := range r {
		if c = strings.TrimSpace(c); c == "" {
			continue
		}
		if text != "" && c != text {
			return ""
		}
		text = c
	}
	return text
}

// gridHead is the head row of a grid: where its rows' names and its columns are.
type gridHead struct {
	what  string // what the corner says that rows are: vlan, port, or ""
	first int    // the column of the rows' names
	name  int    // of VLANs' names; -1 for none
	heads []int  // the columns that are VLANs or ports
}

// gridHeadOf reads a head; false where a row is none.
func gridHeadOf(row []string) (head gridHead, ok bool) {
	first, label := -1, ""
	for k, text := range row {
		if strings.TrimSpace(text) != "" {
			first, label = k, strings.ToLower(strings.TrimSpace(text))
			break
		}
	}
	if first < 0 {
		return head, false
	}
	what := columns[label]
	if what != "vlan" && what != "port" && label != "ports" && label != "port / vlan" && label != "vlan / port" && label != "ports/vlans" {
		if first == 0 { // a corner that says nothing starts with an empty cell
			return head, false
		}
		first--
	}
	head = gridHead{what: what, first: first, name: -1}
	for k := first + 1; k < len(row); k++ {
		text := strings.ToLower(strings.TrimSpace(row[k]))
		switch {
		case text == "":
		case columns[text] == "name" || columns[text] == "note":
			if columns[text] == "name" && head.name < 0 {
				head.name = k
			}
		default:
			head.heads = append(head.heads, k)
		}
	}
	return head, len(head.heads) > 0
}

// end is the first row behind i that does not belong to a head there.
func (h gridHead) end(rows [][]string, i int) int {
	for i++; i < len(rows) && !blank(rows[i]); i++ {
		if only(rows[i]) != "" && !(rowOf(rows[i], h.first) != "" && leads(rows[i], h.first)) {
			break
		}
	}
	return i
}

// grid reads one grid whose head is row i; nil where that is no head. next is
// the first row after it.
func (u *Understood) grid(table Table, i int) (grid *Grid, names map[office.VID]string, next int) {
	head, ok := gridHeadOf(table.Rows[i])
	if !ok {
		return nil, nil, 0
	}
	ends := head.end(table.Rows, i)
	if ends == i+1 {
		return nil, nil, 0
	}
	down := head.what == "vlan"
	if head.what == "" { // which way round it is: what the left column and the head look like
		down = likelyVLANs(table.Rows[i+1:ends], head.first) && !likelyVLANHead(table.Rows[i], head.heads)
		if !down && !likelyVLANHead(table.Rows[i], head.heads) {
			return nil, nil, 0
		}
	}
	grid = &Grid{Sheet: table.Name, Row: i + 1, Down: down}
	names = map[office.VID]string{}
	across := make([]line, len(table.Rows[i])) // what the columns are
	for _, k := range head.heads {
		across[k] = u.line(table, i, k, !down, names)
		grid.Ports = append(grid.Ports, across[k].ports...)
	}
	for row := i + 1; row < ends; row++ {
		cells := table.Rows[row]
		if rowOf(cells, head.first) == "" {
			continue
		}
		along := u.line(table, row, head.first, down, names)
		if !along.ok {
			continue
		}
		grid.Ports = append(grid.Ports, along.ports...)
		if name := rowOf(cells, head.name); down && name != "" {
			names[along.vid] = name
		} else if _, named := names[along.vid]; down && !named {
			names[along.vid] = ""
		}
		for _, k := range head.heads {
			if k >= len(cells) {
				continue
			}
			as, ok := mark(cells[k])
			if !ok {
				u.wrong(table.Name, row+1, k+1, "%q is neither U nor T, nor P for the PVID, nor one of their words", strings.TrimSpace(cells[k]))
				continue
			}
			if as == "-" || !across[k].ok {
				continue
			}
			for _, port := range slices.Concat(along.ports, across[k].ports) { // one of the two is the VLAN
				grid.cells = append(grid.cells, cell{row + 1, k + 1, port, max(along.vid, across[k].vid), as})
			}
		}
	}
	if len(grid.Ports) == 0 || len(grid.cells) == 0 && len(names) == 0 {
		return nil, nil, 0
	}
	return grid, names, ends
}

// line is what a row or a column of a grid is: a VLAN, or ports.
type line struct {
	vid   office.VID
	ports []string
	ok    bool
}

// line reads what stands at the head of one; a name beside a VLAN's number is kept.
func (u *Understood) line(table Table, row, k int, vlan bool, names map[office.VID]string) line {
	text := strings.TrimSpace(table.Rows[row][k])
	if !vlan {
		ports := portsOf(text)
		if ports == nil {
			u.wrong(table.Name, row+1, k+1, "%q is no port: 7, Port 7, 1-4, lan1", text)
		}
		return line{ports: ports, ok: ports != nil}
	}
	vid, name, ok := vlanOf(text)
	if !ok {
		u.wrong(table.Name, row+1, k+1, "%q is no VLAN: its number, with its name behind it or not", text)
		return line{}
	}
	if name != "" {
		names[vid] = name
	}
	return line{vid: vid, ok: true}
}

func rowOf(r []string, k int) string {
	if k >= 0 && k < len(r) {
		return strings.TrimSpace(r[k])
	}
	return ""
}

// leads says whether a row with one cell belongs to a grid: its cell is in the
// leading column, and is a VLAN or a port in a few letters, not a title.
func leads(r []string, first int) bool {
	text := rowOf(r, first)
	_, _, vlan := vlanOf(text)
	return only(r) == text && (vlan || len(text) < 4 && portsOf(text) != nil)
}

// likelyVLANs says whether a left column has VLANs rather than ports: they have
// names, or are no run from 1 on.
func likelyVLANs(rows [][]string, k int) bool {
	n, run := 0, true
	for i, r := range rows {
		vid, name, ok := vlanOf(rowOf(r, k))
		if !ok {
			return false
		}
		n++
		run = run && int(vid) == i+1 && name == ""
	}
	return n > 0 && !run
}

func likelyVLANHead(r []string, heads []int) bool {
	run := true
	for i, k := range heads {
		vid, name, ok := vlanOf(r[k])
		if !ok {
			return false
		}
		run = run && int(vid) == i+1 && name == ""
	}
	return !run
}
