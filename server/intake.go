package server

import (
	"context"
	"encoding/base64"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/history"
	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/spreadsheet"
	"klammer/store"
)

func (s *Server) intake(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q api.IntakeRequest
	if err := body(c, &q); err != nil {
		return err
	}
	if err := office.CheckText("the file's name", q.Name, 200, false); err != nil {
		return bad("name", "%s", err)
	}
	ctx, stop := context.WithTimeout(c.Context(), atMost)
	defer stop()
	if s.intakes.take(ctx) != nil { // a workbook takes much room while it is read
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d files are read just now, the most at once: try again", mostIntakes))
	}
	defer s.intakes.give()
	tables, err := tablesOf(&q)
	if err != nil {
		return err
	}
	var cells []intake.Cell
	for _, x := range q.Cells {
		cells = append(cells, intake.Cell{Sheet: x.Sheet, Row: x.Row, Column: x.Column, Text: x.Text})
	}
	if err := intake.Correct(tables, cells); err != nil {
		return bad("cells", "%s", err)
	}
	understand := func() *intake.Understood {
		var choices []intake.Choice
		for _, x := range q.Choices {
			choices = append(choices, intake.Choice{Sheet: x.Sheet, Row: x.Row, Device: x.Device, Kind: office.Kind(x.Kind), Skip: x.Skip})
		}
		return spreadsheet.Understand(tables, choices)
	}
	if q.Into == 0 {
		u := understand()
		start := &office.Office{Title: strings.TrimSpace(q.Title)}
		if start.Title == "" {
			start.Title = strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(q.Name, ".xlsx"), ".csv"))
		}
		o, e := u.Take(start)
		if q.Title != "" {
			d := office.NewDraft(o)
			d.SetTitle(strings.TrimSpace(q.Title))
			o, _ = d.Done()
		}
		out := intakeView(tables, u, o, e)
		if err := office.CheckText("the title", o.Title, 200, false); err != nil {
			return bad("title", "%s", err)
		}
		if err := withinLimits(o); err != nil {
			return err
		}
		if q.Take {
			id, err := s.start(c, o, q.ID, store.Note{Author: name, Summary: command.Cut("read from " + q.Name)})
			if err != nil {
				return err
			}
			out.Office = &api.OfficeSummary{ID: id, Title: o.Title, Revision: 1}
		}
		return c.JSON(out)
	}
	r, err := s.roomAt(c, q.Into)
	if err != nil {
		return err
	}
	now, err := r.current(c.Context())
	if err != nil {
		return err
	}
	u := understand()
	o, e := u.Take(now.report.Net.Office)
	out := intakeView(tables, u, o, e)
	if err := withinLimits(o); err != nil {
		return err
	}
	if q.Take {
		v, err := r.edit(c.Context(), askingOf(c, name, q.ID, q.Again, latest), func(n *span.Net) (*command.Result, error) {
			o, e := understand().Take(n.Office)
			return &command.Result{Office: o, Edit: e, Summary: command.Cut("read from " + q.Name)}, nil
		})
		if err != nil {
			return err
		}
		out.Office = &api.OfficeSummary{ID: r.id, Title: o.Title, Revision: v.now.view.Revision}
	}
	return c.JSON(out)
}

func tablesOf(q *api.IntakeRequest) ([]intake.Table, error) {
	switch {
	case (q.Book == "") == (q.Text == ""):
		return nil, bad("book", "a workbook or a table is read, one of them")
	case q.Book != "":
		data, err := base64.StdEncoding.DecodeString(q.Book)
		if err != nil {
			return nil, bad("book", "this is not base64: %s", err)
		}
		tables, err := spreadsheet.Tables(data)
		if err != nil {
			return nil, bad("book", "%s", err)
		}
		return tables, nil
	}
	t, err := spreadsheet.CSV(q.Name, []byte(q.Text))
	if err != nil {
		return nil, bad("text", "%s", err)
	}
	return []intake.Table{t}, nil
}

func intakeView(tables []intake.Table, u *intake.Understood, o *office.Office, edit office.Edit) api.IntakeAnswer {
	const most = 400
	out := api.IntakeAnswer{Exact: u.Exact != nil, Grids: []api.IntakeGrid{}, VLANs: []string{}, Trouble: []api.IntakeTrouble{}, Lines: []string{}}
	for _, g := range u.Grids {
		out.Grids = append(out.Grids, api.IntakeGrid{Sheet: g.Sheet, Row: g.Row, Device: g.Device, Kind: string(g.Kind), Ports: len(g.Ports), Down: g.Down, Skip: g.Skip})
	}
	for _, v := range u.VLANs {
		out.VLANs = append(out.VLANs, fmt.Sprintf("%d %s", v.VID, v.Name))
	}
	for _, t := range u.Trouble {
		x := api.IntakeTrouble{Sheet: t.Sheet, Row: t.Row, Column: t.Column, Text: t.Text}
		if at := intake.At(tables, t.Sheet, t.Row, t.Column); at != nil {
			x.Is = *at
		}
		out.Trouble = append(out.Trouble, x)
	}
	lines, _ := notation.Statements(o, edit)
	for _, l := range lines[:min(len(lines), most)] {
		out.Lines = append(out.Lines, strings.Split(l, "\n")...)
	}
	out.More = max(0, len(lines)-most)
	return out
}

// takeover makes what differs between the office as it was copied and the copy
// as it is now one edit of the office. What both changed is told, with the name.
func (s *Server) takeover(c fiber.Ctx) error {
	var q api.TakeoverRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if err := s.admitted(c, q.From); err != nil {
		return err
	}
	of, at, err := s.store.CopyOf(c.Context(), q.From)
	if err != nil {
		return err
	}
	if of != r.id {
		return bad("from", "that office is no copy of this one: what differs has no beginning that both share")
	}
	copied, _, err := s.store.Load(c.Context(), q.From)
	if err != nil {
		return err
	}
	v, err := r.edit(c.Context(), askingOf(c, name, q.ID, q.Again, at), func(n *span.Net) (*command.Result, error) {
		return takenOver(c.Context(), s.store, r, n.Office, copied, at)
	})
	if err != nil {
		return err
	}
	return send(c, v)
}

func takenOver(ctx context.Context, st *store.Store, r *room, now, copied *office.Office, at int64) (*command.Result, error) {
	then, err := past(ctx, st, r.id, now, at, r.look().view.Revision)
	if err != nil {
		return nil, err
	}
	o, e, err := history.TakeOver(now, then, copied)
	if err != nil {
		return nil, err
	}
	return &command.Result{Office: o, Edit: e, Summary: command.Cut("taken over from " + copied.Title)}, nil
}
