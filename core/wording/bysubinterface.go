package wording

import (
	"fmt"

	"klammer/core/office"
)

// bySubInterface: per parent port what rides untagged, and a sub-interface for
// each tagged VLAN, with its address, hand-out range and zone.
var bySubInterface = kind{
	write: func(device *Device, state State) []Table {
		table := Table{Title: "Interfaces", Head: []string{"Port", "Frames", "VLAN", "Name", "Address", "Hands out", "Zone"}}
		for _, port := range device.logical() {
			setting, name := state.Ports[port], device.list([]int{port})
			if setting.Off {
				table.Rows = append(table.Rows, []string{name, "shut", "", "", "", "", ""})
				continue
			}
			if setting.Members() == (office.Set{}) {
				table.Rows = append(table.Rows, []string{name, "untagged", "none", "", "", "", ""})
			}
			for vid := range setting.Untagged.All() {
				table.Rows = append(table.Rows, append([]string{name, "untagged"}, addressCells(device, port, vid)...))
			}
			for vid := range setting.Tagged.All() {
				table.Rows = append(table.Rows, append([]string{name, "tagged"}, addressCells(device, port, vid)...))
			}
		}
		return []Table{table}
	},
	read: func(device *Device, ts []Table, state *State) error {
		return find(ts, "Interfaces").each(device, func(row *row) {
			for _, port := range row.ports("Port") {
				setting := &state.Ports[port]
				vid := row.vid("VLAN")
				switch row.choice("Frames", "untagged", "tagged", "shut") {
				case 0:
					if vid == 0 {
						continue
					}
					if !setting.Untagged.Empty() {
						row.wrong("Frames", fmt.Errorf("port %s has an untagged VLAN already", device.Ports[port].Name))
					}
					setting.Untagged.Add(vid)
					setting.PVID = vid
				case 1:
					if vid == 0 {
						row.wrong("VLAN", fmt.Errorf("a sub-interface has a VID"))
						return
					}
					setting.Tagged.Add(vid)
				case 2:
					*setting = Setting{Off: true, Filter: true}
				}
				if both := setting.Untagged.And(&setting.Tagged); !both.Empty() {
					row.wrong("Frames", fmt.Errorf("VLAN %d is untagged and tagged on port %s: one of both", single(&both), device.Ports[port].Name))
				}
			}
		})
	},
	cannot:  func(device *Device, state State, port int) (string, Setting) { return oneNative(state.Ports[port]) },
	factory: func(device *Device, p int) Setting { return Setting{Filter: true} },
	steps: func(device *Device, way *way) {
		for _, port := range device.logical() {
			gone := way.now.Ports[port].Tagged.Minus(&way.to.Ports[port].Tagged)
			for vid := range gone.All() {
				way.do(leaveOf(device, port, vid))
			}
			if to := way.to.Ports[port]; to.PVID != way.now.Ports[port].PVID {
				way.do(plainOf(device, port, to.PVID))
			}
			come := way.to.Ports[port].Tagged.Minus(&way.now.Ports[port].Tagged)
			for vid := range come.All() {
				way.do(joinOf(device, port, vid))
			}
		}
	},
	apply: func(device *Device, state *State, st Step) error {
		for _, port := range st.Ports {
			setting := &state.Ports[port]
			switch st.Op {
			case Join:
				if setting.Untagged.Has(st.VLAN) || setting.Tagged.Has(st.VLAN) {
					return fmt.Errorf("VLAN %d is on the port already", st.VLAN)
				}
				setting.Tagged.Add(st.VLAN)
			case Leave:
				setting.Tagged.Remove(st.VLAN)
			case PVID:
				if setting.Tagged.Has(st.VLAN) {
					return fmt.Errorf("VLAN %d is a sub-interface of the port", st.VLAN)
				}
				setting.Untagged, setting.PVID = office.Set{}, st.VLAN
				if st.VLAN != 0 {
					setting.Untagged.Add(st.VLAN)
				}
			default:
				return errStep
			}
		}
		return nil
	},
}

func leaveOf(device *Device, p int, vid office.VID) Step {
	name := device.list([]int{p})
	return Step{Op: Leave, VLAN: vid, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Remove the sub-interface %s.%d", name, vid)}
}

func joinOf(device *Device, p int, vid office.VID) Step {
	name := device.list([]int{p})
	return Step{Op: Join, VLAN: vid, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Add the sub-interface %s.%d: %s", name, vid, given(device, p, vid))}
}

// plainOf gives a port the VLAN of its untagged frames, 0 for none.
//
//	> steps gate by-sub-interface lan2: 110
//	[lan2] lan2, untagged: VLAN 110 reception
//	[Device] Save, so that it stays after a power cut
func plainOf(device *Device, p int, vid office.VID) Step {
	name, text := device.list([]int{p}), "VLAN none"
	if vid != 0 {
		text = given(device, p, vid)
	}
	return Step{Op: PVID, VLAN: vid, Ports: []int{p}, Where: name, Text: fmt.Sprintf("%s, untagged: %s", name, text)}
}

// addressCells are the VLAN and the addresses that it has on a port.
//
//	> sheet gate by-sub-interface
//	Interfaces: Port | Frames | VLAN | Name | Address | Hands out | Zone
//	  wan | untagged | none |  |  |  |
//	  lan1 | untagged | 190 | devices | 10.61.190.1/24 |  | devices
//	  lan1 | tagged | 110 | reception | 10.61.110.1/24 | 10.61.110.50-10.61.110.220 | staff
//	  lan1 | tagged | 140 | phones | 10.61.140.1/24 | 10.61.140.20-10.61.140.120 | voice
//	  lan1 | tagged | 160 | guests | 10.61.160.1/24 | 10.61.160.20-10.61.160.250 | guests
//	  lan2 | untagged | none |  |  |  |
func addressCells(device *Device, p int, vid office.VID) []string {
	cells := []string{fmt.Sprint(vid), nameOnly(device, vid), "", "", ""}
	for _, address := range device.Addresses {
		if address.VID != vid || address.On != "" && device.Logical(device.Port(address.On)) != p {
			continue
		}
		join := func(i int, text string) {
			if cells[i] != "" && text != "" {
				cells[i] += " "
			}
			cells[i] += text
		}
		join(2, address.Prefix.String())
		if address.From.IsValid() {
			join(3, address.From.String()+"-"+address.To.String())
		}
		if cells[4] != address.Zone {
			join(4, address.Zone)
		}
	}
	return cells
}

// given is a VLAN with its addresses on a port, in a few words.
func given(device *Device, p int, vid office.VID) string {
	c := addressCells(device, p, vid)
	text := "VLAN " + device.name(vid)
	if c[2] != "" {
		text += ", address " + c[2]
	}
	if c[3] != "" {
		text += ", hands out " + c[3]
	}
	if c[4] != "" {
		text += ", zone " + c[4]
	}
	return text
}
