package office

import (
	"fmt"
	"slices"
)

// PutService gives services a name, or changes what a name stands for.
func (d *Draft) PutService(s *NamedService) error { return d.putService(s, -1) }

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
	for _, s := range service.Is {
		if s.Protocol == Named || s.Protocol == AnyProtocol {
			return fmt.Errorf("%s cannot stand for %s: a name stands for ping and ports of tcp and udp", service.Name, s)
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
		return slices.ContainsFunc(all, func(s Service) bool { return s.Name == name })
	}
	for _, x := range d.o.Devices {
		for i := range x.Rules {
			if uses(x.Rules[i].Services) {
				return fmt.Errorf("rule %d of %s names the service %s: change the rule first", i+1, x.Name, name)
			}
		}
		for _, a := range x.Addresses {
			if uses(a.Admits) {
				return fmt.Errorf("%s admits the service %s at %s: change that first", x.Name, name, a.Prefix.Addr())
			}
		}
	}
	for _, w := range d.o.Wishes {
		if uses(w.Services) {
			return fmt.Errorf("the wish %s names the service %s: remove the wish first", w, name)
		}
	}
	d.take()
	i := slices.IndexFunc(d.o.Services, func(s *NamedService) bool { return s.Name == name })
	d.note(d.o.Services[i], nil, i)
	d.o.Services = slices.Delete(d.o.Services, i, i+1)
	return nil
}

func (d *Draft) findService(name string) error {
	if d.o.Service(name) != nil {
		return nil
	}
	names := func() (names []string) {
		for _, s := range d.o.Services {
			names = append(names, s.Name)
		}
		return append(names, string(Ping), string(AnyProtocol))
	}
	return FaultOf(OfService, "no service is named %s%s", name, d.hint(name, names, "name it with service "+name+" tcp/PORT"))
}

// CheckServices says whether services are known: a name stands for something.
func (d *Draft) CheckServices(all []Service) error {
	for _, s := range all {
		switch {
		case s.Protocol == Named:
			if err := d.findService(s.Name); err != nil {
				return err
			}
		case (s.Protocol == TCP || s.Protocol == UDP) && (s.First < 1 || s.Last < s.First):
			return FaultOf(OfService, "the ports of %s run backwards or start at 0: write them from 1 to 65535, the lower first", s)
		}
	}
	return nil
}

// CheckSides says whether the sides of a rule or a wish name what is there. A rule
// of a device that is not in the office yet may name its zones; nil for others.
func (d *Draft) CheckSides(sides []Side, coming *Device) error {
	for _, s := range sides {
		switch s.Kind {
		case SideZone:
			if !hasZone(d.o.Devices, s.Zone) && (coming == nil || !coming.HasZone(s.Zone)) {
				return FaultOf(OfSide, "no device has a zone %s%s", s.Zone, d.hint(s.Zone, d.zones, "give an address that zone, as in address 110 10.61.110.1/24 zone "+s.Zone))
			}
		case SideVLAN:
			if _, err := VIDOf(int(s.VID)); err != nil {
				return err
			}
		}
	}
	return nil
}

func hasZone(devices []*Device, zone string) bool {
	return slices.ContainsFunc(devices, func(x *Device) bool { return x.HasZone(zone) })
}

// HasZone says whether an address of the device is in a zone.
func (d *Device) HasZone(zone string) bool {
	return slices.ContainsFunc(d.Addresses, func(a Address) bool { return a.Zone == zone })
}

func (d *Draft) zones() (names []string) {
	for _, x := range d.o.Devices {
		for _, a := range x.Addresses {
			if a.Zone != "" && !slices.Contains(names, a.Zone) {
				names = append(names, a.Zone)
			}
		}
	}
	return names
}

// keepsZones says whether the zones that rules and wishes name are still there
// once a device is another, nil where it goes.
func (d *Draft) keepsZones(was, is *Device) error {
	for _, a := range was.Addresses {
		if a.Zone == "" || is != nil && is.HasZone(a.Zone) {
			continue
		}
		others := slices.DeleteFunc(slices.Clone(d.o.Devices), func(x *Device) bool { return x == was })
		if hasZone(others, a.Zone) {
			continue
		}
		named := func(sides []Side) bool {
			return slices.ContainsFunc(sides, func(s Side) bool { return s.Kind == SideZone && s.Zone == a.Zone })
		}
		if is != nil {
			others = append(others, is)
		}
		for _, x := range others {
			for i := range x.Rules {
				if r := &x.Rules[i]; named(r.From) || named(r.To) {
					return fmt.Errorf("rule %d of %s names the zone %s, which would be gone: change the rule first", i+1, x.Name, a.Zone)
				}
			}
		}
		for _, w := range d.o.Wishes {
			if named(w.From) || named(w.To) {
				return fmt.Errorf("the wish %s names the zone %s, which would be gone: remove the wish first", w, a.Zone)
			}
		}
	}
	return nil
}

// PutWish says what must, or must never, be able to talk to what.
func (d *Draft) PutWish(w *Wish) error { return d.putWish(w, -1) }

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
	if slices.ContainsFunc(d.o.Wishes, func(w *Wish) bool { return w.Key() == key }) {
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
	i := slices.IndexFunc(d.o.Wishes, func(w *Wish) bool { return w.Key() == key })
	if i < 0 {
		names := func() (names []string) {
			for _, w := range d.o.Wishes {
				names = append(names, w.String())
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
	x := d.o.Devices[i]
	if at < 0 || at > len(x.Rules) {
		at = len(x.Rules)
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
	x := d.o.Devices[i]
	if at < 0 || at >= len(x.Rules) {
		return FaultOf(OfPlace, "%s", noRule(x, at+1))
	}
	rule := x.Rules[at]
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
	x := d.o.Devices[i]
	if to < 0 || to >= len(x.Rules) {
		return FaultOf(OfPlace, "%s", noRule(x, to+1))
	}
	if from < 0 || from >= len(x.Rules) {
		return FaultOf(OfPlace, "%s", noRule(x, from+1))
	}
	if from == to {
		return nil
	}
	rule := x.Rules[from]
	if err := d.RemoveRule(device, from); err != nil {
		return err
	}
	return d.PutRule(device, &rule, to)
}

func noRule(x *Device, n int) string {
	switch len(x.Rules) {
	case 0:
		return fmt.Sprintf("%s has no rules", x.Name)
	case 1:
		return fmt.Sprintf("%s has no rule %d: it has one", x.Name, n)
	}
	return fmt.Sprintf("%s has no rule %d: it has 1 to %d", x.Name, n, len(x.Rules))
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
	c := *device
	c.Rules = change(slices.Clone(device.Rules))
	delete(d.mine, device)
	d.o.Devices[i], d.ruled = &c, &c
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
func (d *Device) carriesLine(line Outside, s *Shape) error {
	if s == nil || s.Use == "" && len(s.Untagged)+len(s.Tagged) == 0 && s.Rest == RestNone {
		return nil
	}
	switch {
	case line.VID == 0:
		return fmt.Errorf("port %s of %s has VLANs, and the line %s to the outside needs it for itself: clear the port, or say in which VLAN the line rides", line.On, d.Name, line.Name)
	case s.Use == "" && s.Rest == RestNone && !slices.Contains(s.Tagged, line.VID):
		return fmt.Errorf("port %s of %s does not carry VLAN %d tagged, in which the line %s to the outside rides: add [%d] to it", line.On, d.Name, line.VID, line.Name, line.VID)
	}
	return nil
}

// lineShape is what the lines to the outside on a port make of it where nothing
// is set on it: their VLANs tagged; nil where there are none.
func (d *Device) lineShape(port string) *Shape {
	var s *Shape
	for _, l := range d.Outsides {
		if l.On == port && l.VID != 0 {
			if s == nil {
				s = &Shape{}
			}
			s.Tagged = append(s.Tagged, l.VID)
		}
	}
	if s != nil {
		slices.Sort(s.Tagged)
	}
	return s
}

// checkPolicy says whether what a device has for routing fits together.
func (d *Draft) checkPolicy(x *Device) error {
	if x.State == Stateless && len(x.Outsides) > 0 {
		return fmt.Errorf("%s has a line to the outside and cannot be stateless: answers from there would need rules for every port that asks", x.Name)
	}
	zones := map[VID]string{}
	for _, a := range x.Addresses {
		if err := d.CheckServices(a.Admits); err != nil {
			return err
		}
		if a.Zone == "" {
			continue
		}
		if err := CheckSideName("a zone", a.Zone); err != nil {
			return err
		}
		if was, ok := zones[a.VID]; ok && was != a.Zone {
			return fmt.Errorf("the addresses of VLAN %d on %s are in two zones, %s and %s: an interface is in one", a.VID, x.Name, was, a.Zone)
		}
		zones[a.VID] = a.Zone
	}
	for _, l := range x.Outsides {
		i, err := x.FindPort(l.On)
		if err != nil {
			return fmt.Errorf("the line %s to the outside is on port %s, which would go: remove the line first", l.Name, l.On)
		}
		if err := x.carriesLine(l, x.Ports[i].Shape); err != nil {
			return err
		}
	}
	for _, r := range x.Routes {
		if r.Line != "" && x.Line(r.Line) == nil {
			return fmt.Errorf("the route %s goes over a line that %s has not: remove the route first", r, x.Name)
		}
	}
	for i := range x.Rules {
		if err := d.CheckRule(&x.Rules[i], x); err != nil {
			return err
		}
	}
	return nil
}
