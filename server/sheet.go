package server

import (
	"encoding/base64"
	"encoding/csv"
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

// worded finds the device that a request names.
func (s *Server) worded(c fiber.Ctx, name string) (r *room, n *span.Net, i int, revision int64, err error) {
	r, now, err := s.looked(c)
	if err != nil {
		return
	}
	n, revision = now.report.Net, now.view.Revision
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
	device := n.Office.Devices[i]
	out := api.SheetView{Sheet: api.SheetOf(n, i), Before: []api.FoundMade{}, Ticks: []api.TickView{}, Revision: revision}
	switch {
	case out.Sheet != nil:
	default:
		out.Why = fmt.Sprintf("%s knows no VLANs: there is nothing to enter.", device.Name)
	}
	ticks, err := s.store.Ticks(c.Context(), r.id, device.Name)
	if err != nil {
		return err
	}
	for _, t := range ticks {
		out.Ticks = append(out.Ticks, api.TickView(t))
	}
	all, err := s.store.FoundOf(c.Context(), r.id, device.Name, 20)
	if err != nil {
		return err
	}
	for k, f := range all {
		made := api.FoundMade{How: f.How, Author: f.Author, At: f.At}
		if k > 0 {
			out.Before = append(out.Before, made)
			continue
		}
		kept := f.Kept()
		out.Found = api.FoundStateOf(n, i, kept.On(n, i), kept.Routing, made)
	}
	return c.JSON(out)
}

// now lists what was found of all devices, as far as it differs.
func (s *Server) now(c fiber.Ctx) error {
	_, now, err := s.looked(c)
	if err != nil {
		return err
	}
	return c.JSON(now.view.Found)
}

// foundView is the office as its devices were found to be set, with the
// findings of that; devices of which nothing was found are as planned.
func (s *Server) foundView(c fiber.Ctx) error {
	r, now, err := s.looked(c)
	if err != nil {
		return err
	}
	o, err := found.AsFound(now.report.Net, now.kept)
	if err != nil {
		return err
	}
	return c.JSON(api.View(r.id, now.view.Revision, finding.Check(span.Compile(o)), nil))
}

// meaning says what ports gain and lose when a device, as it was found, is set
// to the plan. It is asked for by itself: it follows every frame of the office.
func (s *Server) meaning(c fiber.Ctx) error {
	r, n, i, _, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	all, err := s.store.FoundOf(c.Context(), r.id, n.Office.Devices[i].Name, 1)
	if err != nil {
		return err
	}
	if len(all) == 0 || !n.Aware(i) {
		return c.JSON([]api.PortChange{})
	}
	changes, err := found.Meaning(n, i, all[0].Kept().On(n, i))
	if err != nil {
		return err
	}
	return c.JSON(api.PortChanges(changes))
}

func (s *Server) find(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q api.FoundRequest
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
	last, err := s.store.FoundOf(c.Context(), r.id, q.Device, 1)
	if err != nil {
		return err
	}
	switch {
	case q.Base == "factory":
		base = wording.Factory(wording.For(n, i))
	case q.Base == "found" && len(last) > 0:
		base = last[0].Kept().On(n, i)
	}
	device := n.Office.Devices[i]
	var x *found.Result
	if q.Book != "" {
		data, err := base64.StdEncoding.DecodeString(q.Book)
		if err != nil {
			return bad("book", "this is not base64: %s", err)
		}
		sheet := q.Sheet
		if sheet == "" {
			sheet = device.Name
		}
		rows, err := spreadsheet.Rows(data, sheet)
		if err != nil {
			return bad("book", "%s", err)
		}
		if x, err = found.Rows(device, base, rows); err != nil {
			return bad("book", "%s", err)
		}
	} else if x, err = found.OfDevice(n, i, base, q.Text); err != nil {
		return bad("text", "%s", err)
	}
	out := api.FoundAnswer{Form: x.Form, Said: len(x.Said), Trouble: []api.TroubleView{}}
	for _, t := range x.Trouble {
		out.Trouble = append(out.Trouble, api.TroubleView(t))
	}
	how := strings.Join(strings.Fields(q.How), " ")
	if how == "" {
		how = "typed in"
	}
	if x.Routing != nil {
		x.Routing.How, x.Routing.At = how, stamp()
		out.Routing = api.FoundRoutingOf(n.Office, device, x.Routing)
	} else if len(last) > 0 {
		x.Routing = last[0].Kept().Routing // nothing new is said of it
	}
	out.Found = *api.FoundStateOf(n, i, x.State, x.Routing, api.FoundMade{How: how, Author: name, At: time.Now()})
	if q.Keep {
		if len(x.Said) == 0 && out.Routing == nil {
			return bad("text", "it says nothing of any port, address, route or rule: there is nothing to keep")
		}
		kept := found.Keep(device, x.State)
		kept.Routing = x.Routing
		if err := s.store.AddFound(c.Context(), r.id, device.Name, *keptAs(kept, how, name)); err != nil {
			return err
		}
		r.refound(c.Context())
		if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: r.id, Found: device.Name}); err != nil {
			return err
		}
	}
	return c.JSON(out)
}

// keptAs is a state as the store keeps it.
func keptAs(k found.Kept, how, author string) *store.Found {
	f := &store.Found{How: how, Author: author, Ports: k.Ports, VLANs: []int32{}, Routing: k.Routing}
	for _, s := range k.Shapes {
		f.Shapes = append(f.Shapes, notation.Shape(s))
	}
	for _, v := range k.VLANs {
		f.VLANs = append(f.VLANs, int32(v))
	}
	return f
}

func (s *Server) tick(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var q api.TickRequest
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
	c.Attachment(strings.TrimSuffix(fileName(report.Net.Office.Title), ".klm") + ".xlsx")
	c.Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
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
	if err := w.WriteAll(spreadsheet.Texts(spreadsheet.Grid(n, i))); err != nil {
		return err
	}
	c.Attachment(n.Office.Devices[i].Name + ".csv")
	c.Set("Content-Type", "text/csv; charset=utf-8")
	return c.SendString(b.String())
}
