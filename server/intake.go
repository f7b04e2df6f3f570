package server

import (
	"context"
	"encoding/base64"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/core/command"
	"klammer/core/history"
	"klammer/core/intake"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/spreadsheet"
	"klammer/store"
)

// IntakeRequest is somebody's own workbook or table, and what he corrected of
// what was understood of it.
type IntakeRequest struct {
	Name    string         `json:"name" required:"true" maxLength:"200" description:"the file's name"`
	Book    string         `json:"book,omitempty" description:"a workbook (XLSX) in base64"`
	Text    string         `json:"text,omitempty" description:"or a table (CSV)"`
	Into    int64          `json:"into,omitempty" description:"the office that it goes into; a new one if it is not said"`
	Title   string         `json:"title,omitempty" maxLength:"200" description:"the name of a new office"`
	Choices []IntakeChoice `json:"choices,omitempty"`
	Cells   []IntakeCell   `json:"cells,omitempty" description:"cells that were corrected"`
	Take    bool           `json:"take,omitempty" description:"take it; otherwise it is only shown"`
	ID      string         `json:"id,omitempty" maxLength:"64"`
	Again   bool           `json:"again,omitempty"`
}

// IntakeChoice is what was corrected of one grid.
type IntakeChoice struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Device string `json:"device" required:"true"`
	Kind   string `json:"kind" required:"true"`
	Skip   bool   `json:"skip" required:"true"`
}

// IntakeCell is another text for a cell.
type IntakeCell struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true" maxLength:"200"`
}

// IntakeAnswer is what was understood, and what taking it would change.
type IntakeAnswer struct {
	Exact   bool            `json:"exact" required:"true" description:"the workbook has a whole office in notation: its grids say what was changed in them"`
	Grids   []IntakeGrid    `json:"grids" required:"true" nullable:"false"`
	VLANs   []string        `json:"vlans" required:"true" nullable:"false"`
	Trouble []IntakeTrouble `json:"trouble" required:"true" nullable:"false"`
	Lines   []string        `json:"lines" required:"true" nullable:"false" description:"what taking it would change, as statements; at most 400"`
	More    int             `json:"more" required:"true" description:"how many further lines there are"`
	Office  *OfficeSummary  `json:"office,omitempty" description:"where it was taken"`
}

// IntakeGrid is a grid of one device.
type IntakeGrid struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true" description:"of its head"`
	Device string `json:"device" required:"true"`
	Kind   string `json:"kind" required:"true"`
	Ports  int    `json:"ports" required:"true"`
	Down   bool   `json:"down" required:"true" description:"VLANs run down; otherwise ports do"`
	Skip   bool   `json:"skip" required:"true"`
}

// IntakeTrouble is a cell that was not understood.
type IntakeTrouble struct {
	Sheet  string `json:"sheet" required:"true"`
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true" description:"0 where the whole row is meant"`
	Text   string `json:"text" required:"true"`
	Is     string `json:"is" required:"true" description:"what stands in the cell"`
}

func (s *Server) intake(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q IntakeRequest
	if err := body(c, &q); err != nil {
		return err
	}
	if err := office.CheckText("the file's name", q.Name, 200, false); err != nil {
		return bad("name", "%s", err)
	}
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
			id, err := s.store.Import(c.Context(), o, store.Note{Author: name, Summary: command.Cut("read from " + q.Name)})
			if err != nil {
				return err
			}
			out.Office = &OfficeSummary{ID: id, Title: o.Title, Revision: 1}
		}
		return c.JSON(out)
	}
	r, err := s.roomOf(c.Context(), q.Into)
	if err != nil {
		return err
	}
	report, _, err := r.current(c.Context())
	if err != nil {
		return err
	}
	u := understand()
	o, e := u.Take(report.Net.Office)
	out := intakeView(tables, u, o, e)
	if err := withinLimits(o); err != nil {
		return err
	}
	if q.Take {
		v, err := r.edit(c.Context(), asking{author: name, base: latest, token: q.ID, again: q.Again}, func(n *span.Net) (*command.Result, error) {
			o, e := understand().Take(n.Office)
			return &command.Result{Office: o, Edit: e, Summary: command.Cut("read from " + q.Name)}, nil
		})
		if err != nil {
			return err
		}
		out.Office = &OfficeSummary{ID: r.id, Title: o.Title, Revision: v.Revision}
	}
	return c.JSON(out)
}

func tablesOf(q *IntakeRequest) ([]intake.Table, error) {
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

func intakeView(tables []intake.Table, u *intake.Understood, o *office.Office, e office.Edit) IntakeAnswer {
	const most = 400
	out := IntakeAnswer{Exact: u.Exact != nil, Grids: []IntakeGrid{}, VLANs: []string{}, Trouble: []IntakeTrouble{}, Lines: []string{}}
	for _, g := range u.Grids {
		out.Grids = append(out.Grids, IntakeGrid{g.Sheet, g.Row, g.Device, string(g.Kind), len(g.Ports), g.Down, g.Skip})
	}
	for _, v := range u.VLANs {
		out.VLANs = append(out.VLANs, fmt.Sprintf("%d %s", v.VID, v.Name))
	}
	for _, t := range u.Trouble {
		x := IntakeTrouble{Sheet: t.Sheet, Row: t.Row, Column: t.Column, Text: t.Text}
		if at := intake.At(tables, t.Sheet, t.Row, t.Column); at != nil {
			x.Is = *at
		}
		out.Trouble = append(out.Trouble, x)
	}
	lines, _ := notation.Statements(o, e)
	for _, l := range lines[:min(len(lines), most)] {
		out.Lines = append(out.Lines, strings.Split(l, "\n")...)
	}
	out.More = max(0, len(lines)-most)
	return out
}

// TakeoverRequest takes what was tried in a copy over into the office that it
// is a copy of.
type TakeoverRequest struct {
	From  int64  `json:"from" required:"true" description:"the copy"`
	ID    string `json:"id,omitempty" maxLength:"64"`
	Again bool   `json:"again,omitempty"`
}

// takeover makes what differs between the office as it was copied and the copy
// as it is now one edit of the office. What both changed is told, with the name.
func (s *Server) takeover(c fiber.Ctx) error {
	var q TakeoverRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
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
	v, err := r.edit(c.Context(), asking{author: name, base: at, token: q.ID, again: q.Again}, func(n *span.Net) (*command.Result, error) {
		return takenOver(c.Context(), s.store, r, n.Office, copied, at)
	})
	if err != nil {
		return err
	}
	return c.JSON(v)
}

func takenOver(ctx context.Context, st *store.Store, r *room, now, copied *office.Office, at int64) (*command.Result, error) {
	then, err := past(ctx, st, r.id, now, at, r.at())
	if err != nil {
		return nil, err
	}
	tried, err := history.Diff(then, copied)
	if err != nil {
		return nil, err
	}
	d := office.NewDraft(now)
	for _, x := range tried {
		switch x.After.(type) {
		case office.Title, office.Order: // a copy has a name of its own
			continue
		}
		want := ""
		if x.After != nil {
			want = notation.Thing(x.After)
		}
		if history.Text(d.Office(), x.Key()) == want { // taken over before, or done here too
			continue
		}
		if err := d.Put(x); err != nil {
			return nil, &history.Conflict{Text: fmt.Sprintf("%s cannot be taken over: %s", history.KeyName(x.Key()), err)}
		}
	}
	o, e := d.Done()
	return &command.Result{Office: o, Edit: e, Summary: command.Cut("taken over from " + copied.Title)}, nil
}
