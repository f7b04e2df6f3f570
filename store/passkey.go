package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"klammer/people"
)

// Passkey is what lets a person in without a password.
type Passkey struct {
	ID   int64
	Name string
	Data []byte // JSON: what is public of it
	At   time.Time
	Used *time.Time // nil for never
}

// ceremonyFor is how long a browser has to answer.
const ceremonyFor = 5 * time.Minute

// Ask keeps what was asked of a browser, and gives what the answer is known by.
func (s *Store) Ask(ctx context.Context, person int64, data []byte) (string, error) {
	secret, hash := people.Secret("")
	_, err := s.pool.Exec(ctx, `WITH old AS (DELETE FROM ceremony WHERE expires_at < now() OR hash IN (SELECT hash FROM ceremony ORDER BY expires_at DESC OFFSET 2000))
		INSERT INTO ceremony (hash, person_id, data, expires_at) VALUES (@hash, NULLIF(@person::bigint, 0), @data, now() + @ceremonyFor)`, pgx.NamedArgs{"hash": hash, "person": person, "data": data, "ceremonyFor": ceremonyFor})
	return secret, err
}

// Asked is what was asked of a browser, once; [ErrNobody] where nothing was, or it is too
// long ago.
func (s *Store) Asked(ctx context.Context, secret string, person int64) (data []byte, err error) {
	err = s.pool.QueryRow(ctx, "DELETE FROM ceremony WHERE hash = $1 AND expires_at > now() AND COALESCE(person_id, 0) = $2 RETURNING data", people.Hash(secret), person).Scan(&data)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNobody
	}
	return data, err
}

// Passkeys are those of a person.
func (s *Store) Passkeys(ctx context.Context, person int64) ([]Passkey, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, name, data, made_at, used_at FROM passkey WHERE person_id = $1 ORDER BY id", person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Passkey])
}

// mostPasskeys is how many a person may have.
const mostPasskeys = 20

// ErrPasskeys says that a person has as many as he may.
var ErrPasskeys = errors.New("too many passkeys")

// KeepPasskey keeps a new one.
func (s *Store) KeepPasskey(ctx context.Context, person int64, credential, data []byte, name string) error {
	tag, err := s.pool.Exec(ctx, `INSERT INTO passkey (person_id, credential, data, name)
		SELECT @person, @credential, @data, @name WHERE (SELECT count(*) FROM passkey WHERE person_id = @person) < @mostPasskeys`, pgx.NamedArgs{"person": person, "credential": credential, "data": data, "name": name, "mostPasskeys": mostPasskeys})
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrPasskeys
	}
	return err
}

// UsedPasskey notes that one was used, with what its device counted.
func (s *Store) UsedPasskey(ctx context.Context, credential, data []byte) error {
	_, err := s.pool.Exec(ctx, "UPDATE passkey SET data = $2, used_at = now() WHERE credential = $1", credential, data)
	return err
}

// ErrLastPasskey says that an account that passkeys alone open would have none.
var ErrLastPasskey = errors.New("the last passkey")

// DropPasskey forgets one of a person; false where he has none of that number. It is
// [ErrLastPasskey] where passkeys alone open the account, and this is the last.
func (s *Store) DropPasskey(ctx context.Context, person, id int64) (there bool, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var alone bool
		if err := tx.QueryRow(ctx, "SELECT passkeys_alone FROM person WHERE id = $1 FOR UPDATE", person).Scan(&alone); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "DELETE FROM passkey WHERE person_id = $1 AND id = $2", person, id)
		if there = err == nil && tag.RowsAffected() > 0; !there || !alone {
			return err
		}
		return keepsOne(ctx, tx, person)
	})
	return there && err == nil, err
}

// Alone says whether passkeys alone open the account of a person, or the password does,
// too. It is [ErrLastPasskey] where he has none.
func (s *Store) Alone(ctx context.Context, person int64, alone bool) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE person SET passkeys_alone = $2 WHERE id = $1", person, alone); err != nil || !alone {
			return err
		}
		return keepsOne(ctx, tx, person)
	})
}

func keepsOne(ctx context.Context, tx pgx.Tx, person int64) error {
	var n int
	err := tx.QueryRow(ctx, "SELECT count(*) FROM passkey WHERE person_id = $1", person).Scan(&n)
	if err == nil && n == 0 {
		err = ErrLastPasskey
	}
	return err
}

// PersonAt is the person of a number; nil for nobody.
func (s *Store) PersonAt(ctx context.Context, id int64) (*Person, error) {
	all, err := s.peopleWhere(ctx, "person.id = $1", id)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return all[0], nil
}
