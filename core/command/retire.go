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
