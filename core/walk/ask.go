package walk

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/talk"
)

// HandOut is who answers a frame that asks for an address.
type HandOut struct {
	Device   string
	From, To string // the range; "" where none answers
	Text     string
}

// HandsOut says whether what is at a port gets an address: which device hands
// one out in the VLAN that its frames join, whether the question gets there, and
// whether the answer comes back to the port in the form in which it was asked.
//
//	> walk floor.5
//	floor.5 untagged: it has no VLAN of its own, so at floor port 5 it joins the PVID, VLAN 160
//	    guests and leaves by 1 port
//	core.7 [160]: core takes it at port 7 into VLAN 160 guests and leaves by 2 ports
//	gate.lan1 [160]: gate takes it at port lan1 into VLAN 160 guests; it ends there, as the
//	    ports do not bridge to each other
func HandsOut(net *span.Net, from office.PortRef, wire bridge.Wire) (*HandOut, error) {
	end, err := endAt(net, from)
	if err != nil {
		return nil, err
	}
	dom, why := net.Tables[end.Dev].Ingress(end.Port, wire)
	if why != bridge.Passed {
		return &HandOut{Text: fmt.Sprintf("It gets no address: what it sends is dropped at %s, as %s.", from, why)}, nil
	}
	vid := dom.VID
	up := spreadIn(net, arriving{end.Dev, end.Port, wire})
	handing, lost := 0, ""
	for i, device := range net.Office.Devices {
		for _, address := range device.Addresses {
			if !address.From.IsValid() {
				continue
			}
			if address.VID == vid {
				handing++
			}
			at := up.answering(i, address)
			if at == nil {
				if address.VID == vid && lost == "" {
					lost = fmt.Sprintf("%s would hand one out, and the question does not get there: %s", device.Name, stoppedBefore(net, up.stops[0], i, address))
				}
				continue
			}
			down := spreadFrom(net, i, address)
			if i == end.Dev || down.out(end, aim{address.VID, wire, true}) != nil {
				return &HandOut{device.Name, address.From.String(), address.To.String(),
					fmt.Sprintf("It gets an address from %s, %s to %s in %s.", device.Name, address.From, address.To, net.Name(address.VID))}, nil
			}
			lost = fmt.Sprintf("%s hears the question, and its answer does not come back: %s", device.Name, stopped(net, down.stops[0], end))
		}
	}
	switch {
	case lost != "":
		return &HandOut{Text: "It gets no address. " + lost + "."}, nil
	case handing == 0 && vid != 0:
		return &HandOut{Text: fmt.Sprintf("It gets no address: nobody hands one out in %s.", net.Name(vid))}, nil
	}
	return &HandOut{Text: "It gets no address: nobody who hands one out hears it."}, nil
}

// endAt finds a port by device and name; a member of a bundle stands for the bundle.
func endAt(net *span.Net, ref office.PortRef) (graph.End, error) {
	dev := net.Topo.DeviceIndex(ref.Device)
	if dev < 0 {
		return graph.End{}, fmt.Errorf("no device is named %s", ref.Device)
	}
	p, err := net.Office.Devices[dev].FindPort(ref.Port)
	if err != nil {
		return graph.End{}, err
	}
	return graph.End{Dev: dev, Port: net.Office.Devices[dev].Logical(p)}, nil
}

// ToDevice follows a frame to a device itself: to an address of its in the
// frame's VLAN, else through gateways to one in another, as package talk lets it. With
// device "" it is the gateway of the frame's VLAN ([office.GatewaysOf]).
func ToDevice(net *span.Net, from office.PortRef, wire bridge.Wire, device string) (*Journey, error) {
	end, err := endAt(net, from)
	if err != nil {
		return nil, err
	}
	journey := &Journey{}
	if _, why := net.Tables[end.Dev].Ingress(end.Port, wire); why != bridge.Passed {
		journey.Why = fmt.Sprintf("%s drops it on arrival: %s.", net.RefAt(end.Dev, end.Port), why)
		return journey, nil
	}
	up := spreadIn(net, arriving{end.Dev, end.Port, wire})
	if device == "" {
		return journey.toGateway(net, up), nil
	}
	return journey.toDevice(net, up, net.Topo.DeviceIndex(device), plugAddr(net, from)), nil
}

// arrive ends a journey at an address of a device.
func (j *Journey) arrive(net *span.Net, sent *spread, at *stop) *Journey {
	j.add(net, sent, at)
	j.Arrives, j.Wire = true, at.wireIn
	return j.slow(net)
}

// toGateway is the way to where hosts of the frame's VLAN send what is for others; in a
// device that knows no tags, of the VLAN whose gateway hears them.
func (j *Journey) toGateway(net *span.Net, up *spread) *Journey {
	other := up.stops[0].dom.VID
	gates := net.Gateways()
	for _, vid := range slices.Sorted(maps.Keys(gates)) {
		for family := range 2 {
			gate := gates.Of(vid, family)
			if !gate.Is() || other != 0 && other != vid {
				continue
			}
			if at := up.answering(gate.Dev, *gate.Address); at != nil {
				return j.arrive(net, up, at)
			}
			if vid == other && j.Why == "" {
				j.Why = fmt.Sprintf("It does not get to %s: %s.", net.Office.Devices[gate.Dev].Name, stoppedBefore(net, up.stops[0], gate.Dev, *gate.Address))
			}
		}
	}
	if j.Why == "" {
		j.Why = fmt.Sprintf("%s has no gateway: no device that routes has an address in it.", net.Name(other))
	}
	return j
}

// toDevice is the way to any address of a device, its management among them.
//
// Many branches: each address may be reached in another way, and the best of what stops it
// is told.
func (j *Journey) toDevice(net *span.Net, up *spread, to int, at netip.Addr) *Journey {
	device, start := net.Office.Devices[to], up.stops[0]
	own := slices.Clone(device.Addresses)
	if manage := device.Manage; manage != nil && !slices.ContainsFunc(own, func(address office.Address) bool { return address.Prefix.Addr() == manage.Addr }) {
		own = append(own, office.Address{VID: manage.VID, Prefix: netip.PrefixFrom(manage.Addr, max(0, manage.Addr.BitLen()))})
	}
	slices.SortStableFunc(own, func(a, b office.Address) int { // in its own VLAN it needs nobody who routes
		return cmp.Compare(btoi(a.VID != start.dom.VID), btoi(b.VID != start.dom.VID))
	})
	talks := talk.New(net)
	src := talks.At(start.dom.VID, []span.Place{placeOf(net, start)}, at)
	var arrived *Journey
	why, rank := "", 0
	lost := func(text string, as int) {
		if as > rank {
			why, rank = text, as
		}
	}
	for _, address := range own {
		here := up.answering(to, address)
		dst := talks.Managed(to)
		if slices.ContainsFunc(device.Addresses, func(other office.Address) bool { return other.Equal(&address) }) {
			dst = talks.Own(address.Prefix.Addr())
		}
		told := talks.Way(src, dst)
		if here != nil && !told.From.IsValid() { // no subnet: nothing decides but where frames go
			return j.arrive(net, up, here)
		}
		sent := up
		if told.Stop == nil && len(told.Way) > 0 {
			sent = j.cross(net, up, told.Way)
		}
		if told.Stop == nil && sent != nil {
			for _, other := range append([]office.Address{address}, own...) { // it takes what is for one of its addresses at any other
				end := sent.answering(to, other)
				if end == nil {
					continue
				}
				if told.Back == nil {
					return j.arrive(net, sent, end)
				}
				if arrived == nil { // another of its addresses may answer
					arrived = (&Journey{Steps: j.Steps, Back: unanswered(told)}).arrive(net, sent, end)
				}
				break
			}
		}
		j.Steps = nil
		switch {
		case told.Stop != nil && told.Stop.Reason != talk.Cut && told.Stop.Reason != talk.NoGateway && told.Stop.Reason != talk.NoHost:
			lost("It does not get there: "+told.Stop.Text+".", 3)
		case address.VID == start.dom.VID && here == nil:
			lost(fmt.Sprintf("It does not get to %s: %s.", device.Name, stoppedBefore(net, start, to, address)), 4)
		case told.From.IsValid() && told.Stop != nil && told.Stop.Reason == talk.Cut:
			lost(whyNotRouted(net, up, told, named(device.Name), func(down *spread) string { return stoppedBefore(net, down.stops[0], to, address) }), 2)
		}
	}
	if arrived != nil {
		return arrived
	}
	if why == "" {
		why = fmt.Sprintf("%s is not reached: it has no address in %s, and no gateway that the frame comes to leads to one that it has.", device.Name, net.Name(start.dom.VID))
	}
	j.Why = why
	return j
}

// btoi counts what is true.
func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// named is a device's name.
type named string

func (s named) String() string { return string(s) }
