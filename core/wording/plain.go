package wording

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// plain: nothing is said of how the device asks. Its values stand as the trade
// names them, a row for ports that are alike, and a step sets such ports to
// them; it can say every shape.
var plain = kind{
	write: func(d *Device, s State) []Table {
		table := Table{Title: "Ports", Head: []string{"Port", "Untagged VLANs", "Tagged VLANs", "PVID", "Acceptable frames", "Ingress filtering", "State"}}
		table.Rows = d.runs(func(p int) []string {
			x := s.Ports[p]
			if x.Off {
				return []string{"", "", "", "", "", "shut"}
			}
			return []string{orNone(vids(x.Untagged)), orNone(riding(x)), vidOr(x.PVID, "none"), x.Admit.String(), [...]string{"on", "off"}[onOff(!x.Filter)], "open"}
		})
		return []Table{table}
	},
	read: func(d *Device, ts []Table, state *State) error {
		return find(ts, "Ports").each(d, func(r *row) {
			setting := Setting{Untagged: r.vids("Untagged VLANs"), PVID: r.vid("PVID")}
			if text := r.text("Tagged VLANs"); !none(text) {
				for part := range strings.SplitSeq(text, ",") {
					v, wire, rides := strings.Cut(part, "@")
					one, err := ParseVIDs(v)
					if err != nil {
						r.wrong("Tagged VLANs", err)
						return
					}
					setting.Tagged.AddAll(&one)
					if rides {
						w, err := office.ParseVID(wire)
						if err != nil {
							r.wrong("Tagged VLANs", err)
							return
						}
						setting.Rides = append(setting.Rides, office.Ride{VLAN: single(&one), Wire: w})
					}
				}
			}
			setting.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[r.choice("Acceptable frames", "all", "tagged", "untagged")]
			setting.Filter = r.choice("Ingress filtering", "on", "off") == 0
			if r.choice("State", "open", "shut") == 1 {
				setting = Setting{Off: true, Filter: true}
			}
			for _, p := range r.ports("Port") {
				state.Ports[p] = setting
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) { return "", s.Ports[p] },
	factory: func(d *Device, p int) Setting {
		if d.Forwarding == office.Routed || d.Ports[p].Kind == office.Inner {
			return Setting{Filter: true}
		}
		return only(office.DefaultVID)
	},
	steps: func(d *Device, w *way) {
		w.each(Setting.same, func(ports []int, to Setting) Step {
			text := fmt.Sprintf("%s: untagged %s, tagged %s, PVID %s", d.list(ports), orNone(vids(to.Untagged)), orNone(riding(to)), vidOr(to.PVID, "none"))
			if to.Admit != office.AdmitAll {
				text += ", admit " + to.Admit.String() + " frames only"
			}
			if !to.Filter {
				text += ", ingress filtering off"
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: "Ports", Text: text}
		})
	},
	apply: func(d *Device, s *State, st Step) error { return byInnerPort.apply(d, s, st) },
}

// riding is the tagged VLANs, those under another VID as VLAN@VID.
func riding(setting Setting) string {
	if len(setting.Rides) == 0 {
		return vids(setting.Tagged)
	}
	var out []string
	rest := setting.Tagged
	for _, r := range setting.Rides {
		rest.Remove(r.VLAN)
		out = append(out, fmt.Sprintf("%d@%d", r.VLAN, r.Wire))
	}
	if !rest.Empty() {
		out = append([]string{vids(rest)}, out...)
	}
	return strings.Join(out, ",")
}
