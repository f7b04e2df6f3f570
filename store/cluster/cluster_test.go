package cluster_test

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/proof/short"
	"klammer/store/cluster"
	"klammer/store/cluster/clustertest"
)

// TestLife: a cluster is made once, keeps what was committed through a crash,
// is taken over by the next program where it outlived the last one, and is held
// by one program at a time.
func TestLife(t *testing.T) {
	short.Skip(t)
	dir, err := os.MkdirTemp("", "klammer-cluster-")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o755))
	ctx := t.Context()
	exec := func(url, sql string) {
		conn, err := pgx.Connect(ctx, url)
		require.NoError(t, err)
		defer conn.Close(ctx)
		_, err = conn.Exec(ctx, sql)
		require.NoError(t, err)
	}
	one, err := cluster.Start(ctx, dir)
	require.NoError(t, err)
	exec(one.URL, "CREATE TABLE kept (n int); INSERT INTO kept VALUES (1)")

	_, err = cluster.Start(ctx, dir)
	require.ErrorContains(t, err, "another Klammer runs with the folder")

	require.NoError(t, clustertest.Kill(one)) // as a power cut would
	again, err := one.Again(ctx)
	require.NoError(t, err)
	exec(again.URL, "INSERT INTO kept SELECT n + 1 FROM kept")
	require.NoError(t, again.Stop())

	two, err := cluster.Start(ctx, dir)
	require.NoError(t, err)
	defer func() { _ = two.Stop() }()
	conn, err := pgx.Connect(ctx, two.URL)
	require.NoError(t, err)
	defer conn.Close(ctx)
	var n int
	require.NoError(t, conn.QueryRow(ctx, "SELECT count(*) FROM kept").Scan(&n))
	require.Equal(t, 2, n)

	info, err := os.Stat(filepath.Join(dir, "password"))
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "nobody else reads the password")
	wrong := *conn.Config()
	wrong.Password = "guess"
	_, err = pgx.ConnectConfig(ctx, &wrong)
	require.ErrorContains(t, err, "password authentication failed")
}

// TestFirstStartCutOff: a program that was killed while it made the folder, in
// any state, does not keep the next one from it.
func TestFirstStartCutOff(t *testing.T) {
	short.Skip(t)
	dir, err := os.MkdirTemp("", "klammer-cluster-")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "password"), []byte("half"), 0o600))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "postgres.new", "base"), 0o700))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "postgres"), 0o700))
	c, err := cluster.Start(t.Context(), dir, "fsync=off")
	require.NoError(t, err)

	// And where it dies while we run, it is started again.
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	watched := make(chan struct{})
	go func() {
		c.Watch(ctx, slog.New(slog.DiscardHandler))
		close(watched)
	}()
	require.NoError(t, clustertest.Kill(c))
	require.Eventually(t, func() bool {
		conn, err := pgx.Connect(t.Context(), c.URL)
		if err == nil {
			conn.Close(t.Context())
		}
		return err == nil
	}, 30*time.Second, 100*time.Millisecond)
	stop()
	<-watched
	require.NoError(t, c.Stop())
}
