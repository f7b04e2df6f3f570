package server

import (
	"cmp"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/rogpeppe/go-internal/diff"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/effort"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/walk"
	"klammer/people"
	"klammer/store"
)

func (s *Server) offices(c fiber.Ctx) error {
	list, ids, err := s.readable(c)
	if err != nil {
		return err
	}
	out := []api.OfficeSummary{}
	for _, summary := range list {
		out = append(out, api.OfficeSummary{ID: summary.ID, Title: summary.Title, Revision: summary.Revision, CopyOf: summary.CopyOf})
	}
	checked, err := s.store.Standings(c.Context(), ids)
	if err != nil {
		return err
	}
	for i := range out {
		if one, ok := checked[out[i].ID]; ok {
			out[i].Checked = standing(one)
		}
	}
	return c.JSON(out)
}

func (s *Server) create(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var one api.NewOffice
	if err := body(c, &one); err != nil {
		return err
	}
	o, summary, copiedAt := &office.Office{}, "start", int64(0)
	switch {
	case one.Text != "" && one.Copy != 0:
		return bad("copy", "an office starts from a text or as a copy, not both")
	case one.Text != "":
		file, err := notation.ReadWithin("text", one.Text)
		if err != nil {
			return mistaken("text", err)
		}
		o, summary = file.Office, "read from a text"
	case one.Copy != 0:
		if err := s.admitted(c, one.Copy); err != nil {
			return err
		}
		from, at, err := s.store.Load(c.Context(), one.Copy)
		if err != nil {
			return err
		}
		o, summary = from, "copy of "+from.Title
		copiedAt = at
	}
	if len(one.Lines) > 0 {
		var err error
		if o, err = withLines(o, one.Lines, effortOf(c)); err != nil {
			return err
		}
	}
	draft := office.NewDraft(o)
	if text := strings.TrimSpace(one.Title); text != "" {
		if err := office.CheckText("the title", text, 200, false); err != nil {
			return bad("title", "%s", err)
		}
		draft.SetTitle(text)
	}
	o, _ = draft.Done()
	if o.Title == "" {
		return bad("title", "give the office a name")
	}
	if err := withinLimits(o); err != nil {
		return err
	}
	if one.Try {
		return c.JSON(api.OfficeSummary{Title: o.Title})
	}
	id, err := s.start(c, o, one.ID, store.Note{Author: name, Summary: command.Cut(summary), CopyOf: one.Copy, CopiedAt: copiedAt})
	if err != nil {
		return err
	}
	return c.JSON(api.OfficeSummary{ID: id, Title: o.Title, Revision: 1, CopyOf: one.Copy})
}

// start keeps a new office, once for each name of a request, "" for none. Who starts one keeps
// it.
func (s *Server) start(c fiber.Ctx, o *office.Office, token string, note store.Note) (id int64, err error) {
	if !printable(token) {
		return 0, bad("id", "a request's own name is letters that one can read")
	}
	ctx := c.Context()
	for note.Token, note.Asked = token, askedFor(c); ; {
		var was store.Request
		ok := false
		if token != "" {
			if was, ok, err = s.store.Requested(ctx, 0, token); err == nil && ok {
				id, err = was.Office, otherwise(note.Asked, was.Asked)
			}
			if err == nil && !ok {
				store.DeedOf(ctx).None()
			}
		}
		if err == nil && !ok {
			id, err = s.store.Import(ctx, o, note)
		}
		if errors.Is(err, store.ErrNamed) { // another that was asked at the same time was quicker
			continue
		}
		if person := whoAsks(c).person; err == nil && person != nil {
			err = s.store.Give(ctx, person.ID, id, people.Keeper)
		}
		return id, err
	}
}

// withLines does lines on a new office, and says which one cannot be.
func withLines(o *office.Office, lines []string, one *effort.Effort) (*office.Office, error) {
	var list []command.Command
	for _, line := range lines {
		list = append(list, command.Line{Text: line})
	}
	result, err := command.Do(span.Compile(o).Within(one), list...)
	var fault *command.Fault
	if errors.As(err, &fault) {
		return nil, &badField{field: fmt.Sprintf("lines[%d]", fault.Command), code: api.Code(fault.Code), text: fmt.Sprintf("%s: %s", lines[fault.Command], fault.Bare())}
	}
	if err != nil {
		return nil, err
	}
	return result.Office, nil
}

type removeQuery struct {
	Title string `query:"title" required:"true" description:"the office's name, as a person types it to be sure"`
}

func (s *Server) remove(c fiber.Ctx) error {
	if _, err := author(c); err != nil {
		return err
	}
	room, now, err := s.looked(c)
	if err != nil {
		return err
	}
	want := now.report.Net.Office.Title
	if want == "" { // an older version could leave it so
		want = fmt.Sprintf("office %d", room.id)
	}
	if c.Query("title") != want {
		return bad("title", "the office is named %q: type that name to delete it", want)
	}
	if err := s.store.Delete(c.Context(), room.id); err != nil {
		return err
	}
	s.forget(room.id)
	return c.JSON(api.OfficeSummary{ID: room.id})
}

type compareQuery struct {
	With int64 `query:"with" office:"reader" description:"the office to compare with"`
	To   int64 `query:"to" description:"without with: the revision of this office to compare with"`
	At   int64 `query:"at" description:"the revision of this office that is compared; now where none is said"`
}

func (s *Server) compare(c fiber.Ctx) error {
	report, err := s.reportThen(c)
	if err != nil {
		return err
	}
	other, err := s.compared(c)
	if err != nil {
		return err
	}
	one := finding.Check(span.Compile(other)).Within(effortOf(c))
	out := api.Comparison{Title: other.Title, Lines: []string{}, Ports: api.PortChanges(walk.Compare(report.Net, one.Net))}
	out.Lines = append(out.Lines, hunks(notation.Print(report.Net.Office), notation.Print(other))...)
	out.Talk, _ = api.TalkShifts(report.Talk(), one.Talk())
	come, gone := finding.Differ(report, one)
	out.Come, out.Go = api.Findings(one, come, 0), api.Findings(report, gone, 0)
	return c.JSON(out)
}

// compared is what a request compares with: another office, or this one at a revision.
func (s *Server) compared(c fiber.Ctx) (*office.Office, error) {
	with, err := intQuery(c, "with", 0)
	if err != nil {
		return nil, err
	}
	to, err := intQuery(c, "to", 0)
	switch {
	case err != nil:
		return nil, err
	case with == 0 && to == 0:
		return nil, store.ErrNoOffice
	case with == 0:
		room, now, err := s.looked(c)
		if err != nil {
			return nil, err
		}
		return room.past(c.Context(), now.report.Net.Office, now.view.Revision, to)
	}
	if err := s.admitted(c, with); err != nil {
		return nil, err
	}
	other, _, err := s.store.Load(c.Context(), with)
	return other, err
}

// hunks is what differs between two offices in notation, as lines with a sign in front; before
// each piece stands "@ " and what it is of ([partAt]).
func hunks(was, is string) (out []string) {
	text := string(diff.Diff("a", []byte(was), "b", []byte(is)))
	all := strings.Split(strings.TrimRight(text, "\n"), "\n")
	if len(all) <= 3 {
		return nil
	}
	lines := strings.Split(is, "\n")
	for i, line := range all {
		if i < 3 {
			continue
		}
		if head, ok := strings.CutPrefix(line, "@@ "); ok {
			_, after, _ := strings.Cut(head, "+")
			at, _, _ := strings.Cut(after, ",")
			n, _ := strconv.Atoi(strings.TrimSuffix(at, " @@"))
			k := i + 1
			for ; k < len(all) && (strings.HasPrefix(all[k], " ") || all[k] == "+" || all[k] == "-"); k++ { // up to what differs
				if all[k] != "-" {
					n++
				}
			}
			line = "@ " + partAt(lines, n-1)
			if gone, ok := strings.CutPrefix(all[min(k, len(all)-1)], "-"); ok && !strings.HasPrefix(gone, " ") {
				line = "@ " + partAt([]string{gone}, 0)
			}
		}
		out = append(out, line)
	}
	return out
}

// partsOf is what the statements of an office that begin with a word are called together.
var partsOf = map[string]string{"vlan": "the VLANs", "use": "the uses", "service": "the services", "cable": "the cables", "plug": "what is plugged in", "must": "the wishes", "never": "the wishes"}

// partAt is what a line of an office is of: its device, its plan, or the statements of its kind;
// "the office" for none of these.
func partAt(lines []string, at int) string {
	at = min(max(at, 0), len(lines)-1)
	for at > 0 && (lines[at] == "" || strings.HasPrefix(lines[at], " ")) {
		at--
	}
	word, rest, _ := strings.Cut(lines[at], " ")
	name, _, _ := strings.Cut(rest, " ")
	switch word {
	case "device":
		return name
	case "plan":
		return "the plan " + name
	}
	return cmp.Or(partsOf[word], "the office")
}

func (s *Server) notation(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/plain; charset=utf-8")
	if c.Query("file") != "" {
		c.Attachment(fileName(report.Net.Office.Title))
		c.Set("Content-Type", "text/plain; charset=utf-8")
	}
	return c.SendString(notation.Print(report.Net.Office))
}

// fileName is a title as a file's name, in letters that every system takes.
func fileName(title string) string {
	var text strings.Builder
	for _, c := range strings.ToLower(title) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			text.WriteRune(c)
		case text.Len() > 0 && !strings.HasSuffix(text.String(), "-"):
			text.WriteByte('-')
		}
	}
	if s := strings.Trim(text.String(), "-"); s != "" {
		return s + ".klm"
	}
	return "office.klm"
}
