// Package notation reads and prints bracket notation, the text form of an
// office:
//
//	vlan 130 imaging net 10.61.130.0/24
//	device rack switch
//	  ports 1-24 1G
//	  9-12: 130
//	  19: 190 [120 130]
//	cable rack.19 ward-east.8
//
// A tag is a bracket around a frame, so tagged VLANs stand in brackets and the
// untagged one outside. [Read] reads a file and reports every mistake in it
// with its place; [Line] reads statements as changes of an office that is
// there; [Print] gives the one canonical form.
package notation

import (
	"net/netip"
	"slices"
	"strings"
	"unicode/utf8"

	"klammer/core/office"
)

// File is what a text says: the office, and the comments with the statements
// that they stand at.
type File struct {
	Office   *office.Office
	comments map[string]comment
}

type comment struct {
	above []string
	after string
}

// statement is a line of its own with the indented lines that belong to it.
type statement struct {
	line   int // from 1
	text   string
	body   []subline
	above  []string // comments before it
	indent int      // where text starts in its line
}

type subline struct {
	line   int
	text   string
	indent int
	above  []string
}

type reader struct {
	name     string
	draft    *office.Draft
	mistakes []Mistake
	comments map[string]comment
	toks     []token // of the line at hand, as is the cursor
	line     cursor
	seen     map[string]int // in a file: what was said, and in which line
	onLine   bool
	bounded  bool     // what it may do has an end
	history  bool     // it reads what was kept before
	work     int      // what was done so far, for [mostWork]
	half     []string // devices whose ports could not all be read: what names one of those is no further mistake
}

// Read reads a whole office. name is the file's, for messages. The error is a
// [*Mistakes] with every mistake of the text.
func Read(name, text string) (*File, error) {
	r := &reader{name: name, draft: office.NewDraft(&office.Office{}), seen: map[string]int{}}
	r.run(r.split(text))
	if len(r.mistakes) > 0 {
		return nil, (&Mistakes{name, r.mistakes}).sorted()
	}
	o, _ := r.draft.Done()
	return &File{o, r.comments}, nil
}

// ReadWithin is [Read] for a text that somebody sends: it stops where it would
// be more work than one edit may be.
func ReadWithin(name, text string) (*File, error) {
	r := &reader{name: name, draft: office.NewDraft(&office.Office{}), seen: map[string]int{}, bounded: true}
	r.run(r.split(text))
	if len(r.mistakes) > 0 {
		return nil, (&Mistakes{name, r.mistakes}).sorted()
	}
	o, _ := r.draft.Done()
	return &File{o, r.comments}, nil
}

// Line reads statements as a change of o: as in a file, further `DEVICE PORTS:
// SHAPE`, `DEVICE STATEMENT` for what stands in a device, and a leading minus
// that removes. It gives the changed office and the edit that leads to it. The
// error is a [*Mistakes].
func Line(o *office.Office, text string) (*office.Office, office.Edit, error) {
	r := &reader{name: "line", draft: office.NewDraft(o), onLine: true, bounded: true}
	r.run(r.split(text))
	if len(r.mistakes) > 0 {
		return nil, nil, (&Mistakes{"line", r.mistakes}).sorted()
	}
	n, e := r.draft.Done()
	return n, e, nil
}

// What one text may ask for. A text that is typed or sent by a page is bounded;
// a file that somebody reads on his own machine is bounded by its mistakes only.
const (
	mostMistakes = 500
	mostHints    = 50
	mostWork     = 1_000_000 // see made, set and copied
)

// What things cost of [mostWork], by the time that they take.
const (
	made   = 10 // a port
	setOne = 2  // a port's shape
	copied = 1  // a port of a device that is changed
)

// spend counts work; on the line, too much of it is a mistake.
func (r *reader) spend(n, at int) *fault {
	r.work += n
	if r.bounded && r.work > mostWork {
		return faultf(at, "this is more than one edit may do (%d ports made, or %d set): take it in parts", mostWork/made, mostWork/setOne)
	}
	return nil
}

// enough says whether there are so many mistakes, or so much was asked for, that
// nothing further is read.
func (r *reader) enough() bool {
	if len(r.mistakes) >= mostHints {
		r.draft.Quiet()
	}
	return len(r.mistakes) >= mostMistakes || r.bounded && r.work > mostWork
}

func (r *reader) wrong(line, indent int, text string, f *fault) {
	for _, d := range r.half {
		if strings.HasPrefix(f.text, d+" has no port ") || strings.HasPrefix(f.text, d+".") && strings.HasSuffix(f.text, "is not a port of the front") {
			return
		}
	}
	at := min(f.at, len(text))
	r.mistakes = append(r.mistakes, Mistake{line, indent + utf8.RuneCountInString(text[:at]) + 1, f.text})
}

// split cuts a text into statements.
func (r *reader) split(text string) []statement {
	var all []statement
	var above []string
	text = strings.TrimPrefix(text, "\ufeff")
	for n := 1; text != ""; n++ {
		var line string
		line, text, _ = strings.Cut(text, "\n")
		body := strings.TrimLeft(line, " \t\r")
		if !utf8.ValidString(line) {
			r.mistakes = append(r.mistakes, Mistake{n, 1, "this line is not UTF-8: save the file as UTF-8"})
			continue
		}
		if i := strings.IndexFunc(line, func(c rune) bool { return c < ' ' && c != '\t' && c != '\r' || c == 0x7f }); i >= 0 {
			r.wrong(n, 0, line, faultf(i, "a control character stands here: take it out"))
			continue
		}
		switch indent := len(line) - len(body); {
		case body == "":
		case body[0] == '#':
			above = append(above, strings.TrimRight(body, " \t\r"))
		case indent > 0 && len(all) > 0:
			s := &all[len(all)-1]
			s.body = append(s.body, subline{n, body, indent, above})
			above = nil
		case indent > 0 && !r.onLine:
			r.wrong(n, indent, body, faultf(0, "this line is indented, but no statement stands above it"))
		default:
			all = append(all, statement{line: n, text: body, above: above, indent: indent})
			above = nil
		}
	}
	if len(above) > 0 {
		r.keep("end", above, "")
	}
	return all
}

func (r *reader) keep(key string, above []string, after string) {
	if len(above) == 0 && after == "" {
		return
	}
	if r.comments == nil {
		r.comments = map[string]comment{}
	}
	c := r.comments[key]
	c.above = append(c.above, above...)
	if c.after == "" {
		c.after = after
	} else if after != "" {
		c.above = append(c.above, after)
	}
	r.comments[key] = c
}

// phases are the orders in which statements are carried out, so that a name
// may be used above the line that declares it.
var phases = []string{"office", "vlan", "use", "plan", "device", "", "cable", "plug"}

func (r *reader) run(all []statement) {
	kinds := make([]int8, len(all))
	for i := range all {
		first := all[i].text
		if j := strings.IndexAny(first, " \t\r#\""); j >= 0 {
			first = first[:j]
		}
		kinds[i] = int8(slices.Index(phases, ""))
		if k := slices.Index(phases, first); k >= 0 && first != "" {
			kinds[i] = int8(k)
		}
	}
	if r.onLine { // what is typed happens in the order in which it is typed
		for i := range all {
			if r.enough() {
				return
			}
			r.statement(&all[i], phases[kinds[i]])
		}
		return
	}
	for p, kind := range phases {
		for i := range all {
			if r.enough() {
				return
			}
			if int(kinds[i]) == p {
				r.statement(&all[i], kind)
			}
		}
	}
}

// tokens scans a line; after is its comment, ok is false where a mistake was
// found.
func (r *reader) tokens(line, indent int, text string) (c *cursor, after string, ok bool) {
	toks, after, bad, why := scan(text, r.toks[:0])
	r.toks = toks
	if bad >= 0 {
		r.wrong(line, indent, text, &fault{bad, why})
		return nil, "", false
	}
	end := len(text) - len(after)
	end = len(strings.TrimRight(text[:end], " \t\r"))
	r.line = cursor{toks: toks, end: end}
	return &r.line, strings.TrimRight(after, " \t\r"), true
}

func (r *reader) statement(s *statement, kind string) {
	c, after, ok := r.tokens(s.line, s.indent, s.text)
	if !ok {
		return
	}
	var key string
	var f *fault
	if kind != "" && kind != "plan" && kind != "device" && len(s.body) > 0 {
		b := s.body[0]
		r.wrong(b.line, b.indent, b.text, faultf(0, "an indented line belongs to a device or a plan, not to a %s", kind))
	}
	if kind != "" {
		c.next()
	}
	switch kind {
	case "office":
		key, f = r.office(c)
	case "vlan":
		key, f = r.vlan(c)
	case "use":
		key, f = r.use(c)
	case "plan":
		key, f = r.plan(c, s)
	case "device":
		key, f = r.device(c, s)
	case "cable":
		key, f = r.cable(c, false)
	case "plug":
		key, f = r.plug(c)
	default:
		f = r.other(c, s)
	}
	if f != nil {
		r.wrong(s.line, s.indent, s.text, f)
	}
	r.keep(key, s.above, after)
	if !r.onLine && f == nil && key != "" {
		if n, ok := r.seen[key]; ok {
			r.wrong(s.line, s.indent, s.text, faultf(0, "%s is stated already, in line %d", strings.Replace(key, ":", " ", 1), n))
		}
		r.seen[key] = s.line
	}
}

// again says whether a file states something twice; the second one is left.
func (r *reader) again(key string) bool {
	_, ok := r.seen[key]
	return ok && !r.onLine
}

func (r *reader) office(c *cursor) (string, *fault) {
	t, f := c.text("the office's name, in quotes,")
	if f != nil {
		return "office", f
	}
	if f := r.checked(t, "the office's name", 200, false); f != nil {
		return "office", f
	}
	if !r.again("office") {
		r.draft.SetTitle(t.text)
	}
	return "office", c.done("the office's name")
}

func (r *reader) vlan(c *cursor) (string, *fault) {
	t, f := c.word("the VLAN's number")
	if f != nil {
		return "", f
	}
	id, err := parseVID(t.text)
	if err != nil {
		return "", faultf(t.at, "%s", err)
	}
	v := &office.VLAN{VID: id}
	key := string(v.Key())
	if t, f = c.word("the VLAN's name"); f != nil {
		return key, f
	}
	nameAt := t.at
	v.Name = t.text
	if err := office.CheckVLANName(v.Name); err != nil {
		return key, faultf(t.at, "%s", err)
	}
	if c.peek().kind == quoted {
		t := c.next()
		if f := r.checked(t, "the note", office.MostText, true); f != nil {
			return key, f
		}
		v.Note = t.text
	}
	for c.more() {
		t := c.next()
		switch {
		case t.is("local"):
			v.Local = true
		case t.is("net"):
			t, f := c.word("a subnet, such as 10.61.110.0/24,")
			if f != nil {
				return key, f
			}
			p, err := netip.ParsePrefix(t.text)
			if err != nil {
				return key, faultf(t.at, "%q is not a subnet: write it with its prefix length, such as 10.61.110.0/24", t.text)
			}
			if p != p.Masked() {
				return key, faultf(t.at, "%s is an address inside a subnet: the subnet is %s", t.text, p.Masked())
			}
			if slices.Contains(v.Nets, p) {
				return key, faultf(t.at, "the subnet %s is named twice", p)
			}
			v.Nets = append(v.Nets, p)
		default:
			return key, faultf(t.at, "%s does not belong here: after the VLAN's name come a note in quotes, net and local", t.shown())
		}
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutVLAN(v); err != nil {
		return key, faultf(nameAt, "%s", err)
	}
	return key, nil
}

// checked checks a name or a sentence, see [office.CheckText].
func (r *reader) checked(t token, what string, most int, empty bool) *fault {
	if r.history { // what was kept once can be read
		return nil
	}
	if err := office.CheckText(what, t.text, most, empty); err != nil {
		return faultf(t.at, "%s", err)
	}
	return nil
}

// plainWord takes a name for a use, a plan or a device.
func plainWord(c *cursor, what string) (token, *fault) {
	t, f := c.word(what)
	if f == nil && len(t.text) > office.MostName {
		return t, faultf(t.at, "this name has %d letters: at most %d", len(t.text), office.MostName)
	}
	if f == nil && !plainName(t.text) {
		return t, faultf(t.at, "%q is no name: it starts with a letter or digit, then letters, digits, _ . and -", t.text)
	}
	return t, f
}

func (r *reader) use(c *cursor) (string, *fault) {
	t, f := plainWord(c, "the name of the use")
	if f != nil {
		return "", f
	}
	u := &office.Use{Name: t.text}
	key := string(u.Key())
	u.Shape, f = shape(r.draft, c)
	if f == nil {
		f = c.done("the shape of a use")
	}
	if f != nil {
		if !r.onLine && r.draft.Office().Use(u.Name) == nil { // so that its ports bring no further mistake
			u.Shape = office.Shape{}
			_ = r.draft.PutUse(u)
		}
		return key, f
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutUse(u); err != nil {
		return key, faultf(t.at, "%s", err)
	}
	return key, nil
}

func (r *reader) plan(c *cursor, s *statement) (string, *fault) {
	t, f := plainWord(c, "the name of the port plan")
	if f != nil {
		return "", f
	}
	p := &office.Plan{Name: t.text}
	key := string(p.Key())
	if f := c.done("a plan's name: its lines stand indented below"); f != nil {
		return key, f
	}
	at := t.at
	for _, b := range s.body {
		c, after, ok := r.tokens(b.line, b.indent, b.text)
		if !ok {
			continue
		}
		l, f := r.planLine(c)
		if f != nil {
			r.wrong(b.line, b.indent, b.text, f)
			continue
		}
		p.Lines = append(p.Lines, l)
		r.keep(planKey(p, len(p.Lines)-1), b.above, after)
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutPlan(p); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

func (r *reader) planLine(c *cursor) (l office.PlanLine, f *fault) {
	list, f := portList(c)
	if f != nil {
		return l, f
	}
	for _, it := range list {
		g, f := planRange(it)
		if f != nil {
			return l, f
		}
		l.Ports = append(l.Ports, g)
	}
	if !c.accept(":") {
		return l, faultf(c.peek().at, "a colon is missing between the places and their shape%s", found(c.peek()))
	}
	if l.Shape, f = shape(r.draft, c); f != nil {
		return l, f
	}
	return l, c.done("a shape in a plan")
}

// cable reads two ports, or two bundles whose members are cabled in order.
func (r *reader) cable(c *cursor, remove bool) (string, *fault) {
	at := c.peek().at
	if f := r.spend(1+len(r.draft.Office().Cables)/256, at); f != nil {
		return "", f
	}
	a, f := portRef(r.draft, c)
	if f != nil {
		return "", f
	}
	atB := c.peek().at
	b, f := portRef(r.draft, c)
	if f != nil {
		return "", f
	}
	if f := c.done("the two ends of a cable"); f != nil {
		return "", f
	}
	pairs, err := cablePairs(r.draft, a, b)
	if err != nil {
		return "", faultf(at, "%s", err)
	}
	key := ""
	for _, p := range pairs {
		if key == "" {
			key = string(p.Key())
			if r.again(key) {
				return key, nil
			}
		}
		if remove {
			err = r.draft.Disconnect(p)
		} else {
			err = r.draft.Connect(p)
		}
		if err != nil {
			if office.PartOf(err) == office.OfSecond {
				at = atB
			}
			return key, faultf(at, "%s", err)
		}
	}
	return key, nil
}

func cablePairs(d *office.Draft, a, b office.PortRef) ([]office.Cable, error) {
	members := func(r office.PortRef) []office.PortRef {
		x, _ := d.FindDevice(r.Device)
		p := x.Ports[x.Port(r.Port)]
		if p.Kind != office.Bundle {
			return []office.PortRef{r}
		}
		var m []office.PortRef
		for _, i := range p.Members {
			m = append(m, office.PortRef{Device: x.Name, Port: x.Ports[i].Name})
		}
		return m
	}
	as, bs := members(a), members(b)
	if len(as) != len(bs) {
		return nil, &countError{a, b, len(as), len(bs)}
	}
	var pairs []office.Cable
	for i := range as {
		pairs = append(pairs, office.Cable{A: as[i], B: bs[i]})
	}
	return pairs, nil
}

func (r *reader) plug(c *cursor) (string, *fault) {
	at := c.peek().at
	p := office.Plug{}
	f := r.spend(1+len(r.draft.Office().Plugs)/256, at)
	if f != nil {
		return "", f
	}
	if p.Port, f = portRef(r.draft, c); f != nil {
		return "", f
	}
	t, f := c.text("what is plugged in, in quotes,")
	if f != nil {
		return "", f
	}
	if f := r.checked(t, "the name of a plug", office.MostName, false); f != nil {
		return "", f
	}
	p.Name = t.text
	key := string(p.Key())
	if !c.accept("wants") {
		return key, faultf(c.peek().at, "wants and a VLAN are missing here%s", found(c.peek()))
	}
	t = c.next()
	if p.Wants, f = vlan(r.draft, wordText(t), t.at); f != nil {
		return key, f
	}
	for c.more() {
		t := c.next()
		switch {
		case t.is("tagged"):
			p.Tagged = true
		case t.is("untagged"):
			p.Tagged = false
		case t.is("operator"):
			p.Operator = true
		default:
			return key, faultf(t.at, "%s does not belong here: after the VLAN come tagged and operator", t.shown())
		}
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutPlug(p); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

func wordText(t token) string {
	if t.kind == word {
		return t.text
	}
	return ""
}
