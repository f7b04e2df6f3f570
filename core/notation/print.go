package notation

import (
	"fmt"
	"strings"

	"klammer/core/office"
)

// Print gives the one canonical form of an office. Reading it gives the same
// office.
func Print(o *office.Office) string { return (&File{Office: o}).String() }

// String prints the office with the comments of the text that it came from.
func (f *File) String() string {
	one := &printer{comments: f.comments}
	one.office(f.Office)
	return one.b.String()
}

// WithOffice is the file with another office in the place of its own: the
// comments stay with the statements that are still there.
func (f *File) WithOffice(o *office.Office) *File { return &File{Office: o, comments: f.comments} }

type printer struct {
	b        strings.Builder
	comments map[string]comment
}

// line writes one statement with its comments.
func (p *printer) line(key, indent, text string) {
	comment, ok := p.comments[key]
	if ok {
		for _, a := range comment.above {
			p.b.WriteString(indent)
			p.b.WriteString(a)
			p.b.WriteByte('\n')
		}
	}
	p.b.WriteString(indent)
	p.b.WriteString(text)
	if ok && comment.after != "" {
		p.b.WriteString("  ")
		p.b.WriteString(comment.after)
	}
	p.b.WriteByte('\n')
}

// gap parts two sections by one blank line.
func (p *printer) gap() {
	if p.b.Len() > 0 {
		p.b.WriteByte('\n')
	}
}

// office prints everything, a blank line between kinds, so that what refers stands behind what it
// refers to: devices behind the plans that they follow, cables and plugs behind the devices.
func (p *printer) office(o *office.Office) {
	if o.Title != "" {
		p.line("office", "", Thing(office.Title(o.Title)))
	}
	section := func(n int) {
		if n > 0 {
			p.gap()
		}
	}
	section(len(o.VLANs))
	for _, one := range o.VLANs {
		p.line(string(one.Key()), "", Thing(one))
	}
	section(len(o.Services))
	for _, named := range o.Services {
		p.line(string(named.Key()), "", Thing(named))
	}
	section(len(o.Uses))
	for _, use := range o.Uses {
		p.line(string(use.Key()), "", Thing(use))
	}
	for _, plan := range o.Plans {
		p.gap()
		p.plan(plan)
	}
	for _, device := range o.Devices {
		p.gap()
		p.device(device)
	}
	section(len(o.Cables))
	p.cables(o)
	section(len(o.Plugs))
	for _, plug := range o.Plugs {
		p.line(string(plug.Key()), "", Thing(plug))
	}
	section(len(o.Wishes))
	for _, wish := range o.Wishes {
		p.line(string(wish.Key()), "", Thing(wish))
	}
	for _, c := range p.comments["end"].above {
		p.b.WriteString(c + "\n")
	}
}

// Thing prints one thing as its statement, a plan or a device with its lines.
//
// Many branches: one switch, a case a kind of thing.
func Thing(thing office.Thing) string {
	switch t := thing.(type) {
	case office.Title:
		return "office " + quote(string(t))
	case *office.VLAN:
		var text strings.Builder
		fmt.Fprintf(&text, "vlan %d %s", t.VID, t.Name)
		if t.Note != "" {
			text.WriteString(" " + quote(t.Note))
		}
		for _, one := range t.Nets {
			text.WriteString(" net " + one.String())
		}
		if t.Local {
			text.WriteString(" local")
		}
		if t.Guarded {
			text.WriteString(" guarded")
		}
		return text.String()
	case *office.Use:
		return "use " + t.Name + " " + Shape(t.Shape)
	case office.Setting:
		if t.Shape == nil {
			return "-" + t.Port.Device + " " + listName(t.Port.Port)
		}
		return t.Port.Device + " " + listName(t.Port.Port) + ": " + settingText(t.Shape, t.Because)
	case office.Order:
		var text strings.Builder
		text.WriteString("order " + t.List)
		for _, x := range t.Items {
			text.WriteString(" " + quote(x))
		}
		return text.String()
	case office.Cable:
		return "cable " + Ref(t.A) + " " + Ref(t.B)
	case office.Plug:
		text := fmt.Sprintf("plug %s %s wants %d", Ref(t.Port), quote(t.Name), t.Wants)
		if t.Tagged {
			text += " tagged"
		}
		if t.Operator {
			text += " operator"
		}
		if t.At.IsValid() {
			text += " at " + t.At.String()
		}
		if t.MAC != "" {
			text += " card " + string(t.MAC)
		}
		for fact, noted := range t.Facts.Noted() {
			text += " " + fact.Word + " " + quote(noted)
		}
		return text
	case *office.NamedService:
		return serviceText(t)
	case *office.Wish:
		return t.String()
	case office.RuleAt:
		return t.Device + " " + t.Rule.String()
	case *office.Plan:
		one := &printer{}
		one.plan(t)
		return strings.TrimSuffix(one.b.String(), "\n")
	case *office.Device:
		one := &printer{}
		one.device(t)
		return strings.TrimSuffix(one.b.String(), "\n")
	}
	return ""
}

// settingText is what a port is set to, with the reason why it departs from its plan.
func settingText(one *office.Shape, because string) string {
	if because == "" {
		return Shape(*one)
	}
	return Shape(*one) + " because " + quote(because)
}

func planKey(plan *office.Plan, i int) string { return fmt.Sprintf("plan:%s/%d", plan.Name, i) }

// plan prints a port plan, ranges of places joined where neighbours are alike.
func (p *printer) plan(plan *office.Plan) {
	p.line(string(plan.Key()), "", "plan "+plan.Name)
	for i, line := range plan.Lines {
		var places []string
		for _, r := range line.Ports {
			text := placeText(r.From)
			if r.To != r.From {
				text += "-" + placeText(r.To)
			}
			places = append(places, text)
		}
		p.line(planKey(plan, i), "  ", strings.Join(places, ",")+": "+Shape(line.Shape))
	}
}

// device prints a device with its body, each line only where it says other than the default.
func (p *printer) device(device *office.Device) {
	head := "device " + device.Name + " " + string(device.Kind)
	if device.Follows != "" {
		head += " follows " + device.Follows
	}
	p.line(string(device.Key()), "", head)
	in := func(key, format string, args ...any) {
		p.line(device.Name+"/"+key, "  ", fmt.Sprintf(format, args...))
	}
	if device.Forwarding != office.Bridge {
		in("forwarding", "forwarding %s", device.Forwarding)
	}
	if device.Front() > 0 {
		in("ports", "ports %s", frontText(device))
	}
	if device.Wording.Name != "" {
		in("wording", "wording %s", device.Wording)
	}
	var limits []string
	for _, l := range []struct {
		name string
		n    int
	}{{"vlans", device.Limits.VLANs}, {"addresses", device.Limits.Addresses}, {"zones", device.Limits.Zones}, {"rows", device.Limits.Rows}, {"rules", device.Limits.Rules}} {
		if l.n > 0 {
			limits = append(limits, fmt.Sprintf("%s %d", l.name, l.n))
		}
	}
	if len(limits) > 0 {
		in("limit", "limit %s", strings.Join(limits, " "))
	}
	if device.Adjacent {
		in("bundles", "bundles adjacent")
	}
	if device.Console {
		in(console, console)
	}
	for _, port := range device.Ports {
		if port.Kind == office.Bundle {
			in("bundle:"+port.Name, "bundle %s %s %s", listName(port.Name), port.Mode, Ports(device, port.Members))
		}
	}
	if device.Manage != nil {
		in("manage", "%s", ManageText(device.Manage))
	}
	if one := device.Factory; one != nil {
		in(ofFactory, "%s %s", ofFactory, FactoryText(one))
	}
	for _, one := range device.Speaks {
		in("speaks:"+string(one.Protocol), "speaks %s", one)
	}
	p.settings(device)
	for _, port := range device.Ports {
		if port.Kind == office.Inner {
			in("inner:"+port.Name, "inner %s %s: %s", listName(port.Name), port.Flavour, settingText(port.Shape, port.Because))
		}
	}
	for fact, text := range device.Facts.Noted() {
		in(fact.Word, "%s %s", fact.Word, quote(text))
	}
	for _, noted := range portFacts(device) {
		in(noted.word+":"+noted.first, "%s", noted.text)
	}
	for _, address := range device.Addresses {
		in("address:"+addressKey(address), "%s", AddressText(address))
	}
	p.policy(device)
}

// ManageText writes where a device is managed: "manage 190 10.61.190.2/24 via 10.61.190.1".
func ManageText(manage *office.Manage) string {
	text := fmt.Sprintf("manage %d", manage.VID)
	if manage.Addr.IsValid() {
		text += " " + manage.Addr.String()
	}
	if manage.Bits > 0 {
		text += fmt.Sprintf("/%d", manage.Bits)
	}
	switch {
	case manage.Alone:
		text += " via none"
	case manage.Via.IsValid():
		text += " via " + manage.Via.String()
	}
	return text
}

// FactoryText writes where a fresh device answers: "192.168.1.1/24 in 1".
func FactoryText(one *office.Factory) string { return fmt.Sprintf("%s in %d", one.Prefix, one.VID) }

// settings writes what is set on ports; neighbours with the same share a line.
func (p *printer) settings(device *office.Device) {
	for i := 0; i < len(device.Ports); {
		port := &device.Ports[i]
		if port.Shape == nil || port.Kind == office.Inner {
			i++
			continue
		}
		j := i
		for port.Kind == office.Physical && j+1 < len(device.Ports) && device.Ports[j+1].Kind == office.Physical {
			other := &device.Ports[j+1]
			if other.Shape == nil || other.Because != port.Because || other.Shape != port.Shape && !other.Shape.Equal(*port.Shape) {
				break
			}
			j++
		}
		// comments of lines that have become one stay, above it
		for at := i + 1; at <= j && p.comments != nil; at++ {
			comment := p.comments[device.Name+"/set:"+device.Ports[at].Name]
			for _, a := range comment.above {
				p.b.WriteString("  " + a + "\n")
			}
			if comment.after != "" {
				p.b.WriteString("  " + comment.after + "\n")
			}
		}
		p.line(device.Name+"/set:"+port.Name, "  ", rangeText(device, i, j)+": "+settingText(port.Shape, port.Because))
		i = j + 1
	}
}

// frontText is "1-24 1G, 25-26 10G".
func frontText(device *office.Device) string {
	var parts []string
	for i, n := 0, device.Front(); i < n; {
		port := &device.Ports[i]
		j := i
		for port.Inside == "" && j+1 < n && device.Ports[j+1].Speed == port.Speed && device.Ports[j+1].Inside == "" && follows(device.Ports[j].Name, device.Ports[j+1].Name) {
			j++
		}
		text := listName(port.Name)
		if j > i {
			text = port.Name + "-" + device.Ports[j].Name
		}
		if port.Inside != "" {
			text += " as " + name(port.Inside)
		}
		if port.Speed != 0 {
			text += " " + port.Speed.String()
		}
		parts = append(parts, text)
		i = j + 1
	}
	return strings.Join(parts, ", ")
}

// follows says whether a-b would be read as a range of names in which b comes
// right after a.
func follows(a, b string) bool {
	if !plainName(a) || !plainName(b) || strings.Contains(a, "-") || strings.Contains(b, "-") {
		return false
	}
	names, wrong := expand(item{from: a + "-" + b})
	return wrong == nil && len(names) == 2 && names[0] == a && names[1] == b
}

// cables writes one line for a bundle-to-bundle run of cables.
func (p *printer) cables(o *office.Office) {
	type at struct {
		device *office.Device
		port   *office.Port
	}
	byName := make(map[string]*office.Device, len(o.Devices))
	for _, device := range o.Devices {
		byName[device.Name] = device
	}
	bundleOf := func(ref office.PortRef) at {
		device := byName[ref.Device]
		if b := device.Ports[device.Port(ref.Port)].Bundle; b > 0 {
			return at{device, &device.Ports[b-1]}
		}
		return at{}
	}
	for i := 0; i < len(o.Cables); {
		cable := o.Cables[i]
		x, y := bundleOf(cable.A), bundleOf(cable.B)
		n := 1
		text := Thing(cable)
		if x.port != nil && y.port != nil && len(x.port.Members) == len(y.port.Members) && i+len(x.port.Members) <= len(o.Cables) {
			whole := true
			for k, port := range x.port.Members {
				other := o.Cables[i+k]
				whole = whole && other.A == (office.PortRef{Device: x.device.Name, Port: x.device.Ports[port].Name}) &&
					other.B == (office.PortRef{Device: y.device.Name, Port: y.device.Ports[y.port.Members[k]].Name})
			}
			if whole {
				n = len(x.port.Members)
				text = "cable " + x.device.Name + "." + name(x.port.Name) + " " + y.device.Name + "." + name(y.port.Name)
			}
		}
		p.line(string(cable.Key()), "", text)
		i += n
	}
}

// AddressText is an address of a device as its statement.
func AddressText(address office.Address) string {
	text := fmt.Sprintf("address %d %s", address.VID, address.Prefix)
	if address.On != "" {
		text += " on " + name(address.On)
	}
	if address.Zone != "" {
		text += " zone " + name(address.Zone)
	}
	if address.From.IsValid() {
		text += fmt.Sprintf(" handout %s-%s", address.From, address.To)
	}
	if address.Admits != nil {
		text += " admits " + office.Services(address.Admits)
	}
	if address.Gateway {
		text += " gateway"
	}
	return text
}
