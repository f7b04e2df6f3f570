package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"slices"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/history"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/field"
	"klammer/mishap"
	"klammer/store"
)

// carry is a visit that is carried out by its device.
type carry struct {
	mu    sync.Mutex
	order int64
	view  api.CarryView

	revision int64 // of the plan that the order leads to

	*job
	run    *order.Run
	name   string // who had it carried out
	back   bool   // the step that is next is taken back
	usage  *usage // of credentials
	holder string // by which the devices are held
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
	view := at.view
	return &view
}

// carryOut has the next steps carried out, as far as they are of one visit.
func (s *Server) carryOut(c fiber.Ctx) error {
	var request api.CarryRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	kept, run, at, err := s.visitAsked(c.Context(), room.id, &request)
	if err != nil {
		return err
	}
	one := &carry{order: request.Order, revision: kept.Revision, run: run, name: name, back: request.Back, usage: &usage{}, view: api.CarryView{Visit: request.Visit, Step: at, Running: true}}
	if err := s.takeDevices(c, room.id, one); err != nil {
		return err
	}
	address := s.askedFrom(c).String()
	s.goOn(s.carrying, room.id, one.job, "carrying out", func(*job) {
		s.holdOn(room.id, one)
		view := api.CarryView{Visit: request.Visit, Step: at, Ended: "failed"}
		if err := mishap.Try(func() error { view = s.carryVisit(room, one, at); return nil }); err != nil {
			mishap.Log(s.log, "carrying out", err)
			view.Text = err.Error()
		}
		s.giveDevices(room.id, one)
		s.noteUsage(one.usage, name, address, room.id)
		s.carrying.end(room.id, one.job) // whoever sees that it is over can go on
		one.mu.Lock()
		one.view = view
		one.mu.Unlock()
		s.tellOrder(room, name)
	})
	return s.orderTold(c, room, name)
}

// visitAsked is the order that somebody asks a visit of, with the step that is next, which
// has to be of that visit.
func (s *Server) visitAsked(ctx context.Context, id int64, request *api.CarryRequest) (*store.Order, *order.Run, int, error) {
	kept, ticks, err := s.store.OrderNow(ctx, id)
	if err != nil {
		return nil, nil, 0, err
	}
	if kept == nil || kept.ID != request.Order || kept.Ended != nil {
		return nil, nil, 0, &history.Conflict{Text: "another order was made meanwhile: look at it first"}
	}
	run, err := s.run(id, kept)
	if err != nil {
		return nil, nil, 0, err
	}
	if !run.VisitAt(len(ticks), request.Visit) {
		return nil, nil, 0, bad("visit", "%d steps are done: the next is not of this visit", len(ticks))
	}
	return kept, run, len(ticks), nil
}

// rehearsalTime is how long a rehearsal may take.
const rehearsalTime = 50 * time.Second

// rehearse lists what the next steps of a visit would write to its device, and sends none.
func (s *Server) rehearse(c fiber.Ctx) error {
	var request api.CarryRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	kept, run, at, err := s.visitAsked(c.Context(), room.id, &request)
	if err != nil {
		return err
	}
	told := &api.Order{}
	if err := json.Unmarshal(kept.Told, told); err != nil {
		return err
	}
	work, err := s.carrying.begin(s.stop, room.id, name, personOf(c)) // nobody sets what is being read
	if err != nil {
		return err
	}
	defer s.carrying.end(room.id, work)
	ctx, stop := context.WithTimeout(work.ctx, rehearsalTime)
	defer stop()
	used := &usage{}
	defer s.noteUsage(used, name, s.askedFrom(c).String(), room.id)
	carrier := field.Carrier{Dialer: s.dialerNow(ctx, room, used)}
	defer carrier.Close()
	out := api.Rehearsal{Steps: []api.RehearsedStep{}, Breaks: []api.Broken{}}
	for _, broken := range told.Breaks {
		if slices.Contains(broken.Devices, run.Steps[at].Device) {
			out.Breaks = append(out.Breaks, broken)
		}
	}
	begun, err := run.After(at)
	if err != nil {
		return err
	}
	for ; run.VisitAt(at, request.Visit); at++ {
		before, err := run.After(at)
		if err != nil {
			return err
		}
		after, err := run.After(at + 1)
		if err != nil {
			return err
		}
		st := api.RehearsedStep{Step: at, Text: told.Steps[at].Text, Writes: []string{}}
		writes, err := carrier.Rehearse(ctx, field.Rehearsal{Begun: begun, Before: before, After: after, Device: run.Steps[at].Device, Kind: run.Steps[at].Kind})
		var hand *field.ByHand
		switch {
		case errors.As(err, &hand):
			st.Hand = hand.Why
		case err != nil:
			st.Wrong = err.Error()
			out.Steps = append(out.Steps, st)
			return c.JSON(out)
		default:
			st.Writes = append(st.Writes, writes...)
		}
		out.Steps = append(out.Steps, st)
	}
	return c.JSON(out)
}

// dialerNow speaks to devices as the plan says now.
func (s *Server) dialerNow(ctx context.Context, room *room, used *usage) field.Dialer {
	dial := s.dialer(ctx, room.id, used)
	if now, err := room.current(ctx); err == nil {
		dial.Speaks = map[string][]office.Speaks{}
		for _, device := range now.report.Net.Office.Devices {
			if len(device.Speaks) > 0 {
				dial.Speaks[device.Name] = device.Speaks
			}
		}
	}
	return dial
}

func (s *Server) tellOrder(room *room, name string) {
	room.refound(s.stop)
	if err := s.tellAll(s.stop, api.Somebody{Name: name, Office: room.id, Order: true}); err != nil && s.stop.Err() == nil {
		s.log.Warn("a step could not be told", "error", err)
	}
}

// takeDevices takes the devices of an office for a visit: one at a time sets them, whatever
// order it is of, and whichever server was asked.
func (s *Server) takeDevices(c fiber.Ctx, office int64, carry *carry) error {
	job, err := s.carrying.begin(s.stop, office, carry.name, personOf(c))
	if err != nil {
		return err
	}
	carry.job, carry.holder = job, rand.Text()
	ok, err := s.store.Hold(c.Context(), office, carry.order, carry.holder)
	if err == nil && !ok {
		err = &history.Conflict{Text: s.carrying.busy}
	}
	if err != nil {
		s.carrying.end(office, job)
		return err
	}
	s.carries.Store(office, carry)
	return nil
}

// holdOn says again and again that the devices are held; where another took them meanwhile,
// or the database does not answer for as long as another would wait, the visit stops.
func (s *Server) holdOn(office int64, carry *carry) {
	mishap.Go(s.log, "holding devices", func() {
		ticker := time.NewTicker(3 * time.Second)
		defer ticker.Stop()
		last := time.Now()
		for {
			select {
			case <-carry.ctx.Done():
				return
			case <-ticker.C:
			}
			beat, stop := context.WithTimeout(carry.ctx, 3*time.Second)
			ok, err := s.store.Keep(beat, office, carry.holder)
			stop()
			switch {
			case err == nil && ok:
				last = time.Now()
			case err == nil, time.Since(last) > 12*time.Second:
				carry.stop()
				return
			}
		}
	})
}

func (s *Server) giveDevices(office int64, carry *carry) {
	ctx, stop := context.WithTimeout(context.WithoutCancel(s.stop), 3*time.Second)
	defer stop()
	if err := s.store.LetGo(ctx, office, carry.holder); err != nil {
		s.log.Warn("devices are held until their time is over", "office", office, "error", err)
	}
}

// carryVisit carries the steps of a visit out, and ticks each; it gives where it
// ended.
func (s *Server) carryVisit(room *room, carry *carry, at int) api.CarryView {
	carrier := field.Carrier{Dialer: s.dialerNow(carry.ctx, room, carry.usage)}
	defer carrier.Close()
	visit := carry.run.Steps[at].Visit
	for ; carry.run.VisitAt(at, visit); at++ {
		carry.mu.Lock()
		carry.view.Step = at
		view := carry.view
		carry.mu.Unlock()
		view.Running = false
		then, err := s.carryStep(&carrier, carry, at)
		if err != nil || carry.back {
			view.Ended, view.Text, view.Back = s.carryEnded(carry, carry.run.Steps[at].Device, err)
			if err != nil && (view.Ended == "failed" || view.Ended == "otherwise") {
				words := []rune(view.Text)
				said := store.OrderSaid{Order: carry.order, Step: at, Said: "refused", Words: string(words[:min(len(words), mostSaidWords)]), ByDevice: true, Author: carry.name}
				if err := s.store.SayOrder(carry.ctx, room.id, said); err != nil {
					s.log.Warn("the protocol misses how a step ended", "office", room.id, "error", err)
				}
			}
			return view
		}
		var state *store.Found
		if carry.run.Sets(at) {
			was, err := carry.run.After(at)
			if err == nil {
				state, err = s.foundAfter(carry.ctx, room.id, stepped{was, then, carry.run.Steps[at].Device}, carry.run.Called(at, true)+", by the device", carry.name)
			}
			if err != nil {
				view.Ended, view.Text = "failed", err.Error()
				return view
			}
		}
		if err := s.store.TickOrder(carry.ctx, room.id, store.OrderSaid{Order: carry.order, Step: at, Said: "done", ByDevice: true, Author: carry.name}, carry.run.Steps[at].Device, state); err != nil {
			view.Ended, view.Text = "failed", err.Error()
			return view
		}
		s.orderMoved(room.id, moved{carry.revision, carry.name, at, at + 1, len(carry.run.Steps)})
		s.tellOrder(room, carry.name)
	}
	return api.CarryView{Visit: visit, Step: at, Ended: "done"}
}

// carryStep has a device take a step, or take it back, and gives the office after it.
func (s *Server) carryStep(carrier *field.Carrier, carry *carry, at int) (*office.Office, error) {
	st := carry.run.Steps[at]
	before, err := carry.run.After(at)
	if err != nil {
		return nil, err
	}
	if carry.back {
		return before, carrier.Back(carry.ctx, before, st.Device)
	}
	then, err := carry.run.After(at + 1)
	if err != nil {
		return nil, err
	}
	return then, carrier.Step(carry.ctx, before, then, st.Device, st.Kind)
}

// carryEnded is how a visit ended at a step, in a word and in words, with what takes it
// back.
func (s *Server) carryEnded(carry *carry, device string, err error) (ended, text string, back bool) {
	var hand *field.ByHand
	var odd *field.Unforetold
	switch {
	case err == nil:
		return "stopped", "The step is taken back.", false
	case carry.ctx.Err() != nil && !carry.back:
		return "stopped", "It was stopped; what was set stays.", false
	case errors.As(err, &hand):
		return "hand", hand.Why, false
	case errors.As(err, &odd):
		return "otherwise", odd.Error(), odd.After
	}
	var fault *mishap.Fault
	if errors.As(err, &fault) {
		mishap.Log(s.log, "carrying out on "+device, fault)
	}
	return "failed", err.Error(), false
}
