// Package server answers the browser, the command line's probe and other servers on
// the same database: it translates between HTTP and the packages below core. What a
// network does, what an edit means, what an order or a round is at, the core decides;
// here it is decided who may ask (access.go, by the one table in routes.go), whose turn
// it is (room.go), and what a request may cost (core/effort, docs/limits.md).
//
// Without accounts it answers on this machine alone, and each browser is asked for a
// name once, which becomes the author of its edits; with accounts people sign in
// (door.go), and a row of the table says which role a route takes.
package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	fiberlog "github.com/gofiber/fiber/v3/log"
	"github.com/jackc/pgx/v5/pgconn"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/effort"
	"klammer/core/history"
	"klammer/core/office"
	"klammer/mishap"
	"klammer/store"
)

// Server answers for all offices of one database.
type Server struct {
	app   *fiber.App
	store *store.Store
	log   *slog.Logger
	stop  context.Context

	mu    sync.Mutex
	rooms map[int64]*room

	streams streams  // that are open
	turns   turns    // of those who have an order worked out
	orders  *jobs    // orders that are worked out
	runs    sync.Map // by office: the *keptRun of its newest order

	field    Field
	readings *jobs    // devices that are read
	carrying *jobs    // visits that devices carry out
	carries  sync.Map // by office: the *carry of its order, going on or ended

	rounds     sync.Map // by office: the *rounds of its newest plan
	failing    sync.Map // by office: the *failing of its round
	roundTurns turns    // of those who have a round worked out

	idle    atomic.Int64        // nanoseconds after which an office that nobody looks at is let go of
	out     atomic.Pointer[Out] // how words leave the house
	sends   chan struct{}       // something is due
	backups func() string       // where they are made by themselves and of when the newest is; nil where none are
	meters  meters
	access  Access
	intakes turns         // of those who have a file read
	guesses turns         // passwords that are being looked at
	nobody  func() string // the hash of a password that nobody has
}

// bodyLimit is the most bytes of a request: an office of 1,000 devices has a
// tenth of that.
const bodyLimit = 4 << 20

// New makes a server; it works until ctx ends.
func New(ctx context.Context, s *store.Store, log *slog.Logger) *Server {
	srv := &Server{store: s, log: log, stop: ctx, sends: make(chan struct{}, 1), rooms: map[int64]*room{}, turns: make(turns, mostOrders), roundTurns: make(turns, mostRounds), intakes: make(turns, mostIntakes), guesses: make(turns, mostGuesses),
		orders:   newJobs("an order of this office is being worked out already: wait for it, or stop it"),
		readings: newJobs("devices of this office are being read already: wait for that, or stop it"),
		carrying: newJobs("a visit is being carried out already: wait for it, or stop it"),
	}
	srv.Admit(Access{})
	srv.SpeakOut(Out{})
	srv.RestAfter(15 * time.Minute)
	srv.measure()
	srv.app = fiber.New(fiber.Config{
		AppName: "Klammer",
		// A body is read by the route that wants one, and as it comes: nothing is
		// made ready for what a header promises.
		StreamRequestBody:            true,
		DisablePreParseMultipartForm: true,
		BodyLimit:                    8 * bodyLimit, // what is a little too much is read past, to be answered
		// What is read of a request lives on: in edits, in events that are told
		// later. The framework's own memory is used again for the next one.
		Immutable:      true,
		Concurrency:    mostConnections,
		IdleTimeout:    2 * time.Minute,
		ReadBufferSize: 16 << 10,
		ErrorHandler:   srv.fail,
	})
	fiberlog.SetLevel(fiberlog.LevelFatal) // what is refused needs no line in the log
	srv.app.Use(func(c fiber.Ctx) error {
		return mishap.Try(c.Next)
	})
	srv.app.Use(srv.guard)
	srv.probes()
	srv.app.Use("/api", srv.whileAsked)
	srv.app.Use("/api", srv.enter)
	for _, route := range srv.routes() {
		srv.app.Add([]string{route.method}, route.path, srv.timed(route), srv.allow(route), route.handle)
	}
	srv.app.All("/api/*", func(c fiber.Ctx) error {
		return fiber.NewError(fiber.StatusNotFound, "there is nothing at "+c.Path())
	})
	srv.pages()
	if err := srv.mounted(); err != nil {
		panic(err) // of the program, at its first start
	}
	mishap.Always(ctx, log, "listening to the database", srv.listen)
	mishap.Always(ctx, log, "looking after streams", srv.sweep)
	return srv
}

// Serve answers on a listener until the server's context ends.
func (s *Server) Serve(listener net.Listener) error {
	mishap.Always(s.stop, s.log, "reading by the timer", s.readByThemselves)
	mishap.Always(s.stop, s.log, "check-ups by the timer", s.checkByThemselves)
	mishap.Always(s.stop, s.log, "words out of the house", s.sendNotices)
	if !s.access.Accounts {
		listener = neighbours{listener}
	}
	s.app.Server().ReadTimeout, s.app.Server().WriteTimeout = s.access.Patience, s.access.Patience
	// Who is told to stop before he has begun to listen would listen for ever: the framework ends
	// what it has begun, and nothing else.
	defer context.AfterFunc(s.stop, func() { _ = listener.Close() })()
	err := s.app.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true, GracefulContext: s.stop, ShutdownTimeout: 3 * time.Second})
	if s.stop.Err() != nil && errors.Is(err, net.ErrClosed) {
		return nil
	}
	return err
}

// listen hears of edits that other servers on the database make. When the
// database was away, offices may have moved on unheard: they are read again.
func (s *Server) listen() {
	for s.stop.Err() == nil {
		err := s.store.Listen(s.stop, s.unheard, func(id, revision int64) {
			if revision < 0 {
				s.forget(id)
			} else if room := s.known(id); room != nil {
				room.moved(s.stop, revision)
			}
		}, s.someoneIs)
		if s.stop.Err() != nil {
			return
		}
		s.log.Warn("the database does not answer; trying again", "error", err)
		select {
		case <-s.stop.Done():
		case <-time.After(500 * time.Millisecond):
		}
	}
}

// unheard makes good what was told while the server did not hear: offices moved on, or were
// deleted, and something was found, or became of orders and tests.
func (s *Server) unheard() {
	s.mu.Lock()
	missing := maps.Clone(s.rooms)
	s.mu.Unlock()
	if len(missing) == 0 {
		return
	}
	all, err := s.store.Offices(s.stop)
	if err != nil {
		return // the connection will not last either
	}
	for _, summary := range all {
		if room := missing[summary.ID]; room != nil {
			delete(missing, summary.ID)
			room.moved(s.stop, summary.Revision)
			room.refound(s.stop)
			room.tell("read", 0, api.Somebody{Office: summary.ID, Read: true}, "")
		}
	}
	for id := range missing {
		s.forget(id)
	}
}

func (s *Server) known(id int64) *room {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.rooms[id]
}

// forget lets go of an office that was deleted; who watches it finds it gone.
func (s *Server) forget(id int64) {
	s.mu.Lock()
	room := s.rooms[id]
	delete(s.rooms, id)
	s.mu.Unlock()
	if room != nil {
		room.close()
	}
}

// idOf is the office in a request's path.
func idOf(c fiber.Ctx) (int64, error) {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil || id < 1 {
		return 0, bad("id", "%q is no number of an office", c.Params("id"))
	}
	return id, nil
}

// room finds the office in a request's path.
func (s *Server) room(c fiber.Ctx) (*room, error) {
	id, err := idOf(c)
	if err != nil {
		return nil, err
	}
	return s.roomAt(c, id)
}

// roomAt finds an office that a request names, if the guard let it in there.
func (s *Server) roomAt(c fiber.Ctx, id int64) (*room, error) {
	if err := s.admitted(c, id); err != nil {
		return nil, err
	}
	return s.roomOf(c.Context(), id)
}

// roomOf is the office of a number, for the server itself; requests ask for theirs with
// [Server.roomAt].
func (s *Server) roomOf(ctx context.Context, id int64) (*room, error) {
	if room := s.known(id); room != nil {
		room.asked.Store(time.Now().UnixNano())
		return room, nil
	}
	s.mu.Lock()
	other := s.rooms[id]
	if other == nil { // whoever else asks for it meanwhile waits for this one to be read
		other = newRoom(id, s.store, s.meters.findings)
		s.rooms[id] = other
	}
	s.mu.Unlock()
	if _, err := other.current(ctx); err != nil {
		if errors.Is(err, store.ErrNoOffice) {
			s.forget(id)
		}
		return nil, err
	}
	return other, nil
}

// looked is how a request for what an office is begins: which one, and as it is now.
func (s *Server) looked(c fiber.Ctx) (*room, *shown, error) {
	room, err := s.room(c)
	if err != nil {
		return nil, nil, err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return nil, nil, err
	}
	within := *now
	within.report = now.report.Within(effortOf(c))
	return room, &within, nil
}

// asked is how every request that writes to an office begins: who asks, what,
// and of which office.
func (s *Server) asked(c fiber.Ctx, into any) (name string, room *room, err error) {
	if name, err = author(c); err != nil {
		return
	}
	if err = body(c, into); err != nil {
		return
	}
	room, err = s.room(c)
	return
}

// isHere is the page that tells a browser where it is.
var isHere = regexp.MustCompile(`^/[0-9]+/here$`)

// guard keeps other pages in the same browser out: requests are for this host
// by a loopback name, and writes come from its own pages and carry JSON.
//
// Many branches: one a way in which another page could ask, each refused in its own words.
func (s *Server) guard(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Cross-Origin-Resource-Policy", "same-origin")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	c.Set("Referrer-Policy", "no-referrer")
	if s.access.Strict {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	connect := ""
	if isHere.MatchString(c.Path()) { // the one page whose visitor tries what his browser reaches
		connect = "connect-src 'self' http: https:; "
	}
	c.Set("Content-Security-Policy", "default-src 'self'; "+connect+"style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	host := c.Host()
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	host = strings.Trim(host, "[]")
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) && (s.access.Host == nil || !s.access.Host(host)) {
		if s.access.Accounts {
			return fiber.NewError(fiber.StatusForbidden, "this server is not called so: open it by a name that its certificate has")
		}
		return fiber.NewError(fiber.StatusForbidden, "Klammer answers on this machine only: open it as http://127.0.0.1")
	}
	if err := s.throughProxy(c); err != nil && c.Path() != "/livez" && c.Path() != "/readyz" {
		return err
	}
	// A page of another site is told nothing, even where it would see nothing of it (Fetch
	// Metadata). Going here by a link, or typing it, is neither.
	if site := c.Get("Sec-Fetch-Site"); (site == "cross-site" || site == "same-site") && strings.HasPrefix(c.Path(), "/api/") {
		return fiber.NewError(fiber.StatusForbidden, "another site's page may not ask for this")
	}
	if m := c.Method(); m != fiber.MethodGet && m != fiber.MethodHead {
		if o := c.Get("Origin"); o != "" {
			if one, err := url.Parse(o); err != nil || one.Host != c.Host() {
				return fiber.NewError(fiber.StatusForbidden, "another page may not change this office")
			}
		}
		if !strings.HasPrefix(c.Get("Content-Type"), "application/json") {
			return fiber.NewError(fiber.StatusUnsupportedMediaType, "the request is not JSON: send Content-Type: application/json")
		}
	}
	if c.Request().Header.ContentLength() > bodyLimit {
		if stream := c.Request().BodyStream(); stream != nil {
			_, _ = io.Copy(io.Discard, io.LimitReader(stream, 8*bodyLimit))
		}
		return fiber.ErrRequestEntityTooLarge
	}
	if e := c.Get("Content-Encoding"); e != "" && !strings.EqualFold(e, "identity") {
		return fiber.NewError(fiber.StatusUnsupportedMediaType, "nothing that is packed is unpacked: send the JSON as it is, without Content-Encoding")
	}
	return c.Next()
}

// statusOf is the status that an error is answered with.
func (s *Server) statusOf(err error) int {
	var field *badField
	var fault *command.Fault
	var clash *history.Conflict
	var much *tooMuch
	var web *fiber.Error
	switch {
	case errors.As(err, &field), errors.As(err, &fault):
		return fiber.StatusBadRequest
	case errors.As(err, &clash):
		return fiber.StatusConflict
	case errors.As(err, &much), errors.Is(err, effort.ErrSpent):
		return fiber.StatusUnprocessableEntity
	case errors.Is(err, store.ErrNoOffice):
		return fiber.StatusNotFound
	case errors.As(err, &web):
		return web.Code
	case errors.Is(err, context.Canceled): // whoever asked has gone
		return fiber.StatusRequestTimeout
	case noSpace(err):
		return fiber.StatusInsufficientStorage
	case databaseGone(err):
		return fiber.StatusServiceUnavailable
	}
	return fiber.StatusInternalServerError
}

// fail turns an error into an answer with the right status.
func (s *Server) fail(c fiber.Ctx, err error) error {
	var field *badField
	var fault *command.Fault
	var clash *history.Conflict
	var much *tooMuch
	var web *fiber.Error
	status, problem := s.statusOf(err), api.Problem{}
	switch {
	case errors.As(err, &field):
		problem = api.Problem{Error: field.text, Field: field.field, Code: field.code, Mistakes: field.mistakes}
	case errors.As(err, &fault):
		problem = api.Problem{Error: fault.Text, Field: fault.Field, Code: api.Code(fault.Code), Mistakes: mistakeViews(fault.Mistakes)}
	case errors.As(err, &clash):
		problem = api.Problem{Code: api.InTheWay, Error: clash.Text}
	case errors.As(err, &much):
		problem = api.Problem{Code: api.BeyondLimit, Error: much.text}
	case errors.Is(err, effort.ErrSpent):
		problem = api.Problem{Code: api.BeyondLimit, Error: err.Error()}
	case errors.Is(err, store.ErrNoOffice):
		problem = api.Problem{Code: api.NotThere, Error: "there is no office of that number", Field: "id"}
	case errors.Is(err, fiber.ErrRequestEntityTooLarge):
		problem = api.Problem{Code: api.BeyondLimit, Error: fmt.Sprintf("that is more than %d MB, the most that is read at once", bodyLimit>>20)}
	case errors.As(err, &web):
		problem = api.Problem{Code: webCode(web.Code), Error: web.Message}
	case errors.Is(err, context.Canceled): // whoever asked has gone
		problem = api.Problem{Code: api.NotNow, Error: "nobody waits for the answer any more"}
	case noSpace(err):
		problem = api.Problem{Code: api.NotNow, Error: "The disk of the database is full: nothing was changed, and nothing can be until there is room."}
		s.log.Error("database", "path", c.Path(), "error", err)
	case databaseGone(err):
		token, _ := nameOf(c)
		named := token != ""
		problem = api.Problem{Code: api.NotNow, Error: "The database does not answer: nothing was changed. Klammer goes on as soon as it is back."}
		switch {
		case c.Method() == fiber.MethodGet:
			problem.Error = "The database does not answer. Klammer goes on as soon as it is back."
		case store.DeedOf(c.Context()).Done() && named:
			problem.Error, problem.Unsure = "The database went away while this was being kept: it is asked again as soon as it is back.", true
		case store.DeedOf(c.Context()).Done():
			problem.Error, problem.Unsure = "The database went away while this was being kept: look whether it was, before you do it once more.", true
		}
		s.log.Warn("database", "path", c.Path(), "error", err)
	default: // its words are for the log; the page shows where to look
		var fault *mishap.Fault
		if !errors.As(err, &fault) {
			fault = &mishap.Fault{Number: mishap.Number(), What: err}
		}
		problem.Code = api.Unexpected
		problem.Error = fault.Error()
		problem.Unsure = store.DeedOf(c.Context()).Done()
		mishap.Log(s.log, "request "+c.Method()+" "+c.Path(), fault)
	}
	return c.Status(status).JSON(problem)
}

// nameOf is the name that a request has of its own, under which it can be asked again, "" for
// none, and whether it is asked again.
func nameOf(c fiber.Ctx) (token string, again bool) {
	if c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead {
		return "", false
	}
	var q struct {
		ID    json.RawMessage `json:"id"` // of other requests a number
		Again bool            `json:"again"`
	}
	text, err := received(c)
	if err != nil || json.Unmarshal(text, &q) != nil || json.Unmarshal(q.ID, &token) != nil {
		return "", false
	}
	return token, q.Again
}

// webCode is the code of a status that the framework, or a route, answers with.
func webCode(status int) api.Code {
	switch status {
	case fiber.StatusUnauthorized:
		return api.NoName
	case fiber.StatusNotFound, fiber.StatusMethodNotAllowed:
		return api.NotThere
	case fiber.StatusServiceUnavailable, fiber.StatusTooManyRequests, fiber.StatusRequestTimeout:
		return api.NotNow
	case fiber.StatusRequestEntityTooLarge:
		return api.BeyondLimit
	}
	return api.Refused
}

// noSpace says whether the database has no room on its disk (SQLSTATE 53100).
func noSpace(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "53100"
}

// databaseGone tells a database that cannot be reached from one that refuses.
func databaseGone(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) { // 57P0x: shutting down or starting; 08: connection; 53: out of resources; 25006: a standby
		return pg.Code == "25006" || strings.HasPrefix(pg.Code, "57P") || strings.HasPrefix(pg.Code, "08") || strings.HasPrefix(pg.Code, "53")
	}
	var connect *pgconn.ConnectError
	var network net.Error
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed) {
		return true
	}
	return errors.As(err, &connect) || errors.As(err, &network) || pgconn.SafeToRetry(err) ||
		errors.Is(err, context.DeadlineExceeded) || strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "unexpected EOF")
}

func checkName(name string) (string, error) {
	name = strings.Join(strings.Fields(name), " ")
	if err := office.CheckText("the name", name, 60, false); err != nil {
		return "", bad("name", "%s: a name has 1 to 60 letters", err)
	}
	return name, nil
}

func intQuery(c fiber.Ctx, name string, otherwise int64) (int64, error) {
	text := c.Query(name)
	if text == "" {
		return otherwise, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return 0, bad(name, "%q is not a number", text)
	}
	return n, nil
}
