package office

import (
	"fmt"
	"slices"
	"strings"
)

// NewDevice starts a device that bridges and has no ports yet.
func NewDevice(name string, kind Kind) (*Device, error) {
	if strings.Contains(name, ".") {
		return nil, fmt.Errorf("a device's name has no dot: %q (the dot parts device and port)", name)
	}
	if !slices.Contains(Kinds, kind) {
		return nil, fmt.Errorf("%q is not a kind of device: %s", kind, list(Kinds, string(kind)))
	}
	return &Device{Name: name, Kind: kind}, nil
}

// Grow makes room for n more ports.
func (d *Device) Grow(n int) {
	d.Ports = slices.Grow(d.Ports, n)
	if len(d.Ports) == 0 {
		d.index = make(map[string]int, n)
	}
}

// AddPort adds a port to the front.
func (d *Device) AddPort(name, inside string, speed Speed) error {
	if err := d.free(name); err != nil {
		return err
	}
	at := len(d.Ports)
	if at > 0 && d.Ports[at-1].Kind != Physical {
		at = d.Front()
	}
	d.add(Port{Name: name, Inside: inside, Speed: speed}, at)
	return nil
}

// AddBundle makes one port of several ports of the front, in the order given.
func (d *Device) AddBundle(name string, mode BundleMode, members []string) error {
	if err := d.free(name); err != nil {
		return err
	}
	at, err := d.bundleMembers(name, mode, members)
	if err != nil {
		return err
	}
	port := 0
	for port < len(d.Ports) && d.Ports[port].Kind != Inner {
		port++
	}
	d.add(Port{Name: name, Kind: Bundle, Mode: mode, Members: at}, port)
	return nil
}

// ChangeBundle gives a bundle another mode and other ports; its shape stays.
func (d *Device) ChangeBundle(name string, mode BundleMode, members []string) error {
	at, err := d.bundleMembers(name, mode, members)
	if err != nil {
		return err
	}
	port := &d.Ports[d.Port(name)]
	port.Mode, port.Members = mode, at
	d.sealed = false
	d.Seal()
	return nil
}

// bundleMembers are the ports of a new or changed bundle, by index: at least two of the front, none
// of them in another bundle.
func (d *Device) bundleMembers(name string, mode BundleMode, members []string) ([]int, error) {
	if mode != LACP && mode != Static {
		return nil, FaultOf(OfMode, "%q is not a way to bundle: lacp or static", mode)
	}
	if len(members) < 2 {
		return nil, fmt.Errorf("a bundle has at least two ports, and %s has %d", name, len(members))
	}
	var at []int
	for _, m := range members {
		i, err := d.FrontPort(m)
		if err != nil {
			return nil, err
		}
		for _, port := range d.Ports {
			if port.Kind == Bundle && port.Name != name && slices.Contains(port.Members, i) {
				return nil, fmt.Errorf("port %s is in bundle %s already: a port is in one bundle", m, port.Name)
			}
		}
		if slices.Contains(at, i) {
			return nil, fmt.Errorf("port %s is named twice in bundle %s", m, name)
		}
		if d.Ports[i].Shape != nil {
			return nil, fmt.Errorf("port %s has a shape of its own: set the bundle %s instead", m, name)
		}
		for _, address := range d.Addresses {
			if address.On == m {
				return nil, fmt.Errorf("the address %s is on port %s: remove it first, and give it to the bundle, on %s", address.Prefix, m, name)
			}
		}
		for _, line := range d.Outsides { // the provider's router knows of no bundle
			if line.On == m {
				return nil, fmt.Errorf("the line %s to the outside is on port %s: remove it first, and give it to the bundle, on %s", line.Name, m, name)
			}
		}
		at = append(at, i)
	}
	return at, nil
}

// AddInner adds a port in the device's software.
func (d *Device) AddInner(name string, flavour Flavour, shape *Shape) error {
	if err := d.free(name); err != nil {
		return err
	}
	if !slices.Contains(Flavours, flavour) {
		return FaultOf(OfFlavour, "%q is not a flavour of inner port: %s", flavour, list(Flavours, string(flavour)))
	}
	d.add(Port{Name: name, Kind: Inner, Flavour: flavour, Shape: shape}, len(d.Ports))
	return nil
}

// add puts a port at a place of the front, from 0. At the end the index of names grows by one;
// anywhere else it is dropped, as every port behind has moved.
func (d *Device) add(port Port, at int) {
	d.sealed = false
	if at == len(d.Ports) {
		d.Ports = append(d.Ports, port)
	} else {
		d.Ports = slices.Insert(d.Ports, at, port)
	}
	if at == len(d.Ports)-1 {
		if d.index == nil {
			d.index = map[string]int{}
			for i := range d.Ports {
				d.index[d.Ports[i].Name] = i
			}
		}
		d.index[port.Name] = at
		return
	}
	d.index = nil // places moved: found by looking until the device is sealed
	for i := range d.Ports {
		for j, m := range d.Ports[i].Members {
			if m >= at {
				if j == 0 {
					d.Ports[i].Members = slices.Clone(d.Ports[i].Members)
				}
				d.Ports[i].Members[j]++
			}
		}
	}
}

// free says what is wrong with a port's name that another port of the device has.
func (d *Device) free(name string) error {
	if d.Port(name) >= 0 {
		return FaultOf(OfName, "%s has a port %s already: names of ports, bundles and inner ports are unique in a device", d.Name, name)
	}
	return nil
}

// FindPort finds a port of any kind, with the nearest name in the error.
func (d *Device) FindPort(name string) (int, error) {
	if i := d.Port(name); i >= 0 {
		return i, nil
	}
	var names []string
	for _, port := range d.Ports {
		names = append(names, port.Name)
	}
	return -1, &NoPort{d.Name, fmt.Sprintf("%s has no port %s%s", d.Name, name, hint(name, names, d.frontText()))}
}

// FrontPort finds a port of the front.
func (d *Device) FrontPort(name string) (int, error) {
	i, err := d.FindPort(name)
	if err == nil && d.Ports[i].Kind != Physical {
		return -1, &NoPort{d.Name, fmt.Sprintf("%s.%s is not a port of the front", d.Name, name)}
	}
	return i, err
}

// frontText is "it has 1 to 24": what a front offers, for messages.
func (d *Device) frontText() string {
	if n := d.Front(); n > 1 {
		return fmt.Sprintf("its front has %s to %s", d.Ports[0].Name, d.Ports[n-1].Name)
	} else if n == 1 {
		return "its front has " + d.Ports[0].Name
	}
	return "it has none on its front"
}

// SetShape sets a port that is not a member of a bundle; nil takes away what is
// set on it.
func (d *Device) SetShape(i int, shape *Shape, because string) error {
	if err := d.settable(i); err != nil {
		return err
	}
	d.Ports[i].Shape, d.Ports[i].Because = shape, because
	return nil
}

// settable refuses a shape for a port that is a bundle's: the bundle has the shape of all its
// ports.
func (d *Device) settable(i int) error {
	if d.sealed && d.Ports[i].Bundle == 0 {
		return nil
	}
	for _, port := range d.Ports {
		if port.Kind == Bundle && slices.Contains(port.Members, i) {
			return fmt.Errorf("port %s of %s is in bundle %s: set the bundle, %s %s: …", d.Ports[i].Name, d.Name, port.Name, d.Name, port.Name)
		}
	}
	return nil
}

// AddAddress gives a VLAN an address on the device.
func (d *Device) AddAddress(address Address) error {
	for _, other := range d.Addresses {
		if other.VID == address.VID && other.Prefix == address.Prefix {
			return fmt.Errorf("%s has the address %s for VLAN %d already", d.Name, address.Prefix, address.VID)
		}
	}
	if address.From.IsValid() && address.To.Less(address.From) {
		return fmt.Errorf("the hand-out range runs backwards: %s comes after %s", address.From, address.To)
	}
	if address.From.IsValid() && (address.From.Is4() != address.To.Is4() || address.From.Is4() != address.Prefix.Addr().Is4()) {
		return fmt.Errorf("the hand-out range mixes IPv4 and IPv6: it is of the address's kind")
	}
	if address.On != "" {
		i, err := d.FindPort(address.On)
		if err != nil {
			return err
		}
		if d.Ports[i].Kind == Physical && d.settable(i) != nil {
			return d.settable(i)
		}
	}
	d.Addresses = append(d.Addresses, address)
	return nil
}

// The most letters of a name, and of what is said in a sentence.
const (
	MostName = 100
	MostText = 500
)

// mostNear bounds the names that one is compared with.
const mostNear = 5000

// RemovePorts takes ports of one kind away. A front port in a bundle, and a
// port that an address is on, stay.
func (d *Device) RemovePorts(at []int, kind PortKind) error {
	gone := map[int]bool{}
	for _, i := range at {
		port := &d.Ports[i]
		if port.Kind != kind {
			return fmt.Errorf("%s.%s is another kind of port: ports, bundle and inner each remove their own", d.Name, port.Name)
		}
		for _, other := range d.Ports {
			if slices.Contains(other.Members, i) {
				return fmt.Errorf("port %s is in bundle %s: remove the bundle first", port.Name, other.Name)
			}
		}
		for _, address := range d.Addresses {
			if address.On == port.Name {
				return fmt.Errorf("the address %s is on %s: remove the address first", address.Prefix, port.Name)
			}
		}
		for _, line := range d.Outsides {
			if line.On == port.Name {
				return fmt.Errorf("the line %s to the outside is on %s: remove the line first", line.Name, port.Name)
			}
		}
		gone[i] = true
	}
	moved, kept := make([]int, len(d.Ports)), []Port(nil)
	for i, port := range d.Ports {
		moved[i] = len(kept)
		if !gone[i] {
			kept = append(kept, port)
		}
	}
	for i := range kept {
		ms := slices.Clone(kept[i].Members)
		for j, m := range ms {
			ms[j] = moved[m]
		}
		kept[i].Members = ms
	}
	d.Ports, d.index, d.sealed = kept, nil, false
	d.Seal()
	return nil
}
