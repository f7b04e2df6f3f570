package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
)

// Tick is a step of a sheet that somebody said is done.
type Tick struct {
	Step   string
	Author string
	At     time.Time
}

// Ticks lists the steps of a device's sheet that are ticked off, the oldest
// first.
func (s *Store) Ticks(ctx context.Context, id int64, device string) ([]Tick, error) {
	rows, err := s.pool.Query(ctx, "SELECT step, author, made_at FROM sheet_tick WHERE office_id = $1 AND device = $2 ORDER BY made_at, step", id, device)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Tick])
}

// SetTick ticks a step off, or takes the tick away. With step "" and off, all
// ticks of the device go: it is begun anew.
func (s *Store) SetTick(ctx context.Context, id int64, device string, tick Tick, on bool) error {
	var err error
	switch {
	case on:
		_, err = s.pool.Exec(ctx, "INSERT INTO sheet_tick (office_id, device, step, author) VALUES (@id, @device, @step, @author) ON CONFLICT DO NOTHING", pgx.NamedArgs{"id": id, "device": device, "step": tick.Step, "author": tick.Author})
	case tick.Step == "":
		_, err = s.pool.Exec(ctx, "DELETE FROM sheet_tick WHERE office_id = $1 AND device = $2", id, device)
	default:
		_, err = s.pool.Exec(ctx, "DELETE FROM sheet_tick WHERE office_id = @id AND device = @device AND step = @step", pgx.NamedArgs{"id": id, "device": device, "step": tick.Step})
	}
	return err
}

// Found is what a device was found to be set to.
type Found struct {
	ID     int64
	Ports  []string // names of ports, bundles and inner ports
	Shapes []string // in bracket notation, one a port
	VLANs  []int32  // that the device knows beside those of its ports
	How    string   // "typed in", "read from ports.csv"
	Author string
	At     time.Time

	Routing *found.Routing // how it routes; nil where nobody looked
}

// Kept is what was found, as core takes it.
func (f *Found) Kept() found.Kept {
	kept := found.Kept{Routing: f.Routing}
	for i, text := range f.Shapes {
		if shape, err := notation.ReadShape(text); err == nil {
			kept.Ports, kept.Shapes = append(kept.Ports, f.Ports[i]), append(kept.Shapes, shape)
		}
	}
	for _, v := range f.VLANs {
		kept.VLANs = append(kept.VLANs, office.VID(v))
	}
	return kept
}

// AddFound keeps what a device was found to be set to.
func (s *Store) AddFound(ctx context.Context, id int64, device string, one Found) error {
	return addFound(ctx, s.pool, id, device, one)
}

// addFound keeps it, alone or with what else is kept at once.
func addFound(ctx context.Context, db interface {
	Exec(ctx context.Context, sql string, arguments ...any) (pgconn.CommandTag, error)
}, id int64, device string, one Found,
) error {
	_, err := db.Exec(ctx, `INSERT INTO found (office_id, device, ports, shapes, vlans, routing, how, author)
		VALUES (@office, @device, COALESCE(@ports, '{}'::text[]), COALESCE(@shapes, '{}'::text[]), COALESCE(@vlans, '{}'::int[]), @routing, @how, @author)`, pgx.NamedArgs{
		"office": id, "device": device, "ports": one.Ports, "shapes": one.Shapes, "vlans": one.VLANs, "routing": one.Routing, "how": one.How, "author": one.Author,
	})
	return err
}

// FoundOf lists what a device was found to be set to, the newest first, at most
// max of them.
func (s *Store) FoundOf(ctx context.Context, id int64, device string, max int) ([]Found, error) {
	rows, err := s.pool.Query(
		ctx,
		"SELECT id, ports, shapes, vlans, how, author, made_at, routing FROM found WHERE office_id = @id AND device = @device ORDER BY id DESC LIMIT @max",
		pgx.NamedArgs{"id": id, "device": device, "max": max},
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Found])
}

// FoundNow is what each device was found to be set to last, by its name.
func (s *Store) FoundNow(ctx context.Context, id int64) (map[string]Found, error) {
	rows, err := s.pool.Query(
		ctx,
		"SELECT DISTINCT ON (device) device, id, ports, shapes, vlans, how, author, made_at, routing FROM found WHERE office_id = $1 ORDER BY device, id DESC",
		id,
	)
	if err != nil {
		return nil, err
	}
	out := map[string]Found{}
	var device string
	var one Found
	_, err = pgx.ForEachRow(rows, []any{&device, &one.ID, &one.Ports, &one.Shapes, &one.VLANs, &one.How, &one.Author, &one.At, &one.Routing}, func() error {
		out[device] = one
		one.Ports, one.Shapes, one.VLANs, one.Routing = nil, nil, nil, nil
		return nil
	})
	return out, err
}
