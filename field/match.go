package field

import (
	"cmp"
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/office"
)

// Match is, by port of a device in the office, the place of the port in a reading,
// -1 where none is it.
type Match []int

// Front is the port of the office that a place in a reading is, -1 for none.
func (m Match) Front(at int) int {
	for p, x := range m {
		if x == at {
			return p
		}
	}
	return -1
}

var numbers = regexp.MustCompile(`\d+`)

// series is a name without its last number, and that number: "ge-0/0/7" is
// "ge-0/0/" and 7.
func series(name string) (string, int) {
	at := numbers.FindAllStringIndex(name, -1)
	if len(at) == 0 {
		return name, -1
	}
	last := at[len(at)-1]
	n, err := strconv.Atoi(name[last[0]:last[1]])
	if err != nil {
		return name, -1
	}
	return name[:last[0]] + "\x00" + name[last[1]:], n
}

// MatchPorts proposes which port of a reading is which of the office. A name inside
// the device that the office says (ports 7 as ge-0/0/7) decides; then the same name;
// then, for ports of the front, the last number in the names of one series where
// each is there once; then the device's own numbers; then a bundle by its members.
// Nothing is matched twice.
func MatchPorts(d *office.Device, r *Reading) Match {
	m := make(Match, len(d.Ports))
	for p := range m {
		m[p] = -1
	}
	taken := make([]bool, len(r.Ports))
	take := func(p, at int) {
		if m[p] < 0 && !taken[at] {
			m[p], taken[at] = at, true
		}
	}
	var called [3]map[string]int // the first place of each name, whatever its case
	for level := range called {
		called[level] = map[string]int{}
		for at := len(r.Ports) - 1; at >= 0; at-- {
			x := &r.Ports[at]
			called[level][strings.ToLower([3]string{x.Name, x.Descr, x.Alias}[level])] = at
		}
	}
	for _, want := range []func(*office.Port) string{func(p *office.Port) string { return p.Inside }, func(p *office.Port) string {
		if p.Inside != "" {
			return ""
		}
		return p.Name
	}} {
		for level := range 3 {
			for p := range d.Ports {
				name := want(&d.Ports[p])
				if name == "" || m[p] >= 0 {
					continue
				}
				if at, ok := called[level][strings.ToLower(name)]; ok {
					take(p, at)
				}
			}
		}
	}
	m.bySeries(d, r, taken, take)
	for p := range d.Ports {
		if n, err := strconv.Atoi(d.Ports[p].Name); err == nil && d.Ports[p].Kind == office.Physical && d.Ports[p].Inside == "" {
			for at := range r.Ports {
				if x := &r.Ports[at]; x.Number == n && !x.Inner && len(x.Members) == 0 && !r.numbered(x) {
					take(p, at)
				}
			}
		}
	}
	for p := range d.Ports {
		if d.Ports[p].Kind != office.Bundle || m[p] >= 0 {
			continue
		}
		for at := range r.Ports {
			if x := &r.Ports[at]; len(x.Members) > 0 && slices.ContainsFunc(x.Members, func(k int) bool {
				return slices.ContainsFunc(d.Ports[p].Members, func(q int) bool { return m[q] == k })
			}) {
				take(p, at)
			}
		}
	}
	return m
}

// numbered says whether a port's name has a number of its own: then that is what it
// goes by, and not the one that the device counts it under.
func (r *Reading) numbered(x *Port) bool {
	_, n := series(x.Name)
	return n >= 0
}

// bySeries matches ports of the front by the last number in their names: the longest
// series first. Where the office's numbers go on after those of one series, as in
// ports 25-26 of which the device says xe1 and xe2, the next follows in order.
func (m Match) bySeries(d *office.Device, r *Reading, taken []bool, take func(p, at int)) {
	bridges, member := false, map[int]bool{} // of a bridge, its ports count and what is in its bundles
	for at := range r.Ports {
		bridges = bridges || r.Ports[at].Bridged
		for _, k := range r.Ports[at].Members {
			member[k] = true
		}
	}
	last := make([]int, len(d.Ports)) // the last in each name, -1 for none
	matched := map[int]bool{}         // those of ports that are matched
	for p := range d.Ports {
		_, last[p] = series(d.Ports[p].Name)
		if m[p] >= 0 {
			matched[last[p]] = true
		}
	}
	by := map[string]map[int]int{}
	size := map[string]int{}
	var order []string
	for at := range r.Ports {
		x := &r.Ports[at]
		prefix, n := series(x.Name)
		if taken[at] || n < 0 || x.Inner || len(x.Members) > 0 || bridges && !x.Bridged && !member[at] {
			continue
		}
		if by[prefix] == nil {
			by[prefix] = map[int]int{}
			order = append(order, prefix)
		}
		if _, twice := by[prefix][n]; twice {
			n = -2 - at // not by its number
		}
		by[prefix][n] = at
		size[prefix]++
	}
	slices.SortStableFunc(order, func(a, b string) int { return size[b] - size[a] })
	for _, prefix := range order {
		for p := range d.Ports {
			n := last[p]
			if at, ok := by[prefix][n]; ok && d.Ports[p].Kind == office.Physical && d.Ports[p].Inside == "" && n >= 0 && m[p] < 0 {
				// A second series counts from its own start: only what goes on from there
				// is its number.
				if prefix != order[0] && matched[n] {
					continue
				}
				take(p, at)
				matched[n] = matched[n] || m[p] >= 0
			}
		}
	}
	// What is left on both sides, in order, where it is as many.
	var ports, places []int
	for p := range d.Ports {
		if m[p] < 0 && d.Ports[p].Kind == office.Physical && d.Ports[p].Inside == "" {
			if last[p] >= 0 {
				ports = append(ports, p)
			}
		}
	}
	for _, prefix := range order {
		var rest []int
		for n, at := range by[prefix] {
			if !taken[at] && n >= 0 {
				rest = append(rest, at)
			}
		}
		slices.Sort(rest)
		places = append(places, rest...)
	}
	if len(ports) > 0 && len(ports) == len(places) && !r.Whole { // in software a name is all that there is
		for i, p := range ports {
			take(p, places[i])
		}
	}
}

// heardDevice is the device that calls itself so, with or without a domain, whatever the
// case; nil where none does.
func heardDevice(o *office.Office, name string) (d *office.Device) {
	host, _, _ := strings.Cut(name, ".")
	for _, x := range o.Devices {
		if x.Name == name {
			return x
		}
		if name != "" && d == nil && (strings.EqualFold(x.Name, name) || strings.EqualFold(x.Name, host)) {
			d = x
		}
	}
	return d
}

// Said is what a neighbour says of itself, by which its port is found (IEEE 802.1AB).
type Said struct {
	Device     string
	Management []netip.Addr
	Port       string
	PortText   string
}

// PortHeard is the port of the office that says so of itself: the device by its name,
// with or without a domain, or by an address of its own; the port by the name inside the
// device or its own, or, where it has no other, by the one number in what it says. The
// error says what is not known.
func PortHeard(o *office.Office, s Said) (office.PortRef, error) {
	d := heardDevice(o, s.Device)
	for _, x := range o.Devices {
		own := func(a netip.Addr) bool {
			return x.Manage != nil && x.Manage.Addr == a || slices.ContainsFunc(x.Addresses, func(y office.Address) bool { return y.Prefix.Addr() == a })
		}
		if d == nil && slices.ContainsFunc(s.Management, own) {
			d = x
		}
	}
	if d == nil {
		return office.PortRef{}, fmt.Errorf("the switch at the other end calls itself %q, and no device of the office is called so: is it another office? --port says which port it is", s.Device)
	}
	for _, said := range []string{s.Port, s.PortText} {
		for p := range d.Ports {
			if x := &d.Ports[p]; said != "" && (strings.EqualFold(x.Inside, said) || strings.EqualFold(x.Name, said)) {
				return office.PortRef{Device: d.Name, Port: x.Name}, nil
			}
		}
	}
	for _, said := range []string{s.Port, s.PortText} {
		if all := numbers.FindAllString(said, -1); len(all) == 1 && len(all[0]) < 5 {
			for p := range d.Ports {
				if x := &d.Ports[p]; x.Name == all[0] && x.Inside == "" && x.Kind == office.Physical {
					return office.PortRef{Device: d.Name, Port: x.Name}, nil
				}
			}
		}
	}
	return office.PortRef{}, fmt.Errorf("%s says that the cable is in its port %q, and it has none of that name or number", d.Name, cmp.Or(s.Port, s.PortText))
}
