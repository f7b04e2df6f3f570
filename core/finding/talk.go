package finding

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// talks finds what is wrong or unwise with routes, rules and wishes.
func (c *check) talks() {
	c.wishes()
	c.routes()
	c.subnetDiffers()
	c.troubles()
	for _, d := range c.n.Office.Devices {
		c.ruleUnused(d)
	}
}

// wishes: must-fails and never-fails, with the rules that would make them so.
func (c *check) wishes() {
	for _, j := range c.talk.Wishes() {
		if j.Holds {
			continue
		}
		f := Finding{Code: NeverFails, ID: about(NeverFails, j.Wish), Wish: j.Wish.String()}
		if j.Wish.Must {
			f.Code, f.ID = MustFails, about(MustFails, j.Wish)
		}
		f.VLANs = pairVLANs(j.Bad)
		from, to := c.side(j.From, j.Answer.From), c.side(j.To, j.Answer.To)
		more := ""
		if k := len(j.Bad) - 1; k > 0 {
			more = " (and one more pair)"
			if k > 1 {
				more = fmt.Sprintf(" (and %d more pairs)", k)
			}
		}
		switch stop := j.Answer.There.Stop; {
		case !j.Wish.Must && j.From == j.To && len(j.Answer.There.Hops) == 0 && j.Answer.There.Own == "":
			f.Text = fmt.Sprintf("%s is wished, and who is in %s reaches the others there by %s%s: %s.", capital(wishText(c, j.Wish)), c.n.Name(j.From), j.Answer.Service, more, j.Answer.Why())
		case !j.Wish.Must:
			f.Text = fmt.Sprintf("%s is wished, and %s reaches %s by %s%s: %s.", capital(wishText(c, j.Wish)), from, to, j.Answer.Service, more, j.Answer.Why())
			for _, h := range j.Answer.There.Hops {
				f.Devices = append(f.Devices, h.Device)
			}
		case j.From == 0 && j.To == 0:
			f.Text = fmt.Sprintf("%s is wished, and %s.", capital(wishText(c, j.Wish)), stop.Text)
		default:
			f.Text = fmt.Sprintf("%s is wished, and %s does not reach %s by %s%s: %s.", capital(wishText(c, j.Wish)), from, to, j.Answer.Service, more, j.Answer.Why())
			if stop == nil {
				stop = j.Answer.Back.Stop
			}
			if stop != nil && stop.Device != "" {
				f.Devices = []string{stop.Device}
			}
			if stop != nil && stop.Reason == talk.Cut {
				for _, v := range f.VLANs {
					if x := c.n.VLAN(v); x != nil && x.Parts > 1 {
						f.Cause = about(Split, v)
					}
				}
			}
		}
		wish, n := j.Wish, c.n
		f.propose = func() [][]string {
			lines, err := talk.Place(n, wish)
			if err != nil {
				return nil
			}
			return [][]string{lines}
		}
		c.add(f)
	}
}

// wishText is a wish with its VLANs by name.
func wishText(c *check, w *office.Wish) string {
	return c.named(w.String())
}

// named writes the VLANs of a text of notation by their names.
func (c *check) named(text string) string {
	words := strings.Split(text, " ")
	for i := 0; i+1 < len(words); i++ {
		if before, ok := strings.CutSuffix(words[i], "vlan"); ok && (before == "" || strings.HasSuffix(before, ",")) {
			number, after, more := strings.Cut(words[i+1], ",")
			v, err := office.ParseVID(number)
			if x := c.n.Office.VLAN(v); err == nil && x != nil {
				if more {
					after = "," + after
				}
				words[i] = before + x.Name + after
				words = slices.Delete(words, i+1, i+2)
				i--
			}
		}
	}
	return strings.Join(words, " ")
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// side is a VLAN, or the outside, with one of its addresses.
func (c *check) side(v office.VID, a netip.Addr) string {
	if v == 0 {
		return "the outside"
	}
	return fmt.Sprintf("%s at %s", c.n.Name(v), a)
}

// routes: route-nowhere, a route whose next hop takes nothing.
func (c *check) routes() {
	for _, x := range c.talk.Nowhere {
		line := "-" + x.Device + " route " + x.Route.String()
		c.add(Finding{Code: RouteNowhere, ID: about(RouteNowhere, x.Device, x.Route), Devices: []string{x.Device},
			Text: fmt.Sprintf("%s has the route %s, and %s.", x.Device, x.Route, x.Why), Mends: [][]string{{line}}})
	}
}

// subnetDiffers: one VLAN has, on two devices, addresses in different subnets.
func (c *check) subnetDiffers() {
	type key struct {
		v  office.VID
		v4 bool
	}
	first := map[key]given{}
	said := map[key]bool{}
	for _, g := range c.addresses() {
		if g.a.Prefix.Addr().IsLinkLocalUnicast() {
			continue
		}
		k := key{g.a.VID, g.a.Prefix.Addr().Is4()}
		o, ok := first[k]
		if !ok {
			first[k] = g
			continue
		}
		if o.dev == g.dev || o.a.Prefix.Masked() == g.a.Prefix.Masked() || said[k] {
			continue
		}
		said[k] = true
		c.add(Finding{Code: SubnetDiffers, VLANs: []office.VID{g.a.VID}, ID: about(SubnetDiffers, g.a.VID, k.v4), Devices: []string{o.dev.Name, g.dev.Name},
			Text: fmt.Sprintf("%s is %s on %s and %s on %s: the two do not take each other for neighbours.", c.n.Name(g.a.VID), o.a.Prefix.Masked(), o.dev.Name, g.a.Prefix.Masked(), g.dev.Name)})
	}
}

// troubles: what goes wrong between VLANs although rules let the question pass.
func (c *check) troubles() {
	for _, t := range c.talk.Troubles() {
		f := Finding{VLANs: pairVLANs(t.Pairs)}
		if t.Device != "" {
			f.Devices = []string{t.Device}
		}
		pairs := c.pairs(t.Pairs)
		switch t.Kind {
		case talk.RoutesInRing:
			f.Code, f.ID, f.Devices = RouteLoop, about(RouteLoop, t.Over), strings.Split(t.Over, ", ")
			f.Text = fmt.Sprintf("What goes from %s is sent in a ring of %s.", pairs, listed(f.Devices))
		case talk.BackStops:
			f.Code, f.ID = WayBack, about(WayBack, t.Device, t.Reason)
			f.Text = fmt.Sprintf("What goes from %s arrives, and its answer does not: %s (there over %s).", pairs, t.Text, t.Over)
			if len(t.Mends) > 0 {
				var lines []string
				for _, m := range t.Mends {
					lines = append(lines, strings.Split(m, "\n")...)
				}
				f.Mends = [][]string{lines}
			}
		case talk.BackDiffers:
			f.Code, f.ID, f.Devices = WayBackDiffers, about(WayBackDiffers, t.Over), nil
			f.Text = fmt.Sprintf("What goes from %s goes over %s: it works as long as no device on one of the two ways alone keeps state.", pairs, t.Over)
			if t.Text != "" {
				f.Text = fmt.Sprintf("What goes from %s goes over %s, and of tcp nothing comes of it: %s.", pairs, t.Over, t.Text)
				f.ID = about(WayBackDiffers, t.Over, t.Device)
			}
			f.Devices = devicesOf(t.Over)
		case talk.OneWayRule:
			r := &c.n.Office.Device(t.Device).Rules[t.Rule]
			f.Code, f.ID = RuleOneWay, about(RuleOneWay, t.Device, r)
			f.Text = fmt.Sprintf("%s keeps no state, and its rule %d lets the question pass from %s and no rule the answer: %s.", t.Device, t.Rule+1, pairs, r)
			back := &office.Rule{Do: office.Allow, From: r.To, To: r.From, Services: talk.Answers(c.n.Office, r.Services)}
			f.Mends = [][]string{{fmt.Sprintf("%s rule %d %s", t.Device, t.Rule+2, back)}, {t.Device + " stateful"}}
		case talk.FromOutside:
			r := &c.n.Office.Device(t.Device).Rules[t.Rule]
			f.Code, f.ID = OutsideOpen, about(OutsideOpen, t.Device, r)
			f.Text = fmt.Sprintf("The outside may start connections to %s at large, not to a single address: rule %d of %s, %s.", c.vlanNames(f.VLANs), t.Rule+1, t.Device, r)
			f.Mends = [][]string{{fmt.Sprintf("-%s rule %d", t.Device, t.Rule+1)}}
		}
		c.add(f)
	}
}

func devicesOf(over string) (all []string) {
	for _, part := range strings.Split(strings.ReplaceAll(over, " and back over ", ", "), ", ") {
		if part != "no device" && !slices.Contains(all, part) {
			all = append(all, part)
		}
	}
	return all
}

func pairVLANs(pairs [][2]office.VID) (all []office.VID) {
	for _, p := range pairs {
		for _, v := range p {
			if v != 0 && !slices.Contains(all, v) {
				all = append(all, v)
			}
		}
	}
	slices.Sort(all)
	return all
}

// pairs names pairs of VLANs, cut off where nobody would read on.
func (c *check) pairs(pairs [][2]office.VID) string {
	name := func(v office.VID) string {
		if v == 0 {
			return "the outside"
		}
		return c.n.Name(v)
	}
	var text []string
	for _, p := range pairs {
		text = append(text, name(p[0])+" to "+name(p[1]))
	}
	return some(text, 3)
}

// gatewayUnclear: several addresses may be where the hosts of a VLAN send what is
// for others, and nothing says which.
func (c *check) gatewayUnclear() {
	o := c.n.Office
	for _, v := range slices.Sorted(maps.Keys(c.n.Gateways())) {
		for family := range 2 {
			gate := c.n.Gateways().Of(v, family)
			if len(gate.Rivals) == 0 || !c.somebody(v) {
				continue
			}
			f := Finding{Code: GatewayUnclear, VLANs: []office.VID{v}, ID: about(GatewayUnclear, v, family == office.IPv4)}
			var names []string
			for _, rival := range gate.Rivals {
				d := o.Devices[rival.Dev]
				names = append(names, fmt.Sprintf("%s on %s", rival.Addr, d.Name))
				f.Devices = append(f.Devices, d.Name)
				for _, x := range d.Addresses {
					if x.VID == v && x.Prefix.Addr() == rival.Addr {
						x.Gateway = true
						f.Mends = append(f.Mends, []string{d.Name + " " + notation.AddressText(x)})
					}
				}
			}
			f.Text = fmt.Sprintf("The hosts of %s may send what is for others to %s: nothing says which, and %s, the lowest, is taken for it.", c.n.Name(v), listed(names), gate.Addr())
			c.add(f)
		}
	}
}

// somebody says whether a VLAN has anybody in it but devices' addresses.
func (c *check) somebody(v office.VID) bool {
	x := c.n.VLAN(v)
	return x != nil && (wantedAt(c.n.Office, v) || slices.ContainsFunc(x.Spans, func(s *span.Span) bool { return len(c.n.Terminals(s, v)) > 0 }))
}

func wantedAt(o *office.Office, v office.VID) bool {
	return slices.ContainsFunc(o.Plugs, func(p office.Plug) bool { return p.Wants == v })
}

// ruleUnused: no packet can meet a rule.
func (c *check) ruleUnused(d *office.Device) {
	for _, u := range talk.UnusedRules(c.n.Office, d) {
		r := &d.Rules[u.Rule]
		f := Finding{Code: RuleUnused, ID: about(RuleUnused, d.Name, r, nth(d.Rules, u.Rule)), Devices: []string{d.Name}, Rule: u.Rule + 1}
		gone := fmt.Sprintf("-%s rule %d", d.Name, u.Rule+1)
		switch {
		case len(u.Earlier) > 0:
			var names []string
			for _, i := range u.Earlier {
				names = append(names, fmt.Sprintf("%d (%s)", i+1, &d.Rules[i]))
			}
			f.Text = fmt.Sprintf("No packet comes to rule %d of %s, %s: before it, rule %s takes all.", u.Rule+1, d.Name, r, some(names, 4))
			f.Mends = [][]string{{gone}, {fmt.Sprintf("%s rule %d before %d", d.Name, u.Rule+1, u.Earlier[0]+1)}}
		case u.Instead != 0:
			f.Text = fmt.Sprintf("No packet can meet rule %d of %s, %s: %s. What it sends to the outside leaves by %s: name that VLAN.", u.Rule+1, d.Name, r, u.Why, c.n.Name(u.Instead))
			better := *r
			better.From, better.To = instead(r.From, u.Instead), instead(r.To, u.Instead)
			f.Mends = [][]string{{gone, fmt.Sprintf("%s rule %d %s", d.Name, u.Rule+1, &better)}, {gone}}
		default:
			f.Text = fmt.Sprintf("No packet can meet rule %d of %s, %s: %s.", u.Rule+1, d.Name, r, u.Why)
			f.Mends = [][]string{{gone}}
		}
		c.add(f)
	}
}

// nth tells equal rules of a list apart.
func nth(rules []office.Rule, at int) (n int) {
	for i := range at {
		if rules[i].Equal(&rules[at]) {
			n++
		}
	}
	return n
}

func instead(sides []office.Side, v office.VID) []office.Side {
	out := slices.Clone(sides)
	for i := range out {
		if out[i].Kind == office.SideOutside {
			out[i] = office.Side{Kind: office.SideVLAN, VID: v}
		}
	}
	return out
}

// handoutOpen: in a guarded VLAN, hosts hear each other over a device that cannot
// tell who may hand out addresses, without passing one that can.
func (c *check) handoutOpen() {
	for _, v := range c.n.Office.VLANs {
		if !v.Guarded {
			continue
		}
		for i, d := range c.n.Office.Devices {
			ports, among := c.openTo(i, v.VID)
			if len(ports) == 0 || !among && len(ports) < 2 {
				continue
			}
			c.add(Finding{Code: HandoutOpen, VLANs: []office.VID{v.VID}, Ports: ports, ID: about(HandoutOpen, v.VID, d.Name), Devices: []string{d.Name},
				Text: fmt.Sprintf("%s is guarded, and %s looks into nothing: whoever is at %s can hand out addresses there to the others.", c.n.Name(v.VID), d.Name, c.portList(ports, 3))})
		}
	}
}

// openTo is the ports of a device that guards nothing at which hosts of a VLAN
// are, and no device that hands out lies behind; among says that one lies behind
// another port of it, so that the rest of the VLAN trusts what comes from it.
func (c *check) openTo(dev int, v office.VID) (ports []office.PortRef, among bool) {
	d := c.n.Office.Devices[dev]
	if !d.Unaware() {
		return nil, false
	}
	here := false
	for p := range d.Ports {
		if hub := c.n.Topo.HubOf(dev, p); c.n.Wants(hub).Has(v) || c.n.Hears(dev, p, v) {
			here = true
		}
	}
	if !here {
		return nil, false
	}
	trusted := Trusted(c.n, dev, v)
	for p := range d.Ports {
		among = among || len(trusted) > 0 && len(c.n.Topo.LinksAt(dev, p)) > 0 && !slices.Contains(trusted, p)
		if d.Ports[p].Kind == office.Physical && !c.n.Tables[dev].Ports[p].Off && len(c.n.Topo.LinksAt(dev, p)) == 0 && !slices.Contains(trusted, p) {
			ports = append(ports, office.PortRef{Device: d.Name, Port: d.Ports[p].Name})
		}
	}
	return ports, among
}

// Trusted is the ports of a device behind which somebody hands out addresses in a
// VLAN, by the shortest way there: of a guarded VLAN, those alone may answer.
func Trusted(n *span.Net, dev int, v office.VID) (ports []int) {
	for k, d := range n.Office.Devices {
		for _, a := range d.Addresses {
			if a.VID != v || !a.From.IsValid() || k == dev {
				continue
			}
			hubs := n.AddressHubs(k, v, a.On)
			way, ok := n.RouteAnyhow(v, n.Topo.HubsOf(dev), func(h int) bool { return slices.Contains(hubs, h) })
			if !ok || len(way) == 0 {
				continue
			}
			for _, e := range n.Topo.Links[way[0]].Ends() {
				if e.Dev == dev && !slices.Contains(ports, e.Port) {
					ports = append(ports, e.Port)
				}
			}
		}
	}
	return ports
}
