package span

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

// Other is the end that is not at hub h; for a link of a hub with itself, B.
func (l *Link) Other(h int) End {
	if l.A.Hub == h {
		return l.B
	}
	return l.A
}

// Topology is what does not change while only ports are set: hubs, links, and
// the blocks of the cable graph.
type Topology struct {
	Hubs   []Hub
	Links  []Link  // ordered by the names of their ends
	At     [][]int // links by hub
	cabled []map[int][]int

	hubOf  [][]int32 // by device and port
	dev    map[string]int
	blocks []block // of the cable graph, for what is needed
	block  []int   // by link: its block
	plugs  [][]int // by device: indexes into Office.Plugs
	forest forest
}

// block is a part of the cable graph that no single device's failure parts: a
// ring, or one cable. vertices are its hubs.
type block struct {
	links    []int
	vertices []int
}

// HubOf is the hub of a port.
func (t *Topology) HubOf(dev, port int) int { return int(t.hubOf[dev][port]) }

// DeviceIndex finds a device's index by its name, -1 where there is none.
func (t *Topology) DeviceIndex(name string) int {
	if i, ok := t.dev[name]; ok {
		return i
	}
	return -1
}

// LinksAt lists the links in a port, a bundle's as the bundle.
func (t *Topology) LinksAt(dev, port int) []int { return t.cabled[dev][port] }

// PlugsAt lists what is plugged into a device, as indexes into Office.Plugs.
func (t *Topology) PlugsAt(dev int) []int { return t.plugs[dev] }

func newTopology(o *office.Office) *Topology {
	t := &Topology{
		dev:    make(map[string]int, len(o.Devices)),
		hubOf:  make([][]int32, len(o.Devices)),
		cabled: make([]map[int][]int, len(o.Devices)),
	}
	for i, d := range o.Devices {
		t.dev[d.Name] = i
		t.hubOf[i] = make([]int32, len(d.Ports))
		if d.Forwarding != office.Routed {
			for p := range d.Ports {
				t.hubOf[i][p] = int32(len(t.Hubs))
			}
			t.Hubs = append(t.Hubs, Hub{i, -1})
			continue
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle == 0 {
				t.hubOf[i][p] = int32(len(t.Hubs))
				t.Hubs = append(t.Hubs, Hub{i, p})
			}
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 {
				t.hubOf[i][p] = t.hubOf[i][d.Logical(p)]
			}
		}
		if len(d.Ports) == 0 {
			t.Hubs = append(t.Hubs, Hub{i, -1})
		}
	}
	t.links(o)
	t.plugIn(o)
	t.findBlocks()
	t.forest = t.newForest()
	return t
}

// plugIn finds what is plugged in where.
func (t *Topology) plugIn(o *office.Office) {
	t.plugs = make([][]int, len(o.Devices))
	for i, p := range o.Plugs {
		if d, ok := t.dev[p.Port.Device]; ok {
			t.plugs[d] = append(t.plugs[d], i)
		}
	}
}

func (t *Topology) links(o *office.Office) {
	at := map[[2]End]int{}
	end := func(r office.PortRef) End {
		d := t.dev[r.Device]
		p := o.Devices[d].Logical(o.Devices[d].Port(r.Port))
		return End{d, p, t.HubOf(d, p)}
	}
	ref := func(e End) office.PortRef {
		d := o.Devices[e.Dev]
		return office.PortRef{Device: d.Name, Port: d.Ports[e.Port].Name}
	}
	for i, c := range o.Cables {
		a, b := end(c.A), end(c.B)
		if ref(b).Compare(ref(a)) < 0 {
			a, b = b, a
		}
		k, ok := at[[2]End{a, b}]
		if !ok {
			k = len(t.Links)
			at[[2]End{a, b}] = k
			t.Links = append(t.Links, Link{A: a, B: b})
		}
		t.Links[k].Cables = append(t.Links[k].Cables, i)
	}
	slices.SortFunc(t.Links, func(x, y Link) int {
		return cmp.Or(ref(x.A).Compare(ref(y.A)), ref(x.B).Compare(ref(y.B)))
	})
	t.At = make([][]int, len(t.Hubs))
	for i, l := range t.Links {
		t.At[l.A.Hub] = append(t.At[l.A.Hub], i)
		if l.B.Hub != l.A.Hub {
			t.At[l.B.Hub] = append(t.At[l.B.Hub], i)
		}
		for j, e := range []End{l.A, l.B} {
			if j == 1 && e == l.A { // a bundle cabled to itself
				continue
			}
			if t.cabled[e.Dev] == nil {
				t.cabled[e.Dev] = map[int][]int{}
			}
			t.cabled[e.Dev][e.Port] = append(t.cabled[e.Dev][e.Port], i)
		}
	}
}

// findBlocks parts the cable graph into its biconnected blocks (Hopcroft and
// Tarjan, 1973), without recursion, as offices may be long chains.
func (t *Topology) findBlocks() {
	n := len(t.Hubs)
	t.block = make([]int, len(t.Links))
	for i := range t.block {
		t.block[i] = -1
	}
	num, low := make([]int, n), make([]int, n)
	clock := 0
	type frame struct{ hub, via, next int }
	var stack []frame
	var edges []int
	for root := range n {
		if num[root] != 0 {
			continue
		}
		clock++
		num[root], low[root] = clock, clock
		stack = append(stack[:0], frame{root, -1, 0})
		for len(stack) > 0 {
			f := &stack[len(stack)-1]
			if f.next < len(t.At[f.hub]) {
				e := t.At[f.hub][f.next]
				f.next++
				l := &t.Links[e]
				if e == f.via || l.A.Hub == l.B.Hub {
					continue
				}
				w := l.Other(f.hub).Hub
				switch {
				case num[w] == 0:
					edges = append(edges, e)
					clock++
					num[w], low[w] = clock, clock
					stack = append(stack, frame{w, e, 0})
				case num[w] < num[f.hub]:
					edges = append(edges, e)
					low[f.hub] = min(low[f.hub], num[w])
				}
				continue
			}
			done := *f
			stack = stack[:len(stack)-1]
			if len(stack) == 0 {
				break
			}
			up := stack[len(stack)-1].hub
			low[up] = min(low[up], low[done.hub])
			if low[done.hub] < num[up] {
				continue
			}
			b := block{}
			for {
				e := edges[len(edges)-1]
				edges = edges[:len(edges)-1]
				b.links = append(b.links, e)
				t.block[e] = len(t.blocks)
				if e == done.via {
					break
				}
			}
			for _, e := range b.links {
				b.vertices = append(b.vertices, t.Links[e].A.Hub, t.Links[e].B.Hub)
			}
			slices.Sort(b.vertices)
			b.vertices = slices.Compact(b.vertices)
			t.blocks = append(t.blocks, b)
		}
	}
}

// sameTopology says whether p's topology still holds for o.
func sameTopology(p, o *office.Office) bool {
	if len(p.Devices) != len(o.Devices) || !sameSlice(p.Cables, o.Cables) {
		return false
	}
	for i, d := range o.Devices {
		if p.Devices[i] != d && !sameStructure(p.Devices[i], d) {
			return false
		}
	}
	return true
}

func sameSlice[T comparable](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0] || slices.Equal(a, b))
}

func sameStructure(a, b *office.Device) bool {
	if a.Name != b.Name || a.Forwarding != b.Forwarding || len(a.Ports) != len(b.Ports) {
		return false
	}
	for i := range a.Ports {
		x, y := &a.Ports[i], &b.Ports[i]
		if x.Name != y.Name || x.Kind != y.Kind || x.Bundle != y.Bundle || !slices.Equal(x.Members, y.Members) {
			return false
		}
	}
	return true
}
