package standin

import (
	"slices"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field/mib"
)

// asked is what one request asks to be set, by what it is.
type asked struct {
	create, destroy []office.VID
	egress          map[office.VID]map[int]bool // by VLAN: base ports
	untagged        map[office.VID]map[int]bool
	order           []office.VID // of VLANs whose ports are set
	pvid            map[int]office.VID
	admit           map[int]office.Admit
	filter          map[int]bool
	off             map[int]bool
	names           map[office.VID]string
	save            bool
}

// set does one request: all of it or nothing (RFC 3416, 4.2.5). It gives the error
// and which of the objects it is about, from 1.
func (x *device) set(vars []gosnmp.SnmpPDU) (gosnmp.SNMPError, uint8) {
	device := x.net.net.Office.Devices[x.dev]
	if device.Unaware() || x.net.opt.ReadOnly[device.Name] {
		return gosnmp.NotWritable, 1
	}
	if x.net.opt.NoBulk && len(vars) > 1 {
		return gosnmp.GenErr, 1
	}
	one := &asked{egress: map[office.VID]map[int]bool{}, untagged: map[office.VID]map[int]bool{}, pvid: map[int]office.VID{}, admit: map[int]office.Admit{}, filter: map[int]bool{}, off: map[int]bool{}, names: map[office.VID]string{}}
	for i, pdu := range vars {
		if snmperror := x.ask(device, one, pdu); snmperror != gosnmp.NoError {
			return snmperror, uint8(min(i+1, 255))
		}
	}
	for i, pdu := range vars { // a row is there, or is made by the same request
		for _, c := range []string{mib.StaticName, mib.StaticEgress, mib.StaticUntagged, mib.StaticForbidden} {
			if vid, ok := index(pdu.Name, c); ok && !x.running.VLANs.Has(office.VID(vid)) && !slices.Contains(one.create, office.VID(vid)) {
				return gosnmp.InconsistentName, uint8(min(i+1, 255))
			}
		}
	}
	next, other := x.do(device, one, literal(x.running, x.rows))
	if other != gosnmp.NoError {
		return other, 1
	}
	for vid, name := range one.names {
		x.names[vid] = name
	}
	before, rows := x.running, x.rows
	x.rows = rowsOf(x.word, next)
	x.running = spelled(next, before)
	if x.net.take(x) != nil {
		x.running, x.rows = before, rows
		return gosnmp.CommitFailed, 1
	}
	if one.save {
		x.saved, x.savedRows = x.running, x.rows
	}
	return gosnmp.NoError, 0
}

// index is the one number behind a column.
func index(name, column string) (int, bool) {
	oid, c := parse(name), parse(column)
	if len(oid) != len(c)+1 || !slices.Equal(oid[:len(c)], c) {
		return 0, false
	}
	return oid[len(c)], true
}

// whole is the integer that a value is; false for anything else.
func whole(pdu gosnmp.SnmpPDU) (int, bool) {
	n, ok := pdu.Value.(int)
	return n, ok && pdu.Type == gosnmp.Integer
}

// numbered is the port of a base port number.
func numbered(device *office.Device, n int) (int, bool) {
	return n - 1, n >= 1 && n <= len(device.Ports) && base(device, n-1) == n
}

// ask reads one object that is to be set.
func (x *device) ask(device *office.Device, asked *asked, pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	if oid, save := parse(pdu.Name), parse(SaveObject); slices.Equal(oid, save) {
		n, ok := whole(pdu)
		if !ok {
			return gosnmp.WrongType
		}
		asked.save = n == 1
		return gosnmp.NoError
	}
	for _, column := range []string{mib.StaticRowStatus, mib.StaticName, mib.StaticEgress, mib.StaticUntagged, mib.StaticForbidden} {
		if n, ok := index(pdu.Name, column); ok {
			vid, err := office.VIDOf(n)
			if err != nil {
				return gosnmp.NoCreation
			}
			if column == mib.StaticRowStatus {
				return x.askRow(asked, vid, pdu)
			}
			return askVLAN(device, asked, column, vid, pdu)
		}
	}
	for _, column := range []string{mib.PVID, mib.Acceptable, mib.IngressFiltering} {
		if n, ok := index(pdu.Name, column); ok {
			port, ok := numbered(device, n)
			if !ok {
				return gosnmp.NoCreation
			}
			return askPort(asked, column, port, pdu)
		}
	}
	if n, ok := index(pdu.Name, mib.IfAdminStatus); ok && n >= firstIndex && n < firstIndex+len(device.Ports) && device.Ports[n-firstIndex].Bundle == 0 {
		to, ok := whole(pdu)
		switch {
		case !ok:
			return gosnmp.WrongType
		case to != mib.StatusUp && to != mib.StatusDown:
			return gosnmp.WrongValue
		}
		asked.off[n-firstIndex] = to == mib.StatusDown
		return gosnmp.NoError
	}
	if _, ok := at(x.entries(), parse(pdu.Name)); ok {
		return gosnmp.NotWritable
	}
	return gosnmp.NoCreation
}

// askRow makes or removes the row of a VLAN (RFC 2579, RowStatus).
func (x *device) askRow(asked *asked, vid office.VID, pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	to, ok := whole(pdu)
	there := x.running.VLANs.Has(vid)
	switch {
	case !ok:
		return gosnmp.WrongType
	case to == mib.RowCreateAndGo && !there:
		asked.create = append(asked.create, vid)
	case to == mib.RowDestroy:
		if there {
			asked.destroy = append(asked.destroy, vid)
		}
	case to == mib.RowActive && there:
	case to < 1 || to > 6:
		return gosnmp.WrongValue
	default:
		return gosnmp.InconsistentValue
	}
	return gosnmp.NoError
}

// askVLAN sets a VLAN's name or one of its lists of ports.
func askVLAN(device *office.Device, asked *asked, column string, vid office.VID, pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	list, ok := pdu.Value.([]byte)
	if !ok || pdu.Type != gosnmp.OctetString {
		return gosnmp.WrongType
	}
	switch column {
	case mib.StaticName:
		if len(list) > 32 {
			return gosnmp.WrongLength
		}
		asked.names[vid] = string(list)
		return gosnmp.NoError
	case mib.StaticForbidden:
		for _, bits := range list {
			if bits != 0 {
				return gosnmp.InconsistentValue // nothing is forbidden here
			}
		}
		return gosnmp.NoError
	}
	set := map[int]bool{}
	for k, bits := range list {
		for bit := range 8 {
			if bits&(0x80>>bit) == 0 {
				continue
			}
			port, ok := numbered(device, 8*k+bit+1)
			if !ok {
				return gosnmp.WrongValue
			}
			set[port] = true
		}
	}
	if !slices.Contains(asked.order, vid) {
		asked.order = append(asked.order, vid)
	}
	if column == mib.StaticEgress {
		asked.egress[vid] = set
	} else {
		asked.untagged[vid] = set
	}
	return gosnmp.NoError
}

// askPort sets where a port's untagged frames go, what it accepts, and whether it filters.
func askPort(asked *asked, column string, port int, pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	if column == mib.PVID {
		n, ok := pdu.Value.(uint)
		if !ok || pdu.Type != gosnmp.Gauge32 {
			return gosnmp.WrongType
		}
		if n < 1 || n > 4094 { // RFC 4363, dot1qPvid; IEEE 802.1Q, table 9-2
			return gosnmp.WrongValue
		}
		asked.pvid[port] = office.VID(n)
		return gosnmp.NoError
	}
	n, ok := whole(pdu)
	switch {
	case !ok:
		return gosnmp.WrongType
	case column == mib.Acceptable && n >= 1 && n <= 3:
		asked.admit[port] = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[n-1]
	case column == mib.IngressFiltering && (n == mib.True || n == mib.False):
		asked.filter[port] = n == mib.True
	default:
		return gosnmp.WrongValue
	}
	return gosnmp.NoError
}

// do is what the device is set to after a request, with its habits; or why it takes
// nothing of it.
func (x *device) do(device *office.Device, asked *asked, now wording.State) (wording.State, gosnmp.SNMPError) {
	for _, vid := range asked.create {
		next, err := wording.Apply(x.word, now, wording.Step{Op: wording.Create, VLAN: vid})
		if err != nil { // one that keeps no list of VLANs has room for the row
			if !keepsNoList(x.word) {
				return now, gosnmp.ResourceUnavailable
			}
			next = now.Knowing(office.SetOf(vid))
		}
		now = next
	}
	asked.order = slices.DeleteFunc(asked.order, func(vid office.VID) bool { return slices.Contains(asked.destroy, vid) }) // it goes, and all that is in it
	var err error
	if device.Wording.Name == office.ByVLAN {
		now, err = x.byPages(device, now, asked)
	} else {
		now, err = x.atOnce(now, asked)
	}
	if err != nil {
		return now, gosnmp.InconsistentValue
	}
	for _, vid := range asked.destroy {
		next, err := wording.Apply(x.word, now, wording.Step{Op: wording.Delete, VLAN: vid})
		if err != nil {
			if !keepsNoList(x.word) || vid == office.DefaultVID || inUse(now, vid) {
				return now, gosnmp.InconsistentValue
			}
			next = now
			next.VLANs.Remove(vid)
		}
		now = next
	}
	for p, off := range asked.off {
		op := wording.Open
		if off {
			op = wording.Shut
		}
		if now, err = wording.Apply(x.word, now, wording.Step{Op: op, Ports: []int{p}}); err != nil {
			return now, gosnmp.InconsistentValue
		}
	}
	return now, gosnmp.NoError
}

// keepsNoList says whether a device's pages have no list of VLANs.
func keepsNoList(device *wording.Device) bool {
	switch device.WordingName() {
	case string(office.ByVLAN), string(office.ByPort), string(office.ByChoice), string(office.ByGroup):
		return false
	}
	return true
}

func inUse(state wording.State, vid office.VID) bool {
	return slices.ContainsFunc(state.Ports, func(setting wording.Setting) bool {
		return setting.Untagged.Has(vid) || setting.Tagged.Has(vid) || setting.PVID == vid
	})
}

// members is the ports of a VLAN as a request leaves them: what it does not name
// stays.
func (q *asked) members(state wording.State, vid office.VID) (untagged, tagged []int) {
	egress, saysEgress := q.egress[vid]
	un, saysUntagged := q.untagged[vid]
	for port := range state.Ports {
		in := state.Ports[port].Untagged.Has(vid) || state.Ports[port].Tagged.Has(vid)
		if saysEgress {
			in = egress[port]
		}
		plain := state.Ports[port].Untagged.Has(vid)
		if saysUntagged {
			plain = un[port]
		}
		switch {
		case in && plain:
			untagged = append(untagged, port)
		case in:
			tagged = append(tagged, port)
		}
	}
	return untagged, tagged
}

// byPages is a device that asks by VLAN: each row is a page of it, taken with its
// habits in the order of the request.
func (x *device) byPages(device *office.Device, state wording.State, asked *asked) (wording.State, error) {
	var err error
	step := func(st wording.Step) {
		if err == nil {
			state, err = wording.Apply(x.word, state, st)
		}
	}
	for _, vid := range asked.order {
		un, tg := asked.members(state, vid)
		step(wording.Step{Op: wording.Page, VLAN: vid, Untagged: un, Tagged: tg})
	}
	for port := range device.Ports {
		if vid, ok := asked.pvid[port]; ok && state.Ports[port].PVID != vid {
			step(wording.Step{Op: wording.PVID, VLAN: vid, Ports: []int{port}})
		}
		admit, a := asked.admit[port]
		filter, f := asked.filter[port]
		if a || f {
			set := wording.Setting{Admit: state.Ports[port].Admit, Filter: state.Ports[port].Filter}
			if a {
				set.Admit = admit
			}
			if f {
				set.Filter = filter
			}
			step(wording.Step{Op: wording.Frames, Ports: []int{port}, Set: set})
		}
	}
	return state, err
}

// atOnce is a device that takes what its pages could say when all of a request is
// done, and nothing else.
func (x *device) atOnce(state wording.State, asked *asked) (wording.State, error) {
	ports := slices.Clone(state.Ports)
	for _, vid := range asked.order {
		un, tg := asked.members(state, vid)
		for p := range ports {
			ports[p].Untagged.Remove(vid)
			ports[p].Tagged.Remove(vid)
		}
		for _, p := range un {
			ports[p].Untagged.Add(vid)
		}
		for _, p := range tg {
			ports[p].Tagged.Add(vid)
		}
	}
	for p, vid := range asked.pvid {
		ports[p].PVID = vid
	}
	for p, admit := range asked.admit {
		ports[p].Admit = admit
	}
	for p, f := range asked.filter {
		ports[p].Filter = f
	}
	next := state
	next.Ports = ports
	var set office.Set
	for p := range ports {
		all := ports[p].Members()
		set.AddAll(&all)
		if ports[p].PVID != 0 {
			set.Add(ports[p].PVID)
		}
	}
	gone := set.Minus(&state.VLANs)
	switch {
	case keepsNoList(x.word):
		next.VLANs.AddAll(&gone)
	case !gone.Empty():
		return state, errNot
	}
	for _, no := range wording.Cannot(x.word, next) { // its page has no number for none
		plain := ports[no.Port]
		if plain.PVID = 0; plain.Admit == office.AdmitTagged {
			plain.Admit = office.AdmitAll
		}
		if plain.ForwardsAs(&ports[no.Port]) {
			ports[no.Port] = plain
		}
	}
	if len(wording.Cannot(x.word, next)) > 0 {
		return state, errNot
	}
	return next, nil
}

type sayError string

func (e sayError) Error() string { return string(e) }

const errNot = sayError("the device cannot be set so")
