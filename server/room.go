package server

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/prometheus/client_golang/prometheus"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/effort"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/history"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

// room is one office in memory: what is in the database, worked out. Edits go
// through it one at a time; nothing changes here before the database has it.
//
// Two locks: who writes or loads has the turn, for as long as the database and
// the computation take, and waits for it no longer than its request lives; mu
// guards what is shown, and is held for no more than a few pointers. So nobody
// who only looks waits for a database that hangs.
type room struct {
	id    int64
	store *store.Store
	took  prometheus.Observer // seconds that working the office out took
	turn  chan struct{}       // holds one token: whoever has it may write

	asked atomic.Int64 // when somebody asked for it last, in nanoseconds since 1970

	mu       sync.Mutex
	loaded   bool
	gone     bool
	revision int64
	shown    *shown
	watchers map[chan event]string // with the tab that watches, "" where it did not say
}

// shown is one revision of an office: worked out, drawn, and what was found of
// its devices beside it. It is not changed once made.
type shown struct {
	report *finding.Report
	view   *api.OfficeView
	kept   map[string]found.Kept // by device, the newest
	seen   found.Beside
	tried  *tried
}

// atMost is how long a request waits for the database, its turn included.
const atMost = 10 * time.Second

func newRoom(id int64, s *store.Store, took prometheus.Observer) *room {
	one := &room{id: id, store: s, took: took, turn: make(chan struct{}, 1)}
	one.turn <- struct{}{}
	one.asked.Store(time.Now().UnixNano())
	return one
}

// take waits for the turn.
func (r *room) take(ctx context.Context) error {
	select {
	case <-r.turn:
		return nil
	case <-ctx.Done():
		return fmt.Errorf("waiting for office %d: %w", r.id, ctx.Err())
	}
}

func (r *room) give() { r.turn <- struct{}{} }

// look is what is shown now; nil where it has to be loaded.
func (r *room) look() *shown {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.loaded {
		return nil
	}
	return r.shown
}

// current gives the office, loading it at the first need.
func (r *room) current(ctx context.Context) (*shown, error) {
	if now := r.look(); now != nil {
		return now, nil
	}
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if err := r.take(ctx); err != nil {
		return nil, err
	}
	defer r.give()
	return r.load(ctx)
}

// load reads the office where it is not in memory. The caller has the turn.
func (r *room) load(ctx context.Context) (*shown, error) {
	if now := r.look(); now != nil {
		return now, nil
	}
	o, rev, err := r.store.Load(ctx, r.id)
	if err != nil {
		return nil, err
	}
	kept, err := r.store.FoundNow(ctx, r.id)
	if err != nil {
		return nil, err
	}
	start := time.Now()
	now := &shown{report: finding.Check(span.Compile(o)), kept: keptOf(kept), tried: &tried{known: map[string][][]string{}}}
	now.seen = found.BesideOf(now.report.Net, now.kept)
	now.view = api.View(r.id, rev, now.report, now.seen)
	r.timed(start)
	r.show(now)
	return now, nil
}

func (r *room) show(now *shown) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded, r.shown = true, now
}

// forget lets go of what is in memory: the database is asked again.
func (r *room) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded = false
}

// rest lets go of what is in memory of an office that nobody watches and nobody asked for since
// a time; whether it did.
func (r *room) rest(since time.Time) bool {
	if r.asked.Load() > since.UnixNano() {
		return false
	}
	select {
	case <-r.turn: // who writes has it
	default:
		return false
	}
	defer r.give()
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.loaded || len(r.watchers) > 0 || r.asked.Load() > since.UnixNano() {
		return false
	}
	r.loaded, r.shown = false, nil
	return true
}

// forgotten says whether somebody watches an office that is not in memory.
func (r *room) forgotten() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return !r.loaded && !r.gone && len(r.watchers) > 0
}

// moved is called when the database says that the office is at a revision:
// another server on it may have made an edit.
func (r *room) moved(ctx context.Context, revision int64) {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if r.take(ctx) != nil {
		r.forget() // whoever asks next reads it
		return
	}
	defer r.give()
	if now := r.look(); now == nil || revision <= now.view.Revision {
		return
	}
	r.reload(ctx)
}

// reload reads the office anew and tells who watches what is new. The caller
// has the turn.
func (r *room) reload(ctx context.Context) {
	old := r.look()
	r.forget()
	if old == nil {
		return
	}
	o, rev, err := r.store.Load(ctx, r.id)
	if err != nil {
		return // the next request tries again, and says what is wrong
	}
	// What differs, as an edit of what is in memory: only that is worked out.
	if edit, err := history.Diff(old.report.Net.Office, o); err == nil {
		if same, err := office.Apply(old.report.Net.Office, edit); err == nil {
			o = same
		}
	}
	now, told := r.after(old, o, rev)
	r.show(now)
	r.publish(told, "")
}

// after works out an office that an edit led to, and what there is to tell of
// it.
func (r *room) after(old *shown, o *office.Office, revision int64) (now *shown, told *api.OfficeView) {
	defer r.timed(time.Now())
	now = &shown{report: old.report.Update(old.report.Net.Update(o)), kept: old.kept}
	delta := now.report.Since(old.report)
	if delta.Whole {
		now.seen = found.BesideOf(now.report.Net, now.kept)
	} else {
		delta.Devices = found.Touched(old.report.Net.Office, o, now.kept, delta.Devices)
		now.seen = old.seen.Update(now.report.Net, now.kept, delta.Devices)
	}
	now.view, told = api.Change(old.view, revision, now.report, delta, now.seen)
	now.tried = old.tried.after(told)
	return now, told
}

func (r *room) timed(start time.Time) { r.took.Observe(time.Since(start).Seconds()) }

// refound reads what was found of the devices anew. It is beside the plan and
// raises no revision.
func (r *room) refound(ctx context.Context) {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if r.take(ctx) != nil {
		r.forget()
		return
	}
	defer r.give()
	old := r.look()
	if old == nil {
		return
	}
	kept, err := r.store.FoundNow(ctx, r.id)
	if err != nil {
		r.forget()
		return
	}
	now := *old
	now.kept = keptOf(kept)
	now.seen = found.BesideOf(now.report.Net, now.kept)
	view := *old.view
	view.Found = api.FoundNowOf(now.report.Net, now.seen)
	now.view = &view
	r.show(&now)
}

func keptOf(all map[string]store.Found) map[string]found.Kept {
	out := map[string]found.Kept{}
	for device, one := range all {
		out[device] = one.Kept()
	}
	return out
}

// event is what watchers are told: an edit, or where somebody is.
type event struct {
	name string
	id   int64
	text []byte // JSON, made once for all who watch
}

// publish tells an edit to all who watch, but to the tab that made it, which has
// it in its answer. It gives the text that was told.
func (r *room) publish(view *api.OfficeView, but string) []byte {
	return r.tell("edit", view.Revision, view, but)
}

func (r *room) tell(name string, id int64, data any, but string) []byte {
	text, err := json.Marshal(data)
	if err != nil {
		return nil
	}
	one := event{name, id, text}
	r.mu.Lock()
	defer r.mu.Unlock()
	for w, tab := range r.watchers {
		if but != "" && tab == but {
			continue
		}
		select {
		case w <- one:
		default: // too slow: it is closed, connects again and reads the whole office
			delete(r.watchers, w)
			close(w)
		}
	}
	return text
}

// watch gives the views of all edits from now on to a tab; false where the office
// is watched by as many as it can be.
func (r *room) watch(tab string) (c chan event, done func(), ok bool) {
	c = make(chan event, 64)
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.watchers) >= mostWatchers || r.gone {
		return nil, nil, false
	}
	if r.watchers == nil {
		r.watchers = map[chan event]string{}
	}
	r.watchers[c] = tab
	return c, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		if _, there := r.watchers[c]; there {
			delete(r.watchers, c)
			close(c)
		}
	}, true
}

// close ends all that watch.
func (r *room) close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded, r.gone = false, true
	for w := range r.watchers {
		delete(r.watchers, w)
		close(w)
	}
}

// asking is who asks for an edit, and on what.
type asking struct {
	author string
	base   int64 // the revision that it was made on, or latest
	undoes int64
	turn   history.Turn
	token  string // the page's own name for the request
	asked  []byte // what is asked for under it, as a digest
	tab    string // that asks: it is not told what it is answered
	again  bool   // it may have been made already
	effort *effort.Effort
}

// askingOf is who asks for an edit with a request: by whom, under which name, and for what.
func askingOf(c fiber.Ctx, author, token string, again bool, base int64) asking {
	return asking{author: author, tab: tabOf(c), base: base, token: token, asked: askedFor(c), again: again, effort: effortOf(c)}
}

// askedFor is what a request asks for, as a digest: all of it but what differs when it is
// asked again.
func askedFor(c fiber.Ctx) []byte {
	text, err := received(c)
	if err != nil {
		return nil
	}
	var fields map[string]any
	if json.Unmarshal(text, &fields) != nil {
		return nil
	}
	for _, name := range []string{"again", "look", "base"} {
		delete(fields, name)
	}
	text, err = json.Marshal(fields)
	if err != nil {
		return nil
	}
	sum := sha256.Sum256(append([]byte(c.Method()+" "+c.Path()+" "), text...))
	return sum[:]
}

// otherwise says that the name of a request is another's.
func otherwise(asked, was []byte) error {
	if was == nil || asked == nil || bytes.Equal(asked, was) {
		return nil
	}
	return &history.Conflict{Text: "something else was asked for under this request's id: give each request an id of its own"}
}

// latest is the base of an edit that is worked out on whatever the office is.
const latest = -2

// answer is what an edit came to.
type answer struct {
	now  *shown
	told []byte // what the page is to know of it, as JSON
}

// again answers a request of a name that was answered before: nil where it was not. behind
// says that another server answered it, with an edit of which this one has not heard.
func (r *room) again(ctx context.Context, old *shown, asking asking) (_ *answer, behind bool, _ error) {
	was, ok, err := r.store.Requested(ctx, r.id, asking.token)
	if err != nil {
		return nil, false, err
	}
	if ok && otherwise(asking.asked, was.Asked) == nil {
		if old.view.Revision < was.Revision {
			return nil, true, nil
		}
		one := api.Nothing(old.view)
		if !was.Idle { // it was made: this is what it led to
			view := *old.view
			view.Made = was.Revision
			one = &view
		}
		same, err := answered(old, one)
		return same, false, err
	}
	store.DeedOf(ctx).None()
	if ok {
		return nil, false, otherwise(asking.asked, was.Asked)
	}
	return nil, false, nil
}

// edit plans a request on the newest office and commits it. Where others have
// made edits since the request's base, it is merged, unless they touched the
// same things.
//
// Many branches: others, another server and the database may each come between, and each
// is met in its way.
func (r *room) edit(ctx context.Context, asking asking, plan func(*span.Net) (*command.Result, error)) (*answer, error) {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if !printable(asking.token) {
		return nil, bad("id", "a request's own name is letters that one can read")
	}
	if err := r.take(ctx); err != nil {
		return nil, err
	}
	defer r.give()
	for range 5 {
		old, err := r.load(ctx)
		if err != nil {
			return nil, err
		}
		if asking.token != "" {
			was, behind, err := r.again(ctx, old, asking)
			if behind {
				r.reload(ctx)
				continue
			}
			if was != nil || err != nil {
				return was, err
			}
		}
		at := old.view.Revision
		if asking.base > at {
			return nil, bad("base", "revision %d is not there yet: the office is at %d", asking.base, at)
		}
		result, err := plan(old.report.Net.Within(asking.effort))
		if err == nil && len(result.Edit) > 0 && asking.base != latest && asking.base < at {
			err = r.untouched(ctx, asking.base, at, result.Edit)
		}
		if err != nil {
			// It may be in the way of itself: another server was asked for the same at once.
			if _, ok, _ := r.store.Requested(ctx, r.id, asking.token); ok && asking.token != "" {
				r.reload(ctx)
				continue
			}
			return nil, err
		}
		if len(result.Edit) == 0 {
			if asking.token != "" {
				if err := r.store.Idle(ctx, r.id, asking.token, asking.asked, at); err != nil {
					return nil, err
				}
			}
			return answered(old, api.Nothing(old.view))
		}
		if err := withinLimits(result.Office); err != nil {
			return nil, err
		}
		now, told := r.after(old, result.Office, at+1)
		rev, err := r.store.Commit(ctx, r.id, at, result.Edit, store.Note{Author: asking.author, Summary: result.Summary, Undoes: asking.undoes, Turn: asking.turn, Token: asking.token, Asked: asking.asked})
		if errors.Is(err, store.ErrStale) || errors.Is(err, store.ErrNamed) {
			r.reload(ctx)
			continue
		}
		if err != nil {
			r.forget() // whatever the database has now, it is the truth
			return nil, err
		}
		now.view.Revision, told.Revision = rev, rev
		r.show(now)
		one := *told
		one.Author, one.Turn, one.Summary = asking.author, cmp.Or(asking.turn, history.Edit), result.Summary
		return &answer{now, r.publish(&one, asking.tab)}, nil
	}
	return nil, &history.Conflict{Text: "others are changing the office too fast: try again"}
}

func answered(now *shown, told *api.OfficeView) (*answer, error) {
	text, err := json.Marshal(told)
	return &answer{now, text}, err
}

// untouched says whether no edit after base touches what edit touches.
func (r *room) untouched(ctx context.Context, base, now int64, edit office.Edit) error {
	if now-base > mostSince {
		return &history.Conflict{Text: fmt.Sprintf("the office has moved on by %d edits since: look at it as it is now, and do it again", now-base)}
	}
	since, err := r.store.History(ctx, r.id, base, mostSince)
	if err != nil {
		return err
	}
	return history.Untouched(edit, store.Edits(since), base)
}
