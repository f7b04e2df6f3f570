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
func inRoom(net *span.Net, i, at int, add func(kind Kind, text string, weight int, change func(shape *office.Shape))) {
	o, device := net.Office, net.Office.Devices[i]
	port, compiled := &device.Ports[at], net.Tables[i].Ports[at]
	where := device.Name + " " + port.Name
	if port.Kind == office.Inner {
		return
	}
	if len(net.Topo.LinksAt(i, at)) > 0 {
		add(Shut, where+" is shut", elsewhere, func(shape *office.Shape) { *shape = office.Shape{Off: true} })
		if device.Forwarding != office.Routed && compiled.Tagged.Len() > 0 {
			add(Fresh, where+" is as from the factory: untagged in 1, no tags", leftBehind, func(shape *office.Shape) {
				*shape = office.Shape{Untagged: []office.VID{office.DefaultVID}, PVIDSet: true, PVID: office.DefaultVID}
			})
		}
		return
	}
	if compiled.Tagged.Len() > mostOfADesk || compiled.Untagged.Len() != 1 || device.Forwarding == office.Grouped {
		return
	}
	in := compiled.Untagged.VIDs()[0]
	add(AsTrunk, where+" was left as a trunk: every other VLAN comes out tagged", leftBehind, func(shape *office.Shape) {
		for _, vlan := range o.VLANs {
			if !slices.Contains(shape.Untagged, vlan.VID) && !slices.Contains(shape.Tagged, vlan.VID) {
				shape.Tagged = append(shape.Tagged, vlan.VID)
			}
		}
		slices.Sort(shape.Tagged)
	})
	if device.Forwarding == office.Routed {
		return
	}
	if vid := beside(net, in, compiled.Tagged.VIDs()...); vid != 0 {
		add(Besides, besidesText(where, vid, in), elsewhere, besides(vid, in))
	}
}

func besidesText(where string, vid, in office.VID) string {
	return fmt.Sprintf("%s is untagged in %d besides %d", where, vid, in)
}

// besides makes a port of a VLAN untagged in another, too.
func besides(vid, in office.VID) func(shape *office.Shape) {
	return func(shape *office.Shape) {
		shape.Untagged = append(slices.Clone(shape.Untagged), vid)
		slices.Sort(shape.Untagged)
		if shape.PVID == 0 {
			shape.PVID = in
		}
		shape.Tagged = slices.DeleteFunc(shape.Tagged, func(other office.VID) bool { return other == vid })
	}
}

// inBesides is a port that is untagged in a second VLAN.
func inBesides(net *span.Net, ref office.PortRef, vid, in office.VID) (Mistake, bool) {
	i := net.Topo.DeviceIndex(ref.Device)
	change := besides(vid, in)
	after := reset(net, i, net.Office.Devices[i].Port(ref.Port), change)
	return Mistake{Text: besidesText(ref.Device+" "+ref.Port, vid, in), Kind: Besides, Port: ref, Device: ref.Device, weight: elsewhere, change: change, after: after}, after != nil
}

// mostOfADesk is how many VLANs come tagged at a port of a desk, for a phone or the like; where
// there are more, it is meant to be a trunk.
const mostOfADesk = 2

// beside is the VLAN next to one in the register that somebody answers in, whom one would
// hear, and that is none of some others: the first behind it, else the first; 0 for none.
func beside(net *span.Net, vid office.VID, not ...office.VID) (first office.VID) {
	not = append(not, vid)
	for _, vlan := range net.Office.VLANs {
		if slices.Contains(not, vlan.VID) || !net.Gateways().First(vlan.VID).Is() {
			continue
		}
		if vlan.VID > vid {
			return vlan.VID
		}
		if first == 0 {
			first = vlan.VID
		}
	}
	return first
}

// nearest is the ports of a front beside one, before and behind it, and the nearest on each
// side that are not used.
func nearest(device *office.Device, port int, used func(q int) bool) []int {
	out := neighbours(device, port)
	for _, step := range []int{1, -1} {
		for at := port + step; at >= 0 && at < len(device.Ports); at += step {
			if device.Ports[at].Kind == device.Ports[port].Kind && device.Ports[at].Bundle == 0 && !used(at) {
				if !slices.Contains(out, at) {
					out = append(out, at)
				}
				break
			}
		}
	}
	return out
}

// neighbours is the ports of a front beside one: before and behind it.
func neighbours(device *office.Device, port int) (out []int) {
	for _, at := range []int{port + 1, port - 1} {
		if at >= 0 && at < len(device.Ports) && device.Ports[at].Kind == device.Ports[port].Kind && device.Ports[at].Kind != office.Inner && device.Ports[at].Kind != office.Bundle && device.Ports[at].Bundle == 0 {
			out = append(out, at)
		}
	}
	return out
}

// ofCables lists each end of a cable that is in the port beside its own, or swapped with the
// cable there, where the two are not set alike.
//
//	> -cable gate.lan1 core.8; cable gate.lan2 core.8
//	at core.1 untagged: 10.61.110.1 is to answer ping, and does not
//	at core.1 [140]: 10.61.140.1 is to answer ping, and does not
//	at core.2 untagged: 10.61.110.1 is to answer ping, and does not
//	at core.2 [140]: 10.61.140.1 is to answer ping, and does not
//	at core.3 untagged: 10.61.110.1 is to answer ping, and does not
//	at core.3 [140]: 10.61.140.1 is to answer ping, and does not
//	at core.4 untagged: 10.61.160.1 is to answer ping, and does not
//	at core.5 untagged: 10.61.190.1 is to answer ping, and does not
//	at floor.1 untagged: 10.61.110.1 is to answer ping, and does not
//	at floor.1 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.2 untagged: 10.61.110.1 is to answer ping, and does not
//	at floor.2 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.3 untagged: 10.61.110.1 is to answer ping, and does not
//	at floor.3 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.4 untagged: 10.61.110.1 is to answer ping, and does not
//	at floor.4 [140]: 10.61.140.1 is to answer ping, and does not
//	at floor.5 untagged: 10.61.160.1 is to answer ping, and does not
//	so: core 8 is as from the factory: untagged in 1, no tags, or gate lan1 is shut, or core 8
//	    is shut, or the cable of core 8 is in 6
//	so: the cable of gate lan1 is in lan2, or the cable of gate lan1 is in wan
func ofCables(net *span.Net) (out []Mistake) {
	o := net.Office
	used := map[office.PortRef]bool{}
	for _, cable := range o.Cables {
		used[cable.A], used[cable.B] = true, true
	}
	add := func(kind Kind, device *office.Device, p, q int, text string) {
		ref, other := office.PortRef{Device: device.Name, Port: device.Ports[p].Name}, office.PortRef{Device: device.Name, Port: device.Ports[q].Name}
		recast := func(o *office.Office) *office.Office { return recabled(o, ref, other) }
		out = append(out, Mistake{Text: text, Kind: kind, Port: ref, Device: device.Name, weight: leftBehind, stands: true, recast: recast, after: recast(o)})
	}
	for i, device := range o.Devices {
		for port := range device.Ports {
			ref := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
			if !used[ref] || device.Ports[port].Kind == office.Inner || device.Ports[port].Bundle > 0 {
				continue
			}
			swapped := false
			for _, at := range nearest(device, port, func(at int) bool { return used[office.PortRef{Device: device.Name, Port: device.Ports[at].Name}] }) {
				other := office.PortRef{Device: device.Name, Port: device.Ports[at].Name}
				switch {
				case sameSet(net, i, port, at):
				case used[other]:
					if at > port {
						add(Swapped, device, port, at, fmt.Sprintf("the cables in %s %s and %s are swapped", device.Name, ref.Port, other.Port))
						swapped = true
					}
				default:
					add(NextPort, device, port, at, fmt.Sprintf("the cable of %s %s is in %s", device.Name, ref.Port, other.Port))
				}
			}
			if swapped {
				continue
			}
			for at := port + 1; at < len(device.Ports); at++ { // the next cable, where none is beside it
				other := office.PortRef{Device: device.Name, Port: device.Ports[at].Name}
				if used[other] && device.Ports[at].Kind == device.Ports[port].Kind && device.Ports[at].Bundle == 0 {
					if !sameSet(net, i, port, at) && at > port+1 {
						add(Swapped, device, port, at, fmt.Sprintf("the cables in %s %s and %s are swapped", device.Name, ref.Port, other.Port))
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
func sameSet(net *span.Net, i, port, at int) bool {
	return samePort(net.Tables[i].Ports[port], net.Tables[i].Ports[at])
}

// recabled is an office with the cables of two ports exchanged, or the one that there is moved.
func recabled(o *office.Office, a, b office.PortRef) *office.Office {
	out := *o
	out.Cables = slices.Clone(o.Cables)
	other := func(ref office.PortRef) office.PortRef {
		switch ref {
		case a:
			return b
		case b:
			return a
		}
		return ref
	}
	for k := range out.Cables {
		cable := &out.Cables[k]
		cable.A, cable.B = other(cable.A), other(cable.B)
	}
	return &out
}

// ofPlugs lists each plug with an address that hangs in the port beside its own, or is swapped
// with what hangs there: nobody answers for those without, so nobody would notice.
//
//	> floor 1: 160
//	at floor.1 untagged: 10.61.160.1 hands out addresses from 10.61.160.20 to 10.61.160.250,
//	    and is not to; 10.61.110.1 is to answer ping, and does not; 10.61.110.20 is to answer
//	    ping, and does not
//	at floor.1 [140]: 10.61.140.1 is to answer ping, and does not
//	so: floor 1 lacks 140 and floor 1 is in 160, and is to be in 110
func ofPlugs(net *span.Net) (out []Mistake) {
	o := net.Office
	for k := range o.Plugs {
		plug := &o.Plugs[k]
		i := net.Topo.DeviceIndex(plug.Port.Device)
		if !plug.At.IsValid() || plug.Operator || i < 0 {
			continue
		}
		device := o.Devices[i]
		port := device.Port(plug.Port.Port)
		if port < 0 || device.Ports[port].Kind == office.Inner || device.Ports[port].Bundle > 0 {
			continue
		}
		for _, at := range neighbours(device, port) {
			if sameSet(net, i, port, at) || len(net.Topo.LinksAt(i, at)) > 0 {
				continue
			}
			ref := office.PortRef{Device: device.Name, Port: device.Ports[at].Name}
			recast := func(o *office.Office) *office.Office {
				out := *o
				out.Plugs = slices.Clone(o.Plugs)
				for k := range out.Plugs {
					switch other := &out.Plugs[k]; {
					case other.At == plug.At && other.Port == plug.Port:
						other.Port = ref
					case other.Port == ref:
						other.Port = plug.Port
					}
				}
				return &out
			}
			text := fmt.Sprintf("%s hangs at %s %s instead of %s", called(plug), ref.Device, ref.Port, plug.Port.Port)
			if other := slices.IndexFunc(o.Plugs, func(one office.Plug) bool { return one.Port == ref }); other >= 0 {
				text = fmt.Sprintf("%s at %s %s and %s at %s are swapped", called(plug), ref.Device, plug.Port.Port, called(&o.Plugs[other]), ref.Port)
			}
			out = append(out, Mistake{Text: text, Kind: PlugNext, Port: plug.Port, Device: device.Name, weight: leftBehind, stands: true, recast: recast, after: recast(o)})
		}
	}
	return out
}

// called is a plug by its name, or its address.
func called(plug *office.Plug) string {
	if plug.Name != "" {
		return plug.Name
	}
	return plug.At.String()
}

// ofManagement lists a device's management missing, and left in VLAN 1.
func ofManagement(net *span.Net, i int) (out []Mistake) {
	device := net.Office.Devices[i]
	manage := device.Manage
	if manage == nil || device.Forwarding == office.Routed || slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == manage.VID }) {
		return nil
	}
	missing := onDevice(net.Office, i, Managed, fmt.Sprintf("is not managed in %d", manage.VID), func(other *office.Device) { other.Manage = nil })
	missing.stands = true
	out = append(out, missing)
	for _, vid := range []office.VID{office.DefaultVID, beside(net, manage.VID)} {
		if vid == 0 || vid == manage.VID {
			continue
		}
		elsewhere := onDevice(net.Office, i, Managed, fmt.Sprintf("is managed in %d, and is to be in %d", vid, manage.VID), func(one *office.Device) {
			if one.Manage == nil {
				return // not managed at all, and that says more
			}
			other := *one.Manage
			other.VID = vid
			one.Manage = &other
		})
		elsewhere.stands, elsewhere.weight = true, leftBehind
		out = append(out, elsewhere)
	}
	return out
}
