package effort_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/effort"
)

// TestEnds: work ends when it is spent, when nobody waits, and not before; a panic of another
// kind stays one; a nil effort has no end.
func TestEnds(t *testing.T) {
	n := 0
	work := func(e *effort.Effort, rounds int) error {
		return effort.Try(func() error {
			for n = 0; n < rounds; n++ {
				e.Spend(10)
			}
			return nil
		})
	}
	require.NoError(t, work(effort.New(1000, nil), 100))
	require.ErrorIs(t, work(effort.New(1000, nil), 101), effort.ErrSpent)
	require.Equal(t, 100, n)
	require.NoError(t, work(nil, 1_000_000))
	gone := errors.New("gone")
	asked := 0
	require.ErrorIs(t, work(effort.New(effort.Most, func() error {
		if asked++; asked == 3 {
			return gone
		}
		return nil
	}), 1_000_000), gone)
	require.Equal(t, 29_999, n, "looked at every hundredth of a second")
	own := errors.New("own")
	require.ErrorIs(t, effort.Try(func() error { return own }), own)
	require.PanicsWithValue(t, "another", func() { _ = effort.Try(func() error { panic("another") }) })
	require.ErrorIs(t, effort.Try(func() error { effort.New(1, func() error { return gone }).Look(); return nil }), gone)
}
