package server

import (
	"errors"
	"fmt"
	"strings"

	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/span"
)

// EditRequest is one edit, made on the revision that the browser shows: a list of
// commands, each done on what the last one left.
type EditRequest struct {
	Base     int64            `json:"base" required:"true" minimum:"0" description:"the revision that the edit was made on"`
	ID       string           `json:"id,omitempty" maxLength:"64" description:"a name that the page gave the request: asked again, it is not made again"`
	Again    bool             `json:"again,omitempty" description:"it may have been made already: ask first"`
	Commands []CommandRequest `json:"commands" required:"true" nullable:"false" minItems:"1" maxItems:"4096"`
}

// CommandRequest is one command: exactly one of member, pvid and lines.
type CommandRequest struct {
	Member *MemberRequest `json:"member,omitempty"`
	PVID   *PVIDRequest   `json:"pvid,omitempty"`
	Lines  []string       `json:"lines,omitempty" description:"statements in bracket notation, or one of the verbs of the line"`
}

// MemberRequest sets how VLANs stand on some ports. A port has one untagged
// VLAN, so untagged takes one.
type MemberRequest struct {
	VIDs  []int    `json:"vids" required:"true" nullable:"false"`
	Ports []string `json:"ports" required:"true" nullable:"false"`
	As    string   `json:"as" required:"true" enum:"untagged,tagged,none"`
}

// PVIDRequest sets the VLAN that untagged frames join on some ports; 0 is none.
type PVIDRequest struct {
	VID   int      `json:"vid" required:"true"`
	Ports []string `json:"ports" required:"true" nullable:"false"`
}

// badField is a request that cannot mean anything; it names the field.
type badField struct {
	field, text string
	code        command.Code
	mistakes    []MistakeView
}

// MistakeView is one thing wrong in a text, at its place.
type MistakeView struct {
	Line   int    `json:"line" required:"true"`
	Column int    `json:"column" required:"true"`
	Text   string `json:"text" required:"true"`
}

func (b *badField) Error() string { return b.field + ": " + b.text }

func bad(field, format string, args ...any) error {
	return &badField{field: field, text: fmt.Sprintf(format, args...)}
}

// commands translates a request's list; which is the name of each command's part.
func (q *EditRequest) commands() (list []command.Command, which []string, err error) {
	for i, c := range q.Commands {
		said := 0
		if m := c.Member; m != nil {
			said++
			list, which = append(list, command.Member{VIDs: m.VIDs, Ports: m.Ports, As: command.Form(m.As)}), append(which, "member")
		}
		if p := c.PVID; p != nil {
			said++
			list, which = append(list, command.PVID{VID: p.VID, Ports: p.Ports}), append(which, "pvid")
		}
		if c.Lines != nil {
			said++
			list, which = append(list, command.Line{Text: strings.Join(c.Lines, "\n")}), append(which, "lines")
		}
		if said != 1 {
			return nil, nil, bad(fmt.Sprintf("commands[%d]", i), "a command says exactly one of member, pvid and lines; this one says %d of them", said)
		}
	}
	return list, which, nil
}

// do works a request out, and names the field where it means nothing.
func (q *EditRequest) do(n *span.Net) (*command.Result, error) {
	list, which, err := q.commands()
	if err != nil {
		return nil, err
	}
	r, err := command.Do(n, list...)
	var f *command.Fault
	if !errors.As(err, &f) {
		return r, err
	}
	out := &badField{field: f.Field, text: f.Text, code: f.Code, mistakes: mistakeViews(f.Mistakes)}
	if f.Command < len(which) {
		out.field = fmt.Sprintf("commands[%d].%s", f.Command, which[f.Command])
		if f.Field != "" && f.Field != which[f.Command] {
			out.field += "." + f.Field
		}
	}
	return nil, out
}

func mistakeViews(list []notation.Mistake) (out []MistakeView) {
	for _, m := range list {
		out = append(out, MistakeView{m.Line, m.Column, m.Text})
	}
	return out
}

// mistaken names the places of what is wrong in a whole text in notation.
func mistaken(field string, err error) error {
	var m *notation.Mistakes
	if !errors.As(err, &m) {
		return bad(field, "%s", err)
	}
	var all []string
	for _, x := range m.List {
		all = append(all, fmt.Sprintf("line %d, column %d: %s", x.Line, x.Column, x.Text))
	}
	return &badField{field: field, text: strings.Join(all, "\n"), code: command.NotUnderstood, mistakes: mistakeViews(m.List)}
}
