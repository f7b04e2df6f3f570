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
	write: func(device *Device, state State) []Table {
		vlans := Table{Title: "VLANs", Head: []string{"VLAN", "Name", "Untagged ports", "Tagged ports"}}
		for v := range state.VLANs.All() {
			un := device.where(func(p int) bool { return !state.Ports[p].Off && state.Ports[p].Untagged.Has(v) })
			tg := device.where(func(p int) bool { return !state.Ports[p].Off && state.Ports[p].Tagged.Has(v) })
			vlans.Rows = append(vlans.Rows, []string{fmt.Sprint(v), nameOnly(device, v), device.list(un), device.list(tg)})
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "PVID", "Acceptable frames", "Ingress filtering", "State"}}
		ports.Rows = device.runs(func(p int) []string {
			x := state.Ports[p]
			if x.Off {
				return []string{"", "", "", "shut"}
			}
			return []string{vidOr(x.PVID, "none"), x.Admit.String(), [...]string{"on", "off"}[onOff(!x.Filter)], "open"}
		})
		return []Table{vlans, ports}
	},
	read: func(device *Device, ts []Table, state *State) error {
		if err := find(ts, "VLANs").each(device, func(r *row) {
			vid := r.vid("VLAN")
			if vid == 0 {
				r.wrong("VLAN", fmt.Errorf("a VID is missing"))
				return
			}
			un := map[int]bool{}
			for _, p := range r.ports("Untagged ports") {
				un[p] = true
				state.Ports[p].Untagged.Add(vid)
			}
			for _, p := range r.ports("Tagged ports") {
				if un[p] {
					r.wrong("Tagged ports", fmt.Errorf("port %s is untagged in VLAN %d too: one of both", device.Ports[p].Name, vid))
				}
				state.Ports[p].Tagged.Add(vid)
			}
		}); err != nil {
			return err
		}
		return find(ts, "Ports").each(device, func(r *row) {
			for _, p := range r.ports("Port") {
				setting := &state.Ports[p]
				if r.choice("State", "open", "shut") == 1 {
					*setting = Setting{Off: true, Filter: true}
					continue
				}
				setting.PVID = r.vid("PVID")
				setting.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[r.choice("Acceptable frames", "all", "tagged", "untagged")]
				setting.Filter = r.choice("Ingress filtering", "on", "off") == 0
			}
		})
	},
	cannot: func(device *Device, s State, p int) (string, Setting) {
		setting := s.Ports[p]
		n := setting
		if len(setting.Rides) > 0 {
			n.Rides = nil
			return "it has no translation of VIDs", n
		}
		if device.habit(office.PVIDFollows) || device.habit(office.LeavesLast) && setting.Untagged.Len() > 1 {
			plain := setting
			plain.Admit, plain.Filter = office.AdmitAll, true
			if why, near := oneNative(plain); why != "" {
				near.Admit, near.Filter = setting.Admit, setting.Filter
				return why, near
			}
		}
		if m := setting.Members(); device.habit(office.KeepsPVIDVLAN) && setting.PVID != 0 && !m.Has(setting.PVID) {
			n.PVID = single(&setting.Untagged)
			return "a port cannot leave the VLAN of its PVID", n
		}
		return "", setting
	},
	steps: func(device *Device, w *way) {
		apart := !device.habit(office.PVIDFollows)
		page := func(vid office.VID, un, tg []int) {
			same := func(at []int, has func(x *Setting) bool) bool {
				k := 0
				for _, p := range device.logical() {
					if has(&w.now.Ports[p]) {
						if k >= len(at) || at[k] != p {
							return false
						}
						k++
					}
				}
				return k == len(at)
			}
			if same(un, func(x *Setting) bool { return x.Untagged.Has(vid) }) && same(tg, func(x *Setting) bool { return x.Tagged.Has(vid) }) {
				return
			}
			w.do(pageOf(device, vid, un, tg))
		}
		pvids := func() {
			for v := range pvidSet(w.to) {
				at := device.where(func(p int) bool { return w.to.Ports[p].PVID == v && w.now.Ports[p].PVID != v })
				if len(at) > 0 {
					w.do(pvidOf(device, v, at))
				}
			}
		}
		w.create("VLANs", "Create VLAN %s")
		early := apart && device.habit(office.KeepsPVIDVLAN) && device.habit(office.LeavesLast)
		if early { // joining untagged would leave the PVID's VLAN, which is refused: join it tagged first
			for v := range w.to.VLANs.All() { // nor may what turns tagged be left on the way
				turns := func(p int) bool { return w.now.Ports[p].Untagged.Has(v) && w.to.Ports[p].Tagged.Has(v) }
				joins := func(p int) bool { return w.to.Ports[p].PVID == v && !w.now.Ports[p].Untagged.Has(v) }
				now := w.now
				page(
					v,
					device.where(func(p int) bool { return now.Ports[p].Untagged.Has(v) && !turns(p) }),
					device.where(func(p int) bool { return now.Ports[p].Tagged.Has(v) || turns(p) || joins(p) }),
				)
			}
			pvids()
		}
		for vid := range w.to.VLANs.All() { // join first, so that nothing is cut off before its new VLAN is there
			now := w.now
			target := func(p int) *Setting { return &w.to.Ports[p] }
			member := func(p int) bool { return target(p).Untagged.Has(vid) || target(p).Tagged.Has(vid) }
			un := device.where(func(p int) bool { return target(p).Untagged.Has(vid) || !member(p) && now.Ports[p].Untagged.Has(vid) })
			tg := device.where(func(p int) bool { return target(p).Tagged.Has(vid) || !member(p) && now.Ports[p].Tagged.Has(vid) })
			page(vid, un, tg)
		}
		if apart && !early {
			pvids()
		}
		known := w.now.VLANs
		for v := range known.All() {
			page(v, device.where(func(p int) bool { return w.to.Ports[p].Untagged.Has(v) }), device.where(func(p int) bool { return w.to.Ports[p].Tagged.Has(v) }))
		}
		w.each(func(a, b Setting) bool { return a.Admit == b.Admit && a.Filter == b.Filter }, func(ports []int, to Setting) Step {
			return framesOf(device, ports, to)
		})
		w.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(device *Device, state *State, st Step) error {
		switch st.Op {
		case Create:
			state.VLANs.Add(st.VLAN)
			if device.habit(office.StartsTagged) {
				for _, p := range device.logical() {
					state.Ports[p].Tagged.Add(st.VLAN)
				}
			}
			return nil
		case Delete:
			return state.delete(st.VLAN, func(p *Setting) bool {
				return p.PVID == st.VLAN && (device.habit(office.KeepsPVIDVLAN) || !device.habit(office.PVIDFollows))
			})
		case PVID:
			if device.habit(office.PVIDFollows) {
				return errStep
			}
			for _, p := range st.Ports {
				if m := state.Ports[p].Members(); device.habit(office.KeepsPVIDVLAN) && st.VLAN != 0 && !m.Has(st.VLAN) {
					return fmt.Errorf("port %s is not in VLAN %d, which cannot be its PVID then", device.Ports[p].Name, st.VLAN)
				}
				state.Ports[p].PVID = st.VLAN
			}
			return known(state, st.VLAN)
		case Frames:
			for _, p := range st.Ports {
				state.Ports[p].Admit, state.Ports[p].Filter = st.Set.Admit, st.Set.Filter
			}
			return nil
		case Page:
			return applyPage(device, state, st)
		}
		return errStep
	},
}

func pageOf(d *Device, v office.VID, un, tg []int) Step {
	return Step{Op: Page, VLAN: v, Untagged: un, Tagged: tg, Where: fmt.Sprintf("VLAN %d", v),
		Text: fmt.Sprintf("VLAN %s: untagged %s, tagged %s", d.name(v), orNone(d.list(un)), orNone(d.list(tg)))}
}

func pvidOf(d *Device, v office.VID, at []int) Step {
	return Step{Op: PVID, VLAN: v, Ports: at, Where: "PVIDs",
		Text: fmt.Sprintf("PVID of %s: %s", d.list(at), vidOr(v, "none (where it has to be a number: a VLAN that the port is not in)"))}
}

func framesOf(d *Device, at []int, to Setting) Step {
	return Step{Op: Frames, Ports: at, Set: to, Where: "Ports",
		Text: fmt.Sprintf("Ports %s: acceptable frames %s, ingress filtering %s", d.list(at), to.Admit, [...]string{"on", "off"}[onOff(!to.Filter)])}
}

// applyPage sets one VLAN's ports, with what the device does of its own accord.
func applyPage(device *Device, state *State, st Step) error {
	vid := st.VLAN
	if err := known(state, vid); err != nil {
		return err
	}
	in := map[int]byte{}
	for _, p := range st.Untagged {
		in[p] = 'U'
	}
	for _, p := range st.Tagged {
		if in[p] != 0 {
			return fmt.Errorf("port %s cannot be untagged and tagged in VLAN %d", device.Ports[p].Name, vid)
		}
		in[p] = 'T'
	}
	leave := func(setting *Setting, v office.VID) error {
		if device.habit(office.KeepsPVIDVLAN) && setting.PVID == v && !device.habit(office.PVIDFollows) {
			return fmt.Errorf("a port cannot leave VLAN %d, which is its PVID", v)
		}
		setting.Untagged.Remove(v)
		setting.Tagged.Remove(v)
		if device.habit(office.PVIDFollows) && setting.PVID == v {
			setting.PVID = 0
			if setting.Untagged.Len() == 1 {
				setting.PVID = single(&setting.Untagged)
			}
		}
		return nil
	}
	for _, port := range device.logical() {
		setting := &state.Ports[port]
		switch in[port] {
		case 'U':
			if setting.Untagged.Has(vid) {
				continue
			}
			if device.habit(office.LeavesLast) {
				last := setting.Untagged
				for o := range last.All() {
					if err := leave(setting, o); err != nil {
						return err
					}
				}
			}
			setting.Tagged.Remove(vid)
			setting.Untagged.Add(vid)
			if device.habit(office.PVIDFollows) {
				setting.PVID = vid
			}
		case 'T':
			if setting.Untagged.Has(vid) && device.habit(office.PVIDFollows) {
				if err := leave(setting, vid); err != nil {
					return err
				}
			}
			setting.Untagged.Remove(vid)
			setting.Tagged.Add(vid)
		default:
			if setting.Untagged.Has(vid) || setting.Tagged.Has(vid) {
				if err := leave(setting, vid); err != nil {
					return fmt.Errorf("port %s: %w", device.Ports[port].Name, err)
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
