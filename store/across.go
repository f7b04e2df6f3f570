package store

import (
	"context"
	"regexp"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Hit is something of an office that a text was found in.
type Hit struct {
	Office int64
	Title  string // the office's
	What   string // as it stands there
	Device string // where it is; "" for a VLAN
	Port   string // "" for a device or a VLAN
	VID    int    // of a VLAN; 0 for none
}

// likeSigns mean something in a pattern of LIKE.
var likeSigns = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

// cardText is a network card's address, or its beginning, in any way of writing.
var cardText = regexp.MustCompile(`(?i)^[0-9a-f]{2}(?:[:.-]?[0-9a-f]{2}){2,5}$`)

// Search looks in some offices for a text: in names of devices, of what hangs at ports and of VLANs, in
// notes, wall sockets, places, models and serial numbers, in addresses and cards. No office is loaded
// for it; at most as many hits are given as are said, by office, what begins with it first.
func (s *Store) Search(ctx context.Context, offices []int64, text string, most int) ([]Hit, error) {
	card := ""
	if cardText.MatchString(text) {
		card = strings.ToLower(strings.NewReplacer(":", "", ".", "", "-", "").Replace(text)) + "%"
	}
	rows, err := s.pool.Query(ctx, `
		WITH hit (office_id, what, device, port, vid) AS (
			SELECT office_id, name, name, '', 0 FROM device WHERE office_id = ANY (@offices) AND name ILIKE @like
			UNION ALL
			SELECT d.office_id, f.value, d.name, '', 0 FROM device d, jsonb_each_text(d.facts) f
				WHERE d.office_id = ANY (@offices) AND d.facts <> '{}' AND f.value ILIKE @like
			UNION ALL
			SELECT d.office_id, f.value, d.name, p.name, 0 FROM device d JOIN port p ON p.device_id = d.id, jsonb_each_text(p.facts) f
				WHERE d.office_id = ANY (@offices) AND p.facts <> '{}' AND f.value ILIKE @like
			UNION ALL
			SELECT g.office_id, f.value, d.name, p.name, 0
				FROM plug g JOIN port p ON p.id = g.port_id JOIN device d ON d.id = p.device_id,
				LATERAL (SELECT g.name UNION ALL SELECT host(g.own_addr) UNION ALL SELECT g.own_mac::text UNION ALL SELECT value FROM jsonb_each_text(g.facts)) f (value)
				WHERE g.office_id = ANY (@offices) AND (f.value ILIKE @like OR f.value = g.own_mac::text AND replace(f.value, ':', '') LIKE @card)
			UNION ALL
			SELECT v.office_id, f.value, '', '', v.vid FROM vlan v, LATERAL (VALUES (v.name), (v.note)) f (value)
				WHERE v.office_id = ANY (@offices) AND f.value ILIKE @like
		)
		SELECT o.id, o.title, what, device, port, vid FROM hit JOIN office o ON o.id = hit.office_id
		ORDER BY NOT what ILIKE @begins, o.title, o.id, device, length(port), port, what LIMIT @most`,
		pgx.NamedArgs{"offices": offices, "like": "%" + likeSigns.Replace(text) + "%", "begins": likeSigns.Replace(text) + "%", "card": card, "most": most})
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Hit])
}

// Standing is the newest check-up of an office.
type Standing struct {
	Office int64
	At     time.Time
	Told   []byte // JSON
}

// Standings are the newest check-ups of some offices, by office; one that was never checked has none.
func (s *Store) Standings(ctx context.Context, offices []int64) (map[int64]Standing, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT ON (office_id) office_id, made_at, told FROM checkup WHERE office_id = ANY ($1) ORDER BY office_id, id DESC", offices)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Standing])
	if err != nil {
		return nil, err
	}
	out := map[int64]Standing{}
	for _, one := range list {
		out[one.Office] = one
	}
	return out, nil
}
