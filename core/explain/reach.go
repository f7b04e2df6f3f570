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
func Reach(n *span.Net, vid office.VID) []*Branch {
	vlan := n.VLAN(vid)
	if vlan == nil || len(vlan.Spans) == 0 {
		return nil
	}
	part := map[int]*span.Span{} // by hub
	for _, s := range vlan.Spans {
		for _, x := range s.Nodes {
			// a device may pass on, besides, what it keeps as it came
			if part[x.Hub] == nil && x.Label.VID() == 0 || x.Label.VID() == vid {
				part[x.Hub] = s
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
			case part[h] == main && n.AtGateway(h, vid):
				return 0
			case part[h] == main:
				return 1
			}
			return 2
		}
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a, b))
	})
	seen := map[int]bool{}
	ends := func(h int) []office.PortRef {
		var refs []office.PortRef
		hub := n.Topo.Hubs[h]
		device := n.Office.Devices[hub.Dev]
		for _, x := range n.Terminals(&span.Span{Nodes: []span.Node{{Hub: h, Label: span.Label(vid)}}}, vid) {
			if x.Device == device.Name {
				refs = append(refs, x)
			}
		}
		for _, k := range n.Topo.PlugsAt(hub.Dev) {
			p := n.Office.Plugs[k]
			in := n.Topo.HubOf(hub.Dev, device.Logical(device.Port(p.Port.Port))) == h
			if in && p.Wants == vid && !slices.Contains(refs, p.Port) && (!n.Aware(hub.Dev) || p.Tagged) {
				refs = append(refs, p.Port)
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
		root := &Branch{Device: n.Office.Devices[n.Topo.Hubs[start].Dev].Name, Cut: part[start] != main, Ends: ends(start)}
		type item struct {
			hub int
			b   *Branch
		}
		queue := []item{{start, root}}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for _, link := range n.Topo.At[at.hub] {
				k := &n.Topo.Links[link]
				here, there := k.A, k.B
				if here.Hub != at.hub {
					here, there = there, here
				}
				both, _ := n.Carries(link, vid)
				if seen[there.Hub] || part[there.Hub] == nil || !both && !n.Needed(link).Has(vid) {
					continue
				}
				seen[there.Hub] = true
				b := &Branch{Device: n.Ref(there).Device, Port: n.Ref(there).Port, Via: n.Ref(here).Port,
					Broken: !both, Cut: part[there.Hub] != main, Ends: ends(there.Hub)}
				at.b.Branches = append(at.b.Branches, b)
				queue = append(queue, item{there.Hub, b})
			}
		}
		if start == hubs[0] || len(root.Ends) > 0 || len(root.Branches) > 0 || root.Cut && n.EndsAt(start, vid) {
			roots = append(roots, root)
		}
	}
	return roots
}
