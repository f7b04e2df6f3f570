package talk

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Place decides where rules must stand so that somebody may talk to somebody, or
// may not: on which devices, and before which of their rules. It gives statements
// for the line, each tried. The error says why no rule can do it, or that it is
// so already.
//
//	> gate rule 1 deny zone guests to outside tcp/25
//	guests lose tcp/25 to the outside
func Place(net *span.Net, wish *office.Wish) (lines []string, err error) {
	if wish.Must {
		return placeAllow(net, wish)
	}
	return placeDeny(net, wish)
}

// mostPlaced bounds the rules that one wish may need.
const mostPlaced = 64

// placeAllow writes the rules that let a wish hold, one at a device after the other as the packet
// is stopped there or its answer is, each before the rule that stops it. It gives up after
// mostPlaced.
func placeAllow(net *span.Net, wish *office.Wish) (lines []string, err error) {
	for range mostPlaced {
		talks := New(net, wish)
		judged := talks.Judge(wish)
		if judged.Holds {
			if len(lines) == 0 {
				return nil, fmt.Errorf("%s may talk to %s already", office.Sides(wish.From), office.Sides(wish.To))
			}
			return lines, nil
		}
		stop, answer := judged.Answer.There.Stop, false
		if stop == nil {
			stop, answer = judged.Answer.Back.Stop, true
		}
		if stop == nil || stop.Reason != ByRule {
			return nil, fmt.Errorf("no rule can do it: %s", stop.Text)
		}
		router := talks.byName(stop.Device)
		rule := &office.Rule{Do: office.Allow, Services: wish.Services}
		rule.From, rule.To = talks.as(router, wish.From, stop.in), talks.as(router, wish.To, stop.out)
		if answer {
			rule.From, rule.To = talks.as(router, wish.To, stop.in), talks.as(router, wish.From, stop.out)
			rule.Services = answers(Of(net.Office, wish.Services))
		}
		line := notation.Thing(office.RuleAt{Device: stop.Device, Rule: rule})
		if at := stop.rule; at >= 0 {
			line = fmt.Sprintf("%s rule %d %s", stop.Device, at+1, rule)
			if was := router.device.Rules[at]; opposite(&was, rule) {
				line = fmt.Sprintf("-%s rule %d", stop.Device, at+1)
			}
		}
		if slices.Contains(lines, line) {
			return nil, fmt.Errorf("no rule can do it: %s", stop.Text)
		}
		lines = append(lines, line)
		if net, err = typed(net, line); err != nil {
			return nil, err
		}
	}
	return nil, fmt.Errorf("this would take more than %d rules: name less at once", mostPlaced)
}

// placeDeny writes the rules that stop what is wished never to talk, each on the first device that
// the packet passes, before the rule that lets it; again while it gets there by another.
func placeDeny(net *span.Net, wish *office.Wish) (lines []string, err error) {
	start := net
	at := map[string]int{} // before which rule of each device
	var order []string
	for range mostPlaced {
		talks := New(net, wish)
		judged := talks.Judge(wish)
		if judged.Holds {
			if len(lines) == 0 {
				return nil, fmt.Errorf("%s cannot talk to %s already", office.Sides(wish.From), office.Sides(wish.To))
			}
			return lines, nil
		}
		if len(judged.Answer.There.Hops) == 0 {
			return nil, fmt.Errorf("no rule can do it: what is in one subnet passes no device that routes")
		}
		hop := judged.Answer.There.Hops[0]
		first := New(start).byName(hop.Device)
		k, said := at[hop.Device]
		if !said {
			order = append(order, hop.Device)
			k = len(first.device.Rules)
			if hop.Rule >= 0 {
				k = hop.Rule
			}
		} else if hop.Rule < 0 || hop.Rule >= k {
			return nil, fmt.Errorf("no rule of %s can do it: %s lets it pass", hop.Device, hop.Decides)
		} else {
			k = hop.Rule
		}
		at[hop.Device] = k
		lines = lines[:0]
		for _, device := range order {
			router := talks.byName(device)
			rule := &office.Rule{Do: office.Deny, Services: wish.Services}
			in, out := hop.In, hop.Out
			rule.From, rule.To = talks.as(router, wish.From, in), talks.as(router, wish.To, out)
			line := fmt.Sprintf("%s rule %d %s", device, at[device]+1, rule)
			if was := New(start).byName(device).device.Rules; at[device] == len(was) {
				line = device + " " + rule.String()
			} else if opposite(&was[at[device]], rule) {
				line = fmt.Sprintf("-%s rule %d", device, at[device]+1)
			}
			lines = append(lines, line)
		}
		if net, err = typed(start, strings.Join(lines, "\n")); err != nil {
			return nil, err
		}
	}
	return nil, fmt.Errorf("this would take more than %d rules: name less at once", mostPlaced)
}

// typed is the network after lines of notation, for what-ifs that are put as somebody would type
// them.
func typed(net *span.Net, lines string) (*span.Net, error) {
	o, _, err := notation.Line(net.Office, lines)
	if err != nil {
		return nil, err
	}
	return net.Update(o), nil
}

// opposite says whether a rule does to the same what another one forbids, or the
// other way round: instead of a second one, it goes.
func opposite(was, wanted *office.Rule) bool {
	return was.Do != wanted.Do && slices.Equal(was.From, wanted.From) && slices.Equal(was.To, wanted.To) && slices.Equal(was.Services, wanted.Services)
}

// as is the sides of a wish as a router's rule can name them: what does not come
// in by an interface of that name, or leave by one, is named by its addresses.
func (m *Map) as(router *router, sides []office.Side, by office.VID) (out []office.Side) {
	add := func(side office.Side) {
		if !slices.Contains(out, side) {
			out = append(out, side)
		}
	}
	nets := func(area *area) {
		if area == nil {
			return
		}
		for _, prefix := range area.nets {
			add(office.Side{Kind: office.SideNet, Net: prefix})
		}
	}
	for _, side := range sides {
		switch {
		case side.Kind == office.SideVLAN && side.VID != by:
			nets(m.byVID[side.VID])
		case side.Kind == office.SideZone && (by == 0 || router.device.ZoneOf(by) != side.Zone):
			for _, area := range m.vlans {
				if m.inZone(area.vid, side.Zone) {
					nets(area)
				}
			}
		case side.Kind == office.SideOutside && len(router.device.Outsides) == 0 && by != 0:
			add(office.Side{Kind: office.SideVLAN, VID: by})
		default:
			add(side)
		}
	}
	return out
}

// answers is the services that let answers pass where no state is kept: to any
// port that somebody asks from.
func answers(want *Services) (out []office.Service) {
	if want == All {
		return want.List()
	}
	if want.ping {
		out = append(out, office.Service{Protocol: office.Ping})
	}
	for _, x := range []struct {
		protocol office.Protocol
		runs     []ports
	}{{office.TCP, want.tcp}, {office.UDP, want.udp}} {
		if len(x.runs) > 0 {
			out = append(out, office.Service{Protocol: x.protocol, First: 1024, Last: 65535})
		}
	}
	return out
}

// Named is the VLANs that an address or prefix is in.
func (m *Map) Named(prefix netip.Prefix) (out []office.VID) {
	for _, area := range m.vlans {
		if slices.ContainsFunc(area.nets, prefix.Overlaps) {
			out = append(out, area.vid)
		}
	}
	return out
}
