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
func (s *Server) SpeakTo(f Field) { s.field = f }

func (s *Server) readingNow(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	return s.readingTold(c, r)
}

func (s *Server) readingTold(c fiber.Ctx, r *room) error {
	v, err := s.readingView(c.Context(), r)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// readingView is what devices told last, held against the plan as it is now.
func (s *Server) readingView(ctx context.Context, r *room) (*api.ReadingView, error) {
	now, err := r.current(ctx)
	if err != nil {
		return nil, err
	}
	n := now.report.Net
	o := n.Office
	v := &api.ReadingView{Sealed: s.field.Key != nil, Devices: []api.DeviceReading{}, Cards: []api.CardView{}, Drift: []api.DriftView{}, Places: places(o)}
	if j := s.readings.now(r.id); j != nil {
		v.Running = &api.ReadingRun{Done: int(j.done.Load()), Of: int(j.of.Load()), Author: j.author}
	}
	if v.Every, err = s.store.ReadEvery(ctx, r.id); err != nil {
		return nil, err
	}
	all, err := s.store.Readings(ctx, r.id)
	if err != nil {
		return nil, err
	}
	by := map[string]store.Reading{}
	for _, x := range all {
		by[x.Device] = x
	}
	dial := s.dialer(ctx, r.id, nil)
	var told []*field.Telling
	for _, d := range o.Devices {
		_, err := dial.Ways(d)
		x := api.DeviceReading{Device: d.Name, Speaks: err == nil}
		if read, ok := by[d.Name]; ok {
			x.At, x.Why = &read.At, read.Why
			if read.Told != nil {
				x.Told = &field.Telling{}
				if err := json.Unmarshal(read.Told, x.Told); err != nil {
					return nil, err
				}
				told = append(told, x.Told)
			}
		}
		v.Devices = append(v.Devices, x)
	}
	v.Cables, v.Phones = field.Cables(o, told), field.Phones(o, told)
	seen := field.Seen(o, told)
	if seen.Failed, err = s.failedTests(ctx, r); err != nil {
		return nil, err
	}
	v.Findings = api.SeenFindings(finding.OfSeen(n, seen))
	cards, err := s.store.Cards(ctx, r.id)
	if err != nil {
		return nil, err
	}
	for _, x := range cards {
		if d := o.Device(x.Device); d != nil && d.Port(x.Port) >= 0 && len(n.Topo.LinksAt(n.Topo.DeviceIndex(d.Name), d.Logical(d.Port(x.Port)))) == 0 {
			v.Cards = append(v.Cards, api.CardOf(o, x.MAC, x.Device, x.Port, int(x.VID), x.Since))
		}
	}
	drift, err := s.store.Drifts(ctx, r.id, 50)
	if err != nil {
		return nil, err
	}
	for _, x := range drift {
		v.Drift = append(v.Drift, api.DriftView(x))
	}
	v.Credentials, err = s.credentialsTold(ctx, r.id)
	return v, err
}

func (s *Server) readDevices(c fiber.Ctx) error {
	var q api.ReadRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if err := s.startReading(c.Context(), r, starter{name, s.askedFrom(c).String(), personOf(c)}, q.Devices); err != nil {
		return err
	}
	return s.readingTold(c, r)
}

// starter is who has something done in the background: for the timer without an address.
type starter struct {
	author, address string
	person          int64
}

func personOf(c fiber.Ctx) int64 {
	if p := whoAsks(c).person; p != nil {
		return p.ID
	}
	return 0
}

// startReading reads devices in the background. One reading of an office goes on at a time.
func (s *Server) startReading(ctx context.Context, r *room, by starter, names []string) error {
	author, address := by.author, by.address
	now, err := r.current(ctx)
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	u := &usage{}
	dial := s.dialer(s.stop, r.id, u)
	var devices []*office.Device
	draft := office.NewDraft(o)
	for i, name := range names {
		d, err := draft.FindDevice(name)
		if err != nil {
			return bad(fmt.Sprintf("devices[%d]", i), "%s", err)
		}
		if _, err := dial.Ways(d); err != nil {
			return bad(fmt.Sprintf("devices[%d]", i), "%s", err)
		}
		devices = append(devices, d)
	}
	if len(names) == 0 {
		for _, d := range o.Devices {
			if _, err := dial.Ways(d); err == nil {
				devices = append(devices, d)
			}
		}
	}
	if len(devices) == 0 {
		return bad("devices", "no device says how it is spoken to: say so on the line, as in rack speaks snmp")
	}
	j, err := s.readings.begin(s.stop, r.id, author, by.person)
	if err != nil {
		return err
	}
	j.far(0, len(devices))
	s.goOn(s.readings, r.id, j, "reading devices", func(j *job) {
		defer s.tellRead(r, author)
		defer s.readings.end(r.id, j)
		dial.ReadAll(j.ctx, o, devices, func(res field.Result) {
			told := "told"
			if res.Err != nil {
				told = "failed"
			}
			s.meters.reads.WithLabelValues(told).Inc()
			var fault *mishap.Fault
			if errors.As(res.Err, &fault) {
				mishap.Log(s.log, "reading "+res.Device, fault)
			}
			if j.ctx.Err() == nil {
				if err := mishap.Try(func() error { return s.keep(s.stop, r, res, author) }); err != nil {
					mishap.Log(s.log, "what "+res.Device+" told could not be kept", err)
				}
			}
			j.done.Add(1)
			s.tellRead(r, author)
		})
		if address != "" {
			s.noteUsage(u, author, address, r.id)
		}
		r.refound(s.stop) // who sees that it is over sees what was found
	})
	return nil
}

func (s *Server) tellRead(r *room, author string) {
	if err := s.tellAll(s.stop, api.Somebody{Name: author, Office: r.id, Read: true}); err != nil && s.stop.Err() == nil {
		s.log.Warn("a reading could not be told", "error", err)
	}
}

// keep keeps what a device told.
func (s *Server) keep(ctx context.Context, r *room, res field.Result, author string) error {
	ctx, stop := context.WithTimeout(ctx, atMost)
	defer stop()
	if res.Err != nil {
		return s.store.KeepReading(ctx, r.id, store.Reading{Device: res.Device, Why: strings.ReplaceAll(res.Err.Error(), "\n", "; ")}, nil, nil, nil)
	}
	now, err := r.current(ctx)
	if err != nil {
		return err
	}
	n := now.report.Net
	i := n.Topo.DeviceIndex(res.Device)
	if i < 0 {
		return nil // it was removed meanwhile
	}
	d := n.Office.Devices[i]
	m := field.MatchPorts(d, res.Reading)
	t := res.Reading.Telling(n.Office, d, m)
	f, drift, err := s.news(ctx, r.id, toldBy{n, i, res.Reading, t, author})
	if err != nil {
		return err
	}
	text, err := json.Marshal(t)
	if err != nil {
		return err
	}
	var cards []store.Card
	for _, l := range t.Learnt {
		cards = append(cards, store.Card{Device: d.Name, Port: l.Port, VID: int32(l.VID), MAC: string(l.MAC)})
	}
	return s.store.KeepReading(ctx, r.id, store.Reading{Device: d.Name, Source: t.Source, Told: text}, f, cards, drift)
}

// toldBy is what device i of an office told, and who had it read.
type toldBy struct {
	n      *span.Net
	i      int
	r      *field.Reading
	t      *field.Telling
	author string
}

// news is what a device was found to be set to, nil where that is known already, and what of it
// is otherwise than it was found before. What is told besides is noted in the telling.
func (s *Server) news(ctx context.Context, id int64, x toldBy) (f *store.Found, drift []string, err error) {
	n, i, r := x.n, x.i, x.r
	d := n.Office.Devices[i]
	m := field.MatchPorts(d, r)
	plan := wording.Planned(n, i)
	before, err := s.store.FoundOf(ctx, id, d.Name, 1)
	if err != nil {
		return nil, nil, err
	}
	was, kept := plan, found.Kept{}
	if len(before) > 0 {
		kept = before[0].Kept()
		was = kept.On(n, i)
	}
	is := found.Kept{Ports: kept.Ports, Shapes: kept.Shapes, VLANs: kept.VLANs, Routing: kept.Routing}
	if n.Aware(i) && r.Tells(field.TellsVLANs) {
		now := r.Found(n.Office, d, m, plan)
		for _, trouble := range now.Trouble {
			if !slices.Contains(x.t.Trouble, trouble.Text) {
				x.t.Trouble = append(x.t.Trouble, trouble.Text)
			}
		}
		is = found.Keep(d, now.State)
		is.Routing = kept.Routing
		if !slices.Equal(was.Apart, now.State.Apart) {
			for _, name := range found.Unmade(d, now.State) {
				drift = append(drift, fmt.Sprintf("%s %s is not made, and was", d.Name, name))
			}
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle == 0 && !was.Ports[p].Alike(&now.State.Ports[p]) {
				drift = append(drift, fmt.Sprintf("%s %s is %s, and was %s", d.Name, d.Ports[p].Name, notation.Shape(now.State.Ports[p].Shape()), notation.Shape(was.Ports[p].Shape())))
			}
		}
	}
	if routing := r.RoutingOn(n.Office, d, m); routing != nil {
		for _, m := range routing.Against(n.Office, kept.Routing.On(d)) {
			drift = append(drift, m.Is+", and did not before")
		}
		if routing.How, routing.At = "read by "+r.Source, stamp(); !routing.Same(kept.Routing) {
			is.Routing = routing
		}
	}
	now := keptAs(is, "read by "+r.Source, x.author)
	if len(before) > 0 && slices.Equal(before[0].Ports, now.Ports) && slices.Equal(before[0].Shapes, now.Shapes) && slices.Equal(before[0].VLANs, now.VLANs) && kept.Routing == is.Routing ||
		len(now.Ports) == 0 && is.Routing == nil {
		return nil, drift, nil
	}
	return now, drift, nil
}

func (s *Server) readStop(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	s.readings.stop(r.id)
	return s.readingTold(c, r)
}

func (s *Server) readEvery(c fiber.Ctx) error {
	var q api.ReadEvery
	_, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if err := s.store.SetReadEvery(c.Context(), r.id, q.Minutes); err != nil {
		return err
	}
	return s.readingTold(c, r)
}

// readByThemselves reads the devices of offices that say how often.
func (s *Server) readByThemselves() {
	tick := cmp.Or(s.field.Tick, 20*time.Second)
	for {
		select {
		case <-s.stop.Done():
			return
		case <-time.After(tick):
		}
		due, err := s.store.Due(s.stop)
		if err != nil {
			continue // the database is away, which others say
		}
		for _, id := range due {
			err := mishap.Try(func() error {
				r, err := s.roomOf(s.stop, id)
				if err != nil {
					return err
				}
				return s.startReading(s.stop, r, starter{author: "the timer"}, nil)
			})
			if err != nil && s.stop.Err() == nil {
				s.log.Info("devices were not read by themselves", "office", id, "why", err.Error())
			}
		}
	}
}
