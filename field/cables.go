package field

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// Heard says who of the two ends of a cable hears the other.
type Heard string

const (
	HeardBoth   Heard = "both"
	HeardOne    Heard = "one"    // the other does not tell, or hears nobody
	HeardNone   Heard = "none"   // both tell of neighbours, and not of each other
	HeardUnsaid Heard = "unsaid" // an end does not tell of neighbours, and says nothing that could be heard
)

// CableSeen is a cable, as planned or as heard.
type CableSeen struct {
	A       string   `json:"a" required:"true"`
	B       string   `json:"b" required:"true" description:"a port; or what the device calls itself, where it is none of the office"`
	Planned bool     `json:"planned" required:"true"`
	Heard   Heard    `json:"heard" required:"true" enum:"both,one,none,unsaid"`
	Known   bool     `json:"known" required:"true" description:"both ends are ports of the office"`
	Says    []string `json:"says,omitempty" description:"what an end says of itself otherwise than planned (IEEE 802.1AB, its 802.1 and 802.3 parts)"`
}

// Cables is the cables of the plan and those that devices hear (IEEE 802.1AB), the
// planned ones first.
//
// Many branches: a cable is planned, heard at one end, at both, or elsewhere than planned.
func Cables(o *office.Office, all []*Telling) []CableSeen {
	type end struct{ at, by office.PortRef }
	heard := map[end]bool{}
	tells := map[string]bool{}
	find, says := heardAt(o, all), map[office.PortRef][]string{}
	var net *span.Net
	var strange []CableSeen
	for _, telling := range all {
		tells[telling.Device] = !slices.Contains(telling.NotTold, TellsNeighbours)
		for _, neighbour := range telling.Neighbours {
			at, ok := find(office.PortRef{Device: telling.Device, Port: neighbour.Port})
			by, ok2 := find(office.PortRef{Device: neighbour.Device, Port: neighbour.RemotePort})
			if neighbour.Phone && !ok2 {
				continue // it is plugged in ([Phones])
			}
			if ok && ok2 {
				heard[end{at, by}] = true
				if (neighbour.PVID != 0 || neighbour.Bundled) && net == nil {
					net = span.Compile(o)
				}
				if net != nil {
					says[by] = neighbour.otherwise(net, by)
				}
			} else {
				strange = append(strange, CableSeen{A: at.String(), B: by.String(), Heard: HeardOne})
			}
		}
	}
	how := func(a, b office.PortRef) Heard {
		switch there := heard[end{a, b}]; {
		case there && heard[end{b, a}]:
			return HeardBoth
		case there || heard[end{b, a}]:
			return HeardOne
		case tells[a.Device] && tells[b.Device]:
			return HeardNone
		}
		return HeardUnsaid
	}
	out := []CableSeen{}
	done := map[end]bool{}
	for _, cable := range o.Cables {
		done[end{cable.A, cable.B}], done[end{cable.B, cable.A}] = true, true
		out = append(out, CableSeen{cable.A.String(), cable.B.String(), true, how(cable.A, cable.B), true, slices.Concat(says[cable.A], says[cable.B])})
	}
	var more []CableSeen
	for one := range heard {
		ref, other := one.at, one.by
		if other.Compare(ref) < 0 {
			ref, other = other, ref
		}
		if done[end{ref, other}] {
			continue
		}
		done[end{ref, other}], done[end{other, ref}] = true, true
		more = append(more, CableSeen{ref.String(), other.String(), false, how(ref, other), true, slices.Concat(says[ref], says[other])})
	}
	more = append(more, strange...)
	slices.SortFunc(more, func(a, b CableSeen) int {
		return cmp.Or(office.NaturalCompare(a.A, b.A), office.NaturalCompare(a.B, b.B))
	})
	return append(out, more...)
}

// otherwise is what a neighbour says of its port and is planned otherwise: in which VLAN its
// untagged frames are, and whether it is in a bundle.
func (x *ToldNeighbour) otherwise(net *span.Net, by office.PortRef) (out []string) {
	i := net.Topo.DeviceIndex(by.Device)
	port := net.Office.Devices[i].Port(by.Port)
	bundle := net.Office.Devices[i].Ports[port].Bundle > 0
	plan := &wording.Planned(net, i).Ports[net.Office.Devices[i].Logical(port)]
	if net.Aware(i) && x.PVID != 0 && plan.Untagged.Has(plan.PVID) && plan.PVID != x.PVID {
		out = append(out, fmt.Sprintf("%s %s says that its PVID is %d, and %d is planned", by.Device, by.Port, x.PVID, plan.PVID))
	}
	if x.Bundled && !bundle {
		out = append(out, fmt.Sprintf("%s %s says that it is in a bundle, and none is planned", by.Device, by.Port))
	}
	return out
}

// heardAt finds the port of the office that a neighbour says it is: as that device called it
// itself when it was read, or else as the probe finds one ([PortHeard]): names without domain
// and whatever their case, the name inside the device, the number on its front. Where none is
// it, what was said stays.
func heardAt(o *office.Office, all []*Telling) func(office.PortRef) (office.PortRef, bool) {
	called := map[string]map[string]string{} // by device: its port, as it calls it itself
	for _, telling := range all {
		called[telling.Device] = map[string]string{}
		for _, port := range telling.Ports {
			called[telling.Device][strings.ToLower(cmp.Or(port.Called, port.Port))] = port.Port
		}
	}
	return func(ref office.PortRef) (office.PortRef, bool) {
		device := heardDevice(o, ref.Device)
		if device == nil {
			return ref, false
		}
		if port, ok := called[device.Name][strings.ToLower(ref.Port)]; ok {
			return office.PortRef{Device: device.Name, Port: port}, true
		}
		at, err := PortHeard(o, Said{Device: device.Name, Port: ref.Port})
		if err != nil {
			return ref, false
		}
		return at, true
	}
}
