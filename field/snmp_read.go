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
	s.g.Context = ctx
	start := time.Now()
	s.requests, s.rows = 0, 0
	r := &Reading{Source: "snmp at " + s.at}
	system, err := s.get(mib.SysDescr, mib.SysUpTime, mib.SysName, mib.SysObjectID)
	if err != nil && s.r != nil && s.g.Version == gosnmp.Version3 && s.anew() == nil { // it answered before
		system, err = s.get(mib.SysDescr, mib.SysUpTime, mib.SysName, mib.SysObjectID)
	}
	if err != nil {
		return nil, err
	}
	for _, v := range system {
		switch strings.TrimPrefix(v.Name, ".") {
		case mib.SysDescr:
			r.About = plain(string(octets(v)))
		case mib.SysName:
			r.Name = plain(string(octets(v)))
		case mib.SysObjectID:
			if id, ok := v.Value.(string); ok && strings.TrimPrefix(id, ".") == mib.StandIn && s.save == "" {
				s.save = mib.StandInSave + "=1"
			}
		case mib.SysUpTime:
			r.Up = time.Duration(number(v)) * 10 * time.Millisecond
		}
	}
	place, err := s.ports(ctx, r)
	if err != nil {
		return nil, err
	}
	for _, part := range []func(context.Context, *Reading, map[int]int) error{s.vlans, s.pvids, s.learnt} {
		if err := part(ctx, r, place); err != nil {
			return nil, err
		}
	}
	if err := s.neighbours(ctx, r, place); err != nil {
		return nil, err
	}
	r.Took, r.Requests = time.Since(start), s.requests
	s.r = r
	return r, nil
}

// ports reads the interfaces and which of them are ports of the bridge; it gives the
// place of each by its base port number.
func (s *snmp) ports(ctx context.Context, r *Reading) (map[int]int, error) {
	ifs, err := s.table(ctx, "its interfaces", mib.IfDescr, mib.IfType, mib.IfSpeed, mib.IfAdminStatus, mib.IfOperStatus, mib.IfName, mib.IfHighSpeed, mib.IfAlias)
	if err != nil {
		return nil, err
	}
	base, err := s.table(ctx, "its bridge ports", mib.BasePortIfIndex)
	if err != nil {
		return nil, err
	}
	numbers := map[int]int{} // by ifIndex
	for _, x := range base[mib.BasePortIfIndex] {
		if len(x.index) == 1 {
			numbers[number(x.pdu)] = x.index[0]
		}
	}
	at := map[int]int{} // places by ifIndex
	kinds := map[int]int{}
	for _, x := range ifs[mib.IfType] {
		if len(x.index) == 1 {
			kinds[x.index[0]] = number(x.pdu)
		}
	}
	port := func(index int) *Port {
		k, ok := at[index]
		if !ok {
			k = len(r.Ports)
			at[index] = k
			r.Ports = append(r.Ports, Port{Index: index, Number: numbers[index], Set: wording.Setting{Filter: true}})
		}
		return &r.Ports[k]
	}
	wanted := func(index int) bool { // what is no port is left out
		switch kinds[index] {
		case mib.TypeEthernet, mib.TypeLAG, mib.TypeWireless, mib.TypeVirtual, 117, 62, 69, 0:
			return true
		}
		return numbers[index] > 0
	}
	for _, c := range []string{mib.IfDescr, mib.IfName, mib.IfAlias, mib.IfType, mib.IfSpeed, mib.IfHighSpeed, mib.IfAdminStatus, mib.IfOperStatus} {
		for _, x := range ifs[c] {
			if len(x.index) != 1 || !wanted(x.index[0]) {
				continue
			}
			p := port(x.index[0])
			switch c {
			case mib.IfDescr:
				p.Descr = plain(string(octets(x.pdu)))
			case mib.IfName:
				p.Name = plain(string(octets(x.pdu)))
			case mib.IfAlias:
				p.Alias = plain(string(octets(x.pdu)))
			case mib.IfType:
				k := number(x.pdu)
				p.Inner = k == mib.TypeWireless || k == mib.TypeVirtual
			case mib.IfSpeed:
				p.Mbps = number(x.pdu) / 1_000_000
			case mib.IfHighSpeed:
				p.Mbps = max(p.Mbps, number(x.pdu)) // mib.IfSpeed ends at 4.3 Gbit/s
			case mib.IfAdminStatus:
				p.Shut = number(x.pdu) == mib.StatusDown
			case mib.IfOperStatus:
				p.Link = map[int]string{mib.StatusUp: "up", mib.StatusDown: "down", 7: "down"}[number(x.pdu)]
			}
		}
	}
	for _, x := range base[mib.BasePortIfIndex] { // ports of which nothing else is told
		if len(x.index) == 1 {
			p := port(number(x.pdu))
			p.Number = x.index[0]
		}
	}
	if len(ifs[mib.IfOperStatus]) == 0 {
		r.NotTold = append(r.NotTold, TellsLink)
	}
	for k := range r.Ports {
		if r.Ports[k].Name == "" {
			r.Ports[k].Name = r.Ports[k].Descr
		}
	}
	lags, err := s.table(ctx, "its bundles", mib.AttachedAggID)
	if err != nil {
		return nil, err
	}
	for _, x := range lags[mib.AttachedAggID] {
		member, ok := at[x.index[0]]
		bundle, ok2 := at[number(x.pdu)]
		if len(x.index) == 1 && ok && ok2 && member != bundle {
			r.Ports[bundle].Members = append(r.Ports[bundle].Members, member)
		}
	}
	if len(lags[mib.AttachedAggID]) == 0 {
		r.NotTold = append(r.NotTold, TellsBundles)
	}
	place := map[int]int{}
	for k := range r.Ports {
		if n := r.Ports[k].Number; n > 0 {
			place[n] = k
		}
	}
	if len(place) == 0 { // base ports that nothing joins to interfaces: by their own numbers
		for k := range r.Ports {
			place[r.Ports[k].Index] = k
			r.Ports[k].Number = r.Ports[k].Index
		}
	}
	return place, nil
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
func (s *snmp) vlans(ctx context.Context, r *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "its VLANs", mib.StaticName, mib.StaticEgress, mib.StaticForbidden, mib.StaticUntagged, mib.StaticRowStatus)
	if err != nil {
		return err
	}
	now, err := s.table(ctx, "the VLANs as they are now", mib.CurrentEgress, mib.CurrentUntagged, mib.CurrentStatus)
	if err != nil {
		return err
	}
	s.lists, s.length, s.static = map[string][]byte{}, 0, map[office.VID]bool{}
	valid := func(x row) (office.VID, bool) {
		n := x.index[len(x.index)-1]
		vid, err := office.VIDOf(n)
		if err != nil {
			if text := fmt.Sprintf("a VLAN %d, which is none", n); !slices.Contains(r.Trouble, text) {
				r.wrong("%s", text)
			}
			return 0, false
		}
		return vid, true
	}
	off := map[office.VID]bool{} // rows that are not in force
	for _, x := range rows[mib.StaticRowStatus] {
		if vid, ok := valid(x); ok {
			s.static[vid] = true
			off[vid] = number(x.pdu) != mib.RowActive
		}
	}
	known := map[office.VID]string{}
	egress, untagged := map[office.VID][]byte{}, map[office.VID][]byte{}
	for _, x := range rows[mib.StaticEgress] {
		if vid, ok := valid(x); ok && !off[vid] {
			egress[vid] = octets(x.pdu)
			s.static[vid] = true
		}
	}
	for _, x := range rows[mib.StaticUntagged] {
		if vid, ok := valid(x); ok && !off[vid] {
			untagged[vid] = octets(x.pdu)
		}
	}
	learnt := map[office.VID]bool{} // that a protocol brought (MVRP, GVRP): nobody set them
	for _, x := range now[mib.CurrentStatus] {
		if vid, ok := valid(x); ok && number(x.pdu) == mib.StatusDynamic && !s.static[vid] {
			learnt[vid] = true
			r.wrong("VLAN %d is there because a neighbour registers it (MVRP, GVRP): nobody set it, and it is left out", vid)
		}
	}
	for _, c := range []struct {
		column string
		into   map[office.VID][]byte
	}{{mib.CurrentEgress, egress}, {mib.CurrentUntagged, untagged}} {
		for _, x := range now[c.column] {
			if vid, ok := valid(x); ok && !s.static[vid] && !learnt[vid] {
				c.into[vid] = octets(x.pdu)
			}
		}
	}
	for _, x := range rows[mib.StaticForbidden] {
		if vid, ok := valid(x); ok {
			s.lists[listKey(mib.StaticForbidden, vid)] = octets(x.pdu)
			if n := len(portList(octets(x.pdu))); n > 0 {
				r.wrong("VLAN %d is forbidden at some of its ports (%d): a step that puts one of them into it allows it there", vid, n)
			}
		}
	}
	for vid, list := range egress {
		s.lists[listKey(mib.StaticEgress, vid)] = list
		s.lists[listKey(mib.StaticUntagged, vid)] = untagged[vid]
		s.length = max(s.length, len(list), len(untagged[vid]))
		known[vid] = ""
		free := map[int]bool{}
		for _, n := range portList(untagged[vid]) {
			free[n] = true
		}
		for _, n := range portList(list) {
			k, ok := place[n]
			if !ok {
				continue // a port that nothing else is told of: often the device itself
			}
			if free[n] {
				r.Ports[k].Set.Untagged.Add(vid)
			} else {
				r.Ports[k].Set.Tagged.Add(vid)
			}
		}
	}
	for _, x := range rows[mib.StaticName] {
		if vid, ok := valid(x); ok {
			known[vid] = plain(string(octets(x.pdu)))
		}
	}
	for vid, name := range known {
		r.VLANs = append(r.VLANs, VLAN{vid, name})
	}
	slices.SortFunc(r.VLANs, func(a, b VLAN) int { return int(a.VID) - int(b.VID) })
	if len(egress) == 0 {
		r.NotTold = append(r.NotTold, TellsVLANs)
	}
	if len(rows[mib.StaticUntagged])+len(now[mib.CurrentUntagged]) == 0 {
		r.NotTold = append(r.NotTold, TellsUntagged)
	}
	for _, k := range place {
		r.Ports[k].Bridged = len(egress) > 0
	}
	return nil
}

func listKey(column string, vid office.VID) string { return fmt.Sprintf("%s.%d", column, vid) }

// pvids reads where untagged frames go, what frames are accepted, and filtering.
func (s *snmp) pvids(ctx context.Context, r *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "its PVIDs", mib.PVID, mib.Acceptable, mib.IngressFiltering)
	if err != nil {
		return err
	}
	said := map[string]map[int]bool{}
	for c, list := range rows {
		said[c] = map[int]bool{}
		for _, x := range list {
			k, ok := place[x.index[0]]
			if len(x.index) != 1 || !ok {
				continue
			}
			said[c][k] = true
			p := &r.Ports[k]
			switch n := number(x.pdu); c {
			case mib.PVID:
				vid, err := office.VIDOf(n)
				switch {
				case err == nil:
					p.Set.PVID = vid
				case n != 0: // 0 is none
					r.wrong("port %s has PVID %d, which is no VLAN: taken for none", p.Name, n)
				}
				p.NoPVID = err != nil
			case mib.Acceptable:
				p.Set.Admit = map[int]office.Admit{mib.AdmitTagged: office.AdmitTagged, mib.AdmitUntagged: office.AdmitUntagged}[n]
			case mib.IngressFiltering:
				p.Set.Filter = n == mib.True
			}
		}
	}
	for c, told := range map[string]Told{mib.PVID: TellsPVID, mib.Acceptable: TellsAdmit, mib.IngressFiltering: TellsFilter} {
		if len(said[c]) == 0 {
			r.NotTold = append(r.NotTold, told)
		}
	}
	slices.Sort(r.NotTold)
	return nil
}

// learnt reads which network cards are where: those that the device learnt, by VLAN
// (dot1qTpFdbTable), or of a device that has one table for all, without.
func (s *snmp) learnt(ctx context.Context, r *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "the addresses it learnt", mib.FdbPort, mib.FdbStatus)
	if err != nil {
		return err
	}
	if len(rows[mib.FdbPort]) == 0 {
		counts, err := s.table(ctx, "its address tables", mib.FdbCount)
		if len(counts[mib.FdbCount]) == 0 { // it has none, and not: they are empty
			r.NotTold = append(r.NotTold, TellsLearnt)
		}
		return err
	}
	ids, err := s.table(ctx, "its address tables", mib.CurrentFdbID)
	if err != nil {
		return err
	}
	vlan := map[int]office.VID{} // by the number of its table
	shared := map[int]bool{}
	for _, x := range ids[mib.CurrentFdbID] {
		if vid, err := office.VIDOf(x.index[len(x.index)-1]); err == nil {
			id := number(x.pdu)
			shared[id] = vlan[id] != 0
			vlan[id] = vid
		}
	}
	status := map[string]int{}
	for _, x := range rows[mib.FdbStatus] {
		status[fmt.Sprint(x.index)] = number(x.pdu)
	}
	for _, x := range rows[mib.FdbPort] {
		if st := status[fmt.Sprint(x.index)]; len(x.index) != 7 || st != 0 && st != mib.FdbLearnt {
			continue
		}
		vid := vlan[x.index[0]]
		if len(vlan) == 0 { // most number their tables as their VLANs
			vid, _ = office.VIDOf(x.index[0])
		}
		b := make([]byte, 6)
		for i := range b {
			b[i] = byte(x.index[i+1])
		}
		mac, err := office.MACOf(b)
		k, ok := place[number(x.pdu)]
		if err != nil || !ok || vid == 0 || shared[x.index[0]] {
			continue
		}
		r.Learnt = append(r.Learnt, Learnt{mac, k, vid})
	}
	slices.SortFunc(r.Learnt, func(a, b Learnt) int { return cmp.Or(a.Port-b.Port, cmp.Compare(a.MAC, b.MAC)) })
	return nil
}
