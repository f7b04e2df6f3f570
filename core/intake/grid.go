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

// grid reads one grid whose head is row i; nil where that is no head. next is
// the first row after it.
func (u *Understood) grid(table Table, i int) (grid *Grid, names map[office.VID]string, next int) {
	r := table.Rows[i]
	first, label := -1, ""
	for k, c := range r {
		if strings.TrimSpace(c) != "" {
			first, label = k, strings.ToLower(strings.TrimSpace(c))
			break
		}
	}
	if first < 0 {
		return nil, nil, 0
	}
	what := columns[label]
	if what != "vlan" && what != "port" && label != "ports" && label != "port / vlan" && label != "vlan / port" && label != "ports/vlans" {
		if first == 0 { // a corner that says nothing starts with an empty cell
			return nil, nil, 0
		}
		first--
	}
	nameAt := -1
	var heads []int
	for k := first + 1; k < len(r); k++ {
		c := strings.ToLower(strings.TrimSpace(r[k]))
		switch {
		case c == "":
		case columns[c] == "name" || columns[c] == "note":
			if columns[c] == "name" && nameAt < 0 {
				nameAt = k
			}
		default:
			heads = append(heads, k)
		}
	}
	if len(heads) == 0 {
		return nil, nil, 0
	}
	var ends int // the rows that belong to the head
	for ends = i + 1; ends < len(table.Rows) && !blank(table.Rows[ends]) && only(table.Rows[ends]) == "" || ends < len(table.Rows) && rowOf(table.Rows[ends], first) != "" && !blank(table.Rows[ends]) && leads(table.Rows[ends], first); ends++ {
	}
	if ends == i+1 {
		return nil, nil, 0
	}
	down := what == "vlan"
	if what == "" { // which way round it is: what the left column and the head look like
		down = likelyVLANs(table.Rows[i+1:ends], first) && !likelyVLANHead(r, heads)
		if !down && !likelyVLANHead(r, heads) {
			return nil, nil, 0
		}
	}
	grid = &Grid{Sheet: table.Name, Row: i + 1, Down: down}
	names = map[office.VID]string{}
	ports := map[int][]string{}
	vids := map[int]office.VID{}
	for _, k := range heads {
		text := strings.TrimSpace(r[k])
		if down {
			if ports[k] = portsOf(text); ports[k] == nil {
				u.wrong(table.Name, i+1, k+1, "%q is no port: 7, Port 7, 1-4, lan1", text)
			}
			grid.Ports = append(grid.Ports, ports[k]...)
			continue
		}
		vid, name, ok := vlanOf(text)
		if !ok {
			u.wrong(table.Name, i+1, k+1, "%q is no VLAN: its number, with its name behind it or not", text)
			continue
		}
		vids[k] = vid
		if name != "" {
			names[vid] = name
		}
	}
	for row := i + 1; row < ends; row++ {
		cells := table.Rows[row]
		text := rowOf(cells, first)
		if text == "" {
			continue
		}
		var vid office.VID
		var at []string
		if down {
			name, ok := "", false
			if vid, name, ok = vlanOf(text); !ok {
				u.wrong(table.Name, row+1, first+1, "%q is no VLAN: its number, with its name behind it or not", text)
				continue
			}
			if nameAt >= 0 && nameAt < len(cells) && strings.TrimSpace(cells[nameAt]) != "" {
				name = strings.TrimSpace(cells[nameAt])
			}
			if name != "" {
				names[vid] = name
			}
			if _, named := names[vid]; !named {
				names[vid] = ""
			}
		} else {
			if at = portsOf(text); at == nil {
				u.wrong(table.Name, row+1, first+1, "%q is no port: 7, Port 7, 1-4, lan1", text)
				continue
			}
			grid.Ports = append(grid.Ports, at...)
		}
		for _, k := range heads {
			if k >= len(cells) {
				continue
			}
			as, ok := mark(cells[k])
			if !ok {
				u.wrong(table.Name, row+1, k+1, "%q is neither U nor T, nor P for the PVID, nor one of their words", strings.TrimSpace(cells[k]))
				continue
			}
			if as == "-" {
				continue
			}
			if down {
				for _, p := range ports[k] {
					grid.cells = append(grid.cells, cell{row + 1, k + 1, p, vid, as})
				}
			} else if vids[k] != 0 {
				for _, p := range at {
					grid.cells = append(grid.cells, cell{row + 1, k + 1, p, vids[k], as})
				}
			}
		}
	}
	if len(grid.Ports) == 0 || len(grid.cells) == 0 && len(names) == 0 {
		return nil, nil, 0
	}
	return grid, names, ends
}

func rowOf(r []string, k int) string {
	if k < len(r) {
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
