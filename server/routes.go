package server

import (
	"net/url"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
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
		{"POST", "/api/offices", "Start an office", NewOffice{}, OfficeSummary{}, nil, s.create},
		{"POST", "/api/intake", "Read somebody's own workbook or table into an office", IntakeRequest{}, IntakeAnswer{}, nil, s.intake},
		{"POST", "/api/offices/:id/takeover", "Take what was tried in a copy over, as one edit", TakeoverRequest{}, OfficeView{}, nil, s.takeover},
		{"GET", "/api/offices/:id", "A whole office", nil, OfficeView{}, nil, s.office},
		{"DELETE", "/api/offices/:id", "Delete an office", nil, OfficeSummary{}, removeQuery{}, s.remove},
		{"POST", "/api/offices/:id/edits", "Make an edit", EditRequest{}, OfficeView{}, nil, s.edit},
		{"POST", "/api/offices/:id/preview", "What an edit would do", EditRequest{}, Preview{}, nil, s.preview},
		{"POST", "/api/offices/:id/undo", "Take an edit back", UndoRequest{}, OfficeView{}, nil, s.undo},
		{"POST", "/api/offices/:id/restore", "Make the office as it was at a revision", UndoRequest{}, OfficeView{}, nil, s.restore},
		{"GET", "/api/offices/:id/at/:revision", "The office as it was at a revision", nil, OfficeView{}, nil, s.then},
		{"GET", "/api/offices/:id/history", "The newest edits", nil, []HistoryEntry{}, historyQuery{}, s.history},
		{"GET", "/api/offices/:id/explain", "Ports and a VLAN in plain words", nil, Explanation{}, explainQuery{}, s.explain},
		{"GET", "/api/offices/:id/mends", "Ways out of a finding, each tried", nil, Mends{}, mendsQuery{}, s.mends},
		{"GET", "/api/offices/:id/walk", "What becomes of a frame", nil, WalkView{}, walkQuery{}, s.walk},
		{"GET", "/api/offices/:id/propose", "The next VLAN like the others", nil, ProposalView{}, proposeQuery{}, s.propose},
		{"GET", "/api/offices/:id/compare", "What differs in another office", nil, Comparison{}, compareQuery{}, s.compare},
		{"POST", "/api/offices/:id/here", "Tell the others where this tab is", Here{}, Here{}, nil, s.here},
		{"GET", "/api/offices/:id/sheet", "A device's sheet: planned, found, and the steps between", nil, SheetView{}, deviceQuery{}, s.sheet},
		{"GET", "/api/offices/:id/found", "Where devices are set otherwise than they should be", nil, FoundNow{}, nil, s.now},
		{"GET", "/api/offices/:id/found/view", "The office as its devices were found to be set", nil, OfficeView{}, nil, s.foundView},
		{"POST", "/api/offices/:id/found", "Read what a device is set to, and keep it", FoundRequest{}, FoundAnswer{}, nil, s.find},
		{"PUT", "/api/offices/:id/ticks", "Tick a step off", TickRequest{}, TickRequest{}, nil, s.tick},
		{"GET", "/api/offices/:id/workbook", "The office as a workbook (XLSX)", nil, nil, nil, s.workbook},
		{"GET", "/api/offices/:id/grid", "A device's grid as CSV", nil, nil, deviceQuery{}, s.grid},
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
	var q EditRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	v, err := r.edit(c.Context(), asking{author: name, base: q.Base, token: q.ID, again: q.Again}, q.do)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// Mends are ways out of a finding: statements that, done, take it away and bring
// nothing that breaks.
type Mends struct {
	Finding string     `json:"finding" required:"true"`
	Mends   [][]string `json:"mends" required:"true" nullable:"false"`
}

type mendsQuery struct {
	Finding string `query:"finding" required:"true" description:"the finding's id"`
}

// mends tries them when somebody looks at the finding; an office with a
// thousand findings is not worked out a thousand times at each edit.
func (s *Server) mends(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	out := Mends{Finding: c.Query("finding"), Mends: [][]string{}}
	for _, f := range report.List() {
		if f.ID == out.Finding {
			tries := report.Tries()
			for _, m := range f.Mends { // one after the other, as long as somebody asks
				if err := c.Context().Err(); err != nil {
					return err
				}
				one := *f
				one.Mends = [][]string{m}
				out.Mends = append(out.Mends, tries(&one)...)
			}
			return c.JSON(out)
		}
	}
	return fiber.NewError(fiber.StatusNotFound, "there is no such finding any more")
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
	Notes   []string      `json:"notes" required:"true" nullable:"false" description:"what else to know: devices that must learn a VLAN, limits passed, exceptions made"`
	Devices []DeviceView  `json:"devices" required:"true" nullable:"false" description:"the devices whose ports change, as they would be"`
	Uses    []UseView     `json:"uses,omitempty" description:"all uses as they would be, where one changes"`
	Plans   []PlanView    `json:"plans,omitempty" description:"all port plans as they would be, where one or a use changes"`
	Edit    bool          `json:"edit" required:"true" description:"whether there is anything to change"`
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
	x, err := q.do(report.Net)
	if err != nil {
		return err
	}
	if err := withinLimits(x.Office); err != nil {
		return err
	}
	out := report.Foretell(x.Office)
	p := Preview{Changed: api.Refs(out.Ports), Ports: len(out.Ports), Lines: []string{}, Notes: []string{}, Devices: []DeviceView{}}
	if lines, _ := notation.Statements(x.Office, x.Edit); lines != nil {
		p.Lines = lines
	}
	p.Notes = append(p.Notes, x.Notes...)
	for _, r := range out.Ports {
		if k := len(p.Devices); k == 0 || p.Devices[k-1].Name != r.Device {
			p.Devices = append(p.Devices, deviceView(out.Report.Net, out.Report.Net.Topo.DeviceIndex(r.Device)))
		}
	}
	if slices.ContainsFunc(x.Edit.Keys(), func(k office.Key) bool {
		return strings.HasPrefix(string(k), "use:") || strings.HasPrefix(string(k), "plan:")
	}) {
		p.Uses, p.Plans = useViews(out.Report.Net), planViews(out.Report.Net)
	}
	p.Edit = len(x.Edit) > 0
	p.Come, p.Go = api.Findings(out.Report, out.Come, 0), api.Findings(report, out.Go, 0)
	return c.JSON(p)
}
