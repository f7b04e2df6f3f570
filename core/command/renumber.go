package command

import (
	"fmt"
	"net/netip"
	"slices"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
)

func doRenumber(n *span.Net, a *args) (*Result, error) {
	from := a.vlan()
	t := a.next()
	subnets := a.accept("with")
	if subnets && !a.accept("subnets") {
		a.wrong(a.end, "with what")
	}
	anyway := subnets && a.accept("anyway")
	if !a.done() {
		return nil, nil
	}
	to, err := findVLAN(&office.Office{}, t.text)
	if err != nil {
		return nil, mistake(1, t.at, fmt.Sprintf("%q is not a VID: a whole number from 1 to 4094", t.text))
	}
	return Renumber(n, from, to, subnets, anyway)
}

// Renumber gives a VLAN another VID everywhere: in the register, on ports, in
// uses and plans, for addresses, management and plugs. With subnets, those that
// show the old VID show the new one, and the addresses in them move along; the
// notes say each. Where a subnet would leave the range of addresses that it is
// in (10.0.0.0/8 and the like), it is asked for anyway.
func Renumber(n *span.Net, from, to office.VID, subnets, anyway bool) (*Result, error) {
	o := n.Office
	var notes []string
	switch {
	case from == to:
		return nil, fmt.Errorf("VLAN %d has that number already", from)
	case o.VLAN(from) == nil && !n.Used().Has(from):
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to renumber", from)
	case o.VLAN(to) != nil:
		return nil, fmt.Errorf("%s is there already: two VLANs would become one", n.Name(to))
	}
	if sits := sitsBut(n, to, func(dev, port int) bool { return letsIn(n, dev, port, to) }); len(sits) > 0 {
		return nil, fmt.Errorf("VLAN %d is there already, %s: two VLANs would become one", to, sits[0])
	}
	for _, r := range letIn(n, to) {
		notes = append(notes, fmt.Sprintf("%s lets VLAN %d in by its range: it is in the VLAN from then on", r, to))
	}
	draft := office.NewDraft(o)
	move := func(x netip.Addr) netip.Addr { return x }
	shift := func(p netip.Prefix) netip.Prefix { return p } // of prefixes in its subnets
	if vlan := o.VLAN(from); vlan != nil {
		w := *vlan
		w.VID = to
		if subnets {
			var old, now []netip.Prefix
			w.Nets = slices.Clone(vlan.Nets)
			for i, prefix := range vlan.Nets {
				if q, ok := showing(o, prefix, from, to); ok {
					if block(prefix) != block(q) && !anyway {
						return nil, fmt.Errorf(
							"%s would become %s, which is outside of %s, where it is now: say with subnets anyway if that is meant, or leave the subnets",
							prefix,
							q,
							block(prefix),
						)
					}
					old, now, w.Nets[i] = append(old, prefix), append(now, q), q
					notes = append(notes, fmt.Sprintf("subnet %s becomes %s", prefix, q))
				} else if finding.ShowsVID(prefix, from) {
					notes = append(notes, fmt.Sprintf("subnet %s stays: %d cannot stand in it", prefix, to))
				}
			}
			shift = func(x netip.Prefix) netip.Prefix {
				for i, p := range old {
					if x.IsValid() && x.Bits() >= p.Bits() && p.Contains(x.Addr()) {
						return netip.PrefixFrom(moved(x.Addr(), p, now[i]), x.Bits())
					}
				}
				return x
			}
			move = func(x netip.Addr) netip.Addr {
				for i, p := range old {
					if p.Contains(x) {
						return moved(x, p, now[i])
					}
				}
				return x
			}
		}
		if err := draft.RemoveVLAN(from); err != nil {
			return nil, err
		}
		if err := draft.PutVLAN(&w); err != nil {
			return nil, err
		}
	}
	swap := func(v office.VID) office.VID {
		if v == from {
			return to
		}
		return v
	}
	renumbered := func(shape office.Shape) office.Shape {
		shape.Untagged, shape.Tagged, shape.Rides = slices.Clone(shape.Untagged), slices.Clone(shape.Tagged), slices.Clone(shape.Rides)
		for _, vs := range [][]office.VID{shape.Untagged, shape.Tagged} {
			for i := range vs {
				vs[i] = swap(vs[i])
			}
		}
		for i := range shape.Rides {
			shape.Rides[i].VLAN = swap(shape.Rides[i].VLAN)
		}
		shape.PVID = swap(shape.PVID)
		return shape
	}
	for _, d := range slices.Clone(draft.Office().Devices) { // a line to the outside and its port, in one
		if !slices.ContainsFunc(d.Outsides, func(l office.Outside) bool { return l.VID == from }) {
			continue
		}
		y := d.Clone()
		for i := range y.Outsides {
			y.Outsides[i].VID = swap(y.Outsides[i].VID)
			if s := &y.Ports[y.Port(y.Outsides[i].On)].Shape; *s != nil {
				now := renumbered(**s).Normal()
				*s = &now
			}
		}
		if err := draft.PutDevice(y); err != nil {
			return nil, err
		}
	}
	if err := everyShape(draft, renumbered); err != nil {
		return nil, err
	}
	sides := func(all []office.Side) []office.Side {
		all = slices.Clone(all)
		for i, s := range all {
			if s.Kind == office.SideVLAN {
				all[i].VID = swap(s.VID)
			}
			all[i].Net = shift(s.Net)
		}
		return all
	}
	if err := everyRule(draft, sides); err != nil {
		return nil, err
	}
	if err := everyWish(draft, sides); err != nil {
		return nil, err
	}
	for i := range draft.Office().Devices {
		device := draft.Office().Devices[i].Clone()
		touched := false
		for k, r := range device.Routes {
			if to, via := shift(r.To), r.Via; to != r.To || via.IsValid() && move(via) != via {
				device.Routes[k].To, touched = to, true
				if via.IsValid() {
					device.Routes[k].Via = move(via)
				}
			}
		}
		for k := range device.Addresses {
			if a := &device.Addresses[k]; a.VID == from {
				a.VID, touched = to, true
				a.Prefix = netip.PrefixFrom(move(a.Prefix.Addr()), a.Prefix.Bits())
				if a.From.IsValid() {
					a.From, a.To = move(a.From), move(a.To)
				}
			}
		}
		if m := device.Manage; m != nil && m.VID == from {
			device.Manage, touched = &office.Manage{VID: to, Addr: m.Addr}, true
			if m.Addr.IsValid() {
				device.Manage.Addr = move(m.Addr)
			}
		}
		if touched {
			if err := draft.PutDevice(device); err != nil {
				return nil, err
			}
		}
	}
	for _, p := range slices.Clone(draft.Office().Plugs) {
		if p.Wants == from {
			p.Wants = to
			if p.At.IsValid() {
				p.At = move(p.At)
			}
			if err := draft.PutPlug(p); err != nil {
				return nil, err
			}
		}
	}
	next, e := draft.Done()
	result := &Result{Office: next, Edit: e, Notes: notes}
	if v := o.VLAN(from); v != nil && !subnets {
		for _, p := range v.Nets {
			if _, ok := showing(o, p, from, to); ok {
				result.Notes = append(result.Notes, fmt.Sprintf("%s shows the old number: add with subnets to move it along", p))
			}
		}
	}
	return result, nil
}
