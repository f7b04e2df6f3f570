package field

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/talk"
	"klammer/field/nftables"
)

// Router is what a Linux host told of how it routes, in its own names.
type Router struct {
	Links    []RouterLink
	Routes   []hostRoute
	Forwards bool
	Filter   *nftables.Ruleset // nil where it was not told
	Handouts []Handout
	Server   *handServer // what hands out; nil where nothing does, or nobody told
	NotTold  []string    // parts that it did not tell, and why
	Unsaid   []string    // what it told and nothing here stands for

	noHandouts bool // nobody told whether something hands out
}

// RouterLink is an interface of a host that routes.
type RouterLink struct {
	Name      string
	Kind      string // of iproute2: "vlan", "bridge", "" for a card
	Parent    string // of a VLAN's: the interface that it is on
	ID        int    // of a VLAN's
	Ports     []string
	Addresses []netip.Prefix
}

// hostRoute is what ip -json route show prints of a route.
type hostRoute struct {
	Type     string          `json:"type"`
	To       string          `json:"dst"`
	Via      string          `json:"gateway"`
	Dev      string          `json:"dev"`
	Protocol string          `json:"protocol"`
	Metric   int             `json:"metric"`
	Next     json.RawMessage `json:"nexthops"`

	v6 bool
}

// Handout is addresses that are handed out (RFC 2131).
type Handout struct {
	From, To netip.Addr
	Gateway  netip.Addr // that is told with them; zero where the server's own is
	At       string     // where that is written
}

// askRouter asks a host what it routes by: run gives what a command prints, root what it
// prints to root.
func (r *Reading) askRouter(links []link, ask func(command string, into any) error, run, root func(command string) ([]byte, error), socket func(name string) (net.Conn, error)) error {
	var forward int
	if err := ask("cat /proc/sys/net/ipv4/ip_forward", &forward); err != nil {
		var no *Refused
		if errors.As(err, &no) {
			return nil
		}
		return err
	}
	router := &Router{Forwards: forward == 1, Links: r.routerLinks(links)}
	if !router.Forwards && len(r.Addresses) < 2 {
		return nil // a host, or a switch
	}
	if err := router.askRoutes(ask); err != nil {
		return err
	}
	if err := router.askRules(r.Source, root); err != nil {
		return err
	}
	if err := router.askHandouts(func(command string) ([]byte, error) {
		out, err := run(command)
		if no := (*Refused)(nil); errors.As(err, &no) { // what all may read is not asked for as root
			return root(command)
		}
		return out, err
	}, socket); err != nil {
		return err
	}
	r.Router = router
	return nil
}

// routerLinks is the interfaces of a host, with the ports of bridges and the addresses.
func (r *Reading) routerLinks(links []link) (all []RouterLink) {
	for _, link := range links {
		if link.Name == "lo" {
			continue
		}
		is := RouterLink{Name: link.Name, Kind: link.Info.Kind, Parent: link.Parent, ID: link.Info.Data.ID}
		for _, other := range links {
			if other.Master == link.Name && other.Info.Slave == "bridge" {
				is.Ports = append(is.Ports, other.Name)
			}
		}
		all = append(all, is)
	}
	for _, a := range r.Addresses {
		dev, text, _ := strings.Cut(a, " ")
		if prefix, err := netip.ParsePrefix(text); err == nil {
			if i := slices.IndexFunc(all, func(link RouterLink) bool { return plain(link.Name) == dev }); i >= 0 {
				all[i].Addresses = append(all[i].Addresses, prefix)
			}
		}
	}
	return all
}

// askRoutes asks what is sent where.
func (x *Router) askRoutes(ask func(command string, into any) error) error {
	var v4, v6 []hostRoute
	if err := ask("ip -json route show", &v4); err != nil {
		return err
	}
	if err := ask("ip -json -6 route show", &v6); err != nil {
		var no *Refused
		if !errors.As(err, &no) {
			return err
		}
	}
	for i := range v6 {
		v6[i].v6 = true
	}
	x.Routes = append(v4, v6...)
	var rules []struct{ Table string }
	if err := ask("ip -json rule show", &rules); err == nil {
		for _, t := range rules {
			if !slices.Contains([]string{"local", "main", "default"}, t.Table) {
				x.Unsaid = append(x.Unsaid, "routes are also looked up in the table "+plain(t.Table)+", by rules of ip rule: that is not read")
			}
		}
	}
	return nil
}

// askRules asks what passes; a host without rules of nftables, or that shows none, says so.
func (x *Router) askRules(source string, root func(command string) ([]byte, error)) error {
	out, err := root("nft -j list ruleset")
	var no *Refused
	switch {
	case errors.As(err, &no) && strings.Contains(no.Error(), "not found"):
		x.NotTold = append(x.NotTold, "rules: it has no nft (nftables)")
	case errors.As(err, &no):
		x.NotTold = append(x.NotTold, "rules: "+no.Error())
	case err != nil:
		return err
	default:
		if err := believable(out); err != nil {
			return fmt.Errorf("nft -j list ruleset at %s: %w", source, err)
		}
		if x.Filter, err = nftables.Parse(out); err != nil {
			x.NotTold = append(x.NotTold, "rules: "+err.Error())
		}
	}
	return nil
}

// routerMap is how the interfaces of a host stand to a device of the office.
type routerMap struct {
	vid  map[string]office.VID // by interface
	line map[string]int        // by interface: a line of the device to the outside
	dev  map[office.VID]string
	out  []string // by line
}

// mapped finds in which VLAN each interface is: by its number where it is a VLAN's; by what its
// port is set to; by a subnet that the device should have.
//
// Many branches: four ways to know where an interface is, of which the surest goes first.
func (x *Router) mapped(reading *Reading, device *office.Device, match Match, known wordingPorts) routerMap {
	is := routerMap{map[string]office.VID{}, map[string]int{}, map[office.VID]string{}, make([]string, len(device.Outsides))}
	at := func(name string) int { // the port of the device
		for port := range reading.Ports {
			if reading.Ports[port].Name == plain(name) {
				return match.Front(port)
			}
		}
		return -1
	}
	for i, line := range device.Outsides {
		p := device.Port(line.On)
		for _, link := range x.Links {
			here := link.Name
			if link.Kind == "vlan" {
				here = link.Parent
			}
			if p >= 0 && at(here) == p && (line.VID == 0) == (link.Kind != "vlan") && int(line.VID) == link.ID {
				is.line[link.Name], is.out[i] = i, link.Name
			}
		}
	}
	put := func(link *RouterLink, vid office.VID) {
		if vid == 0 || is.vid[link.Name] != 0 {
			return
		}
		if _, line := is.line[link.Name]; line {
			return
		}
		is.vid[link.Name] = vid
		if is.dev[vid] == "" || len(link.Addresses) > 0 {
			is.dev[vid] = link.Name
		}
	}
	for i := range x.Links {
		link := &x.Links[i]
		switch p := at(link.Name); {
		case link.Kind == "vlan":
			if vid, err := office.VIDOf(link.ID); err == nil {
				put(link, vid)
			}
		case p >= 0 && known[p] != 0:
			put(link, known[p])
		}
		if link.Kind == "bridge" { // one for a VLAN
			if vid, err := office.VIDOf(x.bridged(link)); err == nil {
				put(link, vid)
			}
		}
	}
	for i := range x.Links { // where nothing else says so: by the subnet
		for _, address := range device.Addresses {
			if slices.ContainsFunc(x.Links[i].Addresses, func(prefix netip.Prefix) bool { return prefix.Masked() == address.Prefix.Masked() }) {
				put(&x.Links[i], address.VID)
			}
		}
	}
	return is
}

// bridged is the number of the VLAN whose interfaces are the ports of a bridge; 0 for none.
func (x *Router) bridged(bridge *RouterLink) (id int) {
	for _, name := range bridge.Ports {
		if one := slices.IndexFunc(x.Links, func(other RouterLink) bool { return other.Name == name }); one >= 0 && x.Links[one].Kind == "vlan" && id == 0 {
			id = x.Links[one].ID
		}
	}
	return id
}

// wordingPorts is, by port of a device, the VLAN that its untagged frames are in; 0 for none.
type wordingPorts []office.VID

// Routing is what was read of how a device routes, on a device of the office; nil where it
// told nothing of that, or it is not meant to: a host's own way out is none of the plan. What is as planned is said as it is planned.
func (r *Reading) Routing(o *office.Office, device *office.Device, match Match, ports wordingPorts) *found.Routing {
	router := r.Router
	if router == nil || !device.Routing() && !device.NoRouting {
		return nil
	}
	is := router.mapped(r, device, match, ports)
	out := found.RoutingOf(device)
	out.Tells = []found.Part{found.PartAddresses, found.PartRoutes}
	out.Unsaid = append(slices.Clone(router.NotTold), router.Unsaid...)
	unsaid := func(format string, args ...any) {
		if len(out.Unsaid) < mostTrouble {
			out.Unsaid = append(out.Unsaid, clipped(fmt.Sprintf(format, args...)))
		}
	}
	router.addresses(device, is, out, unsaid)
	router.routes(device, is, out, unsaid)
	if !router.noHandouts {
		out.Tells = append(out.Tells, found.PartHandouts)
		router.handsOut(out, unsaid)
	}
	if router.Filter != nil {
		out.Tells = append(out.Tells, found.PartRules, found.PartAdmits)
		router.rules(o, device, is, out, unsaid)
	}
	if err := office.NewDraft(o).PutDevice(out.On(device).Seal()); err != nil { // such as an address that another device has
		return &found.Routing{Unsaid: append(out.Unsaid, fmt.Sprintf("what %s routes by cannot stand in the office: %s", device.Name, err))}
	}
	return out
}

// addresses finds the addresses in VLANs, those that are planned in their order.
func (x *Router) addresses(device *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	var all []office.Address
	for _, link := range x.Links {
		for _, prefix := range link.Addresses {
			if k, ok := is.line[link.Name]; ok {
				if prefix.Addr().Is4() == device.Outsides[k].Prefix.Addr().Is4() && device.Outsides[k].Prefix.IsValid() {
					out.Outsides[k].Prefix = prefix
				}
				continue
			}
			vid := is.vid[link.Name]
			if vid == 0 {
				unsaid("the address %s is on %s, which is in no VLAN that is known", prefix, plain(link.Name))
				continue
			}
			if device.Manage != nil && device.Manage.VID == vid && device.Manage.Addr == prefix.Addr() && !slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.Prefix == prefix }) {
				continue // it is managed there
			}
			if link.Name != is.dev[vid] {
				unsaid("%s is in VLAN %d as well as %s: rules are read for the latter", plain(link.Name), vid, plain(is.dev[vid]))
			}
			on := ""
			if device.Forwarding == office.Routed {
				on = x.on(device, link.Name, vid)
			}
			all = append(all, office.Address{VID: vid, Prefix: prefix, On: on})
		}
	}
	place := func(address office.Address) int {
		k := slices.IndexFunc(device.Addresses, func(other office.Address) bool { return address.VID == other.VID && address.Prefix == other.Prefix })
		if k < 0 {
			return len(device.Addresses)
		}
		return k
	}
	slices.SortStableFunc(all, func(a, b office.Address) int {
		return cmp.Or(place(a)-place(b), cmp.Compare(a.VID, b.VID), a.Prefix.Compare(b.Prefix))
	})
	for i := range all {
		if k := place(all[i]); k < len(device.Addresses) {
			all[i] = device.Addresses[k]
		}
	}
	out.Addresses = all
}

// on is the port of a device that an address is on where none is planned there: as others of
// its VLAN are.
func (x *Router) on(device *office.Device, dev string, vid office.VID) string {
	for _, address := range device.Addresses {
		if address.VID == vid {
			return address.On
		}
	}
	base, _, _ := strings.Cut(dev, ".")
	for port := range device.Ports {
		if cmp.Or(device.Ports[port].Inside, device.Ports[port].Name) == base {
			return device.Ports[port].Name
		}
	}
	for _, address := range device.Addresses {
		return address.On
	}
	return ""
}

// to is where a route leads, as a prefix; false for what is none, and for what a kernel makes
// by itself.
func (r *hostRoute) to() (to netip.Prefix, ok bool) {
	if r.Protocol == "kernel" {
		return to, false
	}
	if r.To == "default" {
		to := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
		if r.v6 {
			to = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
		}
		return to, true
	}
	to, err := netip.ParsePrefix(r.To)
	if err != nil {
		addr, err := netip.ParseAddr(r.To)
		if err != nil {
			return to, false
		}
		to = netip.PrefixFrom(addr, addr.BitLen())
	}
	return to, !to.Addr().IsLinkLocalUnicast() && !to.Addr().IsMulticast()
}

// routes finds what is sent where, but for what is connected.
func (x *Router) routes(device *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	out.Routes = nil
	best := map[netip.Prefix]int{}
	var hasDefault [2]bool
	var all []office.Route
	for _, route := range x.Routes {
		to, ok := route.to()
		if !ok {
			continue
		}
		if route.Type != "" && route.Type != "unicast" || route.Next != nil {
			unsaid("the route to %s is of a kind that is not read (%s)", to, cmp.Or(plain(route.Type), "several next hops"))
			continue
		}
		if was, ok := best[to]; ok && was <= route.Metric {
			continue
		}
		best[to] = route.Metric
		via, wrong := netip.ParseAddr(route.Via)
		if k, ok := is.line[route.Dev]; ok {
			hasDefault[office.Family(to.Addr())] = hasDefault[office.Family(to.Addr())] || to.Bits() == 0
			if one, ok := byLine(device, k, to, via, &out.Outsides[k]); ok {
				all = append(all, one)
			}
			continue
		}
		if wrong != nil {
			unsaid("the route to %s leads out of %s without a next hop", to, plain(route.Dev))
			continue
		}
		hasDefault[office.Family(to.Addr())] = hasDefault[office.Family(to.Addr())] || to.Bits() == 0
		all = append(all, office.Route{To: to.Masked(), Via: via})
	}
	slices.SortStableFunc(all, func(a, b office.Route) int { return rank(device.Routes, a) - rank(device.Routes, b) })
	for _, route := range all {
		if !slices.Contains(out.Routes, route) {
			out.Routes = append(out.Routes, route)
		}
	}
	if len(device.Outsides) > 0 && !hasDefault[office.IPv4] && device.Outsides[0].Prefix.IsValid() && device.Outsides[0].Prefix.Addr().Is4() {
		unsaid("%s has no default route: nothing leaves by %s", device.Name, device.Outsides[0].Name)
	}
	out.NoRouting = !x.Forwards
	if device.NoRouting { // its routes are those of a host
		out.Routes = slices.Clone(device.Routes)
	}
}

// byLine is a route by the k-th line to the outside, as the plan would write it, and puts the
// next hop to the line as it is found. false where the plan says it without a word: the default
// route by the first line.
func byLine(device *office.Device, k int, to netip.Prefix, via netip.Addr, is *office.Outside) (office.Route, bool) {
	line := device.Outsides[k]
	if via.IsValid() && line.Via.IsValid() && via.Is4() == line.Via.Is4() {
		is.Via = via
	}
	if to.Bits() == 0 {
		if k == 0 && !slices.ContainsFunc(device.Routes, func(one office.Route) bool { return one.Default() && one.Line == line.Name }) {
			return office.Route{}, false
		}
		if slices.Contains(device.Routes, office.Route{Line: line.Name}) {
			to = netip.Prefix{}
		}
	}
	return office.Route{To: to, Line: line.Name}, true
}

// rank is the place of a route among the planned ones; those not planned come behind.
func rank(planned []office.Route, route office.Route) int {
	if k := slices.Index(planned, route); k >= 0 {
		return k
	}
	return len(planned)
}

// rules finds what passes between the VLANs, and what the host itself answers in each: where
// that is as planned, the rules are; else there are rules before the planned ones that make
// the difference.
func (x *Router) rules(o *office.Office, device *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	for _, text := range slices.Concat(x.Filter.Led, x.Filter.Other) {
		unsaid("%s: %s", device.Name, text)
	}
	now := out.On(device)
	dev := func(vid office.VID, i int) string {
		if vid == 0 {
			return is.out[i]
		}
		return is.dev[vid]
	}
	decide := x.Filter.Decide
	stopped := false
	keeps := device.KeepsState()
	lets := func(in, to office.VID, src, dst netip.Addr) *talk.Services {
		flow := nftables.Flow{In: dev(in, 0), Out: dev(to, 0), Src: src, Dst: dst}
		open := decide(nftables.Forward, flow)
		if keeps && open != talk.None {
			back := decide(nftables.Forward, nftables.Flow{In: flow.Out, Out: flow.In, Src: dst, Dst: src, Answers: true})
			stopped = stopped || back != talk.All
		}
		return open
	}
	should := talk.BorderOf(o, now)
	names := slices.Concat(should.Names(), x.Filter.Prefixes())
	gaps, ok := found.Gaps(now, names, should.Lets, lets)
	if !ok || x.Filter.Tired() {
		unsaid("%s has more rules than can be held against the plan", device.Name)
		out.Tells = slices.DeleteFunc(out.Tells, func(part found.Part) bool { return part == found.PartRules })
	} else if len(gaps) > 0 {
		now.Rules = found.Mended(now, gaps)
		out.Rules = now.Rules
		border := talk.BorderOf(o, now)
		if rest, _ := found.Gaps(now, names, border.Lets, lets); len(rest) > 0 {
			for _, mismatch := range found.Mismatches(o, device, rest) {
				unsaid("%s, and that cannot be said in rules", mismatch.Is)
			}
		}
	}
	out.Stateless = stopped
	x.admits(o, now, is, out, unsaid)
	for _, rule := range x.Filter.Vague() {
		unsaid("%s of %s is not understood, and counts as not there", rule, device.Name)
	}
}

// admits finds what a host answers at each of its own addresses, in the VLAN of the address.
func (x *Router) admits(o *office.Office, now *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	names := x.Filter.Prefixes()
	for i := range out.Addresses {
		address := &out.Addresses[i]
		if is.dev[address.VID] == "" {
			continue
		}
		planned := talk.All
		if address.Admits != nil {
			planned = talk.Of(o, address.Admits)
		}
		var open *talk.Services
		for k, host := range found.Hosts(now, *address, names) {
			one := x.Filter.Decide(nftables.Input, nftables.Flow{In: is.dev[address.VID], Src: host.Addr, Dst: address.Prefix.Addr()})
			switch {
			case k == 0:
				open = one
			case !one.Equal(open):
				unsaid("%s answers %s at %s to %s alone", now.Name, one, address.Prefix.Addr(), host.Net)
			}
		}
		if open == nil || open.Equal(planned) {
			continue
		}
		if address.Admits = open.List(); open == talk.All {
			address.Admits = nil
		} else if open == talk.None {
			address.Admits = []office.Service{}
		}
	}
}
