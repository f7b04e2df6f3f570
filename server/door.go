package server

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/people"
	"klammer/store"
)

// mostGuesses is how many passwords are looked at at once: each takes 64 MiB.
const mostGuesses = 4

// How many sign-ins may fail before the next waits: of an account from one address; from an
// address, behind which an office may be; and of an account from wherever, which slows those
// who have many addresses. Who has a browser with which he signed in before waits for what
// failed there, and for nobody else's guesses.
const (
	freeOfAccount  = 5
	freeOfAddress  = 20
	freeOfAnywhere = 50
)

// browserCookie holds by what a browser is known with which somebody signed in.
const browserCookie = "__Host-klammer-browser"

// guess is what a sign-in is slowed down by.
type guess struct {
	keys    []string // in the order of free
	free    []int
	browser int64 // that is known; 0 for none
}

// guessing is what a sign-in to an account, "" where it is not said, is slowed down by. A
// person of 0 is nobody that is known.
func (s *Server) guessAt(c fiber.Ctx, account string, person int64) (guess guess, err error) {
	if account == "" || person != 0 {
		if guess.browser, err = s.store.Knows(c.Context(), c.Cookies(browserCookie), person); err != nil {
			return guess, err
		}
	}
	if guess.browser != 0 {
		guess.keys, guess.free = []string{fmt.Sprintf("browser:%d", guess.browser)}, []int{freeOfAccount}
		return guess, nil
	}
	from := placeOf(s.askedFrom(c))
	guess.keys, guess.free = []string{"address:" + from}, []int{freeOfAddress}
	if account = strings.ToLower(account); account != "" {
		guess.keys = append(guess.keys, "account:"+account+" from "+from, "account:"+account)
		guess.free = append(guess.free, freeOfAccount, freeOfAnywhere)
	}
	return guess, nil
}

// waits refuses where too much failed before.
func (s *Server) waits(c fiber.Ctx, guess guess) error {
	wait, err := s.store.Wait(c.Context(), guess.keys...)
	if err != nil || wait == 0 {
		return err
	}
	c.Set(fiber.HeaderRetryAfter, fmt.Sprintf("%.0f", math.Ceil(wait.Seconds())))
	return fiber.NewError(fiber.StatusTooManyRequests, fmt.Sprintf("too many sign-ins failed: try again in %s", time.Duration(math.Ceil(wait.Seconds()))*time.Second))
}

// failed notes that one failed.
func (s *Server) failed(c fiber.Ctx, guess guess) error {
	for k, key := range guess.keys {
		if err := s.store.Failed(c.Context(), guess.free[k], key); err != nil {
			return err
		}
	}
	return nil
}

func (s *Server) meOf(asker *asker) api.Me {
	me := api.Me{Name: asker.name, Accounts: s.access.Accounts}
	if asker.person != nil && asker.token == nil {
		if asker.person.Everywhere != people.Nobody {
			me.Everywhere = asker.person.Everywhere.String()
		}
		me.Alone = asker.person.Alone
		me.Roles = map[string]string{}
		for office, role := range asker.person.In {
			me.Roles[fmt.Sprint(office)] = role.String()
		}
	}
	return me
}

// guessing waits for its turn to look at a password.
func (s *Server) guessing(c fiber.Ctx) (done func(), err error) {
	select {
	case s.guesses <- struct{}{}:
		return func() { <-s.guesses }, nil
	case <-c.Context().Done():
		return nil, c.Context().Err()
	case <-time.After(10 * time.Second):
		return nil, fiber.NewError(fiber.StatusServiceUnavailable, "too many sign in just now: try again in a moment")
	}
}

// onlyAccounts refuses where nobody signs in.
func (s *Server) onlyAccounts() error {
	if s.access.Accounts {
		return nil
	}
	return fiber.NewError(fiber.StatusNotFound, "there are no accounts here: klammer serve --listen on another address than this machine's has them")
}

func (s *Server) signIn(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var q api.SignIn
	if err := body(c, &q); err != nil {
		return err
	}
	name, err := checkName(q.Name)
	if err != nil {
		return err
	}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	one, hash, err := s.store.PersonOf(c.Context(), name)
	if err != nil {
		return err
	}
	person := int64(0)
	if one != nil {
		person = one.ID
	}
	guess, err := s.guessAt(c, name, person)
	if err != nil {
		return err
	}
	if err := s.waits(c, guess); err != nil { // in one's turn: many at once guess no more. Whoever it is, there or not
		return err
	}
	if hash == "" {
		hash = s.nobody() // as long as for somebody
	}
	if ok := people.Verify(hash, q.Password); !ok || one == nil || one.Alone {
		if err := s.failed(c, guess); err != nil {
			return err
		}
		s.note(c, name, "sign-in failed", 0, "")
		return fiber.NewError(fiber.StatusForbidden, "the name or the password is not right (or it is an account that passkeys alone open)")
	}
	if err := s.store.Entered(c.Context(), slices.DeleteFunc(guess.keys, func(key string) bool { return strings.HasPrefix(key, "address:") })...); err != nil {
		return err
	}
	s.note(c, one.Name, "signed in", 0, browser(c))
	return s.letIn(c, one)
}

// letIn begins a session, and ends the one that the browser had.
func (s *Server) letIn(c fiber.Ctx, person *store.Person) error {
	if old := whoAsks(c); old.session != 0 {
		gone, err := s.store.End(c.Context(), old.person.ID, old.session, 0)
		if err == nil {
			err = s.ended(c.Context(), api.Somebody{Sessions: gone})
		}
		if err != nil {
			return err
		}
	}
	secret, err := s.store.Begin(c.Context(), person.ID, browser(c))
	if err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: secret, Path: "/", HTTPOnly: true, Secure: true, SameSite: "Strict", MaxAge: int(store.SessionMost.Seconds())})
	if err := s.remember(c, person); err != nil {
		return err
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(s.meOf(&asker{name: person.Name, person: person}))
}

// remember makes the browser known with which somebody signed in.
func (s *Server) remember(c fiber.Ctx, person *store.Person) error {
	known, err := s.store.Knows(c.Context(), c.Cookies(browserCookie), person.ID)
	if err != nil {
		return err
	}
	if known != 0 {
		return s.store.Seen(c.Context(), known)
	}
	secret, err := s.store.Know(c.Context(), person.ID)
	if err == nil {
		c.Cookie(&fiber.Cookie{Name: browserCookie, Value: secret, Path: "/", HTTPOnly: true, Secure: true, SameSite: "Strict", MaxAge: 400 * 24 * 3600})
	}
	return err
}

// browser is what a browser says of itself, as far as one can read it.
func browser(c fiber.Ctx) string {
	text := c.Get(fiber.HeaderUserAgent)
	if len(text) > 200 {
		text = text[:200]
	}
	if !printable(text) {
		return "a browser"
	}
	return text
}

func (s *Server) invited(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var invitation api.Invitation
	if err := body(c, &invitation); err != nil {
		return err
	}
	office, role, by, err := s.store.Invited(c.Context(), invitation.Secret)
	if err != nil {
		return notInvited(err)
	}
	invited := api.Invited{By: by, Role: role.String()}
	if office != 0 {
		if invited.Office, err = s.store.OfficeName(c.Context(), office); err != nil {
			return err
		}
	}
	return c.JSON(invited)
}

func notInvited(err error) error {
	if errors.Is(err, store.ErrNobody) {
		return fiber.NewError(fiber.StatusForbidden, "this invitation was used, or ended: ask for another")
	}
	return err
}

func (s *Server) join(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var join api.Join
	if err := body(c, &join); err != nil {
		return err
	}
	name, err := checkName(join.Name)
	if err != nil {
		return err
	}
	if err := people.Strong(join.Password, strings.Fields(name)...); err != nil {
		return bad("password", "%s", err)
	}
	if _, _, _, err := s.store.Invited(c.Context(), join.Secret); err != nil { // before it costs anything
		return notInvited(err)
	}
	all, err := s.store.People(c.Context())
	if err != nil {
		return err
	}
	for _, person := range all {
		if person.Name != name && !strings.EqualFold(person.Name, name) && people.Alike(person.Name, name) {
			return bad("name", "somebody's name looks just so, in other letters: take another name")
		}
	}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	hash, err := s.access.Cost.Hash(join.Password)
	if err != nil {
		return err
	}
	_, err = s.store.Join(c.Context(), join.Secret, name, hash)
	if errors.Is(err, store.ErrNameTaken) {
		return bad("name", "somebody is called %s already: take another name", name)
	}
	if err != nil {
		return notInvited(err)
	}
	other, _, err := s.store.PersonOf(c.Context(), name)
	if err != nil {
		return err
	}
	s.note(c, other.Name, "made an account", 0, browser(c))
	return s.letIn(c, other)
}

// FirstLink is the end of a link with which the first account is made, for half an hour;
// "" where there is somebody already.
func (s *Server) FirstLink(ctx context.Context) (string, error) {
	some, err := s.store.Anybody(ctx)
	if err != nil || some {
		return "", err
	}
	secret, err := s.store.Invite(ctx, 0, people.Keeper, "Klammer", 0)
	return "/join#" + secret, err
}
