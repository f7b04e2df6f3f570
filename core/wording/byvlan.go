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
		for vid := range state.VLANs.All() {
			un := device.where(func(port int) bool { return !state.Ports[port].Off && state.Ports[port].Untagged.Has(vid) })
			tg := device.where(func(port int) bool { return !state.Ports[port].Off && state.Ports[port].Tagged.Has(vid) })
			vlans.Rows = append(vlans.Rows, []string{fmt.Sprint(vid), nameOnly(device, vid), device.list(un), device.list(tg)})
		}
		ports := Table{Title: "Ports", Head: []string{"Port", "PVID", "Acceptable frames", "Ingress filtering", "State"}}
		ports.Rows = device.runs(func(port int) []string {
			setting := state.Ports[port]
			if setting.Off {
				return []string{"", "", "", "shut"}
			}
			return []string{vidOr(setting.PVID, "none"), setting.Admit.String(), [...]string{"on", "off"}[onOff(!setting.Filter)], "open"}
		})
		return []Table{vlans, ports}
	},
	read: func(device *Device, ts []Table, state *State) error {
		if err := find(ts, "VLANs").each(device, func(row *row) {
			vid := row.vid("VLAN")
			if vid == 0 {
				row.wrong("VLAN", fmt.Errorf("a VID is missing"))
				return
			}
			un := map[int]bool{}
			for _, port := range row.ports("Untagged ports") {
				un[port] = true
				state.Ports[port].Untagged.Add(vid)
			}
			for _, port := range row.ports("Tagged ports") {
				if un[port] {
					row.wrong("Tagged ports", fmt.Errorf("port %s is untagged in VLAN %d too: one of both", device.Ports[port].Name, vid))
				}
				state.Ports[port].Tagged.Add(vid)
			}
		}); err != nil {
			return err
		}
		return find(ts, "Ports").each(device, func(row *row) {
			for _, port := range row.ports("Port") {
				setting := &state.Ports[port]
				if row.choice("State", "open", "shut") == 1 {
					*setting = Setting{Off: true, Filter: true}
					continue
				}
				setting.PVID = row.vid("PVID")
				setting.Admit = []office.Admit{office.AdmitAll, office.AdmitTagged, office.AdmitUntagged}[row.choice("Acceptable frames", "all", "tagged", "untagged")]
				setting.Filter = row.choice("Ingress filtering", "on", "off") == 0
			}
		})
	},
	cannot: func(device *Device, state State, port int) (string, Setting) {
		setting := state.Ports[port]
		other := setting
		if len(setting.Rides) > 0 {
			other.Rides = nil
			return "it has no translation of VIDs", other
		}
		if device.habit(office.PVIDFollows) || device.habit(office.LeavesLast) && setting.Untagged.Len() > 1 {
			plain := setting
			plain.Admit, plain.Filter = office.AdmitAll, true
			if why, near := oneNative(plain); why != "" {
				near.Admit, near.Filter = setting.Admit, setting.Filter
				return why, near
			}
		}
		if set := setting.Members(); device.habit(office.KeepsPVIDVLAN) && setting.PVID != 0 && !set.Has(setting.PVID) {
			other.PVID = single(&setting.Untagged)
			return "a port cannot leave the VLAN of its PVID", other
		}
		return "", setting
	},
	steps: func(device *Device, way *way) {
		apart := !device.habit(office.PVIDFollows)
		page := func(vid office.VID, un, tg []int) {
			same := func(at []int, has func(setting *Setting) bool) bool {
				k := 0
				for _, port := range device.logical() {
					if has(&way.now.Ports[port]) {
						if k >= len(at) || at[k] != port {
							return false
						}
						k++
					}
				}
				return k == len(at)
			}
			if same(un, func(setting *Setting) bool { return setting.Untagged.Has(vid) }) && same(tg, func(setting *Setting) bool { return setting.Tagged.Has(vid) }) {
				return
			}
			way.do(pageOf(device, vid, un, tg))
		}
		pvids := func() {
			for vid := range pvidSet(way.to) {
				at := device.where(func(port int) bool { return way.to.Ports[port].PVID == vid && way.now.Ports[port].PVID != vid })
				if len(at) > 0 {
					way.do(pvidOf(device, vid, at))
				}
			}
		}
		way.create("VLANs", "Create VLAN %s")
		early := apart && device.habit(office.KeepsPVIDVLAN) && device.habit(office.LeavesLast)
		if early { // joining untagged would leave the PVID's VLAN, which is refused: join it tagged first
			for vid := range way.to.VLANs.All() { // nor may what turns tagged be left on the way
				turns := func(port int) bool {
					return way.now.Ports[port].Untagged.Has(vid) && way.to.Ports[port].Tagged.Has(vid)
				}
				joins := func(port int) bool { return way.to.Ports[port].PVID == vid && !way.now.Ports[port].Untagged.Has(vid) }
				now := way.now
				page(
					vid,
					device.where(func(port int) bool { return now.Ports[port].Untagged.Has(vid) && !turns(port) }),
					device.where(func(port int) bool { return now.Ports[port].Tagged.Has(vid) || turns(port) || joins(port) }),
				)
			}
			pvids()
		}
		for vid := range way.to.VLANs.All() { // join first, so that nothing is cut off before its new VLAN is there
			now := way.now
			target := func(port int) *Setting { return &way.to.Ports[port] }
			member := func(p int) bool { return target(p).Untagged.Has(vid) || target(p).Tagged.Has(vid) }
			un := device.where(func(port int) bool {
				return target(port).Untagged.Has(vid) || !member(port) && now.Ports[port].Untagged.Has(vid)
			})
			tg := device.where(func(port int) bool {
				return target(port).Tagged.Has(vid) || !member(port) && now.Ports[port].Tagged.Has(vid)
			})
			page(vid, un, tg)
		}
		if apart && !early {
			pvids()
		}
		known := way.now.VLANs
		for vid := range known.All() {
			page(vid, device.where(func(port int) bool { return way.to.Ports[port].Untagged.Has(vid) }), device.where(func(port int) bool { return way.to.Ports[port].Tagged.Has(vid) }))
		}
		way.each(func(a, b Setting) bool { return a.Admit == b.Admit && a.Filter == b.Filter }, func(ports []int, to Setting) Step {
			return framesOf(device, ports, to)
		})
		way.forget("VLANs", "Delete VLAN %s")
	},
	apply: func(device *Device, state *State, st Step) error {
		switch st.Op {
		case Create:
			state.VLANs.Add(st.VLAN)
			if device.habit(office.StartsTagged) {
				for _, port := range device.logical() {
					state.Ports[port].Tagged.Add(st.VLAN)
				}
			}
			return nil
		case Delete:
			return state.delete(st.VLAN, func(setting *Setting) bool {
				return setting.PVID == st.VLAN && (device.habit(office.KeepsPVIDVLAN) || !device.habit(office.PVIDFollows))
			})
		case PVID:
			if device.habit(office.PVIDFollows) {
				return errStep
			}
			for _, port := range st.Ports {
				if set := state.Ports[port].Members(); device.habit(office.KeepsPVIDVLAN) && st.VLAN != 0 && !set.Has(st.VLAN) {
					return fmt.Errorf("port %s is not in VLAN %d, which cannot be its PVID then", device.Ports[port].Name, st.VLAN)
				}
				state.Ports[port].PVID = st.VLAN
			}
			return known(state, st.VLAN)
		case Frames:
			for _, port := range st.Ports {
				state.Ports[port].Admit, state.Ports[port].Filter = st.Set.Admit, st.Set.Filter
			}
			return nil
		case Page:
			return applyPage(device, state, st)
		}
		return errStep
	},
}

func pageOf(device *Device, vid office.VID, un, tg []int) Step {
	return Step{Op: Page, VLAN: vid, Untagged: un, Tagged: tg, Where: fmt.Sprintf("VLAN %d", vid),
		Text: fmt.Sprintf("VLAN %s: untagged %s, tagged %s", device.name(vid), orNone(device.list(un)), orNone(device.list(tg)))}
}

func pvidOf(device *Device, vid office.VID, at []int) Step {
	return Step{Op: PVID, VLAN: vid, Ports: at, Where: "PVIDs",
		Text: fmt.Sprintf("PVID of %s: %s", device.list(at), vidOr(vid, "none (where it has to be a number: a VLAN that the port is not in)"))}
}

func framesOf(device *Device, at []int, to Setting) Step {
	return Step{Op: Frames, Ports: at, Set: to, Where: "Ports",
		Text: fmt.Sprintf("Ports %s: acceptable frames %s, ingress filtering %s", device.list(at), to.Admit, [...]string{"on", "off"}[onOff(!to.Filter)])}
}

// applyPage sets one VLAN's ports, with what the device does of its own accord.
//
//	> steps core by-vlan+pvid-follows 6: 110 [140]
//	[VLAN 110] VLAN 110 reception: untagged 1-3,6, tagged 7-8
//	[VLAN 140] VLAN 140 phones: untagged none, tagged 1-3,6-8
//	[Device] Save, so that it stays after a power cut
//
// Many branches: one a habit of devices that do more than they are told.
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
	leave := func(setting *Setting, other office.VID) error {
		if device.habit(office.KeepsPVIDVLAN) && setting.PVID == other && !device.habit(office.PVIDFollows) {
			return fmt.Errorf("a port cannot leave VLAN %d, which is its PVID", other)
		}
		setting.Untagged.Remove(other)
		setting.Tagged.Remove(other)
		if device.habit(office.PVIDFollows) && setting.PVID == other {
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
				for other := range last.All() {
					if err := leave(setting, other); err != nil {
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
func pvidSet(state State) func(yield func(office.VID) bool) {
	return func(yield func(office.VID) bool) {
		seen := office.Set{}
		for _, setting := range state.Ports {
			if setting.PVID != 0 {
				seen.Add(setting.PVID)
			}
		}
		for vid := range seen.All() {
			if !yield(vid) {
				return
			}
		}
		yield(0)
	}
}

// onOff indexes two words: the first for false.
func onOff(b bool) int {
	if b {
		return 1
	}
	return 0
}

// orNone is an empty list in words.
func orNone(text string) string {
	if text == "" {
		return "none"
	}
	return text
}

// nameOnly is a VLAN's name without its number.
func nameOnly(device *Device, vid office.VID) string {
	full, num := device.name(vid), fmt.Sprint(vid)
	if len(full) > len(num)+1 {
		return full[len(num)+1:]
	}
	return ""
}
