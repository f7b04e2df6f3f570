package history_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/command"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// story is edits that were made one after the other, as the history keeps them.
type story struct {
	t    *testing.T
	o    *office.Office
	made []history.Made // the newest first
}

func (s *story) keep(o *office.Office, e office.Edit, who, what string, undoes int64) {
	m := history.Made{Revision: int64(len(s.made) + 1), Author: who, Summary: what, Undoes: undoes}
	for _, c := range e {
		x := history.Change{Key: c.Key(), At: c.At}
		if c.Before != nil {
			x.Before = notation.Thing(c.Before)
		}
		if c.After != nil {
			x.After = notation.Thing(c.After)
		}
		m.Changes = append(m.Changes, x)
	}
	s.o, s.made = o, append([]history.Made{m}, s.made...)
}

func (s *story) edit(who, line string) {
	r, err := command.Read(span.Compile(s.o), line)
	require.NoError(s.t, err, line)
	s.keep(r.Office, r.Edit, who, line, 0)
}

func (s *story) undo(revision int) error {
	i := len(s.made) - revision
	o, e, err := history.TakeBack(s.o, &s.made[i], s.made[:i])
	if err == nil {
		s.keep(o, e, "undo", "undo", int64(revision))
	}
	return err
}

// holds: the edits done again are the office, and so is every look at the past.
func (s *story) holds() {
	for n := range s.made {
		then := slices.Clone(s.made[n:])
		slices.Reverse(then)
		replayed, err := history.Replay(&office.Office{}, then)
		require.NoError(s.t, err)
		past, err := history.Past(s.o, s.made[:n])
		require.NoError(s.t, err)
		require.Equal(s.t, notation.Print(replayed), notation.Print(past), "before the last %d", n)
	}
	all := slices.Clone(s.made)
	slices.Reverse(all)
	now, err := history.Replay(&office.Office{}, all)
	require.NoError(s.t, err)
	require.Equal(s.t, notation.Print(now), notation.Print(s.o))
}

// TestBuiltUpon: a device that somebody has cabled and plugged something into is
// not taken back under him; he is named.
func TestBuiltUpon(t *testing.T) {
	s := &story{t: t, o: &office.Office{}}
	s.edit("ada", "vlan 150 x; device rack switch; ports 1-4")
	s.edit("ada", "device den switch; ports 1-4")
	s.edit("ben", `cable den.1 rack.2; plug den.2 "till" wants 150`)
	err := s.undo(2)
	var c *history.Conflict
	require.ErrorAs(t, err, &c)
	require.Contains(t, c.Text, "ben built upon it")
	s.holds()
	require.NoError(t, s.undo(3))
	require.NoError(t, s.undo(2))
	require.Nil(t, s.o.Device("den"))
	require.NoError(t, s.undo(5)) // and done again
	require.NotNil(t, s.o.Device("den"))
	s.holds()
}

// TestPlaces: what is taken back stands where it stood, whoever did what in
// between.
func TestPlaces(t *testing.T) {
	s := &story{t: t, o: &office.Office{}}
	s.edit("ada", "vlan 10 x; plan a; 1: 10; plan b; 1: 10; plan c; 1-2: 10; 3: 10; last: 10; plan d; 1: 10")
	s.edit("ada", "-plan a; -plan b")
	s.edit("ben", "plan e; 1: 10; plan f; 1: 10")
	require.NoError(t, s.undo(2))
	require.NoError(t, s.undo(3))
	var names []string
	for _, p := range s.o.Plans {
		names = append(names, p.Name)
	}
	require.Equal(t, []string{"a", "b", "c", "d"}, names)
	require.Len(t, s.o.Plan("c").Lines, 3)
	s.holds()
}

// TestDiff: the net difference leads there, and to what is so already it is
// nothing, as often as one asks.
func TestDiff(t *testing.T) {
	s := &story{t: t, o: &office.Office{}}
	s.edit("ada", "vlan 10 x; vlan 20 y; device a switch; ports 1-4; 1: 10")
	was := s.o
	s.edit("ben", `-device a; -vlan 10; device c switch; ports 1; device a switch; ports 1-2; 1: 20 because "so"`)
	for range 3 {
		e, err := history.Diff(s.o, was)
		require.NoError(t, err)
		s.o, err = office.Apply(s.o, e)
		require.NoError(t, err)
		require.Equal(t, notation.Print(was), notation.Print(s.o))
	}
	e, err := history.Diff(s.o, was)
	require.NoError(t, err)
	require.Empty(t, e)
}
