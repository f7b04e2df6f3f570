package server

import (
	"context"
	"sync"
	"sync/atomic"

	"klammer/core/history"
	"klammer/mishap"
)

// job is what goes on in the background for one office: an order or a round that is worked
// out, devices that are read or set. It is started once, seen, told, and stopped.
type job struct {
	ctx        context.Context
	stop       context.CancelFunc
	author     string
	person     int64        // who began it; 0 where nobody signs in
	hundredths atomic.Int64 // how far it is; 0 for nothing yet
	done, of   atomic.Int64 // the same in things, where it goes by them
}

// far notes how far a job is.
func (j *job) far(done, of int) {
	j.done.Store(int64(done))
	j.of.Store(int64(of))
	j.hundredths.Store(int64(max(1, 100*done/max(1, of))))
}

// jobs are those of one kind, at most one an office.
type jobs struct {
	busy string // what is said to whoever comes while one goes on
	lock sync.Mutex
	of   map[int64]*job
}

func newJobs(busy string) *jobs { return &jobs{busy: busy, of: map[int64]*job{}} }

// begin notes a job of an office, which ends with the context, and with [jobs.end]. While
// one goes on it is a conflict.
func (all *jobs) begin(ctx context.Context, office int64, author string, person int64) (*job, error) {
	all.lock.Lock()
	defer all.lock.Unlock()
	if all.of[office] != nil {
		return nil, &history.Conflict{Text: all.busy}
	}
	one := &job{author: author, person: person}
	one.ctx, one.stop = context.WithCancel(ctx)
	all.of[office] = one
	return one, nil
}

// end forgets a job that is over.
func (all *jobs) end(office int64, job *job) {
	all.lock.Lock()
	defer all.lock.Unlock()
	if job.stop(); all.of[office] == job {
		delete(all.of, office)
	}
}

// now is the job that goes on in an office, nil for none.
func (all *jobs) now(office int64) *job {
	all.lock.Lock()
	defer all.lock.Unlock()
	return all.of[office]
}

// each calls f for every job that goes on.
func (all *jobs) each(f func(office int64, one *job)) {
	all.lock.Lock()
	on := make(map[int64]*job, len(all.of))
	for office, job := range all.of {
		on[office] = job
	}
	all.lock.Unlock()
	for office, job := range on {
		f(office, job)
	}
}

// stop stops the job of an office, if one goes on.
func (all *jobs) stop(office int64) {
	if job := all.now(office); job != nil {
		job.stop()
	}
}

// goOn has a job done in the background; a fault ends it alone.
func (s *Server) goOn(all *jobs, office int64, job *job, what string, do func(one *job)) {
	mishap.Go(s.log, what, func() {
		defer all.end(office, job)
		do(job)
	})
}

// turns is how many of something may be worked out at a time; the others wait.
type turns chan struct{}

// take waits for a turn, as long as the asker does.
func (t turns) take(ctx context.Context) error {
	select {
	case t <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (t turns) give() { <-t }
