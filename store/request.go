package store

import (
	"context"
	"errors"
	"strings"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Request is what became of a request that had a name of its own.
type Request struct {
	Office   int64
	Revision int64  // that it led to, or at which it came to nothing
	Asked    []byte // what was asked for, as a digest; nil where that is not known
	Idle     bool   // it came to nothing
}

// Requested is what became of the request of a name; false where nobody knows of one. For
// office 0 it is one that started an office.
func (s *Store) Requested(ctx context.Context, office int64, token string) (request Request, ok bool, err error) {
	if office == 0 {
		err = s.pool.QueryRow(ctx, "SELECT office_id, revision, asked, false FROM edit WHERE revision = 1 AND token = $1", token).Scan(&request.Office, &request.Revision, &request.Asked, &request.Idle)
	} else {
		err = s.pool.QueryRow(ctx, `SELECT office_id, revision, asked, false FROM edit WHERE office_id = $1 AND token = $2
			UNION ALL SELECT office_id, revision, asked, true FROM idle_request WHERE office_id = $1 AND token = $2 LIMIT 1`, office, token).Scan(&request.Office, &request.Revision, &request.Asked, &request.Idle)
	}
	if errors.Is(err, pgx.ErrNoRows) {
		return Request{}, false, nil
	}
	return request, err == nil, err
}

// mostIdle is how many requests that came to nothing are known of an office: those of a day's
// work. An asker asks again within a minute.
const mostIdle = 1000

// Idle keeps that a request came to nothing.
func (s *Store) Idle(ctx context.Context, office int64, token string, asked []byte, revision int64) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "INSERT INTO idle_request (office_id, token, asked, revision) VALUES (@office, @token, @asked, @revision) ON CONFLICT DO NOTHING", pgx.NamedArgs{"office": office, "token": token, "asked": asked, "revision": revision}); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `DELETE FROM idle_request WHERE office_id = $1 AND made_at < (SELECT made_at FROM idle_request WHERE office_id = $1 ORDER BY made_at DESC OFFSET $2 LIMIT 1)`, office, mostIdle)
		return err
	})
}

// Deed is whether, in the course of a request, something was written, or may have been: a
// failure after that is none of which one may say that nothing was changed.
type Deed struct{ may atomic.Bool }

// May says that something may have been written.
func (d *Deed) May() { d.set(true) }

// None says that it is known that nothing was.
func (d *Deed) None() { d.set(false) }

func (d *Deed) set(may bool) {
	if d != nil {
		d.may.Store(may)
	}
}

// Done says whether something was written, or may have been.
func (d *Deed) Done() bool { return d != nil && d.may.Load() }

type deedKey struct{}

// Watched gives a context in which the store notes what it writes.
func Watched(ctx context.Context) context.Context {
	return context.WithValue(ctx, deedKey{}, &Deed{})
}

// DeedOf is the deed of a context; nil, which notes nothing, where it has none.
func DeedOf(ctx context.Context) *Deed {
	deed, _ := ctx.Value(deedKey{}).(*Deed)
	return deed
}

// deeds looks at each statement that goes to the database: one that writes by itself, or that
// commits what was written, has been done when the database says so, and may have been unless
// the database refuses it.
type deeds struct{}

type writes struct{}

// TraceQueryStart notes whether a statement writes.
func (deeds) TraceQueryStart(ctx context.Context, conn *pgx.Conn, data pgx.TraceQueryStartData) context.Context {
	if DeedOf(ctx) == nil {
		return ctx
	}
	first, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(data.SQL)), " ")
	switch {
	case first == "commit":
	case conn.PgConn().TxStatus() != 'I': // it counts when it is committed
		return ctx
	case first == "select", first == "begin", first == "rollback", first == "listen", first == "set":
		return ctx
	}
	return context.WithValue(ctx, writes{}, true)
}

// TraceQueryEnd notes what became of one that does.
func (deeds) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, data pgx.TraceQueryEndData) {
	if ctx.Value(writes{}) == nil {
		return
	}
	// An error that is not the database's own tells nothing: pgx calls even one that comes
	// while the answer is read safe to try again (the connection was "closed").
	var pg *pgconn.PgError
	if errors.As(data.Err, &pg) && !strings.HasPrefix(pg.Code, "57") && !strings.HasPrefix(pg.Code, "08") {
		return // it was refused, and not cut off
	}
	DeedOf(ctx).May()
}
