package main

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestTimedSays tells of the newest backup alone, and of one that is late.
func TestTimedSays(t *testing.T) {
	one := &timed{every: time.Hour, to: t.TempDir(), keep: 3}
	require.Contains(t, one.says(), "None was made yet.")
	made := func(at time.Time) {
		require.NoError(t, os.WriteFile(filepath.Join(one.to, at.Format(timedName)), nil, 0o600))
	}
	old, fresh := time.Now().Add(-3*time.Hour), time.Now().Add(-90*time.Minute)
	made(old)
	require.Contains(t, one.says(), old.UTC().Format("2 January 2006, 15:04")+" UTC: it is late")
	made(fresh)
	require.NoError(t, os.WriteFile(filepath.Join(one.to, "klammer-zzz.backup"), nil, 0o600)) // somebody's own
	require.Contains(t, one.says(), fresh.UTC().Format("2 January 2006, 15:04")+" UTC.")
	require.NotContains(t, one.says(), "late")
}
