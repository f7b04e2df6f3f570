package explain

import (
	"cmp"
	"slices"

	"klammer/core/office"
	"klammer/core/span"
)

// Branch is a device in a VLAN's reach, seen from the gateway outwards.
type Branch struct {
	Device   string
	Port     string // the port at this device by which the branch hangs; "" at a root
	Via      string // the port at the device above
	Broken   bool   // the cable above does not carry the VLAN both ways
	Cut      bool   // what hangs here cannot reach the first root
	Ends     []office.PortRef
	Branches []*Branch
}

// Reach draws where a VLAN goes as a forest: the part with its gateway first;
// parts that are cut off hang where the cable that should carry them is, or
// stand as roots of their own.
func Reach(net *span.Net, vid office.VID) []*Branch {
	vlan := net.VLAN(vid)
	if vlan == nil || len(vlan.Spans) == 0 {
		return nil
	}
	part := map[int]*span.Span{} // by hub
	for _, one := range vlan.Spans {
		for _, node := range one.Nodes {
			// a device may pass on, besides, what it keeps as it came
			if part[node.Hub] == nil && node.Label.VID() == 0 || node.Label.VID() == vid {
				part[node.Hub] = one
			}
		}
	}
	main := vlan.Spans[0]
	var hubs []int
	for h := range part {
		hubs = append(hubs, h)
	}
	slices.SortFunc(hubs, func(a, b int) int {
		rank := func(h int) int {
			switch {
			case part[h] == main && net.AtGateway(h, vid):
				return 0
			case part[h] == main:
				return 1
			}
			return 2
		}
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a, b))
	})
	seen := map[int]bool{}
	ends := func(at int) []office.PortRef {
		var refs []office.PortRef
		hub := net.Topo.Hubs[at]
		device := net.Office.Devices[hub.Dev]
		for _, ref := range net.Terminals(&span.Span{Nodes: []span.Node{{Hub: at, Label: span.Label(vid)}}}, vid) {
			if ref.Device == device.Name {
				refs = append(refs, ref)
			}
		}
		for _, k := range net.Topo.PlugsAt(hub.Dev) {
			plug := net.Office.Plugs[k]
			in := net.Topo.HubOf(hub.Dev, device.Logical(device.Port(plug.Port.Port))) == at
			if in && plug.Wants == vid && !slices.Contains(refs, plug.Port) && (!net.Aware(hub.Dev) || plug.Tagged) {
				refs = append(refs, plug.Port)
			}
		}
		return refs
	}
	var roots []*Branch
	for _, start := range hubs {
		if seen[start] {
			continue
		}
		seen[start] = true
		root := &Branch{Device: net.Office.Devices[net.Topo.Hubs[start].Dev].Name, Cut: part[start] != main, Ends: ends(start)}
		type item struct {
			hub int
			b   *Branch
		}
		queue := []item{{start, root}}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for _, link := range net.Topo.At[at.hub] {
				one := &net.Topo.Links[link]
				here, there := one.A, one.B
				if here.Hub != at.hub {
					here, there = there, here
				}
				both, _ := net.Carries(link, vid)
				if seen[there.Hub] || part[there.Hub] == nil || !both && !net.Needed(link).Has(vid) {
					continue
				}
				seen[there.Hub] = true
				branch := &Branch{Device: net.Ref(there).Device, Port: net.Ref(there).Port, Via: net.Ref(here).Port,
					Broken: !both, Cut: part[there.Hub] != main, Ends: ends(there.Hub)}
				at.b.Branches = append(at.b.Branches, branch)
				queue = append(queue, item{there.Hub, branch})
			}
		}
		if start == hubs[0] || len(root.Ends) > 0 || len(root.Branches) > 0 || root.Cut && net.EndsAt(start, vid) {
			roots = append(roots, root)
		}
	}
	return roots
}
