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
	room, err := s.room(c)
	if err != nil {
		return err
	}
	asker := whoAsks(c)
	life, end := context.WithCancel(s.stop)
	listener, err := s.streams.join(asker, end)
	if err != nil {
		end()
		return err
	}
	events, leave, ok := room.watch(c.Query("tab"))
	if !ok {
		s.streams.leave(listener)
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d pages listen to this office already, the most that it tells", mostWatchers))
	}
	done := func() {
		leave()
		s.streams.leave(listener)
	}
	now, err := room.current(c.Context())
	if err != nil {
		done()
		return err
	}
	conn := c.RequestCtx().Conn()
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store, no-transform")
	c.Set("X-Accel-Buffering", "no") // of proxies that would keep it until it ends
	return c.SendStreamWriter(func(writer *bufio.Writer) {
		defer done()
		defer func() {
			if what := recover(); what != nil {
				mishap.Log(s.log, "an event stream", mishap.Caught(what))
			}
		}()
		// Who does not read for a while is let go: he connects again.
		flush := func() bool {
			_ = conn.SetWriteDeadline(time.Now().Add(s.access.Patience))
			return writer.Flush() == nil
		}
		fmt.Fprintf(writer, "retry: 500\nevent: at\ndata: %d\n\n", now.view.Revision)
		if !flush() {
			return
		}
		beat := time.NewTicker(3 * time.Second)
		defer beat.Stop()
		for {
			select {
			case <-life.Done():
				return
			case event, ok := <-events:
				if !ok {
					return
				}
				fmt.Fprintf(writer, "event: %s\nid: %d\ndata: %s\n\n", event.name, event.id, event.text)
			case <-beat.C:
				if now := room.look(); now != nil { // who missed an edit notices
					fmt.Fprintf(writer, "event: beat\ndata: %d\n\n", now.view.Revision)
				} else {
					fmt.Fprint(writer, "event: beat\ndata: \n\n")
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
	var here api.Here
	name, room, err := s.asked(c, &here)
	if err != nil {
		return err
	}
	if !printable(here.Tab) || !printable(here.Port) {
		return bad("tab", "the names of a tab and of a port are letters that one can read")
	}
	if err := s.tellAll(c.Context(), api.Somebody{Here: here, Name: name, Office: room.id}); err != nil {
		return err
	}
	return c.JSON(here)
}

// tellAll tells every server, this one too, what somebody does.
func (s *Server) tellAll(ctx context.Context, somebody api.Somebody) error {
	text, err := json.Marshal(somebody)
	if err != nil {
		return err
	}
	return s.store.Tell(ctx, string(text))
}

// someoneIs passes on what another server, or this one, was told.
func (s *Server) someoneIs(text string) {
	var somebody api.Somebody
	if json.Unmarshal([]byte(text), &somebody) != nil {
		return
	}
	room := s.known(somebody.Office)
	switch {
	case len(somebody.Sessions) > 0 || somebody.Person != 0 || len(somebody.Tokens) > 0:
		s.streams.end(somebody)
		if somebody.Person != 0 {
			mishap.Go(s.log, "stopping what somebody began", func() { s.stopOf(somebody.Person) })
		}
	case room == nil:
	case somebody.Order:
		room.refound(s.stop) // a tick is something found, too
		room.tell("order", 0, somebody, "")
	case somebody.Read:
		room.refound(s.stop)
		room.tell("read", 0, somebody, "")
	case somebody.Round:
		room.tell("round", 0, somebody, "")
	case somebody.Found != "":
		room.refound(s.stop)
		room.tell("found", 0, somebody, "")
	default:
		room.tell("here", 0, somebody, "")
	}
}
