package wording

import (
	"fmt"

	"klammer/core/office"
)

// byVLAN: a page a VLAN with its untagged and its tagged ports, a table of
// PVIDs, and acceptable frames and filtering per port.
//
// Habits: pvid-follows (the PVID is the VLAN that was joined untagged last;
// else it is set on its own page), starts-tagged (a new VLAN starts tagged on
// every port), leaves-last (joining one VLAN untagged leaves the one before),
// keeps-pvid-vlan (a port cannot leave the VLAN of its PVID). VLAN 1 cannot be
// deleted. A PVID can be none.
var byVLAN = kind{
	write: func(d *Device, s State) []Table {
		vlans := Table{Title: "VLANs", Head: []string{"VLAN", "Name", "Untagged ports", "Tagged ports"}}
		for v := range s.VLANs.All() {
			un := d.where(func(p int) bool { return !s.Ports[p].Off && s.Ports[p].Untagged.Has(v) })
			tg := d.where(func(p int) bool { return !s.Ports[p].Off && s.Ports[p].Tagged.Has(v) })
			vlans.Rows = append(vlans.Rows, []string{fmt.Sprint(v), nameOnly(d, v), d.list(un), d.list(tg)})
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "PVID", "Acceptable frames", "Ingress filtering", "State"}}
		ports.Rows = d.runs(func(p int) []string {
			x := s.Ports[p]
			if x.Off {
				return []string{"", "", "", "shut"}
			}
			return []string{vidOr(x.PVID, "none"), x.Admit.String(), [...]string{"on", "off"}[onOff(!x.Filter)], "open"}
		})
		return []Table{vlans, ports}
	},
	read: func(d *Device, ts []Table, s *State) error {
		if err := find(ts, "VLANs").each(d, func(r *row) {
			v := r.vid("VLAN")
			if v == 0 {
				r.wrong("VLAN", fmt.Errorf("a VID is missing"))
				return
			}
			un := map[int]bool{}
			for _, p := range r.ports("Untagged ports") {
				un[p] = true
				s.Ports[p].Untagged.Add(v)
			}
			for _, p := range r.ports("Tagged ports") {
				if un[p] {
					r.wrong("Tagged ports", fmt.Errorf("port %s is untagged in VLAN %d too: one of both", d.Ports[p].Name, v))
				}
				s.Ports[p].Tagged.Add(v)
			}
		}); err != nil {
			return err
		}
		return find(ts, "Ports").each(d, func(r *row) {
			for _, p := range r.ports("Port") {
				x := &s.Ports[p]
				if r.choice("State", "open", "shut") == 1 {
					*x = Setting{Off: true, Filter: true}
					continue
				}
				x.PVID = r.vid("PVID")
				x.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[r.choice("Acceptable frames", "all", "tagged", "untagged")]
				x.Filter = r.choice("Ingress filtering", "on", "off") == 0
			}
		})
	},
	cannot: func(d *Device, s State, p int) (string, Setting) {
		x := s.Ports[p]
		n := x
		if len(x.Rides) > 0 {
			n.Rides = nil
			return "it has no translation of VIDs", n
		}
		if d.habit(office.PVIDFollows) || d.habit(office.LeavesLast) && x.Untagged.Len() > 1 {
			plain := x
			plain.Admit, plain.Filter = office.AdmitAll, true
			if why, near := oneNative(plain); why != "" {
				near.Admit, near.Filter = x.Admit, x.Filter
				return why, near
			}
		}
		if m := x.Members(); d.habit(office.KeepsPVIDVLAN) && x.PVID != 0 && !m.Has(x.PVID) {
			n.PVID = single(&x.Untagged)
			return "a port cannot leave the VLAN of its PVID", n
		}
		return "", x
	},
	steps: func(d *Device, w *way) {
		apart := !d.habit(office.PVIDFollows)
		page := func(v office.VID, un, tg []int) {
			same := func(at []int, has func(x *Setting) bool) bool {
				k := 0
				for _, p := range d.logical() {
					if has(&w.now.Ports[p]) {
						if k >= len(at) || at[k] != p {
							return false
						}
						k++
					}
				}
				return k == len(at)
			}
			if same(un, func(x *Setting) bool { return x.Untagged.Has(v) }) && same(tg, func(x *Setting) bool { return x.Tagged.Has(v) }) {
				return
			}
			w.do(Step{Op: Page, VLAN: v, Untagged: un, Tagged: tg, Where: fmt.Sprintf("VLAN %d", v),
				Text: fmt.Sprintf("VLAN %s: untagged %s, tagged %s", d.name(v), orNone(d.list(un)), orNone(d.list(tg)))})
		}
		pvids := func() {
			for v := range pvidSet(w.to) {
				at := d.where(func(p int) bool { return w.to.Ports[p].PVID == v && w.now.Ports[p].PVID != v })
				if len(at) > 0 {
					w.do(Step{Op: PVID, VLAN: v, Ports: at, Where: "PVIDs", Text: fmt.Sprintf("PVID of %s: %s", d.list(at), vidOr(v, "none (where it has to be a number: a VLAN that the port is not in)"))})
				}
			}
		}
		w.create("VLANs", "Create VLAN %s")
		early := apart && d.habit(office.KeepsPVIDVLAN) && d.habit(office.LeavesLast)
		if early { // joining would leave the PVID's VLAN, which is refused
			pvids()
			for v := range w.to.VLANs.All() { // nor may what turns tagged be left on the way
				turns := func(p int) bool { return w.now.Ports[p].Untagged.Has(v) && w.to.Ports[p].Tagged.Has(v) }
				now := w.now
				page(v, d.where(func(p int) bool { return now.Ports[p].Untagged.Has(v) && !turns(p) }), d.where(func(p int) bool { return now.Ports[p].Tagged.Has(v) || turns(p) }))
			}
		}
		for v := range w.to.VLANs.All() { // join first, so that nothing is cut off before its new VLAN is there
			now := w.now
			target := func(p int) *Setting { return &w.to.Ports[p] }
			member := func(p int) bool { return target(p).Untagged.Has(v) || target(p).Tagged.Has(v) }
			un := d.where(func(p int) bool { return target(p).Untagged.Has(v) || !member(p) && now.Ports[p].Untagged.Has(v) })
			tg := d.where(func(p int) bool { return target(p).Tagged.Has(v) || !member(p) && now.Ports[p].Tagged.Has(v) })
			page(v, un, tg)
		}
		if apart && !early {
			pvids()
		}
		for v := range w.now.VLANs.All() {
			page(v, d.where(func(p int) bool { return w.to.Ports[p].Untagged.Has(v) }), d.where(func(p int) bool { return w.to.Ports[p].Tagged.Has(v) }))
		}
		w.each(func(a, b Setting) bool { return a.Admit == b.Admit && a.Filter == b.Filter }, func(ports []int, to Setting) Step {
			return Step{Op: Frames, Ports: ports, Set: to, Where: "Ports",
				Text: fmt.Sprintf("Ports %s: acceptable frames %s, ingress filtering %s", d.list(ports), to.Admit, [...]string{"on", "off"}[onOff(!to.Filter)])}
		})
		w.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(d *Device, s *State, st Step) error {
		switch st.Op {
		case Create:
			s.VLANs.Add(st.VLAN)
			if d.habit(office.StartsTagged) {
				for _, p := range d.logical() {
					s.Ports[p].Tagged.Add(st.VLAN)
				}
			}
			return nil
		case Delete:
			return s.delete(st.VLAN, func(p *Setting) bool {
				return p.PVID == st.VLAN && (d.habit(office.KeepsPVIDVLAN) || !d.habit(office.PVIDFollows))
			})
		case PVID:
			if d.habit(office.PVIDFollows) {
				return errStep
			}
			for _, p := range st.Ports {
				s.Ports[p].PVID = st.VLAN
			}
			return known(s, st.VLAN)
		case Frames:
			for _, p := range st.Ports {
				s.Ports[p].Admit, s.Ports[p].Filter = st.Set.Admit, st.Set.Filter
			}
			return nil
		case Page:
			return applyPage(d, s, st)
		}
		return errStep
	},
}

// applyPage sets one VLAN's ports, with what the device does of its own accord.
func applyPage(d *Device, s *State, st Step) error {
	v := st.VLAN
	if err := known(s, v); err != nil {
		return err
	}
	in := map[int]byte{}
	for _, p := range st.Untagged {
		in[p] = 'U'
	}
	for _, p := range st.Tagged {
		if in[p] != 0 {
			return fmt.Errorf("port %s cannot be untagged and tagged in VLAN %d", d.Ports[p].Name, v)
		}
		in[p] = 'T'
	}
	leave := func(x *Setting, v office.VID) error {
		if d.habit(office.KeepsPVIDVLAN) && x.PVID == v && !d.habit(office.PVIDFollows) {
			return fmt.Errorf("a port cannot leave VLAN %d, which is its PVID", v)
		}
		x.Untagged.Remove(v)
		x.Tagged.Remove(v)
		if d.habit(office.PVIDFollows) && x.PVID == v {
			x.PVID = 0
			if x.Untagged.Len() == 1 {
				x.PVID = single(&x.Untagged)
			}
		}
		return nil
	}
	for _, p := range d.logical() {
		x := &s.Ports[p]
		switch in[p] {
		case 'U':
			if x.Untagged.Has(v) {
				continue
			}
			if d.habit(office.LeavesLast) {
				last := x.Untagged
				for o := range last.All() {
					if err := leave(x, o); err != nil {
						return err
					}
				}
			}
			x.Tagged.Remove(v)
			x.Untagged.Add(v)
			if d.habit(office.PVIDFollows) {
				x.PVID = v
			}
		case 'T':
			if x.Untagged.Has(v) && d.habit(office.PVIDFollows) {
				if err := leave(x, v); err != nil {
					return err
				}
			}
			x.Untagged.Remove(v)
			x.Tagged.Add(v)
		default:
			if x.Untagged.Has(v) || x.Tagged.Has(v) {
				if err := leave(x, v); err != nil {
					return fmt.Errorf("port %s: %w", d.Ports[p].Name, err)
				}
			}
		}
	}
	return nil
}

// pvidSet is every PVID of a state, none among them, ascending.
func pvidSet(s State) func(yield func(office.VID) bool) {
	return func(yield func(office.VID) bool) {
		seen := office.Set{}
		for _, p := range s.Ports {
			if p.PVID != 0 {
				seen.Add(p.PVID)
			}
		}
		for v := range seen.All() {
			if !yield(v) {
				return
			}
		}
		yield(0)
	}
}

func onOff(b bool) int {
	if b {
		return 1
	}
	return 0
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// nameOnly is a VLAN's name without its number.
func nameOnly(d *Device, v office.VID) string {
	full, num := d.name(v), fmt.Sprint(v)
	if len(full) > len(num)+1 {
		return full[len(num)+1:]
	}
	return ""
}
