package wording

import (
	"fmt"
	"slices"

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
		for v := range state.VLANs.All() {
			number[v] = len(groups.Rows) + 1
			groups.Rows = append(groups.Rows, []string{fmt.Sprint(number[v]), fmt.Sprint(v), nameOnly(device, v)})
		}
		group := func(v office.VID) string {
			if v == 0 {
				return "none"
			}
			return fmt.Sprint(number[v])
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "In group", "Tagged frames"}}
		ports.Rows = device.runs(func(p int) []string {
			x := state.Ports[p]
			if x.Off {
				return []string{"", "shut"}
			}
			return []string{group(x.PVID), [...]string{"accepted", "refused"}[onOff(x.Admit == office.AdmitUntagged)]}
		})
		rows := Table{Title: "Rows", Head: []string{"Port", "In group", "VID on the wire"}}
		for _, p := range device.logical() {
			for v := range state.Ports[p].Tagged.All() {
				device.effort.Spend(20)
				rows.Rows = append(rows.Rows, []string{device.list([]int{p}), group(v), fmt.Sprint(wireOf(state.Ports[p], v))})
			}
		}
		return []Table{groups, ports, rows}
	},
	read: func(device *Device, ts []Table, state *State) error {
		vlan := map[string]office.VID{}
		if err := find(ts, "Groups").each(device, func(r *row) { vlan[r.text("Group")] = r.vid("VLAN") }); err != nil {
			return err
		}
		group := func(r *row) office.VID {
			g := r.text("In group")
			if none(g) {
				return 0
			}
			v, ok := vlan[g]
			if !ok || v == 0 {
				r.wrong("In group", fmt.Errorf("it is not said which VLAN group %s stands for", g))
			}
			return v
		}
		if err := find(ts, "Ports").each(device, func(r *row) {
			setting := Setting{Filter: true}
			switch r.choice("Tagged frames", "accepted", "refused", "shut") {
			case 1:
				setting.Admit = office.AdmitUntagged
			case 2:
				setting.Off = true
			}
			if v := group(r); v != 0 && !setting.Off {
				setting.PVID = v
				setting.Untagged.Add(v)
			}
			for _, p := range r.ports("Port") {
				state.Ports[p] = setting
			}
		}); err != nil {
			return err
		}
		return find(ts, "Rows").each(device, func(r *row) {
			vid, wire := group(r), r.vid("VID on the wire")
			for _, p := range r.ports("Port") {
				setting := &state.Ports[p]
				if setting.Untagged.Has(vid) {
					r.wrong("In group", fmt.Errorf("port %s sits in that group untagged", device.Ports[p].Name))
				}
				setting.Tagged.Add(vid)
				if wire != vid {
					setting.Rides = append(setting.Rides, office.Ride{VLAN: vid, Wire: wire})
					slices.SortFunc(setting.Rides, func(a, b office.Ride) int { return int(a.VLAN) - int(b.VLAN) })
				}
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		setting := s.Ports[p]
		n := setting
		switch {
		case !setting.Filter:
			n.Filter = true
			return "filtering cannot be turned off", n
		case setting.Admit == office.AdmitTagged:
			n.Admit = office.AdmitAll
			return "a port cannot refuse untagged frames", n
		case setting.Admit == office.AdmitUntagged && !setting.Tagged.Empty():
			n.Admit = office.AdmitAll
			return "a port that refuses tagged frames has no rows", n
		}
		plain := setting
		plain.Rides, plain.Admit = nil, office.AdmitAll
		if why, near := oneNative(plain); why != "" {
			near.Rides, near.Admit = setting.Rides, setting.Admit
			return why, near
		}
		return "", setting
	},
	steps: func(device *Device, w *way) {
		w.create("Groups", "Add a group for VLAN %s")
		for _, p := range device.logical() { // rows are scarce: first those that go
			now, to := w.now.Ports[p], w.to.Ports[p]
			for v := range now.Tagged.All() {
				if !to.Tagged.Has(v) || wireOf(now, v) != wireOf(to, v) {
					w.do(rowOf(device, Leave, p, v, now))
				}
			}
		}
		left := device.where(func(p int) bool { return !sameGroup(w.now.Ports[p], w.to.Ports[p]) })
		for len(left) > 0 {
			to := w.to.Ports[left[0]]
			var at []int
			left = slices.DeleteFunc(left, func(p int) bool {
				if sameGroup(to, w.to.Ports[p]) {
					at = append(at, p)
					return true
				}
				return false
			})
			w.do(groupOf(device, at, to))
		}
		for _, p := range device.logical() {
			to := w.to.Ports[p]
			for v := range to.Tagged.All() {
				if !w.now.Ports[p].Tagged.Has(v) {
					w.do(rowOf(device, Join, p, v, to))
				}
			}
		}
		w.forget("Groups", "Remove the group of VLAN %s")
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
			return state.delete(st.VLAN, func(p *Setting) bool { return p.Untagged.Has(st.VLAN) || p.Tagged.Has(st.VLAN) })
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

// rowOf adds or removes the row of a VLAN, as x has it.
func rowOf(d *Device, op Op, p int, v office.VID, x Setting) Step {
	text := "Add a row: port %s, VID %d, group of %s"
	if op == Leave {
		text = "Remove the row of port %s, VID %d, group of %s"
	}
	set := Setting{Rides: []office.Ride{{VLAN: v, Wire: wireOf(x, v)}}}
	return Step{Op: op, VLAN: v, Ports: []int{p}, Set: set, Where: "Rows", Text: fmt.Sprintf(text, d.list([]int{p}), wireOf(x, v), d.name(v))}
}

func groupOf(d *Device, at []int, to Setting) Step {
	name := "no group"
	if to.PVID != 0 {
		name = "the group of " + d.name(to.PVID)
	}
	return Step{Op: Port, Ports: at, Set: Setting{PVID: to.PVID, Untagged: to.Untagged, Admit: to.Admit}, Where: "Ports",
		Text: fmt.Sprintf("Port %s: %s, tagged frames %s", d.list(at), name, [...]string{"accepted", "refused"}[onOff(to.Admit == office.AdmitUntagged)])}
}

func applyRow(device *Device, state *State, st Step) error {
	setting := &state.Ports[st.Ports[0]]
	ride := st.Set.Rides[0]
	if st.Op == Leave {
		if !setting.Tagged.Has(ride.VLAN) {
			return fmt.Errorf("there is no such row")
		}
		setting.Tagged.Remove(ride.VLAN)
		setting.Rides = slices.DeleteFunc(slices.Clone(setting.Rides), func(r office.Ride) bool { return r.VLAN == ride.VLAN })
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
	for v := range setting.Tagged.All() {
		if wireOf(*setting, v) == ride.Wire {
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
	for _, p := range s.Ports {
		n += p.Tagged.Len()
	}
	return n
}

func wireOf(x Setting, vid office.VID) office.VID {
	for _, r := range x.Rides {
		if r.VLAN == vid {
			return r.Wire
		}
	}
	return vid
}
