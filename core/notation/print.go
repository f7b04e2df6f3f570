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
	p := &printer{comments: f.comments}
	p.office(f.Office)
	return p.b.String()
}

// WithOffice is the file with another office in the place of its own: the
// comments stay with the statements that are still there.
func (f *File) WithOffice(o *office.Office) *File { return &File{o, f.comments} }

type printer struct {
	b        strings.Builder
	comments map[string]comment
}

// line writes one statement with its comments.
func (p *printer) line(key, indent, text string) {
	c, ok := p.comments[key]
	if ok {
		for _, a := range c.above {
			p.b.WriteString(indent)
			p.b.WriteString(a)
			p.b.WriteByte('\n')
		}
	}
	p.b.WriteString(indent)
	p.b.WriteString(text)
	if ok && c.after != "" {
		p.b.WriteString("  ")
		p.b.WriteString(c.after)
	}
	p.b.WriteByte('\n')
}

// gap parts two sections by one blank line.
func (p *printer) gap() {
	if p.b.Len() > 0 {
		p.b.WriteByte('\n')
	}
}

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
	for _, v := range o.VLANs {
		p.line(string(v.Key()), "", Thing(v))
	}
	section(len(o.Services))
	for _, x := range o.Services {
		p.line(string(x.Key()), "", Thing(x))
	}
	section(len(o.Uses))
	for _, u := range o.Uses {
		p.line(string(u.Key()), "", Thing(u))
	}
	for _, x := range o.Plans {
		p.gap()
		p.plan(x)
	}
	for _, d := range o.Devices {
		p.gap()
		p.device(d)
	}
	section(len(o.Cables))
	p.cables(o)
	section(len(o.Plugs))
	for _, x := range o.Plugs {
		p.line(string(x.Key()), "", Thing(x))
	}
	section(len(o.Wishes))
	for _, w := range o.Wishes {
		p.line(string(w.Key()), "", Thing(w))
	}
	for _, c := range p.comments["end"].above {
		p.b.WriteString(c + "\n")
	}
}

// Thing prints one thing as its statement, a plan or a device with its lines.
func Thing(t office.Thing) string {
	switch t := t.(type) {
	case office.Title:
		return "office " + quote(string(t))
	case *office.VLAN:
		var b strings.Builder
		fmt.Fprintf(&b, "vlan %d %s", t.VID, t.Name)
		if t.Note != "" {
			b.WriteString(" " + quote(t.Note))
		}
		for _, n := range t.Nets {
			b.WriteString(" net " + n.String())
		}
		if t.Local {
			b.WriteString(" local")
		}
		if t.Guarded {
			b.WriteString(" guarded")
		}
		return b.String()
	case *office.Use:
		return "use " + t.Name + " " + Shape(t.Shape)
	case office.Setting:
		if t.Shape == nil {
			return "-" + t.Port.Device + " " + listName(t.Port.Port)
		}
		return t.Port.Device + " " + listName(t.Port.Port) + ": " + settingText(t.Shape, t.Because)
	case office.Order:
		var b strings.Builder
		b.WriteString("order " + t.List)
		for _, x := range t.Items {
			b.WriteString(" " + quote(x))
		}
		return b.String()
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
		for w, noted := range t.Facts.Noted() {
			text += " " + w.Word + " " + quote(noted)
		}
		return text
	case *office.NamedService:
		return serviceText(t)
	case *office.Wish:
		return t.String()
	case office.RuleAt:
		return t.Device + " " + t.Rule.String()
	case *office.Plan:
		p := &printer{}
		p.plan(t)
		return strings.TrimSuffix(p.b.String(), "\n")
	case *office.Device:
		p := &printer{}
		p.device(t)
		return strings.TrimSuffix(p.b.String(), "\n")
	}
	return ""
}

func settingText(s *office.Shape, because string) string {
	if because == "" {
		return Shape(*s)
	}
	return Shape(*s) + " because " + quote(because)
}

func planKey(p *office.Plan, i int) string { return fmt.Sprintf("plan:%s/%d", p.Name, i) }

func (p *printer) plan(x *office.Plan) {
	p.line(string(x.Key()), "", "plan "+x.Name)
	for i, l := range x.Lines {
		var places []string
		for _, r := range l.Ports {
			s := placeText(r.From)
			if r.To != r.From {
				s += "-" + placeText(r.To)
			}
			places = append(places, s)
		}
		p.line(planKey(x, i), "  ", strings.Join(places, ",")+": "+Shape(l.Shape))
	}
}

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
	for _, b := range device.Ports {
		if b.Kind == office.Bundle {
			in("bundle:"+b.Name, "bundle %s %s %s", listName(b.Name), b.Mode, Ports(device, b.Members))
		}
	}
	if device.Manage != nil {
		in("manage", "%s", ManageText(device.Manage))
	}
	if f := device.Factory; f != nil {
		in(ofFactory, "%s %s", ofFactory, FactoryText(f))
	}
	for _, s := range device.Speaks {
		in("speaks:"+string(s.Protocol), "speaks %s", s)
	}
	p.settings(device)
	for _, x := range device.Ports {
		if x.Kind == office.Inner {
			in("inner:"+x.Name, "inner %s %s: %s", listName(x.Name), x.Flavour, settingText(x.Shape, x.Because))
		}
	}
	for w, text := range device.Facts.Noted() {
		in(w.Word, "%s %s", w.Word, quote(text))
	}
	for _, f := range portFacts(device) {
		in(f.word+":"+f.first, "%s", f.text)
	}
	for _, address := range device.Addresses {
		in("address:"+addressKey(address), "%s", AddressText(address))
	}
	p.policy(device)
}

// ManageText writes where a device is managed: "manage 190 10.61.190.2/24 via 10.61.190.1".
func ManageText(m *office.Manage) string {
	text := fmt.Sprintf("manage %d", m.VID)
	if m.Addr.IsValid() {
		text += " " + m.Addr.String()
	}
	if m.Bits > 0 {
		text += fmt.Sprintf("/%d", m.Bits)
	}
	switch {
	case m.Alone:
		text += " via none"
	case m.Via.IsValid():
		text += " via " + m.Via.String()
	}
	return text
}

// FactoryText writes where a fresh device answers: "192.168.1.1/24 in 1".
func FactoryText(f *office.Factory) string { return fmt.Sprintf("%s in %d", f.Prefix, f.VID) }

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
			y := &device.Ports[j+1]
			if y.Shape == nil || y.Because != port.Because || y.Shape != port.Shape && !y.Shape.Equal(*port.Shape) {
				break
			}
			j++
		}
		// comments of lines that have become one stay, above it
		for k := i + 1; k <= j && p.comments != nil; k++ {
			c := p.comments[device.Name+"/set:"+device.Ports[k].Name]
			for _, a := range c.above {
				p.b.WriteString("  " + a + "\n")
			}
			if c.after != "" {
				p.b.WriteString("  " + c.after + "\n")
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
	names, f := expand(item{from: a + "-" + b})
	return f == nil && len(names) == 2 && names[0] == a && names[1] == b
}

// cables writes one line for a bundle-to-bundle run of cables.
func (p *printer) cables(o *office.Office) {
	type at struct {
		d *office.Device
		b *office.Port
	}
	byName := make(map[string]*office.Device, len(o.Devices))
	for _, d := range o.Devices {
		byName[d.Name] = d
	}
	bundleOf := func(r office.PortRef) at {
		d := byName[r.Device]
		if b := d.Ports[d.Port(r.Port)].Bundle; b > 0 {
			return at{d, &d.Ports[b-1]}
		}
		return at{}
	}
	for i := 0; i < len(o.Cables); {
		cable := o.Cables[i]
		x, y := bundleOf(cable.A), bundleOf(cable.B)
		n := 1
		text := Thing(cable)
		if x.b != nil && y.b != nil && len(x.b.Members) == len(y.b.Members) && i+len(x.b.Members) <= len(o.Cables) {
			whole := true
			for k, m := range x.b.Members {
				e := o.Cables[i+k]
				whole = whole && e.A == (office.PortRef{Device: x.d.Name, Port: x.d.Ports[m].Name}) &&
					e.B == (office.PortRef{Device: y.d.Name, Port: y.d.Ports[y.b.Members[k]].Name})
			}
			if whole {
				n = len(x.b.Members)
				text = "cable " + x.d.Name + "." + name(x.b.Name) + " " + y.d.Name + "." + name(y.b.Name)
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
