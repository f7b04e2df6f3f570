package walk

import (
	"fmt"
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
func HandsOut(n *span.Net, from office.PortRef, wire bridge.Wire) (*HandOut, error) {
	end, err := endAt(n, from)
	if err != nil {
		return nil, err
	}
	dom, why := n.Tables[end.Dev].Ingress(end.Port, wire)
	if why != bridge.Passed {
		return &HandOut{Text: fmt.Sprintf("It gets no address: what it sends is dropped at %s, as %s.", from, why)}, nil
	}
	vid := dom.VID
	up := spreadIn(n, arriving{end.Dev, end.Port, wire})
	handing, lost := 0, ""
	for i, device := range n.Office.Devices {
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
					lost = fmt.Sprintf("%s would hand one out, and the question does not get there: %s", device.Name, stoppedBefore(n, up.stops[0], i, address))
				}
				continue
			}
			down := spreadFrom(n, i, address)
			if i == end.Dev || down.out(end, aim{address.VID, wire, true}) != nil {
				return &HandOut{device.Name, address.From.String(), address.To.String(),
					fmt.Sprintf("It gets an address from %s, %s to %s in %s.", device.Name, address.From, address.To, n.Name(address.VID))}, nil
			}
			lost = fmt.Sprintf("%s hears the question, and its answer does not come back: %s", device.Name, stopped(n, down.stops[0], end))
		}
	}
	switch {
	case lost != "":
		return &HandOut{Text: "It gets no address. " + lost + "."}, nil
	case handing == 0 && vid != 0:
		return &HandOut{Text: fmt.Sprintf("It gets no address: nobody hands one out in %s.", n.Name(vid))}, nil
	}
	return &HandOut{Text: "It gets no address: nobody who hands one out hears it."}, nil
}

func endAt(n *span.Net, r office.PortRef) (graph.End, error) {
	dev := n.Topo.DeviceIndex(r.Device)
	if dev < 0 {
		return graph.End{}, fmt.Errorf("no device is named %s", r.Device)
	}
	p, err := n.Office.Devices[dev].FindPort(r.Port)
	if err != nil {
		return graph.End{}, err
	}
	return graph.End{Dev: dev, Port: n.Office.Devices[dev].Logical(p)}, nil
}

// ToDevice follows a frame to a device itself: to an address of its in the
// frame's VLAN, else through a gateway to one in another. With device "" it is
// the gateway of the frame's VLAN, whatever device that is.
func ToDevice(n *span.Net, from office.PortRef, wire bridge.Wire, device string) (*Journey, error) {
	end, err := endAt(n, from)
	if err != nil {
		return nil, err
	}
	journey := &Journey{}
	start := arriving{end.Dev, end.Port, wire}
	if _, why := n.Tables[end.Dev].Ingress(end.Port, wire); why != bridge.Passed {
		journey.Why = fmt.Sprintf("%s drops it on arrival: %s.", n.RefAt(end.Dev, end.Port), why)
		return journey, nil
	}
	up := spreadIn(n, start)
	own := func(i int) (as []office.Address) {
		d := n.Office.Devices[i]
		as = append(as, d.Addresses...)
		if m := d.Manage; m != nil {
			as = append(as, office.Address{VID: m.VID, Prefix: netip.PrefixFrom(m.Addr, m.Addr.BitLen())})
		}
		return as
	}
	lost := ""
	for i, dev := range n.Office.Devices {
		if device != "" && dev.Name != device {
			continue
		}
		all := own(i)
		if device == "" {
			all = dev.Addresses
		}
		for _, address := range all {
			if at := up.answering(i, address); at != nil {
				journey.add(n, up, at)
				journey.Arrives, journey.Wire = true, at.wireIn
				return journey.slow(n), nil
			}
			if address.VID == up.stops[0].dom.VID && lost == "" {
				lost = fmt.Sprintf("It does not get to %s: %s.", dev.Name, stoppedBefore(n, up.stops[0], i, address))
			}
		}
	}
	if device == "" {
		if journey.Why = lost; lost == "" {
			journey.Why = fmt.Sprintf("%s has no gateway: no device has an address in it.", n.Name(up.stops[0].dom.VID))
		}
		return journey, nil
	}
	to := n.Topo.DeviceIndex(device)
	m := talk.Lenient(n)
	src := m.At(up.stops[0].dom.VID, []span.Place{placeOf(n, up.stops[0])}, plugAddr(n, from))
	var stop *talk.Stop
	for _, x := range own(to) {
		dst := m.At(x.VID, n.Standing(to, x.VID, x.On), x.Prefix.Addr())
		if x.Prefix.Addr().IsValid() && x.Prefix.Bits() >= 0 && slices.ContainsFunc(n.Office.Devices[to].Addresses, func(a office.Address) bool { return a.Prefix.Addr() == x.Prefix.Addr() }) {
			dst = m.Own(x.Prefix.Addr())
		}
		way, why := m.Way(src, dst)
		if why != nil {
			if stop == nil && why.Reason != talk.NoGateway && why.Reason != talk.NoHost {
				stop = why
			}
			continue
		}
		if last := journey.cross(n, up, way); last != nil {
			for _, x := range own(to) {
				if at := last.answering(to, x); at != nil {
					journey.add(n, last, at)
					journey.Arrives, journey.Wire = true, at.wireIn
					return journey.slow(n), nil
				}
			}
		}
		journey.Steps = nil
	}
	if stop != nil && stop.Reason == talk.ByRule {
		journey.Why = "It does not get there: " + stop.Text + "."
		return journey, nil
	}
	for i, d := range n.Office.Devices { // a gateway takes it, and what it sends on does not get there
		for _, in := range d.Addresses {
			for _, out := range d.Addresses {
				for _, x := range own(to) {
					if lost == "" && i != to && out.VID == x.VID && in.VID != out.VID && up.answering(i, in) != nil {
						down := spreadFrom(n, i, out)
						lost = fmt.Sprintf("%s routes it into %s, and from there it does not get to %s: %s.", d.Name, n.Name(out.VID), device, stoppedBefore(n, down.stops[0], to, x))
					}
				}
			}
		}
	}
	if journey.Why = lost; lost == "" {
		journey.Why = fmt.Sprintf(
			"%s is not reached: it has no address in %s, and no gateway that the frame comes to leads to one that it has.",
			device,
			n.Name(up.stops[0].dom.VID),
		)
	}
	return journey, nil
}
