package api

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"time"

	"klammer/core/bridge"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/round"
	"klammer/field"
	"klammer/probe"
)

// Measured is what a laptop measured at a network interface: what `klammer probe --on
// --json` prints. Beside a plan, it has what [Probed] has too.
type Measured struct {
	On     string       `json:"on" description:"the network interface"`
	Card   string       `json:"card" description:"its address"`
	Office string       `json:"office,omitempty" description:"beside whose plan it is put"`
	Port   string       `json:"port,omitempty" description:"where the laptop is plugged in"`
	Heard  []ProbeHeard `json:"heard" nullable:"false" description:"who says that it is at the other end of the cable"`
	Saw    []ProbeSaw   `json:"saw" nullable:"false"`
	*Probed
}

// ProbeHeard is what a neighbour says of itself (IEEE 802.1AB).
type ProbeHeard struct {
	Device     string   `json:"device" required:"true" maxLength:"255" description:"its name; empty where it tells none"`
	Chassis    string   `json:"chassis" required:"true" maxLength:"600"`
	Port       string   `json:"port" required:"true" maxLength:"600" description:"the port's ID"`
	PortText   string   `json:"port_text,omitempty" maxLength:"255" description:"its description"`
	Management []string `json:"management,omitempty" maxItems:"20" description:"addresses"`
	PVID       int      `json:"pvid,omitempty" minimum:"0" maximum:"4095"`
}

// ProbeHeardOf tells a neighbour.
func ProbeHeardOf(n probe.Neighbour) ProbeHeard {
	x := ProbeHeard{Device: n.Device, Chassis: n.Chassis, Port: n.Port, PortText: n.PortText, PVID: int(n.PVID)}
	for _, a := range n.Management {
		x.Management = append(x.Management, a.String())
	}
	return x
}

// Said is what of it a port is found by.
func (h *ProbeHeard) Said() field.Said {
	s := field.Said{Device: h.Device, Port: h.Port, PortText: h.PortText}
	for _, text := range h.Management {
		if a, err := netip.ParseAddr(text); err == nil {
			s.Management = append(s.Management, a)
		}
	}
	return s
}

// ProbeAsk is what a laptop asks before it looks: where it is, and what to try.
type ProbeAsk struct {
	Port  string       `json:"port,omitempty" maxLength:"200" description:"where it is plugged in; by what it hears without it"`
	Heard []ProbeHeard `json:"heard,omitempty" maxItems:"50"`
	VLANs []int        `json:"vlans,omitempty" maxItems:"100" description:"VLAN IDs to tag with besides those of the plan"`
}

// ProbeLooks is what a laptop is to try at a port.
type ProbeLooks struct {
	ID       int64       `json:"id" required:"true" description:"the office's"`
	Office   string      `json:"office" required:"true" description:"its name"`
	Revision int64       `json:"revision" required:"true"`
	Port     string      `json:"port" required:"true"`
	Looks    []ProbeLook `json:"looks" required:"true" nullable:"false"`
}

// ProbeLook is what to try with one tag.
type ProbeLook struct {
	Wire    *int       `json:"wire" required:"true" nullable:"true" description:"the VLAN ID to tag with; null for untagged"`
	Ask     []string   `json:"ask" required:"true" nullable:"false" description:"addresses that may answer in this VLAN"`
	Own     string     `json:"own,omitempty" description:"the address to use where nobody gives one"`
	Gateway string     `json:"gateway,omitempty"`
	From    string     `json:"from,omitempty" description:"of the range that is handed out"`
	To      string     `json:"to,omitempty"`
	Tries   []ProbeTry `json:"tries" required:"true" nullable:"false"`
	Tags    []int      `json:"tags,omitempty" maxItems:"64" description:"VLAN IDs with which nobody is to answer, tried besides"`
	Reach   []PlugSees `json:"reach" required:"true" nullable:"false" description:"what a laptop without rights tries, and what is to answer"`
	Planned string     `json:"planned" required:"true" description:"what is to be seen, as the report says it again"`
}

// ProbeTry is a service to try.
type ProbeTry struct {
	To      string `json:"to" required:"true"`
	Service string `json:"service" required:"true"`
}

// ProbeReport is what a laptop saw.
type ProbeReport struct {
	ID   int64      `json:"id" required:"true" description:"the office's, as it was told"`
	Port string     `json:"port" required:"true" maxLength:"200"`
	Saw  []ProbeSaw `json:"saw" required:"true" nullable:"false" maxItems:"200"`
}

// ProbeSaw is what was seen with one tag.
type ProbeSaw struct {
	Wire    *int          `json:"wire" required:"true" nullable:"true" description:"the VLAN ID that was tagged with; null for untagged"`
	Offers  []ProbeOffer  `json:"offers" required:"true" nullable:"false" maxItems:"100"`
	Routers []ProbeRouter `json:"routers" required:"true" nullable:"false" maxItems:"100" description:"of IPv6, that say so themselves"`
	Answers []ProbeAnswer `json:"answers" required:"true" nullable:"false" maxItems:"5000" description:"addresses of the office that answer in this VLAN"`
	Tried   []ProbeTried  `json:"tried" required:"true" nullable:"false" maxItems:"1000"`
	From    string        `json:"from,omitempty" maxLength:"60" description:"the address that was tried from"`
	Tagged  []int         `json:"tagged,omitempty" maxItems:"64" description:"of the tags that were tried besides, those with which somebody answered"`
	Heard   []string      `json:"heard,omitempty" maxItems:"50" description:"addresses whose broadcasts were heard"`
	Taken   string        `json:"taken,omitempty" maxLength:"60" description:"the card of somebody who has the address that was offered"`
	Looked  bool          `json:"looked,omitempty" description:"with what the laptop's own system was given (from, lease); tried is of reach then"`
	Lease   *Lease        `json:"lease,omitempty"`
	Planned string        `json:"planned,omitempty" maxLength:"100" description:"what was to be seen, as it was told"`
}

// ProbeOffer is an address that was offered (RFC 2131, RFC 8415).
type ProbeOffer struct {
	Address string   `json:"address" required:"true" maxLength:"60"`
	Server  string   `json:"server,omitempty" maxLength:"60"`
	Card    string   `json:"card" required:"true" maxLength:"60" description:"of the server, or of what relays it"`
	Gateway string   `json:"gateway,omitempty" maxLength:"60"`
	Bits    int      `json:"bits,omitempty" minimum:"0" maximum:"32"`
	DNS     []string `json:"dns,omitempty" maxItems:"20"`
	Lease   int64    `json:"lease_s,omitempty" minimum:"0"`
	After   int64    `json:"after_ms" required:"true" description:"since it was asked for"`
}

// ProbeRouter is a router of IPv6 (RFC 4861).
type ProbeRouter struct {
	Address  string   `json:"address" required:"true" maxLength:"60"`
	Card     string   `json:"card" required:"true" maxLength:"60"`
	Prefixes []string `json:"prefixes" required:"true" nullable:"false" maxItems:"50"`
	After    int64    `json:"after_ms" required:"true"`
}

// ProbeAnswer is an address that answered.
type ProbeAnswer struct {
	Address string `json:"address" required:"true" maxLength:"60"`
	Card    string `json:"card" required:"true" maxLength:"60"`
	After   int64  `json:"after_ms" required:"true"`
}

// ProbeTried is how a try ended.
type ProbeTried struct {
	To      string `json:"to" required:"true" maxLength:"60"`
	Service string `json:"service" required:"true" maxLength:"60"`
	Ended   string `json:"ended" required:"true" enum:"answered,silent,untold,refused" description:"untold: nothing came back where nothing has to; refused: by whom it is for, or in his name"`
	How     string `json:"how" required:"true" maxLength:"200"`
}

// WireOf is a tag as it is told; nil for none.
func WireOf(w bridge.Wire) *int {
	if w == bridge.Untagged {
		return nil
	}
	v := int(w.VID())
	return &v
}

// TestsAt is what a laptop tries at a port: untagged, with each tag of the plan, and with
// more VLAN IDs.
func TestsAt(o *office.Office, r *round.Round, port string, vlans []int) ([]round.Test, error) {
	ref, err := notation.PortRef(o, port)
	if err != nil {
		return nil, err
	}
	tests, err := r.At(ref)
	for _, v := range vlans {
		if err != nil {
			return nil, err
		}
		vid, wrong := office.VIDOf(v)
		if wrong != nil {
			return nil, wrong
		}
		var t round.Test
		var more bool
		if t, more, err = r.Tagged(ref, vid); more {
			tests = append(tests, t)
		}
	}
	return tests, err
}

// TestOfWire is the test with a tag; nil for none.
func TestOfWire(tests []round.Test, wire *int) (round.Test, error) {
	for _, t := range tests {
		if w := WireOf(t.Wire); w == nil && wire == nil || w != nil && wire != nil && *w == *wire {
			return t, nil
		}
	}
	if wire == nil {
		return round.Test{}, errors.New("nothing is looked for untagged there")
	}
	return round.Test{}, fmt.Errorf("nothing is looked for tagged %d there", *wire)
}

// Check says what of a report is no address.
func (x *ProbeSaw) Check() error {
	for _, o := range x.Offers {
		if !parsed(o.Address).IsValid() {
			return fmt.Errorf("%q was offered, which is no address", o.Address)
		}
		if o.Server != "" && !parsed(o.Server).IsValid() {
			return fmt.Errorf("%q offered something, which is no address", o.Server)
		}
		if _, err := net.ParseMAC(o.Card); err != nil {
			return fmt.Errorf("%q offered something, which is no network card", o.Card)
		}
	}
	for _, a := range x.Answers {
		if !parsed(a.Address).IsValid() {
			return fmt.Errorf("%q answered, which is no address", a.Address)
		}
	}
	return nil
}

// ProbeLookOf tells what to try at a test.
func ProbeLookOf(r *round.Round, t round.Test) ProbeLook {
	l := r.Look(t)
	x := ProbeLook{Wire: WireOf(t.Wire), Reach: PlugTestOf(r, t).Reach, Ask: []string{}, Tries: []ProbeTry{}, Own: addr(l.Own), Gateway: addr(l.Gateway), From: addr(l.From), To: addr(l.To)}
	for _, a := range l.Ask {
		x.Ask = append(x.Ask, a.String())
	}
	for _, y := range l.Tries {
		x.Tries = append(x.Tries, ProbeTry{y.To.String(), y.Service.String()})
	}
	for _, v := range l.Tags {
		x.Tags = append(x.Tags, int(v))
	}
	return x
}

// Besides is what a laptop tries with a tag that the plan has not at a port, besides the
// untagged look: who answers, and nothing else.
func (x *ProbeLook) Besides() (out []probe.Look) {
	if x.Wire != nil {
		return nil
	}
	all := x.Look()
	for _, v := range x.Tags {
		if vid, err := office.VIDOf(v); err == nil {
			out = append(out, probe.Look{Tag: vid, Look: round.Look{Ask: all.Ask}})
		}
	}
	return out
}

// With adds what was seen with tags besides to an untagged look.
func (x *ProbeSaw) With(look *ProbeLook, besides []probe.Saw) {
	for _, s := range besides {
		if slices.Contains(look.Tags, int(s.Tag)) && (len(s.Answers) > 0 || len(s.Offers) > 0) {
			x.Tagged = append(x.Tagged, int(s.Tag))
		}
	}
}

// Look is what a laptop tries.
func (x *ProbeLook) Look() probe.Look {
	l := probe.Look{Look: round.Look{Own: parsed(x.Own), Gateway: parsed(x.Gateway), From: parsed(x.From), To: parsed(x.To)}}
	if x.Wire != nil {
		l.Tag = office.VID(*x.Wire)
	}
	for _, text := range x.Ask {
		if a := parsed(text); a.IsValid() {
			l.Ask = append(l.Ask, a)
		}
	}
	for _, y := range x.Tries {
		l.Tries = append(l.Tries, round.Try{To: parsed(y.To), Service: service(y.Service)})
	}
	return l
}

// Endings are how tries end, by [round.Ended].
var Endings = []string{round.Untold: "untold", round.Answered: "answered", round.Silent: "silent", round.Refused: "refused"}

// ProbeSawOf tells what was seen.
func ProbeSawOf(s *probe.Saw) ProbeSaw {
	x := ProbeSaw{Offers: []ProbeOffer{}, Routers: []ProbeRouter{}, Answers: []ProbeAnswer{}, Tried: []ProbeTried{}, From: addr(s.From), Taken: s.Taken}
	if s.Tag != 0 {
		v := int(s.Tag)
		x.Wire = &v
	}
	ms := func(d time.Duration) int64 { return max(0, d.Milliseconds()) }
	for _, o := range s.Offers {
		y := ProbeOffer{Address: o.Addr.String(), Server: addr(o.Server), Card: o.By, Gateway: addr(o.Gateway), Bits: o.Bits, Lease: int64(o.Lease / time.Second), After: ms(o.After)}
		for _, a := range o.DNS {
			y.DNS = append(y.DNS, a.String())
		}
		x.Offers = append(x.Offers, y)
	}
	for _, r := range s.Routers {
		y := ProbeRouter{r.Addr.String(), r.By, []string{}, ms(r.After)}
		for _, p := range r.Prefixes {
			y.Prefixes = append(y.Prefixes, p.String())
		}
		x.Routers = append(x.Routers, y)
	}
	for _, a := range s.Answers {
		x.Answers = append(x.Answers, ProbeAnswer{a.Addr.String(), a.By, ms(a.After)})
	}
	for _, a := range s.Heard {
		x.Heard = append(x.Heard, a.String())
	}
	for _, t := range s.Tried {
		x.Tried = append(x.Tried, ProbeTried{t.To.String(), t.Service.String(), Endings[t.Ended], t.How})
	}
	return x
}

// Round is what of it a round judges: tries are those of a look, in its order; what was
// not tried, or of something else, is untold.
func (x *ProbeSaw) Round(look round.Look) round.Saw {
	var s round.Saw
	for _, o := range x.Offers {
		if a := parsed(o.Address); a.IsValid() {
			s.Offers = append(s.Offers, round.Offer{Addr: a, Server: parsed(o.Server), By: o.Card, Bits: o.Bits, Gateway: parsed(o.Gateway)})
		}
	}
	for _, r := range x.Routers {
		y := round.Router{Addr: parsed(r.Address), By: r.Card}
		for _, text := range r.Prefixes {
			if p, err := netip.ParsePrefix(text); err == nil {
				y.Prefixes = append(y.Prefixes, p.Masked())
			}
		}
		s.Routers = append(s.Routers, y)
	}
	for _, v := range x.Tagged {
		if vid, err := office.VIDOf(v); err == nil && slices.Contains(look.Tags, vid) {
			s.Tagged = append(s.Tagged, vid)
		}
	}
	for _, text := range x.Heard {
		if a := parsed(text); a.IsValid() {
			s.Heard = append(s.Heard, a)
		}
	}
	for _, a := range x.Answers {
		if y := parsed(a.Address); y.IsValid() {
			s.Answers = append(s.Answers, round.Answer{Addr: y, By: a.Card})
		}
	}
	for _, t := range look.Tries {
		ended := round.Untold
		for _, y := range x.Tried {
			if y.To == t.To.String() && y.Service == t.Service.String() {
				ended = EndedOf(y.Ended)
			}
		}
		s.Tried = append(s.Tried, ended)
	}
	return s
}

// OfLooked is what of it a round judges that a laptop saw without frames of its own.
func (x *ProbeSaw) OfLooked(t round.Test) round.Looked {
	var s round.Looked
	if x.Lease != nil {
		s.Lease = x.Lease.Round(parsed(x.From))
	}
	s.Lease.Addr = parsed(x.From)
	for _, y := range t.Reach {
		ended := round.Untold
		for _, z := range x.Tried {
			if z.To == y.To && z.Service == y.Service {
				ended = EndedOf(z.Ended)
			}
		}
		s.Parts = append(s.Parts, ended)
	}
	return s
}

// EndedOf is an ending that was told.
func EndedOf(name string) round.Ended { return round.Ended(max(0, slices.Index(Endings, name))) }

// addr is an address as it is told; "" for none.
func addr(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

// parsed is an address that was told; the zero one for none.
func parsed(text string) netip.Addr {
	a, err := netip.ParseAddr(text)
	if err != nil || a.Zone() != "" {
		return netip.Addr{}
	}
	return a
}

// service is a service that was told.
func service(text string) office.Service {
	all, err := notation.ReadServices(&office.Office{}, text)
	if err != nil || len(all) != 1 {
		return office.Service{}
	}
	return all[0]
}

// PortHeard is the port that a laptop is at: as it says, or as it hears; the first
// neighbour that the office knows decides.
func PortHeard(o *office.Office, q ProbeAsk) (string, error) {
	if q.Port != "" {
		return q.Port, nil
	}
	var wrong error
	for k := range q.Heard {
		ref, err := field.PortHeard(o, q.Heard[k].Said())
		if err == nil {
			return ref.String(), nil
		}
		if wrong == nil {
			wrong = err
		}
	}
	if wrong == nil {
		wrong = errors.New("nobody says by LLDP which port this is: say it, as --port rack.1")
	}
	return "", wrong
}

// TokenRequest asks for a token that reports tests of one office.
type TokenRequest struct {
	Name  string `json:"name" required:"true" minLength:"1" maxLength:"60" description:"for whom or what it is"`
	Scope string `json:"scope,omitempty" enum:"tests,reader,planner,carrier,keeper" description:"what it may: report tests, and nothing else, or what a role may"`
	Days  int    `json:"days" required:"true" minimum:"1" maximum:"366" description:"how long it lasts"`

	Password string `json:"password,omitempty" maxLength:"1024" description:"one's own, for a token that may what a role may, where people sign in"`
}

// TokenView is a token without what it is kept secret by.
type TokenView struct {
	ID      int64      `json:"id" required:"true"`
	Name    string     `json:"name" required:"true"`
	Author  string     `json:"author" required:"true"`
	At      time.Time  `json:"at" required:"true"`
	Expires time.Time  `json:"expires" required:"true"`
	Ended   bool       `json:"ended" required:"true"`
	Scope   string     `json:"scope" required:"true"`
	Used    *time.Time `json:"used" required:"true" nullable:"true" description:"when it was used last; null for never"`
}

// TokenList is the tokens of an office, the newest first.
type TokenList struct {
	Tokens []TokenView `json:"tokens" required:"true" nullable:"false"`
	Made   string      `json:"made,omitempty" description:"the token that was just made: it is told this once"`
	Known  string      `json:"known,omitempty" description:"the SHA-256 of the server's certificate, where it made that itself"`
}
