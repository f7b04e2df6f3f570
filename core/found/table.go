package found

import (
	"errors"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
)

// columns are what the heads of tables are called, by what they mean.
var columns = map[string]string{
	"port": "port", "ports": "port", "interface": "port", "if": "port",
	"vlan": "vlan", "vid": "vlan", "vlan id": "vlan", "vlan-id": "vlan",
	"untagged": "untagged", "untagged vlan": "untagged", "untagged vlans": "untagged", "untagged ports": "untagged", "untagged members": "untagged",
	"tagged": "tagged", "tagged vlan": "tagged", "tagged vlans": "tagged", "tagged ports": "tagged", "tagged members": "tagged", "allowed vlans": "tagged", "allowed": "tagged",
	"pvid": "pvid", "port vlan id": "pvid",
	"mode": "mode", "native vlan": "native", "native": "native",
	"acceptable frames": "admit", "frames": "admit", "ingress filtering": "filter", "filtering": "filter",
	"state": "state", "name": "name", "vlan name": "name",
}

// mostColumns bounds a table: no front has more ports.
const mostColumns = 600

// Rows reads a table, as a spreadsheet or a web page has it.
//
// Many branches: a reader of separated values goes letter by letter.
func Rows(device *office.Device, base wording.State, rows [][]string) (*Result, error) {
	at := slices.IndexFunc(rows, func(r []string) bool { return !blank(r) && !strings.HasPrefix(strings.TrimSpace(r[0]), "#") })
	if at < 0 {
		return nil, errors.New("there is nothing to read")
	}
	head := rows[at]
	if len(head) > mostColumns {
		return nil, errors.New("the table has more columns than a device has ports: copy the part that is meant")
	}
	means := map[string]int{}
	for i, h := range head {
		if m := columns[strings.ToLower(strings.TrimSpace(h))]; m != "" {
			if _, twice := means[m]; !twice {
				means[m] = i
			}
		}
	}
	_, hasVLAN := means["vlan"]
	_, hasPort := means["port"]
	_, hasUntagged := means["untagged"]
	_, hasTagged := means["tagged"]
	one := &table{rows: rows, at: at, means: means}
	switch {
	case hasVLAN && !hasPort && (hasUntagged || hasTagged):
		one.reading = begin(device, base, "by VLAN")
		one.byVLAN()
	case hasPort && (hasUntagged || hasTagged || hasVLAN || means["pvid"] > 0 || means["native"] > 0):
		one.reading = begin(device, base, "by port")
		one.byPort()
	case hasVLAN:
		one.reading = begin(device, base, "grid")
		one.grid()
	case hasPort && one.turn():
		one.reading = begin(device, base, "grid")
		one.grid()
	default:
		return nil, errors.New(
			"the first row names no columns that are known: VLAN, Untagged and Tagged; or Port with PVID, Untagged and Tagged; or VLAN and a column for each port; or Port and a column for each VLAN",
		)
	}
	out := one.done()
	for i, trouble := range out.Trouble {
		if one.turned != nil {
			out.Trouble[i] = one.turned(trouble)
		}
	}
	return out, nil
}

// turn makes a grid with a row for each port one with a row for each VLAN, which [table.grid]
// reads; false where no head but the first is a VLAN's number, with its name behind it or not.
func (t *table) turn() bool {
	var rows, columns []int
	for i := t.at; i < len(t.rows); i++ {
		if !blank(t.rows[i]) {
			rows = append(rows, i)
		}
	}
	first := t.means["port"]
	out := [][]string{{"VLAN"}}
	cell := func(row, column int) string {
		if column < len(t.rows[row]) {
			return t.rows[row][column]
		}
		return ""
	}
	for _, row := range rows[1:] {
		out[0] = append(out[0], cell(row, first))
	}
	columns = append(columns, first)
	for k, text := range t.rows[t.at] {
		number, _, _ := strings.Cut(strings.TrimSpace(text), " ")
		if _, err := office.ParseVID(number); k == first || err != nil {
			continue
		}
		line := []string{number}
		for _, row := range rows[1:] {
			line = append(line, cell(row, k))
		}
		columns = append(columns, k)
		out = append(out, line)
	}
	t.turned = func(trouble Trouble) Trouble {
		return Trouble{Row: rows[max(0, trouble.Column-1)] + 1, Column: columns[trouble.Row-1] + 1, Text: trouble.Text}
	}
	t.rows, t.at, t.means = out, 0, map[string]int{"vlan": 0}
	return len(columns) > 1
}

func blank(r []string) bool {
	return !slices.ContainsFunc(r, func(c string) bool { return strings.TrimSpace(c) != "" })
}

type table struct {
	*reading
	rows  [][]string
	at    int // of the head
	means map[string]int
	// turned brings the place of a trouble back to where it stood; nil where the rows are as they came.
	turned func(Trouble) Trouble
}

// each goes over the rows below the head.
func (t *table) each(f func(row int, cell func(what string) string)) {
	for i := t.at + 1; i < len(t.rows); i++ {
		if blank(t.rows[i]) || strings.HasPrefix(strings.TrimSpace(t.rows[i][0]), "#") {
			continue
		}
		f(i+1, func(what string) string {
			k, ok := t.means[what]
			if !ok || k >= len(t.rows[i]) {
				return ""
			}
			return strings.TrimSpace(t.rows[i][k])
		})
	}
}

func empty(text string) bool {
	return text == "" || text == "-" || text == "–" || strings.EqualFold(text, "none")
}

// ports reads a cell that lists ports of the device; a bundle's members stand for the bundle, which
// is what has VLANs. An empty cell is none.
func (t *table) ports(row int, what, text string) []int {
	if empty(text) {
		return nil
	}
	at, err := portList(t.device, text)
	if err != nil {
		t.wrong(row, t.means[what]+1, "%s", err)
		return nil
	}
	for i := range at {
		at[i] = t.device.Logical(at[i])
	}
	return at
}

// portList reads ports as a table has them: by their own name, spaces and all,
// in quotes, or in ranges with spaces anywhere.
func portList(device *office.Device, text string) ([]int, error) {
	text = strings.TrimSpace(text)
	if i := device.Port(text); i >= 0 {
		return []int{i}, nil
	}
	if strings.Contains(text, "\"") {
		return notation.PortList(device, text)
	}
	return notation.PortList(device, strings.Join(strings.Fields(text), ""))
}

// vids reads a cell that lists VLANs: 10,20-22. An empty cell is none.
func (t *table) vids(row int, what, text string) (set office.Set) {
	if empty(text) {
		return set
	}
	set, err := wording.ParseVIDs(text)
	if err != nil {
		t.wrong(row, t.means[what]+1, "%s", err)
	}
	return set
}

// byVLAN: each row a VLAN with its untagged and tagged ports. A port of the
// table that no row names is in no VLAN; the PVID is taken to be the untagged
// VLAN, as such a page does not show it.
//
//	> paste core
//	> VLAN,Untagged,Tagged
//	> 110,1-3,7-8
//	> 140,,1-3
//	by VLAN
//	7: planned 190 [110 140 160], found [110]
//	8: planned 190 [110 140 160], found [110]
func (t *table) byVLAN() {
	var whole office.Set // VLANs of which all ports are known
	t.each(func(row int, cell func(string) string) {
		before := len(t.out.Trouble)
		vs := t.vids(row, "vlan", cell("vlan"))
		if vs.Len() != 1 {
			t.wrong(row, t.means["vlan"]+1, "%q is not one VLAN", cell("vlan"))
			return
		}
		vid := vs.VIDs()[0]
		t.vlans.Add(vid)
		un := t.ports(row, "untagged", cell("untagged"))
		for _, p := range un {
			setting := t.start(p)
			setting.Untagged.Add(vid)
		}
		for _, port := range t.ports(row, "tagged", cell("tagged")) {
			if slices.Contains(un, port) {
				t.wrong(row, t.means["tagged"]+1, "port %s is untagged and tagged in VLAN %d: one of both", t.device.Ports[port].Name, vid)
				continue
			}
			setting := t.start(port)
			setting.Tagged.Add(vid)
		}
		if len(t.out.Trouble) == before {
			whole.Add(vid)
		}
	})
	for p := range t.said {
		t.follow(p)
	}
	t.unnamed(&whole)
}

// unnamed takes the VLANs that have a row off the ports that none of these rows names: a row
// has all ports of its VLAN. What they are in besides, the table does not say.
func (t *table) unnamed(whole *office.Set) {
	for port := range t.device.Ports {
		base := &t.out.State.Ports[port]
		in := base.Members()
		off := in.And(whole)
		if t.device.Ports[port].Bundle > 0 || t.said[port] || base.Off || off.Empty() && !whole.Has(base.PVID) {
			continue
		}
		setting := *base
		setting.Untagged, setting.Tagged = setting.Untagged.Minus(&off), setting.Tagged.Minus(&off)
		if whole.Has(setting.PVID) {
			setting.PVID = 0
		}
		setting.Rides = slices.DeleteFunc(slices.Clone(setting.Rides), func(ride office.Ride) bool { return off.Has(ride.VLAN) })
		*base, t.said[port] = setting, true
	}
}

// follow gives a port the PVID that its untagged VLAN has it follow.
func (t *table) follow(port int) {
	setting := &t.out.State.Ports[port]
	if vs := setting.Untagged.VIDs(); len(vs) == 1 {
		setting.PVID = vs[0]
	}
}

// byPort: each row some ports with what they are set to.
//
//	> paste core
//	> Port;Untagged;Tagged;PVID
//	> 1;110;140;110
//	> 2;160;;160
//	by port
//	2: planned 110 [140], found 160
//
// Many branches: one a column that may be missing.
func (t *table) byPort() {
	t.each(func(row int, cell func(string) string) {
		at := t.ports(row, "port", cell("port"))
		if len(at) == 0 {
			if len(t.out.Trouble) == 0 || t.out.Trouble[len(t.out.Trouble)-1].Row != row {
				t.wrong(row, t.means["port"]+1, "no port is named")
			}
			return
		}
		setting := wording.Setting{Filter: true, Untagged: t.vids(row, "untagged", cell("untagged")), Tagged: t.vids(row, "tagged", cell("tagged"))}
		mode := strings.ToLower(cell("mode"))
		for _, what := range []string{"vlan", "native"} { // the VLAN of an access port, the native one of a trunk
			one := t.vids(row, what, cell(what))
			switch {
			case one.Empty():
			case one.Len() == 1 && setting.Untagged.Empty() && (mode == "access" || what == "native" || setting.Tagged.Empty() || mode == "trunk"):
				setting.Untagged = one
			default:
				t.wrong(row, t.means[what]+1, "it is not clear what VLAN %s is here: name the columns Untagged, Tagged and PVID", cell(what))
				return
			}
		}
		if mode != "" || cell("native") != "" { // a trunk's list has its native VLAN
			setting.Tagged = setting.Tagged.Minus(&setting.Untagged)
		}
		if both := setting.Untagged.And(&setting.Tagged); !both.Empty() {
			t.wrong(row, t.means["tagged"]+1, "VLAN %d is untagged and tagged: one of both", both.VIDs()[0])
			return
		}
		if vs := setting.Untagged.VIDs(); len(vs) == 1 {
			setting.PVID = vs[0]
		}
		if text := cell("pvid"); text != "" {
			set := t.vids(row, "pvid", text)
			setting.PVID = 0
			if vs := set.VIDs(); len(vs) == 1 {
				setting.PVID = vs[0]
			} else if len(vs) > 1 {
				t.wrong(row, t.means["pvid"]+1, "a port has one PVID")
			}
		}
		setting.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[t.word(row, "admit", cell("admit"), "all", "tagged", "untagged")]
		setting.Filter = t.word(row, "filter", cell("filter"), "on", "off") == 0
		setting.Off = t.word(row, "state", cell("state"), "open", "up", "on", "shut", "down", "off") > 2 || mode == "shut"
		for _, p := range at {
			*t.start(p) = setting
		}
	})
}

// word reads one of some words, the first where nothing is said.
func (t *table) word(row int, what, text string, words ...string) int {
	if empty(text) {
		return 0
	}
	i := slices.Index(words, strings.ToLower(text))
	if i < 0 {
		t.wrong(row, t.means[what]+1, "%q is none of %s", text, strings.Join(words, ", "))
		return 0
	}
	return i
}

// grid: VLANs in rows, ports in columns, U and T in the cells; P marks the PVID
// where it is not the untagged VLAN.
//
//	> paste core
//	> Port;110;140;160
//	> 1;U;T;
//	> 4;;X;U
//	grid
//	row 3, column 3: "X" is neither U nor T, nor P for the PVID
//
// Many branches: one a mark that may stand in a cell.
func (t *table) grid() {
	head := t.rows[t.at]
	port := map[int][]int{}
	for k, h := range head {
		if k == t.means["vlan"] || columns[strings.ToLower(strings.TrimSpace(h))] == "name" || strings.TrimSpace(h) == "" {
			continue
		}
		at, err := portList(t.device, h)
		if err != nil {
			t.wrong(t.at+1, k+1, "%s", err)
			continue
		}
		for _, p := range at {
			p = t.device.Logical(p)
			port[k] = append(port[k], p)
			t.start(p)
		}
	}
	pvid := map[int]bool{}
	for i := t.at + 1; i < len(t.rows); i++ {
		if blank(t.rows[i]) {
			continue
		}
		text := ""
		if k := t.means["vlan"]; k < len(t.rows[i]) {
			text = strings.TrimSpace(t.rows[i][k])
		}
		vs := t.vids(i+1, "vlan", text)
		if vs.Len() != 1 {
			t.wrong(i+1, t.means["vlan"]+1, "%q is not one VLAN", text)
			continue
		}
		vid := vs.VIDs()[0]
		t.vlans.Add(vid)
		for k, c := range t.rows[i] {
			for _, at := range port[k] {
				setting := &t.out.State.Ports[at]
				switch c := strings.ToUpper(strings.TrimSpace(c)); c {
				case "", ".", "-", "–":
				case "U":
					setting.Untagged.Add(vid)
				case "T":
					setting.Tagged.Add(vid)
				case "P", "UP", "TP":
					pvid[at] = true
					setting.PVID = vid
					if c == "UP" {
						setting.Untagged.Add(vid)
					} else if c == "TP" {
						setting.Tagged.Add(vid)
					}
				default:
					t.wrong(i+1, k+1, "%q is neither U nor T, nor P for the PVID", c)
				}
			}
		}
	}
	for p := range t.said {
		if !pvid[p] {
			t.follow(p)
		}
	}
}
