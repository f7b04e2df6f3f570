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
	n := len(t.Hubs)
	t.blockOf = make([]int, len(t.Links))
	for i := range t.blockOf {
		t.blockOf[i] = -1
	}
	num, low := make([]int, n), make([]int, n)
	clock := 0
	type frame struct{ hub, via, next int }
	var stack []frame
	var edges []int
	for root := range n {
		if num[root] != 0 {
			continue
		}
		clock++
		num[root], low[root] = clock, clock
		stack = append(stack[:0], frame{root, -1, 0})
		for len(stack) > 0 {
			f := &stack[len(stack)-1]
			if f.next < len(t.At[f.hub]) {
				e := t.At[f.hub][f.next]
				f.next++
				l := &t.Links[e]
				if e == f.via || l.A.Hub == l.B.Hub {
					continue
				}
				w := l.Other(f.hub).Hub
				switch {
				case num[w] == 0:
					edges = append(edges, e)
					clock++
					num[w], low[w] = clock, clock
					stack = append(stack, frame{w, e, 0})
				case num[w] < num[f.hub]:
					edges = append(edges, e)
					low[f.hub] = min(low[f.hub], num[w])
				}
				continue
			}
			done := *f
			stack = stack[:len(stack)-1]
			if len(stack) == 0 {
				break
			}
			up := stack[len(stack)-1].hub
			low[up] = min(low[up], low[done.hub])
			if low[done.hub] < num[up] {
				continue
			}
			b := Block{}
			for {
				e := edges[len(edges)-1]
				edges = edges[:len(edges)-1]
				b.Links = append(b.Links, e)
				t.blockOf[e] = len(t.Blocks)
				if e == done.via {
					break
				}
			}
			for _, e := range b.Links {
				b.Hubs = append(b.Hubs, t.Links[e].A.Hub, t.Links[e].B.Hub)
			}
			slices.Sort(b.Hubs)
			b.Hubs = slices.Compact(b.Hubs)
			t.Blocks = append(t.Blocks, b)
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

func (t *Topology) newForest() Forest {
	nh := len(t.Hubs)
	f := Forest{make([][]int32, nh), make([]int32, nh), make([]int32, len(t.Blocks)), nil}
	for b := range t.Blocks {
		for _, v := range t.Blocks[b].Hubs {
			f.BlocksAt[v] = append(f.BlocksAt[v], int32(b))
		}
	}
	for i := range f.Up {
		f.Up[i] = -2
	}
	for r := range nh {
		if f.Up[r] != -2 {
			continue
		}
		f.Up[r] = -1
		i := len(f.Order)
		f.Order = append(f.Order, int32(r))
		for ; i < len(f.Order); i++ {
			h := f.Order[i]
			for _, b := range f.BlocksAt[h] {
				if b == f.Up[h] {
					continue
				}
				f.Above[b] = h
				for _, w := range t.Blocks[b].Hubs {
					if int32(w) != h {
						f.Up[w] = b
						f.Order = append(f.Order, int32(w))
					}
				}
			}
		}
	}
	return f
}
