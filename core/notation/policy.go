package notation

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// sides reads "zone guests,vlan 130,10.61.0.0/16": each part for itself.
func (r *reader) sides(cur *cursor) (all []office.Side, wrong *fault) {
	for {
		s, wrong := r.side(cur)
		if wrong != nil {
			return nil, wrong
		}
		if !slices.Contains(all, s) {
			all = append(all, s)
		}
		if !cur.accept(",") {
			return all, nil
		}
	}
}

func (r *reader) side(cur *cursor) (s office.Side, wrong *fault) {
	const what = "any, outside, zone NAME, a VLAN, an address or a prefix"
	t, wrong := cur.word(what)
	if wrong != nil {
		return s, wrong
	}
	switch {
	case t.is("to"):
		return s, faultf(t.at, "%s is missing here: found to", what)
	case t.is(string(office.SideAny)), t.is(string(office.SideOutside)):
		return office.Side{Kind: office.SideKind(t.text)}, nil
	case t.is(string(office.SideZone)):
		z, wrong := cur.text("the zone's name")
		return office.Side{Kind: office.SideZone, Zone: z.text}, wrong
	case t.is(string(office.SideVLAN)):
		t = cur.next()
		v, wrong := vlan(r.draft, wordText(t), t.at)
		return office.Side{Kind: office.SideVLAN, VID: v}, wrong
	case strings.ContainsAny(t.text, "./:"):
		p, err := prefix(t.text)
		if err != nil {
			return s, faultf(t.at, "%s", err)
		}
		return office.Side{Kind: office.SideNet, Net: p}, nil
	}
	v, wrong := vlan(r.draft, t.text, t.at)
	if wrong != nil && slices.ContainsFunc(r.draft.Office().Devices, func(d *office.Device) bool { return d.HasZone(t.text) }) {
		return s, faultf(t.at, "no VLAN is named %s, and a zone is: write zone %s", t.text, t.text)
	}
	return office.Side{Kind: office.SideVLAN, VID: v}, wrong
}

// prefix reads an address, or a prefix without host bits.
func prefix(text string) (netip.Prefix, error) {
	if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a, a.BitLen()), nil
	}
	p, err := netip.ParsePrefix(text)
	if err != nil {
		return p, fmt.Errorf("%q is neither an address nor a prefix, such as 10.61.110.7 or 10.61.110.0/24", text)
	}
	if p != p.Masked() {
		return p, fmt.Errorf("%s has host bits: the prefix is %s, the address %s", text, p.Masked(), p.Addr())
	}
	return p, nil
}

// services reads "tcp/104,ping" or "any".
func (r *reader) services(cur *cursor) (all []office.Service, wrong *fault) {
	for {
		t, wrong := cur.word("a service: any, ping, tcp/PORT, udp/PORT or a name")
		if wrong != nil {
			return nil, wrong
		}
		s, err := serviceOf(t.text)
		if err == nil {
			err = r.draft.CheckServices([]office.Service{s})
		}
		if err != nil {
			return nil, faultf(t.at, "%s", err)
		}
		if !slices.Contains(all, s) {
			all = append(all, s)
		}
		if cur.accept(",") {
			continue
		}
		if slices.ContainsFunc(all, func(s office.Service) bool { return s.Protocol == office.AnyProtocol }) {
			all = []office.Service{{Protocol: office.AnyProtocol}}
		}
		return all, nil
	}
}

// serviceOf reads one service; whether a name is one is not looked at.
func serviceOf(text string) (office.Service, error) {
	switch p := office.Protocol(text); p {
	case office.AnyProtocol, office.Ping:
		return office.Service{Protocol: p}, nil
	}
	proto, ports, ok := strings.Cut(text, "/")
	if !ok {
		if p := office.Protocol(text); p == office.TCP || p == office.UDP {
			return office.Service{}, fmt.Errorf("%s needs a port: %s/443, or %s/1-65535 for all", text, text, text)
		}
		if !plainName(text) {
			return office.Service{}, fmt.Errorf("%q is no service: any, ping, tcp/PORT, udp/PORT or a name", text)
		}
		return office.Service{Protocol: office.Named, Name: text}, nil
	}
	s := office.Service{Protocol: office.Protocol(proto)}
	if s.Protocol != office.TCP && s.Protocol != office.UDP {
		return s, fmt.Errorf("%s is not a protocol with ports: tcp or udp%s", proto, near(proto, "tcp", "udp"))
	}
	from, to, isRange := strings.Cut(ports, "-")
	if !isRange {
		to = from
	}
	a, errA := strconv.ParseUint(from, 10, 16)
	b, errB := strconv.ParseUint(to, 10, 16)
	if errA != nil || errB != nil || a == 0 || b == 0 {
		return s, fmt.Errorf("%q is no port: a number from 1 to 65535, or a range such as %s/8000-8010", ports, proto)
	}
	if b < a {
		return s, fmt.Errorf("the range %s runs backwards: write %s/%d-%d", ports, proto, b, a)
	}
	s.First, s.Last = uint16(a), uint16(b)
	return s, nil
}

func near(s string, names ...string) string {
	if n := office.Nearest(s, names); n != "" {
		return ": did you mean " + n + "?"
	}
	return ""
}

// between reads SIDE to SIDE [SERVICES], as rules and wishes have it. coming is a
// device that is not in the office yet.
func (r *reader) between(cur *cursor, coming *office.Device) (from, to []office.Side, services []office.Service, wrong *fault) {
	check := func(all []office.Side, at int) *fault {
		if err := r.draft.CheckSides(all, coming); err != nil {
			return faultf(at, "%s", err)
		}
		return nil
	}
	at := cur.peek().at
	if from, wrong = r.sides(cur); wrong == nil {
		wrong = check(from, at)
	}
	if wrong != nil {
		return nil, nil, nil, wrong
	}
	if !cur.accept("to") {
		return nil, nil, nil, faultf(cur.peek().at, "to and where it goes are missing here%s", found(cur.peek()))
	}
	at = cur.peek().at
	if to, wrong = r.sides(cur); wrong == nil {
		wrong = check(to, at)
	}
	if wrong != nil {
		return nil, nil, nil, wrong
	}
	services = []office.Service{{Protocol: office.AnyProtocol}}
	if cur.peek().kind == word {
		services, wrong = r.services(cur)
	}
	return from, to, services, wrong
}

// rule reads what follows allow or deny.
func (r *reader) rule(cur *cursor, do office.Action, coming *office.Device) (*office.Rule, *fault) {
	rule := &office.Rule{Do: do}
	var wrong *fault
	if rule.From, rule.To, rule.Services, wrong = r.between(cur, coming); wrong != nil {
		return nil, wrong
	}
	if t := cur.peek(); t.kind == quoted {
		cur.next()
		if wrong := r.checked(t, "the note", office.MostText, true); wrong != nil {
			return nil, wrong
		}
		rule.Note = t.text
	}
	return rule, cur.done("a rule but its services and a note in quotes")
}

func ruleKey(device string, rule *office.Rule) string { return device + "/rule:" + rule.String() }

// laterRule is a rule of a device in a file, which may name a zone that a later
// device has.
type laterRule struct {
	device string
	line   subline
}

// laterRules reads the rules of all devices once the devices are there.
func (r *reader) laterRules() {
	for _, l := range r.later {
		if r.enough() || !r.draft.HasDevice(l.device) {
			break
		}
		cur, after, ok := r.tokens(l.line.line, l.line.indent, l.line.text)
		if !ok {
			continue
		}
		t := cur.next()
		rule, wrong := r.rule(cur, office.Action(t.text), nil)
		if wrong == nil {
			wrong = r.spend(setOne, t.at)
		}
		if wrong == nil {
			if err := r.draft.PutRule(l.device, rule, -1); err != nil {
				wrong = faultf(t.at, "%s", err)
			}
		}
		if wrong != nil {
			r.wrong(l.line.line, l.line.indent, l.line.text, wrong)
			continue
		}
		r.keep(ruleKey(l.device, rule), l.line.above, after)
	}
}

// service reads NAME SERVICES.
func (r *reader) service(cur *cursor) (string, *fault) {
	t, wrong := plainWord(cur, "the name of the service")
	if wrong != nil {
		return "", wrong
	}
	s := &office.NamedService{Name: t.text}
	key := string(s.Key())
	if s.Is, wrong = r.services(cur); wrong == nil {
		wrong = cur.done("the services that the name stands for")
	}
	if wrong == nil && !r.again(key) {
		if err := r.draft.PutService(s); err != nil {
			wrong = faultf(t.at, "%s", err)
		}
	}
	return key, wrong
}

// wish reads what follows must or never.
func (r *reader) wish(cur *cursor, must bool) (*office.Wish, *fault) {
	w := &office.Wish{Must: must}
	var wrong *fault
	if w.From, w.To, w.Services, wrong = r.between(cur, nil); wrong != nil {
		return nil, wrong
	}
	return w, cur.done("a wish but its services")
}

func (r *reader) putWish(cur *cursor, must bool) (string, *fault) {
	at := cur.peek().at
	w, wrong := r.wish(cur, must)
	if wrong != nil {
		return "", wrong
	}
	key := string(w.Key())
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutWish(w); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// outside reads NAME on PORT [vlan N] [ADDRESS via HOP].
func (r *reader) outside(device *office.Device, cur *cursor) (string, *fault) {
	t, wrong := plainWord(cur, "the name of the line to the outside")
	if wrong != nil {
		return "", wrong
	}
	nameAt := t.at
	line := office.Outside{Name: t.text}
	if !cur.accept("on") {
		return line.Name, faultf(cur.peek().at, "on and the port of the line are missing here%s", found(cur.peek()))
	}
	t, wrong = cur.text("a port of the device")
	if wrong != nil {
		return line.Name, wrong
	}
	line.On = t.text
	for cur.more() {
		t := cur.next()
		switch {
		case t.is("vlan"):
			t = cur.next()
			if line.VID, wrong = vlan(r.draft, wordText(t), t.at); wrong != nil {
				return line.Name, wrong
			}
		case t.is("via"):
			t = cur.next()
			if line.Via, wrong = address(t); wrong != nil {
				return line.Name, wrong
			}
		case t.kind == word && strings.Contains(t.text, "/"):
			var err error
			if line.Prefix, err = office.CheckAddress(t.text); err != nil {
				return line.Name, faultf(t.at, "%s", err)
			}
		default:
			return line.Name, faultf(t.at, "%s does not belong here: after the port come vlan and its number, and a fixed address with via and the next hop", t.shown())
		}
	}
	if line.Via.IsValid() && line.Prefix.IsValid() && !line.Prefix.Contains(line.Via) {
		return line.Name, faultf(nameAt, "the next hop %s is not in %s: a line's next hop is in its own subnet", line.Via, line.Prefix.Masked())
	}
	if device.State == office.Stateless {
		return line.Name, faultf(nameAt, "%s is stateless and cannot have a line to the outside: answers from there would need rules for every port that asks", device.Name)
	}
	if err := device.AddOutside(line); err != nil {
		return line.Name, faultf(nameAt, "%s", err)
	}
	return line.Name, nil
}

func address(t token) (netip.Addr, *fault) {
	a, err := netip.ParseAddr(t.text)
	if err != nil || a.Zone() != "" || t.kind != word {
		return a, faultf(t.at, "%q is not an IP address, such as 10.61.190.2", t.text)
	}
	return a, nil
}

// route reads DESTINATION via HOP, where a hop is an address or a line.
func (r *reader) route(device *office.Device, cur *cursor) (x office.Route, wrong *fault) {
	t, wrong := cur.word("a destination: a prefix, or default")
	if wrong != nil {
		return x, wrong
	}
	if !t.is("default") {
		var err error
		if x.To, err = prefix(t.text); err != nil {
			return x, faultf(t.at, "%s", err)
		}
	}
	if !cur.accept("via") {
		return x, faultf(cur.peek().at, "via and the next hop are missing here%s", found(cur.peek()))
	}
	if t, wrong = cur.word("the next hop: an address, or the name of a line to the outside"); wrong != nil {
		return x, wrong
	}
	if a, err := netip.ParseAddr(t.text); err == nil && a.Zone() == "" {
		x.Via = a
		if !x.To.IsValid() {
			x.To = netip.PrefixFrom(a, 0).Masked()
		}
		if x.To.Addr().Is4() != a.Is4() {
			return x, faultf(t.at, "%s and %s are of different kinds: the next hop is IPv4 or IPv6 as the destination is", x.To, a)
		}
	} else if x.Line = t.text; device.Line(t.text) == nil {
		var names []string
		for _, l := range device.Outsides {
			names = append(names, l.Name)
		}
		return x, faultf(t.at, "%s is neither an address nor a line of %s to the outside%s", t.text, device.Name, near(t.text, names...))
	}
	return x, cur.done("the next hop")
}

// policy reads a statement of a device that is about routing and rules; ok is
// false where the word starts none.
func (r *reader) policy(device *office.Device, cur *cursor, t token) (which string, wrong *fault, ok bool) {
	switch t.text {
	case "outside":
		which, wrong = r.outside(device, cur)
	case "route":
		x, wrong := r.route(device, cur)
		if wrong == nil && slices.Contains(device.Routes, x) && r.onLine {
			wrong = faultf(t.at, "%s has the route %s already", device.Name, x)
		}
		if wrong == nil {
			device.Routes = append(device.Routes, x)
		}
		return x.String(), wrong, true
	case "between", "within":
		into := &device.Between
		if t.text == "within" {
			into = &device.Within
		}
		if !cur.accept("zones") {
			return "", faultf(cur.peek().at, "%s zones is followed by allow or deny%s", t.text, found(cur.peek())), true
		}
		w, wrong := cur.word(either(office.Actions))
		if wrong != nil {
			return "", wrong, true
		}
		if *into = office.Action(w.text); !slices.Contains(office.Actions, *into) {
			return "", faultf(w.at, "%s is not what becomes of a packet: %s", w.shown(), either(office.Actions)), true
		}
		return "", cur.done(t.text + " zones " + w.text), true
	case "stateless", "stateful":
		if device.State = office.State(t.text); device.State == office.Stateless && len(device.Outsides) > 0 {
			return "", faultf(t.at, "%s has a line to the outside and cannot be stateless: answers from there would need rules for every port that asks", device.Name), true
		}
		wrong = cur.done(t.text)
	case "routing":
		if !cur.accept("off") {
			return "", faultf(cur.peek().at, "routing off is what can be said%s", found(cur.peek())), true
		}
		device.NoRouting = true
		wrong = cur.done("routing off")
	default:
		return "", nil, false
	}
	return which, wrong, true
}

// ruleOnLine reads what is typed about the rules of a device that is there: a
// rule, which comes last; rule N and a rule, which comes before the N-th; rule N
// before M, rule N last.
func (r *reader) ruleOnLine(device *office.Device, cur *cursor, t token) *fault {
	at := -1
	if t.is("rule") {
		n, wrong := ruleNumber(device, cur)
		if wrong != nil {
			return wrong
		}
		t = cur.next()
		switch {
		case t.is("last"):
			return r.moveRule(device, n, len(device.Rules)-1, t.at, cur)
		case t.is("before"):
			to, wrong := ruleNumber(device, cur)
			if wrong != nil {
				return wrong
			}
			if to > n { // the place that it has once the rule is out of its own
				to--
			}
			return r.moveRule(device, n, to, t.at, cur)
		case t.is("allow"), t.is("deny"):
			at = n
		default:
			return faultf(t.at, "rule %d is followed by before and a number, by last, or by a rule that comes before it%s", n+1, found(t))
		}
	}
	if f := r.spend(1+len(device.Rules)/64, t.at); f != nil {
		return f
	}
	rule, wrong := r.rule(cur, office.Action(t.text), nil)
	if wrong != nil {
		return wrong
	}
	if err := r.draft.PutRule(device.Name, rule, at); err != nil {
		return faultf(t.at, "%s", err)
	}
	return nil
}

func (r *reader) moveRule(device *office.Device, from, to, at int, cur *cursor) *fault {
	if f := r.spend(1+len(device.Rules)/64, at); f != nil {
		return f
	}
	if wrong := cur.done("where the rule goes"); wrong != nil {
		return wrong
	}
	if err := r.draft.MoveRule(device.Name, from, to); err != nil {
		return faultf(at, "%s", err)
	}
	return nil
}

// ruleNumber reads the number of a rule of a device, and gives its place.
func ruleNumber(device *office.Device, cur *cursor) (int, *fault) {
	t, wrong := cur.word("the number of a rule")
	if wrong != nil {
		return 0, wrong
	}
	n, err := strconv.Atoi(t.text)
	most := len(device.Rules)
	if next := cur.peek(); next.is("allow") || next.is("deny") { // behind the last
		most++
	}
	if err != nil || n < 1 || n > most {
		if len(device.Rules) == 0 {
			return 0, faultf(t.at, "%s has no rules", device.Name)
		}
		return 0, faultf(t.at, "%s is not the number of a rule of %s: 1 to %d", t.shown(), device.Name, len(device.Rules))
	}
	return n - 1, nil
}

// removeRule reads what follows -DEVICE rule, allow or deny.
func (r *reader) removeRule(device *office.Device, cur *cursor, t token) *fault {
	if t.is("rule") {
		n, wrong := ruleNumber(device, cur)
		if wrong == nil {
			wrong = cur.done("the number of the rule that goes")
		}
		if wrong != nil {
			return wrong
		}
		if err := r.draft.RemoveRule(device.Name, n); err != nil {
			return faultf(t.at, "%s", err)
		}
		return nil
	}
	rule, wrong := r.rule(cur, office.Action(t.text), nil)
	if wrong != nil {
		return wrong
	}
	for i := range device.Rules {
		was := device.Rules[i]
		if rule.Note == "" { // said without its note it is the same rule
			was.Note = ""
		}
		if was.Equal(rule) {
			if err := r.draft.RemoveRule(device.Name, i); err != nil {
				return faultf(t.at, "%s", err)
			}
			return nil
		}
	}
	return faultf(t.at, "%s has no rule %s: remove it by its number, as in -%s rule 1", device.Name, rule, device.Name)
}

// removePolicy takes a statement about routing out of a device; ok is false
// where the word starts none.
func (r *reader) removePolicy(device *office.Device, cur *cursor, t token) (wrong *fault, ok bool) {
	switch t.text {
	case "outside":
		n, wrong := cur.word("the name of a line to the outside")
		if wrong != nil {
			return wrong, true
		}
		i := slices.IndexFunc(device.Outsides, func(l office.Outside) bool { return l.Name == n.text })
		if i < 0 {
			return faultf(n.at, "%s has no line %s to the outside", device.Name, n.text), true
		}
		device.Outsides = slices.Delete(device.Outsides, i, i+1)
	case "route":
		to := cur.peek()
		i := -1
		if slices.ContainsFunc(cur.toks, func(t token) bool { return t.is("via") }) {
			x, wrong := r.route(device, cur)
			if wrong != nil {
				return wrong, true
			}
			i = slices.Index(device.Routes, x)
		} else {
			cur.next()
			i = slices.IndexFunc(device.Routes, func(x office.Route) bool { return strings.HasPrefix(x.String(), to.text+" via ") })
		}
		if i < 0 {
			return faultf(to.at, "%s has no such route", device.Name), true
		}
		device.Routes = slices.Delete(device.Routes, i, i+1)
	case "between", "within":
		cur.accept("zones")
		if t.text == "between" {
			device.Between = ""
		} else {
			device.Within = ""
		}
	case "stateless", "stateful":
		device.State = ""
	case "routing":
		cur.accept("off")
		device.NoRouting = false
	default:
		return nil, false
	}
	return nil, true
}

// OutsideText is a line to the outside as in notation.
func OutsideText(l office.Outside) string {
	text := "outside " + l.Name + " on " + name(l.On)
	if l.VID != 0 {
		text += fmt.Sprintf(" vlan %d", l.VID)
	}
	if l.Prefix.IsValid() {
		text += " " + l.Prefix.String()
	}
	if l.Via.IsValid() {
		text += " via " + l.Via.String()
	}
	return text
}

// policy writes what a device has for routing.
func (p *printer) policy(device *office.Device) {
	in := func(key, text string) { p.line(device.Name+"/"+key, "  ", text) }
	for _, l := range device.Outsides {
		in("outside:"+l.Name, OutsideText(l))
	}
	for _, x := range device.Routes {
		in("route:"+x.String(), "route "+x.String())
	}
	if device.NoRouting {
		in("routing", "routing off")
	}
	if device.State != "" {
		in(string(device.State), string(device.State))
	}
	if device.Between != "" {
		in("between", "between zones "+string(device.Between))
	}
	if device.Within != "" {
		in("within", "within zones "+string(device.Within))
	}
	for i := range device.Rules {
		in("rule:"+device.Rules[i].String(), device.Rules[i].String())
	}
}

// ServiceText writes what a name stands for as a statement.
func serviceText(s *office.NamedService) string {
	return "service " + s.Name + " " + office.Services(s.Is)
}

// ReadServices reads services as a rule has them: "any" where text is empty. The
// error says what would be right.
func ReadServices(o *office.Office, text string) ([]office.Service, error) {
	if strings.TrimSpace(text) == "" {
		return []office.Service{{Protocol: office.AnyProtocol}}, nil
	}
	r := &reader{name: "services", draft: office.NewDraft(o)}
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return nil, fmt.Errorf("%s", why)
	}
	cur := &cursor{toks: toks, end: len(text)}
	list, wrong := r.services(cur)
	if wrong == nil {
		wrong = cur.done("the services: separate them by commas")
	}
	if wrong != nil {
		return nil, fmt.Errorf("%s", wrong.text)
	}
	return list, nil
}

// ReadWish reads a wish: must or never, and what follows. The error is a
// [*Mistakes].
func ReadWish(o *office.Office, text string) (*office.Wish, error) {
	r := &reader{name: "line", draft: office.NewDraft(o)}
	fail := func(f *fault) (*office.Wish, error) {
		r.wrong(1, 0, text, f)
		return nil, &Mistakes{"line", r.mistakes}
	}
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return fail(&fault{at: bad, text: why})
	}
	cur := &cursor{toks: toks, end: len(text)}
	t := cur.next()
	w, wrong := r.wish(cur, t.is("must"))
	if wrong != nil {
		return fail(wrong)
	}
	return w, nil
}
