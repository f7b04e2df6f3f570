package server

import (
	"fmt"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/people"
	"klammer/store"
)

// Access is who is let in. The zero Access asks only for a name and answers on this machine
// alone, as whoever is at it may everything.
type Access struct {
	Accounts bool                   // people sign in
	Host     func(name string) bool // by which names the server may be asked for, besides those of this machine; nil for none
	Strict   bool                   // browsers may come by TLS alone from now on (RFC 6797)
	Own      func() string          // the SHA-256 of a certificate that the server made itself; nil for another
	Cost     people.Cost            // of a guess of a password; [people.Usual] where it is zero

	Patience time.Duration // how long a request may take to be sent, and an answer to be read; 30 s where zero
}

// Admit says who is let in. It is called before the server serves.
func (s *Server) Admit(a Access) {
	if a.Cost == (people.Cost{}) {
		a.Cost = people.Usual
	}
	if a.Patience == 0 {
		a.Patience = 30 * time.Second
	}
	s.access = a
	s.nobody = sync.OnceValue(func() string {
		hash, _ := a.Cost.Hash("a password that nobody has")
		return hash
	})
}

// need is who may ask for something: what a route's row says, and nothing else decides.
type need int

const (
	anybody need = iota // whoever reaches the server
	someone             // who is signed in
	reader              // of the office that is named; and so on
	planner
	carrier
	keeper
	plannerOfAll // in every office
	keeperOfAll
	carrierSelf // signed in, and no token: a token makes no others
	keeperSelf
	reporting // a token that reports tests, and nobody else
)

// role is the role that a need asks for.
func (n need) role() people.Role {
	switch n {
	case reader, planner, carrier, keeper:
		return people.Role(n-reader) + people.Reader
	case plannerOfAll:
		return people.Planner
	case carrierSelf:
		return people.Carrier
	case keeperOfAll, keeperSelf:
		return people.Keeper
	}
	return people.Nobody
}

// asker is who asks.
type asker struct {
	name    string // "" for nobody that is known
	person  *store.Person
	session int64
	token   *store.Token
	whole   bool // there are no accounts: whoever is at the machine
}

// role is what he may do with an office; 0 asks for every office.
func (a *asker) role(office int64) people.Role {
	switch {
	case a.whole:
		return people.Keeper
	case a.token != nil:
		r := people.Nobody
		if a.token.Office == office {
			r = a.token.Role
		}
		if a.person != nil {
			r = min(r, a.person.Role(office))
		}
		return r
	case a.person != nil:
		return a.person.Role(office)
	}
	return people.Nobody
}

// whoAsks is who asks.
func whoAsks(c fiber.Ctx) *asker {
	if a, ok := c.Locals("asker").(*asker); ok {
		return a
	}
	return &asker{}
}

const (
	// authorCookie holds the name that a browser was asked for, where there are no accounts.
	authorCookie = "klammer_name"
	// sessionCookie holds the secret of a session. Browsers take a cookie of that name by TLS
	// alone, and from this host alone (RFC 6265bis, 4.1.3.2).
	sessionCookie = "__Host-klammer"
)

// enter finds out who asks.
func (s *Server) enter(c fiber.Ctx) error {
	a, err := s.askerOf(c)
	if err != nil {
		return err
	}
	c.Locals("asker", a)
	c.Set("Cache-Control", "no-store")
	return c.Next()
}

func (s *Server) askerOf(c fiber.Ctx) (*asker, error) {
	if kind, text, _ := strings.Cut(c.Get("Authorization"), " "); strings.EqualFold(kind, "Bearer") {
		t, p, err := s.store.UseToken(c.Context(), strings.TrimSpace(text))
		if err != nil || t == nil || s.access.Accounts && p == nil { // nobody's, from before people signed in
			return &asker{}, err
		}
		return &asker{name: t.Name, person: p, token: t}, nil
	}
	if !s.access.Accounts {
		a := &asker{whole: true}
		name, err := url.QueryUnescape(c.Cookies(authorCookie))
		if err == nil {
			if checked, err := checkName(name); err == nil && checked == name { // the form sets no other
				a.name = name
			}
		}
		return a, nil
	}
	secret := c.Cookies(sessionCookie)
	if secret == "" {
		return &asker{}, nil
	}
	p, x, err := s.store.Who(c.Context(), secret)
	if err != nil || p == nil {
		return &asker{}, err
	}
	return &asker{name: p.Name, person: p, session: x.ID}, nil
}

// allow lets those in who may, by the route's row.
func (s *Server) allow(r route) fiber.Handler {
	return func(c fiber.Ctx) error {
		a := whoAsks(c)
		switch {
		case r.need == anybody, r.need == reporting: // a token is asked for there, and what is wrong with it is said
			return c.Next()
		case a.token != nil && a.token.Ended():
			return endedToken(a.token)
		case a.token != nil && a.token.Role == people.Nobody:
			return fiber.NewError(fiber.StatusForbidden, "this token reports tests, and does nothing else")
		case !a.whole && a.name == "":
			return fiber.NewError(fiber.StatusUnauthorized, "sign in first")
		case a.token != nil && (r.need == someone || r.need == carrierSelf || r.need == keeperSelf):
			return fiber.NewError(fiber.StatusForbidden, "this takes somebody who is signed in, and no token")
		case r.need == someone:
			return c.Next()
		}
		office := int64(0)
		title := ""
		if r.need != plannerOfAll && r.need != keeperOfAll {
			at, err := s.room(c)
			if err != nil && a.role(0) == people.Nobody {
				return store.ErrNoOffice // which there are is for those who may see them
			}
			if err != nil {
				return err
			}
			office = at.id
			if now := at.look(); now != nil {
				title = now.report.Net.Office.Title
			}
		}
		if err := a.may(office, r.need.role()); err != nil {
			s.log.Info("refused", "who", a.name, "method", r.method, "path", c.Path(), "why", err)
			return err
		}
		err := c.Next()
		if what := recorded[r.method+" "+r.path]; err == nil && what != "" {
			s.note(c, a.name, what, office, title)
		}
		return err
	}
}

// recorded is what of the routes is written into the record, beside what writes it itself.
var recorded = map[string]string{
	"POST /api/offices":                   "started an office",
	"DELETE /api/offices/:id":             "deleted the office",
	"POST /api/offices/:id/restore":       "restored an earlier revision",
	"POST /api/offices/:id/readings":      "read devices",
	"POST /api/offices/:id/discover":      "asked for devices",
	"PUT /api/offices/:id/readings/every": "set how often devices are read",
	"POST /api/offices/:id/orders/carry":  "had a device set",
	"PUT /api/offices/:id/credentials":    "kept credentials",
	"DELETE /api/offices/:id/credentials": "forgot credentials",
	"GET /api/offices/:id/workbook":       "exported the workbook",
	"GET /api/offices/:id/grid":           "exported a grid",
	"GET /api/offices/:id/notation":       "exported the notation",
}

// may says whether somebody has a role in an office, 0 for all; an office of which he may
// see nothing is not there.
func (a *asker) may(office int64, role people.Role) error {
	switch has := a.role(office); {
	case has >= role:
		return nil
	case office == 0:
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("this takes a %s of all offices", role))
	case has == people.Nobody:
		return store.ErrNoOffice
	default:
		return fiber.NewError(fiber.StatusForbidden, fmt.Sprintf("this takes a %s, and you are a %s here: a keeper of the office can change that", role, has))
	}
}

// author is the name that stands beside what somebody does.
func author(c fiber.Ctx) (string, error) {
	if name := whoAsks(c).name; name != "" {
		return name, nil
	}
	return "", fiber.NewError(fiber.StatusUnauthorized, "say who you are first: the history names who made an edit")
}

// Right is what a route takes.
type Right struct{ Method, Path, Who string }

// Rights is who may ask for what: the table that the server decides by.
func Rights() (out []Right) {
	var s Server
	for _, r := range s.routes() {
		out = append(out, Right{r.method, r.path, needs[r.need]})
	}
	return out
}

// RightsTable is that table as it stands in docs/service.md.
func RightsTable() ([]byte, error) {
	var b strings.Builder
	b.WriteString("| request | who may |\n|---|---|\n")
	for _, r := range Rights() {
		fmt.Fprintf(&b, "| `%s %s` | %s |\n", r.Method, r.Path, r.Who)
	}
	return []byte(b.String()), nil
}

var needs = map[need]string{
	anybody: "anybody", someone: "signed in", reader: "reader", planner: "planner", carrier: "carrier", keeper: "keeper",
	plannerOfAll: "planner of all", carrierSelf: "carrier, no token", keeperSelf: "keeper, no token", keeperOfAll: "keeper of all", reporting: "token",
}
