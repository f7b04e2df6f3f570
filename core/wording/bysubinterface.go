package wording

import (
	"fmt"

	"klammer/core/office"
)

// bySubInterface: per parent port what rides untagged, and a sub-interface for
// each tagged VLAN, with its address, hand-out range and zone.
var bySubInterface = kind{
	write: func(d *Device, s State) []Table {
		t := Table{Title: "Interfaces", Head: []string{"Port", "Frames", "VLAN", "Name", "Address", "Hands out", "Zone"}}
		for _, p := range d.logical() {
			x, name := s.Ports[p], d.list([]int{p})
			if x.Off {
				t.Rows = append(t.Rows, []string{name, "shut", "", "", "", "", ""})
				continue
			}
			if x.Members() == (office.Set{}) {
				t.Rows = append(t.Rows, []string{name, "untagged", "none", "", "", "", ""})
			}
			for v := range x.Untagged.All() {
				t.Rows = append(t.Rows, append([]string{name, "untagged"}, addressCells(d, p, v)...))
			}
			for v := range x.Tagged.All() {
				t.Rows = append(t.Rows, append([]string{name, "tagged"}, addressCells(d, p, v)...))
			}
		}
		return []Table{t}
	},
	read: func(d *Device, ts []Table, s *State) error {
		return find(ts, "Interfaces").each(d, func(r *row) {
			for _, p := range r.ports("Port") {
				x := &s.Ports[p]
				v := r.vid("VLAN")
				switch r.choice("Frames", "untagged", "tagged", "shut") {
				case 0:
					if v == 0 {
						continue
					}
					if !x.Untagged.Empty() {
						r.wrong("Frames", fmt.Errorf("port %s has an untagged VLAN already", d.Ports[p].Name))
					}
					x.Untagged.Add(v)
					x.PVID = v
				case 1:
					if v == 0 {
						r.wrong("VLAN", fmt.Errorf("a sub-interface has a VID"))
						return
					}
					x.Tagged.Add(v)
				case 2:
					*x = Setting{Off: true, Filter: true}
				}
				if both := x.Untagged.And(&x.Tagged); !both.Empty() {
					r.wrong("Frames", fmt.Errorf("VLAN %d is untagged and tagged on port %s: one of both", single(&both), d.Ports[p].Name))
				}
			}
		})
	},
	cannot:  func(d *Device, s State, p int) (string, Setting) { return oneNative(s.Ports[p]) },
	factory: func(d *Device, p int) Setting { return Setting{Filter: true} },
	steps: func(d *Device, w *way) {
		for _, p := range d.logical() {
			name := d.list([]int{p})
			gone := w.now.Ports[p].Tagged.Minus(&w.to.Ports[p].Tagged)
			for v := range gone.All() {
				w.do(Step{Op: Leave, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Remove the sub-interface %s.%d", name, v)})
			}
			if to := w.to.Ports[p]; to.PVID != w.now.Ports[p].PVID {
				text := fmt.Sprintf("%s, untagged: VLAN %s", name, vidOr(to.PVID, "none"))
				if to.PVID != 0 {
					text = fmt.Sprintf("%s, untagged: %s", name, given(d, p, to.PVID))
				}
				w.do(Step{Op: PVID, VLAN: to.PVID, Ports: []int{p}, Where: name, Text: text})
			}
			come := w.to.Ports[p].Tagged.Minus(&w.now.Ports[p].Tagged)
			for v := range come.All() {
				w.do(Step{Op: Join, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("Add the sub-interface %s.%d: %s", name, v, given(d, p, v))})
			}
		}
	},
	apply: func(d *Device, s *State, st Step) error {
		for _, p := range st.Ports {
			x := &s.Ports[p]
			switch st.Op {
			case Join:
				if x.Untagged.Has(st.VLAN) || x.Tagged.Has(st.VLAN) {
					return fmt.Errorf("VLAN %d is on the port already", st.VLAN)
				}
				x.Tagged.Add(st.VLAN)
			case Leave:
				x.Tagged.Remove(st.VLAN)
			case PVID:
				if x.Tagged.Has(st.VLAN) {
					return fmt.Errorf("VLAN %d is a sub-interface of the port", st.VLAN)
				}
				x.Untagged, x.PVID = office.Set{}, st.VLAN
				if st.VLAN != 0 {
					x.Untagged.Add(st.VLAN)
				}
			default:
				return errStep
			}
		}
		return nil
	},
}

// addressCells are the VLAN and the addresses that it has on a port.
func addressCells(d *Device, p int, v office.VID) []string {
	cells := []string{fmt.Sprint(v), nameOnly(d, v), "", "", ""}
	for _, a := range d.Addresses {
		if a.VID != v || a.On != "" && d.Logical(d.Port(a.On)) != p {
			continue
		}
		join := func(i int, s string) {
			if cells[i] != "" && s != "" {
				cells[i] += " "
			}
			cells[i] += s
		}
		join(2, a.Prefix.String())
		if a.From.IsValid() {
			join(3, a.From.String()+"-"+a.To.String())
		}
		if cells[4] != a.Zone {
			join(4, a.Zone)
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
