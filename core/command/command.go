// Package command is what an edit means: everything that somebody can ask for,
// by a key on the board, a form or the line, is a [Command], and [Do] works out
// what it comes to. Each gives one edit, which can be previewed and undone like
// any other.
//
//	Member{VIDs, Ports, As}   how VLANs stand on ports
//	PVID{VID, Ports}          which VLAN untagged frames join there
//	Line{Text}                statements of bracket notation, or one of the verbs
//
// The verbs of the line are
//
//	bring 130 to ward-east.6          renumber 110 to 115 with subnets
//	withdraw 130 from ward-east.6     retire 170
//	rename device rack to core        copy ward-east as ward-south
//	move rack.1-2 to rack.7-8         swap rack.18 rack.19
//	replace rack by switch, 48 ports, by VLAN, 25-26 to 49-50
//	plan ward-8 from ward-east        follow ward-south ward-8
//	add ward-south switch, 8 ports, by VLAN
package command

import (
	"errors"
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Command is one thing that somebody asks for.
type Command interface {
	do(net *span.Net) (*Result, error)
}

// Result is an office as a command would leave it.
type Result struct {
	Office  *office.Office
	Edit    office.Edit // that leads there
	Summary string      // what it does, in a line
	Notes   []string    // what else to know before it is done
}

// Most is how many commands one request may have, and how many ports each may
// name.
const Most = 4096

// Do works out commands, each on what the last one left, as one edit. The error
// is a [*Fault], and nothing is done where there is one.
func Do(net *span.Net, list ...Command) (*Result, error) {
	if len(list) == 0 {
		return nil, &Fault{Field: "commands", Code: NothingSaid, Text: "there is nothing to do: no command is given"}
	}
	if len(list) > Most {
		return nil, &Fault{Field: "commands", Code: TooMany, Text: fmt.Sprintf("%d commands at once: at most %d", len(list), Most)}
	}
	out := &Result{Office: net.Office}
	var summaries []string
	work := &notation.Work{}
	for i, command := range list {
		net.Effort().Spend(100 + 3*len(out.Office.Devices))
		if line, ok := command.(Line); ok {
			line.work = work
			command = line
		}
		at := net
		switch line, ok := command.(Line); {
		case i == 0:
		case ok && !line.verb(out.Office): // statements need no more than the things themselves
			at = span.Bare(out.Office)
		default:
			net.Effort().Spend(1000 + weight(net))
			net = net.Update(out.Office)
			at = net
		}
		result, err := command.do(at)
		if err != nil {
			return nil, faultOf(err, i)
		}
		out.Office, out.Edit = result.Office, append(out.Edit, result.Edit...)
		out.Notes = append(out.Notes, result.Notes...)
		summaries = append(summaries, result.Summary)
	}
	out.Summary = Cut(strings.Join(summaries, "; "))
	return out, nil
}

// weight is what working an office out anew costs at most: by its ports and what they are
// members of.
func weight(net *span.Net) (units int) {
	for _, table := range net.Tables {
		for port := range table.Ports {
			set := table.Ports[port].Members()
			units += 10 + set.Len()/4
		}
	}
	return units
}

// Cut shortens a summary to what fits a line of the history.
func Cut(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > 120 {
		return string(r[:119]) + "…"
	}
	return text
}

// Fault is a command that cannot mean anything: what is wrong, with which part of
// it.
type Fault struct {
	Command  int    // its place in the list, from 0
	Field    string // ports[2]; "" for the whole of it
	Code     Code
	Text     string
	Mistakes []notation.Mistake // of a text in notation, at their places
}

func (f *Fault) Error() string { return f.Text }

// Bare is what is wrong without its places, for where the text is not at hand.
func (f *Fault) Bare() string {
	if len(f.Mistakes) == 0 {
		return f.Text
	}
	return f.Mistakes[0].Text
}

// Code says what kind of fault it is, for those who do not read.
type Code string

const (
	NothingSaid   Code = "nothing-said"   // it names no port, no VLAN, no command
	TooMany       Code = "too-many"       // more than is done at once
	NotAVID       Code = "not-a-vid"      // outside of 1 to 4094
	NoSuchPort    Code = "no-such-port"   // nor device
	NotAForm      Code = "not-a-form"     // neither untagged, tagged nor none
	OneUntagged   Code = "one-untagged"   // a port has one untagged VLAN
	NotSettable   Code = "not-settable"   // what was asked for cannot stand on the port
	NotUnderstood Code = "not-understood" // a text that is not notation
)

// Codes are all of them.
var Codes = []Code{NothingSaid, TooMany, NotAVID, NoSuchPort, NotAForm, OneUntagged, NotSettable, NotUnderstood}

// Enum is all of them, for descriptions of what holds one.
func (Code) Enum() (out []any) {
	for _, code := range Codes {
		out = append(out, code)
	}
	return out
}

func fault(code Code, field, format string, args ...any) error {
	return &Fault{Field: field, Code: code, Text: fmt.Sprintf(format, args...)}
}

// faultOf puts an error into the place of its command.
func faultOf(err error, at int) *Fault {
	var one *Fault
	if !errors.As(err, &one) {
		one = &Fault{Code: NotUnderstood, Text: err.Error()}
	}
	g := *one
	g.Command = at
	return &g
}

// Line is what is typed on the line or a form writes: statements in bracket
// notation, or one of the verbs.
type Line struct {
	Text string
	work *notation.Work // that all lines of one request share; nil for its own
}

// verb says whether it is one of the verbs, which look at what the office comes to.
func (c Line) verb(o *office.Office) bool {
	parts := split(c.Text)
	return len(parts) == 1 && len(words(parts[0].text)) > 0 && isVerb(span.Bare(o), words(parts[0].text))
}

// do does statements of the notation and verbs of the line. Every mistake is told with its column,
// and with its line where there are several.
func (c Line) do(net *span.Net) (*Result, error) {
	if strings.TrimSpace(c.Text) == "" {
		return nil, fault(NothingSaid, "lines", "no statement is given")
	}
	result, err := read(net, c.Text, c.work)
	if err == nil {
		result.Summary = strings.ReplaceAll(strings.TrimSpace(c.Text), "\n", "; ")
		return result, nil
	}
	var mistakes *notation.Mistakes
	if !errors.As(err, &mistakes) {
		return nil, fault(NotUnderstood, "lines", "%s", err)
	}
	var all []string
	for _, one := range mistakes.List {
		at := fmt.Sprintf("column %d: %s", one.Column, one.Text)
		if strings.Contains(strings.TrimSpace(c.Text), "\n") {
			at = fmt.Sprintf("line %d, %s", one.Line, at)
		}
		all = append(all, at)
	}
	return nil, &Fault{Field: "lines", Code: NotUnderstood, Text: strings.Join(all, "\n"), Mistakes: mistakes.List}
}
