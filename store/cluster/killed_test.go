package cluster

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"klammer/proof/short"
)

// TestKilledTogether: whatever of a server was killed together with the program that it was
// for, and in whatever state that left it, the next program takes it over, with what was
// committed; and what is another's is let be.
func TestKilledTogether(t *testing.T) {
	short.Skip(t)
	dir, err := os.MkdirTemp("", "klammer-cluster-")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	require.NoError(t, os.Chmod(dir, 0o755))
	was := [2]time.Duration{stopping, ending}
	stopping, ending = time.Second, 2*time.Second
	defer func() { stopping, ending = was[0], was[1] }()
	data := filepath.Join(dir, "postgres")
	named := func(what string) (pids []int) { // server processes by their title
		for _, pid := range processes(data) {
			title, _ := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
			if strings.Contains(string(title), what) {
				pids = append(pids, pid)
			}
		}
		return pids
	}
	// killed sends the end to processes of a server that lives on, and waits until it has
	// noticed: until then it still takes questions, and drops who asked.
	killed := func(what string) {
		pids := named(what)
		require.NotEmpty(t, pids, what)
		signal(pids, syscall.SIGKILL)
		for _, pid := range pids {
			require.Eventually(t, func() bool { return syscall.Kill(pid, 0) == syscall.ESRCH }, time.Minute, 5*time.Millisecond)
		}
	}
	c, err := Start(t.Context(), dir)
	require.NoError(t, err)
	query := func(sql string) (n int) {
		t.Helper()
		conn, err := pgx.Connect(t.Context(), c.URL)
		require.NoError(t, err)
		defer conn.Close(t.Context())
		require.NoError(t, conn.QueryRow(t.Context(), sql).Scan(&n))
		return n
	}
	conn, err := pgx.Connect(t.Context(), c.URL)
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), "CREATE TABLE kept (n int)")
	require.NoError(t, err)
	require.NoError(t, conn.Close(t.Context()))
	require.Zero(t, query("SELECT count(*) FROM pg_roles WHERE rolname = current_user AND (rolsuper OR rolcreaterole OR rolreplication OR rolbypassrls)"), "Klammer's role may no more than it needs")

	for k, x := range []struct {
		name string
		kill func()
	}{
		{"all of it", func() { signal(processes(data), syscall.SIGKILL) }},
		{"the postmaster alone", func() { pid, _ := postmaster(data); signal([]int{pid}, syscall.SIGKILL) }},
		{"a process of somebody's", func() { killed("idle") }},
		{"the writer", func() { killed("walwriter") }},
		{"it was told to stop", func() { _ = c.Run(context.Background(), "pg_ctl", "stop", "-m", "fast", "-W", "-D", data) }},
		{"it hangs in stopping", func() {
			signal(named("checkpointer"), syscall.SIGSTOP)
			_ = c.Run(context.Background(), "pg_ctl", "stop", "-m", "fast", "-W", "-D", data)
		}},
		{"killed, and its number is another program's by now", func() {
			signal(processes(data), syscall.SIGKILL)
			require.Eventually(t, func() bool { return len(processes(data)) == 0 }, 10*time.Second, 10*time.Millisecond)
			text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
			require.NoError(t, err)
			_, rest, _ := strings.Cut(string(text), "\n")
			require.NoError(t, os.WriteFile(filepath.Join(data, "postmaster.pid"), []byte(fmt.Sprintf("%d\n%s", os.Getpid(), rest)), 0o600))
		}},
	} {
		stays, err := pgx.Connect(t.Context(), c.URL) // while somebody is at work
		require.NoError(t, err, x.name)
		_, err = stays.Exec(t.Context(), "INSERT INTO kept SELECT generate_series(1, 1000)")
		require.NoError(t, err, x.name)
		x.kill()
		c.lock.Close() // the program is gone, too
		c, err = Start(t.Context(), dir)
		require.NoError(t, err, x.name)
		require.Equal(t, 1000*(k+1), query("SELECT count(*) FROM kept"), x.name)
		_ = stays.Close(t.Context())
	}
	require.NoError(t, c.Stop())
	require.Empty(t, processes(data))
}
