package round

import (
	"encoding/binary"
	"net/netip"
	"slices"
	"sync"

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
	router   netip.Addr // that it hands out as the gateway; the zero one where the VLAN has none
	plug     *office.Plug
	rival    bool // somebody whom the plan does not know
	routes   bool // who routes IPv6; else he hands out addresses
	present  bool // he is there
}

func (p *post) called() string {
	if p.addr.IsValid() {
		return p.addr.String()
	}
	return p.device
}

// sight is a set of posts that answer, a number of [world.sets], with the signs besides, in
// [world.more]; or, below 0, what is otherwise with what passes between VLANs, -1 the first
// of [world.across].
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
				gateway: w.leads(i, &a), router: w.n.Gateways().Of(a.VID, office.Family(a.Prefix.Addr())).Addr(),
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
	case p.rival && !p.present:
		return nil
	case p.plug != nil && p.dev >= 0: // where its frames get, whatever it wants
		d := n.Office.Devices[p.dev]
		x := ask{dev: p.dev, port: d.Port(p.plug.Port.Port), ref: p.plug.Port, wire: bridge.Untagged}
		if x.port < 0 {
			return nil
		}
		if p.plug.Tagged {
			x.wire = n.Tables[p.dev].Ports[x.port].WireOf(p.plug.Wants)
		}
		if at := from(n, &x); at.Span != nil {
			return []span.Place{at}
		}
		return nil
	case p.dev >= 0:
		return n.Standing(p.dev, p.vid, p.on)
	}
	return nil
}

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
	places := sync.OnceValue(reach.NewPlaces)
	out := make([]sight, len(asks))
	for a := range asks {
		x := &asks[a]
		if x.port < 0 {
			out[a] = w.intern(nil, nil)
			continue
		}
		if len(n.Topo.LinksAt(x.dev, x.port)) > 0 {
			out[a] = w.intern(nil, []sign{{occupied, 0}})
			continue
		}
		here := from(n, x)
		besides := w.besides(n, x, func(p span.Place) []int { return in[p.Span] }, func(k int, p span.Place) bool {
			return slices.ContainsFunc(nodes[k], func(at span.Place) bool { return hearing.Of(p, at) && hearing.Of(at, p) })
		}, posts)
		var answer []int
		if here.Span != nil {
			answer = in[here.Span]
		}
		if here.Span != nil && here.Span.OneWay || heardOnly(n, x, here) {
			answer = nil
			for _, k := range in[here.Span] {
				if slices.ContainsFunc(nodes[k], func(at span.Place) bool { return hearing.Of(here, at) && hearing.Of(at, here) }) {
					answer = append(answer, k)
				}
			}
			besides = append(besides, heard(n, x, in, nodes, posts, answer, hearing, places())...)
		} else if len(besides) == 0 && here.Span != nil {
			id, ok := whole[here.Span]
			if !ok {
				id = w.seeing(answer, posts, nil)
				whole[here.Span] = id
			}
			out[a] = id
			continue
		}
		out[a] = w.seeing(answer, posts, besides)
	}
	return out
}

// from is the place that frames of an ask get into and come back from in the same form; the
// zero one for none.
func from(n *span.Net, x *ask) (none span.Place) {
	table := n.Tables[x.dev]
	domain, why := table.Ingress(x.port, x.wire)
	if why != bridge.Passed {
		return none
	}
	if back, ok := table.Egress(domain, x.port); !ok || back != x.wire {
		return none // what comes back wears something else
	}
	if here := reach.AtPort(n, x.dev, x.port, x.wire); here != nil {
		return here[0]
	}
	return none
}

// heardOnly says whether frames may come out at an ask in its form that do not get in there.
func heardOnly(n *span.Net, x *ask, here span.Place) bool {
	if n.Office.Devices[x.dev].Unaware() {
		return false
	}
	compiled := n.Tables[x.dev].Ports[x.port]
	return !compiled.Off && x.wire == bridge.Untagged && (compiled.Untagged.Len() > 1 || here.Span == nil && compiled.Untagged.Len() > 0)
}

// heard is the signs of posts whose frames come out at an ask and that do not answer there.
func heard(n *span.Net, x *ask, in map[*span.Span][]int, nodes [][]span.Place, posts []post, answer []int, hearing *reach.Hearing, places *reach.Places) (out []sign) {
	stand := places.Port(n, x.dev, x.port, x.wire)
	for _, at := range append([]span.Place{stand.Hears}, stand.More...) {
		if at.Span == nil {
			continue
		}
		for _, k := range in[at.Span] {
			s := sign{isHeard, int(posts[k].vid)}
			if slices.Contains(answer, k) || slices.Contains(out, s) || !slices.ContainsFunc(nodes[k], func(p span.Place) bool { return hearing.Of(p, at) }) {
				continue
			}
			out = append(out, s)
		}
	}
	return slices.DeleteFunc(out, func(s sign) bool { // who answers is heard, too
		return slices.ContainsFunc(answer, func(k int) bool { return int(posts[k].vid) == s.of })
	})
}

// besides is the signs of an untagged ask of VLANs that come out tagged there, where the plan
// has no such tag, and in which somebody answers.
func (w *world) besides(n *span.Net, x *ask, in func(span.Place) []int, answers func(k int, p span.Place) bool, posts []post) (out []sign) {
	if x.wire != bridge.Untagged || n.Office.Devices[x.dev].Unaware() {
		return nil
	}
	i := w.n.Topo.DeviceIndex(x.ref.Device)
	compiled, planned := n.Tables[x.dev].Ports[x.port], w.n.Tables[i].Ports[w.n.Office.Devices[i].Port(x.ref.Port)]
	if compiled == planned {
		return nil
	}
	more := compiled.Tagged.Minus(&planned.Tagged)
	for v := range more.All() {
		y := *x
		y.wire = compiled.WireOf(v)
		here := from(n, &y)
		if here.Span == nil {
			continue
		}
		if slices.ContainsFunc(in(here), func(k int) bool { return !here.Span.OneWay || answers(k, here) }) {
			out = append(out, sign{comesTagged, int(y.wire.VID())})
		}
	}
	return out
}

// seeing is the sight of posts that answer, with what they hand out, and more signs.
func (w *world) seeing(answer []int, posts []post, more []sign) sight {
	var told []int
	for _, k := range answer {
		if k >= len(w.posts) {
			more = append(more, stranger(k, &posts[k]))
			continue
		}
		if posts[k].rival {
			more = append(more, w.handed(k, &posts[k])...)
			continue
		}
		told = append(told, k)
		more = append(more, w.handed(k, &posts[k])...)
	}
	return w.intern(told, more)
}

// intern is the number of a set.
func (w *world) intern(set []int, more []sign) sight {
	slices.SortFunc(more, bySign)
	more = slices.Compact(more)
	key := make([]byte, 0, 2*len(set)+4*len(more))
	for _, k := range set {
		key = binary.AppendUvarint(key, uint64(k))
	}
	for _, x := range more { // no post has so high a number
		key = binary.AppendUvarint(key, uint64(1)<<40|uint64(x.kind)<<32|uint64(x.of))
	}
	if id, ok := w.known[string(key)]; ok {
		return id
	}
	id := sight(len(w.sets))
	w.known[string(key)] = id
	w.sets = append(w.sets, slices.Clone(set))
	w.more = append(w.more, slices.Clone(more))
	return id
}
