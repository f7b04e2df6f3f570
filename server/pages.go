package server

import (
	"io/fs"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/compress"
	"github.com/gofiber/fiber/v3/middleware/etag"
	"github.com/gofiber/fiber/v3/middleware/static"

	"klammer/ui"
)

// placeholder stands until the front end is built into the binary.
const placeholder = `<!doctype html><meta charset="utf-8"><title>Klammer</title>
<body style="font-family:sans-serif;max-width:36rem;margin:4rem auto;line-height:1.5">
<h1>[klammer]</h1><p>The server runs, but this binary was built without the front end.
Build it with <code>./run build</code>, or start everything with <code>./run demo</code>.</p>`

// pages serves the front end, packed where the browser takes it so. Its assets
// carry a hash in their names and never change; what else is a file may change
// with the program, and is asked after by its tag; every other path is a view of
// the one page.
func (s *Server) pages() {
	dist, err := fs.Sub(ui.Dist, "dist")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	files := static.New("", static.Config{FS: dist, NotFoundHandler: func(c fiber.Ctx) error {
		return fiber.NewError(fiber.StatusNotFound, "there is nothing at "+c.Path())
	}})
	s.app.Get("/*", etag.New(), compress.New(), func(c fiber.Ctx) error {
		asset := strings.HasPrefix(c.Path(), "/assets/")
		if asset || strings.Contains(c.Path(), ".") {
			if err := files(c); err != nil {
				return err
			}
			if asset {
				c.Set(fiber.HeaderCacheControl, "public, max-age=31536000, immutable")
			}
			return nil
		}
		c.Set(fiber.HeaderContentType, fiber.MIMETextHTMLCharsetUTF8)
		c.Set(fiber.HeaderCacheControl, "no-cache")
		text, err := fs.ReadFile(dist, "index.html")
		if err != nil {
			return c.SendString(placeholder)
		}
		return c.Send(text)
	})
}
