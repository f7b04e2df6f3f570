package standin

import (
	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/walk"
)

// learn sends a frame from everything that is plugged in, as the office forwards now,
// and notes where each device saw its card.
func (w *Network) learn() {
	if !w.stale {
		return
	}
	w.stale = false
	w.learnt = make([][]card, len(w.devices))
	for _, plug := range w.n.Office.Plugs {
		mac := plug.MAC
		if mac == "" {
			mac = Card(plug.Name)
		}
		wire := bridge.Untagged
		if plug.Tagged {
			wire = bridge.Wire(plug.Wants)
		}
		way, err := walk.Broadcast(w.n, plug.Port, wire)
		if err != nil {
			continue
		}
		for _, h := range way.Hops {
			i := w.n.Topo.DeviceIndex(h.Device)
			d := w.n.Office.Devices[i]
			if p := d.Port(h.In.Port); h.Domain.VID != 0 && p >= 0 && !d.Unaware() {
				w.learnt[i] = append(w.learnt[i], card{mac, d.Logical(p), h.Domain.VID})
			}
		}
	}
}

// neighbour is a device that is heard at a port.
type neighbour struct {
	port         int
	device, name string     // and its port
	voice        office.VID // of a phone, tagged; 0 of anything else
}

// neighbours is what a device hears over its cables (IEEE 802.1AB): what the cables
// lead to, where that speaks. Nobody forwards what is said so.
func (x *device) neighbours() (out []neighbour) {
	o := x.net.n.Office
	d := o.Devices[x.i]
	for p := range d.Ports {
		r := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
		_, far, ok := o.CableAt(r)
		if !ok || d.Ports[p].Kind != office.Physical {
			continue
		}
		other := o.Device(far.Device)
		if other == nil || other.Unaware() {
			continue
		}
		out = append(out, neighbour{port: p, device: other.Name, name: called(&other.Ports[other.Port(far.Port)])})
	}
	for _, plug := range o.Plugs { // what speaks tagged at a desk is a phone
		if p := d.Port(plug.Port.Port); plug.Port.Device == d.Name && p >= 0 && plug.Tagged && d.Ports[p].Kind == office.Physical {
			out = append(out, neighbour{port: p, device: plug.Name, voice: plug.Wants})
		}
	}
	return out
}

// called is what a device calls a port.
func called(p *office.Port) string {
	if p.Inside != "" {
		return p.Inside
	}
	return p.Name
}
