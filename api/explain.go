package api

import (
	"fmt"
	"strings"

	"klammer/core/command"
	"klammer/core/explain"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// ExplanationOf says some ports and a VLAN in plain words; no ports and the VLAN
// 0 are left out.
func ExplanationOf(n *span.Net, refs []office.PortRef, v office.VID) *Explanation {
	x := &Explanation{Words: []string{}}
	if len(refs) > 0 {
		describe(n, refs, x)
	}
	if v != 0 {
		x.Reach = reach(n, v)
	}
	return x
}

func describe(n *span.Net, refs []office.PortRef, x *Explanation) {
	x.Title = command.PortNames(n.Office, refs)
	for k, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		w, _ := n.Shape(i, n.Office.Devices[i].Port(r.Port))
		if s := notation.Shape(*w); k == 0 {
			x.Shape = s
		} else if x.Shape != s {
			x.Shape = ""
			break
		}
	}
	if explain.Same(n, refs) {
		x.Words = explain.Port(n, refs[0])
	} else {
		x.Words = []string{fmt.Sprintf("%d ports, which differ. What you set is set on all of them.", len(refs))}
	}
}

func places(n *span.Net, vid office.VID, refs []office.PortRef) []PlaceView {
	out := []PlaceView{}
	for _, r := range refs {
		i := n.Topo.DeviceIndex(r.Device)
		d := n.Office.Devices[i]
		p := d.Port(r.Port)
		as := map[office.Membership]string{office.Untagged: "untagged", office.Tagged: "tagged", office.NotMember: "none"}[n.Tables[i].Ports[d.Logical(p)].Of(vid)]
		x := PlaceView{r.Port, as, portKinds[d.Ports[p].Kind], []string{}}
		for _, k := range n.Topo.PlugsAt(i) {
			if g := n.Office.Plugs[k]; g.Port.Port == r.Port && g.Wants == vid {
				x.Plugs = append(x.Plugs, g.Name)
			}
		}
		out = append(out, x)
	}
	return out
}

func reach(n *span.Net, vid office.VID) *ReachView {
	out := &ReachView{VID: int(vid), Roots: []BranchView{}, Ports: []string{}, Cut: []string{}}
	var convert func(bs []*explain.Branch) []BranchView
	convert = func(bs []*explain.Branch) []BranchView {
		r := []BranchView{}
		for _, b := range bs {
			r = append(
				r,
				BranchView{
					b.Device,
					b.Port,
					b.Via,
					b.Broken,
					b.Cut,
					strings.TrimPrefix(command.PortNames(n.Office, b.Ends), b.Device+" "),
					len(b.Ends),
					convert(b.Branches),
					places(n, vid, b.Ends),
				},
			)
		}
		return r
	}
	out.Roots = convert(explain.Reach(n, vid))
	if x := n.VLAN(vid); x != nil {
		for i, s := range x.Spans {
			refs := Refs(n.Reaches(s))
			out.Ports = append(out.Ports, refs...)
			if i > 0 {
				out.Cut = append(out.Cut, refs...)
			}
		}
	}
	return out
}
