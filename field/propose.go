package field

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/found"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
	"klammer/core/wording"
)

// Part is something that reading proposes for an office, to be taken or left.
type Part struct {
	What  string   `json:"what" required:"true" description:"the device rack, 26 ports"`
	Kind  string   `json:"kind" required:"true" enum:"vlan,device,cable"`
	Lines []string `json:"lines" required:"true" nullable:"false" description:"statements of the line"`
}

// Read is a device that answered at an address.
type Read struct {
	Speaks  office.Speaks
	Reading *Reading
}

// Propose is what devices that answered come to, beside what the office has: VLANs,
// devices with their fronts as they are set, cables as they hear each other. Each part
// can be taken without those behind it.
func Propose(o *office.Office, all []Read) []Part {
	var vlans, devices, cables []Part
	taken := map[string]bool{}
	for _, d := range o.Devices {
		taken[d.Name] = true
	}
	names := map[office.VID]string{}
	for _, v := range o.VLANs {
		names[v.VID] = v.Name
	}
	said := map[string]bool{} // names of VLANs
	for _, v := range o.VLANs {
		said[v.Name] = true
	}
	called := map[string]*office.Device{} // by what a device calls itself
	for _, d := range o.Devices {
		called[d.Name] = d
	}
	for _, x := range all {
		for _, v := range x.Reading.VLANs {
			if _, have := names[v.VID]; have {
				continue
			}
			name := vlanName(v.Name)
			if name == "" || said[name] {
				name = fmt.Sprintf("vlan-%d", v.VID)
			}
			names[v.VID], said[name] = name, true
			line := fmt.Sprintf("vlan %d %s", v.VID, name)
			if v.VID == office.DefaultVID {
				line += " local"
			}
			vlans = append(vlans, Part{fmt.Sprintf("VLAN %d %s", v.VID, name), "vlan", []string{line}})
		}
	}
	slices.SortFunc(vlans, func(a, b Part) int { return office.NaturalCompare(a.What, b.What) })
	for _, x := range all {
		if called[x.Reading.Name] != nil && x.Reading.Name != "" {
			continue // it is there already
		}
		name := deviceName(x.Reading.Name, taken)
		d, lines, err := front(name, x)
		if err != nil {
			continue
		}
		taken[name] = true
		if x.Reading.Name != "" {
			called[x.Reading.Name] = d
		}
		devices = append(devices, Part{fmt.Sprintf("the device %s, %d ports", name, d.Front()), "device", lines})
	}
	told := map[string]*Telling{}
	for _, x := range all {
		if d := called[x.Reading.Name]; d != nil {
			told[d.Name] = x.Reading.Telling(o, d, MatchPorts(d, x.Reading))
		}
	}
	done := map[string]bool{}
	for _, x := range all {
		d := called[x.Reading.Name]
		if d == nil {
			continue
		}
		for _, n := range told[d.Name].Neighbours {
			far := called[n.Device]
			if far == nil || d.Port(n.Port) < 0 {
				continue
			}
			q := slices.IndexFunc(far.Ports, func(p office.Port) bool { return p.Name == n.RemotePort || p.Inside == n.RemotePort })
			if q < 0 || far.Ports[q].Kind != office.Physical {
				continue
			}
			c := office.Cable{A: office.PortRef{Device: d.Name, Port: n.Port}, B: office.PortRef{Device: far.Name, Port: far.Ports[q].Name}}
			_, _, a := o.CableAt(c.A)
			_, _, b := o.CableAt(c.B)
			if a || b || done[c.A.String()] || done[c.B.String()] {
				continue
			}
			done[c.A.String()], done[c.B.String()] = true, true
			cables = append(cables, Part{"the cable " + spaced(c.A) + " to " + spaced(c.B), "cable", []string{notation.Thing(c)}})
		}
	}
	return slices.Concat(vlans, devices, cables)
}

func spaced(r office.PortRef) string { return r.Device + " " + r.Port }

// vlanName is a name as a register can have it, "" where nothing is left of it.
func vlanName(s string) string {
	out := strings.Trim(strings.Map(func(c rune) rune {
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9', c == '-':
			return c
		case c >= 'A' && c <= 'Z':
			return c - 'A' + 'a'
		}
		return '-'
	}, s), "-0123456789")
	if len(out) > 32 {
		out = strings.Trim(out[:32], "-")
	}
	return out
}

// deviceName is a name as an office can have it, that none has yet.
func deviceName(s string, taken map[string]bool) string {
	s, _, _ = strings.Cut(s, ".") // the rest is a domain
	s = strings.Trim(strings.Map(func(c rune) rune {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '_' {
			return c
		}
		return '-'
	}, s), "-_")
	if s == "" || !office.PlainName(s) {
		s = "device"
	}
	name := s
	for k := 2; taken[name]; k++ {
		name = fmt.Sprintf("%s-%d", s, k)
	}
	return name
}

// front is a device with the ports that it told, set as it is, and the statements that
// make it.
func front(name string, x Read) (*office.Device, []string, error) {
	r := x.Reading
	kind := office.Switch
	if !r.Tells(TellsVLANs) {
		kind = office.Host
	}
	d, err := office.NewDevice(name, kind)
	if err != nil {
		return nil, nil, err
	}
	member := map[int]bool{}
	for _, p := range r.Ports {
		for _, k := range p.Members {
			member[k] = true
		}
	}
	bridges := slices.ContainsFunc(r.Ports, func(p Port) bool { return p.Bridged })
	place := map[int]int{}
	for at, p := range r.Ports {
		if p.Inner || len(p.Members) > 0 || p.Name == "" || bridges && !p.Bridged && !member[at] {
			continue
		}
		speed := office.Speed(0)
		if slices.ContainsFunc(office.Speeds, func(s struct {
			Text  string
			Speed office.Speed
		}) bool {
			return s.Speed == office.Speed(p.Mbps)
		}) {
			speed = office.Speed(p.Mbps)
		}
		place[at] = len(d.Ports)
		if err := d.AddPort(p.Name, "", speed); err != nil {
			return nil, nil, err
		}
	}
	if len(d.Ports) == 0 {
		return nil, nil, fmt.Errorf("%s told of no port", name)
	}
	for _, p := range r.Ports {
		var at []string
		for _, k := range p.Members {
			if q, ok := place[k]; ok {
				at = append(at, d.Ports[q].Name)
			}
		}
		if len(at) > 0 {
			if err := d.AddBundle(p.Name, office.LACP, at); err != nil {
				return nil, nil, err
			}
		}
	}
	for _, p := range r.Ports {
		if p.Inner && p.Bridged && p.Name != "" {
			s := p.Set.Shape()
			if err := d.AddInner(p.Name, office.VirtualMachine, &s); err != nil {
				return nil, nil, err
			}
		}
	}
	d.PutSpeaks(x.Speaks)
	d.Seal()
	o := &office.Office{Devices: []*office.Device{d}}
	if r.Tells(TellsVLANs) {
		n := span.Compile(o)
		state := r.Found(o, d, MatchPorts(d, r), wording.Planned(n, 0)).State
		if o, err = found.As(n, map[int]wording.State{0: state}); err != nil {
			return nil, nil, err
		}
	}
	text := strings.Split(strings.TrimSpace(notation.Thing(o.Devices[0])), "\n")
	lines := []string{text[0]}
	for _, l := range text[1:] {
		lines = append(lines, name+" "+strings.TrimSpace(l))
	}
	return o.Devices[0], lines, nil
}
