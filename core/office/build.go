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
	n := 0
	for n < len(d.Ports) && d.Ports[n].Kind != Inner {
		n++
	}
	d.add(Port{Name: name, Kind: Bundle, Mode: mode, Members: at}, n)
	return nil
}

// ChangeBundle gives a bundle another mode and other ports; its shape stays.
func (d *Device) ChangeBundle(name string, mode BundleMode, members []string) error {
	at, err := d.bundleMembers(name, mode, members)
	if err != nil {
		return err
	}
	p := &d.Ports[d.Port(name)]
	p.Mode, p.Members = mode, at
	d.sealed = false
	d.Seal()
	return nil
}

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
		for _, p := range d.Ports {
			if p.Kind == Bundle && p.Name != name && slices.Contains(p.Members, i) {
				return nil, fmt.Errorf("port %s is in bundle %s already: a port is in one bundle", m, p.Name)
			}
		}
		if slices.Contains(at, i) {
			return nil, fmt.Errorf("port %s is named twice in bundle %s", m, name)
		}
		if d.Ports[i].Shape != nil {
			return nil, fmt.Errorf("port %s has a shape of its own: set the bundle %s instead", m, name)
		}
		for _, a := range d.Addresses {
			if a.On == m {
				return nil, fmt.Errorf("the address %s is on port %s: remove it first, and give it to the bundle, on %s", a.Prefix, m, name)
			}
		}
		at = append(at, i)
	}
	return at, nil
}

// AddInner adds a port in the device's software.
func (d *Device) AddInner(name string, f Flavour, shape *Shape) error {
	if err := d.free(name); err != nil {
		return err
	}
	if !slices.Contains(Flavours, f) {
		return FaultOf(OfFlavour, "%q is not a flavour of inner port: %s", f, list(Flavours, string(f)))
	}
	d.add(Port{Name: name, Kind: Inner, Flavour: f, Shape: shape}, len(d.Ports))
	return nil
}

func (d *Device) add(p Port, at int) {
	d.sealed = false
	if at == len(d.Ports) {
		d.Ports = append(d.Ports, p)
	} else {
		d.Ports = slices.Insert(d.Ports, at, p)
	}
	if at == len(d.Ports)-1 {
		if d.index == nil {
			d.index = map[string]int{}
			for i := range d.Ports {
				d.index[d.Ports[i].Name] = i
			}
		}
		d.index[p.Name] = at
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
	for _, p := range d.Ports {
		names = append(names, p.Name)
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
func (d *Device) SetShape(i int, s *Shape, because string) error {
	if err := d.settable(i); err != nil {
		return err
	}
	d.Ports[i].Shape, d.Ports[i].Because = s, because
	return nil
}

func (d *Device) settable(i int) error {
	if d.sealed && d.Ports[i].Bundle == 0 {
		return nil
	}
	for _, p := range d.Ports {
		if p.Kind == Bundle && slices.Contains(p.Members, i) {
			return fmt.Errorf("port %s of %s is in bundle %s: set the bundle, %s %s: …", d.Ports[i].Name, d.Name, p.Name, d.Name, p.Name)
		}
	}
	return nil
}

// AddAddress gives a VLAN an address on the device.
func (d *Device) AddAddress(address Address) error {
	for _, b := range d.Addresses {
		if b.VID == address.VID && b.Prefix == address.Prefix {
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
		p := &d.Ports[i]
		if p.Kind != kind {
			return fmt.Errorf("%s.%s is another kind of port: ports, bundle and inner each remove their own", d.Name, p.Name)
		}
		for _, b := range d.Ports {
			if slices.Contains(b.Members, i) {
				return fmt.Errorf("port %s is in bundle %s: remove the bundle first", p.Name, b.Name)
			}
		}
		for _, a := range d.Addresses {
			if a.On == p.Name {
				return fmt.Errorf("the address %s is on %s: remove the address first", a.Prefix, p.Name)
			}
		}
		for _, l := range d.Outsides {
			if l.On == p.Name {
				return fmt.Errorf("the line %s to the outside is on %s: remove the line first", l.Name, p.Name)
			}
		}
		gone[i] = true
	}
	moved, kept := make([]int, len(d.Ports)), []Port(nil)
	for i, p := range d.Ports {
		moved[i] = len(kept)
		if !gone[i] {
			kept = append(kept, p)
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
