package office

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// Outside is a device's own line to the outside of the office.
type Outside struct {
	Name   string
	On     string       // the port
	VID    VID          // in which it rides on the wire; 0: untagged, on a port of its own
	Prefix netip.Prefix // the device's address on it; zero where it comes from there
	Via    netip.Addr   // the next hop there; zero where it comes from there
}

// Route says by which next hop, or by which line, a destination is reached.
type Route struct {
	To   netip.Prefix // masked; zero is the default of both families, over a line
	Via  netip.Addr   // zero where it goes over a line
	Line string       // an [Outside] of the device; "" where it goes to a next hop
}

// LastOf is the last address of a prefix, masked or not; of an IPv4 subnet that is its
// broadcast address (RFC 919). It is zero where the prefix is.
func LastOf(prefix netip.Prefix) netip.Addr {
	if !prefix.IsValid() {
		return netip.Addr{}
	}
	bytes := prefix.Addr().AsSlice()
	for i := prefix.Bits(); i < len(bytes)*8; i++ {
		bytes[i/8] |= 1 << (7 - i%8)
	}
	addr, _ := netip.AddrFromSlice(bytes)
	return addr
}

// Default says whether it is for whatever nothing else is for.
func (r Route) Default() bool { return !r.To.IsValid() || r.To.Bits() == 0 }

// String writes it as in notation, without the word route.
func (r Route) String() string {
	to, via := "default", r.Line
	if r.To.IsValid() && (r.To.Bits() > 0 || r.Line != "") {
		to = r.To.String()
	}
	if r.Line == "" {
		via = r.Via.String()
	}
	return to + " via " + via
}

// Rule lets packets pass, or does not. The first one that fits decides.
type Rule struct {
	Do       Action
	From, To []Side    // each part for itself
	Services []Service // one at least
	Note     string
}

// String writes it as in notation.
func (r *Rule) String() string {
	text := fmt.Sprintf("%s %s to %s", r.Do, Sides(r.From), Sides(r.To))
	if !AnyService(r.Services) {
		text += " " + Services(r.Services)
	}
	if r.Note != "" {
		text += " " + Quote(r.Note)
	}
	return text
}

// Equal says whether two rules say the same.
func (r *Rule) Equal(rule *Rule) bool {
	return r.Do == rule.Do && r.Note == rule.Note && slices.Equal(r.From, rule.From) && slices.Equal(r.To, rule.To) && slices.Equal(r.Services, rule.Services)
}

// Wish is what must, or must never, be able to talk to what.
type Wish struct {
	Must     bool // else never
	From, To []Side
	Services []Service
}

// String writes it as in notation.
func (w *Wish) String() string {
	word := "never"
	if w.Must {
		word = "must"
	}
	text := fmt.Sprintf("%s %s to %s", word, Sides(w.From), Sides(w.To))
	if !AnyService(w.Services) {
		text += " " + Services(w.Services)
	}
	return text
}

// NamedService is a name for services.
type NamedService struct {
	Name string
	Is   []Service // none of them named
}

// Side is where a packet comes from, or goes to. Of the fields behind Kind, that
// of the kind counts.
type Side struct {
	Kind SideKind
	Zone string
	VID  VID
	Net  netip.Prefix // masked; a single address is one of full length
}

// String writes it as in notation.
func (s Side) String() string {
	switch s.Kind {
	case SideZone:
		return "zone " + Quoted(s.Zone)
	case SideVLAN:
		return "vlan " + strconv.Itoa(int(s.VID))
	case SideNet:
		if s.Net.IsSingleIP() {
			return s.Net.Addr().String()
		}
		return s.Net.String()
	}
	return string(s.Kind)
}

// Sides writes several as in notation.
func Sides(all []Side) string { return joined(all) }

// Service is something that is asked for: ping, ports of TCP or UDP, or a name.
type Service struct {
	Protocol    Protocol
	First, Last uint16 // destination ports of TCP and UDP; 0 elsewhere
	Name        string // of a [NamedService]; then Protocol is Named
}

// String writes it as in notation.
func (s Service) String() string {
	switch {
	case s.Protocol == Named:
		return s.Name
	case s.First == 0:
		return string(s.Protocol)
	case s.First == s.Last:
		return fmt.Sprintf("%s/%d", s.Protocol, s.First)
	}
	return fmt.Sprintf("%s/%d-%d", s.Protocol, s.First, s.Last)
}

// Services writes several as in notation; "-" is none.
func Services(all []Service) string {
	if len(all) == 0 {
		return "-"
	}
	return joined(all)
}

// AnyService says whether a list is all services and no more is said.
func AnyService(all []Service) bool { return len(all) == 1 && all[0].Protocol == AnyProtocol }

// joined is things as a list of the notation, without blanks.
func joined[T fmt.Stringer](all []T) string {
	text := make([]string, len(all))
	for i, x := range all {
		text[i] = x.String()
	}
	return strings.Join(text, ",")
}

// Equal says whether two addresses say the same.
func (a *Address) Equal(address *Address) bool {
	return a.VID == address.VID && a.Prefix == address.Prefix && a.On == address.On && a.Zone == address.Zone && a.From == address.From && a.To == address.To &&
		a.Gateway == address.Gateway && (a.Admits == nil) == (address.Admits == nil) && slices.Equal(a.Admits, address.Admits)
}

// SameAddresses says whether two lists of addresses say the same.
func SameAddresses(a, b []Address) bool {
	return slices.EqualFunc(a, b, func(x, y Address) bool { return x.Equal(&y) })
}

// SameRules says whether two lists of rules say the same, in order.
func SameRules(a, b []Rule) bool {
	return slices.EqualFunc(a, b, func(x, y Rule) bool { return x.Equal(&y) })
}

// Routing says whether a device sends on what is not for itself: it is routed, or
// bridges and has addresses in two or more VLANs, or in one beside a line to the
// outside.
func (d *Device) Routing() bool {
	if d.NoRouting || d.Unaware() {
		return false
	}
	if d.Forwarding == Routed {
		return true
	}
	return slices.ContainsFunc(d.Addresses, func(address Address) bool { return len(d.Outsides) > 0 || address.VID != d.Addresses[0].VID })
}

// KeepsState says whether a device remembers what it let pass, so that answers
// need no rule. A line to the outside cannot do without.
func (d *Device) KeepsState() bool {
	switch {
	case len(d.Outsides) > 0 || d.State == Stateful:
		return true
	case d.State == Stateless:
		return false
	}
	return d.Kind == Firewall || d.Kind == Router
}

// BetweenZones and WithinZones are what a device does with a packet that no rule
// fits.
func (d *Device) BetweenZones() Action {
	switch {
	case d.Between != "":
		return d.Between
	case d.Kind == Firewall:
		return Deny
	}
	return Allow
}

func (d *Device) WithinZones() Action { return cmp.Or(d.Within, Allow) }

// ZoneOf is the zone of a device's interface in a VLAN, "" where it is one of
// its own.
func (d *Device) ZoneOf(vid VID) string {
	for i := range d.Addresses {
		if address := &d.Addresses[i]; address.VID == vid && address.Zone != "" {
			return address.Zone
		}
	}
	return ""
}

// Line finds a line to the outside by its name, nil where there is none.
func (d *Device) Line(name string) *Outside {
	for i := range d.Outsides {
		if d.Outsides[i].Name == name {
			return &d.Outsides[i]
		}
	}
	return nil
}

// Service finds a named service, nil where there is none.
func (o *Office) Service(name string) *NamedService {
	for _, named := range o.Services {
		if named.Name == name {
			return named
		}
	}
	return nil
}

// PlainName says whether text is a name that needs no quotes in notation:
// [A-Za-z0-9][A-Za-z0-9_.-]*.
func PlainName(text string) bool {
	for i := 0; i < len(text); i++ {
		c := text[i]
		alnum := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
		if !alnum && (i == 0 || c != '_' && c != '.' && c != '-') {
			return false
		}
	}
	return text != ""
}

// Quote writes text in the quotes of notation.
func Quote(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(text) + `"`
}

// Quoted is a name as in notation: in quotes where it needs them.
func Quoted(text string) string {
	if PlainName(text) {
		return text
	}
	return Quote(text)
}
