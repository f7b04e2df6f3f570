package server

import (
	"fmt"
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
	out, err := s.sessionsOf(c, whoAsks(c))
	if err != nil {
		return err
	}
	return c.JSON(out)
}

func (s *Server) sessionsOf(c fiber.Ctx, a *asker) ([]api.SessionView, error) {
	out := []api.SessionView{}
	if a.person == nil {
		return out, nil
	}
	all, err := s.store.Sessions(c.Context(), a.person.ID)
	for _, x := range all {
		out = append(out, api.SessionView{ID: x.ID, About: x.About, At: x.At, Seen: x.Seen, Here: x.ID == a.session})
	}
	return out, err
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
	if err == nil {
		err = s.remember(c, a.person)
	}
	if err != nil {
		return err
	}
	s.note(c, a.name, "changed the password", 0, "")
	opens, err := s.opens(c, a)
	if err != nil {
		return err
	}
	return c.JSON(opens)
}

// opens is what opens one's account, or acts in one's name, beside the password.
func (s *Server) opens(c fiber.Ctx, a *asker) (*api.Opens, error) {
	v := &api.Opens{Passkeys: []string{}, Tokens: []string{}}
	var err error
	if v.Sessions, err = s.sessionsOf(c, a); err != nil {
		return nil, err
	}
	keys, err := s.store.Passkeys(c.Context(), a.person.ID)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		v.Passkeys = append(v.Passkeys, k.Name)
	}
	tokens, err := s.store.TokensOf(c.Context(), a.person.ID)
	v.Tokens = append(v.Tokens, tokens...)
	return v, err
}

// ownPassword looks whether somebody who is in knows the password, too; guesses are slowed
// down as at the door.
func (s *Server) ownPassword(c fiber.Ctx, a *asker, field, password string) error {
	g := guess{keys: []string{fmt.Sprintf("own:%d", a.person.ID)}, free: []int{freeOfAccount}}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	if err := s.waits(c, g); err != nil {
		return err
	}
	_, hash, err := s.store.PersonOf(c.Context(), a.name)
	if err != nil {
		return err
	}
	if people.Verify(hash, password) {
		return s.store.Entered(c.Context(), g.keys...)
	}
	if err := s.failed(c, g); err != nil {
		return err
	}
	return bad(field, "that is not your password")
}
