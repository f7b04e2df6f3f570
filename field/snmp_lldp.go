package field

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"klammer/core/office"
	"klammer/field/mib"
)

// neighbours reads which devices are heard (IEEE 802.1AB). Local ports are numbered
// as the agent likes: as its base ports, or else as its interfaces; what it calls
// them decides where it says.
//
// Many branches: agents number and name their ports in different ways, each tried in turn.
func (s *snmp) neighbours(ctx context.Context, reading *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "the devices it hears", mib.RemChassisSubtype, mib.RemChassisID, mib.RemPortIDSubtype, mib.RemPortID, mib.RemPortDesc, mib.RemSysName, mib.RemCapEnabled)
	if err != nil {
		return err
	}
	local, err := s.table(ctx, "its own ports of LLDP", mib.LocPortID, mib.LocPortDesc)
	if err != nil {
		return err
	}
	if len(rows[mib.RemPortID]) == 0 && len(local[mib.LocPortID]) == 0 {
		reading.NotTold = append(reading.NotTold, TellsNeighbours)
		return nil
	}
	called := map[int][]string{}
	for _, c := range []string{mib.LocPortID, mib.LocPortDesc} {
		for _, row := range local[c] {
			called[row.index[0]] = append(called[row.index[0]], plain(string(octets(row.pdu))))
		}
	}
	byIndex := map[int]int{}
	for port := range reading.Ports {
		byIndex[reading.Ports[port].Index] = port
	}
	find := func(n int) (int, bool) {
		for _, name := range called[n] {
			for port := range reading.Ports {
				if name != "" && (reading.Ports[port].Name == name || reading.Ports[port].Descr == name) {
					return port, true
				}
			}
		}
		if k, ok := place[n]; ok {
			return k, true
		}
		k, ok := byIndex[n]
		return k, ok
	}
	order, by := rowsHeard(rows)
	more, err := s.extensions(ctx)
	if err != nil {
		return err
	}
	for _, key := range order {
		other := by[key]
		k, ok := find(other.local)
		if !ok {
			reading.wrong("it hears %s at its port %d, which it tells nothing else of", other.name, other.local)
			continue
		}
		port := other.port
		if other.subtype == mib.PortIDMAC && other.desc != "" {
			port = other.desc
		}
		name := other.name
		if name == "" {
			name = other.chassis
		}
		neighbour := Neighbour{Port: k, Device: name, RemotePort: port, Card: other.card, Phone: other.phone}
		if one := more[key]; one != nil {
			neighbour.PVID, neighbour.Voice, neighbour.VoiceTagged, neighbour.Aggregated = one.PVID, one.Voice, one.VoiceTagged, one.Aggregated
			neighbour.Phone = neighbour.Phone || one.Phone
		}
		reading.Neighbours = append(reading.Neighbours, neighbour)
	}
	slices.SortStableFunc(reading.Neighbours, func(a, b Neighbour) int { return a.Port - b.Port }) // rows are by when they were heard
	return nil
}

// heard is a row of what an agent hears.
type heard struct {
	local                     int
	chassis, port, desc, name string
	subtype                   int
	card                      office.MAC
	phone                     bool
}

// rowsHeard puts the columns of what is heard together by row, in the order of the table.
func rowsHeard(rows map[string][]row) (order []string, by map[string]*heard) {
	by = map[string]*heard{}
	for _, c := range []string{mib.RemPortIDSubtype, mib.RemPortID, mib.RemPortDesc, mib.RemSysName, mib.RemChassisID, mib.RemCapEnabled} {
		for _, row := range rows[c] {
			if len(row.index) < 3 {
				continue
			}
			key := fmt.Sprint(row.index)
			one := by[key]
			if one == nil {
				one = &heard{local: row.index[1]}
				by[key] = one
				order = append(order, key)
			}
			switch text := octets(row.pdu); c {
			case mib.RemPortIDSubtype:
				one.subtype = number(row.pdu)
			case mib.RemPortID:
				if one.subtype == mib.PortIDMAC && len(text) == 6 {
					one.port = fmt.Sprintf("%x", text)
					one.card, _ = office.MACOf(text)
				} else {
					one.port = plain(string(text))
				}
			case mib.RemPortDesc:
				one.desc = plain(string(text))
			case mib.RemSysName:
				one.name = plain(string(text))
			case mib.RemChassisID:
				one.chassis = fmt.Sprintf("%x", text)
			case mib.RemCapEnabled:
				one.phone = len(text) > 0 && text[0]&mib.CapTelephone != 0
			}
		}
	}
	return order, by
}

// extensions reads what neighbours say beside who they are, by the index of their row: the
// VLAN of their port (IEEE 802.1Q, annex D), whether it is in a bundle (IEEE 802.3, 79.3.3, or
// 802.1), and of what speaks LLDP-MED (ANSI/TIA-1057) its class and the VLAN of its voice.
func (s *snmp) extensions(ctx context.Context) (map[string]*Neighbour, error) {
	rows, err := s.table(ctx, "what its neighbours say of VLANs", mib.Dot1RemPVID)
	if err != nil {
		return nil, err
	}
	for _, part := range []struct {
		what    string
		columns []string
	}{{"the bundles of its neighbours", []string{mib.Dot3RemAggStatus}}, {"the classes of its neighbours", []string{mib.MedRemClass}}, {"their voice VLANs", []string{mib.MedRemVLAN, mib.MedRemTagged}}} {
		more, err := s.table(ctx, part.what, part.columns...)
		if err != nil {
			return nil, err
		}
		maps.Copy(rows, more)
	}
	out := map[string]*Neighbour{}
	at := func(index []int) *Neighbour {
		key := fmt.Sprint(index)
		if out[key] == nil {
			out[key] = &Neighbour{}
		}
		return out[key]
	}
	for _, c := range []string{mib.Dot1RemPVID, mib.Dot3RemAggStatus, mib.MedRemClass, mib.MedRemVLAN, mib.MedRemTagged} {
		for _, row := range rows[c] {
			if len(row.index) < 3 || len(row.index) < 4 && (c == mib.MedRemVLAN || c == mib.MedRemTagged) {
				continue
			}
			neighbour := at(row.index[:3])
			switch c {
			case mib.Dot1RemPVID:
				neighbour.PVID, _ = office.VIDOf(number(row.pdu))
			case mib.Dot3RemAggStatus:
				b := octets(row.pdu)
				neighbour.Aggregated = len(b) > 0 && b[0]&mib.Aggregated != 0
			case mib.MedRemClass:
				neighbour.Phone = number(row.pdu) == mib.MedClass3
			case mib.MedRemVLAN:
				if row.index[3] == mib.MedVoice {
					neighbour.Voice, _ = office.VIDOf(number(row.pdu))
				}
			case mib.MedRemTagged:
				if row.index[3] == mib.MedVoice {
					neighbour.VoiceTagged = number(row.pdu) == mib.True
				}
			}
		}
	}
	return out, nil
}
