// Package rework changes an office by more than one statement at once: it
// renumbers a VLAN everywhere, renames things, copies a device, makes a port
// plan from one, lets another follow it, proposes the next VLAN by the office's
// habit. Each is a verb of the line under the board:
//
//	bring 130 to ward-east.6          renumber 110 to 115 with subnets
//	withdraw 130 from ward-east.6     retire 170
//	rename device rack to core        copy ward-east to ward-south
//	plan ward-8 from ward-east        follow ward-south ward-8
//	add ward-south switch, 8 ports, by VLAN
//
// [Line] reads them beside the statements of bracket notation; each gives one
// edit, which can be previewed and undone like any other.
package rework

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"klammer/core/bring"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Result is an office as a line would leave it.
type Result struct {
	Office *office.Office
	Edit   office.Edit
	Notes  []string // what else to know before it is done
}

// Line works out what is typed on the line: a verb, or statements in notation.
// A semicolon parts statements; after a device or a plan, what is no statement
// of its own belongs to it. The error is a [*notation.Mistakes].
func Line(n *span.Net, text string) (*Result, error) {
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
	o, e, err := notation.Line(n.Office, b.String())
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
	return &Result{Office: o, Edit: e}, nil
}

// starts says whether a word starts a statement of its own.
func starts(o *office.Office, w string) bool {
	return slices.Contains([]string{"office", "vlan", "use", "plan", "device", "cable", "plug"}, w) || strings.HasPrefix(w, "-") || o.Device(w) != nil
}

type part struct {
	text string
	at   int // where it starts, in bytes
}

// split cuts at semicolons, but not in quotes or comments, and not where the
// text has several lines of its own.
func split(text string) []part {
	if strings.Contains(strings.TrimSpace(text), "\n") {
		return []part{{text, 0}}
	}
	var out []part
	from, quoted := 0, false
	for i := range len(text) {
		switch c := text[i]; {
		case c == '"':
			quoted = !quoted
		case c == '#' && !quoted:
			return append(out, part{text[from:], from})
		case c == ';' && !quoted:
			out = append(out, part{text[from:i], from})
			from = i + 1
		}
	}
	return append(out, part{text[from:], from})
}

// token is a word and where it starts, in bytes.
type token struct {
	text string
	at   int
}

func words(s string) []token {
	var out []token
	at := 0
	for w := range strings.FieldsSeq(s) {
		i := strings.Index(s[at:], w) + at
		out = append(out, token{w, i})
		at = i + len(w)
	}
	return out
}

func mistake(line, column int, text string) error {
	return &notation.Mistakes{File: "line", List: []notation.Mistake{{Line: line, Column: column + 1, Text: text}}}
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
	"copy":     {"copy DEVICE to NAME", doCopy},
	"follow":   {"follow DEVICE PLAN", doFollow},
	"add":      {"add NAME switch, 24 ports, by VLAN", doAdd},
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
	a := &args{n: n, text: p.text, form: v.form, end: len(p.text)}
	for _, w := range ws[1:] {
		if w.text != "to" && w.text != "from" || ws[0].text == "add" {
			a.words = append(a.words, w)
		}
	}
	r, err := v.do(n, a)
	if err == nil && a.bad != nil {
		r, err = nil, a.bad
	}
	var m *notation.Mistakes
	if err != nil && !errors.As(err, &m) {
		at := len(ws[0].text) + 1
		if len(a.words) > 0 {
			at = a.words[0].at
		}
		err = mistake(1, at, err.Error())
	}
	return r, err, true
}

// args are the words after a verb.
type args struct {
	n     *span.Net
	text  string
	form  string
	words []token
	i     int
	end   int
	bad   error
}

// next is the next word, noting a mistake where there is none.
func (a *args) next() token {
	if a.i >= len(a.words) {
		a.wrong(a.end, "something is missing")
		return token{"", a.end}
	}
	a.i++
	return a.words[a.i-1]
}

// accept takes the next word if it is w.
func (a *args) accept(w string) bool {
	if a.i < len(a.words) && a.words[a.i].text == w {
		a.i++
		return true
	}
	return false
}

func (a *args) wrong(at int, what string) {
	if a.bad == nil {
		a.bad = mistake(1, utf8.RuneCountInString(a.text[:min(at, len(a.text))]), what+": write "+a.form)
	}
}

// done notes a mistake where words are left over.
func (a *args) done() bool {
	if a.bad == nil && a.i < len(a.words) {
		a.wrong(a.words[a.i].at, a.words[a.i].text+" is too much")
	}
	return a.bad == nil
}

func (a *args) vlan() office.VID {
	t := a.next()
	if a.bad != nil {
		return 0
	}
	v, err := findVLAN(a.n.Office, t.text)
	if err != nil {
		a.bad = mistake(1, t.at, err.Error())
	}
	return v
}

// ports are one or more, up to a word that is none.
func (a *args) ports(but string) []office.PortRef {
	out := []office.PortRef{a.port()}
	for a.bad == nil && a.i < len(a.words) && a.words[a.i].text != but && strings.Contains(a.words[a.i].text, ".") {
		out = append(out, a.port())
	}
	return out
}

func (a *args) port() office.PortRef {
	if a.i >= len(a.words) {
		a.next()
		return office.PortRef{}
	}
	t := a.words[a.i]
	text := t.text
	if strings.Contains(text, `."`) { // a name in quotes may have spaces
		end := strings.IndexByte(a.text[t.at+len(text)-len(text[strings.Index(text, `."`)+2:]):], '"')
		if end >= 0 {
			text = a.text[t.at : t.at+strings.Index(text, `."`)+2+end+1]
		}
	}
	for a.i < len(a.words) && a.words[a.i].at < t.at+len(text) {
		a.i++
	}
	r, err := notation.PortRef(a.n.Office, text)
	if err != nil {
		a.bad = mistake(1, t.at, err.Error())
	}
	return r
}

// findVLAN reads a VID or the name of a registered VLAN.
func findVLAN(o *office.Office, s string) (office.VID, error) {
	if s != "" && s[0] >= '0' && s[0] <= '9' {
		k := 0
		for _, c := range s {
			if c < '0' || c > '9' || k > 9999 {
				return 0, fmt.Errorf("%q is not a VID: a whole number from 1 to 4094", s)
			}
			k = 10*k + int(c-'0')
		}
		return office.VIDOf(k)
	}
	return office.NewDraft(o).FindVLAN(s)
}

func doBring(n *span.Net, a *args) (*Result, error) {
	v, to := a.vlan(), a.ports("tagged")
	as := office.Untagged
	if a.accept("tagged") {
		as = office.Tagged
	}
	if !a.done() {
		return nil, nil
	}
	return each(n, to, func(n *span.Net, r office.PortRef) (*bring.Answer, error) { return bring.Bring(n, v, r, as) })
}

func doWithdraw(n *span.Net, a *args) (*Result, error) {
	v, from := a.vlan(), a.ports("")
	if !a.done() {
		return nil, nil
	}
	return each(n, from, func(n *span.Net, r office.PortRef) (*bring.Answer, error) { return bring.Withdraw(n, v, r) })
}

// each does one port after the other, each on what the last one left, as one
// edit.
func each(n *span.Net, ports []office.PortRef, do func(*span.Net, office.PortRef) (*bring.Answer, error)) (*Result, error) {
	out := &Result{Office: n.Office}
	for _, r := range ports {
		a, err := do(n, r)
		if err != nil {
			return nil, err
		}
		n, out.Office, out.Edit = a.Net, a.Office, append(out.Edit, a.Edit...)
		for _, s := range notes(a) {
			if !slices.Contains(out.Notes, s) {
				out.Notes = append(out.Notes, s)
			}
		}
	}
	return out, nil
}

// notes is what a bring or a withdraw has to say beside its edit.
func notes(a *bring.Answer) []string {
	var out []string
	if len(a.Learn) > 0 {
		out = append(out, "Has to learn the VLAN: "+strings.Join(a.Learn, ", "))
	}
	if len(a.Followers) > 0 {
		var at []string
		for _, r := range a.Followers {
			at = append(at, r.String())
		}
		out = append(out, "Departs from its port plan: "+strings.Join(at, ", "))
	}
	return append(append(out, a.Limits...), a.Remarks...)
}
