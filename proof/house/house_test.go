package main

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestBranches: a function with many branches says in its comment why it has them, none has
// very many, and who has few does not say so.
func TestBranches(t *testing.T) {
	rooms, err := countAll("../..")
	require.NoError(t, err)
	require.Greater(t, len(rooms), 30)
	for _, room := range rooms {
		for _, one := range room.branchy {
			require.LessOrEqual(t, one.n, neverMore, "%s has %d branches: tell it in parts", one.at, one.n)
			require.True(t, one.said, "%s has %d branches: tell it in parts, or say why, as in // %sone a kind of thing.", one.at, one.n, why)
		}
		require.Empty(t, room.idle, "has few branches, and says why it has many")
	}
}
