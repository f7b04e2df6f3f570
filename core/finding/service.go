package finding

import (
	"slices"

	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// mostServed bounds how many plugs of a VLAN are looked at in pairs.
const mostServed = 200

// keepsService says whether who hears whom both ways in a VLAN still does: a way that
// passes frames in one direction only may be all that is left of a ring. Where nothing
// passes one way only, what is cut off is a finding of its own.
func keepsService(was, is *span.Net) bool {
	by := map[office.VID][]*office.Plug{}
	for i := range was.Office.Plugs {
		p := &was.Office.Plugs[i]
		by[p.Wants] = append(by[p.Wants], p)
	}
	before, after := reach.In(was), reach.In(is)
	for vid, plugs := range by {
		vlan := is.VLAN(vid)
		if vlan == nil || !slices.ContainsFunc(vlan.Spans, func(s *span.Span) bool { return s.OneWay }) {
			continue
		}
		type stand struct{ was, is []span.Place }
		var stands []stand
		if gate := was.Gateways().First(vid); gate.Is() {
			if now := is.Gateways().First(vid); now.Is() {
				stands = append(stands, stand{reach.Address(was, gate.Dev, gate.Address), reach.Address(is, now.Dev, now.Address)})
			}
		}
		for _, p := range plugs[:min(len(plugs), mostServed)] {
			if now := slices.Index(is.Office.Plugs, *p); now >= 0 {
				stands = append(stands, stand{reach.Plug(was, p), reach.Plug(is, &is.Office.Plugs[now])})
			}
		}
		for i, a := range stands {
			for _, b := range stands[:i] {
				if before.Both(a.was, b.was) && !after.Both(a.is, b.is) {
					return false
				}
			}
		}
	}
	return true
}
