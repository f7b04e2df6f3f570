package cluster

import (
	"context"
	"log/slog"
	"path/filepath"
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

// alive says whether the server's process is there. One that is there and does not answer just
// now has much to do, or makes good what was lost with a process of its own: it is let be.
func (c *Cluster) alive() bool {
	_, ok := postmaster(filepath.Join(c.dir, "postgres"))
	return ok
}
