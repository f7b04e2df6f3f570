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
	d := office.NewDraft(o)
	move := func(x netip.Addr) netip.Addr { return x }
	if v := o.VLAN(from); v != nil {
		w := *v
		w.VID = to
		if subnets {
			var old, now []netip.Prefix
			w.Nets = slices.Clone(v.Nets)
			for i, p := range v.Nets {
				if q, ok := showing(o, p, from, to); ok {
					if block(p) != block(q) && !anyway {
						return nil, fmt.Errorf("%s would become %s, which is outside of %s, where it is now: say with subnets anyway if that is meant, or leave the subnets", p, q, block(p))
					}
					old, now, w.Nets[i] = append(old, p), append(now, q), q
					notes = append(notes, fmt.Sprintf("subnet %s becomes %s", p, q))
				} else if finding.ShowsVID(p, from) {
					notes = append(notes, fmt.Sprintf("subnet %s stays: %d cannot stand in it", p, to))
				}
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
		if err := d.RemoveVLAN(from); err != nil {
			return nil, err
		}
		if err := d.PutVLAN(&w); err != nil {
			return nil, err
		}
	}
	swap := func(v office.VID) office.VID {
		if v == from {
			return to
		}
		return v
	}
	if err := everyShape(d, func(s office.Shape) office.Shape {
		s.Untagged, s.Tagged, s.Rides = slices.Clone(s.Untagged), slices.Clone(s.Tagged), slices.Clone(s.Rides)
		for _, vs := range [][]office.VID{s.Untagged, s.Tagged} {
			for i := range vs {
				vs[i] = swap(vs[i])
			}
		}
		for i := range s.Rides {
			s.Rides[i].VLAN = swap(s.Rides[i].VLAN)
		}
		s.PVID = swap(s.PVID)
		return s
	}); err != nil {
		return nil, err
	}
	for i := range d.Office().Devices {
		x := d.Office().Devices[i].Clone()
		touched := false
		for k := range x.Addresses {
			if a := &x.Addresses[k]; a.VID == from {
				a.VID, touched = to, true
				a.Prefix = netip.PrefixFrom(move(a.Prefix.Addr()), a.Prefix.Bits())
				if a.From.IsValid() {
					a.From, a.To = move(a.From), move(a.To)
				}
			}
		}
		if m := x.Manage; m != nil && m.VID == from {
			x.Manage, touched = &office.Manage{VID: to, Addr: m.Addr}, true
			if m.Addr.IsValid() {
				x.Manage.Addr = move(m.Addr)
			}
		}
		if touched {
			if err := d.PutDevice(x); err != nil {
				return nil, err
			}
		}
	}
	for _, p := range slices.Clone(d.Office().Plugs) {
		if p.Wants == from {
			p.Wants = to
			if err := d.PutPlug(p); err != nil {
				return nil, err
			}
		}
	}
	next, e := d.Done()
	r := &Result{Office: next, Edit: e, Notes: notes}
	if v := o.VLAN(from); v != nil && !subnets {
		for _, p := range v.Nets {
			if _, ok := showing(o, p, from, to); ok {
				r.Notes = append(r.Notes, fmt.Sprintf("%s shows the old number: add with subnets to move it along", p))
			}
		}
	}
	return r, nil
}
