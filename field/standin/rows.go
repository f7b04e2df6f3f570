package standin

import (
	"slices"

	"klammer/core/office"
	"klammer/core/wording"
)

// row is a port's PVID and acceptable frames as dot1qPortVlanTable has them: a PVID is 1 to
// 4094 there, whatever the port takes. That a port has none is said in other words: it
// accepts tagged frames alone, or filters and is not in the VLAN.
type row struct {
	pvid  office.VID
	admit office.Admit
}

func rowOf(w *wording.Device, s *wording.Setting) row {
	in := s.Members()
	keeps := slices.Contains(w.Wording.Habits, office.KeepsPVIDVLAN) && !in.Empty()
	switch {
	case s.PVID != 0:
		return row{s.PVID, s.Admit}
	case keeps:
		return row{in.VIDs()[0], office.AdmitTagged}
	case s.Filter && (s.Admit == office.AdmitUntagged || !in.Has(office.DefaultVID)):
		v := office.VID(office.DefaultVID)
		for in.Has(v) {
			v++
		}
		return row{v, s.Admit}
	}
	return row{office.DefaultVID, office.AdmitTagged}
}

// rowsOf is the rows of a state.
func rowsOf(w *wording.Device, s wording.State) []row {
	out := make([]row, len(s.Ports))
	for p := range out {
		out[p] = rowOf(w, &s.Ports[p])
	}
	return out
}

// literal is a state as its rows say it.
func literal(s wording.State, rows []row) wording.State {
	s.Ports = slices.Clone(s.Ports)
	for p := range s.Ports {
		s.Ports[p].PVID, s.Ports[p].Admit = rows[p].pvid, rows[p].admit
	}
	return s
}

// spelled is a state in the words of the one before, where a port had no PVID and still
// takes no untagged frame.
func spelled(s, before wording.State) wording.State {
	s.Ports = slices.Clone(s.Ports)
	for p := range s.Ports {
		x, was := s.Ports[p], &before.Ports[p]
		x.PVID, x.Admit = 0, was.Admit
		if was.PVID == 0 && !x.Off && x.ForwardsAs(&s.Ports[p]) {
			s.Ports[p] = x
		}
	}
	return s
}
