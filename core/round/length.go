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
		out = append(out, r.world.test(a, false))
	}
	return out
}

// Ports is where one can plug in, in the order of the office.
func (r *Round) Ports() (out []office.PortRef) {
	for _, ask := range r.world.asks[:r.own] {
		if len(out) == 0 || out[len(out)-1] != ask.ref {
			out = append(out, ask.ref)
		}
	}
	return out
}

// Places is at how many ports one plugs in.
func Places(tests []Test) int {
	at := map[office.PortRef]bool{}
	for _, test := range tests {
		at[test.Port] = true
	}
	return len(at)
}

// Shown is how many mistakes tests show.
func (r *Round) Shown(tests []Test) int {
	shown := map[int]bool{}
	for _, test := range tests {
		for _, m := range test.Shows {
			shown[m] = true
		}
	}
	return len(shown)
}

// shortest is the asks of the quick round: of ports first, as few as will do, then of what is
// tagged there.
func (r *Round) shortest() []int {
	world := r.world
	home := map[int]map[int]bool{} // mistakes across VLANs, by the ask that tries them
	for _, test := range r.Tests {
		home[test.at] = map[int]bool{}
		for _, m := range test.Shows {
			home[test.at][m] = true
		}
	}
	inQuick := make([]bool, len(r.Mistakes))
	for m := range r.Mistakes {
		inQuick[m] = r.inQuick(m)
	}
	things := len(world.seen)
	number := map[[2]int]int{} // a device in a VLAN
	shows := make([][]int, len(world.asks))
	for a := range world.asks {
		ask := &world.asks[a]
		for _, m := range world.shows[a] {
			if inQuick[m] && (world.seen[m][a] >= 0 || home[a][m]) {
				shows[a] = append(shows[a], m)
			}
		}
		if ask.vlan != 0 {
			key := [2]int{ask.dev, int(ask.vlan)}
			if _, ok := number[key]; !ok {
				number[key] = things
				things++
			}
			shows[a] = append(shows[a], number[key])
		}
	}
	var ports []office.PortRef
	var at [][]int // asks by port
	for a := range world.asks {
		if len(ports) == 0 || ports[len(ports)-1] != world.asks[a].ref {
			ports, at = append(ports, world.asks[a].ref), append(at, nil)
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
	rest := make([][]int, len(world.asks))
	for _, p := range smallest(whole, things) {
		for _, a := range at[p] {
			rest[a] = shows[a]
		}
	}
	out := smallest(rest, things)
	world.walking(out)
	return out
}

// inQuick says whether the quick round shows a mistake: all but those of a port where
// somebody is plugged in.
func (r *Round) inQuick(m int) bool {
	mistake := &r.Mistakes[m]
	if mistake.Port.Device == "" {
		return true
	}
	i := r.world.net.Topo.DeviceIndex(mistake.Port.Device)
	return i >= 0 && len(r.world.net.Topo.LinksAt(i, r.world.net.Office.Devices[i].Port(mistake.Port.Port))) > 0
}

// Touched is the tests, of the full round, that show each mistake in carrying out what is
// otherwise in an office as it was: at ports that are set or cabled otherwise, and on devices
// whose addresses, rules, routes or management are others.
func (r *Round) Touched(was *office.Office) (out []Test) {
	world := r.world
	old := span.Compile(was)
	ports, devices := map[office.PortRef]bool{}, map[string]bool{}
	for i, device := range world.net.Office.Devices {
		dev := old.Topo.DeviceIndex(device.Name)
		if dev < 0 || !sameDevice(device, was.Devices[dev]) {
			devices[device.Name] = true
		}
		for port := range device.Ports {
			ref := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
			at := -1
			if dev >= 0 {
				at = was.Devices[dev].Port(ref.Port)
			}
			if at < 0 || !samePort(world.net.Tables[i].Ports[port], old.Tables[dev].Ports[at]) || far(world.net.Office, ref) != far(was, ref) {
				ports[ref] = true
			}
		}
	}
	shows := make([][]int, len(r.Tests))
	for k, test := range r.Tests {
		for _, m := range test.Shows {
			if mistake := &r.Mistakes[m]; ports[mistake.Port] || mistake.Port.Device == "" && (devices[mistake.Device] || mistake.Device == "" && len(devices) > 0) {
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
func far(o *office.Office, ref office.PortRef) office.PortRef {
	for _, cable := range o.Cables {
		switch ref {
		case cable.A:
			return cable.B
		case cable.B:
			return cable.A
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
