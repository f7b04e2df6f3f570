package store

import (
	"context"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"
)

// mostRecipe is how many heads are remembered: the newest.
const mostRecipe = 500

// Recipe is what heads of files were taken for: the word for each head, in small letters.
func (s *Store) Recipe(ctx context.Context) (map[string]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT head, word FROM recipe")
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	var head, word string
	_, err = pgx.ForEachRow(rows, []any{&head, &word}, func() error {
		out[head] = word
		return nil
	})
	return out, err
}

// KeepRecipe remembers what heads were taken for; what is remembered of others stays, up to the
// newest 500.
func (s *Store) KeepRecipe(ctx context.Context, recipe map[string]string) error {
	if len(recipe) == 0 {
		return nil
	}
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		batch := &pgx.Batch{}
		for _, head := range slices.Sorted(maps.Keys(recipe)) { // in one order, so that two who keep some do not wait for each other
			word := recipe[head]
			batch.Queue("INSERT INTO recipe (head, word) VALUES ($1, $2) ON CONFLICT (head) DO UPDATE SET word = $2, made_at = now()", head, word)
		}
		batch.Queue("DELETE FROM recipe WHERE head NOT IN (SELECT head FROM recipe ORDER BY made_at DESC, head LIMIT $1)", mostRecipe)
		return tx.SendBatch(ctx, batch).Close()
	})
}
