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
//
//	> -gate allow zone staff,zone guests to outside; gate allow zone staff to outside
func ofPolicy(o *office.Office, i int) (out []Mistake) {
	device := o.Devices[i]
	add := func(kind Kind, what string, drop func(other *office.Device)) {
		mistake := onDevice(o, i, kind, what, drop)
		mistake.Rules = true
		if kind != NoRule && kind != NoRoute {
			mistake.weight = seldom // to forget is easier than to write too much
		}
		out = append(out, mistake)
	}
	for k := range device.Rules {
		text := device.Rules[k].String()
		at := func(other *office.Device) int {
			return slices.IndexFunc(other.Rules, func(one office.Rule) bool { return one.String() == text })
		}
		change := func(kind Kind, what string, do func(rules []office.Rule, at int) []office.Rule) {
			add(kind, what, func(other *office.Device) {
				if k := at(other); k >= 0 {
					other.Rules = do(slices.Clone(other.Rules), k)
				}
			})
		}
		change(NoRule, "lacks the rule "+text, func(rules []office.Rule, at int) []office.Rule { return slices.Delete(rules, at, at+1) })
		rule := &device.Rules[k]
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
		if k < len(device.Rules)-1 {
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
	if routes := len(device.Addresses) > 1 && device.Routes != nil || device.Forwarding == office.Routed || len(device.Rules) > 0; routes && !device.NoRouting {
		add(OpenGate, "lets everything pass, as with allow any to any before its rules", func(other *office.Device) {
			other.Rules = slices.Insert(slices.Clone(other.Rules), 0, everything())
		})
		for _, y := range []struct {
			name string
			is   office.Action
			set  func(other *office.Device, action office.Action)
		}{
			{"between zones", device.BetweenZones(), func(other *office.Device, action office.Action) { other.Between = action }},
			{"within a zone", device.WithinZones(), func(other *office.Device, action office.Action) { other.Within = action }},
		} {
			turned := office.Allow
			what := "lets pass " + y.name + " what no rule fits"
			if y.is == office.Allow {
				turned, what = office.Deny, "stops "+y.name+" what no rule fits"
			}
			add(Default, what, func(other *office.Device) { y.set(other, turned) })
		}
	}
	for _, route := range device.Routes {
		add(NoRoute, fmt.Sprintf("lacks the route to %s", route.To), func(other *office.Device) {
			other.Routes = slices.DeleteFunc(slices.Clone(other.Routes), func(one office.Route) bool { return one == route })
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
	o := w.net.Office
	for i, laptop := range w.who {
		gate := &w.posts[laptop.gate]
		for _, vlan := range o.VLANs {
			if vlan.VID == laptop.vlan || !w.net.Gateways().First(vlan.VID).Is() {
				continue
			}
			all := append([]office.Service{{Protocol: office.AnyProtocol}}, w.tempted(laptop, vlan.VID)...)
			for _, service := range all {
				if w.passed(i, vlan.VID, service) {
					continue
				}
				rule := office.Rule{
					Do: office.Allow, From: []office.Side{{Kind: office.SideVLAN, VID: laptop.vlan}}, To: []office.Side{{Kind: office.SideVLAN, VID: vlan.VID}}, Services: []office.Service{service},
				}
				mistake := onDevice(o, gate.dev, Hole, "has a rule that nobody planned: "+rule.String(), func(device *office.Device) {
					device.Rules = slices.Insert(slices.Clone(device.Rules), 0, rule)
				})
				mistake.Rules, mistake.weight = true, notEntered
				out = append(out, mistake)
			}
		}
	}
	return out
}

// passed says whether a laptop can use a service of everybody in a VLAN as planned, so that a
// rule more would change nothing.
func (w *world) passed(laptop int, vid office.VID, service office.Service) bool {
	what := talk.Of(w.net.Office, []office.Service{service})
	for k, target := range w.targets {
		if w.inVLAN(target, vid) && w.passes[laptop][k] != nil && !what.Minus(w.passes[laptop][k]).Empty() {
			return false
		}
	}
	return true
}

// inVLAN says whether a target is in a VLAN.
func (w *world) inVLAN(target target, vid office.VID) bool {
	return slices.ContainsFunc(w.posts, func(post post) bool { return post.addr == target.addr && post.vid == vid && !post.rival })
}

// tempted is what is tempting from a laptop to a VLAN, where a wish says never.
func (w *world) tempted(laptop laptop, vid office.VID) []office.Service {
	for k := range w.net.Office.Wishes {
		wish := w.net.Office.Wishes[k]
		if !wish.Must && w.names(wish.From, laptop.vlan) && w.names(wish.To, vid) && office.AnyService(wish.Services) {
			return tempting
		}
	}
	return nil
}

// names says whether sides name something of a VLAN.
func (w *world) names(sides []office.Side, vid office.VID) bool {
	gate := w.net.Gateways().First(vid)
	return slices.ContainsFunc(sides, func(side office.Side) bool {
		switch side.Kind {
		case office.SideAny:
			return true
		case office.SideVLAN:
			return side.VID == vid
		case office.SideZone:
			return gate.Is() && w.net.Office.Devices[gate.Dev].ZoneOf(vid) == side.Zone
		case office.SideNet:
			return gate.Is() && side.Net.Overlaps(gate.Address.Prefix.Masked())
		}
		return false
	})
}
