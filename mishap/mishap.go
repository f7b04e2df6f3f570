// Package mishap keeps a fault of the program where it happened: a panic ends the one request,
// the one device that is read or the one job in which it was, and nothing else. Whoever waits
// for that is told a number; the log has the stack under it.
//
//	err := mishap.Try(func() error { return read(device) })
//
// A panic that nobody recovers ends the process for everybody, and recover works only in the
// goroutine of the panic: so nothing in the server starts a goroutine but by [Go] and [Group],
// which a test looks after.
package mishap

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"strings"
	"sync"
	"time"
)

// Fault is a panic, as an error.
type Fault struct {
	Number string // by which it is found in the log
	What   any    // that the program panicked with
	Stack  string
}

// Error is what may be told to anybody.
func (f *Fault) Error() string {
	return "This should not happen. The log has it under the number " + f.Number + "."
}

// Number is a new one.
func Number() string { return strings.ToLower(rand.Text()[:8]) }

// Told is told each fault where there is no log that has it: a command that is typed prints
// it. It is set before anything is done; nil for nobody.
var Told func(*Fault)

// Caught is what recover gave, as a fault.
func Caught(what any) *Fault {
	fault := &Fault{Number(), what, string(debug.Stack())}
	if Told != nil {
		Told(fault)
	}
	return fault
}

// Try does something; a panic in it is an error, a [Fault].
func Try(do func() error) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = Caught(what)
		}
	}()
	return do()
}

// Log writes an error, and of a fault its number and stack.
func Log(log *slog.Logger, what string, err error) {
	var fault *Fault
	if errors.As(err, &fault) {
		log.Error(what, "number", fault.Number, "panic", fmt.Sprint(fault.What), "stack", fault.Stack)
		return
	}
	log.Error(what, "error", err)
}

// Go does something in the background; a panic in it ends it, and is in the log.
func Go(log *slog.Logger, what string, do func()) {
	go func() {
		if err := Try(func() error { do(); return nil }); err != nil {
			Log(log, what, err)
		}
	}()
}

// Always does something in the background that goes on as long as the context: where it
// panics it is begun again, a second later.
func Always(ctx context.Context, log *slog.Logger, what string, do func()) {
	Go(log, what, func() {
		for {
			err := Try(func() error { do(); return nil })
			if err == nil {
				return
			}
			Log(log, what, err)
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Second):
			}
		}
	})
}

// Group is things that are done side by side.
type Group struct {
	wg    sync.WaitGroup
	mu    sync.Mutex
	fault *Fault
}

// Go does one of them.
func (g *Group) Go(do func()) {
	g.wg.Go(func() {
		if err := Try(func() error { do(); return nil }); err != nil {
			g.mu.Lock()
			defer g.mu.Unlock()
			errors.As(err, &g.fault)
		}
	})
}

// Wait waits for all of them. A panic in one is one in whoever waits, so that it ends there
// what it would have ended without goroutines.
func (g *Group) Wait() {
	g.wg.Wait()
	if g.fault != nil {
		panic(fmt.Sprintf("%v, in a goroutine: %s", g.fault.What, g.fault.Stack))
	}
}
