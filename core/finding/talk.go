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
	for _, device := range c.net.Office.Devices {
		c.ruleUnused(device)
	}
}

// wishes: must-fails and never-fails, with the rules that would make them so.
//
//	> must guests to 10.61.110.20 printing
//	must-fails: Must guests to 10.61.110.20 printing is wished, and 160 guests at 10.61.160.2
//	    does not reach 110 reception at 10.61.110.20 by tcp/631: gate drops it, as no rule
//	    fits: between zones deny.
//	  mend: gate allow vlan 160 to 10.61.110.20 printing
//
// Many branches: a wish that fails is told by what stops it, or by what lets it through.
func (c *check) wishes() {
	for _, judged := range c.talk.Wishes() {
		if judged.Holds {
			continue
		}
		finding := Finding{Code: NeverFails, ID: about(NeverFails, judged.Wish), Wish: judged.Wish.String()}
		if judged.Wish.Must {
			finding.Code, finding.ID = MustFails, about(MustFails, judged.Wish)
		}
		finding.VLANs = pairVLANs(judged.Bad)
		from, to := c.side(judged.From, judged.Answer.From), c.side(judged.To, judged.Answer.To)
		more := ""
		if k := len(judged.Bad) - 1; k > 0 {
			more = " (and one more pair)"
			if k > 1 {
				more = fmt.Sprintf(" (and %d more pairs)", k)
			}
		}
		switch stop := judged.Answer.There.Stop; {
		case !judged.Wish.Must && judged.From == judged.To && len(judged.Answer.There.Hops) == 0 && judged.Answer.There.Own == "":
			finding.Text = fmt.Sprintf("%s is wished, and who is in %s reaches the others there by %s%s: %s.", capital(wishText(c, judged.Wish)), c.net.Name(judged.From), judged.Answer.Service, more, judged.Answer.Why())
		case !judged.Wish.Must:
			finding.Text = fmt.Sprintf("%s is wished, and %s reaches %s by %s%s: %s.", capital(wishText(c, judged.Wish)), from, to, judged.Answer.Service, more, judged.Answer.Why())
			for _, hop := range judged.Answer.There.Hops {
				finding.Devices = append(finding.Devices, hop.Device)
			}
		case judged.From == 0 && judged.To == 0:
			finding.Text = fmt.Sprintf("%s is wished, and %s.", capital(wishText(c, judged.Wish)), stop.Text)
		default:
			finding.Text = fmt.Sprintf("%s is wished, and %s does not reach %s by %s%s: %s.", capital(wishText(c, judged.Wish)), from, to, judged.Answer.Service, more, judged.Answer.Why())
			if stop == nil {
				stop = judged.Answer.Back.Stop
			}
			if stop != nil && stop.Device != "" {
				finding.Devices = []string{stop.Device}
			}
			if stop != nil && stop.Reason == talk.Cut {
				for _, vid := range finding.VLANs {
					if vlan := c.net.VLAN(vid); vlan != nil && vlan.Parts > 1 {
						finding.Cause = about(Split, vid)
					}
				}
			}
		}
		wish, net := judged.Wish, c.net
		finding.propose = func() [][]string {
			lines, err := talk.Place(net, wish)
			if err != nil {
				return nil
			}
			return [][]string{lines}
		}
		c.add(finding)
	}
}

// wishText is a wish with its VLANs by name.
func wishText(check *check, wish *office.Wish) string {
	return check.named(wish.String())
}

// named writes the VLANs of a text of notation by their names.
func (c *check) named(text string) string {
	words := strings.Split(text, " ")
	for i := 0; i+1 < len(words); i++ {
		if before, ok := strings.CutSuffix(words[i], "vlan"); ok && (before == "" || strings.HasSuffix(before, ",")) {
			number, after, more := strings.Cut(words[i+1], ",")
			vid, err := office.ParseVID(number)
			if vlan := c.net.Office.VLAN(vid); err == nil && vlan != nil {
				if more {
					after = "," + after
				}
				words[i] = before + vlan.Name + after
				words = slices.Delete(words, i+1, i+2)
				i--
			}
		}
	}
	return strings.Join(words, " ")
}

// capital is a text that begins a sentence.
func capital(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

// side is a VLAN, or the outside, with one of its addresses.
//
//	> must guests to tills
//	! column 16: no VLAN is named tills: register it with vlan NUMBER tills
func (c *check) side(vid office.VID, addr netip.Addr) string {
	if vid == 0 {
		return "the outside"
	}
	return fmt.Sprintf("%s at %s", c.net.Name(vid), addr)
}

// routes: route-nowhere, a route whose next hop takes nothing.
//
//	> gate route 10.99.0.0/16 via 10.61.77.2
//	route-nowhere: gate has the route 10.99.0.0/16 via 10.61.77.2, and 10.61.77.2 is in none of
//	    its subnets.
//	  mend: -gate route 10.99.0.0/16 via 10.61.77.2
func (c *check) routes() {
	for _, nowhere := range c.talk.Nowhere {
		line := "-" + nowhere.Device + " route " + nowhere.Route.String()
		c.add(Finding{Code: RouteNowhere, ID: about(RouteNowhere, nowhere.Device, nowhere.Route), Devices: []string{nowhere.Device},
			Text: fmt.Sprintf("%s has the route %s, and %s.", nowhere.Device, nowhere.Route, nowhere.Why), Mends: [][]string{{line}}})
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
	for _, given := range c.addresses() {
		if given.a.Prefix.Addr().IsLinkLocalUnicast() {
			continue
		}
		one := key{given.a.VID, given.a.Prefix.Addr().Is4()}
		other, ok := first[one]
		if !ok {
			first[one] = given
			continue
		}
		if other.dev == given.dev || other.a.Prefix.Masked() == given.a.Prefix.Masked() || said[one] {
			continue
		}
		said[one] = true
		c.add(Finding{Code: SubnetDiffers, VLANs: []office.VID{given.a.VID}, ID: about(SubnetDiffers, given.a.VID, one.v4), Devices: []string{other.dev.Name, given.dev.Name},
			Text: fmt.Sprintf("%s is %s on %s and %s on %s: the two do not take each other for neighbours.", c.net.Name(given.a.VID), other.a.Prefix.Masked(), other.dev.Name, given.a.Prefix.Masked(), given.dev.Name)})
	}
}

// troubles: what goes wrong between VLANs although rules let the question pass.
func (c *check) troubles() {
	for _, troubled := range c.talk.Troubles() {
		finding := Finding{VLANs: pairVLANs(troubled.Pairs)}
		if troubled.Device != "" {
			finding.Devices = []string{troubled.Device}
		}
		pairs := c.pairs(troubled.Pairs)
		switch troubled.Kind {
		case talk.RoutesInRing:
			finding.Code, finding.ID, finding.Devices = RouteLoop, about(RouteLoop, troubled.Over), strings.Split(troubled.Over, ", ")
			finding.Text = fmt.Sprintf("What goes from %s is sent in a ring of %s.", pairs, listed(finding.Devices))
		case talk.BackStops:
			finding.Code, finding.ID = WayBack, about(WayBack, troubled.Device, troubled.Reason)
			finding.Text = fmt.Sprintf("What goes from %s arrives, and its answer does not: %s (there over %s).", pairs, troubled.Text, troubled.Over)
			if len(troubled.Mends) > 0 {
				var lines []string
				for _, m := range troubled.Mends {
					lines = append(lines, strings.Split(m, "\n")...)
				}
				finding.Mends = [][]string{lines}
			}
		case talk.BackDiffers:
			finding.Code, finding.ID, finding.Devices = WayBackDiffers, about(WayBackDiffers, troubled.Over), nil
			finding.Text = fmt.Sprintf("What goes from %s goes over %s: it works as long as no device on one of the two ways alone keeps state.", pairs, troubled.Over)
			if troubled.Text != "" {
				finding.Text = fmt.Sprintf("What goes from %s goes over %s, and of tcp nothing comes of it: %s.", pairs, troubled.Over, troubled.Text)
				finding.ID = about(WayBackDiffers, troubled.Over, troubled.Device)
			}
			finding.Devices = devicesOf(troubled.Over)
		case talk.OneWayRule:
			rule := &c.net.Office.Device(troubled.Device).Rules[troubled.Rule]
			finding.Code, finding.ID = RuleOneWay, about(RuleOneWay, troubled.Device, rule)
			finding.Text = fmt.Sprintf("%s keeps no state, and its rule %d lets the question pass from %s and no rule the answer: %s.", troubled.Device, troubled.Rule+1, pairs, rule)
			back := &office.Rule{Do: office.Allow, From: rule.To, To: rule.From, Services: talk.Answers(c.net.Office, rule.Services)}
			finding.Mends = [][]string{{fmt.Sprintf("%s rule %d %s", troubled.Device, troubled.Rule+2, back)}, {troubled.Device + " stateful"}}
		case talk.FromOutside:
			rule := &c.net.Office.Device(troubled.Device).Rules[troubled.Rule]
			finding.Code, finding.ID = OutsideOpen, about(OutsideOpen, troubled.Device, rule)
			finding.Text = fmt.Sprintf("The outside may start connections to %s at large, not to a single address: rule %d of %s, %s.", c.vlanNames(finding.VLANs), troubled.Rule+1, troubled.Device, rule)
			finding.Mends = [][]string{{fmt.Sprintf("-%s rule %d", troubled.Device, troubled.Rule+1)}}
		}
		c.add(finding)
	}
}

// devicesOf is the devices that a verdict's way leads over, there and back, each once.
func devicesOf(over string) (all []string) {
	for _, part := range strings.Split(strings.ReplaceAll(over, " and back over ", ", "), ", ") {
		if part != "no device" && !slices.Contains(all, part) {
			all = append(all, part)
		}
	}
	return all
}

// pairVLANs is the VLANs of pairs, each once, ascending; 0, the outside, is none.
func pairVLANs(pairs [][2]office.VID) (all []office.VID) {
	for _, p := range pairs {
		for _, vid := range p {
			if vid != 0 && !slices.Contains(all, vid) {
				all = append(all, vid)
			}
		}
	}
	slices.Sort(all)
	return all
}

// pairs names pairs of VLANs, cut off where nobody would read on.
func (c *check) pairs(pairs [][2]office.VID) string {
	name := func(vid office.VID) string {
		if vid == 0 {
			return "the outside"
		}
		return c.net.Name(vid)
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
	o := c.net.Office
	for _, vid := range slices.Sorted(maps.Keys(c.net.Gateways())) {
		for family := range 2 {
			gate := c.net.Gateways().Of(vid, family)
			if len(gate.Rivals) == 0 || !c.somebody(vid) {
				continue
			}
			finding := Finding{Code: GatewayUnclear, VLANs: []office.VID{vid}, ID: about(GatewayUnclear, vid, family == office.IPv4)}
			var names []string
			for _, rival := range gate.Rivals {
				device := o.Devices[rival.Dev]
				names = append(names, fmt.Sprintf("%s on %s", rival.Addr, device.Name))
				finding.Devices = append(finding.Devices, device.Name)
				for _, address := range device.Addresses {
					if address.VID == vid && address.Prefix.Addr() == rival.Addr {
						address.Gateway = true
						finding.Mends = append(finding.Mends, []string{device.Name + " " + notation.AddressText(address)})
					}
				}
			}
			finding.Text = fmt.Sprintf("The hosts of %s may send what is for others to %s: nothing says which, and %s, the lowest, is taken for it.", c.net.Name(vid), listed(names), gate.Addr())
			c.add(finding)
		}
	}
}

// somebody says whether a VLAN has anybody in it but devices' addresses.
func (c *check) somebody(vid office.VID) bool {
	vlan := c.net.VLAN(vid)
	return vlan != nil && (wantedAt(c.net.Office, vid) || slices.ContainsFunc(vlan.Spans, func(part *span.Span) bool { return len(c.net.Terminals(part, vid)) > 0 }))
}

func wantedAt(o *office.Office, vid office.VID) bool {
	return slices.ContainsFunc(o.Plugs, func(plug office.Plug) bool { return plug.Wants == vid })
}

// ruleUnused: no packet can meet a rule.
//
//	> gate rule 3 allow zone guests to outside tcp/443
//	rule-unused: No packet comes to rule 3 of gate, allow zone guests to outside tcp/443:
//	    before it, rule 1 (allow zone staff,zone guests to outside) takes all.
//	  mend: -gate rule 3
//	  mend: gate rule 3 before 1
func (c *check) ruleUnused(device *office.Device) {
	for _, unused := range talk.UnusedRules(c.net.Office, device) {
		rule := &device.Rules[unused.Rule]
		finding := Finding{Code: RuleUnused, ID: about(RuleUnused, device.Name, rule, nth(device.Rules, unused.Rule)), Devices: []string{device.Name}, Rule: unused.Rule + 1}
		gone := fmt.Sprintf("-%s rule %d", device.Name, unused.Rule+1)
		switch {
		case len(unused.Earlier) > 0:
			var names []string
			for _, i := range unused.Earlier {
				names = append(names, fmt.Sprintf("%d (%s)", i+1, &device.Rules[i]))
			}
			finding.Text = fmt.Sprintf("No packet comes to rule %d of %s, %s: before it, rule %s takes all.", unused.Rule+1, device.Name, rule, some(names, 4))
			finding.Mends = [][]string{{gone}, {fmt.Sprintf("%s rule %d before %d", device.Name, unused.Rule+1, unused.Earlier[0]+1)}}
		case unused.Instead != 0:
			finding.Text = fmt.Sprintf("No packet can meet rule %d of %s, %s: %s. What it sends to the outside leaves by %s: name that VLAN.", unused.Rule+1, device.Name, rule, unused.Why, c.net.Name(unused.Instead))
			better := *rule
			better.From, better.To = instead(rule.From, unused.Instead), instead(rule.To, unused.Instead)
			finding.Mends = [][]string{{gone, fmt.Sprintf("%s rule %d %s", device.Name, unused.Rule+1, &better)}, {gone}}
		default:
			finding.Text = fmt.Sprintf("No packet can meet rule %d of %s, %s: %s.", unused.Rule+1, device.Name, rule, unused.Why)
			finding.Mends = [][]string{{gone}}
		}
		c.add(finding)
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

// instead is the sides of a rule with a VLAN in the place of the outside.
func instead(sides []office.Side, vid office.VID) []office.Side {
	out := slices.Clone(sides)
	for i := range out {
		if out[i].Kind == office.SideOutside {
			out[i] = office.Side{Kind: office.SideVLAN, VID: vid}
		}
	}
	return out
}

// handoutOpen: in a guarded VLAN, hosts hear each other over a device that cannot
// tell who may hand out addresses, without passing one that can.
func (c *check) handoutOpen() {
	for _, vlan := range c.net.Office.VLANs {
		if !vlan.Guarded {
			continue
		}
		for i, device := range c.net.Office.Devices {
			ports, among := c.openTo(i, vlan.VID)
			if len(ports) == 0 || !among && len(ports) < 2 {
				continue
			}
			c.add(Finding{Code: HandoutOpen, VLANs: []office.VID{vlan.VID}, Ports: ports, ID: about(HandoutOpen, vlan.VID, device.Name), Devices: []string{device.Name},
				Text: fmt.Sprintf("%s is guarded, and %s looks into nothing: whoever is at %s can hand out addresses there to the others.", c.net.Name(vlan.VID), device.Name, c.portList(ports, 3))})
		}
	}
}

// openTo is the ports of a device that guards nothing at which hosts of a VLAN
// are, and no device that hands out lies behind; among says that one lies behind
// another port of it, so that the rest of the VLAN trusts what comes from it.
//
//	> never guests to outside tcp/25
//	never-fails: Never guests to outside tcp/25 is wished, and 160 guests at 10.61.160.2
//	    reaches the outside by tcp/25: gate: allow zone staff,zone guests to outside.
//	  mend: gate rule 1 deny vlan 160 to outside tcp/25
func (c *check) openTo(dev int, vid office.VID) (ports []office.PortRef, among bool) {
	device := c.net.Office.Devices[dev]
	if !device.Unaware() {
		return nil, false
	}
	here := false
	for port := range device.Ports {
		if hub := c.net.Topo.HubOf(dev, port); c.net.Wants(hub).Has(vid) || c.net.Hears(dev, port, vid) {
			here = true
		}
	}
	if !here {
		return nil, false
	}
	trusted := Trusted(c.net, dev, vid)
	for port := range device.Ports {
		among = among || len(trusted) > 0 && len(c.net.Topo.LinksAt(dev, port)) > 0 && !slices.Contains(trusted, port)
		if device.Ports[port].Kind == office.Physical && !c.net.Tables[dev].Ports[port].Off && len(c.net.Topo.LinksAt(dev, port)) == 0 && !slices.Contains(trusted, port) {
			ports = append(ports, office.PortRef{Device: device.Name, Port: device.Ports[port].Name})
		}
	}
	return ports, among
}

// Trusted is the ports of a device behind which somebody hands out addresses in a
// VLAN, by the shortest way there: of a guarded VLAN, those alone may answer.
func Trusted(net *span.Net, dev int, vid office.VID) (ports []int) {
	for at, device := range net.Office.Devices {
		for _, address := range device.Addresses {
			if address.VID != vid || !address.From.IsValid() || at == dev {
				continue
			}
			hubs := net.AddressHubs(at, vid, address.On)
			way, ok := net.RouteAnyhow(vid, net.Topo.HubsOf(dev), func(h int) bool { return slices.Contains(hubs, h) })
			if !ok || len(way) == 0 {
				continue
			}
			for _, end := range net.Topo.Links[way[0]].Ends() {
				if end.Dev == dev && !slices.Contains(ports, end.Port) {
					ports = append(ports, end.Port)
				}
			}
		}
	}
	return ports
}
