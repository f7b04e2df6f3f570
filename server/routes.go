package server

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/explain"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// route is one way into the server, with what its description is made from.
type route struct {
	method, path, summary string
	in, out               any // examples of the body and the answer; nil for none
	query                 any // a struct whose fields are the query
	handle                fiber.Handler
}

func (s *Server) routes() []route {
	return []route{
		{"GET", "/api/health", "Whether the server and its database answer", nil, Health{}, nil, s.health},
		{"GET", "/api/me", "Who this browser said it is", nil, Me{}, nil, s.getMe},
		{"PUT", "/api/me", "Say who this browser is", Me{}, Me{}, nil, s.putMe},
		{"GET", "/api/offices", "The offices", nil, []OfficeSummary{}, nil, s.offices},
		{"GET", "/api/offices/:id", "A whole office", nil, OfficeView{}, nil, s.office},
		{"POST", "/api/offices/:id/edits", "Make an edit", EditRequest{}, OfficeView{}, nil, s.edit},
		{"POST", "/api/offices/:id/preview", "What an edit would do", EditRequest{}, Preview{}, nil, s.preview},
		{"POST", "/api/offices/:id/undo", "Take an edit back", UndoRequest{}, OfficeView{}, nil, s.undo},
		{"GET", "/api/offices/:id/history", "The newest edits", nil, []HistoryEntry{}, historyQuery{}, s.history},
		{"GET", "/api/offices/:id/explain", "Ports and a VLAN in plain words", nil, Explanation{}, explainQuery{}, s.explain},
		{"GET", "/api/offices/:id/notation", "The office in bracket notation", nil, nil, nil, s.notation},
		{"GET", "/api/offices/:id/events", "Edits as they are made, as server-sent events", nil, nil, nil, s.events},
	}
}

// Health is whether all is well.
type Health struct {
	Database bool `json:"database" required:"true"`
}

func (s *Server) health(c fiber.Ctx) error {
	if err := s.store.Ping(c.Context()); err != nil {
		return err
	}
	return c.JSON(Health{true})
}

// Me is who a browser said it is; "" for nobody yet.
type Me struct {
	Name string `json:"name" required:"true"`
}

func (s *Server) getMe(c fiber.Ctx) error {
	name, _ := author(c)
	return c.JSON(Me{name})
}

func (s *Server) putMe(c fiber.Ctx) error {
	var q Me
	if err := body(c, &q); err != nil {
		return err
	}
	name, err := checkName(q.Name)
	if err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: authorCookie, Value: url.QueryEscape(name), Path: "/", HTTPOnly: true, SameSite: "Strict", MaxAge: 400 * 24 * 3600})
	return c.JSON(Me{name})
}

// OfficeSummary is an office in a list.
type OfficeSummary struct {
	ID       int64  `json:"id" required:"true"`
	Title    string `json:"title" required:"true"`
	Revision int64  `json:"revision" required:"true"`
}

func (s *Server) offices(c fiber.Ctx) error {
	all, err := s.store.Offices(c.Context())
	if err != nil {
		return err
	}
	out := []OfficeSummary{}
	for _, o := range all {
		out = append(out, OfficeSummary(o))
	}
	return c.JSON(out)
}

func (s *Server) office(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	_, v, err := r.current(c.Context())
	if err != nil {
		return err
	}
	return c.JSON(v)
}

func (s *Server) edit(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q EditRequest
	if err := body(c, &q); err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	v, err := r.edit(c.Context(), name, q.Base, 0, func(n *span.Net) (*office.Office, office.Edit, string, error) { return plan(n, &q) })
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// report is the findings of the office that a request names.
func (s *Server) report(c fiber.Ctx) (*finding.Report, error) {
	r, err := s.room(c)
	if err != nil {
		return nil, err
	}
	report, _, err := r.current(c.Context())
	return report, err
}

// Preview is what an edit would do, before it is done.
type Preview struct {
	Ports   int           `json:"ports" required:"true" description:"how many ports change"`
	Changed []string      `json:"changed" required:"true" nullable:"false"`
	Lines   []string      `json:"lines" required:"true" nullable:"false"`
	Come    []api.Finding `json:"come" required:"true" nullable:"false"`
	Go      []api.Finding `json:"go" required:"true" nullable:"false"`
}

func (s *Server) preview(c fiber.Ctx) error {
	var q EditRequest
	if err := body(c, &q); err != nil {
		return err
	}
	report, err := s.report(c)
	if err != nil {
		return err
	}
	o, e, _, err := plan(report.Net, &q)
	if err != nil {
		return err
	}
	out := report.Foretell(o)
	p := Preview{Changed: api.Refs(out.Ports), Ports: len(out.Ports), Lines: []string{}}
	if lines, _ := notation.Statements(o, e); lines != nil {
		p.Lines = lines
	}
	p.Come, p.Go = api.Findings(out.Report, out.Come, 0), api.Findings(report, out.Go, 0)
	return c.JSON(p)
}

// UndoRequest takes one edit back; to redo is to take the undoing back.
type UndoRequest struct {
	Revision int64 `json:"revision" required:"true" minimum:"1"`
}

func (s *Server) undo(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q UndoRequest
	if err := body(c, &q); err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	v, err := r.undo(c.Context(), name, q.Revision)
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
	Since int64 `query:"since"`
}

func (s *Server) history(c fiber.Ctx) error {
	since, err := intQuery(c, "since", 0)
	if err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	all, err := s.store.History(c.Context(), r.id, since, 100)
	if err != nil {
		return err
	}
	out := []HistoryEntry{}
	for _, m := range all {
		out = append(out, HistoryEntry{m.Revision, m.Author, m.At, m.Summary, m.Undoes, m.UndoneBy})
	}
	return c.JSON(out)
}

// Explanation is what ports do in plain words, and where a VLAN goes.
type Explanation struct {
	Title string     `json:"title" required:"true" description:"the ports, folded: ward-east 5-6"`
	Shape string     `json:"shape" required:"true" description:"their shape in bracket notation, empty where they differ"`
	Words []string   `json:"words" required:"true" nullable:"false"`
	Reach *ReachView `json:"reach,omitempty"`
}

// ReachView is where one VLAN goes.
type ReachView struct {
	VID   int          `json:"vid" required:"true"`
	Roots []BranchView `json:"roots" required:"true" nullable:"false"`
	Ports []string     `json:"ports" required:"true" nullable:"false" description:"all ports of its spans"`
	Cut   []string     `json:"cut" required:"true" nullable:"false" description:"those that its gateway does not reach"`
}

// BranchView is a device in a VLAN's reach, seen from the gateway outwards.
type BranchView struct {
	Device   string       `json:"device" required:"true"`
	Port     string       `json:"port" required:"true"`
	Via      string       `json:"via" required:"true"`
	Broken   bool         `json:"broken" required:"true"`
	Cut      bool         `json:"cut" required:"true"`
	Ends     string       `json:"ends" required:"true" description:"the ports where it ends there, folded"`
	Count    int          `json:"count" required:"true" description:"how many they are"`
	Branches []BranchView `json:"branches" required:"true" nullable:"false"`
}

type explainQuery struct {
	Ports string `query:"ports" description:"ports, joined by commas"`
	VLAN  int    `query:"vlan"`
}

func (s *Server) explain(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	n := report.Net
	x := Explanation{Words: []string{}}
	if q := c.Query("ports"); q != "" {
		refs, err := ports(n.Office, "ports", strings.Split(q, ","))
		if err != nil {
			return err
		}
		describe(n, refs, &x)
	}
	vid, err := intQuery(c, "vlan", 0)
	if err != nil {
		return err
	}
	if vid != 0 {
		v, err := office.VIDOf(int(vid))
		if err != nil {
			return bad("vlan", "%s", err)
		}
		x.Reach = reach(n, v)
	}
	return c.JSON(x)
}

func describe(n *span.Net, refs []office.PortRef, x *Explanation) {
	x.Title = portNames(n.Office, refs)
	for k, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		w, _ := n.Shape(i, n.Office.Devices[i].Port(r.Port))
		if s := notation.Shape(*w); k == 0 {
			x.Shape = s
		} else if x.Shape != s {
			x.Shape = ""
			break
		}
	}
	if explain.Same(n, refs) {
		x.Words = explain.Port(n, refs[0])
	} else {
		x.Words = []string{fmt.Sprintf("%d ports, which differ. What you set is set on all of them.", len(refs))}
	}
}

func reach(n *span.Net, v office.VID) *ReachView {
	out := &ReachView{VID: int(v), Roots: []BranchView{}, Ports: []string{}, Cut: []string{}}
	var convert func(bs []*explain.Branch) []BranchView
	convert = func(bs []*explain.Branch) []BranchView {
		r := []BranchView{}
		for _, b := range bs {
			r = append(r, BranchView{b.Device, b.Port, b.Via, b.Broken, b.Cut, strings.TrimPrefix(portNames(n.Office, b.Ends), b.Device+" "), len(b.Ends), convert(b.Branches)})
		}
		return r
	}
	out.Roots = convert(explain.Reach(n, v))
	if x := n.VLAN(v); x != nil {
		for i, s := range x.Spans {
			refs := api.Refs(n.Reaches(s))
			out.Ports = append(out.Ports, refs...)
			if i > 0 {
				out.Cut = append(out.Cut, refs...)
			}
		}
	}
	return out
}

func (s *Server) notation(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/plain; charset=utf-8")
	return c.SendString(notation.Print(report.Net.Office))
}

// events streams the views of edits. A comment goes out every few seconds, so
// that both sides notice when the other is gone.
func (s *Server) events(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	views, done := r.watch()
	_, now, err := r.current(c.Context())
	if err != nil {
		done()
		return err
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer done()
		fmt.Fprintf(w, "retry: 500\nevent: at\ndata: %d\n\n", now.Revision)
		if w.Flush() != nil {
			return
		}
		beat := time.NewTicker(3 * time.Second)
		defer beat.Stop()
		for {
			select {
			case <-s.stop.Done():
				return
			case v, ok := <-views:
				if !ok {
					return
				}
				text, err := json.Marshal(v)
				if err != nil {
					return
				}
				fmt.Fprintf(w, "event: edit\nid: %d\ndata: %s\n\n", v.Revision, text)
			case <-beat.C:
				fmt.Fprint(w, "event: beat\ndata: \n\n")
			}
			if w.Flush() != nil {
				return
			}
		}
	})
}
