package notation

import (
	"fmt"
)

// fault is a mistake at a token of the line at hand.
type fault struct {
	at    int
	text  string
	cause error    // what it is about for a program, where an error says so
	also  []*fault // of the same list, in its order
}

// and adds what else is wrong in the same list; either may be nil.
func (f *fault) and(other *fault) *fault {
	switch {
	case f == nil:
		return other
	case other != nil:
		f.also = append(f.also, other)
	}
	return f
}

// faultf is a fault at a byte of the statement's text, from 0. An error among what it is made of is
// kept as its cause, so that callers can tell by type what went wrong and never by the words.
func faultf(at int, format string, args ...any) *fault {
	wrong := &fault{at: at, text: fmt.Sprintf(format, args...)}
	for _, a := range args {
		if err, ok := a.(error); ok {
			wrong.cause = err
		}
	}
	return wrong
}

// many says whether so much of a list is wrong that the rest is not looked at.
func (f *fault) many() bool { return f != nil && len(f.also) >= mostHints }

// cursor goes through the tokens of one line.
type cursor struct {
	toks []token
	at   int
	end  int // where the line ends, for "something is missing here"
}

func (c *cursor) more() bool { return c.at < len(c.toks) }

// peek is the next token without going on; behind the last one a sign without text, at the end of
// the statement.
func (c *cursor) peek() token {
	if c.more() {
		return c.toks[c.at]
	}
	return token{kind: punct, at: c.end}
}

func (c *cursor) next() token {
	tok := c.peek()
	c.at++
	return tok
}

// accept goes over the next token if it is that word or sign, unquoted, and says whether it was.
func (c *cursor) accept(p string) bool {
	if c.more() && c.toks[c.at].is(p) {
		c.at++
		return true
	}
	return false
}

// word takes a word; what says what is wanted.
func (c *cursor) word(what string) (token, *fault) {
	tok := c.next()
	if tok.kind != word {
		return tok, faultf(tok.at, "%s is missing here%s", what, found(tok))
	}
	return tok, nil
}

// text takes a word or a quoted text.
func (c *cursor) text(what string) (token, *fault) {
	tok := c.next()
	if tok.kind == punct {
		return tok, faultf(tok.at, "%s is missing here%s", what, found(tok))
	}
	return tok, nil
}

// run takes all that stands together without a space, as in 127.0.0.1:161; what says
// what is wanted.
func (c *cursor) run(what string) (string, *fault) {
	tok := c.next()
	if tok.kind == punct && tok.text == "" {
		return "", faultf(tok.at, "%s is missing here%s", what, found(tok))
	}
	text := tok.text
	for c.more() && c.peek().glued && c.peek().kind != quoted && tok.kind != quoted {
		text += c.next().text
	}
	return text, nil
}

// done complains of what still stands behind the end of a statement; after says of what.
func (c *cursor) done(after string) *fault {
	if tok := c.peek(); c.more() {
		return faultf(tok.at, "%s does not belong here: nothing comes after %s", tok.shown(), after)
	}
	return nil
}

// found ends a complaint with what stands there instead: ": found x", or nothing at the end.
func found(tok token) string {
	if tok.text == "" {
		return ": the line ends"
	}
	return ": found " + tok.shown()
}
