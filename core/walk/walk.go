// Package walk follows frames through an office that is worked out: all that
// becomes of one ([Broadcast], [Flows]), its way to one port or device, over
// gateways too ([To], [ToDevice]), whether an address is handed out to it, and
// what a change of the office makes of all of them ([Compare]). It says each step
// in words.
package walk

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/span"
)

// Arrival is a port without a cable where a frame comes out, and what it wears
// there.
type Arrival struct {
	Port office.PortRef
	Wire bridge.Wire
}

// Drop is a port at which a frame is dropped on arrival.
type Drop struct {
	Port   office.PortRef
	Wire   bridge.Wire
	Reason bridge.Reason
}

// Hop is one step of a frame: into a device, through it, or out by a port.
type Hop struct {
	Device string
	In     office.PortRef // where it came into the device
	Wire   bridge.Wire    // what it wore there
	Domain bridge.Domain
	Out    []Exit
	Text   string // the step in a sentence
}

// Exit is a port by which a frame leaves a device.
type Exit struct {
	Port office.PortRef
	Wire bridge.Wire
	To   []office.PortRef // the ports at the other ends of its cables
}

// Walk is all that becomes of one frame.
type Walk struct {
	Arrivals []Arrival // by the names of their ports
	Drops    []Drop    // in the order in which they happen
	Hops     []Hop     // likewise
}

// Broadcast sends one frame to the broadcast address into a port and follows it.
// A member of a bundle stands for the bundle.
//
//	> walk core.1
//	core.1 untagged: it has no VLAN of its own, so at core port 1 it joins the PVID, VLAN 110
//	    reception and leaves by 4 ports
//	floor.8 [110]: floor takes it at port 8 into VLAN 110 reception and leaves by 4 ports
//	gate.lan1 [110]: gate takes it at port lan1 into VLAN 110 reception; it ends there, as the
//	    ports do not bridge to each other
func Broadcast(net *span.Net, from office.PortRef, wire bridge.Wire) (*Walk, error) {
	i := net.Topo.DeviceIndex(from.Device)
	if i < 0 {
		return nil, fmt.Errorf("no device is named %s", from.Device)
	}
	device := net.Office.Devices[i]
	p, err := device.FindPort(from.Port)
	if err != nil {
		return nil, err
	}
	walk := &Walk{}
	follow(net, arriving{i, device.Logical(p), wire}, walk, true)
	return walk, nil
}

// step is a frame at a port of a device, about to go in.
type arriving struct {
	dev, port int
	wire      bridge.Wire
}

// follow is the walk; tell adds hops and drops with their sentences.
func follow(net *span.Net, first arriving, walk *Walk, tell bool) {
	queue := []arriving{first}
	seen := make(map[arriving]bool, 2*len(net.Topo.Links))
	seen[queue[0]] = true
	came := map[arriving]bool{}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		table := net.Tables[at.dev]
		net.Effort().Spend(5 + len(table.Ports)/4)
		dom, why := table.Ingress(at.port, at.wire)
		if why != bridge.Passed {
			if tell {
				walk.Drops = append(walk.Drops, Drop{net.RefAt(at.dev, at.port), at.wire, why})
			}
			continue
		}
		hop := Hop{Device: table.Device.Name, In: net.RefAt(at.dev, at.port), Wire: at.wire, Domain: dom}
		for one := range table.Ports {
			if one == at.port {
				continue
			}
			out, ok := table.Egress(dom, one)
			if !ok {
				continue
			}
			exit := Exit{Port: net.RefAt(at.dev, one), Wire: out}
			links := net.Topo.LinksAt(at.dev, one)
			if len(links) == 0 {
				if a := (arriving{at.dev, one, out}); !came[a] {
					came[a] = true
					walk.Arrivals = append(walk.Arrivals, Arrival{exit.Port, out})
				}
			}
			for _, l := range links {
				for _, to := range net.Topo.Across(l, at.dev, one) {
					next := arriving{to.Dev, to.Port, out}
					if tell {
						exit.To = append(exit.To, net.RefAt(to.Dev, to.Port))
					}
					if !seen[next] {
						seen[next] = true
						queue = append(queue, next)
					}
				}
			}
			if tell {
				hop.Out = append(hop.Out, exit)
			}
		}
		if tell {
			hop.Text = tellHop(net, &hop, table)
			walk.Hops = append(walk.Hops, hop)
		}
	}
	slices.SortFunc(walk.Arrivals, func(a, b Arrival) int {
		if c := byName(a.Port, b.Port); c != 0 {
			return c
		}
		return cmp.Compare(a.Wire, b.Wire)
	})
}

// byName compares two ports' names as text, as device.port is written.
func byName(a, b office.PortRef) int {
	if a.Device == b.Device {
		return cmp.Compare(a.Port, b.Port)
	}
	return cmp.Compare(a.String(), b.String())
}

// tellIn says how a frame gets into a device.
func tellIn(net *span.Net, hop *Hop, table *bridge.Table) (in string) {
	switch device := table.Device; {
	case device.Unaware():
		in = device.Name + " does not look at tags: the frame (" + hop.Wire.String() + ") leaves every other port as it came"
	case hop.Domain.Keep:
		in = device.Name + " keeps the tag " + hop.Wire.String() + " and the frame in the group of port " + hop.In.Port
	case hop.Wire > 0 && office.VID(hop.Wire) != hop.Domain.VID:
		in = device.Name + " takes " + hop.Wire.String() + " at port " + hop.In.Port + " for VLAN " + net.Name(hop.Domain.VID)
	case hop.Wire > 0:
		in = device.Name + " takes it at port " + hop.In.Port + " into VLAN " + net.Name(hop.Domain.VID)
	default:
		in = "it has no VLAN of its own, so at " + device.Name + " port " + hop.In.Port + " it joins the PVID, VLAN " + net.Name(hop.Domain.VID)
	}
	return in
}

// tellHop tells one device of a frame's way: how it comes in, and what becomes of it there.
//
//	> walk floor.1 140
//	floor.1 [140]: floor takes it at port 1 into VLAN 140 phones and leaves by 4 ports
//	core.7 [140]: core takes it at port 7 into VLAN 140 phones and leaves by 4 ports
//	gate.lan1 [140]: gate takes it at port lan1 into VLAN 140 phones; it ends there, as the
//	    ports do not bridge to each other
func tellHop(net *span.Net, hop *Hop, table *bridge.Table) string {
	in := tellIn(net, hop, table)
	switch {
	case table.Device.Forwarding == office.Routed:
		return in + "; it ends there, as the ports do not bridge to each other"
	case len(hop.Out) == 0:
		return in + "; no other port lets it out"
	}
	return in + " and leaves by " + count(len(hop.Out), "port")
}

// count is a number with its noun.
func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return strconv.Itoa(n) + " " + what + "s"
}

// Flow is where one frame comes out.
type Flow struct {
	From     office.PortRef
	Wire     bridge.Wire
	Arrivals []Arrival
}

// Flows is the whole truth of an office: for every port without a cable, in
// the order of their names, and every wire (untagged, priority-tagged, each VID
// in use, one not in use) where a frame comes out.
func Flows(net *span.Net) []Flow {
	wires := []bridge.Wire{bridge.Untagged, bridge.Priority}
	vids := net.OnWires()
	for vid := range vids.All() {
		wires = append(wires, bridge.Wire(vid))
	}
	for vid := office.MaxVID; vid > 0; vid-- {
		if !vids.Has(vid) {
			wires = append(wires, bridge.Wire(vid))
			break
		}
	}
	type start struct {
		dev, port int
		ref       office.PortRef
	}
	var starts []start
	for i, device := range net.Office.Devices {
		for port := range device.Ports {
			if device.Ports[port].Bundle == 0 && len(net.Topo.LinksAt(i, port)) == 0 {
				starts = append(starts, start{i, port, net.RefAt(i, port)})
			}
		}
	}
	slices.SortFunc(starts, func(a, b start) int { return cmp.Compare(a.ref.String(), b.ref.String()) })
	var flows []Flow
	for _, other := range starts {
		for _, wire := range wires {
			walk := Walk{}
			net.Effort().Spend(5 + len(net.Topo.Links)/20)
			follow(net, arriving{other.dev, other.port, wire}, &walk, false)
			flows = append(flows, Flow{other.ref, wire, walk.Arrivals})
		}
	}
	return flows
}
