package wording

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// byInnerPort: outer ports let VLANs in, one of them untagged; inner ports have
// no VLAN, one, or a range of tagged ones.
var byInnerPort = kind{
	write: func(d *Device, s State) []Table {
		outer := Table{Title: "Outer ports", Head: []string{"Port", "Untagged VLAN", "Tagged VLANs let in", "State"}}
		outer.Rows = d.runs(func(p int) []string {
			x := s.Ports[p]
			switch {
			case d.Ports[p].Kind == office.Inner:
				return nil
			case x.Off:
				return []string{"", "", "shut"}
			}
			return []string{vidOr(x.PVID, "none"), orNone(vids(x.Tagged)), "open"}
		})
		inner := Table{Title: "Inner ports", Head: []string{"Port", "VLAN"}}
		for _, p := range d.logical() {
			if d.Ports[p].Kind == office.Inner {
				inner.Rows = append(inner.Rows, []string{d.list([]int{p}), innerText(s.Ports[p])})
			}
		}
		return []Table{outer, inner}
	},
	read: func(d *Device, ts []Table, s *State) error {
		if err := find(ts, "Outer ports").each(d, func(r *row) {
			x := Setting{Filter: true, PVID: r.vid("Untagged VLAN"), Tagged: r.vids("Tagged VLANs let in")}
			if x.PVID != 0 {
				if x.Tagged.Has(x.PVID) {
					r.wrong("Tagged VLANs let in", fmt.Errorf("VLAN %d is the untagged one: one of both", x.PVID))
				}
				x.Untagged.Add(x.PVID)
			}
			if r.choice("State", "open", "shut") == 1 {
				x = Setting{Off: true, Filter: true}
			}
			for _, p := range r.ports("Port") {
				s.Ports[p] = x
			}
		}); err != nil {
			return err
		}
		return find(ts, "Inner ports").each(d, func(r *row) {
			x := Setting{Filter: true}
			switch text := r.text("VLAN"); {
			case strings.EqualFold(text, "shut"):
				x.Off = true
			case none(text):
			case strings.Contains(text, "-"):
				x.Tagged = r.vids("VLAN")
			default:
				x = only(r.vid("VLAN"))
			}
			for _, p := range r.ports("Port") {
				s.Ports[p] = x
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		x := s.Ports[p]
		if why, n := oneNative(x); why != "" || d.Ports[p].Kind != office.Inner {
			return why, n
		}
		n := Setting{Filter: true}
		vs := x.Tagged.VIDs()
		switch {
		case len(vs) > 0 && !x.Untagged.Empty():
			return "an inner port has one VLAN untagged or a range of tagged ones, not both", only(x.PVID)
		case len(vs) > 1 && int(vs[len(vs)-1]-vs[0]) != len(vs)-1:
			for v := vs[0]; v <= vs[len(vs)-1]; v++ {
				n.Tagged.Add(v)
			}
			return "an inner port takes one range without gaps", n
		}
		return "", x
	},
	factory: func(d *Device, p int) Setting {
		if d.Ports[p].Kind == office.Inner {
			return Setting{Filter: true}
		}
		return only(office.DefaultVID)
	},
	steps: func(d *Device, w *way) {
		set := func(ports []int, to Setting) Step {
			text := fmt.Sprintf("untagged VLAN %s, let in tagged %s", vidOr(to.PVID, "none"), orNone(vids(to.Tagged)))
			if d.Ports[ports[0]].Kind == office.Inner {
				text = "VLAN " + innerText(Setting{Untagged: to.Untagged, Tagged: to.Tagged, PVID: to.PVID})
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: where(d, ports[0]), Text: d.list(ports) + ": " + text}
		}
		inner := func(p int) bool { return d.Ports[p].Kind == office.Inner }
		w.eachOf(func(p int) bool { return !inner(p) }, Setting.same, set) // what is let in before what is inside
		w.eachOf(inner, Setting.same, set)
	},
	apply: func(d *Device, s *State, st Step) error {
		if st.Op != Port {
			return errStep
		}
		m := st.Set.Members()
		s.VLANs.AddAll(&m)
		for _, p := range st.Ports {
			s.put(p, st.Set)
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

func innerText(x Setting) string {
	vs := x.Tagged.VIDs()
	switch {
	case x.Off:
		return "shut"
	case x.PVID != 0:
		return fmt.Sprint(x.PVID)
	case len(vs) > 0:
		return fmt.Sprintf("%d-%d", vs[0], vs[len(vs)-1])
	}
	return "none"
}
