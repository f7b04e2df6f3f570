package server

import (
	"context"
	"slices"
	"sync"

	"klammer/api"
	"klammer/core/finding"
)

// tried is the mends of an office's findings that were tried, by the findings'
// ids.
type tried struct {
	mu    sync.Mutex
	known map[string][][]string
	try   func(*finding.Finding) [][]string
}

// after is what is still known when an edit was made: all but the mends of
// findings that it touched.
func (t *tried) after(told *api.OfficeView) *tried {
	out := &tried{known: map[string][][]string{}}
	if told.Whole {
		return out
	}
	gone := map[string]bool{}
	for _, id := range slices.Concat(told.Gone, told.Stale) {
		gone[id] = true
	}
	for i := range told.Findings {
		gone[told.Findings[i].ID] = true
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	for id, mends := range t.known {
		if !gone[id] {
			out.known[id] = mends
		}
	}
	return out
}

// mends are those of a finding that hold, none where it is no more. They are
// tried one after the other, as long as somebody asks.
func (s *shown) mends(ctx context.Context, id string) ([][]string, error) {
	tried := s.tried
	tried.mu.Lock()
	mends, ok := tried.known[id]
	if tried.try == nil {
		tried.try = s.report.Tries()
	}
	tried.mu.Unlock()
	if ok {
		return mends, nil
	}
	mends = [][]string{}
	list := s.report.List()
	at := slices.IndexFunc(list, func(one *finding.Finding) bool { return one.ID == id })
	if at < 0 {
		return mends, nil
	}
	for _, one := range list[at].Singly() {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		mends = append(mends, tried.try(one)...)
	}
	tried.mu.Lock()
	defer tried.mu.Unlock()
	tried.known[id] = mends
	return mends, nil
}
