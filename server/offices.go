package server

import (
	"errors"
	"fmt"
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
	all, err := s.store.Offices(c.Context())
	if err != nil {
		return err
	}
	out := []api.OfficeSummary{}
	for _, o := range all {
		if whoAsks(c).role(o.ID) >= people.Reader {
			out = append(out, api.OfficeSummary(o))
		}
	}
	return c.JSON(out)
}

func (s *Server) create(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q api.NewOffice
	if err := body(c, &q); err != nil {
		return err
	}
	o, summary, copiedAt := &office.Office{}, "start", int64(0)
	switch {
	case q.Text != "" && q.Copy != 0:
		return bad("copy", "an office starts from a text or as a copy, not both")
	case q.Text != "":
		f, err := notation.ReadWithin("text", q.Text)
		if err != nil {
			return mistaken("text", err)
		}
		o, summary = f.Office, "read from a text"
	case q.Copy != 0:
		if err := s.admitted(c, q.Copy); err != nil {
			return err
		}
		from, at, err := s.store.Load(c.Context(), q.Copy)
		if err != nil {
			return err
		}
		o, summary = from, "copy of "+from.Title
		copiedAt = at
	}
	if len(q.Lines) > 0 {
		var err error
		if o, err = withLines(o, q.Lines, effortOf(c)); err != nil {
			return err
		}
	}
	d := office.NewDraft(o)
	if t := strings.TrimSpace(q.Title); t != "" {
		if err := office.CheckText("the title", t, 200, false); err != nil {
			return bad("title", "%s", err)
		}
		d.SetTitle(t)
	}
	o, _ = d.Done()
	if o.Title == "" {
		return bad("title", "give the office a name")
	}
	if err := withinLimits(o); err != nil {
		return err
	}
	if q.Try {
		return c.JSON(api.OfficeSummary{Title: o.Title})
	}
	id, err := s.start(c, o, q.ID, store.Note{Author: name, Summary: command.Cut(summary), CopyOf: q.Copy, CopiedAt: copiedAt})
	if err != nil {
		return err
	}
	return c.JSON(api.OfficeSummary{ID: id, Title: o.Title, Revision: 1, CopyOf: q.Copy})
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
		if p := whoAsks(c).person; err == nil && p != nil {
			err = s.store.Give(ctx, p.ID, id, people.Keeper)
		}
		return id, err
	}
}

// withLines does lines on a new office, and says which one cannot be.
func withLines(o *office.Office, lines []string, e *effort.Effort) (*office.Office, error) {
	var list []command.Command
	for _, l := range lines {
		list = append(list, command.Line{Text: l})
	}
	result, err := command.Do(span.Compile(o).Within(e), list...)
	var f *command.Fault
	if errors.As(err, &f) {
		return nil, &badField{field: fmt.Sprintf("lines[%d]", f.Command), code: api.Code(f.Code), text: fmt.Sprintf("%s: %s", lines[f.Command], f.Bare())}
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
	r, now, err := s.looked(c)
	if err != nil {
		return err
	}
	want := now.report.Net.Office.Title
	if want == "" { // an older version could leave it so
		want = fmt.Sprintf("office %d", r.id)
	}
	if c.Query("title") != want {
		return bad("title", "the office is named %q: type that name to delete it", want)
	}
	if err := s.store.Delete(c.Context(), r.id); err != nil {
		return err
	}
	s.forget(r.id)
	return c.JSON(api.OfficeSummary{ID: r.id})
}

type compareQuery struct {
	With int64 `query:"with" required:"true" office:"reader" description:"the office to compare with"`
}

func (s *Server) compare(c fiber.Ctx) error {
	a, err := s.report(c)
	if err != nil {
		return err
	}
	with, err := intQuery(c, "with", 0)
	if err != nil {
		return err
	}
	if with == 0 {
		return store.ErrNoOffice
	}
	if err := s.admitted(c, with); err != nil {
		return err
	}
	other, _, err := s.store.Load(c.Context(), with)
	if err != nil {
		return err
	}
	b := finding.Check(span.Compile(other)).Within(effortOf(c))
	out := api.Comparison{Title: other.Title, Lines: []string{}, Ports: api.PortChanges(walk.Compare(a.Net, b.Net))}
	text := string(diff.Diff("a", []byte(notation.Print(a.Net.Office)), "b", []byte(notation.Print(other))))
	if lines := strings.Split(strings.TrimRight(text, "\n"), "\n"); len(lines) > 3 {
		out.Lines = lines[3:]
	}
	out.Talk, _ = api.TalkShifts(a.Talk(), b.Talk())
	come, gone := finding.Differ(a, b)
	out.Come, out.Go = api.Findings(b, come, 0), api.Findings(a, gone, 0)
	return c.JSON(out)
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
	var b strings.Builder
	for _, c := range strings.ToLower(title) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			b.WriteRune(c)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	if s := strings.Trim(b.String(), "-"); s != "" {
		return s + ".klm"
	}
	return "office.klm"
}
