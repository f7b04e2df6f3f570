package server

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/people"
	"klammer/store"
)

// listener is an event stream, and by what its asker was let in.
type listener struct {
	session, person, token int64 // 0 for none
	end                    context.CancelFunc
}

// streams is the event streams of a server that are open.
type streams struct {
	mu  sync.Mutex
	all map[*listener]struct{}
}

// join takes one more; it is refused where the server, or its asker, has as many as there
// may be: one person cannot take the places of all others.
func (s *streams) join(a *asker, end context.CancelFunc) (*listener, error) {
	l := &listener{session: a.session, end: end}
	if a.person != nil {
		l.person = a.person.ID
	}
	if a.token != nil {
		l.token = a.token.ID
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	own := 0
	for o := range s.all {
		if l.person != 0 && o.person == l.person {
			own++
		}
	}
	switch {
	case own >= mostOwn:
		return nil, fiber.NewError(fiber.StatusTooManyRequests, fmt.Sprintf("%d pages of yours listen already, the most that one person has: close some", mostOwn))
	case len(s.all) >= mostStreams:
		return nil, fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d pages listen already, the most that this server serves", mostStreams))
	}
	if s.all == nil {
		s.all = map[*listener]struct{}{}
	}
	s.all[l] = struct{}{}
	return l, nil
}

// leave lets go of one, and ends it.
func (s *streams) leave(l *listener) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.all, l)
	l.end()
}

func (s *streams) count() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.all)
}

// end ends those by what ended: sessions, tokens, all tokens of a person.
func (s *streams) end(x api.Somebody) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for l := range s.all {
		byToken := l.token != 0 && (x.Person != 0 && l.person == x.Person || slices.Contains(x.Tokens, l.token))
		if byToken || l.session != 0 && slices.Contains(x.Sessions, l.session) {
			l.end()
		}
	}
}

// by is the sessions and tokens by which somebody listens.
func (s *streams) by() (sessions, tokens []int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for l := range s.all {
		switch {
		case l.session != 0:
			sessions = append(sessions, l.session)
		case l.token != 0:
			tokens = append(tokens, l.token)
		}
	}
	return sessions, tokens
}

// sweep looks after those who listen: what was lost is made good.
func (s *Server) sweep() {
	t := time.NewTicker(time.Second)
	defer t.Stop()
	for {
		select {
		case <-s.stop.Done():
			return
		case <-t.C:
			s.endOver()
			s.revive()
		}
	}
}

// endOver ends the streams of what ended without a word: idle sessions, tokens whose time
// is over, and where the word was lost.
func (s *Server) endOver() {
	sessions, tokens := s.streams.by()
	if len(sessions)+len(tokens) == 0 {
		return
	}
	ctx, stop := context.WithTimeout(s.stop, 2*time.Second)
	defer stop()
	noSessions, noTokens, err := s.store.Over(ctx, sessions, tokens)
	if err == nil { // a database that is away ends nothing
		s.streams.end(api.Somebody{Sessions: noSessions, Tokens: noTokens})
	}
}

// revive reads the offices again that somebody watches, and that could not be read when
// something became of them: those who watch ask for nothing, and would not hear of it.
func (s *Server) revive() {
	s.mu.Lock()
	all := slices.Collect(maps.Values(s.rooms))
	s.mu.Unlock()
	for _, r := range all {
		if !r.forgotten() {
			continue
		}
		ctx, stop := context.WithTimeout(s.stop, 2*time.Second)
		now, err := r.current(ctx)
		stop()
		switch {
		case err == nil:
			r.tell("beat", 0, now.view.Revision, "")
		case errors.Is(err, store.ErrNoOffice):
			s.forget(r.id)
		default: // the database is away: the others would wait for it as long
			return
		}
	}
}

// stopOf stops what a person had begun in the background, in offices of which he is no
// carrier any more.
func (s *Server) stopOf(person int64) {
	ctx, stop := context.WithTimeout(s.stop, atMost)
	defer stop()
	p, err := s.store.PersonAt(ctx, person)
	if err != nil {
		return
	}
	may := func(office int64) bool { return p != nil && p.Role(office) >= people.Carrier }
	for _, all := range []*jobs{s.readings, s.carrying} {
		all.each(func(office int64, j *job) {
			if j.person == person && !may(office) {
				j.stop()
			}
		})
	}
}

// ended ends the event streams by what ended, here and on the other servers.
func (s *Server) ended(ctx context.Context, x api.Somebody) error {
	if len(x.Sessions) == 0 && x.Person == 0 && len(x.Tokens) == 0 {
		return nil
	}
	return s.tellAll(ctx, x)
}
