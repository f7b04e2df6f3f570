package command

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// read works out what is typed on the line: a verb, or statements in notation.
// A semicolon parts statements; after a device or a plan, what is no statement
// of its own belongs to it. The error is a [*notation.Mistakes].
//
//	> vlan 170 cameras; floor 6: 170; cable core.6 floor.7
//	vlan 170 cameras
//	floor 6: 170
//	cable core.6 floor.7
func read(net *span.Net, text string, work *notation.Work) (*Result, error) {
	parts := split(text)
	if len(parts) == 1 {
		if result, err, ok := verb(net, parts[0]); ok {
			return result, err
		}
	}
	var b strings.Builder
	under := ""
	for i, part := range parts {
		if i > 0 {
			b.WriteByte('\n')
		}
		ws := words(part.text)
		if len(ws) > 0 && isVerb(net, ws) {
			return nil, mistake(i+1, part.at+ws[0].at, fmt.Sprintf("%s shows first what it would change: write it without other statements beside it", ws[0].text))
		}
		if under != "" && len(ws) > 0 && !starts(net.Office, ws[0].text) {
			b.WriteByte(' ')
		} else if len(ws) > 0 {
			under = ""
			if ws[0].text == "device" || ws[0].text == "plan" {
				under = ws[0].text
			}
		}
		b.WriteString(strings.TrimSpace(part.text))
	}
	if len(parts) == 1 { // several lines given as they are keep their indents
		b.Reset()
		b.WriteString(text)
	}
	o, edit, err := notation.LineOf(work, net.Office, b.String())
	if err != nil {
		var mistakes *notation.Mistakes
		if len(parts) > 1 && errors.As(err, &mistakes) {
			moved := &notation.Mistakes{File: mistakes.File}
			for _, one := range mistakes.List { // back to columns of the one line that was typed
				part := parts[min(one.Line, len(parts))-1]
				lead := len(part.text) - len(strings.TrimLeft(part.text, " \t"))
				moved.List = append(moved.List, notation.Mistake{Line: 1, Column: utf8.RuneCountInString(text[:part.at+lead]) + one.Column, Text: one.Text})
			}
			return nil, moved
		}
		return nil, err
	}
	return &Result{Office: o, Edit: edit}, nil
}

// starts says whether a word starts a statement of its own.
func starts(o *office.Office, word string) bool {
	return slices.Contains(notation.TopLevel, word) || strings.HasPrefix(word, "-") || o.Device(word) != nil
}

// verbs by their first word; each is given what follows, without to and from.
var verbs = map[string]struct {
	form string
	do   func(net *span.Net, one *args) (*Result, error)
}{
	"bring":    {"bring VLAN to DEVICE.PORT … [tagged]", doBring},
	"withdraw": {"withdraw VLAN from DEVICE.PORT …", doWithdraw},
	"renumber": {"renumber VLAN to VID [with subnets]", doRenumber},
	"retire":   {"retire VLAN", doRetire},
	"rename":   {"rename device|vlan|use|plan NAME to NAME", doRename},
	"copy":     {"copy DEVICE as NAME", doCopy},
	"move":     {"move DEVICE.PORTS to DEVICE.PORTS, or move plug NAME to DEVICE.PORT", doMove},
	"swap":     {"swap DEVICE.PORTS DEVICE.PORTS", doSwap},
	"replace":  {"replace DEVICE by switch, 48 ports, by VLAN, 25 to 49", doReplace},
	"follow":   {"follow DEVICE PLAN", doFollow},
	"talks":    {"talks VLAN like VLAN", doTalks},
	"allow":    {"allow WHO to WHOM [SERVICES]", nil},
	"deny":     {"deny WHO to WHOM [SERVICES]", nil},
	"add":      {"add NAME switch, 24 ports, by VLAN", doAdd},
}

// Verbs lists the verbs of the line, each with its form; plan NAME from DEVICE is
// one, too.
func Verbs() (words, forms []string) {
	words = slices.Sorted(maps.Keys(verbs))
	for _, word := range words {
		forms = append(forms, verbs[word].form)
	}
	return append(words, "plan"), append(forms, planForm)
}

const planForm = "plan NAME from DEVICE"

// isVerb says whether words are one of the verbs. A device's name wins.
func isVerb(net *span.Net, ws []token) bool {
	_, ok := verbs[ws[0].text]
	return ok && net.Office.Device(ws[0].text) == nil || ws[0].text == "plan" && len(ws) > 2 && ws[2].text == "from"
}

// verb does one statement that begins with a verb of the line; not ok where it begins with none.
//
//	> bring 160 to floor.2; vlan 170 cameras
//	! column 1: bring shows first what it would change: write it without other statements
//	    beside it
func verb(net *span.Net, part part) (*Result, error, bool) {
	ws := words(part.text)
	if len(ws) == 0 || !isVerb(net, ws) {
		return nil, nil, false
	}
	v, ok := verbs[ws[0].text]
	if !ok {
		v.form, v.do = planForm, doPlan
	}
	if v.do == nil { // what follows is notation
		other, err := doMay(net, part.text)
		return other, err, true
	}
	one := &args{net: net, text: part.text, form: v.form, end: len(part.text)}
	for _, token := range ws[1:] {
		if token.text != "to" && token.text != "from" || ws[0].text == "add" {
			one.words = append(one.words, token)
		}
	}
	result, err := v.do(net, one)
	if err == nil && one.bad != nil {
		result, err = nil, one.bad
	}
	var mistakes *notation.Mistakes
	if err != nil && !errors.As(err, &mistakes) {
		at := len(ws[0].text) + 1
		if len(one.words) > 0 {
			at = one.words[0].at
		}
		err = mistake(1, at, err.Error())
	}
	return result, err, true
}
