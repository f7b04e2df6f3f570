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
func (s *streams) join(asker *asker, end context.CancelFunc) (*listener, error) {
	one := &listener{session: asker.session, end: end}
	if asker.person != nil {
		one.person = asker.person.ID
	}
	if asker.token != nil {
		one.token = asker.token.ID
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	own := 0
	for listener := range s.all {
		if one.person != 0 && listener.person == one.person {
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
	s.all[one] = struct{}{}
	return one, nil
}

// leave lets go of one, and ends it.
func (s *streams) leave(listener *listener) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.all, listener)
	listener.end()
}

func (s *streams) count() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.all)
}

// end ends those by what ended: sessions, tokens, all tokens of a person.
func (s *streams) end(somebody api.Somebody) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for listener := range s.all {
		byToken := listener.token != 0 && (somebody.Person != 0 && listener.person == somebody.Person || slices.Contains(somebody.Tokens, listener.token))
		if byToken || listener.session != 0 && slices.Contains(somebody.Sessions, listener.session) {
			listener.end()
		}
	}
}

// by is the sessions and tokens by which somebody listens.
func (s *streams) by() (sessions, tokens []int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for listener := range s.all {
		switch {
		case listener.session != 0:
			sessions = append(sessions, listener.session)
		case listener.token != 0:
			tokens = append(tokens, listener.token)
		}
	}
	return sessions, tokens
}

// sweep looks after those who listen: what was lost is made good.
func (s *Server) sweep() {
	ticker := time.NewTicker(time.Second)
	defer ticker.Stop()
	for {
		select {
		case <-s.stop.Done():
			return
		case <-ticker.C:
			s.endOver()
			s.revive()
			s.rest()
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

// RestAfter says after how long an office that nobody watches or asks for is let go of: it is
// read again when somebody does.
func (s *Server) RestAfter(idle time.Duration) { s.idle.Store(int64(idle)) }

// rest lets go of offices that nobody looks at: memory goes by those in use, not by all that
// there are.
func (s *Server) rest() {
	since := time.Now().Add(-time.Duration(s.idle.Load()))
	s.mu.Lock()
	all := slices.Collect(maps.Values(s.rooms))
	s.mu.Unlock()
	for _, room := range all {
		if s.orders.now(room.id) != nil || s.readings.now(room.id) != nil || s.carrying.now(room.id) != nil || !room.rest(since) {
			continue
		}
		s.runs.Delete(room.id)
		s.rounds.Delete(room.id)
		s.failing.Delete(room.id)
	}
}

// revive reads the offices again that somebody watches, and that could not be read when
// something became of them: those who watch ask for nothing, and would not hear of it.
func (s *Server) revive() {
	s.mu.Lock()
	all := slices.Collect(maps.Values(s.rooms))
	s.mu.Unlock()
	for _, room := range all {
		if !room.forgotten() {
			continue
		}
		ctx, stop := context.WithTimeout(s.stop, 2*time.Second)
		now, err := room.current(ctx)
		stop()
		switch {
		case err == nil:
			room.tell("beat", 0, now.view.Revision, "")
		case errors.Is(err, store.ErrNoOffice):
			s.forget(room.id)
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
	one, err := s.store.PersonAt(ctx, person)
	if err != nil {
		return
	}
	may := func(office int64) bool { return one != nil && one.Role(office).May(people.Carrier) }
	for _, all := range []*jobs{s.readings, s.carrying} {
		all.each(func(office int64, job *job) {
			if job.person == person && !may(office) {
				job.stop()
			}
		})
	}
}

// ended ends the event streams by what ended, here and on the other servers.
func (s *Server) ended(ctx context.Context, somebody api.Somebody) error {
	if len(somebody.Sessions) == 0 && somebody.Person == 0 && len(somebody.Tokens) == 0 {
		return nil
	}
	return s.tellAll(ctx, somebody)
}
