package proof

import (
	"fmt"
	"sort"
	"strings"

	"klammer/core/office"
)

// hub is where frames meet: a device, or one port of a routed device.
func (p *Plain) hub(e plainEnd) string {
	d := p.o.Devices[e.dev]
	if d.Forwarding == office.Routed {
		return d.Name + "." + e.port
	}
	return d.Name
}

func unaware(d *office.Device) bool {
	return d.Forwarding == office.Unaware || d.Forwarding == office.UnawareDrops
}

// addressHub is where an address or the management of a VLAN is.
func (p *Plain) addressHub(dev int, v office.VID, on string) string {
	d := p.o.Devices[dev]
	if d.Forwarding != office.Routed {
		return d.Name
	}
	if on == "" {
		for _, a := range d.Addresses {
			if a.VID == v && a.On != "" {
				on = a.On
				break
			}
		}
	}
	for _, takes := range []func(s office.Shape, cabled bool) bool{
		func(s office.Shape, _ bool) bool { return s.Of(v) != office.NotMember },
		func(s office.Shape, _ bool) bool { return s.Rest == office.RestAll && p.o.VLAN(v) != nil },
		func(s office.Shape, cabled bool) bool { return s.Rest == office.RestNeeded && cabled },
	} {
		for i, x := range d.Ports {
			if q := p.devs[dev].ports[x.Name]; q != nil && on == "" && takes(p.shape(dev, i), len(q.cables) > 0) {
				on = x.Name
			}
		}
	}
	if on == "" {
		on = d.Ports[0].Name
	}
	for _, x := range d.Ports { // a member of a bundle stands for it
		for _, m := range x.Members {
			if d.Ports[m].Name == on {
				on = x.Name
			}
		}
	}
	return d.Name + "." + on
}

// places is where a VLAN has terminals, served or not, by hub.
func (p *Plain) places(v office.VID) map[string]bool {
	at, bare := map[string]bool{}, map[string]bool{}
	registered := p.o.VLAN(v) != nil
	for i, pd := range p.devs {
		if len(pd.d.Ports) == 0 {
			continue
		}
		for k, x := range pd.d.Ports {
			q := pd.ports[x.Name]
			if q == nil || unaware(pd.d) {
				continue
			}
			s := p.shape(i, k)
			if s.Off {
				continue
			}
			h := p.hub(plainEnd{i, x.Name})
			names := s.Of(v) != office.NotMember
			switch {
			case q.inner:
				if s.Of(v) == office.Untagged || registered && (names || s.Rest == office.RestAll) {
					at[h] = true
				}
			case p.itself(i):
				if names {
					at[h] = true
				}
			case names && len(q.cables) == 0:
				bare[h] = true
			}
		}
		for _, a := range pd.d.Addresses {
			if a.VID == v {
				at[p.addressHub(i, v, a.On)] = true
			}
		}
		if m := pd.d.Manage; m != nil && m.VID == v {
			at[p.addressHub(i, v, "")] = true
		}
	}
	for _, g := range p.o.Plugs {
		if g.Wants == v {
			at[p.hub(p.plugEnd(g))] = true
		}
	}
	if x := p.o.VLAN(v); len(at) == 0 && x != nil && x.Local {
		return at // ports that are put away
	}
	for h := range bare {
		at[h] = true
	}
	return at
}

// itself says whether a device is the user of what comes to its ports.
func (p *Plain) itself(dev int) bool {
	d := p.o.Devices[dev]
	for _, x := range d.Ports {
		if x.Kind == office.Inner {
			return false
		}
	}
	return (d.Kind == "host" || d.Kind == "other") && !unaware(d)
}

// lets says whether addresses of a device in a VLAN get out of its processor.
func (p *Plain) lets(dev int, v office.VID) bool {
	d := p.o.Devices[dev]
	if d.Forwarding == office.Routed {
		return true
	}
	all := true
	for _, x := range d.Ports {
		if x.Flavour == "cpu" {
			q := p.devs[dev].ports[x.Name]
			if _, tagged := q.tagged[v]; !q.off && (tagged || q.untagged[v]) {
				return true
			}
			all = false
		}
	}
	return all
}

// serves says whether a plug's port gives it its VLAN, there and back.
func (p *Plain) serves(g office.Plug) bool {
	e := p.plugEnd(g)
	w := wire(-1)
	if g.Tagged {
		w = wire(g.Wants)
	}
	in, ok := p.ingress(e, w)
	if !ok || in != domain(fmt.Sprintf("vlan %d", g.Wants)) && in != domain(fmt.Sprintf("vlan %d on %s", g.Wants, e.port)) {
		return false
	}
	out, ok := p.egress(e, in)
	return ok && out == w
}

func (p *Plain) plugEnd(g office.Plug) plainEnd {
	index := map[string]int{}
	for i, d := range p.o.Devices {
		index[d.Name] = i
	}
	return p.end(index, g.Port)
}

type edge struct{ a, b plainEnd }

func (p *Plain) edges() []edge {
	var es []edge
	seen := map[edge]bool{}
	for i, pd := range p.devs {
		for _, name := range pd.order {
			for _, b := range pd.ports[name].cables {
				a := plainEnd{i, name}
				if !seen[edge{b, a}] && !seen[edge{a, b}] {
					seen[edge{a, b}] = true
					es = append(es, edge{a, b})
				}
			}
		}
	}
	return es
}

// Needed says whether a VLAN is needed on the cable between two ports: whether
// a way from one of its terminals to another, that visits no hub twice, goes
// over it.
func (p *Plain) Needed(v office.VID, e edge) bool {
	at := p.places(v)
	es := p.edges()
	var walk func(h string, been map[string]bool, over bool) bool
	walk = func(h string, been map[string]bool, over bool) bool {
		if over && at[h] {
			return true
		}
		for _, x := range es {
			a, b := p.hub(x.a), p.hub(x.b)
			for _, to := range []string{a, b} {
				from := a
				if to == a {
					from = b
				}
				if from != h || been[to] || a == b {
					continue
				}
				been[to] = true
				if walk(to, been, over || x == e) {
					return true
				}
				delete(been, to)
			}
		}
		return false
	}
	for h := range at {
		if walk(h, map[string]bool{h: true}, false) {
			return true
		}
	}
	return false
}

func (p *Plain) neededAt(end plainEnd) map[office.VID]bool {
	need := map[office.VID]bool{}
	for _, e := range p.edges() {
		if e.a != end && e.b != end {
			continue
		}
		for v := range p.wanted() {
			if p.Needed(v, e) {
				need[v] = true
			}
		}
	}
	return need
}

// wanted is every VID that may have a terminal.
func (p *Plain) wanted() map[office.VID]bool {
	vs := map[office.VID]bool{}
	for _, v := range p.o.VLANs {
		vs[v.VID] = true
	}
	for i, pd := range p.devs {
		for k := range pd.d.Ports {
			s := p.shape(i, k)
			for _, v := range append(append([]office.VID{}, s.Untagged...), s.Tagged...) {
				vs[v] = true
			}
		}
		for _, a := range pd.d.Addresses {
			vs[a.VID] = true
		}
		if pd.d.Manage != nil {
			vs[pd.d.Manage.VID] = true
		}
	}
	for _, g := range p.o.Plugs {
		vs[g.Wants] = true
	}
	return vs
}

// node is a domain at a hub; every hub has its domains for itself.
type node struct {
	dev int
	dom domain
}

// Spans gives each VLAN's state, and its spans as sets of ports.
func (p *Plain) Spans() map[office.VID]string {
	nodes := map[node]bool{}
	terminals := map[node]map[office.VID]bool{}
	waiting := map[node]map[office.VID]bool{} // plugs behind unaware devices
	mark := func(m map[node]map[office.VID]bool, n node, v office.VID) {
		if m[n] == nil {
			m[n] = map[office.VID]bool{}
		}
		m[n][v] = true
	}
	dom := func(i int, hub string, v office.VID) node {
		if d := p.o.Devices[i]; d.Forwarding == office.Routed {
			return node{i, domain(fmt.Sprintf("vlan %d on %s", v, strings.TrimPrefix(hub, d.Name+".")))}
		}
		return node{i, domain(fmt.Sprintf("vlan %d", v))}
	}
	type own struct {
		dev int
		v   office.VID
	}
	owns := map[own]bool{} // addresses of devices that know no tags
	dead := map[own]bool{} // addresses that no port lets out
	stands := func(i int, hub string, v office.VID) {
		switch {
		case unaware(p.o.Devices[i]):
			owns[own{i, v}] = true
			mark(waiting, node{i, "as -1"}, v)
		case !p.lets(i, v):
			dead[own{i, v}] = true
		default:
			nodes[dom(i, hub, v)] = true
			mark(terminals, dom(i, hub, v), v)
		}
	}
	for i, pd := range p.devs {
		if len(pd.d.Ports) == 0 {
			continue
		}
		for _, name := range pd.order {
			q := pd.ports[name]
			if q.off || unaware(pd.d) {
				continue
			}
			h := p.hub(plainEnd{i, name})
			s := p.shape(i, pd.d.Port(name))
			for v := range q.untagged {
				nodes[dom(i, h, v)] = true
			}
			for v := range q.tagged {
				nodes[dom(i, h, v)] = true
			}
			for v := office.VID(1); v <= 4094; v++ {
				_, tagged := q.tagged[v]
				ends := q.inner && (q.untagged[v] || tagged && p.o.VLAN(v) != nil) ||
					!q.inner && s.Of(v) != office.NotMember && (p.itself(i) || len(q.cables) == 0 && len(p.places(v)) > 0)
				if ends {
					mark(terminals, dom(i, h, v), v)
				}
			}
		}
		for _, a := range pd.d.Addresses {
			stands(i, p.addressHub(i, a.VID, a.On), a.VID)
		}
		if m := pd.d.Manage; m != nil {
			stands(i, p.addressHub(i, m.VID, ""), m.VID)
		}
	}
	for _, g := range p.o.Plugs {
		e := p.plugEnd(g)
		q := p.port(e)
		switch {
		case unaware(p.o.Devices[e.dev]) && (q.off || g.Tagged && p.o.Devices[e.dev].Forwarding == office.UnawareDrops):
		case unaware(p.o.Devices[e.dev]) && g.Tagged:
			n := node{e.dev, domain(fmt.Sprintf("as %d", g.Wants))}
			nodes[n] = true
			mark(terminals, n, g.Wants)
		case unaware(p.o.Devices[e.dev]):
			n := node{e.dev, "as -1"}
			nodes[n] = true
			mark(waiting, n, g.Wants)
		case p.serves(g):
			mark(terminals, dom(e.dev, p.hub(e), g.Wants), g.Wants)
		}
	}
	parent := map[node]node{}
	var find func(n node) node
	find = func(n node) node {
		if x, ok := parent[n]; ok && x != n {
			r := find(x)
			parent[n] = r
			return r
		}
		parent[n] = n
		return n
	}
	for i, d := range p.o.Devices { // untagged frames get into an unaware device from each neighbour
		if unaware(d) {
			nodes[node{i, "as -1"}] = true
		}
	}
	for changed := true; changed; {
		changed = false
		for n := range nodes {
			for _, name := range p.devs[n.dev].order {
				e := plainEnd{n.dev, name}
				w, ok := p.egress(e, n.dom)
				if !ok || unaware(p.o.Devices[n.dev]) && p.o.Devices[n.dev].Forwarding == office.UnawareDrops && w > 0 {
					continue
				}
				for _, c := range p.port(e).cables {
					in, ok := p.ingress(c, w)
					if !ok {
						continue
					}
					m := node{c.dev, in}
					if !nodes[m] {
						nodes[m], changed = true, true
					}
					if find(n) != find(m) {
						parent[find(m)], changed = find(n), true
					}
				}
			}
		}
	}
	type part struct {
		vlans map[office.VID]bool // whose domains it has
		ends  map[office.VID]bool
		ports map[string]bool
		waits []map[office.VID]bool
	}
	parts := map[node]*part{}
	for n := range nodes {
		r := find(n)
		x := parts[r]
		if x == nil {
			x = &part{map[office.VID]bool{}, map[office.VID]bool{}, map[string]bool{}, nil}
			parts[r] = x
		}
		var v, k int
		if c, _ := fmt.Sscanf(string(n.dom), "vlan %d keeps %d", &v, &k); c == 1 {
			x.vlans[office.VID(v)] = true
		} else if c, _ := fmt.Sscanf(string(n.dom), "as %d", &v); c == 1 && v > 0 {
			x.vlans[office.VID(v)] = true
		}
		for t := range terminals[n] {
			x.ends[t] = true
		}
		if w := waiting[n]; w != nil {
			x.waits = append(x.waits, w)
		}
		for _, name := range p.devs[n.dev].order {
			if _, ok := p.egress(plainEnd{n.dev, name}, n.dom); ok {
				x.ports[p.o.Devices[n.dev].Name+"."+name] = true
			}
		}
	}
	for x := range owns { // reached by tags, where nothing comes untagged and tags do
		untagged, tagged := node{x.dev, "as -1"}, node{x.dev, domain(fmt.Sprintf("as %d", x.v))}
		switch {
		case nodes[untagged] && parts[find(untagged)].vlans[x.v]:
		case nodes[tagged]:
			parts[find(tagged)].ends[x.v] = true
		default:
			dead[x] = true
		}
	}
	out := map[office.VID]string{}
	for v := office.VID(1); v <= office.MaxVID; v++ {
		var lists []string
		held, others := 0, false
		for _, x := range parts {
			for _, w := range x.waits {
				for t := range w {
					if x.vlans[t] {
						x.ends[t] = true
					}
				}
			}
			if !x.vlans[v] {
				continue
			}
			if x.ends[v] {
				held++
				others = others || len(x.ends) > 1
			}
			var ps []string
			for s := range x.ports {
				ps = append(ps, s)
			}
			sort.Strings(ps)
			lists = append(lists, strings.Join(ps, ","))
		}
		for i := range p.devs {
			if dead[own{i, v}] {
				held++
				lists = append(lists, "")
			}
		}
		if len(lists) == 0 {
			continue
		}
		sort.Strings(lists)
		state := "whole"
		switch {
		case held == 0:
			state = "unused"
		case held > 1:
			state = "split"
		case others:
			state = "merged"
		}
		out[v] = state + " " + strings.Join(lists, " | ")
	}
	return out
}
