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
func (r *Reading) Telling(o *office.Office, d *office.Device, m Match) *Telling {
	r.nowhere(o, d, m, nil)
	t := &Telling{
		Device: d.Name, Source: r.Source, TookMS: r.Took.Milliseconds(), Requests: r.Requests, Name: r.Name, About: r.About, Addresses: r.Addresses,
		Ports: []ToldPort{}, VLANs: []VLAN{}, Learnt: []ToldCard{}, Neighbours: []ToldNeighbour{}, NotTold: []Told{}, Trouble: slices.Clone(r.Trouble),
	}
	t.VLANs, t.NotTold = append(t.VLANs, r.VLANs...), append(t.NotTold, r.NotTold...)
	name := func(at int) string { // by the office, or as the device calls it
		if p := m.Front(at); p >= 0 {
			return d.Ports[p].Name
		}
		return r.Ports[at].Name
	}
	for p := range d.Ports {
		if m[p] < 0 {
			continue
		}
		x := &r.Ports[m[p]]
		v := ToldPort{Port: d.Ports[p].Name, Shut: x.Shut}
		if x.Name != v.Port {
			v.Called = x.Name
		}
		if x.Link != "" {
			v.Link = &x.Link
		}
		if x.Mbps > 0 {
			v.Mbps = &x.Mbps
		}
		if x.Bridged && d.Ports[p].Bundle == 0 && x.Unsaid == "" {
			s := r.said(o, x)
			if r.Tells(TellsUntagged) {
				v.Untagged, v.Tagged = append([]office.VID{}, s.Untagged.VIDs()...), append([]office.VID{}, s.Tagged.VIDs()...)
			}
			if r.Tells(TellsPVID) && s.PVID != 0 {
				v.PVID = &s.PVID
			}
			if r.Tells(TellsAdmit) {
				text := s.Admit.String()
				v.Admit = &text
			}
			if r.Tells(TellsFilter) {
				v.Filter = &s.Filter
			}
		}
		t.Ports = append(t.Ports, v)
	}
	for k, l := range r.Learnt {
		if k == mostCards {
			t.Trouble = append(t.Trouble, fmt.Sprintf("it has learnt %d cards: the first %d are told", len(r.Learnt), mostCards))
			break
		}
		t.Learnt = append(t.Learnt, ToldCard{l.MAC, name(l.Port), l.VID})
	}
	for _, n := range r.Neighbours {
		t.Neighbours = append(t.Neighbours, ToldNeighbour{
			Port: name(n.Port), Device: n.Device, RemotePort: n.RemotePort, Card: n.Card, Phone: n.Phone, PVID: n.PVID, Voice: n.Voice, VoiceTagged: n.VoiceTagged, Bundled: n.Aggregated,
		})
	}
	if x := r.RoutingOn(o, d, m); x != nil {
		t.Routing = &ToldRouting{append([]string{}, x.Lines(d)...), append([]string{}, x.Differs(o, d)...), append([]string{}, x.Unsaid...)}
	}
	return t
}

// Seen is what devices told of what is around them, for findings.
func Seen(o *office.Office, all []*Telling) *finding.Seen {
	s := &finding.Seen{}
	find := heardAt(o, all)
	for _, t := range all {
		for _, n := range t.Neighbours {
			by, _ := find(office.PortRef{Device: n.Device, Port: n.RemotePort})
			s.Heard = append(s.Heard, finding.Heard{At: office.PortRef{Device: t.Device, Port: n.Port}, By: by})
		}
		for _, l := range t.Learnt {
			s.Learnt = append(s.Learnt, finding.Learnt{At: office.PortRef{Device: t.Device, Port: l.Port}, VID: l.VID, MAC: l.MAC})
		}
	}
	return s
}
