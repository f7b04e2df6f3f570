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
		p := &was.Office.Plugs[i]
		before[id{p.Port, p.Name}] = p
	}
	has := func(n *span.Net, h *reach.Hearing, p *office.Plug) (vlan, gateway bool) {
		here := reach.Plug(n, p)
		if here == nil {
			return false, false
		}
		gate := n.Gateways().First(p.Wants)
		return true, gate.Is() && h.Both(here, reach.Address(n, gate.Dev, gate.Address))
	}
	hears, will := reach.In(was), reach.In(plan)
	for i := range plan.Office.Plugs {
		p := &plan.Office.Plugs[i]
		old := before[id{p.Port, p.Name}]
		if old == nil || p.Operator {
			continue
		}
		vlan, gateway := has(was, hears, old)
		now, leads := has(plan, will, p)
		switch {
		case vlan && !now:
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without %s: it works today.", p.Name, portText(p.Port), plan.Name(p.Wants)))
		case gateway && !leads && plan.Gateways().First(p.Wants).Is():
			out = append(out, fmt.Sprintf("The plan leaves %s at %s without a way to its gateway in %s: it has one today.", p.Name, portText(p.Port), plan.Name(p.Wants)))
		}
	}
	return out
}
