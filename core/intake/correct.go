package intake

import (
	"fmt"

	"klammer/core/office"
)

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
	for _, table := range tables {
		if table.Name == sheet && row >= 1 && row <= len(table.Rows) && column >= 1 && column <= len(table.Rows[row-1]) {
			return &table.Rows[row-1][column-1]
		}
	}
	return nil
}

// Correct puts other texts into cells that are there. The error names one that
// is not.
func Correct(tables []Table, cells []Cell) error {
	for _, cell := range cells {
		at := At(tables, cell.Sheet, cell.Row, cell.Column)
		if at == nil {
			return fmt.Errorf("there is no cell in row %d, column %d of %q", cell.Row, cell.Column, cell.Sheet)
		}
		*at = cell.Text
	}
	return nil
}
