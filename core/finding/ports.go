package finding

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// port is a port that a finding is about.
type port struct {
	dev, port int
	ref       office.PortRef
}

// portFault is a fault of one port. Ports of a device with the same fault are
// one finding.
type portFault struct {
	at    port
	code  Code
	vlans []office.VID
	key   string // what else tells it from another fault of the code and VLANs
	// text is the sentence, with [here] where the ports are named.
	text  string
	cause string
	mends []*office.Shape // what the port may be set to instead; nil is what its plan says
	// more is further mends, where the port is the only one; nil for none.
	more func() [][]string
}

// here stands for the ports in the text of a [portFault]; hereIs for the ports
// with the verb.
const (
	here   = "\x00"
	hereIs = "\x01"
)

// id is the same for all ports that share the fault.
func (p *portFault) id(device *office.Device) string {
	what := []any{device.Name}
	if len(p.vlans) > 0 {
		vs := office.SetOf(p.vlans...)
		what = append(what, vs.Ranges())
	}
	if p.key != "" {
		what = append(what, p.key)
	}
	return about(p.code, what...)
}

func (c *check) port(fault portFault) { c.ports = append(c.ports, fault) }

// gather makes findings of the faults of a device's ports.
func (c *check) gather(i int) {
	device := c.net.Office.Devices[i]
	byID := map[string][]portFault{}
	var order []string
	last, id := portFault{}, ""
	for _, fault := range c.ports {
		if id == "" || fault.code != last.code || fault.key != last.key || !slices.Equal(fault.vlans, last.vlans) {
			id = fault.id(device)
		}
		last = fault
		if byID[id] == nil {
			order = append(order, id)
		}
		byID[id] = append(byID[id], fault)
	}
	for _, id := range order {
		all := byID[id]
		first := all[0]
		finding := Finding{Code: first.code, VLANs: first.vlans, ID: id, Cause: first.cause}
		most := len(first.mends)
		for _, fault := range all {
			finding.Ports = append(finding.Ports, fault.at.ref)
			most = min(most, len(fault.mends))
		}
		where, verb := c.portList(finding.Ports, 4), " is"
		if len(all) > 1 {
			verb = " are"
		} else {
			where = portName(first.at.ref)
		}
		finding.Text = strings.NewReplacer(here, where, hereIs, where+verb).Replace(first.text)
		for k := range most {
			finding.Mends = append(finding.Mends, settings(device, all, k))
		}
		if len(all) == 1 && first.more != nil {
			finding.Mends = append(finding.Mends, first.more()...)
		}
		c.add(finding)
	}
	c.ports = nil
}

// settings is the k-th mend of several ports, a statement for all that it sets
// alike.
func settings(device *office.Device, all []portFault, k int) (lines []string) {
	at := map[string][]int{}
	var order []string
	for _, fault := range all {
		to := ""
		if shape := fault.mends[k]; shape != nil {
			to = notation.Shape(*shape)
		}
		if at[to] == nil {
			order = append(order, to)
		}
		at[to] = append(at[to], fault.at.port)
	}
	for _, to := range order {
		if to == "" {
			lines = append(lines, fmt.Sprintf("-%s %s", device.Name, notation.Ports(device, at[to])))
		} else {
			lines = append(lines, fmt.Sprintf("%s %s: %s", device.Name, notation.Ports(device, at[to]), to))
		}
	}
	return lines
}

// shapes is pointers to shapes, for a mend that offers several.
func shapes(ss ...office.Shape) (out []*office.Shape) {
	for i := range ss {
		out = append(out, &ss[i])
	}
	return out
}

// pvidNotMember: the PVID is not among the port's members and filtering is on,
// so untagged frames that arrive are dropped.
//
//	> core 6: 110 pvid 160
//	pvid-not-member: Untagged frames that arrive at core 6 are dropped: the PVID is 160 guests,
//	    and the port is only in 110 reception.
//	  mend: core 6: 110
//	  mend: core 6: 160
func (c *check) pvidNotMember(at port) {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	if !c.dropsPVID(at) {
		return
	}
	fault := portFault{at: at, code: PVIDNotMember, vlans: []office.VID{compiled.PVID}}
	shape, _ := c.net.Shape(at.dev, at.port)
	fault.text = fmt.Sprintf("Untagged frames that arrive at %s are dropped: the PVID is %s, which the port is not in.", here, c.net.Name(compiled.PVID))
	if len(shape.Untagged) > 0 {
		fault.vlans = append(fault.vlans, shape.Untagged...)
		fault.text = fmt.Sprintf(
			"Untagged frames that arrive at %s are dropped: the PVID is %s, and the port is only in %s.",
			here,
			c.net.Name(compiled.PVID),
			c.vlanNames(shape.Untagged),
		)
		fault.mends = shapes(shape.WithPVID(shape.Untagged[0]), shape.With(compiled.PVID, office.Untagged))
	} else {
		fault.mends = shapes(shape.WithPVID(0), shape.With(compiled.PVID, office.Untagged))
	}
	c.port(fault)
}

// dropsPVID says whether pvid-not-member is true of a port.
//
//	> core 2: 110 [140] admit tagged; plug core.2 printer wants 110
//	plug-unserved: printer at core 2 wants 110 reception untagged and hears it, but what it
//	    sends is dropped: the port does not admit such frames.
//	  mend: core 2: 110 [140]
//	open-edge: Whoever plugs in at core 2 and sends tagged frames is in 140 phones. A use, or a
//	    plug that wants it tagged, says that it is meant.
//	  mend: core 2: 110 admit tagged
func (c *check) dropsPVID(at port) bool {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	return compiled.PVID != 0 && compiled.Filter && !compiled.Has(compiled.PVID) && c.bridges(at.dev) && compiled.Admit != office.AdmitTagged
}

// pvidDiffers: the PVID is a member but not the untagged VLAN, so the way out
// and the way in differ.
//
//	> core 6: [110 160] pvid 160 filter off
//	pvid-differs: At core 6 untagged frames join 160 guests, but nothing leaves untagged: the
//	    way in and the way out differ.
//	  mend: core 6: [110 160] filter off
//	open-edge: Whoever plugs in at core 6 and sends tagged frames is in 1 default, 110
//	    reception, 140 phones, 160 guests and 190 devices. A use, or a plug that wants it
//	    tagged, says that it is meant.
func (c *check) pvidDiffers(at port) {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	if !c.turnsPVID(at) {
		return
	}
	shape, _ := c.net.Shape(at.dev, at.port)
	fault := portFault{at: at, code: PVIDDiffers, vlans: append([]office.VID{compiled.PVID}, shape.Untagged...)}
	out := "nothing leaves untagged"
	if len(shape.Untagged) > 0 {
		out = c.vlanNames(shape.Untagged) + " leaves untagged"
		fault.mends = shapes(shape.WithPVID(shape.Untagged[0]))
	} else {
		fault.mends = shapes(shape.WithPVID(0))
	}
	fault.text = fmt.Sprintf("At %s untagged frames join %s, but %s: the way in and the way out differ.", here, c.net.Name(compiled.PVID), out)
	c.port(fault)
}

// turnsPVID says whether pvid-differs is true of a port.
func (c *check) turnsPVID(at port) bool {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	return compiled.PVID != 0 && !compiled.Untagged.Has(compiled.PVID) && (compiled.Has(compiled.PVID) || !compiled.Filter) && c.bridges(at.dev) && compiled.Admit != office.AdmitTagged
}

// manyUntagged: several VLANs leave a port untagged; what answers joins one of
// them only.
func (c *check) manyUntagged(at port) {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	if compiled.Untagged.Len() < 2 {
		return
	}
	shape, _ := c.net.Shape(at.dev, at.port)
	fault := c.several(at)
	in := "and none takes what comes back"
	if compiled.PVID != 0 {
		in = "and what comes back joins " + c.net.Name(compiled.PVID)
	}
	fault.text = fmt.Sprintf("%s leave %s untagged, %s.", c.vlanNames(shape.Untagged), here, in)
	if slices.Contains(shape.Untagged, compiled.PVID) {
		fault.mends = shapes(shape.With(compiled.PVID, office.Untagged))
	}
	if compiled.Untagged.Has(office.DefaultVID) && len(shape.Untagged) == 2 {
		left := c.left(at)
		fault.cause = left.id(c.net.Office.Devices[at.dev])
	}
	c.port(fault)
}

// several is the many-untagged of a port, without words.
//
//	> core 6: 110+160 pvid 110
//	one-way: 160 guests leaves core 6 untagged, and what comes back there does not join it:
//	    nothing that is asked is answered.
//	  mend: core 6: 160
//	many-untagged: 110 reception and 160 guests leave core 6 untagged, and what comes back
//	    joins 110 reception.
//	  mend: core 6: 110
func (c *check) several(at port) portFault {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	return portFault{at: at, code: ManyUntagged, vlans: compiled.Untagged.VIDs(), key: fmt.Sprintf("pvid %d", compiled.PVID)}
}

// left is the left-in-default of a port, without words.
func (c *check) left(at port) portFault {
	rest := c.net.Tables[at.dev].Ports[at.port].Untagged
	rest.Remove(office.DefaultVID)
	return portFault{at: at, code: LeftInDefault, vlans: append([]office.VID{office.DefaultVID}, rest.VIDs()...)}
}

// leftInDefault: a port is still untagged in VLAN 1 beside the VLAN that it was
// given, so the broadcasts of VLAN 1 leave there too.
//
//	> core 6: 1 [110]
//	open-edge: Whoever plugs in at core 6 and sends tagged frames is in 110 reception. A use,
//	    or a plug that wants it tagged, says that it is meant.
//	  mend: core 6: 1
func (c *check) leftInDefault(at port) {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	if !compiled.Untagged.Has(office.DefaultVID) || compiled.Untagged.Len() < 2 {
		return
	}
	shape, _ := c.net.Shape(at.dev, at.port)
	fault := c.left(at)
	rest := fault.vlans[1:]
	fault.text = fmt.Sprintf("%s in %s and still in VLAN 1: frames of VLAN 1 leave there too.", hereIs, c.vlanNames(rest))
	fault.mends = shapes(shape.With(office.DefaultVID, office.NotMember))
	if len(rest) == 1 {
		fault.mends = shapes(shape.With(rest[0], office.Untagged))
	}
	c.port(fault)
}

// unregistered: a VID on a port is not in the register.
//
//	> core 6: 300
//	unregistered: The register does not know 300, which core 6 is set to: nothing says what it
//	    is for.
//	  mend: core 6: -
func (c *check) unregistered(at port) {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	one := compiled.Members()
	if c.net.Office.Devices[at.dev].Ports[at.port].Kind == office.Inner {
		one = compiled.Untagged // a range lets VLANs in that may come one day
	}
	if compiled.PVID != 0 {
		one.Add(compiled.PVID)
	}
	un := one.Minus(c.net.Registered())
	un.Remove(office.DefaultVID) // every bridge has it, registered or not
	if un.Empty() {
		return
	}
	shape, _ := c.net.Shape(at.dev, at.port)
	gone := shape.Without(&un)
	if gone.PVIDSet && un.Has(gone.PVID) {
		gone = gone.WithPVID(0)
	}
	c.port(portFault{at: at, code: Unregistered, vlans: un.VIDs(), mends: shapes(gone),
		text: fmt.Sprintf("The register does not know %s, which %s set to: nothing says what it is for.", c.vlanNames(un.VIDs()), hereIs)})
}

// openEdge: an uncabled port, or one with an untagged plug, accepts tagged
// frames of VLANs that it should not: whoever plugs in there is in all of them.
// What it should accept is what its plugs want tagged, and what its use names:
// a use is somebody's word that the port is meant so.
//
//	> core 6: [110 140]
//	open-edge: Whoever plugs in at core 6 and sends tagged frames is in 110 reception and 140
//	    phones. A use, or a plug that wants it tagged, says that it is meant.
//	  mend: core 6: -
func (c *check) openEdge(at port) {
	device := c.net.Office.Devices[at.dev]
	if device.Ports[at.port].Kind == office.Inner || len(c.net.Topo.LinksAt(at.dev, at.port)) > 0 {
		return
	}
	compiled := c.net.Tables[at.dev].Ports[at.port]
	if compiled.Admit == office.AdmitUntagged {
		return
	}
	open := compiled.Tagged
	if !compiled.Filter {
		open = *c.net.Registered()
		open = open.Minus(&compiled.Untagged)
	}
	for _, plug := range c.plugsAt(at) {
		if plug.Tagged {
			open.Remove(plug.Wants)
		}
	}
	if shape, _ := c.net.Office.Written(device, at.port); open.Empty() || shape.Use != "" && compiled.Filter {
		return
	}
	other, _ := c.net.Shape(at.dev, at.port)
	one := *other
	one.Tagged = slices.DeleteFunc(slices.Clone(one.Tagged), func(vid office.VID) bool { return open.Has(vid) })
	one.FilterOff = false
	if one.Rest == office.RestAll {
		one.Rest = office.RestNone
	}
	c.port(portFault{at: at, code: OpenEdge, vlans: open.VIDs(), mends: shapes(one.Normal()),
		text: fmt.Sprintf(
			"Whoever plugs in at %s and sends tagged frames is in %s. A use, or a plug that wants it tagged, says that it is meant.",
			here,
			c.vlanNames(open.VIDs()),
		)})
}

// plugsAt lists what is plugged into a port, a bundle's as the bundle's.
//
//	> plug core.4 "till" wants 110
//	plug-unserved: till at core 4 wants 110 reception untagged, and the port does not give it.
//	  mend: core 4: 110
func (c *check) plugsAt(at port) (out []*office.Plug) {
	device := c.net.Office.Devices[at.dev]
	for _, k := range c.net.Topo.PlugsAt(at.dev) {
		if plug := &c.net.Office.Plugs[k]; device.Logical(device.Port(plug.Port.Port)) == at.port {
			out = append(out, plug)
		}
	}
	return out
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
//
//	> floor 1: 110 [140 160]
//	open-edge: Whoever plugs in at floor 1 and sends tagged frames is in 160 guests. A use, or
//	    a plug that wants it tagged, says that it is meant.
//	  mend: floor 1: 110 [140]
//	exception-unexplained: floor 1 is set otherwise than the port plan floor says, and nobody
//	    said why.
//	  mend: -floor 1
func (c *check) exceptions(i int) {
	device := c.net.Office.Devices[i]
	if device.Follows == "" {
		return
	}
	for one := range device.Ports {
		shape, src := c.net.Office.Written(device, one)
		if src != office.FromException {
			continue
		}
		at := port{i, one, office.PortRef{Device: device.Name, Port: device.Ports[one].Name}}
		plan, _ := c.net.Office.Planned(device, one)
		fault := portFault{at: at, mends: []*office.Shape{nil}}
		switch {
		case c.net.Office.Resolve(plan).Equal(*c.net.Office.Resolve(shape)):
			fault.code = ExceptionEqual
			fault.text = fmt.Sprintf("%s said to depart from the port plan %s and the same as it: the exception can go.", hereIs, device.Follows)
		case device.Ports[one].Because == "":
			fault.code = ExceptionUnexplained
			fault.text = fmt.Sprintf("%s set otherwise than the port plan %s says, and nobody said why.", hereIs, device.Follows)
		default:
			continue
		}
		c.port(fault)
	}
}

// inside is one-way for a port of a device that nothing is cabled to: what
// leaves there is not heard back, or what comes in there is not let out again.
//
//	device a switch
//	  ports 1-2
//	  1: 110 admit tagged
//	  2: 110
func (c *check) inside(at port) {
	device, table := c.net.Office.Devices[at.dev], c.net.Tables[at.dev]
	compiled := table.Ports[at.port]
	if len(c.net.Topo.LinksAt(at.dev, at.port)) > 0 || device.Forwarding == office.Routed && device.Ports[at.port].Kind != office.Inner {
		return
	}
	shape, _ := c.net.Shape(at.dev, at.port)
	elsewhere := func(vid office.VID) bool { // somebody of the VLAN is elsewhere in the device
		for port, u := range table.Ports {
			if port != at.port && u.Has(vid) {
				return true
			}
		}
		return slices.ContainsFunc(device.Addresses, func(address office.Address) bool { return address.VID == vid }) || device.Manage != nil && device.Manage.VID == vid
	}
	if c.swallows(at) && elsewhere(compiled.PVID) {
		differs := portFault{code: PVIDDiffers, vlans: append([]office.VID{compiled.PVID}, shape.Untagged...)}
		c.port(portFault{at: at, code: OneWay, vlans: []office.VID{compiled.PVID}, key: "in", cause: differs.id(device), mends: shapes(shape.With(compiled.PVID, office.Untagged)),
			text: fmt.Sprintf("Untagged frames from %s get into %s, but nothing of it comes out there: what is asked is not answered.", here, c.net.Name(compiled.PVID))})
	}
	one := compiled.Members()
	for vid := range one.All() {
		if !c.deaf(at, vid) || !elsewhere(vid) {
			continue
		}
		form, as := "untagged", office.Untagged
		if compiled.Tagged.Has(vid) {
			form, as = "tagged", office.Tagged
		}
		fault := portFault{at: at, code: OneWay, vlans: []office.VID{vid}, key: "out " + form, mends: shapes(c.net.Carrying(at.dev, at.port, as, vid)),
			text: fmt.Sprintf("%s leaves %s %s, and what comes back there does not join it: nothing that is asked is answered.", c.net.Name(vid), here, form)}
		if as == office.Untagged && compiled.Untagged.Len() > 1 {
			several := c.several(at)
			fault.cause = several.id(device)
		}
		c.port(fault)
	}
}

// swallows says whether untagged frames get in at a port into a VLAN that never comes out there.
func (c *check) swallows(at port) bool {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	return !compiled.Filter && compiled.PVID != 0 && !compiled.Has(compiled.PVID) && compiled.Admit != office.AdmitTagged && c.bridges(at.dev)
}

// deaf says whether frames of a VLAN leave a port where nothing comes back into it, and
// nothing else says so: not that its untagged frames are dropped or turned elsewhere, not that
// it is VLAN 1 beside others, which is left there by habit, and not what is plugged in.
func (c *check) deaf(at port, vid office.VID) bool {
	compiled := c.net.Tables[at.dev].Ports[at.port]
	tagged := compiled.Tagged.Has(vid)
	switch {
	case c.net.Hears(at.dev, at.port, vid) || c.net.IsParked(vid):
		return false
	case !tagged && (c.dropsPVID(at) || c.turnsPVID(at)):
		return false
	case vid == office.DefaultVID && compiled.Untagged.Has(vid) && compiled.Untagged.Len() > 1:
		return false
	}
	return !slices.ContainsFunc(c.plugsAt(at), func(plug *office.Plug) bool { return plug.Wants == vid && plug.Tagged == tagged })
}
