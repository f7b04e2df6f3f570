package intake_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/intake"
	"klammer/core/office"
)

// TestPicture: regions lie within their sheets and not over each other, all that was taken lies in
// one or is a title, legend or name beside it; and a free column that somebody takes for something
// else is that from then on, whatever stood above it, while who is in which VLAN stays.
func TestPicture(t *testing.T) {
	var names []string
	for name := range layouts {
		names = append(names, name)
	}
	slices.Sort(names)
	words := map[string]string{}
	for _, role := range intake.Roles {
		words[role.Role] = role.Word
	}
	rapid.Check(t, func(t *rapid.T) {
		x, h := drawTruth(t), drawHabit(t)
		tables, _ := layouts[rapid.SampledFrom(names).Draw(t, "layout")](x, h)
		u := intake.Read(tables, nil)
		before, _ := u.Take(&office.Office{})
		left := 0
		at := map[[3]any]bool{}
		type column struct {
			sheet       string
			row, column int
		}
		var free []column
		for _, region := range u.Regions {
			require.Greater(t, region.Rows, 1)
			for row := region.Row; row < region.Row+region.Rows; row++ {
				for k := region.Column; k < region.Column+region.Columns; k++ {
					key := [3]any{region.Sheet, row, k}
					require.False(t, at[key], "two regions at %v", key)
					at[key] = true
				}
			}
			require.NotNil(t, intake.At(tables, region.Sheet, region.Row, region.Column), "it begins in the sheet")
			for _, head := range region.Heads {
				if slices.Contains([]string{"hangs", "note", "socket", "speed"}, head.Is) {
					free = append(free, column{region.Sheet, region.Row, head.Column})
				}
			}
		}
		for _, sheet := range u.Picture(tables) {
			for row, line := range sheet.Cells {
				for k, seen := range line {
					require.NotEqual(t, intake.Wrong, seen.Is, "%+v", tables)
					if seen.Is == intake.Left {
						left++
					}
					if seen.Is == intake.Taken && len(line) > 3 && row > 2 {
						inside := at[[3]any{sheet.Name, row + 1, k + 1}] || at[[3]any{sheet.Name, row + 2, k + 1}] // names above the head
						require.True(t, inside, "%q lies in no region: %q", seen.Text, tables)
					}
				}
			}
		}
		require.Equal(t, u.Counts[intake.AboutLeft], left, "%+v", tables)
		if len(free) == 0 {
			return
		}
		one := rapid.SampledFrom(free).Draw(t, "column")
		to := rapid.SampledFrom([]string{"hangs", "note", "socket", "nothing"}).Draw(t, "to")
		require.NoError(t, intake.Correct(tables, []intake.Cell{{Sheet: one.sheet, Row: one.row, Column: one.column, Text: words[to]}}))
		again := intake.Read(tables, nil)
		is := ""
		for _, region := range again.Regions {
			for _, head := range region.Heads {
				if region.Sheet == one.sheet && region.Row == one.row && head.Column == one.column {
					is = head.Is
				}
			}
		}
		after, _ := again.Take(&office.Office{})
		if is != to { // the list has a column of that kind already: the second is a note with its head
			require.Equal(t, "note", is, "%+v", tables)
		}
		for i, device := range before.Devices {
			for port := range device.Ports {
				was, _ := before.Effective(device, port)
				now, _ := after.Effective(after.Devices[i], port)
				require.True(t, was.Equal(*now), "%s %s: %v %v", device.Name, device.Ports[port].Name, was, now)
			}
		}
		if to == "nothing" && is == to {
			require.Empty(t, again.Trouble, fmt.Sprintf("%+v", tables))
		}
	})
}
