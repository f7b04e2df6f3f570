// Package store keeps offices in PostgreSQL: their things in tables with real
// constraints, and every edit with who made it, when, and what was before.
//
// An edit is one transaction ([Store.Commit]). It names the revision that it
// was worked out on; where the office has moved on it changes nothing and says
// [ErrStale], and the caller reads what came between and decides.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"

	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrStale says that the office has moved on since the revision named.
var ErrStale = errors.New("the office has changed since")

// ErrNoOffice says that there is no office of that number.
var ErrNoOffice = errors.New("there is no such office")

// Store is a pool of connections to one database.
type Store struct{ pool *pgxpool.Pool }

// Open connects to url, a PostgreSQL connection string, and brings its tables
// to the newest form. The error names the address tried and why.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address is not one: %w", err)
	}
	cfg.ConnConfig.ConnectTimeout = 5 * time.Second
	// A database that hangs, or a lock that is never let go, ends a request and
	// not the server.
	for name, value := range map[string]string{"statement_timeout": "15000", "lock_timeout": "5000", "idle_in_transaction_session_timeout": "15000", "application_name": "klammer"} {
		if _, said := cfg.ConnConfig.RuntimeParams[name]; !said {
			cfg.ConnConfig.RuntimeParams[name] = value
		}
	}
	cfg.MaxConns = max(cfg.MaxConns, 12)
	cfg.ConnConfig.Tracer = deeds{}
	address := fmt.Sprintf("%s:%d/%s", cfg.ConnConfig.Host, cfg.ConnConfig.Port, cfg.ConnConfig.Database)
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("no database at %s: %w", address, err)
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	if err := migrate(ctx, db); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the tables at %s: %w", address, err)
	}
	return &Store{pool}, nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	// Of servers that start at once, one brings the tables up, and the others wait for it.
	turn, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 60))
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, sub, goose.WithSessionLocker(turn))
	if err != nil {
		return err
	}
	there, now := false, int64(0)
	if err := db.QueryRowContext(ctx, "SELECT to_regclass('goose_db_version') IS NOT NULL").Scan(&there); err != nil {
		return err
	}
	if there {
		if err := db.QueryRowContext(ctx, "SELECT COALESCE(max(version_id), 0) FROM goose_db_version WHERE is_applied").Scan(&now); err != nil {
			return err
		}
	}
	if newest := NewestForm(); now > newest {
		return fmt.Errorf("they are of a newer Klammer (form %d, and this one knows %d): start that one", now, newest)
	}
	_, err = provider.Up(ctx)
	return err
}

// NewestForm is the newest form of the tables that this program knows, by its migrations.
func NewestForm() (newest int64) {
	all, _ := fs.Glob(migrations, "migrations/*.sql")
	for _, name := range all {
		if n, err := goose.NumericComponent(name); err == nil {
			newest = max(newest, n)
		}
	}
	return newest
}

// Form is of which form the tables of a database are.
func Form(ctx context.Context, tx pgx.Tx) (form int64, err error) {
	err = tx.QueryRow(ctx, "SELECT max(version_id) FROM goose_db_version WHERE is_applied").Scan(&form)
	return form, err
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// Ping says whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// Ready says whether the database takes what is written.
func (s *Store) Ready(ctx context.Context) error {
	var standby bool
	if err := s.pool.QueryRow(ctx, "SELECT pg_is_in_recovery()").Scan(&standby); err != nil {
		return err
	}
	if standby {
		return errors.New("it is a standby")
	}
	return nil
}

// Pool is how many connections there are, and are in use.
func (s *Store) Pool() struct{ Total, Busy int32 } {
	stat := s.pool.Stat()
	return struct{ Total, Busy int32 }{stat.TotalConns(), stat.AcquiredConns()}
}

// Summary is an office in a list.
type Summary struct {
	ID       int64
	Title    string
	Revision int64
	CopyOf   int64 // the office that it was started from; 0 for none
}

// CopyOf is the office that one was started from as a copy, and at which
// revision; 0 where it was not. [ErrNoOffice] where there is none.
func (s *Store) CopyOf(ctx context.Context, id int64) (of, at int64, err error) {
	err = s.pool.QueryRow(ctx, "SELECT COALESCE(copied_from, 0), COALESCE(copied_at, 0) FROM office WHERE id = $1", id).Scan(&of, &at)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNoOffice
	}
	return of, at, err
}

// OfficeName is how an office is called; [ErrNoOffice] where there is none.
func (s *Store) OfficeName(ctx context.Context, id int64) (name string, err error) {
	err = s.pool.QueryRow(ctx, "SELECT title FROM office WHERE id = $1", id).Scan(&name)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNoOffice
	}
	return name, err
}

// Offices lists the offices, the oldest first.
func (s *Store) Offices(ctx context.Context) ([]Summary, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, title, revision, COALESCE(copied_from, 0) FROM office ORDER BY id")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Summary])
}

// Note is what an edit says of itself.
type Note struct {
	Author  string
	Summary string
	Undoes  int64        // the revision that it takes back; 0 for none
	Turn    history.Turn // what it is to that one; an edit by itself where nothing is said
	// Token names the request, so that asked again it is not made again; ""
	// where it has none.
	Token string
	Asked []byte // what was asked for under it, as a digest; nil where that is not known
	// CopyOf and CopiedAt say, of a whole office, what it is a copy of; 0 for none.
	CopyOf, CopiedAt int64
}

// Import adds a whole office in one transaction, as its first edit.
func (s *Store) Import(ctx context.Context, o *office.Office, note Note) (id int64, err error) {
	draft := office.NewDraft(&office.Office{})
	draft.SetTitle(o.Title)
	if err := draft.PutAll(o); err != nil {
		return 0, err
	}
	_, edit := draft.Done()
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, "INSERT INTO office (title, copied_from, copied_at) VALUES ('', $1, $2) RETURNING id", null(note.CopyOf), null(note.CopiedAt)).Scan(&id); err != nil {
			return err
		}
		return commit(ctx, tx, base{id, 0}, edit, note)
	})
	return id, named(err)
}

// ErrNamed says that something was done already under the name of this request, by another
// that was quicker.
var ErrNamed = errors.New("this request was made already")

func named(err error) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23505" && (pg.ConstraintName == "edit_token" || pg.ConstraintName == "edit_started") {
		return ErrNamed
	}
	return err
}

// Commit makes an edit that was worked out on a revision, in one
// transaction, and gives the new revision. It tells every server on the
// database ([Store.Listen]). [ErrStale] where the office is no longer at it.
func (s *Store) Commit(ctx context.Context, id, on int64, edit office.Edit, note Note) (int64, error) {
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		return commit(ctx, tx, base{id, on}, edit, note)
	})
	if err != nil {
		return 0, named(err)
	}
	return on + 1, nil
}

// base is what an edit was worked out on: an office at a revision.
type base struct{ office, revision int64 }

func commit(ctx context.Context, tx pgx.Tx, on base, edit office.Edit, note Note) error {
	id, base := on.office, on.revision
	var rev int64
	err := tx.QueryRow(ctx, "SELECT revision FROM office WHERE id = $1 FOR UPDATE", id).Scan(&rev)
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNoOffice
	}
	if err != nil {
		return err
	}
	if rev != base {
		return ErrStale
	}
	one := &writer{office: id, batch: &pgx.Batch{}}
	for _, change := range edit {
		one.change(change)
	}
	one.queue("UPDATE office SET revision = $2 WHERE id = $1", id, base+1)
	one.batch.Queue(`INSERT INTO edit (office_id, revision, author, summary, turn, undoes, token, asked)
		VALUES (@office, @revision, @author, @summary, @turn, NULLIF(@undoes, 0), NULLIF(@token, ''), @asked)`, pgx.NamedArgs{
		"office": id, "revision": base + 1, "author": note.Author, "summary": note.Summary,
		"turn": cmp.Or(note.Turn, history.Edit), "undoes": note.Undoes, "token": note.Token, "asked": note.Asked,
	})
	for i, change := range edit {
		one.queue("INSERT INTO edit_change (office_id, revision, place, key, before, after, at_place) VALUES ($1, $2, $3, $4, $5, $6, $7)",
			id, base+1, i, string(change.Key()), text(change.Before), text(change.After), change.At)
	}
	one.queue("SELECT pg_notify('klammer', $1)", fmt.Sprintf("%d %d", id, base+1))
	return tx.SendBatch(ctx, one.batch).Close()
}

// text is a thing as a statement, null for none.
func text(thing office.Thing) any {
	if thing == nil {
		return nil
	}
	return notation.Thing(thing)
}

// Delete deletes an office with its history. It tells every server, with
// revision -1. [ErrNoOffice] where there is none.
func (s *Store) Delete(ctx context.Context, id int64) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM office WHERE id = $1", id)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrNoOffice
		}
		_, err = tx.Exec(ctx, "SELECT pg_notify('klammer', $1)", fmt.Sprintf("%d -1", id))
		return err
	})
}

// Tell passes a word of up to 8,000 bytes to every server on the database that
// listens; it is kept nowhere.
func (s *Store) Tell(ctx context.Context, word string) error {
	_, err := s.pool.Exec(ctx, "SELECT pg_notify('klammer_word', $1)", word)
	return err
}

// Listen calls f for every commit of any server on the database, and word for every
// [Store.Tell], until ctx ends or the connection does. Once it hears, it calls up: what
// became before that is not told.
func (s *Store) Listen(ctx context.Context, up func(), f func(id, revision int64), word func(string)) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "LISTEN klammer; LISTEN klammer_word"); err != nil {
		return err
	}
	up()
	for {
		notification, err := conn.Conn().WaitForNotification(ctx)
		if err != nil {
			return err
		}
		if notification.Channel == "klammer_word" {
			word(notification.Payload)
			continue
		}
		var id, rev int64
		if _, err := fmt.Sscan(notification.Payload, &id, &rev); err == nil {
			f(id, rev)
		}
	}
}
