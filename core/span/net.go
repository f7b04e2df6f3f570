// Package span says where frames can go in a whole office: which ports one VLAN
// really reaches (its spans), and which cables need it.
//
// [Compile] works an office out from nothing; [Net.Update] works out the office
// after an edit from the one before, touching only what the edit touched. Both
// give the same.
package span

import (
	"strconv"

	"klammer/core/bridge"
	"klammer/core/effort"
	"klammer/core/graph"
	"klammer/core/office"
)

// Net is an office worked out. It is not changed once made.
type Net struct {
	Office *office.Office
	Topo   *graph.Topology
	Tables []*bridge.Table // by device

	needed []office.Set // by block of the cable graph: the VLANs that need it
	shapes [][]*office.Shape
	source [][]office.Source

	registered office.Set
	at         placing
	place      []*office.Set // by hub: VLANs with terminals, served or not
	term       []*office.Set // by hub: VLANs with terminals that the hub serves
	wants      []*office.Set // by hub, of unaware devices: what plugs and the device itself want untagged
	own        []*office.Set // by hub, of unaware devices: VLANs of its addresses and its management
	dead       []*office.Set // by hub: VLANs of addresses behind a processor port that is not in them
	addr       []*office.Set // by hub: VLANs with an address
	gates      office.Gateways
	present    []*office.Set // by hub: VLANs that exist there
	carry      []*Carry      // by link
	kept       []linkArc     // arcs from and to domains that keep a tag
	groups     classes
	vlans      office.ByVID[*VLAN] // nil: neither registered nor in use
	used       office.Set          // VIDs with a result

	effort *effort.Effort // of the request that this Net is looked at for; nil for no end

	dirty  office.Set // VIDs whose result is new in this Net
	before *delta     // what an update touched; nil where all is from nothing
}

// Within is the same office, looked at for a request that may cost so much.
func (n *Net) Within(one *effort.Effort) *Net {
	net := *n
	net.effort = one
	return &net
}

// Effort is what the request may cost that this office is looked at for; nil for no end.
func (n *Net) Effort() *effort.Effort { return n.effort }

// Bare is an office that is not worked out, for what needs its things alone.
func Bare(o *office.Office) *Net { return &Net{Office: o, gates: office.GatewaysOf(o)} }

// Compile works an office out from nothing.
func Compile(o *office.Office) *Net {
	net := &Net{Office: o, Topo: graph.New(o), registered: o.Registered(), gates: office.GatewaysOf(o)}
	net.all()
	return net
}

// all works the whole office out, nothing kept from before: shapes, places, needs, tables, and then
// by VLAN what is reached.
func (n *Net) all() {
	o := n.Office
	n.shapes = make([][]*office.Shape, len(o.Devices))
	n.source = make([][]office.Source, len(o.Devices))
	for i := range o.Devices {
		n.shapes[i], n.source[i] = n.effective(i)
	}
	n.places()
	n.needed = make([]office.Set, len(n.Topo.Blocks))
	words := make([]int, len(office.Set{}))
	for i := range words {
		words[i] = i
	}
	needs(n.Topo, n.place, n.needed, words)
	cache := compileCache{}
	n.Tables = make([]*bridge.Table, len(o.Devices))
	for i := range o.Devices {
		n.Tables[i] = n.table(i, cache)
	}
	hubs := len(n.Topo.Hubs)
	n.term, n.wants, n.addr, n.present = newSets(hubs), newSets(hubs), newSets(hubs), newSets(hubs)
	n.own, n.dead = newSets(hubs), newSets(hubs)
	for i := range o.Devices {
		n.fillHubs(i)
	}
	n.carry = make([]*Carry, len(n.Topo.Links))
	for more := true; more; {
		n.throughUnaware()
		for i := range n.Topo.Links {
			n.carry[i] = n.cross(i)
		}
		n.keepTags()
		more = n.feed()
	}
	n.used = n.inUse()
	n.groups = n.couple()
	n.dirty = n.used
	n.solve()
}

// effective is the shapes in force on device i's ports.
func (n *Net) effective(i int) ([]*office.Shape, []office.Source) {
	device := n.Office.Devices[i]
	ss, src := make([]*office.Shape, len(device.Ports)), make([]office.Source, len(device.Ports))
	if device.Follows == "" && len(device.Outsides) == 0 { // the usual case, without asking a plan for every port
		for port := range device.Ports {
			one := &device.Ports[port]
			if one.Bundle > 0 || one.Shape == nil {
				ss[port] = noShape
				continue
			}
			ss[port], src[port] = n.Office.Resolve(one.Shape), office.FromPort
		}
		return ss, src
	}
	for port := range device.Ports {
		ss[port], src[port] = n.Office.Effective(device, port)
	}
	return ss, src
}

var noShape = &office.Shape{}

// Shape is the shape in force on a port, its use resolved, and where it comes
// from.
func (n *Net) Shape(dev, port int) (*office.Shape, office.Source) {
	return n.shapes[dev][port], n.source[dev][port]
}

// Needed is the VLANs that need a link.
func (n *Net) Needed(link int) *office.Set {
	if b := n.Topo.BlockOf(link); b >= 0 {
		return &n.needed[b]
	}
	return &office.Set{}
}

// Registered is the set of the register's VIDs.
func (n *Net) Registered() *office.Set { return &n.registered }

// Gateways is the gateway of every VLAN: [office.GatewaysOf] decides it.
func (n *Net) Gateways() office.Gateways { return n.gates }

// Carry is what crosses a link.
func (n *Net) Carry(link int) *Carry { return n.carry[link] }

type compileCache map[compileKey]*bridge.Port

type compileKey struct {
	shape  *office.Shape
	block  int
	access office.VID // all access ports of a VLAN are one
}

// table compiles device i.
func (n *Net) table(i int, cache compileCache) *bridge.Table {
	device := n.Office.Devices[i]
	return bridge.NewTable(device, func(port int) *bridge.Port {
		shape := n.shapes[i][port]
		key := compileKey{shape: shape, block: -1}
		if vid := bridge.Access(shape); vid != 0 {
			key = compileKey{access: vid}
		}
		var rest *office.Set
		switch shape.Rest {
		case office.RestAll:
			rest = &n.registered
		case office.RestNeeded:
			links := n.Topo.LinksAt(i, port)
			switch len(links) {
			case 0:
			case 1:
				key.block = n.Topo.BlockOf(links[0])
				rest = n.Needed(links[0])
			default:
				var all office.Set
				for _, l := range links {
					all.AddAll(n.Needed(l))
				}
				return bridge.Compile(shape, &all)
			}
		}
		if compiled, ok := cache[key]; ok {
			return compiled
		}
		c := bridge.Compile(shape, rest)
		cache[key] = c
		return c
	})
}

// inUse is every VID that has a result: registered, on a port, or wanted.
func (n *Net) inUse() office.Set {
	set := n.registered
	for h := range n.present {
		set.AddAll(n.present[h])
		set.AddAll(n.place[h])
		set.AddAll(n.wants[h])
	}
	for _, carry := range n.carry { // a port without filtering lets in what it has not
		set.AddAll(&carry.AB)
		set.AddAll(&carry.BA)
		for _, arc := range carry.Cross {
			set.Add(arc.From.VID())
			set.Add(arc.To.VID())
		}
	}
	for _, arc := range n.kept {
		set.Add(arc.To.VID())
	}
	set.Remove(0)
	return set
}

// Used is every VID that is registered, on a port, or wanted by a plug.
func (n *Net) Used() *office.Set { return &n.used }

// RefAt names a port of a device.
func (n *Net) RefAt(dev, port int) office.PortRef {
	device := n.Office.Devices[dev]
	return office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
}

// Name is a VLAN as people say it: "130 imaging", or the number alone.
func (n *Net) Name(vid office.VID) string {
	if vlan := n.Office.VLAN(vid); vlan != nil {
		return strconv.Itoa(int(vid)) + " " + vlan.Name
	}
	return strconv.Itoa(int(vid))
}

// OnWires is every VID that a frame may wear to some effect: registered, on a
// port, a PVID, or one that a VLAN rides.
func (n *Net) OnWires() office.Set {
	set := n.used
	for _, table := range n.Tables {
		for _, compiled := range table.Ports {
			set.Add(compiled.PVID)
			set.AddAll(&compiled.Untagged)
			set.AddAll(&compiled.Tagged)
			for _, ride := range compiled.Rides {
				set.Add(ride.Wire)
			}
		}
	}
	set.Remove(0)
	return set
}
