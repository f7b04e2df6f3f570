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
	for _, end := range w.ends {
		out = append(out, end.Part)
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
	if addr, err := netip.ParseAddr(text); err == nil {
		if addr.Zone() != "" {
			return nil, fmt.Errorf("%s has a zone: give the address without it", text)
		}
		end := m.at(addr)
		who := &Who{Name: text, VID: end.area.vid, ends: []*End{end}}
		for _, plug := range m.Net.Office.Plugs {
			if plug.At == addr {
				who.Port, who.Tagged = plug.Port, plug.Tagged
			}
		}
		return who, nil
	}
	name := strings.TrimPrefix(text, "vlan ")
	if n, err := strconv.Atoi(name); err == nil {
		vid, err := office.VIDOf(n)
		if err != nil {
			return nil, err
		}
		if m.byVID[vid] == nil {
			return nil, fmt.Errorf("VLAN %d is not in the register", vid)
		}
		return m.VLAN(vid), nil
	}
	for _, vlan := range m.Net.Office.VLANs {
		if vlan.Name == name {
			return m.VLAN(vlan.VID), nil
		}
	}
	place, err := notation.PlaceOf(m.Net.Office, text)
	switch {
	case err != nil:
		names := []string{string(office.SideOutside)}
		for _, vlan := range m.Net.Office.VLANs {
			names = append(names, vlan.Name)
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
func (m *Map) VLAN(vid office.VID) *Who {
	return &Who{Name: strconv.Itoa(int(vid)), VID: vid, ends: m.endsIn(m.byVID[vid])}
}

// Outside is everybody outside.
func (m *Map) Outside() *Who { return &Who{Name: "outside", ends: m.endsIn(m.outside)} }

// endsIn is the ends that were asked about in an area: its gateway, its hosts, whoever has a name
// there.
func (m *Map) endsIn(area *area) (ends []*End) {
	for _, end := range m.ends {
		if end.area == area {
			ends = append(ends, end)
		}
	}
	return ends
}

// at is an address as an end, wherever its host is.
func (m *Map) at(addr netip.Addr) *End {
	part := m.part1(addr)
	if part.own != nil {
		return &End{Part: part, places: part.own.places, at: -1}
	}
	if part.area.vid == 0 {
		return &End{Part: part, at: -1}
	}
	for i := range m.Net.Office.Plugs {
		if plug := &m.Net.Office.Plugs[i]; plug.At == addr {
			return m.end(part, reach.Plug(m.Net, plug))
		}
	}
	for dev, device := range m.Net.Office.Devices {
		if device.Manage != nil && device.Manage.Addr == addr {
			m.tells(part, device)
			return m.end(part, reach.Management(m.Net, dev))
		}
	}
	return m.end(part, part.area.places[:min(1, len(part.area.places))])
}

// nowhere is what no subnet of the office has and nobody outside.
var nowhere = &area{}

// part1 is one address as a part.
func (m *Map) part1(addr netip.Addr) *Part {
	part := &Part{area: m.outside, Addr: addr, Net: netip.PrefixFrom(addr, addr.BitLen())}
	for _, area := range m.vlans {
		for _, prefix := range area.nets {
			if prefix.Contains(addr) && (!part.net.IsValid() || prefix.Bits() > part.net.Bits()) {
				part.area, part.net = area, prefix
			}
		}
	}
	if part.area == m.outside && unroutable(part.Net) {
		part.area = nowhere
	}
	for _, router := range m.routers {
		if router != nil && part.own == nil {
			part.own = router.owns(addr)
		}
	}
	if part.own != nil && part.own.address.VID != part.area.vid {
		part.area = m.byVID[part.own.address.VID]
	}
	m.mask(part)
	return part
}

// device is a device by its management, else by its first address.
func (m *Map) device(name string) (*Who, error) {
	dev := m.Net.Topo.DeviceIndex(name)
	device := m.Net.Office.Devices[dev]
	who := &Who{Name: name}
	switch {
	case device.Manage != nil && (device.Manage.Addr.IsValid() || m.byVID[device.Manage.VID] != nil):
		return m.Managed(dev), nil
	case len(device.Addresses) > 0:
		who.VID, who.ends = device.Addresses[0].VID, []*End{m.at(device.Addresses[0].Prefix.Addr())}
	default:
		return nil, fmt.Errorf("%s has no address and is managed nowhere: name one of its ports, as in %s.%s", name, name, device.Ports[0].Name)
	}
	return who, nil
}

// hostsAt is the parts of a VLAN as seen at a place; with an address, of its
// family that address alone.
func (m *Map) hostsAt(vid office.VID, places []span.Place, at netip.Addr) (ends []*End) {
	if at.IsValid() {
		ends = append(ends, m.end(m.part1(at), places))
	}
	if area := m.byVID[vid]; area != nil {
		for _, part := range area.parts {
			if part.own == nil && (!at.IsValid() || part.Addr.Is4() != at.Is4()) {
				ends = append(ends, m.end(part, places))
			}
		}
	}
	return ends
}

// port is who is at a port: the plug there, or whoever it is for.
func (m *Map) port(text string, place notation.Place) (*Who, error) {
	net := m.Net
	dev := net.Topo.DeviceIndex(place.Port.Device)
	device := net.Office.Devices[dev]
	port := device.Logical(device.Port(place.Port.Port))
	who := &Who{Name: text, Port: place.Port}
	plug := place.Plug
	for _, k := range net.Topo.PlugsAt(dev) {
		if other := &net.Office.Plugs[k]; place.Plug == nil && other.Port == place.Port && (plug == nil || plug.Tagged && !other.Tagged) {
			plug = other
		}
	}
	if plug != nil {
		who.VID, who.Tagged, who.ends = plug.Wants, plug.Tagged, m.hostsAt(plug.Wants, reach.Plug(m.Net, plug), plug.At)
		return who, nil
	}
	vid, tagged, err := VLANAt(net, graph.End{Dev: dev, Port: port})
	if err != nil {
		return nil, err
	}
	var places []span.Place
	if net.Gives(dev, port, vid, tagged) {
		places = reach.AtPort(net, dev, port, formOf(vid, tagged))
	}
	who.VID, who.Tagged, who.ends = vid, tagged, m.hostsAt(vid, places, netip.Addr{})
	return who, nil
}

// VLANAt is the VLAN of who is at a port that nothing is plugged into: its
// untagged one, else the only one that it has.
func VLANAt(net *span.Net, end graph.End) (vid office.VID, tagged bool, err error) {
	compiled := net.Port(end)
	if vs := compiled.Untagged.VIDs(); len(vs) > 0 {
		return vs[0], false, nil
	}
	switch vs := compiled.Tagged.VIDs(); len(vs) {
	case 0:
		return 0, false, fmt.Errorf("%s is in no VLAN: nobody there talks to anybody", net.Ref(end))
	case 1:
		return vs[0], true, nil
	}
	return 0, false, fmt.Errorf("%s has several VLANs, all tagged: name a VLAN or an address instead", net.Ref(end))
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
//
//	> talk guests to reception tcp/80
//	no: gate drops it, as no rule fits: between zones deny
//	> talk reception to outside tcp/443
//	yes: gate: allow zone staff,zone guests to outside
//	> talk devices to guests ping
//	yes: gate: allow zone devices to any
func (m *Map) Ask(from, to *Who, want *Services) *Answer {
	answer := &Answer{Open: None, There: Leg{Hops: []Hop{}}, Back: Leg{Hops: []Hop{}}}
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
				answer.src, answer.dst, fails = src, dst, missing
			}
			tried, all = true, all && missing == None
			answer.Open = answer.Open.Or(open)
		}
	}
	switch {
	case !tried:
		answer.Verdict = No
		answer.There.Stop = m.strangers(from, to)
		answer.Service = want.first().String()
		return answer
	case all:
		answer.Verdict, fails = Yes, want
	case answer.Open == None:
		answer.Verdict = No
	default:
		answer.Verdict = Some
	}
	probe := fails.first()
	answer.Service, answer.From, answer.To = probe.String(), answer.src.Addr, answer.dst.Addr
	answer.There, answer.Back = m.tell(answer.src, answer.dst, probe)
	if answer.Back.Hops == nil {
		answer.Back.Hops = []Hop{}
	}
	return answer
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
func (m *Map) At(vid office.VID, places []span.Place, addr netip.Addr) *Who {
	for _, area := range m.vlans {
		for _, own := range area.gates {
			if vid == 0 && own != nil && m.hears(places, own.places) {
				vid = area.vid
			}
		}
	}
	if area := m.byVID[vid]; area == nil || addr.IsValid() && !area.holds(addr) {
		addr = netip.Addr{} // outside its subnet: that is a fault of its own
	}
	return &Who{Name: m.Name(vid), VID: vid, ends: m.hostsAt(vid, places, addr)}
}

// Managed is a device by its management: at its address alone, where that is one of
// its VLAN's subnet; else as somebody in that VLAN, as an address outside its subnet is
// a fault of its own. It is nobody where it is managed nowhere.
func (m *Map) Managed(dev int) *Who {
	device := m.Net.Office.Devices[dev]
	manage := device.Manage
	switch {
	case manage == nil:
		return &Who{Name: device.Name}
	case m.routers[dev] != nil && manage.Addr.IsValid() && m.routers[dev].owns(manage.Addr) != nil:
		return m.Own(manage.Addr)
	}
	who := m.At(manage.VID, reach.Management(m.Net, dev), manage.Addr)
	if area := m.byVID[manage.VID]; area != nil && manage.Addr.IsValid() && area.holds(manage.Addr) {
		who.ends = slices.DeleteFunc(who.ends, func(end *End) bool { return end.Addr != manage.Addr })
		for i, end := range who.ends {
			m.tells(end.Part, device)
			who.ends[i] = m.end(end.Part, end.places)
		}
	}
	who.Name = device.Name
	return who
}

// holds says whether an address is in one of a VLAN's subnets.
func (x *area) holds(addr netip.Addr) bool {
	return slices.ContainsFunc(x.nets, func(prefix netip.Prefix) bool { return prefix.Contains(addr) })
}

// Own is a device at one of its addresses.
func (m *Map) Own(addr netip.Addr) *Who {
	end := m.at(addr)
	return &Who{Name: addr.String(), VID: end.area.vid, ends: []*End{end}}
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
	rank := func(one *Told) int {
		switch {
		case one.Stop != nil:
			return 0
		case one.Back != nil:
			return 1
		}
		return 2
	}
	for _, src := range from.ends {
		for _, dst := range to.ends {
			if src.Addr.Is4() != dst.Addr.Is4() {
				continue
			}
			if one := m.follows(src, dst); best == nil || rank(one) > rank(best) {
				best = one
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
	way := m.way(src, dst)
	open := m.judge(src, dst)
	if open == None {
		open = m.asked(way, src, dst)
	}
	if open == None {
		open = All
	}
	probe := open.first()
	there, back := m.tell(src, dst, probe)
	told.Stop, told.Back = there.Stop, back.Stop
	for i, step := range way.steps[:min(len(way.steps), len(there.Hops))] {
		if step.at == nil || step.to == nil {
			break
		}
		told.Way = append(told.Way, Crossing{step.router.dev, *step.at.address, *step.to.address, there.Hops[i].Decides})
	}
	return told
}

// String is a probe as a verdict names it: ping, tcp/443.
func (p probe) String() string {
	if p.protocol == office.Ping {
		return "ping"
	}
	return fmt.Sprintf("%s/%d", p.protocol, p.port)
}

// strangers says why two have no addresses by which one could ask the other.
func (m *Map) strangers(from, to *Who) *Stop {
	for i, who := range []*Who{from, to} {
		if len(who.ends) == 0 {
			return &Stop{Reason: []Reason{NoGateway, NoHost}[i], Text: m.Name(who.VID) + " has no subnet, and no device has an address in it", rule: -1}
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
		if there.steps[i].router != back.steps[len(back.steps)-1-i].router {
			return false
		}
	}
	return true
}

// names is the routers of a way, in the order in which a packet meets them.
func names(way *way) (all []string) {
	for _, step := range way.steps {
		all = append(all, step.router.device.Name)
	}
	return all
}

// Sides is whom a wish, or a rule that is wished for, names: an end counts for
// a side where all of its part is in it.
func (m *Map) sides(sides []office.Side) (ends []*End, explicit map[*End]bool) {
	explicit = map[*End]bool{}
	for _, end := range m.ends {
		in, exact := false, false
		for _, side := range sides {
			switch side.Kind {
			case office.SideAny:
				in = in || end.own == nil
			case office.SideOutside:
				in = in || end.area == m.outside
			case office.SideVLAN:
				if end.area.vid == side.VID {
					in, exact = true, true
				}
			case office.SideZone:
				in = in || end.area.vid != 0 && m.inZone(end.area.vid, side.Zone)
			case office.SideNet:
				if side.Net.Contains(end.Addr) && side.Net.Bits() <= end.Net.Bits() {
					in, exact = true, exact || end.net.IsValid() && side.Net.Bits() >= end.net.Bits()
				}
			}
		}
		if in {
			ends = append(ends, end)
			explicit[end] = exact
		}
	}
	return ends, explicit
}

func (m *Map) inZone(vid office.VID, zone string) bool {
	return slices.ContainsFunc(m.routers, func(router *router) bool { return router != nil && router.device.ZoneOf(vid) == zone })
}

// formOf is how who is in a VLAN sends.
func formOf(vid office.VID, tagged bool) bridge.Wire {
	if tagged {
		return bridge.Wire(vid)
	}
	return bridge.Untagged
}
