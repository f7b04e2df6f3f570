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
func (c *check) untaggedMismatch(l int) {
	from, to, fromA, ok := c.n.Mismatch(l)
	if !ok {
		return
	}
	link := &c.n.Topo.Links[l]
	a, b := link.A, link.B
	if !fromA {
		a, b = b, a
	}
	f := Finding{Code: UntaggedMismatch, VLANs: []office.VID{from, to}, Ports: []office.PortRef{c.n.Ref(link.A), c.n.Ref(link.B)},
		ID: about(UntaggedMismatch, c.n.Ref(link.A), c.n.Ref(link.B))}
	slices.Sort(f.VLANs)
	f.Label = fmt.Sprintf("%d ≠ %d untagged", from, to)
	f.Text = fmt.Sprintf("Untagged frames leave %s as %s and join %s at %s.", portName(c.n.Ref(a)), c.n.Name(from), c.n.Name(to), portName(c.n.Ref(b)))
	// Either end may be the right one; the VLAN that management is in goes first.
	one := []string{set(c.n.Ref(b), c.nativeAs(b, a, from))}
	two := []string{set(c.n.Ref(a), c.nativeAs(a, b, to))}
	f.Mends = [][]string{one, two}
	if c.managed(to) && !c.managed(from) {
		f.Mends = [][]string{two, one}
	}
	c.add(f)
}

// nativeAs is the shape of an end with v as its untagged VLAN. The one before
// goes on tagged where the other end has it so.
func (c *check) nativeAs(e, far graph.End, v office.VID) office.Shape {
	shape := c.n.Carrying(e.Dev, e.Port, office.Untagged, v)
	if shape.Rest == office.RestNone {
		for u := range c.n.Port(e).Untagged.All() {
			if u != v && c.n.Port(far).Tagged.Has(u) {
				shape = shape.With(u, office.Tagged)
			}
		}
	}
	return shape
}

// neededDiffers: one end of a cable takes what is needed and the other, written
// out, lacks some of it or has more: what the one end says of itself is not
// what the cable does.
func (c *check) neededDiffers(link int) {
	k := &c.n.Topo.Links[link]
	for _, end := range k.Ends() {
		far := k.Opposite(end)
		s, _ := c.n.Shape(end.Dev, end.Port)
		t, _ := c.n.Shape(far.Dev, far.Port)
		if s.Rest != office.RestNeeded || !c.n.Aware(end.Dev) || !c.n.Aware(far.Dev) || s.Off || t.Off {
			continue
		}
		if end == k.B && t.Rest == office.RestNeeded {
			continue // both ends say needed: told at the first
		}
		p, q := c.n.Port(end), c.n.Port(far)
		mine, theirs := p.Members(), q.Members()
		lacks, more := mine.Minus(&theirs), theirs.Minus(&mine)
		if lacks.Empty() && more.Empty() {
			continue
		}
		if from, to, _, ok := c.n.Mismatch(link); ok { // told as what it is
			for _, v := range []office.VID{from, to} {
				lacks.Remove(v)
				more.Remove(v)
			}
			if lacks.Empty() && more.Empty() {
				continue
			}
		}
		all := lacks
		all.AddAll(&more)
		f := Finding{Code: NeededDiffers, VLANs: all.VIDs(), Ports: []office.PortRef{c.n.Ref(k.A), c.n.Ref(k.B)}, ID: about(NeededDiffers, c.n.Ref(k.A), c.n.Ref(k.B))}
		f.Label = brackets(f.VLANs) + " at one end"
		var says []string
		if vs := lacks.VIDs(); len(vs) > 0 {
			says = append(says, "lacks "+c.vlanNames(vs))
		}
		if vs := more.VIDs(); len(vs) > 0 {
			says = append(says, "has "+c.vlanNames(vs)+" beyond it")
		}
		f.Text = fmt.Sprintf("%s takes what is needed on the cable, and %s, written out, %s.", portName(c.n.Ref(end)), portName(c.n.Ref(far)), listed(says))
		if t.Rest == office.RestNeeded {
			f.Text = fmt.Sprintf(
				"Both ends of the cable %s to %s take what is needed, and %s, written out beside it, %s.",
				portName(c.n.Ref(end)),
				portName(c.n.Ref(far)),
				portName(c.n.Ref(far)),
				listed(says),
			)
		}
		// Either both ends take what is needed and no more, or the far end
		// gets what it lacks.
		plain := func(x graph.End) office.Shape {
			s, _ := c.n.Shape(x.Dev, x.Port)
			w := *s
			w.Tagged, w.Rides, w.Rest = nil, nil, office.RestNeeded
			return w.Normal()
		}
		var m []string
		for _, x := range k.Ends() {
			if was, _ := c.n.Shape(x.Dev, x.Port); !was.Equal(plain(x)) {
				m = append(m, set(c.n.Ref(x), plain(x)))
			}
		}
		f.Mends = [][]string{m}
		if !lacks.Empty() && more.Empty() {
			f.Mends = append(f.Mends, []string{set(c.n.Ref(far), c.n.Carrying(far.Dev, far.Port, office.Tagged, lacks.VIDs()...))})
		}
		c.add(f)
		return
	}
}

// managed says whether any device is managed in v.
func (c *check) managed(v office.VID) bool {
	return slices.ContainsFunc(c.n.Office.Devices, func(d *office.Device) bool { return d.Manage != nil && d.Manage.VID == v })
}

// tagIntoUnaware: tagged frames leave into a device that drops them.
func (c *check) tagIntoUnaware(l int) {
	link := &c.n.Topo.Links[l]
	for _, end := range link.Ends() {
		into, p := link.Opposite(end), c.n.Port(end)
		if !c.dropsTags(end, into) {
			continue
		}
		vs := p.Tagged.VIDs()
		f := Finding{Code: TagIntoUnaware, VLANs: vs, Ports: []office.PortRef{c.n.Ref(link.A), c.n.Ref(link.B)}, ID: about(TagIntoUnaware, c.n.Ref(link.A), c.n.Ref(link.B))}
		f.Label = "tags are dropped"
		f.Text = fmt.Sprintf("%s sends %s tagged to %s, which drops frames with a tag.", portName(c.n.Ref(end)), c.vlanNames(vs), c.n.Office.Devices[into.Dev].Name)
		s, _ := c.n.Shape(end.Dev, end.Port)
		t := *s
		t.Tagged, t.Rides, t.Rest = nil, nil, office.RestNone
		f.Mends = [][]string{{set(c.n.Ref(end), t.Normal())}}
		c.add(f)
	}
}

// dropsTags says whether tagged frames leave by an end into a device that drops
// them.
func (c *check) dropsTags(e, into graph.End) bool {
	return c.n.Office.Devices[into.Dev].Forwarding == office.UnawareDrops && c.n.Aware(e.Dev) &&
		!c.n.Port(e).Off && !c.n.Port(into).Off && !c.n.Port(e).Tagged.Empty()
}

// carriesUnneeded: a cable carries VLANs that nothing beyond it needs: every
// broadcast of theirs crosses it for nothing, and who reaches its end is in
// them.
func (c *check) carriesUnneeded(link int) {
	carry := c.n.Carry(link)
	any := carry.AB
	any.AddAll(&carry.BA)
	un := any.Minus(c.n.Needed(link))
	if un.Empty() {
		return
	}
	k := &c.n.Topo.Links[link]
	var named office.Set // as all, a VLAN is carried by nobody's choice
	for _, e := range k.Ends() {
		if s, _ := c.n.Shape(e.Dev, e.Port); c.n.Aware(e.Dev) {
			for _, v := range s.Untagged {
				named.Add(v)
			}
			for _, v := range s.Tagged {
				named.Add(v)
			}
		}
	}
	if un = un.And(&named); un.Empty() {
		return
	}
	if !c.n.Aware(k.A.Dev) && !c.n.Aware(k.B.Dev) {
		return
	}
	vs := un.VIDs()
	f := Finding{Code: CarriesUnneeded, VLANs: vs, Ports: []office.PortRef{c.n.Ref(k.A), c.n.Ref(k.B)}, ID: about(CarriesUnneeded, c.n.Ref(k.A), c.n.Ref(k.B))}
	f.Text = fmt.Sprintf("The cable %s to %s carries %s, which nothing beyond it needs.", portName(c.n.Ref(k.A)), portName(c.n.Ref(k.B)), c.vlanNames(vs))
	var m []string
	for _, end := range k.Ends() {
		if !c.n.Aware(end.Dev) {
			continue
		}
		s := c.without(end, &un)
		if was, _ := c.n.Shape(end.Dev, end.Port); !was.Equal(s) {
			m = append(m, set(c.n.Ref(end), s))
		}
	}
	f.Mends = [][]string{m}
	c.add(f)
}

// without is the shape of a port with some VLANs taken off.
func (c *check) without(e graph.End, gone *office.Set) office.Shape {
	was, _ := c.n.Shape(e.Dev, e.Port)
	return was.Without(gone)
}

// bundleEnds is the four ways in which the cables of a bundle go wrong; each
// says that some of its frames are lost, by the luck of which cable they take.
//
//	bundle-one-sided  cable a.up b.1-2      b's ports are in no bundle
//	bundle-crossed    a's bundle is cabled to two bundles, or to two devices
//	bundle-uneven     ports of 1G and 10G in one bundle, or at its two ends
//	bundle-mode       bundle up lacp 1-2    meets    bundle up static 1-2
func (c *check) bundleEnds(link int) {
	k := &c.n.Topo.Links[link]
	a, b := c.at(k.A), c.at(k.B)
	ra, rb := c.n.Ref(k.A), c.n.Ref(k.B)
	ports := []office.PortRef{ra, rb}
	if a.Kind != office.Bundle && b.Kind != office.Bundle {
		return
	}
	if a.Kind != b.Kind {
		bundle, single := k.A, k.B
		if b.Kind == office.Bundle {
			bundle, single = k.B, k.A
		}
		f := Finding{Code: BundleOneSided, Label: "bundle at one end", Ports: ports, ID: about(BundleOneSided, ra, rb),
			Text: fmt.Sprintf(
				"A cable of the bundle %s goes to %s, which is in no bundle: frames that take this cable come back on the others, or not at all.",
				portName(c.n.Ref(bundle)),
				portName(c.n.Ref(single)),
			)}
		c.oneSided(&f, link, bundle, single)
		c.add(f)
		return
	}
	if a.Mode != b.Mode {
		lacp, static := ra, rb
		if a.Mode == office.Static {
			lacp, static = rb, ra
		}
		f := Finding{Code: BundleMode, Label: "lacp ≠ static", Ports: ports, ID: about(BundleMode, ra, rb),
			Text: fmt.Sprintf("%s waits for LACP and %s is static: the bundle does not come up, or only one cable of it does.", portName(lacp), portName(static))}
		for _, e := range k.Ends() {
			d := c.n.Office.Devices[e.Dev]
			x := &d.Ports[e.Port]
			if x.Mode == office.Static {
				f.Mends = append(f.Mends, []string{fmt.Sprintf("%s bundle %s %s %s", d.Name, quoted(x.Name), office.LACP, notation.Ports(d, x.Members))})
			}
		}
		c.add(f)
	}
}

// oneSided says what a one-sided bundle follows from, and how the other end
// becomes a bundle too: its cables are one fault, and where they go to several
// devices, that is the fault.
func (c *check) oneSided(f *Finding, link int, bundle, single graph.End) {
	links := c.n.Topo.LinksAt(bundle.Dev, bundle.Port)
	var far []int
	for _, x := range links {
		end := c.n.Topo.Links[x].Opposite(bundle)
		if end.Dev != single.Dev {
			f.Cause = about(BundleCrossed, c.n.Ref(bundle))
			return
		}
		if c.at(end).Kind == office.Physical {
			far = append(far, end.Port)
		}
	}
	if k := &c.n.Topo.Links[links[0]]; links[0] != link && c.at(k.A).Kind != c.at(k.B).Kind {
		f.Cause = about(BundleOneSided, c.n.Ref(k.A), c.n.Ref(k.B))
	}
	device, x := c.n.Office.Devices[single.Dev], c.at(bundle)
	if len(far) != len(links) || len(far) != len(x.Members) || device.Port(x.Name) >= 0 {
		return
	}
	slices.Sort(far)
	list := notation.Ports(device, far)
	s, _ := c.n.Shape(single.Dev, far[0])
	name := office.PortRef{Device: device.Name, Port: x.Name}
	f.Mends = [][]string{{
		fmt.Sprintf("-%s %s", device.Name, list),
		fmt.Sprintf("%s bundle %s %s %s", device.Name, quoted(x.Name), x.Mode, list),
		set(name, *s),
	}}
}

func quoted(name string) string { return notation.Name(name) }

func (c *check) at(e graph.End) *office.Port { return &c.n.Office.Devices[e.Dev].Ports[e.Port] }
