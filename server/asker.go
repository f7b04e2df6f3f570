package server

import (
	"context"
	"strings"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
)

// glance is how often a connection is looked at while its request is worked on.
const glance = 100 * time.Millisecond

// whileAsked gives a request that only looks a context that ends when its asker
// has gone: nobody waits in line, asks the database or tries mends for nobody.
// An edit is made all the same, as its asker asks again what became of it; a
// stream has its own end.
func whileAsked(c fiber.Ctx) error {
	looks := c.Method() == fiber.MethodGet && !strings.HasSuffix(c.Path(), "/events") || strings.HasSuffix(c.Path(), "/preview")
	conn, ok := c.RequestCtx().Conn().(syscall.Conn)
	if !looks || !ok {
		return c.Next()
	}
	ctx, stop := context.WithCancel(c.Context())
	defer stop()
	c.SetContext(ctx)
	over := make(chan struct{})
	defer close(over)
	go func() {
		t := time.NewTicker(glance)
		defer t.Stop()
		for {
			select {
			case <-over:
				return
			case <-t.C:
				if closed(conn) {
					stop()
					return
				}
			}
		}
	}()
	return c.Next()
}

// closed says whether the other end has closed a connection; nothing is read
// from it.
func closed(conn syscall.Conn) (is bool) {
	raw, err := conn.SyscallConn()
	if err != nil {
		return true
	}
	err = raw.Control(func(fd uintptr) {
		var one [1]byte
		n, _, err := syscall.Recvfrom(int(fd), one[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		is = err == nil && n == 0 || err != nil && err != syscall.EAGAIN && err != syscall.EINTR
	})
	return is || err != nil
}
