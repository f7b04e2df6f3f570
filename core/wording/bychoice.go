package wording

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// byChoice: a port has one of three: the default VLAN alone, one other alone, or
// the default untagged with all other VLANs of the device tagged. There is
// nothing between. The default VLAN is VLAN 1.
var byChoice = kind{
	always: true,
	write: func(device *Device, state State) []Table {
		ports := Table{Title: "Ports", Head: []string{"Port", "Choice"}}
		ports.Rows = device.runs(func(port int) []string { return []string{choiceOf(state, state.Ports[port])} })
		return []Table{vlanList(device, state), ports}
	},
	read: func(device *Device, ts []Table, state *State) error {
		all := office.Set{}
		if err := find(ts, "VLANs").each(device, func(row *row) {
			if vid := row.vid("VLAN"); vid != 0 {
				all.Add(vid)
			}
		}); err != nil {
			return err
		}
		all.Remove(office.DefaultVID)
		return find(ts, "Ports").each(device, func(row *row) {
			text := strings.ToLower(row.text("Choice"))
			setting := only(office.DefaultVID)
			switch v, isOne := strings.CutPrefix(text, "only "); {
			case text == choiceDefault:
			case text == choiceAll:
				setting.Tagged = all
			case text == "shut":
				setting = Setting{Off: true, Filter: true}
			case isOne:
				one, err := office.ParseVID(v)
				if err != nil {
					row.wrong("Choice", err)
				}
				setting = only(one)
			default:
				row.wrong("Choice", fmt.Errorf("%q is none of: %s, only VID, %s", row.text("Choice"), choiceDefault, choiceAll))
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) {
		setting := state.Ports[port]
		if why, other := plainOnly(setting); why != "" {
			return why, other
		}
		if choiceOf(state, setting) != "" {
			return "", setting
		}
		near := only(office.DefaultVID)
		switch {
		case setting.Members() == (office.Set{}) && setting.PVID == 0:
			near = Setting{Off: true, Filter: true}
		case setting.PVID > office.DefaultVID:
			near = only(setting.PVID)
		case !setting.Tagged.Empty():
			near.Tagged = state.VLANs
			near.Tagged.Remove(office.DefaultVID)
		case !setting.Untagged.Empty():
			near = only(single(&setting.Untagged))
		}
		if near.Off {
			return "a port is always in a VLAN: shut it, or park it in a VLAN that nobody is in", near
		}
		return "a port has the default VLAN alone, one other alone, or the default untagged with all others tagged", near
	},
	steps: func(device *Device, way *way) {
		way.create("VLANs", "Create VLAN %s")
		way.each(Setting.same, func(ports []int, to Setting) Step {
			return Step{Op: Port, Ports: ports, Set: to, Where: "Ports", Text: "Port " + device.list(ports) + ": " + choiceOf(way.to, to)}
		})
		way.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(device *Device, state *State, st Step) error {
		others := state.VLANs
		others.Remove(office.DefaultVID)
		var trunks []int
		for _, port := range device.logical() {
			if !others.Empty() && state.Ports[port].Tagged == others {
				trunks = append(trunks, port)
			}
		}
		switch st.Op {
		case Create:
			state.VLANs.Add(st.VLAN)
			for _, port := range trunks { // all others is all others
				state.Ports[port].Tagged.Add(st.VLAN)
			}
			return nil
		case Delete:
			return state.delete(st.VLAN, func(setting *Setting) bool { return setting.Untagged.Has(st.VLAN) || setting.PVID == st.VLAN })
		case Port:
			to := st.Set
			if !to.Tagged.Empty() {
				to.Tagged = others // what it is called, not what it was meant to be
			}
			st.Set = to
			return applyList(state, st, func(Setting) error { return nil })
		}
		return errStep
	},
}

const (
	choiceDefault = "the default only"
	choiceAll     = "the default untagged, all others tagged"
)

// choiceOf is the choice that says a setting, "" for none.
//
//	> sheet core by-choice
//	VLANs: VLAN | Name
//	  1 | default
//	  110 | reception
//	  140 | phones
//	  160 | guests
//	  190 | devices
//	Ports: Port | Choice
//	  1-3,7-8 |
//	  4 | only 160
//	  5 | only 190
//	  6 | shut
func choiceOf(state State, setting Setting) string {
	others := state.VLANs
	others.Remove(office.DefaultVID)
	if setting.Off {
		if setting.Members() == (office.Set{}) {
			return "shut"
		}
		setting.Off = false
	}
	if setting.Untagged.Len() != 1 || !setting.Untagged.Has(setting.PVID) || len(setting.Rides) > 0 {
		return ""
	}
	switch {
	case setting.PVID == office.DefaultVID && setting.Tagged.Empty():
		return choiceDefault
	case setting.PVID == office.DefaultVID && setting.Tagged == others:
		return choiceAll
	case setting.Tagged.Empty():
		return fmt.Sprintf("only %d", setting.PVID)
	}
	return ""
}
