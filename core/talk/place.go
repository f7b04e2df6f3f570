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
func Place(n *span.Net, wish *office.Wish) (lines []string, err error) {
	if wish.Must {
		return placeAllow(n, wish)
	}
	return placeDeny(n, wish)
}

// mostPlaced bounds the rules that one wish may need.
const mostPlaced = 64

func placeAllow(n *span.Net, wish *office.Wish) (lines []string, err error) {
	for range mostPlaced {
		m := New(n, wish)
		j := m.Judge(wish)
		if j.Holds {
			if len(lines) == 0 {
				return nil, fmt.Errorf("%s may talk to %s already", office.Sides(wish.From), office.Sides(wish.To))
			}
			return lines, nil
		}
		stop, answer := j.Answer.There.Stop, false
		if stop == nil {
			stop, answer = j.Answer.Back.Stop, true
		}
		if stop == nil || stop.Reason != ByRule {
			return nil, fmt.Errorf("no rule can do it: %s", stop.Text)
		}
		r := m.byName(stop.Device)
		rule := &office.Rule{Do: office.Allow, Services: wish.Services}
		rule.From, rule.To = m.as(r, wish.From, stop.in), m.as(r, wish.To, stop.out)
		if answer {
			rule.From, rule.To = m.as(r, wish.To, stop.in), m.as(r, wish.From, stop.out)
			rule.Services = answers(Of(n.Office, wish.Services))
		}
		line := notation.Thing(office.RuleAt{Device: stop.Device, Rule: rule})
		if at := stop.rule; at >= 0 {
			line = fmt.Sprintf("%s rule %d %s", stop.Device, at+1, rule)
			if was := r.d.Rules[at]; opposite(&was, rule) {
				line = fmt.Sprintf("-%s rule %d", stop.Device, at+1)
			}
		}
		if slices.Contains(lines, line) {
			return nil, fmt.Errorf("no rule can do it: %s", stop.Text)
		}
		lines = append(lines, line)
		if n, err = typed(n, line); err != nil {
			return nil, err
		}
	}
	return nil, fmt.Errorf("this would take more than %d rules: name less at once", mostPlaced)
}

func placeDeny(n *span.Net, wish *office.Wish) (lines []string, err error) {
	start := n
	at := map[string]int{} // before which rule of each device
	var order []string
	for range mostPlaced {
		m := New(n, wish)
		j := m.Judge(wish)
		if j.Holds {
			if len(lines) == 0 {
				return nil, fmt.Errorf("%s cannot talk to %s already", office.Sides(wish.From), office.Sides(wish.To))
			}
			return lines, nil
		}
		if len(j.Answer.There.Hops) == 0 {
			return nil, fmt.Errorf("no rule can do it: what is in one subnet passes no device that routes")
		}
		hop := j.Answer.There.Hops[0]
		first := New(start).byName(hop.Device)
		k, said := at[hop.Device]
		if !said {
			order = append(order, hop.Device)
			k = len(first.d.Rules)
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
			r := m.byName(device)
			rule := &office.Rule{Do: office.Deny, Services: wish.Services}
			in, out := hop.In, hop.Out
			rule.From, rule.To = m.as(r, wish.From, in), m.as(r, wish.To, out)
			line := fmt.Sprintf("%s rule %d %s", device, at[device]+1, rule)
			if was := New(start).byName(device).d.Rules; at[device] == len(was) {
				line = device + " " + rule.String()
			} else if opposite(&was[at[device]], rule) {
				line = fmt.Sprintf("-%s rule %d", device, at[device]+1)
			}
			lines = append(lines, line)
		}
		if n, err = typed(start, strings.Join(lines, "\n")); err != nil {
			return nil, err
		}
	}
	return nil, fmt.Errorf("this would take more than %d rules: name less at once", mostPlaced)
}

func typed(n *span.Net, lines string) (*span.Net, error) {
	o, _, err := notation.Line(n.Office, lines)
	if err != nil {
		return nil, err
	}
	return n.Update(o), nil
}

// opposite says whether a rule does to the same what another one forbids, or the
// other way round: instead of a second one, it goes.
func opposite(was, wanted *office.Rule) bool {
	return was.Do != wanted.Do && slices.Equal(was.From, wanted.From) && slices.Equal(was.To, wanted.To) && slices.Equal(was.Services, wanted.Services)
}

// as is the sides of a wish as a router's rule can name them: what does not come
// in by an interface of that name, or leave by one, is named by its addresses.
func (m *Map) as(r *router, sides []office.Side, by office.VID) (out []office.Side) {
	add := func(s office.Side) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	nets := func(x *area) {
		if x == nil {
			return
		}
		for _, n := range x.nets {
			add(office.Side{Kind: office.SideNet, Net: n})
		}
	}
	for _, s := range sides {
		switch {
		case s.Kind == office.SideVLAN && s.VID != by:
			nets(m.byVID[s.VID])
		case s.Kind == office.SideZone && (by == 0 || r.d.ZoneOf(by) != s.Zone):
			for _, x := range m.vlans {
				if m.inZone(x.vid, s.Zone) {
					nets(x)
				}
			}
		case s.Kind == office.SideOutside && len(r.d.Outsides) == 0 && by != 0:
			add(office.Side{Kind: office.SideVLAN, VID: by})
		default:
			add(s)
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
func (m *Map) Named(p netip.Prefix) (out []office.VID) {
	for _, x := range m.vlans {
		if slices.ContainsFunc(x.nets, p.Overlaps) {
			out = append(out, x.vid)
		}
	}
	return out
}
