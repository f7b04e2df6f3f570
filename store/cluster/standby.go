package cluster

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/jackc/pgx/v5"
)

// Standby makes a second server in dir that follows this one, and starts it. From then on
// this one says that something is kept when both have it (synchronous replication).
func (c *Cluster) Standby(ctx context.Context, dir string) (*Cluster, error) {
	above, err := c.superuser()
	if err != nil {
		return nil, err
	}
	one, err := url.Parse(above)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if c.cred != nil {
		if err := os.Chown(dir, int(c.cred.Uid), int(c.cred.Gid)); err != nil {
			return nil, err
		}
	}
	next := &Cluster{dir: dir, bin: c.bin, cred: c.cred, say: c.say}
	if err := next.hold(); err != nil {
		return nil, err
	}
	password, _ := one.User.Password()
	data := filepath.Join(dir, "postgres")
	pass := filepath.Join(dir, "pgpass") // in no list of processes
	if err := os.WriteFile(pass, []byte("127.0.0.1:*:*:"+one.User.Username()+":"+password+"\n"), 0o600); err != nil {
		return nil, err
	}
	if c.cred != nil {
		if err := os.Chown(pass, int(c.cred.Uid), int(c.cred.Gid)); err != nil {
			return nil, err
		}
	}
	from := fmt.Sprintf("host=127.0.0.1 port=%s user=%s passfile=%s application_name=klammer_standby sslmode=disable", one.Port(), one.User.Username(), pass)
	if err := c.run(ctx, "pg_basebackup", "--pgdata="+data, "--write-recovery-conf", "--wal-method=stream", "-c", "fast", "--dbname="+from); err != nil {
		return nil, fmt.Errorf("the standby cannot be made: %w", err)
	}
	for _, name := range []string{"password", filepath.Base(superuserFile(dir))} {
		text, err := os.ReadFile(filepath.Join(c.dir, name))
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err == nil {
			err = os.WriteFile(filepath.Join(dir, name), text, 0o600)
		}
		if err != nil {
			return nil, err
		}
	}
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	if err := next.launch(ctx, data, port, nil); err != nil {
		return nil, err
	}
	mine, err := url.Parse(c.URL)
	if err != nil {
		return nil, err
	}
	own, _ := mine.User.Password()
	next.URL = address("klammer", own, database(dir), port)
	if err := next.answers(ctx, data, nil); err != nil {
		return nil, err
	}
	conn, err := pgx.Connect(ctx, above)
	if err != nil {
		return nil, err
	}
	defer conn.Close(ctx)
	for _, x := range []string{"ALTER SYSTEM SET synchronous_standby_names = '*'", "SELECT pg_reload_conf()"} {
		if _, err := conn.Exec(ctx, x); err != nil {
			return nil, err
		}
	}
	return next, nil
}

// Promote makes a standby the one that takes edits.
func (c *Cluster) Promote(ctx context.Context) error {
	return c.run(ctx, "pg_ctl", "promote", "-w", "-D", filepath.Join(c.dir, "postgres"))
}

// Either is the address of whichever of two servers takes edits just now.
func Either(a, b *Cluster) string {
	one, _ := url.Parse(a.URL)
	y, _ := url.Parse(b.URL)
	return strings.Replace(a.URL, one.Host, one.Host+","+y.Host, 1) + "&target_session_attrs=read-write"
}
