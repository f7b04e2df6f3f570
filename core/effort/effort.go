// Package effort is what one request may cost: work is counted where it is made, and ends where
// it is more than one asker may have, or where nobody waits for it any more.
//
//	e := effort.New(effort.Most, asks.Err)
//	err := effort.Try(func() error { return spreadsheet.Office(net.Within(e)) })
//
// A count that is over is a panic of this package's own, which [Try] makes an error of again:
// so that a loop far down says in one line what it costs, and nothing between has to pass an
// error on (as text/template/parse does it).
package effort

import "errors"

// Unit is about a tenth of a microsecond on one core of a plain machine; [Most] is a second.
const (
	Most = 10_000_000
	look = 100_000 // spent between two looks whether somebody waits: a hundredth of a second
)

// ErrSpent says that something is more work than one request may be.
var ErrSpent = errors.New("that is more work than one request may be: ask for a part of it")

// Effort is what is left. A nil Effort has no end.
type Effort struct {
	left  int
	since int
	waits func() error // nil where somebody waits; nil for always
}

// New is an effort of so many units. Waits is asked now and then whether somebody waits for
// the result still, and gives the error that it ends with where nobody does.
func New(units int, waits func() error) *Effort { return &Effort{left: units, waits: waits} }

// Spend counts units. It does not return where there are none left, or where nobody waits: the
// [Try] around it does.
func (e *Effort) Spend(units int) {
	if e == nil {
		return
	}
	e.left -= units
	if e.left < 0 {
		panic(&over{ErrSpent})
	}
	if e.since += units; e.since >= look {
		e.since = 0
		if e.waits != nil {
			if err := e.waits(); err != nil {
				panic(&over{err})
			}
		}
	}
}

// Look looks whether somebody waits, now.
func (e *Effort) Look() {
	if e == nil || e.waits == nil {
		return
	}
	if err := e.waits(); err != nil {
		panic(&over{err})
	}
}

// over is a panic of [Effort.Spend].
type over struct{ err error }

// Try does something that spends, and gives the error that it ended with.
func Try(do func() error) (err error) {
	defer func() {
		if what := recover(); what != nil {
			one, ok := what.(*over)
			if !ok {
				panic(what)
			}
			err = one.err
		}
	}()
	return do()
}
