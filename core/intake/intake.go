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
	"slices"
	"strconv"
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

type cell struct {
	row, column int
	port        string
	vid         office.VID
	as          string // "U", "T", "P", "UP", "TP"
}

// Choice is what somebody corrected of a grid, named by its sheet and row.
type Choice struct {
	Sheet  string
	Row    int
	Device string      // "" as it was understood
	Kind   office.Kind // "" as it was understood
	Skip   bool
}

// Cell is another text for a cell, where somebody corrected one; Row and Column
// count from 1.
type Cell struct {
	Sheet       string
	Row, Column int
	Text        string
}

// At is the cell of a sheet, nil where there is none.
func At(tables []Table, sheet string, row, column int) *string {
	for _, t := range tables {
		if t.Name == sheet && row >= 1 && row <= len(t.Rows) && column >= 1 && column <= len(t.Rows[row-1]) {
			return &t.Rows[row-1][column-1]
		}
	}
	return nil
}

// Correct puts other texts into cells that are there. The error names one that
// is not.
func Correct(tables []Table, cells []Cell) error {
	for _, c := range cells {
		at := At(tables, c.Sheet, c.Row, c.Column)
		if at == nil {
			return fmt.Errorf("there is no cell in row %d, column %d of %q", c.Row, c.Column, c.Sheet)
		}
		*at = c.Text
	}
	return nil
}

// Understood is what tables say.
type Understood struct {
	Grids   []*Grid
	VLANs   []*office.VLAN
	Trouble []Trouble
	cables  []string
	plugs   []string
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
	u := &Understood{names: map[string]string{}}
	for _, t := range tables {
		if strings.EqualFold(t.Name, "Notation") {
			if f, err := notation.ReadWithin("workbook", column(t.Rows)); err == nil {
				u.Exact = f.Office
			}
		}
	}
	vlans := map[office.VID]*office.VLAN{}
	for _, table := range tables {
		switch head := headOf(table.Rows); {
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
	taken := map[string]bool{}
	for _, grid := range u.Grids {
		for _, c := range choices {
			if c.Sheet == grid.Sheet && c.Row == grid.Row {
				grid.Skip = c.Skip
				if c.Device != "" {
					grid.Device = c.Device
				}
				if c.Kind != "" {
					grid.Kind = c.Kind
				}
			}
		}
		for base, k := grid.Device, 2; taken[grid.Device]; k++ {
			grid.Device = fmt.Sprintf("%s-%d", base, k)
		}
		if !grid.Skip {
			taken[grid.Device] = true
		}
		u.names[strings.ToLower(grid.Title)] = grid.Device
		for _, c := range grid.cells {
			if vlans[c.vid] == nil && u.Exact == nil {
				vlans[c.vid] = &office.VLAN{VID: c.vid}
			}
		}
	}
	used := map[string]bool{}
	for v := office.VID(1); v <= office.MaxVID; v++ {
		x := vlans[v]
		if x == nil {
			continue
		}
		x.Name = vlanName(x.Name, v, used)
		u.VLANs = append(u.VLANs, x)
	}
	return u
}

// column is the first cells of rows, as lines.
func column(rows [][]string) string {
	var b strings.Builder
	for _, r := range rows {
		if len(r) > 0 {
			b.WriteString(strings.ReplaceAll(r[0], "\u00a0", " "))
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// head is a row of names of columns.
type head struct {
	row int // its index, -1 for none
	at  map[string]int
}

func (h head) has(what string) bool { _, ok := h.at[what]; return ok }

var columns = map[string]string{
	"vlan": "vlan", "vid": "vlan", "vlan id": "vlan", "vlan-id": "vlan", "id": "vlan", "name": "name", "vlan name": "name",
	"note": "note", "notes": "note", "description": "note", "comment": "note", "subnet": "subnet", "subnets": "subnet", "network": "subnet", "net": "subnet", "local": "local",
	"from": "from", "to": "to", "port": "port", "what": "what", "wants": "wants", "how": "how",
}

func headOf(rows [][]string) head {
	for i, r := range rows[:min(len(rows), 8)] {
		h := head{i, map[string]int{}}
		for k, c := range r {
			if what := columns[strings.ToLower(strings.TrimSpace(c))]; what != "" {
				if _, twice := h.at[what]; !twice {
					h.at[what] = k
				}
			}
		}
		if len(h.at) >= 2 {
			return h
		}
	}
	return head{-1, nil}
}

func (h head) cell(r []string, what string) string {
	if k, ok := h.at[what]; ok && k < len(r) {
		return strings.TrimSpace(r[k])
	}
	return ""
}

func (u *Understood) readRegister(table Table, h head, vlans map[office.VID]*office.VLAN) {
	for i := h.row + 1; i < len(table.Rows); i++ {
		r := table.Rows[i]
		if blank(r) {
			continue
		}
		vid, name, ok := vlanOf(h.cell(r, "vlan"))
		if !ok {
			u.wrong(table.Name, i+1, h.at["vlan"]+1, "%q is no VLAN: a number from 1 to 4094", h.cell(r, "vlan"))
			continue
		}
		vlan := &office.VLAN{VID: vid, Name: name, Note: clean(h.cell(r, "note"))}
		if n := h.cell(r, "name"); n != "" {
			vlan.Name = n
		}
		vlan.Local = slices.Contains([]string{"local", "yes", "x", "true"}, strings.ToLower(h.cell(r, "local")))
		for _, s := range strings.FieldsFunc(h.cell(r, "subnet"), func(c rune) bool { return c == ' ' || c == ',' || c == ';' }) {
			p, err := office.CheckAddress(s)
			if err != nil || p != p.Masked() {
				u.wrong(table.Name, i+1, h.at["subnet"]+1, "%q is no subnet: write it as 10.61.110.0/24", s)
				continue
			}
			vlan.Nets = append(vlan.Nets, p)
		}
		vlans[vid] = vlan
	}
}

func (u *Understood) readCables(t Table, h head) {
	for i := h.row + 1; i < len(t.Rows); i++ {
		if a, b := h.cell(t.Rows[i], "from"), h.cell(t.Rows[i], "to"); a != "" && b != "" {
			u.cables = append(u.cables, a+"\x00"+b+"\x00"+fmt.Sprintf("%s\x00%d", t.Name, i+1))
		}
	}
}

func (u *Understood) readPlugs(t Table, h head) {
	for i := h.row + 1; i < len(t.Rows); i++ {
		r := t.Rows[i]
		if h.cell(r, "port") != "" {
			u.plugs = append(u.plugs, strings.Join([]string{h.cell(r, "port"), clean(h.cell(r, "what")), h.cell(r, "wants"), strings.ToLower(h.cell(r, "how")), t.Name, strconv.Itoa(i + 1)}, "\x00"))
		}
	}
}

func blank(r []string) bool {
	return !slices.ContainsFunc(r, func(c string) bool { return strings.TrimSpace(c) != "" })
}

var vlanText = regexp.MustCompile(`(?i)^(?:vlan|vid)?\s*#?(\d{1,4})(?:[\s:–-]+(.+)|\s*\((.+)\))?$`)

// vlanOf reads a VLAN as it stands in a head: 110, VLAN 110, 110 reception,
// 110 (reception).
func vlanOf(s string) (v office.VID, name string, ok bool) {
	m := vlanText.FindStringSubmatch(strings.TrimSpace(s))
	if m == nil {
		return 0, "", false
	}
	n, _ := strconv.Atoi(m[1])
	if _, err := office.VIDOf(n); err != nil {
		return 0, "", false
	}
	return office.VID(n), strings.TrimSpace(m[2] + m[3]), true
}

var portText = regexp.MustCompile(`(?i)^(?:port\s*|p(?:ort)?\.?\s*)?([a-z][a-z0-9_./-]*|\d{1,4}|\d{1,4}\s*[-–]\s*\d{1,4}|[a-z]+\d+\s*[-–]\s*(?:[a-z]+)?\d+|"[^"]+")$`)

// portsOf reads ports as they stand in a head: 7, Port 7, 1-4, lan1, "Clinic
// staff"; as their names, a range as all in it.
func portsOf(s string) []string {
	s = strings.TrimSpace(s)
	if len(s) > 1 && s[0] == '"' && s[len(s)-1] == '"' {
		return []string{s[1 : len(s)-1]}
	}
	m := portText.FindStringSubmatch(s)
	if m == nil {
		return nil
	}
	name := strings.ReplaceAll(strings.ReplaceAll(m[1], "–", "-"), " ", "")
	from, to, ok := strings.Cut(name, "-")
	if !ok {
		return []string{name}
	}
	stem := strings.TrimRight(from, "0123456789")
	a, err1 := strconv.Atoi(from[len(stem):])
	b, err2 := strconv.Atoi(strings.TrimPrefix(to, stem))
	if err1 != nil || err2 != nil || b < a || b-a > 512 {
		return []string{name}
	}
	var out []string
	for k := a; k <= b; k++ {
		out = append(out, stem+strconv.Itoa(k))
	}
	return out
}

// marks are what cells say, in letters and in words.
var marks = map[string]string{
	"u": "U", "untagged": "U", "untag": "U", "access": "U", "native": "U",
	"t": "T", "tagged": "T", "tag": "T", "trunk": "T",
	"p": "P", "pvid": "P", "up": "UP", "u/p": "UP", "u+p": "UP", "u, p": "UP", "tp": "TP", "t/p": "TP", "t+p": "TP",
	"": "-", ".": "-", "-": "-", "–": "-", "no": "-", "none": "-", "0": "-", "n": "-", "not a member": "-", "excluded": "-",
}

func mark(s string) (string, bool) {
	m, ok := marks[strings.ToLower(strings.TrimSpace(s))]
	return m, ok
}

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

func blankTable(t Table) bool {
	return !slices.ContainsFunc(t.Rows, func(r []string) bool { return !blank(r) })
}

func hasMore(t Table, from int) bool {
	return from < len(t.Rows) && slices.ContainsFunc(t.Rows[from:], func(r []string) bool { return !blank(r) })
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
		v, name, ok := vlanOf(rowOf(r, k))
		if !ok {
			return false
		}
		n++
		run = run && int(v) == i+1 && name == ""
	}
	return n > 0 && !run
}

func likelyVLANHead(r []string, heads []int) bool {
	run := true
	for i, k := range heads {
		v, name, ok := vlanOf(r[k])
		if !ok {
			return false
		}
		run = run && int(v) == i+1 && name == ""
	}
	return !run
}

func generic(name string) bool {
	return regexp.MustCompile(`(?i)^(sheet|table|tabelle|data)?\s*\d*$|\.csv$`).MatchString(name)
}

var kindWords = []struct {
	word string
	kind office.Kind
}{{"firewall", "firewall"}, {"router", "router"}, {"gateway", "router"}, {"access point", "wap"}, {"wap", "wap"}, {"wifi", "wap"}, {"server", "host"}, {"host", "host"}, {"nas", "other"}, {"storage", "other"}}

func kindOf(title string) office.Kind {
	low := strings.ToLower(title)
	for _, k := range kindWords {
		if strings.Contains(low, k.word) {
			return k.kind
		}
	}
	return "switch"
}

// DeviceName is a title as the name of a device: in letters, digits and hyphens.
func DeviceName(title string) string {
	title = regexp.MustCompile(`(?i)^(switch|device|host|router)\s*[:#]\s*`).ReplaceAllString(strings.TrimSpace(title), "")
	name := word(title, "switch-1")
	if notation.Reserved(name) {
		name += "-1"
	}
	return name
}

func word(s, otherwise string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(s) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			b.WriteRune(c)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
		if b.Len() > 60 {
			break
		}
	}
	if out := strings.Trim(b.String(), "-"); out != "" {
		return out
	}
	return otherwise
}

func vlanName(s string, vid office.VID, used map[string]bool) string {
	name := word(s, "")
	if name == "" || name[0] < 'a' {
		name = strings.Trim("vlan-"+name, "-")
		if s == "" {
			name = fmt.Sprintf("vlan%d", vid)
		}
	}
	if len(name) > 32 {
		name = strings.Trim(name[:32], "-")
	}
	if used[name] {
		name = fmt.Sprintf("%.26s-%d", name, vid)
	}
	used[name] = true
	return name
}

// clean is a text of a cell without what is not seen.
func clean(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if office.CheckText("it", text, office.MostName, true) != nil {
		return strings.Map(func(c rune) rune {
			if office.CheckText("it", string(c), 1, false) != nil && c != ' ' {
				return -1
			}
			return c
		}, text[:min(len(text), office.MostName)])
	}
	return text
}
