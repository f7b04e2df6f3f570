package notation

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

type tokenKind uint8

const (
	word   tokenKind = iota // a run of letters, digits and the like
	quoted                  // text in double quotes, without them
	punct                   // [ ] , :
)

// token is a piece of a line. at is the byte where it starts in its line.
type token struct {
	kind  tokenKind
	text  string
	at    int
	glued bool // nothing stands between it and the token before
}

// What is longer is a slip of somebody's editor, and would be repeated in
// messages.
const longestWord, longestText = 255, 2000

func (t token) is(p string) bool { return t.kind != quoted && t.text == p }

// shown is the token as it was written, for messages.
func (t token) shown() string {
	if t.kind == quoted {
		return `"` + t.text + `"`
	}
	return t.text
}

// scan cuts one line into tokens, appended to toks. comment is what follows #,
// at says where a mistake is and what.
//
// A colon parts a port list from its shape, but stands inside an IPv6 address;
// as such an address has two at least and a port list has one, a run with two
// or more is one word.
//
//	> plug core.2 "till wants 110
//	! column 13: the text has no closing quote: end it with "
//	> core 1: 110 # the till
//	core 1: 110
func scan(line string, toks []token) (_ []token, comment string, bad int, why string) {
	i, glued := 0, false
	for i < len(line) {
		c := line[i]
		if c == ':' && i+1 < len(line) && line[i+1] == ':' {
			c = 0 // an IPv6 address that starts with zeros
		}
		switch c {
		case ' ', '\t', '\r':
			i++
			glued = false
			continue
		case '#':
			return toks, line[i:], -1, ""
		case '[', ']', ',', ':':
			toks = append(toks, token{punct, line[i : i+1], i, glued})
			i++
		case '"':
			text, n := unquote(line[i:])
			if n < 0 {
				return toks, "", i, `the text has no closing quote: end it with "`
			}
			if len(text) > longestText {
				return toks, "", i, "this text has more than 2000 letters: shorten it"
			}
			toks = append(toks, token{quoted, text, i, glued})
			i += n
		default:
			j, colons := i, 0
		run:
			for j < len(line) {
				switch line[j] {
				case ' ', '\t', '\r', '#', '[', ']', '"', ',':
					break run
				case ':':
					colons++
				}
				j++
			}
			if colons == 1 {
				j = i + strings.IndexByte(line[i:j], ':')
			}
			if j-i > longestWord {
				return toks, "", i, "this word has more than 255 letters: no name and no number is so long"
			}
			toks = append(toks, token{word, line[i:j], i, glued})
			i = j
		}
		glued = true
	}
	return toks, "", -1, ""
}

// Unquoted is a text that stands in quotes, without them.
func Unquoted(s string) (string, error) {
	if text, n := unquote(s); n == len(s) {
		return text, nil
	}
	return "", fmt.Errorf("%s has no end: close the quotes", s)
}

// unquote reads a quoted text; n is its length with the quotes, -1 where the
// closing one is missing. \" and \\ stand for a quote and a backslash.
func unquote(s string) (text string, n int) {
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '"':
			return s[1:i], i + 1
		case '\\':
			return unquoteSlow(s)
		}
	}
	return "", -1
}

// unquoteSlow is unquote for a text with a backslash in it: \" and \\ stand for the sign itself,
// before anything else a backslash is one. It gives what was quoted and how many bytes it took, -1
// where the closing quote is missing.
func unquoteSlow(text string) (string, int) {
	var b strings.Builder
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '"':
			return b.String(), i + 1
		case '\\':
			if i+1 < len(text) && (text[i+1] == '"' || text[i+1] == '\\') {
				i++
			}
		}
		b.WriteByte(text[i])
	}
	return "", -1
}

// quote writes text so that [unquote] reads it back.
func quote(text string) string { return office.Quote(text) }

func plainName(text string) bool { return office.PlainName(text) }

// name prints a name, in quotes where it needs them.
func name(text string) string { return office.Quoted(text) }

// Name prints a name where a list of ports is read, in quotes where it needs
// them.
//
//	> device "A 1" switch; ports 1-4
//	device a-1 switch
//	  ports 1-4
func Name(text string) string { return listName(text) }
