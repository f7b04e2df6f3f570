package talk

import (
	"fmt"
	"slices"
	"strings"

	"klammer/core/office"
)

// Services is an exact set of services: ping, and ports of TCP and of UDP. It is
// not changed once made.
type Services struct {
	ping     bool
	tcp, udp []ports // ascending, with gaps between
}

// ports is a run of ports, both ends in it.
type ports struct{ first, last uint16 }

var allPorts = []ports{{1, 65535}}

// All and None are every service, and no service.
var (
	All  = &Services{true, allPorts, allPorts}
	None = &Services{}
)

// askersPort stands for the port that somebody asks from: a high one (RFC 6335
// clause 6). Where no state is kept, an answer passes by rules for that port.
const askersPort = 65535

// Of is the set of a list of services in an office, which knows what names stand
// for.
func Of(o *office.Office, list []office.Service) *Services {
	open := &Services{}
	for _, service := range list {
		switch service.Protocol {
		case office.AnyProtocol:
			return All
		case office.Ping:
			open.ping = true
		case office.TCP:
			open.tcp = append(open.tcp, ports{service.First, service.Last})
		case office.UDP:
			open.udp = append(open.udp, ports{service.First, service.Last})
		case office.Named:
			if named := o.Service(service.Name); named != nil {
				is := Of(o, named.Is)
				open.ping = open.ping || is.ping
				open.tcp, open.udp = append(open.tcp, is.tcp...), append(open.udp, is.udp...)
			}
		}
	}
	open.tcp, open.udp = tidy(open.tcp), tidy(open.udp)
	return open.known()
}

// tidy sorts runs and joins those that touch.
func tidy(runs []ports) []ports {
	slices.SortFunc(runs, func(a, b ports) int { return int(a.first) - int(b.first) })
	var out []ports
	for _, ports := range runs {
		if k := len(out) - 1; k >= 0 && int(ports.first) <= int(out[k].last)+1 {
			out[k].last = max(out[k].last, ports.last)
		} else {
			out = append(out, ports)
		}
	}
	return out
}

// known gives All and None for sets that are that.
func (s *Services) known() *Services {
	switch {
	case !s.ping && len(s.tcp) == 0 && len(s.udp) == 0:
		return None
	case s.ping && slices.Equal(s.tcp, allPorts) && slices.Equal(s.udp, allPorts):
		return All
	}
	return s
}

// Empty says whether nothing is in it.
func (s *Services) Empty() bool { return s == None }

// Equal says whether two sets are the same.
func (s *Services) Equal(open *Services) bool {
	return s == open || s.ping == open.ping && slices.Equal(s.tcp, open.tcp) && slices.Equal(s.udp, open.udp)
}

// And, Or and Minus are what both have, what either has, and what only the first
// has.
func (s *Services) And(open *Services) *Services {
	switch {
	case s == All || open == None || s == open:
		return open
	case open == All || s == None:
		return s
	}
	return (&Services{s.ping && open.ping, common(s.tcp, open.tcp), common(s.udp, open.udp)}).known()
}

// Or is what is in either set.
func (s *Services) Or(open *Services) *Services {
	switch {
	case s == All || open == None || s == open:
		return s
	case open == All || s == None:
		return open
	}
	return (&Services{s.ping || open.ping, tidy(slices.Concat(s.tcp, open.tcp)), tidy(slices.Concat(s.udp, open.udp))}).known()
}

// Minus is what is in s and not in open.
func (s *Services) Minus(open *Services) *Services {
	switch {
	case open == All || s == None || s == open:
		return None
	case open == None:
		return s
	}
	return (&Services{s.ping && !open.ping, common(s.tcp, rest(open.tcp)), common(s.udp, rest(open.udp))}).known()
}

// Meets says whether two have a service in common.
func (s *Services) Meets(open *Services) bool {
	if s == None || open == None {
		return false
	}
	if s == All || open == All || s.ping && open.ping {
		return true
	}
	return meet(s.tcp, open.tcp) || meet(s.udp, open.udp)
}

// meet says whether two ascending lists of port ranges have a port in common. Both are walked once,
// the one whose range ends first going ahead.
func meet(a, b []ports) bool {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		if max(a[i].first, b[j].first) <= min(a[i].last, b[j].last) {
			return true
		}
		if a[i].last < b[j].last {
			i++
		} else {
			j++
		}
	}
	return false
}

// common is the ports that two lists of runs share.
func common(a, b []ports) (out []ports) {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		first, last := max(a[i].first, b[j].first), min(a[i].last, b[j].last)
		if first <= last {
			out = append(out, ports{first, last})
		}
		if a[i].last < b[j].last {
			i++
		} else {
			j++
		}
	}
	return out
}

// rest is the ports that a list of runs leaves out.
func rest(a []ports) (out []ports) {
	next := 1
	for _, one := range a {
		if int(one.first) > next {
			out = append(out, ports{uint16(next), one.first - 1})
		}
		next = int(one.last) + 1
	}
	if next <= 65535 {
		out = append(out, ports{uint16(next), 65535})
	}
	return out
}

func has(runs []ports, p uint16) bool {
	return slices.ContainsFunc(runs, func(ports ports) bool { return ports.first <= p && p <= ports.last })
}

// List is the set as services of notation: "any" alone, or ping first, then tcp,
// then udp. It is empty for the empty set.
func (s *Services) List() (out []office.Service) {
	if s == All {
		return []office.Service{{Protocol: office.AnyProtocol}}
	}
	if s.ping {
		out = append(out, office.Service{Protocol: office.Ping})
	}
	for _, ports := range s.tcp {
		out = append(out, office.Service{Protocol: office.TCP, First: ports.first, Last: ports.last})
	}
	for _, ports := range s.udp {
		out = append(out, office.Service{Protocol: office.UDP, First: ports.first, Last: ports.last})
	}
	return out
}

// Words are [Services.List] as texts.
func (s *Services) Words() []string {
	out := []string{}
	for _, service := range s.List() {
		out = append(out, service.String())
	}
	return out
}

// String is the set as people read it, cut off where nobody would read on.
func (s *Services) String() string {
	words := s.Words()
	switch n := len(words); {
	case n == 0:
		return "nothing"
	case s == All:
		return "everything"
	case n > 6:
		return fmt.Sprintf("%s and %d more", strings.Join(words[:6], ", "), n-6)
	}
	return strings.Join(words, ", ")
}

// first is one service of a set, the plainest to tell a way by: a well-known
// port before ping before others.
func (s *Services) first() probe {
	for _, p := range []uint16{443, 80, 22, 53} {
		if has(s.tcp, p) {
			return probe{office.TCP, p}
		}
	}
	switch {
	case len(s.tcp) > 0:
		return probe{office.TCP, s.tcp[0].first}
	case s.ping:
		return probe{office.Ping, 0}
	case len(s.udp) > 0:
		return probe{office.UDP, s.udp[0].first}
	}
	return probe{office.Ping, 0}
}

// probe is one service.
type probe struct {
	protocol office.Protocol
	port     uint16
}

// answer is the service that the answer is to a device that keeps no state.
func (p probe) answer() probe {
	if p.protocol != office.Ping {
		p.port = askersPort
	}
	return p
}

// in says whether a set has it.
func (p probe) in(open *Services) bool {
	switch p.protocol {
	case office.Ping:
		return open.ping
	case office.TCP:
		return has(open.tcp, p.port)
	}
	return has(open.udp, p.port)
}

// answered is the services whose answers pass where a set of questions would:
// ping itself, and all of a protocol where the port that is asked from passes.
func (s *Services) answered() *Services {
	if s == All || s == None {
		return s
	}
	out := &Services{ping: s.ping}
	if has(s.tcp, askersPort) {
		out.tcp = allPorts
	}
	if has(s.udp, askersPort) {
		out.udp = allPorts
	}
	return out.known()
}

var (
	onlyTCP = &Services{tcp: allPorts}
	onlyUDP = &Services{udp: allPorts}
)
