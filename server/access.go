package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/netip"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/core/effort"
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
	Proxies  []netip.Prefix         // whose word about who asks counts
	Cost     people.Cost            // of a guess of a password; [people.Usual] where it is zero

	Patience time.Duration // how long a request may take to be sent, and an answer to be read; 30 s where zero
}

// Admit says who is let in. It is called before the server serves.
func (s *Server) Admit(access Access) {
	if access.Cost == (people.Cost{}) {
		access.Cost = people.Usual
	}
	if access.Patience == 0 {
		access.Patience = 30 * time.Second
	}
	s.access = access
	s.nobody = sync.OnceValue(func() string {
		hash, _ := access.Cost.Hash("a password that nobody has")
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
	byOffices    // of the offices that the request names, each as its field says
	plannerOfAll // in every office
	keeperOfAll
	readerSelf  // signed in, and no token: what is somebody's own is no token's
	carrierSelf // a token makes no others
	keeperSelf
	reporting // a token that reports tests, and nobody else
)

// role is the role that a need asks for.
func (n need) role() people.Role {
	switch n {
	case readerSelf:
		return people.Reader
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
		role := people.Nobody
		if a.token.Office == office {
			role = a.token.Role
		}
		if a.person != nil {
			role = role.And(a.person.Role(office))
		}
		return role
	case a.person != nil:
		return a.person.Role(office)
	}
	return people.Nobody
}

// whoAsks is who asks.
func whoAsks(c fiber.Ctx) *asker {
	if one, ok := c.Locals("asker").(*asker); ok {
		return one
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
	asker, err := s.askerOf(c)
	if err != nil {
		return err
	}
	c.Locals("asker", asker)
	c.Set("Cache-Control", "no-store")
	return c.Next()
}

func (s *Server) askerOf(c fiber.Ctx) (*asker, error) {
	if kind, text, _ := strings.Cut(c.Get("Authorization"), " "); strings.EqualFold(kind, "Bearer") {
		token, person, err := s.store.UseToken(c.Context(), strings.TrimSpace(text))
		if err != nil || token == nil || s.access.Accounts && person == nil { // nobody's, from before people signed in
			return &asker{}, err
		}
		return &asker{name: token.Name, person: person, token: token}, nil
	}
	if !s.access.Accounts {
		one := &asker{whole: true}
		name, err := url.QueryUnescape(c.Cookies(authorCookie))
		if err == nil {
			if checked, err := checkName(name); err == nil && checked == name { // the form sets no other
				one.name = name
			}
		}
		return one, nil
	}
	secret := c.Cookies(sessionCookie)
	if secret == "" {
		return &asker{}, nil
	}
	other, session, err := s.store.Who(c.Context(), secret)
	if err != nil || other == nil {
		return &asker{}, err
	}
	return &asker{name: other.Name, person: other, session: session.ID}, nil
}

// claim is what an asker has to be in an office, 0 for all of them.
type claim struct {
	office int64
	role   people.Role
}

// claims is what a request takes of its asker: by the office in its path, or all of them, and
// by the offices that fields of its body or query name.
func (r *route) claims(c fiber.Ctx) ([]claim, error) {
	var all []claim
	switch {
	case strings.Contains(r.path, "/:id"):
		id, err := idOf(c)
		if err != nil {
			return nil, err
		}
		all = append(all, claim{id, r.need.role()})
	case r.need == plannerOfAll, r.need == keeperOfAll:
		all = append(all, claim{0, r.need.role()})
	}
	for _, named := range r.named {
		id, err := named.in(c, r)
		switch {
		case err != nil:
			return nil, err
		case id > 0:
			all = append(all, claim{id, named.need.role()})
		case named.otherwise != anybody:
			all = append(all, claim{0, named.otherwise.role()})
		}
	}
	return all, nil
}

// named is a field of a body, or of a query, that names an office: its type says with the tag
// "office" what that takes, and after a comma what it takes where no office is named.
type named struct {
	field           string // as Go has it; of a query, as the query has it
	query           bool
	need, otherwise need
}

// namesOffices finds the fields of a route that name offices.
func namesOffices(route *route) (all []named) {
	for _, x := range []any{route.in, route.query} {
		t := reflect.TypeOf(x)
		if t == nil || t.Kind() != reflect.Struct {
			continue
		}
		for _, field := range reflect.VisibleFields(t) {
			says, ok := field.Tag.Lookup("office")
			if !ok {
				continue
			}
			who, otherwise, _ := strings.Cut(says, ",")
			one := named{field: field.Name, need: needOf(who), otherwise: anybody}
			if otherwise != "" {
				one.otherwise = needOf(otherwise)
			}
			if q := field.Tag.Get("query"); q != "" {
				one.field, one.query = q, true
			}
			all = append(all, one)
		}
	}
	return all
}

func needOf(who string) need {
	for need, name := range needs {
		if name == who {
			return need
		}
	}
	panic("no need is called " + who) // of a tag of the program
}

// in is the office that a request names there, 0 for none. It reads as the handler does.
func (n *named) in(c fiber.Ctx, route *route) (int64, error) {
	if n.query {
		return intQuery(c, n.field, 0)
	}
	text, err := received(c)
	if err != nil {
		return 0, err
	}
	value := reflect.New(reflect.TypeOf(route.in))
	_ = json.Unmarshal(text, value.Interface()) // what is wrong with it, the handler says
	return value.Elem().FieldByName(n.field).Int(), nil
}

// allow lets those in who may, by the route's row, and notes the offices that he was let into:
// a handler gets no other ([Server.admitted]).
//
// Many branches: a token, a session or who is at this machine asks, and each refusal has
// its own words.
func (s *Server) allow(route route) fiber.Handler {
	route.named = namesOffices(&route)
	return func(c fiber.Ctx) error {
		asker := whoAsks(c)
		c.SetContext(store.Watched(c.Context()))
		c.Locals("effort", effortFor(c.Context()))
		switch {
		case route.need == anybody, route.need == reporting: // a token is asked for there, and what is wrong with it is said
			return effort.Try(c.Next)
		case asker.token != nil && asker.token.Ended():
			return endedToken(asker.token)
		case asker.token != nil && asker.token.Role == people.Nobody:
			return fiber.NewError(fiber.StatusForbidden, "this token reports tests, and does nothing else")
		case !asker.whole && asker.name == "":
			return fiber.NewError(fiber.StatusUnauthorized, "sign in first")
		case asker.token != nil && (route.need == someone || route.need == readerSelf || route.need == carrierSelf || route.need == keeperSelf):
			return fiber.NewError(fiber.StatusForbidden, "this takes somebody who is signed in, and no token")
		}
		claims, err := route.claims(c)
		if err != nil {
			return err
		}
		var into []int64
		for _, claim := range claims {
			if err := asker.may(claim.office, claim.role); err != nil {
				s.log.Info("refused", "who", asker.name, "method", route.method, "path", c.Path(), "why", err)
				return err
			}
			into = append(into, claim.office)
		}
		c.Locals("offices", into)
		if token, again := nameOf(c); again && token != "" { // until somebody knows
			store.DeedOf(c.Context()).May()
		}
		what := recorded[route.method+" "+route.path]
		if what == "" {
			return effort.Try(c.Next)
		}
		office, title := int64(0), ""
		if len(into) > 0 && into[0] > 0 { // before it may be deleted
			office = into[0]
			if title, err = s.store.OfficeName(c.Context(), office); err != nil {
				return err
			}
		}
		if err = effort.Try(c.Next); err == nil {
			s.note(c, asker.name, what, office, title)
		}
		return err
	}
}

// effortFor is what one request may cost: as long as somebody waits for it.
func effortFor(ctx context.Context) *effort.Effort {
	start := time.Now()
	return effort.New(effort.Most, func() error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if time.Since(start) > longestWork {
			return effort.ErrSpent
		}
		return nil
	})
}

// effortOf is what a request has left.
func effortOf(c fiber.Ctx) *effort.Effort {
	one, _ := c.Locals("effort").(*effort.Effort)
	return one
}

// admitted says whether the guard let this request into an office. What it was not asked
// about is refused, whoever asks: a field that names an office lacks its tag.
func (s *Server) admitted(c fiber.Ctx, office int64) error {
	if into, _ := c.Locals("offices").([]int64); office > 0 && slices.Contains(into, office) {
		return nil
	}
	return fmt.Errorf("nobody asked whether office %d is open to this request", office)
}

// mounted says whether whatever is mounted is in the table, or is one of the few that tell
// nothing of offices.
func (s *Server) mounted() error {
	known := map[string]bool{"GET /livez": true, "GET /readyz": true, "GET /*": true}
	for _, route := range s.routes() {
		known[route.method+" "+route.path] = true
	}
	for _, route := range s.app.GetRoutes(true) {
		method := route.Method
		if method == fiber.MethodHead { // comes with GET, through the same handlers
			method = fiber.MethodGet
		}
		if !known[method+" "+route.Path] && route.Path != "/api/*" { // which is the answer that there is nothing
			return fmt.Errorf("%s %s is mounted, and no row says who may", route.Method, route.Path)
		}
	}
	return nil
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
	case has.May(role):
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
	var server Server
	for _, route := range server.routes() {
		who := needs[route.need]
		for _, named := range namesOffices(&route) {
			field := strings.ToLower(named.field)
			if route.need == byOffices {
				who = fmt.Sprintf("%s of the office in `%s`, else %s", needs[named.need], field, needs[named.otherwise])
			} else {
				who += fmt.Sprintf("; %s of the office in `%s`", needs[named.need], field)
			}
		}
		out = append(out, Right{route.method, route.path, who})
	}
	return out
}

// RightsTable is that table as it stands in docs/service.md.
func RightsTable() ([]byte, error) {
	var text strings.Builder
	text.WriteString("| request | who may |\n|---|---|\n")
	for _, right := range Rights() {
		fmt.Fprintf(&text, "| `%s %s` | %s |\n", right.Method, right.Path, right.Who)
	}
	return []byte(text.String()), nil
}

var needs = map[need]string{
	anybody: "anybody", someone: "signed in", reader: "reader", planner: "planner", carrier: "carrier", keeper: "keeper",
	byOffices: "as what it names says", plannerOfAll: "planner of all", readerSelf: "reader, no token", carrierSelf: "carrier, no token", keeperSelf: "keeper, no token", keeperOfAll: "keeper of all", reporting: "token",
}
