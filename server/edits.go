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
func commands(request *api.EditRequest) (list []command.Command, which []string, err error) {
	for i, one := range request.Commands {
		said := 0
		if m := one.Member; m != nil {
			said++
			list, which = append(list, command.Member{VIDs: m.VIDs, Ports: m.Ports, As: m.As}), append(which, "member")
		}
		if pvidrequest := one.PVID; pvidrequest != nil {
			said++
			list, which = append(list, command.PVID{VID: pvidrequest.VID, Ports: pvidrequest.Ports}), append(which, "pvid")
		}
		if one.Lines != nil {
			said++
			list, which = append(list, command.Line{Text: strings.Join(one.Lines, "\n")}), append(which, "lines")
		}
		if said != 1 {
			return nil, nil, bad(fmt.Sprintf("commands[%d]", i), "a command says exactly one of member, pvid and lines; this one says %d of them", said)
		}
	}
	return list, which, nil
}

// work works a request out, and names the field where it means nothing.
func work(net *span.Net, request *api.EditRequest) (*command.Result, error) {
	list, which, err := commands(request)
	if err != nil {
		return nil, err
	}
	result, err := command.Do(net, list...)
	var fault *command.Fault
	if !errors.As(err, &fault) {
		return result, err
	}
	out := &badField{field: fault.Field, text: fault.Text, code: api.Code(fault.Code), mistakes: mistakeViews(fault.Mistakes)}
	if fault.Command < len(which) {
		out.field = fmt.Sprintf("commands[%d].%s", fault.Command, which[fault.Command])
		if fault.Field != "" && fault.Field != which[fault.Command] {
			out.field += "." + fault.Field
		}
	}
	return nil, out
}

func mistakeViews(list []notation.Mistake) (out []api.MistakeView) {
	for _, mistake := range list {
		out = append(out, api.MistakeView(mistake))
	}
	return out
}

// mistaken names the places of what is wrong in a whole text in notation.
func mistaken(field string, err error) error {
	var mistakes *notation.Mistakes
	if !errors.As(err, &mistakes) {
		return bad(field, "%s", err)
	}
	var all []string
	for _, mistake := range mistakes.List {
		all = append(all, fmt.Sprintf("line %d, column %d: %s", mistake.Line, mistake.Column, mistake.Text))
	}
	return &badField{field: field, text: strings.Join(all, "\n"), code: api.Code(command.NotUnderstood), mistakes: mistakeViews(mistakes.List)}
}
