package span

import (
	"slices"

	"klammer/core/office"
)

// Change is what a port gains and loses between two offices: other ports that
// a frame of its comes out of, whatever it wears.
type Change struct {
	Port  office.PortRef
	Gains []office.PortRef
	Loses []office.PortRef
}

// Compare says which ports gain or lose which others from a to b, in the order
// of their names.
func Compare(a, b *Net) []Change {
	was, is := a.reachable(), b.reachable()
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
		if len(c.Gains)+len(c.Loses) > 0 {
			out = append(out, c)
		}
	}
	return out
}

// missing lists what is in a and not in b.
func missing(a, b map[office.PortRef]bool) []office.PortRef {
	var out []office.PortRef
	for p := range a {
		if !b[p] {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, office.PortRef.Compare)
	return out
}

// reachable is, by port, the ports that a frame of its comes out of.
func (n *Net) reachable() map[office.PortRef]map[office.PortRef]bool {
	r := map[office.PortRef]map[office.PortRef]bool{}
	for _, f := range n.Flows() {
		m := r[f.From]
		if m == nil {
			m = map[office.PortRef]bool{}
			r[f.From] = m
		}
		for _, a := range f.Arrivals {
			m[a.Port] = true
		}
	}
	return r
}
