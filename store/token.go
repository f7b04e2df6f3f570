package store

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"klammer/people"
)

// Token is what lets somebody who is not at a page report to an office.
type Token struct {
	ID      int64
	Office  int64
	Name    string
	Author  string
	At      time.Time
	Expires time.Time
	Used    *time.Time  // nil for never
	Role    people.Role // what it may in its office; Nobody: it reports tests alone
	Person  int64       // whose role it may not exceed; 0 for nobody's
}

// Ended says whether its time is over.
func (t *Token) Ended() bool { return !t.Expires.After(time.Now()) }

// TokenMark is what tokens begin with, so that they are found where they do not belong.
const TokenMark = "klammer_"

// ErrTokens says that an office has as many tokens as it may.
var ErrTokens = errors.New("too many tokens")

// mostTokens is how many an office may have, those that ended among them.
const mostTokens = 50

// MakeToken makes a token for a time, and gives its secret, which is not kept. Of what it is
// to be its office, name, author, role and person are said.
func (s *Store) MakeToken(ctx context.Context, made Token, lasts time.Duration) (string, error) {
	token, hash := people.Secret(TokenMark)
	tag, err := s.pool.Exec(ctx, `INSERT INTO token (office_id, name, hash, scope, author, person_id, expires_at)
		SELECT @office, @name, @hash, @role, @author, NULLIF(@person::bigint, 0), now() + @lasts WHERE (SELECT count(*) FROM token WHERE office_id = @office) < @mostTokens`, pgx.NamedArgs{"office": made.Office, "name": made.Name, "hash": hash, "role": Scope(made.Role), "author": made.Author, "person": made.Person, "lasts": lasts, "mostTokens": mostTokens})
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrTokens
	}
	return token, err
}

// Scope is what a token is for: a role, or "tests".
func Scope(role people.Role) string {
	if role == people.Nobody {
		return "tests"
	}
	return role.String()
}

const tokenColumns = "id, office_id, name, author, made_at, expires_at, used_at, scope, COALESCE(person_id, 0)"

// tokenFrom reads a row of [tokenColumns].
func tokenFrom(row pgx.CollectableRow) (token Token, err error) {
	var scope string
	if err = row.Scan(&token.ID, &token.Office, &token.Name, &token.Author, &token.At, &token.Expires, &token.Used, &scope, &token.Person); err == nil && scope != "tests" {
		token.Role, err = people.RoleOf(scope)
	}
	return token, err
}

// Tokens are those of an office, the newest first.
func (s *Store) Tokens(ctx context.Context, office int64) ([]Token, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+tokenColumns+" FROM token WHERE office_id = $1 ORDER BY id DESC", office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, tokenFrom)
}

// UseToken is the token that was shown, and whose role it may not exceed, nil for
// nobody's; it notes that it was used. It is nil for one that is not known.
func (s *Store) UseToken(ctx context.Context, token string) (*Token, *Person, error) {
	if !strings.HasPrefix(token, TokenMark) || len(token) > 100 {
		return nil, nil, nil
	}
	rows, err := s.pool.Query(ctx, `UPDATE token SET used_at = CASE WHEN expires_at > now() THEN now() ELSE used_at END WHERE hash = $1
		RETURNING `+tokenColumns, people.Hash(token))
	if err != nil {
		return nil, nil, err
	}
	one, err := pgx.CollectExactlyOneRow(rows, tokenFrom)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil, nil
	}
	if err != nil || one.Person == 0 {
		return &one, nil, err
	}
	all, err := s.peopleWhere(ctx, "person.id = $1", one.Person)
	if err != nil || len(all) == 0 {
		return nil, nil, err
	}
	return &one, all[0], nil
}

// EndToken ends a token of an office; false where it has none of that number.
func (s *Store) EndToken(ctx context.Context, office, id int64) (bool, error) {
	tag, err := s.pool.Exec(ctx, "DELETE FROM token WHERE office_id = $1 AND id = $2", office, id)
	return err == nil && tag.RowsAffected() > 0, err
}
