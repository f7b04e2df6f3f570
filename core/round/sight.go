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

// called is what a round calls whoever answers: by address, and a device without one by its name.
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
	for i, device := range w.net.Office.Devices {
		for port := range device.Ports {
			compiled := w.net.Tables[i].Ports[port]
			if device.Ports[port].Kind == office.Inner && device.Ports[port].Flavour != office.SSID || device.Ports[port].Kind == office.Bundle || device.Ports[port].Bundle > 0 || len(w.net.Topo.LinksAt(i, port)) > 0 || compiled.Off {
				continue
			}
			wires := []bridge.Wire{bridge.Untagged}
			if !device.Unaware() {
				for vid := range compiled.Tagged.All() {
					wires = append(wires, compiled.WireOf(vid))
				}
			}
			for _, wire := range wires {
				one := ask{dev: i, port: port, ref: office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, wire: wire}
				if in, why := w.net.Tables[i].Ingress(port, wire); why == bridge.Passed {
					one.vlan = in.VID
				}
				w.asks = append(w.asks, one)
			}
		}
	}
}

// findPosts are who can answer a laptop: addresses of devices, managements, plugs that have one.
func (w *world) findPosts() {
	for i, device := range w.net.Office.Devices {
		for _, address := range device.Addresses {
			w.posts = append(w.posts, post{
				device: device.Name, dev: i, vid: address.VID, on: address.On, addr: address.Prefix.Addr(), net: address.Prefix.Masked(), hands: address.From.IsValid(), from: address.From, to: address.To,
				gateway: w.leads(i, &address), router: w.net.Gateways().Of(address.VID, office.Family(address.Prefix.Addr())).Addr(),
			})
		}
		if device.Manage != nil && !slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == device.Manage.VID }) {
			w.posts = append(w.posts, post{device: device.Name, dev: i, vid: device.Manage.VID, addr: device.Manage.Addr})
		}
	}
	for k := range w.net.Office.Plugs {
		if plug := &w.net.Office.Plugs[k]; plug.At.IsValid() && !plug.Operator {
			w.posts = append(w.posts, post{device: plug.Name, dev: w.net.Topo.DeviceIndex(plug.Port.Device), vid: plug.Wants, addr: plug.At, plug: plug})
		}
	}
}

// leads says whether an address of a device is its VLAN's gateway.
func (w *world) leads(dev int, address *office.Address) bool {
	gate := w.net.Gateways().Of(address.VID, office.Family(address.Prefix.Addr()))
	return gate.Is() && gate.Dev == dev && gate.Addr() == address.Prefix.Addr()
}

// nodes is where a post stands.
func (w *world) nodes(net *span.Net, post *post) []span.Place {
	switch {
	case post.rival && !post.present:
		return nil
	case post.plug != nil && post.dev >= 0: // where its frames get, whatever it wants
		device := net.Office.Devices[post.dev]
		one := ask{dev: post.dev, port: device.Port(post.plug.Port.Port), ref: post.plug.Port, wire: bridge.Untagged}
		if one.port < 0 {
			return nil
		}
		if post.plug.Tagged {
			one.wire = net.Tables[post.dev].Ports[one.port].WireOf(post.plug.Wants)
		}
		if at := from(net, &one); at.Span != nil {
			return []span.Place{at}
		}
		return nil
	case post.dev >= 0:
		return net.Standing(post.dev, post.vid, post.on)
	}
	return nil
}

// lookAt is what a laptop sees at asks, in any office.
func (w *world) lookAt(net *span.Net, posts []post, asks []ask) []sight {
	in := map[*span.Span][]int{} // posts by span
	nodes := make([][]span.Place, len(posts))
	for k := range posts {
		nodes[k] = w.nodes(net, &posts[k])
		for _, at := range nodes[k] {
			if list := in[at.Span]; len(list) == 0 || list[len(list)-1] != k {
				in[at.Span] = append(list, k)
			}
		}
	}
	hearing := reach.In(net)
	crowd := crowd{net, posts, nodes, in, hearing}
	whole := map[*span.Span]sight{}
	places := sync.OnceValue(reach.NewPlaces)
	out := make([]sight, len(asks))
	for a := range asks {
		ask := &asks[a]
		if ask.port < 0 {
			out[a] = w.intern(nil, nil)
			continue
		}
		if len(net.Topo.LinksAt(ask.dev, ask.port)) > 0 {
			out[a] = w.intern(nil, []sign{{occupied, 0}})
			continue
		}
		here := from(net, ask)
		besides := w.besides(net, ask, func(place span.Place) []int { return in[place.Span] }, func(k int, place span.Place) bool {
			return slices.ContainsFunc(nodes[k], func(at span.Place) bool { return hearing.Of(place, at) && hearing.Of(at, place) })
		}, posts)
		var answer []int
		if here.Span != nil {
			answer = in[here.Span]
		}
		if here.Span != nil && here.Span.OneWay || heardOnly(net, ask, here) {
			answer = nil
			for _, k := range in[here.Span] {
				if slices.ContainsFunc(nodes[k], func(at span.Place) bool { return hearing.Of(here, at) && hearing.Of(at, here) }) {
					answer = append(answer, k)
				}
			}
			besides = append(besides, crowd.heard(ask, answer, places())...)
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
func from(net *span.Net, ask *ask) (none span.Place) {
	table := net.Tables[ask.dev]
	domain, why := table.Ingress(ask.port, ask.wire)
	if why != bridge.Passed {
		return none
	}
	if back, ok := table.Egress(domain, ask.port); !ok || back != ask.wire {
		return none // what comes back wears something else
	}
	if here := reach.AtPort(net, ask.dev, ask.port, ask.wire); here != nil {
		return here[0]
	}
	return none
}

// heardOnly says whether frames may come out at an ask in its form that do not get in there.
func heardOnly(net *span.Net, ask *ask, here span.Place) bool {
	if net.Office.Devices[ask.dev].Unaware() {
		return false
	}
	compiled := net.Tables[ask.dev].Ports[ask.port]
	return !compiled.Off && ask.wire == bridge.Untagged && (compiled.Untagged.Len() > 1 || here.Span == nil && compiled.Untagged.Len() > 0)
}

// crowd is everybody who may answer in one office.
type crowd struct {
	net     *span.Net
	posts   []post
	nodes   [][]span.Place       // where each stands
	in      map[*span.Span][]int // which stand in a span
	hearing *reach.Hearing
}

// heard is the signs of posts whose frames come out at an ask and that do not answer there.
func (c *crowd) heard(ask *ask, answer []int, places *reach.Places) (out []sign) {
	stand := places.Port(c.net, ask.dev, ask.port, ask.wire)
	for _, at := range append([]span.Place{stand.Hears}, stand.More...) {
		if at.Span == nil {
			continue
		}
		for _, k := range c.in[at.Span] {
			one := sign{isHeard, int(c.posts[k].vid)}
			if slices.Contains(answer, k) || slices.Contains(out, one) || !slices.ContainsFunc(c.nodes[k], func(place span.Place) bool { return c.hearing.Of(place, at) }) {
				continue
			}
			out = append(out, one)
		}
	}
	return slices.DeleteFunc(out, func(sign sign) bool { // who answers is heard, too
		return slices.ContainsFunc(answer, func(k int) bool { return int(c.posts[k].vid) == sign.of })
	})
}

// besides is the signs of an untagged ask of VLANs that come out tagged there, where the plan
// has no such tag, and in which somebody answers.
func (w *world) besides(net *span.Net, ask *ask, in func(span.Place) []int, answers func(k int, place span.Place) bool, posts []post) (out []sign) {
	if ask.wire != bridge.Untagged || net.Office.Devices[ask.dev].Unaware() {
		return nil
	}
	i := w.net.Topo.DeviceIndex(ask.ref.Device)
	compiled, planned := net.Tables[ask.dev].Ports[ask.port], w.net.Tables[i].Ports[w.net.Office.Devices[i].Port(ask.ref.Port)]
	if compiled == planned {
		return nil
	}
	more := compiled.Tagged.Minus(&planned.Tagged)
	for vid := range more.All() {
		other := *ask
		other.wire = compiled.WireOf(vid)
		here := from(net, &other)
		if here.Span == nil {
			continue
		}
		if slices.ContainsFunc(in(here), func(k int) bool { return !here.Span.OneWay || answers(k, here) }) {
			out = append(out, sign{comesTagged, int(other.wire.VID())})
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
	for _, sign := range more { // no post has so high a number
		key = binary.AppendUvarint(key, uint64(1)<<40|uint64(sign.kind)<<32|uint64(sign.of))
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
