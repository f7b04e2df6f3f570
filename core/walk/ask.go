package walk

import (
	"fmt"
	"net/netip"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
	"klammer/core/route"
	"klammer/core/span"
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
func HandsOut(n *span.Net, from office.PortRef, w bridge.Wire) (*HandOut, error) {
	e, err := endAt(n, from)
	if err != nil {
		return nil, err
	}
	dom, why := n.Tables[e.Dev].Ingress(e.Port, w)
	if why != bridge.Passed {
		return &HandOut{Text: fmt.Sprintf("It gets no address: what it sends is dropped at %s, as %s.", from, why)}, nil
	}
	v := dom.VID
	up := spreadIn(n, arriving{e.Dev, e.Port, w})
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
					lost = fmt.Sprintf("%s would hand one out, and the question does not get there: %s", d.Name, stoppedBefore(n, up.stops[0], i, a))
				}
				continue
			}
			down := spreadFrom(n, i, a)
			if i == e.Dev || down.out(e, aim{a.VID, w, true}) != nil {
				return &HandOut{d.Name, a.From.String(), a.To.String(),
					fmt.Sprintf("It gets an address from %s, %s to %s in %s.", d.Name, a.From, a.To, n.Name(a.VID))}, nil
			}
			lost = fmt.Sprintf("%s hears the question, and its answer does not come back: %s", d.Name, stopped(n, down.stops[0], e))
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
func ToDevice(n *span.Net, from office.PortRef, w bridge.Wire, device string) (*Journey, error) {
	e, err := endAt(n, from)
	if err != nil {
		return nil, err
	}
	j := &Journey{}
	start := arriving{e.Dev, e.Port, w}
	if _, why := n.Tables[e.Dev].Ingress(e.Port, w); why != bridge.Passed {
		j.Why = fmt.Sprintf("%s drops it on arrival: %s.", n.RefAt(e.Dev, e.Port), why)
		return j, nil
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
				lost = fmt.Sprintf("It does not get to %s: %s.", d.Name, stoppedBefore(n, up.stops[0], i, a))
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
	routes := route.New(n)
	var goals []route.Goal
	for _, x := range own(to) {
		goals = append(goals, routes.Goals(to, x.VID, x.On, x.Prefix.Addr())...)
	}
	if way, ok := routes.From(placeOf(n, up.stops[0]), false).Way(goals...); ok {
		if last := j.cross(n, up, way); last != nil {
			for _, x := range own(to) {
				if at := last.answering(to, x); at != nil {
					j.add(n, last, at)
					j.Arrives, j.Wire = true, at.wireIn
					return j.slow(n), nil
				}
			}
		}
		j.Steps = nil
	}
	if j.Why = lost; lost == "" {
		j.Why = fmt.Sprintf("%s is not reached: it has no address in %s, and no gateway that the frame comes to leads to one that it has.", device, n.Name(up.stops[0].dom.VID))
	}
	return j, nil
}
