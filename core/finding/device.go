package finding

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// device finds what is wrong with one device by itself.
func (c *check) device(i int) {
	device := c.n.Office.Devices[i]
	if c.n.Aware(i) {
		for p := range device.Ports {
			t := c.n.Tables[i].Ports[p]
			if device.Ports[p].Bundle > 0 || t.Off || t.Access != 0 && (t.Access == office.DefaultVID || c.n.Registered().Has(t.Access)) {
				continue // shut, or nothing to go wrong
			}
			at := port{i, p, office.PortRef{Device: device.Name, Port: device.Ports[p].Name}}
			c.pvidNotMember(at)
			c.pvidDiffers(at)
			c.manyUntagged(at)
			c.leftInDefault(at)
			c.unregistered(at)
			c.openEdge(at)
			c.inside(at)
		}
	}
	c.exceptions(i)
	c.gather(i)
	c.plugUnserved(i)
	c.bundles(i)
	c.limitPassed(i)
	c.unsayable(i)
	c.managedUnregistered(i)
}

// managedUnregistered is unregistered for the VLAN that a device is managed in.
//
//	device a switch
//	  ports 1-2
//	  manage 190
func (c *check) managedUnregistered(i int) {
	d := c.n.Office.Devices[i]
	if d.Manage == nil || d.Manage.VID == office.DefaultVID || c.n.Registered().Has(d.Manage.VID) {
		return
	}
	c.add(Finding{Code: Unregistered, VLANs: []office.VID{d.Manage.VID}, ID: about(Unregistered, d.Name, "managed in", d.Manage.VID), Devices: []string{d.Name},
		Text: fmt.Sprintf("%s is managed in VLAN %d, which the register does not know.", d.Name, d.Manage.VID)})
}

// bridges says whether PVIDs count on a device: in a grouped one the group is
// the PVID.
func (c *check) bridges(dev int) bool {
	f := c.n.Office.Devices[dev].Forwarding
	return f == office.Bridge || f == office.Routed
}

// plugUnserved: a plug wants a VLAN that its port does not give in that form.
//
// It is served only if both ways are open: what leaves the port comes in that
// form, and what the plug sends joins its VLAN. A plug that wants it untagged
// and finds it tagged has tag-into-unaware as the cause.
func (c *check) plugUnserved(i int) {
	device := c.n.Office.Devices[i]
	for _, k := range c.n.Topo.PlugsAt(i) {
		plug := &c.n.Office.Plugs[k]
		at := device.Logical(device.Port(plug.Port.Port))
		compiled := c.n.Tables[i].Ports[at]
		form, as, other := "untagged", office.Untagged, office.Tagged
		if plug.Tagged {
			form, as, other = "tagged", office.Tagged, office.Untagged
		}
		who, vlan := fmt.Sprintf("%s at %s", plug.Name, portName(plug.Port)), c.n.Name(plug.Wants)
		f := Finding{Code: PlugUnserved, VLANs: []office.VID{plug.Wants}, Ports: []office.PortRef{plug.Port}, ID: about(PlugUnserved, plug.Port, plug.Name)}
		if _, far, ok := c.n.Office.CableAt(plug.Port); ok {
			f.Text = fmt.Sprintf("%s is plugged in where a cable to %s is: a port takes one of the two.", who, portName(far))
			c.add(f)
			continue
		}
		if !c.n.Aware(i) {
			switch {
			case compiled.Off:
				f.Text = fmt.Sprintf("%s wants %s, and the port is shut.", who, vlan)
				f.Mends = [][]string{{set(plug.Port, office.Shape{})}}
				c.add(f)
			case plug.Tagged && device.Forwarding == office.UnawareDrops:
				f.Text = fmt.Sprintf("%s wants %s tagged, and %s drops frames with a tag.", who, vlan, device.Name)
				c.add(f)
			}
			continue
		}
		if c.n.Gives(i, at, plug.Wants, plug.Tagged) {
			continue
		}
		f.Mends = [][]string{{set(office.PortRef{Device: device.Name, Port: device.Ports[at].Name}, c.n.Carrying(i, at, as, plug.Wants))}}
		leaves := compiled.Of(plug.Wants) == as && (as == office.Untagged || compiled.WireOf(plug.Wants).VID() == plug.Wants)
		switch {
		case compiled.Off:
			f.Text = fmt.Sprintf("%s wants %s, and the port is shut.", who, vlan)
		case leaves:
			if x := (port{dev: i, port: at}); as == office.Untagged && c.dropsPVID(x) {
				s, _ := c.n.Shape(i, at)
				drops := portFault{code: PVIDNotMember, vlans: append([]office.VID{compiled.PVID}, s.Untagged...)}
				f.Cause = drops.id(device)
			}
			f.Text = fmt.Sprintf("%s wants %s %s and hears it, but what it sends %s.", who, vlan, form, c.lost(i, at, plug))
		case compiled.Of(plug.Wants) == as:
			f.Text = fmt.Sprintf("%s wants %s tagged, and the port sends it tagged as VID %d.", who, vlan, compiled.WireOf(plug.Wants))
		case other == office.Tagged && compiled.Tagged.Has(plug.Wants):
			f.Text = fmt.Sprintf("%s wants %s untagged, and the port gives it tagged only.", who, vlan)
			g := Finding{Code: TagIntoUnaware, VLANs: []office.VID{plug.Wants}, Ports: []office.PortRef{plug.Port}, ID: about(TagIntoUnaware, plug.Port, plug.Name), Mends: f.Mends}
			g.Text = fmt.Sprintf("%s wants %s untagged, and finds it only tagged.", who, vlan)
			c.add(g)
			f.Cause = g.ID
		case other == office.Untagged && compiled.Untagged.Has(plug.Wants):
			f.Text = fmt.Sprintf("%s wants %s tagged, and the port sends it untagged.", who, vlan)
		default:
			f.Text = fmt.Sprintf("%s wants %s %s, and the port does not give it.", who, vlan, form)
		}
		c.add(f)
	}
}

// lost says what becomes of the frames that a plug sends, which do not join the
// VLAN that it wants.
func (c *check) lost(dev, at int, p *office.Plug) string {
	w := bridge.Untagged
	if p.Tagged {
		w = bridge.Wire(p.Wants)
	}
	switch domain, why := c.n.Tables[dev].Ingress(at, w); {
	case why != bridge.Passed:
		return "is dropped: " + why.String()
	case domain.Keep:
		return fmt.Sprintf("stays in group %d with its tag", domain.VID)
	default:
		return "joins " + c.n.Name(domain.VID)
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
	device := c.n.Office.Devices[i]
	for b := range device.Ports {
		x := &device.Ports[b]
		if x.Kind != office.Bundle {
			continue
		}
		ref := office.PortRef{Device: device.Name, Port: x.Name}
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
			c.add(Finding{Code: BundleCrossed, Ports: []office.PortRef{ref}, ID: about(BundleCrossed, ref),
				Text: fmt.Sprintf("The cables of the bundle %s go to %s: a bundle ends in one place.", portName(ref), some(ends, 4))})
		}
		if device.Adjacent && slices.Max(x.Members)-slices.Min(x.Members) != len(x.Members)-1 {
			c.add(Finding{Code: BundleGap, Ports: []office.PortRef{ref}, ID: about(BundleGap, ref),
				Text: fmt.Sprintf("%s takes only neighbouring ports into a bundle, and %s has %s.", device.Name, x.Name, c.portList(memberRefs(device, x), 4))})
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
	device := c.n.Office.Devices[dev]
	speeds := map[office.Speed]bool{}
	var names []string
	add := func(s office.Speed) {
		if s != 0 && !speeds[s] {
			speeds[s] = true
			names = append(names, s.String())
		}
	}
	for _, m := range device.Ports[b].Members {
		add(device.Ports[m].Speed)
	}
	own := len(names)
	for _, l := range c.n.Topo.LinksAt(dev, b) {
		for _, k := range c.n.Topo.Links[l].Cables {
			cable := c.n.Office.Cables[k]
			for _, r := range []office.PortRef{cable.A, cable.B} {
				if x := c.n.Office.Device(r.Device); x != device && own < 2 {
					// said at the end whose name comes first
					if device.Name < x.Name {
						add(x.Ports[x.Port(r.Port)].Speed)
					}
				}
			}
		}
	}
	if len(names) > 1 {
		c.add(Finding{Code: BundleUneven, Ports: []office.PortRef{ref}, ID: about(BundleUneven, ref),
			Text: fmt.Sprintf("The bundle %s joins ports of %s: the slower ones are left out, or drop what does not fit.", portName(ref), listed(names))})
	}
}

// LimitsPassed says in sentences which limits a device passes in an office and did
// not pass in another.
func LimitsPassed(was, is *span.Net, dev int) (out []string) {
	before := findIn(was, func(c *check) { c.limitPassed(dev) })
	for _, f := range findIn(is, func(c *check) { c.limitPassed(dev) }) {
		if !slices.ContainsFunc(before, func(b Finding) bool { return b.ID == f.ID }) {
			out = append(out, f.Text)
		}
	}
	return out
}

// limitPassed: a device is asked for more VLANs, addresses, zones or rows than
// it takes. Rows are what a grouped device keeps for tagged VIDs: one a port
// and VLAN.
func (c *check) limitPassed(i int) {
	device := c.n.Office.Devices[i]
	if device.Limits == (office.Limits{}) {
		return
	}
	var vlans office.Set
	rows := 0
	for _, compiled := range c.n.Tables[i].Ports {
		if compiled.Off {
			continue
		}
		m := compiled.Members()
		vlans.AddAll(&m)
		rows += compiled.Tagged.Len()
	}
	zones := map[string]bool{}
	for _, a := range device.Addresses {
		vlans.Add(a.VID)
		if a.Zone != "" {
			zones[a.Zone] = true
		}
	}
	for _, l := range []struct {
		what     string
		has, max int
	}{
		{"VLANs", vlans.Len(), device.Limits.VLANs}, {"addresses", len(device.Addresses), device.Limits.Addresses},
		{"zones", len(zones), device.Limits.Zones}, {"rows of tagged VIDs", rows, device.Limits.Rows},
	} {
		if l.max > 0 && l.has > l.max {
			c.add(Finding{Code: LimitPassed, ID: about(LimitPassed, device.Name, l.what), Devices: []string{device.Name},
				Text: fmt.Sprintf("%s would need %d %s and takes %d.", device.Name, l.has, l.what, l.max)})
		}
	}
}

// unsayable: the device's wording cannot express a port's shape, so the plan
// cannot be entered as it is.
func (c *check) unsayable(i int) {
	d := c.n.Office.Devices[i]
	for _, u := range wording.Unsaid(c.n, i) {
		at := port{i, u.Port, office.PortRef{Device: d.Name, Port: d.Ports[u.Port].Name}}
		near := u.Nearest.Shape()
		fault := portFault{at: at, code: Unsayable, key: fmt.Sprintf("%s; %s", u.Why, notation.Shape(near)), mends: shapes(near),
			text: fmt.Sprintf(
				"%s asks %s, and cannot be told what %s should be: %s. What comes nearest is %s.",
				d.Name,
				wording.Spaced(string(d.Wording.Name)),
				here,
				u.Why,
				notation.Shape(near),
			)}
		if v := c.parking(); near.Off && v != 0 {
			fault.mends = append(fault.mends, &office.Shape{Untagged: []office.VID{v}})
			fault.text = strings.TrimSuffix(fault.text, ".") + fmt.Sprintf(", or the port parked in %s.", c.n.Name(v))
		}
		fault.more = func() [][]string { return c.elsewhere(i, u.Port) }
		c.port(fault)
	}
	c.gather(i)
}

// parking is a VLAN in which ports are put away, 0 where there is none.
func (c *check) parking() office.VID {
	for _, v := range c.n.Office.VLANs {
		if v.Local && v.VID != office.DefaultVID && c.n.IsParked(v.VID) {
			return v.VID
		}
	}
	return 0
}

// elsewhere moves what is plugged into a port to a free port of another device
// whose wording can say what it wants: nothing where that cannot be.
func (c *check) elsewhere(i, p int) [][]string {
	d := c.n.Office.Devices[i]
	from := office.PortRef{Device: d.Name, Port: d.Ports[p].Name}
	shape, _ := c.n.Shape(i, p)
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
	for _, j := range c.n.Topo.Outwards(c.n.Office) {
		w := wording.For(c.n, j)
		if w == nil || j == i {
			continue
		}
		plan := wording.Planned(c.n, j)
		for q := range w.Ports {
			to := office.PortRef{Device: w.Name, Port: w.Ports[q].Name}
			if now, _ := c.n.Shape(j, q); w.Ports[q].Kind != office.Physical || w.Ports[q].Bundle > 0 || taken[to] || len(c.n.Topo.LinksAt(j, q)) > 0 ||
				len(now.Untagged)+len(now.Tagged) > 0 {
				continue
			}
			if len(wording.Cannot(w, plan.With(q, wording.Of(shape)))) > len(wording.Cannot(w, plan)) {
				break // its other ports are asked for alike
			}
			for _, g := range c.n.Office.Plugs {
				if g.Port == from {
					g.Port = to
					lines = append(lines, notation.Thing(g))
				}
			}
			return [][]string{append(lines, set(to, *shape), set(from, office.Shape{Off: true}))}
		}
	}
	return nil
}
