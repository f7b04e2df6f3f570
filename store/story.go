package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Happened is what happened to an office beside its edits.
type Happened struct {
	Kind   string   // "order", "step", "found", "proof"
	Who    string   // "" where a device was found so by itself
	Device string   // "" where it is of all
	Port   string   // device.port of a plug test; "" else
	Text   string   // in words
	Lines  []string // of a step: what it sets, as statements
	At     time.Time
}

// Happened lists orders that were made, what was said of their steps, what drifted and what was
// proved, from a time on and before another, the newest first, at most so many.
func (s *Store) Happened(ctx context.Context, office int64, from, before time.Time, most int) ([]Happened, error) {
	rows, err := s.pool.Query(ctx, `
		SELECT kind, who, device, port, text, lines, at FROM (
			SELECT 'order' AS kind, author AS who, '' AS device, '' AS port, CASE way WHEN 'there' THEN 'An order to revision ' || revision ELSE 'An order back from revision ' || revision END || ': ' || COALESCE(told->>'told', '') AS text,
				ARRAY[]::text[] AS lines, made_at AS at, id FROM work_order WHERE office_id = @office
			UNION ALL
			SELECT 'step', s.author, COALESCE(w.told->'steps'->s.step->>'device', ''), '',
				CASE s.said WHEN 'done' THEN '' WHEN 'undone' THEN 'Not done after all: ' WHEN 'refused' THEN 'Refused: ' ELSE 'No answer: ' END
					|| COALESCE(w.told->'steps'->s.step->>'text', 'step ' || s.step + 1) || CASE s.words WHEN '' THEN '' ELSE ' (' || s.words || ')' END,
				ARRAY(SELECT jsonb_array_elements_text(COALESCE(w.told->'steps'->s.step->'lines', '[]'))), s.said_at, s.id
				FROM order_said s JOIN work_order w ON w.id = s.order_id WHERE w.office_id = @office
			UNION ALL
			SELECT 'found', '', device, '', said || ', not by a work order', ARRAY[]::text[], made_at, id FROM drift WHERE office_id = @office
			UNION ALL
			SELECT 'proof', author, split_part(port, '.', 1), port,
				CASE became WHEN 'passed' THEN 'Proved: ' WHEN 'failed' THEN 'Not as planned: ' ELSE 'Open again: ' END || replace(port, '.', ' ')
					|| CASE wire WHEN 0 THEN ' untagged' ELSE ' tagged ' || wire END || CASE how WHEN 'hand' THEN ', by hand' WHEN 'played' THEN ', played on stand-ins' ELSE ', measured' END,
				ARRAY[]::text[], made_at, id FROM plug_test WHERE office_id = @office
		) AS all_of_it WHERE at >= @from AND at < @before ORDER BY at DESC, id DESC LIMIT @most`,
		pgx.NamedArgs{"office": office, "from": from, "before": before, "most": most})
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Happened])
}

// ErrRevisionNamed says that another revision is called so.
var ErrRevisionNamed = errors.New("another revision is called so: choose another name")

// NameRevision calls a revision something; "" takes its name away. The error is
// [ErrRevisionNamed] where another one is called so.
func (s *Store) NameRevision(ctx context.Context, office, revision int64, name, author string) error {
	if name == "" {
		_, err := s.pool.Exec(ctx, "DELETE FROM revision_name WHERE office_id = $1 AND revision = $2", office, revision)
		return err
	}
	_, err := s.pool.Exec(ctx, `INSERT INTO revision_name (office_id, revision, name, author) VALUES (@office, @revision, @name, @author)
		ON CONFLICT (office_id, revision) DO UPDATE SET name = @name, author = @author, made_at = now()`,
		pgx.NamedArgs{"office": office, "revision": revision, "name": name, "author": author})
	var broken *pgconn.PgError
	if errors.As(err, &broken) && broken.ConstraintName == "revision_name_office_id_name_key" {
		return fmt.Errorf("%w", ErrRevisionNamed)
	}
	return err
}

// RevisionNames are what revisions of an office are called.
func (s *Store) RevisionNames(ctx context.Context, office int64) (map[int64]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT revision, name FROM revision_name WHERE office_id = $1", office)
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	var revision int64
	var name string
	_, err = pgx.ForEachRow(rows, []any{&revision, &name}, func() error {
		out[revision] = name
		return nil
	})
	return out, err
}

// Authors are those who edited an office, or carried an order out, by name.
func (s *Store) Authors(ctx context.Context, office int64) ([]string, error) {
	rows, err := s.pool.Query(ctx, `SELECT author FROM edit WHERE office_id = $1 UNION SELECT author FROM work_order WHERE office_id = $1
		UNION SELECT author FROM plug_test WHERE office_id = $1 ORDER BY 1 LIMIT 500`, office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
