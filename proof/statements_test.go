package proof

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
)

// TestStatementsRead: what an edit is told as can be typed: any two offices, one told to the other
// in statements, can be read again, up to lines that say of themselves that they are no statement;
// and where it is said to be exact they lead there.
func TestStatementsRead(t *testing.T) {
	exact := 0
	rapid.Check(t, func(t *rapid.T) {
		from := Draw(t, 3)
		to := from
		if rapid.IntRange(0, 3).Draw(t, "all otherwise") == 0 {
			to = Draw(t, 3)
		}
		var made office.Edit
		for range rapid.IntRange(0, 4).Draw(t, "edits") {
			_, text := DrawEdit(t, to)
			if next, edit, err := notation.Line(to, text); err == nil {
				to = next
				again, err := notation.Read("after", notation.Print(to))
				require.NoError(t, err, "%q makes an office that cannot be read", text)
				require.Equal(t, notation.Print(to), notation.Print(again.Office))
				made = append(made, edit...)
				notation.Statements(to, made) // of things that are no more by then, too
			}
		}
		edit, err := history.Diff(from, to)
		require.NoError(t, err)
		lines, all := notation.Statements(to, edit)
		var said []string
		for _, line := range lines {
			if !strings.HasPrefix(line, "# ") {
				said = append(said, line)
			}
		}
		if len(said) == 0 {
			return
		}
		after, _, err := notation.Line(from, strings.Join(said, "\n"))
		if err != nil {
			t.Fatalf("from\n%s\nto\n%s\nis told as\n%s\nwhich cannot be read: %s", notation.Print(from), notation.Print(to), strings.Join(lines, "\n"), err)
		}
		if all {
			exact++
			require.Equal(t, notation.Print(to), notation.Print(after), strings.Join(lines, "\n"))
		}
	})
	require.Positive(t, exact)
}
