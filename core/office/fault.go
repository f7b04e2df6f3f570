package office

import (
	"errors"
	"fmt"
)

// Fault is an error that is about one part of what was asked for, so that whoever
// asked can point to it. Errors that are about the whole are plain.
type Fault struct {
	Part Part
	Text string
}

func (f *Fault) Error() string { return f.Text }

// Part is what of a request a fault is about.
type Part string

const (
	OfName    Part = "name"    // it is taken, or is none
	OfVID     Part = "vid"     // likewise
	OfMode    Part = "mode"    // of a bundle
	OfFlavour Part = "flavour" // of an inner port
	OfSecond  Part = "second"  // the end of a cable that was named second
	OfSide    Part = "side"    // where a rule or a wish is from, or to
	OfService Part = "service"
	OfPlace   Part = "place" // in a list of rules
)

// PartOf is the part that an error is about, "" for the whole.
func PartOf(err error) Part {
	var fault *Fault
	if errors.As(err, &fault) {
		return fault.Part
	}
	return ""
}

// NoPort is that a device has no such port, or none on its front.
type NoPort struct {
	Device string
	text   string
}

func (e *NoPort) Error() string { return e.text }

// FaultOf makes an error about a part.
func FaultOf(part Part, format string, args ...any) error {
	return &Fault{part, fmt.Sprintf(format, args...)}
}
