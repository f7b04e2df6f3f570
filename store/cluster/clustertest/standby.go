package clustertest

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"klammer/store/cluster"
)

// Kill ends a server at once, as a power cut would.
func Kill(one *cluster.Cluster) error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return one.Run(ctx, "pg_ctl", "stop", "-m", "immediate", "-w", "-D", data(one.Dir()))
}

// Standby makes a second server in dir that follows one, and starts it. From then on the
// first says that something is kept when both have it (synchronous replication).
func Standby(ctx context.Context, first *cluster.Cluster, dir string) (*cluster.Cluster, error) {
	secret, err := os.ReadFile(filepath.Join(first.Dir(), "superuser"))
	if err != nil {
		return nil, err
	}
	above, err := url.Parse(first.URL)
	if err != nil {
		return nil, err
	}
	above.User, above.Path = url.UserPassword("postgres", strings.TrimSpace(string(secret))), "/postgres"
	pass := filepath.Join(dir, "pgpass") // in no list of processes
	line := fmt.Sprintf("127.0.0.1:*:*:postgres:%s\n", strings.TrimSpace(string(secret)))
	if err := ownedAs(first, dir, pass, line); err != nil {
		return nil, err
	}
	from := fmt.Sprintf("host=127.0.0.1 port=%s user=postgres passfile=%s application_name=klammer_standby sslmode=disable", above.Port(), pass)
	if err := first.Run(ctx, "pg_basebackup", "--pgdata="+data(dir), "--write-recovery-conf", "--wal-method=stream", "-c", "fast", "--dbname="+from); err != nil {
		return nil, fmt.Errorf("the standby cannot be made: %w", err)
	}
	for _, name := range []string{"password", "superuser"} {
		text, err := os.ReadFile(filepath.Join(first.Dir(), name))
		if err != nil {
			return nil, err
		}
		if err := os.WriteFile(filepath.Join(dir, name), text, 0o600); err != nil {
			return nil, err
		}
	}
	next, err := cluster.Start(ctx, dir)
	if err != nil {
		return nil, err
	}
	conn, err := pgx.Connect(ctx, above.String())
	if err != nil {
		return nil, err
	}
	defer conn.Close(ctx)
	for _, sql := range []string{"ALTER SYSTEM SET synchronous_standby_names = '*'", "SELECT pg_reload_conf()"} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return nil, err
		}
	}
	return next, nil
}

// ownedAs gives a folder, and a file of it that is written, to whom a server runs as.
func ownedAs(first *cluster.Cluster, dir, file, text string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		return err
	}
	info, err := os.Stat(data(first.Dir()))
	if err != nil {
		return err
	}
	owner, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return nil
	}
	for _, name := range []string{dir, file} {
		if err := os.Chown(name, int(owner.Uid), int(owner.Gid)); err != nil {
			return err
		}
	}
	return nil
}

// Promote makes a standby the one that takes edits.
func Promote(ctx context.Context, standby *cluster.Cluster) error {
	return standby.Run(ctx, "pg_ctl", "promote", "-w", "-D", data(standby.Dir()))
}

// Either is the address of whichever of two servers takes edits just now.
func Either(one, other *cluster.Cluster) string {
	first, _ := url.Parse(one.URL)
	second, _ := url.Parse(other.URL)
	return strings.Replace(one.URL, first.Host, first.Host+","+second.Host, 1) + "&target_session_attrs=read-write"
}

func data(dir string) string { return filepath.Join(dir, "postgres") }
