package server

import (
	"fmt"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

// UndoRequest takes one edit back; to redo is to take the undoing back.
type UndoRequest struct {
	Revision int64 `json:"revision" required:"true" minimum:"1"`
}

func (s *Server) undo(c fiber.Ctx) error {
	var q UndoRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	v, err := r.undoEdit(c, name, q.Revision)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// HistoryEntry is one edit that was made.
type HistoryEntry struct {
	Revision int64     `json:"revision" required:"true"`
	Author   string    `json:"author" required:"true"`
	At       time.Time `json:"at" required:"true"`
	Summary  string    `json:"summary" required:"true"`
	Undoes   int64     `json:"undoes" required:"true" description:"the edit that it takes back, 0 for none"`
	UndoneBy int64     `json:"undoneBy" required:"true" description:"the edit that took it back, 0 for none"`
}

type historyQuery struct {
	Since  int64 `query:"since" description:"only edits after this revision"`
	Before int64 `query:"before" description:"only edits before this revision: the page before"`
}

func (s *Server) history(c fiber.Ctx) error {
	since, err := intQuery(c, "since", 0)
	if err != nil {
		return err
	}
	before, err := intQuery(c, "before", 0)
	if err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	all, err := s.store.HistoryPage(c.Context(), r.id, since, before, 100)
	if err != nil {
		return err
	}
	out := []HistoryEntry{}
	for _, m := range all {
		out = append(out, HistoryEntry{m.Revision, m.Author, m.At, m.Summary, m.Undoes, m.UndoneBy})
	}
	return c.JSON(out)
}

// unmake works an edit back on an office: the office without it, and the edit
// that leads there.
func unmake(o *office.Office, m *store.Made) (*office.Office, office.Edit, error) {
	var e office.Edit
	for i := len(m.Changes) - 1; i >= 0; i-- {
		c := office.Change{At: m.Changes[i].At}
		var err error
		for _, side := range []struct {
			text string
			to   *office.Thing
		}{{m.Changes[i].After, &c.Before}, {m.Changes[i].Before, &c.After}} {
			if side.text == "" {
				continue
			}
			if *side.to, err = notation.ReadThing(o, side.text); err != nil {
				return nil, nil, &conflict{fmt.Sprintf("edit %d cannot be taken back: %s", m.Revision, err)}
			}
		}
		e = append(e, c)
		if o, err = office.Apply(o, office.Edit{c}); err != nil {
			return nil, nil, &conflict{fmt.Sprintf("edit %d cannot be taken back: %s", m.Revision, err)}
		}
	}
	return o, e, nil
}

// undoEdit takes back an edit that nothing later touches.
func (r *room) undoEdit(c fiber.Ctx, author string, revision int64) (*OfficeView, error) {
	all, err := r.store.History(c.Context(), r.id, revision-1, 1001)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 || all[len(all)-1].Revision != revision {
		return nil, bad("revision", "there is no edit %d to take back", revision)
	}
	m := all[len(all)-1]
	if m.UndoneBy != 0 {
		return nil, &conflict{fmt.Sprintf("edit %d was taken back already", revision)}
	}
	return r.edit(c.Context(), author, revision, revision, func(n *span.Net) (*planned, error) {
		o, e, err := unmake(n.Office, &m)
		if err != nil {
			return nil, err
		}
		word := "undo: "
		if m.Undoes != 0 {
			word = "redo: "
		}
		return &planned{o, e, cut(word + trimWord(m.Summary)), nil}, nil
	})
}

// trimWord takes "undo: " or "redo: " off, so that they do not pile up.
func trimWord(s string) string {
	for _, p := range []string{"undo: ", "redo: "} {
		if len(s) > len(p) && s[:len(p)] == p {
			return s[len(p):]
		}
	}
	return s
}

// past is the office as it was at a revision, and the edit that leads there
// from now, which is at another.
func past(c fiber.Ctx, st *store.Store, id int64, now *office.Office, revision, at int64) (*office.Office, office.Edit, error) {
	if revision < 1 || revision > at {
		return nil, nil, bad("revision", "the office has the revisions 1 to %d", at)
	}
	since, err := st.HistoryPage(c.Context(), id, revision, at+1, int(at-revision)) // none that came after now was read
	if err != nil {
		return nil, nil, err
	}
	var all office.Edit
	for i := range since {
		o, e, err := unmake(now, &since[i])
		if err != nil {
			return nil, nil, err
		}
		now, all = o, append(all, e...)
	}
	return now, all, nil
}

// reportThen is the findings of the office that a request names, at the
// revision that its query says, else now.
func (s *Server) reportThen(c fiber.Ctx) (*finding.Report, error) {
	r, err := s.room(c)
	if err != nil {
		return nil, err
	}
	report, now, err := r.current(c.Context())
	if err != nil {
		return nil, err
	}
	revision, err := intQuery(c, "at", now.Revision)
	if err != nil || revision == now.Revision {
		return report, err
	}
	o, _, err := past(c, s.store, r.id, report.Net.Office, revision, now.Revision)
	if err != nil {
		return nil, err
	}
	return finding.Check(span.Compile(o)), nil
}

// then shows the office as it was.
func (s *Server) then(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	revision, err := strconv.ParseInt(c.Params("revision"), 10, 64)
	if err != nil {
		return bad("revision", "%q is no revision", c.Params("revision"))
	}
	report, v, err := r.current(c.Context())
	if err != nil {
		return err
	}
	o, _, err := past(c, s.store, r.id, report.Net.Office, revision, v.Revision)
	if err != nil {
		return err
	}
	return c.JSON(view(r.id, revision, finding.Check(span.Compile(o))))
}

// restore makes the office as it was at a revision, as a new edit.
func (s *Server) restore(c fiber.Ctx) error {
	var q UndoRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	_, now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	v, err := r.edit(c.Context(), name, now.Revision, 0, func(n *span.Net) (*planned, error) {
		o, e, err := past(c, s.store, r.id, n.Office, q.Revision, r.revision) // the room is held: n is of that revision
		if err != nil {
			return nil, err
		}
		return &planned{o, e, fmt.Sprintf("back to revision %d", q.Revision), nil}, nil
	})
	if err != nil {
		return err
	}
	return c.JSON(v)
}
