package wording

import (
	"fmt"
	"slices"
	"strconv"

	"klammer/core/office"
)

// byGroup: a port sits in one group and may refuse tagged frames; rows say that
// a tagged VID on a port belongs to a group. The group's number is inside only:
// a sheet says which VLAN it stands for. Groups and rows are limited (the
// device's limits vlans and rows).
var byGroup = kind{
	write: func(device *Device, state State) []Table {
		groups := Table{Title: "Groups", Head: []string{"Group", "VLAN", "Name"}}
		number := map[office.VID]int{}
		for vid := range state.VLANs.All() {
			number[vid] = len(groups.Rows) + 1
			groups.Rows = append(groups.Rows, []string{fmt.Sprint(number[vid]), fmt.Sprint(vid), nameOnly(device, vid)})
		}
		group := func(vid office.VID) string {
			if vid == 0 {
				return "none"
			}
			return fmt.Sprint(number[vid])
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "In group", "Tagged frames"}}
		ports.Rows = device.runs(func(port int) []string {
			setting := state.Ports[port]
			if setting.Off {
				return []string{"", "shut"}
			}
			return []string{group(setting.PVID), [...]string{"accepted", "refused"}[onOff(setting.Admit == office.AdmitUntagged)]}
		})
		rows := Table{Title: "Rows", Head: []string{"Port", "In group", "VID on the wire"}}
		for _, port := range device.logical() {
			for vid := range state.Ports[port].Tagged.All() {
				device.effort.Spend(20)
				cells := []string{device.list([]int{port})}
				cells = append(cells, group(vid), strconv.Itoa(int(wireOf(state.Ports[port], vid))))
				rows.Rows = append(rows.Rows, cells)
			}
		}
		return []Table{groups, ports, rows}
	},
	read: func(device *Device, ts []Table, state *State) error {
		vlan := map[string]office.VID{}
		if err := find(ts, "Groups").each(device, func(row *row) { vlan[row.text("Group")] = row.vid("VLAN") }); err != nil {
			return err
		}
		group := func(row *row) office.VID {
			g := row.text("In group")
			if none(g) {
				return 0
			}
			vid, ok := vlan[g]
			if !ok || vid == 0 {
				row.wrong("In group", fmt.Errorf("it is not said which VLAN group %s stands for", g))
			}
			return vid
		}
		if err := find(ts, "Ports").each(device, func(row *row) {
			setting := Setting{Filter: true}
			switch row.choice("Tagged frames", "accepted", "refused", "shut") {
			case 1:
				setting.Admit = office.AdmitUntagged
			case 2:
				setting.Off = true
			}
			if vid := group(row); vid != 0 && !setting.Off {
				setting.PVID = vid
				setting.Untagged.Add(vid)
			}
			for _, port := range row.ports("Port") {
				state.Ports[port] = setting
			}
		}); err != nil {
			return err
		}
		return find(ts, "Rows").each(device, func(row *row) {
			vid, wire := group(row), row.vid("VID on the wire")
			for _, port := range row.ports("Port") {
				setting := &state.Ports[port]
				if setting.Untagged.Has(vid) {
					row.wrong("In group", fmt.Errorf("port %s sits in that group untagged", device.Ports[port].Name))
				}
				setting.Tagged.Add(vid)
				if wire != vid {
					setting.Rides = append(setting.Rides, office.Ride{VLAN: vid, Wire: wire})
					slices.SortFunc(setting.Rides, func(a, b office.Ride) int { return int(a.VLAN) - int(b.VLAN) })
				}
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) {
		setting := state.Ports[port]
		other := setting
		switch {
		case !setting.Filter:
			other.Filter = true
			return "filtering cannot be turned off", other
		case setting.Admit == office.AdmitTagged:
			other.Admit = office.AdmitAll
			return "a port cannot refuse untagged frames", other
		case setting.Admit == office.AdmitUntagged && !setting.Tagged.Empty():
			other.Admit = office.AdmitAll
			return "a port that refuses tagged frames has no rows", other
		}
		plain := setting
		plain.Rides, plain.Admit = nil, office.AdmitAll
		if why, near := oneNative(plain); why != "" {
			near.Rides, near.Admit = setting.Rides, setting.Admit
			return why, near
		}
		return "", setting
	},
	steps: func(device *Device, way *way) {
		way.create("Groups", "Add a group for VLAN %s")
		for _, port := range device.logical() { // rows are scarce: first those that go
			now, to := way.now.Ports[port], way.to.Ports[port]
			for vid := range now.Tagged.All() {
				if !to.Tagged.Has(vid) || wireOf(now, vid) != wireOf(to, vid) {
					way.do(rowOf(device, Leave, port, vid, now))
				}
			}
		}
		left := device.where(func(port int) bool { return !sameGroup(way.now.Ports[port], way.to.Ports[port]) })
		for len(left) > 0 {
			to := way.to.Ports[left[0]]
			var at []int
			left = slices.DeleteFunc(left, func(port int) bool {
				if sameGroup(to, way.to.Ports[port]) {
					at = append(at, port)
					return true
				}
				return false
			})
			way.do(groupOf(device, at, to))
		}
		for _, port := range device.logical() {
			to := way.to.Ports[port]
			for vid := range to.Tagged.All() {
				if !way.now.Ports[port].Tagged.Has(vid) {
					way.do(rowOf(device, Join, port, vid, to))
				}
			}
		}
		way.forget("Groups", "Remove the group of VLAN %s")
	},
	apply: func(device *Device, state *State, st Step) error {
		switch st.Op {
		case Create:
			state.VLANs.Add(st.VLAN)
			if most := device.Limits.VLANs; most > 0 && state.VLANs.Len() > most {
				return fmt.Errorf("there are %d groups", most)
			}
			return nil
		case Delete:
			return state.delete(st.VLAN, func(setting *Setting) bool { return setting.Untagged.Has(st.VLAN) || setting.Tagged.Has(st.VLAN) })
		case Port:
			if err := known(state, st.Set.PVID); err != nil {
				return err
			}
			for _, port := range st.Ports {
				setting := &state.Ports[port]
				if setting.Tagged.Has(st.Set.PVID) {
					return fmt.Errorf("port %s has a row for that group", device.Ports[port].Name)
				}
				if st.Set.Admit == office.AdmitUntagged && !setting.Tagged.Empty() {
					return fmt.Errorf("port %s has rows, and is to refuse tagged frames", device.Ports[port].Name)
				}
				setting.PVID, setting.Untagged, setting.Admit = st.Set.PVID, st.Set.Untagged, st.Set.Admit
			}
			return nil
		case Join, Leave:
			return applyRow(device, state, st)
		}
		return errStep
	},
}

func sameGroup(a, b Setting) bool { return a.PVID == b.PVID && a.Admit == b.Admit }

// rowOf adds or removes the row of a VLAN, as setting has it.
//
//	> sheet core by-group
//	Groups: Group | VLAN | Name
//	  1 | 1 | default
//	  2 | 110 | reception
//	  3 | 140 | phones
//	  4 | 160 | guests
//	  5 | 190 | devices
//	Ports: Port | In group | Tagged frames
//	  1-3 | 2 | accepted
//	  4 | 4 | accepted
//	  5,7-8 | 5 | accepted
//	  6 | none | accepted
//	Rows: Port | In group | VID on the wire
//	  1 | 3 | 140
//	  2 | 3 | 140
//	  3 | 3 | 140
//	  7 | 2 | 110
//	  7 | 3 | 140
//	  7 | 4 | 160
//	  8 | 2 | 110
//	  8 | 3 | 140
//	  8 | 4 | 160
func rowOf(device *Device, op Op, p int, vid office.VID, setting Setting) Step {
	text := "Add a row: port %s, VID %d, group of %s"
	if op == Leave {
		text = "Remove the row of port %s, VID %d, group of %s"
	}
	set := Setting{Rides: []office.Ride{{VLAN: vid, Wire: wireOf(setting, vid)}}}
	return Step{Op: op, VLAN: vid, Ports: []int{p}, Set: set, Where: "Rows", Text: fmt.Sprintf(text, device.list([]int{p}), wireOf(setting, vid), device.name(vid))}
}

// groupOf is the step that puts ports into a VLAN's group, in which they send and take untagged
// frames, and says whether tagged ones are taken beside it.
//
//	> steps core by-group 4: 110 [140]
//	[Ports] Port 4: the group of 110 reception, tagged frames accepted
//	[Rows] Add a row: port 4, VID 140, group of 140 phones
//	[Device] Save, so that it stays after a power cut
func groupOf(device *Device, at []int, to Setting) Step {
	name := "no group"
	if to.PVID != 0 {
		name = "the group of " + device.name(to.PVID)
	}
	return Step{Op: Port, Ports: at, Set: Setting{PVID: to.PVID, Untagged: to.Untagged, Admit: to.Admit}, Where: "Ports",
		Text: fmt.Sprintf("Port %s: %s, tagged frames %s", device.list(at), name, [...]string{"accepted", "refused"}[onOff(to.Admit == office.AdmitUntagged)])}
}

// applyRow adds or takes away a row of a group's table: port, VLAN, VID on the wire.
func applyRow(device *Device, state *State, st Step) error {
	setting := &state.Ports[st.Ports[0]]
	ride := st.Set.Rides[0]
	if st.Op == Leave {
		if !setting.Tagged.Has(ride.VLAN) {
			return fmt.Errorf("there is no such row")
		}
		setting.Tagged.Remove(ride.VLAN)
		setting.Rides = slices.DeleteFunc(slices.Clone(setting.Rides), func(other office.Ride) bool { return other.VLAN == ride.VLAN })
		if len(setting.Rides) == 0 {
			setting.Rides = nil
		}
		return nil
	}
	switch {
	case !state.VLANs.Has(ride.VLAN):
		return known(state, ride.VLAN)
	case setting.Admit == office.AdmitUntagged:
		return fmt.Errorf("the port refuses tagged frames")
	case setting.Untagged.Has(ride.VLAN):
		return fmt.Errorf("the port sits in that group")
	case device.Limits.Rows > 0 && state.rows() >= device.Limits.Rows:
		return fmt.Errorf("there are %d rows", device.Limits.Rows)
	}
	for vid := range setting.Tagged.All() {
		if wireOf(*setting, vid) == ride.Wire {
			return fmt.Errorf("VID %d has a row on that port already", ride.Wire)
		}
	}
	setting.Tagged.Add(ride.VLAN)
	if ride.Wire != ride.VLAN {
		setting.Rides = append(slices.Clone(setting.Rides), ride)
		slices.SortFunc(setting.Rides, func(a, b office.Ride) int { return int(a.VLAN) - int(b.VLAN) })
	}
	return nil
}

// rows is how many rows there are.
func (s *State) rows() (n int) {
	for _, setting := range s.Ports {
		n += setting.Tagged.Len()
	}
	return n
}

// wireOf is the number under which a VLAN leaves a port: its own, unless it rides under another.
func wireOf(setting Setting, vid office.VID) office.VID {
	for _, ride := range setting.Rides {
		if ride.VLAN == vid {
			return ride.Wire
		}
	}
	return vid
}
