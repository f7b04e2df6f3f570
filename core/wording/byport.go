package wording

import (
	"errors"
	"fmt"
	"slices"

	"klammer/core/office"
)

// byPort: a mode a port. Access: one VLAN. Trunk: a native VLAN and a list of
// allowed ones. Mixed: an untagged list, a tagged list and a PVID.
//
// A trunk's native VLAN is in its list of allowed ones, unless the device's
// habit is native-outside. Some have no mixed mode (modes access,trunk). With the habit starts-all a port that becomes a trunk
// carries every VLAN of the device until its list is set. VLANs are created
// first; one that a port has cannot be deleted.
var byPort = kind{
	write: func(device *Device, state State) []Table {
		ports := Table{Title: "Ports", Head: []string{"Port", "Mode", "VLAN", "Allowed VLANs", "Untagged VLANs", "PVID"}}
		ports.Rows = device.runs(func(port int) []string { return portCells(device, state.Ports[port]) })
		return []Table{vlanList(device, state), ports}
	},
	read: func(device *Device, ts []Table, state *State) error {
		return find(ts, "Ports").each(device, func(row *row) {
			var setting Setting
			setting.Filter = true
			switch mode := row.choice("Mode", "access", "trunk", "mixed", "shut"); mode {
			case 0:
				setting = only(row.vid("VLAN"))
				if setting.PVID == 0 {
					row.wrong("VLAN", fmt.Errorf("an access port has a VLAN"))
				}
			case 1:
				setting.Tagged, setting.PVID = row.vids("Allowed VLANs"), row.vid("VLAN")
				if setting.PVID != 0 {
					if !setting.Tagged.Has(setting.PVID) && !device.habit(office.NativeOutside) {
						row.wrong("Allowed VLANs", fmt.Errorf("the native VLAN %d is not among them", setting.PVID))
					}
					setting.Tagged.Remove(setting.PVID)
					setting.Untagged.Add(setting.PVID)
				}
			case 2:
				setting.Untagged, setting.Tagged, setting.PVID = row.vids("Untagged VLANs"), row.vids("Allowed VLANs"), row.vid("PVID")
				if both := setting.Untagged.And(&setting.Tagged); !both.Empty() {
					row.wrong("Allowed VLANs", fmt.Errorf("VLAN %d is untagged and tagged: one of both", single(&both)))
				}
			case 3:
				setting.Off = true
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) {
		if why, near := plainOnly(state.Ports[port]); why != "" {
			return why, near
		}
		return noMixed(device, state.Ports[port])
	},
	steps: func(device *Device, way *way) {
		way.create("VLANs", "Create VLAN %s")
		if device.habit(office.StartsAll) {
			way.eachOf(func(port int) bool { return becomesTrunk(way.now.Ports[port], way.to.Ports[port]) }, Setting.same, func(ports []int, to Setting) Step {
				return Step{Op: Port, Ports: ports, Set: to, Where: "Ports",
					Text: fmt.Sprintf("Port %s: trunk, native VLAN %s; its list starts as all VLANs", device.list(ports), vidOr(to.PVID, "none"))}
			})
		}
		way.each(Setting.same, func(ports []int, to Setting) Step {
			text := modeText(device, to)
			if device.habit(office.StartsAll) && trunk(to) && trunk(way.now.Ports[ports[0]]) && way.now.Ports[ports[0]].PVID == to.PVID {
				text = "allowed VLANs " + orNone(vids(allowed(device, to))) + ", and no other"
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: "Ports", Text: "Port " + device.list(ports) + ": " + text}
		})
		way.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(device *Device, state *State, st Step) error {
		before := slices.Clone(state.Ports)
		if err := applyList(state, st, func(to Setting) error {
			if why, _ := noMixed(device, to); why != "" {
				return errors.New(why)
			}
			return nil
		}); err != nil {
			return err
		}
		for _, port := range st.Ports {
			if setting := &state.Ports[port]; st.Op == Port && device.habit(office.StartsAll) && becomesTrunk(before[port], *setting) {
				setting.Tagged = state.VLANs.Minus(&setting.Untagged)
			}
		}
		return nil
	},
}

// noMixed is what a device of access and trunk ports alone cannot say.
func noMixed(device *Device, setting Setting) (why string, near Setting) {
	if !device.habit(office.NoMixed) || portMode(setting) != "mixed" {
		return "", setting
	}
	_, near = oneNative(setting)
	return "it has access and trunk ports and no mixed ones", near
}

func trunk(setting Setting) bool {
	setting.Off = false
	return portMode(setting) == "trunk"
}

// becomesTrunk says whether a port that was none is to be a trunk.
func becomesTrunk(now, to Setting) bool { return trunk(to) && !trunk(now) }

// same is Equal for settings of shut ports too.
func (s Setting) same(setting Setting) bool {
	s.Off, setting.Off = false, false
	return s.Equal(setting)
}

// applyList is how devices that keep a list of VLANs and set a port at once
// take steps.
func applyList(state *State, st Step, check func(Setting) error) error {
	switch st.Op {
	case Create:
		state.VLANs.Add(st.VLAN)
		return nil
	case Delete:
		return state.delete(st.VLAN, func(setting *Setting) bool {
			return setting.Untagged.Has(st.VLAN) || setting.Tagged.Has(st.VLAN) || setting.PVID == st.VLAN
		})
	case Port:
		if err := allKnown(state, st.Set); err != nil {
			return err
		}
		if err := check(st.Set); err != nil {
			return err
		}
		for _, p := range st.Ports {
			state.put(p, st.Set)
		}
		return nil
	}
	return errStep
}

// vlanList is the table of the VLANs that the device knows.
func vlanList(device *Device, state State) Table {
	table := Table{Title: "VLANs", Head: []string{"VLAN", "Name"}}
	for vid := range state.VLANs.All() {
		table.Rows = append(table.Rows, []string{fmt.Sprint(vid), nameOnly(device, vid)})
	}
	return table
}

// portMode is the simplest mode that says a setting.
func portMode(setting Setting) string {
	switch {
	case setting.Off:
		return "shut"
	case setting.Tagged.Empty() && setting.Untagged.Len() == 1 && setting.Untagged.Has(setting.PVID):
		return "access"
	case setting.Untagged.Empty() && setting.PVID == 0, setting.Untagged.Len() == 1 && setting.Untagged.Has(setting.PVID):
		return "trunk"
	}
	return "mixed"
}

// allowed is a trunk's list: with the native VLAN, where the device wants it
// there.
func allowed(device *Device, setting Setting) office.Set {
	all := setting.Tagged
	if setting.PVID != 0 && !device.habit(office.NativeOutside) {
		all.Add(setting.PVID)
	}
	return all
}

// portCells is a port as a row: its mode, then only the columns that this mode has. A trunk's
// "native" is the PVID that also leaves untagged (802.1Q, 6.9 and 8.8).
//
//	> sheet core by-port
//	VLANs: VLAN | Name
//	  1 | default
//	  110 | reception
//	  140 | phones
//	  160 | guests
//	  190 | devices
//	Ports: Port | Mode | VLAN | Allowed VLANs | Untagged VLANs | PVID
//	  1-3 | trunk | 110 | 110,140 |  |
//	  4 | access | 160 |  |  |
//	  5 | access | 190 |  |  |
//	  6 | trunk | none | none |  |
//	  7-8 | trunk | 190 | 110,140,160,190 |  |
func portCells(device *Device, setting Setting) []string {
	switch m := portMode(setting); m {
	case "access":
		return []string{m, fmt.Sprint(setting.PVID), "", "", ""}
	case "trunk":
		return []string{m, vidOr(setting.PVID, "none"), orNone(vids(allowed(device, setting))), "", ""}
	case "mixed":
		return []string{m, "", orNone(vids(setting.Tagged)), orNone(vids(setting.Untagged)), vidOr(setting.PVID, "none")}
	default:
		return []string{m, "", "", "", ""}
	}
}

// modeText says what to choose for a port, mode first, in the order in which the page asks.
//
//	> steps core by-port 1: 160;
//	[Ports] Port 1: access, VLAN 160 guests
//	[Device] Save, so that it stays after a power cut
func modeText(device *Device, setting Setting) string {
	switch portMode(Setting{Untagged: setting.Untagged, Tagged: setting.Tagged, PVID: setting.PVID}) {
	case "access":
		return "access, VLAN " + device.name(setting.PVID)
	case "trunk":
		return fmt.Sprintf("trunk, native VLAN %s, allowed VLANs %s", vidOr(setting.PVID, "none"), orNone(vids(allowed(device, setting))))
	}
	return fmt.Sprintf("mixed, untagged VLANs %s, tagged VLANs %s, PVID %s", orNone(vids(setting.Untagged)), orNone(vids(setting.Tagged)), vidOr(setting.PVID, "none"))
}
