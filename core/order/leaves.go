package order

import (
	"fmt"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// leaves says what the plan itself takes from those who have it today, for good: a plug
// its VLAN, or the way to its gateway. No order can help that, and it is said first.
func leaves(was, plan *span.Net) (out []string) {
	type id struct {
		at   office.PortRef
		name string
	}
	before := map[id]*office.Plug{}
	for i := range was.Office.Plugs {
		plug := &was.Office.Plugs[i]
		before[id{plug.Port, plug.Name}] = plug
	}
	has := func(net *span.Net, h *reach.Hearing, plug *office.Plug) (vlan, gateway bool) {
		here := reach.Plug(net, plug)
		if here == nil {
			return false, false
		}
		gate := net.Gateways().First(plug.Wants)
		return true, gate.Is() && h.Both(here, reach.Address(net, gate.Dev, gate.Address))
	}
	hears, will := reach.In(was), reach.In(plan)
	for i := range plan.Office.Plugs {
		plug := &plan.Office.Plugs[i]
		old := before[id{plug.Port, plug.Name}]
		if old == nil || plug.Operator {
			continue
		}
		vlan, gateway := has(was, hears, old)
		now, leads := has(plan, will, plug)
		switch {
		case vlan && !now:
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without %s: it works today.", plug.Name, portText(plug.Port), plan.Name(plug.Wants)))
		case gateway && !leads && plan.Gateways().First(plug.Wants).Is():
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without a way to its gateway in %s: it has one today.", plug.Name, portText(plug.Port), plan.Name(plug.Wants)))
		}
	}
	return out
}
