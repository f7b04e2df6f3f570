package field

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field/mib"
)

// Read reads a bridge. Its name is asked for first: where nothing answers, that is
// all that it costs.
func (s *snmp) Read(ctx context.Context) (*Reading, error) {
	s.client.Context = ctx
	start := time.Now()
	s.requests, s.rows = 0, 0
	reading := &Reading{Source: "snmp at " + s.at}
	system, err := s.get(mib.SysDescr, mib.SysUpTime, mib.SysName, mib.SysObjectID)
	if err != nil && s.reading != nil && s.client.Version == gosnmp.Version3 && s.anew() == nil { // it answered before
		system, err = s.get(mib.SysDescr, mib.SysUpTime, mib.SysName, mib.SysObjectID)
	}
	if err != nil {
		return nil, err
	}
	for _, pdu := range system {
		switch strings.TrimPrefix(pdu.Name, ".") {
		case mib.SysDescr:
			reading.About = plain(string(octets(pdu)))
		case mib.SysName:
			reading.Name = plain(string(octets(pdu)))
		case mib.SysObjectID:
			if id, ok := pdu.Value.(string); ok && strings.TrimPrefix(id, ".") == mib.StandIn && s.save == "" {
				s.save = mib.StandInSave + "=1"
			}
		case mib.SysUpTime:
			reading.Up = time.Duration(number(pdu)) * 10 * time.Millisecond
		}
	}
	place, err := s.ports(ctx, reading)
	if err != nil {
		return nil, err
	}
	for _, part := range []func(context.Context, *Reading, map[int]int) error{s.vlans, s.pvids, s.learnt} {
		if err := part(ctx, reading, place); err != nil {
			return nil, err
		}
	}
	if err := s.neighbours(ctx, reading, place); err != nil {
		return nil, err
	}
	reading.Took, reading.Requests = time.Since(start), s.requests
	s.reading = reading
	return reading, nil
}

// ports reads the interfaces and which of them are ports of the bridge; it gives the
// place of each by its base port number.
//
// Many branches: each column may be missing, or say what cannot be.
func (s *snmp) ports(ctx context.Context, reading *Reading) (map[int]int, error) {
	ifs, err := s.table(ctx, "its interfaces", mib.IfDescr, mib.IfType, mib.IfSpeed, mib.IfAdminStatus, mib.IfOperStatus, mib.IfName, mib.IfHighSpeed, mib.IfAlias)
	if err != nil {
		return nil, err
	}
	base, err := s.table(ctx, "its bridge ports", mib.BasePortIfIndex)
	if err != nil {
		return nil, err
	}
	numbers := map[int]int{} // by ifIndex
	for _, row := range base[mib.BasePortIfIndex] {
		if len(row.index) == 1 {
			numbers[number(row.pdu)] = row.index[0]
		}
	}
	at := map[int]int{} // places by ifIndex
	kinds := map[int]int{}
	for _, row := range ifs[mib.IfType] {
		if len(row.index) == 1 {
			kinds[row.index[0]] = number(row.pdu)
		}
	}
	port := func(index int) *Port {
		one, ok := at[index]
		if !ok {
			one = len(reading.Ports)
			at[index] = one
			reading.Ports = append(reading.Ports, Port{Index: index, Number: numbers[index], Set: wording.Setting{Filter: true}})
		}
		return &reading.Ports[one]
	}
	wanted := func(index int) bool { // what is no port is left out
		switch kinds[index] {
		case mib.TypeEthernet, mib.TypeLAG, mib.TypeWireless, mib.TypeVirtual, 117, 62, 69, 0:
			return true
		}
		return numbers[index] > 0
	}
	for _, c := range []string{mib.IfDescr, mib.IfName, mib.IfAlias, mib.IfType, mib.IfSpeed, mib.IfHighSpeed, mib.IfAdminStatus, mib.IfOperStatus} {
		for _, row := range ifs[c] {
			if len(row.index) != 1 || !wanted(row.index[0]) {
				continue
			}
			port(row.index[0]).told(c, row)
		}
	}
	for _, row := range base[mib.BasePortIfIndex] { // ports of which nothing else is told
		if len(row.index) == 1 {
			one := port(number(row.pdu))
			one.Number = row.index[0]
		}
	}
	if len(ifs[mib.IfOperStatus]) == 0 {
		reading.NotTold = append(reading.NotTold, TellsLink)
	}
	for one := range reading.Ports {
		if reading.Ports[one].Name == "" {
			reading.Ports[one].Name = reading.Ports[one].Descr
		}
	}
	if err := s.bundles(ctx, reading, at); err != nil {
		return nil, err
	}
	place := map[int]int{}
	for one := range reading.Ports {
		if n := reading.Ports[one].Number; n > 0 {
			place[n] = one
		}
	}
	if len(place) == 0 { // base ports that nothing joins to interfaces: by their own numbers
		for one := range reading.Ports {
			place[reading.Ports[one].Index] = one
			reading.Ports[one].Number = reading.Ports[one].Index
		}
	}
	return place, nil
}

// told takes in what a row of the interfaces says (RFC 2863).
func (p *Port) told(column string, row row) {
	switch column {
	case mib.IfDescr:
		p.Descr = plain(string(octets(row.pdu)))
	case mib.IfName:
		p.Name = plain(string(octets(row.pdu)))
	case mib.IfAlias:
		p.Alias = plain(string(octets(row.pdu)))
	case mib.IfType:
		kind := number(row.pdu)
		p.Inner = kind == mib.TypeWireless || kind == mib.TypeVirtual
	case mib.IfSpeed:
		p.Mbps = number(row.pdu) / 1_000_000
	case mib.IfHighSpeed:
		p.Mbps = max(p.Mbps, number(row.pdu)) // mib.IfSpeed ends at 4.3 Gbit/s
	case mib.IfAdminStatus:
		p.Shut = number(row.pdu) == mib.StatusDown
	case mib.IfOperStatus:
		p.Link = map[int]string{mib.StatusUp: "up", mib.StatusDown: "down", 7: "down"}[number(row.pdu)]
	}
}

// bundles reads which interfaces are of which bundle (IEEE 802.1AX, dot3adAggPortAttachedAggID);
// at is their places by ifIndex.
func (s *snmp) bundles(ctx context.Context, reading *Reading, at map[int]int) error {
	lags, err := s.table(ctx, "its bundles", mib.AttachedAggID)
	if err != nil {
		return err
	}
	for _, row := range lags[mib.AttachedAggID] {
		member, ok := at[row.index[0]]
		bundle, ok2 := at[number(row.pdu)]
		if len(row.index) == 1 && ok && ok2 && member != bundle {
			reading.Ports[bundle].Members = append(reading.Ports[bundle].Members, member)
		}
	}
	if len(lags[mib.AttachedAggID]) == 0 {
		reading.NotTold = append(reading.NotTold, TellsBundles)
	}
	return nil
}

// members takes in the ports of a VLAN: those that send it, and which of them without a tag.
func (r *Reading) members(vid office.VID, egress, untagged []byte, place map[int]int) {
	free := map[int]bool{}
	for _, n := range portList(untagged) {
		free[n] = true
	}
	for _, n := range portList(egress) {
		port, ok := place[n]
		if !ok {
			continue // a port that nothing else is told of: often the device itself
		}
		if free[n] {
			r.Ports[port].Set.Untagged.Add(vid)
		} else {
			r.Ports[port].Set.Tagged.Add(vid)
		}
	}
}

// portList is the base ports of a PortList (RFC 4363): the highest bit of the first
// byte is port 1; what a list is too short for is not in it.
func portList(b []byte) (out []int) {
	for i, x := range b {
		for bit := range 8 {
			if x&(0x80>>bit) != 0 {
				out = append(out, 8*i+bit+1)
			}
		}
	}
	return out
}

// vlans reads which ports are in which VLANs: what is set (the static table), and
// where the device has no row of a VLAN there, what is so now.
//
// Many branches: each column of two tables may be missing, or say what cannot be.
func (s *snmp) vlans(ctx context.Context, reading *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "its VLANs", mib.StaticName, mib.StaticEgress, mib.StaticForbidden, mib.StaticUntagged, mib.StaticRowStatus)
	if err != nil {
		return err
	}
	now, err := s.table(ctx, "the VLANs as they are now", mib.CurrentEgress, mib.CurrentUntagged, mib.CurrentStatus)
	if err != nil {
		return err
	}
	s.lists, s.length, s.static = map[string][]byte{}, 0, map[office.VID]bool{}
	valid := func(row row) (office.VID, bool) {
		n := row.index[len(row.index)-1]
		vid, err := office.VIDOf(n)
		if err != nil {
			if text := fmt.Sprintf("a VLAN %d, which is none", n); !slices.Contains(reading.Trouble, text) {
				reading.wrong("%s", text)
			}
			return 0, false
		}
		return vid, true
	}
	off := map[office.VID]bool{} // rows that are not in force
	for _, row := range rows[mib.StaticRowStatus] {
		if vid, ok := valid(row); ok {
			s.static[vid] = true
			off[vid] = number(row.pdu) != mib.RowActive
		}
	}
	known := map[office.VID]string{}
	egress, untagged := map[office.VID][]byte{}, map[office.VID][]byte{}
	for _, row := range rows[mib.StaticEgress] {
		if vid, ok := valid(row); ok && !off[vid] {
			egress[vid] = octets(row.pdu)
			s.static[vid] = true
		}
	}
	for _, row := range rows[mib.StaticUntagged] {
		if vid, ok := valid(row); ok && !off[vid] {
			untagged[vid] = octets(row.pdu)
		}
	}
	learnt := map[office.VID]bool{} // that a protocol brought (MVRP, GVRP): nobody set them
	for _, row := range now[mib.CurrentStatus] {
		if vid, ok := valid(row); ok && number(row.pdu) == mib.StatusDynamic && !s.static[vid] {
			learnt[vid] = true
			reading.wrong("VLAN %d is there because a neighbour registers it (MVRP, GVRP): nobody set it, and it is left out", vid)
		}
	}
	for _, c := range []struct {
		column string
		into   map[office.VID][]byte
	}{{mib.CurrentEgress, egress}, {mib.CurrentUntagged, untagged}} {
		for _, row := range now[c.column] {
			if vid, ok := valid(row); ok && !s.static[vid] && !learnt[vid] {
				c.into[vid] = octets(row.pdu)
			}
		}
	}
	for _, row := range rows[mib.StaticForbidden] {
		if vid, ok := valid(row); ok {
			s.lists[listKey(mib.StaticForbidden, vid)] = octets(row.pdu)
			if n := len(portList(octets(row.pdu))); n > 0 {
				reading.wrong("VLAN %d is forbidden at some of its ports (%d): a step that puts one of them into it allows it there", vid, n)
			}
		}
	}
	for vid, list := range egress {
		s.lists[listKey(mib.StaticEgress, vid)] = list
		s.lists[listKey(mib.StaticUntagged, vid)] = untagged[vid]
		s.length = max(s.length, len(list), len(untagged[vid]))
		known[vid] = ""
		reading.members(vid, list, untagged[vid], place)
	}
	for _, row := range rows[mib.StaticName] {
		if vid, ok := valid(row); ok {
			known[vid] = plain(string(octets(row.pdu)))
		}
	}
	for vid, name := range known {
		reading.VLANs = append(reading.VLANs, VLAN{vid, name})
	}
	slices.SortFunc(reading.VLANs, func(a, b VLAN) int { return int(a.VID) - int(b.VID) })
	if len(egress) == 0 {
		reading.NotTold = append(reading.NotTold, TellsVLANs)
	}
	if len(rows[mib.StaticUntagged])+len(now[mib.CurrentUntagged]) == 0 {
		reading.NotTold = append(reading.NotTold, TellsUntagged)
	}
	for _, port := range place {
		reading.Ports[port].Bridged = len(egress) > 0
	}
	return nil
}

func listKey(column string, vid office.VID) string { return fmt.Sprintf("%s.%d", column, vid) }

// pvids reads where untagged frames go, what frames are accepted, and filtering.
func (s *snmp) pvids(ctx context.Context, reading *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "its PVIDs", mib.PVID, mib.Acceptable, mib.IngressFiltering)
	if err != nil {
		return err
	}
	said := map[string]map[int]bool{}
	for c, list := range rows {
		said[c] = map[int]bool{}
		for _, row := range list {
			port, ok := place[row.index[0]]
			if len(row.index) != 1 || !ok {
				continue
			}
			said[c][port] = true
			one := &reading.Ports[port]
			switch n := number(row.pdu); c {
			case mib.PVID:
				vid, err := office.VIDOf(n)
				switch {
				case err == nil:
					one.Set.PVID = vid
				case n != 0: // 0 is none
					reading.wrong("port %s has PVID %d, which is no VLAN: taken for none", one.Name, n)
				}
				one.NoPVID = err != nil
			case mib.Acceptable:
				one.Set.Admit = map[int]office.Admit{mib.AdmitTagged: office.AdmitTagged, mib.AdmitUntagged: office.AdmitUntagged}[n]
			case mib.IngressFiltering:
				one.Set.Filter = n == mib.True
			}
		}
	}
	for c, told := range map[string]Told{mib.PVID: TellsPVID, mib.Acceptable: TellsAdmit, mib.IngressFiltering: TellsFilter} {
		if len(said[c]) == 0 {
			reading.NotTold = append(reading.NotTold, told)
		}
	}
	slices.Sort(reading.NotTold)
	return nil
}

// learnt reads which network cards are where: those that the device learnt, by VLAN
// (dot1qTpFdbTable), or of a device that has one table for all, without.
func (s *snmp) learnt(ctx context.Context, reading *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "the addresses it learnt", mib.FdbPort, mib.FdbStatus)
	if err != nil {
		return err
	}
	if len(rows[mib.FdbPort]) == 0 {
		counts, err := s.table(ctx, "its address tables", mib.FdbCount)
		if len(counts[mib.FdbCount]) == 0 { // it has none, and not: they are empty
			reading.NotTold = append(reading.NotTold, TellsLearnt)
		}
		return err
	}
	ids, err := s.table(ctx, "its address tables", mib.CurrentFdbID)
	if err != nil {
		return err
	}
	vlan := map[int]office.VID{} // by the number of its table
	shared := map[int]bool{}
	for _, row := range ids[mib.CurrentFdbID] {
		if vid, err := office.VIDOf(row.index[len(row.index)-1]); err == nil {
			id := number(row.pdu)
			shared[id] = vlan[id] != 0
			vlan[id] = vid
		}
	}
	status := map[string]int{}
	for _, row := range rows[mib.FdbStatus] {
		status[fmt.Sprint(row.index)] = number(row.pdu)
	}
	for _, row := range rows[mib.FdbPort] {
		if st := status[fmt.Sprint(row.index)]; len(row.index) != 7 || st != 0 && st != mib.FdbLearnt {
			continue
		}
		vid := vlan[row.index[0]]
		if len(vlan) == 0 { // most number their tables as their VLANs
			vid, _ = office.VIDOf(row.index[0])
		}
		b := make([]byte, 6)
		for i := range b {
			b[i] = byte(row.index[i+1])
		}
		mac, err := office.MACOf(b)
		k, ok := place[number(row.pdu)]
		if err != nil || !ok || vid == 0 || shared[row.index[0]] {
			continue
		}
		reading.Learnt = append(reading.Learnt, Learnt{mac, k, vid})
	}
	slices.SortFunc(reading.Learnt, func(a, b Learnt) int { return cmp.Or(a.Port-b.Port, cmp.Compare(a.MAC, b.MAC)) })
	return nil
}
