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

// Read works out what is typed on the line: a verb, or statements in notation.
// A semicolon parts statements; after a device or a plan, what is no statement
// of its own belongs to it. The error is a [*notation.Mistakes].
func Read(n *span.Net, text string) (*Result, error) { return read(n, text, nil) }

func read(n *span.Net, text string, work *notation.Work) (*Result, error) {
	parts := split(text)
	if len(parts) == 1 {
		if r, err, ok := verb(n, parts[0]); ok {
			return r, err
		}
	}
	var b strings.Builder
	under := ""
	for i, p := range parts {
		if i > 0 {
			b.WriteByte('\n')
		}
		ws := words(p.text)
		if len(ws) > 0 && isVerb(n, ws) {
			return nil, mistake(i+1, p.at+ws[0].at, fmt.Sprintf("%s shows first what it would change: write it without other statements beside it", ws[0].text))
		}
		if under != "" && len(ws) > 0 && !starts(n.Office, ws[0].text) {
			b.WriteByte(' ')
		} else if len(ws) > 0 {
			under = ""
			if ws[0].text == "device" || ws[0].text == "plan" {
				under = ws[0].text
			}
		}
		b.WriteString(strings.TrimSpace(p.text))
	}
	if len(parts) == 1 { // several lines given as they are keep their indents
		b.Reset()
		b.WriteString(text)
	}
	o, edit, err := notation.LineOf(work, n.Office, b.String())
	if err != nil {
		var m *notation.Mistakes
		if len(parts) > 1 && errors.As(err, &m) {
			moved := &notation.Mistakes{File: m.File}
			for _, x := range m.List { // back to columns of the one line that was typed
				p := parts[min(x.Line, len(parts))-1]
				lead := len(p.text) - len(strings.TrimLeft(p.text, " \t"))
				moved.List = append(moved.List, notation.Mistake{Line: 1, Column: utf8.RuneCountInString(text[:p.at+lead]) + x.Column, Text: x.Text})
			}
			return nil, moved
		}
		return nil, err
	}
	return &Result{Office: o, Edit: edit}, nil
}

// starts says whether a word starts a statement of its own.
func starts(o *office.Office, w string) bool {
	return slices.Contains(notation.TopLevel, w) || strings.HasPrefix(w, "-") || o.Device(w) != nil
}

// verbs by their first word; each is given what follows, without to and from.
var verbs = map[string]struct {
	form string
	do   func(n *span.Net, a *args) (*Result, error)
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
	for _, w := range words {
		forms = append(forms, verbs[w].form)
	}
	return append(words, "plan"), append(forms, planForm)
}

const planForm = "plan NAME from DEVICE"

// isVerb says whether words are one of the verbs. A device's name wins.
func isVerb(n *span.Net, ws []token) bool {
	_, ok := verbs[ws[0].text]
	return ok && n.Office.Device(ws[0].text) == nil || ws[0].text == "plan" && len(ws) > 2 && ws[2].text == "from"
}

func verb(n *span.Net, p part) (*Result, error, bool) {
	ws := words(p.text)
	if len(ws) == 0 || !isVerb(n, ws) {
		return nil, nil, false
	}
	v, ok := verbs[ws[0].text]
	if !ok {
		v.form, v.do = planForm, doPlan
	}
	if v.do == nil { // what follows is notation
		r, err := doMay(n, p.text)
		return r, err, true
	}
	a := &args{n: n, text: p.text, form: v.form, end: len(p.text)}
	for _, w := range ws[1:] {
		if w.text != "to" && w.text != "from" || ws[0].text == "add" {
			a.words = append(a.words, w)
		}
	}
	result, err := v.do(n, a)
	if err == nil && a.bad != nil {
		result, err = nil, a.bad
	}
	var m *notation.Mistakes
	if err != nil && !errors.As(err, &m) {
		at := len(ws[0].text) + 1
		if len(a.words) > 0 {
			at = a.words[0].at
		}
		err = mistake(1, at, err.Error())
	}
	return result, err, true
}
