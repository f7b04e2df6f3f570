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
	if joined && ownAddress(d, d.Manage.Addr) == nil {
		return nil
	}
	if !joined && x.routed == nil && !x.net.Gateways().First(v).Is() && len(x.net.Office.Devices[dev].Addresses) == 0 {
		return &Stop{Reason: NoGateway, Text: x.net.Name(v) + " has no gateway", rule: -1} // without working anything out
	}
	if x.routed == nil {
		x.routed = New(x.net)
		x.routed.hearing = x.hearing
	}
	from, to := x.routed.At(v, here, at), x.routed.Managed(dev)
	if joined && (len(from.ends) == 0 || len(to.ends) == 0) {
		return nil
	}
	a := x.routed.Ask(from, to, All)
	switch {
	case a.Open != None:
		return nil
	case a.There.Stop != nil:
		return a.There.Stop
	case a.Back.Stop != nil:
		back := *a.Back.Stop
		back.Text = "the answer does not come back: " + back.Text
		return &back
	}
	return &Stop{Reason: Cut, Text: fmt.Sprintf("no way leads from %s to %s", x.net.Name(v), d.Name), rule: -1}
}

// ownAddress is the address of a device that has a number, nil for none.
func ownAddress(d *office.Device, a netip.Addr) *office.Address {
	for i := range d.Addresses {
		if d.Addresses[i].Prefix.Addr() == a {
			return &d.Addresses[i]
		}
	}
	return nil
}
