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
		side, wrong := r.side(cur)
		if wrong != nil {
			return nil, wrong
		}
		if !slices.Contains(all, side) {
			all = append(all, side)
		}
		if !cur.accept(",") {
			return all, nil
		}
	}
}

// side reads one side of a rule or wish. A word with a dot, colon or slash in it is an address or a
// prefix, every other a VLAN by number or name.
//
//	any   outside   zone staff   110   imaging   10.61.130.9   10.61.0.0/16
func (r *reader) side(cur *cursor) (side office.Side, wrong *fault) {
	const what = "any, outside, zone NAME, a VLAN, an address or a prefix"
	tok, wrong := cur.word(what)
	if wrong != nil {
		return side, wrong
	}
	switch {
	case tok.is("to"):
		return side, faultf(tok.at, "%s is missing here: found to", what)
	case tok.is(string(office.SideAny)), tok.is(string(office.SideOutside)):
		return office.Side{Kind: office.SideKind(tok.text)}, nil
	case tok.is(string(office.SideZone)):
		z, wrong := cur.text("the zone's name")
		return office.Side{Kind: office.SideZone, Zone: z.text}, wrong
	case tok.is(string(office.SideVLAN)):
		tok = cur.next()
		vid, wrong := vlan(r.draft, wordText(tok), tok.at)
		return office.Side{Kind: office.SideVLAN, VID: vid}, wrong
	case strings.ContainsAny(tok.text, "./:"):
		one, err := prefix(tok.text)
		if err != nil {
			return side, faultf(tok.at, "%s", err)
		}
		return office.Side{Kind: office.SideNet, Net: one}, nil
	}
	other, wrong := vlan(r.draft, tok.text, tok.at)
	if wrong != nil && slices.ContainsFunc(r.draft.Office().Devices, func(device *office.Device) bool { return device.HasZone(tok.text) }) {
		return side, faultf(tok.at, "no VLAN is named %s, and a zone is: write zone %s", tok.text, tok.text)
	}
	return office.Side{Kind: office.SideVLAN, VID: other}, wrong
}

// prefix reads an address, or a prefix without host bits.
func prefix(text string) (netip.Prefix, error) {
	if addr, err := netip.ParseAddr(text); err == nil && addr.Zone() == "" {
		return netip.PrefixFrom(addr, addr.BitLen()), nil
	}
	one, err := netip.ParsePrefix(text)
	if err != nil {
		return one, fmt.Errorf("%q is neither an address nor a prefix, such as 10.61.110.7 or 10.61.110.0/24", text)
	}
	if one != one.Masked() {
		return one, fmt.Errorf("%s has host bits: the prefix is %s, the address %s", text, one.Masked(), one.Addr())
	}
	return one, nil
}

// services reads "tcp/104,ping" or "any".
//
//	> gate allow zone guests to 10.61.110.20 tcp/631,udp/161,ping
//	gate rule 3 allow zone guests to 10.61.110.20 tcp/631,udp/161,ping
//	> gate allow zone guests to 10.61.110.20 http
//	! column 40: no service is named http: name it with service http tcp/PORT
func (r *reader) services(cur *cursor) (all []office.Service, wrong *fault) {
	for {
		tok, wrong := cur.word("a service: any, ping, tcp/PORT, udp/PORT or a name")
		if wrong != nil {
			return nil, wrong
		}
		service, err := serviceOf(tok.text)
		if err == nil {
			err = r.draft.CheckServices([]office.Service{service})
		}
		if err != nil {
			return nil, faultf(tok.at, "%s", err)
		}
		if !slices.Contains(all, service) {
			all = append(all, service)
		}
		if cur.accept(",") {
			continue
		}
		if slices.ContainsFunc(all, func(other office.Service) bool { return other.Protocol == office.AnyProtocol }) {
			all = []office.Service{{Protocol: office.AnyProtocol}}
		}
		return all, nil
	}
}

// serviceOf reads one service; whether a name is one is not looked at.
func serviceOf(text string) (office.Service, error) {
	switch protocol := office.Protocol(text); protocol {
	case office.AnyProtocol, office.Ping:
		return office.Service{Protocol: protocol}, nil
	}
	proto, ports, ok := strings.Cut(text, "/")
	if !ok {
		if protocol := office.Protocol(text); protocol == office.TCP || protocol == office.UDP {
			return office.Service{}, fmt.Errorf("%s needs a port: %s/443, or %s/1-65535 for all", text, text, text)
		}
		if !plainName(text) {
			return office.Service{}, fmt.Errorf("%q is no service: any, ping, tcp/PORT, udp/PORT or a name", text)
		}
		return office.Service{Protocol: office.Named, Name: text}, nil
	}
	service := office.Service{Protocol: office.Protocol(proto)}
	if service.Protocol != office.TCP && service.Protocol != office.UDP {
		return service, fmt.Errorf("%s is not a protocol with ports: tcp or udp%s", proto, near(proto, "tcp", "udp"))
	}
	from, to, isRange := strings.Cut(ports, "-")
	if !isRange {
		to = from
	}
	a, errA := strconv.ParseUint(from, 10, 16)
	b, errB := strconv.ParseUint(to, 10, 16)
	if errA != nil || errB != nil || a == 0 || b == 0 {
		return service, fmt.Errorf("%q is no port: a number from 1 to 65535, or a range such as %s/8000-8010", ports, proto)
	}
	if b < a {
		return service, fmt.Errorf("the range %s runs backwards: write %s/%d-%d", ports, proto, b, a)
	}
	service.First, service.Last = uint16(a), uint16(b)
	return service, nil
}

// near is the end of a mistake that guesses what was meant, or nothing where nothing is near.
func near(text string, names ...string) string {
	if n := office.Nearest(text, names); n != "" {
		return ": did you mean " + n + "?"
	}
	return ""
}

// between reads SIDE to SIDE [SERVICES], as rules and wishes have it. coming is a
// device that is not in the office yet.
//
//	> gate between zones allow
//	gate between zones allow
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
//
//	> gate allow zone guests to 10.61.110.20 tcp/631 "the printer in the hall"
//	gate rule 3 allow zone guests to 10.61.110.20 tcp/631 "the printer in the hall"
//	> gate allow guests to nobody
//	! column 22: no VLAN is named nobody: register it with vlan NUMBER nobody
func (r *reader) rule(cur *cursor, do office.Action, coming *office.Device) (*office.Rule, *fault) {
	rule := &office.Rule{Do: do}
	var wrong *fault
	if rule.From, rule.To, rule.Services, wrong = r.between(cur, coming); wrong != nil {
		return nil, wrong
	}
	if tok := cur.peek(); tok.kind == quoted {
		cur.next()
		if wrong := r.checked(tok, "the note", office.MostText, true); wrong != nil {
			return nil, wrong
		}
		rule.Note = tok.text
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
	for _, one := range r.later {
		if r.enough() || !r.draft.HasDevice(one.device) {
			break
		}
		cur, after, ok := r.tokens(one.line.line, one.line.indent, one.line.text)
		if !ok {
			continue
		}
		tok := cur.next()
		rule, wrong := r.rule(cur, office.Action(tok.text), nil)
		if wrong == nil {
			wrong = r.spend(setOne, tok.at)
		}
		if wrong == nil {
			if err := r.draft.PutRule(one.device, rule, -1); err != nil {
				wrong = faultf(tok.at, "%s", err)
			}
		}
		if wrong != nil {
			r.wrong(one.line.line, one.line.indent, one.line.text, wrong)
			continue
		}
		r.keep(ruleKey(one.device, rule), one.line.above, after)
	}
}

// service reads NAME SERVICES.
//
//	> service backup tcp/22,tcp/873
//	service backup tcp/22,tcp/873
//	> service printing tcp/70000
//	! column 18: "70000" is no port: a number from 1 to 65535, or a range such as tcp/8000-8010
func (r *reader) service(cur *cursor) (string, *fault) {
	tok, wrong := plainWord(cur, "the name of the service")
	if wrong != nil {
		return "", wrong
	}
	named := &office.NamedService{Name: tok.text}
	key := string(named.Key())
	if named.Is, wrong = r.services(cur); wrong == nil {
		wrong = cur.done("the services that the name stands for")
	}
	if wrong == nil && !r.again(key) {
		if err := r.draft.PutService(named); err != nil {
			wrong = faultf(tok.at, "%s", err)
		}
	}
	return key, wrong
}

// wish reads what follows must or never.
//
//	> never guests to reception
//	never vlan 160 to vlan 110
//	> must reception to outside tcp/443
//	must vlan 110 to outside tcp/443
func (r *reader) wish(cur *cursor, must bool) (*office.Wish, *fault) {
	wish := &office.Wish{Must: must}
	var wrong *fault
	if wish.From, wish.To, wish.Services, wrong = r.between(cur, nil); wrong != nil {
		return nil, wrong
	}
	return wish, cur.done("a wish but its services")
}

// putWish reads what must or must never talk. What a file wishes twice is kept once.
//
//	must 110 to 10.61.130.9 tcp/443
//	never guests to zone staff
func (r *reader) putWish(cur *cursor, must bool) (string, *fault) {
	at := cur.peek().at
	wish, wrong := r.wish(cur, must)
	if wrong != nil {
		return "", wrong
	}
	key := string(wish.Key())
	if r.again(key) {
		return key, nil
	}
	if err := r.draft.PutWish(wish); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

// outside reads NAME on PORT [vlan N] [ADDRESS via HOP].
//
//	> gate outside radio on lan2 192.0.2.2/30 via 192.0.2.1
//	gate outside radio on lan2 192.0.2.2/30 via 192.0.2.1
//	> gate outside radio on core
//	! column 14: gate has no port core: its front has wan to lan2
func (r *reader) outside(device *office.Device, cur *cursor) (string, *fault) {
	tok, wrong := plainWord(cur, "the name of the line to the outside")
	if wrong != nil {
		return "", wrong
	}
	nameAt := tok.at
	line := office.Outside{Name: tok.text}
	if !cur.accept("on") {
		return line.Name, faultf(cur.peek().at, "on and the port of the line are missing here%s", found(cur.peek()))
	}
	tok, wrong = cur.text("a port of the device")
	if wrong != nil {
		return line.Name, wrong
	}
	line.On = tok.text
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

// address reads an IP address without a zone, as an office's addresses are not those of one link.
func address(tok token) (netip.Addr, *fault) {
	addr, err := netip.ParseAddr(tok.text)
	if err != nil || addr.Zone() != "" || tok.kind != word {
		return addr, faultf(tok.at, "%q is not an IP address, such as 10.61.190.2", tok.text)
	}
	return addr, nil
}

// route reads DESTINATION via HOP, where a hop is an address or a line.
//
//	> gate route 10.99.0.0/16 via 10.61.190.7
//	gate route 10.99.0.0/16 via 10.61.190.7
//	> gate route 10.99.0.7/16 via 10.61.190.7
//	! column 12: 10.99.0.7/16 has host bits: the prefix is 10.99.0.0/16, the address 10.99.0.7
func (r *reader) route(device *office.Device, cur *cursor) (route office.Route, wrong *fault) {
	tok, wrong := cur.word("a destination: a prefix, or default")
	if wrong != nil {
		return route, wrong
	}
	if !tok.is("default") {
		var err error
		if route.To, err = prefix(tok.text); err != nil {
			return route, faultf(tok.at, "%s", err)
		}
	}
	if !cur.accept("via") {
		return route, faultf(cur.peek().at, "via and the next hop are missing here%s", found(cur.peek()))
	}
	if tok, wrong = cur.word("the next hop: an address, or the name of a line to the outside"); wrong != nil {
		return route, wrong
	}
	if addr, err := netip.ParseAddr(tok.text); err == nil && addr.Zone() == "" {
		route.Via = addr
		if !route.To.IsValid() {
			route.To = netip.PrefixFrom(addr, 0).Masked()
		}
		if route.To.Addr().Is4() != addr.Is4() {
			return route, faultf(tok.at, "%s and %s are of different kinds: the next hop is IPv4 or IPv6 as the destination is", route.To, addr)
		}
	} else if route.Line = tok.text; device.Line(tok.text) == nil {
		var names []string
		for _, line := range device.Outsides {
			names = append(names, line.Name)
		}
		return route, faultf(tok.at, "%s is neither an address nor a line of %s to the outside%s", tok.text, device.Name, near(tok.text, names...))
	}
	return route, cur.done("the next hop")
}

// policy reads a statement of a device that is about routing and rules; ok is
// false where the word starts none.
func (r *reader) policy(device *office.Device, cur *cursor, tok token) (which string, wrong *fault, ok bool) {
	switch tok.text {
	case "outside":
		which, wrong = r.outside(device, cur)
	case "route":
		route, wrong := r.route(device, cur)
		if wrong == nil && slices.Contains(device.Routes, route) && r.onLine {
			wrong = faultf(tok.at, "%s has the route %s already", device.Name, route)
		}
		if wrong == nil {
			device.Routes = append(device.Routes, route)
		}
		return route.String(), wrong, true
	case "between", "within":
		into := &device.Between
		if tok.text == "within" {
			into = &device.Within
		}
		if !cur.accept("zones") {
			return "", faultf(cur.peek().at, "%s zones is followed by allow or deny%s", tok.text, found(cur.peek())), true
		}
		w, wrong := cur.word(either(office.Actions))
		if wrong != nil {
			return "", wrong, true
		}
		if *into = office.Action(w.text); !slices.Contains(office.Actions, *into) {
			return "", faultf(w.at, "%s is not what becomes of a packet: %s", w.shown(), either(office.Actions)), true
		}
		return "", cur.done(tok.text + " zones " + w.text), true
	case "stateless", "stateful":
		if device.State = office.State(tok.text); device.State == office.Stateless && len(device.Outsides) > 0 {
			return "", faultf(tok.at, "%s has a line to the outside and cannot be stateless: answers from there would need rules for every port that asks", device.Name), true
		}
		wrong = cur.done(tok.text)
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
func (r *reader) ruleOnLine(device *office.Device, cur *cursor, tok token) *fault {
	at := -1
	if tok.is("rule") {
		n, wrong := ruleNumber(device, cur)
		if wrong != nil {
			return wrong
		}
		tok = cur.next()
		switch {
		case tok.is("last"):
			return r.moveRule(device, n, len(device.Rules)-1, tok.at, cur)
		case tok.is("before"):
			to, wrong := ruleNumber(device, cur)
			if wrong != nil {
				return wrong
			}
			if to > n { // the place that it has once the rule is out of its own
				to--
			}
			return r.moveRule(device, n, to, tok.at, cur)
		case tok.is("allow"), tok.is("deny"):
			at = n
		default:
			return faultf(tok.at, "rule %d is followed by before and a number, by last, or by a rule that comes before it%s", n+1, found(tok))
		}
	}
	if f := r.spend(1+len(device.Rules)/64, tok.at); f != nil {
		return f
	}
	rule, wrong := r.rule(cur, office.Action(tok.text), nil)
	if wrong != nil {
		return wrong
	}
	if err := r.draft.PutRule(device.Name, rule, at); err != nil {
		return faultf(tok.at, "%s", err)
	}
	return nil
}

// moveRule has a rule change its place among its device's; from and to are counted from 0, the
// others close up. It is charged for the length of the list, which is looked through.
//
//	> gate rule 2 before 1
//	-gate rule 2
//	gate rule 1 allow zone devices to any
func (r *reader) moveRule(device *office.Device, from, to, at int, cur *cursor) *fault {
	if wrong := r.spend(1+len(device.Rules)/64, at); wrong != nil {
		return wrong
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
	tok, wrong := cur.word("the number of a rule")
	if wrong != nil {
		return 0, wrong
	}
	n, err := strconv.Atoi(tok.text)
	most := len(device.Rules)
	if next := cur.peek(); next.is("allow") || next.is("deny") { // behind the last
		most++
	}
	if err != nil || n < 1 || n > most {
		if len(device.Rules) == 0 {
			return 0, faultf(tok.at, "%s has no rules", device.Name)
		}
		return 0, faultf(tok.at, "%s is not the number of a rule of %s: 1 to %d", tok.shown(), device.Name, len(device.Rules))
	}
	return n - 1, nil
}

// removeRule reads what follows -DEVICE rule, allow or deny.
//
//	> -gate rule 1
//	-gate rule 1
//	> -gate rule 7
//	! column 12: 7 is not the number of a rule of gate: 1 to 2
func (r *reader) removeRule(device *office.Device, cur *cursor, tok token) *fault {
	if tok.is("rule") {
		n, wrong := ruleNumber(device, cur)
		if wrong == nil {
			wrong = cur.done("the number of the rule that goes")
		}
		if wrong != nil {
			return wrong
		}
		if err := r.draft.RemoveRule(device.Name, n); err != nil {
			return faultf(tok.at, "%s", err)
		}
		return nil
	}
	rule, wrong := r.rule(cur, office.Action(tok.text), nil)
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
				return faultf(tok.at, "%s", err)
			}
			return nil
		}
	}
	return faultf(tok.at, "%s has no rule %s: remove it by its number, as in -%s rule 1", device.Name, rule, device.Name)
}

// removePolicy takes a statement about routing out of a device; ok is false
// where the word starts none.
func (r *reader) removePolicy(device *office.Device, cur *cursor, tok token) (wrong *fault, ok bool) {
	switch tok.text {
	case "outside":
		n, wrong := cur.word("the name of a line to the outside")
		if wrong != nil {
			return wrong, true
		}
		i := slices.IndexFunc(device.Outsides, func(line office.Outside) bool { return line.Name == n.text })
		if i < 0 {
			return faultf(n.at, "%s has no line %s to the outside", device.Name, n.text), true
		}
		device.Outsides = slices.Delete(device.Outsides, i, i+1)
	case "route":
		to := cur.peek()
		i := -1
		if slices.ContainsFunc(cur.toks, func(t token) bool { return t.is("via") }) {
			route, wrong := r.route(device, cur)
			if wrong != nil {
				return wrong, true
			}
			i = slices.Index(device.Routes, route)
		} else {
			cur.next()
			i = slices.IndexFunc(device.Routes, func(route office.Route) bool { return strings.HasPrefix(route.String(), to.text+" via ") })
		}
		if i < 0 {
			return faultf(to.at, "%s has no such route", device.Name), true
		}
		device.Routes = slices.Delete(device.Routes, i, i+1)
	case "between", "within":
		cur.accept("zones")
		if tok.text == "between" {
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
func OutsideText(line office.Outside) string {
	text := "outside " + line.Name + " on " + name(line.On)
	if line.VID != 0 {
		text += fmt.Sprintf(" vlan %d", line.VID)
	}
	if line.Prefix.IsValid() {
		text += " " + line.Prefix.String()
	}
	if line.Via.IsValid() {
		text += " via " + line.Via.String()
	}
	return text
}

// policy writes what a device has for routing.
func (p *printer) policy(device *office.Device) {
	in := func(key, text string) { p.line(device.Name+"/"+key, "  ", text) }
	for _, line := range device.Outsides {
		in("outside:"+line.Name, OutsideText(line))
	}
	for _, route := range device.Routes {
		in("route:"+route.String(), "route "+route.String())
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
func serviceText(named *office.NamedService) string {
	return "service " + named.Name + " " + office.Services(named.Is)
}

// ReadServices reads services as a rule has them: "any" where text is empty. The
// error says what would be right.
func ReadServices(o *office.Office, text string) ([]office.Service, error) {
	if strings.TrimSpace(text) == "" {
		return []office.Service{{Protocol: office.AnyProtocol}}, nil
	}
	one := &reader{name: "services", draft: office.NewDraft(o)}
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return nil, fmt.Errorf("%s", why)
	}
	cur := &cursor{toks: toks, end: len(text)}
	list, wrong := one.services(cur)
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
	one := &reader{name: "line", draft: office.NewDraft(o)}
	fail := func(f *fault) (*office.Wish, error) {
		one.wrong(1, 0, text, f)
		return nil, &Mistakes{"line", one.mistakes}
	}
	toks, _, bad, why := scan(text, nil)
	if bad >= 0 {
		return fail(&fault{at: bad, text: why})
	}
	cur := &cursor{toks: toks, end: len(text)}
	tok := cur.next()
	wish, wrong := one.wish(cur, tok.is("must"))
	if wrong != nil {
		return fail(wrong)
	}
	return wish, nil
}
