package order

import (
	"errors"
	"fmt"
	"slices"
	"sync"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
	"klammer/core/talk"
)

// ErrMoved says that somebody else went on with an order, or took a step of it back.
var ErrMoved = errors.New("somebody else went on with this order")

// Taken is what a run knows of a step.
type Taken struct {
	Visit  int
	Device string
	Kind   Kind
	Lines  []string // statements that lead from the office before to the one after
}

// Run is an order that is carried out: the office that it began at, its steps, and the
// office after each. How many are done is kept by whoever keeps the run, and given to
// each question:
//
//	as it was   1 done        2 done        all done
//	After(0) ── After(1) ──── After(2) ──── After(3)
//	            Tick(1, true) takes it on, Tick(0, false) back;
//	            the rest anew leads on from After(1), the way back from there to After(0)
//
// Several may ask it at once.
type Run struct {
	Steps []Taken
	lock  sync.Mutex
	asIs  string
	at    []*office.Office // as far as it was asked for
}

// NewRun is the run of an order by the office that it began at, in notation.
func NewRun(asIs string, steps []Taken) *Run { return &Run{Steps: steps, asIs: asIs} }

// After is the office as it is when some steps are done, at most all. Each is worked
// out once, from the one before.
func (r *Run) After(done int) (*office.Office, error) {
	r.lock.Lock()
	defer r.lock.Unlock()
	if len(r.at) == 0 {
		file, err := notation.Read("as it is", r.asIs)
		if err != nil {
			return nil, err
		}
		r.at = append(r.at, file.Office)
	}
	for done = max(0, min(done, len(r.Steps))); len(r.at) <= done; {
		at := r.at[len(r.at)-1]
		for _, line := range r.Steps[len(r.at)-1].Lines {
			var err error
			if at, _, err = notation.Line(at, line); err != nil {
				return nil, fmt.Errorf("a step of the order cannot be taken: %q: %w", line, err)
			}
		}
		r.at = append(r.at, at)
	}
	return r.at[done], nil
}

// Tick says how many steps are done when one is ticked, or its tick taken away, where
// some are done: the next one is ticked, the last one taken back. Else it is [ErrMoved].
func (r *Run) Tick(done, step int, on bool) (int, error) {
	switch {
	case step < 0 || step >= len(r.Steps):
		return done, fmt.Errorf("the order has %d steps", len(r.Steps))
	case on && step == done:
		return done + 1, nil
	case !on && step == done-1:
		return done - 1, nil
	}
	return done, fmt.Errorf("%w: %d steps are done", ErrMoved, done)
}

// VisitAt says whether the next step is of a visit, where some are done.
func (r *Run) VisitAt(done, visit int) bool {
	return done >= 0 && done < len(r.Steps) && r.Steps[done].Visit == visit
}

// Sets says whether a step leaves its device set otherwise, which is then what is known
// of it.
func (r *Run) Sets(step int) bool { return r.Steps[step].Kind == Set }

// Called is a step as people say where something is from: "work order, step 3".
func (r *Run) Called(step int, on bool) string {
	if on {
		return fmt.Sprintf("work order, step %d", step+1)
	}
	return fmt.Sprintf("work order, before step %d", step+1)
}

// Without is an office in which some devices are not yet: what an order for new ones
// begins at.
func Without(o *office.Office, devices []string) (*office.Office, error) {
	if len(devices) == 0 {
		return nil, errors.New("say which devices are new")
	}
	draft := office.NewDraft(o)
	for _, d := range devices {
		if err := draft.RemoveDevice(d); err != nil {
			return nil, err
		}
	}
	next, _ := draft.Done()
	return next, nil
}

// Reached is the devices of an office that the operator reaches over the network as things
// are, and those that he does not, of those that say where they are managed.
func Reached(o *office.Office) (yes, no []string) {
	net := span.Compile(o)
	i := slices.IndexFunc(o.Plugs, func(plug office.Plug) bool { return plug.Operator })
	var here []span.Place
	if i >= 0 {
		here = reach.Plug(net, &o.Plugs[i])
	}
	management := talk.ManagementIn(net)
	for dev, device := range o.Devices {
		switch {
		case device.Manage == nil:
		case here != nil && management.Stops(o.Plugs[i].Wants, here, o.Plugs[i].At, dev) == nil:
			yes = append(yes, device.Name)
		default:
			no = append(no, device.Name)
		}
	}
	return yes, no
}
