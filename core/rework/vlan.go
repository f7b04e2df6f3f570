package rework

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"klammer/core/finding"
	"klammer/core/notation"
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

// showing is a subnet with the VID that it shows replaced by another, where
// that can be: 10.61.110.0/24 for 110 becomes 10.61.115.0/24 for 115. Of several
// parts that are the number, the one changes in which the office's other VLANs
// show theirs, else the last that the prefix covers.
func showing(o *office.Office, p netip.Prefix, from, to office.VID) (netip.Prefix, bool) {
	want := strconv.Itoa(int(from))
	parts := finding.Parts(p)
	votes := make([]int, len(parts))
	for _, v := range o.VLANs {
		for _, q := range v.Nets {
			if v.VID == from || q.Addr().Is4() != p.Addr().Is4() {
				continue
			}
			for i, x := range finding.Parts(q) {
				if i < len(votes) && x == strconv.Itoa(int(v.VID)) {
					votes[i]++
				}
			}
		}
	}
	at := -1
	for i, x := range parts {
		if x == want && (at < 0 || votes[i] >= votes[at]) {
			at = i
		}
	}
	if at < 0 {
		return p, false
	}
	all, sep := strings.Split(p.Addr().String(), "."), "."
	if !p.Addr().Is4() {
		all, sep = strings.Split(p.Addr().StringExpanded(), ":"), ":"
	}
	all[at] = strconv.Itoa(int(to))
	q, err := netip.ParseAddr(strings.Join(all, sep))
	if err != nil {
		return p, false // 300 is no number of an IPv4 address
	}
	r := netip.PrefixFrom(q, p.Bits())
	return r, r.Masked() == r
}

// blocks are the ranges that subnets of an office lie in (RFC 1918, RFC 4193,
// RFC 6598, RFC 3927, RFC 4291).
var blocks = func() (out []netip.Prefix) {
	for _, s := range []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "169.254.0.0/16", "127.0.0.0/8", "224.0.0.0/4", "fc00::/7", "fe80::/10", "ff00::/8"} {
		out = append(out, netip.MustParsePrefix(s))
	}
	return out
}()

// block is the range that a subnet lies in, in words where it is a public one.
func block(p netip.Prefix) string {
	for _, b := range blocks {
		if b.Overlaps(p) {
			return b.String()
		}
	}
	return "the public addresses"
}

func letsIn(n *span.Net, dev, port int, v office.VID) bool {
	s, _ := n.Shape(dev, port)
	return n.Office.Devices[dev].Ports[port].Kind == office.Inner && s.Of(v) == office.Tagged && len(s.Tagged) > 1
}

// letIn lists the inner ports whose range of tagged VLANs holds v among others:
// what is let in that may come one day.
func letIn(n *span.Net, v office.VID) (out []string) {
	for i, d := range n.Office.Devices {
		for p := range d.Ports {
			if letsIn(n, i, p, v) {
				out = append(out, d.Name+" "+notation.Ports(d, []int{p}))
			}
		}
	}
	return out
}

// moved is an address with the host part it has in one subnet, in another of
// the same length.
func moved(a netip.Addr, from, to netip.Prefix) netip.Addr {
	b, net := a.AsSlice(), to.Masked().Addr().AsSlice()
	for i := range b {
		keep := byte(0xff)
		switch bits := to.Bits() - 8*i; {
		case bits >= 8:
			keep = 0
		case bits > 0:
			keep = 0xff >> bits
		}
		b[i] = b[i]&keep | net[i]&^keep
	}
	x, _ := netip.AddrFromSlice(b)
	return x
}

// everyShape replaces each shape that is written down: of uses, plans, ports.
func everyShape(d *office.Draft, f func(office.Shape) office.Shape) error {
	change := func(s office.Shape) (office.Shape, bool) {
		t := f(s).Normal()
		return t, !t.Equal(s)
	}
	for _, u := range slices.Clone(d.Office().Uses) {
		if s, ok := change(u.Shape); ok {
			if err := d.PutUse(&office.Use{Name: u.Name, Shape: s}); err != nil {
				return err
			}
		}
	}
	for _, p := range slices.Clone(d.Office().Plans) {
		q, touched := &office.Plan{Name: p.Name, Lines: slices.Clone(p.Lines)}, false
		for i := range q.Lines {
			s, ok := change(q.Lines[i].Shape)
			q.Lines[i].Shape = s
			touched = touched || ok
		}
		if touched {
			if err := d.PutPlan(q); err != nil {
				return err
			}
		}
	}
	for _, x := range slices.Clone(d.Office().Devices) {
		for _, p := range x.Ports {
			if p.Shape == nil {
				continue
			}
			if s, ok := change(*p.Shape); ok {
				if err := d.Set(office.PortRef{Device: x.Name, Port: p.Name}, &s, p.Because); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sits says whether a VLAN stands anywhere: on a port, for an address or a
// device's management, or wanted by a plug.
func sits(n *span.Net, v office.VID) bool { return len(Sits(n, v)) > 0 }

// Sits says in sentences what a VLAN sits on; what [Retire] takes away comes
// first.
func Sits(n *span.Net, v office.VID) []string {
	return sitsBut(n, v, func(int, int) bool { return false })
}

// sitsBut is [Sits] without some ports.
func sitsBut(n *span.Net, v office.VID, without func(dev, port int) bool) []string {
	o := n.Office
	var out []string
	for _, u := range o.Uses {
		if u.Shape.Of(v) != office.NotMember || u.Shape.PortVID() == v {
			out = append(out, fmt.Sprintf("the use %s", u.Name))
		}
	}
	for _, p := range o.Plans {
		if slices.ContainsFunc(p.Lines, func(l office.PlanLine) bool { return l.Shape.Of(v) != office.NotMember || l.Shape.PortVID() == v }) {
			out = append(out, fmt.Sprintf("the port plan %s", p.Name))
		}
	}
	for i, x := range o.Devices {
		var un, tg []int
		for p := range x.Ports {
			if without(i, p) {
				continue
			}
			s, _ := n.Shape(i, p)
			switch s.Of(v) {
			case office.Untagged:
				un = append(un, p)
			case office.Tagged:
				tg = append(tg, p)
			default:
				if s.PortVID() == v {
					un = append(un, p)
				}
			}
		}
		for _, l := range []struct {
			at  []int
			how string
		}{{un, "untagged"}, {tg, "tagged"}} {
			if len(l.at) > 0 {
				out = append(out, fmt.Sprintf("%s on %s %s", l.how, x.Name, notation.Ports(x, l.at)))
			}
		}
		for _, a := range x.Addresses {
			if a.VID == v {
				out = append(out, fmt.Sprintf("the address %s of %s", a.Prefix, x.Name))
			}
		}
	}
	for _, x := range o.Devices {
		if x.Manage != nil && x.Manage.VID == v {
			out = append(out, fmt.Sprintf("the management of %s", x.Name))
		}
	}
	for _, p := range o.Plugs {
		if p.Wants == v {
			out = append(out, fmt.Sprintf("%s, plugged into %s, wants it", p.Name, p.Port))
		}
	}
	return out
}

func doRetire(n *span.Net, a *args) (*Result, error) {
	v := a.vlan()
	if !a.done() {
		return nil, nil
	}
	return Retire(n, v)
}

// Retire takes a VLAN off every port, out of uses and plans, its addresses away
// and itself out of the register. Plugs that want it stay where they are, as
// the things do. It is refused while a device is managed in it.
func Retire(n *span.Net, v office.VID) (*Result, error) {
	o := n.Office
	if o.VLAN(v) == nil && !sits(n, v) {
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to retire", v)
	}
	for _, x := range o.Devices {
		if x.Manage != nil && x.Manage.VID == v {
			return nil, fmt.Errorf("%s is managed in %s: move its management to another VLAN first", x.Name, n.Name(v))
		}
	}
	d := office.NewDraft(o)
	var gone office.Set
	gone.Add(v)
	if err := everyShape(d, func(s office.Shape) office.Shape { return s.Without(&gone) }); err != nil {
		return nil, err
	}
	for _, x := range slices.Clone(d.Office().Devices) {
		if slices.ContainsFunc(x.Addresses, func(a office.Address) bool { return a.VID == v }) {
			y := x.Clone()
			y.Addresses = slices.DeleteFunc(y.Addresses, func(a office.Address) bool { return a.VID == v })
			if err := d.PutDevice(y); err != nil {
				return nil, err
			}
		}
	}
	if o.VLAN(v) != nil {
		if err := d.RemoveVLAN(v); err != nil {
			return nil, err
		}
	}
	next, e := d.Done()
	return &Result{Office: next, Edit: e, Notes: Sits(n, v)}, nil
}
