package intake

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Take is what was understood as a change of an office: the office as it would
// be and the edit that leads there, as one. Into an empty office it makes it.
// What does not fit goes to Trouble, and the rest is taken.
func (u *Understood) Take(into *office.Office) (*office.Office, office.Edit) {
	d := office.NewDraft(into)
	if u.Exact != nil && len(into.Devices) == 0 && len(into.VLANs) == 0 {
		d = office.NewDraft(u.Exact)
		made := office.NewDraft(into)
		if u.Exact.Title != "" {
			made.SetTitle(u.Exact.Title)
		}
		if err := made.PutAll(u.Exact); err == nil {
			d = made
		}
	}
	for _, v := range u.VLANs {
		if d.Office().VLAN(v.VID) != nil {
			continue
		}
		x := *v
		for k := 2; ; k++ {
			if err := d.PutVLAN(&x); err == nil || k > 9 {
				break
			}
			x.Name = fmt.Sprintf("%.28s-%d", v.Name, k)
		}
	}
	for _, g := range u.Grids {
		if !g.Skip {
			u.takeGrid(d, g)
		}
	}
	for _, c := range u.cables {
		p := strings.Split(c, "\x00")
		a, errA := u.port(d.Office(), p[0])
		b, errB := u.port(d.Office(), p[1])
		row := 0
		_, _ = fmt.Sscan(p[3], &row)
		switch {
		case errA != nil:
			u.wrong(p[2], row, 0, "%s", errA)
		case errB != nil:
			u.wrong(p[2], row, 0, "%s", errB)
		case slices.ContainsFunc(d.Office().Cables, office.Cable{A: a, B: b}.Same):
		default:
			if err := d.Connect(office.Cable{A: a, B: b}); err != nil {
				u.wrong(p[2], row, 0, "%s", err)
			}
		}
	}
	for _, c := range u.plugs {
		p := strings.Split(c, "\x00")
		row := 0
		_, _ = fmt.Sscan(p[5], &row)
		at, err := u.port(d.Office(), p[0])
		v, _, ok := vlanOf(p[2])
		switch {
		case err != nil:
			u.wrong(p[4], row, 0, "%s", err)
		case !ok:
			u.wrong(p[4], row, 0, "%q is no VLAN that %s could want", p[2], p[1])
		default:
			plug := office.Plug{Port: at, Name: p[1], Wants: v, Tagged: strings.HasPrefix(p[3], "tagged"), Operator: strings.Contains(p[3], "operator")}
			if slices.Contains(d.Office().Plugs, plug) {
				continue
			}
			if err := d.PutPlug(plug); err != nil {
				u.wrong(p[4], row, 0, "%s", err)
			}
		}
	}
	return d.Done()
}

// port reads a port as a table of cables or plugs names it; a device may stand
// there by its title.
func (u *Understood) port(o *office.Office, s string) (office.PortRef, error) {
	p, err := notation.PlaceOf(o, s)
	if err == nil && p.Port.Device != "" {
		return p.Port, nil
	}
	for title, name := range u.names {
		if rest, ok := strings.CutPrefix(strings.ToLower(s), title); ok && title != "" {
			if r, err := notation.PortRef(o, name+"."+strings.TrimLeft(rest, " .:")); err == nil {
				return r, nil
			}
		}
	}
	if err == nil {
		err = fmt.Errorf("%q names no port", s)
	}
	return office.PortRef{}, err
}

// takeGrid sets the ports of one grid; a device that is not there is made.
func (u *Understood) takeGrid(d *office.Draft, g *Grid) {
	x := d.Office().Device(g.Device)
	if x == nil {
		fresh, err := office.NewDevice(g.Device, g.Kind)
		if err != nil {
			u.wrong(g.Sheet, g.Row, 0, "%s", err)
			return
		}
		for _, p := range g.Ports {
			if fresh.Port(p) < 0 {
				if err := fresh.AddPort(p, "", 0); err != nil {
					u.wrong(g.Sheet, g.Row, 0, "%s", err)
				}
			}
		}
		if err := d.PutDevice(fresh); err != nil {
			u.wrong(g.Sheet, g.Row, 0, "%s", err)
			return
		}
		x = fresh
	}
	// What the grid says of each port that it names, in full.
	says := map[int]*office.Shape{}
	var order []int
	for _, p := range g.Ports {
		i := x.Port(p)
		if i < 0 {
			u.wrong(g.Sheet, g.Row, 0, "%s has no port %s", x.Name, p)
			continue
		}
		if i = x.Logical(i); says[i] == nil {
			says[i] = &office.Shape{}
			order = append(order, i)
		}
	}
	pvid := map[int]office.VID{}
	for _, c := range g.cells {
		i := x.Port(c.port)
		if i < 0 {
			continue
		}
		s := says[x.Logical(i)]
		if strings.Contains(c.as, "U") {
			s.Untagged = append(s.Untagged, c.vid)
		}
		if strings.Contains(c.as, "T") {
			s.Tagged = append(s.Tagged, c.vid)
		}
		if strings.Contains(c.as, "P") {
			pvid[x.Logical(i)] = c.vid
		}
	}
	for _, i := range order {
		s := *says[i]
		if v := pvid[i]; v != 0 {
			s.PVIDSet, s.PVID = true, v
		} else if len(s.Untagged) > 1 {
			s.PVIDSet = true
			u.wrong(g.Sheet, g.Row, 0, "port %s has several untagged VLANs and no P: its PVID is taken to be none", x.Ports[i].Name)
		}
		s = s.Normal()
		if u.same(d.Office(), x.Name, i, s) {
			continue
		}
		if s.Equal(office.Shape{}) && x.Ports[i].Shape == nil {
			continue
		}
		if err := d.Set(office.PortRef{Device: x.Name, Port: x.Ports[i].Name}, &s, x.Ports[i].Because); err != nil {
			u.wrong(g.Sheet, g.Row, 0, "%s", err)
		}
	}
}

// same says whether a port is set to what a grid says of it already: a grid
// shows what all and needed stand for, a use and a plan, and is not taken to
// undo them.
func (u *Understood) same(o *office.Office, device string, port int, s office.Shape) bool {
	if u.Resolve == nil {
		now, _ := o.Effective(o.Device(device), port)
		return now.Equal(s)
	}
	now := u.Resolve(o, device, port)
	now.Admit, now.FilterOff, now.Rides, s.Rides = 0, false, nil, nil
	if now.Off {
		return s.Equal(office.Shape{})
	}
	return now.Normal().Equal(s)
}
