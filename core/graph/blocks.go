package graph

import "slices"

// Block is a part of the graph that no single device's failure parts: a ring, or
// one cable.
type Block struct {
	Links []int
	Hubs  []int // ascending
}

// findBlocks parts the cable graph into its biconnected blocks (Hopcroft and
// Tarjan, 1973), without recursion, as offices may be long chains.
func (t *Topology) findBlocks() {
	hubs := len(t.Hubs)
	t.blockOf = make([]int, len(t.Links))
	for i := range t.blockOf {
		t.blockOf[i] = -1
	}
	num, low := make([]int, hubs), make([]int, hubs)
	clock := 0
	type frame struct{ hub, via, next int }
	var stack []frame
	var edges []int
	for root := range hubs {
		if num[root] != 0 {
			continue
		}
		clock++
		num[root], low[root] = clock, clock
		stack = append(stack[:0], frame{root, -1, 0})
		for len(stack) > 0 {
			one := &stack[len(stack)-1]
			if one.next < len(t.At[one.hub]) {
				link := t.At[one.hub][one.next]
				one.next++
				cable := &t.Links[link]
				if link == one.via || cable.A.Hub == cable.B.Hub {
					continue
				}
				far := cable.Other(one.hub).Hub
				switch {
				case num[far] == 0:
					edges = append(edges, link)
					clock++
					num[far], low[far] = clock, clock
					stack = append(stack, frame{far, link, 0})
				case num[far] < num[one.hub]:
					edges = append(edges, link)
					low[one.hub] = min(low[one.hub], num[far])
				}
				continue
			}
			done := *one
			stack = stack[:len(stack)-1]
			if len(stack) == 0 {
				break
			}
			up := stack[len(stack)-1].hub
			low[up] = min(low[up], low[done.hub])
			if low[done.hub] < num[up] {
				continue
			}
			block := Block{}
			for {
				edge := edges[len(edges)-1]
				edges = edges[:len(edges)-1]
				block.Links = append(block.Links, edge)
				t.blockOf[edge] = len(t.Blocks)
				if edge == done.via {
					break
				}
			}
			for _, link := range block.Links {
				block.Hubs = append(block.Hubs, t.Links[link].A.Hub, t.Links[link].B.Hub)
			}
			slices.Sort(block.Hubs)
			block.Hubs = slices.Compact(block.Hubs)
			t.Blocks = append(t.Blocks, block)
		}
	}
}

// Forest is the tree of hubs and blocks, for going up and down it: a hub is in
// one block towards its root, and in any number away from it.
type Forest struct {
	BlocksAt [][]int32
	Up       []int32 // the block above a hub, -1 at a root
	Above    []int32 // the hub above a block
	Order    []int32 // hubs, each after the one above it
}

// newForest roots each part of the office at its first hub and hangs its blocks (parts that stay
// joined when any one device is taken away) below it.
func (t *Topology) newForest() Forest {
	hubs := len(t.Hubs)
	forest := Forest{make([][]int32, hubs), make([]int32, hubs), make([]int32, len(t.Blocks)), nil}
	for block := range t.Blocks {
		for _, hub := range t.Blocks[block].Hubs {
			forest.BlocksAt[hub] = append(forest.BlocksAt[hub], int32(block))
		}
	}
	for i := range forest.Up {
		forest.Up[i] = -2
	}
	for root := range hubs {
		if forest.Up[root] != -2 {
			continue
		}
		forest.Up[root] = -1
		i := len(forest.Order)
		forest.Order = append(forest.Order, int32(root))
		for ; i < len(forest.Order); i++ {
			hub := forest.Order[i]
			for _, block := range forest.BlocksAt[hub] {
				if block == forest.Up[hub] {
					continue
				}
				forest.Above[block] = hub
				for _, far := range t.Blocks[block].Hubs {
					if int32(far) != hub {
						forest.Up[far] = block
						forest.Order = append(forest.Order, int32(far))
					}
				}
			}
		}
	}
	return forest
}
