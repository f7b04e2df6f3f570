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
	Evening  *int64 // the order that the evening began with; nil where it is that
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
func (s *Store) AddOrder(ctx context.Context, office int64, kept Order) (id int64, err error) {
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
		return tx.QueryRow(ctx, `INSERT INTO work_order (office_id, revision, way, as_is, goal, told, author, evening)
			VALUES (@office, @revision, @way, @asis, @goal, @told, @author, @evening) RETURNING id`, pgx.NamedArgs{
			"office": office, "revision": kept.Revision, "way": kept.Way, "asis": kept.AsIs, "goal": kept.Goal, "told": kept.Told, "author": kept.Author, "evening": kept.Evening,
		}).Scan(&id)
	})
	return id, err
}

// OrderNow is the newest order of an office with its ticks, in order; nil where
// there never was one.
func (s *Store) OrderNow(ctx context.Context, office int64) (*Order, []OrderTick, error) {
	kept, err := s.order(ctx, "WHERE office_id = $1 ORDER BY id DESC LIMIT 1", office)
	if kept == nil || err != nil {
		return nil, nil, err
	}
	rows, err := s.pool.Query(ctx, "SELECT step, author, made_at FROM order_tick WHERE order_id = $1 ORDER BY step", kept.ID)
	if err != nil {
		return nil, nil, err
	}
	ticks, err := pgx.CollectRows(rows, pgx.RowToStructByPos[OrderTick])
	return kept, ticks, err
}

func (s *Store) order(ctx context.Context, where string, args ...any) (*Order, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, revision, way, as_is, goal, told, author, made_at, ended_at, evening FROM work_order "+where, args...)
	if err != nil {
		return nil, err
	}
	kept, err := pgx.CollectExactlyOneRow(rows, pgx.RowToAddrOfStructByPos[Order])
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return kept, err
}

// Order is one order of an office, nil where it has none of that number.
func (s *Store) Order(ctx context.Context, office, id int64) (*Order, error) {
	return s.order(ctx, "WHERE office_id = $1 AND id = $2", office, id)
}

// OrderSaid is what was said of a step: that it is done, or is not after all, that the
// device refused it, or that no answer came.
type OrderSaid struct {
	Order    int64
	Step     int
	Said     string // done, undone, refused, silent
	Words    string // what the device said
	ByDevice bool   // the device did it itself
	Author   string
	At       time.Time
}

// SayOrder keeps what was said of a step. Where another order was made meanwhile it is
// [order.ErrMoved].
func (s *Store) SayOrder(ctx context.Context, office int64, said OrderSaid) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var open bool
		err := tx.QueryRow(ctx, "SELECT ended_at IS NULL FROM work_order WHERE id = $1 AND office_id = $2 FOR UPDATE", said.Order, office).Scan(&open)
		if errors.Is(err, pgx.ErrNoRows) || err == nil && !open {
			return order.ErrMoved
		}
		if err != nil {
			return err
		}
		return say(ctx, tx, said)
	})
}

// timeOrNull is a time that was said; the zero one is now.
func timeOrNull(at time.Time) *time.Time {
	if at.IsZero() {
		return nil
	}
	return &at
}

func say(ctx context.Context, tx pgx.Tx, said OrderSaid) error {
	_, err := tx.Exec(ctx, "INSERT INTO order_said (order_id, step, said, words, by_device, author, said_at) VALUES (@order, @step, @said, @words, @byDevice, @author, COALESCE(@at, now()))", pgx.NamedArgs{"order": said.Order, "step": said.Step, "said": said.Said, "words": said.Words, "byDevice": said.ByDevice, "author": said.Author, "at": timeOrNull(said.At)})
	return err
}

const saidColumns = "order_id, step, said, words, by_device, author, said_at"

// OrderSaidOf is the steps of an order that were refused or not answered, the newest last.
func (s *Store) OrderSaidOf(ctx context.Context, id int64) ([]OrderSaid, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+saidColumns+" FROM order_said WHERE order_id = $1 AND said IN ('refused', 'silent') ORDER BY id LIMIT $2", id, MostSaid)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[OrderSaid])
}

// MostSaid is how much of what was said is given at once: the newest.
const MostSaid = 2000

// OrdersSaid is what was said of the steps of an office's orders, the newest last, and the
// orders that it is about by their numbers.
func (s *Store) OrdersSaid(ctx context.Context, office int64) (said []OrderSaid, orders map[int64]*Order, err error) {
	rows, err := s.pool.Query(ctx, `SELECT `+saidColumns+` FROM (
		SELECT s.* FROM order_said s JOIN work_order w ON w.id = s.order_id WHERE w.office_id = $1 ORDER BY s.id DESC LIMIT $2) newest ORDER BY id`, office, MostSaid)
	if err != nil {
		return nil, nil, err
	}
	if said, err = pgx.CollectRows(rows, pgx.RowToStructByPos[OrderSaid]); err != nil {
		return nil, nil, err
	}
	orders = map[int64]*Order{}
	for _, one := range said {
		if orders[one.Order] == nil {
			if orders[one.Order], err = s.Order(ctx, office, one.Order); err != nil {
				return nil, nil, err
			}
		}
	}
	return said, orders, nil
}

// TickOrder ticks the next step of an order off, or takes the last tick away, and
// keeps what a device is then set to, in one transaction. Said is done or undone. Two people at once: the
// second is told by [order.ErrMoved].
func (s *Store) TickOrder(ctx context.Context, office int64, said OrderSaid, device string, found *Found) error {
	on := said.Said == "done"
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var open bool
		var done int
		err := tx.QueryRow(ctx, "SELECT ended_at IS NULL FROM work_order WHERE id = $1 AND office_id = $2 FOR UPDATE", said.Order, office).Scan(&open)
		if errors.Is(err, pgx.ErrNoRows) || err == nil && !open {
			return order.ErrMoved
		}
		if err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM order_tick WHERE order_id = $1", said.Order).Scan(&done); err != nil {
			return err
		}
		if on && said.Step != done || !on && said.Step != done-1 {
			return fmt.Errorf("%w: %d steps are done", order.ErrMoved, done)
		}
		if on {
			_, err = tx.Exec(ctx, "INSERT INTO order_tick (order_id, step, author, made_at) VALUES (@order, @step, @author, COALESCE(@at, now()))", pgx.NamedArgs{"order": said.Order, "step": said.Step, "author": said.Author, "at": timeOrNull(said.At)})
		} else {
			_, err = tx.Exec(ctx, "DELETE FROM order_tick WHERE order_id = $1 AND step = $2", said.Order, said.Step)
		}
		if err != nil {
			return err
		}
		if err := say(ctx, tx, said); err != nil || found == nil {
			return err
		}
		return addFound(ctx, tx, office, device, *found)
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
		tag, err := tx.Exec(ctx, `INSERT INTO carrying AS c (office_id, holder) SELECT office_id, @holder FROM work_order WHERE id = @id AND office_id = @office AND ended_at IS NULL
			ON CONFLICT (office_id) DO UPDATE SET holder = @holder, beat = now() WHERE c.holder = @holder OR c.beat < now() - @heldFor::interval`, pgx.NamedArgs{"office": office, "holder": holder, "heldFor": heldFor, "id": id})
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
