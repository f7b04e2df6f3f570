package notation

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/office"
)

// other reads what starts with a device's name, and on the line removals.
func (r *reader) other(c *cursor, s *statement) *fault {
	t := c.next()
	if rest, ok := strings.CutPrefix(t.text, "-"); ok && t.kind == word {
		if !r.onLine {
			return faultf(t.at, "a leading minus removes, and a file has nothing to remove: leave the statement out")
		}
		if rest == "" { // "- cable a b"
			t = c.next()
		} else {
			t.text, t.at = rest, t.at+1
		}
		return r.remove(c, t)
	}
	if t.kind != word || !plainName(t.text) {
		return faultf(t.at, "%s starts no statement: office, vlan, use, plan, device, cable, plug, or a device's name", t.shown())
	}
	d, err := r.draft.FindDevice(t.text)
	if err != nil {
		if n := office.Nearest(t.text, phases); n != "" {
			return faultf(t.at, "%s starts no statement: did you mean %s?", t.text, n)
		}
		return faultf(t.at, "%s starts no statement: office, vlan, use, plan, device, cable, plug, or a device's name; %s", t.text, err)
	}
	if len(s.body) > 0 {
		b := s.body[0]
		r.wrong(b.line, b.indent, b.text, faultf(0, "an indented line belongs to a device or a plan: start it with the device's name"))
	}
	if !c.more() {
		return faultf(c.end, "what about %s? Ports and a shape, as in %s 1-4: 130, or a statement of a device", d.Name, d.Name)
	}
	if n := c.peek(); n.kind == word && keywords[n.text] && n.text != "last" {
		if f := r.spend(copied*len(d.Ports), n.at); f != nil {
			return f
		}
		x := d.Clone().Seal()
		if _, _, f := r.inDevice(x, c, nil); f != nil {
			return f
		}
		return r.put(x, n.at)
	}
	at, sh, because, f := r.setting(d, c)
	if f != nil {
		return f
	}
	for _, i := range at {
		if err := r.draft.Set(office.PortRef{Device: d.Name, Port: d.Ports[i].Name}, sh, because); err != nil {
			return faultf(t.at, "%s", err)
		}
	}
	return nil
}

func (r *reader) put(d *office.Device, at int) *fault {
	if err := r.draft.PutDevice(d); err != nil {
		return faultf(at, "%s", err)
	}
	return nil
}

// remove reads what follows a leading minus.
func (r *reader) remove(c *cursor, t token) *fault {
	asError := func(err error) *fault {
		if err != nil {
			return faultf(t.at, "%s", err)
		}
		return nil
	}
	switch t.text {
	case "cable":
		_, f := r.cable(c, true)
		return f
	case "plug":
		ref, f := portRef(r.draft, c)
		if f != nil {
			return f
		}
		name := ""
		if c.more() {
			name = c.next().text
		}
		return asError(r.draft.Unplug(ref, name))
	case "vlan", "use", "plan", "device":
		n := c.next()
		v := office.VID(0)
		if t.text == "vlan" {
			var f *fault
			if v, f = vlan(r.draft, wordText(n), n.at); f != nil {
				return f
			}
		}
		switch t.text {
		case "vlan":
			return asError(r.draft.RemoveVLAN(v))
		case "use":
			return asError(r.draft.RemoveUse(n.text))
		case "plan":
			return asError(r.draft.RemovePlan(n.text))
		}
		return asError(r.draft.RemoveDevice(n.text))
	}
	d, err := r.draft.FindDevice(t.text)
	if err != nil {
		return faultf(t.at, "%s", err)
	}
	if f := r.spend(copied*len(d.Ports), t.at); f != nil {
		return f
	}
	if n := c.peek(); n.kind == word && keywords[n.text] && n.text != "last" {
		c.next()
		x := d.Clone().Seal()
		if f := r.removeInDevice(x, c, n); f != nil {
			return f
		}
		return r.put(x, n.at)
	}
	list, f := portList(c)
	if f != nil {
		return f
	}
	at, f := resolveAll(d, list)
	if f != nil {
		return f
	}
	for _, i := range at {
		if err := r.draft.Set(office.PortRef{Device: d.Name, Port: d.Ports[i].Name}, nil, ""); err != nil {
			return faultf(t.at, "%s", err)
		}
	}
	return c.done("the ports to clear")
}

func (r *reader) removeInDevice(d *office.Device, c *cursor, n token) *fault {
	switch n.text {
	case "manage":
		d.Manage = nil
	case "follows":
		d.Follows = ""
	case "wording":
		d.Wording = office.Wording{}
	case "limit":
		for c.more() {
			switch t := c.next(); t.text {
			case "vlans":
				d.Limits.VLANs = 0
			case "addresses":
				d.Limits.Addresses = 0
			case "zones":
				d.Limits.Zones = 0
			case "rows":
				d.Limits.Rows = 0
			default:
				return faultf(t.at, "%s is not limited: vlans, addresses, zones or rows", t.text)
			}
		}
	case "bundles":
		d.Adjacent = false
		c.accept("adjacent")
	case "address":
		t := c.next()
		v, f := vlan(r.draft, wordText(t), t.at)
		if f != nil {
			return f
		}
		var p netip.Prefix
		if c.more() {
			var err error
			if p, err = office.CheckAddress(c.next().text); err != nil {
				return faultf(t.at, "%s", err)
			}
		}
		before := len(d.Addresses)
		d.Addresses = slices.DeleteFunc(d.Addresses, func(a office.Address) bool {
			return a.VID == v && (!p.IsValid() || a.Prefix == p)
		})
		if len(d.Addresses) == before {
			return faultf(t.at, "%s has no such address for VLAN %d", d.Name, v)
		}
	case "bundle", "inner", "ports":
		list, f := portList(c)
		if f != nil {
			return f
		}
		at, f := resolveAll(d, list)
		if f != nil {
			return f
		}
		if err := d.RemovePorts(at, map[string]office.PortKind{"bundle": office.Bundle, "inner": office.Inner, "ports": office.Physical}[n.text]); err != nil {
			return faultf(n.at, "%s", err)
		}
	default:
		return faultf(n.at, "%s cannot be removed from a device", n.text)
	}
	return c.done("what is to be removed")
}

// Statements prints what an edit does, as statements that [Line] reads. Where
// no statement says it (a device that changes in several ways), it is told in
// words, and exact is false.
func Statements(o *office.Office, e office.Edit) (lines []string, exact bool) {
	exact = true
	type run struct {
		d  *office.Device
		at []int
		s  office.Setting
	}
	var cur *run
	flush := func() {
		if cur == nil {
			return
		}
		slices.Sort(cur.at)
		list := Ports(cur.d, cur.at)
		if cur.s.Shape == nil {
			lines = append(lines, "-"+cur.d.Name+" "+list)
		} else {
			lines = append(lines, cur.d.Name+" "+list+": "+settingText(cur.s.Shape, cur.s.Because))
		}
		cur = nil
	}
	for _, c := range e {
		if s, ok := c.After.(office.Setting); ok {
			d := o.Device(s.Port.Device)
			if d == nil {
				exact = false
				continue
			}
			if cur == nil || cur.d.Name != d.Name || !sameSetting(cur.s, s) {
				flush()
				cur = &run{d: d, s: s}
			}
			cur.at = append(cur.at, d.Port(s.Port.Port))
			continue
		}
		flush()
		if c.After == nil {
			lines = append(lines, "-"+Removal(c.Before))
			continue
		}
		if _, isDevice := c.After.(*office.Device); isDevice && c.Before != nil {
			exact = false
			lines = append(lines, fmt.Sprintf("# device %s changed", c.After.(*office.Device).Name))
			continue
		}
		lines = append(lines, Thing(c.After))
	}
	flush()
	return lines, exact
}

func sameSetting(a, b office.Setting) bool {
	return a.Because == b.Because && (a.Shape == nil) == (b.Shape == nil) && (a.Shape == nil || a.Shape.Equal(*b.Shape))
}

// Removal is what follows the minus of a statement that removes a thing.
func Removal(t office.Thing) string {
	switch t := t.(type) {
	case *office.VLAN:
		return fmt.Sprintf("vlan %d", t.VID)
	case *office.Use:
		return "use " + t.Name
	case *office.Plan:
		return "plan " + t.Name
	case *office.Device:
		return "device " + t.Name
	case office.Cable:
		return "cable " + Ref(t.A) + " " + Ref(t.B)
	case office.Plug:
		return "plug " + Ref(t.Port) + " " + quote(t.Name)
	}
	return ""
}

// Reserved says whether a word is one of the notation's own, so that no device
// can have it for a name.
func Reserved(name string) bool { return keywords[name] || slices.Contains(phases, name) }
