package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/history"
	"klammer/core/office"
	"klammer/field"
	"klammer/mishap"
	"klammer/store"
)

// carry is a visit that is carried out by its device.
type carry struct {
	mu    sync.Mutex
	order int64
	view  api.CarryView
	stop  context.CancelFunc

	holder string // by which the devices are held
	person int64  // who had it carried out; 0 where nobody signs in
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
	ctx, stop := context.WithCancel(s.stop)
	x := &carry{order: q.Order, stop: stop, view: api.CarryView{Visit: q.Visit, Step: at, Running: true}}
	x.person = personOf(c)
	if err := s.takeDevices(c.Context(), r.id, x); err != nil {
		stop()
		return err
	}
	u, address := &usage{}, s.askedFrom(c).String()
	mishap.Go(s.log, "carrying out", func() {
		defer stop()
		s.holdOn(ctx, r.id, x)
		view := api.CarryView{Visit: q.Visit, Step: at, Ended: "failed"}
		if err := mishap.Try(func() error { view = s.carryVisit(ctx, r, kept, told, x, at, name, u, q.Back); return nil }); err != nil {
			mishap.Log(s.log, "carrying out", err)
			view.Text = err.Error()
		}
		s.giveDevices(r.id, x) // whoever sees that it is over can go on
		s.noteUsage(u, name, address, r.id)
		x.mu.Lock()
		x.view = view
		x.mu.Unlock()
		s.tellOrder(r, name)
	})
	return s.orderTold(c, r, name)
}

func (s *Server) tellOrder(r *room, name string) {
	r.refound(s.stop)
	if err := s.tellAll(s.stop, api.Somebody{Name: name, Office: r.id, Order: true}); err != nil && s.stop.Err() == nil {
		s.log.Warn("a step could not be told", "error", err)
	}
}

// takeDevices takes the devices of an office for a visit: one at a time sets them, whatever
// order it is of, and whichever server was asked.
func (s *Server) takeDevices(ctx context.Context, office int64, x *carry) error {
	busy := &history.Conflict{Text: "a visit is being carried out already: wait for it, or stop it"}
	s.carryTurn.Lock()
	defer s.carryTurn.Unlock()
	if was, ok := s.carries.Load(office); ok && was.(*carry).running() {
		return busy
	}
	x.holder = rand.Text()
	ok, err := s.store.Hold(ctx, office, x.holder)
	if err != nil {
		return err
	}
	if !ok {
		return busy
	}
	s.carries.Store(office, x)
	return nil
}

func (x *carry) running() bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.view.Running
}

// holdOn says again and again that the devices are held; where another took them meanwhile,
// or the database does not answer for as long as another would wait, the visit stops.
func (s *Server) holdOn(ctx context.Context, office int64, x *carry) {
	mishap.Go(s.log, "holding devices", func() {
		t := time.NewTicker(3 * time.Second)
		defer t.Stop()
		last := time.Now()
		for {
			select {
			case <-ctx.Done():
				return
			case <-t.C:
			}
			beat, stop := context.WithTimeout(ctx, 3*time.Second)
			ok, err := s.store.Keep(beat, office, x.holder)
			stop()
			switch {
			case err == nil && ok:
				last = time.Now()
			case err == nil, time.Since(last) > 12*time.Second:
				x.stop()
				return
			}
		}
	})
}

func (s *Server) giveDevices(office int64, x *carry) {
	ctx, stop := context.WithTimeout(context.WithoutCancel(s.stop), 3*time.Second)
	defer stop()
	if err := s.store.LetGo(ctx, office, x.holder); err != nil {
		s.log.Warn("devices are held until their time is over", "office", office, "error", err)
	}
}

// carryVisit carries the steps of a visit out, and ticks each; it gives where it
// ended.
func (s *Server) carryVisit(ctx context.Context, r *room, kept *store.Order, told *api.Order, x *carry, at int, name string, u *usage, back bool) api.CarryView {
	dial := s.dialer(ctx, r.id, u)
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
			var fault *mishap.Fault
			if errors.As(err, &fault) {
				mishap.Log(s.log, "carrying out on "+st.Device, fault)
			}
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
