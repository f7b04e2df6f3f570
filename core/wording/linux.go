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
	write: func(device *Device, state State) []Table {
		table := Table{Title: "Bridge VLANs", Head: []string{"Port", "VLAN", "Flags"}}
		for _, port := range device.logical() {
			setting := state.Ports[port]
			if setting.Off {
				table.Rows = append(table.Rows, []string{device.list([]int{port}), "", "down"})
				continue
			}
			for _, run := range flagged(setting) {
				table.Rows = append(table.Rows, []string{device.list([]int{port}), run.text(), strings.Join(flags(setting, run.from), " ")})
			}
		}
		return []Table{table}
	},
	read: func(device *Device, ts []Table, state *State) error {
		return find(ts, "Bridge VLANs").each(device, func(row *row) {
			text := strings.ToLower(row.text("Flags"))
			for _, port := range row.ports("Port") {
				setting := &state.Ports[port]
				if text == "down" {
					*setting = Setting{Off: true, Filter: true}
					continue
				}
				all := row.vids("VLAN")
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
	cannot: func(device *Device, state State, port int) (string, Setting) {
		setting := state.Ports[port]
		if why, other := plainOnly(setting); why != "" {
			return why, other
		}
		if set := setting.Members(); setting.PVID != 0 && !set.Has(setting.PVID) {
			other := setting
			other.PVID = 0
			return "the PVID is an entry of the port: a VLAN that it is a member of", other
		}
		return "", setting
	},
	steps: func(device *Device, way *way) {
		for _, port := range device.logical() {
			for _, st := range entriesOf(device, port, way.now.Ports[port], way.to.Ports[port]) {
				way.do(st)
			}
			to := way.to.Ports[port].Members()
			now := way.now.Ports[port].Members()
			for _, run := range ranges(now.Minus(&to)) {
				way.do(dropOf(device, port, run))
			}
		}
	},
	apply: func(device *Device, state *State, st Step) error {
		for _, port := range st.Ports {
			setting := &state.Ports[port]
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
					if set := setting.Members(); !set.Has(vid) {
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
func inside(device *Device, port int) string {
	if device.Ports[port].Inside != "" {
		return device.Ports[port].Inside
	}
	return device.Ports[port].Name
}

// entriesOf adds to a port what it has not yet as it should, an entry a command.
//
//	> steps core linux 4: 110 [140]
//	[4] bridge vlan add dev 4 vid 110 pvid untagged
//	[4] bridge vlan add dev 4 vid 140
//	[4] bridge vlan del dev 4 vid 160
//	[Device] Save, so that it stays after a power cut
func entriesOf(device *Device, p int, now, to Setting) (out []Step) {
	for _, run := range flagged(to) {
		var come office.Set // of the range, what is not so yet
		for vid := run.from; vid <= run.to; vid++ {
			if !slices.Equal(flags(now, vid), flags(to, vid)) || !now.Untagged.Has(vid) && !now.Tagged.Has(vid) {
				come.Add(vid)
			}
		}
		for _, other := range ranges(come) {
			cmd := fmt.Sprintf("bridge vlan add dev %s vid %s", inside(device, p), other.text())
			for _, f := range flags(to, other.from) {
				cmd += " " + strings.ToLower(strings.TrimPrefix(f, "Egress "))
			}
			set := Setting{}
			if to.Untagged.Has(other.from) {
				set.Untagged.Add(other.from)
			}
			if to.PVID == other.from {
				set.PVID = other.from
			}
			out = append(out, Step{Op: Join, VLAN: other.from, Last: other.to, Ports: []int{p}, Set: set, Where: inside(device, p), Text: cmd})
		}
	}
	return out
}

func dropOf(device *Device, p int, run run) Step {
	return Step{Op: Leave, VLAN: run.from, Last: run.to, Ports: []int{p}, Where: inside(device, p), Text: fmt.Sprintf("bridge vlan del dev %s vid %s", inside(device, p), run.text())}
}

// run is VLANs that follow one another.
type run struct{ from, to office.VID }

// text is a range of VIDs as the tools of a Linux bridge write it.
func (s run) text() string {
	if s.from == s.to {
		return fmt.Sprint(s.from)
	}
	return fmt.Sprintf("%d-%d", s.from, s.to)
}

// ranges is a set as ranges.
func ranges(set office.Set) (out []run) {
	for vid := range set.All() {
		if n := len(out); n > 0 && out[n-1].to+1 == vid {
			out[n-1].to = vid
		} else {
			out = append(out, run{vid, vid})
		}
	}
	return out
}

// flagged is the entries of a port: VLANs that follow one another and have the
// same flags are one.
func flagged(setting Setting) (out []run) {
	set := setting.Members()
	for vid := range set.All() {
		if n := len(out); n > 0 && out[n-1].to+1 == vid && slices.Equal(flags(setting, vid), flags(setting, out[n-1].from)) {
			out[n-1].to = vid
		} else {
			out = append(out, run{vid, vid})
		}
	}
	return out
}

// flags are those of a VLAN's entry, as `bridge vlan show` prints them.
//
//	> steps core linux 1: 110+160 pvid 110
//	[1] bridge vlan add dev 1 vid 160 untagged
//	[1] bridge vlan del dev 1 vid 140
//	[Device] Save, so that it stays after a power cut
func flags(setting Setting, vid office.VID) []string {
	var out []string
	if setting.PVID == vid {
		out = append(out, "PVID")
	}
	if setting.Untagged.Has(vid) {
		out = append(out, "Egress Untagged")
	}
	return out
}
