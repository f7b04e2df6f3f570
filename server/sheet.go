package server

import (
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/spreadsheet"
	"klammer/store"
)

type deviceQuery struct {
	Device string `query:"device" required:"true"`
}

// SheetView is a device's sheet: what it should be set to, what it was found to
// be set to, and the steps between.
type SheetView struct {
	Sheet    *api.Sheet  `json:"sheet,omitempty" description:"the plan in the device's wording; absent where it has none"`
	Why      string      `json:"why,omitempty" description:"why there is no sheet"`
	Found    *FoundState `json:"found,omitempty" description:"the newest"`
	Before   []FoundMade `json:"before" required:"true" nullable:"false" description:"when it was found before, the newest first"`
	Ticks    []TickView  `json:"ticks" required:"true" nullable:"false"`
	Revision int64       `json:"revision" required:"true"`
}

// FoundMade is who found out and when.
type FoundMade struct {
	How    string    `json:"how" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// FoundState is what a device was found to be set to, beside the plan.
type FoundState struct {
	FoundMade
	api.Found
	Ports []FoundPort `json:"ports" required:"true" nullable:"false"`
}

// FoundPort is a port and what it was found to be set to.
type FoundPort struct {
	Port  string `json:"port" required:"true"`
	Shape string `json:"shape" required:"true"`
}

// TickView is a step that is done.
type TickView struct {
	Step   string    `json:"step" required:"true"`
	Author string    `json:"author" required:"true"`
	At     time.Time `json:"at" required:"true"`
}

// worded finds the device that a request names.
func (s *Server) worded(c fiber.Ctx, name string) (r *room, n *span.Net, i int, revision int64, err error) {
	if r, err = s.room(c); err != nil {
		return
	}
	report, v, err := r.current(c.Context())
	if err != nil {
		return
	}
	n, revision = report.Net, v.Revision
	if _, err = office.NewDraft(n.Office).FindDevice(name); err != nil {
		err = bad("device", "%s", err)
		return
	}
	return r, n, n.Topo.DeviceIndex(name), revision, nil
}

func (s *Server) sheet(c fiber.Ctx) error {
	r, n, i, revision, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	d := n.Office.Devices[i]
	out := SheetView{Sheet: api.SheetOf(n, i), Before: []FoundMade{}, Ticks: []TickView{}, Revision: revision}
	switch {
	case out.Sheet != nil:
	default:
		out.Why = fmt.Sprintf("%s knows no VLANs: there is nothing to enter.", d.Name)
	}
	ticks, err := s.store.Ticks(c.Context(), r.id, d.Name)
	if err != nil {
		return err
	}
	for _, t := range ticks {
		out.Ticks = append(out.Ticks, TickView(t))
	}
	all, err := s.store.FoundOf(c.Context(), r.id, d.Name, 20)
	if err != nil {
		return err
	}
	for k, f := range all {
		made := FoundMade{f.How, f.Author, f.At}
		if k > 0 {
			out.Before = append(out.Before, made)
			continue
		}
		out.Found = foundState(n, i, stateOf(n, i, &f), made)
	}
	return c.JSON(out)
}

// stateOf is a kept state on the ports that the device has now: ports that were
// not there then are taken to be as planned.
func stateOf(n *span.Net, i int, f *store.Found) wording.State {
	s := wording.Planned(n, i)
	for k, name := range f.Ports {
		if p := n.Office.Devices[i].Port(name); p >= 0 && n.Office.Devices[i].Ports[p].Bundle == 0 {
			if sh, err := notation.ReadShape(f.Shapes[k]); err == nil {
				s = s.With(p, wording.Of(&sh))
			}
		}
	}
	var learnt office.Set
	for _, v := range f.VLANs {
		learnt.Add(office.VID(v))
	}
	return s.Knowing(learnt)
}

func foundState(n *span.Net, i int, s wording.State, made FoundMade) *FoundState {
	out := &FoundState{FoundMade: made, Found: *api.FoundOf(n, i, s), Ports: []FoundPort{}}
	d := n.Office.Devices[i]
	for p := range d.Ports {
		if d.Ports[p].Bundle == 0 {
			out.Ports = append(out.Ports, FoundPort{d.Ports[p].Name, notation.Shape(s.Ports[p].Shape())})
		}
	}
	return out
}

// FoundNow is where devices are set otherwise than they should be.
type FoundNow struct {
	Devices []string          `json:"devices" required:"true" nullable:"false" description:"those of which something was found"`
	Ports   map[string]string `json:"ports" required:"true" nullable:"false" description:"ports that differ from the plan, with what they are set to"`
}

// now lists what was found of all devices, as far as it differs.
func (s *Server) now(c fiber.Ctx) error {
	n, states, err := s.states(c)
	if err != nil {
		return err
	}
	out := FoundNow{Devices: []string{}, Ports: map[string]string{}}
	for i, d := range n.Office.Devices {
		if st, ok := states[i]; ok {
			out.Devices = append(out.Devices, d.Name)
			for _, x := range api.FoundOf(n, i, st).Differences {
				out.Ports[x.Port] = x.Found
			}
		}
	}
	return c.JSON(out)
}

// foundView is the office as its devices were found to be set, with the
// findings of that; devices of which nothing was found are as planned.
func (s *Server) foundView(c fiber.Ctx) error {
	n, states, err := s.states(c)
	if err != nil {
		return err
	}
	o := n.Office
	for i := range o.Devices {
		if st, ok := states[i]; ok {
			if o, err = api.As(o, i, st); err != nil {
				return err
			}
		}
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	_, v, err := r.current(c.Context())
	if err != nil {
		return err
	}
	return c.JSON(view(r.id, v.Revision, finding.Check(span.Compile(o))))
}

// states are the newest found states, by the places of their devices.
func (s *Server) states(c fiber.Ctx) (*span.Net, map[int]wording.State, error) {
	r, err := s.room(c)
	if err != nil {
		return nil, nil, err
	}
	report, _, err := r.current(c.Context())
	if err != nil {
		return nil, nil, err
	}
	all, err := s.store.FoundNow(c.Context(), r.id)
	if err != nil {
		return nil, nil, err
	}
	out := map[int]wording.State{}
	for name, f := range all {
		if i := report.Net.Topo.DeviceIndex(name); i >= 0 && report.Net.Aware(i) {
			out[i] = stateOf(report.Net, i, &f)
		}
	}
	return report.Net, out, nil
}

// FoundRequest is what somebody got out of a device.
type FoundRequest struct {
	Device string `json:"device" required:"true"`
	Text   string `json:"text,omitempty" description:"lines in notation, a table, or what bridge -json vlan show prints"`
	Book   string `json:"book,omitempty" description:"a workbook (XLSX) in base64"`
	Sheet  string `json:"sheet,omitempty" description:"the sheet of the workbook; the device's, else the first"`
	Base   string `json:"base,omitempty" enum:"plan,factory,found" description:"what ports are taken to be that the text does not mention"`
	How    string `json:"how,omitempty" maxLength:"100" description:"where it is from, for the record"`
	Keep   bool   `json:"keep,omitempty" description:"keep it; otherwise it is only shown"`
}

// FoundAnswer is what was understood of it.
type FoundAnswer struct {
	Form    string        `json:"form" required:"true"`
	Said    int           `json:"said" required:"true" description:"how many ports it says something of"`
	Trouble []TroubleView `json:"trouble" required:"true" nullable:"false"`
	Found   FoundState    `json:"found" required:"true"`
}

// TroubleView is something that could not be understood.
type TroubleView struct {
	Row    int    `json:"row" required:"true"`
	Column int    `json:"column" required:"true" description:"0 where the whole row is meant"`
	Text   string `json:"text" required:"true"`
}

func (s *Server) find(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q FoundRequest
	if err := body(c, &q); err != nil {
		return err
	}
	r, n, i, _, err := s.worded(c, q.Device)
	if err != nil {
		return err
	}
	if !n.Aware(i) {
		return bad("device", "%s knows no VLANs: there is nothing to find", q.Device)
	}
	base := wording.Planned(n, i)
	switch q.Base {
	case "", "plan":
	case "factory":
		base = wording.Factory(wording.For(n, i))
	case "found":
		all, err := s.store.FoundOf(c.Context(), r.id, q.Device, 1)
		if err != nil {
			return err
		}
		if len(all) > 0 {
			base = stateOf(n, i, &all[0])
		}
	}
	d := n.Office.Devices[i]
	var x *found.Result
	if q.Book != "" {
		data, err := base64.StdEncoding.DecodeString(q.Book)
		if err != nil {
			return bad("book", "this is not base64: %s", err)
		}
		sheet := q.Sheet
		if sheet == "" {
			sheet = d.Name
		}
		rows, err := spreadsheet.Rows(data, sheet)
		if err != nil {
			return bad("book", "%s", err)
		}
		if x, err = found.Rows(d, base, rows); err != nil {
			return bad("book", "%s", err)
		}
	} else if x, err = found.Text(n.Office, d, base, q.Text); err != nil {
		return bad("text", "%s", err)
	}
	out := FoundAnswer{Form: x.Form, Said: len(x.Said), Trouble: []TroubleView{}}
	for _, t := range x.Trouble {
		out.Trouble = append(out.Trouble, TroubleView(t))
	}
	how := strings.Join(strings.Fields(q.How), " ")
	if how == "" {
		how = "typed in"
	}
	out.Found = *foundState(n, i, x.State, FoundMade{how, name, time.Now()})
	if q.Keep {
		if len(x.Said) == 0 {
			return bad("text", "it says nothing of any port: there is nothing to keep")
		}
		f := store.Found{How: how, Author: name, VLANs: []int32{}}
		learnt := x.State.Learnt()
		for v := range learnt.All() {
			f.VLANs = append(f.VLANs, int32(v))
		}
		for _, p := range out.Found.Ports {
			f.Ports, f.Shapes = append(f.Ports, p.Port), append(f.Shapes, p.Shape)
		}
		if err := s.store.AddFound(c.Context(), r.id, d.Name, f); err != nil {
			return err
		}
		text, err := json.Marshal(Somebody{Name: name, Office: r.id, Found: d.Name})
		if err != nil {
			return err
		}
		if err := s.store.Tell(c.Context(), string(text)); err != nil {
			return err
		}
	}
	return c.JSON(out)
}

// TickRequest ticks a step off, or takes the tick away; with no step and off,
// all ticks of the device.
type TickRequest struct {
	Device string `json:"device" required:"true"`
	Step   string `json:"step" required:"true" maxLength:"500"`
	On     bool   `json:"on" required:"true"`
}

func (s *Server) tick(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q TickRequest
	if err := body(c, &q); err != nil {
		return err
	}
	r, _, _, _, err := s.worded(c, q.Device)
	if err != nil {
		return err
	}
	if q.Step == "" && q.On || strings.ContainsRune(q.Step, 0) {
		return bad("step", "a step has 1 to 500 letters")
	}
	if err := s.store.SetTick(c.Context(), r.id, q.Device, q.Step, name, q.On); err != nil {
		return err
	}
	return c.JSON(q)
}

// workbook sends the office as a workbook.
func (s *Server) workbook(c fiber.Ctx) error {
	report, err := s.report(c)
	if err != nil {
		return err
	}
	data, err := spreadsheet.Office(report)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", strings.TrimSuffix(fileName(report.Net.Office.Title), ".klm")+".xlsx"))
	return c.Send(data)
}

// grid sends a device's grid as CSV (RFC 4180).
func (s *Server) grid(c fiber.Ctx) error {
	_, n, i, _, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	if err := w.WriteAll(spreadsheet.Grid(n, i)); err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", n.Office.Devices[i].Name+".csv"))
	return c.SendString(b.String())
}
