package server

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/notices"
	"klammer/store"
)

// checkups is the newest check-up of an office, and what those before came to.
func (s *Server) checkups(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.checkupsTold(c, room)
}

func (s *Server) checkupsTold(c fiber.Ctx, room *room) error {
	all, err := s.kept(c.Context(), room.id)
	if err != nil {
		return err
	}
	view := api.CheckupsView{Before: []api.CheckupEntry{}}
	if view.Every, err = s.store.CheckEvery(c.Context(), room.id); err != nil {
		return err
	}
	for i := range all {
		if i == 0 {
			view.Newest = &all[i]
			continue
		}
		view.Before = append(view.Before, api.CheckupEntry{ID: all[i].ID, At: all[i].At, By: all[i].By, Told: all[i].Told})
	}
	return c.JSON(view)
}

// kept is the check-ups that are kept, the newest first.
func (s *Server) kept(ctx context.Context, office int64) ([]api.Checkup, error) {
	rows, err := s.store.Checkups(ctx, office)
	if err != nil {
		return nil, err
	}
	out := make([]api.Checkup, len(rows))
	for i, row := range rows {
		if err := json.Unmarshal(row.Told, &out[i]); err != nil {
			return nil, err
		}
		out[i].ID, out[i].At, out[i].By = row.ID, row.At, row.Author
	}
	return out, nil
}

// checkUp makes a check-up of what is known now; who wants everything read first has it read.
func (s *Server) checkUp(c fiber.Ctx) error {
	var request api.CheckRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if _, err := s.check(c.Context(), room, name, strings.TrimSpace(request.Note)); err != nil {
		return err
	}
	return s.checkupsTold(c, room)
}

func (s *Server) setCheckEvery(c fiber.Ctx) error {
	var request api.CheckEvery
	_, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if err := s.store.SetCheckEvery(c.Context(), room.id, request.Days); err != nil {
		return err
	}
	return s.checkupsTold(c, room)
}

// checkedPorts is where a device was found otherwise than planned.
func checkedPorts(o *office.Office, device *office.Device, found *api.FoundNow, drift []store.Drift, fresh func(line string) bool) (out []api.CheckedPort) {
	for i, port := range device.Ports {
		ref := device.Name + "." + port.Name
		if shape, ok := found.Ports[ref]; ok {
			planned, _ := o.Effective(device, device.Logical(i))
			out = append(out, api.CheckedPort{Port: ref, Found: shape, Planned: notation.Shape(*planned), Fresh: fresh(portLine(ref, shape)), Since: since(drift, device.Name, port.Name)})
		}
	}
	for _, words := range found.Routing[device.Name] {
		out = append(out, api.CheckedPort{Found: words, Fresh: fresh(portLine(device.Name, words))})
	}
	return out
}

// provedBy counts what the plug tests of the plan's places came to, those that are of today's
// plan.
func provedBy(tests []api.RoundTest) (proof api.CheckedProof) {
	for _, test := range tests {
		if test.Extra {
			continue
		}
		proof.Places++
		switch result := test.Result; {
		case result == nil || result.Old:
		case !result.Passed:
			proof.Failed++
		default:
			proof.Proved++
			if at := result.At; proof.Oldest == nil || at.Before(*proof.Oldest) {
				proof.Oldest = &at
			}
		}
	}
	return proof
}

// check looks at what is known of an office, beside the check-up before, and keeps it.
func (s *Server) check(ctx context.Context, room *room, author, note string) (*api.Checkup, error) {
	now, err := room.current(ctx)
	if err != nil {
		return nil, err
	}
	readings, err := s.store.Readings(ctx, room.id)
	if err != nil {
		return nil, err
	}
	drift, err := s.store.Drifts(ctx, room.id, 1000)
	if err != nil {
		return nil, err
	}
	proved, err := s.roundView(ctx, room)
	if err != nil {
		return nil, err
	}
	before, err := s.kept(ctx, room.id)
	if err != nil {
		return nil, err
	}
	was := map[string]bool{} // what was said at the one before
	if len(before) > 0 {
		for _, line := range said(&before[0]) {
			was[line] = true
		}
	}
	fresh := func(line string) bool { return len(before) > 0 && !was[line] }
	out := &api.Checkup{At: time.Now().UTC(), By: author, Note: note, Revision: now.view.Revision, Devices: []api.CheckedDevice{}, Findings: []api.CheckedLine{}, Gone: []string{}, Backups: s.backedUp()}
	dial := s.dialer(ctx, room.id, nil)
	o := now.report.Net.Office
	for _, device := range o.Devices {
		if device.Unaware() {
			continue // there is nothing to be set
		}
		one := api.CheckedDevice{Device: device.Name, Differs: []api.CheckedPort{}}
		_, err := dial.Ways(device)
		one.Speaks = err == nil
		for _, reading := range readings {
			if reading.Device == device.Name {
				at := reading.At
				one.Read, one.Why = &at, reading.Why
			}
		}
		if found := now.view.Found; found != nil {
			one.Found = slices.Contains(found.Devices, device.Name)
			one.Differs = append(one.Differs, checkedPorts(o, device, found, drift, fresh)...)
		}
		out.Devices = append(out.Devices, one)
	}
	for _, finding := range now.view.Findings {
		if finding.Cause == "" && finding.Severity != "tidy" {
			out.Findings = append(out.Findings, api.CheckedLine{Text: finding.Text, Severity: finding.Severity, Fresh: fresh(finding.Text)})
		}
	}
	out.Proof = provedBy(proved.Tests)
	is := said(out)
	for line := range was {
		if !slices.Contains(is, line) {
			out.Gone = append(out.Gone, line)
		}
	}
	slices.Sort(out.Gone)
	out.Told = checkTold(out)
	text, err := json.Marshal(out)
	if err != nil {
		return nil, err
	}
	return out, s.store.KeepCheckup(ctx, room.id, text, author)
}

func portLine(at, found string) string {
	return strings.Replace(at, ".", " ", 1) + " is set otherwise: " + found
}

// said is all that is not in order at a check-up, in lines that are alike from one to the next.
func said(one *api.Checkup) (out []string) {
	for _, device := range one.Devices {
		if device.Why != "" {
			out = append(out, device.Device+" was not reached")
		}
		for _, port := range device.Differs {
			at := port.Port
			if at == "" {
				at = device.Device
			}
			out = append(out, portLine(at, port.Found))
		}
	}
	for _, finding := range one.Findings {
		out = append(out, finding.Text)
	}
	return out
}

// since is when a port was first found as it is, where that was noticed.
func since(drift []store.Drift, device, port string) string {
	for _, one := range drift { // the newest first
		if one.Device == device && slices.Contains(strings.FieldsFunc(one.Said, func(r rune) bool { return r == ' ' || r == ',' || r == ':' }), port) {
			return one.At.UTC().Format(time.RFC3339)
		}
	}
	return ""
}

func checkTold(one *api.Checkup) string {
	read, silent, unread, differs := 0, 0, 0, 0
	for _, device := range one.Devices {
		switch {
		case device.Why != "":
			silent++
		case device.Read != nil:
			read++
		case !device.Found:
			unread++
		}
		if len(device.Differs) > 0 {
			differs++
		}
	}
	return fmt.Sprintf("%d devices read, %d not reached, %d of which nobody knows; %d set otherwise than planned; %d findings of the plan; %d of %d places proved.",
		read, silent, unread, differs, len(one.Findings), one.Proof.Proved, one.Proof.Places)
}

// checkByThemselves has the devices of offices that are due read, and checks them.
func (s *Server) checkByThemselves() {
	s.byTimer("an office was not checked by itself", s.store.DueCheckups, s.checkByItself)
}

// mostReading is how long a check-up waits for devices to be read.
const mostReading = 15 * time.Minute

func (s *Server) checkByItself(id int64) error {
	room, err := s.roomOf(s.stop, id)
	if err != nil {
		return err
	}
	if err := s.startReading(s.stop, room, starter{author: theTimer}, nil); err != nil {
		s.log.Info("a check-up goes by what was read before", "office", id, "why", err.Error())
	}
	for end := time.After(mostReading); s.readings.now(id) != nil; {
		select {
		case <-s.stop.Done():
			return nil
		case <-end:
			s.log.Warn("a check-up does not wait any longer for devices", "office", id)
			s.readings.stop(id)
		case <-time.After(200 * time.Millisecond):
		}
	}
	ctx, stop := context.WithTimeout(s.stop, atMost)
	defer stop()
	one, err := s.check(ctx, room, theTimer, "")
	if err != nil {
		return err
	}
	s.notify(id, notices.Checkup, "Check-up: "+one.Told)
	return nil
}
