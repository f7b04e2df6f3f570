package server

import (
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/ui"
)

// placeholder stands until the front end is built into the binary.
const placeholder = `<!doctype html><meta charset="utf-8"><title>Klammer</title>
<body style="font-family:sans-serif;max-width:36rem;margin:4rem auto;line-height:1.5">
<h1>[klammer]</h1><p>The server runs, but this binary was built without the front end.
Build it with <code>./run build</code>, or start everything with <code>./run demo</code>.</p>`

// pages serves the front end. Its assets carry a hash in their names and never
// change; every other path is a view of the one page.
func (s *Server) pages() {
	s.app.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Params("*")), "/")
		if strings.HasPrefix(name, "assets/") || strings.Contains(name, ".") {
			text, err := fs.ReadFile(ui.Dist, "dist/"+name)
			if err != nil {
				return fiber.NewError(fiber.StatusNotFound, "there is nothing at /"+name)
			}
			if strings.HasPrefix(name, "assets/") {
				c.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			c.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
			return c.Send(text)
		}
		c.Set("Content-Type", "text/html; charset=utf-8")
		c.Set("Cache-Control", "no-cache")
		text, err := fs.ReadFile(ui.Dist, "dist/index.html")
		if err != nil {
			return c.SendString(placeholder)
		}
		return c.Send(text)
	})
}
