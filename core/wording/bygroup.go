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
	write: func(d *Device, s State) []Table {
		groups := Table{Title: "Groups", Head: []string{"Group", "VLAN", "Name"}}
		number := map[office.VID]int{}
		for v := range s.VLANs.All() {
			number[v] = len(groups.Rows) + 1
			groups.Rows = append(groups.Rows, []string{fmt.Sprint(number[v]), fmt.Sprint(v), nameOnly(d, v)})
		}
		group := func(v office.VID) string {
			if v == 0 {
				return "none"
			}
			return fmt.Sprint(number[v])
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "In group", "Tagged frames"}}
		ports.Rows = d.runs(func(p int) []string {
			x := s.Ports[p]
			if x.Off {
				return []string{"", "shut"}
			}
			return []string{group(x.PVID), [...]string{"accepted", "refused"}[onOff(x.Admit == office.AdmitUntagged)]}
		})
		rows := Table{Title: "Rows", Head: []string{"Port", "In group", "VID on the wire"}}
		for _, p := range d.logical() {
			for v := range s.Ports[p].Tagged.All() {
				rows.Rows = append(rows.Rows, []string{d.list([]int{p}), group(v), fmt.Sprint(wireOf(s.Ports[p], v))})
			}
		}
		return []Table{groups, ports, rows}
	},
	read: func(d *Device, ts []Table, s *State) error {
		vlan := map[string]office.VID{}
		if err := find(ts, "Groups").each(d, func(r *row) { vlan[r.text("Group")] = r.vid("VLAN") }); err != nil {
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
		if err := find(ts, "Ports").each(d, func(r *row) {
			x := Setting{Filter: true}
			switch r.choice("Tagged frames", "accepted", "refused", "shut") {
			case 1:
				x.Admit = office.AdmitUntagged
			case 2:
				x.Off = true
			}
			if v := group(r); v != 0 && !x.Off {
				x.PVID = v
				x.Untagged.Add(v)
			}
			for _, p := range r.ports("Port") {
				s.Ports[p] = x
			}
		}); err != nil {
			return err
		}
		return find(ts, "Rows").each(d, func(r *row) {
			v, wire := group(r), r.vid("VID on the wire")
			for _, p := range r.ports("Port") {
				x := &s.Ports[p]
				if x.Untagged.Has(v) {
					r.wrong("In group", fmt.Errorf("port %s sits in that group untagged", d.Ports[p].Name))
				}
				x.Tagged.Add(v)
				if wire != v {
					x.Rides = append(x.Rides, office.Ride{VLAN: v, Wire: wire})
					slices.SortFunc(x.Rides, func(a, b office.Ride) int { return int(a.VLAN) - int(b.VLAN) })
				}
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		x := s.Ports[p]
		n := x
		switch {
		case !x.Filter:
			n.Filter = true
			return "filtering cannot be turned off", n
		case x.Admit == office.AdmitTagged:
			n.Admit = office.AdmitAll
			return "a port cannot refuse untagged frames", n
		case x.Admit == office.AdmitUntagged && !x.Tagged.Empty():
			n.Admit = office.AdmitAll
			return "a port that refuses tagged frames has no rows", n
		}
		plain := x
		plain.Rides, plain.Admit = nil, office.AdmitAll
		if why, near := oneNative(plain); why != "" {
			near.Rides, near.Admit = x.Rides, x.Admit
			return why, near
		}
		return "", x
	},
	steps: func(d *Device, w *way) {
		row := func(op Op, p int, v office.VID, x Setting, text string) {
			set := Setting{Rides: []office.Ride{{VLAN: v, Wire: wireOf(x, v)}}}
			w.do(Step{Op: op, VLAN: v, Ports: []int{p}, Set: set, Where: "Rows", Text: fmt.Sprintf(text, d.list([]int{p}), wireOf(x, v), d.name(v))})
		}
		w.create("Groups", "Add a group for VLAN %s")
		for _, p := range d.logical() { // rows are scarce: first those that go
			now, to := w.now.Ports[p], w.to.Ports[p]
			for v := range now.Tagged.All() {
				if !to.Tagged.Has(v) || wireOf(now, v) != wireOf(to, v) {
					row(Leave, p, v, now, "Remove the row of port %s, VID %d, group of %s")
				}
			}
		}
		group := func(a, b Setting) bool { return a.PVID == b.PVID && a.Admit == b.Admit }
		left := d.where(func(p int) bool { return !group(w.now.Ports[p], w.to.Ports[p]) })
		for len(left) > 0 {
			to := w.to.Ports[left[0]]
			var at []int
			left = slices.DeleteFunc(left, func(p int) bool {
				if group(to, w.to.Ports[p]) {
					at = append(at, p)
					return true
				}
				return false
			})
			name := "no group"
			if to.PVID != 0 {
				name = "the group of " + d.name(to.PVID)
			}
			w.do(Step{Op: Port, Ports: at, Set: Setting{PVID: to.PVID, Untagged: to.Untagged, Admit: to.Admit}, Where: "Ports",
				Text: fmt.Sprintf("Port %s: %s, tagged frames %s", d.list(at), name, [...]string{"accepted", "refused"}[onOff(to.Admit == office.AdmitUntagged)])})
		}
		for _, p := range d.logical() {
			to := w.to.Ports[p]
			for v := range to.Tagged.All() {
				if !w.now.Ports[p].Tagged.Has(v) {
					row(Join, p, v, to, "Add a row: port %s, VID %d, group of %s")
				}
			}
		}
		w.forget("Groups", "Remove the group of VLAN %s")
	},
	apply: func(d *Device, s *State, st Step) error {
		switch st.Op {
		case Create:
			s.VLANs.Add(st.VLAN)
			if most := d.Limits.VLANs; most > 0 && s.VLANs.Len() > most {
				return fmt.Errorf("there are %d groups", most)
			}
			return nil
		case Delete:
			return s.delete(st.VLAN, func(p *Setting) bool { return p.Untagged.Has(st.VLAN) || p.Tagged.Has(st.VLAN) })
		case Port:
			if err := known(s, st.Set.PVID); err != nil {
				return err
			}
			for _, p := range st.Ports {
				x := &s.Ports[p]
				if x.Tagged.Has(st.Set.PVID) {
					return fmt.Errorf("port %s has a row for that group", d.Ports[p].Name)
				}
				if st.Set.Admit == office.AdmitUntagged && !x.Tagged.Empty() {
					return fmt.Errorf("port %s has rows, and is to refuse tagged frames", d.Ports[p].Name)
				}
				x.PVID, x.Untagged, x.Admit = st.Set.PVID, st.Set.Untagged, st.Set.Admit
			}
			return nil
		case Join, Leave:
			return applyRow(d, s, st)
		}
		return errStep
	},
}

func applyRow(d *Device, s *State, st Step) error {
	x := &s.Ports[st.Ports[0]]
	ride := st.Set.Rides[0]
	if st.Op == Leave {
		if !x.Tagged.Has(ride.VLAN) {
			return fmt.Errorf("there is no such row")
		}
		x.Tagged.Remove(ride.VLAN)
		x.Rides = slices.DeleteFunc(slices.Clone(x.Rides), func(r office.Ride) bool { return r.VLAN == ride.VLAN })
		if len(x.Rides) == 0 {
			x.Rides = nil
		}
		return nil
	}
	rows := 0
	for _, p := range s.Ports {
		rows += p.Tagged.Len()
	}
	switch {
	case !s.VLANs.Has(ride.VLAN):
		return known(s, ride.VLAN)
	case x.Admit == office.AdmitUntagged:
		return fmt.Errorf("the port refuses tagged frames")
	case x.Untagged.Has(ride.VLAN):
		return fmt.Errorf("the port sits in that group")
	case d.Limits.Rows > 0 && rows >= d.Limits.Rows:
		return fmt.Errorf("there are %d rows", d.Limits.Rows)
	}
	for v := range x.Tagged.All() {
		if wireOf(*x, v) == ride.Wire {
			return fmt.Errorf("VID %d has a row on that port already", ride.Wire)
		}
	}
	x.Tagged.Add(ride.VLAN)
	if ride.Wire != ride.VLAN {
		x.Rides = append(slices.Clone(x.Rides), ride)
		slices.SortFunc(x.Rides, func(a, b office.Ride) int { return int(a.VLAN) - int(b.VLAN) })
	}
	return nil
}

func wireOf(x Setting, v office.VID) office.VID {
	for _, r := range x.Rides {
		if r.VLAN == v {
			return r.Wire
		}
	}
	return v
}
