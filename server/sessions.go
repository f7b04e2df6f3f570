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

func (s *Server) sessionsOf(c fiber.Ctx, asker *asker) ([]api.SessionView, error) {
	out := []api.SessionView{}
	if asker.person == nil {
		return out, nil
	}
	all, err := s.store.Sessions(c.Context(), asker.person.ID)
	for _, session := range all {
		out = append(out, api.SessionView{ID: session.ID, About: session.About, At: session.At, Seen: session.Seen, Here: session.ID == asker.session})
	}
	return out, err
}

func (s *Server) endSession(c fiber.Ctx) error {
	asker := whoAsks(c)
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	id, err := intQuery(c, "session", 0)
	if err != nil {
		return err
	}
	gone, err := s.store.End(c.Context(), asker.person.ID, id, asker.session)
	if err != nil {
		return err
	}
	if id != 0 && len(gone) == 0 {
		return fiber.NewError(fiber.StatusNotFound, "you have no session of that number: it may have ended")
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone}); err != nil {
		return err
	}
	if id == asker.session && id != 0 {
		c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: "", Path: "/", HTTPOnly: true, Secure: true, SameSite: "Strict", MaxAge: -1, Expires: time.Unix(1, 0)})
		s.note(c, asker.name, "signed out", 0, "")
		return c.JSON([]api.SessionView{})
	}
	s.note(c, asker.name, "ended sessions of his own", 0, "")
	return s.sessions(c)
}

func (s *Server) password(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	asker := whoAsks(c)
	var password api.NewPassword
	if err := body(c, &password); err != nil {
		return err
	}
	if err := people.Strong(password.New, strings.Fields(asker.name)...); err != nil {
		return bad("new", "%s", err)
	}
	if err := s.ownPassword(c, asker, "old", password.Old); err != nil {
		return err
	}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	next, err := s.access.Cost.Hash(password.New)
	done()
	if err != nil {
		return err
	}
	gone, err := s.store.SetPassword(c.Context(), asker.person.ID, next, asker.session)
	if err == nil {
		err = s.ended(c.Context(), api.Somebody{Sessions: gone})
	}
	if err == nil {
		err = s.remember(c, asker.person)
	}
	if err != nil {
		return err
	}
	s.note(c, asker.name, "changed the password", 0, "")
	opens, err := s.opens(c, asker)
	if err != nil {
		return err
	}
	return c.JSON(opens)
}

// opens is what opens one's account, or acts in one's name, beside the password.
func (s *Server) opens(c fiber.Ctx, asker *asker) (*api.Opens, error) {
	opens := &api.Opens{Passkeys: []string{}, Tokens: []string{}}
	var err error
	if opens.Sessions, err = s.sessionsOf(c, asker); err != nil {
		return nil, err
	}
	keys, err := s.store.Passkeys(c.Context(), asker.person.ID)
	if err != nil {
		return nil, err
	}
	for _, passkey := range keys {
		opens.Passkeys = append(opens.Passkeys, passkey.Name)
	}
	tokens, err := s.store.TokensOf(c.Context(), asker.person.ID)
	opens.Tokens = append(opens.Tokens, tokens...)
	return opens, err
}

// ownPassword looks whether somebody who is in knows the password, too; guesses are slowed
// down as at the door.
func (s *Server) ownPassword(c fiber.Ctx, asker *asker, field, password string) error {
	one := guess{keys: []string{fmt.Sprintf("own:%d", asker.person.ID)}, free: []int{freeOfAccount}}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	if err := s.waits(c, one); err != nil {
		return err
	}
	_, hash, err := s.store.PersonOf(c.Context(), asker.name)
	if err != nil {
		return err
	}
	if people.Verify(hash, password) {
		return s.store.Entered(c.Context(), one.keys...)
	}
	if err := s.failed(c, one); err != nil {
		return err
	}
	return bad(field, "that is not your password")
}
