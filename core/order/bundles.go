package order

import (
	"fmt"

	"klammer/core/office"
)

// oneSided says whether a device has a bundle that agrees with its partner (IEEE 802.1AX)
// and whose other end is none yet: a port that finds no partner is held back by some
// devices, so that nothing is kept until the other end is made.
func (w *world) oneSided(i int) bool {
	d := w.o.Devices[i]
	for q := range d.Ports {
		if d.Ports[q].Kind != office.Bundle || d.Ports[q].Mode != office.LACP {
			continue
		}
		for _, l := range w.n.Topo.LinksAt(i, q) {
			for _, e := range w.n.Topo.Across(l, i, q) {
				if w.o.Devices[e.Dev].Ports[e.Port].Kind != office.Bundle && w.p.becomesBundle(w.o.Devices[e.Dev], e.Port) {
					return true
				}
			}
		}
	}
	return false
}

// becomesBundle says whether a port is planned to be in a bundle.
func (p *problem) becomesBundle(d *office.Device, port int) bool {
	goal := p.plan.n.Office.Device(d.Name)
	if goal == nil {
		return false
	}
	g := goal.Port(d.Ports[port].Name)
	return g >= 0 && goal.Ports[g].Bundle > 0
}

// partners says of a step that leaves a bundle without its partner until when that is so.
func partners(out *Order, acts []*node) {
	for i, n := range acts {
		dev := n.act.dev
		if n.act.kind != Set || !n.w.oneSided(dev) || n.prev.w.oneSided(dev) {
			continue
		}
		k := i + 1
		for k < len(acts)-1 && acts[k].w.oneSided(dev) {
			k++
		}
		out.Steps[i].Told = append(out.Steps[i].Told, fmt.Sprintf(
			"Until step %d the bundle waits for its partner: some devices hold its ports back, so that %s, and what is behind it, may be out of reach. Go on at once; it is not saved, so that pulling the plug brings the old state back.", k+1, n.w.o.Devices[dev].Name))
	}
}
