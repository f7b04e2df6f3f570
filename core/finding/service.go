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
		plug := &was.Office.Plugs[i]
		by[plug.Wants] = append(by[plug.Wants], plug)
	}
	before, after := reach.In(was), reach.In(is)
	for vid, plugs := range by {
		vlan := is.VLAN(vid)
		if vlan == nil || !slices.ContainsFunc(vlan.Spans, func(part *span.Span) bool { return part.OneWay }) {
			continue
		}
		type stand struct{ was, is []span.Place }
		var stands []stand
		if gate := was.Gateways().First(vid); gate.Is() {
			if now := is.Gateways().First(vid); now.Is() {
				stands = append(stands, stand{reach.Address(was, gate.Dev, gate.Address), reach.Address(is, now.Dev, now.Address)})
			}
		}
		for _, plug := range plugs[:min(len(plugs), mostServed)] {
			if now := slices.Index(is.Office.Plugs, *plug); now >= 0 {
				stands = append(stands, stand{reach.Plug(was, plug), reach.Plug(is, &is.Office.Plugs[now])})
			}
		}
		for i, other := range stands {
			for _, one := range stands[:i] {
				if before.Both(other.was, one.was) && !after.Both(other.is, one.is) {
					return false
				}
			}
		}
	}
	return true
}
