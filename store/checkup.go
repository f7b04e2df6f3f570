package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Checkup is how an office was on a day, as it was told.
type Checkup struct {
	ID     int64
	Told   []byte // JSON
	Author string
	At     time.Time
}

// mostCheckups is how many are kept of an office.
const mostCheckups = 60

// KeepCheckup keeps one; the oldest of many goes.
func (s *Store) KeepCheckup(ctx context.Context, office int64, told []byte, author string) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "INSERT INTO checkup (office_id, told, author) VALUES ($1, $2, $3)", office, told, author); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "DELETE FROM checkup WHERE office_id = $1 AND id NOT IN (SELECT id FROM checkup WHERE office_id = $1 ORDER BY id DESC LIMIT $2)", office, mostCheckups)
		return err
	})
}

// Checkups are those that are kept, the newest first.
func (s *Store) Checkups(ctx context.Context, office int64) ([]Checkup, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, told, author, made_at FROM checkup WHERE office_id = $1 ORDER BY id DESC LIMIT $2", office, mostCheckups)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Checkup])
}

// CheckEvery is after how many days an office is checked by itself; 0 for never.
func (s *Store) CheckEvery(ctx context.Context, office int64) (days int, err error) {
	err = s.pool.QueryRow(ctx, "SELECT check_every FROM office WHERE id = $1", office).Scan(&days)
	return days, err
}

// SetCheckEvery says after how many days; the first is as many from now.
func (s *Store) SetCheckEvery(ctx context.Context, office int64, days int) error {
	_, err := s.pool.Exec(ctx, "UPDATE office SET check_every = $2, check_at = now() WHERE id = $1", office, days)
	return err
}

// DueCheckups lists the offices that are to be checked now; of several servers one gets each.
func (s *Store) DueCheckups(ctx context.Context) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `UPDATE office SET check_at = now() WHERE check_every > 0 AND check_at <= now() - make_interval(days => check_every) RETURNING id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
