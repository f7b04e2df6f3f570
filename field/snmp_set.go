package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/gosnmp/gosnmp"

	"klammer/core/office"
	"klammer/core/wording"
	"klammer/field/mib"
)

// Refused is a device that does not take what it was told.
type Refused struct {
	What string // "VLAN 110: egress ports"
	Why  string
}

func (r *Refused) Error() string { return fmt.Sprintf("refused (%s): %s", r.What, r.Why) }

// object is one that is set, with what it is in words.
type object struct {
	pdu  gosnmp.SnmpPDU
	what string
}

// Set leads the device from one state to another: one request where it fits into one
// (all of it is then done or nothing, RFC 3416, 4.2.5); where the device refuses
// that, the same in the order in which nobody loses what he keeps: new VLANs, ports
// that come, PVIDs and frames, ports that go, VLANs that go. A port that takes no
// untagged frames is said in one of several ways ([none]): those that the device may
// take are tried one after the other, each from what it is then set to.
func (s *snmp) Set(ctx context.Context, device *office.Device, match Match, from, to wording.State) error {
	s.client.Context = ctx
	if s.reading == nil {
		return fmt.Errorf("%s was not read before it is set", s.at)
	}
	var first error
	for _, way := range s.nones(device, match, from, to) {
		parts, err := s.changes(device, match, from, to, way)
		if err == nil {
			err = s.phases(parts)
		}
		var no *Refused
		if err == nil || !errors.As(err, &no) {
			return err
		}
		if first == nil {
			first = err
			if !keepsPVID(device) && strings.Contains(no.Why, errorName(gosnmp.InconsistentValue)) {
				first = fmt.Errorf("%w (does it keep a port in the VLAN of its PVID? then say so: wording by-vlan keeps-pvid-vlan)", err)
			}
		}
		reading, wrong := s.Read(ctx)
		if wrong != nil {
			return first
		}
		from = told(reading, device, match, from)
	}
	return first
}

// told is a state with the ports as they were told.
func told(reading *Reading, device *office.Device, match Match, state wording.State) wording.State {
	set := map[int]wording.Setting{}
	for p := range device.Ports {
		if device.Ports[p].Bundle == 0 && match[p] >= 0 && reading.Ports[match[p]].Bridged {
			setting := reading.Ports[match[p]].Set
			setting.Off = reading.Ports[match[p]].Shut
			set[p] = setting
		}
	}
	return state.WithAll(set)
}

// phases sets all at once, or else part by part.
func (s *snmp) phases(parts [][]object) error {
	all := slices.Concat(parts...)
	if len(all) == 0 {
		return nil
	}
	if len(all) <= mostVarbinds {
		err := s.put(s.once(all))
		var no *Refused
		if err == nil || !errors.As(err, &no) {
			return err
		}
	}
	for _, part := range parts {
		for len(part) > 0 {
			n := 1
			for n < len(part) && n < mostVarbinds && sameRow(part[0], part[n]) {
				n++
			}
			if err := s.each(part[:n]); err != nil {
				return err
			}
			part = part[n:]
		}
	}
	return nil
}

// each sets objects of one row together, or where the device refuses that one by one. What
// it refuses and has already is not refused: an answer may have been lost, or the device
// did it of its own accord.
func (s *snmp) each(all []object) error {
	err := s.put(all)
	var no *Refused
	if !errors.As(err, &no) {
		return err
	}
	var wait *object // a row that is in force when its lists are there
	for i, one := range all {
		if len(all) > 1 || i > 0 {
			err = s.put([]object{one})
		}
		if !errors.As(err, &no) {
			if err != nil {
				return err
			}
			continue
		}
		if so, wrong := s.already(one); wrong != nil || so {
			if wrong != nil {
				return wrong
			}
			continue
		}
		if one.pdu.Value != mib.RowCreateAndGo || !s.isRow(one) {
			return err
		}
		if s.knows(one) { // a row that can be set, and not read
			continue
		}
		go2 := one // which agents have that know no createAndGo (RFC 2579, RowStatus)
		go2.pdu.Value = mib.RowCreateAndWait
		if wrong := s.put([]object{go2}); wrong != nil {
			return err
		}
		go2.pdu.Value = mib.RowActive
		wait = &go2
	}
	if wait != nil {
		return s.put([]object{*wait})
	}
	return nil
}

func (s *snmp) isRow(object object) bool {
	_, ok := below(object.pdu.Name, mib.StaticRowStatus)
	return ok
}

// knows says whether the device told of the VLAN of a row.
func (s *snmp) knows(object object) bool {
	index, _ := below(object.pdu.Name, mib.StaticRowStatus)
	return slices.ContainsFunc(s.reading.VLANs, func(vlan VLAN) bool { return int(vlan.VID) == index[0] })
}

// already says whether the device has what it was told to be set to.
func (s *snmp) already(object object) (bool, error) {
	packet, err := s.client.Get([]string{object.pdu.Name})
	if err != nil {
		return false, s.says("asked for what it refused", err)
	}
	s.requests++
	if packet.Error != gosnmp.NoError || len(packet.Variables) != 1 {
		return false, nil
	}
	pdu := packet.Variables[0]
	there := pdu.Type != gosnmp.NoSuchInstance && pdu.Type != gosnmp.NoSuchObject
	so := false
	switch want := object.pdu.Value.(type) {
	case []byte:
		so = there && slices.Equal(portList(want), portList(octets(pdu)))
	default:
		n := number(gosnmp.SnmpPDU{Type: gosnmp.Integer, Value: want})
		switch {
		case s.isRow(object) && n == mib.RowDestroy:
			so = !there
		case s.isRow(object):
			so = there && number(pdu) == mib.RowActive
		default:
			so = there && number(pdu) == n
		}
	}
	if so {
		s.took([]gosnmp.SnmpPDU{object.pdu})
	}
	return so, nil
}

// once is objects without those that another sets later: a port list that grows and
// then shrinks is set to what it ends as.
func (s *snmp) once(all []object) (out []object) {
	last := map[string]int{}
	for i, object := range all {
		last[object.pdu.Name] = i
	}
	for i, object := range all {
		if last[object.pdu.Name] == i {
			out = append(out, object)
		}
	}
	return out
}

// sameRow says whether two objects are of one row, or of one column where it is one
// value a port.
func sameRow(a, b object) bool {
	cut := func(name string) (string, string) {
		i := strings.LastIndexByte(name, '.')
		return name[:i], name[i:]
	}
	ca, ia := cut(a.pdu.Name)
	cb, ib := cut(b.pdu.Name)
	static := mib.StaticTable
	if strings.HasPrefix(ca, static) && strings.HasPrefix(cb, static) {
		return ia == ib
	}
	return ca == cb
}

// put sends one request that sets. A lost answer is asked for again by the library;
// setting the same twice comes to the same.
func (s *snmp) put(all []object) error {
	pdus := make([]gosnmp.SnmpPDU, len(all))
	for i, object := range all {
		pdus[i] = object.pdu
	}
	if list := rehearsing(s.client.Context); list != nil {
		for _, object := range all {
			*list = append(*list, pduText(object))
		}
		return nil
	}
	packet, err := s.client.Set(pdus)
	if err != nil {
		return s.says("told to set "+all[0].what, err)
	}
	s.requests++
	if packet.Error == gosnmp.NoError {
		s.took(pdus)
		return nil
	}
	what := all[0].what
	if i := int(packet.ErrorIndex); i >= 1 && i <= len(all) {
		what = all[i-1].what
	}
	return &Refused{what, errorName(packet.Error)}
}

// took notes what is there now, for the next request.
func (s *snmp) took(pdus []gosnmp.SnmpPDU) {
	for _, pdu := range pdus {
		if b, ok := pdu.Value.([]byte); ok {
			s.lists[pdu.Name] = b
		}
		if index, ok := below(pdu.Name, mib.StaticRowStatus); ok {
			s.static[office.VID(index[0])] = pdu.Value != mib.RowDestroy
		}
	}
}

// Save sets the object that saves, where the office says that the device has one.
func (s *snmp) Save(ctx context.Context) error {
	s.client.Context = ctx
	oid, value, ok := strings.Cut(s.save, "=")
	if !ok {
		return ErrNoSave
	}
	n, err := strconv.Atoi(value)
	if err != nil {
		return fmt.Errorf("%q is no number", value)
	}
	return s.put([]object{{gosnmp.SnmpPDU{Name: strings.TrimSuffix(oid, ".0") + ".0", Type: gosnmp.Integer, Value: n}, "saving"}})
}
