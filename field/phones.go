package field

import (
	"fmt"
	"slices"

	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// Phone is a phone that a device hears at one of its ports (LLDP-MED): what hangs behind it at
// the same port is another plug.
type Phone struct {
	Port   string     `json:"port" required:"true" description:"rack.3"`
	Name   string     `json:"name" required:"true" description:"that it says of itself"`
	Voice  office.VID `json:"voice,omitempty" description:"the VLAN that it has its voice in"`
	Tagged bool       `json:"tagged,omitempty"`
	Plug   string     `json:"plug,omitempty" description:"the plug of the plan that it is"`
	Wrong  string     `json:"wrong,omitempty" description:"what its port does not give it, as planned"`
	Line   string     `json:"line,omitempty" description:"the statement that plugs it in; none where it is planned"`
}

// Phones is the phones that are heard at ports without a cable, beside the plan.
func Phones(o *office.Office, all []*Telling) []Phone {
	out := []Phone{}
	n := span.Compile(o)
	for _, t := range all {
		d := o.Device(t.Device)
		for _, x := range t.Neighbours {
			if d == nil || !x.Phone || d.Port(x.Port) < 0 {
				continue
			}
			at := office.PortRef{Device: d.Name, Port: x.Port}
			if _, _, cabled := o.CableAt(at); cabled {
				continue
			}
			p := Phone{Port: at.String(), Name: x.Device, Voice: x.Voice, Tagged: x.VoiceTagged}
			for _, plug := range o.Plugs {
				is := x.Card != "" && plug.MAC == x.Card || plug.MAC == "" && plug.Port == at && plug.Wants == x.Voice && plug.Tagged == x.VoiceTagged || plug.Port == at && plug.Name == x.Device
				if is && p.Plug == "" {
					p.Plug = plug.Name
				}
			}
			wants := x.Voice
			i := n.Topo.DeviceIndex(d.Name)
			set := n.Tables[i].Ports[d.Logical(d.Port(x.Port))]
			switch {
			case x.Voice == 0: // it does not say: where its port puts it
				wants = set.PVID
			case x.VoiceTagged && !set.Tagged.Has(x.Voice):
				p.Wrong = fmt.Sprintf("it speaks tagged in %s, which port %s does not carry tagged", n.Name(x.Voice), x.Port)
			case !x.VoiceTagged && set.PVID != x.Voice:
				p.Wrong = fmt.Sprintf("it speaks untagged in %s, and port %s puts that elsewhere", n.Name(x.Voice), x.Port)
			}
			if p.Plug == "" && wants != 0 {
				p.Line = notation.Thing(office.Plug{Port: at, Name: p.Name, Wants: wants, Tagged: x.VoiceTagged, MAC: x.Card})
			}
			out = append(out, p)
		}
	}
	slices.SortFunc(out, func(a, b Phone) int { return office.NaturalCompare(a.Port, b.Port) })
	return out
}
