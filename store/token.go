package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Token is what lets somebody who is not at a page report to an office.
type Token struct {
	ID      int64
	Office  int64
	Name    string
	Author  string
	At      time.Time
	Expires time.Time
	Used    *time.Time // nil for never
}

// TokenMark is what tokens begin with, so that they are found where they do not belong.
const TokenMark = "klammer_"

// ErrTokens says that an office has as many tokens as it may.
var ErrTokens = errors.New("too many tokens")

// mostTokens is how many an office may have, those that ended among them.
const mostTokens = 50

// MakeToken makes a token of 256 random bits for a time, and gives it: it is not kept.
func (s *Store) MakeToken(ctx context.Context, office int64, name, author string, lasts time.Duration) (string, error) {
	var b [32]byte
	if _, err := rand.Read(b[:]); err != nil {
		return "", err
	}
	token := TokenMark + base64.RawURLEncoding.EncodeToString(b[:])
	hash := sha256.Sum256([]byte(token))
	tag, err := s.pool.Exec(ctx, `INSERT INTO token (office_id, name, hash, scope, author, expires_at)
		SELECT $1, $2, $3, 'tests', $4, now() + $5 WHERE (SELECT count(*) FROM token WHERE office_id = $1) < $6`, office, name, hash[:], author, lasts, mostTokens)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrTokens
	}
	return token, err
}

// Tokens are those of an office, the newest first.
func (s *Store) Tokens(ctx context.Context, office int64) ([]Token, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, office_id, name, author, made_at, expires_at, used_at FROM token WHERE office_id = $1 ORDER BY id DESC", office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Token])
}

// UseToken is the token that was shown, and notes that it was used; nil for one that is
// not known.
func (s *Store) UseToken(ctx context.Context, token string) (*Token, error) {
	if !strings.HasPrefix(token, TokenMark) || len(token) > 100 {
		return nil, nil
	}
	hash := sha256.Sum256([]byte(token))
	rows, err := s.pool.Query(ctx, `UPDATE token SET used_at = CASE WHEN expires_at > now() THEN now() ELSE used_at END WHERE hash = $1
		RETURNING id, office_id, name, author, made_at, expires_at, used_at`, hash[:])
	if err != nil {
		return nil, err
	}
	t, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Token])
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return &t, err
}

// EndToken ends a token of an office; false where it has none of that number.
func (s *Store) EndToken(ctx context.Context, office, id int64) (bool, error) {
	tag, err := s.pool.Exec(ctx, "DELETE FROM token WHERE office_id = $1 AND id = $2", office, id)
	return err == nil && tag.RowsAffected() > 0, err
}
