package intake

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// A list without heads is told by what stands in its columns: a row a port, so that one column names
// ports and names none twice, with VLANs behind it. Only what leaves no doubt is guessed, and it is
// told, to be looked at and changed.

// fewestRows is how many rows a list without heads must have to be known as one.
const fewestRows = 3

var (
	oneVID   = regexp.MustCompile(`^\d{1,4}$`)
	someVIDs = regexp.MustCompile(`^\d{1,4}(?:\s*[-–]\s*\d{1,4})?(?:[\s,;/]+\d{1,4}(?:\s*[-–]\s*\d{1,4})?)*$`)
	aRate    = regexp.MustCompile(`(?i)^\d+(?:[.,]\d+)?\s*[MG](?:b(?:it)?(?:/s|ps)?)?$`)
)

// guessed is a table with a head put above it that says what its columns are for; false where that
// cannot be told without doubt.
//
//	> | core | 1 | 110 | 140 | front desk |
//	> | core | 2 | 110 | 140 | till |
//	> | core | 3 | 160 | | kiosk |
//	> | core | 8 | 190 | 110,140,160 | |
//	vlan 110 vlan110
//	vlan 140 vlan140
//	vlan 160 vlan160
//	vlan 190 vlan190
//	device core switch
//	  ports 1-3, 8
//	  1-2: 110 [140]
//	  3: 160
//	  8: 190 [110 140 160]
//	plug core.1 "front desk" wants 110
//	plug core.2 "till" wants 110
//	plug core.3 "kiosk" wants 160
//	# row 1, column 0: no heads stand above these rows, so what each column is was guessed from
//	    what stands in it: A device, B port, C untagged, D tagged, E what hangs there
//
// Many branches: a guess is given up at each sign of doubt.
func (t Table) guessed() (Table, bool) {
	top := slices.IndexFunc(t.Rows, func(r []string) bool { return !blank(r) && only(r) == "" })
	if top < 0 {
		return t, false
	}
	title := func(cells []string) bool { // a row of one cell that is no port without anything
		text := only(cells)
		return text != "" && (portsOf(text) == nil || !strings.ContainsAny(text, "0123456789"))
	}
	for top > 0 && !blank(t.Rows[top-1]) && !title(t.Rows[top-1]) {
		top--
	}
	var rows [][]string
	width := 0
	for _, cells := range t.Rows[top:] {
		if blank(cells) || title(cells) {
			break
		}
		rows = append(rows, cells)
		width = max(width, len(cells))
	}
	if len(rows) < fewestRows || width > drawnColumns {
		return t, false
	}
	of := make([]role, width)
	port := guessPort(rows, of)
	if port < 0 || !guessVLANs(rows, of, port) {
		return t, false
	}
	text := hangs
	for k := range of {
		switch {
		case of[k] != "" || filled(rows, k) == 0:
		case every(rows, k, aRate.MatchString):
			of[k] = aSpeed
		default:
			of[k], text = text, aNote
		}
	}
	words := make([]string, width)
	for k, what := range of {
		if at := slices.IndexFunc(Roles, func(one struct{ Role, Says, Word string }) bool { return one.Role == string(what) }); at >= 0 {
			words[k] = Roles[at].Word
		}
	}
	return t.headed(top, words), true
}

// guessPort finds the column of ports, and one before it that names their devices; -1 for none.
// Ports of one device are in the order of their numbers, as in every such list.
func guessPort(rows [][]string, of []role) int {
	for k := range of {
		device := k - 1
		if device >= 0 && (filled(rows, device) == 0 || slices.ContainsFunc(rows, func(r []string) bool { return someVIDs.MatchString(rowOf(r, device)) })) {
			continue
		}
		seen, of1, last, name := map[string]bool{}, "", 0, ""
		ok := true
		for _, r := range rows {
			text := rowOf(r, k)
			ports := portsOf(text)
			if len(ports) == 0 || !strings.ContainsAny(text, "0123456789") {
				ok = false
				break
			}
			if device >= 0 && rowOf(r, device) != "" {
				of1 = rowOf(r, device)
			}
			if of1 != name {
				name, last = of1, 0
			}
			_, number := digitsAtEnd(ports[0])
			key := of1 + " " + ports[0]
			if seen[key] || number <= last {
				ok = false
				break
			}
			seen[key], last = true, number
		}
		if !ok {
			continue
		}
		of[k] = aPort
		if device >= 0 {
			of[device] = aDevice
		}
		return k
	}
	return -1
}

// digitsAtEnd parts a name and the number that it ends in.
func digitsAtEnd(name string) (head string, number int) {
	head = strings.TrimRight(name, "0123456789")
	number, _ = strconv.Atoi(name[len(head):])
	return head, number
}

// guessVLANs finds the columns of VLANs behind that of ports: one VLAN in most cells is untagged, and
// that comes first of two such; where several stand in a cell they are tagged; one that says the
// untagged ones again is the PVID. A column that is empty more often than not leaves too much doubt
// to be the first.
//
// Many branches: a guess is given up at each sign of doubt.
func guessVLANs(rows [][]string, of []role, port int) bool {
	untagged := -1
	for k := port + 1; k < len(of); k++ {
		if filled(rows, k) == 0 && untagged < 0 { // nobody knows what would stand in it
			return false
		}
		if filled(rows, k) == 0 {
			continue
		}
		if !every(rows, k, func(text string) bool { return someVIDs.MatchString(text) && inRange(text) }) {
			if untagged >= 0 { // VLANs stand together; numbers behind texts are speeds, sockets, counts
				break
			}
			continue
		}
		single := every(rows, k, oneVID.MatchString)
		again := untagged >= 0 && !slices.ContainsFunc(rows, func(r []string) bool { return rowOf(r, k) != rowOf(r, untagged) })
		switch {
		case single && untagged < 0 && 2*filled(rows, k) >= len(rows):
			of[k], untagged = untaggeds, k
		case again && !slices.Contains(of, aPVID):
			of[k] = aPVID
		case (untagged >= 0 || !single) && !slices.Contains(of, taggeds):
			of[k] = taggeds
		default:
			return false // whatever it is, there is doubt
		}
	}
	if untagged < 0 {
		return false
	}
	count := true // 1, 2, 3 beside ports 1, 2, 3 is no list of VLANs
	for i, r := range rows {
		count = count && (rowOf(r, untagged) == "" || rowOf(r, untagged) == strconv.Itoa(i+1))
	}
	return !count
}

// inRange says whether all numbers of a cell are VLANs.
func inRange(text string) bool {
	for _, number := range strings.FieldsFunc(text, func(c rune) bool { return c < '0' || c > '9' }) {
		if _, err := office.ParseVID(number); err != nil {
			return false
		}
	}
	return true
}

// filled is how many rows have something in a column.
func filled(rows [][]string, k int) (n int) {
	for _, r := range rows {
		if rowOf(r, k) != "" {
			n++
		}
	}
	return n
}

// every says whether all that stands in a column is of a kind.
func every(rows [][]string, k int, is func(text string) bool) bool {
	return !slices.ContainsFunc(rows, func(r []string) bool { return rowOf(r, k) != "" && !is(rowOf(r, k)) })
}

// tellGuess says what the columns of a list without heads were taken for.
func (u *Understood) tellGuess(table Table, words []string, row int) {
	var all []string
	for k, word := range words {
		if word != "" {
			all = append(all, letterOf(k)+" "+strings.ToLower(word[:1])+word[1:])
		}
	}
	u.wrong(AboutHead, where{table.Name, row, 0}, "no heads stand above these rows, so what each column is was guessed from what stands in it: %s", strings.Join(all, ", "))
}

// letterOf is a column as spreadsheets call it, from 0: A, …, Z, AA.
func letterOf(k int) string {
	if k < 26 {
		return string(rune('A' + k))
	}
	return letterOf(k/26-1) + letterOf(k%26)
}
