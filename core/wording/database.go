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
	cannot: func(device *Device, state State, port int) (string, Setting) { return asRow(state.Ports[port]) },
	apply: func(device *Device, state *State, st Step) error {
		if why, _ := asRow(st.Set); why != "" {
			return errors.New(why)
		}
		return plain.apply(device, state, st)
	},
}

// byDatabase says whether a device is set by rows of its database and by nothing else.
func byDatabase(device *office.Device) bool {
	named := device.Wording.Name != "" && device.Wording.Name != office.Linux
	return !named && len(device.Speaks) > 0 && !slices.ContainsFunc(device.Speaks, func(speaks office.Speaks) bool { return speaks.Protocol != office.OVSDB })
}

// asRow is why a setting is no row, and what comes nearest; "" where it is one.
//
//	> steps core plain 6: 110 [140]
//	[Ports] 6: untagged 110, tagged 140, PVID 110
//	[Device] Save, so that it stays after a power cut
func asRow(setting Setting) (why string, nearest Setting) {
	other := setting
	switch {
	case len(setting.Rides) > 0:
		other.Rides = nil
		return "it has no translation of VIDs", other
	case !setting.Filter:
		other.Filter = true
		return "ingress filtering is always on", other
	case setting.Untagged.Len() > 1:
		admit := setting.Admit
		setting.Admit = office.AdmitAll
		why, other = oneNative(setting)
		other.Admit = admit
		return why, other
	case setting.Untagged.Empty() && setting.PVID != 0 && !setting.Tagged.Has(setting.PVID):
		other.PVID = 0
		return "a PVID is a VLAN of the port", other
	case !setting.Untagged.Empty() && !setting.Untagged.Has(setting.PVID):
		other.PVID = single(&setting.Untagged)
		return "the PVID is always the untagged VLAN", other
	case setting.Admit == office.AdmitUntagged && (!setting.Tagged.Empty() || setting.Untagged.Empty()):
		other.Admit = office.AdmitAll
		return "only a port that carries nothing tagged refuses tagged frames", other
	case setting.Admit == office.AdmitTagged && setting.PVID != 0:
		other.Admit = office.AdmitAll
		return "it cannot be told to admit only tagged frames where it has a PVID", other
	}
	return "", setting
}
