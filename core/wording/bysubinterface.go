package wording

import (
	"fmt"

	"klammer/core/office"
)

// bySubInterface: per parent port what rides untagged, and a sub-interface for
// each tagged VLAN, with its address, hand-out range and zone.
var bySubInterface = kind{
	write: func(device *Device, s State) []Table {
		table := Table{Title: "Interfaces", Head: []string{"Port", "Frames", "VLAN", "Name", "Address", "Hands out", "Zone"}}
		for _, port := range device.logical() {
			setting, name := s.Ports[port], device.list([]int{port})
			if setting.Off {
				table.Rows = append(table.Rows, []string{name, "shut", "", "", "", "", ""})
				continue
			}
			if setting.Members() == (office.Set{}) {
				table.Rows = append(table.Rows, []string{name, "untagged", "none", "", "", "", ""})
			}
			for v := range setting.Untagged.All() {
				table.Rows = append(table.Rows, append([]string{name, "untagged"}, addressCells(device, port, v)...))
			}
			for v := range setting.Tagged.All() {
				table.Rows = append(table.Rows, append([]string{name, "tagged"}, addressCells(device, port, v)...))
			}
		}
		return []Table{table}
	},
	read: func(device *Device, ts []Table, s *State) error {
		return find(ts, "Interfaces").each(device, func(r *row) {
			for _, port := range r.ports("Port") {
				setting := &s.Ports[port]
				vid := r.vid("VLAN")
				switch r.choice("Frames", "untagged", "tagged", "shut") {
				case 0:
					if vid == 0 {
						continue
					}
					if !setting.Untagged.Empty() {
						r.wrong("Frames", fmt.Errorf("port %s has an untagged VLAN already", device.Ports[port].Name))
					}
					setting.Untagged.Add(vid)
					setting.PVID = vid
				case 1:
					if vid == 0 {
						r.wrong("VLAN", fmt.Errorf("a sub-interface has a VID"))
						return
					}
					setting.Tagged.Add(vid)
				case 2:
					*setting = Setting{Off: true, Filter: true}
				}
				if both := setting.Untagged.And(&setting.Tagged); !both.Empty() {
					r.wrong("Frames", fmt.Errorf("VLAN %d is untagged and tagged on port %s: one of both", single(&both), device.Ports[port].Name))
				}
			}
		})
	},
	cannot:  func(d *Device, s State, p int) (string, Setting) { return oneNative(s.Ports[p]) },
	factory: func(d *Device, p int) Setting { return Setting{Filter: true} },
	steps: func(device *Device, w *way) {
		for _, port := range device.logical() {
			gone := w.now.Ports[port].Tagged.Minus(&w.to.Ports[port].Tagged)
			for v := range gone.All() {
				w.do(leaveOf(device, port, v))
			}
			if to := w.to.Ports[port]; to.PVID != w.now.Ports[port].PVID {
				w.do(plainOf(device, port, to.PVID))
			}
			come := w.to.Ports[port].Tagged.Minus(&w.now.Ports[port].Tagged)
			for v := range come.All() {
				w.do(joinOf(device, port, v))
			}
		}
	},
	apply: func(d *Device, s *State, st Step) error {
		for _, p := range st.Ports {
			setting := &s.Ports[p]
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

func leaveOf(d *Device, p int, v office.VID) Step {
	name := d.list([]int{p})
	return Step{Op: Leave, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Remove the sub-interface %s.%d", name, v)}
}

func joinOf(d *Device, p int, v office.VID) Step {
	name := d.list([]int{p})
	return Step{Op: Join, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Add the sub-interface %s.%d: %s", name, v, given(d, p, v))}
}

// plainOf gives a port the VLAN of its untagged frames, 0 for none.
func plainOf(d *Device, p int, v office.VID) Step {
	name, text := d.list([]int{p}), "VLAN none"
	if v != 0 {
		text = given(d, p, v)
	}
	return Step{Op: PVID, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("%s, untagged: %s", name, text)}
}

// addressCells are the VLAN and the addresses that it has on a port.
func addressCells(d *Device, p int, v office.VID) []string {
	cells := []string{fmt.Sprint(v), nameOnly(d, v), "", "", ""}
	for _, address := range d.Addresses {
		if address.VID != v || address.On != "" && d.Logical(d.Port(address.On)) != p {
			continue
		}
		join := func(i int, s string) {
			if cells[i] != "" && s != "" {
				cells[i] += " "
			}
			cells[i] += s
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
func given(d *Device, p int, v office.VID) string {
	c := addressCells(d, p, v)
	text := "VLAN " + d.name(v)
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
