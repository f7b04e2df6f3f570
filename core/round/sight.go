package round

import (
	"encoding/binary"
	"net/netip"
	"slices"

	"klammer/core/bridge"
	"klammer/core/office"
	"klammer/core/reach"
	"klammer/core/span"
)

// ask is a port in one form, where a laptop could be plugged in.
type ask struct {
	dev, port int
	ref       office.PortRef
	wire      bridge.Wire
	vlan      office.VID // that its frames join as planned
}

// post is somebody who answers: an address of a device, its management, or a plug with
// an address of its own.
type post struct {
	device   string
	dev      int
	vid      office.VID
	on       string
	addr     netip.Addr
	net      netip.Prefix // masked
	hands    bool
	gateway  bool
	from, to netip.Addr
	plug     *office.Plug
}

func (p *post) called() string {
	if p.addr.IsValid() {
		return p.addr.String()
	}
	return p.device
}

// sight is a set of posts that answer, a number of [world.sets]; or, below 0, what is
// otherwise with what passes between VLANs, -1 the first of [world.across].
type sight int

// findAsks lists the ports of fronts without a cable, that are open, and wireless
// networks: untagged, and in each VLAN that is tagged there.
func (w *world) findAsks() {
	for i, d := range w.n.Office.Devices {
		for p := range d.Ports {
			compiled := w.n.Tables[i].Ports[p]
			if d.Ports[p].Kind == office.Inner && d.Ports[p].Flavour != office.SSID || d.Ports[p].Kind == office.Bundle || d.Ports[p].Bundle > 0 || len(w.n.Topo.LinksAt(i, p)) > 0 || compiled.Off {
				continue
			}
			wires := []bridge.Wire{bridge.Untagged}
			if !d.Unaware() {
				for v := range compiled.Tagged.All() {
					wires = append(wires, compiled.WireOf(v))
				}
			}
			for _, wire := range wires {
				x := ask{dev: i, port: p, ref: office.PortRef{Device: d.Name, Port: d.Ports[p].Name}, wire: wire}
				if in, why := w.n.Tables[i].Ingress(p, wire); why == bridge.Passed {
					x.vlan = in.VID
				}
				w.asks = append(w.asks, x)
			}
		}
	}
}

func (w *world) findPosts() {
	for i, d := range w.n.Office.Devices {
		for _, a := range d.Addresses {
			w.posts = append(w.posts, post{
				device: d.Name, dev: i, vid: a.VID, on: a.On, addr: a.Prefix.Addr(), net: a.Prefix.Masked(), hands: a.From.IsValid(), from: a.From, to: a.To,
				gateway: w.leads(i, &a),
			})
		}
		if d.Manage != nil && !slices.ContainsFunc(d.Addresses, func(a office.Address) bool { return a.VID == d.Manage.VID }) {
			w.posts = append(w.posts, post{device: d.Name, dev: i, vid: d.Manage.VID, addr: d.Manage.Addr})
		}
	}
	for k := range w.n.Office.Plugs {
		if p := &w.n.Office.Plugs[k]; p.At.IsValid() && !p.Operator {
			w.posts = append(w.posts, post{device: p.Name, dev: w.n.Topo.DeviceIndex(p.Port.Device), vid: p.Wants, addr: p.At, plug: p})
		}
	}
}

// leads says whether an address of a device is its VLAN's gateway.
func (w *world) leads(dev int, a *office.Address) bool {
	gate := w.n.Gateways().Of(a.VID, office.Family(a.Prefix.Addr()))
	return gate.Is() && gate.Dev == dev && gate.Addr() == a.Prefix.Addr()
}

// nodes is where a post stands.
func (w *world) nodes(n *span.Net, p *post) []span.Place {
	switch {
	case p.plug != nil:
		return reach.Plug(n, p.plug)
	case p.dev >= 0:
		return n.Standing(p.dev, p.vid, p.on)
	}
	return nil
}

// look is what a laptop sees at every ask, in an office that differs in settings alone.
func (w *world) look(n *span.Net) []sight { return w.lookAt(n, w.posts, w.asks) }

// lookAt is what a laptop sees at asks, in any office.
func (w *world) lookAt(n *span.Net, posts []post, asks []ask) []sight {
	in := map[*span.Span][]int{} // posts by span
	nodes := make([][]span.Place, len(posts))
	for k := range posts {
		nodes[k] = w.nodes(n, &posts[k])
		for _, at := range nodes[k] {
			if list := in[at.Span]; len(list) == 0 || list[len(list)-1] != k {
				in[at.Span] = append(list, k)
			}
		}
	}
	hearing := reach.In(n)
	whole := map[*span.Span]sight{}
	out := make([]sight, len(asks))
	for a := range asks {
		x := &asks[a]
		out[a] = w.intern(nil)
		if x.port < 0 {
			continue
		}
		table := n.Tables[x.dev]
		domain, why := table.Ingress(x.port, x.wire)
		if why != bridge.Passed {
			continue
		}
		if back, ok := table.Egress(domain, x.port); !ok || back != x.wire {
			continue // what comes back wears something else
		}
		here := reach.AtPort(n, x.dev, x.port, x.wire)
		if here == nil {
			continue
		}
		s := here[0].Span
		if !s.OneWay {
			id, ok := whole[s]
			if !ok {
				id = w.intern(in[s])
				whole[s] = id
			}
			out[a] = id
			continue
		}
		var some []int
		for _, k := range in[s] {
			if slices.ContainsFunc(nodes[k], func(at span.Place) bool { return hearing.Of(here[0], at) && hearing.Of(at, here[0]) }) {
				some = append(some, k)
			}
		}
		out[a] = w.intern(some)
	}
	return out
}

// intern is the number of a set.
func (w *world) intern(set []int) sight {
	key := make([]byte, 0, 2*len(set))
	for _, k := range set {
		key = binary.AppendUvarint(key, uint64(k))
	}
	if id, ok := w.known[string(key)]; ok {
		return id
	}
	id := sight(len(w.sets))
	w.known[string(key)] = id
	w.sets = append(w.sets, slices.Clone(set))
	return id
}
