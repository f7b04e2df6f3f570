package proof

import (
	"fmt"
	"sort"

	"klammer/core/office"
)

// wire is what a frame wears: -1 untagged, 0 priority-tagged, or a VID.
type wire int

// plainPort is a port with its shape resolved.
type plainPort struct {
	name     string
	inner    bool
	off      bool
	untagged map[office.VID]bool
	tagged   map[office.VID]wire // the VID on the wire
	pvid     office.VID
	admit    office.Admit
	filter   bool
	cables   []plainEnd // where its cables lead
}

type plainEnd struct {
	dev  int
	port string
}

type plainDevice struct {
	d     *office.Device
	ports map[string]*plainPort // without members of bundles
	order []string
}

// Plain is an office worked out the plain way.
type Plain struct {
	o    *office.Office
	devs []*plainDevice
}

// NewPlain works an office out.
func NewPlain(o *office.Office) *Plain {
	p := &Plain{o: o}
	index := map[string]int{}
	for i, d := range o.Devices {
		index[d.Name] = i
		pd := &plainDevice{d: d, ports: map[string]*plainPort{}}
		member := map[int]bool{}
		for _, x := range d.Ports {
			for _, m := range x.Members {
				member[m] = true
			}
		}
		for k, x := range d.Ports {
			if !member[k] {
				pd.ports[x.Name] = &plainPort{name: x.Name, inner: x.Kind == office.Inner}
				pd.order = append(pd.order, x.Name)
			}
		}
		p.devs = append(p.devs, pd)
	}
	for _, c := range o.Cables {
		a, b := p.end(index, c.A), p.end(index, c.B)
		pa, pb := p.port(a), p.port(b)
		pa.cables = addEnd(pa.cables, b)
		pb.cables = addEnd(pb.cables, a)
	}
	for i, pd := range p.devs {
		for k, x := range pd.d.Ports {
			if q := pd.ports[x.Name]; q != nil {
				p.resolve(i, k, q, nil)
			}
		}
	}
	for i, pd := range p.devs { // needed follows from what is set without it
		for k, x := range pd.d.Ports {
			if q := pd.ports[x.Name]; q != nil && len(q.cables) > 0 && p.shape(i, k).Rest == office.RestNeeded {
				p.resolve(i, k, q, p.neededAt(plainEnd{i, x.Name}))
			}
		}
	}
	return p
}

func addEnd(es []plainEnd, e plainEnd) []plainEnd {
	for _, x := range es {
		if x == e {
			return es
		}
	}
	return append(es, e)
}

func (p *Plain) end(index map[string]int, r office.PortRef) plainEnd {
	i := index[r.Device]
	d := p.o.Devices[i]
	for _, x := range d.Ports {
		for _, m := range x.Members {
			if d.Ports[m].Name == r.Port {
				return plainEnd{i, x.Name}
			}
		}
	}
	return plainEnd{i, r.Port}
}

func (p *Plain) port(e plainEnd) *plainPort { return p.devs[e.dev].ports[e.port] }

// shape is the effective shape: exception, else plan, else set, else nothing.
func (p *Plain) shape(dev, port int) office.Shape {
	d := p.o.Devices[dev]
	x := d.Ports[port]
	s := office.Shape{}
	if x.Shape != nil {
		s = *x.Shape
	} else {
		places := []int{port + 1}
		if x.Kind == office.Bundle {
			places = nil
			for _, m := range x.Members {
				places = append(places, m+1)
			}
		}
		var all *office.Shape
		ok := x.Kind != office.Inner
		for _, place := range places {
			var one *office.Shape
			for _, plan := range p.o.Plans {
				if plan.Name != d.Follows {
					continue
				}
				for i := range plan.Lines {
					for _, r := range plan.Lines[i].Ports {
						from, to := r.From, r.To
						if from < 1 {
							from += d.Front()
						}
						if to < 1 {
							to += d.Front()
						}
						if place >= from && place <= to {
							one = &plan.Lines[i].Shape
						}
					}
				}
			}
			if one == nil || all != nil && !all.Equal(*one) {
				ok = false
				break
			}
			all = one
		}
		if ok && all != nil {
			s = *all
		}
	}
	if s.Use != "" {
		for _, u := range p.o.Uses {
			if u.Name == s.Use {
				return u.Shape
			}
		}
	}
	return s
}

func (p *Plain) resolve(dev, port int, q *plainPort, needed map[office.VID]bool) {
	s := p.shape(dev, port)
	q.off, q.admit, q.filter = s.Off, s.Admit, !s.FilterOff
	q.untagged, q.tagged = map[office.VID]bool{}, map[office.VID]wire{}
	for _, v := range s.Untagged {
		q.untagged[v] = true
	}
	rest := map[office.VID]bool{}
	if s.Rest == office.RestAll {
		for _, v := range p.o.VLANs {
			rest[v.VID] = true
		}
	}
	if s.Rest == office.RestNeeded {
		rest = needed
	}
	ride := map[office.VID]office.VID{}
	taken := map[office.VID]bool{}
	for _, r := range s.Rides {
		ride[r.VLAN] = r.Wire
		taken[r.Wire] = true
	}
	own := map[office.VID]bool{}
	for _, v := range s.Tagged {
		own[v] = true
	}
	for v := office.VID(1); v <= office.MaxVID; v++ {
		if q.untagged[v] || !own[v] && (!rest[v] || taken[v]) {
			continue
		}
		q.tagged[v] = wire(v)
		if w, ok := ride[v]; ok {
			q.tagged[v] = wire(w)
		}
	}
	switch {
	case s.PVIDSet:
		q.pvid = s.PVID
	case len(s.Untagged) == 1:
		q.pvid = s.Untagged[0]
	default:
		q.pvid = 0
	}
}

// domain is where a frame is in a device, as text, so that nothing of the clever
// version's kind can slip in.
type domain string

func (p *Plain) ingress(e plainEnd, w wire) (domain, bool) {
	q := p.port(e)
	f := p.o.Devices[e.dev].Forwarding
	if q.off {
		return "", false
	}
	if f == office.Unaware {
		return domain(fmt.Sprintf("as %d", w)), true
	}
	if f == office.UnawareDrops {
		return domain(fmt.Sprintf("as %d", w)), w <= 0
	}
	if q.admit == office.AdmitTagged && w <= 0 || q.admit == office.AdmitUntagged && w > 0 {
		return "", false
	}
	vlan := q.pvid
	if w > 0 {
		vlan = office.VID(w)
		for v, x := range q.tagged {
			if x == w && x != wire(v) {
				vlan = v
			}
		}
	}
	if f == office.Grouped {
		group := office.VID(0) // the untagged VLAN; of several, the one that is the PVID, else the least
		for v := range q.untagged {
			if group == 0 || v == q.pvid || v < group && group != q.pvid {
				group = v
			}
		}
		if x, ok := q.tagged[vlan]; w > 0 && ok && x == w {
			return domain(fmt.Sprintf("vlan %d", vlan)), true
		}
		if group == 0 {
			return "", false
		}
		if w > 0 {
			return domain(fmt.Sprintf("vlan %d keeps %d", group, w)), true
		}
		return domain(fmt.Sprintf("vlan %d", group)), true
	}
	if vlan == 0 {
		return "", false
	}
	_, tagged := q.tagged[vlan]
	if q.filter && !q.untagged[vlan] && !tagged {
		return "", false
	}
	if f == office.Routed {
		return domain(fmt.Sprintf("vlan %d on %s", vlan, e.port)), true
	}
	return domain(fmt.Sprintf("vlan %d", vlan)), true
}

func (p *Plain) egress(e plainEnd, d domain) (wire, bool) {
	q := p.port(e)
	if q.off {
		return 0, false
	}
	var as int
	if n, _ := fmt.Sscanf(string(d), "as %d", &as); n == 1 {
		return wire(as), true
	}
	var v office.VID
	var keeps int
	var on string
	n, _ := fmt.Sscanf(string(d), "vlan %d keeps %d", &v, &keeps)
	kept := n == 2
	if n, _ := fmt.Sscanf(string(d), "vlan %d on %s", &v, &on); n == 2 && on != e.port {
		return 0, false
	}
	x, tagged := q.tagged[v]
	switch {
	case !q.untagged[v] && !tagged:
		return 0, false
	case kept:
		return wire(keeps), true
	case tagged:
		return x, true
	}
	return -1, true
}

// Arrivals is where a frame comes out, as "device.port wire", sorted.
func (p *Plain) Arrivals(dev int, port string, w int) []string {
	type at struct {
		e plainEnd
		w wire
	}
	start := at{plainEnd{dev, port}, wire(w)}
	seen := map[at]bool{start: true}
	todo := []at{start}
	out := map[string]bool{}
	for len(todo) > 0 {
		x := todo[0]
		todo = todo[1:]
		d, ok := p.ingress(x.e, x.w)
		if !ok {
			continue
		}
		for _, name := range p.devs[x.e.dev].order {
			if name == x.e.port {
				continue
			}
			e := plainEnd{x.e.dev, name}
			leaves, ok := p.egress(e, d)
			if !ok {
				continue
			}
			cables := p.port(e).cables
			if len(cables) == 0 {
				out[fmt.Sprintf("%s.%s %d", p.o.Devices[e.dev].Name, name, leaves)] = true
			}
			for _, c := range cables {
				n := at{c, leaves}
				if !seen[n] {
					seen[n] = true
					todo = append(todo, n)
				}
			}
		}
	}
	all := []string{}
	for s := range out {
		all = append(all, s)
	}
	sort.Strings(all)
	return all
}
