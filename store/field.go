package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Credential is what devices are read with, as it may be shown.
type Credential struct {
	Name   string
	About  []byte // JSON: what is no secret
	Author string
	At     time.Time
}

// Credentials lists those of an office, by name.
func (s *Store) Credentials(ctx context.Context, office int64) ([]Credential, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, about, author, made_at FROM credentials WHERE office_id = $1 ORDER BY name", office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Credential])
}

// PutCredential keeps one, sealed with the key of an id.
func (s *Store) PutCredential(ctx context.Context, office int64, credential Credential, sealed []byte, key string) error {
	_, err := s.pool.Exec(ctx, `INSERT INTO credentials (office_id, name, about, sealed, key_id, author) VALUES (@office, @name, @about, @sealed, @key, @author)
		ON CONFLICT (office_id, name) DO UPDATE SET about = @about, sealed = @sealed, key_id = @key, author = @author, made_at = now()`, pgx.NamedArgs{"office": office, "name": credential.Name, "about": credential.About, "sealed": sealed, "key": key, "author": credential.Author})
	return err
}

// Sealed is a credential as it was sealed; nil where there is none.
func (s *Store) Sealed(ctx context.Context, office int64, name string) (sealed []byte, key string, err error) {
	err = s.pool.QueryRow(ctx, "SELECT sealed, key_id FROM credentials WHERE office_id = $1 AND name = $2", office, name).Scan(&sealed, &key)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, "", nil
	}
	return sealed, key, err
}

// Reseal seals all credentials, and what signs webhooks (notice/ID by name), anew, in one transaction: of those that the old key has
// sealed; it gives how many.
func (s *Store) Reseal(ctx context.Context, old, next string, again func(office int64, name string, sealed []byte) ([]byte, error)) (n int, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		type one struct {
			Office int64
			Name   string
			Sealed []byte
		}
		rows, err := tx.Query(ctx, "SELECT office_id, name, sealed FROM credentials WHERE key_id = $1 FOR UPDATE", old)
		if err != nil {
			return err
		}
		all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[one])
		if err != nil {
			return err
		}
		for _, other := range all {
			sealed, err := again(other.Office, other.Name, other.Sealed)
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "UPDATE credentials SET sealed = @sealed, key_id = @next WHERE office_id = @office AND name = @name", pgx.NamedArgs{"office": other.Office, "name": other.Name, "sealed": sealed, "next": next}); err != nil {
				return err
			}
		}
		n = len(all)
		if rows, err = tx.Query(ctx, "SELECT office_id, 'notice/' || id, sealed FROM notice_to WHERE key_id = $1 FOR UPDATE", old); err != nil {
			return err
		}
		if all, err = pgx.CollectRows(rows, pgx.RowToStructByPos[one]); err != nil {
			return err
		}
		for _, other := range all {
			sealed, err := again(other.Office, other.Name, other.Sealed)
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "UPDATE notice_to SET sealed = @sealed, key_id = @next WHERE 'notice/' || id = @name", pgx.NamedArgs{"name": other.Name, "sealed": sealed, "next": next}); err != nil {
				return err
			}
		}
		n += len(all)
		return nil
	})
	return n, err
}

// DropCredential forgets one.
func (s *Store) DropCredential(ctx context.Context, office int64, name string) error {
	_, err := s.pool.Exec(ctx, "DELETE FROM credentials WHERE office_id = $1 AND name = $2", office, name)
	return err
}

// Reading is what a device told last; or why it told nothing, with what it told
// before that.
type Reading struct {
	Device string
	Source string
	Told   []byte // JSON; nil where it never told anything
	Why    string
	At     time.Time
}

// Card is a network card at a port.
type Card struct {
	Device, Port string
	VID          int32
	MAC          string
	Since, Seen  time.Time
}

// Readings is what each device told last, by its name.
func (s *Store) Readings(ctx context.Context, office int64) ([]Reading, error) {
	rows, err := s.pool.Query(ctx, "SELECT device, source, told, why, made_at FROM reading WHERE office_id = $1 ORDER BY device", office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Reading])
}

// Cards is where network cards are, and since when.
func (s *Store) Cards(ctx context.Context, office int64) ([]Card, error) {
	rows, err := s.pool.Query(ctx, "SELECT device, port, vid, mac::text, since, seen_at FROM learnt WHERE office_id = $1 ORDER BY device, port, vid, mac", office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Card])
}

// Learnt is what a reading brings with it.
type Learnt struct {
	Found *Found   // what the device is set to; nil where that is not new
	Cards []Card   // where network cards are now
	Drift []string // what differs from before, not by a work order
}

// KeepReading keeps what a device told, or why it did not, in one transaction, with what was
// learnt from it. Cards that stay keep since when they are there.
func (s *Store) KeepReading(ctx context.Context, office int64, reading Reading, learnt Learnt) error {
	found, cards, drift := learnt.Found, learnt.Cards, learnt.Drift
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `INSERT INTO reading (office_id, device, source, told, why) VALUES (@office, @device, @source, @told, @why)
			ON CONFLICT (office_id, device) DO UPDATE SET source = @source, told = COALESCE(@told, reading.told), why = @why, made_at = now()`,
			pgx.NamedArgs{"office": office, "device": reading.Device, "source": reading.Source, "told": reading.Told, "why": reading.Why})
		if err != nil || reading.Told == nil {
			return err
		}
		if found != nil {
			if err := addFound(ctx, tx, office, reading.Device, *found); err != nil {
				return err
			}
		}
		ports, vids, macs := make([]string, len(cards)), make([]int32, len(cards)), make([]string, len(cards))
		for i, card := range cards {
			ports[i], vids[i], macs[i] = card.Port, card.VID, card.MAC
		}
		if _, err := tx.Exec(ctx, `DELETE FROM learnt WHERE office_id = @office AND device = @device AND NOT EXISTS
			(SELECT 1 FROM unnest(@ports::text[], @vids::int[], @macs::macaddr[]) AS c (port, vid, mac) WHERE c.port = learnt.port AND c.vid = learnt.vid AND c.mac = learnt.mac)`,
			pgx.NamedArgs{"office": office, "device": reading.Device, "ports": ports, "vids": vids, "macs": macs}); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO learnt (office_id, device, port, vid, mac)
			SELECT DISTINCT @office::bigint, @device, c.port, c.vid, c.mac FROM unnest(@ports::text[], @vids::int[], @macs::macaddr[]) AS c (port, vid, mac)
			ON CONFLICT (office_id, device, port, vid, mac) DO UPDATE SET seen_at = now()`, pgx.NamedArgs{"office": office, "device": reading.Device, "ports": ports, "vids": vids, "macs": macs}); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "INSERT INTO drift (office_id, device, said) SELECT @office, @device, unnest(@drift::text[])", pgx.NamedArgs{"office": office, "device": reading.Device, "drift": drift})
		return err
	})
}

// Drift is a port that was found otherwise than before, not by a work order.
type Drift struct {
	Device string
	Said   string
	At     time.Time
}

// Drifts lists what drifted, the newest first.
func (s *Store) Drifts(ctx context.Context, office int64, most int) ([]Drift, error) {
	rows, err := s.pool.Query(ctx, "SELECT device, said, made_at FROM drift WHERE office_id = $1 ORDER BY id DESC LIMIT $2", office, most)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Drift])
}

// ReadEvery is after how many minutes devices are read by themselves; 0 for never.
func (s *Store) ReadEvery(ctx context.Context, office int64) (minutes int, err error) {
	err = s.pool.QueryRow(ctx, "SELECT read_every FROM office WHERE id = $1", office).Scan(&minutes)
	return minutes, err
}

// SetReadEvery says after how many minutes devices are read by themselves.
func (s *Store) SetReadEvery(ctx context.Context, office int64, minutes int) error {
	_, err := s.pool.Exec(ctx, "UPDATE office SET read_every = $2 WHERE id = $1", office, minutes)
	return err
}

// Due lists the offices whose devices are to be read now: those of which the last
// reading is older than they say. Of several servers one gets each: the turn is taken
// with the asking.
func (s *Store) Due(ctx context.Context) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `UPDATE office SET read_at = now() WHERE read_every > 0 AND read_at <= now() - make_interval(mins => read_every) RETURNING id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
