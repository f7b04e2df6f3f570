package server

import (
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/people"
)

type sessionQuery struct {
	Session int64 `query:"session" description:"one of them; every one but this without it"`
}

func (s *Server) sessions(c fiber.Ctx) error {
	a := whoAsks(c)
	out := []api.SessionView{}
	if a.person == nil {
		return c.JSON(out)
	}
	all, err := s.store.Sessions(c.Context(), a.person.ID)
	if err != nil {
		return err
	}
	for _, x := range all {
		out = append(out, api.SessionView{ID: x.ID, About: x.About, At: x.At, Seen: x.Seen, Here: x.ID == a.session})
	}
	return c.JSON(out)
}

func (s *Server) endSession(c fiber.Ctx) error {
	a := whoAsks(c)
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	id, err := intQuery(c, "session", 0)
	if err != nil {
		return err
	}
	gone, err := s.store.End(c.Context(), a.person.ID, id, a.session)
	if err != nil {
		return err
	}
	if id != 0 && len(gone) == 0 {
		return fiber.NewError(fiber.StatusNotFound, "you have no session of that number: it may have ended")
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone}); err != nil {
		return err
	}
	if id == a.session && id != 0 {
		c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: "", Path: "/", HTTPOnly: true, Secure: true, SameSite: "Strict", MaxAge: -1, Expires: time.Unix(1, 0)})
		s.note(c, a.name, "signed out", 0, "")
		return c.JSON([]api.SessionView{})
	}
	s.note(c, a.name, "ended sessions of his own", 0, "")
	return s.sessions(c)
}

func (s *Server) password(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	a := whoAsks(c)
	var q api.NewPassword
	if err := body(c, &q); err != nil {
		return err
	}
	if err := people.Strong(q.New, strings.Fields(a.name)...); err != nil {
		return bad("new", "%s", err)
	}
	if err := s.ownPassword(c, a, "old", q.Old); err != nil {
		return err
	}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	next, err := s.access.Cost.Hash(q.New)
	done()
	if err != nil {
		return err
	}
	gone, err := s.store.SetPassword(c.Context(), a.person.ID, next, a.session)
	if err == nil {
		err = s.ended(c.Context(), api.Somebody{Sessions: gone})
	}
	if err != nil {
		return err
	}
	s.note(c, a.name, "changed the password", 0, "")
	return s.sessions(c)
}

// ownPassword looks whether somebody who is in knows the password, too; guesses are slowed
// down as at the door.
func (s *Server) ownPassword(c fiber.Ctx, a *asker, field, password string) error {
	account := "account:" + strings.ToLower(a.name)
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	wait, err := s.store.Wait(c.Context(), account)
	if err != nil {
		return err
	}
	if wait > 0 {
		return fiber.NewError(fiber.StatusTooManyRequests, "too many sign-ins failed: try again later")
	}
	_, hash, err := s.store.PersonOf(c.Context(), a.name)
	if err != nil {
		return err
	}
	if people.Verify(hash, password) {
		return nil
	}
	if err := s.store.Failed(c.Context(), freeOfAccount, account); err != nil {
		return err
	}
	return bad(field, "that is not your password")
}
