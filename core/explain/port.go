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
func Port(n *span.Net, r office.PortRef) []string {
	i := n.Topo.DeviceIndex(r.Device)
	device := n.Office.Devices[i]
	port := device.Port(r.Port)
	said := does(n, i, port)
	for w, text := range device.Ports[port].Facts.Noted() {
		said = append(said, fmt.Sprintf("Its %s: %s.", w.Word, strings.TrimSuffix(text, ".")))
	}
	return said
}

func does(n *span.Net, i, port int) []string {
	device := n.Office.Devices[i]
	if b := device.Logical(port); b != port {
		return append([]string{fmt.Sprintf("It is one of the ports of the bundle %s, which acts as one port.", device.Ports[b].Name)},
			does(n, i, b)...)
	}
	compiled := n.Tables[i].Ports[port]
	switch {
	case compiled.Off:
		return []string{"The port is shut: nothing arrives and nothing leaves."}
	case device.Forwarding == office.Unaware:
		return []string{device.Name + " knows no tags: every frame leaves every other port as it came."}
	case device.Forwarding == office.UnawareDrops:
		return []string{device.Name + " knows no tags: untagged frames leave every other port, tagged ones are dropped."}
	}
	var s []string
	s = append(s, arriving(n, i, port)...)
	if l := leaving(n, device, compiled); l != "" {
		s = append(s, l)
	}
	switch sh, _ := n.Shape(i, port); sh.Rest {
	case office.RestNeeded:
		s = append(s, "“needed” is every VLAN that somebody beyond its cable is in, worked out anew at each edit.")
	case office.RestAll:
		s = append(s, "“all” is every VLAN of the register, needed there or not.")
	}
	s = append(s, origin(n, device, port)...)
	return s
}

func arriving(n *span.Net, dev, port int) []string {
	var s []string
	device, compiled := n.Office.Devices[dev], n.Tables[dev].Ports[port]
	in, why := n.Tables[dev].Ingress(port, bridge.Untagged)
	switch {
	case why == bridge.Passed:
		out := ""
		if exits := towards(n, dev, port, in); exits != "" {
			out = " and leave " + exits
		} else if device.Forwarding == office.Routed {
			out = " and end here, at the router's own address"
		}
		s = append(s, fmt.Sprintf("Untagged frames that arrive here join %s%s.", n.Name(in.VID), out))
	case why == bridge.NotMember:
		s = append(s, fmt.Sprintf("Untagged frames that arrive here are dropped: the PVID is %s, and the port is not in it.", n.Name(compiled.PVID)))
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
func towards(n *span.Net, dev, from int, in bridge.Domain) string {
	var out []string
	for q := range n.Office.Devices[dev].Ports {
		links := n.Topo.LinksAt(dev, q)
		wire, ok := n.Tables[dev].Egress(in, q)
		if q == from || !ok || len(links) == 0 {
			continue
		}
		l := &n.Topo.Links[links[0]]
		to := l.B
		if to.Dev == dev && to.Port == q {
			to = l.A
		}
		how := "untagged"
		if wire > 0 {
			how = "tagged " + wire.String()
		}
		r := n.Ref(to)
		out = append(out, fmt.Sprintf("%s by port %s towards %s %s", how, n.Office.Devices[dev].Ports[q].Name, r.Device, r.Port))
	}
	switch len(out) {
	case 0:
		return ""
	case 1, 2:
		return strings.Join(out, " and ")
	}
	return fmt.Sprintf("%s, and by %d more cables", out[0], len(out)-1)
}

func leaving(n *span.Net, d *office.Device, compiled *bridge.Port) string {
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
	for _, v := range un {
		names = append(names, n.Name(v))
	}
	return strings.Join(names, " and ") + " leaves here untagged."
}

func brackets(t *bridge.Port, vs []office.VID) string {
	var s []string
	for _, v := range vs {
		w := t.WireOf(v)
		if w.VID() != v {
			s = append(s, fmt.Sprintf("%s (VLAN %d)", w, v))
		} else {
			s = append(s, w.String())
		}
	}
	return strings.Join(s, " ")
}

func origin(n *span.Net, device *office.Device, port int) []string {
	var s []string
	w, src := n.Office.Written(device, port)
	followers := 0
	for _, x := range n.Office.Devices {
		if x.Follows != "" && x.Follows == device.Follows {
			followers++
		}
	}
	plan := fmt.Sprintf("%s (%d %s)", device.Follows, followers, map[bool]string{true: "device", false: "devices"}[followers == 1])
	switch {
	case src == office.FromPlan && w.Use != "":
		s = append(s, fmt.Sprintf("Follows %s as %s.", plan, w.Use))
	case src == office.FromPlan:
		s = append(s, fmt.Sprintf("Follows %s.", plan))
	case src == office.FromException:
		said, _ := n.Office.Planned(device, port)
		why := "nobody said why"
		if b := device.Ports[port].Because; b != "" {
			why = b
		}
		s = append(s, fmt.Sprintf("An exception from %s, which says %s: %s.", device.Follows, notation.Shape(*said), why))
	case w.Use != "":
		s = append(s, fmt.Sprintf("Its use is %s.", w.Use))
	}
	return s
}

// Same says whether all ports have the same words, so that they can be said
// once.
func Same(n *span.Net, refs []office.PortRef) bool {
	if len(refs) == 0 {
		return true
	}
	first := Port(n, refs[0])
	return !slices.ContainsFunc(refs[1:], func(r office.PortRef) bool { return !slices.Equal(first, Port(n, r)) })
}
