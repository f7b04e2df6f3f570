package intake

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// Take is what was understood as a change of an office: the office as it would
// be and the edit that leads there, as one. Into an empty office it makes it.
// What does not fit goes to Trouble, and the rest is taken.
//
// Many branches: VLANs, grids, cables and plugs are taken in this order, each with what
// can be wrong with it.
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
			u.wrong(AboutCable, where{cable.sheet, cable.row, 0}, "%s", errA)
		case errB != nil:
			u.wrong(AboutCable, where{cable.sheet, cable.row, 0}, "%s", errB)
		case slices.ContainsFunc(draft.Office().Cables, office.Cable{A: ref, B: other}.Same):
		default:
			if err := draft.Connect(office.Cable{A: ref, B: other}); err != nil {
				u.wrong(AboutCable, where{cable.sheet, cable.row, 0}, "%s", err)
			}
		}
	}
	for _, one := range u.plugs {
		at, err := u.port(draft.Office(), one.port)
		vid, _, ok := vlanOf(one.wants)
		switch {
		case err != nil:
			u.wrong(AboutPlug, where{one.sheet, one.row, 0}, "%s", err)
		case !ok:
			u.wrong(AboutPlug, where{one.sheet, one.row, 0}, "%q is no VLAN that %s could want", one.wants, one.what)
		default:
			plug := office.Plug{Port: at, Name: one.what, Wants: vid, Tagged: strings.HasPrefix(one.how, "tagged"), Operator: strings.Contains(one.how, "operator")}
			if _, text, ok := strings.Cut(one.how, "at "); ok {
				if plug.At, err = netip.ParseAddr(strings.TrimSpace(text)); err != nil {
					u.wrong(AboutPlug, where{one.sheet, one.row, 0}, "%q is no address of %s", text, one.what)
					continue
				}
			}
			if slices.Contains(draft.Office().Plugs, plug) {
				continue
			}
			if err := draft.PutPlug(plug); err != nil {
				u.wrong(AboutPlug, where{one.sheet, one.row, 0}, "%s", err)
			}
		}
	}
	u.Sort()
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

// gridDevice makes the device that a grid is of, with its ports; nil where it cannot be.
func (u *Understood) gridDevice(draft *office.Draft, grid *Grid) *office.Device {
	fresh, err := office.NewDevice(grid.Device, grid.Kind)
	if err != nil {
		u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s", err)
		return nil
	}
	speeds := map[string]office.Speed{}
	for _, one := range grid.extras {
		if speed, ok := speedOf(one.text); ok && one.what == aSpeed {
			speeds[one.port] = speed
		}
	}
	fresh.Facts.Note = clean(grid.Note)
	for _, p := range grid.Ports {
		if fresh.Port(p) < 0 {
			if err := fresh.AddPort(p, "", speeds[p]); err != nil {
				u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s", err)
			}
		}
	}
	if err := draft.PutDevice(fresh); err != nil {
		u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s", err)
		return nil
	}
	return fresh
}

// takeGrid sets the ports of one grid; a device that is not there is made.
//
// Many branches: what a cell says is put together by port first, as marks of one port
// stand in several rows.
func (u *Understood) takeGrid(draft *office.Draft, grid *Grid) {
	device := draft.Office().Device(grid.Device)
	if device == nil {
		if device = u.gridDevice(draft, grid); device == nil {
			return
		}
	}
	// What the grid says of each port that it names, in full.
	says := map[int]*office.Shape{}
	var order []int
	for _, p := range grid.Ports {
		i := device.Port(p)
		if i < 0 {
			u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s has no port %s", device.Name, p)
			continue
		}
		if i = device.Logical(i); says[i] == nil {
			says[i] = &office.Shape{}
			order = append(order, i)
		}
	}
	for _, port := range grid.all {
		if i := device.Port(port); i >= 0 {
			says[device.Logical(i)].Rest = office.RestAll
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
			if u.same(draft.Office(), device.Name, i, shape.Normal()) {
				continue
			}
			u.wrong(AboutPVID, where{grid.Sheet, grid.Row, 0}, "port %s has several untagged VLANs and no P: its PVID is taken to be none", device.Ports[i].Name)
		}
		shape = shape.Normal()
		if u.same(draft.Office(), device.Name, i, shape) {
			continue
		}
		if shape.Equal(office.Shape{}) && device.Ports[i].Shape == nil {
			continue
		}
		shape = besides(draft.Office(), device, i, shape)
		if err := draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, &shape, device.Ports[i].Because); err != nil {
			u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s", err)
		}
	}
	u.takeExtras(draft, grid)
}

// takeExtras notes of ports what stands beside their VLANs: what hangs there is plugged in,
// where its port gives it one VLAN; a name of another port is a cable; the rest is noted.
//
// Many branches: one a kind of text beside a port.
func (u *Understood) takeExtras(draft *office.Draft, grid *Grid) {
	notes, sockets := map[int][]string{}, map[int]string{}
	for _, one := range grid.extras {
		device := draft.Office().Device(grid.Device)
		i := device.Port(one.port)
		if i < 0 {
			u.wrong(AboutPort, where{grid.Sheet, one.row, one.column}, "%s has no port %s, of which %q is said", device.Name, one.port, short(one.text))
			continue
		}
		at := office.PortRef{Device: device.Name, Port: device.Ports[device.Logical(i)].Name}
		switch one.what {
		case aSpeed:
			if speed, ok := speedOf(one.text); !ok || device.Ports[i].Speed != speed {
				notes[i] = append(notes[i], one.head+": "+one.text)
			}
		case aSocket:
			sockets[i] = clean(one.text)
		case hangs:
			if far, err := u.port(draft.Office(), one.text); err == nil && far.Device != device.Name {
				if u.cabled(draft, grid, one, at, far) {
					continue
				}
			}
			for _, name := range strings.FieldsFunc(one.text, func(c rune) bool { return c == ';' || c == '\n' }) {
				if name = clean(name); name != "" && !plugged(draft, at, name) {
					notes[i] = append(notes[i], one.head+": "+name)
				}
			}
		case aNote:
			notes[i] = append(notes[i], one.text)
		default:
			notes[i] = append(notes[i], one.head+": "+one.text)
		}
	}
	if len(notes)+len(sockets) == 0 {
		return
	}
	device := draft.Office().Device(grid.Device).Clone()
	for i := range device.Ports {
		for word, text := range map[string]string{"note": clean(strings.Join(notes[i], "; ")), "socket": sockets[i]} {
			fact := office.FactNamed(word, office.PortFact)
			if text == "" || fact.In(factsOf(device.Ports[i].Facts)) != "" { // what is noted there stays
				continue
			}
			if facts, err := device.Ports[i].Facts.With(fact, text); err == nil {
				device.Ports[i].Facts = facts
			} else {
				u.wrong(AboutLeft, where{grid.Sheet, grid.Row, 0}, "port %s: %s", device.Ports[i].Name, err)
			}
		}
	}
	if err := draft.PutDevice(device.Seal()); err != nil {
		u.wrong(AboutPort, where{grid.Sheet, grid.Row, 0}, "%s", err)
	}
}

// factsOf is facts to write into, new ones where there are none.
func factsOf(facts *office.Facts) *office.Facts {
	if facts == nil {
		return &office.Facts{}
	}
	return facts
}

// cabled plugs a cable in, where the other row of it did not; false where that cannot be.
func (u *Understood) cabled(draft *office.Draft, grid *Grid, one extra, at, far office.PortRef) bool {
	link := office.Cable{A: at, B: far}
	if slices.ContainsFunc(draft.Office().Cables, link.Same) {
		return true
	}
	if err := draft.Connect(link); err != nil {
		u.wrong(AboutCable, where{grid.Sheet, one.row, one.column}, "%s", err)
		return false
	}
	return true
}

// plugged plugs in what hangs at a port, in the VLAN that comes there without a tag.
//
//	> | Port | Device connected | VLAN |
//	> | core.1 | reception pc | 110 |
//	vlan 110 vlan110
//	device plan-1 switch
//	  ports core.1
//	  core.1: 110
//	  port core.1 note "Device connected: reception pc"
func plugged(draft *office.Draft, at office.PortRef, name string) bool {
	o := draft.Office()
	if slices.ContainsFunc(o.Plugs, func(plug office.Plug) bool { return plug.Port == at && plug.Name == name }) {
		return true
	}
	device := o.Device(at.Device)
	shape, _ := o.Effective(device, device.Port(at.Port))
	vid := shape.PortVID()
	if vid == 0 || shape.Of(vid) != office.Untagged || len(shape.Tagged) > 0 && leadsOn.MatchString(name) || slices.ContainsFunc(o.Cables, func(cable office.Cable) bool { return cable.A == at || cable.B == at }) {
		return false
	}
	return draft.PutPlug(office.Plug{Port: at, Name: name, Wants: vid}) == nil
}

// leadsOn is what people write at a port that leads to another device.
var leadsOn = regexp.MustCompile(`(?i)^(?:to|uplink|downlink|trunk|zu|nach|vers|->|→)(?:\b|\s)`)

// speedOf reads a speed as people write it: 1G, 1000, 1 Gbit/s, 10GbE.
func speedOf(text string) (office.Speed, bool) {
	m := speedText.FindStringSubmatch(strings.ToLower(strings.TrimSpace(text)))
	if m == nil {
		return 0, false
	}
	n, err := strconv.ParseFloat(strings.Replace(m[1], ",", ".", 1), 64)
	if err != nil {
		return 0, false
	}
	if m[2] == "g" {
		n *= 1000
	}
	for _, one := range office.Speeds {
		if float64(one.Speed) == n {
			return one.Speed, true
		}
	}
	return 0, false
}

var speedText = regexp.MustCompile(`^(\d+(?:[.,]\d+)?)\s*(g|m)?(?:b|bit|bps|be|base-?\w*|bit/s|b/s|e)?$`)

// same says whether a port is set to what a grid says of it already: a grid
// shows what all and needed stand for, a use and a plan, and is not taken to
// undo them.
//
//	> | Port | Untagged | Tagged |
//	> | 1-3 | 110 | |
//	> | 3 | 120 | |
//	vlan 110 vlan110
//	vlan 120 vlan120
//	device plan-1 switch
//	  ports 1-3
//	  1-2: 110
//	  3: 110+120 pvid none
//	# row 2, column 0: port 3 has several untagged VLANs and no P: its PVID is taken to be none
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
	if now.PVIDSet && now.PVID == 0 { // a grid has no mark for none
		now.PVIDSet, shape.PVIDSet = false, shape.PVIDSet && shape.PVID != 0
	}
	return now.Normal().Equal(shape)
}

// besides is a shape that a grid says, with what the port has and no grid shows: what it admits,
// whether it filters, the VIDs that VLANs ride under, and that it has no PVID.
func besides(o *office.Office, device *office.Device, port int, shape office.Shape) office.Shape {
	now, _ := o.Effective(device, port)
	if now == nil || now.Off {
		return shape
	}
	shape.Admit, shape.FilterOff = now.Admit, now.FilterOff
	for _, ride := range now.Rides {
		if slices.Contains(shape.Tagged, ride.VLAN) {
			shape.Rides = append(shape.Rides, ride)
		}
	}
	if now.PVIDSet && now.PVID == 0 && !shape.PVIDSet {
		shape.PVIDSet = true
	}
	return shape.Normal()
}
