package command

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"klammer/core/finding"
	"klammer/core/office"
	"klammer/core/span"
)

// Answer is what bringing or withdrawing a VLAN comes to.
type Answer struct {
	Office *office.Office // as it would be
	Edit   office.Edit    // that leads there
	Net    *span.Net

	Learn     []string         // devices that did not know the VLAN and must
	Followers []office.PortRef // changed ports that become exceptions from a port plan
	Limits    []string         // what would be passed, in sentences
	Remarks   []string         // where it does not get through, and why
}

// Bring puts vid on a port, tagged or untagged, and tags it on both ends of each
// cable on the shortest way (see [span.Net.Route]) to the VLAN's gateway, or to
// the largest of its spans. Where no way exists the port is set all the same,
// and a remark says where the VLAN ends.
//
// What it would take away is remarked on: towards a device that knows no tags a
// cable gives a single VLAN, and what it gave before is cut off there.
func Bring(n *span.Net, vid office.VID, to office.PortRef, as office.Membership) (*Answer, error) {
	if _, err := office.VIDOf(int(vid)); err != nil {
		return nil, err
	}
	w, err := begin(n, to)
	if err != nil {
		return nil, err
	}
	target := goal(n, vid)
	if n.Aware(w.dev) {
		s := n.Carrying(w.dev, w.port, as, vid)
		if n.Gives(w.dev, w.port, vid, as == office.Tagged) {
			s = *w.shape(w.dev, w.port) // as it is
		}
		if err := w.set(w.dev, w.port, s); err != nil {
			return nil, err
		}
	} else if as == office.Tagged && n.Office.Devices[w.dev].Forwarding == office.UnawareDrops {
		return nil, fmt.Errorf("%s drops frames with a tag: bring VLAN %d to it untagged", to.Device, vid)
	}
	if target == nil { // nobody is in the VLAN yet: there is nowhere to go
		return w.answer(vid)
	}
	now := n.Update(w.draft.Office()) // what follows by itself, on cables that carry what is needed, is done
	hub := now.Topo.HubOf(w.dev, w.port)
	way, ok := now.Route(vid, []int{hub}, func(h int) bool { return target[h] })
	if !ok {
		w.out.Remarks = append(w.out.Remarks, fmt.Sprintf("no cable leads from %s to the rest of %s", to.Device, n.Name(vid)))
		return w.answer(vid)
	}
	through := w.through(now, way, vid)
	for _, l := range way {
		if both, _ := now.Carries(l, vid); !both {
			if err := w.carry(now, l, vid, through); err != nil {
				return nil, err
			}
		}
	}
	a, err := w.answer(vid)
	if err != nil {
		return nil, err
	}
	if !a.reaches(hub, w.dev, vid, target) {
		a.Remarks = append(a.Remarks, fmt.Sprintf("%s still does not get through from %s both ways: a port on the way shows it otherwise", n.Name(vid), to.Device))
	}
	return a, nil
}

// reaches says whether a hub hears one of the target, and is heard there.
func (a *Answer) reaches(hub, dev int, vid office.VID, target map[int]bool) bool {
	if !a.Net.Aware(dev) {
		return a.Net.Served(hub, vid) || a.Net.SpanAt(hub, vid) != nil
	}
	s := a.Net.SpanAt(hub, vid)
	if s == nil {
		return false
	}
	for x := range a.Net.Mutual(s, span.Node{Hub: hub, Label: span.Label(vid)}) {
		if target[x.Hub] && x.Label == span.Label(vid) {
			return true
		}
	}
	return false
}

// goal is where a VLAN is: the hubs of its span with the gateway, else of the
// largest one; nil where nothing is in it. Of a span that some of it hears and
// does not answer, it is what the gateway talks with both ways.
func goal(n *span.Net, vid office.VID) map[int]bool {
	r := n.VLAN(vid)
	if r == nil || r.Parts == 0 && !n.IsParked(vid) {
		return nil
	}
	for _, s := range r.Spans {
		var start span.Node
		found := false
		for _, x := range s.Nodes {
			gateway := n.AtGateway(x.Hub, vid)
			if x.Label == span.Label(vid) && (!found || gateway && !n.AtGateway(start.Hub, vid)) {
				start, found = x, true
			}
		}
		if !found {
			continue // an address that nobody reaches
		}
		g := map[int]bool{}
		for x := range n.Mutual(s, start) {
			if x.Label == span.Label(vid) {
				g[x.Hub] = true
			}
		}
		return g
	}
	return nil
}

// Withdraw takes vid off a port, and off every cable that needed it before and no
// longer does. Ports that carry all VLANs, or what is needed, go on saying so:
// what is written out beside it goes.
func Withdraw(n *span.Net, vid office.VID, from office.PortRef) (*Answer, error) {
	w, err := begin(n, from)
	if err != nil {
		return nil, err
	}
	if !n.Tables[w.dev].Ports[w.port].Has(vid) {
		return nil, fmt.Errorf("%s is not in VLAN %d", from, vid)
	}
	off := func(now *span.Net, dev, port int) error {
		s, _ := now.Shape(dev, port)
		return w.set(dev, port, s.With(vid, office.NotMember))
	}
	if err := off(n, w.dev, w.port); err != nil {
		return nil, err
	}
	now := n.Update(w.draft.Office())
	for link := range n.Topo.Links {
		if now.Needed(link).Has(vid) || !n.Needed(link).Has(vid) && !n.IsParked(vid) {
			continue
		}
		for _, e := range n.Topo.Links[link].Ends() {
			s, _ := now.Shape(e.Dev, e.Port)
			if s.Of(vid) == office.Tagged || s.Of(vid) == office.Untagged && !n.Aware(n.Topo.Links[link].Opposite(e).Dev) {
				if err := off(now, e.Dev, e.Port); err != nil {
					return nil, err
				}
			}
		}
	}
	after := now.Update(w.draft.Office())
	if s, _ := after.Shape(w.dev, w.port); s.Rest != office.RestNone {
		if after.Tables[w.dev].Ports[w.port].Has(vid) {
			w.out.Remarks = append(
				w.out.Remarks,
				fmt.Sprintf(
					"%s stays on %s, which takes %s",
					n.Name(vid),
					from,
					map[office.Rest]string{office.RestAll: "all VLANs", office.RestNeeded: "what its cable needs"}[s.Rest],
				),
			)
		}
	}
	a, err := w.answer(vid)
	if err != nil {
		return nil, err
	}
	for _, p := range n.Office.Plugs {
		if p.Port == from && p.Wants == vid {
			a.Remarks = append(a.Remarks, fmt.Sprintf("%s at %s still wants %s", p.Name, from, n.Name(vid)))
		}
	}
	return a, nil
}

// way is an answer being made.
type way struct {
	n         *span.Net
	dev, port int
	draft     *office.Draft
	out       Answer
}

func begin(n *span.Net, ref office.PortRef) (*way, error) {
	w := &way{n: n, draft: office.NewDraft(n.Office)}
	device, err := w.draft.FindDevice(ref.Device)
	if err != nil {
		return nil, err
	}
	p, err := device.FindPort(ref.Port)
	if err != nil {
		return nil, err
	}
	w.dev, w.port = n.Topo.DeviceIndex(ref.Device), device.Logical(p)
	return w, nil
}

func (w *way) shape(dev, port int) *office.Shape {
	s, _ := w.n.Shape(dev, port)
	return s
}

// set sets a port, minding its plan.
func (w *way) set(dev, port int, s office.Shape) error {
	d := w.draft.Office().Devices[dev]
	return w.draft.SetTo(office.PortRef{Device: d.Name, Port: d.Ports[port].Name}, s)
}

// carry makes a cable carry vid: tagged at both ends under its own VID, or
// untagged towards a device that knows no tags.
//
// Through is set where it goes tagged over devices that do not look at tags.
func (w *way) carry(n *span.Net, l int, vid office.VID, through bool) error {
	k := &n.Topo.Links[l]
	as := office.Tagged
	if !through && (!n.Aware(k.A.Dev) || !n.Aware(k.B.Dev)) {
		as = office.Untagged
	}
	for _, end := range k.Ends() {
		if !n.Aware(end.Dev) {
			continue
		}
		p := n.Port(end)
		if p.Of(vid) == as && p.WireOf(vid).VID() == vid && n.Hears(end.Dev, end.Port, vid) {
			continue
		}
		for u := range p.Untagged.All() {
			if as == office.Untagged && u != vid {
				w.out.Remarks = append(w.out.Remarks, fmt.Sprintf("%s gives %s untagged so far, and only a single VLAN can be: what is behind it loses %s",
					n.Ref(end), n.Name(u), n.Name(u)))
			}
		}
		s := n.Carrying(end.Dev, end.Port, as, vid)
		if slices.ContainsFunc(s.Rides, func(r office.Ride) bool { return r.Wire == vid }) && as == office.Tagged {
			return fmt.Errorf("VID %d is taken on the wire at %s, where another VLAN rides it", vid, n.Ref(end))
		}
		if err := w.set(end.Dev, end.Port, s); err != nil {
			return err
		}
	}
	return nil
}

// through says whether a VLAN goes tagged over the devices on its way that do not look at
// tags: they pass tags, who it is brought to knows them, and untagged another VLAN goes there
// already.
func (w *way) through(n *span.Net, links []int, vid office.VID) bool {
	other := false
	for _, l := range links {
		k := &n.Topo.Links[l]
		for _, end := range k.Ends() {
			far := k.Opposite(end)
			switch {
			case n.Office.Devices[end.Dev].Forwarding == office.UnawareDrops:
				return false
			case n.Aware(end.Dev) && !n.Aware(far.Dev):
				untagged := n.Port(end).Untagged
				untagged.Remove(vid)
				other = other || !untagged.Empty()
			}
		}
	}
	return other && n.Aware(w.dev)
}

// answer works out what the change comes to.
func (w *way) answer(vid office.VID) (*Answer, error) {
	a := w.out
	a.Office, a.Edit = w.draft.Done()
	place := func(c office.Change) (int, int) { // by device, then by port
		r := c.After.(office.Setting).Port
		i := w.n.Topo.DeviceIndex(r.Device)
		return i, a.Office.Devices[i].Port(r.Port)
	}
	slices.SortStableFunc(a.Edit, func(x, y office.Change) int {
		xd, xp := place(x)
		yd, yp := place(y)
		return cmp.Or(cmp.Compare(xd, yd), cmp.Compare(xp, yp))
	})
	a.Net = w.n.Update(a.Office)
	for i, device := range a.Office.Devices {
		if device == w.n.Office.Devices[i] && a.Net.Tables[i] == w.n.Tables[i] {
			continue
		}
		if has(a.Net, i, vid) && !has(w.n, i, vid) {
			a.Learn = append(a.Learn, device.Name)
		}
		a.Limits = append(a.Limits, finding.LimitsPassed(w.n, a.Net, i)...)
		for p := range device.Ports {
			was, is := w.n.Office.Devices[i].Ports[p].Shape, device.Ports[p].Shape
			if _, covered := a.Office.Planned(device, p); covered && was == nil && is != nil {
				a.Followers = append(a.Followers, office.PortRef{Device: device.Name, Port: device.Ports[p].Name})
			}
		}
	}
	return &a, nil
}

func has(n *span.Net, dev int, v office.VID) bool {
	for _, p := range n.Tables[dev].Ports {
		if p.Has(v) {
			return true
		}
	}
	return false
}

func doBring(n *span.Net, a *args) (*Result, error) {
	vid, to := a.vlan(), a.ports("tagged")
	as := office.Untagged
	if a.accept("tagged") {
		as = office.Tagged
	}
	if !a.done() {
		return nil, nil
	}
	return each(n, to, func(n *span.Net, r office.PortRef) (*Answer, error) { return Bring(n, vid, r, as) })
}

func doWithdraw(n *span.Net, a *args) (*Result, error) {
	v, from := a.vlan(), a.ports("")
	if !a.done() {
		return nil, nil
	}
	return each(n, from, func(n *span.Net, r office.PortRef) (*Answer, error) { return Withdraw(n, v, r) })
}

// each does one port after the other, each on what the last one left, as one
// edit.
func each(n *span.Net, ports []office.PortRef, do func(*span.Net, office.PortRef) (*Answer, error)) (*Result, error) {
	out := &Result{Office: n.Office}
	for _, r := range ports {
		a, err := do(n, r)
		if err != nil {
			return nil, err
		}
		n, out.Office, out.Edit = a.Net, a.Office, append(out.Edit, a.Edit...)
		for _, s := range notes(a) {
			if !slices.Contains(out.Notes, s) {
				out.Notes = append(out.Notes, s)
			}
		}
	}
	return out, nil
}

// notes is what a bring or a withdraw has to say beside its edit.
func notes(a *Answer) []string {
	var out []string
	if len(a.Learn) > 0 {
		out = append(out, "Has to learn the VLAN: "+strings.Join(a.Learn, ", "))
	}
	if len(a.Followers) > 0 {
		var at []string
		for _, r := range a.Followers {
			at = append(at, r.String())
		}
		out = append(out, "Departs from its port plan: "+strings.Join(at, ", "))
	}
	return append(append(out, a.Limits...), a.Remarks...)
}
