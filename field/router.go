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
	x := &Router{Forwards: forward == 1}
	for _, l := range links {
		if l.Name == "lo" {
			continue
		}
		is := RouterLink{Name: l.Name, Kind: l.Info.Kind, Parent: l.Parent, ID: l.Info.Data.ID}
		for _, p := range links {
			if p.Master == l.Name && p.Info.Slave == "bridge" {
				is.Ports = append(is.Ports, p.Name)
			}
		}
		x.Links = append(x.Links, is)
	}
	for _, a := range r.Addresses {
		dev, text, _ := strings.Cut(a, " ")
		if p, err := netip.ParsePrefix(text); err == nil {
			if i := slices.IndexFunc(x.Links, func(l RouterLink) bool { return plain(l.Name) == dev }); i >= 0 {
				x.Links[i].Addresses = append(x.Links[i].Addresses, p)
			}
		}
	}
	if !x.Forwards && len(r.Addresses) < 2 {
		return nil // a host, or a switch
	}
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
			return fmt.Errorf("nft -j list ruleset at %s: %w", r.Source, err)
		}
		if x.Filter, err = nftables.Parse(out); err != nil {
			x.NotTold = append(x.NotTold, "rules: "+err.Error())
		}
	}
	if err := x.askHandouts(func(command string) ([]byte, error) {
		out, err := run(command)
		if errors.As(err, &no) { // what all may read is not asked for as root
			return root(command)
		}
		return out, err
	}, socket); err != nil {
		return err
	}
	r.Router = x
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
func (x *Router) mapped(r *Reading, d *office.Device, m Match, known wordingPorts) routerMap {
	is := routerMap{map[string]office.VID{}, map[string]int{}, map[office.VID]string{}, make([]string, len(d.Outsides))}
	at := func(name string) int { // the port of the device
		for k := range r.Ports {
			if r.Ports[k].Name == plain(name) {
				return m.Front(k)
			}
		}
		return -1
	}
	for i, l := range d.Outsides {
		p := d.Port(l.On)
		for _, y := range x.Links {
			here := y.Name
			if y.Kind == "vlan" {
				here = y.Parent
			}
			if p >= 0 && at(here) == p && (l.VID == 0) == (y.Kind != "vlan") && int(l.VID) == y.ID {
				is.line[y.Name], is.out[i] = i, y.Name
			}
		}
	}
	put := func(l *RouterLink, v office.VID) {
		if v == 0 || is.vid[l.Name] != 0 {
			return
		}
		if _, line := is.line[l.Name]; line {
			return
		}
		is.vid[l.Name] = v
		if is.dev[v] == "" || len(l.Addresses) > 0 {
			is.dev[v] = l.Name
		}
	}
	for i := range x.Links {
		l := &x.Links[i]
		switch p := at(l.Name); {
		case l.Kind == "vlan":
			if v, err := office.VIDOf(l.ID); err == nil {
				put(l, v)
			}
		case p >= 0 && known[p] != 0:
			put(l, known[p])
		}
		if l.Kind == "bridge" && len(l.Ports) > 0 { // one for a VLAN
			same := 0
			for _, name := range l.Ports {
				if k := slices.IndexFunc(x.Links, func(y RouterLink) bool { return y.Name == name }); k >= 0 && x.Links[k].Kind == "vlan" && (same == 0 || same == x.Links[k].ID) {
					same = x.Links[k].ID
				}
			}
			if v, err := office.VIDOf(same); err == nil {
				put(l, v)
			}
		}
	}
	for i := range x.Links { // where nothing else says so: by the subnet
		for _, a := range d.Addresses {
			if slices.ContainsFunc(x.Links[i].Addresses, func(p netip.Prefix) bool { return p.Masked() == a.Prefix.Masked() }) {
				put(&x.Links[i], a.VID)
			}
		}
	}
	return is
}

// wordingPorts is, by port of a device, the VLAN that its untagged frames are in; 0 for none.
type wordingPorts []office.VID

// Routing is what was read of how a device routes, on a device of the office; nil where it
// told nothing of that, or it is not meant to: a host's own way out is none of the plan. What is as planned is said as it is planned.
func (r *Reading) Routing(o *office.Office, d *office.Device, m Match, ports wordingPorts) *found.Routing {
	x := r.Router
	if x == nil || !d.Routing() && !d.NoRouting {
		return nil
	}
	is := x.mapped(r, d, m, ports)
	out := found.RoutingOf(d)
	out.Tells = []found.Part{found.PartAddresses, found.PartRoutes}
	out.Unsaid = append(slices.Clone(x.NotTold), x.Unsaid...)
	unsaid := func(format string, args ...any) {
		if len(out.Unsaid) < mostTrouble {
			out.Unsaid = append(out.Unsaid, fmt.Sprintf(format, args...))
		}
	}
	x.addresses(d, is, out, unsaid)
	x.routes(d, is, out, unsaid)
	if !x.noHandouts {
		out.Tells = append(out.Tells, found.PartHandouts)
		x.handsOut(out, unsaid)
	}
	if x.Filter != nil {
		out.Tells = append(out.Tells, found.PartRules, found.PartAdmits)
		x.rules(o, d, is, out, unsaid)
	}
	if err := office.NewDraft(o).PutDevice(out.On(d).Seal()); err != nil { // such as an address that another device has
		return &found.Routing{Unsaid: append(out.Unsaid, fmt.Sprintf("what %s routes by cannot stand in the office: %s", d.Name, err))}
	}
	return out
}

// addresses finds the addresses in VLANs, those that are planned in their order.
func (x *Router) addresses(d *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	var all []office.Address
	for _, l := range x.Links {
		for _, p := range l.Addresses {
			if k, ok := is.line[l.Name]; ok {
				if p.Addr().Is4() == d.Outsides[k].Prefix.Addr().Is4() && d.Outsides[k].Prefix.IsValid() {
					out.Outsides[k].Prefix = p
				}
				continue
			}
			v := is.vid[l.Name]
			if v == 0 {
				unsaid("the address %s is on %s, which is in no VLAN that is known", p, plain(l.Name))
				continue
			}
			if d.Manage != nil && d.Manage.VID == v && d.Manage.Addr == p.Addr() && !slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.Prefix == p }) {
				continue // it is managed there
			}
			if l.Name != is.dev[v] {
				unsaid("%s is in VLAN %d as well as %s: rules are read for the latter", plain(l.Name), v, plain(is.dev[v]))
			}
			on := ""
			if d.Forwarding == office.Routed {
				on = x.on(d, l.Name, v)
			}
			all = append(all, office.Address{VID: v, Prefix: p, On: on})
		}
	}
	place := func(a office.Address) int {
		k := slices.IndexFunc(d.Addresses, func(b office.Address) bool { return a.VID == b.VID && a.Prefix == b.Prefix })
		if k < 0 {
			return len(d.Addresses)
		}
		return k
	}
	slices.SortStableFunc(all, func(a, b office.Address) int {
		return cmp.Or(place(a)-place(b), cmp.Compare(a.VID, b.VID), a.Prefix.Compare(b.Prefix))
	})
	for i := range all {
		if k := place(all[i]); k < len(d.Addresses) {
			all[i] = d.Addresses[k]
		}
	}
	out.Addresses = all
}

// on is the port of a device that an address is on where none is planned there: as others of
// its VLAN are.
func (x *Router) on(d *office.Device, dev string, v office.VID) string {
	for _, a := range d.Addresses {
		if a.VID == v {
			return a.On
		}
	}
	base, _, _ := strings.Cut(dev, ".")
	for p := range d.Ports {
		if cmp.Or(d.Ports[p].Inside, d.Ports[p].Name) == base {
			return d.Ports[p].Name
		}
	}
	for _, a := range d.Addresses {
		return a.On
	}
	return ""
}

// routes finds what is sent where, but for what is connected.
func (x *Router) routes(d *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	out.Routes = nil
	best := map[netip.Prefix]int{}
	var hasDefault [2]bool
	var all []office.Route
	for _, y := range x.Routes {
		to, err := netip.ParsePrefix(y.To)
		switch {
		case y.To == "default":
			to = netip.PrefixFrom(netip.IPv4Unspecified(), 0)
			if y.v6 {
				to = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
			}
		case err != nil:
			a, wrong := netip.ParseAddr(y.To)
			if wrong != nil {
				continue
			}
			to = netip.PrefixFrom(a, a.BitLen())
		}
		if y.Protocol == "kernel" || to.Addr().IsLinkLocalUnicast() || to.Addr().IsMulticast() {
			continue
		}
		if y.Type != "" && y.Type != "unicast" || y.Next != nil {
			unsaid("the route to %s is of a kind that is not read (%s)", to, cmp.Or(plain(y.Type), "several next hops"))
			continue
		}
		if was, ok := best[to]; ok && was <= y.Metric {
			continue
		}
		best[to] = y.Metric
		via, wrong := netip.ParseAddr(y.Via)
		if k, ok := is.line[y.Dev]; ok {
			l := d.Outsides[k]
			if wrong == nil && l.Via.IsValid() && via.Is4() == l.Via.Is4() {
				out.Outsides[k].Via = via
			}
			if to.Bits() == 0 {
				hasDefault[office.Family(to.Addr())] = true
				if k == 0 && !slices.ContainsFunc(d.Routes, func(r office.Route) bool { return r.Default() && r.Line == l.Name }) {
					continue // as without a word
				}
				if slices.Contains(d.Routes, office.Route{Line: l.Name}) {
					to = netip.Prefix{}
				}
			}
			all = append(all, office.Route{To: to, Line: l.Name})
			continue
		}
		if wrong != nil {
			unsaid("the route to %s leads out of %s without a next hop", to, plain(y.Dev))
			continue
		}
		hasDefault[office.Family(to.Addr())] = hasDefault[office.Family(to.Addr())] || to.Bits() == 0
		all = append(all, office.Route{To: to.Masked(), Via: via})
	}
	slices.SortStableFunc(all, func(a, b office.Route) int { return rank(d.Routes, a) - rank(d.Routes, b) })
	for _, y := range all {
		if !slices.Contains(out.Routes, y) {
			out.Routes = append(out.Routes, y)
		}
	}
	if len(d.Outsides) > 0 && !hasDefault[office.IPv4] && d.Outsides[0].Prefix.IsValid() && d.Outsides[0].Prefix.Addr().Is4() {
		unsaid("%s has no default route: nothing leaves by %s", d.Name, d.Outsides[0].Name)
	}
	out.NoRouting = !x.Forwards
	if d.NoRouting { // its routes are those of a host
		out.Routes = slices.Clone(d.Routes)
	}
}

func rank(planned []office.Route, r office.Route) int {
	if k := slices.Index(planned, r); k >= 0 {
		return k
	}
	return len(planned)
}

// rules finds what passes between the VLANs, and what the host itself answers in each: where
// that is as planned, the rules are; else there are rules before the planned ones that make
// the difference.
func (x *Router) rules(o *office.Office, d *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	for _, t := range slices.Concat(x.Filter.Led, x.Filter.Other) {
		unsaid("%s: %s", d.Name, t)
	}
	now := out.On(d)
	dev := func(v office.VID, i int) string {
		if v == 0 {
			return is.out[i]
		}
		return is.dev[v]
	}
	decide := x.Filter.Decide
	stopped := false
	keeps := d.KeepsState()
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
		unsaid("%s has more rules than can be held against the plan", d.Name)
		out.Tells = slices.DeleteFunc(out.Tells, func(p found.Part) bool { return p == found.PartRules })
	} else if len(gaps) > 0 {
		now.Rules = found.Mended(now, gaps)
		out.Rules = now.Rules
		border := talk.BorderOf(o, now)
		if rest, _ := found.Gaps(now, names, border.Lets, lets); len(rest) > 0 {
			for _, t := range found.Mismatches(o, d, rest) {
				unsaid("%s, and that cannot be said in rules", t.Is)
			}
		}
	}
	out.Stateless = stopped
	x.admits(o, now, is, out, unsaid)
	for _, rule := range x.Filter.Vague() {
		unsaid("%s of %s is not understood, and counts as not there", rule, d.Name)
	}
}

// admits finds what a host answers at each of its own addresses, in the VLAN of the address.
func (x *Router) admits(o *office.Office, now *office.Device, is routerMap, out *found.Routing, unsaid func(string, ...any)) {
	names := x.Filter.Prefixes()
	for i := range out.Addresses {
		a := &out.Addresses[i]
		if is.dev[a.VID] == "" {
			continue
		}
		planned := talk.All
		if a.Admits != nil {
			planned = talk.Of(o, a.Admits)
		}
		var open *talk.Services
		for k, p := range found.Hosts(now, *a, names) {
			one := x.Filter.Decide(nftables.Input, nftables.Flow{In: is.dev[a.VID], Src: p.Addr, Dst: a.Prefix.Addr()})
			switch {
			case k == 0:
				open = one
			case !one.Equal(open):
				unsaid("%s answers %s at %s to %s alone", now.Name, one, a.Prefix.Addr(), p.Net)
			}
		}
		if open == nil || open.Equal(planned) {
			continue
		}
		if a.Admits = open.List(); open == talk.All {
			a.Admits = nil
		} else if open == talk.None {
			a.Admits = []office.Service{}
		}
	}
}
