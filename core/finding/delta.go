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
	delta := &Delta{}
	var fresh bool
	delta.Devices, delta.Links, delta.VLANs, fresh = r.Net.Delta()
	delta.Whole = fresh
	was := make(map[string]*Finding, len(old.List()))
	for _, finding := range old.List() {
		was[finding.ID] = finding
	}
	for _, finding := range r.List() {
		if other := was[finding.ID]; other == nil || !other.equal(finding) {
			delta.Come = append(delta.Come, finding)
		}
		delete(was, finding.ID)
	}
	for _, finding := range old.List() {
		if was[finding.ID] != nil {
			delta.Gone = append(delta.Gone, finding)
		}
	}
	return delta
}

// equal says whether two findings say the same.
func (f *Finding) equal(finding *Finding) bool {
	return f == finding || f.Code == finding.Code && f.Text == finding.Text && f.Label == finding.Label && f.Cause == finding.Cause && f.ID == finding.ID &&
		slices.Equal(f.VLANs, finding.VLANs) && slices.Equal(f.Ports, finding.Ports) && slices.Equal(f.Devices, finding.Devices) &&
		slices.EqualFunc(f.Mends, finding.Mends, slices.Equal[[]string])
}

// Touches says whether what was tried for a finding of the office may come out
// otherwise now: it is about a VLAN or a device that became otherwise.
func (d *Delta) Touches(net *span.Net, finding *Finding) bool {
	if d.Whole || slices.ContainsFunc(finding.VLANs, d.VLANs.Has) {
		return true
	}
	touched := func(name string) bool { return slices.Contains(d.Devices, net.Topo.DeviceIndex(name)) }
	return slices.ContainsFunc(finding.Devices, touched) || slices.ContainsFunc(finding.Ports, func(ref office.PortRef) bool { return touched(ref.Device) })
}

// Drawn lists the links that may be drawn otherwise: those that carry or are
// needed otherwise, those at devices that are otherwise, and those that a finding
// came to or went from.
func (d *Delta) Drawn(net *span.Net) []int {
	links := slices.Clone(d.Links)
	at := func(dev, port int) { links = append(links, net.Topo.LinksAt(dev, port)...) }
	for _, i := range d.Devices {
		for port := range net.Office.Devices[i].Ports {
			at(i, port)
		}
	}
	for _, finding := range slices.Concat(d.Come, d.Gone) {
		for _, ref := range finding.Ports {
			if i := net.Topo.DeviceIndex(ref.Device); i >= 0 {
				if p := net.Office.Devices[i].Port(ref.Port); p >= 0 {
					at(i, p)
				}
			}
		}
	}
	slices.Sort(links)
	return slices.Compact(links)
}
