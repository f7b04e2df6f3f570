package finding

import (
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// Delta is what became otherwise between two reports of an office. It is the one
// answer to "what changed": whoever draws or tells goes by it.
type Delta struct {
	Whole   bool  // all of it may have
	Devices []int // what they are, what their ports are set to or forward, what is plugged in
	Links   []int // what they carry, or are needed for
	VLANs   office.Set
	Come    []*Finding // new ones, and those that say something else, in the order of the list
	Gone    []*Finding // those that are no more
}

// Since is what became otherwise since the report that this one was made from by
// [Report.Update].
func (r *Report) Since(old *Report) *Delta {
	d := &Delta{}
	var fresh bool
	d.Devices, d.Links, d.VLANs, fresh = r.Net.Delta()
	d.Whole = fresh
	was := make(map[string]*Finding, len(old.List()))
	for _, f := range old.List() {
		was[f.ID] = f
	}
	for _, f := range r.List() {
		if g := was[f.ID]; g == nil || !g.equal(f) {
			d.Come = append(d.Come, f)
		}
		delete(was, f.ID)
	}
	for _, f := range old.List() {
		if was[f.ID] != nil {
			d.Gone = append(d.Gone, f)
		}
	}
	return d
}

// equal says whether two findings say the same.
func (f *Finding) equal(g *Finding) bool {
	return f == g || f.Code == g.Code && f.Text == g.Text && f.Label == g.Label && f.Cause == g.Cause && f.ID == g.ID &&
		slices.Equal(f.VLANs, g.VLANs) && slices.Equal(f.Ports, g.Ports) && slices.Equal(f.Devices, g.Devices) &&
		slices.EqualFunc(f.Mends, g.Mends, slices.Equal[[]string])
}

// Touches says whether what was tried for a finding of the office may come out
// otherwise now: it is about a VLAN or a device that became otherwise.
func (d *Delta) Touches(n *span.Net, f *Finding) bool {
	if d.Whole || slices.ContainsFunc(f.VLANs, d.VLANs.Has) {
		return true
	}
	touched := func(name string) bool { return slices.Contains(d.Devices, n.Topo.DeviceIndex(name)) }
	return slices.ContainsFunc(f.Devices, touched) || slices.ContainsFunc(f.Ports, func(p office.PortRef) bool { return touched(p.Device) })
}

// Drawn lists the links that may be drawn otherwise: those that carry or are
// needed otherwise, those at devices that are otherwise, and those that a finding
// came to or went from.
func (d *Delta) Drawn(n *span.Net) []int {
	links := slices.Clone(d.Links)
	at := func(dev, port int) { links = append(links, n.Topo.LinksAt(dev, port)...) }
	for _, i := range d.Devices {
		for p := range n.Office.Devices[i].Ports {
			at(i, p)
		}
	}
	for _, f := range slices.Concat(d.Come, d.Gone) {
		for _, r := range f.Ports {
			if i := n.Topo.DeviceIndex(r.Device); i >= 0 {
				if p := n.Office.Devices[i].Port(r.Port); p >= 0 {
					at(i, p)
				}
			}
		}
	}
	slices.Sort(links)
	return slices.Compact(links)
}
