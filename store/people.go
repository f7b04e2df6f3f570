package store

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"klammer/people"
)

// Person is somebody who may come in.
type Person struct {
	ID          int64
	Name        string
	HasPassword bool
	Alone       bool // passkeys alone open the account
	At          time.Time
	Everywhere  people.Role           // in every office
	In          map[int64]people.Role // by office, beside that
}

// Role is what somebody may do with an office; 0 asks for what he may everywhere.
func (p *Person) Role(office int64) people.Role { return p.Everywhere.Or(p.In[office]) }

// Session is somebody who is in.
type Session struct {
	ID      int64
	Person  int64
	About   string // what it is told by: a browser
	At      time.Time
	Seen    time.Time
	Expires time.Time
}

// Times of sessions and invitations.
const (
	SessionIdle  = 12 * time.Hour
	SessionMost  = 7 * 24 * time.Hour
	InvitedFor   = 24 * time.Hour
	FirstLinkFor = 30 * time.Minute
)

// ErrNameTaken says that somebody is called so already.
var ErrNameTaken = errors.New("somebody is called so already")

// ErrLastKeeper says that nobody would be left who may everything.
var ErrLastKeeper = errors.New("nobody would be left who keeps all offices")

// ErrNobody says that there is no such person, session or invitation.
var ErrNobody = errors.New("nobody there")

// Anybody says whether there is an account.
func (s *Store) Anybody(ctx context.Context) (is bool, err error) {
	err = s.pool.QueryRow(ctx, "SELECT EXISTS (SELECT FROM person)").Scan(&is)
	return is, err
}

// People lists everybody, by name.
func (s *Store) People(ctx context.Context) ([]*Person, error) {
	return s.peopleWhere(ctx, "true")
}

func (s *Store) peopleWhere(ctx context.Context, where string, args ...any) ([]*Person, error) {
	rows, err := s.pool.Query(ctx, `SELECT person.id, name, password IS NOT NULL, passkeys_alone, made_at, COALESCE(office_id, 0), COALESCE(role, 0)
		FROM person LEFT JOIN membership ON person_id = person.id WHERE `+where+" ORDER BY lower(name), person.id", args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []*Person
	for rows.Next() {
		person := Person{In: map[int64]people.Role{}}
		var office int64
		var role int
		if err := rows.Scan(&person.ID, &person.Name, &person.HasPassword, &person.Alone, &person.At, &office, &role); err != nil {
			return nil, err
		}
		if len(out) == 0 || out[len(out)-1].ID != person.ID {
			out = append(out, &person)
		}
		if last := out[len(out)-1]; office == 0 {
			last.Everywhere = people.Role(role)
		} else {
			last.In[office] = people.Role(role)
		}
	}
	return out, rows.Err()
}

// PersonOf is who has a name, and the hash of his password; nil for nobody.
func (s *Store) PersonOf(ctx context.Context, name string) (person *Person, hash string, err error) {
	all, err := s.peopleWhere(ctx, "lower(name) = lower($1)", name)
	if err != nil || len(all) == 0 {
		return nil, "", err
	}
	err = s.pool.QueryRow(ctx, "SELECT COALESCE(password, '') FROM person WHERE id = $1", all[0].ID).Scan(&hash)
	return all[0], hash, err
}

// Invite makes an invitation, and gives its secret: of a person, or, for 0, the first one,
// which holds while there is nobody; those before that end.
func (s *Store) Invite(ctx context.Context, office int64, role people.Role, author string, person int64) (string, error) {
	secret, hash := people.Secret("")
	lasts := InvitedFor
	if person == 0 {
		lasts = FirstLinkFor
		if _, err := s.pool.Exec(ctx, "DELETE FROM invitation WHERE first"); err != nil {
			return "", err
		}
	}
	_, err := s.pool.Exec(ctx, `WITH old AS (DELETE FROM invitation WHERE expires_at < now())
		INSERT INTO invitation (hash, office_id, role, first, author, author_id, expires_at) VALUES ($1, NULLIF($2::bigint, 0), $3, $4, $5, NULLIF($6::bigint, 0), now() + $7)`, hash, office, int(role), person == 0, author, person, lasts)
	return secret, err
}

// holds is when an invitation lets somebody in: in its time, the first one while there is
// nobody, and any other as long as who gave it may give it.
const holds = `expires_at > now() AND (first AND NOT EXISTS (SELECT FROM person) OR EXISTS (SELECT FROM membership m
	WHERE m.person_id = invitation.author_id AND m.role = 4 AND (m.office_id IS NULL OR m.office_id = invitation.office_id)))`

// Invitation is one that is open: it lets somebody make an account.
type Invitation struct {
	ID      int64
	Office  int64 // 0 for all
	Title   string
	Role    people.Role
	Author  string
	At      time.Time
	Expires time.Time
}

// Invitations are those that are open: to an office, or, for 0, all that there are.
func (s *Store) Invitations(ctx context.Context, office int64) ([]Invitation, error) {
	rows, err := s.pool.Query(ctx, `SELECT id, COALESCE(office_id, 0), COALESCE((SELECT title FROM office WHERE office.id = office_id), ''), role, author, made_at, expires_at
		FROM invitation WHERE NOT first AND `+holds+` AND ($1 = 0 OR office_id = $1) ORDER BY id DESC`, office)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (invitation Invitation, err error) {
		var role int
		err = row.Scan(&invitation.ID, &invitation.Office, &invitation.Title, &role, &invitation.Author, &invitation.At, &invitation.Expires)
		invitation.Role = people.Role(role)
		return invitation, err
	})
}

// Withdraw ends an invitation, to an office, or, for 0, any; false where there is none of that
// number.
func (s *Store) Withdraw(ctx context.Context, office, id int64) (bool, error) {
	tag, err := s.pool.Exec(ctx, "DELETE FROM invitation WHERE id = $2 AND ($1 = 0 OR office_id = $1)", office, id)
	return err == nil && tag.RowsAffected() > 0, err
}

// Invited is what an invitation is for; [ErrNobody] where it was used, or ended.
func (s *Store) Invited(ctx context.Context, secret string) (office int64, role people.Role, author string, err error) {
	var r int
	err = s.pool.QueryRow(ctx, `SELECT COALESCE(office_id, 0), role, author FROM invitation
		WHERE hash = $1 AND `+holds, people.Hash(secret)).Scan(&office, &r, &author)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNobody
	}
	return office, people.Role(r), author, err
}

// Join makes an account by an invitation, which ends.
func (s *Store) Join(ctx context.Context, secret, name, hash string) (person int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var office *int64
		var role int
		err := tx.QueryRow(ctx, `DELETE FROM invitation WHERE hash = $1 AND `+holds+`
			RETURNING office_id, role`, people.Hash(secret)).Scan(&office, &role)
		if errors.Is(err, pgx.ErrNoRows) {
			return ErrNobody
		}
		if err != nil {
			return err
		}
		err = tx.QueryRow(ctx, "INSERT INTO person (name, password) VALUES ($1, $2) RETURNING id", name, hash).Scan(&person)
		if taken(err) {
			return ErrNameTaken
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "INSERT INTO membership (person_id, office_id, role) VALUES (@person, @office, @role)", pgx.NamedArgs{"person": person, "office": office, "role": role})
		return err
	})
	return person, err
}

// taken says that a value is somebody else's already (SQLSTATE 23505).
func taken(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// SetRole gives a person, whose name it tells, a role in an office, 0 for all; Nobody takes it away. Who has
// none left stays, and may nothing. His sessions end, so that nothing goes on that he may
// no longer.
func (s *Store) SetRole(ctx context.Context, person, office int64, role people.Role) (name string, ended []int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if err := inTurn(ctx, tx); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, "SELECT name FROM person WHERE id = $1 FOR UPDATE", person).Scan(&name); errors.Is(err, pgx.ErrNoRows) {
			return ErrNobody
		} else if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM membership WHERE person_id = $1 AND office_id IS NOT DISTINCT FROM NULLIF($2::bigint, 0)", person, office); err != nil {
			return err
		}
		if role != people.Nobody {
			if _, err := tx.Exec(ctx, "INSERT INTO membership (person_id, office_id, role) VALUES (@person, NULLIF(@office::bigint, 0), @role)", pgx.NamedArgs{"person": person, "office": office, "role": int(role)}); err != nil {
				return err
			}
		}
		if err := keeperLeft(ctx, tx); err != nil {
			return err
		}
		ended, err = endSessions(ctx, tx, person, 0)
		return err
	})
	return name, ended, err
}

// Give gives a person a role in an office, beside what he has.
func (s *Store) Give(ctx context.Context, person, office int64, role people.Role) error {
	_, err := s.pool.Exec(ctx, `INSERT INTO membership (person_id, office_id, role) VALUES (@person, @office, @role)
		ON CONFLICT (person_id, office_id) DO UPDATE SET role = @role`, pgx.NamedArgs{"person": person, "office": office, "role": int(role)})
	return err
}

// inTurn has changes of who may what wait for each other, so that two do not take the last
// keeper away, nor stand in each other's way.
func inTurn(ctx context.Context, tx pgx.Tx) error {
	_, err := tx.Exec(ctx, "LOCK TABLE membership IN SHARE ROW EXCLUSIVE MODE")
	return err
}

// keeperLeft says whether somebody keeps all offices.
func keeperLeft(ctx context.Context, tx pgx.Tx) error {
	var left bool
	err := tx.QueryRow(ctx, "SELECT EXISTS (SELECT FROM membership WHERE office_id IS NULL AND role = $1)", int(people.Keeper)).Scan(&left)
	if err == nil && !left {
		err = ErrLastKeeper
	}
	return err
}

func endSessions(ctx context.Context, tx pgx.Tx, person, but int64) ([]int64, error) {
	rows, err := tx.Query(ctx, "DELETE FROM session WHERE person_id = $1 AND id <> $2 RETURNING id", person, but)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// Remove removes a person, whose name it tells; what he made stays.
func (s *Store) Remove(ctx context.Context, person int64) (name string, ended []int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if err := inTurn(ctx, tx); err != nil {
			return err
		}
		if ended, err = endSessions(ctx, tx, person, 0); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, "DELETE FROM person WHERE id = $1 RETURNING name", person).Scan(&name)
		if errors.Is(err, pgx.ErrNoRows) {
			return ErrNobody
		}
		if err != nil {
			return err
		}
		return keeperLeft(ctx, tx)
	})
	return name, ended, err
}

// SetPassword changes a password, and ends the person's sessions but one.
func (s *Store) SetPassword(ctx context.Context, person int64, hash string, but int64) (ended []int64, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE person SET password = $2 WHERE id = $1", person, hash); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM known_browser WHERE person_id = $1", person); err != nil {
			return err
		}
		ended, err = endSessions(ctx, tx, person, but)
		return err
	})
	return ended, err
}

// Begin begins a session, and gives its secret.
func (s *Store) Begin(ctx context.Context, person int64, about string) (string, error) {
	secret, hash := people.Secret("")
	_, err := s.pool.Exec(ctx, `WITH old AS (DELETE FROM session WHERE expires_at < now() OR seen_at < now() - @sessionIdle::interval)
		INSERT INTO session (person_id, hash, about, expires_at) VALUES (@person, @hash, @about, now() + @sessionMost)`, pgx.NamedArgs{"person": person, "hash": hash, "about": about, "sessionMost": SessionMost, "sessionIdle": SessionIdle})
	return secret, err
}

// Who is whose session a secret is, and notes that he was here, to the minute; nil for
// nobody's, or one that ended.
func (s *Store) Who(ctx context.Context, secret string) (*Person, *Session, error) {
	if len(secret) > 100 {
		return nil, nil, nil
	}
	var session Session
	err := s.pool.QueryRow(ctx, `SELECT id, person_id, about, made_at, seen_at, expires_at FROM session
		WHERE hash = $1 AND expires_at > now() AND seen_at > now() - $2::interval`, people.Hash(secret), SessionIdle).Scan(&session.ID, &session.Person, &session.About, &session.At, &session.Seen, &session.Expires)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	if time.Since(session.Seen) > time.Minute {
		if _, err := s.pool.Exec(ctx, "UPDATE session SET seen_at = now() WHERE id = $1", session.ID); err != nil {
			return nil, nil, err
		}
	}
	all, err := s.peopleWhere(ctx, "person.id = $1", session.Person)
	if err != nil || len(all) == 0 {
		return nil, nil, err
	}
	return all[0], &session, nil
}

// Sessions are those of a person that did not end, the newest first.
func (s *Store) Sessions(ctx context.Context, person int64) ([]Session, error) {
	rows, err := s.pool.Query(ctx, `SELECT id, person_id, about, made_at, seen_at, expires_at FROM session
		WHERE person_id = $1 AND expires_at > now() AND seen_at > now() - $2::interval ORDER BY id DESC`, person, SessionIdle)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Session])
}

// Over says which of some sessions, and of some tokens, ended.
func (s *Store) Over(ctx context.Context, sessions, tokens []int64) (noSessions, noTokens []int64, err error) {
	err = s.pool.QueryRow(ctx, `SELECT
		ARRAY(SELECT unnest(@sessions::bigint[]) EXCEPT SELECT id FROM session WHERE id = ANY (@sessions) AND expires_at > now() AND seen_at > now() - @sessionIdle::interval),
		ARRAY(SELECT unnest(@tokens::bigint[]) EXCEPT SELECT id FROM token WHERE id = ANY (@tokens) AND expires_at > now() AND (person_id IS NULL
			OR EXISTS (SELECT FROM membership m WHERE m.person_id = token.person_id AND (m.office_id IS NULL OR m.office_id = token.office_id))))`,
		pgx.NamedArgs{"sessions": sessions, "tokens": tokens, "sessionIdle": SessionIdle}).Scan(&noSessions, &noTokens)
	return noSessions, noTokens, err
}

// End ends sessions of a person: one, or all but one where id is 0.
func (s *Store) End(ctx context.Context, person, id, but int64) ([]int64, error) {
	rows, err := s.pool.Query(ctx, "DELETE FROM session WHERE person_id = @person AND (id = @id OR @id = 0 AND id <> @but) RETURNING id", pgx.NamedArgs{"person": person, "id": id, "but": but})
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// Wait is how long a sign-in has to wait by its keys: an account, an address.
func (s *Store) Wait(ctx context.Context, keys ...string) (wait time.Duration, err error) {
	var until *time.Time
	var now time.Time
	err = s.pool.QueryRow(ctx, "SELECT max(until), now() FROM sign_in_wait WHERE key = ANY ($1)", keys).Scan(&until, &now)
	if err == nil && until != nil {
		wait = max(0, until.Sub(now))
	}
	return wait, err
}

// Failed notes a sign-in that failed. The first few cost nothing, then each doubles the
// wait, to a quarter of an hour; what is a day old is forgotten.
func (s *Store) Failed(ctx context.Context, free int, keys ...string) error {
	for _, key := range keys {
		_, err := s.pool.Exec(ctx, `INSERT INTO sign_in_wait AS w (key, failures, last_at, until) VALUES ($1, 1, now(), now())
			ON CONFLICT (key) DO UPDATE SET last_at = now(),
				failures = CASE WHEN w.last_at < now() - interval '1 day' THEN 1 ELSE w.failures + 1 END,
				until = now() + CASE WHEN w.last_at < now() - interval '1 day' OR w.failures + 1 < $2 THEN interval '0' ELSE least(interval '15 minutes', interval '1 second' * 2 ^ least(w.failures + 1 - $2, 12)) END`, key, free)
		if err != nil {
			return err
		}
	}
	_, err := s.pool.Exec(ctx, "DELETE FROM sign_in_wait WHERE last_at < now() - interval '2 days'")
	return err
}

// Entered forgets what failed before.
func (s *Store) Entered(ctx context.Context, keys ...string) error {
	_, err := s.pool.Exec(ctx, "DELETE FROM sign_in_wait WHERE key = ANY ($1)", keys)
	return err
}

// Entry is a line of the record.
type Entry struct {
	ID      int64
	At      time.Time
	Who     string
	What    string
	Office  *int64
	About   string
	Address string
}

// Record writes a line of the record; its number and time are made here, and office 0 is none.
func (s *Store) Record(ctx context.Context, line Entry) error {
	_, err := s.pool.Exec(ctx, "INSERT INTO record (who, what, office_id, about, address) VALUES (@who, @what, NULLIF(@office::bigint, 0), @about, @address)", pgx.NamedArgs{"who": line.Who, "what": line.What, "office": line.Office, "about": line.About, "address": line.Address})
	return err
}

// Recorded is the newest lines before one, 0 for the end: of an office, or, for 0, all.
func (s *Store) Recorded(ctx context.Context, office, before int64, most int) ([]Entry, error) {
	rows, err := s.pool.Query(ctx, `SELECT id, at, who, what, office_id, about, address FROM record
		WHERE (@office = 0 OR office_id = @office) AND (@before = 0 OR id < @before) ORDER BY id DESC LIMIT @most`, pgx.NamedArgs{"office": office, "before": before, "most": most})
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Entry])
}

// mostBrowsers is how many browsers of a person are known.
const mostBrowsers = 20

// Knows is whether a secret is that of a browser with which somebody signed in before: of a
// person, or, for 0, of anybody; 0 for none.
func (s *Store) Knows(ctx context.Context, secret string, person int64) (id int64, err error) {
	if secret == "" || len(secret) > 100 {
		return 0, nil
	}
	err = s.pool.QueryRow(ctx, "SELECT id FROM known_browser WHERE hash = $1 AND ($2 = 0 OR person_id = $2)", people.Hash(secret), person).Scan(&id)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return id, err
}

// Know makes a browser known, with which a person signed in, and gives its secret.
func (s *Store) Know(ctx context.Context, person int64) (string, error) {
	secret, hash := people.Secret("")
	_, err := s.pool.Exec(ctx, `WITH old AS (DELETE FROM known_browser WHERE person_id = @person AND id NOT IN (SELECT id FROM known_browser WHERE person_id = @person ORDER BY seen_at DESC LIMIT @mostBrowsers))
		INSERT INTO known_browser (person_id, hash) VALUES (@person, @hash)`, pgx.NamedArgs{"person": person, "hash": hash, "mostBrowsers": mostBrowsers - 1})
	return secret, err
}

// Seen notes that somebody signed in with a browser that is known.
func (s *Store) Seen(ctx context.Context, browser int64) error {
	_, err := s.pool.Exec(ctx, "UPDATE known_browser SET seen_at = now() WHERE id = $1", browser)
	return err
}

// TokensOf are the tokens that a person made and that open something still, with the titles of
// their offices.
func (s *Store) TokensOf(ctx context.Context, person int64) ([]string, error) {
	rows, err := s.pool.Query(ctx, `SELECT token.name || ' (' || COALESCE(NULLIF(title, ''), 'office ' || office.id) || ')' FROM token JOIN office ON office.id = office_id
		WHERE person_id = $1 AND expires_at > now() ORDER BY token.id`, person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
