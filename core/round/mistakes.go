package round

import (
	"cmp"
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// Mistake is one slip in carrying a plan out. It is made by as many of the five as are not
// nil: of a port's shape, of a device, of cables and plugs, of who hands out what.
type Mistake struct {
	Text   string         // "rack 24 lacks 110"
	Kind   Kind           // as they are counted
	Port   office.PortRef // zero where it is about none
	Device string
	Rules  bool // it is about what passes between VLANs, and nothing else
	weight int  // how rare it is: the lower, the likelier

	change func(shape *office.Shape)             // of the port
	drop   func(device *office.Device)           // of the device
	recast func(o *office.Office) *office.Office // of cables and plugs
	turn   func(posts []post)                    // of what is handed out, which no office says
	stands bool                                  // who answers stands elsewhere, or hands out otherwise
	after  *office.Office                        // nil where nothing of it shows in what frames do
}

// Kind is a kind of mistakes, as they are counted and named.
type Kind string

// The kinds.
const (
	Tag          Kind = "a VLAN missing on a port"
	LeftInOne    Kind = "left in VLAN 1"
	PVIDOnly     Kind = "PVID left at 1"
	OtherVLAN    Kind = "in another VLAN"
	AsTrunk      Kind = "left as a trunk: every VLAN tagged besides"
	Besides      Kind = "untagged in a second VLAN"
	Fresh        Kind = "left as from the factory"
	Shut         Kind = "shut"
	NextPort     Kind = "a cable in the neighbouring port"
	Swapped      Kind = "two cables swapped"
	PlugNext     Kind = "what hangs there in the neighbouring port"
	NoRule       Kind = "a rule missing"
	WideRule     Kind = "a rule too wide"
	RulePlace    Kind = "a rule in the wrong place"
	OpenGate     Kind = "a firewall open"
	Hole         Kind = "a rule that nobody planned"
	Default      Kind = "the default turned round"
	NoRoute      Kind = "a route missing"
	Managed      Kind = "management in another VLAN, or missing"
	NoHandout    Kind = "nobody hands out addresses"
	OtherRange   Kind = "another range handed out"
	OtherAddress Kind = "the gateway has another address"
	OtherMask    Kind = "another mask handed out"
	OtherGate    Kind = "another gateway handed out"
	Rival        Kind = "another server that hands out"
	RivalInstead Kind = "another server instead of the planned one"
	RivalRouter  Kind = "a foreign IPv6 router"
	BundleMode   Kind = "another mode of a bundle"
)

// Made is the office with the mistake made; nil where nothing of it shows in what frames
// do. Of hand-outs it is the office as planned where no office says them: [Round.PlayMade]
// plays those too.
func (m *Mistake) Made() *office.Office { return m.after }

// How rare mistakes are.
const (
	forgotten = iota // a VLAN that was not put on a cable's end: the commonest
	leftBehind
	pvidOnly
	elsewhere
	notEntered
	seldom
)

// mistakes lists them, by device and port.
//
//	> core 2: 160
//	at core.2 untagged: 10.61.160.1 hands out addresses from 10.61.160.20 to 10.61.160.250, and
//	    is not to; 10.61.110.1 is to answer ping, and does not; 10.61.110.20 is to answer ping,
//	    and does not
//	at core.2 [140]: 10.61.140.1 is to answer ping, and does not
//	so: core 2 lacks 140 and core 2 is in 160, and is to be in 110
func mistakes(net *span.Net) (out []Mistake) {
	o := net.Office
	for i, device := range o.Devices {
		if device.Unaware() {
			continue
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 || net.Tables[i].Ports[port].Off {
				continue
			}
			out = append(out, ofPort(net, i, port)...)
		}
		out = append(out, ofPolicy(o, i)...)
		out = append(out, ofManagement(net, i)...)
		for port := range device.Ports {
			if one := &device.Ports[port]; one.Kind == office.Bundle && len(net.Topo.LinksAt(i, port)) > 0 {
				out = append(out, Mistake{Text: fmt.Sprintf("the bundle %s %s has another mode than the far end", device.Name, one.Name), Kind: BundleMode, Device: device.Name, weight: elsewhere})
			}
		}
	}
	out = slices.Concat(out, ofCables(net), ofPlugs(net))
	slices.SortStableFunc(out, func(a, b Mistake) int { return cmp.Compare(a.Kind.class(), b.Kind.class()) })
	return out
}

// class puts what was forgotten before what was done wrong.
func (k Kind) class() int {
	switch k {
	case Tag, LeftInOne, PVIDOnly, OtherVLAN, NoRule, NoRoute, BundleMode:
		return 0
	}
	return 1
}

// onDevice is something that was entered otherwise on a device.
func onDevice(o *office.Office, i int, kind Kind, what string, drop func(device *office.Device)) Mistake {
	device := o.Devices[i].Clone()
	drop(device)
	return Mistake{Text: device.Name + " " + what, Kind: kind, Device: device.Name, weight: notEntered, drop: drop, after: with(o, i, device)}
}

// Made is the office as planned with mistakes made in it, all at once: each changes what the
// others left of its port. It is nil where nothing of one shows in what frames do, or they
// cannot be made together.
func (r *Round) Made(mistakes ...int) *office.Office {
	o := r.world.net.Office
	changes := map[office.PortRef][]func(*office.Shape){}
	var ports []office.PortRef
	for _, k := range mistakes {
		switch mistake := &r.Mistakes[k]; {
		case mistake.after == nil:
			return nil
		case mistake.drop != nil:
			i := r.world.net.Topo.DeviceIndex(mistake.Device)
			device := o.Devices[i].Clone()
			mistake.drop(device)
			o = with(o, i, device)
		case mistake.recast != nil:
			if o = mistake.recast(o); o == nil {
				return nil
			}
		case mistake.turn != nil:
		default:
			if changes[mistake.Port] == nil {
				ports = append(ports, mistake.Port)
			}
			changes[mistake.Port] = append(changes[mistake.Port], mistake.change)
		}
	}
	draft := office.NewDraft(o)
	for _, ref := range ports {
		i := r.world.net.Topo.DeviceIndex(ref.Device)
		shape := changed(r.world.net, i, r.world.net.Office.Devices[i].Port(ref.Port), changes[ref]...)
		if draft.Set(ref, &shape, "") != nil {
			return nil
		}
	}
	out, _ := draft.Done()
	return out
}

// with is an office with one device replaced.
func with(o *office.Office, i int, device *office.Device) *office.Office {
	out := *o
	out.Devices = slices.Clone(o.Devices)
	out.Devices[i] = device.Seal()
	return &out
}

// pvidApart says whether a device's PVIDs are set by themselves, and so can be
// forgotten.
func pvidApart(device *office.Device) bool {
	if device.Forwarding == office.Grouped {
		return false
	}
	return device.Wording.Name == "" || device.Wording.Name == office.ByVLAN && !slices.Contains(device.Wording.Habits, office.PVIDFollows)
}

// ofPort lists what can go wrong at a port.
func ofPort(net *span.Net, i, port int) (out []Mistake) {
	o, device := net.Office, net.Office.Devices[i]
	ref := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
	where := ref.Device + " " + ref.Port
	compiled := net.Tables[i].Ports[port]
	add := func(kind Kind, text string, weight int, change func(shape *office.Shape)) {
		if after := reset(net, i, port, change); after != nil {
			out = append(out, Mistake{Text: text, Kind: kind, Port: ref, Device: device.Name, weight: weight, change: change, after: after})
		}
	}
	without := func(list []office.VID, vid office.VID) []office.VID {
		return slices.DeleteFunc(slices.Clone(list), func(other office.VID) bool { return other == vid })
	}
	name := func(vid office.VID) string { return fmt.Sprint(vid) }
	for vid := range compiled.Tagged.All() {
		add(Tag, where+" lacks "+name(vid), forgotten, func(shape *office.Shape) {
			shape.Tagged = without(shape.Tagged, vid)
			if shape.PVID == vid {
				shape.PVID = 0
			}
		})
	}
	const first = office.DefaultVID
	if compiled.Untagged.Len() == 0 && !compiled.Tagged.Has(first) && device.Forwarding != office.Routed && device.Ports[port].Kind != office.Inner {
		add(LeftInOne, where+" still has 1", leftBehind, func(shape *office.Shape) {
			shape.Untagged = []office.VID{first}
			if shape.PVID == 0 {
				shape.PVID = first
			}
		})
	}
	for vid := range compiled.Untagged.All() {
		if vid == first {
			continue
		}
		if device.Forwarding != office.Routed && device.Ports[port].Kind != office.Inner {
			add(LeftInOne, where+" was left in 1, and is to be in "+name(vid), leftBehind, func(shape *office.Shape) {
				shape.Untagged, shape.PVID, shape.Tagged = []office.VID{first}, first, without(shape.Tagged, first)
			})
			if pvidApart(device) {
				add(PVIDOnly, where+" has PVID 1, and is to have "+name(vid), pvidOnly, func(shape *office.Shape) { shape.PVID = first })
			}
		}
		add(Tag, where+" lacks "+name(vid), forgotten, func(shape *office.Shape) {
			shape.Untagged = without(shape.Untagged, vid)
			if shape.PVID == vid {
				shape.PVID = 0
			}
		})
		if device.Ports[port].Kind == office.Inner {
			for _, vlan := range o.VLANs { // the next one in the list is the slip of a hand
				if vlan.VID > vid {
					add(OtherVLAN, fmt.Sprintf("%s is in %d, and is to be in %d", where, vlan.VID, vid), elsewhere, func(shape *office.Shape) { shape.Untagged, shape.PVID = []office.VID{vlan.VID}, vlan.VID })
					break
				}
			}
		}
	}
	inRoom(net, i, port, add)
	return out
}

// reset is the office with a port set otherwise; nil where it cannot be.
func reset(net *span.Net, i, port int, change func(shape *office.Shape)) *office.Office {
	device := net.Office.Devices[i]
	draft := office.NewDraft(net.Office)
	shape := changed(net, i, port, change)
	if draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, &shape, "") != nil {
		return nil
	}
	after, _ := draft.Done()
	return after
}

// changed is the shape of a port after changes.
func changed(net *span.Net, i, port int, changes ...func(other *office.Shape)) office.Shape {
	shape, _ := net.Office.Effective(net.Office.Devices[i], port)
	compiled := net.Tables[i].Ports[port]
	other := office.Shape{
		Untagged: compiled.Untagged.VIDs(), Tagged: compiled.Tagged.VIDs(), Rides: slices.Clone(compiled.Rides), PVIDSet: true, PVID: compiled.PVID,
		Admit: shape.Admit, FilterOff: shape.FilterOff,
	}
	for _, change := range changes {
		change(&other)
	}
	other.Rides = slices.DeleteFunc(other.Rides, func(ride office.Ride) bool { return !slices.Contains(other.Tagged, ride.VLAN) })
	return other.Normal()
}

// inInstead is an access port that was put in another VLAN.
func inInstead(net *span.Net, ref office.PortRef, is, planned office.VID) (Mistake, bool) {
	i := net.Topo.DeviceIndex(ref.Device)
	p := net.Office.Devices[i].Port(ref.Port)
	change := func(shape *office.Shape) {
		shape.Untagged, shape.PVID = []office.VID{is}, is
		shape.Tagged = slices.DeleteFunc(shape.Tagged, func(vid office.VID) bool { return vid == is })
	}
	after := reset(net, i, p, change)
	text := fmt.Sprintf("%s %s is in %d, and is to be in %d", ref.Device, ref.Port, is, planned)
	return Mistake{Text: text, Kind: OtherVLAN, Port: ref, Device: ref.Device, weight: elsewhere, change: change, after: after}, after != nil
}
