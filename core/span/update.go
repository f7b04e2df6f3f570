package span

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

// Most edits set a few ports. What follows from one is found along the way by which it spreads, and
// all else is the same pointer as before, so that whoever works on from a Net compares pointers:
//
//	a port's shape ─▶ its table ─▶ what its hub lets in and out ─▶ the links there ─▶ their VLANs
//	      │                                                                             (n.dirty)
//	      └▶ who ends there ─▶ what is needed on each link of its block ─▶ ports that say [needed]
//
// The result is what [Compile] gives of the same office, which proof.TestIncremental holds of drawn
// edits. An edit that changes the graph itself (a cable, a front, a bundle) or the register is worked
// out from nothing, which takes about as long as finding out what of it stays.

// delta is what an update touched, for those who work on from a Net.
type delta struct {
	devices []int
	links   []int
}

// Update works out o, an office that shares with n's all that an edit left.
// Edits of cables, of the register and of the ports that a device has are
// worked out from nothing.
func (n *Net) Update(o *office.Office) *Net {
	if !graph.Same(n.Office, o) || !slices.Equal(n.Office.VLANs, o.VLANs) {
		net := Compile(o)
		net.effort = n.effort
		return net
	}
	return n.step(o)
}

// step works out o from n where cables, fronts and register are the same: what
// is set on ports, addresses, plugs, uses and plans may differ.
//
// Many branches: what is needed, parked and kept each follows from other parts, and is
// worked anew only where those changed.
func (n *Net) step(o *office.Office) *Net {
	net := *n
	net.Office, net.dirty = o, office.Set{}
	net.before = &delta{}
	touched := net.touched(n)
	for i, device := range o.Devices {
		if n.Office.Devices[i] != device || touched(i) {
			net.before.devices = append(net.before.devices, i)
		}
	}
	if len(net.before.devices) == 0 {
		return &net
	}
	changed := slices.Clone(net.before.devices)
	if slices.ContainsFunc(changed, func(i int) bool { return !office.SameGates(n.Office.Devices[i], o.Devices[i]) }) {
		net.gates = office.GatewaysOf(o)
		net.dirty = n.gates.Differ(net.gates)
	}
	net.shapes, net.source = slices.Clone(n.shapes), slices.Clone(n.source)
	for _, i := range changed {
		net.shapes[i], net.source[i] = net.effective(i)
	}
	// What is needed follows from where terminals are.
	net.place = slices.Clone(n.place)
	net.at.solid, net.at.bare = slices.Clone(n.at.solid), slices.Clone(n.at.bare)
	var moved office.Set
	for _, i := range changed {
		for _, h := range n.Topo.HubsOf(i) {
			net.at.solid[h], net.at.bare[h] = &office.Set{}, &office.Set{}
		}
		net.placesOf(i)
	}
	net.at.parked = net.parking()
	if back := net.at.parked.Xor(&n.at.parked); !back.Empty() { // somebody came into a parked VLAN, or left it
		for hub, one := range net.Topo.Hubs {
			if set := net.at.bare[hub].And(&back); !set.Empty() {
				changed = append(changed, one.Dev)
			}
		}
		net.dirty.AddAll(&back)
		slices.Sort(changed)
		changed = slices.Compact(changed)
	}
	for _, i := range changed {
		for _, h := range n.Topo.HubsOf(i) {
			net.placeAt(h)
			set := net.place[h].Xor(n.place[h])
			moved.AddAll(&set)
		}
	}
	if !moved.Empty() {
		var words []int
		for w := range moved {
			if moved[w] != 0 {
				words = append(words, w)
			}
		}
		net.needed = slices.Clone(n.needed)
		needs(n.Topo, net.place, net.needed, words)
		for b := range net.needed {
			if !slices.ContainsFunc(words, func(w int) bool { return net.needed[b][w] != n.needed[b][w] }) {
				continue
			}
			for _, link := range n.Topo.Blocks[b].Links {
				net.before.links = append(net.before.links, link)
				for _, end := range n.Topo.Links[link].Ends() {
					if net.shapes[end.Dev][end.Port].Rest == office.RestNeeded {
						changed = append(changed, end.Dev)
					}
				}
			}
		}
		slices.Sort(changed)
		changed = slices.Compact(changed)
	}
	net.before.devices = changed
	net.tables(n, changed)
	net.hubs(n, changed)
	net.links(n, changed)
	if slices.ContainsFunc(n.kept, n.feeds) || slices.ContainsFunc(net.kept, net.feeds) {
		return Compile(o) // what an unaware device passes on then follows from what itself passes on
	}
	net.solve()
	return &net
}

// touched says which devices an edit touches that are themselves the same: those
// that have a use or follow a plan that changed, and those with other plugs.
func (m *Net) touched(net *Net) func(dev int) bool {
	was, is := net.Office, m.Office
	plugs := m.plugsMoved(net)
	if slices.Equal(was.Uses, is.Uses) && slices.Equal(was.Plans, is.Plans) {
		return func(dev int) bool { return plugs[dev] }
	}
	uses, plans := map[string]bool{}, map[string]bool{}
	for _, o := range []*office.Office{was, is} {
		for _, use := range o.Uses {
			uses[use.Name] = was.Use(use.Name) != is.Use(use.Name)
		}
	}
	for _, o := range []*office.Office{was, is} {
		for _, plan := range o.Plans {
			plans[plan.Name] = plans[plan.Name] || was.Plan(plan.Name) != is.Plan(plan.Name) ||
				slices.ContainsFunc(plan.Lines, func(line office.PlanLine) bool { return uses[line.Shape.Use] })
		}
	}
	return func(dev int) bool {
		device := is.Devices[dev]
		return plugs[dev] || plans[device.Follows] ||
			slices.ContainsFunc(device.Ports, func(port office.Port) bool { return port.Shape != nil && uses[port.Shape.Use] })
	}
}

// plugsMoved says which devices have other plugs than before, and marks what
// those want as new.
func (m *Net) plugsMoved(net *Net) map[int]bool {
	was, is := net.Office.Plugs, m.Office.Plugs
	if slices.Equal(was, is) {
		return nil
	}
	m.Topo = net.Topo.Replugged(m.Office)
	moved := map[int]bool{}
	for _, side := range []struct{ a, b []office.Plug }{{was, is}, {is, was}} {
		have := make(map[office.Plug]bool, len(side.b))
		for _, plug := range side.b {
			have[plug] = true
		}
		for _, plug := range side.a {
			if !have[plug] {
				moved[m.Topo.DeviceIndex(plug.Port.Device)] = true
				m.dirty.Add(plug.Wants)
			}
		}
	}
	return moved
}

// tables compiles the devices that changed and notes in dirty which VLANs any of their ports does
// otherwise than before. A port that does the same keeps its old table, so that whoever asks
// whether it changed compares pointers.
func (m *Net) tables(net *Net, changed []int) {
	m.Tables = slices.Clone(net.Tables)
	cache := compileCache{}
	for _, i := range changed {
		table := m.table(i, cache)
		for port, compiled := range table.Ports {
			was := net.Tables[i].Ports[port]
			if shape, other := net.shapes[i][port], m.shapes[i][port]; shape != other { // who ends at a port goes by what is written there
				before, now := written(shape), written(other)
				set := before.Xor(&now)
				m.dirty.AddAll(&set)
			}
			if was.Equal(compiled) {
				table.Ports[port] = was // so that "the same" is one comparison further on
				continue
			}
			for _, set := range []office.Set{was.Untagged.Xor(&compiled.Untagged), was.Tagged.Xor(&compiled.Tagged)} {
				m.dirty.AddAll(&set)
			}
			m.dirty.Add(was.PVID)
			m.dirty.Add(compiled.PVID)
			if was.Off != compiled.Off || was.Admit != compiled.Admit || was.Filter != compiled.Filter || !slices.Equal(was.Rides, compiled.Rides) {
				set, other := was.Members(), compiled.Members()
				m.dirty.AddAll(&set)
				m.dirty.AddAll(&other)
				if m.Office.Devices[i].Unaware() { // it has no members, and plugs all the same
					for _, k := range m.Topo.PlugsAt(i) {
						m.dirty.Add(m.Office.Plugs[k].Wants)
					}
				}
			}
		}
		m.Tables[i] = table
		was, is := net.Office.Devices[i], m.Office.Devices[i]
		if was != is {
			for _, device := range []*office.Device{was, is} {
				if !office.SameAddresses(was.Addresses, is.Addresses) {
					for _, address := range device.Addresses {
						m.dirty.Add(address.VID)
					}
				}
				if !slices.Equal(was.Outsides, is.Outsides) {
					for _, line := range device.Outsides {
						m.dirty.Add(line.VID)
					}
				}
				if device.Manage != nil && was.Manage != is.Manage {
					m.dirty.Add(device.Manage.VID)
				}
			}
		}
	}
	m.dirty.Remove(0)
}

// hubs works anew who ends where on the devices that changed. What comes in at a device that is
// unaware of tags is begun anew as well: taken from before, tags that have stopped coming would
// stay for ever.
func (m *Net) hubs(net *Net, changed []int) {
	m.term, m.wants = slices.Clone(net.term), slices.Clone(net.wants)
	m.own, m.dead = slices.Clone(net.own), slices.Clone(net.dead)
	m.addr, m.present = slices.Clone(net.addr), slices.Clone(net.present)
	unaware := false
	for hub, one := range m.Topo.Hubs {
		if m.Office.Devices[one.Dev].Forwarding == office.Unaware {
			unaware = true
			wanted := m.tagsOf(one.Dev)
			m.present[hub] = &wanted // and then anew what comes in: tags may have stopped coming
		}
	}
	for _, i := range changed {
		for _, h := range m.Topo.HubsOf(i) {
			m.term[h], m.wants[h], m.addr[h], m.present[h] = &office.Set{}, &office.Set{}, &office.Set{}, &office.Set{}
			m.own[h], m.dead[h] = &office.Set{}, &office.Set{}
		}
		m.fillHubs(i)
	}
	if unaware {
		m.throughUnaware()
	}
	note := func(a, b []*office.Set, h int) {
		if a[h] != b[h] {
			set := a[h].Xor(b[h])
			m.dirty.AddAll(&set)
		}
	}
	each := func(hub int) {
		note(m.term, net.term, hub)
		note(m.wants, net.wants, hub)
		note(m.addr, net.addr, hub)
		note(m.present, net.present, hub)
		note(m.place, net.place, hub)
		note(m.own, net.own, hub)
		note(m.dead, net.dead, hub)
	}
	for _, i := range changed {
		for _, h := range m.Topo.HubsOf(i) {
			each(h)
		}
	}
	if unaware {
		for hub := range m.Topo.Hubs {
			note(m.present, net.present, hub)
		}
	}
}

// uses is [Net.inUse] for one VLAN.
func (n *Net) uses(vid office.VID) bool {
	if n.registered.Has(vid) {
		return true
	}
	for h := range n.present {
		if n.present[h].Has(vid) || n.place[h].Has(vid) || n.wants[h].Has(vid) {
			return true
		}
	}
	ends := func(arc Arc) bool { return arc.From.VID() == vid || arc.To.VID() == vid }
	for _, carry := range n.carry {
		if carry.AB.Has(vid) || carry.BA.Has(vid) || slices.ContainsFunc(carry.Cross, ends) {
			return true
		}
	}
	return slices.ContainsFunc(n.kept, func(arc linkArc) bool { return arc.To.VID() == vid })
}

// links works anew what cables carry: those at a changed device, and on from device to device as
// long as what passes one that is unaware of tags changes.
//
// Many branches: a cable is worked anew for its ports or for what an unaware device hands
// on; then classes, then use.
func (m *Net) links(net *Net, changed []int) {
	m.carry = slices.Clone(net.carry)
	crossed := false
	redo := map[int]bool{}
	port := func(other *Net, end graph.End) *bridge.Port { return other.Tables[end.Dev].Ports[end.Port] }
	look := func(h int) {
		for _, link := range m.Topo.At[h] {
			one := &m.Topo.Links[link]
			stale := port(m, one.A) != port(net, one.A) || port(m, one.B) != port(net, one.B)
			for _, end := range one.Ends() {
				stale = stale || m.Office.Devices[end.Dev].Forwarding == office.Unaware && *m.present[end.Hub] != *net.present[end.Hub]
			}
			if stale {
				redo[link] = true
			}
		}
	}
	for _, i := range changed {
		for _, h := range m.Topo.HubsOf(i) {
			look(h)
		}
	}
	for hub, one := range m.Topo.Hubs {
		if m.Office.Devices[one.Dev].Forwarding == office.Unaware {
			look(hub)
		}
	}
	for link := range redo {
		carry, was := m.cross(link), net.carry[link]
		for _, set := range []office.Set{carry.AB.Xor(&was.AB), carry.BA.Xor(&was.BA)} {
			m.dirty.AddAll(&set)
		}
		crossed = crossed || !slices.Equal(carry.Cross, was.Cross)
		m.carry[link] = carry
		m.before.links = append(m.before.links, link)
	}
	slices.Sort(m.before.links)
	m.before.links = slices.Compact(m.before.links)
	m.keepTags()
	if crossed || !slices.Equal(m.kept, net.kept) {
		m.groups = m.couple()
		for _, g := range [][][]Label{net.groups.groups, m.groups.groups} {
			for _, ls := range g {
				for _, label := range ls {
					m.dirty.Add(label.VID())
				}
			}
		}
	}
	m.dirty.Remove(0)
	m.used = net.used // whatever came into use or went out of it is dirty
	if m.dirty.Len() > 16 {
		m.used = m.inUse()
	} else {
		for vid := range m.dirty.All() {
			m.used.Remove(vid)
			if m.uses(vid) {
				m.used.Add(vid)
			}
		}
	}
}

// Delta says what is new against the Net that this one was updated from:
// devices whose ports forward otherwise, links that carry otherwise or are
// needed otherwise, VLANs whose spans are new. fresh means everything.
func (n *Net) Delta() (devices, links []int, vlans office.Set, fresh bool) {
	if n.before == nil {
		return nil, nil, n.used, true
	}
	return n.before.devices, n.before.links, n.dirty, false
}
