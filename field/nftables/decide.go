package nftables

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
	"klammer/core/talk"
)

// Flow is packets of one kind: by which interfaces, between which addresses. Their services
// are what is asked for.
type Flow struct {
	In, Out  string // Out is "" for what is for the host itself
	Src, Dst netip.Addr
	Answers  bool // they belong to a connection that was let pass
}

// Decide says which services of a flow pass a hook: those that every chain there lets pass. A
// rule of which it is not known whether it is for them counts as not there, and is one of
// [Ruleset.Vague] then.
func (rs *Ruleset) Decide(hook Hook, flow Flow) *talk.Services {
	open := talk.All
	for _, chain := range rs.Chains {
		if chain.Hook != hook || chain.Family == IPv4 && !flow.Src.Is4() || chain.Family == IPv6 && flow.Src.Is4() {
			continue
		}
		one := walk{rs: rs, f: &flow, hook: hook, open: talk.None}
		rest := one.chain(chain, open, 0)
		if chain.Accepts {
			one.open = one.open.Or(rest)
		}
		open = one.open
	}
	return open
}

// Vague is the rules that were asked and not understood.
func (rs *Ruleset) Vague() []*Rule { return rs.vague }

func (w *walk) vague(rule *Rule) {
	if !slices.Contains(w.rs.vague, rule) {
		w.rs.vague = append(w.rs.vague, rule)
	}
}

// mostDeep is how deep chains may jump (the kernel's own bound).
const mostDeep = 16

// frame is a chain that is gone through: what returned from it, and how deep it was jumped to.
type frame struct {
	back *talk.Services
	deep int
}

type walk struct {
	rs   *Ruleset
	f    *Flow
	hook Hook
	open *talk.Services
}

// chain takes services through a chain, and gives what it leaves undecided.
func (w *walk) chain(chain *Chain, todo *talk.Services, deep int) (rest *talk.Services) {
	one := &frame{talk.None, deep}
	for _, rule := range chain.Rules {
		if todo == talk.None {
			break
		}
		if w.rs.asked++; w.rs.asked > mostAsked {
			w.vague(rule)
			return todo.Or(one.back)
		}
		todo = w.rule(rule, todo, one)
	}
	return todo.Or(one.back)
}

// rule takes services through a rule, and gives what goes on to the next.
func (w *walk) rule(rule *Rule, todo *talk.Services, frame *frame) *talk.Services {
	sure, may := todo, todo // what it is for, and what it may be for
	for _, expression := range rule.expr {
		switch expression.word {
		case "match":
			is, known := w.match(rule, expression.body)
			may = may.And(is)
			if sure = sure.And(is); !known {
				sure = talk.None
			}
		case "vmap":
			if !may.Equal(sure) {
				w.vague(rule)
			}
			return w.vmap(rule, expression.body, todo, sure, frame)
		case "accept", "drop", "reject", "jump", "goto", "return":
			if !may.Equal(sure) {
				w.vague(rule)
			}
			return w.verdict(rule, expression, todo, sure, frame)
		case "counter", "log", "comment", "mangle", "notrack", "flow", "set":
		case "limit", "quota", "connlimit", "ct count":
			sure = talk.None // it lets some pass and others not
		case "xt", "queue", "dup", "fwd", "tproxy", "synproxy":
			if may != talk.None {
				w.vague(rule)
			}
			return todo
		}
		if may == talk.None {
			return todo
		}
	}
	return todo
}

// verdict does what a rule says with what it is for.
func (w *walk) verdict(rule *Rule, expression expression, todo, sure *talk.Services, frame *frame) *talk.Services {
	if sure == talk.None {
		return todo
	}
	left := todo.Minus(sure)
	switch expression.word {
	case "accept":
		w.open = w.open.Or(sure)
	case "return":
		frame.back = frame.back.Or(sure)
	case "jump", "goto":
		var to struct{ Target string }
		chain := (*Chain)(nil)
		if json.Unmarshal(expression.body, &to) == nil {
			chain = rule.Chain.within.chains[to.Target]
		}
		if chain == nil || frame.deep >= mostDeep {
			w.vague(rule)
			return todo
		}
		rest := w.chain(chain, sure, frame.deep+1)
		if expression.word == "jump" {
			return left.Or(rest)
		}
		frame.back = frame.back.Or(rest) // it does not come back here
	}
	return left
}

// vmap does what a map of verdicts says: of each key, the one that it has.
func (w *walk) vmap(rule *Rule, body json.RawMessage, todo, sure *talk.Services, frame *frame) *talk.Services {
	var m struct {
		Key  json.RawMessage
		Data json.RawMessage
	}
	if json.Unmarshal(body, &m) != nil {
		w.vague(rule)
		return todo
	}
	elems, ok := w.elements(rule, m.Data)
	if !ok {
		w.vague(rule)
		return todo
	}
	left := todo
	for _, message := range elems {
		var pair []json.RawMessage
		var do expression
		if json.Unmarshal(message, &pair) != nil || len(pair) != 2 || json.Unmarshal(pair[1], &do) != nil {
			w.vague(rule)
			return todo
		}
		is, known := w.is(rule, m.Key, pair[0])
		if !known {
			w.vague(rule)
			continue
		}
		part := sure.And(is).And(left)
		if part == talk.None {
			continue
		}
		rest := w.verdict(rule, do, part, part, frame)
		left = left.Minus(part).Or(rest)
		sure = sure.Minus(part)
	}
	return left
}

// match is what a match is for; known says whether that is known.
func (w *walk) match(rule *Rule, body json.RawMessage) (is *talk.Services, known bool) {
	var m struct {
		Op          string
		Left, Right json.RawMessage
	}
	if json.Unmarshal(body, &m) != nil {
		return talk.All, false
	}
	switch m.Op {
	case "==", "in", "":
		return w.is(rule, m.Left, m.Right)
	case "!=":
		not, known := w.is(rule, m.Left, m.Right)
		if !known {
			return talk.All, false
		}
		has := w.carries(m.Left) // what has no such field is not compared
		return has.Minus(not), true
	case "<", ">", "<=", ">=":
		n, err := strconv.Atoi(strings.Trim(string(m.Right), `"`))
		if err != nil || n < 0 || n > 65535 {
			return talk.All, false
		}
		span := map[string][2]int{"<": {1, n - 1}, "<=": {1, n}, ">": {n + 1, 65535}, ">=": {n, 65535}}[m.Op]
		if span[0] > span[1] {
			return talk.None, true
		}
		return w.field(m.Left, value{from: fmt.Sprint(max(span[0], 1)), to: fmt.Sprint(span[1])})
	}
	return talk.All, false
}

// value is one of those that a field is compared with: a word, a run of them, or a prefix.
type value struct {
	from, to string
	net      netip.Prefix
}

// is says for which services a field is one of some values.
func (w *walk) is(rule *Rule, left, right json.RawMessage) (*talk.Services, bool) {
	var concat struct{ Concat []json.RawMessage }
	fields := []json.RawMessage{left}
	if json.Unmarshal(left, &concat) == nil && concat.Concat != nil {
		fields = concat.Concat
	}
	elems, ok := w.elements(rule, right)
	if !ok {
		return talk.All, false
	}
	sum := talk.None
	for _, message := range elems {
		parts := []json.RawMessage{message}
		if len(fields) > 1 {
			var c struct{ Concat []json.RawMessage }
			if json.Unmarshal(message, &c) != nil || len(c.Concat) != len(fields) {
				return talk.All, false
			}
			parts = c.Concat
		}
		part := talk.All
		for k, other := range fields {
			value, ok := valueOf(parts[k])
			if !ok {
				return talk.All, false
			}
			one, known := w.field(other, value)
			if !known {
				return talk.All, false
			}
			part = part.And(one)
		}
		sum = sum.Or(part)
	}
	return sum, true
}

// elements is the values on the right of a match: a set, one of the table, a list, or one.
func (w *walk) elements(rule *Rule, text json.RawMessage) ([]json.RawMessage, bool) {
	var name string
	if json.Unmarshal(text, &name) == nil {
		if set, ok := strings.CutPrefix(name, "@"); ok {
			list, there := rule.Chain.within.sets[set]
			return list, there
		}
		return []json.RawMessage{text}, true
	}
	var list []json.RawMessage
	if json.Unmarshal(text, &list) == nil {
		return list, true
	}
	var set struct{ Set json.RawMessage }
	if json.Unmarshal(text, &set) == nil && set.Set != nil {
		if json.Unmarshal(set.Set, &list) == nil {
			return list, true
		}
		return []json.RawMessage{set.Set}, true
	}
	return []json.RawMessage{text}, true
}

// valueOf reads the right side of a match: a word or number, a prefix, a range, or one of these as
// an element of a set. false where it is something else, which is then not judged.
func valueOf(text json.RawMessage) (value, bool) {
	var e struct {
		Elem *struct{ Val json.RawMessage }
	}
	if json.Unmarshal(text, &e) == nil && e.Elem != nil {
		return valueOf(e.Elem.Val)
	}
	one := func(message json.RawMessage) (string, bool) {
		var s string
		if json.Unmarshal(message, &s) == nil {
			return s, true
		}
		var n int64
		if json.Unmarshal(message, &n) == nil {
			return strconv.FormatInt(n, 10), true
		}
		return "", false
	}
	if s, ok := one(text); ok {
		return value{from: s, to: s}, s != "*"
	}
	var m struct {
		Prefix *struct {
			Addr string
			Len  int
		}
		Range []json.RawMessage
	}
	if json.Unmarshal(text, &m) != nil {
		return value{}, false
	}
	switch {
	case m.Prefix != nil:
		addr, err := netip.ParseAddr(m.Prefix.Addr)
		if err != nil {
			return value{}, false
		}
		prefix, err := addr.Prefix(m.Prefix.Len)
		return value{net: prefix}, err == nil
	case len(m.Range) == 2:
		a, ok1 := one(m.Range[0])
		b, ok2 := one(m.Range[1])
		return value{from: a, to: b}, ok1 && ok2
	}
	return value{}, false
}

// left is what a match looks at.
type left struct {
	Meta    *struct{ Key string }
	Payload *struct{ Protocol, Field string }
	Ct      *struct{ Key, Dir string }
	Fib     *struct {
		Result string
		Flags  []string
	}
}

// services of one protocol, with some ports.
func services(one office.Protocol, first, last uint16) *talk.Services {
	return talk.Of(&office.Office{}, []office.Service{{Protocol: one, First: first, Last: last}})
}

var (
	allTCP = services(office.TCP, 1, 65535)
	allUDP = services(office.UDP, 1, 65535)
	ping   = services(office.Ping, 0, 0)
)

// carries is the services whose packets have a field at all.
func (w *walk) carries(text json.RawMessage) *talk.Services {
	var one left
	if json.Unmarshal(text, &one) != nil || one.Payload == nil {
		return talk.All
	}
	v4 := w.f.Src.Is4()
	switch one.Payload.Protocol {
	case "tcp":
		return allTCP
	case "udp":
		return allUDP
	case "th":
		return allTCP.Or(allUDP)
	case "icmp", "icmpv6":
		if v4 == (one.Payload.Protocol == "icmp") {
			return ping
		}
		return talk.None
	case "ip", "ip6":
		if v4 != (one.Payload.Protocol == "ip") {
			return talk.None
		}
	}
	return talk.All
}

// yes is all services for what is so, and none for what is not.
func yes(is bool) (*talk.Services, bool) {
	if is {
		return talk.All, true
	}
	return talk.None, true
}

// field says for which services a field has a value.
//
// Many branches: two switches, a case a field of nftables.
func (w *walk) field(text json.RawMessage, value value) (*talk.Services, bool) {
	var one left
	if json.Unmarshal(text, &one) != nil {
		return talk.All, false
	}
	v4 := w.f.Src.Is4()
	switch {
	case one.Meta != nil:
		switch one.Meta.Key {
		case "iifname", "iif":
			return yes(named(value.from, w.f.In))
		case "oifname", "oif":
			return yes(w.f.Out != "" && named(value.from, w.f.Out))
		case "l4proto":
			return protocol(value, v4)
		case "nfproto":
			return yes(value.from == "ipv4" && v4 || value.from == "ipv6" && !v4)
		case "protocol":
			return yes(value.from == "ip" && v4 || value.from == "ip6" && !v4)
		}
	case one.Ct != nil:
		switch one.Ct.Key {
		case "state":
			return yes(value.from == map[bool]string{true: "established", false: "new"}[w.f.Answers])
		case "status":
			if strings.Contains(value.from, "dnat") && !w.rs.translates { // nobody translates
				return talk.None, true
			}
		case "direction":
			return yes(value.from == map[bool]string{true: "reply", false: "original"}[w.f.Answers])
		}
	case one.Fib != nil:
		if one.Fib.Result == "type" && slices.Equal(one.Fib.Flags, []string{"daddr"}) {
			return yes(value.from == map[Hook]string{Input: "local", Forward: "unicast"}[w.hook])
		}
	case one.Payload != nil:
		return w.payload(one.Payload.Protocol, one.Payload.Field, value)
	}
	return talk.All, false
}

// payload says which services a match on a header field lets through, of packets between the two
// addresses that are asked about; false where that cannot be told, and everything must be reckoned
// with.
//
// Many branches: two switches, a case a field of a header.
func (w *walk) payload(of, field string, value value) (*talk.Services, bool) {
	v4 := w.f.Src.Is4()
	switch of {
	case "ip", "ip6":
		if v4 != (of == "ip") {
			return talk.None, true
		}
		switch field {
		case "saddr":
			return within(value, w.f.Src)
		case "daddr":
			return within(value, w.f.Dst)
		case "protocol", "nexthdr":
			return protocol(value, v4)
		}
	case "tcp", "udp", "th":
		var p []office.Protocol
		switch of {
		case "tcp":
			p = []office.Protocol{office.TCP}
		case "udp":
			p = []office.Protocol{office.UDP}
		default:
			p = []office.Protocol{office.TCP, office.UDP}
		}
		a, err1 := strconv.ParseUint(value.from, 10, 16)
		b, err2 := strconv.ParseUint(value.to, 10, 16)
		if err1 != nil || err2 != nil || a > b || field != "dport" && field != "sport" {
			return talk.All, false
		}
		if field == "sport" { // who asks does so from any high port: all of those, or it is not known
			if a <= 1024 && b == 65535 {
				out := talk.None
				for _, one := range p {
					out = out.Or(services(one, 1, 65535))
				}
				return out, true
			}
			return talk.All, false
		}
		if b == 0 {
			return talk.None, true
		}
		out := talk.None
		for _, one := range p {
			out = out.Or(services(one, uint16(max(a, 1)), uint16(b)))
		}
		return out, true
	case "icmp", "icmpv6":
		if field != "type" {
			return talk.All, false
		}
		if v4 != (of == "icmp") {
			return talk.None, true
		}
		asks := "echo-request"
		if w.f.Answers {
			asks = "echo-reply"
		}
		number := map[string]string{"icmpecho-request": "8", "icmpecho-reply": "0", "icmpv6echo-request": "128", "icmpv6echo-reply": "129"}[of+asks]
		if value.from != value.to {
			return talk.All, false
		}
		if value.from == asks || value.from == number {
			return ping, true
		}
		return talk.None, true
	}
	return talk.All, false
}

// named says whether an interface is called so; a star at the end stands for any rest.
func named(pattern, name string) bool {
	if start, ok := strings.CutSuffix(pattern, "*"); ok && !strings.HasSuffix(start, `\`) {
		return strings.HasPrefix(name, start)
	}
	return pattern == name
}

// protocol is the services of a protocol by its name or number (IANA).
func protocol(value value, v4 bool) (*talk.Services, bool) {
	if value.from != value.to {
		return talk.All, false
	}
	switch value.from {
	case "tcp", "6":
		return allTCP, true
	case "udp", "17":
		return allUDP, true
	case "icmp", "1":
		if v4 {
			return ping, true
		}
	case "icmpv6", "ipv6-icmp", "58":
		if !v4 {
			return ping, true
		}
	}
	return talk.None, true
}

// within says whether an address is one of a value.
func within(value value, addr netip.Addr) (*talk.Services, bool) {
	if value.net.IsValid() {
		return yes(value.net.Contains(addr))
	}
	from, err1 := netip.ParseAddr(value.from)
	to, err2 := netip.ParseAddr(value.to)
	if err1 != nil || err2 != nil {
		return talk.All, false
	}
	return yes(from.Compare(addr) <= 0 && addr.Compare(to) <= 0)
}
