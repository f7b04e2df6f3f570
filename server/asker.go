package server

import (
	"context"
	"net"
	"strings"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
	"golang.org/x/sys/unix"

	"klammer/mishap"
)

// glance is how often a connection is looked at while its request is worked on.
const glance = 100 * time.Millisecond

// whileAsked gives a request that only looks a context that ends when its asker
// has gone: nobody waits in line, asks the database or tries mends for nobody.
// An edit is made all the same, as its asker asks again what became of it; a
// stream has its own end.
func (s *Server) whileAsked(c fiber.Ctx) error {
	looks := c.Method() == fiber.MethodGet && !strings.HasSuffix(c.Path(), "/events") || strings.HasSuffix(c.Path(), "/preview")
	conn, ok := wire(c.RequestCtx().Conn()).(syscall.Conn)
	if !looks || !ok {
		return c.Next()
	}
	ctx, stop := context.WithCancel(c.Context())
	defer stop()
	c.SetContext(ctx)
	over := make(chan struct{})
	defer close(over)
	mishap.Go(s.log, "looking after an asker", func() {
		ticker := time.NewTicker(glance)
		defer ticker.Stop()
		for {
			select {
			case <-over:
				return
			case <-ticker.C:
				if closed(conn) {
					stop()
					return
				}
			}
		}
	})
	return c.Next()
}

// wire is the connection below TLS.
func wire(conn net.Conn) net.Conn {
	for {
		above, ok := conn.(interface{ NetConn() net.Conn })
		if !ok {
			return conn
		}
		conn = above.NetConn()
	}
}

// closed says whether the other end has closed a connection; nothing is read from it, and
// what is left to be read, as the farewell of TLS, does not hide the end.
func closed(conn syscall.Conn) (is bool) {
	raw, err := conn.SyscallConn()
	if err != nil {
		return true
	}
	err = raw.Control(func(fd uintptr) {
		at := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLRDHUP}}
		n, err := unix.Poll(at, 0)
		is = err == nil && n > 0 && at[0].Revents&(unix.POLLRDHUP|unix.POLLHUP|unix.POLLERR) != 0
	})
	return is || err != nil
}
