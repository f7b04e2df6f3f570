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
func (s *Server) worded(c fiber.Ctx, name string) (room *room, net *span.Net, i int, revision int64, err error) {
	room, now, err := s.looked(c)
	if err != nil {
		return
	}
	net, revision = now.report.Net, now.view.Revision
	if _, err = office.NewDraft(net.Office).FindDevice(name); err != nil {
		err = bad("device", "%s", err)
		return
	}
	return room, net, net.Topo.DeviceIndex(name), revision, nil
}

func (s *Server) sheet(c fiber.Ctx) error {
	room, net, i, revision, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	device := net.Office.Devices[i]
	out := api.SheetView{Sheet: api.SheetOf(net, i), Before: []api.FoundMade{}, Ticks: []api.TickView{}, Revision: revision}
	switch {
	case out.Sheet != nil:
	default:
		out.Why = fmt.Sprintf("%s knows no VLANs: there is nothing to enter.", device.Name)
	}
	ticks, err := s.store.Ticks(c.Context(), room.id, device.Name)
	if err != nil {
		return err
	}
	for _, tick := range ticks {
		out.Ticks = append(out.Ticks, api.TickView(tick))
	}
	all, err := s.store.FoundOf(c.Context(), room.id, device.Name, 20)
	if err != nil {
		return err
	}
	for k, one := range all {
		made := api.FoundMade{How: one.How, Author: one.Author, At: one.At}
		if k > 0 {
			out.Before = append(out.Before, made)
			continue
		}
		kept := one.Kept()
		out.Found = api.FoundStateOf(net, i, kept.On(net, i), kept.Routing, made)
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
	room, now, err := s.looked(c)
	if err != nil {
		return err
	}
	o, err := found.AsFound(now.report.Net, now.kept)
	if err != nil {
		return err
	}
	return c.JSON(api.View(room.id, now.view.Revision, finding.Check(span.Compile(o)), nil))
}

// meaning says what ports gain and lose when a device, as it was found, is set
// to the plan. It is asked for by itself: it follows every frame of the office.
func (s *Server) meaning(c fiber.Ctx) error {
	room, net, i, _, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	all, err := s.store.FoundOf(c.Context(), room.id, net.Office.Devices[i].Name, 1)
	if err != nil {
		return err
	}
	if len(all) == 0 || !net.Aware(i) {
		return c.JSON([]api.PortChange{})
	}
	changes, err := found.Meaning(net, i, all[0].Kept().On(net, i))
	if err != nil {
		return err
	}
	return c.JSON(api.PortChanges(changes))
}

// find reads what a device shows, and keeps it where that is asked.
//
// Many branches: a text or a workbook is held against what is planned, from the factory or
// found before, and looked at or kept.
func (s *Server) find(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var request api.FoundRequest
	if err := body(c, &request); err != nil {
		return err
	}
	room, net, i, _, err := s.worded(c, request.Device)
	if err != nil {
		return err
	}
	if !net.Aware(i) {
		return bad("device", "%s knows no VLANs: there is nothing to find", request.Device)
	}
	base := wording.Planned(net, i)
	last, err := s.store.FoundOf(c.Context(), room.id, request.Device, 1)
	if err != nil {
		return err
	}
	switch {
	case request.Base == "factory":
		base = wording.Factory(wording.For(net, i))
	case request.Base == "found" && len(last) > 0:
		base = last[0].Kept().On(net, i)
	}
	device := net.Office.Devices[i]
	var result *found.Result
	if request.Book != "" {
		data, err := base64.StdEncoding.DecodeString(request.Book)
		if err != nil {
			return bad("book", "this is not base64: %s", err)
		}
		sheet := request.Sheet
		if sheet == "" {
			sheet = device.Name
		}
		rows, err := spreadsheet.Rows(data, sheet)
		if err != nil {
			return bad("book", "%s", err)
		}
		if result, err = found.Rows(device, base, rows); err != nil {
			return bad("book", "%s", err)
		}
	} else if result, err = found.OfDevice(net, i, base, request.Text); err != nil {
		return bad("text", "%s", err)
	}
	out := api.FoundAnswer{Form: result.Form, Said: len(result.Said), Trouble: []api.TroubleView{}}
	for _, trouble := range result.Trouble {
		out.Trouble = append(out.Trouble, api.TroubleView(trouble))
	}
	how := strings.Join(strings.Fields(request.How), " ")
	if how == "" {
		how = "typed in"
	}
	if result.Routing != nil {
		result.Routing.How, result.Routing.At = how, stamp()
		out.Routing = api.FoundRoutingOf(net.Office, device, result.Routing)
	} else if len(last) > 0 {
		result.Routing = last[0].Kept().Routing // nothing new is said of it
	}
	out.Found = *api.FoundStateOf(net, i, result.State, result.Routing, api.FoundMade{How: how, Author: name, At: time.Now()})
	if request.Keep {
		if len(result.Said) == 0 && out.Routing == nil {
			return bad("text", "it says nothing of any port, address, route or rule: there is nothing to keep")
		}
		kept := found.Keep(device, result.State)
		kept.Routing = result.Routing
		if err := s.store.AddFound(c.Context(), room.id, device.Name, *keptAs(kept, how, name)); err != nil {
			return err
		}
		room.refound(c.Context())
		if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: room.id, Found: device.Name}); err != nil {
			return err
		}
	}
	return c.JSON(out)
}

// keptAs is a state as the store keeps it.
func keptAs(kept found.Kept, how, author string) *store.Found {
	one := &store.Found{How: how, Author: author, Ports: kept.Ports, VLANs: []int32{}, Routing: kept.Routing}
	for _, shape := range kept.Shapes {
		one.Shapes = append(one.Shapes, notation.Shape(shape))
	}
	for _, vid := range kept.VLANs {
		one.VLANs = append(one.VLANs, int32(vid))
	}
	return one
}

func (s *Server) tick(c fiber.Ctx) error {
	name, err := author(c)
	if err != nil {
		return err
	}
	var request api.TickRequest
	if err := body(c, &request); err != nil {
		return err
	}
	room, _, _, _, err := s.worded(c, request.Device)
	if err != nil {
		return err
	}
	if request.Step == "" && request.On || strings.ContainsRune(request.Step, 0) {
		return bad("step", "a step has 1 to 500 letters")
	}
	if err := s.store.SetTick(c.Context(), room.id, request.Device, store.Tick{Step: request.Step, Author: name}, request.On); err != nil {
		return err
	}
	return c.JSON(request)
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
	_, net, i, _, err := s.worded(c, c.Query("device"))
	if err != nil {
		return err
	}
	var text strings.Builder
	writer := csv.NewWriter(&text)
	writer.UseCRLF = true
	if err := writer.WriteAll(spreadsheet.Texts(spreadsheet.Grid(net, i))); err != nil {
		return err
	}
	c.Attachment(net.Office.Devices[i].Name + ".csv")
	c.Set("Content-Type", "text/csv; charset=utf-8")
	return c.SendString(text.String())
}
