package people

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestRights: the ladder is a ladder, a technician stands beside it; both and either are what
// they say of every right, and a token never allows what its person may not.
func TestRights(t *testing.T) {
	all := append([]Role{Nobody}, Roles...)
	asked := []Role{Reader, Planner, Carrier, Keeper}
	ladder := []Role{Nobody, Reader, Planner, Carrier, Keeper}
	for i, r := range ladder {
		for k, a := range asked {
			require.Equal(t, i >= k+1, r.May(a), "%s may what takes a %s", r, a)
		}
	}
	require.True(t, Technician.May(Reader) && Technician.May(Carrier))
	require.False(t, Technician.May(Planner) || Technician.May(Keeper))
	for _, r := range all {
		for _, o := range all {
			both, either := r.And(o), r.Or(o)
			for _, a := range asked {
				if both.May(a) {
					require.True(t, r.May(a) && o.May(a), "%s and %s: %s", r, o, both)
				}
				require.Equal(t, r.May(a) || o.May(a), either.May(a), "%s or %s: %s", r, o, either)
			}
			require.True(t, both.Within(r) && both.Within(o) && r.Within(either))
			require.Equal(t, both, o.And(r))
			require.Equal(t, either, o.Or(r))
		}
		require.Equal(t, r, r.And(Keeper))
		require.Equal(t, r, r.Or(Nobody))
		if r != Nobody {
			named, err := RoleOf(r.String())
			require.NoError(t, err)
			require.Equal(t, r, named)
		}
	}
}
