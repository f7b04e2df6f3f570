package order

import (
	"fmt"

	"klammer/core/office"
)

// oneSided says whether a device has a bundle that agrees with its partner (IEEE 802.1AX)
// and whose other end is none yet: a port that finds no partner is held back by some
// devices, so that nothing is kept until the other end is made.
func (w *world) oneSided(i int) bool {
	device := w.office.Devices[i]
	for port := range device.Ports {
		if device.Ports[port].Kind != office.Bundle || device.Ports[port].Mode != office.LACP {
			continue
		}
		for _, l := range w.net.Topo.LinksAt(i, port) {
			for _, end := range w.net.Topo.Across(l, i, port) {
				if w.office.Devices[end.Dev].Ports[end.Port].Kind != office.Bundle && w.problem.becomesBundle(w.office.Devices[end.Dev], end.Port) {
					return true
				}
			}
		}
	}
	return false
}

// becomesBundle says whether a port is planned to be in a bundle.
//
//	> -core 6-7; core bundle up lacp 6-7; core up: use uplink; -floor 7; floor bundle up lacp 7-8; floor up: use uplink; cable core.6 floor.7
//	1. floor, set: Make the bundle up of 7-8, mode lacp; it takes over what port 8 is set to
//	   Until step 2 the bundle waits for its partner: some devices hold its ports back, so that
//	       floor, and what is behind it, may be out of reach. Go on at once; it is not saved,
//	       so that pulling the plug brings the old state back.
//	2. core, set: Make the bundle up of 6-7, mode lacp; it takes over what port 7 is set to
//	3. core, cable: Plug a cable from core 6 to floor 7
//	4. core, check: Reach the management of core at 10.61.190.2 (VLAN 190 devices)
//	5. core, save: Save, so that it stays after a power cut
//	6. floor, check: Reach the management of floor at 10.61.190.3 (VLAN 190 devices)
//	7. floor, save: Save, so that it stays after a power cut
func (p *problem) becomesBundle(device *office.Device, port int) bool {
	goal := p.plan.net.Office.Device(device.Name)
	if goal == nil {
		return false
	}
	at := goal.Port(device.Ports[port].Name)
	return at >= 0 && goal.Ports[at].Bundle > 0
}

// partners says of a step that leaves a bundle without its partner until when that is so.
func partners(out *Order, acts []*node) {
	for i, node := range acts {
		dev := node.act.dev
		if node.act.kind != Set || !node.world.oneSided(dev) || node.prev.world.oneSided(dev) {
			continue
		}
		k := i + 1
		for k < len(acts)-1 && acts[k].world.oneSided(dev) {
			k++
		}
		out.Steps[i].Told = append(out.Steps[i].Told, fmt.Sprintf(
			"Until step %d the bundle waits for its partner: some devices hold its ports back, so that %s, and what is behind it, may be out of reach. Go on at once; it is not saved, so that pulling the plug brings the old state back.", k+1, node.world.office.Devices[dev].Name))
	}
}
