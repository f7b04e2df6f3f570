package server

import (
	"fmt"
	"net/netip"
	"slices"
	"time"

	"klammer/core/office"
)

// The most that one server does for those who ask. docs/limits.md says them to
// people; each refusal names its own.
const (
	mostWatchers = 600  // event streams of one office
	mostStreams  = 1000 // event streams of the server
	mostOwn      = 50   // event streams of one person, where people sign in

	mostConnections = 2000 // at once, the streams among them
	mostOfAddress   = 300  // of them from one address, but this machine's own

	longestWork = 10 * time.Second // of what is counted by effort, on a busy machine

	mostOrders     = 2       // worked out at once
	mostRounds     = 2       // worked out at once
	mostIntakes    = 3       // files of people's own that are read at once
	mostOrderTries = 200_000 // steps that are tried for one

	mostDevices = 2000    // of an office
	mostPorts   = 65_536  // of an office, bundles and inner ports among them
	mostThings  = 20_000  // cables, or plugs, or lines of plans, of an office
	mostVLANs   = 4094    // of the register
	mostNets    = 8192    // subnets of the register, and addresses of devices
	mostRules   = 100_000 // VLANs named one by one in all shapes together

	mostLed    = 1000 // VLANs that devices have addresses in
	mostLines  = 5000 // rules of all devices; and routes
	mostNamed  = 2000 // addresses and prefixes that rules, routes and wishes name
	mostWishes = 200
)

// tooMuch is more than a limit; it names the limit.
type tooMuch struct{ text string }

func (t *tooMuch) Error() string { return t.text }

// withinLimits says whether an office is one that is worked out in time.
func withinLimits(o *office.Office) error {
	ports, named, addresses, lines := 0, 0, 0, 0
	seen := map[*office.Shape]bool{}
	shape := func(one *office.Shape) {
		if one == nil || seen[one] {
			return
		}
		seen[one] = true
		named += runs(one.Untagged) + runs(one.Tagged) + len(one.Rides)
	}
	for _, device := range o.Devices {
		ports += len(device.Ports)
		addresses += len(device.Addresses)
		for i := range device.Ports {
			shape(device.Ports[i].Shape)
		}
	}
	led, rules, routes, prefixes := office.Set{}, 0, 0, map[netip.Prefix]bool{}
	sides := func(all ...[]office.Side) {
		for _, side := range slices.Concat(all...) {
			if side.Kind == office.SideNet {
				prefixes[side.Net] = true
			}
		}
	}
	for _, device := range o.Devices {
		rules, routes = rules+len(device.Rules), routes+len(device.Routes)
		for _, address := range device.Addresses {
			led.Add(address.VID)
		}
		for i := range device.Rules {
			sides(device.Rules[i].From, device.Rules[i].To)
		}
		for _, route := range device.Routes {
			prefixes[route.To] = true
		}
	}
	for _, wish := range o.Wishes {
		sides(wish.From, wish.To)
	}
	for _, use := range o.Uses {
		shape(&use.Shape)
	}
	for _, plan := range o.Plans {
		lines += len(plan.Lines)
		for i := range plan.Lines {
			shape(&plan.Lines[i].Shape)
		}
	}
	for _, vlan := range o.VLANs {
		addresses += len(vlan.Nets)
	}
	for _, l := range []struct {
		what      string
		has, most int
	}{
		{"devices", len(o.Devices), mostDevices}, {"ports", ports, mostPorts}, {"cables", len(o.Cables), mostThings}, {"plugs", len(o.Plugs), mostThings},
		{"uses", len(o.Uses), mostThings}, {"lines of port plans", lines, mostThings}, {"VLANs", len(o.VLANs), mostVLANs},
		{"subnets and addresses", addresses, mostNets}, {"VLANs named on ports, ranges counted as one,", named, mostRules},
		{"VLANs that devices have addresses in", led.Len(), mostLed}, {"rules", rules, mostLines}, {"routes", routes, mostLines},
		{"addresses and prefixes named by rules, routes and wishes", len(prefixes), mostNamed}, {"wishes", len(o.Wishes), mostWishes}, {"names for services", len(o.Services), mostWishes},
	} {
		if l.has > l.most {
			return &tooMuch{fmt.Sprintf("an office has at most %d %s, and this one would have %d", l.most, l.what, l.has)}
		}
	}
	return nil
}

// runs counts VLANs that follow one another as one.
func runs(vs []office.VID) (n int) {
	for i, vid := range vs {
		if i == 0 || vs[i-1]+1 != vid {
			n++
		}
	}
	return n
}

// printable says whether a text has no control characters and none that change
// the direction of what stands around it or are not seen at all.
func printable(text string) bool { return office.CheckText("it", text, office.MostText, true) == nil }
