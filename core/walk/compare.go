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
func Compare(a, b *span.Net) []Change {
	was, is := reachable(a), reachable(b)
	var ports []office.PortRef
	for p := range was {
		ports = append(ports, p)
	}
	for p := range is {
		if _, ok := was[p]; !ok {
			ports = append(ports, p)
		}
	}
	slices.SortFunc(ports, office.PortRef.Compare)
	var out []Change
	for _, p := range ports {
		c := Change{Port: p, Gains: missing(is[p], was[p]), Loses: missing(was[p], is[p])}
		for q, forms := range is[p] {
			if before, ok := was[p][q]; ok && !maps.Equal(before, forms) {
				c.Otherwise = append(c.Otherwise, q)
			}
		}
		slices.SortFunc(c.Otherwise, office.PortRef.Compare)
		if len(c.Gains)+len(c.Loses)+len(c.Otherwise) > 0 {
			out = append(out, c)
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
	for p := range a {
		if b[p] == nil {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, office.PortRef.Compare)
	return out
}

// reachable is, by port, the ports that a frame of its comes out of, and how.
func reachable(n *span.Net) map[office.PortRef]map[office.PortRef]forms {
	r := map[office.PortRef]map[office.PortRef]forms{}
	for _, f := range Flows(n) {
		n.Effort().Spend(15 * len(f.Arrivals)) // a map for each pair of ports
		m := r[f.From]
		if m == nil {
			m = map[office.PortRef]forms{}
			r[f.From] = m
		}
		for _, a := range f.Arrivals {
			if m[a.Port] == nil {
				m[a.Port] = forms{}
			}
			m[a.Port][[2]bridge.Wire{f.Wire, a.Wire}] = true
		}
	}
	return r
}
