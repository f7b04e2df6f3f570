package span

import (
	"fmt"

	"klammer/core/bridge"
	"klammer/core/office"
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
func (n *Net) HandsOut(from office.PortRef, w bridge.Wire) (*HandOut, error) {
	e, err := n.endAt(from)
	if err != nil {
		return nil, err
	}
	dom, why := n.Tables[e.Dev].Ingress(e.Port, w)
	if why != bridge.Passed {
		return &HandOut{Text: fmt.Sprintf("It gets no address: what it sends is dropped at %s, as %s.", from, why)}, nil
	}
	v := dom.VID
	up := n.spread(arriving{e.Dev, e.Port, w})
	handing, lost := 0, ""
	for i, d := range n.Office.Devices {
		for _, a := range d.Addresses {
			if !a.From.IsValid() {
				continue
			}
			if a.VID == v {
				handing++
			}
			at := up.answering(i, a)
			if at == nil {
				if a.VID == v && lost == "" {
					lost = fmt.Sprintf("%s would hand one out, and the question does not get there: %s", d.Name, n.stoppedBefore(up.stops[0], i, a))
				}
				continue
			}
			down := n.spreadFrom(i, a)
			if i == e.Dev || down.out(e, aim{a.VID, w, true}) != nil {
				return &HandOut{d.Name, a.From.String(), a.To.String(),
					fmt.Sprintf("It gets an address from %s, %s to %s in %s.", d.Name, a.From, a.To, n.Name(a.VID))}, nil
			}
			lost = fmt.Sprintf("%s hears the question, and its answer does not come back: %s", d.Name, n.stopped(down.stops[0], e))
		}
	}
	switch {
	case lost != "":
		return &HandOut{Text: "It gets no address. " + lost + "."}, nil
	case handing == 0 && v != 0:
		return &HandOut{Text: fmt.Sprintf("It gets no address: nobody hands one out in %s.", n.Name(v))}, nil
	}
	return &HandOut{Text: "It gets no address: nobody who hands one out hears it."}, nil
}

func (n *Net) endAt(r office.PortRef) (End, error) {
	dev := n.Topo.DeviceIndex(r.Device)
	if dev < 0 {
		return End{}, fmt.Errorf("no device is named %s", r.Device)
	}
	p, err := n.Office.Devices[dev].FindPort(r.Port)
	if err != nil {
		return End{}, err
	}
	return End{Dev: dev, Port: n.Office.Devices[dev].Logical(p)}, nil
}

// JourneyTo follows a frame to a device itself: to an address of its in the
// frame's VLAN, else through a gateway to one in another. With device "" it is
// the gateway of the frame's VLAN, whatever device that is.
func (n *Net) JourneyTo(from office.PortRef, w bridge.Wire, device string) (*Journey, error) {
	e, err := n.endAt(from)
	if err != nil {
		return nil, err
	}
	j := &Journey{}
	start := arriving{e.Dev, e.Port, w}
	if _, why := n.Tables[e.Dev].Ingress(e.Port, w); why != bridge.Passed {
		j.Why = fmt.Sprintf("%s drops it on arrival: %s.", n.ref(e.Dev, e.Port), why)
		return j, nil
	}
	up := n.spread(start)
	own := func(i int) (as []office.Address) {
		d := n.Office.Devices[i]
		as = append(as, d.Addresses...)
		if m := d.Manage; m != nil {
			as = append(as, office.Address{VID: m.VID})
		}
		return as
	}
	lost := ""
	for i, d := range n.Office.Devices {
		if device != "" && d.Name != device {
			continue
		}
		all := own(i)
		if device == "" {
			all = d.Addresses
		}
		for _, a := range all {
			if at := up.answering(i, a); at != nil {
				j.add(n, up, at)
				j.Arrives, j.Wire = true, at.wireIn
				return j.slow(n), nil
			}
			if a.VID == up.stops[0].dom.VID && lost == "" {
				lost = fmt.Sprintf("It does not get to %s: %s.", d.Name, n.stoppedBefore(up.stops[0], i, a))
			}
		}
	}
	if device == "" {
		if j.Why = lost; lost == "" {
			j.Why = fmt.Sprintf("%s has no gateway: no device has an address in it.", n.Name(up.stops[0].dom.VID))
		}
		return j, nil
	}
	to := n.Topo.DeviceIndex(device)
	for i, d := range n.Office.Devices { // through a gateway
		for _, a := range d.Addresses {
			stop := up.answering(i, a)
			if stop == nil {
				continue
			}
			for _, b := range d.Addresses {
				if b.VID == a.VID {
					continue
				}
				down := n.spreadFrom(i, b)
				for _, x := range own(to) {
					if at := down.answering(to, x); at != nil && i != to {
						j.add(n, up, stop)
						g := &j.Steps[len(j.Steps)-1]
						g.Routed = true
						g.Text = fmt.Sprintf("%s takes it at its address %s and routes it from %s to %s", d.Name, a.Prefix.Addr(), n.Name(a.VID), n.Name(b.VID))
						j.add(n, down, at)
						j.Arrives, j.Wire = true, at.wireIn
						return j.slow(n), nil
					}
				}
			}
		}
	}
	if j.Why = lost; lost == "" {
		j.Why = fmt.Sprintf("%s is not reached: it has no address in %s, and no gateway that the frame comes to leads to one that it has.", device, n.Name(up.stops[0].dom.VID))
	}
	return j, nil
}
