package command

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// doRetire reads: retire VLAN.
func doRetire(net *span.Net, args *args) (*Result, error) {
	vid := args.vlan()
	if !args.done() {
		return nil, nil
	}
	return Retire(net, vid)
}

// Retire takes a VLAN off every port, out of uses, plans, rules and wishes, its addresses away
// and itself out of the register. Plugs that want it stay where they are, as
// the things do. It is refused while a device is managed in it.
//
//	> retire 160
//	core 4: -
//	floor 5: -
//	-gate rule 1
//	gate rule 1 allow zone staff to outside
//	-gate address 160 10.61.160.1/24
//	-vlan 160
//	# the address 10.61.160.1/24 of gate
//	# untagged on core 4
//	# untagged on floor 5
//	# tablet, plugged into floor.5, wants it
func Retire(net *span.Net, vid office.VID) (*Result, error) {
	o := net.Office
	if o.VLAN(vid) == nil && !sits(net, vid) {
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to retire", vid)
	}
	for _, device := range o.Devices {
		if device.Manage != nil && device.Manage.VID == vid {
			return nil, fmt.Errorf("%s is managed in %s: move its management to another VLAN first", device.Name, net.Name(vid))
		}
	}
	draft := office.NewDraft(o)
	var gone office.Set
	gone.Add(vid)
	if err := everyShape(draft, func(shape office.Shape) office.Shape { return shape.Without(&gone) }); err != nil {
		return nil, err
	}
	zones := map[string]bool{} // those of which it is the only VLAN go with it
	for _, device := range o.Devices {
		for _, address := range device.Addresses {
			zones[address.Zone] = zones[address.Zone] || address.VID != vid
		}
	}
	without := func(sides []office.Side) []office.Side {
		return slices.DeleteFunc(slices.Clone(sides), func(side office.Side) bool {
			return side.Kind == office.SideVLAN && side.VID == vid || side.Kind == office.SideZone && !zones[side.Zone]
		})
	}
	if err := everyRule(draft, without); err != nil {
		return nil, err
	}
	if err := everyWish(draft, without); err != nil {
		return nil, err
	}
	for _, device := range slices.Clone(draft.Office().Devices) {
		if slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == vid }) {
			other := device.Clone()
			other.Addresses = slices.DeleteFunc(other.Addresses, func(address office.Address) bool { return address.VID == vid })
			if err := draft.PutDevice(other); err != nil {
				return nil, err
			}
		}
	}
	if o.VLAN(vid) != nil {
		if err := draft.RemoveVLAN(vid); err != nil {
			return nil, err
		}
	}
	next, edit := draft.Done()
	return &Result{Office: next, Edit: edit, Notes: Sits(net, vid)}, nil
}
