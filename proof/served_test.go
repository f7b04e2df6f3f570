package proof

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// somebody is a plug, or a device at an address or its management.
type somebody struct {
	name string
	plug bool
	port plainEnd // of a plug
	wire wire     // what a plug sends, and wants
	at   []node   // of a device: where its own frames are
}

// everybody lists who is in a VLAN and can be asked: plugs and devices.
func (p *Plain) everybody(v office.VID) (all []somebody) {
	for _, g := range p.o.Plugs {
		if g.Wants == v {
			w := wire(-1)
			if g.Tagged {
				w = wire(v)
			}
			all = append(all, somebody{name: g.Name, plug: true, port: p.plugEnd(g), wire: w})
		}
	}
	for i, d := range p.o.Devices {
		on := map[string]bool{}
		for _, a := range d.Addresses {
			if a.VID == v {
				on[p.addressHub(i, v, a.On)] = true
			}
		}
		if d.Manage != nil && d.Manage.VID == v {
			on[p.addressHub(i, v, "")] = true
		}
		for h := range on {
			x := somebody{name: h}
			switch {
			case unaware(d):
				x.at = []node{{i, "as -1"}, {i, domain(fmt.Sprintf("as %d", v))}}
			case d.Forwarding == office.Routed:
				x.at = []node{{i, domain(fmt.Sprintf("vlan %d on %s", v, h[len(d.Name)+1:]))}}
			case p.lets(i, v):
				x.at = []node{{i, domain(fmt.Sprintf("vlan %d", v))}}
			}
			all = append(all, x)
		}
	}
	return all
}

// hears says whether what a sends comes to b: out of a plug's port as the plug
// wants it, or into the domain that a device's own address is in. A device that
// knows no tags answers in the form in which it was asked.
func (p *Plain) hears(a, b somebody) bool {
	type at struct {
		n  node
		in string // the port that it came in by
	}
	var todo []at
	seen := map[at]bool{}
	add := func(x at) {
		if !seen[x] {
			seen[x] = true
			todo = append(todo, x)
		}
	}
	if a.plug {
		d, ok := p.ingress(a.port, a.wire)
		if !ok {
			return false
		}
		add(at{node{a.port.dev, d}, a.port.port})
	}
	for _, n := range a.at {
		add(at{n, ""})
	}
	for len(todo) > 0 {
		x := todo[0]
		todo = todo[1:]
		if slices.Contains(b.at, x.n) {
			return true
		}
		for _, name := range p.devs[x.n.dev].order {
			e := plainEnd{x.n.dev, name}
			w, ok := p.egress(e, x.n.dom)
			if name == x.in || !ok {
				continue
			}
			if b.plug && e == b.port && w == b.wire {
				return true
			}
			for _, c := range p.port(e).cables {
				if d, ok := p.ingress(c, w); ok {
					add(at{node{c.dev, d}, c.port})
				}
			}
		}
	}
	return false
}

// TestServed: where nothing breaks every plug and its gateway, and all that is
// managed, hear each other in the form that they want; and a VLAN of which only
// such are there, who all hear each other, has nothing said of it that breaks.
func TestServed(t *testing.T) {
	quiet, whole := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		var o *office.Office
		switch rapid.IntRange(0, 3).Draw(t, "kind of office") {
		case 0:
			o = Draw(t, 4)
		case 1:
			o = tidied(Draw(t, 4))
		default:
			o = drawNearlyTidy(t)
		}
		r := finding.Check(span.Compile(o))
		p := NewPlain(o)
		said := map[office.VID]string{}
		for _, f := range r.List() {
			for _, v := range f.VLANs {
				switch f.Code {
				case "split", "merged", "not-carried", "one-way", "plug-unserved", "untagged-mismatch", "tag-into-unaware", "pvid-not-member":
					said[v] += f.ID + "; "
				}
			}
		}
		for _, k := range append([]int{190}, vids...) {
			v := office.VID(k)
			all := p.everybody(v)
			deaf, shared := "", false
			for _, a := range all {
				for _, b := range all {
					if a.name != b.name && a.plug && b.plug && a.port == b.port {
						shared = true // what arrives at a port does not leave there
					} else if a.name != b.name && !p.hears(a, b) {
						deaf += fmt.Sprintf("%s does not hear %s; ", b.name, a.name)
					}
				}
				if a.plug && o.Devices[a.port.dev].Forwarding == office.Grouped &&
					!p.serves(office.Plug{Port: office.PortRef{Device: o.Devices[a.port.dev].Name, Port: a.port.port}, Wants: v, Tagged: a.wire > 0}) {
					shared = true // a tag that is only kept on the way is nothing that the port was set to
				}
				if a.plug && p.port(a.port).off {
					deaf += a.name + " is at a port that is off; "
				}
			}
			if said[v] == "" && len(all) > 1 {
				quiet++
				require.Empty(t, deaf, "VLAN %d: nothing breaks\n%s", v, notation.Print(o))
			}
			// Among devices that know no tags nothing says which VLAN it is.
			knows := slices.ContainsFunc(all, func(a somebody) bool {
				return a.plug && !unaware(o.Devices[a.port.dev]) || !a.plug && len(a.at) > 0 && !unaware(o.Devices[a.at[0].dev])
			})
			if deaf == "" && knows && !shared && !p.others(v) {
				whole++
				for _, f := range r.List() {
					if slices.Contains(f.VLANs, v) && (f.Code == "split" || f.Code == "not-carried" || f.Code == "plug-unserved" && len(all) > 1) {
						require.Fail(t, "false", "VLAN %d: all hear each other, and %s: %s\n%s", v, f.ID, f.Text, notation.Print(o))
					}
				}
			}
		}
	})
	t.Logf("%d VLANs of which nothing breaks, %d in which all hear each other", quiet, whole)
}

// others says whether a VLAN has terminals that nobody can ask: bare ports,
// inner ports, end devices.
func (p *Plain) others(v office.VID) bool {
	for i, pd := range p.devs {
		for k, x := range pd.d.Ports {
			q := pd.ports[x.Name]
			if q == nil || q.off || unaware(pd.d) {
				continue
			}
			s := p.shape(i, k)
			if (s.Of(v) != office.NotMember || s.Rest == office.RestAll) && (q.inner || p.itself(i) || len(q.cables) == 0) {
				plugged := slices.ContainsFunc(p.o.Plugs, func(g office.Plug) bool { return g.Wants == v && p.plugEnd(g) == (plainEnd{i, x.Name}) })
				if !plugged || q.inner || p.itself(i) {
					return true
				}
			}
		}
	}
	return false
}

// tidied is an office in which free ports are in no VLAN, so that who can be
// asked is all there is.
func tidied(o *office.Office) *office.Office {
	n := span.Compile(o)
	d := office.NewDraft(o)
	for i, x := range o.Devices {
		for p, q := range x.Ports {
			r := office.PortRef{Device: x.Name, Port: q.Name}
			free := !slices.ContainsFunc(o.Plugs, func(g office.Plug) bool { return g.Port.Device == x.Name && x.Logical(x.Port(g.Port.Port)) == p })
			if q.Bundle == 0 && free && len(n.Topo.LinksAt(i, p)) == 0 {
				_ = d.Set(r, &office.Shape{}, "")
			}
		}
	}
	o, _ = d.Done()
	return o
}

// drawNearlyTidy draws an office that carries what it needs, with plugs,
// addresses and management, and then up to two ports set anyhow.
func drawNearlyTidy(t *rapid.T) *office.Office {
	o := drawTidy(t)
	line := func(text string) {
		if next, _, err := notation.Line(o, text); err == nil {
			o = next
		}
	}
	for i, d := range o.Devices {
		v := rapid.SampledFrom([]int{10, 20, 190}).Draw(t, "in")
		switch rapid.IntRange(0, 4).Draw(t, "who is there") {
		case 0:
			line(fmt.Sprintf("%s address %d 10.%d.0.%d/24", d.Name, v, v, i+1))
		case 1:
			line(fmt.Sprintf("%s manage %d", d.Name, v))
		case 2:
			line(fmt.Sprintf("%s forwarding %s", d.Name, rapid.SampledFrom([]string{"unaware", "grouped", "routed"}).Draw(t, "forwarding")))
		default:
			tagged := rapid.SampledFrom([]string{"", " tagged"}).Draw(t, "form")
			shape := fmt.Sprint(v)
			if tagged != "" {
				shape = fmt.Sprintf("[%d]", v)
			}
			line(fmt.Sprintf("plug %s.9 \"g%d\" wants %d%s", d.Name, i, v, tagged))
			line(fmt.Sprintf("%s 9: %s", d.Name, shape))
		}
	}
	n := span.Compile(o)
	draft := office.NewDraft(o)
	for i, l := range n.Topo.Links {
		need := *n.Needed(i)
		need.Remove(190)
		s := office.Shape{Untagged: []office.VID{190}, Tagged: need.VIDs()}.Normal()
		for _, e := range l.Ends() {
			_ = draft.Set(n.Ref(e), &s, "")
		}
	}
	o, _ = draft.Done()
	for range rapid.IntRange(0, 2).Draw(t, "mistakes") {
		d := rapid.SampledFrom(o.Devices).Draw(t, "device")
		line(fmt.Sprintf("%s %s: %s", d.Name, rapid.SampledFrom(d.Ports).Draw(t, "port").Name, drawShape(t, false)))
	}
	return o
}
