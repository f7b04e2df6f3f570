package store

import (
	"context"
	"net/netip"
	"time"

	"github.com/jackc/pgx/v5"
)

// PlugTest is what became of a plug test.
type PlugTest struct {
	Port     string
	Wire     int // the VLAN ID that was tagged with; 0 for untagged
	Became   string
	Given    *netip.Addr
	Instead  []string // nil where it is not known
	Wrong    []string
	Note     string
	How      string // "hand", "played", "measured"
	Planned  string // what was to be seen there
	Revision int64
	Author   string
	At       time.Time
	Tried    []string // how what was tried across devices that route ended; nil where not known
	Parts    []string // how each of what was to be tried ended, as a person ticked it; nil where he did not
	Lease    []byte   // JSON of what a laptop was given besides its address; nil where not known
}

// PlugTests are the newest results of an office, one by port and wire, and one that was played
// there besides; those taken back are left out.
func (s *Store) PlugTests(ctx context.Context, office int64) ([]PlugTest, error) {
	rows, err := s.pool.Query(ctx, `SELECT port, wire, became, given, instead, wrong, note, how, planned, revision, author, made_at, tried, parts, lease FROM (
		SELECT DISTINCT ON (port, wire, played) * FROM (SELECT *, how = 'played' AS played FROM plug_test WHERE office_id = $1) AS kept ORDER BY port, wire, played, id DESC) AS newest
		WHERE became <> 'open' ORDER BY id`, office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[PlugTest])
}

// mostOfAPlace is how many results of one place are kept.
const mostOfAPlace = 20

// KeepPlugTests keeps results, in one transaction; the oldest of a place go.
func (s *Store) KeepPlugTests(ctx context.Context, office int64, all []PlugTest) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		batch := &pgx.Batch{}
		for _, test := range all {
			if test.Wrong == nil {
				test.Wrong = []string{}
			}
			batch.Queue(`INSERT INTO plug_test (office_id, port, wire, became, given, instead, wrong, note, how, planned, revision, author, tried, parts, lease)
				VALUES (@office, @port, @wire, @became, @given, @instead, @wrong, @note, @how, @planned, @revision, @author, @tried, @parts, @lease)`, pgx.NamedArgs{
				"office": office, "port": test.Port, "wire": test.Wire, "became": test.Became, "given": test.Given, "instead": test.Instead, "wrong": test.Wrong,
				"note": test.Note, "how": test.How, "planned": test.Planned, "revision": test.Revision, "author": test.Author, "tried": test.Tried, "parts": test.Parts, "lease": test.Lease,
			})
			batch.Queue(`DELETE FROM plug_test WHERE office_id = $1 AND port = $2 AND wire = $3 AND (how = 'played') = $5 AND id NOT IN (
				SELECT id FROM plug_test WHERE office_id = $1 AND port = $2 AND wire = $3 AND (how = 'played') = $5 ORDER BY id DESC LIMIT $4)`, office, test.Port, test.Wire, mostOfAPlace, test.How == "played")
		}
		return tx.SendBatch(ctx, batch).Close()
	})
}
