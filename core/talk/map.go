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
	router  *router
	address *office.Address
	addr    netip.Addr
	net     netip.Prefix
	at      int // interface
	places  []span.Place
	admits  *Services
}

// router is a device with addresses or lines to the outside.
type router struct {
	dev    int
	device *office.Device
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
func New(net *span.Net, also ...*office.Wish) *Map {
	talks := &Map{Net: net, also: also, routers: make([]*router, len(net.Office.Devices)), byVID: map[office.VID]*area{}, hearing: reach.In(net)}
	for dev, device := range net.Office.Devices {
		if len(device.Addresses)+len(device.Outsides) > 0 {
			talks.routers[dev] = talks.router(dev, device)
		}
	}
	talks.areas()
	for _, router := range talks.routers {
		if router != nil {
			talks.table(router)
		}
	}
	talks.cut()
	return talks
}

// router takes a device that has addresses into the map: where it stands, between which interfaces
// its rules are asked, its lines to the outside.
func (m *Map) router(dev int, device *office.Device) *router {
	one := &router{dev: dev, device: device, routes: device.Routing(), state: device.KeepsState()}
	if len(device.Outsides) > 0 && m.door == nil {
		m.door = one
	}
	for i := range device.Addresses {
		address := &device.Addresses[i]
		own := &stand{router: one, address: address, addr: address.Prefix.Addr(), net: address.Prefix.Masked(), at: one.iface(address.VID), places: reach.Address(m.Net, dev, address), admits: All}
		if address.Admits != nil {
			own.admits = Of(m.Net.Office, address.Admits)
		}
		if own.at < 0 {
			own.at = len(one.ifaces)
			one.ifaces = append(one.ifaces, iface{address.VID, device.ZoneOf(address.VID)})
		}
		one.stands = append(one.stands, own)
	}
	one.ifaces = append(one.ifaces, iface{})
	one.take(m.Net.Office)
	return one
}

// iface is the place of a VLAN among a router's interfaces, -1 for none.
func (r *router) iface(vid office.VID) int {
	return slices.IndexFunc(r.ifaces, func(iface iface) bool { return iface.vid == vid && vid != 0 })
}

// outside is the place of its lines among its interfaces.
func (r *router) outside() int { return len(r.ifaces) - 1 }

// take makes the rules of a router ready to be asked.
func (r *router) take(o *office.Office) {
	r.rules = make([]rule, len(r.device.Rules))
	known := map[string]*Services{}
	for i := range r.device.Rules {
		one := &r.device.Rules[i]
		key := office.Services(one.Services)
		if known[key] == nil {
			known[key] = Of(o, one.Services)
		}
		r.rules[i] = rule{one, known[key]}
	}
	r.name()
	from := func(rule *rule) []office.Side { return rule.From }
	to := func(rule *rule) []office.Side { return rule.To }
	r.fromIf, r.toIf = r.byInterface(from), r.byInterface(to)
}

// byInterface is, for each interface, the rules of which a side names it,
// whatever the address.
func (r *router) byInterface(side func(*rule) []office.Side) [][]uint64 {
	any, outside := r.bits(), r.bits()
	zones, vlans := map[string][]uint64{}, map[office.VID][]uint64{}
	for i := range r.rules {
		for _, one := range side(&r.rules[i]) {
			into := any
			switch one.Kind {
			case office.SideNet:
				continue
			case office.SideOutside:
				into = outside
			case office.SideZone:
				if into = zones[one.Zone]; into == nil {
					into = r.bits()
					zones[one.Zone] = into
				}
			case office.SideVLAN:
				if into = vlans[one.VID]; into == nil {
					into = r.bits()
					vlans[one.VID] = into
				}
			}
			into[i/64] |= 1 << (i % 64)
		}
	}
	out := make([][]uint64, len(r.ifaces))
	for k, iface := range r.ifaces {
		out[k] = slices.Clone(any)
		add := func(bits []uint64) {
			for w := range bits {
				out[k][w] |= bits[w]
			}
		}
		switch {
		case iface.vid != 0:
			add(zones[iface.zone]) // "" names none
			add(vlans[iface.vid])
		case len(r.device.Outsides) > 0:
			add(outside)
		}
	}
	return out
}

func (r *router) bits() []uint64 { return make([]uint64, (len(r.rules)+63)/64) }

// areas finds the subnets of each VLAN, where its hosts are, and its gateways.
func (m *Map) areas() {
	o := m.Net.Office
	at := func(vid office.VID) *area {
		if m.byVID[vid] == nil {
			m.byVID[vid] = &area{vid: vid}
			m.vlans = append(m.vlans, m.byVID[vid])
		}
		return m.byVID[vid]
	}
	for _, vlan := range o.VLANs {
		at(vlan.VID).nets = slices.Clone(vlan.Nets)
	}
	m.outside = &area{live: true}
	for _, router := range m.routers {
		if router == nil {
			continue
		}
		for _, own := range router.stands {
			area := at(own.address.VID)
			area.live = true
			if !slices.ContainsFunc(area.nets, func(prefix netip.Prefix) bool { return prefix.Bits() <= own.net.Bits() && prefix.Overlaps(own.net) }) {
				area.nets = append(slices.DeleteFunc(area.nets, own.net.Overlaps), own.net)
			}
		}
	}
	slices.SortFunc(m.vlans, func(a, b *area) int { return cmp.Compare(a.vid, b.vid) })
	for _, area := range m.vlans {
		area.places = m.placesOf(area.vid)
		area.empty = m.between(area.vid)
		m.gateways(area)
	}
}

// placesOf is where the hosts of a VLAN are: one place for those that hear the
// same.
func (m *Map) placesOf(vid office.VID) (places []span.Place) {
	vlan := m.Net.VLAN(vid)
	if vlan == nil {
		return nil
	}
	for _, part := range vlan.Spans {
		if _, dead := m.Net.Dead(part); dead || len(places) > 0 && (vlan.State != span.Split || !m.hosts(part, vid)) && !part.OneWay {
			continue
		}
		if !part.OneWay {
			places = append(places, span.Place{Span: part, Node: part.Nodes[0]})
			continue
		}
		var routing []span.Place // where only a device's address is: for want of hosts
		for _, node := range part.Nodes {
			if node.Label != span.Label(vid) || !m.Net.EndsAt(node.Hub, vid) {
				continue
			}
			place := span.Place{Span: part, Node: node}
			if m.Net.HasAddress(node.Hub, vid) && !m.hosts(&span.Span{Nodes: []span.Node{node}}, vid) {
				routing = append(routing, place)
			} else {
				places = append(places, place)
			}
		}
		if len(places) == 0 && len(routing) > 0 {
			places = append(places, slices.MinFunc(routing, func(a, b span.Place) int {
				return office.NaturalCompare(m.Net.HubName(a.Node.Hub), m.Net.HubName(b.Node.Hub))
			}))
		}
	}
	return places
}

// between says whether a VLAN is between routers, and nobody else is there.
func (m *Map) between(vid office.VID) bool {
	var first *router
	differ := false // they lead to different VLANs
	for _, router := range m.routers {
		if router == nil || !router.routes || router.iface(vid) < 0 {
			continue
		}
		if first == nil {
			first = router
			continue
		}
		differ = differ || len(router.ifaces) != len(first.ifaces) || slices.ContainsFunc(router.ifaces, func(iface iface) bool { return iface.vid != 0 && first.iface(iface.vid) < 0 })
	}
	vlan := m.Net.VLAN(vid)
	if !differ || vlan == nil {
		return false
	}
	return !slices.ContainsFunc(vlan.Spans, func(part *span.Span) bool { return m.hosts(part, vid) }) &&
		!slices.ContainsFunc(m.Net.Office.Plugs, func(plug office.Plug) bool { return plug.Wants == vid }) &&
		!slices.ContainsFunc(m.Net.Office.Devices, func(device *office.Device) bool {
			return device.Manage != nil && device.Manage.VID == vid && device.Own(device.Manage.Addr) == nil // its own address there is no other host
		})
}

// hosts says whether somebody of a VLAN can be in a span, other than an address.
func (m *Map) hosts(part *span.Span, vid office.VID) bool {
	return len(m.Net.Terminals(part, vid)) > 0 || slices.ContainsFunc(part.Nodes, func(node span.Node) bool { return m.Net.Wants(node.Hub).Has(vid) })
}

// gateways finds the addresses to which the hosts of a VLAN send what is for other
// subnets.
func (m *Map) gateways(area *area) {
	for family := range area.gates {
		if gate := m.Net.Gateways().Of(area.vid, family); gate.Is() {
			stands := m.routers[gate.Dev].stands
			area.gates[family] = stands[slices.IndexFunc(stands, func(own *stand) bool { return own.address.VID == area.vid && own.addr == gate.Addr() })]
		}
	}
}

// table works out what a router knows of destinations: longest prefix first, of
// equal ones connected, then as written.
func (m *Map) table(router *router) {
	for family := range router.table {
		written := false
		all := router.connectedIn(family)
		connected := len(all)
		any := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
		if family == 1 {
			any = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
		}
		for _, route := range router.device.Routes {
			to := route.To
			if !to.IsValid() {
				to = any
			}
			if office.Family(to.Addr()) != family {
				continue
			}
			written = written || to.Bits() == 0
			one := entry{to: to, line: route.Line != "", text: "route " + route.String()}
			if !one.line && !m.hop(router, all[:connected], route.Via, &one) {
				continue // its next hop is in no connected subnet: as if it were not there
			}
			all = append(all, one)
		}
		if len(router.device.Outsides) > 0 && !written {
			all = append(all, entry{to: any, line: true, text: "route default via " + router.device.Outsides[0].Name})
		}
		slices.SortStableFunc(all, func(a, b entry) int { return cmp.Compare(b.to.Bits(), a.to.Bits()) })
		router.table[family] = all
	}
}

// connected is the subnets that a router is in, of the family of an address.
func (r *router) connected(addr netip.Addr) []entry { return r.connectedIn(office.Family(addr)) }

// connectedIn is the routes that a router has without being told any (RFC 1812, section 5.2.4.3):
// the subnets that it stands in, and those of its lines. family is 4 or 6.
func (r *router) connectedIn(family int) (all []entry) {
	for _, own := range r.stands {
		if office.Family(own.addr) == family {
			all = append(all, entry{to: own.net, stand: own})
		}
	}
	for _, line := range r.device.Outsides {
		if line.Prefix.IsValid() && office.Family(line.Prefix.Addr()) == family {
			all = append(all, entry{to: line.Prefix.Masked(), line: true})
		}
	}
	return all
}

// hop finds the next hop of a route; false where it is in no connected subnet.
func (m *Map) hop(router *router, connected []entry, via netip.Addr, entry *entry) bool {
	best := -1
	for i, other := range connected {
		if other.to.Contains(via) && (best < 0 || other.to.Bits() > connected[best].to.Bits()) {
			best = i
		}
	}
	if best < 0 {
		return false
	}
	one := connected[best]
	if one.line {
		entry.line = true
		return true
	}
	entry.stand = one.stand
	swallow := func(reason Reason, format string, args ...any) {
		entry.why = fmt.Sprintf(format, args...)
		entry.stop = &Stop{Device: router.device.Name, Reason: reason, Text: fmt.Sprintf("%s sends it on by %s, and %s", router.device.Name, entry.text, entry.why)}
	}
	swallow(NoHost, "no device has the address %s", via)
	for _, other := range m.routers {
		if other == nil || other == router {
			continue
		}
		for _, own := range other.stands {
			if own.addr != via {
				continue
			}
			switch {
			case !m.hears(one.stand.places, own.places):
				if entry.stop != nil && entry.stop.Reason == NoHost {
					swallow(Cut, "%s at %s is not in the same part of %s", other.device.Name, via, m.Net.Name(one.stand.address.VID))
				}
			case !other.routes:
				if entry.hop == nil {
					swallow(NoRoute, "%s at %s does not route", other.device.Name, via)
				}
			case entry.hop == nil:
				entry.hop, entry.stop = own, nil
			}
		}
	}
	return true
}

// lookup is what a router knows of a destination, nil for nothing.
func (r *router) lookup(addr netip.Addr) *entry {
	table := r.table[office.Family(addr)]
	for i := range table {
		if table[i].to.Contains(addr) {
			return &table[i]
		}
	}
	return nil
}

// owns is the router's own address of that number, nil for none.
func (r *router) owns(addr netip.Addr) *stand {
	for _, own := range r.stands {
		if own.addr == addr {
			return own
		}
	}
	return nil
}

// hears says whether what is sent at one of some places is heard at one of others.
func (m *Map) hears(from, to []span.Place) bool { return m.hearing.Any(from, to) }
