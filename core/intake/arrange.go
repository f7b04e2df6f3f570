package intake

import (
	"fmt"
	"slices"
	"strings"
)

// What somebody says of rows before they are read: rows that are left out, and what columns are for
// below a row that has no head above it. Rows keep the numbers that they have in the file.

// Line is a row of a sheet, from 1.
type Line struct {
	Sheet string
	Row   int
}

// Above says what a column is for from a row on, where no head says so: Role is one of [Roles].
type Above struct {
	Sheet       string
	Row, Column int // from 1
	Role        string
}

// row is the number of a row in its file, from 1; 0 for a head that is not in it.
func (t Table) row(i int) int {
	if t.number == nil {
		return i + 1
	}
	return t.number[i]
}

// below is the number of a row, or for a head that is not in the file that of the row below it.
func (t Table) below(i int) int {
	if t.row(i) == 0 && i+1 < len(t.Rows) {
		return t.row(i + 1)
	}
	return t.row(i)
}

// spot is a cell of a table by its place in the file.
func (t Table) spot(row, column int) spot { return spot{t.Name, t.row(row) - 1, column} }

// numbers are those of all rows in the file.
func (t Table) numbers() []int {
	if t.number != nil {
		return slices.Clone(t.number)
	}
	out := make([]int, len(t.Rows))
	for i := range out {
		out[i] = i + 1
	}
	return out
}

// headed is a table with a head put above its row i; words are by column.
func (t Table) headed(i int, words []string) Table {
	t.number = slices.Insert(t.numbers(), i, 0)
	t.Rows = slices.Insert(slices.Clone(t.Rows), i, words)
	return t
}

// Arrange leaves rows out of tables and puts heads above others. The error names a row, a column or
// a role that is not there. The tables given stay as they are, for [Understood.Picture].
func Arrange(tables []Table, out []Line, heads []Above) ([]Table, error) {
	at := map[string]int{}
	for i, table := range tables {
		at[table.Name] = i
	}
	there := func(sheet string, row int) error {
		i, ok := at[sheet]
		if !ok || row < 1 || row > len(tables[i].Rows) {
			return fmt.Errorf("there is no row %d in %q", row, sheet)
		}
		return nil
	}
	arranged := slices.Clone(tables)
	words := map[Line][]string{}
	for _, one := range heads {
		if err := there(one.Sheet, one.Row); err != nil {
			return nil, err
		}
		k := slices.IndexFunc(Roles, func(role struct{ Role, Says, Word string }) bool { return role.Role == one.Role })
		if k < 0 {
			return nil, fmt.Errorf("%q is nothing that a column can be taken for", one.Role)
		}
		if one.Column < 1 || one.Column > drawnColumns {
			return nil, fmt.Errorf("there is no column %d that a head can be put above: 1 to %d", one.Column, drawnColumns)
		}
		line := Line{one.Sheet, one.Row}
		for len(words[line]) < one.Column {
			words[line] = append(words[line], "")
		}
		words[line][one.Column-1] = Roles[k].Word
	}
	gone := map[Line]bool{}
	for _, line := range out {
		if err := there(line.Sheet, line.Row); err != nil {
			return nil, err
		}
		gone[line] = true
	}
	for k, table := range tables {
		next := Table{Name: table.Name, number: []int{}}
		for i, cells := range table.Rows {
			line := Line{table.Name, i + 1}
			if head := words[line]; head != nil {
				next.Rows, next.number = append(next.Rows, head), append(next.number, 0)
			}
			if gone[line] {
				next.out = append(next.out, left{i, cells})
				continue
			}
			next.Rows, next.number = append(next.Rows, cells), append(next.number, i+1)
		}
		if len(next.Rows) != len(table.Rows) || next.out != nil {
			arranged[k] = next
		}
	}
	return arranged, nil
}

// left is a row that somebody left out: its place in the file, from 0, and what stands in it.
type left struct {
	row   int
	cells []string
}

// leaveOut notes the cells of rows that somebody left out: they are nothing, as he said, and no
// complaint.
func (u *Understood) leaveOut(table Table) {
	for _, line := range table.out {
		for k, text := range line.cells {
			if strings.TrimSpace(text) != "" {
				u.left[spot{table.Name, line.row, k}] = true
			}
		}
	}
}
