package intake_test

import (
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
