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
	SetRouting(ctx context.Context, x Rerouting) error
}

// byHandRouting is said of what a protocol cannot set.
const byHandRouting = "bundles, inner ports, addresses and rules are not set over this protocol"

// SetRouting tells the device, where its protocol can.
func (b *bounded) SetRouting(ctx context.Context, x Rerouting) error {
	dev, ok := b.Device.(rerouter)
	if !ok {
		return &ByHand{byHandRouting}
	}
	return b.line.during(ctx, func(ctx context.Context) error { return dev.SetRouting(ctx, x) })
}

// writing is one thing that is told a host: a program, and what stands on its input.
type writing struct{ command, input string }

// SetRouting sets addresses, routes, what is handed out, and rules, in that order: what is to
// be kept out is, before what goes is taken away.
func (h *host) SetRouting(ctx context.Context, x Rerouting) error {
	if h.read == nil || h.read.Router == nil {
		return &ByHand{byHandRouting}
	}
	r := h.read.Router
	is := r.mapped(h.read, x.Was, x.Match, x.Ports)
	for _, name := range slices.Concat(slices.Collect(maps.Values(is.dev)), is.out) {
		if name != "" && !linkName(name) {
			return &Refused{"interface " + plain(name), "it has a name that is not written"}
		}
	}
	var come, gone []writing
	links, news, err := r.setAddresses(h.read, is, x)
	if err != nil {
		return err
	}
	for v, name := range news { // its rules name it
		is.dev[v] = name
	}
	rules, err := r.setRules(is, x)
	if err != nil {
		return err
	}
	hands, err := r.setHandouts(x)
	if err != nil {
		return err
	}
	if links[0] != "" {
		come = append(come, writing{"ip -batch -", links[0]})
	}
	if links[1] != "" {
		gone = append(gone, writing{"ip -batch -", links[1]})
	}
	if x.Was.NoRouting != x.Is.NoRouting {
		on := map[bool]string{true: "0", false: "1"}[x.Is.NoRouting]
		come = append(come, writing{"sysctl -w net.ipv4.ip_forward=" + on + " net.ipv6.conf.all.forwarding=" + on, ""})
	}
	all := come
	if rules != "" { // before the addresses that they are for
		all = append([]writing{{"nft -f -", rules}}, come...)
	}
	all = append(append(all, hands...), gone...)
	if list := rehearsing(ctx); list != nil {
		for _, w := range all {
			if w.input == "" {
				*list = append(*list, w.command)
			}
			name, _, _ := strings.Cut(w.command, " ")
			for line := range strings.Lines(w.input) {
				*list = append(*list, name+" "+strings.TrimSpace(line))
			}
		}
		return nil
	}
	for _, w := range all {
		var err error
		if w.command == keaSocket {
			err = h.setKea(x)
		} else {
			_, err = h.asRoot(ctx, w.command, w.input)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// setAddresses is the lines for ip that bring addresses and routes, and those that take them,
// with interfaces that are made for VLANs.
func (x *Router) setAddresses(r *Reading, is routerMap, c Rerouting) (links [2]string, news map[office.VID]string, err error) {
	news = map[office.VID]string{}
	var come, gone strings.Builder
	same := func(a, b office.Address) bool { return a.VID == b.VID && a.Prefix == b.Prefix }
	for _, a := range c.Is.Addresses {
		if slices.ContainsFunc(c.Was.Addresses, func(b office.Address) bool { return same(a, b) }) {
			continue
		}
		dev := is.dev[a.VID]
		if dev == "" {
			base := x.carrier(r, c, a)
			if dev = fmt.Sprintf("%s.%d", base, a.VID); base == "" || !linkName(dev) {
				return links, nil, &Refused{"address " + a.Prefix.String(), fmt.Sprintf("%s has no interface in VLAN %d, and none that one can be made on", c.Is.Name, a.VID)}
			}
			if !slices.ContainsFunc(x.Links, func(l RouterLink) bool { return l.Name == dev }) && news[a.VID] == "" {
				fmt.Fprintf(&come, "link add link %s name %s type vlan id %d\n", base, dev, a.VID)
			}
			fmt.Fprintf(&come, "link set dev %s up\n", dev)
			news[a.VID] = dev
		}
		fmt.Fprintf(&come, "address add %s dev %s\n", a.Prefix, dev)
	}
	for _, a := range c.Was.Addresses {
		if !slices.ContainsFunc(c.Is.Addresses, func(b office.Address) bool { return same(a, b) }) {
			fmt.Fprintf(&gone, "address del %s dev %s\n", a.Prefix, is.dev[a.VID])
		}
	}
	if !slices.Equal(c.Was.Outsides, c.Is.Outsides) {
		return links, nil, &ByHand{"a line to the outside is set by hand: what it hangs on is not known here"}
	}
	for _, y := range c.Was.Routes {
		if slices.Contains(c.Is.Routes, y) || slices.ContainsFunc(c.Is.Routes, func(z office.Route) bool { return z.To == y.To }) {
			continue
		}
		text, err := routeLine("del", y, c.Was)
		if err != nil {
			return links, nil, err
		}
		gone.WriteString(text)
	}
	for _, y := range c.Is.Routes {
		if !slices.Contains(c.Was.Routes, y) {
			text, err := routeLine("replace", y, c.Is)
			if err != nil {
				return links, nil, err
			}
			come.WriteString(text)
		}
	}
	return [2]string{come.String(), gone.String()}, news, nil
}

// carrier is the interface that one for a VLAN is made on: that of the port, or the bridge.
func (x *Router) carrier(r *Reading, c Rerouting, a office.Address) string {
	if a.On != "" {
		if p := c.Was.Port(a.On); p >= 0 && c.Match[p] >= 0 {
			return r.Ports[c.Match[p]].Name
		}
		return ""
	}
	for _, l := range x.Links {
		if l.Kind == "bridge" && slices.ContainsFunc(l.Ports, func(name string) bool {
			return slices.ContainsFunc(c.Match, func(k int) bool { return k >= 0 && r.Ports[k].Name == plain(name) })
		}) {
			return l.Name
		}
	}
	return ""
}

func routeLine(do string, y office.Route, d *office.Device) (string, error) {
	via := y.Via
	if y.Line != "" {
		if l := d.Line(y.Line); l != nil {
			via = l.Via
		}
	}
	if !via.IsValid() {
		return "", &ByHand{fmt.Sprintf("the route %s goes over a line whose next hop comes from there: it is set by hand", y)}
	}
	to := "default"
	if y.To.IsValid() && y.To.Bits() > 0 {
		to = y.To.String()
	} else if !via.Is4() {
		to = "::/0"
	}
	return fmt.Sprintf("route %s %s via %s\n", do, to, via), nil
}

// setRules is what nft -f is told, "" where the rules stay.
func (x *Router) setRules(is routerMap, c Rerouting) (string, error) {
	admits := func(d *office.Device) bool {
		return slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.Admits != nil })
	}
	a, b := talk.BorderOf(c.Office, c.Was), talk.BorderOf(c.Office, c.Is)
	gaps, _ := found.Gaps(c.Is, slices.Concat(a.Names(), b.Names()), b.Lets, a.Lets)
	same := len(c.Was.Addresses) == len(c.Is.Addresses)
	for _, a := range c.Is.Addresses {
		same = same && slices.ContainsFunc(c.Was.Addresses, func(b office.Address) bool {
			return a.VID == b.VID && a.Prefix == b.Prefix && (a.Admits == nil) == (b.Admits == nil) && slices.Equal(a.Admits, b.Admits)
		})
	}
	if len(gaps) == 0 && same && c.Was.KeepsState() == c.Is.KeepsState() {
		return "", nil
	}
	if x.Filter == nil {
		return "", &Refused{"rules", "they were not told, so that they are not written: " + strings.Join(x.NotTold, "; ")}
	}
	if len(gaps) == 0 && !admits(c.Was) && !admits(c.Is) && !slices.ContainsFunc(x.Filter.Chains, func(c *nftables.Chain) bool { return c.Hook == nftables.Forward && len(c.Rules) > 0 }) {
		return "", nil
	}
	p := nftables.Policy{Keeps: c.Is.KeepsState(), Families: []nftables.Family{}}
	w := ruleWriter{is, c.Is}
	for _, v := range w.vlans() {
		p.Links = append(p.Links, w.devs(v)...)
	}
	for _, l := range x.Links {
		if !slices.Contains(p.Links, l.Name) && len(l.Addresses) > 0 {
			p.Foreign = append(p.Foreign, l.Name)
		}
	}
	for _, a := range c.Is.Addresses {
		f := map[bool]nftables.Family{true: nftables.IPv4, false: nftables.IPv6}[a.Prefix.Addr().Is4()]
		if !slices.Contains(p.Families, f) {
			p.Families = append(p.Families, f)
		}
	}
	p.Forward = w.forward(c.Office)
	if admits(c.Is) || admits(c.Was) {
		p.Input = w.input(c.Office)
	}
	text, err := x.Filter.Write(p)
	if errors.Is(err, nftables.ErrKept) {
		return "", &Refused{"rules", err.Error()}
	}
	return text, err
}

// ruleWriter says a device's rules by its interfaces.
type ruleWriter struct {
	is routerMap
	d  *office.Device
}

// vlans is the interfaces as the office has them: VLANs, and 0 for the outside.
func (w ruleWriter) vlans() (out []office.VID) {
	for _, a := range w.d.Addresses {
		if !slices.Contains(out, a.VID) {
			out = append(out, a.VID)
		}
	}
	if len(w.d.Outsides) > 0 {
		out = append(out, 0)
	}
	return out
}

// devs is what an interface of the office is called on the host.
func (w ruleWriter) devs(v office.VID) (out []string) {
	if v == 0 {
		return slices.DeleteFunc(slices.Clone(w.is.out), func(name string) bool { return name == "" })
	}
	if name := w.is.dev[v]; name != "" {
		return []string{name}
	}
	return nil
}

// side is a side of a rule: interfaces, or a prefix; ok is false for one that is nowhere here.
func (w ruleWriter) side(s office.Side) (devs []string, net netip.Prefix, ok bool) {
	switch s.Kind {
	case office.SideAny:
		return nil, net, true
	case office.SideNet:
		return nil, s.Net, true
	case office.SideOutside:
		devs = w.devs(0)
	case office.SideVLAN:
		devs = w.devs(s.VID)
	case office.SideZone:
		for _, v := range w.vlans() {
			if v != 0 && w.d.ZoneOf(v) == s.Zone {
				devs = append(devs, w.devs(v)...)
			}
		}
	}
	return devs, net, len(devs) > 0
}

// forward is the rules in their order, and then what is done where none fits.
func (w ruleWriter) forward(o *office.Office) (out []nftables.Line) {
	for _, r := range w.d.Rules {
		services := talk.Of(o, r.Services).List()
		for _, from := range r.From {
			in, src, ok1 := w.side(from)
			for _, to := range r.To {
				outs, dst, ok2 := w.side(to)
				if ok1 && ok2 && len(services) > 0 && (!src.IsValid() || !dst.IsValid() || src.Addr().Is4() == dst.Addr().Is4()) {
					out = append(out, nftables.Line{In: in, Out: outs, Src: src, Dst: dst, Services: services, Accept: r.Do == office.Allow})
				}
			}
		}
	}
	for _, a := range w.vlans() {
		var to []string
		for _, b := range w.vlans() {
			do := w.d.BetweenZones()
			if a == b || a != 0 && b != 0 && w.d.ZoneOf(a) != "" && w.d.ZoneOf(a) == w.d.ZoneOf(b) {
				do = w.d.WithinZones()
			}
			if a != 0 && do == office.Allow {
				to = append(to, w.devs(b)...)
			}
		}
		if in := w.devs(a); len(in) > 0 && len(to) > 0 {
			out = append(out, nftables.Line{In: in, Out: to, Accept: true})
		}
	}
	return out
}

// input is what the device answers at its own addresses: in their VLAN what it admits, from
// another what the rules let pass of that.
func (w ruleWriter) input(o *office.Office) (out []nftables.Line) {
	border := talk.BorderOf(o, w.d)
	for _, a := range w.d.Addresses {
		own := netip.PrefixFrom(a.Prefix.Addr(), a.Prefix.Addr().BitLen())
		admits := talk.All
		if a.Admits != nil {
			admits = talk.Of(o, a.Admits)
		}
		for _, b := range w.d.Addresses {
			in := w.devs(b.VID)
			if len(in) == 0 || b.Prefix.Addr().Is4() != own.Addr().Is4() {
				continue
			}
			hosts := found.Hosts(w.d, b, border.Names())
			slices.SortStableFunc(hosts, func(x, y found.Host) int { return y.Net.Bits() - x.Net.Bits() })
			for _, h := range hosts {
				open := admits
				if b.VID == a.VID {
					h.Net = netip.Prefix{} // whoever is there
				} else {
					open = open.And(border.Lets(b.VID, a.VID, h.Addr, a.Prefix.Addr()))
				}
				if b.VID == a.VID && a.From.IsValid() { // a lease is renewed there (RFC 2131, 4.4.5)
					out = append(out, nftables.Line{In: in, Dst: own, Services: handsOutAt, Accept: true})
				}
				if open != talk.None {
					out = append(out, nftables.Line{In: in, Src: h.Net, Dst: own, Services: open.List(), Accept: true})
				}
				if open != talk.All {
					out = append(out, nftables.Line{In: in, Src: h.Net, Dst: own})
				}
				if b.VID == a.VID {
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
func (x *Router) setHandouts(c Rerouting) ([]writing, error) {
	type change struct{ was, is office.Address }
	var all []change
	find := func(d *office.Device, a office.Address) office.Address {
		for _, b := range d.Addresses {
			if a.VID == b.VID && a.Prefix == b.Prefix {
				return b
			}
		}
		return office.Address{VID: a.VID, Prefix: a.Prefix}
	}
	for _, a := range c.Is.Addresses {
		if was := find(c.Was, a); was.From != a.From || was.To != a.To {
			all = append(all, change{was, a})
		}
	}
	for _, a := range c.Was.Addresses {
		if is := find(c.Is, a); a.From.IsValid() && !slices.ContainsFunc(c.Is.Addresses, func(b office.Address) bool { return b.VID == a.VID && b.Prefix == a.Prefix }) {
			all = append(all, change{a, is})
		}
	}
	if len(all) == 0 {
		return nil, nil
	}
	if x.noHandouts || x.Server == nil {
		return nil, &ByHand{"nothing that hands addresses out is known on " + c.Is.Name + ": what is handed out is set by hand"}
	}
	if x.Server.kind != "dnsmasq" {
		if x.Server.socket == "" {
			return nil, &ByHand{"kea-dhcp4 has no control socket: what it hands out is set in " + strings.Join(x.Server.order, ", ")}
		}
		var text strings.Builder
		for _, y := range all {
			fmt.Fprintf(&text, "%s: %s-%s\n", y.is.Prefix.Masked(), y.is.From, y.is.To)
		}
		return []writing{{keaSocket, text.String()}}, nil
	}
	files := map[string][]string{}
	for _, y := range all {
		if err := x.Server.change(files, y.was, y.is); err != nil {
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
func (h *host) setKea(x Rerouting) error {
	s := h.read.Router.Server
	ask := func(command string, arguments any) (map[string]any, error) {
		return keaAsks(h.socket, s.socket, command, arguments)
	}
	now, err := ask("config-get", nil)
	if err != nil {
		return err
	}
	delete(now, "hash") // of what it was
	server, _ := now["Dhcp4"].(map[string]any)
	subnets, _ := server["subnet4"].([]any)
	for _, a := range x.Is.Addresses {
		if !a.Prefix.Addr().Is4() {
			continue
		}
		k := slices.IndexFunc(subnets, func(n any) bool {
			m, _ := n.(map[string]any)
			return m["subnet"] == a.Prefix.Masked().String()
		})
		pools := []any{}
		if a.From.IsValid() {
			pools = append(pools, map[string]any{"pool": a.From.String() + " - " + a.To.String()})
		}
		switch {
		case k >= 0:
			subnets[k].(map[string]any)["pools"] = pools
		case a.From.IsValid():
			id := 1
			for _, n := range subnets {
				if m, _ := n.(map[string]any); m != nil {
					if f, ok := m["id"].(float64); ok && int(f) >= id {
						id = int(f) + 1
					}
				}
			}
			subnets = append(subnets, map[string]any{"id": id, "subnet": a.Prefix.Masked().String(), "pools": pools,
				"option-data": []any{map[string]any{"name": "routers", "data": a.Prefix.Addr().String()}}})
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
