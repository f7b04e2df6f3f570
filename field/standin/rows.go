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

// rowOf is how a device shows a port in columns that have no word for "none": dot1qPvid is a VLAN
// always (RFC 4363), so that a port without a PVID shows the first that it is in, or one that it is
// not in and whose frames the filter drops.
func rowOf(device *wording.Device, setting *wording.Setting) row {
	in := setting.Members()
	keeps := slices.Contains(device.Wording.Habits, office.KeepsPVIDVLAN) && !in.Empty()
	switch {
	case setting.PVID != 0:
		return row{setting.PVID, setting.Admit}
	case keeps:
		return row{in.VIDs()[0], office.AdmitTagged}
	case setting.Filter && (setting.Admit == office.AdmitUntagged || !in.Has(office.DefaultVID)):
		vid := office.VID(office.DefaultVID)
		for in.Has(vid) {
			vid++
		}
		return row{vid, setting.Admit}
	}
	return row{office.DefaultVID, office.AdmitTagged}
}

// rowsOf is the rows of a state.
func rowsOf(device *wording.Device, state wording.State) []row {
	out := make([]row, len(state.Ports))
	for port := range out {
		out[port] = rowOf(device, &state.Ports[port])
	}
	return out
}

// literal is a state as its rows say it.
func literal(state wording.State, rows []row) wording.State {
	state.Ports = slices.Clone(state.Ports)
	for port := range state.Ports {
		state.Ports[port].PVID, state.Ports[port].Admit = rows[port].pvid, rows[port].admit
	}
	return state
}

// spelled is a state in the words of the one before, where a port had no PVID and still
// takes no untagged frame.
func spelled(state, before wording.State) wording.State {
	state.Ports = slices.Clone(state.Ports)
	for port := range state.Ports {
		setting, was := state.Ports[port], &before.Ports[port]
		setting.PVID, setting.Admit = 0, was.Admit
		if was.PVID == 0 && !setting.Off && setting.ForwardsAs(&state.Ports[port]) {
			state.Ports[port] = setting
		}
	}
	return state
}
