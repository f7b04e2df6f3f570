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
func (rs *Ruleset) Decide(hook Hook, f Flow) *talk.Services {
	open := talk.All
	for _, c := range rs.Chains {
		if c.Hook != hook || c.Family == IPv4 && !f.Src.Is4() || c.Family == IPv6 && f.Src.Is4() {
			continue
		}
		w := walk{rs: rs, f: &f, hook: hook, open: talk.None}
		rest := w.chain(c, open, 0)
		if c.Accepts {
			w.open = w.open.Or(rest)
		}
		open = w.open
	}
	return open
}

// Vague is the rules that were asked and not understood.
func (rs *Ruleset) Vague() []*Rule { return rs.vague }

func (w *walk) vague(r *Rule) {
	if !slices.Contains(w.rs.vague, r) {
		w.rs.vague = append(w.rs.vague, r)
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
func (w *walk) chain(c *Chain, todo *talk.Services, deep int) (rest *talk.Services) {
	f := &frame{talk.None, deep}
	for _, r := range c.Rules {
		if todo == talk.None {
			break
		}
		if w.rs.asked++; w.rs.asked > mostAsked {
			w.vague(r)
			return todo.Or(f.back)
		}
		todo = w.rule(r, todo, f)
	}
	return todo.Or(f.back)
}

// rule takes services through a rule, and gives what goes on to the next.
func (w *walk) rule(r *Rule, todo *talk.Services, f *frame) *talk.Services {
	sure, may := todo, todo // what it is for, and what it may be for
	for _, e := range r.expr {
		switch e.word {
		case "match":
			is, known := w.match(r, e.body)
			may = may.And(is)
			if sure = sure.And(is); !known {
				sure = talk.None
			}
		case "vmap":
			if !may.Equal(sure) {
				w.vague(r)
			}
			return w.vmap(r, e.body, todo, sure, f)
		case "accept", "drop", "reject", "jump", "goto", "return":
			if !may.Equal(sure) {
				w.vague(r)
			}
			return w.verdict(r, e, todo, sure, f)
		case "counter", "log", "comment", "mangle", "notrack", "flow", "set":
		case "limit", "quota", "connlimit", "ct count":
			sure = talk.None // it lets some pass and others not
		case "xt", "queue", "dup", "fwd", "tproxy", "synproxy":
			if may != talk.None {
				w.vague(r)
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
func (w *walk) verdict(r *Rule, e expression, todo, sure *talk.Services, f *frame) *talk.Services {
	if sure == talk.None {
		return todo
	}
	left := todo.Minus(sure)
	switch e.word {
	case "accept":
		w.open = w.open.Or(sure)
	case "return":
		f.back = f.back.Or(sure)
	case "jump", "goto":
		var to struct{ Target string }
		c := (*Chain)(nil)
		if json.Unmarshal(e.body, &to) == nil {
			c = r.Chain.within.chains[to.Target]
		}
		if c == nil || f.deep >= mostDeep {
			w.vague(r)
			return todo
		}
		rest := w.chain(c, sure, f.deep+1)
		if e.word == "jump" {
			return left.Or(rest)
		}
		f.back = f.back.Or(rest) // it does not come back here
	}
	return left
}

// vmap does what a map of verdicts says: of each key, the one that it has.
func (w *walk) vmap(r *Rule, body json.RawMessage, todo, sure *talk.Services, f *frame) *talk.Services {
	var m struct {
		Key  json.RawMessage
		Data json.RawMessage
	}
	if json.Unmarshal(body, &m) != nil {
		w.vague(r)
		return todo
	}
	elems, ok := w.elements(r, m.Data)
	if !ok {
		w.vague(r)
		return todo
	}
	left := todo
	for _, e := range elems {
		var pair []json.RawMessage
		var do expression
		if json.Unmarshal(e, &pair) != nil || len(pair) != 2 || json.Unmarshal(pair[1], &do) != nil {
			w.vague(r)
			return todo
		}
		is, known := w.is(r, m.Key, pair[0])
		if !known {
			w.vague(r)
			continue
		}
		part := sure.And(is).And(left)
		if part == talk.None {
			continue
		}
		rest := w.verdict(r, do, part, part, f)
		left = left.Minus(part).Or(rest)
		sure = sure.Minus(part)
	}
	return left
}

// match is what a match is for; known says whether that is known.
func (w *walk) match(r *Rule, body json.RawMessage) (is *talk.Services, known bool) {
	var m struct {
		Op          string
		Left, Right json.RawMessage
	}
	if json.Unmarshal(body, &m) != nil {
		return talk.All, false
	}
	switch m.Op {
	case "==", "in", "":
		return w.is(r, m.Left, m.Right)
	case "!=":
		not, known := w.is(r, m.Left, m.Right)
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
func (w *walk) is(r *Rule, left, right json.RawMessage) (*talk.Services, bool) {
	var concat struct{ Concat []json.RawMessage }
	fields := []json.RawMessage{left}
	if json.Unmarshal(left, &concat) == nil && concat.Concat != nil {
		fields = concat.Concat
	}
	elems, ok := w.elements(r, right)
	if !ok {
		return talk.All, false
	}
	sum := talk.None
	for _, e := range elems {
		parts := []json.RawMessage{e}
		if len(fields) > 1 {
			var c struct{ Concat []json.RawMessage }
			if json.Unmarshal(e, &c) != nil || len(c.Concat) != len(fields) {
				return talk.All, false
			}
			parts = c.Concat
		}
		part := talk.All
		for k, f := range fields {
			v, ok := valueOf(parts[k])
			if !ok {
				return talk.All, false
			}
			one, known := w.field(f, v)
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
func (w *walk) elements(r *Rule, text json.RawMessage) ([]json.RawMessage, bool) {
	var name string
	if json.Unmarshal(text, &name) == nil {
		if set, ok := strings.CutPrefix(name, "@"); ok {
			list, there := r.Chain.within.sets[set]
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

func valueOf(text json.RawMessage) (value, bool) {
	var e struct {
		Elem *struct{ Val json.RawMessage }
	}
	if json.Unmarshal(text, &e) == nil && e.Elem != nil {
		return valueOf(e.Elem.Val)
	}
	one := func(t json.RawMessage) (string, bool) {
		var s string
		if json.Unmarshal(t, &s) == nil {
			return s, true
		}
		var n int64
		if json.Unmarshal(t, &n) == nil {
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
		a, err := netip.ParseAddr(m.Prefix.Addr)
		if err != nil {
			return value{}, false
		}
		p, err := a.Prefix(m.Prefix.Len)
		return value{net: p}, err == nil
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
func services(p office.Protocol, first, last uint16) *talk.Services {
	return talk.Of(&office.Office{}, []office.Service{{Protocol: p, First: first, Last: last}})
}

var (
	allTCP = services(office.TCP, 1, 65535)
	allUDP = services(office.UDP, 1, 65535)
	ping   = services(office.Ping, 0, 0)
)

// carries is the services whose packets have a field at all.
func (w *walk) carries(text json.RawMessage) *talk.Services {
	var l left
	if json.Unmarshal(text, &l) != nil || l.Payload == nil {
		return talk.All
	}
	v4 := w.f.Src.Is4()
	switch l.Payload.Protocol {
	case "tcp":
		return allTCP
	case "udp":
		return allUDP
	case "th":
		return allTCP.Or(allUDP)
	case "icmp", "icmpv6":
		if v4 == (l.Payload.Protocol == "icmp") {
			return ping
		}
		return talk.None
	case "ip", "ip6":
		if v4 != (l.Payload.Protocol == "ip") {
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
func (w *walk) field(text json.RawMessage, v value) (*talk.Services, bool) {
	var l left
	if json.Unmarshal(text, &l) != nil {
		return talk.All, false
	}
	v4 := w.f.Src.Is4()
	switch {
	case l.Meta != nil:
		switch l.Meta.Key {
		case "iifname", "iif":
			return yes(named(v.from, w.f.In))
		case "oifname", "oif":
			return yes(w.f.Out != "" && named(v.from, w.f.Out))
		case "l4proto":
			return protocol(v, v4)
		case "nfproto":
			return yes(v.from == "ipv4" && v4 || v.from == "ipv6" && !v4)
		case "protocol":
			return yes(v.from == "ip" && v4 || v.from == "ip6" && !v4)
		}
	case l.Ct != nil:
		switch l.Ct.Key {
		case "state":
			return yes(v.from == map[bool]string{true: "established", false: "new"}[w.f.Answers])
		case "status":
			if strings.Contains(v.from, "dnat") && !w.rs.translates { // nobody translates
				return talk.None, true
			}
		case "direction":
			return yes(v.from == map[bool]string{true: "reply", false: "original"}[w.f.Answers])
		}
	case l.Fib != nil:
		if l.Fib.Result == "type" && slices.Equal(l.Fib.Flags, []string{"daddr"}) {
			return yes(v.from == map[Hook]string{Input: "local", Forward: "unicast"}[w.hook])
		}
	case l.Payload != nil:
		return w.payload(l.Payload.Protocol, l.Payload.Field, v)
	}
	return talk.All, false
}

func (w *walk) payload(of, field string, v value) (*talk.Services, bool) {
	v4 := w.f.Src.Is4()
	switch of {
	case "ip", "ip6":
		if v4 != (of == "ip") {
			return talk.None, true
		}
		switch field {
		case "saddr":
			return within(v, w.f.Src)
		case "daddr":
			return within(v, w.f.Dst)
		case "protocol", "nexthdr":
			return protocol(v, v4)
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
		a, err1 := strconv.ParseUint(v.from, 10, 16)
		b, err2 := strconv.ParseUint(v.to, 10, 16)
		if err1 != nil || err2 != nil || a > b || field != "dport" && field != "sport" {
			return talk.All, false
		}
		if field == "sport" { // who asks does so from any high port: all of those, or it is not known
			if a <= 1024 && b == 65535 {
				out := talk.None
				for _, x := range p {
					out = out.Or(services(x, 1, 65535))
				}
				return out, true
			}
			return talk.All, false
		}
		if b == 0 {
			return talk.None, true
		}
		out := talk.None
		for _, x := range p {
			out = out.Or(services(x, uint16(max(a, 1)), uint16(b)))
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
		if v.from != v.to {
			return talk.All, false
		}
		if v.from == asks || v.from == number {
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
func protocol(v value, v4 bool) (*talk.Services, bool) {
	if v.from != v.to {
		return talk.All, false
	}
	switch v.from {
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
func within(v value, a netip.Addr) (*talk.Services, bool) {
	if v.net.IsValid() {
		return yes(v.net.Contains(a))
	}
	from, err1 := netip.ParseAddr(v.from)
	to, err2 := netip.ParseAddr(v.to)
	if err1 != nil || err2 != nil {
		return talk.All, false
	}
	return yes(from.Compare(a) <= 0 && a.Compare(to) <= 0)
}
