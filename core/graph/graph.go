// Package graph is an office as a graph: hubs, where frames meet inside a device;
// links, the cables between them; and the blocks of the graph, its rings and
// single cables. It knows nothing of VLANs, and stays the same while only ports
// are set.
package graph

import (
	"cmp"
	"slices"

	"klammer/core/office"
)

// Hub is where frames meet inside a device: the whole of a device that passes
// frames between its ports, or one port of a routed device.
type Hub struct {
	Dev  int // index into Office.Devices
	Port int // of a routed device; -1 for a whole device
}

// End is one end of a link.
type End struct{ Dev, Port, Hub int }

// Link is what joins two ports: a cable, or the cables of a bundle as one.
type Link struct {
	A, B   End   // A comes first by name
	Cables []int // indexes into Office.Cables
}

// Other is the end that is not at that hub; for a link of a hub with itself, B.
func (l *Link) Other(hub int) End {
	if l.A.Hub == hub {
		return l.B
	}
	return l.A
}

// Opposite is the end that end is not.
func (l *Link) Opposite(end End) End {
	if end == l.A {
		return l.B
	}
	return l.A
}

// Ends are both.
func (l *Link) Ends() [2]End { return [2]End{l.A, l.B} }

// Topology is what does not change while only ports are set. It is not changed
// once made.
type Topology struct {
	Hubs   []Hub
	Links  []Link  // ordered by the names of their ends
	At     [][]int // links by hub
	Blocks []Block
	Forest Forest

	blockOf []int           // by link; -1 for a link of a hub with itself
	cabled  []map[int][]int // links by device and port
	hubOf   [][]int32       // by device and port
	devices map[string]int  // by name
	plugs   [][]int         // by device: indexes into Office.Plugs
}

// BlockOf is the block of a link, -1 for a link of a hub with itself, which has
// none.
func (t *Topology) BlockOf(link int) int { return t.blockOf[link] }

// HubOf is the hub of a port.
func (t *Topology) HubOf(dev, port int) int { return int(t.hubOf[dev][port]) }

// DeviceIndex finds a device's index by its name, -1 where there is none.
func (t *Topology) DeviceIndex(name string) int {
	if i, ok := t.devices[name]; ok {
		return i
	}
	return -1
}

// LinksAt lists the links in a port, a bundle's as the bundle.
func (t *Topology) LinksAt(dev, port int) []int { return t.cabled[dev][port] }

// HubsOf lists a device's hubs.
func (t *Topology) HubsOf(dev int) []int {
	var hubs []int
	for port := range t.hubOf[dev] {
		if hub := t.HubOf(dev, port); !slices.Contains(hubs, hub) {
			hubs = append(hubs, hub)
		}
	}
	return hubs
}

// Across lists the far ends of a link from a port: two where it joins a bundle
// with itself by another port.
func (t *Topology) Across(link, dev, port int) []End {
	var ends []End
	one := &t.Links[link]
	if one.A.Dev == dev && one.A.Port == port {
		ends = append(ends, one.B)
	}
	if one.B.Dev == dev && one.B.Port == port && one.A != one.B {
		ends = append(ends, one.A)
	}
	return ends
}

// Neighbours lists the ends that a port's cables lead to.
func (t *Topology) Neighbours(dev, port int) []End {
	var ends []End
	for _, link := range t.cabled[dev][port] {
		ends = append(ends, t.Across(link, dev, port)...)
	}
	return ends
}

// Replugged is the topology with other plugs.
func (t *Topology) Replugged(o *office.Office) *Topology {
	topology := *t
	topology.plugIn(o)
	return &topology
}

// PlugsAt lists what is plugged into a device, as indexes into Office.Plugs.
func (t *Topology) PlugsAt(dev int) []int { return t.plugs[dev] }

// New draws the graph of an office.
func New(o *office.Office) *Topology {
	topology := &Topology{
		devices: make(map[string]int, len(o.Devices)),
		hubOf:   make([][]int32, len(o.Devices)),
		cabled:  make([]map[int][]int, len(o.Devices)),
	}
	for i, device := range o.Devices {
		topology.devices[device.Name] = i
		topology.hubOf[i] = make([]int32, len(device.Ports))
		if device.Forwarding != office.Routed {
			for port := range device.Ports {
				topology.hubOf[i][port] = int32(len(topology.Hubs))
			}
			topology.Hubs = append(topology.Hubs, Hub{i, -1})
			continue
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle == 0 {
				topology.hubOf[i][port] = int32(len(topology.Hubs))
				topology.Hubs = append(topology.Hubs, Hub{i, port})
			}
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 {
				topology.hubOf[i][port] = topology.hubOf[i][device.Logical(port)]
			}
		}
		if len(device.Ports) == 0 {
			topology.Hubs = append(topology.Hubs, Hub{i, -1})
		}
	}
	topology.links(o)
	topology.plugIn(o)
	topology.findBlocks()
	topology.Forest = topology.newForest()
	return topology
}

// plugIn finds what is plugged in where.
func (t *Topology) plugIn(o *office.Office) {
	t.plugs = make([][]int, len(o.Devices))
	for i, plug := range o.Plugs {
		if dev, ok := t.devices[plug.Port.Device]; ok {
			t.plugs[dev] = append(t.plugs[dev], i)
		}
	}
}

// links makes links of cables: those of a bundle's members to the same far end are one. Ends stand
// in the order of their names, whichever way the cable was written.
func (t *Topology) links(o *office.Office) {
	at := map[[2]End]int{}
	end := func(one office.PortRef) End {
		dev := t.devices[one.Device]
		port := o.Devices[dev].Logical(o.Devices[dev].Port(one.Port))
		return End{dev, port, t.HubOf(dev, port)}
	}
	ref := func(one End) office.PortRef {
		device := o.Devices[one.Dev]
		return office.PortRef{Device: device.Name, Port: device.Ports[one.Port].Name}
	}
	for i, cable := range o.Cables {
		one, other := end(cable.A), end(cable.B)
		if ref(other).Compare(ref(one)) < 0 {
			one, other = other, one
		}
		link, ok := at[[2]End{one, other}]
		if !ok {
			link = len(t.Links)
			at[[2]End{one, other}] = link
			t.Links = append(t.Links, Link{A: one, B: other})
		}
		t.Links[link].Cables = append(t.Links[link].Cables, i)
	}
	slices.SortFunc(t.Links, func(x, y Link) int {
		return cmp.Or(ref(x.A).Compare(ref(y.A)), ref(x.B).Compare(ref(y.B)))
	})
	t.At = make([][]int, len(t.Hubs))
	for i, link := range t.Links {
		t.At[link.A.Hub] = append(t.At[link.A.Hub], i)
		if link.B.Hub != link.A.Hub {
			t.At[link.B.Hub] = append(t.At[link.B.Hub], i)
		}
		for j, one := range []End{link.A, link.B} {
			if j == 1 && one == link.A { // a bundle cabled to itself
				continue
			}
			if t.cabled[one.Dev] == nil {
				t.cabled[one.Dev] = map[int][]int{}
			}
			t.cabled[one.Dev][one.Port] = append(t.cabled[one.Dev][one.Port], i)
		}
	}
}

// Same says whether the graph of an office still holds for one after an edit.
func Same(p, o *office.Office) bool {
	if len(p.Devices) != len(o.Devices) || !sameList(p.Cables, o.Cables) {
		return false
	}
	for i, device := range o.Devices {
		if p.Devices[i] != device && !sameStructure(p.Devices[i], device) {
			return false
		}
	}
	return true
}

// sameStructure says whether two devices are alike to the graph: name, way of forwarding, ports,
// bundles. How ports are set does not matter to it.
func sameStructure(a, b *office.Device) bool {
	if a.Name != b.Name || a.Forwarding != b.Forwarding || len(a.Ports) != len(b.Ports) {
		return false
	}
	for i := range a.Ports {
		port, other := &a.Ports[i], &b.Ports[i]
		if port.Name != other.Name || port.Kind != other.Kind || port.Bundle != other.Bundle || !slices.Equal(port.Members, other.Members) {
			return false
		}
	}
	return true
}

// sameList is slices.Equal, at once where both are one list.
func sameList[T comparable](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0] || slices.Equal(a, b))
}
