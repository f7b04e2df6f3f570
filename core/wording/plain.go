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
	write: func(device *Device, state State) []Table {
		table := Table{Title: "Ports", Head: []string{"Port", "Untagged VLANs", "Tagged VLANs", "PVID", "Acceptable frames", "Ingress filtering", "State"}}
		table.Rows = device.runs(func(port int) []string {
			setting := state.Ports[port]
			if setting.Off {
				return []string{"", "", "", "", "", "shut"}
			}
			return []string{orNone(vids(setting.Untagged)), orNone(riding(setting)), vidOr(setting.PVID, "none"), setting.Admit.String(), [...]string{"on", "off"}[onOff(!setting.Filter)], "open"}
		})
		return []Table{table}
	},
	read: func(device *Device, ts []Table, state *State) error {
		return find(ts, "Ports").each(device, func(row *row) {
			setting := Setting{Untagged: row.vids("Untagged VLANs"), PVID: row.vid("PVID")}
			if text := row.text("Tagged VLANs"); !none(text) {
				for part := range strings.SplitSeq(text, ",") {
					v, wire, rides := strings.Cut(part, "@")
					one, err := ParseVIDs(v)
					if err != nil {
						row.wrong("Tagged VLANs", err)
						return
					}
					setting.Tagged.AddAll(&one)
					if rides {
						vid, err := office.ParseVID(wire)
						if err != nil {
							row.wrong("Tagged VLANs", err)
							return
						}
						setting.Rides = append(setting.Rides, office.Ride{VLAN: single(&one), Wire: vid})
					}
				}
			}
			setting.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[row.choice("Acceptable frames", "all", "tagged", "untagged")]
			setting.Filter = row.choice("Ingress filtering", "on", "off") == 0
			if row.choice("State", "open", "shut") == 1 {
				setting = Setting{Off: true, Filter: true}
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) { return "", state.Ports[port] },
	factory: func(device *Device, port int) Setting {
		if device.Forwarding == office.Routed || device.Ports[port].Kind == office.Inner {
			return Setting{Filter: true}
		}
		return only(office.DefaultVID)
	},
	steps: func(device *Device, way *way) {
		way.each(Setting.same, func(ports []int, to Setting) Step {
			text := fmt.Sprintf("%s: untagged %s, tagged %s, PVID %s", device.list(ports), orNone(vids(to.Untagged)), orNone(riding(to)), vidOr(to.PVID, "none"))
			if to.Admit != office.AdmitAll {
				text += ", admit " + to.Admit.String() + " frames only"
			}
			if !to.Filter {
				text += ", ingress filtering off"
			}
			return Step{Op: Port, Ports: ports, Set: to, Where: "Ports", Text: text}
		})
	},
	apply: func(device *Device, state *State, st Step) error { return byInnerPort.apply(device, state, st) },
}

// riding is the tagged VLANs, those under another VID as VLAN@VID.
//
//	> sheet core plain
//	Ports: Port | Untagged VLANs | Tagged VLANs | PVID | Acceptable frames | Ingress filtering
//	    | State
//	  1-3 | 110 | 140 | 110 | all | on | open
//	  4 | 160 | none | 160 | all | on | open
//	  5 | 190 | none | 190 | all | on | open
//	  6 | none | none | none | all | on | open
//	  7-8 | 190 | 110,140,160 | 190 | all | on | open
func riding(setting Setting) string {
	if len(setting.Rides) == 0 {
		return vids(setting.Tagged)
	}
	var out []string
	rest := setting.Tagged
	for _, ride := range setting.Rides {
		rest.Remove(ride.VLAN)
		out = append(out, fmt.Sprintf("%d@%d", ride.VLAN, ride.Wire))
	}
	if !rest.Empty() {
		out = append([]string{vids(rest)}, out...)
	}
	return strings.Join(out, ",")
}
