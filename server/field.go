package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
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
	"klammer/field"
	"klammer/mishap"
	"klammer/notices"
	"klammer/secrets"
	"klammer/store"
)

// Field is what a server needs to speak to devices; the zero Field keeps no
// credentials.
type Field struct {
	Key *secrets.Key                // seals credentials
	At  map[int64]map[string]string // by office and device: where it is instead, as stand-ins are

	// ByHand is told what a person did at a device, by the office as it is then: stand-ins are
	// set so, too. Nil where there are none.
	ByHand func(id int64, device string, then *office.Office)

	Tick time.Duration // how often it is asked which offices are due to be read; 20 s where zero
}

// SpeakTo says how devices are spoken to. It is called before the server serves.
func (s *Server) SpeakTo(one Field) { s.field = one }

func (s *Server) readingNow(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	return s.readingTold(c, room)
}

func (s *Server) readingTold(c fiber.Ctx, room *room) error {
	view, err := s.readingView(c.Context(), room)
	if err != nil {
		return err
	}
	return c.JSON(view)
}

// readingView is what devices told last, held against the plan as it is now.
func (s *Server) readingView(ctx context.Context, room *room) (*api.ReadingView, error) {
	now, err := room.current(ctx)
	if err != nil {
		return nil, err
	}
	net := now.report.Net
	o := net.Office
	view := &api.ReadingView{Sealed: s.field.Key != nil, Devices: []api.DeviceReading{}, Cards: []api.CardView{}, Drift: []api.DriftView{}, Places: places(o)}
	if job := s.readings.now(room.id); job != nil {
		view.Running = &api.ReadingRun{Done: int(job.done.Load()), Of: int(job.of.Load()), Author: job.author}
	}
	if view.Every, err = s.store.ReadEvery(ctx, room.id); err != nil {
		return nil, err
	}
	all, err := s.store.Readings(ctx, room.id)
	if err != nil {
		return nil, err
	}
	by := map[string]store.Reading{}
	for _, reading := range all {
		by[reading.Device] = reading
	}
	dial := s.dialer(ctx, room.id, nil)
	var told []*field.Telling
	for _, device := range o.Devices {
		_, err := dial.Ways(device)
		reading := api.DeviceReading{Device: device.Name, Speaks: err == nil}
		if read, ok := by[device.Name]; ok {
			reading.At, reading.Why = &read.At, read.Why
			if read.Told != nil {
				reading.Told = &field.Telling{}
				if err := json.Unmarshal(read.Told, reading.Told); err != nil {
					return nil, err
				}
				told = append(told, reading.Told)
			}
		}
		view.Devices = append(view.Devices, reading)
	}
	view.Cables, view.Phones = field.Cables(o, told), field.Phones(o, told)
	seen := field.Seen(o, told)
	if seen.Failed, err = s.failedTests(ctx, room); err != nil {
		return nil, err
	}
	view.Findings = api.SeenFindings(finding.OfSeen(net, seen))
	cards, err := s.store.Cards(ctx, room.id)
	if err != nil {
		return nil, err
	}
	for _, card := range cards {
		if device := o.Device(card.Device); device != nil && device.Port(card.Port) >= 0 && len(net.Topo.LinksAt(net.Topo.DeviceIndex(device.Name), device.Logical(device.Port(card.Port)))) == 0 {
			view.Cards = append(view.Cards, api.NamedCard(o, api.CardView{MAC: card.MAC, Device: card.Device, Port: card.Port, VID: int(card.VID), Since: card.Since}))
		}
	}
	drift, err := s.store.Drifts(ctx, room.id, 50)
	if err != nil {
		return nil, err
	}
	for _, one := range drift {
		view.Drift = append(view.Drift, api.DriftView(one))
	}
	view.Credentials, err = s.credentialsTold(ctx, room.id)
	return view, err
}

func (s *Server) readDevices(c fiber.Ctx) error {
	var request api.ReadRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	if err := s.startReading(c.Context(), room, starter{name, s.askedFrom(c).String(), personOf(c)}, request.Devices); err != nil {
		return err
	}
	return s.readingTold(c, room)
}

// starter is who has something done in the background: for the timer without an address.
type starter struct {
	author, address string
	person          int64
}

func personOf(c fiber.Ctx) int64 {
	if person := whoAsks(c).person; person != nil {
		return person.ID
	}
	return 0
}

// startReading reads devices in the background. One reading of an office goes on at a time.
func (s *Server) startReading(ctx context.Context, room *room, by starter, names []string) error {
	author, address := by.author, by.address
	now, err := room.current(ctx)
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	one := &usage{}
	dial := s.dialer(s.stop, room.id, one)
	var devices []*office.Device
	draft := office.NewDraft(o)
	for i, name := range names {
		device, err := draft.FindDevice(name)
		if err != nil {
			return bad(fmt.Sprintf("devices[%d]", i), "%s", err)
		}
		if _, err := dial.Ways(device); err != nil {
			return bad(fmt.Sprintf("devices[%d]", i), "%s", err)
		}
		devices = append(devices, device)
	}
	if len(names) == 0 {
		for _, device := range o.Devices {
			if _, err := dial.Ways(device); err == nil {
				devices = append(devices, device)
			}
		}
	}
	if len(devices) == 0 {
		return bad("devices", "no device says how it is spoken to: say so on the line, as in rack speaks snmp")
	}
	j, err := s.readings.begin(s.stop, room.id, author, by.person)
	if err != nil {
		return err
	}
	j.far(0, len(devices))
	s.goOn(s.readings, room.id, j, "reading devices", func(job *job) {
		defer s.tellRead(room, author)
		defer s.readings.end(room.id, job)
		dial.ReadAll(job.ctx, o, devices, func(res field.Result) {
			told := "told"
			if res.Err != nil {
				told = "failed"
			}
			s.meters.reads.WithLabelValues(told).Inc()
			var fault *mishap.Fault
			if errors.As(res.Err, &fault) {
				mishap.Log(s.log, "reading "+res.Device, fault)
			}
			if job.ctx.Err() == nil {
				if err := mishap.Try(func() error { return s.keep(s.stop, room, res, author) }); err != nil {
					mishap.Log(s.log, "what "+res.Device+" told could not be kept", err)
				}
			}
			job.done.Add(1)
			s.tellRead(room, author)
		})
		if address != "" {
			s.noteUsage(one, author, address, room.id)
		}
		room.refound(s.stop) // who sees that it is over sees what was found
	})
	return nil
}

func (s *Server) tellRead(room *room, author string) {
	if err := s.tellAll(s.stop, api.Somebody{Name: author, Office: room.id, Read: true}); err != nil && s.stop.Err() == nil {
		s.log.Warn("a reading could not be told", "error", err)
	}
}

// keep keeps what a device told.
func (s *Server) keep(ctx context.Context, room *room, res field.Result, author string) error {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if res.Err != nil {
		if author == theTimer {
			s.fellSilent(ctx, room.id, res.Device, res.Err)
		}
		return s.store.KeepReading(ctx, room.id, store.Reading{Device: res.Device, Why: strings.ReplaceAll(res.Err.Error(), "\n", "; ")}, store.Learnt{})
	}
	now, err := room.current(ctx)
	if err != nil {
		return err
	}
	net := now.report.Net
	i := net.Topo.DeviceIndex(res.Device)
	if i < 0 {
		return nil // it was removed meanwhile
	}
	device := net.Office.Devices[i]
	match := field.MatchPorts(device, res.Reading)
	telling := res.Reading.Telling(net.Office, device, match)
	one, drift, err := s.news(ctx, room.id, toldBy{net, i, res.Reading, telling, author})
	if err != nil {
		return err
	}
	text, err := json.Marshal(telling)
	if err != nil {
		return err
	}
	var cards []store.Card
	for _, card := range telling.Learnt {
		cards = append(cards, store.Card{Device: device.Name, Port: card.Port, VID: int32(card.VID), MAC: string(card.MAC)})
	}
	err = s.store.KeepReading(ctx, room.id, store.Reading{Device: device.Name, Source: telling.Source, Told: text}, store.Learnt{Found: one, Cards: cards, Drift: drift})
	if err == nil {
		for _, said := range drift[:min(len(drift), mostDrift)] {
			s.notify(room.id, notices.Drift, said+", not by a work order.")
		}
	}
	return err
}

// theTimer is who reads devices by himself.
const theTimer = "the timer"

// mostDrift is how much of what one device drifted is told.
const mostDrift = 20

// fellSilent tells that a device does not answer that did when it was read last.
func (s *Server) fellSilent(ctx context.Context, office int64, device string, why error) {
	all, err := s.store.Readings(ctx, office)
	if err != nil {
		return // that it was not read is kept, or said, all the same
	}
	for _, one := range all {
		if one.Device == device && one.Why == "" && one.Told != nil {
			s.notify(office, notices.Silent, fmt.Sprintf("%s does not answer: %s.", device, why))
		}
	}
}

// toldBy is what device i of an office told, and who had it read.
type toldBy struct {
	net     *span.Net
	dev     int
	reading *field.Reading
	telling *field.Telling
	author  string
}

// news is what a device was found to be set to, nil where that is known already, and what of it
// is otherwise than it was found before. What is told besides is noted in the telling.
//
// Many branches: VLANs and routing are told apart, and each may be new, the same, or
// otherwise than before.
func (s *Server) news(ctx context.Context, id int64, x toldBy) (one *store.Found, drift []string, err error) {
	net, i, reading := x.net, x.dev, x.reading
	device := net.Office.Devices[i]
	match := field.MatchPorts(device, reading)
	plan := wording.Planned(net, i)
	before, err := s.store.FoundOf(ctx, id, device.Name, 1)
	if err != nil {
		return nil, nil, err
	}
	was, kept := plan, found.Kept{}
	if len(before) > 0 {
		kept = before[0].Kept()
		was = kept.On(net, i)
	}
	is := found.Kept{Ports: kept.Ports, Shapes: kept.Shapes, VLANs: kept.VLANs, Routing: kept.Routing}
	if net.Aware(i) && reading.Tells(field.TellsVLANs) {
		now := reading.Found(net.Office, device, match, plan)
		for _, trouble := range now.Trouble {
			if !slices.Contains(x.telling.Trouble, trouble.Text) {
				x.telling.Trouble = append(x.telling.Trouble, trouble.Text)
			}
		}
		is = found.Keep(device, now.State)
		is.Routing = kept.Routing
		if !slices.Equal(was.Apart, now.State.Apart) {
			for _, name := range found.Unmade(device, now.State) {
				drift = append(drift, fmt.Sprintf("%s %s is not made, and was", device.Name, name))
			}
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle == 0 && !was.Ports[port].Alike(&now.State.Ports[port]) {
				drift = append(drift, fmt.Sprintf("%s %s is %s, and was %s", device.Name, device.Ports[port].Name, notation.Shape(now.State.Ports[port].Shape()), notation.Shape(was.Ports[port].Shape())))
			}
		}
	}
	if routing := reading.RoutingOn(net.Office, device, match); routing != nil {
		for _, mismatch := range routing.Against(net.Office, kept.Routing.On(device)) {
			drift = append(drift, mismatch.Is+", and did not before")
		}
		if routing.How, routing.At = "read by "+reading.Source, stamp(); !routing.Same(kept.Routing) {
			is.Routing = routing
		}
	}
	now := keptAs(is, "read by "+reading.Source, x.author)
	if len(before) > 0 && slices.Equal(before[0].Ports, now.Ports) && slices.Equal(before[0].Shapes, now.Shapes) && slices.Equal(before[0].VLANs, now.VLANs) && kept.Routing == is.Routing ||
		len(now.Ports) == 0 && is.Routing == nil {
		return nil, drift, nil
	}
	return now, drift, nil
}

func (s *Server) readStop(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	s.readings.stop(room.id)
	return s.readingTold(c, room)
}

func (s *Server) readEvery(c fiber.Ctx) error {
	var every api.ReadEvery
	_, room, err := s.asked(c, &every)
	if err != nil {
		return err
	}
	if err := s.store.SetReadEvery(c.Context(), room.id, every.Minutes); err != nil {
		return err
	}
	return s.readingTold(c, room)
}

// readByThemselves reads the devices of offices that say how often.
func (s *Server) readByThemselves() {
	s.byTimer("devices were not read by themselves", s.store.Due, func(id int64) error {
		room, err := s.roomOf(s.stop, id)
		if err != nil {
			return err
		}
		return s.startReading(s.stop, room, starter{author: theTimer}, nil)
	})
}

// byTimer does something with the offices that are due, again and again until the server stops.
func (s *Server) byTimer(failed string, due func(context.Context) ([]int64, error), do func(id int64) error) {
	tick := cmp.Or(s.field.Tick, 20*time.Second)
	for {
		select {
		case <-s.stop.Done():
			return
		case <-time.After(tick):
		}
		all, err := due(s.stop)
		if err != nil {
			continue // the database is away, which others say
		}
		for _, id := range all {
			if err := mishap.Try(func() error { return do(id) }); err != nil && s.stop.Err() == nil {
				s.log.Info(failed, "office", id, "why", err.Error())
			}
		}
	}
}
