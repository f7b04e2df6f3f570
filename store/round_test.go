package store_test

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/store"
)

// TestPlugTests: the newest of a place counts, what is taken back is not told, and a
// place does not grow without end.
func TestPlugTests(t *testing.T) {
	s, ctx := open(t), t.Context()
	id, err := s.Import(ctx, clinic(t), store.Note{Author: "a", Summary: "first"})
	require.NoError(t, err)
	given := netip.MustParseAddr("10.61.140.51")
	one := store.PlugTest{Port: "rack.5", Became: "failed", Given: &given, Instead: []string{}, Wrong: []string{"x"}, How: "hand", Planned: "p", Revision: 1, Author: "Robin"}
	tagged := one
	tagged.Wire, tagged.Given, tagged.Instead = 140, nil, nil
	require.NoError(t, s.KeepPlugTests(ctx, id, []store.PlugTest{one, tagged}))
	all, err := s.PlugTests(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 2)
	require.Equal(t, given, *all[0].Given)
	require.NotNil(t, all[0].Instead, "nobody answered")
	require.Nil(t, all[1].Instead, "nobody knows who answered")
	for i := range 50 {
		one.Note = fmt.Sprint(i)
		require.NoError(t, s.KeepPlugTests(ctx, id, []store.PlugTest{one}))
	}
	one.Became = "open"
	require.NoError(t, s.KeepPlugTests(ctx, id, []store.PlugTest{one}))
	all, err = s.PlugTests(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1)
	require.Equal(t, 140, all[0].Wire)
	one.Became = "perhaps"
	require.Error(t, s.KeepPlugTests(ctx, id, []store.PlugTest{tagged, one}))
	all, err = s.PlugTests(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1, "one bad result keeps none")
}
