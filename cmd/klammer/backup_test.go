package main

import (
	"bytes"
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"klammer/backup"
	"klammer/proof/short"
	"klammer/store"
	"klammer/store/cluster"
)

// TestTimedBackups: they come by themselves, the newest stay, nothing else in the folder is
// touched; one that fails is said and tried again, and takes nobody's place.
func TestTimedBackups(t *testing.T) {
	short.Skip(t)
	dir, err := os.MkdirTemp("", "klammer-timed-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	c, err := cluster.Start(t.Context(), dir, "fsync=off")
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Stop() })
	st, err := store.Open(t.Context(), c.URL)
	require.NoError(t, err)
	st.Close()

	to := t.TempDir()
	mine := filepath.Join(to, "klammer-mine.backup")
	require.NoError(t, os.WriteFile(mine, []byte("x"), 0o600))
	x := timed{every: 1100 * time.Millisecond, to: to, keep: 2}
	ctx, stop := context.WithCancel(t.Context())
	over := make(chan struct{})
	var said bytes.Buffer
	go func() {
		x.run(ctx, c.URL, slog.New(slog.NewTextHandler(&said, nil)))
		close(over)
	}()
	first := ""
	require.Eventually(t, func() bool {
		all := x.all()
		if first == "" && len(all) > 0 {
			first = all[0]
		}
		return len(all) == 2 && all[0] > first
	}, 60*time.Second, 20*time.Millisecond)
	stop()
	<-over
	for _, file := range x.all() {
		info, err := os.Stat(file)
		require.NoError(t, err)
		require.Equal(t, os.FileMode(0o600), info.Mode(), "it has the hashes of passwords")
		_, err = backup.Check(t.Context(), c.URL, file)
		require.NoError(t, err)
	}
	require.FileExists(t, mine)
	require.NotContains(t, said.String(), "level=ERROR")

	// After a restart the newest counts: nothing is made before its time. Then the database goes.
	x.every = time.Hour
	before := x.all()
	ctx, stop = context.WithTimeout(t.Context(), 300*time.Millisecond)
	x.run(ctx, c.URL, slog.New(slog.NewTextHandler(&said, nil)))
	stop()
	require.Equal(t, before, x.all())
	require.NoError(t, c.Stop())
	x.every = time.Second
	ctx, stop = context.WithTimeout(t.Context(), 4*time.Second)
	x.run(ctx, c.URL, slog.New(slog.NewTextHandler(&said, nil)))
	stop()
	require.Equal(t, before, x.all())
	require.Contains(t, said.String(), "the backup by the timer failed")
	require.NotContains(t, said.String(), "password=")
}
