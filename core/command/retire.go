package command

import (
	"fmt"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

func doRetire(n *span.Net, a *args) (*Result, error) {
	v := a.vlan()
	if !a.done() {
		return nil, nil
	}
	return Retire(n, v)
}

// Retire takes a VLAN off every port, out of uses, plans, rules and wishes, its addresses away
// and itself out of the register. Plugs that want it stay where they are, as
// the things do. It is refused while a device is managed in it.
func Retire(n *span.Net, vid office.VID) (*Result, error) {
	o := n.Office
	if o.VLAN(vid) == nil && !sits(n, vid) {
		return nil, fmt.Errorf("VLAN %d is nowhere: there is nothing to retire", vid)
	}
	for _, x := range o.Devices {
		if x.Manage != nil && x.Manage.VID == vid {
			return nil, fmt.Errorf("%s is managed in %s: move its management to another VLAN first", x.Name, n.Name(vid))
		}
	}
	draft := office.NewDraft(o)
	var gone office.Set
	gone.Add(vid)
	if err := everyShape(draft, func(s office.Shape) office.Shape { return s.Without(&gone) }); err != nil {
		return nil, err
	}
	zones := map[string]bool{} // those of which it is the only VLAN go with it
	for _, x := range o.Devices {
		for _, a := range x.Addresses {
			zones[a.Zone] = zones[a.Zone] || a.VID != vid
		}
	}
	without := func(sides []office.Side) []office.Side {
		return slices.DeleteFunc(slices.Clone(sides), func(s office.Side) bool {
			return s.Kind == office.SideVLAN && s.VID == vid || s.Kind == office.SideZone && !zones[s.Zone]
		})
	}
	if err := everyRule(draft, without); err != nil {
		return nil, err
	}
	if err := everyWish(draft, without); err != nil {
		return nil, err
	}
	for _, x := range slices.Clone(draft.Office().Devices) {
		if slices.ContainsFunc(x.Addresses, func(a office.Address) bool { return a.VID == vid }) {
			y := x.Clone()
			y.Addresses = slices.DeleteFunc(y.Addresses, func(a office.Address) bool { return a.VID == vid })
			if err := draft.PutDevice(y); err != nil {
				return nil, err
			}
		}
	}
	if o.VLAN(vid) != nil {
		if err := draft.RemoveVLAN(vid); err != nil {
			return nil, err
		}
	}
	next, e := draft.Done()
	return &Result{Office: next, Edit: e, Notes: Sits(n, vid)}, nil
}
