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
		x := *vlan
		for k := 2; ; k++ {
			if err := draft.PutVLAN(&x); err == nil || k > 9 {
				break
			}
			x.Name = fmt.Sprintf("%.28s-%d", vlan.Name, k)
		}
	}
	for _, g := range u.Grids {
		if !g.Skip {
			u.takeGrid(draft, g)
		}
	}
	for _, c := range u.cables {
		a, errA := u.port(draft.Office(), c.from)
		b, errB := u.port(draft.Office(), c.to)
		switch {
		case errA != nil:
			u.wrong(c.sheet, c.row, 0, "%s", errA)
		case errB != nil:
			u.wrong(c.sheet, c.row, 0, "%s", errB)
		case slices.ContainsFunc(draft.Office().Cables, office.Cable{A: a, B: b}.Same):
		default:
			if err := draft.Connect(office.Cable{A: a, B: b}); err != nil {
				u.wrong(c.sheet, c.row, 0, "%s", err)
			}
		}
	}
	for _, p := range u.plugs {
		at, err := u.port(draft.Office(), p.port)
		vid, _, ok := vlanOf(p.wants)
		switch {
		case err != nil:
			u.wrong(p.sheet, p.row, 0, "%s", err)
		case !ok:
			u.wrong(p.sheet, p.row, 0, "%q is no VLAN that %s could want", p.wants, p.what)
		default:
			plug := office.Plug{Port: at, Name: p.what, Wants: vid, Tagged: strings.HasPrefix(p.how, "tagged"), Operator: strings.Contains(p.how, "operator")}
			if _, text, ok := strings.Cut(p.how, "at "); ok {
				if plug.At, err = netip.ParseAddr(strings.TrimSpace(text)); err != nil {
					u.wrong(p.sheet, p.row, 0, "%q is no address of %s", text, p.what)
					continue
				}
			}
			if slices.Contains(draft.Office().Plugs, plug) {
				continue
			}
			if err := draft.PutPlug(plug); err != nil {
				u.wrong(p.sheet, p.row, 0, "%s", err)
			}
		}
	}
	return draft.Done()
}

// port reads a port as a table of cables or plugs names it; a device may stand
// there by its title.
func (u *Understood) port(o *office.Office, text string) (office.PortRef, error) {
	p, err := notation.PlaceOf(o, text)
	if err == nil && p.Port.Device != "" {
		return p.Port, nil
	}
	for title, name := range u.names {
		if rest, ok := strings.CutPrefix(strings.ToLower(text), title); ok && title != "" {
			if r, err := notation.PortRef(o, name+"."+strings.TrimLeft(rest, " .:")); err == nil {
				return r, nil
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
	for _, c := range grid.cells {
		i := device.Port(c.port)
		if i < 0 {
			continue
		}
		s := says[device.Logical(i)]
		if strings.Contains(c.as, "U") {
			s.Untagged = append(s.Untagged, c.vid)
		}
		if strings.Contains(c.as, "T") {
			s.Tagged = append(s.Tagged, c.vid)
		}
		if strings.Contains(c.as, "P") {
			pvid[device.Logical(i)] = c.vid
		}
	}
	for _, i := range order {
		shape := *says[i]
		if v := pvid[i]; v != 0 {
			shape.PVIDSet, shape.PVID = true, v
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
