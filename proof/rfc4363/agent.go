// Package rfc4363 is an agent of a bridge, written from RFC 4363 (Q-BRIDGE-MIB), RFC 4188
// and RFC 2863 alone: bit lists, rows, and what the standard says of each. It shares nothing
// with what Klammer says of devices, and nothing with the stand-ins: it knows no wording, no
// shape and no state. What makers do beside the standard is a [Habits].
package rfc4363

import (
	"fmt"
	"log/slog"
	"maps"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/gosnmp/gosnmp"

	"klammer/mishap"
)

// Habits is what agents do that are not alike.
type Habits struct {
	OneObject       bool // a request that sets more than one object is refused (genErr)
	InOrder         bool // objects are taken one after the other: what came before a refusal stays done
	CreateAndWait   bool // knows no createAndGo
	PVIDMember      bool // a PVID is a VLAN of the port, which does not leave it
	UntaggedWithin  bool // untagged ports are among the egress ports after every object
	PVIDFollows     bool // a port that joins a VLAN untagged gets it as its PVID, and dot1qPvid is read-only
	LeavesLast      bool // and leaves the one in which it was untagged before
	StartsOnAll     bool // a new VLAN has all ports, tagged
	NoAcceptable    bool // dot1qPortAcceptableFrameTypes is read-only
	ShortLists      bool // PortLists end at the last byte that is not 0
	CurrentOnly     bool // the static table cannot be read, and can be set
	BaseIsIndex     bool // base ports are numbered as interfaces, from 101 on
	LostAnswers     int  // every so manieth answer to a request that sets is lost; 0: none
	RefuseAt        int  // this request that sets is refused (commitFailed), and nothing of it done; 0: none
	RefuseVLAN      int  // the static row of this VLAN is never changed (it is the maker's own)
	ForbiddenSticks bool // a port that is forbidden in a VLAN is not taken into it: inconsistentValue
}

type vlan struct {
	egress, untagged, forbidden map[int]bool // by place of a port, from 0
	waiting                     bool         // notInService: made by createAndWait, and not yet active
}

func (v *vlan) clone() *vlan {
	return &vlan{maps.Clone(v.egress), maps.Clone(v.untagged), maps.Clone(v.forbidden), v.waiting}
}

type port struct {
	pvid, admit int
	filter, up  bool
}

// Agent is one bridge.
type Agent struct {
	Habits Habits
	Name   string
	mu     sync.Mutex
	conn   net.PacketConn
	names  []string
	ports  []port
	vlans  map[int]*vlan
	sets   int // requests that set, so far
	wrote  int // of which something was done
}

// New listens on loopback, with ports called as given, all in VLAN 1 untagged.
func New(name string, ports []string, habits Habits) (*Agent, error) {
	conn, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	agent := &Agent{Habits: habits, Name: name, conn: conn, names: ports, vlans: map[int]*vlan{1: newVLAN()}}
	for p := range ports {
		agent.ports = append(agent.ports, port{1, 1, true, true})
		agent.vlans[1].egress[p], agent.vlans[1].untagged[p] = true, true
	}
	mishap.Go(slog.Default(), "an agent", agent.serve)
	return agent, nil
}

func newVLAN() *vlan { return &vlan{map[int]bool{}, map[int]bool{}, map[int]bool{}, false} }

// At is where it listens.
func (a *Agent) At() string { return a.conn.LocalAddr().String() }

// Close ends it.
func (a *Agent) Close() error { return a.conn.Close() }

// Put sets a port by hand: the VLANs that it is in untagged and tagged, its PVID and
// acceptable frames (1 all, 2 tagged alone).
func (a *Agent) Put(p int, untagged, tagged []int, pvid, admit int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, vlan := range a.vlans {
		delete(vlan.egress, p)
		delete(vlan.untagged, p)
	}
	for _, all := range [][]int{untagged, tagged} {
		for _, v := range all {
			if a.vlans[v] == nil {
				a.vlans[v] = newVLAN()
			}
			a.vlans[v].egress[p] = true
		}
	}
	for _, v := range untagged {
		a.vlans[v].untagged[p] = true
	}
	a.ports[p].pvid, a.ports[p].admit = pvid, admit
}

// Forbid forbids a port in a VLAN (dot1qVlanForbiddenEgressPorts).
func (a *Agent) Forbid(vid, p int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.vlans[vid] == nil {
		a.vlans[vid] = newVLAN()
	}
	a.vlans[vid].forbidden[p] = true
}

// Out is where a frame comes out that goes into a port, untagged (0) or with a VID: by port,
// the VID on the wire, 0 for untagged (IEEE 802.1Q, 6.9 and 8.6). Nothing is learnt.
func (a *Agent) Out(in, tag int) map[int]int {
	a.mu.Lock()
	defer a.mu.Unlock()
	out := map[int]int{}
	port := a.ports[in]
	if !port.up || tag == 0 && port.admit == 2 || tag != 0 && port.admit == 3 {
		return out
	}
	vid := tag
	if tag == 0 {
		vid = port.pvid
	}
	vlan := a.vlans[vid]
	if vlan == nil || vlan.waiting || port.filter && !vlan.egress[in] {
		return out
	}
	for p := range vlan.egress {
		if p != in && a.ports[p].up {
			out[p] = vid
			if vlan.untagged[p] {
				out[p] = 0
			}
		}
	}
	return out
}

// Told is everything that can be set, in one text: two are equal where nothing was done
// between them.
func (a *Agent) Told() string {
	a.mu.Lock()
	defer a.mu.Unlock()
	var text strings.Builder
	for _, vid := range slices.Sorted(maps.Keys(a.vlans)) {
		vlan := a.vlans[vid]
		fmt.Fprintf(&text, "%d: %v %v %v\n", vid, slices.Sorted(maps.Keys(vlan.egress)), slices.Sorted(maps.Keys(vlan.untagged)), vlan.waiting)
	}
	fmt.Fprint(&text, a.ports)
	return text.String()
}

// Sets is how many requests that set came, and how many did something.
func (a *Agent) Sets() (asked, done int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.sets, a.wrote
}

func (a *Agent) serve() {
	buf := make([]byte, 1<<16)
	coder := &gosnmp.GoSNMP{Version: gosnmp.Version2c, MaxOids: gosnmp.MaxOids}
	for {
		n, from, err := a.conn.ReadFrom(buf)
		if err != nil {
			return
		}
		packet, err := coder.SnmpDecodePacket(slices.Clone(buf[:n]))
		if err != nil {
			continue
		}
		other := &gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: packet.Community, PDUType: gosnmp.GetResponse, RequestID: packet.RequestID}
		lost := false
		a.mu.Lock()
		switch packet.PDUType {
		case gosnmp.SetRequest:
			a.sets++
			lost = a.Habits.LostAnswers > 0 && a.sets%a.Habits.LostAnswers == 0
			other.Variables = packet.Variables
			other.Error, other.ErrorIndex = a.set(packet.Variables)
			if other.Error == gosnmp.NoError {
				a.wrote++
			}
		case gosnmp.GetRequest:
			view := a.view()
			for _, pdu := range packet.Variables {
				i := slices.IndexFunc(view, func(one gosnmp.SnmpPDU) bool { return one.Name == "."+strings.TrimPrefix(pdu.Name, ".") })
				if i < 0 {
					other.Variables = append(other.Variables, gosnmp.SnmpPDU{Name: pdu.Name, Type: gosnmp.NoSuchInstance})
				} else {
					other.Variables = append(other.Variables, view[i])
				}
			}
		case gosnmp.GetNextRequest, gosnmp.GetBulkRequest:
			view, times := a.view(), 1
			if packet.PDUType == gosnmp.GetBulkRequest {
				times = min(int(packet.MaxRepetitions), 20)
			}
			at := slices.Clone(packet.Variables)
			for range times {
				for i := range at {
					k, found := slices.BinarySearchFunc(view, at[i].Name, func(pdu gosnmp.SnmpPDU, name string) int { return slices.Compare(oid(pdu.Name), oid(name)) })
					if found {
						k++
					}
					if k < len(view) {
						at[i] = view[k]
					} else {
						at[i] = gosnmp.SnmpPDU{Name: at[i].Name, Type: gosnmp.EndOfMibView}
					}
					other.Variables = append(other.Variables, at[i])
				}
			}
		}
		a.mu.Unlock()
		if out, err := other.MarshalMsg(); err == nil && !lost {
			_, _ = a.conn.WriteTo(out, from)
		}
	}
}

func oid(text string) (out []int) {
	for part := range strings.SplitSeq(strings.TrimPrefix(text, "."), ".") {
		n, _ := strconv.Atoi(part)
		out = append(out, n)
	}
	return out
}

// The objects, by the names of the RFCs.
const (
	sysDescr            = ".1.3.6.1.2.1.1.1.0"
	sysName             = ".1.3.6.1.2.1.1.5.0"
	ifDescr             = ".1.3.6.1.2.1.2.2.1.2"
	ifType              = ".1.3.6.1.2.1.2.2.1.3"
	ifAdminStatus       = ".1.3.6.1.2.1.2.2.1.7"
	ifOperStatus        = ".1.3.6.1.2.1.2.2.1.8"
	ifName              = ".1.3.6.1.2.1.31.1.1.1.1"
	dot1dBasePortIf     = ".1.3.6.1.2.1.17.1.4.1.2"
	currentEgress       = ".1.3.6.1.2.1.17.7.1.4.2.1.4"
	currentUntagged     = ".1.3.6.1.2.1.17.7.1.4.2.1.5"
	currentStatus       = ".1.3.6.1.2.1.17.7.1.4.2.1.6"
	staticName          = ".1.3.6.1.2.1.17.7.1.4.3.1.1"
	staticEgress        = ".1.3.6.1.2.1.17.7.1.4.3.1.2"
	staticForbidden     = ".1.3.6.1.2.1.17.7.1.4.3.1.3"
	staticUntagged      = ".1.3.6.1.2.1.17.7.1.4.3.1.4"
	staticStatus        = ".1.3.6.1.2.1.17.7.1.4.3.1.5"
	pvid                = ".1.3.6.1.2.1.17.7.1.4.5.1.1"
	acceptable          = ".1.3.6.1.2.1.17.7.1.4.5.1.2"
	ingress             = ".1.3.6.1.2.1.17.7.1.4.5.1.3"
	active              = 1
	notInService        = 2
	notReady            = 3
	createAndGo         = 4
	createAndWait       = 5
	destroy             = 6
	firstIndex          = 101
	bytesOfList         = 8 // of more ports than there are, as agents of a family have
	admitAll, admitTags = 1, 2
)

func (a *Agent) base(p int) int {
	if a.Habits.BaseIsIndex {
		return firstIndex + p
	}
	return p + 1
}

func (a *Agent) place(base int) (int, bool) {
	p := base - a.base(0)
	return p, p >= 0 && p < len(a.ports)
}

func (a *Agent) bits(in map[int]bool) []byte {
	out := make([]byte, max(bytesOfList, (a.base(len(a.ports)-1)+7)/8))
	for p := range in {
		n := a.base(p) - 1
		out[n/8] |= 0x80 >> (n % 8)
	}
	for a.Habits.ShortLists && len(out) > 0 && out[len(out)-1] == 0 {
		out = out[:len(out)-1]
	}
	return out
}

func (a *Agent) view() (out []gosnmp.SnmpPDU) {
	add := func(kind gosnmp.Asn1BER, value any, name string, index ...int) {
		for _, n := range index {
			name += "." + strconv.Itoa(n)
		}
		out = append(out, gosnmp.SnmpPDU{Name: name, Type: kind, Value: value})
	}
	add(gosnmp.OctetString, []byte("a bridge"), sysDescr)
	add(gosnmp.OctetString, []byte(a.Name), sysName)
	whole := func(b bool) int { // TruthValue, and up or down
		if b {
			return 1
		}
		return 2
	}
	for p, port := range a.ports {
		add(gosnmp.OctetString, []byte(a.names[p]), ifDescr, firstIndex+p)
		add(gosnmp.OctetString, []byte(a.names[p]), ifName, firstIndex+p)
		add(gosnmp.Integer, 6, ifType, firstIndex+p)
		add(gosnmp.Integer, whole(port.up), ifAdminStatus, firstIndex+p)
		add(gosnmp.Integer, whole(port.up), ifOperStatus, firstIndex+p)
		add(gosnmp.Integer, firstIndex+p, dot1dBasePortIf, a.base(p))
		add(gosnmp.Gauge32, uint32(port.pvid), pvid, a.base(p))
		add(gosnmp.Integer, port.admit, acceptable, a.base(p))
		add(gosnmp.Integer, whole(port.filter), ingress, a.base(p))
	}
	for vid, vlan := range a.vlans {
		status := active
		if vlan.waiting {
			status = notInService
		} else {
			add(gosnmp.OctetString, a.bits(vlan.egress), currentEgress, 0, vid)
			add(gosnmp.OctetString, a.bits(vlan.untagged), currentUntagged, 0, vid)
			add(gosnmp.Integer, 2, currentStatus, 0, vid)
		}
		if !a.Habits.CurrentOnly {
			add(gosnmp.OctetString, []byte{}, staticName, vid)
			add(gosnmp.OctetString, a.bits(vlan.egress), staticEgress, vid)
			add(gosnmp.OctetString, a.bits(vlan.forbidden), staticForbidden, vid)
			add(gosnmp.OctetString, a.bits(vlan.untagged), staticUntagged, vid)
			add(gosnmp.Integer, status, staticStatus, vid)
		}
	}
	slices.SortFunc(out, func(x, y gosnmp.SnmpPDU) int { return slices.Compare(oid(x.Name), oid(y.Name)) })
	return out
}

// set does a request: each object is tried in its order on a copy, which is kept where all
// were taken (RFC 3416, 4.2.5), or, of agents that go on in order, as far as they got.
func (a *Agent) set(all []gosnmp.SnmpPDU) (gosnmp.SNMPError, uint8) {
	if a.Habits.OneObject && len(all) > 1 {
		return gosnmp.GenErr, 1
	}
	if a.Habits.RefuseAt > 0 && a.sets == a.Habits.RefuseAt {
		return gosnmp.CommitFailed, 1
	}
	was, ports := map[int]*vlan{}, slices.Clone(a.ports)
	for vid, vlan := range a.vlans {
		was[vid] = vlan.clone()
	}
	back := func() { a.vlans, a.ports = was, ports }
	for i, pdu := range all {
		if snmperror := a.one(pdu); snmperror != gosnmp.NoError {
			if !a.Habits.InOrder {
				back()
			}
			return snmperror, uint8(i + 1)
		}
		if a.Habits.InOrder || a.Habits.OneObject {
			if snmperror := a.consistent(); snmperror != gosnmp.NoError {
				back()
				return snmperror, uint8(i + 1)
			}
			if a.Habits.InOrder { // as far as this it is done
				ports = slices.Clone(a.ports)
				was = map[int]*vlan{}
				for vid, vlan := range a.vlans {
					was[vid] = vlan.clone()
				}
			}
		}
	}
	if snmperror := a.consistent(); snmperror != gosnmp.NoError {
		back()
		return snmperror, 1
	}
	return gosnmp.NoError, 0
}

// consistent says whether what is set can be so on this maker's bridges.
func (a *Agent) consistent() gosnmp.SNMPError {
	for _, vlan := range a.vlans {
		for p := range vlan.untagged {
			if a.Habits.UntaggedWithin && !vlan.egress[p] {
				return gosnmp.InconsistentValue
			}
		}
		for p := range vlan.egress {
			if a.Habits.ForbiddenSticks && vlan.forbidden[p] {
				return gosnmp.InconsistentValue
			}
		}
	}
	for p, port := range a.ports {
		if vlan := a.vlans[port.pvid]; a.Habits.PVIDMember && (vlan == nil || !vlan.egress[p]) {
			return gosnmp.InconsistentValue
		}
	}
	return gosnmp.NoError
}

// one sets one value, and gives the error status (RFC 3416) that it comes to.
//
// Many branches: one a column that may be set, each with what RFC 4363 lets stand there.
func (a *Agent) one(pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	i := strings.LastIndexByte(pdu.Name, '.')
	column := "." + strings.TrimPrefix(pdu.Name[:i], ".")
	index, err := strconv.Atoi(pdu.Name[i+1:])
	if err != nil {
		return gosnmp.NoCreation
	}
	whole, isInt := pdu.Value.(int)
	isInt = isInt && pdu.Type == gosnmp.Integer
	switch column {
	case pvid, acceptable, ingress:
		p, ok := a.place(index)
		if !ok {
			return gosnmp.NoCreation
		}
		port := &a.ports[p]
		switch column {
		case pvid:
			n, ok := pdu.Value.(uint)
			switch {
			case !ok || pdu.Type != gosnmp.Gauge32:
				return gosnmp.WrongType
			case a.Habits.PVIDFollows:
				return gosnmp.NotWritable
			case n < 1 || n > 4094: // VlanIndex of a VLAN (RFC 4363; IEEE 802.1Q, table 9-2)
				return gosnmp.WrongValue
			case a.vlans[int(n)] == nil:
				return gosnmp.InconsistentValue
			}
			port.pvid = int(n)
		case acceptable:
			switch {
			case !isInt:
				return gosnmp.WrongType
			case a.Habits.NoAcceptable:
				return gosnmp.NotWritable
			case whole != admitAll && whole != admitTags:
				return gosnmp.WrongValue
			}
			port.admit = whole
		case ingress:
			switch {
			case !isInt:
				return gosnmp.WrongType
			case whole != 1 && whole != 2:
				return gosnmp.WrongValue
			}
			port.filter = whole == 1
		}
		return gosnmp.NoError
	case ifAdminStatus:
		if p := index - firstIndex; p >= 0 && p < len(a.ports) && isInt && (whole == 1 || whole == 2) {
			a.ports[p].up = whole == 1
			return gosnmp.NoError
		}
		return gosnmp.WrongValue
	case staticStatus:
		return a.status(index, whole, isInt)
	case staticEgress, staticUntagged, staticForbidden:
		return a.list(column, index, pdu)
	}
	return gosnmp.NotWritable
}

// status is dot1qVlanStaticRowStatus (RFC 2579, RowStatus).
//
// Many branches: one a state of RowStatus and what may follow it.
func (a *Agent) status(vid, to int, isInt bool) gosnmp.SNMPError {
	row := a.vlans[vid]
	switch {
	case !isInt:
		return gosnmp.WrongType
	case vid < 1 || vid > 4094:
		return gosnmp.NoCreation
	case vid == a.Habits.RefuseVLAN:
		return gosnmp.NoAccess
	case to == createAndGo && a.Habits.CreateAndWait:
		return gosnmp.WrongValue
	case (to == createAndGo || to == createAndWait) && row != nil:
		return gosnmp.InconsistentValue
	case to == createAndGo, to == createAndWait:
		row = newVLAN()
		row.waiting = to == createAndWait
		if a.Habits.StartsOnAll {
			for p := range a.ports {
				row.egress[p] = true
			}
		}
		a.vlans[vid] = row
	case to == destroy && row == nil:
	case to == destroy:
		if vid == 1 {
			return gosnmp.InconsistentValue
		}
		for _, port := range a.ports {
			if port.pvid == vid {
				return gosnmp.InconsistentValue
			}
		}
		delete(a.vlans, vid)
	case to == active && row != nil:
		row.waiting = false
	case to == notInService && row != nil:
		row.waiting = true
	case to < active || to > destroy || to == notReady:
		return gosnmp.WrongValue
	default:
		return gosnmp.InconsistentValue
	}
	return gosnmp.NoError
}

// list is one of the PortLists of a static row (RFC 4363, PortList: the first bit is port 1).
func (a *Agent) list(column string, vid int, pdu gosnmp.SnmpPDU) gosnmp.SNMPError {
	b, ok := pdu.Value.([]byte)
	row := a.vlans[vid]
	switch {
	case !ok || pdu.Type != gosnmp.OctetString:
		return gosnmp.WrongType
	case row == nil:
		return gosnmp.InconsistentName
	case vid == a.Habits.RefuseVLAN:
		return gosnmp.NoAccess
	}
	set := map[int]bool{}
	for k, bits := range b {
		for bit := range 8 {
			if bits&(0x80>>bit) == 0 {
				continue
			}
			p, ok := a.place(8*k + bit + 1)
			if !ok {
				return gosnmp.WrongValue
			}
			set[p] = true
		}
	}
	switch column {
	case staticEgress:
		row.egress = set
	case staticForbidden:
		row.forbidden = set
	case staticUntagged:
		for p := range set {
			if !row.untagged[p] && a.Habits.PVIDFollows {
				a.ports[p].pvid = vid
			}
			for other, vlan := range a.vlans {
				if !row.untagged[p] && a.Habits.LeavesLast && other != vid && vlan.untagged[p] {
					delete(vlan.untagged, p)
					delete(vlan.egress, p)
				}
			}
		}
		row.untagged = set
	}
	return gosnmp.NoError
}
