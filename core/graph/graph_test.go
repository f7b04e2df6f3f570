package graph_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"klammer/core/graph"
	"klammer/core/notation"
	"klammer/core/office"
)

// drawOffice is some devices with any cables between them: rings, two cables
// side by side, a cable back into its own device.
func drawOffice(t *testing.T, r *rand.Rand) *office.Office {
	var b strings.Builder
	n := 2 + r.IntN(7)
	var free []string
	for d := range n {
		forwarding, on := "bridge", ""
		if r.IntN(4) == 0 {
			forwarding, on = "routed", " on 1"
		}
		fmt.Fprintf(&b, "device d%d switch\n  forwarding %s\n  ports 1-5\n", d, forwarding)
		if r.IntN(4) == 0 {
			fmt.Fprintf(&b, "  address 10 10.0.0.%d/24%s\n", d+1, on)
		}
		for p := 1; p <= 5; p++ {
			free = append(free, fmt.Sprintf("d%d.%d", d, p))
		}
	}
	r.Shuffle(len(free), func(i, j int) { free[i], free[j] = free[j], free[i] })
	for range r.IntN(len(free)/2 + 1) {
		fmt.Fprintf(&b, "cable %s %s\n", free[0], free[1])
		free = free[2:]
	}
	return read(t, "vlan 10 a net 10.0.0.0/24\n"+b.String())
}

func read(t *testing.T, text string) *office.Office {
	f, err := notation.Read("test", text)
	require.NoError(t, err, text)
	return f.Office
}

// together says whether two links are still joined when every link has an end of
// its own at hub h: in one block that is so at every hub, in two at one it is not.
func together(t *graph.Topology, e, f, h int) bool {
	of := make([]int, len(t.Hubs)+len(t.Links)) // the part of each hub, and of each end at h
	for i := range of {
		of[i] = i
	}
	at := func(hub, link int) int {
		if hub == h {
			hub = len(t.Hubs) + link
		}
		return hub
	}
	for i := range t.Links {
		a, b := of[at(t.Links[i].A.Hub, i)], of[at(t.Links[i].B.Hub, i)]
		for k := range of {
			if of[k] == b {
				of[k] = a
			}
		}
	}
	return of[at(t.Links[e].A.Hub, e)] == of[at(t.Links[f].A.Hub, f)]
}

// TestBlocks: two links are of one block where the loss of no hub parts them; and
// the forest of blocks names every hub once, after the one above it.
func TestBlocks(t *testing.T) {
	rings := 0
	for seed := range uint64(300) {
		o := drawOffice(t, rand.New(rand.NewPCG(seed, 9)))
		g := graph.New(o)
		for e := range g.Links {
			if g.Links[e].A.Hub == g.Links[e].B.Hub {
				require.Equal(t, -1, g.BlockOf(e))
				continue
			}
			for f := range e {
				if g.Links[f].A.Hub == g.Links[f].B.Hub {
					continue
				}
				want := true
				for h := range g.Hubs {
					want = want && together(g, e, f, h)
				}
				if want {
					rings++
				}
				require.Equal(t, want, g.BlockOf(e) == g.BlockOf(f), "%v and %v\n%s", g.Links[e], g.Links[f], notation.Print(o))
			}
		}
		seen := map[int32]bool{}
		for _, h := range g.Forest.Order {
			require.False(t, seen[h], "hub %d twice", h)
			seen[h] = true
			if up := g.Forest.Up[h]; up >= 0 {
				require.True(t, seen[g.Forest.Above[up]], "hub %d before the one above it", h)
				require.Contains(t, g.Blocks[up].Hubs, int(h))
			}
		}
		require.Len(t, seen, len(g.Hubs))
	}
	require.Greater(t, rings, 300)
}

// TestOutwards: every device once; one that is cabled to an earlier one comes
// before a new start; and none has more addresses than the first.
func TestOutwards(t *testing.T) {
	for seed := range uint64(300) {
		o := drawOffice(t, rand.New(rand.NewPCG(seed, 10)))
		g := graph.New(o)
		order := g.Outwards(o)
		require.Len(t, order, len(o.Devices))
		seen, waiting := map[int]bool{}, map[int]bool{}
		for _, i := range order {
			require.False(t, seen[i], "device %d twice", i)
			require.True(t, len(waiting) == 0 || waiting[i], "device %d, while %v are waiting\n%s", i, waiting, notation.Print(o))
			require.LessOrEqual(t, len(o.Devices[i].Addresses), len(o.Devices[order[0]].Addresses))
			seen[i] = true
			delete(waiting, i)
			for p := range o.Devices[i].Ports {
				for _, e := range g.Neighbours(i, p) {
					if !seen[e.Dev] {
						waiting[e.Dev] = true
					}
				}
			}
		}
	}
}

// TestOutwardsFromTheGateway: the gateway first, then what is cabled to it in the
// order of its ports; of those that hang on nothing, what usually stands nearer
// comes first.
func TestOutwardsFromTheGateway(t *testing.T) {
	o := read(t, `vlan 10 x
device box host
  ports 1
device far switch
  ports 1-2
device near switch
  ports 1-3
device two router
  ports 1
  1: 10
device gate router
  ports 1-2
  1: [10 20]
  address 10 10.0.10.1/24
  address 20 10.0.20.1/24
device one host
  ports 1
  address 10 10.0.10.2/24
cable near.3 far.1
cable near.2 one.1
cable gate.2 near.1
`)
	var names []string
	for _, i := range graph.New(o).Outwards(o) {
		names = append(names, o.Devices[i].Name)
	}
	require.Equal(t, "gate near one far two box", strings.Join(names, " "))
}

// TestUnion: sets that are joined are one, and say whether they were.
func TestUnion(t *testing.T) {
	u := graph.NewUnion(5)
	_, _, ok := u.Join(0, 1)
	require.True(t, ok)
	stays, gone, ok := u.Join(3, 4)
	require.True(t, ok)
	require.Equal(t, []int32{3, 4}, []int32{stays, gone})
	_, _, ok = u.Join(1, 0)
	require.False(t, ok, "they are one already")
	stays, _, _ = u.Join(4, 1)
	require.EqualValues(t, 3, stays, "the first's stands for both")
	require.Equal(t, u.Find(0), u.Find(3))
	require.NotEqual(t, u.Find(0), u.Find(2))
}
