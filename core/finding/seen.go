package finding

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Seen is what devices tell of what is around them, in the office's names.
type Seen struct {
	Heard  []Heard
	Learnt []Learnt
	Failed *Failed // nil where no plug test did
}

// Failed is what a laptop saw otherwise than planned on a round.
type Failed struct {
	At       []office.PortRef
	Saw      string   // at the first
	Explains []string // mistakes of which each, or each pair, explains all of it, the likeliest first
}

// Heard is a device that is heard at a port (IEEE 802.1AB). By may name what is not
// in the office.
type Heard struct {
	At office.PortRef
	By office.PortRef
}

// Learnt is a network card at a port, in a VLAN.
type Learnt struct {
	At  office.PortRef
	VID office.VID
	MAC office.MAC
}

// OfSeen is what is wrong or unwise by what was seen: in the order of the list.
func OfSeen(net *span.Net, seen *Seen) []*Finding {
	var out []*Finding
	add := func(finding *Finding) {
		if !slices.ContainsFunc(out, func(other *Finding) bool { return other.ID == finding.ID }) {
			finding.Severity = finding.Code.Severity()
			out = append(out, finding)
		}
	}
	for _, heard := range seen.Heard {
		cableDiffers(net, heard, add)
	}
	for _, learnt := range seen.Learnt {
		plugSeen(net, learnt, add)
	}
	if seen.Failed != nil && len(seen.Failed.At) > 0 {
		add(plugTest(seen.Failed))
	}
	slices.SortFunc(out, compare)
	return out
}

// known is a port of the office by its name, or by its name inside the device.
func known(o *office.Office, ref office.PortRef) (office.PortRef, bool) {
	device := o.Device(ref.Device)
	if device == nil {
		return ref, false
	}
	port := device.Port(ref.Port)
	if port < 0 {
		port = slices.IndexFunc(device.Ports, func(one office.Port) bool { return one.Inside != "" && one.Inside == ref.Port })
	}
	if port < 0 || device.Ports[port].Kind != office.Physical {
		return ref, false
	}
	return office.PortRef{Device: device.Name, Port: device.Ports[port].Name}, true
}

func said(ref office.PortRef) string { return ref.Device + " " + ref.Port }

// cableDiffers compares whom a port hears (LLDP, IEEE 802.1AB) with the cable that is planned
// there.
func cableDiffers(net *span.Net, heard Heard, add func(*Finding)) {
	o := net.Office
	at, ok := known(o, heard.At)
	by, ok2 := known(o, heard.By)
	if !ok || !ok2 {
		return
	}
	cable := office.Cable{A: at, B: by}
	mine, far, have := o.CableAt(at)
	if have && far == by {
		return
	}
	text := fmt.Sprintf("%s hears %s", said(at), said(by))
	var mend []string
	if have {
		text += "; the plan says " + said(far) + "."
		mend = append(mend, "-"+notation.Thing(mine))
	} else {
		text += "; the plan has no cable there."
	}
	if theirs, _, taken := o.CableAt(by); taken {
		mend = append(mend, "-"+notation.Thing(theirs))
	}
	mend = append(mend, notation.Thing(cable))
	ports := []office.PortRef{at, by}
	slices.SortFunc(ports, office.PortRef.Compare)
	add(&Finding{Code: CableDiffers, Ports: ports, Text: text, Label: "heard elsewhere", Mends: [][]string{mend}, ID: about(CableDiffers, ports[0], ports[1])})
}

// plugSeen compares a card that a device learnt at a port with what is planned to be plugged in;
// what came over a cable sits somewhere behind and says nothing of this port.
func plugSeen(net *span.Net, learnt Learnt, add func(*Finding)) {
	o := net.Office
	device := o.Device(learnt.At.Device)
	if device == nil || device.Port(learnt.At.Port) < 0 {
		return
	}
	if p := device.Port(learnt.At.Port); len(net.Topo.LinksAt(net.Topo.DeviceIndex(device.Name), device.Logical(p))) > 0 {
		return // it came over a cable: it is somewhere behind
	}
	i := slices.IndexFunc(o.Plugs, func(other office.Plug) bool { return other.MAC != "" && other.MAC == learnt.MAC })
	if i < 0 {
		return
	}
	plug := o.Plugs[i]
	if plug.Wants != learnt.VID {
		add(&Finding{
			Code: PlugInOther, VLANs: []office.VID{learnt.VID, plug.Wants}, Ports: []office.PortRef{learnt.At},
			Text: fmt.Sprintf("%s at %s is in %s, and wants %s.", plug.Name, said(learnt.At), net.Name(learnt.VID), net.Name(plug.Wants)),
			ID:   about(PlugInOther, plug.Port, plug.Name),
		})
	}
	if plug.Port != learnt.At {
		moved := plug
		moved.Port = learnt.At
		add(&Finding{
			Code: PlugElsewhere, VLANs: []office.VID{learnt.VID}, Ports: []office.PortRef{learnt.At, plug.Port},
			Text:  fmt.Sprintf("%s is seen at %s; the plan has it at %s.", plug.Name, said(learnt.At), said(plug.Port)),
			Mends: [][]string{{"-" + notation.Removal(plug), notation.Thing(moved)}},
			ID:    about(PlugElsewhere, plug.Port, plug.Name),
		})
	}
}

// plugTest is the finding of plug tests that failed, with the few mistakes that would explain them.
func plugTest(failed *Failed) *Finding {
	text := failed.Saw
	if more := len(failed.At) - 1; more > 0 {
		text += fmt.Sprintf(", and %d more failed", more)
	}
	const few = 3
	switch {
	case len(failed.Explains) == 0:
		text += ": no mistakes of the usual kinds explain it."
	case len(failed.Explains) > few:
		text += ": " + strings.Join(failed.Explains[:few], "; or ") + "; or another."
	default:
		text += ": " + strings.Join(failed.Explains, "; or ") + "."
	}
	return &Finding{Code: PlugTest, Ports: failed.At, Text: text, ID: about(PlugTest, failed.At[0])}
}
