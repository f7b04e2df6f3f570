package explain

import (
	"cmp"
	"maps"
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
	growing := forest{net, vid, part, vlan.Spans[0], map[int]bool{}}
	var roots []*Branch
	hubs := growing.order()
	for _, start := range hubs {
		if growing.seen[start] {
			continue
		}
		root := growing.from(start)
		if start == hubs[0] || len(root.Ends) > 0 || len(root.Branches) > 0 || root.Cut && net.EndsAt(start, vid) {
			roots = append(roots, root)
		}
	}
	return roots
}

// forest is a VLAN's reach while it is drawn.
type forest struct {
	net  *span.Net
	vid  office.VID
	part map[int]*span.Span // of each hub that the VLAN reaches
	main *span.Span         // the part with the gateway
	seen map[int]bool       // hubs that are drawn
}

// order is where trees may begin: at the gateway, then elsewhere in its part, then in the others.
func (f *forest) order() []int {
	rank := func(hub int) int {
		switch {
		case f.part[hub] == f.main && f.net.AtGateway(hub, f.vid):
			return 0
		case f.part[hub] == f.main:
			return 1
		}
		return 2
	}
	return slices.SortedFunc(maps.Keys(f.part), func(a, b int) int { return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a, b)) })
}

// ends are the ports at a hub where the VLAN leaves the office's own devices, and the plugs there that want it.
func (f *forest) ends(at int) []office.PortRef {
	var refs []office.PortRef
	hub := f.net.Topo.Hubs[at]
	device := f.net.Office.Devices[hub.Dev]
	for _, ref := range f.net.Terminals(&span.Span{Nodes: []span.Node{{Hub: at, Label: span.Label(f.vid)}}}, f.vid) {
		if ref.Device == device.Name {
			refs = append(refs, ref)
		}
	}
	for _, k := range f.net.Topo.PlugsAt(hub.Dev) {
		plug := f.net.Office.Plugs[k]
		in := f.net.Topo.HubOf(hub.Dev, device.Logical(device.Port(plug.Port.Port))) == at
		if in && plug.Wants == f.vid && !slices.Contains(refs, plug.Port) && (!f.net.Aware(hub.Dev) || plug.Tagged) {
			refs = append(refs, plug.Port)
		}
	}
	return refs
}

// from is the tree that begins at a hub, the nearest first, over cables that carry the VLAN or should.
func (f *forest) from(start int) *Branch {
	f.seen[start] = true
	root := &Branch{Device: f.net.Office.Devices[f.net.Topo.Hubs[start].Dev].Name, Cut: f.part[start] != f.main, Ends: f.ends(start)}
	type item struct {
		hub    int
		branch *Branch
	}
	queue := []item{{start, root}}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, link := range f.net.Topo.At[at.hub] {
			one := &f.net.Topo.Links[link]
			here, there := one.A, one.B
			if here.Hub != at.hub {
				here, there = there, here
			}
			both, _ := f.net.Carries(link, f.vid)
			if f.seen[there.Hub] || f.part[there.Hub] == nil || !both && !f.net.Needed(link).Has(f.vid) {
				continue
			}
			f.seen[there.Hub] = true
			branch := &Branch{Device: f.net.Ref(there).Device, Port: f.net.Ref(there).Port, Via: f.net.Ref(here).Port,
				Broken: !both, Cut: f.part[there.Hub] != f.main, Ends: f.ends(there.Hub)}
			at.branch.Branches = append(at.branch.Branches, branch)
			queue = append(queue, item{there.Hub, branch})
		}
	}
	return root
}
