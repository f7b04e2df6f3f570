package server

import (
	"errors"
	"fmt"
	"strings"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/notation"
	"klammer/core/span"
)

// badField is a request that cannot mean anything; it names the field.
type badField struct {
	field, text string
	code        api.Code
	mistakes    []api.MistakeView
}

func (b *badField) Error() string { return b.field + ": " + b.text }

func bad(field, format string, args ...any) error {
	return &badField{field: field, code: api.Misfit, text: fmt.Sprintf(format, args...)}
}

// commands translates a request's list; which is the name of each command's part.
func commands(q *api.EditRequest) (list []command.Command, which []string, err error) {
	for i, c := range q.Commands {
		said := 0
		if m := c.Member; m != nil {
			said++
			list, which = append(list, command.Member{VIDs: m.VIDs, Ports: m.Ports, As: m.As}), append(which, "member")
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

// work works a request out, and names the field where it means nothing.
func work(n *span.Net, q *api.EditRequest) (*command.Result, error) {
	list, which, err := commands(q)
	if err != nil {
		return nil, err
	}
	r, err := command.Do(n, list...)
	var f *command.Fault
	if !errors.As(err, &f) {
		return r, err
	}
	out := &badField{field: f.Field, text: f.Text, code: api.Code(f.Code), mistakes: mistakeViews(f.Mistakes)}
	if f.Command < len(which) {
		out.field = fmt.Sprintf("commands[%d].%s", f.Command, which[f.Command])
		if f.Field != "" && f.Field != which[f.Command] {
			out.field += "." + f.Field
		}
	}
	return nil, out
}

func mistakeViews(list []notation.Mistake) (out []api.MistakeView) {
	for _, m := range list {
		out = append(out, api.MistakeView(m))
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
	return &badField{field: field, text: strings.Join(all, "\n"), code: api.Code(command.NotUnderstood), mistakes: mistakeViews(m.List)}
}
