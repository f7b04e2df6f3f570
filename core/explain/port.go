// Package explain says in plain words what a port does to frames, and draws a
// VLAN's reach as a tree. The words are those of a colleague; everything in
// them is read from the compiled tables.
package explain

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Port says what a port does: untagged frames in, what leaves tagged and
// untagged, what is refused, where its setting comes from, and what is noted of it.
//
//	> port core.1
//	Untagged frames that arrive here join 110 reception and leave tagged [110] by port 7
//	    towards floor 8 and tagged [110] by port 8 towards gate lan1.
//	Tagged frames of [140] are taken.
//	Its use is desk.
//	> port core.8
//	Untagged frames that arrive here join 190 devices and leave untagged by port 7 towards
//	    floor 8.
//	Tagged frames of [110] [140] [160] are taken.
//	“needed” is every VLAN that somebody beyond its cable is in, worked out anew at each
//	    edit.
//	> port floor.6
//	Untagged frames that arrive here are dropped: the port has no PVID.
//	Frames tagged for another VLAN are refused.
//	Nothing leaves here: the port is in no VLAN.
func Port(net *span.Net, ref office.PortRef) []string {
	i := net.Topo.DeviceIndex(ref.Device)
	device := net.Office.Devices[i]
	port := device.Port(ref.Port)
	said := does(net, i, port)
	for fact, text := range device.Ports[port].Facts.Noted() {
		said = append(said, fmt.Sprintf("Its %s: %s.", fact.Word, strings.TrimSuffix(text, ".")))
	}
	return said
}

// does says what a port does with frames, in sentences: what comes in, what leaves, what is off.
func does(net *span.Net, i, port int) []string {
	device := net.Office.Devices[i]
	if at := device.Logical(port); at != port {
		return append([]string{fmt.Sprintf("It is one of the ports of the bundle %s, which acts as one port.", device.Ports[at].Name)},
			does(net, i, at)...)
	}
	compiled := net.Tables[i].Ports[port]
	switch {
	case compiled.Off:
		return []string{"The port is shut: nothing arrives and nothing leaves."}
	case device.Forwarding == office.Unaware:
		return []string{device.Name + " knows no tags: every frame leaves every other port as it came."}
	case device.Forwarding == office.UnawareDrops:
		return []string{device.Name + " knows no tags: untagged frames leave every other port, tagged ones are dropped."}
	}
	var s []string
	s = append(s, arriving(net, i, port)...)
	if line := leaving(net, device, compiled); line != "" {
		s = append(s, line)
	}
	switch sh, _ := net.Shape(i, port); sh.Rest {
	case office.RestNeeded:
		s = append(s, "“needed” is every VLAN that somebody beyond its cable is in, worked out anew at each edit.")
	case office.RestAll:
		s = append(s, "“all” is every VLAN of the register, needed there or not.")
	}
	s = append(s, origin(net, device, port)...)
	return s
}

// arriving says what becomes of a frame that comes in without a tag, and of those with one.
func arriving(net *span.Net, dev, port int) []string {
	var s []string
	device, compiled := net.Office.Devices[dev], net.Tables[dev].Ports[port]
	in, why := net.Tables[dev].Ingress(port, bridge.Untagged)
	switch {
	case why == bridge.Passed:
		out := ""
		if exits := towards(net, dev, port, in); exits != "" {
			out = " and leave " + exits
		} else if device.Forwarding == office.Routed {
			out = " and end here, at the router's own address"
		}
		s = append(s, fmt.Sprintf("Untagged frames that arrive here join %s%s.", net.Name(in.VID), out))
	case why == bridge.NotMember:
		s = append(s, fmt.Sprintf("Untagged frames that arrive here are dropped: the PVID is %s, and the port is not in it.", net.Name(compiled.PVID)))
	case why == bridge.NoPVID || why == bridge.NoGroup:
		s = append(s, "Untagged frames that arrive here are dropped: the port has no PVID.")
	default:
		s = append(s, "Untagged frames are refused.")
	}
	tagged := compiled.Tagged.VIDs()
	switch {
	case compiled.Admit == office.AdmitUntagged:
		s = append(s, "Tagged frames are refused.")
	case !compiled.Filter:
		s = append(s, "Tagged frames of any VLAN are taken: ingress filtering is off.")
	case len(tagged) == 0 && device.Forwarding == office.Grouped:
		s = append(s, "Tagged frames stay in the port's own group with their tag.")
	case len(tagged) == 0:
		s = append(s, "Frames tagged for another VLAN are refused.")
	case len(tagged) > 8:
		s = append(s, fmt.Sprintf("Tagged frames of %d VLANs are taken.", len(tagged)))
	default:
		s = append(s, fmt.Sprintf("Tagged frames of %s are taken.", brackets(compiled, tagged)))
	}
	return s
}

// towards names where a domain's frames leave on cables: "tagged [130] by port 8
// towards rack 19".
func towards(net *span.Net, dev, from int, in bridge.Domain) string {
	var out []string
	for port := range net.Office.Devices[dev].Ports {
		links := net.Topo.LinksAt(dev, port)
		wire, ok := net.Tables[dev].Egress(in, port)
		if port == from || !ok || len(links) == 0 {
			continue
		}
		link := &net.Topo.Links[links[0]]
		to := link.B
		if to.Dev == dev && to.Port == port {
			to = link.A
		}
		how := "untagged"
		if wire > 0 {
			how = "tagged " + wire.String()
		}
		ref := net.Ref(to)
		out = append(out, fmt.Sprintf("%s by port %s towards %s %s", how, net.Office.Devices[dev].Ports[port].Name, ref.Device, ref.Port))
	}
	switch len(out) {
	case 0:
		return ""
	case 1, 2:
		return strings.Join(out, " and ")
	}
	return fmt.Sprintf("%s, and by %d more cables", out[0], len(out)-1)
}

// leaving says how frames leave; empty where they leave as what comes in without a tag arrived.
func leaving(net *span.Net, device *office.Device, compiled *bridge.Port) string {
	un := compiled.Untagged.VIDs()
	switch {
	case len(un) == 0 && compiled.Tagged.Empty():
		return "Nothing leaves here: the port is in no VLAN."
	case len(un) == 0:
		return "Nothing leaves here untagged."
	case len(un) == 1 && un[0] == compiled.PVID:
		return ""
	}
	var names []string
	for _, vid := range un {
		names = append(names, net.Name(vid))
	}
	does := "leaves"
	if len(names) > 1 {
		does = "leave"
	}
	return strings.Join(names, " and ") + " " + does + " here untagged."
}

// brackets is VLANs as they are on the wire of a port: tags in brackets, and one that leaves under
// another number with its own behind.
func brackets(compiled *bridge.Port, vs []office.VID) string {
	var s []string
	for _, vid := range vs {
		wire := compiled.WireOf(vid)
		if wire.VID() != vid {
			s = append(s, fmt.Sprintf("%s (VLAN %d)", wire, vid))
		} else {
			s = append(s, wire.String())
		}
	}
	return strings.Join(s, " ")
}

// origin says why a port is set so: by itself, by the plan that its device follows with how many
// others, or by a use.
func origin(net *span.Net, device *office.Device, port int) []string {
	var s []string
	shape, src := net.Office.Written(device, port)
	followers := 0
	for _, other := range net.Office.Devices {
		if other.Follows != "" && other.Follows == device.Follows {
			followers++
		}
	}
	plan := fmt.Sprintf("%s (%d %s)", device.Follows, followers, map[bool]string{true: "device", false: "devices"}[followers == 1])
	switch {
	case src == office.FromPlan && shape.Use != "":
		s = append(s, fmt.Sprintf("Follows %s as %s.", plan, shape.Use))
	case src == office.FromPlan:
		s = append(s, fmt.Sprintf("Follows %s.", plan))
	case src == office.FromException:
		said, _ := net.Office.Planned(device, port)
		why := "nobody said why"
		if b := device.Ports[port].Because; b != "" {
			why = b
		}
		s = append(s, fmt.Sprintf("An exception from %s, which says %s: %s.", device.Follows, notation.Shape(*said), why))
	case shape.Use != "":
		s = append(s, fmt.Sprintf("Its use is %s.", shape.Use))
	}
	return s
}

// Same says whether all ports have the same words, so that they can be said
// once.
func Same(net *span.Net, refs []office.PortRef) bool {
	if len(refs) == 0 {
		return true
	}
	first := Port(net, refs[0])
	return !slices.ContainsFunc(refs[1:], func(ref office.PortRef) bool { return !slices.Equal(first, Port(net, ref)) })
}
