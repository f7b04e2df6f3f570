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
	d := x.net.n.Office.Devices[x.i]
	if d.Unaware() || x.net.opt.ReadOnly[d.Name] {
		return gosnmp.NotWritable, 1
	}
	if x.net.opt.NoBulk && len(vars) > 1 {
		return gosnmp.GenErr, 1
	}
	q := &asked{egress: map[office.VID]map[int]bool{}, untagged: map[office.VID]map[int]bool{}, pvid: map[int]office.VID{}, admit: map[int]office.Admit{}, filter: map[int]bool{}, off: map[int]bool{}, names: map[office.VID]string{}}
	for i, v := range vars {
		if e := x.ask(d, q, v); e != gosnmp.NoError {
			return e, uint8(min(i+1, 255))
		}
	}
	for i, v := range vars { // a row is there, or is made by the same request
		for _, c := range []string{mib.StaticName, mib.StaticEgress, mib.StaticUntagged, mib.StaticForbidden} {
			if vid, ok := index(v.Name, c); ok && !x.running.VLANs.Has(office.VID(vid)) && !slices.Contains(q.create, office.VID(vid)) {
				return gosnmp.InconsistentName, uint8(min(i+1, 255))
			}
		}
	}
	next, e := x.do(d, q, literal(x.running, x.rows))
	if e != gosnmp.NoError {
		return e, 1
	}
	for v, name := range q.names {
		x.names[v] = name
	}
	before, rows := x.running, x.rows
	x.rows = rowsOf(x.word, next)
	x.running = spelled(next, before)
	if x.net.take(x) != nil {
		x.running, x.rows = before, rows
		return gosnmp.CommitFailed, 1
	}
	if q.save {
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

// ask reads one object that is to be set.
func (x *device) ask(d *office.Device, q *asked, v gosnmp.SnmpPDU) gosnmp.SNMPError {
	whole := func() (int, bool) {
		n, ok := v.Value.(int)
		return n, ok && v.Type == gosnmp.Integer
	}
	port := func(n int) (int, bool) {
		return n - 1, n >= 1 && n <= len(d.Ports) && base(d, n-1) == n
	}
	if oid, save := parse(v.Name), parse(SaveObject); slices.Equal(oid, save) {
		n, ok := whole()
		if !ok {
			return gosnmp.WrongType
		}
		q.save = n == 1
		return gosnmp.NoError
	}
	for _, c := range []string{mib.StaticRowStatus, mib.StaticName, mib.StaticEgress, mib.StaticUntagged, mib.StaticForbidden} {
		n, ok := index(v.Name, c)
		if !ok {
			continue
		}
		vid, err := office.VIDOf(n)
		if err != nil {
			return gosnmp.NoCreation
		}
		if c == mib.StaticRowStatus {
			to, ok := whole()
			there := x.running.VLANs.Has(vid)
			switch {
			case !ok:
				return gosnmp.WrongType
			case to == mib.RowCreateAndGo && !there:
				q.create = append(q.create, vid)
			case to == mib.RowDestroy:
				if there {
					q.destroy = append(q.destroy, vid)
				}
			case to == mib.RowActive && there:
			case to < 1 || to > 6:
				return gosnmp.WrongValue
			default:
				return gosnmp.InconsistentValue
			}
			return gosnmp.NoError
		}
		b, ok := v.Value.([]byte)
		if !ok || v.Type != gosnmp.OctetString {
			return gosnmp.WrongType
		}
		switch c {
		case mib.StaticName:
			if len(b) > 32 {
				return gosnmp.WrongLength
			}
			q.names[vid] = string(b)
			return gosnmp.NoError
		case mib.StaticForbidden:
			for _, bits := range b {
				if bits != 0 {
					return gosnmp.InconsistentValue // nothing is forbidden here
				}
			}
			return gosnmp.NoError
		}
		set := map[int]bool{}
		for k, bits := range b {
			for bit := range 8 {
				if bits&(0x80>>bit) == 0 {
					continue
				}
				p, ok := port(8*k + bit + 1)
				if !ok {
					return gosnmp.WrongValue
				}
				set[p] = true
			}
		}
		if !slices.Contains(q.order, vid) {
			q.order = append(q.order, vid)
		}
		if c == mib.StaticEgress {
			q.egress[vid] = set
		} else {
			q.untagged[vid] = set
		}
		return gosnmp.NoError
	}
	for _, c := range []string{mib.PVID, mib.Acceptable, mib.IngressFiltering} {
		n, ok := index(v.Name, c)
		if !ok {
			continue
		}
		p, ok := port(n)
		if !ok {
			return gosnmp.NoCreation
		}
		if c == mib.PVID {
			n, ok := v.Value.(uint)
			if !ok || v.Type != gosnmp.Gauge32 {
				return gosnmp.WrongType
			}
			if n < 1 || n > 4094 { // RFC 4363, dot1qPvid; IEEE 802.1Q, table 9-2
				return gosnmp.WrongValue
			}
			q.pvid[p] = office.VID(n)
			return gosnmp.NoError
		}
		n, isInt := whole()
		switch {
		case !isInt:
			return gosnmp.WrongType
		case c == mib.Acceptable && n >= 1 && n <= 3:
			q.admit[p] = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[n-1]
		case c == mib.IngressFiltering && (n == mib.True || n == mib.False):
			q.filter[p] = n == mib.True
		default:
			return gosnmp.WrongValue
		}
		return gosnmp.NoError
	}
	if n, ok := index(v.Name, mib.IfAdminStatus); ok && n >= firstIndex && n < firstIndex+len(d.Ports) && d.Ports[n-firstIndex].Bundle == 0 {
		to, ok := whole()
		switch {
		case !ok:
			return gosnmp.WrongType
		case to != mib.StatusUp && to != mib.StatusDown:
			return gosnmp.WrongValue
		}
		q.off[n-firstIndex] = to == mib.StatusDown
		return gosnmp.NoError
	}
	if _, ok := at(x.entries(), parse(v.Name)); ok {
		return gosnmp.NotWritable
	}
	return gosnmp.NoCreation
}

// do is what the device is set to after a request, with its habits; or why it takes
// nothing of it.
func (x *device) do(d *office.Device, q *asked, now wording.State) (wording.State, gosnmp.SNMPError) {
	for _, v := range q.create {
		next, err := wording.Apply(x.word, now, wording.Step{Op: wording.Create, VLAN: v})
		if err != nil { // one that keeps no list of VLANs has room for the row
			if !keepsNoList(x.word) {
				return now, gosnmp.ResourceUnavailable
			}
			next = now.Knowing(office.SetOf(v))
		}
		now = next
	}
	q.order = slices.DeleteFunc(q.order, func(v office.VID) bool { return slices.Contains(q.destroy, v) }) // it goes, and all that is in it
	var err error
	if d.Wording.Name == office.ByVLAN {
		now, err = x.byPages(d, now, q)
	} else {
		now, err = x.atOnce(now, q)
	}
	if err != nil {
		return now, gosnmp.InconsistentValue
	}
	for _, v := range q.destroy {
		next, err := wording.Apply(x.word, now, wording.Step{Op: wording.Delete, VLAN: v})
		if err != nil {
			if !keepsNoList(x.word) || v == office.DefaultVID || inUse(now, v) {
				return now, gosnmp.InconsistentValue
			}
			next = now
			next.VLANs.Remove(v)
		}
		now = next
	}
	for p, off := range q.off {
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
func keepsNoList(w *wording.Device) bool {
	switch w.WordingName() {
	case string(office.ByVLAN), string(office.ByPort), string(office.ByChoice), string(office.ByGroup):
		return false
	}
	return true
}

func inUse(s wording.State, v office.VID) bool {
	return slices.ContainsFunc(s.Ports, func(x wording.Setting) bool { return x.Untagged.Has(v) || x.Tagged.Has(v) || x.PVID == v })
}

// members is the ports of a VLAN as a request leaves them: what it does not name
// stays.
func (q *asked) members(s wording.State, v office.VID) (untagged, tagged []int) {
	egress, saysEgress := q.egress[v]
	un, saysUntagged := q.untagged[v]
	for p := range s.Ports {
		in := s.Ports[p].Untagged.Has(v) || s.Ports[p].Tagged.Has(v)
		if saysEgress {
			in = egress[p]
		}
		plain := s.Ports[p].Untagged.Has(v)
		if saysUntagged {
			plain = un[p]
		}
		switch {
		case in && plain:
			untagged = append(untagged, p)
		case in:
			tagged = append(tagged, p)
		}
	}
	return untagged, tagged
}

// byPages is a device that asks by VLAN: each row is a page of it, taken with its
// habits in the order of the request.
func (x *device) byPages(d *office.Device, s wording.State, q *asked) (wording.State, error) {
	var err error
	step := func(st wording.Step) {
		if err == nil {
			s, err = wording.Apply(x.word, s, st)
		}
	}
	for _, v := range q.order {
		un, tg := q.members(s, v)
		step(wording.Step{Op: wording.Page, VLAN: v, Untagged: un, Tagged: tg})
	}
	for p := range d.Ports {
		if v, ok := q.pvid[p]; ok && s.Ports[p].PVID != v {
			step(wording.Step{Op: wording.PVID, VLAN: v, Ports: []int{p}})
		}
		admit, a := q.admit[p]
		filter, f := q.filter[p]
		if a || f {
			set := wording.Setting{Admit: s.Ports[p].Admit, Filter: s.Ports[p].Filter}
			if a {
				set.Admit = admit
			}
			if f {
				set.Filter = filter
			}
			step(wording.Step{Op: wording.Frames, Ports: []int{p}, Set: set})
		}
	}
	return s, err
}

// atOnce is a device that takes what its pages could say when all of a request is
// done, and nothing else.
func (x *device) atOnce(s wording.State, q *asked) (wording.State, error) {
	ports := slices.Clone(s.Ports)
	for _, v := range q.order {
		un, tg := q.members(s, v)
		for p := range ports {
			ports[p].Untagged.Remove(v)
			ports[p].Tagged.Remove(v)
		}
		for _, p := range un {
			ports[p].Untagged.Add(v)
		}
		for _, p := range tg {
			ports[p].Tagged.Add(v)
		}
	}
	for p, v := range q.pvid {
		ports[p].PVID = v
	}
	for p, a := range q.admit {
		ports[p].Admit = a
	}
	for p, f := range q.filter {
		ports[p].Filter = f
	}
	next := s
	next.Ports = ports
	var m office.Set
	for p := range ports {
		all := ports[p].Members()
		m.AddAll(&all)
		if ports[p].PVID != 0 {
			m.Add(ports[p].PVID)
		}
	}
	gone := m.Minus(&s.VLANs)
	switch {
	case keepsNoList(x.word):
		next.VLANs.AddAll(&gone)
	case !gone.Empty():
		return s, errNot
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
		return s, errNot
	}
	return next, nil
}

type sayError string

func (e sayError) Error() string { return string(e) }

const errNot = sayError("the device cannot be set so")
