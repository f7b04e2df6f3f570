package round

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/talk"
)

// What is entered wrong on a device that routes: a rule that is missing, says too much or
// stands in another place; what happens to what no rule fits; a route.

// everything is a rule that lets all pass.
func everything() office.Rule {
	anybody := []office.Side{{Kind: office.SideAny}}
	return office.Rule{Do: office.Allow, From: anybody, To: anybody, Services: anyService()}
}

func anyService() []office.Service { return []office.Service{{Protocol: office.AnyProtocol}} }

// ofPolicy lists them for a device. A change finds its rule by what it says, so that several
// can be made at once.
func ofPolicy(o *office.Office, i int) (out []Mistake) {
	d := o.Devices[i]
	add := func(kind Kind, what string, drop func(x *office.Device)) {
		m := onDevice(o, i, kind, what, drop)
		m.Rules = true
		if kind != NoRule && kind != NoRoute {
			m.weight = seldom // to forget is easier than to write too much
		}
		out = append(out, m)
	}
	for k := range d.Rules {
		text := d.Rules[k].String()
		at := func(x *office.Device) int {
			return slices.IndexFunc(x.Rules, func(y office.Rule) bool { return y.String() == text })
		}
		change := func(kind Kind, what string, do func(rules []office.Rule, at int) []office.Rule) {
			add(kind, what, func(x *office.Device) {
				if k := at(x); k >= 0 {
					x.Rules = do(slices.Clone(x.Rules), k)
				}
			})
		}
		change(NoRule, "lacks the rule "+text, func(rules []office.Rule, at int) []office.Rule { return slices.Delete(rules, at, at+1) })
		rule := &d.Rules[k]
		if !office.AnyService(rule.Services) {
			change(WideRule, "has the rule "+text+" for every service", func(rules []office.Rule, at int) []office.Rule {
				rules[at].Services = anyService()
				return rules
			})
		}
		anybody := []office.Side{{Kind: office.SideAny}}
		if !slices.Equal(rule.From, anybody) {
			change(WideRule, "has the rule "+text+" from anybody", func(rules []office.Rule, at int) []office.Rule {
				rules[at].From = anybody
				return rules
			})
		}
		if !slices.Equal(rule.To, anybody) {
			change(WideRule, "has the rule "+text+" to anything", func(rules []office.Rule, at int) []office.Rule {
				rules[at].To = anybody
				return rules
			})
		}
		if k < len(d.Rules)-1 {
			change(RulePlace, "has the rule "+text+" last", func(rules []office.Rule, at int) []office.Rule {
				one := rules[at]
				return append(slices.Delete(rules, at, at+1), one)
			})
		}
		if k > 0 {
			change(RulePlace, "has the rule "+text+" first", func(rules []office.Rule, at int) []office.Rule {
				one := rules[at]
				return slices.Insert(slices.Delete(rules, at, at+1), 0, one)
			})
		}
	}
	if routes := len(d.Addresses) > 1 && d.Routes != nil || d.Forwarding == office.Routed || len(d.Rules) > 0; routes && !d.NoRouting {
		add(OpenGate, "lets everything pass, as with allow any to any before its rules", func(x *office.Device) {
			x.Rules = slices.Insert(slices.Clone(x.Rules), 0, everything())
		})
		for _, y := range []struct {
			name string
			is   office.Action
			set  func(x *office.Device, a office.Action)
		}{
			{"between zones", d.BetweenZones(), func(x *office.Device, a office.Action) { x.Between = a }},
			{"within a zone", d.WithinZones(), func(x *office.Device, a office.Action) { x.Within = a }},
		} {
			turned := office.Allow
			what := "lets pass " + y.name + " what no rule fits"
			if y.is == office.Allow {
				turned, what = office.Deny, "stops "+y.name+" what no rule fits"
			}
			add(Default, what, func(x *office.Device) { y.set(x, turned) })
		}
	}
	for _, route := range d.Routes {
		add(NoRoute, fmt.Sprintf("lacks the route to %s", route.To), func(x *office.Device) {
			x.Routes = slices.DeleteFunc(slices.Clone(x.Routes), func(y office.Route) bool { return y == route })
		})
	}
	return out
}

// tempting is what a rule that nobody planned lets through, where a wish says never: what one
// would most regret, and what is most often let through.
var tempting = []office.Service{{Protocol: office.TCP, First: 445, Last: 445}, {Protocol: office.TCP, First: 443, Last: 443}}

// holes lists, for each two VLANs of which laptops stand in the first, a rule that nobody
// planned: one that lets everything from the first to the other, and, where a wish says never,
// what is tempting.
func (w *world) holes() (out []Mistake) {
	o := w.n.Office
	for i, l := range w.who {
		gate := &w.posts[l.gate]
		for _, v := range o.VLANs {
			if v.VID == l.vlan || !w.n.Gateways().First(v.VID).Is() {
				continue
			}
			all := append([]office.Service{{Protocol: office.AnyProtocol}}, w.tempted(l, v.VID)...)
			for _, service := range all {
				if w.passed(i, v.VID, service) {
					continue
				}
				rule := office.Rule{
					Do: office.Allow, From: []office.Side{{Kind: office.SideVLAN, VID: l.vlan}}, To: []office.Side{{Kind: office.SideVLAN, VID: v.VID}}, Services: []office.Service{service},
				}
				m := onDevice(o, gate.dev, Hole, "has a rule that nobody planned: "+rule.String(), func(x *office.Device) {
					x.Rules = slices.Insert(slices.Clone(x.Rules), 0, rule)
				})
				m.Rules, m.weight = true, notEntered
				out = append(out, m)
			}
		}
	}
	return out
}

// passed says whether a laptop can use a service of everybody in a VLAN as planned, so that a
// rule more would change nothing.
func (w *world) passed(laptop int, v office.VID, service office.Service) bool {
	what := talk.Of(w.n.Office, []office.Service{service})
	for k, x := range w.targets {
		if w.inVLAN(x, v) && w.passes[laptop][k] != nil && !what.Minus(w.passes[laptop][k]).Empty() {
			return false
		}
	}
	return true
}

// inVLAN says whether a target is in a VLAN.
func (w *world) inVLAN(x target, v office.VID) bool {
	return slices.ContainsFunc(w.posts, func(p post) bool { return p.addr == x.addr && p.vid == v && !p.rival })
}

// tempted is what is tempting from a laptop to a VLAN, where a wish says never.
func (w *world) tempted(l laptop, v office.VID) []office.Service {
	for k := range w.n.Office.Wishes {
		wish := w.n.Office.Wishes[k]
		if !wish.Must && w.names(wish.From, l.vlan) && w.names(wish.To, v) && office.AnyService(wish.Services) {
			return tempting
		}
	}
	return nil
}

// names says whether sides name something of a VLAN.
func (w *world) names(sides []office.Side, v office.VID) bool {
	gate := w.n.Gateways().First(v)
	return slices.ContainsFunc(sides, func(s office.Side) bool {
		switch s.Kind {
		case office.SideAny:
			return true
		case office.SideVLAN:
			return s.VID == v
		case office.SideZone:
			return gate.Is() && w.n.Office.Devices[gate.Dev].ZoneOf(v) == s.Zone
		case office.SideNet:
			return gate.Is() && s.Net.Overlaps(gate.Address.Prefix.Masked())
		}
		return false
	})
}
