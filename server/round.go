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
func (s *Server) withRound(ctx context.Context, id int64, n *span.Net, do func(r *round.Round) error) error {
	o := n.Office
	x, _ := s.rounds.LoadOrStore(id, &rounds{turn: make(turns, 1)})
	kept := x.(*rounds)
	made, err := kept.round(ctx, s, o, n)
	if err != nil {
		return err
	}
	return do(made.Apart())
}

// round is the kept round, made anew where the plan is another by now.
func (kept *rounds) round(ctx context.Context, s *Server, o *office.Office, n *span.Net) (*round.Round, error) {
	if err := kept.turn.take(ctx); err != nil {
		return nil, err
	}
	defer kept.turn.give()
	if kept.of != o {
		if round.Effort(n) > mostEffort {
			return nil, &tooMuch{"this office has too many ports and memberships for a round: klammer round works it out without a limit"}
		}
		if err := s.roundTurns.take(ctx); err != nil {
			return nil, err
		}
		defer s.roundTurns.give()
		defer kept.done.Store(0)
		made, err := round.MakeWatched(o, func(done, of int) error {
			kept.done.Store(int64(max(1, 100*done/of)))
			return errors.Join(ctx.Err(), s.stop.Err())
		})
		if err != nil {
			return nil, err
		}
		kept.made, kept.of = made, o
		s.meters.rounds.Inc()
	}
	return kept.made, nil
}

func (s *Server) roundNow(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	return s.roundTold(c, r)
}

// roundWorking says how far the round is that is worked out just now. Who asked for it stops it
// by going.
func (s *Server) roundWorking(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	v := api.RoundWorking{}
	if x, ok := s.rounds.Load(r.id); ok {
		v.Working = int(x.(*rounds).done.Load())
	}
	return c.JSON(v)
}

func (s *Server) roundTold(c fiber.Ctx, r *room) error {
	v, err := s.roundView(c.Context(), r)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// planned is what is to be seen at a test, in one text: where it is another, what was
// seen before is old.
func planned(t api.PlugTest) string {
	text, _ := json.Marshal([]any{t.Expect, t.Reach})
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
	for _, k := range all {
		ref, err := notation.PortRef(o, k.Port)
		if err != nil {
			continue
		}
		x := round.Kept{Port: ref, Wire: k.Wire, Planned: plannedThen(k.Planned), Extra: k.How == "measured", Seen: round.Seen{Passed: k.Became == "passed", Instead: k.Instead, How: howOf(k.How)}}
		for _, t := range k.Tried {
			x.Tried = append(x.Tried, api.EndedOf(t))
		}
		if k.Given != nil {
			x.Given = *k.Given
		}
		for _, p := range k.Parts {
			x.Parts = append(x.Parts, api.EndedOf(p))
		}
		var lease api.Lease
		if k.Lease != nil && json.Unmarshal(k.Lease, &lease) == nil {
			x.Lease = lease.Round(x.Given)
		}
		kept, from = append(kept, x), append(from, k)
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
func (s *Server) roundView(ctx context.Context, r *room) (*api.RoundView, error) {
	v, _, err := s.roundAndFailed(ctx, r)
	return v, err
}

// roundAndFailed is the same, with what failed and what explains it; nil where nothing did.
func (s *Server) roundAndFailed(ctx context.Context, r *room) (*api.RoundView, *finding.Failed, error) {
	now, err := r.current(ctx)
	if err != nil {
		return nil, nil, err
	}
	all, err := s.store.PlugTests(ctx, r.id)
	if err != nil {
		return nil, nil, err
	}
	o := now.report.Net.Office
	was, err := s.beforeOrder(ctx, r.id)
	if err != nil {
		return nil, nil, err
	}
	kept, from := becameOf(o, all)
	v := &api.RoundView{Revision: now.view.Revision, Tests: []api.RoundTest{}, Known: len(now.kept) > 0}
	var failed *finding.Failed
	err = s.withRound(ctx, r.id, now.report.Net, func(r *round.Round) error {
		v.Unshown = api.RoundOf(r, nil).Unshown
		v.Lengths = api.LengthsOf(r)
		touched := map[string]bool{}
		if was != nil {
			tests := r.Touched(was)
			v.Lengths = append(v.Lengths, api.OrderLengthOf(r, tests))
			for _, t := range tests {
				touched[fmt.Sprint(t.Port, t.Wire)] = true
			}
		}
		ledger := r.Ledger(kept)
		for _, line := range ledger.Lines {
			x := api.RoundTest{PlugTest: api.PlugTestOf(r, line.Test), Extra: line.Extra, Quick: line.Quick, Order: touched[fmt.Sprint(line.Test.Port, line.Test.Wire)]}
			if line.Real.Of >= 0 {
				x.Result = roundEnded(&from[line.Real.Of], &line.Real)
			}
			if line.Played.Of >= 0 {
				x.Played = roundEnded(&from[line.Played.Of], &line.Played)
			}
			v.Tests = append(v.Tests, x)
		}
		v.Suspects, v.More, v.Next = api.SuspectsOf(o, r, ledger.Seen, mostSuspects)
		v.Playing, _, _ = api.SuspectsOf(o, r, ledger.Played, mostSuspects)
		if at, first := ledger.Failed(kept); len(at) > 0 {
			failed = &finding.Failed{At: at, Saw: at[0].Device + " " + at[0].Port + " is not as planned"}
			if given := v.Tests[first].Result.Given; given != "" {
				failed.Saw = fmt.Sprintf("%s %s gets %s", at[0].Device, at[0].Port, given)
			}
			for _, x := range v.Suspects {
				failed.Explains = append(failed.Explains, strings.Join(x.Ways[0].Mistakes, ", and "))
			}
		}
		return nil
	})
	return v, failed, err
}

// beforeOrder is the office as it was before the last order; nil where there never was one.
func (s *Server) beforeOrder(ctx context.Context, id int64) (*office.Office, error) {
	last, _, err := s.store.OrderNow(ctx, id)
	if err != nil || last == nil {
		return nil, err
	}
	f, err := notation.Read("as it was", last.AsIs)
	if err != nil {
		return nil, err
	}
	return f.Office, nil
}

// roundEnded is what became of a test of a ledger, as it is shown.
func roundEnded(k *store.PlugTest, line *round.Entry) *api.RoundEnded {
	e := &api.RoundEnded{
		Passed: k.Became == "passed", Wrong: append(slices.Clone(k.Wrong), line.Wrong...), Note: k.Note, Played: k.How == "played", Measured: k.How == "measured", Looked: k.How == "looked", Old: line.Old,
		Revision: k.Revision, Author: k.Author, At: k.At,
	}
	if k.Given != nil {
		e.Given = k.Given.String()
	}
	return e
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
func (s *Server) failedTests(ctx context.Context, r *room) (*finding.Failed, error) {
	kept, err := s.store.PlugTests(ctx, r.id)
	if err != nil || !slices.ContainsFunc(kept, func(k store.PlugTest) bool { return k.Became == "failed" }) {
		return nil, err
	}
	text, err := json.Marshal(kept)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(text)
	results := hex.EncodeToString(sum[:])
	now, err := r.current(ctx)
	if err != nil {
		return nil, err
	}
	o := now.report.Net.Office
	x, _ := s.failing.LoadOrStore(r.id, &failing{})
	f := x.(*failing)
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.of == nil || f.results != results {
		failed, err := s.workOutFailed(ctx, r)
		if err != nil {
			return nil, err
		}
		f.of, f.results, f.failed, f.at = o, results, failed, time.Now()
		return failed, nil
	}
	if f.of != o && !f.working {
		f.working = true
		wait := time.Until(f.at.Add(freshFor))
		mishap.Go(s.log, "working out what failed tests say", func() { s.refreshFailed(r, f, wait) })
	}
	if f.of == o || f.failed == nil {
		return f.failed, nil
	}
	told := *f.failed
	told.At = slices.DeleteFunc(slices.Clone(told.At), func(at office.PortRef) bool {
		d := o.Device(at.Device)
		return d == nil || d.Port(at.Port) < 0
	})
	if len(told.At) == 0 {
		return nil, nil
	}
	return &told, nil
}

// refreshFailed works out anew what failed tests say, after a while, and tells that it did.
func (s *Server) refreshFailed(r *room, f *failing, wait time.Duration) {
	defer func() {
		f.mu.Lock()
		f.working = false
		f.mu.Unlock()
	}()
	select {
	case <-s.stop.Done():
		return
	case <-time.After(wait):
	}
	now, err := r.current(s.stop)
	if err != nil {
		return // whoever asks next begins it again
	}
	failed, err := s.workOutFailed(s.stop, r)
	if err != nil {
		return
	}
	f.mu.Lock()
	f.of, f.failed, f.at = now.report.Net.Office, failed, time.Now()
	f.mu.Unlock()
	s.tellRead(r, "")
}

// workOutFailed is what failed in the round, with what explains it.
func (s *Server) workOutFailed(ctx context.Context, r *room) (*finding.Failed, error) {
	_, failed, err := s.roundAndFailed(ctx, r)
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
	var q api.RoundResult
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	if q.Revision != now.view.Revision { // what was looked at may be another
		return &history.Conflict{Text: fmt.Sprintf("the plan moved on to revision %d meanwhile: look again at what is to be seen at %s", now.view.Revision, q.Port)}
	}
	o := now.report.Net.Office
	ref, err := notation.PortRef(o, q.Port)
	if err != nil {
		return bad("port", "%s", err)
	}
	kept := store.PlugTest{
		Port: ref.String(), Wire: q.Wire, Became: q.Became, Note: strings.TrimSpace(q.Note), How: "hand", Revision: now.view.Revision, Author: name,
	}
	if !printable(kept.Note) {
		return bad("note", "what was seen is letters that one can read, on one line")
	}
	if q.Given, err = addressSaid("given", q.Given); err != nil {
		return err
	}
	if q.Gateway, err = addressSaid("gateway", q.Gateway); err != nil {
		return err
	}
	if q.Server, err = addressSaid("server", q.Server); err != nil {
		return err
	}
	if q.Given != "" {
		a := netip.MustParseAddr(q.Given)
		kept.Given = &a
	}
	switch {
	case q.Played && q.Became != "open":
		return bad("played", "what is played is played by the server: it can only be taken back")
	case q.Played:
		kept.How = "played"
	case q.Here:
		kept.How = "looked"
	}
	for _, p := range q.Parts {
		if !slices.Contains(api.Endings, p) {
			return bad("parts", "what was tried ended as one of %s: found %q", strings.Join(api.Endings, ", "), p)
		}
	}
	err = s.withRound(c.Context(), r.id, now.report.Net, func(made *round.Round) error {
		test, err := made.Find(ref, q.Wire, q.Became == "open")
		if err != nil {
			return bad("port", "%s", err)
		}
		kept.Planned = planned(api.PlugTestOf(made, test))
		if len(q.Parts) > 0 && len(q.Parts) != len(test.Reach) {
			return bad("parts", "%d things are to be tried at %s, and %d ended somehow", len(test.Reach), q.Port, len(q.Parts))
		}
		if q.Became == "open" {
			return nil
		}
		looked := round.Looked{}
		if kept.Given != nil {
			looked.Lease = q.Lease.Round(*kept.Given)
			if kept.Lease, err = json.Marshal(q.Lease); err != nil {
				return err
			}
		}
		for _, p := range q.Parts {
			looked.Parts = append(looked.Parts, api.EndedOf(p))
		}
		kept.Parts, kept.Wrong = q.Parts, made.JudgeLooked(test, looked).Wrong
		if q.Became == "passed" && len(kept.Wrong) > 0 {
			return bad("became", "it is not as planned: %s", strings.Join(kept.Wrong, "; "))
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.store.KeepPlugTests(c.Context(), r.id, []store.PlugTest{kept}); err != nil {
		return err
	}
	return s.roundMoved(c, r, name)
}

// addressSaid is an address that somebody wrote down, as it is kept; "" for none.
func addressSaid(field, text string) (string, error) {
	if text = strings.TrimSpace(text); text == "" {
		return "", nil
	}
	a, err := netip.ParseAddr(text)
	if err != nil || a.Zone() != "" {
		return "", bad(field, "%q is no address: write it as 10.61.110.51", text)
	}
	return a.Unmap().String(), nil
}

type roundHereQuery struct {
	Port string `query:"port"`
}

// roundHere tells a browser where it is: by the address from which it asks.
func (s *Server) roundHere(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	from := s.askedFrom(c)
	v := api.RoundHere{Address: from.String(), Own: from.IsLoopback(), Revision: now.view.Revision, Tests: []api.PlugTest{}, Ports: []string{}}
	err = s.withRound(c.Context(), r.id, now.report.Net, func(made *round.Round) error {
		if vid := made.Where(from); vid != 0 {
			v.VLAN = &vid
			for _, t := range made.In(vid) {
				v.Tests = append(v.Tests, api.PlugTestOf(made, t))
			}
		}
		for _, p := range made.Ports() {
			v.Ports = append(v.Ports, p.String())
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
		x := api.PlugTestOf(made, test)
		v.Test = &x
		return nil
	})
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// roundMoved tells everybody that something became of a test, and answers with it.
func (s *Server) roundMoved(c fiber.Ctx, r *room, name string) error {
	if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: r.id, Round: true}); err != nil {
		return err
	}
	return s.roundTold(c, r)
}

// resultOf is what is kept of a test that a laptop made, a real one or one that was played.
func resultOf(p round.Played, plan api.PlugTest, how string, revision int64, author string) store.PlugTest {
	k := store.PlugTest{Port: plan.Port, Became: "passed", Instead: p.Instead, Wrong: p.Wrong, How: how, Planned: planned(plan), Revision: revision, Author: author}
	if plan.Wire != nil {
		k.Wire = *plan.Wire
	}
	if !p.Passed {
		k.Became = "failed"
	}
	if p.Given.IsValid() {
		k.Given = &p.Given
	}
	for _, e := range p.Tried {
		k.Tried = append(k.Tried, api.Endings[e])
	}
	for _, e := range p.Parts {
		k.Parts = append(k.Parts, api.Endings[e])
	}
	return k
}

func (s *Server) roundPlay(c fiber.Ctx) error {
	var q api.RoundPlay
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	ctx := c.Context()
	now, err := r.current(ctx)
	if err != nil {
		return err
	}
	before, ticks, err := s.store.OrderNow(ctx, r.id)
	if err != nil {
		return err
	}
	was, err := s.asFound(r.id, before, len(ticks), now)
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	var results []store.PlugTest
	err = s.withRound(ctx, r.id, now.report.Net, func(made *round.Round) error {
		tests := made.Tests
		if q.Port != "" {
			ref, err := notation.PortRef(o, q.Port)
			if err != nil {
				return bad("port", "%s", err)
			}
			if tests, err = made.At(ref); err != nil {
				return bad("port", "%s", err)
			}
		}
		for _, p := range made.Play(was, tests) {
			t := api.PlugTestOf(made, p.Test)
			results = append(results, resultOf(p, t, "played", now.view.Revision, name))
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.store.KeepPlugTests(ctx, r.id, results); err != nil {
		return err
	}
	return s.roundMoved(c, r, name)
}
