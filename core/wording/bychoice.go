package wording

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// byChoice: a port has one of three: the default VLAN alone, one other alone, or
// the default untagged with all other VLANs of the device tagged. There is
// nothing between. The default VLAN is VLAN 1.
var byChoice = kind{
	write: func(d *Device, s State) []Table {
		ports := Table{Title: "Ports", Head: []string{"Port", "Choice"}}
		ports.Rows = d.runs(func(p int) []string { return []string{choiceOf(s, s.Ports[p])} })
		return []Table{vlanList(d, s), ports}
	},
	read: func(d *Device, ts []Table, s *State) error {
		all := office.Set{}
		if err := find(ts, "VLANs").each(d, func(r *row) {
			if v := r.vid("VLAN"); v != 0 {
				all.Add(v)
			}
		}); err != nil {
			return err
		}
		all.Remove(office.DefaultVID)
		return find(ts, "Ports").each(d, func(r *row) {
			text := strings.ToLower(r.text("Choice"))
			x := only(office.DefaultVID)
			switch v, isOne := strings.CutPrefix(text, "only "); {
			case text == choiceDefault:
			case text == choiceAll:
				x.Tagged = all
			case text == "shut":
				x = Setting{Off: true, Filter: true}
			case isOne:
				one, err := office.ParseVID(v)
				if err != nil {
					r.wrong("Choice", err)
				}
				x = only(one)
			default:
				r.wrong("Choice", fmt.Errorf("%q is none of: %s, only VID, %s", r.text("Choice"), choiceDefault, choiceAll))
			}
			for _, p := range r.ports("Port") {
				s.Ports[p] = x
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		x := s.Ports[p]
		if why, n := plainOnly(x); why != "" {
			return why, n
		}
		if choiceOf(s, x) != "" {
			return "", x
		}
		near := only(office.DefaultVID)
		switch {
		case x.Members() == (office.Set{}) && x.PVID == 0:
			near = Setting{Off: true, Filter: true}
		case x.PVID > office.DefaultVID:
			near = only(x.PVID)
		case !x.Tagged.Empty():
			near.Tagged = s.VLANs
			near.Tagged.Remove(office.DefaultVID)
		case !x.Untagged.Empty():
			near = only(single(&x.Untagged))
		}
		if near.Off {
			return "a port is always in a VLAN: shut it, or park it in a VLAN that nobody is in", near
		}
		return "a port has the default VLAN alone, one other alone, or the default untagged with all others tagged", near
	},
	steps: func(d *Device, w *way) {
		w.create("VLANs", "Create VLAN %s")
		w.each(Setting.same, func(ports []int, to Setting) Step {
			return Step{Op: Port, Ports: ports, Set: to, Where: "Ports", Text: "Port " + d.list(ports) + ": " + choiceOf(w.to, to)}
		})
		w.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(d *Device, s *State, st Step) error {
		others := s.VLANs
		others.Remove(office.DefaultVID)
		var trunks []int
		for _, p := range d.logical() {
			if !others.Empty() && s.Ports[p].Tagged == others {
				trunks = append(trunks, p)
			}
		}
		switch st.Op {
		case Create:
			s.VLANs.Add(st.VLAN)
			for _, p := range trunks { // all others is all others
				s.Ports[p].Tagged.Add(st.VLAN)
			}
			return nil
		case Delete:
			return s.delete(st.VLAN, func(p *Setting) bool { return p.Untagged.Has(st.VLAN) || p.PVID == st.VLAN })
		case Port:
			to := st.Set
			if !to.Tagged.Empty() {
				to.Tagged = others // what it is called, not what it was meant to be
			}
			st.Set = to
			return applyList(s, st, func(Setting) error { return nil })
		}
		return errStep
	},
}

const (
	choiceDefault = "the default only"
	choiceAll     = "the default untagged, all others tagged"
)

// choiceOf is the choice that says a setting, "" for none.
func choiceOf(s State, x Setting) string {
	others := s.VLANs
	others.Remove(office.DefaultVID)
	if x.Off {
		if x.Members() == (office.Set{}) {
			return "shut"
		}
		x.Off = false
	}
	if x.Untagged.Len() != 1 || !x.Untagged.Has(x.PVID) || len(x.Rides) > 0 {
		return ""
	}
	switch {
	case x.PVID == office.DefaultVID && x.Tagged.Empty():
		return choiceDefault
	case x.PVID == office.DefaultVID && x.Tagged == others:
		return choiceAll
	case x.Tagged.Empty():
		return fmt.Sprintf("only %d", x.PVID)
	}
	return ""
}
