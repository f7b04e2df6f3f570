package wording

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// linux: the VLAN entries of a bridge with VLAN filtering, as `bridge vlan`
// shows and sets them. The PVID is a flag of an entry, so it is always a VLAN
// that the port is a member of.
var linux = kind{
	write: func(d *Device, s State) []Table {
		t := Table{Title: "Bridge VLANs", Head: []string{"Port", "VLAN", "Flags"}}
		for _, p := range d.logical() {
			x := s.Ports[p]
			if x.Off {
				t.Rows = append(t.Rows, []string{d.list([]int{p}), "", "down"})
				continue
			}
			m := x.Members()
			for v := range m.All() {
				t.Rows = append(t.Rows, []string{d.list([]int{p}), fmt.Sprint(v), strings.Join(flags(x, v), " ")})
			}
		}
		return []Table{t}
	},
	read: func(d *Device, ts []Table, s *State) error {
		return find(ts, "Bridge VLANs").each(d, func(r *row) {
			text := strings.ToLower(r.text("Flags"))
			for _, p := range r.ports("Port") {
				x := &s.Ports[p]
				if text == "down" {
					*x = Setting{Off: true, Filter: true}
					continue
				}
				all := r.vids("VLAN")
				for v := range all.All() {
					if strings.Contains(text, "egress untagged") {
						x.Untagged.Add(v)
					} else {
						x.Tagged.Add(v)
					}
					if strings.Contains(text, "pvid") {
						x.PVID = v
					}
				}
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		x := s.Ports[p]
		if why, n := plainOnly(x); why != "" {
			return why, n
		}
		if m := x.Members(); x.PVID != 0 && !m.Has(x.PVID) {
			n := x
			n.PVID = 0
			return "the PVID is an entry of the port: a VLAN that it is a member of", n
		}
		return "", x
	},
	steps: func(d *Device, w *way) {
		for _, p := range d.logical() {
			name := d.Ports[p].Name
			if d.Ports[p].Inside != "" {
				name = d.Ports[p].Inside
			}
			to := w.to.Ports[p]
			m := to.Members()
			add := func(v office.VID) {
				cmd := fmt.Sprintf("bridge vlan add dev %s vid %d", name, v)
				for _, f := range flags(to, v) {
					cmd += " " + strings.ToLower(strings.TrimPrefix(f, "Egress "))
				}
				set := Setting{}
				if to.Untagged.Has(v) {
					set.Untagged.Add(v)
				}
				if to.PVID == v {
					set.PVID = v
				}
				w.do(Step{Op: Join, VLAN: v, Ports: []int{p}, Set: set, Where: name, Text: cmd})
			}
			for v := range m.All() {
				if now := w.now.Ports[p]; !slices.Equal(flags(now, v), flags(to, v)) || !now.Untagged.Has(v) && !now.Tagged.Has(v) {
					add(v)
				}
			}
			now := w.now.Ports[p].Members()
			gone := now.Minus(&m)
			for v := range gone.All() {
				w.do(Step{Op: Leave, VLAN: v, Ports: []int{p}, Where: name, Text: fmt.Sprintf("bridge vlan del dev %s vid %d", name, v)})
			}
		}
	},
	apply: func(d *Device, s *State, st Step) error {
		for _, p := range st.Ports {
			x := &s.Ports[p]
			v := st.VLAN
			switch st.Op {
			case Join:
				x.Untagged.Remove(v)
				x.Tagged.Remove(v)
				if st.Set.Untagged.Has(v) {
					x.Untagged.Add(v)
				} else {
					x.Tagged.Add(v)
				}
				if st.Set.PVID == v {
					x.PVID = v
				} else if x.PVID == v {
					x.PVID = 0
				}
			case Leave:
				if m := x.Members(); !m.Has(v) {
					return fmt.Errorf("there is no such entry")
				}
				x.Untagged.Remove(v)
				x.Tagged.Remove(v)
				if x.PVID == v {
					x.PVID = 0
				}
			default:
				return errStep
			}
		}
		return nil
	},
}

// flags are those of a VLAN's entry, as `bridge vlan show` prints them.
func flags(x Setting, v office.VID) []string {
	var out []string
	if x.PVID == v {
		out = append(out, "PVID")
	}
	if x.Untagged.Has(v) {
		out = append(out, "Egress Untagged")
	}
	return out
}
