package span

import (
	"slices"

	"klammer/core/bridge"
	"klammer/core/graph"
	"klammer/core/office"
)

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
		m := Compile(o)
		m.effort = n.effort
		return m
	}
	return n.step(o)
}

// step works out o from n where cables, fronts and register are the same: what
// is set on ports, addresses, plugs, uses and plans may differ.
func (n *Net) step(o *office.Office) *Net {
	m := *n
	m.Office, m.dirty = o, office.Set{}
	m.before = &delta{}
	touched := m.touched(n)
	for i, d := range o.Devices {
		if n.Office.Devices[i] != d || touched(i) {
			m.before.devices = append(m.before.devices, i)
		}
	}
	if len(m.before.devices) == 0 {
		return &m
	}
	changed := slices.Clone(m.before.devices)
	if slices.ContainsFunc(changed, func(i int) bool { return !office.SameGates(n.Office.Devices[i], o.Devices[i]) }) {
		m.gates = office.GatewaysOf(o)
		m.dirty = n.gates.Differ(m.gates)
	}
	m.shapes, m.source = slices.Clone(n.shapes), slices.Clone(n.source)
	for _, i := range changed {
		m.shapes[i], m.source[i] = m.effective(i)
	}
	// What is needed follows from where terminals are.
	m.place = slices.Clone(n.place)
	m.at.solid, m.at.bare = slices.Clone(n.at.solid), slices.Clone(n.at.bare)
	var moved office.Set
	for _, i := range changed {
		for _, h := range n.Topo.HubsOf(i) {
			m.at.solid[h], m.at.bare[h] = &office.Set{}, &office.Set{}
		}
		m.placesOf(i)
	}
	m.at.parked = m.parking()
	if back := m.at.parked.Xor(&n.at.parked); !back.Empty() { // somebody came into a parked VLAN, or left it
		for h, x := range m.Topo.Hubs {
			if s := m.at.bare[h].And(&back); !s.Empty() {
				changed = append(changed, x.Dev)
			}
		}
		m.dirty.AddAll(&back)
		slices.Sort(changed)
		changed = slices.Compact(changed)
	}
	for _, i := range changed {
		for _, h := range n.Topo.HubsOf(i) {
			m.placeAt(h)
			d := m.place[h].Xor(n.place[h])
			moved.AddAll(&d)
		}
	}
	if !moved.Empty() {
		var words []int
		for w := range moved {
			if moved[w] != 0 {
				words = append(words, w)
			}
		}
		m.needed = slices.Clone(n.needed)
		needs(n.Topo, m.place, m.needed, words)
		for b := range m.needed {
			if !slices.ContainsFunc(words, func(w int) bool { return m.needed[b][w] != n.needed[b][w] }) {
				continue
			}
			for _, l := range n.Topo.Blocks[b].Links {
				m.before.links = append(m.before.links, l)
				for _, e := range n.Topo.Links[l].Ends() {
					if m.shapes[e.Dev][e.Port].Rest == office.RestNeeded {
						changed = append(changed, e.Dev)
					}
				}
			}
		}
		slices.Sort(changed)
		changed = slices.Compact(changed)
	}
	m.before.devices = changed
	m.tables(n, changed)
	m.hubs(n, changed)
	m.links(n, changed)
	if slices.ContainsFunc(n.kept, n.feeds) || slices.ContainsFunc(m.kept, m.feeds) {
		return Compile(o) // what an unaware device passes on then follows from what itself passes on
	}
	m.solve()
	return &m
}

// touched says which devices an edit touches that are themselves the same: those
// that have a use or follow a plan that changed, and those with other plugs.
func (m *Net) touched(n *Net) func(dev int) bool {
	was, is := n.Office, m.Office
	plugs := m.plugsMoved(n)
	if slices.Equal(was.Uses, is.Uses) && slices.Equal(was.Plans, is.Plans) {
		return func(dev int) bool { return plugs[dev] }
	}
	uses, plans := map[string]bool{}, map[string]bool{}
	for _, o := range []*office.Office{was, is} {
		for _, u := range o.Uses {
			uses[u.Name] = was.Use(u.Name) != is.Use(u.Name)
		}
	}
	for _, o := range []*office.Office{was, is} {
		for _, p := range o.Plans {
			plans[p.Name] = plans[p.Name] || was.Plan(p.Name) != is.Plan(p.Name) ||
				slices.ContainsFunc(p.Lines, func(l office.PlanLine) bool { return uses[l.Shape.Use] })
		}
	}
	return func(dev int) bool {
		d := is.Devices[dev]
		return plugs[dev] || plans[d.Follows] ||
			slices.ContainsFunc(d.Ports, func(p office.Port) bool { return p.Shape != nil && uses[p.Shape.Use] })
	}
}

// plugsMoved says which devices have other plugs than before, and marks what
// those want as new.
func (m *Net) plugsMoved(n *Net) map[int]bool {
	was, is := n.Office.Plugs, m.Office.Plugs
	if slices.Equal(was, is) {
		return nil
	}
	m.Topo = n.Topo.Replugged(m.Office)
	moved := map[int]bool{}
	for _, side := range []struct{ a, b []office.Plug }{{was, is}, {is, was}} {
		have := make(map[office.Plug]bool, len(side.b))
		for _, p := range side.b {
			have[p] = true
		}
		for _, p := range side.a {
			if !have[p] {
				moved[m.Topo.DeviceIndex(p.Port.Device)] = true
				m.dirty.Add(p.Wants)
			}
		}
	}
	return moved
}

func (m *Net) tables(n *Net, changed []int) {
	m.Tables = slices.Clone(n.Tables)
	cache := compileCache{}
	for _, i := range changed {
		table := m.table(i, cache)
		for p, compiled := range table.Ports {
			was := n.Tables[i].Ports[p]
			if a, b := n.shapes[i][p], m.shapes[i][p]; a != b { // who ends at a port goes by what is written there
				before, now := written(a), written(b)
				d := before.Xor(&now)
				m.dirty.AddAll(&d)
			}
			if was.Equal(compiled) {
				table.Ports[p] = was // so that "the same" is one comparison further on
				continue
			}
			for _, s := range []office.Set{was.Untagged.Xor(&compiled.Untagged), was.Tagged.Xor(&compiled.Tagged)} {
				m.dirty.AddAll(&s)
			}
			m.dirty.Add(was.PVID)
			m.dirty.Add(compiled.PVID)
			if was.Off != compiled.Off || was.Admit != compiled.Admit || was.Filter != compiled.Filter || !slices.Equal(was.Rides, compiled.Rides) {
				a, b := was.Members(), compiled.Members()
				m.dirty.AddAll(&a)
				m.dirty.AddAll(&b)
				if m.Office.Devices[i].Unaware() { // it has no members, and plugs all the same
					for _, k := range m.Topo.PlugsAt(i) {
						m.dirty.Add(m.Office.Plugs[k].Wants)
					}
				}
			}
		}
		m.Tables[i] = table
		was, is := n.Office.Devices[i], m.Office.Devices[i]
		if was != is {
			for _, device := range []*office.Device{was, is} {
				if !office.SameAddresses(was.Addresses, is.Addresses) {
					for _, a := range device.Addresses {
						m.dirty.Add(a.VID)
					}
				}
				if !slices.Equal(was.Outsides, is.Outsides) {
					for _, l := range device.Outsides {
						m.dirty.Add(l.VID)
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

func (m *Net) hubs(n *Net, changed []int) {
	m.term, m.wants = slices.Clone(n.term), slices.Clone(n.wants)
	m.own, m.dead = slices.Clone(n.own), slices.Clone(n.dead)
	m.addr, m.present = slices.Clone(n.addr), slices.Clone(n.present)
	unaware := false
	for h, x := range m.Topo.Hubs {
		if m.Office.Devices[x.Dev].Forwarding == office.Unaware {
			unaware = true
			wanted := m.tagsOf(x.Dev)
			m.present[h] = &wanted // and then anew what comes in: tags may have stopped coming
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
			d := a[h].Xor(b[h])
			m.dirty.AddAll(&d)
		}
	}
	each := func(hub int) {
		note(m.term, n.term, hub)
		note(m.wants, n.wants, hub)
		note(m.addr, n.addr, hub)
		note(m.present, n.present, hub)
		note(m.place, n.place, hub)
		note(m.own, n.own, hub)
		note(m.dead, n.dead, hub)
	}
	for _, i := range changed {
		for _, h := range m.Topo.HubsOf(i) {
			each(h)
		}
	}
	if unaware {
		for h := range m.Topo.Hubs {
			note(m.present, n.present, h)
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
	ends := func(a Arc) bool { return a.From.VID() == vid || a.To.VID() == vid }
	for _, c := range n.carry {
		if c.AB.Has(vid) || c.BA.Has(vid) || slices.ContainsFunc(c.Cross, ends) {
			return true
		}
	}
	return slices.ContainsFunc(n.kept, func(a linkArc) bool { return a.To.VID() == vid })
}

func (m *Net) links(n *Net, changed []int) {
	m.carry = slices.Clone(n.carry)
	crossed := false
	redo := map[int]bool{}
	port := func(x *Net, e graph.End) *bridge.Port { return x.Tables[e.Dev].Ports[e.Port] }
	look := func(h int) {
		for _, link := range m.Topo.At[h] {
			k := &m.Topo.Links[link]
			stale := port(m, k.A) != port(n, k.A) || port(m, k.B) != port(n, k.B)
			for _, e := range k.Ends() {
				stale = stale || m.Office.Devices[e.Dev].Forwarding == office.Unaware && *m.present[e.Hub] != *n.present[e.Hub]
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
	for h, x := range m.Topo.Hubs {
		if m.Office.Devices[x.Dev].Forwarding == office.Unaware {
			look(h)
		}
	}
	for link := range redo {
		c, was := m.cross(link), n.carry[link]
		for _, s := range []office.Set{c.AB.Xor(&was.AB), c.BA.Xor(&was.BA)} {
			m.dirty.AddAll(&s)
		}
		crossed = crossed || !slices.Equal(c.Cross, was.Cross)
		m.carry[link] = c
		m.before.links = append(m.before.links, link)
	}
	slices.Sort(m.before.links)
	m.before.links = slices.Compact(m.before.links)
	m.keepTags()
	if crossed || !slices.Equal(m.kept, n.kept) {
		m.groups = m.couple()
		for _, g := range [][][]Label{n.groups.groups, m.groups.groups} {
			for _, ls := range g {
				for _, l := range ls {
					m.dirty.Add(l.VID())
				}
			}
		}
	}
	m.dirty.Remove(0)
	m.used = n.used // whatever came into use or went out of it is dirty
	if m.dirty.Len() > 16 {
		m.used = m.inUse()
	} else {
		for v := range m.dirty.All() {
			m.used.Remove(v)
			if m.uses(v) {
				m.used.Add(v)
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
