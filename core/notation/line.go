package notation

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"klammer/core/office"
)

// meant is the device whose name a statement begins with. One that is written as people write it,
// with capitals, spaces or umlauts, is taken for the device that has it in the form that fits, and
// said: the longest such name behind which something is left to read. As an office may have both a
// main-switch and a main-switch-1, "Main Switch 1: 10" is port 1 of the one, and "Main Switch 1 2:
// 10" port 2 of the other.
func (r *reader) meant(cur *cursor, tok token) (*office.Device, error) {
	device, err := r.draft.FindDevice(tok.text)
	if err == nil {
		return device, nil
	}
	text, begun, found := tok.text, cur.at, 0
	for more := 0; more < mostWords && cur.peek().kind == word; more++ {
		if name := office.Fitting(text, ""); r.draft.HasDevice(name) {
			device, _ = r.draft.FindDevice(name)
			found, tok.text = cur.at, text
		}
		text += " " + cur.next().text
	}
	if cur.at = begun; device == nil || r.fitting(tok, tok.text) == "" {
		return nil, err
	}
	cur.at = found
	return device, nil
}

// other reads what starts with a device's name, and on the line removals.
//
// Many branches: a line leaves out what a file says by its place.
func (r *reader) other(cur *cursor, statement *statement) *fault {
	tok := cur.next()
	if rest, ok := strings.CutPrefix(tok.text, "-"); ok && tok.kind == word {
		if !r.onLine {
			return faultf(tok.at, "a leading minus removes, and a file has nothing to remove: leave the statement out")
		}
		if rest == "" { // "- cable a b"
			tok = cur.next()
		} else {
			tok.text, tok.at = rest, tok.at+1
		}
		return r.remove(cur, tok)
	}
	if tok.kind != word || !plainName(tok.text) {
		return faultf(tok.at, "%s starts no statement: office, vlan, service, use, plan, device, cable, plug, must, never, or a device's name", tok.shown())
	}
	device, err := r.meant(cur, tok)
	if err != nil {
		if n := office.Nearest(tok.text, TopLevel); n != "" {
			return faultf(tok.at, "%s starts no statement: did you mean %s?", tok.text, n)
		}
		return faultf(tok.at, "%s starts no statement: office, vlan, service, use, plan, device, cable, plug, must, never, or a device's name; %s", tok.text, err)
	}
	if len(statement.body) > 0 {
		subline := statement.body[0]
		r.wrong(subline.line, subline.indent, subline.text, faultf(0, "an indented line belongs to a device or a plan: start it with the device's name"))
	}
	if !cur.more() {
		return faultf(cur.end, "what about %s? Ports and a shape, as in %s 1-4: 130, or a statement of a device", device.Name, device.Name)
	}
	if n := cur.peek(); n.kind == word && (n.text == "rule" || n.text == "allow" || n.text == "deny") {
		cur.next()
		return r.ruleOnLine(device, cur, n)
	}
	if n := cur.peek(); ofDevice(n, device) {
		if wrong := r.spend(copied*len(device.Ports), n.at); wrong != nil {
			return wrong
		}
		other := device.Clone().Seal()
		if _, _, wrong := r.inDevice(other, cur, nil); wrong != nil {
			return wrong
		}
		return r.put(other, n.at)
	}
	at, sh, because, f := r.setting(device, cur)
	if f != nil {
		return f
	}
	for _, i := range at {
		if err := r.draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, sh, because); err != nil {
			return faultf(tok.at, "%s", err)
		}
	}
	return nil
}

// put has the draft take a device as a statement left it; what the draft refuses is the statement's
// mistake.
func (r *reader) put(device *office.Device, at int) *fault {
	if err := r.draft.PutDevice(device); err != nil {
		return faultf(at, "%s", err)
	}
	return nil
}

// remove reads what follows a leading minus.
//
//	> -core 1-2
//	-core 1-2
//	> -plug floor.5 "tablet"
//	-plug floor.5 "tablet"
//	> -gate allow zone devices to any
//	-gate rule 2
//
// Many branches: one switch, a case a statement.
func (r *reader) remove(cur *cursor, tok token) *fault {
	asError := func(err error) *fault {
		if err != nil {
			return faultf(tok.at, "%s", err)
		}
		return nil
	}
	switch tok.text {
	case "cable":
		_, f := r.cable(cur, true)
		return f
	case "plug":
		ref, f := portRef(r.draft, cur)
		if f != nil {
			return f
		}
		name := ""
		if cur.more() {
			name = cur.next().text
		}
		return asError(r.draft.Unplug(ref, name))
	case "must", "never":
		wish, f := r.wish(cur, tok.text == "must")
		if f != nil {
			return f
		}
		return asError(r.draft.RemoveWish(wish))
	case "service":
		return asError(r.draft.RemoveService(cur.next().text))
	case "vlan":
		n := cur.next()
		vid, f := vlan(r.draft, wordText(n), n.at)
		if f != nil {
			return f
		}
		return asError(r.draft.RemoveVLAN(vid))
	case "use":
		return asError(r.draft.RemoveUse(cur.next().text))
	case "plan":
		return asError(r.draft.RemovePlan(cur.next().text))
	case "device":
		return asError(r.draft.RemoveDevice(cur.next().text))
	}
	device, err := r.draft.FindDevice(tok.text)
	if err != nil {
		return faultf(tok.at, "%s", err)
	}
	if f := r.spend(copied*len(device.Ports), tok.at); f != nil {
		return f
	}
	if n := cur.peek(); n.kind == word && (n.text == "rule" || n.text == "allow" || n.text == "deny") {
		cur.next()
		return r.removeRule(device, cur, n)
	}
	if n := cur.peek(); ofDevice(n, device) {
		cur.next()
		other := device.Clone().Seal()
		if f := r.removeInDevice(other, cur, n); f != nil {
			return f
		}
		return r.put(other, n.at)
	}
	at, wrong := portsOf(device, cur)
	if wrong != nil {
		return wrong
	}
	for _, i := range at {
		if err := r.draft.Set(office.PortRef{Device: device.Name, Port: device.Ports[i].Name}, nil, ""); err != nil {
			return faultf(tok.at, "%s", err)
		}
	}
	return cur.done("the ports to clear")
}

// removeLimits takes the limits away that are named.
func removeLimits(device *office.Device, cur *cursor) *fault {
	for cur.more() {
		tok := cur.next()
		most := device.Limits.Of(office.Limit(tok.text))
		if most == nil {
			return faultf(tok.at, "%s is not limited: %s", tok.text, either(office.LimitNames))
		}
		*most = 0
	}
	return nil
}

// removeSpeaks takes away what a device is spoken to by: one protocol, or all.
func removeSpeaks(device *office.Device, cur *cursor, tok token) *fault {
	before, protocol := len(device.Speaks), ""
	if cur.more() {
		protocol = cur.next().text
	}
	device.Speaks = slices.DeleteFunc(device.Speaks, func(one office.Speaks) bool { return protocol == "" || protocol == string(one.Protocol) })
	if len(device.Speaks) == before {
		return faultf(tok.at, "%s does not speak %s", device.Name, protocol)
	}
	return nil
}

// removeAddress takes the addresses in a VLAN away: one, or all.
func (r *reader) removeAddress(device *office.Device, cur *cursor) *fault {
	tok := cur.next()
	vid, wrong := vlan(r.draft, wordText(tok), tok.at)
	if wrong != nil {
		return wrong
	}
	var prefix netip.Prefix
	if cur.more() {
		var err error
		if prefix, err = office.CheckAddress(cur.next().text); err != nil {
			return faultf(tok.at, "%s", err)
		}
	}
	before := len(device.Addresses)
	device.Addresses = slices.DeleteFunc(device.Addresses, func(one office.Address) bool {
		return one.VID == vid && (!prefix.IsValid() || one.Prefix == prefix)
	})
	if len(device.Addresses) == before {
		return faultf(tok.at, "%s has no such address for VLAN %d", device.Name, vid)
	}
	return nil
}

// removeInDevice does a statement of a device's body with a minus before it: the line is named by
// its first words, its values need not be said again.
//
//	-rack manage
//	-gate address 110 10.61.110.1/24
//	-rack limit vlans
//
// Many branches: one switch, a case a statement.
func (r *reader) removeInDevice(device *office.Device, cur *cursor, tok token) *fault {
	switch tok.text {
	case "manage":
		device.Manage = nil
	case "follows":
		device.Follows = ""
	case "wording":
		device.Wording = office.Wording{}
	case "limit":
		if wrong := removeLimits(device, cur); wrong != nil {
			return wrong
		}
	case "bundles":
		device.Adjacent = false
		cur.accept("adjacent")
	case console:
		device.Console = false
	case ofFactory:
		device.Factory = nil
	case ofPort:
		return removePortFacts(device, cur, nil)
	case speaks:
		if wrong := removeSpeaks(device, cur, tok); wrong != nil {
			return wrong
		}
	case "address":
		if wrong := r.removeAddress(device, cur); wrong != nil {
			return wrong
		}
	case "bundle", "inner", "ports":
		at, wrong := portsOf(device, cur)
		if wrong != nil {
			return wrong
		}
		if err := device.RemovePorts(at, map[string]office.PortKind{"bundle": office.Bundle, "inner": office.Inner, "ports": office.Physical}[tok.text]); err != nil {
			return faultf(tok.at, "%s", err)
		}
	default:
		if fact := office.FactNamed(tok.text, office.DeviceFact); fact != nil {
			_ = fact.Put(&device.Facts, "")
			break
		}
		if fact := office.FactNamed(tok.text, office.PortFact); fact != nil {
			return removePortFacts(device, cur, fact)
		}
		if wrong, ok := r.removePolicy(device, cur, tok); wrong != nil {
			return wrong
		} else if !ok {
			return faultf(tok.at, "%s cannot be removed from a device", tok.text)
		}
	}
	return cur.done("what is to be removed")
}

// Removal is what follows the minus of a statement that removes a thing.
func Removal(thing office.Thing) string {
	switch t := thing.(type) {
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
	case *office.NamedService:
		return "service " + t.Name
	case *office.Wish:
		return t.String()
	case office.RuleAt:
		return t.Device + " " + t.Rule.String()
	}
	return ""
}

// Reserved says whether a word is one of the notation's own, so that no device
// can have it for a name.
func Reserved(name string) bool { return keywords[name] || slices.Contains(phases, name) }
