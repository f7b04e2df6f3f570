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
func ProbeHeardOf(neighbour probe.Neighbour) ProbeHeard {
	heard := ProbeHeard{Device: neighbour.Device, Chassis: neighbour.Chassis, Port: neighbour.Port, PortText: neighbour.PortText, PVID: int(neighbour.PVID)}
	for _, one := range neighbour.Management {
		heard.Management = append(heard.Management, one.String())
	}
	return heard
}

// Said is what of it a port is found by.
func (h *ProbeHeard) Said() field.Said {
	said := field.Said{Device: h.Device, Port: h.Port, PortText: h.PortText}
	for _, text := range h.Management {
		if one, err := netip.ParseAddr(text); err == nil {
			said.Management = append(said.Management, one)
		}
	}
	return said
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
func WireOf(wire bridge.Wire) *int {
	if wire == bridge.Untagged {
		return nil
	}
	v := int(wire.VID())
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
		var test round.Test
		var more bool
		if test, more, err = r.Tagged(ref, vid); more {
			tests = append(tests, test)
		}
	}
	return tests, err
}

// TestOfWire is the test with a tag; nil for none.
func TestOfWire(tests []round.Test, wire *int) (round.Test, error) {
	for _, test := range tests {
		if w := WireOf(test.Wire); w == nil && wire == nil || w != nil && wire != nil && *w == *wire {
			return test, nil
		}
	}
	if wire == nil {
		return round.Test{}, errors.New("nothing is looked for untagged there")
	}
	return round.Test{}, fmt.Errorf("nothing is looked for tagged %d there", *wire)
}

// Check says what of a report is no address.
func (x *ProbeSaw) Check() error {
	for _, offer := range x.Offers {
		if !parsed(offer.Address).IsValid() {
			return fmt.Errorf("%q was offered, which is no address", offer.Address)
		}
		if offer.Server != "" && !parsed(offer.Server).IsValid() {
			return fmt.Errorf("%q offered something, which is no address", offer.Server)
		}
		if _, err := net.ParseMAC(offer.Card); err != nil {
			return fmt.Errorf("%q offered something, which is no network card", offer.Card)
		}
	}
	for _, answer := range x.Answers {
		if !parsed(answer.Address).IsValid() {
			return fmt.Errorf("%q answered, which is no address", answer.Address)
		}
	}
	return nil
}

// ProbeLookOf tells what to try at a test.
func ProbeLookOf(r *round.Round, test round.Test) ProbeLook {
	look := r.Look(test)
	one := ProbeLook{Wire: WireOf(test.Wire), Reach: PlugTestOf(r, test).Reach, Ask: []string{}, Tries: []ProbeTry{}, Own: addr(look.Own), Gateway: addr(look.Gateway), From: addr(look.From), To: addr(look.To)}
	for _, a := range look.Ask {
		one.Ask = append(one.Ask, a.String())
	}
	for _, try := range look.Tries {
		one.Tries = append(one.Tries, ProbeTry{try.To.String(), try.Service.String()})
	}
	for _, vid := range look.Tags {
		one.Tags = append(one.Tags, int(vid))
	}
	return one
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
	for _, saw := range besides {
		if slices.Contains(look.Tags, int(saw.Tag)) && (len(saw.Answers) > 0 || len(saw.Offers) > 0) {
			x.Tagged = append(x.Tagged, int(saw.Tag))
		}
	}
}

// Look is what a laptop tries.
func (x *ProbeLook) Look() probe.Look {
	look := probe.Look{Look: round.Look{Own: parsed(x.Own), Gateway: parsed(x.Gateway), From: parsed(x.From), To: parsed(x.To)}}
	if x.Wire != nil {
		look.Tag = office.VID(*x.Wire)
	}
	for _, text := range x.Ask {
		if one := parsed(text); one.IsValid() {
			look.Ask = append(look.Ask, one)
		}
	}
	for _, try := range x.Tries {
		look.Tries = append(look.Tries, round.Try{To: parsed(try.To), Service: service(try.Service)})
	}
	return look
}

// Endings are how tries end, by [round.Ended].
var Endings = []string{round.Untold: "untold", round.Answered: "answered", round.Silent: "silent", round.Refused: "refused"}

// ProbeSawOf tells what was seen.
func ProbeSawOf(saw *probe.Saw) ProbeSaw {
	one := ProbeSaw{Offers: []ProbeOffer{}, Routers: []ProbeRouter{}, Answers: []ProbeAnswer{}, Tried: []ProbeTried{}, From: addr(saw.From), Taken: saw.Taken}
	if saw.Tag != 0 {
		v := int(saw.Tag)
		one.Wire = &v
	}
	ms := func(d time.Duration) int64 { return max(0, d.Milliseconds()) }
	for _, offer := range saw.Offers {
		y := ProbeOffer{Address: offer.Addr.String(), Server: addr(offer.Server), Card: offer.By, Gateway: addr(offer.Gateway), Bits: offer.Bits, Lease: int64(offer.Lease / time.Second), After: ms(offer.After)}
		for _, a := range offer.DNS {
			y.DNS = append(y.DNS, a.String())
		}
		one.Offers = append(one.Offers, y)
	}
	for _, router := range saw.Routers {
		y := ProbeRouter{router.Addr.String(), router.By, []string{}, ms(router.After)}
		for _, prefix := range router.Prefixes {
			y.Prefixes = append(y.Prefixes, prefix.String())
		}
		one.Routers = append(one.Routers, y)
	}
	for _, answer := range saw.Answers {
		one.Answers = append(one.Answers, ProbeAnswer{answer.Addr.String(), answer.By, ms(answer.After)})
	}
	for _, a := range saw.Heard {
		one.Heard = append(one.Heard, a.String())
	}
	for _, tried := range saw.Tried {
		one.Tried = append(one.Tried, ProbeTried{tried.To.String(), tried.Service.String(), Endings[tried.Ended], tried.How})
	}
	return one
}

// Round is what of it a round judges: tries are those of a look, in its order; what was
// not tried, or of something else, is untold.
func (x *ProbeSaw) Round(look round.Look) round.Saw {
	var saw round.Saw
	for _, offer := range x.Offers {
		if one := parsed(offer.Address); one.IsValid() {
			saw.Offers = append(saw.Offers, round.Offer{Addr: one, Server: parsed(offer.Server), By: offer.Card, Bits: offer.Bits, Gateway: parsed(offer.Gateway)})
		}
	}
	for _, router := range x.Routers {
		one := round.Router{Addr: parsed(router.Address), By: router.Card}
		for _, text := range router.Prefixes {
			if prefix, err := netip.ParsePrefix(text); err == nil {
				one.Prefixes = append(one.Prefixes, prefix.Masked())
			}
		}
		saw.Routers = append(saw.Routers, one)
	}
	for _, v := range x.Tagged {
		if vid, err := office.VIDOf(v); err == nil && slices.Contains(look.Tags, vid) {
			saw.Tagged = append(saw.Tagged, vid)
		}
	}
	for _, text := range x.Heard {
		if one := parsed(text); one.IsValid() {
			saw.Heard = append(saw.Heard, one)
		}
	}
	for _, answer := range x.Answers {
		if one := parsed(answer.Address); one.IsValid() {
			saw.Answers = append(saw.Answers, round.Answer{Addr: one, By: answer.Card})
		}
	}
	for _, try := range look.Tries {
		ended := round.Untold
		for _, tried := range x.Tried {
			if tried.To == try.To.String() && tried.Service == try.Service.String() {
				ended = EndedOf(tried.Ended)
			}
		}
		saw.Tried = append(saw.Tried, ended)
	}
	return saw
}

// OfLooked is what of it a round judges that a laptop saw without frames of its own.
func (x *ProbeSaw) OfLooked(test round.Test) round.Looked {
	var looked round.Looked
	if x.Lease != nil {
		looked.Lease = x.Lease.Round(parsed(x.From))
	}
	looked.Lease.Addr = parsed(x.From)
	for _, one := range test.Reach {
		ended := round.Untold
		for _, tried := range x.Tried {
			if tried.To == one.To && tried.Service == one.Service {
				ended = EndedOf(tried.Ended)
			}
		}
		looked.Parts = append(looked.Parts, ended)
	}
	return looked
}

// EndedOf is an ending that was told.
func EndedOf(name string) round.Ended { return round.Ended(max(0, slices.Index(Endings, name))) }

// addr is an address as it is told; "" for none.
func addr(one netip.Addr) string {
	if !one.IsValid() {
		return ""
	}
	return one.String()
}

// parsed is an address that was told; the zero one for none.
func parsed(text string) netip.Addr {
	one, err := netip.ParseAddr(text)
	if err != nil || one.Zone() != "" {
		return netip.Addr{}
	}
	return one
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
func PortHeard(o *office.Office, ask ProbeAsk) (string, error) {
	if ask.Port != "" {
		return ask.Port, nil
	}
	var wrong error
	for k := range ask.Heard {
		ref, err := field.PortHeard(o, ask.Heard[k].Said())
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
	Scope string `json:"scope,omitempty" enum:"tests,reader,planner,technician,carrier,keeper" description:"what it may: report tests, and nothing else, or what a role may"`
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
