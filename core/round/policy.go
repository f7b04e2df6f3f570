package round

import (
	"fmt"
	"slices"

	"klammer/core/office"
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
