package notation

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// Place is what people name when they ask where something goes: a port, a plug
// by its own name, a device, or the gateway.
type Place struct {
	Port    office.PortRef // where it is a port
	Plug    *office.Plug   // where it is a plug: Port is its port
	Device  string         // where it is a device as a whole
	Gateway bool           // whatever device has the address of the frame's VLAN
}

// PlaceOf reads a place as people write it: "north.1", "north 1", "north
// \"Waiting room\"", the name of a plug (any case), the name of a device, "the
// gateway". The error names the nearest.
func PlaceOf(o *office.Office, s string) (Place, error) {
	text := strings.Join(strings.Fields(s), " ")
	switch strings.ToLower(text) {
	case "":
		return Place{}, fmt.Errorf("nothing is named: a port, a plug, a device, or the gateway")
	case "gateway", "the gateway":
		return Place{Gateway: true}, nil
	}
	if ref, err := PortRef(o, text); err == nil {
		return Place{Port: ref}, nil
	}
	if o.Device(text) != nil {
		return Place{Device: text}, nil
	}
	if dev, port, ok := strings.Cut(text, " "); ok && o.Device(dev) != nil {
		if ref, err := PortRef(o, dev+"."+port); err == nil {
			return Place{Port: ref}, nil
		}
	}
	var at []*office.Plug
	for i := range o.Plugs {
		if strings.EqualFold(o.Plugs[i].Name, text) {
			at = append(at, &o.Plugs[i])
		}
	}
	switch len(at) {
	case 1:
		return Place{Port: at[0].Port, Plug: at[0]}, nil
	case 0:
	default:
		return Place{}, fmt.Errorf("%d plugs are named %s, in %s and %s: name the port", len(at), text, at[0].Port, at[1].Port)
	}
	if dev, _, ok := strings.Cut(text, "."); ok && o.Device(dev) != nil {
		_, err := PortRef(o, text)
		return Place{}, err
	}
	if dev, port, ok := strings.Cut(text, " "); ok && o.Device(dev) != nil {
		_, err := PortRef(o, dev+"."+port)
		return Place{}, err
	}
	var names []string
	for _, plug := range o.Plugs {
		names = append(names, plug.Name)
	}
	for _, device := range o.Devices {
		names = append(names, device.Name)
	}
	if n := office.Nearest(text, names); n != "" {
		return Place{}, fmt.Errorf("no port, plug or device is named %s: did you mean %s?", text, n)
	}
	return Place{}, fmt.Errorf("no port, plug or device is named %s: write device.port, or the name of what is plugged in", text)
}
