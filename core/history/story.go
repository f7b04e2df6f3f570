package history

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"klammer/core/notation"
	"klammer/core/office"
)

// About narrows what happened down; the zero value is all of it. What is said holds together:
// a person's edits of a device.
type About struct {
	Who    string
	Device string
	Port   office.PortRef // the zero PortRef for any
	VLAN   office.VID     // 0 for any
	// Also are what made a port so besides: the plan that its device follows, and the uses in it.
	Also []office.Key
}

// AboutPort is what made a port as it is: what was said of it, of its cable, of what hangs
// there, of the bundle that it is in, of the plan that its device follows and of the uses that it
// has there.
func AboutPort(o *office.Office, ref office.PortRef) About {
	about := About{Port: ref}
	device := o.Device(ref.Device)
	if device == nil || device.Port(ref.Port) < 0 {
		return about
	}
	port := device.Logical(device.Port(ref.Port))
	if shape, _ := o.Written(device, port); shape != nil && shape.Use != "" {
		about.Also = append(about.Also, office.Key("use:"+shape.Use))
	}
	if device.Follows != "" && device.Ports[port].Shape == nil {
		about.Also = append(about.Also, office.Key("plan:"+device.Follows))
	}
	return about
}

// Edit says whether an edit is of what is asked about.
func (a About) Edit(made *Made) bool {
	if a.Who != "" && made.Author != a.Who {
		return false
	}
	if a.Device == "" && a.Port == (office.PortRef{}) && a.VLAN == 0 {
		return true
	}
	return slices.ContainsFunc(made.Changes, a.change)
}

// change says whether a change is part of the story of a port, a device or a VLAN: the thing itself
// was changed, or one that stands at it (its cable, its plug, its ports), or the change names the
// VLAN before or after. Several things asked for must all fit.
func (a About) change(change Change) bool {
	if slices.Contains(a.Also, change.Key) {
		return true
	}
	kind, rest, _ := strings.Cut(string(change.Key), ":")
	if a.Port != (office.PortRef{}) {
		at := a.Port.String()
		ok := (kind == "port" || kind == "plug" || kind == "cable") && slices.ContainsFunc(ends(kind, rest), func(end string) bool { return end == at })
		if !ok {
			return false
		}
	}
	if a.Device != "" {
		of := func(end string) bool { return end == a.Device || strings.HasPrefix(end, a.Device+".") }
		if !slices.ContainsFunc(ends(kind, rest), of) {
			return false
		}
	}
	return a.VLAN == 0 || kind == "vlan" && rest == strconv.Itoa(int(a.VLAN)) || a.names(change.Before) || a.names(change.After)
}

// ends are the devices and ports that a key names.
func ends(kind, rest string) []string {
	switch kind {
	case "device", "rules", "port":
		return []string{rest}
	case "plug":
		at, _, _ := strings.Cut(rest, " ")
		return []string{at}
	case "cable":
		return strings.Split(rest, " ")
	}
	return nil
}

// said is where a number in a statement is a VLAN: in a shape, or after a word that takes one.
var said = regexp.MustCompile(`(?m):[^"\n]*|\b(?:wants|manage|address|vlan|use \S+) [^"\n]*`)

// names says whether a statement names the VLAN that is asked about.
func (a About) names(statement string) bool {
	number := strconv.Itoa(int(a.VLAN))
	for _, part := range said.FindAllString(statement, -1) {
		for _, word := range strings.FieldsFunc(part, func(r rune) bool { return strings.ContainsRune(" :[]+,", r) }) {
			low, high, ok := strings.Cut(word, "-")
			if word == number {
				return true
			}
			if from, err := strconv.Atoi(low); ok && err == nil {
				if to, err := strconv.Atoi(high); err == nil && from <= int(a.VLAN) && int(a.VLAN) <= to {
					return true
				}
			}
		}
	}
	return false
}

// Deed says whether what was done on a device at a port, or by statements, is of what is asked
// about; o is the office that the statements are read in.
func (a About) Deed(o *office.Office, who, device, port string, lines []string) bool {
	if a.Who != "" && who != a.Who || a.Device != "" && device != a.Device {
		return false
	}
	if a.Port != (office.PortRef{}) && port != a.Port.String() && !slices.ContainsFunc(lines, func(line string) bool { return sets(o, line, a.Port) }) {
		return false
	}
	return a.VLAN == 0 || slices.ContainsFunc(lines, a.names)
}

// sets says whether a statement is of a port: rack 1-4,7: 130 of rack.3, cable rack.24 sw.8 of
// sw.8.
func sets(o *office.Office, line string, ref office.PortRef) bool {
	words := strings.Fields(line)
	if len(words) > 1 && strings.TrimPrefix(words[0], "-") == ref.Device {
		ports, _, ok := strings.Cut(strings.TrimSpace(strings.TrimPrefix(line, words[0])), ":")
		device := o.Device(ref.Device)
		if !ok || device == nil {
			return false
		}
		list, err := notation.PortList(device, ports)
		at := device.Port(ref.Port)
		return err == nil && at >= 0 && (slices.Contains(list, at) || slices.Contains(list, device.Logical(at)))
	}
	return slices.Contains(words, notation.Ref(ref))
}
