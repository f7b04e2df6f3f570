package finding

import (
	"klammer/core/office"
	"klammer/core/span"
)

// Outcome is what a change comes to, told before it is made: of a port, a
// cable, a use or a plan with all its followers.
type Outcome struct {
	Report *Report          // of the office as it would be
	Ports  []office.PortRef // ports that would forward otherwise
	Come   []*Finding
	Go     []*Finding
}

// Foretell works out an office that a change would lead to.
func (r *Report) Foretell(o *office.Office) *Outcome {
	next := r.Update(r.Net.Update(o))
	return &Outcome{
		Report: next,
		Ports:  changedPorts(r.Net, next.Net),
		Come:   coming(r.List(), next.List()),
		Go:     going(r.List(), next.List()),
	}
}

// Differ lists the findings that b has and a has not, and the other way round.
func Differ(a, b *Report) (come, gone []*Finding) {
	return coming(a.List(), b.List()), going(a.List(), b.List())
}

// coming lists the findings of b that a does not have, or has about less.
func coming(a, b []*Finding) (out []*Finding) {
	had := map[string]*Finding{}
	for _, finding := range a {
		had[finding.ID] = finding
	}
	for _, finding := range b {
		if finding.grown(had[finding.ID]) {
			out = append(out, finding)
		}
	}
	return out
}

// going lists the findings of a that b does not have any more.
func going(a, b []*Finding) (out []*Finding) {
	has := map[string]bool{}
	for _, finding := range b {
		has[finding.ID] = true
	}
	for _, finding := range a {
		if !has[finding.ID] {
			out = append(out, finding)
		}
	}
	return out
}

// changedPorts lists the ports of b that forward otherwise than in a, or are
// new.
func changedPorts(a, b *span.Net) []office.PortRef {
	var out []office.PortRef
	for i, device := range b.Office.Devices {
		was := a.Topo.DeviceIndex(device.Name)
		if was >= 0 && a.Tables[was] == b.Tables[i] {
			continue
		}
		for port := range device.Ports {
			if device.Ports[port].Bundle > 0 {
				continue
			}
			same := false
			if was >= 0 {
				if at := a.Office.Devices[was].Port(device.Ports[port].Name); at >= 0 {
					same = a.Tables[was].Ports[at].Equal(b.Tables[i].Ports[port])
				}
			}
			if !same {
				out = append(out, office.PortRef{Device: device.Name, Port: device.Ports[port].Name})
			}
		}
	}
	return out
}
