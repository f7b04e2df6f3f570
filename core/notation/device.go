package notation

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// countError is a cable between bundles of different size.
type countError struct {
	a, b   office.PortRef
	na, nb int
}

func (e *countError) Error() string {
	return fmt.Sprintf("%s has %d ports and %s has %d: cable the members one by one", e.a, e.na, e.b, e.nb)
}

// device reads the first line of a device; its body follows, the front first, as the
// other lines name its ports.
//
//	device rack switch follows rack48
//	device desk host
func (r *reader) device(cur *cursor, statement *statement) (string, *fault) {
	tok, name, wrong := r.deviceName(cur, statement.text)
	if wrong != nil {
		return "", wrong
	}
	if keywords[name] {
		return "", faultf(tok.at, "%s is a word of the notation and cannot name a device", name)
	}
	k, wrong := cur.word("the kind of device (switch router firewall wap host other)")
	if wrong != nil {
		return "", wrong
	}
	if of := described(k, cur, statement.text); of != nil {
		k.text, cur.at = string(of.Kind), len(cur.toks)
		if of.Follows != "" {
			cur.toks, cur.at = append(cur.toks, token{kind: word, text: "follows", at: k.at}, token{kind: word, text: of.Follows, at: k.at}), len(cur.toks)
		}
		body := make([]subline, 0, len(of.Lines)+len(statement.body))
		for _, line := range of.Lines {
			body = append(body, subline{line: statement.line, text: line, indent: statement.indent + k.at})
		}
		statement.body = append(body, statement.body...)
	}
	device, err := office.NewDevice(name, office.Kind(k.text))
	if err != nil {
		at := k.at
		if strings.Contains(name, ".") {
			at = tok.at
		}
		return "", faultf(at, "%s", err)
	}
	key := string(device.Key())
	if cur.accept("follows") {
		p, f := cur.word("the name of a port plan")
		if f != nil {
			return key, f
		}
		if _, err := r.draft.FindPlan(p.text); err != nil {
			r.wrong(statement.line, statement.indent, statement.text, faultf(p.at, "%s", err))
		} else {
			device.Follows = p.text
		}
	}
	if f := cur.done("a device's kind but follows and a plan"); f != nil {
		r.wrong(statement.line, statement.indent, statement.text, f)
	}
	if r.draft.HasDevice(device.Name) {
		if r.onLine {
			return key, faultf(tok.at, "%s is there already: change it with %s and what is to be changed, or remove it with -device %s", device.Name, device.Name, device.Name)
		}
		return key, nil
	}
	r.body(device, statement.body)
	if err := r.draft.PutDevice(device); err != nil {
		return key, faultf(tok.at, "%s", err)
	}
	return key, nil
}

// deviceName takes the name of a device. One in quotes, or of several words before a kind or a
// sentence that says one, is taken in the form that fits, and said.
func (r *reader) deviceName(cur *cursor, line string) (token, string, *fault) {
	first := cur.peek()
	if first.kind == word && plainName(first.text) && len(first.text) <= office.MostName {
		cur.next()
		next := cur.peek()
		if next.kind != word || isKind(next.text) || described(next, cur, line) != nil {
			return first, first.text, nil
		}
		cur.at--
	}
	if first.kind == punct {
		tok, wrong := plainWord(cur, "the device's name")
		return tok, "", wrong
	}
	begun := cur.at
	text := cur.next().text
	for first.kind == word && cur.at-begun < mostWords && cur.peek().kind == word && !isKind(cur.peek().text) && described(cur.peek(), cur, line) == nil {
		text += " " + cur.next().text
	}
	if cur.peek().kind == word {
		if name := r.fitting(first, text); name != "" && (first.kind == quoted || cur.at > begun+1 || !plainName(text)) {
			return first, name, nil
		}
	}
	cur.at = begun // no kind stands anywhere: the name is the first word, and what is behind it the mistake
	tok, wrong := plainWord(cur, "the device's name")
	return tok, tok.text, wrong
}

// How much of a line is looked at for a sentence, in bytes, and for a name, in words.
const (
	mostSentence = 400
	mostWords    = 6
)

func isKind(text string) bool { return slices.Contains(office.Kinds, office.Kind(text)) }

// described is the device that the rest of a line says in a sentence, from tok on; nil where it is
// a kind by itself, or with a plan to follow, or says nothing that is known.
func described(tok token, cur *cursor, line string) *Described {
	rest := strings.TrimSpace(line[tok.at:cur.end])
	words := strings.Fields(rest)
	if len(rest) > mostSentence || len(words) == 0 {
		return nil
	}
	if isKind(words[0]) && (len(words) == 1 || words[1] == "follows") {
		return nil
	}
	of, err := Describe(rest)
	if err != nil {
		return nil
	}
	return of
}

// body reads the lines of a device: its ports first, then what names them.
//
// Many branches: a device is read in two passes, so that lines may name ports below them.
func (r *reader) body(device *office.Device, lines []subline) {
	stage := func(text string) int {
		w := text
		if i := strings.IndexAny(w, " \t"); i >= 0 {
			w = w[:i]
		}
		switch w {
		case "ports":
			return 0
		case "bundle":
			return 1
		case "inner":
			return 2
		case "outside": // whose port is set by then
			return 4
		case "route": // which may name a line
			return 5
		case "allow", "deny": // which name zones
			return 6
		}
		return 3
	}
	var said []bool // by port
	stages := make([]int, len(lines))
	for i := range lines {
		stages[i] = stage(lines[i].text)
	}
	for st := range 7 {
		if st == 3 {
			_ = device.Seal() // the names are complete: look-ups by index from here on
			said = make([]bool, len(device.Ports))
		}
		for i, subline := range lines {
			if stages[i] != st {
				continue
			}
			if st == 6 && !r.onLine {
				r.later = append(r.later, laterRule{device.Name, subline})
				continue
			}
			cur, after, ok := r.tokens(subline.line, subline.indent, subline.text)
			if !ok {
				if st < 3 {
					r.half = append(r.half, device.Name)
				}
				continue
			}
			if st == 6 {
				rule, wrong := r.rule(cur, office.Action(cur.next().text), device)
				if wrong != nil {
					r.wrong(subline.line, subline.indent, subline.text, wrong)
				} else {
					device.Rules = append(device.Rules, *rule)
				}
				continue
			}
			what, which, f := r.inDevice(device, cur, said)
			if f != nil {
				r.wrong(subline.line, subline.indent, subline.text, f)
				if st < 3 {
					r.half = append(r.half, device.Name)
				}
			}
			if len(subline.above) > 0 || after != "" {
				r.keep(device.Name+"/"+what+which, subline.above, after)
			}
		}
	}
}

// inDevice reads one statement that belongs to a device. said notes the ports
// that were set in this file; nil on the line. what and which together are what
// comments at the statement are kept under.
func (r *reader) inDevice(device *office.Device, cur *cursor, said []bool) (what, which string, wrong *fault) {
	tok := cur.peek()
	if ofDevice(tok, device) {
		cur.next()
		return r.keyword(device, cur, tok)
	}
	at, one, because, wrong := r.setting(device, cur)
	if wrong != nil {
		return "", "", wrong
	}
	for _, i := range at {
		if said != nil && said[i] {
			return "", "", faultf(tok.at, "port %s is set already above: one line a port", device.Ports[i].Name)
		}
		if err := device.SetShape(i, one, because); err != nil {
			return "", "", faultf(tok.at, "%s", err)
		}
		if said != nil {
			said[i] = true
		}
	}
	return "set:", device.Ports[at[0]].Name, nil
}

// keyword reads a statement of a device that starts with a word of the
// notation, after that word.
//
// Many branches: one switch, a case a word of the notation.
func (r *reader) keyword(device *office.Device, cur *cursor, tok token) (what, which string, wrong *fault) {
	what = tok.text
	switch tok.text {
	case "ports":
		return what, "", r.ports(device, cur)
	case "bundle":
		which, wrong = r.bundle(device, cur)
		return "bundle:", which, wrong
	case "bundles":
		device.Adjacent = true
		if !cur.accept("adjacent") {
			return what, "", faultf(cur.peek().at, "bundles adjacent is the habit that there is%s", found(cur.peek()))
		}
		return what, "", cur.done("bundles adjacent")
	case console:
		device.Console = true
		return what, "", cur.done("console")
	case speaks:
		which, wrong = r.speaks(device, cur)
		return "speaks:", which, wrong
	case "inner":
		which, wrong = r.inner(device, cur)
		return "inner:", which, wrong
	case "forwarding":
		return what, "", forwarding(device, cur)
	case "wording":
		return what, "", wordingLine(device, cur)
	case "limit":
		return what, "", limit(device, cur)
	case "manage":
		return what, "", r.manage(device, cur)
	case ofFactory:
		return what, "", factory(device, cur)
	case "address":
		which, wrong = r.address(device, cur)
		return "address:", which, wrong
	case "follows":
		p, f := cur.word("the name of a port plan")
		if f != nil {
			return what, "", f
		}
		if _, err := r.draft.FindPlan(p.text); err != nil {
			return what, "", faultf(p.at, "%s", err)
		}
		device.Follows = p.text
		return what, "", cur.done("the plan's name")
	}
	if fact := office.FactNamed(tok.text, office.DeviceFact); fact != nil {
		return what, "", r.facts(&device.Facts, fact, cur, office.DeviceFact)
	}
	if tok.text == ofPort || office.FactNamed(tok.text, office.PortFact) != nil {
		which, wrong = r.portFacts(device, cur, tok)
		return what + ":", which, wrong
	}
	if which, wrong, ok := r.policy(device, cur, tok); ok {
		if which != "" {
			what += ":"
		}
		return what, which, wrong
	}
	return what, "", faultf(tok.at, "%s does not belong inside a device", tok.text)
}

// speaks reads how a device is spoken to: a protocol, then at, with and save in any
// order. A second line of one protocol takes the place of the first.
//
//	> core speaks snmp at 10.61.190.2 with reading
//	core speaks snmp at 10.61.190.2 with reading
//	> core speaks telnet
//	! column 13: "telnet" is no protocol: snmp, ovsdb or ssh
func (r *reader) speaks(device *office.Device, cur *cursor) (string, *fault) {
	tok, wrong := cur.word("the protocol: " + either(office.Languages))
	if wrong != nil {
		return "", wrong
	}
	one := office.Speaks{Protocol: office.Language(tok.text)}
	for cur.more() {
		k := cur.next()
		into := map[string]*string{"at": &one.At, "with": &one.With, "save": &one.Save}[k.text]
		if into == nil || k.kind != word {
			return tok.text, faultf(k.at, "%s does not belong here: after the protocol come at and an address, with and the name of credentials, save and an object", k.shown())
		}
		v, f := cur.run("what comes after " + k.text)
		if f != nil {
			return tok.text, f
		}
		*into = v
	}
	if err := one.Check(); err != nil {
		return tok.text, faultf(tok.at, "%s", err)
	}
	device.PutSpeaks(one)
	return tok.text, nil
}

// setting reads PORTS: SHAPE [because "…"].
func (r *reader) setting(device *office.Device, cur *cursor) (at []int, one *office.Shape, because string, wrong *fault) {
	list, wrong := portList(cur)
	if wrong != nil {
		return nil, nil, "", wrong
	}
	if !cur.accept(":") {
		return nil, nil, "", faultf(cur.peek().at, "a colon is missing between the ports and their shape%s", found(cur.peek()))
	}
	if at, wrong = resolveAll(device, list); wrong != nil {
		return nil, nil, "", wrong
	}
	sh, wrong := shape(r.draft, cur)
	if wrong == nil {
		wrong = r.spend(setOne*len(at)+(len(sh.Tagged)+len(sh.Untagged))/64, 0)
	}
	if wrong != nil {
		return nil, nil, "", wrong
	}
	if cur.accept("because") {
		tok, f := cur.text("the reason, in quotes,")
		if f == nil {
			f = r.checked(tok, "the reason", office.MostText, false)
		}
		if f != nil {
			return nil, nil, "", f
		}
		because = tok.text
	}
	return at, &sh, because, cur.done("a shape but because and a reason")
}

// ports reads a front: ranges of names, with a speed or a name inside the device, joined by spaces
// or commas. What is named twice is a mistake, as a port's name is its key.
//
//	ports 1-24 1G, 25-28 10G, wan as eth0
//
//	> floor ports 9-10 10G, "mgmt"
//	floor ports 9-10 10G, mgmt
//	> floor ports 8-9
//	! column 13: floor has a port 8 already: names of ports, bundles and inner ports are unique
//	    in a device
func (r *reader) ports(device *office.Device, cur *cursor) *fault {
	for {
		tok, wrong := cur.text("a port's name")
		if wrong == nil {
			wrong = r.checked(tok, "a port's name", office.MostName, false)
		}
		if wrong != nil {
			return wrong
		}
		it := item{from: tok.text, literal: tok.kind == quoted, at: tok.at}
		names, wrong := expand(it)
		if wrong != nil {
			return wrong
		}
		inside := ""
		if cur.accept("as") {
			t, f := cur.text("the port's name inside the device")
			if f == nil {
				f = r.checked(t, "the port's name inside the device", office.MostName, false)
			}
			if f != nil {
				return f
			}
			if len(names) > 1 {
				return faultf(t.at, "as names one port, and %s is %d", it.from, len(names))
			}
			inside = t.text
		}
		var speed office.Speed
		if t := cur.peek(); t.kind == word {
			i := slices.IndexFunc(office.Speeds, func(x struct {
				Text  string
				Speed office.Speed
			}) bool {
				return x.Text == t.text
			})
			if i < 0 {
				return faultf(t.at, "%s is not a speed (10M 100M 1G 2.5G 5G 10G 25G 40G 100G): separate ports by commas", t.text)
			}
			speed = office.Speeds[i].Speed
			cur.next()
		}
		if device.Front()+len(names) > 4096 {
			return faultf(it.at, "a device has at most 4096 ports")
		}
		if f := r.spend(made*len(names), it.at); f != nil {
			return f
		}
		device.Grow(len(names))
		for _, n := range names {
			if port := device.Port(n); r.onLine && speed != 0 && port >= 0 && device.Ports[port].Kind == office.Physical { // a port that is there gets its speed
				device.Ports[port].Speed = speed
				continue
			}
			if err := device.AddPort(n, inside, speed); err != nil {
				return faultf(it.at, "%s", err)
			}
		}
		if !cur.accept(",") {
			return cur.done("the ports: separate them by commas")
		}
	}
}

// bundle reads an aggregation (IEEE 802.1AX) of ports of the front, by lacp or static. Said
// again on the line, it changes the bundle's mode and its members.
//
//	bundle up lacp 25-26
//
//	> -core 6-7; core bundle up lacp 6-7
//	-core 6-7
//	core bundle up lacp 6-7
//	> core bundle up lacp 6
//	! column 21: a bundle has at least two ports, and up has 1
func (r *reader) bundle(device *office.Device, cur *cursor) (string, *fault) {
	tok, wrong := cur.text("the bundle's name")
	if wrong == nil {
		wrong = r.checked(tok, "a bundle's name", office.MostName, false)
	}
	if wrong != nil {
		return "", wrong
	}
	key := tok.text
	m, wrong := cur.word("lacp or static")
	if wrong != nil {
		return key, wrong
	}
	atPorts := cur.peek().at
	at, wrong := portsOf(device, cur)
	if wrong != nil {
		return key, wrong
	}
	if f := cur.done("the bundle's ports"); f != nil {
		return key, f
	}
	var names []string
	for _, i := range at {
		names = append(names, device.Ports[i].Name)
	}
	add := device.AddBundle
	if i := device.Port(tok.text); r.onLine && i >= 0 && device.Ports[i].Kind == office.Bundle {
		add = device.ChangeBundle
	}
	if err := add(tok.text, office.BundleMode(m.text), names); err != nil {
		where := atPorts
		switch office.PartOf(err) {
		case office.OfMode:
			where = m.at
		case office.OfName:
			where = tok.at
		}
		return key, faultf(where, "%s", err)
	}
	return key, nil
}

// inner reads a port inside the device: a radio network, a virtual machine's, or the CPU's own.
//
//	inner "clinic guests" ssid: 150
//	inner cpu cpu: [1 190] because "the agent answers in two VLANs"
//
//	> core inner vm vm: 110 [140]
//	core inner vm vm: 110 [140]
//	> core inner vm van: 110
//	! column 15: "van" is not a flavour of inner port: there are ssid, vm, cpu
func (r *reader) inner(device *office.Device, cur *cursor) (string, *fault) {
	tok, wrong := cur.text("the inner port's name")
	if wrong == nil {
		wrong = r.checked(tok, "an inner port's name", office.MostName, false)
	}
	if wrong != nil {
		return "", wrong
	}
	key := tok.text
	k, wrong := cur.word("ssid, vm or cpu")
	if wrong != nil {
		return key, wrong
	}
	if !cur.accept(":") {
		return key, faultf(cur.peek().at, "a colon is missing between the inner port and its shape%s", found(cur.peek()))
	}
	one, wrong := shape(r.draft, cur)
	because := ""
	if wrong == nil && cur.accept("because") {
		var why token
		if why, wrong = cur.text("the reason, in quotes,"); wrong == nil {
			wrong = r.checked(why, "the reason", office.MostText, false)
			because = why.text
		}
	}
	if wrong == nil {
		wrong = cur.done("an inner port's shape but because and a reason")
	}
	if wrong != nil {
		return key, wrong
	}
	if err := device.AddInner(tok.text, office.Flavour(k.text), &one); err == nil {
		device.Ports[len(device.Ports)-1].Because = because
	} else {
		at := tok.at
		if office.PartOf(err) == office.OfFlavour {
			at = k.at
		}
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// forwarding reads how frames go through the device: by VLAN, unaware of tags, or not at all but by
// routing. The words are office.Forwardings.
//
//	forwarding unaware drops-tagged
//
//	> floor forwarding unaware drops-tagged
//	floor forwarding unaware drops-tagged
//	> floor forwarding hub
//	! column 18: hub is not a way to forward: bridge, routed, unaware, unaware drops-tagged or
//	    grouped
func forwarding(device *office.Device, cur *cursor) *fault {
	tok, wrong := cur.word(either(office.Forwardings()))
	if wrong != nil {
		return wrong
	}
	name := tok.text
	if cur.accept("drops-tagged") {
		name += " drops-tagged"
	}
	at := slices.Index(office.Forwardings(), name)
	if at < 0 {
		return faultf(tok.at, "%s is not a way to forward: %s", name, either(office.Forwardings()))
	}
	device.Forwarding = office.Forwarding(at)
	return cur.done("the way to forward")
}

// portModes reads the modes of a port that a by-port device has, and says whether mixed is
// one of them; access and trunk are.
func portModes(cur *cursor) (mixed bool, bad *fault) {
	var names []string
	at := 0
	for {
		tok, wrong := cur.word("a mode: access, trunk or mixed")
		if wrong != nil {
			return false, wrong
		}
		at = tok.at
		if !slices.Contains([]string{"access", "trunk", "mixed"}, tok.text) {
			return false, faultf(tok.at, "%q is not a mode of a port: access, trunk or mixed", tok.text)
		}
		names = append(names, tok.text)
		if !cur.accept(",") {
			break
		}
	}
	if !slices.Contains(names, "access") || !slices.Contains(names, "trunk") {
		return false, faultf(at, "a by-port device has access and trunk ports: modes access,trunk where it has no others")
	}
	return slices.Contains(names, "mixed"), nil
}

// wordingLine reads the wording in which sheets speak to a device's own pages, what it lacks, and
// whether it takes a change back unless it is confirmed within some minutes.
//
//	wording by-vlan pvid-apart
//	wording linux confirms 5
//
//	> core wording by-port modes access trunk
//	! column 28: a by-port device has access and trunk ports: modes access,trunk where it has
//	    no others
//	> core wording by-hand
//	! column 14: "by-hand" is not a wording: there are by-vlan, by-port, by-choice, by-group,
//	    by-sub-interface, by-inner-port, linux
func wordingLine(device *office.Device, cur *cursor) *fault {
	tok, wrong := cur.word("the wording's name")
	if wrong != nil {
		return wrong
	}
	if err := office.CheckWording(tok.text); err != nil {
		return faultf(tok.at, "%s", err)
	}
	wording := office.Wording{Name: office.WordingName(tok.text)}
	for cur.more() {
		t := cur.next()
		if t.is("bundles-adjacent") {
			device.Adjacent = true
			continue
		}
		if t.is(office.Confirms) {
			n, f := cur.word("the minutes")
			if f != nil {
				return f
			}
			k, err := strconv.Atoi(n.text)
			if err != nil || k < 1 || k > office.MostConfirms {
				return faultf(n.at, "%s are not minutes in which a change is confirmed: a number from 1 to %d", n.text, office.MostConfirms)
			}
			wording.Confirms = k
			continue
		}
		if t.is("modes") {
			mixed, f := portModes(cur)
			if f != nil {
				return f
			}
			if !mixed && !slices.Contains(wording.Habits, office.NoMixed) {
				wording.Habits = append(wording.Habits, office.NoMixed)
			}
			continue
		}
		if err := office.CheckHabit(t.text); err != nil {
			return faultf(t.at, "%s", err)
		}
		if habit := office.Habit(t.text); !slices.Contains(wording.Habits, habit) {
			wording.Habits = append(wording.Habits, habit)
		}
	}
	if slices.Contains(wording.Habits, office.PVIDApart) && slices.Contains(wording.Habits, office.PVIDFollows) {
		return faultf(tok.at, "%s and %s exclude each other: name one", office.PVIDApart, office.PVIDFollows)
	}
	slices.SortFunc(wording.Habits, func(a, b office.Habit) int {
		return slices.Index(office.Habits, a) - slices.Index(office.Habits, b)
	})
	device.Wording = wording
	return nil
}

// limit reads what a device can hold, in pairs of a word and a number from 1 to 1,000,000.
//
//	limit vlans 32 rules 128
//
//	> core limit vlans 16 rows 64
//	core limit vlans 16
//	core limit rows 64
//	> core limit cables 3
//	! column 12: cables is not limited: vlans, addresses, zones, rows or rules
func limit(device *office.Device, cur *cursor) *fault {
	for first := true; first || cur.more(); first = false {
		tok, wrong := cur.word(either(office.LimitNames))
		if wrong != nil {
			return wrong
		}
		n, wrong := cur.word("the limit, a number")
		if wrong != nil {
			return wrong
		}
		k, err := strconv.Atoi(n.text)
		if err != nil || k < 1 || k > 1_000_000 {
			return faultf(n.at, "%s is not a limit: a number from 1 to 1000000", n.text)
		}
		most := device.Limits.Of(office.Limit(tok.text))
		if most == nil {
			return faultf(tok.at, "%s is not limited: %s", tok.text, either(office.LimitNames))
		}
		*most = k
	}
	return nil
}

// manage reads a device's management: VLAN, address with or without its prefix length,
// and by whom it answers other subnets.
//
//	> core manage 190 10.61.190.9/24 via 10.61.190.1
//	core manage 190 10.61.190.9/24 via 10.61.190.1
//	> core manage 190 10.61.190
//	! column 17: "10.61.190" is not an IP address, such as 10.61.190.2 or 10.61.190.2/24
//	> core manage 190 10.61.190.9/24 via none
//	core manage 190 10.61.190.9/24 via none
func (r *reader) manage(device *office.Device, cur *cursor) *fault {
	tok := cur.next()
	vid, wrong := vlan(r.draft, wordText(tok), tok.at)
	if wrong != nil {
		return wrong
	}
	manage := &office.Manage{VID: vid}
	if cur.more() {
		t := cur.next()
		if wrong := manageAddr(manage, t); wrong != nil {
			return wrong
		}
	}
	if cur.more() {
		t := cur.next()
		if t.text != "via" {
			return faultf(t.at, "after the management address comes via and its default gateway, as in manage %d %s via 10.61.190.1, or via none: found %s", vid, manage.Addr, t.text)
		}
		t, wrong := cur.word("the default gateway, such as 10.61.190.1, or none,")
		if wrong != nil {
			return wrong
		}
		switch addr, err := netip.ParseAddr(t.text); {
		case t.text == "none":
			manage.Alone = true
		case err != nil || addr.Zone() != "":
			return faultf(t.at, "%q is not a gateway: an IP address, such as 10.61.190.1, or none", t.text)
		case addr.Is4() != manage.Addr.Is4():
			return faultf(t.at, "the gateway %s and the address %s are of different families", addr, manage.Addr)
		case addr == manage.Addr:
			return faultf(t.at, "%s is the device's own address, and not its gateway", addr)
		default:
			manage.Via = addr
		}
	}
	device.Manage = manage
	return cur.done("the management address")
}

// manageAddr reads the address of a management: with a prefix length it knows its own subnet,
// without one it answers only within the same VLAN.
func manageAddr(manage *office.Manage, tok token) *fault {
	if strings.Contains(tok.text, "/") {
		one, err := netip.ParsePrefix(tok.text)
		if err != nil || one.Bits() == 0 {
			return faultf(tok.at, "%q is not an address with its prefix length, such as 10.61.190.2/24", tok.text)
		}
		manage.Addr, manage.Bits = one.Addr(), one.Bits()
		return nil
	}
	addr, err := netip.ParseAddr(tok.text)
	if err != nil || addr.Zone() != "" {
		return faultf(tok.at, "%q is not an IP address, such as 10.61.190.2 or 10.61.190.2/24", tok.text)
	}
	manage.Addr = addr
	return nil
}

// factory reads where a device answers when it is fresh: 192.168.1.1/24 in 1.
//
//	> core factory 192.168.1.1/24 in 1
//	core factory 192.168.1.1/24 in 1
func factory(device *office.Device, cur *cursor) *fault {
	tok, wrong := cur.word("the address with its prefix length, such as 192.168.1.1/24,")
	if wrong != nil {
		return wrong
	}
	one, err := netip.ParsePrefix(tok.text)
	if err != nil || one.Bits() == 0 {
		return faultf(tok.at, "%q is not an address with its prefix length, such as 192.168.1.1/24", tok.text)
	}
	out := &office.Factory{Prefix: one, VID: office.DefaultVID}
	if cur.more() {
		if t := cur.next(); t.text != "in" {
			return faultf(t.at, "after the address comes in and the VLAN, as in factory %s in 1: found %s", one, t.text)
		}
		t, wrong := cur.word("the number of the VLAN, such as 1,")
		if wrong != nil {
			return wrong
		}
		n, err := strconv.Atoi(t.text)
		if err != nil {
			return faultf(t.at, "%s is not the number of a VLAN: a device does not know names before it is set, so it is one from 1 to 4094", t.text)
		}
		if out.VID, err = office.VIDOf(n); err != nil {
			return faultf(t.at, "%s", err)
		}
	}
	device.Factory = out
	return cur.done("the factory address")
}

// address reads an address of a router or host in a VLAN, with what it is there for: the VLAN's
// gateway, its zone, what it hands out. Two zones of one VLAN on a device are a mistake at the
// second.
//
//	address 110 10.61.110.1/24 gateway zone staff
//	address 110 2001:db8:61:110::1/64 gateway
//
//	> gate address 110 10.61.110.1/24 on lan1 zone staff handout 10.61.110.20-10.61.110.60
//	gate address 110 10.61.110.1/24 on lan1 zone staff handout 10.61.110.20-10.61.110.60
//	> gate address 110 10.61.110.0/24
//	gate address 110 10.61.110.0/24
func (r *reader) address(device *office.Device, cur *cursor) (string, *fault) {
	tok := cur.next()
	vid, wrong := vlan(r.draft, wordText(tok), tok.at)
	if wrong != nil {
		return "", wrong
	}
	address := office.Address{VID: vid}
	tok, wrong = cur.word("the address with its prefix length, such as 10.61.110.1/24,")
	if wrong != nil {
		return "", wrong
	}
	var err error
	if address.Prefix, err = office.CheckAddress(tok.text); err != nil {
		return "", faultf(tok.at, "%s", err)
	}
	key := addressKey(address)
	at := tok.at
	zoneAt, wrong := r.addressWords(device, &address, cur)
	if wrong != nil {
		return key, wrong
	}
	if was := device.ZoneOf(vid); address.Zone != "" && was != "" && was != address.Zone && !r.onLine {
		return key, faultf(zoneAt, "VLAN %d is in the zone %s on %s already: an interface is in one, with all its addresses", vid, was, device.Name)
	}
	if r.onLine { // said again, it is changed, and the interface with it
		for i := range device.Addresses {
			if other := &device.Addresses[i]; other.VID == vid && other.Prefix != address.Prefix && other.Zone != "" && address.Zone != "" {
				other.Zone = address.Zone
			}
		}
		for i, other := range device.Addresses {
			if other.VID == address.VID && other.Prefix == address.Prefix {
				rest := slices.Delete(slices.Clone(device.Addresses), i, i+1)
				device.Addresses = rest
				if err := device.AddAddress(address); err != nil {
					return key, faultf(at, "%s", err)
				}
				device.Addresses = slices.Insert(rest, i, address)
				return key, nil
			}
		}
	}
	if err := device.AddAddress(address); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// addressWords reads what may stand behind an address; zoneAt is where its zone stands.
func (r *reader) addressWords(device *office.Device, address *office.Address, cur *cursor) (zoneAt int, wrong *fault) {
	for cur.more() {
		word := cur.next()
		switch {
		case word.is("on"):
			port, wrong := cur.text("a port of the device")
			if wrong != nil {
				return 0, wrong
			}
			if _, err := device.FindPort(port.text); err != nil {
				return 0, faultf(port.at, "%s", err)
			}
			address.On = port.text
		case word.is("zone"):
			zone, wrong := cur.text("the zone's name")
			if wrong == nil {
				wrong = r.checked(zone, "a zone's name", office.MostName, false)
			}
			if wrong != nil {
				return 0, wrong
			}
			if err := office.CheckSideName("a zone", zone.text); err != nil {
				return 0, faultf(zone.at, "%s", err)
			}
			address.Zone, zoneAt = zone.text, zone.at
		case word.is("handout"):
			if wrong := handoutRange(address, cur); wrong != nil {
				return 0, wrong
			}
		case word.is("gateway"):
			address.Gateway = true
		case word.is("admits"):
			address.Admits = []office.Service{}
			if !cur.accept("-") {
				if address.Admits, wrong = r.services(cur); wrong != nil {
					return 0, wrong
				}
			}
			if office.AnyService(address.Admits) {
				address.Admits = nil
			}
		default:
			return 0, faultf(word.at, "%s does not belong here: after the address come on, zone, handout, admits and gateway", word.shown())
		}
	}
	return zoneAt, nil
}

// handoutRange reads the range that is handed out beside an address.
//
//	> gate address 110 10.61.110.1/24 on lan1 zone staff handout 10.61.110.60-10.61.110.20
//	! column 18: the hand-out range runs backwards: 10.61.110.60 comes after 10.61.110.20
func handoutRange(address *office.Address, cur *cursor) *fault {
	text, wrong := cur.word("the range handed out, such as 10.61.110.50-10.61.110.220,")
	if wrong != nil {
		return wrong
	}
	var err error
	lo, hi, _ := strings.Cut(text.text, "-")
	if address.From, err = netip.ParseAddr(lo); err != nil {
		return faultf(text.at, "%q is not an address: a hand-out range is two, joined by a hyphen", lo)
	}
	if address.To, err = netip.ParseAddr(hi); err != nil {
		return faultf(text.at+len(lo)+1, "%q is not an address: a hand-out range is two, joined by a hyphen", hi)
	}
	return nil
}

func addressKey(one office.Address) string {
	return strconv.Itoa(int(one.VID)) + " " + one.Prefix.String()
}
