package intake

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// extra is a cell beside the VLANs of a port: what it becomes is decided when the port is there.
type extra struct {
	row, column int // from 1
	port        string
	what        role
	head, text  string
}

// list is a grid in the making, of a list of ports.
type list struct {
	grid *Grid
	seen map[string]bool
}

// add has ports in the grid, each once.
func (l *list) add(ports []string) {
	for _, port := range ports {
		if !l.seen[port] {
			l.seen[port] = true
			l.grid.Ports = append(l.grid.Ports, port)
		}
	}
}

// readList reads a list of ports: a row a port, with its device where a column says it, VLANs
// in cells, and what else is known. next is the first row behind it.
//
//	Switch | Port | Untagged | Tagged | PVID | Connected | Note
//	rack   | 5    | 10       | 20,30  |      | till      | counter
func (u *Understood) readList(table Table, head roles, title string, vlans map[office.VID]*office.VLAN) (next int) {
	lists := map[string]*list{}
	device := title
	for k, text := range table.Rows[head.row] {
		if strings.TrimSpace(text) != "" {
			u.took(table, head.row, k)
		}
	}
	row := head.row + 1
	for ; row < len(table.Rows); row++ {
		cells := table.Rows[row]
		if blank(cells) {
			if !u.goesOn(table, row+1, head) {
				break
			}
			continue
		}
		if again := rolesOf(cells, row); again.lists() || again.members() {
			break
		}
		text, k := head.cell(cells, aPort)
		if text == "" {
			if !u.goesOn(table, row+1, head) {
				return row // a title of what comes, or what stands below
			}
			if name, k := head.cell(cells, aDevice); name != "" && only(cells) != "" {
				if below, _ := head.cell(table.Rows[row+1], aDevice); below == "" { // of the rows below it
					device = name
					u.took(table, row, k)
				}
			}
			continue
		}
		ports := portsOf(text)
		if ports == nil {
			u.wrong(AboutPort, table.at(row, k), "%q is no port: 7, Port 7, 1-4, lan1; what else stands in its row is not taken", text)
			u.told[table.spot(row, 0)] = true
			continue
		}
		if name, k := head.cell(cells, aDevice); name != "" { // merged cells have it once
			device = name
			u.took(table, row, k)
		}
		u.took(table, row, k)
		one := lists[device]
		if one == nil {
			one = &list{&Grid{Sheet: table.Name, Row: table.row(row), Title: device, Device: DeviceName(device), Kind: kindOf(device)}, map[string]bool{}}
			lists[device] = one
			u.Grids = append(u.Grids, one.grid)
		}
		one.add(ports)
		u.listed(entry{table, row, head, vlans}, one.grid, ports)
	}
	return row
}

// goesOn says whether a list goes on behind a blank row: its next row names a port.
func (u *Understood) goesOn(table Table, row int, head roles) bool {
	if row >= len(table.Rows) {
		return false
	}
	text, _ := head.cell(table.Rows[row], aPort)
	return portsOf(text) != nil && roleOf(text) == ""
}

// entry is one row of a list, with the head above it that says what its columns are.
type entry struct {
	table Table
	row   int // from 0
	head  roles
	vlans map[office.VID]*office.VLAN // that are known so far; what the row says of one is added
}

// listed reads what one row of a list says of its ports.
//
//	> | device | port | untagged | tagged | note |
//	> | core | 1 | 110 | 140 | front desk |
//	> | core | 2 | 110 | 140,160-161 | |
//	vlan 110 vlan110
//	vlan 140 vlan140
//	vlan 160 vlan160
//	vlan 161 vlan161
//	device core switch
//	  ports 1-2
//	  1: 110 [140]
//	  2: 110 [140 160 161]
//	  port 1 note "front desk"
func (u *Understood) listed(of entry, grid *Grid, ports []string) {
	table, row, head, vlans := of.table, of.row, of.head, of.vlans
	cells := table.Rows[row]
	mark := func(what role, as string) {
		text, k := head.cell(cells, what)
		if k < 0 || text == "" {
			return
		}
		vids, all, ok := vidsOf(text, vlans)
		if !ok {
			u.wrong(AboutVLAN, table.at(row, k), "%q is no VLAN: a number from 1 to 4094, or several: 10,20,30", text)
			return
		}
		u.took(table, row, k)
		for _, port := range ports {
			if all && as == "T" {
				grid.all = append(grid.all, port)
			}
			for _, vid := range vids {
				grid.cells = append(grid.cells, cell{table.row(row), k + 1, port, vid, as})
			}
		}
	}
	mark(untaggeds, "U")
	mark(taggeds, "T")
	if head.has(aPVID) {
		as := "P"
		if !head.has(untaggeds) && !head.has(aVLAN) {
			as = "UP" // where only the PVID stands, what comes without a tag goes out without one
		}
		mark(aPVID, as)
	}
	if head.has(aVLAN) {
		as := "U"
		if head.has(untaggeds) {
			as = "T"
		}
		mark(aVLAN, as)
	}
	for _, one := range u.beside(table, row, head, aDevice, aPort, untaggeds, taggeds, aPVID, aVLAN) {
		one.port = ports[0]
		grid.extras = append(grid.extras, one)
	}
}

// beside is the cells of a row that have a head and none of some roles; they are taken.
func (u *Understood) beside(table Table, row int, head roles, but ...role) (out []extra) {
	heads := table.Rows[head.row]
	for k, text := range table.Rows[row][:min(len(table.Rows[row]), len(heads))] {
		title, text := strings.TrimSpace(heads[k]), strings.TrimSpace(text)
		if title == "" || text == "" || slices.Contains(but, head.of[k]) {
			continue
		}
		u.took(table, row, k)
		if head.of[k] == aNothing {
			continue
		}
		out = append(out, extra{row: table.row(row), column: k + 1, what: head.of[k], head: title, text: text})
	}
	return out
}

// readMembers reads a list of VLANs with the ports that are in each, of one device. A VLAN may
// have several rows: what they say is taken together.
//
//	VLAN | Name  | Untagged | Tagged | Subnet
//	10   | desks | 1-8,12   | 24     | 10.0.10.0/24
//
//	> | VLAN | Name | Untagged | Tagged |
//	> | 110 | reception | 1-3 | 8 |
//	> | 140 | phones | | 1-3,8 |
//	vlan 110 reception
//	vlan 140 phones
//	device plan-1 switch
//	  ports 1-8
//	  1-3: 110 [140]
//	  8: [110 140]
func (u *Understood) readMembers(table Table, head roles, title string, vlans map[office.VID]*office.VLAN) (next int) {
	one := &list{&Grid{Sheet: table.Name, Row: table.below(head.row), Title: title, Device: DeviceName(title), Kind: kindOf(title), Down: true}, map[string]bool{}}
	for k, text := range table.Rows[head.row] {
		if strings.TrimSpace(text) != "" {
			u.took(table, head.row, k)
		}
	}
	row := head.row + 1
	var last office.VID
	for ; row < len(table.Rows); row++ {
		cells := table.Rows[row]
		if blank(cells) || rolesOf(cells, row).members() || rolesOf(cells, row).lists() {
			break
		}
		text, k := head.cell(cells, aVLAN)
		vid, name, ok := vlanOf(text)
		switch {
		case text == "" && only(cells) != "":
			u.member(one, vlans)
			return row
		case text == "" && last != 0:
			vid, ok = last, true // merged over several rows
		}
		if !ok {
			u.wrong(AboutVLAN, table.at(row, max(k, 0)), "%q is no VLAN: its number, with its name behind it or not", text)
			continue
		}
		last = vid
		u.took(table, row, k)
		u.register(entry{table, row, head, vlans}, vid, name)
		for what, as := range map[role]string{untaggeds: "U", taggeds: "T"} {
			text, k := head.cell(cells, what)
			if text == "" {
				continue
			}
			ports, wrong := portListOf(text)
			if wrong != "" {
				u.wrong(AboutPort, table.at(row, k), "%s", wrong)
				continue
			}
			u.took(table, row, k)
			one.add(ports)
			for _, port := range ports {
				one.grid.cells = append(one.grid.cells, cell{table.row(row), k + 1, port, vid, as})
			}
		}
	}
	u.member(one, vlans)
	return row
}

// member keeps a device that a list of VLANs spoke of. Ports that have numbers are counted from
// 1 on, as those of a front are.
func (u *Understood) member(one *list, vlans map[office.VID]*office.VLAN) {
	most := 0
	for _, port := range one.grid.Ports {
		if n, err := strconv.Atoi(port); err == nil {
			most = max(most, n)
		}
	}
	if most > 0 && most <= 128 {
		var all []string
		for n := 1; n <= most; n++ {
			all = append(all, strconv.Itoa(n))
		}
		for _, port := range one.grid.Ports {
			if !slices.Contains(all, port) {
				all = append(all, port)
			}
		}
		one.grid.Ports = all
	}
	if len(one.grid.Ports) > 0 {
		u.Grids = append(u.Grids, one.grid)
	}
}

// register takes in what a row says of a VLAN itself; an empty cell takes nothing away.
func (u *Understood) register(of entry, vid office.VID, name string) {
	table, row, head, vlans := of.table, of.row, of.head, of.vlans
	if vlans[vid] == nil {
		vlans[vid] = &office.VLAN{VID: vid}
	}
	vlan, cells := vlans[vid], table.Rows[row]
	if text, k := head.cell(cells, aName); text != "" {
		name = text
		u.took(table, row, k)
	}
	if vlan.Name == "" {
		vlan.Name = name
	}
	if text, k := head.cell(cells, aLocal); k >= 0 {
		vlan.Local = vlan.Local || slices.Contains([]string{"local", "yes", "x", "true"}, strings.ToLower(text))
		u.took(table, row, k)
	}
	if text, k := head.cell(cells, aSubnet); text != "" {
		u.took(table, row, k)
		u.subnets(table, row, k, text, vlan)
	}
	var notes []string
	for _, one := range u.beside(table, row, head, aVLAN, aName, aLocal, aSubnet, untaggeds, taggeds) {
		if one.what != aNote {
			one.text = one.head + ": " + one.text
		}
		notes = append(notes, one.text)
	}
	if note := clean(strings.Join(notes, "; ")); note != "" && !strings.Contains(vlan.Note, note) {
		vlan.Note = joined(vlan.Note, note)
	}
}

// saidOf takes in what a column beside the ports of a grid says of a VLAN.
func (u *Understood) saidOf(table Table, one said, vlan *office.VLAN) {
	switch {
	case vlan == nil:
	case one.what == aSubnet:
		u.subnets(table, one.row-1, one.column-1, one.text, vlan)
	case one.what == aNote:
		vlan.Note = joined(vlan.Note, one.text)
	case one.what == aLocal:
		vlan.Local = true
	default:
		vlan.Note = joined(vlan.Note, one.head+": "+one.text)
	}
}

// subnets takes in those of a cell.
func (u *Understood) subnets(table Table, row, k int, text string, vlan *office.VLAN) {
	for _, one := range strings.FieldsFunc(text, func(c rune) bool { return c == ' ' || c == ',' || c == ';' || c == '\n' }) {
		prefix, err := office.CheckAddress(one)
		switch {
		case err != nil || prefix != prefix.Masked():
			u.wrong(AboutSubnet, table.at(row, k), "%q is no subnet: write it as 10.61.110.0/24", one)
		case !slices.Contains(vlan.Nets, prefix):
			vlan.Nets = append(vlan.Nets, prefix)
		}
	}
}

// joined is two notes as one, as long as it may be.
func joined(was, more string) string {
	if was != "" {
		more = was + "; " + more
	}
	return clean(more)
}

// vidsOf reads VLANs as they stand in a cell: 10, 10 desks, 10,20 30-32, desks, all.
func vidsOf(text string, vlans map[office.VID]*office.VLAN) (vids []office.VID, all, ok bool) {
	switch plainWords(text) {
	case "", "none", "no", "n a", "keine", "aucun":
		return nil, false, true
	case "all", "alle", "tous", "any", "*":
		return nil, true, true
	}
	if vid, name, ok := vlanOf(text); ok && !strings.ContainsAny(name[:min(1, len(name))], "0123456789") {
		return []office.VID{vid}, false, true
	}
	for _, vlan := range vlans {
		if strings.EqualFold(vlan.Name, strings.TrimSpace(text)) && vlan.Name != "" {
			return []office.VID{vlan.VID}, false, true
		}
	}
	for _, part := range strings.FieldsFunc(text, func(c rune) bool { return strings.ContainsRune(" ,;/+&\n", c) }) {
		from, to, isRange := strings.Cut(strings.ReplaceAll(part, "–", "-"), "-")
		first, _, okA := vlanOf(from)
		last := first
		okB := true
		if isRange {
			last, _, okB = vlanOf(to)
		}
		if !okA || !okB || last < first {
			return nil, false, false
		}
		for vid := first; vid <= last; vid++ {
			vids = append(vids, vid)
		}
	}
	return vids, false, len(vids) > 0
}

var dateText = regexp.MustCompile(`^(?:\d{4}-\d{2}-\d{2}.*|\d{1,2}[./]\d{1,2}[./]\d{2,4}|\d{1,2}[-. ]?(?i:jan|feb|mar|mär|apr|may|mai|jun|jul|aug|sep|oct|okt|nov|dec|dez)[a-zä]*\.?(?:[- ]\d{2,4})?)$`)

// portListOf reads ports as they stand in a cell: 1-8,12 or lan1 lan2.
func portListOf(text string) (ports []string, wrong string) {
	if text == "-" || strings.EqualFold(text, "none") {
		return nil, ""
	}
	if dateText.MatchString(strings.TrimSpace(text)) {
		return nil, fmt.Sprintf("%q is a date: the spreadsheet made it of what was typed, as of 1-8; format the cell as text and type it again", text)
	}
	for _, part := range strings.FieldsFunc(text, func(c rune) bool { return strings.ContainsRune(",;\n", c) }) {
		list := portsOf(part)
		if list == nil || strings.ContainsRune(strings.TrimSpace(part), ' ') && !strings.HasPrefix(strings.ToLower(strings.TrimSpace(part)), "port") {
			list = nil
			for word := range strings.FieldsSeq(part) {
				more := portsOf(word)
				if more == nil {
					return nil, fmt.Sprintf("%q is no list of ports: 1-8,12", text)
				}
				list = append(list, more...)
			}
		}
		ports = append(ports, list...)
	}
	return ports, ""
}
