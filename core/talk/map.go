// Package talk says who may talk to whom: which way a packet takes from subnet to
// subnet over the devices that route, what their rules let pass, and whether the
// answer comes back. It is the one place that decides that; walks across subnets,
// the way to a device's management and what is wished all ask here.
//
// Sets are exact. The addresses of a subnet are cut into parts by the prefixes
// that rules, routes and wishes name; all addresses of a part have one answer,
// which is an exact set of services.
package talk

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// Map is what an office has for routing, and where in its spans that stands.
type Map struct {
	Net     *span.Net
	routers []*router // by device; nil for those without an address and a line
	vlans   []*area   // ascending by VID
	byVID   map[office.VID]*area
	outside *area
	door    *router // the first device with a line to the outside, nil for none
	ends    []*End  // of all parts
	also    []*office.Wish
	tails   *tails         // while a table is made
	hearing *reach.Hearing // of the office
}

// area is a VLAN, or the outside, as somewhere to talk from and to.
type area struct {
	vid    office.VID // 0: the outside
	nets   []netip.Prefix
	places []span.Place // one for hosts that hear the same; the one with the gateway first
	parts  []*Part
	gates  [2]*stand // where hosts send what is for other subnets, by family
	empty  bool      // nobody is there but routers
	live   bool      // a device has an address there: else nothing leads in or out
}

// stand is an address of a device.
type stand struct {
	r      *router
	a      *office.Address
	addr   netip.Addr
	net    netip.Prefix
	at     int // interface
	places []span.Place
	admits *Services
}

// router is a device with addresses or lines to the outside.
type router struct {
	dev    int
	d      *office.Device
	routes bool
	state  bool
	stands []*stand
	ifaces []iface // by VLAN; the last is the outside
	table  [2][]entry
	rules  []rule
	nets   []net      // the prefixes that its rules name, by their length
	none   masks      // of an address that no rule names
	fromIf [][]uint64 // by interface: rules that it fits whatever the address
	toIf   [][]uint64
}

type iface struct {
	vid  office.VID // 0: the outside
	zone string
}

type rule struct {
	*office.Rule
	services *Services
}

// entry is what a router knows of a destination.
type entry struct {
	to    netip.Prefix
	stand *stand // connected, or the next hop's side
	line  bool   // to the outside
	hop   *stand // the next router's address
	stop  *Stop  // it swallows what it gets
	text  string // how it was written
	why   string // why it swallows what it gets
}

// New draws the map of an office, in which what the office and further wishes
// name are parts of their own.
func New(n *span.Net, also ...*office.Wish) *Map {
	m := &Map{Net: n, also: also, routers: make([]*router, len(n.Office.Devices)), byVID: map[office.VID]*area{}, hearing: reach.In(n)}
	for dev, d := range n.Office.Devices {
		if len(d.Addresses)+len(d.Outsides) > 0 {
			m.routers[dev] = m.router(dev, d)
		}
	}
	m.areas()
	for _, r := range m.routers {
		if r != nil {
			m.table(r)
		}
	}
	m.cut()
	return m
}

func (m *Map) router(dev int, d *office.Device) *router {
	r := &router{dev: dev, d: d, routes: d.Routing(), state: d.KeepsState()}
	if len(d.Outsides) > 0 && m.door == nil {
		m.door = r
	}
	for i := range d.Addresses {
		a := &d.Addresses[i]
		s := &stand{r: r, a: a, addr: a.Prefix.Addr(), net: a.Prefix.Masked(), at: r.iface(a.VID), places: reach.Address(m.Net, dev, a), admits: All}
		if a.Admits != nil {
			s.admits = Of(m.Net.Office, a.Admits)
		}
		if s.at < 0 {
			s.at = len(r.ifaces)
			r.ifaces = append(r.ifaces, iface{a.VID, d.ZoneOf(a.VID)})
		}
		r.stands = append(r.stands, s)
	}
	r.ifaces = append(r.ifaces, iface{})
	r.take(m.Net.Office)
	return r
}

// iface is the place of a VLAN among a router's interfaces, -1 for none.
func (r *router) iface(v office.VID) int {
	return slices.IndexFunc(r.ifaces, func(x iface) bool { return x.vid == v && v != 0 })
}

// outside is the place of its lines among its interfaces.
func (r *router) outside() int { return len(r.ifaces) - 1 }

// take makes the rules of a router ready to be asked.
func (r *router) take(o *office.Office) {
	r.rules = make([]rule, len(r.d.Rules))
	known := map[string]*Services{}
	for i := range r.d.Rules {
		x := &r.d.Rules[i]
		key := office.Services(x.Services)
		if known[key] == nil {
			known[key] = Of(o, x.Services)
		}
		r.rules[i] = rule{x, known[key]}
	}
	r.name()
	from := func(x *rule) []office.Side { return x.From }
	to := func(x *rule) []office.Side { return x.To }
	r.fromIf, r.toIf = r.byInterface(from), r.byInterface(to)
}

// byInterface is, for each interface, the rules of which a side names it,
// whatever the address.
func (r *router) byInterface(side func(*rule) []office.Side) [][]uint64 {
	any, outside := r.bits(), r.bits()
	zones, vlans := map[string][]uint64{}, map[office.VID][]uint64{}
	for i := range r.rules {
		for _, s := range side(&r.rules[i]) {
			into := any
			switch s.Kind {
			case office.SideNet:
				continue
			case office.SideOutside:
				into = outside
			case office.SideZone:
				if into = zones[s.Zone]; into == nil {
					into = r.bits()
					zones[s.Zone] = into
				}
			case office.SideVLAN:
				if into = vlans[s.VID]; into == nil {
					into = r.bits()
					vlans[s.VID] = into
				}
			}
			into[i/64] |= 1 << (i % 64)
		}
	}
	out := make([][]uint64, len(r.ifaces))
	for k, f := range r.ifaces {
		out[k] = slices.Clone(any)
		add := func(bits []uint64) {
			for w := range bits {
				out[k][w] |= bits[w]
			}
		}
		switch {
		case f.vid != 0:
			add(zones[f.zone]) // "" names none
			add(vlans[f.vid])
		case len(r.d.Outsides) > 0:
			add(outside)
		}
	}
	return out
}

func (r *router) bits() []uint64 { return make([]uint64, (len(r.rules)+63)/64) }

// areas finds the subnets of each VLAN, where its hosts are, and its gateways.
func (m *Map) areas() {
	o := m.Net.Office
	at := func(v office.VID) *area {
		if m.byVID[v] == nil {
			m.byVID[v] = &area{vid: v}
			m.vlans = append(m.vlans, m.byVID[v])
		}
		return m.byVID[v]
	}
	for _, v := range o.VLANs {
		at(v.VID).nets = slices.Clone(v.Nets)
	}
	m.outside = &area{live: true}
	for _, r := range m.routers {
		if r == nil {
			continue
		}
		for _, s := range r.stands {
			x := at(s.a.VID)
			x.live = true
			if !slices.ContainsFunc(x.nets, func(p netip.Prefix) bool { return p.Bits() <= s.net.Bits() && p.Overlaps(s.net) }) {
				x.nets = append(slices.DeleteFunc(x.nets, s.net.Overlaps), s.net)
			}
		}
	}
	slices.SortFunc(m.vlans, func(a, b *area) int { return cmp.Compare(a.vid, b.vid) })
	for _, x := range m.vlans {
		x.places = m.placesOf(x.vid)
		x.empty = m.between(x.vid)
		m.gateways(x)
	}
}

// placesOf is where the hosts of a VLAN are: one place for those that hear the
// same.
func (m *Map) placesOf(vid office.VID) (places []span.Place) {
	v := m.Net.VLAN(vid)
	if v == nil {
		return nil
	}
	for _, s := range v.Spans {
		if _, dead := m.Net.Dead(s); dead || len(places) > 0 && (v.State != span.Split || !m.hosts(s, vid)) && !s.OneWay {
			continue
		}
		if !s.OneWay {
			places = append(places, span.Place{Span: s, Node: s.Nodes[0]})
			continue
		}
		for _, x := range s.Nodes {
			if x.Label == span.Label(vid) && m.Net.EndsAt(x.Hub, vid) && (len(places) == 0 || !m.Net.HasAddress(x.Hub, vid)) {
				places = append(places, span.Place{Span: s, Node: x})
			}
		}
	}
	return places
}

// between says whether a VLAN is between routers, and nobody else is there.
func (m *Map) between(vid office.VID) bool {
	var first *router
	differ := false // they lead to different VLANs
	for _, r := range m.routers {
		if r == nil || !r.routes || r.iface(vid) < 0 {
			continue
		}
		if first == nil {
			first = r
			continue
		}
		differ = differ || len(r.ifaces) != len(first.ifaces) || slices.ContainsFunc(r.ifaces, func(x iface) bool { return x.vid != 0 && first.iface(x.vid) < 0 })
	}
	v := m.Net.VLAN(vid)
	if !differ || v == nil {
		return false
	}
	return !slices.ContainsFunc(v.Spans, func(s *span.Span) bool { return m.hosts(s, vid) }) &&
		!slices.ContainsFunc(m.Net.Office.Plugs, func(p office.Plug) bool { return p.Wants == vid }) &&
		!slices.ContainsFunc(m.Net.Office.Devices, func(d *office.Device) bool {
			return d.Manage != nil && d.Manage.VID == vid && d.Own(d.Manage.Addr) == nil // its own address there is no other host
		})
}

// hosts says whether somebody of a VLAN can be in a span, other than an address.
func (m *Map) hosts(s *span.Span, vid office.VID) bool {
	return len(m.Net.Terminals(s, vid)) > 0 || slices.ContainsFunc(s.Nodes, func(x span.Node) bool { return m.Net.Wants(x.Hub).Has(vid) })
}

// gateways finds the addresses to which the hosts of a VLAN send what is for other
// subnets.
func (m *Map) gateways(x *area) {
	for family := range x.gates {
		if gate := m.Net.Gateways().Of(x.vid, family); gate.Is() {
			stands := m.routers[gate.Dev].stands
			x.gates[family] = stands[slices.IndexFunc(stands, func(s *stand) bool { return s.a.VID == x.vid && s.addr == gate.Addr() })]
		}
	}
}

// table works out what a router knows of destinations: longest prefix first, of
// equal ones connected, then as written.
func (m *Map) table(r *router) {
	for family := range r.table {
		written := false
		all := r.connectedIn(family)
		connected := len(all)
		any := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
		if family == 1 {
			any = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
		}
		for _, x := range r.d.Routes {
			to := x.To
			if !to.IsValid() {
				to = any
			}
			if office.Family(to.Addr()) != family {
				continue
			}
			written = written || to.Bits() == 0
			e := entry{to: to, line: x.Line != "", text: "route " + x.String()}
			if !e.line && !m.hop(r, all[:connected], x.Via, &e) {
				continue // its next hop is in no connected subnet: as if it were not there
			}
			all = append(all, e)
		}
		if len(r.d.Outsides) > 0 && !written {
			all = append(all, entry{to: any, line: true, text: "route default via " + r.d.Outsides[0].Name})
		}
		slices.SortStableFunc(all, func(a, b entry) int { return cmp.Compare(b.to.Bits(), a.to.Bits()) })
		r.table[family] = all
	}
}

// connected is the subnets that a router is in, of the family of an address.
func (r *router) connected(a netip.Addr) []entry { return r.connectedIn(office.Family(a)) }

func (r *router) connectedIn(family int) (all []entry) {
	for _, s := range r.stands {
		if office.Family(s.addr) == family {
			all = append(all, entry{to: s.net, stand: s})
		}
	}
	for _, l := range r.d.Outsides {
		if l.Prefix.IsValid() && office.Family(l.Prefix.Addr()) == family {
			all = append(all, entry{to: l.Prefix.Masked(), line: true})
		}
	}
	return all
}

// hop finds the next hop of a route; false where it is in no connected subnet.
func (m *Map) hop(r *router, connected []entry, via netip.Addr, e *entry) bool {
	best := -1
	for i, c := range connected {
		if c.to.Contains(via) && (best < 0 || c.to.Bits() > connected[best].to.Bits()) {
			best = i
		}
	}
	if best < 0 {
		return false
	}
	c := connected[best]
	if c.line {
		e.line = true
		return true
	}
	e.stand = c.stand
	swallow := func(reason Reason, format string, args ...any) {
		e.why = fmt.Sprintf(format, args...)
		e.stop = &Stop{Device: r.d.Name, Reason: reason, Text: fmt.Sprintf("%s sends it on by %s, and %s", r.d.Name, e.text, e.why)}
	}
	swallow(NoHost, "no device has the address %s", via)
	for _, other := range m.routers {
		if other == nil || other == r {
			continue
		}
		for _, s := range other.stands {
			if s.addr != via {
				continue
			}
			switch {
			case !m.hears(c.stand.places, s.places):
				if e.stop != nil && e.stop.Reason == NoHost {
					swallow(Cut, "%s at %s is not in the same part of %s", other.d.Name, via, m.Net.Name(c.stand.a.VID))
				}
			case !other.routes:
				if e.hop == nil {
					swallow(NoRoute, "%s at %s does not route", other.d.Name, via)
				}
			case e.hop == nil:
				e.hop, e.stop = s, nil
			}
		}
	}
	return true
}

// lookup is what a router knows of a destination, nil for nothing.
func (r *router) lookup(a netip.Addr) *entry {
	table := r.table[office.Family(a)]
	for i := range table {
		if table[i].to.Contains(a) {
			return &table[i]
		}
	}
	return nil
}

// owns is the router's own address of that number, nil for none.
func (r *router) owns(a netip.Addr) *stand {
	for _, s := range r.stands {
		if s.addr == a {
			return s
		}
	}
	return nil
}

// hears says whether what is sent at one of some places is heard at one of others.
func (m *Map) hears(from, to []span.Place) bool { return m.hearing.Any(from, to) }
