package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"klammer/core/command"
	"klammer/core/finding"
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
	turn  chan struct{} // holds one token: whoever has it may write

	mu       sync.Mutex
	loaded   bool
	gone     bool
	revision int64
	report   *finding.Report
	shown    *OfficeView
	watchers map[chan event]bool
}

// atMost is how long a request waits for the database, its turn included.
const atMost = 10 * time.Second

func newRoom(id int64, s *store.Store) *room {
	r := &room{id: id, store: s, turn: make(chan struct{}, 1)}
	r.turn <- struct{}{}
	return r
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

// look is what is shown now; ok is false where it has to be loaded.
func (r *room) look() (report *finding.Report, shown *OfficeView, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.report, r.shown, r.loaded
}

// at is the revision that is shown.
func (r *room) at() int64 {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.revision
}

// current gives the office, loading it at the first need.
func (r *room) current(ctx context.Context) (*finding.Report, *OfficeView, error) {
	if report, shown, ok := r.look(); ok {
		return report, shown, nil
	}
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if err := r.take(ctx); err != nil {
		return nil, nil, err
	}
	defer r.give()
	if err := r.load(ctx); err != nil {
		return nil, nil, err
	}
	report, shown, _ := r.look()
	return report, shown, nil
}

// load reads the office where it is not in memory. The caller has the turn.
func (r *room) load(ctx context.Context) error {
	if _, _, ok := r.look(); ok {
		return nil
	}
	o, rev, err := r.store.Load(ctx, r.id)
	if err != nil {
		return err
	}
	report := finding.Check(span.Compile(o))
	r.show(rev, report, view(r.id, rev, report))
	return nil
}

func (r *room) show(rev int64, report *finding.Report, v *OfficeView) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded, r.revision, r.report, r.shown = true, rev, report, v
}

// forget lets go of what is in memory: the database is asked again.
func (r *room) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded = false
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
	if _, _, ok := r.look(); !ok || revision <= r.at() {
		return
	}
	r.reload(ctx)
}

// reload reads the office anew and tells who watches what is new. The caller
// has the turn.
func (r *room) reload(ctx context.Context) {
	_, old, _ := r.look()
	r.forget()
	if err := r.load(ctx); err != nil {
		return // the next request tries again, and says what is wrong
	}
	_, now, _ := r.look()
	r.publish(now.since(old))
}

// event is what watchers are told: an edit, or where somebody is.
type event struct {
	name string
	id   int64
	text []byte // JSON, made once for all who watch
}

func (r *room) publish(v *OfficeView) { r.tell("edit", v.Revision, v) }

func (r *room) tell(name string, id int64, data any) {
	text, err := json.Marshal(data)
	if err != nil {
		return
	}
	e := event{name, id, text}
	r.mu.Lock()
	defer r.mu.Unlock()
	for w := range r.watchers {
		select {
		case w <- e:
		default: // too slow: it is closed, connects again and reads the whole office
			delete(r.watchers, w)
			close(w)
		}
	}
}

// watch gives the views of all edits from now on; false where the office is
// watched by as many as it can be.
func (r *room) watch() (c chan event, done func(), ok bool) {
	c = make(chan event, 64)
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.watchers) >= mostWatchers || r.gone {
		return nil, nil, false
	}
	if r.watchers == nil {
		r.watchers = map[chan event]bool{}
	}
	r.watchers[c] = true
	return c, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		if r.watchers[c] {
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
	token  string // the page's own name for the request
	again  bool   // it may have been made already
}

// latest is the base of an edit that is worked out on whatever the office is.
const latest = -2

// edit plans a request on the newest office and commits it. Where others have
// made edits since the request's base, it is merged, unless they touched the
// same things.
func (r *room) edit(ctx context.Context, q asking, plan func(*span.Net) (*command.Result, error)) (*OfficeView, error) {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if !printable(q.token) {
		return nil, bad("id", "a request's own name is letters that one can read")
	}
	if err := r.take(ctx); err != nil {
		return nil, err
	}
	defer r.give()
	for range 5 {
		if err := r.load(ctx); err != nil {
			return nil, err
		}
		report, shown, _ := r.look()
		if q.again && q.token != "" {
			if rev, err := r.store.ByToken(ctx, r.id, q.token); err != nil {
				return nil, err
			} else if rev != 0 { // it was made: this is what it led to
				return shown, nil
			}
		}
		now := r.at()
		switch {
		case q.base == latest:
		case q.base > now:
			return nil, bad("base", "revision %d is not there yet: the office is at %d", q.base, now)
		}
		x, err := plan(report.Net)
		if err != nil {
			return nil, err
		}
		if len(x.Edit) == 0 {
			return shown.since(shown), nil
		}
		if err := withinLimits(x.Office); err != nil {
			return nil, err
		}
		if q.base != latest && q.base < now {
			if err := r.untouched(ctx, q.base, now, x.Edit); err != nil {
				return nil, err
			}
		}
		next := report.Update(report.Net.Update(x.Office))
		rev, err := r.store.Commit(ctx, r.id, now, x.Edit, store.Note{Author: q.author, Summary: x.Summary, Undoes: q.undoes, Token: q.token})
		if errors.Is(err, store.ErrStale) {
			r.reload(ctx)
			continue
		}
		if err != nil {
			r.forget() // whatever the database has now, it is the truth
			return nil, &uncertain{err}
		}
		v := view(r.id, rev, next)
		r.show(rev, next, v)
		told := v.since(shown)
		told.Author, told.Summary = q.author, x.Summary
		r.publish(told)
		return told, nil
	}
	return nil, &history.Conflict{Text: "others are changing the office too fast: try again"}
}

// uncertain is a write that failed, of which it may not be known whether it was
// done.
type uncertain struct{ error }

func (u *uncertain) Unwrap() error { return u.error }

// untouched says whether no edit after base touches what e touches.
func (r *room) untouched(ctx context.Context, base, now int64, e office.Edit) error {
	if now-base > mostSince {
		return &history.Conflict{Text: fmt.Sprintf("the office has moved on by %d edits since: look at it as it is now, and do it again", now-base)}
	}
	since, err := r.store.History(ctx, r.id, base, mostSince)
	if err != nil {
		return err
	}
	return history.Untouched(e, store.Edits(since), base)
}
