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

// words parts a line at blanks, each with its place in bytes, so that a mistake points at it.
func words(text string) []token {
	var out []token
	at := 0
	for word := range strings.FieldsSeq(text) {
		i := strings.Index(text[at:], word) + at
		out = append(out, token{word, i})
		at = i + len(word)
	}
	return out
}

func mistake(line, column int, text string) error {
	return &notation.Mistakes{File: "line", List: []notation.Mistake{{Line: line, Column: column + 1, Text: text}}}
}

// args are the words after a verb.
type args struct {
	net   *span.Net
	text  string
	form  string
	words []token
	at    int
	end   int
	bad   error
}

// next is the next word, noting a mistake where there is none.
func (a *args) next() token {
	if a.at >= len(a.words) {
		a.wrong(a.end, "something is missing")
		return token{"", a.end}
	}
	a.at++
	return a.words[a.at-1]
}

// accept takes the next word if it is word.
func (a *args) accept(word string) bool {
	if a.at < len(a.words) && a.words[a.at].text == word {
		a.at++
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
	if a.bad == nil && a.at < len(a.words) {
		a.wrong(a.words[a.at].at, a.words[a.at].text+" is too much")
	}
	return a.bad == nil
}

// vlan reads a VLAN by number or name; the first mistake of a line stays the only one.
func (a *args) vlan() office.VID {
	token := a.next()
	if a.bad != nil {
		return 0
	}
	vid, err := findVLAN(a.net.Office, token.text)
	if err != nil {
		a.bad = mistake(1, token.at, err.Error())
	}
	return vid
}

// ports are one or more, up to a word that is none.
func (a *args) ports(but string) []office.PortRef {
	out := []office.PortRef{a.port()}
	for a.bad == nil && a.at < len(a.words) && a.words[a.at].text != but && strings.Contains(a.words[a.at].text, ".") {
		out = append(out, a.port())
	}
	return out
}

// port reads one port, DEVICE.PORT.
func (a *args) port() office.PortRef {
	token := a.ref()
	if a.bad != nil {
		return office.PortRef{}
	}
	ref, err := notation.PortRef(a.net.Office, token.text)
	if err != nil {
		a.bad = mistake(1, token.at, err.Error())
	}
	return ref
}

// ref is the next word, taken on to the end of its quotes, as a name in them may have
// spaces.
func (a *args) ref() token {
	if a.at >= len(a.words) {
		return a.next()
	}
	one := a.words[a.at]
	end, quoted := one.at, false
	for ; end < len(a.text) && (quoted || a.text[end] != ' ' && a.text[end] != '\t'); end++ {
		switch c := a.text[end]; {
		case c == '\\' && quoted: // the next one is meant as it is
			end++
		case c == '"':
			quoted = !quoted
		}
	}
	end = min(end, len(a.text))
	for a.at < len(a.words) && a.words[a.at].at < end {
		a.at++
	}
	return token{a.text[one.at:end], one.at}
}

// quoted is the next word, without the quotes that it may stand in.
func (a *args) quoted() string {
	token := a.ref()
	if len(token.text) > 1 && token.text[0] == '"' {
		text, err := notation.Unquoted(token.text)
		if err != nil && a.bad == nil {
			a.bad = mistake(1, token.at, err.Error())
		}
		return text
	}
	return token.text
}

// list is ports of one device, as rack.5-8,12 names them.
func (a *args) list() (out []office.PortRef) {
	token := a.ref()
	if a.bad != nil {
		return nil
	}
	name, ports, ok := strings.Cut(token.text, ".")
	if !ok {
		a.wrong(token.at, token.text+" names no port of a device")
		return nil
	}
	device, err := office.NewDraft(a.net.Office).FindDevice(name)
	if err != nil {
		a.bad = mistake(1, token.at, err.Error())
		return nil
	}
	at, err := notation.PortList(device, ports)
	if err == nil && len(at) == 0 {
		err = fmt.Errorf("%s names no port: write %s.%s", token.text, device.Name, "1")
	}
	if err != nil {
		a.bad = mistake(1, token.at+len(name)+1, err.Error())
		return nil
	}
	for _, i := range at {
		out = append(out, office.PortRef{Device: device.Name, Port: device.Ports[i].Name})
	}
	return out
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
