package server

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

// room is one office in memory: what is in the database, worked out. Edits go
// through it one at a time; nothing changes here before the database has it.
type room struct {
	id    int64
	store *store.Store

	mu       sync.Mutex
	loaded   bool
	revision int64
	report   *finding.Report
	shown    *OfficeView
	watchers map[chan event]bool
}

// conflict is an edit that touches what somebody else has changed since.
type conflict struct{ text string }

func (c *conflict) Error() string { return c.text }

// current gives the office, loading it at the first need.
func (r *room) current(ctx context.Context) (*finding.Report, *OfficeView, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if err := r.load(ctx); err != nil {
		return nil, nil, err
	}
	return r.report, r.shown, nil
}

func (r *room) load(ctx context.Context) error {
	if r.loaded {
		return nil
	}
	o, rev, err := r.store.Load(ctx, r.id)
	if err != nil {
		return err
	}
	r.loaded, r.revision = true, rev
	r.report = finding.Check(span.Compile(o))
	r.shown = view(r.id, rev, r.report)
	return nil
}

// moved is called when the database says that the office is at a revision:
// another server on it may have made an edit.
func (r *room) moved(ctx context.Context, revision int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.loaded || revision <= r.revision {
		return
	}
	r.reload(ctx)
}

func (r *room) reload(ctx context.Context) {
	old := r.shown
	r.loaded = false
	if err := r.load(ctx); err != nil {
		return // the next request tries again, and says what is wrong
	}
	r.publish(r.shown.since(old))
}

// event is what watchers are told: an edit, or where somebody is.
type event struct {
	name string
	id   int64
	data any
}

func (r *room) publish(v *OfficeView) { r.tell(event{"edit", v.Revision, v}) }

func (r *room) tell(e event) {
	for w := range r.watchers {
		select {
		case w <- e:
		default: // too slow: it is closed, connects again and reads the whole office
			delete(r.watchers, w)
			close(w)
		}
	}
}

// watch gives the views of all edits from now on.
func (r *room) watch() (chan event, func()) {
	c := make(chan event, 64)
	r.mu.Lock()
	defer r.mu.Unlock()
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
	}
}

// close ends all that watch.
func (r *room) close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.loaded = false
	for w := range r.watchers {
		delete(r.watchers, w)
		close(w)
	}
}

// edit plans a request on the newest office and commits it. Where others have
// made edits since the request's base, it is merged, unless they touched the
// same things.
func (r *room) edit(ctx context.Context, author string, base int64, undoes int64,
	plan func(*span.Net) (*planned, error)) (*OfficeView, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for range 5 {
		if err := r.load(ctx); err != nil {
			return nil, err
		}
		if base < 0 {
			return nil, bad("base", "%d is no revision: they start at 0", base)
		}
		if base > r.revision {
			return nil, bad("base", "revision %d is not there yet: the office is at %d", base, r.revision)
		}
		x, err := plan(r.report.Net)
		if err != nil {
			return nil, err
		}
		o, e, summary := x.office, x.edit, x.summary
		if len(e) == 0 {
			v := r.shown.since(r.shown)
			return v, nil
		}
		if base < r.revision {
			if err := r.untouched(ctx, base, e); err != nil {
				return nil, err
			}
		}
		report := r.report.Update(r.report.Net.Update(o))
		rev, err := r.store.Commit(ctx, r.id, r.revision, e, store.Note{Author: author, Summary: summary, Undoes: undoes})
		if errors.Is(err, store.ErrStale) {
			old := r.shown
			r.loaded = false
			if err := r.load(ctx); err != nil {
				return nil, err
			}
			r.publish(r.shown.since(old))
			continue
		}
		if err != nil {
			return nil, err
		}
		old := r.shown
		r.revision, r.report = rev, report
		r.shown = view(r.id, rev, report)
		v := r.shown.since(old)
		v.Author, v.Summary = author, summary
		r.publish(v)
		return v, nil
	}
	return nil, &conflict{"others are changing the office too fast: try again"}
}

// untouched says whether no edit after base touches what e touches.
func (r *room) untouched(ctx context.Context, base int64, e office.Edit) error {
	since, err := r.store.History(ctx, r.id, base, 1000)
	if err != nil {
		return err
	}
	if r.revision-base > 1000 {
		return &conflict{fmt.Sprintf("the office has moved on by %d edits since: look at it as it is now, and do it again", r.revision-base)}
	}
	for _, m := range standing(since, base) {
		for _, c := range m.Changes {
			for _, k := range e.Keys() {
				if k.Clashes(c.Key) {
					return &conflict{fmt.Sprintf("%s was changed meanwhile by %s (%s): look at it as it is now, and do it again", keyName(c.Key), m.Author, m.Summary)}
				}
			}
		}
	}
	return nil
}

// standing leaves out edits that were taken back again, together with what took
// them back: newest first, each one that stands cancels the one that it undoes.
func standing(all []store.Made, base int64) []store.Made {
	gone := map[int64]bool{}
	var out []store.Made
	for _, m := range all {
		switch {
		case gone[m.Revision]:
		case m.Undoes > base:
			gone[m.Undoes] = true
		default:
			out = append(out, m)
		}
	}
	return out
}

// keyName is a key as people say it.
func keyName(k office.Key) string {
	kind, rest, ok := cutKey(k)
	switch {
	case !ok:
		return "the office's name"
	case kind == "port":
		return "port " + rest
	case kind == "vlan":
		return "VLAN " + rest
	}
	return kind + " " + rest
}

func cutKey(k office.Key) (kind, rest string, ok bool) {
	for i := range k {
		if k[i] == ':' {
			return string(k[:i]), string(k[i+1:]), true
		}
	}
	return string(k), "", false
}
