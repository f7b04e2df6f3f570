package command

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

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
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\\' && quoted: // the next one is meant as it is
			i++
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
func findVLAN(o *office.Office, text string) (office.VID, error) {
	if text != "" && text[0] >= '0' && text[0] <= '9' {
		k := 0
		for _, c := range text {
			if c < '0' || c > '9' || k > 9999 {
				return 0, fmt.Errorf("%q is not a VID: a whole number from 1 to 4094", text)
			}
			k = 10*k + int(c-'0')
		}
		return office.VIDOf(k)
	}
	return office.NewDraft(o).FindVLAN(text)
}
