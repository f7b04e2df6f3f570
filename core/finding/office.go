package finding

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
	"klammer/core/span"
)

// addressing finds where the addresses of an office contradict each other.
func (c *check) addressing() {
	all := c.addresses()
	c.addressOutside(all)
	c.subnetOverlap()
	c.gatewayTwice(all)
	c.handouts(all)
	c.numberHabit()
}

// given is an address with the device that has it.
type given struct {
	dev *office.Device
	a   office.Address
}

func (c *check) addresses() (all []given) {
	for _, d := range c.n.Office.Devices {
		for _, a := range d.Addresses {
			all = append(all, given{d, a})
		}
	}
	return all
}

// addressOutside: an address, or a management address, is in none of its
// VLAN's subnets: who shares the VLAN does not share the subnet.
//
//	vlan 110 reception net 10.61.110.0/24
//	device gate router
//	  ports lan
//	  lan: 110
//	  address 110 10.61.120.1/24
func (c *check) addressOutside(all []given) {
	outside := func(v office.VID, a netip.Addr) []netip.Prefix {
		x := c.n.Office.VLAN(v)
		if x == nil {
			return nil
		}
		var same []netip.Prefix
		for _, n := range x.Nets {
			if n.Addr().Is4() == a.Is4() {
				same = append(same, n)
			}
			if n.Contains(a) {
				return nil
			}
		}
		return same
	}
	say := func(d *office.Device, v office.VID, a netip.Addr, what string, nets []netip.Prefix) {
		c.add(Finding{Code: "address-outside", VLANs: []office.VID{v}, ID: about("address-outside", d.Name, v, a), Devices: []string{d.Name},
			Text: fmt.Sprintf("%s %s of %s is outside %s, the subnet of %s.", what, a, d.Name, nets[0], c.n.Name(v))})
	}
	for _, g := range all {
		if nets := outside(g.a.VID, g.a.Prefix.Addr()); nets != nil {
			say(g.dev, g.a.VID, g.a.Prefix.Addr(), "The address", nets)
		}
	}
	for _, d := range c.n.Office.Devices {
		if m := d.Manage; m != nil && m.Addr.IsValid() {
			if nets := outside(m.VID, m.Addr); nets != nil {
				say(d, m.VID, m.Addr, "The management address", nets)
			}
		}
	}
}

// subnetOverlap: two VLANs have subnets that overlap, so that an address does
// not say which of them it is in.
//
//	vlan 110 reception net 10.61.0.0/16
//	vlan 120 surgery net 10.61.120.0/24
func (c *check) subnetOverlap() {
	type net struct {
		v office.VID
		p netip.Prefix
	}
	var all []net
	for _, v := range c.n.Office.VLANs {
		for _, p := range v.Nets {
			all = append(all, net{v.VID, p})
		}
	}
	slices.SortFunc(all, func(a, b net) int {
		if k := a.p.Addr().Compare(b.p.Addr()); k != 0 {
			return k
		}
		return a.p.Bits() - b.p.Bits()
	})
	var open []net // subnets that may still hold what comes
	for _, x := range all {
		open = slices.DeleteFunc(open, func(y net) bool { return !y.p.Overlaps(x.p) })
		for _, y := range open {
			if x.v == y.v {
				continue
			}
			vs := []office.VID{min(x.v, y.v), max(x.v, y.v)}
			c.add(Finding{Code: "subnet-overlap", VLANs: vs, ID: about("subnet-overlap", vs, x.p, y.p),
				Text: fmt.Sprintf("The subnets %s of %s and %s of %s overlap: a router cannot tell them apart.", y.p, c.n.Name(y.v), x.p, c.n.Name(x.v))})
		}
		open = append(open, x)
	}
}

// gatewayTwice: one IP address is on two devices, or two devices each have an
// address of a VLAN in the same subnet, so that there are two ways out of it.
//
//	vlan 110 reception net 10.61.110.0/24
//	device gate router
//	  ports lan
//	  lan: 110
//	  address 110 10.61.110.1/24
//	device core switch
//	  ports 1-8
//	  1: 110
//	  address 110 10.61.110.1/24
//	cable gate.lan core.1
func (c *check) gatewayTwice(all []given) {
	type holder struct {
		dev  *office.Device
		v    office.VID
		addr netip.Addr
		net  netip.Prefix // not valid for management
	}
	var hs []holder
	for _, g := range all {
		hs = append(hs, holder{g.dev, g.a.VID, g.a.Prefix.Addr(), g.a.Prefix.Masked()})
	}
	for _, d := range c.n.Office.Devices {
		if m := d.Manage; m != nil && m.Addr.IsValid() {
			hs = append(hs, holder{dev: d, v: m.VID, addr: m.Addr})
		}
	}
	byAddr, byNet := map[netip.Addr]holder{}, map[string]holder{}
	for _, h := range hs {
		if o, ok := byAddr[h.addr]; ok && o.dev != h.dev {
			c.add(Finding{Code: "gateway-twice", VLANs: vids(o.v, h.v), ID: about("gateway-twice", h.addr, o.dev.Name, h.dev.Name), Devices: []string{o.dev.Name, h.dev.Name},
				Text: fmt.Sprintf("%s and %s both have the address %s: whoever answers first is the gateway.", o.dev.Name, h.dev.Name, h.addr)})
			continue
		}
		byAddr[h.addr] = h
		if !h.net.IsValid() {
			continue
		}
		k := fmt.Sprint(h.v, h.net)
		if o, ok := byNet[k]; ok && o.dev != h.dev {
			c.add(Finding{Code: "gateway-twice", VLANs: []office.VID{h.v}, ID: about("gateway-twice", h.v, o.dev.Name, h.dev.Name), Devices: []string{o.dev.Name, h.dev.Name},
				Text: fmt.Sprintf("%s has two gateways, %s on %s and %s on %s: some hosts leave by the one and some by the other.", c.n.Name(h.v), o.addr, o.dev.Name, h.addr, h.dev.Name)})
			continue
		}
		byNet[k] = h
	}
}

func vids(a, b office.VID) []office.VID {
	if a == b {
		return []office.VID{a}
	}
	return []office.VID{min(a, b), max(a, b)}
}

// handouts is handout-outside (a hand-out range leaves the address's subnet, so
// that some hosts get an address that reaches nobody) and handout-twice (two
// devices hand out addresses in one VLAN).
//
//	vlan 110 reception net 10.61.110.0/24
//	device gate router
//	  ports lan
//	  lan: 110
//	  address 110 10.61.110.1/24 handout 10.61.110.200-10.61.111.20
func (c *check) handouts(all []given) {
	first := map[string]given{}
	for _, g := range all {
		if !g.a.From.IsValid() {
			continue
		}
		n := g.a.Prefix.Masked()
		if !n.Contains(g.a.From) || !n.Contains(g.a.To) {
			c.add(Finding{Code: "handout-outside", VLANs: []office.VID{g.a.VID}, ID: about("handout-outside", g.dev.Name, g.a.VID, g.a.From), Devices: []string{g.dev.Name},
				Text: fmt.Sprintf("%s hands out %s to %s in %s, which leaves the subnet %s.", g.dev.Name, g.a.From, g.a.To, c.n.Name(g.a.VID), n)})
		} else if g.a.From.Compare(g.a.Prefix.Addr()) <= 0 && g.a.Prefix.Addr().Compare(g.a.To) <= 0 {
			c.add(Finding{Code: "handout-outside", VLANs: []office.VID{g.a.VID}, ID: about("handout-outside", g.dev.Name, g.a.VID, g.a.From), Devices: []string{g.dev.Name},
				Text: fmt.Sprintf("%s hands out its own address %s in %s: the range %s to %s holds it.", g.dev.Name, g.a.Prefix.Addr(), c.n.Name(g.a.VID), g.a.From, g.a.To)})
		}
		k := fmt.Sprint(g.a.VID, g.a.From.Is4())
		if o, ok := first[k]; ok {
			c.add(Finding{Code: "handout-twice", VLANs: []office.VID{g.a.VID}, ID: about("handout-twice", g.a.VID, o.dev.Name, g.dev.Name, g.a.From), Devices: []string{o.dev.Name, g.dev.Name},
				Text: fmt.Sprintf("Addresses of %s are handed out twice, by %s and by %s: a host gets the one or the other.", c.n.Name(g.a.VID), o.dev.Name, g.dev.Name)})
			continue
		}
		first[k] = g
	}
}

// numberHabit: most VLANs show their VID in the subnet, and this one does not.
//
//	vlan 110 reception net 10.61.110.0/24
//	vlan 120 surgery net 10.61.120.0/24
//	vlan 130 imaging net 10.61.99.0/24
func (c *check) numberHabit() {
	var odd []*office.VLAN
	with := 0
	for _, v := range c.n.Office.VLANs {
		if len(v.Nets) == 0 || v.VID == office.DefaultVID {
			continue
		}
		with++
		if !slices.ContainsFunc(v.Nets, func(p netip.Prefix) bool { return ShowsVID(p, v.VID) }) {
			odd = append(odd, v)
		}
	}
	if with < 3 || 2*(with-len(odd)) <= with {
		return
	}
	for _, v := range odd {
		c.add(Finding{Code: "number-habit", VLANs: []office.VID{v.VID}, ID: about("number-habit", v.VID),
			Text: fmt.Sprintf("Most VLANs show their number in the subnet; %s has %s.", c.n.Name(v.VID), v.Nets[0])})
	}
}

// ShowsVID says whether a subnet has the VID in one of its numbers, or in two
// neighbouring ones read together (10.4.12.0/24 for 412).
func ShowsVID(p netip.Prefix, v office.VID) bool {
	want := strconv.Itoa(int(v))
	sep := "."
	if !p.Addr().Is4() {
		sep = ":"
	}
	last := ""
	for part := range strings.SplitSeq(p.Addr().String(), sep) {
		if part == want || last != "" && strings.TrimLeft(last+part, "0") == want {
			return true
		}
		last = part
	}
	return false
}

// management finds who cannot reach what he manages, and who can that should
// not.
func (c *check) management() {
	c.managementCut()
	c.managementShared()
}

// managementCut: from the operator's plug no way, by span or through addresses,
// to a device's management address.
//
//	vlan 190 devices
//	device a switch
//	  ports 1-2
//	  manage 190
//	  1: 110
//	plug a.1 "admin laptop" wants 110 operator
func (c *check) managementCut() {
	n := c.n
	for _, p := range n.Office.Plugs {
		if !p.Operator {
			continue
		}
		at := c.from(&p)
		for k, d := range n.Office.Devices {
			if d.Manage == nil || at.managed(k) {
				continue
			}
			f := Finding{Code: "management-cut", VLANs: []office.VID{d.Manage.VID}, Ports: []office.PortRef{p.Port}, ID: about("management-cut", d.Name), Devices: []string{d.Name}}
			f.Text = fmt.Sprintf("From %s at %s there is no way to the management of %s in %s.", p.Name, portName(p.Port), d.Name, n.Name(d.Manage.VID))
			switch v := n.VLAN(d.Manage.VID); {
			case at.start == nil:
				f.Cause = about("plug-unserved", p.Port, p.Name)
				f.Text = fmt.Sprintf("%s does not get into %s, so there is no way to the management of %s.", p.Name, n.Name(p.Wants), d.Name)
			case v != nil && v.State == span.Split:
				f.Cause = about("split", d.Manage.VID)
			case v != nil:
				f.Cause = c.oneWayIn(v)
			}
			if f.Cause == "" {
				if v := n.VLAN(p.Wants); v != nil {
					f.Cause = c.oneWayIn(v)
				}
			}
			c.add(f)
		}
	}
}

// oneWayIn is the ID of the finding on a cable that a VLAN passes in one
// direction only, "" where there is none.
func (c *check) oneWayIn(v *span.VLAN) string {
	t := check{n: c.n}
	t.oneWay(v)
	if len(t.faults) == 0 {
		for _, s := range v.Spans {
			for _, w := range c.n.OneWays(s) {
				if k := &c.n.Topo.Links[w.Link]; func() bool { _, _, _, ok := c.n.Mismatch(w.Link); return ok }() {
					return about("untagged-mismatch", c.n.Ref(k.A), c.n.Ref(k.B))
				}
			}
		}
		return ""
	}
	return c.faultID(t.faults[0])
}

// reached is all that a plug hears and is heard by, through routers too.
type reached struct {
	n     *span.Net
	start *span.Span
	nodes map[span.Node]bool
}

// from follows a plug's frames, and the answers, as far as they go.
func (c *check) from(p *office.Plug) *reached {
	r := &reached{n: c.n, nodes: map[span.Node]bool{}}
	s, x := c.n.PlugAt(p)
	if r.start = s; s == nil {
		return r
	}
	type standing struct {
		spans []*span.Span
		nodes []span.Node
	}
	var routers []standing
	for i, d := range c.n.Office.Devices {
		if len(d.Addresses) < 2 {
			continue
		}
		var at standing
		for _, a := range d.Addresses {
			ss, ns := c.n.Standing(i, a.VID, a.On)
			at.spans, at.nodes = append(at.spans, ss...), append(at.nodes, ns...)
		}
		routers = append(routers, at)
	}
	r.nodes = c.n.Mutual(s, x)
	for more := true; more; {
		more = false
		for _, at := range routers {
			if !slices.ContainsFunc(at.nodes, func(y span.Node) bool { return r.nodes[y] }) {
				continue
			}
			for k, y := range at.nodes {
				if !r.nodes[y] {
					more = true
					for z := range c.n.Mutual(at.spans[k], y) {
						r.nodes[z] = true
					}
					r.nodes[y] = true
				}
			}
		}
	}
	return r
}

// managed says whether the management of a device is among what is reached.
func (r *reached) managed(dev int) bool {
	_, nodes := r.n.Standing(dev, r.n.Office.Devices[dev].Manage.VID, "")
	return slices.ContainsFunc(nodes, func(y span.Node) bool { return r.nodes[y] })
}

// managementShared: a VLAN that devices are managed in also has ordinary plugs.
//
//	vlan 110 reception
//	device a switch
//	  ports 1-2
//	  manage 110
//	  1: 110
//	plug a.1 "pc" wants 110
func (c *check) managementShared() {
	managed := office.Set{}
	for _, d := range c.n.Office.Devices {
		if d.Manage != nil {
			managed.Add(d.Manage.VID)
		}
	}
	by := map[office.VID]*Finding{}
	var names = map[office.VID][]string{}
	for _, p := range c.n.Office.Plugs {
		if p.Operator || !managed.Has(p.Wants) {
			continue
		}
		f := by[p.Wants]
		if f == nil {
			f = &Finding{Code: "management-shared", VLANs: []office.VID{p.Wants}, ID: about("management-shared", p.Wants)}
			by[p.Wants] = f
		}
		f.Ports = append(f.Ports, p.Port)
		names[p.Wants] = append(names[p.Wants], p.Name)
	}
	for v, f := range by {
		f.Text = fmt.Sprintf("Devices are managed in %s, where %s can reach them too.", c.n.Name(v), some(names[v], 3))
		c.add(*f)
	}
}
