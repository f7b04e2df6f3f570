package notation

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// Statements prints what an edit does, as statements that [Line] reads. Where
// no statement says it (a device that changes in several ways), it is told in
// words, and exact is false.
//
//	> core 1: off; floor 2: 160 because "a kiosk"
//	core 1: off
//	floor 2: 160 because "a kiosk"
func Statements(o *office.Office, edit office.Edit) (lines []string, exact bool) {
	exact = true
	type run struct {
		device *office.Device
		at     []int
		s      office.Setting
	}
	var cur *run
	flush := func() {
		if cur == nil {
			return
		}
		slices.Sort(cur.at)
		list := Ports(cur.device, cur.at)
		if cur.s.Shape == nil {
			lines = append(lines, "-"+cur.device.Name+" "+list)
		} else {
			lines = append(lines, cur.device.Name+" "+list+": "+settingText(cur.s.Shape, cur.s.Because))
		}
		cur = nil
	}
	for _, change := range edit {
		if setting, ok := change.After.(office.Setting); ok {
			device := o.Device(setting.Port.Device)
			if device == nil || device.Port(setting.Port.Port) < 0 { // later statements took it away
				exact = false
				continue
			}
			if cur == nil || cur.device.Name != device.Name || !sameSetting(cur.s, setting) {
				flush()
				cur = &run{device: device, s: setting}
			}
			cur.at = append(cur.at, device.Port(setting.Port.Port))
			continue
		}
		flush()
		if rule, ok := change.Before.(office.RuleAt); ok && change.After == nil {
			lines = append(lines, fmt.Sprintf("-%s rule %d", rule.Device, change.At+1))
			continue
		}
		if rule, ok := change.After.(office.RuleAt); ok {
			lines = append(lines, fmt.Sprintf("%s rule %d %s", rule.Device, change.At+1, rule.Rule))
			continue
		}
		if change.After == nil {
			lines = append(lines, "-"+Removal(change.Before))
			continue
		}
		if _, isDevice := change.After.(*office.Device); isDevice && change.Before != nil {
			exact = false
			lines = append(lines, deviceLines(change.Before.(*office.Device), change.After.(*office.Device))...)
			continue
		}
		lines = append(lines, Thing(change.After))
	}
	flush()
	return lines, exact
}

// deviceLines is what leads from a device to itself after an edit, as statements: those that take
// away before those that put something in the place. What no statement says (another kind, another
// speed of a port) is told behind a #, and so is a change of mere order.
//
//	> core limit vlans 16; core manage 190 10.61.190.4/24 via 10.61.190.1
//	core limit vlans 16
//	core manage 190 10.61.190.4/24 via 10.61.190.1
func deviceLines(was, is *office.Device) (lines []string) {
	say := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	if was.Kind != is.Kind {
		say("# %s is a %s now", is.Name, is.Kind)
	}
	lines = append(lines, settingsGone(was, is)...)
	lines = append(lines, bodyGone(was, is)...)
	lines = append(lines, PaperLines(withoutFacts(was), withoutFacts(is))...)
	lines = append(lines, frontLines(was, is)...)
	switch {
	case was.Follows == is.Follows:
	case is.Follows == "":
		say("-%s follows", is.Name)
	default:
		say("%s follows %s", is.Name, name(is.Follows))
	}
	before := body(was)
	come := slices.DeleteFunc(body(is), func(line string) bool { return slices.Contains(before, line) })
	for _, bundles := range []bool{true, false} { // settings between them: those of bundles, and a line to the outside wants its port clear
		for _, line := range come {
			if strings.HasPrefix(line, "bundle ") == bundles {
				say("%s %s", is.Name, line)
			}
		}
		if bundles {
			lines = append(lines, settingsCome(was, is)...)
		}
	}
	lines = append(lines, FactLines(was, is)...)
	if len(lines) == 0 {
		say("# device %s changed", is.Name)
	}
	return lines
}

// body is the lines of a device that are said one by one: all but its front, what is set on its
// ports, what is noted, and what [PaperLines] says.
func body(device *office.Device) (lines []string) {
	bare := withoutFacts(device)
	bare.Wording, bare.Limits, bare.Adjacent, bare.Console, bare.Factory, bare.Speaks = office.Wording{}, office.Limits{}, false, false, nil, nil
	for i := range bare.Ports {
		if bare.Ports[i].Kind != office.Inner {
			bare.Ports[i].Shape, bare.Ports[i].Because = nil, ""
		}
	}
	for _, line := range strings.Split(Thing(bare), "\n")[1:] {
		if line = strings.TrimSpace(line); !strings.HasPrefix(line, "ports ") {
			lines = append(lines, line)
		}
	}
	return lines
}

// bodyGone is what of a device's lines is no more, each by the words that name it. Rules go first
// and addresses late, as a rule may name the zone of one.
func bodyGone(was, is *office.Device) (gone []string) {
	after := body(is)
	before := body(was)
	slices.Reverse(before)
	for _, line := range before {
		word, rest, _ := strings.Cut(line, " ")
		said := func(head string) bool { // otherwise: the new line takes the place of the old one
			return slices.ContainsFunc(after, func(one string) bool { return strings.HasPrefix(one+" ", head+" ") })
		}
		text := line
		switch word {
		case "forwarding":
			if !said(word) {
				gone = append(gone, is.Name+" forwarding "+office.Bridge.String())
			}
			continue
		case "manage", "between", "within", "stateless", "stateful":
			if said(word) {
				continue
			}
			text = word
		case "address":
			text = strings.Join(strings.Fields(line)[:3], " ")
			_, on, _ := strings.Cut(line, " on ")
			on, _, _ = strings.Cut(on, " ")
			if slices.ContainsFunc(after, func(one string) bool { // a port may become a member, which has none
				return strings.HasPrefix(one+" ", text+" ") && strings.Contains(one+" ", " on "+on+" ") == (on != "")
			}) {
				continue
			}
		case "bundle", "outside", "inner":
			text = word + " " + firstName(rest)
			if word == "inner" { // which cannot be said again
				if slices.Contains(after, line) {
					continue
				}
			} else if said(text) {
				continue
			}
		default:
			if slices.Contains(after, line) {
				continue
			}
		}
		gone = append(gone, "-"+is.Name+" "+text)
	}
	return gone
}

// firstName is the name that a text begins with, in its quotes if it has some.
func firstName(text string) string {
	if !strings.HasPrefix(text, `"`) {
		name, _, _ := strings.Cut(text, " ")
		return name
	}
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '\\':
			i++
		case '"':
			return text[:i+1]
		}
	}
	return text
}

// frontLines is the ports of the front that come and go, and those that are said otherwise. That a
// port has no speed any more, or is called nothing inside, no statement says.
func frontLines(was, is *office.Device) (lines []string) {
	only := func(device *office.Device, in func(port *office.Port) bool) *office.Device {
		out := &office.Device{Name: device.Name}
		for i := range device.Ports[:device.Front()] {
			if port := &device.Ports[i]; in(port) {
				out.Ports = append(out.Ports, office.Port{Name: port.Name, Inside: port.Inside, Speed: port.Speed})
			}
		}
		return out.Seal()
	}
	unsaid := false
	gone := only(was, func(port *office.Port) bool { return is.Port(port.Name) < 0 })
	come := only(is, func(port *office.Port) bool {
		at := was.Port(port.Name)
		if at < 0 {
			return true
		}
		before := &was.Ports[at]
		unsaid = unsaid || before.Speed != 0 && port.Speed == 0 || before.Inside != "" && port.Inside == ""
		return before.Speed != port.Speed && port.Speed != 0 || before.Inside != port.Inside && port.Inside != ""
	})
	if len(gone.Ports) > 0 {
		lines = append(lines, "-"+is.Name+" ports "+front(gone))
	}
	if len(come.Ports) > 0 {
		lines = append(lines, is.Name+" ports "+frontText(come))
	}
	if unsaid {
		lines = append(lines, "# "+is.Name+" ports "+frontText(is))
	}
	return lines
}

// front is a device's ports as a list.
func front(device *office.Device) string {
	at := make([]int, len(device.Ports))
	for i := range at {
		at[i] = i
	}
	return Ports(device, at)
}

// settingsGone takes away what is set on ports that have nothing of their own any more, as those
// have that become members of a bundle.
func settingsGone(was, is *office.Device) []string {
	var at []int
	for i := range was.Ports {
		if now := is.Port(was.Ports[i].Name); was.Ports[i].Shape != nil && was.Ports[i].Kind != office.Inner && now >= 0 && is.Ports[now].Shape == nil {
			at = append(at, i)
		}
	}
	if len(at) == 0 {
		return nil
	}
	return []string{"-" + is.Name + " " + Ports(was, at)}
}

// settingsCome is what is set on ports otherwise than before, inner ports aside.
func settingsCome(was, is *office.Device) (lines []string) {
	var edit office.Edit
	for i := range is.Ports {
		port := &is.Ports[i]
		one := office.Setting{Port: office.PortRef{Device: is.Name, Port: port.Name}, Shape: port.Shape, Because: port.Because}
		if port.Kind == office.Inner || port.Shape == nil {
			continue
		}
		if at := was.Port(port.Name); at < 0 || !sameSetting(one, office.Setting{Shape: was.Ports[at].Shape, Because: was.Ports[at].Because}) {
			edit = append(edit, office.Change{After: one})
		}
	}
	lines, _ = Statements(&office.Office{Devices: []*office.Device{is}}, edit)
	return lines
}

func sameSetting(a, b office.Setting) bool {
	return a.Because == b.Because && (a.Shape == nil) == (b.Shape == nil) && (a.Shape == nil || a.Shape.Equal(*b.Shape))
}

// PaperLines is the statements that lead from what is said about a device to what another says of it,
// of all that is not set on it: wording, limits, console, how it is spoken to, what is noted.
func PaperLines(was, device *office.Device) (out []string) {
	say := func(differs, have bool, plus, minus string) {
		switch {
		case !differs:
		case have:
			out = append(out, device.Name+" "+plus)
		default:
			out = append(out, "-"+device.Name+" "+minus)
		}
	}
	say(was.Wording.String() != device.Wording.String(), device.Wording.Name != "", "wording "+device.Wording.String(), "wording")
	for _, limit := range office.LimitNames {
		a, b := *was.Limits.Of(limit), *device.Limits.Of(limit)
		say(a != b, b > 0, fmt.Sprintf("limit %s %d", limit, b), "limit "+string(limit))
	}
	say(was.Adjacent != device.Adjacent, device.Adjacent, "bundles adjacent", "bundles adjacent")
	say(was.Console != device.Console, device.Console, "console", "console")
	if factory := device.Factory; factory == nil {
		say(was.Factory != nil, false, "", "factory")
	} else {
		say(was.Factory == nil || *was.Factory != *factory, true, "factory "+FactoryText(factory), "")
	}
	for _, speaks := range device.Speaks {
		say(!slices.Contains(was.Speaks, speaks), true, "speaks "+speaks.String(), "")
	}
	for _, speaks := range was.Speaks {
		gone := !slices.ContainsFunc(device.Speaks, func(one office.Speaks) bool { return one.Protocol == speaks.Protocol })
		say(gone, false, "", "speaks "+string(speaks.Protocol))
	}
	out = append(out, FactLines(was, device)...)
	return out
}
