package store_test

import (
	"errors"
	"fmt"
	"klammer/proof/replay"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/command"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

// drawLine draws a line that people type: of few names, so that they meet.
func drawLine(t *rapid.T, o *office.Office) string {
	dev := func() string { return rapid.SampledFrom([]string{"d1", "d2", "d3", "d4"}).Draw(t, "device") }
	port := func() string { return dev() + "." + rapid.SampledFrom([]string{"1", "2", "3"}).Draw(t, "port") }
	name := func(of ...string) string { return rapid.SampledFrom(of).Draw(t, "name") }
	vid := func() string { return rapid.SampledFrom([]string{"10", "20", "30"}).Draw(t, "vid") }
	switch rapid.IntRange(0, 19).Draw(t, "line") {
	case 0, 1:
		return fmt.Sprintf("device %s switch; ports 1-4; 1-2: %s", dev(), vid())
	case 2:
		return "-device " + dev()
	case 3, 4:
		return fmt.Sprintf("cable %s %s", port(), port())
	case 5:
		return fmt.Sprintf("-cable %s %s", port(), port())
	case 6, 7:
		return fmt.Sprintf("plug %s %q wants %s", port(), name("till", "pc"), vid())
	case 8:
		return fmt.Sprintf("-plug %s %q", port(), name("till", "pc"))
	case 9:
		return fmt.Sprintf("use %s %s", name("desk", "up"), vid())
	case 10:
		return "-use " + name("desk", "up")
	case 11:
		return fmt.Sprintf("plan %s; 1-2: %s; last: %s", name("a", "b", "c"), name("10", "use desk", "use up"), vid())
	case 12:
		return "-plan " + name("a", "b", "c")
	case 13:
		return fmt.Sprintf("%s follows %s", dev(), name("a", "b", "c"))
	case 14:
		return fmt.Sprintf("rename device %s to %s", dev(), dev())
	case 15:
		return fmt.Sprintf("vlan %s %s", vid(), name("x", "y", "z"))
	case 16:
		return fmt.Sprintf("renumber %s to %s", vid(), vid())
	case 17:
		return fmt.Sprintf("office %q", name("One", "Two"))
	case 18:
		return fmt.Sprintf("%s bundle up lacp 3-4", dev())
	}
	return fmt.Sprintf("%s %s: %s", dev(), rapid.SampledFrom([]string{"1", "2", "3", "up"}).Draw(t, "set"), name("10", "20 [30]", "use desk", "off", `10 because "so"`))
}

// TestLaw: for any interleaving of edits, undo, redo and restore by editors who
// look at different revisions, the edits done again from nothing give the office
// in memory, and that is the office in the database, content and order; every
// look at the past is what the office was; and what is taken back is as it was
// before, or somebody is named.
func TestLaw(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	done, merged, undone, refused, restored := 0, 0, 0, 0, 0
	rapid.Check(t, func(t *rapid.T) {
		o := &office.Office{Title: "Start"}
		id, err := s.Import(ctx, o, store.Note{Author: "a", Summary: "start"})
		require.NoError(t, err)
		was := map[int64]string{1: notation.Print(o)}
		rev := int64(1)
		all := func(since int64) []history.Made {
			list, err := s.History(ctx, id, since, 1000)
			require.NoError(t, err)
			return store.Edits(list)
		}
		commit := func(next *office.Office, e office.Edit, note store.Note) {
			if len(e) == 0 {
				return
			}
			rev, err = s.Commit(ctx, id, rev, e, note)
			require.NoError(t, err, note.Summary)
			o = next
			was[rev] = notation.Print(o)
			back, at, err := s.Load(ctx, id)
			require.NoError(t, err)
			require.Equal(t, rev, at)
			require.Equal(t, notation.Print(o), notation.Print(back), "memory and database after %q", note.Summary)
		}
		for range rapid.IntRange(5, 25).Draw(t, "steps") {
			who := rapid.SampledFrom([]string{"ada", "ben"}).Draw(t, "who")
			switch rapid.IntRange(0, 9).Draw(t, "what") {
			default:
				base := rapid.Int64Range(max(1, rev-4), rev).Draw(t, "base")
				line := drawLine(t, o)
				r, err := command.Do(span.Compile(o), command.Line{Text: line})
				if err != nil {
					continue
				}
				if history.Untouched(r.Edit, all(base), base) != nil {
					merged++
					continue
				}
				commit(r.Office, r.Edit, store.Note{Author: who, Summary: line})
				done++
			case 6, 7, 8:
				of := rapid.Int64Range(1, rev).Draw(t, "take back")
				m, ok, err := s.Edit(ctx, id, of)
				require.NoError(t, err)
				require.True(t, ok)
				if m.UndoneBy != 0 || of == 1 {
					continue
				}
				next, e, err := history.TakeBack(o, &m.Made, all(of))
				if err != nil {
					var c *history.Conflict
					require.True(t, errors.As(err, &c), "%v", err)
					refused++
					continue
				}
				first := map[office.Key]bool{} // what differs may go, and come again
				for _, c := range m.Changes {
					if first[c.Key] {
						continue
					}
					first[c.Key] = true
					require.Equal(t, c.Before, history.Text(next, c.Key), "%s after %s was taken back", c.Key, m.Summary)
				}
				commit(next, e, store.Note{Author: who, Summary: m.Summary, Turn: m.Turn.Back(), Undoes: of})
				undone++
			case 9:
				to := rapid.Int64Range(1, rev).Draw(t, "restore")
				then, err := history.Past(o, all(to))
				require.NoError(t, err)
				require.Equal(t, was[to], notation.Print(then), "the past at %d", to)
				e, err := history.Diff(o, then)
				require.NoError(t, err, "from\n%s\nto\n%s", notation.Print(o), notation.Print(then))
				next, err := office.Apply(o, e)
				require.NoError(t, err)
				require.Equal(t, was[to], notation.Print(next), "restored")
				commit(next, e, store.Note{Author: who, Summary: fmt.Sprint("restore ", to)})
				again, err := history.Diff(o, then)
				require.NoError(t, err)
				require.Empty(t, again, "the net difference to what is so already is nothing")
				restored++
			}
		}
		made := all(0)
		slices.Reverse(made)
		again, err := replay.Replay(&office.Office{}, made)
		require.NoError(t, err)
		require.Equal(t, notation.Print(o), notation.Print(again), "replayed")
		for at, text := range was {
			then, err := history.Past(o, all(at))
			require.NoError(t, err)
			require.Equal(t, text, notation.Print(then), "the past at %d", at)
		}
	})
	t.Logf("%d edits made, %d refused for another's, %d taken back, %d not, %d restored", done, merged, undone, refused, restored)
}
