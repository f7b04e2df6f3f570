package command

import (
	"fmt"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// doAdd adds a device that is described in words: kind, ports, speed.
//
//	add attic: switch, 24 ports 1G and 4 ports 10G, by port
func doAdd(net *span.Net, args *args) (*Result, error) {
	name := args.next()
	if args.bad != nil {
		return nil, nil
	}
	lines, err := Describe(net.Office, strings.TrimSuffix(name.text, ":"), strings.TrimLeft(args.text[name.at+len(name.text):], " :"))
	if err != nil {
		return nil, mistake(1, name.at, err.Error())
	}
	args.at = len(args.words)
	o, edit, err := notation.Line(net.Office, strings.Join(lines, "\n"))
	if err != nil {
		mistakes := err.(*notation.Mistakes)
		return nil, mistake(1, name.at, mistakes.List[0].Text)
	}
	return &Result{Office: o, Edit: edit}, nil
}

// Describe turns a device said in words into statements: "switch, 24 ports 1G
// and 2 10G, by VLAN, follows desks, managed in 190". What it does not know it
// names, with what it does.
//
//	> add attic switch, 8 ports, by port, follows floor, managed in 190
//	device attic switch follows floor
//	  ports 1-8
//	  wording by-port
//	  manage 190
func Describe(o *office.Office, name, words string) ([]string, error) {
	if !plain(name) {
		return nil, fmt.Errorf(
			"%q is no name of a device: letters, digits, hyphens and underscores, with a letter or digit first, such as %s",
			name,
			office.Fitting(name, "switch-1"),
		)
	}
	if o.Device(name) != nil {
		return nil, fmt.Errorf("a device is named %s already", name)
	}
	of, err := notation.Describe(words)
	if err != nil {
		return nil, err
	}
	head := "device " + name + " " + string(of.Kind)
	if of.Follows != "" {
		head += " follows " + of.Follows
	}
	lines := []string{head}
	for _, line := range of.Lines {
		lines = append(lines, "  "+line)
	}
	return lines, nil
}
