package field

import (
	"fmt"
	"slices"

	"klammer/core/finding"
	"klammer/core/office"
)

// Telling is what a device told, in the office's names: the JSON of klammer read, and
// what is kept of a reading.
type Telling struct {
	Device     string          `json:"device" required:"true"`
	Source     string          `json:"source" required:"true" description:"snmp at 127.0.0.1:20161"`
	TookMS     int64           `json:"took_ms" required:"true"`
	Requests   int             `json:"requests" required:"true"`
	Name       string          `json:"name,omitempty" description:"that it calls itself by"`
	About      string          `json:"about,omitempty"`
	Ports      []ToldPort      `json:"ports" required:"true" nullable:"false"`
	VLANs      []VLAN          `json:"vlans" required:"true" nullable:"false"`
	Learnt     []ToldCard      `json:"learnt" required:"true" nullable:"false"`
	Neighbours []ToldNeighbour `json:"neighbours" required:"true" nullable:"false"`
	Addresses  []string        `json:"addresses,omitempty" description:"its own"`
	NotTold    []Told          `json:"not_told" required:"true" nullable:"false"`
	Trouble    []string        `json:"trouble,omitempty" description:"what it told and cannot be, and ports that are not matched"`
	Routing    *ToldRouting    `json:"routing,omitempty" description:"of a device that routes and tells by what"`
}

// ToldRouting is how a device routes.
type ToldRouting struct {
	Lines   []string `json:"lines" required:"true" nullable:"false" description:"addresses, routes and rules as statements of the device; what is not told is not among them"`
	Differs []string `json:"differs" required:"true" nullable:"false" description:"from the plan, in words"`
	Unsaid  []string `json:"unsaid" required:"true" nullable:"false" description:"what it told and cannot be said"`
}

// mostCards is how many cards of a device are told.
const mostCards = 4096

// ToldPort is a port: null is what the device does not tell.
type ToldPort struct {
	Port     string       `json:"port" required:"true"`
	Called   string       `json:"called,omitempty" description:"by the device, where that is another name"`
	Untagged []office.VID `json:"untagged" required:"true" nullable:"true"`
	Tagged   []office.VID `json:"tagged" required:"true" nullable:"true"`
	PVID     *office.VID  `json:"pvid" required:"true"`
	Admit    *string      `json:"admit" required:"true"`
	Filter   *bool        `json:"filter" required:"true"`
	Link     *string      `json:"link" required:"true"`
	Mbps     *int         `json:"mbps" required:"true"`
	Shut     bool         `json:"shut,omitempty"`
}

// ToldCard is a network card that was learnt.
type ToldCard struct {
	MAC  office.MAC `json:"mac" required:"true"`
	Port string     `json:"port" required:"true"`
	VID  office.VID `json:"vid" required:"true"`
}

// ToldNeighbour is a device that is heard.
type ToldNeighbour struct {
	Port       string `json:"port" required:"true"`
	Device     string `json:"device" required:"true"`
	RemotePort string `json:"remote_port" required:"true"`

	Card        office.MAC `json:"card,omitempty"`
	Phone       bool       `json:"phone,omitempty" description:"it says that it is one"`
	PVID        office.VID `json:"pvid,omitempty" description:"of its port, as it says"`
	Voice       office.VID `json:"voice,omitempty" description:"the VLAN of its voice, as it says"`
	VoiceTagged bool       `json:"voice_tagged,omitempty"`
	Bundled     bool       `json:"bundled,omitempty" description:"its port is in a bundle, as it says"`
}

// Telling is a reading in the office's names.
func (r *Reading) Telling(o *office.Office, device *office.Device, match Match) *Telling {
	r.nowhere(o, device, match, nil)
	telling := &Telling{
		Device: device.Name, Source: r.Source, TookMS: r.Took.Milliseconds(), Requests: r.Requests, Name: r.Name, About: r.About, Addresses: r.Addresses,
		Ports: []ToldPort{}, VLANs: []VLAN{}, Learnt: []ToldCard{}, Neighbours: []ToldNeighbour{}, NotTold: []Told{}, Trouble: slices.Clone(r.Trouble),
	}
	telling.VLANs, telling.NotTold = append(telling.VLANs, r.VLANs...), append(telling.NotTold, r.NotTold...)
	name := func(at int) string { // by the office, or as the device calls it
		if port := match.Front(at); port >= 0 {
			return device.Ports[port].Name
		}
		return r.Ports[at].Name
	}
	for port := range device.Ports {
		if match[port] < 0 {
			continue
		}
		one := &r.Ports[match[port]]
		v := ToldPort{Port: device.Ports[port].Name, Shut: one.Shut}
		if one.Name != v.Port {
			v.Called = one.Name
		}
		if one.Link != "" {
			v.Link = &one.Link
		}
		if one.Mbps > 0 {
			v.Mbps = &one.Mbps
		}
		if one.Bridged && device.Ports[port].Bundle == 0 && one.Unsaid == "" {
			setting := r.said(o, one)
			if r.Tells(TellsUntagged) {
				v.Untagged, v.Tagged = append([]office.VID{}, setting.Untagged.VIDs()...), append([]office.VID{}, setting.Tagged.VIDs()...)
			}
			if r.Tells(TellsPVID) && setting.PVID != 0 {
				v.PVID = &setting.PVID
			}
			if r.Tells(TellsAdmit) {
				text := setting.Admit.String()
				v.Admit = &text
			}
			if r.Tells(TellsFilter) {
				v.Filter = &setting.Filter
			}
		}
		telling.Ports = append(telling.Ports, v)
	}
	for k, learnt := range r.Learnt {
		if k == mostCards {
			telling.Trouble = append(telling.Trouble, fmt.Sprintf("it has learnt %d cards: the first %d are told", len(r.Learnt), mostCards))
			break
		}
		telling.Learnt = append(telling.Learnt, ToldCard{learnt.MAC, name(learnt.Port), learnt.VID})
	}
	for _, neighbour := range r.Neighbours {
		telling.Neighbours = append(telling.Neighbours, ToldNeighbour{
			Port: name(neighbour.Port), Device: neighbour.Device, RemotePort: neighbour.RemotePort, Card: neighbour.Card, Phone: neighbour.Phone, PVID: neighbour.PVID, Voice: neighbour.Voice, VoiceTagged: neighbour.VoiceTagged, Bundled: neighbour.Aggregated,
		})
	}
	if one := r.RoutingOn(o, device, match); one != nil {
		telling.Routing = &ToldRouting{append([]string{}, one.Lines(device)...), append([]string{}, one.Differs(o, device)...), append([]string{}, one.Unsaid...)}
	}
	return telling
}

// Seen is what devices told of what is around them, for findings.
func Seen(o *office.Office, all []*Telling) *finding.Seen {
	seen := &finding.Seen{}
	find := heardAt(o, all)
	for _, telling := range all {
		for _, neighbour := range telling.Neighbours {
			by, _ := find(office.PortRef{Device: neighbour.Device, Port: neighbour.RemotePort})
			seen.Heard = append(seen.Heard, finding.Heard{At: office.PortRef{Device: telling.Device, Port: neighbour.Port}, By: by})
		}
		for _, card := range telling.Learnt {
			seen.Learnt = append(seen.Learnt, finding.Learnt{At: office.PortRef{Device: telling.Device, Port: card.Port}, VID: card.VID, MAC: card.MAC})
		}
	}
	return seen
}
