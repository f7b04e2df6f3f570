package span

import (
	"klammer/core/graph"
	"klammer/core/office"
)

// needs says for each block of the cable graph which VLANs it needs: those with
// terminals hanging from two or more of its hubs. For a single cable that is
// "terminals stand on both sides"; for a ring, "terminals hang from two or more
// of its devices". It works on 64 VLANs at a time, those of a word of the sets;
// need is filled in for the words given.
//
//	> core 6: use uplink; device loft switch; ports 1-4; 1: use uplink; 2: 160; cable core.6 loft.1
//	160 guests, whole: (core.4 floor.5 loft.2)
func needs(topology *graph.Topology, place []*office.Set, need []office.Set, words []int) {
	forest := &topology.Forest
	below := make([]uint64, len(place))          // what hangs from a hub, itself included, away from the block above
	rest := make([]uint64, len(topology.Blocks)) // what hangs from the hub above a block, away from the block
	var contrib, after []uint64
	for _, w := range words {
		for h := range below {
			below[h] = place[h][w]
		}
		for i := len(forest.Order) - 1; i >= 0; i-- {
			h := forest.Order[i]
			for _, b := range forest.BlocksAt[h] {
				if b != forest.Up[h] {
					below[h] |= others(topology, int(b), h, -1, below)
				}
			}
		}
		for _, h := range forest.Order {
			// With the unions from both ends, a hub of many cables stays linear.
			mine := forest.BlocksAt[h]
			contrib, after = contrib[:0], append(after[:0], make([]uint64, len(mine)+1)...)
			for _, b := range mine {
				if b == forest.Up[h] {
					contrib = append(contrib, rest[b]|others(topology, int(b), h, forest.Above[b], below))
				} else {
					contrib = append(contrib, others(topology, int(b), h, -1, below))
				}
			}
			for k := len(mine) - 1; k >= 0; k-- {
				after[k] = after[k+1] | contrib[k]
			}
			outer := place[h][w]
			for k, b := range mine {
				if b != forest.Up[h] {
					rest[b] = outer | after[k+1]
					need[b][w] = twice(topology, int(b), h, rest[b], below)
				}
				outer |= contrib[k]
			}
		}
	}
}

// others is what hangs below block b's hubs but h and top.
func others(topology *graph.Topology, b int, h, top int32, below []uint64) (s uint64) {
	for _, w := range topology.Blocks[b].Hubs {
		if int32(w) != h && int32(w) != top {
			s |= below[w]
		}
	}
	return s
}

// twice is what hangs from two or more of block b's hubs.
func twice(topology *graph.Topology, b int, top int32, rest uint64, below []uint64) (both uint64) {
	once := rest
	for _, w := range topology.Blocks[b].Hubs {
		if int32(w) != top {
			both |= once & below[w]
			once |= below[w]
		}
	}
	return both
}
