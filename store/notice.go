package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// NoticeTo is somebody, or something, that hears of an office.
type NoticeTo struct {
	ID      int64
	Office  int64
	Person  *int64 // whose it is; nil where there are no accounts
	Way     string
	Target  string
	Sealed  []byte // what signs a webhook
	Key     *string
	Kinds   []string
	Daily   bool
	Author  string
	At      time.Time
	Waiting int        // how much is not taken yet
	Failed  string     // why the last try failed; "" where it did not
	Sent    *time.Time // of the newest thing that was taken
}

const noticeToColumns = `id, office_id, person_id, way, target, sealed, key_id, kinds, daily, author, made_at,
	(SELECT count(*) FROM notice n WHERE n.to_id = notice_to.id AND n.ended IS NULL),
	COALESCE((SELECT failed FROM notice n WHERE n.to_id = notice_to.id ORDER BY n.id DESC LIMIT 1), ''),
	(SELECT max(at) FROM notice n WHERE n.to_id = notice_to.id AND n.ended = 'sent')`

// ErrManyNotices says that a person has as many as he may.
var ErrManyNotices = errors.New("that are as many as one person may have in an office: remove one first")

// mostNotices is how many one person has in an office.
const mostNotices = 20

// AddNoticeTo keeps one; its number is known before it is sealed for that.
func (s *Store) AddNoticeTo(ctx context.Context, to NoticeTo, seal func(id int64) (sealed []byte, key string, err error)) (id int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM notice_to WHERE office_id = $1 AND person_id IS NOT DISTINCT FROM $2", to.Office, to.Person).Scan(&n); err != nil {
			return err
		}
		if n >= mostNotices {
			return ErrManyNotices
		}
		if err := tx.QueryRow(ctx, `INSERT INTO notice_to (office_id, person_id, way, target, kinds, daily, author)
			VALUES (@office, @person, @way, @target, @kinds, @daily, @author) RETURNING id`,
			pgx.NamedArgs{"office": to.Office, "person": to.Person, "way": to.Way, "target": to.Target, "kinds": to.Kinds, "daily": to.Daily, "author": to.Author}).Scan(&id); err != nil {
			return err
		}
		sealed, key, err := seal(id)
		if err != nil || sealed == nil {
			return err
		}
		_, err = tx.Exec(ctx, "UPDATE notice_to SET sealed = @sealed, key_id = @key WHERE id = @id", pgx.NamedArgs{"sealed": sealed, "key": key, "id": id})
		return err
	})
	return id, err
}

// NoticesTo are those of an office, or of one person there.
func (s *Store) NoticesTo(ctx context.Context, office int64, person *int64) ([]NoticeTo, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+noticeToColumns+" FROM notice_to WHERE office_id = @office AND (@person::bigint IS NULL OR person_id = @person) ORDER BY id",
		pgx.NamedArgs{"office": office, "person": person})
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[NoticeTo])
}

// DropNoticeTo forgets one, with what waits for it; of one person alone, where one
// is named; false where there is none.
func (s *Store) DropNoticeTo(ctx context.Context, office, id int64, person *int64) (bool, error) {
	tag, err := s.pool.Exec(ctx, "DELETE FROM notice_to WHERE office_id = @office AND id = @id AND (@person::bigint IS NULL OR person_id = @person)",
		pgx.NamedArgs{"office": office, "id": id, "person": person})
	return tag.RowsAffected() > 0, err
}

// Notify puts down what is to be sent: to all of an office who hear that kind, once a day to
// those who want it so, at that hour; office 0 is all of them, and each target once.
func (s *Store) Notify(ctx context.Context, office int64, kind, said string, hour int) (n int64, err error) {
	tag, err := s.pool.Exec(ctx, `INSERT INTO notice (to_id, kind, said, next_at)
		SELECT DISTINCT ON (CASE @office::bigint WHEN 0 THEN way || ' ' || target ELSE id::text END) id, @kind, @said,
			CASE WHEN daily THEN date_trunc('day', now()) + make_interval(hours => @hour::int) + CASE WHEN extract(hour FROM now()) >= @hour::int THEN interval '1 day' ELSE interval '0' END ELSE now() END
		FROM notice_to WHERE (@office::bigint = 0 OR office_id = @office) AND @kind = ANY (kinds) ORDER BY CASE @office::bigint WHEN 0 THEN way || ' ' || target ELSE id::text END, id`,
		pgx.NamedArgs{"office": office, "kind": kind, "said": said, "hour": hour})
	return tag.RowsAffected(), err
}

// NotifyOne puts down what is to be sent to one alone.
func (s *Store) NotifyOne(ctx context.Context, to int64, kind, said string) error {
	_, err := s.pool.Exec(ctx, "INSERT INTO notice (to_id, kind, said) VALUES ($1, $2, $3)", to, kind, said)
	return err
}

// Notice is a thing that is to be sent.
type Notice struct {
	ID    int64
	To    int64
	Kind  string
	Said  string
	At    time.Time
	Tries int
}

// mostAtOnce is how much is sent to one in one message.
const mostAtOnce = 200

// DueNotices takes what is to be sent now to one target, and holds it for a while: nobody else
// sends it meanwhile, and where who holds it is gone somebody does afterwards. Nothing where
// nothing is due.
func (s *Store) DueNotices(ctx context.Context, hold time.Duration) (to *NoticeTo, title string, due []Notice, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `WITH one AS (SELECT to_id FROM notice WHERE ended IS NULL AND next_at <= now() ORDER BY next_at, id LIMIT 1 FOR UPDATE SKIP LOCKED),
			batch AS (SELECT id FROM notice WHERE to_id = (SELECT to_id FROM one) AND ended IS NULL AND next_at <= now() ORDER BY id LIMIT @most FOR UPDATE SKIP LOCKED)
			UPDATE notice SET next_at = now() + @hold::interval, tries = tries + 1 WHERE id IN (SELECT id FROM batch) RETURNING id, to_id, kind, said, at, tries`,
			pgx.NamedArgs{"most": mostAtOnce, "hold": hold})
		if err != nil {
			return err
		}
		if due, err = pgx.CollectRows(rows, pgx.RowToStructByPos[Notice]); err != nil || len(due) == 0 {
			return err
		}
		rows, err = tx.Query(ctx, "SELECT "+noticeToColumns+" FROM notice_to WHERE id = $1", due[0].To)
		if err != nil {
			return err
		}
		one, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[NoticeTo])
		if err != nil {
			return err
		}
		to = &one
		return tx.QueryRow(ctx, "SELECT title FROM office WHERE id = $1", one.Office).Scan(&title)
	})
	return to, title, due, err
}

// NoticesSent says that things were taken; what was long ago is forgotten.
func (s *Store) NoticesSent(ctx context.Context, ids []int64) error {
	_, err := s.pool.Exec(ctx, "WITH old AS (DELETE FROM notice WHERE ended IS NOT NULL AND at < now() - interval '30 days') UPDATE notice SET ended = 'sent', failed = '' WHERE id = ANY ($1)", ids)
	return err
}

// NoticesFailed says why things were not taken, and after how long they are tried again; those
// that happened longer ago than that are given up.
func (s *Store) NoticesFailed(ctx context.Context, ids []int64, why string, after, giveUp time.Duration) error {
	_, err := s.pool.Exec(ctx, `UPDATE notice SET failed = @why, next_at = now() + @after::interval,
		ended = CASE WHEN at < now() - @giveUp::interval THEN 'given up' END WHERE id = ANY (@ids)`,
		pgx.NamedArgs{"ids": ids, "why": why, "after": after, "giveUp": giveUp})
	return err
}
