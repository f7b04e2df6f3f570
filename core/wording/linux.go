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
	write: func(device *Device, s State) []Table {
		table := Table{Title: "Bridge VLANs", Head: []string{"Port", "VLAN", "Flags"}}
		for _, port := range device.logical() {
			setting := s.Ports[port]
			if setting.Off {
				table.Rows = append(table.Rows, []string{device.list([]int{port}), "", "down"})
				continue
			}
			for _, r := range flagged(setting) {
				table.Rows = append(table.Rows, []string{device.list([]int{port}), r.text(), strings.Join(flags(setting, r.from), " ")})
			}
		}
		return []Table{table}
	},
	read: func(d *Device, ts []Table, s *State) error {
		return find(ts, "Bridge VLANs").each(d, func(r *row) {
			text := strings.ToLower(r.text("Flags"))
			for _, p := range r.ports("Port") {
				setting := &s.Ports[p]
				if text == "down" {
					*setting = Setting{Off: true, Filter: true}
					continue
				}
				all := r.vids("VLAN")
				for vid := range all.All() {
					if strings.Contains(text, "egress untagged") {
						setting.Untagged.Add(vid)
					} else {
						setting.Tagged.Add(vid)
					}
					if strings.Contains(text, "pvid") {
						setting.PVID = vid
					}
				}
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		setting := s.Ports[p]
		if why, n := plainOnly(setting); why != "" {
			return why, n
		}
		if m := setting.Members(); setting.PVID != 0 && !m.Has(setting.PVID) {
			n := setting
			n.PVID = 0
			return "the PVID is an entry of the port: a VLAN that it is a member of", n
		}
		return "", setting
	},
	steps: func(d *Device, w *way) {
		for _, port := range d.logical() {
			for _, st := range entriesOf(d, port, w.now.Ports[port], w.to.Ports[port]) {
				w.do(st)
			}
			to := w.to.Ports[port].Members()
			now := w.now.Ports[port].Members()
			for _, c := range ranges(now.Minus(&to)) {
				w.do(dropOf(d, port, c))
			}
		}
	},
	apply: func(d *Device, s *State, st Step) error {
		for _, p := range st.Ports {
			setting := &s.Ports[p]
			for vid := st.VLAN; vid <= max(st.VLAN, st.Last); vid++ {
				switch st.Op {
				case Join:
					setting.Untagged.Remove(vid)
					setting.Tagged.Remove(vid)
					if st.Set.Untagged.Empty() {
						setting.Tagged.Add(vid)
					} else {
						setting.Untagged.Add(vid)
					}
					if st.Set.PVID == vid {
						setting.PVID = vid
					} else if setting.PVID == vid {
						setting.PVID = 0
					}
				case Leave:
					if m := setting.Members(); !m.Has(vid) {
						return fmt.Errorf("there is no such entry")
					}
					setting.Untagged.Remove(vid)
					setting.Tagged.Remove(vid)
					if setting.PVID == vid {
						setting.PVID = 0
					}
				default:
					return errStep
				}
			}
		}
		return nil
	},
}

// inside is a port's name on the device.
func inside(d *Device, p int) string {
	if d.Ports[p].Inside != "" {
		return d.Ports[p].Inside
	}
	return d.Ports[p].Name
}

// entriesOf adds to a port what it has not yet as it should, an entry a command.
func entriesOf(d *Device, p int, now, to Setting) (out []Step) {
	for _, r := range flagged(to) {
		var come office.Set // of the range, what is not so yet
		for v := r.from; v <= r.to; v++ {
			if !slices.Equal(flags(now, v), flags(to, v)) || !now.Untagged.Has(v) && !now.Tagged.Has(v) {
				come.Add(v)
			}
		}
		for _, c := range ranges(come) {
			cmd := fmt.Sprintf("bridge vlan add dev %s vid %s", inside(d, p), c.text())
			for _, f := range flags(to, c.from) {
				cmd += " " + strings.ToLower(strings.TrimPrefix(f, "Egress "))
			}
			set := Setting{}
			if to.Untagged.Has(c.from) {
				set.Untagged.Add(c.from)
			}
			if to.PVID == c.from {
				set.PVID = c.from
			}
			out = append(out, Step{Op: Join, VLAN: c.from, Last: c.to, Ports: []int{p}, Set: set, Where: inside(d, p), Text: cmd})
		}
	}
	return out
}

func dropOf(d *Device, p int, c run) Step {
	return Step{Op: Leave, VLAN: c.from, Last: c.to, Ports: []int{p}, Where: inside(d, p), Text: fmt.Sprintf("bridge vlan del dev %s vid %s", inside(d, p), c.text())}
}

// run is VLANs that follow one another.
type run struct{ from, to office.VID }

func (s run) text() string {
	if s.from == s.to {
		return fmt.Sprint(s.from)
	}
	return fmt.Sprintf("%d-%d", s.from, s.to)
}

// ranges is a set as ranges.
func ranges(s office.Set) (out []run) {
	for v := range s.All() {
		if n := len(out); n > 0 && out[n-1].to+1 == v {
			out[n-1].to = v
		} else {
			out = append(out, run{v, v})
		}
	}
	return out
}

// flagged is the entries of a port: VLANs that follow one another and have the
// same flags are one.
func flagged(x Setting) (out []run) {
	m := x.Members()
	for v := range m.All() {
		if n := len(out); n > 0 && out[n-1].to+1 == v && slices.Equal(flags(x, v), flags(x, out[n-1].from)) {
			out[n-1].to = v
		} else {
			out = append(out, run{v, v})
		}
	}
	return out
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
