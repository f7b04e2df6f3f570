package wording

import (
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Table is values as one of the device's pages asks for them.
type Table struct {
	Title string     `json:"title" required:"true"`
	Head  []string   `json:"head" required:"true" nullable:"false"`
	Rows  [][]string `json:"rows" required:"true" nullable:"false"`
}

// find gives the table of a title, nil where it is not there.
func find(ts []Table, title string) *Table {
	for i := range ts {
		if strings.EqualFold(ts[i].Title, title) {
			return &ts[i]
		}
	}
	return nil
}

// row is a row being read: cells by the names of their columns, and the first
// thing that is wrong.
type row struct {
	device *Device
	table  *Table
	at     int
	cells  map[string]string
	err    error
}

// each reads the rows of a table, one after the other; the error names the
// table, the row and the column.
func (t *Table) each(device *Device, f func(one *row)) error {
	if t == nil {
		return nil
	}
	for i, cells := range t.Rows {
		one := &row{device, t, i, map[string]string{}, nil}
		for k, c := range cells {
			if k < len(t.Head) {
				one.cells[strings.ToLower(t.Head[k])] = strings.TrimSpace(c)
			}
		}
		f(one)
		if one.err != nil {
			return one.err
		}
	}
	return nil
}

func (r *row) wrong(column string, err error) {
	if r.err == nil {
		r.err = fmt.Errorf("%s, row %d, %s: %w", r.table.Title, r.at+1, column, err)
	}
}

func (r *row) text(column string) string { return r.cells[strings.ToLower(column)] }

// none says whether a cell is empty, or says so.
func none(text string) bool { return text == "" || text == "-" || text == "–" || text == "none" }

// ports reads a cell that lists ports; a bundle's members stand for the bundle.
func (r *row) ports(column string) []int {
	text := r.text(column)
	if none(text) {
		return nil
	}
	at, err := notation.PortList(r.device.Device, text)
	if err != nil {
		r.wrong(column, err)
		return nil
	}
	for i, p := range at {
		at[i] = r.device.Logical(p)
	}
	return at
}

// vids reads a cell that lists VLANs.
func (r *row) vids(column string) office.Set {
	text := r.text(column)
	if none(text) {
		return office.Set{}
	}
	set, err := ParseVIDs(text)
	if err != nil {
		r.wrong(column, err)
	}
	return set
}

// vid reads one VID, 0 for none.
func (r *row) vid(column string) office.VID {
	text := r.text(column)
	if none(text) {
		return 0
	}
	vid, err := office.ParseVID(text)
	if err != nil {
		r.wrong(column, err)
	}
	return vid
}

// choice reads one of some words and gives its place.
func (r *row) choice(column string, words ...string) int {
	text := strings.ToLower(r.text(column))
	for i, word := range words {
		if text == word {
			return i
		}
	}
	if text == "" {
		return 0
	}
	r.wrong(column, fmt.Errorf("%q is none of %s", r.text(column), strings.Join(words, ", ")))
	return 0
}

// runs gathers ports with the same cells into one row, in the order of the
// first of them.
func (d *Device) runs(f func(p int) []string) [][]string {
	var rows [][]string
	var at [][]int
	index := map[string]int{}
	for _, port := range d.logical() {
		cells := f(port)
		if cells == nil {
			continue
		}
		key := strings.Join(cells, "\x00")
		i, ok := index[key]
		if !ok {
			i = len(rows)
			index[key] = i
			rows = append(rows, cells)
			at = append(at, nil)
		}
		at[i] = append(at[i], port)
	}
	for i := range rows {
		rows[i] = append([]string{d.list(at[i])}, rows[i]...)
	}
	return rows
}

// vidOr is a VID, or what stands for there being none.
func vidOr(vid office.VID, otherwise string) string {
	if vid == 0 {
		return otherwise
	}
	return fmt.Sprint(vid)
}

// single is the least VID of a set, 0 of an empty one.
func single(set *office.Set) office.VID {
	for vid := range set.All() {
		return vid
	}
	return 0
}
