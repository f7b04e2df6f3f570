package intake

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Take is what was understood as a change of an office: the office as it would
// be and the edit that leads there, as one. Into an empty office it makes it.
// What does not fit goes to Trouble, and the rest is taken.
func (u *Understood) Take(into *office.Office) (*office.Office, office.Edit) {
	draft := office.NewDraft(into)
	if u.Exact != nil && len(into.Devices) == 0 && len(into.VLANs) == 0 {
		draft = office.NewDraft(u.Exact)
		made := office.NewDraft(into)
		if u.Exact.Title != "" {
			made.SetTitle(u.Exact.Title)
		}
		if err := made.PutAll(u.Exact); err == nil {
			draft = made
		}
	}
	for _, vlan := range u.VLANs {
		if draft.Office().VLAN(vlan.VID) != nil {
			continue
		}
		other := *vlan
		for k := 2; ; k++ {
			if err := draft.PutVLAN(&other); err == nil || k > 9 {
				break
			}
			other.Name = fmt.Sprintf("%.28s-%d", vlan.Name, k)
		}
	}
	for _, grid := range u.Grids {
		if !grid.Skip {
			u.takeGrid(draft, grid)
		}
	}
	for _, cable := range u.cables {
		ref, errA := u.port(draft.Office(), cable.from)
		other, errB := u.port(draft.Office(), cable.to)
		switch {
		case errA != nil:
			u.wrong(cable.sheet, cable.row, 0, "%s", errA)
		case errB != nil:
			u.wrong(cable.sheet, cable.row, 0, "%s", errB)
		case slices.ContainsFunc(draft.Office().Cables, office.Cable{A: ref, B: other}.Same):
		default:
			if err := draft.Connect(office.Cable{A: ref, B: other}); err != nil {
				u.wrong(cable.sheet, cable.row, 0, "%s", err)
			}
		}
	}
	for _, one := range u.plugs {
		at, err := u.port(draft.Office(), one.port)
		vid, _, ok := vlanOf(one.wants)
		switch {
		case err != nil:
			u.wrong(one.sheet, one.row, 0, "%s", err)
		case !ok:
			u.wrong(one.sheet, one.row, 0, "%q is no VLAN that %s could want", one.wants, one.what)
		default:
			plug := office.Plug{Port: at, Name: one.what, Wants: vid, Tagged: strings.HasPrefix(one.how, "tagged"), Operator: strings.Contains(one.how, "operator")}
			if _, text, ok := strings.Cut(one.how, "at "); ok {
				if plug.At, err = netip.ParseAddr(strings.TrimSpace(text)); err != nil {
					u.wrong(one.sheet, one.row, 0, "%q is no address of %s", text, one.what)
					continue
				}
			}
			if slices.Contains(draft.Office().Plugs, plug) {
				continue
			}
			if err := draft.PutPlug(plug); err != nil {
				u.wrong(one.sheet, one.row, 0, "%s", err)
			}
		}
	}
	return draft.Done()
}

// port reads a port as a table of cables or plugs names it; a device may stand
// there by its title.
func (u *Understood) port(o *office.Office, text string) (office.PortRef, error) {
	place, err := notation.PlaceOf(o, text)
	if err == nil && place.Port.Device != "" {
		return place.Port, nil
	}
	for title, name := range u.names {
		if rest, ok := strings.CutPrefix(strings.ToLower(text), title); ok && title != "" {
			if ref, err := notation.PortRef(o, name+"."+strings.TrimLeft(rest, " .:")); err == nil {
				return ref, nil
			}
		}
	}
	if err == nil {
		err = fmt.Errorf("%q names no port", text)
	}
	return office.PortRef{}, err
}

// takeGrid sets the ports of one grid; a device that is not there is made.
func (u *Understood) takeGrid(draft *office.Draft, grid *Grid) {
	device := draft.Office().Device(grid.Device)
	if device == nil {
		fresh, err := office.NewDevice(grid.Device, grid.Kind)
		if err != nil {
			u.wrong(grid.Sheet, grid.Row, 0, "%s", err)
			return
		}
		for _, p := range grid.Ports {
			if fresh.Port(p) < 0 {
				if err := fresh.AddPort(p, "", 0); err != nil {
					u.wrong(grid.Sheet, grid.Row, 0, "%s", err)
				}
			}
		}
		if err := draft.PutDevice(fresh); err != nil {
			u.wrong(grid.Sheet, grid.Row, 0, "%s", err)
			return
		}
		device = fresh
	}
	// What the grid says of each port that it names, in full.
	says := map[int]*office.Shape{}
	var order []int
	for _, p := range grid.Ports {
		i := device.Port(p)
		if i < 0 {
			u.wrong(grid.Sheet, grid.Row, 0, "%s has no port %s", device.Name, p)
			continue
		}
		if i = device.Logical(i); says[i] == nil {
			says[i] = &office.Shape{}
			order = append(order, i)
		}
	}
	pvid := map[int]office.VID{}
	for _, cell := range grid.cells {
		i := device.Port(cell.port)
		if i < 0 {
			continue
		}
		shape := says[device.Logical(i)]
		if strings.Contains(cell.as, "U") {
			shape.Untagged = append(shape.Untagged, cell.vid)
		}
		if strings.Contains(cell.as, "T") {
			shape.Tagged = append(shape.Tagged, cell.vid)
		}
		if strings.Contains(cell.as, "P") {
			pvid[device.Logical(i)] = cell.vid
		}
	}
	for _, i := range order {
		shape := *says[i]
		if vid := pvid[i]; vid != 0 {
			shape.PVIDSet, shape.PVID = true, vid
		} else if len(shape.Untagged) > 1 {
			shape.PVIDSet = true
			u.wrong(grid.Sheet, grid.Row, 0, "port %s has several untagged VLANs and no P: its PVID is taken to be none", device.Ports[i].Name)
		}
		shape = shape.Normal()
		if u.same(draft.Office(), device.Name, i, shape) {
			continue
		}
		if shape.Equal(office.Shape{}) && device.Ports[i].Shape == nil {
			continue
		}
		if err := draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, &shape, device.Ports[i].Because); err != nil {
			u.wrong(grid.Sheet, grid.Row, 0, "%s", err)
		}
	}
}

// same says whether a port is set to what a grid says of it already: a grid
// shows what all and needed stand for, a use and a plan, and is not taken to
// undo them.
func (u *Understood) same(o *office.Office, device string, port int, shape office.Shape) bool {
	if u.Resolve == nil {
		now, _ := o.Effective(o.Device(device), port)
		return now.Equal(shape)
	}
	now := u.Resolve(o, device, port)
	now.Admit, now.FilterOff, now.Rides, shape.Rides = 0, false, nil, nil
	if now.Off {
		return shape.Equal(office.Shape{})
	}
	return now.Normal().Equal(shape)
}
