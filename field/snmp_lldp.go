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
func (s *snmp) neighbours(ctx context.Context, r *Reading, place map[int]int) error {
	rows, err := s.table(ctx, "the devices it hears", mib.RemChassisSubtype, mib.RemChassisID, mib.RemPortIDSubtype, mib.RemPortID, mib.RemPortDesc, mib.RemSysName, mib.RemCapEnabled)
	if err != nil {
		return err
	}
	local, err := s.table(ctx, "its own ports of LLDP", mib.LocPortID, mib.LocPortDesc)
	if err != nil {
		return err
	}
	if len(rows[mib.RemPortID]) == 0 && len(local[mib.LocPortID]) == 0 {
		r.NotTold = append(r.NotTold, TellsNeighbours)
		return nil
	}
	called := map[int][]string{}
	for _, c := range []string{mib.LocPortID, mib.LocPortDesc} {
		for _, x := range local[c] {
			called[x.index[0]] = append(called[x.index[0]], plain(string(octets(x.pdu))))
		}
	}
	byIndex := map[int]int{}
	for k := range r.Ports {
		byIndex[r.Ports[k].Index] = k
	}
	find := func(n int) (int, bool) {
		for _, name := range called[n] {
			for k := range r.Ports {
				if name != "" && (r.Ports[k].Name == name || r.Ports[k].Descr == name) {
					return k, true
				}
			}
		}
		if k, ok := place[n]; ok {
			return k, true
		}
		k, ok := byIndex[n]
		return k, ok
	}
	type heard struct {
		local                     int
		chassis, port, desc, name string
		subtype                   int
		card                      office.MAC
		phone                     bool
	}
	by := map[string]*heard{}
	var order []string
	for _, c := range []string{mib.RemPortIDSubtype, mib.RemPortID, mib.RemPortDesc, mib.RemSysName, mib.RemChassisID, mib.RemCapEnabled} {
		for _, x := range rows[c] {
			if len(x.index) < 3 {
				continue
			}
			key := fmt.Sprint(x.index)
			h := by[key]
			if h == nil {
				h = &heard{local: x.index[1]}
				by[key] = h
				order = append(order, key)
			}
			switch text := octets(x.pdu); c {
			case mib.RemPortIDSubtype:
				h.subtype = number(x.pdu)
			case mib.RemPortID:
				if h.subtype == mib.PortIDMAC && len(text) == 6 {
					h.port = fmt.Sprintf("%x", text)
					h.card, _ = office.MACOf(text)
				} else {
					h.port = plain(string(text))
				}
			case mib.RemPortDesc:
				h.desc = plain(string(text))
			case mib.RemSysName:
				h.name = plain(string(text))
			case mib.RemChassisID:
				h.chassis = fmt.Sprintf("%x", text)
			case mib.RemCapEnabled:
				h.phone = len(text) > 0 && text[0]&mib.CapTelephone != 0
			}
		}
	}
	more, err := s.extensions(ctx)
	if err != nil {
		return err
	}
	for _, key := range order {
		h := by[key]
		k, ok := find(h.local)
		if !ok {
			r.wrong("it hears %s at its port %d, which it tells nothing else of", h.name, h.local)
			continue
		}
		port := h.port
		if h.subtype == mib.PortIDMAC && h.desc != "" {
			port = h.desc
		}
		name := h.name
		if name == "" {
			name = h.chassis
		}
		n := Neighbour{Port: k, Device: name, RemotePort: port, Card: h.card, Phone: h.phone}
		if x := more[key]; x != nil {
			n.PVID, n.Voice, n.VoiceTagged, n.Aggregated = x.PVID, x.Voice, x.VoiceTagged, x.Aggregated
			n.Phone = n.Phone || x.Phone
		}
		r.Neighbours = append(r.Neighbours, n)
	}
	slices.SortStableFunc(r.Neighbours, func(a, b Neighbour) int { return a.Port - b.Port }) // rows are by when they were heard
	return nil
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
		for _, x := range rows[c] {
			if len(x.index) < 3 || len(x.index) < 4 && (c == mib.MedRemVLAN || c == mib.MedRemTagged) {
				continue
			}
			n := at(x.index[:3])
			switch c {
			case mib.Dot1RemPVID:
				n.PVID, _ = office.VIDOf(number(x.pdu))
			case mib.Dot3RemAggStatus:
				b := octets(x.pdu)
				n.Aggregated = len(b) > 0 && b[0]&mib.Aggregated != 0
			case mib.MedRemClass:
				n.Phone = number(x.pdu) == mib.MedClass3
			case mib.MedRemVLAN:
				if x.index[3] == mib.MedVoice {
					n.Voice, _ = office.VIDOf(number(x.pdu))
				}
			case mib.MedRemTagged:
				if x.index[3] == mib.MedVoice {
					n.VoiceTagged = number(x.pdu) == mib.True
				}
			}
		}
	}
	return out, nil
}
