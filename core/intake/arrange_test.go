package intake_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
)

// memberships is who is in which VLAN, by device and port, without those that are in none.
func memberships(o *office.Office) map[string]string {
	out := map[string]string{}
	for _, device := range o.Devices {
		for port := range device.Ports {
			shape, _ := o.Effective(device, port)
			if shape.PVID != 0 || len(shape.Untagged)+len(shape.Tagged) > 0 {
				out[device.Name+"."+device.Ports[port].Name] = notation.Shape(*shape)
			}
		}
	}
	return out
}

func memberOf(tables []intake.Table) (map[string]string, *intake.Understood) {
	u := intake.Read(tables, nil)
	o, _ := u.Take(&office.Office{})
	return memberships(o), u
}

// TestGuess: a list whose heads are missing is read as it is with them, and said to be guessed, or
// it is said that nothing was found; never as something else.
func TestGuess(t *testing.T) {
	guessed, not := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		x, h := drawTruth(t), drawHabit(t)
		layout := rapid.SampledFrom([]string{"a flat list", "a flat list of one device with the PVID"}).Draw(t, "layout")
		tables, _ := layouts[layout](x, h)
		want, _ := memberOf(tables)
		for i := range tables {
			tables[i].Rows = tables[i].Rows[1:]
		}
		got, u := memberOf(tables)
		bare := 0
		for _, region := range u.Regions {
			require.True(t, region.Bare, "%+v", tables)
			bare++
		}
		require.Equal(t, bare, u.Counts[intake.AboutHead], "%v", u.Trouble)
		require.Equal(t, len(tables), bare+u.Counts[intake.AboutSheet], "%v\n%+v", u.Trouble, tables)
		for port, shape := range got {
			require.Equal(t, want[port], shape, "%s\n%+v\n%v", port, tables, u.Trouble)
		}
		if bare > 0 {
			guessed++
		} else {
			not++
		}
		if bare == len(tables) {
			require.Equal(t, want, got, "%+v", tables)
		}
		// Somebody says what they are.
		for i := range tables {
			var heads []intake.Above
			roles := []string{"device", "port", "untagged", "tagged", "hangs", "note", "socket", "speed"}
			if layout != "a flat list" {
				roles = []string{"port", "untagged", "tagged"}
			}
			for k, role := range roles {
				heads = append(heads, intake.Above{Sheet: tables[i].Name, Row: 1, Column: k + 1, Role: role})
			}
			arranged, err := intake.Arrange(tables, nil, heads)
			require.NoError(t, err)
			told, u := memberOf(arranged[i : i+1])
			for port, shape := range told {
				require.Equal(t, want[port], shape, "%+v", tables[i])
			}
			for _, region := range u.Regions {
				require.Equal(t, 1, region.Row)
				require.Equal(t, len(tables[i].Rows), region.Rows)
			}
		}
	})
	require.Greater(t, guessed, not, "%d guessed, %d not", guessed, not)
}

// TestLeftOut: rows that somebody leaves out are as if they were not there; all others keep their
// numbers in what is said of them and in the picture.
func TestLeftOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var names []string
		for name := range layouts {
			names = append(names, name)
		}
		slices.Sort(names)
		x, h := drawTruth(t), drawHabit(t)
		tables, _ := layouts[rapid.SampledFrom(names).Draw(t, "layout")](x, h)
		want, clean := memberOf(tables)
		var out []intake.Line
		for i := range tables {
			for range rapid.IntRange(0, 3).Draw(t, "rows that belong nowhere") {
				at := rapid.IntRange(0, len(tables[i].Rows)).Draw(t, "at")
				junk := []string{"sum", fmt.Sprint(at), "see the other sheet"}
				tables[i].Rows = slices.Insert(slices.Clone(tables[i].Rows), at, junk)
			}
			for row, cells := range tables[i].Rows {
				if len(cells) == 3 && cells[0] == "sum" {
					out = append(out, intake.Line{Sheet: tables[i].Name, Row: row + 1})
				}
			}
		}
		arranged, err := intake.Arrange(tables, out, nil)
		require.NoError(t, err)
		got, u := memberOf(arranged)
		require.Equal(t, want, got, "%+v", tables)
		require.Equal(t, clean.Counts, u.Counts, "%v", u.Trouble)
		for _, region := range u.Regions {
			for _, head := range region.Heads {
				at := intake.At(tables, region.Sheet, region.Row, head.Column)
				require.True(t, at != nil && (head.Text == "" || *at == head.Text), "%v is %q at row %d of %+v", head, *at, region.Row, tables)
			}
		}
		seen := map[intake.Line]bool{}
		for _, sheet := range u.Picture(tables) {
			for row, cells := range sheet.Cells {
				for _, cell := range cells {
					if cell.Is == intake.Left {
						seen[intake.Line{Sheet: sheet.Name, Row: row + 1}] = true
					}
				}
			}
		}
		for _, line := range out {
			require.True(t, seen[line], "row %d of %s is drawn as if it were taken", line.Row, line.Sheet)
		}
		_, err = intake.Arrange(tables, []intake.Line{{Sheet: tables[0].Name, Row: len(tables[0].Rows) + 1}}, nil)
		require.Error(t, err)
	})
}
