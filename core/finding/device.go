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
	device := c.net.Office.Devices[i]
	if c.net.Aware(i) {
		for one := range device.Ports {
			compiled := c.net.Tables[i].Ports[one]
			if device.Ports[one].Bundle > 0 || compiled.Off || compiled.Access != 0 && (compiled.Access == office.DefaultVID || c.net.Registered().Has(compiled.Access)) {
				continue // shut, or nothing to go wrong
			}
			at := port{i, one, office.PortRef{Device: device.Name, Port: device.Ports[one].Name}}
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
//
//	> core manage 300
//	management-cut: From admin laptop at core 5 there is no way to the management of core in
//	    300.
//	unregistered: core is managed in VLAN 300, which the register does not know.
func (c *check) managedUnregistered(i int) {
	device := c.net.Office.Devices[i]
	if device.Manage == nil || device.Manage.VID == office.DefaultVID || c.net.Registered().Has(device.Manage.VID) {
		return
	}
	c.add(Finding{Code: Unregistered, VLANs: []office.VID{device.Manage.VID}, ID: about(Unregistered, device.Name, "managed in", device.Manage.VID), Devices: []string{device.Name},
		Text: fmt.Sprintf("%s is managed in VLAN %d, which the register does not know.", device.Name, device.Manage.VID)})
}

// bridges says whether PVIDs count on a device: in a grouped one the group is
// the PVID.
func (c *check) bridges(dev int) bool {
	forwarding := c.net.Office.Devices[dev].Forwarding
	return forwarding == office.Bridge || forwarding == office.Routed
}

// plugUnserved: a plug wants a VLAN that its port does not give in that form.
//
// It is served only if both ways are open: what leaves the port comes in that
// form, and what the plug sends joins its VLAN. A plug that wants it untagged
// and finds it tagged has tag-into-unaware as the cause.
func (c *check) plugUnserved(i int) {
	device := c.net.Office.Devices[i]
	for _, k := range c.net.Topo.PlugsAt(i) {
		plug := &c.net.Office.Plugs[k]
		at := device.Logical(device.Port(plug.Port.Port))
		compiled := c.net.Tables[i].Ports[at]
		form, as, other := "untagged", office.Untagged, office.Tagged
		if plug.Tagged {
			form, as, other = "tagged", office.Tagged, office.Untagged
		}
		who, vlan := fmt.Sprintf("%s at %s", plug.Name, portName(plug.Port)), c.net.Name(plug.Wants)
		finding := Finding{Code: PlugUnserved, VLANs: []office.VID{plug.Wants}, Ports: []office.PortRef{plug.Port}, ID: about(PlugUnserved, plug.Port, plug.Name)}
		if _, far, ok := c.net.Office.CableAt(plug.Port); ok {
			finding.Text = fmt.Sprintf("%s is plugged in where a cable to %s is: a port takes one of the two.", who, portName(far))
			c.add(finding)
			continue
		}
		if !c.net.Aware(i) {
			switch {
			case compiled.Off:
				finding.Text = fmt.Sprintf("%s wants %s, and the port is shut.", who, vlan)
				finding.Mends = [][]string{{set(plug.Port, office.Shape{})}}
				c.add(finding)
			case plug.Tagged && device.Forwarding == office.UnawareDrops:
				finding.Text = fmt.Sprintf("%s wants %s tagged, and %s drops frames with a tag.", who, vlan, device.Name)
				c.add(finding)
			}
			continue
		}
		if c.net.Gives(i, at, plug.Wants, plug.Tagged) {
			continue
		}
		finding.Mends = [][]string{{set(office.PortRef{Device: device.Name, Port: device.Ports[at].Name}, c.net.Carrying(i, at, as, plug.Wants))}}
		leaves := compiled.Of(plug.Wants) == as && (as == office.Untagged || compiled.WireOf(plug.Wants).VID() == plug.Wants)
		switch {
		case compiled.Off:
			finding.Text = fmt.Sprintf("%s wants %s, and the port is shut.", who, vlan)
		case leaves:
			if one := (port{dev: i, port: at}); as == office.Untagged && c.dropsPVID(one) {
				shape, _ := c.net.Shape(i, at)
				drops := portFault{code: PVIDNotMember, vlans: append([]office.VID{compiled.PVID}, shape.Untagged...)}
				finding.Cause = drops.id(device)
			}
			finding.Text = fmt.Sprintf("%s wants %s %s and hears it, but what it sends %s.", who, vlan, form, c.lost(i, at, plug))
		case compiled.Of(plug.Wants) == as:
			finding.Text = fmt.Sprintf("%s wants %s tagged, and the port sends it tagged as VID %d.", who, vlan, compiled.WireOf(plug.Wants))
		case other == office.Tagged && compiled.Tagged.Has(plug.Wants):
			finding.Text = fmt.Sprintf("%s wants %s untagged, and the port gives it tagged only.", who, vlan)
			one := Finding{Code: TagIntoUnaware, VLANs: []office.VID{plug.Wants}, Ports: []office.PortRef{plug.Port}, ID: about(TagIntoUnaware, plug.Port, plug.Name), Mends: finding.Mends}
			one.Text = fmt.Sprintf("%s wants %s untagged, and finds it only tagged.", who, vlan)
			c.add(one)
			finding.Cause = one.ID
		case other == office.Untagged && compiled.Untagged.Has(plug.Wants):
			finding.Text = fmt.Sprintf("%s wants %s tagged, and the port sends it untagged.", who, vlan)
		default:
			finding.Text = fmt.Sprintf("%s wants %s %s, and the port does not give it.", who, vlan, form)
		}
		c.add(finding)
	}
}

// lost says what becomes of the frames that a plug sends, which do not join the
// VLAN that it wants.
func (c *check) lost(dev, at int, plug *office.Plug) string {
	wire := bridge.Untagged
	if plug.Tagged {
		wire = bridge.Wire(plug.Wants)
	}
	switch domain, why := c.net.Tables[dev].Ingress(at, wire); {
	case why != bridge.Passed:
		return "is dropped: " + why.String()
	case domain.Keep:
		return fmt.Sprintf("stays in group %d with its tag", domain.VID)
	default:
		return "joins " + c.net.Name(domain.VID)
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
	device := c.net.Office.Devices[i]
	for port := range device.Ports {
		one := &device.Ports[port]
		if one.Kind != office.Bundle {
			continue
		}
		ref := office.PortRef{Device: device.Name, Port: one.Name}
		c.bundleSpeeds(i, port, ref)
		var ends []string
		bundles, devices := 0, map[int]bool{}
		for _, link := range c.net.Topo.LinksAt(i, port) {
			k := &c.net.Topo.Links[link]
			far := k.B
			if far.Dev == i && far.Port == port {
				far = k.A
			}
			ends = append(ends, portName(c.net.Ref(far)))
			devices[far.Dev] = true
			if c.at(far).Kind == office.Bundle {
				bundles++
			}
		}
		if bundles > 1 || len(devices) > 1 {
			c.add(Finding{Code: BundleCrossed, Ports: []office.PortRef{ref}, ID: about(BundleCrossed, ref),
				Text: fmt.Sprintf("The cables of the bundle %s go to %s: a bundle ends in one place.", portName(ref), some(ends, 4))})
		}
		if device.Adjacent && slices.Max(one.Members)-slices.Min(one.Members) != len(one.Members)-1 {
			c.add(Finding{Code: BundleGap, Ports: []office.PortRef{ref}, ID: about(BundleGap, ref),
				Text: fmt.Sprintf("%s takes only neighbouring ports into a bundle, and %s has %s.", device.Name, one.Name, c.portList(memberRefs(device, one), 4))})
		}
	}
}

// memberRefs is a bundle's member ports.
func memberRefs(device *office.Device, port *office.Port) []office.PortRef {
	var refs []office.PortRef
	for _, at := range port.Members {
		refs = append(refs, office.PortRef{Device: device.Name, Port: device.Ports[at].Name})
	}
	return refs
}

// bundleSpeeds complains of a bundle whose ports have different speeds: IEEE 802.1AX aggregates
// links of one speed.
//
//	> core ports 1-2 1G, 3 10G; -core 1,3; core bundle up lacp 1,3
//	plug-unserved: reception pc at core 1 wants 110 reception untagged, and the port does not
//	    give it.
//	  mend: core up: 110
//	bundle-uneven: The bundle core up joins ports of 1G and 10G: the slower ones are left out,
//	    or drop what does not fit.
func (c *check) bundleSpeeds(dev, port int, ref office.PortRef) {
	device := c.net.Office.Devices[dev]
	speeds := map[office.Speed]bool{}
	var names []string
	add := func(speed office.Speed) {
		if speed != 0 && !speeds[speed] {
			speeds[speed] = true
			names = append(names, speed.String())
		}
	}
	for _, at := range device.Ports[port].Members {
		add(device.Ports[at].Speed)
	}
	own := len(names)
	for _, link := range c.net.Topo.LinksAt(dev, port) {
		for _, k := range c.net.Topo.Links[link].Cables {
			cable := c.net.Office.Cables[k]
			for _, other := range []office.PortRef{cable.A, cable.B} {
				if one := c.net.Office.Device(other.Device); one != device && own < 2 {
					// said at the end whose name comes first
					if device.Name < one.Name {
						add(one.Ports[one.Port(other.Port)].Speed)
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
	before := findIn(was, func(check *check) { check.limitPassed(dev) })
	for _, finding := range findIn(is, func(check *check) { check.limitPassed(dev) }) {
		if !slices.ContainsFunc(before, func(other Finding) bool { return other.ID == finding.ID }) {
			out = append(out, finding.Text)
		}
	}
	return out
}

// limitPassed: a device is asked for more VLANs, addresses, zones or rows than
// it takes. Rows are what a grouped device keeps for tagged VIDs: one a port
// and VLAN.
//
//	> floor limit vlans 2
//	limit-passed: floor would need 4 VLANs and takes 2.
func (c *check) limitPassed(i int) {
	device := c.net.Office.Devices[i]
	if device.Limits == (office.Limits{}) {
		return
	}
	var vlans office.Set
	rows := 0
	for _, compiled := range c.net.Tables[i].Ports {
		if compiled.Off {
			continue
		}
		one := compiled.Members()
		vlans.AddAll(&one)
		rows += compiled.Tagged.Len()
	}
	zones := map[string]bool{}
	for _, address := range device.Addresses {
		vlans.Add(address.VID)
		if address.Zone != "" {
			zones[address.Zone] = true
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
//
//	> floor 6: 110+160 pvid 110
//	one-way: 160 guests leaves floor 6 untagged, and what comes back there does not join it:
//	    nothing that is asked is answered.
//	  mend: floor 6: 160
//	unsayable: floor asks by VLAN, and cannot be told what floor 6 should be: a port has one
//	    untagged VLAN. What comes nearest is 110 [160].
//	  mend: floor 6: 110 [160]
//	many-untagged: 110 reception and 160 guests leave floor 6 untagged, and what comes back
//	    joins 110 reception.
//	  mend: floor 6: 110
func (c *check) unsayable(i int) {
	device := c.net.Office.Devices[i]
	for _, unsayable := range wording.Unsaid(c.net, i) {
		at := port{i, unsayable.Port, office.PortRef{Device: device.Name, Port: device.Ports[unsayable.Port].Name}}
		near := unsayable.Nearest.Shape()
		fault := portFault{at: at, code: Unsayable, key: fmt.Sprintf("%s; %s", unsayable.Why, notation.Shape(near)), mends: shapes(near),
			text: fmt.Sprintf(
				"%s asks %s, and cannot be told what %s should be: %s. What comes nearest is %s.",
				device.Name,
				wording.Spaced(string(device.Wording.Name)),
				here,
				unsayable.Why,
				notation.Shape(near),
			)}
		if vid := c.parking(); near.Off && vid != 0 {
			fault.mends = append(fault.mends, &office.Shape{Untagged: []office.VID{vid}})
			fault.text = strings.TrimSuffix(fault.text, ".") + fmt.Sprintf(", or the port parked in %s.", c.net.Name(vid))
		}
		fault.more = func() [][]string { return c.elsewhere(i, unsayable.Port) }
		c.port(fault)
	}
	c.gather(i)
}

// parking is a VLAN in which ports are put away, 0 where there is none.
//
//	> core 6: 1
func (c *check) parking() office.VID {
	for _, vlan := range c.net.Office.VLANs {
		if vlan.Local && vlan.VID != office.DefaultVID && c.net.IsParked(vlan.VID) {
			return vlan.VID
		}
	}
	return 0
}

// elsewhere moves what is plugged into a port to a free port of another device
// whose wording can say what it wants: nothing where that cannot be.
func (c *check) elsewhere(i, port int) [][]string {
	device := c.net.Office.Devices[i]
	from := office.PortRef{Device: device.Name, Port: device.Ports[port].Name}
	shape, _ := c.net.Shape(i, port)
	taken := map[office.PortRef]bool{}
	var lines []string
	for _, plug := range c.net.Office.Plugs {
		taken[plug.Port] = true
		if plug.Port == from {
			lines = append(lines, "-"+notation.Removal(plug))
		}
	}
	if len(lines) == 0 || len(c.net.Topo.LinksAt(i, port)) > 0 {
		return nil
	}
	for _, j := range c.net.Topo.Outwards(c.net.Office) {
		one := wording.For(c.net, j)
		if one == nil || j == i {
			continue
		}
		plan := wording.Planned(c.net, j)
		for at := range one.Ports {
			to := office.PortRef{Device: one.Name, Port: one.Ports[at].Name}
			if now, _ := c.net.Shape(j, at); one.Ports[at].Kind != office.Physical || one.Ports[at].Bundle > 0 || taken[to] || len(c.net.Topo.LinksAt(j, at)) > 0 ||
				len(now.Untagged)+len(now.Tagged) > 0 {
				continue
			}
			if len(wording.Cannot(one, plan.With(at, wording.Of(shape)))) > len(wording.Cannot(one, plan)) {
				break // its other ports are asked for alike
			}
			for _, plug := range c.net.Office.Plugs {
				if plug.Port == from {
					plug.Port = to
					lines = append(lines, notation.Thing(plug))
				}
			}
			return [][]string{append(lines, set(to, *shape), set(from, office.Shape{Off: true}))}
		}
	}
	return nil
}
