package office

import (
	"fmt"
	"slices"
)

// PutService gives services a name, or changes what a name stands for.
func (d *Draft) PutService(named *NamedService) error { return d.putService(named, -1) }

// putService names services. A name stands for ping and ports of tcp and udp, never for another
// name, so that none can stand for itself.
func (d *Draft) putService(service *NamedService, at int) error {
	if err := CheckSideName("a service", service.Name); err != nil {
		return err
	}
	if service.Name == string(Ping) {
		return fmt.Errorf("ping is a service already: give these another name")
	}
	if len(service.Is) == 0 {
		return fmt.Errorf("the service %s stands for nothing: name services, as in service %s tcp/104,tcp/11112", service.Name, service.Name)
	}
	for _, one := range service.Is {
		if one.Protocol == Named || one.Protocol == AnyProtocol {
			return fmt.Errorf("%s cannot stand for %s: a name stands for ping and ports of tcp and udp", service.Name, one)
		}
	}
	d.take()
	all, old, i := putNamed(d.o.Services, service, at, func(a, b *NamedService) bool { return a.Name == b.Name })
	d.o.Services = all
	d.note(orNil(old), service, i)
	return nil
}

// RemoveService removes a name that no rule, wish or address has.
func (d *Draft) RemoveService(name string) error {
	if err := d.findService(name); err != nil {
		return err
	}
	uses := func(all []Service) bool {
		return slices.ContainsFunc(all, func(service Service) bool { return service.Name == name })
	}
	for _, device := range d.o.Devices {
		for i := range device.Rules {
			if uses(device.Rules[i].Services) {
				return fmt.Errorf("rule %d of %s names the service %s: change the rule first", i+1, device.Name, name)
			}
		}
		for _, address := range device.Addresses {
			if uses(address.Admits) {
				return fmt.Errorf("%s admits the service %s at %s: change that first", device.Name, name, address.Prefix.Addr())
			}
		}
	}
	for _, wish := range d.o.Wishes {
		if uses(wish.Services) {
			return fmt.Errorf("the wish %s names the service %s: remove the wish first", wish, name)
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Services, func(named *NamedService) bool { return named.Name == name })
	d.note(d.o.Services[i], nil, i)
	d.o.Services = slices.Delete(d.o.Services, i, i+1)
	return nil
}

// findService refuses a service that nobody named, and names those that are written nearly so.
func (d *Draft) findService(name string) error {
	if d.o.Service(name) != nil {
		return nil
	}
	names := func() (names []string) {
		for _, named := range d.o.Services {
			names = append(names, named.Name)
		}
		return append(names, string(Ping), string(AnyProtocol))
	}
	return FaultOf(OfService, "no service is named %s%s", name, d.hint(name, names, "name it with service "+name+" tcp/PORT"))
}

// CheckServices says whether services are known: a name stands for something.
func (d *Draft) CheckServices(all []Service) error {
	for _, service := range all {
		switch {
		case service.Protocol == Named:
			if err := d.findService(service.Name); err != nil {
				return err
			}
		case (service.Protocol == TCP || service.Protocol == UDP) && (service.First < 1 || service.Last < service.First):
			return FaultOf(OfService, "the ports of %s run backwards or start at 0: write them from 1 to 65535, the lower first", service)
		}
	}
	return nil
}

// CheckSides says whether the sides of a rule or a wish name what is there. A rule
// of a device that is not in the office yet may name its zones; nil for others.
func (d *Draft) CheckSides(sides []Side, coming *Device) error {
	for _, side := range sides {
		switch side.Kind {
		case SideZone:
			if !hasZone(d.o.Devices, side.Zone) && (coming == nil || !coming.HasZone(side.Zone)) {
				return FaultOf(OfSide, "no device has a zone %s%s", side.Zone, d.hint(side.Zone, d.zones, "give an address that zone, as in address 110 10.61.110.1/24 zone "+side.Zone))
			}
		case SideVLAN:
			if _, err := VIDOf(int(side.VID)); err != nil {
				return err
			}
		}
	}
	return nil
}

func hasZone(devices []*Device, zone string) bool {
	return slices.ContainsFunc(devices, func(device *Device) bool { return device.HasZone(zone) })
}

// HasZone says whether an address of the device is in a zone.
func (d *Device) HasZone(zone string) bool {
	return slices.ContainsFunc(d.Addresses, func(address Address) bool { return address.Zone == zone })
}

// zones are those that addresses of any device stand in: a zone is there by being named.
func (d *Draft) zones() (names []string) {
	for _, device := range d.o.Devices {
		for _, address := range device.Addresses {
			if address.Zone != "" && !slices.Contains(names, address.Zone) {
				names = append(names, address.Zone)
			}
		}
	}
	return names
}

// keepsZones says whether the zones that rules and wishes name are still there
// once a device is another, nil where it goes.
func (d *Draft) keepsZones(was, is *Device) error {
	for _, address := range was.Addresses {
		if address.Zone == "" || is != nil && is.HasZone(address.Zone) {
			continue
		}
		others := slices.DeleteFunc(slices.Clone(d.o.Devices), func(device *Device) bool { return device == was })
		if hasZone(others, address.Zone) {
			continue
		}
		named := func(sides []Side) bool {
			return slices.ContainsFunc(sides, func(side Side) bool { return side.Kind == SideZone && side.Zone == address.Zone })
		}
		if is != nil {
			others = append(others, is)
		}
		for _, device := range others {
			for i := range device.Rules {
				if rule := &device.Rules[i]; named(rule.From) || named(rule.To) {
					return fmt.Errorf("rule %d of %s names the zone %s, which would be gone: change the rule first", i+1, device.Name, address.Zone)
				}
			}
		}
		for _, wish := range d.o.Wishes {
			if named(wish.From) || named(wish.To) {
				return fmt.Errorf("the wish %s names the zone %s, which would be gone: remove the wish first", wish, address.Zone)
			}
		}
	}
	return nil
}

// PutWish says what must, or must never, be able to talk to what.
func (d *Draft) PutWish(wish *Wish) error { return d.putWish(wish, -1) }

// putWish adds what must or must never talk, at a place of the list (-1 for the end). Its sides and
// services have to be there, and what is wished already is refused.
func (d *Draft) putWish(wish *Wish, at int) error {
	for _, sides := range [][]Side{wish.From, wish.To} {
		if err := d.CheckSides(sides, nil); err != nil {
			return err
		}
	}
	if err := d.CheckServices(wish.Services); err != nil {
		return err
	}
	key := wish.Key()
	if slices.ContainsFunc(d.o.Wishes, func(other *Wish) bool { return other.Key() == key }) {
		return fmt.Errorf("%s is wished already", wish)
	}
	d.take()
	if at < 0 || at > len(d.o.Wishes) {
		at = len(d.o.Wishes)
	}
	d.note(nil, wish, at)
	d.o.Wishes = slices.Insert(d.o.Wishes, at, wish)
	return nil
}

// RemoveWish takes a wish away.
func (d *Draft) RemoveWish(wish *Wish) error {
	key := wish.Key()
	i := slices.IndexFunc(d.o.Wishes, func(other *Wish) bool { return other.Key() == key })
	if i < 0 {
		names := func() (names []string) {
			for _, other := range d.o.Wishes {
				names = append(names, other.String())
			}
			return names
		}
		return fmt.Errorf("nobody wishes %s%s", wish, d.hint(wish.String(), names, "must and never say what is wished"))
	}
	d.take()
	d.note(d.o.Wishes[i], nil, i)
	d.o.Wishes = slices.Delete(d.o.Wishes, i, i+1)
	return nil
}

// PutRule puts a rule into a device's list before the one at a place, counted
// from 0; at -1 is the end.
func (d *Draft) PutRule(device string, rule *Rule, at int) error {
	i, err := d.findDevice(device)
	if err != nil {
		return err
	}
	if err := d.CheckRule(rule, nil); err != nil {
		return err
	}
	one := d.o.Devices[i]
	if at < 0 || at > len(one.Rules) {
		at = len(one.Rules)
	}
	d.note(nil, RuleAt{device, rule}, at)
	d.rules(i, func(rules []Rule) []Rule { return slices.Insert(rules, at, *rule) })
	return nil
}

// CheckRule says whether a rule names what is there; see [Draft.CheckSides].
func (d *Draft) CheckRule(rule *Rule, coming *Device) error {
	for _, sides := range [][]Side{rule.From, rule.To} {
		if err := d.CheckSides(sides, coming); err != nil {
			return err
		}
	}
	return d.CheckServices(rule.Services)
}

// RemoveRule takes the rule at a place, counted from 0, out of a device's list.
func (d *Draft) RemoveRule(device string, at int) error {
	i, err := d.findDevice(device)
	if err != nil {
		return err
	}
	one := d.o.Devices[i]
	if at < 0 || at >= len(one.Rules) {
		return FaultOf(OfPlace, "%s", noRule(one, at+1))
	}
	rule := one.Rules[at]
	d.note(RuleAt{device, &rule}, nil, at)
	d.rules(i, func(rules []Rule) []Rule { return slices.Delete(rules, at, at+1) })
	return nil
}

// MoveRule takes a rule from one place of a device's list to another.
func (d *Draft) MoveRule(device string, from, to int) error {
	i, err := d.findDevice(device)
	if err != nil {
		return err
	}
	one := d.o.Devices[i]
	if to < 0 || to >= len(one.Rules) {
		return FaultOf(OfPlace, "%s", noRule(one, to+1))
	}
	if from < 0 || from >= len(one.Rules) {
		return FaultOf(OfPlace, "%s", noRule(one, from+1))
	}
	if from == to {
		return nil
	}
	rule := one.Rules[from]
	if err := d.RemoveRule(device, from); err != nil {
		return err
	}
	return d.PutRule(device, &rule, to)
}

// noRule says which numbers the rules of a device have; n counts from 1.
func noRule(device *Device, n int) string {
	switch len(device.Rules) {
	case 0:
		return fmt.Sprintf("%s has no rules", device.Name)
	case 1:
		return fmt.Sprintf("%s has no rule %d: it has one", device.Name, n)
	}
	return fmt.Sprintf("%s has no rule %d: it has 1 to %d", device.Name, n, len(device.Rules))
}

// rules changes the rules of a device; all else of it is shared with the one
// before. A list that the draft made itself is changed where it is.
func (d *Draft) rules(i int, change func([]Rule) []Rule) {
	device := d.o.Devices[i]
	if d.ruled == device && device != nil {
		device.Rules = change(device.Rules)
		return
	}
	if !d.own {
		d.o.Devices = slices.Clone(d.o.Devices)
	}
	other := *device
	other.Rules = change(slices.Clone(device.Rules))
	delete(d.mine, device)
	d.o.Devices[i], d.ruled = &other, &other
}

// AddOutside gives the device a line to the outside.
func (d *Device) AddOutside(line Outside) error {
	if d.Line(line.Name) != nil {
		return FaultOf(OfName, "%s has a line %s to the outside already: two lines of one name cannot be told apart", d.Name, line.Name)
	}
	i, err := d.FindPort(line.On)
	if err != nil {
		return err
	}
	if line.Via.IsValid() && !line.Prefix.IsValid() {
		return fmt.Errorf("%s has a next hop and no address: write both, as in 203.0.113.2/29 via 203.0.113.1, or neither", line.Name)
	}
	if d.Ports[i].Kind == Physical && d.settable(i) != nil {
		return d.settable(i)
	}
	for _, o := range d.Outsides {
		if o.On == line.On && o.VID == line.VID {
			return fmt.Errorf("the line %s is on port %s already: one line a port, or a VLAN of its own for each", o.Name, o.On)
		}
	}
	if err := d.carriesLine(line, d.Ports[i].Shape); err != nil {
		return err
	}
	d.Outsides = append(d.Outsides, line)
	return nil
}

// carriesLine says whether a port that is set to a shape can have a line to the
// outside: it is in no VLAN, or carries the line's.
func (d *Device) carriesLine(line Outside, shape *Shape) error {
	if shape == nil || shape.Use == "" && len(shape.Untagged)+len(shape.Tagged) == 0 && shape.Rest == RestNone {
		return nil
	}
	switch {
	case line.VID == 0:
		return fmt.Errorf("port %s of %s has VLANs, and the line %s to the outside needs it for itself: clear the port, or say in which VLAN the line rides", line.On, d.Name, line.Name)
	case shape.Use == "" && shape.Rest == RestNone && !slices.Contains(shape.Tagged, line.VID):
		return fmt.Errorf("port %s of %s does not carry VLAN %d tagged, in which the line %s to the outside rides: add [%d] to it", line.On, d.Name, line.VID, line.Name, line.VID)
	}
	return nil
}

// lineShape is what the lines to the outside on a port make of it where nothing
// is set on it: their VLANs tagged; nil where there are none.
func (d *Device) lineShape(port string) *Shape {
	var shape *Shape
	for _, line := range d.Outsides {
		if line.On == port && line.VID != 0 {
			if shape == nil {
				shape = &Shape{}
			}
			shape.Tagged = append(shape.Tagged, line.VID)
		}
	}
	if shape != nil {
		slices.Sort(shape.Tagged)
	}
	return shape
}

// checkPolicy says whether what a device has for routing fits together.
func (d *Draft) checkPolicy(device *Device) error {
	if device.State == Stateless && len(device.Outsides) > 0 {
		return fmt.Errorf("%s has a line to the outside and cannot be stateless: answers from there would need rules for every port that asks", device.Name)
	}
	zones := map[VID]string{}
	for _, address := range device.Addresses {
		if err := d.CheckServices(address.Admits); err != nil {
			return err
		}
		if address.Zone == "" {
			continue
		}
		if err := CheckSideName("a zone", address.Zone); err != nil {
			return err
		}
		if was, ok := zones[address.VID]; ok && was != address.Zone {
			return fmt.Errorf("the addresses of VLAN %d on %s are in two zones, %s and %s: an interface is in one", address.VID, device.Name, was, address.Zone)
		}
		zones[address.VID] = address.Zone
	}
	for _, line := range device.Outsides {
		i, err := device.FindPort(line.On)
		if err != nil {
			return fmt.Errorf("the line %s to the outside is on port %s, which would go: remove the line first", line.Name, line.On)
		}
		if err := device.carriesLine(line, device.Ports[i].Shape); err != nil {
			return err
		}
	}
	for _, route := range device.Routes {
		if route.Line != "" && device.Line(route.Line) == nil {
			return fmt.Errorf("the route %s goes over a line that %s has not: remove the route first", route, device.Name)
		}
	}
	for i := range device.Rules {
		if err := d.CheckRule(&device.Rules[i], device); err != nil {
			return err
		}
	}
	return nil
}
