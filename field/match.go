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
func MatchPorts(device *office.Device, reading *Reading) Match {
	match := make(Match, len(device.Ports))
	for p := range match {
		match[p] = -1
	}
	taken := make([]bool, len(reading.Ports))
	take := func(p, at int) {
		if match[p] < 0 && !taken[at] {
			match[p], taken[at] = at, true
		}
	}
	match.byName(device, reading, take)
	match.bySeries(device, reading, taken, take)
	for port := range device.Ports {
		if n, err := strconv.Atoi(device.Ports[port].Name); err == nil && device.Ports[port].Kind == office.Physical && device.Ports[port].Inside == "" {
			for at := range reading.Ports {
				if one := &reading.Ports[at]; one.Number == n && !one.Inner && len(one.Members) == 0 && !reading.numbered(one) {
					take(port, at)
				}
			}
		}
	}
	match.byMembers(device, reading, take)
	return match
}

// byName takes ports that are called the same: by the name inside the device, or by that of
// the port where there is none; a device's own name goes before its description, that before
// what a person wrote there.
func (match Match) byName(device *office.Device, reading *Reading, take func(port, at int)) {
	var called [3]map[string]int // the first place of each name, whatever its case
	for level := range called {
		called[level] = map[string]int{}
		for at := len(reading.Ports) - 1; at >= 0; at-- {
			port := &reading.Ports[at]
			called[level][strings.ToLower([3]string{port.Name, port.Descr, port.Alias}[level])] = at
		}
	}
	for _, want := range []func(*office.Port) string{func(port *office.Port) string { return port.Inside }, func(port *office.Port) string {
		if port.Inside != "" {
			return ""
		}
		return port.Name
	}} {
		for level := range 3 {
			for port := range device.Ports {
				name := want(&device.Ports[port])
				if name == "" || match[port] >= 0 {
					continue
				}
				if at, ok := called[level][strings.ToLower(name)]; ok {
					take(port, at)
				}
			}
		}
	}
}

// byMembers takes bundles that have a member in common.
func (match Match) byMembers(device *office.Device, reading *Reading, take func(port, at int)) {
	for port := range device.Ports {
		if device.Ports[port].Kind != office.Bundle || match[port] >= 0 {
			continue
		}
		for at := range reading.Ports {
			if one := &reading.Ports[at]; len(one.Members) > 0 && slices.ContainsFunc(one.Members, func(k int) bool {
				return slices.ContainsFunc(device.Ports[port].Members, func(q int) bool { return match[q] == k })
			}) {
				take(port, at)
			}
		}
	}
}

// numbered says whether a port's name has a number of its own: then that is what it
// goes by, and not the one that the device counts it under.
func (r *Reading) numbered(port *Port) bool {
	_, n := series(port.Name)
	return n >= 0
}

// bySeries matches ports of the front by the last number in their names: the longest
// series first. Where the office's numbers go on after those of one series, as in
// ports 25-26 of which the device says xe1 and xe2, the next follows in order.
func (m Match) bySeries(device *office.Device, reading *Reading, taken []bool, take func(p, at int)) {
	last := make([]int, len(device.Ports)) // the last in each name, -1 for none
	matched := map[int]bool{}              // those of ports that are matched
	for port := range device.Ports {
		_, last[port] = series(device.Ports[port].Name)
		if m[port] >= 0 {
			matched[last[port]] = true
		}
	}
	by, order := reading.bySeries(taken)
	for _, prefix := range order {
		for port := range device.Ports {
			n := last[port]
			if at, ok := by[prefix][n]; ok && device.Ports[port].Kind == office.Physical && device.Ports[port].Inside == "" && n >= 0 && m[port] < 0 {
				// A second series counts from its own start: only what goes on from there
				// is its number.
				if prefix != order[0] && matched[n] {
					continue
				}
				take(port, at)
				matched[n] = matched[n] || m[port] >= 0
			}
		}
	}
	if reading.Whole { // in software a name is all that there is
		return
	}
	var places []int
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
	m.inOrder(device, places, take)
}

// inOrder matches what bySeries left on both sides, in order, where it is as many.
func (m Match) inOrder(device *office.Device, places []int, take func(p, at int)) {
	var ports []int
	for port := range device.Ports {
		if _, last := series(device.Ports[port].Name); m[port] < 0 && last >= 0 && device.Ports[port].Kind == office.Physical && device.Ports[port].Inside == "" {
			ports = append(ports, port)
		}
	}
	if len(ports) > 0 && len(ports) == len(places) {
		for i, p := range ports {
			take(p, places[i])
		}
	}
}

// bySeries is the places of ports that are not taken, by what stands before the last number in
// their names and by that number; the longest series first.
func (r *Reading) bySeries(taken []bool) (by map[string]map[int]int, order []string) {
	bridges, member := false, map[int]bool{} // of a bridge, its ports count and what is in its bundles
	for at := range r.Ports {
		bridges = bridges || r.Ports[at].Bridged
		for _, k := range r.Ports[at].Members {
			member[k] = true
		}
	}
	by = map[string]map[int]int{}
	size := map[string]int{}
	for at := range r.Ports {
		port := &r.Ports[at]
		prefix, n := series(port.Name)
		if taken[at] || n < 0 || port.Inner || len(port.Members) > 0 || bridges && !port.Bridged && !member[at] {
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
	return by, order
}

// heardDevice is the device that calls itself so, with or without a domain, whatever the
// case; nil where none does.
func heardDevice(o *office.Office, name string) (device *office.Device) {
	host, _, _ := strings.Cut(name, ".")
	for _, other := range o.Devices {
		if other.Name == name {
			return other
		}
		if name != "" && device == nil && (strings.EqualFold(other.Name, name) || strings.EqualFold(other.Name, host)) {
			device = other
		}
	}
	return device
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
func PortHeard(o *office.Office, one Said) (office.PortRef, error) {
	device := heardDevice(o, one.Device)
	for _, other := range o.Devices {
		own := func(addr netip.Addr) bool {
			return other.Manage != nil && other.Manage.Addr == addr || slices.ContainsFunc(other.Addresses, func(address office.Address) bool { return address.Prefix.Addr() == addr })
		}
		if device == nil && slices.ContainsFunc(one.Management, own) {
			device = other
		}
	}
	if device == nil {
		return office.PortRef{}, fmt.Errorf("the switch at the other end calls itself %q, and no device of the office is called so: is it another office? --port says which port it is", one.Device)
	}
	for _, said := range []string{one.Port, one.PortText} {
		for port := range device.Ports {
			if x := &device.Ports[port]; said != "" && (strings.EqualFold(x.Inside, said) || strings.EqualFold(x.Name, said)) {
				return office.PortRef{Device: device.Name, Port: x.Name}, nil
			}
		}
	}
	for _, said := range []string{one.Port, one.PortText} {
		if all := numbers.FindAllString(said, -1); len(all) == 1 && len(all[0]) < 5 {
			for port := range device.Ports {
				if x := &device.Ports[port]; x.Name == all[0] && x.Inside == "" && x.Kind == office.Physical {
					return office.PortRef{Device: device.Name, Port: x.Name}, nil
				}
			}
		}
	}
	return office.PortRef{}, fmt.Errorf("%s says that the cable is in its port %q, and it has none of that name or number", device.Name, cmp.Or(one.Port, one.PortText))
}
