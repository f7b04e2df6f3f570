package office

import (
	"cmp"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// Office is one network that is planned together. The zero Office is empty.
type Office struct {
	Title    string
	VLANs    []*VLAN         // ascending by VID
	Services []*NamedService // in the order given
	Uses     []*Use          // in the order given
	Plans    []*Plan         // in the order given
	Devices  []*Device       // in the order given
	Cables   []Cable         // in the order given
	Plugs    []Plug          // in the order given
	Wishes   []*Wish         // in the order given
}

// VLAN is one line of the register.
type VLAN struct {
	VID     VID
	Name    string // [a-z][a-z0-9-]{0,31}, unique in the office
	Note    string
	Local   bool           // meant to have no gateway
	Nets    []netip.Prefix // masked; IPv4 and IPv6
	Guarded bool           // nobody but the device that hands out addresses may do so
}

// Use is a shape with a name.
type Use struct {
	Name  string
	Shape Shape // its Use field is empty
}

// Plan is a reusable list of port ranges and their shapes.
type Plan struct {
	Name  string
	Lines []PlanLine
}

// PlanLine gives some ports of a front one shape. A later line wins.
type PlanLine struct {
	Ports []PlanRange
	Shape Shape
}

// PlanRange is places on a front, counted from 1. A place ≤ 0 counts from the
// end: 0 is the last port, -1 the one before.
type PlanRange struct{ From, To int }

// Wording is how a device asks for memberships, with its habits in the order of
// [Habits].
type Wording struct {
	Name     WordingName
	Habits   []Habit
	Confirms int // minutes in which a change is confirmed, or the device takes it back by itself; 0: it does not
}

// Confirms is the word for a device that takes a change back by itself unless it is
// confirmed in so many minutes, at most [MostConfirms].
const (
	Confirms     = "confirms"
	MostConfirms = 1440
)

// String writes it as in notation: "by-port pvid-apart confirms 5".
func (w Wording) String() string {
	text := string(w.Name)
	for _, habit := range w.Habits {
		text += " " + string(habit)
	}
	if w.Confirms > 0 {
		text += " " + Confirms + " " + strconv.Itoa(w.Confirms)
	}
	return text
}

// Limits are the most that a device takes; 0 is no limit known.
type Limits struct{ VLANs, Addresses, Zones, Rows, Rules int }

// Manage is where a device is managed: a host of its VLAN, that answers who is in its
// subnet, and others by its default gateway.
//
//	manage 190 10.61.190.2                       prefix and gateway as the VLAN has them
//	manage 190 10.61.190.2/24 via 10.61.190.1    as they were typed into the device
//	manage 190 10.61.190.2/24 via none           it answers its own subnet alone
type Manage struct {
	VID   VID
	Addr  netip.Addr // the zero Addr where none was said
	Bits  int        // the length of its prefix; 0: that of the VLAN's subnet
	Via   netip.Addr // its default gateway; the zero Addr: the VLAN's
	Alone bool       // it has no default gateway
}

// Factory is where a device answers as it comes out of its box.
type Factory struct {
	Prefix netip.Prefix // the address and its prefix length
	VID    VID
}

// Net is the subnet that a management takes for its own: by the length that it was
// told, else that of its VLAN which holds it; the zero Prefix where there is none.
func (m *Manage) Net(vlan *VLAN) netip.Prefix {
	if !m.Addr.IsValid() {
		return netip.Prefix{}
	}
	if m.Bits > 0 {
		return netip.PrefixFrom(m.Addr, m.Bits).Masked()
	}
	if vlan != nil {
		for _, prefix := range vlan.Nets {
			if prefix.Contains(m.Addr) {
				return prefix.Masked()
			}
		}
	}
	return netip.Prefix{}
}

// Gateway is whom a management sends to what is for other subnets: what it was told,
// else its VLAN's gateway; invalid for nobody.
func (m *Manage) Gateway(gates Gateways) netip.Addr {
	switch {
	case m.Alone || !m.Addr.IsValid():
		return netip.Addr{}
	case m.Via.IsValid():
		return m.Via
	}
	return gates.Of(m.VID, Family(m.Addr)).Addr()
}

// PortKind tells the ports of a device's front from those in its software.
type PortKind uint8

const (
	Physical PortKind = iota
	Bundle            // several physical ports as one (IEEE 802.1AX)
	Inner             // a port in software inside the device
)

// Speed of a port in Mbit/s; 0 where none was said.
type Speed int

// Speeds lists the speeds there are, by their written form.
var Speeds = []struct {
	Text  string
	Speed Speed
}{{"10M", 10}, {"100M", 100}, {"1G", 1000}, {"2.5G", 2500}, {"5G", 5000}, {"10G", 10000}, {"25G", 25000}, {"40G", 40000}, {"100G", 100000}}

// String is a speed as the notation has it: 1g, 2.5g; "" where none is said.
func (s Speed) String() string {
	for _, x := range Speeds {
		if x.Speed == s {
			return x.Text
		}
	}
	return ""
}

// Port is a port of a device: of its front, a bundle, or inner.
type Port struct {
	Name    string
	Kind    PortKind
	Inside  string // its name inside the device, where it differs
	Speed   Speed
	Mode    BundleMode // of a bundle
	Members []int      // of a bundle: indexes into Device.Ports, ascending in the order given
	Bundle  int        // of a member: 1 + the index of its bundle; 0 for none
	Flavour Flavour    // of an inner port
	Shape   *Shape     // what is set on the port itself; nil: nothing
	Because string     // the reason of an exception
	Facts   *Facts     // nil where nothing is noted; not changed once made
}

// Address is a VLAN's IP address on a device.
type Address struct {
	VID      VID
	Prefix   netip.Prefix // the address and its prefix length
	On       string       // the port; "" where the device bridges
	Zone     string
	From, To netip.Addr // the range handed out (DHCP); zero where none is
	Admits   []Service  // what the device itself answers there; nil: everything
	Gateway  bool       // the hosts of the VLAN send here what is for other subnets
}

// Device is anything with ports.
type Device struct {
	Name       string
	Kind       Kind
	Follows    string // a plan's name, or ""
	Forwarding Forwarding
	Wording    Wording // the zero Wording where none was said
	Limits     Limits
	Adjacent   bool // the device wants the members of a bundle side by side
	Console    bool // it has a console, where it is set by somebody who stands at it
	Manage     *Manage
	Factory    *Factory // nil where nobody said
	Speaks     []Speaks // how it is read and set; the first that answers is taken
	Ports      []Port   // the front in order, then bundles, then inner ports
	Addresses  []Address
	Outsides   []Outside
	Routes     []Route // in the order given
	NoRouting  bool    // it has several addresses, and yet it does not route
	State      State   // "": by its kind, see [Device.KeepsState]
	Between    Action  // "": by its kind, see [Device.BetweenZones]
	Within     Action  // "": allow
	Rules      []Rule  // the first that fits decides
	Facts      Facts

	index  map[string]int
	sealed bool // index and Port.Bundle are complete
}

// Unaware says whether a device does not look at tags.
func (d *Device) Unaware() bool {
	return d.Forwarding == Unaware || d.Forwarding == UnawareDrops
}

// TalksItself says whether a device is where its VLANs end, whatever is cabled:
// a host or the like without ports inside it.
func (d *Device) TalksItself() bool {
	return (d.Kind == Host || d.Kind == Other) && !d.Unaware() && !slices.ContainsFunc(d.Ports, func(port Port) bool { return port.Kind == Inner })
}

// Own is the address of a device that has a number, nil for none.
func (d *Device) Own(addr netip.Addr) *Address {
	for i := range d.Addresses {
		if d.Addresses[i].Prefix.Addr() == addr {
			return &d.Addresses[i]
		}
	}
	return nil
}

// Front is the number of ports on the device's front.
func (d *Device) Front() int {
	port := 0
	for port < len(d.Ports) && d.Ports[port].Kind == Physical {
		port++
	}
	return port
}

// Port finds a port by its name, -1 where there is none.
func (d *Device) Port(name string) int {
	if d.index == nil {
		for i := range d.Ports {
			if d.Ports[i].Name == name {
				return i
			}
		}
		return -1
	}
	if i, ok := d.index[name]; ok {
		return i
	}
	return -1
}

// Logical is the port that forwards for port i: its bundle, or itself.
func (d *Device) Logical(i int) int {
	if b := d.Ports[i].Bundle; b > 0 {
		return b - 1
	}
	return i
}

// Seal readies a device for its place in an office: the index of its names and
// the link of each member to its bundle. A sealed device is not changed again.
func (d *Device) Seal() *Device {
	if d.sealed {
		return d
	}
	d.sealed = true
	named := len(d.index) == len(d.Ports) // the ports came one after the other
	if !named {
		d.index = make(map[string]int, len(d.Ports))
	}
	for i := range d.Ports {
		d.Ports[i].Bundle = 0
		if !named {
			d.index[d.Ports[i].Name] = i
		}
	}
	for i := range d.Ports {
		for _, port := range d.Ports[i].Members {
			d.Ports[port].Bundle = i + 1
		}
	}
	return d
}

// Clone is an unsealed copy of d that may be changed and sealed.
func (d *Device) Clone() *Device {
	device := *d
	device.Ports = slices.Clone(d.Ports)
	device.Addresses = slices.Clone(d.Addresses)
	device.Speaks = slices.Clone(d.Speaks)
	device.Outsides, device.Routes, device.Rules = slices.Clone(d.Outsides), slices.Clone(d.Routes), slices.Clone(d.Rules)
	device.index, device.sealed = nil, false
	return &device
}

// withPort is d with what is set on one port replaced; names and bundles stay,
// so the index is shared.
func (d *Device) withPort(i int, shape *Shape, because string) *Device {
	device := *d
	device.Ports = slices.Clone(d.Ports)
	device.Ports[i].Shape, device.Ports[i].Because = shape, because
	return &device
}

// PortRef names a port.
type PortRef struct{ Device, Port string }

func (r PortRef) String() string { return r.Device + "." + r.Port }

// Compare orders port names: numbers in them count as numbers.
func (r PortRef) Compare(one PortRef) int {
	return cmp.Or(NaturalCompare(r.Device, one.Device), NaturalCompare(r.Port, one.Port))
}

// Cable is a physical connection of two physical ports. A is the end that was
// named first; it makes no difference to frames.
type Cable struct{ A, B PortRef }

// Same says whether two cables connect the same ports.
func (c Cable) Same(cable Cable) bool {
	return c == cable || c.A == cable.B && c.B == cable.A
}

// Plug is what is plugged into a port and which VLAN it wants.
type Plug struct {
	Port     PortRef
	Name     string
	Wants    VID
	Tagged   bool
	Operator bool       // the administrator's own
	At       netip.Addr // its own address, where one is said
	MAC      MAC        // of its network card, by which it is known wherever it is; "" where none is said
	Facts    Facts
}

// VLAN finds a VLAN of the register, nil where there is none.
func (o *Office) VLAN(vid VID) *VLAN {
	i, ok := slices.BinarySearchFunc(o.VLANs, vid, func(vlan *VLAN, other VID) int { return cmp.Compare(vlan.VID, other) })
	if !ok {
		return nil
	}
	return o.VLANs[i]
}

// Device finds a device by its name, nil where there is none.
func (o *Office) Device(name string) *Device {
	for _, device := range o.Devices {
		if device.Name == name {
			return device
		}
	}
	return nil
}

// Use finds a use by its name, nil where there is none.
func (o *Office) Use(name string) *Use {
	for _, use := range o.Uses {
		if use.Name == name {
			return use
		}
	}
	return nil
}

// Plan finds a plan by its name, nil where there is none.
func (o *Office) Plan(name string) *Plan {
	for _, plan := range o.Plans {
		if plan.Name == name {
			return plan
		}
	}
	return nil
}

// CableAt finds the cable in a port and the port at its other end.
func (o *Office) CableAt(one PortRef) (Cable, PortRef, bool) {
	for _, cable := range o.Cables {
		if cable.A == one {
			return cable, cable.B, true
		}
		if cable.B == one {
			return cable, cable.A, true
		}
	}
	return Cable{}, PortRef{}, false
}

// Registered is the set of the register's VIDs.
func (o *Office) Registered() Set {
	var set Set
	for _, vlan := range o.VLANs {
		set.Add(vlan.VID)
	}
	return set
}

// NaturalCompare orders names as people do: "2" before "10".
func NaturalCompare(a, b string) int {
	x, y := a, b
	for x != "" && y != "" {
		i, j := digits(x), digits(y)
		if i > 0 && j > 0 {
			p, q := strings.TrimLeft(x[:i], "0"), strings.TrimLeft(y[:j], "0")
			if c := cmp.Or(cmp.Compare(len(p), len(q)), cmp.Compare(p, q)); c != 0 {
				return c
			}
			x, y = x[i:], y[j:]
			continue
		}
		if x[0] != y[0] {
			return cmp.Compare(x[0], y[0])
		}
		x, y = x[1:], y[1:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(a, b))
}

// digits is how many digits a text begins with.
func digits(text string) int {
	i := 0
	for i < len(text) && text[i] >= '0' && text[i] <= '9' {
		i++
	}
	return i
}
