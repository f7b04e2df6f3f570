package notation

import (
	"fmt"
)

// fault is a mistake at a token of the line at hand.
type fault struct {
	at    int
	text  string
	cause error // what it is about for a program, where an error says so
}

func faultf(at int, format string, args ...any) *fault {
	f := &fault{at: at, text: fmt.Sprintf(format, args...)}
	for _, a := range args {
		if err, ok := a.(error); ok {
			f.cause = err
		}
	}
	return f
}

// cursor goes through the tokens of one line.
type cursor struct {
	toks []token
	i    int
	end  int // where the line ends, for "something is missing here"
}

func (c *cursor) more() bool { return c.i < len(c.toks) }

func (c *cursor) peek() token {
	if c.more() {
		return c.toks[c.i]
	}
	return token{kind: punct, at: c.end}
}

func (c *cursor) next() token {
	t := c.peek()
	c.i++
	return t
}

func (c *cursor) accept(p string) bool {
	if c.more() && c.toks[c.i].is(p) {
		c.i++
		return true
	}
	return false
}

// word takes a word; what says what is wanted.
func (c *cursor) word(what string) (token, *fault) {
	t := c.next()
	if t.kind != word {
		return t, faultf(t.at, "%s is missing here%s", what, found(t))
	}
	return t, nil
}

// text takes a word or a quoted text.
func (c *cursor) text(what string) (token, *fault) {
	t := c.next()
	if t.kind == punct {
		return t, faultf(t.at, "%s is missing here%s", what, found(t))
	}
	return t, nil
}

// run takes all that stands together without a space, as in 127.0.0.1:161; what says
// what is wanted.
func (c *cursor) run(what string) (string, *fault) {
	t := c.next()
	if t.kind == punct && t.text == "" {
		return "", faultf(t.at, "%s is missing here%s", what, found(t))
	}
	text := t.text
	for c.more() && c.peek().glued && c.peek().kind != quoted && t.kind != quoted {
		text += c.next().text
	}
	return text, nil
}

func (c *cursor) done(after string) *fault {
	if t := c.peek(); c.more() {
		return faultf(t.at, "%s does not belong here: nothing comes after %s", t.shown(), after)
	}
	return nil
}

func found(t token) string {
	if t.text == "" {
		return ": the line ends"
	}
	return ": found " + t.shown()
}
