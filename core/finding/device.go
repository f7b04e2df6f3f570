package finding

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/wording"
)

// device finds what is wrong with one device by itself.
func (c *check) device(i int) {
	d := c.n.Office.Devices[i]
	if c.n.Aware(i) {
		for p := range d.Ports {
			t := c.n.Tables[i].Ports[p]
			if d.Ports[p].Bundle > 0 || t.Off || t.Access != 0 && (t.Access == office.DefaultVID || c.n.Registered().Has(t.Access)) {
				continue // shut, or nothing to go wrong
			}
			at := port{i, p, office.PortRef{Device: d.Name, Port: d.Ports[p].Name}}
			c.pvidNotMember(at)
			c.pvidDiffers(at)
			c.manyUntagged(at)
			c.leftInDefault(at)
			c.unregistered(at)
			c.openEdge(at)
		}
		c.plugUnserved(i)
	}
	c.bundles(i)
	c.exceptions(i)
	c.limitPassed(i)
	c.unsayable(i)
	c.inside(i)
}

// port is a port that a finding is about.
type port struct {
	dev, port int
	ref       office.PortRef
}

func (c *check) pvidOf(at port) (p office.VID, sh *office.Shape) {
	s, _ := c.n.Shape(at.dev, at.port)
	return s.PortVID(), s
}

// bridges says whether PVIDs count on a device: in a grouped one the group is
// the PVID.
func (c *check) bridges(dev int) bool {
	f := c.n.Office.Devices[dev].Forwarding
	return f == office.Bridge || f == office.Routed
}

// pvidNotMember: the PVID is not among the port's members and filtering is on,
// so untagged frames that arrive are dropped.
//
//	device a switch
//	  ports 1-2
//	  1: 130 pvid 1
func (c *check) pvidNotMember(at port) {
	t := c.n.Tables[at.dev].Ports[at.port]
	if t.PVID == 0 || !t.Filter || t.Has(t.PVID) || !c.bridges(at.dev) || t.Admit == office.AdmitTagged {
		return
	}
	f := Finding{Code: "pvid-not-member", VLANs: []office.VID{t.PVID}, Ports: []office.PortRef{at.ref}, ID: about("pvid-not-member", at.ref)}
	_, s := c.pvidOf(at)
	f.Text = fmt.Sprintf("Untagged frames that arrive at %s are dropped: its PVID is %s, and the port is not in that VLAN.", portName(at.ref), c.n.Name(t.PVID))
	if len(s.Untagged) > 0 {
		f.VLANs = append(f.VLANs, s.Untagged...)
		f.Text = fmt.Sprintf("Untagged frames that arrive at %s are dropped: its PVID is %s, and the port is only in %s.", portName(at.ref), c.n.Name(t.PVID), c.vlanNames(s.Untagged))
		f.Mends = append(f.Mends, []string{set(at.ref, s.WithPVID(s.Untagged[0]))})
	} else {
		f.Mends = append(f.Mends, []string{set(at.ref, s.WithPVID(0))})
	}
	f.Mends = append(f.Mends, []string{set(at.ref, s.With(t.PVID, office.Untagged))})
	c.add(f)
}

// pvidDiffers: the PVID is a member but not the untagged VLAN, so the way out
// and the way in differ.
//
//	device a switch
//	  ports 1-2
//	  1: 110 [120] pvid 120
func (c *check) pvidDiffers(at port) {
	t := c.n.Tables[at.dev].Ports[at.port]
	if t.PVID == 0 || t.Untagged.Has(t.PVID) || !t.Has(t.PVID) && t.Filter || !c.bridges(at.dev) || t.Admit == office.AdmitTagged {
		return
	}
	_, s := c.pvidOf(at)
	f := Finding{Code: "pvid-differs", VLANs: append([]office.VID{t.PVID}, s.Untagged...), Ports: []office.PortRef{at.ref}, ID: about("pvid-differs", at.ref)}
	out := "nothing leaves untagged"
	if len(s.Untagged) > 0 {
		out = c.vlanNames(s.Untagged) + " leaves untagged"
		f.Mends = append(f.Mends, []string{set(at.ref, s.WithPVID(s.Untagged[0]))})
	} else {
		f.Mends = append(f.Mends, []string{set(at.ref, s.WithPVID(0))})
	}
	f.Text = fmt.Sprintf("At %s untagged frames join %s, but %s: the way in and the way out differ.", portName(at.ref), c.n.Name(t.PVID), out)
	c.add(f)
}

// manyUntagged: several VLANs leave a port untagged; what answers joins one of
// them only.
//
//	device a switch
//	  ports 1-2
//	  1: 110+120 pvid 110
func (c *check) manyUntagged(at port) {
	t := c.n.Tables[at.dev].Ports[at.port]
	if t.Untagged.Len() < 2 {
		return
	}
	_, s := c.pvidOf(at)
	f := Finding{Code: "many-untagged", VLANs: s.Untagged, Ports: []office.PortRef{at.ref}, ID: about("many-untagged", at.ref)}
	in := "and none takes what comes back"
	if t.PVID != 0 {
		in = "and what comes back joins " + c.n.Name(t.PVID)
	}
	f.Text = fmt.Sprintf("%s leave %s untagged, %s.", c.vlanNames(s.Untagged), portName(at.ref), in)
	if slices.Contains(s.Untagged, t.PVID) {
		f.Mends = [][]string{{set(at.ref, s.With(t.PVID, office.Untagged))}}
	}
	if t.Untagged.Has(office.DefaultVID) && len(s.Untagged) == 2 {
		f.Cause = about("left-in-default", at.ref)
	}
	c.add(f)
}

// leftInDefault: a port is still untagged in VLAN 1 beside the VLAN that it was
// given, so the broadcasts of VLAN 1 leave there too.
//
//	device a switch
//	  ports 1-2
//	  1: 1+160 pvid 160
func (c *check) leftInDefault(at port) {
	t := c.n.Tables[at.dev].Ports[at.port]
	if !t.Untagged.Has(office.DefaultVID) || t.Untagged.Len() < 2 {
		return
	}
	_, s := c.pvidOf(at)
	rest := slices.DeleteFunc(slices.Clone(s.Untagged), func(v office.VID) bool { return v == office.DefaultVID })
	f := Finding{Code: "left-in-default", VLANs: append([]office.VID{office.DefaultVID}, rest...), Ports: []office.PortRef{at.ref}, ID: about("left-in-default", at.ref)}
	f.Text = fmt.Sprintf("%s is in %s and still in VLAN 1: frames of VLAN 1 leave there too.", portName(at.ref), c.vlanNames(rest))
	m := s.With(office.DefaultVID, office.NotMember)
	if len(rest) == 1 {
		m = s.With(rest[0], office.Untagged)
	}
	f.Mends = [][]string{{set(at.ref, m)}}
	c.add(f)
}

// unregistered: a VID on a port is not in the register.
//
//	vlan 110 reception
//	device a switch
//	  ports 1-2
//	  1: 110 [777]
func (c *check) unregistered(at port) {
	t := c.n.Tables[at.dev].Ports[at.port]
	m := t.Members()
	if c.n.Office.Devices[at.dev].Ports[at.port].Kind == office.Inner {
		m = t.Untagged // a range lets VLANs in that may come one day
	}
	if t.PVID != 0 {
		m.Add(t.PVID)
	}
	un := m.Minus(c.n.Registered())
	un.Remove(office.DefaultVID) // every bridge has it, registered or not
	if un.Empty() {
		return
	}
	vs := un.VIDs()
	f := Finding{Code: "unregistered", VLANs: vs, Ports: []office.PortRef{at.ref}, ID: about("unregistered", at.ref)}
	f.Text = fmt.Sprintf("%s has %s, which the register does not know.", portName(at.ref), c.vlanNames(vs))
	_, s := c.pvidOf(at)
	gone := *s
	for _, v := range vs {
		gone = gone.With(v, office.NotMember)
		if gone.PVIDSet && gone.PVID == v {
			gone = gone.WithPVID(0)
		}
	}
	f.Mends = [][]string{{set(at.ref, gone)}}
	c.add(f)
}

// openEdge: an uncabled port, or one with an untagged plug, accepts tagged
// frames of VLANs that it should not: whoever plugs in there is in all of them.
// What it should accept is what its plugs want tagged, and what its use names:
// a use is somebody's word that the port is meant so.
//
//	device a switch
//	  ports 1-2
//	  1: 110 [190]
func (c *check) openEdge(at port) {
	d := c.n.Office.Devices[at.dev]
	if d.Ports[at.port].Kind == office.Inner || len(c.n.Topo.LinksAt(at.dev, at.port)) > 0 {
		return
	}
	t := c.n.Tables[at.dev].Ports[at.port]
	if t.Admit == office.AdmitUntagged {
		return
	}
	open := t.Tagged
	if !t.Filter {
		open = *c.n.Registered()
		open = open.Minus(&t.Untagged)
	}
	if open.Empty() {
		return
	}
	for _, k := range c.n.Topo.PlugsAt(at.dev) {
		p := &c.n.Office.Plugs[k]
		if i := d.Port(p.Port.Port); d.Logical(i) != at.port {
			continue
		}
		if p.Tagged {
			open.Remove(p.Wants)
		}
	}
	if w, _ := c.n.Office.Written(d, at.port); w.Use != "" && t.Filter {
		return
	}
	if open.Empty() {
		return
	}
	vs := open.VIDs()
	f := Finding{Code: "open-edge", VLANs: vs, Ports: []office.PortRef{at.ref}, ID: about("open-edge", at.ref)}
	f.Text = fmt.Sprintf("Whoever plugs in at %s and sends tagged frames is in %s.", portName(at.ref), c.vlanNames(vs))
	_, s := c.pvidOf(at)
	m := *s
	m.Tagged = slices.DeleteFunc(slices.Clone(m.Tagged), func(v office.VID) bool { return open.Has(v) })
	m.FilterOff = false
	if m.Rest == office.RestAll {
		m.Rest = office.RestNone
	}
	f.Mends = [][]string{{set(at.ref, m.Normal())}}
	c.add(f)
}

// plugUnserved: a plug wants a VLAN that its port does not give in that form.
//
//	device a switch
//	  ports 1-2
//	  1: 120
//	plug a.1 "pc" wants 110
//
// A plug that wants it untagged and finds it tagged has tag-into-unaware as
// the cause.
func (c *check) plugUnserved(i int) {
	d := c.n.Office.Devices[i]
	for _, k := range c.n.Topo.PlugsAt(i) {
		p := &c.n.Office.Plugs[k]
		at := d.Logical(d.Port(p.Port.Port))
		if c.n.Gives(i, at, p.Wants, p.Tagged) {
			continue
		}
		t := c.n.Tables[i].Ports[at]
		form := map[bool]string{true: "tagged", false: "untagged"}
		f := Finding{Code: "plug-unserved", VLANs: []office.VID{p.Wants}, Ports: []office.PortRef{p.Port}, ID: about("plug-unserved", p.Port, p.Name)}
		f.Text = fmt.Sprintf("%s at %s wants %s %s, and the port does not give it.", p.Name, portName(p.Port), c.n.Name(p.Wants), form[p.Tagged])
		m := office.Untagged
		if p.Tagged {
			m = office.Tagged
		}
		mend := []string{set(office.PortRef{Device: d.Name, Port: d.Ports[at].Name}, c.n.With(i, at, p.Wants, m))}
		f.Mends = [][]string{mend}
		switch {
		case t.Off:
			f.Text = fmt.Sprintf("%s at %s wants %s, and the port is shut.", p.Name, portName(p.Port), c.n.Name(p.Wants))
		case !p.Tagged && t.Tagged.Has(p.Wants):
			g := Finding{Code: "tag-into-unaware", VLANs: []office.VID{p.Wants}, Ports: []office.PortRef{p.Port}, ID: about("tag-into-unaware", p.Port, p.Name), Mends: f.Mends}
			g.Text = fmt.Sprintf("%s at %s wants %s untagged, and finds it only tagged.", p.Name, portName(p.Port), c.n.Name(p.Wants))
			c.add(g)
			f.Cause = g.ID
		case p.Tagged && t.Untagged.Has(p.Wants):
			f.Text = fmt.Sprintf("%s at %s wants %s tagged, and the port sends it untagged.", p.Name, portName(p.Port), c.n.Name(p.Wants))
		}
		c.add(f)
	}
}

// bundles is what is wrong with a device's bundles by themselves:
// bundle-uneven (ports of different speed in it, or at its two ends),
// bundle-crossed (its cables go to two places), bundle-gap (the device wants
// the ports side by side, and they are not).
//
//	device a switch
//	  ports 1-4 1G, 5 10G
//	  bundles adjacent
//	  bundle up lacp 1,3,5
func (c *check) bundles(i int) {
	d := c.n.Office.Devices[i]
	for b := range d.Ports {
		x := &d.Ports[b]
		if x.Kind != office.Bundle {
			continue
		}
		ref := office.PortRef{Device: d.Name, Port: x.Name}
		c.bundleSpeeds(i, b, ref)
		var ends []string
		bundles, devices := 0, map[int]bool{}
		for _, l := range c.n.Topo.LinksAt(i, b) {
			k := &c.n.Topo.Links[l]
			far := k.B
			if far.Dev == i && far.Port == b {
				far = k.A
			}
			ends = append(ends, portName(c.n.Ref(far)))
			devices[far.Dev] = true
			if c.at(far).Kind == office.Bundle {
				bundles++
			}
		}
		if bundles > 1 || len(devices) > 1 {
			c.add(Finding{Code: "bundle-crossed", Ports: []office.PortRef{ref}, ID: about("bundle-crossed", ref),
				Text: fmt.Sprintf("The cables of the bundle %s go to %s: a bundle ends in one place.", portName(ref), some(ends, 4))})
		}
		if d.Adjacent && !slices.IsSorted(x.Members) || d.Adjacent && x.Members[len(x.Members)-1]-x.Members[0] != len(x.Members)-1 {
			c.add(Finding{Code: "bundle-gap", Ports: []office.PortRef{ref}, ID: about("bundle-gap", ref),
				Text: fmt.Sprintf("%s takes only neighbouring ports into a bundle, and %s has %s.", d.Name, x.Name, c.portList(memberRefs(d, x), 4))})
		}
	}
}

func memberRefs(d *office.Device, x *office.Port) []office.PortRef {
	var refs []office.PortRef
	for _, m := range x.Members {
		refs = append(refs, office.PortRef{Device: d.Name, Port: d.Ports[m].Name})
	}
	return refs
}

func (c *check) bundleSpeeds(dev, b int, ref office.PortRef) {
	d := c.n.Office.Devices[dev]
	speeds := map[office.Speed]bool{}
	var names []string
	add := func(s office.Speed) {
		if s != 0 && !speeds[s] {
			speeds[s] = true
			names = append(names, s.String())
		}
	}
	for _, m := range d.Ports[b].Members {
		add(d.Ports[m].Speed)
	}
	own := len(names)
	for _, l := range c.n.Topo.LinksAt(dev, b) {
		for _, k := range c.n.Topo.Links[l].Cables {
			cable := c.n.Office.Cables[k]
			for _, r := range []office.PortRef{cable.A, cable.B} {
				if x := c.n.Office.Device(r.Device); x != d && own < 2 {
					// said at the end whose name comes first
					if d.Name < x.Name {
						add(x.Ports[x.Port(r.Port)].Speed)
					}
				}
			}
		}
	}
	if len(names) > 1 {
		c.add(Finding{Code: "bundle-uneven", Ports: []office.PortRef{ref}, ID: about("bundle-uneven", ref),
			Text: fmt.Sprintf("The bundle %s joins ports of %s: the slower ones are left out, or drop what does not fit.", portName(ref), listed(names))})
	}
}

// exceptions: a port that departs from its device's plan without saying why
// (exception-unexplained), or that has become equal to it (exception-equal).
//
//	plan ward-8
//	  1-4: 120
//	device w switch follows ward-8
//	  ports 1-8
//	  1: 130
//	  2: 120
func (c *check) exceptions(i int) {
	d := c.n.Office.Devices[i]
	if d.Follows == "" {
		return
	}
	for p := range d.Ports {
		w, src := c.n.Office.Written(d, p)
		if src != office.FromException {
			continue
		}
		ref := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
		plan, _ := c.n.Office.Planned(d, p)
		switch {
		case c.n.Office.Resolve(plan).Equal(*c.n.Office.Resolve(w)):
			c.add(Finding{Code: "exception-equal", Ports: []office.PortRef{ref}, ID: about("exception-equal", ref),
				Text:  fmt.Sprintf("%s is an exception from %s, and equal to it: it can go.", portName(ref), d.Follows),
				Mends: [][]string{{fmt.Sprintf("-%s %s", d.Name, quoted(ref.Port))}}})
		case d.Ports[p].Because == "":
			c.add(Finding{Code: "exception-unexplained", Ports: []office.PortRef{ref}, ID: about("exception-unexplained", ref),
				Text:  fmt.Sprintf("%s departs from %s, and nobody said why.", portName(ref), d.Follows),
				Mends: [][]string{{fmt.Sprintf("-%s %s", d.Name, quoted(ref.Port))}}})
		}
	}
}

// limitPassed: a device is asked for more VLANs, addresses, zones or rows than
// it takes. Rows are what a grouped device keeps for tagged VIDs: one a port
// and VLAN.
//
//	device a switch
//	  ports 1-2
//	  limit vlans 1
//	  1: 110 [120]
func (c *check) limitPassed(i int) {
	d := c.n.Office.Devices[i]
	if d.Limits == (office.Limits{}) {
		return
	}
	var vlans office.Set
	rows := 0
	for _, p := range c.n.Tables[i].Ports {
		if p.Off {
			continue
		}
		m := p.Members()
		vlans.AddAll(&m)
		rows += p.Tagged.Len()
	}
	zones := map[string]bool{}
	for _, a := range d.Addresses {
		vlans.Add(a.VID)
		if a.Zone != "" {
			zones[a.Zone] = true
		}
	}
	for _, l := range []struct {
		what     string
		has, max int
	}{
		{"VLANs", vlans.Len(), d.Limits.VLANs}, {"addresses", len(d.Addresses), d.Limits.Addresses},
		{"zones", len(zones), d.Limits.Zones}, {"rows of tagged VIDs", rows, d.Limits.Rows},
	} {
		if l.max > 0 && l.has > l.max {
			c.add(Finding{Code: "limit-passed", ID: about("limit-passed", d.Name, l.what), Devices: []string{d.Name},
				Text: fmt.Sprintf("%s would need %d %s and takes %d.", d.Name, l.has, l.what, l.max)})
		}
	}
}

// unsayable: the device's wording cannot express a port's shape, so the plan
// cannot be entered as it is.
//
//	device a switch
//	  ports 1-2
//	  wording by-choice
//	  1: 110 [120]
//	  2: 130
func (c *check) unsayable(i int) {
	for _, u := range wording.Unsaid(c.n, i) {
		d := c.n.Office.Devices[i]
		ref := office.PortRef{Device: d.Name, Port: d.Ports[u.Port].Name}
		near := u.Nearest.Shape()
		c.add(Finding{Code: "unsayable", Ports: []office.PortRef{ref}, ID: about("unsayable", ref),
			Text:  fmt.Sprintf("%s asks %s, and cannot be told what %s should be: %s. What comes nearest is %s.", d.Name, strings.NewReplacer("sub-interface", "sub-interface", "-", " ", "linux", "as Linux does").Replace(d.Wording.Name), portName(ref), u.Why, notation.Shape(near)),
			Mends: append([][]string{{set(ref, near)}}, c.elsewhere(i, u.Port)...)})
	}
}

// elsewhere moves what is plugged into a port to a free port of another device
// whose wording can say what it wants: nothing where that cannot be.
func (c *check) elsewhere(i, p int) [][]string {
	d := c.n.Office.Devices[i]
	from := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
	s, _ := c.n.Shape(i, p)
	taken := map[office.PortRef]bool{}
	var lines []string
	for _, g := range c.n.Office.Plugs {
		taken[g.Port] = true
		if g.Port == from {
			lines = append(lines, "-"+notation.Removal(g))
		}
	}
	if len(lines) == 0 || len(c.n.Topo.LinksAt(i, p)) > 0 {
		return nil
	}
	for _, j := range c.n.Outwards() {
		w := wording.For(c.n, j)
		if w == nil || j == i {
			continue
		}
		plan := wording.Planned(c.n, j)
		for q := range w.Ports {
			to := office.PortRef{Device: w.Name, Port: w.Ports[q].Name}
			if now, _ := c.n.Shape(j, q); w.Ports[q].Kind != office.Physical || w.Ports[q].Bundle > 0 || taken[to] || len(c.n.Topo.LinksAt(j, q)) > 0 || len(now.Untagged)+len(now.Tagged) > 0 {
				continue
			}
			if len(wording.Cannot(w, plan.With(q, wording.Of(s)))) > len(wording.Cannot(w, plan)) {
				break // its other ports are asked for alike
			}
			for _, g := range c.n.Office.Plugs {
				if g.Port == from {
					g.Port = to
					lines = append(lines, notation.Thing(g))
				}
			}
			return [][]string{append(lines, set(to, *s), set(from, office.Shape{Off: true}))}
		}
	}
	return nil
}

// inside is one-way for two ports of one device: a port with ingress filtering
// off takes a VLAN in that it does not let out again, so nothing that is asked
// there is answered.
//
//	device a switch
//	  ports 1-2
//	  1: 110 pvid 120 filter off
//	  2: 120
func (c *check) inside(i int) {
	if !c.bridges(i) || c.n.Office.Devices[i].Forwarding == office.Routed {
		return
	}
	d := c.n.Office.Devices[i]
	for p, t := range c.n.Tables[i].Ports {
		if t.Off || t.Filter || t.PVID == 0 || t.Has(t.PVID) || t.Admit == office.AdmitTagged {
			continue
		}
		for q, u := range c.n.Tables[i].Ports {
			if q == p || !u.Has(t.PVID) {
				continue
			}
			a := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
			_, s := c.pvidOf(port{i, p, a})
			c.add(Finding{Code: "one-way", VLANs: []office.VID{t.PVID}, Ports: []office.PortRef{a}, ID: about("one-way", t.PVID, a), Cause: about("pvid-differs", a),
				Text:  fmt.Sprintf("Untagged frames from %s get into %s, but nothing of it comes out there: what is asked is not answered.", portName(a), c.n.Name(t.PVID)),
				Mends: [][]string{{set(a, s.With(t.PVID, office.Untagged))}}})
			break
		}
	}
}
