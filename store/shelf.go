package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Shelved is uses and port plans that lie on the shelf, at one revision.
type Shelved struct {
	Name     string
	Revision int
	Text     string // notation
	Note     string
	Source   string // the title of the office that it is from
	Author   string
	At       time.Time
}

// Follows says which revision of something on the shelf an office follows.
type Follows struct {
	Office   int64
	Title    string // of the office
	Name     string
	Revision int
	Because  string // why it departs
}

// ErrShelfFull says that there is too much on the shelf.
var ErrShelfFull = errors.New("the shelf has 200 things, which is as many as it takes: take something off it")

const mostShelved = 200

// Shelve puts something on the shelf, as the next revision of its name.
func (s *Store) Shelve(ctx context.Context, one Shelved) (revision int, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('klammer shelf'))"); err != nil {
			return err
		}
		var names int
		if err := tx.QueryRow(ctx, "SELECT count(DISTINCT name) FROM shelf WHERE name <> $1", one.Name).Scan(&names); err != nil {
			return err
		}
		if names >= mostShelved {
			return ErrShelfFull
		}
		return tx.QueryRow(ctx, `INSERT INTO shelf (name, revision, text, note, source, author)
			SELECT @name, COALESCE(max(revision), 0) + 1, @text, @note, @source, @author FROM shelf WHERE name = @name RETURNING revision`,
			pgx.NamedArgs{"name": one.Name, "text": one.Text, "note": one.Note, "source": one.Source, "author": one.Author}).Scan(&revision)
	})
	return revision, err
}

// Shelf is the newest revision of everything on it, by name.
func (s *Store) Shelf(ctx context.Context) ([]Shelved, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT ON (name) name, revision, text, note, source, author, made_at FROM shelf ORDER BY name, revision DESC")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Shelved])
}

// ShelvedAt is one revision of something; false where there is none.
func (s *Store) ShelvedAt(ctx context.Context, name string, revision int) (one Shelved, ok bool, err error) {
	rows, err := s.pool.Query(ctx, "SELECT name, revision, text, note, source, author, made_at FROM shelf WHERE name = $1 AND revision = $2", name, revision)
	if err != nil {
		return one, false, err
	}
	one, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Shelved])
	if errors.Is(err, pgx.ErrNoRows) {
		return one, false, nil
	}
	return one, err == nil, err
}

// Unshelve takes something off the shelf, with all its revisions; false where it is not there.
func (s *Store) Unshelve(ctx context.Context, name string) (bool, error) {
	tag, err := s.pool.Exec(ctx, "DELETE FROM shelf WHERE name = $1", name)
	return tag.RowsAffected() > 0, err
}

// Follow says that an office follows a revision, and why it departs where it does.
func (s *Store) Follow(ctx context.Context, one Follows, author string) error {
	_, err := s.pool.Exec(ctx, `INSERT INTO shelf_follow (office_id, name, revision, because, author) VALUES (@office, @name, @revision, @because, @author)
		ON CONFLICT (office_id, name) DO UPDATE SET revision = @revision, because = @because, author = @author, made_at = now()`,
		pgx.NamedArgs{"office": one.Office, "name": one.Name, "revision": one.Revision, "because": one.Because, "author": author})
	return err
}

// Unfollow says that an office follows something no more.
func (s *Store) Unfollow(ctx context.Context, office int64, name string) error {
	_, err := s.pool.Exec(ctx, "DELETE FROM shelf_follow WHERE office_id = $1 AND name = $2", office, name)
	return err
}

// Following is who follows what.
func (s *Store) Following(ctx context.Context) ([]Follows, error) {
	rows, err := s.pool.Query(ctx, "SELECT f.office_id, o.title, f.name, f.revision, f.because FROM shelf_follow f JOIN office o ON o.id = f.office_id ORDER BY o.title, o.id")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Follows])
}
