package server

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/mishap"
)

// events streams the views of edits. A beat goes out every few seconds with the
// revision, so that both sides notice when the other is gone, or has missed one.
func (s *Server) events(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	a := whoAsks(c)
	life, end := context.WithCancel(s.stop)
	l, err := s.streams.join(a, end)
	if err != nil {
		end()
		return err
	}
	events, leave, ok := r.watch(c.Query("tab"))
	if !ok {
		s.streams.leave(l)
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d pages listen to this office already, the most that it tells", mostWatchers))
	}
	done := func() {
		leave()
		s.streams.leave(l)
	}
	now, err := r.current(c.Context())
	if err != nil {
		done()
		return err
	}
	conn := c.RequestCtx().Conn()
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store, no-transform")
	c.Set("X-Accel-Buffering", "no") // of proxies that would keep it until it ends
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer done()
		defer func() {
			if what := recover(); what != nil {
				mishap.Log(s.log, "an event stream", mishap.Caught(what))
			}
		}()
		// Who does not read for a while is let go: he connects again.
		flush := func() bool {
			_ = conn.SetWriteDeadline(time.Now().Add(s.access.Patience))
			return w.Flush() == nil
		}
		fmt.Fprintf(w, "retry: 500\nevent: at\ndata: %d\n\n", now.view.Revision)
		if !flush() {
			return
		}
		beat := time.NewTicker(3 * time.Second)
		defer beat.Stop()
		for {
			select {
			case <-life.Done():
				return
			case e, ok := <-events:
				if !ok {
					return
				}
				fmt.Fprintf(w, "event: %s\nid: %d\ndata: %s\n\n", e.name, e.id, e.text)
			case <-beat.C:
				if now := r.look(); now != nil { // who missed an edit notices
					fmt.Fprintf(w, "event: beat\ndata: %d\n\n", now.view.Revision)
				} else {
					fmt.Fprint(w, "event: beat\ndata: \n\n")
				}
			}
			if !flush() {
				return
			}
		}
	})
}

// here tells everybody at an office, on every server, where one tab is. It is
// kept nowhere: who is not heard of for a while is gone.
func (s *Server) here(c fiber.Ctx) error {
	var q api.Here
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if !printable(q.Tab) || !printable(q.Port) {
		return bad("tab", "the names of a tab and of a port are letters that one can read")
	}
	if err := s.tellAll(c.Context(), api.Somebody{Here: q, Name: name, Office: r.id}); err != nil {
		return err
	}
	return c.JSON(q)
}

// tellAll tells every server, this one too, what somebody does.
func (s *Server) tellAll(ctx context.Context, x api.Somebody) error {
	text, err := json.Marshal(x)
	if err != nil {
		return err
	}
	return s.store.Tell(ctx, string(text))
}

// someoneIs passes on what another server, or this one, was told.
func (s *Server) someoneIs(text string) {
	var x api.Somebody
	if json.Unmarshal([]byte(text), &x) != nil {
		return
	}
	r := s.known(x.Office)
	switch {
	case len(x.Sessions) > 0 || x.Person != 0 || len(x.Tokens) > 0:
		s.streams.end(x)
		if x.Person != 0 {
			mishap.Go(s.log, "stopping what somebody began", func() { s.stopOf(x.Person) })
		}
	case r == nil:
	case x.Order:
		r.refound(s.stop) // a tick is something found, too
		r.tell("order", 0, x, "")
	case x.Read:
		r.refound(s.stop)
		r.tell("read", 0, x, "")
	case x.Round:
		r.tell("round", 0, x, "")
	case x.Found != "":
		r.refound(s.stop)
		r.tell("found", 0, x, "")
	default:
		r.tell("here", 0, x, "")
	}
}
