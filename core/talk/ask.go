package talk

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// Verdict is the answer in a word.
type Verdict string

const (
	Yes  Verdict = "yes"  // every part reaches every part in every service
	No   Verdict = "no"   // none does in any
	Some Verdict = "part" // some do, or in some
)

// Verdicts lists them.
var Verdicts = []Verdict{Yes, No, Some}

// Enum is all of them, for descriptions of what holds one.
func (Verdict) Enum() []any { return []any{Yes, No, Some} }

// Who is who asks, or is asked.
type Who struct {
	Name   string         // as it was said
	VID    office.VID     // 0 for the outside
	Port   office.PortRef // zero where it is no port
	Tagged bool           // what it sends there is
	ends   []*End
}

// Parts are all that he may be at: of each part the answer is one.
func (w *Who) Parts() (out []*Part) {
	for _, e := range w.ends {
		out = append(out, e.Part)
	}
	return out
}

// Who finds whom people mean: outside, a VLAN by number or name, an address, a
// port, a plug by its name, or a device by its management. The error names the
// nearest.
func (m *Map) Who(text string) (*Who, error) {
	text = strings.TrimSpace(text)
	if text == string(office.SideOutside) || text == "the outside" {
		return &Who{Name: text, ends: m.endsIn(m.outside)}, nil
	}
	if a, err := netip.ParseAddr(text); err == nil {
		if a.Zone() != "" {
			return nil, fmt.Errorf("%s has a zone: give the address without it", text)
		}
		e := m.at(a)
		w := &Who{Name: text, VID: e.area.vid, ends: []*End{e}}
		for _, p := range m.Net.Office.Plugs {
			if p.At == a {
				w.Port, w.Tagged = p.Port, p.Tagged
			}
		}
		return w, nil
	}
	name := strings.TrimPrefix(text, "vlan ")
	if n, err := strconv.Atoi(name); err == nil {
		v, err := office.VIDOf(n)
		if err != nil {
			return nil, err
		}
		if m.byVID[v] == nil {
			return nil, fmt.Errorf("VLAN %d is not in the register", v)
		}
		return m.VLAN(v), nil
	}
	for _, v := range m.Net.Office.VLANs {
		if v.Name == name {
			return m.VLAN(v.VID), nil
		}
	}
	place, err := notation.PlaceOf(m.Net.Office, text)
	switch {
	case err != nil:
		names := []string{string(office.SideOutside)}
		for _, v := range m.Net.Office.VLANs {
			names = append(names, v.Name)
		}
		if n := office.Nearest(name, names); n != "" {
			return nil, fmt.Errorf("nobody is named %s: did you mean %s?", text, n)
		}
		return nil, err
	case place.Gateway:
		return nil, fmt.Errorf("the gateway of which VLAN? Name its address or its device")
	case place.Device != "":
		return m.device(place.Device)
	}
	return m.port(text, place)
}

// VLAN is everybody in a VLAN of the map.
func (m *Map) VLAN(v office.VID) *Who {
	return &Who{Name: strconv.Itoa(int(v)), VID: v, ends: m.endsIn(m.byVID[v])}
}

// Outside is everybody outside.
func (m *Map) Outside() *Who { return &Who{Name: "outside", ends: m.endsIn(m.outside)} }

func (m *Map) endsIn(x *area) (ends []*End) {
	for _, e := range m.ends {
		if e.area == x {
			ends = append(ends, e)
		}
	}
	return ends
}

// at is an address as an end, wherever its host is.
func (m *Map) at(a netip.Addr) *End {
	p := m.part1(a)
	if p.own != nil {
		return &End{Part: p, places: p.own.places, at: -1}
	}
	if p.area.vid == 0 {
		return &End{Part: p, at: -1}
	}
	for i := range m.Net.Office.Plugs {
		if plug := &m.Net.Office.Plugs[i]; plug.At == a {
			return m.end(p, reach.Plug(m.Net, plug))
		}
	}
	for dev, d := range m.Net.Office.Devices {
		if d.Manage != nil && d.Manage.Addr == a {
			m.tells(p, d)
			return m.end(p, reach.Management(m.Net, dev))
		}
	}
	return m.end(p, p.area.places[:min(1, len(p.area.places))])
}

// nowhere is what no subnet of the office has and nobody outside.
var nowhere = &area{}

// part1 is one address as a part.
func (m *Map) part1(a netip.Addr) *Part {
	p := &Part{area: m.outside, Addr: a, Net: netip.PrefixFrom(a, a.BitLen())}
	for _, x := range m.vlans {
		for _, n := range x.nets {
			if n.Contains(a) && (!p.net.IsValid() || n.Bits() > p.net.Bits()) {
				p.area, p.net = x, n
			}
		}
	}
	if p.area == m.outside && unroutable(p.Net) {
		p.area = nowhere
	}
	for _, r := range m.routers {
		if r != nil && p.own == nil {
			p.own = r.owns(a)
		}
	}
	if p.own != nil && p.own.a.VID != p.area.vid {
		p.area = m.byVID[p.own.a.VID]
	}
	m.mask(p)
	return p
}

// device is a device by its management, else by its first address.
func (m *Map) device(name string) (*Who, error) {
	dev := m.Net.Topo.DeviceIndex(name)
	d := m.Net.Office.Devices[dev]
	w := &Who{Name: name}
	switch {
	case d.Manage != nil && (d.Manage.Addr.IsValid() || m.byVID[d.Manage.VID] != nil):
		return m.Managed(dev), nil
	case len(d.Addresses) > 0:
		w.VID, w.ends = d.Addresses[0].VID, []*End{m.at(d.Addresses[0].Prefix.Addr())}
	default:
		return nil, fmt.Errorf("%s has no address and is managed nowhere: name one of its ports, as in %s.%s", name, name, d.Ports[0].Name)
	}
	return w, nil
}

// hostsAt is the parts of a VLAN as seen at a place; with an address, of its
// family that address alone.
func (m *Map) hostsAt(v office.VID, places []span.Place, at netip.Addr) (ends []*End) {
	if at.IsValid() {
		ends = append(ends, m.end(m.part1(at), places))
	}
	if x := m.byVID[v]; x != nil {
		for _, p := range x.parts {
			if p.own == nil && (!at.IsValid() || p.Addr.Is4() != at.Is4()) {
				ends = append(ends, m.end(p, places))
			}
		}
	}
	return ends
}

// port is who is at a port: the plug there, or whoever it is for.
func (m *Map) port(text string, place notation.Place) (*Who, error) {
	n := m.Net
	dev := n.Topo.DeviceIndex(place.Port.Device)
	d := n.Office.Devices[dev]
	port := d.Logical(d.Port(place.Port.Port))
	w := &Who{Name: text, Port: place.Port}
	plug := place.Plug
	for _, k := range n.Topo.PlugsAt(dev) {
		if p := &n.Office.Plugs[k]; place.Plug == nil && p.Port == place.Port && (plug == nil || plug.Tagged && !p.Tagged) {
			plug = p
		}
	}
	if plug != nil {
		w.VID, w.Tagged, w.ends = plug.Wants, plug.Tagged, m.hostsAt(plug.Wants, reach.Plug(m.Net, plug), plug.At)
		return w, nil
	}
	v, tagged, err := VLANAt(n, graph.End{Dev: dev, Port: port})
	if err != nil {
		return nil, err
	}
	var places []span.Place
	if n.Gives(dev, port, v, tagged) {
		places = reach.AtPort(n, dev, port, formOf(v, tagged))
	}
	w.VID, w.Tagged, w.ends = v, tagged, m.hostsAt(v, places, netip.Addr{})
	return w, nil
}

// VLANAt is the VLAN of who is at a port that nothing is plugged into: its
// untagged one, else the only one that it has.
func VLANAt(n *span.Net, e graph.End) (v office.VID, tagged bool, err error) {
	p := n.Port(e)
	if vs := p.Untagged.VIDs(); len(vs) > 0 {
		return vs[0], false, nil
	}
	switch vs := p.Tagged.VIDs(); len(vs) {
	case 0:
		return 0, false, fmt.Errorf("%s is in no VLAN: nobody there talks to anybody", n.Ref(e))
	case 1:
		return vs[0], true, nil
	}
	return 0, false, fmt.Errorf("%s has several VLANs, all tagged: name a VLAN or an address instead", n.Ref(e))
}

// Answer is what became of a question.
type Answer struct {
	Verdict     Verdict
	Open        *Services // what some of them can use of what was asked for
	Service     string    // the one service by which the way is told
	From, To    netip.Addr
	There, Back Leg
	src, dst    *End
}

// Ask says whether somebody reaches somebody with services, and tells the way of
// one of them: of one that fails, where any does.
func (m *Map) Ask(from, to *Who, want *Services) *Answer {
	a := &Answer{Open: None, There: Leg{Hops: []Hop{}}, Back: Leg{Hops: []Hop{}}}
	tried, all := false, true
	var fails *Services
	for _, src := range from.ends {
		for _, dst := range to.ends {
			if src.Addr.Is4() != dst.Addr.Is4() || src.area == m.outside && dst.area == m.outside {
				continue
			}
			open := m.judge(src, dst).And(want)
			missing := want.Minus(open)
			if !tried || all && missing != None {
				a.src, a.dst, fails = src, dst, missing
			}
			tried, all = true, all && missing == None
			a.Open = a.Open.Or(open)
		}
	}
	switch {
	case !tried:
		a.Verdict = No
		a.There.Stop = m.strangers(from, to)
		a.Service = want.first().String()
		return a
	case all:
		a.Verdict, fails = Yes, want
	case a.Open == None:
		a.Verdict = No
	default:
		a.Verdict = Some
	}
	p := fails.first()
	a.Service, a.From, a.To = p.String(), a.src.Addr, a.dst.Addr
	a.There, a.Back = m.tell(a.src, a.dst, p)
	if a.Back.Hops == nil {
		a.Back.Hops = []Hop{}
	}
	return a
}

// Open is every service that some of one can use at some of the other, without a word
// on the way.
func (m *Map) Open(from, to *Who) *Services {
	open := None
	for _, src := range from.ends {
		for _, dst := range to.ends {
			if src.Addr.Is4() == dst.Addr.Is4() && (src.area != m.outside || dst.area != m.outside) {
				open = open.Or(m.judge(src, dst))
			}
		}
	}
	return open
}

// At is who is at some places in a VLAN, whether its subnet is known or not; with
// an address, he who has it. Where no VLAN is known, behind a device that knows no
// tags, it is the one whose gateway is heard.
func (m *Map) At(v office.VID, places []span.Place, a netip.Addr) *Who {
	for _, x := range m.vlans {
		for _, g := range x.gates {
			if v == 0 && g != nil && m.hears(places, g.places) {
				v = x.vid
			}
		}
	}
	if x := m.byVID[v]; x == nil || a.IsValid() && !x.holds(a) {
		a = netip.Addr{} // outside its subnet: that is a fault of its own
	}
	return &Who{Name: m.Name(v), VID: v, ends: m.hostsAt(v, places, a)}
}

// Managed is a device by its management: at its address alone, where that is one of
// its VLAN's subnet; else as somebody in that VLAN, as an address outside its subnet is
// a fault of its own. It is nobody where it is managed nowhere.
func (m *Map) Managed(dev int) *Who {
	d := m.Net.Office.Devices[dev]
	manage := d.Manage
	switch {
	case manage == nil:
		return &Who{Name: d.Name}
	case m.routers[dev] != nil && manage.Addr.IsValid() && m.routers[dev].owns(manage.Addr) != nil:
		return m.Own(manage.Addr)
	}
	who := m.At(manage.VID, reach.Management(m.Net, dev), manage.Addr)
	if x := m.byVID[manage.VID]; x != nil && manage.Addr.IsValid() && x.holds(manage.Addr) {
		who.ends = slices.DeleteFunc(who.ends, func(e *End) bool { return e.Addr != manage.Addr })
		for i, e := range who.ends {
			m.tells(e.Part, d)
			who.ends[i] = m.end(e.Part, e.places)
		}
	}
	who.Name = d.Name
	return who
}

// holds says whether an address is in one of a VLAN's subnets.
func (x *area) holds(a netip.Addr) bool {
	return slices.ContainsFunc(x.nets, func(n netip.Prefix) bool { return n.Contains(a) })
}

// Own is a device at one of its addresses.
func (m *Map) Own(a netip.Addr) *Who {
	e := m.at(a)
	return &Who{Name: a.String(), VID: e.area.vid, ends: []*End{e}}
}

// Crossing is a device that takes a packet at one of its addresses and sends it
// on from another.
type Crossing struct {
	Dev     int
	In, Out office.Address
	Decides string // the rule, in words of notation
}

// Told is the way of one packet, and of its answer.
type Told struct {
	Way      []Crossing // the devices that send it on, in order, as far as it gets
	From, To netip.Addr // zero where they have no addresses by which one could ask the other
	Stop     *Stop      // why it does not arrive; nil where it does
	Back     *Stop      // why its answer does not come back; nil where it does
}

// Way follows a packet from somebody to somebody: of the first service that can be
// used there; else of one that arrives, whose answer does not come back; else of any,
// up to where it stops.
func (m *Map) Way(from, to *Who) *Told {
	var best *Told
	rank := func(t *Told) int {
		switch {
		case t.Stop != nil:
			return 0
		case t.Back != nil:
			return 1
		}
		return 2
	}
	for _, src := range from.ends {
		for _, dst := range to.ends {
			if src.Addr.Is4() != dst.Addr.Is4() {
				continue
			}
			if t := m.follows(src, dst); best == nil || rank(t) > rank(best) {
				best = t
			}
			if rank(best) == 2 {
				return best
			}
		}
	}
	if best == nil {
		best = &Told{Stop: m.strangers(from, to)}
	}
	return best
}

// follows tells the way of one packet between two ends.
func (m *Map) follows(src, dst *End) *Told {
	told := &Told{From: src.Addr, To: dst.Addr}
	w := m.way(src, dst)
	open := m.judge(src, dst)
	if open == None {
		open = m.asked(w, src, dst)
	}
	if open == None {
		open = All
	}
	p := open.first()
	there, back := m.tell(src, dst, p)
	told.Stop, told.Back = there.Stop, back.Stop
	for i, s := range w.steps[:min(len(w.steps), len(there.Hops))] {
		if s.at == nil || s.to == nil {
			break
		}
		told.Way = append(told.Way, Crossing{s.r.dev, *s.at.a, *s.to.a, there.Hops[i].Decides})
	}
	return told
}

func (p probe) String() string {
	if p.protocol == office.Ping {
		return "ping"
	}
	return fmt.Sprintf("%s/%d", p.protocol, p.port)
}

// strangers says why two have no addresses by which one could ask the other.
func (m *Map) strangers(from, to *Who) *Stop {
	for i, w := range []*Who{from, to} {
		if len(w.ends) == 0 {
			return &Stop{Reason: []Reason{NoGateway, NoHost}[i], Text: m.Name(w.VID) + " has no subnet, and no device has an address in it", rule: -1}
		}
	}
	if from.VID == 0 && to.VID == 0 {
		return &Stop{Reason: NoRoute, Text: "both are outside", rule: -1}
	}
	return &Stop{Reason: NoRoute, Text: "one has addresses of IPv4 only and the other of IPv6 only", rule: -1}
}

// sameWay says whether an answer goes back over the devices that its question
// came by.
func sameWay(there, back *way) bool {
	if len(there.steps) != len(back.steps) {
		return false
	}
	for i := range there.steps {
		if there.steps[i].r != back.steps[len(back.steps)-1-i].r {
			return false
		}
	}
	return true
}

func names(w *way) (all []string) {
	for _, s := range w.steps {
		all = append(all, s.r.d.Name)
	}
	return all
}

// Sides is whom a wish, or a rule that is wished for, names: an end counts for
// a side where all of its part is in it.
func (m *Map) sides(sides []office.Side) (ends []*End, explicit map[*End]bool) {
	explicit = map[*End]bool{}
	for _, e := range m.ends {
		in, exact := false, false
		for _, s := range sides {
			switch s.Kind {
			case office.SideAny:
				in = in || e.own == nil
			case office.SideOutside:
				in = in || e.area == m.outside
			case office.SideVLAN:
				if e.area.vid == s.VID {
					in, exact = true, true
				}
			case office.SideZone:
				in = in || e.area.vid != 0 && m.inZone(e.area.vid, s.Zone)
			case office.SideNet:
				if s.Net.Contains(e.Addr) && s.Net.Bits() <= e.Net.Bits() {
					in, exact = true, exact || e.net.IsValid() && s.Net.Bits() >= e.net.Bits()
				}
			}
		}
		if in {
			ends = append(ends, e)
			explicit[e] = exact
		}
	}
	return ends, explicit
}

func (m *Map) inZone(v office.VID, zone string) bool {
	return slices.ContainsFunc(m.routers, func(r *router) bool { return r != nil && r.d.ZoneOf(v) == zone })
}

// formOf is how who is in a VLAN sends.
func formOf(v office.VID, tagged bool) bridge.Wire {
	if tagged {
		return bridge.Wire(v)
	}
	return bridge.Untagged
}
