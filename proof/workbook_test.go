package proof

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/spreadsheet"
)

// TestWorkbooks: an own workbook comes back as the office that it was made of, whatever it has,
// and each device's grid as the memberships that it shows.
func TestWorkbooks(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		o := Draw(t, 4)
		data, err := spreadsheet.Office(finding.Check(span.Compile(o)))
		require.NoError(t, err)
		tables, err := spreadsheet.Tables(data)
		require.NoError(t, err)
		u := spreadsheet.Understand(tables, nil)
		back, _ := u.Take(&office.Office{})
		require.Empty(t, u.Trouble, notation.Print(o))
		require.Equal(t, notation.Print(o), notation.Print(back))
		_, edit := spreadsheet.Understand(tables, nil).Take(o) // into the office itself: nothing
		require.Empty(t, edit, notation.Print(o))
	})
}

// TestWorkbookNames: ports that are called as the columns of somebody's own list are.
func TestWorkbookNames(t *testing.T) {
	f, err := notation.Read("o", "vlan 10 desks\ndevice rack switch\n  ports net, note, name, port, Speed, 1-2\n  net: 10\n  note: 10 pvid none\n  name: [10]\n  port: 10\n  Speed: [10]\n")
	require.NoError(t, err)
	data, err := spreadsheet.Office(finding.Check(span.Compile(f.Office)))
	require.NoError(t, err)
	tables, err := spreadsheet.Tables(data)
	require.NoError(t, err)
	u := spreadsheet.Understand(tables, nil)
	back, _ := u.Take(&office.Office{})
	require.Empty(t, u.Trouble)
	require.Equal(t, notation.Print(f.Office), notation.Print(back))
}
