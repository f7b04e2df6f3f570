package round

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
)

// A round has three lengths. The full one ([Round.Tests]) shows any single mistake that a
// laptop can see. The quick one goes to each device once in each of its VLANs, and shows what
// is wrong with cables, rules, hand-outs and managements; a mistake at a desk's own port it
// shows by chance. That of an order goes to what the order touched.

// Quick is the tests of the quick round, in walking order. What is plugged in at a port is
// plugged in once, with as many tags as are needed there.
func (r *Round) Quick() (out []Test) {
	for _, a := range r.quick {
		out = append(out, r.w.test(a, false))
	}
	return out
}

// Ports is where one can plug in, in the order of the office.
func (r *Round) Ports() (out []office.PortRef) {
	for _, x := range r.w.asks[:r.own] {
		if len(out) == 0 || out[len(out)-1] != x.ref {
			out = append(out, x.ref)
		}
	}
	return out
}

// Places is at how many ports one plugs in.
func Places(tests []Test) int {
	at := map[office.PortRef]bool{}
	for _, t := range tests {
		at[t.Port] = true
	}
	return len(at)
}

// Shown is how many mistakes tests show.
func (r *Round) Shown(tests []Test) int {
	shown := map[int]bool{}
	for _, t := range tests {
		for _, m := range t.Shows {
			shown[m] = true
		}
	}
	return len(shown)
}

// shortest is the asks of the quick round: of ports first, as few as will do, then of what is
// tagged there.
func (r *Round) shortest() []int {
	w := r.w
	home := map[int]map[int]bool{} // mistakes across VLANs, by the ask that tries them
	for _, t := range r.Tests {
		home[t.at] = map[int]bool{}
		for _, m := range t.Shows {
			home[t.at][m] = true
		}
	}
	inQuick := make([]bool, len(r.Mistakes))
	for m := range r.Mistakes {
		inQuick[m] = r.inQuick(m)
	}
	things := len(w.seen)
	number := map[[2]int]int{} // a device in a VLAN
	shows := make([][]int, len(w.asks))
	for a := range w.asks {
		x := &w.asks[a]
		for _, m := range w.shows[a] {
			if inQuick[m] && (w.seen[m][a] >= 0 || home[a][m]) {
				shows[a] = append(shows[a], m)
			}
		}
		if x.vlan != 0 {
			key := [2]int{x.dev, int(x.vlan)}
			if _, ok := number[key]; !ok {
				number[key] = things
				things++
			}
			shows[a] = append(shows[a], number[key])
		}
	}
	var ports []office.PortRef
	var at [][]int // asks by port
	for a := range w.asks {
		if len(ports) == 0 || ports[len(ports)-1] != w.asks[a].ref {
			ports, at = append(ports, w.asks[a].ref), append(at, nil)
		}
		at[len(at)-1] = append(at[len(at)-1], a)
	}
	whole := make([][]int, len(ports))
	for p := range ports {
		for _, a := range at[p] {
			whole[p] = append(whole[p], shows[a]...)
		}
		slices.Sort(whole[p])
		whole[p] = slices.Compact(whole[p])
	}
	rest := make([][]int, len(w.asks))
	for _, p := range smallest(whole, things) {
		for _, a := range at[p] {
			rest[a] = shows[a]
		}
	}
	out := smallest(rest, things)
	w.walking(out)
	return out
}

// inQuick says whether the quick round shows a mistake: all but those of a port where
// somebody is plugged in.
func (r *Round) inQuick(m int) bool {
	x := &r.Mistakes[m]
	if x.Port.Device == "" {
		return true
	}
	i := r.w.n.Topo.DeviceIndex(x.Port.Device)
	return i >= 0 && len(r.w.n.Topo.LinksAt(i, r.w.n.Office.Devices[i].Port(x.Port.Port))) > 0
}

// Touched is the tests, of the full round, that show each mistake in carrying out what is
// otherwise in an office as it was: at ports that are set or cabled otherwise, and on devices
// whose addresses, rules, routes or management are others.
func (r *Round) Touched(was *office.Office) (out []Test) {
	w := r.w
	old := span.Compile(was)
	ports, devices := map[office.PortRef]bool{}, map[string]bool{}
	for i, d := range w.n.Office.Devices {
		k := old.Topo.DeviceIndex(d.Name)
		if k < 0 || !sameDevice(d, was.Devices[k]) {
			devices[d.Name] = true
		}
		for p := range d.Ports {
			ref := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
			q := -1
			if k >= 0 {
				q = was.Devices[k].Port(ref.Port)
			}
			if q < 0 || !samePort(w.n.Tables[i].Ports[p], old.Tables[k].Ports[q]) || far(w.n.Office, ref) != far(was, ref) {
				ports[ref] = true
			}
		}
	}
	shows := make([][]int, len(r.Tests))
	for k, t := range r.Tests {
		for _, m := range t.Shows {
			if x := &r.Mistakes[m]; ports[x.Port] || x.Port.Device == "" && (devices[x.Device] || x.Device == "" && len(devices) > 0) {
				shows[k] = append(shows[k], m)
			}
		}
	}
	for _, k := range smallest(shows, len(r.Mistakes)) {
		out = append(out, r.Tests[k])
	}
	return out
}

// far is what a cable leads to from a port; the zero one for none.
func far(o *office.Office, p office.PortRef) office.PortRef {
	for _, c := range o.Cables {
		switch p {
		case c.A:
			return c.B
		case c.B:
			return c.A
		}
	}
	return office.PortRef{}
}

// sameDevice says whether what a device is by itself is set alike: addresses, rules, routes,
// management.
func sameDevice(a, b *office.Device) bool {
	rules := slices.EqualFunc(a.Rules, b.Rules, func(x, y office.Rule) bool { return x.Equal(&y) })
	managed := (a.Manage == nil) == (b.Manage == nil) && (a.Manage == nil || *a.Manage == *b.Manage)
	addresses := slices.EqualFunc(a.Addresses, b.Addresses, func(x, y office.Address) bool {
		same := slices.Equal(x.Admits, y.Admits)
		x.Admits, y.Admits = nil, nil
		return same && x.VID == y.VID && x.Prefix == y.Prefix && x.On == y.On && x.Zone == y.Zone && x.From == y.From && x.To == y.To && x.Gateway == y.Gateway
	})
	return rules && managed && addresses && slices.Equal(a.Routes, b.Routes) && a.BetweenZones() == b.BetweenZones() && a.WithinZones() == b.WithinZones()
}

// samePort says whether two ports treat frames alike.
func samePort(a, b *bridge.Port) bool {
	return a.Off == b.Off && a.PVID == b.PVID && a.Untagged == b.Untagged && a.Tagged == b.Tagged && slices.Equal(a.Rides, b.Rides)
}
