package intake

import (
	"regexp"
	"slices"
	"strings"
	"unicode"

	"klammer/core/office"
)

// readGrids finds what a sheet has: lists of ports, lists of VLANs, and grids, each with a title
// above it or not, again and again; and what a legend says of their marks.
//
// Many branches: a row begins a list, a grid or nothing, and what it names may be known
// from another sheet.
func (u *Understood) readGrids(table Table, vlans map[office.VID]*office.VLAN) {
	clear(u.marks)
	for row, cells := range table.Rows {
		for k, text := range cells {
			if legend(text, u.marks) && !gridCell(table, row, k) {
				u.took(table, row, k)
			}
		}
	}
	found := false
	for i := 0; i < len(table.Rows) && len(u.Grids) < mostGrids; i++ {
		if head := rolesOf(table.Rows[i], i); u.Exact == nil && (head.lists() || head.members()) {
			title := ""
			if !head.has(aDevice) {
				title, _ = u.title(table, i, len(table.Rows))
			}
			next, is := 0, IsMembers
			if head.lists() {
				next, is = u.readList(table, head, title, vlans), IsList
			} else {
				next = u.readMembers(table, head, title, vlans)
			}
			u.region(table, i, next, Region{Is: is, Heads: headsOf(table.Rows[i], head)})
			found = true
			i = next - 1
			continue
		}
		grid, names, next := u.grid(table, i)
		if grid == nil {
			continue
		}
		found = true
		if grid.Title == "" {
			grid.Title, grid.Note = u.title(table, i, next)
		}
		grid.Device = DeviceName(grid.Title)
		grid.Kind = kindOf(grid.Title)
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
		for _, one := range grid.said {
			u.saidOf(table, one, vlans[one.vid])
		}
		i = next - 1
	}
	if !found && u.Exact == nil {
		if bare, ok := table.guessed(); ok {
			top := slices.Index(bare.numbers(), 0)
			u.tellGuess(bare, bare.Rows[top], bare.row(top+1))
			u.readGrids(bare, vlans)
			return
		}
	}
	if !found && !blankTable(table) {
		u.wrong(AboutSheet, table.at(0, -1), "no grid was found in it: a row of ports, and a column of VLANs, or the other way round")
	}
}

// gridCell says whether a cell stands between others, as those of a grid do: no legend.
func gridCell(table Table, row, k int) bool {
	filled := 0
	for _, text := range table.Rows[row] {
		if strings.TrimSpace(text) != "" {
			filled++
		}
	}
	return filled > 3 && k > 0
}

// title is the name of what begins at row i: a row with one text in the three above it, else the
// sheet's. What stands there behind the name is a note. next is the first row behind it.
func (u *Understood) title(table Table, i, next int) (title, note string) {
	for k := i - 1; k >= max(0, i-3); k-- {
		text := only(table.Rows[k])
		if text == "" || u.usedIn(table, k) {
			if text != "" {
				break
			}
			continue
		}
		for column, cell := range table.Rows[k] {
			if strings.TrimSpace(cell) != "" {
				u.took(table, k, column)
			}
		}
		return named(text)
	}
	if !hasMore(table, next) && generic(table.Name) {
		return "switch-1", ""
	}
	return table.Name, ""
}

// named parts a title from what stands behind it: "Rack switch (24 ports)".
func named(text string) (title, note string) {
	if at := titleEnd.FindStringIndex(text); at != nil && at[0] > 0 {
		return strings.TrimSpace(text[:at[0]]), strings.Trim(text[at[0]:], " (),;|-–")
	}
	return text, ""
}

// titleEnd is where a title goes on with what is no name.
var titleEnd = regexp.MustCompile(`\s*[(,;|]|\s+[-–]\s+`)

// usedIn says whether something of a row was taken already.
func (u *Understood) usedIn(table Table, row int) bool {
	for k := range table.Rows[row] {
		if u.used[table.spot(row, k)] {
			return true
		}
	}
	return false
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
	more  []int  // columns that say something else of each row
	title string // what the corner says, where that is of what the grid is
}

// gridHeadOf reads a head; own says that the workbook is one that Klammer wrote, where a port may
// be called as a column is in another's; false where a row is none.
//
// Many branches: a column is known by several signs, and the surest decides.
func gridHeadOf(row []string, own bool) (head gridHead, ok bool) {
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
	what := ""
	if is := roleOf(label); is == aPort || is == aVLAN {
		what = string(is)
	}
	if what != "vlan" && what != "port" && label != "ports" && label != "port / vlan" && label != "vlan / port" && label != "ports/vlans" {
		if first == 0 { // a corner that says nothing starts with an empty cell
			return head, false
		}
		first--
	}
	head = gridHead{what: what, first: first, name: -1}
	for k := first + 1; k < len(row); k++ {
		text := strings.TrimSpace(row[k])
		_, _, vlan := vlanOf(text)
		switch is := roleOf(text); {
		case text == "":
		case is == aName && head.name < 0 && what != "port":
			head.name = k
		case is != "" && !vlan && is != aPort && is != aVLAN && !own:
			head.more = append(head.more, k)
		case what == "port" && !vlan && !strings.ContainsAny(text, "0123456789") && strings.ContainsFunc(text, unicode.IsLetter):
			head.more = append(head.more, k)
		default:
			head.heads = append(head.heads, k)
		}
	}
	return head, len(head.heads) > 0
}

// titledHead reads a head whose corner says of what the grid is, "Reception switch". Anything may
// stand in the corner of anything, so what is below must leave no doubt: down the first column
// nothing but ports, or nothing but VLANs, and beside them nothing but marks, U and T among them.
//
//	> | Reception switch (8 ports) | 110 reception | 140 phones |
//	> | 1-2 | U | T |
//	> | 8 | T | T |
//	vlan 110 reception
//	vlan 140 phones
//	device reception-switch switch
//	  ports 1-2, 8
//	  1-2: 110 [140]
//	  8: [110 140]
//	  note "8 ports"
func (u *Understood) titledHead(table Table, i int) (head gridHead, ok bool) {
	first := slices.IndexFunc(table.Rows[i], func(text string) bool { return strings.TrimSpace(text) != "" })
	if first < 0 {
		return head, false
	}
	row := slices.Clone(table.Rows[i])
	row[first] = ""
	if head, ok = gridHeadOf(row, false); !ok || head.first != first {
		return head, false
	}
	below := table.Rows[i+1 : head.end(table.Rows, i)]
	down, ok := head.down(row, below)
	if !ok {
		return head, false
	}
	across := head.heads
	if !down {
		across, _ = split(row, head)
	}
	marked := false
	for _, cells := range below {
		name := rowOf(cells, first)
		if name == "" { // a row of names below numbers, or nobody's
			continue
		}
		if _, _, vlan := vlanOf(name); down && !vlan || !down && portsOf(name) == nil {
			return head, false
		}
		for _, k := range across {
			as, ok := mark(rowOf(cells, k), u.marks)
			if !ok && !memberMark(rowOf(cells, k)) {
				return head, false
			}
			marked = marked || ok && as != "-"
		}
	}
	head.title = strings.TrimSpace(table.Rows[i][first])
	return head, marked
}

// end is the first row behind i that does not belong to a head there.
func (h gridHead) end(rows [][]string, i int) int {
	for i++; i < len(rows) && !blank(rows[i]); i++ {
		if only(rows[i]) != "" && !(rowOf(rows[i], h.first) != "" && leads(rows[i], h.first) && !titles(rows, i)) {
			break
		}
		if again, ok := gridHeadOf(rows[i], false); ok && again.what == h.what && h.what != "" && roleOf(rowOf(rows[i], again.first)) != "" {
			break
		}
	}
	return i
}

// grid reads one grid whose head is row i; nil where that is no head. next is
// the first row after it.
//
//	> | Reception switch | 110 reception | 140 phones | 160 guests |
//	> | 1 | U | T | |
//	> | 2 | U | T | |
//	> | 3 | | | U |
//	vlan 110 reception
//	vlan 140 phones
//	vlan 160 guests
//	device reception-switch switch
//	  ports 1-3
//	  1-2: 110 [140]
//	  3: 160
func (u *Understood) grid(table Table, i int) (grid *Grid, names map[office.VID]string, next int) {
	head, ok := gridHeadOf(table.Rows[i], u.Exact != nil)
	if !ok {
		if head, ok = u.titledHead(table, i); !ok {
			return nil, nil, 0
		}
	}
	ends := head.end(table.Rows, i)
	if ends == i+1 {
		return nil, nil, 0
	}
	down, ok := head.down(table.Rows[i], table.Rows[i+1:ends])
	if !ok {
		return nil, nil, 0
	}
	if head.what == "" && u.Exact == nil && !u.marked(head, table.Rows[i+1:ends]) {
		return nil, nil, 0
	}
	if !down && head.what == "" { // what is no VLAN in a head of VLANs says something else of each port
		head.heads, head.more = split(table.Rows[i], head)
	}
	r := gridReader{u: u, table: table, head: head, top: i, grid: &Grid{Sheet: table.Name, Row: table.row(i), Down: down}, names: map[office.VID]string{}}
	r.grid.Title, r.grid.Note = named(head.title)
	r.tops()
	for row := i + 1; row < ends; row++ {
		r.row(row)
	}
	if len(r.grid.Ports) == 0 || len(r.grid.cells) == 0 && len(r.names) == 0 {
		return nil, nil, 0
	}
	u.crosses(r.grid)
	u.region(table, i, ends, Region{Is: IsGrid, Grid: r.grid, Heads: head.columns(table.Rows[i], down)})
	return r.grid, r.names, ends
}

// down says whether VLANs run down and ports across; not ok where neither does. The head says so,
// or else what the left column and the head look like.
func (h gridHead) down(top []string, below [][]string) (down, ok bool) {
	if h.what != "" {
		return h.what == "vlan", true
	}
	across, _ := split(top, h)
	headed := likelyVLANHead(top, across)
	if likelyVLANs(below, h.first) && !headed {
		return true, true
	}
	return false, len(across) > 0 && headed
}

// marked says whether there is a mark below a head that is no number: without a word in its corner,
// a head of numbers over numbers may be anything.
func (u *Understood) marked(head gridHead, below [][]string) bool {
	return slices.ContainsFunc(below, func(cells []string) bool {
		return slices.ContainsFunc(head.heads, func(k int) bool {
			text := rowOf(cells, k)
			as, ok := mark(text, u.marks)
			return ok && as != "-" || memberMark(text) && text != "1"
		})
	})
}

// gridReader is one grid while it is read, a row at a time.
type gridReader struct {
	u      *Understood
	table  Table
	head   gridHead
	top    int    // the row of its head, from 0
	across []line // what each column is: ports, or a VLAN
	grid   *Grid
	names  map[office.VID]string // of VLANs; empty for one that is there without a name
}

// tops reads the head: what the columns are, and where VLANs run across their names beside it.
func (r *gridReader) tops() {
	r.u.took(r.table, r.top, r.head.first)
	if r.head.name >= 0 {
		r.u.took(r.table, r.top, r.head.name)
	}
	if !r.grid.Down {
		r.u.namesBeside(r.table, r.top, r.top-1, r.head, r.names)
		r.u.namesBeside(r.table, r.top, r.top+1, r.head, r.names)
	}
	r.across = make([]line, len(r.table.Rows[r.top]))
	for _, k := range r.head.heads {
		r.across[k] = r.u.line(r.table, r.top, k, !r.grid.Down, r.names)
		r.grid.Ports = append(r.grid.Ports, r.across[k].ports...)
	}
}

// row reads one row: what it is of, what its free columns say of that, and its marks.
func (r *gridReader) row(row int) {
	cells := r.table.Rows[row]
	if rowOf(cells, r.head.first) == "" {
		return
	}
	along := r.u.line(r.table, row, r.head.first, r.grid.Down, r.names)
	if !along.ok { // complained of already; and of each mark that is lost by it
		for _, k := range r.head.heads {
			if as, _ := mark(rowOf(cells, k), r.u.marks); as != "-" {
				r.u.wrong(AboutMark, r.table.at(row, k), "what %q stands beside is not understood", rowOf(cells, k))
			}
		}
		return
	}
	r.grid.Ports = append(r.grid.Ports, along.ports...)
	r.beside(row, along)
	for _, k := range r.head.heads {
		if k < len(cells) {
			r.mark(row, k, along)
		}
	}
}

// beside takes in what stands in the free columns of a row, and the name of its VLAN.
//
//	> | Port | 110 | 140 | What hangs on it |
//	> | 1 | U | T | front desk |
//	> | 2 | U | | printer |
//	vlan 110 vlan110
//	vlan 140 vlan140
//	device plan-1 switch
//	  ports 1-2
//	  1: 110 [140]
//	  2: 110
//	plug plan-1.1 "front desk" wants 110
//	plug plan-1.2 "printer" wants 110
func (r *gridReader) beside(row int, along line) {
	cells, heads := r.table.Rows[row], r.table.Rows[r.top]
	for _, k := range r.head.more {
		r.u.took(r.table, r.top, k)
		text := rowOf(cells, k)
		if text == "" {
			continue
		}
		r.u.took(r.table, row, k)
		if roleOf(heads[k]) == aNothing {
			continue
		}
		one := extra{r.table.row(row), k + 1, "", roleOf(heads[k]), strings.TrimSpace(heads[k]), text}
		if r.grid.Down {
			r.grid.said = append(r.grid.said, said{along.vid, one})
		} else {
			one.port = along.ports[0]
			r.grid.extras = append(r.grid.extras, one)
		}
	}
	if r.head.name >= 0 {
		r.u.took(r.table, row, r.head.name)
	}
	if !r.grid.Down {
		return
	}
	if name := rowOf(cells, r.head.name); name != "" {
		r.names[along.vid] = name
	} else if _, named := r.names[along.vid]; !named {
		r.names[along.vid] = ""
	}
}

// mark reads one cell: how the ports of its row or column are members of the VLAN of the other.
func (r *gridReader) mark(row, k int, along line) {
	text, across := r.table.Rows[row][k], r.across[k]
	as, ok := mark(text, r.u.marks)
	if !ok && memberMark(text) {
		as, ok = "x", true
	}
	switch {
	case !ok:
		r.u.wrong(AboutMark, r.table.at(row, k), "%q is neither U nor T, nor P for the PVID, nor one of their words", strings.TrimSpace(text))
	case !across.ok:
		if as != "-" {
			r.u.wrong(AboutMark, r.table.at(row, k), "what stands above or beside %q is not understood", strings.TrimSpace(text))
		}
	default:
		r.u.took(r.table, row, k)
		if as == "-" {
			return
		}
		for _, port := range slices.Concat(along.ports, across.ports) { // one of the two is the VLAN
			r.grid.cells = append(r.grid.cells, cell{r.table.row(row), k + 1, port, max(along.vid, across.vid), as})
		}
	}
}

// split parts the columns of a head of VLANs from those that say something else.
func split(row []string, head gridHead) (heads, more []int) {
	more = head.more
	for _, k := range head.heads {
		if _, _, ok := vlanOf(row[k]); !ok && !strings.ContainsAny(row[k], "0123456789") {
			more = append(more, k)
		} else {
			heads = append(heads, k)
		}
	}
	return heads, more
}

// namesBeside takes names that stand in the row above the numbers of VLANs, or below.
func (u *Understood) namesBeside(table Table, i, at int, head gridHead, names map[office.VID]string) {
	if at < 0 || at >= len(table.Rows) || only(table.Rows[at]) != "" || blank(table.Rows[at]) || u.usedIn(table, at) {
		return
	}
	above := table.Rows[at]
	for k, text := range above { // nothing but names of VLANs
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		if as, is := mark(text, u.marks); !slices.Contains(head.heads, k) || word(text, "") == "" || is && as != "-" || memberMark(text) {
			return
		}
	}
	for _, k := range head.heads {
		if vid, name, ok := vlanOf(table.Rows[i][k]); ok && name == "" && rowOf(above, k) != "" {
			names[vid] = rowOf(above, k)
			u.took(table, at, k)
		}
	}
}

// memberMark says whether a cell says only that a port is in a VLAN, not how.
func memberMark(text string) bool {
	switch strings.ToLower(strings.TrimSpace(text)) {
	case "x", "✓", "✔", "•", "*", "1", "yes", "ja", "oui":
		return true
	}
	return false
}

// crosses decides what cells that only say that a port is in a VLAN come to: alone on its port
// it is untagged, and of several no one can be told to be.
func (u *Understood) crosses(grid *Grid) {
	by := map[string]int{}
	for _, one := range grid.cells {
		by[one.port]++
	}
	var out []cell
	for _, one := range grid.cells {
		switch {
		case one.as != "x":
		case by[one.port] == 1:
			one.as = "U"
		default:
			u.wrong(AboutMark, where{grid.Sheet, one.row, one.column}, "port %s is in several VLANs, and a cross does not say which of them untagged: U or T", one.port)
			continue
		}
		out = append(out, one)
	}
	grid.cells = out
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
			u.wrong(AboutPort, table.at(row, k), "%q is no port: 7, Port 7, 1-4, lan1", text)
		}
		u.took(table, row, k)
		return line{ports: ports, ok: ports != nil}
	}
	vid, name, ok := vlanOf(text)
	if !ok {
		u.wrong(AboutVLAN, table.at(row, k), "%q is no VLAN: its number, with its name behind it or not", text)
		return line{}
	}
	u.took(table, row, k)
	if name != "" {
		names[vid] = name
	}
	return line{vid: vid, ok: true}
}

// rowOf is a cell of a row without blanks around it; rows may be shorter than their head.
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
	return only(r) == text && (vlan || portsOf(text) != nil && !strings.ContainsRune(text, ' ') && (len(text) < 4 || len(text) < 9 && strings.ContainsAny(text, "0123456789")))
}

// titles says whether a row with one cell is the title of what comes: a head follows.
func titles(rows [][]string, i int) bool {
	for i++; i < len(rows) && blank(rows[i]); i++ {
	}
	if i >= len(rows) {
		return false
	}
	head, ok := gridHeadOf(rows[i], false)
	list := rolesOf(rows[i], i)
	return list.lists() || list.members() || ok && (head.what != "" || len(head.heads) > 1 && rowOf(rows[i], head.first) == "")
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

// likelyVLANHead says whether these heads are VLANs and not the numbers of a table's rows: 1, 2, 3,
// 4 without names is a count, and 1, 10, 20 is not.
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
