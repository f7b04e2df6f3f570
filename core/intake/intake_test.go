package intake_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
)

// turned is a table with rows as columns.
func turned(rows [][]string) [][]string {
	var out [][]string
	for c := range rows[len(rows)-1] {
		var line []string
		for _, r := range rows {
			if c < len(r) {
				line = append(line, r[c])
			} else {
				line = append(line, "")
			}
		}
		out = append(out, line)
	}
	return out
}

// TestEitherWay: a grid means the same with VLANs down or across, with a title
// above, and in whichever words people write.
func TestEitherWay(t *testing.T) {
	grid := [][]string{
		{"", "1", "2", "3", "4"},
		{"110 reception", "U", "u", "", "T"},
		{"120 surgery", "", "tagged", "untagged", "t"},
	}
	want := "device ward-switch switch\n  ports 1-4\n  1: 110\n  2: 110 [120]\n  3: 120\n  4: [110 120]\n"
	for name, rows := range map[string][][]string{
		"down":   append([][]string{{"Ward switch", "", "", "", ""}, {"", "", "", "", ""}}, grid...),
		"across": append([][]string{{"Ward switch", "", ""}, {"", "", ""}}, turned(grid)...),
	} {
		u := intake.Read([]intake.Table{{Name: "Sheet1", Rows: rows}}, nil)
		require.Empty(t, u.Trouble, name)
		o, _ := u.Take(&office.Office{})
		require.Contains(t, notation.Print(o), want, name)
		require.Equal(t, "reception", o.VLAN(110).Name, name)
	}
}

// TestNotUnderstood: a cell that means nothing is said with its place, and the
// rest is taken.
func TestNotUnderstood(t *testing.T) {
	u := intake.Read([]intake.Table{{Name: "rack", Rows: [][]string{
		{"VLAN", "1", "2", "3"},
		{"110", "U", "maybe", ""},
		{"4999", "U", "", "U"},
	}}}, nil)
	require.True(t, slices.ContainsFunc(u.Trouble, func(x intake.Trouble) bool { return x.Sheet == "rack" && x.Row == 2 && x.Column == 3 }), "%v", u.Trouble)
	require.True(t, slices.ContainsFunc(u.Trouble, func(x intake.Trouble) bool { return x.Row == 3 }), "%v", u.Trouble)
	o, _ := u.Take(&office.Office{})
	require.Contains(t, notation.Print(o), "1: 110\n")
}

// TestLists: registers, cables and plugs as lists, with all that a row can say,
// and what is wrong in one at its place.
func TestLists(t *testing.T) {
	u := intake.Read([]intake.Table{
		{Name: "Register", Rows: [][]string{
			{"VLAN", "Name", "Note", "Subnet", "Local"},
			{"110", "reception", "the front", "10.61.110.0/24 fd00:110::/64", ""},
			{"", "", "", "", ""},
			{"120 surgery", "", "", "10.61.120.7/24", "yes"},
			{"5000", "too far", "", "", ""},
		}},
		{Name: "rack", Rows: [][]string{{"VLAN", "1", "2-3", "lan1-lan2", "7"}, {"110", "U", "t", "U/P", "-"}, {"120", "P", "no", "T", "access"}}},
		{Name: "den", Rows: [][]string{{"VLAN", "1", "2", "3"}, {"110", "U", "T", "U"}}},
		{Name: "Cables", Rows: [][]string{{"From", "To"}, {"rack.2", "den.2"}, {"rack 2", "den 1"}, {"rack.9", "den.1"}, {"rack.3", ""}, {"rack.3", "dean.3"}}},
		{Name: "Plugs", Rows: [][]string{{"Port", "What", "Wants", "How"}, {"rack.1", "pc", "110", ""}, {"den.3", "phone", "120 surgery", "Tagged"},
			{"den.1", "laptop", "110", "untagged, operator"}, {"den.2", "x", "many", ""}, {"den.8", "y", "110", ""}}},
	}, nil)
	o, _ := u.Take(&office.Office{})
	require.Equal(t, `vlan 110 reception "the front" net 10.61.110.0/24 net fd00:110::/64
vlan 120 surgery local

device rack switch
  ports 1-3, lan1-lan2, 7
  1: 110 pvid 120
  2-3: [110]
  lan1-lan2: 110 [120]
  7: 120

device den switch
  ports 1-3
  1: 110
  2: [110]
  3: 110

cable rack.2 den.2

plug rack.1 "pc" wants 110
plug den.3 "phone" wants 120 tagged
plug den.1 "laptop" wants 110 operator
`, notation.Print(o))
	var at []string
	for _, x := range u.Trouble {
		at = append(at, fmt.Sprintf("%s %d,%d", x.Sheet, x.Row, x.Column))
	}
	require.Equal(t, []string{"Register 5,1", "Cables 3,0", "Cables 4,0", "Cables 6,0", "Plugs 5,0", "Plugs 6,0", "Register 4,4", "Register 5,2", "Cables 5,1"}, at)
	// Taken again it changes nothing.
	_, e := intake.Read([]intake.Table{{Name: "rack", Rows: [][]string{{"VLAN", "1", "2-3", "lan1-lan2", "7"}, {"110", "U", "t", "U/P", "-"}, {"120", "P", "no", "T", "access"}}}}, nil).Take(o)
	require.Empty(t, e)
}

// TestCorrect: the first and the last cell of a sheet can be corrected, none
// beside it.
func TestCorrect(t *testing.T) {
	tables := func() []intake.Table { return []intake.Table{{Name: "a", Rows: [][]string{{"1", "2"}, {"3", "4"}}}} }
	x := tables()
	require.NoError(t, intake.Correct(x, []intake.Cell{{Sheet: "a", Row: 1, Column: 1, Text: "one"}, {Sheet: "a", Row: 2, Column: 2, Text: "four"}}))
	require.Equal(t, [][]string{{"one", "2"}, {"3", "four"}}, x[0].Rows)
	for _, c := range []intake.Cell{{Sheet: "a", Row: 0, Column: 1}, {Sheet: "a", Row: 1, Column: 0}, {Sheet: "a", Row: 3, Column: 1}, {Sheet: "a", Row: 2, Column: 3}, {Sheet: "b", Row: 1, Column: 1}} {
		require.ErrorContains(t, intake.Correct(tables(), []intake.Cell{c}), "there is no cell", c)
	}
}

// TestNamesOfGrids: a device is named by the title above its grid, else by its
// sheet; a single grid on a sheet that nobody named, whatever blank rows follow
// it, is the first switch.
func TestNamesOfGrids(t *testing.T) {
	grid := [][]string{{"VLAN", "1", "2"}, {"110", "U", "T"}}
	for _, row := range []struct {
		says, sheet string
		rows        [][]string
		want        []string
	}{
		{"by its sheet", "Ward East", grid, []string{"ward-east"}},
		{"by its title", "Ward East", append([][]string{{"Den"}}, grid...), []string{"den"}},
		{"by nothing", "Sheet1", grid, []string{"switch-1"}},
		{"by nothing, with blank rows behind", "Sheet1", append(slices.Clone(grid), []string{"", ""}, nil), []string{"switch-1"}},
		{"several", "Sheet1", append(append(append([][]string{{"Den"}}, grid...), nil, []string{"Attic router"}), grid...), []string{"den", "attic-router"}},
	} {
		u := intake.Read([]intake.Table{{Name: row.sheet, Rows: row.rows}}, nil)
		var got []string
		for _, g := range u.Grids {
			got = append(got, g.Device)
		}
		require.Equal(t, row.want, got, row.says)
	}
	u := intake.Read([]intake.Table{{Name: "moves", Rows: [][]string{{"VLAN", "From", "To"}, {"110", "rack.1", "rack.2"}}}}, nil)
	o, _ := u.Take(&office.Office{})
	require.Empty(t, o.Cables, "a list of VLANs is no list of cables")
}
