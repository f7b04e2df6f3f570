package wording

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// byInnerPort: outer ports let VLANs in, one of them untagged; inner ports have
// no VLAN, one, or a range of tagged ones.
var byInnerPort = kind{
	write: func(device *Device, state State) []Table {
		outer := Table{Title: "Outer ports", Head: []string{"Port", "Untagged VLAN", "Tagged VLANs let in", "State"}}
		outer.Rows = device.runs(func(port int) []string {
			setting := state.Ports[port]
			switch {
			case device.Ports[port].Kind == office.Inner:
				return nil
			case setting.Off:
				return []string{"", "", "shut"}
			}
			return []string{vidOr(setting.PVID, "none"), orNone(vids(setting.Tagged)), "open"}
		})
		inner := Table{Title: "Inner ports", Head: []string{"Port", "VLAN"}}
		for _, port := range device.logical() {
			if device.Ports[port].Kind == office.Inner {
				inner.Rows = append(inner.Rows, []string{device.list([]int{port}), innerText(state.Ports[port])})
			}
		}
		return []Table{outer, inner}
	},
	read: func(device *Device, ts []Table, state *State) error {
		if err := find(ts, "Outer ports").each(device, func(row *row) {
			setting := Setting{Filter: true, PVID: row.vid("Untagged VLAN"), Tagged: row.vids("Tagged VLANs let in")}
			if setting.PVID != 0 {
				if setting.Tagged.Has(setting.PVID) {
					row.wrong("Tagged VLANs let in", fmt.Errorf("VLAN %d is the untagged one: one of both", setting.PVID))
				}
				setting.Untagged.Add(setting.PVID)
			}
			if row.choice("State", "open", "shut") == 1 {
				setting = Setting{Off: true, Filter: true}
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		}); err != nil {
			return err
		}
		return find(ts, "Inner ports").each(device, func(row *row) {
			setting := Setting{Filter: true}
			switch text := row.text("VLAN"); {
			case strings.EqualFold(text, "shut"):
				setting.Off = true
			case none(text):
			case strings.Contains(text, "-"):
				setting.Tagged = row.vids("VLAN")
			default:
				setting = only(row.vid("VLAN"))
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) {
		setting := state.Ports[port]
		if why, other := oneNative(setting); why != "" || device.Ports[port].Kind != office.Inner {
			return why, other
		}
		one := Setting{Filter: true}
		vs := setting.Tagged.VIDs()
		switch {
		case len(vs) > 0 && !setting.Untagged.Empty():
			return "an inner port has one VLAN untagged or a range of tagged ones, not both", only(setting.PVID)
		case len(vs) > 1 && int(vs[len(vs)-1]-vs[0]) != len(vs)-1:
			for vid := vs[0]; vid <= vs[len(vs)-1]; vid++ {
				one.Tagged.Add(vid)
			}
			return "an inner port takes one range without gaps", one
		}
		return "", setting
	},
	factory: func(device *Device, port int) Setting {
		if device.Ports[port].Kind == office.Inner {
			return Setting{Filter: true}
		}
		return only(office.DefaultVID)
	},
	steps: func(device *Device, way *way) {
		set := func(ports []int, to Setting) Step {
			text := fmt.Sprintf("untagged VLAN %s, let in tagged %s", vidOr(to.PVID, "none"), orNone(vids(to.Tagged)))
			if device.Ports[ports[0]].Kind == office.Inner {
				text = "VLAN " + innerText(Setting{Untagged: to.Untagged, Tagged: to.Tagged, PVID: to.PVID})
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: where(device, ports[0]), Text: device.list(ports) + ": " + text}
		}
		inner := func(port int) bool { return device.Ports[port].Kind == office.Inner }
		way.eachOf(func(p int) bool { return !inner(p) }, Setting.same, set) // what is let in before what is inside
		way.eachOf(inner, Setting.same, set)
	},
	apply: func(device *Device, state *State, st Step) error {
		if st.Op != Port {
			return errStep
		}
		set := st.Set.Members()
		state.VLANs.AddAll(&set)
		for _, p := range st.Ports {
			state.put(p, st.Set)
		}
		return nil
	},
}

// where is the page that a port is set on.
func where(device *Device, port int) string {
	if device.Ports[port].Kind == office.Inner {
		return "Inner ports"
	}
	return "Outer ports"
}

// innerText is an inner port as its field shows it: one VLAN that is put on and taken off (10), or
// the range that goes through with its tags (1-4094).
//
//	> sheet core by-inner-port
//	Outer ports: Port | Untagged VLAN | Tagged VLANs let in | State
//	  1-3 | 110 | 140 | open
//	  4 | 160 | none | open
//	  5 | 190 | none | open
//	  6 | none | none | open
//	  7-8 | 190 | 110,140,160 | open
//	Inner ports: Port | VLAN
func innerText(setting Setting) string {
	vs := setting.Tagged.VIDs()
	switch {
	case setting.Off:
		return "shut"
	case setting.PVID != 0:
		return fmt.Sprint(setting.PVID)
	case len(vs) > 0:
		return fmt.Sprintf("%d-%d", vs[0], vs[len(vs)-1])
	}
	return "none"
}
