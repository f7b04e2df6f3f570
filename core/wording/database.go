package wording

import (
	"errors"
	"slices"

	"klammer/core/office"
)

// database is a port as a row of a switch's database has it (the Port table of Open vSwitch):
// a mode, one tag, a list of trunks. It is the wording of a device that speaks OVSDB alone,
// whatever else was said of it; on paper its values stand as on the plain sheet.
var database = kind{
	write: plain.write, read: plain.read, factory: plain.factory, steps: plain.steps,
	cannot: func(d *Device, s State, p int) (string, Setting) { return asRow(s.Ports[p]) },
	apply: func(d *Device, s *State, st Step) error {
		if why, _ := asRow(st.Set); why != "" {
			return errors.New(why)
		}
		return plain.apply(d, s, st)
	},
}

// byDatabase says whether a device is set by rows of its database and by nothing else.
func byDatabase(d *office.Device) bool {
	named := d.Wording.Name != "" && d.Wording.Name != office.Linux
	return !named && len(d.Speaks) > 0 && !slices.ContainsFunc(d.Speaks, func(s office.Speaks) bool { return s.Protocol != office.OVSDB })
}

// asRow is why a setting is no row, and what comes nearest; "" where it is one.
func asRow(s Setting) (why string, nearest Setting) {
	n := s
	switch {
	case len(s.Rides) > 0:
		n.Rides = nil
		return "it has no translation of VIDs", n
	case !s.Filter:
		n.Filter = true
		return "ingress filtering is always on", n
	case s.Untagged.Len() > 1:
		admit := s.Admit
		s.Admit = office.AdmitAll
		why, n = oneNative(s)
		n.Admit = admit
		return why, n
	case s.Untagged.Empty() && s.PVID != 0 && !s.Tagged.Has(s.PVID):
		n.PVID = 0
		return "a PVID is a VLAN of the port", n
	case !s.Untagged.Empty() && !s.Untagged.Has(s.PVID):
		n.PVID = single(&s.Untagged)
		return "the PVID is always the untagged VLAN", n
	case s.Admit == office.AdmitUntagged && (!s.Tagged.Empty() || s.Untagged.Empty()):
		n.Admit = office.AdmitAll
		return "only a port that carries nothing tagged refuses tagged frames", n
	case s.Admit == office.AdmitTagged && s.PVID != 0:
		n.Admit = office.AdmitAll
		return "it cannot be told to admit only tagged frames where it has a PVID", n
	}
	return "", s
}
