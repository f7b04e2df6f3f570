package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/finding"
	"klammer/core/found"
	"klammer/core/history"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/order"
	"klammer/core/span"
	"klammer/core/wording"
	"klammer/store"
)

func (s *Server) orderNow(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	v, err := s.orderView(c.Context(), r)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// orderView is the newest order of an office, as it is shown.
func (s *Server) orderView(ctx context.Context, r *room) (*api.OrderView, error) {
	now, err := r.current(ctx)
	if err != nil {
		return nil, err
	}
	kept, ticks, err := s.store.OrderNow(ctx, r.id)
	if err != nil {
		return nil, err
	}
	v := &api.OrderView{Ticks: []api.OrderDone{}}
	if at, ok := s.orders.Load(r.id); ok {
		v.Working = int(max(1, at.(*working).done.Load()))
	}
	if kept == nil {
		return v, nil
	}
	if at := s.carryNow(r.id, kept.ID); at != nil && (at.Running || at.Step == len(ticks)) { // else somebody went on since
		v.Carry = at
	}
	v.ID, v.Revision, v.Back, v.Ended, v.Author, v.At = kept.ID, kept.Revision, kept.Way == "back", kept.Ended != nil, kept.Author, kept.At
	v.Moved = now.view.Revision != kept.Revision
	v.Order = &api.Order{}
	if err := json.Unmarshal(kept.Told, v.Order); err != nil {
		return nil, err
	}
	for _, t := range ticks {
		v.Ticks = append(v.Ticks, api.OrderDone(t))
	}
	return v, nil
}

// after is the office as it is when some steps of an order are done.
func after(o *store.Order, steps int) (*office.Office, *api.Order, error) {
	f, err := notation.Read("as it is", o.AsIs)
	if err != nil {
		return nil, nil, err
	}
	told := &api.Order{}
	if err := json.Unmarshal(o.Told, told); err != nil {
		return nil, nil, err
	}
	at := f.Office
	for _, st := range told.Steps[:min(steps, len(told.Steps))] {
		for _, line := range st.Lines {
			if at, _, err = notation.Line(at, line); err != nil {
				return nil, nil, fmt.Errorf("a step of the order cannot be taken: %q: %w", line, err)
			}
		}
	}
	return at, told, nil
}

func (s *Server) orderMake(c fiber.Ctx) error {
	var q api.OrderRequest
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	ctx := c.Context()
	now, err := r.current(ctx)
	if err != nil {
		return err
	}
	if held, err := s.store.Held(ctx, r.id); err != nil {
		return err
	} else if held {
		return &history.Conflict{Text: "a visit is being carried out just now: wait for it, or stop it, before another order is made"}
	}
	before, ticks, err := s.store.OrderNow(ctx, r.id)
	if err != nil {
		return err
	}
	plan := now.report.Net.Office
	kept := store.Order{Revision: now.view.Revision, Way: "there", Author: name}
	var was *office.Office
	switch q.From {
	case "found":
		was, err = s.asFound(before, len(ticks), now)
	case "revision":
		if was, err = past(ctx, s.store, r.id, plan, q.Revision, now.view.Revision); err != nil {
			err = bad("revision", "%s", err)
		}
	case "factory":
		was, err = without(plan, q.Devices)
	default:
		if before == nil {
			return bad("from", "there is no order yet to go on from, or back")
		}
		if was, _, err = after(before, len(ticks)); err == nil && q.From == "back" {
			f, wrong := notation.Read("as it was", before.AsIs)
			if wrong != nil {
				return wrong
			}
			plan, kept.Way, kept.Revision = f.Office, "back", before.Revision
		}
	}
	if err != nil {
		return err
	}
	work := &working{}
	if _, busy := s.orders.LoadOrStore(r.id, work); busy {
		return &history.Conflict{Text: "an order of this office is being worked out already: wait for it, or stop it"}
	}
	defer s.orders.Delete(r.id)
	for waits := true; waits; { // for a turn, as long as nobody stops it
		select {
		case s.turns <- struct{}{}:
			defer func() { <-s.turns }()
			waits = false
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
			if work.stopped.Load() || s.stop.Err() != nil {
				return &history.Conflict{Text: order.ErrStopped.Error()}
			}
		}
	}
	err = addOrder(ctx, s.store, r.id, kept, was, plan, order.Options{
		Stop:     func() bool { return work.stopped.Load() || s.stop.Err() != nil },
		Progress: func(done, of int) { work.done.Store(int64(100 * done / of)) },
		Most:     mostOrderTries,
	})
	var no *order.Impossible
	switch {
	case errors.As(err, &no):
		return bad("order", "%s", no.Error())
	case errors.Is(err, order.ErrTooMuch):
		return bad("order", "%s", err)
	case errors.Is(err, order.ErrStopped):
		return &history.Conflict{Text: err.Error()}
	case err != nil:
		return err
	}
	return s.orderTold(c, r, name)
}

// working is an order that is being worked out.
type working struct {
	done    atomic.Int64 // hundredths of what differs
	stopped atomic.Bool
}

// orderStop stops the order that is being worked out, if one is.
func (s *Server) orderStop(c fiber.Ctx) error {
	r, err := s.room(c)
	if err != nil {
		return err
	}
	if w, ok := s.orders.Load(r.id); ok {
		w.(*working).stopped.Store(true)
	}
	s.stopCarrying(r.id)
	v, err := s.orderView(c.Context(), r)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

// addOrder works an order out and keeps it.
func addOrder(ctx context.Context, st *store.Store, id int64, kept store.Order, was, plan *office.Office, opt order.Options) error {
	was = order.Seated(was)
	o, err := order.Make(was, plan, opt)
	if err != nil {
		return err
	}
	kept.AsIs, kept.Goal = notation.Print(was), notation.Print(plan)
	if kept.Told, err = json.Marshal(api.OrderOf(o)); err != nil {
		return err
	}
	_, err = st.AddOrder(ctx, id, kept)
	return err
}

// Begin keeps what devices of an office are set to, where that is not what they
// should be, and the work order that leads from there.
func Begin(ctx context.Context, st *store.Store, id, revision int64, was, plan *office.Office, author string) error {
	kept := store.Order{Revision: revision, Way: "there", Author: author}
	if err := addOrder(ctx, st, id, kept, was, plan, order.Options{Stop: func() bool { return ctx.Err() != nil }}); err != nil {
		return err
	}
	n := span.Compile(plan)
	for i, d := range plan.Devices {
		f := foundAt(was, d.Name, "read before the work order", author)
		if f == nil || len(found.Differences(n, i, f.Kept().On(n, i))) == 0 {
			continue
		}
		if err := st.AddFound(ctx, id, d.Name, *f); err != nil {
			return err
		}
	}
	return nil
}

// asFound is what devices are set to: where the last order stands, with what was
// found since; where there never was one, the plan with what was found.
func (s *Server) asFound(before *store.Order, done int, now *shown) (*office.Office, error) {
	net := now.report.Net
	if before != nil {
		at, _, err := after(before, done)
		if err != nil {
			return nil, err
		}
		net = span.Compile(at)
	}
	return found.AsFound(net, now.kept)
}

// without is an office in which some devices are not yet.
func without(o *office.Office, devices []string) (*office.Office, error) {
	if len(devices) == 0 {
		return nil, bad("devices", "say which devices are new")
	}
	draft := office.NewDraft(o)
	for _, d := range devices {
		if err := draft.RemoveDevice(d); err != nil {
			return nil, bad("devices", "%s", err)
		}
	}
	next, _ := draft.Done()
	return next, nil
}

func (s *Server) orderTick(c fiber.Ctx) error {
	var q api.OrderTick
	name, r, err := s.asked(c, &q)
	if err != nil {
		return err
	}
	ctx := c.Context()
	kept, _, err := s.store.OrderNow(ctx, r.id)
	if err != nil {
		return err
	}
	if kept == nil || kept.ID != q.Order {
		return &history.Conflict{Text: "another order was made meanwhile: look at it first"}
	}
	steps := q.Step
	if q.On {
		steps++
	}
	at, told, err := after(kept, steps)
	if err != nil {
		return err
	}
	if q.Step >= len(told.Steps) {
		return bad("step", "the order has %d steps", len(told.Steps))
	}
	step := told.Steps[q.Step]
	how := fmt.Sprintf("work order, step %d", q.Step+1)
	if !q.On {
		how = fmt.Sprintf("work order, before step %d", q.Step+1)
	}
	state := foundAt(at, step.Device, how, name)
	if step.Kind != order.Set {
		state = nil
	}
	err = s.store.TickOrder(ctx, r.id, q.Order, q.Step, name, q.On, step.Device, state)
	if errors.Is(err, store.ErrOrderMoved) {
		return &history.Conflict{Text: err.Error() + ": look again"}
	}
	if err != nil {
		return err
	}
	return s.orderTold(c, r, name)
}

// foundAt is what a device is set to in an office, as something found; nil where it
// has nothing to set.
func foundAt(o *office.Office, device, how, author string) *store.Found {
	n := span.Compile(o)
	i := n.Topo.DeviceIndex(device)
	if i < 0 || !n.Aware(i) {
		return nil
	}
	return keptAs(found.Keep(o.Devices[i], wording.Planned(n, i)), how, author)
}

// orderTold tells everybody that an order was made or went on, and answers with it.
func (s *Server) orderTold(c fiber.Ctx, r *room, name string) error {
	r.refound(c.Context())
	if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: r.id, Order: true}); err != nil {
		return err
	}
	v, err := s.orderView(c.Context(), r)
	if err != nil {
		return err
	}
	return c.JSON(v)
}

type orderAtQuery struct {
	Step int `query:"step" required:"true" description:"how many steps are done"`
}

func (s *Server) orderAt(c fiber.Ctx) error {
	step, err := intQuery(c, "step", 0)
	if err != nil {
		return err
	}
	r, err := s.room(c)
	if err != nil {
		return err
	}
	kept, _, err := s.store.OrderNow(c.Context(), r.id)
	if err != nil {
		return err
	}
	if kept == nil {
		return bad("step", "there is no order")
	}
	at, _, err := after(kept, max(0, int(step)))
	if err != nil {
		return err
	}
	return c.JSON(api.View(r.id, kept.Revision, finding.Check(span.Compile(at)), nil))
}
