package graph

import (
	"cmp"
	"slices"

	"klammer/core/office"
)

// Outwards is the devices from the gateway outwards, as indexes: first those
// with addresses, then what is cabled to them, in the order of the ports there,
// and so on; what hangs on nothing comes last.
func (t *Topology) Outwards(o *office.Office) []int {
	devs := o.Devices
	next := make([][]int, len(devs)) // neighbours, by the place of the port
	for i, device := range devs {
		for port := range device.Ports {
			for _, end := range t.Neighbours(i, port) {
				next[i] = append(next[i], end.Dev)
			}
		}
	}
	starts := make([]int, len(devs))
	for i := range starts {
		starts[i] = i
	}
	slices.SortStableFunc(starts, func(a, b int) int {
		return cmp.Or(-cmp.Compare(len(devs[a].Addresses), len(devs[b].Addresses)), cmp.Compare(outer(devs[a]), outer(devs[b])), -cmp.Compare(len(next[a]), len(next[b])))
	})
	var order []int
	seen := make([]bool, len(devs))
	for _, start := range starts {
		if seen[start] {
			continue
		}
		seen[start] = true
		queue := []int{start}
		for len(queue) > 0 {
			dev := queue[0]
			queue = queue[1:]
			order = append(order, dev)
			for _, far := range next[dev] {
				if !seen[far] {
					seen[far] = true
					queue = append(queue, far)
				}
			}
		}
	}
	return order
}

// outer ranks kinds of device by how near the gateway they usually are.
func outer(device *office.Device) int {
	return slices.Index([]office.Kind{office.Firewall, office.Router, office.Switch, office.AccessPoint, office.Host, office.Other}, device.Kind)
}
