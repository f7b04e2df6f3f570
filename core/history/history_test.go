package history_test

import (
	"klammer/proof/replay"
	"slices"
	"strings"
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
	r, err := command.Do(span.Compile(s.o), command.Line{Text: line})
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
		replayed, err := replay.Replay(&office.Office{}, then)
		require.NoError(s.t, err)
		past, err := history.Past(s.o, s.made[:n])
		require.NoError(s.t, err)
		require.Equal(s.t, notation.Print(replayed), notation.Print(past), "before the last %d", n)
	}
	all := slices.Clone(s.made)
	slices.Reverse(all)
	now, err := replay.Replay(&office.Office{}, all)
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

// TestStanding: an edit that was taken back is as if it had not been, for those
// who made theirs on what was before it; done again, it is.
func TestStanding(t *testing.T) {
	s := &story{t: t, o: &office.Office{}}
	s.edit("ada", "vlan 10 x; device a switch; ports 1-4")
	s.edit("ada", "a 1: 10")
	touches := office.Edit{{After: office.Setting{Port: office.PortRef{Device: "a", Port: "1"}}}}
	says := func(since int64) string {
		err := history.Untouched(touches, s.made[:len(s.made)-int(since)], since)
		if err == nil {
			return ""
		}
		return err.Error()
	}
	require.Contains(t, says(1), "port a.1 was changed meanwhile by ada")
	require.NoError(t, s.undo(2))
	require.Empty(t, says(1), "it does not stand")
	require.Contains(t, says(2), "meanwhile by undo", "who saw it, and not that it was taken back, is told")
	require.NoError(t, s.undo(3))
	require.Contains(t, says(1), "by ada", "done again it stands")
	require.Empty(t, says(4))
}

// TestOrders: of each list of an office the order is part of what differs.
func TestOrders(t *testing.T) {
	const text = "vlan 10 x\nuse u 10\nuse v 10\nplan p\n  1: 10\nplan q\n  1: 10\ndevice a switch\n  ports 1-4\ndevice b switch\n  ports 1-4\n" +
		"cable a.1 b.1\ncable a.2 b.2\nplug a.3 \"x\" wants 10\nplug a.4 \"y\" wants 10\n"
	was, err := notation.Read("t", text)
	require.NoError(t, err)
	for _, row := range [][2]string{
		{"use u 10\nuse v 10\n", "use v 10\nuse u 10\n"},
		{"plan p\n  1: 10\nplan q\n  1: 10\n", "plan q\n  1: 10\nplan p\n  1: 10\n"},
		{"device a switch\n  ports 1-4\ndevice b switch\n  ports 1-4\n", "device b switch\n  ports 1-4\ndevice a switch\n  ports 1-4\n"},
		{"cable a.1 b.1\ncable a.2 b.2\n", "cable a.2 b.2\ncable a.1 b.1\n"},
		{"plug a.3 \"x\" wants 10\nplug a.4 \"y\" wants 10\n", "plug a.4 \"y\" wants 10\nplug a.3 \"x\" wants 10\n"},
	} {
		is, err := notation.Read("t", strings.Replace(text, row[0], row[1], 1))
		require.NoError(t, err)
		e, err := history.Diff(was.Office, is.Office)
		require.NoError(t, err)
		require.Len(t, e, 1, row[1])
		o, err := office.Apply(was.Office, e)
		require.NoError(t, err)
		require.Equal(t, notation.Print(is.Office), notation.Print(o))
		o, err = office.Apply(o, e.Inverse())
		require.NoError(t, err)
		require.Equal(t, notation.Print(was.Office), notation.Print(o))
	}
}

// TestTurns: taking back an edit is an undo, taking that back a redo, and so on;
// summaries do not pile up.
func TestTurns(t *testing.T) {
	turn := history.Edit
	var says []string
	for range 4 {
		says = append(says, turn.Of("110 off rack 1"))
		turn = turn.Back()
	}
	require.Equal(t, []string{"110 off rack 1", "undo: 110 off rack 1", "redo: 110 off rack 1", "undo: 110 off rack 1"}, says)
}

// TestTakeOverChosen: rules are one piece; where they were changed on both sides those that were
// tried take the place of all of them. What nobody chose stays.
func TestTakeOverChosen(t *testing.T) {
	reads := func(rules, port string) *office.Office {
		f, err := notation.Read("x", "vlan 10 desks net 10.0.10.0/24\nvlan 20 tills net 10.0.20.0/24\ndevice g firewall\n  ports 1-2\n  address 10 10.0.10.1/24 on 1\n  address 20 10.0.20.1/24 on 1\n"+rules+"  2: "+port+"\n")
		require.NoError(t, err)
		return f.Office
	}
	rule := func(text string) string { return "  " + text + "\n" }
	then := reads(rule("allow vlan 10 to outside"), "10")
	tried := reads(rule("deny vlan 20 to vlan 10")+rule("allow vlan 10 to outside"), "20")
	now := reads(rule("allow vlan 10 to outside")+rule("allow vlan 10 to vlan 20 ping"), "10")
	pieces, err := history.Tried(now, then, tried)
	require.NoError(t, err)
	require.Len(t, pieces, 2)
	for _, piece := range pieces {
		require.Equal(t, piece.Key == "rules:g", piece.Clashes(), piece.Key)
	}
	o, _, err := history.TakeOver(now, then, tried, map[office.Key]bool{"rules:g": true})
	require.NoError(t, err)
	require.Equal(t, notation.Print(reads(rule("deny vlan 20 to vlan 10")+rule("allow vlan 10 to outside"), "10")), notation.Print(o))
	o, _, err = history.TakeOver(now, then, tried, map[office.Key]bool{"port:g.2": true})
	require.NoError(t, err)
	require.Equal(t, notation.Print(reads(rule("allow vlan 10 to outside")+rule("allow vlan 10 to vlan 20 ping"), "20")), notation.Print(o))
}
