package cluster

import (
	"context"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Watch starts the server again when it has died, until ctx ends: at once at
// first, then after longer and longer waits while it does not come up.
func (c *Cluster) Watch(ctx context.Context, log *slog.Logger) {
	const look, longest = 500 * time.Millisecond, 30 * time.Second
	wait, fell := time.Duration(0), false
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(max(look, wait)):
		}
		if c.alive() {
			if fell {
				log.Info("the private database runs again")
			}
			wait, fell = 0, false
			continue
		}
		log.Error("the private database is down: starting it again", "after", wait)
		fell = true
		if _, err := c.Again(ctx); err != nil {
			log.Error("the private database does not start", "error", err)
			wait = min(max(2*wait, time.Second), longest)
		}
	}
}

// alive says whether the server's process is there and answers at its port.
func (c *Cluster) alive() bool {
	pid, ok := postmaster(filepath.Join(c.dir, "postgres"))
	if !ok || syscall.Kill(pid, 0) != nil {
		return false
	}
	u, err := url.Parse(c.URL)
	if err != nil {
		return false
	}
	conn, err := net.DialTimeout("tcp", u.Host, 2*time.Second)
	if err != nil {
		return false
	}
	conn.Close()
	return true
}

// postmaster is the process that holds a folder of data, false where none says
// so.
func postmaster(data string) (pid int, ok bool) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, err = strconv.Atoi(strings.TrimSpace(first))
	return pid, err == nil && pid > 0
}
