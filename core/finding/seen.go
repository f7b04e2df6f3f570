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
func OfSeen(n *span.Net, s *Seen) []*Finding {
	var out []*Finding
	add := func(f *Finding) {
		if !slices.ContainsFunc(out, func(x *Finding) bool { return x.ID == f.ID }) {
			f.Severity = f.Code.Severity()
			out = append(out, f)
		}
	}
	for _, h := range s.Heard {
		cableDiffers(n, h, add)
	}
	for _, l := range s.Learnt {
		plugSeen(n, l, add)
	}
	if s.Failed != nil && len(s.Failed.At) > 0 {
		add(plugTest(s.Failed))
	}
	slices.SortFunc(out, compare)
	return out
}

// known is a port of the office by its name, or by its name inside the device.
func known(o *office.Office, r office.PortRef) (office.PortRef, bool) {
	d := o.Device(r.Device)
	if d == nil {
		return r, false
	}
	p := d.Port(r.Port)
	if p < 0 {
		p = slices.IndexFunc(d.Ports, func(x office.Port) bool { return x.Inside != "" && x.Inside == r.Port })
	}
	if p < 0 || d.Ports[p].Kind != office.Physical {
		return r, false
	}
	return office.PortRef{Device: d.Name, Port: d.Ports[p].Name}, true
}

func said(r office.PortRef) string { return r.Device + " " + r.Port }

func cableDiffers(n *span.Net, h Heard, add func(*Finding)) {
	o := n.Office
	at, ok := known(o, h.At)
	by, ok2 := known(o, h.By)
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

func plugSeen(n *span.Net, l Learnt, add func(*Finding)) {
	o := n.Office
	d := o.Device(l.At.Device)
	if d == nil || d.Port(l.At.Port) < 0 {
		return
	}
	if p := d.Port(l.At.Port); len(n.Topo.LinksAt(n.Topo.DeviceIndex(d.Name), d.Logical(p))) > 0 {
		return // it came over a cable: it is somewhere behind
	}
	i := slices.IndexFunc(o.Plugs, func(p office.Plug) bool { return p.MAC != "" && p.MAC == l.MAC })
	if i < 0 {
		return
	}
	plug := o.Plugs[i]
	if plug.Wants != l.VID {
		add(&Finding{
			Code: PlugInOther, VLANs: []office.VID{l.VID, plug.Wants}, Ports: []office.PortRef{l.At},
			Text: fmt.Sprintf("%s at %s is in %s, and wants %s.", plug.Name, said(l.At), n.Name(l.VID), n.Name(plug.Wants)),
			ID:   about(PlugInOther, plug.Port, plug.Name),
		})
	}
	if plug.Port != l.At {
		moved := plug
		moved.Port = l.At
		add(&Finding{
			Code: PlugElsewhere, VLANs: []office.VID{l.VID}, Ports: []office.PortRef{l.At, plug.Port},
			Text:  fmt.Sprintf("%s is seen at %s; the plan has it at %s.", plug.Name, said(l.At), said(plug.Port)),
			Mends: [][]string{{"-" + notation.Removal(plug), notation.Thing(moved)}},
			ID:    about(PlugElsewhere, plug.Port, plug.Name),
		})
	}
}

func plugTest(x *Failed) *Finding {
	text := x.Saw
	if more := len(x.At) - 1; more > 0 {
		text += fmt.Sprintf(", and %d more failed", more)
	}
	const few = 3
	switch {
	case len(x.Explains) == 0:
		text += ": no mistakes of the usual kinds explain it."
	case len(x.Explains) > few:
		text += ": " + strings.Join(x.Explains[:few], "; or ") + "; or another."
	default:
		text += ": " + strings.Join(x.Explains, "; or ") + "."
	}
	return &Finding{Code: PlugTest, Ports: x.At, Text: text, ID: about(PlugTest, x.At[0])}
}
