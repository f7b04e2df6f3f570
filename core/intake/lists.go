package intake

import (
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

type cell struct {
	row, column int
	port        string
	vid         office.VID
	as          string // "U", "T", "P", "UP", "TP"
}

// column is the first cells of rows, as lines.
func column(rows [][]string) string {
	var text strings.Builder
	for _, r := range rows {
		if len(r) > 0 {
			text.WriteString(strings.ReplaceAll(r[0], "\u00a0", " "))
		}
		text.WriteByte('\n')
	}
	return text.String()
}

// head is a row of names of columns.
type head struct {
	row int // its index, -1 for none
	at  map[string]int
}

func (h head) has(what string) bool { _, ok := h.at[what]; return ok }

// headOf finds the line of heads among the first eight of a list: one with two columns that are
// known by their words. Of two columns called alike the first counts.
func headOf(rows [][]string) head {
	for i, r := range rows[:min(len(rows), 8)] {
		one := head{i, map[string]int{}}
		for k, c := range r {
			if what := wordOf(c); what != "" {
				if _, twice := one.at[what]; !twice {
					one.at[what] = k
				}
			}
		}
		if len(one.at) >= 2 {
			return one
		}
	}
	return head{-1, nil}
}

// columns are those that the head names.
func (h head) columns() (out []Head) {
	for is, k := range h.at {
		out = append(out, Head{Column: k + 1, Is: is})
	}
	return out
}

// cell is what a row has in a column, "" where the list has no such column.
func (h head) cell(r []string, what string) string {
	if k, ok := h.at[what]; ok && k < len(r) {
		return strings.TrimSpace(r[k])
	}
	return ""
}

// readRegister reads a list of VLANs, a VLAN a row: number, name, subnet, gateway and the like. A
// row whose VLAN cannot be read is noted as a whole, as its other cells say nothing without it.
//
//	> | VLAN | Name | Subnet | Gateway |
//	> | 110 | Reception | 10.61.110.0/24 | 10.61.110.1 |
//	> | 160 | Guest WiFi | 10.61.160.0/24 | |
//	> | many | | | |
//	vlan 110 reception "Gateway: 10.61.110.1" net 10.61.110.0/24
//	vlan 160 guest-wifi net 10.61.160.0/24
//	# row 4, column 1: "many" is no VLAN: a number from 1 to 4094
func (u *Understood) readRegister(table Table, head head, vlans map[office.VID]*office.VLAN) {
	of := rolesOf(table.Rows[head.row], head.row)
	for k, text := range table.Rows[head.row] {
		if strings.TrimSpace(text) != "" {
			u.took(table, head.row, k)
		}
	}
	for i := head.row + 1; i < len(table.Rows); i++ {
		r := table.Rows[i]
		if blank(r) {
			continue
		}
		vid, name, ok := vlanOf(head.cell(r, "vlan"))
		if !ok {
			u.wrong(AboutVLAN, table.at(i, head.at["vlan"]), "%q is no VLAN: a number from 1 to 4094", head.cell(r, "vlan"))
			continue
		}
		u.took(table, i, head.at["vlan"])
		u.register(entry{table, i, of, vlans}, vid, name)
	}
	u.region(table, head.row, len(table.Rows), Region{Is: IsRegister, Heads: headsOf(table.Rows[head.row], of)})
}

// cable and plug are rows as they were written, with their place.
type cable struct {
	from, to string
	sheet    string
	row      int
}

type plug struct {
	port, what, wants, how string
	sheet                  string
	row                    int
}

// readCables reads a list of cables, from and to; ports are looked for when all devices are known.
//
//	> | From | To |
//	> | core 8 | floor 8 |
//	# row 2, column 0: no port, plug or device is named core 8: write device.port, or the name
//	    of what is plugged in
func (u *Understood) readCables(table Table, head head) {
	u.tookHead(table, head)
	for i := head.row + 1; i < len(table.Rows); i++ {
		if from, to := head.cell(table.Rows[i], "from"), head.cell(table.Rows[i], "to"); from != "" && to != "" {
			u.took(table, i, head.at["from"], head.at["to"])
			u.cables = append(u.cables, cable{from, to, table.Name, table.row(i)})
		}
	}
	u.region(table, head.row, len(table.Rows), Region{Is: IsCables, Heads: head.columns()})
}

// readPlugs reads a list of what hangs where; ports are looked for when all devices are known.
func (u *Understood) readPlugs(table Table, head head) {
	u.tookHead(table, head)
	for i := head.row + 1; i < len(table.Rows); i++ {
		r := table.Rows[i]
		if port := head.cell(r, "port"); port != "" {
			for _, k := range head.at {
				u.took(table, i, k)
			}
			u.plugs = append(u.plugs, plug{port, clean(head.cell(r, "what")), head.cell(r, "wants"), strings.ToLower(head.cell(r, "how")), table.Name, table.row(i)})
		}
	}
	u.region(table, head.row, len(table.Rows), Region{Is: IsPlugs, Heads: head.columns()})
}

func (u *Understood) tookHead(table Table, head head) {
	for _, k := range head.at {
		u.took(table, head.row, k)
	}
}

func blank(r []string) bool {
	return !slices.ContainsFunc(r, func(c string) bool { return strings.TrimSpace(c) != "" })
}

// vlanOf reads a VLAN as it stands in a head: 110, VLAN 110, 110 reception,
// 110 (reception).
func vlanOf(text string) (vid office.VID, name string, ok bool) {
	m := vlanText.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return 0, "", false
	}
	n, _ := strconv.Atoi(m[1])
	if _, err := office.VIDOf(n); err != nil {
		return 0, "", false
	}
	return office.VID(n), strings.TrimSpace(m[2] + m[3]), true
}

// portsOf reads ports as they stand in a head: 7, Port 7, 1-4, lan1, "Clinic
// staff"; as their names, a range as all in it.
func portsOf(text string) []string {
	text = strings.TrimSpace(text)
	if len(text) > 1 && text[0] == '"' && text[len(text)-1] == '"' {
		return []string{text[1 : len(text)-1]}
	}
	m := portText.FindStringSubmatch(text)
	if m == nil {
		return nil
	}
	if !strings.ContainsAny(text, "0123456789 ") { // a name, whatever it begins with
		return []string{text}
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

// mark is what a cell of a grid says: "U P", "u,p", "Tagged"; own is what a legend says.
//
//	> | Switch A | 110 | 120 |
//	> | 1 | x | tagged |
//	> | 2 | untagged | t |
//	> | 3 | ? | - |
//	# row 1, column 0: no grid was found in it: a row of ports, and a column of VLANs, or the
//	    other way round
//	# row 2, column 1: "1" is nothing of an office that is known here
//	# row 2, column 2: "x" is nothing of an office that is known here
//	# row 2, column 3: "tagged" is nothing of an office that is known here
//	# row 3, column 1: "2" is nothing of an office that is known here
//	# row 3, column 2: "untagged" is nothing of an office that is known here
//	# row 3, column 3: "t" is nothing of an office that is known here
//	# row 4, column 1: "3" is nothing of an office that is known here
//	# row 4, column 2: "?" is nothing of an office that is known here
//	# row 4, column 3: "-" is nothing of an office that is known here
func mark(text string, own map[string]string) (string, bool) {
	text = strings.ToLower(strings.TrimSpace(text))
	if as, ok := own[text]; ok {
		return as, true
	}
	if as, ok := marks[text]; ok {
		return as, true
	}
	if as, ok := marks[plainWords(text)]; ok && !strings.Contains(text, "?") { // somebody did not know
		return as, true
	}
	out := ""
	for _, c := range strings.NewReplacer(" ", "", ",", "", "/", "", "+", "", ";", "", ".", "", "(", "", ")", "", "*", "p").Replace(text) {
		as := strings.ToUpper(string(c))
		if !strings.Contains("UTP", as) || strings.Contains(out, as) {
			return "", false
		}
		out += as
	}
	return out, out != ""
}
