package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/core/span"
	"klammer/mishap"
	"klammer/store"
)

// rounds keeps the round of an office's newest plan, as it takes long.
type rounds struct {
	turn turns        // one token: whoever has it may have it worked out
	done atomic.Int64 // hundredths of what is worked out just now; 0 for nothing
	of   *office.Office
	made *round.Round
}

// mostEffort is how much a round may take, by [round.Effort]: about 15 s.
const mostEffort = 40_000_000

// mostSuspects is how many are told.
const mostSuspects = 20

// withRound gives the round of an office as it is planned; while it is worked out the others
// wait, as long as somebody waits for them. It is worked out for whoever comes first, of so many
// offices at a time, and ends where nobody waits for it any more.
func (s *Server) withRound(ctx context.Context, id int64, net *span.Net, do func(r *round.Round) error) error {
	o := net.Office
	x, _ := s.rounds.LoadOrStore(id, &rounds{turn: make(turns, 1)})
	kept := x.(*rounds)
	made, err := kept.round(ctx, s, o, net)
	if err != nil {
		return err
	}
	return do(made.Apart())
}

// round is the kept round, made anew where the plan is another by now.
func (kept *rounds) round(ctx context.Context, srv *Server, o *office.Office, net *span.Net) (*round.Round, error) {
	if err := kept.turn.take(ctx); err != nil {
		return nil, err
	}
	defer kept.turn.give()
	if kept.of != o {
		if round.Effort(net) > mostEffort {
			return nil, &tooMuch{"this office has too many ports and memberships for a round: klammer round works it out without a limit"}
		}
		if err := srv.roundTurns.take(ctx); err != nil {
			return nil, err
		}
		defer srv.roundTurns.give()
		defer kept.done.Store(0)
		made, err := round.MakeWatched(o, func(done, of int) error {
			kept.done.Store(int64(max(1, 100*done/of)))
			return errors.Join(ctx.Err(), srv.stop.Err())
		})
		if err != nil {
			return nil, err
		}
		kept.made, kept.of = made, o
		srv.meters.rounds.Inc()
	}
	return kept.made, nil
}

func (s *Server) roundNow(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.roundTold(c, room)
}

// roundWorking says how far the round is that is worked out just now. Who asked for it stops it
// by going.
func (s *Server) roundWorking(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	working := api.RoundWorking{}
	if x, ok := s.rounds.Load(room.id); ok {
		working.Working = int(x.(*rounds).done.Load())
	}
	return c.JSON(working)
}

func (s *Server) roundTold(c fiber.Ctx, room *room) error {
	view, err := s.roundView(c.Context(), room)
	if err != nil {
		return err
	}
	return c.JSON(view)
}

// planned is what is to be seen at a test, in one text: where it is another, what was
// seen before is old.
func planned(test api.PlugTest) string {
	text, _ := json.Marshal([]any{test.Expect, test.Reach})
	return string(text)
}

// plannedThen is what was planned at a test, of the text that was kept.
func plannedThen(text string) round.Planned {
	var expect api.Expect
	var reach []api.PlugSees
	if json.Unmarshal([]byte(text), &[]any{&expect, &reach}) != nil {
		return round.Planned{} // nothing is planned so anywhere: it is old
	}
	return expect.Planned(reach)
}

// becameOf is what became of tests, as the core has it; ports that are gone are left out.
func becameOf(o *office.Office, all []store.PlugTest) (kept []round.Kept, from []store.PlugTest) {
	for _, test := range all {
		ref, err := notation.PortRef(o, test.Port)
		if err != nil {
			continue
		}
		one := round.Kept{Port: ref, Wire: test.Wire, Planned: plannedThen(test.Planned), Extra: test.How == "measured", Seen: round.Seen{Passed: test.Became == "passed", Instead: test.Instead, How: howOf(test.How)}}
		for _, text := range test.Tried {
			one.Tried = append(one.Tried, api.EndedOf(text))
		}
		if test.Given != nil {
			one.Given = *test.Given
		}
		for _, p := range test.Parts {
			one.Parts = append(one.Parts, api.EndedOf(p))
		}
		var lease api.Lease
		if test.Lease != nil && json.Unmarshal(test.Lease, &lease) == nil {
			one.Lease = lease.Round(one.Given)
		}
		kept, from = append(kept, one), append(from, test)
	}
	return kept, from
}

// howOf is how something was seen, as the core has it.
func howOf(how string) round.How {
	switch how {
	case "measured":
		return round.ByProbe
	case "played":
		return round.ByPlay
	}
	return round.ByHand
}

// roundView is the round of an office with what became of its tests.
func (s *Server) roundView(ctx context.Context, room *room) (*api.RoundView, error) {
	view, _, err := s.roundAndFailed(ctx, room)
	return view, err
}

// roundAndFailed is the same, with what failed and what explains it; nil where nothing did.
func (s *Server) roundAndFailed(ctx context.Context, room *room) (*api.RoundView, *finding.Failed, error) {
	now, err := room.current(ctx)
	if err != nil {
		return nil, nil, err
	}
	all, err := s.store.PlugTests(ctx, room.id)
	if err != nil {
		return nil, nil, err
	}
	o := now.report.Net.Office
	was, err := s.beforeOrder(ctx, room.id)
	if err != nil {
		return nil, nil, err
	}
	kept, from := becameOf(o, all)
	view := &api.RoundView{Revision: now.view.Revision, Tests: []api.RoundTest{}, Known: len(now.kept) > 0}
	var failed *finding.Failed
	err = s.withRound(ctx, room.id, now.report.Net, func(r *round.Round) error {
		view.Unshown = api.RoundOf(r, nil).Unshown
		view.Lengths = api.LengthsOf(r)
		touched := map[string]bool{}
		if was != nil {
			tests := r.Touched(was)
			view.Lengths = append(view.Lengths, api.OrderLengthOf(r, tests))
			for _, test := range tests {
				touched[fmt.Sprint(test.Port, test.Wire)] = true
			}
		}
		ledger := r.Ledger(kept)
		for _, line := range ledger.Lines {
			test := api.RoundTest{PlugTest: api.PlugTestOf(r, line.Test), Extra: line.Extra, Quick: line.Quick, Order: touched[fmt.Sprint(line.Test.Port, line.Test.Wire)]}
			if line.Real.Of >= 0 {
				test.Result = roundEnded(&from[line.Real.Of], &line.Real)
			}
			if line.Played.Of >= 0 {
				test.Played = roundEnded(&from[line.Played.Of], &line.Played)
			}
			view.Tests = append(view.Tests, test)
		}
		view.Suspects, view.More, view.Next = api.SuspectsOf(o, r, ledger.Seen, mostSuspects)
		view.Playing, _, _ = api.SuspectsOf(o, r, ledger.Played, mostSuspects)
		if at, first := ledger.Failed(kept); len(at) > 0 {
			failed = &finding.Failed{At: at, Saw: at[0].Device + " " + at[0].Port + " is not as planned"}
			if given := view.Tests[first].Result.Given; given != "" {
				failed.Saw = fmt.Sprintf("%s %s gets %s", at[0].Device, at[0].Port, given)
			}
			for _, suspect := range view.Suspects {
				failed.Explains = append(failed.Explains, strings.Join(suspect.Ways[0].Mistakes, ", and "))
			}
		}
		return nil
	})
	return view, failed, err
}

// beforeOrder is the office as it was before the last order; nil where there never was one.
func (s *Server) beforeOrder(ctx context.Context, id int64) (*office.Office, error) {
	last, _, err := s.store.OrderNow(ctx, id)
	if err != nil || last == nil {
		return nil, err
	}
	file, err := notation.Read("as it was", last.AsIs)
	if err != nil {
		return nil, err
	}
	return file.Office, nil
}

// roundEnded is what became of a test of a ledger, as it is shown.
func roundEnded(test *store.PlugTest, line *round.Entry) *api.RoundEnded {
	ended := &api.RoundEnded{
		Passed: test.Became == "passed", Wrong: append(slices.Clone(test.Wrong), line.Wrong...), Note: test.Note, Played: test.How == "played", Measured: test.How == "measured", Looked: test.How == "looked", Old: line.Old,
		Revision: test.Revision, Author: test.Author, At: test.At,
	}
	if test.Given != nil {
		ended.Given = test.Given.String()
	}
	return ended
}

// failing is what failed in a round, kept while it holds: a round takes long, and nobody's edit
// waits for it because somebody looks at a list.
type failing struct {
	mu      sync.Mutex
	of      *office.Office // that it was worked out for
	results string         // of the tests, as a digest
	failed  *finding.Failed
	at      time.Time
	working bool
}

// freshFor is how long what failed is told as it was, when edits follow each other.
const freshFor = 5 * time.Second

// failedTests is what failed in the round; nil where nothing did. After an edit it is what it was
// before, at ports that there are still, and is worked out anew in the background.
func (s *Server) failedTests(ctx context.Context, room *room) (*finding.Failed, error) {
	kept, err := s.store.PlugTests(ctx, room.id)
	if err != nil || !slices.ContainsFunc(kept, func(test store.PlugTest) bool { return test.Became == "failed" }) {
		return nil, err
	}
	text, err := json.Marshal(kept)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(text)
	results := hex.EncodeToString(sum[:])
	now, err := room.current(ctx)
	if err != nil {
		return nil, err
	}
	o := now.report.Net.Office
	x, _ := s.failing.LoadOrStore(room.id, &failing{})
	one := x.(*failing)
	one.mu.Lock()
	defer one.mu.Unlock()
	if one.of == nil || one.results != results {
		failed, err := s.workOutFailed(ctx, room)
		if err != nil {
			return nil, err
		}
		one.of, one.results, one.failed, one.at = o, results, failed, time.Now()
		return failed, nil
	}
	if one.of != o && !one.working {
		one.working = true
		wait := time.Until(one.at.Add(freshFor))
		mishap.Go(s.log, "working out what failed tests say", func() { s.refreshFailed(room, one, wait) })
	}
	if one.of == o || one.failed == nil {
		return one.failed, nil
	}
	told := *one.failed
	told.At = slices.DeleteFunc(slices.Clone(told.At), func(at office.PortRef) bool {
		device := o.Device(at.Device)
		return device == nil || device.Port(at.Port) < 0
	})
	if len(told.At) == 0 {
		return nil, nil
	}
	return &told, nil
}

// refreshFailed works out anew what failed tests say, after a while, and tells that it did.
func (s *Server) refreshFailed(room *room, failing *failing, wait time.Duration) {
	defer func() {
		failing.mu.Lock()
		failing.working = false
		failing.mu.Unlock()
	}()
	select {
	case <-s.stop.Done():
		return
	case <-time.After(wait):
	}
	now, err := room.current(s.stop)
	if err != nil {
		return // whoever asks next begins it again
	}
	failed, err := s.workOutFailed(s.stop, room)
	if err != nil {
		return
	}
	failing.mu.Lock()
	failing.of, failing.failed, failing.at = now.report.Net.Office, failed, time.Now()
	failing.mu.Unlock()
	s.tellRead(room, "")
}

// workOutFailed is what failed in the round, with what explains it.
func (s *Server) workOutFailed(ctx context.Context, room *room) (*finding.Failed, error) {
	_, failed, err := s.roundAndFailed(ctx, room)
	var much *tooMuch
	if errors.As(err, &much) {
		return &finding.Failed{}, nil // the view of it says so
	}
	if err == nil && failed == nil {
		failed = &finding.Failed{}
	}
	return failed, err
}

func (s *Server) roundResult(c fiber.Ctx) error {
	var result api.RoundResult
	name, room, err := s.asked(c, &result)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	if result.Revision != now.view.Revision { // what was looked at may be another
		return &history.Conflict{Text: fmt.Sprintf("the plan moved on to revision %d meanwhile: look again at what is to be seen at %s", now.view.Revision, result.Port)}
	}
	ref, err := notation.PortRef(now.report.Net.Office, result.Port)
	if err != nil {
		return bad("port", "%s", err)
	}
	kept, err := testSeen(&result)
	if err != nil {
		return err
	}
	kept.Port, kept.Revision, kept.Author = ref.String(), now.view.Revision, name
	err = s.withRound(c.Context(), room.id, now.report.Net, func(made *round.Round) error {
		return judgeSeen(made, ref, &result, &kept)
	})
	if err != nil {
		return err
	}
	if err := s.store.KeepPlugTests(c.Context(), room.id, []store.PlugTest{kept}); err != nil {
		return err
	}
	return s.roundMoved(c, room, name)
}

// testSeen is what somebody says to have seen at a place, as it is kept; what was given is put
// into one form in what was said, too.
func testSeen(result *api.RoundResult) (kept store.PlugTest, err error) {
	kept = store.PlugTest{Wire: result.Wire, Became: result.Became, Note: strings.TrimSpace(result.Note), How: "hand"}
	if !printable(kept.Note) {
		return kept, bad("note", "what was seen is letters that one can read, on one line")
	}
	if result.Given, err = addressSaid("given", result.Given); err != nil {
		return kept, err
	}
	if result.Gateway, err = addressSaid("gateway", result.Gateway); err != nil {
		return kept, err
	}
	if result.Server, err = addressSaid("server", result.Server); err != nil {
		return kept, err
	}
	if result.Given != "" {
		addr := netip.MustParseAddr(result.Given)
		kept.Given = &addr
	}
	switch {
	case result.Played && result.Became != "open":
		return kept, bad("played", "what is played is played by the server: it can only be taken back")
	case result.Played:
		kept.How = "played"
	case result.Here:
		kept.How = "looked"
	}
	for _, p := range result.Parts {
		if !slices.Contains(api.Endings, p) {
			return kept, bad("parts", "what was tried ended as one of %s: found %q", strings.Join(api.Endings, ", "), p)
		}
	}
	return kept, nil
}

// judgeSeen holds what was seen at a place against the round's test of it.
func judgeSeen(made *round.Round, ref office.PortRef, result *api.RoundResult, kept *store.PlugTest) error {
	test, err := made.Find(ref, result.Wire, result.Became == "open")
	if err != nil {
		return bad("port", "%s", err)
	}
	kept.Planned = planned(api.PlugTestOf(made, test))
	if len(result.Parts) > 0 && len(result.Parts) != len(test.Reach) {
		return bad("parts", "%d things are to be tried at %s, and %d ended somehow", len(test.Reach), result.Port, len(result.Parts))
	}
	if result.Became == "open" {
		return nil
	}
	looked := round.Looked{}
	if kept.Given != nil {
		looked.Lease = result.Lease.Round(*kept.Given)
		if kept.Lease, err = json.Marshal(result.Lease); err != nil {
			return err
		}
	}
	for _, p := range result.Parts {
		looked.Parts = append(looked.Parts, api.EndedOf(p))
	}
	kept.Parts, kept.Wrong = result.Parts, made.JudgeLooked(test, looked).Wrong
	if result.Became == "passed" && len(kept.Wrong) > 0 {
		return bad("became", "it is not as planned: %s", strings.Join(kept.Wrong, "; "))
	}
	return nil
}

// addressSaid is an address that somebody wrote down, as it is kept; "" for none.
func addressSaid(field, text string) (string, error) {
	if text = strings.TrimSpace(text); text == "" {
		return "", nil
	}
	addr, err := netip.ParseAddr(text)
	if err != nil || addr.Zone() != "" {
		return "", bad(field, "%q is no address: write it as 10.61.110.51", text)
	}
	return addr.Unmap().String(), nil
}

type roundHereQuery struct {
	Port string `query:"port"`
}

// roundHere tells a browser where it is: by the address from which it asks.
func (s *Server) roundHere(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	from := s.askedFrom(c)
	here := api.RoundHere{Address: from.String(), Own: from.IsLoopback(), Revision: now.view.Revision, Tests: []api.PlugTest{}, Ports: []string{}}
	err = s.withRound(c.Context(), room.id, now.report.Net, func(made *round.Round) error {
		if vid := made.Where(from); vid != 0 {
			here.VLAN = &vid
			for _, other := range made.In(vid) {
				here.Tests = append(here.Tests, api.PlugTestOf(made, other))
			}
		}
		for _, other := range made.Ports() {
			here.Ports = append(here.Ports, other.String())
		}
		port := strings.TrimSpace(c.Query("port"))
		if port == "" {
			return nil
		}
		ref, err := notation.PortRef(o, port)
		if err != nil {
			return bad("port", "%s", err)
		}
		test, err := made.Find(ref, 0, false)
		if err != nil {
			return bad("port", "%s", err)
		}
		one := api.PlugTestOf(made, test)
		here.Test = &one
		return nil
	})
	if err != nil {
		return err
	}
	return c.JSON(here)
}

// roundMoved tells everybody that something became of a test, and answers with it.
func (s *Server) roundMoved(c fiber.Ctx, room *room, name string) error {
	if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: room.id, Round: true}); err != nil {
		return err
	}
	return s.roundTold(c, room)
}

// resultOf is what is kept of a test that a laptop made, a real one or one that was played.
func resultOf(played round.Played, plan api.PlugTest, how string, revision int64, author string) store.PlugTest {
	test := store.PlugTest{Port: plan.Port, Became: "passed", Instead: played.Instead, Wrong: played.Wrong, How: how, Planned: planned(plan), Revision: revision, Author: author}
	if plan.Wire != nil {
		test.Wire = *plan.Wire
	}
	if !played.Passed {
		test.Became = "failed"
	}
	if played.Given.IsValid() {
		test.Given = &played.Given
	}
	for _, ended := range played.Tried {
		test.Tried = append(test.Tried, api.Endings[ended])
	}
	for _, ended := range played.Parts {
		test.Parts = append(test.Parts, api.Endings[ended])
	}
	return test
}

func (s *Server) roundPlay(c fiber.Ctx) error {
	var play api.RoundPlay
	name, room, err := s.asked(c, &play)
	if err != nil {
		return err
	}
	ctx := c.Context()
	now, err := room.current(ctx)
	if err != nil {
		return err
	}
	before, ticks, err := s.store.OrderNow(ctx, room.id)
	if err != nil {
		return err
	}
	was, err := s.asFound(room.id, before, len(ticks), now)
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	var results []store.PlugTest
	err = s.withRound(ctx, room.id, now.report.Net, func(made *round.Round) error {
		tests := made.Tests
		if play.Port != "" {
			ref, err := notation.PortRef(o, play.Port)
			if err != nil {
				return bad("port", "%s", err)
			}
			if tests, err = made.At(ref); err != nil {
				return bad("port", "%s", err)
			}
		}
		for _, played := range made.Play(was, tests) {
			test := api.PlugTestOf(made, played.Test)
			results = append(results, resultOf(played, test, "played", now.view.Revision, name))
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.store.KeepPlugTests(ctx, room.id, results); err != nil {
		return err
	}
	return s.roundMoved(c, room, name)
}
