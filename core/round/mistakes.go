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

	change func(s *office.Shape)                 // of the port
	drop   func(x *office.Device)                // of the device
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
func mistakes(n *span.Net) (out []Mistake) {
	o := n.Office
	for i, d := range o.Devices {
		if d.Unaware() {
			continue
		}
		for p := range d.Ports {
			if d.Ports[p].Bundle > 0 || n.Tables[i].Ports[p].Off {
				continue
			}
			out = append(out, ofPort(n, i, p)...)
		}
		out = append(out, ofPolicy(o, i)...)
		out = append(out, ofManagement(n, i)...)
		for p := range d.Ports {
			if b := &d.Ports[p]; b.Kind == office.Bundle && len(n.Topo.LinksAt(i, p)) > 0 {
				out = append(out, Mistake{Text: fmt.Sprintf("the bundle %s %s has another mode than the far end", d.Name, b.Name), Kind: BundleMode, Device: d.Name, weight: elsewhere})
			}
		}
	}
	out = slices.Concat(out, ofCables(n), ofPlugs(n))
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
func onDevice(o *office.Office, i int, kind Kind, what string, drop func(x *office.Device)) Mistake {
	x := o.Devices[i].Clone()
	drop(x)
	return Mistake{Text: x.Name + " " + what, Kind: kind, Device: x.Name, weight: notEntered, drop: drop, after: with(o, i, x)}
}

// Made is the office as planned with mistakes made in it, all at once: each changes what the
// others left of its port. It is nil where nothing of one shows in what frames do, or they
// cannot be made together.
func (r *Round) Made(mistakes ...int) *office.Office {
	o := r.w.n.Office
	changes := map[office.PortRef][]func(*office.Shape){}
	var ports []office.PortRef
	for _, k := range mistakes {
		switch m := &r.Mistakes[k]; {
		case m.after == nil:
			return nil
		case m.drop != nil:
			i := r.w.n.Topo.DeviceIndex(m.Device)
			x := o.Devices[i].Clone()
			m.drop(x)
			o = with(o, i, x)
		case m.recast != nil:
			if o = m.recast(o); o == nil {
				return nil
			}
		case m.turn != nil:
		default:
			if changes[m.Port] == nil {
				ports = append(ports, m.Port)
			}
			changes[m.Port] = append(changes[m.Port], m.change)
		}
	}
	draft := office.NewDraft(o)
	for _, ref := range ports {
		i := r.w.n.Topo.DeviceIndex(ref.Device)
		s := changed(r.w.n, i, r.w.n.Office.Devices[i].Port(ref.Port), changes[ref]...)
		if draft.Set(ref, &s, "") != nil {
			return nil
		}
	}
	out, _ := draft.Done()
	return out
}

// with is an office with one device replaced.
func with(o *office.Office, i int, d *office.Device) *office.Office {
	out := *o
	out.Devices = slices.Clone(o.Devices)
	out.Devices[i] = d.Seal()
	return &out
}

// pvidApart says whether a device's PVIDs are set by themselves, and so can be
// forgotten.
func pvidApart(d *office.Device) bool {
	if d.Forwarding == office.Grouped {
		return false
	}
	return d.Wording.Name == "" || d.Wording.Name == office.ByVLAN && !slices.Contains(d.Wording.Habits, office.PVIDFollows)
}

// ofPort lists what can go wrong at a port.
func ofPort(n *span.Net, i, p int) (out []Mistake) {
	o, d := n.Office, n.Office.Devices[i]
	ref := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
	where := ref.Device + " " + ref.Port
	compiled := n.Tables[i].Ports[p]
	add := func(kind Kind, text string, weight int, change func(s *office.Shape)) {
		if after := reset(n, i, p, change); after != nil {
			out = append(out, Mistake{Text: text, Kind: kind, Port: ref, Device: d.Name, weight: weight, change: change, after: after})
		}
	}
	without := func(list []office.VID, v office.VID) []office.VID {
		return slices.DeleteFunc(slices.Clone(list), func(x office.VID) bool { return x == v })
	}
	name := func(v office.VID) string { return fmt.Sprint(v) }
	for v := range compiled.Tagged.All() {
		add(Tag, where+" lacks "+name(v), forgotten, func(s *office.Shape) {
			s.Tagged = without(s.Tagged, v)
			if s.PVID == v {
				s.PVID = 0
			}
		})
	}
	const first = office.DefaultVID
	if compiled.Untagged.Len() == 0 && !compiled.Tagged.Has(first) && d.Forwarding != office.Routed && d.Ports[p].Kind != office.Inner {
		add(LeftInOne, where+" still has 1", leftBehind, func(s *office.Shape) {
			s.Untagged = []office.VID{first}
			if s.PVID == 0 {
				s.PVID = first
			}
		})
	}
	for v := range compiled.Untagged.All() {
		if v == first {
			continue
		}
		if d.Forwarding != office.Routed && d.Ports[p].Kind != office.Inner {
			add(LeftInOne, where+" was left in 1, and is to be in "+name(v), leftBehind, func(s *office.Shape) {
				s.Untagged, s.PVID, s.Tagged = []office.VID{first}, first, without(s.Tagged, first)
			})
			if pvidApart(d) {
				add(PVIDOnly, where+" has PVID 1, and is to have "+name(v), pvidOnly, func(s *office.Shape) { s.PVID = first })
			}
		}
		add(Tag, where+" lacks "+name(v), forgotten, func(s *office.Shape) {
			s.Untagged = without(s.Untagged, v)
			if s.PVID == v {
				s.PVID = 0
			}
		})
		if d.Ports[p].Kind == office.Inner {
			for _, x := range o.VLANs { // the next one in the list is the slip of a hand
				if x.VID > v {
					add(OtherVLAN, fmt.Sprintf("%s is in %d, and is to be in %d", where, x.VID, v), elsewhere, func(s *office.Shape) { s.Untagged, s.PVID = []office.VID{x.VID}, x.VID })
					break
				}
			}
		}
	}
	inRoom(n, i, p, add)
	return out
}

// reset is the office with a port set otherwise; nil where it cannot be.
func reset(n *span.Net, i, p int, change func(s *office.Shape)) *office.Office {
	d := n.Office.Devices[i]
	draft := office.NewDraft(n.Office)
	s := changed(n, i, p, change)
	if draft.Set(office.PortRef{Device: d.Name, Port: d.Ports[p].Name}, &s, "") != nil {
		return nil
	}
	after, _ := draft.Done()
	return after
}

// changed is the shape of a port after changes.
func changed(n *span.Net, i, p int, changes ...func(s *office.Shape)) office.Shape {
	shape, _ := n.Office.Effective(n.Office.Devices[i], p)
	compiled := n.Tables[i].Ports[p]
	s := office.Shape{
		Untagged: compiled.Untagged.VIDs(), Tagged: compiled.Tagged.VIDs(), Rides: slices.Clone(compiled.Rides), PVIDSet: true, PVID: compiled.PVID,
		Admit: shape.Admit, FilterOff: shape.FilterOff,
	}
	for _, change := range changes {
		change(&s)
	}
	s.Rides = slices.DeleteFunc(s.Rides, func(r office.Ride) bool { return !slices.Contains(s.Tagged, r.VLAN) })
	return s.Normal()
}

// inInstead is an access port that was put in another VLAN.
func inInstead(n *span.Net, ref office.PortRef, is, planned office.VID) (Mistake, bool) {
	i := n.Topo.DeviceIndex(ref.Device)
	p := n.Office.Devices[i].Port(ref.Port)
	change := func(s *office.Shape) {
		s.Untagged, s.PVID = []office.VID{is}, is
		s.Tagged = slices.DeleteFunc(s.Tagged, func(v office.VID) bool { return v == is })
	}
	after := reset(n, i, p, change)
	text := fmt.Sprintf("%s %s is in %d, and is to be in %d", ref.Device, ref.Port, is, planned)
	return Mistake{Text: text, Kind: OtherVLAN, Port: ref, Device: ref.Device, weight: elsewhere, change: change, after: after}, after != nil
}
