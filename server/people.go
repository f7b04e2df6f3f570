package server

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/people"
	"klammer/spreadsheet"
	"klammer/store"
)

// mostGuesses is how many passwords are looked at at once: each takes 64 MiB.
const mostGuesses = 4

// How many sign-ins may fail before the next waits: of an account, and from an address,
// behind which an office may be.
const (
	freeOfAccount = 5
	freeOfAddress = 20
)

func (s *Server) meOf(a *asker) api.Me {
	me := api.Me{Name: a.name, Accounts: s.access.Accounts}
	if a.person != nil && a.token == nil {
		if a.person.Everywhere != people.Nobody {
			me.Everywhere = a.person.Everywhere.String()
		}
		me.Alone = a.person.Alone
		me.Roles = map[string]string{}
		for office, role := range a.person.In {
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

// note writes a line of the record; what cannot be written is said in the log.
func (s *Server) note(c fiber.Ctx, who, what string, office int64, about string) {
	s.noteFrom(context.WithoutCancel(c.Context()), who, what, office, about, c.IP())
}

func (s *Server) noteFrom(ctx context.Context, who, what string, office int64, about, address string) {
	if !s.access.Accounts {
		return
	}
	ctx, stop := context.WithTimeout(ctx, 5*time.Second)
	defer stop()
	if err := s.store.Record(ctx, who, what, office, about, address); err != nil {
		s.log.Error("the record cannot be written", "who", who, "what", what, "error", err)
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
	account, address := "account:"+strings.ToLower(name), "address:"+c.IP()
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	wait, err := s.store.Wait(c.Context(), account, address) // in one's turn: many at once guess no more
	if err != nil {
		return err
	}
	if wait > 0 { // whoever it is, there or not
		c.Set(fiber.HeaderRetryAfter, fmt.Sprintf("%.0f", math.Ceil(wait.Seconds())))
		return fiber.NewError(fiber.StatusTooManyRequests, fmt.Sprintf("too many sign-ins failed: try again in %s", time.Duration(math.Ceil(wait.Seconds()))*time.Second))
	}
	p, hash, err := s.store.PersonOf(c.Context(), name)
	if err != nil {
		return err
	}
	if hash == "" {
		hash = s.nobody() // as long as for somebody
	}
	if ok := people.Verify(hash, q.Password); !ok || p == nil || p.Alone {
		err := s.store.Failed(c.Context(), freeOfAccount, account)
		if err == nil {
			err = s.store.Failed(c.Context(), freeOfAddress, address)
		}
		if err != nil {
			return err
		}
		s.note(c, name, "sign-in failed", 0, "")
		return fiber.NewError(fiber.StatusForbidden, "the name or the password is not right (or it is an account that passkeys alone open)")
	}
	if err := s.store.Entered(c.Context(), account); err != nil {
		return err
	}
	s.note(c, p.Name, "signed in", 0, browser(c))
	return s.letIn(c, p)
}

// letIn begins a session, and ends the one that the browser had.
func (s *Server) letIn(c fiber.Ctx, p *store.Person) error {
	if old := whoAsks(c); old.session != 0 {
		gone, err := s.store.End(c.Context(), old.person.ID, old.session, 0)
		if err == nil {
			err = s.ended(c.Context(), api.Somebody{Sessions: gone})
		}
		if err != nil {
			return err
		}
	}
	secret, err := s.store.Begin(c.Context(), p.ID, browser(c))
	if err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: secret, Path: "/", HTTPOnly: true, Secure: true, SameSite: "Strict", MaxAge: int(store.SessionMost.Seconds())})
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(s.meOf(&asker{name: p.Name, person: p}))
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
	var q api.Invitation
	if err := body(c, &q); err != nil {
		return err
	}
	office, role, by, err := s.store.Invited(c.Context(), q.Secret)
	if err != nil {
		return notInvited(err)
	}
	v := api.Invited{By: by, Role: role.String()}
	if office != 0 {
		if v.Office, err = s.store.OfficeName(c.Context(), office); err != nil {
			return err
		}
	}
	return c.JSON(v)
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
	var q api.Join
	if err := body(c, &q); err != nil {
		return err
	}
	name, err := checkName(q.Name)
	if err != nil {
		return err
	}
	if err := people.Strong(q.Password, strings.Fields(name)...); err != nil {
		return bad("password", "%s", err)
	}
	if _, _, _, err := s.store.Invited(c.Context(), q.Secret); err != nil { // before it costs anything
		return notInvited(err)
	}
	done, err := s.guessing(c)
	if err != nil {
		return err
	}
	defer done()
	hash, err := s.access.Cost.Hash(q.Password)
	if err != nil {
		return err
	}
	_, err = s.store.Join(c.Context(), q.Secret, name, hash)
	if errors.Is(err, store.ErrNameTaken) {
		return bad("name", "somebody is called %s already: take another name", name)
	}
	if err != nil {
		return notInvited(err)
	}
	p, _, err := s.store.PersonOf(c.Context(), name)
	if err != nil {
		return err
	}
	s.note(c, p.Name, "made an account", 0, browser(c))
	return s.letIn(c, p)
}

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

// officeHere is the office of a route; 0 for all.
func (s *Server) officeHere(c fiber.Ctx) (int64, error) {
	if c.Params("id") == "" {
		return 0, nil
	}
	r, err := s.room(c)
	if err != nil {
		return 0, err
	}
	return r.id, nil
}

func (s *Server) people(c fiber.Ctx) error {
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	return s.peopleTold(c, office, "")
}

func (s *Server) peopleTold(c fiber.Ctx, office int64, link string) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	all, err := s.store.People(c.Context())
	if err != nil {
		return err
	}
	a := whoAsks(c)
	v := api.PeopleView{People: []api.PersonView{}, Link: link}
	for _, p := range all {
		role := p.Everywhere
		if office != 0 {
			role = p.In[office]
			if p.Role(office) == people.Nobody && a.role(0) < people.Keeper {
				continue // of no concern to who keeps this office alone
			}
		}
		v.People = append(v.People, api.PersonView{ID: p.ID, Name: p.Name, Role: role.String(), Everywhere: p.Everywhere.String(), You: a.person != nil && a.person.ID == p.ID, Alone: p.Alone})
	}
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.JSON(v)
}

func (s *Server) setRole(c fiber.Ctx) error {
	var q api.RoleRequest
	if err := body(c, &q); err != nil {
		return err
	}
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	role := people.Nobody
	if q.Role != people.Nobody.String() {
		if role, err = people.RoleOf(q.Role); err != nil {
			return bad("role", "%s", err)
		}
	}
	name, gone, err := s.store.SetRole(c.Context(), q.Person, office, role)
	if err != nil {
		return whoGoes(err)
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone, Person: q.Person}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "changed a role", office, fmt.Sprintf("%s: %s", name, role))
	return s.peopleTold(c, office, "")
}

// whoGoes says why a person cannot lose what he has.
func whoGoes(err error) error {
	switch {
	case errors.Is(err, store.ErrNobody):
		return fiber.NewError(fiber.StatusNotFound, "there is nobody of that number")
	case errors.Is(err, store.ErrLastKeeper):
		return fiber.NewError(fiber.StatusConflict, "somebody has to keep all offices: make another keeper of all first")
	}
	return err
}

type personQuery struct {
	Person int64 `query:"person" required:"true"`
}

func (s *Server) removePerson(c fiber.Ctx) error {
	id, err := intQuery(c, "person", 0)
	if err != nil {
		return err
	}
	name, gone, err := s.store.Remove(c.Context(), id)
	if err != nil {
		return whoGoes(err)
	}
	if err := s.ended(c.Context(), api.Somebody{Sessions: gone, Person: id}); err != nil {
		return err
	}
	s.note(c, whoAsks(c).name, "removed somebody", 0, name)
	return s.peopleTold(c, 0, "")
}

func (s *Server) invite(c fiber.Ctx) error {
	if err := s.onlyAccounts(); err != nil {
		return err
	}
	var q api.InviteRequest
	if err := body(c, &q); err != nil {
		return err
	}
	role, err := people.RoleOf(q.Role)
	if err != nil {
		return bad("role", "%s", err)
	}
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	name, err := author(c)
	if err != nil {
		return err
	}
	link, err := s.store.Invite(c.Context(), office, role, name, false)
	if err != nil {
		return err
	}
	s.note(c, name, "invited somebody", office, "as a "+role.String())
	return s.peopleTold(c, office, link)
}

type recordQuery struct {
	Before int64 `query:"before" description:"lines older than this one"`
	File   int64 `query:"file" description:"1: all of it, as CSV"`
}

// mostRecorded is how many lines of the record are told at once.
const mostRecorded = 200

// mostExported is how many are in a file.
const mostExported = 100_000

// recordFile sends lines of the record as CSV, the newest first.
func recordFile(c fiber.Ctx, all []store.Entry) error {
	rows := [][]string{{"number", "at", "who", "what", "office", "about", "address"}}
	for _, e := range all {
		office := ""
		if e.Office != nil {
			office = fmt.Sprint(*e.Office)
		}
		rows = append(rows, []string{fmt.Sprint(e.ID), e.At.UTC().Format(time.RFC3339), e.Who, e.What, office, e.About, e.Address})
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	if err := w.WriteAll(spreadsheet.Texts(rows)); err != nil {
		return err
	}
	c.Attachment("klammer-record.csv")
	c.Set(fiber.HeaderContentType, "text/csv; charset=utf-8")
	return c.SendString(b.String())
}

func (s *Server) record(c fiber.Ctx) error {
	office, err := s.officeHere(c)
	if err != nil {
		return err
	}
	before, err := intQuery(c, "before", 0)
	if err != nil {
		return err
	}
	file, err := intQuery(c, "file", 0)
	if err != nil {
		return err
	}
	most := mostRecorded
	if file != 0 {
		most = mostExported
	}
	all, err := s.store.Recorded(c.Context(), office, before, most)
	if err != nil {
		return err
	}
	if file != 0 {
		return recordFile(c, all)
	}
	out := []api.RecordEntry{}
	for _, e := range all {
		x := api.RecordEntry{ID: e.ID, At: e.At, Who: e.Who, What: e.What, About: e.About, Address: e.Address}
		if e.Office != nil {
			x.Office = *e.Office
		}
		out = append(out, x)
	}
	return c.JSON(out)
}

// FirstLink is the end of a link with which the first account is made, for half an hour;
// "" where there is somebody already.
func (s *Server) FirstLink(ctx context.Context) (string, error) {
	some, err := s.store.Anybody(ctx)
	if err != nil || some {
		return "", err
	}
	secret, err := s.store.Invite(ctx, 0, people.Keeper, "Klammer", true)
	return "/join#" + secret, err
}
