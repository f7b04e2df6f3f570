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
//
// Many branches: a phone is in the plan by its card, its place or its name.
func Phones(o *office.Office, all []*Telling) []Phone {
	out := []Phone{}
	net := span.Compile(o)
	for _, telling := range all {
		device := o.Device(telling.Device)
		for _, neighbour := range telling.Neighbours {
			if device == nil || !neighbour.Phone || device.Port(neighbour.Port) < 0 {
				continue
			}
			at := office.PortRef{Device: device.Name, Port: neighbour.Port}
			if _, _, cabled := o.CableAt(at); cabled {
				continue
			}
			phone := Phone{Port: at.String(), Name: neighbour.Device, Voice: neighbour.Voice, Tagged: neighbour.VoiceTagged}
			for _, plug := range o.Plugs {
				is := neighbour.Card != "" && plug.MAC == neighbour.Card || plug.MAC == "" && plug.Port == at && plug.Wants == neighbour.Voice && plug.Tagged == neighbour.VoiceTagged || plug.Port == at && plug.Name == neighbour.Device
				if is && phone.Plug == "" {
					phone.Plug = plug.Name
				}
			}
			wants := neighbour.Voice
			i := net.Topo.DeviceIndex(device.Name)
			set := net.Tables[i].Ports[device.Logical(device.Port(neighbour.Port))]
			switch {
			case neighbour.Voice == 0: // it does not say: where its port puts it
				wants = set.PVID
			case neighbour.VoiceTagged && !set.Tagged.Has(neighbour.Voice):
				phone.Wrong = fmt.Sprintf("it speaks tagged in %s, which port %s does not carry tagged", net.Name(neighbour.Voice), neighbour.Port)
			case !neighbour.VoiceTagged && set.PVID != neighbour.Voice:
				phone.Wrong = fmt.Sprintf("it speaks untagged in %s, and port %s puts that elsewhere", net.Name(neighbour.Voice), neighbour.Port)
			}
			if phone.Plug == "" && wants != 0 {
				phone.Line = notation.Thing(office.Plug{Port: at, Name: phone.Name, Wants: wants, Tagged: neighbour.VoiceTagged, MAC: neighbour.Card})
			}
			out = append(out, phone)
		}
	}
	slices.SortFunc(out, func(a, b Phone) int { return office.NaturalCompare(a.Port, b.Port) })
	return out
}
