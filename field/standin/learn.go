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
	for _, plug := range w.net.Office.Plugs {
		mac := plug.MAC
		if mac == "" {
			mac = Card(plug.Name)
		}
		wire := bridge.Untagged
		if plug.Tagged {
			wire = bridge.Wire(plug.Wants)
		}
		way, err := walk.Broadcast(w.net, plug.Port, wire)
		if err != nil {
			continue
		}
		for _, hop := range way.Hops {
			i := w.net.Topo.DeviceIndex(hop.Device)
			device := w.net.Office.Devices[i]
			if p := device.Port(hop.In.Port); hop.Domain.VID != 0 && p >= 0 && !device.Unaware() {
				w.learnt[i] = append(w.learnt[i], card{mac, device.Logical(p), hop.Domain.VID})
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
	o := x.net.net.Office
	device := o.Devices[x.dev]
	for port := range device.Ports {
		ref := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
		_, far, ok := o.CableAt(ref)
		if !ok || device.Ports[port].Kind != office.Physical {
			continue
		}
		other := o.Device(far.Device)
		if other == nil || other.Unaware() {
			continue
		}
		out = append(out, neighbour{port: port, device: other.Name, name: called(&other.Ports[other.Port(far.Port)])})
	}
	for _, plug := range o.Plugs { // what speaks tagged at a desk is a phone
		if port := device.Port(plug.Port.Port); plug.Port.Device == device.Name && port >= 0 && plug.Tagged && device.Ports[port].Kind == office.Physical {
			out = append(out, neighbour{port: port, device: plug.Name, voice: plug.Wants})
		}
	}
	return out
}

// called is what a device calls a port.
func called(port *office.Port) string {
	if port.Inside != "" {
		return port.Inside
	}
	return port.Name
}
