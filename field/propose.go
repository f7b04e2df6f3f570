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
	var devices []Part
	taken := map[string]bool{}
	for _, device := range o.Devices {
		taken[device.Name] = true
	}
	called := map[string]*office.Device{} // by what a device calls itself
	for _, device := range o.Devices {
		called[device.Name] = device
	}
	for _, read := range all {
		if called[read.Reading.Name] != nil && read.Reading.Name != "" {
			continue // it is there already
		}
		name := deviceName(read.Reading.Name, taken)
		device, lines, err := front(name, read)
		if err != nil {
			continue
		}
		taken[name] = true
		if read.Reading.Name != "" {
			called[read.Reading.Name] = device
		}
		devices = append(devices, Part{fmt.Sprintf("the device %s, %d ports", name, device.Front()), "device", lines})
	}
	return slices.Concat(proposeVLANs(o, all), devices, proposeCables(o, all, called))
}

// proposeVLANs is the VLANs that devices tell of and the office has not.
func proposeVLANs(o *office.Office, all []Read) (vlans []Part) {
	have, said := map[office.VID]bool{}, map[string]bool{}
	for _, vlan := range o.VLANs {
		have[vlan.VID], said[vlan.Name] = true, true
	}
	for _, read := range all {
		for _, vlan := range read.Reading.VLANs {
			if have[vlan.VID] {
				continue
			}
			name := vlanName(vlan.Name)
			if name == "" || said[name] {
				name = fmt.Sprintf("vlan-%d", vlan.VID)
			}
			have[vlan.VID], said[name] = true, true
			line := fmt.Sprintf("vlan %d %s", vlan.VID, name)
			if vlan.VID == office.DefaultVID {
				line += " local"
			}
			vlans = append(vlans, Part{fmt.Sprintf("VLAN %d %s", vlan.VID, name), "vlan", []string{line}})
		}
	}
	slices.SortFunc(vlans, func(a, b Part) int { return office.NaturalCompare(a.What, b.What) })
	return vlans
}

// proposeCables is the cables over which devices hear each other, called by what they call
// themselves, where the office has none at either end.
func proposeCables(o *office.Office, all []Read, called map[string]*office.Device) (cables []Part) {
	told := map[string]*Telling{}
	for _, read := range all {
		if device := called[read.Reading.Name]; device != nil {
			told[device.Name] = read.Reading.Telling(o, device, MatchPorts(device, read.Reading))
		}
	}
	done := map[string]bool{}
	for _, read := range all {
		device := called[read.Reading.Name]
		if device == nil {
			continue
		}
		for _, neighbour := range told[device.Name].Neighbours {
			far := called[neighbour.Device]
			if far == nil || device.Port(neighbour.Port) < 0 {
				continue
			}
			port := slices.IndexFunc(far.Ports, func(one office.Port) bool {
				return one.Name == neighbour.RemotePort || one.Inside == neighbour.RemotePort
			})
			if port < 0 || far.Ports[port].Kind != office.Physical {
				continue
			}
			cable := office.Cable{A: office.PortRef{Device: device.Name, Port: neighbour.Port}, B: office.PortRef{Device: far.Name, Port: far.Ports[port].Name}}
			_, _, a := o.CableAt(cable.A)
			_, _, b := o.CableAt(cable.B)
			if a || b || done[cable.A.String()] || done[cable.B.String()] {
				continue
			}
			done[cable.A.String()], done[cable.B.String()] = true, true
			cables = append(cables, Part{"the cable " + spaced(cable.A) + " to " + spaced(cable.B), "cable", []string{notation.Thing(cable)}})
		}
	}
	return cables
}

func spaced(ref office.PortRef) string { return ref.Device + " " + ref.Port }

// vlanName is a name as a register can have it, "" where nothing is left of it.
func vlanName(text string) string {
	out := strings.Trim(strings.Map(func(c rune) rune {
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9', c == '-':
			return c
		case c >= 'A' && c <= 'Z':
			return c - 'A' + 'a'
		}
		return '-'
	}, text), "-0123456789")
	if len(out) > 32 {
		out = strings.Trim(out[:32], "-")
	}
	return out
}

// deviceName is a name as an office can have it, that none has yet.
func deviceName(text string, taken map[string]bool) string {
	text, _, _ = strings.Cut(text, ".") // the rest is a domain
	text = strings.Trim(strings.Map(func(c rune) rune {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '_' {
			return c
		}
		return '-'
	}, text), "-_")
	if text == "" || !office.PlainName(text) {
		text = "device"
	}
	name := text
	for k := 2; taken[name]; k++ {
		name = fmt.Sprintf("%s-%d", text, k)
	}
	return name
}

// front is a device with the ports that it told, set as it is, and the statements that
// make it.
func front(name string, read Read) (*office.Device, []string, error) {
	reading := read.Reading
	kind := office.Switch
	if !reading.Tells(TellsVLANs) {
		kind = office.Host
	}
	device, err := office.NewDevice(name, kind)
	if err != nil {
		return nil, nil, err
	}
	if err := addPorts(device, reading); err != nil {
		return nil, nil, err
	}
	device.PutSpeaks(read.Speaks)
	device.Seal()
	o := &office.Office{Devices: []*office.Device{device}}
	if reading.Tells(TellsVLANs) {
		net := span.Compile(o)
		state := reading.Found(o, device, MatchPorts(device, reading), wording.Planned(net, 0)).State
		if o, err = found.As(net, map[int]wording.State{0: state}); err != nil {
			return nil, nil, err
		}
	}
	text := strings.Split(strings.TrimSpace(notation.Thing(o.Devices[0])), "\n")
	lines := []string{text[0]}
	for _, line := range text[1:] {
		lines = append(lines, name+" "+strings.TrimSpace(line))
	}
	return o.Devices[0], lines, nil
}

// addPorts gives a device the ports that it told of: those of its front, or, where some are
// in a bridge, those that are; bundles of them; and what is inside of it.
//
// Many branches: front, bundles and inner ports are told in one list, in no order.
func addPorts(device *office.Device, reading *Reading) error {
	member := map[int]bool{}
	for _, port := range reading.Ports {
		for _, k := range port.Members {
			member[k] = true
		}
	}
	bridges := slices.ContainsFunc(reading.Ports, func(port Port) bool { return port.Bridged })
	place := map[int]int{}
	for at, port := range reading.Ports {
		if port.Inner || len(port.Members) > 0 || port.Name == "" || bridges && !port.Bridged && !member[at] {
			continue
		}
		speed := office.Speed(0)
		if slices.ContainsFunc(office.Speeds, func(s struct {
			Text  string
			Speed office.Speed
		}) bool {
			return s.Speed == office.Speed(port.Mbps)
		}) {
			speed = office.Speed(port.Mbps)
		}
		place[at] = len(device.Ports)
		if err := device.AddPort(port.Name, "", speed); err != nil {
			return err
		}
	}
	if len(device.Ports) == 0 {
		return fmt.Errorf("%s told of no port", device.Name)
	}
	for _, port := range reading.Ports {
		var at []string
		for _, k := range port.Members {
			if one, ok := place[k]; ok {
				at = append(at, device.Ports[one].Name)
			}
		}
		if len(at) > 0 {
			if err := device.AddBundle(port.Name, office.LACP, at); err != nil {
				return err
			}
		}
	}
	for _, port := range reading.Ports {
		if port.Inner && port.Bridged && port.Name != "" {
			shape := port.Set.Shape()
			if err := device.AddInner(port.Name, office.VirtualMachine, &shape); err != nil {
				return err
			}
		}
	}
	return nil
}
