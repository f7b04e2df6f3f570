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
		outer.Rows = device.runs(func(p int) []string {
			setting := state.Ports[p]
			switch {
			case device.Ports[p].Kind == office.Inner:
				return nil
			case setting.Off:
				return []string{"", "", "shut"}
			}
			return []string{vidOr(setting.PVID, "none"), orNone(vids(setting.Tagged)), "open"}
		})
		inner := Table{Title: "Inner ports", Head: []string{"Port", "VLAN"}}
		for _, p := range device.logical() {
			if device.Ports[p].Kind == office.Inner {
				inner.Rows = append(inner.Rows, []string{device.list([]int{p}), innerText(state.Ports[p])})
			}
		}
		return []Table{outer, inner}
	},
	read: func(device *Device, ts []Table, state *State) error {
		if err := find(ts, "Outer ports").each(device, func(r *row) {
			setting := Setting{Filter: true, PVID: r.vid("Untagged VLAN"), Tagged: r.vids("Tagged VLANs let in")}
			if setting.PVID != 0 {
				if setting.Tagged.Has(setting.PVID) {
					r.wrong("Tagged VLANs let in", fmt.Errorf("VLAN %d is the untagged one: one of both", setting.PVID))
				}
				setting.Untagged.Add(setting.PVID)
			}
			if r.choice("State", "open", "shut") == 1 {
				setting = Setting{Off: true, Filter: true}
			}
			for _, p := range r.ports("Port") {
				state.Ports[p] = setting
			}
		}); err != nil {
			return err
		}
		return find(ts, "Inner ports").each(device, func(r *row) {
			setting := Setting{Filter: true}
			switch text := r.text("VLAN"); {
			case strings.EqualFold(text, "shut"):
				setting.Off = true
			case none(text):
			case strings.Contains(text, "-"):
				setting.Tagged = r.vids("VLAN")
			default:
				setting = only(r.vid("VLAN"))
			}
			for _, p := range r.ports("Port") {
				state.Ports[p] = setting
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		setting := s.Ports[p]
		if why, n := oneNative(setting); why != "" || d.Ports[p].Kind != office.Inner {
			return why, n
		}
		n := Setting{Filter: true}
		vs := setting.Tagged.VIDs()
		switch {
		case len(vs) > 0 && !setting.Untagged.Empty():
			return "an inner port has one VLAN untagged or a range of tagged ones, not both", only(setting.PVID)
		case len(vs) > 1 && int(vs[len(vs)-1]-vs[0]) != len(vs)-1:
			for v := vs[0]; v <= vs[len(vs)-1]; v++ {
				n.Tagged.Add(v)
			}
			return "an inner port takes one range without gaps", n
		}
		return "", setting
	},
	factory: func(d *Device, p int) Setting {
		if d.Ports[p].Kind == office.Inner {
			return Setting{Filter: true}
		}
		return only(office.DefaultVID)
	},
	steps: func(device *Device, w *way) {
		set := func(ports []int, to Setting) Step {
			text := fmt.Sprintf("untagged VLAN %s, let in tagged %s", vidOr(to.PVID, "none"), orNone(vids(to.Tagged)))
			if device.Ports[ports[0]].Kind == office.Inner {
				text = "VLAN " + innerText(Setting{Untagged: to.Untagged, Tagged: to.Tagged, PVID: to.PVID})
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: where(device, ports[0]), Text: device.list(ports) + ": " + text}
		}
		inner := func(p int) bool { return device.Ports[p].Kind == office.Inner }
		w.eachOf(func(p int) bool { return !inner(p) }, Setting.same, set) // what is let in before what is inside
		w.eachOf(inner, Setting.same, set)
	},
	apply: func(d *Device, state *State, st Step) error {
		if st.Op != Port {
			return errStep
		}
		m := st.Set.Members()
		state.VLANs.AddAll(&m)
		for _, p := range st.Ports {
			state.put(p, st.Set)
		}
		return nil
	},
}

// where is the page that a port is set on.
func where(d *Device, p int) string {
	if d.Ports[p].Kind == office.Inner {
		return "Inner ports"
	}
	return "Outer ports"
}

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
