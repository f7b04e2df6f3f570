package server

import (
	"bufio"
	"encoding/json"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"
)

// events streams the views of edits. A comment goes out every few seconds, so
// that both sides notice when the other is gone.
func (s *Server) events(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	if s.streams.Add(1) > mostStreams {
		s.streams.Add(-1)
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d pages listen already, the most that this server serves", mostStreams))
	}
	events, leave, ok := r.watch()
	if !ok {
		s.streams.Add(-1)
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d pages listen to this office already, the most that it tells", mostWatchers))
	}
	done := func() {
		leave()
		s.streams.Add(-1)
	}
	_, now, err := r.current(c.Context())
	if err != nil {
		done()
		return err
	}
	conn := c.RequestCtx().Conn()
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer done()
		defer func() {
			if e := recover(); e != nil {
				s.log.Error("an event stream panicked", "panic", e)
			}
		}()
		// Who does not read for a while is let go: he connects again.
		flush := func() bool {
			_ = conn.SetWriteDeadline(time.Now().Add(slowest))
			return w.Flush() == nil
		}
		fmt.Fprintf(w, "retry: 500\nevent: at\ndata: %d\n\n", now.Revision)
		if !flush() {
			return
		}
		beat := time.NewTicker(3 * time.Second)
		defer beat.Stop()
		for {
			select {
			case <-s.stop.Done():
				return
			case e, ok := <-events:
				if !ok {
					return
				}
				fmt.Fprintf(w, "event: %s\nid: %d\ndata: %s\n\n", e.name, e.id, e.text)
			case <-beat.C:
				fmt.Fprint(w, "event: beat\ndata: \n\n")
			}
			if !flush() {
				return
			}
		}
	})
}

// Here is where somebody is: a tab of a browser, and the cell that it is at.
type Here struct {
	Tab  string `json:"tab" required:"true" maxLength:"40" description:"a name that the tab gave itself"`
	Port string `json:"port" required:"true" maxLength:"100" description:"device.port, empty outside the board"`
	VID  int    `json:"vid" required:"true"`
	New  bool   `json:"new,omitempty" description:"the tab has just come: others say where they are"`
	Gone bool   `json:"gone,omitempty"`
}

// Somebody is a Here with the name that the browser said, as it goes to all.
type Somebody struct {
	Here
	Name   string `json:"name"`
	Office int64  `json:"office"`
	Found  string `json:"found,omitempty"` // a device of which something was found
}

// here tells everybody at an office, on every server, where one tab is. It is
// kept nowhere: who is not heard of for a while is gone.
func (s *Server) here(c fiber.Ctx) error {
	var q Here
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if len(q.Tab) > 40 || len(q.Port) > 200 || !printable(q.Tab) || !printable(q.Port) {
		return bad("tab", "a tab has up to 40 letters, a port up to 200, all of them seen")
	}
	text, err := json.Marshal(Somebody{Here: q, Name: name, Office: r.id})
	if err != nil {
		return err
	}
	if err := s.store.Tell(c.Context(), string(text)); err != nil {
		return err
	}
	return c.JSON(q)
}

// someoneIs passes on what another server, or this one, was told.
func (s *Server) someoneIs(text string) {
	var x Somebody
	if json.Unmarshal([]byte(text), &x) != nil {
		return
	}
	if r := s.known(x.Office); r != nil {
		name := "here"
		if x.Found != "" {
			name = "found"
		}
		r.tell(name, 0, x)
	}
}
