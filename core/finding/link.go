package finding

import (
	"fmt"
	"slices"

	"klammer/core/graph"
	"klammer/core/notation"
	"klammer/core/office"
)

// link finds what is wrong with one cable, or one bundle's cables.
func (c *check) link(l int) {
	c.untaggedMismatch(l)
	c.tagIntoUnaware(l)
	c.bundleEnds(l)
	c.carriesUnneeded(l)
	c.neededDiffers(l)
}

// untaggedMismatch: untagged frames leave one end of a cable as one VLAN and
// join another at the other end.
func (c *check) untaggedMismatch(at int) {
	from, to, fromA, ok := c.net.Mismatch(at)
	if !ok {
		return
	}
	link := &c.net.Topo.Links[at]
	end, other := link.A, link.B
	if !fromA {
		end, other = other, end
	}
	finding := Finding{Code: UntaggedMismatch, VLANs: []office.VID{from, to}, Ports: []office.PortRef{c.net.Ref(link.A), c.net.Ref(link.B)},
		ID: about(UntaggedMismatch, c.net.Ref(link.A), c.net.Ref(link.B))}
	slices.Sort(finding.VLANs)
	finding.Label = fmt.Sprintf("%d ≠ %d untagged", from, to)
	finding.Text = fmt.Sprintf("Untagged frames leave %s as %s and join %s at %s.", portName(c.net.Ref(end)), c.net.Name(from), c.net.Name(to), portName(c.net.Ref(other)))
	// Either end may be the right one; the VLAN that management is in goes first.
	one := []string{set(c.net.Ref(other), c.nativeAs(other, end, from))}
	two := []string{set(c.net.Ref(end), c.nativeAs(end, other, to))}
	finding.Mends = [][]string{one, two}
	if c.managed(to) && !c.managed(from) {
		finding.Mends = [][]string{two, one}
	}
	c.add(finding)
}

// nativeAs is the shape of an end with vid as its untagged VLAN. The one before
// goes on tagged where the other end has it so.
//
//	> core 7: 110 [140 160 190]
//	untagged-mismatch: Untagged frames leave core 7 as 110 reception and join 190 devices at
//	    floor 8.
//	  mend: core 7: 190 [110 140 160]
//	  mend: floor 8: 110 [needed]
//	merged: 110 reception and 190 devices are one: what is sent in the one arrives in the
//	    other. They meet on the cable core 7 to floor 8.
//	management-cut: From admin laptop at core 5 there is no way to the management of floor in
//	    190 devices.
//	way-back: What goes from 110 reception to the outside arrives, and its answer does not:
//	    gate sends it into 110 reception, and who it is for is not in the same part of it
//	    (there over gate and back over gate).
func (c *check) nativeAs(end, far graph.End, vid office.VID) office.Shape {
	shape := c.net.Carrying(end.Dev, end.Port, office.Untagged, vid)
	if shape.Rest == office.RestNone {
		for other := range c.net.Port(end).Untagged.All() {
			if other != vid && c.net.Port(far).Tagged.Has(other) {
				shape = shape.With(other, office.Tagged)
			}
		}
	}
	return shape
}

// neededDiffers: one end of a cable takes what is needed and the other, written
// out, lacks some of it or has more: what the one end says of itself is not
// what the cable does.
//
// Many branches: either end or both may say needed, and each way to mend it is offered
// where it changes something.
func (c *check) neededDiffers(link int) {
	one := &c.net.Topo.Links[link]
	for _, end := range one.Ends() {
		far := one.Opposite(end)
		shape, _ := c.net.Shape(end.Dev, end.Port)
		other, _ := c.net.Shape(far.Dev, far.Port)
		if shape.Rest != office.RestNeeded || !c.net.Aware(end.Dev) || !c.net.Aware(far.Dev) || shape.Off || other.Off {
			continue
		}
		if end == one.B && other.Rest == office.RestNeeded {
			continue // both ends say needed: told at the first
		}
		compiled, q := c.net.Port(end), c.net.Port(far)
		mine, theirs := compiled.Members(), q.Members()
		lacks, more := mine.Minus(&theirs), theirs.Minus(&mine)
		if lacks.Empty() && more.Empty() {
			continue
		}
		if from, to, _, ok := c.net.Mismatch(link); ok { // told as what it is
			for _, vid := range []office.VID{from, to} {
				lacks.Remove(vid)
				more.Remove(vid)
			}
			if lacks.Empty() && more.Empty() {
				continue
			}
		}
		all := lacks
		all.AddAll(&more)
		finding := Finding{Code: NeededDiffers, VLANs: all.VIDs(), Ports: []office.PortRef{c.net.Ref(one.A), c.net.Ref(one.B)}, ID: about(NeededDiffers, c.net.Ref(one.A), c.net.Ref(one.B))}
		finding.Label = brackets(finding.VLANs) + " at one end"
		var says []string
		if vs := lacks.VIDs(); len(vs) > 0 {
			says = append(says, "lacks "+c.vlanNames(vs))
		}
		if vs := more.VIDs(); len(vs) > 0 {
			says = append(says, "has "+c.vlanNames(vs)+" beyond it")
		}
		finding.Text = fmt.Sprintf("%s takes what is needed on the cable, and %s, written out, %s.", portName(c.net.Ref(end)), portName(c.net.Ref(far)), listed(says))
		if other.Rest == office.RestNeeded {
			finding.Text = fmt.Sprintf(
				"Both ends of the cable %s to %s take what is needed, and %s, written out beside it, %s.",
				portName(c.net.Ref(end)),
				portName(c.net.Ref(far)),
				portName(c.net.Ref(far)),
				listed(says),
			)
		}
		// Either both ends take what is needed and no more, or the far end
		// gets what it lacks.
		plain := func(x graph.End) office.Shape {
			s, _ := c.net.Shape(x.Dev, x.Port)
			w := *s
			w.Tagged, w.Rides, w.Rest = nil, nil, office.RestNeeded
			return w.Normal()
		}
		var m []string
		for _, x := range one.Ends() {
			if was, _ := c.net.Shape(x.Dev, x.Port); !was.Equal(plain(x)) {
				m = append(m, set(c.net.Ref(x), plain(x)))
			}
		}
		finding.Mends = [][]string{m}
		if !lacks.Empty() && more.Empty() {
			finding.Mends = append(finding.Mends, []string{set(c.net.Ref(far), c.net.Carrying(far.Dev, far.Port, office.Tagged, lacks.VIDs()...))})
		}
		c.add(finding)
		return
	}
}

// managed says whether any device is managed in vid.
func (c *check) managed(vid office.VID) bool {
	return slices.ContainsFunc(c.net.Office.Devices, func(device *office.Device) bool { return device.Manage != nil && device.Manage.VID == vid })
}

// tagIntoUnaware: tagged frames leave into a device that drops them.
//
//	> device desk switch; forwarding unaware; ports 1-5; cable core.6 desk.1; core 6: [110]; plug desk.2 "second pc" wants 110
//	plug-unserved: second pc at desk 2 wants 110 reception, which does not come untagged into
//	    desk: it knows no tags, so its cable decides.
func (c *check) tagIntoUnaware(at int) {
	link := &c.net.Topo.Links[at]
	for _, end := range link.Ends() {
		into, compiled := link.Opposite(end), c.net.Port(end)
		if !c.dropsTags(end, into) {
			continue
		}
		vs := compiled.Tagged.VIDs()
		finding := Finding{Code: TagIntoUnaware, VLANs: vs, Ports: []office.PortRef{c.net.Ref(link.A), c.net.Ref(link.B)}, ID: about(TagIntoUnaware, c.net.Ref(link.A), c.net.Ref(link.B))}
		finding.Label = "tags are dropped"
		finding.Text = fmt.Sprintf("%s sends %s tagged to %s, which drops frames with a tag.", portName(c.net.Ref(end)), c.vlanNames(vs), c.net.Office.Devices[into.Dev].Name)
		shape, _ := c.net.Shape(end.Dev, end.Port)
		other := *shape
		other.Tagged, other.Rides, other.Rest = nil, nil, office.RestNone
		finding.Mends = [][]string{{set(c.net.Ref(end), other.Normal())}}
		c.add(finding)
	}
}

// dropsTags says whether tagged frames leave by an end into a device that drops
// them.
//
//	> device desk switch; forwarding unaware drops-tagged; ports 1-5; cable core.1 desk.1; plug desk.2 phone wants 140 tagged
//	plug-unserved: reception pc at core 1 is plugged in where a cable to desk 1 is: a port
//	    takes one of the two.
//	plug-unserved: phone at desk 2 wants 140 phones tagged, and desk drops frames with a tag.
//	tag-into-unaware: core 1 sends 140 phones tagged to desk, which drops frames with a tag.
//	  mend: core 1: 110
func (c *check) dropsTags(end, into graph.End) bool {
	return c.net.Office.Devices[into.Dev].Forwarding == office.UnawareDrops && c.net.Aware(end.Dev) &&
		!c.net.Port(end).Off && !c.net.Port(into).Off && !c.net.Port(end).Tagged.Empty()
}

// carriesUnneeded: a cable carries VLANs that nothing beyond it needs: every
// broadcast of theirs crosses it for nothing, and who reaches its end is in
// them.
func (c *check) carriesUnneeded(link int) {
	carry := c.net.Carry(link)
	any := carry.AB
	any.AddAll(&carry.BA)
	un := any.Minus(c.net.Needed(link))
	if un.Empty() {
		return
	}
	one := &c.net.Topo.Links[link]
	var named office.Set // as all, a VLAN is carried by nobody's choice
	for _, end := range one.Ends() {
		if shape, _ := c.net.Shape(end.Dev, end.Port); c.net.Aware(end.Dev) {
			for _, vid := range shape.Untagged {
				named.Add(vid)
			}
			for _, vid := range shape.Tagged {
				named.Add(vid)
			}
		}
	}
	if un = un.And(&named); un.Empty() {
		return
	}
	if !c.net.Aware(one.A.Dev) && !c.net.Aware(one.B.Dev) {
		return
	}
	vs := un.VIDs()
	finding := Finding{Code: CarriesUnneeded, VLANs: vs, Ports: []office.PortRef{c.net.Ref(one.A), c.net.Ref(one.B)}, ID: about(CarriesUnneeded, c.net.Ref(one.A), c.net.Ref(one.B))}
	finding.Text = fmt.Sprintf("The cable %s to %s carries %s, which nothing beyond it needs.", portName(c.net.Ref(one.A)), portName(c.net.Ref(one.B)), c.vlanNames(vs))
	var m []string
	for _, end := range one.Ends() {
		if !c.net.Aware(end.Dev) {
			continue
		}
		shape := c.without(end, &un)
		if was, _ := c.net.Shape(end.Dev, end.Port); !was.Equal(shape) {
			m = append(m, set(c.net.Ref(end), shape))
		}
	}
	finding.Mends = [][]string{m}
	c.add(finding)
}

// without is the shape of a port with some VLANs taken off.
func (c *check) without(end graph.End, gone *office.Set) office.Shape {
	was, _ := c.net.Shape(end.Dev, end.Port)
	return was.Without(gone)
}

// bundleEnds is the ways in which the cables of a bundle go wrong; but for bundle-partial, each
// says that some of its frames are lost, by the luck of which cable they take.
//
//	bundle-one-sided  cable a.up b.1-2      b's ports are in no bundle
//	bundle-crossed    a's bundle is cabled to two bundles, or to two devices
//	bundle-uneven     ports of 1G and 10G in one bundle, or at its two ends
//	bundle-mode       bundle up lacp 1-2    meets    bundle up static 1-2
//	bundle-partial    ports of a bundle have no cable
func (c *check) bundleEnds(link int) {
	one := &c.net.Topo.Links[link]
	port, other := c.at(one.A), c.at(one.B)
	ra, rb := c.net.Ref(one.A), c.net.Ref(one.B)
	ports := []office.PortRef{ra, rb}
	if port.Kind != office.Bundle && other.Kind != office.Bundle {
		return
	}
	if port.Kind != other.Kind {
		bundle, single := one.A, one.B
		if other.Kind == office.Bundle {
			bundle, single = one.B, one.A
		}
		finding := Finding{Code: BundleOneSided, Label: "bundle at one end", Ports: ports, ID: about(BundleOneSided, ra, rb),
			Text: fmt.Sprintf(
				"A cable of the bundle %s goes to %s, which is in no bundle: frames that take this cable come back on the others, or not at all.",
				portName(c.net.Ref(bundle)),
				portName(c.net.Ref(single)),
			)}
		c.oneSided(&finding, link, bundle, single)
		c.add(finding)
		return
	}
	c.bundlePartial(link)
	if port.Mode != other.Mode {
		lacp, static := ra, rb
		if port.Mode == office.Static {
			lacp, static = rb, ra
		}
		finding := Finding{Code: BundleMode, Label: "lacp ≠ static", Ports: ports, ID: about(BundleMode, ra, rb),
			Text: fmt.Sprintf("%s waits for LACP and %s is static: the bundle does not come up, or only one cable of it does.", portName(lacp), portName(static))}
		for _, end := range one.Ends() {
			device := c.net.Office.Devices[end.Dev]
			x := &device.Ports[end.Port]
			if x.Mode == office.Static {
				finding.Mends = append(finding.Mends, []string{fmt.Sprintf("%s bundle %s %s %s", device.Name, quoted(x.Name), office.LACP, notation.Ports(device, x.Members))})
			}
		}
		c.add(finding)
	}
}

// bundlePartial says of a cable between two bundles that ports of theirs have none. Where a
// bundle's cables go to several devices, that is the fault.
func (c *check) bundlePartial(link int) {
	one := &c.net.Topo.Links[link]
	var free [2][]office.PortRef // by end
	for side, end := range one.Ends() {
		if len(c.net.Topo.LinksAt(end.Dev, end.Port)) != 1 {
			return
		}
		device := c.net.Office.Devices[end.Dev]
		for _, member := range device.Ports[end.Port].Members {
			ref := office.PortRef{Device: device.Name, Port: device.Ports[member].Name}
			if !slices.ContainsFunc(one.Cables, func(k int) bool {
				cable := c.net.Office.Cables[k]
				return cable.A == ref || cable.B == ref
			}) {
				free[side] = append(free[side], ref)
			}
		}
	}
	if len(free[0])+len(free[1]) == 0 {
		return
	}
	ra, rb := c.net.Ref(one.A), c.net.Ref(one.B)
	var names, mend []string
	for _, list := range free {
		for _, port := range list {
			names = append(names, portName(port))
		}
	}
	for k := range min(len(free[0]), len(free[1])) {
		mend = append(mend, fmt.Sprintf("cable %s %s", notation.Ref(free[0][k]), notation.Ref(free[1][k])))
	}
	cables := fmt.Sprintf("%d cables", len(one.Cables))
	if len(one.Cables) == 1 {
		cables = "one cable"
	}
	finding := Finding{Code: BundlePartial, Label: "bundle not whole", Ports: []office.PortRef{ra, rb}, ID: about(BundlePartial, ra, rb),
		Text: fmt.Sprintf("The bundle between %s and %s has %s, and none in %s: it carries less than it is meant to, and falls with what is plugged.", portName(ra), portName(rb), cables, listed(names))}
	if len(mend) > 0 {
		finding.Mends = [][]string{mend}
	}
	c.add(finding)
}

// oneSided says what a one-sided bundle follows from, and how the other end
// becomes a bundle too: its cables are one fault, and where they go to several
// devices, that is the fault.
//
//	> core bundle up lacp 3,6
//	! column 21: port 3 has a shape of its own: set the bundle up instead
func (c *check) oneSided(finding *Finding, link int, bundle, single graph.End) {
	links := c.net.Topo.LinksAt(bundle.Dev, bundle.Port)
	var far []int
	for _, at := range links {
		end := c.net.Topo.Links[at].Opposite(bundle)
		if end.Dev != single.Dev {
			finding.Cause = about(BundleCrossed, c.net.Ref(bundle))
			return
		}
		if c.at(end).Kind == office.Physical {
			far = append(far, end.Port)
		}
	}
	if one := &c.net.Topo.Links[links[0]]; links[0] != link && c.at(one.A).Kind != c.at(one.B).Kind {
		finding.Cause = about(BundleOneSided, c.net.Ref(one.A), c.net.Ref(one.B))
	}
	device, port := c.net.Office.Devices[single.Dev], c.at(bundle)
	if len(far) != len(links) || len(far) != len(port.Members) || device.Port(port.Name) >= 0 {
		return
	}
	slices.Sort(far)
	list := notation.Ports(device, far)
	shape, _ := c.net.Shape(single.Dev, far[0])
	name := office.PortRef{Device: device.Name, Port: port.Name}
	finding.Mends = [][]string{{
		fmt.Sprintf("-%s %s", device.Name, list),
		fmt.Sprintf("%s bundle %s %s %s", device.Name, quoted(port.Name), port.Mode, list),
		set(name, *shape),
	}}
}

func quoted(name string) string { return notation.Name(name) }

func (c *check) at(end graph.End) *office.Port { return &c.net.Office.Devices[end.Dev].Ports[end.Port] }
