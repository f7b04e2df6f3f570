package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"klammer/core/order"
)

// Order is a work order as it is kept.
type Order struct {
	ID       int64
	Revision int64  // of the plan that it leads to, or came from
	Way      string // "there", or "back"
	AsIs     string // in notation
	Goal     string // in notation
	Told     []byte // JSON, as it is shown
	Author   string
	At       time.Time
	Ended    *time.Time
}

// OrderTick is a step that somebody said is done.
type OrderTick struct {
	Step   int
	Author string
	At     time.Time
}

// ErrHeld says that devices of an office are being set just now.
var ErrHeld = errors.New("a visit is being carried out just now")

// AddOrder keeps an order; the one before it ends. While a step of that is being carried
// out it is [ErrHeld]: what a device is then set to would be lost.
func (s *Store) AddOrder(ctx context.Context, office int64, o Order) (id int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT 1 FROM office WHERE id = $1 FOR UPDATE", office); err != nil {
			return err
		}
		var held bool
		if err := tx.QueryRow(ctx, isHeld, office, heldFor).Scan(&held); err != nil {
			return err
		}
		if held {
			return ErrHeld
		}
		if _, err := tx.Exec(ctx, "UPDATE work_order SET ended_at = now() WHERE office_id = $1 AND ended_at IS NULL", office); err != nil {
			return err
		}
		return tx.QueryRow(ctx, `INSERT INTO work_order (office_id, revision, way, as_is, goal, told, author)
			VALUES (@office, @revision, @way, @asis, @goal, @told, @author) RETURNING id`, pgx.NamedArgs{
			"office": office, "revision": o.Revision, "way": o.Way, "asis": o.AsIs, "goal": o.Goal, "told": o.Told, "author": o.Author,
		}).Scan(&id)
	})
	return id, err
}

// OrderNow is the newest order of an office with its ticks, in order; nil where
// there never was one.
func (s *Store) OrderNow(ctx context.Context, office int64) (*Order, []OrderTick, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, revision, way, as_is, goal, told, author, made_at, ended_at FROM work_order WHERE office_id = $1 ORDER BY id DESC LIMIT 1", office)
	if err != nil {
		return nil, nil, err
	}
	o, err := pgx.CollectExactlyOneRow(rows, pgx.RowToAddrOfStructByPos[Order])
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	rows, err = s.pool.Query(ctx, "SELECT step, author, made_at FROM order_tick WHERE order_id = $1 ORDER BY step", o.ID)
	if err != nil {
		return nil, nil, err
	}
	ticks, err := pgx.CollectRows(rows, pgx.RowToStructByPos[OrderTick])
	return o, ticks, err
}

// TickOrder ticks the next step of an order off, or takes the last tick away, and
// keeps what a device is then set to, in one transaction. Two people at once: the
// second is told by [order.ErrMoved].
func (s *Store) TickOrder(ctx context.Context, office, id int64, step int, author string, on bool, device string, f *Found) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var open bool
		var done int
		err := tx.QueryRow(ctx, "SELECT ended_at IS NULL FROM work_order WHERE id = $1 AND office_id = $2 FOR UPDATE", id, office).Scan(&open)
		if errors.Is(err, pgx.ErrNoRows) || err == nil && !open {
			return order.ErrMoved
		}
		if err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM order_tick WHERE order_id = $1", id).Scan(&done); err != nil {
			return err
		}
		if on && step != done || !on && step != done-1 {
			return fmt.Errorf("%w: %d steps are done", order.ErrMoved, done)
		}
		if on {
			_, err = tx.Exec(ctx, "INSERT INTO order_tick (order_id, step, author) VALUES ($1, $2, $3)", id, step, author)
		} else {
			_, err = tx.Exec(ctx, "DELETE FROM order_tick WHERE order_id = $1 AND step = $2", id, step)
		}
		if err != nil || f == nil {
			return err
		}
		_, err = tx.Exec(ctx, `INSERT INTO found (office_id, device, ports, shapes, vlans, how, author)
			VALUES (@office, @device, @ports, @shapes, @vlans, @how, @author)`, pgx.NamedArgs{
			"office": office, "device": device, "ports": f.Ports, "shapes": f.Shapes, "vlans": f.VLANs, "how": f.How, "author": f.Author,
		})
		return err
	})
}

// heldFor is how long somebody has the devices of an office without a word: who was killed does
// not keep them.
const heldFor = 20 * time.Second

// Hold takes the devices of an office, for a server that is to set them by an order: one at a
// time does, of all servers on the database. False where another has them, or where the order
// is not the office's newest any more.
func (s *Store) Hold(ctx context.Context, office, id int64, holder string) (held bool, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT 1 FROM office WHERE id = $1 FOR UPDATE", office); err != nil { // as who makes another order does
			return err
		}
		tag, err := tx.Exec(ctx, `INSERT INTO carrying AS c (office_id, holder) SELECT office_id, $2 FROM work_order WHERE id = $4 AND office_id = $1 AND ended_at IS NULL
			ON CONFLICT (office_id) DO UPDATE SET holder = $2, beat = now() WHERE c.holder = $2 OR c.beat < now() - $3::interval`, office, holder, heldFor, id)
		held = err == nil && tag.RowsAffected() > 0
		return err
	})
	return held, err
}

// isHeld asks whether somebody has the devices of an office.
const isHeld = "SELECT EXISTS (SELECT FROM carrying WHERE office_id = $1 AND beat >= now() - $2::interval)"

// Keep says that a holder has the devices still; false where he was silent for too long, and
// another took them.
func (s *Store) Keep(ctx context.Context, office int64, holder string) (bool, error) {
	tag, err := s.pool.Exec(ctx, "UPDATE carrying SET beat = now() WHERE office_id = $1 AND holder = $2", office, holder)
	return err == nil && tag.RowsAffected() > 0, err
}

// Held says whether somebody has the devices of an office just now.
func (s *Store) Held(ctx context.Context, office int64) (is bool, err error) {
	err = s.pool.QueryRow(ctx, isHeld, office, heldFor).Scan(&is)
	return is, err
}

// LetGo gives the devices back.
func (s *Store) LetGo(ctx context.Context, office int64, holder string) error {
	_, err := s.pool.Exec(ctx, "DELETE FROM carrying WHERE office_id = $1 AND holder = $2", office, holder)
	return err
}
