package server

import (
	"context"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"unicode"

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

// intake reads a file of somebody's, and shows or takes what was understood.
//
// Many branches: a file is read, corrected, chosen from, looked at and taken, each with
// its own message.
func (s *Server) intake(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var request api.IntakeRequest
	if err := body(c, &request); err != nil {
		return err
	}
	if err := office.CheckText("the file's name", request.Name, 200, false); err != nil {
		return bad("name", "%s", err)
	}
	ctx, stop := context.WithTimeout(c.Context(), atMost)
	defer stop()
	if s.intakes.take(ctx) != nil { // a workbook takes much room while it is read
		return fiber.NewError(fiber.StatusServiceUnavailable, fmt.Sprintf("%d files are read just now, the most at once: try again", mostIntakes))
	}
	defer s.intakes.give()
	tables, err := tablesOf(&request)
	if err != nil {
		return err
	}
	var cells []intake.Cell
	for _, cell := range request.Cells {
		cells = append(cells, intake.Cell{Sheet: cell.Sheet, Row: cell.Row, Column: cell.Column, Text: cell.Text})
	}
	recipe := recipeOf(tables, cells)
	if err := intake.Correct(tables, cells); err != nil {
		return bad("cells", "%s", err)
	}
	var gone []intake.Line
	for _, line := range request.Out {
		gone = append(gone, intake.Line{Sheet: line.Sheet, Row: line.Row})
	}
	var heads []intake.Above
	for _, head := range request.Heads {
		heads = append(heads, intake.Above{Sheet: head.Sheet, Row: head.Row, Column: head.Column, Role: head.Role})
	}
	arranged, err := intake.Arrange(tables, gone, heads)
	if err != nil {
		return bad("heads", "%s", err)
	}
	understand := func() *intake.Understood {
		var choices []intake.Choice
		for _, choice := range request.Choices {
			choices = append(choices, intake.Choice{Sheet: choice.Sheet, Row: choice.Row, Device: choice.Device, Kind: office.Kind(choice.Kind), Skip: choice.Skip})
		}
		return spreadsheet.Understand(arranged, choices)
	}
	known, err := s.knownHeads(c.Context(), tables)
	if err != nil {
		return err
	}
	if request.Into == 0 {
		understood := understand()
		start := &office.Office{Title: strings.TrimSpace(request.Title)}
		if start.Title == "" {
			start.Title = strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(request.Name, ".xlsx"), ".csv"))
		}
		o, edit := understood.Take(start)
		if request.Title != "" {
			draft := office.NewDraft(o)
			draft.SetTitle(strings.TrimSpace(request.Title))
			o, _ = draft.Done()
		}
		out := intakeView(tables, understood, o, edit)
		if err := office.CheckText("the title", o.Title, 200, false); err != nil {
			return bad("title", "%s", err)
		}
		if err := withinLimits(o); err != nil {
			return err
		}
		if request.Take {
			id, err := s.start(c, o, request.ID, store.Note{Author: name, Summary: command.Cut("read from " + request.Name)})
			if err != nil {
				return err
			}
			out.Office = &api.OfficeSummary{ID: id, Title: o.Title, Revision: 1}
			s.keepRecipe(c.Context(), recipe)
		}
		out.Known = known
		return c.JSON(out)
	}
	room, err := s.roomAt(c, request.Into)
	if err != nil {
		return err
	}
	now, err := room.current(c.Context())
	if err != nil {
		return err
	}
	other := understand()
	o, one := other.Take(now.report.Net.Office)
	out := intakeView(tables, other, o, one)
	if err := withinLimits(o); err != nil {
		return err
	}
	if request.Take {
		answer, err := room.edit(c.Context(), askingOf(c, name, request.ID, request.Again, latest), func(net *span.Net) (*command.Result, error) {
			o, edit := understand().Take(net.Office)
			return &command.Result{Office: o, Edit: edit, Summary: command.Cut("read from " + request.Name)}, nil
		})
		if err != nil {
			return err
		}
		out.Office = &api.OfficeSummary{ID: room.id, Title: o.Title, Revision: answer.now.view.Revision}
		s.keepRecipe(c.Context(), recipe)
	}
	out.Known = known
	return c.JSON(out)
}

// keepRecipe remembers what heads were taken for. What was taken is taken, whether or not that works.
func (s *Server) keepRecipe(ctx context.Context, recipe map[string]string) {
	if err := s.store.KeepRecipe(ctx, recipe); err != nil {
		s.log.Warn("what the heads of a file were taken for is not remembered", "error", err)
	}
}

// recipeOf is what heads were taken for: cells whose text somebody made a word that says what a
// column is, by what stood there.
func recipeOf(tables []intake.Table, cells []intake.Cell) map[string]string {
	out := map[string]string{}
	for _, cell := range cells {
		was := intake.At(tables, cell.Sheet, cell.Row, cell.Column)
		if was == nil || !slices.ContainsFunc(intake.Roles, func(role struct{ Role, Says, Word string }) bool { return role.Word == cell.Text }) {
			continue
		}
		if head := headKey(*was); head != "" {
			out[head] = cell.Text
		}
	}
	return out
}

// headKey is a head as recipes know it; "" for one that is no word.
func headKey(text string) string {
	text = strings.ToLower(strings.TrimSpace(text))
	if len(text) > 120 || !strings.ContainsFunc(text, unicode.IsLetter) {
		return ""
	}
	return text
}

// knownHeads is what heads of these sheets were taken for in files before.
func (s *Server) knownHeads(ctx context.Context, tables []intake.Table) ([]api.IntakeKnown, error) {
	recipe, err := s.store.Recipe(ctx)
	if err != nil || len(recipe) == 0 {
		return []api.IntakeKnown{}, err
	}
	out, seen := []api.IntakeKnown{}, map[string]bool{}
	for _, table := range tables {
		for _, cells := range table.Rows {
			for _, text := range cells {
				head := headKey(text)
				if word := recipe[head]; word != "" && !seen[head] {
					seen[head] = true
					out = append(out, api.IntakeKnown{Head: head, Word: word})
				}
			}
		}
	}
	return out, nil
}

func tablesOf(request *api.IntakeRequest) ([]intake.Table, error) {
	switch {
	case (request.Book == "") == (request.Text == ""):
		return nil, bad("book", "a workbook or a table is read, one of them")
	case request.Book != "":
		data, err := base64.StdEncoding.DecodeString(request.Book)
		if err != nil {
			return nil, bad("book", "this is not base64: %s", err)
		}
		tables, err := spreadsheet.Tables(data)
		if err != nil {
			return nil, bad("book", "%s", err)
		}
		return tables, nil
	}
	table, err := spreadsheet.CSV(request.Name, []byte(request.Text))
	if err != nil {
		return nil, bad("text", "%s", err)
	}
	return []intake.Table{table}, nil
}

func intakeView(tables []intake.Table, understood *intake.Understood, o *office.Office, edit office.Edit) api.IntakeAnswer {
	const most = 400
	out := api.IntakeAnswer{Exact: understood.Exact != nil, Grids: []api.IntakeGrid{}, VLANs: []string{}, Trouble: []api.IntakeTrouble{}, Kinds: []api.IntakeKind{}, Lines: []string{}, Sheets: []api.IntakeSheet{}, Regions: []api.IntakeRegion{}, Roles: []api.IntakeRole{}, Known: []api.IntakeKnown{}}
	for _, grid := range understood.Grids {
		out.Grids = append(out.Grids, api.IntakeGrid{Sheet: grid.Sheet, Row: grid.Row, Device: grid.Device, Kind: string(grid.Kind), Ports: len(grid.Ports), Down: grid.Down, Skip: grid.Skip})
	}
	for _, vlan := range understood.VLANs {
		out.VLANs = append(out.VLANs, fmt.Sprintf("%d %s", vlan.VID, vlan.Name))
	}
	for _, trouble := range understood.Trouble {
		one := api.IntakeTrouble{Kind: string(trouble.Kind), Sheet: trouble.Sheet, Row: trouble.Row, Column: trouble.Column, Text: trouble.Text}
		if at := intake.At(tables, trouble.Sheet, trouble.Row, trouble.Column); at != nil {
			one.Is = *at
		}
		out.Trouble = append(out.Trouble, one)
	}
	for _, kind := range intake.Kinds {
		if n := understood.Counts[kind.Kind]; n > 0 {
			out.Kinds = append(out.Kinds, api.IntakeKind{Kind: string(kind.Kind), Says: kind.Says, Count: n, Frames: kind.Frames})
		}
	}
	lines, _ := notation.Statements(o, edit)
	for _, line := range lines[:min(len(lines), most)] {
		out.Lines = append(out.Lines, strings.Split(line, "\n")...)
	}
	out.More = max(0, len(lines)-most)
	if understood.Exact == nil {
		drawn(&out, tables, understood)
	}
	return out
}

// drawn puts a picture of the sheets into an answer, with what each column was taken for.
func drawn(out *api.IntakeAnswer, tables []intake.Table, understood *intake.Understood) {
	letters := map[string]byte{intake.Taken: 't', intake.Wrong: 'w', intake.Left: 'l', "": '-'}
	for _, sheet := range understood.Picture(tables) {
		one := api.IntakeSheet{Name: sheet.Name, Rows: sheet.Rows, Columns: sheet.Columns, Cells: [][]string{}, Is: []string{}}
		for _, line := range sheet.Cells {
			texts, is := make([]string, len(line)), make([]byte, len(line))
			for k, seen := range line {
				texts[k], is[k] = seen.Text, letters[seen.Is]
			}
			one.Cells, one.Is = append(one.Cells, texts), append(one.Is, string(is))
		}
		out.Sheets = append(out.Sheets, one)
	}
	for _, region := range understood.Regions {
		one := api.IntakeRegion{Sheet: region.Sheet, Row: region.Row, Column: region.Column, Rows: region.Rows, Columns: region.Columns, Is: region.Is, Bare: region.Bare, Heads: []api.IntakeHead{}}
		if region.Grid != nil {
			one.Device = region.Grid.Device
		}
		for _, head := range region.Heads {
			one.Heads = append(one.Heads, api.IntakeHead{Column: head.Column, Text: head.Text, Is: head.Is})
		}
		out.Regions = append(out.Regions, one)
	}
	for _, role := range intake.Roles {
		out.Roles = append(out.Roles, api.IntakeRole{Role: role.Role, Says: role.Says, Word: role.Word})
	}
}

// takeover makes what differs between the office as it was copied and the copy
// as it is now one edit of the office. What both changed is told, with the name.
func (s *Server) takeover(c fiber.Ctx) error {
	var request api.TakeoverRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if err := s.admitted(c, request.From); err != nil {
		return err
	}
	copied, at, err := s.copyOf(c, room, request.From)
	if err != nil {
		return err
	}
	base := at
	var chosen map[office.Key]bool
	if len(request.Keys) > 0 {
		now, err := room.current(c.Context())
		if err != nil {
			return err
		}
		if request.Seen < at || request.Seen > now.view.Revision {
			return bad("seen", "that is no revision of this office since it was copied (from %d to %d): look at the pieces anew", at, now.view.Revision)
		}
		base, chosen = request.Seen, map[office.Key]bool{}
		for _, key := range request.Keys {
			chosen[office.Key(key)] = true
		}
	}
	answer, err := room.edit(c.Context(), askingOf(c, name, request.ID, request.Again, base), func(net *span.Net) (*command.Result, error) {
		return room.takenOver(c.Context(), net.Office, copied, at, chosen)
	})
	if err != nil {
		return err
	}
	return send(c, answer)
}

// copyOf is a copy of an office as it is now, and the revision at which it was copied.
func (s *Server) copyOf(c fiber.Ctx, room *room, from int64) (copied *office.Office, at int64, err error) {
	of, at, err := s.store.CopyOf(c.Context(), from)
	if err != nil {
		return nil, 0, err
	}
	if of != room.id {
		return nil, 0, bad("from", "that office is no copy of this one: what differs has no beginning that both share")
	}
	copied, _, err = s.store.Load(c.Context(), from)
	return copied, at, err
}

type triedQuery struct {
	From int64 `query:"from" required:"true" office:"reader" description:"the copy"`
}

// tried is what was tried in a copy, piece by piece, each beside what the office says of it now.
func (s *Server) tried(c fiber.Ctx) error {
	room, look, err := s.looked(c)
	if err != nil {
		return err
	}
	from, err := intQuery(c, "from", 0)
	if err != nil {
		return err
	}
	if err := s.admitted(c, from); err != nil {
		return err
	}
	copied, at, err := s.copyOf(c, room, from)
	if err != nil {
		return err
	}
	now, revision := look.report.Net.Office, look.view.Revision
	then, err := room.past(c.Context(), now, revision, at)
	if err != nil {
		return err
	}
	pieces, err := history.Tried(now, then, copied)
	if err != nil {
		return err
	}
	made, err := s.store.History(c.Context(), room.id, at, mostBlamed)
	if err != nil {
		return err
	}
	since := history.Standing(store.Edits(made), at)
	out := api.TriedView{Revision: revision, Pieces: []api.TriedPiece{}}
	for _, piece := range pieces {
		one := api.TriedPiece{Key: string(piece.Key), Name: history.KeyName(piece.Key), Then: piece.Then, Here: piece.Here, Tried: piece.Tried, Clashes: piece.Clashes()}
		for _, made := range since {
			if one.Clashes && slices.ContainsFunc(made.Changes, func(change history.Change) bool { return piece.Key.Clashes(change.Key) }) {
				one.By = fmt.Sprintf("%s, edit %d", made.Author, made.Revision)
				break
			}
		}
		out.Pieces = append(out.Pieces, one)
	}
	return c.JSON(out)
}

// mostBlamed is how many edits back it is told who changed a piece.
const mostBlamed = 500

// takenOver is what a copy that was made at a revision says otherwise, over what is now, of
// the keys that are chosen; nil for all.
func (r *room) takenOver(ctx context.Context, now, copied *office.Office, at int64, chosen map[office.Key]bool) (*command.Result, error) {
	then, err := r.past(ctx, now, r.look().view.Revision, at)
	if err != nil {
		return nil, err
	}
	o, edit, err := history.TakeOver(now, then, copied, chosen)
	if err != nil {
		return nil, err
	}
	return &command.Result{Office: o, Edit: edit, Summary: command.Cut("taken over from " + copied.Title)}, nil
}
