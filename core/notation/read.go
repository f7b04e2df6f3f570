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
	"errors"
	"fmt"
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
	Said     []Mistake // what was taken otherwise than it is written, such as a name with capitals; none is a mistake
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
	said     []Mistake
	comments map[string]comment
	toks     []token // of the line at hand, as is the cursor
	line     cursor
	seen     map[string]int // in a file: what was said, and in which line
	onLine   bool
	bounded  bool // what it may do has an end
	history  bool // it reads what was kept before
	later    []laterRule
	at       *statement // the one at hand
	work     int        // what was done so far, for [mostWork]
	half     []string   // devices whose ports could not all be read: what names one of those is no further mistake
}

// Read reads a whole office. name is the file's, for messages. The error is a
// [*Mistakes] with every mistake of the text.
func Read(name, text string) (*File, error) {
	one := &reader{name: name, draft: office.NewDraft(&office.Office{}), seen: map[string]int{}}
	one.run(one.split(text))
	if len(one.mistakes) > 0 {
		return nil, (&Mistakes{name, one.mistakes}).sorted()
	}
	o, _ := one.draft.Done()
	return &File{o, one.said, one.comments}, nil
}

// ReadWithin is [Read] for a text that somebody sends: it stops where it would
// be more work than one edit may be.
func ReadWithin(name, text string) (*File, error) {
	one := &reader{name: name, draft: office.NewDraft(&office.Office{}), seen: map[string]int{}, bounded: true}
	one.run(one.split(text))
	if len(one.mistakes) > 0 {
		return nil, (&Mistakes{name, one.mistakes}).sorted()
	}
	o, _ := one.draft.Done()
	return &File{o, one.said, one.comments}, nil
}

// Line reads statements as a change of o: as in a file, further `DEVICE PORTS:
// SHAPE`, `DEVICE STATEMENT` for what stands in a device, and a leading minus
// that removes. It gives the changed office and the edit that leads to it. The
// error is a [*Mistakes].
func Line(o *office.Office, text string) (*office.Office, office.Edit, error) {
	return LineOf(nil, o, text)
}

// Work is what several texts of one request cost together; its zero value is none yet.
type Work struct{ spent int }

// LineOf is [Line] for a text that is one of several: together they may be no more work than
// one. For nil it is one by itself.
func LineOf(work *Work, o *office.Office, text string) (*office.Office, office.Edit, error) {
	if work == nil {
		work = &Work{}
	}
	one := &reader{name: "line", draft: office.NewDraft(o), onLine: true, bounded: true, work: work.spent}
	one.run(one.split(text))
	work.spent = one.work
	if len(one.mistakes) > 0 {
		return nil, nil, (&Mistakes{"line", one.mistakes}).sorted()
	}
	n, edit := one.draft.Done()
	return n, edit, nil
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

// wrong keeps a fault as a mistake with its line and column, both from 1, columns counted in
// characters. Mistakes that follow from one told already are left out: ports of a device whose
// front could not be read.
func (r *reader) wrong(line, indent int, text string, wrong *fault) {
	var none *office.NoPort
	if errors.As(wrong.cause, &none) && slices.Contains(r.half, none.Device) {
		return // its ports could not be read: that is the mistake
	}
	at := min(wrong.at, len(text))
	r.mistakes = append(r.mistakes, Mistake{line, indent + utf8.RuneCountInString(text[:at]) + 1, wrong.text})
	for _, other := range wrong.also {
		r.wrong(line, indent, text, other)
	}
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
			statement := &all[len(all)-1]
			statement.body = append(statement.body, subline{n, body, indent, above})
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

// keep holds the comments of a statement under the key of what it declares, so that they are
// printed with it again wherever that then stands.
func (r *reader) keep(key string, above []string, after string) {
	if len(above) == 0 && after == "" {
		return
	}
	if r.comments == nil {
		r.comments = map[string]comment{}
	}
	one := r.comments[key]
	one.above = append(one.above, above...)
	if one.after == "" {
		one.after = after
	} else if after != "" {
		one.above = append(one.above, after)
	}
	r.comments[key] = one
}

// phases are the orders in which statements are carried out, so that a name
// may be used above the line that declares it.
var phases = []string{"office", "vlan", "service", "use", "plan", "device", "", "cable", "plug", "must"}

// run does the statements of a file in the order of phases, so that a file may say things in any
// order; on the line in the order in which they were typed.
func (r *reader) run(all []statement) {
	kinds := make([]int8, len(all))
	for i := range all {
		first := all[i].text
		if j := strings.IndexAny(first, " \t\r#\""); j >= 0 {
			first = first[:j]
		}
		if first == "never" { // wishes are one list
			first = "must"
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
		if kind == "device" {
			r.laterRules()
		}
	}
}

// tokens scans a line; after is its comment, ok is false where a mistake was
// found.
func (r *reader) tokens(line, indent int, text string) (cur *cursor, after string, ok bool) {
	toks, after, bad, why := scan(text, r.toks[:0])
	r.toks = toks
	if bad >= 0 {
		r.wrong(line, indent, text, &fault{at: bad, text: why})
		return nil, "", false
	}
	end := len(text) - len(after)
	end = len(strings.TrimRight(text[:end], " \t\r"))
	r.line = cursor{toks: toks, end: end}
	return &r.line, strings.TrimRight(after, " \t\r"), true
}

// statement reads one statement with its indented body. A mistake in it ends that statement alone:
// the next is read as if it were right, so that a file tells all its mistakes at once.
//
//	> cor 1: 110
//	! column 1: cor starts no statement: office, vlan, service, use, plan, device, cable, plug,
//	    must, never, or a device's name; no device is named cor: did you mean core?
//	> gate
//	! column 5: what about gate? Ports and a shape, as in gate 1-4: 130, or a statement of a
//	    device
//
// Many branches: one switch, a case a word of the notation.
func (r *reader) statement(statement *statement, kind string) {
	r.at = statement
	cur, after, ok := r.tokens(statement.line, statement.indent, statement.text)
	if !ok {
		return
	}
	var key string
	var wrong *fault
	if kind != "" && kind != "plan" && kind != "device" && len(statement.body) > 0 {
		subline := statement.body[0]
		r.wrong(subline.line, subline.indent, subline.text, faultf(0, "an indented line belongs to a device or a plan, not to a %s", kind))
	}
	first := cur.peek()
	if kind != "" {
		cur.next()
	}
	switch kind {
	case "office":
		key, wrong = r.office(cur)
	case "vlan":
		key, wrong = r.vlan(cur)
	case "use":
		key, wrong = r.use(cur)
	case "plan":
		key, wrong = r.plan(cur, statement)
	case "device":
		key, wrong = r.device(cur, statement)
	case "cable":
		key, wrong = r.cable(cur, false)
	case "plug":
		key, wrong = r.plug(cur)
	case "service":
		key, wrong = r.service(cur)
	case "must":
		key, wrong = r.putWish(cur, first.is("must"))
	default:
		wrong = r.other(cur, statement)
	}
	if wrong != nil {
		r.wrong(statement.line, statement.indent, statement.text, wrong)
	}
	r.keep(key, statement.above, after)
	if !r.onLine && wrong == nil && key != "" {
		if n, ok := r.seen[key]; ok {
			r.wrong(statement.line, statement.indent, statement.text, faultf(0, "%s is stated already, in line %d", strings.Replace(key, ":", " ", 1), n))
		}
		r.seen[key] = statement.line
	}
}

// again says whether a file states something twice; the second one is left.
func (r *reader) again(key string) bool {
	_, ok := r.seen[key]
	return ok && !r.onLine
}

// office reads the name of the office.
//
//	office "Veterinary clinic by the mill"
//
//	> office "Harbour Lane, new annex"
//	office "Harbour Lane, new annex"
func (r *reader) office(cur *cursor) (string, *fault) {
	tok, wrong := cur.text("the office's name, in quotes,")
	if wrong != nil {
		return "office", wrong
	}
	if f := r.checked(tok, "the office's name", 200, false); f != nil {
		return "office", f
	}
	if !r.again("office") {
		r.draft.SetTitle(tok.text)
	}
	return "office", cur.done("the office's name")
}

// vlan reads an entry of the register: number, name, a note, whether it stays on one device, its
// subnets.
//
//	vlan 110 office "desks and their phones" net 10.61.110.0/24
//	vlan 999 parked local
//
//	> vlan 170 cameras "yard and stable" net 10.61.170.0/24 guarded
//	vlan 170 cameras "yard and stable" net 10.61.170.0/24 guarded
//	> vlan 110 counter
//	vlan 110 counter
//	> vlan 180 Plot Room local
//	vlan 180 plot-room local
//	> vlan cameras
//	! column 6: "cameras" is not a VLAN number, which is 1 to 4094
func (r *reader) vlan(cur *cursor) (string, *fault) {
	tok, wrong := cur.word("the VLAN's number")
	if wrong != nil {
		return "", wrong
	}
	id, err := parseVID(tok.text)
	if err != nil {
		return "", faultf(tok.at, "%s", err)
	}
	one := &office.VLAN{VID: id}
	key := string(one.Key())
	if one.Name, tok, wrong = r.vlanName(cur); wrong != nil {
		return key, wrong
	}
	nameAt := tok.at
	if cur.peek().kind == quoted {
		t := cur.next()
		if f := r.checked(t, "the note", office.MostText, true); f != nil {
			return key, f
		}
		one.Note = t.text
	}
	for cur.more() {
		t := cur.next()
		switch {
		case t.is("local"):
			one.Local = true
		case t.is("guarded"):
			one.Guarded = true
		case t.is("net"):
			t, f := cur.word("a subnet, such as 10.61.110.0/24,")
			if f != nil {
				return key, f
			}
			prefix, err := netip.ParsePrefix(t.text)
			if err != nil {
				return key, faultf(t.at, "%q is not a subnet: write it with its prefix length, such as 10.61.110.0/24", t.text)
			}
			if prefix != prefix.Masked() {
				return key, faultf(t.at, "%s is an address inside a subnet: the subnet is %s", t.text, prefix.Masked())
			}
			if slices.Contains(one.Nets, prefix) {
				return key, faultf(t.at, "the subnet %s is named twice", prefix)
			}
			one.Nets = append(one.Nets, prefix)
		default:
			return key, faultf(t.at, "%s does not belong here: after the VLAN's name, in quotes where it is of several words, come a note in quotes, net, local and guarded", t.shown())
		}
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutVLAN(one); err != nil {
		return key, faultf(nameAt, "%s", err)
	}
	return key, nil
}

// vlanName takes the name of a VLAN. One that has capitals, spaces or umlauts is taken in the form
// that fits, and said; words that belong to such a name reach to the next word of the statement.
func (r *reader) vlanName(cur *cursor) (string, token, *fault) {
	tok, wrong := cur.text("the VLAN's name")
	if wrong != nil {
		return "", tok, wrong
	}
	err := office.CheckVLANName(tok.text)
	if err == nil {
		return tok.text, tok, nil
	}
	text := tok.text
	for tok.kind == word && cur.peek().kind == word && !cur.peek().glued && !slices.Contains([]string{"net", "local", "guarded"}, cur.peek().text) {
		text += " " + cur.next().text
	}
	name := r.fitting(tok, text)
	if name == "" {
		return "", tok, faultf(tok.at, "%s", err)
	}
	return name, tok, nil
}

// fitting is the name that a text is taken as, which is said; "" where it cannot be one.
func (r *reader) fitting(tok token, text string) string {
	name := office.Fitting(text, "")
	if name == "" || len([]rune(text)) > office.MostName || office.CheckText("this name", text, office.MostName, false) != nil {
		return ""
	}
	r.said = append(r.said, Mistake{r.at.line, r.at.indent + utf8.RuneCountInString(r.at.text[:min(tok.at, len(r.at.text))]) + 1, fmt.Sprintf("%s is taken as %s", text, name)})
	return name
}

// checked checks a name or a sentence, see [office.CheckText].
func (r *reader) checked(tok token, what string, most int, empty bool) *fault {
	if r.history { // what was kept once can be read
		return nil
	}
	if err := office.CheckText(what, tok.text, most, empty); err != nil {
		return faultf(tok.at, "%s", err)
	}
	return nil
}

// plainWord takes a name for a use, a plan or a device.
func plainWord(cur *cursor, what string) (token, *fault) {
	tok, wrong := cur.word(what)
	if wrong == nil && len(tok.text) > office.MostName {
		return tok, faultf(tok.at, "this name has %d letters: at most %d", len(tok.text), office.MostName)
	}
	if wrong == nil && !plainName(tok.text) {
		return tok, faultf(tok.at, "%q is no name: it starts with a letter or digit, then letters, digits, _ . and -", tok.text)
	}
	return tok, wrong
}

// use reads a named shape. One whose shape is a mistake is kept empty, so that ports of that use
// bring no further mistakes.
//
//	use desk 110 [140]
//
//	> use camera 160
//	use camera 160
//	> use camera use desk
//	! column 5: use camera names another use: a use says a shape
func (r *reader) use(cur *cursor) (string, *fault) {
	tok, wrong := plainWord(cur, "the name of the use")
	if wrong != nil {
		return "", wrong
	}
	use := &office.Use{Name: tok.text}
	key := string(use.Key())
	use.Shape, wrong = shape(r.draft, cur)
	if wrong == nil {
		wrong = cur.done("the shape of a use")
	}
	if wrong != nil {
		if !r.onLine && r.draft.Office().Use(use.Name) == nil { // so that its ports bring no further mistake
			use.Shape = office.Shape{}
			_ = r.draft.PutUse(use)
		}
		return key, wrong
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutUse(use); err != nil {
		return key, faultf(tok.at, "%s", err)
	}
	return key, nil
}

// plan reads a port plan: places of a front, each with a shape, for devices that follow it.
//
//	plan rack48
//	  1-40: use desk
//	  last-1-last: [all]
//
//	> plan hall; 1-2: use desk; 3: 160
//	plan hall
//	  1-2: use desk
//	  3: 160
func (r *reader) plan(cur *cursor, statement *statement) (string, *fault) {
	tok, wrong := plainWord(cur, "the name of the port plan")
	if wrong != nil {
		return "", wrong
	}
	plan := &office.Plan{Name: tok.text}
	key := string(plan.Key())
	if f := cur.done("a plan's name: its lines stand indented below"); f != nil {
		return key, f
	}
	at := tok.at
	for _, subline := range statement.body {
		c, after, ok := r.tokens(subline.line, subline.indent, subline.text)
		if !ok {
			continue
		}
		line, f := r.planLine(c)
		if f != nil {
			r.wrong(subline.line, subline.indent, subline.text, f)
			continue
		}
		plan.Lines = append(plan.Lines, line)
		r.keep(planKey(plan, len(plan.Lines)-1), subline.above, after)
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutPlan(plan); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// planLine reads one line of a plan, places before the colon and their shape behind.
func (r *reader) planLine(cur *cursor) (line office.PlanLine, wrong *fault) {
	list, wrong := portList(cur)
	if wrong != nil {
		return line, wrong
	}
	for _, it := range list {
		g, f := planRange(it)
		if f != nil {
			return line, f
		}
		line.Ports = append(line.Ports, g)
	}
	if !cur.accept(":") {
		return line, faultf(cur.peek().at, "a colon is missing between the places and their shape%s", found(cur.peek()))
	}
	if line.Shape, wrong = shape(r.draft, cur); wrong != nil {
		return line, wrong
	}
	return line, cur.done("a shape in a plan")
}

// cable reads two ports, or two bundles whose members are cabled in order.
//
//	> cable core.6 floor.7
//	cable core.6 floor.7
//	> cable core.7 floor.7
//	! column 7: core.7 has a cable already, core.7 to floor.8: one cable a port
func (r *reader) cable(cur *cursor, remove bool) (string, *fault) {
	at := cur.peek().at
	if f := r.spend(1+len(r.draft.Office().Cables)/256, at); f != nil {
		return "", f
	}
	ref, wrong := portRef(r.draft, cur)
	if wrong != nil {
		return "", wrong
	}
	atB := cur.peek().at
	other, wrong := portRef(r.draft, cur)
	if wrong != nil {
		return "", wrong
	}
	if f := cur.done("the two ends of a cable"); f != nil {
		return "", f
	}
	pairs, err := cablePairs(r.draft, ref, other)
	if err != nil {
		return "", faultf(at, "%s", err)
	}
	key := ""
	for _, cable := range pairs {
		if key == "" {
			key = string(cable.Key())
			if r.again(key) {
				return key, nil
			}
		}
		if remove {
			err = r.draft.Disconnect(cable)
		} else {
			err = r.draft.Connect(cable)
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

// cablePairs are the cables that a cable between two ends stands for: one, or between bundles one
// for each pair of members in their order. Bundles of different size have no pairs: a *countError.
//
//	> -core 5-6; core bundle up lacp 5-6; core up: use uplink; -floor 6-7; floor bundle up lacp 6-7; cable core.up floor.up
//	-core 5-6
//	core bundle up lacp 5-6
//	core up: use uplink
//	-floor 6-7
//	floor bundle up lacp 6-7
//	cable core.5 floor.6
//	cable core.6 floor.7
func cablePairs(draft *office.Draft, a, b office.PortRef) ([]office.Cable, error) {
	members := func(ref office.PortRef) []office.PortRef {
		device, _ := draft.FindDevice(ref.Device)
		port := device.Ports[device.Port(ref.Port)]
		if port.Kind != office.Bundle {
			return []office.PortRef{ref}
		}
		var m []office.PortRef
		for _, i := range port.Members {
			m = append(m, office.PortRef{Device: device.Name, Port: device.Ports[i].Name})
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

// plug reads what is plugged in at a port and the VLAN that it wants, with what is known of it. It
// is charged for the plugs that are looked through for its name.
//
//	> plug core.2 "label printer" wants 110 at 10.61.110.30 card 02:00:5e:10:00:01
//	plug core.2 "label printer" wants 110 at 10.61.110.30 card 02:00:5e:10:00:01
//	> plug core.2 "label printer"
//	! column 28: wants and a VLAN are missing here: the line ends
func (r *reader) plug(cur *cursor) (string, *fault) {
	at := cur.peek().at
	plug := office.Plug{}
	wrong := r.spend(1+len(r.draft.Office().Plugs)/256, at)
	if wrong != nil {
		return "", wrong
	}
	if plug.Port, wrong = portRef(r.draft, cur); wrong != nil {
		return "", wrong
	}
	tok, wrong := cur.text("what is plugged in, in quotes,")
	if wrong != nil {
		return "", wrong
	}
	if f := r.checked(tok, "the name of a plug", office.MostName, false); f != nil {
		return "", f
	}
	plug.Name = tok.text
	key := string(plug.Key())
	if !cur.accept("wants") {
		return key, faultf(cur.peek().at, "wants and a VLAN are missing here%s", found(cur.peek()))
	}
	tok = cur.next()
	if plug.Wants, wrong = vlan(r.draft, wordText(tok), tok.at); wrong != nil {
		return key, wrong
	}
	for cur.more() {
		t := cur.next()
		switch {
		case t.is("tagged"):
			plug.Tagged = true
		case t.is("untagged"):
			plug.Tagged = false
		case t.is("operator"):
			plug.Operator = true
		case t.is("at"):
			if plug.At, wrong = address(cur.next()); wrong != nil {
				return key, wrong
			}
		case t.is("card"), t.is("mac"): // mac is how it was written first
			card, f := cur.word("the address of a network card")
			if f != nil {
				return key, f
			}
			mac, err := office.ParseMAC(card.text)
			if err != nil {
				return key, faultf(card.at, "%s", err)
			}
			plug.MAC = mac
		case office.FactNamed(wordText(t), office.PlugFact) != nil:
			if f := r.fact(&plug.Facts, office.FactNamed(t.text, office.PlugFact), cur); f != nil {
				return key, f
			}
		default:
			return key, faultf(t.at, "%s does not belong here: after the VLAN come tagged, operator, at with its own address, card with that of its network card, and note", t.shown())
		}
	}
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutPlug(plug); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// wordText is a token's text where it is a word; quoted text is never a word of the grammar.
func wordText(tok token) string {
	if tok.kind == word {
		return tok.text
	}
	return ""
}
