package server

import (
	"fmt"
	"log/slog"
	"net"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"

	"klammer/proof/short"
)

// TestNobodyAsks: what only looks ends when its asker has gone, and not before;
// an edit is made to its end.
func TestNobodyAsks(t *testing.T) {
	short.Skip(t)
	app := fiber.New()
	ended := make(chan error, 1)
	app.Use("/api", (&Server{log: slog.New(slog.DiscardHandler)}).whileAsked)
	work := func(c fiber.Ctx) error {
		select {
		case <-c.Context().Done():
		case <-time.After(time.Second):
		}
		ended <- c.Context().Err()
		return c.SendString("done")
	}
	app.Get("/api/look", work)
	app.Post("/api/edits", work)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	t.Cleanup(func() { _ = app.Shutdown() })
	ask := func(method, path string) net.Conn {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		_, err = fmt.Fprintf(c, "%s %s HTTP/1.1\r\nHost: localhost\r\nContent-Length: 0\r\n\r\n", method, path)
		require.NoError(t, err)
		return c
	}
	stays := ask("GET", "/api/look")
	require.NoError(t, <-ended, "its asker waits")
	require.NoError(t, stays.Close())
	goes := ask("GET", "/api/look")
	require.NoError(t, goes.Close())
	require.Error(t, <-ended, "its asker has gone")
	edits := ask("POST", "/api/edits")
	require.NoError(t, edits.Close())
	require.NoError(t, <-ended, "what changes something is done")
}
