package round

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// What is done wrong in a room, with hands: a cable in the port beside its own, two of them
// swapped, a port that nobody set at all.

// inRoom lists what can go wrong with a port as a whole: shut, as from the factory, and, of
// one that ends at a desk, left as a trunk or in a second VLAN.
func inRoom(n *span.Net, i, p int, add func(kind Kind, text string, weight int, change func(s *office.Shape))) {
	o, d := n.Office, n.Office.Devices[i]
	port, compiled := &d.Ports[p], n.Tables[i].Ports[p]
	where := d.Name + " " + port.Name
	if port.Kind == office.Inner {
		return
	}
	if len(n.Topo.LinksAt(i, p)) > 0 {
		add(Shut, where+" is shut", elsewhere, func(s *office.Shape) { *s = office.Shape{Off: true} })
		if d.Forwarding != office.Routed && compiled.Tagged.Len() > 0 {
			add(Fresh, where+" is as from the factory: untagged in 1, no tags", leftBehind, func(s *office.Shape) {
				*s = office.Shape{Untagged: []office.VID{office.DefaultVID}, PVIDSet: true, PVID: office.DefaultVID}
			})
		}
		return
	}
	if compiled.Tagged.Len() > mostOfADesk || compiled.Untagged.Len() != 1 || d.Forwarding == office.Grouped {
		return
	}
	in := compiled.Untagged.VIDs()[0]
	add(AsTrunk, where+" was left as a trunk: every other VLAN comes out tagged", leftBehind, func(s *office.Shape) {
		for _, v := range o.VLANs {
			if !slices.Contains(s.Untagged, v.VID) && !slices.Contains(s.Tagged, v.VID) {
				s.Tagged = append(s.Tagged, v.VID)
			}
		}
		slices.Sort(s.Tagged)
	})
	if d.Forwarding == office.Routed {
		return
	}
	if v := beside(n, in, compiled.Tagged.VIDs()...); v != 0 {
		add(Besides, besidesText(where, v, in), elsewhere, besides(v, in))
	}
}

func besidesText(where string, v, in office.VID) string {
	return fmt.Sprintf("%s is untagged in %d besides %d", where, v, in)
}

// besides makes a port of a VLAN untagged in another, too.
func besides(v, in office.VID) func(s *office.Shape) {
	return func(s *office.Shape) {
		s.Untagged = append(slices.Clone(s.Untagged), v)
		slices.Sort(s.Untagged)
		if s.PVID == 0 {
			s.PVID = in
		}
		s.Tagged = slices.DeleteFunc(s.Tagged, func(x office.VID) bool { return x == v })
	}
}

// inBesides is a port that is untagged in a second VLAN.
func inBesides(n *span.Net, ref office.PortRef, v, in office.VID) (Mistake, bool) {
	i := n.Topo.DeviceIndex(ref.Device)
	change := besides(v, in)
	after := reset(n, i, n.Office.Devices[i].Port(ref.Port), change)
	return Mistake{Text: besidesText(ref.Device+" "+ref.Port, v, in), Kind: Besides, Port: ref, Device: ref.Device, weight: elsewhere, change: change, after: after}, after != nil
}

// mostOfADesk is how many VLANs come tagged at a port of a desk, for a phone or the like; where
// there are more, it is meant to be a trunk.
const mostOfADesk = 2

// beside is the VLAN next to one in the register that somebody answers in, whom one would
// hear, and that is none of some others: the first behind it, else the first; 0 for none.
func beside(n *span.Net, v office.VID, not ...office.VID) (first office.VID) {
	not = append(not, v)
	for _, x := range n.Office.VLANs {
		if slices.Contains(not, x.VID) || !n.Gateways().First(x.VID).Is() {
			continue
		}
		if x.VID > v {
			return x.VID
		}
		if first == 0 {
			first = x.VID
		}
	}
	return first
}

// nearest is the ports of a front beside one, before and behind it, and the nearest on each
// side that are not used.
func nearest(d *office.Device, p int, used func(q int) bool) []int {
	out := neighbours(d, p)
	for _, step := range []int{1, -1} {
		for q := p + step; q >= 0 && q < len(d.Ports); q += step {
			if d.Ports[q].Kind == d.Ports[p].Kind && d.Ports[q].Bundle == 0 && !used(q) {
				if !slices.Contains(out, q) {
					out = append(out, q)
				}
				break
			}
		}
	}
	return out
}

// neighbours is the ports of a front beside one: before and behind it.
func neighbours(d *office.Device, p int) (out []int) {
	for _, q := range []int{p + 1, p - 1} {
		if q >= 0 && q < len(d.Ports) && d.Ports[q].Kind == d.Ports[p].Kind && d.Ports[q].Kind != office.Inner && d.Ports[q].Kind != office.Bundle && d.Ports[q].Bundle == 0 {
			out = append(out, q)
		}
	}
	return out
}

// ofCables lists each end of a cable that is in the port beside its own, or swapped with the
// cable there, where the two are not set alike.
func ofCables(n *span.Net) (out []Mistake) {
	o := n.Office
	used := map[office.PortRef]bool{}
	for _, c := range o.Cables {
		used[c.A], used[c.B] = true, true
	}
	add := func(kind Kind, d *office.Device, p, q int, text string) {
		a, b := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}, office.PortRef{Device: d.Name, Port: d.Ports[q].Name}
		recast := func(o *office.Office) *office.Office { return recabled(o, a, b) }
		out = append(out, Mistake{Text: text, Kind: kind, Port: a, Device: d.Name, weight: leftBehind, stands: true, recast: recast, after: recast(o)})
	}
	for i, d := range o.Devices {
		for p := range d.Ports {
			a := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
			if !used[a] || d.Ports[p].Kind == office.Inner || d.Ports[p].Bundle > 0 {
				continue
			}
			swapped := false
			for _, q := range nearest(d, p, func(q int) bool { return used[office.PortRef{Device: d.Name, Port: d.Ports[q].Name}] }) {
				b := office.PortRef{Device: d.Name, Port: d.Ports[q].Name}
				switch {
				case sameSet(n, i, p, q):
				case used[b]:
					if q > p {
						add(Swapped, d, p, q, fmt.Sprintf("the cables in %s %s and %s are swapped", d.Name, a.Port, b.Port))
						swapped = true
					}
				default:
					add(NextPort, d, p, q, fmt.Sprintf("the cable of %s %s is in %s", d.Name, a.Port, b.Port))
				}
			}
			if swapped {
				continue
			}
			for q := p + 1; q < len(d.Ports); q++ { // the next cable, where none is beside it
				b := office.PortRef{Device: d.Name, Port: d.Ports[q].Name}
				if used[b] && d.Ports[q].Kind == d.Ports[p].Kind && d.Ports[q].Bundle == 0 {
					if !sameSet(n, i, p, q) && q > p+1 {
						add(Swapped, d, p, q, fmt.Sprintf("the cables in %s %s and %s are swapped", d.Name, a.Port, b.Port))
					}
					break
				}
			}
		}
	}
	return out
}

// sameSet says whether two ports of a device treat frames alike, so that nobody notices
// which of them a cable is in.
func sameSet(n *span.Net, i, p, q int) bool {
	return samePort(n.Tables[i].Ports[p], n.Tables[i].Ports[q])
}

// recabled is an office with the cables of two ports exchanged, or the one that there is moved.
func recabled(o *office.Office, a, b office.PortRef) *office.Office {
	out := *o
	out.Cables = slices.Clone(o.Cables)
	other := func(p office.PortRef) office.PortRef {
		switch p {
		case a:
			return b
		case b:
			return a
		}
		return p
	}
	for k := range out.Cables {
		c := &out.Cables[k]
		c.A, c.B = other(c.A), other(c.B)
	}
	return &out
}

// ofPlugs lists each plug with an address that hangs in the port beside its own, or is swapped
// with what hangs there: nobody answers for those without, so nobody would notice.
func ofPlugs(n *span.Net) (out []Mistake) {
	o := n.Office
	for k := range o.Plugs {
		plug := &o.Plugs[k]
		i := n.Topo.DeviceIndex(plug.Port.Device)
		if !plug.At.IsValid() || plug.Operator || i < 0 {
			continue
		}
		d := o.Devices[i]
		p := d.Port(plug.Port.Port)
		if p < 0 || d.Ports[p].Kind == office.Inner || d.Ports[p].Bundle > 0 {
			continue
		}
		for _, q := range neighbours(d, p) {
			if sameSet(n, i, p, q) || len(n.Topo.LinksAt(i, q)) > 0 {
				continue
			}
			b := office.PortRef{Device: d.Name, Port: d.Ports[q].Name}
			recast := func(o *office.Office) *office.Office {
				out := *o
				out.Plugs = slices.Clone(o.Plugs)
				for k := range out.Plugs {
					switch p := &out.Plugs[k]; {
					case p.At == plug.At && p.Port == plug.Port:
						p.Port = b
					case p.Port == b:
						p.Port = plug.Port
					}
				}
				return &out
			}
			text := fmt.Sprintf("%s hangs at %s %s instead of %s", called(plug), b.Device, b.Port, plug.Port.Port)
			if other := slices.IndexFunc(o.Plugs, func(p office.Plug) bool { return p.Port == b }); other >= 0 {
				text = fmt.Sprintf("%s at %s %s and %s at %s are swapped", called(plug), b.Device, plug.Port.Port, called(&o.Plugs[other]), b.Port)
			}
			out = append(out, Mistake{Text: text, Kind: PlugNext, Port: plug.Port, Device: d.Name, weight: leftBehind, stands: true, recast: recast, after: recast(o)})
		}
	}
	return out
}

// called is a plug by its name, or its address.
func called(p *office.Plug) string {
	if p.Name != "" {
		return p.Name
	}
	return p.At.String()
}

// ofManagement lists a device's management missing, and left in VLAN 1.
func ofManagement(n *span.Net, i int) (out []Mistake) {
	d := n.Office.Devices[i]
	m := d.Manage
	if m == nil || d.Forwarding == office.Routed || slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == m.VID }) {
		return nil
	}
	missing := onDevice(n.Office, i, Managed, fmt.Sprintf("is not managed in %d", m.VID), func(x *office.Device) { x.Manage = nil })
	missing.stands = true
	out = append(out, missing)
	for _, v := range []office.VID{office.DefaultVID, beside(n, m.VID)} {
		if v == 0 || v == m.VID {
			continue
		}
		elsewhere := onDevice(n.Office, i, Managed, fmt.Sprintf("is managed in %d, and is to be in %d", v, m.VID), func(x *office.Device) {
			if x.Manage == nil {
				return // not managed at all, and that says more
			}
			other := *x.Manage
			other.VID = v
			x.Manage = &other
		})
		elsewhere.stands, elsewhere.weight = true, leftBehind
		out = append(out, elsewhere)
	}
	return out
}
