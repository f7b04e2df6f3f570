package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
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
	room, err := s.room(c)
	if err != nil {
		return err
	}
	view, err := s.orderView(c.Context(), room)
	if err != nil {
		return err
	}
	return c.JSON(view)
}

// orderView is the newest order of an office, as it is shown.
func (s *Server) orderView(ctx context.Context, room *room) (*api.OrderView, error) {
	now, err := room.current(ctx)
	if err != nil {
		return nil, err
	}
	kept, ticks, err := s.store.OrderNow(ctx, room.id)
	if err != nil {
		return nil, err
	}
	view := &api.OrderView{Ticks: []api.OrderDone{}}
	if job := s.orders.now(room.id); job != nil {
		view.Working = int(max(1, job.hundredths.Load()))
	}
	if kept == nil {
		return view, nil
	}
	if at := s.carryNow(room.id, kept.ID); at != nil && (at.Running || at.Step == len(ticks)) { // else somebody went on since
		view.Carry = at
	}
	view.ID, view.Revision, view.Back, view.Ended, view.Author, view.At = kept.ID, kept.Revision, kept.Way == "back", kept.Ended != nil, kept.Author, kept.At
	view.Moved = now.view.Revision != kept.Revision
	view.Order = &api.Order{}
	if err := json.Unmarshal(kept.Told, view.Order); err != nil {
		return nil, err
	}
	for _, tick := range ticks {
		view.Ticks = append(view.Ticks, api.OrderDone(tick))
	}
	view.Evening = kept.Evening != nil
	said, err := s.store.OrderSaidOf(ctx, kept.ID)
	if err != nil {
		return nil, err
	}
	for _, one := range said {
		view.Said = append(view.Said, saidView(one, view.Order))
	}
	if k := len(view.Said); k > 0 && view.Said[k-1].Step == len(ticks) { // who stands there wants to know what he still reaches
		run, err := s.run(room.id, kept)
		if err != nil {
			return nil, err
		}
		at, err := run.After(len(ticks))
		if err != nil {
			return nil, err
		}
		view.Reached, view.Lost = order.Reached(at)
	}
	return view, nil
}

// mostSaidWords is how much of what a device said is kept.
const mostSaidWords = 2000

func saidView(said store.OrderSaid, told *api.Order) api.OrderSaid {
	one := api.OrderSaid{Order: said.Order, Step: said.Step, Said: said.Said, Words: said.Words, ByDevice: said.ByDevice, Author: said.Author, At: said.At}
	if said.Step < len(told.Steps) {
		one.Device, one.Text = told.Steps[said.Step].Device, told.Steps[said.Step].Text
	}
	return one
}

// orderProtocol is what was said of the steps of all orders, evening by evening.
func (s *Server) orderProtocol(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	protocol, err := s.protocol(c.Context(), room.id)
	if err != nil {
		return err
	}
	return c.JSON(protocol)
}

// protocol is what was said of the steps of an office's orders.
func (s *Server) protocol(ctx context.Context, office int64) (api.Protocol, error) {
	protocol := api.Protocol{Orders: []api.ProtocolOrder{}, Said: []api.OrderSaid{}}
	said, orders, err := s.store.OrdersSaid(ctx, office)
	if err != nil {
		return protocol, err
	}
	told := map[int64]*api.Order{}
	for _, one := range said {
		if told[one.Order] == nil {
			kept := orders[one.Order]
			told[one.Order] = &api.Order{}
			if err := json.Unmarshal(kept.Told, told[one.Order]); err != nil {
				return protocol, err
			}
			p := api.ProtocolOrder{ID: kept.ID, Evening: kept.ID, Revision: kept.Revision, Back: kept.Way == "back", Author: kept.Author, At: kept.At, Told: told[one.Order].Told, Steps: len(told[one.Order].Steps)}
			if kept.Evening != nil {
				p.Evening = *kept.Evening
			}
			protocol.Orders = append(protocol.Orders, p)
		}
		protocol.Said = append(protocol.Said, saidView(one, told[one.Order]))
	}
	return protocol, nil
}

// keptRun is an order with its steps, as it was read last.
type keptRun struct {
	id int64
	*order.Run
}

// run is an order with the offices that its steps lead to; those are kept for as long as
// it is an office's newest.
func (s *Server) run(office int64, kept *store.Order) (*order.Run, error) {
	if x, ok := s.runs.Load(office); ok && x.(*keptRun).id == kept.ID {
		return x.(*keptRun).Run, nil
	}
	told := &api.Order{}
	if err := json.Unmarshal(kept.Told, told); err != nil {
		return nil, err
	}
	run := order.NewRun(kept.AsIs, told.Taken())
	s.runs.Store(office, &keptRun{kept.ID, run})
	return run, nil
}

func (s *Server) orderMake(c fiber.Ctx) error {
	var request api.OrderRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	ctx := c.Context()
	now, err := room.current(ctx)
	if err != nil {
		return err
	}
	if held, err := s.store.Held(ctx, room.id); err != nil {
		return err
	} else if held {
		return heldBack()
	}
	one, err := s.ordering(ctx, room, now, &request)
	if err != nil {
		return err
	}
	one.kept.Author = name
	work, err := s.orders.begin(s.stop, room.id, name, personOf(c))
	if err != nil {
		return err
	}
	defer s.orders.end(room.id, work)
	waits, leave := context.WithCancel(work.ctx) // for a turn, as long as nobody stops it, and somebody asks
	defer context.AfterFunc(ctx, leave)()
	defer leave()
	if s.turns.take(waits) != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return &history.Conflict{Text: order.ErrStopped.Error()}
	}
	defer s.turns.give()
	one.opt = order.Options{Stop: func() bool { return work.ctx.Err() != nil }, Progress: work.far, Most: mostOrderTries, New: request.New, Only: request.Only}
	err = addOrder(ctx, s.store, room.id, *one)
	var no *order.Impossible
	switch {
	case errors.As(err, &no):
		return bad("order", "%s", no.Error())
	case errors.Is(err, store.ErrHeld):
		return heldBack()
	case errors.Is(err, order.ErrTooMuch):
		return bad("order", "%s", err)
	case errors.Is(err, order.ErrStopped):
		return &history.Conflict{Text: err.Error()}
	case err != nil:
		return err
	}
	return s.orderTold(c, room, name)
}

// ordering is between which offices an order that is asked for leads, and as what it is kept:
// from how devices are, from a revision, from nothing, or on, or back, from where the order
// before it has come.
func (s *Server) ordering(ctx context.Context, room *room, now *shown, request *api.OrderRequest) (*ordering, error) {
	before, ticks, err := s.store.OrderNow(ctx, room.id)
	if err != nil {
		return nil, err
	}
	one := &ordering{plan: now.report.Net.Office, kept: store.Order{Revision: now.view.Revision, Way: "there"}}
	goesOn := false // with the evening that the order before it is of
	switch request.From {
	case "found":
		goesOn = true
		one.was, err = s.asFound(room.id, before, len(ticks), now)
		if before == nil {
			one.cautions = neverSeen(now)
		}
	case "revision":
		if one.was, err = room.past(ctx, one.plan, now.view.Revision, request.Revision); err != nil {
			err = bad("revision", "%s", err)
		}
	case "factory":
		if one.was, err = order.Without(one.plan, request.Devices); err != nil {
			err = bad("devices", "%s", err)
		}
	default:
		if before == nil {
			return nil, bad("from", "there is no order yet to go on from, or back")
		}
		goesOn = true
		err = s.from(ctx, one, request.From, evening{room.id, before, len(ticks)})
	}
	if err != nil {
		return nil, err
	}
	if before != nil && goesOn && len(ticks) > 0 {
		one.kept.Evening = before.Evening
		if one.kept.Evening == nil {
			one.kept.Evening = &before.ID
		}
	}
	return one, nil
}

// evening is how far an order of an office has come.
type evening struct {
	office int64
	order  *store.Order
	ticks  int
}

// from has an order lead from where another has come after so many ticks: on to the plan
// ("here"), back to where that began ("back"), or to before the evening.
func (s *Server) from(ctx context.Context, one *ordering, where string, of evening) error {
	before := of.order
	run, err := s.run(of.office, before)
	if err != nil {
		return err
	}
	if one.was, err = run.After(of.ticks); err != nil || where == "here" {
		return err
	}
	one.kept.Way = "back"
	if where == "back" {
		one.kept.Revision = before.Revision
		one.plan, err = run.After(0)
		return err
	}
	first, err := s.firstOf(ctx, of.office, before)
	if err != nil {
		return err
	}
	one.kept.Revision = first.Revision
	one.plan, err = first.from()
	return err
}

// firstOrder is the order that an evening began with.
type firstOrder struct{ *store.Order }

func (f firstOrder) from() (*office.Office, error) {
	file, err := notation.Read("as it was", f.AsIs)
	if err != nil {
		return nil, err
	}
	return file.Office, nil
}

func (s *Server) firstOf(ctx context.Context, id int64, kept *store.Order) (firstOrder, error) {
	if kept.Evening == nil {
		return firstOrder{kept}, nil
	}
	first, err := s.store.Order(ctx, id, *kept.Evening)
	if err == nil && first == nil {
		err = bad("from", "the order that the evening began with is gone")
	}
	return firstOrder{first}, err
}

// heldBack is why no order is made while one is carried out.
func heldBack() error {
	return &history.Conflict{Text: store.ErrHeld.Error() + ": wait for it, or stop it, before another order is made"}
}

// orderStop stops the order that is being worked out, if one is.
func (s *Server) orderStop(c fiber.Ctx) error {
	room, err := s.room(c)
	if err != nil {
		return err
	}
	s.orders.stop(room.id)
	s.carrying.stop(room.id)
	view, err := s.orderView(c.Context(), room)
	if err != nil {
		return err
	}
	return c.JSON(view)
}

// neverSeen says of which devices nobody found what they are set to: an order from what was
// found takes them as planned.
func neverSeen(now *shown) []string {
	var names []string
	net := now.report.Net
	for i, device := range net.Office.Devices {
		if _, seen := now.kept[device.Name]; !seen && net.Aware(i) {
			names = append(names, device.Name)
		}
	}
	if len(names) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("Nobody saw what %s set to, and this order takes that as planned: read it, or paste what it shows, before you rely on it.", are(names))}
}

// are is names with their verb: "rack is", "rack, front and yard are".
func are(names []string) string {
	if len(names) == 1 {
		return names[0] + " is"
	}
	last := len(names) - 1
	return strings.Join(names[:last], ", ") + " and " + names[last] + " are"
}

// ordering is an order that is to be worked out and kept.
type ordering struct {
	kept      store.Order
	was, plan *office.Office
	opt       order.Options
	cautions  []string // what is to be said of it besides
}

// addOrder works an order out and keeps it.
func addOrder(ctx context.Context, st *store.Store, id int64, asked ordering) error {
	kept, was := asked.kept, order.Seated(asked.was)
	o, err := order.Make(was, asked.plan, asked.opt)
	if err != nil {
		return err
	}
	kept.AsIs, kept.Goal = notation.Print(was), notation.Print(o.Planned)
	told := api.OrderOf(o)
	told.Left = append(asked.cautions, told.Left...)
	if kept.Told, err = json.Marshal(told); err != nil {
		return err
	}
	_, err = st.AddOrder(ctx, id, kept)
	return err
}

// Beginning is an office that begins otherwise than it is planned.
type Beginning struct {
	Office    int64
	Was, Plan *office.Office
	Revision  int64 // of the plan
	Author    string
}

// Begin keeps what devices of an office are set to, where that is not what they
// should be, and the work order that leads from there.
func Begin(ctx context.Context, st *store.Store, begin Beginning) error {
	id, was, plan, author := begin.Office, begin.Was, begin.Plan, begin.Author
	kept := store.Order{Revision: begin.Revision, Way: "there", Author: author}
	if err := addOrder(ctx, st, id, ordering{kept: kept, was: was, plan: plan, opt: order.Options{Stop: func() bool { return ctx.Err() != nil }}}); err != nil {
		return err
	}
	net := span.Compile(plan)
	for i, device := range plan.Devices {
		one := foundAt(was, device.Name, "read before the work order", author)
		if one == nil {
			continue
		}
		if other := was.Device(device.Name); other != nil && len(found.RoutingOf(other).Differs(plan, device)) > 0 {
			one.Routing = found.RoutingOf(other)
			one.Routing.How, one.Routing.At = one.How, stamp()
		}
		if one.Routing == nil && (!net.Aware(i) || len(found.Differences(net, i, one.Kept().On(net, i))) == 0) {
			continue
		}
		if err := st.AddFound(ctx, id, device.Name, *one); err != nil {
			return err
		}
	}
	return nil
}

// asFound is what devices are set to: where the last order stands, with what was
// found since; where there never was one, the plan with what was found.
func (s *Server) asFound(id int64, before *store.Order, done int, now *shown) (*office.Office, error) {
	net := now.report.Net
	if before != nil {
		run, err := s.run(id, before)
		if err != nil {
			return nil, err
		}
		at, err := run.After(done)
		if err != nil {
			return nil, err
		}
		net = span.Compile(at)
	}
	return found.AsFound(net, now.kept)
}

// orderTick notes what became of a step.
//
// Many branches: a step is ticked, unticked, refused or silent, and each may come too
// late.
func (s *Server) orderTick(c fiber.Ctx) error {
	var tick api.OrderTick
	name, room, err := s.asked(c, &tick)
	if err != nil {
		return err
	}
	ctx := c.Context()
	kept, ticks, err := s.store.OrderNow(ctx, room.id)
	if err != nil {
		return err
	}
	if kept == nil || kept.ID != tick.Order {
		return &history.Conflict{Text: "another order was made meanwhile: look at it first"}
	}
	run, err := s.run(room.id, kept)
	if err != nil {
		return err
	}
	if tick.Step >= len(run.Steps) {
		return bad("step", "the order has %d steps", len(run.Steps))
	}
	done, err := run.Tick(len(ticks), tick.Step, tick.On)
	if err != nil {
		return &history.Conflict{Text: err.Error() + ": look again"}
	}
	step := run.Steps[tick.Step]
	when, err := handedIn(tick.At)
	if err != nil {
		return err
	}
	if tick.Said == "refused" || tick.Said == "silent" {
		if tick.Step != len(ticks) {
			return &history.Conflict{Text: order.ErrMoved.Error() + ": look again"}
		}
		said := store.OrderSaid{Order: tick.Order, Step: tick.Step, Said: tick.Said, Words: strings.TrimSpace(tick.Words), Author: name, At: when}
		if err := s.store.SayOrder(ctx, room.id, said); errors.Is(err, order.ErrMoved) {
			return &history.Conflict{Text: err.Error() + ": look again"}
		} else if err != nil {
			return err
		}
		return s.orderTold(c, room, name)
	}
	var state *store.Found
	if run.Sets(tick.Step) {
		at, err := run.After(done)
		if err != nil {
			return err
		}
		was, err := run.After(len(ticks))
		if err != nil {
			return err
		}
		if state, err = s.foundAfter(c.Context(), room.id, stepped{was, at, step.Device}, run.Called(tick.Step, tick.On), name); err != nil {
			return err
		}
	}
	what := "undone"
	if tick.On {
		what = "done"
	}
	err = s.store.TickOrder(ctx, room.id, store.OrderSaid{Order: tick.Order, Step: tick.Step, Said: what, Author: name, At: when}, step.Device, state)
	if errors.Is(err, order.ErrMoved) {
		return &history.Conflict{Text: err.Error() + ": look again"}
	}
	if err != nil {
		return err
	}
	s.orderMoved(room.id, moved{kept.Revision, name, len(ticks), done, len(run.Steps)})
	if s.field.ByHand != nil && run.Sets(tick.Step) {
		if at, err := run.After(done); err == nil {
			s.field.ByHand(room.id, step.Device, at)
		}
	}
	return s.orderTold(c, room, name)
}

// handedIn is when something was that was said while the server was not heard; the zero time
// for now.
func handedIn(at *time.Time) (time.Time, error) {
	if at == nil {
		return time.Time{}, nil
	}
	if ago := time.Since(*at); ago < -5*time.Minute || ago > 30*24*time.Hour {
		return time.Time{}, bad("at", "it was at %s: within the last 30 days is what can be handed in", at.UTC().Format(time.RFC3339))
	}
	return *at, nil
}

// stamp is now, as what was found of routing keeps it.
func stamp() string { return time.Now().UTC().Format(time.RFC3339) }

// foundAt is what a device is set to in an office, as something found; nil where it
// has nothing to set.
func foundAt(o *office.Office, device, how, author string) *store.Found {
	net := span.Compile(o)
	i := net.Topo.DeviceIndex(device)
	if i < 0 {
		return nil
	}
	kept := found.Kept{}
	if net.Aware(i) {
		kept = found.Keep(o.Devices[i], wording.Planned(net, i))
	}
	return keptAs(kept, how, author)
}

// stepped is a step of an order: the office before and after, and the device that it sets.
type stepped struct {
	was, is *office.Office
	device  string
}

// foundAfter is what a device is set to after a step of an order; nil where it has nothing to
// set. How it routes is among that where somebody looked before, or the step is about it.
func (s *Server) foundAfter(ctx context.Context, id int64, step stepped, how, author string) (*store.Found, error) {
	was, is, device := step.was, step.is, step.device
	one := foundAt(is, device, how, author)
	d := is.Device(device)
	if one == nil || d == nil {
		return nil, nil
	}
	last, err := s.store.FoundOf(ctx, id, device, 1)
	if err != nil {
		return nil, err
	}
	if len(last) > 0 {
		one.Routing = last[0].Routing
	}
	x := was.Device(device)
	changed := x != nil && len(found.RoutingOf(x).Against(is, d)) > 0
	if changed || len(one.Routing.Against(is, d)) > 0 {
		one.Routing = found.RoutingOf(d)
		one.Routing.How, one.Routing.At = how, stamp()
	}
	if len(one.Ports) == 0 && one.Routing == nil {
		return nil, nil
	}
	return one, nil
}

// orderTold tells everybody that an order was made or went on, and answers with it.
func (s *Server) orderTold(c fiber.Ctx, room *room, name string) error {
	room.refound(c.Context())
	if err := s.tellAll(c.Context(), api.Somebody{Name: name, Office: room.id, Order: true}); err != nil {
		return err
	}
	view, err := s.orderView(c.Context(), room)
	if err != nil {
		return err
	}
	return c.JSON(view)
}

type orderAtQuery struct {
	Step int `query:"step" required:"true" description:"how many steps are done"`
}

func (s *Server) orderAt(c fiber.Ctx) error {
	step, err := intQuery(c, "step", 0)
	if err != nil {
		return err
	}
	room, err := s.room(c)
	if err != nil {
		return err
	}
	kept, _, err := s.store.OrderNow(c.Context(), room.id)
	if err != nil {
		return err
	}
	if kept == nil {
		return bad("step", "there is no order")
	}
	run, err := s.run(room.id, kept)
	if err != nil {
		return err
	}
	at, err := run.After(int(step))
	if err != nil {
		return err
	}
	return c.JSON(api.View(room.id, kept.Revision, finding.Check(span.Compile(at)), nil))
}
