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
func ExplanationOf(net *span.Net, refs []office.PortRef, vid office.VID) *Explanation {
	explanation := &Explanation{Words: []string{}}
	if len(refs) > 0 {
		describe(net, refs, explanation)
	}
	if vid != 0 {
		explanation.Reach = reach(net, vid)
	}
	return explanation
}

func describe(net *span.Net, refs []office.PortRef, explanation *Explanation) {
	explanation.Title = command.PortNames(net.Office, refs)
	for k, ref := range refs {
		i := net.Topo.DeviceIndex(ref.Device)
		shape, _ := net.Shape(i, net.Office.Devices[i].Port(ref.Port))
		if text := notation.Shape(*shape); k == 0 {
			explanation.Shape = text
		} else if explanation.Shape != text {
			explanation.Shape = ""
			break
		}
	}
	if explain.Same(net, refs) {
		explanation.Words = explain.Port(net, refs[0])
	} else {
		explanation.Words = []string{fmt.Sprintf("%d ports, which differ. What you set is set on all of them.", len(refs))}
	}
}

func places(net *span.Net, vid office.VID, refs []office.PortRef) []PlaceView {
	out := []PlaceView{}
	for _, ref := range refs {
		i := net.Topo.DeviceIndex(ref.Device)
		device := net.Office.Devices[i]
		port := device.Port(ref.Port)
		as := map[office.Membership]string{office.Untagged: "untagged", office.Tagged: "tagged", office.NotMember: "none"}[net.Tables[i].Ports[device.Logical(port)].Of(vid)]
		view := PlaceView{ref.Port, as, portKinds[device.Ports[port].Kind], []string{}}
		for _, k := range net.Topo.PlugsAt(i) {
			if plug := net.Office.Plugs[k]; plug.Port.Port == ref.Port && plug.Wants == vid {
				view.Plugs = append(view.Plugs, plug.Name)
			}
		}
		out = append(out, view)
	}
	return out
}

func reach(net *span.Net, vid office.VID) *ReachView {
	out := &ReachView{VID: int(vid), Roots: []BranchView{}, Ports: []string{}, Cut: []string{}}
	var convert func(bs []*explain.Branch) []BranchView
	convert = func(bs []*explain.Branch) []BranchView {
		r := []BranchView{}
		for _, branch := range bs {
			r = append(
				r,
				BranchView{
					branch.Device,
					branch.Port,
					branch.Via,
					branch.Broken,
					branch.Cut,
					strings.TrimPrefix(command.PortNames(net.Office, branch.Ends), branch.Device+" "),
					len(branch.Ends),
					convert(branch.Branches),
					places(net, vid, branch.Ends),
				},
			)
		}
		return r
	}
	out.Roots = convert(explain.Reach(net, vid))
	if vlan := net.VLAN(vid); vlan != nil {
		for i, part := range vlan.Spans {
			refs := Refs(net.Reaches(part))
			out.Ports = append(out.Ports, refs...)
			if i > 0 {
				out.Cut = append(out.Cut, refs...)
			}
		}
	}
	return out
}
