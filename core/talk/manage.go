package talk

import (
	"fmt"
	"net/netip"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// Management says, in one office, who reaches the management of which device. One
// goroutine may ask it.
type Management struct {
	net     *span.Net
	hearing *reach.Hearing
	routed  *Map // made where somebody is not in the same span
}

// ManagementIn gives the management of an office.
func ManagementIn(n *span.Net) *Management {
	return &Management{net: n, hearing: reach.In(n)}
}

// Stops says why who stands somewhere in a VLAN, with an address if he has one, does
// not reach a device's management, there and back; nil where he does. In the same part
// of the same VLAN he does, whatever addresses are; else devices that route have to let
// him.
func (x *Management) Stops(v office.VID, here []span.Place, at netip.Addr, dev int) *Stop {
	d := x.net.Office.Devices[dev]
	if d.Manage == nil {
		return &Stop{Device: d.Name, Reason: NoHost, Text: d.Name + " is managed nowhere", rule: -1}
	}
	joined := x.hearing.Both(here, reach.Management(x.net, dev))
	if joined && d.Own(d.Manage.Addr) == nil {
		return nil
	}
	if !joined && x.routed == nil && !x.net.Gateways().First(v).Is() && len(x.net.Office.Devices[dev].Addresses) == 0 {
		return &Stop{Reason: NoGateway, Text: x.net.Name(v) + " has no gateway", rule: -1} // without working anything out
	}
	routed := x.across()
	from, to := routed.At(v, here, at), routed.Managed(dev)
	if joined && (len(from.ends) == 0 || len(to.ends) == 0) {
		return nil
	}
	a := routed.Ask(from, to, All)
	switch {
	case a.Open != None:
		return nil
	case a.There.Stop != nil:
		return a.There.Stop
	case a.Back.Stop != nil:
		back := *a.Back.Stop
		back.Text = "the answer does not come back: " + back.Text
		back.Unanswered = true
		return &back
	}
	return &Stop{Reason: Cut, Text: fmt.Sprintf("no way leads from %s to %s", x.net.Name(v), d.Name), rule: -1}
}

// across is who may talk to whom, worked out once.
func (x *Management) across() *Map {
	if x.routed == nil {
		x.routed = New(x.net)
		x.routed.hearing = x.hearing
	}
	return x.routed
}

// exit is how a management answers who is in another subnet, where it was told.
type exit struct {
	device string
	gate   *stand // nil: by nobody
	why    string // then, why
}

// tells gives a part that is a management's address alone the prefix and the default
// gateway that its device was told; what it was not told is its VLAN's.
func (m *Map) tells(p *Part, d *office.Device) {
	manage := d.Manage
	if manage.Bits > 0 {
		p.net = netip.PrefixFrom(manage.Addr, manage.Bits).Masked()
	}
	if !manage.Alone && !manage.Via.IsValid() {
		return
	}
	p.exit = &exit{device: d.Name}
	switch {
	case manage.Alone:
		p.exit.why = fmt.Sprintf("the management of %s has no default gateway: it answers its own subnet alone", d.Name)
	case p.net.IsValid() && !p.net.Contains(manage.Via):
		p.exit.why = fmt.Sprintf("the default gateway of %s, %s, is outside its subnet %s", d.Name, manage.Via, p.net)
	default:
		for _, r := range m.routers {
			if r == nil {
				continue
			}
			if s := r.owns(manage.Via); s != nil && s.a.VID == manage.VID {
				p.exit.gate = s
			}
		}
		if p.exit.gate == nil {
			p.exit.why = fmt.Sprintf("the default gateway of %s, %s, is on no device in %s", d.Name, manage.Via, m.Name(manage.VID))
		}
	}
}

// Alone says why a device's management answers nobody in another subnet, "" where what
// it was told does not stand in the way: it has no default gateway, or one that is none.
func (x *Management) Alone(dev int) string {
	d := x.net.Office.Devices[dev]
	if d.Manage == nil || !d.Manage.Addr.IsValid() || d.Own(d.Manage.Addr) != nil || !d.Manage.Alone && !d.Manage.Via.IsValid() {
		return ""
	}
	p := &Part{net: d.Manage.Net(x.net.Office.VLAN(d.Manage.VID))}
	x.across().tells(p, d)
	switch g := p.exit.gate; {
	case g == nil:
		return p.exit.why
	case !g.r.routes:
		return fmt.Sprintf("the default gateway of %s, %s, is %s, which does not route", d.Name, d.Manage.Via, g.r.d.Name)
	}
	return ""
}
