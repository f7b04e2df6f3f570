package store_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/office"
	"klammer/store"
)

// TestFoundAndTicks: both are kept by office and device, the newest first, and
// go with their office.
func TestFoundAndTicks(t *testing.T) {
	s, ctx := open(t), t.Context()
	id, err := s.Import(ctx, clinic(t), store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	other, err := s.Import(ctx, clinic(t), store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	for _, f := range []store.Found{
		{Ports: []string{"1", "Waiting room"}, Shapes: []string{"110", "[160]"}, How: "typed in", Author: "Robin"},
		{Ports: []string{"1"}, Shapes: []string{"120"}, How: "read from a.csv", Author: "Sam"},
	} {
		require.NoError(t, s.AddFound(ctx, id, "rack", f))
	}
	require.NoError(t, s.AddFound(ctx, id, "yard", store.Found{Ports: []string{"eth0"}, Shapes: []string{"-"}, How: "x", Author: "Sam"}))
	all, err := s.FoundOf(ctx, id, "rack", 10)
	require.NoError(t, err)
	require.Len(t, all, 2)
	require.Equal(t, "Sam", all[0].Author)
	require.Equal(t, []string{"1", "Waiting room"}, all[1].Ports)
	now, err := s.FoundNow(ctx, id)
	require.NoError(t, err)
	require.Len(t, now, 2)
	require.Equal(t, []string{"120"}, now["rack"].Shapes)
	require.Equal(t, []string{"eth0"}, now["yard"].Ports)
	now, err = s.FoundNow(ctx, other)
	require.NoError(t, err)
	require.Empty(t, now)
	require.Error(t, s.AddFound(ctx, id, "rack", store.Found{Ports: []string{"1", "2"}, Shapes: []string{"-"}, How: "x", Author: "a"}), "a port without a shape")
	require.Error(t, s.AddFound(ctx, id, "rack", store.Found{How: "x"}), "nobody found it")

	require.NoError(t, s.SetTick(ctx, id, "rack", store.Tick{Step: "step one", Author: "Robin"}, true))
	require.NoError(t, s.SetTick(ctx, id, "rack", store.Tick{Step: "step two", Author: "Sam"}, true))
	require.NoError(t, s.SetTick(ctx, id, "rack", store.Tick{Step: "step one", Author: "Sam"}, true))
	ticks, err := s.Ticks(ctx, id, "rack")
	require.NoError(t, err)
	require.Len(t, ticks, 2)
	require.Equal(t, "Robin", ticks[0].Author, "who ticked it first")
	require.NoError(t, s.SetTick(ctx, id, "rack", store.Tick{Step: "step one", Author: "Sam"}, false))
	ticks, _ = s.Ticks(ctx, id, "rack")
	require.Len(t, ticks, 1)

	require.NoError(t, s.Delete(ctx, id))
	require.ErrorIs(t, s.Delete(ctx, id), store.ErrNoOffice)
	all, err = s.FoundOf(ctx, id, "rack", 10)
	require.NoError(t, err)
	require.Empty(t, all)
	_, _, err = s.Load(ctx, other)
	require.NoError(t, err, "the other office stands")
}

// TestTell: a word reaches whoever listens, whole, and is kept nowhere.
func TestTell(t *testing.T) {
	s := open(t)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	heard := make(chan string, 64)
	go func() { _ = s.Listen(ctx, func() {}, func(int64, int64) {}, func(w string) { heard <- w }) }()
	require.Eventually(t, func() bool {
		require.NoError(t, s.Tell(ctx, `{"tab":"ä\"1"}`))
		select {
		case w := <-heard:
			return w == `{"tab":"ä\"1"}`
		default:
			return false
		}
	}, 10e9, 2e7)
}

// TestHistoryPages: the history is read a page at a time, backwards, without
// gaps or repeats.
func TestHistoryPages(t *testing.T) {
	s, ctx := open(t), t.Context()
	id, err := s.Import(ctx, clinic(t), store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	o, rev, err := s.Load(ctx, id)
	require.NoError(t, err)
	for i := range 7 {
		next, e := retitled(o, string(rune('a'+i)))
		rev, err = s.Commit(ctx, id, rev, e, store.Note{Author: "a", Summary: "x"})
		require.NoError(t, err)
		o = next
	}
	var seen []int64
	before := int64(0)
	for {
		page, err := s.HistoryPage(ctx, id, 0, before, 3)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, m := range page {
			seen = append(seen, m.Revision)
		}
		before = page[len(page)-1].Revision
	}
	require.Equal(t, []int64{8, 7, 6, 5, 4, 3, 2, 1}, seen)
}

// retitled is an office with another name, and the edit that gives it.
func retitled(o *office.Office, title string) (*office.Office, office.Edit) {
	d := office.NewDraft(o)
	d.SetTitle(title)
	return d.Done()
}
