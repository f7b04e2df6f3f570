package store_test

import (
	"context"
	"fmt"
	"os"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/proof"
	"klammer/proof/short"
	"klammer/store"
	"klammer/store/cluster/clustertest"
)

// url is a real PostgreSQL, started for the tests of this package.
var url string

func TestMain(m *testing.M) { os.Exit(clustertest.Main(m, &url)) }

func open(t *testing.T) *store.Store {
	s, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

func clinic(t *testing.T) *office.Office {
	text, err := os.ReadFile("../demo/clinic.klm")
	require.NoError(t, err)
	f, err := notation.Read("clinic", string(text))
	require.NoError(t, err)
	return f.Office
}

// TestRoundTrip: what is put in comes out, after any edits, and after taking
// all of them back from what the history says.
func TestRoundTrip(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	rapid.Check(t, func(t *rapid.T) {
		o := proof.Draw(t, 5)
		first := notation.Print(o)
		id, err := s.Import(ctx, o, store.Note{Author: "a", Summary: "first"})
		require.NoError(t, err)
		rev := int64(1)
		for range rapid.IntRange(0, 6).Draw(t, "edits") {
			_, text := proof.DrawEdit(t, o)
			n, e, err := notation.Line(o, text)
			if err != nil || len(e) == 0 {
				continue
			}
			rev, err = s.Commit(ctx, id, rev, e, store.Note{Author: "a", Summary: text})
			require.NoError(t, err, text)
			o = n
			back, at, err := s.Load(ctx, id)
			require.NoError(t, err)
			require.Equal(t, rev, at)
			require.Equal(t, notation.Print(o), notation.Print(back), text)
		}
		all, err := s.History(ctx, id, 1, 100)
		require.NoError(t, err)
		for _, m := range all { // newest first
			for i := len(m.Changes) - 1; i >= 0; i-- {
				c := office.Change{At: m.Changes[i].At}
				if x := m.Changes[i].After; x != "" {
					c.Before, err = notation.ReadThing(o, x)
					require.NoError(t, err, x)
				}
				if x := m.Changes[i].Before; x != "" {
					c.After, err = notation.ReadThing(o, x)
					require.NoError(t, err, x)
				}
				o, err = office.Apply(o, office.Edit{c})
				require.NoError(t, err)
			}
		}
		require.Equal(t, first, notation.Print(o))
	})
}

func TestClinicRoundTrip(t *testing.T) {
	s := open(t)
	o := clinic(t)
	id, err := s.Import(t.Context(), o, store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	back, rev, err := s.Load(t.Context(), id)
	require.NoError(t, err)
	require.Equal(t, int64(1), rev)
	require.Equal(t, notation.Print(o), notation.Print(back))
	_, _, err = s.Load(t.Context(), id+1000)
	require.ErrorIs(t, err, store.ErrNoOffice)
}

// TestStale: of two edits on one revision one is made, whoever comes first; the
// other changes nothing.
func TestStale(t *testing.T) {
	s := open(t)
	o := clinic(t)
	id, err := s.Import(t.Context(), o, store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	_, e, err := notation.Line(o, "rack 19: 190 [130]")
	require.NoError(t, err)
	var wg sync.WaitGroup
	made := make(chan error, 8)
	for i := range 8 {
		wg.Go(func() {
			_, err := s.Commit(t.Context(), id, 1, e, store.Note{Author: fmt.Sprint(i), Summary: "x"})
			made <- err
		})
	}
	wg.Wait()
	close(made)
	ok := 0
	for err := range made {
		if err == nil {
			ok++
		} else {
			require.ErrorIs(t, err, store.ErrStale)
		}
	}
	require.Equal(t, 1, ok)
	_, rev, err := s.Load(t.Context(), id)
	require.NoError(t, err)
	require.Equal(t, int64(2), rev)
	all, err := s.History(t.Context(), id, 0, 10)
	require.NoError(t, err)
	require.Len(t, all, 2)
	require.Equal(t, "rack 19: 190 [120 140 170]", all[0].Changes[0].Before)
	require.Equal(t, "rack 19: 190 [130]", all[0].Changes[0].After)
}

// TestAllOrNothing: an edit that fails half way leaves nothing behind.
func TestAllOrNothing(t *testing.T) {
	s := open(t)
	o := clinic(t)
	id, err := s.Import(t.Context(), o, store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	e := office.Edit{
		{
			Before: office.Setting{Port: office.PortRef{Device: "rack", Port: "1"}},
			After:  office.Setting{Port: office.PortRef{Device: "rack", Port: "1"}, Shape: &office.Shape{Untagged: []office.VID{120}}},
		},
		{After: office.Cable{A: office.PortRef{Device: "rack", Port: "19"}, B: office.PortRef{Device: "rack", Port: "22"}}, At: 99},
	}
	_, err = s.Commit(t.Context(), id, 1, e, store.Note{Author: "a", Summary: "a second cable in rack 19"})
	require.ErrorContains(t, err, "cable_end")
	back, rev, err := s.Load(t.Context(), id)
	require.NoError(t, err)
	require.Equal(t, int64(1), rev)
	require.Equal(t, notation.Print(o), notation.Print(back))
	all, err := s.History(t.Context(), id, 0, 10)
	require.NoError(t, err)
	require.Len(t, all, 1, "nor does it stand in the history")
	rev, err = s.Commit(t.Context(), id, 1, e[:1], store.Note{Author: "a", Summary: "the half that is good"})
	require.NoError(t, err, "by itself the first half goes in")
	require.Equal(t, int64(2), rev)
}

// TestConstraints: the tables themselves refuse what means nothing, whoever
// writes it.
func TestConstraints(t *testing.T) {
	s := open(t)
	id, err := s.Import(t.Context(), clinic(t), store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	for _, row := range [][2]string{
		{"INSERT INTO vlan VALUES ($1, 0, 'zero', '', false)", "vid_check"},
		{"INSERT INTO vlan VALUES ($1, 4095, 'all', '', false)", "vid_check"},
		{"INSERT INTO vlan VALUES ($1, 110, 'again', '', false)", "vlan_pkey"},
		{"INSERT INTO vlan VALUES ($1, 111, 'reception', '', false)", "vlan_office_id_name_key"},
		{"INSERT INTO vlan VALUES ($1, 112, 'Front Desk', '', false)", "vlan_name_check"},
		{"INSERT INTO port_use (office_id, place, name) VALUES ($1, 9, 'desk')", "port_use_office_id_name_key"},
		{"UPDATE device SET follows = 'nobody' WHERE office_id = $1 AND name = 'rack'", "device_office_id_follows_fkey"},
		{"UPDATE device SET kind = 'toaster' WHERE office_id = $1", "device_kind_check"},
		{"WITH c AS (INSERT INTO cable (office_id, place) VALUES ($1, 99) RETURNING id) INSERT INTO cable_end SELECT e.port_id, c.id, 'a' FROM c, cable_end e LIMIT 1", "cable_end_pkey"},
		{"INSERT INTO bundle_member SELECT port_id, bundle_id, 9 FROM bundle_member WHERE $1 > 0 LIMIT 1", "bundle_member_pkey"},
		{"UPDATE plug SET is_operator = true WHERE office_id = $1", "plug_operator"},
		{"UPDATE shape_vlan SET vid = 5000 WHERE $1 > 0", "vid_check"},
		{"INSERT INTO edit VALUES ($1, 1, 'b', now(), '', null)", "edit_pkey"},
		{"UPDATE record SET who = 'nobody' WHERE $1 > 0", "only added to"},
		{"DELETE FROM record WHERE $1 > 0", "only added to"},
	} {
		_, err := conn.Exec(t.Context(), row[0], id)
		require.ErrorContains(t, err, row[1], row[0])
	}
}

// TestListen: a commit is heard by every server on the database.
func TestListen(t *testing.T) {
	s := open(t)
	o := clinic(t)
	id, err := s.Import(t.Context(), o, store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	heard, up := make(chan [2]int64, 16), make(chan struct{})
	go func() {
		_ = s.Listen(ctx, func() { close(up) }, func(id, rev int64) { heard <- [2]int64{id, rev} }, func(string) {})
	}()
	<-up
	_, e, err := notation.Line(o, "rack 19: 190 [130]")
	require.NoError(t, err)
	rev, err := s.Commit(t.Context(), id, 1, e, store.Note{Author: "a", Summary: "x"})
	require.NoError(t, err)
	require.Equal(t, [2]int64{id, rev}, <-heard)
}

// TestOpenAtOnce: servers that start at the same time on a database that has nothing yet
// bring its tables up once, and all of them serve.
func TestOpenAtOnce(t *testing.T) {
	short.Skip(t)
	fresh := clustertest.New(t, url)
	var w sync.WaitGroup
	errs := make([]error, 4)
	for k := range errs {
		w.Go(func() {
			s, err := store.Open(t.Context(), fresh)
			if errs[k] = err; err == nil {
				_, errs[k] = s.Offices(t.Context())
				s.Close()
			}
		})
	}
	w.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
}

func TestOpenSaysWhere(t *testing.T) {
	_, err := store.Open(t.Context(), "postgres://nobody@127.0.0.1:1/nothing?sslmode=disable")
	require.ErrorContains(t, err, "no database at 127.0.0.1:1/nothing")
	require.ErrorContains(t, err, "refused")
}
