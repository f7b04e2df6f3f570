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

func (r *reader) device(c *cursor, s *statement) (string, *fault) {
	t, f := plainWord(c, "the device's name")
	if f != nil {
		return "", f
	}
	if keywords[t.text] {
		return "", faultf(t.at, "%s is a word of the notation and cannot name a device", t.text)
	}
	k, f := c.word("the kind of device (switch router firewall wap host other)")
	if f != nil {
		return "", f
	}
	d, err := office.NewDevice(t.text, office.Kind(k.text))
	if err != nil {
		at := k.at
		if strings.Contains(t.text, ".") {
			at = t.at
		}
		return "", faultf(at, "%s", err)
	}
	key := string(d.Key())
	if c.accept("follows") {
		p, f := c.word("the name of a port plan")
		if f != nil {
			return key, f
		}
		if _, err := r.draft.FindPlan(p.text); err != nil {
			r.wrong(s.line, s.indent, s.text, faultf(p.at, "%s", err))
		} else {
			d.Follows = p.text
		}
	}
	if f := c.done("a device's kind but follows and a plan"); f != nil {
		r.wrong(s.line, s.indent, s.text, f)
	}
	if r.draft.HasDevice(d.Name) {
		if r.onLine {
			return key, faultf(t.at, "%s is there already: change it with %s and what is to be changed, or remove it with -device %s", d.Name, d.Name, d.Name)
		}
		return key, nil
	}
	r.body(d, s.body)
	if err := r.draft.PutDevice(d); err != nil {
		return key, faultf(t.at, "%s", err)
	}
	return key, nil
}

// body reads the lines of a device: its ports first, then what names them.
func (r *reader) body(d *office.Device, lines []subline) {
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
		}
		return 3
	}
	var said []bool // by port
	stages := make([]int, len(lines))
	for i := range lines {
		stages[i] = stage(lines[i].text)
	}
	for st := range 4 {
		if st == 3 {
			_ = d.Seal() // the names are complete: look-ups by index from here on
			said = make([]bool, len(d.Ports))
		}
		for i, b := range lines {
			if stages[i] != st {
				continue
			}
			c, after, ok := r.tokens(b.line, b.indent, b.text)
			if !ok {
				if st < 3 {
					r.half = append(r.half, d.Name)
				}
				continue
			}
			what, which, f := r.inDevice(d, c, said)
			if f != nil {
				r.wrong(b.line, b.indent, b.text, f)
				if st < 3 {
					r.half = append(r.half, d.Name)
				}
			}
			if len(b.above) > 0 || after != "" {
				r.keep(d.Name+"/"+what+which, b.above, after)
			}
		}
	}
}

// inDevice reads one statement that belongs to a device. said notes the ports
// that were set in this file; nil on the line. what and which together are what
// comments at the statement are kept under.
func (r *reader) inDevice(d *office.Device, c *cursor, said []bool) (what, which string, f *fault) {
	t := c.peek()
	if t.kind == word && keywords[t.text] && t.text != "last" {
		c.next()
		return r.keyword(d, c, t)
	}
	at, s, because, f := r.setting(d, c)
	if f != nil {
		return "", "", f
	}
	for _, i := range at {
		if said != nil && said[i] {
			return "", "", faultf(t.at, "port %s is set already above: one line a port", d.Ports[i].Name)
		}
		if err := d.SetShape(i, s, because); err != nil {
			return "", "", faultf(t.at, "%s", err)
		}
		if said != nil {
			said[i] = true
		}
	}
	return "set:", d.Ports[at[0]].Name, nil
}

// keyword reads a statement of a device that starts with a word of the
// notation, after that word.
func (r *reader) keyword(d *office.Device, c *cursor, t token) (what, which string, f *fault) {
	what = t.text
	switch t.text {
	case "ports":
		return what, "", r.ports(d, c)
	case "bundle":
		which, f = r.bundle(d, c)
		return "bundle:", which, f
	case "bundles":
		d.Adjacent = true
		if !c.accept("adjacent") {
			return what, "", faultf(c.peek().at, "bundles adjacent is the habit that there is%s", found(c.peek()))
		}
		return what, "", c.done("bundles adjacent")
	case "inner":
		which, f = r.inner(d, c)
		return "inner:", which, f
	case "forwarding":
		return what, "", forwarding(d, c)
	case "wording":
		return what, "", wordingLine(d, c)
	case "limit":
		return what, "", limit(d, c)
	case "manage":
		return what, "", r.manage(d, c)
	case "address":
		which, f = r.address(d, c)
		return "address:", which, f
	case "follows":
		p, f := c.word("the name of a port plan")
		if f != nil {
			return what, "", f
		}
		if _, err := r.draft.FindPlan(p.text); err != nil {
			return what, "", faultf(p.at, "%s", err)
		}
		d.Follows = p.text
		return what, "", c.done("the plan's name")
	}
	return what, "", faultf(t.at, "%s does not belong inside a device", t.text)
}

// setting reads PORTS: SHAPE [because "…"].
func (r *reader) setting(d *office.Device, c *cursor) (at []int, s *office.Shape, because string, f *fault) {
	list, f := portList(c)
	if f != nil {
		return nil, nil, "", f
	}
	if !c.accept(":") {
		return nil, nil, "", faultf(c.peek().at, "a colon is missing between the ports and their shape%s", found(c.peek()))
	}
	if at, f = resolveAll(d, list); f != nil {
		return nil, nil, "", f
	}
	sh, f := shape(r.draft, c)
	if f == nil {
		f = r.spend(setOne*len(at)+(len(sh.Tagged)+len(sh.Untagged))/64, 0)
	}
	if f != nil {
		return nil, nil, "", f
	}
	if c.accept("because") {
		t, f := c.text("the reason, in quotes,")
		if f == nil {
			f = r.checked(t, "the reason", office.MostText, false)
		}
		if f != nil {
			return nil, nil, "", f
		}
		because = t.text
	}
	return at, &sh, because, c.done("a shape but because and a reason")
}

func (r *reader) ports(d *office.Device, c *cursor) *fault {
	for {
		t, f := c.text("a port's name")
		if f == nil {
			f = r.checked(t, "a port's name", office.MostName, false)
		}
		if f != nil {
			return f
		}
		it := item{from: t.text, literal: t.kind == quoted, at: t.at}
		names, f := expand(it)
		if f != nil {
			return f
		}
		inside := ""
		if c.accept("as") {
			t, f := c.text("the port's name inside the device")
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
		if t := c.peek(); t.kind == word {
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
			c.next()
		}
		if d.Front()+len(names) > 4096 {
			return faultf(it.at, "a device has at most 4096 ports")
		}
		if f := r.spend(made*len(names), it.at); f != nil {
			return f
		}
		d.Grow(len(names))
		for _, n := range names {
			if k := d.Port(n); r.onLine && speed != 0 && k >= 0 && d.Ports[k].Kind == office.Physical { // a port that is there gets its speed
				d.Ports[k].Speed = speed
				continue
			}
			if err := d.AddPort(n, inside, speed); err != nil {
				return faultf(it.at, "%s", err)
			}
		}
		if !c.accept(",") {
			return c.done("the ports: separate them by commas")
		}
	}
}

func (r *reader) bundle(d *office.Device, c *cursor) (string, *fault) {
	t, f := c.text("the bundle's name")
	if f == nil {
		f = r.checked(t, "a bundle's name", office.MostName, false)
	}
	if f != nil {
		return "", f
	}
	key := t.text
	m, f := c.word("lacp or static")
	if f != nil {
		return key, f
	}
	atPorts := c.peek().at
	list, f := portList(c)
	if f != nil {
		return key, f
	}
	at, f := resolveAll(d, list)
	if f != nil {
		return key, f
	}
	if f := c.done("the bundle's ports"); f != nil {
		return key, f
	}
	var names []string
	for _, i := range at {
		names = append(names, d.Ports[i].Name)
	}
	add := d.AddBundle
	if i := d.Port(t.text); r.onLine && i >= 0 && d.Ports[i].Kind == office.Bundle {
		add = d.ChangeBundle
	}
	if err := add(t.text, office.BundleMode(m.text), names); err != nil {
		where := atPorts
		switch office.PartOf(err) {
		case office.OfMode:
			where = m.at
		case office.OfName:
			where = t.at
		}
		return key, faultf(where, "%s", err)
	}
	return key, nil
}

func (r *reader) inner(d *office.Device, c *cursor) (string, *fault) {
	t, f := c.text("the inner port's name")
	if f == nil {
		f = r.checked(t, "an inner port's name", office.MostName, false)
	}
	if f != nil {
		return "", f
	}
	key := t.text
	k, f := c.word("ssid, vm or cpu")
	if f != nil {
		return key, f
	}
	if !c.accept(":") {
		return key, faultf(c.peek().at, "a colon is missing between the inner port and its shape%s", found(c.peek()))
	}
	s, f := shape(r.draft, c)
	because := ""
	if f == nil && c.accept("because") {
		var why token
		if why, f = c.text("the reason, in quotes,"); f == nil {
			f = r.checked(why, "the reason", office.MostText, false)
			because = why.text
		}
	}
	if f == nil {
		f = c.done("an inner port's shape but because and a reason")
	}
	if f != nil {
		return key, f
	}
	if err := d.AddInner(t.text, office.Flavour(k.text), &s); err == nil {
		d.Ports[len(d.Ports)-1].Because = because
	} else {
		at := t.at
		if office.PartOf(err) == office.OfFlavour {
			at = k.at
		}
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

func forwarding(d *office.Device, c *cursor) *fault {
	t, f := c.word(either(office.Forwardings()))
	if f != nil {
		return f
	}
	name := t.text
	if c.accept("drops-tagged") {
		name += " drops-tagged"
	}
	at := slices.Index(office.Forwardings(), name)
	if at < 0 {
		return faultf(t.at, "%s is not a way to forward: %s", name, either(office.Forwardings()))
	}
	d.Forwarding = office.Forwarding(at)
	return c.done("the way to forward")
}

func wordingLine(d *office.Device, c *cursor) *fault {
	t, f := c.word("the wording's name")
	if f != nil {
		return f
	}
	if err := office.CheckWording(t.text); err != nil {
		return faultf(t.at, "%s", err)
	}
	w := office.Wording{Name: office.WordingName(t.text)}
	for c.more() {
		t := c.next()
		if t.is("bundles-adjacent") {
			d.Adjacent = true
			continue
		}
		if err := office.CheckHabit(t.text); err != nil {
			return faultf(t.at, "%s", err)
		}
		if h := office.Habit(t.text); !slices.Contains(w.Habits, h) {
			w.Habits = append(w.Habits, h)
		}
	}
	if slices.Contains(w.Habits, office.PVIDApart) && slices.Contains(w.Habits, office.PVIDFollows) {
		return faultf(t.at, "%s and %s exclude each other: name one", office.PVIDApart, office.PVIDFollows)
	}
	slices.SortFunc(w.Habits, func(a, b office.Habit) int {
		return slices.Index(office.Habits, a) - slices.Index(office.Habits, b)
	})
	d.Wording = w
	return nil
}

func limit(d *office.Device, c *cursor) *fault {
	for first := true; first || c.more(); first = false {
		t, f := c.word(either(office.LimitNames))
		if f != nil {
			return f
		}
		n, f := c.word("the limit, a number")
		if f != nil {
			return f
		}
		k, err := strconv.Atoi(n.text)
		if err != nil || k < 1 || k > 1_000_000 {
			return faultf(n.at, "%s is not a limit: a number from 1 to 1000000", n.text)
		}
		most := d.Limits.Of(office.Limit(t.text))
		if most == nil {
			return faultf(t.at, "%s is not limited: %s", t.text, either(office.LimitNames))
		}
		*most = k
	}
	return nil
}

func (r *reader) manage(d *office.Device, c *cursor) *fault {
	t := c.next()
	v, f := vlan(r.draft, wordText(t), t.at)
	if f != nil {
		return f
	}
	m := &office.Manage{VID: v}
	if c.more() {
		t := c.next()
		a, err := netip.ParseAddr(t.text)
		if err != nil || a.Zone() != "" {
			return faultf(t.at, "%q is not an IP address, such as 10.61.190.2", t.text)
		}
		m.Addr = a
	}
	d.Manage = m
	return c.done("the management address")
}

func (r *reader) address(d *office.Device, c *cursor) (string, *fault) {
	t := c.next()
	v, f := vlan(r.draft, wordText(t), t.at)
	if f != nil {
		return "", f
	}
	a := office.Address{VID: v}
	t, f = c.word("the address with its prefix length, such as 10.61.110.1/24,")
	if f != nil {
		return "", f
	}
	var err error
	if a.Prefix, err = office.CheckAddress(t.text); err != nil {
		return "", faultf(t.at, "%s", err)
	}
	key := addressKey(a)
	at := t.at
	for c.more() {
		t := c.next()
		switch {
		case t.is("on"):
			p, f := c.text("a port of the device")
			if f != nil {
				return key, f
			}
			if _, err := d.FindPort(p.text); err != nil {
				return key, faultf(p.at, "%s", err)
			}
			a.On = p.text
		case t.is("zone"):
			z, f := c.text("the zone's name")
			if f == nil {
				f = r.checked(z, "a zone's name", office.MostName, false)
			}
			if f != nil {
				return key, f
			}
			a.Zone = z.text
		case t.is("handout"):
			h, f := c.word("the range handed out, such as 10.61.110.50-10.61.110.220,")
			if f != nil {
				return key, f
			}
			lo, hi, _ := strings.Cut(h.text, "-")
			if a.From, err = netip.ParseAddr(lo); err != nil {
				return key, faultf(h.at, "%q is not an address: a hand-out range is two, joined by a hyphen", lo)
			}
			if a.To, err = netip.ParseAddr(hi); err != nil {
				return key, faultf(h.at+len(lo)+1, "%q is not an address: a hand-out range is two, joined by a hyphen", hi)
			}
		default:
			return key, faultf(t.at, "%s does not belong here: after the address come on, zone and handout", t.shown())
		}
	}
	if err := d.AddAddress(a); err != nil {
		return key, faultf(at, "%s", err)
	}
	return key, nil
}

func addressKey(a office.Address) string {
	return strconv.Itoa(int(a.VID)) + " " + a.Prefix.String()
}
