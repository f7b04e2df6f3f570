package walk

import (
	"maps"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
)

// Change is what a port gains and loses between two offices: other ports that
// a frame of its comes out of, whatever it wears.
type Change struct {
	Port  office.PortRef
	Gains []office.PortRef
	Loses []office.PortRef
	// Otherwise is the ports that it reaches as before, but with frames that
	// wear something else: what is plugged in at one of the two has to change.
	Otherwise []office.PortRef
}

// Compare says which ports gain or lose which others from a to b, in the order
// of their names.
//
//	> floor 2: 160
//	core.1 loses floor.2
//	core.2 loses floor.2
//	core.3 loses floor.2
//	core.4 gains floor.2
//	floor.1 loses floor.2
//	floor.2 gains core.4, floor.5
//	floor.2 loses core.1, core.2, core.3, floor.1, floor.3, floor.4
//	floor.3 loses floor.2
//	floor.4 loses floor.2
//	floor.5 gains floor.2
func Compare(a, b *span.Net) []Change {
	was, is := reachable(a), reachable(b)
	var ports []office.PortRef
	for ref := range was {
		ports = append(ports, ref)
	}
	for ref := range is {
		if _, ok := was[ref]; !ok {
			ports = append(ports, ref)
		}
	}
	slices.SortFunc(ports, office.PortRef.Compare)
	var out []Change
	for _, ref := range ports {
		change := Change{Port: ref, Gains: missing(is[ref], was[ref]), Loses: missing(was[ref], is[ref])}
		for other, forms := range is[ref] {
			if before, ok := was[ref][other]; ok && !maps.Equal(before, forms) {
				change.Otherwise = append(change.Otherwise, other)
			}
		}
		slices.SortFunc(change.Otherwise, office.PortRef.Compare)
		if len(change.Gains)+len(change.Loses)+len(change.Otherwise) > 0 {
			out = append(out, change)
		}
	}
	return out
}

// forms is how frames go from a port to another: what they wear going in and
// coming out.
type forms map[[2]bridge.Wire]bool

// missing lists what is in a and not in b.
func missing(a, b map[office.PortRef]forms) []office.PortRef {
	var out []office.PortRef
	for ref := range a {
		if b[ref] == nil {
			out = append(out, ref)
		}
	}
	slices.SortFunc(out, office.PortRef.Compare)
	return out
}

// reachable is, by port, the ports that a frame of its comes out of, and how.
func reachable(net *span.Net) map[office.PortRef]map[office.PortRef]forms {
	r := map[office.PortRef]map[office.PortRef]forms{}
	for _, flow := range Flows(net) {
		net.Effort().Spend(15 * len(flow.Arrivals)) // a map for each pair of ports
		m := r[flow.From]
		if m == nil {
			m = map[office.PortRef]forms{}
			r[flow.From] = m
		}
		for _, arrival := range flow.Arrivals {
			if m[arrival.Port] == nil {
				m[arrival.Port] = forms{}
			}
			m[arrival.Port][[2]bridge.Wire{flow.Wire, arrival.Wire}] = true
		}
	}
	return r
}
