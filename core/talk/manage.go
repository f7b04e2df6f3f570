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
//
//	> gate allow zone guests to zone devices tcp/443
//	guests gain tcp/443 to devices
func ManagementIn(net *span.Net) *Management {
	return &Management{net: net, hearing: reach.In(net)}
}

// Stops says why who stands somewhere in a VLAN, with an address if he has one, does
// not reach a device's management, there and back; nil where he does. In the same part
// of the same VLAN he does, whatever addresses are; else devices that route have to let
// him.
func (x *Management) Stops(vid office.VID, here []span.Place, at netip.Addr, dev int) *Stop {
	device := x.net.Office.Devices[dev]
	if device.Manage == nil {
		return &Stop{Device: device.Name, Reason: NoHost, Text: device.Name + " is managed nowhere", rule: -1}
	}
	joined := x.hearing.Both(here, reach.Management(x.net, dev))
	if joined && device.Own(device.Manage.Addr) == nil {
		return nil
	}
	if !joined && x.routed == nil && !x.net.Gateways().First(vid).Is() && len(x.net.Office.Devices[dev].Addresses) == 0 {
		return &Stop{Reason: NoGateway, Text: x.net.Name(vid) + " has no gateway", rule: -1} // without working anything out
	}
	routed := x.across()
	from, to := routed.At(vid, here, at), routed.Managed(dev)
	if joined && (len(from.ends) == 0 || len(to.ends) == 0) {
		return nil
	}
	answer := routed.Ask(from, to, All)
	switch {
	case answer.Open != None:
		return nil
	case answer.There.Stop != nil:
		return answer.There.Stop
	case answer.Back.Stop != nil:
		back := *answer.Back.Stop
		back.Text = "the answer does not come back: " + back.Text
		back.Unanswered = true
		return &back
	}
	return &Stop{Reason: Cut, Text: fmt.Sprintf("no way leads from %s to %s", x.net.Name(vid), device.Name), rule: -1}
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
func (m *Map) tells(part *Part, device *office.Device) {
	manage := device.Manage
	if manage.Bits > 0 {
		part.net = netip.PrefixFrom(manage.Addr, manage.Bits).Masked()
	}
	if !manage.Alone && !manage.Via.IsValid() {
		return
	}
	part.exit = &exit{device: device.Name}
	switch {
	case manage.Alone:
		part.exit.why = fmt.Sprintf("the management of %s has no default gateway: it answers its own subnet alone", device.Name)
	case part.net.IsValid() && !part.net.Contains(manage.Via):
		part.exit.why = fmt.Sprintf("the default gateway of %s, %s, is outside its subnet %s", device.Name, manage.Via, part.net)
	default:
		for _, router := range m.routers {
			if router == nil {
				continue
			}
			if own := router.owns(manage.Via); own != nil && own.address.VID == manage.VID {
				part.exit.gate = own
			}
		}
		if part.exit.gate == nil {
			part.exit.why = fmt.Sprintf("the default gateway of %s, %s, is on no device in %s", device.Name, manage.Via, m.Name(manage.VID))
		}
	}
}

// Alone says why a device's management answers nobody in another subnet, "" where what
// it was told does not stand in the way: it has no default gateway, or one that is none.
func (x *Management) Alone(dev int) string {
	device := x.net.Office.Devices[dev]
	if device.Manage == nil || !device.Manage.Addr.IsValid() || device.Own(device.Manage.Addr) != nil || !device.Manage.Alone && !device.Manage.Via.IsValid() {
		return ""
	}
	part := &Part{net: device.Manage.Net(x.net.Office.VLAN(device.Manage.VID))}
	x.across().tells(part, device)
	switch own := part.exit.gate; {
	case own == nil:
		return part.exit.why
	case !own.router.routes:
		return fmt.Sprintf("the default gateway of %s, %s, is %s, which does not route", device.Name, device.Manage.Via, own.router.device.Name)
	}
	return ""
}
