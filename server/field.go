package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field"
	"klammer/secrets"
	"klammer/store"
)

// Field is what a server needs to speak to devices; the zero Field keeps no
// credentials.
type Field struct {
	Key *secrets.Key                // seals credentials
	At  map[int64]map[string]string // by office and device: where it is instead, as stand-ins are
}

// SpeakTo says how devices are spoken to. It is called before the server serves.
func (s *Server) SpeakTo(f Field) { s.field = f }

// readTick is how often it is asked which offices are due to be read.
const readTick = 20 * time.Second

// run is devices that are being read.
type run struct {
	mu     sync.Mutex
	done   int
	of     int
	author string
	stop   context.CancelFunc
}

// place is what a secret is sealed for.
func place(office int64, name string) string { return fmt.Sprintf("credentials/%d/%s", office, name) }

// Rekey seals the credentials of all offices with another key.
func Rekey(ctx context.Context, st *store.Store, old, next *secrets.Key) (int, error) {
	return st.Reseal(ctx, old.ID(), next.ID(), func(office int64, name string, sealed []byte) ([]byte, error) {
		text, err := old.Open(sealed, old.ID(), place(office, name))
		if err != nil {
			return nil, fmt.Errorf("the credentials %s of office %d cannot be opened: %w", name, office, err)
		}
		return next.Seal(text, place(office, name))
	})
}

// dialer opens the devices of an office.
func (s *Server) dialer(ctx context.Context, id int64) field.Dialer {
	return field.Dialer{At: s.field.At[id], Secrets: func(name string) (*field.Credentials, error) {
		sealed, key, err := s.store.Sealed(ctx, id, name)
		if err != nil {
			return nil, err
		}
		if sealed == nil {
			return nil, fmt.Errorf("there are no credentials %s: enter them under Field", name)
		}
		if s.field.Key == nil {
			return nil, fmt.Errorf("this server was started without a key for its secrets")
		}
		text, err := s.field.Key.Open(sealed, key, place(id, name))
		if err != nil {
			return nil, fmt.Errorf("the credentials %s cannot be opened: %w", name, err)
		}
		c := &field.Credentials{}
		return c, json.Unmarshal(text, c)
	}}
}

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
	v := &api.ReadingView{Sealed: s.field.Key != nil, Devices: []api.DeviceReading{}, Cards: []api.CardView{}, Drift: []api.DriftView{}, Credentials: []api.CredentialView{}}
	if x, ok := s.readings.Load(r.id); ok {
		run := x.(*run)
		run.mu.Lock()
		v.Running = &api.ReadingRun{Done: run.done, Of: run.of, Author: run.author}
		run.mu.Unlock()
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
	dial := s.dialer(ctx, r.id)
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
	v.Cables = field.Cables(o, told)
	seen := field.Seen(told)
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
	credentials, err := s.store.Credentials(ctx, r.id)
	if err != nil {
		return nil, err
	}
	for _, x := range credentials {
		var about struct{ Kind, User string }
		if err := json.Unmarshal(x.About, &about); err != nil {
			return nil, err
		}
		v.Credentials = append(v.Credentials, api.CredentialView{Name: x.Name, Kind: about.Kind, User: about.User, Author: x.Author, At: x.At})
	}
	return v, nil
}

func (s *Server) readDevices(c fiber.Ctx) error {
	var q api.ReadRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if err := s.startReading(c.Context(), r, name, q.Devices); err != nil {
		return err
	}
	return s.readingTold(c, r)
}

// startReading reads devices in the background. One reading of an office goes on at a
// time.
func (s *Server) startReading(ctx context.Context, r *room, author string, names []string) error {
	now, err := r.current(ctx)
	if err != nil {
		return err
	}
	o := now.report.Net.Office
	dial := s.dialer(s.stop, r.id)
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
	reading, stop := context.WithCancel(s.stop)
	x := &run{of: len(devices), author: author, stop: stop}
	if _, busy := s.readings.LoadOrStore(r.id, x); busy {
		stop()
		return &history.Conflict{Text: "devices of this office are being read already: wait for that, or stop it"}
	}
	go func() {
		defer stop()
		dial.ReadAll(reading, o, devices, func(res field.Result) {
			told := "told"
			if res.Err != nil {
				told = "failed"
			}
			s.meters.reads.WithLabelValues(told).Inc()
			if reading.Err() == nil {
				if err := s.keep(s.stop, r, res, author); err != nil {
					s.log.Error("what a device told could not be kept", "device", res.Device, "error", err)
				}
			}
			x.mu.Lock()
			x.done++
			x.mu.Unlock()
			s.tellRead(r, author)
		})
		r.refound(s.stop) // who sees that it is over sees what was found
		s.readings.Delete(r.id)
		s.tellRead(r, author)
	}()
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
	var f *store.Found
	var drift []string
	if n.Aware(i) && res.Reading.Tells(field.TellsVLANs) {
		plan := wording.Planned(n, i)
		x := res.Reading.Found(n.Office, d, m, plan)
		for _, trouble := range x.Trouble {
			if !slices.Contains(t.Trouble, trouble.Text) {
				t.Trouble = append(t.Trouble, trouble.Text)
			}
		}
		is := keptAs(found.Keep(d, x.State), "read by "+res.Reading.Source, author)
		before, err := s.store.FoundOf(ctx, r.id, d.Name, 1)
		if err != nil {
			return err
		}
		was := plan
		if len(before) > 0 {
			was = before[0].Kept().On(n, i)
		}
		if len(before) == 0 || !slices.Equal(before[0].Ports, is.Ports) || !slices.Equal(before[0].Shapes, is.Shapes) || !slices.Equal(before[0].VLANs, is.VLANs) {
			f = is
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle == 0 && !was.Ports[p].Alike(&x.State.Ports[p]) {
				drift = append(drift, fmt.Sprintf("%s %s is %s, and was %s", d.Name, d.Ports[p].Name, notation.Shape(x.State.Ports[p].Shape()), notation.Shape(was.Ports[p].Shape())))
			}
		}
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

func (s *Server) readStop(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	if x, ok := s.readings.Load(r.id); ok {
		x.(*run).stop()
	}
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
	for {
		select {
		case <-s.stop.Done():
			return
		case <-time.After(readTick):
		}
		due, err := s.store.Due(s.stop)
		if err != nil {
			continue // the database is away, which others say
		}
		for _, id := range due {
			r, err := s.roomOf(s.stop, id)
			if err == nil {
				err = s.startReading(s.stop, r, "the timer", nil)
			}
			if err != nil && s.stop.Err() == nil {
				s.log.Info("devices were not read by themselves", "office", id, "why", err.Error())
			}
		}
	}
}

func (s *Server) putCredential(c fiber.Ctx) error {
	var q api.CredentialRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	if !office.PlainName(q.Name) {
		return bad("name", "%q cannot name credentials: letters, digits, - _ and .", q.Name)
	}
	if s.field.Key == nil {
		return bad("name", "this server was started without a key for its secrets: it keeps none")
	}
	x := field.Credentials{
		Community: q.Community, User: q.User, Auth: q.Auth, AuthKey: q.AuthKey, Privacy: q.Privacy, PrivKey: q.PrivKey, Password: q.Password, Key: q.Key, HostKey: q.HostKey,
	}
	if err := x.Check(); err != nil {
		return bad("community", "%s", err)
	}
	kind := "SNMP v2c"
	switch {
	case x.Password != "" || x.Key != "":
		kind = "SSH"
	case x.User != "":
		kind = "SNMP v3"
	}
	about, err := json.Marshal(map[string]string{"kind": kind, "user": x.User})
	if err != nil {
		return err
	}
	text, err := json.Marshal(x)
	if err != nil {
		return err
	}
	sealed, err := s.field.Key.Seal(text, place(r.id, q.Name))
	if err != nil {
		return err
	}
	if err := s.store.PutCredential(c.Context(), r.id, store.Credential{Name: q.Name, About: about, Author: name}, sealed, s.field.Key.ID()); err != nil {
		return err
	}
	return s.readingTold(c, r)
}

type credentialQuery struct {
	Name string `query:"name" required:"true"`
}

func (s *Server) dropCredential(c fiber.Ctx) error {
	if _, err := author(c); err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	if err := s.store.DropCredential(c.Context(), r.id, c.Query("name")); err != nil {
		return err
	}
	return s.readingTold(c, r)
}

// carry is a visit that is carried out by its device.
type carry struct {
	mu    sync.Mutex
	order int64
	view  api.CarryView
	stop  context.CancelFunc
}

// carryNow is the visit of an order that is carried out, or where that stopped.
func (s *Server) carryNow(id, order int64) *api.CarryView {
	x, ok := s.carries.Load(id)
	if !ok {
		return nil
	}
	at := x.(*carry)
	at.mu.Lock()
	defer at.mu.Unlock()
	if at.order != order {
		return nil
	}
	v := at.view
	return &v
}

func (s *Server) stopCarrying(id int64) {
	if x, ok := s.carries.Load(id); ok {
		x.(*carry).stop()
	}
}

// carryOut has the next steps carried out, as far as they are of one visit.
func (s *Server) carryOut(c fiber.Ctx) error {
	var q api.CarryRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	kept, ticks, err := s.store.OrderNow(c.Context(), r.id)
	if err != nil {
		return err
	}
	if kept == nil || kept.ID != q.Order || kept.Ended != nil {
		return &history.Conflict{Text: "another order was made meanwhile: look at it first"}
	}
	_, told, err := after(kept, 0)
	if err != nil {
		return err
	}
	at := len(ticks)
	if at >= len(told.Steps) || told.Steps[at].Visit != q.Visit {
		return bad("visit", "%d steps are done: the next is not of this visit", at)
	}
	if x := s.carryNow(r.id, q.Order); x != nil && x.Running {
		return &history.Conflict{Text: "a visit is being carried out already: wait for it, or stop it"}
	}
	ctx, stop := context.WithCancel(s.stop)
	x := &carry{order: q.Order, stop: stop, view: api.CarryView{Visit: q.Visit, Step: at, Running: true}}
	s.carries.Store(r.id, x)
	go func() {
		defer stop()
		view := s.carryVisit(ctx, r, kept, told, x, at, name, q.Back)
		x.mu.Lock()
		x.view = view
		x.mu.Unlock()
		s.tellOrder(r, name)
	}()
	return s.orderTold(c, r, name)
}

func (s *Server) tellOrder(r *room, name string) {
	r.refound(s.stop)
	if err := s.tellAll(s.stop, api.Somebody{Name: name, Office: r.id, Order: true}); err != nil && s.stop.Err() == nil {
		s.log.Warn("a step could not be told", "error", err)
	}
}

// carryVisit carries the steps of a visit out, and ticks each; it gives where it
// ended.
func (s *Server) carryVisit(ctx context.Context, r *room, kept *store.Order, told *api.Order, x *carry, at int, name string, back bool) api.CarryView {
	dial := s.dialer(ctx, r.id)
	if now, err := r.current(ctx); err == nil {
		dial.Speaks = map[string][]office.Speaks{} // as the plan is now
		for _, d := range now.report.Net.Office.Devices {
			if len(d.Speaks) > 0 {
				dial.Speaks[d.Name] = d.Speaks
			}
		}
	}
	carrier := field.Carrier{Dialer: dial}
	defer carrier.Close()
	visit := told.Steps[at].Visit
	for ; at < len(told.Steps) && told.Steps[at].Visit == visit; at++ {
		x.mu.Lock()
		x.view.Step = at
		view := x.view
		x.mu.Unlock()
		view.Running = false
		st := told.Steps[at]
		before, _, err := after(kept, at)
		if err != nil {
			view.Ended, view.Text = "failed", err.Error()
			return view
		}
		if back {
			if err := carrier.Back(ctx, before, st.Device); err != nil {
				view.Ended, view.Text = "failed", err.Error()
				return view
			}
			view.Ended, view.Text = "stopped", "The step is taken back."
			return view
		}
		then, _, err := after(kept, at+1)
		if err == nil {
			err = carrier.Step(ctx, before, then, st.Device, st.Kind)
		}
		var hand *field.ByHand
		var odd *field.Unforetold
		switch {
		case err == nil:
		case ctx.Err() != nil:
			view.Ended, view.Text = "stopped", "It was stopped; what was set stays."
			return view
		case errors.As(err, &hand):
			view.Ended, view.Text = "hand", hand.Why
			return view
		case errors.As(err, &odd):
			view.Ended, view.Text, view.Back = "otherwise", odd.Error(), odd.After
			return view
		default:
			view.Ended, view.Text = "failed", err.Error()
			return view
		}
		how := fmt.Sprintf("work order, step %d, by the device", at+1)
		state := foundAt(then, st.Device, how, name)
		if st.Kind != "set" {
			state = nil
		}
		if err := s.store.TickOrder(ctx, r.id, kept.ID, at, name, true, st.Device, state); err != nil {
			view.Ended, view.Text = "failed", err.Error()
			return view
		}
		s.tellOrder(r, name)
	}
	return api.CarryView{Visit: visit, Step: at, Ended: "done"}
}
