package talk_test

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"pgregory.net/rapid"

	"klammer/core/office"
)

// plain is a second version of what talk computes: one packet at a time, no sets,
// nothing remembered. Its offices are drawn so that layer 2 is simple: who is in a
// VLAN hears who is in it, in the same of two buildings.
type plain struct {
	o   *office.Office
	far map[string]bool // what is in the far building: "VID device"
	cut map[office.VID]bool
}

type packet struct {
	src, dst netip.Addr
	proto    office.Protocol
	port     uint16 // the destination's
}

// spot is where somebody is in a VLAN: 0 is outside.
type spot struct {
	vid office.VID
	far bool
}

func (p *plain) hear(a, b spot) bool {
	return a.vid == b.vid && (!p.cut[a.vid] || a.far == b.far)
}

func (p *plain) stand(d *office.Device, v office.VID) spot {
	return spot{v, p.far[fmt.Sprintf("%d %s", v, d.Name)]}
}

// vlanOf is the VLAN that an address is in, 0 for none.
func (p *plain) vlanOf(a netip.Addr) (best office.VID, net netip.Prefix) {
	for _, v := range p.o.VLANs {
		for _, n := range v.Nets {
			if n.Contains(a) && (best == 0 || n.Bits() > net.Bits()) {
				best, net = v.VID, n
			}
		}
	}
	return best, net
}

func (p *plain) owner(a netip.Addr) (*office.Device, *office.Address) {
	for _, d := range p.o.Devices {
		for i := range d.Addresses {
			if d.Addresses[i].Prefix.Addr() == a {
				return d, &d.Addresses[i]
			}
		}
	}
	return nil, nil
}

func (p *plain) routes(d *office.Device) bool {
	vlans := map[office.VID]bool{}
	for _, a := range d.Addresses {
		vlans[a.VID] = true
	}
	return !d.NoRouting && (d.Forwarding == office.Routed || len(vlans) > 1 || len(vlans) > 0 && len(d.Outsides) > 0)
}

func (p *plain) gateway(v office.VID, v4 bool) (*office.Device, *office.Address) {
	var gate *office.Device
	var at *office.Address
	best := 0
	for _, d := range p.o.Devices {
		for i := range d.Addresses {
			a := &d.Addresses[i]
			if a.VID != v || a.Prefix.Addr().Is4() != v4 {
				continue
			}
			rank := 1
			if !p.routes(d) {
				rank = 0
			} else if a.From.IsValid() {
				rank = 2
			}
			if a.Gateway {
				rank = 3
			}
			if rank > best || rank == best && rank > 0 && a.Prefix.Addr().Less(at.Prefix.Addr()) {
				gate, at, best = d, a, rank
			}
		}
	}
	return gate, at
}

// way is the devices that a packet passes, each with the VLAN that it came in by
// and left by (0: a line); end says where it ends: "" where it arrives.
type plainWay struct {
	hops []plainHop
	end  string
	own  *office.Address // it is for a device itself, which it entered by ownIn
	dev  *office.Device
	in   office.VID
	flat bool
	line *office.Device // by whose line it leaves
}

type plainHop struct {
	d       *office.Device
	in, out office.VID
}

func (p *plain) from(at spot, src, dst netip.Addr, dstAt spot, outside bool) *plainWay {
	if outside {
		for _, d := range p.o.Devices {
			if len(d.Outsides) > 0 {
				return p.onwards(d, 0, false, dst, dstAt)
			}
		}
		return &plainWay{end: "nothing leads outside"}
	}
	if d, _ := p.owner(src); d != nil {
		return p.onwards(d, 0, true, dst, dstAt)
	}
	v, net := p.vlanOf(src)
	if net.Contains(dst) {
		w := &plainWay{flat: true}
		w.dev, w.own = p.owner(dst)
		w.in = v
		if !p.hear(at, dstAt) {
			w.end = "cut"
		}
		return w
	}
	gate, a := p.gateway(v, src.Is4())
	if gate == nil || !p.hear(at, p.stand(gate, a.VID)) {
		return &plainWay{end: "no gateway"}
	}
	return p.onwards(gate, v, false, dst, dstAt)
}

func (p *plain) onwards(d *office.Device, in office.VID, itself bool, dst netip.Addr, dstAt spot) *plainWay {
	w := &plainWay{}
	been := map[string]bool{}
	for {
		if been[d.Name] {
			w.end = "loop"
			return w
		}
		been[d.Name] = true
		if owner, a := p.owner(dst); owner == d {
			w.own, w.dev, w.in = a, d, in
			if itself {
				w.own = nil
			}
			return w
		}
		for _, l := range d.Outsides {
			if l.Prefix.IsValid() && l.Prefix.Addr() == dst {
				w.end = "the line itself"
				return w
			}
		}
		if !itself && !p.routes(d) {
			w.end = "does not route"
			return w
		}
		out, via, line, ok := p.lookup(d, dst)
		if !ok {
			w.end = "no route"
			return w
		}
		if !itself {
			w.hops = append(w.hops, plainHop{d, in, out})
		}
		if line {
			w.line = d
			if v, _ := p.vlanOf(dst); v != 0 || dst.IsPrivate() {
				w.end = "left"
			}
			return w
		}
		if !via.IsValid() {
			w.dev, w.own = p.owner(dst)
			w.in = out
			if !p.hear(p.stand(d, out), dstAt) {
				w.end = "cut"
			}
			return w
		}
		next, a := p.owner(via)
		if next == nil || next == d || !p.routes(next) || a.VID != out || !p.hear(p.stand(d, out), p.stand(next, out)) {
			w.end = "swallowed"
			return w
		}
		d, in, itself = next, out, false
	}
}

// lookup is where a device sends what is for an address: into a VLAN, to a next
// hop there, or over a line.
func (p *plain) lookup(d *office.Device, dst netip.Addr) (out office.VID, via netip.Addr, line, ok bool) {
	best := -1
	take := func(n netip.Prefix, v office.VID, hop netip.Addr, over bool) {
		if n.Contains(dst) && n.Bits() > best {
			best, out, via, line, ok = n.Bits(), v, hop, over, true
		}
	}
	for _, a := range d.Addresses {
		take(a.Prefix.Masked(), a.VID, netip.Addr{}, false)
	}
	for _, l := range d.Outsides {
		if l.Prefix.IsValid() {
			take(l.Prefix.Masked(), 0, netip.Addr{}, true)
		}
	}
	defaults := false
	for _, r := range d.Routes {
		n := r.To
		if !n.IsValid() {
			n = netip.PrefixFrom(dst, 0).Masked()
		}
		defaults = defaults || n.Bits() == 0 && n.Addr().Is4() == dst.Is4()
		if r.Line != "" {
			take(n, 0, netip.Addr{}, true)
			continue
		}
		var v office.VID
		found, over, bits := false, false, -1
		for _, a := range d.Addresses {
			if a.Prefix.Contains(r.Via) && a.Prefix.Bits() > bits {
				v, found, over, bits = a.VID, true, false, a.Prefix.Bits()
			}
		}
		for _, l := range d.Outsides {
			if l.Prefix.IsValid() && l.Prefix.Contains(r.Via) && l.Prefix.Bits() > bits {
				found, over, bits = true, true, l.Prefix.Bits()
			}
		}
		if found {
			take(n, v, map[bool]netip.Addr{false: r.Via}[over], over)
		}
	}
	if len(d.Outsides) > 0 && !defaults {
		take(netip.PrefixFrom(dst, 0).Masked(), 0, netip.Addr{}, true)
	}
	return out, via, line, ok
}

// zone is a device's interface's, "" for one of its own.
func zoneOf(d *office.Device, v office.VID) string {
	for _, a := range d.Addresses {
		if a.VID == v && a.Zone != "" {
			return a.Zone
		}
	}
	return ""
}

func sideFits(d *office.Device, sides []office.Side, v office.VID, a netip.Addr) bool {
	for _, s := range sides {
		switch s.Kind {
		case office.SideAny:
			return true
		case office.SideOutside:
			if v == 0 && len(d.Outsides) > 0 {
				return true
			}
		case office.SideZone:
			if v != 0 && zoneOf(d, v) == s.Zone {
				return true
			}
		case office.SideVLAN:
			if v == s.VID {
				return true
			}
		case office.SideNet:
			if s.Net.Contains(a) {
				return true
			}
		}
	}
	return false
}

func (p *plain) serviceFits(list []office.Service, k packet) bool {
	for _, s := range list {
		switch s.Protocol {
		case office.AnyProtocol:
			return true
		case office.Named:
			if p.serviceFits(p.o.Service(s.Name).Is, k) {
				return true
			}
		case k.proto:
			if k.proto == office.Ping || s.First <= k.port && k.port <= s.Last {
				return true
			}
		}
	}
	return false
}

// meets is the first rule that a packet fits, -1 for none.
func (p *plain) meets(d *office.Device, in, out office.VID, k packet) int {
	for i := range d.Rules {
		r := &d.Rules[i]
		if sideFits(d, r.From, in, k.src) && sideFits(d, r.To, out, k.dst) && p.serviceFits(r.Services, k) {
			return i
		}
	}
	return -1
}

func (p *plain) passes(d *office.Device, in, out office.VID, k packet) bool {
	if i := p.meets(d, in, out, k); i >= 0 {
		return d.Rules[i].Do == office.Allow
	}
	if in == 0 {
		return false
	}
	do := d.Between
	if do == "" && d.Kind == office.Firewall {
		do = office.Deny
	}
	if z := zoneOf(d, in); in == out || out != 0 && z != "" && z == zoneOf(d, out) {
		do = d.Within
	}
	return do != office.Deny
}

func keepsState(d *office.Device) bool {
	return len(d.Outsides) > 0 || d.State == office.Stateful || d.State == "" && (d.Kind == office.Firewall || d.Kind == office.Router)
}

// talks says whether a question with a service gets its answer.
func (p *plain) talks(k packet, srcAt, dstAt spot) bool {
	inside := func(a netip.Addr) bool { v, _ := p.vlanOf(a); return v != 0 }
	there := p.from(srcAt, k.src, k.dst, dstAt, !inside(k.src))
	if there.end != "" {
		return false
	}
	for _, h := range there.hops {
		if !p.passes(h.d, h.in, h.out, k) {
			return false
		}
	}
	if there.own != nil {
		if there.in != there.own.VID && !p.passes(there.dev, there.in, there.own.VID, k) {
			return false
		}
		if there.own.Admits != nil && !p.serviceFits(there.own.Admits, k) {
			return false
		}
	}
	if there.flat && there.own == nil {
		return true
	}
	answer := packet{k.dst, k.src, k.proto, 65535}
	var back *plainWay
	if !inside(k.dst) {
		if len(there.hops) == 0 {
			return true // a device asked over its own line
		}
		back = p.onwards(there.hops[len(there.hops)-1].d, 0, false, k.src, srcAt)
	} else {
		back = p.from(dstAt, k.dst, k.src, srcAt, false)
	}
	if back.end != "" {
		return false
	}
	if !inside(k.src) && len(back.hops) > 0 { // who asks from outside knows the answer by the line that he asked
		if i := slices.IndexFunc(p.o.Devices, func(d *office.Device) bool { return len(d.Outsides) > 0 }); back.line != p.o.Devices[i] {
			return false
		}
	}
	saw := func(w *plainWay, d *office.Device) bool {
		return slices.ContainsFunc(w.hops, func(h plainHop) bool { return h.d == d })
	}
	for _, h := range back.hops {
		switch {
		case keepsState(h.d) && saw(there, h.d):
		case keepsState(h.d) && k.proto != office.UDP:
			return false
		case !p.passes(h.d, h.in, h.out, answer):
			return false
		}
	}
	if back.own != nil && back.dev != nil && back.in != back.own.VID && !keepsState(back.dev) && !p.passes(back.dev, back.in, back.own.VID, answer) {
		return false
	}
	for _, h := range there.hops {
		if k.proto == office.TCP && keepsState(h.d) && !saw(back, h.d) {
			return false
		}
	}
	return true
}

// drawTalk draws an office for [plain]: VLANs on one switch, a second building in
// which some VLANs are cut off, and devices that route, well and badly.
func drawTalk(t *rapid.T) (string, *plain) {
	pick := func(what string, from ...string) string { return rapid.SampledFrom(from).Draw(t, what) }
	chance := func(of int) bool { return rapid.IntRange(0, of-1).Draw(t, "chance") == 0 }
	p := &plain{far: map[string]bool{}, cut: map[office.VID]bool{}}
	var b strings.Builder
	vlans := []int{10, 20, 30, 40}
	six := map[int]bool{}
	for _, v := range vlans {
		fmt.Fprintf(&b, "vlan %d v%d net 10.0.%d.0/24", v, v, v)
		if six[v] = chance(3); six[v] {
			fmt.Fprintf(&b, " net fd00:%d::/64", v)
		}
		b.WriteString("\n")
		p.cut[office.VID(v)] = chance(8)
	}
	b.WriteString("service web tcp/80,tcp/443\n")
	zones := []string{"a", "b"}
	side := func() string {
		var parts []string
		for range rapid.IntRange(1, 2).Draw(t, "sides") {
			v := rapid.SampledFrom(vlans).Draw(t, "vlan")
			parts = append(parts, pick("side", "any", "outside", "zone "+zones[0], "zone "+zones[1], fmt.Sprintf("vlan %d", v), fmt.Sprintf("vlan %d", v), fmt.Sprintf("10.0.%d.0/24", v),
				fmt.Sprintf("10.0.%d.64/26", v), fmt.Sprintf("10.0.%d.%d", v, rapid.SampledFrom([]int{1, 7, 66}).Draw(t, "host")), "10.0.0.0/16", fmt.Sprintf("fd00:%d::/64", v),
				fmt.Sprintf("fd00:%d::7", v), "198.51.100.0/24"))
		}
		return strings.Join(parts, ",")
	}
	services := func() string {
		return pick("services", "", "", "any", "ping", "tcp/80", "web,ping", "udp/53", "tcp/1024-65535", "udp/1-65535", "tcp/1-65535,ping", "tcp/22-90")
	}
	n := rapid.IntRange(1, 3).Draw(t, "routers")
	var cables, bodies strings.Builder
	b.WriteString("device floor switch\n  ports 1-20\n  1-6: [10 20 30 40]\n")
	var carried []string
	for _, v := range vlans {
		if !p.cut[office.VID(v)] {
			carried = append(carried, fmt.Sprint(v))
		}
	}
	trunk := "-"
	if len(carried) > 0 {
		trunk = "[" + strings.Join(carried, " ") + "]"
	}
	fmt.Fprintf(&b, "  20: %s\ndevice annex switch\n  ports 1-20\n  1-6: [10 20 30 40]\n  20: %s\n", trunk, trunk)
	cables.WriteString("cable floor.20 annex.20\n")
	zonesSaid := map[string]bool{}
	for i := range n {
		name := fmt.Sprintf("r%d", i)
		kind := pick("kind", "firewall", "router", "switch", "host")
		fmt.Fprintf(&bodies, "device %s %s\n", name, kind)
		if chance(2) {
			bodies.WriteString("  forwarding routed\n")
		}
		bodies.WriteString("  ports lan, wan\n  lan: [10 20 30 40]\n")
		far := chance(4)
		var has []int
		for _, v := range vlans {
			if chance(2) && len(has) > 0 || chance(6) {
				continue
			}
			has = append(has, v)
			p.far[fmt.Sprintf("%d %s", v, name)] = far
			words := " on lan"
			if z := pick("zone", "", "", zones[0], zones[1]); z != "" {
				words += " zone " + z
				zonesSaid[z] = true
			}
			tail := ""
			if chance(6) {
				tail = " admits " + pick("admits", "-", "ping", "udp/53,ping", "tcp/80")
			}
			mark := ""
			if chance(4) {
				mark = " gateway"
			}
			fmt.Fprintf(&bodies, "  address %d 10.0.%d.%d/24%s%s%s\n", v, v, i+1, words, tail, mark)
			if six[v] && chance(2) {
				fmt.Fprintf(&bodies, "  address %d fd00:%d::%d/64%s\n", v, v, i+1, words)
			}
		}
		line := chance(3)
		if line {
			bodies.WriteString("  outside fibre on wan" + pick("line", "", "", " 203.0.113.2/29 via 203.0.113.1") + "\n")
		}
		for range rapid.IntRange(0, 3).Draw(t, "routes") {
			v, w := rapid.SampledFrom(vlans).Draw(t, "to"), rapid.SampledFrom(vlans).Draw(t, "by")
			hop := rapid.IntRange(1, 4).Draw(t, "hop")
			to := pick("dest", fmt.Sprintf("10.0.%d.0/24", v), "default", fmt.Sprintf("10.0.%d.64/26", v), "10.0.0.0/16")
			if six[w] && chance(3) {
				fmt.Fprintf(&bodies, "  route fd00:%d::/64 via fd00:%d::%d\n", v, w, hop)
				continue
			}
			if line && chance(4) {
				fmt.Fprintf(&bodies, "  route %s via fibre\n", to)
				continue
			}
			fmt.Fprintf(&bodies, "  route %s via 10.0.%d.%d\n", to, w, hop)
		}
		if !line && chance(4) {
			bodies.WriteString("  " + pick("state", "stateful", "stateless") + "\n")
		}
		if chance(3) {
			bodies.WriteString("  between zones " + pick("between", "allow", "deny") + "\n")
		}
		if chance(4) {
			bodies.WriteString("  within zones " + pick("within", "allow", "deny") + "\n")
		}
		for range rapid.IntRange(0, 5).Draw(t, "rules") {
			fmt.Fprintf(&bodies, "  %s %s to %s %s\n", pick("do", "allow", "allow", "deny"), side(), side(), services())
		}
		to := "floor"
		if far {
			to = "annex"
		}
		fmt.Fprintf(&cables, "cable r%d.lan %s.%d\n", i, to, i+1)
	}
	b.WriteString(bodies.String())
	b.WriteString(cables.String())
	for _, word := range []string{"must", "never"} {
		if chance(3) {
			fmt.Fprintf(&b, "%s %s to %s %s\n", word, side(), side(), services())
		}
	}
	text := b.String()
	for _, z := range zones { // a rule cannot name what is nowhere
		if !zonesSaid[z] {
			text = strings.ReplaceAll(text, "zone "+z, "vlan 10")
		}
	}
	return text, p
}
