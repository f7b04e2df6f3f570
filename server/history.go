package server

import (
	"context"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/history"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/store"
)

func (s *Server) undo(c fiber.Ctx) error {
	var request api.UndoRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	answer, err := room.undoEdit(c.Context(), askingOf(c, name, request.ID, request.Again, latest), request.Revision)
	if err != nil {
		return err
	}
	return send(c, answer)
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
	room, err := s.room(c)
	if err != nil {
		return err
	}
	all, err := s.store.HistoryPage(c.Context(), room.id, since, before, 100)
	if err != nil {
		return err
	}
	out := []api.HistoryEntry{}
	for _, made := range all {
		out = append(
			out,
			api.HistoryEntry{Revision: made.Revision, Author: made.Author, At: made.At, Summary: made.Turn.Of(made.Summary), Turn: made.Turn, Undoes: made.Undoes, UndoneBy: made.UndoneBy, ID: made.Token},
		)
	}
	return c.JSON(out)
}

// undoEdit takes back an edit, exactly, or says who built upon it.
func (r *room) undoEdit(ctx context.Context, asking asking, revision int64) (*answer, error) {
	made, ok, err := r.store.Edit(ctx, r.id, revision)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, bad("revision", "there is no edit %d to take back", revision)
	}
	asking.undoes, asking.turn = revision, made.Turn.Back()
	return r.edit(
		ctx,
		asking,
		func(net *span.Net) (*command.Result, error) {
			if now, _, err := r.store.Edit(ctx, r.id, revision); err != nil {
				return nil, err
			} else if now.UndoneBy != 0 { // by another request: this one was not made yet
				return nil, &history.Conflict{Text: fmt.Sprintf("edit %d was taken back already", revision)}
			}
			since, err := r.store.History(ctx, r.id, revision, mostSince)
			if err != nil {
				return nil, err
			}
			o, edit, err := history.TakeBack(net.Office, &made.Made, store.Edits(since))
			if err != nil {
				return nil, err
			}
			return &command.Result{Office: o, Edit: edit, Summary: made.Summary}, nil
		},
	)
}

// mostSince bounds the edits that are read to name who stands in the way.
const mostSince = 1000

// past is the office as it was at a revision; now is it at another, at.
func (r *room) past(ctx context.Context, now *office.Office, at, revision int64) (*office.Office, error) {
	if revision < 1 || revision > at {
		return nil, bad("revision", "the office has the revisions 1 to %d", at)
	}
	const page = 500
	for to := at; to > revision; { // none that came after now was read
		since, err := r.store.HistoryPage(ctx, r.id, revision, to+1, page)
		if err != nil {
			return nil, err
		}
		if len(since) == 0 {
			return nil, fmt.Errorf("office %d: no edits between %d and %d", r.id, revision, to)
		}
		if now, err = history.Past(now, store.Edits(since)); err != nil {
			return nil, err
		}
		to = since[len(since)-1].Revision - 1
	}
	return now, nil
}

// reportThen is the findings of the office that a request names, at the
// revision that its query says, else now.
func (s *Server) reportThen(c fiber.Ctx) (*finding.Report, error) {
	room, now, err := s.looked(c)
	if err != nil {
		return nil, err
	}
	revision, err := intQuery(c, "at", now.view.Revision)
	if err != nil || revision == now.view.Revision {
		return now.report, err
	}
	o, err := room.past(c.Context(), now.report.Net.Office, now.view.Revision, revision)
	if err != nil {
		return nil, err
	}
	return finding.Check(span.Compile(o)).Within(effortOf(c)), nil
}

// then shows the office as it was.
func (s *Server) then(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	revision, err := strconv.ParseInt(c.Params("revision"), 10, 64)
	if err != nil {
		return bad("revision", "%q is no revision", c.Params("revision"))
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	o, err := room.past(c.Context(), now.report.Net.Office, now.view.Revision, revision)
	if err != nil {
		return err
	}
	return c.JSON(api.View(room.id, revision, finding.Check(span.Compile(o)), nil))
}

// restore makes the office as it was at a revision, as a new edit.
func (s *Server) restore(c fiber.Ctx) error {
	var request api.UndoRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	answer, err := room.edit(c.Context(), askingOf(c, name, request.ID, request.Again, latest), func(net *span.Net) (*command.Result, error) {
		then, err := room.past(c.Context(), net.Office, room.look().view.Revision, request.Revision) // it is our turn: net is of that revision
		if err != nil {
			return nil, err
		}
		edit, err := history.Diff(net.Office, then)
		if err != nil {
			return nil, err
		}
		o, err := office.Apply(net.Office, edit)
		if err != nil {
			return nil, err
		}
		return &command.Result{Office: o, Edit: edit, Summary: fmt.Sprintf("back to revision %d", request.Revision)}, nil
	})
	if err != nil {
		return err
	}
	return send(c, answer)
}
