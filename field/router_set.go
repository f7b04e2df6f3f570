package field

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/found"
	"klammer/core/office"
	"klammer/core/talk"
	"klammer/field/nftables"
)

// Rerouting is a device that is to route otherwise: as it was read, and as it should be in an
// office.
type Rerouting struct {
	Office  *office.Office
	Was, Is *office.Device
	Match   Match
	Ports   wordingPorts
}

// rerouter is a device that can be told how it routes.
type rerouter interface {
	SetRouting(ctx context.Context, rerouting Rerouting) error
}

// byHandRouting is said of what a protocol cannot set.
const byHandRouting = "bundles, inner ports, addresses and rules are not set over this protocol"

// SetRouting tells the device, where its protocol can.
func (b *bounded) SetRouting(ctx context.Context, rerouting Rerouting) error {
	dev, ok := b.Device.(rerouter)
	if !ok {
		return &ByHand{byHandRouting}
	}
	return b.line.during(ctx, func(ctx context.Context) error { return dev.SetRouting(ctx, rerouting) })
}

// writing is one thing that is told a host: a program, and what stands on its input.
type writing struct{ command, input string }

// SetRouting sets addresses, routes, what is handed out, and rules, in that order: what is to
// be kept out is, before what goes is taken away.
//
// Many branches: one a part, each with what must be done before it.
func (h *host) SetRouting(ctx context.Context, rerouting Rerouting) error {
	if h.read == nil || h.read.Router == nil {
		return &ByHand{byHandRouting}
	}
	router := h.read.Router
	is := router.mapped(h.read, rerouting.Was, rerouting.Match, rerouting.Ports)
	for _, name := range slices.Concat(slices.Collect(maps.Values(is.dev)), is.out) {
		if name != "" && !linkName(name) {
			return &Refused{"interface " + plain(name), "it has a name that is not written"}
		}
	}
	var come, gone []writing
	links, news, err := router.setAddresses(h.read, is, rerouting)
	if err != nil {
		return err
	}
	for vid, name := range news { // its rules name it
		is.dev[vid] = name
	}
	rules, err := router.setRules(is, rerouting)
	if err != nil {
		return err
	}
	hands, err := router.setHandouts(rerouting)
	if err != nil {
		return err
	}
	if links[0] != "" {
		come = append(come, writing{"ip -batch -", links[0]})
	}
	if links[1] != "" {
		gone = append(gone, writing{"ip -batch -", links[1]})
	}
	if rerouting.Was.NoRouting != rerouting.Is.NoRouting {
		on := map[bool]string{true: "0", false: "1"}[rerouting.Is.NoRouting]
		come = append(come, writing{"sysctl -w net.ipv4.ip_forward=" + on + " net.ipv6.conf.all.forwarding=" + on, ""})
	}
	all := come
	if rules != "" { // before the addresses that they are for
		all = append([]writing{{"nft -f -", rules}}, come...)
	}
	all = append(append(all, hands...), gone...)
	if list := rehearsing(ctx); list != nil {
		for _, writing := range all {
			if writing.input == "" {
				*list = append(*list, writing.command)
			}
			name, _, _ := strings.Cut(writing.command, " ")
			for line := range strings.Lines(writing.input) {
				*list = append(*list, name+" "+strings.TrimSpace(line))
			}
		}
		return nil
	}
	for _, writing := range all {
		var err error
		if writing.command == keaSocket {
			err = h.setKea(rerouting)
		} else {
			_, err = h.asRoot(ctx, writing.command, writing.input)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// setAddresses is the lines for ip that bring addresses and routes, and those that take them,
// with interfaces that are made for VLANs.
func (x *Router) setAddresses(reading *Reading, is routerMap, rerouting Rerouting) (links [2]string, news map[office.VID]string, err error) {
	news = map[office.VID]string{}
	var come, gone strings.Builder
	same := func(a, b office.Address) bool { return a.VID == b.VID && a.Prefix == b.Prefix }
	for _, address := range rerouting.Is.Addresses {
		if slices.ContainsFunc(rerouting.Was.Addresses, func(other office.Address) bool { return same(address, other) }) {
			continue
		}
		dev := is.dev[address.VID]
		if dev == "" {
			base := x.carrier(reading, rerouting, address)
			if dev = fmt.Sprintf("%s.%d", base, address.VID); base == "" || !linkName(dev) {
				return links, nil, &Refused{"address " + address.Prefix.String(), fmt.Sprintf("%s has no interface in VLAN %d, and none that one can be made on", rerouting.Is.Name, address.VID)}
			}
			if !slices.ContainsFunc(x.Links, func(link RouterLink) bool { return link.Name == dev }) && news[address.VID] == "" {
				fmt.Fprintf(&come, "link add link %s name %s type vlan id %d\n", base, dev, address.VID)
			}
			fmt.Fprintf(&come, "link set dev %s up\n", dev)
			news[address.VID] = dev
		}
		fmt.Fprintf(&come, "address add %s dev %s\n", address.Prefix, dev)
	}
	for _, address := range rerouting.Was.Addresses {
		if !slices.ContainsFunc(rerouting.Is.Addresses, func(other office.Address) bool { return same(address, other) }) {
			fmt.Fprintf(&gone, "address del %s dev %s\n", address.Prefix, is.dev[address.VID])
		}
	}
	if !slices.Equal(rerouting.Was.Outsides, rerouting.Is.Outsides) {
		return links, nil, &ByHand{"a line to the outside is set by hand: what it hangs on is not known here"}
	}
	for _, route := range rerouting.Was.Routes {
		if slices.Contains(rerouting.Is.Routes, route) || slices.ContainsFunc(rerouting.Is.Routes, func(other office.Route) bool { return other.To == route.To }) {
			continue
		}
		text, err := routeLine("del", route, rerouting.Was)
		if err != nil {
			return links, nil, err
		}
		gone.WriteString(text)
	}
	for _, route := range rerouting.Is.Routes {
		if !slices.Contains(rerouting.Was.Routes, route) {
			text, err := routeLine("replace", route, rerouting.Is)
			if err != nil {
				return links, nil, err
			}
			come.WriteString(text)
		}
	}
	return [2]string{come.String(), gone.String()}, news, nil
}

// carrier is the interface that one for a VLAN is made on: that of the port, or the bridge.
func (x *Router) carrier(reading *Reading, rerouting Rerouting, address office.Address) string {
	if address.On != "" {
		if p := rerouting.Was.Port(address.On); p >= 0 && rerouting.Match[p] >= 0 {
			return reading.Ports[rerouting.Match[p]].Name
		}
		return ""
	}
	for _, link := range x.Links {
		if link.Kind == "bridge" && slices.ContainsFunc(link.Ports, func(name string) bool {
			return slices.ContainsFunc(rerouting.Match, func(port int) bool { return port >= 0 && reading.Ports[port].Name == plain(name) })
		}) {
			return link.Name
		}
	}
	return ""
}

// routeLine is a line for ip -batch that adds or takes away a route. A route over a line whose next
// hop the provider tells is by hand: nobody knows it here.
func routeLine(do string, route office.Route, device *office.Device) (string, error) {
	via := route.Via
	if route.Line != "" {
		if outside := device.Line(route.Line); outside != nil {
			via = outside.Via
		}
	}
	if !via.IsValid() {
		return "", &ByHand{fmt.Sprintf("the route %s goes over a line whose next hop comes from there: it is set by hand", route)}
	}
	to := "default"
	if route.To.IsValid() && route.To.Bits() > 0 {
		to = route.To.String()
	} else if !via.Is4() {
		to = "::/0"
	}
	return fmt.Sprintf("route %s %s via %s\n", do, to, via), nil
}

// setRules is what nft -f is told, "" where the rules stay.
//
// Many branches: rules stay as they are for two reasons and are refused for two, before
// any is written.
func (x *Router) setRules(is routerMap, rerouting Rerouting) (string, error) {
	admits := func(device *office.Device) bool {
		return slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.Admits != nil })
	}
	border, other := talk.BorderOf(rerouting.Office, rerouting.Was), talk.BorderOf(rerouting.Office, rerouting.Is)
	gaps, _ := found.Gaps(rerouting.Is, slices.Concat(border.Names(), other.Names()), other.Lets, border.Lets)
	same := len(rerouting.Was.Addresses) == len(rerouting.Is.Addresses)
	for _, address := range rerouting.Is.Addresses {
		same = same && slices.ContainsFunc(rerouting.Was.Addresses, func(one office.Address) bool {
			return address.VID == one.VID && address.Prefix == one.Prefix && (address.Admits == nil) == (one.Admits == nil) && slices.Equal(address.Admits, one.Admits)
		})
	}
	if len(gaps) == 0 && same && rerouting.Was.KeepsState() == rerouting.Is.KeepsState() {
		return "", nil
	}
	if x.Filter == nil {
		return "", &Refused{"rules", "they were not told, so that they are not written: " + strings.Join(x.NotTold, "; ")}
	}
	if len(gaps) == 0 && !admits(rerouting.Was) && !admits(rerouting.Is) && !slices.ContainsFunc(x.Filter.Chains, func(chain *nftables.Chain) bool { return chain.Hook == nftables.Forward && len(chain.Rules) > 0 }) {
		return "", nil
	}
	policy := nftables.Policy{Keeps: rerouting.Is.KeepsState(), Families: []nftables.Family{}}
	writer := ruleWriter{is, rerouting.Is}
	for _, vid := range writer.vlans() {
		policy.Links = append(policy.Links, writer.devs(vid)...)
	}
	for _, link := range x.Links {
		if !slices.Contains(policy.Links, link.Name) && len(link.Addresses) > 0 {
			policy.Foreign = append(policy.Foreign, link.Name)
		}
	}
	for _, address := range rerouting.Is.Addresses {
		family := map[bool]nftables.Family{true: nftables.IPv4, false: nftables.IPv6}[address.Prefix.Addr().Is4()]
		if !slices.Contains(policy.Families, family) {
			policy.Families = append(policy.Families, family)
		}
	}
	policy.Forward = writer.forward(rerouting.Office)
	if admits(rerouting.Is) || admits(rerouting.Was) {
		policy.Input = writer.input(rerouting.Office)
	}
	text, err := x.Filter.Write(policy)
	if errors.Is(err, nftables.ErrKept) {
		return "", &Refused{"rules", err.Error()}
	}
	return text, err
}

// ruleWriter says a device's rules by its interfaces.
type ruleWriter struct {
	is     routerMap
	device *office.Device
}

// vlans is the interfaces as the office has them: VLANs, and 0 for the outside.
func (w ruleWriter) vlans() (out []office.VID) {
	for _, address := range w.device.Addresses {
		if !slices.Contains(out, address.VID) {
			out = append(out, address.VID)
		}
	}
	if len(w.device.Outsides) > 0 {
		out = append(out, 0)
	}
	return out
}

// devs is what an interface of the office is called on the host.
func (w ruleWriter) devs(vid office.VID) (out []string) {
	if vid == 0 {
		return slices.DeleteFunc(slices.Clone(w.is.out), func(name string) bool { return name == "" })
	}
	if name := w.is.dev[vid]; name != "" {
		return []string{name}
	}
	return nil
}

// side is a side of a rule: interfaces, or a prefix; ok is false for one that is nowhere here.
func (w ruleWriter) side(side office.Side) (devs []string, net netip.Prefix, ok bool) {
	switch side.Kind {
	case office.SideAny:
		return nil, net, true
	case office.SideNet:
		return nil, side.Net, true
	case office.SideOutside:
		devs = w.devs(0)
	case office.SideVLAN:
		devs = w.devs(side.VID)
	case office.SideZone:
		for _, vid := range w.vlans() {
			if vid != 0 && w.device.ZoneOf(vid) == side.Zone {
				devs = append(devs, w.devs(vid)...)
			}
		}
	}
	return devs, net, len(devs) > 0
}

// forward is the rules in their order, and then what is done where none fits.
//
// Many branches: each rule in each pair of its sides, then each pair of VLANs.
func (w ruleWriter) forward(o *office.Office) (out []nftables.Line) {
	for _, rule := range w.device.Rules {
		services := talk.Of(o, rule.Services).List()
		for _, from := range rule.From {
			in, src, ok1 := w.side(from)
			for _, to := range rule.To {
				outs, dst, ok2 := w.side(to)
				if ok1 && ok2 && len(services) > 0 && (!src.IsValid() || !dst.IsValid() || src.Addr().Is4() == dst.Addr().Is4()) {
					out = append(out, nftables.Line{In: in, Out: outs, Src: src, Dst: dst, Services: services, Accept: rule.Do == office.Allow})
				}
			}
		}
	}
	for _, vid := range w.vlans() {
		var to []string
		for _, other := range w.vlans() {
			do := w.device.BetweenZones()
			if vid == other || vid != 0 && other != 0 && w.device.ZoneOf(vid) != "" && w.device.ZoneOf(vid) == w.device.ZoneOf(other) {
				do = w.device.WithinZones()
			}
			if vid != 0 && do == office.Allow {
				to = append(to, w.devs(other)...)
			}
		}
		if in := w.devs(vid); len(in) > 0 && len(to) > 0 {
			out = append(out, nftables.Line{In: in, Out: to, Accept: true})
		}
	}
	return out
}

// input is what the device answers at its own addresses: in their VLAN what it admits, from
// another what the rules let pass of that.
func (w ruleWriter) input(o *office.Office) (out []nftables.Line) {
	border := talk.BorderOf(o, w.device)
	for _, address := range w.device.Addresses {
		own := netip.PrefixFrom(address.Prefix.Addr(), address.Prefix.Addr().BitLen())
		admits := talk.All
		if address.Admits != nil {
			admits = talk.Of(o, address.Admits)
		}
		for _, other := range w.device.Addresses {
			in := w.devs(other.VID)
			if len(in) == 0 || other.Prefix.Addr().Is4() != own.Addr().Is4() {
				continue
			}
			hosts := found.Hosts(w.device, other, border.Names())
			slices.SortStableFunc(hosts, func(x, y found.Host) int { return y.Net.Bits() - x.Net.Bits() })
			for _, host := range hosts {
				open := admits
				if other.VID == address.VID {
					host.Net = netip.Prefix{} // whoever is there
				} else {
					open = open.And(border.Lets(other.VID, address.VID, host.Addr, address.Prefix.Addr()))
				}
				if other.VID == address.VID && address.From.IsValid() { // a lease is renewed there (RFC 2131, 4.4.5)
					out = append(out, nftables.Line{In: in, Dst: own, Services: handsOutAt, Accept: true})
				}
				if open != talk.None {
					out = append(out, nftables.Line{In: in, Src: host.Net, Dst: own, Services: open.List(), Accept: true})
				}
				if open != talk.All {
					out = append(out, nftables.Line{In: in, Src: host.Net, Dst: own})
				}
				if other.VID == address.VID {
					break
				}
			}
		}
	}
	return out
}

// handsOutAt is where a server is asked for addresses (RFC 2131).
var handsOutAt = []office.Service{{Protocol: office.UDP, First: 67, Last: 67}}

// keaSocket stands for what Kea is told over its own socket.
const keaSocket = "config-set"

// setHandouts is what the server is told that hands out.
//
// Many branches: ranges come, change and go, by dnsmasq, by Kea or by hand.
func (x *Router) setHandouts(rerouting Rerouting) ([]writing, error) {
	type change struct{ was, is office.Address }
	var all []change
	find := func(device *office.Device, address office.Address) office.Address {
		for _, other := range device.Addresses {
			if address.VID == other.VID && address.Prefix == other.Prefix {
				return other
			}
		}
		return office.Address{VID: address.VID, Prefix: address.Prefix}
	}
	for _, address := range rerouting.Is.Addresses {
		if was := find(rerouting.Was, address); was.From != address.From || was.To != address.To {
			all = append(all, change{was, address})
		}
	}
	for _, address := range rerouting.Was.Addresses {
		if is := find(rerouting.Is, address); address.From.IsValid() && !slices.ContainsFunc(rerouting.Is.Addresses, func(other office.Address) bool { return other.VID == address.VID && other.Prefix == address.Prefix }) {
			all = append(all, change{address, is})
		}
	}
	if len(all) == 0 {
		return nil, nil
	}
	if x.noHandouts || x.Server == nil {
		return nil, &ByHand{"nothing that hands addresses out is known on " + rerouting.Is.Name + ": what is handed out is set by hand"}
	}
	if x.Server.kind != "dnsmasq" {
		if x.Server.socket == "" {
			return nil, &ByHand{"kea-dhcp4 has no control socket: what it hands out is set in " + strings.Join(x.Server.order, ", ")}
		}
		var text strings.Builder
		for _, other := range all {
			fmt.Fprintf(&text, "%s: %s-%s\n", other.is.Prefix.Masked(), other.is.From, other.is.To)
		}
		return []writing{{keaSocket, text.String()}}, nil
	}
	files := map[string][]string{}
	for _, other := range all {
		if err := x.Server.change(files, other.was, other.is); err != nil {
			return nil, err
		}
	}
	var out []writing
	for _, name := range x.Server.order {
		if lines := files[name]; lines != nil {
			out = append(out, writing{"tee " + name, strings.TrimRight(strings.Join(lines, "\n"), "\n") + "\n"})
		}
	}
	return append(out, x.Server.again()), nil
}

// change writes another range into the files of dnsmasq: in the line where it stands, or in
// one behind the last range.
func (s *handServer) change(files map[string][]string, was, is office.Address) error {
	open := func(name string) []string {
		if files[name] == nil {
			files[name] = slices.Clone(s.files[name])
		}
		return files[name]
	}
	lastFile := ""
	for _, name := range s.order {
		for i, line := range s.files[name] {
			code, _, _ := strings.Cut(line, "#")
			key, value, _ := strings.Cut(code, "=")
			if strings.TrimSpace(key) != "dhcp-range" {
				continue
			}
			lastFile = name
			if !was.From.IsValid() || !strings.Contains(value, was.From.String()+","+was.To.String()) {
				continue
			}
			if is.From.IsValid() {
				open(name)[i] = strings.Replace(line, was.From.String()+","+was.To.String(), is.From.String()+","+is.To.String(), 1)
			} else {
				open(name)[i] = "#" + line
			}
			return nil
		}
	}
	switch {
	case was.From.IsValid():
		return &ByHand{fmt.Sprintf("the range %s-%s stands in no file of dnsmasq in a form that is known: it is set by hand", was.From, was.To)}
	case lastFile == "" && len(s.order) == 0:
		return &ByHand{"dnsmasq has no file: what it hands out is set by hand"}
	case lastFile == "":
		lastFile = s.order[0]
	}
	files[lastFile] = append(open(lastFile), fmt.Sprintf("dhcp-range=%s,%s,12h", is.From, is.To))
	return nil
}

// again starts dnsmasq anew, which reads its files then alone: as its system does, or else as
// it was started.
func (s *handServer) again() writing {
	var argv strings.Builder
	for _, w := range s.argv {
		argv.WriteString(" '" + strings.ReplaceAll(w, "'", `'\''`) + "'")
	}
	return writing{"sh -s", fmt.Sprintf(`if systemctl is-active --quiet dnsmasq 2>/dev/null; then systemctl restart dnsmasq; exit; fi
kill %d
for i in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20; do kill -0 %d 2>/dev/null || break; sleep 0.1; done
setsid%s >/dev/null 2>&1 </dev/null &
sleep 0.3
kill -0 $! 2>/dev/null || wait $!
`, s.pid, s.pid, argv.String())}
}

// setKea tells Kea over its control socket: the configuration that runs, with other pools.
func (h *host) setKea(rerouting Rerouting) error {
	one := h.read.Router.Server
	ask := func(command string, arguments any) (map[string]any, error) {
		return keaAsks(h.socket, one.socket, command, arguments)
	}
	now, err := ask("config-get", nil)
	if err != nil {
		return err
	}
	delete(now, "hash") // of what it was
	server, _ := now["Dhcp4"].(map[string]any)
	subnets, _ := server["subnet4"].([]any)
	for _, address := range rerouting.Is.Addresses {
		if !address.Prefix.Addr().Is4() {
			continue
		}
		k := slices.IndexFunc(subnets, func(n any) bool {
			m, _ := n.(map[string]any)
			return m["subnet"] == address.Prefix.Masked().String()
		})
		pools := []any{}
		if address.From.IsValid() {
			pools = append(pools, map[string]any{"pool": address.From.String() + " - " + address.To.String()})
		}
		switch {
		case k >= 0:
			subnets[k].(map[string]any)["pools"] = pools
		case address.From.IsValid():
			id := 1
			for _, n := range subnets {
				if m, _ := n.(map[string]any); m != nil {
					if f, ok := m["id"].(float64); ok && int(f) >= id {
						id = int(f) + 1
					}
				}
			}
			subnets = append(subnets, map[string]any{"id": id, "subnet": address.Prefix.Masked().String(), "pools": pools,
				"option-data": []any{map[string]any{"name": "routers", "data": address.Prefix.Addr().String()}}})
		}
	}
	server["subnet4"] = subnets
	for _, command := range []string{"config-test", "config-set"} {
		if _, err := ask(command, now); err != nil {
			return err
		}
	}
	_, err = ask("config-write", nil)
	return err
}
